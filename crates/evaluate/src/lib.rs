//! From a document and a frame to the plain arrays that the solver takes: the only place that knows
//! both sides. Also the fingerprints by which a frame is known to be true.

mod air;
mod fingerprint;
mod inputs;
mod run;
mod shape;

pub use air::air_at;
pub use fingerprint::{Fingerprint, fingerprints};
pub use inputs::frame_inputs;
pub use run::{Run, RunError};
pub use shape::{MeshLibrary, NoMeshes, ShapeError, Shaped, chosen, cloth_rest, shape};
