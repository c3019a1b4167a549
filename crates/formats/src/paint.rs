//! What is painted, as NPZ files (zips of NumPy arrays): a surface as `positions` and `triangles`, a stroke as `points` and `weights`.
//! And pictures, PNG and JPEG.
use crate::{MAX_BYTES, ReadError};
use nematon_geometry::Mesh;
use nematon_paint::{Combed, Painting, Picture};
use npyz::WriterBuilder;
use std::io::{Cursor, Read as _, Write as _};
use std::sync::Arc;

/// Most points of a surface that is painted on.
const MOST_POINTS: u64 = 2_000_000;
/// Most pixels of a picture.
pub const MOST_PIXELS: u64 = 40_000_000;

/// A surface to paint on.
pub fn write_surface(mesh: &Mesh) -> Vec<u8> {
    let positions: Vec<f32> = mesh.positions.iter().flatten().copied().collect();
    let triangles: Vec<u32> = mesh.triangles.iter().flatten().copied().collect();
    zipped(&[
        ("positions", array(&positions, &[mesh.positions.len() as u64, 3])),
        ("triangles", array(&triangles, &[mesh.triangles.len() as u64, 3])),
    ])
}

/// What a stroke changed: points of its surface and their new weights.
pub fn write_stroke(changes: &[(u32, f32)]) -> Vec<u8> {
    let (points, weights): (Vec<u32>, Vec<f32>) = changes.iter().copied().unzip();
    let n = [changes.len() as u64];
    zipped(&[("points", array(&points, &n)), ("weights", array(&weights, &n))])
}

/// What a comb made of strands.
pub fn write_combed(of: &Combed) -> Vec<u8> {
    let n = of.roots.len() as u64;
    let flat = |all: &[[f32; 3]]| all.iter().flatten().copied().collect::<Vec<f32>>();
    zipped(&[
        ("roots", array(&flat(&of.roots), &[n, 3])),
        ("outs", array(&flat(&of.outs), &[n, 3])),
        ("ways", array(&flat(&of.ways), &[n, of.segments as u64, 3])),
        ("lengths", array(&of.lengths, &[n])),
        ("apart", array(&[of.apart], &[1])),
    ])
}

/// What a comb made of strands.
///
/// # Errors
/// When it is no NPZ of what is needed, or that doesn't fit together.
pub fn read_combed(bytes: &[u8]) -> Result<Combed, ReadError> {
    let triples = |name: &str| -> Result<Vec<[f32; 3]>, ReadError> {
        let all: Vec<f32> = numbers(bytes, name)?;
        let (rows, rest) = all.as_chunks::<3>();
        if !rest.is_empty() || all.iter().any(|c| !c.is_finite()) {
            return Err(fail(&format!("\"{name}\" is not of three finite numbers a row")));
        }
        Ok(rows.to_vec())
    };
    let (roots, outs, ways) = (triples("roots")?, triples("outs")?, triples("ways")?);
    let lengths: Vec<f32> = numbers(bytes, "lengths")?;
    let apart = numbers::<f64>(bytes, "apart")?.first().copied().unwrap_or(0.0);
    let n = roots.len();
    let segments = ways.len().checked_div(n).unwrap_or(1);
    if outs.len() != n || lengths.len() != n || segments == 0 || ways.len() != n * segments {
        return Err(fail(&format!(
            "{n} roots, {} ways and {} lengths don't fit together",
            ways.len(),
            lengths.len()
        )));
    }
    if !(apart > 0.0 && apart.is_finite()) || lengths.iter().any(|l| !(*l > 0.0 && l.is_finite())) {
        return Err(fail("a strand has no length, or roots no room"));
    }
    Ok(Combed { roots, outs, segments, ways, lengths, apart })
}

/// Weights as a NumPy array of float32, one a point.
pub fn write_weights(weights: &[f32]) -> Vec<u8> {
    array(weights, &[weights.len() as u64])
}

fn array<T: npyz::AutoSerialize + Copy>(numbers: &[T], shape: &[u64]) -> Vec<u8> {
    let mut out = vec![];
    let write = |out: &mut Vec<u8>| {
        let mut to = npyz::WriteOptions::<T>::new().default_dtype().shape(shape).writer(out).begin_nd()?;
        to.extend(numbers.iter().copied())?;
        to.finish()
    };
    // Into memory nothing can fail to be written.
    write(&mut out).map_or_else(|_| vec![], |()| out)
}

fn zipped(arrays: &[(&str, Vec<u8>)]) -> Vec<u8> {
    let mut zip = zip::ZipWriter::new(Cursor::new(vec![]));
    let options =
        zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Deflated);
    for (name, bytes) in arrays {
        let done = zip.start_file(format!("{name}.npy"), options).is_ok() && zip.write_all(bytes).is_ok();
        assert!(done, "into memory nothing can fail to be written");
    }
    zip.finish().map_or_else(|_| vec![], Cursor::into_inner)
}

/// A surface that nothing is painted on yet.
///
/// # Errors
/// When it is no NPZ of what is needed, or that doesn't fit together.
pub fn read_surface(bytes: &[u8]) -> Result<Painting, ReadError> {
    let positions: Vec<f32> = numbers(bytes, "positions")?;
    let triangles: Vec<u32> = numbers(bytes, "triangles")?;
    if !positions.len().is_multiple_of(3) || !triangles.len().is_multiple_of(3) {
        return Err(fail("the surface's arrays are not of three numbers a row"));
    }
    let positions: Vec<[f32; 3]> = positions.chunks_exact(3).map(|p| [p[0], p[1], p[2]]).collect();
    let triangles: Vec<[u32; 3]> = triangles.chunks_exact(3).map(|t| [t[0], t[1], t[2]]).collect();
    if positions.iter().flatten().any(|c| !c.is_finite()) {
        return Err(fail("the surface has a point that is at no finite place"));
    }
    let n = positions.len();
    if triangles.iter().flatten().any(|p| *p as usize >= n) {
        return Err(fail("the surface has a triangle of points that it has not"));
    }
    let surface = Arc::new(Mesh { positions, triangles, ..Mesh::default() });
    Ok(Painting { surface, weights: vec![0.0; n] })
}

/// Lays a stroke over what is painted.
///
/// # Errors
/// When it is no NPZ of what is needed, or not of this surface.
pub fn lay_stroke(on: &mut Painting, bytes: &[u8]) -> Result<(), ReadError> {
    let points: Vec<u32> = numbers(bytes, "points")?;
    let own: Vec<f32> = numbers(bytes, "weights")?;
    if points.len() != own.len() {
        return Err(fail(&format!("a stroke has {} points and {} weights", points.len(), own.len())));
    }
    let n = on.weights.len();
    for (p, w) in points.iter().zip(own) {
        let Some(to) = on.weights.get_mut(*p as usize) else {
            return Err(fail(&format!("a stroke is on point {p}, and the surface has {n} points")));
        };
        if !(0.0..=1.0).contains(&w) {
            return Err(fail(&format!("a stroke has the weight {w}, which is not from 0 to 1")));
        }
        *to = w;
    }
    Ok(())
}

fn fail(why: &str) -> ReadError {
    ReadError::Paint(why.to_owned())
}

/// The numbers of an array of an NPZ file.
fn numbers<T: npyz::Deserialize>(bytes: &[u8], name: &str) -> Result<Vec<T>, ReadError> {
    let mut zip =
        zip::ZipArchive::new(Cursor::new(bytes)).map_err(|e| fail(&format!("it is no NPZ file: {e}")))?;
    let file =
        zip.by_name(&format!("{name}.npy")).map_err(|_| fail(&format!("it has no array \"{name}\"")))?;
    let mut own = vec![];
    file.take(MAX_BYTES as u64).read_to_end(&mut own).map_err(|e| fail(&format!("\"{name}\": {e}")))?;
    let array =
        npyz::NpyFile::new(&own[..]).map_err(|e| fail(&format!("\"{name}\" is no NumPy array: {e}")))?;
    if array.shape().iter().product::<u64>() > 6 * MOST_POINTS {
        return Err(ReadError::TooMuch { what: "numbers" });
    }
    array.into_vec::<T>().map_err(|e| fail(&format!("\"{name}\" can't be read: {e}")))
}

/// Whether a file is what its ending says: of a mesh, a figure and its points, of what is painted, or a picture.
///
/// # Errors
/// Why it isn't.
pub fn check_file(name: &str, bytes: &[u8]) -> Result<(), ReadError> {
    let ending = name.rsplit('.').next().unwrap_or_default().to_ascii_lowercase();
    match ending.as_str() {
        "npz" => read_surface(bytes)
            .map(drop)
            .or_else(|_| numbers::<u32>(bytes, "points").map(drop))
            .or_else(|e| read_combed(bytes).map(drop).map_err(|_| e)),
        "npy" => npyz::NpyFile::new(bytes).map(drop).map_err(|e| fail(&format!("it is no NumPy array: {e}"))),
        "png" | "jpg" | "jpeg" => read_picture(bytes).map(drop),
        "zip" => crate::read_figure(name, bytes).map(drop),
        _ => crate::read_mesh(name, bytes)
            .map(drop)
            .or_else(|e| crate::read_figure(name, bytes).map(drop).map_err(|_| e))
            .or_else(|e| crate::read_guides(name, bytes).map(drop).map_err(|_| e)),
    }
}

/// Reads a PNG or JPEG file.
///
/// # Errors
/// When it is neither, or has too many pixels.
pub fn read_picture(bytes: &[u8]) -> Result<Picture, ReadError> {
    let fault = |e: &dyn std::fmt::Display| ReadError::Picture(e.to_string());
    let reader = || image::ImageReader::new(Cursor::new(bytes)).with_guessed_format();
    let size = reader().map_err(|e| fault(&e))?;
    if size.format().is_none() {
        return Err(ReadError::Picture("it is neither PNG nor JPEG".into()));
    }
    let (w, h) = size.into_dimensions().map_err(|e| fault(&e))?;
    let pixels = u64::from(w) * u64::from(h);
    if pixels == 0 || pixels > MOST_PIXELS {
        let most = MOST_PIXELS / 1_000_000;
        return Err(ReadError::Picture(format!(
            "it has {w} by {h} pixels; the most is {most} million in all. Make it smaller"
        )));
    }
    let image = reader().map_err(|e| fault(&e))?.decode().map_err(|e| fault(&e))?.into_rgba8();
    Ok(Picture { size: [w, h], pixels: image.pixels().map(|p| p.0).collect() })
}
