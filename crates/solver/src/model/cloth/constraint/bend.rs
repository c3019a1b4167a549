//! Hinges: two triangles that share an edge resist folding about it.
//!
//! M. Bergou, M. Wardetzky, D. Harmon, D. Zorin, E. Grinspun, "A Quadratic Bending Model for
//! Inextensible Surfaces" (2006): with cotangent weights k over the edge's ends and the two points
//! across, K = Σ k x is the edge's length times its fold, along the normal, and the energy is
//! ½ c |K|². No angle, no root: exact for the small strains of cloth. A hinge that is folded at rest
//! by K₀ wants K = K₀ n, with n the hinge's normal of the moment.
//!
//! What c is for a rigidity in N·m depends on the mesh, so it is calibrated (see `build::rigidity`).
use super::{Facing, Points, Scale, compliance, divisor};
use crate::model::cloth::colouring::pack;
use crate::simd::{F8, Record, gain, load, load_near, store};

/// Eight hinges. Arrays are indexed by lane.
#[repr(C, align(32))]
pub struct Hinges {
    point: [[u32; 8]; 4],
    /// Cotangent weights; they sum to 0, so the last is not kept.
    weight: [[f32; 8]; 3],
    /// 1/c, m²/(N·m).
    compliance: [f32; 8],
    /// K₀, metres.
    rest: [f32; 8],
}

/// One hinge: the edge's ends, then the points across on its first and second side.
pub struct Hinge {
    pub point: [u32; 4],
    pub weight: [f32; 4],
    /// N·m/m²: energy is half of it times |K|².
    pub stiffness: f64,
    /// Metres; 0 where flat at rest.
    pub rest: f32,
}

/// Packs hinges of one part into groups; empty lanes take the part's spare points.
pub fn gather(hinges: &[Hinge], spare: u32) -> Vec<Hinges> {
    let points: Vec<[u32; 4]> = hinges.iter().map(|h| h.point).collect();
    pack(&points)
        .into_iter()
        .map(|lanes| {
            let mut g = Hinges {
                point: [0, 1, 2, 3].map(|k| [spare + k; 8]),
                weight: [[0.0; 8]; 3],
                compliance: [1.0; 8],
                rest: [0.0; 8],
            };
            for (l, &k) in lanes.iter().enumerate() {
                let h = &hinges[k];
                (0..4).for_each(|k| g.point[k][l] = h.point[k]);
                (0..3).for_each(|k| g.weight[k][l] = h.weight[k]);
                g.compliance[l] = compliance(h.stiffness);
                g.rest[l] = h.rest;
            }
            g
        })
        .collect()
}

/// Meets eight hinges once. `CURVED` where any of the body is folded at rest.
///
/// # Safety
/// The points are those of a part that no other thread is at.
#[inline(always)]
pub unsafe fn solve<const CURVED: bool>(g: &Hinges, points: Points, scale: Scale) {
    // Safety: as the caller promises; a group's points differ.
    let loaded = unsafe { load_near(points.start, points.gained, &g.point) };
    let (x, w) = (loaded.map(|l| l.0), loaded.map(|l| l.1));
    let [a, b, c] = g.weight.each_ref().map(F8::new);
    let weight = [a, b, c, -(a + b + c)];
    // Relative to one of the points: the sum would lose its small difference.
    let mut k = (x[0] - x[3]).scale(a) + (x[1] - x[3]).scale(b) + (x[2] - x[3]).scale(c);
    let rest = F8::new(&g.rest) * F8::splat(scale.rest * scale.folds);
    let facing = CURVED.then(|| Facing::of(x[1] - x[0], x[3] - x[2]));
    if let Some(f) = &facing {
        k = k - f.n.scale(rest);
    }
    let compliance = F8::new(&g.compliance) * F8::splat(scale.per_dt2);
    let mut inertia = F8::splat(0.0);
    for i in 0..4 {
        inertia = (w[i] * weight[i]).fma(weight[i], inertia);
    }
    let s = F8::splat(-1.0) / divisor(compliance, inertia);
    let turn = facing.map(|f| f.turn(k.scale(-(s * rest))));
    for i in 0..4 {
        let mut by = k.scale(s * w[i] * weight[i]);
        if let Some([edge, across]) = turn {
            // The normal's sides are the edge, and what leads from one point across to the other.
            by = [-edge, edge, -across, across][i].fma(w[i], by);
        }
        // Safety: as above.
        unsafe { gain(points.gained, &g.point[i], by) };
    }
}

impl Hinges {
    /// Adds the forces that rest folds, multiplied by `folds`, have beside those of a flat hinge, N.
    pub fn curl(&self, [start, gained]: [&[Record]; 2], folds: f32, force: &mut [Record]) {
        // Safety, for both: all indices lie inside all arrays, which are borrowed whole; a group's points differ.
        let x = unsafe { load_near(start.as_ptr(), gained.as_ptr(), &self.point) }.map(|l| l.0);
        let [a, b, c] = self.weight.each_ref().map(F8::new);
        let weight = [a, b, c, -(a + b + c)];
        let stiff = F8::splat(1.0) / F8::new(&self.compliance);
        let rest = F8::new(&self.rest) * F8::splat(folds);
        let facing = Facing::of(x[1] - x[0], x[3] - x[2]);
        let curved = facing.n.scale(rest);
        let k = (x[0] - x[3]).scale(a) + (x[1] - x[3]).scale(b) + (x[2] - x[3]).scale(c) - curved;
        let [edge, across] = facing.turn(k.scale(stiff * rest));
        for (i, turned) in [-edge, edge, -across, across].into_iter().enumerate() {
            let by = curved.fma(stiff * weight[i], turned);
            unsafe {
                let (before, w) = load(force.as_ptr(), &self.point[i]);
                store(force.as_mut_ptr(), &self.point[i], before + by, w);
            }
        }
    }

    /// Energy of the eight, joules.
    pub fn energy(&self, x: &[Record], folds: f64) -> f64 {
        (0..8)
            .map(|l| {
                let p = self.point.map(|k| x[k[l] as usize].xyz().map(f64::from));
                let k: [f64; 3] = std::array::from_fn(|c| {
                    (0..3).map(|i| f64::from(self.weight[i][l]) * (p[i][c] - p[3][c])).sum()
                });
                let sub = |a: [f64; 3], b: [f64; 3]| -> [f64; 3] { std::array::from_fn(|c| a[c] - b[c]) };
                let (a, b) = (sub(p[1], p[0]), sub(p[3], p[2]));
                let n = [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
                let size = n.iter().map(|c| c * c).sum::<f64>().sqrt().max(1e-30);
                let off = |c: usize| k[c] - folds * f64::from(self.rest[l]) * n[c] / size;
                0.5 * (0..3).map(|c| off(c) * off(c)).sum::<f64>() / f64::from(self.compliance[l])
            })
            .sum()
    }
}
