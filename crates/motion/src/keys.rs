use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A value at a frame, and how it goes on to the next.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Key {
    #[schemars(title = "Frame", range(min = -100_000, max = 1_000_000))]
    pub frame: i64,
    #[schemars(title = "Value")]
    pub value: f64,
    #[serde(default, skip_serializing_if = "Way::is_straight")]
    #[schemars(title = "Then")]
    pub then: Way,
}

/// How a value goes from a key to the next.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Way {
    #[default]
    Straight,
    /// Stays until the next key.
    Step,
    /// Leaves and arrives at rest.
    Smooth,
}

impl Way {
    fn is_straight(&self) -> bool {
        *self == Way::Straight
    }
}

/// The value at a moment, in frames: that of the first key before it, of the last after it. `None` where there are no
/// keys.
pub(crate) fn at(keys: &[Key], frame: f64) -> Option<f64> {
    let first = keys.first()?;
    Some(match keys.iter().position(|k| k.frame as f64 > frame) {
        Some(0) => first.value,
        None => keys[keys.len() - 1].value,
        Some(k) => {
            let (a, b) = (&keys[k - 1], &keys[k]);
            let t = (frame - a.frame as f64) / (b.frame - a.frame).max(1) as f64;
            match a.then {
                Way::Straight => a.value + t * (b.value - a.value),
                Way::Step => a.value,
                Way::Smooth => a.value + t * t * (3.0 - 2.0 * t) * (b.value - a.value),
            }
        }
    })
}
