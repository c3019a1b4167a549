//! Frames on disk between a run and the files that are written of it.
use nematon_formats::{Frame, TurnsOf, near, rounding};
use std::fs::File;
use std::io::{BufReader, BufWriter, Read, Write};
use std::os::unix::fs::FileExt;
use std::path::Path;

/// Frames of a body until they are written: in a file without a name, so that no more than one is in memory. How many
/// there are is known when the motion has ended, and some kinds of files begin with that.
pub struct Spool {
    pub file: BufWriter<File>,
    points: usize,
    pub count: usize,
    /// Where places are told from, metres; and by how much they are off at most for that they are in single precision.
    pub origin: [f64; 3],
    pub off: f64,
    /// How its points are turned, where they have turns.
    pub turns: Option<BufWriter<File>>,
}

impl Spool {
    pub fn new(folder: &Path, points: usize) -> std::io::Result<Spool> {
        Ok(Spool {
            file: BufWriter::new(tempfile::tempfile_in(folder)?),
            points,
            count: 0,
            origin: [0.0; 3],
            off: 0.0,
            turns: None,
        })
    }

    pub fn push(&mut self, frame: &[[f64; 3]], exact: bool) -> std::io::Result<()> {
        if exact && self.count == 0 {
            self.origin = near(frame);
        }
        self.count += 1;
        self.off = self.off.max(rounding(frame, self.origin));
        let told = |p: &[f64; 3]| -> [f32; 3] { std::array::from_fn(|c| (p[c] - self.origin[c]) as f32) };
        let bytes: Vec<u8> = frame.iter().flat_map(told).flat_map(f32::to_le_bytes).collect();
        self.file.write_all(&bytes)
    }

    pub fn push_turns(&mut self, folder: &Path, turns: &[[f32; 4]]) -> std::io::Result<()> {
        let file = match &mut self.turns {
            Some(file) => file,
            none => none.insert(BufWriter::new(tempfile::tempfile_in(folder)?)),
        };
        let bytes: Vec<u8> = turns.iter().flatten().flat_map(|c| c.to_le_bytes()).collect();
        file.write_all(&bytes)
    }

    /// How points are turned in all frames, once they are flushed.
    pub fn turns(&self) -> std::io::Result<impl Iterator<Item = TurnsOf> + use<>> {
        let from = self.turns.as_ref().ok_or_else(|| std::io::Error::other("it has no turns"))?;
        let (mut file, points) = (BufReader::new(Spooled(from.get_ref().try_clone()?, 0)), self.points);
        Ok((0..self.count).map(move |_| {
            let mut bytes = vec![0; 16 * points];
            file.read_exact(&mut bytes)?;
            let number = |b: &[u8]| f32::from_le_bytes([b[0], b[1], b[2], b[3]]);
            Ok(bytes.chunks_exact(16).map(|t| [0, 4, 8, 12].map(|k| number(&t[k..]))).collect())
        }))
    }

    /// All frames from the first on, once they are flushed.
    pub fn frames(&self) -> std::io::Result<impl Iterator<Item = Frame> + use<>> {
        let (mut file, points) = (BufReader::new(Spooled(self.file.get_ref().try_clone()?, 0)), self.points);
        Ok((0..self.count).map(move |_| {
            let mut bytes = vec![0; 12 * points];
            file.read_exact(&mut bytes)?;
            let number = |b: &[u8]| f32::from_le_bytes([b[0], b[1], b[2], b[3]]);
            Ok(bytes.chunks_exact(12).map(|p| [number(p), number(&p[4..]), number(&p[8..])]).collect())
        }))
    }
}

/// A file that is read from a place of its own: two readers of one file do not move each other.
struct Spooled(File, u64);

impl Read for Spooled {
    fn read(&mut self, to: &mut [u8]) -> std::io::Result<usize> {
        let n = self.0.read_at(to, self.1)?;
        self.1 += n as u64;
        Ok(n)
    }
}
