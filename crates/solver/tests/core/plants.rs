//! Rods that branch: against equations worked out here, and against the same rods that do not.
use crate::harness::steady;
use nematon_solver::{
    Body, Comes, Contact, Flier, FliesRest, FrameInputs, FreeRest, NoWatch, Rules, ShedNow, ShedRest, State,
    StrandRest, step,
};
use std::f64::consts::PI;
use std::slice::{from_mut, from_ref};

/// kg/m, metres, N·m².
const LINE: f64 = 0.02;
const LENGTH: f64 = 0.3;
const BEND: f64 = 0.004;
const G: f64 = 9.81;

/// A plant of straight branches, each with the point that it comes from, the angle it goes at in the plane, and how many segments of the same
/// length together; its root is held and set.
fn plant(branches: &[(usize, f64, usize)]) -> StrandRest {
    let mut positions = vec![[0.0f64; 3]];
    let mut up = vec![0u32];
    for (from, angle, segments) in branches {
        let mut at = *from;
        for _ in 0..*segments {
            let long = LENGTH / *segments as f64;
            let p = positions[at];
            positions.push([p[0] + long * angle.sin(), p[1] + long * angle.cos(), p[2]]);
            up.push(at as u32);
            at = positions.len() - 1;
        }
    }
    let n = positions.len();
    StrandRest {
        positions: positions.iter().map(|p| p.map(|c| c as f32)).collect(),
        counts: vec![n as u32],
        up,
        held: (0..n).map(|k| k == 0).collect(),
        set: true,
        line_density: vec![LINE as f32; n],
        stretch: vec![20_000.0; n],
        bend: vec![BEND as f32; n],
        twist: vec![0.75 * BEND as f32; n],
        width: vec![0.004; n],
        radius: vec![0.002; n],
        ..StrandRest::default()
    }
}

/// A stem and two arms of `n` segments each, that go off it at an angle.
fn fork(n: usize, angle: f64) -> StrandRest {
    plant(&[(0, 0.0, n), (n, angle, n), (n, -angle, n)])
}

struct Stand {
    body: Body,
    state: State,
    contact: Contact,
    frame: FrameInputs,
}

impl Stand {
    fn new(rest: &StrandRest) -> Stand {
        let body = Body::strands(rest).unwrap();
        let state = body.start();
        let frame = FrameInputs { substeps: 20, gravity: [0.0; 3], ..FrameInputs::default() };
        Stand { body, state, contact: Contact::none(1), frame }
    }

    fn run(&mut self, frames: usize) {
        for _ in 0..frames {
            let (body, state) = (from_ref(&self.body), from_mut(&mut self.state));
            step(body, state, &mut self.contact, &self.frame, &NoWatch).unwrap();
            self.frame.start += self.frame.duration;
        }
    }

    fn at(&self) -> Vec<[f64; 3]> {
        self.state.places(&self.body, [0.0; 3])
    }

    /// What a point's way along x does from frame to frame, pushed once by a speed that grows with the height.
    fn sway(&mut self, point: usize, speed: f32, frames: usize) -> Vec<f64> {
        self.state.set_velocities(&self.body, |p| [speed * p[1] * p[1], 0.0, 0.0]);
        let from = self.at()[point][0];
        (0..frames)
            .map(|_| {
                self.run(1);
                self.at()[point][0] - from
            })
            .collect()
    }
}

/// Hz, by the strongest wave of what a point does: least squares of a sine, the best of all frequencies.
fn frequency(way: &[f64], guess: f64) -> f64 {
    let left = |f: f64| {
        let (mut cc, mut ss, mut cs, mut c1, mut s1) = (0.0, 0.0, 0.0, 0.0, 0.0);
        for (k, x) in way.iter().enumerate() {
            let (s, c) = (2.0 * PI * f * (k + 1) as f64 / 24.0).sin_cos();
            (cc, ss, cs, c1, s1) = (cc + c * c, ss + s * s, cs + c * s, c1 + c * x, s1 + s * x);
        }
        let det = cc * ss - cs * cs;
        let (a, b) = ((c1 * ss - s1 * cs) / det, (s1 * cc - c1 * cs) / det);
        -(a * c1 + b * s1)
    };
    let best = |from: f64, to: f64| {
        let at = |k: usize| from + (to - from) * k as f64 / 200.0;
        (0..=200).map(at).min_by(|a, b| left(*a).total_cmp(&left(*b))).unwrap()
    };
    let near = best(0.7 * guess, 1.3 * guess);
    best(near - 0.004 * guess, near + 0.004 * guess)
}

/// The first frequency of a fork that sways in its plane, Hz: beams of Euler and Bernoulli, the stem clamped, the arms' ends free, all of one
/// length; arms at an angle go along with the joint by it, and drag their own weight along. `x` is βL, and what is 0 the determinant of what
/// the joint's moment and force leave.
fn fork_frequency(angle: f64) -> f64 {
    let leaves = |x: f64| {
        // v, v', v'', v''' of the stem's two ways at the joint, over powers of β.
        let (ch, sh, c, s) = (x.cosh(), x.sinh(), x.cos(), x.sin());
        let stem = [[ch - c, sh + s, ch + c, sh - s], [sh - s, ch - c, sh + s, ch + c]];
        // Of an arm's two, told from its free end: odd ones change their sign.
        let arm = [[ch + c, -(sh - s), ch - c, -(sh + s)], [sh + s, -(ch + c), sh - s, -(ch - c)]];
        let det = arm[0][0] * arm[1][1] - arm[1][0] * arm[0][1];
        let off = stem.map(|v| {
            let (w, turn) = (v[0] * angle.cos(), v[1]);
            let p = (w * arm[1][1] - arm[1][0] * turn) / det;
            let q = (arm[0][0] * turn - w * arm[0][1]) / det;
            let of = |k: usize| p * arm[0][k] + q * arm[1][k];
            let along = x * v[0] * angle.sin().powi(2);
            [v[2] - 2.0 * of(2), v[3] - 2.0 * (of(3) * angle.cos() - along)]
        });
        off[0][0] * off[1][1] - off[1][0] * off[0][1]
    };
    let mut x = 0.2;
    while leaves(x).signum() == leaves(x + 0.001).signum() {
        x += 0.001;
    }
    x * x / (2.0 * PI * LENGTH * LENGTH) * (BEND / LINE).sqrt()
}

#[test]
fn a_fork_of_equal_rods_sways_as_its_equation_says_however_finely_it_is_cut() {
    // Without arms at an angle, and with weightless arms, it would be a beam: 3.516 / (2π L²) √(B/λ).
    let alone = 3.516 / (2.0 * PI * LENGTH * LENGTH) * (BEND / LINE).sqrt();
    for angle in [0.4, 1.0] {
        let want = fork_frequency(angle);
        assert!(want < 0.5 * alone && want > 0.1 * alone, "{want} beside {alone}");
        let found = [4, 8, 16].map(|n| {
            let mut s = Stand::new(&fork(n, angle));
            frequency(&s.sway(2 * n, 0.4, 96), want)
        });
        println!("at {angle}: {found:.4?} Hz, {want:.4} expected, a beam alone {alone:.4}");
        for (found, within) in found.into_iter().zip([0.03, 0.012, 0.006]) {
            assert!((found / want - 1.0).abs() < within, "{found} Hz where {want} is expected");
        }
    }
}

#[test]
fn what_does_not_branch_is_a_strand() {
    let along = |up: bool| {
        let mut rest = plant(&[(0, 1.0, 20)]);
        if !up {
            rest.up = vec![];
        }
        let mut s = Stand::new(&StrandRest { inner: 0.01, ..rest });
        s.frame.gravity = [0.0, -G as f32, 0.0];
        s.run(24);
        s.at()
    };
    let (a, b) = (along(true), along(false));
    assert!(a[20][1] < 0.14, "it hangs: {:?}", a[20]);
    for (a, b) in a.iter().zip(&b) {
        assert!((0..3).all(|c| (a[c] - b[c]).abs() < 1e-6), "{a:?} and {b:?}");
    }
}

#[test]
fn a_plant_stands_as_it_was_made_and_its_weight_softens_it() {
    // Heavy arms that would hang far down.
    let gravity = [0.0, -G as f32, 0.0];
    let rest = StrandRest { stands: Some(gravity), ..fork(8, 1.2) };
    let sag = |stands| {
        let mut s = Stand::new(&StrandRest { stands, ..rest.clone() });
        s.frame.gravity = gravity;
        let before = s.at();
        s.run(48);
        let far = |(a, b): (&[f64; 3], &[f64; 3])| (0..3).map(|c| (a[c] - b[c]).powi(2)).sum::<f64>().sqrt();
        before.iter().zip(&s.at()).map(far).fold(0.0, f64::max)
    };
    let (still, hangs) = (sag(Some(gravity)), sag(None));
    println!("goes {still:.2e} m where it stands by its weight, {hangs:.3} m where not");
    assert!(still < 2e-5 && hangs > 0.01, "{still} and {hangs}");
    // An upright stem under its weight sways slower: Ω 3.285 and 2.765 at Γ = λ g L³ / B of 1 and 3.
    for (gamma, omega) in [(1.0, 3.285), (3.0, 2.765)] {
        let bend = LINE * G * LENGTH.powi(3) / gamma;
        let n = 16;
        let mut rest = plant(&[(0, 0.0, n)]);
        rest.bend = vec![bend as f32; n + 1];
        rest.stands = Some(gravity);
        let want = omega / (2.0 * PI * LENGTH * LENGTH) * (bend / LINE).sqrt();
        let mut s = Stand::new(&rest);
        s.frame.gravity = gravity;
        let found = frequency(&s.sway(n, 0.1, 120), want);
        println!("Γ {gamma}: {found:.4} Hz, {want:.4} expected");
        assert!((found / want - 1.0).abs() < 0.02, "{found} Hz where {want} is expected");
    }
}

#[test]
fn a_stem_that_weighs_too_much_falls_over() {
    // Γ 7.837: by a tenth less it comes back, by a tenth more it does not.
    let gravity = [0.0, -G as f32, 0.0];
    let leans = |gamma: f64| {
        let n = 16;
        let mut rest = plant(&[(0, 0.0, n)]);
        rest.bend = vec![(LINE * G * LENGTH.powi(3) / gamma) as f32; n + 1];
        (rest.stands, rest.damping) = (Some(gravity), 1.0);
        let mut s = Stand::new(&rest);
        s.frame.gravity = gravity;
        s.sway(n, 0.02, 240).last().copied().unwrap().abs()
    };
    let (less, more) = (leans(0.9 * 7.837), leans(1.1 * 7.837));
    println!("leans by {less:.5} and {more:.5} m");
    assert!(less < 0.002 && more > 0.03, "{less} and {more}");
}

#[test]
fn inner_damping_takes_a_sway_by_its_frequency() {
    let n = 8;
    let want = 3.516 / (2.0 * PI * LENGTH * LENGTH) * (BEND / LINE).sqrt();
    let left = |inner: f32| {
        let mut s = Stand::new(&StrandRest { inner, ..plant(&[(0, 0.0, n)]) });
        s.frame.substeps = 40;
        let way = s.sway(n, 0.05, 72);
        let most = |of: &[f64]| of.iter().fold(0.0f64, |m, x| m.max(x.abs()));
        most(&way[48..72]) / most(&way[..24])
    };
    // It dies away by exp(-2π² f² b t): ζ = π f b of the first mode.
    let inner = 0.003f32;
    let rate = 2.0 * PI * PI * want * want * f64::from(inner);
    let (alone, damped) = (left(0.0), left(inner));
    println!("{want:.3} Hz: keeps {alone:.3} alone, {damped:.4} damped; {:.4} expected", (-2.0 * rate).exp());
    assert!(alone > 0.97, "{alone}");
    assert!((-(damped / alone).ln() / (2.0 * rate) - 1.0).abs() < 0.1, "{damped}");
}

#[test]
fn a_leaf_turns_out_of_the_wind_and_by_no_weight_of_its_own() {
    // A plate of 40 cm² on a stalk that goes off its stem at a right angle, and faces up along it; wind from below.
    let blade = |wind: f32| {
        let mut rest = plant(&[(0, 0.0, 4), (4, PI / 2.0, 1)]);
        rest.bend = vec![10.0, 10.0, 10.0, 10.0, 10.0, 2e-3];
        rest.blades = vec![0.0, 0.0, 0.0, 0.0, 0.0, 0.004];
        (rest.blade_drag, rest.damping, rest.drag) = (1.28, 6.0, 0.0);
        let mut s = Stand::new(&rest);
        s.frame.fields = steady([0.0, wind, 0.0]);
        s.run(96);
        s.at()[5][1] - LENGTH
    };
    // Half of it bends: F L³ / 2B where that is small, F = ½ ρ A C U².
    let want = 0.5 * 1.2 * 0.004 * 1.28 * LENGTH.powi(3) / (2.0 * 2e-3);
    let (found, down) = (blade(1.0), blade(-1.0));
    println!("rises by {found:.5} m, {want:.5} expected, {down:.5} from above");
    assert!((found / want - 1.0).abs() < 0.04 && (down / want + 1.0).abs() < 0.04, "{found}");
}

#[test]
fn plants_stand_alike_far_out_in_any_order_and_on_any_threads() {
    let gravity = [0.0, -G as f32, 0.0];
    // Six plants, two of them of another species.
    let kinds = [fork(4, 0.8), fork(4, 0.5), fork(3, 0.8), fork(4, 1.0), fork(4, 0.3), fork(3, 0.2)];
    let all = |order: &[usize], out: f32| {
        let mut rest =
            StrandRest { set: true, stands: Some(gravity), drag: 1.0, inner: 0.01, ..StrandRest::default() };
        for k in order {
            let one = &kinds[*k];
            rest.positions.extend(one.positions.iter().map(|p| [p[0] + *k as f32 + out, p[1], p[2]]));
            rest.counts.extend(&one.counts);
            rest.up.extend(&one.up);
            rest.held.extend(&one.held);
            for (to, from) in [
                (&mut rest.line_density, &one.line_density),
                (&mut rest.stretch, &one.stretch),
                (&mut rest.bend, &one.bend),
                (&mut rest.twist, &one.twist),
                (&mut rest.width, &one.width),
                (&mut rest.radius, &one.radius),
            ] {
                to.extend(from);
            }
        }
        rest
    };
    let run = |rest: &StrandRest, threads: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
        pool.install(|| {
            let mut s = Stand::new(rest);
            s.frame.gravity = gravity;
            s.frame.fields = steady([5.0, 0.0, 1.0]);
            s.run(24);
            s.at()
        })
    };
    let here = run(&all(&[0, 1, 2, 3, 4, 5], 0.0), 1);
    assert_eq!(here, run(&all(&[0, 1, 2, 3, 4, 5], 0.0), 2));
    let other = run(&all(&[5, 3, 1, 0, 2, 4], 0.0), 2);
    let starts = |order: &[usize]| {
        let mut at = 0;
        order
            .iter()
            .map(|k| {
                let from = at;
                at += kinds[*k].positions.len();
                (*k, from)
            })
            .collect::<Vec<_>>()
    };
    let (a, b) = (starts(&[0, 1, 2, 3, 4, 5]), starts(&[5, 3, 1, 0, 2, 4]));
    for (k, from) in a {
        let to = b.iter().find(|x| x.0 == k).unwrap().1;
        let n = kinds[k].positions.len();
        assert_eq!(here[from..from + n], other[to..to + n], "plant {k} in another order");
    }
    let began = all(&[0, 1, 2, 3, 4, 5], 0.0).positions;
    let moves = here.iter().zip(&began).map(|(a, b)| (a[0] - f64::from(b[0])).abs());
    assert!(moves.fold(0.0, f64::max) > 0.01, "the wind does something");
}

#[test]
fn what_comes_after_itself_is_refused() {
    let mut rest = fork(3, 0.5);
    rest.up[4] = 5;
    assert!(Body::strands(&rest).err().is_some_and(|e| e.to_string().contains("comes after itself")));
    rest.up = vec![0; 3];
    assert!(Body::strands(&rest).is_err());
}

/// A stem with `leaves` small ones along it, and pieces that are those once they have let go.
fn shedding(leaves: usize, after: &dyn Fn(usize) -> f32) -> ([Body; 2], usize) {
    let segments = 8;
    let mut all: Vec<(usize, f64, usize)> = vec![(0, 0.0, segments)];
    all.extend((0..leaves).map(|k| (1 + k % segments, if k % 2 == 0 { 1.2 } else { -1.2 }, 1)));
    let mut rest = plant(&all);
    let n = rest.positions.len();
    for k in segments + 1..n {
        // Short stalks.
        let up = rest.up[k] as usize;
        for c in 0..3 {
            rest.positions[k][c] =
                rest.positions[up][c] + 0.2 * (rest.positions[k][c] - rest.positions[up][c]);
        }
        rest.bend[k] = 1e-3;
        rest.line_density[k] = 1e-4;
    }
    let leaf = |k: usize| k > segments;
    rest.blades = (0..n).map(|k| if leaf(k) { 0.002 } else { 0.0 }).collect();
    rest.lumps = (0..n).map(|k| if leaf(k) { 4e-4 } else { 0.0 }).collect();
    (rest.blade_drag, rest.lets_go, rest.stands, rest.inner) =
        (1.28, true, Some([0.0, -G as f32, 0.0]), 0.02);
    let pieces = FreeRest {
        positions: vec![[0.0; 3]; leaves],
        radii: vec![0.001; leaves],
        masses: vec![4e-4; leaves],
        drag: 1.28,
        friction: 0.4,
        comes: Some(Comes { there: 0, largest: 0.001 }),
        flies: Some(FliesRest {
            flier: Flier::Plate,
            radii: vec![0.025; leaves],
            turns: vec![[0.0, 0.0, 0.0, 1.0]; leaves],
        }),
        shed: Some(ShedRest {
            sites: (segments + 1..n).map(|k| k as u32).collect(),
            whole: true,
            after: vec![(0..leaves).map(after).collect()],
        }),
        ..FreeRest::default()
    };
    ([Body::strands(&rest).unwrap(), Body::free(&pieces).unwrap()], segments + 1)
}

#[test]
fn leaves_let_go_by_their_chance_fly_from_where_they_were_and_leave_the_stem_lighter() {
    let leaves = 400;
    // Even shares of a law of 1 a second: after a time t so many have let go as 1 - exp(-t) says.
    let after = |k: usize| -(1.0 - (k as f32 + 0.5) / 400.0).ln();
    let run = |substeps: u32, wind: f32, threads: usize| {
        let (bodies, _) = shedding(leaves, &after);
        let mut states: Vec<State> = bodies.iter().map(Body::start).collect();
        let rules = Rules { own: vec![false; 2], between: vec![] };
        let mut contact = Contact::new(&bodies, &rules, vec![]).unwrap();
        let mut counts = vec![];
        let mut frame = FrameInputs {
            substeps,
            fields: steady([wind, 0.0, 0.0]),
            sheds: vec![ShedNow { body: 1, from: 0, rules: vec![[1.0, 2.0]] }],
            ..FrameInputs::default()
        };
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
        pool.install(|| {
            for k in 0..48 {
                if k == 24 {
                    // On from a checkpoint.
                    let kept: Vec<Vec<u8>> = states.iter().zip(&bodies).map(|(s, b)| s.snapshot(b)).collect();
                    states = bodies.iter().zip(&kept).map(|(b, s)| State::restore(b, s).unwrap()).collect();
                }
                let before = states[0].positions(&bodies[0]);
                let there = states[1].there(&bodies[1]).unwrap();
                step(&bodies, &mut states, &mut contact, &frame, &NoWatch).unwrap();
                frame.start += frame.duration;
                let now = states[1].there(&bodies[1]).unwrap();
                let on = states[0].there(&bodies[0]).unwrap();
                assert_eq!(now.len() + on.len(), leaves + 9, "each is on the stem or off it");
                let at = states[1].positions(&bodies[1]);
                for p in now.iter().filter(|p| !there.contains(p)) {
                    let was = before[*p as usize + 9];
                    let far = (0..3).map(|c| (at[*p as usize][c] - was[c]).powi(2)).sum::<f32>().sqrt();
                    assert!(far < 0.2, "it begins {far} m from where it was");
                }
                counts.push(now.len());
            }
        });
        (
            counts,
            states.iter().zip(&bodies).map(|(s, b)| s.places(b, [0.0; 3])).collect::<Vec<_>>(),
            states[1].turns(&bodies[1]),
        )
    };
    let (counts, places, turns) = run(10, 5.0, 1);
    for (seconds, count) in [(1.0, counts[23]), (2.0, counts[47])] {
        let want = 400.0 * (1.0 - f64::exp(-seconds));
        assert!((count as f64 - want).abs() < 2.0, "{count} after {seconds} s, {want:.1} expected");
    }
    assert_eq!(run(20, 5.0, 1).0, counts, "how finely time is cut counts for nothing");
    assert_eq!(run(10, 5.0, 2), (counts.clone(), places.clone(), turns.clone()));
    assert_eq!(run(10, 1.0, 1).0[47], 0, "where the air is too slow none lets go");
    // What has let go goes with the wind; what has not stays.
    let away = places[1].iter().map(|p| p[0]).fold(0.0, f64::max);
    assert!(away > 3.0, "the first is {away} m off");
    let turned = turns.unwrap().iter().filter(|t| t[3].abs() < 0.99).count();
    assert!(turned > 100, "{turned} have turned");
    assert!(places[0].iter().all(|p| p[0].abs() < 0.6 && p[1] > -0.2), "the stem stands");
}
