use super::{Fetch, Kind, Shaped, Skin, Standing};
use nematon_geometry::{Mesh, MeshSource};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// The triangles of a mesh, from both sides.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct MeshForm {
    #[schemars(title = "From")]
    pub from: MeshSource,
    /// Other shapes of the same points that it has at some frames, straight ways between.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[schemars(title = "Shapes", length(max = 2000))]
    pub shapes: Vec<ShapeKey>,
}

/// The shape of a mesh at a frame.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ShapeKey {
    #[schemars(title = "Frame", range(min = -100_000, max = 1_000_000))]
    pub frame: i64,
    #[schemars(title = "From")]
    pub from: MeshSource,
}

impl Kind for MeshForm {
    fn sources(&self) -> Vec<(String, &MeshSource)> {
        let shapes = self.shapes.iter().enumerate().map(|(k, s)| (format!("shapes/{k}/from"), &s.from));
        std::iter::once(("from".into(), &self.from)).chain(shapes).collect()
    }
    fn sources_mut(&mut self) -> Vec<&mut MeshSource> {
        std::iter::once(&mut self.from).chain(self.shapes.iter_mut().map(|s| &mut s.from)).collect()
    }
    fn keyed(&self) -> Option<(&'static str, Vec<i64>)> {
        Some(("shapes", self.shapes.iter().map(|k| k.frame).collect()))
    }
    fn stand(&self, mesh: &dyn Fetch) -> Result<Standing, String> {
        let first = mesh.mesh(&self.from)?;
        if first.triangles.is_empty() {
            return Err("has no triangles".into());
        }
        let shapes = self.shapes.iter().map(|key| shape(key, &first, mesh)).collect::<Result<_, _>>()?;
        Ok(Standing { solid: None, skin: Some(Skin::of(&first)), shapes })
    }
}

fn shape(key: &ShapeKey, first: &Mesh, mesh: &dyn Fetch) -> Result<Shaped, String> {
    let at = mesh.mesh(&key.from)?;
    if at.positions.len() != first.positions.len() {
        return Err(format!(
            "has {} points, and its shape at frame {} has {}. Shapes must have the same points",
            first.positions.len(),
            key.frame,
            at.positions.len()
        ));
    }
    let mut hash = blake3::Hasher::new();
    at.positions.iter().flatten().for_each(|c| {
        hash.update(&c.to_bits().to_le_bytes());
    });
    Ok(Shaped {
        frame: key.frame,
        positions: Arc::new(at.positions.clone()),
        hash: *hash.finalize().as_bytes(),
    })
}
