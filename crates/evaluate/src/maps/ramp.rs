use nematon_document::{Axis, Ramp};
use nematon_geometry::Mesh;

pub fn weights(mesh: &Mesh, r: &Ramp) -> Result<Vec<f32>, String> {
    let along = |c: usize| mesh.positions.iter().map(|p| f64::from(p[c])).collect::<Vec<f64>>();
    let place = match r.along {
        Axis::X => along(0),
        Axis::Y => along(1),
        Axis::Z => along(2),
        Axis::U => of_uvs(mesh)?.iter().map(|uv| uv[0]).collect(),
        Axis::V => of_uvs(mesh)?.iter().map(|uv| uv[1]).collect(),
        Axis::Strand => along_strands(mesh)?,
    };
    Ok(place.iter().map(|p| ((p - r.from) / (r.to - r.from)).clamp(0.0, 1.0) as f32).collect())
}

/// How far along its strand each point is, as a share.
fn along_strands(mesh: &Mesh) -> Result<Vec<f64>, String> {
    if mesh.strands.is_empty() {
        return Err("runs along strands, and the shape has none".into());
    }
    Ok(mesh.along())
}

/// Texture coordinates by point; at a seam those of the last triangle.
pub fn of_uvs(mesh: &Mesh) -> Result<Vec<[f64; 2]>, String> {
    if mesh.uv_triangles.is_empty() {
        return Err("runs along the UVs, and the shape has none".into());
    }
    let mut at = vec![[0.0; 2]; mesh.positions.len()];
    for (t, uv) in mesh.triangles.iter().zip(&mesh.uv_triangles) {
        (0..3).for_each(|k| at[t[k] as usize] = mesh.uvs[uv[k] as usize].map(f64::from));
    }
    Ok(at)
}
