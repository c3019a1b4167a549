use super::{Fault, Growing, Outlet, Traits};
use crate::{Body, MapId, Value, species};
use nematon_geometry::Species;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Plants of one species: stems that branch, leaves and heads, that sway and come back.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Plants {
    #[schemars(title = "Species")]
    pub species: Species,
    /// What they grow on, and are held to by their roots. Left out, a rectangle about the body's place.
    #[serde(default, skip_serializing_if = "Outlet::is_space")]
    #[schemars(title = "Grow on")]
    pub from: Outlet,
    /// That rectangle.
    #[serde(default = "size")]
    #[schemars(title = "Patch", inner(range(min = 0, max = 1000)), extend("unit" = "m"))]
    pub size: [f64; 2],
    #[schemars(title = "Plants", range(min = 1, max = 20_000))]
    pub count: u32,
    /// Where of it they grow: more where the map has more. Left out, all over it alike.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Spread by the map")]
    pub spread: Option<MapId>,
    /// What they are as large as by the map, where it is 1 as large as they are. Left out, all alike.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Size by the map")]
    pub large: Option<MapId>,
    /// By how much the largest are larger, and the smallest smaller.
    #[serde(default = "variation")]
    #[schemars(title = "Variation", range(min = 0, max = 0.9))]
    pub variation: f64,
    /// How much they grow straight up, and not out of what they grow on.
    #[serde(default = "upright")]
    #[schemars(title = "Upright", range(min = 0, max = 1))]
    pub upright: f64,
    /// They stand by their weight as they were made; else they hang as far as that takes them.
    #[serde(default = "stands", skip_serializing_if = "is_so")]
    #[schemars(title = "Stand by their weight")]
    pub stands: bool,
    /// 1/s, relative to what their roots go along with.
    #[serde(default)]
    #[schemars(title = "Damping", range(min = 0, max = 1000), extend("unit" = "1/s"))]
    pub damping: Value,
    /// Drag coefficient of a cylinder across the flow, of stems and branches.
    #[serde(default = "drag")]
    #[schemars(title = "Drag", range(min = 0, max = 10))]
    pub drag: Value,
    /// Coulomb friction; the larger of two acts.
    #[serde(default = "friction")]
    #[schemars(title = "Friction", range(min = 0, max = 4))]
    pub friction: Value,
    /// How far others are kept from the middle of stems and branches.
    #[serde(default = "around")]
    #[schemars(title = "Kept apart by", range(min = 0.00001, max = 1), extend("unit" = "m"))]
    pub around: f64,
    /// Another is another growth of the same species.
    #[schemars(title = "Seed", range(min = 0, max = 1_000_000), extend("seldom" = true))]
    #[serde(default)]
    pub seed: u32,
}

fn size() -> [f64; 2] {
    [1.0, 1.0]
}
fn variation() -> f64 {
    0.15
}
fn upright() -> f64 {
    1.0
}
fn stands() -> bool {
    true
}
fn is_so(so: &bool) -> bool {
    *so
}
fn drag() -> Value {
    Value::Still(1.0)
}
fn friction() -> Value {
    Value::Still(0.4)
}
fn around() -> f64 {
    0.004
}

impl Plants {
    pub fn of(species: Species) -> Plants {
        Plants {
            species,
            from: Outlet::Space,
            size: size(),
            count: 12,
            spread: None,
            large: None,
            variation: variation(),
            upright: upright(),
            stands: true,
            damping: Value::default(),
            drag: drag(),
            friction: friction(),
            around: around(),
            seed: 0,
        }
    }
}

impl Traits for Plants {
    fn begin() -> Option<Plants> {
        species().into_iter().next().map(|s| Plants::of(s.species))
    }

    fn outlet(&self) -> Option<(&'static str, &Outlet)> {
        Some(("from", &self.from))
    }

    fn faults(&self, body: &Body) -> Vec<Fault> {
        let mut out = Growing {
            from: &self.from,
            count: self.count,
            each: self.species.points(),
            maps: &[("spread", &self.spread), ("large", &self.large)],
            cure: "Grow fewer, or a species with fewer branches, leaves or segments",
            what: "plants",
        }
        .faults(body);
        let levels = self.species.branches.len() as u32;
        let on = [
            ("leaves", self.species.leaves.as_ref().map(|l| l.on)),
            ("heads", self.species.heads.as_ref().map(|h| h.on)),
        ];
        for (what, on) in on {
            if let Some(on) = on.filter(|on| *on > levels) {
                let why = format!("is {on}, and it has branches of {levels} levels");
                out.push(Fault::own(&format!("species/{what}/on"), why));
            }
        }
        if matches!(self.from, Outlet::Body(_)) {
            let why = "can't be a body: plants grow on a patch, points, a figure or a collider";
            out.push(Fault::own("from/body", why.into()));
        }
        out
    }
}
