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
use super::{Points, compliance};
use crate::simd::{F8, V8, load, store};
use std::collections::BTreeMap;

/// Eight chains of as many edges; shorter ones are filled up with spare points.
pub struct Group {
    /// One more than there are edges.
    point: Vec<[u32; 8]>,
    edge: Vec<Edge>,
}

/// One edge of each of the eight chains.
struct Edge {
    /// Metres.
    length: [f32; 8],
    /// m/N.
    soft: [f32; 8],
}

/// An edge that runs along a thread: rest length in metres and stiffness in N/m.
#[derive(Clone, Copy, Default)]
pub struct Fibre {
    pub length: f64,
    pub stiffness: f64,
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
/// sixteen a group.
pub fn gather(mut chains: Vec<Vec<u32>>, fibres: &Fibres, mut spare: u32) -> Vec<Group> {
    chains.sort_by_key(|c| (std::cmp::Reverse(c.len()), c[0]));
    chains
        .chunks(8)
        .map(|eight| {
            let edges = eight[0].len() - 1;
            let mut g = Group { point: vec![], edge: vec![] };
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
                    soft: std::array::from_fn(|l| fibre(l).map_or(1.0, |f| compliance(f.stiffness))),
                });
            }
            spare += 16;
            g
        })
        .collect()
}

/// What the way there leaves for the way back, for each edge.
#[derive(Clone, Copy)]
pub struct Passed {
    direction: V8,
    /// Coupling with the edge before.
    off: F8,
    /// 1 over the eliminated diagonal.
    per: F8,
    right: F8,
}

impl Group {
    /// Multipliers of the group's edges, to be kept over the rounds of a sub-step.
    pub fn multipliers(&self) -> Vec<[f32; 8]> {
        vec![[0.0; 8]; self.edge.len()]
    }
}

/// Meets eight chains as a whole. `multipliers` has the pull of each edge from earlier rounds of the
/// same sub-step, zeros in the first: so that more rounds come nearer to the material, not past it.
///
/// # Safety
/// No other thread is at any of the chains' points.
pub unsafe fn solve(
    g: &Group,
    points: Points,
    per_dt2: f32,
    passed: &mut Vec<Passed>,
    multipliers: &mut [[f32; 8]],
) {
    passed.clear();
    // Safety: as the caller promises.
    let at = |k: usize| unsafe { load(points.x, &g.point[k]) };
    let (mut x, mut w) = at(0);
    let zero = F8::splat(0.0);
    let mut before = Passed { direction: V8([zero; 3]), off: zero, per: zero, right: zero };
    for (k, e) in g.edge.iter().enumerate() {
        let (next, w_next) = at(k + 1);
        let d = next - x;
        let length = d.dot(d).max(F8::splat(1e-20)).sqrt();
        let direction = d.scale(F8::splat(1.0) / length);
        let off = -(w * before.direction.dot(direction));
        let soft = F8::new(&e.soft) * F8::splat(per_dt2);
        let per = F8::splat(1.0) / (off * before.per).fnma(off, w + w_next + soft);
        let lacking = soft.fnma(F8::new(&multipliers[k]), F8::new(&e.length) - length);
        let right = off.fnma(before.right, lacking) * per;
        before = Passed { direction, off, per, right };
        passed.push(before);
        (x, w) = (next, w_next);
    }
    // Back: each multiplier from the one after it, each point moved by the two beside it.
    let mut pull = V8([zero; 3]);
    let (mut multiplier, mut off_after) = (zero, zero);
    for k in (0..=g.edge.len()).rev() {
        let own = match k.checked_sub(1).map(|b| passed[b]) {
            Some(p) => {
                multiplier = (off_after * p.per).fnma(multiplier, p.right);
                off_after = p.off;
                multipliers[k - 1] = (F8::new(&multipliers[k - 1]) + multiplier).array();
                p.direction.scale(multiplier)
            }
            None => V8([zero; 3]),
        };
        let (x, w) = at(k);
        // Safety: as the caller promises; the eight points are of different chains.
        unsafe { store(points.x, &g.point[k], (own - pull).fma(w, x), w) };
        pull = own;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::simd::Record;

    fn fibres(edges: &[[u32; 2]]) -> Fibres {
        edges.iter().map(|e| (*e, Fibre { length: 1.0, stiffness: 1e12 })).collect()
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
        let groups = gather(chains(&f).expect("a chain"), &f, 8);
        let mut x: Vec<Record> = (0..24).map(|k| Record([k as f32, 0.0, 0.0, 0.0])).collect();
        for k in 0..5 {
            x[k] = Record([1.001 * k as f32, 0.0, 0.0, 1.0 + k as f32]);
        }
        let centre = |x: &[Record]| (0..5).map(|k| x[k].0[0] / x[k].0[3]).sum::<f32>();
        let before = centre(&x);
        let points = Points { x: x.as_mut_ptr(), flow: x.as_ptr() };
        // Safety: one thread.
        unsafe { solve(&groups[0], points, 1e5, &mut vec![], &mut groups[0].multipliers()) };
        for k in 0..4 {
            assert!((x[k + 1].0[0] - x[k].0[0] - 1.0).abs() < 1e-6);
        }
        assert!((centre(&x) - before).abs() < 1e-5);
        assert_eq!(x[9].0, [9.0, 0.0, 0.0, 0.0], "spare points stay");
    }
}
