//! A flat piece within an outline, of triangles as even as may be: points along the outline, a grid of even triangles within,
//! and a Delaunay triangulation that keeps to the outline (L. P. Chew, "Constrained Delaunay Triangulations", 1989).
use crate::{Border, Corner, Mesh};
use glam::DVec3;
use spade::{ConstrainedDelaunayTriangulation, Point2, Triangulation};

/// Why an outline holds no piece.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum OutlineError {
    #[error("has fewer than three corners")]
    Few,
    #[error("crosses itself at its side {0}")]
    Crosses(usize),
    #[error("holds no area")]
    Empty,
}

/// Where an outline turns by more than this, a border ends: the cosine of 30°.
const TURN: f64 = 0.866;

type P = [f64; 2];
fn sub(a: P, b: P) -> P {
    [a[0] - b[0], a[1] - b[1]]
}
fn cross(a: P, b: P) -> f64 {
    a[0] * b[1] - a[1] * b[0]
}
fn size(a: P) -> f64 {
    a[0].hypot(a[1])
}

/// Twice the signed area of a polygon.
fn area(p: &[P]) -> f64 {
    (0..p.len()).map(|k| cross(p[k], p[(k + 1) % p.len()])).sum()
}

/// Whether an outline can be one.
///
/// # Errors
/// Why not.
pub fn check_outline(outline: &[P]) -> Result<(), OutlineError> {
    let n = outline.len();
    if n < 3 {
        return Err(OutlineError::Few);
    }
    let side = |k: usize| (outline[k], outline[(k + 1) % n]);
    for i in 0..n {
        for j in i + 1..n {
            let beside = j == i + 1 || (i == 0 && j == n - 1);
            let ((a, b), (c, d)) = (side(i), side(j));
            let [p, q] = [c, d].map(|x| cross(sub(b, a), sub(x, a)));
            let [r, s] = [a, b].map(|x| cross(sub(d, c), sub(x, c)));
            if !beside && p * q <= 0.0 && r * s <= 0.0 && (p != 0.0 || q != 0.0) {
                return Err(OutlineError::Crosses(j + 1));
            }
        }
    }
    let around: f64 = (0..n).map(|k| size(sub(side(k).1, side(k).0))).sum();
    if area(outline).abs() < 1e-9 * around * around { Err(OutlineError::Empty) } else { Ok(()) }
}

/// The outline that a closed row of places is: laid flat on the plane it lies in most nearly, seen from where its normal's greatest part is
/// positive, about the middle of its bounds. What is level and seen from above has x as its first coordinate and -z as its second.
///
/// # Errors
/// When that is none.
pub fn flat_outline(points: &[[f64; 3]]) -> Result<Vec<P>, OutlineError> {
    let at = |k: usize| DVec3::from(points[k % points.len()]);
    // M. Newell's normal, whose parts are the areas seen along each axis.
    let sum: DVec3 = (0..points.len()).map(|k| at(k).cross(at(k + 1))).sum();
    let n =
        sum.try_normalize().ok_or(if points.len() < 3 { OutlineError::Few } else { OutlineError::Empty })?;
    let n = if n[n.abs().max_position()] < 0.0 { -n } else { n };
    let along = if n.x.abs() < 0.9 { DVec3::X } else { DVec3::NEG_Z };
    let u = (along - n * along.dot(n)).normalize();
    let v = n.cross(u);
    let flat: Vec<P> = (0..points.len()).map(|k| [at(k).dot(u), at(k).dot(v)]).collect();
    let bound = |c: usize, most: fn(f64, f64) -> f64| flat.iter().map(|p| p[c]).reduce(most).unwrap_or(0.0);
    let middle: P = std::array::from_fn(|c| 0.5 * (bound(c, f64::min) + bound(c, f64::max)));
    let out: Vec<P> = flat.into_iter().map(|p| sub(p, middle)).collect();
    check_outline(&out)?;
    Ok(out)
}

/// A level piece facing up whose points lie about `cell` metres apart; the outline's first coordinate runs along x and its second
/// along -z, UVs are its coordinates in metres. Its border is `rim`, or one for each run between its sharp corners: `side 1`, ...
///
/// # Errors
/// When the outline crosses itself or holds nothing.
pub fn piece(outline: &[P], cell: f64) -> Result<Mesh, OutlineError> {
    check_outline(outline)?;
    let mut corners: Vec<P> = outline.to_vec();
    if area(&corners) < 0.0 {
        corners.reverse();
    }
    let n = corners.len();
    // Evenly along each side.
    let (mut rim, mut turns) = (vec![], vec![]);
    for k in 0..n {
        let (a, b, before) = (corners[k], corners[(k + 1) % n], corners[(k + n - 1) % n]);
        let (d, e) = (sub(a, before), sub(b, a));
        if d[0] * e[0] + d[1] * e[1] < TURN * size(d) * size(e) {
            turns.push(rim.len());
        }
        let steps = (size(e) / cell).round().max(1.0) as usize;
        rim.extend((0..steps).map(|s| {
            let t = s as f64 / steps as f64;
            [a[0] + t * e[0], a[1] + t * e[1]]
        }));
    }
    let m = rim.len();
    let mut points = rim.clone();
    let within = |p: P| {
        (0..n)
            .filter(|&k| {
                let (a, b) = (corners[k], corners[(k + 1) % n]);
                (a[1] > p[1]) != (b[1] > p[1]) && p[0] < a[0] + (p[1] - a[1]) / (b[1] - a[1]) * (b[0] - a[0])
            })
            .count()
            % 2
            == 1
    };
    let far = |p: P| {
        (0..n)
            .map(|k| {
                let (a, d) = (corners[k], sub(corners[(k + 1) % n], corners[k]));
                let t = (((p[0] - a[0]) * d[0] + (p[1] - a[1]) * d[1])
                    / (d[0] * d[0] + d[1] * d[1]).max(1e-300))
                .clamp(0.0, 1.0);
                size(sub(p, [a[0] + t * d[0], a[1] + t * d[1]]))
            })
            .fold(f64::INFINITY, f64::min)
    };
    let low: P = std::array::from_fn(|c| corners.iter().map(|p| p[c]).fold(f64::INFINITY, f64::min));
    let high: P = std::array::from_fn(|c| corners.iter().map(|p| p[c]).fold(f64::NEG_INFINITY, f64::max));
    let row = cell * 0.75f64.sqrt();
    for j in 0..=((high[1] - low[1]) / row) as usize {
        let shift = if j % 2 == 0 { 0.0 } else { 0.5 * cell };
        for i in 0..=((high[0] - low[0]) / cell) as usize + 1 {
            let p = [low[0] + shift + i as f64 * cell, low[1] + (j as f64 + 0.5) * row];
            if within(p) && far(p) > 0.55 * cell {
                points.push(p);
            }
        }
    }
    let mut net = ConstrainedDelaunayTriangulation::<Point2<f64>>::new();
    let mut number = std::collections::BTreeMap::new();
    let mut handles = vec![];
    for (k, p) in points.iter().enumerate() {
        let handle = net.insert(Point2::new(p[0], p[1])).map_err(|_| OutlineError::Empty)?;
        number.entry(handle.index()).or_insert(k as u32);
        handles.push(handle);
    }
    for k in 0..m {
        let (a, b) = (handles[k], handles[(k + 1) % m]);
        if net.can_add_constraint(a, b) {
            net.add_constraint(a, b);
        }
    }
    let mut mesh = Mesh::default();
    for face in net.inner_faces() {
        let t = face.vertices().map(|v| number[&v.fix().index()]);
        let middle: P = std::array::from_fn(|c| t.iter().map(|k| points[*k as usize][c]).sum::<f64>() / 3.0);
        let [a, b, c] = t.map(|k| points[k as usize]);
        if within(middle) && cross(sub(b, a), sub(c, a)) > 1e-9 * cell * cell {
            mesh.triangles.push(t);
        }
    }
    // An order that does not depend on how the net was built.
    mesh.triangles.iter_mut().for_each(|t| {
        let least = (0..3).min_by_key(|k| t[*k]).unwrap_or(0);
        t.rotate_left(least);
    });
    mesh.triangles.sort_unstable();
    if mesh.triangles.is_empty() {
        return Err(OutlineError::Empty);
    }
    mesh.positions = points.iter().map(|p| [p[0] as f32, 0.0, -p[1] as f32]).collect();
    mesh.uvs = points.iter().map(|p| p.map(|c| c as f32)).collect();
    mesh.uv_triangles.clone_from(&mesh.triangles);
    let all: Vec<u32> = (0..m as u32).collect();
    if turns.len() < 2 {
        mesh.borders = vec![Border { name: "rim".into(), points: all, closed: true }];
        return Ok(mesh);
    }
    for (k, &from) in turns.iter().enumerate() {
        let to = if k + 1 < turns.len() { turns[k + 1] } else { turns[0] + m };
        let points = (from..=to).map(|q| (q % m) as u32).collect();
        mesh.borders.push(Border { name: format!("side {}", k + 1), points, closed: false });
        mesh.corners.push(Corner { name: format!("corner {}", k + 1), point: from as u32 });
    }
    Ok(mesh)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::check;

    #[test]
    fn a_ring_in_space_is_laid_flat_as_it_is_seen() {
        let level: Vec<[f64; 3]> = vec![[1.0, 2.0, 0.0], [3.0, 2.0, 0.0], [3.0, 2.0, -1.0], [1.0, 2.0, -1.0]];
        let seen = vec![[-1.0, -0.5], [1.0, -0.5], [1.0, 0.5], [-1.0, 0.5]];
        assert_eq!(flat_outline(&level), Ok(seen.clone()));
        let upright: Vec<[f64; 3]> = level.iter().map(|p| [p[0], -p[2], 5.0]).collect();
        assert_eq!(flat_outline(&upright), Ok(seen));
        let aslant: Vec<[f64; 3]> = level.iter().map(|p| [p[0], p[1] - p[2], p[2]]).collect();
        let found = flat_outline(&aslant).unwrap_or_default();
        assert!(
            (super::area(&found).abs() - 8.0f64.sqrt() * 2.0).abs() < 1e-9,
            "as large as it is: {found:?}"
        );
        assert_eq!(flat_outline(&level[..2]), Err(OutlineError::Few));
        assert_eq!(flat_outline(&[[0.0; 3], [1.0, 0.0, 0.0], [2.0, 0.0, 0.0]]), Err(OutlineError::Empty));
        let bow: Vec<[f64; 3]> =
            [0, 2, 1, 3].map(|k| level[k]).map(|p| [p[0] * (1.0 + 0.1 * p[2]), p[1], p[2]]).to_vec();
        assert!(flat_outline(&bow).is_err());
    }

    #[test]
    fn a_piece_fills_its_outline_evenly_and_knows_its_sides() {
        let l: Vec<P> = vec![[0.0, 0.0], [1.0, 0.0], [1.0, 0.4], [0.4, 0.4], [0.4, 1.0], [0.0, 1.0]];
        for outline in [l.clone(), l.into_iter().rev().collect()] {
            let Ok(m) = piece(&outline, 0.05) else { panic!("it is one") };
            assert_eq!(check(&m, 100_000), Ok(()));
            assert_eq!((m.borders.len(), m.corners.len()), (6, 6));
            let (mut sum, mut least) = (0.0, f64::INFINITY);
            for t in &m.triangles {
                let [a, b, c] = t.map(|k| m.uvs[k as usize].map(f64::from));
                let own = 0.5 * cross(sub(b, a), sub(c, a));
                sum += own;
                let longest =
                    [size(sub(b, a)), size(sub(c, b)), size(sub(a, c))].into_iter().fold(0.0, f64::max);
                least = own.min(least * 1.0).min(own);
                assert!(own > 0.1 * longest * longest, "a sliver: {own} of {longest}");
            }
            assert!((sum - 0.64).abs() < 1e-6, "{sum}");
        }
        let round: Vec<P> = (0..40)
            .map(|k| {
                let (s, c) = libm::sincos(std::f64::consts::TAU * f64::from(k) / 40.0);
                [0.3 * c, 0.3 * s]
            })
            .collect();
        let Ok(m) = piece(&round, 0.04) else { panic!("it is one") };
        assert!(m.borders.len() == 1 && m.borders[0].closed);
    }

    #[test]
    fn outlines_that_are_none_are_refused_in_words() {
        let bow = [[0.0, 0.0], [1.0, 1.0], [1.0, 0.0], [0.0, 1.0]];
        assert!(matches!(piece(&bow, 0.1), Err(OutlineError::Crosses(_))));
        assert_eq!(piece(&[[0.0, 0.0], [1.0, 0.0]], 0.1), Err(OutlineError::Few));
        assert_eq!(piece(&[[0.0, 0.0], [1.0, 0.0], [2.0, 0.0]], 0.1), Err(OutlineError::Empty));
    }
}
