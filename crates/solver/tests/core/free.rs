//! Loose points: their fall, their rest, and a bag of them on a cloth.
use crate::contact::{at, solid};
use crate::harness::within;
use nematon_geometry::material::{WarpAlong, material_coordinates};
use nematon_geometry::{Mesh, place, sheet};
use nematon_solver::{
    AIR_DENSITY, Body, BuildError, ClothRest, ColliderRest, Contact, Fault, Flier, FliesRest, Floor,
    FrameInputs, FreeRest, Matter, NoWatch, OVERSTRETCH, Pairing, Pose, Rules, Solid, State, With, snags,
    step,
};

/// Balls of one radius and mass.
fn balls(positions: Vec<[f32; 3]>, radius: f32, mass: f32) -> FreeRest {
    let n = positions.len();
    FreeRest {
        positions,
        radii: vec![radius; n],
        masses: vec![mass; n],
        drag: 0.0,
        friction: 0.4,
        ..FreeRest::default()
    }
}

struct Loose {
    bodies: Vec<Body>,
    states: Vec<State>,
    contact: Contact,
    frame: FrameInputs,
}

impl Loose {
    fn new(bodies: Vec<Body>, rules: &Rules, colliders: Vec<ColliderRest>) -> Loose {
        let states = bodies.iter().map(Body::start).collect();
        let contact = Contact::new(&bodies, rules, colliders).unwrap();
        Loose { bodies, states, contact, frame: FrameInputs::default() }
    }

    fn alone(rest: &FreeRest) -> Loose {
        let rules = Rules { own: vec![true], between: vec![] };
        Loose::new(vec![Body::free(rest).unwrap()], &rules, vec![])
    }

    fn run(&mut self, frames: usize) {
        for _ in 0..frames {
            step(&self.bodies, &mut self.states, &mut self.contact, &self.frame, &NoWatch).unwrap();
            self.frame.start += self.frame.duration;
        }
    }

    fn at(&self, k: usize) -> Vec<[f32; 3]> {
        self.states[k].positions(&self.bodies[k])
    }
}

fn apart(a: [f32; 3], b: [f32; 3]) -> f32 {
    (0..3).map(|c| (a[c] - b[c]).powi(2)).sum::<f32>().sqrt()
}

#[test]
fn a_ball_falls_as_fast_as_its_drag_lets_it() {
    // Light, so that it is there soon.
    let (radius, mass) = (0.01, 0.00002);
    let mut t = Loose::alone(&FreeRest { drag: 0.47, ..balls(vec![[0.0; 3]], radius, mass) });
    t.run(24);
    let area = std::f64::consts::PI * f64::from(radius).powi(2);
    let end = (2.0 * f64::from(mass) * 9.81 / (f64::from(AIR_DENSITY) * 0.47 * area)).sqrt();
    within("final speed", -f64::from(t.states[0].velocities(&t.bodies[0])[0][1]), end, 1e-3);
    // On the way, v = v∞ tanh(g t / v∞).
    // However high it begins, and however short its sub-steps: by v∞²/g ln cosh (g t / v∞).
    for (high, substeps) in [(0.0, 10), (50.0, 10), (50.0, 120), (800.0, 200)] {
        let mut t = Loose::alone(&FreeRest { drag: 0.47, ..balls(vec![[0.0, high, 0.0]], radius, mass) });
        t.frame.substeps = substeps;
        t.run(24);
        let fallen = f64::from(high) - t.states[0].places(&t.bodies[0], [0.0; 3])[0][1];
        within("metres in the first second", fallen, end * end / 9.81 * (9.81 / end).cosh().ln(), 0.002);
    }
    let mut t = Loose::alone(&FreeRest { drag: 0.47, ..balls(vec![[0.0; 3]], radius, mass) });
    t.run(3);
    let want = end * (9.81 * 0.125 / end).tanh();
    within("after an eighth of a second", -f64::from(t.states[0].velocities(&t.bodies[0])[0][1]), want, 0.01);
}

#[test]
fn balls_rest_on_the_floor_and_on_each_other_by_their_radii() {
    let r = 0.01;
    // A pyramid: four, and one among them.
    let d = 2.0 * r;
    let base = [[0.0, r, 0.0], [d, r, 0.0], [0.0, r, d], [d, r, d]];
    let mut places = base.to_vec();
    places.push([r, r * (1.0 + 2.0f32.sqrt()), r]);
    let mut t = Loose::alone(&balls(places, r, 0.001));
    t.frame.floor = Some(Floor { height: 0.0, friction: 0.8 });
    t.run(72);
    let p = t.at(0);
    for b in &p[..4] {
        assert!((b[1] - r).abs() < 1e-4, "{b:?} is not on the floor");
    }
    // √2 r above their middles, the square's half diagonal away from each.
    assert!((p[4][1] - r * (1.0 + 2.0f32.sqrt())).abs() < 0.05 * r, "{p:?}");
    let nearest = (0..4).map(|k| apart(p[k], p[4])).fold(f32::INFINITY, f32::min);
    assert!(nearest > 0.99 * d, "{nearest}");
}

#[test]
fn balls_that_meet_in_flight_share_their_momentum() {
    let mut t = Loose::alone(&balls(vec![[0.0, 0.0, 0.0], [0.06, 0.0, 0.0]], 0.01, 0.002));
    t.frame.gravity = [0.0; 3];
    t.states[0].set_velocities(&t.bodies[0], |p| if p[0] < 0.01 { [1.0, 0.0, 0.0] } else { [0.0; 3] });
    t.run(24);
    let v = t.states[0].velocities(&t.bodies[0]);
    within("momentum", f64::from(v[0][0] + v[1][0]), 1.0, 1e-3);
    assert!(v[1][0] > 0.4 && v[0][0] <= v[1][0] + 1e-4, "{v:?}");
    assert!(apart(t.at(0)[0], t.at(0)[1]) > 0.0199);
}

#[test]
fn a_ball_slides_where_friction_lets_it() {
    // A plane turned by 20° about z, so that down is along its own x.
    let angle = 20.0f32.to_radians();
    let turn = [0.0, 0.0, (0.5 * angle).sin(), (0.5 * angle).cos()];
    for (friction, slides) in [(0.30, true), (0.42, false)] {
        let plane = ColliderRest { friction, thickness: 0.0, ..solid(Solid::Plane) };
        let r = 0.01;
        let ball = FreeRest { friction, ..balls(vec![[-r * angle.sin(), r * angle.cos(), 0.0]], r, 0.001) };
        let rules = Rules { own: vec![false], between: vec![] };
        let mut t = Loose::new(vec![Body::free(&ball).unwrap()], &rules, vec![plane]);
        let pose = Pose { position: [0.0; 3], turn };
        t.frame.colliders = vec![nematon_solver::ColliderMotion {
            way: nematon_solver::Way::straight(pose, pose),
            ..Default::default()
        }];
        let before = t.at(0)[0];
        t.run(24);
        let way = f64::from(apart(before, t.at(0)[0]));
        if slides {
            let want = 0.5 * 9.81 * (f64::from(angle.sin()) - 0.3 * f64::from(angle.cos()));
            within("way in a second", way, want, 0.02);
        } else {
            assert!(way < 1e-4, "{way} m");
        }
    }
}

#[test]
fn what_blew_in_an_earlier_frame_blows_no_more() {
    let wind = nematon_air::WindNow {
        velocity: [5.0, 0.0, 0.0],
        gust: 0.0,
        gust_period: 1.0,
        seed: 1,
        ..Default::default()
    };
    let mut t = Loose::alone(&FreeRest { drag: 0.47, ..balls(vec![[0.0; 3]], 0.01, 0.0002) });
    t.frame.gravity = [0.0; 3];
    t.frame.fields = vec![wind.into()];
    t.run(24);
    let blown = t.states[0].velocities(&t.bodies[0])[0][0];
    assert!(blown > 1.0, "{blown}");
    t.frame.fields.clear();
    t.run(24);
    // Still air, v' = -k v²: 1/v grows by k t.
    let v = f64::from(t.states[0].velocities(&t.bodies[0])[0][0]);
    let k = 0.5 * f64::from(AIR_DENSITY) * 0.47 * std::f64::consts::PI * 1e-4 / 0.0002;
    within("left of it", v, 1.0 / (1.0 / f64::from(blown) + k), 0.01);
}

/// A hammock over a chest, held by its ends, with a bag of loose balls above it.
struct Hammock {
    t: Loose,
    mesh: Mesh,
}

const HAMMOCK: usize = 0;
const BAG: usize = 1;
const RADIUS: f32 = 0.008;
/// Half the chest's height: its lid.
const LID: f32 = 0.1;

/// Balls in a cube, a hair apart, each moved a little so that they don't stand in rows.
fn bag(count: usize, middle: [f32; 3]) -> Vec<[f32; 3]> {
    let side = (count as f32).cbrt().ceil() as usize;
    let step = 2.15 * RADIUS;
    let from = -0.5 * step * (side - 1) as f32;
    let stir = |k: usize, c: usize| {
        let h = (k * 3 + c).wrapping_mul(2_654_435_761) >> 7 & 0xffff;
        0.05 * RADIUS * (h as f32 / 32768.0 - 1.0)
    };
    (0..count)
        .map(|k| {
            let of = [k % side, k / (side * side), k / side % side];
            std::array::from_fn(|c| middle[c] + from + step * of[c] as f32 + stir(k, c))
        })
        .collect()
}

impl Hammock {
    fn new(count: usize) -> Hammock {
        let mut mesh = sheet(1.0, 1.4, 41, 57);
        place(&mut mesh.positions, [0.0, 0.45, 0.0], [0.0, 0.0, 0.0]);
        let held = mesh.positions.iter().map(|p| p[2].abs() > 0.699).collect();
        let rest = ClothRest {
            positions: mesh.positions.clone(),
            triangles: mesh.triangles.clone(),
            flat: material_coordinates(&mesh, WarpAlong::V),
            held,
            matter: Matter { thickness: 0.001, areal_weight: 0.3, stretch: [6000.0; 2], ..Matter::default() },
            ..ClothRest::default()
        };
        let bodies = vec![
            Body::cloth(&rest).unwrap(),
            Body::free(&balls(bag(count, [0.0, 0.62, 0.0]), RADIUS, 0.0008)).unwrap(),
        ];
        let chest = ColliderRest { meets: vec![true; 2], ..solid(Solid::Box { half: [0.3, LID, 0.25] }) };
        let rules = Rules { own: vec![true; 2], between: vec![[HAMMOCK, BAG]] };
        let mut t = Loose::new(bodies, &rules, vec![chest]);
        t.frame.colliders = vec![at([0.0, 0.1, 0.0])];
        t.frame.floor = Some(Floor { height: 0.0, friction: 0.5 });
        Hammock { t, mesh }
    }

    /// How many balls went through the hammock on the straight ways between two moments: told by the side of each
    /// triangle that they are over at both.
    fn passed(&self, before: &[Vec<[f32; 3]>; 2], after: &[Vec<[f32; 3]>; 2]) -> usize {
        let over = |cloth: &[[f32; 3]], t: [u32; 3], p: [f32; 3]| -> Option<f64> {
            let of = |a: [f32; 3], b: [f32; 3]| [0, 1, 2].map(|c| f64::from(a[c] - b[c]));
            let cross = |a: [f64; 3], b: [f64; 3]| {
                [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
            };
            let dot = |a: [f64; 3], b: [f64; 3]| a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
            let [a, b, c] = t.map(|k| cloth[k as usize]);
            let n = cross(of(b, a), of(c, a));
            let inside =
                [(a, b), (b, c), (c, a)].into_iter().all(|(u, v)| dot(n, cross(of(v, u), of(p, u))) > 0.0);
            inside.then(|| dot(n, of(p, a)) / dot(n, n).sqrt())
        };
        let mut count = 0;
        for (p, q) in before[BAG].iter().zip(&after[BAG]) {
            for &t in &self.mesh.triangles {
                let near = before[HAMMOCK][t[0] as usize];
                if (0..3).any(|c| (p[c] - near[c]).abs() > 0.06) {
                    continue;
                }
                let sides = [over(&before[HAMMOCK], t, *p), over(&after[HAMMOCK], t, *q)];
                if let [Some(a), Some(b)] = sides {
                    count += usize::from(a * b <= 0.0);
                }
            }
        }
        count
    }
}

#[test]
fn a_bag_of_two_thousand_balls_sags_a_hammock_onto_a_chest_and_none_goes_through() {
    let mut h = Hammock::new(2000);
    // A sub-step a frame, so that ways between frames are straight.
    h.t.frame.duration = 1.0 / 240.0;
    h.t.frame.substeps = 1;
    let now = |h: &Hammock| [h.t.at(HAMMOCK), h.t.at(BAG)];
    let mut before = now(&h);
    for k in 0..480 {
        h.t.run(1);
        let after = now(&h);
        assert_eq!(h.passed(&before, &after), 0, "balls went through in sub-step {k}");
        before = after;
    }
    let [cloth, bag] = &before;
    let lowest = cloth.iter().map(|p| p[1]).fold(f32::INFINITY, f32::min);
    let mut empty = Hammock::new(1);
    empty.t.run(48);
    let unloaded = empty.t.at(HAMMOCK).iter().map(|p| p[1]).fold(f32::INFINITY, f32::min);
    let on = bag.iter().filter(|p| p[1] > 2.0 * LID).count();
    let mut worst = f32::INFINITY;
    for (k, p) in bag.iter().enumerate() {
        worst = bag[..k].iter().map(|q| apart(*p, *q)).fold(worst, f32::min);
    }
    let stretched = h.t.bodies[HAMMOCK].strain(&h.t.states[HAMMOCK]).largest;
    println!(
        "lowest {lowest}, unloaded {unloaded}, on it {on}, nearest two {:.3} diameters, stretched {stretched:.3}",
        worst / (2.0 * RADIUS)
    );
    // It gives under them, and holds them.
    assert!(
        lowest < unloaded - 0.01 && lowest > 2.0 * LID - 1e-3,
        "{lowest} under a bag, {unloaded} without"
    );
    assert!(on >= 1990, "{on} of 2000 are still above the chest's lid");
    assert!(stretched < 0.2, "a thread is longer by {stretched}");
    assert!(worst > 0.97 * 2.0 * RADIUS, "two balls are {worst} apart");
    let faults = snags(&h.t.bodies, &h.t.states, &mut h.t.contact, &h.t.frame, &[], OVERSTRETCH);
    assert!(faults.iter().all(|s| s.fault != Fault::Inside && s.fault != Fault::Crossing), "{faults:?}");
    let met =
        h.t.contact.pairings().iter().position(|p| *p == Pairing { body: HAMMOCK, with: With::Body(BAG) });
    assert!(h.t.contact.touching()[met.unwrap()] > 100);
}

#[test]
fn loose_balls_and_cloth_are_the_same_bits_on_any_threads() {
    let after = |threads: usize| {
        rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap().install(|| {
            let mut h = Hammock::new(2000);
            h.t.run(14);
            let of = |k: usize| h.t.states[k].snapshot(&h.t.bodies[k]);
            [of(HAMMOCK), of(BAG)].concat()
        })
    };
    let one = after(1);
    assert_eq!(one, after(2));
    assert_eq!(one, after(5));
}

#[test]
fn what_no_loose_points_can_have_is_refused() {
    let good = balls(vec![[0.0; 3]; 2], 0.01, 0.001);
    let with = |change: fn(&mut FreeRest)| {
        let mut r = good.clone();
        change(&mut r);
        Body::free(&r).err()
    };
    assert_eq!(with(|_| {}), None);
    assert_eq!(with(|r| *r = FreeRest::default()), Some(BuildError::Empty("point")));
    assert!(matches!(with(|r| r.radii[1] = 0.0), Some(BuildError::Matter { what: "radii", .. })));
    assert!(matches!(with(|r| r.masses[0] = f32::NAN), Some(BuildError::Matter { what: "masses", .. })));
    assert!(matches!(with(|r| r.drag = -1.0), Some(BuildError::Matter { what: "drag", .. })));
    assert!(matches!(with(|r| r.positions[1][2] = f32::NAN), Some(BuildError::NotFinite { point: 1 })));
    assert!(matches!(with(|r| r.radii.truncate(1)), Some(BuildError::Lengths { found: 1, expected: 2, .. })));
}

#[test]
fn a_plate_falls_flat_as_its_drag_says_and_none_is_lost_in_a_gale() {
    let plates = |radius: f32, mass: f32, turn: [f32; 4], count: usize| FreeRest {
        drag: 1.28,
        flies: Some(FliesRest { flier: Flier::Plate, radii: vec![radius; count], turns: vec![turn; count] }),
        ..balls((0..count).map(|k| [k as f32, 0.0, 0.0]).collect(), 0.001, mass)
    };
    // σ 0.15 kg/m²: 1.384 m/s at last.
    let mass = 0.15 * std::f32::consts::PI * 0.04;
    for substeps in [10, 40] {
        let body = Body::free(&plates(0.2, mass, [0.0, 0.0, 0.0, 1.0], 1)).unwrap();
        let mut l = Loose::new(vec![body], &Rules { own: vec![false], between: vec![] }, vec![]);
        l.frame.substeps = substeps;
        l.run(48);
        let v = l.states[0].velocities(&l.bodies[0])[0];
        println!("{substeps} sub-steps: {v:?}");
        assert!((f64::from(-v[1]) / 1.384 - 1.0).abs() < 0.02, "{v:?}");
    }
    // Light ones in a gale go with it, and each as if it were alone.
    let run = |count: usize| {
        let body = Body::free(&plates(0.01, 2e-5, [0.3, 0.1, 0.5, 0.8], count)).unwrap();
        let mut l = Loose::new(vec![body], &Rules { own: vec![false], between: vec![] }, vec![]);
        l.frame.fields = crate::harness::steady([30.0, 0.0, 5.0]);
        l.run(24);
        (l.states[0].positions(&l.bodies[0]), l.states[0].velocities(&l.bodies[0]))
    };
    let ((few, _), (many, speeds)) = (run(3), run(21));
    let off = |a: [f32; 3], b: [f32; 3]| (0..3).map(|c| (a[c] - b[c]).abs()).fold(0.0, f32::max);
    assert!(few.iter().zip(&many).all(|(a, b)| off(*a, *b) < 1e-4), "those beside it count for nothing");
    for v in speeds {
        assert!(v.iter().all(|c| c.is_finite()) && off(v, [30.0, v[1], 5.0]) < 4.0, "{v:?}");
    }
}
