//! The air at places, as the core computes it, so that what is drawn is what acts.
use crate::problem::Problem;
use crate::route::projects::{body, load};
use crate::state::App;
use axum::extract::rejection::JsonRejection;
use axum::extract::{Path, State};
use axum::routing::post;
use axum::{Json, Router};
use nematon_evaluate::air_at;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Most places in one question.
const MOST: usize = 4096;

pub fn routes() -> Router<App> {
    Router::new().route("/projects/{id}/air", post(ask))
}

#[derive(Deserialize, JsonSchema)]
pub struct AirQuestion {
    pub frame: i64,
    /// Metres; at most 4096 places.
    pub places: Vec<[f32; 3]>,
}

#[derive(Serialize, JsonSchema)]
pub struct AirAnswer {
    /// m/s, one a place.
    pub velocities: Vec<[f32; 3]>,
}

async fn ask(
    State(app): State<App>,
    Path(id): Path<i64>,
    json: Result<Json<AirQuestion>, JsonRejection>,
) -> Result<Json<AirAnswer>, Problem> {
    let AirQuestion { frame, places } = body(json)?;
    if places.len() > MOST {
        return Err(Problem::unfit(
            "Too many places",
            format!("{} were asked for; the most is {MOST}.", places.len()),
        ));
    }
    let (_, scene) = load(&app, id).await?;
    let index = frame.clamp(scene.frames.first, scene.frames.last) - scene.frames.first;
    Ok(Json(AirAnswer { velocities: air_at(&scene, index as usize, &places) }))
}
