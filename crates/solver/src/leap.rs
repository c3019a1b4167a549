//! Jumps that no body can follow: what holds it stands somewhere else in the next frame, as when a character is put
//! in its place at the start of a shot.
//!
//! The body is then carried along as one piece, as what holds it went, and the frame is simulated with its grips where
//! they arrive. Swept, such a way would stretch the body over all of it and meet everything on it. Two kinds:
//! - a *leap*: faster than anything is thrown. The body keeps its motion relative to what holds it;
//! - a *jerk*: slower, but the search for pairs found more than [`MOST_PAIRS`] a point on the way. The body gets the
//!   velocity that it was carried with, for such a motion may go on.
use crate::body::Body;
use crate::inputs::{FrameInputs, GripMotion, Pose, Pull};
use crate::simd::Record;
use crate::state::State;
use std::borrow::Cow;

/// A change of velocity from frame to frame that is a leap and no motion, m/s: 1.25 m within a frame at 24 a second,
pub const LEAP_SPEED: f32 = 30.0;
/// if the body is taken further than this share of its own extent, too.
const LEAP_SHARE: f32 = 0.5;
/// What is taken less far than this share of its extent is no jerk either: something else crowds it.
const JERK_SHARE: f32 = 0.25;
/// Pairs of features a point that a search may give in one sub-step where a body can be carried instead. Cloth in
/// folds has some twenty, a fall into folds some hundred.
pub const MOST_PAIRS: usize = 600;

/// How a body is carried.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Leap {
    from: Pose,
    to: Pose,
    /// How far it went beyond where the body was going, metres.
    beyond: f32,
    /// Whether it keeps the velocity that it is carried with.
    goes_on: bool,
}

/// Carries the bodies that leap, those that are `jerked` too, and gives the frame as it then is: whatever jumped stands
/// where it arrives. Notes in the states how far.
pub(crate) fn carry<'a>(
    bodies: &[Body],
    states: &mut [State],
    frame: &'a FrameInputs,
    jerked: bool,
) -> Cow<'a, FrameInputs> {
    let leaps: Vec<Option<Leap>> = bodies
        .iter()
        .zip(states.iter())
        .enumerate()
        .map(|(k, (c, s))| leap(k, c, s, frame, jerked))
        .collect();
    states.iter_mut().zip(&leaps).for_each(|(s, l)| s.leapt = l.map_or(0.0, |l| l.beyond));
    let colliders = collider_leaps(frame);
    if leaps.iter().all(Option::is_none) && colliders.iter().all(Option::is_none) {
        return Cow::Borrowed(frame);
    }
    let mut out = frame.clone();
    for (m, _) in out.colliders.iter_mut().zip(&colliders).filter(|(_, l)| l.is_some()) {
        m.way = m.way.arrived();
        m.shapes.0 = m.shapes.0.last().cloned().into_iter().collect();
    }
    for (k, leap) in leaps.iter().enumerate() {
        if let Some(leap) = leap {
            for g in out.grips.iter_mut().filter(|g| g.body == k) {
                g.arrive();
            }
            take(leap, &bodies[k], &mut states[k], &out, k);
        }
    }
    Cow::Owned(out)
}

/// How far each collider jumps in a frame, where it does, metres.
pub fn collider_leaps(frame: &FrameInputs) -> Vec<Option<f32>> {
    let limit = LEAP_SPEED * frame.duration as f32;
    let way = |m: &crate::inputs::ColliderMotion| distance(m.way.from().position, m.way.to().position);
    frame.colliders.iter().map(|m| Some(way(m)).filter(|w| *w > limit)).collect()
}

fn leap(number: usize, body: &Body, state: &State, frame: &FrameInputs, jerked: bool) -> Option<Leap> {
    // One that lets go on the way takes nothing along.
    let holds = |g: &&GripMotion| g.body == number && g.pull.as_ref().is_none_or(Pull::holds);
    let grips: Vec<&GripMotion> = frame.grips.iter().filter(holds).collect();
    // What holds most of it takes it along.
    let grip = *grips.iter().max_by_key(|g| g.points.len())?;
    let going = mean_velocity(body, state).map(|v| v * frame.duration as f32);
    let beyond = |g: &GripMotion| {
        let (p, q) = (g.places(0.0), g.places(1.0));
        let each = g.points.iter().enumerate().map(|(k, &point)| {
            let rest = body.rest[body.place(point) as usize].xyz();
            let (a, b) = (p(k, rest), q(k, rest));
            distance([0, 1, 2].map(|c| a[c] + going[c]), b)
        });
        each.fold(0.0, f32::max)
    };
    let beyond = grips.iter().map(|g| beyond(g)).fold(0.0, f32::max);
    let extent = extent(body);
    let leaps = beyond > (LEAP_SPEED * frame.duration as f32).max(LEAP_SHARE * extent);
    let jerks = jerked && beyond > JERK_SHARE * extent;
    let [from, to] = grip.ends();
    (leaps || jerks).then_some(Leap { from, to, beyond, goes_on: !leaps })
}

fn take(leap: &Leap, body: &Body, state: &mut State, frame: &FrameInputs, number: usize) {
    let mut carried = vec![false; body.points()];
    for g in frame.grips.iter().filter(|g| g.body == number) {
        g.points.iter().for_each(|&p| carried[body.place(p) as usize] = true);
    }
    let (a, b) = (leap.from.axes(), leap.to.axes());
    let turned = |v: &mut Record| {
        let own = a.map(|a| a[0] * v.0[0] + a[1] * v.0[1] + a[2] * v.0[2]);
        (0..3).for_each(|c| v.0[c] = b[0][c] * own[0] + b[1][c] * own[1] + b[2][c] * own[2]);
    };
    let (per, step) = (1.0 / frame.duration as f32, state.dt);
    for p in 0..body.points() {
        let moves = state.x[p].0[3] > 0.0;
        // What the world holds stays.
        if !moves && !carried[p] {
            continue;
        }
        let from = state.x[p].xyz();
        let to = leap.to.place(leap.from.inverse(from));
        (0..3).for_each(|c| state.x[p].0[c] = to[c]);
        [&mut state.v[p], &mut state.was[p], &mut state.way[p]].into_iter().for_each(turned);
        if leap.goes_on && moves {
            for c in 0..3 {
                let v = (to[c] - from[c]) * per;
                state.v[p].0[c] += v;
                state.was[p].0[c] += v;
                state.way[p].0[c] += v * step;
            }
        }
    }
    // Where it arrives something may stand.
    state.tangled = true;
}

/// Of what moves, by mass, m/s.
fn mean_velocity(body: &Body, state: &State) -> [f32; 3] {
    let (mut sum, mut mass) = ([0.0f64; 3], 0.0f64);
    for p in (0..body.points()).filter(|&p| state.x[p].0[3] > 0.0) {
        let m = f64::from(body.mass[p]);
        mass += m;
        (0..3).for_each(|c| sum[c] += m * f64::from(state.v[p].0[c]));
    }
    sum.map(|s| (s / mass.max(1e-30)) as f32)
}

fn distance(a: [f32; 3], b: [f32; 3]) -> f32 {
    (0..3).map(|c| (a[c] - b[c]) * (a[c] - b[c])).sum::<f32>().sqrt()
}

/// From corner to corner of the box about the body at rest, metres.
fn extent(body: &Body) -> f32 {
    let (mut lo, mut hi) = ([f32::INFINITY; 3], [f32::NEG_INFINITY; 3]);
    for p in &body.rest[..body.points()] {
        let p = p.xyz();
        (lo, hi) = ([0, 1, 2].map(|c| lo[c].min(p[c])), [0, 1, 2].map(|c| hi[c].max(p[c])));
    }
    distance(lo, hi)
}
