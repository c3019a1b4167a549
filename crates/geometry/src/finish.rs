//! What is done to a computed surface to look finished, and never computed: smoothed by subdivision, and as thick as it is.
use crate::Mesh;
use crate::subdivide::{Rows, divided};
use std::collections::BTreeMap;

/// A finished surface: what its points are of those that were computed, and its triangles.
#[derive(Clone, Debug)]
pub struct Finish {
    /// At rest.
    pub mesh: Mesh,
    /// Of each point of the smoothed surface, what it is of the computed points.
    pub rows: Rows,
    /// The smoothed surface, before it is as thick as it is.
    pub surface: Vec<[u32; 3]>,
    /// Half of the thickness, metres; 0 where it has none.
    pub half: f32,
}

impl Finish {
    /// A mesh of triangles, smoothed so many times and so thick, metres. With neither it is the mesh as it is.
    pub fn of(mesh: &Mesh, smooth: u32, thickness: f64) -> Finish {
        let mut rows = Rows::same(mesh.positions.len());
        let mut own = Mesh {
            positions: mesh.positions.clone(),
            triangles: mesh.triangles.clone(),
            uvs: mesh.uvs.clone(),
            uv_triangles: mesh.uv_triangles.clone(),
            ..Mesh::default()
        };
        for _ in 0..smooth {
            let (next, step) = divided(&own);
            rows = step.after(&rows);
            own = next;
        }
        let surface = own.triangles.clone();
        let half = 0.5 * thickness as f32;
        if half > 0.0 {
            thicken(&mut own);
        }
        let mut out = Finish { mesh: own, rows, surface, half };
        out.mesh.positions = out.frame(&mesh.positions);
        out
    }

    /// Where its points are when the computed ones are there.
    pub fn frame(&self, now: &[[f32; 3]]) -> Vec<[f32; 3]> {
        let mut at = self.rows.apply(now);
        if self.half > 0.0 {
            let mut up = vec![[0.0f64; 3]; at.len()];
            for t in &self.surface {
                let [a, b, c] = t.map(|p| at[p as usize].map(f64::from));
                let (u, v): ([f64; 3], [f64; 3]) =
                    (std::array::from_fn(|k| b[k] - a[k]), std::array::from_fn(|k| c[k] - a[k]));
                let n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
                t.iter().for_each(|p| (0..3).for_each(|k| up[*p as usize][k] += n[k]));
            }
            let half = f64::from(self.half);
            let off = |sign: f64| {
                let each = at.iter().zip(&up).map(|(p, n)| {
                    let l = (n[0] * n[0] + n[1] * n[1] + n[2] * n[2]).sqrt().max(1e-30);
                    std::array::from_fn(|k| (f64::from(p[k]) + sign * half * n[k] / l) as f32)
                });
                each.collect::<Vec<[f32; 3]>>()
            };
            let (over, under) = (off(1.0), off(-1.0));
            at = over;
            at.extend(under);
        }
        at
    }
}

/// A second side under the first, turned round, and a rim along the borders.
fn thicken(mesh: &mut Mesh) {
    let n = mesh.positions.len() as u32;
    let (over, textures) = (mesh.triangles.clone(), mesh.uv_triangles.clone());
    // Each edge by its ends, with which triangle it is of and where in it; an edge of two is none of the rim.
    let mut edges: BTreeMap<[u32; 2], Option<(usize, usize)>> = BTreeMap::new();
    for (t, own) in over.iter().enumerate() {
        for k in 0..3 {
            let (a, b) = (own[k], own[(k + 1) % 3]);
            edges.entry([a.min(b), a.max(b)]).and_modify(|e| *e = None).or_insert(Some((t, k)));
        }
    }
    mesh.triangles.extend(over.iter().map(|t| [t[0] + n, t[2] + n, t[1] + n]));
    mesh.uv_triangles.extend(textures.iter().map(|t| [t[0], t[2], t[1]]));
    for (t, k) in edges.into_values().flatten() {
        let (a, b) = (over[t][k], over[t][(k + 1) % 3]);
        mesh.triangles.extend([[b, a, a + n], [b, a + n, b + n]]);
        if let Some(uv) = textures.get(t) {
            let (p, q) = (uv[k], uv[(k + 1) % 3]);
            mesh.uv_triangles.extend([[q, p, p], [q, p, q]]);
        }
    }
    mesh.positions.extend(mesh.positions.clone());
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)]
    use super::*;
    use crate::{check, sheet, subdivide};

    fn volume(m: &Mesh) -> f64 {
        let at = |p: u32| m.positions[p as usize].map(f64::from);
        let each = m.triangles.iter().map(|t| {
            let [a, b, c] = t.map(at);
            a[0] * (b[1] * c[2] - b[2] * c[1])
                + a[1] * (b[2] * c[0] - b[0] * c[2])
                + a[2] * (b[0] * c[1] - b[1] * c[0])
        });
        each.sum::<f64>() / 6.0
    }

    #[test]
    fn a_sheet_as_thick_as_it_is_is_closed_and_holds_its_area_times_that() {
        let m = sheet(1.0, 0.6, 9, 7);
        for smooth in [0, 1, 2] {
            let f = Finish::of(&m, smooth, 0.01);
            assert_eq!(check(&f.mesh, 100_000), Ok(()), "smoothed {smooth} times");
            let mut uses: BTreeMap<[u32; 2], i32> = BTreeMap::new();
            for t in &f.mesh.triangles {
                for k in 0..3 {
                    let (a, b) = (t[k], t[(k + 1) % 3]);
                    *uses.entry([a.min(b), a.max(b)]).or_default() += if a < b { 1 } else { -1 };
                }
            }
            assert!(uses.values().all(|u| *u == 0), "each edge once each way");
            // The corners are rounded off a little by being smoothed.
            let v = volume(&f.mesh);
            assert!((v - 0.006).abs() < 0.000_15, "{v}");
            assert_eq!(f.mesh.uv_triangles.len(), f.mesh.triangles.len());
        }
    }

    #[test]
    fn it_goes_along_with_the_points_and_none_of_it_is_the_points_themselves() {
        let m = sheet(1.0, 1.0, 6, 6);
        let plain = Finish::of(&m, 0, 0.0);
        assert_eq!(plain.mesh.positions, m.positions);
        assert_eq!(plain.mesh.triangles, m.triangles);
        let f = Finish::of(&m, 1, 0.0);
        assert_eq!(f.mesh.positions, subdivide(&m).positions);
        // Moved and turned, it is the same moved and turned.
        let by = |p: &[f32; 3]| [3.0 - p[2], p[1] + 2.0, p[0] - 1.0];
        let moved: Vec<[f32; 3]> = m.positions.iter().map(by).collect();
        let thick = Finish::of(&m, 1, 0.02);
        for (a, b) in thick.frame(&moved).iter().zip(&thick.mesh.positions) {
            let b = by(b);
            assert!((0..3).all(|c| (a[c] - b[c]).abs() < 1e-5), "{a:?} {b:?}");
        }
    }
}
