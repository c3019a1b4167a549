//! Smoothing by subdivision.
use crate::Mesh;
use crate::net::Net;
use std::collections::BTreeMap;

/// Four triangles for each, with points put where the limit is smooth. Along borders points are evened along them alone, corners too. Textures are
/// cut in the middle.
pub fn subdivide(mesh: &Mesh) -> Mesh {
    let (net, rows) = Net::plain(mesh).divided();
    Mesh { positions: rows.apply(&mesh.positions), ..net.mesh() }
}

/// What points are of others: the parts of each, one after the other.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Rows {
    /// Where the parts of each point begin, and where the last end.
    pub from: Vec<u32>,
    pub points: Vec<u32>,
    pub parts: Vec<f32>,
}

impl Rows {
    /// One more point, of points that may come more than once.
    pub(crate) fn push_sum(&mut self, of: &[(u32, f64)]) {
        let mut sum: BTreeMap<u32, f64> = BTreeMap::new();
        of.iter().for_each(|(p, w)| *sum.entry(*p).or_default() += w);
        self.push(&sum.into_iter().collect::<Vec<_>>());
    }

    pub(crate) fn push(&mut self, of: &[(u32, f64)]) {
        if self.from.is_empty() {
            self.from.push(0);
        }
        self.points.extend(of.iter().map(|p| p.0));
        self.parts.extend(of.iter().map(|p| p.1 as f32));
        self.from.push(self.points.len() as u32);
    }

    fn row(&self, k: usize) -> impl Iterator<Item = (u32, f64)> + '_ {
        let own = self.from[k] as usize..self.from[k + 1] as usize;
        own.map(|i| (self.points[i], f64::from(self.parts[i])))
    }

    /// These of points that themselves are of others.
    pub(crate) fn after(&self, before: &Rows) -> Rows {
        let mut out = Rows::default();
        for k in 0..self.from.len().saturating_sub(1) {
            let mut sum: BTreeMap<u32, f64> = BTreeMap::new();
            for (p, w) in self.row(k) {
                before.row(p as usize).for_each(|(q, v)| *sum.entry(q).or_default() += w * v);
            }
            out.push(&sum.into_iter().collect::<Vec<_>>());
        }
        out
    }

    /// Numbers of points as those of what they are parts of.
    pub(crate) fn spread(&self, of: &[f32]) -> Vec<f32> {
        let own = |k: usize| self.row(k).map(|(p, w)| w * f64::from(of[p as usize])).sum::<f64>() as f32;
        (0..self.from.len().saturating_sub(1)).map(own).collect()
    }

    /// Where the points are when those that they are of are there.
    pub fn apply(&self, at: &[[f32; 3]]) -> Vec<[f32; 3]> {
        let of = |k: usize| {
            let mut sum = [0.0f64; 3];
            self.row(k).for_each(|(p, w)| (0..3).for_each(|c| sum[c] += w * f64::from(at[p as usize][c])));
            sum.map(|c| c as f32)
        };
        (0..self.from.len().saturating_sub(1)).map(of).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{ball, check, sheet};

    #[test]
    fn it_has_four_times_the_triangles_is_smoother_and_keeps_what_is_flat() {
        let m = subdivide(&ball(1.0, 3));
        assert_eq!(m.triangles.len(), 4 * ball(1.0, 3).triangles.len());
        assert_eq!(check(&m, 100_000), Ok(()));
        let r: Vec<f64> =
            m.positions.iter().map(|p| p.iter().map(|c| f64::from(c * c)).sum::<f64>().sqrt()).collect();
        let (least, most) = r.iter().fold((9.0f64, 0.0f64), |(a, b), r| (a.min(*r), b.max(*r)));
        assert!(most < 1.0 && most - least < 0.06, "{least} to {most}");
        let flat = subdivide(&sheet(1.0, 0.6, 5, 4));
        assert!(flat.positions.iter().all(|p| p[1] == 0.0));
        let wide = flat.positions.iter().fold(0.0f32, |m, p| m.max(p[0]));
        // Corners are no smooth border: they are rounded off a little, sides stay.
        assert!((wide - 0.5).abs() < 1e-6);
        assert_eq!(flat.uv_triangles.len(), flat.triangles.len());
    }
}
