//! Wavefront OBJ: `v`, `vt` and `f` are read, everything else is passed over.
use crate::ReadError;
use nematon_geometry::Mesh;
use std::fmt::Write as _;
use std::io::{Seek, Write};

/// Reads points, texture coordinates and faces; faces of more than three corners are cut into a fan.
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
                for c in corners[1..].windows(2) {
                    mesh.triangles.push([corners[0].0, c[0].0, c[1].0]);
                    match [corners[0].1, c[0].1, c[1].1] {
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

/// Writes one frame: points in metres, with the mesh's texture coordinates and triangles.
pub fn write_obj(name: &str, mesh: &Mesh, positions: &[[f32; 3]]) -> String {
    let mut out = format!("# Nematon, metres\no {}\n", name.replace(char::is_whitespace, "_"));
    for p in positions {
        let _ = writeln!(out, "v {} {} {}", p[0], p[1], p[2]);
    }
    for t in &mesh.uvs {
        let _ = writeln!(out, "vt {} {}", t[0], t[1]);
    }
    for (k, t) in mesh.triangles.iter().enumerate() {
        let [a, b, c] = t.map(|p| p + 1);
        let _ = match mesh.uv_triangles.get(k).map(|u| u.map(|k| k + 1)) {
            Some([x, y, z]) => writeln!(out, "f {a}/{x} {b}/{y} {c}/{z}"),
            None => writeln!(out, "f {a} {b} {c}"),
        };
    }
    out
}

/// Writes a sequence of frames as a zip of `NAME.0000.obj`, numbered by frame.
///
/// # Errors
/// When the sink fails.
pub fn write_obj_zip<W: Write + Seek, E: From<std::io::Error>>(
    sink: W,
    name: &str,
    mesh: &Mesh,
    frames: impl Iterator<Item = Result<(i64, Vec<[f32; 3]>), E>>,
) -> Result<W, E> {
    let mut zip = zip::ZipWriter::new(sink);
    let io = |e: zip::result::ZipError| E::from(std::io::Error::other(e));
    for frame in frames {
        let (number, positions) = frame?;
        zip.start_file(format!("{name}.{number:04}.obj"), zip::write::SimpleFileOptions::default())
            .map_err(io)?;
        zip.write_all(write_obj(name, mesh, &positions).as_bytes()).map_err(E::from)?;
    }
    zip.finish().map_err(io)
}
