//! Runs: asking for frames, following and cancelling.
use crate::api::{Api, Says};
use crate::extract::Path;
use crate::problem::Problem;
use crate::state::App;
use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use nematon_evaluate::Cost;
use nematon_store::RunRow;
use schemars::JsonSchema;
use serde::Serialize;

pub fn routes() -> Api {
    Api::default()
        .get("/projects/{id}/runs", Says::gives::<Vec<Run>>("Its latest runs"), list)
        .post("/projects/{id}/runs", Says::gives::<Run>("Compute what is not true").status("202"), start)
        .post("/runs/{run}/cancel", Says::gives::<Run>("Stop a run; what it has computed stays"), cancel)
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
        }
    }
}

async fn list(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<Run>>, Problem> {
    Ok(Json(app.store.runs(id, 10).await?.into_iter().map(Run::from).collect()))
}

async fn start(State(app): State<App>, Path(id): Path<i64>) -> Result<(StatusCode, Json<Run>), Problem> {
    let run = app.store.queue_run(id).await?.ok_or_else(|| Problem::missing("project"))?;
    Ok((StatusCode::ACCEPTED, Json(run.into())))
}

async fn cancel(State(app): State<App>, Path(run): Path<i64>) -> Result<Json<Run>, Problem> {
    Ok(Json(app.store.cancel_run(run).await?.ok_or_else(|| Problem::missing("run"))?.into()))
}
