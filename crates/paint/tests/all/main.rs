//! What brushes and combs do.
mod brush;
mod comb;
