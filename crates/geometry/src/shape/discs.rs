use super::{Kind, Pair, pair, rims};
use crate::{Mesh, disc};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Two discs that lie on each other, sewn at their rims: panels `top` and `bottom`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Discs {
    #[schemars(title = "Radius", range(min = 0.001, max = 500), extend("unit" = "m"))]
    pub radius: f64,
    /// Rings of points about the middle.
    #[schemars(title = "Rings", range(min = 1, max = 360))]
    pub rings: u32,
    /// How far the panels lie apart at first: no less than they are thick.
    #[schemars(title = "Gap", range(min = 0.00001, max = 1), extend("unit" = "m"))]
    #[serde(default = "super::apart")]
    pub apart: f64,
}

impl Kind for Discs {
    fn begin() -> Discs {
        Discs { radius: 0.3, rings: 16, apart: super::apart() }
    }
    fn points(&self) -> usize {
        let n = self.rings as usize;
        2 * (1 + 3 * n * (n + 1))
    }
    fn mesh(&self) -> Mesh {
        pair(disc(self.radius, self.rings), self.apart)
    }
    fn seams(&self) -> Vec<Pair> {
        rims()
    }
}
