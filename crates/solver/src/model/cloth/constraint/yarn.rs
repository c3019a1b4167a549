//! Warp and weft yarns that run along the edges of a mesh, each met as a whole.
//!
//! Where every triangle has an edge along a thread direction (any generated sheet), |f_u| - 1 of a
//! triangle is the stretch of that edge, so the membrane along warp is a set of chains. One sweep over
//! single constraints leaves a chain of n edges stretched by about n² a dt² / 2L under an acceleration
//! a; a chain's constraints taken together are a tridiagonal system, solved directly in one pass there
//! and one back, and what is left is only what chains of the other direction undo. The system
//! is eq. 18 of M. Macklin, M. Müller, N. Chentanez, "XPBD" (2016) for a chain, solved by elimination as
//! in C. Deul, T. Kugelstadt, M. Weiler, J. Bender, "Direct Position-Based Solver for Stiff Rods"
//! (2018). Eight chains go side by side.
//!
//! A cloth that is flat at rest also bends along its yarns: at each inner point the turn of the chain,
//! θ = (x₊ - x)/h₊ - (x - x₋)/h₋, costs ½ (D b / ℓ) |θ|², with b the width the yarn stands for and ℓ
//! half of the lengths beside it that can bend (M. Bergou et al., "A Quadratic Bending Model for
//! Inextensible Surfaces", 2006, on a line). That is linear in the points, so a chain's implicit step
//! (M + dt² K) δ = -dt² K x is a system of five diagonals that only dt can change: eliminated once,
//! solved exactly each sub-step. A sweep over hinges would leave stiff or fine cloth too soft.
//!
//! Long, because a chain's stretch, slack and bend share one pass over it.
use super::prolonged::Prolonged;
use super::{Points, Scale, compliance};
use crate::simd::{F8, Record, V8, load, store};
use std::collections::BTreeMap;

/// Spare points that a group takes.
pub const SPARES: usize = 16;

/// Eight chains of as many edges; shorter ones are filled up with spare points.
pub struct Chains {
    /// One more than there are edges.
    point: Vec<[u32; 8]>,
    edge: Vec<Edge>,
    /// The bend at each point; empty where yarns don't resist it.
    bow: Vec<Bow>,
    /// Whether any chain comes to where the cloth is held, and so carries more than its own.
    pub carries: bool,
}

/// The bend at one point of each of eight chains.
#[derive(Clone, Copy)]
struct Bow {
    /// 1/h₋ and 1/h₊, 1/m.
    per: [[f32; 8]; 2],
    /// D b / ℓ, N·m; 0 at ends.
    stiffness: [f32; 8],
}

/// The eliminated system of a group's bends at one point.
#[derive(Clone, Copy)]
pub struct Eliminated {
    /// Coupling with the point before and the one before that.
    off: [[f32; 8]; 2],
    /// 1 over the diagonal, 1/kg; 0 where held.
    per: [f32; 8],
    /// What it was eliminated with, kg.
    mass: [f32; 8],
    /// Of the bend about it, as it was eliminated.
    stiffness: [f32; 8],
}

/// A bend is as stiff as that at most, as a multiple of what its points' inertia answers with in a sub-step: beyond, it is rigid whatever its number, and
/// single precision could not tell forces from their differences.
const RIGID: f64 = 1e7;

/// One edge of each of eight chains.
struct Edge {
    /// Metres.
    length: [f32; 8],
    /// m/N.
    compliance: [f32; 8],
    /// Whose coarse pulls they have.
    from: [u32; 8],
    /// K times the width, N; 0 where there is no edge.
    stiffness: [f32; 8],
}

/// An edge that runs along a thread: rest length and width in metres, stiffness in N/m.
#[derive(Clone, Copy, Default)]
pub struct Fibre {
    pub length: f64,
    pub width: f64,
    pub stiffness: f64,
    /// Whose coarse pull it has.
    pub cell: u32,
}

/// The edges along one thread direction, by their points, lower first.
pub type Fibres = BTreeMap<[u32; 2], Fibre>;

/// Links edges end to end into chains of points. `None` where they branch or close: then they are no
/// yarns, and triangles must do.
pub fn chains(fibres: &Fibres) -> Option<Vec<Vec<u32>>> {
    let mut beside: BTreeMap<u32, Vec<u32>> = BTreeMap::new();
    for [a, b] in fibres.keys() {
        beside.entry(*a).or_default().push(*b);
        beside.entry(*b).or_default().push(*a);
    }
    if beside.values().any(|n| n.len() > 2) {
        return None;
    }
    let mut chains = vec![];
    let mut met = 0;
    for (&end, next) in beside.iter().filter(|(_, n)| n.len() == 1) {
        let (mut chain, mut on) = (vec![end], next[0]);
        loop {
            let from = chain[chain.len() - 1];
            chain.push(on);
            match beside[&on].iter().find(|p| **p != from) {
                Some(&p) => on = p,
                None => break,
            }
        }
        met += chain.len() - 1;
        // Each chain is found from both of its ends: keep it once.
        if end < chain[chain.len() - 1] {
            chains.push(chain);
        }
    }
    // What was not met from an end is a ring.
    (met == 2 * fibres.len()).then_some(chains)
}

/// Puts chains side by side, the long ones together. Empty places take spare points, from `spare` on,
/// [`SPARES`] a group. `bend` is the rigidity along the chains at a point in N·m, 0 where they don't resist it.
pub fn gather(
    mut chains: Vec<Vec<u32>>,
    fibres: &Fibres,
    bend: impl Fn(u32) -> f64,
    held: impl Fn(u32) -> bool,
    carries: impl Fn(u32) -> bool,
    mut spare: u32,
) -> Vec<Chains> {
    let carries = |c: &Vec<u32>| c.iter().any(|&p| carries(p));
    chains.sort_by_cached_key(|c| (!carries(c), std::cmp::Reverse(c.len()), c[0]));
    chains
        .chunks(8)
        .map(|eight| {
            let edges = eight.iter().map(Vec::len).max().unwrap_or(1) - 1;
            let carries = eight.iter().any(carries);
            let mut g = Chains { point: vec![], edge: vec![], bow: vec![], carries };
            for k in 0..=edges {
                g.point.push(std::array::from_fn(|l| {
                    let at = eight.get(l).and_then(|c| c.get(k));
                    at.copied().unwrap_or(spare + 2 * l as u32 + (k % 2) as u32)
                }));
            }
            for k in 0..edges {
                let fibre = |l: usize| {
                    let (a, b) = (*eight.get(l)?.get(k)?, *eight.get(l)?.get(k + 1)?);
                    fibres.get(&[a.min(b), a.max(b)])
                };
                g.edge.push(Edge {
                    length: std::array::from_fn(|l| fibre(l).map_or(1.0, |f| f.length as f32)),
                    compliance: std::array::from_fn(|l| fibre(l).map_or(1.0, |f| compliance(f.stiffness))),
                    from: std::array::from_fn(|l| fibre(l).map_or(0, |f| f.cell)),
                    stiffness: std::array::from_fn(|l| {
                        fibre(l).map_or(0.0, |f| (f.stiffness * f.length) as f32)
                    }),
                });
            }
            if eight.iter().flatten().any(|&p| bend(p) > 0.0) {
                g.bow = (0..=edges).map(|k| Bow::of(eight, k, fibres, &bend, &held)).collect();
            }
            spare += SPARES as u32;
            g
        })
        .collect()
}

impl Bow {
    fn of(
        eight: &[Vec<u32>],
        k: usize,
        fibres: &Fibres,
        bend: &impl Fn(u32) -> f64,
        held: &impl Fn(u32) -> bool,
    ) -> Bow {
        let mut bow = Bow { per: [[1.0; 8]; 2], stiffness: [0.0; 8] };
        for (l, chain) in eight.iter().enumerate() {
            if k == 0 || k + 1 >= chain.len() {
                continue;
            }
            let p = &chain[k - 1..=k + 1];
            let beside = [0, 1].map(|s| fibres[&[p[s].min(p[s + 1]), p[s].max(p[s + 1])]]);
            // At a clamp only one side bends, over half the length.
            let bends = |s: usize| if held(p[s]) && held(p[s + 1]) { 0.0 } else { 0.5 * beside[s].length };
            let length = bends(0) + bends(1);
            if length > 0.0 {
                let width = 0.5 * (beside[0].width + beside[1].width);
                bow.stiffness[l] = (bend(p[1]) * width / length) as f32;
            }
            (0..2).for_each(|s| bow.per[s][l] = (1.0 / beside[s].length) as f32);
        }
        bow
    }
}

impl Chains {
    /// Eliminates the bends for a sub-step of `dt` seconds; `weight` gives a point's inverse mass.
    pub fn eliminate(&self, dt: f64, weight: impl Fn(u32) -> f32) -> Vec<Eliminated> {
        let n = self.bow.len();
        let mut out =
            vec![Eliminated { off: [[0.0; 8]; 2], per: [0.0; 8], mass: [0.0; 8], stiffness: [0.0; 8] }; n];
        for l in 0..8 {
            let w = |k: usize| f64::from(weight(self.point[k][l]));
            // Rows of the matrix: diagonal, and couplings with the next and the one after.
            let mut row: Vec<[f64; 3]> =
                (0..n).map(|k| [if w(k) > 0.0 { 1.0 / w(k) } else { 1.0 }, 0.0, 0.0]).collect();
            for k in 1..n.saturating_sub(1) {
                let own = f64::from(self.bow[k].stiffness[l]);
                let [a, b] = self.bow[k].per.map(|p| f64::from(p[l]));
                let turn = [a, -(a + b), b];
                let lightest = (k - 1..=k + 1).map(w).fold(0.0, f64::max);
                let most = RIGID / (lightest * turn[1] * turn[1] * dt * dt);
                let stiff = if own > most { most } else { own };
                out[k].stiffness[l] = stiff as f32;
                let c = stiff * dt * dt;
                for i in 0..3 {
                    for j in i..3 {
                        if w(k - 1 + i) > 0.0 && w(k - 1 + j) > 0.0 {
                            row[k - 1 + i][j - i] += c * turn[i] * turn[j];
                        }
                    }
                }
            }
            // A = L D Lᵀ with two diagonals below. A row's first number becomes its pivot, and its second
            // what couples it with the next, once rows before are eliminated.
            for k in 0..n {
                let (mut one, mut two) = (0.0, 0.0);
                if k > 1 {
                    two = row[k - 2][2] / row[k - 2][0];
                    row[k][0] -= two * two * row[k - 2][0];
                    row[k - 1][1] -= two * row[k - 2][1];
                }
                if k > 0 {
                    one = row[k - 1][1] / row[k - 1][0];
                    row[k][0] -= one * one * row[k - 1][0];
                }
                out[k].off[0][l] = one as f32;
                out[k].off[1][l] = two as f32;
                out[k].mass[l] = if w(k) > 0.0 { (1.0 / w(k)) as f32 } else { 0.0 };
                out[k].per[l] = if w(k) > 0.0 { (1.0 / row[k][0]) as f32 } else { 0.0 };
            }
        }
        out
    }

    /// Energy of the bends, joules.
    pub fn energy(&self, x: &[Record]) -> f64 {
        let mut sum = 0.0;
        for k in 1..self.bow.len().saturating_sub(1) {
            for l in 0..8 {
                let p = [k - 1, k, k + 1].map(|k| x[self.point[k][l] as usize].xyz().map(f64::from));
                let bow = &self.bow[k];
                let [a, b] = bow.per.map(|p| f64::from(p[l]));
                let turn = |c: usize| b * (p[2][c] - p[1][c]) - a * (p[1][c] - p[0][c]);
                let t2: f64 = (0..3).map(|c| turn(c) * turn(c)).sum();
                sum += 0.5 * f64::from(bow.stiffness[l]) * t2;
            }
        }
        sum
    }
}

/// The eliminated bends of a group, by its points.
pub type Bends = Vec<Eliminated>;

/// Scratch of a thread: what a chain's passes leave for each other.
#[derive(Default)]
pub struct ChainScratch {
    x: Vec<Knot>,
    passed: Vec<Passed>,
    right: Vec<V8>,
}

/// A point of each of eight chains.
#[derive(Clone, Copy)]
struct Knot {
    /// Where it was when the sub-step began, and what it gained since.
    start: V8,
    gained: V8,
    w: F8,
}

impl Knot {
    #[inline(always)]
    fn moves(&mut self, by: V8) {
        self.gained = self.gained + by;
    }

    /// The way to the next.
    #[inline(always)]
    fn to(&self, next: &Knot) -> V8 {
        (next.start - self.start) + (next.gained - self.gained)
    }
}

/// What the way there leaves for the way back, for each edge.
#[derive(Clone, Copy)]
struct Passed {
    direction: V8,
    /// Coupling with the edge before.
    off: F8,
    /// 1 over the eliminated diagonal.
    per: F8,
    right: F8,
    length: F8,
    /// Its pull so far.
    multiplier: F8,
}

/// The stiffness across a chain that its tension gives it, as a share of the points' inertia in a sub-step, from
/// which on it is met implicitly. A quarter of what lets the chain ring.
const TAUT: f32 = 1.0 / 8.0;

/// Multipliers of a group's edges, to be kept over the rounds of a sub-step.
pub type ChainMultipliers = Vec<[f32; 8]>;

impl Chains {
    pub fn multipliers(&self) -> ChainMultipliers {
        vec![[0.0; 8]; self.edge.len()]
    }
}

/// What chains of one direction do to those of the other: they shorten what they pull across.
#[derive(Clone, Copy)]
pub struct Across<'a> {
    /// Strains along warp and weft at each point when the sub-step began.
    pub strain: &'a [Record],
    /// What the strains along and across take from a length, as shares of them.
    pub takes: [f32; 2],
    pub direction: usize,
}

/// Writes the strain of each chain at its points: the mean of the edges beside them.
///
/// # Safety
/// No other thread writes the same number of the chains' points.
pub unsafe fn strains(g: &Chains, x: *const Record, rest: f32, direction: usize, out: *mut Record) {
    let one = F8::splat(1.0);
    let mut before: Option<F8> = None;
    for k in 0..=g.edge.len() {
        let next = (k < g.edge.len()).then(|| {
            // Safety: as the caller promises.
            let (p, q) = unsafe { (load(x, &g.point[k]).0, load(x, &g.point[k + 1]).0) };
            let d = q - p;
            d.dot(d).sqrt() / (F8::new(&g.edge[k].length) * F8::splat(rest)) - one
        });
        let here = match (before, next) {
            (Some(a), Some(b)) => (a + b) * F8::splat(0.5),
            (Some(a), None) | (None, Some(a)) => a,
            (None, None) => return,
        };
        for (l, s) in here.array().into_iter().enumerate() {
            // Safety: as above.
            unsafe { (*out.add(g.point[k][l] as usize)).0[direction] = s };
        }
        before = next;
    }
}

/// What chains are told in the first round of a sub-step.
#[derive(Clone, Copy)]
pub struct First<'a> {
    /// What the coarse levels pulled, and the chains' direction.
    pub prolonged: &'a Prolonged,
    pub direction: usize,
    /// Their bends, eliminated; none where they don't resist bending.
    pub bend: &'a [Eliminated],
}

/// Meets eight chains as a whole: their bends in the `first` round, then their lengths, which are `rest` times those at
/// rest. `pulls` has the pull of each edge from earlier rounds of the same sub-step, so that more of them come nearer to
/// the material, not past it; the first begins with what the coarse levels pulled.
///
/// # Safety
/// No other thread is at any of the chains' points.
pub unsafe fn solve(
    g: &Chains,
    points: Points,
    scale: Scale,
    across: Option<Across>,
    scratch: &mut ChainScratch,
    first: Option<First>,
    multipliers: &mut ChainMultipliers,
) {
    let ChainScratch { x, passed, right } = scratch;
    x.clear();
    // Safety: as the caller promises.
    x.extend(g.point.iter().map(|p| {
        let ((start, _), (gained, w)) = unsafe { (load(points.start, p), load(points.gained, p)) };
        Knot { start, gained, w }
    }));
    // Safety: as the caller promises.
    unsafe { eliminate_lengths(g, x, scale, across, first, multipliers, passed) };
    let taut = substitute_back(x, passed, multipliers);
    if taut.array().into_iter().any(|t| t > TAUT) {
        slacken(x, passed, right);
    }
    // Bends come last: what stretch moves differs from point to point, which a bend would take for a fold.
    // What bends move is across the chain, and changes lengths by little.
    if let Some(First { bend, .. }) = first.filter(|f| !f.bend.is_empty()) {
        straighten(g, x, (scale.dt * scale.dt, scale.tied), bend, right);
    }
    for (point, knot) in g.point.iter().zip(x.iter()) {
        // Safety: as the caller promises; the chains' points differ.
        unsafe { store(points.gained, point, knot.gained, knot.w) };
    }
}

/// The way there: each edge's row of the system, eliminated by the one before it.
///
/// # Safety
/// There is a strain for each point, where there are any.
#[inline(always)]
unsafe fn eliminate_lengths(
    g: &Chains,
    x: &[Knot],
    scale: Scale,
    across: Option<Across>,
    first: Option<First>,
    multipliers: &ChainMultipliers,
    passed: &mut Vec<Passed>,
) {
    let (per_dt2, rest) = (F8::splat(scale.per_dt2), F8::splat(scale.rest));
    // What the other direction leaves of a length, at a point.
    let left = |k: usize| {
        across.map(|a| {
            // Safety: there is a strain for each point.
            let s = unsafe { load(a.strain.as_ptr(), &g.point[k]).0 };
            s.0[a.direction].fma(F8::splat(a.takes[0]), s.0[1 - a.direction] * F8::splat(a.takes[1]))
        })
    };
    let mut here = left(0);
    passed.clear();
    let zero = F8::splat(0.0);
    let none = V8([zero; 3]);
    let mut before =
        Passed { direction: none, off: zero, per: zero, right: zero, length: zero, multiplier: zero };
    for (k, e) in g.edge.iter().enumerate() {
        let (w, w_next) = (x[k].w, x[k + 1].w);
        let d = x[k].to(&x[k + 1]);
        let length = d.dot(d).max(F8::splat(1e-20)).sqrt();
        let direction = d.scale(F8::splat(1.0) / length);
        let off = -(w * before.direction.dot(direction));
        let compliance = F8::new(&e.compliance) * per_dt2;
        let per = F8::splat(1.0) / (off * before.per).fnma(off, w + w_next + compliance);
        let mut whole = F8::new(&e.length) * rest;
        if let Some(a) = here {
            let b = left(k + 1).unwrap_or(a);
            whole = (a + b).fnma(F8::splat(0.5) * whole, whole);
            here = Some(b);
        }
        let multiplier = match first {
            Some(First { prolonged, direction, .. }) => {
                prolonged.stretch(direction, &e.from) * F8::new(&e.stiffness)
            }
            None => F8::new(&multipliers[k]),
        };
        let lacking = compliance.fnma(multiplier, whole - length);
        let right = off.fnma(before.right, lacking) * per;
        before = Passed { direction, off, per, right, length, multiplier };
        passed.push(before);
    }
}

/// The way back: each multiplier from the one after it, each point moved by the two beside it. How taut the tautest
/// edge is.
#[inline(always)]
fn substitute_back(x: &mut [Knot], passed: &mut [Passed], multipliers: &mut ChainMultipliers) -> F8 {
    let zero = F8::splat(0.0);
    let none = V8([zero; 3]);
    let (mut beyond, mut change, mut off) = (none, zero, zero);
    let mut taut = zero;
    for k in (0..x.len()).rev() {
        let mut own = none;
        let w = x[k].w;
        if k > 0 {
            let p = &mut passed[k - 1];
            change = (off * p.per).fnma(change, p.right);
            off = p.off;
            let multiplier = p.multiplier + change;
            multipliers[k - 1] = multiplier.array();
            own = p.direction.scale(change);
            // What is kept for `slacken`: the change, and the stiffness across the edge.
            p.right = change;
            p.per = (zero - multiplier).max(zero) / p.length;
            taut = taut.max(p.per * w);
        }
        x[k].moves((own - beyond).scale(w));
        beyond = own;
    }
    taut
}

/// Makes implicit what the tension of eight chains did across them.
///
/// A pull acts along an edge as that lay before; where the tension T is high, points light and edges h short, that
/// throws a point to the other side of the line through its neighbours, and farther than it came from once
/// 4 T dt² / (m h) > 2: the chain rings from one sub-step to the next. The stiffness across, T/h for each edge
/// (geometric stiffness: M. Tournier, M. Nesme, B. Gilles, F. Faure, "Stable Constrained Dynamics", 2015, eq. 14),
/// belongs into the system: with it, what a point moves across the chain is (M + dt² K)⁻¹ M δ of what it would
/// have moved without, δ. At rest nothing changes; momentum is kept, and so are lengths where the chain is straight.
#[inline(always)]
fn slacken(x: &mut [Knot], passed: &mut [Passed], right: &mut Vec<V8>) {
    let (zero, one) = (F8::splat(0.0), F8::splat(1.0));
    let none = V8([zero; 3]);
    right.clear();
    let edges = passed.len();
    let (mut before, mut stiff, mut coupled, mut carried) = (none, zero, zero, none);
    let mut along = none;
    for k in 0..=edges {
        let (next, ahead, onward) = match passed.get(k) {
            Some(p) => (p.direction.scale(p.right), p.per, p.direction),
            None => (none, zero, none),
        };
        let w = x[k].w;
        let moved = (before - next).scale(w);
        let tangent = along + onward;
        let part = tangent.dot(moved) / tangent.dot(tangent).max(F8::splat(1e-2));
        let across = moved - tangent.scale(part);
        // Row k: (1 + w (s₋ + s₊)) z - w s₋ z₋ - w s₊ z₊ = across.
        let per = one / (w * stiff).fnma(coupled, w.fma(stiff + ahead, one));
        let r = carried.fma(w * stiff, across).scale(per);
        x[k].moves(-across);
        right.push(r);
        (before, stiff, along, carried) = (next, ahead, onward, r);
        coupled = w * ahead * per;
        if let Some(p) = passed.get_mut(k) {
            p.off = coupled;
        }
    }
    let mut beyond = none;
    for k in (0..=edges).rev() {
        let z = match passed.get(k) {
            Some(p) => beyond.fma(p.off, right[k]),
            None => right[k],
        };
        x[k].moves(z);
        beyond = z;
    }
}

/// One implicit step of the bends of eight chains.
#[inline(always)]
fn straighten(
    g: &Chains,
    x: &mut [Knot],
    (dt2, tied): (f32, bool),
    eliminated: &[Eliminated],
    right: &mut Vec<V8>,
) {
    let n = x.len();
    if n < 3 {
        return;
    }
    let zero = V8([F8::splat(0.0); 3]);
    right.clear();
    right.resize(n, zero);
    // Moments, spread to the points as forces times dt²; a point's sum is complete once the next one's
    // moment is there, and is then eliminated.
    let force = |k: usize, x: &[Knot], right: &mut [V8]| {
        let b = &g.bow[k];
        let [before, after] = b.per.each_ref().map(F8::new);
        let turn = x[k].to(&x[k + 1]).scale(after) - x[k - 1].to(&x[k]).scale(before);
        let moment = turn.scale(F8::new(&eliminated[k].stiffness) * F8::splat(-dt2));
        right[k - 1] = moment.fma(before, right[k - 1]);
        right[k] = moment.fma(-(before + after), right[k]);
        right[k + 1] = moment.fma(after, right[k + 1]);
    };
    for k in 0..n {
        if k + 2 < n {
            force(k + 1, x, right);
        }
        let [one, two] = eliminated[k].off.each_ref().map(F8::new);
        let mut r = right[k];
        if k > 0 {
            r = right[k - 1].fma(-one, r);
        }
        if k > 1 {
            r = right[k - 2].fma(-two, r);
        }
        right[k] = r;
    }
    for k in (0..n).rev() {
        let mut r = right[k].scale(F8::new(&eliminated[k].per));
        if k + 1 < n {
            r = right[k + 1].fma(-F8::new(&eliminated[k + 1].off[0]), r);
        }
        if k + 2 < n {
            r = right[k + 2].fma(-F8::new(&eliminated[k + 2].off[1]), r);
        }
        right[k] = r;
        // A point that is heavier now than it was eliminated with goes less far, so that its force gives what it takes.
        let less = if tied { x[k].w * F8::new(&eliminated[k].mass) } else { F8::splat(1.0) };
        x[k].moves(if tied { r.scale(less) } else { r });
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn fibres(edges: &[[u32; 2]]) -> Fibres {
        edges.iter().map(|e| (*e, Fibre { length: 1.0, width: 1.0, stiffness: 1e12, cell: 0 })).collect()
    }

    #[test]
    fn edges_are_linked_and_branches_and_rings_are_refused() {
        assert_eq!(
            chains(&fibres(&[[1, 2], [0, 1], [5, 7], [2, 3]])),
            Some(vec![vec![0, 1, 2, 3], vec![5, 7]])
        );
        assert_eq!(chains(&fibres(&[[0, 1], [1, 2], [1, 3]])), None);
        assert_eq!(chains(&fibres(&[[0, 1], [1, 2], [0, 2]])), None);
    }

    #[test]
    fn a_stretched_chain_comes_to_length_in_one_pass_and_keeps_its_centre() {
        let f = fibres(&[[0, 1], [1, 2], [2, 3], [3, 4]]);
        let groups = gather(chains(&f).expect("a chain"), &f, |_| 0.0, |_| false, |_| false, 8);
        let mut x: Vec<Record> = (0..48).map(|k| Record([k as f32, 0.0, 0.0, 0.0])).collect();
        for k in 0..5 {
            x[k] = Record([1.001 * k as f32, 0.0, 0.0, 1.0 + k as f32]);
        }
        let centre = |x: &[Record]| (0..5).map(|k| x[k].0[0] / x[k].0[3]).sum::<f32>();
        let before = centre(&x);
        let mut gained: Vec<Record> = x.iter().map(|x| Record([0.0, 0.0, 0.0, x.0[3]])).collect();
        let points = Points { start: x.as_ptr(), gained: gained.as_mut_ptr(), flow: x.as_ptr() };
        // Safety: one thread.
        let (scratch, multipliers) = (&mut ChainScratch::default(), &mut groups[0].multipliers());
        let dt = 1.0 / 300.0;
        let scale = Scale { dt, per_dt2: 1.0 / (dt * dt), ..Scale::default() };
        unsafe { solve(&groups[0], points, scale, None, scratch, None, multipliers) };
        for (x, by) in x.iter_mut().zip(&gained) {
            (0..3).for_each(|c| x.0[c] += by.0[c]);
        }
        for k in 0..4 {
            assert!((x[k + 1].0[0] - x[k].0[0] - 1.0).abs() < 1e-6);
        }
        assert!((centre(&x) - before).abs() < 1e-5);
        assert_eq!(x[9].0, [9.0, 0.0, 0.0, 0.0], "spare points stay");
    }
}
