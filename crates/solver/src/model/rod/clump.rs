//! Strands tied in clumps: each point by a spring to the middle of those of its number.
//!
//! A spring is as long at rest as it was at first, or a share of that, whichever way it lies: a clump turns as a whole without any force. Where the
//! middle will be is taken from where all are led to, and its part of the forces from each alike, so that they give the clump no momentum; how a
//! spring resists is implicit in its own point.
use super::StrandRest;
use super::lanes::{L, LANES, V};
use super::rest::apart;
use crate::simd::Record;
use crate::state::State;
use rayon::prelude::*;

/// The clumps of a body.
pub(super) struct Clumps {
    /// The first points of the strands of each, and how many points all of them have.
    all: Vec<(Vec<u32>, usize)>,
    /// N/m by a point's number.
    stiffness: Vec<f32>,
    /// By point: how long its spring is at rest, metres.
    long: Vec<f32>,
}

/// What a spring does to a point where that is led to: a force, N, the way along it, and what it resists by there, N/m.
#[derive(Clone, Copy, Default)]
pub(super) struct Tied {
    pub force: [f64; 3],
    pub way: [f64; 3],
    pub resists: f64,
}

/// The same of the strands of a block.
#[derive(Clone, Copy, Default)]
pub(super) struct TiedAll {
    pub force: V,
    pub way: V,
    pub resists: L,
}

type P = [f64; 3];

fn wide(r: &Record) -> P {
    r.xyz().map(f64::from)
}

impl Clumps {
    /// None where nothing is tied.
    pub fn of(rest: &StrandRest) -> Option<Clumps> {
        let own = rest.clumps.as_ref().filter(|c| c.stiffness.iter().any(|k| *k > 0.0))?;
        let most = own.of.iter().copied().max().map_or(0, |m| m as usize + 1);
        let mut all: Vec<(Vec<u32>, usize)> = vec![(vec![], usize::MAX); most];
        for ((from, count), clump) in rest.strands().zip(&own.of) {
            let (strands, points) = &mut all[*clump as usize];
            strands.push(from as u32);
            *points = (*points).min(count);
        }
        // One alone is tied to nothing.
        all.retain(|(strands, _)| strands.len() > 1);
        let mut long = vec![0.0; rest.positions.len()];
        let shape = rest.shape();
        for (strands, points) in &all {
            for k in 0..*points {
                let each = || strands.iter().map(|s| *s as usize + k);
                let middle = mean(each().map(|p| shape[p].map(f64::from)), strands.len());
                each().for_each(|p| long[p] = (apart(shape[p], middle.map(|c| c as f32)) as f32) * own.wide);
            }
        }
        (!all.is_empty()).then(|| Clumps { all, stiffness: own.stiffness.clone(), long })
    }

    /// What all springs do in a sub-step, by point.
    pub fn tied(&self, state: &State) -> Vec<Tied> {
        let at = |p: usize| -> P {
            let (start, by) = (wide(&state.start[p]), wide(&state.gained[p]));
            std::array::from_fn(|c| start[c] + by[c])
        };
        let one = |(strands, points): &(Vec<u32>, usize)| {
            let mut out: Vec<(usize, Tied)> = vec![];
            for (k, by) in self.stiffness.iter().enumerate().take(*points).filter(|(_, by)| **by > 0.0) {
                let by = f64::from(*by);
                let each = || strands.iter().map(|s| *s as usize + k);
                let middle = mean(each().map(at), strands.len());
                let from = out.len();
                for p in each() {
                    let d: P = std::array::from_fn(|c| at(p)[c] - middle[c]);
                    let far = (d[0] * d[0] + d[1] * d[1] + d[2] * d[2]).sqrt();
                    let way = d.map(|c| c / far.max(1e-9));
                    let force = way.map(|c| -by * (far - f64::from(self.long[p])) * c);
                    out.push((p, Tied { force, way, resists: by }));
                }
                let all = mean(out[from..].iter().map(|(_, t)| t.force), strands.len());
                out[from..].iter_mut().for_each(|(_, t)| (0..3).for_each(|c| t.force[c] -= all[c]));
            }
            out
        };
        let mut by = vec![Tied::default(); self.long.len()];
        let found: Vec<Vec<(usize, Tied)>> = self.all.par_iter().map(one).collect();
        found.into_iter().flatten().for_each(|(p, t)| by[p] = t);
        by
    }
}

fn mean(all: impl Iterator<Item = P>, count: usize) -> P {
    let mut sum = [0.0; 3];
    all.for_each(|p| (0..3).for_each(|c| sum[c] += p[c]));
    sum.map(|c| c / count as f64)
}

/// Of the strands of a block, at a point of each.
pub(super) fn lanes(of: &[Tied], first: &[u32; LANES], k: usize) -> TiedAll {
    let each = first.map(|p| of[p as usize + k]);
    TiedAll {
        force: V::of(each.map(|t| t.force)),
        way: V::of(each.map(|t| t.way)),
        resists: L::of(each.map(|t| t.resists)),
    }
}
