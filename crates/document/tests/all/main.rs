//! What a scene document promises.
#![allow(clippy::unwrap_used)]
mod edits;
mod maps;
mod numbers;
mod promises;
mod removal;
mod shelf;
