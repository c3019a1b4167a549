//! Projects: their scenes, edits, undo and redo.
use crate::problem::Problem;
use crate::state::App;
use axum::extract::rejection::JsonRejection;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use axum::routing::{get, post};
use axum::{Json, Router};
use nematon_document::{MeshSource, Scene, Shape, apply, inverse, validate};
use nematon_store::{EditOutcome, NewEdit, ProjectRow};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub fn routes() -> Router<App> {
    Router::new()
        .route("/projects", get(list).post(create))
        .route("/projects/{id}", get(read).patch(edit))
        .route("/projects/{id}/undo", post(undo))
        .route("/projects/{id}/redo", post(redo))
}

#[derive(Serialize, JsonSchema)]
pub struct Summary {
    pub id: i64,
    pub name: String,
    pub revision: i64,
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

/// The body of a request, or a problem that says what is wrong with it.
pub fn body<T>(json: Result<Json<T>, JsonRejection>) -> Result<T, Problem> {
    json.map(|Json(t)| t)
        .map_err(|e| Problem::new(e.status(), "unreadable", "The request can't be read", e.body_text()))
}

/// The project with its scene as types.
pub async fn load(app: &App, id: i64) -> Result<(ProjectRow, Scene), Problem> {
    let row = app.store.project(id).await?.ok_or_else(|| Problem::missing("project"))?;
    let scene = serde_json::from_value(row.scene.clone()).map_err(|e| Problem::inside(e.to_string()))?;
    Ok((row, scene))
}

async fn list(State(app): State<App>) -> Result<Json<Vec<Summary>>, Problem> {
    let all = app.store.projects().await?;
    Ok(Json(all.into_iter().map(|p| Summary { id: p.id, name: p.name, revision: p.revision }).collect()))
}

async fn create(
    State(app): State<App>,
    json: Result<Json<NewProject>, JsonRejection>,
) -> Result<Response, Problem> {
    let scene = validate(&body(json)?.scene).map_err(|f| Problem::faults("That is no scene", f))?;
    kept_here(&scene)?;
    let value = serde_json::to_value(&scene).map_err(|e| Problem::inside(e.to_string()))?;
    let id = app.store.create_project(&scene.name, &value).await?;
    let (row, _) = load(&app, id).await?;
    Ok((StatusCode::CREATED, Json(Project::from(row))).into_response())
}

async fn read(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Project>, Problem> {
    Ok(Json(load(&app, id).await?.0.into()))
}

async fn edit(
    State(app): State<App>,
    Path(id): Path<i64>,
    json: Result<Json<Edit>, JsonRejection>,
) -> Result<Response, Problem> {
    let Edit { revision, label, patch } = body(json)?;
    let (row, _) = load(&app, id).await?;
    if row.revision != revision {
        return Ok(stale(row));
    }
    let (_, scene) = apply(&row.scene, &patch)?;
    kept_here(&scene)?;
    // As the types write it, with every default filled in: paths of later edits are always there.
    let next = serde_json::to_value(&scene).map_err(|e| Problem::inside(e.to_string()))?;
    if next == row.scene {
        return Ok(Json(Project::from(row)).into_response());
    }
    let text = |p: &json_patch::Patch| serde_json::to_string(p).map_err(|e| Problem::inside(e.to_string()));
    let (forward, backward) = (text(&inverse(&next, &row.scene))?, text(&inverse(&row.scene, &next))?);
    let new = NewEdit { label: &label, forward: &forward, backward: &backward };
    answer(app.store.edit(id, revision, &next, &new).await?)
}

async fn undo(
    app: State<App>,
    id: Path<i64>,
    json: Result<Json<At>, JsonRejection>,
) -> Result<Response, Problem> {
    turn(app, id, json, true).await
}

async fn redo(
    app: State<App>,
    id: Path<i64>,
    json: Result<Json<At>, JsonRejection>,
) -> Result<Response, Problem> {
    turn(app, id, json, false).await
}

async fn turn(
    State(app): State<App>,
    Path(id): Path<i64>,
    json: Result<Json<At>, JsonRejection>,
    back: bool,
) -> Result<Response, Problem> {
    let At { revision } = body(json)?;
    let carry_out = |now: &serde_json::Value, patch: &str| {
        let patch = serde_json::from_str(patch).ok()?;
        apply(now, &patch).ok().map(|(next, _)| next)
    };
    answer(app.store.turn(id, revision, back, carry_out).await?)
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

fn kept_here(scene: &Scene) -> Result<(), Problem> {
    let files = scene.bodies.iter().filter_map(|(id, b)| match &b.shape {
        Shape::Mesh(m) if matches!(m.from, MeshSource::File(_)) => Some(nematon_document::Fault {
            path: format!("/bodies/{id}/shape/mesh/from"),
            message: "names a file; bring the mesh in first, and name what is kept".into(),
        }),
        _ => None,
    });
    let files: Vec<_> = files.collect();
    if files.is_empty() { Ok(()) } else { Err(Problem::faults("A mesh is not kept here", files)) }
}
