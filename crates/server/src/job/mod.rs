//! A worker: takes runs from the queue and computes them on threads outside the async pool.
mod bake;

use crate::library::StoredMeshes;
use nematon_store::{Claim, RunRow, RunState, Store, StoreError};
use std::sync::Arc;
use std::time::Duration;

/// Works on the queue of a database until interrupted.
///
/// # Errors
/// When the database can't be opened.
pub async fn work(database: &str, threads: usize) -> Result<(), StoreError> {
    let store = Store::open(database).await?;
    println!("Waiting for runs");
    tokio::select! {
        () = run_forever(store, threads) => {}
        _ = tokio::signal::ctrl_c() => {}
    }
    Ok(())
}

/// Takes one run after another. A database that is away is waited for.
pub async fn run_forever(store: Store, threads: usize) {
    let worker = format!(
        "{}-{:08x}",
        std::process::id(),
        std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).map_or(0, |d| d.subsec_nanos())
    );
    let pool = match rayon::ThreadPoolBuilder::new().num_threads(threads).build() {
        Ok(p) => Arc::new(p),
        Err(e) => return eprintln!("no threads to compute on: {e}"),
    };
    let mut heard = None;
    loop {
        match store.claim_run(&worker).await {
            Ok(Some(claim)) => compute(&store, &worker, &pool, claim).await,
            _ => {
                // A notice wakes at once; a dead worker's run is found by looking now and then.
                if heard.is_none() {
                    heard = store.listen().await.ok();
                }
                let wait = Duration::from_millis(1500);
                match &mut heard {
                    Some(h) => {
                        if let Ok(Err(_)) = tokio::time::timeout(wait, h.next()).await {
                            heard = None;
                            tokio::time::sleep(Duration::from_millis(500)).await;
                        }
                    }
                    None => tokio::time::sleep(wait).await,
                }
            }
        }
    }
}

async fn compute(store: &Store, worker: &str, pool: &Arc<rayon::ThreadPool>, claim: Claim) {
    let mut at = RunRow {
        id: claim.run,
        project: claim.project,
        revision: 0,
        state: RunState::Running,
        done: 0,
        total: 0,
        computed: 0,
        seconds: 0.0,
        message: String::new(),
        costs: "[]".into(),
    };
    let library = StoredMeshes::new(store.clone());
    let end = match serde_json::from_value(claim.scene) {
        Ok(scene) => {
            bake::bake(&bake::Bench { store, worker, pool, library: &library }, &scene, &mut at).await
        }
        Err(e) => bake::End::Failed(format!("its scene can't be read: {e}")),
    };
    (at.state, at.message) = match end {
        bake::End::Done => (RunState::Done, String::new()),
        bake::End::Stopped => (RunState::Cancelled, String::new()),
        bake::End::Failed(why) => (RunState::Failed, why),
    };
    if let Err(e) = patiently(|| store.end_run(worker, &at)).await {
        eprintln!("run {} ended and can't be told: {e}", at.id);
    }
}

/// Tries again while the database is away, for up to a quarter of an hour: nothing computed is lost.
pub async fn patiently<T, F: Future<Output = Result<T, StoreError>>>(
    mut ask: impl FnMut() -> F,
) -> Result<T, StoreError> {
    for _ in 0..1800 {
        match ask().await {
            Err(e) if e.is_away() => tokio::time::sleep(Duration::from_millis(500)).await,
            answer => return answer,
        }
    }
    ask().await
}
