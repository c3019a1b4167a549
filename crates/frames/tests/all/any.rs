//! Chunks of whatever frames, and of whatever bytes.
use nematon_frames::*;

/// Numbers that look random and are the same each time.
struct Dice(u64);

impl Dice {
    fn throw(&mut self, below: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as usize % below
    }

    /// From -1 to 1.
    fn share(&mut self) -> f32 {
        self.throw(2_000_001) as f32 / 1e6 - 1.0
    }
}

fn frames(dice: &mut Dice) -> Vec<Vec<[f32; 3]>> {
    let (points, count) = (1 + dice.throw(300), 1 + dice.throw(14));
    let size = 10f32.powi(dice.throw(8) as i32 - 3);
    let middle: [f32; 3] = std::array::from_fn(|_| 50.0 * dice.share());
    let still = dice.throw(3) == 0;
    let first: Vec<[f32; 3]> =
        (0..points).map(|_| std::array::from_fn(|c| middle[c] + size * dice.share())).collect();
    (0..count)
        .map(|_| match still {
            true => first.clone(),
            false => first.iter().map(|p| p.map(|c| c + 0.2 * size * dice.share())).collect(),
        })
        .collect()
}

#[test]
fn any_frames_come_back_within_the_promise() {
    let mut dice = Dice(3);
    for k in 0..300 {
        let given = frames(&mut dice);
        let error = [5e-5, 1e-6, 3e-7][dice.throw(3)];
        let chunk = Chunk::unpack(&Chunk::of(&given, error).pack().unwrap()).unwrap();
        let all = || given.iter().flatten();
        let extent = (0..3)
            .map(|c| {
                let of = || all().map(move |p| f64::from(p[c]));
                of().fold(f64::MIN, f64::max) - of().fold(f64::MAX, f64::min)
            })
            .fold(0.0, f64::max);
        // What was asked, or what 32 bits allow over the extent, however far out.
        let most = error.max(extent / 4e9);
        for (f, frame) in given.iter().enumerate() {
            let back = chunk.frame(f).unwrap();
            assert_eq!(back.len(), frame.len());
            for (a, b) in frame.iter().zip(&back) {
                for c in 0..3 {
                    let off = (f64::from(a[c]) - b[c]).abs();
                    assert!(off <= most, "chunk {k}, frame {f}: off by {off} of {most}");
                }
            }
        }
        assert!(chunk.frame(given.len()).is_none());
    }
}

#[test]
fn bytes_that_were_changed_or_cut_never_panic() {
    let mut dice = Dice(5);
    for _ in 0..60 {
        let packed = Chunk::of(&frames(&mut dice), [5e-5, 1e-6][dice.throw(2)]).pack().unwrap();
        for _ in 0..40 {
            let mut bytes = packed.clone();
            match dice.throw(3) {
                0 => bytes.truncate(dice.throw(packed.len())),
                1 => {
                    let at = dice.throw(bytes.len());
                    bytes[at] ^= 1 << dice.throw(8);
                }
                _ => bytes.extend([0; 7]),
            }
            // Refused, or a chunk of whatever it says now, whose frames can be asked for.
            if let Ok(chunk) = Chunk::unpack(&bytes) {
                let _ = (chunk.frame(0), chunk.frame(usize::MAX));
            }
        }
    }
}

#[test]
fn any_checkpoint_comes_back_and_broken_ones_are_refused() {
    let mut dice = Dice(9);
    for _ in 0..50 {
        let bytes: Vec<u8> = (0..dice.throw(5000)).map(|_| dice.throw(256) as u8).collect();
        let packed = pack_checkpoint(&bytes).unwrap();
        assert_eq!(unpack_checkpoint(&packed, bytes.len()).unwrap(), bytes);
        if bytes.len() > 8 {
            assert!(unpack_checkpoint(&packed[..packed.len() / 2], bytes.len()).is_err());
        }
    }
}
