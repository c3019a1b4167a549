use crate::{FigureId, FrameSpan, MeshSource, Node, Surface};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// An animated mesh from a file: seen, touched, held to, stood on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Figure {
    #[schemars(title = "Name", length(min = 1, max = 80))]
    pub name: String,
    /// A file of joints and clips (GLB, glTF), of one shape (OBJ), or of a sequence of shapes (a zip of OBJ files).
    #[schemars(title = "From")]
    pub from: MeshSource,
    /// A NumPy array of the same points, shape by shape, that moves them in place of the file's own motion.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Points from")]
    pub points: Option<MeshSource>,
    #[serde(default)]
    #[schemars(title = "Place")]
    pub place: Node,
    /// What its lengths are multiplied by.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    #[schemars(title = "Size", range(min = 0.0001, max = 10_000), extend("default" = 1.0))]
    pub size: f64,
    /// By its name in the file; left out, the first that there is.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Clip", length(min = 1, max = 80))]
    pub clip: Option<String>,
    /// The frame at which the clip begins; before it the figure stands as at its beginning.
    #[serde(default)]
    #[schemars(title = "Begins at frame", range(min = -100_000, max = 1_000_000))]
    pub begins: f64,
    /// How many times as fast as in the file.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    #[schemars(title = "Speed", range(min = 0, max = 100), extend("default" = 1.0))]
    pub speed: f64,
    #[serde(default, skip_serializing_if = "AtEnd::is_hold")]
    #[schemars(title = "At its end")]
    pub then: AtEnd,
    /// What it looks to be made of. A look: no frame follows from it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Surface")]
    pub surface: Option<Surface>,
    /// Part of the place that the shot is in: hidden by one press, and left out where all is brought into view.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    #[schemars(title = "Scenery")]
    pub scenery: bool,
}

/// How a clip goes on after its end.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum AtEnd {
    /// Stays as it is there.
    #[default]
    Hold,
    /// Again from its beginning.
    Repeat,
    /// There and back.
    Back,
}

impl AtEnd {
    fn is_hold(&self) -> bool {
        *self == AtEnd::Hold
    }
}

fn one() -> f64 {
    1.0
}
#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
fn is_one(v: &f64) -> bool {
    *v == 1.0
}

impl Figure {
    /// What a file holds, as it is there.
    pub fn of(name: &str, from: MeshSource) -> Figure {
        Figure {
            name: name.into(),
            from,
            points: None,
            place: Node::default(),
            size: one(),
            clip: None,
            begins: 0.0,
            speed: one(),
            then: AtEnd::Hold,
            surface: None,
            scenery: false,
        }
    }

    /// How far into a clip of some length it is at a frame, both in seconds; at its beginning where it has no length.
    pub fn time(&self, frames: &FrameSpan, frame: f64, length: f64) -> f64 {
        let gone = ((frame - self.begins) / frames.rate * self.speed).max(0.0);
        if length <= 0.0 || length.is_nan() {
            return 0.0;
        }
        match self.then {
            AtEnd::Hold => gone.min(length),
            AtEnd::Repeat => gone % length,
            AtEnd::Back => {
                let round = gone % (2.0 * length);
                round.min(2.0 * length - round)
            }
        }
    }
}

/// A joint of a figure, by the name that it has in its file.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct JointOf {
    #[schemars(title = "Figure")]
    pub figure: FigureId,
    #[schemars(title = "Joint", length(min = 1, max = 80))]
    pub joint: String,
}

/// A spot on the surface of a figure: it rides with the triangle that is nearest to it, and turns with it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SpotOf {
    #[schemars(title = "Figure")]
    pub figure: FigureId,
    /// On the figure as it rests, before it is placed.
    #[schemars(title = "At", inner(range(min = -10_000, max = 10_000)), extend("unit" = "m"))]
    pub at: [f64; 3],
}
