use super::{Fetch, Kind, Skin, Standing};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The surface of a figure, from both sides, as it moves.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct FigureForm {
    #[schemars(title = "Figure", length(min = 1, max = 40))]
    pub figure: String,
    /// By their names in its file; all where none is named.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[schemars(title = "Parts", length(max = 200))]
    pub parts: Vec<String>,
}

impl Kind for FigureForm {
    fn stand(&self, from: &dyn Fetch) -> Result<Standing, String> {
        let mesh = from.figure(self)?;
        if mesh.triangles.is_empty() {
            return Err("has no triangles".into());
        }
        Ok(Standing { skin: Some(Skin::of(&mesh)), ..Standing::default() })
    }
    fn seen(&self, _: &dyn Fetch) -> Result<Option<nematon_geometry::Mesh>, String> {
        // The figure itself is.
        Ok(None)
    }
}
