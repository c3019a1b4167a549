//! Meshes before any motion: generators, borders, checks, refinement, density. Pure; metres.

mod area;
mod borders;
mod check;
mod clean;
mod density;
pub mod material;
mod mesh;
mod place;
mod refine;
mod sheet;
mod solids;

pub use area::{Area, area_of, points_in};
pub use borders::{find_borders, nearest};
pub use check::{MeshFault, check, face_alike};
pub use clean::{Untidy, clean, in_metres};
pub use density::{Density, EDGES_ACROSS, density};
pub use mesh::{Border, Corner, Face, Mesh};
pub use place::{place, turn_matrix};
pub use refine::refine;
pub use sheet::sheet;
pub use solids::{ball, block, disc, layers, ring, tube};
