//! What is promised of meshes at rest.
#![allow(clippy::unwrap_used)]
mod promises;
mod solids;
