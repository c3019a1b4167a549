//! What makes a cloth an inflatable: seams that join its panels, and chambers that hold a fill.
use nematon_motion::Value;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Two sides of panels sewn together, matched by their lengths: where one is longer it is gathered.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Seam {
    #[schemars(title = "Name", length(min = 1, max = 80))]
    pub name: String,
    #[schemars(title = "Sides")]
    pub of: [Side; 2],
    /// Frames over which it is pulled together; at 0 it is sewn from the start, and its sides must lie on each other.
    #[serde(default, skip_serializing_if = "is_zero")]
    #[schemars(title = "Closes over", range(min = 0, max = 10_000), extend("default" = 0.0, "unit" = "frames"))]
    pub closes: f64,
    /// Force for each metre of it and each metre that its threads are stretched; what is sewn from the start does not give at all.
    #[serde(default = "stiff", skip_serializing_if = "is_stiff")]
    #[schemars(title = "Stiffness", range(min = 1, max = 1e7), extend("default" = 1e5, "unit" = "N/m²", "seldom" = true))]
    pub stiffness: f64,
    /// How long its threads are once it is closed; below that it does not pull. With some it is sewn by threads.
    #[serde(default, skip_serializing_if = "is_zero")]
    #[schemars(title = "Slack", range(min = 0, max = 10), extend("default" = 0.0, "unit" = "m"))]
    pub slack: f64,
    /// Resistance to folding over it, for each metre of it; at 0 it folds freely.
    #[serde(default, skip_serializing_if = "is_zero")]
    #[schemars(title = "Crease", range(min = 0, max = 100), extend("default" = 0.0, "unit" = "N/rad"))]
    pub crease: f64,
    /// How much it holds; at 0 it is cut.
    #[serde(default = "whole", skip_serializing_if = "is_whole")]
    #[schemars(title = "Hold", range(min = 0, max = 1), extend("default" = 1.0))]
    pub hold: Value,
}

/// One side of a seam.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Side {
    /// Borders that go on where the one before ends.
    Borders(#[schemars(length(min = 1, max = 400))] Vec<String>),
    /// The points nearest to these places on the unplaced rest shape, one after the other, in metres.
    Row(
        #[schemars(length(min = 2, max = 20_000), inner(inner(range(min = -10_000, max = 10_000))))]
        Vec<[f64; 3]>,
    ),
}

impl Seam {
    /// One that is sewn from the start.
    pub fn of(name: &str, sides: [Vec<String>; 2]) -> Seam {
        let of = sides.map(Side::Borders);
        Seam {
            name: name.into(),
            of,
            closes: 0.0,
            stiffness: stiff(),
            slack: 0.0,
            crease: 0.0,
            hold: whole(),
        }
    }

    /// Whether it is sewn from the start and for good, so that its sides may be one.
    pub fn is_for_good(&self) -> bool {
        self.closes == 0.0 && self.slack == 0.0 && self.hold.is(1.0)
    }
}

/// A room that holds a fill.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Chamber {
    #[schemars(title = "Name", length(min = 1, max = 80))]
    pub name: String,
    /// The panels about it, whose front is outside; left out, all.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[schemars(title = "Panels", length(max = 400))]
    pub panels: Vec<String>,
    /// Panels about it whose front is inside: a wall between two chambers is that of one.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[schemars(title = "Panels that face in", length(max = 400))]
    pub turned: Vec<String>,
    #[schemars(title = "Fill")]
    pub fill: Fill,
    /// From this frame on the gas that is in it stays; left out, the fill is kept as it is set.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Sealed from", range(min = -100_000, max = 1_000_000), extend("unit" = "frames"))]
    pub closed: Option<i64>,
    /// Once it is closed: in so many seconds 63 % of what is above the pressure outside is out; 0 never.
    #[serde(default, skip_serializing_if = "is_zero")]
    #[schemars(title = "Leak time", range(min = 0, max = 1e6), extend("default" = 0.0, "unit" = "s"))]
    pub leak: f64,
    /// Once it is closed: a hole.
    #[serde(default, skip_serializing_if = "is_zero")]
    #[schemars(title = "Hole", range(min = 0, max = 10), extend("default" = 0.0, "unit" = "m²"))]
    pub hole: f64,
    /// Of what fills it, where it has the pressure outside: air 1.2, helium 0.17.
    #[serde(default = "air", skip_serializing_if = "is_air")]
    #[schemars(title = "Density of the fill", range(min = 0, max = 2000), extend("default" = 1.2, "unit" = "kg/m³"))]
    pub density: f64,
    /// Absolute pressure outside.
    #[serde(default = "outside", skip_serializing_if = "is_outside")]
    #[schemars(title = "Pressure outside", range(min = 1000, max = 1e7), extend("default" = 101_325.0, "unit" = "Pa", "seldom" = true))]
    pub outside: f64,
}

/// What is kept of a fill.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Fill {
    /// Above that outside; below 0 it draws in.
    Pressure(#[schemars(title = "Pressure", range(min = -50_000, max = 1e6), extend("unit" = "Pa"))] Value),
    /// As much gas as takes up so much room at the pressure outside.
    Volume(#[schemars(title = "Amount", range(min = 0, max = 1e5), extend("unit" = "m³"))] Value),
}

impl Chamber {
    pub fn of(name: &str, fill: Fill) -> Chamber {
        Chamber {
            name: name.into(),
            panels: vec![],
            turned: vec![],
            fill,
            closed: None,
            leak: 0.0,
            hole: 0.0,
            density: air(),
            outside: outside(),
        }
    }
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
fn is_zero(v: &f64) -> bool {
    *v == 0.0
}
fn stiff() -> f64 {
    1e5
}
#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
fn is_stiff(v: &f64) -> bool {
    *v == stiff()
}
fn whole() -> Value {
    1.0.into()
}
fn is_whole(v: &Value) -> bool {
    v.is(1.0)
}
fn air() -> f64 {
    1.2
}
#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
fn is_air(v: &f64) -> bool {
    *v == air()
}
fn outside() -> f64 {
    101_325.0
}
#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
fn is_outside(v: &f64) -> bool {
    *v == outside()
}
