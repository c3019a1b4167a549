//! A row of edges: from one of them straight on, both ways.
use crate::About;
use std::collections::{HashMap, HashSet};

/// How far from straight a row may bend at a point, as a share of the angle on either side of it.
const BEND: f64 = 0.34;

/// The points of the row that an edge lies in, in their order: at each point it goes on by the edge that has as much of the
/// surface on its left as on its right (a straightest geodesic: K. Polthier, M. Schmies, "Straightest Geodesics on Polyhedral
/// Surfaces", 1998, def. 3), as far as one does so within a third; along a border where it lies on one; once round where it
/// closes. `None` where the two points share no edge.
pub fn row(positions: &[[f32; 3]], triangles: &[[u32; 3]], from: u32, to: u32) -> Option<Vec<u32>> {
    let on = Row { positions, triangles, about: About::of(triangles, positions.len()) };
    if from as usize >= positions.len() || to as usize >= positions.len() || !on.fan(from)?.contains(&to) {
        return None;
    }
    let mut seen = HashSet::from([from, to]);
    let ahead = on.go(from, to, &mut seen);
    let behind = on.go(to, from, &mut seen);
    Some(behind.into_iter().rev().chain([from, to]).chain(ahead).collect())
}

struct Row<'a> {
    positions: &'a [[f32; 3]],
    triangles: &'a [[u32; 3]],
    about: About,
}

impl Row<'_> {
    fn go(&self, mut from: u32, mut at: u32, seen: &mut HashSet<u32>) -> Vec<u32> {
        let mut out = vec![];
        while let Some(next) = self.next(from, at) {
            if !seen.insert(next) {
                break;
            }
            out.push(next);
            (from, at) = (at, next);
        }
        out
    }

    /// The points about one, in their order round it; from one end of the border to the other where it lies on one.
    fn fan(&self, at: u32) -> Option<Vec<u32>> {
        let mut after = HashMap::new();
        for t in self.about.point(at) {
            let corners = self.triangles[*t as usize];
            let k = corners.iter().position(|p| *p == at)?;
            // Where triangles face otherwise, or more than two meet at an edge, there is no order.
            if after.insert(corners[(k + 1) % 3], corners[(k + 2) % 3]).is_some() {
                return None;
            }
        }
        let ends: HashSet<u32> = after.values().copied().collect();
        let first = after.keys().copied().filter(|p| !ends.contains(p)).min();
        let mut p = first.or_else(|| after.keys().copied().min())?;
        let mut out = vec![p];
        while let Some(next) = after.remove(&p) {
            if next == out[0] {
                break;
            }
            out.push(next);
            p = next;
        }
        // A second fan at the same point is another surface.
        after.is_empty().then_some(out)
    }

    fn next(&self, from: u32, at: u32) -> Option<u32> {
        let fan = self.fan(at)?;
        let here = fan.iter().position(|p| *p == from)?;
        let n = fan.len();
        let closed = self.beside(at, fan[n - 1], fan[0]) && n > 2;
        if !closed {
            // Along the border, or up to it.
            return match here {
                0 => Some(fan[n - 1]),
                k if k == n - 1 => Some(fan[0]),
                _ => None,
            };
        }
        let angles: Vec<f64> =
            (0..n).map(|k| self.angle(at, fan[(here + k) % n], fan[(here + k + 1) % n])).collect();
        let half = 0.5 * angles.iter().sum::<f64>();
        let mut turned = 0.0;
        let mut best: Option<(f64, u32)> = None;
        for k in 1..n {
            turned += angles[k - 1];
            let off = (turned - half).abs() / half;
            if off < BEND && best.is_none_or(|(b, _)| off < b) {
                best = Some((off, fan[(here + k) % n]));
            }
        }
        best.map(|(_, p)| p)
    }

    /// Whether a triangle at a point goes from one to the other.
    fn beside(&self, at: u32, a: u32, b: u32) -> bool {
        self.about.point(at).iter().any(|t| {
            let c = self.triangles[*t as usize];
            c.contains(&a) && c.contains(&b)
        })
    }

    fn angle(&self, at: u32, a: u32, b: u32) -> f64 {
        let place = |p: u32| glam::Vec3::from_array(self.positions[p as usize]).as_dvec3();
        let (p, q) = (place(a) - place(at), place(b) - place(at));
        p.angle_between(q)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A grid of squares with diagonals that change from one to the next.
    fn grid(n: u32) -> (Vec<[f32; 3]>, Vec<[u32; 3]>) {
        let at = |x: u32, z: u32| z * (n + 1) + x;
        let positions =
            (0..(n + 1) * (n + 1)).map(|k| [(k % (n + 1)) as f32, 0.0, (k / (n + 1)) as f32]).collect();
        let mut triangles = vec![];
        for (x, z) in (0..n * n).map(|k| (k % n, k / n)) {
            let [a, b, c, d] = [at(x, z), at(x, z + 1), at(x + 1, z + 1), at(x + 1, z)];
            triangles.extend(if (x + z) % 2 == 0 { [[a, b, c], [a, c, d]] } else { [[a, b, d], [b, c, d]] });
        }
        (positions, triangles)
    }

    #[test]
    fn a_row_goes_straight_from_border_to_border_whichever_edge_of_it_is_taken() {
        let (p, t) = grid(8);
        let across: Vec<u32> = (0..9).map(|x| 4 * 9 + x).collect();
        for k in 0..8 {
            assert_eq!(row(&p, &t, across[k], across[k + 1]).as_ref(), Some(&across));
            let mut back = row(&p, &t, across[k + 1], across[k]).unwrap_or_default();
            back.reverse();
            assert_eq!(back, across);
        }
        // Along a diagonal from corner to corner.
        assert_eq!(row(&p, &t, 0, 10), Some((0..9).map(|k| 10 * k).collect::<Vec<u32>>()));
    }

    #[test]
    fn along_a_border_it_goes_once_round_and_only_edges_have_one() {
        let (p, t) = grid(4);
        let round = row(&p, &t, 1, 2).unwrap_or_default();
        assert_eq!(round.len(), 16, "{round:?}");
        assert_eq!(row(&p, &t, 0, 2), None);
        assert_eq!(row(&p, &t, 0, 999), None);
    }
}
