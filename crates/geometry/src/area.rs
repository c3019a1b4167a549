//! A part of a mesh as an area of its material, so that it outlives a change of density or size.
use crate::Mesh;
use glam::DVec3;
use std::collections::{HashMap, HashSet};

/// What some chosen points span: the triangles, edges and lone points between them, in fractions of the rest shape's
/// box, 0 to 1 along each axis.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Area {
    pub spots: Vec<[f64; 3]>,
    /// Three spots each: everything within them.
    pub triangles: Vec<[u32; 3]>,
    /// Two spots each: everything along them, where no triangle covers it.
    pub edges: Vec<[u32; 2]>,
}

/// How far off a triangle's plane a point may lie to belong to it, as a share of its longest edge: a finer mesh bulges
/// where this one is flat, and another layer lies further away.
const OFF_PLANE: f64 = 0.2;

/// What the given points span on a mesh. Points that are not there are passed over.
pub fn area_of(mesh: &Mesh, points: &[u32]) -> Area {
    let (lo, size) = frame(mesh);
    let mut number: HashMap<u32, u32> = HashMap::new();
    let mut area = Area::default();
    for &p in points.iter().filter(|p| (**p as usize) < mesh.positions.len()) {
        number.entry(p).or_insert_with(|| {
            let at = (at(mesh, p) - lo) / size;
            area.spots.push(at.to_array().map(|c| (c * 1e6).round() / 1e6));
            area.spots.len() as u32 - 1
        });
    }
    let mut covered = HashSet::new();
    let of = |p: &u32| number.get(p).copied();
    for t in &mesh.triangles {
        if let (Some(a), Some(b), Some(c)) = (of(&t[0]), of(&t[1]), of(&t[2])) {
            area.triangles.push([a, b, c]);
            covered.extend([[a, b], [b, c], [c, a]].map(|[p, q]| [p.min(q), p.max(q)]));
        }
    }
    for [p, q] in mesh.edges() {
        if let (Some(a), Some(b)) = (of(&p), of(&q)) {
            let edge = [a.min(b), a.max(b)];
            if !covered.contains(&edge) {
                area.edges.push(edge);
            }
        }
    }
    area
}

/// The points of a mesh in an area, sorted: all those within its triangles, and the nearest to its edges and lone spots.
/// An area of any spots has at least one point on a mesh that has any.
pub fn points_in(mesh: &Mesh, area: &Area) -> Vec<u32> {
    let (lo, size) = frame(mesh);
    let spots: Vec<DVec3> = area.spots.iter().map(|s| lo + DVec3::from(*s) * size).collect();
    let along = ByX::of(mesh);
    let mut found: Vec<u32> = vec![];
    for t in &area.triangles {
        let corners = t.map(|k| spots[k as usize]);
        let [a, b, c] = corners;
        let longest = a.distance(b).max(b.distance(c)).max(c.distance(a));
        let reach = OFF_PLANE * longest;
        let low = a.x.min(b.x).min(c.x) - reach;
        let high = a.x.max(b.x).max(c.x) + reach;
        found.extend(along.between(low, high).filter(|p| within(at(mesh, *p), corners, reach)));
    }
    let mut lone = vec![true; spots.len()];
    area.triangles
        .iter()
        .flatten()
        .chain(area.edges.iter().flatten())
        .for_each(|k| lone[*k as usize] = false);
    let edges = mesh.edges();
    let spacing = edges.iter().map(|[a, b]| at(mesh, *a).distance(at(mesh, *b))).sum::<f64>()
        / edges.len().max(1) as f64;
    for [a, b] in area.edges.iter().map(|e| e.map(|k| spots[k as usize])) {
        let n = (2.0 * a.distance(b) / spacing.max(1e-12)).ceil().clamp(1.0, 4096.0) as u32;
        let steps = (0..=n).map(|k| a.lerp(b, f64::from(k) / f64::from(n)));
        found.extend(steps.filter_map(|p| along.nearest(mesh, p)));
    }
    found.extend(spots.iter().zip(&lone).filter(|(_, l)| **l).filter_map(|(s, _)| along.nearest(mesh, *s)));
    if found.is_empty() {
        // A mesh so coarse that no point of it lies within.
        let middle = spots.iter().sum::<DVec3>() / spots.len().max(1) as f64;
        found.extend((!spots.is_empty()).then(|| along.nearest(mesh, middle)).flatten());
    }
    found.sort_unstable();
    found.dedup();
    found
}

fn at(mesh: &Mesh, p: u32) -> DVec3 {
    mesh.positions[p as usize].map(f64::from).into()
}

/// The low corner of a mesh's box and its size, never zero.
fn frame(mesh: &Mesh) -> (DVec3, DVec3) {
    let (lo, hi) = mesh.bounds();
    let (lo, hi) = (DVec3::from(lo.map(f64::from)), DVec3::from(hi.map(f64::from)));
    let size = hi - lo;
    (lo, DVec3::select(size.cmpgt(DVec3::splat(1e-9)), size, DVec3::ONE))
}

/// Whether a point lies over a triangle, on it or next to its rim.
fn within(p: DVec3, [a, b, c]: [DVec3; 3], reach: f64) -> bool {
    let (ab, ac, ap) = (b - a, c - a, p - a);
    let normal = ab.cross(ac);
    let size = normal.length_squared();
    let off = ap.dot(normal).abs() / size.sqrt().max(1e-300);
    if size <= 0.0 || off > reach {
        return false;
    }
    let (v, w) = (ap.cross(ac).dot(normal) / size, ab.cross(ap).dot(normal) / size);
    // Spots are rounded to a millionth of the box.
    if v >= -1e-3 && w >= -1e-3 && v + w <= 1.0 + 1e-3 {
        return true;
    }
    // Where a finer mesh bulges over the edge of two triangles it is beside both, by less than it is above them.
    let over = p - normal * (ap.dot(normal) / size);
    [[a, b], [b, c], [c, a]].iter().any(|[s, e]| {
        let along = ((over - *s).dot(*e - *s) / s.distance_squared(*e).max(1e-300)).clamp(0.0, 1.0);
        over.distance(s.lerp(*e, along)) <= off
    })
}

/// Points in the order of x, to look at few of them.
pub struct ByX(Vec<(f64, u32)>);

impl ByX {
    pub fn of(mesh: &Mesh) -> ByX {
        let mut all: Vec<(f64, u32)> =
            (0..mesh.positions.len() as u32).map(|p| (f64::from(mesh.positions[p as usize][0]), p)).collect();
        all.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
        ByX(all)
    }

    fn between(&self, low: f64, high: f64) -> impl Iterator<Item = u32> {
        let from = self.0.partition_point(|e| e.0 < low);
        self.0[from..].iter().take_while(move |e| e.0 <= high).map(|e| e.1)
    }

    /// The first of the nearest, looked for outwards along x.
    pub fn nearest(&self, mesh: &Mesh, to: DVec3) -> Option<u32> {
        let (mut down, mut up) = {
            let k = self.0.partition_point(|e| e.0 < to.x);
            (k, k)
        };
        let mut best: Option<(f64, u32)> = None;
        loop {
            let below = down.checked_sub(1).map(|k| to.x - self.0[k].0);
            let above = self.0.get(up).map(|e| e.0 - to.x);
            let take_below = match (below, above) {
                (None, None) => break,
                (Some(b), Some(a)) => b <= a,
                (b, _) => b.is_some(),
            };
            let gap = if take_below { below } else { above }.unwrap_or(0.0);
            if best.is_some_and(|(far, _)| gap * gap > far) {
                break;
            }
            let p = if take_below {
                down -= 1;
                self.0[down].1
            } else {
                up += 1;
                self.0[up - 1].1
            };
            let far = at(mesh, p).distance_squared(to);
            if best.is_none_or(|(b, q)| far < b || far == b && p < q) {
                best = Some((far, p));
            }
        }
        best.map(|b| b.1)
    }
}
