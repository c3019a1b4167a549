//! Inflatables: what a chamber holds, and a frame frozen as a mesh.
use crate::api::{Api, Says};
use crate::delivery::true_frame;
use crate::extract::{Body, Path, Query};
use crate::problem::{Problem, apart};
use crate::route::meshes::MeshHead;
use crate::route::projects::{load, stage};
use crate::state::App;
use axum::Json;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use nematon_document::BodyId;
use nematon_evaluate::{Filled, Sewn, filled, freeze, shape, still};
use nematon_formats::{Still, read_mesh};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::sync::Arc;

pub fn routes() -> Api {
    Api::default()
        .get(
            "/projects/{id}/bodies/{body}/filled",
            Says::gives::<Held>("What its chambers hold, and what it weighs").asks::<At>(),
            read,
        )
        .get(
            "/meshes/{blob}",
            Says::gives_bytes("A file that is kept, as it came; or the mesh in it as another format")
                .asks::<As>(),
            file,
        )
        .post(
            "/projects/{id}/bodies/{body}/freeze",
            Says::gives::<MeshHead>(
                "A frame of it as a still mesh, sewn and smoothed, kept beside the others",
            )
            .takes::<Frozen>(),
            frozen,
        )
}

#[derive(Deserialize, JsonSchema)]
struct At {
    frame: i64,
}

#[derive(Deserialize, JsonSchema)]
struct As {
    /// obj, glb or usda; as it came if left out.
    format: Option<String>,
}

/// What a body holds at a frame.
#[derive(Serialize, JsonSchema)]
struct Held {
    /// Whether the frame is computed as the scene is now; of one that is not, it is told as the body begins.
    computed: bool,
    #[serde(flatten)]
    filled: Filled,
}

/// What to freeze.
#[derive(Deserialize, JsonSchema)]
struct Frozen {
    frame: i64,
    /// How many times it is smoothed, 0 to 4.
    #[serde(default)]
    smooth: u32,
    /// Every point as it is, nothing joined: what it can come back to as its rest shape.
    #[serde(default)]
    as_is: bool,
}

/// Most points of a frozen mesh.
const MOST: usize = 2_000_000;

async fn read(
    State(app): State<App>,
    Path((id, body)): Path<(i64, String)>,
    Query(At { frame }): Query<At>,
) -> Result<Json<Held>, Problem> {
    let (_, scene) = load(&app, id).await?;
    let key = BodyId(body);
    let own = scene.bodies.get(&key).ok_or_else(|| Problem::missing("body"))?;
    let mut frames: HashMap<i64, Option<Vec<[f32; 3]>>> = HashMap::new();
    let closed = own
        .kind
        .cloth()
        .iter()
        .flat_map(|c| c.chambers.values())
        .filter_map(|c| c.closed)
        .collect::<Vec<_>>();
    for frame in closed.into_iter().chain([frame]) {
        frames.insert(frame, true_frame(&app, &scene, &key, frame).await?);
    }
    let (stage, meshes) = (stage(&app, id).await?, app.meshes.clone());
    let told = apart(move || {
        let own = stage.bodies.get(&key).ok_or_else(|| Problem::missing("body"))?;
        let s = shape(&stage, own, &meshes)
            .map_err(|e| Problem::unfit("The body has no shape", e.to_string()))?;
        let Some(cloth) = own.kind.cloth() else {
            return Err(Problem::unfit("It holds nothing", "It is no cloth."));
        };
        let there = frames.get(&frame).cloned().flatten();
        let computed = there.is_some();
        let at = there.unwrap_or_else(|| s.placed.clone());
        let closed = |frame: i64| frames.get(&frame).cloned().flatten();
        Ok::<_, Problem>(Held { computed, filled: filled(&stage, cloth, &s, &at, frame as f64, closed) })
    });
    Ok(Json(told.await??))
}

async fn file(
    State(app): State<App>,
    Path(blob): Path<String>,
    Query(As { format }): Query<As>,
) -> Result<Response, Problem> {
    let found = app.store.mesh(&blob).await?.ok_or_else(|| Problem::missing("file"))?;
    let bytes = match format {
        None => found.bytes,
        Some(format) => {
            let kind = Still::of(&format).ok_or_else(|| {
                Problem::unfit(
                    "It can't be had so",
                    format!("A mesh is written as obj, glb or usda, not {format}."),
                )
            })?;
            let made = apart(move || {
                let mesh = read_mesh(&found.name, &found.bytes).map_err(|e| e.to_string())?;
                let name = found.name.rsplit_once('.').map_or(found.name.as_str(), |n| n.0);
                kind.write(name, &mesh).map_err(|e| e.to_string())
            });
            made.await?.map_err(|e: String| Problem::unfit("The mesh can't be read", e))?
        }
    };
    Ok(([(header::CONTENT_TYPE, "application/octet-stream")], bytes).into_response())
}

async fn frozen(
    State(app): State<App>,
    Path((id, body)): Path<(i64, String)>,
    Body(Frozen { frame, smooth, as_is }): Body<Frozen>,
) -> Result<Json<MeshHead>, Problem> {
    let (_, scene) = load(&app, id).await?;
    let key = BodyId(body);
    if !scene.bodies.contains_key(&key) {
        return Err(Problem::missing("body"));
    }
    let at = true_frame(&app, &scene, &key, frame).await?;
    let Some(at) = at else {
        let why = format!("Frame {frame} is not computed for the scene as it is. Run it first.");
        return Err(Problem::unfit("It can't be frozen", why));
    };
    let (stage, meshes) = (stage(&app, id).await?, app.meshes.clone());
    let made = apart(move || {
        let own = stage.bodies.get(&key).ok_or_else(|| Problem::missing("body"))?;
        let s = shape(&stage, own, &meshes)
            .map_err(|e| Problem::unfit("The body has no shape", e.to_string()))?;
        let points = at.len() << (2 * smooth.min(8));
        if smooth > 4 || points > MOST {
            let why = format!(
                "Smoothed {smooth} times it has some {points} points; the most is {MOST}, and 4 times."
            );
            return Err(Problem::unfit("It can't be frozen", why));
        }
        let none = Arc::new(Sewn::default());
        let mesh = match as_is {
            true => still(&s.mesh, &at),
            false => freeze(s.sewn().unwrap_or(&none), &s.mesh, &at, smooth),
        };
        let name = format!("{} at {frame}", own.name);
        let text = Still::Obj.write(&name, &mesh).map_err(|e| Problem::inside(e.to_string()))?;
        Ok::<_, Problem>((mesh, format!("{name}.obj"), text))
    });
    let (mesh, name, text) = made.await??;
    let blob = blake3::hash(&text).to_hex().to_string();
    app.store.keep_mesh(&blob, &name, &text).await?;
    app.meshes.forget(&blob);
    Ok(Json(MeshHead::of(blob, &mesh)))
}
