//! What a deforming collider costs: all that its 20,000 triangles take in a sub-step while nothing is near them, beside a
//! copy of its points.
use nematon_document::{Figure as Played, MeshSource, Scene, parse};
use nematon_evaluate::{MeshLibrary, Run};
use nematon_figure::{Channel, Clip, Curve, Figure, Joint, Local, Part, Skin, Weights, What};
use nematon_geometry::{Mesh, sheet};
use nematon_solver::NoWatch;
use serde_json::{Value, json};
use std::hint::black_box;
use std::sync::Arc;
use std::time::Instant;

const SIDE: u32 = 101;
const FRAMES: usize = 12;

struct Waving;

impl MeshLibrary for Waving {
    fn mesh(&self, _: &MeshSource) -> Result<Arc<Mesh>, String> {
        Err("there is none".into())
    }
    fn figure(&self, _: &Played) -> Result<Arc<Figure>, String> {
        Ok(Arc::new(waving()))
    }
}

/// A sheet of 20,000 triangles over eight joints in a row, two a point, that all turn.
fn waving() -> Figure {
    let mesh = sheet(2.0, 2.0, SIDE, SIDE);
    let mut weights = Weights { first: vec![0], ..Weights::default() };
    for p in &mesh.positions {
        let along = f64::from(p[0] + 1.0) * 3.5;
        let low = (along as u32).min(6);
        let share = (along - f64::from(low)) as f32;
        weights.joints.extend([low, low + 1]);
        weights.shares.extend([1.0 - share, share]);
        weights.first.push(weights.joints.len() as u32);
    }
    let joint =
        |k: usize| Joint { name: format!("joint {k}"), parent: k.checked_sub(1), rest: Local::default() };
    let half = |a: f64| [(0.5 * a).sin(), 0.0, 0.0, (0.5 * a).cos()];
    let bend = |joint: usize| Channel {
        joint,
        what: What::Turn,
        curve: Curve::Straight,
        times: vec![0.0, 0.5, 1.0],
        values: [0.0, 0.2, 0.0].into_iter().flat_map(half).collect(),
    };
    Figure {
        joints: (0..8).map(joint).collect(),
        parts: vec![Part { name: "sheet".into(), joint: 0, skin: Some(0), mesh, weights, ..Part::default() }],
        skins: vec![Skin { joints: (0..8).collect(), inverse: vec![glam::DAffine3::IDENTITY; 8] }],
        clips: vec![Clip { name: "wave".into(), duration: 1.0, channels: (0..8).map(bend).collect() }],
        sequence: vec![],
    }
}

fn scene(collider: bool) -> Result<Scene, String> {
    let mut s = json!({
        "nematon": 2, "name": "Waving", "frames": { "first": 0, "last": 100, "rate": 24, "substeps": 10 },
        "bodies": { "rag": {
            "name": "Rag", "place": { "position": [0, 9, 0] },
            "kind": { "cloth": { "shape": { "sheet": { "width": 0.2, "depth": 0.2, "columns": 4, "rows": 4 } } } },
            "grips": { "all": { "name": "All", "points": [{ "border": { "border": "back", "by": "all" } }] } },
        } },
        "figures": { "sheet": { "name": "Sheet", "from": { "file": "sheet.glb" }, "then": "repeat" } },
    });
    if collider {
        s["colliders"] = json!({ "skin": { "name": "Skin", "form": { "figure": { "figure": "sheet" } } } });
    }
    parse(&s.to_string()).map_err(|f| f.iter().map(ToString::to_string).collect())
}

/// Milliseconds a sub-step.
fn step(collider: bool) -> Result<f64, String> {
    let s = scene(collider)?;
    let mut run = Run::start(&s, &s.islands()[0], &Waving).map_err(|e| e.to_string())?;
    run.advance(&NoWatch).map_err(|e| e.to_string())?;
    let begun = Instant::now();
    for _ in 0..FRAMES {
        run.advance(&NoWatch).map_err(|e| e.to_string())?;
    }
    Ok(begun.elapsed().as_secs_f64() * 1e3 / (FRAMES * 10) as f64)
}

/// One line: what the collider adds to a sub-step, and how many copies of its points that is.
///
/// # Errors
/// When the scene can't be run.
pub fn figure(rounds: usize) -> Result<Value, String> {
    let figure = waving();
    let (mut adds, mut copies, mut skins) = (vec![], vec![], vec![]);
    for _ in 0..rounds.max(1) {
        adds.push(step(true)? - step(false)?);
        let mut out = vec![];
        let begun = Instant::now();
        for k in 0..100 {
            figure.place(&figure.pose(Some(0), 0.01 * f64::from(k)), &mut out);
        }
        skins.push(begun.elapsed().as_secs_f64() * 10.0);
        let from = black_box(&figure.parts[0].mesh.positions);
        let begun = Instant::now();
        for _ in 0..100 {
            out.clone_from(from);
            black_box(&mut out);
        }
        copies.push(begun.elapsed().as_secs_f64() * 10.0);
    }
    let ratio: Vec<f64> = adds.iter().zip(&copies).map(|(a, c)| a / c).collect();
    let round = |v: f64| (v * 1e4).round() / 1e4;
    Ok(json!({
        "case": "figure", "triangles": 2 * (SIDE - 1) * (SIDE - 1), "points": SIDE * SIDE,
        "ms_per_substep": round(super::median(&adds)), "of_that_skinning_ms": round(super::median(&skins)),
        "copy_of_its_points_ms": round(super::median(&copies)), "times_a_copy": round(super::median(&ratio)),
    }))
}
