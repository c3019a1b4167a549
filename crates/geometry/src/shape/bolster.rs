use super::{Kind, Pair};
use crate::{Mesh, disc, tube};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// An upright tube with a round cap at each end: panels `side`, `top` and `bottom`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Bolster {
    #[schemars(title = "Radius", range(min = 0.001, max = 500), extend("unit" = "m"))]
    pub radius: f64,
    #[schemars(title = "Length", range(min = 0.001, max = 1000), extend("unit" = "m"))]
    pub length: f64,
    #[schemars(title = "Cells around", range(min = 6, max = 2000))]
    pub around: u32,
    #[schemars(title = "Cells along", range(min = 1, max = 2000))]
    pub along: u32,
    /// How far the caps lie from the tube at first: no less than they are thick.
    #[schemars(title = "Gap", range(min = 0.00001, max = 1), extend("unit" = "m"))]
    #[serde(default = "super::apart")]
    pub apart: f64,
}

impl Bolster {
    fn rings(&self) -> u32 {
        ((f64::from(self.around) / 6.0).round() as u32).max(1)
    }
}

impl Kind for Bolster {
    fn begin() -> Bolster {
        Bolster { radius: 0.12, length: 0.6, around: 48, along: 38, apart: super::apart() }
    }
    fn points(&self) -> usize {
        let n = self.rings() as usize;
        self.around as usize * (self.along as usize + 1) + 2 * (1 + 3 * n * (n + 1))
    }
    fn mesh(&self) -> Mesh {
        let mut m = Mesh::default();
        m.take_in("side", tube(self.radius, self.length, self.around, self.along));
        let y = (0.5 * self.length + self.apart) as f32;
        for (name, y) in [("top", y), ("bottom", -y)] {
            let mut cap = disc(self.radius, self.rings());
            cap.positions.iter_mut().for_each(|p| p[1] = y);
            m.take_in(name, if y > 0.0 { cap } else { cap.turned() });
        }
        m
    }
    fn seams(&self) -> Vec<Pair> {
        ["top", "bottom"]
            .map(|end| {
                let name = format!("{}{} cap", end[..1].to_uppercase(), &end[1..]);
                (name, [vec![format!("side {end}")], vec![format!("{end} rim")]])
            })
            .to_vec()
    }
}
