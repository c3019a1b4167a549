//! The server: composition only. A route reads a request, calls one thing below, and writes the answer;
//! errors are problem+json (RFC 9457). Listens on loopback only.
mod api;
mod archive;
mod delivery;
mod demo;
mod extract;
mod guard;
mod job;
mod lanes;
mod library;
pub mod packing;
mod prints;
mod problem;
mod route;
mod space;
mod state;

pub use archive::{SceneFiles, Taken};
pub use job::{Pace, work};
pub use route::openapi;

use axum::Router;
use axum::extract::DefaultBodyLimit;
use nematon_store::{Store, StoreError};
use state::App;
use std::path::PathBuf;
use tokio::net::TcpListener;

/// How to serve.
pub struct Options {
    /// PostgreSQL address.
    pub database: String,
    /// Port on 127.0.0.1; 0 takes a free one.
    pub port: u16,
    /// Folder of the built pages.
    pub web: PathBuf,
    /// Loaded where there is no project yet.
    pub demo: Vec<SceneFiles>,
    /// How much of the machine the worker inside takes.
    pub pace: Pace,
    /// Bytes of frames, checkpoints and meshes that are kept at most, where what is asked for leaves a choice.
    pub keep: u64,
}

/// The largest body of JSON that is taken, bytes.
const MAX_JSON: usize = nematon_document::MAX_DOCUMENT + (1 << 20);

/// Why the server did not start, or ended.
#[derive(Debug, thiserror::Error)]
pub enum ServeError {
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error("can't listen on 127.0.0.1:{port}: {error}. Choose another with --port")]
    Listen { port: u16, error: std::io::Error },
    #[error("the server ended: {0}")]
    Ended(std::io::Error),
    #[error("the demo can't be loaded: {0}")]
    Demo(String),
}

/// Serves until interrupted, with one worker inside.
///
/// # Errors
/// When the database or the port can't be had.
pub async fn serve(options: Options) -> Result<(), ServeError> {
    let store = Store::open(&options.database).await?;
    renew(&store).await?;
    let listener = TcpListener::bind(("127.0.0.1", options.port))
        .await
        .map_err(|error| ServeError::Listen { port: options.port, error })?;
    let port = listener.local_addr().map_err(ServeError::Ended)?.port();
    let app = App::new(store.clone(), port, options.keep);
    demo::load_once(&app, options.demo).await?;
    app.listen();
    tokio::spawn(space::watch(app.clone()));
    let name = job::worker_name();
    let worker = tokio::spawn(job::run_forever(store.clone(), name.clone(), options.pace));
    println!("Nematon is at http://127.0.0.1:{port}");
    let served = axum::serve(listener, router(app, &options.web)).with_graceful_shutdown(interrupted()).await;
    worker.abort();
    give_back(&store, &name).await;
    served.map_err(ServeError::Ended)
}

/// Brings scenes of an older version to this one.
async fn renew(store: &Store) -> Result<(), StoreError> {
    use nematon_document::{VERSION, apply_old, inverse, migrate, version};
    let how = nematon_store::Renewal {
        is_old: &|scene| version(scene).is_some_and(|v| v < u64::from(VERSION)),
        renew: &migrate,
        apply: &|scene, patch| apply_old(scene, &serde_json::from_str(patch).ok()?),
        patch: &|from, to| serde_json::to_string(&inverse(to, from)),
    };
    let done = store.renew(&how).await?;
    if done > 0 {
        println!("{done} projects of an older version are of this one now");
    }
    Ok(())
}

fn router(app: App, web: &std::path::Path) -> Router {
    use tower_http::services::{ServeDir, ServeFile};
    let api = route::all().router().fallback(route::missing).layer(DefaultBodyLimit::max(MAX_JSON));
    let api = api.layer(axum::middleware::map_response(guard::told_anew));
    let pages = ServeDir::new(web).fallback(ServeFile::new(web.join("index.html")));
    Router::new()
        .nest("/api", api)
        .fallback_service(pages)
        .layer(axum::middleware::from_fn_with_state(app.clone(), guard::only_from_here))
        .with_state(app)
}

/// Whoever ends in good order leaves its run to the next.
pub(crate) async fn give_back(store: &Store, worker: &str) {
    let done = tokio::time::timeout(std::time::Duration::from_millis(400), store.give_back(worker)).await;
    if let Ok(Err(e)) = done {
        eprintln!("the run at work could not be given back: {e}");
    }
}

async fn interrupted() {
    use tokio::signal::unix::{SignalKind, signal};
    let Ok(mut term) = signal(SignalKind::terminate()) else { return };
    tokio::select! {
        _ = tokio::signal::ctrl_c() => {}
        _ = term.recv() => {}
    }
    // Open sockets would keep a graceful end waiting for as long as a window is open.
    tokio::spawn(async {
        tokio::time::sleep(std::time::Duration::from_millis(700)).await;
        std::process::exit(0);
    });
}
