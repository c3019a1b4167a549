//! Poisson's ratio, maps on matter, and rest shapes that are not the one a cloth starts in.
use crate::harness::{Trial, plain, within};
use nematon_geometry::material::{WarpAlong, material_coordinates};
use nematon_geometry::{Mesh, sheet};
use nematon_solver::{
    Body, BuildError, ClothRest, ColliderRest, Contact, Floor, Folds, FrameInputs, Maps, Matter, RestMotion,
    Rules, Scaled, Solid,
};

fn rest_of(mesh: &Mesh, matter: Matter, held: impl Fn(usize) -> bool) -> ClothRest {
    ClothRest {
        positions: mesh.positions.clone(),
        triangles: mesh.triangles.clone(),
        flat: material_coordinates(mesh, WarpAlong::V),
        held: (0..mesh.positions.len()).map(held).collect(),
        matter,
        ..ClothRest::default()
    }
}

fn trial(rest: &ClothRest, mesh: Mesh) -> Trial {
    let cloth = Body::cloth(rest).unwrap();
    let state = cloth.start();
    let frame = FrameInputs { gravity: [0.0; 3], ..FrameInputs::default() };
    Trial { cloth, state, contact: Contact::none(1), frame, mesh }
}

/// Splits each square of a sheet by both of its diagonals: no edge inside a square runs along a thread.
fn crossed(m: &Mesh, columns: usize, rows: usize) -> Mesh {
    let (mut positions, mut triangles) = (m.positions.clone(), vec![]);
    for j in 0..rows - 1 {
        for i in 0..columns - 1 {
            let at = |i: usize, j: usize| (j * columns + i) as u32;
            let around = [at(i, j), at(i, j + 1), at(i + 1, j + 1), at(i + 1, j)];
            let middle = positions.len() as u32;
            let mean = |c: usize| around.iter().map(|p| m.positions[*p as usize][c]).sum::<f32>() / 4.0;
            positions.push([mean(0), mean(1), mean(2)]);
            (0..4).for_each(|k| triangles.push([around[k], around[(k + 1) % 4], middle]));
        }
    }
    Mesh { positions, triangles, ..Mesh::default() }
}

#[test]
fn what_is_pulled_narrows_by_its_poissons_ratio() {
    let (columns, rows) = (13, 49);
    let plain_sheet = sheet(0.2, 0.8, columns, rows);
    for (name, mesh) in [
        ("threads", plain_sheet.clone()),
        ("triangles", crossed(&plain_sheet, columns as usize, rows as usize)),
    ] {
        for (nu, stretch) in [(0.0, [1000.0, 1000.0]), (0.3, [1000.0, 1000.0]), (0.4, [1600.0, 900.0])] {
            let end = |k: usize| mesh.positions[k][2].abs() > 0.4 - 1e-4;
            let matter = Matter { stretch, shear: 200.0, poisson: nu, damping: 8.0, ..plain() };
            let mut rest = rest_of(&mesh, matter, end);
            // Held longer than at rest by a hundredth.
            rest.positions.iter_mut().for_each(|p| p[2] *= 1.01);
            let mut t = trial(&rest, mesh.clone());
            t.run(72);
            let p = t.positions();
            let middle: Vec<f32> =
                (0..p.len()).filter(|&k| mesh.positions[k][2].abs() < 1e-4).map(|k| p[k][0]).collect();
            let width = middle.iter().fold(f32::MIN, |m, x| m.max(*x))
                - middle.iter().fold(f32::MAX, |m, x| m.min(*x));
            let narrowed = 1.0 - f64::from(width) / 0.2;
            // ν is the mean of those of both ways: a pull along warp narrows by ν √(K_u / K_v).
            let want = 0.01 * f64::from(nu) * f64::from(stretch[0] / stretch[1]).sqrt();
            println!("{name}, ν {nu}: narrowed by {narrowed:.6}, expected {want:.6}");
            // Threads are met whole, triangles by sweeps.
            let share = if name == "threads" { 0.05 } else { 0.1 };
            assert!((narrowed - want).abs() < share * want + 5e-5, "{name}, ν {nu}: {narrowed} for {want}");
        }
    }
}

/// A sheet that falls a little on a ball and a floor in a wind, and meets all that a matter says.
fn falls(matter: Matter, maps: Maps, frames: usize) -> Vec<[f32; 3]> {
    let mut m = sheet(0.6, 0.6, 19, 19);
    nematon_geometry::place(&mut m.positions, [0.02, 0.42, 0.01], [0.1, 0.2, 0.0]);
    let mut rest = rest_of(&m, matter, |_| false);
    rest.maps = maps;
    let cloth = Body::cloth(&rest).unwrap();
    let ball = ColliderRest {
        solid: Some(Solid::Ball { radius: 0.15 }),
        skin: None,
        thickness: 0.001,
        friction: 0.0,
        meets: vec![true],
    };
    let rules = Rules { own: vec![true], between: vec![] };
    let contact = Contact::new(std::slice::from_ref(&cloth), &rules, vec![ball]).unwrap();
    let mut frame =
        FrameInputs { floor: Some(Floor { height: -0.15, friction: 0.0 }), ..FrameInputs::default() };
    frame.colliders = vec![Default::default()];
    let state = cloth.start();
    let mut t = Trial { cloth, state, contact, frame, mesh: m };
    t.run(frames);
    t.positions()
}

#[test]
fn a_map_of_one_half_is_half_of_the_number() {
    let matter =
        Matter { thickness: 0.006, friction: 0.5, damping: 2.0, bend: [4e-5; 2], ..Matter::default() };
    for what in Scaled::ALL {
        let mut halved = matter;
        match what {
            Scaled::ArealWeight => halved.areal_weight *= 0.5,
            Scaled::Stretch => halved.stretch = halved.stretch.map(|k| 0.5 * k),
            Scaled::Shear => halved.shear *= 0.5,
            Scaled::Bend => halved.bend = halved.bend.map(|k| 0.5 * k),
            Scaled::Damping => halved.damping *= 0.5,
            Scaled::Thickness => halved.thickness *= 0.5,
            Scaled::Friction => halved.friction *= 0.5,
            Scaled::Drag => halved.drag *= 0.5,
            Scaled::Lift => halved.lift *= 0.5,
        }
        let mut maps = Maps::default();
        maps.0[what as usize] = vec![0.5; 19 * 19];
        // Air is told apart before it meets the ball: how far a push can go in a sub-step is by the number.
        let frames = if matches!(what, Scaled::Drag | Scaled::Lift) { 6 } else { 14 };
        let whole = falls(matter, Maps::default(), frames);
        let (by_map, by_number) = (falls(matter, maps, frames), falls(halved, Maps::default(), frames));
        let far = |a: &[[f32; 3]], b: &[[f32; 3]]| {
            a.iter().flatten().zip(b.iter().flatten()).fold(0.0f32, |m, (p, q)| m.max((p - q).abs()))
        };
        let (same, other) = (far(&by_map, &by_number), far(&by_map, &whole));
        println!("{what:?}: {same:e} m from half the number, {other:e} m from the whole");
        assert!(same < 0.1 * other && other > 1e-5, "{what:?}: {same} and {other}");
    }
}

#[test]
fn what_is_heavier_on_one_side_pulls_that_side_ahead() {
    let m = sheet(0.4, 0.4, 21, 21);
    let mut rest =
        rest_of(&m, Matter { areal_weight: 0.1, bend: [1e-2; 2], damping: 0.0, ..Matter::default() }, |_| {
            false
        });
    rest.maps.0[Scaled::ArealWeight as usize] =
        m.positions.iter().map(|p| if p[0] > 0.0 { 4.0 } else { 1.0 }).collect();
    let mut t = trial(&rest, m);
    assert!((t.cloth.mass() / (0.16 * 0.1) - 2.5).abs() < 0.1, "{}", t.cloth.mass());
    t.frame.gravity = [0.0, -9.81, 0.0];
    t.run(8);
    let p = t.positions();
    let mean = |right: bool| {
        let of: Vec<f32> = t
            .mesh
            .positions
            .iter()
            .zip(&p)
            .filter(|(r, _)| (r[0] > 0.0) == right)
            .map(|(_, p)| p[1])
            .collect();
        of.iter().sum::<f32>() / of.len() as f32
    };
    assert!(mean(true) < mean(false) - 0.02, "{} {}", mean(true), mean(false));
}

#[test]
fn a_map_that_no_matter_can_have_is_refused_with_its_point() {
    let m = sheet(0.1, 0.1, 3, 3);
    let mut rest = rest_of(&m, Matter::default(), |_| false);
    rest.maps.0[Scaled::Bend as usize] = vec![1.0; 8];
    assert!(matches!(Body::cloth(&rest), Err(BuildError::Lengths { found: 8, expected: 9, .. })));
    rest.maps.0[Scaled::Bend as usize] = vec![1.0, 1.0, f32::NAN, 1.0, 1.0, 1.0, 1.0, 1.0, 1.0];
    assert!(matches!(Body::cloth(&rest), Err(BuildError::Map { what: Scaled::Bend, point: 2, .. })));
    rest.maps = Maps::default();
    rest.maps.0[Scaled::ArealWeight as usize] = vec![0.0; 9];
    assert!(matches!(Body::cloth(&rest), Err(BuildError::Map { what: Scaled::ArealWeight, .. })));
    rest.maps = Maps::default();
    rest.matter.poisson = 0.5;
    assert!(matches!(Body::cloth(&rest), Err(BuildError::Matter { what: "Poisson's ratio", .. })));
}

fn width(t: &Trial, axis: usize) -> f64 {
    let p = t.positions();
    let at = |f: fn(f32, f32) -> f32, from: f32| p.iter().fold(from, |m, p| f(m, p[axis]));
    f64::from(at(f32::max, f32::MIN) - at(f32::min, f32::MAX))
}

#[test]
fn what_grows_along_one_thread_direction_stays_along_the_other() {
    for mesh in [sheet(0.5, 0.5, 33, 33), crossed(&sheet(0.5, 0.5, 13, 13), 13, 13)] {
        let matter = Matter { damping: 3.0, ..plain() };
        let rest = rest_of(&mesh, matter, |_| false);
        let mut t = trial(&rest, mesh);
        for k in 0..48 {
            let at = |k: i32| 1.0 + 0.3 * (k as f32 / 24.0).min(1.0);
            t.frame.rests =
                vec![RestMotion { body: 0, sides: [[1.0; 2], [at(k), at(k + 1)]], folds: [1.0; 2] }];
            t.run(1);
        }
        let mut sides = [width(&t, 0), width(&t, 2)];
        sides.sort_by(f64::total_cmp);
        within("along warp", sides[0], 0.5, 0.01);
        within("along weft", sides[1], 0.65, 0.01);
    }
}

#[test]
fn a_rest_scale_grows_and_shrinks_what_it_is_of() {
    for mesh in [sheet(0.5, 0.5, 33, 33), crossed(&sheet(0.5, 0.5, 13, 13), 13, 13)] {
        let matter = Matter { damping: 3.0, ..plain() };
        let mut t = trial(&rest_of(&mesh, matter, |_| false), mesh);
        for (from, to) in [(1.0, 1.3), (1.3, 1.3), (1.3, 0.8), (0.8, 0.8)] {
            for k in 0..24 {
                let at = |k: i32| from + (to - from) * k as f32 / 24.0;
                t.frame.rests = vec![RestMotion { body: 0, sides: [[at(k), at(k + 1)]; 2], folds: [1.0; 2] }];
                t.run(1);
            }
            if from == to {
                within("width", width(&t, 0), 0.5 * f64::from(to), 0.01);
                within("depth", width(&t, 2), 0.5 * f64::from(to), 0.01);
                let strain = t.cloth.strain(&t.state);
                assert!(strain.largest < 0.01, "strain is told against the rest of the moment: {strain:?}");
            }
        }
    }
}

/// A strip along z that is part of a tube about x, of this turn in radians from end to end; flat where 0.
fn curled(turn: f64) -> Mesh {
    let mut m = sheet(0.1, 0.4, 6, 21);
    for p in &mut m.positions {
        let (s, r) = (f64::from(p[2]), 0.4 / turn);
        if turn != 0.0 {
            (p[1], p[2]) = ((r * (1.0 - (s / r).cos())) as f32, (r * (s / r).sin()) as f32);
        }
    }
    m
}

/// Turn of a strip from end to end, by the chord: 2 sin(a/2)/a of the length.
fn turn(t: &Trial) -> f64 {
    let share = width(t, 2) / 0.4;
    let (mut low, mut high) = (1e-6, 3.1);
    for _ in 0..60 {
        let a: f64 = 0.5 * (low + high);
        if 2.0 * (0.5 * a).sin() / a > share { low = a } else { high = a }
    }
    low
}

#[test]
fn folds_come_from_where_they_are_told() {
    let matter = Matter { bend: [2e-3; 2], damping: 6.0, ..plain() };
    let settled = |start: f64, folds: Folds, by: f32| {
        let m = curled(start);
        let mut rest = rest_of(&m, matter, |_| false);
        rest.flat = material_coordinates(&sheet(0.1, 0.4, 6, 21), WarpAlong::V);
        rest.folds = folds;
        let mut t = trial(&rest, m);
        for k in 0..60 {
            let at = |k: i32| 1.0 + (by - 1.0) * (k as f32 / 30.0).min(1.0);
            t.frame.rests = vec![RestMotion { body: 0, sides: [[1.0; 2]; 2], folds: [at(k), at(k + 1)] }];
            t.run(1);
        }
        turn(&t)
    };
    within("as it starts", settled(1.0, Folds::Start, 1.0), 1.0, 0.02);
    within("as another", settled(0.0, Folds::Like(curled(1.0).positions), 1.0), 1.0, 0.03);
    within("half opened", settled(1.0, Folds::Start, 0.5), 0.5, 0.03);
    within("folded twice as much", settled(1.0, Folds::Start, 2.0), 2.0, 0.04);
    let flat = settled(1.0, Folds::Flat, 1.0);
    assert!(flat < 0.15, "flat at rest, and turned by {flat}");
    let opened = settled(1.0, Folds::Start, 0.0);
    assert!(opened < 0.15, "opened, and turned by {opened}");
}
