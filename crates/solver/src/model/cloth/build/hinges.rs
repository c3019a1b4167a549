//! Edges that two triangles share, with the cotangent weights of their hinge.
use crate::inputs::{ClothRest, Folds};
use glam::DVec3;

/// A hinge of the rest shape.
pub struct RestHinge {
    /// Edge's ends, then the points across.
    pub point: [u32; 4],
    pub weight: [f64; 4],
    /// The four points unfolded into the plane of the first triangle: metres along warp and weft.
    pub flat: [[f64; 2]; 4],
    /// Area of both triangles, m².
    pub area: f64,
    /// The part of it that isn't held at all its corners, and so can bend, m².
    pub free: f64,
    /// Length times fold at rest, metres, signed by the side it folds to.
    pub rest: f64,
}

/// All hinges, in the order of their edges.
pub fn find(rest: &ClothRest) -> Vec<RestHinge> {
    let mut sides: Vec<([u32; 2], usize, usize)> = vec![];
    for (t, tri) in rest.triangles.iter().enumerate() {
        for k in 0..3 {
            let (a, b) = (tri[k], tri[(k + 1) % 3]);
            sides.push(([a.min(b), a.max(b)], t, k));
        }
    }
    sides.sort_unstable();
    sides
        .windows(2)
        .filter(|s| s[0].0 == s[1].0)
        .map(|s| hinge(rest, (s[0].1, s[0].2), (s[1].1, s[1].2)))
        .collect()
}

fn hinge(rest: &ClothRest, (t, k): (usize, usize), (o, j): (usize, usize)) -> RestHinge {
    let tri = rest.triangles[t];
    let (a, b, c, d) = (tri[k], tri[(k + 1) % 3], tri[(k + 2) % 3], rest.triangles[o][(j + 2) % 3]);
    let x = |p: u32| DVec3::from(rest.shape()[p as usize].map(f64::from));
    let cot = |at: u32, p: u32, q: u32| {
        let (u, v) = (x(p) - x(at), x(q) - x(at));
        u.dot(v) / u.cross(v).length()
    };
    let (ca, cb, da, db) = (cot(a, b, c), cot(b, a, c), cot(a, b, d), cot(b, a, d));
    // Written so that a function linear over the unfolded pair gives 0.
    let weight = [cb + db, ca + da, -(ca + cb), -(da + db)];
    let (first, second) = ((x(b) - x(a)).cross(x(c) - x(a)), (x(d) - x(a)).cross(x(b) - x(a)));
    let area = 0.5 * (first.length() + second.length());
    let sum = x(a) * weight[0] + x(b) * weight[1] + x(c) * weight[2] + x(d) * weight[3];
    let normal = (x(b) - x(a)).cross(x(d) - x(c));
    let held = |t: usize| rest.triangles[t].iter().all(|&p| rest.held[p as usize]);
    let free =
        0.5 * [(t, first), (o, second)].into_iter().filter(|s| !held(s.0)).map(|s| s.1.length()).sum::<f64>();
    let rest_fold = match rest.folds {
        Folds::Flat => 0.0,
        _ => sum.dot(normal) / normal.length().max(1e-30),
    };
    let f = rest.flat[t].map(|p| p.map(f64::from));
    let (fa, fb, fc) = (f[k], f[(k + 1) % 3], f[(k + 2) % 3]);
    let edge = [fb[0] - fa[0], fb[1] - fa[1]];
    let length2 = edge[0] * edge[0] + edge[1] * edge[1];
    // The second triangle, laid flat: along the edge by its foot, and out by its height.
    let foot = (x(d) - x(a)).dot(x(b) - x(a)) / (x(b) - x(a)).length_squared();
    let out = second.length() / length2;
    let side = (edge[0] * (fc[1] - fa[1]) - edge[1] * (fc[0] - fa[0])).signum();
    let fd = [fa[0] + foot * edge[0] + side * out * edge[1], fa[1] + foot * edge[1] - side * out * edge[0]];
    RestHinge { point: [a, b, c, d], weight, flat: [fa, fb, fc, fd], area, free, rest: rest_fold }
}
