//! Motion as binary glTF, read back by the reader of figures and posed at each frame.
use glam::{DQuat, DVec3, Quat, Vec3};
use nematon_figure::Figure;
use nematon_formats::{Delivery, Frame, Kind, Motion, TurnsOf, With, read_figure};
use nematon_geometry::{Branches, Leaves, Limbs, Mesh, Placed, Species, Stem, sheet, tubes};

const RATE: f64 = 24.0;
const COUNT: usize = 5;

fn motion<'a>(name: &'a str, mesh: &'a Mesh) -> Motion<'a> {
    Motion { name, first: 7, count: COUNT, rate: RATE, ..Motion::plain(mesh) }
}

fn written(bodies: &[Motion], frames: &[Vec<Vec<[f32; 3]>>], turns: &[Vec<Vec<[f32; 4]>>]) -> Vec<u8> {
    let mut give =
        |k: usize| -> Box<dyn Iterator<Item = Frame>> { Box::new(frames[k].clone().into_iter().map(Ok)) };
    let mut turned =
        |k: usize| -> Box<dyn Iterator<Item = TurnsOf>> { Box::new(turns[k].clone().into_iter().map(Ok)) };
    let mut out = vec![];
    let all = &mut Delivery {
        name: "All",
        bodies,
        with: With::default(),
        frames: &mut give,
        turns: if turns.is_empty() { None } else { Some(&mut turned) },
        note: None,
    };
    Kind::Glb.write(&mut out, all).unwrap();
    out
}

/// All points of a figure at a frame.
fn at(figure: &Figure, frame: usize) -> Vec<Vec3> {
    let mut out = vec![];
    // Times of a file are in single precision: what is there from a frame on is so a little after it.
    figure.place(&figure.pose(Some(0), frame as f64 / RATE + 1e-7), &mut out);
    out.into_iter().map(Vec3::from).collect()
}

/// How far the points of one are from the nearest of the other, at most.
fn off(found: &[Vec3], wanted: &[[f32; 3]]) -> f32 {
    let one = |p: &[f32; 3]| found.iter().map(|q| q.distance(Vec3::from(*p))).fold(f32::INFINITY, f32::min);
    wanted.iter().map(one).fold(0.0, f32::max)
}

fn bush() -> Species {
    Species {
        stem: Stem { height: 0.8, diameter: 0.02, taper: 0.4, bow: 0.2, segments: 5 },
        branches: vec![Branches {
            count: 3,
            from: 0.4,
            to: 0.9,
            angle: 0.9,
            round: 2.4,
            length: 0.4,
            shorter: 0.2,
            thickness: 0.5,
            upward: 0.3,
            segments: 3,
        }],
        leaves: Some(Leaves {
            count: 2,
            on: 1,
            from: 0.5,
            to: 1.0,
            angle: 0.9,
            round: 2.4,
            length: 0.08,
            width: 0.04,
            stalk: 0.01,
            weight: 0.2,
            swing: 4.0,
            drag: 1.28,
        }),
        heads: None,
        uneven: 0.2,
        density: 700.0,
        modulus: 2e9,
        inner: 0.01,
    }
}

#[test]
fn plants_are_skins_whose_joints_move_as_they_did() {
    let species = bush();
    let mut limbs = Limbs::default();
    let mut mesh = Mesh::default();
    for k in 0..2 {
        let grown = species.grow(k, 3, 1.0);
        let turn = DQuat::from_rotation_y(0.4 + k as f64);
        let place = DVec3::new(2.0 * k as f64, 0.1, -0.3);
        limbs.skins.push(tubes(&grown));
        limbs.plants.push(Placed { skin: k as u32, size: 1.0, turn, at: place });
        limbs.counts.push(grown.points.len() as u32);
        limbs.rest.extend(grown.points.iter().map(|p| (place + turn * *p).as_vec3().to_array()));
        limbs.up.extend(&grown.up);
        mesh.strands.push(grown.points.len() as u32);
        mesh.radii.extend(grown.thick.iter().map(|t| *t as f32));
    }
    mesh.positions.clone_from(&limbs.rest);
    mesh.up.clone_from(&limbs.up);
    // Bent over more and more, by height; the last leaf of the first plant lets go in the middle.
    let leaf = limbs.counts[0] as usize - 1;
    let frames: Vec<Vec<[f32; 3]>> = (0..COUNT)
        .map(|f| {
            let bend = |p: &[f32; 3]| {
                let a = 0.15 * f as f32 * p[1];
                (Quat::from_rotation_z(-a) * Vec3::from(*p)).to_array()
            };
            let mut all: Vec<[f32; 3]> = limbs.rest.iter().map(bend).collect();
            if f > 2 {
                all[leaf] = [f32::NAN; 3];
            }
            all
        })
        .collect();
    let own = Motion { comes: true, limbs: Some(&limbs), ..motion("Bush", &mesh) };
    let figure = read_figure("bush.glb", &written(&[own], std::slice::from_ref(&frames), &[])).unwrap();
    assert_eq!((figure.clips.len(), figure.skins.len()), (1, 2));
    assert_eq!(figure.clips[0].name, "motion");
    for (f, now) in frames.iter().enumerate() {
        let far = off(&at(&figure, f), &limbs.frame(now));
        assert!(far < 1e-4, "frame {f} is {far} off");
    }
}

#[test]
fn a_cloth_is_shapes_that_follow_each_other() {
    let mesh = sheet(1.0, 0.6, 4, 3);
    let frames: Vec<Vec<[f32; 3]>> = (0..COUNT)
        .map(|f| {
            mesh.positions
                .iter()
                .map(|p| [p[0], 0.1 * f as f32 * p[0] * p[0], p[2] + 0.02 * f as f32])
                .collect()
        })
        .collect();
    let own = Motion { origin: [1000.0, 0.0, 0.0], ..motion("Sheet", &mesh) };
    let figure = read_figure("sheet.glb", &written(&[own], std::slice::from_ref(&frames), &[])).unwrap();
    for (f, now) in frames.iter().enumerate() {
        let moved: Vec<[f32; 3]> = now.iter().map(|p| [p[0] + 1000.0, p[1], p[2]]).collect();
        let far = off(&at(&figure, f), &moved);
        assert!(far < 1e-4, "frame {f} is {far} off");
    }
    // One frame alone is no clip.
    let still = Motion { count: 1, ..motion("Sheet", &mesh) };
    let figure = read_figure("sheet.glb", &written(&[still], &[frames[..1].to_vec()], &[])).unwrap();
    assert!(figure.clips.is_empty());
    assert_eq!(off(&at(&figure, 0), &frames[0]), 0.0);
}

#[test]
fn pieces_are_nodes_that_move_turn_come_and_go() {
    let mesh = Mesh {
        positions: vec![[0.0; 3]; 2],
        radii: vec![0.02; 2],
        ends: vec![[0.08, 0.04], [0.06, 0.03]],
        ..Mesh::default()
    };
    let gone = [f32::NAN; 3];
    let place = |k: usize, f: usize| [k as f32, 1.0 - 0.1 * f as f32, 0.0];
    let frames: Vec<Vec<[f32; 3]>> =
        (0..COUNT).map(|f| vec![place(0, f), if (1..4).contains(&f) { place(1, f) } else { gone }]).collect();
    let turn = |f: usize| Quat::from_rotation_x(1.5 * f as f32);
    // The other sign is the same turn.
    let sign = |f: usize| if f.is_multiple_of(2) { 1.0 } else { -1.0 };
    let turns: Vec<Vec<[f32; 4]>> =
        (0..COUNT).map(|f| vec![turn(f).to_array().map(|c| sign(f) * c); 2]).collect();
    let own = Motion { comes: true, turned: true, ..motion("Leaves", &mesh) };
    let figure = read_figure("leaves.glb", &written(&[own], &[frames], &[turns])).unwrap();
    let each = figure.points() / 2;
    for f in 0..COUNT {
        let all = at(&figure, f);
        for k in 0..2 {
            let own = &all[k * each..(k + 1) * each];
            let long = own.iter().flat_map(|p| own.iter().map(|q| p.distance(*q))).fold(0.0, f32::max);
            if k == 1 && !(1..4).contains(&f) {
                assert!(long < 1e-6, "piece {k} at frame {f} is {long} long");
                continue;
            }
            let [x, y] = mesh.ends[k];
            assert!((long - x).abs() < 1e-5, "piece {k} at frame {f} is {long} long");
            let tip = Vec3::from(place(k, f)) + turn(f) * Vec3::new(0.5 * x, 0.0, 0.0);
            let side = Vec3::from(place(k, f)) + turn(f) * Vec3::new(-0.05 * x, 0.12 * y, 0.5 * y);
            for wanted in [tip, side] {
                let far = off(own, &[wanted.to_array()]);
                assert!(far < 1e-5, "piece {k} at frame {f} is {far} off");
            }
        }
    }
}

#[test]
fn pieces_that_are_seen_as_a_mesh_are_that_mesh_as_large_as_they_are() {
    // A rod along its z, as long as 1, with a flat end.
    let rod = Mesh {
        positions: vec![[-0.1, 0.0, -0.5], [0.1, 0.0, -0.5], [0.0, 0.0, 0.5]],
        triangles: vec![[0, 1, 2]],
        ..Mesh::default()
    };
    let mut mesh = Mesh {
        positions: vec![[0.0; 3]; 2],
        radii: vec![0.02, 0.01],
        piece: Some(std::sync::Arc::new(rod)),
        ..Mesh::default()
    };
    let frames = || vec![vec![[1.0, 2.0, 3.0], [0.0, 1.0, 0.0]]; COUNT];
    let turn = Quat::from_rotation_y(0.5);
    for (ends, turned) in [(vec![], false), (vec![[0.08, 0.04]; 2], true)] {
        mesh.ends = ends;
        let turns = if turned { vec![vec![vec![turn.to_array(); 2]; COUNT]] } else { vec![vec![]] };
        let own = Motion { turned, ..motion("Rods", &mesh) };
        let figure = read_figure("rods.glb", &written(&[own], &[frames()], &turns)).unwrap();
        let all = at(&figure, 1);
        assert_eq!(all.len(), 6);
        for (k, long) in [(0, if turned { 0.08 } else { 0.04 }), (1, if turned { 0.08 } else { 0.02 })] {
            let tip = Vec3::new(0.0, 0.0, 0.5 * long);
            let wanted = Vec3::from(frames()[0][k]) + if turned { turn * tip } else { tip };
            let far = off(&all[3 * k..3 * k + 3], &[wanted.to_array()]);
            assert!(far < 1e-5, "the tip of piece {k} is {far} off");
        }
        let mut give =
            |_: usize| -> Box<dyn Iterator<Item = Frame>> { Box::new(frames().into_iter().map(Ok)) };
        let mut turn_of = |_: usize| -> Box<dyn Iterator<Item = nematon_formats::TurnsOf>> {
            Box::new(vec![vec![turn.to_array(); 2]; COUNT].into_iter().map(Ok))
        };
        let bodies = [Motion { turned, ..motion("Rods", &mesh) }];
        let turns: Option<&mut nematon_formats::Turns> = Some(&mut turn_of);
        let all = &mut Delivery {
            name: "x",
            bodies: &bodies,
            with: With::default(),
            frames: &mut give,
            turns,
            note: None,
        };
        let mut text = vec![];
        Kind::Usda.write(&mut text, all).unwrap();
        let text = String::from_utf8(text).unwrap();
        assert!(text.contains("rel prototypes = [</Rods/Piece>]"), "{text}");
        assert!(text.contains("[(-0.1, 0, -0.5), (0.1, 0, -0.5), (0, 0, 0.5)]"), "{text}");
        assert!(
            text.contains(if turned { "[(0.08, 0.08, 0.08), " } else { "[(0.04, 0.04, 0.04), " }),
            "{text}"
        );
        assert_eq!(text.contains("orientations"), turned);
    }
}

#[test]
fn other_frames_than_were_said_are_a_fault() {
    let mesh = sheet(1.0, 1.0, 3, 3);
    let mut give =
        |_: usize| -> Box<dyn Iterator<Item = Frame>> { Box::new((0..3).map(|_| Ok(vec![[0.0; 3]; 9]))) };
    let bodies = [motion("Sheet", &mesh)];
    let all = &mut Delivery {
        name: "",
        bodies: &bodies,
        with: With::default(),
        frames: &mut give,
        turns: None,
        note: None,
    };
    let fault = Kind::Glb.write(&mut vec![], all).unwrap_err();
    assert_eq!(fault.to_string(), "there are other frames than was said");
}
