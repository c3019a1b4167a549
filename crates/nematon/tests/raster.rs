//! What draws pictures is tested as it stands.
#![allow(dead_code, clippy::unwrap_used)]
#[path = "../src/picture/raster.rs"]
mod raster;
