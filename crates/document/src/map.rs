use crate::{MapId, MeshSource};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Weights from 0 to 1 on the points of a body.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Map {
    #[schemars(title = "Name", length(min = 1, max = 80))]
    pub name: String,
    #[schemars(title = "Weights")]
    pub weights: Weights,
}

/// Where a map's weights come from.
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
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Rest {
    #[schemars(title = "Rest shape")]
    pub shape: RestShape,
    /// What its lengths are multiplied by at some frames, straight ways between; left out, by 1.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[schemars(title = "Rest scale", length(max = 20_000))]
    pub scale: Vec<ScaleKey>,
    /// What its folds are multiplied by: 0 is flat, -1 folded the other way.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[schemars(title = "Rest bend", length(max = 20_000))]
    pub bend: Vec<BendKey>,
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

/// What lengths at rest are multiplied by at a frame.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ScaleKey {
    #[schemars(title = "Frame", range(min = -100_000, max = 1_000_000))]
    pub frame: i64,
    #[schemars(title = "Scale", range(min = 0.05, max = 20))]
    pub value: f64,
}

/// What folds at rest are multiplied by at a frame.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct BendKey {
    #[schemars(title = "Frame", range(min = -100_000, max = 1_000_000))]
    pub frame: i64,
    #[schemars(title = "Bend", range(min = -20, max = 20))]
    pub value: f64,
}

/// A number at a moment, in frames, by its values at some frames; 1 where there are none.
pub fn number_at(keys: impl IntoIterator<Item = (i64, f64)>, frame: f64) -> f64 {
    let mut before: Option<(i64, f64)> = None;
    for (at, value) in keys {
        if at as f64 > frame {
            let Some((from, start)) = before else { return value };
            return start + (value - start) * (frame - from as f64) / (at - from) as f64;
        }
        before = Some((at, value));
    }
    before.map_or(1.0, |b| b.1)
}

#[cfg(test)]
mod tests {
    use super::number_at;

    #[test]
    fn a_number_goes_straight_from_key_to_key_and_stays_at_the_ends() {
        let keys = [(10, 1.0), (20, 3.0), (21, 0.0)];
        for (frame, value) in [(0.0, 1.0), (10.0, 1.0), (12.5, 1.5), (20.0, 3.0), (20.5, 1.5), (30.0, 0.0)] {
            assert_eq!(number_at(keys, frame), value, "{frame}");
        }
        assert_eq!(number_at([], 5.0), 1.0);
    }
}
