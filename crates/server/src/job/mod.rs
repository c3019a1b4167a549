//! A worker: takes runs from the queue and computes them on threads outside the async pool.
mod bake;
mod keep;
mod stop;

use crate::library::StoredMeshes;
use nematon_store::{Claim, RunRow, RunState, Store, StoreError};
use std::sync::Arc;
use std::time::Duration;
use stop::Stop;

/// A worker gives a sign of life, and looks whether its run is still wanted, so often, whatever it is at.
const BEAT: Duration = Duration::from_millis(300);

/// After so long others have their turn.
pub const TURN: Duration = Duration::from_secs(8);

/// How much of a machine a worker takes.
#[derive(Clone, Copy, Debug)]
pub struct Pace {
    /// Threads to compute on; 0 takes all cores.
    pub threads: usize,
    /// The part of the time that is computed in, above 0 and at most 1; the rest is left to others.
    pub share: f64,
}

/// Works on the queue of a database until interrupted.
///
/// # Errors
/// When the database can't be opened.
pub async fn work(database: &str, how: Pace) -> Result<(), StoreError> {
    let store = Store::open(database).await?;
    let name = worker_name();
    println!("Waiting for runs");
    tokio::select! {
        () = run_forever(store.clone(), name.clone(), how) => {}
        _ = tokio::signal::ctrl_c() => {}
    }
    crate::give_back(&store, &name).await;
    Ok(())
}

/// A name that no other worker has.
pub fn worker_name() -> String {
    let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH);
    format!("{}-{:08x}", std::process::id(), now.map_or(0, |d| d.subsec_nanos()))
}

/// Takes one run after another. A database that is away is waited for.
pub async fn run_forever(store: Store, worker: String, how: Pace) {
    let pool = rayon::ThreadPoolBuilder::new().num_threads(how.threads).start_handler(|_| give_way());
    let pool = match pool.build() {
        Ok(p) => Arc::new(p),
        Err(e) => return eprintln!("no threads to compute on: {e}"),
    };
    let mut heard = None;
    loop {
        match store.claim_run(&worker).await {
            Ok(Some(claim)) => compute(&store, &worker, &pool, how.share, claim).await,
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

/// Lets everything else on the machine go first: who waits for frames also looks at them, and a run takes what is left.
fn give_way() {
    // One that may not is as quick as others.
    let _ = rustix::process::setpriority_process(None, 3);
}

async fn compute(store: &Store, worker: &str, pool: &Arc<rayon::ThreadPool>, share: f64, claim: Claim) {
    let mut at = RunRow {
        id: claim.run,
        project: claim.project,
        revision: 0,
        state: RunState::Running,
        done: 0,
        total: 0,
        computed: claim.computed,
        seconds: claim.seconds,
        message: String::new(),
        costs: "[]".into(),
        wish: claim.wish,
        urgent: false,
        take: None,
    };
    let stop = Stop::default();
    let beating = tokio::spawn(beat(store.clone(), worker.to_owned(), claim.run, stop.clone()));
    let library = StoredMeshes::new(store.clone());
    // A worker may be there before a server has brought the database to this version.
    let end = match serde_json::from_value(nematon_document::migrate(claim.scene)) {
        Ok(scene) => {
            let bench = bake::Bench { store, worker, pool, share, library: &library, stop: &stop };
            bake::bake(&bench, &Arc::new(scene), &mut at).await
        }
        Err(e) => bake::End::Failed(format!("its scene can't be read: {e}")),
    };
    beating.abort();
    if let bake::End::Resting = end {
        if let Err(e) = patiently(|| store.hand_on(worker, &at)).await {
            eprintln!("run {} can't be left to its next turn: {e}", at.id);
        }
        return;
    }
    (at.state, at.message) = match end {
        bake::End::Done => (RunState::Done, String::new()),
        bake::End::Stopped | bake::End::Resting => (RunState::Cancelled, String::new()),
        bake::End::Failed(why) => (RunState::Failed, why),
    };
    if let Err(e) = patiently(|| store.end_run(worker, &at)).await {
        eprintln!("run {} ended and can't be told: {e}", at.id);
    }
}

/// Tells that the worker lives until it need not. A database that is away says nothing about the run.
async fn beat(store: Store, worker: String, run: i64, stop: Stop) {
    let began = std::time::Instant::now();
    loop {
        tokio::time::sleep(BEAT).await;
        if let Ok(false) = store.beat(&worker, run).await {
            return stop.set();
        }
        if let Ok(true) = store.is_waited_for(run, began.elapsed() > TURN).await {
            stop.rest();
        }
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
