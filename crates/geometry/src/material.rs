//! The rest shape of each triangle in its own plane, with the warp thread as first axis.
use crate::Mesh;
use glam::Vec3;
use std::collections::{BTreeMap, VecDeque};

/// Which texture direction the warp follows.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WarpAlong {
    U,
    V,
}

/// For each triangle its corners in the plane of the rest shape: metres along warp and weft,
/// from the first corner. Warp is the direction in which u (or v) grows on the surface; without
/// UVs, the mesh's widest axis laid onto one triangle and carried on from each to those beside it, straight
/// over the edges between, so that a sheet that is only rolled or folded has the threads it was woven with.
pub fn material_coordinates(mesh: &Mesh, warp: WarpAlong) -> Vec<[[f32; 2]; 3]> {
    let (lo, hi) = mesh.bounds();
    let size = Vec3::from(hi) - Vec3::from(lo);
    let widest = (0..3).max_by(|&a, &b| size[a].total_cmp(&size[b])).unwrap_or(0);
    let fallback: [Vec3; 2] = [0, 1].map(|k| Vec3::AXES[(widest + k) % 3]);
    let carried = if mesh.uv_triangles.is_empty() { carry(mesh, fallback) } else { vec![] };
    (0..mesh.triangles.len())
        .map(|t| {
            let [ab, ac] = sides(mesh, t);
            let normal = ab.cross(ac).try_normalize().unwrap_or(Vec3::Y);
            let first = texture_direction(mesh, t, ab, ac, warp)
                .and_then(Vec3::try_normalize)
                .or_else(|| carried.get(t).copied())
                .unwrap_or_else(|| laid_onto(normal, fallback));
            let second = normal.cross(first);
            [[0.0; 2], [ab.dot(first), ab.dot(second)], [ac.dot(first), ac.dot(second)]]
        })
        .collect()
}

fn point(mesh: &Mesh, p: u32) -> Vec3 {
    mesh.positions[p as usize].into()
}

/// The sides of a triangle from its first corner to the others.
fn sides(mesh: &Mesh, t: usize) -> [Vec3; 2] {
    let [a, b, c] = mesh.triangles[t].map(|p| point(mesh, p));
    [b - a, c - a]
}

/// The first of the axes that is not square to the plane, laid onto it.
fn laid_onto(normal: Vec3, axes: [Vec3; 2]) -> Vec3 {
    let onto =
        |d: Vec3| (d - normal * d.dot(normal)).try_normalize().filter(|u: &Vec3| u.dot(d).abs() > 1e-3);
    onto(axes[0]).or_else(|| onto(axes[1])).unwrap_or(Vec3::X)
}

/// A direction in each triangle: that of the first of each piece by the axes, and of the others carried over.
fn carry(mesh: &Mesh, axes: [Vec3; 2]) -> Vec<Vec3> {
    let normal = |t: usize| {
        let [ab, ac] = sides(mesh, t);
        ab.cross(ac).try_normalize().unwrap_or(Vec3::Y)
    };
    let mut beside: BTreeMap<[u32; 2], Vec<usize>> = BTreeMap::new();
    for (t, tri) in mesh.triangles.iter().enumerate() {
        for k in 0..3 {
            let (a, b) = (tri[k], tri[(k + 1) % 3]);
            beside.entry([a.min(b), a.max(b)]).or_default().push(t);
        }
    }
    let mut found: Vec<Option<Vec3>> = vec![None; mesh.triangles.len()];
    for seed in 0..found.len() {
        if found[seed].is_some() {
            continue;
        }
        found[seed] = Some(laid_onto(normal(seed), axes));
        let mut todo = VecDeque::from([seed]);
        while let Some(t) = todo.pop_front() {
            let (Some(d), n, tri) = (found[t], normal(t), mesh.triangles[t]) else { continue };
            for k in 0..3 {
                let (a, b) = (tri[k], tri[(k + 1) % 3]);
                let Some(edge) = (point(mesh, b) - point(mesh, a)).try_normalize() else {
                    continue;
                };
                let out = edge.cross(n);
                for &o in &beside[&[a.min(b), a.max(b)]] {
                    if found[o].is_none() {
                        let on = edge * d.dot(edge) + edge.cross(normal(o)) * d.dot(out);
                        found[o] = on.try_normalize().or(Some(d));
                        todo.push_back(o);
                    }
                }
            }
        }
    }
    found.into_iter().map(|d| d.unwrap_or(axes[0])).collect()
}

fn texture_direction(mesh: &Mesh, t: usize, ab: Vec3, ac: Vec3, warp: WarpAlong) -> Option<Vec3> {
    let [ua, ub, uc] = mesh.uv_triangles.get(t)?.map(|k| mesh.uvs[k as usize]);
    let (s, r) = ([ub[0] - ua[0], ub[1] - ua[1]], [uc[0] - ua[0], uc[1] - ua[1]]);
    let det = s[0] * r[1] - r[0] * s[1];
    // Direction only, so the determinant's size does not matter, but its sign does.
    (det.abs() > 1e-12).then(|| {
        let d = match warp {
            WarpAlong::U => ab * r[1] + ac * -s[1],
            WarpAlong::V => ab * -r[0] + ac * s[0],
        };
        d * det.signum()
    })
}
