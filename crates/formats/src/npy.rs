//! NumPy's `.npy`: little-endian float32 of shape (frames, points, 3), or float64 where exact places are asked for. Several make an `.npz`: a zip of them.
use crate::motion::{Delivery, Frame, Motion};
use npyz::WriterBuilder;
use std::io::{Result, Write};

pub(crate) fn write_npy(sink: &mut dyn Write, all: &mut Delivery) -> Result<()> {
    let exact = all.with.exact;
    if let [one] = all.bodies
        && !one.comes
        && !one.turned
    {
        return array(sink, one, (all.frames)(0), exact);
    }
    let mut zip = zip::ZipWriter::new_stream(sink);
    let names = crate::file_names(all.bodies.iter().map(|b| b.name));
    for (k, name) in names.iter().enumerate() {
        // Floats hardly pack, and NumPy itself keeps them as they are.
        let options = zip::write::SimpleFileOptions::default()
            .compression_method(zip::CompressionMethod::Stored)
            .large_file(true);
        // One alone has names of its own in it.
        let bodies = all.bodies;
        let part = |what: &str| match bodies {
            [_] => format!("{what}.npy"),
            _ => format!("{name}.{what}.npy"),
        };
        if !bodies[k].comes {
            let turned = bodies[k].turned;
            zip.start_file(if turned { part("position") } else { format!("{name}.npy") }, options)?;
            array(&mut zip, &bodies[k], (all.frames)(k), exact)?;
            if let Some(turns) = all.turned(k) {
                zip.start_file(part("turn"), options)?;
                let shape = [bodies[k].count as u64, bodies[k].mesh.positions.len() as u64, 4];
                numbers::<f32, 4>(&mut zip, (&shape, turns), |t| t)?;
            }
            continue;
        }
        let counts: Vec<u32> = (all.frames)(k)
            .map(|f| Ok(f?.iter().filter(|p| !p[0].is_nan()).count() as u32))
            .collect::<Result<_>>()?;
        let sum = counts.iter().map(|n| u64::from(*n)).sum();
        zip.start_file(part("count"), options)?;
        let mut out = npyz::WriteOptions::<u32>::new().default_dtype();
        let shape = [counts.len() as u64];
        let mut writer = out.shape(&shape).writer(&mut zip).begin_nd()?;
        writer.extend(counts)?;
        writer.finish()?;
        zip.start_file(part("id"), options)?;
        out = npyz::WriteOptions::<u32>::new().default_dtype();
        let shape = [sum];
        let mut writer = out.shape(&shape).writer(&mut zip).begin_nd()?;
        for frame in (all.frames)(k) {
            writer.extend((0u32..).zip(frame?).filter(|(_, p)| !p[0].is_nan()).map(|(id, _)| id))?;
        }
        writer.finish()?;
        zip.start_file(part("position"), options)?;
        let there = (all.frames)(k).map(|f| Ok(f?.into_iter().filter(|p| !p[0].is_nan()).collect()));
        of_shape(&mut zip, &all.bodies[k], (&[sum, 3], there), exact)?;
        if let Some(turns) = all.turned(k) {
            zip.start_file(part("turn"), options)?;
            let there = (all.frames)(k).zip(turns).map(|(f, t)| {
                Ok(f?.iter().zip(t?).filter(|(p, _)| !p[0].is_nan()).map(|(_, t)| t).collect())
            });
            numbers::<f32, 4>(&mut zip, (&[sum, 4], there), |t| t)?;
        }
    }
    zip.finish()?.flush()
}

fn array(
    sink: &mut dyn Write,
    motion: &Motion,
    frames: impl Iterator<Item = Frame>,
    exact: bool,
) -> Result<()> {
    let shape = [motion.count as u64, motion.mesh.positions.len() as u64, 3];
    of_shape(sink, motion, (&shape, frames), exact)
}

fn of_shape(
    sink: &mut dyn Write,
    motion: &Motion,
    all: (&[u64], impl Iterator<Item = Frame>),
    exact: bool,
) -> Result<()> {
    let of = motion.origin;
    let world = |p: [f32; 3]| -> [f64; 3] { std::array::from_fn(|c| of[c] + f64::from(p[c])) };
    match exact {
        true => numbers::<f64, 3>(sink, all, world),
        false => numbers::<f32, 3>(sink, all, |p| world(p).map(|c| c as f32)),
    }
}

fn numbers<N: npyz::AutoSerialize, const SIZE: usize>(
    sink: &mut dyn Write,
    (shape, frames): (&[u64], impl Iterator<Item = Result<Vec<[f32; SIZE]>>>),
    number: impl Fn([f32; SIZE]) -> [N; SIZE],
) -> Result<()> {
    let mut out = npyz::WriteOptions::<N>::new().default_dtype().shape(shape).writer(sink).begin_nd()?;
    for frame in frames {
        out.extend(frame?.into_iter().flat_map(&number))?;
    }
    out.finish()
}
