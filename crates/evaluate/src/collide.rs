//! Colliders, handles and who touches whom, from the document to the solver's plain arrays.
use crate::MeshLibrary;
use crate::resolve::pose_at;
use nematon_document::{
    Body, BodyId, Collider, ColliderId, Form, GripId, HeldTo, MAX_COLLIDER_POINTS, MeshSource, Node, Scene,
};
use nematon_geometry::{Mesh, block};
use nematon_solver::{ColliderMotion, ColliderRest, GripMotion, Rules, Skin, Solid};
use std::sync::Arc;

/// Hulls of more faces are refused: each point of a cloth would meet them all.
const MOST_FACES: usize = 512;

/// Why a collider can't be. It is named by its message.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("the collider \"{name}\" {why}")]
pub struct ColliderError {
    pub name: String,
    pub why: String,
}

/// A shape of a mesh at a frame.
struct Shaped {
    frame: i64,
    positions: Arc<Vec<[f32; 3]>>,
    hash: [u8; 32],
}

/// A collider with what it needs at hand.
pub struct Track {
    pub id: ColliderId,
    place: Node,
    shapes: Vec<Shaped>,
    pub rest: ColliderRest,
    /// Of what does not change with time.
    pub hash: [u8; 32],
}

/// A grip that a handle moves.
pub struct Carried {
    place: Node,
    body: usize,
    points: Arc<Vec<u32>>,
}

/// The colliders of a scene that any of an island's bodies meet, in the order of the document.
///
/// # Errors
/// The first that has no mesh, or one that doesn't do.
pub fn tracks(
    scene: &Scene,
    bodies: &[&Body],
    library: &impl MeshLibrary,
) -> Result<Vec<Track>, ColliderError> {
    let mut out = vec![];
    for (id, c) in scene.colliders.iter().filter(|(_, c)| c.on) {
        let meets: Vec<bool> = bodies.iter().map(|b| scene.meet(&b.touch.group, &c.group)).collect();
        if meets.iter().any(|m| *m) {
            let named = |why: String| ColliderError { name: c.name.clone(), why };
            out.push(track(id, c, meets, library).map_err(named)?);
        }
    }
    Ok(out)
}

/// The triangles of a collider that has any, and its other shapes by frame.
pub struct ColliderSkin {
    pub positions: Vec<[f32; 3]>,
    pub triangles: Vec<[u32; 3]>,
    pub shapes: Vec<(i64, Arc<Vec<[f32; 3]>>)>,
}

/// The skin of a collider, for whoever draws it.
///
/// # Errors
/// When its mesh can't be had or doesn't do.
pub fn skin(c: &Collider, library: &impl MeshLibrary) -> Result<ColliderSkin, ColliderError> {
    let seen = Collider { hollow: false, ..c.clone() };
    let named = |why: String| ColliderError { name: c.name.clone(), why };
    let t = track(&ColliderId(String::new()), &seen, vec![], library).map_err(named)?;
    let (positions, triangles) = t.rest.skin.map(|s| (s.positions, s.triangles)).unwrap_or_default();
    let shapes = t.shapes.into_iter().map(|s| (s.frame, s.positions)).collect();
    Ok(ColliderSkin { positions, triangles, shapes })
}

fn track(
    id: &ColliderId,
    c: &Collider,
    meets: Vec<bool>,
    library: &impl MeshLibrary,
) -> Result<Track, String> {
    let mesh = |from: &MeshSource| {
        let m = library.mesh(from).map_err(|e| format!("has no mesh: {e}"))?;
        match m.positions.len() {
            n if n > MAX_COLLIDER_POINTS => {
                Err(format!("has {n} points; the most is {MAX_COLLIDER_POINTS}. Reduce its mesh"))
            }
            _ if m.positions.iter().flatten().any(|c| !c.is_finite()) => {
                Err("has a point that is at no finite place".to_owned())
            }
            _ => Ok(m),
        }
    };
    let f = |v: f64| v as f32;
    let skin = |m: &Mesh| Skin { positions: m.positions.clone(), triangles: m.triangles.clone() };
    let mut shapes = vec![];
    let (solid, skin) = match &c.form {
        Form::Plane {} => (Some(Solid::Plane), None),
        Form::Ball(b) => (Some(Solid::Ball { radius: f(b.radius) }), None),
        Form::Capsule(s) => (Some(Solid::Capsule { radius: f(s.radius), half: f(0.5 * s.length) }), None),
        Form::Box(b) => {
            (Some(Solid::Box { half: b.size.map(|s| f(0.5 * s)) }), Some(skin(&block(b.size, [1; 3]))))
        }
        Form::Hull(h) => {
            let (planes, skin) = hull(mesh(&h.from)?.as_ref())?;
            (Some(Solid::Hull { planes }), Some(skin))
        }
        Form::Mesh(m) => {
            let first = mesh(&m.from)?;
            if first.triangles.is_empty() {
                return Err("has no triangles".into());
            }
            for key in &m.shapes {
                let at = mesh(&key.from)?;
                if at.positions.len() != first.positions.len() {
                    return Err(format!(
                        "has {} points, and its shape at frame {} has {}. Shapes must have the same points",
                        first.positions.len(),
                        key.frame,
                        at.positions.len()
                    ));
                }
                let mut hash = blake3::Hasher::new();
                at.positions.iter().flatten().for_each(|c| {
                    hash.update(&c.to_bits().to_le_bytes());
                });
                let positions = Arc::new(at.positions.clone());
                shapes.push(Shaped { frame: key.frame, positions, hash: *hash.finalize().as_bytes() });
            }
            (None, Some(skin(&first)))
        }
    };
    // Within a hollow one the skin has nothing to say.
    let skin = skin.filter(|_| !c.hollow);
    let solid = if c.hollow { solid.map(|s| Solid::Inside(Box::new(s))) } else { solid };
    let rest = ColliderRest { solid, skin, thickness: f(c.thickness), friction: f(c.friction), meets };
    let mut hash = blake3::Hasher::new();
    hash.update(
        format!("{:?} {:?} {:?} {:?}", rest.solid, rest.thickness, rest.friction, rest.meets).as_bytes(),
    );
    if let Some(s) = &rest.skin {
        s.positions.iter().flatten().for_each(|c| {
            hash.update(&c.to_bits().to_le_bytes());
        });
        s.triangles.iter().flatten().for_each(|c| {
            hash.update(&c.to_le_bytes());
        });
    }
    let hash = *hash.finalize().as_bytes();
    Ok(Track { id: id.clone(), place: c.place.clone(), shapes, rest, hash })
}

/// Why a mesh can't be the hull of a collider, in a sentence that begins with "it".
pub fn hull_fault(mesh: &Mesh) -> Option<String> {
    hull(mesh).err().map(|why| format!("it {why}"))
}

/// Planes and skin of the convex hull of a mesh's points.
fn hull(mesh: &Mesh) -> Result<(Vec<[f32; 4]>, Skin), String> {
    let points: Vec<Vec<f64>> =
        mesh.positions.iter().map(|p| p.iter().map(|c| f64::from(*c)).collect()).collect();
    let hull = chull::ConvexHullWrapper::try_new(&points, None)
        .map_err(|_| "has no hull: its points lie in a plane, or are fewer than four".to_owned())?;
    let (vertices, indices) = hull.vertices_indices();
    let positions: Vec<[f32; 3]> = vertices.iter().map(|v| std::array::from_fn(|c| v[c] as f32)).collect();
    let middle: [f64; 3] =
        std::array::from_fn(|c| vertices.iter().map(|v| v[c]).sum::<f64>() / vertices.len().max(1) as f64);
    let (mut planes, mut triangles): (Vec<[f32; 4]>, _) = (vec![], vec![]);
    for t in indices.chunks_exact(3) {
        let [a, b, c]: [[f64; 3]; 3] = std::array::from_fn(|k| std::array::from_fn(|d| vertices[t[k]][d]));
        let (u, v): ([f64; 3], [f64; 3]) =
            (std::array::from_fn(|k| b[k] - a[k]), std::array::from_fn(|k| c[k] - a[k]));
        let n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
        let size = n.iter().map(|c| c * c).sum::<f64>().sqrt();
        if size < 1e-18 {
            continue;
        }
        let n = n.map(|c| c / size);
        let far = |p: [f64; 3]| (0..3).map(|k| n[k] * p[k]).sum::<f64>();
        let out = if far(a) < far(middle) { -1.0 } else { 1.0 };
        let plane = [n[0] * out, n[1] * out, n[2] * out, far(a) * out].map(|c| c as f32);
        // Faces of one plane are one.
        if !planes.iter().any(|p| (0..4).all(|k| (p[k] - plane[k]).abs() < 1e-5)) {
            planes.push(plane);
        }
        let t: [u32; 3] = std::array::from_fn(|k| t[k] as u32);
        triangles.push(if out < 0.0 { [t[0], t[2], t[1]] } else { t });
    }
    if planes.len() > MOST_FACES {
        return Err(format!(
            "has a hull of {} faces; the most is {MOST_FACES}. Use it as a mesh",
            planes.len()
        ));
    }
    Ok((planes, Skin { positions, triangles }))
}

impl Track {
    /// The two shapes about a moment with the share of the second.
    fn between(&self, frame: f64) -> Option<(&Shaped, &Shaped, f32)> {
        let (first, last) = (self.shapes.first()?, self.shapes.last()?);
        let after = self.shapes.iter().position(|s| s.frame as f64 > frame);
        Some(match after {
            Some(0) => (first, first, 0.0),
            None => (last, last, 0.0),
            Some(k) => {
                let (a, b) = (&self.shapes[k - 1], &self.shapes[k]);
                (a, b, ((frame - a.frame as f64) / (b.frame - a.frame).max(1) as f64) as f32)
            }
        })
    }

    fn shape(&self, frame: f64) -> Option<Arc<Vec<[f32; 3]>>> {
        let (a, b, t) = self.between(frame)?;
        if t == 0.0 {
            return Some(a.positions.clone());
        }
        let mix = |(p, q): (&[f32; 3], &[f32; 3])| std::array::from_fn(|c| p[c] + t * (q[c] - p[c]));
        Some(Arc::new(a.positions.iter().zip(b.positions.iter()).map(mix).collect()))
    }

    /// Its way from the frame before to this one, by the scene's own numbers.
    pub fn motion(&self, scene: &Scene, frame: f64) -> ColliderMotion {
        let at = |f: f64| pose_at(scene, &self.place, f);
        let shape = self.shape(frame - 1.0).zip(self.shape(frame)).map(|(a, b)| [a, b]);
        ColliderMotion { from: at(frame - 1.0), to: at(frame), shape }
    }

    /// What [`Track::motion`] depends on.
    pub fn mark(&self, scene: &Scene, frame: f64, numbers: &mut Vec<f32>, hashes: &mut Vec<[u8; 32]>) {
        for f in [frame - 1.0, frame] {
            let p = pose_at(scene, &self.place, f);
            numbers.extend(p.position);
            numbers.extend(p.turn);
            if let Some((a, b, t)) = self.between(f) {
                numbers.push(t);
                hashes.extend([a.hash, b.hash]);
            }
        }
    }
}

/// A body and the points of each of its grips.
pub type GripsOf<'a> = (BodyId, &'a [(String, Vec<u32>)]);

/// The grips of an island's bodies that handles move; `points` gives those of a body's grip.
pub fn carried(scene: &Scene, bodies: &[GripsOf]) -> Vec<Carried> {
    let mut out = vec![];
    for (body, (id, grips)) in bodies.iter().enumerate() {
        for (grip, points) in *grips {
            let to =
                scene.bodies.get(id).and_then(|b| b.grips.get(&GripId::from(grip.as_str()))).map(|g| &g.to);
            if let Some(HeldTo::Handle(h)) = to
                && let Some(h) = scene.handles.get(h)
            {
                let points = Arc::new(points.clone());
                out.push(Carried { place: h.place.clone(), body, points });
            }
        }
    }
    out
}

impl Carried {
    /// Its way from the frame before to this one; the pose of the scene's `first` frame moves nothing.
    pub fn motion(&self, scene: &Scene, frame: f64) -> GripMotion {
        let first = scene.frames.first as f64;
        let at = |f: f64| pose_at(scene, &self.place, f);
        GripMotion {
            body: self.body,
            points: self.points.clone(),
            first: at(first),
            from: at(frame - 1.0),
            to: at(frame),
        }
    }
}

/// Who meets whom in an island.
pub fn rules(scene: &Scene, bodies: &[&Body]) -> Rules {
    let own = bodies.iter().map(|b| b.touch.itself).collect();
    let pairs = (0..bodies.len()).flat_map(|b| (0..b).map(move |a| [a, b]));
    let between = pairs.filter(|[a, b]| scene.touch(bodies[*a], bodies[*b])).collect();
    Rules { own, between }
}
