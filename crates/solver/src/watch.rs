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

/// Told of each piece of work, on the thread that does it. An object, so that all who watch share one build of the core.
pub trait Watch: Sync {
    /// What time it is for whoever watches, in a unit of its own.
    fn now(&self) -> u64 {
        0
    }

    /// A piece of work of a phase is done, that began at some time.
    fn spent(&self, _phase: Phase, _since: u64) {}

    /// What a pairing of the island's contact has that is near was brought apart, from some time on; by its number.
    fn spent_between(&self, _pairing: usize, _since: u64) {}

    /// Whether nobody waits for the frame any more. Asked between pieces of work that take well under a second.
    fn stopped(&self) -> bool {
        false
    }
}

impl dyn Watch + '_ {
    pub(crate) fn during<R>(&self, phase: Phase, work: impl FnOnce() -> R) -> R {
        let since = self.now();
        let r = work();
        self.spent(phase, since);
        r
    }

    pub(crate) fn between<R>(&self, pairing: usize, work: impl FnOnce() -> R) -> R {
        let since = self.now();
        let r = work();
        self.spent_between(pairing, since);
        r
    }
}

/// Watches nothing and costs nothing.
pub struct NoWatch;

impl Watch for NoWatch {}
