//! `nematon bake`: a scene file to files of motion, with no server and no database.
use crate::files::{Folder, read_scene};
use clap::{Args, ValueEnum};
use nematon_document::{BodyId, Scene};
use nematon_evaluate::{Member, Run, Stopwatch};
use nematon_formats::{write_npy, write_obj_zip, write_usda};
use nematon_solver::{Snag, With};
use serde_json::{Value, json};
use std::fs::File;
use std::io::BufWriter;
use std::path::{Path, PathBuf};
use std::time::Instant;

/// Sub-steps of a draft at most: the least at which the contact trials stay clean.
const DRAFT_SUBSTEPS: u32 = 6;

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
    /// Computes with at most 6 sub-steps a frame: a look at what will come, sooner.
    #[arg(long)]
    draft: bool,
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
    if args.draft {
        scene.frames.substeps = scene.frames.substeps.min(DRAFT_SUBSTEPS);
    }
    std::fs::create_dir_all(&args.out).map_err(|e| format!("{}: {e}", args.out.display()))?;
    let pool =
        rayon::ThreadPoolBuilder::new().num_threads(args.threads).build().map_err(|e| e.to_string())?;
    let (mut islands, mut bodies, mut faults) = (vec![], vec![], vec![]);
    for members in scene.islands() {
        let told = pool.install(|| island(&scene, &members, &folder, args, first))?;
        islands.push(told.island);
        bodies.extend(told.bodies);
        faults.extend(told.fault);
    }
    let report = json!({
        "scene": scene.name, "solver": nematon_solver::VERSION, "threads": pool.current_num_threads(),
        "rate": scene.frames.rate, "substeps": scene.frames.substeps,
        "quality": if args.draft { "draft" } else { "final" },
        "islands": islands, "bodies": bodies,
    });
    let text = serde_json::to_string_pretty(&report).map_err(|e| e.to_string())?;
    std::fs::write(args.out.join("report.json"), text).map_err(|e| format!("report.json: {e}"))?;
    if faults.is_empty() { Ok(()) } else { Err(faults.join("\n")) }
}

/// What a report says of an island.
struct Told {
    island: Value,
    bodies: Vec<Value>,
    /// Why it stopped early.
    fault: Option<String>,
}

/// What is gathered over the frames of an island.
struct Gathered {
    /// Of each body, the frames to write.
    motion: Vec<Vec<Vec<[f32; 3]>>>,
    /// Of each body, its largest strain in any frame.
    largest: Vec<f64>,
    snags: Vec<Value>,
    /// Of each pairing, the most touches of a frame's last sub-step, and their sum.
    touches: Vec<(usize, usize)>,
}

/// Runs an island and writes the files of its bodies.
fn island(
    scene: &Scene,
    bodies: &[BodyId],
    folder: &Folder,
    args: &BakeArgs,
    first: i64,
) -> Result<Told, String> {
    let started = Instant::now();
    let mut run = Run::start(scene, bodies, folder).map_err(|e| e.to_string())?;
    let build = started.elapsed().as_secs_f64();
    let n = run.members.len();
    let watch = Stopwatch::of(run.contact.pairings().len());
    let mut got = Gathered {
        motion: vec![vec![]; n],
        largest: vec![0.0; n],
        snags: vec![],
        touches: vec![(0, 0); run.contact.pairings().len()],
    };
    let (mut fault, mut stepping) = (None, 0.0);
    let mut before: Vec<Vec<[f32; 3]>> = vec![];
    loop {
        let frame = scene.frames.first + run.at() as i64;
        let at: Vec<_> = (0..n).map(|k| run.positions(k)).collect();
        for snag in run.snags(&before) {
            got.snags.push(tell(&run, scene, frame, &snag));
        }
        for k in 0..n {
            got.largest[k] = got.largest[k].max(run.cloths[k].strain(run.state(k)).largest);
            if frame >= first {
                got.motion[k].push(at[k].clone());
            }
        }
        before = at;
        if run.is_done() {
            break;
        }
        let step = Instant::now();
        let done = run.advance(&watch);
        stepping += step.elapsed().as_secs_f64();
        if let Err(e) = done {
            fault = Some(e.to_string());
            break;
        }
        for (sum, touching) in got.touches.iter_mut().zip(run.contact.touching()) {
            *sum = (sum.0.max(*touching), sum.1 + touching);
        }
    }
    let writing = Instant::now();
    for (k, m) in run.members.iter().enumerate() {
        let name = file_name(&m.name);
        for format in &args.format {
            write(*format, &args.out, &name, m, scene, first, &got.motion[k])
                .map_err(|e| format!("{name}: {e}"))?;
        }
    }
    let write = writing.elapsed().as_secs_f64();
    let steps = run.at().max(1) as f64;
    let ms = |s: f64| 1e3 * s / steps;
    let phases: serde_json::Map<_, _> =
        watch.seconds().into_iter().map(|(n, s)| (n.to_owned(), json!(ms(s)))).collect();
    let pairs: Vec<Value> = run
        .contact
        .pairings()
        .iter()
        .zip(watch.between_seconds())
        .zip(&got.touches)
        .filter(|(_, t)| t.0 > 0)
        .map(|((p, s), (most, sum))| {
            json!({"body": run.members[p.cloth].name, "with": with(&run, scene, p.with), "ms_per_frame": ms(s),
                   "touches_most": most, "touches_mean": *sum as f64 / steps})
        })
        .collect();
    let bodies = (0..n)
        .map(|k| {
            let (cloth, state, m) = (&run.cloths[k], run.state(k), &run.members[k]);
            let (strain, energy) = (cloth.strain(state), cloth.energy(state, -9.81));
            let own: Vec<&Value> = got.snags.iter().filter(|s| s["body"] == json!(m.name)).collect();
            json!({
                "body": m.name, "points": cloth.points(), "constraints": cloth.constraints(),
                "frames": got.motion[k].len(), "first": first, "ms_per_frame": ms(stepping),
                "seconds": {"build": build, "steps": stepping, "write": write},
                "strain": {"mean_warp": strain.mean[0], "mean_weft": strain.mean[1], "largest_ever": got.largest[k]},
                "energy": {"kinetic": energy.kinetic, "height": energy.height, "membrane": energy.membrane, "bend": energy.bend},
                "snags": own, "fault": fault,
            })
        })
        .collect();
    let names: Vec<&str> = run.members.iter().map(|m| m.name.as_str()).collect();
    let island = json!({"bodies": names, "ms_per_frame": ms(stepping), "thread_ms_by_phase": phases, "contact": pairs});
    Ok(Told { island, bodies, fault })
}

/// What a body touches, in the scene's own names.
fn with(run: &Run, scene: &Scene, with: With) -> String {
    match with {
        With::Itself => "itself".into(),
        With::Cloth(k) => run.members[k].name.clone(),
        With::Collider(k) => run.collider_name(scene, k),
        With::Floor => "floor".into(),
    }
}

fn tell(run: &Run, scene: &Scene, frame: i64, s: &Snag) -> Value {
    json!({"frame": frame, "snag": s.fault.name(), "body": run.members[s.cloth].name,
           "with": s.with.map(|w| with(run, scene, w)), "count": s.count, "worst": s.worst, "point": s.point})
}

fn write(
    format: Format,
    out: &Path,
    name: &str,
    body: &Member,
    scene: &Scene,
    first: i64,
    motion: &[Vec<[f32; 3]>],
) -> std::io::Result<()> {
    let file = |ending: &str| {
        Ok::<_, std::io::Error>(BufWriter::new(File::create(out.join(format!("{name}.{ending}")))?))
    };
    let mesh = &body.shaped.mesh;
    match format {
        Format::Npy => write_npy(&mut file("npy")?, mesh.positions.len(), motion),
        Format::Usda => write_usda(&mut file("usda")?, &body.name, mesh, first, scene.frames.rate, motion),
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
