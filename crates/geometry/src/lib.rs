//! Meshes before any motion: generators, borders, checks, refinement, density. Pure; metres.

mod along;
mod area;
mod borders;
mod check;
mod clean;
mod closest;
mod density;
pub mod fill;
mod layers;
pub mod material;
mod mesh;
mod place;
mod refine;
mod row;
pub mod shape;
mod source;

pub use along::{About, From, Surface, Walk};
pub use area::{Area, ByX, area_of, points_in};
pub use borders::{find_borders, nearest};
pub use check::{MeshFault, check, face_alike};
pub use clean::{Untidy, clean, in_metres};
pub use closest::nearest_shares;
pub use density::{Density, EDGES_ACROSS, density};
pub use layers::layers;
pub use mesh::{Border, Corner, Face, Mesh};
pub use place::{place, turn_matrix};
pub use refine::refine;
pub use row::row;
pub use shape::{ball, block, disc, ring, sheet, tube};
pub use source::{Elsewhere, ImportedMesh, MeshSource, SkinOf};
