//! The maps of a body, as numbers on its points.
use crate::{MeshLibrary, ShapeError};
use nematon_document::{Axis, Body, Layer, Map, Scaled, Weights};
use nematon_geometry::Mesh;
use nematon_solver::Maps;

/// The weights of a layer on the points of an unplaced shape.
///
/// # Errors
/// When it names what the shape has not, or its file can't be had or doesn't fit.
pub fn weights(
    mesh: &Mesh,
    name: &str,
    from: &Weights,
    library: &impl MeshLibrary,
) -> Result<Vec<f32>, ShapeError> {
    let fault = |why: String| ShapeError::Map { map: name.to_owned(), why };
    let n = mesh.positions.len();
    match from {
        Weights::Ramp(r) => {
            let place: Vec<f64> = match r.along {
                Axis::X => mesh.positions.iter().map(|p| f64::from(p[0])).collect(),
                Axis::Y => mesh.positions.iter().map(|p| f64::from(p[1])).collect(),
                Axis::Z => mesh.positions.iter().map(|p| f64::from(p[2])).collect(),
                Axis::U | Axis::V => {
                    if mesh.uv_triangles.is_empty() {
                        return Err(fault("runs along the UVs, and the shape has none".into()));
                    }
                    let c = usize::from(r.along == Axis::V);
                    let mut at = vec![0.0; n];
                    for (t, uv) in mesh.triangles.iter().zip(&mesh.uv_triangles) {
                        (0..3).for_each(|k| at[t[k] as usize] = f64::from(mesh.uvs[uv[k] as usize][c]));
                    }
                    at
                }
            };
            Ok(place.iter().map(|p| ((p - r.from) / (r.to - r.from)).clamp(0.0, 1.0) as f32).collect())
        }
        Weights::Border(b) => {
            let Some(border) = mesh.borders.iter().find(|o| o.name == b.border) else {
                let known: Vec<&str> = mesh.borders.iter().map(|b| b.name.as_str()).collect();
                let known = if known.is_empty() { "none".into() } else { known.join(", ") };
                return Err(fault(format!("names the border \"{}\"; the shape has {known}", b.border)));
            };
            let at = |p: u32| mesh.positions[p as usize].map(f64::from);
            let run = &border.points;
            let ends: Vec<[[f64; 3]; 2]> = (0..run.len().saturating_sub(usize::from(!border.closed)))
                .map(|k| [at(run[k]), at(run[(k + 1) % run.len()])])
                .collect();
            let far =
                |p: [f64; 3]| ends.iter().map(|[a, b]| from_segment(p, *a, *b)).fold(f64::INFINITY, f64::min);
            let weight = |p: &[f32; 3]| (1.0 - far(p.map(f64::from)) / b.reach).clamp(0.0, 1.0) as f32;
            Ok(mesh.positions.iter().map(weight).collect())
        }
        Weights::File(path) => {
            let found = library.weights(path).map_err(|e| fault(format!("can't be had: {e}")))?;
            if found.len() != n {
                return Err(fault(format!("has {} weights, and the shape {n} points", found.len())));
            }
            Ok(found.as_ref().clone())
        }
    }
}

fn from_segment(p: [f64; 3], a: [f64; 3], b: [f64; 3]) -> f64 {
    let sub = |p: [f64; 3], q: [f64; 3]| -> [f64; 3] { std::array::from_fn(|c| p[c] - q[c]) };
    let dot = |p: [f64; 3], q: [f64; 3]| p[0] * q[0] + p[1] * q[1] + p[2] * q[2];
    let (ab, ap) = (sub(b, a), sub(p, a));
    let t = (dot(ap, ab) / dot(ab, ab).max(1e-30)).clamp(0.0, 1.0);
    let d: [f64; 3] = std::array::from_fn(|c| ap[c] - t * ab[c]);
    dot(d, d).sqrt()
}

/// The layers of a map laid over each other, on the points of an unplaced shape.
///
/// # Errors
/// As for [`weights`].
pub fn folded(mesh: &Mesh, map: &Map, library: &impl MeshLibrary) -> Result<Vec<f32>, ShapeError> {
    let mut out = vec![0f32; mesh.positions.len()];
    for Layer { weights: from, blend, invert } in &map.layers {
        let own = weights(mesh, &map.name, from, library)?;
        for (under, own) in out.iter_mut().zip(own) {
            let own = f64::from(own);
            *under = blend.lay(f64::from(*under), if *invert { 1.0 - own } else { own }) as f32;
        }
    }
    Ok(out)
}

/// What each number of a body's matter is multiplied by.
///
/// # Errors
/// As for [`weights`].
pub fn maps(body: &Body, mesh: &Mesh, library: &impl MeshLibrary) -> Result<Maps, ShapeError> {
    let mut out = Maps::default();
    for (what, by) in &body.scaled {
        let Some(map) = body.maps.get(&by.map) else { continue };
        let to = |w: &f32| (by.least + (by.most - by.least) * f64::from(*w)) as f32;
        out.0[number(*what) as usize] = folded(mesh, map, library)?.iter().map(to).collect();
    }
    Ok(out)
}

fn number(what: Scaled) -> nematon_solver::Scaled {
    use nematon_solver::Scaled as To;
    match what {
        Scaled::ArealWeight => To::ArealWeight,
        Scaled::Stretch => To::Stretch,
        Scaled::Shear => To::Shear,
        Scaled::Bend => To::Bend,
        Scaled::Damping => To::Damping,
        Scaled::Thickness => To::Thickness,
        Scaled::Friction => To::Friction,
        Scaled::Drag => To::Drag,
        Scaled::Lift => To::Lift,
    }
}
