//! Rows of points sewn to each other: which point of one meets which place of the other, by their lengths.
use crate::Mesh;
use glam::DVec3;

/// A row of points of a mesh.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SewnRow {
    pub points: Vec<u32>,
    /// A closed one does not repeat its first point.
    pub closed: bool,
}

/// A point sewn to a place between two others.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Stitch {
    pub point: u32,
    pub to: [u32; 2],
    /// Of the second of them; the first has the rest.
    pub share: f32,
    /// How much of the seam it stands for, metres.
    pub length: f32,
}

/// Two rows sewn together.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Sewn {
    pub stitches: Vec<Stitch>,
    /// Between the rows: what closes the gap while the seam is open, facing as the pieces do.
    pub strip: Vec<[u32; 3]>,
    /// For each edge of the first row: its ends, and the points across of both sides.
    pub folds: Vec<[u32; 4]>,
    /// Lengths of the two rows at rest, metres.
    pub lengths: [f64; 2],
}

/// Why rows can't be sewn.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum SewError {
    #[error("has a side without a length: a seam needs two points on each at least")]
    Short,
    #[error("joins a row to itself")]
    Itself,
    #[error("joins a closed row to an open one")]
    OneClosed,
    #[error("goes from \"{0}\" to \"{1}\", which do not meet: a side is one row")]
    Apart(String, String),
    #[error("names the border \"{0}\", which the shape does not have; it has {1}")]
    NoBorder(String, String),
}

/// Borders of a mesh joined end to end in any direction, as one row; closed where its ends meet, or where it is one that is.
///
/// # Errors
/// When there is no such border, or one does not go on where the one before ends.
pub fn joined(mesh: &Mesh, names: &[String]) -> Result<SewnRow, SewError> {
    let mut row: Vec<u32> = vec![];
    for (k, name) in names.iter().enumerate() {
        let Some(b) = mesh.borders.iter().find(|b| b.name == *name) else {
            let known = mesh.borders.iter().map(|b| b.name.as_str()).collect::<Vec<_>>().join(", ");
            return Err(SewError::NoBorder(
                name.clone(),
                if known.is_empty() { "none".into() } else { known },
            ));
        };
        if b.closed && names.len() == 1 {
            return Ok(SewnRow { points: b.points.clone(), closed: true });
        }
        let (mut own, apart) = (b.points.clone(), || SewError::Apart(names[k - 1].clone(), name.clone()));
        if let Some(&end) = row.last() {
            let begin = row[0];
            // The first of all may have been the wrong way round.
            if k == 1 && (own.first() == Some(&begin) || own.last() == Some(&begin)) && !own.contains(&end) {
                row.reverse();
            }
            let end = *row.last().unwrap_or(&end);
            if own.last() == Some(&end) && own.first() != Some(&end) {
                own.reverse();
            }
            if own.first() != Some(&end) {
                return Err(apart());
            }
            own.remove(0);
        }
        row.extend(own);
    }
    let closed = row.len() > 3 && row.first() == row.last();
    if closed {
        row.pop();
    }
    Ok(SewnRow { points: row, closed })
}

/// How far along its row each point is, as a share of the whole, and the whole, metres.
fn along(row: &[u32], closed: bool, at: &impl Fn(u32) -> DVec3) -> (Vec<f64>, f64) {
    let (mut sum, mut out) = (0.0, vec![0.0]);
    for w in row.windows(2) {
        sum += at(w[0]).distance(at(w[1]));
        out.push(sum);
    }
    if closed {
        sum += at(row[row.len() - 1]).distance(at(row[0]));
    }
    out.iter_mut().for_each(|s| *s /= sum.max(1e-300));
    (out, sum)
}

/// So near, as shares of a row, two points are one place.
const SAME: f64 = 1e-3;

/// Sews two rows: matched by length, so that they may have other numbers of points and one may be longer; turned so that what lies
/// near in the shape comes together. Lengths are of `rest`, the mesh as panels are cut.
///
/// # Errors
/// When the two can't be sewn.
pub fn sew(mesh: &Mesh, rest: &[[f32; 3]], a: &SewnRow, b: &SewnRow) -> Result<Sewn, SewError> {
    let at = |p: u32| DVec3::from(mesh.positions[p as usize].map(f64::from));
    let flat = |p: u32| DVec3::from(rest[p as usize].map(f64::from));
    if a.points.len() < 2 || b.points.len() < 2 {
        return Err(SewError::Short);
    }
    if a.closed != b.closed {
        return Err(SewError::OneClosed);
    }
    // Two sides of one panel may share an end, as those of a dart do.
    let shared = a.points.iter().filter(|p| b.points.contains(p)).count();
    if shared > 2 || (a.closed && shared > 0) {
        return Err(SewError::Itself);
    }
    let b = toward(a, b, &at);
    let (s, first) = along(&a.points, a.closed, &flat);
    let (t, second) = along(&b, a.closed, &flat);
    if first.min(second) <= 1e-9 {
        return Err(SewError::Short);
    }
    let mut stitches = vec![];
    let mut met = vec![false; b.len()];
    for (k, &point) in a.points.iter().enumerate() {
        let (i, j, share) = place(&t, s[k], a.closed);
        if share < 0.5 && (share * gap(&t, i, j)).abs() < SAME {
            met[i] = true;
        } else if ((1.0 - share) * gap(&t, i, j)).abs() < SAME {
            met[j] = true;
        }
        stitches.push((point, [b[i], b[j]], share, stands(&s, k, a.closed) * first));
    }
    // Where the other row has points between, these are held too, so that no loop of it hangs out.
    for (k, &point) in b.iter().enumerate().filter(|(k, _)| !met[*k]) {
        let (i, j, share) = place(&s, t[k], a.closed);
        stitches.push((point, [a.points[i], a.points[j]], share, stands(&t, k, a.closed) * second));
    }
    let snap = |share: f64| {
        if share < 1e-4 {
            0.0
        } else if share > 1.0 - 1e-4 {
            1.0
        } else {
            share
        }
    };
    let stitches = stitches.into_iter().filter(|(p, to, share, _)| {
        // A point that both sides share is sewn to nothing.
        let share = snap(*share);
        !(share == 0.0 && to[0] == *p || share == 1.0 && to[1] == *p)
    });
    let stitches: Vec<Stitch> = stitches
        .map(|(point, to, share, length)| Stitch {
            point,
            to,
            share: snap(share) as f32,
            length: length as f32,
        })
        .collect();
    let strip = strip(mesh, a, &s, &b, &t);
    let folds = folds(mesh, a, &s, &b, &t);
    Ok(Sewn { stitches, strip, folds, lengths: [first, second] })
}

/// Edges of the first row with the points across them on both sides.
fn folds(mesh: &Mesh, a: &SewnRow, s: &[f64], b: &[u32], t: &[f64]) -> Vec<[u32; 4]> {
    let mut across = std::collections::HashMap::new();
    for tri in &mesh.triangles {
        for k in 0..3 {
            let (p, q) = (tri[k], tri[(k + 1) % 3]);
            across.insert([p.min(q), p.max(q)], tri[(k + 2) % 3]);
        }
    }
    let find = |p: u32, q: u32| across.get(&[p.min(q), p.max(q)]).copied();
    let n = a.points.len();
    (0..if a.closed { n } else { n - 1 })
        .filter_map(|k| {
            let (p, q) = (a.points[k], a.points[(k + 1) % n]);
            let end = if k + 1 < n { s[k + 1] } else { 1.0 };
            let (i, j, _) = place(t, 0.5 * (s[k] + end), a.closed);
            let found = [p, q, find(p, q)?, find(b[i], b[j])?];
            (found[2] != found[3]).then_some(found)
        })
        .collect()
}

/// What closes a surface: for each loop of edges that only one triangle has a fan from its first point, facing as the surface does.
pub fn caps(triangles: &[[u32; 3]]) -> Vec<Vec<[u32; 3]>> {
    let mut count: std::collections::BTreeMap<[u32; 2], i32> = std::collections::BTreeMap::new();
    for t in triangles {
        for k in 0..3 {
            let (p, q) = (t[k], t[(k + 1) % 3]);
            *count.entry([p.min(q), p.max(q)]).or_default() += if p < q { 1 } else { -1 };
        }
    }
    // Against the way that its triangle goes along it.
    let mut next: std::collections::BTreeMap<u32, Vec<u32>> = std::collections::BTreeMap::new();
    for ([p, q], n) in count {
        for _ in 0..n.abs() {
            let (from, to) = if n > 0 { (q, p) } else { (p, q) };
            next.entry(from).or_default().push(to);
        }
    }
    let mut out = vec![];
    while let Some(start) = next.iter().find(|(_, to)| !to.is_empty()).map(|(p, _)| *p) {
        let (mut row, mut at) = (vec![start], start);
        while let Some(on) = next.get_mut(&at).and_then(Vec::pop) {
            if on == start {
                break;
            }
            row.push(on);
            at = on;
        }
        out.push((1..row.len().saturating_sub(1)).map(|k| [row[0], row[k], row[k + 1]]).collect());
    }
    out
}

fn gap(t: &[f64], i: usize, j: usize) -> f64 {
    if j > i { t[j] - t[i] } else { 1.0 - t[i] + t[j] }
}

/// The second row so turned, and begun, that it runs beside the first.
fn toward(a: &SewnRow, b: &SewnRow, at: &impl Fn(u32) -> DVec3) -> Vec<u32> {
    const SAMPLES: usize = 24;
    let m = b.points.len();
    let ([s, t], [p, q]) = {
        let (s, t) = (along(&a.points, a.closed, at).0, along(&b.points, b.closed, at).0);
        ([s, t], [&a.points, &b.points])
    };
    let spot = |row: &[u32], t: &[f64], by: f64| {
        let (i, j, share) = place(t, by, a.closed);
        at(row[i]).lerp(at(row[j]), share)
    };
    let of: Vec<(f64, DVec3)> =
        (0..SAMPLES).map(|k| k as f64 / SAMPLES as f64).map(|by| (by, spot(p, &s, by))).collect();
    let starts: Vec<usize> = if a.closed { (0..m).collect() } else { vec![0] };
    let mut best = (f64::INFINITY, 0, false);
    for start in starts {
        for back in [false, true] {
            let by = |f: f64| match (a.closed, back) {
                (true, false) => (t[start] + f).rem_euclid(1.0),
                (true, true) => (t[start] - f).rem_euclid(1.0),
                (false, false) => f,
                (false, true) => 1.0 - f,
            };
            let cost: f64 = of.iter().map(|(f, x)| x.distance(spot(q, &t, by(*f)))).sum();
            if cost < best.0 - 1e-9 {
                best = (cost, start, back);
            }
        }
    }
    let (_, start, back) = best;
    (0..m)
        .map(|j| match (a.closed, back) {
            (_, false) => q[(start + j) % m],
            (true, true) => q[(start + m - j) % m],
            (false, true) => q[m - 1 - j],
        })
        .collect()
}

/// Between which two points of a row a share of it is, and how far from the first.
fn place(t: &[f64], s: f64, closed: bool) -> (usize, usize, f64) {
    let n = t.len();
    let after = t.iter().position(|t| *t > s + 1e-9).unwrap_or(n);
    let i = after.saturating_sub(1);
    match after {
        _ if after < n => (i, after, ((s - t[i]) / (t[after] - t[i]).max(1e-300)).clamp(0.0, 1.0)),
        _ if closed => (n - 1, 0, ((s - t[n - 1]) / (1.0 - t[n - 1]).max(1e-300)).clamp(0.0, 1.0)),
        _ => (n - 2, n - 1, 1.0),
    }
}

/// Half of the way to the points beside it, as a share of the row.
fn stands(s: &[f64], k: usize, closed: bool) -> f64 {
    let n = s.len();
    let before = if k > 0 {
        s[k] - s[k - 1]
    } else if closed {
        1.0 - s[n - 1]
    } else {
        0.0
    };
    let after = if k + 1 < n {
        s[k + 1] - s[k]
    } else if closed {
        1.0 - s[k]
    } else {
        0.0
    };
    0.5 * (before + after)
}

/// Triangles between the rows, on from whichever lies behind.
fn strip(mesh: &Mesh, a: &SewnRow, s: &[f64], b: &[u32], t: &[f64]) -> Vec<[u32; 3]> {
    let (n, m) = (a.points.len(), b.len());
    let (ends_a, ends_b) = if a.closed { (n, m) } else { (n - 1, m - 1) };
    let share = |t: &[f64], k: usize| if k < t.len() { t[k] } else { 1.0 };
    // Against the way in which its own triangle goes along the first row.
    let [p, q] = [a.points[0], a.points[1]];
    let along = mesh.triangles.iter().any(|t| (0..3).any(|k| t[k] == p && t[(k + 1) % 3] == q));
    let (mut i, mut j, mut out) = (0, 0, vec![]);
    while i < ends_a || j < ends_b {
        let (x, y) = (a.points[i % n], b[j % m]);
        let first = j >= ends_b || (i < ends_a && share(s, i + 1) <= share(t, j + 1) + 1e-9);
        let next = if first { a.points[(i + 1) % n] } else { b[(j + 1) % m] };
        if next != x && next != y && x != y {
            out.push(if along { [next, x, y] } else { [x, next, y] });
        }
        if first { i += 1 } else { j += 1 }
    }
    out
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)]
    use super::*;
    use crate::{pieces, sheet};

    fn two(columns: [u32; 2], apart: f32) -> Mesh {
        let mut m = Mesh::default();
        for (k, (name, n)) in ["top", "bottom"].into_iter().zip(columns).enumerate() {
            let mut s = sheet(1.0, 0.5, n, 5);
            s.positions.iter_mut().for_each(|p| p[1] = if k == 0 { apart } else { 0.0 });
            m.take_in(name, if k == 0 { s } else { s.turned() });
        }
        m
    }

    fn volume(m: &Mesh, more: &[[u32; 3]]) -> f64 {
        let p = |k: u32| DVec3::from(m.positions[k as usize].map(f64::from)) + DVec3::new(3.0, -2.0, 5.0);
        m.triangles.iter().chain(more).map(|t| p(t[0]).dot(p(t[1]).cross(p(t[2])))).sum::<f64>() / 6.0
    }

    #[test]
    fn rows_meet_by_length_whatever_their_counts_and_the_gap_is_closed_exactly() {
        let sides = |name: &str| ["back", "right", "front", "left"].map(|s| format!("{name} {s}")).to_vec();
        for columns in [[9, 9], [9, 13], [14, 5]] {
            let m = two(columns, 0.2);
            assert_eq!(pieces(&m).1, 2);
            let rows = ["top", "bottom"].map(|n| joined(&m, &sides(n)).unwrap());
            assert!(rows.iter().all(|r| r.closed));
            let sewn = sew(&m, &m.positions, &rows[0], &rows[1]).unwrap();
            for s in &sewn.stitches {
                let at = |p: u32| DVec3::from(m.positions[p as usize].map(f64::from));
                let to = at(s.to[0]).lerp(at(s.to[1]), f64::from(s.share));
                assert!((at(s.point).distance(to) - 0.2).abs() < 1e-3, "{columns:?}: {s:?}");
            }
            assert!((volume(&m, &sewn.strip) - 0.1).abs() < 1e-6, "{columns:?}");
            let all: Vec<[u32; 3]> = m.triangles.iter().chain(&sewn.strip).copied().collect();
            assert!(caps(&all).is_empty(), "nothing is open");
            assert_eq!(caps(&m.triangles).len(), 2);
            assert_eq!(sewn.folds.len(), rows[0].points.len());
            if columns[0] == columns[1] {
                assert_eq!(sewn.stitches.len(), rows[0].points.len());
                let sum: f32 = sewn.stitches.iter().map(|s| s.length).sum();
                assert!((sum - 3.0).abs() < 1e-5);
            }
        }
    }

    #[test]
    fn what_can_not_be_sewn_is_told() {
        let m = two([5, 5], 0.2);
        let row = |names: &[&str]| joined(&m, &names.iter().map(|n| (*n).to_owned()).collect::<Vec<_>>());
        assert!(matches!(row(&["top side"]), Err(SewError::NoBorder(..))));
        assert!(matches!(row(&["top left", "top right"]), Err(SewError::Apart(..))));
        let left = row(&["top left"]).unwrap();
        assert_eq!(sew(&m, &m.positions, &left, &left), Err(SewError::Itself));
        let round = row(&["bottom back", "bottom right", "bottom front", "bottom left"]).unwrap();
        assert_eq!(sew(&m, &m.positions, &left, &round), Err(SewError::OneClosed));
        // One side longer than the other is gathered.
        let gathered = sew(&m, &m.positions, &left, &row(&["bottom back"]).unwrap()).unwrap();
        assert_eq!(gathered.lengths.map(|l| (l * 100.0).round()), [50.0, 100.0]);
    }
}
