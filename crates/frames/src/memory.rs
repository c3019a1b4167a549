use crate::{FrameStore, Key, Location};
use std::collections::HashMap;
use std::convert::Infallible;
use std::sync::{Mutex, MutexGuard, PoisonError};

/// Frames kept in memory, for as long as the program runs.
#[derive(Default)]
pub struct MemoryFrames(Mutex<Kept>);

#[derive(Default)]
struct Kept {
    places: HashMap<Key, Location>,
    chunks: Vec<Vec<u8>>,
    checkpoints: HashMap<Key, Vec<u8>>,
}

impl MemoryFrames {
    fn kept(&self) -> MutexGuard<'_, Kept> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

impl FrameStore for MemoryFrames {
    type Error = Infallible;

    async fn find(&self, keys: &[Key]) -> Result<Vec<Option<Location>>, Infallible> {
        let kept = self.kept();
        Ok(keys.iter().map(|k| kept.places.get(k).copied()).collect())
    }

    async fn keep(&self, keys: &[Key], packed: &[u8]) -> Result<i64, Infallible> {
        let mut kept = self.kept();
        let chunk = kept.chunks.len() as i64;
        kept.chunks.push(packed.to_vec());
        for (slot, key) in keys.iter().enumerate() {
            kept.places.entry(*key).or_insert(Location { chunk, slot: slot as u32 });
        }
        Ok(chunk)
    }

    async fn chunk(&self, id: i64) -> Result<Option<Vec<u8>>, Infallible> {
        Ok(usize::try_from(id).ok().and_then(|k| self.kept().chunks.get(k).cloned()))
    }

    async fn keep_checkpoint(&self, key: &Key, packed: &[u8]) -> Result<(), Infallible> {
        self.kept().checkpoints.insert(*key, packed.to_vec());
        Ok(())
    }

    async fn last_checkpoint(&self, keys: &[Key]) -> Result<Option<(usize, Vec<u8>)>, Infallible> {
        let kept = self.kept();
        Ok(keys.iter().enumerate().rev().find_map(|(k, key)| Some((k, kept.checkpoints.get(key)?.clone()))))
    }
}
