//! The air at places, as the core computes it, so that what is drawn is what acts.
use crate::api::{Api, Says};
use crate::delivery::{read as read_frames, true_frames};
use crate::extract::{Body, Path, Query};
use crate::problem::{Problem, apart};
use crate::route::projects::{load, stage};
use crate::state::App;
use axum::Json;
use axum::body::Bytes;
use axum::extract::State;
use nematon_document::{BodyId, FieldId, Scene};
use nematon_evaluate::{Asked, Bead, Drawn, Run, RunError, Split, Stopwatch, Why, air_at, outlines, why};
use nematon_formats::read_curves;
use nematon_frames::{FrameStore, unpack_checkpoint};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// Most places in one question.
const MOST: usize = 4096;

pub fn routes() -> Api {
    Api::default()
        .post("/projects/{id}/air", Says::gives::<AirAnswer>("The air at places").takes::<AirQuestion>(), ask)
        .get(
            "/projects/{id}/outlines",
            Says::gives::<Outlines>("What is drawn of fields, zones and what pieces come from at a frame")
                .asks::<At>(),
            outline,
        )
        .post(
            "/projects/{id}/bodies/{body}/why",
            Says::gives::<Why>("What moves a point, from true frames").takes::<Point>(),
            tell_why,
        )
        .post(
            "/curves",
            Says::gives::<Curves>("The curves of a file: OBJ, glTF or USD text")
                .asks::<Named>()
                .takes_bytes(),
            curves,
        )
}

#[derive(Deserialize, JsonSchema)]
struct At {
    frame: i64,
}

#[derive(Serialize, JsonSchema)]
pub struct Outlines {
    pub each: Vec<OutlineOf>,
}

/// Lines in the world, each as two places of three numbers, one after the other; metres.
#[derive(Serialize, JsonSchema)]
pub struct OutlineOf {
    /// JSON Pointer to the field, the zone or the source.
    pub path: String,
    /// Where there is all of it; of a source, the ways of pieces in their first tenth of a second.
    pub core: Vec<f32>,
    /// Where it ends; of a source, the space that they come in.
    pub soft: Vec<f32>,
    pub beads: Vec<BeadOf>,
    /// Where its place is: metres, and a unit quaternion x, y, z, w.
    pub position: [f32; 3],
    pub turn: [f32; 4],
}

/// A place at which a number can be taken by hand.
#[derive(Serialize, JsonSchema)]
pub struct BeadOf {
    /// JSON Pointer to the number.
    pub number: String,
    /// Metres.
    pub at: [f32; 3],
    /// How far the place goes where the number grows by 1, metres.
    pub along: [f32; 3],
}

async fn outline(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(At { frame }): Query<At>,
) -> Result<Json<Outlines>, Problem> {
    let scene = stage(&app, id).await?;
    let frame = frame.clamp(scene.frames.first, scene.frames.last);
    let drawn = apart(move || outlines(&scene, frame as f64)).await?;
    let flat = |lines: Vec<[[f32; 3]; 2]>| lines.into_iter().flatten().flatten().collect();
    let of = |Drawn { path, core, soft, beads, pose }: Drawn| {
        let bead = |b: Bead| BeadOf { number: format!("{path}/{}", b.number), at: b.at, along: b.along };
        let beads = beads.into_iter().map(bead).collect();
        let (core, soft) = (flat(core), flat(soft));
        OutlineOf { core, soft, beads, position: pose.position, turn: pose.turn, path }
    };
    Ok(Json(Outlines { each: drawn.into_iter().map(of).collect() }))
}

#[derive(Deserialize, JsonSchema)]
struct Point {
    /// By its number on the body's rest shape.
    point: u32,
    /// The first and the last frame that is asked for; each needs the one before and the one after.
    first: i64,
    last: i64,
    /// Whether what the body itself does, what pulls it and what it touches are told apart: of one frame only, which is computed
    /// once more for that.
    #[serde(default)]
    apart: bool,
}

/// Most frames that are computed again to tell things apart.
const MOST_AGAIN: usize = 96;

/// Most frames in one question.
const MOST_FRAMES: i64 = 480;

async fn tell_why(
    State(app): State<App>,
    Path((id, body)): Path<(i64, String)>,
    Body(Point { point, first, last, apart: split }): Body<Point>,
) -> Result<Json<Why>, Problem> {
    let (_, scene) = load(&app, id).await?;
    let key = BodyId(body);
    if !scene.bodies.contains_key(&key) {
        return Err(Problem::missing("body"));
    }
    let first = first.max(scene.frames.first + 1);
    let last = last.min(scene.frames.last - 1).min(first + MOST_FRAMES - 1);
    if last < first {
        let why =
            "Of the first and the last frame there is none before or after, from which it could be told.";
        return Err(Problem::unfit("It can't be told there", why));
    }
    let places = true_frames(&app, &scene, &key, first - 1..=last + 1).await?;
    let mut read = read_frames(app.store.clone(), places);
    let mut frames = vec![];
    while let Some(frame) = read.recv().await {
        frames.push(frame.map_err(|e| Problem::inside(e.to_string()))?);
    }
    let comes = scene.bodies[&key].kind.drift().is_some_and(|d| d.source.is_some());
    if !comes && frames.first().is_some_and(|f| point as usize >= f.len()) {
        return Err(Problem::missing("point"));
    }
    // Of a piece that comes and goes only while it is there.
    let there = |f: &Vec<[f64; 3]>| f.get(point as usize).is_some_and(|p| !p[0].is_nan());
    let begins = frames.windows(3).position(|three| three.iter().all(there)).unwrap_or(frames.len());
    let ends = frames[begins..].iter().take_while(|f| there(f)).count();
    if ends == 0 {
        return Err(Problem::unfit("It can't be told there", "This piece is not there in these frames."));
    }
    let frames = frames[begins..begins + ends].to_vec();
    let (first, last) = (first + begins as i64, first + begins as i64 + ends as i64 - 3);
    if split && first != last {
        return Err(Problem::unfit("It can't be told apart", "That is told of one frame at a time."));
    }
    let split = match split {
        true => Some(told_apart(&app, &scene, &key, point, (first - scene.frames.first) as usize).await?),
        false => None,
    };
    let (stage, meshes) = (stage(&app, id).await?, app.meshes.clone());
    let told = apart(move || {
        let asked = Asked { scene: &stage, body: &key, point: point as usize, first, places: &frames };
        let mut told = why(&asked, &meshes)?;
        split.iter().for_each(|s| told.tell_apart(s));
        Ok(told)
    });
    let told = told.await?.map_err(|e: RunError| Problem::unfit("It can't be told", e.to_string()))?;
    Ok(Json(told))
}

/// Computes a frame, by its index, and the one after once more, from the last checkpoint before it.
async fn told_apart(
    app: &App,
    scene: &Arc<Scene>,
    body: &BodyId,
    point: u32,
    index: usize,
) -> Result<Split, Problem> {
    let island = scene.islands().into_iter().find(|i| i.contains(body));
    let island = island.ok_or_else(|| Problem::missing("body"))?;
    let member = island.iter().position(|b| b == body).unwrap_or_default();
    let all = app.prints.of(scene, &app.meshes).await;
    // An island's checkpoints stand at its first body.
    let checkpoint = match all.get(&island[0]) {
        Some(Ok(p)) => {
            let keys: Vec<_> = p[..index].iter().map(|p| p.0).collect();
            app.store.last_checkpoint(&keys).await?
        }
        _ => None,
    };
    let from = checkpoint.as_ref().map_or(0, |c| c.0);
    if index - from > MOST_AGAIN {
        let why = format!(
            "{} frames would have to be computed for it: the run has left no checkpoint nearer.",
            index - from
        );
        return Err(Problem::unfit("It can't be told apart here", why));
    }
    let (scene, meshes) = (scene.clone(), app.meshes.clone());
    let pool = app.attempts.pool().map_err(Problem::inside)?;
    let turn = app.attempts.building.clone().lock_owned().await;
    let split = apart(move || {
        let split = pool.install(|| {
            let mut run = Run::start(&scene, &island, &meshes).map_err(|e| e.to_string())?;
            if let Some((at, packed)) = checkpoint {
                let bytes = unpack_checkpoint(&packed, run.snapshot_size()).map_err(|e| e.to_string())?;
                run.resume(at, &bytes).map_err(|e| e.to_string())?;
            }
            let watch = Stopwatch::of(run.contact.pairings().len());
            while run.at() + 1 < index {
                run.advance(&watch).map_err(|e| e.to_string())?;
            }
            run.split(member, point, &watch).map_err(|e| e.to_string())
        });
        drop(turn);
        split
    });
    split.await?.map_err(|e: String| Problem::unfit("It can't be told apart", e))
}

#[derive(Deserialize, JsonSchema)]
struct Named {
    /// Of the file.
    name: String,
}

#[derive(Serialize, JsonSchema)]
pub struct Curves {
    pub curves: Vec<CurveOf>,
}

#[derive(Serialize, JsonSchema)]
pub struct CurveOf {
    pub name: String,
    /// Metres.
    pub points: Vec<[f64; 3]>,
    pub closed: bool,
    /// Laid flat as the outline of a panel, metres; nothing where it can't be one.
    pub outline: Option<Vec<[f64; 2]>>,
}

async fn curves(Query(Named { name }): Query<Named>, bytes: Bytes) -> Result<Json<Curves>, Problem> {
    let read = apart(move || read_curves(&name, &bytes)).await?;
    let found = read.map_err(|e| Problem::unfit("The curves can't be read", e.to_string()))?;
    let of = |c: nematon_formats::Curve| CurveOf {
        outline: nematon_geometry::flat_outline(&c.points).ok(),
        name: c.name,
        points: c.points,
        closed: c.closed,
    };
    Ok(Json(Curves { curves: found.into_iter().map(of).collect() }))
}

#[derive(Deserialize, JsonSchema)]
pub struct AirQuestion {
    pub frame: i64,
    /// Metres; at most 4096 places.
    pub places: Vec<[f32; 3]>,
    /// One field, as if it were alone; all that move air if left out.
    pub field: Option<String>,
}

#[derive(Serialize, JsonSchema)]
pub struct AirAnswer {
    /// m/s, one a place; m/s² of a field that pushes.
    pub velocities: Vec<[f32; 3]>,
}

async fn ask(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(AirQuestion { frame, places, field }): Body<AirQuestion>,
) -> Result<Json<AirAnswer>, Problem> {
    if places.len() > MOST {
        return Err(Problem::unfit(
            "Too many places",
            format!("{} were asked for; the most is {MOST}.", places.len()),
        ));
    }
    let scene = stage(&app, id).await?;
    let index = frame.clamp(scene.frames.first, scene.frames.last) - scene.frames.first;
    let velocities =
        apart(move || air_at(&scene, field.map(FieldId).as_ref(), index as usize, &places)).await?;
    Ok(Json(AirAnswer { velocities }))
}
