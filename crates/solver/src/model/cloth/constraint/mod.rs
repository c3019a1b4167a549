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
pub mod prolonged;
pub mod relaxed;
pub mod yarn;

use crate::simd::{F8, Record, V8};

/// The records of a body, shared between threads that each touch points of their own part.
#[derive(Clone, Copy)]
pub struct Points {
    /// Where they were when the sub-step began.
    pub start: *const Record,
    /// What they gained since, and their inverse masses.
    pub gained: *mut Record,
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
    /// What lengths at rest are multiplied by, in the mean, and along warp and weft; and folds.
    pub rest: f32,
    pub sides: [f32; 2],
    pub folds: f32,
    /// Poisson's ratio.
    pub poisson: f32,
    /// Whether it is tied to other bodies, whose weight its points have.
    pub tied: bool,
}

impl Scale {
    /// What lengths at rest are multiplied by at most, whichever way they run.
    pub fn longest(&self) -> f32 {
        self.sides[0].max(self.sides[1])
    }
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
            sides: [1.0; 2],
            folds: 1.0,
            poisson: 0.0,
            tied: false,
        }
    }
}

/// Which way two sides face: the unit normal of their plane, that a bend's rest is taken along.
///
/// The energy of a bend K that is κ at rest is ½ c |K - κ n|². Its forces have two parts: those on what K sums, and
/// those that turn n. Without the second they are no energy's: a free curved strip turns by itself. (To take the rest
/// along K itself, ½ c (|K| - κ)², turns nothing either, but K has no direction where a bend passes through 0, as it
/// does somewhere in every curled strip that its weight bends back: there it fed energy without end.)
#[derive(Clone, Copy)]
pub(crate) struct Facing {
    pub n: V8,
    sides: [V8; 2],
    /// 1 over the area of the parallelogram of the sides, 1/m².
    per: F8,
}

impl Facing {
    #[inline(always)]
    pub fn of(a: V8, b: V8) -> Facing {
        let normal = a.cross(b);
        let per = F8::splat(1.0) / normal.dot(normal).max(F8::splat(1e-30)).sqrt();
        Facing { n: normal.scale(per), sides: [a, b], per }
    }

    /// What a force on n is on the ends of the first and the second side: (∂n/∂a)ᵀ f and (∂n/∂b)ᵀ f.
    #[inline(always)]
    pub fn turn(&self, force: V8) -> [V8; 2] {
        let across = (force - self.n.scale(force.dot(self.n))).scale(self.per);
        [self.sides[1].cross(across), across.cross(self.sides[0])]
    }
}

/// What divides what is lacking in a constraint of a bend, with its compliance over dt² and the inertia of its points. In one
/// sweep from nothing a force comes out smaller by their ratio, so as long as that is small it is left out: the force is what
/// the bend is worth where the sub-step began, and stable.
#[inline(always)]
pub(crate) fn divisor(compliance: F8, inertia: F8) -> F8 {
    compliance + F8::splat(EXPLICIT).fnma(compliance, inertia).max(F8::splat(0.0))
}

/// As long as a ratio is smaller.
const EXPLICIT: f32 = 0.1;

/// Compliance of a stiffness, capped where f32 would overflow: beyond it nothing resists.
pub(crate) fn compliance(stiffness: f64) -> f32 {
    (1.0 / stiffness.max(1e-24)) as f32
}
