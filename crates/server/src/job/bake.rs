//! Computes the frames of a scene that are not stored, island by island, from the nearest checkpoint on.
use super::keep::{KeepError, keep};
use super::patiently;
use super::stop::Stop;
use crate::library::StoredMeshes;
use crate::packing::{Computed, Own};
use nematon_document::{BodyId, Scene};
use nematon_evaluate::{Member, Run, RunError, Stopwatch, Touches};
use nematon_frames::{FrameStore, error_for, error_for_strands, unpack_checkpoint};
use nematon_store::{RunRow, Store};
use std::sync::Arc;
use std::sync::atomic::{AtomicU32, Ordering::Relaxed};
use std::time::{Duration, Instant};
use tokio::sync::mpsc;

/// A chunk is kept when it has so many frames,
const CHUNK_FRAMES: usize = 24;
/// or when its first frame has waited so long: the browser shows frames as they come.
const CHUNK_WAIT: Duration = Duration::from_millis(70);
/// The very first frames of a run don't wait: somebody looks for them.
const FIRST_WAIT: Duration = Duration::from_millis(8);
/// Between checkpoints, frames.
const CHECKPOINT_EVERY: usize = 24;
/// How often progress is told, at least.
const TELL: Duration = Duration::from_millis(1000);

/// What a bake works with.
pub struct Bench<'a> {
    pub store: &'a Store,
    pub worker: &'a str,
    pub pool: &'a Arc<rayon::ThreadPool>,
    /// The part of the time that is computed in.
    pub share: f64,
    pub library: &'a StoredMeshes,
    pub stop: &'a Stop,
}

/// How a bake ended.
pub enum End {
    Done,
    /// Cancelled, or taken over by another worker.
    Stopped,
    /// Others have their turn; there is more to compute.
    Resting,
    Failed(String),
}

/// Computes all islands; `at` always tells how far it is.
pub async fn bake(bench: &Bench<'_>, scene: &Arc<Scene>, at: &mut RunRow) -> End {
    match all(bench, scene, at).await {
        Ok(end) => end,
        Err(e) => End::Failed(e.to_string()),
    }
}

async fn all(bench: &Bench<'_>, scene: &Arc<Scene>, at: &mut RunRow) -> Result<End, KeepError> {
    patiently(|| bench.library.fetch(scene)).await?;
    let scene = &wished(scene, at.wish.until);
    let wanted =
        |i: &Vec<BodyId>| at.wish.bodies.is_empty() || i.iter().any(|b| at.wish.bodies.contains(&b.0));
    let islands: Vec<Vec<BodyId>> = scene.islands().into_iter().filter(wanted).collect();
    at.total = (scene.frames.count() * islands.iter().map(Vec::len).sum::<usize>()) as i32;
    let mut faults = vec![];
    for bodies in islands {
        let run = tokio::select! {
            run = start(bench, scene, bodies) => run,
            // What is being built is of no use to anybody any more: it ends by itself.
            () = bench.stop.wait() => return Ok(End::Stopped),
        };
        match run {
            Ok(run) => match island(bench, run, at).await? {
                End::Done => {}
                end @ (End::Stopped | End::Resting) => return Ok(end),
                // One island that explodes does not keep the others waiting.
                End::Failed(why) => faults.push(why),
            },
            Err(why) => faults.push(why),
        }
    }
    Ok(if faults.is_empty() { End::Done } else { End::Failed(faults.join(" ")) })
}

/// The scene up to the frame that is asked for: no frame knows of those after it.
fn wished(scene: &Arc<Scene>, until: Option<i64>) -> Arc<Scene> {
    let Some(until) = until.filter(|u| *u < scene.frames.last) else { return scene.clone() };
    let mut own = (**scene).clone();
    own.frames.last = until.max(own.frames.first);
    Arc::new(own)
}

/// Builds an island, on the threads that will compute it.
async fn start(bench: &Bench<'_>, scene: &Arc<Scene>, bodies: Vec<BodyId>) -> Result<Run, String> {
    let (own, library, pool) = (scene.clone(), bench.library.clone(), bench.pool.clone());
    let built =
        tokio::task::spawn_blocking(move || pool.install(|| Run::start(&own, &bodies, &library))).await;
    built.map_err(|e| e.to_string())?.map_err(|e| e.to_string())
}

async fn island(bench: &Bench<'_>, mut run: Run, at: &mut RunRow) -> Result<End, KeepError> {
    let own = |m: &Member| Own {
        keys: m.fingerprints.iter().map(|f| f.0).collect(),
        error: match f64::from(m.shaped.density.shortest_edge) {
            edge if m.shaped.mesh.strands.is_empty() => error_for(edge),
            segment => error_for_strands(segment),
        },
    };
    let keys: Vec<Own> = run.members.iter().map(own).collect();
    let mut there = vec![true; keys[0].keys.len()];
    for own in &keys {
        let found = patiently(|| bench.store.find(&own.keys)).await?;
        there.iter_mut().zip(found).for_each(|(t, f)| *t &= f.is_some());
    }
    at.done += (there.iter().filter(|t| **t).count() * keys.len()) as i32;
    let Some(first) = there.iter().position(|t| !t) else { return Ok(End::Done) };
    // The rest state needs no checkpoint; later frames start from the last one before the gap.
    if first > 0
        && let Some((index, packed)) =
            patiently(|| bench.store.last_checkpoint(&keys[0].keys[..first])).await?
    {
        let resumed = tokio::task::spawn_blocking(move || {
            let done = unpack_checkpoint(&packed, run.snapshot_size())
                .map_err(|e| e.to_string())
                .and_then(|s| run.resume(index, &s).map_err(|e| e.to_string()));
            (run, done)
        });
        let done;
        (run, done) = match resumed.await {
            Ok(r) => r,
            Err(e) => return Ok(End::Failed(e.to_string())),
        };
        if let Err(e) = done {
            eprintln!("run {}: the checkpoint at frame {index} can't be read, so it starts over: {e}", at.id);
        }
    }
    let last = there.iter().rposition(|t| !t).unwrap_or(first);
    let (send, receive) = mpsc::channel(4 * CHUNK_FRAMES);
    let settling = Arc::new(AtomicU32::new(0));
    let computing = {
        let (pool, stop, share) = (bench.pool.clone(), bench.stop.clone(), bench.share);
        let settling = settling.clone();
        tokio::task::spawn_blocking(move || {
            pool.install(|| {
                settle(&mut run, &stop, &settling)?;
                compute(&mut run, &there, last, &stop, share, &send)
            })
        })
    };
    let kept = keep_all(bench, &keys, receive, at, &settling).await;
    if kept.is_err() {
        // Whatever ended the keeping also ends the computing.
        bench.stop.set();
    }
    let computed = computing.await;
    kept?;
    Ok(match computed {
        Ok(Ok(_)) if bench.stop.is_set() => End::Stopped,
        Ok(Err(RunError::Stopped)) => End::Stopped,
        Ok(Ok(true)) => End::Done,
        Ok(Ok(false)) => End::Resting,
        Ok(Err(e)) => End::Failed(e.to_string()),
        Err(e) => End::Failed(e.to_string()),
    })
}

/// Lets the bodies come to rest where the scene asks for it, and tells how fast they still are, mm/s, in the bits of a number; 0 when
/// they are at their first frame.
fn settle(run: &mut Run, stop: &Stop, tell: &AtomicU32) -> Result<(), RunError> {
    let watch = Stopwatch::of(run.contact.pairings().len()).until(stop.flag());
    let done = run.settle(&watch, &|speed| tell.store((1e3 * speed as f32).to_bits(), Relaxed));
    tell.store(0, Relaxed);
    done.map(drop)
}

/// Steps through the frames and sends those that are missing. False where it rests before the last. On a thread of its own.
fn compute(
    run: &mut Run,
    there: &[bool],
    last: usize,
    stop: &Stop,
    share: f64,
    send: &mpsc::Sender<Computed>,
) -> Result<bool, RunError> {
    let watch = Stopwatch::of(run.contact.pairings().len()).until(stop.flag());
    let mut touches = Touches::of(run);
    let mut before = vec![];
    loop {
        let index = run.at();
        let positions: Vec<_> = (0..run.members.len()).map(|k| run.places(k)).collect();
        if !there[index] {
            // Where it rests it goes on from.
            let rests = index > 0 && index < last && stop.is_resting();
            // What came to rest is kept, too.
            let settled = index == 0 && run.settled().is_some();
            let checkpoint =
                (index > 0 && index.is_multiple_of(CHECKPOINT_EVERY) || index == last || rests || settled)
                    .then(|| run.snapshot());
            let told = run.tell(&before);
            let costs = run.tell_costs(&watch, &touches);
            let costs = serde_json::to_string(&costs).unwrap_or_else(|_| "[]".into());
            let positions = positions.clone();
            let turns = (0..run.members.len()).map(|k| run.turns(k)).collect();
            if send.blocking_send(Computed { index, positions, turns, checkpoint, told, costs }).is_err() {
                return Ok(true);
            }
            if rests {
                return Ok(false);
            }
        }
        before = positions;
        if index >= last || stop.is_set() {
            return Ok(true);
        }
        let began = Instant::now();
        run.advance(&watch)?;
        leave(began.elapsed().mul_f64(1.0 / share - 1.0), stop);
        touches.count(run);
    }
}

/// Leaves the machine to others for so long, or until the run is not wanted any more.
fn leave(rest: Duration, stop: &Stop) {
    let until = Instant::now() + rest;
    while !stop.is_set() && Instant::now() < until {
        std::thread::sleep((until - Instant::now()).min(Duration::from_millis(50)));
    }
}

/// Keeps frames as they come, until there are no more; a run that is stopped still keeps what it has.
async fn keep_all(
    bench: &Bench<'_>,
    keys: &[Own],
    mut receive: mpsc::Receiver<Computed>,
    at: &mut RunRow,
    settling: &AtomicU32,
) -> Result<(), KeepError> {
    let mut waiting: Vec<Computed> = vec![];
    let (mut since, mut told, mut clock) = (Instant::now(), Instant::now(), Instant::now());
    patiently(|| bench.store.progress(bench.worker, at)).await?;
    let mut wait = FIRST_WAIT;
    loop {
        let more = tokio::time::timeout(wait, receive.recv()).await;
        let ended = matches!(more, Ok(None));
        if let Ok(Some(frame)) = more {
            if waiting.is_empty() {
                since = Instant::now();
            }
            waiting.push(frame);
        }
        let due = waiting.len() >= CHUNK_FRAMES || since.elapsed() >= wait || ended;
        let flushed = due && !waiting.is_empty();
        if flushed {
            at.costs = waiting.last().map(|f| f.costs.clone()).unwrap_or_default();
            let count = keep(bench, keys, std::mem::take(&mut waiting)).await? * keys.len();
            at.done += count as i32;
            at.computed += count as i32;
            // At frame 2 already it goes by larger ones.
            wait = if at.computed < 4 { FIRST_WAIT } else { CHUNK_WAIT };
        }
        at.seconds += clock.elapsed().as_secs_f64();
        clock = Instant::now();
        if flushed || told.elapsed() > TELL {
            let speed = f32::from_bits(settling.load(Relaxed));
            at.message = if speed > 0.0 { format!("Comes to rest: {speed:.0} mm/s") } else { String::new() };
            if !patiently(|| bench.store.progress(bench.worker, at)).await? {
                bench.stop.set();
            }
            told = Instant::now();
        }
        if ended {
            return Ok(());
        }
    }
}
