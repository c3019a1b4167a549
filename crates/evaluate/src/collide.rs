//! Colliders, handles and who touches whom, from the document to the solver's plain arrays.
use crate::MeshLibrary;
use crate::resolve::pose_at;
use nematon_document::{
    Body, BodyId, Collider, ColliderId, GripId, HeldTo, MAX_COLLIDER_POINTS, MeshSource, Moment, Node, Scene,
    Value,
};
use nematon_geometry::Mesh;
use nematon_solid::{Shaped, Solid, Standing};
use nematon_solver::{ColliderMotion, ColliderRest, FrictionNow, GripMotion, Rules};
use std::sync::Arc;

/// Why a collider can't be. It is named by its message.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("the collider \"{name}\" {why}")]
pub struct ColliderError {
    pub name: String,
    pub why: String,
}

/// A collider with what it needs at hand.
pub struct Track {
    pub id: ColliderId,
    place: Node,
    friction: Value,
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
    let first = scene.frames.moment(scene.frames.first as f64);
    for (id, c) in scene.colliders.iter().filter(|(_, c)| c.on) {
        let meets: Vec<bool> = bodies.iter().map(|b| scene.meet(&b.touch.group, &c.group)).collect();
        if meets.iter().any(|m| *m) {
            let named = |why: String| ColliderError { name: c.name.clone(), why };
            out.push(track(id, c, meets, library, &first).map_err(named)?);
        }
    }
    Ok(out)
}

/// The meshes of a library, as colliders take them.
fn fetch(library: &impl MeshLibrary) -> impl Fn(&MeshSource) -> Result<Arc<Mesh>, String> {
    |from| {
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
    }
}

/// What is seen of a collider, and its other shapes by frame.
pub struct ColliderSkin {
    pub positions: Vec<[f32; 3]>,
    pub triangles: Vec<[u32; 3]>,
    pub shapes: Vec<(i64, Arc<Vec<[f32; 3]>>)>,
}

/// The skin of a collider, for whoever draws it; none of one that has no end.
///
/// # Errors
/// When its mesh can't be had or doesn't do.
pub fn skin(c: &Collider, library: &impl MeshLibrary) -> Result<Option<ColliderSkin>, ColliderError> {
    let named = |why: String| ColliderError { name: c.name.clone(), why };
    let fetch = fetch(library);
    let Some(Mesh { positions, triangles, .. }) = c.form.seen(&fetch).map_err(named)? else {
        return Ok(None);
    };
    let shapes = c.form.stand(&fetch).map_err(named)?.shapes.into_iter();
    Ok(Some(ColliderSkin { positions, triangles, shapes: shapes.map(|s| (s.frame, s.positions)).collect() }))
}

fn track(
    id: &ColliderId,
    c: &Collider,
    meets: Vec<bool>,
    library: &impl MeshLibrary,
    first: &Moment,
) -> Result<Track, String> {
    let Standing { solid, skin, shapes } = c.form.stand(&fetch(library))?;
    // Within a hollow one the skin has nothing to say.
    let skin = skin.filter(|_| !c.hollow);
    let solid = if c.hollow { solid.map(|s| Solid::Inside(Box::new(s))) } else { solid };
    let f = |v: f64| v as f32;
    let rest =
        ColliderRest { solid, skin, thickness: f(c.thickness), friction: f(c.friction.at(first)), meets };
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
    Ok(Track { id: id.clone(), place: c.place.clone(), friction: c.friction.clone(), shapes, rest, hash })
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

    /// Its friction on the way to a frame, where that changes: as in the middle of the interval.
    pub fn rubs(&self, scene: &Scene, collider: usize, frame: f64) -> Option<FrictionNow> {
        let at = scene.frames.moment(frame - 0.5);
        (!self.friction.is_still()).then(|| FrictionNow { collider, friction: self.friction.at(&at) as f32 })
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
