//! NumPy's `.npy`: little-endian float32 of shape (frames, points, 3), or float64 where exact places are asked for. Several make an `.npz`: a zip of them.
use crate::motion::{Delivery, Frame, Motion};
use npyz::WriterBuilder;
use std::io::{Result, Write};

pub(crate) fn write_npy(sink: &mut dyn Write, all: &mut Delivery) -> Result<()> {
    let exact = all.with.exact;
    if let [one] = all.bodies {
        return array(sink, one, (all.frames)(0), exact);
    }
    let mut zip = zip::ZipWriter::new_stream(sink);
    let names = crate::file_names(all.bodies.iter().map(|b| b.name));
    for (k, name) in names.iter().enumerate() {
        // Floats hardly pack, and NumPy itself keeps them as they are.
        let options = zip::write::SimpleFileOptions::default()
            .compression_method(zip::CompressionMethod::Stored)
            .large_file(true);
        zip.start_file(format!("{name}.npy"), options)?;
        array(&mut zip, &all.bodies[k], (all.frames)(k), exact)?;
    }
    zip.finish()?.flush()
}

fn array(
    sink: &mut dyn Write,
    motion: &Motion,
    frames: impl Iterator<Item = Frame>,
    exact: bool,
) -> Result<()> {
    let of = motion.origin;
    let world = |p: [f32; 3]| -> [f64; 3] { std::array::from_fn(|c| of[c] + f64::from(p[c])) };
    match exact {
        true => numbers::<f64>(sink, motion, frames, world),
        false => numbers::<f32>(sink, motion, frames, |p| world(p).map(|c| c as f32)),
    }
}

fn numbers<N: npyz::AutoSerialize>(
    sink: &mut dyn Write,
    motion: &Motion,
    frames: impl Iterator<Item = Frame>,
    number: impl Fn([f32; 3]) -> [N; 3],
) -> Result<()> {
    let shape = [motion.count as u64, motion.mesh.positions.len() as u64, 3];
    let mut out = npyz::WriteOptions::<N>::new().default_dtype().shape(&shape).writer(sink).begin_nd()?;
    for frame in frames {
        out.extend(frame?.into_iter().flat_map(&number))?;
    }
    out.finish()
}
