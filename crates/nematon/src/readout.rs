//! `nematon readout`: numbers over time of chosen points of a body, as CSV, and by how much they lag behind what holds it.
use crate::files::{body_of, read_scene, run_of};
use clap::Args;
use nematon_evaluate::{LATEST, Stage, lag, readings, shape};
use nematon_solver::NoWatch;
use std::fmt::Write;
use std::path::PathBuf;

#[derive(Args)]
pub struct ReadoutArgs {
    /// The scene file.
    scene: PathBuf,
    /// Key of a body; the first if left out.
    #[arg(long)]
    body: Option<String>,
    /// Numbers of its points; with neither these nor a border, all of them.
    #[arg(long, value_delimiter = ',', conflicts_with = "border")]
    points: Vec<u32>,
    /// The name of a border of it.
    #[arg(long)]
    border: Option<String>,
    /// The last frame that is read; the scene's last if left out.
    #[arg(long, allow_hyphen_values = true)]
    until: Option<i64>,
    /// Where the CSV goes; written out if left out.
    #[arg(long)]
    out: Option<PathBuf>,
}

/// # Errors
/// In words, when the scene can't be read or computed, or has no such body, border, point or frame.
pub fn readout(args: &ReadoutArgs) -> Result<(), String> {
    let (scene, folder) = read_scene(&args.scene)?;
    let stage = Stage::new(&scene, &folder);
    let (id, body) = body_of(&scene, args.body.as_deref())?;
    let span = &scene.frames;
    let until = args.until.unwrap_or(span.last);
    if !(span.first..=span.last).contains(&until) {
        return Err(format!("The scene has frames {} to {}.", span.first, span.last));
    }
    let shaped = shape(&stage, body, &folder).map_err(|e| format!("{}: {e}", body.name))?;
    let count = shaped.placed.len() as u32;
    let chosen: Vec<u32> = match &args.border {
        Some(name) => {
            let all: Vec<&str> = shaped.mesh.borders.iter().map(|b| b.name.as_str()).collect();
            let found = shaped.mesh.borders.iter().find(|b| b.name == *name);
            let known = if all.is_empty() { "none".into() } else { all.join(", ") };
            let none = || format!("{} has no border \"{name}\"; it has {known}.", body.name);
            found.ok_or_else(none)?.points.clone()
        }
        None if args.points.is_empty() => (0..count).collect(),
        None => args.points.clone(),
    };
    if let Some(p) = chosen.iter().find(|p| **p >= count) {
        return Err(format!("{} has points 0 to {}; there is no {p}.", body.name, count.saturating_sub(1)));
    }
    let held: Vec<u32> = shaped.gripped().into_iter().flat_map(|(_, points)| points).collect();
    let (mut run, member) = run_of(&scene, &folder, &id)?;
    let mut frames = vec![];
    loop {
        frames.push(run.places(member));
        if span.first + run.at() as i64 >= until {
            break;
        }
        run.advance(&NoWatch).map_err(|e| e.to_string())?;
    }
    let read = readings(span.first, span.rate, &frames, &chosen);
    let mut csv =
        String::from("frame,seconds,x_m,y_m,z_m,vx_m_per_s,vy_m_per_s,vz_m_per_s,speed_m_per_s,way_m\n");
    for (k, r) in read.iter().enumerate() {
        let ([x, y, z], [u, v, w]) = (r.place, r.velocity);
        let seconds = k as f64 / span.rate;
        let _ = writeln!(
            csv,
            "{},{seconds:.5},{x:.6},{y:.6},{z:.6},{u:.6},{v:.6},{w:.6},{:.6},{:.6}",
            r.frame, r.speed, r.way
        );
    }
    let fastest = read.iter().max_by(|a, b| a.speed.total_cmp(&b.speed));
    let mut told = format!("{}: mean of {} points", body.name, chosen.len());
    if let Some(f) = fastest {
        let _ = write!(told, ", fastest at frame {} with {:.3} m/s", f.frame, f.speed);
    }
    if !held.is_empty() {
        let holds = readings(span.first, span.rate, &frames, &held);
        let most = (LATEST * span.rate) as usize;
        match lag(&holds, &read, most) {
            Some(by) => drop(write!(told, ", {by:.1} frames behind what holds it")),
            None => told.push_str(", and what holds it rests or goes otherwise"),
        }
    }
    eprintln!("{told}");
    match &args.out {
        Some(out) => std::fs::write(out, csv).map_err(|e| format!("{}: {e}", out.display()))?,
        None => print!("{csv}"),
    }
    Ok(())
}
