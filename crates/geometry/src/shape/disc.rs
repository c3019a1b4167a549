use super::Kind;
use crate::{Border, Mesh};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::f64::consts::TAU;

/// A flat round piece that lies level. Its border is `rim`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Disc {
    #[schemars(title = "Radius", range(min = 0.001, max = 500), extend("unit" = "m"))]
    pub radius: f64,
    /// Rings of points about the middle.
    #[schemars(title = "Rings", range(min = 1, max = 360))]
    pub rings: u32,
}

impl Kind for Disc {
    fn begin() -> Disc {
        Disc { radius: 0.5, rings: 20 }
    }
    fn points(&self) -> usize {
        let n = self.rings as usize;
        1 + 3 * n * (n + 1)
    }
    fn mesh(&self) -> Mesh {
        disc(self.radius, self.rings)
    }
}

/// A level disc about the origin, facing up, in rings of 6, 12, 18, ... points. Border: rim.
pub fn disc(radius: f64, rings: u32) -> Mesh {
    let mut m = Mesh { positions: vec![[0.0; 3]], ..Mesh::default() };
    let start = |r: u32| if r == 0 { 0 } else { 1 + 3 * r * (r - 1) };
    for r in 1..=rings {
        let far = radius * f64::from(r) / f64::from(rings);
        for k in 0..6 * r {
            let (s, c) = libm::sincos(TAU * f64::from(k) / f64::from(6 * r));
            m.positions.push([(far * c) as f32, 0.0, (-far * s) as f32]);
        }
    }
    for r in 1..=rings {
        let (inner, outer) = ((r - 1).max(1) * 6, r * 6);
        let at_in = |k: u32| if r == 1 { 0 } else { start(r - 1) + k % inner };
        let at_out = |k: u32| start(r) + k % outer;
        for side in 0..6 {
            for k in 0..r {
                let (o, i) = (side * r + k, side * (r - 1) + k);
                m.triangles.push([at_in(i), at_out(o), at_out(o + 1)]);
                if k + 1 < r {
                    m.triangles.push([at_in(i), at_out(o + 1), at_in(i + 1)]);
                }
            }
        }
    }
    let points = (0..6 * rings).map(|k| start(rings) + k).collect();
    m.borders = vec![Border { name: "rim".into(), points, closed: true }];
    m
}
