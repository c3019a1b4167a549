//! NumPy's `.npy`: little-endian float32 of shape (frames, points, 3).
use crate::motion::{Frame, Motion};
use npyz::WriterBuilder;
use std::io::{Result, Write};

pub(crate) fn write_npy(
    sink: &mut impl Write,
    motion: &Motion,
    frames: &mut dyn Iterator<Item = Frame>,
) -> Result<()> {
    let shape = [motion.count as u64, motion.mesh.positions.len() as u64, 3];
    let mut out = npyz::WriteOptions::<f32>::new().default_dtype().shape(&shape).writer(sink).begin_nd()?;
    for frame in frames {
        out.extend(frame?.into_iter().flatten())?;
    }
    out.finish()
}
