//! Whether points are inside a closed skin, and how deep: a ray is followed out through it.
use super::pairs::Kind;
use super::sweep::{cross, dot, nearest, sub};
use crate::simd::Record;

type P = [f64; 3];

/// Calls `each` with every point inside and its depth, metres.
pub fn depths(skin: &[Record], triangles: &[[u32; 3]], x: &[Record], mut each: impl FnMut(usize, f32)) {
    let corners: Vec<[P; 3]> =
        triangles.iter().map(|t| t.map(|p| skin[p as usize].xyz().map(f64::from))).collect();
    let bound = |c: usize, low: bool| {
        let at = corners.iter().flatten().map(|p| p[c]);
        if low { at.fold(f64::INFINITY, f64::min) } else { at.fold(f64::NEG_INFINITY, f64::max) }
    };
    let (low, high): (P, P) =
        (std::array::from_fn(|c| bound(c, true)), std::array::from_fn(|c| bound(c, false)));
    // In columns along x: a ray only meets the triangles of its own.
    const COLUMNS: usize = 64;
    let cell = |v: f64, c: usize| {
        (((v - low[c]) / (high[c] - low[c]).max(1e-12) * COLUMNS as f64) as usize).min(COLUMNS - 1)
    };
    let mut columns: Vec<Vec<u32>> = vec![vec![]; COLUMNS * COLUMNS];
    for (t, p) in corners.iter().enumerate() {
        let range = |c: usize| {
            let v = p.map(|p| p[c]);
            (cell(v[0].min(v[1]).min(v[2]), c), cell(v[0].max(v[1]).max(v[2]), c))
        };
        let ((a, b), (d, e)) = (range(1), range(2));
        for j in a..=b {
            (d..=e).for_each(|k| columns[j * COLUMNS + k].push(t as u32));
        }
    }
    for (k, r) in x.iter().enumerate() {
        let p = r.xyz().map(f64::from);
        if (0..3).any(|c| p[c] < low[c] || p[c] > high[c]) {
            continue;
        }
        let mut crossed = 0;
        for &t in &columns[cell(p[1], 1) * COLUMNS + cell(p[2], 2)] {
            let [a, b, c] = corners[t as usize];
            // Whether the ray's line, seen along x, is on the far side of an edge: worked out from
            // its lower end, so that both triangles of the edge say the same, and half-open, so
            // that a line through an edge or a corner meets an odd number where it should.
            let beyond = |u: P, v: P| {
                let (u, v) = if u[2] <= v[2] { (u, v) } else { (v, u) };
                u[2] <= p[2] && p[2] < v[2] && (p[1] - u[1]) * (v[2] - u[2]) < (v[1] - u[1]) * (p[2] - u[2])
            };
            if !(beyond(a, b) ^ beyond(b, c) ^ beyond(c, a)) {
                continue;
            }
            let n = cross(sub(b, a), sub(c, a));
            if dot(n, sub(a, p)) / n[0] > 0.0 {
                crossed += 1;
            }
        }
        if crossed % 2 == 1 {
            let deep = corners
                .iter()
                .map(|[a, b, c]| nearest(Kind::Point, &[p, *a, *b, *c]).distance)
                .fold(f64::INFINITY, f64::min);
            each(k, deep as f32);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_what_is_inside_a_closed_skin_has_a_depth() {
        let s = |k: usize, b: usize| if k & (1 << b) == 0 { -1.0 } else { 1.0 };
        let cube: Vec<Record> = (0..8).map(|k| Record([s(k, 0), s(k, 1), s(k, 2), 0.0])).collect();
        let quads = [[0u32, 1, 3, 2], [4, 5, 7, 6], [0, 1, 5, 4], [2, 3, 7, 6], [0, 2, 6, 4], [1, 3, 7, 5]];
        let triangles: Vec<[u32; 3]> =
            quads.iter().flat_map(|q| [[q[0], q[1], q[2]], [q[0], q[2], q[3]]]).collect();
        let x = [[0.0, 0.3, 0.2], [0.0, 1.3, 0.0], [0.9, 0.0, 0.0]].map(|[a, b, c]| Record([a, b, c, 0.0]));
        let mut found = vec![];
        depths(&cube, &triangles, &x, |k, d| found.push((k, d)));
        assert_eq!(found.len(), 2);
        assert!(
            found[0].0 == 0 && (found[0].1 - 0.7).abs() < 1e-6 && (found[1].1 - 0.1).abs() < 1e-6,
            "{found:?}"
        );
    }
}
