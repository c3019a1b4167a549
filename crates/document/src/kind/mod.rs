//! What a body is: one kind a file, with what only it has and what must fit there.
mod cloth;
mod drift;
mod hairs;
mod plants;
mod shed;
mod strands;

pub use cloth::*;
pub use drift::{Drift, Outlet, Source};
pub use hairs::{Clumps, Hairs};
pub use plants::{LeafMatter, PlantMesh, Plants, Wood};
pub use shed::{Flies, Order, Shed, ShedRule, Sheds, Thin};
pub use strands::Strands;

use crate::{Body, MAX_POINTS, MapId, Scaled};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What doesn't fit, where, in words that go on from its name.
pub struct Fault {
    /// Path in the kind's own part, or in what all bodies have.
    pub at: String,
    pub own: bool,
    pub why: String,
}

impl Fault {
    fn own(at: &str, why: String) -> Fault {
        Fault { at: at.into(), own: true, why }
    }
    fn common(at: &str, why: &str) -> Fault {
        Fault { at: at.into(), own: false, why: why.into() }
    }
}

/// What grows: on what, how many, and how many points each has; the maps that it names, by their paths, and what to do against too many points.
struct Growing<'a> {
    from: &'a Outlet,
    count: u32,
    each: usize,
    maps: &'a [(&'a str, &'a Option<MapId>)],
    cure: &'a str,
    what: &'a str,
}

impl Growing<'_> {
    /// What can't be of it, its maps and all else that a body of segments has.
    fn faults(&self, body: &Body) -> Vec<Fault> {
        let mut out = vec![];
        let all = self.each.saturating_mul(self.count as usize);
        if all > MAX_POINTS {
            let why = format!(
                "is {}, with {} points each {all}; the most is {MAX_POINTS}. {}",
                self.count, self.each, self.cure
            );
            out.push(Fault::own("count", why));
        }
        if let Outlet::Points(points) = self.from
            && points.len() != self.count as usize
        {
            let why = format!("is {}, and there are {} places to grow from", self.count, points.len());
            out.push(Fault::own("count", why));
        }
        for (path, map) in self.maps {
            if let Some(map) = map.as_ref().filter(|m| !body.maps.contains_key(*m)) {
                out.push(Fault::own(path, format!("names the map \"{map}\", which the body does not have")));
            }
        }
        if body.follow.is_some() {
            let why = format!("can't be: {} come back to their shape by their stiffness", self.what);
            out.push(Fault::common("follow", &why));
        }
        let scale = [
            Scaled::ArealWeight,
            Scaled::Bend,
            Scaled::Drag,
            Scaled::Friction,
            Scaled::Gravity,
            Scaled::StillAir,
        ];
        out.extend(surfaceless(
            body,
            self.what,
            (&scale, "weight, bend, drag, friction and what air and gravity do"),
        ));
        out
    }
}

/// What maps can't say of a kind without a surface; `what` it is, and what of it they `scale`.
fn surfaceless(body: &Body, what: &str, scale: (&[Scaled], &str)) -> Vec<Fault> {
    let mut out = vec![];
    for scaled in body.scaled.keys().filter(|k| !scale.0.contains(k)) {
        let key = serde_json::to_value(scaled).unwrap_or_default();
        let why = format!("can't be: of {what}, maps scale {}", scale.1);
        out.push(Fault { at: format!("scaled/{}", key.as_str().unwrap_or("")), own: false, why });
    }
    for (map, k, _) in body.layers().filter(|l| !l.2.weights.needs_no_surface()) {
        let why = format!("can't be: {what} have no surface. Say it by a zone, noise, a ramp or a file");
        out.push(Fault { at: format!("maps/{map}/layers/{k}/weights"), own: false, why });
    }
    out
}

/// A kind of body.
trait Traits: Sized {
    /// One as it begins when it is added; none where it needs a shape first.
    fn begin() -> Option<Self>;
    /// The meshes that it names, with their paths in it.
    fn sources(&self) -> Vec<(String, &MeshSource)> {
        vec![]
    }
    fn sources_mut(&mut self) -> Vec<&mut MeshSource> {
        vec![]
    }
    /// What its points come from, with its path in it.
    fn outlet(&self) -> Option<(&'static str, &Outlet)> {
        None
    }
    /// What the schema can't say.
    fn faults(&self, body: &Body) -> Vec<Fault>;
}

macro_rules! kinds {
    ($($kind:ident,)*) => {
        /// What a body is, with what only its kind has.
        #[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
        #[serde(rename_all = "lowercase")]
        #[schemars(extend("examples" = Kind::all()))]
        pub enum Kind {
            $($kind(Box<$kind>),)*
        }

        impl Kind {
            /// One of each kind that needs no shape first, as it begins.
            pub fn all() -> Vec<Kind> {
                [$($kind::begin().map(|k| Kind::$kind(Box::new(k))),)*].into_iter().flatten().collect()
            }
            /// The meshes that it names, with their paths in it.
            pub fn sources(&self) -> Vec<(String, &MeshSource)> {
                match self {
                    $(Kind::$kind(k) => {
                        let at = |path: String| format!("{}/{path}", stringify!($kind).to_lowercase());
                        k.sources().into_iter().map(|(path, m)| (at(path), m)).collect()
                    })*
                }
            }
            pub fn sources_mut(&mut self) -> Vec<&mut MeshSource> {
                match self { $(Kind::$kind(k) => k.sources_mut(),)* }
            }
            /// What its points come from, with its path in it.
            pub fn outlet(&self) -> Option<(String, &Outlet)> {
                match self {
                    $(Kind::$kind(k) => {
                        let at = |path: &str| format!("{}/{path}", stringify!($kind).to_lowercase());
                        k.outlet().map(|(path, from)| (at(path), from))
                    })*
                }
            }
            /// What doesn't fit, with its path in the body.
            pub fn faults(&self, body: &Body) -> Vec<(String, String)> {
                match self {
                    $(Kind::$kind(k) => {
                        let name = stringify!($kind).to_lowercase();
                        let at = |f: &Fault| if f.own { format!("kind/{name}/{}", f.at) } else { f.at.clone() };
                        k.faults(body).into_iter().map(|f| (at(&f), f.why)).collect()
                    })*
                }
            }
            /// Loose pieces, where it is those.
            pub fn drift(&self) -> Option<&Drift> {
                match self {
                    Kind::Drift(d) => Some(d.as_ref()),
                    Kind::Cloth(_) | Kind::Strands(_) | Kind::Plants(_) => None,
                }
            }
            /// Strands, where it is those.
            pub fn strands(&self) -> Option<&Strands> {
                match self {
                    Kind::Strands(s) => Some(s.as_ref()),
                    Kind::Cloth(_) | Kind::Drift(_) | Kind::Plants(_) => None,
                }
            }
            /// Plants, where it is those.
            pub fn plants(&self) -> Option<&Plants> {
                match self {
                    Kind::Plants(p) => Some(p.as_ref()),
                    Kind::Cloth(_) | Kind::Drift(_) | Kind::Strands(_) => None,
                }
            }
            /// A cloth, where it is one.
            pub fn cloth(&self) -> Option<&Cloth> {
                match self {
                    Kind::Cloth(c) => Some(c.as_ref()),
                    Kind::Drift(_) | Kind::Strands(_) | Kind::Plants(_) => None,
                }
            }
            pub fn cloth_mut(&mut self) -> Option<&mut Cloth> {
                match self {
                    Kind::Cloth(c) => Some(c.as_mut()),
                    Kind::Drift(_) | Kind::Strands(_) | Kind::Plants(_) => None,
                }
            }
        }
    };
}

kinds! {
    Cloth,
    Drift,
    Strands,
    Plants,
}
