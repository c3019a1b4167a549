//! Numbers over time of points of a body, from its true frames.
use crate::api::{Api, Says};
use crate::delivery::{read as read_frames, true_from_first};
use crate::extract::{Path, Query};
use crate::problem::{Problem, apart};
use crate::route::projects::load;
use crate::route::takes;
use crate::state::App;
use axum::Json;
use axum::extract::State;
use nematon_document::BodyId;
use nematon_evaluate::{LATEST, Reading, ShapeError, Stage, lag, readings, shape};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub fn routes() -> Api {
    let says = Says::gives::<Readout>(
        "How points of a body go over time, from its first frame to the last before one that is not true",
    );
    Api::default().get("/projects/{id}/bodies/{body}/readout", says.asks::<Which>(), read)
}

#[derive(Deserialize, JsonSchema)]
struct Which {
    /// Numbers of points, with commas between; left out, those of the border, or all.
    points: Option<String>,
    /// The name of a border.
    border: Option<String>,
    /// A take to read instead of the scene as it is.
    take: Option<i64>,
}

#[derive(Serialize, JsonSchema)]
struct Readout {
    /// How many points the mean is of.
    points: usize,
    /// Frames a second.
    rate: f64,
    readings: Vec<Reading>,
    /// Frames behind what holds the body; none where that rests, or goes otherwise.
    lag: Option<f64>,
}

async fn read(
    State(app): State<App>,
    Path((id, body)): Path<(i64, String)>,
    Query(which): Query<Which>,
) -> Result<Json<Readout>, Problem> {
    let scene = match which.take {
        Some(take) => takes::scene(&app, id, take).await?,
        None => load(&app, id).await?.1,
    };
    let id = BodyId(body);
    let found = true_from_first(&app, &scene, &id).await?;
    let (own, meshes, key) = (scene.clone(), app.meshes.clone(), id.clone());
    let shaped = apart(move || {
        let stage = Stage::new(&own, &meshes);
        let body = stage.bodies.get(&key).ok_or_else(|| Problem::missing("body"))?;
        shape(&stage, body, &meshes)
            .map_err(|e: ShapeError| Problem::unfit("The body has no shape", e.to_string()))
    });
    let shaped = shaped.await??;
    let count = shaped.placed.len();
    let chosen: Vec<u32> = match (&which.points, &which.border) {
        (Some(list), _) => {
            let all: Result<Vec<u32>, _> = list.split(',').map(str::parse).collect();
            all.map_err(|_| Problem::unfit("No such points", "Numbers of points stand with commas between."))?
        }
        (None, Some(name)) => {
            let border = shaped.mesh.borders.iter().find(|b| b.name == *name);
            border.ok_or_else(|| Problem::missing("border"))?.points.clone()
        }
        (None, None) => (0..count as u32).collect(),
    };
    if let Some(p) = chosen.iter().find(|p| **p as usize >= count) {
        let why = format!("The body has points 0 to {}; there is no {p}.", count.saturating_sub(1));
        return Err(Problem::unfit("No such point", why));
    }
    let held: Vec<u32> = shaped.gripped().into_iter().flat_map(|(_, points)| points).collect();
    // Only these are kept of each frame.
    let mut frames = vec![];
    let mut coming = read_frames(app.store.clone(), found);
    while let Some(frame) = coming.recv().await {
        let frame = frame.map_err(|e| Problem::inside(e.to_string()))?;
        let at = |p: &u32| frame.get(*p as usize).copied().unwrap_or([f64::NAN; 3]);
        frames.push(chosen.iter().chain(&held).map(at).collect::<Vec<_>>());
    }
    let (first, rate) = (scene.frames.first, scene.frames.rate);
    let told = apart(move || {
        let (mine, all) = (chosen.len() as u32, (chosen.len() + held.len()) as u32);
        let read = readings(first, rate, &frames, &(0..mine).collect::<Vec<_>>());
        let holds = readings(first, rate, &frames, &(mine..all).collect::<Vec<_>>());
        let lag = if held.is_empty() { None } else { lag(&holds, &read, (LATEST * rate) as usize) };
        Readout { points: chosen.len(), rate, readings: read, lag }
    });
    Ok(Json(told.await?))
}
