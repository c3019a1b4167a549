//! What is promised of the way from a document to frames.
#![allow(clippy::unwrap_used)]
// What is told nobody outside is tested as it stands.
#[allow(dead_code)]
#[path = "../../src/promise.rs"]
mod promise;
#[allow(dead_code)]
#[path = "../../src/readout.rs"]
mod readout;

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
mod outgoing;
mod places;
mod plants;
mod promises;
mod quality;
mod rehearse;
mod settle;
mod sewn;
mod strands;
mod trials;
