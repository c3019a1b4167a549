//! Stored frames: what there is, and the frames themselves.
use crate::api::{Api, Says};
use crate::extract::Path;
use crate::lanes::{Lane, lanes};
use crate::problem::{Problem, apart};
use crate::route::projects::load;
use crate::state::App;
use axum::Json;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use nematon_frames::{Chunk, FrameStore};
use schemars::JsonSchema;
use serde::Serialize;

pub fn routes() -> Api {
    Api::default().get("/projects/{id}/lanes", Says::gives::<Lanes>("Which frames are true"), read_lanes).get(
        "/chunks/{chunk}/wire",
        Says::gives_bytes("Frames"),
        read_chunk,
    )
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
    let wire =
        apart(move || Chunk::unpack(&packed).map_err(|e| e.to_string())?.wire().map_err(|e| e.to_string()))
            .await?;
    let wire = wire.map_err(Problem::inside)?;
    let headers = [
        (header::CONTENT_TYPE, "application/octet-stream"),
        (header::CACHE_CONTROL, "private, max-age=31536000, immutable"),
    ];
    Ok((headers, wire).into_response())
}
