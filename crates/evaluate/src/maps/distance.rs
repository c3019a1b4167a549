use crate::shape::chosen;
use nematon_document::{Distance, NearBorder};
use nematon_geometry::{About, From, Mesh, Surface, Walk};

/// Along the surface: see `nematon_geometry::Walk`.
pub fn weights(mesh: &Mesh, d: &Distance) -> Result<Vec<f32>, String> {
    let mut from = vec![];
    for choice in &d.from {
        let found = chosen(mesh, choice).map_err(|(name, known)| {
            format!("is told from \"{name}\", which the shape does not have; it has {known}")
        })?;
        from.extend(found);
    }
    let mut out = vec![0f32; mesh.positions.len()];
    let about = About::of(&mesh.triangles, out.len());
    let on = Surface { positions: &mesh.positions, triangles: &mesh.triangles, about: &about };
    let sources: Vec<(u32, f64)> = from.iter().map(|p| (*p, 0.0)).collect();
    let kind = if sources.len() == 1 { From::Place } else { From::Row };
    let mut walk = Walk::default();
    walk.go(on, kind, &sources, d.reach, |_| true);
    for (p, far) in walk.found() {
        out[p as usize] = if d.reach > 0.0 { (1.0 - far / d.reach).clamp(0.0, 1.0) as f32 } else { 1.0 };
    }
    Ok(out)
}

/// Straight through the shape.
pub fn straight(mesh: &Mesh, b: &NearBorder) -> Result<Vec<f32>, String> {
    let Some(border) = mesh.borders.iter().find(|o| o.name == b.border) else {
        let known: Vec<&str> = mesh.borders.iter().map(|b| b.name.as_str()).collect();
        let known = if known.is_empty() { "none".into() } else { known.join(", ") };
        return Err(format!("names the border \"{}\"; the shape has {known}", b.border));
    };
    let at = |p: u32| mesh.positions[p as usize].map(f64::from);
    let run = &border.points;
    let ends: Vec<[[f64; 3]; 2]> = (0..run.len().saturating_sub(usize::from(!border.closed)))
        .map(|k| [at(run[k]), at(run[(k + 1) % run.len()])])
        .collect();
    let far = |p: [f64; 3]| ends.iter().map(|[a, b]| from_segment(p, *a, *b)).fold(f64::INFINITY, f64::min);
    let weight = |p: &[f32; 3]| (1.0 - far(p.map(f64::from)) / b.reach).clamp(0.0, 1.0) as f32;
    Ok(mesh.positions.iter().map(weight).collect())
}

fn from_segment(p: [f64; 3], a: [f64; 3], b: [f64; 3]) -> f64 {
    let sub = |p: [f64; 3], q: [f64; 3]| -> [f64; 3] { std::array::from_fn(|c| p[c] - q[c]) };
    let dot = |p: [f64; 3], q: [f64; 3]| p[0] * q[0] + p[1] * q[1] + p[2] * q[2];
    let (ab, ap) = (sub(b, a), sub(p, a));
    let t = (dot(ap, ab) / dot(ab, ab).max(1e-30)).clamp(0.0, 1.0);
    let d: [f64; 3] = std::array::from_fn(|c| ap[c] - t * ab[c]);
    dot(d, d).sqrt()
}
