//! The scene document: what the artist said. Serde types, their JSON Schema, validation that lists
//! every fault with its JSON path, edits as RFC 6902 patches with their inverses. No physics.
//!
//! Files hold SI units and radians. Limits, defaults, titles and units stand on the types and reach
//! the schema, so that messages, the interface and the command line all speak from one place.

mod body;
mod collider;
mod describe;
mod edit;
mod fibres;
mod field;
mod figure;
mod hanging;
mod ids;
mod kind;
mod look;
mod map;
mod migrate;
mod moving;
mod node;
mod presets;
mod removal;
mod scene;
mod sewn;
mod species;
mod validate;
mod weathers;

pub use body::*;
pub use collider::*;
pub use describe::{Change, changes, named, whose};
pub use edit::{EditError, MAX_DEPTH, MAX_DOCUMENT, MAX_OPERATIONS, apply, apply_old, inverse, same};
pub use fibres::{Fibre, fibres};
pub use field::*;
pub use figure::*;
pub use ids::{
    BodyId, CameraId, ChamberId, ChoiceId, ColliderId, FieldId, FigureId, GripId, HandleId, MapId, SeamId,
};
pub use kind::{
    Annuli, Ball, Bolster, BoxShape, Cloth, Clumps, Cushion, Disc, Discs, Drift, Elsewhere, Flies, Gores,
    Hairs, ImportedMesh, Kind, Layers, LeafMatter, Matter, MeshSource, Order, Outlet, Panel, Panels,
    PlantMesh, Plants, Ring, Shape, Shed, ShedRule, Sheds, Sheet, SkinOf, Source, Star, Strands, Thin, Tube,
    Warp, Wood,
};
pub use look::{Camera, Finish, Finishing, Surface};
pub use map::*;
pub use migrate::{migrate, version};
pub use moving::MOST_ON_EACH_OTHER;
pub use nematon_motion::{
    Beyond, Formula, FormulaError, Handle as KeyHandle, Key, Moment, Motion, Value, Way, stills,
};
pub use node::{Node, Parent};
pub use presets::{Preset, presets};
pub use removal::{Removal, removal};
pub use scene::*;
pub use sewn::*;
pub use species::{Shelved, species};
pub use validate::{Fault, parse, schema, validate};
pub use weathers::{Weather, weathers};
