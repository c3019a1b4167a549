//! `nematon still`: a frame of a body as a still mesh, and what it holds and weighs there.
use crate::bake::TOLD;
use crate::files::{body_of, read_scene, run_of};
use clap::Args;
use nematon_evaluate::{Sewn, Stage, filled, freeze as frozen, shape, still as plain};
use nematon_formats::Still;
use nematon_solver::NoWatch;
use std::collections::HashMap;
use std::path::PathBuf;
use std::sync::Arc;

#[derive(Args)]
pub struct StillArgs {
    /// The scene file.
    scene: PathBuf,
    /// Key of a body; the first if left out.
    #[arg(long)]
    body: Option<String>,
    /// The frame; the last if left out. The motion always starts at the scene's first.
    #[arg(long, allow_hyphen_values = true)]
    frame: Option<i64>,
    /// How many times it is smoothed, 0 to 4.
    #[arg(long, default_value_t = 0, value_parser = clap::value_parser!(u32).range(0..=4))]
    smooth: u32,
    /// Every point as it is, nothing joined or smoothed: what the body can come back to as its rest shape.
    #[arg(long, conflicts_with = "smooth")]
    as_is: bool,
    /// Where the mesh goes: OBJ, binary glTF or USD text by its ending, obj, glb or usda. Left out, it is only told of.
    #[arg(long)]
    out: Option<PathBuf>,
}

/// # Errors
/// In words, when the scene can't be read or computed, or has no such body or frame.
pub fn keep(args: &StillArgs) -> Result<(), String> {
    let name = args.out.as_ref().map(|o| o.to_string_lossy());
    let kind = name.as_ref().and_then(|n| Still::of(n));
    if let (Some(name), None) = (&name, kind) {
        return Err(format!("{name}: a still mesh is written as .obj, .glb or .usda."));
    }
    let (scene, folder) = read_scene(&args.scene)?;
    let stage = Stage::new(&scene, &folder);
    let (id, body) = body_of(&scene, args.body.as_deref())?;
    let span = &scene.frames;
    let frame = args.frame.unwrap_or(span.last);
    if !(span.first..=span.last).contains(&frame) {
        return Err(format!("The scene has frames {} to {}.", span.first, span.last));
    }
    let (mut run, member) = run_of(&scene, &folder, &id)?;
    let closed: Vec<i64> =
        body.kind.cloth().iter().flat_map(|c| c.chambers.values()).filter_map(|c| c.closed).collect();
    let mut then = HashMap::new();
    loop {
        let now = span.first + run.at() as i64;
        if closed.contains(&now) {
            then.insert(now, run.positions(member));
        }
        if now >= frame {
            break;
        }
        run.advance(&NoWatch).map_err(|e| e.to_string())?;
    }
    let s = shape(&stage, body, &folder).map_err(|e| e.to_string())?;
    let at = run.positions(member);
    if let Some(cloth) = body.kind.cloth() {
        let told = filled(&stage, cloth, &s, &at, frame as f64, |f| then.get(&f).cloned());
        println!("{} at {frame}: skin {:.4} kg", body.name, told.skin);
        for (c, gas) in told.chambers.iter().zip(run.gas(member)) {
            println!(
                "{}: {:.6} m3 at {:.2} Pa above outside; fill {:.4} kg, lift {:.4} N",
                c.chamber, c.volume, gas.pressure, c.fill, c.lift
            );
        }
    }
    let none = Arc::new(Sewn::default());
    let mesh = match args.as_is {
        true => plain(&s.mesh, &at),
        false => frozen(s.sewn().unwrap_or(&none), &s.mesh, &at, args.smooth),
    };
    if let Some(out) = &args.out {
        let off = nematon_formats::rounding(&run.places(member), [0.0; 3]);
        if off > TOLD {
            let mm = 1e3 * off;
            eprintln!("So far from the world's origin places are off by up to {mm:.3} mm in this file.");
        }
        let told = |e: std::io::Error| format!("{}: {e}", out.display());
        let bytes = kind.unwrap_or(Still::Obj).write(&body.name, &mesh).map_err(told)?;
        std::fs::write(out, bytes).map_err(told)?;
        println!("{}: {} points, {} triangles", out.display(), mesh.positions.len(), mesh.triangles.len());
    }
    Ok(())
}
