//! The rest shape of each triangle in its own plane, with the warp thread as first axis.
use crate::Mesh;
use crate::vec3::{Vec3, add, cross, dot, scale, sub, unit};
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
    let size = sub(hi, lo);
    let widest = (0..3).max_by(|&a, &b| size[a].total_cmp(&size[b])).unwrap_or(0);
    let fallback: [Vec3; 2] = [0, 1].map(|k| std::array::from_fn(|c| f32::from(c == (widest + k) % 3)));
    let carried = if mesh.uv_triangles.is_empty() { carry(mesh, fallback) } else { vec![] };
    (0..mesh.triangles.len())
        .map(|t| {
            let [a, b, c] = mesh.triangles[t].map(|p| mesh.positions[p as usize]);
            let (ab, ac) = (sub(b, a), sub(c, a));
            let normal = unit(cross(ab, ac)).unwrap_or([0.0, 1.0, 0.0]);
            let first = texture_direction(mesh, t, ab, ac, warp)
                .and_then(unit)
                .or_else(|| carried.get(t).copied())
                .unwrap_or_else(|| laid_onto(normal, fallback));
            let second = cross(normal, first);
            [[0.0; 2], [dot(ab, first), dot(ab, second)], [dot(ac, first), dot(ac, second)]]
        })
        .collect()
}

/// The first of the axes that is not square to the plane, laid onto it.
fn laid_onto(normal: Vec3, axes: [Vec3; 2]) -> Vec3 {
    let onto = |d: Vec3| unit(sub(d, scale(normal, dot(d, normal)))).filter(|u| dot(*u, d).abs() > 1e-3);
    onto(axes[0]).or_else(|| onto(axes[1])).unwrap_or([1.0, 0.0, 0.0])
}

/// A direction in each triangle: that of the first of each piece by the axes, and of the others carried over.
fn carry(mesh: &Mesh, axes: [Vec3; 2]) -> Vec<Vec3> {
    let normal = |t: usize| {
        let [a, b, c] = mesh.triangles[t].map(|p| mesh.positions[p as usize]);
        unit(cross(sub(b, a), sub(c, a))).unwrap_or([0.0, 1.0, 0.0])
    };
    let mut sides: BTreeMap<[u32; 2], Vec<usize>> = BTreeMap::new();
    for (t, tri) in mesh.triangles.iter().enumerate() {
        for k in 0..3 {
            let (a, b) = (tri[k], tri[(k + 1) % 3]);
            sides.entry([a.min(b), a.max(b)]).or_default().push(t);
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
                let Some(edge) = unit(sub(mesh.positions[b as usize], mesh.positions[a as usize])) else {
                    continue;
                };
                let out = cross(edge, n);
                for &o in &sides[&[a.min(b), a.max(b)]] {
                    if found[o].is_none() {
                        let on = add(scale(edge, dot(d, edge)), scale(cross(edge, normal(o)), dot(d, out)));
                        found[o] = unit(on).or(Some(d));
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
            WarpAlong::U => add(scale(ab, r[1]), scale(ac, -s[1])),
            WarpAlong::V => add(scale(ab, -r[0]), scale(ac, s[0])),
        };
        scale(d, det.signum())
    })
}
