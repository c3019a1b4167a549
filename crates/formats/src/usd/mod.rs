//! USD, as text (`.usda`) or binary (`.usdc`): meshes whose points are sampled in time, with their texture coordinates, loose points, curves and instances.
mod binary;
mod layer;
mod read;
mod text;

use crate::gltf_motion::{leaf, size};
use crate::motion::{Delivery, Frame, Kind, Motion, Pictured, Turns, TurnsOf, Unit, Up, With, velocities};
use binary::Binary;
use layer::{Attribute, Data, Head, Layer, numbered};
use nematon_geometry::Mesh;
pub(crate) use read::text as text_of;
use std::io::{Result, Write};
use text::Text;

/// The same in a zip, with the pictures that bodies are seen with beside it.
pub(crate) fn write_zip(kind: Kind, sink: &mut dyn Write, all: &mut Delivery) -> Result<()> {
    let mut zip = zip::ZipWriter::new_stream(sink);
    let options = zip::write::SimpleFileOptions::default();
    let file = match all.bodies {
        [one] => crate::file_name(one.name),
        _ => crate::file_name(all.name),
    };
    zip.start_file(format!("{file}.{}", kind.name()), options)?;
    write(kind, &mut zip, all)?;
    for (body, name) in all.bodies.iter().zip(names(all.bodies)) {
        if let Some(Pictured { ending, bytes }) = body.picture {
            zip.start_file(format!("{name}.{ending}"), options)?;
            zip.write_all(bytes)?;
        }
    }
    crate::motion::put_note(&mut zip, all.note)?;
    zip.finish()?.flush()
}

/// As text, or binary.
pub(crate) fn write(kind: Kind, sink: &mut dyn Write, all: &mut Delivery) -> Result<()> {
    if kind != Kind::Usdc {
        return scene(&mut Text::new(sink), all);
    }
    let tables = counted(all)?;
    scene(&mut Binary::new(sink, tables)?, all)
}

/// Where the tables of a binary file will be. How long its values are follows from how many points there are; where these come and go, from their frames.
fn counted(all: &mut Delivery) -> Result<u64> {
    let (bodies, name, with) = (all.bodies, all.name, all.with);
    let own = &mut *all.frames;
    let mut frames = |k: usize| -> Box<dyn Iterator<Item = Frame>> {
        let Motion { comes, mesh, count, .. } = bodies[k];
        if comes {
            return own(k);
        }
        let frame = vec![[0.0; 3]; mesh.positions.len()];
        Box::new((0..count).map(move |_| Ok(frame.clone())))
    };
    let mut turns = |k: usize| -> Box<dyn Iterator<Item = TurnsOf>> {
        let frame = vec![[0.0, 0.0, 0.0, 1.0]; bodies[k].mesh.positions.len()];
        Box::new((0..bodies[k].count).map(move |_| Ok(frame.clone())))
    };
    let turns: Option<&mut Turns> = if all.turns.is_some() { Some(&mut turns) } else { None };
    let mut sink = std::io::sink();
    let mut binary = Binary::new(&mut sink, 0)?;
    scene(&mut binary, &mut Delivery { name, bodies, with, frames: &mut frames, turns, note: None })?;
    Ok(binary.tables())
}

/// One sample a frame at the frame's own number. One body stands at the root; several under one transform.
fn scene(layer: &mut dyn Layer, all: &mut Delivery) -> Result<()> {
    let Some(one) = all.bodies.first().copied() else {
        return Err(std::io::Error::other("there is no body to write"));
    };
    let names = names(all.bodies);
    let many = all.bodies.len() > 1;
    let root = if many { identifier(all.name) } else { names[0].clone() };
    let With { unit, up, .. } = all.with;
    layer.head(&Head { root: &root, unit, up, first: one.first, last: one.last(), rate: one.rate })?;
    let told = all.with;
    if many {
        layer.open("Xform", &root, None)?;
        beside(layer, [0.0; 3], all.with)?;
        // What stands in it is told in metres with y up.
        (all.with.unit, all.with.up) = (Unit::Metre, Up::Y);
    }
    for (k, name) in names.iter().enumerate() {
        let path = if many { format!("/{root}/{name}") } else { format!("/{name}") };
        let own = &all.bodies[k];
        if (own.turned && all.turns.is_some()) || own.mesh.piece.is_some() {
            instances(layer, (name, &path), own, all, k)?;
            continue;
        }
        mesh(layer, (name, &path), own, all.with, &mut || (all.frames)(k))?;
    }
    all.with = told;
    if many {
        layer.close()?;
    }
    layer.end()
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

const POINTS: Attribute = Attribute { of: "point3f[]", name: "points", uniform: false, interpolation: None };
const EXTENT: Attribute = Attribute { of: "float3[]", name: "extent", uniform: false, interpolation: None };

/// How many points each face has, and which.
fn faces(layer: &mut dyn Layer, faces: &[nematon_geometry::Face]) -> Result<()> {
    let counts = faces.iter().map(|f| f.points.len() as u32).collect();
    layer.set(Attribute::new("int[]", "faceVertexCounts"), Data::Ints(counts))?;
    let points = faces.iter().flat_map(|f| f.points.iter().copied()).collect();
    layer.set(Attribute::new("int[]", "faceVertexIndices"), Data::Ints(points))
}

fn is_plain(layer: &mut dyn Layer) -> Result<()> {
    layer.set(Attribute::uniform("token", "subdivisionScheme"), Data::Token("none".into()))?;
    layer.set(Attribute::uniform("bool", "doubleSided"), Data::Bool(true))
}

fn mesh(
    layer: &mut dyn Layer,
    (name, path): (&str, &str),
    motion: &Motion,
    with: With,
    frames: Again,
) -> Result<()> {
    let Motion { mesh, .. } = *motion;
    if !mesh.strands.is_empty() {
        return curves(layer, name, motion, frames, with);
    }
    if !mesh.radii.is_empty() {
        return points(layer, name, motion, frames, with);
    }
    layer.open("Mesh", name, motion.picture.map(|_| "MaterialBindingAPI"))?;
    is_plain(layer)?;
    if motion.picture.is_some() {
        layer.relate("material:binding", &format!("{path}/Look"), false)?;
    }
    let own = with.faces(mesh);
    faces(layer, &own)?;
    if !mesh.uv_triangles.is_empty() {
        let st = Attribute::new("texCoord2f[]", "primvars:st").each("faceVarying");
        layer.set(st, Data::Pairs(mesh.uvs.clone()))?;
        let indices = own.iter().flat_map(|f| f.uvs.iter().copied()).collect();
        layer.set(Attribute::new("int[]", "primvars:st:indices"), Data::Ints(indices))?;
    }
    beside(layer, motion.origin, with)?;
    if motion.count == 1 {
        by_default(layer, &mut *frames, 0.0)?;
    }
    let extents = places(layer, POINTS, motion, frames(), 0.0)?;
    if with.normals {
        let normals = Attribute::new("normal3f[]", "normals").each("vertex");
        layer.declare(normals)?;
        let told = |f: Vec<[f32; 3]>| Data::Triples(mesh.normals(&f));
        let bare = Attribute { interpolation: None, ..normals };
        layer.samples(bare, &mut numbered(motion.numbers(), frames(), told))?;
    }
    ways(layer, motion, &mut *frames, with)?;
    // Known only after the points.
    layer.samples(EXTENT, &mut extents.into_iter().map(Ok))?;
    if let Some(Pictured { ending, .. }) = motion.picture {
        look(layer, path, &format!("{name}.{ending}"))?;
    }
    layer.close()
}

/// Places by frame, and how far they reach with so much more about each.
fn places<'a>(
    layer: &mut dyn Layer,
    as_: Attribute,
    motion: &Motion,
    frames: impl Iterator<Item = Frame> + 'a,
    more: f32,
) -> Result<Vec<(i64, Data)>> {
    let mut extents = vec![];
    let mut each = motion.numbers().zip(frames).map(|(number, frame)| {
        let positions = there(frame?);
        extents.push((number, reach(&positions, more)));
        Ok((number, Data::Triples(positions)))
    });
    layer.samples(as_, &mut each)?;
    drop(each);
    Ok(extents)
}

/// Those that are there.
fn there(frame: Vec<[f32; 3]>) -> Vec<[f32; 3]> {
    frame.into_iter().filter(|p| !p[0].is_nan()).collect()
}

/// The least and the most of places, with so much more about each.
fn reach(positions: &[[f32; 3]], more: f32) -> Data {
    let frame = Mesh { positions: positions.to_vec(), ..Mesh::default() };
    let (lo, hi) = frame.bounds();
    Data::Triples(vec![lo.map(|c| c - more), hi.map(|c| c + more)])
}

/// A material that lays a picture on by the texture coordinates, repeated beyond its edges.
fn look(layer: &mut dyn Layer, path: &str, file: &str) -> Result<()> {
    layer.open("Material", "Look", None)?;
    let surface = Attribute::new("token", "outputs:surface");
    let (shader, picture, uvs) =
        (format!("{path}/Look/Surface"), format!("{path}/Look/Picture"), format!("{path}/Look/Uvs"));
    layer.connect(surface, &format!("{shader}.outputs:surface"))?;
    let id = |layer: &mut dyn Layer, id: &str| {
        layer.set(Attribute::uniform("token", "info:id"), Data::Token(id.into()))
    };
    layer.open("Shader", "Surface", None)?;
    id(layer, "UsdPreviewSurface")?;
    layer.connect(Attribute::new("color3f", "inputs:diffuseColor"), &format!("{picture}.outputs:rgb"))?;
    layer.set(Attribute::new("float", "inputs:roughness"), Data::Float(0.9))?;
    layer.declare(surface)?;
    layer.close()?;
    layer.open("Shader", "Picture", None)?;
    id(layer, "UsdUVTexture")?;
    layer.set(Attribute::new("asset", "inputs:file"), Data::Asset(format!("./{file}")))?;
    layer.connect(Attribute::new("float2", "inputs:st"), &format!("{uvs}.outputs:result"))?;
    layer.set(Attribute::new("token", "inputs:wrapS"), Data::Token("repeat".into()))?;
    layer.set(Attribute::new("token", "inputs:wrapT"), Data::Token("repeat".into()))?;
    layer.declare(Attribute::new("float3", "outputs:rgb"))?;
    layer.close()?;
    layer.open("Shader", "Uvs", None)?;
    id(layer, "UsdPrimvarReader_float2")?;
    layer.set(Attribute::new("string", "inputs:varname"), Data::Text("st".into()))?;
    layer.declare(Attribute::new("float2", "outputs:result"))?;
    layer.close()?;
    layer.close()
}

/// The numbers of points that are there, by frame.
fn ids(layer: &mut dyn Layer, motion: &Motion, frames: impl Iterator<Item = Frame>) -> Result<()> {
    let told = |f: Vec<[f32; 3]>| Data::Longs(numbers(&f).map(|k| k as u64).collect());
    layer.samples(Attribute::new("int64[]", "ids"), &mut numbered(motion.numbers(), frames, told))
}

fn numbers(frame: &[[f32; 3]]) -> impl Iterator<Item = usize> {
    frame.iter().enumerate().filter(|(_, p)| !p[0].is_nan()).map(|(k, _)| k)
}

/// Loose points, each as wide as it is.
fn points(layer: &mut dyn Layer, name: &str, motion: &Motion, frames: Again, with: With) -> Result<()> {
    let Motion { mesh, .. } = *motion;
    layer.open("Points", name, None)?;
    let width = |k: usize| 2.0 * mesh.radii.get(k).copied().unwrap_or_default();
    let widths = Attribute::new("float[]", "widths");
    if motion.comes {
        // Each keeps its number, and has its own width.
        ids(layer, motion, frames())?;
        let told = |f: Vec<[f32; 3]>| Data::Floats(numbers(&f).map(width).collect());
        layer.samples(widths, &mut numbered(motion.numbers(), frames(), told))?;
    } else {
        layer.set(widths, Data::Floats((0..mesh.radii.len()).map(width).collect()))?;
    }
    beside(layer, motion.origin, with)?;
    let most = mesh.radii.iter().copied().fold(0.0, f32::max);
    samples(layer, motion, frames, most, with)?;
    layer.close()
}

/// Pieces with turns, or with a mesh of their own: that or a leaf at each, as large as it is and turned as it is. Each keeps its number.
fn instances(
    layer: &mut dyn Layer,
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
    layer.open("PointInstancer", name, None)?;
    layer.relate("prototypes", &format!("{path}/{called}"), true)?;
    beside(layer, motion.origin, with)?;
    let turned = motion.turned && all.turns.is_some();
    ids(layer, motion, (all.frames)(body))?;
    let told = |f: Vec<[f32; 3]>| Data::Ints(numbers(&f).map(|_| 0).collect());
    let which = Attribute::new("int[]", "protoIndices");
    layer.samples(which, &mut numbered(motion.numbers(), (all.frames)(body), told))?;
    let told = |f: Vec<[f32; 3]>| Data::Triples(numbers(&f).map(|k| size(mesh, turned, k)).collect());
    let scales = Attribute::new("float3[]", "scales");
    layer.samples(scales, &mut numbered(motion.numbers(), (all.frames)(body), told))?;
    let most = mesh.radii.iter().copied().fold(0.0, f32::max);
    let positions = Attribute::new("point3f[]", "positions");
    let extents = places(layer, positions, motion, (all.frames)(body), most)?;
    layer.samples(EXTENT, &mut extents.into_iter().map(Ok))?;
    if let Some(turns) = all.turned(body) {
        let mut each = motion.numbers().zip((all.frames)(body)).zip(turns).map(|((number, frame), turns)| {
            let (frame, turns) = (frame?, turns?);
            let own = numbers(&frame).map(|k| turns.get(k).copied().unwrap_or([0.0, 0.0, 0.0, 1.0]));
            Ok((number, Data::Turns(own.collect())))
        });
        layer.samples(Attribute::new("quath[]", "orientations"), &mut each)?;
    }
    layer.open("Mesh", called, None)?;
    is_plain(layer)?;
    faces(layer, &own.outlines())?;
    layer.set(POINTS, Data::Triples(own.positions.clone()))?;
    layer.set(EXTENT, reach(&own.positions, 0.0))?;
    layer.close()?;
    layer.close()
}

/// Strands, as curves that go straight from point to point, each as wide as it is there.
fn curves(layer: &mut dyn Layer, name: &str, motion: &Motion, frames: Again, with: With) -> Result<()> {
    let Motion { mesh, .. } = *motion;
    // Each branch is a curve of its own, that begins with the point that it comes from.
    let lines = mesh.lines();
    let order: Vec<u32> = lines.concat();
    layer.open("BasisCurves", name, None)?;
    layer.set(Attribute::uniform("token", "type"), Data::Token("linear".into()))?;
    let counts = lines.iter().map(|l| l.len() as u32).collect();
    layer.set(Attribute::new("int[]", "curveVertexCounts"), Data::Ints(counts))?;
    let widths = order.iter().map(|k| 2.0 * mesh.radii[*k as usize]).collect();
    layer.set(Attribute::new("float[]", "widths").each("vertex"), Data::Floats(widths))?;
    beside(layer, motion.origin, with)?;
    let most = mesh.radii.iter().copied().fold(0.0, f32::max);
    let ordered = |all: Vec<[f32; 3]>| -> Vec<[f32; 3]> {
        let all = mesh.settled(&all);
        order.iter().map(|k| all[*k as usize]).collect()
    };
    let mut again = || -> Box<dyn Iterator<Item = Frame>> { Box::new(frames().map(|f| f.map(&ordered))) };
    samples(layer, motion, &mut again, most, with)?;
    layer.close()
}

/// Places of points by frame, and how far they reach.
fn samples(layer: &mut dyn Layer, motion: &Motion, frames: Again, most: f32, with: With) -> Result<()> {
    if motion.count == 1 {
        by_default(layer, &mut *frames, most)?;
    }
    let extents = places(layer, POINTS, motion, frames(), most)?;
    ways(layer, motion, &mut *frames, with)?;
    layer.samples(EXTENT, &mut extents.into_iter().map(Ok))
}

/// How fast points go, in lengths a second, where that is asked for: of those that are there.
fn ways(layer: &mut dyn Layer, motion: &Motion, frames: Again, with: With) -> Result<()> {
    if !with.velocities || motion.count < 2 {
        return Ok(());
    }
    let told = |f: Vec<[f32; 3]>| Data::Triples(there(f));
    let each = velocities(frames(), motion.pace());
    layer.samples(Attribute::new("vector3f[]", "velocities"), &mut numbered(motion.numbers(), each, told))
}

/// Of one frame alone its points are also what there is at no time: who reads no samples finds them.
fn by_default(layer: &mut dyn Layer, frames: Again, more: f32) -> Result<()> {
    for frame in frames().take(1) {
        let positions = there(frame?);
        let extent = reach(&positions, more);
        layer.set(POINTS, Data::Triples(positions))?;
        layer.set(EXTENT, extent)?;
    }
    Ok(())
}

/// Where the points are told from, if that is not where the world begins, as a place of its own in double precision; and what makes of metres
/// with y up what the file is in.
fn beside(layer: &mut dyn Layer, origin: [f64; 3], with: With) -> Result<()> {
    let mut order = vec![];
    if with.unit != Unit::Metre {
        let s = with.unit.per_metre();
        layer.set(Attribute::new("double3", "xformOp:scale"), Data::Double3([s; 3]))?;
        order.push("xformOp:scale".to_owned());
    }
    if with.up == Up::Z {
        layer.set(Attribute::new("double", "xformOp:rotateX"), Data::Double(90.0))?;
        order.push("xformOp:rotateX".to_owned());
    }
    if origin != [0.0; 3] {
        layer.set(Attribute::new("double3", "xformOp:translate"), Data::Double3(origin))?;
        order.push("xformOp:translate".to_owned());
    }
    if order.is_empty() {
        return Ok(());
    }
    layer.set(Attribute::uniform("token[]", "xformOpOrder"), Data::Tokens(order))
}

/// A USD identifier: letters, digits and `_`, not starting with a digit.
fn identifier(name: &str) -> String {
    let s: String = name.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '_' }).collect();
    if s.starts_with(|c: char| c.is_ascii_digit()) || s.is_empty() { format!("_{s}") } else { s }
}
