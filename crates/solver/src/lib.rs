//! The core: how bodies move. No input or output, no async, no document, no clock, no globals.
//!
//! Units are SI. Every result is the same bits on any number of threads: work is divided by the mesh
//! (a tree of nested parts), never by who does it, and sums run in the order of the parts.

mod air;
mod body;
mod carriage;
mod contact;
mod couple;
mod damping;
mod exploded;
mod inputs;
mod leap;
mod load;
mod measure;
mod model;
mod parts;
mod pull;
mod race;
mod shed;
mod simd;
mod snags;
mod state;
mod step;
mod trace;
mod watch;

pub use body::{Body, BuildError};
pub use contact::{Contact, ContactError, Pairing, Rules, With};
pub use exploded::{Cause, Exploded};
pub use inputs::{
    Born, ChamberRest, ClothRest, ClumpRest, ColliderMotion, ColliderRest, Comes, Comings, Draws, FillBy,
    FillNow, Flier, FliesRest, Floor, Folds, FrameInputs, FreeRest, FrictionNow, Gas, GripMotion, Holder,
    Maps, Matter, MatterNow, Places, Pose, Pull, Rest, RestMotion, Scaled, SeamNow, SeamRest, ShedNow,
    ShedRest, Skin, Solid, StitchRest, StrandRest, Tie, TieNow, TieSpot, Turns, Way, Weathered,
};
pub use leap::LEAP_SPEED;
pub use measure::{Energy, Strain};
pub use snags::{Fault, INSIDE, OVERSTRETCH, POP, Snag, snags};
pub use state::{SnapshotError, State};
pub use step::{Halt, step, step_traced};
pub use trace::{Impulses, Trace};
pub use watch::{NoWatch, Phase, Watch};

/// Changes whenever the same inputs may give other bits. Part of every fingerprint.
pub const VERSION: u32 = 11;
/// Density of the air, kg/m³ (at 20 °C and sea level).
pub const AIR_DENSITY: f32 = 1.2;
