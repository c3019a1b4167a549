use crate::{
    Body, BodyId, Camera, CameraId, Collider, ColliderId, Field, FieldId, Figure, FigureId, Handle, HandleId,
    HeldTo, MeshSource, Node, Outlet, Parent, Weights,
};
use indexmap::IndexMap;
use nematon_motion::{Moment, Value};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The version of the document that this program writes.
pub const VERSION: u32 = 2;
/// Most frames in one scene: enough for a quarter of an hour at 24 frames a second.
pub const MAX_FRAMES: i64 = 20_000;
/// Most points in one body.
pub const MAX_POINTS: usize = 400_000;

/// A scene with the name it is kept under and the number of edits it has seen.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Project {
    pub id: i64,
    pub name: String,
    /// Counts every edit, undo and redo.
    pub revision: i64,
    pub scene: Scene,
}

/// Everything that decides the motion, and how it is looked at.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Scene {
    /// Version of the document, 2.
    #[schemars(title = "Document version", range(min = 2, max = 2))]
    pub nematon: u32,
    #[schemars(title = "Name", length(min = 1, max = 120))]
    pub name: String,
    #[schemars(title = "Frames")]
    pub frames: FrameSpan,
    #[schemars(title = "Bodies")]
    pub bodies: IndexMap<BodyId, Body>,
    #[serde(default)]
    #[schemars(title = "Fields")]
    pub fields: IndexMap<FieldId, Field>,
    /// How much of all that moves air is taken away: 0 as it is, 1 all.
    #[serde(default, skip_serializing_if = "is_none")]
    #[schemars(title = "Calm", range(min = 0, max = 1), extend("default" = 0.0))]
    pub calm: Value,
    /// The one field that acts, beside gravity; left out, all do.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Alone")]
    pub alone: Option<FieldId>,
    #[serde(default, skip_serializing_if = "IndexMap::is_empty")]
    #[schemars(title = "Colliders")]
    pub colliders: IndexMap<ColliderId, Collider>,
    #[serde(default, skip_serializing_if = "IndexMap::is_empty")]
    #[schemars(title = "Handles")]
    pub handles: IndexMap<HandleId, Handle>,
    #[serde(default, skip_serializing_if = "IndexMap::is_empty")]
    #[schemars(title = "Figures")]
    pub figures: IndexMap<FigureId, Figure>,
    /// Views that are kept. The first is what a project opens with.
    #[serde(default, skip_serializing_if = "IndexMap::is_empty")]
    #[schemars(title = "Cameras")]
    pub cameras: IndexMap<CameraId, Camera>,
    /// Pairs of groups that pass through each other.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[schemars(title = "Set apart", length(max = 200), inner(inner(length(min = 1, max = 40))))]
    pub apart: Vec<[String; 2]>,
    /// A level plane that bodies rest on; left out, there is none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Floor")]
    pub floor: Option<Floor>,
}

impl Default for Scene {
    /// With nothing in it: ten seconds.
    fn default() -> Self {
        Scene {
            nematon: VERSION,
            name: "Scene".into(),
            frames: FrameSpan::of(0, 240),
            bodies: IndexMap::new(),
            fields: IndexMap::new(),
            calm: Value::default(),
            alone: None,
            colliders: IndexMap::new(),
            handles: IndexMap::new(),
            figures: IndexMap::new(),
            cameras: IndexMap::new(),
            apart: vec![],
            floor: None,
        }
    }
}

/// The frames of the shot. The motion always starts at `first`, at rest.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct FrameSpan {
    #[schemars(title = "First frame", range(min = -100_000, max = 1_000_000))]
    pub first: i64,
    #[schemars(title = "Last frame", range(min = -100_000, max = 1_000_000))]
    pub last: i64,
    /// Frames a second.
    #[schemars(title = "Frame rate", range(min = 1, max = 240), extend("unit" = "1/s"))]
    #[serde(default = "rate")]
    pub rate: f64,
    /// A fixed number of sub-steps a frame; left out, each frame takes as many as its quality needs.
    #[schemars(title = "Sub-steps", range(min = 1, max = 200))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub substeps: Option<u32>,
    #[schemars(title = "Quality")]
    #[serde(default, skip_serializing_if = "Quality::is_fine")]
    pub quality: Quality,
    /// How the bodies come to rest before the first frame; left out, they are there as they were made.
    #[schemars(title = "Settle first")]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub settle: Option<Settle>,
    /// Frames that are played and handed over as a loop; left out, none are. No frame follows from it.
    #[schemars(title = "Loop")]
    #[serde(default, rename = "loop", skip_serializing_if = "Option::is_none")]
    pub looped: Option<Loop>,
}

/// Frames that repeat: from one on so many, the last of them blended with those that come before the first.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Loop {
    #[schemars(title = "Loops from", range(min = -100_000, max = 1_000_000))]
    pub from: i64,
    #[schemars(title = "Loops after", range(min = 2, max = 20_000), extend("unit" = "frames"))]
    pub length: i64,
    /// So many frames at its end turn into those that come before its first; left out, none.
    #[schemars(title = "Blended over", range(min = 0, max = 20_000), extend("default" = 0, "unit" = "frames"))]
    #[serde(default)]
    pub blend: i64,
}

impl Loop {
    /// Its last frame.
    pub fn last(&self) -> i64 {
        self.from + self.length - 1
    }

    /// The first frame that it takes anything of.
    pub fn takes_from(&self) -> i64 {
        self.from - self.blend
    }
}

/// Coming to rest before the first frame, under what acts there.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Settle {
    /// At most.
    #[schemars(title = "Settles for", range(min = 0, max = 120), extend("unit" = "s"))]
    pub seconds: f64,
    /// Sooner, where no point is faster for some frames in a row.
    #[schemars(title = "Until slower than", range(min = 0, max = 10), extend("unit" = "m/s"))]
    pub calm: f64,
    /// Whether fields act in it beside gravity.
    #[schemars(title = "In the air that there is")]
    pub air: bool,
}

impl Default for Settle {
    fn default() -> Self {
        Settle { seconds: 6.0, calm: 0.005, air: false }
    }
}

/// How right frames are to be: threads are no longer than so much beyond what their matter itself gives under its load, or more sub-steps are taken.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Quality {
    /// Within 15 %, by 6 to 48 sub-steps.
    Draft,
    /// Within 8 %, by 10 to 80.
    #[default]
    Fine,
    /// Within 3 %, by 20 to 160.
    Final,
}

impl Quality {
    #[expect(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
    fn is_fine(&self) -> bool {
        *self == Quality::Fine
    }

    /// Sub-steps that a frame takes at least.
    pub fn least(self) -> u32 {
        match self {
            Quality::Draft => 6,
            Quality::Fine => 10,
            Quality::Final => 20,
        }
    }
}

impl FrameSpan {
    /// Frames at the usual rate, of which nothing else is said.
    pub fn of(first: i64, last: i64) -> FrameSpan {
        FrameSpan {
            first,
            last,
            rate: rate(),
            substeps: None,
            quality: Quality::Fine,
            settle: None,
            looped: None,
        }
    }

    /// Sub-steps that a frame begins with.
    pub fn begins_with(&self) -> u32 {
        self.substeps.unwrap_or_else(|| self.quality.least())
    }
}

fn is_none(v: &Value) -> bool {
    v.is(0.0)
}
fn rate() -> f64 {
    24.0
}

impl Scene {
    /// Whether two groups meet.
    pub fn meet(&self, a: &str, b: &str) -> bool {
        !self.apart.iter().any(|[p, q]| (p == a && q == b) || (p == b && q == a))
    }

    /// Every mesh that the scene names.
    pub fn meshes(&self) -> Vec<&MeshSource> {
        self.sources().into_iter().map(|(_, m)| m).collect()
    }

    /// Every file of meshes and their motion that the scene names, with the JSON path of where it does.
    pub fn sources(&self) -> Vec<(String, &MeshSource)> {
        let mut out = vec![];
        for (id, b) in &self.bodies {
            let own = b.kind.sources().into_iter();
            out.extend(own.map(|(path, from)| (format!("/bodies/{id}/kind/{path}"), from)));
            out.extend(b.picture.iter().map(|from| (format!("/bodies/{id}/picture"), from)));
        }
        for (at, weights) in self.weights() {
            let own = weights.sources().into_iter();
            out.extend(own.map(|(path, from)| (format!("{at}/{path}"), from)));
        }
        for (id, c) in &self.colliders {
            let own = c.form.sources().into_iter();
            out.extend(own.map(|(path, from)| (format!("/colliders/{id}/form/{path}"), from)));
        }
        for (id, f) in &self.figures {
            out.push((format!("/figures/{id}/from"), &f.from));
            out.extend(f.points.iter().map(|from| (format!("/figures/{id}/points"), from)));
        }
        out
    }

    /// What the layers of all maps are made from, of bodies and then of fields, with the JSON path of it.
    pub fn weights(&self) -> impl Iterator<Item = (String, &Weights)> {
        let bodies = self.bodies.iter().flat_map(|(id, b)| {
            b.layers()
                .map(move |(map, k, l)| (format!("/bodies/{id}/maps/{map}/layers/{k}/weights"), &l.weights))
        });
        let fields = self.fields.iter().flat_map(|(id, f)| {
            let layers = f.map.iter().flat_map(|m| m.layers.iter().enumerate());
            layers.map(move |(k, l)| (format!("/fields/{id}/map/layers/{k}/weights"), &l.weights))
        });
        bodies.chain(fields)
    }

    /// All that has a place, with the JSON path of it.
    pub fn nodes(&self) -> Vec<(String, &Node)> {
        let Scene { bodies, fields, colliders, handles, figures, cameras, .. } = self;
        let bodies = bodies.iter().map(|(id, b)| (format!("/bodies/{id}/place"), &b.place));
        let handles = handles.iter().map(|(id, h)| (format!("/handles/{id}/place"), &h.place));
        let colliders = colliders.iter().map(|(id, c)| (format!("/colliders/{id}/place"), &c.place));
        let figures = figures.iter().map(|(id, f)| (format!("/figures/{id}/place"), &f.place));
        let cameras = cameras.iter().map(|(id, c)| (format!("/cameras/{id}/place"), &c.place));
        let fields = fields.iter().flat_map(|(id, f)| {
            let own = f.place.iter().map(move |p| (format!("/fields/{id}/place"), p));
            let own = own.chain(f.zone.iter().map(move |z| (format!("/fields/{id}/zone/place"), &z.place)));
            let more = f.zones.iter().enumerate();
            own.chain(more.map(move |(k, j)| (format!("/fields/{id}/zones/{k}/zone/place"), &j.zone.place)))
        });
        let zones = self.weights().filter_map(|(at, w)| match w {
            Weights::Zone(z) => Some((format!("{at}/zone/place"), &z.place)),
            _ => None,
        });
        handles
            .chain(colliders)
            .chain(figures)
            .chain(bodies)
            .chain(fields)
            .chain(zones)
            .chain(cameras)
            .collect()
    }

    /// Every file beside a scene file that the scene names, with the JSON path of where it does.
    pub fn files(&self) -> Vec<(String, &str)> {
        let meshes = self.sources().into_iter().filter_map(|(path, m)| match m {
            MeshSource::File(f) => Some((path, f.as_str())),
            MeshSource::Blob(_) => None,
        });
        let maps = self.weights().filter_map(|(at, w)| match w {
            Weights::File(f) => Some((format!("{at}/file"), f.as_str())),
            _ => None,
        });
        meshes.chain(maps).collect()
    }

    /// The same, to be changed.
    pub fn meshes_mut(&mut self) -> Vec<&mut MeshSource> {
        let bodies = self.bodies.values_mut().flat_map(|b| {
            let layers = b.maps.values_mut().flat_map(|m| &mut m.layers);
            let own = b.kind.sources_mut().into_iter().chain(&mut b.picture);
            own.chain(layers.flat_map(|l| l.weights.sources_mut()))
        });
        let colliders = self.colliders.values_mut().flat_map(|c| c.form.sources_mut());
        let figures =
            self.figures.values_mut().flat_map(|f| std::iter::once(&mut f.from).chain(&mut f.points));
        let fields = self.fields.values_mut().filter_map(|f| f.map.as_mut());
        let fields = fields.flat_map(|m| m.layers.iter_mut().flat_map(|l| l.weights.sources_mut()));
        bodies.chain(fields).chain(colliders).chain(figures).collect()
    }

    /// Whether a field has anything to do at all: it is on, and no other is alone.
    pub fn acts(&self, id: &FieldId, field: &Field) -> bool {
        let alone = self.alone.as_ref().is_none_or(|a| a == id || !self.fields.contains_key(a));
        field.on && (alone || matches!(field.act, crate::Act::Gravity(_)))
    }

    /// Whether a node, or anything that it stands on, moves.
    pub fn moves(&self, node: &Node) -> bool {
        self.chain(node).any(|(n, on)| !n.is_still() || on.is_some_and(|p| p.rides().is_some()))
    }

    /// A node and those that it stands on, each with what it itself stands on.
    pub fn chain<'s>(&'s self, node: &'s Node) -> impl Iterator<Item = (&'s Node, Option<&'s Parent>)> {
        let mut at = Some(node);
        std::iter::from_fn(move || {
            let here = at?;
            at = here.on.as_ref().and_then(|p| p.node(self));
            Some((here, here.on.as_ref()))
        })
        .take(crate::MOST_ON_EACH_OTHER + 1)
    }

    /// Bodies that touch each other, as runs of their keys in the order of the document: what can't touch is
    /// computed apart.
    pub fn islands(&self) -> Vec<Vec<BodyId>> {
        let bodies: Vec<(&BodyId, &Body)> = self.bodies.iter().collect();
        let mut island: Vec<usize> = (0..bodies.len()).collect();
        let hangs = |(_, a): (&BodyId, &Body), (b, _): (&BodyId, &Body)| {
            a.grips.values().any(|g| g.on && matches!(&g.to, HeldTo::Body(on) if on == b))
                || matches!(a.kind.outlet(), Some((_, Outlet::Body(on))) if on == b)
                || a.kind.drift().and_then(|d| d.shed.as_ref()).is_some_and(|s| s.plants == *b)
        };
        for b in 0..bodies.len() {
            for a in 0..b {
                if self.touch(bodies[a].1, bodies[b].1)
                    || hangs(bodies[a], bodies[b])
                    || hangs(bodies[b], bodies[a])
                {
                    let (low, high) = (island[a].min(island[b]), island[a].max(island[b]));
                    island.iter_mut().filter(|i| **i == high).for_each(|i| *i = low);
                }
            }
        }
        let members =
            |k: usize| (0..bodies.len()).filter(|&b| island[b] == k).map(|b| bodies[b].0.clone()).collect();
        (0..bodies.len()).filter(|&k| island[k] == k).map(members).collect()
    }

    /// Whether two bodies are kept apart by contact.
    pub fn touch(&self, a: &Body, b: &Body) -> bool {
        a.touch.others && b.touch.others && self.meet(&a.touch.group, &b.touch.group)
    }
}

impl FrameSpan {
    /// A moment, in frames.
    pub fn moment(&self, frame: f64) -> Moment {
        Moment { frame, first: self.first as f64, rate: self.rate }
    }

    /// How many frames there are, the first included; 0 where the range runs backwards.
    pub fn count(&self) -> usize {
        (self.last - self.first + 1).max(0) as usize
    }
}

/// A level plane with friction.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Floor {
    #[schemars(title = "Height", range(min = -1000, max = 1000), extend("unit" = "m"))]
    #[serde(default)]
    pub height: f64,
    /// Coulomb friction; the larger of floor and matter acts.
    #[schemars(title = "Friction", range(min = 0, max = 4))]
    #[serde(default = "friction")]
    pub friction: f64,
}

fn friction() -> f64 {
    0.5
}
