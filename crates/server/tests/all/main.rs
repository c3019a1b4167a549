//! What the server promises.
#![allow(clippy::unwrap_used)]
mod packing;
mod promises;
