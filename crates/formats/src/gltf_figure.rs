//! glTF 2.0 with all that moves: nodes, skins of any number of weights, morphs and clips.
use crate::gltf_file::{File, fail, quietly};
use crate::{MAX_READ, ReadError};
use glam::{DAffine3, DMat4, DQuat, DVec3};
use gltf::Semantic;
use gltf::animation::{Interpolation, Property};
use nematon_figure::{
    Channel, Clip, Curve, Figure, FoundCamera, Joint, Local, Morph, Part, Skin, Weights, What,
};
use nematon_geometry::Mesh;
use std::collections::HashMap;

/// Reads all of the default scene, with the joints that its skins name wherever they are.
pub fn read_gltf_figure(bytes: &[u8]) -> Result<Figure, ReadError> {
    quietly(|| read(bytes, true)).unwrap_or_else(|| Err(fail("it names parts that it doesn't have")))
}

/// Reads all triangles of the default scene as one mesh, where its nodes and skins put them when nothing moves. Points that
/// the file doubles for the sake of its texture are joined again, for a cloth must not be cut there.
pub fn read_gltf(bytes: &[u8]) -> Result<Mesh, ReadError> {
    let figure =
        quietly(|| read(bytes, false)).unwrap_or_else(|| Err(fail("it names parts that it doesn't have")))?;
    figure.check_parts().map_err(|e| ReadError::Figure(e.to_string()))?;
    let mut whole = figure.mesh();
    let mut joined = HashMap::new();
    let mut positions = vec![];
    let number: Vec<u32> = whole
        .positions
        .iter()
        .map(|p| {
            *joined.entry(p.map(f32::to_bits)).or_insert_with(|| {
                positions.push(*p);
                positions.len() as u32 - 1
            })
        })
        .collect();
    whole.positions = positions;
    whole.triangles.iter_mut().flatten().for_each(|k| *k = number[*k as usize]);
    Ok(whole)
}

/// Reads the cameras of a glTF, with all nodes and clips, and nothing that is drawn.
///
/// # Errors
/// When it is no glTF, or has no camera that sees in perspective.
pub fn read_cameras(bytes: &[u8]) -> Result<(Figure, Vec<FoundCamera>), ReadError> {
    let found = quietly(|| {
        let file = File::open(bytes, true)?;
        let mut figure = Figure::default();
        let nodes: Vec<gltf::Node<'_>> = file.document.nodes().collect();
        let seen = joints(&file, &nodes, &mut figure)?;
        let number: HashMap<usize, usize> = seen.iter().enumerate().map(|(k, (n, _))| (*n, k)).collect();
        let mut read = 0;
        for a in file.document.animations() {
            figure.clips.push(clip(&a, &number, &file, &mut read)?);
        }
        let all = nodes.iter().filter_map(|node| {
            let camera = node.camera()?;
            let gltf::camera::Projection::Perspective(p) = camera.projection() else { return None };
            let name = node.name().or(camera.name()).unwrap_or("Camera").to_owned();
            Some(FoundCamera { name, joint: number[&node.index()], angle: f64::from(p.yfov()) })
        });
        let all = all.collect::<Vec<_>>();
        Ok((figure, all))
    });
    match found.unwrap_or_else(|| Err(fail("it names parts that it doesn't have")))? {
        (_, none) if none.is_empty() => Err(fail("there is no camera in it that sees in perspective")),
        found => Ok(found),
    }
}

fn read(bytes: &[u8], clips: bool) -> Result<Figure, ReadError> {
    let file = File::open(bytes, clips)?;
    let mut figure = Figure::default();
    let nodes: Vec<gltf::Node<'_>> = file.document.nodes().collect();
    let seen = joints(&file, &nodes, &mut figure)?;
    let number: HashMap<usize, usize> = seen.iter().enumerate().map(|(k, (n, _))| (*n, k)).collect();
    let mut read = 0;
    let mut count = |more: usize| {
        read += more;
        if read > MAX_READ { Err(ReadError::TooMuch { what: "points and corners" }) } else { Ok(()) }
    };
    for s in file.document.skins() {
        let joints = s.joints().map(|j| number.get(&j.index()).copied());
        let joints = joints.collect::<Option<Vec<_>>>().ok_or_else(|| fail("a skin names no node"))?;
        let inverse: Vec<DAffine3> = match s.inverse_bind_matrices() {
            Some(all) => {
                count(all.count())?;
                file.matrices(&all)?.iter().map(|m| DAffine3::from_mat4(DMat4::from_cols_array(m))).collect()
            }
            None => vec![DAffine3::IDENTITY; joints.len()],
        };
        if inverse.len() != joints.len() {
            let (n, m) = (joints.len(), inverse.len());
            return Err(fail(format!("a skin has {n} joints and {m} matrices of how they were bound")));
        }
        figure.skins.push(Skin { joints, inverse });
    }
    for (node, shown) in &seen {
        let node = &nodes[*node];
        if let Some(mesh) = node.mesh().filter(|_| *shown) {
            let name = node.name().or(mesh.name()).unwrap_or("").to_owned();
            let skin = node.skin().map(|s| s.index());
            let part = Part { name, joint: number[&node.index()], skin, ..Part::default() };
            figure.parts.extend(part_of(part, node, &mesh, &file, &mut count)?);
        }
    }
    outward(&mut figure);
    let mut read = 0;
    for a in file.document.animations() {
        figure.clips.push(clip(&a, &number, &file, &mut read)?);
    }
    Ok(figure)
}

/// What a mirrored node or skin turns inside out is wound the other way: faces look out where it stands.
fn outward(figure: &mut Figure) {
    let posed = figure.pose(None, 0.0);
    for part in &mut figure.parts {
        let at = match part.skin {
            // By the joint that holds its first point most.
            Some(s) => {
                let skin = &figure.skins[s];
                let last = part.weights.first.get(1).map_or(0, |l| *l as usize);
                let own = part.weights.joints.iter().zip(&part.weights.shares).take(last);
                let most = own.max_by(|a, b| a.1.total_cmp(b.1)).map_or(0, |(j, _)| *j as usize);
                match (skin.joints.get(most), skin.inverse.get(most)) {
                    (Some(j), Some(inverse)) => posed.joints[*j] * *inverse,
                    _ => DAffine3::IDENTITY,
                }
            }
            None => posed.joints[part.joint],
        };
        if at.matrix3.determinant() < 0.0 {
            part.mesh.triangles.iter_mut().chain(&mut part.mesh.uv_triangles).for_each(|t| t.swap(1, 2));
        }
    }
}

/// All nodes, those that others hang on first, with whether the scene shows them.
fn joints(
    file: &File,
    nodes: &[gltf::Node<'_>],
    figure: &mut Figure,
) -> Result<Vec<(usize, bool)>, ReadError> {
    let mut hangs = vec![false; nodes.len()];
    nodes.iter().flat_map(|n| n.children().map(|c| c.index()).collect::<Vec<_>>()).for_each(|c| {
        if let Some(h) = hangs.get_mut(c) {
            *h = true;
        }
    });
    let scene = file.document.default_scene().or_else(|| file.document.scenes().next());
    let mut todo: Vec<(gltf::Node<'_>, Option<usize>, bool)> =
        scene.into_iter().flat_map(|s| s.nodes().map(|n| (n, None, true)).collect::<Vec<_>>()).collect();
    let mut begun = vec![false; nodes.len()];
    todo.iter().for_each(|t| begun[t.0.index()] = true);
    let roots = nodes.iter().filter(|n| !hangs[n.index()] && !begun[n.index()]);
    todo.extend(roots.map(|n| (n.clone(), None, false)));
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
        if let gltf::scene::Transform::Matrix { matrix } = node.transform() {
            let (said, read) = (affine(&matrix), rest.affine());
            let size = said.matrix3.to_cols_array().iter().fold(0.0f64, |m, c| m.max(c.abs()));
            if size.is_finite() && !said.matrix3.abs_diff_eq(read.matrix3, 1e-3 * size) {
                let name = node.name().unwrap_or("?");
                return Err(fail(format!("the node \"{name}\" is sheared: give it turn and scale alone")));
            }
        }
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
    file: &File,
    count: &mut impl FnMut(usize) -> Result<(), ReadError>,
) -> Result<Option<Part>, ReadError> {
    let mut joined: HashMap<Sameness, u32> = HashMap::new();
    let mut textured = true;
    let amounts = node.weights().or(mesh.weights()).unwrap_or(&[]);
    let names: Vec<String> = mesh
        .extras()
        .as_ref()
        .and_then(|e| serde_json::from_str::<serde_json::Value>(e.get()).ok())
        .and_then(|e| serde_json::from_value(e["targetNames"].clone()).ok())
        .unwrap_or_default();
    part.weights.first.push(0);
    for primitive in mesh.primitives() {
        let Some(places) = primitive.get(&Semantic::Positions) else { continue };
        let morphs = primitive.morph_targets().count();
        // Before any is read: numbers that are not there are zeros, however many.
        count(places.count() * (1 + morphs) + primitive.indices().map_or(0, |a| a.count()))?;
        let corners = file.triangles(&primitive, places.count())?;
        if corners.is_empty() {
            continue;
        }
        let points = points(&primitive, &places, &part, file)?;
        while part.morphs.len() < morphs {
            let k = part.morphs.len();
            let rest = amounts.get(k).copied().map_or(0.0, f64::from);
            let added = vec![[0.0; 3]; part.mesh.positions.len()];
            let name = names.get(k).cloned().unwrap_or_else(|| format!("morph {}", k + 1));
            part.morphs.push(Morph { name, rest, added });
        }
        let index: Vec<u32> = (0..points.positions.len())
            .map(|k| *joined.entry(points.sameness(k)).or_insert_with(|| points.push(k, &mut part)))
            .collect();
        part.own.extend(&index);
        let first_uv = part.mesh.uvs.len() as u32;
        match primitive.get(&Semantic::TexCoords(0)) {
            Some(uvs) => {
                count(uvs.count())?;
                part.mesh.uvs.extend(file.uvs(&uvs)?);
            }
            None => textured = false,
        }
        part.mesh.triangles.extend(corners.iter().map(|t| t.map(|k| index[k as usize])));
        part.mesh.uv_triangles.extend(corners.iter().map(|t| t.map(|k| first_uv + k)));
    }
    let m = &mut part.mesh;
    if !textured || m.uv_triangles.iter().flatten().any(|&k| k as usize >= m.uvs.len()) {
        (m.uvs, m.uv_triangles) = (vec![], vec![]);
    }
    if part.skin.is_none() {
        part.weights = Weights::default();
    }
    if part.own.len() == part.mesh.positions.len() {
        part.own.clear();
    }
    Ok((!part.mesh.positions.is_empty()).then_some(part))
}

fn points(
    primitive: &gltf::Primitive<'_>,
    places: &gltf::Accessor<'_>,
    part: &Part,
    file: &File,
) -> Result<Read, ReadError> {
    let positions = file.places(places)?;
    let n = positions.len();
    let mut weights: Vec<Vec<(u32, f32)>> = vec![vec![]; if part.skin.is_some() { n } else { 0 }];
    if part.skin.is_some() {
        // Four a set, and as many sets as there are.
        for set in 0.. {
            let (joints, shares) =
                (primitive.get(&Semantic::Joints(set)), primitive.get(&Semantic::Weights(set)));
            let (Some(joints), Some(shares)) = (joints, shares) else { break };
            if joints.count() != n || shares.count() != n {
                let (a, b) = (joints.count(), shares.count());
                return Err(fail(format!("\"{}\" has {n} points, {a} joints and {b} weights", part.name)));
            }
            let (joints, shares) = (file.joints(&joints)?, file.shares(&shares)?);
            for (own, (j, s)) in weights.iter_mut().zip(joints.iter().zip(&shares)) {
                own.extend((0..4).filter(|k| s[*k] > 0.0).map(|k| (j[k], s[k])));
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
    let mut morphs = vec![];
    for target in primitive.morph_targets() {
        let added = match target.positions() {
            Some(a) => file.places(&a)?,
            None => vec![[0.0; 3]; n],
        };
        if added.len() != n {
            return Err(fail(format!("a morph of \"{}\" has another number of points", part.name)));
        }
        morphs.push(added);
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
    file: &File,
    read: &mut usize,
) -> Result<Clip, ReadError> {
    let name = a.name().unwrap_or("").to_owned();
    let mut clip = Clip { name, duration: 0.0, channels: vec![] };
    for c in a.channels() {
        let sampler = c.sampler();
        let (input, output) = (sampler.input(), sampler.output());
        *read += input.count() + output.count();
        if *read > MAX_READ {
            return Err(ReadError::TooMuch { what: "values of clips" });
        }
        let times = file.times(&input)?;
        let cubic = sampler.interpolation() == Interpolation::CubicSpline;
        let (what, values) = match c.target().property() {
            Property::Translation => (What::Position, file.keys::<3>(&output)?),
            Property::Scale => (What::Scale, file.keys::<3>(&output)?),
            Property::Rotation => (What::Turn, file.keys::<4>(&output)?),
            Property::MorphTargetWeights => {
                let values = file.keys::<1>(&output)?;
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
