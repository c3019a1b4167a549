//! Which segments of strands go through the triangles of a surface.
use super::cross::pierced;
use super::surface::Surface;
use crate::simd::Record;
use std::collections::HashMap;

type P = [f64; 3];

fn at(x: &[Record], k: u32) -> P {
    x[k as usize].xyz().map(f64::from)
}

/// The first points of segments that go through a triangle, in the surface's order; only those that `counts` of a segment and a triangle.
pub fn through(
    (strands, xs): (&Surface, &[Record]),
    (skin, xt): (&Surface, &[Record]),
    counts: impl Fn([u32; 2], [u32; 3]) -> bool,
) -> Vec<u32> {
    let segments: Vec<[u32; 2]> =
        strands.triangles.iter().filter(|t| t[0] != t[1] && t[1] == t[2]).map(|t| [t[0], t[1]]).collect();
    let solid: Vec<[u32; 3]> =
        skin.triangles.iter().filter(|t| t[0] != t[1] && t[1] != t[2]).copied().collect();
    if segments.is_empty() || solid.is_empty() {
        return vec![];
    }
    let corners: Vec<[P; 3]> = solid.iter().map(|t| t.map(|k| at(xt, k))).collect();
    // In cells about as large as triangles are.
    let edges = corners.iter().map(|[a, b, _]| (0..3).map(|c| (a[c] - b[c]).powi(2)).sum::<f64>().sqrt());
    let side = (2.0 * edges.sum::<f64>() / corners.len() as f64).max(1e-9);
    let cells = |points: &[P]| {
        let low: [i64; 3] = std::array::from_fn(|c| {
            (points.iter().map(|p| p[c]).fold(f64::INFINITY, f64::min) / side).floor() as i64
        });
        let high: [i64; 3] = std::array::from_fn(|c| {
            (points.iter().map(|p| p[c]).fold(f64::NEG_INFINITY, f64::max) / side).floor() as i64
        });
        (low[0]..=high[0]).flat_map(move |i| {
            (low[1]..=high[1]).flat_map(move |j| (low[2]..=high[2]).map(move |k| [i, j, k]))
        })
    };
    let mut grid: HashMap<[i64; 3], Vec<u32>> = HashMap::new();
    for (t, own) in corners.iter().enumerate() {
        cells(own).for_each(|c| grid.entry(c).or_default().push(t as u32));
    }
    let goes = |s: &&[u32; 2]| {
        let ends = s.map(|k| at(xs, k));
        let mut near = cells(&ends).filter_map(|c| grid.get(&c)).flatten();
        near.any(|t| counts(**s, solid[*t as usize]) && pierced(ends[0], ends[1], &corners[*t as usize]))
    };
    segments.iter().filter(goes).map(|s| s[0]).collect()
}
