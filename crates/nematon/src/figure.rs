//! `nematon figure`: what an animated mesh holds, and capsules and flat boxes that stand in for its skin.
use crate::files::{read_scene, read_with_parts};
use clap::Args;
use nematon_document::{FigureId, FrameSpan, MeshSource};
use nematon_evaluate::{Stage, cameras, version};
use nematon_figure::{Fitted, stand_ins};
use std::path::{Path, PathBuf};

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
    /// Tells the cameras of a glTF as a scene has them, as JSON, at --rate frames a second from frame 0 on.
    #[arg(long, conflicts_with = "stand_ins")]
    cameras: bool,
    #[arg(long, default_value_t = 24.0, requires = "cameras")]
    rate: f64,
    /// Puts the file in the place of a figure's, by its key, and tells what of the scene stays and what does not fit.
    #[arg(long, requires = "scene")]
    instead_of: Option<String>,
    /// The scene file that has the figure.
    #[arg(long)]
    scene: Option<PathBuf>,
    /// Where the scene goes with the other file in it.
    #[arg(long, requires = "instead_of")]
    out: Option<PathBuf>,
}

/// Another version of a figure's file in a scene.
fn instead(args: &FigureArgs, key: &str, file: &Path) -> Result<(), String> {
    let (scene, folder) = read_scene(file)?;
    let stage = Stage::new(&scene, &folder);
    // A scene names its files from where it is.
    let beside = |p: &Path| p.strip_prefix(&folder.0).unwrap_or(p).to_string_lossy().into_owned();
    let from = MeshSource::File(beside(&args.file));
    let name = args.file.display().to_string();
    let new = nematon_formats::read_figure(&name, &read_with_parts(&args.file)?)
        .map_err(|e| format!("{name}: {e}"))?;
    let id = FigureId(key.to_owned());
    let was = stage.figure(key).ok().map(|p| p.figure.clone());
    let found = version(&stage, &id, &from, was.as_deref(), &new)?;
    found.kept.iter().for_each(|k| println!("stays: {k}"));
    found.lost.iter().for_each(|l| println!("does not fit: {l}"));
    let Some(out) = &args.out else { return Ok(()) };
    let patch = serde_json::from_value(serde_json::json!(found.patch)).map_err(|e| e.to_string())?;
    let whole = serde_json::to_value(&scene).map_err(|e| e.to_string())?;
    let (scene, _) = nematon_document::apply(&whole, &patch).map_err(|e| e.to_string())?;
    let text = serde_json::to_string_pretty(&scene).map_err(|e| e.to_string())?;
    std::fs::write(out, text).map_err(|e| format!("{}: {e}", out.display()))
}

/// # Errors
/// In words, when a file can't be read or doesn't fit.
pub fn figure(args: &FigureArgs) -> Result<(), String> {
    let read = |path: &PathBuf| {
        let name = path.display().to_string();
        read_with_parts(path).map(|b| (name, b))
    };
    if let (Some(key), Some(scene)) = (&args.instead_of, &args.scene) {
        return instead(args, key, scene);
    }
    let (name, bytes) = read(&args.file)?;
    if args.cameras {
        let (figure, found) = nematon_formats::read_cameras(&bytes).map_err(|e| format!("{name}: {e}"))?;
        let frames = serde_json::json!({"first": 0, "last": 0, "rate": args.rate});
        let frames: FrameSpan = serde_json::from_value(frames).map_err(|e| e.to_string())?;
        let text =
            serde_json::to_string_pretty(&cameras(&figure, &found, &frames)).map_err(|e| e.to_string())?;
        println!("{text}");
        return Ok(());
    }
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
