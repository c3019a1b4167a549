use crate::{Border, Mesh};
use std::collections::HashMap;

/// Splits every edge in its middle: four triangles for each. Points keep their numbers and the new
/// ones follow, so whatever names points by number stays true; borders take in their middles.
pub fn refine(mesh: &Mesh) -> Mesh {
    let mut out = Mesh {
        positions: mesh.positions.clone(),
        uvs: mesh.uvs.clone(),
        panels: mesh.panels.clone(),
        ..Mesh::default()
    };
    let mut middles = HashMap::new();
    let mut middle = |positions: &mut Vec<[f32; 3]>, a: u32, b: u32| {
        *middles.entry([a.min(b), a.max(b)]).or_insert_with(|| {
            let (p, q) = (positions[a as usize], positions[b as usize]);
            positions.push(std::array::from_fn(|k| 0.5 * (p[k] + q[k])));
            positions.len() as u32 - 1
        })
    };
    for t in &mesh.triangles {
        let m = [0, 1, 2].map(|k| middle(&mut out.positions, t[k], t[(k + 1) % 3]));
        out.triangles.extend(split(t, m));
    }
    let mut uv_middles = HashMap::new();
    for t in &mesh.uv_triangles {
        let m = [0, 1, 2].map(|k| {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            *uv_middles.entry([a.min(b), a.max(b)]).or_insert_with(|| {
                let (p, q) = (out.uvs[a as usize], out.uvs[b as usize]);
                out.uvs.push([0.5 * (p[0] + q[0]), 0.5 * (p[1] + q[1])]);
                out.uvs.len() as u32 - 1
            })
        });
        out.uv_triangles.extend(split(t, m));
    }
    out.corners = mesh.corners.clone();
    out.borders = mesh
        .borders
        .iter()
        .map(|b| {
            let n = b.points.len();
            let pairs = if b.closed { n } else { n.saturating_sub(1) };
            let mut points = vec![];
            for k in 0..pairs {
                let (p, q) = (b.points[k], b.points[(k + 1) % n]);
                points.push(p);
                points.extend(middles.get(&[p.min(q), p.max(q)]));
            }
            points.extend((!b.closed).then(|| b.points.last().copied()).flatten());
            Border { name: b.name.clone(), points, closed: b.closed }
        })
        .collect();
    out
}

fn split(t: &[u32; 3], m: [u32; 3]) -> [[u32; 3]; 4] {
    [[t[0], m[0], m[2]], [m[0], t[1], m[1]], [m[2], m[1], t[2]], [m[0], m[1], m[2]]]
}
