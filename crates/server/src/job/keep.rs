//! What was computed, on its way into the store: a frame is kept at the index it was computed for, or not at all.
use super::bake::Bench;
use super::patiently;
use crate::packing::{Computed, Own, Packed, pack, runs_of};
use nematon_frames::FrameStore;
use nematon_store::StoreError;
use std::sync::Arc;

/// The largest checkpoint that is kept, packed; PostgreSQL takes no value over 1 GB.
pub const MAX_CHECKPOINT: usize = 768 << 20;

/// Why frames could not be kept.
#[derive(Debug, thiserror::Error)]
pub enum KeepError {
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error("frames {first} to {last} were computed and could not be packed: {why}")]
    Pack { first: usize, last: usize, why: String },
    #[error("frame {0} was computed, and the run has no such frame")]
    NoSuchFrame(usize),
}

/// Keeps frames under the keys of their bodies. How many there were.
///
/// # Errors
/// When some could not be kept; those before them are.
pub async fn keep(bench: &Bench<'_>, bodies: &[Own], frames: Vec<Computed>) -> Result<usize, KeepError> {
    let mut count = 0;
    for run in runs_of(frames) {
        count += run.len();
        keep_run(bench, bodies, run).await?;
    }
    Ok(count)
}

async fn keep_run(bench: &Bench<'_>, bodies: &[Own], run: Vec<Computed>) -> Result<(), KeepError> {
    let (Some(first), Some(last)) = (run.first().map(|f| f.index), run.last().map(|f| f.index)) else {
        return Ok(());
    };
    let part = |own: &Own| Some(Own { keys: own.keys.get(first..=last)?.to_vec(), error: own.error });
    let of: Option<Vec<Own>> = bodies.iter().map(part).collect();
    let of = Arc::new(of.ok_or(KeepError::NoSuchFrame(last))?);
    let lost = |why: String| KeepError::Pack { first, last, why };
    let own = of.clone();
    let packed = tokio::task::spawn_blocking(move || pack(&own, run)).await;
    let Packed { chunks, checkpoints, told } =
        packed.map_err(|e| lost(e.to_string()))?.map_err(|e| lost(e.to_string()))?;
    // Before the frames, so that no frame is seen without them.
    for (key, told) in told {
        patiently(|| bench.store.keep_told(&key, &told)).await?;
    }
    for (own, chunk) in of.iter().zip(chunks) {
        patiently(|| bench.store.keep(&own.keys, &chunk)).await?;
    }
    for (key, checkpoint) in checkpoints {
        if checkpoint.len() > MAX_CHECKPOINT {
            eprintln!(
                "a checkpoint of {} MB is larger than is kept; a run that stops here starts earlier",
                checkpoint.len() >> 20
            );
            continue;
        }
        patiently(|| bench.store.keep_checkpoint(&key, &checkpoint)).await?;
    }
    Ok(())
}
