//! Meshes before any motion: generators, borders, checks, refinement, density. Pure; metres.

mod along;
mod area;
mod borders;
mod check;
mod clean;
mod closest;
mod density;
pub mod fill;
mod finish;
mod hairs;
mod layers;
pub mod material;
mod mesh;
mod net;
mod outline;
mod panel;
mod place;
mod plant;
mod refine;
mod row;
mod scatter;
mod sew;
pub mod shape;
mod sides;
mod source;
mod subdivide;

pub use along::{About, From, Surface, Walk};
pub use area::{Area, ByX, area_of, points_in};
pub use borders::{find_borders, nearest, nearest_of};
pub use check::{MeshFault, check, face_alike};
pub use clean::{Untidy, clean, in_metres, join_near};
pub use closest::nearest_shares;
pub use density::{Density, EDGES_ACROSS, density};
pub use finish::{Finish, Finishing, Finishings, Step};
pub use hairs::{Bundle, Hair, HairLook, Near, between};
pub use layers::layers;
pub use mesh::{Border, Corner, Face, Mesh};
pub use outline::{OutlineError, flat_outline, piece};
pub use panel::{lay_apart, panels, pieces};
pub use place::{place, turn_matrix};
pub use plant::{
    Bone, Bones, Branches, Grown, Heads, Leaves, Limbs, Modelled, NoPlant, Part, Placed, Silhouette, Skin,
    Species, Stem, What, modelled, silhouette_of, tubes, turns,
};
pub use refine::refine;
pub use row::row;
pub use scatter::{On, Weigh, fill_closed, is_inside, scatter, strew, thinned};
pub use sew::{SewError, Sewn, SewnRow, Stitch, caps, joined, sew};
pub use shape::{ball, block, disc, ring, sheet, tube};
pub use sides::split_sides;
pub use source::{Elsewhere, ImportedMesh, MeshSource, SkinOf};
pub use subdivide::{Rows, subdivide};
