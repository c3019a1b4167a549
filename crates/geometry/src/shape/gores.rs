use super::{Kind, Pair};
use crate::{Mesh, piece};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::f64::consts::PI;

/// A ball of equal gores from pole to pole, each flat when it is cut and bent over one circle: panels `gore 1` and so on, with the
/// borders `left` and `right` of each.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Gores {
    /// Along the middle of the gores.
    #[schemars(title = "Radius", range(min = 0.01, max = 500), extend("unit" = "m"))]
    pub radius: f64,
    #[schemars(title = "Gores", range(min = 4, max = 64))]
    pub gores: u32,
    /// How far points lie apart.
    #[schemars(title = "Points every", range(min = 0.001, max = 10), extend("unit" = "m"))]
    pub every: f64,
    /// How far gores lie apart at first: no less than they are thick.
    #[schemars(title = "Gap", range(min = 0.00001, max = 1), extend("unit" = "m"))]
    #[serde(default = "super::apart")]
    pub apart: f64,
}

impl Gores {
    /// A gore laid flat: along the meridian, and to its sides as wide as the others leave it.
    fn gore(&self) -> Mesh {
        let (r, half) = (self.radius, libm::tan(PI / f64::from(self.gores)));
        let steps = (PI * r / self.every).round().max(4.0) as u32;
        let at = |k: u32| {
            let along = PI * (f64::from(k) / f64::from(steps) - 0.5);
            [r * libm::cos(along) * half, r * along]
        };
        let right = (0..steps).map(at);
        let left = (1..=steps).rev().map(at).map(|[x, y]| [-x, y]);
        let outline: Vec<[f64; 2]> = right.chain(left).collect();
        piece(&outline, self.every).unwrap_or_default()
    }
}

impl Kind for Gores {
    fn begin() -> Gores {
        Gores { radius: 0.3, gores: 8, every: 0.025, apart: super::apart() }
    }
    fn points(&self) -> usize {
        self.gore().positions.len() * self.gores as usize
    }
    fn mesh(&self) -> Mesh {
        let mut flat = self.gore();
        for (border, name) in flat.borders.iter_mut().zip(["right", "left"]) {
            border.name = name.into();
        }
        for (corner, name) in flat.corners.iter_mut().zip(["bottom", "top"]) {
            corner.name = name.into();
        }
        let mut m = Mesh::default();
        // Far enough out that the sides of two gores lie apart.
        let out = 0.5 * self.apart / libm::sin(PI / f64::from(self.gores));
        for k in 0..self.gores {
            let (s, c) = libm::sincos(2.0 * PI * f64::from(k) / f64::from(self.gores));
            let mut own = flat.clone();
            for p in &mut own.positions {
                let (across, along) = (f64::from(p[0]), -f64::from(p[2]) / self.radius);
                let (sa, ca) = libm::sincos(along);
                let far = self.radius * ca + out;
                // Across runs against the clock seen from above.
                *p = [
                    (far * c - across * s) as f32,
                    (self.radius * sa) as f32,
                    (-far * s - across * c) as f32,
                ];
            }
            m.take_in(&format!("gore {}", k + 1), own);
        }
        m
    }
    fn seams(&self) -> Vec<Pair> {
        let n = self.gores;
        (1..=n)
            .map(|k| {
                let sides = [format!("gore {k} right"), format!("gore {} left", k % n + 1)];
                (format!("Seam {k}"), sides.map(|s| vec![s]))
            })
            .collect()
    }
    fn fault(&self) -> Option<(&'static str, String)> {
        super::too_fine(self.every, 4.0 * PI * self.radius * self.radius).map(|why| ("every", why))
    }
}
