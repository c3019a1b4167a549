use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Something that acts through space. Winds and turbulence add up to the air that the bodies meet.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Field {
    #[schemars(title = "Name", length(min = 1, max = 80))]
    pub name: String,
    #[schemars(title = "On")]
    #[serde(default = "crate::body::on")]
    pub on: bool,
    /// When it acts; left out, always.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "When")]
    pub when: Option<When>,
    #[schemars(title = "Acts as")]
    pub act: Act,
}

/// The frames in which a field acts.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct When {
    #[schemars(title = "From frame", range(min = -100_000, max = 1_000_000))]
    pub from: i64,
    #[schemars(title = "Until frame", range(min = -100_000, max = 1_000_000))]
    pub until: i64,
    /// Frames over which it comes in and goes out.
    #[schemars(title = "Ease", range(min = 0, max = 10_000), extend("unit" = "frames"))]
    #[serde(default)]
    pub ease: f64,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Act {
    Gravity(Gravity),
    Wind(Wind),
    Turbulence(Turbulence),
}

/// A steady pull straight down.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Gravity {
    #[schemars(title = "Strength", range(min = -100, max = 100), extend("unit" = "m/s²"))]
    pub strength: f64,
}

/// Air that moves one way, with gusts that travel along with it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Wind {
    #[schemars(title = "Speed", range(min = 0, max = 150), extend("unit" = "m/s"))]
    pub speed: f64,
    /// Where it blows to: 0 along +x, a quarter turn along -z.
    #[schemars(title = "Heading", range(min = -100, max = 100), extend("unit" = "rad"))]
    pub heading: f64,
    /// How steeply it rises.
    #[schemars(title = "Rise", range(min = -1.57, max = 1.57), extend("unit" = "rad"))]
    #[serde(default)]
    pub rise: f64,
    /// Root-mean-square part of the speed that comes and goes.
    #[schemars(title = "Gusts", range(min = 0, max = 1))]
    #[serde(default)]
    pub gust: f64,
    /// Typical time between gusts.
    #[schemars(title = "Gust period", range(min = 0.05, max = 60), extend("unit" = "s"))]
    #[serde(default = "gust_period")]
    pub gust_period: f64,
    #[schemars(title = "Seed", range(min = 0, max = 65_535))]
    #[serde(default)]
    pub seed: u32,
}

fn gust_period() -> f64 {
    2.0
}

/// Swirling air without sources or sinks.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Turbulence {
    /// Root-mean-square speed.
    #[schemars(title = "Strength", range(min = 0, max = 100), extend("unit" = "m/s"))]
    pub strength: f64,
    /// Typical distance from one swirl to the next of its kind.
    #[schemars(title = "Size", range(min = 0.01, max = 1000), extend("unit" = "m"))]
    pub size: f64,
    /// How often a second the pattern renews itself in place.
    #[schemars(title = "Pace", range(min = 0, max = 60), extend("unit" = "1/s"))]
    #[serde(default = "pace")]
    pub pace: f64,
    /// Velocity at which the pattern travels.
    #[schemars(title = "Drift", inner(range(min = -150, max = 150)), extend("unit" = "m/s"))]
    #[serde(default)]
    pub drift: [f64; 3],
    /// Each octave has half the size of the one before and 0.6 of its strength.
    #[schemars(title = "Octaves", range(min = 1, max = 4))]
    #[serde(default = "octaves")]
    pub octaves: u32,
    #[schemars(title = "Seed", range(min = 0, max = 65_535))]
    #[serde(default)]
    pub seed: u32,
}

fn pace() -> f64 {
    0.4
}
fn octaves() -> u32 {
    2
}
