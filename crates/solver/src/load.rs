//! Points by which a collider carries others count as heavy as what they carry.
//!
//! A body's own forces and contact take turns in a sub-step. A point on a collider's edge, that cloth hangs from, is as
//! light as any other: its threads draw it into the collider instead of lifting what hangs there, contact brings it out
//! again, and next time what hangs has fallen further. Threads of n edges that hang over an edge so stretch the first of
//! them by about n g dt² (85 % of its length on a box, at ten sub-steps and 48 points a metre). So for its body's own
//! forces such a point has its mass as many times as keeps what they draw it into the collider under a share of an edge. That
//! is a mass for what a collider holds anyway, as in shock propagation (E. Guendelman, R. Bridson, R. Fedkiw, "Nonconvex
//! Rigid Bodies with Stacking", 2003, sec. 8) and stacks of particles (M. Macklin et al., "Unified Particle Physics for
//! Real-Time Applications", 2014, sec. 5.2), but by as much as is measured, and the less the smaller the sub-step.
//!
//! What loose points lie on counts as heavy for contact too, so that a light cloth lifts them and is not pressed through by
//! them; at rest all that it bears is their true weight.
//!
//! It is the same in all directions, so that friction weighs a pull along the collider against a push of the same mass;
//! gravity still pulls by the point's own weight, and what carries nothing slides as ever.
use crate::simd::Record;
use rayon::prelude::*;

/// How many times its own mass a point counts at most, and by what its load may rise in a sub-step.
pub struct Pace {
    most: f32,
    rise: f32,
}

/// More is worth less than it shakes: heavy points side by side take the forces between them for loads. And slowly, for
/// what is hit pulls as hard for a moment.
pub const BY_COLLIDERS: Pace = Pace { most: 32.0, rise: 1.1 };
/// Loose points on a cloth weigh a hundred times what a point of it does, from one sub-step to the next. (1.6 kg of balls
/// on a hammock of 0.4 kg, ten sub-steps: its worst thread stretched to 2.7 times its length at the pace above, to 1.2 at
/// this, a fall of 15 cm just over.)
pub const BY_LOOSE: Pace = Pace { most: 128.0, rise: 1.5 };
/// By what it may fall.
const FALL: f32 = 1.2;
/// How far its body's own forces may draw a point into a collider in a sub-step: so much of what points lie apart.
const ROOM: f32 = 0.1;
/// Points that one thread takes at least.
const RUN: usize = 2048;

/// What the points of a body carry.
#[derive(Clone, Debug, Default)]
pub struct Loads {
    /// By which each point's mass is multiplied.
    pub times: Vec<f32>,
    /// Whether any is.
    any: bool,
    /// How far points lie apart at rest, in the mean, metres.
    apart: f32,
    /// How far the body's own forces moved each in this sub-step, metres.
    pub own: Vec<Record>,
    /// Which way colliders and loose points pushed each, by how far, metres.
    pub met: Vec<Record>,
}

impl Loads {
    /// Of so many points, and of all with the spare ones.
    pub fn none(points: usize, all: usize, apart: f32) -> Loads {
        let zero = vec![Record::default(); all];
        Loads { times: vec![1.0; points], any: false, apart, own: zero.clone(), met: zero }
    }

    /// Takes up what was remembered: by which each point's mass is multiplied, at least 1.
    pub fn set(&mut self, times: Vec<f32>) {
        self.any = times.iter().any(|t| *t > 1.0);
        self.times = times;
    }

    /// Makes a point heavier for the forces of its body, by so many times its mass, until what was is taken back (`take_back`).
    pub fn lump(&mut self, place: usize, times: f32) {
        self.times[place] *= times;
        self.any = true;
    }

    /// What there is, to be taken back.
    pub fn now(&self) -> (Vec<f32>, bool) {
        (self.times.clone(), self.any)
    }

    pub fn take_back(&mut self, (times, any): (Vec<f32>, bool)) {
        (self.times, self.any) = (times, any);
    }

    /// By which each point's mass is multiplied, if any is.
    pub fn heavy(&self) -> Option<&[f32]> {
        self.any.then_some(&self.times)
    }

    /// Makes points as heavy as what they carry.
    pub fn weigh(&self, x: &mut [Record]) {
        if self.any {
            x.iter_mut().zip(&self.times).for_each(|(x, times)| x.0[3] /= times);
        }
    }

    /// Makes them what they were at the `start`.
    pub fn unweigh(&self, x: &mut [Record], start: &[Record]) {
        if self.any {
            x.iter_mut().zip(start).take(self.times.len()).for_each(|(x, start)| x.0[3] = start.0[3]);
        }
    }

    /// Where nothing is met, nothing is carried.
    pub fn clear(&mut self) {
        if std::mem::take(&mut self.any) {
            self.times.fill(1.0);
        }
    }

    /// Before contact.
    pub fn begin(&mut self) {
        self.met.fill(Record::default());
    }

    /// After contact: finds what each point bore against what it met in this sub-step.
    pub fn renew(&mut self, pace: &Pace) {
        let per = 1.0 / (ROOM * self.apart);
        let each = self.times.par_iter_mut().zip(&self.own).zip(&self.met).with_min_len(RUN);
        let any = each.map(|((times, own), met)| {
            let [n, own] = [met, own].map(Record::xyz);
            let far2 = n[0] * n[0] + n[1] * n[1] + n[2] * n[2];
            if far2 == 0.0 && *times == 1.0 {
                return false;
            }
            let against = -(n[0] * own[0] + n[1] * own[1] + n[2] * own[2]) / far2.max(1e-24).sqrt();
            let wanted = *times * against * per;
            *times = wanted.clamp((*times / FALL).max(1.0), (*times * pace.rise).min(pace.most));
            *times > 1.0
        });
        self.any = any.reduce(|| false, |a, b| a | b);
    }
}
