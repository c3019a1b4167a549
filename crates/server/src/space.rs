//! Keeps what is stored under a limit: lets go of what no scene, take or undo step asks for, the longest unused first.
use crate::state::App;
use nematon_document::{MeshSource, Scene, apply};
use nematon_frames::Key;
use nematon_store::{Notice, StoreError};
use std::collections::HashSet;
use std::sync::Arc;
use std::time::Duration;

/// Runs of a project that lanes look at; older ones may go.
pub const RUNS: i64 = 12;
/// Looked at so often, and a moment after a run has ended.
const EVERY: Duration = Duration::from_secs(300);
const AFTER_RUN: Duration = Duration::from_millis(500);

/// A patch that was kept, carried out. A large scene takes its time: what else this thread answers goes on elsewhere.
pub fn carry_out(now: &serde_json::Value, patch: &str) -> Option<serde_json::Value> {
    tokio::task::block_in_place(|| {
        let patch = serde_json::from_str(patch).ok()?;
        apply(now, &patch).ok().map(|(next, _)| next)
    })
}

/// Watches over the space for as long as the program runs.
pub async fn watch(app: App) {
    let mut heard = app.subscribe();
    loop {
        if let Err(e) = tidy(&app).await
            && !e.is_away()
        {
            eprintln!("space could not be made: {e}");
        }
        let ended = async {
            loop {
                match heard.recv().await {
                    Ok(Notice::Run { run, .. }) => {
                        let over = app.store.run(run).await.ok().flatten().is_some_and(|r| r.state.is_over());
                        if over {
                            return tokio::time::sleep(AFTER_RUN).await;
                        }
                    }
                    Ok(_) => {}
                    Err(_) => return tokio::time::sleep(EVERY).await,
                }
            }
        };
        let _ = tokio::time::timeout(EVERY, ended).await;
    }
}

/// Makes room where more is kept than may be. How many bytes went.
///
/// # Errors
/// When the database is away.
pub async fn tidy(app: &App) -> Result<i64, StoreError> {
    app.store.end_removed().await?;
    let keep = i64::try_from(app.keep).unwrap_or(i64::MAX);
    if app.store.space().await?.all() <= keep {
        return Ok(0);
    }
    app.store.end_old_runs(RUNS).await?;
    let begun = app.store.moment().await?;
    let (mut asked, mut meshes) = (HashSet::<Key>::new(), HashSet::new());
    for value in app.store.all_scenes(carry_out).await? {
        // A scene that can't be read asks for nothing.
        let Ok(scene) = serde_json::from_value::<Scene>(value) else { continue };
        meshes.extend(scene.meshes().into_iter().filter_map(|m| match m {
            MeshSource::Blob(hash) => Some(hash.clone()),
            MeshSource::File(_) => None,
        }));
        app.meshes.fetch(&scene).await?;
        let prints = app.prints.of(&Arc::new(scene), &app.meshes).await;
        prints.values().flatten().for_each(|p| asked.extend(p.iter().map(|f| f.0)));
    }
    // The first body of an island is where its checkpoints stand, so its keys ask for them too.
    let asked: Vec<Key> = asked.into_iter().collect();
    let meshes: Vec<String> = meshes.into_iter().collect();
    app.store.let_go(keep, &asked, &meshes, &begun).await
}
