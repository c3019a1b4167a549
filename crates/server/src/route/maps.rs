//! Maps on the points of a body: what they come to, and painting them.
use crate::api::{Api, Says};
use crate::delivery::disposition;
use crate::extract::{Body as Taken, Path, Query};
use crate::problem::{Problem, apart};
use crate::route::meshes::receive;
use crate::route::projects::stage;
use crate::state::App;
use axum::Json;
use axum::body::Bytes;
use axum::extract::ws::{Message, WebSocket, WebSocketUpgrade};
use axum::extract::{Request, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use nematon_document::{Body, MeshSource, Painted, Weights};
use nematon_evaluate::{Ground, MeshLibrary, Stage, begins, fits, shape};
use nematon_formats::{Laid, MapKind, Pictured, file_name, read_picture, write_stroke, write_surface};
use nematon_geometry::Mesh;
use nematon_paint::{Brush, Canvas, Stroke, Touch, Whole, whole};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// Strokes of a layer that are kept as differences; with one more all become one.
const STROKES: usize = 120;
/// Bars of the little histogram.
const BARS: usize = 16;

pub fn routes() -> Api {
    Api::default()
        .get(
            "/projects/{id}/bodies/{body}/maps/{map}",
            Says::gives_bytes("What a map comes to: length, MapHead, and a 32-bit float a point").asks::<At>(),
            read,
        )
        .get(
            "/projects/{id}/bodies/{body}/maps/{map}/files/{format}",
            Says::gives_bytes("What a map comes to as a file: npy or csv, a weight a point; png or exr, laid by its texture coordinates").asks::<AsFile>(),
            file,
        )
        .post(
            "/projects/{id}/bodies/{body}/maps/{map}/layers/{layer}/whole",
            Says::gives::<Painted>("A painted layer after something is done to all of it; nothing is edited").takes::<Whole>(),
            all_of_it,
        )
        .get(
            "/projects/{id}/bodies/{body}/maps/{map}/layers/{layer}/brush",
            Says::gives::<Told>("A stroke, as it is made: a WebSocket. The window says what a brush does, then the places on screen (points x 3 f32; none is the rest shape), then dabs, then that it is done; each dab is answered with points (u32) and what the map comes to there (f32)").status("101"),
            brush,
        )
        .post("/pictures", Says::gives::<PictureHead>("Bring in a picture").asks::<Named>().takes_bytes(), bring_in)
        .get("/pictures/{hash}", Says::gives_bytes("A picture as it was brought in"), picture)
}

async fn picture(State(app): State<App>, Path(hash): Path<String>) -> Result<Response, Problem> {
    let found = app.store.mesh(&hash).await?.filter(|f| is_picture(&f.bytes));
    let bytes = found.ok_or_else(|| Problem::missing("picture"))?.bytes;
    let kind = if Pictured::of(&bytes).ending == "jpg" { "image/jpeg" } else { "image/png" };
    // What has a hash for its name never changes.
    let headers =
        [(header::CONTENT_TYPE, kind), (header::CACHE_CONTROL, "private, max-age=31536000, immutable")];
    Ok((headers, bytes).into_response())
}

/// Whether a file begins as a picture does: nothing else that is kept goes out as one.
fn is_picture(bytes: &[u8]) -> bool {
    bytes.starts_with(b"\x89PNG") || bytes.starts_with(b"\xff\xd8")
}

/// A frame; the scene's first if left out.
#[derive(Deserialize, JsonSchema)]
struct At {
    frame: Option<f64>,
}

#[derive(Deserialize, JsonSchema)]
struct Named {
    /// Of the file.
    name: String,
}

/// What a picture is kept under.
#[derive(Serialize, JsonSchema)]
pub struct PictureHead {
    pub blob: String,
    pub width: u32,
    pub height: u32,
}

/// What stands before the weights.
#[derive(Serialize, JsonSchema)]
pub struct MapHead {
    pub points: usize,
    pub least: f32,
    pub most: f32,
    pub mean: f32,
    /// How many points lie in each of as many equal steps from 0 to 1.
    pub bars: Vec<usize>,
    /// Whether it is another at other frames.
    pub moves: bool,
}

/// How a map is written.
#[derive(Deserialize, JsonSchema)]
struct AsFile {
    /// The scene's first if left out.
    frame: Option<f64>,
    /// Pixels of each side of a picture; 1,024 if left out.
    side: Option<u32>,
    /// By how many pixels each piece is carried on beyond its edges; 8 if left out.
    gutter: Option<u32>,
}

async fn file(
    State(app): State<App>,
    Path((id, body, map, format)): Path<(i64, String, String, String)>,
    Query(AsFile { frame, side, gutter }): Query<AsFile>,
) -> Result<Response, Problem> {
    let kind = MapKind::ALL.into_iter().find(|k| k.name() == format);
    let kind = kind.ok_or_else(|| Problem::missing("file format; npy, csv, png and exr are"))?;
    let usual = Laid::default();
    let laid = Laid { side: side.unwrap_or(usual.side), gutter: gutter.unwrap_or(usual.gutter) };
    let (scene, meshes) = (stage(&app, id).await?, app.meshes.clone());
    let (bytes, name) = apart(move || {
        with(&scene, &meshes, &body, &map, |ground, dyed| {
            let weights = dyed.at(ground.stage, frame.unwrap_or(ground.stage.frames.first as f64));
            let unfit = |why: String| Problem::unfit("The map can't be saved so", why);
            let own = ground.stage.bodies.get(body.as_str()).map(|b| (&b.name, b.maps.get(map.as_str())));
            let name = own.map(|(b, m)| format!("{b} {}", m.map_or(map.as_str(), |m| &m.name)));
            Ok((
                kind.write(ground.mesh, &weights, laid).map_err(unfit)?,
                file_name(&name.unwrap_or_default()),
            ))
        })
    })
    .await??;
    let headers = [
        (header::CONTENT_TYPE, kind.media_type().to_owned()),
        (header::CONTENT_DISPOSITION, disposition(&format!("{name}.{}", kind.name()))),
        (header::CACHE_CONTROL, "no-store".to_owned()),
    ];
    Ok((headers, bytes).into_response())
}

async fn read(
    State(app): State<App>,
    Path((id, body, map)): Path<(i64, String, String)>,
    Query(At { frame }): Query<At>,
) -> Result<Response, Problem> {
    let (scene, meshes) = (stage(&app, id).await?, app.meshes.clone());
    let bytes = apart(move || {
        with(&scene, &meshes, &body, &map, |ground, dyed| {
            let frame = frame.unwrap_or(ground.stage.frames.first as f64);
            let weights = dyed.at(ground.stage, frame);
            let n = weights.len().max(1) as f64;
            let mut bars = vec![0; BARS];
            weights.iter().for_each(|w| bars[((w * BARS as f32) as usize).min(BARS - 1)] += 1);
            let head = MapHead {
                points: weights.len(),
                least: weights.iter().copied().reduce(f32::min).unwrap_or(0.0),
                most: weights.iter().copied().reduce(f32::max).unwrap_or(0.0),
                mean: (weights.iter().map(|w| f64::from(*w)).sum::<f64>() / n) as f32,
                bars,
                moves: dyed.moves(ground.stage),
            };
            let mut text = serde_json::to_vec(&head).map_err(|e| Problem::inside(e.to_string()))?;
            text.resize(text.len().div_ceil(4) * 4, b' ');
            let mut out = (text.len() as u32).to_le_bytes().to_vec();
            out.extend(text);
            out.extend(weights.iter().flat_map(|w| w.to_le_bytes()));
            Ok(out)
        })
    });
    let headers = [(header::CONTENT_TYPE, "application/octet-stream"), (header::CACHE_CONTROL, "no-store")];
    Ok((headers, bytes.await??).into_response())
}

/// Does something with a map of a body, made ready.
fn with<T>(
    scene: &Stage,
    library: &dyn MeshLibrary,
    body: &str,
    map: &str,
    then: impl FnOnce(Ground, nematon_evaluate::Dyed) -> Result<T, Problem>,
) -> Result<T, Problem> {
    let own = scene.bodies.get(body).ok_or_else(|| Problem::missing("body"))?;
    let said = own.maps.get(map).ok_or_else(|| Problem::missing("map"))?;
    let unfit = |e: nematon_evaluate::ShapeError| Problem::unfit("The map can't be shown", e.to_string());
    let mesh = mesh_of(scene, own, library)?;
    let ground = Ground { stage: scene, place: begins(scene, own), mesh: &mesh, library };
    let dyed = ground.dyed(said).map_err(unfit)?;
    then(ground, dyed)
}

/// The rest shape of a body, whatever its maps are.
fn mesh_of(scene: &Stage, body: &nematon_document::Body, library: &dyn MeshLibrary) -> Result<Mesh, Problem> {
    let bare = nematon_document::Body::of(&body.name, body.kind.clone());
    let found = shape(scene, &bare, library);
    let unfit = |e: nematon_evaluate::ShapeError| Problem::unfit("The body has no shape", e.to_string());
    found.map(|s| s.mesh).map_err(unfit)
}

/// A painted layer as one sets out to change it.
struct Painting {
    mesh: Mesh,
    said: Painted,
    /// Whether the surface that it was painted on has the same points.
    same: bool,
    before: Vec<f32>,
}

impl Painting {
    fn open(ground: &Ground, body: &Body, map: &str, layer: usize) -> Result<Painting, Problem> {
        let own = body.maps.get(map).ok_or_else(|| Problem::missing("map"))?;
        let found = own.layers.get(layer).ok_or_else(|| Problem::missing("layer"))?;
        let Weights::Painted(said) = &found.weights else {
            let why = "Its weights follow from something else. Add a painted layer over it.";
            return Err(Problem::unfit("This layer isn't painted", why));
        };
        let unfit =
            |e: nematon_evaluate::ShapeError| Problem::unfit("The layer can't be painted", e.to_string());
        let before = ground.weights(own, &found.weights).map_err(unfit)?;
        let surface = said.on.as_ref().and_then(|on| ground.library.painting(on, &said.strokes).ok());
        let same = surface.is_some_and(|p| fits(&p.surface, ground.mesh));
        Ok(Painting { mesh: ground.mesh.clone(), said: said.clone(), same, before })
    }

    /// Keeps what was changed, and gives the layer as it is then.
    async fn keep(&self, app: &App, changes: &[(u32, f32)], after: &[f32]) -> Result<Painted, Problem> {
        if changes.is_empty() {
            return Ok(self.said.clone());
        }
        let goes_on = self.same && self.said.strokes.len() < STROKES;
        let mut next = if goes_on { self.said.clone() } else { Painted::default() };
        if !goes_on {
            next.on = Some(kept(app, "surface.npz", write_surface(&self.mesh)).await?);
        }
        let stroke = if goes_on {
            write_stroke(changes)
        } else {
            let soaked = after.iter().enumerate().filter(|(_, w)| **w > 0.0);
            write_stroke(&soaked.map(|(k, w)| (k as u32, *w)).collect::<Vec<_>>())
        };
        next.strokes.push(kept(app, "stroke.npz", stroke).await?);
        Ok(next)
    }
}

pub(super) async fn kept(app: &App, name: &str, bytes: Vec<u8>) -> Result<MeshSource, Problem> {
    let hash = blake3::hash(&bytes).to_hex().to_string();
    app.store.keep_mesh(&hash, name, &bytes).await?;
    app.meshes.forget(&hash);
    Ok(MeshSource::Blob(hash))
}

async fn all_of_it(
    State(app): State<App>,
    Path((id, body, map, layer)): Path<(i64, String, String, usize)>,
    Taken(what): Taken<Whole>,
) -> Result<Json<Painted>, Problem> {
    let (scene, meshes) = (stage(&app, id).await?, app.meshes.clone());
    let found = apart(move || {
        let own = scene.bodies.get(body.as_str()).ok_or_else(|| Problem::missing("body"))?;
        let mesh = mesh_of(&scene, own, &meshes)?;
        let ground = Ground { stage: &scene, place: begins(&scene, own), mesh: &mesh, library: &meshes };
        let painting = Painting::open(&ground, own, &map, layer)?;
        let after = whole(&Canvas::new(mesh.clone(), vec![]), &painting.before, what);
        let pairs = painting.before.iter().zip(&after).enumerate().filter(|(_, (a, b))| a != b);
        let changes: Vec<(u32, f32)> = pairs.map(|(k, (_, w))| (k as u32, *w)).collect();
        Ok::<_, Problem>((painting, changes, after))
    });
    let (painting, changes, after) = found.await??;
    Ok(Json(painting.keep(&app, &changes, &after).await?))
}

/// What a window says while it paints, after what the brush does.
#[derive(Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Said {
    /// First: the brush, and the frame at which the map is shown.
    Begin {
        brush: Brush,
        frame: f64,
    },
    Dabs(Vec<Dab>),
    /// Keeps the stroke.
    Done,
}

/// A place that is dabbed.
#[derive(Deserialize, JsonSchema)]
pub struct Dab {
    pub at: Touch,
    /// From where it is looked at, metres.
    pub eye: [f32; 3],
    /// 0 to 1.
    pub pressure: f32,
}

/// What the window is told in words; what dabs change comes as bytes.
#[derive(Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Told {
    /// The layer with the stroke kept: an edit sets it.
    Kept(Painted),
    Fault(String),
}

async fn brush(
    State(app): State<App>,
    Path((id, body, map, layer)): Path<(i64, String, String, usize)>,
    upgrade: WebSocketUpgrade,
) -> Response {
    upgrade.max_message_size(64 << 20).on_upgrade(move |mut socket| async move {
        let told = match paint(&app, &mut socket, id, body, map, layer).await {
            Ok(Some(painted)) => Told::Kept(painted),
            Ok(None) => return,
            Err(e) => Told::Fault(format!("{}: {}", e.title, e.detail)),
        };
        let text = serde_json::to_string(&told).unwrap_or_default();
        // A window that has gone hears nothing.
        socket.send(Message::Text(text.into())).await.ok();
    })
}

/// The next that the window says; `None` once it has gone.
pub(super) async fn next(socket: &mut WebSocket) -> Option<Message> {
    loop {
        match socket.recv().await? {
            Ok(m @ (Message::Text(_) | Message::Binary(_))) => return Some(m),
            Ok(Message::Ping(_) | Message::Pong(_)) => {}
            Ok(Message::Close(_)) | Err(_) => return None,
        }
    }
}

fn read_said(m: &Message) -> Result<Said, Problem> {
    let text = m.to_text().map_err(|e| Problem::unfit("That is no stroke", e.to_string()))?;
    serde_json::from_str(text).map_err(|e| Problem::unfit("That is no stroke", e.to_string()))
}

/// A stroke from its beginning to its end; `None` where the window goes before that: then nothing of it is kept.
async fn paint(
    app: &App,
    socket: &mut WebSocket,
    id: i64,
    body: String,
    map: String,
    layer: usize,
) -> Result<Option<Painted>, Problem> {
    let unfit = |why: &str| Problem::unfit("That is no stroke", why);
    let Some(first) = next(socket).await else { return Ok(None) };
    let Said::Begin { brush, frame } = read_said(&first)? else { return Err(unfit("It has no brush.")) };
    let Some(Message::Binary(shown)) = next(socket).await else { return Ok(None) };
    let shown = places(&shown).ok_or_else(|| unfit("The places on screen are not of three numbers each."))?;
    let (scene, meshes) = (stage(app, id).await?, app.meshes.clone());
    // All that a stroke needs is made ready before its first dab.
    let ready = apart(move || {
        let own = scene.bodies.get(body.as_str()).ok_or_else(|| Problem::missing("body"))?;
        let mesh = mesh_of(&scene, own, &meshes)?;
        let ground = Ground { stage: &scene, place: begins(&scene, own), mesh: &mesh, library: &meshes };
        let painting = Painting::open(&ground, own, &map, layer)?;
        let said = own.maps.get(map.as_str()).ok_or_else(|| Problem::missing("map"))?;
        let dyed = ground.dyed(said).map_err(|e| Problem::unfit("The map can't be shown", e.to_string()))?;
        let canvas = Canvas::new(mesh.clone(), shown);
        Ok::<_, Problem>((Arc::new(dyed), scene.clone(), canvas, painting))
    });
    let (dyed, scene, canvas, painting) = ready.await??;
    let mut rows = dyed.rows(&scene, frame);
    let mut stroke = Stroke::begin(brush, painting.before.clone());
    loop {
        let Some(m) = next(socket).await else { return Ok(None) };
        match read_said(&m)? {
            Said::Begin { .. } => return Err(unfit("It begins twice.")),
            Said::Done => break,
            Said::Dabs(dabs) => {
                let mut changed = vec![];
                for Dab { at, eye, pressure } in dabs {
                    changed.extend(stroke.dab(&canvas, at, Some(eye), pressure));
                }
                if let Some(own) = rows.layer(layer) {
                    changed.iter().for_each(|(p, w)| own[*p as usize] = *w);
                }
                let mut out: Vec<u8> = changed.iter().flat_map(|(p, _)| p.to_le_bytes()).collect();
                out.extend(changed.iter().flat_map(|(p, _)| rows.point(*p as usize).to_le_bytes()));
                if socket.send(Message::Binary(Bytes::from(out))).await.is_err() {
                    return Ok(None);
                }
            }
        }
    }
    painting.keep(app, &stroke.changes(), stroke.weights()).await.map(Some)
}

fn places(bytes: &[u8]) -> Option<Vec<[f32; 3]>> {
    let number = |b: &[u8]| f32::from_le_bytes([b[0], b[1], b[2], b[3]]);
    let place = |p: &[u8]| [number(&p[0..4]), number(&p[4..8]), number(&p[8..12])];
    bytes.len().is_multiple_of(12).then(|| bytes.chunks_exact(12).map(place).collect())
}

async fn bring_in(
    State(app): State<App>,
    Query(Named { name }): Query<Named>,
    request: Request,
) -> Result<Json<PictureHead>, Problem> {
    let bytes = receive(&name, request).await?;
    let own = bytes.clone();
    let read = apart(move || read_picture(&own).map_err(|e| e.to_string())).await?;
    let found = read.map_err(|e| Problem::unfit(&format!("\"{name}\" can't be brought in"), e))?;
    let hash = blake3::hash(&bytes).to_hex().to_string();
    app.store.keep_mesh(&hash, &name, &bytes).await?;
    app.meshes.forget(&hash);
    Ok(Json(PictureHead { blob: hash, width: found.size[0], height: found.size[1] }))
}
