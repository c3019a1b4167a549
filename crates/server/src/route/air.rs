//! The air at places, as the core computes it, so that what is drawn is what acts.
use crate::api::{Api, Says};
use crate::extract::{Body, Path};
use crate::problem::{Problem, apart};
use crate::route::projects::stage;
use crate::state::App;
use axum::Json;
use axum::extract::State;
use nematon_evaluate::air_at;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Most places in one question.
const MOST: usize = 4096;

pub fn routes() -> Api {
    let says = Says::gives::<AirAnswer>("The air at places").takes::<AirQuestion>();
    Api::default().post("/projects/{id}/air", says, ask)
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
    Body(AirQuestion { frame, places }): Body<AirQuestion>,
) -> Result<Json<AirAnswer>, Problem> {
    if places.len() > MOST {
        return Err(Problem::unfit(
            "Too many places",
            format!("{} were asked for; the most is {MOST}.", places.len()),
        ));
    }
    let scene = stage(&app, id).await?;
    let index = frame.clamp(scene.frames.first, scene.frames.last) - scene.frames.first;
    let velocities = apart(move || air_at(&scene, index as usize, &places)).await?;
    Ok(Json(AirAnswer { velocities }))
}
