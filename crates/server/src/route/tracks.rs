//! Where things are, frame by frame, as the core has them: who draws them works nothing out.
use crate::api::{Api, Says};
use crate::extract::{Body, Path, Query};
use crate::problem::{Problem, apart};
use crate::route::projects::stage;
use crate::state::App;
use axum::Json;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use nematon_document::{Node, Parent};
use nematon_evaluate::{Pose, Stage, place_on, pose_at};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Most poses in one answer; beyond, frames are left out at the end.
const MOST: usize = 200_000;

pub fn routes() -> Api {
    let says =
        Says::gives_bytes("Where colliders, handles, figures and cameras are at some frames").asks::<Range>();
    Api::default().get("/projects/{id}/tracks", says, read).post(
        "/projects/{id}/place",
        Says::gives::<Placed>("The numbers of a place, for where a thing is to be in the world")
            .takes::<Place>(),
        place,
    )
}

/// A place that is asked for.
#[derive(Deserialize, JsonSchema)]
pub struct Place {
    /// JSON Pointer of the place in the scene.
    path: String,
    frame: f64,
    /// Whether it stands on what it does; if not, on `on`, or nothing.
    #[serde(default)]
    stays_on: bool,
    #[serde(default)]
    on: Option<Parent>,
    /// Where it is to be: position in metres, then turn as a unit quaternion x, y, z, w. Left out, where it is.
    #[serde(default)]
    world: Option<[f32; 7]>,
}

/// Its own numbers.
#[derive(Serialize, JsonSchema)]
pub struct Placed {
    /// Metres.
    position: [f64; 3],
    /// About x, then y, then z, radians.
    turn: [f64; 3],
}

async fn place(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(asked): Body<Place>,
) -> Result<Json<Placed>, Problem> {
    let Place { path, frame, stays_on, on, world } = asked;
    if !frame.is_finite() || world.iter().flatten().any(|c| !c.is_finite()) {
        return Err(Problem::unfit("That is no place", "A number of it is none."));
    }
    let scene = stage(&app, id).await?;
    let found = apart(move || {
        let nodes = scene.nodes();
        // A field that stands nowhere yet stands at the origin.
        let nowhere = Node::default();
        let field =
            || path.strip_prefix("/fields/")?.strip_suffix("/place").and_then(|id| scene.fields.get(id));
        let named = nodes.iter().find(|(p, _)| *p == path).map(|(_, n)| *n);
        let node: &Node = named.or_else(|| field().map(|_| &nowhere))?;
        let on = if stays_on { node.on.clone() } else { on };
        let world = world.map(|[x, y, z, a, b, c, d]| Pose { position: [x, y, z], turn: [a, b, c, d] });
        Some(place_on(&scene, node, on, world.as_ref(), frame))
    });
    let (position, turn) = found.await?.ok_or_else(|| Problem::missing("place"))?;
    let tidy = |v: f64| (v * 1e5).round() / 1e5;
    Ok(Json(Placed { position: position.map(tidy), turn: turn.map(tidy) }))
}

/// Frames; all of the scene if left out.
#[derive(Deserialize, JsonSchema)]
struct Range {
    first: Option<i64>,
    last: Option<i64>,
}

/// What stands before the poses: a length and this as JSON. A pose is seven 32-bit floats: position in metres, then turn
/// as a unit quaternion x, y, z, w.
#[derive(Serialize, JsonSchema)]
pub struct TracksHead {
    /// Frame of the first pose of each.
    pub first: i64,
    /// In the order of their poses.
    pub tracks: Vec<Track>,
}

#[derive(Serialize, JsonSchema)]
pub struct Track {
    /// `colliders`, `handles`, `figures` or `cameras`.
    pub of: &'static str,
    pub id: String,
    /// How many poses it has, one a frame; one where it never moves.
    pub frames: usize,
}

async fn read(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(range): Query<Range>,
) -> Result<Response, Problem> {
    let scene = stage(&app, id).await?;
    let bytes = apart(move || pack(&scene, &range)).await?;
    let bytes = bytes.map_err(|e| Problem::inside(e.to_string()))?;
    Ok(([(header::CONTENT_TYPE, "application/octet-stream")], bytes).into_response())
}

fn pack(scene: &Stage, range: &Range) -> serde_json::Result<Vec<u8>> {
    let span = &scene.frames;
    let first = range.first.unwrap_or(span.first).clamp(span.first, span.last);
    let last = range.last.unwrap_or(span.last).clamp(first, span.last);
    let colliders = scene.colliders.iter().map(|(id, c)| ("colliders", &id.0, &c.place));
    let handles = scene.handles.iter().map(|(id, h)| ("handles", &id.0, &h.place));
    let figures = scene.figures.iter().map(|(id, f)| ("figures", &id.0, &f.place));
    let cameras = scene.cameras.iter().map(|(id, c)| ("cameras", &id.0, &c.place));
    let things: Vec<_> = colliders.chain(handles).chain(figures).chain(cameras).collect();
    let moving = things.iter().filter(|t| scene.moves(t.2)).count().max(1);
    let frames = ((last - first + 1) as usize).min((MOST / moving).max(1));
    let (mut tracks, mut poses) = (vec![], vec![]);
    for (of, id, node) in things {
        let frames = if scene.moves(node) { frames } else { 1 };
        for k in 0..frames {
            let pose = pose_at(scene, node, (first + k as i64) as f64);
            let numbers = pose.position.iter().chain(&pose.turn);
            numbers.for_each(|n| poses.extend(n.to_le_bytes()));
        }
        tracks.push(Track { of, id: id.clone(), frames });
    }
    let head = serde_json::to_vec(&TracksHead { first, tracks })?;
    let mut out = (head.len() as u32).to_le_bytes().to_vec();
    out.extend(head);
    out.extend(poses);
    Ok(out)
}
