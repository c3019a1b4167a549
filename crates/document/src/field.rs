use crate::{BodyId, Map, Node};
pub use nematon_air::{
    Across, Act, Along as AlongAxis, By, Column, Gravity, Joins, Law, Pattern, Profile, Pull, Shelter,
    Skin as SkinPush, Stream, SurfaceOf, Toward, Turbulence, Vortex, Wind, Within,
};
use nematon_motion::Value;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Something that acts through space; what it does is of one of the kinds of `nematon_air`. Those that move air add up to
/// the air that bodies meet.
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
    /// What all of it is multiplied by.
    #[serde(default = "whole", skip_serializing_if = "is_whole")]
    #[schemars(title = "Amount", range(min = 0, max = 10), extend("default" = 1.0))]
    pub share: Value,
    /// Whether it moves air or pushes; left out, as its kind does: weights, pulls and skins push.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "By")]
    pub by: Option<By>,
    /// Where it stands and how it is turned; left out, at the origin of the world, as it is.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Place")]
    pub place: Option<Node>,
    /// Where it acts; left out, everywhere.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Zone")]
    pub zone: Option<Zone>,
    /// Zones more, each joined to those before it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[schemars(title = "More zones", length(max = 20))]
    pub zones: Vec<Joined>,
    /// The bodies on which it acts; left out, all.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Only on", length(max = 200))]
    pub only: Option<Vec<BodyId>>,
    /// Groups of bodies on which it acts, beside those that it is only on; left out, all.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[schemars(title = "Only on groups", length(max = 200), inner(length(min = 1, max = 40)))]
    pub groups: Vec<String>,
    /// Bodies on which it does not act.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[schemars(title = "Not on", length(max = 200))]
    pub except: Vec<BodyId>,
    /// Weights on the surface that a skin pushes with, which its strength is multiplied by before gain and bias; zones are told
    /// beside the surface's own place. Left out, 1 everywhere.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Map")]
    pub map: Option<Map>,
    #[schemars(title = "Acts as")]
    pub act: Act,
}

fn whole() -> Value {
    1.0.into()
}
fn is_whole(v: &Value) -> bool {
    v.is(1.0)
}

/// A zone more.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Joined {
    #[schemars(title = "Zone")]
    pub zone: Zone,
    #[serde(default)]
    #[schemars(title = "On")]
    pub joins: Joins,
}

impl Field {
    /// One that acts everywhere, always and on all.
    pub fn of(name: &str, act: Act) -> Field {
        Field {
            name: name.to_owned(),
            on: true,
            when: None,
            share: whole(),
            by: None,
            place: None,
            zone: None,
            zones: vec![],
            only: None,
            groups: vec![],
            except: vec![],
            map: None,
            act,
        }
    }

    /// What it does with what it meets.
    pub fn by(&self) -> By {
        self.by.unwrap_or(self.act.by())
    }

    /// All its zones, with how each is joined to those before it.
    pub fn all_zones(&self) -> impl Iterator<Item = (&Zone, Joins)> {
        self.zone.iter().map(|z| (z, Joins::Both)).chain(self.zones.iter().map(|j| (&j.zone, j.joins)))
    }

    /// Whether it acts on all bodies.
    pub fn is_on_all(&self) -> bool {
        self.only.is_none() && self.groups.is_empty() && self.except.is_empty()
    }

    /// Whether it acts on a body of a group.
    pub fn is_on(&self, body: &BodyId, group: &str) -> bool {
        let chosen = match &self.only {
            None if self.groups.is_empty() => true,
            only => only.iter().flatten().any(|b| b == body) || self.groups.iter().any(|g| g == group),
        };
        chosen && !self.except.contains(body)
    }
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

/// A part of space: a form, and an edge about it over which what it limits ends.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Zone {
    #[serde(default)]
    #[schemars(title = "Place")]
    pub place: Node,
    #[schemars(title = "Form")]
    pub form: ZoneForm,
    /// About the form, by its profile.
    #[serde(default = "edge")]
    #[schemars(title = "Edge", range(min = 0, max = 1000), extend("unit" = "m"))]
    pub edge: Value,
    #[serde(default, skip_serializing_if = "is_smooth")]
    #[schemars(title = "Profile")]
    pub profile: Profile,
    /// All that lies outside instead.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    #[schemars(title = "Outside")]
    pub outside: bool,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
fn is_smooth(profile: &Profile) -> bool {
    *profile == Profile::Smooth
}

fn edge() -> Value {
    0.3.into()
}

/// The form of a zone, about its own origin.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum ZoneForm {
    Ball(ZoneBall),
    Box(ZoneBox),
    /// Upright; the length is between the middles of its ends.
    Capsule(ZoneCapsule),
    /// Between two planes across its own upright axis, without end.
    Slab(ZoneSlab),
    /// The wall of an upright tube, open at its ends.
    Tube(ZoneTube),
}

impl Zone {
    /// Whether nothing about it changes but where it stands.
    pub fn form_is_still(&self) -> bool {
        let form: &[&Value] = match &self.form {
            ZoneForm::Ball(b) => &[&b.radius],
            ZoneForm::Box(b) => &[&b.size[0], &b.size[1], &b.size[2]],
            ZoneForm::Capsule(c) => &[&c.radius, &c.length],
            ZoneForm::Slab(s) => &[&s.thickness],
            ZoneForm::Tube(t) => &[&t.radius, &t.length, &t.wall],
        };
        self.edge.is_still() && form.iter().all(|v| v.is_still())
    }
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ZoneBall {
    #[schemars(title = "Radius", range(min = 0.001, max = 1000), extend("unit" = "m"))]
    pub radius: Value,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ZoneBox {
    #[schemars(title = "Size", inner(range(min = 0.001, max = 2000)), extend("unit" = "m"))]
    pub size: [Value; 3],
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ZoneCapsule {
    #[schemars(title = "Radius", range(min = 0.001, max = 1000), extend("unit" = "m"))]
    pub radius: Value,
    #[schemars(title = "Length", range(min = 0, max = 2000), extend("unit" = "m"))]
    pub length: Value,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ZoneSlab {
    #[schemars(title = "Thickness", range(min = 0, max = 2000), extend("unit" = "m"))]
    pub thickness: Value,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ZoneTube {
    /// To the middle of its wall.
    #[schemars(title = "Radius", range(min = 0.001, max = 1000), extend("unit" = "m"))]
    pub radius: Value,
    #[schemars(title = "Length", range(min = 0, max = 2000), extend("unit" = "m"))]
    pub length: Value,
    #[schemars(title = "Wall", range(min = 0, max = 1000), extend("unit" = "m"))]
    pub wall: Value,
}
