//! The skins of colliders that come from meshes, as the viewport needs them.
use crate::problem::Problem;
use crate::route::projects::load;
use crate::state::App;
use axum::extract::{Path, State};
use axum::routing::get;
use axum::{Json, Router};
use nematon_document::ColliderId;
use nematon_evaluate::skin;
use schemars::JsonSchema;
use serde::Serialize;

pub fn routes() -> Router<App> {
    Router::new().route("/projects/{id}/colliders/{collider}/skin", get(read))
}

/// Triangles of a collider about its own origin, metres.
#[derive(Serialize, JsonSchema)]
pub struct Skin {
    /// x, y, z of each point in turn.
    pub positions: Vec<f32>,
    /// Three points of each triangle in turn.
    pub triangles: Vec<u32>,
    /// Other shapes of the same points, by frame.
    pub shapes: Vec<SkinShape>,
}

#[derive(Serialize, JsonSchema)]
pub struct SkinShape {
    pub frame: i64,
    pub positions: Vec<f32>,
}

async fn read(
    State(app): State<App>,
    Path((id, collider)): Path<(i64, String)>,
) -> Result<Json<Skin>, Problem> {
    let (_, scene) = load(&app, id).await?;
    app.meshes.fetch(&scene).await?;
    let c = scene.colliders.get(&ColliderId(collider)).ok_or_else(|| Problem::missing("collider"))?;
    let found =
        skin(c, &app.meshes).map_err(|e| Problem::unfit("The collider has no shape", e.to_string()))?;
    let flat = |p: &[[f32; 3]]| p.iter().flatten().copied().collect();
    let shapes =
        found.shapes.iter().map(|(frame, p)| SkinShape { frame: *frame, positions: flat(p) }).collect();
    let triangles = found.triangles.into_iter().flatten().collect();
    Ok(Json(Skin { positions: flat(&found.positions), triangles, shapes }))
}
