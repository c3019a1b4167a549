//! `nematon bench`: how long a frame takes, and ratios that hold on a noisy machine.
use crate::demo;
use crate::stopwatch::Stopwatch;
use clap::Args;
use nematon_document::{Scene, Shape};
use nematon_evaluate::{NoMeshes, Run};
use serde_json::json;
use std::time::Instant;

#[derive(Args)]
pub struct BenchArgs {
    /// One JSON object a line; words if left out.
    #[arg(long)]
    json: bool,
    /// The case; `canopy` is the demo's, at several densities.
    #[arg(long, default_value = "canopy", value_parser = ["canopy"])]
    case: String,
    /// Densities, COLUMNSxROWS.
    #[arg(long, value_delimiter = ',', default_value = "60x40,120x80,240x160", value_parser = density)]
    n: Vec<(u32, u32)>,
    /// Numbers of threads.
    #[arg(long, value_delimiter = ',', default_value = "1,2")]
    threads: Vec<usize>,
    /// Rounds; each measures every density and thread count once, and medians are told.
    #[arg(long, default_value_t = 5)]
    rounds: usize,
}

fn density(text: &str) -> Result<(u32, u32), String> {
    let parts = text.split_once('x').and_then(|(a, b)| Some((a.parse().ok()?, b.parse().ok()?)));
    parts.filter(|(a, b)| *a >= 2 && *b >= 2).ok_or_else(|| format!("\"{text}\" is not COLUMNSxROWS"))
}

struct Measured {
    n: (u32, u32),
    threads: usize,
    ms: Vec<f64>,
    phases: Vec<(&'static str, f64)>,
    frames: usize,
}

/// # Errors
/// When a thread pool can't be made.
pub fn bench(args: &BenchArgs) -> Result<(), String> {
    let mut all: Vec<Measured> = vec![];
    for &n in &args.n {
        for &threads in &args.threads {
            all.push(Measured { n, threads, ms: vec![], phases: vec![], frames: 0 });
        }
    }
    // Rounds run through all cases in turn, so that a slow spell of the machine meets all of them.
    for _ in 0..args.rounds.max(1) {
        for m in &mut all {
            let points = f64::from(m.n.0) * f64::from(m.n.1);
            let frames = (40_000.0 / points).ceil().clamp(3.0, 16.0) as usize;
            let pool =
                rayon::ThreadPoolBuilder::new().num_threads(m.threads).build().map_err(|e| e.to_string())?;
            pool.install(|| once(m, frames))?;
        }
    }
    let rate = 24.0;
    for m in &all {
        let ms = median(&m.ms);
        let phases: serde_json::Map<_, _> = m
            .phases
            .iter()
            .map(|(n, s)| ((*n).to_owned(), json!(round(1e3 * s / m.frames as f64))))
            .collect();
        let line = json!({
            "case": args.case, "n": format!("{}x{}", m.n.0, m.n.1), "points": m.n.0 * m.n.1, "threads": m.threads,
            "ms_per_frame": round(ms), "times_real_time": round(1e3 / rate / ms), "thread_ms_by_phase": phases,
        });
        if args.json {
            println!("{line}");
        } else {
            println!(
                "{} {}x{} on {}: {ms:.2} ms a frame, {:.1} times real time",
                args.case,
                m.n.0,
                m.n.1,
                m.threads,
                1e3 / rate / ms
            );
        }
    }
    ratios(args, &all);
    Ok(())
}

/// Growth of cost with points, and gain of threads, both from pairs of the same round.
fn ratios(args: &BenchArgs, all: &[Measured]) {
    let tell = |name: &str, of: String, value: f64| {
        if args.json {
            println!("{}", json!({"case": args.case, "ratio": name, "of": of, "value": round(value)}));
        } else {
            println!("{name}, {of}: {value:.2}");
        }
    };
    let points = |m: &Measured| f64::from(m.n.0) * f64::from(m.n.1);
    for &threads in &args.threads {
        let same: Vec<&Measured> = all.iter().filter(|m| m.threads == threads).collect();
        for pair in same.windows(2) {
            let growth =
                |k: usize| (pair[1].ms[k] / pair[0].ms[k]).ln() / (points(pair[1]) / points(pair[0])).ln();
            let of =
                format!("{}x{} to {}x{} on {threads}", pair[0].n.0, pair[0].n.1, pair[1].n.0, pair[1].n.1);
            tell(
                "cost grows as points to the",
                of,
                median(&(0..pair[0].ms.len()).map(growth).collect::<Vec<_>>()),
            );
        }
    }
    for one in all.iter().filter(|m| m.threads == 1) {
        for more in all.iter().filter(|m| m.threads > 1 && m.n == one.n) {
            let gain: Vec<f64> = one.ms.iter().zip(&more.ms).map(|(a, b)| a / b).collect();
            tell("gain of threads", format!("{}x{} on {}", one.n.0, one.n.1, more.threads), median(&gain));
        }
    }
}

fn once(m: &mut Measured, frames: usize) -> Result<(), String> {
    let scene = canopy(m.n);
    let id = scene.bodies.keys().next().cloned().ok_or("the demo has no body")?;
    let mut run = Run::start(&scene, &id, &NoMeshes).map_err(|e| e.to_string())?;
    // The first frames are rest: let it start to move.
    for _ in 0..2 {
        run.advance(&nematon_solver::NoWatch).map_err(|e| e.to_string())?;
    }
    let watch = Stopwatch::default();
    let start = Instant::now();
    for _ in 0..frames {
        run.advance(&watch).map_err(|e| e.to_string())?;
    }
    m.ms.push(1e3 * start.elapsed().as_secs_f64() / frames as f64);
    m.phases = watch.seconds();
    m.frames = frames;
    Ok(())
}

fn canopy((columns, rows): (u32, u32)) -> Scene {
    let mut scene = demo::relay();
    for body in scene.bodies.values_mut() {
        if let Shape::Sheet(s) = &mut body.shape {
            (s.columns, s.rows) = (columns, rows);
        }
    }
    scene
}

fn median(values: &[f64]) -> f64 {
    let mut v = values.to_vec();
    v.sort_by(f64::total_cmp);
    v.get(v.len() / 2).copied().unwrap_or(f64::NAN)
}

fn round(v: f64) -> f64 {
    (v * 1e3).round() / 1e3
}
