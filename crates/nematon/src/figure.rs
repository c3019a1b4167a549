//! `nematon figure`: what an animated mesh holds, and capsules and flat boxes that stand in for its skin.
use crate::files::read_with_parts;
use clap::Args;
use nematon_figure::{Fitted, stand_ins};
use std::path::PathBuf;

#[derive(Args)]
pub struct FigureArgs {
    /// The file: GLB, glTF, OBJ, or a zip of OBJ files.
    file: PathBuf,
    /// A NumPy array of the same points, shape by shape.
    #[arg(long)]
    points: Option<PathBuf>,
    /// Tells the capsules and flat boxes that stand in for its skin, one JSON object a line.
    #[arg(long)]
    stand_ins: bool,
}

/// # Errors
/// In words, when a file can't be read or doesn't fit.
pub fn figure(args: &FigureArgs) -> Result<(), String> {
    let read = |path: &PathBuf| {
        let name = path.display().to_string();
        read_with_parts(path).map(|b| (name, b))
    };
    let (name, bytes) = read(&args.file)?;
    let mut f = nematon_formats::read_figure(&name, &bytes).map_err(|e| format!("{name}: {e}"))?;
    if let Some(points) = &args.points {
        let (name, bytes) = read(points)?;
        f = nematon_formats::with_points(f, &bytes).map_err(|e| format!("{name}: {e}"))?;
    }
    if args.stand_ins {
        for s in stand_ins(&f) {
            let mut line = serde_json::json!({
                "joint": f.joints[s.joint].name,
                "position": s.position.to_array(),
                "turn": s.turn.to_array(),
            });
            match s.form {
                Fitted::Capsule { radius, length } => {
                    (line["radius"], line["length"]) = (radius.into(), length.into());
                }
                Fitted::Box { size } => line["size"] = serde_json::json!(size),
            }
            println!("{line}");
        }
        return Ok(());
    }
    println!("{} points, {} joints, {} shapes", f.points(), f.joints.len(), f.sequence.len());
    for p in &f.parts {
        let most = p.weights.first.windows(2).map(|w| w[1] - w[0]).max().unwrap_or(0);
        println!(
            "part \"{}\": {} points, {} triangles, {} morphs, {most} joints a point at most",
            p.name,
            p.mesh.positions.len(),
            p.mesh.triangles.len(),
            p.morphs.len()
        );
    }
    for c in &f.clips {
        println!("clip \"{}\": {:.3} s, {} channels", c.name, c.duration, c.channels.len());
    }
    for j in &f.joints {
        let on = j.parent.map_or("nothing", |p| &f.joints[p].name);
        println!("joint \"{}\" on {on}", j.name);
    }
    Ok(())
}
