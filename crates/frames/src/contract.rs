//! What every store of frames promises. Called from the tests of each.
#![allow(clippy::missing_panics_doc)]
use crate::{Chunk, FrameStore, Location};

/// Runs all promises against an empty store.
pub async fn holds(store: &impl FrameStore) {
    let key = |n: u8| [n; 32];
    let frames: Vec<Vec<[f32; 3]>> =
        (0..3).map(|f| vec![[f as f32, 0.5, -1.0], [2.0, 0.0, 0.25 * f as f32]]).collect();
    let packed = Chunk::of(&frames, 5e-5).pack().expect("packs");

    let none = store.find(&[key(1), key(2)]).await.expect("answers");
    assert_eq!(none, [None, None], "an empty store finds nothing");
    assert!(store.chunk(77).await.expect("answers").is_none(), "and has no chunk");
    assert!(store.last_checkpoint(&[key(1)]).await.expect("answers").is_none(), "nor checkpoint");

    let id = store.keep(&[key(1), key(2), key(3)], &packed).await.expect("keeps");
    let found = store.find(&[key(3), key(9), key(1)]).await.expect("answers");
    assert_eq!(found, [Some(Location { chunk: id, slot: 2 }), None, Some(Location { chunk: id, slot: 0 })]);
    assert_eq!(
        store.chunk(id).await.expect("answers").as_deref(),
        Some(&packed[..]),
        "bytes come back as they were"
    );

    // Two who computed the same frame: the first stays, neither fails.
    let other = store.keep(&[key(3), key(4)], &packed).await.expect("keeps what is partly there");
    let found = store.find(&[key(3), key(4)]).await.expect("answers");
    assert_eq!(found, [Some(Location { chunk: id, slot: 2 }), Some(Location { chunk: other, slot: 1 })]);

    store.keep_checkpoint(&key(1), b"one").await.expect("keeps");
    store.keep_checkpoint(&key(3), b"three").await.expect("keeps");
    store.keep_checkpoint(&key(3), b"three").await.expect("keeps again");
    let last = store.last_checkpoint(&[key(1), key(2), key(3), key(4)]).await.expect("answers");
    assert_eq!(last, Some((2, b"three".to_vec())), "the last of the keys counts");
    let last = store.last_checkpoint(&[key(3), key(2), key(1)]).await.expect("answers");
    assert_eq!(last, Some((2, b"one".to_vec())), "by the order asked, not the order kept");
}
