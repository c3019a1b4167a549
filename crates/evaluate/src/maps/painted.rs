use super::Ground;
use nematon_document::Painted;
use nematon_figure::spots;
use nematon_geometry::Mesh;

/// As it was painted, where the shape still has the points of then; else each point has what is at the nearest place of the
/// surface of then, both in fractions of their boxes.
pub fn weights(ground: &Ground, p: &Painted) -> Result<Vec<f32>, String> {
    let Some(on) = &p.on else { return Ok(vec![0.0; ground.mesh.positions.len()]) };
    let found =
        ground.library.painting(on, &p.strokes).map_err(|e| format!("has strokes that can't be had: {e}"))?;
    let (then, now) = (&found.surface, ground.mesh);
    if fits(then, now) {
        return Ok(found.weights.clone());
    }
    let (lo, size) = frame(then);
    let (own, own_size) = frame(now);
    let places: Vec<[f32; 3]> = now
        .positions
        .iter()
        .map(|p| std::array::from_fn(|c| lo[c] + (p[c] - own[c]) / own_size[c] * size[c]))
        .collect();
    let spots = spots(then, &places).ok_or("was painted on a shape that has no surface")?;
    let weight = |s: &nematon_figure::Spot| {
        let of = |k: usize| s.shares[k] * f64::from(found.weights[s.triangle[k] as usize]);
        (of(0) + of(1) + of(2)).clamp(0.0, 1.0) as f32
    };
    Ok(spots.iter().map(weight).collect())
}

/// Whether a mesh has the points of another, wherever they are.
pub fn fits(then: &Mesh, now: &Mesh) -> bool {
    then.positions.len() == now.positions.len() && then.triangles == now.triangles
}

/// The low corner of a mesh's box and its size, never zero.
fn frame(mesh: &Mesh) -> ([f32; 3], [f32; 3]) {
    let (lo, hi) = mesh.bounds();
    (lo, std::array::from_fn(|c| if hi[c] - lo[c] > 1e-9 { hi[c] - lo[c] } else { 1.0 }))
}
