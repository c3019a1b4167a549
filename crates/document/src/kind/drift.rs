use super::{Fault, Flies, Shed, Traits, surfaceless};
use crate::{Body, BodyId, ColliderId, FigureForm, MAX_POINTS, MeshSource, Scaled, Value};
use nematon_geometry::fill;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Loose pieces that nothing holds together: pods, beads, crumbs. They fill a box about the body's place.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Drift {
    /// The box that they fill at first.
    #[schemars(title = "Space", inner(range(min = 0.001, max = 100)), extend("unit" = "m"))]
    pub size: [f64; 3],
    #[schemars(title = "Pieces", range(min = 1, max = 100_000))]
    pub count: u32,
    /// Of a piece of the mean size.
    #[schemars(title = "Radius", range(min = 0.0002, max = 5), extend("unit" = "m"))]
    pub radius: f64,
    /// By how much of it the largest are larger, and the smallest smaller.
    #[schemars(title = "Variation", range(min = 0, max = 0.9))]
    #[serde(default)]
    pub variation: f64,
    /// Of a piece of the mean size; larger ones weigh more by their volume.
    #[schemars(title = "Weight", range(min = 1e-8, max = 100), extend("unit" = "kg"))]
    pub weight: f64,
    /// Left out, a ball.
    #[serde(default, skip_serializing_if = "Flies::is_ball")]
    #[schemars(title = "Flies as")]
    pub flies: Flies,
    /// Drag coefficient: 0.47 of a ball that is smooth, 1.28 of a plate that meets the air head on. Of no use to winged seeds.
    #[schemars(title = "Drag", range(min = 0, max = 10))]
    #[serde(default = "drag")]
    pub drag: Value,
    /// Coulomb friction; the larger of two acts.
    #[schemars(title = "Friction", range(min = 0, max = 4))]
    #[serde(default = "friction")]
    pub friction: Value,
    /// Another is another filling of the same kind.
    #[schemars(title = "Seed", range(min = 0, max = 1_000_000), extend("seldom" = true))]
    #[serde(default)]
    pub seed: u32,
    /// Left out, all pieces are there from the first frame on.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Source")]
    pub source: Option<Source>,
    /// Left out, no plants let them go.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Let go by plants")]
    pub shed: Option<Shed>,
    /// What each is seen and handed over as: as large along its longest side as the piece is wide, its own y across a plate. Says nothing about how
    /// it flies. Left out, a ball, or a leaf where it is thin.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Seen as")]
    pub mesh: Option<MeshSource>,
}

/// Pieces that come a few at a time, until there have been as many as `count`, and that may go again.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Source {
    #[serde(default, skip_serializing_if = "Outlet::is_space")]
    #[schemars(title = "From")]
    pub from: Outlet,
    /// How many come in a second.
    #[schemars(title = "Rate", range(min = 0, max = 100_000), extend("unit" = "1/s"))]
    pub rate: Value,
    /// How long a piece stays; left out, for good.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Life", range(min = 0.01, max = 100_000), extend("unit" = "s"))]
    pub life: Option<f64>,
    /// By how much of it the longest lives are longer, and the shortest shorter.
    #[serde(default)]
    #[schemars(title = "Uneven lives", range(min = 0, max = 0.9))]
    pub uneven: f64,
    /// The speed that a piece comes with, along the place's own axes.
    #[serde(default = "no_speed")]
    #[schemars(title = "Speed", inner(range(min = -1000, max = 1000)), extend("unit" = "m/s"))]
    pub velocity: [Value; 3],
    /// And away from the surface that it comes from.
    #[serde(default)]
    #[schemars(title = "Away from it", range(min = -1000, max = 1000), extend("unit" = "m/s"))]
    pub away: Value,
    /// And any way, by as much at most.
    #[serde(default)]
    #[schemars(title = "Any way", range(min = 0, max = 1000), extend("unit" = "m/s"))]
    pub scatter: Value,
    /// And as much of how fast that goes which it comes from.
    #[serde(default)]
    #[schemars(title = "Of its own speed", range(min = 0, max = 2))]
    pub carried: Value,
    /// How fast what flies otherwise than a ball turns as it comes, about any axis.
    #[serde(default)]
    #[schemars(title = "Spin", range(min = 0, max = 1000), extend("unit" = "1/s"))]
    pub spin: Value,
}

fn no_speed() -> [Value; 3] {
    std::array::from_fn(|_| Value::Still(0.0))
}

impl Source {
    /// One as it is when it is added.
    pub fn begin() -> Source {
        Source {
            from: Outlet::Space,
            rate: 60.0.into(),
            life: None,
            uneven: 0.0,
            velocity: no_speed(),
            away: Value::default(),
            scatter: 0.2.into(),
            carried: Value::default(),
            spin: Value::default(),
        }
    }
}

/// What pieces come from, or strands grow on.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
#[schemars(extend("examples" = [Outlet::Space]))]
pub enum Outlet {
    /// Anywhere in the body's own box.
    #[default]
    Space,
    /// These, in turn, about the body's place.
    Points(
        #[schemars(length(min = 1, max = 20_000), inner(inner(range(min = -10_000, max = 10_000))))]
        Vec<[f64; 3]>,
    ),
    /// The surface of a figure, wherever that is, evenly.
    Figure(FigureForm),
    /// The surface of a collider of triangles, a box, a capsule or a ball.
    Collider(ColliderId),
    /// A cloth, as it moves. Strands alone grow on one.
    Body(BodyId),
}

impl Outlet {
    pub(super) fn is_space(&self) -> bool {
        *self == Outlet::Space
    }
}

fn drag() -> Value {
    Value::Still(0.47)
}
fn friction() -> Value {
    Value::Still(0.4)
}

impl Drift {
    /// Of the largest piece, metres.
    pub fn largest(&self) -> f64 {
        self.radius * (1.0 + self.variation)
    }
}

impl Default for Drift {
    fn default() -> Drift {
        Drift {
            size: [0.3; 3],
            count: 400,
            radius: 0.012,
            variation: 0.2,
            weight: 0.001,
            drag: drag(),
            friction: friction(),
            seed: 0,
            source: None,
            flies: Flies::Ball,
            shed: None,
            mesh: None,
        }
    }
}

impl Traits for Drift {
    fn begin() -> Option<Drift> {
        Some(Drift::default())
    }

    fn outlet(&self) -> Option<(&'static str, &Outlet)> {
        self.source.as_ref().map(|s| ("source/from", &s.from))
    }

    fn sources(&self) -> Vec<(String, &MeshSource)> {
        self.mesh.iter().map(|m| ("mesh".into(), m)).collect()
    }

    fn sources_mut(&mut self) -> Vec<&mut MeshSource> {
        self.mesh.iter_mut().collect()
    }

    fn faults(&self, body: &Body) -> Vec<Fault> {
        let mut out = vec![];
        let room = fill::room(self.size, self.largest());
        if self.count as usize > MAX_POINTS {
            out.push(Fault::own("count", format!("is {}; the most is {MAX_POINTS}", self.count)));
        } else if self.source.is_none() && self.shed.is_none() && self.count as usize > room {
            let why =
                format!("is {}, and its space has room for {room} of this size. Make it larger", self.count);
            out.push(Fault::own("count", why));
        }
        if let Some(Source { from: Outlet::Body(_), .. }) = &self.source {
            let why = "can't be a body: where that will be is not known before it is computed. Name a figure or a collider";
            out.push(Fault::own("source/from/body", why.into()));
        }
        out.extend(self.shed.iter().flat_map(|s| s.faults(self.source.is_some())));
        if !body.grips.is_empty() {
            out.push(Fault::common("grips", "can't be: nothing holds loose pieces"));
        }
        if body.follow.is_some() {
            out.push(Fault::common("follow", "can't be: loose pieces have no shape to come back to"));
        }
        let scale = [Scaled::ArealWeight, Scaled::Drag, Scaled::Friction, Scaled::Gravity, Scaled::StillAir];
        let words = "weight, drag, friction and what air and gravity do";
        out.extend(surfaceless(body, "loose pieces", (&scale, words)));
        out
    }
}
