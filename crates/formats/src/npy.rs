//! NumPy's `.npy`, version 1.0: little-endian float32 of shape (frames, points, 3).
use std::io::{Result, Write};

/// The bytes before the numbers.
pub fn npy_header(frames: usize, points: usize) -> Vec<u8> {
    let dict = format!("{{'descr': '<f4', 'fortran_order': False, 'shape': ({frames}, {points}, 3), }}");
    // Magic, version and length take 10 bytes; all together fills a multiple of 64 and ends the line.
    let padded = (10 + dict.len() + 1).div_ceil(64) * 64 - 10;
    let mut out = b"\x93NUMPY\x01\x00".to_vec();
    out.extend((padded as u16).to_le_bytes());
    out.extend(format!("{dict:<width$}\n", width = padded - 1).as_bytes());
    out
}

/// Writes all frames, each of as many points.
///
/// # Errors
/// When the sink fails.
pub fn write_npy(sink: &mut impl Write, points: usize, frames: &[Vec<[f32; 3]>]) -> Result<()> {
    sink.write_all(&npy_header(frames.len(), points))?;
    for frame in frames {
        let bytes: Vec<u8> = frame.iter().flatten().flat_map(|c| c.to_le_bytes()).collect();
        sink.write_all(&bytes)?;
    }
    Ok(())
}
