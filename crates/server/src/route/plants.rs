//! Plants: species to start from, one of them from the side, and the meshes that others are as.
use crate::api::{Api, Says};
use crate::extract::{Body, Path};
use crate::problem::{Problem, apart};
use crate::route::projects::stage;
use crate::state::App;
use axum::Json;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use nematon_document::{Shelved, species};
use nematon_evaluate::{ShapeError, Stand, limbs, shape};
use nematon_geometry::{Limbs, Silhouette, Species, silhouette_of};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub fn routes() -> Api {
    Api::default()
        .get(
            "/species",
            Says::gives::<Vec<Shelf>>("Species of plants, to start from, each with one that grew"),
            || async { Json(species().into_iter().map(Shelf::of).collect::<Vec<_>>()) },
        )
        .post(
            "/silhouette",
            Says::gives::<Silhouette>("A plant of a species, from the side").takes::<Grow>(),
            silhouette,
        )
        .get(
            "/projects/{id}/bodies/{body}/limbs",
            Says::gives_bytes(
                "Plants as a mesh: length, LimbsHead, then of the mesh, about the root, where its points are (3 f32, metres), its texture \
                 coordinates (2 f32), the four segments that carry each point, by the point that each leads to (4 u32), and how \
                 much (4 f32), its triangles (3 u32) and their corners in the texture (3 u32, where there are any); then of each plant how it \
                 stands: where (3 f32), turned (quaternion, 4 f32), how large (f32)",
            ),
            skins,
        )
}

/// A species with one that grew, to be looked at.
#[derive(Serialize, JsonSchema)]
struct Shelf {
    #[serde(flatten)]
    own: Shelved,
    grown: Silhouette,
}

impl Shelf {
    fn of(own: Shelved) -> Shelf {
        let grown = own.species.silhouette(0);
        Shelf { own, grown }
    }
}

async fn silhouette(Body(Grow { species, seed }): Body<Grow>) -> Result<Json<Silhouette>, Problem> {
    let points = species.points();
    if points > MOST {
        return Err(Problem::unfit(
            "It can't be drawn",
            format!("One has {points} points; the most is {MOST}."),
        ));
    }
    Ok(Json(species.silhouette(seed)))
}

/// Points of a plant that is drawn, at most.
const MOST: usize = 20_000;

#[derive(Deserialize, JsonSchema)]
struct Grow {
    species: Species,
    #[serde(default)]
    seed: u32,
}

/// What stands before the mesh of plants, and what was found in it.
#[derive(Serialize, JsonSchema)]
pub struct LimbsHead {
    pub points: usize,
    pub uvs: usize,
    pub triangles: usize,
    /// Whether triangles have corners in the texture.
    pub textured: bool,
    pub plants: usize,
    /// Parts of wood that hang together each.
    pub parts: usize,
    pub leaves: usize,
    /// Where branches came together again, and were cut.
    pub cut: usize,
    /// Parts that stand away from all others, and were hung on the nearest.
    pub away: usize,
    /// Whether its points are those of its own bones.
    pub bones: bool,
    /// One of the mean size, from the side.
    pub grown: Silhouette,
}

async fn skins(State(app): State<App>, Path((id, body)): Path<(i64, String)>) -> Result<Response, Problem> {
    let (scene, meshes) = (stage(&app, id).await?, app.meshes.clone());
    let bytes = apart(move || {
        let body = scene.bodies.get(body.as_str()).ok_or_else(|| Problem::missing("body"))?;
        let unfit = |e: ShapeError| Problem::unfit("The mesh can't be had", e.to_string());
        let shaped = shape(&scene, body, &meshes).map_err(unfit)?;
        let stand = Stand::of(&shaped).and_then(|s| Some((s.model.as_ref()?, body.kind.plants()?)));
        let (model, own) = stand.ok_or_else(|| Problem::missing("mesh of plants"))?;
        let all = limbs(own, &shaped).ok_or_else(|| Problem::missing("mesh of plants"))?;
        let wood = own.wood();
        let leaf = wood.leaf.map_or(0.0, |l| l.weight);
        let size = own.mesh.as_ref().map_or(1.0, |m| m.size);
        let grown = silhouette_of(&model.grown.larger(size), (wood.density, wood.modulus), (leaf, 0.0));
        told(&all, model.found, grown)
    });
    let headers = [(header::CONTENT_TYPE, "application/octet-stream"), (header::CACHE_CONTROL, "no-store")];
    Ok((headers, bytes.await??).into_response())
}

fn told(all: &Limbs, found: nematon_geometry::What, grown: Silhouette) -> Result<Vec<u8>, Problem> {
    let skin = all.skins.first().ok_or_else(|| Problem::missing("mesh of plants"))?;
    let m = &skin.mesh;
    let nematon_geometry::What { parts, leaves, cut, away, bones } = found;
    let head = LimbsHead {
        points: m.positions.len(),
        uvs: m.uvs.len(),
        triangles: m.triangles.len(),
        textured: !m.uv_triangles.is_empty(),
        plants: all.plants.len(),
        parts,
        leaves,
        cut,
        away,
        bones,
        grown,
    };
    let mut text = serde_json::to_vec(&head).map_err(|e| Problem::inside(e.to_string()))?;
    text.resize(text.len().div_ceil(4) * 4, b' ');
    let mut out = (text.len() as u32).to_le_bytes().to_vec();
    out.extend(text);
    out.extend(m.positions.iter().flatten().flat_map(|c| c.to_le_bytes()));
    out.extend(m.uvs.iter().flatten().flat_map(|c| c.to_le_bytes()));
    out.extend(skin.joints.iter().flatten().flat_map(|c| c.to_le_bytes()));
    out.extend(skin.shares.iter().flatten().flat_map(|c| c.to_le_bytes()));
    out.extend(m.triangles.iter().flatten().flat_map(|c| c.to_le_bytes()));
    out.extend(m.uv_triangles.iter().flatten().flat_map(|c| c.to_le_bytes()));
    for p in &all.plants {
        let at = p.at.as_vec3().to_array();
        let turn = p.turn.as_quat().to_array();
        out.extend(at.into_iter().chain(turn).chain([p.size as f32]).flat_map(f32::to_le_bytes));
    }
    Ok(out)
}
