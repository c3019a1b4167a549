//! Computes the frames of a scene that are not stored, island by island, from the nearest checkpoint on.
use super::patiently;
use crate::lanes::Snag;
use crate::library::StoredMeshes;
use crate::route::runs::Cost;
use nematon_document::Scene;
use nematon_evaluate::{Run, RunError, Stopwatch};
use nematon_frames::{Chunk, FrameStore, Key, pack_checkpoint, unpack_checkpoint};
use nematon_solver::With;
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
    /// Of each body of the island.
    positions: Vec<Vec<[f32; 3]>>,
    checkpoint: Option<Vec<u8>>,
    /// What is wrong with it, body by body.
    snags: Vec<Vec<Snag>>,
    /// What contact has cost so far, as JSON.
    costs: String,
}

/// Computes all islands; `at` always tells how far it is.
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
    for bodies in scene.islands() {
        let (own, library) = (scene.clone(), bench.library.clone());
        let started = tokio::task::spawn_blocking(move || Run::start(&own, &bodies, &library)).await;
        match started {
            Ok(Ok(run)) => match island(bench, scene, run, at).await? {
                End::Done => {}
                End::Stopped => return Ok(End::Stopped),
                // One island that explodes does not keep the others waiting.
                End::Failed(why) => faults.push(why),
            },
            Ok(Err(e)) => faults.push(e.to_string()),
            Err(e) => faults.push(e.to_string()),
        }
    }
    Ok(if faults.is_empty() { End::Done } else { End::Failed(faults.join(" ")) })
}

async fn island(bench: &Bench<'_>, scene: &Scene, mut run: Run, at: &mut RunRow) -> Result<End, StoreError> {
    let keys: Vec<Vec<Key>> =
        run.members.iter().map(|m| m.fingerprints.iter().map(|f| f.0).collect()).collect();
    let mut there = vec![true; keys[0].len()];
    for own in &keys {
        let found = patiently(|| bench.store.find(own)).await?;
        there.iter_mut().zip(found).for_each(|(t, f)| *t &= f.is_some());
    }
    at.done += (there.iter().filter(|t| **t).count() * keys.len()) as i32;
    let Some(first) = there.iter().position(|t| !t) else { return Ok(End::Done) };
    // The rest state needs no checkpoint; later frames start from the last one before the gap.
    if first > 0
        && let Some((index, packed)) = patiently(|| bench.store.last_checkpoint(&keys[0][..first])).await?
        && let Ok(snapshot) = unpack_checkpoint(&packed)
        && let Err(e) = run.resume(index, &snapshot)
    {
        eprintln!("a checkpoint is passed over: {e}");
    }
    let last = there.iter().rposition(|t| !t).unwrap_or(first);
    let stop = Arc::new(AtomicBool::new(false));
    let (send, receive) = mpsc::channel(4 * CHUNK_FRAMES);
    let computing = {
        let (pool, stop, there, scene) = (bench.pool.clone(), stop.clone(), there.clone(), scene.clone());
        tokio::task::spawn_blocking(move || {
            pool.install(|| compute(&mut run, &scene, &there, last, &stop, &send))
        })
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
    scene: &Scene,
    there: &[bool],
    last: usize,
    stop: &AtomicBool,
    send: &mpsc::Sender<Frame>,
) -> Result<(), RunError> {
    let watch = Stopwatch::of(run.contact.pairings().len());
    let mut touches = vec![0usize; run.contact.pairings().len()];
    let (mut steps, mut before) = (0, vec![]);
    loop {
        let index = run.at();
        let positions: Vec<_> = (0..run.members.len()).map(|k| run.positions(k)).collect();
        if !there[index] {
            let checkpoint = (index > 0 && index.is_multiple_of(CHECKPOINT_EVERY) || index == last)
                .then(|| run.snapshot());
            let snags = tell_snags(run, scene, &before);
            let costs = tell_costs(run, scene, &watch, &touches, steps);
            let positions = positions.clone();
            if send.blocking_send(Frame { index, positions, checkpoint, snags, costs }).is_err() {
                return Ok(());
            }
        }
        before = positions;
        if index >= last || stop.load(Relaxed) {
            return Ok(());
        }
        run.advance(&watch)?;
        steps += 1;
        touches.iter_mut().zip(run.contact.touching()).for_each(|(t, n)| *t += n);
    }
}

/// What a body touches, in the scene's own names.
fn with(run: &Run, scene: &Scene, with: With) -> String {
    match with {
        With::Itself => "itself".into(),
        With::Cloth(k) => run.members[k].name.clone(),
        With::Collider(k) => run.collider_name(scene, k),
        With::Floor => "the floor".into(),
    }
}

fn tell_snags(run: &mut Run, scene: &Scene, before: &[Vec<[f32; 3]>]) -> Vec<Vec<Snag>> {
    let mut out = vec![vec![]; run.members.len()];
    for s in run.snags(before) {
        out[s.cloth].push(Snag {
            snag: s.fault.name().into(),
            with: s.with.map(|w| with(run, scene, w)),
            count: s.count,
            worst: s.worst,
            point: s.point,
        });
    }
    out
}

fn tell_costs(run: &Run, scene: &Scene, watch: &Stopwatch, touches: &[usize], steps: usize) -> String {
    let per = 1.0 / steps.max(1) as f64;
    let mut costs: Vec<Cost> = run
        .contact
        .pairings()
        .iter()
        .zip(watch.between_seconds())
        .zip(touches)
        .filter(|(_, t)| **t > 0)
        .map(|((p, seconds), touches)| Cost {
            body: run.members[p.cloth].name.clone(),
            with: with(run, scene, p.with),
            milliseconds: 1e3 * seconds * per,
            touches: *touches as f64 * per,
        })
        .collect();
    costs.sort_by(|a, b| b.milliseconds.total_cmp(&a.milliseconds));
    serde_json::to_string(&costs).unwrap_or_else(|_| "[]".into())
}

/// Packs frames as they come and keeps them. False when the run is no longer ours to compute.
async fn keep(
    bench: &Bench<'_>,
    keys: &[Vec<Key>],
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
    keys: &[Vec<Key>],
    waiting: &mut Vec<Frame>,
    at: &mut RunRow,
) -> Result<(), StoreError> {
    let Some(first) = waiting.first().map(|f| f.index) else { return Ok(()) };
    let frames: Vec<Frame> = std::mem::take(waiting);
    let count = frames.len();
    let mut checkpoints = vec![];
    let mut positions = vec![vec![]; keys.len()];
    for f in frames {
        for (keys, snags) in keys.iter().zip(&f.snags).filter(|(_, s)| !s.is_empty()) {
            if let Ok(told) = serde_json::to_string(snags) {
                patiently(|| bench.store.keep_snags(&keys[f.index], &told)).await?;
            }
        }
        at.costs = f.costs;
        checkpoints.extend(f.checkpoint.map(|c| (f.index, c)));
        positions.iter_mut().zip(f.positions).for_each(|(all, own)| all.push(own));
    }
    for (keys, positions) in keys.iter().zip(positions) {
        let packed = tokio::task::spawn_blocking(move || Chunk::of(&positions).pack()).await;
        let Ok(Ok(packed)) = packed else { return Ok(()) };
        patiently(|| bench.store.keep(&keys[first..first + count], &packed)).await?;
    }
    for (index, snapshot) in checkpoints {
        if let Ok(c) = pack_checkpoint(&snapshot) {
            patiently(|| bench.store.keep_checkpoint(&keys[0][index], &c)).await?;
        }
    }
    at.done += (count * keys.len()) as i32;
    at.computed += (count * keys.len()) as i32;
    Ok(())
}
