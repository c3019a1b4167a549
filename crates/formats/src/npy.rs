//! NumPy's `.npy`: little-endian float32 of shape (frames, points, 3). Several make an `.npz`: a zip of them.
use crate::motion::{Delivery, Frame, Motion};
use npyz::WriterBuilder;
use std::io::{Result, Write};

pub(crate) fn write_npy(sink: &mut dyn Write, all: &mut Delivery) -> Result<()> {
    if let [one] = all.bodies {
        return array(sink, one, (all.frames)(0));
    }
    let mut zip = zip::ZipWriter::new_stream(sink);
    let names = crate::file_names(all.bodies.iter().map(|b| b.name));
    for (k, name) in names.iter().enumerate() {
        // Floats hardly pack, and NumPy itself keeps them as they are.
        let options = zip::write::SimpleFileOptions::default()
            .compression_method(zip::CompressionMethod::Stored)
            .large_file(true);
        zip.start_file(format!("{name}.npy"), options)?;
        array(&mut zip, &all.bodies[k], (all.frames)(k))?;
    }
    zip.finish()?.flush()
}

fn array(sink: &mut dyn Write, motion: &Motion, frames: impl Iterator<Item = Frame>) -> Result<()> {
    let shape = [motion.count as u64, motion.mesh.positions.len() as u64, 3];
    let mut out = npyz::WriteOptions::<f32>::new().default_dtype().shape(&shape).writer(sink).begin_nd()?;
    for frame in frames {
        out.extend(frame?.into_iter().flatten())?;
    }
    out.finish()
}
