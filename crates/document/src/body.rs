use crate::GripId;
use indexmap::IndexMap;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Something simulated. So far: cloth.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Body {
    #[schemars(title = "Name", length(min = 1, max = 80))]
    pub name: String,
    #[schemars(title = "Kind")]
    pub kind: BodyKind,
    #[schemars(title = "Shape")]
    pub shape: Shape,
    #[serde(default)]
    #[schemars(title = "Place")]
    pub place: Place,
    #[serde(default)]
    #[schemars(title = "Matter")]
    pub matter: Matter,
    #[serde(default)]
    #[schemars(title = "Grips")]
    pub grips: IndexMap<GripId, Grip>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum BodyKind {
    Cloth,
}

/// Where the points come from.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Shape {
    Sheet(Sheet),
    Mesh(ImportedMesh),
}

/// A flat rectangle that lies level before it is placed: width along x, depth along z, and UVs
/// from 0 to 1 along both.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Sheet {
    #[schemars(title = "Width", range(min = 0.001, max = 1000), extend("unit" = "m"))]
    pub width: f64,
    #[schemars(title = "Depth", range(min = 0.001, max = 1000), extend("unit" = "m"))]
    pub depth: f64,
    /// Points along the width.
    #[schemars(title = "Points across", range(min = 2, max = 2000))]
    pub columns: u32,
    /// Points along the depth.
    #[schemars(title = "Points along", range(min = 2, max = 2000))]
    pub rows: u32,
    #[serde(default)]
    #[schemars(title = "Warp runs")]
    pub warp: Warp,
}

/// Which way the warp threads run on a sheet.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Warp {
    /// Along the width (u).
    #[default]
    Width,
    /// Along the depth (v).
    Depth,
}

/// A mesh brought in from a file. Warp runs along u where it has UVs, along its widest axis where not.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ImportedMesh {
    #[schemars(title = "From")]
    pub from: MeshSource,
    /// Each step splits every edge once: four times the triangles.
    #[serde(default)]
    #[schemars(title = "Refined", range(min = 0, max = 4))]
    pub refine: u32,
}

/// Big arrays never stand in the document: they are named.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum MeshSource {
    /// Path of an OBJ, glTF or GLB file, relative to the scene file. For scenes kept as files.
    File(String),
    /// BLAKE3 of the mesh, as the server stores it.
    Blob(#[schemars(regex(pattern = r"^[0-9a-f]{64}$"))] String),
}

/// Where a shape stands: turned about x, then y, then z, and moved.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Place {
    #[schemars(title = "Position", inner(range(min = -10_000, max = 10_000)), extend("unit" = "m"))]
    #[serde(default)]
    pub position: [f64; 3],
    #[schemars(title = "Turn", inner(range(min = -100, max = 100)), extend("unit" = "rad"))]
    #[serde(default)]
    pub turn: [f64; 3],
}

/// What a cloth is made of. Per unit width, so that point counts and sub-steps don't change it.
/// The defaults are a plain cotton of 150 g/m².
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Matter {
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
            areal_weight: 0.15,
            stretch_warp: 900.0,
            stretch_weft: 700.0,
            shear: 60.0,
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

/// What a grip holds its points to. So far: where they stand in the world at rest.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum HeldTo {
    #[default]
    World,
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
