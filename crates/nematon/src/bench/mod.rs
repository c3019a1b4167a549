//! `nematon bench`: how long a frame takes, and ratios that hold on a noisy machine.
mod air;
mod dab;
mod figure;
mod reference;

use crate::demo;
use clap::Args;
use nematon_document::{
    Act, BallForm, Body, Chamber, Choice, Cloth, Collider, Cushion, Drift, Field, Fill, Flies, Floor, Form,
    Formula, Grip, Kind, Motion, Node, Plants, Scene, Shape, Sheet, Strands, Thin, Value, Warp, Wind,
    presets, species,
};
use nematon_evaluate::{NoMeshes, Run, Stopwatch};
use serde_json::json;
use std::time::Instant;

#[derive(Args)]
pub struct BenchArgs {
    /// One JSON object a line; words if left out.
    #[arg(long)]
    json: bool,
    /// The cases: `canopy` is the demo's; `cloth` a square sheet that hangs by two corners, with membrane and
    /// bending; `cloth_air` the same in wind; `cloth_falls` one that comes down in folds on a ball and the floor, with
    /// contact of all with all, and `cloth_folds` the same once it lies there; `cushion` two such panels, sewn and filled, and `cushion_loose` the same without;
    /// `figure` a deforming collider of 20,000
    /// triangles, by the sub-step; `dab` a brush; `air` the places a second at which each kind of field can be asked, and
    /// `canopy_air` the canopy in all the air of the landing; `strands` so many strands of so many points that a ball goes through;
    /// `plants` so many thistles in a gusty wind, and `drift` so many times so many leaves in the air of the landing.
    #[arg(long, value_delimiter = ',', default_value = "canopy", value_parser = ["canopy", "cloth", "cloth_air", "cloth_falls", "cloth_folds", "cushion", "cushion_loose", "figure", "dab", "air", "canopy_air", "strands", "plants", "drift"])]
    case: Vec<String>,
    /// Densities, COLUMNSxROWS or one number for both; each case has its own if left out.
    #[arg(long, value_delimiter = ',', value_parser = density)]
    n: Vec<(u32, u32)>,
    /// Numbers of threads.
    #[arg(long, value_delimiter = ',', default_value = "1,2")]
    threads: Vec<usize>,
    /// Rounds; each measures every density and thread count once, and medians are told.
    #[arg(long, default_value_t = 5)]
    rounds: usize,
}

fn density(text: &str) -> Result<(u32, u32), String> {
    let (a, b) = text.split_once('x').unwrap_or((text, text));
    let parts = a.parse().ok().zip(b.parse().ok());
    parts
        .filter(|(a, b)| *a >= 2 && *b >= 2)
        .ok_or_else(|| format!("\"{text}\" is neither COLUMNSxROWS nor a number of at least 2"))
}

struct Measured {
    case: String,
    n: (u32, u32),
    threads: usize,
    ms: Vec<f64>,
    phases: Vec<(&'static str, f64)>,
    frames: usize,
    /// Milliseconds a frame of the reference kernel with as many points, in the same rounds.
    reference: Vec<f64>,
}

/// # Errors
/// When a thread pool can't be made.
pub fn bench(args: &BenchArgs) -> Result<(), String> {
    let mut all: Vec<Measured> = vec![];
    if args.case.iter().any(|c| c == "dab") {
        dab::dabs(args.rounds).iter().for_each(|line| println!("{line}"));
    }
    if args.case.iter().any(|c| c == "air") {
        for &threads in &args.threads {
            air::air(args.rounds, threads)?.iter().for_each(|line| println!("{line}"));
        }
    }
    if args.case.iter().any(|c| c == "figure") {
        for &threads in &args.threads {
            let pool =
                rayon::ThreadPoolBuilder::new().num_threads(threads).build().map_err(|e| e.to_string())?;
            let mut line = pool.install(|| figure::figure(args.rounds))?;
            line["threads"] = json!(threads);
            println!("{line}");
        }
    }
    for case in args.case.iter().filter(|c| !matches!(c.as_str(), "figure" | "dab" | "air")) {
        let own: &[(u32, u32)] = match case.as_str() {
            "canopy_air" => &[(120, 80)],
            "canopy" => &[(60, 40), (120, 80), (240, 160)],
            "strands" => &[(1_000, 16), (1_000, 32), (10_000, 32)],
            // Thistles by how many points each has.
            "plants" => &[(50, 101), (200, 101)],
            "drift" => &[(100, 100), (1_000, 100)],
            _ => &[(64, 64), (128, 128), (256, 256)],
        };
        for &n in if args.n.is_empty() { own } else { &args.n } {
            for &threads in &args.threads {
                let case = case.clone();
                all.push(Measured {
                    case,
                    n,
                    threads,
                    ms: vec![],
                    phases: vec![],
                    frames: 0,
                    reference: vec![],
                });
            }
        }
    }
    // Rounds run through all cases in turn, so that a slow spell of the machine meets all of them.
    for _ in 0..args.rounds.max(1) {
        for m in &mut all {
            let points = f64::from(m.n.0) * f64::from(m.n.1);
            let frames = (40_000.0 / points).ceil().clamp(3.0, 16.0) as usize;
            let pool =
                rayon::ThreadPoolBuilder::new().num_threads(m.threads).build().map_err(|e| e.to_string())?;
            let side = points.sqrt().round() as usize;
            m.reference.push(match m.case.as_str() {
                "strands" | "plants" => reference::strands(m.n.0 as usize, m.n.1 as usize, frames),
                _ => reference::milliseconds(side, frames),
            });
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
            "case": m.case, "n": n_of(m), "points": m.n.0 * m.n.1, "threads": m.threads,
            "ms_per_frame": round(ms), "times_real_time": round(1e3 / rate / ms),
            "times_reference": round(median(&m.ms.iter().zip(&m.reference).map(|(a, b)| a / b).collect::<Vec<_>>())), "thread_ms_by_phase": phases,
        });
        if args.json {
            println!("{line}");
        } else {
            println!(
                "{} {}x{} on {}: {ms:.2} ms a frame, {:.1} times real time",
                m.case,
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
    let tell = |case: &str, name: &str, of: String, value: f64| {
        if args.json {
            println!("{}", json!({"case": case, "ratio": name, "of": of, "value": round(value)}));
        } else {
            println!("{case}: {name}, {of}: {value:.2}");
        }
    };
    let points = |m: &Measured| f64::from(m.n.0) * f64::from(m.n.1);
    for (case, &threads) in args.case.iter().flat_map(|c| args.threads.iter().map(move |t| (c, t))) {
        let same: Vec<&Measured> = all.iter().filter(|m| m.threads == threads && m.case == *case).collect();
        for pair in same.windows(2) {
            let growth =
                |k: usize| (pair[1].ms[k] / pair[0].ms[k]).ln() / (points(pair[1]) / points(pair[0])).ln();
            let of =
                format!("{}x{} to {}x{} on {threads}", pair[0].n.0, pair[0].n.1, pair[1].n.0, pair[1].n.1);
            tell(
                case,
                "cost grows as points to the",
                of,
                median(&(0..pair[0].ms.len()).map(growth).collect::<Vec<_>>()),
            );
        }
    }
    for one in all.iter().filter(|m| m.threads == 1) {
        for more in all.iter().filter(|m| m.threads > 1 && m.n == one.n && m.case == one.case) {
            let gain: Vec<f64> = one.ms.iter().zip(&more.ms).map(|(a, b)| a / b).collect();
            tell(
                &one.case,
                "gain of threads",
                format!("{}x{} on {}", one.n.0, one.n.1, more.threads),
                median(&gain),
            );
        }
    }
}

fn once(m: &mut Measured, frames: usize) -> Result<(), String> {
    let (scene, settle) = match m.case.as_str() {
        "canopy" => (canopy(m.n), 2),
        "canopy_air" => {
            let mut scene = canopy(m.n);
            scene.fields.retain(|_, f| matches!(f.act, Act::Gravity(_)));
            scene.fields.extend(air::stack());
            (scene, 2)
        }
        "strands" => (strands(m.n), 2),
        "plants" => (plants(m.n)?, 2),
        "drift" => (drift(m.n), 2),
        "cloth" => (square(m.n, false), 2),
        "cloth_air" => (square(m.n, true), 2),
        "cloth_falls" => (folds(m.n), 40),
        "cushion" => (cushion(m.n, true), 60),
        "cushion_loose" => (cushion(m.n, false), 180),
        // Until its fastest points go by a few centimetres a second.
        _ => (folds(m.n), 180),
    };
    let island = scene.islands().into_iter().next().ok_or("the case has no body")?;
    let mut run = Run::start(&scene, &island, &NoMeshes).map_err(|e| e.to_string())?;
    // The first frames are rest: let it start to move.
    for _ in 0..settle {
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

/// What all squares have in common: a metre of plain cotton.
fn metre((columns, rows): (u32, u32)) -> Scene {
    let cotton = presets().into_iter().find(|p| p.id == "cotton").map(|p| p.matter).unwrap_or_default();
    let mut scene = demo::relay();
    scene.floor = None;
    scene.fields.retain(|_, f| matches!(f.act, Act::Gravity(_)));
    for body in scene.bodies.values_mut() {
        let Some(cloth) = body.kind.cloth_mut() else { unreachable!() };
        cloth.shape = Shape::Sheet(Sheet { width: 1.0, depth: 1.0, columns, rows, warp: Warp::Width });
        cloth.matter = cotton.clone();
        body.grips.clear();
    }
    scene
}

/// Hung by two corners, in still air that is not felt or in a wind that is.
fn square(n: (u32, u32), air: bool) -> Scene {
    let mut scene = metre(n);
    for body in scene.bodies.values_mut() {
        let corner = |c: &str| Choice::Corner(c.into());
        let points = vec![corner("back left"), corner("back right")];
        body.grips.insert("corners".into(), Grip::of("Corners", points));
        if !air {
            let Some(cloth) = body.kind.cloth_mut() else { unreachable!() };
            (cloth.matter.drag, cloth.matter.lift) = (0.0.into(), 0.0.into());
        }
    }
    if air {
        let [speed, heading, rise, gust] = [4.0, 0.4, 0.1, 0.3].map(f64::into);
        let wind = Wind { speed, heading, rise, gust, gust_period: 1.5, seed: 1, ..Wind::default() };
        let field = Field::of("Wind", Act::Wind(wind));
        scene.fields.insert("wind".into(), field);
    }
    scene
}

/// Dropped on a ball and the floor.
fn folds(n: (u32, u32)) -> Scene {
    let mut scene = metre(n);
    scene.frames.last = 200;
    scene.floor = Some(Floor { height: 0.0, friction: 0.4 });
    for body in scene.bodies.values_mut() {
        body.place = Node::still([0.03, 0.75, 0.02], [0.0, 0.3, 0.0]);
        body.touch.itself = true;
        let Some(cloth) = body.kind.cloth_mut() else { unreachable!() };
        cloth.matter.thickness = 0.002;
    }
    let ball = Collider {
        place: Node::still([0.0, 0.3, 0.0], [0.0; 3]),
        thickness: 0.001,
        ..Collider::of("Ball", Form::Ball(BallForm { radius: 0.25 }))
    };
    scene.colliders.insert("ball".into(), ball);
    scene
}

/// A patch of a metre of upright strands, and a ball that goes through them at a metre a second.
fn strands((count, points): (u32, u32)) -> Scene {
    let mut scene = folds((2, 2));
    scene.floor = None;
    for body in scene.bodies.values_mut() {
        let own = Strands {
            size: [1.0; 2],
            count,
            points,
            length: 0.25,
            diameter: 0.0006,
            drag: 0.0.into(),
            ..Strands::default()
        };
        *body = Body::of("Strands", Kind::Strands(Box::new(own)));
        body.touch.others = true;
    }
    for ball in scene.colliders.values_mut() {
        ball.place.position = [Formula::new("t - 0.5"), Formula::new("0.3"), Formula::new("0")]
            .map(|f| Value::Moving(Motion { formula: Some(f), ..Motion::default() }));
    }
    scene
}

/// Thistles in a gusty wind; all have as many points as one has.
fn plants((count, points): (u32, u32)) -> Result<Scene, String> {
    let mut scene = square((2, 2), true);
    let thistle = species().into_iter().find(|s| s.id == "thistle").ok_or("there is no thistle")?.species;
    if thistle.points() != points as usize {
        return Err(format!("a thistle has {} points: say {count}x{0}", thistle.points()));
    }
    for body in scene.bodies.values_mut() {
        let own = Plants { count, size: [6.0, 4.0], ..Plants::of(thistle.clone()) };
        *body = Body::of("Thistles", Kind::Plants(Box::new(own)));
    }
    Ok(scene)
}

/// Leaves that fall through the air of the landing, and touch nothing.
fn drift((rows, each): (u32, u32)) -> Scene {
    let mut scene = square((2, 2), false);
    scene.fields.extend(air::stack());
    for body in scene.bodies.values_mut() {
        let own = Drift {
            size: [8.0, 3.0, 8.0],
            count: rows * each,
            radius: 0.01,
            weight: 2e-5,
            drag: 1.28.into(),
            flies: Flies::Plate(Thin { thickness: 0.001 }),
            ..Drift::default()
        };
        *body = Body::of("Leaves", Kind::Drift(Box::new(own)));
        body.place = Node::still([0.0, 2.0, 0.0], [0.0; 3]);
    }
    scene
}

/// Two panels on a ball and the floor: sewn and filled, or loose.
fn cushion((columns, rows): (u32, u32), sewn: bool) -> Scene {
    let mut scene = folds((columns, rows));
    for body in scene.bodies.values_mut() {
        let Some(cloth) = body.kind.cloth_mut() else { unreachable!() };
        let shape = Shape::Cushion(Cushion { width: 1.0, depth: 1.0, columns, rows, apart: 0.004 });
        *cloth = Cloth::of(shape, cloth.matter.clone());
        match sewn {
            true => {
                cloth.chambers.insert("in".into(), Chamber::of("In", Fill::Pressure(20.0.into())));
            }
            false => cloth.seams.clear(),
        }
    }
    scene
}

fn canopy((columns, rows): (u32, u32)) -> Scene {
    let mut scene = demo::relay();
    for body in scene.bodies.values_mut() {
        let Some(cloth) = body.kind.cloth_mut() else { unreachable!() };
        if let Shape::Sheet(s) = &mut cloth.shape {
            (s.columns, s.rows) = (columns, rows);
        }
    }
    scene
}

fn n_of(m: &Measured) -> serde_json::Value {
    if m.n.0 == m.n.1 { json!(m.n.0) } else { json!(format!("{}x{}", m.n.0, m.n.1)) }
}

fn median(values: &[f64]) -> f64 {
    let mut v = values.to_vec();
    v.sort_by(f64::total_cmp);
    v.get(v.len() / 2).copied().unwrap_or(f64::NAN)
}

fn round(v: f64) -> f64 {
    (v * 1e3).round() / 1e3
}
