use super::{Fetch, Kind, Skin, Solid, Standing};
use nematon_geometry::{Mesh, MeshSource};
use nematon_simd::{F8, V8};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Hulls of more faces are refused: each point of a body would meet them all.
const MOST_FACES: usize = 512;

/// The convex hull of a mesh's points.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct HullForm {
    #[schemars(title = "From")]
    pub from: MeshSource,
}

impl Kind for HullForm {
    const HOLLOW: bool = true;
    fn sources(&self) -> Vec<(String, &MeshSource)> {
        vec![("from".into(), &self.from)]
    }
    fn sources_mut(&mut self) -> Vec<&mut MeshSource> {
        vec![&mut self.from]
    }
    fn stand(&self, mesh: &dyn Fetch) -> Result<Standing, String> {
        let (planes, skin) = hull(mesh.mesh(&self.from)?.as_ref())?;
        Ok(Standing { skin: Some(skin), ..Standing::of(Solid::Hull { planes }) })
    }
}

#[inline(always)]
pub fn distance(planes: &[[f32; 4]], p: V8) -> (V8, F8) {
    let (mut n, mut most) = (V8::splat([0.0, 1.0, 0.0]), F8::splat(f32::NEG_INFINITY));
    for [x, y, z, d] in planes {
        let normal = V8::splat([*x, *y, *z]);
        let here = normal.dot(p) - F8::splat(*d);
        n = V8::pick(most.below(here), normal, n);
        most = most.max(here);
    }
    (n, most)
}

/// Why a mesh can't be the hull of a collider, in a sentence that begins with "it".
pub fn hull_fault(mesh: &Mesh) -> Option<String> {
    hull(mesh).err().map(|why| format!("it {why}"))
}

/// Planes and skin of the convex hull of a mesh's points.
fn hull(mesh: &Mesh) -> Result<(Vec<[f32; 4]>, Skin), String> {
    let points: Vec<Vec<f64>> =
        mesh.positions.iter().map(|p| p.iter().map(|c| f64::from(*c)).collect()).collect();
    let hull = chull::ConvexHullWrapper::try_new(&points, None)
        .map_err(|_| "has no hull: its points lie in a plane, or are fewer than four".to_owned())?;
    let (vertices, indices) = hull.vertices_indices();
    let positions: Vec<[f32; 3]> = vertices.iter().map(|v| std::array::from_fn(|c| v[c] as f32)).collect();
    let middle: [f64; 3] =
        std::array::from_fn(|c| vertices.iter().map(|v| v[c]).sum::<f64>() / vertices.len().max(1) as f64);
    let (mut planes, mut triangles): (Vec<[f32; 4]>, _) = (vec![], vec![]);
    for t in indices.chunks_exact(3) {
        let [a, b, c]: [[f64; 3]; 3] = std::array::from_fn(|k| std::array::from_fn(|d| vertices[t[k]][d]));
        let (u, v): ([f64; 3], [f64; 3]) =
            (std::array::from_fn(|k| b[k] - a[k]), std::array::from_fn(|k| c[k] - a[k]));
        let n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
        let size = n.iter().map(|c| c * c).sum::<f64>().sqrt();
        if size < 1e-18 {
            continue;
        }
        let n = n.map(|c| c / size);
        let far = |p: [f64; 3]| (0..3).map(|k| n[k] * p[k]).sum::<f64>();
        let out = if far(a) < far(middle) { -1.0 } else { 1.0 };
        let plane = [n[0] * out, n[1] * out, n[2] * out, far(a) * out].map(|c| c as f32);
        // Faces of one plane are one.
        if !planes.iter().any(|p| (0..4).all(|k| (p[k] - plane[k]).abs() < 1e-5)) {
            planes.push(plane);
        }
        let t: [u32; 3] = std::array::from_fn(|k| t[k] as u32);
        triangles.push(if out < 0.0 { [t[0], t[2], t[1]] } else { t });
    }
    if planes.len() > MOST_FACES {
        return Err(format!(
            "has a hull of {} faces; the most is {MOST_FACES}. Use it as a mesh",
            planes.len()
        ));
    }
    Ok((planes, Skin { positions, triangles }))
}
