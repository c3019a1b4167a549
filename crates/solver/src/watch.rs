//! Where time goes, told to whoever has a clock: the core has none.

/// The phases of a sub-step, in order.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Phase {
    /// Sampling winds and turbulence at the points.
    Air,
    /// Moving points by their velocity.
    Predict,
    /// Drag, lift, stretch and shear of triangles.
    Membrane,
    Bend,
    /// Contact, velocities and damping.
    Finish,
}

impl Phase {
    pub const ALL: [Phase; 5] = [Phase::Air, Phase::Predict, Phase::Membrane, Phase::Bend, Phase::Finish];

    pub fn name(self) -> &'static str {
        match self {
            Phase::Air => "air",
            Phase::Predict => "predict",
            Phase::Membrane => "membrane",
            Phase::Bend => "bend",
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
