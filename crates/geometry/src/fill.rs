//! Places for loose pieces in a box: even, in no pattern, and none in another's way.

/// Left between two pieces at least, as a share of the larger's diameter.
const CLEAR: f64 = 0.02;

/// How many pieces of a radius a box of some size holds, metres.
pub fn room(size: [f64; 3], radius: f64) -> usize {
    cells(size, side(radius)).into_iter().product()
}

/// Places for `count` pieces in a box about the origin, each in a cell of its own: those of all cells, and where in
/// them, follow from the seed. Fewer where there is no room for more.
pub fn fill(size: [f64; 3], count: usize, radius: f64, seed: u32) -> Vec<[f32; 3]> {
    let least = side(radius);
    // As far apart as they can be.
    let volume: f64 = size.iter().product();
    let mut apart = (volume / count.max(1) as f64).cbrt().max(least);
    while apart > least && cells(size, apart).into_iter().product::<usize>() < count {
        apart = (0.97 * apart).max(least);
    }
    let n = cells(size, apart);
    let all: usize = n.into_iter().product();
    let mut chosen: Vec<usize> = (0..all).collect();
    if all > count {
        chosen.sort_unstable_by_key(|k| (mix(u64::from(seed), *k as u64), *k));
        chosen.truncate(count);
        chosen.sort_unstable();
    }
    let place = |k: usize| {
        let cell = [k % n[0], k / (n[0] * n[2]), k / n[0] % n[2]];
        std::array::from_fn(|c| {
            let wide = size[c] / n[c] as f64;
            let stir = (0.5 * wide - radius * (1.0 + CLEAR)).max(0.0);
            let by = (mix(u64::from(seed) + 1, (3 * k + c) as u64) >> 11) as f64 / (1u64 << 52) as f64 - 1.0;
            ((cell[c] as f64 + 0.5) * wide - 0.5 * size[c] + stir * by) as f32
        })
    };
    chosen.into_iter().map(place).collect()
}

/// What a piece's size is multiplied by, evenly from 1 - `by` to 1 + `by`.
pub fn varied(by: f64, piece: usize, seed: u32) -> f64 {
    let chance = (mix(u64::from(seed) + 2, piece as u64) >> 11) as f64 / (1u64 << 53) as f64;
    1.0 + by * (2.0 * chance - 1.0)
}

/// An even chance from 0 to 1, by a seed and a count.
pub fn chance(seed: u32, count: u64) -> f64 {
    (mix(u64::from(seed) + 3, count) >> 11) as f64 / (1u64 << 53) as f64
}

fn side(radius: f64) -> f64 {
    2.0 * radius * (1.0 + CLEAR)
}

fn cells(size: [f64; 3], apart: f64) -> [usize; 3] {
    size.map(|s| (s / apart + 1e-9).floor().min(1e6) as usize)
}

/// A well-mixed number from a seed and a count (G. Steele, D. Lea, C. Flood, "Fast Splittable Pseudorandom Number
/// Generators", 2014).
fn mix(seed: u64, count: u64) -> u64 {
    let mut z =
        seed.wrapping_mul(0xD134_2543_DE82_EF95).wrapping_add(count.wrapping_mul(0x9E37_79B9_7F4A_7C15));
    z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
    z ^ (z >> 31)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pieces_are_within_apart_and_spread_over_all_of_the_box() {
        for (size, count, radius) in
            [([0.4, 0.2, 0.6], 300, 0.01), ([0.1, 0.1, 0.1], 64, 0.0122), ([2.0, 0.03, 2.0], 500, 0.01)]
        {
            let p = fill(size, count, radius, 7);
            assert_eq!(p.len(), count);
            let mut halves = [0; 3];
            for (k, a) in p.iter().enumerate() {
                for c in 0..3 {
                    assert!(f64::from(a[c]).abs() <= 0.5 * size[c] - radius + 1e-6, "{a:?} sticks out");
                    halves[c] += usize::from(a[c] > 0.0);
                }
                for b in &p[..k] {
                    let d2: f32 = (0..3).map(|c| (a[c] - b[c]).powi(2)).sum();
                    assert!(f64::from(d2.sqrt()) > 2.0 * radius, "{a:?} and {b:?} overlap");
                }
            }
            let even = |c: usize| size[c] < 0.05 || (halves[c] as f64 / count as f64 - 0.5).abs() < 0.12;
            assert!((0..3).all(even), "{halves:?} of {count}");
        }
    }

    #[test]
    fn the_seed_alone_tells_where_and_there_is_no_more_than_there_is_room_for() {
        let size = [0.3; 3];
        assert_eq!(fill(size, 50, 0.01, 1), fill(size, 50, 0.01, 1));
        assert_ne!(fill(size, 50, 0.01, 1), fill(size, 50, 0.01, 2));
        assert_eq!(room([0.1, 0.1, 0.01], 0.01), 0);
        assert_eq!(fill([0.1; 3], 1000, 0.02, 1).len(), room([0.1; 3], 0.02));
        let all: Vec<f64> = (0..1000).map(|k| varied(0.3, k, 5)).collect();
        assert!(all.iter().all(|v| (0.7..=1.3).contains(v)));
        assert!((all.iter().sum::<f64>() / 1000.0 - 1.0).abs() < 0.02);
    }
}
