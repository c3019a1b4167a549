//! Noise through space.

/// Gradient noise about 0, nearly all of it within 0.6 of it: K. Perlin, "Improving Noise" (2002), with its fade and
/// gradients; corners are hashed, not permuted.
pub fn gradient_noise(p: [f64; 3], seed: u32) -> f64 {
    let cell = p.map(f64::floor);
    let f: [f64; 3] = std::array::from_fn(|c| p[c] - cell[c]);
    let fade = f.map(|t| t * t * t * (t * (t * 6.0 - 15.0) + 10.0));
    let mut sum = 0.0;
    for corner in 0..8u32 {
        let on: [f64; 3] = std::array::from_fn(|c| f64::from(corner >> c & 1));
        let share: f64 = (0..3).map(|c| if on[c] > 0.0 { fade[c] } else { 1.0 - fade[c] }).product();
        let hash = hashed(std::array::from_fn(|c| (cell[c] + on[c]) as i64), seed);
        let d: [f64; 3] = std::array::from_fn(|c| f[c] - on[c]);
        sum += share * edge(hash, d);
    }
    sum
}

/// Toward the middle of one of a cube's twelve edges.
fn edge(hash: u32, [x, y, z]: [f64; 3]) -> f64 {
    let (a, b) = match hash % 12 / 4 {
        0 => (x, y),
        1 => (y, z),
        _ => (z, x),
    };
    (if hash & 1 == 0 { a } else { -a }) + if hash & 2 == 0 { b } else { -b }
}

/// The finalizer of SplitMix64 over the corner and the seed.
fn hashed(corner: [i64; 3], seed: u32) -> u32 {
    let mut h = u64::from(seed).wrapping_mul(0x9e37_79b9_7f4a_7c15);
    for c in corner {
        h ^= c as u64;
        h = (h ^ h >> 30).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        h = (h ^ h >> 27).wrapping_mul(0x94d0_49bb_1331_11eb);
        h ^= h >> 31;
    }
    (h >> 32) as u32
}
