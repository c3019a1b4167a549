use crate::{BodyId, HandleId, Node, Surface, Value};
pub use nematon_solid::{
    BallForm, BoxForm, CapsuleForm, FigureForm, Form, HullForm, MeshForm, PlaneForm, ShapeKey,
};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Most points in the mesh of one collider.
pub const MAX_COLLIDER_POINTS: usize = 100_000;

/// Something that bodies are kept out of.
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
    pub friction: Value,
    /// Whoever is in a group that is set apart from this one passes through.
    #[serde(default = "solid_group")]
    #[schemars(title = "Group", length(min = 1, max = 40))]
    pub group: String,
    /// What it looks to be made of. A look: no frame follows from it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Surface")]
    pub surface: Option<Surface>,
}

impl Collider {
    /// One of a form that nothing else is said of, at the origin.
    pub fn of(name: &str, form: Form) -> Collider {
        Collider {
            name: name.to_owned(),
            on: true,
            form,
            place: Node::default(),
            hollow: false,
            thickness: thickness(),
            friction: friction(),
            group: solid_group(),
            surface: None,
        }
    }
}

fn thickness() -> f64 {
    0.002
}
fn friction() -> Value {
    Value::Still(0.4)
}
fn solid_group() -> String {
    "solid".into()
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

/// What a grip holds its points to: where they stand in the world at rest, a handle, or a surface.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum HeldTo {
    #[default]
    World,
    Handle(HandleId),
    /// Each point to the spot of a figure's surface that is nearest to it at the first
    /// frame.
    Figure(FigureForm),
    /// Each point to the spot of another body that is nearest to it at the first frame: they carry each other.
    Body(BodyId),
}
