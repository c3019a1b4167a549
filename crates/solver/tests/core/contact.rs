//! Contact has no closed form: it is counted. Nothing crosses at the end of any frame, and no point is deep
//! in a collider.
use crate::brute::crossings;
use crate::harness::{SheetOf, Trial, plain};
use nematon_geometry::material::{WarpAlong, material_coordinates};
use nematon_geometry::{Mesh, place, sheet};
use nematon_solver::{
    Body, ClothRest, ColliderMotion, ColliderRest, Contact, Fault, Floor, FrameInputs, GripMotion, Holder,
    Matter, NoWatch, OVERSTRETCH, Places, Pose, Rules, Skin, Solid, State, Way, snags, step,
};
use std::slice::from_ref;
use std::sync::Arc;

/// A soft cotton, damped a little.
fn cotton() -> Matter {
    Matter { thickness: 0.002, damping: 0.5, ..Matter::default() }
}

pub fn solid(solid: Solid) -> ColliderRest {
    ColliderRest { solid: Some(solid), skin: None, thickness: 0.001, friction: 0.4, meets: vec![true] }
}

pub fn at(position: [f32; 3]) -> ColliderMotion {
    let pose = Pose { position, ..Pose::default() };
    ColliderMotion { way: Way::straight(pose, pose), ..Default::default() }
}

impl Trial {
    fn touching(&mut self, own: bool, colliders: Vec<ColliderRest>) {
        let rules = Rules { own: vec![own], between: vec![] };
        self.contact = Contact::new(from_ref(&self.cloth), &rules, colliders).unwrap();
    }

    /// Runs and counts after every frame.
    fn run_clean(&mut self, frames: usize) {
        for k in 0..frames {
            self.run(1);
            let p = self.positions();
            let n = crossings((&p, &self.mesh.triangles), None);
            assert_eq!(n, 0, "crossings at frame {k}");
        }
    }
}

#[test]
fn a_cloth_dropped_on_a_ball_and_the_floor_folds_without_crossing() {
    let mut m = sheet(1.0, 1.0, 40, 40);
    place(&mut m.positions, [0.03, 0.75, 0.02], [0.0, 0.3, 0.0]);
    let mut t = Trial::new(m, cotton(), |_, _| false);
    t.touching(true, vec![solid(Solid::Ball { radius: 0.25 })]);
    t.frame.colliders = vec![at([0.0, 0.3, 0.0])];
    t.frame.floor = Some(Floor { height: 0.0, friction: 0.4 });
    t.run_clean(60);
    for p in t.positions() {
        let r = (p[0].powi(2) + (p[1] - 0.3).powi(2) + p[2].powi(2)).sqrt();
        assert!(r > 0.2499 && p[1] > -1e-4, "{p:?} is inside");
    }
}

#[test]
fn folds_come_to_rest() {
    for turn in [0.1, 0.3] {
        let mut m = sheet(1.0, 1.0, 64, 64);
        place(&mut m.positions, [0.03, 0.75, 0.02], [0.0, turn, 0.0]);
        let mut t = Trial::new(m, Matter { thickness: 0.002, ..Matter::default() }, |_, _| false);
        t.touching(true, vec![solid(Solid::Ball { radius: 0.25 })]);
        t.frame.colliders = vec![at([0.0, 0.3, 0.0])];
        t.frame.floor = Some(Floor { height: 0.0, friction: 0.4 });
        t.run(150);
        // What the air and the matter's damping leave of their swing, over a while.
        let (mut sum, mut most) = (0.0, 0.0f64);
        for _ in 0..16 {
            let before = t.positions();
            t.run(1);
            for (p, q) in before.iter().zip(t.positions()) {
                let way2 = (0..3).map(|c| f64::from(p[c] - q[c]).powi(2)).sum::<f64>();
                sum += way2 / (16.0 * before.len() as f64);
                most = most.max(way2.sqrt());
            }
        }
        let mean = sum.sqrt();
        assert!(mean < 5e-4, "turned by {turn}, points go {} mm a frame in the mean", 1e3 * mean);
        assert!(most < 8e-3, "turned by {turn}, a point goes {} mm in a frame", 1e3 * most);
    }
}

#[test]
fn a_fast_ball_does_not_pass_a_curtain() {
    let s = SheetOf { size: [0.6, 0.6], points: [30, 30], upright: true };
    for substeps in [4, 20] {
        let mut t = s.of(cotton(), |k, m| m.borders[0].points.contains(&(k as u32)));
        t.touching(true, vec![solid(Solid::Ball { radius: 0.05 })]);
        t.frame.substeps = substeps;
        // 10 m/s along z.
        for k in 0..4 {
            let z = |k: i32| -0.75 + k as f32 * 10.0 / 24.0;
            t.frame.colliders = vec![ColliderMotion {
                way: Way::straight(at([0.0, 0.0, z(k)]).way.from(), at([0.0, 0.0, z(k + 1)]).way.from()),
                ..Default::default()
            }];
            t.run_clean(1);
        }
        let middle = t.positions()[30 * 15 + 15][2];
        let ball = -0.75 + 4.0 * 10.0 / 24.0;
        let far = t
            .positions()
            .iter()
            .map(|p| (p[0].powi(2) + p[1].powi(2) + (p[2] - ball).powi(2)).sqrt())
            .fold(f32::INFINITY, f32::min);
        println!("{substeps}: middle {middle}, ball {ball}, nearest {far}");
        assert!(far > 0.05, "the ball went through");
    }
}

/// Several cloths of one matter, with the rules of who meets whom.
struct Many {
    cloths: Vec<Body>,
    states: Vec<State>,
    meshes: Vec<Mesh>,
    contact: Contact,
    frame: FrameInputs,
}

impl Many {
    fn new(
        meshes: Vec<(Mesh, Vec<bool>)>,
        matter: Matter,
        rules: &Rules,
        colliders: Vec<ColliderRest>,
    ) -> Many {
        let build = |(m, held): &(Mesh, Vec<bool>)| {
            Body::cloth(&ClothRest {
                positions: m.positions.clone(),
                triangles: m.triangles.clone(),
                flat: material_coordinates(m, WarpAlong::V),
                held: held.clone(),
                matter,
                ..ClothRest::default()
            })
            .unwrap()
        };
        let cloths: Vec<Body> = meshes.iter().map(build).collect();
        let states = cloths.iter().map(Body::start).collect();
        let contact = Contact::new(&cloths, rules, colliders).unwrap();
        let meshes = meshes.into_iter().map(|m| m.0).collect();
        Many { cloths, states, meshes, contact, frame: FrameInputs::default() }
    }

    fn step(&mut self) {
        step(&self.cloths, &mut self.states, &mut self.contact, &self.frame, &NoWatch).unwrap();
        self.frame.start += self.frame.duration;
    }

    /// Crossings by brute force: each with itself and with every other.
    fn crossings(&self) -> usize {
        let p: Vec<Vec<[f32; 3]>> =
            self.states.iter().zip(&self.cloths).map(|(s, c)| s.positions(c)).collect();
        let mesh = |k: usize| (p[k].as_slice(), self.meshes[k].triangles.as_slice());
        let own: usize = (0..p.len()).map(|k| crossings(mesh(k), None)).sum();
        let pairs = (0..p.len()).flat_map(|a| (0..a).map(move |b| (a, b)));
        own + pairs.map(|(a, b)| crossings(mesh(a), Some(mesh(b)))).sum::<usize>()
    }
}

/// Everyone meets everyone, and himself.
fn all(n: usize) -> Rules {
    let between = (0..n).flat_map(|b| (0..b).map(move |a| [a, b])).collect();
    Rules { own: vec![true; n], between }
}

#[test]
fn sixteen_layers_squeezed_by_a_plate_stay_apart() {
    let layers = 16;
    let matter = Matter { thickness: 0.002, damping: 1.0, ..Matter::default() };
    let meshes = (0..layers)
        .map(|k| {
            let mut m = sheet(0.3, 0.3, 10, 10);
            place(
                &mut m.positions,
                [0.0, 0.002 + 0.004 * f64::from(k), 0.0],
                [0.0, 0.21 * f64::from(k), 0.0],
            );
            (m, vec![false; 100])
        })
        .collect();
    let plate =
        ColliderRest { meets: vec![true; layers as usize], ..solid(Solid::Box { half: [0.3, 0.02, 0.3] }) };
    let mut t = Many::new(meshes, matter, &all(layers as usize), vec![plate]);
    t.frame.floor = Some(Floor { height: 0.0, friction: 0.5 });
    // From above the stack down to seven tenths of its thickness.
    let low = |k: i32| 0.02 + (0.09 - 0.004 * k as f32).max(0.7 * 0.002 * layers as f32);
    for k in 0..30 {
        t.frame.colliders = vec![ColliderMotion {
            way: Way::straight(at([0.0, low(k), 0.0]).way.from(), at([0.0, low(k + 1), 0.0]).way.from()),
            ..Default::default()
        }];
        t.step();
        if k % 3 == 2 {
            assert_eq!(t.crossings(), 0, "crossings at frame {k}");
            let top = low(k + 1) - 0.02;
            for (s, c) in t.states.iter().zip(&t.cloths) {
                for p in s.positions(c) {
                    assert!(
                        p[1] > -2e-4 && (p[1] < top + 2e-4 || p[0].abs() > 0.3 || p[2].abs() > 0.3),
                        "frame {k}: {p:?}, plate at {top}"
                    );
                }
            }
        }
    }
}

#[test]
fn a_towel_twisted_twice_by_two_grips_never_goes_through_itself() {
    let mut m = sheet(0.3, 0.6, 24, 48);
    place(&mut m.positions, [0.0, 0.5, 0.0], [0.0; 3]);
    let ends = [0, 2].map(|b| m.borders[b].points.clone());
    let mut held = vec![false; m.positions.len()];
    ends.iter().flatten().for_each(|&p| held[p as usize] = true);
    let matter = Matter { thickness: 0.003, damping: 2.0, ..Matter::default() };
    let mut t = Many::new(vec![(m, held)], matter, &all(1), vec![]);
    let turned = |z: f32, angle: f32| Pose {
        position: [0.0, 0.5, z],
        turn: [0.0, 0.0, (angle / 2.0).sin(), (angle / 2.0).cos()],
    };
    let frames = 96;
    for k in 0..frames {
        // One turn each way, and the ends come together by a third.
        let pose = |k: i32, side: f32| {
            let s = k as f32 / frames as f32;
            turned(side * (0.3 - 0.1 * s), side * s * std::f32::consts::TAU)
        };
        t.frame.grips = [(0, -1.0), (1, 1.0)]
            .map(|(e, side): (usize, f32)| GripMotion {
                body: 0,
                points: Arc::new(ends[e].clone()),
                by: Holder::Thing {
                    first: pose(0, side),
                    way: Way::straight(pose(k, side), pose(k + 1, side)),
                },
                pull: None,
            })
            .into();
        t.step();
        if k % 4 == 3 {
            assert_eq!(t.crossings(), 0, "crossings at frame {k}");
        }
    }
}

/// A closed skin: a ball of two-way strips, `n` by `2 n`, with a wave in it.
pub fn lump(n: u32, radius: f32, wave: f32) -> (Vec<[f32; 3]>, Vec<[u32; 3]>) {
    let (rows, columns) = (n, 2 * n);
    let mut p = vec![[0.0, radius, 0.0]];
    for i in 1..rows {
        for j in 0..columns {
            let (a, b) = (
                std::f32::consts::PI * i as f32 / rows as f32,
                std::f32::consts::TAU * j as f32 / columns as f32,
            );
            let r = radius * (1.0 + wave * (3.0 * b).sin() * a.sin());
            p.push([r * a.sin() * b.cos(), r * a.cos(), r * a.sin() * b.sin()]);
        }
    }
    p.push([0.0, -radius, 0.0]);
    let at = |i: u32, j: u32| 1 + (i - 1) * columns + j % columns;
    let last = p.len() as u32 - 1;
    let mut t = vec![];
    for j in 0..columns {
        t.extend([[0, at(1, j + 1), at(1, j)], [last, at(rows - 1, j), at(rows - 1, j + 1)]]);
        for i in 1..rows - 1 {
            t.extend([
                [at(i, j), at(i, j + 1), at(i + 1, j)],
                [at(i, j + 1), at(i + 1, j + 1), at(i + 1, j)],
            ]);
        }
    }
    (p, t)
}

#[test]
fn a_cloth_falls_on_a_mesh_that_changes_its_shape_and_stays_outside() {
    let mut m = sheet(0.7, 0.7, 30, 30);
    place(&mut m.positions, [0.0, 0.3, 0.0], [0.0, 0.4, 0.0]);
    let (positions, triangles) = lump(16, 0.2, 0.0);
    let body = ColliderRest {
        solid: None,
        skin: Some(Skin { positions, triangles: triangles.clone() }),
        thickness: 0.001,
        friction: 0.5,
        meets: vec![true],
    };
    let free = vec![false; 900];
    let mut t = Many::new(vec![(m, free)], cotton(), &all(1), vec![body]);
    for k in 0..48 {
        let shape = |k: i32| Arc::new(lump(16, 0.2, 0.12 * (k as f32 / 6.0).sin()).0);
        t.frame.colliders = vec![ColliderMotion {
            shapes: Places(vec![shape(k), shape(k + 1)]),
            ..ColliderMotion::default()
        }];
        let before: Vec<_> = t.states.iter().zip(&t.cloths).map(|(s, c)| s.positions(c)).collect();
        t.step();
        let skin = shape(k + 1);
        let cloth = t.states[0].positions(&t.cloths[0]);
        let through = crossings((&cloth, &t.meshes[0].triangles), Some((&skin, &triangles)));
        assert_eq!((t.crossings(), through), (0, 0), "crossings at frame {k}");
        let frame = t.frame.clone();
        let found = snags(&t.cloths, &t.states, &mut t.contact, &frame, &before, OVERSTRETCH);
        assert!(
            found.iter().all(|s| !matches!(s.fault, Fault::Crossing | Fault::Inside)),
            "frame {k}: {found:?}"
        );
    }
    let lowest = t.states[0].positions(&t.cloths[0]).iter().map(|p| p[1]).fold(f32::INFINITY, f32::min);
    assert!(lowest > -0.5, "it fell past the body: {lowest}");
}

#[test]
fn a_start_that_is_crossed_is_told_stays_calm_and_comes_apart() {
    let mut flat = sheet(0.4, 0.4, 20, 20);
    place(&mut flat.positions, [0.0, 0.0, 0.0], [0.0; 3]);
    let mut blade = sheet(0.2, 0.2, 12, 12);
    // It stands in the flat one by a fifth of its height.
    place(&mut blade.positions, [0.013, 0.06, 0.007], [std::f64::consts::FRAC_PI_2, 0.3, 0.0]);
    let held: Vec<bool> = (0..400).map(|k| k % 20 == 0 || k % 20 == 19).collect();
    let mut t = Many::new(vec![(flat, held), (blade, vec![false; 144])], cotton(), &all(2), vec![]);
    t.frame.gravity = [0.0; 3];
    let frame = t.frame.clone();
    let told = |t: &mut Many| {
        let found = snags(&t.cloths, &t.states, &mut t.contact, &frame, &[], OVERSTRETCH);
        found.iter().filter(|s| s.fault == Fault::Crossing).map(|s| s.count).sum::<usize>()
    };
    assert!(told(&mut t) > 3, "the crossed start is not told");
    assert_eq!(told(&mut t), t.crossings());
    for k in 0..72 {
        t.step();
        let fast = t
            .states
            .iter()
            .zip(&t.cloths)
            .flat_map(|(s, c)| s.velocities(c))
            .flatten()
            .fold(0.0f32, |m, v| m.max(v.abs()));
        assert!(fast < 5.0, "it explodes at frame {k}: {fast} m/s");
    }
    assert_eq!(t.crossings(), 0, "it is still crossed");
    assert_eq!(told(&mut t), 0);
}

#[test]
fn a_belt_over_a_pole_holds_by_friction_as_the_capstan_law_says() {
    // A strip over half a turn of a thick pole, both ends hanging: it slides when one side weighs more than
    // the other by exp(µ π).
    let slides = |longer: f64, friction: f32| {
        let radius = 0.1;
        let (short, arc) = (0.15, std::f64::consts::PI * radius);
        let long = short * longer;
        let n = ((short + arc + long) / 0.01).round() as u32 + 1;
        let mut m = sheet(0.05, short + arc + long, 4, n);
        let top = radius + 0.0025;
        for p in &mut m.positions {
            let s = f64::from(p[2]) + (short + arc + long) / 2.0;
            let (x, y) = match s {
                s if s < short => (-top, s - short),
                s if s < short + arc => {
                    let a = (s - short) / radius;
                    (-top * a.cos(), top * a.sin())
                }
                s => (top, short + arc - s),
            };
            *p = [x as f32, y as f32, p[0]];
        }
        let rest = sheet(0.05, short + arc + long, 4, n);
        let cloth = Body::cloth(&ClothRest {
            positions: m.positions.clone(),
            triangles: m.triangles.clone(),
            flat: material_coordinates(&rest, WarpAlong::V),
            held: vec![false; m.positions.len()],
            matter: Matter {
                areal_weight: 0.5,
                stretch: [20_000.0; 2],
                shear: 500.0,
                bend: [1e-6; 2],
                thickness: 0.001,
                friction: 0.0,
                damping: 1.0,
                ..plain()
            },
            ..ClothRest::default()
        })
        .unwrap();
        let state = cloth.start();
        let mut t = Trial { cloth, state, contact: Contact::none(1), frame: FrameInputs::default(), mesh: m };
        let pole = ColliderRest {
            thickness: 0.002,
            friction,
            ..solid(Solid::Capsule { radius: radius as f32, half: 0.5 })
        };
        t.touching(false, vec![pole]);
        let lying = Pose {
            position: [0.0; 3],
            turn: [(std::f32::consts::FRAC_PI_4).sin(), 0.0, 0.0, (std::f32::consts::FRAC_PI_4).cos()],
        };
        t.frame.colliders = vec![ColliderMotion { way: Way::straight(lying, lying), ..Default::default() }];
        t.frame.substeps = 20;
        t.run(12);
        let from = t.mean(1);
        t.run(24);
        (from - t.mean(1)) > 0.004
    };
    let limit = (0.3f64 * std::f64::consts::PI).exp();
    // Threads and friction take turns, so tension falls off along the pole a little more evenly than it should.
    assert!(!slides(0.88 * limit, 0.3), "it slides under the limit of {limit}");
    assert!(slides(1.3 * limit, 0.3), "it holds beyond the limit of {limit}");
}

#[test]
fn snags_of_the_first_frame_are_told_of_colliders_where_they_are() {
    let (positions, triangles) = lump(10, 0.2, 0.0);
    let body = ColliderRest { solid: None, skin: Some(Skin { positions, triangles }), ..solid(Solid::Plane) };
    let m = sheet(0.6, 0.6, 12, 12);
    let mut t = Many::new(vec![(m, vec![false; 144])], cotton(), &all(1), vec![body]);
    let mut crossed = |y: f32| {
        t.frame.colliders = vec![at([0.0, y, 0.0])];
        let frame = t.frame.clone();
        snags(&t.cloths, &t.states, &mut t.contact, &frame, &[], OVERSTRETCH)
            .iter()
            .any(|s| s.fault == Fault::Crossing)
    };
    assert!(!crossed(5.0), "it is 5 m away");
    assert!(crossed(0.05), "it stands in the sheet");
}
