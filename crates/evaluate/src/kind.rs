//! What is asked of a kind of body: one file each answers it.
use crate::{MeshLibrary, ShapeError, Shaped, Stage};
use nematon_document::{Body, Kind, Moment, Value};
use nematon_solver::Rest;

/// A kind of body, from a scene to what the solver takes.
pub(crate) trait Shapes {
    /// Where its points start, and what is found on it.
    ///
    /// # Errors
    /// When it can't be made of what the scene says.
    fn shape(&self, scene: &Stage, body: &Body, library: &dyn MeshLibrary) -> Result<Shaped, ShapeError>;

    /// What the solver is told of it before it moves, with numbers as they are at the `first` frame.
    fn rest(&self, body: &Body, shaped: &Shaped, first: &Moment) -> Rest;

    /// What of its matter may move; what it has none of is 0.
    fn matters(&self) -> Matters;

    /// How far it reaches about its points, metres.
    fn around(&self) -> f64;
}

/// Numbers of a matter that may move.
pub(crate) struct Matters {
    /// 1/s.
    pub damping: Value,
    pub drag: Value,
    pub lift: Value,
    pub friction: Value,
}

/// The only place that tells the kinds apart.
pub(crate) fn of(kind: &Kind) -> &dyn Shapes {
    match kind {
        Kind::Cloth(c) => c.as_ref(),
        Kind::Drift(d) => d.as_ref(),
        Kind::Strands(s) => s.as_ref(),
        Kind::Plants(p) => p.as_ref(),
    }
}
