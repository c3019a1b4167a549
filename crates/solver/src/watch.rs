//! Where time goes, told to whoever has a clock: the core has none.

/// The phases of a sub-step, in order.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Phase {
    /// Sampling winds and turbulence at the points.
    Air,
    /// Moving points by their velocity.
    Predict,
    /// Drag, lift and shear of triangles, and their stretch where it is not left to yarns.
    Membrane,
    Bend,
    /// Stretch of whole yarns.
    Yarn,
    /// Contact, velocities and damping.
    Finish,
}

impl Phase {
    pub const ALL: [Phase; 6] =
        [Phase::Air, Phase::Predict, Phase::Membrane, Phase::Bend, Phase::Yarn, Phase::Finish];

    pub fn name(self) -> &'static str {
        match self {
            Phase::Air => "air",
            Phase::Predict => "predict",
            Phase::Membrane => "membrane",
            Phase::Bend => "bend",
            Phase::Yarn => "yarn",
            Phase::Finish => "finish",
        }
    }
}

/// Called around each piece of work, from the thread that does it.
pub trait Watch: Sync {
    fn during<R>(&self, phase: Phase, work: impl FnOnce() -> R) -> R;
}

/// Watches nothing and costs nothing.
pub struct NoWatch;

impl Watch for NoWatch {
    #[inline(always)]
    fn during<R>(&self, _: Phase, work: impl FnOnce() -> R) -> R {
        work()
    }
}
