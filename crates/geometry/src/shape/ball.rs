use super::{Kind, boxed};
use crate::Mesh;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::f64::consts::FRAC_PI_4;

/// A closed skin about its middle, of six patches.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Ball {
    #[schemars(title = "Radius", range(min = 0.001, max = 500), extend("unit" = "m"))]
    pub radius: f64,
    /// Cells along a side of a patch; a quarter of the way round.
    #[schemars(title = "Cells", range(min = 1, max = 256))]
    pub cells: u32,
}

impl Kind for Ball {
    fn begin() -> Ball {
        Ball { radius: 0.25, cells: 14 }
    }
    fn points(&self) -> usize {
        let n = self.cells as usize;
        6 * n * n + 2
    }
    fn mesh(&self) -> Mesh {
        ball(self.radius, self.cells)
    }
}

/// A ball of six patches of `cells` by `cells`, evened out.
pub fn ball(radius: f64, cells: u32) -> Mesh {
    // Equal angles along each side, so that cells are of a size.
    let even = |p: [f64; 3]| {
        let q = p.map(|c| libm::tan(c * FRAC_PI_4));
        let size = (q[0] * q[0] + q[1] * q[1] + q[2] * q[2]).sqrt();
        q.map(|c| radius * c / size)
    };
    boxed([cells; 3], even)
}
