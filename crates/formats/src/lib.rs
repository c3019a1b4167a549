//! Open file formats, one a file. Readers give a mesh with its borders found; writers take plain arrays.
mod curve;
mod faces;
mod figure;
mod glb;
mod gltf_figure;
mod gltf_file;
mod gltf_motion;
mod map_file;
mod motion;
mod names;
mod note;
mod npy;
mod obj;
mod paint;
mod ply;
mod still;
mod stl;
mod usd;
mod usd_mesh;
mod usd_text;

pub use curve::{Curve, MOST_CURVE_POINTS, read_curves, read_guides};
pub use figure::{read_figure, with_points};
pub use glb::Glb;
pub use gltf_figure::read_cameras;
pub use gltf_file::embedded;
pub use map_file::{Laid, MOST_SIDE, MapKind};
pub use motion::{
    Delivery, Frame, Frames, Kind, Motion, Pictured, Turns, TurnsOf, Unit, Up, With, near, rounding,
};
pub use names::{file_name, file_names};
pub use note::{NOTE, note};
pub use obj::{read_obj, write_obj};
pub use paint::{
    MOST_PIXELS, check_file, lay_stroke, read_combed, read_picture, read_surface, write_combed, write_stroke,
    write_surface, write_weights,
};
pub use still::Still;

use nematon_geometry::{Mesh, find_borders};

/// The largest file that is read, bytes.
pub const MAX_BYTES: usize = 64 << 20;
/// Most points and triangles that are read of a file, before those that are doubled are joined. A small file can ask
/// for any number, by naming one mesh many times or by giving numbers that all are zero.
pub const MAX_READ: usize = 4_000_000;

/// Why a file is no mesh.
#[derive(Debug, PartialEq, Eq, thiserror::Error)]
pub enum ReadError {
    #[error("{0}")]
    Kind(String),
    #[error("the file has {found} bytes; the most is {MAX_BYTES}")]
    TooBig { found: usize },
    #[error("the file is empty")]
    Empty,
    #[error("line {line}: {message}")]
    Obj { line: usize, message: String },
    #[error("it asks for more than {MAX_READ} {what}. Bring in a part of it, or fewer copies")]
    TooMuch { what: &'static str },
    #[error("the glTF can't be read: {0}")]
    Gltf(String),
    #[error("the PLY can't be read: {0}")]
    Ply(String),
    #[error("the STL can't be read: {0}")]
    Stl(String),
    #[error("the USD file can't be read: {0}")]
    Usd(String),
    #[error("{0}")]
    FigureKind(String),
    #[error("{0}")]
    Figure(String),
    /// What is painted, in a sentence.
    #[error("{0}")]
    Paint(String),
    /// Of a file of curves, in a sentence.
    #[error("{0}")]
    Curve(String),
    #[error("the picture can't be read: {0}")]
    Picture(String),
}

/// What can be brought in instead of what can't.
const MESHES: &str = "Bring in a mesh as .obj, .glb, .gltf, .ply, .stl or .usd (as text or binary).";
pub(crate) const FIGURES: &str =
    "Bring in an animated mesh as .glb, .gltf or .usd (as text or binary), or as a .zip of .obj files.";

/// What a file seems to be, by its first bytes and then by its name, in a sentence.
pub fn seems(name: &str, bytes: &[u8]) -> String {
    let begins = |with: &[u8]| bytes.starts_with(with);
    let what = if begins(b"PXR-USDC") || begins(b"#usda") {
        "a USD file of another name: call it .usd"
    } else if begins(b"glTF") {
        "a binary glTF of another name: call it .glb"
    } else if begins(b"PK\x03\x04") {
        "a zip"
    } else if begins(b"\x89PNG") || begins(b"\xFF\xD8\xFF") || begins(b"RIFF") {
        "a picture"
    } else if begins(b"Ogawa") || begins(b"\x89HDF") {
        "a cache of frames, which is not read here"
    } else if begins(b"ply") {
        "a PLY of another name: call it .ply"
    } else if begins(b"{") {
        "a text of JSON"
    } else {
        "of a kind that is not known here"
    };
    format!("\"{name}\" seems to be {what}.")
}

/// Reads a mesh by the ending of its file name. Points at one place within an OBJ or glTF primitive
/// that was split for its texture are joined again.
///
/// # Errors
/// When the kind is unknown, or the bytes are not of that kind.
pub fn read_mesh(name: &str, bytes: &[u8]) -> Result<Mesh, ReadError> {
    if bytes.is_empty() {
        return Err(ReadError::Empty);
    }
    if bytes.len() > MAX_BYTES {
        return Err(ReadError::TooBig { found: bytes.len() });
    }
    let ending = name.rsplit('.').next().unwrap_or_default().to_ascii_lowercase();
    let mut mesh = match ending.as_str() {
        "obj" => read_obj(bytes)?,
        "ply" => ply::read_ply(bytes)?,
        "stl" => stl::read_stl(bytes)?,
        "usd" | "usda" | "usdc" | "usdz" => usd_mesh::read_usd(bytes)?,
        "gltf" | "glb" => gltf_figure::read_gltf(bytes)?,
        _ => return Err(ReadError::Kind(format!("{} {MESHES}", seems(name, bytes)))),
    };
    if mesh.triangles.iter().flatten().all(|&p| (p as usize) < mesh.positions.len()) {
        (mesh.borders, mesh.corners) = find_borders(&mesh);
    }
    Ok(mesh)
}
