//! USD as text (`.usda`): a mesh whose points are sampled in time, with its texture coordinates.
use nematon_geometry::Mesh;
use std::io::{Result, Write};

/// Writes the motion of one mesh: metres, y up, one sample a frame at the frame's own number.
///
/// # Errors
/// When the sink fails.
pub fn write_usda(
    sink: &mut impl Write,
    name: &str,
    mesh: &Mesh,
    first: i64,
    rate: f64,
    frames: &[Vec<[f32; 3]>],
) -> Result<()> {
    let name = identifier(name);
    let last = first + frames.len() as i64 - 1;
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
    writeln!(sink, "    float3[] extent.timeSamples = {{")?;
    for (k, frame) in frames.iter().enumerate() {
        let (lo, hi) = Mesh { positions: frame.clone(), ..Mesh::default() }.bounds();
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
    writeln!(sink, "    }}\n    point3f[] points.timeSamples = {{")?;
    for (k, frame) in frames.iter().enumerate() {
        let points: Vec<String> = frame.iter().map(|p| format!("({}, {}, {})", p[0], p[1], p[2])).collect();
        writeln!(sink, "        {}: [{}],", first + k as i64, points.join(", "))?;
    }
    writeln!(sink, "    }}\n}}")
}

/// A USD identifier: letters, digits and `_`, not starting with a digit.
fn identifier(name: &str) -> String {
    let s: String = name.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '_' }).collect();
    if s.starts_with(|c: char| c.is_ascii_digit()) || s.is_empty() { format!("_{s}") } else { s }
}
