//! From a shape and its matter to points and constraints.
mod cloth;
mod hinges;
mod rigidity;
mod yarns;

pub(crate) use cloth::Work;
pub use cloth::{BuildError, Cloth};
