//! Animated meshes of any kind that is read: glTF and GLB with all that moves, USD text with points sampled in time, a zip of OBJ files as a sequence, an OBJ that
//! stands still, and NumPy arrays of the points of any of these.
use crate::gltf_figure::read_gltf_figure;
use crate::{MAX_BYTES, MAX_READ, ReadError, read_mesh, read_obj};
use nematon_figure::{Figure, Joint, Local, Part};
use nematon_geometry::Mesh;
use std::io::Read as _;
use std::sync::Arc;

/// Most numbers of a sequence: 800 MB of them would be read otherwise by a file of a few.
const MOST_NUMBERS: usize = 60_000_000;

/// Reads an animated mesh by the ending of its file name, and checks that all of it fits together.
///
/// # Errors
/// When the kind is unknown, the bytes are not of that kind, or what they hold doesn't fit together.
pub fn read_figure(name: &str, bytes: &[u8]) -> Result<Figure, ReadError> {
    if bytes.is_empty() {
        return Err(ReadError::Empty);
    }
    if bytes.len() > MAX_BYTES {
        return Err(ReadError::TooBig { found: bytes.len() });
    }
    let figure = match name.rsplit('.').next().unwrap_or_default().to_ascii_lowercase().as_str() {
        "gltf" | "glb" => read_gltf_figure(bytes)?,
        "obj" => still(read_obj(bytes)?),
        "ply" | "stl" => still(read_mesh(name, bytes)?),
        "usd" | "usda" | "usdc" | "usdz" => crate::usd_mesh::read_usd_figure(bytes)?,
        "zip" => obj_sequence(bytes)?,
        _ => return Err(ReadError::FigureKind(format!("{} {}", crate::seems(name, bytes), crate::FIGURES))),
    }
    .named();
    figure.check().map_err(|e| ReadError::Figure(e.to_string()))?;
    Ok(figure)
}

/// The points of a figure, shape by shape, from a NumPy array of (shapes, points, 3) float32 or float64.
///
/// # Errors
/// When it is no such array, or not of these points.
pub fn with_points(mut figure: Figure, bytes: &[u8]) -> Result<Figure, ReadError> {
    let fail = |e: String| ReadError::Figure(e);
    let file = npyz::NpyFile::new(bytes)
        .map_err(|_| fail("it is no NumPy array, or one that is cut short".into()))?;
    let shape = file.shape().to_vec();
    let [shapes, points, 3] = shape[..] else {
        return Err(fail(format!("the array has the shape {shape:?}; (shapes, points, 3) is needed")));
    };
    // Of the file's own points, where it doubles some for its texture, or of those that these are here.
    let doubled = figure.file_points().filter(|(n, _)| *n as u64 == points);
    if points != figure.points() as u64 && doubled.is_none() {
        return Err(fail(format!("the array is of {points} points, and the mesh has {}", figure.points())));
    }
    if shapes == 0 || shapes.saturating_mul(points).saturating_mul(3) > MOST_NUMBERS as u64 {
        return Err(fail(format!(
            "the array has {shapes} shapes; the most is {MOST_NUMBERS} numbers in all"
        )));
    }
    if file.order() != npyz::Order::C {
        return Err(fail("the array is kept column by column; save it in C order".into()));
    }
    let short = |_: std::io::Error| fail("the array is cut short".into());
    let numbers: Vec<f32> = match file.dtype() {
        npyz::DType::Plain(t) if t.type_char() == npyz::TypeChar::Float && t.size_field() == 4 => {
            file.into_vec().map_err(short)?
        }
        npyz::DType::Plain(t) if t.type_char() == npyz::TypeChar::Float && t.size_field() == 8 => {
            file.into_vec::<f64>().map_err(short)?.into_iter().map(|v| v as f32).collect()
        }
        other => return Err(fail(format!("the array is of {}; float32 is needed", other.descr()))),
    };
    let each = 3 * points as usize;
    let shape = |n: &[f32]| {
        let all: Vec<[f32; 3]> = n.chunks_exact(3).map(|p| [p[0], p[1], p[2]]).collect();
        Arc::new(match &doubled {
            Some((_, first)) => first.iter().map(|k| all[*k]).collect(),
            None => all,
        })
    };
    figure.sequence = numbers.chunks_exact(each).map(shape).collect();
    figure.check().map_err(|e| fail(e.to_string()))?;
    Ok(figure)
}

/// A mesh that nothing moves.
fn still(mesh: Mesh) -> Figure {
    let joints = vec![Joint { name: "root".into(), parent: None, rest: Local::default() }];
    Figure { joints, parts: vec![Part { name: "mesh".into(), mesh, ..Part::default() }], ..Figure::default() }
}

/// The OBJ files of a zip in the order of their names, as shapes of one mesh.
fn obj_sequence(bytes: &[u8]) -> Result<Figure, ReadError> {
    let fail = |e: String| ReadError::Figure(e);
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(bytes))
        .map_err(|_| fail("it is no zip, or one that is cut short".into()))?;
    let mut names: Vec<String> = zip.file_names().flatten().map(|n| n.into_owned()).collect();
    // A desktop puts files of its own beside them, of the same names.
    let beside = |n: &str| n.split('/').any(|part| part == "__MACOSX" || part.starts_with('.'));
    names.retain(|n| n.to_ascii_lowercase().ends_with(".obj") && !beside(n));
    names.sort_by_key(|a| in_order(a));
    if names.is_empty() {
        return Err(fail("there is no OBJ file in it".into()));
    }
    let (mut figure, mut sequence, mut numbers) = (None::<Figure>, vec![], 0);
    for name in names {
        let file = zip.by_name(&name).map_err(|_| fail(format!("{name} in it can't be read")))?;
        let mut text = vec![];
        file.take(MAX_BYTES as u64 + 1)
            .read_to_end(&mut text)
            .map_err(|_| fail(format!("{name} in it is damaged")))?;
        if text.len() > MAX_BYTES {
            return Err(ReadError::TooBig { found: text.len() });
        }
        let mesh = read_obj(&text).map_err(|e| fail(format!("{name}: {e}")))?;
        numbers += 3 * mesh.positions.len();
        if numbers > MOST_NUMBERS || mesh.positions.len() > MAX_READ {
            return Err(ReadError::TooMuch { what: "points" });
        }
        if let Some(first) = &figure {
            let own = &first.parts[0].mesh;
            if own.positions.len() != mesh.positions.len() || own.triangles.len() != mesh.triangles.len() {
                let (a, b) = (mesh.positions.len(), own.positions.len());
                return Err(fail(format!("{name} is another mesh: {a} points, and the first has {b}")));
            }
        }
        sequence.push(Arc::new(mesh.positions.clone()));
        figure.get_or_insert_with(|| still(mesh));
    }
    Ok(Figure { sequence, ..figure.unwrap_or_default() })
}

/// By the numbers in a name, not by their digits: 2 comes before 10.
fn in_order(name: &str) -> (Vec<u64>, String) {
    let numbers = name.split(|c: char| !c.is_ascii_digit()).filter_map(|n| n.parse().ok()).collect();
    (numbers, name.to_owned())
}
