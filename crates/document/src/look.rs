//! How things look and from where they are looked at. No frame follows from any of it.
use crate::{MapId, Node};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What a thing that is not computed looks to be made of.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Surface {
    /// Planks and rails: streaked along.
    Wood,
    /// Soft, without a shine.
    Felt,
    /// Smooth, with a shine.
    Horn,
    /// Grained and cold.
    Stone,
    /// Grass and heather.
    Turf,
}

/// What is done to a computed surface to look finished.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Finishing {
    /// Evened out.
    Even,
    /// Smoothed by subdivision.
    Smooth,
    /// As thick as it is.
    Thick,
}

impl Finishing {
    pub const ALL: [Finishing; 3] = [Finishing::Even, Finishing::Smooth, Finishing::Thick];
}

/// How a computed surface is finished: where it is seen and handed over, and never where it is computed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Finish {
    #[schemars(title = "Finished")]
    pub on: bool,
    /// How many times it is smoothed by subdivision: each time four triangles for one.
    #[schemars(title = "Smoothed", range(min = 0, max = 3))]
    pub smooth: u32,
    /// Between its two sides, with a rim along its borders; 0 leaves it a surface. Where it lies on itself it is as thick as there is room.
    #[schemars(title = "Thick", range(min = 0, max = 0.5), extend("unit" = "m"))]
    pub thickness: f64,
    /// How many rounds of evening out it has: what is rough from point to point goes, what is large stays.
    #[schemars(title = "Evened out", range(min = 0, max = 40))]
    #[serde(skip_serializing_if = "is_none_of_it")]
    pub even: u32,
    /// Over how many frames before and after each it is evened out in time; 0 leaves each as it is.
    #[schemars(title = "Evened in time", range(min = 0, max = 12), extend("unit" = "frames"))]
    #[serde(skip_serializing_if = "is_none_of_it")]
    pub steady: u32,
    /// Edges whose faces at rest stand at more than that to each other stay sharp.
    #[schemars(title = "Creases from", range(min = 0.1, max = 3.15), extend("unit" = "rad"))]
    #[serde(skip_serializing_if = "is_a_crease")]
    pub crease: f64,
    /// What is done after what, each once.
    #[schemars(title = "Order", length(min = 3, max = 3))]
    #[serde(skip_serializing_if = "is_in_order")]
    pub order: [Finishing; 3],
    /// The map that tells how much of the thickness there is.
    #[schemars(title = "Thick by")]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub by: Option<MapId>,
    /// The map that leaves out what of it is over a half.
    #[schemars(title = "Left out by")]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub hides: Option<MapId>,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
fn is_none_of_it(n: &u32) -> bool {
    *n == 0
}

/// An edge is a crease from 60 degrees on.
const CREASE: f64 = std::f64::consts::FRAC_PI_3;

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
fn is_a_crease(v: &f64) -> bool {
    *v == CREASE
}

fn is_in_order(order: &[Finishing; 3]) -> bool {
    *order == Finishing::ALL
}

impl Default for Finish {
    fn default() -> Self {
        Finish {
            on: true,
            smooth: 1,
            thickness: 0.0,
            even: 0,
            steady: 0,
            crease: CREASE,
            order: Finishing::ALL,
            by: None,
            hides: None,
        }
    }
}

/// Somewhere to look from. It looks along its own -z, with y up.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Camera {
    #[schemars(title = "Name", length(min = 1, max = 80))]
    pub name: String,
    #[serde(default)]
    #[schemars(title = "Place")]
    pub place: Node,
    /// From the lower to the upper edge of the picture.
    #[serde(default = "angle", skip_serializing_if = "is_angle")]
    #[schemars(title = "Angle of view", range(min = 0.02, max = 2.6), extend("unit" = "rad", "default" = 0.6))]
    pub angle: f64,
    /// The frame that is on screen where the project is opened for the first time with this camera.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Opens at frame", range(min = -100_000, max = 1_000_000))]
    pub opens: Option<i64>,
}

fn angle() -> f64 {
    0.6
}
#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
fn is_angle(v: &f64) -> bool {
    *v == 0.6
}

impl Camera {
    /// One at a place that looks at another, both in the world.
    pub fn looking(name: &str, from: [f64; 3], at: [f64; 3]) -> Camera {
        let way = [0, 1, 2].map(|k| at[k] - from[k]);
        let flat = (way[0] * way[0] + way[2] * way[2]).sqrt();
        // Turned up or down about x first, then about y.
        let tidy = |v: f64| (v * 1e4).round() / 1e4;
        let turn = [tidy(way[1].atan2(flat)), tidy((-way[0]).atan2(-way[2])), 0.0];
        Camera { name: name.to_owned(), place: Node::still(from, turn), angle: angle(), opens: None }
    }
}
