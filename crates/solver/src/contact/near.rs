//! Nearest points of a point and a triangle, of two edges, and of two points: eight pairs at a time.
//!
//! C. Ericson, "Real-Time Collision Detection" (2005), sections 5.1.5 and 5.1.9, without branches.
use crate::simd::{F8, V8};

/// What two features are to each other.
#[derive(Clone, Copy)]
pub struct Near {
    /// Weights of the four points: their weighted sum leads from the second feature to the first.
    pub weight: [F8; 4],
    /// That sum, metres.
    pub apart: V8,
    pub distance: F8,
}

#[inline(always)]
fn sum(weight: &[F8; 4], x: &[V8; 4]) -> V8 {
    x[3].fma(weight[3], x[2].fma(weight[2], x[1].fma(weight[1], x[0].scale(weight[0]))))
}

#[inline(always)]
fn of(weight: [F8; 4], x: &[V8; 4]) -> Near {
    // The weights sum to 0: relative to one of the points nothing small is lost far from the origin.
    let y = [x[0] - x[3], x[1] - x[3], x[2] - x[3], V8::splat([0.0; 3])];
    let apart = sum(&weight, &y);
    Near { weight, apart, distance: apart.dot(apart).sqrt() }
}

#[inline(always)]
fn per(v: F8) -> F8 {
    F8::splat(1.0) / v.max(F8::splat(1e-24))
}

/// A point (first) and a triangle.
#[inline(always)]
pub fn point_triangle(x: &[V8; 4]) -> Near {
    let [p, a, b, c] = *x;
    let (zero, one) = (F8::splat(0.0), F8::splat(1.0));
    let (ab, ac, ap) = (b - a, c - a, p - a);
    let (d1, d2) = (ab.dot(ap), ac.dot(ap));
    let (bb, bc, cc) = (ab.dot(ab), ab.dot(ac), ac.dot(ac));
    let det = per((bc).fnma(bc, bb * cc));
    let v = (bc.fnma(d2, cc * d1)) * det;
    let w = (bc.fnma(d1, bb * d2)) * det;
    let u = one - v - w;
    let inside = zero.below(u.min(v).min(w));
    let face = of([one, -u, -v, -w], x);
    if inside.mask() == 0xff {
        return face;
    }
    let t = (d1 * per(bb)).unit_clamp();
    let first = of([one, t - one, -t, zero], x);
    let t = (d2 * per(cc)).unit_clamp();
    let second = of([one, t - one, zero, -t], x);
    let (bp, side) = (p - b, c - b);
    let t = (side.dot(bp) * per(side.dot(side))).unit_clamp();
    let third = of([one, zero, t - one, -t], x);
    let best = pick(second.distance.below(first.distance), second, first);
    let best = pick(third.distance.below(best.distance), third, best);
    pick(inside, face, best)
}

/// A point (first) and another; the last two are the second again.
#[inline(always)]
pub fn point_point(x: &[V8; 4]) -> Near {
    let (zero, one) = (F8::splat(0.0), F8::splat(1.0));
    of([one, -one, zero, zero], x)
}

/// An edge (the first two points) and another.
#[inline(always)]
pub fn edge_edge(x: &[V8; 4]) -> Near {
    let [p, q, r, s] = *x;
    let one = F8::splat(1.0);
    let (d, e, apart) = (q - p, s - r, p - r);
    let (a, b, c) = (d.dot(d), d.dot(e), d.dot(apart));
    let (ee, f) = (e.dot(e), e.dot(apart));
    let det = b.fnma(b, a * ee);
    // Edges that run alike have no one nearest pair: begin amid the first.
    let alike = det.below(a * ee * F8::splat(1e-5));
    let s0 = alike.pick(F8::splat(0.5), (c.fnma(ee, b * f) * per(det)).unit_clamp());
    let t = (b.fma(s0, f) * per(ee)).unit_clamp();
    let s1 = (b.fma(t, -c) * per(a)).unit_clamp();
    of([one - s1, s1, t - one, -t], x)
}

#[inline(always)]
pub fn pick(mask: F8, a: Near, b: Near) -> Near {
    Near {
        weight: std::array::from_fn(|k| mask.pick(a.weight[k], b.weight[k])),
        apart: V8::pick(mask, a.apart, b.apart),
        distance: mask.pick(a.distance, b.distance),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn noise(k: usize) -> f32 {
        ((k * 7919 + 13) % 1009) as f32 / 504.5 - 1.0
    }

    fn case(k: usize) -> [[f32; 3]; 4] {
        std::array::from_fn(|i| std::array::from_fn(|c| noise(k * 37 + i * 11 + c * 5 + i * i * c)))
    }

    /// The least distance over a fine grid of both features' points.
    fn by_grid(x: &[[f32; 3]; 4], edges: bool) -> f32 {
        let mut least = f32::INFINITY;
        let n = 60;
        for i in 0..=n {
            for j in 0..=n {
                let (s, t) = (i as f32 / n as f32, j as f32 / n as f32);
                let d: f32 = (0..3)
                    .map(|c| {
                        let x = |k: usize| x[k][c];
                        if edges {
                            return ((1.0 - s) * x(0) + s * x(1) - (1.0 - t) * x(2) - t * x(3)).powi(2);
                        }
                        let (v, w) = (s, t * (1.0 - s));
                        (x(0) - (1.0 - v - w) * x(1) - v * x(2) - w * x(3)).powi(2)
                    })
                    .sum();
                least = least.min(d.sqrt());
            }
        }
        least
    }

    #[test]
    fn nearest_points_are_those_a_fine_grid_finds() {
        for k in 0..200 {
            let x = case(k);
            let v = x.map(V8::splat);
            for (got, edges) in [(point_triangle(&v), false), (edge_edge(&v), true)] {
                let (d, want) = (got.distance.array()[0], by_grid(&x, edges));
                assert!(d <= want + 1e-5 && d > want - 0.05, "{k} {edges}: {d} {want}");
            }
        }
    }
}
