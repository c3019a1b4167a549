//! STL, text or binary: triangles, whose corners at one place are one point.
use crate::gltf_file::quietly;
use crate::{MAX_READ, ReadError};
use nematon_geometry::Mesh;

pub fn read_stl(bytes: &[u8]) -> Result<Mesh, ReadError> {
    // A binary one says how many there are: 50 bytes each, after 84.
    if bytes.len() / 50 > MAX_READ {
        return Err(ReadError::TooMuch { what: "triangles" });
    }
    let read = quietly(|| stl_io::read_stl(&mut std::io::Cursor::new(bytes)).ok()).flatten();
    let read = read.ok_or_else(|| ReadError::Stl("it is cut short or damaged".into()))?;
    Ok(Mesh {
        positions: read.vertices.iter().map(|v| [v[0], v[1], v[2]]).collect(),
        triangles: read.faces.iter().map(|f| f.vertices.map(|k| k as u32)).collect(),
        ..Mesh::default()
    })
}
