use crate::{Border, Mesh};

/// Copies of a mesh as layers of one: each placed from the one before by `step`. Borders and corners of the
/// first keep their names, and those of others have their number after it.
pub fn layers(mesh: &Mesh, count: u32, mut step: impl FnMut(&mut Vec<[f32; 3]>)) -> Mesh {
    let mut out = Mesh { panels: vec![], ..mesh.clone() };
    let mut at = mesh.positions.clone();
    let (n, uvs) = (mesh.positions.len() as u32, mesh.uvs.len() as u32);
    for k in 1..count {
        step(&mut at);
        let (first, uv) = (k * n, k * uvs);
        out.positions.extend(&at);
        out.uvs.extend(&mesh.uvs);
        out.triangles.extend(mesh.triangles.iter().map(|t| t.map(|p| p + first)));
        out.uv_triangles.extend(mesh.uv_triangles.iter().map(|t| t.map(|p| p + uv)));
        out.faces.extend(&mesh.faces);
        let named = |name: &str| format!("{name} {}", k + 1);
        out.borders.extend(mesh.borders.iter().map(|b| Border {
            name: named(&b.name),
            points: b.points.iter().map(|p| p + first).collect(),
            closed: b.closed,
        }));
        out.corners.extend(
            mesh.corners.iter().map(|c| crate::Corner { name: named(&c.name), point: c.point + first }),
        );
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn layers_are_apart_and_keep_their_borders() {
        let sheet = crate::sheet(0.2, 0.2, 4, 4);
        let m = layers(&sheet, 3, |p| p.iter_mut().for_each(|p| p[1] += 0.01));
        assert_eq!((m.positions.len(), m.triangles.len()), (48, 54));
        assert!((m.positions[47][1] - 0.02).abs() < 1e-6);
        assert!(m.borders.iter().any(|b| b.name == "back 3" && b.points[0] == 32));
    }
}
