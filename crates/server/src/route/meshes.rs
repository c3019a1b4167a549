//! Meshes brought in from files.
use crate::problem::Problem;
use crate::state::App;
use axum::body::Bytes;
use axum::extract::rejection::BytesRejection;
use axum::extract::{DefaultBodyLimit, Query, State};
use axum::http::StatusCode;
use axum::routing::post;
use axum::{Json, Router};
use nematon_document::MAX_POINTS;
use nematon_formats::{MAX_BYTES, read_mesh};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub fn routes() -> Router<App> {
    // A little over the limit is let in, so that the answer can say what the limit is.
    Router::new().route("/meshes", post(bring_in)).layer(DefaultBodyLimit::max(MAX_BYTES + (1 << 20)))
}

#[derive(Deserialize)]
struct Named {
    name: String,
}

/// A mesh that is kept.
#[derive(Serialize, JsonSchema)]
pub struct MeshHead {
    /// BLAKE3 of the file: what a scene names it by.
    pub blob: String,
    pub points: usize,
    pub triangles: usize,
    pub textured: bool,
    /// Size along x, y and z, metres.
    pub size: [f32; 3],
    pub borders: usize,
}

async fn bring_in(
    State(app): State<App>,
    Query(Named { name }): Query<Named>,
    bytes: Result<Bytes, BytesRejection>,
) -> Result<Json<MeshHead>, Problem> {
    let bytes = bytes.map_err(|e| {
        let detail = match e.status() {
            StatusCode::PAYLOAD_TOO_LARGE => format!("\"{name}\" is larger than {} MB.", MAX_BYTES >> 20),
            _ => format!("\"{name}\" did not come through whole: nothing was kept. Try again."),
        };
        Problem::new(e.status(), "upload", "The mesh can't be brought in", detail)
    })?;
    let title = format!("\"{name}\" can't be brought in");
    let at = name.clone();
    let kept = bytes.clone();
    // Reading may take a second: not on a thread that answers others.
    let mesh = tokio::task::spawn_blocking(move || {
        let mesh = read_mesh(&at, &bytes).map_err(|e| e.to_string())?;
        nematon_geometry::check(&mesh, MAX_POINTS)
            .map_err(|faults| faults.iter().map(ToString::to_string).collect::<Vec<_>>().join("; "))?;
        Ok::<_, String>(mesh)
    })
    .await
    .map_err(|e| Problem::inside(e.to_string()))?
    .map_err(|e| Problem::unfit(&title, e))?;
    let blob = blake3::hash(&kept).to_hex().to_string();
    app.store.keep_mesh(&blob, &name, &kept).await?;
    app.meshes.forget(&blob);
    let (lo, hi) = mesh.bounds();
    Ok(Json(MeshHead {
        blob,
        points: mesh.positions.len(),
        triangles: mesh.triangles.len(),
        textured: !mesh.uv_triangles.is_empty(),
        size: std::array::from_fn(|k| hi[k] - lo[k]),
        borders: mesh.borders.len(),
    }))
}
