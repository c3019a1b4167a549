use crate::contact::{at, lump, solid};
use crate::harness::{SheetOf, Trial};
use nematon_air::{TurbulenceNow as Turbulence, WindNow as Wind};
use nematon_geometry::material::{WarpAlong, material_coordinates};
use nematon_solver::{
    Body, ClothRest, ColliderMotion, ColliderRest, Contact, Floor, FrameInputs, Matter, RestMotion, Rules,
    Skin, SnapshotError, Solid, State, Way,
};

/// Everything at once: grips, winds, gusts, turbulence, floor, damping, colliders of every make, contact with
/// itself, maps on all of the matter, Poisson's ratio, a rest shape that grows, many parts.
fn everything() -> Trial {
    let s = SheetOf { size: [2.0, 1.5], points: [61, 47], upright: false };
    let mesh = s.mesh();
    let matter = Matter { damping: 0.5, poisson: 0.2, ..Matter::default() };
    let mut rest = ClothRest {
        positions: mesh.positions.clone(),
        triangles: mesh.triangles.clone(),
        flat: material_coordinates(&mesh, WarpAlong::V),
        held: (0..mesh.positions.len()).map(|k| mesh.borders[0].points[..20].contains(&(k as u32))).collect(),
        matter,
        ..ClothRest::default()
    };
    for (what, map) in rest.maps.0.iter_mut().enumerate() {
        *map = mesh.positions.iter().map(|p| 1.0 + 0.3 * (3.0 * p[0] + what as f32).sin()).collect();
    }
    let cloth = Body::cloth(&rest).unwrap();
    let state = cloth.start();
    let mut t = Trial { cloth, state, contact: Contact::none(1), frame: FrameInputs::default(), mesh };
    t.frame.rests = vec![RestMotion { body: 0, sides: [[1.0, 1.01]; 2], folds: [1.0, 0.9] }];
    t.frame.fields = vec![
        Wind { velocity: [3.0, 0.5, 1.0], gust: 0.4, gust_period: 1.0, seed: 1, ..Default::default() }.into(),
    ];
    t.frame.fields.push(
        Turbulence {
            strength: 2.0,
            size: 0.5,
            pace: 1.0,
            drift: [1.0, 0.0, 0.0],
            octaves: 2,
            seed: 2,
            ..Default::default()
        }
        .into(),
    );
    t.frame.floor = Some(Floor { height: -0.6, friction: 0.5 });
    let (positions, triangles) = lump(10, 0.3, 0.1);
    let skin = ColliderRest { solid: None, skin: Some(Skin { positions, triangles }), ..solid(Solid::Plane) };
    let colliders = vec![solid(Solid::Ball { radius: 0.25 }), solid(Solid::Box { half: [0.2; 3] }), skin];
    let rules = Rules { own: vec![true], between: vec![] };
    t.contact = Contact::new(std::slice::from_ref(&t.cloth), &rules, colliders).unwrap();
    let swaying = ColliderMotion {
        way: Way::straight(at([0.3, -0.4, 0.0]).way.from(), at([0.33, -0.38, 0.0]).way.from()),
        ..Default::default()
    };
    t.frame.colliders = vec![swaying, at([-0.5, -0.5, 0.2]), at([0.1, -0.4, 0.5])];
    t
}

fn on_threads(n: usize, work: impl FnOnce() -> Vec<u8> + Send) -> Vec<u8> {
    rayon::ThreadPoolBuilder::new().num_threads(n).build().unwrap().install(work)
}

fn bytes_after(frames: usize) -> Vec<u8> {
    let mut t = everything();
    t.run(frames);
    t.state.snapshot(&t.cloth)
}

#[test]
fn same_bits_on_one_two_and_five_threads() {
    let one = on_threads(1, || bytes_after(16));
    assert_eq!(one, on_threads(2, || bytes_after(16)));
    assert_eq!(one, on_threads(5, || bytes_after(16)));
}

#[test]
fn same_bits_from_a_checkpoint() {
    let mut t = everything();
    t.run(7);
    let kept = t.state.snapshot(&t.cloth);
    t.run(9);
    let straight = t.state.snapshot(&t.cloth);
    t.state = State::restore(&t.cloth, &kept).unwrap();
    t.frame.start = 7.0 * t.frame.duration;
    for _ in 0..9 {
        t.step().unwrap();
        t.frame.start += t.frame.duration;
    }
    assert_eq!(straight, t.state.snapshot(&t.cloth));
}

#[test]
fn a_snapshot_of_another_body_is_refused() {
    let t = everything();
    let found = State::restore(&t.cloth, &[0; 12]).unwrap_err();
    assert!(matches!(found, SnapshotError { found: 12, .. }));
}
