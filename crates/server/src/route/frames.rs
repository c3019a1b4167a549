//! Stored frames: what there is, and the frames themselves.
use crate::lanes::{Lane, lanes};
use crate::problem::Problem;
use crate::route::projects::load;
use crate::state::App;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use axum::routing::get;
use axum::{Json, Router};
use nematon_frames::{Chunk, FrameStore};
use schemars::JsonSchema;
use serde::Serialize;

pub fn routes() -> Router<App> {
    Router::new().route("/projects/{id}/lanes", get(read_lanes)).route("/chunks/{chunk}", get(read_chunk))
}

/// The lanes of a project's scene at a revision.
#[derive(Serialize, JsonSchema)]
pub struct Lanes {
    pub revision: i64,
    pub lanes: Vec<Lane>,
}

async fn read_lanes(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Lanes>, Problem> {
    let (row, scene) = load(&app, id).await?;
    let lanes = lanes(&app.store, &app.meshes, &app.prints, id, &scene).await?;
    Ok(Json(Lanes { revision: row.revision, lanes }))
}

/// A chunk never changes: a browser may keep it for ever.
async fn read_chunk(State(app): State<App>, Path(chunk): Path<i64>) -> Result<Response, Problem> {
    let packed = app.store.chunk(chunk).await?.ok_or_else(|| Problem::missing("chunk of frames"))?;
    let chunk = Chunk::unpack(&packed).map_err(|e| Problem::inside(e.to_string()))?;
    let headers = [
        (header::CONTENT_TYPE, "application/octet-stream"),
        (header::CACHE_CONTROL, "private, max-age=31536000, immutable"),
    ];
    Ok((headers, chunk.wire()).into_response())
}
