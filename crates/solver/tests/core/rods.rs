//! Strands against the elastica, beams, chains, a twisted ring, and what must not matter to them.
use crate::harness::{fit, mode, steady, within};

use nematon_solver::{
    AIR_DENSITY, Body, BuildError, ClumpRest, ColliderMotion, ColliderRest, Contact, Fault, FrameInputs,
    GripMotion, Holder, NoWatch, OVERSTRETCH, Pose, Rules, Solid, State, StrandRest, Way, snags, step,
};
use std::f64::consts::{PI, TAU};
use std::slice::{from_mut, from_ref};
use std::sync::Arc;

const LENGTH: f64 = 0.3;
/// kg/m.
const LINE: f64 = 0.02;
const G: f64 = 9.81;

/// Strands along polylines, their roots held and set, of a matter that nothing damps.
fn strands(lines: &[Vec<[f64; 3]>], bend: f64, twist: f64) -> StrandRest {
    let positions: Vec<[f32; 3]> = lines.iter().flatten().map(|p| p.map(|c| c as f32)).collect();
    let n = positions.len();
    let root = |line: &Vec<[f64; 3]>| (0..line.len()).map(|k| k == 0).collect::<Vec<_>>();
    StrandRest {
        counts: lines.iter().map(|l| l.len() as u32).collect(),
        held: lines.iter().flat_map(root).collect(),
        set: true,
        line_density: vec![LINE as f32; n],
        stretch: vec![2000.0; n],
        bend: vec![bend as f32; n],
        twist: vec![twist as f32; n],
        width: vec![0.002; n],
        radius: vec![0.001; n],
        positions,
        ..StrandRest::default()
    }
}

/// `n` segments along x that rise by an angle, of a curvature at rest times the length.
fn line(n: usize, rise: f64, curl: f64) -> Vec<[f64; 3]> {
    let at = |s: f64| match curl {
        0.0 => [s * LENGTH, 0.0],
        k => [LENGTH / k * (k * s).sin(), LENGTH / k * (1.0 - (k * s).cos())],
    };
    let each = (0..=n).map(|k| at(k as f64 / n as f64));
    each.map(|[x, y]| [x * rise.cos() - y * rise.sin(), x * rise.sin() + y * rise.cos(), 0.0]).collect()
}

struct Rod {
    body: Body,
    state: State,
    contact: Contact,
    frame: FrameInputs,
}

impl Rod {
    fn new(rest: &StrandRest) -> Rod {
        let body = Body::strands(rest).unwrap();
        let state = body.start();
        let frame = FrameInputs { substeps: 20, ..FrameInputs::default() };
        Rod { body, state, contact: Contact::none(1), frame }
    }

    fn run(&mut self, frames: usize) {
        for _ in 0..frames {
            let (body, state) = (from_ref(&self.body), from_mut(&mut self.state));
            step(body, state, &mut self.contact, &self.frame, &NoWatch).unwrap();
            self.frame.start += self.frame.duration;
        }
    }

    /// Its weight comes on over two seconds, and it comes to rest.
    fn settle(&mut self, seconds: f64) {
        let full = self.frame.gravity;
        for k in 0..48 {
            self.frame.gravity = full.map(|g| g * (k + 1) as f32 / 48.0);
            self.run(1);
        }
        self.run((24.0 * seconds) as usize);
    }

    fn at(&self) -> Vec<[f64; 3]> {
        self.state.places(&self.body, [0.0; 3])
    }

    fn tip(&self) -> [f64; 3] {
        *self.at().last().unwrap()
    }
}

/// Γ, the rise, the curl, and the tip over the length, by the elastica.
const TIPS: [(f64, f64, f64, [f64; 2]); 10] = [
    (0.5, 0.0, 0.0, [0.99778, -0.06231]),
    (1.0, 0.0, 0.0, [0.99125, -0.12347]),
    (2.0, 0.0, 0.0, [0.96689, -0.23851]),
    (10.0, 0.0, 0.0, [0.65635, -0.70020]),
    (50.0, 0.0, 0.0, [0.24501, -0.90792]),
    (1.0, PI / 6.0, 0.0, [0.91673, 0.39712]),
    (10.0, PI / 6.0, 0.0, [0.81177, -0.45944]),
    (50.0, PI / 6.0, 0.0, [0.30548, -0.84148]),
    (1.0, 0.0, 1.0, [0.89832, 0.36309]),
    (10.0, 0.0, 1.0, [0.85085, -0.49889]),
];

fn clamped(n: usize, gamma: f64, rise: f64, curl: f64, substeps: u32) -> [f64; 2] {
    let bend = LINE * G * LENGTH.powi(3) / gamma;
    let mut r = Rod::new(&StrandRest { damping: 4.0, ..strands(&[line(n, rise, curl)], bend, bend) });
    r.frame.substeps = substeps;
    r.settle(4.0);
    let t = r.tip();
    [t[0] / LENGTH, t[1] / LENGTH]
}

fn off(a: [f64; 2], b: [f64; 2]) -> f64 {
    (a[0] - b[0]).hypot(a[1] - b[1])
}

#[test]
fn a_strand_clamped_level_risen_or_curled_hangs_as_the_elastica() {
    for (gamma, rise, curl, want) in TIPS {
        for (n, substeps) in [(16, 20), (32, 40)] {
            let tip = clamped(n, gamma, rise, curl, substeps);
            println!(
                "Γ {gamma}, rise {rise:.2}, curl {curl}, {n}: {tip:.5?}, expected {want:?}: {:.5}",
                off(tip, want)
            );
            assert!(
                off(tip, want) < if n == 16 { 0.012 } else { 0.004 },
                "{tip:?} where {want:?} is expected"
            );
        }
    }
}

#[test]
fn its_error_falls_as_the_square_of_its_segments() {
    for gamma in [1.0, 10.0] {
        let [a, b, c] = [8, 16, 32].map(|n| clamped(n, gamma, 0.0, 0.0, 20));
        let ratio = off(a, b) / off(b, c);
        println!("Γ {gamma}: {a:.5?} {b:.5?} {c:.5?}, ratio {ratio:.2}");
        assert!((ratio - 4.0).abs() < 1.2, "{ratio}");
    }
}

/// The frequency of a beam of `n` segments whose first mode is at `first` Hz, plucked in a mode, and what a second leaves of it.
fn plucked(n: usize, first: f64, which: usize, substeps: u32, rate: f64) -> (f64, f64) {
    let bend = LINE * (TAU * LENGTH * LENGTH * first / 3.516).powi(2);
    let mut r = Rod::new(&strands(&[line(n, 0.0, 0.0)], bend, bend));
    r.frame.gravity = [0.0; 3];
    r.frame.substeps = substeps;
    r.frame.duration = 1.0 / rate;
    let hertz = first * [1.0, 22.03 / 3.516][which];
    let pace = 0.003 * TAU * hertz;
    r.state.set_velocities(&r.body, |p| [0.0, (pace * mode(which, f64::from(p[0]) / LENGTH)) as f32, 0.0]);
    let y: Vec<f64> = (0..(2.0 * rate) as usize)
        .map(|_| {
            r.run(1);
            r.tip()[1]
        })
        .collect();
    fit(&y, 1.0 / rate)
}

#[test]
fn plucked_it_swings_as_a_beam_however_finely_it_is_cut() {
    for (n, substeps, rate) in [(16, 20, 24.0), (32, 20, 24.0), (32, 40, 24.0), (16, 20, 60.0)] {
        let (hertz, left) = plucked(n, 2.0, 0, substeps, rate);
        println!("{n} segments, {substeps} sub-steps, {rate}: {hertz:.4} Hz, {left:.3} left");
        within("first mode", hertz, 2.0, 0.006);
        assert!(left > 0.84, "{left} of it is left");
    }
    let (second, _) = plucked(24, 0.7, 1, 20, 24.0);
    within("second mode", second, 0.7 * 22.03 / 3.516, 0.02);
}

#[test]
fn a_chain_hangs_swings_and_keeps_its_length() {
    // A thread of no rigidity that hangs from a hinge: f = j/4π √(g/L), j the zeros of Bessel's J₀.
    let long: Vec<[f64; 3]> = (0..=32).map(|k| [0.0, -f64::from(k) / 32.0, 0.0]).collect();
    let rest = StrandRest { set: false, ..strands(&[long], 1e-10, 1e-10) };
    let mut r = Rod::new(&rest);
    // Its first mode: J₀(j √s), s from the end that is free.
    let bessel = |z: f64| (1..12).rev().fold(1.0, |sum, k| 1.0 - sum * z * z / (4.0 * f64::from(k * k)));
    r.state.set_velocities(&r.body, |p| {
        [(0.02 * bessel(2.404_826 * f64::from(1.0 + p[1]).max(0.0).sqrt())) as f32, 0.0, 0.0]
    });
    let y: Vec<f64> = (0..96)
        .map(|_| {
            r.run(1);
            r.tip()[0]
        })
        .collect();
    let (hertz, left) = fit(&y, 1.0 / 24.0);
    within("hanging chain, Hz", hertz, 2.404_826 / (4.0 * PI) * G.sqrt(), 0.005);
    assert!(left > 0.9, "{left} of it is left");
    let strain = r.body.strain(&r.state);
    assert!(strain.largest < 5e-4, "it is stretched by {}", strain.largest);
}

#[test]
fn a_chain_between_level_ends_sags_as_a_catenary() {
    for (span, sag) in [(0.5, 0.39819), (0.9, 0.19071)] {
        // Begun as a vee; both ends held and free to turn.
        let n = 32usize;
        let down = (0.25f64 - 0.25 * span * span).sqrt();
        let vee = |k: usize| {
            let s = k as f64 / n as f64;
            [span * s, -down * (1.0 - (2.0 * s - 1.0).abs()), 0.0]
        };
        let mut rest =
            StrandRest { set: false, damping: 3.0, ..strands(&[(0..=n).map(vee).collect()], 1e-9, 1e-9) };
        rest.held[n] = true;
        let mut r = Rod::new(&rest);
        r.run(240);
        let low = r.at().iter().map(|p| -p[1]).fold(0.0, f64::max);
        println!("span {span}: sag {low:.5}, expected {sag}");
        assert!((low - sag).abs() < 0.004, "{low} where {sag} is expected");
    }
}

#[test]
fn a_heavy_string_leans_straight_in_a_wind() {
    let (drag, radius) = (1.2, 0.001);
    for (share, degrees) in [(0.5f64, 24.47), (1.0, 38.17)] {
        let hung: Vec<[f64; 3]> = (0..=24).map(|k| [0.0, -LENGTH * f64::from(k) / 24.0, 0.0]).collect();
        let rest = StrandRest { set: false, damping: 3.0, drag, ..strands(&[hung], 1e-11, 1e-11) };
        let mut r = Rod::new(&rest);
        let speed =
            (share * LINE * G / (0.5 * f64::from(AIR_DENSITY) * f64::from(drag) * 2.0 * radius)).sqrt();
        r.frame.fields = steady([speed as f32, 0.0, 0.0]);
        r.settle(8.0);
        let p = r.at();
        let end = p[24];
        let lean = end[0].atan2(-end[1]).to_degrees();
        println!("R {share}: {lean:.3}°, expected {degrees}°");
        assert!((lean - degrees).abs() < 0.3);
        let far = end[0].hypot(end[1]);
        let bow = p.iter().map(|q| (q[0] * end[1] - q[1] * end[0]).abs() / far).fold(0.0, f64::max);
        assert!(bow < 0.004 * LENGTH, "it bows by {bow} m");
    }
}

#[test]
fn an_elastic_stem_bends_in_a_wind_as_statics_say() {
    let drag = 1.2;
    for (load, want) in [(1.0, 0.1215), (10.0, 0.568)] {
        let upright: Vec<[f64; 3]> = (0..=32).map(|k| [0.0, LENGTH * f64::from(k) / 32.0, 0.0]).collect();
        let bend = 1e-4;
        let mut r = Rod::new(&StrandRest { damping: 3.0, drag, ..strands(&[upright], bend, bend) });
        r.frame.gravity = [0.0; 3];
        let press = load * bend / LENGTH.powi(3);
        let speed = (press / (0.5 * f64::from(AIR_DENSITY) * f64::from(drag) * 0.002)).sqrt();
        r.frame.fields = steady([speed as f32, 0.0, 0.0]);
        r.run(24 * 8);
        within("tip of a stem in wind", r.tip()[0] / LENGTH, want, 0.03);
    }
}

/// A grip of one point that turns about an axis (a unit quaternion's first three) at a rate, turns a second.
fn turning(point: u32, at: [f32; 3], axis: [f32; 3], from: f64, to: f64) -> GripMotion {
    let pose = |turns: f64| {
        let half = PI * turns;
        let s = half.sin() as f32;
        Pose { position: at, turn: [axis[0] * s, axis[1] * s, axis[2] * s, half.cos() as f32] }
    };
    let steps = ((to - from).abs() * 16.0).ceil().max(1.0) as usize;
    let each = (0..=steps).map(|k| pose(from + (to - from) * k as f64 / steps as f64));
    GripMotion {
        body: 0,
        points: Arc::new(vec![point]),
        by: Holder::Thing { first: pose(0.0), way: Way::through(each.collect()) },
        pull: None,
    }
}

#[test]
fn a_ring_that_is_twisted_leaves_its_plane_where_michell_says() {
    // J. H. Michell, "On the stability of a bent and twisted wire", 1889: at √3 B/C turns.
    let (n, radius) = (48usize, 0.1);
    let out = |ratio: f64, turns: f64| {
        // From the middle of a side to itself, so that both its ends go along x.
        let corner = |k: usize| {
            let a = TAU * (k as f64 - 0.5) / (n - 1) as f64;
            [radius * a.sin(), 0.0, radius * (1.0 - a.cos())]
        };
        let begin = [0.0, 0.0, radius * (1.0 - (PI / (n - 1) as f64).cos())];
        let ring: Vec<[f64; 3]> = (0..=n).map(|k| if k == 0 || k == n { begin } else { corner(k) }).collect();
        // Straight where nothing bends it.
        let mut at = 0.0;
        let straight: Vec<[f64; 3]> = (0..=n)
            .map(|k| {
                if k > 0 {
                    at += (0..3).map(|c| (ring[k][c] - ring[k - 1][c]).powi(2)).sum::<f64>().sqrt();
                }
                [at, 0.0, 0.0]
            })
            .collect();
        let bend = 1e-4;
        let mut rest = strands(&[ring], bend, bend / ratio);
        rest.shape = strands(&[straight], bend, bend).positions;
        rest.damping = 2.0;
        rest.held[n] = true;
        let mut r = Rod::new(&rest);
        r.frame.gravity = [0.0; 3];
        // A little out of its plane, so that it may go on.
        r.state.set_velocities(&r.body, |p| [0.0, 0.002 * (60.0 * p[0]).sin(), 0.0]);
        let (mut was, mut most) = (0.0, 0.0);
        for k in 0..480 {
            let now = turns * (f64::from(k + 1) / 120.0).min(1.0);
            r.frame.grips = vec![turning(n as u32, [0.0; 3], [1.0, 0.0, 0.0], was, now)];
            was = now;
            r.run(1);
            // It may turn about the line of its clamp as a whole: out of the plane through that and its far side.
            let p = r.at();
            let [_, y, z] = p[n / 2];
            let size = y.hypot(z);
            most = p.iter().map(|q| ((q[1] * z - q[2] * y) / size).abs() / radius).fold(most, f64::max);
        }
        most
    };
    for ratio in [1.0, 0.7] {
        let law = 3f64.sqrt() * ratio;
        let (below, above) = (out(ratio, 0.95 * law), out(ratio, 1.05 * law));
        println!("B/C {ratio}: {below:.4} below, {above:.4} above");
        assert!(below < 0.04, "it leaves its plane early: {below}");
        assert!(above > 0.3, "it stays in its plane: {above}");
    }
}

#[test]
fn a_helix_keeps_its_shape_and_a_turned_root_turns_what_stands_on_it() {
    let helix: Vec<[f64; 3]> = (0..=40)
        .map(|k| {
            let s = f64::from(k) / 40.0;
            [0.02 * (12.0 * s).cos(), 0.2 * s, 0.02 * (12.0 * s).sin()]
        })
        .collect();
    let mut r = Rod::new(&strands(from_ref(&helix), 1e-6, 0.8e-6));
    r.frame.gravity = [0.0; 3];
    let before = r.at();
    r.run(48);
    let far = |a: &[[f64; 3]], b: &[[f64; 3]]| {
        a.iter()
            .zip(b)
            .map(|(p, q)| (0..3).map(|c| (p[c] - q[c]).powi(2)).sum::<f64>().sqrt())
            .fold(0.0, f64::max)
    };
    let moved = far(&before, &r.at());
    assert!(moved < 1e-4 * 0.2, "it moved by {moved}");
    // A quarter turn about y takes all of it round, however its root is set.
    let mut r = Rod::new(&StrandRest { damping: 6.0, ..strands(&[helix], 1e-4, 0.8e-4) });
    r.frame.gravity = [0.0; 3];
    let root = before[0].map(|c| c as f32);
    for k in 0..96 {
        let share = |k: i32| 0.25 * (f64::from(k) / 48.0).min(1.0);
        r.frame.grips = vec![turning(0, root, [0.0, 1.0, 0.0], share(k), share(k + 1))];
        r.run(1);
    }
    let want: Vec<[f64; 3]> = before
        .iter()
        .map(|p| {
            let d: [f64; 3] = std::array::from_fn(|c| p[c] - before[0][c]);
            [before[0][0] + d[2], p[1], before[0][2] - d[0]]
        })
        .collect();
    let moved = far(&want, &r.at());
    println!("turned by a quarter, off by {moved:.6} m");
    assert!(moved < 5e-4, "it is off by {moved}");
}

#[test]
fn nothing_makes_momentum_or_spin_of_one_that_flies_freely() {
    let bent: Vec<[f64; 3]> = (0..=20)
        .map(|k| {
            let s = f64::from(k) / 20.0;
            [0.2 * s, 0.05 * (5.0 * s).sin(), 0.03 * (8.0 * s).cos()]
        })
        .collect();
    let mut rest = strands(&[bent], 2e-4, 1e-4);
    rest.held.fill(false);
    let mut r = Rod::new(&rest);
    r.frame.gravity = [0.0; 3];
    r.frame.substeps = 40;
    r.state.set_velocities(&r.body, |p| [2.0 * p[1], 1.0 - 3.0 * p[0], 4.0 * p[0] * p[0]]);
    let mass = r.body.masses();
    let sums = |r: &Rod| {
        let (x, v) = (r.at(), r.state.velocities(&r.body));
        let mut out = [[0.0; 3]; 2];
        for ((x, v), m) in x.iter().zip(&v).zip(&mass) {
            let v = v.map(f64::from);
            let spin = [x[1] * v[2] - x[2] * v[1], x[2] * v[0] - x[0] * v[2], x[0] * v[1] - x[1] * v[0]];
            (0..3).for_each(|c| {
                out[0][c] += m * v[c];
                out[1][c] += m * spin[c];
            });
        }
        out
    };
    let before = sums(&r);
    r.run(24);
    let after = sums(&r);
    for (k, what) in ["momentum", "spin"].into_iter().enumerate() {
        let size = before[k].iter().map(|c| c * c).sum::<f64>().sqrt();
        let changed = (0..3).map(|c| (after[k][c] - before[k][c]).powi(2)).sum::<f64>().sqrt() / size;
        println!("{what} changed by {changed:.2e}");
        assert!(changed < [1e-4, 0.02][k], "{what} changed by {changed}");
    }
}

/// A tuft of curved strands of some lengths in a gusty wind after a second.
fn tuft(order: &[usize], from: [f64; 3], threads: usize) -> Vec<Vec<[f64; 3]>> {
    let one = |k: usize| -> Vec<[f64; 3]> {
        let (a, n) = (k as f64 * 2.4, 8 + k % 3);
        (0..=n)
            .map(|j| {
                let s = j as f64 / n as f64;
                let p = [0.02 * a.cos() + 0.05 * s * s, 0.15 * s, 0.02 * a.sin()];
                // Told alike from far away.
                std::array::from_fn(|c| from[c] + (p[c] * 16384.0).round() / 16384.0)
            })
            .collect()
    };
    let lines: Vec<_> = order.iter().map(|k| one(*k)).collect();
    let mut r = Rod::new(&StrandRest { drag: 1.0, ..strands(&lines, 2e-4, 2e-4) });
    r.frame.fields = steady([3.0, 0.0, 1.0]);
    let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
    pool.install(|| r.run(24));
    let (p, mut out) = (r.at(), vec![vec![]; order.len()]);
    let mut at = 0;
    for (k, line) in order.iter().zip(&lines) {
        out[*k] = p[at..at + line.len()].iter().map(|p| std::array::from_fn(|c| p[c] - from[c])).collect();
        at += line.len();
    }
    out
}

#[test]
fn order_threads_and_place_do_not_matter() {
    let inward: Vec<usize> = (0..23).collect();
    let outward: Vec<usize> = (0..23).rev().collect();
    let a = tuft(&inward, [0.0; 3], 1);
    assert_eq!(a, tuft(&inward, [0.0; 3], 2), "threads give other bits");
    let far = |a: &[Vec<[f64; 3]>], b: &[Vec<[f64; 3]>]| {
        let each = a.iter().flatten().zip(b.iter().flatten());
        each.map(|(p, q)| (0..3).map(|c| (p[c] - q[c]).abs()).fold(0.0, f64::max)).fold(0.0, f64::max)
    };
    let moved = far(&a, &tuft(&outward, [0.0; 3], 1));
    assert!(moved < 2e-5, "another order moves them by {moved} m");
    let moved = far(&a, &tuft(&inward, [64.0, 0.0, -32.0], 1));
    println!("elsewhere they are off by {moved:.2e} m");
    assert!(moved < 1e-4, "another place moves them by {moved} m");
}

#[test]
fn a_checkpoint_goes_on_to_the_same_bits() {
    let rest = StrandRest { drag: 1.0, ..strands(&[line(12, 1.2, 2.0), line(9, 0.3, 0.5)], 2e-5, 1e-5) };
    let mut r = Rod::new(&rest);
    r.frame.fields = steady([2.0, 0.0, 1.0]);
    r.run(6);
    let kept = r.state.snapshot(&r.body);
    let mut again = Rod::new(&rest);
    again.frame = r.frame.clone();
    again.state = State::restore(&again.body, &kept).unwrap();
    r.run(6);
    again.run(6);
    assert_eq!(r.state.snapshot(&r.body), again.state.snapshot(&again.body));
}

#[test]
fn what_can_not_be_is_told_and_what_is_torn_is_a_snag() {
    let good = strands(&[line(4, 0.0, 0.0)], 1e-5, 1e-5);
    let refused = |change: &dyn Fn(&mut StrandRest)| {
        let mut rest = good.clone();
        change(&mut rest);
        Body::strands(&rest).err()
    };
    assert!(matches!(refused(&|r| r.counts = vec![1, 4]), Some(BuildError::Empty(_))));
    assert!(matches!(refused(&|r| r.counts = vec![4]), Some(BuildError::Lengths { .. })));
    assert!(matches!(refused(&|r| r.positions[2] = r.positions[1]), Some(BuildError::NoLength { point: 1 })));
    assert!(matches!(refused(&|r| r.positions[2][0] = f32::NAN), Some(BuildError::NotFinite { point: 2 })));
    assert!(matches!(refused(&|r| r.stretch[1] = 0.0), Some(BuildError::Matter { what: "stretch", .. })));
    let mut soft = strands(&[line(4, 0.0, 0.0)], 1e-5, 1e-5);
    soft.stretch.fill(0.02);
    let mut r = Rod::new(&soft);
    r.run(24);
    let told = snags(from_ref(&r.body), from_ref(&r.state), &mut r.contact, &r.frame, &[], OVERSTRETCH);
    assert!(told.iter().any(|s| s.fault == Fault::Overstretch && s.worst > 0.15), "{told:?}");
}

/// A curtain of strands that a ball goes through, and comes back; the most that a point was inside of it, metres, the worst stretch, and
/// where all are at the end.
fn curtain(threads: usize) -> (f32, f64, Vec<[f64; 3]>) {
    let hung =
        |k: i32| (0..=16).map(|j| [0.012 * f64::from(k - 12), 0.5 - 0.025 * f64::from(j), 0.0]).collect();
    let lines: Vec<Vec<[f64; 3]>> = (0..24).map(hung).collect();
    let rest = StrandRest { damping: 0.5, friction: 0.3, ..strands(&lines, 2e-5, 2e-5) };
    let body = Body::strands(&rest).unwrap();
    let mut state = body.start();
    let rules = Rules { own: vec![false], between: vec![] };
    let ball = ColliderRest {
        solid: Some(Solid::Ball { radius: 0.08 }),
        skin: None,
        thickness: 0.001,
        friction: 0.3,
        meets: vec![true],
    };
    let mut contact = Contact::new(from_ref(&body), &rules, vec![ball]).unwrap();
    let mut frame = FrameInputs { substeps: 20, ..FrameInputs::default() };
    let at =
        |f: f64| Pose { position: [0.0, 0.25, (0.25 * (f / 24.0 * PI).cos()) as f32], ..Pose::default() };
    let (mut deep, mut stretch) = (0.0f32, 0.0f64);
    let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
    for f in 0..48 {
        let f = f64::from(f);
        let way = Way::straight(at(f), at(f + 1.0));
        frame.colliders = vec![ColliderMotion { way, ..ColliderMotion::default() }];
        pool.install(|| step(from_ref(&body), from_mut(&mut state), &mut contact, &frame, &NoWatch)).unwrap();
        frame.start += frame.duration;
        let told = snags(from_ref(&body), from_ref(&state), &mut contact, &frame, &[], OVERSTRETCH);
        for s in told.iter().filter(|s| s.fault == Fault::Inside) {
            deep = deep.max(s.worst as f32);
        }
        stretch = stretch.max(body.strain(&state).largest);
    }
    (deep, stretch, state.places(&body, [0.0; 3]))
}

#[test]
fn a_ball_goes_through_a_curtain_and_none_is_inside_or_torn() {
    let (deep, stretch, places) = curtain(1);
    println!("inside by {:.3} mm, stretched by {:.2} %", 1e3 * deep, 100.0 * stretch);
    assert!(deep <= 1e-4, "a point is {deep} m inside");
    assert!(stretch < 0.05, "a strand is stretched by {stretch}");
    assert_eq!(places, curtain(2).2, "threads give other bits");
}

/// Upright strands on a ball of 8 cm that is shaken to and fro at 4 Hz and turned; the most that a point was inside of it, metres, the worst stretch,
/// how far tips lagged, and where all are at the end.
fn shaken(threads: usize) -> (f32, f64, f64, Vec<[f64; 3]>) {
    let radius = 0.08;
    let hair = |k: usize| {
        let (u, turn) = ((k as f64 + 0.5) / 40.0, 2.4 * k as f64);
        let (up, out) = (1.0 - 0.9 * u, (1.0 - (1.0 - 0.9 * u).powi(2)).sqrt());
        let way = [out * turn.cos(), up, out * turn.sin()];
        (0..=12).map(|j| way.map(|c| c * (radius + 0.012 * f64::from(j)))).collect::<Vec<_>>()
    };
    let lines: Vec<_> = (0..40).map(hair).collect();
    let rest = StrandRest { damping: 2.0, friction: 0.3, ..strands(&lines, 3e-6, 3e-6) };
    let body = Body::strands(&rest).unwrap();
    let mut state = body.start();
    let ball = ColliderRest {
        solid: Some(Solid::Ball { radius: radius as f32 }),
        skin: None,
        thickness: 0.001,
        friction: 0.3,
        meets: vec![true],
    };
    let rules = Rules { own: vec![false], between: vec![] };
    let mut contact = Contact::new(from_ref(&body), &rules, vec![ball]).unwrap();
    let mut frame = FrameInputs { substeps: 20, ..FrameInputs::default() };
    let roots: Arc<Vec<u32>> = Arc::new((0..40).map(|k| 13 * k).collect());
    let at = |f: f64| {
        let (sin, cos) = (0.15 * (f / 24.0 * TAU * 4.0).sin()).sin_cos();
        let x = 0.02 * (f / 24.0 * TAU * 4.0).sin();
        Pose { position: [x as f32, 0.0, 0.0], turn: [0.0, 0.0, sin as f32, cos as f32] }
    };
    let (mut deep, mut stretch, mut swing) = (0.0f32, 0.0f64, 0.0f64);
    let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
    for f in 0..48 {
        let way = Way::through((0..=8).map(|k| at(f64::from(f) + f64::from(k) / 8.0)).collect());
        frame.colliders = vec![ColliderMotion { way: way.clone(), ..ColliderMotion::default() }];
        let by = Holder::Thing { first: at(0.0), way };
        frame.grips = vec![GripMotion { body: 0, points: roots.clone(), by, pull: None }];
        pool.install(|| step(from_ref(&body), from_mut(&mut state), &mut contact, &frame, &NoWatch)).unwrap();
        frame.start += frame.duration;
        let told = snags(from_ref(&body), from_ref(&state), &mut contact, &frame, &[], OVERSTRETCH);
        let inside = told.iter().filter(|s| s.fault == Fault::Inside);
        deep = inside.fold(deep, |d, s| d.max(s.worst as f32));
        stretch = stretch.max(body.strain(&state).largest);
        // In the head's own place a stiff one would not move.
        let tip = state.places(&body, [0.0; 3])[12];
        swing = swing.max((tip[0] - f64::from(at(f64::from(f) + 1.0).position[0]) - lines[0][12][0]).abs());
    }
    (deep, stretch, swing, state.places(&body, [0.0; 3]))
}

#[test]
fn a_head_shaken_at_four_hertz_throws_its_hair_and_keeps_it_out() {
    let (deep, stretch, swing, places) = shaken(1);
    println!(
        "inside by {:.3} mm, stretched by {:.2} %, tips swing {:.0} mm",
        1e3 * deep,
        100.0 * stretch,
        1e3 * swing
    );
    assert!(deep <= 1e-4, "a point is {deep} m inside");
    assert!(stretch < 0.08, "{stretch}");
    assert!(swing > 0.03, "its turn is felt: {swing}");
    assert_eq!(places, shaken(2).3, "threads give other bits");
}

/// Three strands wound about each other that fall on a box and lie there; how far the nearest two of different strands are from each other at
/// the end, how deep one is in the box, and how fast the fastest is.
fn plait(threads: usize) -> (f64, f32, f64, Vec<[f64; 3]>) {
    let strand = |s: usize| {
        let at = |j: usize| {
            let phase = TAU * (s as f64 / 3.0 + j as f64 / 16.0);
            [0.01 * f64::from(j as u32) - 0.2, 0.13 + 0.006 * phase.sin(), 0.006 * phase.cos()]
        };
        (0..=40).map(at).collect::<Vec<_>>()
    };
    let lines: Vec<_> = (0..3).map(strand).collect();
    let mut rest = StrandRest { damping: 2.0, friction: 0.5, ..strands(&lines, 1e-6, 1e-6) };
    rest.held = vec![false; rest.positions.len()];
    rest.radius = vec![0.002; rest.positions.len()];
    let body = Body::strands(&rest).unwrap();
    let mut state = body.start();
    let block = ColliderRest {
        solid: Some(Solid::Box { half: [0.12, 0.05, 0.1] }),
        skin: None,
        thickness: 0.001,
        friction: 0.5,
        meets: vec![true],
    };
    let rules = Rules { own: vec![true], between: vec![] };
    let mut contact = Contact::new(from_ref(&body), &rules, vec![block]).unwrap();
    let mut frame = FrameInputs { substeps: 20, ..FrameInputs::default() };
    let still = Pose { position: [0.0, 0.05, 0.0], ..Pose::default() };
    frame.colliders = vec![ColliderMotion { way: Way::straight(still, still), ..ColliderMotion::default() }];
    let mut deep = 0.0f32;
    let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
    for _ in 0..48 {
        pool.install(|| step(from_ref(&body), from_mut(&mut state), &mut contact, &frame, &NoWatch)).unwrap();
        frame.start += frame.duration;
        let told = snags(from_ref(&body), from_ref(&state), &mut contact, &frame, &[], OVERSTRETCH);
        deep = told.iter().filter(|s| s.fault == Fault::Inside).fold(deep, |d, s| d.max(s.worst as f32));
    }
    let places = state.places(&body, [0.0; 3]);
    let mut near = f64::INFINITY;
    for a in 0..places.len() {
        for b in a / 41 * 41 + 41..places.len() {
            near = near.min(between(places[a], places[b]));
        }
    }
    let fast = state.velocities(&body).iter().flatten().fold(0.0f32, |m, v| m.max(v.abs()));
    (near, deep, f64::from(fast), places)
}

#[test]
fn a_plait_lies_on_a_box_with_its_strands_apart() {
    let (near, deep, fast, places) = plait(1);
    println!("nearest {:.2} mm of 4, inside by {:.3} mm, {:.3} m/s", 1e3 * near, 1e3 * deep, fast);
    assert!(near > 0.9 * 0.004, "two are {near} m from each other");
    assert!(deep <= 2e-4, "{deep} m inside");
    assert_eq!(places, plait(2).3, "threads give other bits");
}

/// Five upright strands about a middle, tied from their third point on.
fn clump(held: bool, wide: f32) -> StrandRest {
    let line = |k: usize| {
        let (sin, cos) = (TAU * k as f64 / 5.0).sin_cos();
        (0..9).map(|j| [0.02 * cos, 0.025 * f64::from(j), 0.02 * sin]).collect::<Vec<_>>()
    };
    let lines: Vec<_> = (0..5).map(line).collect();
    let mut rest = strands(&lines, 2e-7, 2e-7);
    rest.held.iter_mut().for_each(|h| *h &= held);
    let stiffness = (0..9).map(|k| if k > 2 { 0.5 } else { 0.0 }).collect();
    rest.clumps = Some(ClumpRest { of: vec![0; 5], stiffness, wide });
    rest
}

fn between(a: [f64; 3], b: [f64; 3]) -> f64 {
    (0..3).map(|c| (a[c] - b[c]).powi(2)).sum::<f64>().sqrt()
}

/// How far the tips are from their middle, on average.
fn spread(r: &Rod) -> f64 {
    let tips: Vec<[f64; 3]> = r.at().chunks(9).map(|s| s[8]).collect();
    let middle: [f64; 3] = std::array::from_fn(|c| tips.iter().map(|t| t[c]).sum::<f64>() / 5.0);
    tips.iter().map(|t| between(*t, middle)).sum::<f64>() / 5.0
}

#[test]
fn a_clump_is_drawn_in_and_alone_it_stays_as_it_is() {
    let still = |wide: f32| {
        let mut r = Rod::new(&StrandRest { damping: 4.0, ..clump(true, wide) });
        r.frame.gravity = [0.0; 3];
        r.run(48);
        spread(&r)
    };
    // As far apart as at first, nothing pulls; half as far, the springs win over so weak a bend.
    assert!((still(1.0) - 0.02).abs() < 1e-6, "{}", still(1.0));
    let half = still(0.5);
    assert!((0.0095..0.0125).contains(&half), "{half}");
    // Before a wind that blows on one of them they stay together, and without ties that one leaves.
    let blown = |tied: bool| {
        let mut rest = StrandRest { damping: 1.0, ..clump(true, 1.0) };
        rest.over[0] = (0..45).map(|k| if k < 9 { 1.0 } else { 0.0 }).collect();
        rest.drag = 1.2;
        rest.clumps = rest.clumps.filter(|_| tied);
        let mut r = Rod::new(&rest);
        r.frame.gravity = [0.0; 3];
        r.frame.fields = steady([4.0, 0.0, 0.0]);
        r.run(24);
        spread(&r)
    };
    let (tied, loose) = (blown(true), blown(false));
    println!("blown apart to {tied:.4} tied, {loose:.4} loose");
    assert!((tied - 0.02).abs() < 0.004 && loose > 0.03, "{tied} and {loose}");
}

#[test]
fn a_clump_makes_no_momentum_and_turns_for_nothing() {
    // Ends weigh half.
    let heavy = |k: usize| if k.is_multiple_of(9) || k % 9 == 8 { 0.5 } else { 1.0 };
    let middle = |v: &[[f64; 3]]| -> [f64; 3] {
        std::array::from_fn(|c| v.iter().enumerate().map(|(k, p)| heavy(k) * p[c]).sum::<f64>() / 40.0)
    };
    let mut r = Rod::new(&clump(false, 0.4));
    r.frame.gravity = [0.0; 3];
    let before = r.at();
    r.run(24);
    let gone = between(middle(&before), middle(&r.at()));
    println!("while its tips go by a centimetre, its middle goes by {gone:.6} m");
    assert!(gone < 1e-4, "{gone}");
    assert!(spread(&r) < 0.018);
    // A whole clump is turned for nothing: only how far its strands are from its middle counts.
    let mut rest = clump(false, 1.0);
    rest.shape.clone_from(&rest.positions);
    let (sin, cos) = 0.7f32.sin_cos();
    rest.positions.iter_mut().for_each(|p| *p = [cos * p[0] - sin * p[1], sin * p[0] + cos * p[1], p[2]]);
    let mut r = Rod::new(&rest);
    r.frame.gravity = [0.0; 3];
    let before = r.at();
    r.run(24);
    let most = r.at().iter().zip(&before).map(|(a, b)| between(*a, *b)).fold(0.0, f64::max);
    assert!(most < 1e-5, "turned, it goes by {most} m");
}
