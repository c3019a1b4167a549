//! Computes the frames of a scene that are not stored, body by body, from the nearest checkpoint on.
use super::patiently;
use crate::library::StoredMeshes;
use nematon_document::Scene;
use nematon_evaluate::{Run, RunError};
use nematon_frames::{Chunk, FrameStore, Key, pack_checkpoint, unpack_checkpoint};
use nematon_solver::NoWatch;
use nematon_store::{RunRow, Store, StoreError};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};
use std::time::{Duration, Instant};
use tokio::sync::mpsc;

/// A chunk is kept when it has so many frames,
const CHUNK_FRAMES: usize = 24;
/// or when its first frame has waited so long: the browser shows frames as they come.
const CHUNK_WAIT: Duration = Duration::from_millis(70);
/// Between checkpoints, frames.
const CHECKPOINT_EVERY: usize = 24;
/// How often progress is told, at least: the sign that the worker lives.
const HEARTBEAT: Duration = Duration::from_millis(1000);

/// What a bake works with.
pub struct Bench<'a> {
    pub store: &'a Store,
    pub worker: &'a str,
    pub pool: &'a Arc<rayon::ThreadPool>,
    pub library: &'a StoredMeshes,
}

/// How a bake ended.
pub enum End {
    Done,
    /// Cancelled, or taken over by another worker.
    Stopped,
    Failed(String),
}

/// A computed frame on its way to the store.
struct Frame {
    index: usize,
    positions: Vec<[f32; 3]>,
    checkpoint: Option<Vec<u8>>,
}

/// Computes all bodies; `at` always tells how far it is.
pub async fn bake(bench: &Bench<'_>, scene: &Scene, at: &mut RunRow) -> End {
    match all(bench, scene, at).await {
        Ok(end) => end,
        Err(e) => End::Failed(e.to_string()),
    }
}

async fn all(bench: &Bench<'_>, scene: &Scene, at: &mut RunRow) -> Result<End, StoreError> {
    patiently(|| bench.library.fetch(scene)).await?;
    at.total = (scene.frames.count() * scene.bodies.len()) as i32;
    let mut faults = vec![];
    for id in scene.bodies.keys() {
        let (scene, id, library) = (scene.clone(), id.clone(), bench.library.clone());
        let started = tokio::task::spawn_blocking(move || Run::start(&scene, &id, &library)).await;
        match started {
            Ok(Ok(run)) => match body(bench, run, at).await? {
                End::Done => {}
                End::Stopped => return Ok(End::Stopped),
                // One body that explodes does not keep the others waiting.
                End::Failed(why) => faults.push(why),
            },
            Ok(Err(e)) => faults.push(e.to_string()),
            Err(e) => faults.push(e.to_string()),
        }
    }
    Ok(if faults.is_empty() { End::Done } else { End::Failed(faults.join(" ")) })
}

async fn body(bench: &Bench<'_>, mut run: Run, at: &mut RunRow) -> Result<End, StoreError> {
    let keys: Vec<Key> = run.fingerprints.iter().map(|f| f.0).collect();
    let there: Vec<bool> = patiently(|| bench.store.find(&keys)).await?.iter().map(Option::is_some).collect();
    at.done += there.iter().filter(|t| **t).count() as i32;
    let Some(first) = there.iter().position(|t| !t) else { return Ok(End::Done) };
    // The rest state needs no checkpoint; later frames start from the last one before the gap.
    if first > 0
        && let Some((index, packed)) = patiently(|| bench.store.last_checkpoint(&keys[..first])).await?
        && let Ok(snapshot) = unpack_checkpoint(&packed)
        && let Err(e) = run.resume(index, &snapshot)
    {
        eprintln!("a checkpoint is passed over: {e}");
    }
    let last = there.iter().rposition(|t| !t).unwrap_or(first);
    let stop = Arc::new(AtomicBool::new(false));
    let (send, receive) = mpsc::channel(4 * CHUNK_FRAMES);
    let computing = {
        let (pool, stop, there) = (bench.pool.clone(), stop.clone(), there.clone());
        tokio::task::spawn_blocking(move || pool.install(|| compute(&mut run, &there, last, &stop, &send)))
    };
    let kept = keep(bench, &keys, receive, at, &stop).await;
    // Whatever ended the keeping also ends the computing.
    stop.store(true, Relaxed);
    let computed = computing.await;
    if !kept? {
        return Ok(End::Stopped);
    }
    Ok(match computed {
        Ok(Ok(())) => End::Done,
        Ok(Err(e)) => End::Failed(e.to_string()),
        Err(e) => End::Failed(e.to_string()),
    })
}

/// Steps through the frames and sends those that are missing. On a thread of its own.
fn compute(
    run: &mut Run,
    there: &[bool],
    last: usize,
    stop: &AtomicBool,
    send: &mpsc::Sender<Frame>,
) -> Result<(), RunError> {
    loop {
        let index = run.at();
        if !there[index] {
            let checkpoint = (index > 0 && index.is_multiple_of(CHECKPOINT_EVERY) || index == last)
                .then(|| run.snapshot());
            if send.blocking_send(Frame { index, positions: run.positions(), checkpoint }).is_err() {
                return Ok(());
            }
        }
        if index >= last || stop.load(Relaxed) {
            return Ok(());
        }
        run.advance(&NoWatch)?;
    }
}

/// Packs frames as they come and keeps them. False when the run is no longer ours to compute.
async fn keep(
    bench: &Bench<'_>,
    keys: &[Key],
    mut receive: mpsc::Receiver<Frame>,
    at: &mut RunRow,
    stop: &AtomicBool,
) -> Result<bool, StoreError> {
    let mut waiting: Vec<Frame> = vec![];
    let (mut since, mut told) = (Instant::now(), Instant::now());
    let mut clock = Instant::now();
    let mut ours = patiently(|| bench.store.progress(bench.worker, at)).await?;
    loop {
        let more = tokio::time::timeout(CHUNK_WAIT, receive.recv()).await;
        let ended = matches!(more, Ok(None));
        if let Ok(Some(frame)) = more {
            if waiting.is_empty() {
                since = Instant::now();
            }
            // A chunk holds frames that follow each other.
            if waiting.last().is_some_and(|f| f.index + 1 != frame.index) {
                flush(bench, keys, &mut waiting, at).await?;
            }
            waiting.push(frame);
        }
        let due = waiting.len() >= CHUNK_FRAMES || since.elapsed() >= CHUNK_WAIT || ended;
        let flushed = due && !waiting.is_empty();
        if flushed {
            flush(bench, keys, &mut waiting, at).await?;
        }
        at.seconds += clock.elapsed().as_secs_f64();
        clock = Instant::now();
        if flushed || told.elapsed() > HEARTBEAT {
            ours = patiently(|| bench.store.progress(bench.worker, at)).await?;
            told = Instant::now();
        }
        if !ours {
            // What is already computed is kept: cancelling loses nothing.
            stop.store(true, Relaxed);
            receive.close();
            while let Some(frame) = receive.recv().await {
                waiting.push(frame);
            }
            flush(bench, keys, &mut waiting, at).await?;
            return Ok(false);
        }
        if ended {
            return Ok(true);
        }
    }
}

async fn flush(
    bench: &Bench<'_>,
    keys: &[Key],
    waiting: &mut Vec<Frame>,
    at: &mut RunRow,
) -> Result<(), StoreError> {
    let Some(first) = waiting.first().map(|f| f.index) else { return Ok(()) };
    let frames: Vec<Frame> = std::mem::take(waiting);
    let count = frames.len();
    let mut checkpoints = vec![];
    let mut positions = vec![];
    for f in frames {
        checkpoints.extend(f.checkpoint.map(|c| (f.index, c)));
        positions.push(f.positions);
    }
    let packed = tokio::task::spawn_blocking(move || Chunk::of(&positions).pack()).await;
    let Ok(Ok(packed)) = packed else { return Ok(()) };
    patiently(|| bench.store.keep(&keys[first..first + count], &packed)).await?;
    for (index, snapshot) in checkpoints {
        if let Ok(c) = pack_checkpoint(&snapshot) {
            patiently(|| bench.store.keep_checkpoint(&keys[index], &c)).await?;
        }
    }
    at.done += count as i32;
    at.computed += count as i32;
    Ok(())
}
