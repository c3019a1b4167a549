use crate::harness::{Trial, plain};
use nematon_geometry::material::{WarpAlong, material_coordinates};
use nematon_geometry::{Mesh, sheet};
use nematon_solver::{Body, ClothRest, Matter};

/// Tip of a strip held level at its back border, below that border, in metres.
fn droop(bend: [f32; 2], upright_warp: WarpAlong) -> f32 {
    let m = sheet(0.1, 0.2, 3, 5);
    let matter = Matter { stretch: [600.0; 2], shear: 100.0, bend, damping: 6.0, ..plain() };
    let clamp = |k: usize, m: &Mesh| m.positions[k][2] < -0.03;
    let mut t = Trial::along(m, upright_warp, matter, clamp);
    t.frame.substeps = 40;
    t.settle(4.0);
    -t.positions()[t.mesh.corners[2].point as usize][1]
}

#[test]
fn a_stiffer_strip_droops_less_and_in_proportion() {
    let (soft, stiff) = (droop([1e-2; 2], WarpAlong::V), droop([2e-2; 2], WarpAlong::V));
    println!("droop {soft} and {stiff} m");
    assert!(stiff > 1e-3 && (1.7..2.2).contains(&(soft / stiff)), "{soft} {stiff}");
}

#[test]
fn bending_along_the_warp_is_not_that_along_the_weft() {
    let (along, across) = (droop([1e-2, 1e-3], WarpAlong::V), droop([1e-2, 1e-3], WarpAlong::U));
    println!("droop {along} and {across} m");
    assert!(across > 3.0 * along, "{along} {across}");
}

#[test]
fn a_mesh_that_is_curved_at_rest_stays_so() {
    let mut m = sheet(0.4, 0.4, 13, 13);
    for p in &mut m.positions {
        let a = p[0] / 0.2;
        *p = [0.2 * a.sin(), 0.2 * a.cos(), p[2]];
    }
    let mut t = Trial::new(m, Matter { bend: [1e-3; 2], ..plain() }, |_, _| false);
    t.frame.gravity = [0.0; 3];
    t.run(48);
    let far = t
        .positions()
        .iter()
        .zip(&t.mesh.positions)
        .map(|(a, b)| (0..3).map(|k| (a[k] - b[k]).abs()).fold(0.0, f32::max))
        .fold(0.0, f32::max);
    println!("drifts by {far:e} m");
    // What rounding leaves of momentum.
    assert!(far < 5e-4, "moved by {far} m with nothing acting");
}
#[test]
fn a_flat_sheet_is_flat_however_it_is_placed() {
    // Flat sheets have one bend along each thread at a point; curved ones have more constraints.
    let constraints = |at: f64, turn: [f64; 3]| {
        let rest = sheet(1.0, 1.0, 64, 64);
        let mut m = rest.clone();
        nematon_geometry::place(&mut m.positions, [0.0, at, 0.0], turn);
        let rest = ClothRest {
            positions: m.positions,
            triangles: m.triangles,
            flat: material_coordinates(&rest, WarpAlong::U),
            held: vec![false; 4096],
            matter: Matter::default(),
            ..ClothRest::default()
        };
        Body::cloth(&rest).unwrap().constraints()
    };
    let level = constraints(0.0, [0.0; 3]);
    for (at, turn) in [(0.0, [0.1, 0.0, 0.0]), (1.85, [0.1, 0.7, 0.0]), (30.0, [1.0, 0.2, 2.0])] {
        assert_eq!(constraints(at, turn), level, "{at} m, turned by {turn:?}");
    }
}
