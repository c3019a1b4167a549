use super::Kind;
use crate::material::WarpAlong;
use crate::{Border, Corner, Mesh};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A flat rectangle that lies level before it is placed: width along x, depth along z, and UVs
/// from 0 to 1 along both.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Sheet {
    #[schemars(title = "Width", range(min = 0.001, max = 1000), extend("unit" = "m", "row" = "Size", "part" = "wide"))]
    pub width: f64,
    #[schemars(title = "Depth", range(min = 0.001, max = 1000), extend("unit" = "m", "row" = "Size", "part" = "deep"))]
    pub depth: f64,
    /// Points along the width.
    #[schemars(title = "Points across", range(min = 2, max = 2000), extend("row" = "Points", "part" = "wide"))]
    pub columns: u32,
    /// Points along the depth.
    #[schemars(title = "Points along", range(min = 2, max = 2000), extend("row" = "Points", "part" = "deep"))]
    pub rows: u32,
    #[serde(default)]
    #[schemars(title = "Warp runs")]
    pub warp: Warp,
}

/// Which way the warp threads run on a sheet: along u or v.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Warp {
    /// Along the width.
    #[default]
    Width,
    /// Along the depth.
    Depth,
}

impl Kind for Sheet {
    fn begin() -> Sheet {
        Sheet { width: 1.0, depth: 1.0, columns: 40, rows: 40, warp: Warp::Width }
    }
    fn points(&self) -> usize {
        self.columns as usize * self.rows as usize
    }
    fn mesh(&self) -> Mesh {
        sheet(self.width, self.depth, self.columns, self.rows)
    }
    fn warp(&self) -> WarpAlong {
        match self.warp {
            Warp::Width => WarpAlong::U,
            Warp::Depth => WarpAlong::V,
        }
    }
}

/// A flat sheet about the origin in the plane y = 0, facing up: `width` along x in `columns` points,
/// `depth` along z in `rows` points, u along x, v along z. Diagonals alternate, so that neither is
/// favoured. Borders: back (-z), right (+x), front (+z), left (-x).
///
/// Fewer than two points a side make no triangles.
pub fn sheet(width: f64, depth: f64, columns: u32, rows: u32) -> Mesh {
    let (c, r) = (columns, rows);
    let at = |i: u32, j: u32| j * c + i;
    let mut mesh = Mesh::default();
    for j in 0..r {
        for i in 0..c {
            let u = f64::from(i) / f64::from((c - 1).max(1));
            let v = f64::from(j) / f64::from((r - 1).max(1));
            mesh.positions.push([((u - 0.5) * width) as f32, 0.0, ((v - 0.5) * depth) as f32]);
            mesh.uvs.push([u as f32, v as f32]);
        }
    }
    for j in 0..r.saturating_sub(1) {
        for i in 0..c.saturating_sub(1) {
            let [a, b, d, e] = [at(i, j), at(i + 1, j), at(i, j + 1), at(i + 1, j + 1)];
            if (i + j) % 2 == 0 {
                mesh.triangles.extend([[a, d, e], [a, e, b]]);
            } else {
                mesh.triangles.extend([[a, d, b], [b, d, e]]);
            }
        }
    }
    mesh.uv_triangles = mesh.triangles.clone();
    mesh.faces = vec![2; mesh.triangles.len() / 2];
    let border = |name: &str, points| Border { name: name.into(), points, closed: false };
    mesh.borders = vec![
        border("back", (0..c).map(|i| at(i, 0)).collect()),
        border("right", (0..r).map(|j| at(c - 1, j)).collect()),
        border("front", (0..c).map(|i| at(i, r - 1)).collect()),
        border("left", (0..r).map(|j| at(0, j)).collect()),
    ];
    let corner = |name: &str, point| Corner { name: name.into(), point };
    mesh.corners = vec![
        corner("back left", at(0, 0)),
        corner("back right", at(c - 1, 0)),
        corner("front right", at(c - 1, r - 1)),
        corner("front left", at(0, r - 1)),
    ];
    mesh
}
