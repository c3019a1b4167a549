//! What is promised of the way from a document to frames.
#![allow(clippy::unwrap_used)]
mod anything;
mod coming;
mod drift;
mod feel;
mod fields;
mod figures;
mod filled;
mod hand;
mod looped;
mod maps;
mod numbers;
mod places;
mod plants;
mod promises;
mod quality;
mod rehearse;
mod settle;
mod sewn;
mod strands;
mod trials;
