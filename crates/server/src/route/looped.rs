//! The loop of a scene: what jumps at its seam, what does not repeat, and where a motion is most like itself.
use crate::api::{Api, Says};
use crate::delivery::{read as read_frames, true_frames};
use crate::extract::{Path, Query};
use crate::problem::{Problem, apart};
use crate::route::projects::{load, stage};
use crate::state::App;
use axum::Json;
use axum::extract::State;
use nematon_document::{BodyId, Loop, Scene};
use nematon_evaluate::{Places, Seam, best, seam, unrepeated};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::ops::RangeInclusive;
use std::sync::Arc;

/// Points that a body is looked at by.
const POINTS: usize = 600;
/// Pairs of frames times points that are compared at most, in search of a loop.
const MOST: usize = 60_000_000;

pub fn routes() -> Api {
    let says = Says::gives::<Looped>("How the scene's loop repeats");
    let finds = Says::gives::<Found>("Where the motion is most like itself a loop later").asks::<Wanted>();
    Api::default().get("/projects/{id}/loop", says, read).get("/projects/{id}/loop/best", finds, find)
}

#[derive(Serialize, JsonSchema)]
struct Looped {
    bodies: Vec<SeamOf>,
    /// Names of what acts or moves and is not the same a loop later.
    unrepeated: Vec<String>,
}

/// What jumps of a body.
#[derive(Serialize, JsonSchema)]
struct SeamOf {
    body: String,
    name: String,
    seam: Seam,
    /// What would jump were nothing blended.
    plain: Seam,
}

#[derive(Deserialize, JsonSchema)]
struct Wanted {
    /// Frames that the loop has at least and at most.
    shortest: i64,
    longest: i64,
    /// Frames that are blended.
    blend: Option<i64>,
}

#[derive(Serialize, JsonSchema)]
struct Found {
    #[serde(rename = "loop")]
    looped: Loop,
    /// What the two moments are apart, in the usual way of a frame.
    apart: f64,
}

/// Some points of a body over frames that are true, metres.
async fn places(
    app: &App,
    scene: &Arc<Scene>,
    id: &BodyId,
    frames: RangeInclusive<i64>,
    most: usize,
) -> Result<Places, Problem> {
    let found = true_frames(app, scene, id, frames).await?;
    let mut read = read_frames(app.store.clone(), found);
    let mut out = vec![];
    while let Some(frame) = read.recv().await {
        let frame = frame.map_err(|e| Problem::inside(e.to_string()))?;
        let each = frame.len().div_ceil(most).max(1);
        out.push(frame.into_iter().step_by(each).collect());
    }
    Ok(out)
}

async fn read(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Looped>, Problem> {
    let (_, scene) = load(&app, id).await?;
    let Some(l) = scene.frames.looped.clone() else { return Err(Problem::missing("loop")) };
    let (mut bodies, mut at) = (vec![], vec![]);
    for (key, body) in &scene.bodies {
        let found = places(&app, &scene, key, l.takes_from()..=l.last(), POINTS).await?;
        let first = found.first().into_iter().flatten().filter(|p| p[0].is_finite());
        at.extend(first.step_by(POINTS / 4).map(|p| p.map(|c| c as f32)));
        let (own, rate) = (l.clone(), scene.frames.rate);
        let seams = apart(move || {
            let plain = Loop { blend: 0, ..own.clone() };
            (seam(&own, own.takes_from(), rate, &found), seam(&plain, own.takes_from(), rate, &found))
        });
        let (seam, plain) = seams.await?;
        bodies.push(SeamOf { body: key.0.clone(), name: body.name.clone(), seam, plain });
    }
    let stage = stage(&app, id).await?;
    let unrepeated = apart(move || unrepeated(&stage, &l, &at)).await?;
    Ok(Json(Looped { bodies, unrepeated }))
}

async fn find(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(wanted): Query<Wanted>,
) -> Result<Json<Found>, Problem> {
    let (_, scene) = load(&app, id).await?;
    let span = &scene.frames;
    let (least, most) = (wanted.shortest.max(2), wanted.longest.min(span.count() as i64 - 2));
    if least > most {
        let why = format!("The shot has {} frames, and a loop at least two fewer.", span.count());
        return Err(Problem::unfit("No such loop", why));
    }
    let pairs = (most - least + 1) as usize * span.count();
    let points = (MOST / pairs / scene.bodies.len().max(1)).clamp(8, POINTS);
    let mut all: Places = vec![vec![]; span.count()];
    for key in scene.bodies.keys() {
        let found = places(&app, &scene, key, span.first..=span.last, points).await?;
        for (own, more) in all.iter_mut().zip(found) {
            own.extend(more);
        }
    }
    let (first, blend) = (span.first, wanted.blend.unwrap_or(0).clamp(0, least - 1));
    let found = apart(move || best(first, &all, least, most, blend)).await?;
    let nothing = || Problem::unfit("No loop was found", "Nothing moves in these frames.");
    let (looped, apart) = found.ok_or_else(nothing)?;
    Ok(Json(Found { looped, apart }))
}
