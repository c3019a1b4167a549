use super::{Clumps, Fault, Growing, Hairs, MeshSource, Outlet, Traits};
use crate::{Body, MapId, Value};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Thin elastic rods that grow from something: hair, tassels, plumes, grass.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Strands {
    /// What they grow on, and are held to by their roots. Left out, a rectangle about the body's place, upward from it.
    #[serde(default, skip_serializing_if = "Outlet::is_space")]
    #[schemars(title = "Grow on")]
    pub from: Outlet,
    /// All through that, where it is closed, and straight up along the body's place; not on its surface.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    #[schemars(title = "Inside")]
    pub inside: bool,
    /// That rectangle.
    #[serde(default = "size")]
    #[schemars(title = "Patch", inner(range(min = 0, max = 100)), extend("unit" = "m"))]
    pub size: [f64; 2],
    #[schemars(title = "Strands", range(min = 1, max = 50_000))]
    pub count: u32,
    /// Where of it they grow: more where the map has more. Left out, all over it alike.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Spread by the map")]
    pub spread: Option<MapId>,
    /// Of a strand, its root and its tip among them.
    #[schemars(title = "Points a strand", range(min = 2, max = 500))]
    pub points: u32,
    /// Of a strand of the mean length.
    #[schemars(title = "Length", range(min = 0.0005, max = 50), extend("unit" = "m"))]
    pub length: f64,
    /// Where strands are as long as that: shorter where the map has less at their roots. Left out, all alike.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Length by the map")]
    pub long: Option<MapId>,
    /// By how much of it the longest are longer, and the shortest shorter.
    #[serde(default)]
    #[schemars(title = "Variation", range(min = 0, max = 0.9))]
    pub variation: f64,
    /// Added to the way out of what they grow on, which is 1 long, along the axes of the body's place.
    #[serde(default)]
    #[schemars(title = "Lean", inner(range(min = -20, max = 20)))]
    pub lean: [f64; 3],
    /// How far a strand turns over from its root to its tip, as it is at rest: toward its lean, or to a side of its own.
    #[serde(default)]
    #[schemars(title = "Bow", range(min = -20, max = 20), extend("unit" = "rad"))]
    pub bow: f64,
    /// How often a strand winds about its way, as it is at rest.
    #[serde(default)]
    #[schemars(title = "Windings", range(min = 0, max = 100))]
    pub windings: f64,
    /// How far from its way that takes it.
    #[serde(default = "wide")]
    #[schemars(title = "Winding radius", range(min = 0, max = 1), extend("unit" = "m"))]
    pub winding_radius: f64,
    /// At the root.
    #[serde(default = "diameter")]
    #[schemars(title = "Diameter", range(min = 0.000_005, max = 0.1), extend("unit" = "m"))]
    pub diameter: f64,
    /// How much thinner it is at its tip, as a share.
    #[serde(default = "taper")]
    #[schemars(title = "Taper", range(min = 0, max = 0.99))]
    pub taper: f64,
    /// Of what it is made of.
    #[serde(default = "density")]
    #[schemars(title = "Density", range(min = 1, max = 30_000), extend("unit" = "kg/m³"))]
    pub density: f64,
    /// Young's modulus: how it resists stretch and, by the fourth power of how thick it is, bends.
    #[serde(default = "modulus")]
    #[schemars(title = "Modulus", range(min = 1000, max = 1e12), extend("unit" = "Pa"))]
    pub modulus: f64,
    /// Rigidity against twist, as a share of that against bends: 1 / (1 + Poisson's ratio) of a round one.
    #[serde(default = "twist")]
    #[schemars(title = "Twist", range(min = 0, max = 4), extend("seldom" = true))]
    pub twist: f64,
    /// 1/s, relative to what its roots go along with.
    #[serde(default)]
    #[schemars(title = "Damping", range(min = 0, max = 1000), extend("unit" = "1/s"))]
    pub damping: Value,
    /// Drag coefficient of a cylinder across the flow.
    #[serde(default = "drag")]
    #[schemars(title = "Drag", range(min = 0, max = 10))]
    pub drag: Value,
    /// The share of it that acts along a strand.
    #[serde(default = "along")]
    #[schemars(title = "Drag along", range(min = 0, max = 1), extend("seldom" = true))]
    pub along: f64,
    /// Coulomb friction; the larger of two acts.
    #[serde(default = "friction")]
    #[schemars(title = "Friction", range(min = 0, max = 4))]
    pub friction: Value,
    /// How far others are kept from its middle.
    #[serde(default = "around")]
    #[schemars(title = "Kept apart by", range(min = 0.00001, max = 0.1), extend("unit" = "m"))]
    pub around: f64,
    /// Roots, and ends that grips hold, may turn: held as by a ring and not as in a wall.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    #[schemars(title = "Roots turn freely")]
    pub hinged: bool,
    /// The file that their shapes at rest come from, each a curve from its root on: OBJ with lines, or USD as text. Left out, they grow.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Curves")]
    pub curves: Option<MeshSource>,
    /// What strokes of a comb made of their shapes at rest, as NPZ files of `roots`, `outs`, `ways`, `lengths` and `apart`; the oldest first.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[schemars(title = "Combed", length(max = 200))]
    pub combed: Vec<MeshSource>,
    /// Left out, each moves by itself.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Tied in clumps")]
    pub clumps: Option<Clumps>,
    /// Left out, strands are all that is seen.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Hairs between")]
    pub hairs: Option<Hairs>,
    /// Another is another growth of the same kind.
    #[schemars(title = "Seed", range(min = 0, max = 1_000_000), extend("seldom" = true))]
    #[serde(default)]
    pub seed: u32,
}

/// Most points of all hairs between strands.
const MAX_HAIR_POINTS: usize = 4_000_000;

fn size() -> [f64; 2] {
    [0.3, 0.3]
}
fn wide() -> f64 {
    0.004
}
fn diameter() -> f64 {
    0.0004
}
fn taper() -> f64 {
    0.5
}
fn density() -> f64 {
    1300.0
}
fn modulus() -> f64 {
    3e9
}
fn twist() -> f64 {
    0.75
}
fn drag() -> Value {
    Value::Still(1.2)
}
fn along() -> f64 {
    0.02
}
fn friction() -> Value {
    Value::Still(0.3)
}
fn around() -> f64 {
    0.001
}

impl Default for Strands {
    fn default() -> Strands {
        Strands {
            from: Outlet::Space,
            inside: false,
            size: size(),
            count: 200,
            spread: None,
            points: 12,
            length: 0.25,
            long: None,
            variation: 0.15,
            lean: [0.0; 3],
            bow: 0.4,
            windings: 0.0,
            winding_radius: wide(),
            diameter: diameter(),
            taper: taper(),
            density: density(),
            modulus: modulus(),
            twist: twist(),
            damping: Value::Still(1.0),
            drag: drag(),
            along: along(),
            friction: friction(),
            around: around(),
            hinged: false,
            curves: None,
            combed: vec![],
            clumps: None,
            hairs: None,
            seed: 0,
        }
    }
}

impl Traits for Strands {
    fn begin() -> Option<Strands> {
        Some(Strands::default())
    }

    fn sources(&self) -> Vec<(String, &MeshSource)> {
        let curves = self.curves.iter().map(|c| ("curves".to_owned(), c));
        curves.chain(self.combed.iter().enumerate().map(|(k, c)| (format!("combed/{k}"), c))).collect()
    }

    fn sources_mut(&mut self) -> Vec<&mut MeshSource> {
        self.curves.iter_mut().chain(&mut self.combed).collect()
    }

    fn outlet(&self) -> Option<(&'static str, &Outlet)> {
        Some(("from", &self.from))
    }

    fn faults(&self, body: &Body) -> Vec<Fault> {
        let mut out = Growing {
            from: &self.from,
            count: self.count,
            each: self.points as usize,
            maps: &[("spread", &self.spread), ("long", &self.long)],
            cure: "Grow fewer, or give each fewer points",
            what: "strands",
        }
        .faults(body);
        if let Some(hairs) = &self.hairs {
            let all = hairs.count as usize * self.points as usize;
            if all > MAX_HAIR_POINTS {
                let why = format!(
                    "is {}, with {} points each {all}; the most is {MAX_HAIR_POINTS}. Grow fewer",
                    hairs.count, self.points
                );
                out.push(Fault::own("hairs/count", why));
            }
        }
        if self.inside && matches!(self.from, Outlet::Space | Outlet::Points(_)) {
            out.push(Fault::own("inside", "needs something closed to grow in: say what they grow on".into()));
        }
        out
    }
}
