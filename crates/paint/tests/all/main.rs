//! What brushes and combs do.
#![allow(clippy::unwrap_used)]
mod brush;
mod comb;
