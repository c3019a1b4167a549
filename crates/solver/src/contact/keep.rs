//! Nothing crosses: what a sub-step's contact left uncertain is swept, and taken back where it was hit.
//!
//! First one by one: what is hit goes only as far as lets it stay apart. Where that doesn't settle it, points
//! that hit each other go on as one piece, with what is left of their own ways halved again and again
//! (rigid impact zones: X. Provot, "Collision and Self-Collision Handling in Cloth Model Dedicated to Design
//! Garments", 1997); in the end they move as one, and what moves as one can't cross.
use super::pairs::{Arrays, Kind, List, PairGroup, Parting, doubtful};
use super::sweep::{Meeting, dot, sweep};
use crate::simd::Record;
use rayon::prelude::*;
use std::collections::BTreeMap;

/// Rounds of taking back one by one, and then of going on as one piece.
const SINGLY: usize = 6;
const TOGETHER: [f64; 4] = [0.5, 0.25, 0.1, 0.03];
/// Rounds in which pieces have no ways of their own left and only grow, at most.
const GROW: usize = 40;
/// What was hit keeps at least this share of its gap: nearer, rounding could tell sides wrongly.
const LEAST: f64 = 0.02;
/// Groups that one thread takes at least.
const SHARE: usize = 64;

/// A list of pairs, and which surface each of a pair's points is on.
pub struct Watched<'a> {
    pub kind: Kind,
    pub list: &'a mut List,
    /// How many of its groups may come near in this sub-step.
    pub due: usize,
    pub arrays: Arrays,
    pub sides: [usize; 4],
}

/// The points of a surface.
#[derive(Clone, Copy)]
pub struct Side {
    pub now: *mut Record,
    pub start: *const Record,
}

/// Two features that hit each other on their ways.
struct Hit {
    list: usize,
    index: [u32; 4],
    meeting: Meeting,
    keep: f64,
}

/// Goes on until no pair has crossed. Contact has moved no point by more than `moved` metres since the lists were
/// separated. What was begun when it is `stopped` is of no use.
///
/// # Safety
/// The sides are those that the lists name, and nobody else is at their points.
pub unsafe fn keep_apart(
    watched: &mut [Watched],
    sides: &[Side],
    first: &[usize],
    mut moved: f32,
    stopped: &impl Fn() -> bool,
) {
    let mut zones = Zones::default();
    for round in 0..SINGLY + TOGETHER.len() + GROW {
        if stopped() {
            break;
        }
        // Safety: nothing is written while it is looked at.
        let hits: Vec<Hit> =
            watched.iter_mut().enumerate().flat_map(|(k, w)| unsafe { hits(k, w, moved) }).collect();
        if hits.is_empty() {
            return;
        }
        moved = f32::INFINITY;
        if round < SINGLY {
            // Safety: one thread.
            hits.iter().for_each(|h| unsafe { take_back(h, &watched[h.list]) });
        } else {
            for h in &hits {
                let at: [usize; 4] =
                    std::array::from_fn(|i| first[watched[h.list].sides[i]] + h.index[i] as usize);
                at[1..].iter().for_each(|&p| zones.join(at[0], p));
            }
            // Safety: one thread.
            unsafe { zones.go_together(sides, first, TOGETHER.get(round - SINGLY).copied().unwrap_or(0.0)) };
        }
    }
    watched.iter_mut().for_each(|w| w.list.partings.iter_mut().for_each(Parting::forget));
}

unsafe fn hits(list: usize, w: &mut Watched, moved: f32) -> Vec<Hit> {
    let (kind, arrays) = (w.kind, w.arrays);
    let look = |(g, parting): (&PairGroup, &mut Parting)| {
        // Safety: as the caller promises.
        let mut lanes = unsafe { doubtful(kind, g, parting, &arrays, moved) };
        let mut out = vec![];
        while lanes != 0 {
            let l = lanes.trailing_zeros() as usize;
            lanes &= lanes - 1;
            let index: [u32; 4] = std::array::from_fn(|i| g.index[i][l]);
            // Safety: as the caller promises.
            let read =
                |p: *const Record, i: usize| unsafe { (*p.add(index[i] as usize)).xyz().map(f64::from) };
            let x0 = std::array::from_fn(|i| read(arrays.start[i], i));
            let x1 = std::array::from_fn(|i| read(arrays.now[i], i));
            let gap = f64::from(g.gap[l]);
            if let Some(meeting) = sweep(kind, &x0, &x1, gap) {
                let keep = (0.6 * gap.min(super::sweep::nearest(kind, &x0).distance)).max(LEAST * gap);
                out.push(Hit { list, index, meeting, keep });
            }
        }
        out
    };
    let List { groups, partings, .. } = &mut *w.list;
    groups[..w.due].par_iter().zip(&mut partings[..w.due]).with_min_len(SHARE).flat_map_iter(look).collect()
}

unsafe fn take_back(h: &Hit, w: &Watched) {
    // Safety: as the caller promises.
    let at = |i: usize| unsafe { w.arrays.now[i].add(h.index[i] as usize) };
    let x: [Record; 4] = std::array::from_fn(|i| unsafe { *at(i) });
    let (weight, n) = (h.meeting.weight, h.meeting.n);
    let apart: [f64; 3] =
        std::array::from_fn(|c| (0..4).map(|i| weight[i] * f64::from(x[i].0[c] - x[3].0[c])).sum());
    let lacking = h.keep - dot(apart, n);
    if lacking <= 0.0 {
        return;
    }
    let mass: [f64; 4] = std::array::from_fn(|i| if w.arrays.moves[i] { f64::from(x[i].0[3]) } else { 0.0 });
    let total: f64 = (0..4).map(|i| weight[i] * weight[i] * mass[i]).sum();
    if total <= 0.0 {
        return;
    }
    for i in (0..4).filter(|&i| mass[i] > 0.0) {
        let by = lacking / total * weight[i] * mass[i];
        let mut y = x[i];
        (0..3).for_each(|c| y.0[c] += (by * n[c]) as f32);
        // Safety: as the caller promises.
        unsafe { *at(i) = y };
    }
}

/// Points that go on together: each with the one that stands for its zone.
#[derive(Default)]
struct Zones(BTreeMap<usize, usize>);

impl Zones {
    fn root(&mut self, p: usize) -> usize {
        let mut at = p;
        while let Some(&up) = self.0.get(&at).filter(|u| **u != at) {
            at = up;
        }
        self.0.insert(p, at);
        at
    }

    fn join(&mut self, p: usize, q: usize) {
        let (a, b) = (self.root(p), self.root(q));
        self.0.insert(a.max(b), a.min(b));
    }

    /// Each zone moves by its mean, and each point by a `share` of what it departs from that.
    unsafe fn go_together(&mut self, sides: &[Side], first: &[usize], share: f64) {
        let points: Vec<usize> = self.0.keys().copied().collect();
        let mut zones: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
        for p in points {
            let root = self.root(p);
            zones.entry(root).or_default().push(p);
        }
        for zone in zones.values() {
            let at = |p: usize| {
                let side = first.partition_point(|f| *f <= p) - 1;
                let k = p - first[side];
                // Safety: as the caller promises.
                unsafe { (sides[side].now.add(k), *sides[side].start.add(k)) }
            };
            // What nothing moves takes the zone along; else its masses' mean.
            let (mut way, mut mass, mut still) = ([0.0f64; 3], 0.0f64, false);
            for &p in zone {
                let (now, start) = at(p);
                // Safety: as the caller promises.
                let now = unsafe { *now };
                let fixed = now.0[3] <= 0.0;
                if fixed && !still {
                    (way, mass, still) = ([0.0; 3], 0.0, true);
                }
                if fixed == still {
                    let m = if fixed { 1.0 } else { 1.0 / f64::from(now.0[3]) };
                    mass += m;
                    (0..3).for_each(|c| way[c] += m * f64::from(now.0[c] - start.0[c]));
                }
            }
            let way = way.map(|w| w / mass.max(1e-300));
            for &p in zone {
                let (now, start) = at(p);
                // Safety: as the caller promises.
                unsafe {
                    if (*now).0[3] > 0.0 {
                        for c in 0..3 {
                            let own = f64::from((*now).0[c] - start.0[c]) - way[c];
                            (*now).0[c] = (f64::from(start.0[c]) + way[c] + share * own) as f32;
                        }
                    }
                }
            }
        }
    }
}
