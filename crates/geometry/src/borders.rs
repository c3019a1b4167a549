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
