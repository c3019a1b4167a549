//! Meshes of USD text: points, also sampled in time, faces, and texture coordinates.
use crate::faces::triangulate;
use crate::usd_text::{Block, numbers, things};
use crate::{MAX_READ, ReadError};
use glam::{DMat4, DVec3};
use nematon_figure::{Figure, Joint, Local, Part};
use nematon_geometry::Mesh;
use std::sync::Arc;

/// A mesh of a file, and where its points are at which times where that changes.
struct Found {
    name: String,
    mesh: Mesh,
    samples: Vec<(f64, Vec<[f32; 3]>)>,
}

/// All meshes of a file as one, as they are at its first time.
pub(crate) fn read_usd(bytes: &[u8]) -> Result<Mesh, ReadError> {
    let mut out = Mesh::default();
    for Found { mesh, .. } in found(bytes)? {
        let (points, uvs) = (out.positions.len() as u32, out.uvs.len() as u32);
        // Some with and some without texture coordinates are one without.
        let textured = out.positions.is_empty() || !out.uv_triangles.is_empty();
        out.positions.extend(mesh.positions);
        out.triangles.extend(mesh.triangles.iter().map(|t| t.map(|k| k + points)));
        out.faces.extend(mesh.faces);
        if textured && !mesh.uv_triangles.is_empty() {
            out.uvs.extend(mesh.uvs);
            out.uv_triangles.extend(mesh.uv_triangles.iter().map(|t| t.map(|k| k + uvs)));
        } else {
            (out.uvs, out.uv_triangles) = (vec![], vec![]);
        }
    }
    Ok(out)
}

/// The meshes of a file as parts of a figure; where their points are sampled in time, as a sequence of shapes, one a sample.
pub(crate) fn read_usd_figure(bytes: &[u8]) -> Result<Figure, ReadError> {
    let all = found(bytes)?;
    let mut times: Vec<f64> = all.iter().flat_map(|f| f.samples.iter().map(|s| s.0)).collect();
    times.sort_by(f64::total_cmp);
    times.dedup();
    let points: usize = all.iter().map(|f| f.mesh.positions.len()).sum();
    if times.len() * points > MAX_READ * 15 {
        return Err(ReadError::TooMuch { what: "points" });
    }
    let shape = |time: &f64| Arc::new(all.iter().flat_map(|f| at(f, *time)).collect::<Vec<_>>());
    let sequence = if times.len() > 1 { times.iter().map(shape).collect() } else { vec![] };
    let parts = all.into_iter().map(|f| Part { name: f.name, mesh: f.mesh, ..Part::default() });
    let joints = vec![Joint { name: "root".into(), parent: None, rest: Local::default() }];
    Ok(Figure { joints, parts: parts.collect(), sequence, ..Figure::default() })
}

/// Where a mesh's points are at a time: between two samples straight from one to the other.
fn at(of: &Found, time: f64) -> Vec<[f32; 3]> {
    let k = of.samples.partition_point(|s| s.0 <= time);
    match (k.checked_sub(1).and_then(|k| of.samples.get(k)), of.samples.get(k)) {
        (Some((a, p)), Some((b, q))) => {
            let t = ((time - a) / (b - a)) as f32;
            p.iter().zip(q).map(|(p, q)| std::array::from_fn(|c| p[c] + t * (q[c] - p[c]))).collect()
        }
        (Some((_, p)), None) | (None, Some((_, p))) => p.clone(),
        (None, None) => of.mesh.positions.clone(),
    }
}

fn found(bytes: &[u8]) -> Result<Vec<Found>, ReadError> {
    let text = crate::usd::text_of(bytes)?;
    let mut out = vec![];
    let mut read = 0;
    for (block, at) in things(&text)?.iter().filter(|(b, _)| b.kind == "Mesh") {
        let one = mesh(block, at)?;
        read += one.mesh.positions.len() * one.samples.len().max(1);
        if read > MAX_READ * 15 {
            return Err(ReadError::TooMuch { what: "points" });
        }
        out.push(one);
    }
    if out.is_empty() {
        return Err(ReadError::Usd("there is no mesh in it with points and faces of its own".into()));
    }
    Ok(out)
}

fn mesh(block: &Block, at: &DMat4) -> Result<Found, ReadError> {
    let name = &block.name;
    let fail = |why: &str| ReadError::Usd(format!("the mesh \"{name}\" {why}"));
    let places = |text: &str| -> Result<Vec<[f32; 3]>, ReadError> {
        let all = numbers(text).ok_or_else(|| fail("has points that are no numbers"))?;
        let moved = |p: &[f64]| at.transform_point3(DVec3::new(p[0], p[1], p[2])).as_vec3().to_array();
        Ok(all.chunks_exact(3).map(moved).collect())
    };
    let whole = |text: &str| -> Result<Vec<usize>, ReadError> {
        let words = text.split(',').map(str::trim).filter(|w| !w.is_empty());
        words.map(|w| w.parse().map_err(|_| fail("has faces that are no whole numbers"))).collect()
    };
    let mut samples: Vec<(f64, Vec<[f32; 3]>)> = ["point3f[] points", "point3d[] points"]
        .iter()
        .find_map(|n| block.samples(n))
        .unwrap_or_default()
        .into_iter()
        .map(|(t, text)| Ok((t, places(text)?)))
        .collect::<Result<_, ReadError>>()?;
    samples.sort_by(|a, b| a.0.total_cmp(&b.0));
    let positions = match (samples.first(), block.list(&["point3f[] points", "point3d[] points"])) {
        (Some((_, first)), _) => first.clone(),
        (None, Some(text)) => places(text)?,
        (None, None) => return Err(fail("has no points")),
    };
    let n = positions.len();
    if samples.iter().any(|s| s.1.len() != n) {
        return Err(fail("has another number of points at some times: it can't be one sequence"));
    }
    let counts = whole(block.list(&["int[] faceVertexCounts"]).ok_or_else(|| fail("has no faces"))?)?;
    let corners = whole(block.list(&["int[] faceVertexIndices"]).ok_or_else(|| fail("has no faces"))?)?;
    if counts.iter().sum::<usize>() != corners.len() || corners.iter().any(|k| *k >= n) {
        return Err(fail("has faces that name points which are not there"));
    }
    let mut mesh = Mesh { positions, ..Mesh::default() };
    let (uvs, per) = coordinates(block, n, corners.len());
    let flipped = block.body.contains("orientation = \"leftHanded\"") != (at.determinant() < 0.0);
    let mut from = 0;
    for count in counts {
        let own = from..from + count;
        from += count;
        if count < 3 {
            continue;
        }
        let places: Vec<[f32; 3]> = corners[own.clone()].iter().map(|k| mesh.positions[*k]).collect();
        let cut = triangulate(&places);
        mesh.faces.push(cut.len() as u32);
        for t in cut {
            let [a, b, c] = if flipped { [t[0], t[2], t[1]] } else { t };
            let of = |k: usize| own.start + k;
            mesh.triangles.push([a, b, c].map(|k| corners[of(k)] as u32));
            if let Some(per) = &per {
                mesh.uv_triangles.push([a, b, c].map(|k| per(of(k), corners[of(k)])));
            }
        }
    }
    let most = mesh.uv_triangles.iter().flatten().copied().max().map_or(0, |m| m as usize + 1);
    if most <= uvs.len() {
        mesh.uvs = uvs;
    } else {
        mesh.uv_triangles.clear();
    }
    Ok(Found { name: name.clone(), mesh, samples })
}

/// Which texture coordinate a corner has, by its number among all corners and by its point.
type Per = Box<dyn Fn(usize, usize) -> u32>;

/// The texture coordinates of a mesh: one a corner, one a point, or named by either.
fn coordinates(block: &Block, points: usize, corners: usize) -> (Vec<[f32; 2]>, Option<Per>) {
    const NAMES: [&str; 6] = [
        "texCoord2f[] primvars:st",
        "float2[] primvars:st",
        "texCoord2f[] primvars:UVMap",
        "float2[] primvars:UVMap",
        "texCoord2f[] primvars:map1",
        "texCoord2f[] primvars:uv",
    ];
    let Some((name, text)) = NAMES.iter().find_map(|n| Some((*n, block.list(&[*n])?))) else {
        return (vec![], None);
    };
    let all: Vec<[f32; 2]> =
        numbers(text).unwrap_or_default().chunks_exact(2).map(|t| [t[0] as f32, t[1] as f32]).collect();
    let plain = name.rsplit(' ').next().unwrap_or_default();
    let order: Vec<u32> = block
        .list(&[&format!("int[] {plain}:indices")])
        .map(|l| l.split(',').filter_map(|w| w.trim().parse().ok()).collect())
        .unwrap_or_default();
    let count = if order.is_empty() { all.len() } else { order.len() };
    let named = move |k: usize| order.get(k).copied().unwrap_or(k as u32);
    let per: Option<Per> = if count == corners {
        Some(Box::new(move |corner, _| named(corner)))
    } else if count == points {
        Some(Box::new(move |_, point| named(point)))
    } else {
        None
    };
    (all, per)
}
