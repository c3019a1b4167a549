use super::{Kind, Pair, pair, quad};
use crate::{Border, Mesh};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::f64::consts::TAU;

/// Two flat rings that lie on each other, sewn at their outer and inner rims: panels `top` and `bottom`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Annuli {
    #[schemars(title = "Radius", range(min = 0.001, max = 500), extend("unit" = "m"))]
    pub radius: f64,
    /// Of the hole.
    #[schemars(title = "Hole", range(min = 0.001, max = 500), extend("unit" = "m"))]
    pub hole: f64,
    #[schemars(title = "Cells around", range(min = 6, max = 2000))]
    pub around: u32,
    #[schemars(title = "Cells across", range(min = 1, max = 1000))]
    pub across: u32,
    /// How far the panels lie apart at first: no less than they are thick.
    #[schemars(title = "Gap", range(min = 0.00001, max = 1), extend("unit" = "m"))]
    #[serde(default = "super::apart")]
    pub apart: f64,
}

impl Kind for Annuli {
    fn begin() -> Annuli {
        Annuli { radius: 0.4, hole: 0.18, around: 90, across: 12, apart: super::apart() }
    }
    fn points(&self) -> usize {
        2 * self.around as usize * (self.across as usize + 1)
    }
    fn mesh(&self) -> Mesh {
        let (n, rows) = (self.around, self.across);
        let mut m = Mesh::default();
        for j in 0..=rows {
            let far = self.hole + (self.radius - self.hole) * f64::from(j) / f64::from(rows);
            for i in 0..n {
                let (s, c) = libm::sincos(TAU * f64::from(i) / f64::from(n));
                m.positions.push([(far * c) as f32, 0.0, (-far * s) as f32]);
            }
        }
        let at = |i: u32, j: u32| j * n + i % n;
        for j in 0..rows {
            for i in 0..n {
                quad(&mut m, [at(i, j), at(i, j + 1), at(i + 1, j + 1), at(i + 1, j)], (i + j) % 2 == 0);
            }
        }
        let rim = |name: &str, j: u32| Border {
            name: name.into(),
            points: (0..n).map(|i| at(i, j)).collect(),
            closed: true,
        };
        m.borders = vec![rim("rim", rows), rim("hole", 0)];
        pair(m, self.apart)
    }
    fn seams(&self) -> Vec<Pair> {
        let both = |border: &str| ["top", "bottom"].map(|p| vec![format!("{p} {border}")]);
        vec![("Rim".into(), both("rim")), ("Hole".into(), both("hole"))]
    }
    fn fault(&self) -> Option<(&'static str, String)> {
        (self.hole >= self.radius)
            .then(|| ("hole", format!("is no less than the radius ({} m)", self.radius)))
    }
}
