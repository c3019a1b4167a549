use super::{Fetch, Kind, Solid, Standing};
use nematon_geometry::{Mesh, ball};
use nematon_simd::{F8, V8};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A ball about its middle.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct BallForm {
    #[schemars(title = "Radius", range(min = 0.001, max = 100), extend("unit" = "m"))]
    pub radius: f64,
}

impl Kind for BallForm {
    const HOLLOW: bool = true;
    fn begin() -> Option<BallForm> {
        Some(BallForm { radius: 0.25 })
    }
    fn stand(&self, _: &dyn Fetch) -> Result<Standing, String> {
        Ok(Standing::of(Solid::Ball { radius: self.radius as f32 }))
    }
    fn seen(&self, _: &dyn Fetch) -> Result<Option<Mesh>, String> {
        Ok(Some(ball(self.radius, 16)))
    }
}

#[inline(always)]
pub fn distance(radius: f32, p: V8) -> (V8, F8) {
    let (n, length) = p.and_length();
    (n, length - F8::splat(radius))
}
