//! `nematon bake`: a scene file to files of motion, with no server and no database.
use crate::files::{Folder, plainly, read_scene};
use crate::spool::Spool;
use clap::{Args, ValueEnum};
use nematon_document::{BodyId, Loop, Parent, Quality, Scene};
use nematon_evaluate::{
    Dress, Dressed, FrameSnag, Going, Member, Outgoing, Run, Settled, Stage, Stopwatch, Touches, Written,
    beside, blended, blended_turns, comes_and_goes, finishing_told, in_loop, shape, steadied, steady,
};
use nematon_formats::{
    Delivery, Frame, Frames, Kind, Motion, NOTE, Pictured, Turns, TurnsOf, Unit, Up, With, file_names, note,
};
use serde_json::{Value, json};
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};
use std::time::Instant;

/// Places that are off by more for the precision of a file are told of, metres.
pub const TOLD: f64 = 1e-5;

#[derive(Args)]
pub struct BakeArgs {
    /// The scene file.
    pub scene: PathBuf,
    /// Frames to write, FIRST..LAST, both included; all of the scene's if left out. The motion always
    /// starts at the scene's first frame.
    #[arg(long, value_parser = frames, allow_hyphen_values = true)]
    frames: Option<(i64, i64)>,
    /// Threads to compute on; 0 takes all cores. The result is the same bits.
    #[arg(long, default_value_t = 0)]
    threads: usize,
    /// The folder to write to; made where missing.
    #[arg(long)]
    pub out: PathBuf,
    /// Computes as a draft: a look at what will come, sooner.
    #[arg(long, conflicts_with = "quality")]
    draft: bool,
    /// How right frames are to be, whatever the scene says.
    #[arg(long)]
    quality: Option<Wanted>,
    /// What to write of each body.
    #[arg(long, value_delimiter = ',', default_value = "npy")]
    format: Vec<Format>,
    /// Leaves out normals.
    #[arg(long)]
    no_normals: bool,
    /// Cuts faces into triangles, instead of as they were made or brought in.
    #[arg(long)]
    triangles: bool,
    /// Keeps places exact however far from the world's origin: npy in double precision, usda beside a place of its own, obj
    /// with as many digits.
    #[arg(long)]
    exact: bool,
    /// Writes every n-th frame only, from the first on.
    #[arg(long, default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..=10_000))]
    every: u32,
    /// Writes so many frames a second, between those that were computed where there is none at that time.
    #[arg(long, conflicts_with = "every", value_parser = pace)]
    rate: Option<f64>,
    /// Tells places beside a thing as it goes: handle:KEY, collider:KEY, figure:KEY or joint:KEY:NAME.
    #[arg(long)]
    beside: Option<String>,
    /// Writes how fast each point goes, in usda and ply.
    #[arg(long)]
    velocities: bool,
    /// What a unit of length is, in usda and ply.
    #[arg(long, default_value = "metre")]
    unit: Length,
    /// The axis that is up, in usda and ply.
    #[arg(long, default_value = "y")]
    up: Axis,
    /// Of strands with hairs between them writes those, and not the strands.
    #[arg(long)]
    hairs: bool,
    /// Writes plants as meshes, each of its own skin or of round wood and leaves, and not as curves.
    #[arg(long)]
    skins: bool,
    /// Writes cloth as the scene finishes it: smoothed, and as thick as it is.
    #[arg(long)]
    finished: bool,
    /// Writes the frames of the scene's loop, blended as it says.
    #[arg(long = "loop", conflicts_with = "frames")]
    looped: bool,
}

impl BakeArgs {
    /// Whether it says how right frames are to be.
    pub fn has_quality(&self) -> bool {
        self.draft || self.quality.is_some()
    }
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Wanted {
    /// Threads within 15 % beyond what their matter gives.
    Draft,
    /// Within 8 %.
    Fine,
    /// Within 3 %.
    Final,
}

impl Wanted {
    fn quality(self) -> Quality {
        match self {
            Wanted::Draft => Quality::Draft,
            Wanted::Fine => Quality::Fine,
            Wanted::Final => Quality::Final,
        }
    }
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Length {
    Metre,
    Centimetre,
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Axis {
    Y,
    Z,
}

impl BakeArgs {
    fn with(&self) -> With {
        With {
            normals: !self.no_normals,
            triangles: self.triangles,
            exact: self.exact,
            velocities: self.velocities,
            unit: if self.unit == Length::Metre { Unit::Metre } else { Unit::Centimetre },
            up: if self.up == Axis::Y { Up::Y } else { Up::Z },
        }
    }
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Format {
    /// NAME.npy: (frames, points, 3) float32.
    Npy,
    /// NAME.obj.zip: one OBJ a frame.
    Obj,
    /// NAME.ply.zip: one binary PLY a frame.
    Ply,
    /// NAME.usda: USD text with time samples.
    Usda,
    /// NAME.usdc: the same as a binary file.
    Usdc,
    /// NAME.glb: binary glTF with a clip: plants as skins, pieces as nodes, all else as shapes that follow each other.
    Glb,
    /// NAME.gltf.zip: the same as a text with its numbers beside it.
    Gltf,
}

impl Format {
    fn kind(self) -> Kind {
        match self {
            Format::Npy => Kind::Npy,
            Format::Obj => Kind::Obj,
            Format::Ply => Kind::Ply,
            Format::Usda => Kind::Usda,
            Format::Usdc => Kind::Usdc,
            Format::Glb => Kind::Glb,
            Format::Gltf => Kind::Gltf,
        }
    }
}

fn pace(text: &str) -> Result<f64, String> {
    let found = text.parse::<f64>().ok().filter(|r| (0.1..=1000.0).contains(r));
    found.ok_or_else(|| "it is from 0.1 to 1000 frames a second".into())
}

pub fn frames(text: &str) -> Result<(i64, i64), String> {
    let (a, b) = text.split_once("..").ok_or("write FIRST..LAST, as 0..240")?;
    let number = |s: &str| s.parse::<i64>().map_err(|_| format!("\"{s}\" is not a frame number"));
    let (a, b) = (number(a)?, number(b.trim_start_matches('='))?);
    if b < a { Err(format!("the last frame, {b}, is before the first, {a}")) } else { Ok((a, b)) }
}

/// # Errors
/// In words, when the scene can't be read or run, or its files can't be written. What was computed
/// before a fault is written all the same.
pub fn bake(args: &BakeArgs) -> Result<(), String> {
    let (scene, folder) = read_scene(&args.scene)?;
    bake_scene(scene, &folder, args, &args.out)
}

/// Computes a scene and writes it to a folder.
///
/// # Errors
/// As [`bake`].
pub fn bake_scene(mut scene: Scene, folder: &Folder, args: &BakeArgs, out: &Path) -> Result<(), String> {
    let looped = scene.frames.looped.clone().filter(|_| args.looped);
    if args.looped && args.every > 1 {
        return Err("a loop is written whole: --every has no place in it".into());
    }
    if args.looped && looped.is_none() {
        return Err("the scene has no loop; nematon loop finds one".into());
    }
    let all = looped.as_ref().map_or((scene.frames.first, scene.frames.last), |l| (l.takes_from(), l.last()));
    let (first, last) = args.frames.unwrap_or(all);
    if first < scene.frames.first || last > scene.frames.last {
        let (a, b) = (scene.frames.first, scene.frames.last);
        return Err(format!("the scene has frames {a} to {b}, so {first} to {last} can't be written"));
    }
    let beside = args.beside.as_deref().map(|text| beside(&scene, text)).transpose()?;
    scene.frames.last = last;
    let wanted = if args.draft { Some(Wanted::Draft) } else { args.quality };
    if let Some(wanted) = wanted {
        (scene.frames.substeps, scene.frames.quality) = (None, wanted.quality());
    }
    std::fs::create_dir_all(out).map_err(|e| format!("{}: {}", out.display(), plainly(&e)))?;
    let pool =
        rayon::ThreadPoolBuilder::new().num_threads(args.threads).build().map_err(|e| e.to_string())?;
    let (mut islands, mut bodies, mut faults, mut notes) = (vec![], vec![], vec![], vec![]);
    let names = file_names(scene.bodies.values().map(|b| b.name.as_str()));
    for members in scene.islands() {
        let (looped, beside) = (looped.as_ref(), beside.clone());
        let job = Job { scene: &scene, names: &names, folder, args, out, first, looped, beside };
        let told = pool.install(|| island(&job, &members))?;
        islands.push(told.island);
        bodies.extend(told.bodies);
        faults.extend(told.fault);
        notes.extend(told.notes);
    }
    let report = json!({
        "scene": scene.name, "solver": nematon_solver::VERSION, "threads": pool.current_num_threads(),
        "rate": scene.frames.rate, "substeps": scene.frames.substeps,
        "quality": scene.frames.substeps.is_none().then_some(scene.frames.quality),
        "islands": islands, "bodies": bodies,
    });
    let text = serde_json::to_string_pretty(&report).map_err(|e| e.to_string())?;
    std::fs::write(out.join("report.json"), text).map_err(|e| format!("report.json: {}", plainly(&e)))?;
    std::fs::write(out.join(NOTE), notes.join("\n")).map_err(|e| format!("{NOTE}: {}", plainly(&e)))?;
    if faults.is_empty() { Ok(()) } else { Err(faults.join("\n")) }
}

/// What a report says of an island.
struct Told {
    island: Value,
    bodies: Vec<Value>,
    /// What whoever comes next has to know of each file.
    notes: Vec<String>,
    /// Why it stopped early.
    fault: Option<String>,
}

/// What an island is baked with.
struct Job<'a> {
    scene: &'a Scene,
    /// Names of the bodies' files, in the order of the document.
    names: &'a [String],
    folder: &'a Folder,
    args: &'a BakeArgs,
    /// The folder to write to.
    out: &'a Path,
    /// The first frame that is kept.
    first: i64,
    looped: Option<&'a Loop>,
    /// What places are told beside.
    beside: Option<Parent>,
}

/// What is gathered over the frames of an island.
struct Gathered {
    /// Of each body, the frames to write.
    motion: Vec<Spool>,
    /// Of each body, its largest strain in any frame.
    largest: Vec<f64>,
    /// Of each body, its faults by frame.
    snags: Vec<Vec<Value>>,
    /// Stretches of frames that took as many sub-steps: first, last, how many.
    took: Vec<[i64; 3]>,
    touches: Touches,
    /// Seconds of stepping.
    stepping: f64,
    /// Why it stopped early.
    fault: Option<String>,
}

/// Runs an island and writes the files of its bodies.
fn island(job: &Job, bodies: &[BodyId]) -> Result<Told, String> {
    let started = Instant::now();
    let mut run = Run::start(job.scene, bodies, job.folder).map_err(|e| e.to_string())?;
    let build = started.elapsed().as_secs_f64();
    let watch = Stopwatch::of(run.contact.pairings().len());
    let mut got =
        walk(job, &mut run, &watch).map_err(|e| format!("{}: {}", job.out.display(), plainly(&e)))?;
    let (writing, mut notes) = (Instant::now(), vec![]);
    for (k, m) in run.members.iter().enumerate() {
        let name = job.scene.bodies.get_index_of(&m.id).and_then(|at| job.names.get(at)).unwrap_or(&m.name);
        for format in &job.args.format {
            let told = write(format.kind(), job, name, m, &mut got.motion[k]);
            notes.push(told.map_err(|e| format!("{name}: {}", plainly(&e)))?);
        }
    }
    let off = got.motion.iter().map(|m| m.off).fold(0.0, f64::max);
    if off > TOLD && !job.args.exact {
        let mm = 1e3 * off;
        eprintln!(
            "So far from the world's origin places are off by up to {mm:.3} mm in these files; --exact keeps them."
        );
    }
    let write = writing.elapsed().as_secs_f64();
    let ms = |s: f64| 1e3 * s / run.at().max(1) as f64;
    let phases: serde_json::Map<_, _> =
        watch.seconds().into_iter().map(|(n, s)| (n.to_owned(), json!(ms(s)))).collect();
    let bodies = (0..run.members.len())
        .map(|k| {
            let (cloth, state, m) = (&run.bodies[k], run.state(k), &run.members[k]);
            let (strain, energy) = (cloth.strain(state), cloth.energy(state, -9.81));
            json!({
                "body": m.name, "points": cloth.points(), "constraints": cloth.constraints(),
                "frames": got.motion[k].count, "rounding": got.motion[k].off, "first": job.first, "ms_per_frame": ms(got.stepping),
                "seconds": {"build": build, "steps": got.stepping, "write": write},
                "strain": {"mean_warp": strain.mean[0], "mean_weft": strain.mean[1], "largest_ever": got.largest[k]},
                "energy": {"kinetic": energy.kinetic, "height": energy.height, "membrane": energy.membrane, "bend": energy.bend},
                "snags": got.snags[k], "fault": got.fault,
            })
        })
        .collect();
    let names: Vec<&str> = run.members.iter().map(|m| m.name.as_str()).collect();
    let island = json!({
        "bodies": names, "ms_per_frame": ms(got.stepping), "thread_ms_by_phase": phases, "substeps": got.took,
        "contact": run.tell_costs(&watch, &got.touches),
    });
    Ok(Told { island, bodies, notes, fault: got.fault })
}

/// Steps through the frames, as far as they go.
fn walk(job: &Job, run: &mut Run, watch: &Stopwatch) -> std::io::Result<Gathered> {
    let n = run.members.len();
    let spool = |k: usize| Spool::new(job.out, run.bodies[k].given_points());
    let mut got = Gathered {
        motion: (0..n).map(spool).collect::<Result<_, _>>()?,
        largest: vec![0.0; n],
        snags: vec![vec![]; n],
        took: vec![],
        touches: Touches::of(run),
        stepping: 0.0,
        fault: None,
    };
    let mut before: Vec<Vec<[f64; 3]>> = vec![];
    match run.settle(watch, &|_| {}) {
        Ok(Some(s)) => eprintln!("{}", told_settled(&s)),
        Ok(None) => {}
        Err(e) => got.fault = Some(e.to_string()),
    }
    loop {
        if got.fault.is_some() {
            return Ok(got);
        }
        let frame = job.scene.frames.first + run.at() as i64;
        let substeps = i64::from(run.substeps());
        match got.took.last_mut().filter(|t| t[2] == substeps) {
            Some(last) => last[1] = frame,
            None => got.took.push([frame, frame, substeps]),
        }
        let at: Vec<_> = (0..n).map(|k| run.places(k)).collect();
        for (own, told) in got.snags.iter_mut().zip(run.tell_snags(&before)) {
            own.extend(told.iter().map(|s| tell(frame, s)));
        }
        for k in 0..n {
            got.largest[k] = got.largest[k].max(run.bodies[k].strain(run.state(k)).largest);
            if frame >= job.first {
                got.motion[k].push(&at[k], job.args.exact || job.beside.is_some())?;
                if let Some(turns) = run.turns(k) {
                    got.motion[k].push_turns(job.out, &turns)?;
                }
            }
        }
        before = at;
        if run.is_done() {
            return Ok(got);
        }
        let step = Instant::now();
        let done = run.advance(watch);
        got.stepping += step.elapsed().as_secs_f64();
        if let Err(e) = done {
            got.fault = Some(e.to_string());
            return Ok(got);
        }
        got.touches.count(run);
    }
}

/// How bodies came to rest, in words.
pub fn told_settled(s: &Settled) -> String {
    let mm = 1e3 * s.speed;
    if s.calm {
        format!("Settled in {:.2} s: no point is faster than {mm:.1} mm/s.", s.seconds)
    } else {
        format!("After {:.2} s the fastest point still goes at {mm:.1} mm/s.", s.seconds)
    }
}

fn tell(frame: i64, s: &FrameSnag) -> Value {
    let mut out = json!({"frame": frame});
    if let (Value::Object(out), Ok(Value::Object(more))) = (&mut out, serde_json::to_value(s)) {
        out.extend(more);
    }
    out
}

/// Writes a file, and tells whoever comes next what is in it.
fn write(kind: Kind, job: &Job, name: &str, body: &Member, motion: &mut Spool) -> std::io::Result<String> {
    let (first, count) = (job.first, motion.count);
    // What ended early has no loop: it is written as it came.
    let whole = |l: &Loop| count as i64 == l.length + l.blend;
    let looped = job.looped.filter(|l| whole(l));
    let (first, count) = looped.map_or((first, count), |l| (l.from, l.length as usize));
    let stage = Stage::new(job.scene, job.folder);
    let (beside, every) = (job.beside.clone(), i64::from(job.args.every));
    let out = Outgoing { first, count, rate: job.scene.frames.rate, every, pace: job.args.rate, beside };
    let Written { first, count, every, rate } = out.written();
    let seen = job.scene.bodies.get(&body.id).and_then(|b| b.picture.as_ref());
    let seen = seen.map(|from| job.folder.bytes(from)).transpose().map_err(std::io::Error::other)?;
    let picture = seen.as_deref().map(Pictured::of);
    let jointed = kind.has_joints();
    let wanted =
        Dressed { hairs: job.args.hairs, skins: job.args.skins || jointed, finished: job.args.finished };
    let dress = match job.scene.bodies.get(&body.id).filter(|_| wanted != Dressed::default()) {
        Some(own) => {
            let dress =
                shape(&stage, own, job.folder).and_then(|s| Dress::of(&stage, own, &s, job.folder, wanted));
            dress.map_err(std::io::Error::other)?
        }
        None => None,
    };
    let limbs = dress.as_ref().filter(|_| jointed).and_then(Dress::limbs);
    let dress = dress.as_ref().filter(|_| limbs.is_none());
    let dressed = dress.map(Dress::mesh);
    let mesh = dressed.as_ref().unwrap_or(&body.shaped.mesh);
    let origin = if out.beside.is_some() { [0.0; 3] } else { motion.origin };
    let over = job.scene.bodies.get(&body.id).filter(|_| wanted.finished).map_or(0, steady);
    let comes = comes_and_goes(job.scene, &body.id) && dress.is_none_or(|d| d.limbs().is_none());
    let turned = motion.turns.is_some();
    let told =
        Motion { name: &body.name, mesh, first, count, every, rate, origin, comes, turned, picture, limbs };
    let name = format!("{name}.{}", kind.ending(&[told]));
    let path = job.out.join(&name);
    let mut file = BufWriter::new(File::create(path)?);
    let with = job.args.with();
    motion.file.flush()?;
    motion.turns.iter_mut().try_for_each(Write::flush)?;
    let motion = &*motion;
    let own = || -> std::io::Result<Box<dyn Iterator<Item = Frame>>> {
        let Some(l) = looped else { return Ok(Box::new(motion.frames()?)) };
        let mix = |a: &mut Vec<[f32; 3]>, b: &Vec<[f32; 3]>, much: f64| {
            let wide = |f: &[[f32; 3]]| f.iter().map(|p| p.map(f64::from)).collect::<Vec<_>>();
            let mut both = wide(a);
            blended(&mut both, &wide(b), much);
            *a = both.into_iter().map(|p| p.map(|c| c as f32)).collect();
        };
        Ok(Box::new(in_loop(motion.frames()?.skip(l.blend as usize), motion.frames()?, l.clone(), mix)))
    };
    let frames: &mut Frames = &mut |_| match own() {
        Ok(all) => {
            let even = steadied(over, out.count, all);
            let all: Going<[f32; 3]> = match dress {
                Some(d) => Box::new(even.map(move |f| f.map(|f| d.frame(&f)))),
                None => even,
            };
            out.places(&stage, motion.origin, all)
        }
        Err(e) => Box::new(std::iter::once::<Frame>(Err(e))),
    };
    let turns: &mut Turns = &mut |_| match motion.turns() {
        Ok(all) => match looped {
            Some(l) => match motion.turns() {
                Ok(before) => {
                    let mix = |a: &mut Vec<[f32; 4]>, b: &Vec<[f32; 4]>, much: f64| blended_turns(a, b, much);
                    let own = in_loop(all.skip(l.blend as usize), before, l.clone(), mix);
                    out.turns(&stage, Box::new(own))
                }
                Err(e) => Box::new(std::iter::once::<TurnsOf>(Err(e))),
            },
            None => out.turns(&stage, Box::new(all)),
        },
        Err(e) => Box::new(std::iter::once::<TurnsOf>(Err(e))),
    };
    let all = &mut Delivery {
        name: &job.scene.name,
        bodies: &[told],
        with,
        frames,
        turns: Some(turns),
        note: None,
    };
    kind.write(&mut file, all)?;
    file.flush()?;
    let mut more = out.told(job.scene);
    more.extend(job.scene.bodies.get(&body.id).filter(|_| wanted.finished).and_then(finishing_told));
    Ok(note(&job.scene.name, &[told], &[(kind, name)], with, &more))
}
