use crate::{Border, Corner, Mesh};
use glam::Vec3;
use std::collections::{BTreeMap, HashMap};

/// A border is cut where it turns by more than this (cosine of 50 degrees).
const TURN: f32 = 0.643;

/// Names the open edges of a mesh: loops, cut into runs at their corners. The longest first, as
/// `border 1`, `border 2`, ...; their ends as `corner 1`, ...
pub fn find_borders(mesh: &Mesh) -> (Vec<Border>, Vec<Corner>) {
    let mut loops: Vec<Vec<u32>> = open_loops(mesh);
    loops.sort_by_key(|l| (std::cmp::Reverse(l.len()), l.iter().copied().min()));
    let (mut borders, mut corners) = (vec![], vec![]);
    for points in loops {
        let n = points.len();
        let at = |k: usize| Vec3::from(mesh.positions[points[k % n] as usize]);
        let turns: Vec<usize> = (0..n)
            .filter(|&k| {
                match ((at(k) - at(k + n - 1)).try_normalize(), (at(k + 1) - at(k)).try_normalize()) {
                    (Some(a), Some(b)) => a.dot(b) < TURN,
                    _ => false,
                }
            })
            .collect();
        if turns.is_empty() {
            borders.push(Border { name: String::new(), points, closed: true });
            continue;
        }
        for (k, &from) in turns.iter().enumerate() {
            let to = if k + 1 < turns.len() { turns[k + 1] } else { turns[0] + n };
            let run = (from..=to).map(|q| points[q % n]).collect();
            borders.push(Border { name: String::new(), points: run, closed: false });
            corners.push(Corner { name: format!("corner {}", corners.len() + 1), point: points[from] });
        }
    }
    borders.iter_mut().enumerate().for_each(|(k, b)| b.name = format!("border {}", k + 1));
    (borders, corners)
}

/// Loops of edges that only one triangle has, each in the order of its triangles.
fn open_loops(mesh: &Mesh) -> Vec<Vec<u32>> {
    let mut count: HashMap<[u32; 2], u32> = HashMap::new();
    let around = |t: &[u32; 3]| [[t[0], t[1]], [t[1], t[2]], [t[2], t[0]]];
    for [a, b] in mesh.triangles.iter().flat_map(around) {
        *count.entry([a.min(b), a.max(b)]).or_default() += 1;
    }
    // Where loops touch in a point it has several ways on: a list each keeps them all.
    let mut next: BTreeMap<u32, Vec<u32>> = BTreeMap::new();
    for [a, b] in mesh.triangles.iter().flat_map(around) {
        if count[&[a.min(b), a.max(b)]] == 1 {
            next.entry(a).or_default().push(b);
        }
    }
    let mut loops = vec![];
    let starts: Vec<u32> = next.keys().copied().collect();
    for start in starts {
        while next.get(&start).is_some_and(|n| !n.is_empty()) {
            let (mut points, mut at) = (vec![], start);
            while let Some(on) = next.get_mut(&at).and_then(Vec::pop) {
                points.push(at);
                at = on;
                if at == start {
                    break;
                }
            }
            loops.push(points);
        }
    }
    loops
}

/// The point nearest to a place, the first of equals; `None` without points.
pub fn nearest(positions: &[[f32; 3]], to: [f32; 3]) -> Option<u32> {
    let far = |p: u32| Vec3::from(positions[p as usize]).distance_squared(to.into());
    (0..positions.len() as u32).min_by(|&a, &b| far(a).total_cmp(&far(b)))
}

/// The same for many places: each looks only at points that are no farther along the longest side than the nearest so far.
pub fn nearest_of(positions: &[[f32; 3]], places: &[[f32; 3]]) -> Vec<Option<u32>> {
    let side = |c: usize| {
        let all = || positions.iter().map(|p| p[c]);
        all().fold(f32::MIN, f32::max) - all().fold(f32::MAX, f32::min)
    };
    let axis = (0..3).max_by(|&a, &b| side(a).total_cmp(&side(b))).unwrap_or(0);
    let along = |p: u32| positions[p as usize][axis];
    let mut order: Vec<u32> = (0..positions.len() as u32).collect();
    order.sort_unstable_by(|&a, &b| along(a).total_cmp(&along(b)).then(a.cmp(&b)));
    let one = |to: &[f32; 3]| {
        let far = |p: u32| Vec3::from(positions[p as usize]).distance_squared((*to).into());
        let from = order.partition_point(|&p| along(p) < to[axis]);
        let mut best: Option<(f32, u32)> = None;
        let mut look = |p: u32| {
            let off = along(p) - to[axis];
            if best.is_some_and(|(far, _)| off * off > far) {
                return false;
            }
            let now = (far(p), p);
            if best.is_none_or(|b| now.0.total_cmp(&b.0).then(now.1.cmp(&b.1)).is_lt()) {
                best = Some(now);
            }
            true
        };
        let _ = order[from..].iter().all(|p| look(*p));
        let _ = order[..from].iter().rev().all(|p| look(*p));
        best.map(|b| b.1)
    };
    places.iter().map(one).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn many_places_have_the_same_nearest_points_as_each_alone() {
        let wave = |k: usize| [k as f32 * 0.1 % 1.7, (k as f32).sin(), (k % 13) as f32 * 0.25];
        // Some stand twice.
        let positions: Vec<[f32; 3]> = (0..300).chain(20..40).map(wave).collect();
        let places: Vec<[f32; 3]> =
            (0..200).map(|k| wave(7 * k).map(|c| 1.1 * c - 0.05)).chain(positions.clone()).collect();
        let each: Vec<_> = places.iter().map(|p| nearest(&positions, *p)).collect();
        assert_eq!(nearest_of(&positions, &places), each);
        assert_eq!(nearest_of(&[], &places[..2]), [None, None]);
    }
}
