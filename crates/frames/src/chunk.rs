//! A run of frames of one body: named channels, each on its own grid.
//!
//! Stored: the mark `NMC2`, a length (u32) and JSON that says what the channels are (see [`Head`]), then zstd of their grid
//! coordinates: channel by channel, component by component, each as its difference from where it would be if its point had
//! moved as the point before it did, low bytes apart from higher ones. On the wire: a length and the same JSON, filled with
//! blanks to a multiple of four bytes, then the coordinates as they are, channel by channel, frame by frame, point by
//! point, as u16 or u32; each channel is filled with zeros to a multiple of four bytes. Little-endian throughout.
//!
//! The first form, `NMC1` (positions on a grid of 16 bits), is read too.
use serde::{Deserialize, Serialize};

/// The error of a position at most, metres.
const ERROR: f64 = 0.000_05;
/// And as a share of the shortest edge at rest, so that normals stay right: a corner that is off by e at an edge l turns
/// a face by e / l.
const EDGE_SHARE: f64 = 0.001;
/// Finer than this f32 can't say places a few metres out.
const FINEST: f64 = 1e-7;
const MARK: &[u8; 4] = b"NMC2";
const FIRST_MARK: &[u8; 4] = b"NMC1";
const FIRST_HEADER: usize = 28;
/// More numbers than this in one chunk are refused before they are unpacked.
const MOST: usize = 1 << 30;
/// And more frames.
const MOST_FRAMES: usize = 1 << 20;

/// The name of the channel that every body has: places, metres.
pub const POSITION: &str = "position";

/// And of the channel that bodies have whose points are turned: unit quaternions, x, y, z, w, of the points of `position`.
pub const TURN: &str = "turn";
/// How far off a stored turn may be, for each of its numbers.
const TURN_ERROR: f64 = 0.002;

/// And of the channel that bodies have whose points come and go: the number of each point of `position`, as given.
pub const ID: &str = "id";

/// How far off a stored position of a body may be, metres, by its shortest edge at rest.
pub fn error_for(shortest_edge: f64) -> f64 {
    if shortest_edge > 0.0 { ERROR.min(EDGE_SHARE * shortest_edge).max(FINEST) } else { ERROR }
}

/// The same of strands, which have no faces to be turned: so many times as far.
pub fn error_for_strands(shortest_segment: f64) -> f64 {
    error_for(3.0 * shortest_segment)
}

/// Frames of some channels.
#[derive(Clone, Debug, PartialEq)]
pub struct Chunk {
    pub frames: usize,
    channels: Vec<Channel>,
}

/// Numbers that change with the frame; there can be more or fewer of them from frame to frame.
#[derive(Clone, Debug, PartialEq)]
pub struct Channel {
    name: String,
    /// Numbers a point.
    components: usize,
    /// Where the grid begins, for each component. In double, so that what lies a kilometre out is as exact as the grid.
    origin: Vec<f64>,
    step: f32,
    /// Of a coordinate: 16 or 32.
    bits: u32,
    /// Points of each frame.
    counts: Vec<u32>,
    /// Frame by frame, point by point, component by component.
    grid: Vec<u32>,
}

/// Where a frame's numbers begin; where those of the frame before do, and how many they were.
type By = (usize, Option<(usize, usize)>);

/// How coordinates are told.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Form {
    /// By the same of the frame before.
    First,
    /// By that and by how the point before moved.
    Second,
}

/// What a chunk says of itself.
#[derive(Serialize, Deserialize)]
struct Head {
    frames: usize,
    channels: Vec<ChannelHead>,
}

#[derive(Serialize, Deserialize)]
struct ChannelHead {
    name: String,
    origin: Vec<f64>,
    step: f32,
    bits: u32,
    /// Points of each frame; one number where all have as many.
    points: Vec<u32>,
}

/// Why bytes are no chunk.
#[derive(Debug, PartialEq, Eq, thiserror::Error)]
pub enum ChunkError {
    #[error("a chunk starts with its mark and header; this has {0} bytes and another start")]
    Header(usize),
    #[error("the chunk's frames can't be unpacked: {0}")]
    Packed(String),
}

impl Channel {
    /// Puts frames of numbers on a grid; a number is off by at most `error`, or by what 32 bits allow over its extent.
    pub fn of<N: Copy + Into<f64>>(name: &str, components: usize, frames: &[Vec<N>], error: f64) -> Channel {
        let components = components.max(1);
        let all = || frames.iter().flat_map(|f| f.chunks_exact(components));
        let bound = |k: usize| {
            let of = |(lo, hi): (f64, f64), p: &[N]| (lo.min(p[k].into()), hi.max(p[k].into()));
            all().fold((f64::INFINITY, f64::NEG_INFINITY), of)
        };
        let bounds: Vec<(f64, f64)> = (0..components).map(bound).collect();
        let origin: Vec<f64> = bounds.iter().map(|b| if b.0.is_finite() { b.0 } else { 0.0 }).collect();
        let extent = bounds.iter().map(|(lo, hi)| hi - lo).fold(0.0, f64::max);
        // A little under twice the error, for the rounding of f32 on the way back.
        let step = (1.98 * error).max(extent / 4.2e9) as f32;
        let bits = if extent / f64::from(step) < 65_500.0 { 16 } else { 32 };
        let to = |(k, c): (usize, &N)| (((*c).into() - origin[k]) / f64::from(step)).round().max(0.0) as u32;
        let grid = all().flat_map(|p| p.iter().enumerate().map(to)).collect();
        let counts = frames.iter().map(|f| (f.len() / components) as u32).collect();
        Channel { name: name.to_owned(), components, origin, step, bits, counts, grid }
    }

    pub fn name(&self) -> &str {
        &self.name
    }

    /// Where a frame's numbers begin and how many there are.
    fn span(&self, frame: usize) -> Option<(usize, usize)> {
        let count = *self.counts.get(frame)? as usize;
        let before: usize = self.counts[..frame].iter().map(|c| *c as usize).sum();
        Some((before * self.components, count * self.components))
    }

    /// The numbers of a frame, point by point; `None` beyond the last.
    pub fn frame(&self, index: usize) -> Option<Vec<f64>> {
        let (from, n) = self.span(index)?;
        let at =
            |(k, q): (usize, &u32)| self.origin[k % self.components] + f64::from(*q) * f64::from(self.step);
        Some(self.grid.get(from..from + n)?.iter().enumerate().map(at).collect())
    }

    fn bytes(&self) -> usize {
        self.bits as usize / 8
    }

    /// The coordinate that another is told by: where it would be if its point had moved as the point before it did. In the
    /// first frame, and where there was no such point, if it lay as far from the point before as that from its own.
    fn before(&self, grid: &[u32], (from, earlier): By, k: usize, form: Form) -> u32 {
        let c = self.components;
        let there = earlier.filter(|e| k < e.1).map(|e| e.0);
        match (form, there) {
            (Form::First, Some(start)) => grid[start + k],
            (Form::Second, Some(start)) if k >= c => {
                grid[start + k].wrapping_add(grid[from + k - c]).wrapping_sub(grid[start + k - c])
            }
            (Form::Second, Some(start)) => grid[start + k],
            (Form::Second, None) if k >= 2 * c => {
                grid[from + k - c].wrapping_mul(2).wrapping_sub(grid[from + k - 2 * c])
            }
            (_, None) if k >= c => grid[from + k - c],
            _ => 0,
        }
    }

    /// Calls `each` with where every coordinate stands, component by component, and what it is told by.
    fn walk(&self, mut each: impl FnMut(usize, By, usize)) {
        for component in 0..self.components {
            let mut earlier = None;
            let mut from = 0;
            for count in &self.counts {
                let n = *count as usize * self.components;
                for k in (component..n).step_by(self.components) {
                    each(from + k, (from, earlier), k);
                }
                earlier = Some((from, n));
                from += n;
            }
        }
    }

    /// Differences as bytes, all of the lowest first. Zigzag: small ones of either sign have high bytes of zero.
    fn planes(&self) -> Vec<u8> {
        let (n, bytes) = (self.grid.len(), self.bytes());
        let mut out = vec![0; n * bytes];
        let mut at = 0;
        self.walk(|place, by, k| {
            let d = self.grid[place].wrapping_sub(self.before(&self.grid, by, k, Form::Second));
            let z = match self.bits {
                16 => u32::from(((d as i16) << 1 ^ (d as i16) >> 15) as u16),
                _ => ((d as i32) << 1 ^ (d as i32) >> 31) as u32,
            };
            (0..bytes).for_each(|b| out[b * n + at] = (z >> (8 * b)) as u8);
            at += 1;
        });
        out
    }

    /// Reads what [`Channel::planes`] wrote.
    fn fill(&mut self, planes: &[u8], form: Form) {
        let (n, bytes) = (planes.len() / self.bytes(), self.bytes());
        let mut grid = vec![0u32; n];
        let mut at = 0;
        self.walk(|place, by, k| {
            let z = (0..bytes).map(|b| u32::from(planes[b * n + at]) << (8 * b)).sum::<u32>();
            let d = (z >> 1) ^ (z & 1).wrapping_neg();
            let value = self.before(&grid, by, k, form).wrapping_add(d);
            grid[place] = if self.bits == 16 { value & 0xffff } else { value };
            at += 1;
        });
        self.grid = grid;
    }

    fn numbers(&self) -> usize {
        self.counts.iter().map(|c| *c as usize).sum::<usize>().saturating_mul(self.components)
    }
}

impl Chunk {
    /// Frames of positions, each off by at most `error` metres (see [`error_for`]). A point whose place is no number is not
    /// there: then those that are there are kept with their numbers.
    pub fn of<N: Copy + Into<f64>>(frames: &[Vec<[N; 3]>], error: f64) -> Chunk {
        let there = |p: &[N; 3]| !Into::<f64>::into(p[0]).is_nan();
        let flat: Vec<Vec<N>> =
            frames.iter().map(|f| f.iter().filter(|p| there(p)).flatten().copied().collect()).collect();
        let chunk = Chunk { frames: frames.len(), channels: vec![Channel::of(POSITION, 3, &flat, error)] };
        if frames.iter().flatten().all(there) {
            return chunk;
        }
        let ids = |f: &Vec<[N; 3]>| -> Vec<f64> {
            f.iter().enumerate().filter(|(_, p)| there(p)).map(|(k, _)| k as f64).collect()
        };
        // On a grid of whole numbers.
        let ids: Vec<Vec<f64>> = frames.iter().map(ids).collect();
        chunk.with(Channel::of(ID, 1, &ids, 1.0 / 1.98))
    }

    /// The same with how its points are turned: of all of them, whether they are there or not.
    pub fn turned<N: Copy + Into<f64>>(self, frames: &[Vec<[N; 3]>], turns: &[Vec<[f32; 4]>]) -> Chunk {
        let there = |p: &[N; 3]| !Into::<f64>::into(p[0]).is_nan();
        let of = |(frame, turns): (&Vec<[N; 3]>, &Vec<[f32; 4]>)| -> Vec<f32> {
            let own = frame.iter().zip(turns).filter(|(p, _)| there(p));
            // Both signs are one turn.
            own.flat_map(|(_, t)| t.map(|c| if t[3] < 0.0 { -c } else { c })).collect()
        };
        let flat: Vec<Vec<f32>> = frames.iter().zip(turns).map(of).collect();
        self.with(Channel::of(TURN, 4, &flat, TURN_ERROR))
    }

    /// The same with another channel, of as many frames.
    pub fn with(mut self, channel: Channel) -> Chunk {
        assert_eq!(channel.counts.len(), self.frames);
        self.channels.push(channel);
        self
    }

    pub fn channel(&self, name: &str) -> Option<&Channel> {
        self.channels.iter().find(|c| c.name == name)
    }

    /// Positions of a frame, metres; `None` beyond the last. Where points come and go they stand at their numbers, up to the
    /// highest that is there, and those that are not are no numbers.
    pub fn frame(&self, index: usize) -> Option<Vec<[f64; 3]>> {
        let numbers = self.channel(POSITION).filter(|c| c.components == 3)?.frame(index)?;
        let places = numbers.as_chunks::<3>().0.to_vec();
        let Some(ids) = self.channel(ID) else { return Some(places) };
        let ids: Vec<usize> = ids.frame(index)?.into_iter().map(|k| k.round().max(0.0) as usize).collect();
        let count = ids.iter().max().map_or(0, |k| k + 1);
        if count > MOST / 4 {
            return None;
        }
        let mut out = vec![[f64::NAN; 3]; count];
        ids.into_iter().zip(places).for_each(|(k, p)| out[k] = p);
        Some(out)
    }

    /// How the points of a frame are turned, at their numbers, as [`Chunk::frame`] has their places; `None` where they have no turn.
    pub fn turns(&self, index: usize) -> Option<Vec<[f32; 4]>> {
        let numbers = self.channel(TURN).filter(|c| c.components == 4)?.frame(index)?;
        let unit = |t: &[f64; 4]| {
            let size = t.iter().map(|c| c * c).sum::<f64>().sqrt().max(1e-6);
            t.map(|c| (c / size) as f32)
        };
        let turns: Vec<[f32; 4]> = numbers.as_chunks::<4>().0.iter().map(unit).collect();
        let Some(ids) = self.channel(ID) else { return Some(turns) };
        let ids: Vec<usize> = ids.frame(index)?.into_iter().map(|k| k.round().max(0.0) as usize).collect();
        let count = ids.iter().max().map_or(0, |k| k + 1);
        if count > MOST / 4 {
            return None;
        }
        let mut out = vec![[0.0, 0.0, 0.0, 1.0]; count];
        ids.into_iter().zip(turns).for_each(|(k, t)| out[k] = t);
        Some(out)
    }

    fn head(&self) -> std::io::Result<Vec<u8>> {
        let one = |c: &Channel| ChannelHead {
            name: c.name.clone(),
            origin: c.origin.clone(),
            step: c.step,
            bits: c.bits,
            points: match c.counts.first() {
                Some(first) if c.counts.iter().all(|n| n == first) => vec![*first],
                _ => c.counts.clone(),
            },
        };
        let head = Head { frames: self.frames, channels: self.channels.iter().map(one).collect() };
        let mut text = serde_json::to_vec(&head)?;
        text.resize(text.len().next_multiple_of(4), b' ');
        let mut out = (text.len() as u32).to_le_bytes().to_vec();
        out.extend(text);
        Ok(out)
    }

    /// The form that is stored.
    ///
    /// # Errors
    /// When the compressor fails.
    pub fn pack(&self) -> std::io::Result<Vec<u8>> {
        let planes: Vec<u8> = self.channels.iter().flat_map(Channel::planes).collect();
        let mut out = MARK.to_vec();
        out.extend(self.head()?);
        out.extend(zstd::bulk::compress(&planes, 3)?);
        Ok(out)
    }

    /// Reads the stored form, of either version.
    ///
    /// # Errors
    /// When the bytes are not what [`Chunk::pack`] wrote.
    pub fn unpack(bytes: &[u8]) -> Result<Chunk, ChunkError> {
        let ((mut chunk, packed), form) = match bytes.get(..4) {
            Some(mark) if mark == MARK => (Chunk::read_head(bytes)?, Form::Second),
            Some(mark) if mark == FIRST_MARK => (Chunk::read_first(bytes)?, Form::First),
            _ => return Err(ChunkError::Header(bytes.len())),
        };
        let due: usize = chunk.channels.iter().map(|c| c.numbers() * c.bytes()).sum();
        let planes = zstd::bulk::decompress(packed, due).map_err(|e| ChunkError::Packed(e.to_string()))?;
        if planes.len() != due {
            return Err(ChunkError::Packed(format!("{} bytes where {due} are due", planes.len())));
        }
        let mut rest = planes.as_slice();
        for c in &mut chunk.channels {
            let (own, more) = rest.split_at(c.numbers() * c.bytes());
            c.fill(own, form);
            rest = more;
        }
        Ok(chunk)
    }

    fn read_head(bytes: &[u8]) -> Result<(Chunk, &[u8]), ChunkError> {
        let wrong = || ChunkError::Header(bytes.len());
        let length =
            bytes.get(4..8).and_then(|b| b.try_into().ok()).map(u32::from_le_bytes).ok_or_else(wrong)?;
        let end = 8usize.saturating_add(length as usize);
        let text = bytes.get(8..end).ok_or_else(wrong)?;
        let Head { frames, channels } =
            serde_json::from_slice(text).map_err(|e| ChunkError::Packed(e.to_string()))?;
        let refuse = |why: &str| Err(ChunkError::Packed(why.to_owned()));
        if frames > MOST_FRAMES {
            return refuse("there are too many frames");
        }
        let mut out = vec![];
        let mut all = 0usize;
        for ChannelHead { name, origin, step, bits, points } in channels {
            if origin.is_empty() || ![16, 32].contains(&bits) || (points.len() != frames && points.len() != 1)
            {
                return refuse("a channel's header does not fit");
            }
            let counts = if points.len() == frames { points } else { vec![points[0]; frames] };
            let c = Channel { name, components: origin.len(), origin, step, bits, counts, grid: vec![] };
            all = all.saturating_add(c.numbers());
            out.push(c);
        }
        if all > MOST {
            return refuse("there are too many points");
        }
        Ok((Chunk { frames, channels: out }, &bytes[end..]))
    }

    /// The header of the first form: points u32, frames u32, origin 3 f32, step f32.
    fn read_first(bytes: &[u8]) -> Result<(Chunk, &[u8]), ChunkError> {
        if bytes.len() < FIRST_HEADER {
            return Err(ChunkError::Header(bytes.len()));
        }
        let word = |k: usize| std::array::from_fn::<u8, 4, _>(|b| bytes[4 + 4 * k + b]);
        let (points, frames) = (u32::from_le_bytes(word(0)), u32::from_le_bytes(word(1)) as usize);
        if frames > MOST_FRAMES || (points as usize).saturating_mul(frames) > MOST / 4 {
            return Err(ChunkError::Packed(format!("{points} points in {frames} frames are too many")));
        }
        let number = |k: usize| f32::from_le_bytes(word(k));
        let channel = Channel {
            name: POSITION.into(),
            components: 3,
            origin: (2..5).map(|k| f64::from(number(k))).collect(),
            step: number(5),
            bits: 16,
            counts: vec![points; frames],
            grid: vec![],
        };
        Ok((Chunk { frames, channels: vec![channel] }, &bytes[FIRST_HEADER..]))
    }

    /// The form that the browser reads.
    ///
    /// # Errors
    /// When the header can't be written, which no chunk brings about.
    pub fn wire(&self) -> std::io::Result<Vec<u8>> {
        let mut out = self.head()?;
        for c in &self.channels {
            match c.bits {
                16 => out.extend(c.grid.iter().flat_map(|q| (*q as u16).to_le_bytes())),
                _ => out.extend(c.grid.iter().flat_map(|q| q.to_le_bytes())),
            }
            out.resize(out.len().next_multiple_of(4), 0);
        }
        Ok(out)
    }
}
