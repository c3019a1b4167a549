//! PLY, read as text or binary and written as binary: points with x, y, z, texture coordinates where there are any, and faces of any number of corners.
use crate::ReadError;
use crate::faces::triangulate;
use crate::gltf_file::quietly;
use crate::motion::{Delivery, Frame, Motion, With, velocities};
use nematon_geometry::Mesh;
use ply_rs_bw::parser::Parser;
use ply_rs_bw::ply::{DefaultElement, Property};
use std::io::{Result as Written, Write};

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
    let by_point = UVS.into_iter().find_map(of).unwrap_or_default();
    let mut cornered = true;
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
        // One pair of texture coordinates a corner, where all faces have them.
        let own = f.get("texcoord").and_then(reals).filter(|t| t.len() == 2 * corners.len());
        match own {
            Some(t) => {
                let from = mesh.uvs.len() as u32;
                mesh.uvs.extend(t.chunks_exact(2).map(|t| [t[0], t[1]]));
                mesh.uv_triangles.extend(cut.iter().map(|t| t.map(|k| from + k as u32)));
            }
            None => cornered = false,
        }
        mesh.triangles.extend(cut.into_iter().map(|t| t.map(|k| corners[k] as u32)));
    }
    if !cornered || !by_point.is_empty() {
        (mesh.uvs, mesh.uv_triangles) = (by_point, vec![]);
    }
    if !mesh.uvs.is_empty() && mesh.uv_triangles.is_empty() {
        mesh.uv_triangles.clone_from(&mesh.triangles);
    }
    Ok(mesh)
}

/// A zip of `NAME.0000.ply`, numbered by frame; of several bodies each has a folder.
pub(crate) fn write_ply_zip(sink: &mut dyn Write, all: &mut Delivery) -> Written<()> {
    let mut zip = zip::ZipWriter::new_stream(sink);
    crate::motion::put_note(&mut zip, all.note)?;
    let names = crate::file_names(all.bodies.iter().map(|b| b.name));
    for (k, file) in names.iter().enumerate() {
        let folder = if names.len() > 1 { format!("{file}/") } else { String::new() };
        let motion = &all.bodies[k];
        let mut ways: Option<Box<dyn Iterator<Item = Frame>>> = match all.with.velocities {
            true => Some(Box::new(velocities((all.frames)(k), motion.pace()))),
            false => None,
        };
        for (number, frame) in motion.numbers().zip((all.frames)(k)) {
            let way = ways.as_mut().and_then(Iterator::next).transpose()?;
            let options = zip::write::SimpleFileOptions::default();
            zip.start_file(format!("{folder}{file}.{number:04}.ply"), options)?;
            zip.write_all(&one(motion, &frame?, way.as_deref(), all.with))?;
        }
    }
    zip.finish()?.flush()
}

/// A frame: points that are there, and what joins them; faces, the edges of strands, or nothing.
fn one(motion: &Motion, frame: &[[f32; 3]], ways: Option<&[[f32; 3]]>, with: With) -> Vec<u8> {
    let Motion { mesh, origin, comes, .. } = *motion;
    let settled;
    let frame = match mesh.strands.is_empty() {
        true => frame,
        false => {
            settled = mesh.settled(frame);
            &settled
        }
    };
    let unit = with.unit.per_metre();
    let there: Vec<usize> = (0..frame.len()).filter(|k| !frame[*k][0].is_nan()).collect();
    let loose = !mesh.radii.is_empty();
    let normals = if with.normals && !loose { mesh.normals(frame) } else { vec![] };
    let faces = if loose { vec![] } else { with.faces(mesh) };
    let edges: Vec<[u32; 2]> = match mesh.strands.is_empty() {
        true => vec![],
        false => {
            mesh.lines().iter().flat_map(|l| l.windows(2).map(|e| [e[0], e[1]]).collect::<Vec<_>>()).collect()
        }
    };
    let textured = faces.first().is_some_and(|f| !f.uvs.is_empty());
    let real = if with.exact { "double" } else { "float" };
    let mut head = format!(
        "ply\nformat binary_little_endian 1.0\ncomment Nematon, {}, {} up\nelement vertex {}\n",
        if unit == 1.0 { "metres" } else { "centimetres" },
        if with.up.turned([1i8, 1, 1]) == [1, 1, 1] { "y" } else { "z" },
        there.len()
    );
    let mut property = |of: &str, kind: &str| head.push_str(&format!("property {kind} {of}\n"));
    ["x", "y", "z"].iter().for_each(|c| property(c, real));
    if !normals.is_empty() {
        ["nx", "ny", "nz"].iter().for_each(|c| property(c, "float"));
    }
    if ways.is_some() {
        ["vx", "vy", "vz"].iter().for_each(|c| property(c, "float"));
    }
    if loose {
        property("radius", "float");
    }
    if comes {
        property("id", "uint");
    }
    if !faces.is_empty() {
        head.push_str(&format!("element face {}\nproperty list uchar uint vertex_indices\n", faces.len()));
        if textured {
            head.push_str("property list uchar float texcoord\n");
        }
    }
    if !edges.is_empty() {
        head.push_str(&format!(
            "element edge {}\nproperty uint vertex1\nproperty uint vertex2\n",
            edges.len()
        ));
    }
    head.push_str("end_header\n");
    let mut out = head.into_bytes();
    let floats = |out: &mut Vec<u8>, all: &[f32]| out.extend(all.iter().flat_map(|v| v.to_le_bytes()));
    for k in there {
        let place: [f64; 3] = std::array::from_fn(|c| (origin[c] + f64::from(frame[k][c])) * unit);
        for v in with.up.turned(place) {
            match with.exact {
                true => out.extend(v.to_le_bytes()),
                false => out.extend((v as f32).to_le_bytes()),
            }
        }
        if let Some(n) = normals.get(k) {
            floats(&mut out, &with.up.turned(*n));
        }
        if let Some(ways) = ways {
            floats(&mut out, &with.up.turned(ways[k].map(|v| v * unit as f32)));
        }
        if loose {
            floats(&mut out, &[mesh.radii.get(k).copied().unwrap_or_default() * unit as f32]);
        }
        if comes {
            out.extend((k as u32).to_le_bytes());
        }
    }
    for f in &faces {
        // More corners than a byte counts are none that anybody draws.
        let n = f.points.len().min(255);
        out.push(n as u8);
        out.extend(f.points[..n].iter().flat_map(|p| p.to_le_bytes()));
        if textured {
            out.push((2 * n).min(254) as u8);
            let uvs = f.uvs.iter().take(127).filter_map(|u| mesh.uvs.get(*u as usize));
            floats(&mut out, &uvs.flatten().copied().collect::<Vec<f32>>());
        }
    }
    for e in edges {
        out.extend(e.iter().flat_map(|p| p.to_le_bytes()));
    }
    out
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

fn reals(p: &Property) -> Option<Vec<f32>> {
    match p {
        Property::ListFloat(v) => Some(v.clone()),
        Property::ListDouble(v) => Some(v.iter().map(|v| *v as f32).collect()),
        _ => None,
    }
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
