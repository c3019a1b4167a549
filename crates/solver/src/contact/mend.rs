//! What a search didn't think of: points that left the ways they were thought to go, and triangles that turned out
//! of their normals' boxes. There are few, so what they may meet is looked for about them alone, and added to the
//! lists of the search; all other pairs are as they were.
use super::pairs::{LISTS, Pair};
use super::surface::{Boxes, Found, Placed, Surface};
use super::touch::{Contact, expected, moving, strayed_by};
use crate::simd::{Bounds, Record};
use crate::state::State;

/// Triangles that may be astray at once: one in so many, and so many at least. Beyond, all is searched anew.
const ONE_IN: usize = 96;
const FEW: usize = 48;

impl Contact {
    /// Finds what is astray where contact left it, and what it may meet. False where there is too much of it.
    pub(super) fn mend(&mut self, states: &[State]) -> bool {
        let steps = (self.since + 1) as f32;
        let left = (self.ahead - self.since) as f32;
        let count = self.surfaces.len();
        let mut fresh: Vec<Vec<u32>> = vec![vec![]; count];
        let mut points: Vec<Vec<u32>> = vec![vec![]; count];
        let gap = self.gap();
        let moving = moving(states, &self.skins);
        {
            for k in 0..count {
                let (now, surface) = (moving[k].0, &self.surfaces[k]);
                let off = |i: usize| strayed_by(&now[i], &self.base[k][i], &self.ways[k][i], steps);
                points[k] = (0..surface.points)
                    .filter(|&i| off(i) > self.ways[k][i].0[3])
                    .map(|i| i as u32)
                    .collect();
                fresh[k] = points[k].iter().flat_map(|&p| surface.beside(p)).copied().collect();
                if self.between.iter().any(|b| b.a == k && b.b == k) {
                    surface.turned(now, &self.boxes[k], &mut fresh[k]);
                }
                fresh[k].sort_unstable();
                fresh[k].dedup();
                let most = FEW.max(surface.triangles.len() / ONE_IN);
                if fresh[k].len() + self.astray[k].len() > most {
                    return false;
                }
            }
        }
        if fresh.iter().all(Vec::is_empty) {
            return true;
        }
        for k in 0..count {
            for &p in &points[k] {
                let i = p as usize;
                let off = strayed_by(&moving[k].0[i], &self.base[k][i], &self.ways[k][i], steps);
                let unrest = (2.0 * self.unrest[k][i]).max(1.5 * off);
                let way = expected(moving[k], i, gap, left, unrest);
                let start = moving[k].1[i];
                let to = Record(std::array::from_fn(|c| way.0[c].mul_add(left, start.0[c])));
                // As if it had always gone that way.
                let since = self.since as f32;
                self.base[k][i] = Record(std::array::from_fn(|c| (-since).mul_add(way.0[c], start.0[c])));
                self.unrest[k][i] = unrest;
                self.ways[k][i] = way;
                self.boxes[k].points[i] = Bounds::about(start, to, way.0[3]);
            }
            for &t in &fresh[k] {
                self.boxes[k].astray(&self.surfaces[k], t);
            }
            self.astray[k].extend(&fresh[k]);
        }
        let span = [self.since as f32, self.ahead as f32];
        for k in 0..self.between.len() {
            let b = &self.between[k];
            let at = |k: usize| Placed { surface: &self.surfaces[k], boxes: &self.boxes[k] };
            let mut found = Found::default();
            let mut meet = |from: usize, to: usize, flip: bool| {
                for &t in &fresh[from] {
                    let (a, o) = (at(from), at(to));
                    let mut each = |s: u32| about(a, t, o, s, from == to, flip, b.gap, &mut found);
                    o.surface.within(o.boxes, &a.boxes.triangles[t as usize][0], b.gap, &mut each);
                    // The tree doesn't know where those went.
                    self.astray[to].iter().for_each(|&s| each(s));
                }
            };
            meet(b.a, b.b, false);
            if b.a != b.b {
                meet(b.b, b.a, true);
            }
            [&mut found.point_triangle, &mut found.triangle_point, &mut found.edges].into_iter().for_each(
                |f| {
                    f.sort_unstable();
                    f.dedup();
                },
            );
            let pairs: [Vec<Pair>; 3] = self.list(k, &found, span);
            let b = &mut self.between[k];
            for (i, new) in pairs.into_iter().enumerate() {
                b.added[i].extend(new);
                b.lists[LISTS / 2 + i].fill(&b.added[i]);
            }
        }
        true
    }
}

/// Pairs of all features of a triangle with those that another stands for; `flip` where the first is of the second
/// surface.
#[allow(clippy::too_many_arguments, reason = "a closure's body, spelled out")]
fn about(a: Placed, t: u32, b: Placed, o: u32, own: bool, flip: bool, reach: f32, out: &mut Found) {
    if own && t == o {
        return;
    }
    let (bt, bo) = (&a.boxes.triangles[t as usize][0], &b.boxes.triangles[o as usize][0]);
    if !bt.meets(bo, reach) {
        return;
    }
    let (tt, to) = (a.surface.triangles[t as usize], b.surface.triangles[o as usize]);
    let (points, edges) = b.surface.stands_for(o);
    let Found { point_triangle, triangle_point, edges: pairs, .. } = out;
    let (mine, others) =
        if flip { (triangle_point, point_triangle) } else { (point_triangle, triangle_point) };
    for p in tt {
        if a.boxes.points[p as usize].meets(bo, reach) && !(own && to.contains(&p)) {
            mine.push([p, o]);
        }
    }
    for &p in points {
        if b.boxes.points[p as usize].meets(bt, reach) && !(own && tt.contains(&p)) {
            if own { mine.push([p, t]) } else { others.push([p, t]) }
        }
    }
    let edge = |b: &Boxes, [p, q]: [u32; 2]| b.points[p as usize].and(&b.points[q as usize]);
    for &i in a.surface.sides(t) {
        let e = a.surface.edges[i as usize];
        let be = edge(a.boxes, e);
        for (j, d) in edges.clone() {
            let joined = own && (d.contains(&e[0]) || d.contains(&e[1]));
            if !joined && be.meets(&edge(b.boxes, d), reach) {
                pairs.push(if own {
                    [i.min(j), i.max(j)]
                } else if flip {
                    [j, i]
                } else {
                    [i, j]
                });
            }
        }
    }
}

impl Boxes {
    /// Fits the box of a triangle to its points anew, and no longer minds how it turns.
    fn astray(&mut self, surface: &Surface, t: u32) {
        let [p, q, r] = surface.triangles[t as usize].map(|p| &self.points[p as usize]);
        self.triangles[t as usize][0] = p.and(q).and(r);
        let lanes = &mut self.normals[t as usize / 8];
        (0..3).for_each(|c| (lanes[c][t as usize % 8], lanes[c + 3][t as usize % 8]) = (-2.0, 2.0));
    }
}
