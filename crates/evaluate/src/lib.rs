//! From a document and a frame to the plain arrays that the solver takes: the only place that knows
//! both sides. Also the fingerprints by which a frame is known to be true.

mod air;
mod around;
mod collide;
mod drift;
mod feel;
mod fingerprint;
mod inputs;
mod maps;
mod matters;
mod outline;
mod report;
mod resolve;
mod rest;
mod run;
mod set_down;
mod sewn;
mod shape;
mod source;
mod stage;
mod stand_ins;
mod stopwatch;
mod tied;
mod weather;
mod why;

pub use air::air_at;
pub use collide::{ColliderError, ColliderSkin, skin};
pub use feel::{Feel, droop, feel, swing};
pub use fingerprint::Fingerprint;
pub use inputs::frame_inputs;
pub use maps::{Dyed, Ground, Rows, fits};
pub use nematon_air::Bead;
pub use nematon_solid::hull_fault;
pub use nematon_solver::Pose;
pub use outline::{Drawn, outlines};
pub use report::{Cost, FrameSnag, Touched, Touches};
pub use resolve::{Resolved, place_on, pose_at, resolve};
pub use run::{Member, Run, RunError, Split, earlier_fingerprints, fingerprints};
pub use set_down::{Thing, set_down};
pub use sewn::{Filled, FilledChamber, Sewn, filled, freeze, still, volume};
pub use shape::begins;
pub use shape::{MeshLibrary, NoMeshes, ShapeError, Shaped, body_rest, chosen, shape, shape_to_see};
pub use stage::{NoPlace, Playing, Stage};
pub use stand_ins::{skin_cost, stand_in_cost, stand_ins, turns};
pub use stopwatch::Stopwatch;
pub use why::{Asked, Of, Share, Why, why};
