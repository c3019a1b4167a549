//! Motion as files, from true frames only.
use crate::lanes::true_frames;
use crate::problem::Problem;
use crate::route::projects::load;
use crate::state::App;
use axum::Router;
use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use axum::routing::get;
use nematon_document::BodyId;
use nematon_evaluate::shape;
use nematon_formats::{write_npy, write_obj, write_obj_zip, write_usda};
use serde::Deserialize;

pub fn routes() -> Router<App> {
    Router::new().route("/projects/{id}/bodies/{body}/files/{format}", get(read))
}

#[derive(Deserialize)]
struct Which {
    /// The first and last frame; all of the scene's if left out. For a still only the first counts.
    first: Option<i64>,
    last: Option<i64>,
}

/// `npy`, `usda`, `obj` (a zip of one a frame) or `still` (one OBJ).
async fn read(
    State(app): State<App>,
    Path((id, body, format)): Path<(i64, String, String)>,
    Query(which): Query<Which>,
) -> Result<Response, Problem> {
    let (_, scene) = load(&app, id).await?;
    let body = BodyId(body);
    let b = scene.bodies.get(&body).ok_or_else(|| Problem::missing("body"))?;
    let first = which.first.unwrap_or(scene.frames.first);
    let last = if format == "still" { first } else { which.last.unwrap_or(scene.frames.last) };
    let frames = true_frames(&app, &scene, &body, first..=last).await?;
    let mesh =
        shape(b, &app.meshes).map_err(|e| Problem::unfit("The body has no shape", e.to_string()))?.mesh;
    let (name, rate) = (b.name.clone(), scene.frames.rate);
    let (ending, kind) = match format.as_str() {
        "npy" => ("npy".to_owned(), "application/octet-stream"),
        "usda" => ("usda".to_owned(), "text/plain; charset=utf-8"),
        "obj" => ("obj.zip".to_owned(), "application/zip"),
        "still" => (format!("{first:04}.obj"), "text/plain; charset=utf-8"),
        _ => return Err(Problem::missing("file format; npy, usda, obj and still are")),
    };
    let file = format!("{name}.{ending}");
    let bytes = tokio::task::spawn_blocking(move || -> std::io::Result<Vec<u8>> {
        let mut out = vec![];
        match format.as_str() {
            "npy" => write_npy(&mut out, mesh.positions.len(), &frames)?,
            "usda" => write_usda(&mut out, &name, &mesh, first, rate, &frames)?,
            "obj" => {
                let numbered = frames
                    .into_iter()
                    .enumerate()
                    .map(|(k, p)| Ok::<_, std::io::Error>((first + k as i64, p)));
                out = write_obj_zip(std::io::Cursor::new(out), &name, &mesh, numbered)?.into_inner();
            }
            _ => out = write_obj(&name, &mesh, &frames[0]).into_bytes(),
        }
        Ok(out)
    })
    .await
    .map_err(|e| Problem::inside(e.to_string()))?
    .map_err(|e| Problem::inside(e.to_string()))?;
    // Names go in both forms: plain ASCII, and RFC 8187 for the rest.
    let plain: String =
        file.chars().map(|c| if c.is_ascii_graphic() && c != '"' || c == ' ' { c } else { '_' }).collect();
    let coded: String = file
        .bytes()
        .map(|b| {
            if b.is_ascii_alphanumeric() || b"-._".contains(&b) {
                char::from(b).to_string()
            } else {
                format!("%{b:02X}")
            }
        })
        .collect();
    let disposition = format!("attachment; filename=\"{plain}\"; filename*=UTF-8''{coded}");
    Ok(([(header::CONTENT_TYPE, kind.to_owned()), (header::CONTENT_DISPOSITION, disposition)], bytes)
        .into_response())
}
