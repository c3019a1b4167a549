//! USD as text (`.usda`): meshes whose points are sampled in time, with their texture coordinates, and loose points.
use crate::motion::{Delivery, Frame, Motion, With};
use nematon_geometry::Mesh;
use std::fmt::Display;
use std::io::{Result, Write};

/// Metres, y up, one sample a frame at the frame's own number. One body stands at the root; several under one transform.
pub(crate) fn write_usda(sink: &mut dyn Write, all: &mut Delivery) -> Result<()> {
    let Some(Motion { first, rate, count, .. }) = all.bodies.first().copied() else {
        return Err(std::io::Error::other("there is no body to write"));
    };
    let mut names: Vec<String> = vec![];
    for b in all.bodies {
        let base = identifier(b.name);
        let named = |n: u32| if n == 1 { base.clone() } else { format!("{base}_{n}") };
        names.extend((1..).map(named).find(|n| !names.contains(n)));
    }
    let many = all.bodies.len() > 1;
    let root = if many { identifier(all.name) } else { names[0].clone() };
    let last = first + count as i64 - 1;
    write!(
        sink,
        "#usda 1.0\n(\n    defaultPrim = \"{root}\"\n    metersPerUnit = 1\n    upAxis = \"Y\"\n    \
         startTimeCode = {first}\n    endTimeCode = {last}\n    timeCodesPerSecond = {rate}\n    \
         framesPerSecond = {rate}\n)\n\n"
    )?;
    if many {
        write!(sink, "def Xform \"{root}\"\n{{\n")?;
    }
    for (k, name) in names.iter().enumerate() {
        mesh(sink, name, &all.bodies[k], all.with, &mut || (all.frames)(k))?;
    }
    if many { writeln!(sink, "}}") } else { Ok(()) }
}

type Again<'a, 'b> = &'a mut dyn FnMut() -> Box<dyn Iterator<Item = Frame> + 'b>;

fn mesh(sink: &mut dyn Write, name: &str, motion: &Motion, with: With, frames: Again) -> Result<()> {
    let Motion { mesh, first, .. } = *motion;
    if !mesh.radii.is_empty() {
        return points(sink, name, motion, frames);
    }
    write!(
        sink,
        "def Mesh \"{name}\"\n{{\n    uniform token subdivisionScheme = \"none\"\n    \
         uniform bool doubleSided = 1\n"
    )?;
    let faces = with.faces(mesh);
    writeln!(sink, "    int[] faceVertexCounts = [{}]", list(faces.iter().map(|f| f.points.len())))?;
    writeln!(sink, "    int[] faceVertexIndices = [{}]", list(faces.iter().flat_map(|f| &f.points)))?;
    if !mesh.uv_triangles.is_empty() {
        let uvs = list(mesh.uvs.iter().map(|t| format!("({}, {})", t[0], t[1])));
        writeln!(
            sink,
            "    texCoord2f[] primvars:st = [{uvs}] (\n        interpolation = \"faceVarying\"\n    )"
        )?;
        writeln!(sink, "    int[] primvars:st:indices = [{}]", list(faces.iter().flat_map(|f| &f.uvs)))?;
    }
    beside(sink, motion.origin)?;
    if motion.count == 1 {
        by_default(sink, &mut *frames, 0.0)?;
    }
    writeln!(sink, "    point3f[] points.timeSamples = {{")?;
    let mut extents = vec![];
    for (number, frame) in (first..).zip(frames()) {
        let frame = Mesh { positions: frame?, ..Mesh::default() };
        extents.push(frame.bounds());
        triples(sink, number, &frame.positions)?;
    }
    if with.normals {
        writeln!(sink, "    }}\n    normal3f[] normals (\n        interpolation = \"vertex\"\n    )")?;
        writeln!(sink, "    normal3f[] normals.timeSamples = {{")?;
        for (number, frame) in (first..).zip(frames()) {
            triples(sink, number, &mesh.normals(&frame?))?;
        }
    }
    // Known only after the points.
    writeln!(sink, "    }}\n    float3[] extent.timeSamples = {{")?;
    for (number, (lo, hi)) in (first..).zip(&extents) {
        triples(sink, number, &[*lo, *hi])?;
    }
    writeln!(sink, "    }}\n}}")
}

/// Loose points, each as wide as it is.
fn points(sink: &mut dyn Write, name: &str, motion: &Motion, frames: Again) -> Result<()> {
    let Motion { mesh, first, .. } = *motion;
    writeln!(sink, "def Points \"{name}\"\n{{")?;
    writeln!(sink, "    float[] widths = [{}]", list(mesh.radii.iter().map(|r| 2.0 * r)))?;
    beside(sink, motion.origin)?;
    let most = mesh.radii.iter().copied().fold(0.0, f32::max);
    if motion.count == 1 {
        by_default(sink, &mut *frames, most)?;
    }
    writeln!(sink, "    point3f[] points.timeSamples = {{")?;
    let mut extents = vec![];
    for (number, frame) in (first..).zip(frames()) {
        let frame = Mesh { positions: frame?, ..Mesh::default() };
        let (lo, hi) = frame.bounds();
        extents.push((lo.map(|c| c - most), hi.map(|c| c + most)));
        triples(sink, number, &frame.positions)?;
    }
    writeln!(sink, "    }}\n    float3[] extent.timeSamples = {{")?;
    for (number, (lo, hi)) in (first..).zip(&extents) {
        triples(sink, number, &[*lo, *hi])?;
    }
    writeln!(sink, "    }}\n}}")
}

/// Of one frame alone its points are also what there is at no time: who reads no samples finds them.
fn by_default(sink: &mut dyn Write, frames: Again, more: f32) -> Result<()> {
    for frame in frames().take(1) {
        let frame = Mesh { positions: frame?, ..Mesh::default() };
        let (lo, hi) = frame.bounds();
        let row = |all: &[[f32; 3]]| list(all.iter().map(|p| format!("({}, {}, {})", p[0], p[1], p[2])));
        writeln!(sink, "    point3f[] points = [{}]", row(&frame.positions))?;
        writeln!(sink, "    float3[] extent = [{}]", row(&[lo.map(|c| c - more), hi.map(|c| c + more)]))?;
    }
    Ok(())
}

/// Where the points are told from, if that is not where the world begins: a place of its own in double precision.
fn beside(sink: &mut dyn Write, [x, y, z]: [f64; 3]) -> Result<()> {
    if [x, y, z] == [0.0; 3] {
        return Ok(());
    }
    writeln!(sink, "    double3 xformOp:translate = ({x}, {y}, {z})")?;
    writeln!(sink, "    uniform token[] xformOpOrder = [\"xformOp:translate\"]")
}

fn list(items: impl Iterator<Item = impl Display>) -> String {
    items.map(|i| i.to_string()).collect::<Vec<_>>().join(", ")
}

fn triples(sink: &mut dyn Write, number: i64, all: &[[f32; 3]]) -> Result<()> {
    write!(sink, "        {number}: [")?;
    for (k, p) in all.iter().enumerate() {
        write!(sink, "{}({}, {}, {})", if k == 0 { "" } else { ", " }, p[0], p[1], p[2])?;
    }
    writeln!(sink, "],")
}

/// A USD identifier: letters, digits and `_`, not starting with a digit.
fn identifier(name: &str) -> String {
    let s: String = name.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '_' }).collect();
    if s.starts_with(|c: char| c.is_ascii_digit()) || s.is_empty() { format!("_{s}") } else { s }
}
