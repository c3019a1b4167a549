//! What is seen of colliders.
use crate::api::{Api, Says};
use crate::extract::Path;
use crate::problem::{Problem, apart};
use crate::route::projects::stage;
use crate::state::App;
use axum::Json;
use axum::extract::State;
use nematon_document::ColliderId;
use nematon_evaluate::skin;
use schemars::JsonSchema;
use serde::Serialize;

pub fn routes() -> Api {
    let says = Says::gives::<Skin>("The triangles of a collider");
    Api::default().get("/projects/{id}/colliders/{collider}/skin", says, read)
}

/// Triangles of a collider about its own origin, metres; none of a plane, which has no end.
#[derive(Default, Serialize, JsonSchema)]
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
    let scene = stage(&app, id).await?;
    let (id, meshes) = (ColliderId(collider), app.meshes.clone());
    let found = apart(move || scene.colliders.get(&id).map(|c| skin(&scene, c, &meshes))).await?;
    let found = found.ok_or_else(|| Problem::missing("collider"))?;
    let found = found.map_err(|e| Problem::unfit("The collider has no shape", e.to_string()))?;
    let Some(found) = found else { return Ok(Json(Skin::default())) };
    let flat = |p: &[[f32; 3]]| p.iter().flatten().copied().collect();
    let shapes =
        found.shapes.iter().map(|(frame, p)| SkinShape { frame: *frame, positions: flat(p) }).collect();
    let triangles = found.triangles.into_iter().flatten().collect();
    Ok(Json(Skin { positions: flat(&found.positions), triangles, shapes }))
}
