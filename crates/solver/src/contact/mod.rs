//! What bodies touch. So far: a level floor.
pub mod floor;
