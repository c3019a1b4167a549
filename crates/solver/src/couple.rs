//! Bodies that hang on bodies: points of one tied to spots of another, each the other's weight and momentum.
//!
//! A tied point and its spot move as one lump: what pulls at either meets the masses of both. For the forces of the body that carries,
//! the corners of a spot's triangle have the tied mass besides their own, by the spot's shares; for those of the body that hangs its
//! point has what the spot weighs. What one body's forces moved, the other's is moved along by, so that each force gives all that it
//! takes: with m at a corner, M tied to it and an impulse J, both go by J / (m + M) and have J together (master and slave nodes,
//! J. Hallquist, "LS-DYNA Theory Manual", 2006, ch. 27, with the slave's mass lumped to the master). Where many hang at one spot each has a part of
//! what it weighs, and it goes by the mean of where each takes its part: had each all of it, together they would throw it about (the added mass of
//! P. Causin, J.-F. Gerbeau, F. Nobile, "Added-Mass Effect in the Design of Partitioned Algorithms for Fluid-Structure Problems", 2005). Where they still are apart they are
//! brought together by their masses (M. Müller et al., "Position Based Dynamics", 2007, eq. 8). Sums over a tie go in its own order.
use crate::body::Body;
use crate::carriage::Carriage;
use crate::inputs::{FrameInputs, Tie, TieNow};
use crate::simd::Record;
use crate::state::State;
use std::collections::BTreeMap;

/// Sweeps over a tie's points: those of one triangle pull at the same corners.
const SWEEPS: usize = 12;

/// The ties of a frame, ready for its sub-steps.
pub(crate) struct Couple<'a> {
    ties: Vec<Begun<'a>>,
}

struct Begun<'a> {
    now: &'a TieNow,
    /// Who hangs, and on whom.
    bodies: [usize; 2],
    /// By place.
    points: Vec<u32>,
    spots: Vec<Spot>,
}

/// By places of the body that carries.
struct Spot {
    corners: [usize; 3],
    shares: [f64; 3],
    off: [f64; 3],
    /// How many hang there: of what it weighs each has so much less, for what moves one of them moves all.
    crowd: f64,
}

/// How many times its own mass a point weighs that hangs on what nothing moves.
const HELD: f64 = 1e7;

type P = [f64; 3];

impl Spot {
    /// Where it is, by where each corner is.
    fn place(&self, at: impl Fn(usize) -> P) -> P {
        let [a, b, c] = self.corners.map(at);
        let s = &self.shares;
        let on: P = std::array::from_fn(|k| s[0] * a[k] + s[1] * b[k] + s[2] * c[k]);
        if self.off == [0.0; 3] {
            return on;
        }
        let (e, f): (P, P) = (std::array::from_fn(|k| b[k] - a[k]), std::array::from_fn(|k| c[k] - a[k]));
        let (Some(x), Some(z)) = (unit(e), unit(cross(e, f))) else { return on };
        let y = cross(z, x);
        std::array::from_fn(|k| on[k] + x[k] * self.off[0] + y[k] * self.off[1] + z[k] * self.off[2])
    }

    /// The inverse of what it weighs, by those of its corners.
    fn inverse(&self, weight: impl Fn(usize) -> f64) -> f64 {
        (0..3).map(|k| self.shares[k] * self.shares[k] * weight(self.corners[k])).sum()
    }
}

fn cross(a: P, b: P) -> P {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}

fn unit(v: P) -> Option<P> {
    let size = (v[0] * v[0] + v[1] * v[1] + v[2] * v[2]).sqrt();
    (size > 1e-18).then(|| v.map(|c| c / size))
}

/// Where a point is in the middle of a sub-step.
fn now(s: &State, place: usize) -> P {
    std::array::from_fn(|c| f64::from(s.start[place].0[c]) + f64::from(s.gained[place].0[c]))
}

/// Its own inverse mass.
fn own(s: &State, place: usize) -> f64 {
    f64::from(s.x[place].0[3])
}

fn shift(to: &mut Record, by: P) {
    (0..3).for_each(|c| to.0[c] += by[c] as f32);
}

/// Where the spots or points of a tie were before a body's forces moved them.
pub(crate) struct Before(Vec<Vec<P>>);

impl<'a> Couple<'a> {
    pub fn new(bodies: &[Body], frame: &'a FrameInputs) -> Couple<'a> {
        let of = |now: &'a TieNow| {
            let Tie { bodies: [hangs, on], points, spots } = now.tie.as_ref();
            let spot = |s: &crate::inputs::TieSpot| Spot {
                corners: s.triangle.map(|p| bodies[*on].place(p) as usize),
                shares: s.shares.map(f64::from),
                off: s.off.map(f64::from),
                crowd: 1.0,
            };
            let mut spots: Vec<Spot> = spots.iter().map(spot).collect();
            let mut weighs: BTreeMap<usize, f64> = BTreeMap::new();
            for s in &spots {
                (0..3).for_each(|k| *weighs.entry(s.corners[k]).or_default() += s.shares[k]);
            }
            for s in &mut spots {
                let about: f64 = (0..3).map(|k| s.shares[k] * weighs[&s.corners[k]]).sum();
                s.crowd = about.max(1.0);
            }
            Begun {
                now,
                bodies: [*hangs, *on],
                points: points.iter().map(|p| bodies[*hangs].place(*p)).collect(),
                spots,
            }
        };
        Couple { ties: frame.ties.iter().map(of).collect() }
    }

    /// Those that hold at a moment, from 0 to 1 through the frame, and how much.
    fn holding(&self, moment: f32) -> impl Iterator<Item = (&Begun<'a>, f64)> {
        let at = move |t: &Begun| f64::from(t.now.hold[0] + moment * (t.now.hold[1] - t.now.hold[0]));
        self.ties.iter().map(move |t| (t, at(t))).filter(|(_, hold)| *hold > 0.0)
    }

    /// Whether it is as firm as can be.
    fn firm(t: &Begun, hold: f64) -> bool {
        t.now.spring.is_none() && hold >= 0.999
    }

    /// After all have gone where their velocities lead: brings what is tied together, and makes it weigh what both do. Gives what it
    /// weighed, for `lighten`.
    pub fn weigh(&self, moment: f32, by: &Carriage, states: &mut [State]) -> Vec<(Vec<f32>, bool)> {
        if self.ties.is_empty() {
            return vec![];
        }
        self.join(moment, by, states);
        let before = states.iter().map(|s| s.loads.now()).collect();
        // What each corner carries, and each point hangs by, all added to its own.
        let mut more: Vec<BTreeMap<usize, f64>> = states.iter().map(|_| BTreeMap::new()).collect();
        for (t, hold) in self.holding(moment) {
            if !Couple::firm(t, hold) {
                continue;
            }
            let [hangs, on] = t.bodies;
            for (p, s) in t.points.iter().zip(&t.spots) {
                let p = *p as usize;
                let (point, spot) = (own(&states[hangs], p), s.inverse(|k| own(&states[on], k)));
                for k in (0..3).filter(|_| point > 0.0) {
                    *more[on].entry(s.corners[k]).or_default() += s.shares[k] / point;
                }
                // What carries it is held itself, where it has no weight.
                *more[hangs].entry(p).or_default() +=
                    if spot > 0.0 { 1.0 / (spot * s.crowd) } else { HELD / point.max(1e-30) };
            }
        }
        for (state, more) in states.iter_mut().zip(&more) {
            for (k, mass) in more {
                let times = 1.0 + mass * own(state, *k);
                state.loads.lump(*k, times as f32);
            }
        }
        before
    }

    /// After the forces of all bodies: all weighs what it did.
    pub fn lighten(&self, before: Vec<(Vec<f32>, bool)>, states: &mut [State]) {
        states.iter_mut().zip(before).for_each(|(s, before)| s.loads.take_back(before));
    }

    /// Before the forces of a body act.
    pub fn before(&self, body: usize, moment: f32, states: &[State]) -> Before {
        let of = |(t, hold): (&Begun, f64)| match t.bodies {
            _ if !Couple::firm(t, hold) => vec![],
            [hangs, _] if hangs == body => {
                t.points.iter().map(|p| now(&states[hangs], *p as usize)).collect()
            }
            [_, on] if on == body => t.spots.iter().map(|s| s.place(|k| now(&states[on], k))).collect(),
            _ => vec![],
        };
        Before(self.holding(moment).map(of).collect())
    }

    /// After they did: what is tied to it goes along.
    pub fn along(&self, body: usize, moment: f32, before: &Before, states: &mut [State]) {
        for ((t, _), before) in self.holding(moment).zip(&before.0) {
            let [hangs, on] = t.bodies;
            for ((p, s), before) in t.points.iter().zip(&t.spots).zip(before) {
                let p = *p as usize;
                if body == on {
                    let to = s.place(|k| now(&states[on], k));
                    if own(&states[hangs], p) > 0.0 {
                        shift(&mut states[hangs].gained[p], std::array::from_fn(|c| to[c] - before[c]));
                    }
                } else {
                    let to = now(&states[hangs], p);
                    let inverse = s.inverse(|k| own(&states[on], k));
                    for k in 0..3 {
                        let share =
                            s.shares[k] * own(&states[on], s.corners[k]) / (inverse.max(1e-30) * s.crowd);
                        let by = std::array::from_fn(|c| share * (to[c] - before[c]));
                        shift(&mut states[on].gained[s.corners[k]], by);
                    }
                }
            }
        }
    }

    /// Brings what is tied together, each by the other's mass; `by` has the pace of all.
    pub fn join(&self, moment: f32, by: &Carriage, states: &mut [State]) {
        // The time in which forces act.
        let dt = states.first().map_or(1.0, |s| by.balance(s));
        for (t, hold) in self.holding(moment) {
            let [hangs, on] = t.bodies;
            let soft =
                t.now.spring.map_or(0.0, |k| 1.0 / (f64::from(k) * hold * f64::from(dt).powi(2)).max(1e-30));
            let share = if t.now.spring.is_some() { 1.0 } else { hold.min(1.0) };
            let mut pulls = vec![[0.0f64; 3]; t.points.len()];
            for sweep in 0..SWEEPS {
                let mut most = 0.0f64;
                for ((p, s), pull) in t.points.iter().zip(&t.spots).zip(&mut pulls) {
                    let p = *p as usize;
                    let (point, spot) = (own(&states[hangs], p), s.inverse(|k| own(&states[on], k)));
                    if point + spot == 0.0 {
                        continue;
                    }
                    let (x, to) = (now(&states[hangs], p), s.place(|k| now(&states[on], k)));
                    // XPBD's compliant step (M. Macklin et al., 2016, eq. 18); one sweep gives way by the share.
                    let by: P = std::array::from_fn(|c| {
                        let d = (to[c] - x[c] - soft * pull[c]) / (point + spot + soft);
                        if sweep == 0 {
                            share * d
                        } else if share < 1.0 {
                            0.0
                        } else {
                            d
                        }
                    });
                    (0..3).for_each(|c| pull[c] += by[c]);
                    most = most.max(by.iter().map(|c| c.abs()).fold(0.0, f64::max) * (point + spot));
                    shift(&mut states[hangs].gained[p], by.map(|c| c * point));
                    for k in 0..3 {
                        let w = s.shares[k] * own(&states[on], s.corners[k]);
                        shift(&mut states[on].gained[s.corners[k]], by.map(|c| -c * w));
                    }
                }
                if most < 1e-8 {
                    break;
                }
            }
        }
    }
}

/// Of two bodies that are tied the points that don't meet those of the other: those tied and about their spots, with those that
/// share a triangle with them.
pub(crate) struct Tied {
    pair: [usize; 2],
    near: [Vec<bool>; 2],
}

impl Tied {
    /// Whether of some points, each with its body, there are of both.
    pub fn meet(&self, points: impl Iterator<Item = (u32, usize)> + Clone) -> bool {
        (0..2).all(|k| points.clone().any(|(p, body)| body == self.pair[k] && self.near[k][p as usize]))
    }
}

/// The ties of a frame, as contact has to know of them.
pub(crate) fn tied(bodies: &[Body], ties: &[TieNow]) -> Vec<Tied> {
    let of = |now: &TieNow| {
        let Tie { bodies: pair, points, spots } = now.tie.as_ref();
        let near = |body: usize, own: Vec<u32>| {
            let b = &bodies[body];
            let mut first = vec![false; b.points()];
            own.iter().for_each(|p| first[b.place(*p) as usize] = true);
            let mut near = first.clone();
            let about = b.outside.features.about(|p| first[p as usize]);
            about.into_iter().for_each(|p| near[p as usize] = true);
            near
        };
        let spots = spots.iter().flat_map(|s| s.triangle).collect();
        Tied { pair: *pair, near: [near(pair[0], points.clone()), near(pair[1], spots)] }
    };
    ties.iter().map(of).collect()
}
