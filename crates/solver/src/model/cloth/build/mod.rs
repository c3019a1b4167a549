//! From a shape and its matter to points and constraints.
pub mod cells;
pub mod hinges;
pub mod nodes;
pub mod patches;
pub mod plate;
pub mod rigidity;
pub mod yarns;

use super::area;
