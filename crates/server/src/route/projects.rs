//! Projects: their scenes, edits, undo and redo.
use crate::api::{Api, Says};
use crate::archive;
use crate::delivery::{disposition, send};
use crate::extract::{Body, Path, Query};
use crate::problem::{Problem, apart};
use crate::route::takes;
use crate::space::carry_out;
use crate::state::App;
use axum::Json;
use axum::extract::{DefaultBodyLimit, Request, State};
use axum::handler::Handler;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use futures::StreamExt;
use nematon_document::{Scene, apply, inverse, migrate, same, validate};
use nematon_evaluate::Stage;
use nematon_formats::file_name;
use nematon_store::{EditOutcome, NewEdit, ProjectRow, ProjectSummary};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::sync::Arc;

pub fn routes() -> Api {
    Api::default()
        .get("/projects", Says::gives::<Vec<Summary>>("The projects").asks::<Which>(), list)
        .post("/projects", Says::gives::<Project>("Keep a scene").takes::<NewProject>().status("201"), create)
        .get("/projects/{id}", Says::gives::<Project>("A project"), read)
        .patch("/projects/{id}", Says::gives::<Project>("Edit its scene").takes::<Edit>(), edit)
        .delete(
            "/projects/{id}",
            Says::gives::<Summary>("Remove it; for thirty days it can be brought back"),
            remove,
        )
        .post("/projects/{id}/restore", Says::gives::<Project>("Bring it back"), restore)
        .post("/projects/{id}/copy", Says::gives::<Project>("Copy it").status("201"), copy)
        .put(
            "/projects/{id}/name",
            Says::gives::<Project>("Give it another name; no undo of its scene takes that back")
                .takes::<Named>(),
            rename,
        )
        .get("/projects/{id}/export", Says::gives_bytes("It and its meshes as one file, a zip"), export)
        .post(
            "/projects/import",
            Says::gives::<Project>("Bring in such a file").takes_bytes().status("201"),
            import.layer(DefaultBodyLimit::disable()),
        )
        .put(
            "/projects/{id}/picture",
            Says::gives::<bool>("Keep a small picture of it: a PNG, JPEG or WebP").asks::<At>().takes_bytes(),
            keep_picture,
        )
        .get("/projects/{id}/picture", Says::gives_bytes("Its picture"), picture)
        .post("/projects/{id}/undo", Says::gives::<Project>("Undo").takes::<At>(), undo)
        .post("/projects/{id}/redo", Says::gives::<Project>("Redo").takes::<At>(), redo)
}

#[derive(Deserialize, JsonSchema)]
struct Which {
    /// Those that were removed and can still be brought back, instead of those that are there.
    #[serde(default)]
    removed: bool,
}

#[derive(Serialize, JsonSchema)]
pub struct Summary {
    pub id: i64,
    pub name: String,
    pub revision: i64,
    /// When it was removed, seconds since 1970.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub removed: Option<i64>,
    /// The revision that its picture shows, where it has one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub pictured: Option<i64>,
    /// When its scene was last changed, seconds since 1970.
    pub changed: i64,
}

impl From<ProjectSummary> for Summary {
    fn from(p: ProjectSummary) -> Self {
        let ProjectSummary { id, name, revision, removed, pictured, changed } = p;
        Summary { id, name, revision, removed, pictured, changed }
    }
}

/// A project with its scene, and what undo and redo would do.
#[derive(Serialize, JsonSchema)]
pub struct Project {
    pub id: i64,
    pub name: String,
    pub revision: i64,
    #[schemars(with = "Scene")]
    pub scene: serde_json::Value,
    pub undo: Option<String>,
    pub redo: Option<String>,
}

/// A scene to keep as a new project.
#[derive(Deserialize, JsonSchema)]
pub struct NewProject {
    #[schemars(with = "Scene")]
    pub scene: serde_json::Value,
}

/// What a project is to be called.
#[derive(Deserialize, JsonSchema)]
pub struct Named {
    pub name: String,
}

/// An edit of a scene at a revision.
#[derive(Deserialize, JsonSchema)]
pub struct Edit {
    pub revision: i64,
    /// What undo will call it.
    pub label: String,
    /// RFC 6902.
    #[schemars(with = "Vec<serde_json::Value>")]
    pub patch: json_patch::Patch,
}

#[derive(Deserialize, JsonSchema)]
pub struct At {
    pub revision: i64,
}

impl From<ProjectRow> for Project {
    fn from(p: ProjectRow) -> Self {
        Project { id: p.id, name: p.name, revision: p.revision, scene: p.scene, undo: p.undo, redo: p.redo }
    }
}

/// The project with its scene as types.
pub async fn load(app: &App, id: i64) -> Result<(ProjectRow, Arc<Scene>), Problem> {
    let row = app.store.project(id).await?.ok_or_else(|| Problem::missing("project"))?;
    let scene = serde_json::from_value(row.scene.clone()).map_err(|e| Problem::inside(e.to_string()))?;
    Ok((row, Arc::new(scene)))
}

/// A project's scene with its meshes and figures at hand.
pub async fn stage(app: &App, id: i64) -> Result<Stage, Problem> {
    let (_, scene) = load(app, id).await?;
    app.meshes.fetch(&scene).await?;
    let meshes = app.meshes.clone();
    apart(move || Stage::new(&scene, &meshes)).await
}

async fn list(
    State(app): State<App>,
    Query(Which { removed }): Query<Which>,
) -> Result<Json<Vec<Summary>>, Problem> {
    let all = if removed { app.store.removed_projects().await? } else { app.store.projects().await? };
    Ok(Json(all.into_iter().map(Summary::from).collect()))
}

/// Keeps a scene whose meshes are here as a project.
async fn keep(app: &App, scene: &Scene) -> Result<Response, Problem> {
    let value = serde_json::to_value(scene).map_err(|e| Problem::inside(e.to_string()))?;
    let id = app.store.create_project(&scene.name, &value).await?;
    let (row, _) = load(app, id).await?;
    Ok((StatusCode::CREATED, Json(Project::from(row))).into_response())
}

async fn create(State(app): State<App>, Body(new): Body<NewProject>) -> Result<Response, Problem> {
    let scene = apart(move || validate(&migrate(new.scene)))
        .await?
        .map_err(|f| Problem::faults("That is no scene", f))?;
    kept_here(&scene)?;
    keep(&app, &scene).await
}

async fn read(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Project>, Problem> {
    Ok(Json(load(&app, id).await?.0.into()))
}

async fn edit(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(edit): Body<Edit>,
) -> Result<Response, Problem> {
    let Edit { revision, label, patch } = edit;
    edited(&app, id, revision, &label, move |_| patch).await
}

/// Makes an edit of a project's scene; `patch` is told the scene as it is.
pub async fn edited(
    app: &App,
    id: i64,
    revision: i64,
    label: &str,
    patch: impl FnOnce(&Value) -> json_patch::Patch + Send + 'static,
) -> Result<Response, Problem> {
    let row = app.store.project(id).await?.ok_or_else(|| Problem::missing("project"))?;
    if row.revision != revision {
        return Ok(stale(row));
    }
    // A large scene takes its time to check.
    let (row, done) = apart(move || {
        let done = carry(&row.scene, &patch(&row.scene));
        (row, done)
    })
    .await?;
    let Some(Carried { next, forward, backward }) = done? else {
        return Ok(Json(Project::from(row)).into_response());
    };
    let new = NewEdit { label, forward: &forward, backward: &backward };
    answer(app.store.edit(id, revision, &next, &new).await?)
}

/// A scene after an edit, with the patches there and back.
struct Carried {
    next: Value,
    forward: String,
    backward: String,
}

/// Carries an edit out; `None` where it changes nothing.
fn carry(now: &Value, patch: &json_patch::Patch) -> Result<Option<Carried>, Problem> {
    let (_, scene) = apply(now, patch)?;
    kept_here(&scene)?;
    let inside = |e: serde_json::Error| Problem::inside(e.to_string());
    // As the types write it, with every default filled in: paths of later edits are always there.
    let next = serde_json::to_value(&scene).map_err(inside)?;
    if same(&next, now) {
        return Ok(None);
    }
    let forward = serde_json::to_string(&inverse(&next, now)).map_err(inside)?;
    let backward = serde_json::to_string(&inverse(now, &next)).map_err(inside)?;
    Ok(Some(Carried { next, forward, backward }))
}

async fn remove(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Summary>, Problem> {
    app.store.set_removed(id, true).await?;
    let all = app.store.removed_projects().await?;
    let gone = all.into_iter().find(|p| p.id == id).ok_or_else(|| Problem::missing("project"))?;
    Ok(Json(gone.into()))
}

async fn rename(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(Named { name }): Body<Named>,
) -> Result<Json<Project>, Problem> {
    let (mut row, _) = load(&app, id).await?;
    row.scene["name"] = name.clone().into();
    apart(move || validate(&row.scene)).await?.map_err(|f| Problem::faults("It can't be called that", f))?;
    let now = app.store.rename(id, &name).await?.ok_or_else(|| Problem::missing("project"))?;
    Ok(Json(now.into()))
}

async fn restore(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Project>, Problem> {
    app.store.set_removed(id, false).await?;
    Ok(Json(load(&app, id).await?.0.into()))
}

async fn copy(State(app): State<App>, Path(id): Path<i64>) -> Result<Response, Problem> {
    let (_, scene) = load(&app, id).await?;
    let mut own = (*scene).clone();
    let taken: Vec<String> = app.store.projects().await?.into_iter().map(|p| p.name).collect();
    let base: String = own.name.chars().take(100).collect();
    let named = |n: u32| if n == 1 { format!("{base} copy") } else { format!("{base} copy {n}") };
    own.name = (1..).map(named).find(|n| !taken.contains(n)).unwrap_or(base.clone());
    keep(&app, &own).await
}

async fn export(State(app): State<App>, Path(id): Path<i64>) -> Result<Response, Problem> {
    let (_, scene) = load(&app, id).await?;
    // The oldest take first, so that they come in again in their order.
    let mut kept = app.store.takes(id).await?;
    kept.reverse();
    let mut scenes = vec![(*scene).clone()];
    for take in &kept {
        scenes.push((*takes::scene(&app, id, take.id).await?).clone());
    }
    let (scenes, files) = archive::gather(&app, &scenes).await?;
    let mut told = vec![];
    for (take, scene) in kept.into_iter().zip(&scenes[1..]) {
        let scene = serde_json::to_value(scene).map_err(|e| Problem::inside(e.to_string()))?;
        let noted = |n: nematon_store::TakeNote| archive::Noted {
            frame: n.frame,
            body: n.body,
            point: n.point,
            words: n.words,
        };
        let notes = take.notes.into_iter().map(noted).collect();
        told.push(archive::Taken { name: take.name, starred: take.starred, note: take.note, notes, scene });
    }
    let scene = scenes.into_iter().next().unwrap_or_default();
    let name = format!("{}.zip", file_name(&scene.name));
    let (store, mut files) = (app.store.clone(), files.into_iter());
    let here = tokio::runtime::Handle::current();
    let sent = send(0, move |sink| {
        archive::write(sink, &scene, &told, || {
            let (hash, name) = files.next()?;
            let found = here.block_on(store.mesh(&hash)).map_err(std::io::Error::other);
            let gone = || std::io::Error::other("a mesh is gone");
            Some(found.and_then(|m| Ok(archive::Kept { name, bytes: m.ok_or_else(gone)?.bytes })))
        })
    });
    let headers = [
        (header::CONTENT_TYPE, "application/zip".to_owned()),
        (header::CONTENT_DISPOSITION, disposition(&name)),
    ];
    Ok((headers, sent).into_response())
}

async fn import(State(app): State<App>, request: Request) -> Result<Response, Problem> {
    let failed = |e: std::io::Error| Problem::inside(e.to_string());
    let cut = |_| {
        let detail = "The file did not come through whole: nothing was kept. Try again.";
        Problem::new(StatusCode::BAD_REQUEST, "upload", "The project can't be brought in", detail)
    };
    let mut file = tempfile::tempfile().map_err(failed)?;
    let mut size = 0;
    let mut parts = request.into_body().into_data_stream();
    while let Some(part) = parts.next().await {
        let part = part.map_err(cut)?;
        size += part.len();
        if size > archive::MAX_ARCHIVE {
            let detail = format!("It is larger than {} MB.", archive::MAX_ARCHIVE >> 20);
            let status = StatusCode::PAYLOAD_TOO_LARGE;
            return Err(Problem::new(status, "upload", "The project can't be brought in", detail));
        }
        file = apart(move || std::io::Write::write_all(&mut file, &part).map(|()| file))
            .await?
            .map_err(failed)?;
    }
    let files = apart(move || archive::read(std::io::BufReader::new(file))).await??;
    let id = archive::keep(&app, files).await?;
    Ok((StatusCode::CREATED, Json(Project::from(load(&app, id).await?.0))).into_response())
}

/// The largest picture that is kept, bytes.
const MAX_PICTURE: usize = 256 << 10;

/// The kind of a picture by its first bytes.
fn picture_kind(bytes: &[u8]) -> Option<&'static str> {
    match bytes {
        [0x89, b'P', b'N', b'G', ..] => Some("image/png"),
        [0xff, 0xd8, 0xff, ..] => Some("image/jpeg"),
        [b'R', b'I', b'F', b'F', _, _, _, _, b'W', b'E', b'B', b'P', ..] => Some("image/webp"),
        _ => None,
    }
}

async fn keep_picture(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(At { revision }): Query<At>,
    bytes: axum::body::Bytes,
) -> Result<Json<bool>, Problem> {
    if bytes.len() > MAX_PICTURE || picture_kind(&bytes).is_none() {
        let detail = format!("A picture is a PNG, JPEG or WebP of at most {} kB.", MAX_PICTURE >> 10);
        return Err(Problem::unfit("That picture can't be kept", detail));
    }
    match app.store.keep_picture(id, revision, &bytes).await? {
        true => Ok(Json(true)),
        false => Err(Problem::missing("project")),
    }
}

async fn picture(State(app): State<App>, Path(id): Path<i64>) -> Result<Response, Problem> {
    let bytes = app.store.picture(id).await?.ok_or_else(|| Problem::missing("picture"))?;
    let kind = picture_kind(&bytes).unwrap_or("application/octet-stream");
    Ok(([(header::CONTENT_TYPE, kind), (header::CACHE_CONTROL, "no-cache")], bytes).into_response())
}

async fn undo(app: State<App>, id: Path<i64>, at: Body<At>) -> Result<Response, Problem> {
    turn(app, id, at, true).await
}

async fn redo(app: State<App>, id: Path<i64>, at: Body<At>) -> Result<Response, Problem> {
    turn(app, id, at, false).await
}

async fn turn(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(at): Body<At>,
    back: bool,
) -> Result<Response, Problem> {
    answer(app.store.turn(id, at.revision, back, carry_out).await?)
}

fn answer(outcome: EditOutcome) -> Result<Response, Problem> {
    match outcome {
        EditOutcome::Done(p) => Ok(Json(Project::from(p)).into_response()),
        EditOutcome::Stale(p) => Ok(stale(p)),
        EditOutcome::Nothing => Err(Problem::new(
            StatusCode::CONFLICT,
            "nothing",
            "Nothing to do",
            "There is nothing to undo or redo.",
        )),
        EditOutcome::NoSuchProject => Err(Problem::missing("project")),
    }
}

/// 409 with the project as it is now, for the window to start again from.
fn stale(now: ProjectRow) -> Response {
    (StatusCode::CONFLICT, Json(Project::from(now))).into_response()
}

/// A scene that is kept here names its meshes and maps by what is kept, and no files beside it.
fn kept_here(scene: &Scene) -> Result<(), Problem> {
    let document = serde_json::to_value(scene).unwrap_or_default();
    let fault = |(path, file): (String, &str)| {
        let message = format!("names the file \"{file}\"; bring it in first, and name what is kept");
        nematon_document::Fault::of(&document, path, message)
    };
    let faults: Vec<_> = scene.files().into_iter().map(fault).collect();
    if faults.is_empty() { Ok(()) } else { Err(Problem::faults("A file is not kept here", faults)) }
}
