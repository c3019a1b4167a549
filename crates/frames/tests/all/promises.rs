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
            .map(|(a, b)| (0..3).map(|c| (f64::from(a[c]) - b[c]).abs()).fold(0.0, f64::max))
            .collect::<Vec<_>>()
    });
    all.fold(0.0, f64::max)
}

#[test]
fn places_are_off_by_no_more_than_promised() {
    for (size, most) in [(0.01, 5e-5), (1.0, 5e-5), (40.0, 5e-5), (4000.0, 5e-5)] {
        let frames = wave(500, 12, size);
        let chunk = Chunk::unpack(&Chunk::of(&frames, 5e-5).pack().unwrap()).unwrap();
        let w = worst(&frames, &chunk);
        // f32 itself can't say places a hundred metres out to better than a few micrometres.
        assert!(w <= most + 8e-6, "size {size}: off by {w}");
    }
}

#[test]
fn packing_loses_nothing_and_makes_it_small() {
    let frames = wave(2400, 12, 1.0);
    let chunk = Chunk::of(&frames, 5e-5);
    let packed = chunk.pack().unwrap();
    assert_eq!(Chunk::unpack(&packed).unwrap(), chunk);
    let raw = 2400 * 12 * 12;
    assert!(packed.len() * 4 < raw, "{} of {raw}", packed.len());
    let wire = chunk.wire().unwrap();
    let head = u32::from_le_bytes(wire[..4].try_into().unwrap()) as usize;
    assert_eq!((wire.len(), head % 4), (4 + head + 2400 * 12 * 6, 0));
    assert!(chunk.frame(12).is_none());
}

#[test]
fn an_empty_and_a_still_chunk_are_chunks() {
    for frames in [vec![], vec![vec![]], vec![vec![[1.0, 2.0, 3.0]; 5]; 2]] {
        let chunk = Chunk::of(&frames, 5e-5);
        assert_eq!(Chunk::unpack(&chunk.pack().unwrap()).unwrap(), chunk);
    }
}

#[test]
fn broken_bytes_are_refused() {
    let packed = Chunk::of(&wave(50, 3, 1.0), 5e-5).pack().unwrap();
    assert_eq!(Chunk::unpack(b"short"), Err(ChunkError::Header(5)));
    assert!(matches!(Chunk::unpack(&packed[..packed.len() - 3]), Err(ChunkError::Packed(_))));
    let mut many = packed.clone();
    many[4..8].copy_from_slice(&u32::MAX.to_le_bytes());
    assert_eq!(Chunk::unpack(&many), Err(ChunkError::Header(many.len())));
    // More than there can be is refused before room is made for it.
    for (frames, points, bits) in
        [("99999999999", "[1]", 16), ("4", "[4000000000]", 16), ("2", "[1,2,3]", 16), ("1", "[1]", 8)]
    {
        let head = format!(
            r#"{{"frames":{frames},"channels":[{{"name":"position","origin":[0,0,0],"step":1,"bits":{bits},"points":{points}}}]}}"#
        );
        let mut bytes = b"NMC2".to_vec();
        bytes.extend((head.len() as u32).to_le_bytes());
        bytes.extend(head.as_bytes());
        assert!(matches!(Chunk::unpack(&bytes), Err(ChunkError::Packed(_))), "{head}");
    }
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

/// A flat cloth of 60 x 60 points, 5 cm wide, that lies askew.
fn small() -> Vec<[f32; 3]> {
    let at = |k: usize| 0.05 * (k as f64 / 59.0 - 0.5);
    (0..3600)
        .map(|p| {
            let (x, z) = (at(p % 60), at(p / 60));
            [x + 2.0, 1.0 + 0.37 * x + 0.21 * z, z - 1.0].map(|c| c as f32)
        })
        .collect()
}

#[test]
fn normals_of_a_small_fine_cloth_stay_right() {
    // A kilometre out too.
    for far in [0.0, 1000.0] {
        normals_stay_right(small().iter().map(|p| p.map(|c| f64::from(c) + far)).collect());
    }
    assert_eq!(error_for(0.07), 5e-5, "a coarse one is as before");
    assert!((error_for_strands(0.004) - 1.2e-5).abs() < 1e-12 && error_for_strands(0.07) == 5e-5);
}

fn normals_stay_right(frame: Vec<[f64; 3]>) {
    let edge = 0.05 / 59.0;
    let chunk = Chunk::of(std::slice::from_ref(&frame), error_for(edge));
    let back = Chunk::unpack(&chunk.pack().unwrap()).unwrap().frame(0).unwrap();
    let normal = |f: &[[f64; 3]], p: usize| {
        let side = |q: usize| -> [f64; 3] { std::array::from_fn(|c| f[q][c] - f[p][c]) };
        let (u, v) = (side(p + 1), side(p + 60));
        let n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
        n.map(|c| c / n.iter().map(|c| c * c).sum::<f64>().sqrt())
    };
    let worst = (0..59 * 60).filter(|p| p % 60 != 59).map(|p| {
        let (a, b) = (normal(&frame, p), normal(&back, p));
        (a[0] * b[0] + a[1] * b[1] + a[2] * b[2]).min(1.0).acos().to_degrees()
    });
    let worst = worst.fold(0.0, f64::max);
    assert!(worst < 0.2, "normals are off by {worst} degrees");
}

#[test]
fn channels_have_names_and_counts_that_change() {
    let counts = [3usize, 5, 5, 0, 2];
    let sizes: Vec<Vec<f32>> =
        counts.iter().map(|n| (0..*n).map(|k| 0.1 * k as f32 + 1.0).collect()).collect();
    let places: Vec<Vec<[f32; 3]>> =
        counts.iter().map(|n| (0..*n).map(|k| [k as f32, 0.5, -2.0]).collect()).collect();
    let chunk = Chunk::of(&places, 1e-6).with(Channel::of("size", 1, &sizes, 1e-4));
    let back = Chunk::unpack(&chunk.pack().unwrap()).unwrap();
    assert_eq!(back, chunk);
    for (f, n) in counts.iter().enumerate() {
        assert_eq!(back.frame(f).unwrap().len(), *n);
        let own = back.channel("size").unwrap().frame(f).unwrap();
        assert!(own.iter().zip(&sizes[f]).all(|(a, b)| (a - f64::from(*b)).abs() < 1e-4) && own.len() == *n);
    }
    assert!(back.channel("width").is_none() && back.frame(5).is_none());
}

#[test]
fn chunks_of_the_first_form_are_read() {
    let chunk = Chunk::unpack(include_bytes!("first.nmc")).unwrap();
    assert_eq!((chunk.frames, chunk.frame(11).unwrap().len()), (12, 48));
    // An awning that hangs by a rod 1.5 m up.
    let heights = |f: usize| chunk.frame(f).unwrap().into_iter().map(|p| p[1]).fold(f64::MIN, f64::max);
    assert!((heights(0) - 1.5).abs() < 1e-3 && heights(11) < 1.7, "{} {}", heights(0), heights(11));
    assert_eq!(Chunk::unpack(&chunk.pack().unwrap()).unwrap(), chunk, "and kept in the new one");
}
