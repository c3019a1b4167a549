use super::{Kind, boxed};
use crate::Mesh;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A closed box about its middle.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct BoxShape {
    #[schemars(title = "Size", inner(range(min = 0.001, max = 1000)), extend("unit" = "m"))]
    pub size: [f64; 3],
    #[schemars(title = "Cells", inner(range(min = 1, max = 256)))]
    pub cells: [u32; 3],
}

impl Kind for BoxShape {
    fn begin() -> BoxShape {
        BoxShape { size: [0.5, 0.2, 0.5], cells: [20, 8, 20] }
    }
    fn points(&self) -> usize {
        let [x, y, z] = self.cells.map(|n| n as usize);
        2 * (x * y + y * z + z * x) + 2
    }
    fn mesh(&self) -> Mesh {
        block(self.size, self.cells)
    }
}

/// A box about the origin.
pub fn block(size: [f64; 3], cells: [u32; 3]) -> Mesh {
    boxed(cells, |p| std::array::from_fn(|c| 0.5 * size[c] * p[c]))
}
