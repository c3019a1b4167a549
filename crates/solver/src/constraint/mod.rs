//! One kind of constraint a file, each with the same verbs: `Group` holds eight of them side by side,
//! `gather` makes groups, `solve` meets them once.
//!
//! All are extended position-based dynamics with one sweep a sub-step (M. Macklin, M. Müller,
//! N. Chentanez, "XPBD", 2016, eq. 18; M. Macklin et al., "Small Steps in Physics Simulation", 2019):
//! a constraint C with compliance α moves points by w ∇C Δλ, Δλ = -C / (Σ w |∇C|² + α/dt²).

pub mod bend;
pub mod cell;
pub mod membrane;
pub mod patch;
pub mod yarn;

use crate::simd::{F8, Record, V8};

/// The records of a body, shared between threads that each touch points of their own part.
#[derive(Clone, Copy)]
pub struct Points {
    pub x: *mut Record,
    pub flow: *const Record,
}

// Safety: a part's work touches only that part's points (and its own spare ones), parts at work at
// the same time are disjoint, and a join stands between a part and the one around it.
unsafe impl Send for Points {}
unsafe impl Sync for Points {}

/// What all constraints of a sub-step are told.
#[derive(Clone, Copy)]
pub struct Scale {
    /// The sub-step up to where forces are balanced, seconds.
    pub dt: f32,
    /// 1/dt².
    pub per_dt2: f32,
    /// ½ρ C_drag and ½ρ C_lift, kg/m³; zero where air does not act.
    pub drag: f32,
    pub lift: f32,
    /// The whole sub-step over the areal weight, s·m²/kg.
    pub whole_per_weight: f32,
    /// What lengths and folds at rest are multiplied by.
    pub rest: f32,
    pub folds: f32,
    /// Poisson's ratio.
    pub poisson: f32,
}

impl Default for Scale {
    fn default() -> Scale {
        Scale {
            dt: 1.0,
            per_dt2: 1.0,
            drag: 0.0,
            lift: 0.0,
            whole_per_weight: 1.0,
            rest: 1.0,
            folds: 1.0,
            poisson: 0.0,
        }
    }
}

/// The direction in which a bend's rest is taken from it: that of the bend itself, on the side of the normal. Then
/// what brings a bend to its rest turns nothing: the torque of forces along d on what K sums is K × d. Where
/// a bend is too small, or too far from the normal, to have a direction, it is the normal's.
#[inline(always)]
pub(crate) fn outward(bend: V8, normal: V8) -> V8 {
    let (along, all) = (bend.dot(normal), bend.dot(bend));
    let sure = all.below(along * along * F8::splat(2.0));
    let side = along.below(F8::splat(0.0)).pick(F8::splat(-1.0), F8::splat(1.0));
    V8::pick(sure, bend.scale(side / all.max(F8::splat(1e-30)).sqrt()), normal)
}

/// Compliance of a stiffness, capped where f32 would overflow: beyond it nothing resists.
pub(crate) fn compliance(stiffness: f64) -> f32 {
    (1.0 / stiffness.max(1e-24)) as f32
}
