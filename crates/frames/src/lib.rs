//! Stored motion: frames packed in chunks, the form that the browser reads, checkpoints, and the
//! contract that every place to keep them meets.
mod chunk;
#[cfg(feature = "contract")]
pub mod contract;
mod memory;
mod store;

pub use chunk::{Chunk, ChunkError};
pub use memory::MemoryFrames;
pub use store::{FrameStore, Key, Place};

/// Packs a checkpoint, losing nothing.
///
/// # Errors
/// When the compressor fails.
pub fn pack_checkpoint(snapshot: &[u8]) -> std::io::Result<Vec<u8>> {
    zstd::bulk::compress(snapshot, 1)
}

/// Unpacks a checkpoint, of at most 64 MiB.
///
/// # Errors
/// When the bytes are not a packed checkpoint.
pub fn unpack_checkpoint(packed: &[u8]) -> std::io::Result<Vec<u8>> {
    zstd::bulk::decompress(packed, 64 << 20)
}
