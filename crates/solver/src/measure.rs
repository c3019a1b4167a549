//! What a state amounts to: strain and energy, for reports and tests.

/// Relative change of length along the threads, over all triangles, weighed by area.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Strain {
    /// Mean along warp and weft; above 0 is stretched.
    pub mean: [f64; 2],
    /// Largest along either.
    pub largest: f64,
}

/// Joules.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Energy {
    pub kinetic: f64,
    /// Of gravity, from height 0.
    pub height: f64,
    pub membrane: f64,
    pub bend: f64,
}

impl Energy {
    pub fn total(&self) -> f64 {
        self.kinetic + self.height + self.membrane + self.bend
    }
}
