//! Runs: asking for frames, following and cancelling.
use crate::api::{Api, Says};
use crate::extract::{Body, Path};
use crate::job::TURN;
use crate::problem::Problem;
use crate::route::projects::load;
use crate::state::App;
use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use nematon_evaluate::Cost;
use nematon_store::{Going, RunRow, RunState, RunWish};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub fn routes() -> Api {
    Api::default()
        .get("/projects/{id}/runs", Says::gives::<Vec<Run>>("Its latest runs"), list)
        .post(
            "/projects/{id}/runs",
            Says::gives::<Run>("Compute what is not true").takes::<Wish>().status("202"),
            start,
        )
        .post("/runs/{run}/cancel", Says::gives::<Run>("Stop a run; what it has computed stays"), cancel)
        .post("/runs/{run}/first", Says::gives::<Run>("Put a run before all others"), put_first)
}

/// What to compute; all frames of all bodies where nothing is said.
#[derive(Default, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Wish {
    /// Frames up to this one.
    pub until: Option<i64>,
    /// Keys of the bodies; those that they touch are computed with them.
    pub bodies: Vec<String>,
    /// Ends what runs of earlier revisions are at.
    pub again: bool,
}

/// What a run waits for.
#[derive(Serialize, JsonSchema)]
pub struct Waits {
    /// Names of the projects before it.
    pub behind: Vec<String>,
    /// About how long, seconds: each project has its turn.
    pub seconds: f64,
}

/// A run, on its way or ended.
#[derive(Serialize, JsonSchema)]
pub struct Run {
    pub id: i64,
    pub revision: i64,
    /// `queued`, `running`, `done`, `cancelled` or `failed`.
    pub state: String,
    /// Frames that are true for its scene.
    pub done: i32,
    pub total: i32,
    /// Frames that it computed itself; the rest were there.
    pub computed: i32,
    /// Frames a second, while it computes.
    pub rate: f64,
    /// Seconds left, while it computes.
    pub left: Option<f64>,
    /// Why it failed.
    pub message: String,
    /// What contact cost, the dearest first.
    pub costs: Vec<Cost>,
    /// Frames up to this one; all where there is none.
    pub until: Option<i64>,
    /// Keys of its bodies; all where there is none.
    pub bodies: Vec<String>,
    /// Put first by hand.
    pub urgent: bool,
    /// The take whose scene it computes, where it is not the project's own.
    pub take: Option<i64>,
    /// While it waits behind others.
    pub waits: Option<Waits>,
}

impl From<RunRow> for Run {
    fn from(r: RunRow) -> Self {
        let rate = if r.seconds > 0.0 { f64::from(r.computed) / r.seconds } else { 0.0 };
        let left = (rate > 0.0).then(|| f64::from((r.total - r.done).max(0)) / rate);
        let state = r.state.name().to_owned();
        Run {
            id: r.id,
            revision: r.revision,
            state,
            done: r.done,
            total: r.total,
            computed: r.computed,
            rate,
            left,
            message: r.message,
            costs: serde_json::from_str(&r.costs).unwrap_or_default(),
            until: r.wish.until,
            bodies: r.wish.bodies,
            urgent: r.urgent,
            take: r.take,
            waits: None,
        }
    }
}

/// What a run waits for, by the queue as it stands.
fn waits(run: i64, queue: &[Going]) -> Option<Waits> {
    let at = queue.iter().position(|g| g.run == run)?;
    let mut behind: Vec<String> = vec![];
    let mut seconds = 0.0;
    for g in &queue[..at] {
        let turn = TURN.as_secs_f64();
        let own = g.project == queue[at].project;
        let left = g.pace.map_or(turn, |pace| pace * f64::from(g.left));
        // A run of the same project is done before this one; others have a turn.
        seconds += if own { left } else { left.min(turn) };
        if !behind.contains(&g.name) {
            behind.push(g.name.clone());
        }
    }
    (!behind.is_empty()).then_some(Waits { behind, seconds })
}

async fn list(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<Run>>, Problem> {
    let rows = app.store.runs(id, 10).await?;
    let queued = rows.iter().any(|r| r.state == RunState::Queued);
    let queue = if queued { app.store.going().await? } else { vec![] };
    let run = |r: RunRow| match r.state {
        RunState::Queued => Run { waits: waits(r.id, &queue), ..Run::from(r) },
        _ => Run::from(r),
    };
    Ok(Json(rows.into_iter().map(run).collect()))
}

async fn start(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(wish): Body<Wish>,
) -> Result<(StatusCode, Json<Run>), Problem> {
    let Wish { until, bodies, again } = wish;
    let (_, scene) = load(&app, id).await?;
    if let Some(b) = bodies.iter().find(|b| !scene.bodies.contains_key(b.as_str())) {
        return Err(Problem::unfit("That can't be run", format!("There is no body \"{b}\".")));
    }
    if let Some(u) = until.filter(|u| *u < scene.frames.first || *u > scene.frames.last) {
        let detail =
            format!("The scene has frames {} to {}, and no {u}.", scene.frames.first, scene.frames.last);
        return Err(Problem::unfit("That can't be run", detail));
    }
    let wish = RunWish { until, bodies };
    let run = app.store.queue_run(id, &wish, again).await?.ok_or_else(|| Problem::missing("project"))?;
    Ok((StatusCode::ACCEPTED, Json(run.into())))
}

async fn cancel(State(app): State<App>, Path(run): Path<i64>) -> Result<Json<Run>, Problem> {
    Ok(Json(app.store.cancel_run(run).await?.ok_or_else(|| Problem::missing("run"))?.into()))
}

async fn put_first(State(app): State<App>, Path(run): Path<i64>) -> Result<Json<Run>, Problem> {
    Ok(Json(app.store.put_first(run).await?.ok_or_else(|| Problem::missing("run"))?.into()))
}
