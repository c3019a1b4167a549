//! Takes: the scene as it was when somebody said that it be kept, with its frames; and the way back to it.
use crate::api::{Api, Says};
use crate::extract::{Body, Path};
use crate::lanes::{Lane, lanes};
use crate::problem::{Problem, apart};
use crate::route::projects::{edited, load};
use crate::route::runs::Run;
use crate::route::shape::packed;
use crate::state::App;
use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use nematon_document::{BodyId, Scene, inverse};
use nematon_evaluate::Stage;
use nematon_store::{TakeChange, TakeNote as NoteRow, TakeRow};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::sync::Arc;

pub fn routes() -> Api {
    Api::default()
        .get("/projects/{id}/takes", Says::gives::<Vec<Take>>("Its takes, the newest first"), list)
        .post(
            "/projects/{id}/takes",
            Says::gives::<Take>("Keep the scene as a take").takes::<NewTake>().status("201"),
            keep,
        )
        .patch(
            "/projects/{id}/takes/{take}",
            Says::gives::<Take>("Say something else of a take").takes::<Change>(),
            change,
        )
        .delete("/projects/{id}/takes/{take}", Says::gives::<bool>("Let a take go"), remove)
        .post(
            "/projects/{id}/takes/{take}/notes",
            Says::gives::<Take>("Say something of a frame of a take").takes::<NewNote>().status("201"),
            add_note,
        )
        .patch(
            "/projects/{id}/takes/{take}/notes/{note}",
            Says::gives::<Take>("Say it in other words").takes::<Words>(),
            change_note,
        )
        .delete(
            "/projects/{id}/takes/{take}/notes/{note}",
            Says::gives::<Take>("Say it no more"),
            remove_note,
        )
        .get(
            "/projects/{id}/takes/{take}/lanes",
            Says::gives::<Vec<Lane>>("Which frames of a take there are"),
            read_lanes,
        )
        .get(
            "/projects/{id}/takes/{take}/bodies/{body}/shape",
            Says::gives_bytes("The rest shape of a body of a take: length, ShapeHead, arrays"),
            read_shape,
        )
        .post(
            "/projects/{id}/takes/{take}/run",
            Says::gives::<Run>("Compute the frames of a take that there are none of").status("202"),
            run,
        )
        .post(
            "/projects/{id}/takes/{take}/restore",
            Says::gives::<super::projects::Project>(
                "Bring back a take's scene, or a part of it; undo takes that back",
            )
            .takes::<Restore>(),
            restore,
        )
}

/// A take.
#[derive(Serialize, JsonSchema)]
pub struct Take {
    pub id: i64,
    pub name: String,
    pub starred: bool,
    pub note: String,
    /// When it was kept, seconds since 1970.
    pub made: i64,
    /// Whether the scene is as it was then.
    pub current: bool,
    /// What is said of its frames, by frame.
    pub notes: Vec<TakeNote>,
}

/// What is said of a frame of a take.
#[derive(Serialize, JsonSchema)]
pub struct TakeNote {
    pub id: i64,
    pub frame: i64,
    /// The body that it is said of; none is of all that is seen.
    pub body: Option<String>,
    /// The point of that, by its number on the rest shape.
    pub point: Option<i64>,
    pub words: String,
}

impl From<NoteRow> for TakeNote {
    fn from(n: NoteRow) -> TakeNote {
        let NoteRow { id, frame, body, point, words } = n;
        TakeNote { id, frame, body, point, words }
    }
}

#[derive(Deserialize, JsonSchema)]
struct NewNote {
    frame: i64,
    #[serde(default)]
    #[schemars(length(max = 200))]
    body: Option<String>,
    #[serde(default)]
    #[schemars(range(min = 0))]
    point: Option<i64>,
    #[schemars(length(min = 1, max = 400))]
    words: String,
}

#[derive(Deserialize, JsonSchema)]
struct Words {
    #[schemars(length(min = 1, max = 400))]
    words: String,
}

impl From<TakeRow> for Take {
    fn from(t: TakeRow) -> Take {
        let TakeRow { id, name, starred, note, made, current, notes } = t;
        Take { id, name, starred, note, made, current, notes: notes.into_iter().map(Into::into).collect() }
    }
}

#[derive(Deserialize, JsonSchema)]
struct NewTake {
    /// Left out, the next number.
    #[serde(default)]
    #[schemars(length(max = 80))]
    name: Option<String>,
    #[serde(default)]
    #[schemars(length(max = 4000))]
    note: String,
}

#[derive(Deserialize, JsonSchema)]
struct Change {
    #[serde(default)]
    #[schemars(length(min = 1, max = 80))]
    name: Option<String>,
    #[serde(default)]
    starred: Option<bool>,
    #[serde(default)]
    #[schemars(length(max = 4000))]
    note: Option<String>,
}

/// What of a take's scene comes back.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Part {
    /// All of it.
    Whole,
    /// What bodies are made of, of those that both scenes have.
    Material,
    /// Fields, and what of them acts.
    Air,
    /// Colliders, the floor, and who touches whom.
    Contact,
    /// Handles, grips and what they are held to.
    Hold,
}

#[derive(Deserialize, JsonSchema)]
struct Restore {
    revision: i64,
    part: Part,
}

const MOST: usize = 200;

async fn list(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<Take>>, Problem> {
    load(&app, id).await?;
    Ok(Json(app.store.takes(id).await?.into_iter().map(Take::from).collect()))
}

fn fits(name: Option<&str>, note: &str) -> Result<(), Problem> {
    let title = "It can't be said so";
    if name.is_some_and(|n| n.trim().is_empty() || n.chars().count() > 80) {
        return Err(Problem::unfit(title, "The name of a take has between 1 and 80 letters."));
    }
    if note.chars().count() > 4000 {
        return Err(Problem::unfit(title, "The note of a take has 4000 letters at most."));
    }
    Ok(())
}

async fn keep(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(new): Body<NewTake>,
) -> Result<Response, Problem> {
    fits(new.name.as_deref(), &new.note)?;
    let (row, _) = load(&app, id).await?;
    let there = app.store.takes(id).await?;
    if there.len() >= MOST {
        let why = format!("A project has {MOST} takes at most. Remove some of them first.");
        return Err(Problem::unfit("It can't be kept", why));
    }
    let named = |n: usize| format!("Take {n}");
    let free = || (1..).map(named).find(|n| there.iter().all(|t| t.name != *n)).unwrap_or_default();
    let name = new.name.map_or_else(free, |n| n.trim().to_owned());
    let made = app.store.keep_take(id, &name, &new.note, &row.scene).await?;
    Ok((StatusCode::CREATED, Json(Take::from(made))).into_response())
}

async fn change(
    State(app): State<App>,
    Path((id, take)): Path<(i64, i64)>,
    Body(to): Body<Change>,
) -> Result<Json<Take>, Problem> {
    fits(to.name.as_deref(), to.note.as_deref().unwrap_or_default())?;
    let to = TakeChange { name: to.name, starred: to.starred, note: to.note };
    let now = app.store.change_take(id, take, &to).await?.ok_or_else(|| Problem::missing("take"))?;
    Ok(Json(now.into()))
}

async fn remove(State(app): State<App>, Path((id, take)): Path<(i64, i64)>) -> Result<Json<bool>, Problem> {
    match app.store.remove_take(id, take).await? {
        true => Ok(Json(true)),
        false => Err(Problem::missing("take")),
    }
}

/// Notes of a take at most.
const MOST_NOTES: usize = 500;

/// Words of a note as they are kept.
fn fit_words(words: &str) -> Result<&str, Problem> {
    let words = words.trim();
    match words.is_empty() || words.chars().count() > 400 {
        true => Err(Problem::unfit("It can't be said so", "A note has between 1 and 400 letters.")),
        false => Ok(words),
    }
}

async fn add_note(
    State(app): State<App>,
    Path((id, take)): Path<(i64, i64)>,
    Body(new): Body<NewNote>,
) -> Result<Response, Problem> {
    let title = "It can't be said there";
    let words = fit_words(&new.words)?;
    let value = app.store.take_scene(id, take).await?.ok_or_else(|| Problem::missing("take"))?;
    if let Some(body) = &new.body
        && value["bodies"].get(body).is_none()
    {
        return Err(Problem::unfit(
            title,
            "The take has no such body. Leave it out, or choose one that it has.",
        ));
    }
    if new.point.is_some_and(|p| p < 0 || new.body.is_none()) {
        return Err(Problem::unfit(title, "A point is one of a body: choose it on that."));
    }
    let there = app.store.takes(id).await?.into_iter().find(|t| t.id == take).map_or(0, |t| t.notes.len());
    if there >= MOST_NOTES {
        let why = format!("A take has {MOST_NOTES} notes at most. Remove some of them first.");
        return Err(Problem::unfit(title, why));
    }
    let at = (new.frame, new.body.as_deref(), new.point);
    let now = app.store.note_take(id, take, at, words).await?.ok_or_else(|| Problem::missing("take"))?;
    Ok((StatusCode::CREATED, Json(Take::from(now))).into_response())
}

async fn change_note(
    State(app): State<App>,
    Path((id, take, note)): Path<(i64, i64, i64)>,
    Body(to): Body<Words>,
) -> Result<Json<Take>, Problem> {
    let words = fit_words(&to.words)?;
    let now = app.store.change_take_note(id, take, note, words).await?;
    Ok(Json(now.ok_or_else(|| Problem::missing("note"))?.into()))
}

async fn remove_note(
    State(app): State<App>,
    Path((id, take, note)): Path<(i64, i64, i64)>,
) -> Result<Json<Take>, Problem> {
    let now = app.store.remove_take_note(id, take, note).await?;
    Ok(Json(now.ok_or_else(|| Problem::missing("note"))?.into()))
}

/// The scene of a take, with its meshes at hand.
pub(super) async fn scene(app: &App, id: i64, take: i64) -> Result<Arc<Scene>, Problem> {
    let value = app.store.take_scene(id, take).await?.ok_or_else(|| Problem::missing("take"))?;
    let scene: Scene = serde_json::from_value(value).map_err(|e| Problem::inside(e.to_string()))?;
    app.meshes.fetch(&scene).await?;
    Ok(Arc::new(scene))
}

async fn read_lanes(
    State(app): State<App>,
    Path((id, take)): Path<(i64, i64)>,
) -> Result<Json<Vec<Lane>>, Problem> {
    let scene = scene(&app, id, take).await?;
    Ok(Json(lanes(&app.store, &app.meshes, &app.prints, id, &scene).await?))
}

async fn run(
    State(app): State<App>,
    Path((id, take)): Path<(i64, i64)>,
) -> Result<(StatusCode, Json<Run>), Problem> {
    let queued = app.store.queue_take(id, take).await?.ok_or_else(|| Problem::missing("take"))?;
    Ok((StatusCode::ACCEPTED, Json(queued.into())))
}

async fn read_shape(
    State(app): State<App>,
    Path((id, take, body)): Path<(i64, i64, String)>,
) -> Result<Response, Problem> {
    let (scene, meshes) = (scene(&app, id, take).await?, app.meshes.clone());
    let stage = apart(move || Stage::new(&scene, &meshes)).await?;
    packed(&app, stage, BodyId(body)).await
}

async fn restore(
    State(app): State<App>,
    Path((id, take)): Path<(i64, i64)>,
    Body(Restore { revision, part }): Body<Restore>,
) -> Result<Response, Problem> {
    let name = app.store.takes(id).await?.into_iter().find(|t| t.id == take).map(|t| t.name);
    let (Some(name), Some(kept)) = (name, app.store.take_scene(id, take).await?) else {
        return Err(Problem::missing("take"));
    };
    let what = match part {
        Part::Whole => "as it was",
        Part::Material => "material",
        Part::Air => "air",
        Part::Contact => "contact",
        Part::Hold => "holds",
    };
    let patch = move |now: &Value| inverse(&parted(now, &kept, part), now);
    edited(&app, id, revision, &format!("{name}: {what}"), patch).await
}

/// A scene with a part of another.
fn parted(now: &Value, kept: &Value, part: Part) -> Value {
    if part == Part::Whole {
        let mut all = kept.clone();
        // What it is called is the project's.
        all["name"] = now["name"].clone();
        return all;
    }
    let mut out = now.clone();
    let mut take = |keys: &[&str]| {
        for key in keys {
            match (kept.get(key), out.as_object_mut()) {
                (Some(v), Some(o)) => drop(o.insert((*key).to_owned(), v.clone())),
                (None, Some(o)) => drop(o.shift_remove(*key)),
                _ => {}
            }
        }
    };
    let mut of_bodies: &[&str] = &[];
    match part {
        Part::Air => take(&["fields", "calm", "alone"]),
        Part::Contact => {
            take(&["colliders", "floor", "apart"]);
            of_bodies = &["touch"];
        }
        Part::Hold => {
            take(&["handles"]);
            of_bodies = &["grips", "follow"];
        }
        Part::Material | Part::Whole => {}
    }
    let Some(bodies) = out["bodies"].as_object_mut() else { return out };
    for (id, body) in bodies {
        let Some(own) = kept["bodies"].get(id) else { continue };
        for key in of_bodies {
            match (own.get(key), body.as_object_mut()) {
                (Some(v), Some(o)) => drop(o.insert((*key).to_owned(), v.clone())),
                (None, Some(o)) => drop(o.shift_remove(*key)),
                _ => {}
            }
        }
        if part == Part::Material {
            if let Some(matter) = own.pointer("/kind/cloth/matter")
                && body.pointer("/kind/cloth/matter").is_some()
            {
                body["kind"]["cloth"]["matter"] = matter.clone();
            }
            for kind in ["strands", "plants", "drift"] {
                for number in MATERIAL {
                    if let (Some(v), true) = (own["kind"][kind].get(number), body["kind"][kind].is_object()) {
                        body["kind"][kind][*number] = v.clone();
                    }
                }
            }
        }
    }
    out
}

/// What strands, plants and loose pieces are made of.
const MATERIAL: &[&str] =
    &["density", "modulus", "twist", "damping", "drag", "along", "friction", "diameter", "taper", "weight"];
