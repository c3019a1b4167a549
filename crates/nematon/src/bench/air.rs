//! How many places a second each kind of field can be asked at, and all of the demo's together; beside a copy of as many places.
use crate::demo;
use nematon_air::Air;
use nematon_document::{Act, Collider, Field, FieldId, FigureId, Form, Node, Scene, SurfaceOf};
use nematon_evaluate::{NoMeshes, Stage, resolve};
use rayon::prelude::*;
use serde_json::{Value, json};
use std::hint::black_box;
use std::time::Instant;

const PLACES: usize = 1 << 16;

/// The fields of the demo's landing, the moth's own standing still.
pub fn stack() -> Vec<(FieldId, Field)> {
    let all = demo::weather(&FigureId::from("none")).into_iter();
    let bare = |(id, mut f): (FieldId, Field)| {
        if f.place.as_ref().is_some_and(|p| p.on.is_some()) {
            f.place = Some(Node::still([0.0, 2.0, 0.0], [0.0; 3]));
        }
        f.when = None;
        (id, f)
    };
    all.filter(|(_, f)| !matches!(f.act, Act::Gravity(_))).map(bare).collect()
}

/// # Errors
/// When a thread pool can't be made.
pub fn air(rounds: usize, threads: usize) -> Result<Vec<Value>, String> {
    let mut cases: Vec<(String, Vec<(FieldId, Field)>)> = vec![];
    for act in Act::all() {
        let mut act = act;
        if let Act::Turbulence(t) = &mut act {
            t.octaves = 3;
        }
        if let Act::Skin(s) = &mut act {
            s.of = SurfaceOf::Collider("ball".into());
        }
        let shelter = matches!(act, Act::Shelter(_));
        let name = serde_json::to_value(&act).ok().and_then(|v| v.as_object()?.keys().next().cloned());
        let mut fields = vec![(FieldId::from("own"), Field::of("Own", act))];
        if shelter {
            fields.push((FieldId::from("wind"), Field::of("Wind", Act::Wind(Default::default()))));
        }
        cases.push((name.unwrap_or_default(), fields));
    }
    cases.push(("stack".into(), stack()));
    let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().map_err(|e| e.to_string())?;
    let at = |k: usize, a: f64| (4.0 * ((k as f64 + 1.0) * a).fract() - 2.0) as f32;
    let places: Vec<[f32; 3]> =
        (0..PLACES).map(|k| [at(k, 0.819_172_5), at(k, 0.671_043_6) + 1.5, at(k, 0.549_700_5)]).collect();
    let mut out = vec![];
    for (name, fields) in cases {
        let mut scene = Scene::default();
        scene.fields.extend(fields);
        scene.colliders.insert("ball".into(), ball());
        let resolved = resolve(&Stage::new(&scene, &NoMeshes), &[], 40.0);
        let ready = [Air::at(&resolved.fields, None, 1.7), Air::pushes(&resolved.fields, None, 1.7)];
        let Some(ready) = ready.iter().find(|a| !a.is_still()) else { continue };
        let (mut own, mut copy) = (f64::INFINITY, f64::INFINITY);
        for _ in 0..rounds.max(3) {
            let begun = Instant::now();
            pool.install(|| {
                places.par_chunks(2048).for_each(|p| {
                    black_box(ready.velocities(p));
                });
            });
            own = own.min(begun.elapsed().as_secs_f64());
            let begun = Instant::now();
            black_box(places.clone());
            copy = copy.min(begun.elapsed().as_secs_f64());
        }
        out.push(json!({
            "case": "air", "kind": name, "threads": threads,
            "million_places_a_second": (PLACES as f64 / own / 1e4).round() / 1e2, "copies": (own / copy).round(),
        }));
    }
    Ok(out)
}

fn ball() -> Collider {
    Collider {
        place: Node::still([0.0, 1.5, 0.0], [0.0; 3]),
        thickness: 0.001,
        ..Collider::of("Ball", Form::Ball(nematon_document::BallForm { radius: 0.5 }))
    }
}
