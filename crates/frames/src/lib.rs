//! Stored motion: frames packed in chunks, the form that the browser reads, checkpoints, and the
//! contract that every place to keep them meets.
mod chunk;
#[cfg(feature = "contract")]
pub mod contract;
mod memory;
mod store;

pub use chunk::{Channel, Chunk, ChunkError, ID, POSITION, TURN, error_for, error_for_strands};
pub use memory::MemoryFrames;
pub use store::{FrameStore, Key, Location};

/// Packs a checkpoint, losing nothing.
///
/// # Errors
/// When the compressor fails.
pub fn pack_checkpoint(snapshot: &[u8]) -> std::io::Result<Vec<u8>> {
    zstd::bulk::compress(snapshot, 1)
}

/// Unpacks a checkpoint, of at most so many bytes: whoever resumes knows how many its bodies need.
///
/// # Errors
/// When the bytes are not a packed checkpoint, or one of more bytes.
pub fn unpack_checkpoint(packed: &[u8], most: usize) -> std::io::Result<Vec<u8>> {
    zstd::bulk::decompress(packed, most)
}
