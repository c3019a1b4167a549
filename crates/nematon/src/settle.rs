//! `nematon settle`: how the bodies of a scene come to rest before its first frame, and where they are then.
use crate::bake::told_settled;
use crate::files::{body_of, read_scene, run_of};
use clap::Args;
use nematon_document::Settle;
use nematon_evaluate::still;
use nematon_formats::Still;
use std::path::PathBuf;

#[derive(Args)]
pub struct SettleArgs {
    /// The scene file.
    scene: PathBuf,
    /// Key of a body; the first if left out. What it touches settles with it.
    #[arg(long)]
    body: Option<String>,
    /// For so many seconds at most; left out, as the scene says, or six.
    #[arg(long)]
    seconds: Option<f64>,
    /// Sooner, where no point is faster than so many metres a second; left out, as the scene says, or 0.005.
    #[arg(long)]
    calm: Option<f64>,
    /// In the air that there is, and not under weight alone.
    #[arg(long)]
    air: bool,
    /// Where the settled mesh goes: OBJ, binary glTF or USD text by its ending. Left out, it is only told of.
    #[arg(long)]
    out: Option<PathBuf>,
}

/// # Errors
/// In words, when the scene can't be read or computed, or has no such body.
pub fn settle(args: &SettleArgs) -> Result<(), String> {
    let name = args.out.as_ref().map(|o| o.to_string_lossy());
    let kind = name.as_ref().and_then(|n| Still::of(n));
    if let (Some(name), None) = (&name, kind) {
        return Err(format!("{name}: a still mesh is written as .obj, .glb or .usda."));
    }
    let (mut scene, folder) = read_scene(&args.scene)?;
    let was = scene.frames.settle.clone().unwrap_or_default();
    let (seconds, calm) = (args.seconds.unwrap_or(was.seconds), args.calm.unwrap_or(was.calm));
    if !(seconds > 0.0 && seconds <= 120.0 && (0.0..=10.0).contains(&calm)) {
        return Err("It settles for up to 120 seconds, until slower than 0 to 10 m/s.".into());
    }
    scene.frames.settle = Some(Settle { seconds, calm, air: args.air || was.air });
    let (id, body) = body_of(&scene, args.body.as_deref())?;
    let (run, member) = run_of(&scene, &folder, &id)?;
    if let Some(settled) = run.settled() {
        println!("{}: {}", body.name, told_settled(&settled));
    }
    if let (Some(out), Some(kind)) = (&args.out, kind) {
        let mesh = still(&run.members[member].shaped.mesh, &run.positions(member));
        let text = kind.write(&body.name, &mesh).map_err(|e| format!("{}: {e}", out.display()))?;
        std::fs::write(out, text).map_err(|e| format!("{}: {e}", out.display()))?;
    }
    Ok(())
}
