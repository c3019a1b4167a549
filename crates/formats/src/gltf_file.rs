//! glTF 2.0, as text or GLB: still geometry with texture coordinates, placed by its nodes. Points that
//! a file doubles for the sake of its texture are joined again, for a cloth must not be cut there.
use crate::{MAX_READ, ReadError};
use base64::Engine as _;
use glam::{Mat4, Vec3};
use gltf::Semantic;
use gltf::mesh::Mode;
use nematon_geometry::Mesh;
use std::collections::HashMap;

/// Reads all triangles of all meshes in the default scene.
pub fn read_gltf(bytes: &[u8]) -> Result<Mesh, ReadError> {
    // The library looks up some of what a file names before it has checked that it is there.
    let read = std::panic::catch_unwind(|| read(bytes));
    read.unwrap_or_else(|_| Err(ReadError::Gltf("it names parts that it doesn't have".into())))
}

fn read(bytes: &[u8]) -> Result<Mesh, ReadError> {
    let fail = |e: String| ReadError::Gltf(e);
    let gltf = gltf::Gltf::from_slice(bytes).map_err(|e| fail(e.to_string()))?;
    let version = &gltf.document.as_json().asset.version;
    if !version.starts_with("2.") {
        return Err(fail(format!("it is of version {version}; 2.0 is read")));
    }
    let buffers =
        gltf.buffers().map(|b| contents(&b, gltf.blob.as_deref())).collect::<Result<Vec<_>, _>>()?;
    let mut mesh = Mesh::default();
    let mut joined = HashMap::new();
    let scene = gltf.document.default_scene().or_else(|| gltf.document.scenes().next());
    let mut todo: Vec<(gltf::Node<'_>, Mat4)> =
        scene.into_iter().flat_map(|s| s.nodes().map(|n| (n, Mat4::IDENTITY)).collect::<Vec<_>>()).collect();
    todo.reverse();
    let mut textured = true;
    let mut read = [0usize; 3];
    let mut left = gltf.nodes().count();
    while let Some((node, parent)) = todo.pop() {
        left = left.checked_sub(1).ok_or_else(|| fail("a node is its own ancestor, or has two".into()))?;
        let at = parent * Mat4::from_cols_array_2d(&node.transform().matrix());
        todo.extend(node.children().map(|c| (c, at)));
        for primitive in node.mesh().into_iter().flat_map(|m| m.primitives().collect::<Vec<_>>()) {
            let Some(places) = primitive.get(&Semantic::Positions) else { continue };
            if primitive.mode() != Mode::Triangles {
                continue;
            }
            // Before any is read: one mesh may stand in many nodes, and numbers that are not there are zeros.
            let asked = [
                ("points", places.count()),
                ("texture coordinates", primitive.get(&Semantic::TexCoords(0)).map_or(0, |a| a.count())),
                ("corners of triangles", primitive.indices().map_or(places.count(), |a| a.count())),
            ];
            for ((what, more), sum) in asked.into_iter().zip(&mut read) {
                *sum += more;
                if *sum > MAX_READ {
                    return Err(ReadError::TooMuch { what });
                }
            }
            let reader = primitive.reader(|b| buffers.get(b.index()).map(Vec::as_slice));
            let positions = reader.read_positions().ok_or_else(|| fail("points are cut short".into()))?;
            let points: Vec<u32> = positions
                .map(|p| {
                    let p = at.transform_point3(Vec3::from(p)).to_array();
                    *joined.entry(p.map(f32::to_bits)).or_insert_with(|| {
                        mesh.positions.push(p);
                        mesh.positions.len() as u32 - 1
                    })
                })
                .collect();
            let first_uv = mesh.uvs.len() as u32;
            match reader.read_tex_coords(0) {
                Some(uvs) => mesh.uvs.extend(uvs.into_f32()),
                None => textured = false,
            }
            let corners: Vec<u32> = match reader.read_indices() {
                Some(i) => i.into_u32().collect(),
                None if primitive.indices().is_some() => return Err(fail("triangles are cut short".into())),
                None => (0..points.len() as u32).collect(),
            };
            for t in corners.chunks_exact(3) {
                let look = |k: u32| points.get(k as usize).copied();
                let [Some(a), Some(b), Some(c)] = [t[0], t[1], t[2]].map(look) else {
                    return Err(fail("a triangle names a point that isn't there".into()));
                };
                mesh.triangles.push([a, b, c]);
                mesh.uv_triangles.push([t[0], t[1], t[2]].map(|k| first_uv + k));
            }
        }
    }
    if !textured || mesh.uv_triangles.iter().flatten().any(|&k| k as usize >= mesh.uvs.len()) {
        (mesh.uvs, mesh.uv_triangles) = (vec![], vec![]);
    }
    Ok(mesh)
}

/// The bytes of a buffer: the file's own, or written out in base64.
pub(crate) fn contents(buffer: &gltf::Buffer<'_>, own: Option<&[u8]>) -> Result<Vec<u8>, ReadError> {
    let fail = |e: String| ReadError::Gltf(e);
    let bytes = match buffer.source() {
        gltf::buffer::Source::Bin => {
            own.map(<[u8]>::to_vec).ok_or_else(|| fail("its binary part is missing".into()))?
        }
        gltf::buffer::Source::Uri(uri) => match uri.split_once(";base64,") {
            Some((kind, text)) if kind.starts_with("data:") => base64::engine::general_purpose::STANDARD
                .decode(text)
                .map_err(|e| fail(format!("its embedded data is broken: {e}")))?,
            _ => return Err(fail(format!("it needs the file \"{uri}\" beside it. Embed it, or use GLB"))),
        },
    };
    if bytes.len() < buffer.length() {
        return Err(fail(format!("a buffer has {} of its {} bytes", bytes.len(), buffer.length())));
    }
    Ok(bytes)
}
