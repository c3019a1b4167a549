use super::{Fault, Growing, Outlet, Traits};
use crate::{Body, MapId, MeshSource, Value, species};
use nematon_geometry::Species;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Plants of one species: stems that branch, leaves and heads, that sway and come back.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Plants {
    /// What they are grown by; or they are as a mesh.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Species")]
    pub species: Option<Species>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "As a mesh")]
    pub mesh: Option<PlantMesh>,
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

/// A plant as a mesh was modelled: its stem and branches are found in that, or are its bones; loose flat parts are leaves.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PlantMesh {
    #[schemars(title = "From")]
    pub from: MeshSource,
    /// What its lengths are multiplied by.
    #[serde(default = "one")]
    #[schemars(title = "Size", range(min = 0.0001, max = 10_000))]
    pub size: f64,
    /// Along its longest way from the foot of its stem. Where it has bones each of them is one.
    #[serde(default = "segments")]
    #[schemars(title = "Segments", range(min = 2, max = 200))]
    pub segments: u32,
    /// Of the wood.
    #[serde(default = "density")]
    #[schemars(title = "Density", range(min = 1, max = 3000), extend("unit" = "kg/m³"))]
    pub density: f64,
    /// Young's modulus of the wood.
    #[serde(default = "modulus")]
    #[schemars(title = "Modulus", range(min = 10_000, max = 1e11), extend("unit" = "Pa"))]
    pub modulus: f64,
    /// How long a bend resists its change: a frequency f dies away by π f times that.
    #[serde(default = "inner")]
    #[schemars(title = "Inner damping", range(min = 0, max = 1), extend("unit" = "s"))]
    pub inner: f64,
    #[serde(default)]
    #[schemars(title = "Leaves")]
    pub leaf: LeafMatter,
}

/// What leaves are like beside how large they are.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct LeafMatter {
    #[schemars(title = "Weight", range(min = 0.005, max = 5), extend("unit" = "kg/m²"))]
    pub weight: f64,
    /// How fast one swings on its stalk in still air, which says how stiff that is.
    #[schemars(title = "Swing", range(min = 0.2, max = 60), extend("unit" = "Hz"))]
    pub swing: f64,
    /// Normal force of the plate, head on and per radian.
    #[schemars(title = "Drag", range(min = 0, max = 10))]
    pub drag: f64,
}

impl Default for LeafMatter {
    fn default() -> LeafMatter {
        LeafMatter { weight: 0.2, swing: 4.0, drag: 1.28 }
    }
}

/// What plants are of, however they grew.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Wood {
    /// kg/m³, Pa, s.
    pub density: f64,
    pub modulus: f64,
    pub inner: f64,
    /// None where they have no leaves; those of a mesh may have none though it is said what they would be like.
    pub leaf: Option<LeafMatter>,
    /// What a head of a plant of the mean size weighs, kg.
    pub head: f64,
}

fn one() -> f64 {
    1.0
}
fn segments() -> u32 {
    24
}
fn density() -> f64 {
    700.0
}
fn modulus() -> f64 {
    2e9
}
fn inner() -> f64 {
    0.01
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
            species: Some(species),
            mesh: None,
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

    /// What they are of.
    pub fn wood(&self) -> Wood {
        if let Some(m) = &self.mesh {
            let PlantMesh { density, modulus, inner, leaf, .. } = *m;
            return Wood { density, modulus, inner, leaf: Some(leaf), head: 0.0 };
        }
        let of = |s: &Species| Wood {
            density: s.density,
            modulus: s.modulus,
            inner: s.inner,
            leaf: s.leaves.as_ref().map(|l| LeafMatter { weight: l.weight, swing: l.swing, drag: l.drag }),
            head: s.heads.as_ref().map_or(0.0, |h| h.weight),
        };
        self.species.as_ref().map_or_else(
            || Wood { density: density(), modulus: modulus(), inner: inner(), leaf: None, head: 0.0 },
            of,
        )
    }
}

impl Traits for Plants {
    fn begin() -> Option<Plants> {
        species().into_iter().next().map(|s| Plants::of(s.species))
    }

    fn outlet(&self) -> Option<(&'static str, &Outlet)> {
        Some(("from", &self.from))
    }

    fn sources(&self) -> Vec<(String, &MeshSource)> {
        self.mesh.iter().map(|m| ("mesh/from".into(), &m.from)).collect()
    }

    fn sources_mut(&mut self) -> Vec<&mut MeshSource> {
        self.mesh.iter_mut().map(|m| &mut m.from).collect()
    }

    fn faults(&self, body: &Body) -> Vec<Fault> {
        let mut out = Growing {
            from: &self.from,
            count: self.count,
            // Of a mesh it is known once that is read.
            each: self.species.as_ref().map_or(1, Species::points),
            maps: &[("spread", &self.spread), ("large", &self.large)],
            cure: "Grow fewer, or a species with fewer branches, leaves or segments",
            what: "plants",
        }
        .faults(body);
        match (&self.species, &self.mesh) {
            (None, None) => out.push(Fault::own(
                "species",
                "is left out, and there is no mesh in its place: say a species or a mesh".into(),
            )),
            (Some(_), Some(_)) => out.push(Fault::own(
                "mesh",
                "can't be beside a species: plants are grown by numbers or are as a mesh".into(),
            )),
            _ => {}
        }
        if let Some(s) = &self.species {
            let levels = s.branches.len() as u32;
            let on = [("leaves", s.leaves.as_ref().map(|l| l.on)), ("heads", s.heads.as_ref().map(|h| h.on))];
            for (what, on) in on {
                if let Some(on) = on.filter(|on| *on > levels) {
                    let why = format!("is {on}, and it has branches of {levels} levels");
                    out.push(Fault::own(&format!("species/{what}/on"), why));
                }
            }
        }
        if matches!(self.from, Outlet::Body(_)) {
            let why = "can't be a body: plants grow on a patch, points, a figure or a collider";
            out.push(Fault::own("from/body", why.into()));
        }
        out
    }
}
