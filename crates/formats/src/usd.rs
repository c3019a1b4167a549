//! USD as text (`.usda`): meshes whose points are sampled in time, with their texture coordinates, and loose points.
use crate::gltf_motion::{leaf, size};
use crate::motion::{Delivery, Frame, Motion, Pictured, Unit, Up, With, velocities};
use nematon_geometry::Mesh;
use std::fmt::Display;
use std::io::{Result, Write};

/// The same in a zip, with the pictures that bodies are seen with beside it.
pub(crate) fn write_zip(sink: &mut dyn Write, all: &mut Delivery) -> Result<()> {
    let mut zip = zip::ZipWriter::new_stream(sink);
    let options = zip::write::SimpleFileOptions::default();
    let file = match all.bodies {
        [one] => crate::file_name(one.name),
        _ => crate::file_name(all.name),
    };
    zip.start_file(format!("{file}.usda"), options)?;
    write_usda(&mut zip, all)?;
    for (body, name) in all.bodies.iter().zip(names(all.bodies)) {
        if let Some(Pictured { ending, bytes }) = body.picture {
            zip.start_file(format!("{name}.{ending}"), options)?;
            zip.write_all(bytes)?;
        }
    }
    zip.finish()?.flush()
}

/// Metres, y up, one sample a frame at the frame's own number. One body stands at the root; several under one transform.
pub(crate) fn write_usda(sink: &mut dyn Write, all: &mut Delivery) -> Result<()> {
    let Some(one) = all.bodies.first().copied() else {
        return Err(std::io::Error::other("there is no body to write"));
    };
    let (first, last, rate) = (one.first, one.last(), one.rate);
    let names = names(all.bodies);
    let many = all.bodies.len() > 1;
    let root = if many { identifier(all.name) } else { names[0].clone() };
    write!(
        sink,
        "#usda 1.0\n(\n    defaultPrim = \"{root}\"\n    metersPerUnit = {}\n    upAxis = \"{:?}\"\n    \
         startTimeCode = {first}\n    endTimeCode = {last}\n    timeCodesPerSecond = {rate}\n    \
         framesPerSecond = {rate}\n)\n\n",
        1.0 / all.with.unit.per_metre(),
        all.with.up
    )?;
    if many {
        write!(sink, "def Xform \"{root}\"\n{{\n")?;
        beside(sink, [0.0; 3], all.with)?;
        // What stands in it is told in metres with y up.
        (all.with.unit, all.with.up) = (Unit::Metre, Up::Y);
    }
    for (k, name) in names.iter().enumerate() {
        let path = if many { format!("/{root}/{name}") } else { format!("/{name}") };
        let own = &all.bodies[k];
        if (own.turned && all.turns.is_some()) || own.mesh.piece.is_some() {
            instances(sink, (name, &path), own, all, k)?;
            continue;
        }
        mesh(sink, (name, &path), own, all.with, &mut || (all.frames)(k))?;
    }
    if many { writeln!(sink, "}}") } else { Ok(()) }
}

/// What the bodies are called there: no two alike.
fn names(bodies: &[Motion]) -> Vec<String> {
    let mut names: Vec<String> = vec![];
    for b in bodies {
        let base = identifier(b.name);
        let named = |n: u32| if n == 1 { base.clone() } else { format!("{base}_{n}") };
        names.extend((1..).map(named).find(|n| !names.contains(n)));
    }
    names
}

type Again<'a, 'b> = &'a mut dyn FnMut() -> Box<dyn Iterator<Item = Frame> + 'b>;

fn mesh(
    sink: &mut dyn Write,
    (name, path): (&str, &str),
    motion: &Motion,
    with: With,
    frames: Again,
) -> Result<()> {
    let Motion { mesh, .. } = *motion;
    if !mesh.strands.is_empty() {
        return curves(sink, name, motion, frames, with);
    }
    if !mesh.radii.is_empty() {
        return points(sink, name, motion, frames, with);
    }
    let schemas = match motion.picture {
        Some(_) => " (\n    prepend apiSchemas = [\"MaterialBindingAPI\"]\n)",
        None => "",
    };
    write!(
        sink,
        "def Mesh \"{name}\"{schemas}\n{{\n    uniform token subdivisionScheme = \"none\"\n    \
         uniform bool doubleSided = 1\n"
    )?;
    if let Some(Pictured { ending, .. }) = motion.picture {
        look(sink, path, &format!("{name}.{ending}"))?;
    }
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
    beside(sink, motion.origin, with)?;
    if motion.count == 1 {
        by_default(sink, &mut *frames, 0.0)?;
    }
    writeln!(sink, "    point3f[] points.timeSamples = {{")?;
    let mut extents = vec![];
    for (number, frame) in motion.numbers().zip(frames()) {
        let frame = Mesh { positions: frame?, ..Mesh::default() };
        extents.push(frame.bounds());
        triples(sink, number, &frame.positions)?;
    }
    if with.normals {
        writeln!(sink, "    }}\n    normal3f[] normals (\n        interpolation = \"vertex\"\n    )")?;
        writeln!(sink, "    normal3f[] normals.timeSamples = {{")?;
        for (number, frame) in motion.numbers().zip(frames()) {
            triples(sink, number, &mesh.normals(&frame?))?;
        }
    }
    writeln!(sink, "    }}")?;
    ways(sink, motion, &mut *frames, with)?;
    // Known only after the points.
    writeln!(sink, "    float3[] extent.timeSamples = {{")?;
    for (number, (lo, hi)) in motion.numbers().zip(&extents) {
        triples(sink, number, &[*lo, *hi])?;
    }
    writeln!(sink, "    }}\n}}")
}

/// A material that lays a picture on by the texture coordinates, repeated beyond its edges.
fn look(sink: &mut dyn Write, path: &str, file: &str) -> Result<()> {
    write!(
        sink,
        r#"    rel material:binding = <{path}/Look>
    def Material "Look"
    {{
        token outputs:surface.connect = <{path}/Look/Surface.outputs:surface>
        def Shader "Surface"
        {{
            uniform token info:id = "UsdPreviewSurface"
            color3f inputs:diffuseColor.connect = <{path}/Look/Picture.outputs:rgb>
            float inputs:roughness = 0.9
            token outputs:surface
        }}
        def Shader "Picture"
        {{
            uniform token info:id = "UsdUVTexture"
            asset inputs:file = @./{file}@
            float2 inputs:st.connect = <{path}/Look/Uvs.outputs:result>
            token inputs:wrapS = "repeat"
            token inputs:wrapT = "repeat"
            float3 outputs:rgb
        }}
        def Shader "Uvs"
        {{
            uniform token info:id = "UsdPrimvarReader_float2"
            string inputs:varname = "st"
            float2 outputs:result
        }}
    }}
"#
    )
}

/// Loose points, each as wide as it is.
fn points(sink: &mut dyn Write, name: &str, motion: &Motion, frames: Again, with: With) -> Result<()> {
    let Motion { mesh, .. } = *motion;
    writeln!(sink, "def Points \"{name}\"\n{{")?;
    let width = |k: usize| 2.0 * mesh.radii.get(k).copied().unwrap_or_default();
    if motion.comes {
        // Each keeps its number, and has its own width.
        let there = |f: Frame| -> Result<Vec<usize>> {
            Ok(f?.iter().enumerate().filter(|(_, p)| !p[0].is_nan()).map(|(k, _)| k).collect())
        };
        writeln!(sink, "    int64[] ids.timeSamples = {{")?;
        for (number, frame) in motion.numbers().zip(frames()) {
            writeln!(sink, "        {number}: [{}],", list(there(frame)?.iter()))?;
        }
        writeln!(sink, "    }}\n    float[] widths.timeSamples = {{")?;
        for (number, frame) in motion.numbers().zip(frames()) {
            writeln!(sink, "        {number}: [{}],", list(there(frame)?.into_iter().map(width)))?;
        }
        writeln!(sink, "    }}")?;
    } else {
        writeln!(sink, "    float[] widths = [{}]", list((0..mesh.radii.len()).map(width)))?;
    }
    beside(sink, motion.origin, with)?;
    let most = mesh.radii.iter().copied().fold(0.0, f32::max);
    if motion.count == 1 {
        by_default(sink, &mut *frames, most)?;
    }
    samples(sink, motion, frames, most, with)
}

/// Pieces with turns, or with a mesh of their own: that or a leaf at each, as large as it is and turned as it is. Each keeps its number.
fn instances(
    sink: &mut dyn Write,
    (name, path): (&str, &str),
    motion: &Motion,
    all: &mut Delivery,
    body: usize,
) -> Result<()> {
    let Motion { mesh, .. } = *motion;
    let with = all.with;
    let (called, own) = match mesh.piece.as_deref() {
        Some(p) => ("Piece", p.clone()),
        None => ("Leaf", leaf()),
    };
    let faces = own.outlines();
    write!(
        sink,
        "def PointInstancer \"{name}\"\n{{\n    rel prototypes = [<{path}/{called}>]\n    def Mesh \"{called}\"\n    {{\n        \
         uniform token subdivisionScheme = \"none\"\n        uniform bool doubleSided = 1\n        \
         int[] faceVertexCounts = [{}]\n        int[] faceVertexIndices = [{}]\n        point3f[] points = [{}]\n    }}\n",
        list(faces.iter().map(|f| f.points.len())),
        list(faces.iter().flat_map(|f| &f.points)),
        list(own.positions.iter().map(|p| format!("({}, {}, {})", p[0], p[1], p[2]))),
    )?;
    beside(sink, motion.origin, with)?;
    let there = |f: Frame| -> Result<Vec<(usize, [f32; 3])>> {
        Ok(f?.into_iter().enumerate().filter(|(_, p)| !p[0].is_nan()).collect())
    };
    let turned = motion.turned && all.turns.is_some();
    writeln!(sink, "    int64[] ids.timeSamples = {{")?;
    for (number, frame) in motion.numbers().zip((all.frames)(body)) {
        writeln!(sink, "        {number}: [{}],", list(there(frame)?.iter().map(|p| p.0)))?;
    }
    writeln!(sink, "    }}\n    int[] protoIndices.timeSamples = {{")?;
    for (number, frame) in motion.numbers().zip((all.frames)(body)) {
        writeln!(sink, "        {number}: [{}],", list(there(frame)?.iter().map(|_| 0)))?;
    }
    writeln!(sink, "    }}\n    float3[] scales.timeSamples = {{")?;
    for (number, frame) in motion.numbers().zip((all.frames)(body)) {
        let sizes: Vec<[f32; 3]> = there(frame)?.iter().map(|p| size(mesh, turned, p.0)).collect();
        triples(sink, number, &sizes)?;
    }
    writeln!(sink, "    }}\n    point3f[] positions.timeSamples = {{")?;
    for (number, frame) in motion.numbers().zip((all.frames)(body)) {
        let places: Vec<[f32; 3]> = there(frame)?.iter().map(|p| p.1).collect();
        triples(sink, number, &places)?;
    }
    writeln!(sink, "    }}")?;
    if turned {
        writeln!(sink, "    quath[] orientations.timeSamples = {{")?;
    }
    if let Some(turns) = all.turned(body) {
        for ((number, frame), turns) in motion.numbers().zip((all.frames)(body)).zip(turns) {
            let turns = turns?;
            let own =
                there(frame)?.into_iter().map(|(k, _)| turns.get(k).copied().unwrap_or([0.0, 0.0, 0.0, 1.0]));
            let told = own.map(|[x, y, z, w]| format!("({w:.4}, {x:.4}, {y:.4}, {z:.4})"));
            writeln!(sink, "        {number}: [{}],", list(told))?;
        }
        writeln!(sink, "    }}")?;
    }
    writeln!(sink, "}}")
}

/// Strands, as curves that go straight from point to point, each as wide as it is there.
fn curves(sink: &mut dyn Write, name: &str, motion: &Motion, frames: Again, with: With) -> Result<()> {
    let Motion { mesh, .. } = *motion;
    // Each branch is a curve of its own, that begins with the point that it comes from.
    let lines = mesh.lines();
    let order: Vec<u32> = lines.concat();
    writeln!(sink, "def BasisCurves \"{name}\"\n{{\n    uniform token type = \"linear\"")?;
    writeln!(sink, "    int[] curveVertexCounts = [{}]", list(lines.iter().map(Vec::len)))?;
    let widths = list(order.iter().map(|k| 2.0 * mesh.radii[*k as usize]));
    writeln!(sink, "    float[] widths = [{widths}] (\n        interpolation = \"vertex\"\n    )")?;
    beside(sink, motion.origin, with)?;
    let most = mesh.radii.iter().copied().fold(0.0, f32::max);
    let ordered = |all: Vec<[f32; 3]>| -> Vec<[f32; 3]> {
        let all = mesh.settled(&all);
        order.iter().map(|k| all[*k as usize]).collect()
    };
    let mut again = || -> Box<dyn Iterator<Item = Frame>> { Box::new(frames().map(|f| f.map(&ordered))) };
    if motion.count == 1 {
        by_default(sink, &mut again, most)?;
    }
    samples(sink, motion, &mut again, most, with)
}

/// Places of points by frame, and how far they reach.
fn samples(sink: &mut dyn Write, motion: &Motion, frames: Again, most: f32, with: With) -> Result<()> {
    writeln!(sink, "    point3f[] points.timeSamples = {{")?;
    let mut extents = vec![];
    for (number, frame) in motion.numbers().zip(frames()) {
        let there = frame?.into_iter().filter(|p| !p[0].is_nan()).collect();
        let frame = Mesh { positions: there, ..Mesh::default() };
        let (lo, hi) = frame.bounds();
        extents.push((lo.map(|c| c - most), hi.map(|c| c + most)));
        triples(sink, number, &frame.positions)?;
    }
    writeln!(sink, "    }}")?;
    ways(sink, motion, &mut *frames, with)?;
    writeln!(sink, "    float3[] extent.timeSamples = {{")?;
    for (number, (lo, hi)) in motion.numbers().zip(&extents) {
        triples(sink, number, &[*lo, *hi])?;
    }
    writeln!(sink, "    }}\n}}")
}

/// How fast points go, in lengths a second, where that is asked for: of those that are there.
fn ways(sink: &mut dyn Write, motion: &Motion, frames: Again, with: With) -> Result<()> {
    if !with.velocities || motion.count < 2 {
        return Ok(());
    }
    writeln!(sink, "    vector3f[] velocities.timeSamples = {{")?;
    for (number, frame) in motion.numbers().zip(velocities(frames(), motion.pace())) {
        let there: Vec<[f32; 3]> = frame?.into_iter().filter(|p| !p[0].is_nan()).collect();
        triples(sink, number, &there)?;
    }
    writeln!(sink, "    }}")
}

/// Of one frame alone its points are also what there is at no time: who reads no samples finds them.
fn by_default(sink: &mut dyn Write, frames: Again, more: f32) -> Result<()> {
    for frame in frames().take(1) {
        let there = frame?.into_iter().filter(|p| !p[0].is_nan()).collect();
        let frame = Mesh { positions: there, ..Mesh::default() };
        let (lo, hi) = frame.bounds();
        let row = |all: &[[f32; 3]]| list(all.iter().map(|p| format!("({}, {}, {})", p[0], p[1], p[2])));
        writeln!(sink, "    point3f[] points = [{}]", row(&frame.positions))?;
        writeln!(sink, "    float3[] extent = [{}]", row(&[lo.map(|c| c - more), hi.map(|c| c + more)]))?;
    }
    Ok(())
}

/// Where the points are told from, if that is not where the world begins, as a place of its own in double precision; and what makes of metres
/// with y up what the file is in.
fn beside(sink: &mut dyn Write, [x, y, z]: [f64; 3], with: With) -> Result<()> {
    let mut order = vec![];
    if with.unit != Unit::Metre {
        let s = with.unit.per_metre();
        writeln!(sink, "    double3 xformOp:scale = ({s}, {s}, {s})")?;
        order.push("xformOp:scale");
    }
    if with.up == Up::Z {
        writeln!(sink, "    double xformOp:rotateX = 90")?;
        order.push("xformOp:rotateX");
    }
    if [x, y, z] != [0.0; 3] {
        writeln!(sink, "    double3 xformOp:translate = ({x}, {y}, {z})")?;
        order.push("xformOp:translate");
    }
    if order.is_empty() {
        return Ok(());
    }
    let order: Vec<String> = order.iter().map(|o| format!("\"{o}\"")).collect();
    writeln!(sink, "    uniform token[] xformOpOrder = [{}]", order.join(", "))
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
