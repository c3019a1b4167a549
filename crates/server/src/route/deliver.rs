//! Motion as files, from true frames only.
use crate::api::{Api, Says};
use crate::delivery::{disposition, read as read_frames, send, true_frames};
use crate::extract::{Path, Query};
use crate::problem::{Problem, apart};
use crate::route::projects::load;
use crate::state::App;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use nematon_document::BodyId;
use nematon_evaluate::shape;
use nematon_formats::{Kind, Motion, file_names};
use schemars::JsonSchema;
use serde::Deserialize;

pub fn routes() -> Api {
    let says =
        Says::gives_bytes("Its motion as a file: npy, usda, obj (a zip of one a frame) or still (one OBJ)");
    Api::default().get("/projects/{id}/bodies/{body}/files/{format}", says.asks::<Which>(), read)
}

#[derive(Deserialize, JsonSchema)]
struct Which {
    /// The first frame; the scene's if left out.
    first: Option<i64>,
    /// The last frame; the scene's if left out. Of a still only the first counts.
    last: Option<i64>,
}

async fn read(
    State(app): State<App>,
    Path((id, body, format)): Path<(i64, String, String)>,
    Query(which): Query<Which>,
) -> Result<Response, Problem> {
    let (_, scene) = load(&app, id).await?;
    let body = BodyId(body);
    if !scene.bodies.contains_key(&body) {
        return Err(Problem::missing("body"));
    }
    let kind = Kind::ALL.into_iter().find(|k| k.name() == format);
    let kind = kind.ok_or_else(|| Problem::missing("file format; npy, usda, obj and still are"))?;
    let first = which.first.unwrap_or(scene.frames.first);
    let last = if kind == Kind::Still { first } else { which.last.unwrap_or(scene.frames.last) };
    let places = true_frames(&app, &scene, &body, first..=last).await?;
    let names = file_names(scene.bodies.values().map(|b| b.name.as_str()));
    let at = scene.bodies.get_index_of(&body).unwrap_or_default();
    let file = format!("{}.{}", names[at], kind.ending(first));
    let (count, rate) = (places.len(), scene.frames.rate);
    let (own, meshes, key) = (scene.clone(), app.meshes.clone(), body.clone());
    let shaped = apart(move || own.bodies.get(&key).map(|b| shape(b, &meshes))).await?;
    let mesh = match shaped {
        Some(Ok(s)) => s.mesh,
        Some(Err(e)) => return Err(Problem::unfit("The body has no shape", e.to_string())),
        None => return Err(Problem::missing("body")),
    };
    let mut frames = read_frames(app.store.clone(), places);
    let name = scene.bodies[at].name.clone();
    let sent = send(move |sink| {
        let motion = Motion { name: &name, mesh: &mesh, first, count, rate };
        kind.write(sink, &motion, &mut std::iter::from_fn(|| frames.blocking_recv()))
    });
    let headers = [
        (header::CONTENT_TYPE, kind.media_type().to_owned()),
        (header::CONTENT_DISPOSITION, disposition(&file)),
    ];
    Ok((headers, sent).into_response())
}
