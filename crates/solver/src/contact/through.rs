//! Which segments of strands go through the triangles of a surface.
use super::cross::pierced;
use super::surface::Surface;
use crate::simd::Record;
use std::collections::HashMap;

type P = [f64; 3];

/// Cells that a triangle or a segment is told in at most.
const MOST_CELLS: f64 = 4096.0;

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
    let span = |points: &[P]| -> [[i64; 3]; 2] {
        let end = |c: usize, high: bool| {
            let at = points.iter().map(|p| p[c]);
            let far =
                if high { at.fold(f64::NEG_INFINITY, f64::max) } else { at.fold(f64::INFINITY, f64::min) };
            (far / side).floor() as i64
        };
        [false, true].map(|high| std::array::from_fn(|c| end(c, high)))
    };
    let cells = |[low, high]: [[i64; 3]; 2]| {
        (low[0]..=high[0]).flat_map(move |i| {
            (low[1]..=high[1]).flat_map(move |j| (low[2]..=high[2]).map(move |k| [i, j, k]))
        })
    };
    let many = |[low, high]: [[i64; 3]; 2]| {
        (0..3).map(|c| (high[c] - low[c] + 1) as f64).product::<f64>() > MOST_CELLS
    };
    // Those that are far larger than the others are looked at by all.
    let (mut grid, mut large): (HashMap<[i64; 3], Vec<u32>>, Vec<u32>) = Default::default();
    for (t, own) in corners.iter().enumerate() {
        match span(own) {
            far if many(far) => large.push(t as u32),
            near => cells(near).for_each(|c| grid.entry(c).or_default().push(t as u32)),
        }
    }
    let goes = |s: &&[u32; 2]| {
        let ends = s.map(|k| at(xs, k));
        let meets =
            |t: &u32| counts(**s, solid[*t as usize]) && pierced(ends[0], ends[1], &corners[*t as usize]);
        let own = span(&ends);
        // One as long as that is looked at against all.
        if many(own) {
            return (0..corners.len() as u32).any(|t| meets(&t));
        }
        large.iter().any(meets) || cells(own).filter_map(|c| grid.get(&c)).flatten().any(meets)
    };
    segments.iter().filter(goes).map(|s| s[0]).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn strands_go_through_small_triangles_and_through_large_ones_beside_them() {
        let record = |p: [f32; 3]| Record([p[0], p[1], p[2], 1.0]);
        // A fine level strip, and one triangle of a hundred metres under it.
        let mut x: Vec<Record> = vec![];
        let mut t = vec![];
        for k in 0..200u32 {
            let at = 0.01 * k as f32;
            x.extend([[at, 0.0, 0.0], [at + 0.01, 0.0, 0.0], [at, 0.0, 0.01]].map(record));
            t.push([3 * k, 3 * k + 1, 3 * k + 2]);
        }
        x.extend([[-50.0, -1.0, -50.0], [50.0, -1.0, -50.0], [0.0, -1.0, 50.0]].map(record));
        t.push([600, 601, 602]);
        let skin = Surface::new(t, &x, 603);
        let strands = |ends: &[[[f32; 3]; 2]]| {
            let at: Vec<Record> = ends.iter().flatten().map(|p| record(*p)).collect();
            let own = (0..ends.len() as u32).map(|k| [2 * k, 2 * k + 1, 2 * k + 1]).collect();
            (Surface::new(own, &at, at.len()), at)
        };
        let ends = [
            [[0.502, -0.005, 0.002], [0.502, 0.005, 0.002]],
            [[0.5, 0.005, 0.002], [0.6, 0.005, 0.002]],
            [[3.0, -1.005, 0.0], [3.0, -0.995, 0.0]],
        ];
        let (s, at) = strands(&ends);
        let mut found = through((&s, &at), (&skin, &x), |_, _| true);
        found.sort_unstable();
        assert_eq!(found, [0, 4]);
        assert!(through((&s, &at), (&skin, &x), |e, _| e[0] != 0).iter().all(|k| *k == 4));
        assert!(through((&skin, &x), (&s, &at), |_, _| true).is_empty());
    }
}
