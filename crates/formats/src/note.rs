//! What whoever comes next has to know of files: what is in each, in which units, and how it goes back into what it came from.
use crate::motion::{Kind, Motion, Unit, Up, With};
use std::fmt::Write;

/// The name of the file that it goes into.
pub const NOTE: &str = "hand-over.txt";

/// Tells of the files that bodies were written to, each with its kind and its name; `more` is what else there is to know of them, in sentences.
pub fn note(scene: &str, bodies: &[Motion], files: &[(Kind, String)], with: With, more: &[String]) -> String {
    let mut out = String::new();
    let mut say = |line: &str| {
        out.push_str(line);
        out.push('\n');
    };
    say(scene);
    say("");
    if let Some(b) = bodies.first() {
        let every = match b.every {
            0 | 1 => String::new(),
            2 => ", every second one".into(),
            n => format!(", every {n}th one"),
        };
        let to = b.last();
        let took = (b.count as f64 - 1.0).max(0.0) / b.pace();
        say(&format!(
            "Frames {} to {to}{every}: {} of them, {took:.3} s at {} frames a second. Frame numbers are those of the shot.",
            b.first, b.count, b.rate
        ));
    }
    say("");
    for b in bodies {
        let mut told = String::new();
        let m = b.mesh;
        let _ = match (m.strands.len(), m.radii.is_empty()) {
            (0, true) => write!(
                told,
                "a mesh of {} points and {} faces{}",
                m.positions.len(),
                with.faces(m).len(),
                if m.uv_triangles.is_empty() {
                    ", without texture coordinates"
                } else {
                    ", with texture coordinates"
                }
            ),
            (0, false) => write!(
                told,
                "{} loose pieces{}",
                m.positions.len(),
                if b.comes { ", which come and go: each keeps its number" } else { "" }
            ),
            (n, _) => write!(told, "{n} strands of {} points", m.positions.len()),
        };
        if let Some(p) = b.picture {
            let _ = write!(told, ", seen with a picture ({})", p.ending);
        }
        if b.origin != [0.0; 3] {
            let [x, y, z] = b.origin;
            let _ = write!(told, ", told from ({x}, {y}, {z}) m");
        }
        say(&format!("{}: {told}.", b.name));
    }
    more.iter().for_each(|m| say(m));
    for (kind, name) in files {
        say("");
        say(name);
        for line in of(*kind, bodies, with) {
            say(&format!("  {line}"));
        }
    }
    out
}

/// What there is to know of a kind of file.
fn of(kind: Kind, bodies: &[Motion], with: With) -> Vec<String> {
    let (length, up) = told(with);
    let metres = "Lengths are metres, y is up, right-handed.".to_owned();
    let first = bodies.first().map_or(0, |b| b.first);
    let fast = |of: &str| {
        with.velocities.then(|| format!("How fast each point goes is beside its place, {of}, for blur."))
    };
    let mut out = match kind {
        Kind::Usda | Kind::Usdc => vec![
            format!("{}. {length}, {up} is up; the file says so itself, and the time code is the frame's number.", if kind == Kind::Usda { "USD text" } else { "Binary USD" }),
            "Meshes have their points sampled in time and one set of faces; no subdivision is asked for. Loose pieces are points or instances with ids, strands are linear curves with widths.".into(),
            "As a reference or payload it needs no more; a picture stands in the same zip.".into(),
        ],
        Kind::Glb | Kind::Gltf => vec![
            format!("{} {metres} Time is in seconds from frame {first} on.", if kind == Kind::Glb { "Binary glTF 2.0." } else { "glTF 2.0, a text and its numbers beside it." }),
            "Plants are skins with joints, loose pieces are nodes, all else is shapes that follow each other, one a frame, each fading into the next.".into(),
        ],
        Kind::Obj | Kind::Still => vec![
            format!("OBJ, one file a frame, numbered by it. {metres}"),
            "Points keep their order from frame to frame and are those of the mesh that was brought in.".into(),
        ],
        Kind::Ply => vec![
            format!("Binary PLY, one file a frame, numbered by it. {length}, {up} is up."),
            "Points keep their order; where pieces come and go each has its id.".into(),
        ],
        Kind::Npy => vec![
            format!("NumPy, little-endian {}, of shape (frames, points, 3), row {first} first. {metres}", if with.exact { "float64" } else { "float32" }),
            "Points are in the order of the mesh: a mesh that was brought in takes them as they are. Where pieces come and go it is an npz of count, id and position.".into(),
        ],
    };
    match kind {
        Kind::Usda | Kind::Usdc => out.extend(fast("in the lengths that its points are told in, a second")),
        Kind::Ply => out.extend(fast("as vx, vy and vz in lengths of the file a second")),
        _ => {}
    }
    out
}

fn told(with: With) -> (&'static str, &'static str) {
    let length = match with.unit {
        Unit::Metre => "Lengths are metres",
        Unit::Centimetre => "Lengths are centimetres",
    };
    (length, if with.up == Up::Z { "z" } else { "y" })
}
