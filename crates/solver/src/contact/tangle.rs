//! Starts that are already crossed: what is tangled is let be by contact, so that nothing explodes, and is
//! drawn apart a little each sub-step. Where the line in which surfaces cross cuts a piece off one of them,
//! that piece is on the wrong side and goes back (D. Baraff, A. Witkin, M. Kass, "Untangling Cloth", 2003);
//! where it cuts off none, the line is shortened. Once nothing crosses any more all is watched as ever, and
//! nothing is looked for again.
use super::boxes::Placed;
use super::cross::{Crossing, shorter};
use super::surface::Surface;
use super::told::apart;
use crate::couple::Tied;
use crate::simd::Record;
use crate::state::State;
use std::collections::{BTreeMap, BTreeSet};

/// How fast an edge is drawn out, m/s.
const PACE: f64 = 0.6;
/// Rings of triangles about a crossing that contact leaves alone.
const RINGS: usize = 2;

/// What is tangled, for each two surfaces that meet.
#[derive(Default)]
pub struct Tangle {
    crossings: Vec<Vec<Crossing>>,
    /// Points that contact leaves alone, of either surface.
    free: Vec<[BTreeSet<u32>; 2]>,
    /// Pieces on the wrong side, for each two surfaces.
    pieces: Vec<Vec<Piece>>,
    /// Which bodies.
    bodies: BTreeSet<usize>,
}

/// A piece that is cut off by a crossing.
struct Piece {
    surface: usize,
    points: Vec<u32>,
    /// Edges that are cut: the end on the right side, and that of the piece.
    cut: Vec<[u32; 2]>,
}

impl Tangle {
    pub fn new(between: usize) -> Tangle {
        Tangle {
            crossings: vec![vec![]; between],
            free: vec![Default::default(); between],
            pieces: (0..between).map(|_| vec![]).collect(),
            bodies: BTreeSet::new(),
        }
    }

    /// Whether any body is not yet known to be clear.
    pub fn watched(&self, states: &[State]) -> bool {
        states.iter().any(|s| s.tangled)
    }

    pub fn any(&self) -> bool {
        self.crossings.iter().any(|c| !c.is_empty())
    }

    /// Finds all crossings. `sides` has the two surfaces of each pair that meet; the first `bodies` are bodies.
    pub fn look<'a>(
        &mut self,
        sides: &[[usize; 2]],
        placed: impl Fn(usize) -> (Placed<'a>, &'a [Record]),
        tied: &[Tied],
        bodies: usize,
    ) {
        self.bodies.clear();
        for (k, &[a, b]) in sides.iter().enumerate() {
            let (pa, pb) = (placed(a), placed(b));
            // What has no triangles crosses nothing.
            let loose = [pa, pb].iter().any(|p| p.0.surface.loose());
            self.crossings[k] = if loose { vec![] } else { apart(tied, [pa, pb], [a, b]) };
            let (pa, pb) = (pa.0, pb.0);
            self.free[k] = Default::default();
            self.pieces[k].clear();
            for c in &self.crossings[k] {
                self.bodies.extend([a, b].into_iter().filter(|s| *s < bodies));
                self.free[k][0].extend(pa.surface.triangles[c.triangles[0] as usize]);
                self.free[k][1].extend(pb.surface.triangles[c.triangles[1] as usize]);
            }
            if self.crossings[k].is_empty() {
                continue;
            }
            let mut cut = [BTreeSet::new(), BTreeSet::new()];
            for p in self.crossings[k].iter().flat_map(|c| &c.pierces) {
                let [s, e] = [p.edge[0], p.edge[1]];
                cut[usize::from(!p.first && a != b)].insert([s.min(e), s.max(e)]);
            }
            for (side, (surface, p)) in [(a, pa), (b, pb)].into_iter().enumerate() {
                for piece in pieces(surface, p.surface, &cut[side]) {
                    self.free[k][side].extend(&piece.points);
                    self.pieces[k].push(piece);
                }
            }
            for (side, p) in [(0, pa), (1, pb)] {
                for _ in 0..RINGS {
                    let known = self.free[k][side].clone();
                    let near = p.surface.triangles.iter().filter(|t| t.iter().any(|q| known.contains(q)));
                    self.free[k][side].extend(near.flatten());
                }
            }
            if a == b {
                let [x, y] = &mut self.free[k];
                x.append(y);
                *y = x.clone();
            }
        }
    }

    pub fn note(&self, states: &mut [State]) {
        states.iter_mut().enumerate().for_each(|(k, s)| s.tangled = self.bodies.contains(&k));
    }

    /// Whether contact leaves a pair of features alone: all its points are about a crossing. `sides` tells
    /// which surface each point is on.
    pub fn is_free(&self, between: usize, points: &[u32; 4], sides: [usize; 4]) -> bool {
        !self.crossings[between].is_empty()
            && (0..4).all(|i| self.free[between][sides[i]].contains(&points[i]))
    }

    /// Draws what is tangled apart by one sub-step of `dt` seconds. Velocities stay.
    pub fn loosen(&self, states: &mut [State], skins: &[&[Record]], sides: &[[usize; 2]], dt: f32) {
        let mut pulls: BTreeMap<(usize, u32), ([f64; 3], f64)> = BTreeMap::new();
        let at = |states: &[State], side: usize, p: u32| match side.checked_sub(states.len()) {
            None => states[side].x[p as usize],
            Some(k) => skins[k][p as usize],
        };
        for piece in self.pieces.iter().flatten() {
            let mut way = [0.0f64; 3];
            for &[right, wrong] in &piece.cut {
                let d: [f64; 3] = {
                    let (p, q) =
                        (at(states, piece.surface, right).xyz(), at(states, piece.surface, wrong).xyz());
                    std::array::from_fn(|c| f64::from(p[c] - q[c]))
                };
                let size = d.iter().map(|c| c * c).sum::<f64>().sqrt().max(1e-30);
                (0..3).for_each(|c| way[c] += d[c] / size);
            }
            let size = way.iter().map(|c| c * c).sum::<f64>().sqrt();
            if size > 1e-9 {
                for &p in &piece.points {
                    let (sum, count) = pulls.entry((piece.surface, p)).or_default();
                    (0..3).for_each(|c| sum[c] += PACE * f64::from(dt) * way[c] / size);
                    *count += 1.0;
                }
            }
        }
        for ((list, &[a, b]), pieces) in self.crossings.iter().zip(sides).zip(&self.pieces) {
            if !pieces.is_empty() {
                continue;
            }
            for pierce in list.iter().flat_map(|c| &c.pierces) {
                let (own, other) = if pierce.first { (a, b) } else { (b, a) };
                let e = pierce.edge.map(|p| at(states, own, p));
                let t = pierce.triangle.map(|p| at(states, other, p));
                let place = |r: Record| r.xyz().map(f64::from);
                if !super::cross::pierced(place(e[0]), place(e[1]), &t.map(place)) {
                    continue;
                }
                let Some(way) = shorter(e.map(place), t.map(place)) else { continue };
                let ease = |r: &[Record]| r.iter().map(|r| f64::from(r.0[3])).sum::<f64>() / r.len() as f64;
                let (we, wt) = (ease(&e[..2]), ease(&t));
                if we + wt <= 0.0 {
                    continue;
                }
                let step = PACE * f64::from(dt);
                let mut add = |side: usize, p: u32, by: f64| {
                    let (sum, count) = pulls.entry((side, p)).or_default();
                    (0..3).for_each(|c| sum[c] += by * way[c]);
                    *count += 1.0;
                };
                pierce.edge[..2].iter().for_each(|&p| add(own, p, step * we / (we + wt)));
                pierce.triangle.iter().for_each(|&p| add(other, p, -step * wt / (we + wt)));
            }
        }
        for ((side, p), (sum, count)) in pulls {
            if let Some(s) = states.get_mut(side)
                && s.x[p as usize].0[3] > 0.0
            {
                (0..3).for_each(|c| s.x[p as usize].0[c] += (sum[c] / count) as f32);
            }
        }
    }
}

/// The pieces of a surface that its cut edges part from the largest.
fn pieces(number: usize, surface: &Surface, cut: &BTreeSet<[u32; 2]>) -> Vec<Piece> {
    if cut.is_empty() {
        return vec![];
    }
    let mut beside: Vec<Vec<u32>> = vec![vec![]; surface.points];
    for e in surface.edges.iter().filter(|e| !cut.contains(*e)) {
        beside[e[0] as usize].push(e[1]);
        beside[e[1] as usize].push(e[0]);
    }
    let mut part = vec![usize::MAX; surface.points];
    let mut parts: Vec<Vec<u32>> = vec![];
    for &first in cut.iter().flatten() {
        if part[first as usize] != usize::MAX {
            continue;
        }
        let (mut todo, mut points) = (vec![first], vec![]);
        part[first as usize] = parts.len();
        while let Some(p) = todo.pop() {
            points.push(p);
            for &q in &beside[p as usize] {
                if part[q as usize] == usize::MAX {
                    part[q as usize] = parts.len();
                    todo.push(q);
                }
            }
        }
        parts.push(points);
    }
    let Some(largest) = (0..parts.len()).max_by_key(|&k| (parts[k].len(), std::cmp::Reverse(k))) else {
        return vec![];
    };
    let mut out = vec![];
    for (k, mut points) in parts.into_iter().enumerate().filter(|(k, _)| *k != largest) {
        points.sort_unstable();
        let of = |p: u32| part[p as usize];
        let cut = cut.iter().filter_map(|&[p, q]| match (of(p) == k, of(q) == k) {
            (false, true) => Some([p, q]),
            (true, false) => Some([q, p]),
            _ => None,
        });
        out.push(Piece { surface: number, cut: cut.collect(), points });
    }
    out
}
