//! Faces of more than three corners, cut into triangles.
use glam::DVec3;

/// Triangles of a face's corners, by their number in it. A convex one is a fan about its first corner; another is cut
/// by its ears, on the plane of its normal (the `earcut` crate).
pub(crate) fn triangulate(corners: &[[f32; 3]]) -> Vec<[usize; 3]> {
    let n = corners.len();
    let about = |first: usize| (1..n - 1).map(move |k| [0, k, k + 1].map(|k| (first + k) % n));
    let fan = || about(0).collect();
    if n < 4 {
        return fan();
    }
    let at = |k: usize| DVec3::from(corners[k % n].map(f64::from));
    // Newell's normal: right for faces that are not flat, too.
    let normal: DVec3 = (0..n).map(|k| at(k).cross(at(k + 1))).sum();
    let size2 = normal.length_squared();
    let turns_back = |k: usize| (at(k + 1) - at(k)).cross(at(k + 2) - at(k + 1)).dot(normal) < -1e-6 * size2;
    let flat = |t: [usize; 3]| {
        let [a, b, c] = t.map(at);
        (b - a).cross(c - a).length_squared() <= 1e-12 * size2
    };
    if size2 <= 0.0 {
        return fan();
    }
    if !(0..n).any(turns_back) {
        // A corner inside a side would be cut off by a triangle without area, and what lies beside it there with it.
        let first = (0..n).find(|first| !about(*first).any(flat)).unwrap_or(0);
        return about(first).collect();
    }
    // Seen along its longest axis, so that nothing is lost to a projection.
    let axis = (0..3).max_by(|&a, &b| normal[a].abs().total_cmp(&normal[b].abs())).unwrap_or(2);
    let (u, v) =
        if normal[axis] > 0.0 { ((axis + 1) % 3, (axis + 2) % 3) } else { ((axis + 2) % 3, (axis + 1) % 3) };
    let seen: Vec<[f64; 2]> = (0..n).map(|k| [at(k)[u], at(k)[v]]).collect();
    let mut cut: Vec<usize> = vec![];
    earcut::Earcut::new().earcut::<usize>(seen.iter().copied(), &[], &mut cut);
    if cut.len() != 3 * (n - 2) {
        return fan();
    }
    let area = |t: &[usize]| {
        let [a, b, c] = [seen[t[0]], seen[t[1]], seen[t[2]]];
        (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
    };
    // All the way round that the face goes.
    cut.chunks_exact(3).map(|t| if area(t) < 0.0 { [t[0], t[2], t[1]] } else { [t[0], t[1], t[2]] }).collect()
}
