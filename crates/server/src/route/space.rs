//! What is kept, and how much may be.
use crate::api::{Api, Says};
use crate::problem::Problem;
use crate::state::App;
use axum::Json;
use axum::extract::State;
use schemars::JsonSchema;
use serde::Serialize;

pub fn routes() -> Api {
    Api::default().get("/space", Says::gives::<Space>("What is kept, and how much may be"), read)
}

/// Bytes.
#[derive(Serialize, JsonSchema)]
pub struct Space {
    pub frames: i64,
    /// What runs go on from.
    pub checkpoints: i64,
    pub meshes: i64,
    /// Beyond this, what nobody asks for any more is let go.
    pub limit: u64,
}

async fn read(State(app): State<App>) -> Result<Json<Space>, Problem> {
    let s = app.store.space().await?;
    Ok(Json(Space { frames: s.frames, checkpoints: s.checkpoints, meshes: s.meshes, limit: app.keep }))
}
