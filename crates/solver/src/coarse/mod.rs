//! Coarse levels: a pull that has far to go is passed on in large steps before the small ones.
//!
//! One sweep a sub-step passes a pull on by a cell; yarns pass it along themselves, but a border that
//! carries a whole sheet by its corners is met by light points one at a time. So a share of the
//! membrane's stiffness is given to coarser lattices laid over the material, whose nodes are weighted
//! means of points. All levels together have the matter's stiffness for any smooth strain: they are one
//! energy, divided, and not springs added for speed. The idea of hierarchies is that of M. Müller,
//! "Hierarchical Position Based Dynamics" (2008); there the levels are all of full stiffness.
//!
//! A node X = Σ ω x with ω = P m / Σ P m moves points by P, the lattice's bilinear weights: that is
//! w ∇C Δλ of extended position-based dynamics with the node's mass Σ P m, and keeps momentum. Cells only pull:
//! folds smaller than a cell are not theirs to see.
pub mod build;
pub mod shear;

use crate::colouring::pack;
use crate::constraint::{Scale, compliance, membrane};
use crate::simd::{F8, Record, V8, load, store};
use rayon::prelude::*;
use shear::Shear;

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
    groups: Vec<Group>,
    shear: Shear,
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
    soft: f32,
}

/// Eight triangles of a lattice.
#[repr(C, align(32))]
struct Group {
    point: [[u32; 8]; 3],
    /// ∂/∂u and ∂/∂v of the second and third corner's weight, 1/m.
    gradient: [[[f32; 8]; 2]; 2],
    /// 1/(K A) of warp and weft.
    soft: [[f32; 8]; 2],
}

/// What a level needs while it works.
#[derive(Clone, Debug, Default)]
pub struct Scratch {
    x: Vec<Record>,
    start: Vec<Record>,
    multipliers: Vec<[[f32; 8]; 2]>,
    pub shear: shear::Scratch,
    /// Where each tether is pinned, and its pull.
    pinned: Vec<([f32; 3], f32)>,
}

impl Level {
    pub fn scratch(&self) -> Scratch {
        let n = self.weight.len();
        let spare = [[0.0, 0.0, 0.0], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [1.0, 1.0, 0.0]];
        let mut x: Vec<Record> = self.weight.iter().map(|w| Record([0.0, 0.0, 0.0, *w])).collect();
        for (k, [a, b, c]) in spare.into_iter().enumerate() {
            x[n - 4 + k] = Record([a, b, c, 0.0]);
        }
        Scratch {
            start: x.clone(),
            x,
            multipliers: vec![[[0.0; 8]; 2]; self.groups.len()],
            shear: self.shear.scratch(),
            pinned: vec![],
        }
    }

    fn gather(triangles: &[membrane::Triangle], spare: u32) -> Vec<Group> {
        let points: Vec<[u32; 3]> = triangles.iter().map(|t| t.point).collect();
        pack(&points)
            .into_iter()
            .map(|lanes| {
                let mut g = Group {
                    point: [0, 1, 2].map(|k| [spare + k; 8]),
                    gradient: [[[1.0; 8], [0.0; 8]], [[0.0; 8], [1.0; 8]]],
                    soft: [[1.0; 8]; 2],
                };
                for (l, &k) in lanes.iter().enumerate() {
                    let t = &triangles[k];
                    let (area, gradients) = membrane::gradients(&t.frame);
                    (0..3).for_each(|k| g.point[k][l] = t.point[k]);
                    for (d, rows) in gradients.iter().enumerate() {
                        (0..2).for_each(|k| g.gradient[d][k][l] = rows[k + 1] as f32);
                    }
                    (0..2).for_each(|k| g.soft[k][l] = compliance(f64::from(t.stiffness[k]) * area));
                }
                g
            })
            .collect()
    }
}

/// Works out what the levels say, coarsest first. `x` has the points, spares and all.
pub fn relax(levels: &[Level], x: &[Record], scratch: &mut [Scratch], scale: Scale) {
    // Nodes are told from one of the points: means of what is far from the origin would lose their last bits.
    let origin = Record([x[0].0[0], x[0].0[1], x[0].0[2], 0.0]);
    for k in 0..levels.len() {
        let (below, own) = scratch.split_at_mut(k);
        match below.last() {
            Some(below) => own[0].rise(&levels[k], &below.x, Record::default()),
            None => own[0].rise(&levels[k], x, origin),
        }
        own[0].pin(&levels[k], x, origin);
    }
    for k in (0..levels.len()).rev() {
        let (own, above) = scratch.split_at_mut(k + 1);
        let own = &mut own[k];
        if let Some(above) = above.first_mut() {
            above.told();
            above.sink(&levels[k + 1], &mut own.x);
        }
        levels[k].shear.begin(above.first().map(|a| &a.shear), &mut own.shear);
        own.sweep(&levels[k], SWEEPS[k.min(SWEEPS.len() - 1)], scale);
        levels[k].shear.tell(&mut own.shear);
    }
    if let Some(first) = scratch.first_mut() {
        first.told();
    }
}

/// Moves points by what the levels said. (Several sub-steps at once would save half of the work, and pumps: what a level
/// says is by then of another motion.)
pub fn follow(levels: &[Level], x: &mut [Record], scratch: &[Scratch]) {
    if let (Some(level), Some(first)) = (levels.first(), scratch.first()) {
        first.sink(level, x);
    }
}

/// Energy of all levels' pulls, joules. `x` has the points.
pub fn energy(levels: &[Level], x: &[Record], rest: f64) -> f64 {
    let mut below: Option<Scratch> = None;
    let mut sum = 0.0;
    for level in levels {
        let mut own = level.scratch();
        match &below {
            Some(b) => own.rise(level, &b.x, Record::default()),
            None => own.rise(level, x, Record([x[0].0[0], x[0].0[1], x[0].0[2], 0.0])),
        }
        own.pin(level, x, Record([x[0].0[0], x[0].0[1], x[0].0[2], 0.0]));
        for (t, (pin, _)) in level.tethers.iter().zip(&own.pinned) {
            let far =
                (0..3).map(|c| f64::from(own.x[t.node as usize].0[c] - pin[c]).powi(2)).sum::<f64>().sqrt();
            sum += 0.5 * (far - rest * f64::from(t.length)).max(0.0).powi(2) / f64::from(t.soft);
        }
        sum += level.groups.iter().map(|g| g.energy(&own.x, rest)).sum::<f64>();
        below = Some(own);
    }
    sum
}

impl Group {
    fn energy(&self, x: &[Record], rest: f64) -> f64 {
        let mut sum = 0.0;
        for l in 0..8 {
            let p = self.point.map(|k| x[k[l] as usize].xyz().map(f64::from));
            let column = |d: usize| -> [f64; 3] {
                let [a, b] = [0, 1].map(|k| f64::from(self.gradient[d][k][l]));
                std::array::from_fn(|c| a * (p[1][c] - p[0][c]) + b * (p[2][c] - p[0][c]))
            };
            let (u, v) = (column(0), column(1));
            let dot = |a: [f64; 3], b: [f64; 3]| a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
            let lengths = [dot(u, u).sqrt(), dot(v, v).sqrt()];
            let off = lengths.map(|s| (s - rest).max(0.0));
            sum += (0..2).map(|k| 0.5 * off[k] * off[k] / f64::from(self.soft[k][l])).sum::<f64>();
        }
        sum
    }
}

impl Scratch {
    /// Nodes take the mean of their children.
    fn rise(&mut self, level: &Level, below: &[Record], origin: Record) {
        let mean = |(to, children): (&mut Record, &Vec<(u32, f32)>)| {
            // Four sums, so that one addition need not wait for the other.
            let mut sums = [[0.0f32; 4]; 4];
            let (fours, rest) = children.as_chunks::<4>();
            for four in fours {
                for (sum, &(c, share)) in sums.iter_mut().zip(four) {
                    let x = below[c as usize].0;
                    (0..4).for_each(|k| sum[k] = (x[k] - origin.0[k]).mul_add(share, sum[k]));
                }
            }
            for &(c, share) in rest {
                let x = below[c as usize].0;
                (0..4).for_each(|k| sums[0][k] = (x[k] - origin.0[k]).mul_add(share, sums[0][k]));
            }
            let sum = |k: usize| (sums[0][k] + sums[1][k]) + (sums[2][k] + sums[3][k]);
            *to = Record([sum(0), sum(1), sum(2), to.0[3]]);
        };
        self.x.par_iter_mut().zip(&level.children).with_min_len(128).for_each(mean);
        self.start.copy_from_slice(&self.x);
        self.multipliers.fill([[0.0; 8]; 2]);
    }

    /// Finds where the tethers are pinned.
    fn pin(&mut self, level: &Level, points: &[Record], origin: Record) {
        self.pinned.clear();
        self.pinned.extend(level.tethers.iter().map(|t| {
            let per = 1.0 / t.pins.len() as f32;
            let sum = |c: usize| t.pins.iter().map(|&p| points[p as usize].0[c] - origin.0[c]).sum::<f32>();
            (std::array::from_fn(|c| per * sum(c)), 0.0)
        }));
    }

    /// From where the nodes were to how they moved.
    fn told(&mut self) {
        for (from, to) in self.start.iter_mut().zip(&self.x) {
            *from = Record(std::array::from_fn(|k| to.0[k] - from.0[k]));
        }
    }

    /// Children take their nodes' moves. (Held ones have no weights.)
    fn sink(&self, level: &Level, below: &mut [Record]) {
        let moved = &self.start;
        let moves = |(x, (nodes, weights)): (&mut Record, &([u32; 4], [f32; 4]))| {
            let mut sum = x.0;
            for (n, p) in nodes.iter().zip(weights) {
                let by = moved[*n as usize].0;
                (0..4).for_each(|k| sum[k] = by[k].mul_add(*p, sum[k]));
            }
            *x = Record(sum);
        };
        below.par_iter_mut().zip(&level.nodes).with_min_len(1024).for_each(moves);
    }

    fn sweep(&mut self, level: &Level, sweeps: usize, scale: Scale) {
        for _ in 0..sweeps {
            for (t, (pin, pull)) in level.tethers.iter().zip(&mut self.pinned) {
                let x = &mut self.x[t.node as usize].0;
                let d: [f32; 3] = std::array::from_fn(|c| x[c] - pin[c]);
                let far = (d[0] * d[0] + d[1] * d[1] + d[2] * d[2]).sqrt().max(1e-10);
                let soft = t.soft * scale.per_dt2;
                let after = (*pull + (scale.rest * t.length - far - soft * *pull) / (x[3] + soft)).min(0.0);
                let change = x[3] * (after - *pull) / far;
                (0..3).for_each(|c| x[c] += change * d[c]);
                *pull = after;
            }
            for (g, l) in level.groups.iter().zip(&mut self.multipliers) {
                solve(g, &mut self.x, l, scale);
            }
            level.shear.sweep(&mut self.x, &mut self.shear, scale);
        }
    }
}

/// Meets eight triangles once.
fn solve(g: &Group, records: &mut [Record], multipliers: &mut [[f32; 8]; 2], scale: Scale) {
    // Safety: all indices lie inside the slice, which is borrowed whole; a group's points differ.
    let [(x0, w0), (x1, w1), (x2, w2)] = [0, 1, 2].map(|k| unsafe { load(records.as_ptr(), &g.point[k]) });
    let (mut x, w) = ([x0, x1, x2], [w0, w1, w2]);
    let rows: [[F8; 3]; 2] = [0, 1].map(|d| {
        let [a, b] = g.gradient[d].each_ref().map(F8::new);
        [-(a + b), a, b]
    });
    let soft = g.soft.each_ref().map(|s| F8::new(s) * F8::splat(scale.per_dt2));
    let column = |x: &[V8; 3], d: &[F8; 3]| (x[1] - x[0]).scale(d[1]) + (x[2] - x[0]).scale(d[2]);
    let wholes = membrane::wholes(scale, soft[0], soft[1], || [0, 1].map(|d| column(&x, &rows[d])));
    for d in 0..2 {
        let row = &rows[d];
        let f = column(&x, row);
        let length = f.dot(f).max(F8::splat(1e-20)).sqrt();
        let sum = w[0].fma(row[0] * row[0], w[1].fma(row[1] * row[1], (w[2] * row[2]).fma(row[2], soft[d])));
        let before = F8::new(&multipliers[d]);
        let after = (before + soft[d].fnma(before, wholes[d] - length) / sum).min(F8::splat(0.0));
        multipliers[d] = after.array();
        let s = (after - before) / length;
        (0..3).for_each(|k| x[k] = f.fma(s * w[k] * row[k], x[k]));
    }
    for k in 0..3 {
        // Safety: as above.
        unsafe { store(records.as_mut_ptr(), &g.point[k], x[k], w[k]) };
    }
}
