use crate::{MapId, MeshSource};
use nematon_motion::Value;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Weights from 0 to 1 on the points of a body: its layers, each laid over those before.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Map {
    #[schemars(title = "Name", length(min = 1, max = 80))]
    pub name: String,
    #[schemars(title = "Layers", length(min = 1, max = 40))]
    pub layers: Vec<Layer>,
}

/// A layer of a map.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Layer {
    #[schemars(title = "Weights")]
    pub weights: Weights,
    #[serde(default, skip_serializing_if = "Blend::is_over")]
    #[schemars(title = "Laid on by")]
    pub blend: Blend,
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    #[schemars(title = "Inverted")]
    pub invert: bool,
}

/// How a layer is laid over those before; the first is laid over nothing, 0.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Blend {
    /// Stands in their place.
    #[default]
    Over,
    Add,
    Multiply,
    /// The larger of the two.
    Most,
    Least,
}

impl Blend {
    fn is_over(&self) -> bool {
        *self == Blend::Over
    }
    /// A weight laid over another, 0 to 1.
    pub fn lay(self, under: f64, own: f64) -> f64 {
        match self {
            Blend::Over => own,
            Blend::Add => (under + own).min(1.0),
            Blend::Multiply => under * own,
            Blend::Most => under.max(own),
            Blend::Least => under.min(own),
        }
    }
}

/// Where a layer's weights come from.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Weights {
    Ramp(Ramp),
    Border(NearBorder),
    /// Path of a CSV file, relative to the scene file: one weight a line, in the order of the points.
    File(String),
}

/// From 0 at one place to 1 at another, along an axis of the shape before it is placed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Ramp {
    #[schemars(title = "Along")]
    pub along: Axis,
    /// Where the weight is 0: metres, or a share of the UVs.
    #[schemars(title = "Nothing at", range(min = -10_000, max = 10_000))]
    pub from: f64,
    /// Where it is 1.
    #[schemars(title = "All at", range(min = -10_000, max = 10_000))]
    pub to: f64,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Axis {
    U,
    V,
    X,
    Y,
    Z,
}

/// From 1 on a border to 0 at a distance from it, straight through the shape before it is placed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NearBorder {
    #[schemars(title = "Border")]
    pub border: String,
    #[schemars(title = "Reach", range(min = 0.0001, max = 1000), extend("unit" = "m"))]
    pub reach: f64,
}

/// A number of the matter that a map can scale.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Scaled {
    ArealWeight,
    /// Along warp and weft.
    Stretch,
    Shear,
    /// Across warp and weft.
    Bend,
    Damping,
    Thickness,
    Friction,
    Drag,
    Lift,
}

/// How a map scales a number.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ScaledBy {
    #[schemars(title = "Map")]
    pub map: MapId,
    /// What the number is multiplied by where the weight is 0.
    #[schemars(title = "Where 0", range(min = 0, max = 1000))]
    #[serde(default)]
    pub least: f64,
    /// And where it is 1; between, in proportion.
    #[schemars(title = "Where 1", range(min = 0, max = 1000))]
    #[serde(default = "one")]
    pub most: f64,
}

fn one() -> f64 {
    1.0
}

/// The shape that a body wants to come back to.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Rest {
    #[schemars(title = "Rest shape")]
    pub shape: RestShape,
    /// What its lengths are multiplied by.
    #[serde(skip_serializing_if = "is_one")]
    #[schemars(title = "Rest scale", range(min = 0.05, max = 20))]
    pub scale: Value,
    /// What its folds are multiplied by: 0 is flat, -1 folded the other way.
    #[serde(skip_serializing_if = "is_one")]
    #[schemars(title = "Rest bend", range(min = -20, max = 20))]
    pub bend: Value,
}

fn is_one(v: &Value) -> bool {
    v.is(1.0)
}

impl Default for Rest {
    fn default() -> Self {
        Rest { shape: RestShape::default(), scale: 1.0.into(), bend: 1.0.into() }
    }
}

/// Where lengths and folds at rest come from.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum RestShape {
    /// The shape that it starts in.
    #[default]
    Start,
    /// The lengths that it starts with, and no folds.
    Flat,
    /// Another mesh with the same points and triangles.
    Mesh(MeshSource),
}
