//! What was computed, on its way into the store: a frame is kept at the index it was computed for, or not at all.
use super::bake::Bench;
use super::patiently;
use nematon_evaluate::FrameSnag;
use nematon_frames::{Chunk, FrameStore, Key, pack_checkpoint};
use nematon_store::StoreError;
use std::sync::Arc;

/// The largest checkpoint that is kept, packed; PostgreSQL takes no value over 1 GB.
pub const MAX_CHECKPOINT: usize = 768 << 20;

/// A computed frame on its way to the store.
#[derive(Clone, Default)]
pub struct Computed {
    pub index: usize,
    /// Of each body of the island.
    pub positions: Vec<Vec<[f32; 3]>>,
    pub checkpoint: Option<Vec<u8>>,
    /// What is wrong with it, body by body.
    pub snags: Vec<Vec<FrameSnag>>,
    /// What contact has cost so far, as JSON.
    pub costs: String,
}

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

/// What a body's frames are kept under, and how precise their places are, metres.
#[derive(Clone, Debug)]
pub struct Own {
    pub keys: Vec<Key>,
    pub error: f64,
}

/// Frames that follow each other, for a chunk holds no others: cut wherever an index is not the next.
pub fn runs_of(frames: Vec<Computed>) -> Vec<Vec<Computed>> {
    let mut out: Vec<Vec<Computed>> = vec![];
    for f in frames {
        match out.last_mut() {
            Some(run) if run.last().is_some_and(|l| l.index + 1 == f.index) => run.push(f),
            _ => out.push(vec![f]),
        }
    }
    out
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

/// The snags of a frame of one body.
type Told = (Key, String);

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
    let Packed { chunks, checkpoints, snags } =
        packed.map_err(|e| lost(e.to_string()))?.map_err(|e| lost(e.to_string()))?;
    // Before the frames, so that no frame is seen without them.
    for (key, told) in snags {
        patiently(|| bench.store.keep_snags(&key, &told)).await?;
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

struct Packed {
    /// Of each body.
    chunks: Vec<Vec<u8>>,
    checkpoints: Vec<(Key, Vec<u8>)>,
    snags: Vec<Told>,
}

fn pack(bodies: &[Own], run: Vec<Computed>) -> std::io::Result<Packed> {
    let (mut checkpoints, mut snags) = (vec![], vec![]);
    let mut positions = vec![vec![]; bodies.len()];
    for (k, f) in run.into_iter().enumerate() {
        for (own, of) in bodies.iter().zip(&f.snags).filter(|(_, s)| !s.is_empty()) {
            snags.push((own.keys[k], serde_json::to_string(of)?));
        }
        if let Some(c) = f.checkpoint {
            checkpoints.push((bodies[0].keys[k], pack_checkpoint(&c)?));
        }
        if f.positions.len() != bodies.len() {
            return Err(std::io::Error::other(format!(
                "{} bodies where {} are due",
                f.positions.len(),
                bodies.len()
            )));
        }
        positions.iter_mut().zip(f.positions).for_each(|(all, own)| all.push(own));
    }
    let chunks = positions
        .iter()
        .zip(bodies)
        .map(|(p, own)| Chunk::of(p, own.error).pack())
        .collect::<Result<_, _>>()?;
    Ok(Packed { chunks, checkpoints, snags })
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)]
    use super::*;

    fn own(keys: Vec<Key>) -> Own {
        Own { keys, error: 5e-5 }
    }

    fn frame(index: usize) -> Computed {
        Computed {
            index,
            positions: vec![vec![[index as f32; 3]]],
            snags: vec![vec![]],
            ..Computed::default()
        }
    }

    #[test]
    fn frames_are_cut_where_one_is_missing_and_keep_their_own_index() {
        let given = [3, 4, 5, 9, 10, 2, 12];
        let runs = runs_of(given.iter().map(|k| frame(*k)).collect());
        let indices: Vec<Vec<usize>> = runs.iter().map(|r| r.iter().map(|f| f.index).collect()).collect();
        assert_eq!(indices, [vec![3, 4, 5], vec![9, 10], vec![2], vec![12]]);
    }

    #[test]
    fn what_is_packed_stands_under_the_keys_of_its_own_index() {
        let keys = vec![[7u8; 32], [8; 32]];
        let snag = FrameSnag { snag: "pop".into(), with: None, count: 1, worst: 2.0, point: 3 };
        let mut run = vec![frame(7), frame(8)];
        run[1].snags = vec![vec![snag]];
        run[1].checkpoint = Some(vec![1, 2, 3]);
        let packed = pack(&[own(keys)], run).unwrap();
        assert_eq!((packed.snags[0].0, packed.checkpoints[0].0), ([8; 32], [8; 32]));
        let chunk = Chunk::unpack(&packed.chunks[0]).unwrap();
        assert!((chunk.frame(1).unwrap()[0][0] - 8.0).abs() < 1e-4);
    }

    #[test]
    fn a_frame_of_other_bodies_is_told_and_not_kept() {
        let two = vec![own(vec![[0u8; 32]]), own(vec![[1; 32]])];
        assert!(pack(&two, vec![frame(0)]).is_err());
    }
}
