//! Motion as binary glTF 2.0 (Khronos, 2021): plants as skins whose joints move, loose pieces as nodes that move, all else as shapes that follow each
//! other (morph targets). All lengths are known beforehand, so that what moves is written frame by frame, and no more of it is held than a block.
use crate::motion::{Delivery, Motion};
use nematon_geometry::{Limbs, Mesh, Skin, turns};
use serde_json::{Value, json};
use std::collections::HashMap;
use std::fmt::Write as _;
use std::io::{Error, Result, Write};
use std::ops::Range;

/// Bytes of what moves that are gathered at once.
const BLOCK: usize = 48 << 20;
/// Bytes of a place, and of a turn.
const PLACE: usize = 12;
const TURN: usize = 16;
/// Numbers in a binary glTF are counted in 32 bits.
const MOST: usize = u32::MAX as usize;
const LINEN: [f64; 3] = [0.8, 0.76, 0.68];

/// A row of JSON as it grows.
#[derive(Default)]
struct Row {
    text: String,
    count: usize,
}

impl Row {
    /// Adds one, and says its number.
    fn push(&mut self, one: &str) -> usize {
        if self.count > 0 {
            self.text.push(',');
        }
        self.text.push_str(one);
        self.count += 1;
        self.count - 1
    }
    fn add(&mut self, one: &Value) -> usize {
        self.push(&one.to_string())
    }
}

/// What is written one after the other into the buffer.
enum Block {
    Bytes(Vec<u8>),
    /// Joints of some plants of a body.
    Joints(usize, Range<usize>),
    /// Some pieces of a body.
    Pieces(usize, Range<usize>),
    /// A body's shapes from the second on.
    Shapes(usize),
    /// How much there is of each shape at each frame.
    Amounts(usize),
}

/// What a part of the buffer is for: of what is drawn, bytes of each vertex, or which vertices.
#[derive(Clone, Copy)]
enum Holds {
    Numbers,
    Vertices(usize),
    Corners,
}

#[derive(Default)]
struct Layout {
    views: Row,
    accessors: Row,
    nodes: Row,
    meshes: Row,
    skins: Row,
    samplers: Row,
    channels: Row,
    materials: Row,
    images: Row,
    textures: Row,
    roots: Vec<usize>,
    blocks: Vec<Block>,
    bytes: usize,
    /// Moments, by how many there are and the frames a second.
    times: HashMap<(usize, u64), usize>,
}

/// Vertices of a file: points with their texture coordinates.
pub(crate) struct Vertices {
    pub points: Vec<u32>,
    /// Counted from above, as glTF does; empty where there are none.
    pub uvs: Vec<[f32; 2]>,
    pub triangles: Vec<[u32; 3]>,
}

/// One vertex for each point and texture coordinate that go together.
pub(crate) fn vertices(mesh: &Mesh) -> Vertices {
    let mut known: HashMap<(u32, u32), u32> = HashMap::new();
    let (mut points, mut uvs) = (vec![], vec![]);
    let triangles = (0..mesh.triangles.len())
        .map(|t| {
            std::array::from_fn(|k| {
                let p = mesh.triangles[t][k];
                let uv = mesh.uv_triangles.get(t).map_or(0, |u| u[k]);
                *known.entry((p, uv)).or_insert_with(|| {
                    points.push(p);
                    uvs.extend(mesh.uvs.get(uv as usize).map(|[u, v]| [*u, 1.0 - v]));
                    points.len() as u32 - 1
                })
            })
        })
        .collect();
    if uvs.len() != points.len() {
        uvs.clear();
    }
    Vertices { points, uvs, triangles }
}

/// All bodies, each as it can be: see above.
fn laid(all: &mut Delivery) -> Result<Layout> {
    let mut out = Layout::default();
    for body in 0..all.bodies.len() {
        let m = all.bodies[body];
        let material = out.material(&m);
        match m.limbs {
            Some(limbs) => out.plants(body, &m, limbs, material),
            None if m.is_shapes() => out.shapes(body, &m, material, all)?,
            None => out.pieces(body, &m, material),
        }
    }
    Ok(out)
}

pub(crate) fn write_glb(sink: &mut dyn Write, all: &mut Delivery) -> Result<()> {
    let mut out = laid(all)?;
    let text = out.told(all.name, None);
    let whole = 12 + 8 + text.len() + 8 + out.bytes;
    if whole > MOST {
        return Err(Error::other(
            "a binary glTF holds 4 GB at most, and this would be more: send fewer frames or fewer bodies at once",
        ));
    }
    sink.write_all(b"glTF")?;
    for word in [2, whole as u32, text.len() as u32, 0x4e4f_534a] {
        sink.write_all(&word.to_le_bytes())?;
    }
    sink.write_all(&text)?;
    for word in [out.bytes as u32, 0x004e_4942] {
        sink.write_all(&word.to_le_bytes())?;
    }
    buffer(sink, &out, all)
}

/// The same as a text beside its numbers, in a zip.
pub(crate) fn write_zip(sink: &mut dyn Write, all: &mut Delivery) -> Result<()> {
    let mut out = laid(all)?;
    let file = match all.bodies {
        [one] => crate::file_name(one.name),
        _ => crate::file_name(all.name),
    };
    let uri = percent_encoding::utf8_percent_encode(&file, percent_encoding::NON_ALPHANUMERIC);
    let text = out.told(all.name, Some(&format!("{uri}.bin")));
    let mut zip = zip::ZipWriter::new_stream(sink);
    let options = zip::write::SimpleFileOptions::default();
    crate::motion::put_note(&mut zip, all.note)?;
    zip.start_file(format!("{file}.gltf"), options)?;
    zip.write_all(&text)?;
    // Numbers hardly pack, and so it is known how long the file will be.
    let plain = options.compression_method(zip::CompressionMethod::Stored).large_file(true);
    zip.start_file(format!("{file}.bin"), plain)?;
    buffer(&mut zip, &out, all)?;
    zip.finish()?.flush()
}

/// All numbers, one block after the other.
fn buffer(sink: &mut dyn Write, out: &Layout, all: &mut Delivery) -> Result<()> {
    for block in &out.blocks {
        match block {
            Block::Bytes(raw) => sink.write_all(raw)?,
            Block::Joints(body, of) => joints(sink, all, *body, of)?,
            Block::Pieces(body, of) => pieces(sink, all, *body, of)?,
            Block::Shapes(body) => following(sink, all, *body)?,
            Block::Amounts(n) => {
                for k in 0..*n {
                    let row = (1..*n).flat_map(|j| if j == k { 1.0f32 } else { 0.0 }.to_le_bytes());
                    sink.write_all(&row.collect::<Vec<u8>>())?;
                }
            }
        }
    }
    Ok(())
}

fn floats<const N: usize>(values: impl IntoIterator<Item = [f32; N]>) -> Vec<u8> {
    values.into_iter().flatten().flat_map(f32::to_le_bytes).collect()
}

/// The least and the greatest of each number.
fn bounds(values: &[[f32; 3]]) -> [[f32; 3]; 2] {
    let of = |pick: fn(f32, f32) -> f32, from: f32| {
        std::array::from_fn(|c| values.iter().map(|v| v[c]).fold(from, pick))
    };
    [of(f32::min, f32::INFINITY), of(f32::max, f32::NEG_INFINITY)]
}

impl Layout {
    /// Room in the buffer, and its view.
    fn view(&mut self, long: usize, what: Holds) -> usize {
        let at = self.bytes;
        self.bytes += long;
        let more = match what {
            Holds::Numbers => String::new(),
            Holds::Vertices(each) => format!(r#","byteStride":{each},"target":34962"#),
            Holds::Corners => r#","target":34963"#.into(),
        };
        self.views.push(&format!(r#"{{"buffer":0,"byteOffset":{at},"byteLength":{long}{more}}}"#))
    }

    fn raw(&mut self, mut raw: Vec<u8>, what: Holds) -> usize {
        let long = raw.len();
        let view = self.view(long, what);
        raw.resize(long.next_multiple_of(4), 0);
        self.bytes += raw.len() - long;
        self.blocks.push(Block::Bytes(raw));
        view
    }

    /// `what`: how many numbers, of which kind, and their bounds, as JSON goes on.
    fn accessor(&mut self, view: usize, from: usize, count: usize, kind: (u32, &str), more: &str) -> usize {
        let (number, name) = kind;
        self.accessors.push(&format!(
            r#"{{"bufferView":{view},"byteOffset":{from},"componentType":{number},"count":{count},"type":"{name}"{more}}}"#
        ))
    }

    fn floats<const N: usize>(&mut self, values: &[[f32; N]], name: &str) -> usize {
        let what = if name == "MAT4" { Holds::Numbers } else { Holds::Vertices(4 * N) };
        let view = self.raw(floats(values.iter().copied()), what);
        self.accessor(view, 0, values.len(), (FLOAT, name), "")
    }

    fn places(&mut self, values: &[[f32; 3]]) -> usize {
        let view = self.raw(floats(values.iter().copied()), Holds::Vertices(PLACE));
        let [lo, hi] = bounds(values);
        self.accessor(view, 0, values.len(), (FLOAT, "VEC3"), &limits(lo, hi))
    }

    fn words(&mut self, values: impl Iterator<Item = u32>) -> usize {
        let raw: Vec<u8> = values.flat_map(u32::to_le_bytes).collect();
        let count = raw.len() / 4;
        let view = self.raw(raw, Holds::Corners);
        self.accessor(view, 0, count, (WORD, "SCALAR"), "")
    }

    /// Seconds from the first frame on.
    fn times(&mut self, m: &Motion) -> usize {
        let key = (m.count, m.pace().to_bits());
        if let Some(found) = self.times.get(&key) {
            return *found;
        }
        let all: Vec<[f32; 1]> = (0..m.count).map(|k| [(k as f64 / m.pace()) as f32]).collect();
        let view = self.raw(floats(all.iter().copied()), Holds::Numbers);
        let last = all.last().map_or(0.0, |t| t[0]);
        let more = format!(r#","min":[0],"max":[{last}]"#);
        let found = self.accessor(view, 0, m.count, (FLOAT, "SCALAR"), &more);
        self.times.insert(key, found);
        found
    }

    fn channel(&mut self, node: usize, path: &str, input: usize, output: usize, how: &str) {
        let sampler =
            self.samplers.push(&format!(r#"{{"input":{input},"output":{output},"interpolation":"{how}"}}"#));
        self.channels.push(&format!(r#"{{"sampler":{sampler},"target":{{"node":{node},"path":"{path}"}}}}"#));
    }

    fn material(&mut self, m: &Motion) -> usize {
        let [r, g, b] = LINEN;
        let mut look =
            json!({ "baseColorFactor": [r, g, b, 1.0], "metallicFactor": 0.0, "roughnessFactor": 0.9 });
        if let Some(p) = m.picture {
            let view = self.raw(p.bytes.to_vec(), Holds::Numbers);
            let kind = if p.ending == "jpg" { "image/jpeg" } else { "image/png" };
            let image = self.images.add(&json!({ "bufferView": view, "mimeType": kind }));
            let texture = self.textures.add(&json!({ "source": image }));
            look["baseColorFactor"] = json!([1.0, 1.0, 1.0, 1.0]);
            look["baseColorTexture"] = json!({ "index": texture });
        }
        self.materials.add(&json!({ "name": m.name, "pbrMetallicRoughness": look, "doubleSided": true }))
    }

    /// What a body's nodes hang on: where its places are told from.
    fn root(&mut self, m: &Motion, children: &[usize]) {
        let mut node = json!({ "name": m.name, "children": children });
        if m.origin != [0.0; 3] {
            node["translation"] = json!(m.origin);
        }
        let root = self.nodes.add(&node);
        self.roots.push(root);
    }

    fn plants(&mut self, body: usize, m: &Motion, limbs: &Limbs, material: usize) {
        let meshes: Vec<usize> = limbs.skins.iter().map(|s| self.skinned(m.name, s, material)).collect();
        let input = self.times(m);
        let ranges: Vec<Range<usize>> = limbs.ranges().collect();
        let mut hang = vec![];
        let mut first_node = vec![];
        for (number, (plant, of)) in limbs.plants.iter().zip(&ranges).enumerate() {
            let (up, rest) = (&limbs.up[of.clone()], &limbs.rest[of.clone()]);
            let n = of.len();
            let from = self.nodes.count;
            first_node.push(from);
            let mut below = vec![vec![]; n];
            for k in 1..n {
                below[up[k] as usize].push(from + k - 1);
            }
            for k in 1..n {
                let u = up[k] as usize;
                let at: [f32; 3] = match u {
                    0 => std::array::from_fn(|c| (f64::from(rest[0][c]) - m.origin[c]) as f32),
                    _ => std::array::from_fn(|c| rest[u][c] - rest[up[u] as usize][c]),
                };
                let mut node = json!({ "name": format!("{} {} {k}", m.name, number + 1), "translation": at });
                if !below[k].is_empty() {
                    node["children"] = json!(below[k]);
                }
                self.nodes.add(&node);
                if u == 0 {
                    hang.push(from + k - 1);
                }
            }
            // From the skin's own space to each joint's, as it rests.
            let turn = glam::DMat3::from_quat(plant.turn) * plant.size;
            let inverse: Vec<[f32; 16]> = (1..n)
                .map(|k| {
                    let head = rest[up[k] as usize].map(f64::from);
                    let at = plant.at - glam::DVec3::from(head);
                    let m = glam::DMat4::from_cols(
                        turn.x_axis.extend(0.0),
                        turn.y_axis.extend(0.0),
                        turn.z_axis.extend(0.0),
                        at.extend(1.0),
                    );
                    m.to_cols_array().map(|c| c as f32)
                })
                .collect();
            let inverse = self.floats(&inverse, "MAT4");
            let joints: Vec<usize> = (from..from + n - 1).collect();
            let skin = self.skins.add(&json!({ "inverseBindMatrices": inverse, "joints": joints }));
            let node = json!({ "name": format!("{} {}", m.name, number + 1), "mesh": meshes[plant.skin as usize], "skin": skin });
            let node = self.nodes.add(&node);
            self.roots.push(node);
        }
        self.root(m, &hang);
        // As many plants at once as a block has room for.
        let each = m.count * (PLACE + TURN + if m.comes { PLACE } else { 0 });
        let mut from = 0;
        while from < ranges.len() {
            let mut to = from;
            let mut long = 0;
            while to < ranges.len() && (to == from || long + each * (ranges[to].len() - 1) <= BLOCK) {
                long += each * (ranges[to].len() - 1);
                to += 1;
            }
            let view = self.view(long, Holds::Numbers);
            let mut at = 0;
            for plant in from..to {
                for k in 0..ranges[plant].len() - 1 {
                    at = self.moves(first_node[plant] + k, view, at, m, (input, true));
                }
            }
            self.blocks.push(Block::Joints(body, from..to));
            from = to;
        }
    }

    /// The channels of a node that moves, and turns where it does; where the next one's begin in the view.
    fn moves(
        &mut self,
        node: usize,
        view: usize,
        at: usize,
        m: &Motion,
        (input, turned): (usize, bool),
    ) -> usize {
        let n = m.count;
        let place = self.accessor(view, at, n, (FLOAT, "VEC3"), "");
        self.channel(node, "translation", input, place, "LINEAR");
        let mut at = at + n * PLACE;
        if turned {
            let turn = self.accessor(view, at, n, (FLOAT, "VEC4"), "");
            self.channel(node, "rotation", input, turn, "LINEAR");
            at += n * TURN;
        }
        if m.comes {
            let size = self.accessor(view, at, n, (FLOAT, "VEC3"), "");
            self.channel(node, "scale", input, size, "STEP");
            at += n * PLACE;
        }
        at
    }

    fn skinned(&mut self, name: &str, skin: &Skin, material: usize) -> usize {
        let v = vertices(&skin.mesh);
        let normals = skin.mesh.normals(&skin.mesh.positions);
        let pick =
            |all: &[[f32; 3]]| -> Vec<[f32; 3]> { v.points.iter().map(|p| all[*p as usize]).collect() };
        let position = self.places(&pick(&skin.mesh.positions));
        let normal = self.floats(&pick(&normals), "VEC3");
        // A joint is counted from the first that leads to a point; one that carries nothing is the first.
        let of = |p: &u32| (skin.joints[*p as usize], skin.shares[*p as usize]);
        let joints: Vec<u8> = v
            .points
            .iter()
            .flat_map(|p| {
                let (joints, shares) = of(p);
                std::array::from_fn::<u16, 4, _>(|c| {
                    if shares[c] > 0.0 { joints[c].max(1) as u16 - 1 } else { 0 }
                })
            })
            .flat_map(u16::to_le_bytes)
            .collect();
        let view = self.raw(joints, Holds::Vertices(8));
        let joints = self.accessor(view, 0, v.points.len(), (HALF, "VEC4"), "");
        let weights: Vec<[f32; 4]> = v.points.iter().map(|p| of(p).1).collect();
        let weights = self.floats(&weights, "VEC4");
        let mut attributes =
            json!({ "POSITION": position, "NORMAL": normal, "JOINTS_0": joints, "WEIGHTS_0": weights });
        if !v.uvs.is_empty() {
            attributes["TEXCOORD_0"] = json!(self.floats(&v.uvs, "VEC2"));
        }
        let indices = self.words(v.triangles.iter().flatten().copied());
        let primitive = json!({ "attributes": attributes, "indices": indices, "material": material });
        self.meshes.add(&json!({ "name": name, "primitives": [primitive] }))
    }

    fn pieces(&mut self, body: usize, m: &Motion, material: usize) {
        let mesh = m.mesh.piece.as_deref().cloned().unwrap_or_else(|| if m.turned { leaf() } else { ball() });
        let normals = mesh.normals(&mesh.positions);
        let attributes =
            json!({ "POSITION": self.places(&mesh.positions), "NORMAL": self.floats(&normals, "VEC3") });
        let indices = self.words(mesh.triangles.iter().flatten().copied());
        let primitive = json!({ "attributes": attributes, "indices": indices, "material": material });
        let shape = self.meshes.add(&json!({ "name": m.name, "primitives": [primitive] }));
        let n = m.mesh.radii.len();
        // Its size is one node's, so that where it is not there another may be nothing.
        let carries = self.nodes.count;
        let own: Vec<usize> = (0..n).map(|k| carries + 2 * k).collect();
        for k in 0..n {
            self.nodes.push(&format!(r#"{{"name":"{}","children":[{}]}}"#, k + 1, carries + 2 * k + 1));
            let [x, y, z] = size(m.mesh, m.turned, k);
            self.nodes.push(&format!(r#"{{"mesh":{shape},"scale":[{x},{y},{z}]}}"#));
        }
        self.root(m, &own);
        let input = self.times(m);
        let each = m.count * (PLACE + if m.turned { TURN } else { 0 } + if m.comes { PLACE } else { 0 });
        let many = (BLOCK / each.max(1)).max(1);
        for from in (0..n).step_by(many) {
            let of = from..(from + many).min(n);
            let view = self.view(each * of.len(), Holds::Numbers);
            let mut at = 0;
            for k in of.clone() {
                at = self.moves(own[k], view, at, m, (input, m.turned));
            }
            self.blocks.push(Block::Pieces(body, of));
        }
    }

    /// A mesh, or lines, whose shapes follow each other.
    fn shapes(&mut self, body: usize, m: &Motion, material: usize, all: &mut Delivery) -> Result<()> {
        let normals = all.with.normals && !m.mesh.triangles.is_empty();
        let (order, v) = order(m.mesh);
        let mut base = vec![];
        let mut limits_of = vec![];
        for frame in (all.frames)(body) {
            let now = placed(m.mesh, &order, &frame?);
            if base.is_empty() {
                base = now;
            } else {
                limits_of.push(bounds(&apart(&base, &now)));
            }
        }
        if base.is_empty() {
            return Err(Error::other("there is no frame to write"));
        }
        let mut attributes = json!({ "POSITION": self.places(&base) });
        if normals {
            let first =
                (all.frames)(body).next().ok_or_else(|| Error::other("there is no frame to write"))??;
            attributes["NORMAL"] = json!(self.floats(&across(m.mesh, &order, &first), "VEC3"));
        }
        let mut primitive = json!({ "material": material });
        if let Some(v) = &v {
            if !v.uvs.is_empty() {
                attributes["TEXCOORD_0"] = json!(self.floats(&v.uvs, "VEC2"));
            }
            primitive["indices"] = json!(self.words(v.triangles.iter().flatten().copied()));
        } else {
            let mut ends = vec![];
            let mut at = 0;
            for line in m.mesh.lines() {
                ends.extend((1..line.len() as u32).flat_map(|k| [at + k - 1, at + k]));
                at += line.len() as u32;
            }
            primitive["indices"] = json!(self.words(ends.into_iter()));
            primitive["mode"] = json!(1);
        }
        primitive["attributes"] = attributes;
        let long = base.len() * PLACE;
        let mut targets = vec![];
        if m.count > 1 {
            let view = self.view((m.count - 1) * long * if normals { 2 } else { 1 }, Holds::Vertices(PLACE));
            let mut at = 0;
            for [lo, hi] in limits_of.iter().take(m.count - 1) {
                let mut target = json!({ "POSITION": self.accessor(view, at, base.len(), (FLOAT, "VEC3"), &limits(*lo, *hi)) });
                at += long;
                if normals {
                    target["NORMAL"] = json!(self.accessor(view, at, base.len(), (FLOAT, "VEC3"), ""));
                    at += long;
                }
                targets.push(target);
            }
            self.blocks.push(Block::Shapes(body));
            primitive["targets"] = json!(targets);
        }
        let mut mesh = json!({ "name": m.name, "primitives": [primitive] });
        if m.count > 1 {
            mesh["weights"] = json!(vec![0.0; m.count - 1]);
        }
        let mesh = self.meshes.add(&mesh);
        let node = self.nodes.add(&json!({ "name": m.name, "mesh": mesh }));
        self.root(m, &[node]);
        if m.count > 1 {
            let input = self.times(m);
            let view = self.view(4 * m.count * (m.count - 1), Holds::Numbers);
            self.blocks.push(Block::Amounts(m.count));
            let output = self.accessor(view, 0, m.count * (m.count - 1), (FLOAT, "SCALAR"), "");
            self.channel(node, "weights", input, output, "LINEAR");
        }
        Ok(())
    }

    /// All that is said around the buffer, as long as it has to be; where that is, if it is elsewhere.
    fn told(&mut self, name: &str, elsewhere: Option<&str>) -> Vec<u8> {
        let mut out = String::from(r#"{"asset":{"version":"2.0","generator":"Nematon"},"scene":0"#);
        let scene = json!([{ "name": name, "nodes": self.roots }]);
        let uri = elsewhere.map_or_else(String::new, |u| format!(r#","uri":"{u}""#));
        let _ = write!(out, r#","scenes":{scene},"buffers":[{{"byteLength":{}{uri}}}]"#, self.bytes);
        for (key, row) in [
            ("bufferViews", &self.views),
            ("accessors", &self.accessors),
            ("nodes", &self.nodes),
            ("meshes", &self.meshes),
            ("skins", &self.skins),
            ("materials", &self.materials),
            ("images", &self.images),
            ("textures", &self.textures),
        ] {
            if row.count > 0 {
                let _ = write!(out, r#","{key}":[{}]"#, row.text);
            }
        }
        if self.channels.count > 0 {
            let _ = write!(
                out,
                r#","animations":[{{"name":"motion","samplers":[{}],"channels":[{}]}}]"#,
                self.samplers.text, self.channels.text
            );
        }
        out.push('}');
        let mut out = out.into_bytes();
        out.resize(out.len().next_multiple_of(4), b' ');
        out
    }
}

const FLOAT: u32 = 5126;
const WORD: u32 = 5125;
const HALF: u32 = 5123;

fn limits(lo: [f32; 3], hi: [f32; 3]) -> String {
    format!(r#","min":[{},{},{}],"max":[{},{},{}]"#, lo[0], lo[1], lo[2], hi[0], hi[1], hi[2])
}

/// Which point each vertex is, and what goes with them; of lines one after the other.
fn order(mesh: &Mesh) -> (Vec<u32>, Option<Vertices>) {
    if mesh.triangles.is_empty() {
        return (mesh.lines().concat(), None);
    }
    let v = vertices(mesh);
    (v.points.clone(), Some(v))
}

fn placed(mesh: &Mesh, order: &[u32], frame: &[[f32; 3]]) -> Vec<[f32; 3]> {
    let all = mesh.settled(frame);
    order.iter().map(|p| all[*p as usize]).collect()
}

fn across(mesh: &Mesh, order: &[u32], frame: &[[f32; 3]]) -> Vec<[f32; 3]> {
    let all = mesh.normals(frame);
    order.iter().map(|p| all[*p as usize]).collect()
}

fn apart(base: &[[f32; 3]], now: &[[f32; 3]]) -> Vec<[f32; 3]> {
    base.iter().zip(now).map(|(a, b)| std::array::from_fn(|c| b[c] - a[c])).collect()
}

/// How large a piece's node is.
pub(crate) fn size(mesh: &Mesh, turned: bool, k: usize) -> [f32; 3] {
    match (turned, mesh.ends.get(k)) {
        (true, Some([long, _])) if mesh.piece.is_some() => [*long; 3],
        (false, _) if mesh.piece.is_some() => [2.0 * mesh.radii[k]; 3],
        (true, Some([long, wide])) => [*long, *wide, *wide],
        _ => [mesh.radii[k]; 3],
    }
}

/// As long and as wide as 1, along x and z.
pub(crate) fn leaf() -> Mesh {
    Mesh {
        positions: vec![
            [-0.5, 0.0, 0.0],
            [-0.05, 0.0, 0.0],
            [0.5, 0.0, 0.0],
            [-0.05, 0.12, 0.5],
            [-0.05, 0.12, -0.5],
        ],
        triangles: vec![[0, 3, 1], [1, 3, 2], [0, 1, 4], [1, 2, 4]],
        ..Mesh::default()
    }
}

/// A ball of twenty faces, of radius 1.
pub(crate) fn ball() -> Mesh {
    let g = 0.5 * (1.0 + 5.0f32.sqrt());
    let corners = [[-1.0, g, 0.0], [1.0, g, 0.0], [-1.0, -g, 0.0], [1.0, -g, 0.0]];
    let all = (0..3).flat_map(|turn| corners.map(|p: [f32; 3]| std::array::from_fn(|c| p[(c + turn) % 3])));
    let per = 1.0 / (1.0 + g * g).sqrt();
    let positions: Vec<[f32; 3]> = all.map(|p: [f32; 3]| p.map(|c| c * per)).collect();
    let mut triangles = vec![];
    let far =
        |a: usize, b: usize| (0..3).map(|c| (positions[a][c] - positions[b][c]).powi(2)).sum::<f32>().sqrt();
    let side = 2.0 * per;
    for a in 0..12 {
        for b in a + 1..12 {
            for c in b + 1..12 {
                if [far(a, b), far(b, c), far(c, a)].iter().all(|d| (d - side).abs() < 1e-3) {
                    let [p, q, r] = [a, b, c].map(|k| glam::Vec3::from(positions[k]));
                    let out = (q - p).cross(r - p).dot(p) > 0.0;
                    triangles.push(if out { [a, b, c] } else { [a, c, b] }.map(|k| k as u32));
                }
            }
        }
    }
    Mesh { positions, triangles, ..Mesh::default() }
}

/// What moves, each node's numbers by themselves: places, turns, and sizes where they come and go.
struct Gathered {
    bytes: Vec<u8>,
    frames: usize,
    turned: bool,
    comes: bool,
}

impl Gathered {
    fn of(nodes: usize, m: &Motion, turned: bool) -> Gathered {
        let each = m.count * (PLACE + if turned { TURN } else { 0 } + if m.comes { PLACE } else { 0 });
        Gathered { bytes: vec![0; nodes * each], frames: m.count, turned, comes: m.comes }
    }

    fn each(&self) -> usize {
        self.frames * (PLACE + if self.turned { TURN } else { 0 } + if self.comes { PLACE } else { 0 })
    }

    fn put<const N: usize>(&mut self, at: usize, values: [f32; N]) {
        for (c, v) in values.iter().enumerate() {
            self.bytes[at + 4 * c..at + 4 * c + 4].copy_from_slice(&v.to_le_bytes());
        }
    }

    fn get<const N: usize>(&self, at: usize) -> [f32; N] {
        std::array::from_fn(|c| {
            let at = at + 4 * c;
            f32::from_le_bytes([self.bytes[at], self.bytes[at + 1], self.bytes[at + 2], self.bytes[at + 3]])
        })
    }

    /// A node at a frame; one that is not there stays as it was.
    fn node(&mut self, node: usize, frame: usize, at: [f32; 3], turn: [f32; 4], there: bool) {
        let base = node * self.each();
        let place = base + frame * PLACE;
        let held = at[0].is_nan();
        let own = if held && frame > 0 { self.get(place - PLACE) } else { at };
        self.put(place, if own[0].is_nan() { [0.0; 3] } else { own });
        let mut next = base + self.frames * PLACE;
        if self.turned {
            let to = next + frame * TURN;
            let long = turn.iter().map(|c| c * c).sum::<f32>().sqrt();
            let mut own = if long > 0.5 { turn.map(|c| c / long) } else { [0.0, 0.0, 0.0, 1.0] };
            if frame > 0 {
                let before: [f32; 4] = self.get(to - TURN);
                if held {
                    own = before;
                } else if own.iter().zip(&before).map(|(a, b)| a * b).sum::<f32>() < 0.0 {
                    // The same turn, by the shorter way.
                    own = own.map(|c| -c);
                }
            }
            self.put(to, own);
            next += self.frames * TURN;
        }
        if self.comes {
            self.put(next + frame * PLACE, [f32::from(u8::from(there)); 3]);
        }
    }
}

fn more() -> Error {
    Error::other("there are other frames than was said")
}

fn joints(sink: &mut dyn Write, all: &mut Delivery, body: usize, of: &Range<usize>) -> Result<()> {
    let m = all.bodies[body];
    let Some(limbs) = m.limbs else { return Ok(()) };
    let ranges: Vec<Range<usize>> = limbs.ranges().collect();
    let nodes = ranges[of.clone()].iter().map(|r| r.len() - 1).sum();
    let mut out = Gathered::of(nodes, &m, true);
    let mut count = 0;
    for (frame, now) in (all.frames)(body).enumerate() {
        if frame >= m.count {
            return Err(more());
        }
        let now = now?;
        let mut node = 0;
        for r in &ranges[of.clone()] {
            let (up, rest, now) = (&limbs.up[r.clone()], &limbs.rest[r.clone()], &now[r.clone()]);
            let turned = turns(up, rest, now);
            for k in 1..up.len() {
                let u = up[k] as usize;
                let (at, turn) = match u {
                    0 => (now[0], turned[k]),
                    _ => {
                        let by = turned[u].inverse();
                        let step: [f64; 3] =
                            std::array::from_fn(|c| f64::from(now[u][c]) - f64::from(now[up[u] as usize][c]));
                        let at = by * glam::DVec3::from(step);
                        (at.as_vec3().to_array(), by * turned[k])
                    }
                };
                let turn = turn.as_quat().to_array();
                out.node(node, frame, at, turn, !now[k][0].is_nan());
                node += 1;
            }
        }
        count += 1;
    }
    if count != m.count {
        return Err(more());
    }
    sink.write_all(&out.bytes)
}

fn pieces(sink: &mut dyn Write, all: &mut Delivery, body: usize, of: &Range<usize>) -> Result<()> {
    let m = all.bodies[body];
    let mut out = Gathered::of(of.len(), &m, m.turned);
    let mut turns = all.turned(body);
    let mut count = 0;
    for (frame, now) in (all.frames)(body).enumerate() {
        if frame >= m.count {
            return Err(more());
        }
        let now = now?;
        let turned = turns.as_mut().and_then(|t| t.next()).transpose()?;
        for (node, k) in of.clone().enumerate() {
            let turn = turned.as_ref().and_then(|t| t.get(k)).copied().unwrap_or([0.0, 0.0, 0.0, 1.0]);
            out.node(node, frame, now[k], turn, !now[k][0].is_nan());
        }
        count += 1;
    }
    if count != m.count {
        return Err(more());
    }
    sink.write_all(&out.bytes)
}

fn following(sink: &mut dyn Write, all: &mut Delivery, body: usize) -> Result<()> {
    let m = all.bodies[body];
    let (order, _) = order(m.mesh);
    let normals = all.with.normals && !m.mesh.triangles.is_empty();
    let (mut base, mut flat) = (vec![], vec![]);
    let mut count = 0;
    for frame in (all.frames)(body) {
        let frame = frame?;
        let now = placed(m.mesh, &order, &frame);
        let own = if normals { across(m.mesh, &order, &frame) } else { vec![] };
        if count == 0 {
            (base, flat) = (now, own);
        } else {
            sink.write_all(&floats(apart(&base, &now)))?;
            sink.write_all(&floats(apart(&flat, &own)))?;
        }
        count += 1;
    }
    if count == m.count { Ok(()) } else { Err(more()) }
}
