use crate::{Border, Corner, Mesh};

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
