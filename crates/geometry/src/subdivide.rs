//! Smoothing by subdivision.
use crate::Mesh;
use std::collections::BTreeMap;

/// Four triangles for each, with points put where the limit is smooth (C. Loop, "Smooth Subdivision Surfaces Based on Triangles", 1987):
/// an edge's middle has 3/8 of its ends and 1/8 of the points across, a point 1 - n b of itself and b of each of its n neighbours, with
/// b = (5/8 - (3/8 + cos(2π/n)/4)²)/n. Along borders 1/2, 1/2 and 3/4, 1/8, 1/8. Textures are cut in the middle.
pub fn subdivide(mesh: &Mesh) -> Mesh {
    divided(mesh).0
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
    /// Each point is itself.
    pub(crate) fn same(count: usize) -> Rows {
        Rows {
            from: (0..=count as u32).collect(),
            points: (0..count as u32).collect(),
            parts: vec![1.0; count],
        }
    }

    fn push(&mut self, of: &[(u32, f64)]) {
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

/// The mesh, and what its points are of those of the mesh before.
pub(crate) fn divided(mesh: &Mesh) -> (Mesh, Rows) {
    let n = mesh.positions.len();
    // Of each edge the points across, and how often it is met.
    let mut edges: BTreeMap<[u32; 2], Vec<u32>> = BTreeMap::new();
    for t in &mesh.triangles {
        for k in 0..3 {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            edges.entry([a.min(b), a.max(b)]).or_default().push(t[(k + 2) % 3]);
        }
    }
    let mut near: Vec<Vec<u32>> = vec![vec![]; n];
    let mut rim: Vec<Vec<u32>> = vec![vec![]; n];
    for ([a, b], across) in &edges {
        near[*a as usize].push(*b);
        near[*b as usize].push(*a);
        if across.len() != 2 {
            rim[*a as usize].push(*b);
            rim[*b as usize].push(*a);
        }
    }
    let mut rows = Rows::default();
    let mut out = Mesh { uvs: mesh.uvs.clone(), ..Mesh::default() };
    for p in 0..n as u32 {
        let (all, rim) = (&near[p as usize], &rim[p as usize]);
        match rim[..] {
            [] if !all.is_empty() => {
                let k = all.len() as f64;
                let c = 0.375 + 0.25 * libm::cos(std::f64::consts::TAU / k);
                let b = (0.625 - c * c) / k;
                let mut of: Vec<(u32, f64)> = all.iter().map(|q| (*q, b)).collect();
                of.push((p, 1.0 - k * b));
                rows.push(&of);
            }
            [a, b] => rows.push(&[(p, 0.75), (a, 0.125), (b, 0.125)]),
            _ => rows.push(&[(p, 1.0)]),
        }
    }
    let mut middle: BTreeMap<[u32; 2], u32> = BTreeMap::new();
    for (edge, across) in &edges {
        let [a, b] = *edge;
        middle.insert(*edge, rows.from.len().max(1) as u32 - 1);
        match across[..] {
            [c, d] => rows.push(&[(a, 0.375), (b, 0.375), (c, 0.125), (d, 0.125)]),
            _ => rows.push(&[(a, 0.5), (b, 0.5)]),
        }
    }
    let split = |t: &[u32; 3], m: [u32; 3]| {
        [[t[0], m[0], m[2]], [m[0], t[1], m[1]], [m[2], m[1], t[2]], [m[0], m[1], m[2]]]
    };
    for t in &mesh.triangles {
        let m = [0, 1, 2].map(|k| {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            middle[&[a.min(b), a.max(b)]]
        });
        out.triangles.extend(split(t, m));
    }
    let mut uv_middle: BTreeMap<[u32; 2], u32> = BTreeMap::new();
    for t in &mesh.uv_triangles {
        let m = [0, 1, 2].map(|k| {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            *uv_middle.entry([a.min(b), a.max(b)]).or_insert_with(|| {
                let (p, q) = (out.uvs[a as usize], out.uvs[b as usize]);
                out.uvs.push([0.5 * (p[0] + q[0]), 0.5 * (p[1] + q[1])]);
                out.uvs.len() as u32 - 1
            })
        });
        out.uv_triangles.extend(split(t, m));
    }
    out.positions = rows.apply(&mesh.positions);
    (out, rows)
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
