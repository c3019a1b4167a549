use crate::{GripId, HeldTo, Map, MapId, Node, Rest, Scaled, ScaledBy, Touch};
use indexmap::IndexMap;
pub use nematon_geometry::shape::{Ball, BoxShape, Disc, Ring, Shape, Sheet, Tube, Warp};
pub use nematon_geometry::{ImportedMesh, MeshSource};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Something simulated: what all have, and what its kind has of its own.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Body {
    #[schemars(title = "Name", length(min = 1, max = 80))]
    pub name: String,
    /// Left out, it is undyed linen.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Dye")]
    pub dye: Option<Dye>,
    #[schemars(title = "Kind")]
    pub kind: Kind,
    /// Where it starts.
    #[serde(default)]
    #[schemars(title = "Place")]
    pub place: Node,
    #[serde(default)]
    #[schemars(title = "Grips")]
    pub grips: IndexMap<GripId, Grip>,
    #[serde(default)]
    #[schemars(title = "Contact")]
    pub touch: Touch,
    #[serde(default, skip_serializing_if = "IndexMap::is_empty")]
    #[schemars(title = "Maps")]
    pub maps: IndexMap<MapId, Map>,
    /// Which numbers of the matter change from point to point, and how.
    #[serde(default, skip_serializing_if = "IndexMap::is_empty")]
    #[schemars(title = "Scaled by maps")]
    pub scaled: IndexMap<Scaled, ScaledBy>,
}

/// Copies of a shape, each moved, turned and scaled from the one before.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Layers {
    /// With the first.
    #[schemars(title = "Layers", range(min = 1, max = 200))]
    pub count: u32,
    #[schemars(title = "Step", inner(range(min = -100, max = 100)), extend("unit" = "m"))]
    pub offset: [f64; 3],
    #[schemars(title = "Turn of a step", inner(range(min = -100, max = 100)), extend("unit" = "rad"))]
    #[serde(default)]
    pub turn: [f64; 3],
    #[schemars(title = "Scale of a step", range(min = 0.1, max = 10))]
    #[serde(default = "one")]
    pub scale: f64,
}

fn one() -> f64 {
    1.0
}

/// What a body is, with what only its kind has.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    Cloth(Cloth),
}

/// A surface that bends and hardly stretches.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Cloth {
    #[schemars(title = "Shape")]
    pub shape: Shape,
    #[serde(default)]
    #[schemars(title = "Matter")]
    pub matter: Matter,
    /// More of the same shape, as layers of one body.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Layers")]
    pub layers: Option<Layers>,
    /// What it comes back to; left out, the shape that it starts in.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Rest")]
    pub rest: Option<Rest>,
}

/// What a cloth is made of. Per unit width, so that point counts and sub-steps don't change it.
/// The defaults are a plain cotton of 150 g/m².
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Matter {
    /// The preset that the numbers began as; says nothing about what they are now.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Began as", length(min = 1, max = 40))]
    pub preset: Option<String>,
    #[schemars(title = "Areal weight", range(min = 0.001, max = 50), extend("unit" = "kg/m²"))]
    pub areal_weight: f64,
    /// Membrane stiffness along the warp threads.
    #[schemars(title = "Stretch, warp", range(min = 0.1, max = 1e6), extend("unit" = "N/m"))]
    pub stretch_warp: f64,
    #[schemars(title = "Stretch, weft", range(min = 0.1, max = 1e6), extend("unit" = "N/m"))]
    pub stretch_weft: f64,
    /// Resistance to the threads leaving their right angle.
    #[schemars(title = "Shear", range(min = 0, max = 1e6), extend("unit" = "N/m"))]
    pub shear: f64,
    /// How much it narrows across a pull, as a share of how much it lengthens along it: Poisson's ratio, the
    /// geometric mean of those of warp and weft.
    #[schemars(title = "Poisson's ratio", range(min = 0, max = 0.45))]
    pub poisson: f64,
    /// Bending rigidity of a fold across the warp threads.
    #[schemars(title = "Bend, warp", range(min = 0, max = 100), extend("unit" = "N·m"))]
    pub bend_warp: f64,
    #[schemars(title = "Bend, weft", range(min = 0, max = 100), extend("unit" = "N·m"))]
    pub bend_weft: f64,
    /// Rate at which motion relative to the body's own rigid motion dies away.
    #[schemars(title = "Damping", range(min = 0, max = 1000), extend("unit" = "1/s"))]
    pub damping: f64,
    /// Force against a flow that meets the cloth squarely: 1.28 for a flat plate.
    #[schemars(title = "Drag", range(min = 0, max = 10))]
    pub drag: f64,
    /// Force across a flow that meets the cloth at a slant.
    #[schemars(title = "Lift", range(min = 0, max = 10))]
    pub lift: f64,
    #[schemars(title = "Friction", range(min = 0, max = 4))]
    pub friction: f64,
    /// Half of it is kept between the cloth's middle and what it rests on.
    #[schemars(title = "Thickness", range(min = 0.00001, max = 0.1), extend("unit" = "m"))]
    pub thickness: f64,
}

impl Default for Matter {
    fn default() -> Self {
        Matter {
            preset: None,
            areal_weight: 0.15,
            stretch_warp: 900.0,
            stretch_weft: 700.0,
            shear: 60.0,
            poisson: 0.0,
            bend_warp: 1.2e-5,
            bend_weft: 0.9e-5,
            damping: 0.3,
            drag: 1.28,
            lift: 0.6,
            friction: 0.4,
            thickness: 0.0006,
        }
    }
}

/// A set of points, held.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Grip {
    #[schemars(title = "Name", length(min = 1, max = 80))]
    pub name: String,
    #[schemars(title = "On")]
    #[serde(default = "on")]
    pub on: bool,
    /// The points are those of all the choices together.
    #[schemars(title = "Points", length(min = 1, max = 200))]
    pub points: Vec<Choice>,
    #[serde(default)]
    #[schemars(title = "Held to")]
    pub to: HeldTo,
}

pub(crate) fn on() -> bool {
    true
}

/// A way of choosing points that outlives a change of density.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase", deny_unknown_fields)]
pub enum Choice {
    /// Points along a named border, its ends included.
    Border { border: String, by: Along },
    /// A named corner.
    Corner(String),
    /// The points nearest to these places on the unplaced rest shape, in metres.
    Near(
        #[schemars(length(min = 1, max = 20_000), inner(inner(range(min = -10_000, max = 10_000))))]
        Vec<[f64; 3]>,
    ),
    /// A part of the rest shape, whatever points lie in it.
    Area(Area),
}

/// A part of a rest shape, as an area of its material: it rides with the shape's size and density.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Area {
    /// In fractions of the unplaced rest shape's box, 0 to 1 along each axis.
    #[schemars(length(min = 1, max = 60_000), inner(inner(range(min = 0, max = 1))))]
    pub spots: Vec<[f64; 3]>,
    /// Three spots each, by their number: everything within them.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[schemars(length(max = 120_000))]
    pub triangles: Vec<[u32; 3]>,
    /// Two spots each: everything along them. Spots of no triangle and no edge are the points nearest to them.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[schemars(length(max = 120_000))]
    pub edges: Vec<[u32; 2]>,
}

/// The colour that a thing is shown in; says nothing about how it moves.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Dye {
    Linen,
    Madder,
    Weld,
    Woad,
    Moss,
    Plum,
    Rust,
}

/// Which of the points along a border.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase", deny_unknown_fields)]
pub enum Along {
    All,
    /// So many eyelets, evenly spaced from end to end.
    Eyelets(#[schemars(title = "Eyelets", range(min = 2, max = 2000))] u32),
    /// Every n-th point, from the border's start.
    Every(#[schemars(title = "Every", range(min = 1, max = 2000))] u32),
}
