//! How a cloth is finished: what its points are of those that were computed.
use crate::api::{Api, Says};
use crate::extract::Path;
use crate::problem::{Problem, apart};
use crate::route::projects::stage;
use crate::state::App;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use nematon_evaluate::{ShapeError, finished, shape, steady};
use nematon_geometry::{Finish, Step};
use schemars::JsonSchema;
use serde::Serialize;

/// Most numbers that a page is sent: beyond, a surface is finished in files alone.
const MOST: usize = 4_000_000;

pub fn routes() -> Api {
    let says = Says::gives_bytes(
        "How a cloth is finished: length, FinishHead, then its steps one after the other, then the triangles of what comes out (3 u32). Of a step that \
         makes points of those before: where the parts of each point begin (u32, one more than there are points), of which point before each part \
         is (u32) and how much (f32). Of one that makes it thick: half of the thickness at each point before (f32), where that is at rest (3 f32), and the \
         triangles of the surface (3 u32); its points are the surface's, so far along the normal as there is room, and then as far against it",
    );
    Api::default().get("/projects/{id}/bodies/{body}/finish", says, read)
}

/// What stands before it.
#[derive(Serialize, JsonSchema)]
pub struct FinishHead {
    pub steps: Vec<StepHead>,
    pub triangles: usize,
}

/// One step on the way from the computed points to the finished ones.
#[derive(Serialize, JsonSchema)]
pub struct StepHead {
    /// That come out of it; of one that makes it thick those that go in.
    pub points: usize,
    /// How many times it is gone through; 0 of one that makes it thick.
    pub times: u32,
    pub parts: usize,
    /// Triangles of the surface that is made thick.
    pub surface: usize,
}

impl StepHead {
    fn of(step: &Step) -> StepHead {
        match step {
            Step::Rows { rows, times } => StepHead {
                points: rows.from.len().saturating_sub(1),
                times: *times,
                parts: rows.points.len(),
                surface: 0,
            },
            Step::Thick { half, surface, .. } => {
                StepHead { points: half.len(), times: 0, parts: 0, surface: surface.len() }
            }
        }
    }
}

async fn read(State(app): State<App>, Path((id, body)): Path<(i64, String)>) -> Result<Response, Problem> {
    let (scene, meshes) = (stage(&app, id).await?, app.meshes.clone());
    let bytes = apart(move || {
        let body = scene.bodies.get(body.as_str()).ok_or_else(|| Problem::missing("body"))?;
        let unfit = |e: ShapeError| Problem::unfit("It can't be finished", e.to_string());
        let shaped = shape(&scene, body, &meshes).map_err(unfit)?;
        let found = finished(&scene, body, &shaped, &meshes).map_err(unfit)?;
        let f = match found {
            Some(f) => f,
            None if steady(body) > 0 => Finish { mesh: shaped.mesh, steps: vec![] },
            None => return Err(Problem::missing("finishing")),
        };
        let steps: Vec<StepHead> = f.steps.iter().map(StepHead::of).collect();
        let work: usize = steps.iter().map(|s| s.parts * s.times as usize + s.points).sum();
        if work > MOST {
            let why = "So many points are finished in files alone: smooth it fewer times to see it here.";
            return Err(Problem::unfit("It is too much to show", why));
        }
        let head = FinishHead { steps, triangles: f.mesh.triangles.len() };
        let mut text = serde_json::to_vec(&head).map_err(|e| Problem::inside(e.to_string()))?;
        text.resize(text.len().div_ceil(4) * 4, b' ');
        let mut out = (text.len() as u32).to_le_bytes().to_vec();
        out.extend(text);
        for step in &f.steps {
            match step {
                Step::Rows { rows, .. } => {
                    out.extend(rows.from.iter().chain(&rows.points).flat_map(|k| k.to_le_bytes()));
                    out.extend(rows.parts.iter().flat_map(|w| w.to_le_bytes()));
                }
                Step::Thick { half, surface, rest } => {
                    out.extend(half.iter().chain(rest.iter().flatten()).flat_map(|w| w.to_le_bytes()));
                    out.extend(surface.iter().flatten().flat_map(|k| k.to_le_bytes()));
                }
            }
        }
        out.extend(f.mesh.triangles.iter().flatten().flat_map(|k| k.to_le_bytes()));
        Ok(out)
    });
    let headers = [(header::CONTENT_TYPE, "application/octet-stream"), (header::CACHE_CONTROL, "no-store")];
    Ok((headers, bytes.await??).into_response())
}
