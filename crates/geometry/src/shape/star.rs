use super::{Kind, Pair, pair};
use crate::{Mesh, piece};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::f64::consts::PI;

/// Two stars that lie on each other, sewn at their rims: panels `top` and `bottom`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Star {
    #[schemars(title = "Tips", range(min = 3, max = 60))]
    pub tips: u32,
    /// From the middle to a tip.
    #[schemars(title = "Radius", range(min = 0.01, max = 100), extend("unit" = "m"))]
    pub radius: f64,
    /// From the middle to between two tips, as a share of the radius.
    #[schemars(title = "Waist", range(min = 0.1, max = 1))]
    pub waist: f64,
    /// How far points lie apart.
    #[schemars(title = "Points every", range(min = 0.001, max = 10), extend("unit" = "m"))]
    pub every: f64,
    /// How far the panels lie apart at first: no less than they are thick.
    #[schemars(title = "Gap", range(min = 0.00001, max = 1), extend("unit" = "m"))]
    #[serde(default = "super::apart")]
    pub apart: f64,
}

impl Star {
    fn outline(&self) -> Vec<[f64; 2]> {
        (0..2 * self.tips)
            .map(|k| {
                let far = if k % 2 == 0 { self.radius } else { self.radius * self.waist };
                let (s, c) = libm::sincos(PI * f64::from(k) / f64::from(self.tips) + 0.5 * PI);
                [far * c, far * s]
            })
            .collect()
    }
}

impl Kind for Star {
    fn begin() -> Star {
        Star { tips: 5, radius: 0.35, waist: 0.5, every: 0.018, apart: super::apart() }
    }
    fn points(&self) -> usize {
        self.mesh().positions.len()
    }
    fn mesh(&self) -> Mesh {
        pair(piece(&self.outline(), self.every).unwrap_or_default(), self.apart)
    }
    fn seams(&self) -> Vec<Pair> {
        let sides = |panel: &str| (1..=2 * self.tips).map(|k| format!("{panel} side {k}")).collect();
        vec![("Rim".into(), [sides("top"), sides("bottom")])]
    }
    fn fault(&self) -> Option<(&'static str, String)> {
        super::too_fine(self.every, std::f64::consts::PI * self.radius * self.radius * 2.0)
            .map(|why| ("every", why))
    }
}
