//! PLY, text or binary: points with x, y, z, texture coordinates where there are any, and faces of any number of corners.
use crate::ReadError;
use crate::faces::triangulate;
use crate::gltf_file::quietly;
use nematon_geometry::Mesh;
use ply_rs_bw::parser::Parser;
use ply_rs_bw::ply::{DefaultElement, Property};

/// What texture coordinates are called.
const UVS: [[&str; 2]; 4] = [["u", "v"], ["s", "t"], ["texture_u", "texture_v"], ["texture_s", "texture_t"]];

pub fn read_ply(bytes: &[u8]) -> Result<Mesh, ReadError> {
    let fail = |why: &str| ReadError::Ply(why.to_owned());
    let read = quietly(|| Parser::<DefaultElement>::new().read_ply(&mut &bytes[..]).ok()).flatten();
    let ply = read.ok_or_else(|| fail("it is cut short or damaged"))?;
    let points =
        ply.payload.get("vertex").filter(|p| !p.is_empty()).ok_or_else(|| fail("it has no points"))?;
    let mut mesh = Mesh::default();
    for p in points {
        let place = ["x", "y", "z"].map(|c| p.get(c).and_then(number));
        let [Some(x), Some(y), Some(z)] = place else { return Err(fail("a point of it has no x, y and z")) };
        mesh.positions.push([x as f32, y as f32, z as f32]);
    }
    // One pair of texture coordinates a point, where all points have one.
    let of = |[u, v]: [&str; 2]| -> Option<Vec<[f32; 2]>> {
        let one = |p: &DefaultElement| Some([number(p.get(u)?)? as f32, number(p.get(v)?)? as f32]);
        points.iter().map(one).collect()
    };
    mesh.uvs = UVS.into_iter().find_map(of).unwrap_or_default();
    for f in ply.payload.get("face").into_iter().flatten() {
        let corners = ["vertex_indices", "vertex_index"].iter().find_map(|n| f.get(*n).and_then(whole));
        let corners = corners.ok_or_else(|| fail("a face of it names no points"))?;
        if corners.len() < 3 {
            continue;
        }
        let places: Option<Vec<[f32; 3]>> = corners.iter().map(|k| mesh.positions.get(*k).copied()).collect();
        let places = places.ok_or_else(|| fail("a face of it names a point that isn't there"))?;
        let cut = triangulate(&places);
        mesh.faces.push(cut.len() as u32);
        mesh.triangles.extend(cut.into_iter().map(|t| t.map(|k| corners[k] as u32)));
    }
    if !mesh.uvs.is_empty() {
        mesh.uv_triangles.clone_from(&mesh.triangles);
    }
    Ok(mesh)
}

fn number(p: &Property) -> Option<f64> {
    Some(match p {
        Property::Char(v) => f64::from(*v),
        Property::UChar(v) => f64::from(*v),
        Property::Short(v) => f64::from(*v),
        Property::UShort(v) => f64::from(*v),
        Property::Int(v) => f64::from(*v),
        Property::UInt(v) => f64::from(*v),
        Property::Float(v) => f64::from(*v),
        Property::Double(v) => *v,
        _ => return None,
    })
}

fn whole(p: &Property) -> Option<Vec<usize>> {
    fn all<T: Copy + TryInto<usize>>(v: &[T]) -> Option<Vec<usize>> {
        v.iter().map(|k| (*k).try_into().ok()).collect()
    }
    match p {
        Property::ListChar(v) => all(v),
        Property::ListUChar(v) => all(v),
        Property::ListShort(v) => all(v),
        Property::ListUShort(v) => all(v),
        Property::ListInt(v) => all(v),
        Property::ListUInt(v) => all(v),
        _ => None,
    }
}
