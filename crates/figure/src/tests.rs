#![allow(clippy::unwrap_used)]
use super::*;
use glam::DMat3;

fn joint(name: &str, parent: Option<usize>, at: [f64; 3]) -> Joint {
    Joint { name: name.into(), parent, rest: Local { position: at.into(), ..Local::default() } }
}

/// Two joints along y, and three points: one on each, one between.
fn arm() -> Figure {
    let mesh = Mesh {
        positions: vec![[0.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 2.0, 0.0]],
        triangles: vec![[0, 1, 2]],
        ..Mesh::default()
    };
    let weights =
        Weights { first: vec![0, 1, 3, 4], joints: vec![0, 0, 1, 1], shares: vec![1.0, 0.5, 0.5, 1.0] };
    let down = |y: f64| DAffine3::from_translation(DVec3::new(0.0, -y, 0.0));
    let quarter = DQuat::from_rotation_z(std::f64::consts::FRAC_PI_2);
    let bend = Channel {
        joint: 1,
        what: What::Turn,
        curve: Curve::Straight,
        times: vec![0.0, 1.0],
        values: [DQuat::IDENTITY, quarter].iter().flat_map(|q| q.to_array()).collect(),
    };
    Figure {
        joints: vec![joint("low", None, [0.0; 3]), joint("high", Some(0), [0.0, 1.0, 0.0])],
        parts: vec![Part { name: "arm".into(), joint: 0, skin: Some(0), mesh, weights, ..Part::default() }],
        skins: vec![Skin { joints: vec![0, 1], inverse: vec![down(0.0), down(1.0)] }],
        clips: vec![Clip { name: "bend".into(), duration: 1.0, channels: vec![bend] }],
        sequence: vec![],
    }
}

fn places(f: &Figure, time: f64) -> Vec<[f32; 3]> {
    let mut out = vec![];
    f.place(&f.pose(Some(0), time), &mut out);
    out
}

fn near(a: [f32; 3], b: [f32; 3]) {
    assert!((0..3).all(|c| (a[c] - b[c]).abs() < 1e-6), "{a:?} where {b:?} is right");
}

#[test]
fn an_arm_bends_as_worked_out_by_hand() {
    let f = arm();
    f.check().unwrap();
    assert_eq!(places(&f, 0.0), f.parts[0].mesh.positions);
    // The upper joint turned by a quarter about z: what is 1 above it is 1 to the left of it.
    let p = places(&f, 1.0);
    near(p[0], [0.0, 0.0, 0.0]);
    near(p[1], [0.0, 1.0, 0.0]);
    near(p[2], [-1.0, 1.0, 0.0]);
    // Half of the way is an eighth, and a turn keeps lengths: straight mixing would not.
    let h = std::f32::consts::FRAC_1_SQRT_2;
    near(places(&f, 0.5)[2], [-h, 1.0 + h, 0.0]);
}

#[test]
fn a_skinned_part_stands_where_its_joints_are_whatever_carries_it() {
    let mut f = arm();
    f.joints.push(joint("elsewhere", None, [5.0, 5.0, 5.0]));
    f.parts[0].joint = 2;
    assert_eq!(places(&f, 1.0), places(&arm(), 1.0));
}

#[test]
fn a_joint_that_is_stretched_or_mirrored_still_has_a_turn() {
    let mut f = arm();
    f.joints[0].rest.scale = DVec3::new(-2.0, 3.0, 1.0);
    f.joints[1].rest.scale = DVec3::ZERO;
    let posed = f.pose(None, 0.0);
    for j in 0..2 {
        let s = f.stand(&posed, j);
        assert!((s.turn.length() - 1.0).abs() < 1e-12 && s.position.is_finite(), "{s:?}");
    }
}

#[test]
fn morphs_are_added_before_joints_act() {
    let mut f = arm();
    f.parts[0].morphs.push(Morph { name: "up".into(), rest: 0.0, added: vec![[0.0, 1.0, 0.0]; 3] });
    let times = vec![0.0, 1.0];
    f.clips[0].channels.push(Channel {
        joint: 0,
        what: What::Morphs(1),
        curve: Curve::Straight,
        times,
        values: vec![0.0, 1.0],
    });
    f.check().unwrap();
    // Raised by 1 before the turn: 2 to the left after it.
    near(places(&f, 1.0)[2], [-2.0, 1.0, 0.0]);
}

#[test]
fn same_bits_on_one_and_two_threads() {
    let mut f = arm();
    let many = 20_000;
    let part = &mut f.parts[0];
    part.mesh.positions = (0..many).map(|k| [0.01 * (k % 7) as f32, 0.0001 * k as f32, 0.3]).collect();
    part.weights.first = (0..=many).map(|k| 2 * k).collect();
    part.weights.joints = (0..2 * many).map(|k| k % 2).collect();
    part.weights.shares =
        (0..many).flat_map(|k| [k as f32 / many as f32, 1.0 - k as f32 / many as f32]).collect();
    f.check().unwrap();
    let on = |n: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(n).build().unwrap();
        pool.install(|| places(&f, 0.37))
    };
    assert_eq!(on(1), on(2));
}

#[test]
fn faults_name_the_part_and_what_is_wrong() {
    let told = |change: &dyn Fn(&mut Figure)| {
        let mut f = arm();
        change(&mut f);
        f.check().unwrap_err().to_string()
    };
    assert!(told(&|f| f.skins[0].joints[1] = 9).contains("a joint that isn't there"));
    assert!(told(&|f| f.parts[0].weights.joints[0] = 7).contains("joint 7 of 2"));
    assert!(told(&|f| f.parts[0].weights.first = vec![0, 1]).contains("another number of points"));
    assert!(told(&|f| f.parts[0].mesh.positions[1][2] = f32::NAN).contains("point 1"));
    assert!(told(&|f| f.joints[1].parent = Some(1)).contains("on itself"));
    assert!(told(&|f| f.clips[0].channels[0].times[1] = 0.0).contains("not after"));
    assert!(told(&|f| f.clips[0].channels[0].values[1] = f64::INFINITY).contains("no number"));
    assert!(told(&|f| f.parts.clear()).contains("no surface"));
    assert!(told(&|f| f.sequence = vec![Default::default()]).contains("shape 1"));
}

#[test]
fn ten_thousand_joints_in_a_row_are_posed() {
    let mut f = arm();
    f.joints = (0..10_000).map(|k| joint("", (k > 0).then(|| k - 1), [0.0, 0.001, 0.0])).collect();
    let f = f.named();
    f.check().unwrap();
    let posed = f.pose(Some(0), 0.0);
    assert!((f.stand(&posed, 9_999).position.y - 10.0).abs() < 1e-9);
    f.joints.iter().enumerate().skip(1).for_each(|(k, j)| assert_ne!(j.name, f.joints[k - 1].name));
}

fn tent(lift: f32) -> Mesh {
    Mesh {
        positions: vec![[0.0, 0.0, 0.0], [1.0, 0.0, 0.0], [0.0, lift, -1.0], [5.0, 0.0, 0.0]],
        triangles: vec![[0, 1, 2], [1, 3, 2]],
        ..Mesh::default()
    }
}

#[test]
fn a_spot_rides_and_turns_with_its_triangle() {
    let flat = tent(0.0);
    let s = spots(&flat, &[[0.25, 0.1, -0.25]]).unwrap()[0];
    assert_eq!(s.triangle, [0, 1, 2]);
    assert!((s.place(&flat.positions) - DVec3::new(0.25, 0.1, -0.25)).length() < 1e-6);
    // The triangle stood up about x: what was above it is now before it.
    let mut up = flat.positions.clone();
    up[2] = [0.0, 1.0, 0.0];
    assert!((s.place(&up) - DVec3::new(0.25, 0.25, 0.1)).length() < 1e-6, "{:?}", s.place(&up));
    let turn = DMat3::from_quat(s.turn(&flat.positions, &up));
    assert!((turn * DVec3::Y - DVec3::Z).length() < 1e-6, "{turn:?}");
    // Shrunk to a point it still has a place, and no turn.
    let gone = vec![[1.0, 2.0, 3.0]; 4];
    assert!(s.place(&gone).is_finite() && s.turn(&flat.positions, &gone).is_finite());
}

#[test]
fn the_nearest_of_many_triangles_is_found() {
    let grid = nematon_geometry::sheet(2.0, 2.0, 41, 41);
    let places: Vec<[f32; 3]> =
        (0..60).map(|k| [0.03 * k as f32 - 0.9, 0.2, 0.9 - 0.029 * k as f32]).collect();
    for (s, p) in spots(&grid, &places).unwrap().iter().zip(&places) {
        let on = Spot { off: [0.0; 3], ..*s }.place(&grid.positions);
        assert!(
            (on - DVec3::new(f64::from(p[0]), 0.0, f64::from(p[2]))).length() < 1e-6,
            "{p:?} lies at {on:?}"
        );
    }
    assert!(spots(&Mesh::default(), &[[0.0; 3]]).is_none());
}

#[test]
fn a_capsule_fits_what_a_joint_holds() {
    // A tube of radius 0.1 and length 1 along x, held by a joint that is turned.
    let mut f = arm();
    let turn = DQuat::from_rotation_y(0.7);
    f.joints = vec![Joint {
        name: "bone".into(),
        parent: None,
        rest: Local { position: DVec3::new(0.0, 2.0, 0.0), turn, ..Local::default() },
    }];
    let mut mesh = Mesh::default();
    for k in 0..=20 {
        for i in 0..16 {
            let (s, c) = (f64::from(i) / 16.0 * std::f64::consts::TAU).sin_cos();
            mesh.positions.push([(f64::from(k) / 20.0) as f32, (0.1 * c) as f32, (0.1 * s) as f32]);
        }
    }
    mesh.triangles.push([0, 1, 2]);
    f.parts = vec![Part { name: "tube".into(), joint: 0, mesh, ..Part::default() }];
    f.skins.clear();
    f.clips.clear();
    f.check().unwrap();
    let [s] = &stand_ins(&f)[..] else { panic!("one capsule") };
    let Fitted::Capsule { radius, length } = s.form else { panic!("a tube is round: {s:?}") };
    assert!((radius - 0.1).abs() < 1e-6 && (length - 0.8).abs() < 1e-6, "{s:?}");
    assert!((s.position - DVec3::new(0.5, 0.0, 0.0)).length() < 1e-6, "{s:?}");
    assert!((s.turn * DVec3::Y).cross(DVec3::X).length() < 1e-6, "{s:?}");
}

#[test]
fn a_flat_wing_gets_a_flat_box() {
    let mut f = arm();
    let turn = DQuat::from_rotation_z(0.4);
    f.joints = vec![Joint {
        name: "wing".into(),
        parent: None,
        rest: Local { position: DVec3::new(1.0, 0.0, 0.0), turn, ..Local::default() },
    }];
    // 1 by 0.4 m and 2 cm thick.
    let mut mesh = Mesh::default();
    for k in 0..=40 {
        for i in 0..=16 {
            for side in [-0.01, 0.01] {
                mesh.positions.push([k as f32 / 40.0, side, 0.4 * i as f32 / 16.0]);
            }
        }
    }
    mesh.triangles.push([0, 1, 2]);
    f.parts = vec![Part { name: "wing".into(), joint: 0, mesh, ..Part::default() }];
    f.skins.clear();
    f.clips.clear();
    f.check().unwrap();
    let [s] = &stand_ins(&f)[..] else { panic!("one box") };
    let Fitted::Box { size: [wide, long, thick] } = s.form else { panic!("a wing is flat: {s:?}") };
    assert!(
        (0.3..=0.4).contains(&wide) && (0.8..=1.0).contains(&long) && (thick - 0.02).abs() < 1e-6,
        "{s:?}"
    );
    assert!((s.position - DVec3::new(0.5, 0.0, 0.2)).length() < 1e-3, "{s:?}");
    assert!((s.turn * DVec3::Y).cross(DVec3::X).length() < 1e-6, "along it: {s:?}");
    assert!((s.turn * DVec3::Z).cross(DVec3::Y).length() < 1e-6, "and out of it: {s:?}");
}

#[test]
fn what_the_digest_follows_from() {
    let d = arm().digest();
    assert_eq!(d, arm().digest());
    let other = |change: &dyn Fn(&mut Figure)| {
        let mut f = arm();
        change(&mut f);
        f.digest()
    };
    assert_ne!(d, other(&|f| f.parts[0].mesh.positions[0][0] = 0.5));
    assert_ne!(d, other(&|f| f.parts[0].weights.shares[1] = 0.4));
    assert_ne!(d, other(&|f| f.clips[0].channels[0].values[7] = 0.4));
    assert_ne!(d, other(&|f| f.joints[1].rest.position.x = 0.1));
    assert_ne!(d, other(&|f| f.skins[0].inverse[1].translation.x = 0.1));
    assert_eq!(d, other(&|f| f.clips[0].name = "another".into()));
}
