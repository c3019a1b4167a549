//! When pairs are looked for: where points are predicted to go until the next search, how far they may stray from
//! that, and whether they have.
use super::boxes::{Placed, Ways};
use super::pairs::{LISTS, List};
use super::search::Meeting;
use super::skins::PlacedSkin;
use super::touch::{Between, Contact};
use crate::simd::Record;
use crate::state::State;
use rayon::prelude::*;

/// Points that one thread takes at least.
const RUN: usize = 2048;
/// Sub-steps that a search is made for, at most; and where a frame begins calm.
const AHEAD: [u32; 2] = [4, 10];
/// A frame begins calm where its points went by no more than this share of the gap, in the mean, in the last sub-step.
const CALM_WAY: f32 = 0.05;
/// How far a point may leave the way it was predicted to go before pairs are searched for anew: so much of the
/// gap, of all its way, and of what this sub-step already turns it aside.
const STRAY: [f32; 3] = [0.35, 0.05, 1.25];
/// So many pairs a point are a crowd: what moves that fast is searched for fewer sub-steps.
const CROWD: usize = 8;
/// So many times more pairs than in one sub-step may be found for several.
const AHEAD_MORE: usize = 4;
/// What is left from one search to the next of the room that a point got because it had strayed.
const CALM: f32 = 0.5;

impl Contact {
    /// Whether a point has left the way that the last search predicted.
    pub(super) fn strayed(&self, states: &[State]) -> bool {
        let steps = (self.since + 1) as f32;
        (0..self.surfaces.len()).any(|k| {
            let n = self.surfaces[k].points;
            let now = if k < self.bodies { &states[k].x } else { &self.skins[k - self.bodies].now };
            let each =
                now[..n].par_chunks(RUN).zip(self.base[k].par_chunks(RUN)).zip(self.ways[k].par_chunks(RUN));
            each.any(|((now, base), ways)| strays(now, base, ways, steps))
        })
    }

    /// Whether a surface meets itself: only then its normals are asked for.
    pub(super) fn meets_itself(&self, k: usize) -> bool {
        self.between.iter().any(|b| b.a == k && b.b == k)
    }

    /// Whether a body that meets itself has turned in a way that the last search didn't predict.
    pub(super) fn turned(&self, states: &[State]) -> bool {
        let mut out = vec![];
        (0..self.bodies).filter(|k| self.meets_itself(*k)).any(|k| {
            self.surfaces[k].turned(&states[k].x, &self.boxes[k], &mut out);
            !out.is_empty()
        })
    }

    /// Searches anew where the last search doesn't hold to the end of this sub-step.
    pub(super) fn refresh(&mut self, states: &[State]) {
        if self.since >= self.ahead {
            self.renew(states, true);
        }
    }

    /// For how many sub-steps a frame that begins so is searched ahead, at most.
    pub(super) fn outlook(&self, states: &[State]) -> u32 {
        let far = |w: &Record| w.xyz().iter().map(|c| c * c).sum::<f32>().sqrt();
        let (mut sum, mut points) = (0.0, 0);
        for s in states {
            sum += s.way[..s.points].iter().map(far).sum::<f32>();
            points += s.present();
        }
        let mean = sum / (self.gap() * points.max(1) as f32);
        AHEAD[usize::from(mean < CALM_WAY)]
    }

    /// How many points of bodies and skins are there.
    fn present(&self, states: &[State]) -> usize {
        let skins = self.surfaces[self.bodies..].iter().map(|s| s.points);
        states.iter().map(State::present).chain(skins).sum()
    }

    /// The least gap of all that meet.
    pub(super) fn gap(&self) -> f32 {
        self.between.iter().fold(f32::INFINITY, |g, b| g.min(b.gap))
    }

    /// How the points of a surface were predicted to go.
    pub(super) fn ways_of(&self, k: usize) -> Ways<'_> {
        let (x, ways) = (self.base[k].as_slice(), self.ways[k].as_slice());
        Ways { x, now: x, ways, times: self.ahead as f32 }
    }

    pub(super) fn meeting(&self, b: &Between) -> Meeting<'_> {
        let at =
            |k: usize| Placed { surface: &self.surfaces[k], boxes: &self.boxes[k], ways: self.ways_of(k) };
        Meeting { a: at(b.a), b: at(b.b), own: b.a == b.b, reach: b.gap * b.room }
    }

    /// Searches anew: because the time is up, if it is `fresh`, or because points went elsewhere.
    pub(super) fn renew(&mut self, states: &[State], fresh: bool) {
        let moving = moving(states, &self.skins);
        let steps = (self.since + 1) as f32;
        for (k, unrest) in self.unrest.iter_mut().enumerate() {
            for (i, unrest) in unrest.iter_mut().enumerate() {
                if fresh {
                    *unrest *= CALM;
                } else {
                    let off = strayed_by(&moving[k].now[i], &self.base[k][i], &self.ways[k][i], steps);
                    if self.ways[k][i] != NOWHERE && off > self.ways[k][i].0[3] {
                        *unrest = unrest.max(off);
                    }
                }
            }
        }
        let pairs = self.between.iter().flat_map(|b| &b.lists).map(List::pairs).sum::<usize>();
        let points = self.present(states);
        let crowded = pairs > CROWD * points;
        // What was good for long is tried for longer.
        self.ahead = match (fresh, crowded) {
            (true, false) => (2 * self.ahead).min(self.most),
            (true, true) => (self.ahead / 2).max(1),
            (false, _) => (self.ahead / 2).max(2),
        };
        self.since = 0;
        self.mended.fill(0);
        self.think(states, fresh);
        let mut found = self.find();
        if self.limit.is_some_and(|most| found > AHEAD_MORE * most * points) && self.ahead > 1 {
            // Not so far ahead, then.
            self.ahead = 1;
            self.think(states, fresh);
            found = self.find();
        }
        self.crowded = self.ahead == 1 && self.limit.is_some_and(|most| found > most * points);
    }

    /// Predicts ways anew, and fits the boxes to them.
    fn think(&mut self, states: &[State], fresh: bool) {
        let moving = moving(states, &self.skins);
        let gap = self.gap();
        let times = self.ahead as f32;
        let mut boxes = std::mem::take(&mut self.boxes);
        let (mut base, mut ways) = (std::mem::take(&mut self.base), std::mem::take(&mut self.ways));
        let all = base.par_iter_mut().zip(&mut ways).zip(&mut boxes).enumerate();
        all.for_each(|(k, ((base, ways), boxes))| {
            let Moving { now, start, .. } = moving[k];
            base.clear();
            base.extend_from_slice(start);
            let unrest = |i: usize| self.unrest[k].get(i).copied().unwrap_or(0.0);
            let points = (0..start.len()).into_par_iter().with_min_len(RUN);
            points
                .map(|i| expected(moving[k], i, Room { gap, times, unrest: unrest(i) }, !fresh))
                .collect_into_vec(ways);
            self.surfaces[k].fit(Ways { x: start, now, ways, times }, self.meets_itself(k), boxes);
        });
        (self.boxes, self.base, self.ways) = (boxes, base, ways);
    }

    /// Fills the lists with the pairs that the boxes give. How many there are.
    fn find(&mut self) -> usize {
        let times = self.ahead as f32;
        let mut sum = 0;
        for k in 0..self.between.len() {
            let tiles = self.meeting(&self.between[k]).tiles();
            let pairs = self.pairs(k, &tiles, &|_, _| true, [0.0, times]);
            sum += pairs.iter().map(Vec::len).sum::<usize>();
            let b = &mut self.between[k];
            b.lists.par_iter_mut().zip(&pairs).for_each(|(l, p)| l.fill(p));
            b.added = Default::default();
            b.lists[LISTS / 2..].iter_mut().for_each(|l| l.fill(&[]));
        }
        sum
    }
}

/// Where a surface's points are about to be and were, and their last ways where they have any.
#[derive(Clone, Copy)]
pub(super) struct Moving<'a> {
    pub now: &'a [Record],
    pub start: &'a [Record],
    way: Option<&'a [Record]>,
    /// Which of them are not there; empty where all are.
    away: &'a [bool],
}

/// The way of what is not there: its box is of nothing.
const NOWHERE: Record = Record([0.0, 0.0, 0.0, f32::NEG_INFINITY]);

/// Where each surface is about to be, was, and which way it went last.
pub(super) fn moving<'a>(states: &'a [State], skins: &'a [PlacedSkin]) -> Vec<Moving<'a>> {
    states
        .iter()
        .map(|s| Moving { now: &s.x, start: &s.start, way: Some(&s.way), away: &s.away })
        .chain(skins.iter().map(|s| Moving { now: &s.now, start: &s.start, way: None, away: &[] }))
        .collect()
}

/// What room a point is given goes by.
#[derive(Clone, Copy)]
pub(super) struct Room {
    /// Metres.
    pub gap: f32,
    /// Sub-steps that it is for.
    pub times: f32,
    /// What it needed before, metres.
    pub unrest: f32,
}

/// The way a point is predicted to go in each of so many sub-steps, with how far it may stray from that: as it goes
/// now, after contact has `met` it in this sub-step or before.
pub(super) fn expected(moving: Moving, i: usize, room: Room, met: bool) -> Record {
    let Moving { now, start, way, away } = moving;
    if away.get(i).is_some_and(|away| *away) {
        return NOWHERE;
    }
    let Room { gap, times, unrest } = room;
    let to: [f32; 3] = std::array::from_fn(|c| now[i].0[c] - start[i].0[c]);
    let before = way.map_or(to, |way| way.get(i).map_or([0.0; 3], Record::xyz));
    // Before contact, what pushes against it seems to go further than it comes.
    let share: f32 = if met { 0.5 } else { 0.0 };
    let d: [f32; 3] = std::array::from_fn(|c| share.mul_add(to[c] - before[c], before[c]));
    let far = |d: [f32; 3]| (d[0] * d[0] + d[1] * d[1] + d[2] * d[2]).sqrt();
    let aside = far(std::array::from_fn(|c| to[c] - d[c]));
    let pad = STRAY[0] * gap + STRAY[1] * times * far(d) + STRAY[2] * aside + unrest;
    Record([d[0], d[1], d[2], pad])
}

/// Whether a point is not where it was thought to be after so many sub-steps.
fn strays(now: &[Record], base: &[Record], ways: &[Record], steps: f32) -> bool {
    now.iter().zip(base).zip(ways).any(|((x, b), w)| off2(x, b, w, steps) > w.0[3] * w.0[3])
}

#[inline(always)]
pub(super) fn strayed_by(x: &Record, b: &Record, w: &Record, steps: f32) -> f32 {
    off2(x, b, w, steps).sqrt()
}

#[inline(always)]
fn off2(x: &Record, b: &Record, w: &Record, steps: f32) -> f32 {
    let off = [0, 1, 2].map(|c| x.0[c] - b.0[c] - steps * w.0[c]);
    off[0] * off[0] + off[1] * off[1] + off[2] * off[2]
}
