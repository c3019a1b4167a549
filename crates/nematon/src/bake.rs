//! `nematon bake`: a scene file to files of motion, with no server and no database.
use crate::files::{Folder, read_scene};
use crate::stopwatch::Stopwatch;
use clap::{Args, ValueEnum};
use nematon_document::{BodyId, Scene};
use nematon_evaluate::Run;
use nematon_formats::{write_npy, write_obj_zip, write_usda};
use serde_json::json;
use std::fs::File;
use std::io::BufWriter;
use std::path::{Path, PathBuf};
use std::time::Instant;

#[derive(Args)]
pub struct BakeArgs {
    /// The scene file.
    scene: PathBuf,
    /// Frames to write, FIRST..LAST, both included; all of the scene's if left out. The motion always
    /// starts at the scene's first frame.
    #[arg(long, value_parser = frames, allow_hyphen_values = true)]
    frames: Option<(i64, i64)>,
    /// Threads to compute on; 0 takes all cores. The result is the same bits.
    #[arg(long, default_value_t = 0)]
    threads: usize,
    /// The folder to write to; made where missing.
    #[arg(long)]
    out: PathBuf,
    /// What to write of each body.
    #[arg(long, value_delimiter = ',', default_value = "npy")]
    format: Vec<Format>,
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Format {
    /// NAME.npy: (frames, points, 3) float32.
    Npy,
    /// NAME.obj.zip: one OBJ a frame.
    Obj,
    /// NAME.usda: USD text with time samples.
    Usda,
}

fn frames(text: &str) -> Result<(i64, i64), String> {
    let (a, b) = text.split_once("..").ok_or("write FIRST..LAST, as 0..240")?;
    let number = |s: &str| s.parse::<i64>().map_err(|_| format!("\"{s}\" is not a frame number"));
    let (a, b) = (number(a)?, number(b.trim_start_matches('='))?);
    if b < a { Err(format!("the last frame, {b}, is before the first, {a}")) } else { Ok((a, b)) }
}

/// # Errors
/// In words, when the scene can't be read or run, or its files can't be written. What was computed
/// before a fault is written all the same.
pub fn bake(args: &BakeArgs) -> Result<(), String> {
    let (mut scene, folder) = read_scene(&args.scene)?;
    let (first, last) = args.frames.unwrap_or((scene.frames.first, scene.frames.last));
    if first < scene.frames.first || last > scene.frames.last {
        let (a, b) = (scene.frames.first, scene.frames.last);
        return Err(format!("the scene has frames {a} to {b}, so {first} to {last} can't be written"));
    }
    scene.frames.last = last;
    std::fs::create_dir_all(&args.out).map_err(|e| format!("{}: {e}", args.out.display()))?;
    let pool =
        rayon::ThreadPoolBuilder::new().num_threads(args.threads).build().map_err(|e| e.to_string())?;
    let (mut reports, mut faults) = (vec![], vec![]);
    for id in scene.bodies.keys() {
        let (report, fault) = pool.install(|| body(&scene, id, &folder, args, first))?;
        reports.push(report);
        faults.extend(fault);
    }
    let report = json!({
        "scene": scene.name, "solver": nematon_solver::VERSION, "threads": pool.current_num_threads(),
        "rate": scene.frames.rate, "substeps": scene.frames.substeps, "bodies": reports,
    });
    let text = serde_json::to_string_pretty(&report).map_err(|e| e.to_string())?;
    std::fs::write(args.out.join("report.json"), text).map_err(|e| format!("report.json: {e}"))?;
    if faults.is_empty() { Ok(()) } else { Err(faults.join("\n")) }
}

/// Runs one body and writes its files. The fault, if it stopped early, stands in its report too.
fn body(
    scene: &Scene,
    id: &BodyId,
    folder: &Folder,
    args: &BakeArgs,
    first: i64,
) -> Result<(serde_json::Value, Option<String>), String> {
    let started = Instant::now();
    let mut run = Run::start(scene, id, folder).map_err(|e| e.to_string())?;
    let build = started.elapsed().as_secs_f64();
    let watch = Stopwatch::default();
    let mut motion = vec![];
    let (mut fault, mut largest) = (None, 0.0f64);
    let stepping = Instant::now();
    loop {
        if scene.frames.first + run.at() as i64 >= first {
            motion.push(run.positions());
        }
        largest = largest.max(run.cloth.strain(run.state()).largest);
        if run.is_done() {
            break;
        }
        if let Err(e) = run.advance(&watch) {
            fault = Some(e.to_string());
            break;
        }
    }
    let seconds = stepping.elapsed().as_secs_f64();
    let writing = Instant::now();
    let name = file_name(&run.name);
    for format in &args.format {
        write(*format, &args.out, &name, &run, scene, first, &motion).map_err(|e| format!("{name}: {e}"))?;
    }
    let (strain, energy) = (run.cloth.strain(run.state()), run.cloth.energy(run.state(), -9.81));
    let steps = run.at().max(1) as f64;
    let phases: serde_json::Map<_, _> =
        watch.seconds().into_iter().map(|(n, s)| (n.to_owned(), json!(s))).collect();
    let report = json!({
        "body": run.name, "points": run.cloth.points(), "constraints": run.cloth.constraints(),
        "frames": motion.len(), "first": first, "ms_per_frame": 1e3 * seconds / steps,
        "seconds": {"build": build, "steps": seconds, "write": writing.elapsed().as_secs_f64(), "phases": phases},
        "strain": {"mean_warp": strain.mean[0], "mean_weft": strain.mean[1], "largest_ever": largest},
        "energy": {"kinetic": energy.kinetic, "height": energy.height, "membrane": energy.membrane, "bend": energy.bend},
        "fault": fault,
    });
    Ok((report, fault))
}

fn write(
    format: Format,
    out: &Path,
    name: &str,
    run: &Run,
    scene: &Scene,
    first: i64,
    motion: &[Vec<[f32; 3]>],
) -> std::io::Result<()> {
    let file = |ending: &str| {
        Ok::<_, std::io::Error>(BufWriter::new(File::create(out.join(format!("{name}.{ending}")))?))
    };
    let mesh = &run.shaped.mesh;
    match format {
        Format::Npy => write_npy(&mut file("npy")?, run.cloth.points(), motion),
        Format::Usda => write_usda(&mut file("usda")?, &run.name, mesh, first, scene.frames.rate, motion),
        Format::Obj => {
            let frames = motion
                .iter()
                .enumerate()
                .map(|(k, p)| Ok::<_, std::io::Error>((first + k as i64, p.clone())));
            write_obj_zip(file("obj.zip")?, name, mesh, frames).map(drop)
        }
    }
}

/// A body's name as a file name.
fn file_name(name: &str) -> String {
    name.chars().map(|c| if c.is_alphanumeric() || "-_ ".contains(c) { c } else { '_' }).collect()
}
