//! A run of frames of one body, on a grid of 16 bits an axis.
//!
//! Stored: little-endian header (magic `NMC1`, points u32, frames u32, origin 3 f32, step f32), then
//! zstd of the grid coordinates: axis by axis, each frame as its difference from the frame before,
//! low bytes apart from high bytes. On the wire: the same header, then the coordinates as they are,
//! frame by frame, x y z a point, u16.

/// Half of the grid's step at its finest: the position error, metres.
const ERROR: f64 = 0.000_05;
/// The error where a chunk is large, as a share of its extent.
const SHARE: f64 = 1.0 / 50_000.0;
const HEADER: usize = 28;

/// Frames on a grid.
#[derive(Clone, Debug, PartialEq)]
pub struct Chunk {
    pub points: usize,
    pub frames: usize,
    /// Metres.
    origin: [f32; 3],
    step: f32,
    /// Frame by frame, point by point, x y z.
    grid: Vec<u16>,
}

/// Why bytes are no chunk.
#[derive(Debug, PartialEq, Eq, thiserror::Error)]
pub enum ChunkError {
    #[error("a chunk starts with its mark and header; this has {0} bytes and another start")]
    Header(usize),
    #[error("the chunk's frames can't be unpacked: {0}")]
    Packed(String),
}

impl Chunk {
    /// Puts frames on the grid. Each has as many points; a place is off by at most 0.05 mm or a
    /// 50,000th of the chunk's extent, whichever is larger.
    pub fn of(frames: &[Vec<[f32; 3]>]) -> Chunk {
        let all = || frames.iter().flatten();
        let lo: [f32; 3] = std::array::from_fn(|k| all().map(|p| p[k]).fold(f32::INFINITY, f32::min));
        let hi: [f32; 3] = std::array::from_fn(|k| all().map(|p| p[k]).fold(f32::NEG_INFINITY, f32::max));
        let origin = if lo[0].is_finite() { lo } else { [0.0; 3] };
        let extent = (0..3).map(|k| f64::from(hi[k]) - f64::from(lo[k])).fold(0.0, f64::max);
        // A little under twice the error, for the rounding of f32 on the way back.
        let step = (1.98 * ERROR.max(extent * SHARE)) as f32;
        let to = |c: f32, k: usize| ((f64::from(c) - f64::from(origin[k])) / f64::from(step)).round() as u16;
        let grid = all().flat_map(|p| [to(p[0], 0), to(p[1], 1), to(p[2], 2)]).collect();
        Chunk { points: frames.first().map_or(0, Vec::len), frames: frames.len(), origin, step, grid }
    }

    /// Positions of a frame, metres; `None` beyond the last.
    pub fn frame(&self, index: usize) -> Option<Vec<[f32; 3]>> {
        let n = 3 * self.points;
        let at = |q: &[u16]| {
            std::array::from_fn(|k| {
                (f64::from(self.origin[k]) + f64::from(q[k]) * f64::from(self.step)) as f32
            })
        };
        let frame = (index < self.frames).then(|| self.grid.get(index * n..(index + 1) * n))??;
        Some(frame.chunks_exact(3).map(at).collect())
    }

    fn header(&self) -> Vec<u8> {
        let mut out = b"NMC1".to_vec();
        out.extend((self.points as u32).to_le_bytes());
        out.extend((self.frames as u32).to_le_bytes());
        self.origin.iter().chain([&self.step]).for_each(|n| out.extend(n.to_le_bytes()));
        out
    }

    /// The form that is stored.
    ///
    /// # Errors
    /// When the compressor fails.
    pub fn pack(&self) -> std::io::Result<Vec<u8>> {
        let n = 3 * self.points;
        let mut low = Vec::with_capacity(self.grid.len());
        let mut high = Vec::with_capacity(self.grid.len());
        for axis in 0..3 {
            for f in 0..self.frames {
                for p in 0..self.points {
                    let at = f * n + 3 * p + axis;
                    let before = match (f, p) {
                        (0, 0) => 0,
                        (0, _) => self.grid[at - 3],
                        _ => self.grid[at - n],
                    };
                    let d = self.grid[at].wrapping_sub(before) as i16;
                    // Zigzag: small differences of either sign have a high byte of zero.
                    let z = ((d << 1) ^ (d >> 15)) as u16;
                    low.push(z as u8);
                    high.push((z >> 8) as u8);
                }
            }
        }
        low.extend(high);
        let mut out = self.header();
        out.extend(zstd::bulk::compress(&low, 3)?);
        Ok(out)
    }

    /// Reads the stored form.
    ///
    /// # Errors
    /// When the bytes are not what [`Chunk::pack`] wrote.
    pub fn unpack(bytes: &[u8]) -> Result<Chunk, ChunkError> {
        let mut chunk = Chunk::read_header(bytes)?;
        let (n, numbers) = (3 * chunk.points, 3 * chunk.points * chunk.frames);
        let planes = zstd::bulk::decompress(&bytes[HEADER..], 2 * numbers)
            .map_err(|e| ChunkError::Packed(e.to_string()))?;
        if planes.len() != 2 * numbers {
            return Err(ChunkError::Packed(format!("{} bytes where {} are due", planes.len(), 2 * numbers)));
        }
        chunk.grid = vec![0; numbers];
        for axis in 0..3 {
            for f in 0..chunk.frames {
                for p in 0..chunk.points {
                    let k = (axis * chunk.frames + f) * chunk.points + p;
                    let z = u16::from(planes[k]) | u16::from(planes[numbers + k]) << 8;
                    let d = (z >> 1) ^ (z & 1).wrapping_neg();
                    let at = f * n + 3 * p + axis;
                    let before = match (f, p) {
                        (0, 0) => 0,
                        (0, _) => chunk.grid[at - 3],
                        _ => chunk.grid[at - n],
                    };
                    chunk.grid[at] = before.wrapping_add(d);
                }
            }
        }
        Ok(chunk)
    }

    fn read_header(bytes: &[u8]) -> Result<Chunk, ChunkError> {
        if bytes.len() < HEADER || &bytes[..4] != b"NMC1" {
            return Err(ChunkError::Header(bytes.len()));
        }
        let word = |k: usize| std::array::from_fn::<u8, 4, _>(|b| bytes[4 + 4 * k + b]);
        let (points, frames) = (u32::from_le_bytes(word(0)) as usize, u32::from_le_bytes(word(1)) as usize);
        if points.saturating_mul(frames) > 1 << 28 {
            return Err(ChunkError::Packed(format!("{points} points in {frames} frames are too many")));
        }
        let number = |k: usize| f32::from_le_bytes(word(k));
        let origin = [number(2), number(3), number(4)];
        Ok(Chunk { points, frames, origin, step: number(5), grid: vec![] })
    }

    /// The form that the browser reads.
    pub fn wire(&self) -> Vec<u8> {
        let mut out = self.header();
        out.extend(self.grid.iter().flat_map(|q| q.to_le_bytes()));
        out
    }
}
