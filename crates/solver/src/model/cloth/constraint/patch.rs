//! Patches: a triangle and its three neighbours, whose six points give the curvature of the middle one.
//!
//! The second derivatives of the quadratic through the six points, unfolded at rest (E. Oñate,
//! F. Zárate, "Rotation-free triangular plate and shell elements", 2000, with the fit of F. Flores,
//! E. Oñate, "Improvements in the membrane behaviour of the three node rotation-free BST shell triangle",
//! 2005), are three weighted sums of points: x_uu, x_vv, x_uv. For an inextensible sheet their lengths
//! are the curvatures (M. Bergou et al., "A Quadratic Bending Model for Inextensible Surfaces", 2006), so
//! the energy of area A is ½ A (D_u |x_uu|² + D_v |x_vv|² + 2 √(D_u D_v) |x_uv|²): exact for quadratics on
//! any mesh, with no calibration. A patch that is curved at rest wants x_uu = κ n, and so on.
use super::{Facing, Points, Scale, compliance, divisor};
use crate::model::cloth::colouring::pack;
use crate::simd::{F8, Record, V8, gain, load, load_near, store};

/// Eight patches. Arrays are indexed by lane.
#[repr(C, align(32))]
pub struct Patches {
    point: [[u32; 8]; 6],
    /// Of x_uu, x_vv, x_uv; they sum to 0, so the last point's are not kept, 1/m².
    weight: [[[f32; 8]; 5]; 3],
    /// 1/(A D), 1/(N·m³).
    compliance: [[f32; 8]; 3],
    /// Curvatures at rest along the normal, 1/m.
    rest: [[f32; 8]; 3],
}

/// One patch: the triangle's points, then the one across each of its edges.
#[derive(Clone, Debug)]
pub struct Patch {
    pub point: [u32; 6],
    /// Of x_uu, x_vv, x_uv, 1/m².
    pub weight: [[f64; 6]; 3],
    /// A D, N·m³.
    pub stiffness: [f64; 3],
    /// 1/m.
    pub rest: [f32; 3],
}

/// Packs patches of one part into groups; empty lanes take the part's spare points.
pub fn gather(patches: &[Patch], spare: u32) -> Vec<Patches> {
    let points: Vec<[u32; 6]> = patches.iter().map(|p| p.point).collect();
    pack(&points)
        .into_iter()
        .map(|lanes| {
            let mut g = Patches {
                point: [0, 1, 2, 3, 0, 1].map(|k| [spare + k; 8]),
                weight: [[[0.0; 8]; 5]; 3],
                compliance: [[1.0; 8]; 3],
                rest: [[0.0; 8]; 3],
            };
            for (l, &k) in lanes.iter().enumerate() {
                let p = &patches[k];
                (0..6).for_each(|i| g.point[i][l] = p.point[i]);
                for m in 0..3 {
                    (0..5).for_each(|i| g.weight[m][i][l] = p.weight[m][i] as f32);
                    g.compliance[m][l] = compliance(p.stiffness[m]);
                    g.rest[m][l] = p.rest[m];
                }
            }
            g
        })
        .collect()
}

/// Meets eight patches once. `CURVED` where any of the body is curved at rest.
///
/// # Safety
/// The points are those of a part that no other thread is at.
#[inline(always)]
pub unsafe fn solve<const CURVED: bool>(g: &Patches, points: Points, scale: Scale) {
    // Safety: as the caller promises; a group's points differ.
    let loaded = unsafe { load_near(points.start, points.gained, &g.point) };
    let mut by = [V8([F8::splat(0.0); 3]); 6];
    let (mut x, w) = (loaded.map(|l| l.0), loaded.map(|l| l.1));
    let facing = Facing::of(x[1] - x[0], x[2] - x[0]);
    for m in 0..3 {
        let weight = weights(g, m);
        let k = off::<CURVED>(g, m, &x, &weight, &facing, scale.rest * scale.folds);
        let compliance = F8::new(&g.compliance[m]) * F8::splat(scale.per_dt2);
        let mut inertia = F8::splat(0.0);
        for i in 0..6 {
            inertia = (w[i] * weight[i]).fma(weight[i], inertia);
        }
        let s = F8::splat(-1.0) / divisor(compliance, inertia);
        for i in 0..6 {
            let s = s * w[i] * weight[i];
            (x[i], by[i]) = (k.fma(s, x[i]), k.fma(s, by[i]));
        }
        if CURVED {
            let [a, b] = facing.turn(k.scale(-(s * kappa(g, m, scale.rest * scale.folds))));
            for (i, turned) in [-(a + b), a, b].into_iter().enumerate() {
                (x[i], by[i]) = (turned.fma(w[i], x[i]), turned.fma(w[i], by[i]));
            }
        }
    }
    for i in 0..6 {
        // Safety: as above.
        unsafe { gain(points.gained, &g.point[i], by[i]) };
    }
}

/// Adds the forces of eight patches to `force`, N; their rest curvatures are multiplied by `folds`.
pub fn force<const CURVED: bool>(
    g: &Patches,
    [start, gained]: [&[Record]; 2],
    folds: f32,
    force: &mut [Record],
) {
    // Safety: all indices lie inside all arrays, which are borrowed whole; a group's points differ.
    let x = unsafe { load_near(start.as_ptr(), gained.as_ptr(), &g.point) }.map(|l| l.0);
    let mut f = [V8([F8::splat(0.0); 3]); 6];
    let mut on_normal = V8([F8::splat(0.0); 3]);
    let facing = Facing::of(x[1] - x[0], x[2] - x[0]);
    for m in 0..3 {
        let weight = weights(g, m);
        let k = off::<CURVED>(g, m, &x, &weight, &facing, folds)
            .scale(F8::splat(-1.0) / F8::new(&g.compliance[m]));
        (0..6).for_each(|i| f[i] = k.fma(weight[i], f[i]));
        on_normal = k.fma(-kappa(g, m, folds), on_normal);
    }
    if CURVED {
        let [a, b] = facing.turn(on_normal);
        (f[0], f[1], f[2]) = (f[0] - a - b, f[1] + a, f[2] + b);
    }
    for (i, f) in f.into_iter().enumerate() {
        // Safety: as above.
        unsafe {
            let (before, w) = load(force.as_ptr(), &g.point[i]);
            store(force.as_mut_ptr(), &g.point[i], before + f, w);
        }
    }
}

/// Curvatures at rest, multiplied by `folds`, 1/m.
#[inline(always)]
fn kappa(g: &Patches, m: usize, folds: f32) -> F8 {
    F8::new(&g.rest[m]) * F8::splat(folds)
}

#[inline(always)]
fn weights(g: &Patches, m: usize) -> [F8; 6] {
    let [a, b, c, d, e] = g.weight[m].each_ref().map(F8::new);
    [a, b, c, d, e, -(a + b + c + d + e)]
}

/// A curvature less its rest, which is multiplied by `folds`.
#[inline(always)]
fn off<const CURVED: bool>(
    g: &Patches,
    m: usize,
    x: &[V8; 6],
    weight: &[F8; 6],
    facing: &Facing,
    folds: f32,
) -> V8 {
    // Relative to one of the points: the sum would lose its small difference.
    let mut k = (x[0] - x[5]).scale(weight[0]);
    for i in 1..5 {
        k = (x[i] - x[5]).fma(weight[i], k);
    }
    if CURVED { k - facing.n.scale(kappa(g, m, folds)) } else { k }
}

impl Patches {
    /// Adds the forces that rest curvatures, multiplied by `folds`, have beside those of a flat patch, N.
    pub fn curl(&self, [start, gained]: [&[Record]; 2], folds: f32, force: &mut [Record]) {
        // Safety, for all: all indices lie inside all arrays, which are borrowed whole; a group's points differ.
        let x = unsafe { load_near(start.as_ptr(), gained.as_ptr(), &self.point) }.map(|l| l.0);
        let mut f = [V8([F8::splat(0.0); 3]); 6];
        let mut on_normal = V8([F8::splat(0.0); 3]);
        let facing = Facing::of(x[1] - x[0], x[2] - x[0]);
        for m in 0..3 {
            let weight = weights(self, m);
            let curved = kappa(self, m, folds) / F8::new(&self.compliance[m]);
            (0..6).for_each(|i| f[i] = facing.n.fma(curved * weight[i], f[i]));
            on_normal = off::<true>(self, m, &x, &weight, &facing, folds).fma(curved, on_normal);
        }
        let [a, b] = facing.turn(on_normal);
        (f[0], f[1], f[2]) = (f[0] - a - b, f[1] + a, f[2] + b);
        for (i, f) in f.into_iter().enumerate() {
            unsafe {
                let (before, w) = load(force.as_ptr(), &self.point[i]);
                store(force.as_mut_ptr(), &self.point[i], before + f, w);
            }
        }
    }

    /// Energy of the eight, joules.
    pub fn energy(&self, x: &[Record], folds: f32) -> f64 {
        // Safety: all indices lie inside.
        let x = [0, 1, 2, 3, 4, 5].map(|k| unsafe { load(x.as_ptr(), &self.point[k]).0 });
        let facing = Facing::of(x[1] - x[0], x[2] - x[0]);
        (0..3)
            .map(|m| {
                let k = off::<true>(self, m, &x, &weights(self, m), &facing, folds);
                let e = (k.dot(k) * F8::splat(0.5) / F8::new(&self.compliance[m])).array();
                e.iter().map(|e| f64::from(*e)).sum::<f64>()
            })
            .sum()
    }
}
