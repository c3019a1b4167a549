//! The rest shape of each triangle in its own plane, with the warp thread as first axis.
use crate::Mesh;
use crate::vec3::{Vec3, add, cross, dot, scale, sub, unit};

/// Which texture direction the warp follows.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WarpAlong {
    U,
    V,
}

/// For each triangle its corners in the plane of the rest shape: metres along warp and weft,
/// from the first corner. Warp is the direction in which u (or v) grows on the surface; without
/// UVs, the mesh's widest axis laid onto the triangle.
pub fn material_frames(mesh: &Mesh, warp: WarpAlong) -> Vec<[[f32; 2]; 3]> {
    let (lo, hi) = mesh.bounds();
    let size = sub(hi, lo);
    let widest = (0..3).max_by(|&a, &b| size[a].total_cmp(&size[b])).unwrap_or(0);
    let fallback: [Vec3; 2] = [0, 1].map(|k| std::array::from_fn(|c| f32::from(c == (widest + k) % 3)));
    (0..mesh.triangles.len())
        .map(|t| {
            let [a, b, c] = mesh.triangles[t].map(|p| mesh.positions[p as usize]);
            let (ab, ac) = (sub(b, a), sub(c, a));
            let normal = unit(cross(ab, ac)).unwrap_or([0.0, 1.0, 0.0]);
            let onto =
                |d: Vec3| unit(sub(d, scale(normal, dot(d, normal)))).filter(|u| dot(*u, d).abs() > 1e-3);
            let first = texture_direction(mesh, t, ab, ac, warp)
                .and_then(unit)
                .or_else(|| onto(fallback[0]))
                .or_else(|| onto(fallback[1]))
                .unwrap_or([1.0, 0.0, 0.0]);
            let second = cross(normal, first);
            [[0.0; 2], [dot(ab, first), dot(ab, second)], [dot(ac, first), dot(ac, second)]]
        })
        .collect()
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
