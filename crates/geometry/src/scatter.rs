//! Places on a surface: even, in no pattern, and apart.
use crate::fill::chance;
use glam::DVec3;
use std::collections::{BinaryHeap, HashMap};

/// A place on a triangle of a surface.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct On {
    /// Its number.
    pub triangle: usize,
    /// Shares of its corners, 1 together.
    pub shares: [f64; 3],
}

/// Tells of places how likely each is, 0 to 1.
pub type Weigh<'a> = &'a dyn Fn(&[DVec3]) -> Vec<f32>;

/// Candidates for each place, and how often as many are looked at where few of them may be.
const CANDIDATES: usize = 5;
const LOOKS: usize = 64;

/// So many places on a surface, by a seed; none where it has no area. `weigh` tells of places how likely each is, 0 to 1, where not all
/// are alike; there are fewer than asked for where that leaves next to nothing. Of many at random, which come evenly by area (G. Turk, "Generating
/// random points in triangles", 1990), those that crowd the others most go one by one (C. Yuksel, "Sample Elimination for Generating
/// Poisson Disk Sample Sets", 2015).
pub fn scatter(on: (&[[f32; 3]], &[[u32; 3]]), count: usize, seed: u32, weigh: Option<Weigh>) -> Vec<On> {
    let Some((found, places, area)) = at_random(on, count * CANDIDATES, seed, weigh) else { return vec![] };
    kept(&places, count.min(found.len()), area).into_iter().map(|k| found[k]).collect()
}

/// The same at random: any of the first of them are as even as all.
pub fn strew(on: (&[[f32; 3]], &[[u32; 3]]), count: usize, seed: u32, weigh: Option<Weigh>) -> Vec<On> {
    let Some((mut found, ..)) = at_random(on, count, seed, weigh) else { return vec![] };
    found.truncate(count);
    found
}

/// The numbers of so many of some places that lie about an area, square metres, as far apart as they can.
pub fn thinned(places: &[DVec3], count: usize, area: f64) -> Vec<usize> {
    kept(places, count.min(places.len()).max(1), area.max(1e-30))
}

/// So many places all through a closed surface, apart, by a seed; none where it is not closed. `weigh` as above.
pub fn fill_closed(
    (positions, triangles): (&[[f32; 3]], &[[u32; 3]]),
    count: usize,
    seed: u32,
    weigh: Option<Weigh>,
) -> Vec<DVec3> {
    let wide = |p: &[f32; 3]| DVec3::from(p.map(f64::from));
    let low = positions.iter().fold(DVec3::INFINITY, |l, p| l.min(wide(p)));
    let size = positions.iter().fold(DVec3::NEG_INFINITY, |h, p| h.max(wide(p))) - low;
    let enough = count * CANDIDATES;
    let (mut places, mut inside, mut looked) = (vec![], 0usize, 0usize);
    while places.len() < enough && looked < LOOKS && size.is_finite() {
        let from = (looked * enough) as u64;
        let any = |k: u64| low + size * DVec3::from([0, 1, 2].map(|c| chance(seed, 4 * k + c)));
        let at: Vec<(u64, DVec3)> = (from..from + enough as u64)
            .map(|k| (k, any(k)))
            .filter(|(_, p)| is_inside(positions, triangles, *p))
            .collect();
        inside += at.len();
        let weights = weigh.map(|w| w(&at.iter().map(|a| a.1).collect::<Vec<_>>()));
        let stays =
            |j: usize, k: u64| weights.as_ref().is_none_or(|w| chance(seed, 4 * k + 3) < f64::from(w[j]));
        places.extend(at.iter().enumerate().filter(|(j, (k, _))| stays(*j, *k)).map(|(_, a)| a.1));
        looked += 1;
    }
    let share = places.len().min(inside) as f64 / (looked.max(1) * enough).max(1) as f64;
    let side = (size.x * size.y * size.z * share / count.max(1) as f64).cbrt();
    let area = 2.0 * 3f64.sqrt() * count as f64 * (0.7 * side).powi(2);
    if places.is_empty() {
        vec![]
    } else {
        thinned(&places, count, area).into_iter().map(|k| places[k]).collect()
    }
}

/// Whether a place lies in a closed surface: a line along x leaves it an odd number of times.
pub fn is_inside(positions: &[[f32; 3]], triangles: &[[u32; 3]], p: DVec3) -> bool {
    let crosses = |t: &&[u32; 3]| {
        let [a, b, c] = t.map(|k| DVec3::from(positions[k as usize].map(f64::from)));
        // Half-open along z, so that a line through an edge or a corner meets an odd number where it should.
        let beyond = |u: DVec3, v: DVec3| {
            let (u, v) = if u.z <= v.z { (u, v) } else { (v, u) };
            u.z <= p.z && p.z < v.z && (p.y - u.y) * (v.z - u.z) < (v.y - u.y) * (p.z - u.z)
        };
        if !(beyond(a, b) ^ beyond(b, c) ^ beyond(c, a)) {
            return false;
        }
        let n = (b - a).cross(c - a);
        n.dot(a - p) / n.x > 0.0
    };
    triangles.iter().filter(crosses).count() % 2 == 1
}

/// At least so many places if there are as many, where each is, and what area they are spread over.
fn at_random(
    (positions, triangles): (&[[f32; 3]], &[[u32; 3]]),
    enough: usize,
    seed: u32,
    weigh: Option<Weigh>,
) -> Option<(Vec<On>, Vec<DVec3>, f64)> {
    let corner = |p: u32| DVec3::from(positions[p as usize].map(f64::from));
    let mut area = 0.0;
    let sums: Vec<f64> = (triangles.iter())
        .map(|t| {
            let [a, b, c] = t.map(corner);
            let own = 0.5 * (b - a).cross(c - a).length();
            area += if own.is_finite() { own } else { 0.0 };
            area
        })
        .collect();
    if area <= 0.0 || enough == 0 {
        return None;
    }
    let any = |k: u64| {
        let dice = [0, 1, 2].map(|c| chance(seed, 4 * k + c));
        let triangle = sums.partition_point(|s| *s <= dice[0] * area).min(sums.len() - 1);
        let (s, t) = (dice[1].sqrt(), dice[2]);
        On { triangle, shares: [1.0 - s, s * (1.0 - t), s * t] }
    };
    let place = |o: &On| {
        let [a, b, c] = triangles[o.triangle].map(corner);
        a * o.shares[0] + b * o.shares[1] + c * o.shares[2]
    };
    let (mut on, mut places, mut looked) = (vec![], vec![], 0);
    while on.len() < enough && looked < LOOKS {
        let from = looked * enough;
        let all: Vec<On> = (from..from + enough).map(|k| any(k as u64)).collect();
        let at: Vec<DVec3> = all.iter().map(place).collect();
        let weights = weigh.map(|w| w(&at));
        let stays = |k: usize| {
            weights.as_ref().is_none_or(|w| chance(seed, 4 * (from + k) as u64 + 3) < f64::from(w[k]))
        };
        let stay: Vec<usize> = (0..enough).filter(|k| stays(*k)).collect();
        on.extend(stay.iter().map(|k| all[*k]));
        places.extend(stay.iter().map(|k| at[*k]));
        looked += 1;
    }
    // What of the area they are spread over.
    let share = on.len() as f64 / (looked * enough) as f64;
    Some((on, places, (area * share).max(1e-30)))
}

/// The numbers of those that stay, in order.
fn kept(places: &[DVec3], count: usize, area: f64) -> Vec<usize> {
    // As far apart as so many could be at most, and twice that is how far they mind each other.
    let reach = 2.0 * (area / (2.0 * 3f64.sqrt() * count as f64)).sqrt();
    let cell = |p: DVec3| (p / reach).floor().to_array().map(|c| c as i64);
    let mut cells: HashMap<[i64; 3], Vec<u32>> = HashMap::new();
    for (k, p) in places.iter().enumerate() {
        cells.entry(cell(*p)).or_default().push(k as u32);
    }
    let minds = |a: usize, b: usize| {
        let by = 1.0 - places[a].distance(places[b]) / reach;
        if by > 0.0 { by.powi(8) } else { 0.0 }
    };
    let beside = |k: usize| {
        let [x, y, z] = cell(places[k]);
        let about = (0..27).map(move |n: i64| [x + n % 3 - 1, y + n / 3 % 3 - 1, z + n / 9 - 1]);
        let near = about.filter_map(|c| cells.get(&c)).flatten().map(|o| *o as usize);
        near.filter(|o| *o != k).collect::<Vec<_>>()
    };
    let mut crowded: Vec<f64> =
        (0..places.len()).map(|k| beside(k).into_iter().map(|o| minds(k, o)).sum()).collect();
    let mut there = vec![true; places.len()];
    // By how crowded each is, told in whole numbers so that they have an order; an entry that is no longer so is put back.
    let told = |w: f64| (w * 1e12) as u64;
    let mut heap: BinaryHeap<(u64, usize)> = crowded.iter().enumerate().map(|(k, w)| (told(*w), k)).collect();
    let mut left = places.len();
    while left > count {
        let Some((w, k)) = heap.pop() else { break };
        if !there[k] {
            continue;
        }
        if told(crowded[k]) < w {
            heap.push((told(crowded[k]), k));
            continue;
        }
        there[k] = false;
        left -= 1;
        for o in beside(k) {
            crowded[o] -= minds(k, o);
        }
    }
    (0..places.len()).filter(|k| there[*k]).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_are_as_many_as_asked_for_apart_and_the_same_for_a_seed() {
        let positions = [[0.0, 0.0, 0.0], [2.0, 0.0, 0.0], [2.0, 0.0, 1.0], [0.0, 0.0, 1.0]];
        let triangles = [[0, 1, 2], [0, 2, 3]];
        let all = (&positions[..], &triangles[..]);
        let on = scatter(all, 400, 3, None);
        assert_eq!(on.len(), 400);
        assert_eq!(on, scatter(all, 400, 3, None));
        assert_ne!(on, scatter(all, 400, 4, None));
        let at = |o: &On| {
            let mut p = DVec3::ZERO;
            for (k, c) in triangles[o.triangle].iter().enumerate() {
                p += o.shares[k] * DVec3::from(positions[*c as usize].map(f64::from));
            }
            p
        };
        let p: Vec<DVec3> = on.iter().map(at).collect();
        let nearest = |k: usize| {
            (0..p.len()).filter(|o| *o != k).map(|o| p[k].distance(p[o])).fold(f64::INFINITY, f64::min)
        };
        // Of a random lot the nearest two would be a hundredth of this apart.
        let most = 2.0 * (2.0 / (2.0 * 3f64.sqrt() * 400.0)).sqrt();
        let least = (0..p.len()).map(nearest).fold(f64::INFINITY, f64::min);
        assert!(least > 0.55 * most, "{least} of {most}");
        // And as many on each half.
        let half = p.iter().filter(|p| p.x < 1.0).count();
        assert!(half.abs_diff(200) < 15, "{half}");
        // Weighed, most are where it is likely, and none where it can't be.
        let right =
            |all: &[DVec3]| all.iter().map(|p| if p.x < 1.0 { 0.0 } else { 0.3 }).collect::<Vec<f32>>();
        let on = scatter(all, 400, 3, Some(&right));
        assert_eq!(on.len(), 400);
        assert!(on.iter().all(|o| at(o).x >= 1.0));
        let never = |all: &[DVec3]| vec![0.0f32; all.len()];
        assert!(scatter(all, 400, 3, Some(&never)).is_empty());
    }

    #[test]
    fn what_has_no_area_has_no_places() {
        assert!(scatter((&[[0.0; 3]; 3], &[[0, 1, 2]]), 10, 0, None).is_empty());
        assert!(scatter((&[], &[]), 10, 0, None).is_empty());
    }
}
