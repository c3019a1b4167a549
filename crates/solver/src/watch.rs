//! Where time goes, told to whoever has a clock: the core has none.

/// The phases of a sub-step, in order.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Phase {
    /// Sampling winds and turbulence at the points.
    Air,
    /// Moving points by their velocity.
    Predict,
    /// Passing pulls on over the coarse levels.
    Coarse,
    /// Drag, lift and shear of triangles, and their stretch where it is not left to yarns.
    Membrane,
    Bend,
    /// Stretch and bend of whole yarns.
    Yarn,
    /// Seams, and what fills chambers.
    Sewn,
    /// Finding and listing what could touch.
    Search,
    /// Making sure that nothing crossed.
    Keep,
    /// Velocities and damping.
    Finish,
}

impl Phase {
    pub const ALL: [Phase; 10] = [
        Phase::Air,
        Phase::Predict,
        Phase::Coarse,
        Phase::Membrane,
        Phase::Bend,
        Phase::Yarn,
        Phase::Sewn,
        Phase::Search,
        Phase::Keep,
        Phase::Finish,
    ];

    pub fn name(self) -> &'static str {
        match self {
            Phase::Air => "air",
            Phase::Predict => "predict",
            Phase::Coarse => "coarse",
            Phase::Membrane => "membrane",
            Phase::Bend => "bend",
            Phase::Yarn => "yarn",
            Phase::Sewn => "sewn",
            Phase::Search => "search",
            Phase::Keep => "keep",
            Phase::Finish => "finish",
        }
    }
}

/// Called around each piece of work, from the thread that does it.
pub trait Watch: Sync {
    fn during<R>(&self, phase: Phase, work: impl FnOnce() -> R) -> R;

    /// Bringing apart what a pairing of the island's contact has that is near, by its number.
    fn between<R>(&self, _pairing: usize, work: impl FnOnce() -> R) -> R {
        work()
    }

    /// Whether nobody waits for the frame any more. Asked between pieces of work that take well under a second.
    fn stopped(&self) -> bool {
        false
    }
}

/// Watches nothing and costs nothing.
pub struct NoWatch;

impl Watch for NoWatch {
    #[inline(always)]
    fn during<R>(&self, _: Phase, work: impl FnOnce() -> R) -> R {
        work()
    }
}
