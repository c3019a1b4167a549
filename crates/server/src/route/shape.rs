//! The rest shape of a body, as the viewport needs it.
use crate::api::{Api, Says};
use crate::extract::Path;
use crate::problem::{Problem, apart};
use crate::route::projects::load;
use crate::state::App;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use nematon_document::BodyId;
use nematon_evaluate::{Shaped, shape};
use schemars::JsonSchema;
use serde::Serialize;

pub fn routes() -> Api {
    let says = Says::gives_bytes("Its rest shape: length, ShapeHead, arrays");
    Api::default().get("/projects/{id}/bodies/{body}/shape", says, read)
}

/// Describes the arrays that follow it: little-endian, each four bytes a number. `placed` and `rest`
/// (points x 3 f32, metres), `uvs` (uvs x 2 f32), `triangles` (triangles x 3 u32), and where there are
/// UVs their corners (triangles x 3 u32).
#[derive(Serialize, JsonSchema)]
pub struct ShapeHead {
    pub points: usize,
    pub triangles: usize,
    pub uvs: usize,
    /// Metres.
    pub shortest_edge: f32,
    pub longest_edge: f32,
    /// The narrowest fold that it can show, metres.
    pub smallest_fold: f32,
    /// Too few edges across its narrower side to fold.
    pub coarse: bool,
    pub borders: Vec<BorderHead>,
    pub corners: Vec<CornerHead>,
    /// Points of each grip that is on.
    pub grips: Vec<GripHead>,
}

#[derive(Serialize, JsonSchema)]
pub struct BorderHead {
    pub name: String,
    pub points: Vec<u32>,
    pub closed: bool,
}

#[derive(Serialize, JsonSchema)]
pub struct CornerHead {
    pub name: String,
    pub point: u32,
}

#[derive(Serialize, JsonSchema)]
pub struct GripHead {
    pub grip: String,
    pub points: Vec<u32>,
}

async fn read(State(app): State<App>, Path((id, body)): Path<(i64, String)>) -> Result<Response, Problem> {
    let (_, scene) = load(&app, id).await?;
    app.meshes.fetch(&scene).await?;
    let (id, meshes) = (BodyId(body), app.meshes.clone());
    let bytes = apart(move || {
        let body = scene.bodies.get(&id).ok_or_else(|| Problem::missing("body"))?;
        let found = shape(body, &meshes);
        let s = found.map_err(|e| Problem::unfit(&format!("{} has no shape", body.name), e.to_string()))?;
        pack(&s).map_err(|e| Problem::inside(e.to_string()))
    });
    let headers = [(header::CONTENT_TYPE, "application/octet-stream"), (header::CACHE_CONTROL, "no-store")];
    Ok((headers, bytes.await??).into_response())
}

fn pack(s: &Shaped) -> serde_json::Result<Vec<u8>> {
    let m = &s.mesh;
    let border = |b: &nematon_geometry::Border| BorderHead {
        name: b.name.clone(),
        points: b.points.clone(),
        closed: b.closed,
    };
    let head = ShapeHead {
        points: m.positions.len(),
        triangles: m.triangles.len(),
        uvs: m.uvs.len(),
        shortest_edge: s.density.shortest_edge,
        longest_edge: s.density.longest_edge,
        smallest_fold: s.density.smallest_fold,
        coarse: s.density.coarse,
        borders: m.borders.iter().map(border).collect(),
        corners: m.corners.iter().map(|c| CornerHead { name: c.name.clone(), point: c.point }).collect(),
        grips: s.grips.iter().map(|(g, p)| GripHead { grip: g.clone(), points: p.clone() }).collect(),
    };
    let mut text = serde_json::to_vec(&head)?;
    text.resize(text.len().div_ceil(4) * 4, b' ');
    let mut out = (text.len() as u32).to_le_bytes().to_vec();
    out.extend(text);
    let floats = s.placed.iter().flatten().chain(m.positions.iter().flatten()).chain(m.uvs.iter().flatten());
    out.extend(floats.flat_map(|c| c.to_le_bytes()));
    out.extend(m.triangles.iter().chain(&m.uv_triangles).flatten().flat_map(|k| k.to_le_bytes()));
    Ok(out)
}
