use super::{Fetch, Kind, Solid, Standing};
use nematon_geometry::{Mesh, ball, tube};
use nematon_simd::{F8, V8};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Upright; the length is between the middles of its ends.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CapsuleForm {
    #[schemars(title = "Radius", range(min = 0.001, max = 100), extend("unit" = "m"))]
    pub radius: f64,
    #[schemars(title = "Length", range(min = 0, max = 100), extend("unit" = "m"))]
    pub length: f64,
}

impl Kind for CapsuleForm {
    const HOLLOW: bool = true;
    fn begin() -> Option<CapsuleForm> {
        Some(CapsuleForm { radius: 0.15, length: 0.6 })
    }
    fn stand(&self, _: &dyn Fetch) -> Result<Standing, String> {
        Ok(Standing::of(Solid::Capsule { radius: self.radius as f32, half: (0.5 * self.length) as f32 }))
    }
    fn seen(&self, _: &dyn Fetch) -> Result<Option<Mesh>, String> {
        Ok(Some(capsule(self.radius, self.length)))
    }
}

#[inline(always)]
pub fn distance(radius: f32, half: f32, p: V8) -> (V8, F8) {
    let half = F8::splat(half);
    let on = p.0[1].max(-half).min(half);
    let (n, length) = V8([p.0[0], p.0[1] - on, p.0[2]]).and_length();
    (n, length - F8::splat(radius))
}

/// Two balls and the tube between them: what lies inside is never the lowest or the highest.
fn capsule(radius: f64, length: f64) -> Mesh {
    let mut out = tube(radius, length.max(1e-4), 48, 1);
    for end in [-0.5, 0.5] {
        let first = out.positions.len() as u32;
        let cap = ball(radius, 16);
        out.positions.extend(cap.positions.iter().map(|p| [p[0], p[1] + (end * length) as f32, p[2]]));
        out.triangles.extend(cap.triangles.iter().map(|t| t.map(|p| p + first)));
    }
    out
}
