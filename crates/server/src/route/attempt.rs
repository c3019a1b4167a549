//! Trying an edit: its first frames as fast as they come, with nothing kept.
use crate::api::{Api, Says};
use crate::delivery::send;
use crate::extract::{Body, Path};
use crate::problem::{Problem, apart};
use crate::state::App;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use nematon_document::{BodyId, apply};
use nematon_evaluate::{Run, RunError, Stopwatch};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::io::Write;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};

/// Most frames of one attempt.
const MOST: usize = 480;

pub fn routes() -> Api {
    let says = Says::gives_bytes(
        "Tries an edit: length, AttemptHead, then frames: their number as i32 and the points of each body (x, y, z f32). \
         The next attempt in the project ends this one",
    );
    Api::default().post("/projects/{id}/attempt", says.takes::<Attempt>(), attempt)
}

/// An edit to try.
#[derive(Deserialize, JsonSchema)]
pub struct Attempt {
    /// RFC 6902; nothing is kept of it.
    #[schemars(with = "Vec<serde_json::Value>")]
    pub patch: json_patch::Patch,
    /// The body to see, with those that it touches.
    pub body: String,
    /// How many frames, the first included.
    pub frames: usize,
}

/// The bodies whose points follow.
#[derive(Serialize, JsonSchema)]
pub struct AttemptHead {
    pub bodies: Vec<AttemptBody>,
}

#[derive(Serialize, JsonSchema)]
pub struct AttemptBody {
    pub body: String,
    pub points: usize,
}

async fn attempt(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(Attempt { patch, body, frames }): Body<Attempt>,
) -> Result<Response, Problem> {
    let row = app.store.project(id).await?.ok_or_else(|| Problem::missing("project"))?;
    let (_, scene) = apart(move || apply(&row.scene, &patch)).await??;
    app.meshes.fetch(&scene).await?;
    let key = BodyId(body);
    let island = scene.islands().into_iter().find(|i| i.contains(&key));
    let island = island.ok_or_else(|| Problem::missing("body"))?;
    let stop = app.attempts.next(id);
    // One is built at a time: a number that is dragged over a heavy body would fill the machine with what nobody waits for.
    let turn = app.attempts.building.clone().lock_owned().await;
    if stop.load(Relaxed) {
        let detail = "A later attempt took its place.";
        return Err(Problem::new(axum::http::StatusCode::CONFLICT, "ended", "Not tried", detail));
    }
    let (meshes, pool) = (app.meshes.clone(), app.attempts.pool().map_err(Problem::inside)?);
    let (own, built) = (scene.clone(), pool.clone());
    let run = apart(move || {
        let run = built.install(|| Run::start(&own, &island, &meshes));
        drop(turn);
        run
    });
    let mut run = run.await?.map_err(|e| Problem::unfit("That can't move", e.to_string()))?;
    let last = frames.clamp(1, MOST).min(scene.frames.count()) - 1;
    let first = scene.frames.first;
    let sent = send(0, move |sink| {
        pool.install(|| {
            let head = AttemptHead {
                bodies: (0..run.members.len())
                    .map(|k| AttemptBody {
                        body: run.members[k].id.0.clone(),
                        points: run.bodies[k].given_points(),
                    })
                    .collect(),
            };
            let mut text = serde_json::to_vec(&head)?;
            text.resize(text.len().div_ceil(4) * 4, b' ');
            sink.write_all(&(text.len() as u32).to_le_bytes())?;
            sink.write_all(&text)?;
            let watch = Stopwatch::of(run.contact.pairings().len()).until(stop.clone());
            if run.settle(&watch, &|_| {}).is_err() {
                return Ok(());
            }
            loop {
                let number = (first + run.at() as i64) as i32;
                let mut bytes = number.to_le_bytes().to_vec();
                for k in 0..run.members.len() {
                    bytes.extend(run.positions(k).iter().flatten().flat_map(|c| c.to_le_bytes()));
                }
                sink.write_all(&bytes)?;
                sink.flush()?;
                if run.at() >= last || stop.load(Relaxed) {
                    return Ok(());
                }
                match run.advance(&watch) {
                    Ok(()) => {}
                    // What came before it is right all the same.
                    Err(RunError::Stopped | RunError::Exploded { .. }) => return Ok(()),
                    Err(e) => return Err(std::io::Error::other(e.to_string())),
                }
            }
        })
    });
    Ok(([(header::CONTENT_TYPE, "application/octet-stream"), (header::CACHE_CONTROL, "no-store")], sent)
        .into_response())
}

/// The attempts that are going on, one a project.
#[derive(Default)]
pub struct Attempts {
    going: std::sync::Mutex<std::collections::HashMap<i64, Arc<AtomicBool>>>,
    pub building: Arc<tokio::sync::Mutex<()>>,
    pool: std::sync::OnceLock<Result<Arc<rayon::ThreadPool>, String>>,
}

impl Attempts {
    /// Ends a project's attempt and gives the flag that ends the next.
    fn next(&self, project: i64) -> Arc<AtomicBool> {
        let mut going = self.going.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        let flag = Arc::new(AtomicBool::new(false));
        if let Some(before) = going.insert(project, flag.clone()) {
            before.store(true, Relaxed);
        }
        flag
    }

    /// Threads of their own: a worker may have all others.
    pub fn pool(&self) -> Result<Arc<rayon::ThreadPool>, String> {
        let made = || rayon::ThreadPoolBuilder::new().build().map(Arc::new).map_err(|e| e.to_string());
        self.pool.get_or_init(made).clone()
    }
}
