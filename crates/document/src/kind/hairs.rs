use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Strands tied together by springs, each to the middle of its clump.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Clumps {
    /// How many there are: each strand is of the one whose middle its root is nearest to.
    #[schemars(title = "Clumps", range(min = 1, max = 10_000))]
    pub count: u32,
    /// What a metre of a strand pulls back with for each metre that it is off where it is tied.
    #[schemars(title = "Tied by", range(min = 0, max = 1e6), extend("unit" = "N/m²"))]
    pub stiffness: f64,
    /// From where on along a strand, as a share of its length.
    #[serde(default)]
    #[schemars(title = "Tied from", range(min = 0, max = 1))]
    pub from: f64,
    /// How near to the middle it is tied, as a share of how far from it it lies at rest.
    #[serde(default = "whole")]
    #[schemars(title = "Drawn in to", range(min = 0, max = 1))]
    pub wide: f64,
}

impl Clumps {
    /// As they are when strands are first tied.
    pub fn begin() -> Clumps {
        Clumps { count: 12, stiffness: 0.5, from: 0.2, wide: 0.4 }
    }
}

/// Hairs between strands: what is seen and delivered of them, and nothing that is computed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Hairs {
    #[schemars(title = "Hairs", range(min = 1, max = 200_000))]
    pub count: u32,
    /// How far they are drawn to the strand beside, at their tips.
    #[serde(default)]
    #[schemars(title = "Drawn together", range(min = 0, max = 1))]
    pub clump: f64,
    /// By how much the shortest are shorter.
    #[serde(default)]
    #[schemars(title = "Shorter", range(min = 0, max = 0.95))]
    pub shorter: f64,
    /// How far they stray from their way.
    #[serde(default)]
    #[schemars(title = "Stray", range(min = 0, max = 1), extend("unit" = "m"))]
    pub stray: f64,
    /// How often they wind about their way.
    #[serde(default)]
    #[schemars(title = "Windings", range(min = 0, max = 200))]
    pub windings: f64,
    /// How far from it that takes them.
    #[serde(default = "wide")]
    #[schemars(title = "Winding radius", range(min = 0, max = 1), extend("unit" = "m"))]
    pub winding_radius: f64,
    /// Strands that go apart by more at their roots share no hairs.
    #[serde(default = "parting")]
    #[schemars(title = "Parting", range(min = 0, max = 3.15), extend("unit" = "rad"))]
    pub parting: f64,
    /// At the root.
    #[serde(default = "diameter")]
    #[schemars(title = "Diameter", range(min = 0.000_005, max = 0.1), extend("unit" = "m"))]
    pub diameter: f64,
    /// How much thinner they are at their tips, as a share.
    #[serde(default = "taper")]
    #[schemars(title = "Taper", range(min = 0, max = 1))]
    pub taper: f64,
    /// Another is another growth of the same kind.
    #[serde(default)]
    #[schemars(title = "Seed", range(min = 0, max = 1_000_000), extend("seldom" = true))]
    pub seed: u32,
}

fn whole() -> f64 {
    1.0
}
fn wide() -> f64 {
    0.002
}
fn parting() -> f64 {
    1.0
}
fn diameter() -> f64 {
    0.000_12
}
fn taper() -> f64 {
    0.7
}

impl Hairs {
    /// As they are when they are added.
    pub fn begin() -> Hairs {
        Hairs {
            count: 5000,
            clump: 0.25,
            shorter: 0.3,
            stray: 0.002,
            windings: 0.0,
            winding_radius: wide(),
            parting: parting(),
            diameter: diameter(),
            taper: taper(),
            seed: 0,
        }
    }
}
