//! What bodies are kept out of. A form is one file: its numbers as a scene says them, its distance on eight places at once,
//! its skin. A list of one line each makes the enum.
//!
//! Distances: C. Ericson, "Real-Time Collision Detection" (2005), chapter 5.
mod ball;
mod block;
mod capsule;
mod figure;
mod hull;
mod mesh;
mod plane;

pub use hull::hull_fault;
pub use mesh::ShapeKey;

use nematon_geometry::{Mesh, MeshSource};
use nematon_simd::{F8, V8};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// Where meshes come from; why there is none is told in words that go on from the collider's name.
pub trait Fetch {
    fn mesh(&self, source: &MeshSource) -> Result<Arc<Mesh>, String>;
    /// The surface of a figure, or of some of its parts, as it is at first.
    fn figure(&self, of: &FigureForm) -> Result<Arc<Mesh>, String>;
}

/// A form of a collider.
pub trait Kind: Sized {
    /// Whether it can keep bodies inside as well as outside.
    const HOLLOW: bool = false;
    /// One as it begins when it is added; none where it is made of a mesh.
    fn begin() -> Option<Self> {
        None
    }
    /// The meshes that it names, with their paths in it.
    fn sources(&self) -> Vec<(String, &MeshSource)> {
        vec![]
    }
    fn sources_mut(&mut self) -> Vec<&mut MeshSource> {
        vec![]
    }
    /// Frames that must follow each other, with the path in it of what has them.
    fn keyed(&self) -> Option<(&'static str, Vec<i64>)> {
        None
    }
    /// What contact meets.
    fn stand(&self, mesh: &dyn Fetch) -> Result<Standing, String>;
    /// What is seen of it, about its own origin; none where it has no end.
    fn seen(&self, mesh: &dyn Fetch) -> Result<Option<Mesh>, String> {
        let skin = self.stand(mesh)?.skin;
        Ok(skin.map(|s| Mesh { positions: s.positions, triangles: s.triangles, ..Mesh::default() }))
    }
}

/// What contact meets of a collider, about its own origin. Metres.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Standing {
    /// Points of bodies are kept out of it.
    pub solid: Option<Solid>,
    /// Its triangles, edges and corners are kept from those of bodies.
    pub skin: Option<Skin>,
    /// Other shapes of the skin, by frame.
    pub shapes: Vec<Shaped>,
}

impl Standing {
    fn of(solid: Solid) -> Standing {
        Standing { solid: Some(solid), ..Standing::default() }
    }
}

/// A shape of a skin at a frame.
#[derive(Clone, Debug, PartialEq)]
pub struct Shaped {
    pub frame: i64,
    pub positions: Arc<Vec<[f32; 3]>>,
    /// BLAKE3 of the positions.
    pub hash: [u8; 32],
}

/// Triangles that bodies can't pass.
#[derive(Clone, Debug, PartialEq)]
pub struct Skin {
    /// In its own frame, metres, as it is at first.
    pub positions: Vec<[f32; 3]>,
    pub triangles: Vec<[u32; 3]>,
}

impl Skin {
    fn of(m: &Mesh) -> Skin {
        Skin { positions: m.positions.clone(), triangles: m.triangles.clone() }
    }
}

macro_rules! kinds {
    ($($(#[doc = $doc:literal])* $kind:ident($type:ident) in $file:ident,)*) => {
        $(pub use $file::$type;)*

        /// What a collider is like, about its own origin.
        #[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
        #[serde(rename_all = "lowercase")]
        #[schemars(extend("examples" = Form::all(), "hollow" = Form::hollows()))]
        pub enum Form {
            $($(#[doc = $doc])* $kind($type),)*
        }

        impl Form {
            /// One of each kind that needs no mesh, as it begins.
            pub fn all() -> Vec<Form> {
                [$($type::begin().map(Form::$kind),)*].into_iter().flatten().collect()
            }
            /// The names of those that can keep bodies inside.
            fn hollows() -> Vec<String> {
                let all = [$(($type::HOLLOW, stringify!($kind)),)*];
                all.into_iter().filter(|k| k.0).map(|k| k.1.to_lowercase()).collect()
            }
            pub fn can_be_hollow(&self) -> bool {
                match self { $(Form::$kind(_) => $type::HOLLOW,)* }
            }
            /// The meshes that it names, with their paths in it.
            pub fn sources(&self) -> Vec<(String, &MeshSource)> {
                match self {
                    $(Form::$kind(f) => {
                        let at = |path: String| format!("{}/{path}", stringify!($kind).to_lowercase());
                        f.sources().into_iter().map(|(path, m)| (at(path), m)).collect()
                    })*
                }
            }
            pub fn sources_mut(&mut self) -> Vec<&mut MeshSource> {
                match self { $(Form::$kind(f) => f.sources_mut(),)* }
            }
            /// Frames that must follow each other, with the path in it of what has them.
            pub fn keyed(&self) -> Option<(String, Vec<i64>)> {
                match self {
                    $(Form::$kind(f) => {
                        let at = |path: &str| format!("{}/{path}", stringify!($kind).to_lowercase());
                        f.keyed().map(|(path, frames)| (at(path), frames))
                    })*
                }
            }
            /// # Errors
            /// When a mesh can't be had or doesn't do, in words that go on from the collider's name.
            pub fn stand(&self, mesh: &dyn Fetch) -> Result<Standing, String> {
                match self { $(Form::$kind(f) => f.stand(mesh),)* }
            }
            /// # Errors
            /// As for `stand`.
            pub fn seen(&self, mesh: &dyn Fetch) -> Result<Option<Mesh>, String> {
                match self { $(Form::$kind(f) => f.seen(mesh),)* }
            }
        }
    };
}

kinds! {
    Plane(PlaneForm) in plane,
    Ball(BallForm) in ball,
    Capsule(CapsuleForm) in capsule,
    Box(BoxForm) in block,
    Hull(HullForm) in hull,
    Mesh(MeshForm) in mesh,
    Figure(FigureForm) in figure,
}

/// A solid that a formula describes, about its own origin. Metres.
#[derive(Clone, Debug, PartialEq)]
pub enum Solid {
    /// All that lies under y = 0.
    Plane,
    Ball {
        radius: f32,
    },
    /// About the y axis; `half` its straight part.
    Capsule {
        radius: f32,
        half: f32,
    },
    Box {
        half: [f32; 3],
    },
    /// What lies under all planes: unit normals outward, and how far each is from the origin.
    Hull {
        planes: Vec<[f32; 4]>,
    },
    /// All that is outside of it: bodies are kept within.
    Inside(Box<Solid>),
}

impl Solid {
    /// Distance to its surface, negative inside, and the way out; in its own frame.
    #[inline(always)]
    pub fn distance(&self, p: V8) -> (V8, F8) {
        match self {
            Solid::Plane => plane::distance(p),
            Solid::Ball { radius } => ball::distance(*radius, p),
            Solid::Capsule { radius, half } => capsule::distance(*radius, *half, p),
            Solid::Box { half } => block::distance(half, p),
            Solid::Hull { planes } => hull::distance(planes, p),
            Solid::Inside(solid) => {
                let (n, d) = solid.distance(p);
                (n.scale(F8::splat(-1.0)), -d)
            }
        }
    }

    /// The least radius of a surface that is round everywhere: a way that is short beside it meets it as its end does.
    pub fn round(&self) -> Option<f32> {
        match self {
            Solid::Plane => Some(f32::INFINITY),
            Solid::Ball { radius } | Solid::Capsule { radius, .. } => Some(*radius),
            Solid::Inside(solid) => solid.round(),
            Solid::Box { .. } | Solid::Hull { .. } => None,
        }
    }
}

#[cfg(test)]
mod tests;
