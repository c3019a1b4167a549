//! USD as text (`.usda`): a mesh whose points are sampled in time, with its texture coordinates.
use crate::motion::{Frame, Motion};
use nematon_geometry::Mesh;
use std::io::{Result, Write};

/// Metres, y up, one sample a frame at the frame's own number. Extents come after the points: they are known then.
pub(crate) fn write_usda(
    sink: &mut impl Write,
    motion: &Motion,
    frames: &mut dyn Iterator<Item = Frame>,
) -> Result<()> {
    let Motion { mesh, first, rate, .. } = *motion;
    let name = identifier(motion.name);
    let last = first + motion.count as i64 - 1;
    write!(
        sink,
        "#usda 1.0\n(\n    defaultPrim = \"{name}\"\n    metersPerUnit = 1\n    upAxis = \"Y\"\n    \
         startTimeCode = {first}\n    endTimeCode = {last}\n    timeCodesPerSecond = {rate}\n    \
         framesPerSecond = {rate}\n)\n\ndef Mesh \"{name}\"\n{{\n    uniform token subdivisionScheme = \"none\"\n    \
         uniform bool doubleSided = 1\n"
    )?;
    let counts = vec!["3"; mesh.triangles.len()].join(", ");
    writeln!(sink, "    int[] faceVertexCounts = [{counts}]")?;
    let corners: Vec<String> = mesh.triangles.iter().flatten().map(ToString::to_string).collect();
    writeln!(sink, "    int[] faceVertexIndices = [{}]", corners.join(", "))?;
    if !mesh.uv_triangles.is_empty() {
        let uvs: Vec<String> = mesh.uvs.iter().map(|t| format!("({}, {})", t[0], t[1])).collect();
        writeln!(
            sink,
            "    texCoord2f[] primvars:st = [{}] (\n        interpolation = \"faceVarying\"\n    )",
            uvs.join(", ")
        )?;
        let corners: Vec<String> = mesh.uv_triangles.iter().flatten().map(ToString::to_string).collect();
        writeln!(sink, "    int[] primvars:st:indices = [{}]", corners.join(", "))?;
    }
    writeln!(sink, "    point3f[] points.timeSamples = {{")?;
    let mut extents = vec![];
    for (k, frame) in frames.enumerate() {
        let frame = Mesh { positions: frame?, ..Mesh::default() };
        extents.push(frame.bounds());
        write!(sink, "        {}: [", first + k as i64)?;
        for (k, p) in frame.positions.iter().enumerate() {
            write!(sink, "{}({}, {}, {})", if k == 0 { "" } else { ", " }, p[0], p[1], p[2])?;
        }
        writeln!(sink, "],")?;
    }
    writeln!(sink, "    }}\n    float3[] extent.timeSamples = {{")?;
    for (k, (lo, hi)) in extents.iter().enumerate() {
        writeln!(
            sink,
            "        {}: [({}, {}, {}), ({}, {}, {})],",
            first + k as i64,
            lo[0],
            lo[1],
            lo[2],
            hi[0],
            hi[1],
            hi[2]
        )?;
    }
    writeln!(sink, "    }}\n}}")
}

/// A USD identifier: letters, digits and `_`, not starting with a digit.
fn identifier(name: &str) -> String {
    let s: String = name.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '_' }).collect();
    if s.starts_with(|c: char| c.is_ascii_digit()) || s.is_empty() { format!("_{s}") } else { s }
}
