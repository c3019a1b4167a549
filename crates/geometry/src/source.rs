//! Big arrays never stand in a scene: they are named.
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A mesh brought in from a file. Warp runs along u where it has UVs, along its widest axis where not.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ImportedMesh {
    #[schemars(title = "From")]
    pub from: MeshSource,
    /// Each step splits every edge once: four times the triangles.
    #[serde(default)]
    #[schemars(title = "Subdivided", range(min = 0, max = 4))]
    pub refine: u32,
}

/// The surface of a figure, or of some of its parts, as it is at the first frame. Warp runs along its widest axis.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SkinOf {
    /// Its key.
    #[schemars(title = "Figure", length(min = 1, max = 40))]
    pub figure: String,
    /// By their names; left out, all.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[schemars(title = "Parts", length(max = 200), inner(length(min = 1, max = 80)))]
    pub parts: Vec<String>,
}

/// Where a shape comes from that is not made by numbers.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Elsewhere<'a> {
    Mesh(&'a ImportedMesh),
    Skin(&'a SkinOf),
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
