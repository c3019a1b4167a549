//! glTF 2.0 with all that moves: nodes, skins of any number of weights, morphs and clips.
use crate::gltf_file::contents;
use crate::{MAX_READ, ReadError};
use glam::{DAffine3, DMat4, DQuat, DVec3};
use gltf::Semantic;
use gltf::animation::Interpolation;
use gltf::animation::util::ReadOutputs;
use gltf::mesh::Mode;
use nematon_figure::{Channel, Clip, Curve, Figure, Joint, Local, Morph, Part, Skin, Weights, What};
use std::collections::HashMap;

/// Reads all of the default scene, with the joints that its skins name wherever they are.
pub fn read_gltf_figure(bytes: &[u8]) -> Result<Figure, ReadError> {
    // The library looks up some of what a file names before it has checked that it is there.
    let read = std::panic::catch_unwind(|| read(bytes));
    read.unwrap_or_else(|_| Err(ReadError::Gltf("it names parts that it doesn't have".into())))
}

type Buffers = [Vec<u8>];

fn fail(e: impl Into<String>) -> ReadError {
    ReadError::Gltf(e.into())
}

fn read(bytes: &[u8]) -> Result<Figure, ReadError> {
    let gltf = gltf::Gltf::from_slice(bytes).map_err(|e| fail(e.to_string()))?;
    let buffers: Vec<Vec<u8>> =
        gltf.buffers().map(|b| contents(&b, gltf.blob.as_deref())).collect::<Result<_, _>>()?;
    let mut figure = Figure::default();
    let seen = joints(&gltf, &mut figure)?;
    let number: HashMap<usize, usize> = seen.iter().enumerate().map(|(k, (n, _))| (*n, k)).collect();
    for s in gltf.skins() {
        let asked = s.inverse_bind_matrices().map_or(0, |a| a.count());
        let joints = s.joints().map(|j| number.get(&j.index()).copied());
        let joints = joints.collect::<Option<Vec<_>>>().ok_or_else(|| fail("a skin names no node"))?;
        let reader = s.reader(|b| buffers.get(b.index()).map(Vec::as_slice));
        let inverse: Vec<DAffine3> = match reader.read_inverse_bind_matrices() {
            Some(all) => all.map(|m| affine(&m)).collect(),
            None => vec![DAffine3::IDENTITY; joints.len()],
        };
        if asked > 0 && inverse.len() != joints.len() {
            let (n, m) = (joints.len(), inverse.len());
            return Err(fail(format!("a skin has {n} joints and {m} matrices of how they were bound")));
        }
        figure.skins.push(Skin { joints, inverse });
    }
    let mut read = 0;
    for (node, shown) in &seen {
        let node = gltf.nodes().nth(*node).ok_or_else(|| fail("a node is missing"))?;
        if let Some(mesh) = node.mesh().filter(|_| *shown) {
            let name = node.name().or(mesh.name()).unwrap_or("").to_owned();
            let skin = node.skin().map(|s| s.index());
            let part = Part { name, joint: number[&node.index()], skin, ..Part::default() };
            figure.parts.extend(part_of(part, &node, &mesh, &buffers, &mut read)?);
        }
    }
    for a in gltf.animations() {
        figure.clips.push(clip(&a, &number, &buffers)?);
    }
    Ok(figure)
}

/// All nodes, those that others hang on first, with whether the scene shows them.
fn joints(gltf: &gltf::Gltf, figure: &mut Figure) -> Result<Vec<(usize, bool)>, ReadError> {
    let mut hangs = vec![false; gltf.nodes().count()];
    gltf.nodes().flat_map(|n| n.children().map(|c| c.index()).collect::<Vec<_>>()).for_each(|c| {
        if let Some(h) = hangs.get_mut(c) {
            *h = true;
        }
    });
    let scene = gltf.document.default_scene().or_else(|| gltf.document.scenes().next());
    let mut todo: Vec<(gltf::Node<'_>, Option<usize>, bool)> =
        scene.into_iter().flat_map(|s| s.nodes().map(|n| (n, None, true)).collect::<Vec<_>>()).collect();
    let shown: Vec<usize> = todo.iter().map(|t| t.0.index()).collect();
    let roots = gltf.nodes().filter(|n| !hangs[n.index()] && !shown.contains(&n.index()));
    todo.extend(roots.map(|n| (n, None, false)));
    todo.reverse();
    let mut out: Vec<(usize, bool)> = vec![];
    let mut been = vec![false; hangs.len()];
    while let Some((node, parent, shown)) = todo.pop() {
        if std::mem::replace(&mut been[node.index()], true) {
            return Err(fail("a node is its own ancestor, or has two"));
        }
        let (position, turn, scale) = node.transform().decomposed();
        let rest = Local {
            position: DVec3::from(position.map(f64::from)),
            turn: DQuat::from_array(turn.map(f64::from)).normalize(),
            scale: DVec3::from(scale.map(f64::from)),
        };
        if !rest.affine().is_finite() {
            return Err(fail(format!("the node \"{}\" stands at no number", node.name().unwrap_or("?"))));
        }
        let me = figure.joints.len();
        figure.joints.push(Joint { name: node.name().unwrap_or("").to_owned(), parent, rest });
        out.push((node.index(), shown));
        let mut children: Vec<_> = node.children().map(|c| (c, Some(me), shown)).collect();
        children.reverse();
        todo.extend(children);
    }
    Ok(out)
}

fn affine(m: &[[f32; 4]; 4]) -> DAffine3 {
    DAffine3::from_mat4(DMat4::from_cols_array_2d(&m.map(|c| c.map(f64::from))))
}

/// What a point is: points that are the same in all of it are one.
#[derive(PartialEq, Eq, Hash)]
struct Sameness(Vec<u32>);

/// The points of a primitive: their places, their weights by joints, and what each morph adds.
struct Read {
    positions: Vec<[f32; 3]>,
    weights: Vec<Vec<(u32, f32)>>,
    morphs: Vec<Vec<[f32; 3]>>,
}

fn part_of(
    mut part: Part,
    node: &gltf::Node<'_>,
    mesh: &gltf::Mesh<'_>,
    buffers: &Buffers,
    read: &mut usize,
) -> Result<Option<Part>, ReadError> {
    let mut joined: HashMap<Sameness, u32> = HashMap::new();
    let mut textured = true;
    let amounts = node.weights().or(mesh.weights()).unwrap_or(&[]);
    part.weights.first.push(0);
    for primitive in mesh.primitives().filter(|p| p.mode() == Mode::Triangles) {
        let Some(places) = primitive.get(&Semantic::Positions) else { continue };
        let morphs = primitive.morph_targets().count();
        // Before any is read: numbers that are not there are zeros, however many.
        *read += places.count() * (1 + morphs) + primitive.indices().map_or(0, |a| a.count());
        if *read > MAX_READ {
            return Err(ReadError::TooMuch { what: "points and corners" });
        }
        let points = points(&primitive, &part, buffers)?;
        while part.morphs.len() < morphs {
            let k = part.morphs.len();
            let rest = amounts.get(k).copied().map_or(0.0, f64::from);
            let added = vec![[0.0; 3]; part.mesh.positions.len()];
            part.morphs.push(Morph { name: format!("morph {}", k + 1), rest, added });
        }
        let index: Vec<u32> = (0..points.positions.len())
            .map(|k| *joined.entry(points.sameness(k)).or_insert_with(|| points.push(k, &mut part)))
            .collect();
        let reader = primitive.reader(|b| buffers.get(b.index()).map(Vec::as_slice));
        let corners: Vec<u32> = match reader.read_indices() {
            Some(i) => i.into_u32().collect(),
            None if primitive.indices().is_some() => return Err(fail("triangles are cut short")),
            None => (0..index.len() as u32).collect(),
        };
        let first_uv = part.mesh.uvs.len() as u32;
        match reader.read_tex_coords(0) {
            Some(uvs) => part.mesh.uvs.extend(uvs.into_f32()),
            None => textured = false,
        }
        for t in corners.chunks_exact(3) {
            let look = |k: u32| index.get(k as usize).copied();
            match [t[0], t[1], t[2]].map(look) {
                [Some(a), Some(b), Some(c)] => {
                    part.mesh.triangles.push([a, b, c]);
                    part.mesh.uv_triangles.push([t[0], t[1], t[2]].map(|k| first_uv + k));
                }
                _ => return Err(fail("a triangle names a point that isn't there")),
            }
        }
    }
    let m = &mut part.mesh;
    if !textured || m.uv_triangles.iter().flatten().any(|&k| k as usize >= m.uvs.len()) {
        (m.uvs, m.uv_triangles) = (vec![], vec![]);
    }
    if part.skin.is_none() {
        part.weights = Weights::default();
    }
    Ok((!part.mesh.positions.is_empty()).then_some(part))
}

fn points(primitive: &gltf::Primitive<'_>, part: &Part, buffers: &Buffers) -> Result<Read, ReadError> {
    let reader = primitive.reader(|b| buffers.get(b.index()).map(Vec::as_slice));
    let positions: Vec<[f32; 3]> =
        reader.read_positions().ok_or_else(|| fail("points are cut short"))?.collect();
    let n = positions.len();
    let mut weights: Vec<Vec<(u32, f32)>> = vec![vec![]; if part.skin.is_some() { n } else { 0 }];
    if part.skin.is_some() {
        // Four a set, and as many sets as there are.
        for set in 0.. {
            let (Some(joints), Some(shares)) = (reader.read_joints(set), reader.read_weights(set)) else {
                break;
            };
            let shares: Vec<[f32; 4]> = shares.into_f32().collect();
            let joints: Vec<[u16; 4]> = joints.into_u16().collect();
            if joints.len() != n || shares.len() != n {
                let (a, b) = (joints.len(), shares.len());
                return Err(fail(format!("\"{}\" has {n} points, {a} joints and {b} weights", part.name)));
            }
            for (own, (j, s)) in weights.iter_mut().zip(joints.iter().zip(&shares)) {
                own.extend((0..4).filter(|k| s[*k] > 0.0).map(|k| (u32::from(j[k]), s[k])));
            }
        }
        for own in &mut weights {
            own.sort_by_key(|w| w.0);
            let sum: f32 = own.iter().map(|w| w.1).sum();
            match sum.is_finite() && sum > 0.0 {
                true => own.iter_mut().for_each(|w| w.1 /= sum),
                // What nothing holds stays with the first.
                false => *own = vec![(0, 1.0)],
            }
        }
    }
    let morphs: Vec<Vec<[f32; 3]>> =
        reader.read_morph_targets().map(|(p, _, _)| p.map_or(vec![[0.0; 3]; n], Iterator::collect)).collect();
    if morphs.iter().any(|m| m.len() != n) {
        return Err(fail(format!("a morph of \"{}\" has another number of points", part.name)));
    }
    Ok(Read { positions, weights, morphs })
}

impl Read {
    fn sameness(&self, k: usize) -> Sameness {
        let mut out: Vec<u32> = self.positions[k].iter().map(|c| c.to_bits()).collect();
        out.extend(self.weights.get(k).into_iter().flatten().flat_map(|w| [w.0, w.1.to_bits()]));
        out.extend(self.morphs.iter().flat_map(|m| m[k]).map(f32::to_bits));
        Sameness(out)
    }

    /// Puts a point at the end of a part and gives its number.
    fn push(&self, k: usize, part: &mut Part) -> u32 {
        part.mesh.positions.push(self.positions[k]);
        if let Some(own) = self.weights.get(k) {
            part.weights.joints.extend(own.iter().map(|w| w.0));
            part.weights.shares.extend(own.iter().map(|w| w.1));
        }
        part.weights.first.push(part.weights.joints.len() as u32);
        for (m, morph) in part.morphs.iter_mut().enumerate() {
            morph.added.push(self.morphs.get(m).map_or([0.0; 3], |a| a[k]));
        }
        part.mesh.positions.len() as u32 - 1
    }
}

fn clip(
    a: &gltf::Animation<'_>,
    number: &HashMap<usize, usize>,
    buffers: &Buffers,
) -> Result<Clip, ReadError> {
    let name = a.name().unwrap_or("").to_owned();
    let mut clip = Clip { name, duration: 0.0, channels: vec![] };
    let mut read = 0;
    for c in a.channels() {
        let sampler = c.sampler();
        read += sampler.input().count() + sampler.output().count();
        if read > MAX_READ {
            return Err(ReadError::TooMuch { what: "values of a clip" });
        }
        let reader = c.reader(|b| buffers.get(b.index()).map(Vec::as_slice));
        let short = || fail(format!("the clip \"{}\" is cut short", a.name().unwrap_or("?")));
        let times: Vec<f64> = reader.read_inputs().ok_or_else(short)?.map(f64::from).collect();
        let threes = |v: &mut dyn Iterator<Item = [f32; 3]>| v.flatten().map(f64::from).collect::<Vec<f64>>();
        let (what, values) = match reader.read_outputs().ok_or_else(short)? {
            ReadOutputs::Translations(mut v) => (What::Position, threes(&mut v)),
            ReadOutputs::Scales(mut v) => (What::Scale, threes(&mut v)),
            ReadOutputs::Rotations(v) => (What::Turn, v.into_f32().flatten().map(f64::from).collect()),
            ReadOutputs::MorphTargetWeights(v) => {
                let values: Vec<f64> = v.into_f32().map(f64::from).collect();
                let cubic = sampler.interpolation() == Interpolation::CubicSpline;
                let each = times.len().max(1) * if cubic { 3 } else { 1 };
                (What::Morphs(values.len() / each), values)
            }
        };
        let curve = match sampler.interpolation() {
            Interpolation::Step => Curve::Step,
            Interpolation::Linear => Curve::Straight,
            Interpolation::CubicSpline => Curve::Cubic,
        };
        let Some(&joint) = number.get(&c.target().node().index()) else { continue };
        clip.duration = times.last().copied().unwrap_or(0.0).max(clip.duration);
        clip.channels.push(Channel { joint, what, curve, times, values });
    }
    Ok(clip)
}
