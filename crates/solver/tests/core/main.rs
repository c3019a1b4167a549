//! What the core promises, as physics. One harness, a file a subject.
#![allow(clippy::unwrap_used)]
mod air;
mod bending;
mod brute;
mod cantilever;
mod contact;
mod determinism;
mod faults;
mod free;
mod frequency;
mod harness;
mod leap;
mod matter;
mod membrane;
mod motion;
mod plants;
mod pull;
mod rods;
mod rules;
mod sewn;
mod shapes;
mod snags;
mod taut;
mod wind;
