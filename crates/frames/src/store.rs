//! A place to keep frames by fingerprint. Met by memory here and by PostgreSQL in `store`; both run
//! the suite in [`crate::contract`].
use std::future::Future;

/// A frame's fingerprint.
pub type Key = [u8; 32];

/// Where a frame lies.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Location {
    pub chunk: i64,
    /// Which of the chunk's frames.
    pub slot: u32,
}

/// Keeps chunks of frames and checkpoints. A key is written once: what has the same key is the same.
pub trait FrameStore {
    type Error: std::error::Error + Send + 'static;

    /// Where each of the keys lies, if it is kept.
    fn find(&self, keys: &[Key]) -> impl Future<Output = Result<Vec<Option<Location>>, Self::Error>> + Send;

    /// Keeps a packed chunk of frames with these keys, in order.
    fn keep(&self, keys: &[Key], packed: &[u8]) -> impl Future<Output = Result<i64, Self::Error>> + Send;

    /// A packed chunk, if there is one of that number.
    fn chunk(&self, id: i64) -> impl Future<Output = Result<Option<Vec<u8>>, Self::Error>> + Send;

    /// Keeps a packed checkpoint of the frame with this key.
    fn keep_checkpoint(
        &self,
        key: &Key,
        packed: &[u8],
    ) -> impl Future<Output = Result<(), Self::Error>> + Send;

    /// The last of the keys that has a checkpoint: its place in `keys` and the checkpoint.
    fn last_checkpoint(
        &self,
        keys: &[Key],
    ) -> impl Future<Output = Result<Option<(usize, Vec<u8>)>, Self::Error>> + Send;
}
