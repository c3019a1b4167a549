//! From a shape and its matter to points and constraints.
mod cells;
mod cloth;
mod hinges;
mod nodes;
mod patches;
mod plate;
mod rigidity;
mod yarns;

pub use cloth::{BuildError, Cloth};
pub(crate) use cloth::{Work, area};
