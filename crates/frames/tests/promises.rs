#![allow(clippy::unwrap_used)]
use nematon_frames::*;

fn wave(points: usize, frames: usize, size: f32) -> Vec<Vec<[f32; 3]>> {
    (0..frames)
        .map(|f| {
            (0..points)
                .map(|p| {
                    let a = p as f32 * 0.1;
                    [size * a.sin() + 3.0, size * (a + f as f32 * 0.05).cos(), size * 0.01 * f as f32 - 100.0]
                })
                .collect()
        })
        .collect()
}

fn worst(frames: &[Vec<[f32; 3]>], chunk: &Chunk) -> f64 {
    let all = frames.iter().enumerate().flat_map(|(k, f)| {
        let back = chunk.frame(k).unwrap();
        f.iter()
            .zip(back)
            .map(|(a, b)| (0..3).map(|c| f64::from(a[c] - b[c]).abs()).fold(0.0, f64::max))
            .collect::<Vec<_>>()
    });
    all.fold(0.0, f64::max)
}

#[test]
fn places_are_off_by_no_more_than_promised() {
    for (size, most) in
        [(0.01, 0.000_05), (1.0, 0.000_05), (40.0, 80.0 / 50_000.0), (4000.0, 8000.0 / 50_000.0)]
    {
        let frames = wave(500, 12, size);
        let chunk = Chunk::unpack(&Chunk::of(&frames).pack().unwrap()).unwrap();
        let w = worst(&frames, &chunk);
        // f32 itself can't say places a hundred metres out to better than a few micrometres.
        assert!(w <= most + 8e-6, "size {size}: off by {w}");
    }
}

#[test]
fn packing_loses_nothing_and_makes_it_small() {
    let frames = wave(2400, 12, 1.0);
    let chunk = Chunk::of(&frames);
    let packed = chunk.pack().unwrap();
    assert_eq!(Chunk::unpack(&packed).unwrap(), chunk);
    let raw = 2400 * 12 * 12;
    assert!(packed.len() * 4 < raw, "{} of {raw}", packed.len());
    assert_eq!(chunk.wire().len(), 28 + 2400 * 12 * 6);
    assert!(chunk.frame(12).is_none());
}

#[test]
fn an_empty_and_a_still_chunk_are_chunks() {
    for frames in [vec![], vec![vec![]], vec![vec![[1.0, 2.0, 3.0]; 5]; 2]] {
        let chunk = Chunk::of(&frames);
        assert_eq!(Chunk::unpack(&chunk.pack().unwrap()).unwrap(), chunk);
    }
}

#[test]
fn broken_bytes_are_refused() {
    let packed = Chunk::of(&wave(50, 3, 1.0)).pack().unwrap();
    assert_eq!(Chunk::unpack(b"short"), Err(ChunkError::Header(5)));
    assert!(matches!(Chunk::unpack(&packed[..packed.len() - 3]), Err(ChunkError::Packed(_))));
    let mut many = packed.clone();
    many[4..8].copy_from_slice(&u32::MAX.to_le_bytes());
    assert!(matches!(Chunk::unpack(&many), Err(ChunkError::Packed(_))));
}

#[test]
fn a_checkpoint_comes_back_bit_for_bit() {
    let bytes: Vec<u8> = (0..10_000u32).flat_map(|k| (k as f32).sin().to_le_bytes()).collect();
    let packed = pack_checkpoint(&bytes).unwrap();
    assert_eq!(unpack_checkpoint(&packed, bytes.len()).unwrap(), bytes);
    assert!(unpack_checkpoint(&packed, bytes.len() - 1).is_err(), "of another island");
    assert!(unpack_checkpoint(b"no", 100).is_err());
}

#[test]
fn a_checkpoint_of_any_size_that_an_island_needs_can_be_read() {
    // Five full bodies at 52 bytes a point.
    let bytes = vec![7u8; 5 * 400_000 * 52];
    let packed = pack_checkpoint(&bytes).unwrap();
    assert!(unpack_checkpoint(&packed, bytes.len()).unwrap() == bytes);
}

#[tokio::test]
async fn memory_keeps_the_contract() {
    contract::holds(&MemoryFrames::default()).await;
}
