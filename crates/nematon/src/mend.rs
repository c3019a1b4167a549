//! `nematon mend`: what is wrong with a mesh file, and the file without it.
use crate::files::read_with_parts;
use clap::{Args, ValueEnum};
use nematon_document::MAX_POINTS;
use nematon_formats::{With, read_mesh, write_obj};
use nematon_geometry::{check, clean, face_alike, in_metres, join_near};
use std::path::PathBuf;

#[derive(Args)]
pub struct MendArgs {
    /// The mesh: OBJ, glTF, GLB, PLY or STL.
    mesh: PathBuf,
    /// Where to write it mended, as OBJ; only told if left out.
    #[arg(long)]
    out: Option<PathBuf>,
    /// Metres that a unit of the file is.
    #[arg(long, default_value_t = 1.0)]
    scale: f64,
    /// Joins points that are within so many metres of each other.
    #[arg(long)]
    join: Option<f32>,
    /// Which axis of the file points up.
    #[arg(long, default_value = "y")]
    up: Up,
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Up {
    Y,
    Z,
}

/// # Errors
/// In words, when the file can't be read, is unfit for a cloth even when mended, or can't be written.
pub fn mend(args: &MendArgs) -> Result<(), String> {
    let name = args.mesh.display().to_string();
    if args.join.is_some_and(|j| !(j.is_finite() && j > 0.0)) {
        return Err("--join takes a distance above zero, in metres.".into());
    }
    let bytes = read_with_parts(&args.mesh)?;
    let mesh = read_mesh(&name, &bytes).map_err(|e| format!("{name}: {e}"))?;
    let mut whole = in_metres(&mesh, args.scale, args.up == Up::Z);
    if let Some(within) = args.join {
        let (joined, n) = join_near(&whole, within);
        println!("{n} points joined to others within {within} m");
        whole = joined;
    }
    let (mended, told) = clean(&whole);
    let (lo, hi) = mended.bounds();
    println!(
        "{} points and {} triangles in {} piece(s), {} x {} x {} m; {} loose points, {} triangles without area, {} doubled, \
         {} turned over, {} sides split at a corner inside them",
        mended.positions.len(),
        mended.triangles.len(),
        told.pieces,
        hi[0] - lo[0],
        hi[1] - lo[1],
        hi[2] - lo[2],
        told.loose,
        told.no_area,
        told.doubled,
        told.turned,
        told.split
    );
    if let Some(out) = &args.out {
        let stem = args.mesh.file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
        let text = write_obj(
            &stem,
            &mended,
            &mended.positions,
            With { normals: false, triangles: false, exact: false, ..With::default() },
        );
        std::fs::write(out, text).map_err(|e| format!("{}: {e}", out.display()))?;
    }
    let left =
        check(&mended, MAX_POINTS).err().unwrap_or_else(|| face_alike(&mended).err().into_iter().collect());
    match left.as_slice() {
        [] => Ok(()),
        left => Err(format!(
            "It is no cloth even so: {}",
            left.iter().map(ToString::to_string).collect::<Vec<_>>().join("; ")
        )),
    }
}
