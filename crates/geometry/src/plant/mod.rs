//! Plants: by the numbers of a species, or as a mesh was modelled; and the skins that go along with either.
mod found;
mod limbs;
mod modelled;
mod species;
mod tubes;

pub use limbs::{Limbs, Placed, Skin, turns};
pub use modelled::{Bone, Bones, Modelled, NoPlant, What, modelled};
pub use species::{Branches, Grown, Heads, Leaves, Part, Silhouette, Species, Stem, silhouette_of};
pub use tubes::tubes;
