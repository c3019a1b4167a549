use super::{Kind, Pair, pair};
use crate::{Mesh, sheet};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Two rectangles that lie on each other, sewn at their rims: panels `top` and `bottom`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Cushion {
    #[schemars(title = "Width", range(min = 0.001, max = 1000), extend("unit" = "m", "row" = "Size", "part" = "wide"))]
    pub width: f64,
    #[schemars(title = "Depth", range(min = 0.001, max = 1000), extend("unit" = "m", "row" = "Size", "part" = "deep"))]
    pub depth: f64,
    #[schemars(title = "Points across", range(min = 2, max = 2000), extend("row" = "Points", "part" = "wide"))]
    pub columns: u32,
    #[schemars(title = "Points along", range(min = 2, max = 2000), extend("row" = "Points", "part" = "deep"))]
    pub rows: u32,
    /// How far the panels lie apart at first: no less than they are thick.
    #[schemars(title = "Gap", range(min = 0.00001, max = 1), extend("unit" = "m"))]
    #[serde(default = "super::apart")]
    pub apart: f64,
}

impl Kind for Cushion {
    fn begin() -> Cushion {
        Cushion { width: 0.6, depth: 0.4, columns: 37, rows: 25, apart: super::apart() }
    }
    fn points(&self) -> usize {
        2 * self.columns as usize * self.rows as usize
    }
    fn mesh(&self) -> Mesh {
        pair(sheet(self.width, self.depth, self.columns, self.rows), self.apart)
    }
    fn seams(&self) -> Vec<Pair> {
        let side = |panel: &str| ["back", "right", "front", "left"].map(|s| format!("{panel} {s}")).to_vec();
        vec![("Rim".into(), [side("top"), side("bottom")])]
    }
}
