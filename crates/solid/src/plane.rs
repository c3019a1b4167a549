use super::{Fetch, Kind, Solid, Standing};
use nematon_geometry::Mesh;
use nematon_simd::{F8, V8};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Everything below its level.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PlaneForm {}

impl Kind for PlaneForm {
    fn begin() -> Option<PlaneForm> {
        Some(PlaneForm {})
    }
    fn stand(&self, _: &dyn Fetch) -> Result<Standing, String> {
        Ok(Standing::of(Solid::Plane))
    }
    /// It has no end.
    fn seen(&self, _: &dyn Fetch) -> Result<Option<Mesh>, String> {
        Ok(None)
    }
}

#[inline(always)]
pub fn distance(p: V8) -> (V8, F8) {
    (V8::splat([0.0, 1.0, 0.0]), p.0[1])
}
