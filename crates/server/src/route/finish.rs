//! How a cloth is finished: what its points are of those that were computed.
use crate::api::{Api, Says};
use crate::extract::Path;
use crate::problem::{Problem, apart};
use crate::route::projects::stage;
use crate::state::App;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use nematon_evaluate::{ShapeError, finished, shape};
use schemars::JsonSchema;
use serde::Serialize;

/// Most parts that a page is sent: beyond, a surface is finished in files alone.
const MOST: usize = 4_000_000;

pub fn routes() -> Api {
    let says = Says::gives_bytes(
        "How a cloth is finished: length, FinishHead, then where the parts of each point begin (u32, one more than there are points), of \
         which computed point each part is (u32) and how much (f32), the triangles of the surface (3 u32), and those of all (3 u32). \
         Where it is thick its points are the surface's, half of that along the normal, and then as far against it",
    );
    Api::default().get("/projects/{id}/bodies/{body}/finish", says, read)
}

/// What stands before it.
#[derive(Serialize, JsonSchema)]
pub struct FinishHead {
    /// Of the surface.
    pub points: usize,
    pub parts: usize,
    /// Of the surface.
    pub surface: usize,
    /// Of all.
    pub triangles: usize,
    /// Half of the thickness, metres.
    pub half: f32,
}

async fn read(State(app): State<App>, Path((id, body)): Path<(i64, String)>) -> Result<Response, Problem> {
    let (scene, meshes) = (stage(&app, id).await?, app.meshes.clone());
    let bytes = apart(move || {
        let body = scene.bodies.get(body.as_str()).ok_or_else(|| Problem::missing("body"))?;
        let unfit = |e: ShapeError| Problem::unfit("It can't be finished", e.to_string());
        let shaped = shape(&scene, body, &meshes).map_err(unfit)?;
        let f = finished(body, &shaped).ok_or_else(|| Problem::missing("finishing"))?;
        if f.rows.parts.len() > MOST {
            let why = "So many points are finished in files alone: smooth it fewer times to see it here.";
            return Err(Problem::unfit("It is too much to show", why));
        }
        let head = FinishHead {
            points: f.rows.from.len().saturating_sub(1),
            parts: f.rows.points.len(),
            surface: f.surface.len(),
            triangles: f.mesh.triangles.len(),
            half: f.half,
        };
        let mut text = serde_json::to_vec(&head).map_err(|e| Problem::inside(e.to_string()))?;
        text.resize(text.len().div_ceil(4) * 4, b' ');
        let mut out = (text.len() as u32).to_le_bytes().to_vec();
        out.extend(text);
        out.extend(f.rows.from.iter().chain(&f.rows.points).flat_map(|k| k.to_le_bytes()));
        out.extend(f.rows.parts.iter().flat_map(|w| w.to_le_bytes()));
        out.extend(f.surface.iter().chain(&f.mesh.triangles).flatten().flat_map(|k| k.to_le_bytes()));
        Ok(out)
    });
    let headers = [(header::CONTENT_TYPE, "application/octet-stream"), (header::CACHE_CONTROL, "no-store")];
    Ok((headers, bytes.await??).into_response())
}
