//! Frames of an island as what the store takes: runs of frames, each at the index it was computed for.
use nematon_evaluate::FrameTold;
use nematon_frames::{Chunk, Key, pack_checkpoint};

/// A computed frame on its way to the store.
#[derive(Clone, Default)]
pub struct Computed {
    pub index: usize,
    /// Of each body of the island.
    pub positions: Vec<Vec<[f64; 3]>>,
    /// And how its points are turned, of those that have a turn.
    pub turns: Vec<Option<Vec<[f32; 4]>>>,
    pub checkpoint: Option<Vec<u8>>,
    /// What is told of it, body by body.
    pub told: Vec<FrameTold>,
    /// What contact has cost so far, as JSON.
    pub costs: String,
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

/// What is told of a frame of one body.
pub type Told = (Key, String);

/// What a run of frames comes to in the store.
pub struct Packed {
    /// Of each body.
    pub chunks: Vec<Vec<u8>>,
    /// Under the key of the first body.
    pub checkpoints: Vec<(Key, Vec<u8>)>,
    pub told: Vec<Told>,
}

/// Packs frames that follow each other; `bodies` has the keys of just these.
///
/// # Errors
/// When one is not of so many bodies, or can't be packed.
pub fn pack(bodies: &[Own], run: Vec<Computed>) -> std::io::Result<Packed> {
    let (mut checkpoints, mut told) = (vec![], vec![]);
    let mut positions = vec![vec![]; bodies.len()];
    let mut turns = vec![vec![]; bodies.len()];
    for (k, f) in run.into_iter().enumerate() {
        for (own, of) in bodies.iter().zip(&f.told).filter(|(_, t)| !t.is_nothing()) {
            told.push((own.keys[k], serde_json::to_string(of)?));
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
        turns.iter_mut().zip(f.turns).for_each(|(all, own)| all.extend(own));
    }
    let mut chunks = vec![];
    for ((places, turns), own) in positions.iter().zip(&turns).zip(bodies) {
        let chunk = Chunk::of(places, own.error);
        chunks.push(if turns.is_empty() { chunk.pack() } else { chunk.turned(places, turns).pack() }?);
    }
    Ok(Packed { chunks, checkpoints, told })
}
