use crate::{HandleId, MeshSource, Node};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Most points in the mesh of one collider.
pub const MAX_COLLIDER_POINTS: usize = 100_000;

/// Something that cloth is kept out of.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Collider {
    #[schemars(title = "Name", length(min = 1, max = 80))]
    pub name: String,
    #[schemars(title = "On")]
    #[serde(default = "crate::body::on")]
    pub on: bool,
    #[schemars(title = "Form")]
    pub form: Form,
    #[serde(default)]
    #[schemars(title = "Place")]
    pub place: Node,
    /// Which side is out: off, cloth is kept outside; on, within. Planes and meshes have no such choice.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    #[schemars(title = "Keeps cloth inside")]
    pub hollow: bool,
    /// Kept around it, beside half the cloth's own.
    #[serde(default = "thickness")]
    #[schemars(title = "Thickness", range(min = 0.00001, max = 0.5), extend("unit" = "m"))]
    pub thickness: f64,
    /// Coulomb friction; the larger of collider and matter acts.
    #[serde(default = "friction")]
    #[schemars(title = "Friction", range(min = 0, max = 4))]
    pub friction: f64,
    /// Whoever is in a group that is set apart from this one passes through.
    #[serde(default = "solid_group")]
    #[schemars(title = "Group", length(min = 1, max = 40))]
    pub group: String,
}

fn thickness() -> f64 {
    0.002
}
fn friction() -> f64 {
    0.4
}
fn solid_group() -> String {
    "solid".into()
}

/// What a collider is like, about its own origin.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Form {
    /// Everything below its level.
    Plane {},
    Ball(BallForm),
    Capsule(CapsuleForm),
    Box(BoxForm),
    /// The convex hull of a mesh's points.
    Hull(HullForm),
    /// The triangles of a mesh, from both sides.
    Mesh(MeshForm),
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct BallForm {
    #[schemars(title = "Radius", range(min = 0.001, max = 100), extend("unit" = "m"))]
    pub radius: f64,
}

/// Upright; the length is between the middles of its ends.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CapsuleForm {
    #[schemars(title = "Radius", range(min = 0.001, max = 100), extend("unit" = "m"))]
    pub radius: f64,
    #[schemars(title = "Length", range(min = 0, max = 100), extend("unit" = "m"))]
    pub length: f64,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct BoxForm {
    #[schemars(title = "Size", inner(range(min = 0.001, max = 200)), extend("unit" = "m"))]
    pub size: [f64; 3],
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct HullForm {
    #[schemars(title = "From")]
    pub from: MeshSource,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct MeshForm {
    #[schemars(title = "From")]
    pub from: MeshSource,
    /// Other shapes of the same points that it has at some frames, straight ways between.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[schemars(title = "Shapes", length(max = 2000))]
    pub shapes: Vec<ShapeKey>,
}

/// The shape of a mesh at a frame.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ShapeKey {
    #[schemars(title = "Frame", range(min = -100_000, max = 1_000_000))]
    pub frame: i64,
    #[schemars(title = "From")]
    pub from: MeshSource,
}

/// A thing that grips can be held to, and that moves.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Handle {
    #[schemars(title = "Name", length(min = 1, max = 80))]
    pub name: String,
    #[serde(default)]
    #[schemars(title = "Place")]
    pub place: Node,
}

/// What a body touches beside colliders and the floor.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Touch {
    /// Keeps the body from going through itself.
    #[schemars(title = "Touches itself")]
    pub itself: bool,
    /// Keeps it and others that are set so apart.
    #[schemars(title = "Touches other bodies")]
    pub others: bool,
    /// Whoever is in a group that is set apart from this one passes through.
    #[schemars(title = "Group", length(min = 1, max = 40))]
    pub group: String,
}

impl Default for Touch {
    fn default() -> Self {
        Touch { itself: false, others: false, group: "cloth".into() }
    }
}

/// What a grip holds its points to: where they stand in the world at rest, or a handle.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum HeldTo {
    #[default]
    World,
    Handle(HandleId),
}
