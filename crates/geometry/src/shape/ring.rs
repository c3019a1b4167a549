use super::{Kind, quad};
use crate::Mesh;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::f64::consts::TAU;

/// A closed ring that lies level.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Ring {
    #[schemars(title = "Radius", range(min = 0.001, max = 500), extend("unit" = "m"))]
    pub radius: f64,
    /// Of the tube that runs round.
    #[schemars(title = "Tube radius", range(min = 0.0005, max = 250), extend("unit" = "m"))]
    pub tube: f64,
    #[schemars(title = "Cells around", range(min = 3, max = 2000))]
    pub around: u32,
    #[schemars(title = "Cells about the tube", range(min = 3, max = 512))]
    pub about: u32,
}

impl Kind for Ring {
    fn begin() -> Ring {
        Ring { radius: 0.3, tube: 0.08, around: 64, about: 20 }
    }
    fn points(&self) -> usize {
        self.around as usize * self.about as usize
    }
    fn mesh(&self) -> Mesh {
        ring(self.radius, self.tube, self.around, self.about)
    }
    fn fault(&self) -> Option<(&'static str, String)> {
        let Ring { radius, tube, .. } = self;
        let why = || format!("is {tube} m; it must be less than the ring's radius, {radius} m");
        (tube >= radius).then(|| ("tube", why()))
    }
}

/// A level ring about the origin.
pub fn ring(radius: f64, tube: f64, around: u32, about: u32) -> Mesh {
    let mut m = Mesh::default();
    for i in 0..around {
        let (s, c) = libm::sincos(TAU * f64::from(i) / f64::from(around));
        for j in 0..about {
            let (t, d) = libm::sincos(TAU * f64::from(j) / f64::from(about));
            let far = radius + tube * d;
            m.positions.push([(far * c) as f32, (tube * t) as f32, (-far * s) as f32]);
        }
    }
    let at = |i: u32, j: u32| (i % around) * about + j % about;
    for i in 0..around {
        for j in 0..about {
            quad(&mut m, [at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)], (i + j) % 2 == 0);
        }
    }
    m
}
