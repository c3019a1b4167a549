//! What is promised of files.
#![allow(clippy::unwrap_used)]
mod broken;
mod curves;
mod figure;
mod foreign;
mod maps;
mod moving_gltf;
mod paint;
mod promises;
mod there_and_back;
