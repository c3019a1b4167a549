use super::Fault;
use crate::{BodyId, MapId, Value};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What the air takes a piece for.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
#[schemars(extend("examples" = [Flies::Ball]))]
pub enum Flies {
    /// A ball.
    #[default]
    Ball,
    /// A thin disc, as wide as the radius says: a leaf, a petal. It falls straight, flutters or tumbles by its weight.
    Plate(Thin),
    /// A seed with a wing as long as the radius, which spins as it falls.
    Wing(Thin),
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Thin {
    /// What contact takes it for: a ball so thick.
    #[schemars(title = "Thickness", range(min = 0.0001, max = 1), extend("unit" = "m"))]
    pub thickness: f64,
}

impl Flies {
    pub(super) fn is_ball(&self) -> bool {
        *self == Flies::Ball
    }

    /// How thick it is to contact, where it is thin.
    pub fn thin(&self) -> Option<&Thin> {
        match self {
            Flies::Ball => None,
            Flies::Plate(t) | Flies::Wing(t) => Some(t),
        }
    }
}

/// Pieces that plants let go: each is at its place on a plant until a rule lets it go, and flies from there.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Shed {
    #[schemars(title = "Plants")]
    pub plants: BodyId,
    #[serde(default)]
    #[schemars(title = "They let go")]
    pub what: Sheds,
    /// How many pieces each head has to let go.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    #[schemars(title = "Each", range(min = 1, max = 200))]
    pub each: u32,
    /// A piece goes as soon as one of them lets it.
    #[schemars(title = "Rules", length(max = 8))]
    pub rules: Vec<ShedRule>,
}

/// What of plants.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Sheds {
    /// Their leaves, which are gone from there.
    #[default]
    Leaves,
    /// Pieces of their heads, which stay.
    Heads,
}

/// When pieces are let go.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ShedRule {
    /// The share of those that are left that goes in a second.
    #[schemars(title = "Chance", range(min = 0, max = 1000), extend("unit" = "1/s"))]
    pub chance: Value,
    /// Only where the air at a piece is faster.
    #[serde(default)]
    #[schemars(title = "Where air is over", range(min = 0, max = 200), extend("unit" = "m/s"))]
    pub over: Value,
    /// The first and the last frame in which it acts; left out, all of them.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "From frame", range(min = -1_000_000, max = 1_000_000))]
    pub from: Option<i64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Until frame", range(min = -1_000_000, max = 1_000_000))]
    pub until: Option<i64>,
    /// Which go first.
    #[serde(default)]
    #[schemars(title = "First")]
    pub order: Order,
    /// A map of the plants: its chance is as great as that says at a piece. Left out, alike at all.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "By the map")]
    pub map: Option<MapId>,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Order {
    /// Any, by the seed.
    #[default]
    Random,
    /// Those that are farthest along from the root.
    Tips,
    /// Those that are nearest to the root.
    Roots,
}

fn one() -> u32 {
    1
}
fn is_one(n: &u32) -> bool {
    *n == 1
}

impl Shed {
    pub(super) fn faults(&self, sourced: bool) -> Vec<Fault> {
        let mut out = vec![];
        if sourced {
            let why = "can't be beside a source: pieces come from there or are let go by plants";
            out.push(Fault::own("shed", why.into()));
        }
        for (k, rule) in self.rules.iter().enumerate() {
            if let (Some(from), Some(until)) = (rule.from, rule.until)
                && until < from
            {
                out.push(Fault::own(
                    &format!("shed/rules/{k}/until"),
                    format!("is {until}, before it begins at {from}"),
                ));
            }
        }
        out
    }
}
