use super::{Kind, quad};
use crate::{Border, Mesh};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::f64::consts::TAU;

/// An upright open tube. Its borders are `top` and `bottom`; warp runs along.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Tube {
    #[schemars(title = "Radius", range(min = 0.001, max = 500), extend("unit" = "m"))]
    pub radius: f64,
    #[schemars(title = "Length", range(min = 0.001, max = 1000), extend("unit" = "m"))]
    pub length: f64,
    #[schemars(title = "Cells around", range(min = 3, max = 2000))]
    pub around: u32,
    #[schemars(title = "Cells along", range(min = 1, max = 2000))]
    pub along: u32,
}

impl Kind for Tube {
    fn begin() -> Tube {
        Tube { radius: 0.15, length: 0.8, around: 40, along: 34 }
    }
    fn points(&self) -> usize {
        self.around as usize * (self.along as usize + 1)
    }
    fn mesh(&self) -> Mesh {
        tube(self.radius, self.length, self.around, self.along)
    }
}

/// An upright open tube about the origin. Borders: top, bottom.
pub fn tube(radius: f64, length: f64, around: u32, along: u32) -> Mesh {
    let mut m = Mesh::default();
    for j in 0..=along {
        for i in 0..around {
            let (s, c) = libm::sincos(TAU * f64::from(i) / f64::from(around));
            let y = length * (0.5 - f64::from(j) / f64::from(along));
            m.positions.push([(radius * c) as f32, y as f32, (-radius * s) as f32]);
        }
    }
    let at = |i: u32, j: u32| j * around + i % around;
    for j in 0..along {
        for i in 0..around {
            quad(&mut m, [at(i, j), at(i, j + 1), at(i + 1, j + 1), at(i + 1, j)], (i + j) % 2 == 0);
        }
    }
    let border = |name: &str, j: u32| Border {
        name: name.into(),
        points: (0..around).map(|i| at(i, j)).collect(),
        closed: true,
    };
    m.borders = vec![border("top", 0), border("bottom", along)];
    m
}
