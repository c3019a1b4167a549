use crate::{
    ChoiceId, GripId, HeldTo, Kind, Layer, Map, MapId, MeshSource, Node, Scaled, ScaledBy, Shape, SkinOf,
    Touch,
};
use indexmap::IndexMap;
use nematon_motion::Value;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Something simulated: what all have, and what its kind has of its own.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Body {
    #[schemars(title = "Name", length(min = 1, max = 80))]
    pub name: String,
    /// Left out, it is undyed linen.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Dye")]
    pub dye: Option<Dye>,
    /// What it is seen with in place of a dye: a PNG or JPEG laid on by the UVs, on both sides, repeated beyond its edges.
    /// Says nothing about how it moves.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Picture")]
    pub picture: Option<MeshSource>,
    #[schemars(title = "Kind")]
    pub kind: Kind,
    /// Where it starts.
    #[serde(default)]
    #[schemars(title = "Place")]
    pub place: Node,
    #[serde(default)]
    #[schemars(title = "Grips")]
    pub grips: IndexMap<GripId, Grip>,
    /// Points that are kept by a name; they say nothing about how it moves.
    #[serde(default, skip_serializing_if = "IndexMap::is_empty")]
    #[schemars(title = "Choices")]
    pub choices: IndexMap<ChoiceId, Kept>,
    #[serde(default)]
    #[schemars(title = "Contact")]
    pub touch: Touch,
    #[serde(default, skip_serializing_if = "IndexMap::is_empty")]
    #[schemars(title = "Maps")]
    pub maps: IndexMap<MapId, Map>,
    /// How strongly its points are drawn to where its rest shape would be, on what it stands on; left out, not at all.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Follow", range(min = 0, max = 1e7), extend("unit" = "1/s²"))]
    pub follow: Option<Value>,
    /// What weighs on it is multiplied by this.
    #[serde(default = "whole", skip_serializing_if = "is_whole")]
    #[schemars(title = "Gravity times", range(min = -10, max = 10), extend("default" = 1.0))]
    pub gravity: Value,
    /// Of the air about it; 1.2 at sea level, 1000 in water. What drag and lift give is in proportion.
    #[serde(default = "air", skip_serializing_if = "is_air")]
    #[schemars(title = "Air density", range(min = 0, max = 1200), extend("default" = 1.2, "unit" = "kg/m³"))]
    pub air_density: Value,
    /// How fast still air takes its speed, beside what drag takes: what hangs on something that moves lags behind.
    #[serde(default, skip_serializing_if = "is_nothing")]
    #[schemars(title = "Slowed by still air", range(min = 0, max = 1000), extend("default" = 0.0, "unit" = "1/s"))]
    pub still_air: Value,
    /// Which numbers of the matter change from point to point, and how.
    #[serde(default, skip_serializing_if = "IndexMap::is_empty")]
    #[schemars(title = "Scaled by maps")]
    pub scaled: IndexMap<Scaled, ScaledBy>,
    /// How a cloth is finished where it is seen and handed over; left out, it is as it was computed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Finishing")]
    pub finish: Option<crate::Finish>,
}

impl Body {
    /// One of a kind that nothing else is said of.
    pub fn of(name: &str, kind: Kind) -> Body {
        Body {
            name: name.to_owned(),
            dye: None,
            picture: None,
            kind,
            place: Node::default(),
            grips: IndexMap::new(),
            choices: IndexMap::new(),
            touch: Touch::default(),
            maps: IndexMap::new(),
            follow: None,
            gravity: whole(),
            air_density: air(),
            still_air: Value::default(),
            scaled: IndexMap::new(),
            finish: None,
        }
    }

    /// The figure whose skin it is cut from, where it is.
    pub fn skin(&self) -> Option<&SkinOf> {
        match &self.kind.cloth()?.shape {
            Shape::Figure(s) => Some(s),
            _ => None,
        }
    }

    /// All layers of its maps, with the key of the map and the place in it.
    pub fn layers(&self) -> impl Iterator<Item = (&MapId, usize, &Layer)> {
        self.maps.iter().flat_map(|(id, m)| m.layers.iter().enumerate().map(move |(k, l)| (id, k, l)))
    }
}

/// A set of points, kept by a name.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Kept {
    #[schemars(title = "Name", length(min = 1, max = 80))]
    pub name: String,
    #[schemars(title = "Points", length(min = 1, max = 200))]
    pub points: Vec<Choice>,
}

/// A set of points, held.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Grip {
    #[schemars(title = "Name", length(min = 1, max = 80))]
    pub name: String,
    #[schemars(title = "On")]
    #[serde(default = "on")]
    pub on: bool,
    /// The points are those of all the choices together; with none and a map, all where that is not 0.
    #[schemars(title = "Points", length(max = 200))]
    pub points: Vec<Choice>,
    #[serde(default)]
    #[schemars(title = "Held to")]
    pub to: HeldTo,
    /// How much it holds: 0 lets go.
    #[serde(default = "whole", skip_serializing_if = "is_whole")]
    #[schemars(title = "Hold", range(min = 0, max = 1), extend("default" = 1.0))]
    pub hold: Value,
    /// How firmly it holds each point: `hold` times the weight. Left out, all alike.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "By the map")]
    pub map: Option<MapId>,
    /// Left out, the points are where they belong; with it each hangs there by a spring.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Spring", range(min = 0.001, max = 1e6), extend("unit" = "N/m"))]
    pub spring: Option<f64>,
}

impl Grip {
    /// One that holds points to the world.
    pub fn of(name: &str, points: Vec<Choice>) -> Grip {
        let (name, to) = (name.to_owned(), HeldTo::World);
        Grip { name, on: true, points, to, hold: whole(), map: None, spring: None }
    }

    /// Whether it only pulls: by a spring, or by a hold that is not whole all the time.
    pub fn pulls(&self) -> bool {
        self.spring.is_some() || !is_whole(&self.hold)
    }
}

fn air() -> Value {
    1.2.into()
}
fn is_air(v: &Value) -> bool {
    v.is(1.2)
}
fn is_nothing(v: &Value) -> bool {
    v.is(0.0)
}
fn whole() -> Value {
    1.0.into()
}
fn is_whole(v: &Value) -> bool {
    v.is(1.0)
}

pub(crate) fn on() -> bool {
    true
}

/// A way of choosing points that outlives a change of density.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase", deny_unknown_fields)]
pub enum Choice {
    /// Points along a named border, its ends included.
    Border { border: String, by: Along },
    /// A named corner.
    Corner(String),
    /// The points nearest to these places on the unplaced rest shape, in metres.
    Near(
        #[schemars(length(min = 1, max = 20_000), inner(inner(range(min = -10_000, max = 10_000))))]
        Vec<[f64; 3]>,
    ),
    /// A part of the rest shape, whatever points lie in it.
    Area(Area),
}

/// A part of a rest shape, as an area of its material: it rides with the shape's size and density.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Area {
    /// In fractions of the unplaced rest shape's box, 0 to 1 along each axis.
    #[schemars(length(min = 1, max = 60_000), inner(inner(range(min = 0, max = 1))))]
    pub spots: Vec<[f64; 3]>,
    /// Three spots each, by their number: everything within them.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[schemars(length(max = 120_000))]
    pub triangles: Vec<[u32; 3]>,
    /// Two spots each: everything along them. Spots of no triangle and no edge are the points nearest to them.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[schemars(length(max = 120_000))]
    pub edges: Vec<[u32; 2]>,
}

/// The colour that a thing is shown in; says nothing about how it moves.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Dye {
    Linen,
    Madder,
    Weld,
    Woad,
    Moss,
    Plum,
    Rust,
}

/// Which of the points along a border.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase", deny_unknown_fields)]
pub enum Along {
    All,
    /// So many eyelets, evenly spaced from end to end.
    Eyelets(#[schemars(title = "Eyelets", range(min = 2, max = 2000))] u32),
    /// Every n-th point, from the border's start.
    Every(#[schemars(title = "Every", range(min = 1, max = 2000))] u32),
}
