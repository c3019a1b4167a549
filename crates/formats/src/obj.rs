//! Wavefront OBJ: `v`, `vt` and `f` are read, everything else is passed over.
//!
//! Our own and not `tobj`, which numbers points by the faces that name them first: here they keep the file's order, so
//! that motion fits the mesh it goes back to, and faults name their line.
use crate::ReadError;
use crate::faces::triangulate;
use crate::motion::{Delivery, Pictured, With};
use nematon_geometry::Mesh;
use std::fmt::Write as _;
use std::io::{Result as Written, Write};

/// Reads points, texture coordinates and faces; faces of more than three corners are cut into triangles.
///
/// # Errors
/// The first line that can't be read.
pub fn read_obj(bytes: &[u8]) -> Result<Mesh, ReadError> {
    let text = String::from_utf8_lossy(bytes);
    let mut mesh = Mesh::default();
    let mut textured = true;
    for (k, line) in text.lines().enumerate() {
        let fail = |message: String| ReadError::Obj { line: k + 1, message };
        let mut words = line.split('#').next().unwrap_or_default().split_whitespace();
        match words.next() {
            Some("v") => mesh.positions.push(numbers(words).map_err(fail)?),
            Some("vt") => mesh.uvs.push(numbers(words).map_err(fail)?),
            Some("f") => {
                let corners: Vec<(u32, Option<u32>)> = words
                    .map(|w| corner(w, mesh.positions.len(), mesh.uvs.len()))
                    .collect::<Result<_, _>>()
                    .map_err(fail)?;
                if corners.len() < 3 {
                    return Err(fail(format!("a face needs three corners and has {}", corners.len())));
                }
                let places: Vec<[f32; 3]> = corners.iter().map(|c| mesh.positions[c.0 as usize]).collect();
                let triangles = triangulate(&places);
                mesh.faces.push(triangles.len() as u32);
                for t in triangles {
                    let [a, b, c] = t.map(|k| corners[k]);
                    mesh.triangles.push([a.0, b.0, c.0]);
                    match [a.1, b.1, c.1] {
                        [Some(a), Some(b), Some(c)] => mesh.uv_triangles.push([a, b, c]),
                        _ => textured = false,
                    }
                }
            }
            _ => {}
        }
    }
    if !textured {
        (mesh.uvs, mesh.uv_triangles) = (vec![], vec![]);
    }
    Ok(mesh)
}

fn numbers<'a, const N: usize>(words: impl Iterator<Item = &'a str>) -> Result<[f32; N], String> {
    let mut out = [0.0; N];
    let mut found = 0;
    for (slot, word) in out.iter_mut().zip(words) {
        *slot = word.parse().map_err(|_| format!("\"{word}\" is not a number"))?;
        found += 1;
    }
    if found == N { Ok(out) } else { Err(format!("{N} numbers are needed and {found} are there")) }
}

fn corner(word: &str, points: usize, uvs: usize) -> Result<(u32, Option<u32>), String> {
    let mut parts = word.split('/');
    let index = |part: &str, count: usize, what: &str| -> Result<u32, String> {
        let n: i64 = part.parse().map_err(|_| format!("\"{word}\" is not a corner"))?;
        // Negative numbers count back from the latest.
        let at = if n < 0 { count as i64 + n } else { n - 1 };
        if at >= 0 && at < count as i64 {
            Ok(at as u32)
        } else {
            Err(format!("there is no {what} {n}; {count} so far"))
        }
    };
    let point = index(parts.next().unwrap_or_default(), points, "point")?;
    match parts.next() {
        None | Some("") => Ok((point, None)),
        Some(t) => Ok((point, Some(index(t, uvs, "texture coordinate")?))),
    }
}

/// Writes one frame: points in metres, with the mesh's texture coordinates and faces, and normals where they are wanted.
pub fn write_obj(name: &str, mesh: &Mesh, positions: &[[f32; 3]], with: With) -> String {
    beside(name, mesh, (positions, [0.0; 3]), with, None)
}

/// The same of points told from an origin, and with the stem of the file of what it is seen with.
pub(crate) fn beside(
    name: &str,
    mesh: &Mesh,
    (positions, origin): (&[[f32; 3]], [f64; 3]),
    with: With,
    look: Option<&str>,
) -> String {
    let mut out = "# Nematon, metres\n".to_owned();
    if let Some(stem) = look {
        let _ = writeln!(out, "mtllib {stem}.mtl");
    }
    let _ = writeln!(out, "o {}", name.replace(char::is_whitespace, "_"));
    let settled;
    let positions = match mesh.strands.is_empty() {
        true => positions,
        false => {
            settled = mesh.settled(positions);
            &settled
        }
    };
    // What is not there is not written.
    let there = || positions.iter().filter(|p| !p[0].is_nan());
    for p in there() {
        let _ = match origin {
            [0.0, 0.0, 0.0] => writeln!(out, "v {} {} {}", p[0], p[1], p[2]),
            // As text numbers may be as long as they need: to a tenth of a micrometre.
            _ => {
                let [x, y, z]: [f64; 3] =
                    std::array::from_fn(|c| ((origin[c] + f64::from(p[c])) * 1e7).round() / 1e7);
                writeln!(out, "v {x} {y} {z}")
            }
        };
    }
    for t in &mesh.uvs {
        let _ = writeln!(out, "vt {} {}", t[0], t[1]);
    }
    if !mesh.strands.is_empty() {
        for line in mesh.lines() {
            let points = line.iter().map(|p| (p + 1).to_string()).collect::<Vec<_>>();
            let _ = writeln!(out, "l {}", points.join(" "));
        }
        return out;
    }
    if !mesh.radii.is_empty() {
        (1..=there().count()).for_each(|p| {
            let _ = writeln!(out, "p {p}");
        });
        return out;
    }
    if with.normals {
        for n in mesh.normals(positions) {
            let _ = writeln!(out, "vn {} {} {}", n[0], n[1], n[2]);
        }
    }
    if look.is_some() {
        out.push_str("usemtl look\n");
    }
    for face in with.faces(mesh) {
        out.push('f');
        for (k, p) in face.points.iter().map(|p| p + 1).enumerate() {
            let _ = match (face.uvs.get(k).map(|u| u + 1), with.normals) {
                (Some(u), true) => write!(out, " {p}/{u}/{p}"),
                (Some(u), false) => write!(out, " {p}/{u}"),
                (None, true) => write!(out, " {p}//{p}"),
                (None, false) => write!(out, " {p}"),
            };
        }
        out.push('\n');
    }
    out
}

/// A zip of `NAME.0000.obj`, numbered by frame; written from front to back. Of several bodies each has a folder.
pub(crate) fn write_obj_zip(sink: &mut dyn Write, all: &mut Delivery) -> Written<()> {
    let mut zip = zip::ZipWriter::new_stream(sink);
    crate::motion::put_note(&mut zip, all.note)?;
    let names = crate::file_names(all.bodies.iter().map(|b| b.name));
    for (k, file) in names.iter().enumerate() {
        let folder = if names.len() > 1 { format!("{file}/") } else { String::new() };
        let motion = &all.bodies[k];
        // In names that the file of what it is seen with tells by, no blank may stand.
        let stem = file.replace(char::is_whitespace, "_");
        if let Some(Pictured { ending, bytes }) = motion.picture {
            zip.start_file(format!("{folder}{stem}.mtl"), zip::write::SimpleFileOptions::default())?;
            write!(zip, "newmtl look\nKd 1 1 1\nmap_Kd {stem}.{ending}\n")?;
            zip.start_file(format!("{folder}{stem}.{ending}"), zip::write::SimpleFileOptions::default())?;
            zip.write_all(bytes)?;
        }
        let look = motion.picture.map(|_| stem.as_str());
        for (number, frame) in motion.numbers().zip((all.frames)(k)) {
            let options = zip::write::SimpleFileOptions::default();
            zip.start_file(format!("{folder}{file}.{number:04}.obj"), options)?;
            zip.write_all(
                beside(motion.name, motion.mesh, (&frame?, motion.origin), all.with, look).as_bytes(),
            )?;
        }
    }
    zip.finish()?.flush()
}
