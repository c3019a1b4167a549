//! What is seen of figures: what their files hold, and where their points are frame by frame.
use crate::api::{Api, Says};
use crate::extract::{Path, Query};
use crate::problem::{Problem, apart};
use crate::route::projects::stage;
use crate::state::App;
use axum::Json;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use nematon_document::{Collider, Figure, FigureId, MeshSource, Scene, SpotOf};
use nematon_evaluate::{
    MeshLibrary, Playing, Stage, Version, shape, skin_cost, stand_in_cost, stand_ins, version,
};
use nematon_frames::Chunk;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// Most numbers in one answer; beyond, frames are left out at the end.
const MOST: usize = 12_000_000;
/// A point that is seen is off by at most this, metres.
const ERROR: f64 = 0.000_1;

pub fn routes() -> Api {
    Api::default()
        .get("/projects/{id}/figures/{figure}", Says::gives::<FigureLook>("What a figure's file holds"), look)
        .get(
            "/projects/{id}/figures/{figure}/frames",
            Says::gives_bytes("Where a figure's points are at some frames: a chunk, as for bodies")
                .asks::<Range>(),
            frames,
        )
        .get(
            "/projects/{id}/figures/{figure}/stand-ins",
            Says::gives::<StandIns>("Capsules and flat boxes in place of a figure's skin, one a joint")
                .asks::<Which>(),
            read_stand_ins,
        )
        .get(
            "/projects/{id}/figures/{figure}/spot",
            Says::gives::<SpotOf>("A spot of a figure's surface, by where it is on one of its triangles")
                .asks::<On>(),
            spot,
        )
        .get(
            "/projects/{id}/figures/{figure}/version",
            Says::gives::<Version>(
                "What another version of a figure's file in its place changes: nothing is edited",
            )
            .asks::<File>(),
            other,
        )
}

/// A file that was brought in.
#[derive(Deserialize, JsonSchema)]
struct File {
    blob: String,
}

async fn other(
    State(app): State<App>,
    Path((id, figure)): Path<(i64, String)>,
    Query(File { blob }): Query<File>,
) -> Result<Json<Version>, Problem> {
    let (stage, meshes) = (stage(&app, id).await?, app.meshes.clone());
    let figure = FigureId(figure);
    let own = stage.figures.get(&figure).cloned().ok_or_else(|| Problem::missing("figure"))?;
    let from = MeshSource::Blob(blob);
    // The file may be one that no scene names yet.
    let next = Figure { from: from.clone(), points: None, clip: None, ..own };
    let mut with = Scene::clone(&stage);
    with.figures.insert(figure.clone(), next.clone());
    app.meshes.fetch(&Arc::new(with)).await?;
    let found = apart(move || {
        let unfit = |why: String| Problem::unfit("It is no version of it", why);
        let new = meshes.figure(&next).map_err(unfit)?;
        let was = stage.figure(&figure.0).ok().map(|p| p.figure.clone());
        version(&stage, &figure, &from, was.as_deref(), &new).map_err(unfit)
    });
    Ok(Json(found.await??))
}

/// What a figure's file holds.
#[derive(Serialize, JsonSchema)]
pub struct FigureLook {
    pub points: usize,
    /// Three points of each triangle in turn.
    pub triangles: Vec<u32>,
    pub parts: Vec<PartLook>,
    pub joints: Vec<JointLook>,
    pub clips: Vec<ClipLook>,
    /// Of the clip that is played, or the sequence, seconds.
    pub length: f64,
    /// Shapes of a sequence; 0 where joints move it.
    pub shapes: usize,
}

#[derive(Serialize, JsonSchema)]
pub struct PartLook {
    pub name: String,
    /// Triangles, in the order of the parts.
    pub triangles: usize,
}

#[derive(Serialize, JsonSchema)]
pub struct JointLook {
    pub name: String,
    pub parent: Option<usize>,
}

#[derive(Serialize, JsonSchema)]
pub struct ClipLook {
    pub name: String,
    /// Seconds.
    pub length: f64,
}

/// Frames; all of the scene if left out.
#[derive(Deserialize, JsonSchema)]
struct Range {
    first: Option<i64>,
    last: Option<i64>,
}

/// Which joints.
#[derive(Deserialize, JsonSchema)]
struct Which {
    /// Their names, a line each; left out, all.
    #[serde(default)]
    joints: String,
}

/// Capsules and flat boxes in place of a skin.
#[derive(Serialize, JsonSchema)]
pub struct StandIns {
    /// Each stands on its joint.
    pub colliders: Vec<Collider>,
    /// What moving the skin takes of each frame, milliseconds, as just measured here; capsules take nothing of it.
    pub skin: f64,
    /// What keeping the scene's bodies out of the capsules takes of each frame at most, milliseconds, as just measured here.
    pub capsules: f64,
}

/// A place on a triangle.
#[derive(Deserialize, JsonSchema)]
struct On {
    /// Its number, in the order in which the figure's triangles are told.
    triangle: usize,
    /// Shares of its second and third corner, 0 to 1.
    second: f64,
    third: f64,
}

fn plays(stage: &Stage, id: &str) -> Result<Arc<Playing>, Problem> {
    let own = stage.figures.get(id).ok_or_else(|| Problem::missing("figure"))?;
    let found = stage.figure(id).cloned();
    found.map_err(|why| Problem::unfit("The figure can't be shown", format!("\"{}\" {why}.", own.name)))
}

async fn look(
    State(app): State<App>,
    Path((id, figure)): Path<(i64, String)>,
) -> Result<Json<FigureLook>, Problem> {
    let stage = stage(&app, id).await?;
    let found = apart(move || {
        let own = plays(&stage, &figure)?;
        let f = &own.figure;
        Ok::<_, Problem>(FigureLook {
            points: f.points(),
            triangles: own.rest().triangles.iter().flatten().copied().collect(),
            parts: f
                .parts
                .iter()
                .map(|p| PartLook { name: p.name.clone(), triangles: p.mesh.triangles.len() })
                .collect(),
            joints: f.joints.iter().map(|j| JointLook { name: j.name.clone(), parent: j.parent }).collect(),
            clips: f.clips.iter().map(|c| ClipLook { name: c.name.clone(), length: c.duration }).collect(),
            length: own.length(),
            shapes: f.sequence.len(),
        })
    });
    Ok(Json(found.await??))
}

async fn frames(
    State(app): State<App>,
    Path((id, figure)): Path<(i64, String)>,
    Query(range): Query<Range>,
) -> Result<Response, Problem> {
    let stage = stage(&app, id).await?;
    let bytes = apart(move || {
        let own = plays(&stage, &figure)?;
        let span = &stage.frames;
        let first = range.first.unwrap_or(span.first).clamp(span.first, span.last);
        let last = range.last.unwrap_or(span.last).clamp(first, span.last);
        let most = (MOST / (3 * own.figure.points()).max(1)).max(1);
        let frames: Vec<Vec<[f32; 3]>> =
            (first..=last).take(most).map(|f| (*own.points(own.time(&stage, f as f64))).clone()).collect();
        Chunk::of(&frames, ERROR).wire().map_err(|e| Problem::inside(e.to_string()))
    });
    Ok(([(header::CONTENT_TYPE, "application/octet-stream")], bytes.await??).into_response())
}

async fn read_stand_ins(
    State(app): State<App>,
    Path((id, figure)): Path<(i64, String)>,
    Query(Which { joints }): Query<Which>,
) -> Result<Json<StandIns>, Problem> {
    let stage = stage(&app, id).await?;
    let library = app.meshes.clone();
    let found = apart(move || {
        plays(&stage, &figure)?;
        let none = |why| Problem::unfit("No capsule can be fitted", why);
        let joints: Vec<String> = joints.lines().map(str::to_owned).collect();
        let colliders = stand_ins(&stage, &figure, &joints).map_err(none)?;
        let skin = skin_cost(&stage, &figure).map_err(Problem::inside)?;
        let points = stage.bodies.values().filter_map(|b| shape(&stage, b, &library).ok());
        let points = points.map(|s| s.placed.len()).sum();
        let capsules = stand_in_cost(&stage, &colliders, points);
        Ok::<_, Problem>(StandIns { colliders, skin, capsules })
    });
    Ok(Json(found.await??))
}

async fn spot(
    State(app): State<App>,
    Path((id, figure)): Path<(i64, String)>,
    Query(on): Query<On>,
) -> Result<Json<SpotOf>, Problem> {
    let stage = stage(&app, id).await?;
    let found = apart(move || {
        let own = plays(&stage, &figure)?;
        let rest = own.rest();
        let Some(triangle) = rest.triangles.get(on.triangle) else {
            return Err(Problem::missing("triangle"));
        };
        let shares = [1.0 - on.second - on.third, on.second, on.third];
        if !shares.iter().all(|s| (-1e-6..=1.0 + 1e-6).contains(s)) {
            return Err(Problem::unfit("That is no spot", "Its shares don't lie on the triangle."));
        }
        let size = stage.figures.get(figure.as_str()).map_or(1.0, |f| f.size);
        let corner = |k: usize, c: usize| f64::from(rest.positions[triangle[k] as usize][c]);
        let at = std::array::from_fn(|c| {
            let own: f64 = (0..3).map(|k| shares[k] * corner(k, c)).sum();
            (own / size * 1e6).round() / 1e6
        });
        Ok(SpotOf { figure: FigureId(figure), at })
    });
    Ok(Json(found.await??))
}
