//! `nematon loop`: frames that repeat, what jumps where they begin again, and where a motion is most like itself.
use crate::bake::frames;
use crate::files::{read_scene, run_of};
use clap::Args;
use nematon_document::{Loop, Scene, validate};
use nematon_evaluate::{Places, Seam, Stage, best, seam, unrepeated};
use nematon_solver::NoWatch;
use std::path::PathBuf;

#[derive(Args)]
pub struct LoopArgs {
    /// The scene file.
    scene: PathBuf,
    /// Looks for the loop that jumps least, of so many frames: SHORTEST..LONGEST. Left out, the scene's own is measured.
    #[arg(long, value_parser = frames)]
    find: Option<(i64, i64)>,
    /// Frames at its end that turn into those before its first; left out, as the scene says, or a quarter of the shortest.
    #[arg(long)]
    blend: Option<i64>,
    /// Where the scene goes with this loop; `nematon bake --loop` writes its frames.
    #[arg(long)]
    out: Option<PathBuf>,
}

/// Points that a body is looked at by, and in search of a loop all together.
const POINTS: usize = 600;
const SEARCHED: usize = 400;

/// # Errors
/// In words, when the scene can't be read or computed, or has no loop.
pub fn looped(args: &LoopArgs) -> Result<(), String> {
    let (mut scene, folder) = read_scene(&args.scene)?;
    let stage = Stage::new(&scene, &folder);
    let span = scene.frames.clone();
    if args.find.is_none() && span.looped.is_none() {
        return Err("The scene has no loop: --find SHORTEST..LONGEST looks for one.".into());
    }
    if let Some((a, b)) = args.find.filter(|(a, b)| *a < 2 || *b > span.count() as i64 - 2) {
        return Err(format!(
            "A loop has 2 to {} frames here; {a}..{b} does not fit.",
            span.count() as i64 - 2
        ));
    }
    // All bodies, island by island.
    let mut motions: Vec<(String, Places)> = vec![];
    for island in scene.islands() {
        let (mut run, _) = run_of(&scene, &folder, &island[0])?;
        let mut own: Vec<Places> = vec![vec![]; run.members.len()];
        loop {
            for (k, places) in own.iter_mut().enumerate() {
                let all = run.places(k);
                let each = all.len().div_ceil(POINTS).max(1);
                places.push(all.into_iter().step_by(each).collect());
            }
            if run.is_done() {
                break;
            }
            run.advance(&NoWatch).map_err(|e| e.to_string())?;
        }
        motions.extend(run.members.iter().map(|m| m.name.clone()).zip(own));
    }
    let l = match args.find {
        Some((shortest, longest)) => {
            let blend = args.blend.unwrap_or(shortest / 4).clamp(0, shortest - 1);
            let each = (motions.len() * POINTS).div_ceil(SEARCHED).max(1);
            let together =
                |f: usize| motions.iter().flat_map(|(_, m)| m[f].iter().step_by(each).copied()).collect();
            let all: Places = (0..span.count()).map(together).collect();
            let found = best(span.first, &all, shortest, longest, blend);
            let (l, apart) = found.ok_or("Nothing moves: there is no loop to find.")?;
            println!(
                "Frames {} to {} ({} of them), {apart:.2} usual steps apart, the last {} blended",
                l.from,
                l.last(),
                l.length,
                l.blend
            );
            l
        }
        None => match span.looped.clone() {
            Some(l) => Loop { blend: args.blend.unwrap_or(l.blend), ..l },
            None => return Ok(()),
        },
    };
    scene.frames.looped = Some(l.clone());
    check(&scene)?;
    let mut at = vec![];
    for (name, motion) in &motions {
        let first = &motion[(l.from - span.first) as usize];
        at.extend(first.iter().filter(|p| p[0].is_finite()).step_by(POINTS / 4).map(|p| p.map(|c| c as f32)));
        let plain = Loop { blend: 0, ..l.clone() };
        println!("{name}: {}", told(&seam(&l, span.first, span.rate, motion)));
        if l.blend > 0 {
            println!("  not blended, {}", told(&seam(&plain, span.first, span.rate, motion)));
        }
    }
    let lacking = unrepeated(&stage, &l, &at);
    if !lacking.is_empty() {
        println!("What is not the same {} frames later: {}", l.length, lacking.join(", "));
    }
    if let Some(out) = &args.out {
        let text = serde_json::to_string_pretty(&scene).map_err(|e| e.to_string())?;
        std::fs::write(out, text + "\n").map_err(|e| format!("{}: {e}", out.display()))?;
    }
    Ok(())
}

fn check(scene: &Scene) -> Result<(), String> {
    let document = serde_json::to_value(scene).map_err(|e| e.to_string())?;
    let lines = |f: Vec<nematon_document::Fault>| f.iter().map(ToString::to_string).collect::<Vec<_>>();
    validate(&document).map(drop).map_err(|f| lines(f).join("\n"))
}

fn told(s: &Seam) -> String {
    format!(
        "a point goes {:.1} mm over the seam where {:.1} is usual and {:.1} the most elsewhere, and turns by {:.2} m/s where {:.2} is usual and \
         {:.2} the most",
        1e3 * s.way,
        1e3 * s.usual_way,
        1e3 * s.most_way,
        s.turn,
        s.usual_turn,
        s.most_turn
    )
}
