use crate::{Choice, Dye, MapId, MeshSource, Node, Profile, Zone, ZoneBall, ZoneForm};
use nematon_motion::Value;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Weights from 0 to 1 on the points of a body: its layers, each laid over those before, then all of it inverted, remapped and evened
/// out, in this order.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Map {
    #[schemars(title = "Name", length(min = 1, max = 80))]
    pub name: String,
    /// The colour that it is shown in; left out, woad.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Dye")]
    pub dye: Option<Dye>,
    /// The first is laid over nothing: of none, it is 0 everywhere.
    #[schemars(title = "Layers", length(max = 200))]
    pub layers: Vec<Layer>,
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    #[schemars(title = "Inverted")]
    pub invert: bool,
    /// What weights become: from, to; straight between, and as at the ends beyond them. Left out, they stay.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[schemars(title = "Remap", length(max = 16), inner(inner(range(min = 0, max = 1))))]
    pub remap: Vec<[f64; 2]>,
    /// How many times it is evened out, each time half way to the mean of what is beside a point.
    #[serde(default, skip_serializing_if = "is_none")]
    #[schemars(title = "Evened out", range(min = 0, max = 200), extend("default" = 0))]
    pub smooth: u32,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
fn is_none(n: &u32) -> bool {
    *n == 0
}

impl Map {
    /// A map of one layer.
    pub fn of(name: &str, weights: Weights) -> Map {
        let layers = vec![Layer::of(weights)];
        Map { name: name.to_owned(), dye: None, layers, invert: false, remap: vec![], smooth: 0 }
    }

    /// What a weight becomes once all layers are laid: inverted, then remapped.
    pub fn becomes(&self, weight: f64) -> f64 {
        let w = if self.invert { 1.0 - weight } else { weight };
        let Some(after) = self.remap.iter().position(|[from, _]| *from >= w) else {
            return self.remap.last().map_or(w, |[_, to]| *to);
        };
        let [b, to] = self.remap[after];
        match after.checked_sub(1).map(|k| self.remap[k]) {
            Some([a, from]) if b > a => from + (w - a) / (b - a) * (to - from),
            _ => to,
        }
    }
}

/// A layer of a map.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Layer {
    #[schemars(title = "Weights")]
    pub weights: Weights,
    #[serde(default = "crate::body::on", skip_serializing_if = "is_on")]
    #[schemars(title = "On")]
    pub on: bool,
    #[serde(default, skip_serializing_if = "Blend::is_over")]
    #[schemars(title = "Laid on by")]
    pub blend: Blend,
    #[serde(default = "whole", skip_serializing_if = "is_whole")]
    #[schemars(title = "Strength", range(min = 0, max = 1), extend("default" = 1.0))]
    pub strength: Value,
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    #[schemars(title = "Inverted")]
    pub invert: bool,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
fn is_on(on: &bool) -> bool {
    *on
}
fn whole() -> Value {
    1.0.into()
}
fn is_whole(v: &Value) -> bool {
    v.is(1.0)
}

impl Layer {
    pub fn of(weights: Weights) -> Layer {
        Layer { weights, on: true, blend: Blend::Over, strength: whole(), invert: false }
    }

    /// A weight of its own laid over what is under it, by a strength from 0 to 1.
    pub fn lay(&self, under: f64, own: f64, strength: f64) -> f64 {
        let own = if self.invert { 1.0 - own } else { own };
        under + strength.clamp(0.0, 1.0) * (self.blend.lay(under, own) - under)
    }
}

/// How a layer is laid over those before; the first is laid over nothing, 0.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Blend {
    /// Stands in their place.
    #[default]
    Over,
    Add,
    /// Is taken away from them.
    Take,
    Multiply,
    /// The larger of the two.
    Most,
    /// The smaller.
    Least,
}

impl Blend {
    fn is_over(&self) -> bool {
        *self == Blend::Over
    }
    /// A weight laid over another, 0 to 1.
    pub fn lay(self, under: f64, own: f64) -> f64 {
        match self {
            Blend::Over => own,
            Blend::Add => (under + own).min(1.0),
            Blend::Take => (under - own).max(0.0),
            Blend::Multiply => under * own,
            Blend::Most => under.max(own),
            Blend::Least => under.min(own),
        }
    }
}

/// Where a layer's weights come from.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
#[schemars(extend("examples" = Weights::all()))]
pub enum Weights {
    Painted(Painted),
    /// 1 within a part of space, less over its edge. It is where it is beside the body's own place, frame by frame: a zone on
    /// the joint that a body begins on stays where it is on the body.
    Zone(Box<Zone>),
    Noise(Noise),
    Picture(Picture),
    Ramp(Ramp),
    Distance(Distance),
    Border(NearBorder),
    /// Path of a CSV file, relative to the scene file: one weight a line, in the order of the points.
    File(String),
}

impl Weights {
    /// One of each kind that needs no file, as it begins.
    pub fn all() -> Vec<Weights> {
        vec![
            Weights::Painted(Painted::default()),
            Weights::Zone(Box::new(Zone {
                place: Node::default(),
                form: ZoneForm::Ball(ZoneBall { radius: 0.3.into() }),
                edge: 0.3.into(),
                profile: Profile::Smooth,
                outside: false,
            })),
            Weights::Noise(Noise { size: 0.2, octaves: 2, seed: 0 }),
            Weights::Ramp(Ramp { along: Axis::Y, from: 0.0, to: 1.0 }),
            Weights::Distance(Distance { from: vec![], reach: 0.3 }),
        ]
    }

    /// Whether it is told by places alone.
    pub fn needs_no_surface(&self) -> bool {
        match self {
            Weights::Zone(_) | Weights::Noise(_) | Weights::File(_) => true,
            Weights::Ramp(r) => !matches!(r.along, Axis::U | Axis::V),
            Weights::Painted(_) | Weights::Picture(_) | Weights::Distance(_) | Weights::Border(_) => false,
        }
    }

    /// Its files, with their paths in it.
    pub fn sources(&self) -> Vec<(String, &MeshSource)> {
        match self {
            Weights::Painted(p) => {
                let on = p.on.iter().map(|m| ("painted/on".to_owned(), m));
                let strokes = p.strokes.iter().enumerate();
                on.chain(strokes.map(|(k, m)| (format!("painted/strokes/{k}"), m))).collect()
            }
            Weights::Picture(p) => vec![("picture/from".into(), &p.from)],
            Weights::Zone(_)
            | Weights::Noise(_)
            | Weights::Ramp(_)
            | Weights::Distance(_)
            | Weights::Border(_)
            | Weights::File(_) => vec![],
        }
    }

    pub fn sources_mut(&mut self) -> Vec<&mut MeshSource> {
        match self {
            Weights::Painted(p) => p.on.iter_mut().chain(&mut p.strokes).collect(),
            Weights::Picture(p) => vec![&mut p.from],
            Weights::Zone(_)
            | Weights::Noise(_)
            | Weights::Ramp(_)
            | Weights::Distance(_)
            | Weights::Border(_)
            | Weights::File(_) => vec![],
        }
    }
}

/// Painted by hand. Carried over to other points by the nearest place of the surface that it was painted on.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Painted {
    /// The surface that it was painted on, as an NPZ file of `positions` and `triangles`; none before the first stroke.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Painted on")]
    pub on: Option<MeshSource>,
    /// NPZ files of `points` and `weights`, each what a stroke changed, the oldest first.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[schemars(title = "Strokes", length(max = 400))]
    pub strokes: Vec<MeshSource>,
}

/// Uneven in space: gradient noise about a half, through the rest shape before it is placed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Noise {
    /// Of its largest patches.
    #[schemars(title = "Size", range(min = 0.001, max = 1000), extend("unit" = "m"))]
    pub size: f64,
    /// Each is half as large as the one before, and half as strong.
    #[schemars(title = "Octaves", range(min = 1, max = 8))]
    #[serde(default = "octaves")]
    pub octaves: u32,
    /// Another is another noise of the same kind.
    #[schemars(title = "Seed", range(min = 0, max = 1_000_000))]
    #[serde(default)]
    pub seed: u32,
}

fn octaves() -> u32 {
    2
}

/// A picture laid on by the UVs: PNG or JPEG. Beyond its edges it repeats.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Picture {
    #[schemars(title = "From")]
    pub from: MeshSource,
    #[serde(default)]
    #[schemars(title = "Channel")]
    pub channel: Channel,
    /// Upside down.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    #[schemars(title = "Upside down")]
    pub flip: bool,
    /// What it is multiplied by, about a half.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    #[schemars(title = "Contrast", range(min = -100, max = 100), extend("default" = 1.0))]
    pub gain: f64,
    /// What is added then.
    #[serde(default)]
    #[schemars(title = "Brightness", range(min = -1, max = 1))]
    pub bias: f64,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
fn is_one(v: &f64) -> bool {
    *v == 1.0
}

/// What of a picture's colours counts.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Channel {
    /// How light it is, by the weights of Rec. 709.
    #[default]
    Light,
    Red,
    Green,
    Blue,
    /// How much covers.
    Alpha,
}

/// From 1 at some points to 0 at a distance from them, along the surface of the rest shape.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Distance {
    /// The points are those of all the choices together; of none, it is 0 everywhere.
    #[schemars(title = "From", length(max = 200))]
    pub from: Vec<Choice>,
    /// 0 is the points alone.
    #[schemars(title = "Reach", range(min = 0, max = 1000), extend("unit" = "m"))]
    pub reach: f64,
}

/// From 0 at one place to 1 at another, along an axis of the shape before it is placed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Ramp {
    #[schemars(title = "Along")]
    pub along: Axis,
    /// Where the weight is 0: metres, or a share of the UVs or of a strand.
    #[schemars(title = "Nothing at", range(min = -10_000, max = 10_000))]
    pub from: f64,
    /// Where it is 1.
    #[schemars(title = "All at", range(min = -10_000, max = 10_000))]
    pub to: f64,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Axis {
    U,
    V,
    X,
    Y,
    Z,
    /// From the root of a strand, 0, to its tip, 1.
    Strand,
}

/// From 1 on a border to 0 at a distance from it, straight through the shape before it is placed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NearBorder {
    #[schemars(title = "Border")]
    pub border: String,
    #[schemars(title = "Reach", range(min = 0.0001, max = 1000), extend("unit" = "m"))]
    pub reach: f64,
}

/// A number of the matter that a map can scale.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Scaled {
    ArealWeight,
    /// Along warp and weft.
    Stretch,
    Shear,
    /// Across warp and weft.
    Bend,
    Damping,
    Thickness,
    Friction,
    Drag,
    Lift,
    /// How strongly it is drawn to where its shape would be.
    Follow,
    Gravity,
    /// How fast still air takes its speed.
    StillAir,
}

/// How a map scales a number.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ScaledBy {
    #[schemars(title = "Map")]
    pub map: MapId,
    /// What the number is multiplied by where the weight is 0.
    #[schemars(title = "Where 0", range(min = 0, max = 1000))]
    #[serde(default)]
    pub least: f64,
    /// And where it is 1; between, in proportion.
    #[schemars(title = "Where 1", range(min = 0, max = 1000))]
    #[serde(default = "one")]
    pub most: f64,
}

fn one() -> f64 {
    1.0
}

/// The shape that a body wants to come back to.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Rest {
    #[schemars(title = "Rest shape")]
    pub shape: RestShape,
    /// What its lengths are multiplied by.
    #[serde(skip_serializing_if = "is_still_one")]
    #[schemars(title = "Rest scale", range(min = 0.05, max = 20), extend("default" = 1.0))]
    pub scale: Value,
    /// What its lengths along warp are multiplied by beside that.
    #[serde(skip_serializing_if = "is_still_one")]
    #[schemars(title = "Along warp", range(min = 0.05, max = 20), extend("default" = 1.0, "seldom" = true))]
    pub warp: Value,
    /// What its lengths along weft are multiplied by beside that.
    #[serde(skip_serializing_if = "is_still_one")]
    #[schemars(title = "Along weft", range(min = 0.05, max = 20), extend("default" = 1.0, "seldom" = true))]
    pub weft: Value,
    /// What its folds are multiplied by: 0 is flat, -1 folded the other way.
    #[serde(skip_serializing_if = "is_still_one")]
    #[schemars(title = "Rest bend", range(min = -20, max = 20), extend("default" = 1.0))]
    pub bend: Value,
}

fn is_still_one(v: &Value) -> bool {
    v.is(1.0)
}

impl Default for Rest {
    fn default() -> Self {
        Rest {
            shape: RestShape::default(),
            scale: 1.0.into(),
            warp: 1.0.into(),
            weft: 1.0.into(),
            bend: 1.0.into(),
        }
    }
}

/// Where lengths and folds at rest come from.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum RestShape {
    /// The shape that it starts in.
    #[default]
    Start,
    /// The lengths that it starts with, and no folds.
    Flat,
    /// Another mesh with the same points and triangles.
    Mesh(MeshSource),
    /// Its own points where they were at a frame, kept as a mesh.
    Frame(MeshSource),
}
