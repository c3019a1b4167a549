//! Finds the spot of a surface that is nearest to a place, within a reach: a tree of boxes, eight to a node, and triangles eight at a
//! time at its leaves.
use nematon_simd::{F8, V8};

type Vec3 = [f32; 3];

/// The spot of a surface that is nearest to a place.
pub struct Near {
    pub triangle: u32,
    /// Of the triangle's corners.
    pub share: [f32; 3],
    /// Metres, squared.
    pub far: f32,
}

/// Eight triangles: a corner, and what leads to the two others.
struct Leaf {
    from: V8,
    sides: [V8; 2],
    triangles: [u32; 8],
}

/// Boxes of the eight below a node: their lows and their highs.
type Boxes = [V8; 2];

/// A surface's triangles by where they are. The eight of what stands at `k` of a level are those from `8 k` on of the one below.
pub struct Finder {
    leaves: Vec<Leaf>,
    /// From the one above the leaves to that with one node.
    levels: Vec<Vec<Boxes>>,
}

const NOWHERE: [Vec3; 2] = [[f32::INFINITY; 3], [f32::NEG_INFINITY; 3]];
/// A box is as near as it says but for what is lost in telling it.
const SLACK: f32 = 1.0 - 1e-5;
/// Levels at most: of 8^10 triangles.
const DEEP: usize = 10;

fn both(a: [Vec3; 2], b: [Vec3; 2]) -> [Vec3; 2] {
    [std::array::from_fn(|c| a[0][c].min(b[0][c])), std::array::from_fn(|c| a[1][c].max(b[1][c]))]
}

fn eight(of: &[Vec3; 8]) -> V8 {
    V8(std::array::from_fn(|c| F8::new(&of.map(|v| v[c]))))
}

impl Finder {
    pub fn of(at: &[Vec3], triangles: &[[u32; 3]]) -> Finder {
        let corners = |k: u32| triangles[k as usize].map(|c| at[c as usize]);
        let mut order: Vec<u32> = (0..triangles.len() as u32).collect();
        let middles: Vec<Vec3> = order
            .iter()
            .map(|k| {
                let [a, b, c] = corners(*k);
                std::array::from_fn(|n| a[n] + b[n] + c[n])
            })
            .collect();
        halve(&mut order, &middles);
        let mut leaves = vec![];
        let mut boxes = vec![];
        for some in order.chunks(8) {
            // What is left over is the first one again.
            let own: [u32; 8] = std::array::from_fn(|l| *some.get(l).unwrap_or(&some[0]));
            let p = own.map(corners);
            let to = |n: usize| eight(&p.map(|p| std::array::from_fn(|c| p[n][c] - p[0][c])));
            leaves.push(Leaf { from: eight(&p.map(|p| p[0])), sides: [to(1), to(2)], triangles: own });
            boxes.push(p.as_flattened().iter().fold(NOWHERE, |all, p| both(all, [*p, *p])));
        }
        let mut levels = vec![];
        while !boxes.is_empty() {
            let lanes = |some: &[[Vec3; 2]]| -> Boxes {
                [0, 1].map(|n| eight(&std::array::from_fn(|l| some.get(l).unwrap_or(&NOWHERE)[n])))
            };
            levels.push(boxes.chunks(8).map(lanes).collect::<Vec<_>>());
            if boxes.len() <= 8 {
                break;
            }
            boxes = boxes.chunks(8).map(|some| some.iter().fold(NOWHERE, |all, b| both(all, *b))).collect();
        }
        debug_assert!(levels.len() <= DEEP);
        Finder { leaves, levels }
    }

    /// The nearest spot that is no farther than that, squared; of two as near, that of the first triangle.
    pub fn nearest(&self, x: Vec3, within: f32) -> Option<Near> {
        if self.levels.is_empty() {
            return None;
        }
        let mut best = Near { triangle: u32::MAX, share: [0.0; 3], far: within };
        let at = V8::splat(x);
        // What of each level is left to be opened, the nearest last.
        let mut left = [[(0.0f32, 0u32); 8]; DEEP];
        let mut count = [0usize; DEEP];
        let top = self.levels.len() - 1;
        let mut level = top;
        count[top] = self.boxes(top, 0, &at, best.far, &mut left[top]);
        loop {
            if count[level] == 0 {
                if level == top {
                    return (best.triangle < u32::MAX).then_some(best);
                }
                level += 1;
                continue;
            }
            count[level] -= 1;
            let (far, k) = left[level][count[level]];
            if far > best.far {
                // What was put before it is farther still.
                count[level] = 0;
                continue;
            }
            if level == 0 {
                self.leaves[k as usize].nearest(&at, &mut best);
            } else {
                level -= 1;
                count[level] = self.boxes(level, k as usize, &at, best.far, &mut left[level]);
            }
        }
    }

    /// Those of the eight below a node that are not farther than that, the nearest last, and how many they are.
    #[inline(always)]
    fn boxes(&self, level: usize, k: usize, x: &V8, far: f32, to: &mut [(f32, u32); 8]) -> usize {
        let [low, high] = &self.levels[level][k];
        let mut square = F8::splat(0.0);
        for c in 0..3 {
            let off = (low.0[c] - x.0[c]).max(x.0[c] - high.0[c]).max(F8::splat(0.0));
            square = off.fma(off, square);
        }
        let square = square * F8::splat(SLACK);
        let mut open = square.at_most(F8::splat(far)).mask();
        let each = square.array();
        let mut count = 0;
        while open != 0 {
            let l = open.trailing_zeros();
            open &= open - 1;
            let own = (each[l as usize], 8 * k as u32 + l);
            let mut put = count;
            while put > 0 && to[put - 1].0 < own.0 {
                to[put] = to[put - 1];
                put -= 1;
            }
            to[put] = own;
            count += 1;
        }
        count
    }
}

impl Leaf {
    fn nearest(&self, x: &V8, best: &mut Near) {
        let [ab, ac] = &self.sides;
        let ap = sub(x, &self.from);
        let [v, w] = closest(&ap, ab, ac);
        let off = V8(std::array::from_fn(|c| w.fnma(ac.0[c], v.fnma(ab.0[c], ap.0[c]))));
        let far = dot(&off, &off);
        let mut nearer = far.at_most(F8::splat(best.far)).mask();
        if nearer == 0 {
            return;
        }
        let (far, v, w) = (far.array(), v.array(), w.array());
        while nearer != 0 {
            let l = nearer.trailing_zeros() as usize;
            nearer &= nearer - 1;
            if (far[l], self.triangles[l]) < (best.far, best.triangle) {
                let share = [1.0 - v[l] - w[l], v[l], w[l]];
                *best = Near { triangle: self.triangles[l], share, far: far[l] };
            }
        }
    }
}

fn sub(a: &V8, b: &V8) -> V8 {
    V8(std::array::from_fn(|c| a.0[c] - b.0[c]))
}
fn dot(a: &V8, b: &V8) -> F8 {
    a.0[2].fma(b.0[2], a.0[1].fma(b.0[1], a.0[0] * b.0[0]))
}

/// The shares of the second and the third corner in the spots of eight triangles that are nearest to a place, by what leads to it and to
/// these from the first: C. Ericson, "Real-Time Collision Detection" (2005), 5.1.5, all of its cases at once.
fn closest(ap: &V8, ab: &V8, ac: &V8) -> [F8; 2] {
    let (zero, one, tiny) = (F8::splat(0.0), F8::splat(1.0), F8::splat(1e-30));
    let (d1, d2) = (dot(ab, ap), dot(ac, ap));
    let (bb, bc, cc) = (dot(ab, ab), dot(ab, ac), dot(ac, ac));
    let (d3, d4) = (d1 - bb, d2 - bc);
    let (d5, d6) = (d1 - bc, d2 - cc);
    let va = d3 * d6 - d5 * d4;
    let vb = d5 * d2 - d1 * d6;
    let vc = d1 * d4 - d3 * d2;
    let per = one / (va + vb + vc).max(tiny);
    let (mut v, mut w) = (vb * per, vc * per);
    let both = |a: F8, b: F8| a.and(b);
    // From the last of its cases to the first, so that the first that is so stands.
    let (p, q) = (d4 - d3, d5 - d6);
    let on = both(va.at_most(zero), both(zero.at_most(p), zero.at_most(q)));
    let far = p / (p + q).max(tiny);
    (v, w) = (on.pick(one - far, v), on.pick(far, w));
    let on = both(vb.at_most(zero), both(zero.at_most(d2), d6.at_most(zero)));
    (v, w) = (on.pick(zero, v), on.pick(d2 / (d2 - d6).max(tiny), w));
    let on = both(zero.at_most(d6), d5.at_most(d6));
    (v, w) = (on.pick(zero, v), on.pick(one, w));
    let on = both(vc.at_most(zero), both(zero.at_most(d1), d3.at_most(zero)));
    (v, w) = (on.pick(d1 / (d1 - d3).max(tiny), v), on.pick(zero, w));
    let on = both(zero.at_most(d3), d4.at_most(d3));
    (v, w) = (on.pick(one, v), on.pick(zero, w));
    let on = both(d1.at_most(zero), d2.at_most(zero));
    [on.pick(zero, v), on.pick(zero, w)]
}

/// Puts what is near one another in a row, so that each eight, and each eight of those, lie together.
fn halve(order: &mut [u32], middles: &[Vec3]) {
    if order.len() <= 8 {
        return;
    }
    let of = |k: &u32| middles[*k as usize];
    let bounds = order.iter().map(of).fold(NOWHERE, |all, p| both(all, [p, p]));
    let wide: Vec3 = std::array::from_fn(|c| bounds[1][c] - bounds[0][c]);
    let along = (0..3).max_by(|a, b| wide[*a].total_cmp(&wide[*b])).unwrap_or(0);
    // As many eights as fill the first half.
    let eights = order.len().div_ceil(8);
    let at = 8 << (eights - 1).ilog2();
    order.select_nth_unstable_by(at, |a, b| of(a)[along].total_cmp(&of(b)[along]).then(a.cmp(b)));
    let (first, second) = order.split_at_mut(at);
    halve(first, middles);
    halve(second, middles);
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The spot of a triangle nearest to a place, by the finest of grids on it.
    fn grid(x: Vec3, p: [Vec3; 3]) -> f32 {
        const N: u32 = 60;
        let mut best = f32::MAX;
        for a in 0..=N {
            for b in 0..=N - a {
                let share = [a, b, N - a - b].map(|k| k as f32 / N as f32);
                let off = [0, 1, 2].map(|c| x[c] - (0..3).map(|k| share[k] * p[k][c]).sum::<f32>());
                best = best.min(off.iter().map(|o| o * o).sum());
            }
        }
        best.sqrt()
    }

    fn die(k: u64, n: u64) -> f32 {
        2.0 * crate::chance(k, n) as f32 - 1.0
    }

    #[test]
    fn the_spot_of_a_triangle_is_the_nearest_whichever_case_it_is() {
        for k in 0..400 {
            let p: [Vec3; 3] =
                std::array::from_fn(|n| std::array::from_fn(|c| die(k, 3 * n as u64 + c as u64)));
            let x: Vec3 = std::array::from_fn(|c| 1.5 * die(k, 20 + c as u64));
            let finder = Finder::of(&p, &[[0, 1, 2]]);
            let found = finder.nearest(x, 100.0).expect("it is near");
            let far = found.far.sqrt();
            let spot = [0, 1, 2].map(|c| (0..3).map(|n| found.share[n] * p[n][c]).sum::<f32>());
            let own = (0..3).map(|c| (x[c] - spot[c]).powi(2)).sum::<f32>().sqrt();
            assert!((own - far).abs() < 1e-5, "its shares are where it is: {own} and {far}");
            assert!(found.share.iter().all(|s| (-1e-6..=1.0 + 1e-6).contains(s)), "{:?}", found.share);
            let best = grid(x, p);
            assert!(far <= best + 1e-6 && best < far + 0.03, "{far} where a grid finds {best}");
        }
    }

    #[test]
    fn what_is_found_is_the_nearest_of_all_however_near_it_has_to_be() {
        for count in [1usize, 7, 8, 9, 64, 65, 700, 5000] {
            let at: Vec<Vec3> =
                (0..count as u64 + 2).map(|k| std::array::from_fn(|c| 4.0 * die(k, c as u64))).collect();
            let triangles: Vec<[u32; 3]> = (0..count as u32).map(|k| [k, k + 1, k + 2]).collect();
            let finder = Finder::of(&at, &triangles);
            for k in 0..40 {
                let x: Vec3 = std::array::from_fn(|c| 5.0 * die(k, 40 + c as u64));
                let each = triangles.iter().enumerate().filter_map(|(n, t)| {
                    let own = Finder::of(&t.map(|c| at[c as usize]), &[[0, 1, 2]]);
                    Some((own.nearest(x, 9.0)?.far, n as u32))
                });
                let best = each.reduce(|a, b| if b < a { b } else { a });
                let found = |within: f32| finder.nearest(x, within).map(|n| (n.far, n.triangle));
                assert_eq!(found(9.0), best, "of {count}");
                if let Some((far, _)) = best {
                    assert_eq!(found(far), best, "where all that is nearer is as near");
                    assert_eq!(found(0.99 * far), None, "of {count}");
                }
            }
        }
    }
}
