//! Meshes brought in from files.
use crate::api::{Api, Says};
use crate::extract::Query;
use crate::problem::{Problem, apart};
use crate::state::App;
use axum::Json;
use axum::body::to_bytes;
use axum::extract::{Request, State};
use axum::http::{StatusCode, header};
use nematon_document::MAX_POINTS;
use nematon_formats::{MAX_BYTES, read_mesh};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub fn routes() -> Api {
    let says = Says::gives::<MeshHead>("Bring in a mesh file").asks::<Named>().takes_bytes();
    Api::default().post("/meshes", says, bring_in)
}

#[derive(Deserialize, JsonSchema)]
struct Named {
    /// Of the file; its ending says of what kind it is.
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
    request: Request,
) -> Result<Json<MeshHead>, Problem> {
    let refuse = |status, detail| Err(Problem::new(status, "upload", "The mesh can't be brought in", detail));
    let too_large = format!("\"{name}\" is larger than {} MB.", MAX_BYTES >> 20);
    // Told before it comes, not after.
    let announced =
        request.headers().get(header::CONTENT_LENGTH).and_then(|v| v.to_str().ok()?.parse::<usize>().ok());
    if announced.is_some_and(|n| n > MAX_BYTES) {
        return refuse(StatusCode::PAYLOAD_TOO_LARGE, too_large);
    }
    let bytes = match to_bytes(request.into_body(), MAX_BYTES + 1).await {
        Ok(bytes) if bytes.len() > MAX_BYTES => return refuse(StatusCode::PAYLOAD_TOO_LARGE, too_large),
        Ok(bytes) => bytes,
        Err(_) => {
            let detail = format!("\"{name}\" did not come through whole: nothing was kept. Try again.");
            return refuse(StatusCode::BAD_REQUEST, detail);
        }
    };
    let title = format!("\"{name}\" can't be brought in");
    let at = name.clone();
    let read = apart(move || {
        let mesh = read_mesh(&at, &bytes).map_err(|e| e.to_string())?;
        nematon_geometry::check(&mesh, MAX_POINTS)
            .map_err(|faults| faults.iter().map(ToString::to_string).collect::<Vec<_>>().join("; "))?;
        Ok::<_, String>((mesh, blake3::hash(&bytes).to_hex().to_string(), bytes))
    });
    let (mesh, blob, kept) = read.await?.map_err(|e| Problem::unfit(&title, e))?;
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
