//! Coarse levels: a pull that has far to go is passed on in large steps before the small ones.
//!
//! One sweep a sub-step passes a pull on by a cell; yarns pass it along themselves, but a border that carries a whole
//! sheet by its corners is met by light points one at a time, and so is shear. So lattices are laid over the material,
//! whose nodes are weighted means of points. They are relaxed first, coarsest first, and what they pulled is handed
//! down: all levels are one stiffness, that of the matter, and not springs added for speed. The idea of hierarchies is
//! that of M. Müller, "Hierarchical Position Based Dynamics" (2008); there each level begins with nothing.
//!
//! A node X = Σ ω x with ω = P m / Σ P m moves points by P, the lattice's bilinear weights: that is
//! w ∇C Δλ of extended position-based dynamics with the node's mass Σ P m, and keeps momentum.
pub mod build;
pub mod cell;

use crate::model::cloth::constraint::Scale;
use crate::model::cloth::constraint::prolonged::Prolonged;
use crate::simd::Record;
use cell::Cells;
use rayon::prelude::*;

/// Sweeps over a level each sub-step, finest first: the coarser, the cheaper.
const SWEEPS: [usize; 3] = [2, 4, 12];

/// One lattice over the level below it (the first over the points).
pub struct Level {
    /// For each node its children below with their ω.
    children: Vec<Vec<(u32, f32)>>,
    /// For each child its nodes and weights P.
    nodes: Vec<([u32; 4], [f32; 4])>,
    /// Inverse mass of each node, 1/kg; 0 where it is held. Four spare ones follow.
    weight: Vec<f32>,
    cells: Cells,
    tethers: Vec<Tether>,
}

/// What keeps a node by the held points of its material: it may come no farther from their middle than it
/// lies at rest.
struct Tether {
    node: u32,
    /// The held points, whose mean is meant.
    pins: Vec<u32>,
    /// Metres.
    length: f32,
    /// m/N.
    compliance: f32,
}

/// What a level needs while it works.
#[derive(Clone, Debug, Default)]
pub struct Scratch {
    /// Where the nodes were, and what they gained since, with their inverse masses: apart, as for the points.
    start: Vec<Record>,
    gained: Vec<Record>,
    cells: cell::Scratch,
    /// Where each tether is pinned, and its pull.
    pinned: Vec<([f32; 3], f32)>,
}

impl Level {
    pub fn scratch(&self) -> Scratch {
        let n = self.weight.len();
        let spare = [[0.0, 0.0, 0.0], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [1.0, 1.0, 0.0]];
        let gained: Vec<Record> = self.weight.iter().map(|w| Record([0.0, 0.0, 0.0, *w])).collect();
        let mut start = vec![Record::default(); n];
        for (k, [a, b, c]) in spare.into_iter().enumerate() {
            start[n - 4 + k] = Record([a, b, c, 0.0]);
        }
        Scratch { start, gained, cells: self.cells.scratch(), pinned: vec![] }
    }
}

impl Scratch {
    /// What the finest level pulled.
    pub fn prolonged(&self) -> &Prolonged {
        &self.cells.prolonged
    }
}

/// Relaxes the levels, coarsest first. `at` has where the points were, spares and all, and what they gained.
pub fn relax(levels: &[Level], at: [&[Record]; 2], scratch: &mut [Scratch], scale: Scale) {
    // Nodes are told from one of the points: means of what is far from the origin would lose their last bits.
    let origin = at[0][0];
    for k in 0..levels.len() {
        let (below, own) = scratch.split_at_mut(k);
        match below.last() {
            Some(below) => own[0].restrict(&levels[k], |c| below.start[c].0),
            None => own[0].restrict(&levels[k], |c| from(at, c, origin)),
        }
        own[0].pin(&levels[k], at, origin);
    }
    for k in (0..levels.len()).rev() {
        let (own, above) = scratch.split_at_mut(k + 1);
        let own = &mut own[k];
        if let Some(above) = above.first() {
            above.prolong(&levels[k + 1], &mut own.gained);
        }
        levels[k].cells.begin(above.first().map(|a| &a.cells), &mut own.cells);
        own.sweep(&levels[k], SWEEPS[k.min(SWEEPS.len() - 1)], scale);
        levels[k].cells.tell(&mut own.cells);
    }
}

/// Prolongates the levels' corrections to the points. (Several sub-steps at once would save half of the work, and
/// pumps: what a level says is by then of another motion.) Points as heavy as `times` their mass follow by that much
/// less: nodes know nothing of it, for a heavy node's pull, handed down, would throw the light ones about it.
pub fn prolong_to(levels: &[Level], x: &mut [Record], times: Option<&[f32]>, scratch: &[Scratch]) {
    let (Some(level), Some(first)) = (levels.first(), scratch.first()) else { return };
    match times {
        None => first.prolong(level, x),
        Some(times) => first.prolong_heavy(level, x, times),
    }
}

/// A point as told from an origin.
#[inline(always)]
fn from([start, gained]: [&[Record]; 2], k: usize, origin: Record) -> [f32; 4] {
    let (x, by) = (start[k].0, gained[k].0);
    std::array::from_fn(|c| (x[c] - origin.0[c]) + by[c])
}

/// Energy of the tethers, joules. `x` has the points.
pub fn energy(levels: &[Level], x: &[Record], scale: Scale) -> f64 {
    let (origin, still) = (x[0], vec![Record::default(); x.len()]);
    let at = [x, &still];
    let mut below: Option<Scratch> = None;
    let mut sum = 0.0;
    for level in levels {
        let mut own = level.scratch();
        match &below {
            Some(b) => own.restrict(level, |c| b.start[c].0),
            None => own.restrict(level, |c| from(at, c, origin)),
        }
        own.pin(level, at, origin);
        for (t, (pin, _)) in level.tethers.iter().zip(&own.pinned) {
            let at = &own.start[t.node as usize].0;
            let far = (0..3).map(|c| f64::from(at[c] - pin[c]).powi(2)).sum::<f64>().sqrt();
            let over = (far - f64::from(scale.longest() * t.length)).max(0.0);
            sum += 0.5 * over * over * f64::from(level.cells.holds(scale) / t.compliance);
        }
        below = Some(own);
    }
    sum
}

impl Scratch {
    /// Restricts: nodes take the mean of their children.
    fn restrict(&mut self, level: &Level, below: impl Fn(usize) -> [f32; 4] + Sync) {
        let mean = |(to, children): (&mut Record, &Vec<(u32, f32)>)| {
            // Four sums, so that one addition need not wait for the other.
            let mut sums = [[0.0f32; 4]; 4];
            let (fours, rest) = children.as_chunks::<4>();
            for four in fours {
                for (sum, &(c, share)) in sums.iter_mut().zip(four) {
                    let x = below(c as usize);
                    (0..4).for_each(|k| sum[k] = x[k].mul_add(share, sum[k]));
                }
            }
            for &(c, share) in rest {
                let x = below(c as usize);
                (0..4).for_each(|k| sums[0][k] = x[k].mul_add(share, sums[0][k]));
            }
            let sum = |k: usize| (sums[0][k] + sums[1][k]) + (sums[2][k] + sums[3][k]);
            *to = Record([sum(0), sum(1), sum(2), 0.0]);
        };
        self.start.par_iter_mut().zip(&level.children).with_min_len(128).for_each(mean);
        self.gained.iter_mut().for_each(|by| *by = Record([0.0, 0.0, 0.0, by.0[3]]));
    }

    /// Finds where the tethers are pinned.
    fn pin(&mut self, level: &Level, at: [&[Record]; 2], origin: Record) {
        self.pinned.clear();
        self.pinned.extend(level.tethers.iter().map(|t| {
            let per = 1.0 / t.pins.len() as f32;
            let sum = |c: usize| t.pins.iter().map(|&p| from(at, p as usize, origin)[c]).sum::<f32>();
            (std::array::from_fn(|c| per * sum(c)), 0.0)
        }));
    }

    /// Prolongates to the children. (Held ones have no weights.)
    fn prolong(&self, level: &Level, below: &mut [Record]) {
        let moved = &self.gained;
        let moves = |(x, (nodes, weights)): (&mut Record, &([u32; 4], [f32; 4]))| {
            let mut sum = x.0;
            for (n, p) in nodes.iter().zip(weights) {
                let by = moved[*n as usize].0;
                (0..4).for_each(|k| sum[k] = by[k].mul_add(*p, sum[k]));
            }
            *x = Record([sum[0], sum[1], sum[2], x.0[3]]);
        };
        below.par_iter_mut().zip(&level.nodes).with_min_len(1024).for_each(moves);
    }

    /// The same where some are heavier.
    fn prolong_heavy(&self, level: &Level, below: &mut [Record], times: &[f32]) {
        let moved = &self.gained;
        let each = below.par_iter_mut().zip(&level.nodes).zip(times).with_min_len(1024);
        each.for_each(|((x, (nodes, weights)), times)| {
            let mut sum = [0.0f32; 3];
            for (n, p) in nodes.iter().zip(weights) {
                let by = moved[*n as usize].0;
                (0..3).for_each(|k| sum[k] = by[k].mul_add(*p, sum[k]));
            }
            (0..3).for_each(|k| x.0[k] += sum[k] / times);
        });
    }

    fn sweep(&mut self, level: &Level, sweeps: usize, scale: Scale) {
        let per_dt2 = scale.per_dt2 / level.cells.holds(scale);
        for _ in 0..sweeps {
            for (t, (pin, multiplier)) in level.tethers.iter().zip(&mut self.pinned) {
                let (was, by) = (&self.start[t.node as usize].0, &mut self.gained[t.node as usize].0);
                let d: [f32; 3] = std::array::from_fn(|c| (was[c] - pin[c]) + by[c]);
                let far = (d[0] * d[0] + d[1] * d[1] + d[2] * d[2]).sqrt().max(1e-10);
                let compliance = t.compliance * per_dt2;
                let after = (*multiplier
                    + (scale.longest() * t.length - far - compliance * *multiplier) / (by[3] + compliance))
                    .min(0.0);
                let change = by[3] * (after - *multiplier) / far;
                (0..3).for_each(|c| by[c] += change * d[c]);
                *multiplier = after;
            }
            level.cells.sweep(&self.start, &mut self.gained, &mut self.cells, scale);
        }
    }
}
