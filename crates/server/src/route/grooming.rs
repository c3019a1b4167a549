//! Strands: the hairs between them, the curves that they come from, and combing them.
use crate::api::{Api, Says};
use crate::extract::{Path, Query};
use crate::problem::{Problem, apart};
use crate::route::maps::{kept, next};
use crate::route::meshes::receive;
use crate::route::projects::stage;
use crate::state::App;
use axum::Json;
use axum::body::Bytes;
use axum::extract::ws::{Message, WebSocket, WebSocketUpgrade};
use axum::extract::{Request, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use nematon_document::MeshSource;
use nematon_evaluate::{Ground, ShapeError, groom, hairs, shape};
use nematon_formats::{read_guides, write_combed};
use nematon_paint::{Comb, CombDab};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Strokes that are kept one by one; with one more all become one.
const STROKES: usize = 60;

pub fn routes() -> Api {
    Api::default()
        .get(
            "/projects/{id}/bodies/{body}/hairs",
            Says::gives_bytes(
                "The hairs between strands: length, HairsHead, then for each the strands that it is between (3 u32, the nearest \
                 first), their shares (3 f32), where its root is beside theirs (3 f32, metres) and four numbers of its own (4 f32)",
            ),
            read,
        )
        .get(
            "/projects/{id}/bodies/{body}/comb",
            Says::gives::<CombTold>(
                "A stroke of a comb, as it is made: a WebSocket. The window says what the comb does, then dabs, then that it is done; \
                 each message of dabs is answered with how many strands changed (u32), which (u32 each) and where their points are \
                 then (3 f32 each)",
            )
            .status("101"),
            comb,
        )
        .post(
            "/guides",
            Says::gives::<GuidesHead>("Bring in curves as strands").asks::<Named>().takes_bytes(),
            bring_in,
        )
}

#[derive(Deserialize, JsonSchema)]
struct Named {
    /// Of the file.
    name: String,
}

/// Curves that are kept.
#[derive(Serialize, JsonSchema)]
pub struct GuidesHead {
    /// BLAKE3 of the file: what a scene names it by.
    pub blob: String,
    pub curves: usize,
}

/// What stands before the hairs.
#[derive(Serialize, JsonSchema)]
pub struct HairsHead {
    pub hairs: usize,
}

async fn read(State(app): State<App>, Path((id, body)): Path<(i64, String)>) -> Result<Response, Problem> {
    let (scene, meshes) = (stage(&app, id).await?, app.meshes.clone());
    let bytes = apart(move || {
        let body = scene.bodies.get(body.as_str()).ok_or_else(|| Problem::missing("body"))?;
        let unfit = |e: ShapeError| Problem::unfit("The hairs can't be had", e.to_string());
        let shaped = shape(&scene, body, &meshes).map_err(unfit)?;
        let found = hairs(&scene, body, &shaped, &meshes).map_err(unfit)?;
        let found = found.ok_or_else(|| Problem::missing("hair between its strands"))?.hairs;
        let text = serde_json::to_vec(&HairsHead { hairs: found.len() });
        let mut text = text.map_err(|e| Problem::inside(e.to_string()))?;
        text.resize(text.len().div_ceil(4) * 4, b' ');
        let mut out = (text.len() as u32).to_le_bytes().to_vec();
        out.extend(text);
        out.extend(found.iter().flat_map(|h| h.strands).flat_map(u32::to_le_bytes));
        out.extend(found.iter().flat_map(|h| h.shares).flat_map(f32::to_le_bytes));
        out.extend(found.iter().flat_map(|h| h.off).flat_map(f32::to_le_bytes));
        out.extend(found.iter().flat_map(|h| h.dice).flat_map(f32::to_le_bytes));
        Ok::<_, Problem>(out)
    });
    let headers = [(header::CONTENT_TYPE, "application/octet-stream"), (header::CACHE_CONTROL, "no-store")];
    Ok((headers, bytes.await??).into_response())
}

/// What a window says while it combs.
#[derive(Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum CombSaid {
    /// First: the comb, and the map that says how much of each strand is left as it is, if one does.
    Begin {
        comb: Comb,
        spares: Option<String>,
    },
    Dabs(Vec<CombDab>),
    /// Keeps the stroke.
    Done,
}

/// What the window is told in words; where strands are comes as bytes.
#[derive(Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum CombTold {
    /// The strokes of the body with this one: an edit sets them.
    Kept(Vec<MeshSource>),
    Fault(String),
}

async fn comb(
    State(app): State<App>,
    Path((id, body)): Path<(i64, String)>,
    upgrade: WebSocketUpgrade,
) -> Response {
    upgrade.max_message_size(4 << 20).on_upgrade(move |mut socket| async move {
        let told = match stroke(&app, &mut socket, id, body).await {
            Ok(Some(strokes)) => CombTold::Kept(strokes),
            Ok(None) => return,
            Err(e) => CombTold::Fault(format!("{}: {}", e.title, e.detail)),
        };
        let text = serde_json::to_string(&told).unwrap_or_default();
        // A window that has gone hears nothing.
        socket.send(Message::Text(text.into())).await.ok();
    })
}

fn read_said(m: &Message) -> Result<CombSaid, Problem> {
    let text = m.to_text().map_err(|e| Problem::unfit("That is no stroke", e.to_string()))?;
    serde_json::from_str(text).map_err(|e| Problem::unfit("That is no stroke", e.to_string()))
}

/// A stroke from its beginning to its end; `None` where the window goes before that: then nothing of it is kept.
async fn stroke(
    app: &App,
    socket: &mut WebSocket,
    id: i64,
    body: String,
) -> Result<Option<Vec<MeshSource>>, Problem> {
    let unfit = |why: &str| Problem::unfit("That is no stroke", why);
    let Some(first) = next(socket).await else { return Ok(None) };
    let CombSaid::Begin { comb, spares } = read_said(&first)? else { return Err(unfit("It has no comb.")) };
    let (scene, meshes) = (stage(app, id).await?, app.meshes.clone());
    let own = scene.bodies.get(body.as_str()).ok_or_else(|| Problem::missing("body"))?;
    let strands = own.kind.strands().ok_or_else(|| unfit("Only strands are combed."))?;
    let mut strokes = strands.combed.clone();
    // All that a stroke needs is made ready before its first dab.
    let ready = apart(move || {
        let refuse = |e: ShapeError| Problem::unfit("The strands can't be combed", e.to_string());
        let own = scene.bodies.get(body.as_str()).ok_or_else(|| Problem::missing("body"))?;
        let spared = match spares.and_then(|m| own.maps.get(m.as_str())) {
            Some(map) => {
                let shaped = shape(&scene, own, &meshes).map_err(refuse)?;
                let ground =
                    Ground { stage: &scene, place: &own.place, mesh: &shaped.mesh, library: &meshes };
                ground.dyed(map).map_err(refuse)?.at(&scene, scene.frames.first as f64)
            }
            None => vec![],
        };
        groom((&scene, &meshes), own, comb, &spared).map_err(refuse)
    });
    let mut groom = ready.await??;
    loop {
        let Some(m) = next(socket).await else { return Ok(None) };
        match read_said(&m)? {
            CombSaid::Begin { .. } => return Err(unfit("It begins twice.")),
            CombSaid::Done => break,
            CombSaid::Dabs(dabs) => {
                // Where a strand is after the last of them is all that is seen.
                let mut last = std::collections::BTreeMap::new();
                for dab in &dabs {
                    let (changed, points) = groom.dab(dab);
                    let n = if changed.is_empty() { 1 } else { points.len() / changed.len() };
                    let each = changed.into_iter().zip(points.chunks(n.max(1)).map(<[_]>::to_vec));
                    last.extend(each);
                }
                let mut out = (last.len() as u32).to_le_bytes().to_vec();
                out.extend(last.keys().flat_map(|k| k.to_le_bytes()));
                out.extend(last.values().flatten().flatten().flat_map(|c| c.to_le_bytes()));
                if socket.send(Message::Binary(Bytes::from(out))).await.is_err() {
                    return Ok(None);
                }
            }
        }
    }
    let all = strokes.len() + 1 > STROKES;
    if let Some(combed) = groom.combed(all) {
        if all {
            strokes.clear();
        }
        strokes.push(kept(app, "combed.npz", write_combed(&combed)).await?);
    }
    Ok(Some(strokes))
}

async fn bring_in(
    State(app): State<App>,
    Query(Named { name }): Query<Named>,
    request: Request,
) -> Result<Json<GuidesHead>, Problem> {
    let bytes = receive(&name, request).await?;
    let (own, named) = (bytes.clone(), name.clone());
    let read = apart(move || read_guides(&named, &own).map_err(|e| e.to_string())).await?;
    let found = read.map_err(|e| Problem::unfit(&format!("\"{name}\" can't be brought in"), e))?;
    let hash = blake3::hash(&bytes).to_hex().to_string();
    app.store.keep_mesh(&hash, &name, &bytes).await?;
    app.meshes.forget(&hash);
    Ok(Json(GuidesHead { blob: hash, curves: found.len() }))
}
