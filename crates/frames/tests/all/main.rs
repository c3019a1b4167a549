//! What is promised of frames that are kept.
#![allow(clippy::unwrap_used)]
mod any;
mod promises;
