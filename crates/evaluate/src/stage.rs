//! A scene with its figures at hand: all that places in the world follow from.
use crate::{Dyed, Ground, MeshLibrary};
use nematon_document::{
    Act, BodyId, ColliderId, Elsewhere, Field, FieldId, FigureId, Node, Outlet, Parent, Scene, SpotOf,
    SurfaceOf,
};
use nematon_figure::{Figure, Posed, Spot, Stand, spots};
use nematon_geometry::Mesh;
use std::collections::HashMap;
use std::ops::Deref;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

/// Moments of one figure that are kept: those of a frame, for all that follow from them.
const KEPT: usize = 256;

/// A scene, with what its files hold. Cheap to clone.
#[derive(Clone)]
pub struct Stage {
    scene: Arc<Scene>,
    figures: Arc<HashMap<FigureId, Result<Arc<Playing>, String>>>,
    /// What is seen of the colliders that fields ask for, as it is at first.
    surfaces: Arc<HashMap<ColliderId, Result<Arc<Mesh>, String>>>,
    /// The least and the most of the shapes of bodies that give shelter, before they are placed, metres.
    extents: Arc<HashMap<BodyId, [[f32; 3]; 2]>>,
    /// The maps of fields, on the surfaces that they push with.
    dyed: Arc<HashMap<FieldId, Result<Arc<Dyed>, String>>>,
    /// Where places are told from, metres: the world's origin, or one near what is simulated, for far from it single
    /// precision rounds. And where they were told from at the first frame.
    pub(crate) origin: [f64; 3],
    home: [f64; 3],
}

impl Deref for Stage {
    type Target = Scene;
    fn deref(&self) -> &Scene {
        &self.scene
    }
}

/// A figure as a scene plays it.
pub struct Playing {
    pub figure: Arc<Figure>,
    /// As nothing moves it, in the size of the scene.
    rest: OnceLock<Mesh>,
    digest: OnceLock<[u8; 32]>,
    clip: Option<usize>,
    /// Of the clip or the sequence, seconds.
    length: f64,
    pub(crate) own: nematon_document::Figure,
    posed: Mutex<HashMap<u64, Arc<Posed>>>,
    placed: Mutex<HashMap<u64, Arc<Vec<[f32; 3]>>>>,
    spots: Mutex<HashMap<[u64; 3], Option<Spot>>>,
}

/// What can't be placed, for the file of what it stands on is missing or has no such thing.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("{what} {why}")]
pub struct NoPlace {
    /// JSON Pointer to the place.
    pub path: String,
    pub what: String,
    pub why: String,
}

impl Stage {
    /// Figures whose files can't be had are left out: [`Stage::check`] tells of them.
    pub fn new(scene: &Scene, library: &dyn MeshLibrary) -> Stage {
        let figures = scene.figures.iter().map(|(id, own)| {
            let read = library.figure(own).and_then(|f| Playing::new(f, own, scene.frames.rate));
            (id.clone(), read.map(Arc::new))
        });
        let (scene, figures) = (Arc::new(scene.clone()), Arc::new(figures.collect()));
        let bare = Stage {
            scene,
            figures,
            surfaces: Arc::default(),
            extents: Arc::default(),
            dyed: Arc::default(),
            origin: [0.0; 3],
            home: [0.0; 3],
        };
        let acts = || bare.fields.values().map(|f| &f.act);
        let all = acts().any(|a| matches!(a, Act::Shelter(_)));
        let named = |id: &ColliderId| {
            acts().any(|a| matches!(a, Act::Skin(s) if s.of == SurfaceOf::Collider(id.0.clone())))
        };
        let gives = |id: &ColliderId| {
            let from = bare.bodies.values().filter_map(|b| b.kind.outlet());
            from.into_iter().any(|(_, from)| matches!(from, Outlet::Collider(c) if c == id))
        };
        let asked = bare.colliders.iter().filter(|(id, _)| all || named(id) || gives(id));
        let surfaces = asked.filter_map(|(id, c)| {
            let seen = crate::collide::seen(&bare, c, library).transpose()?;
            Some((id.clone(), seen.map(Arc::new)))
        });
        let surfaces = Arc::new(surfaces.collect());
        let shelter = acts().any(|a| matches!(a, Act::Shelter(s) if s.bodies));
        let shaped = bare.bodies.iter().filter(|_| shelter).filter_map(|(id, body)| {
            let points = match body.kind.cloth()?.shape.made() {
                Ok(mesh) => mesh.positions,
                Err(Elsewhere::Mesh(m)) => library.mesh(&m.from).ok()?.positions.clone(),
                // The figure's collider gives shelter.
                Err(Elsewhere::Skin(_)) => return None,
            };
            Some((id.clone(), crate::around::extent(&points)?))
        });
        let extents = Arc::new(shaped.collect());
        let bare = Stage { surfaces, extents, ..bare };
        let dyed = bare.fields.iter().filter_map(|(id, f)| Some((id.clone(), bare.dye(f, library)?)));
        Stage { dyed: Arc::new(dyed.collect()), ..bare }
    }

    /// The same with places told from another origin of the world.
    pub(crate) fn beside(&self, origin: [f64; 3]) -> Stage {
        Stage { origin, home: origin, ..self.clone() }
    }

    /// The same with a scene in its place in which numbers move otherwise.
    pub(crate) fn with(&self, scene: Scene) -> Stage {
        Stage { scene: Arc::new(scene), ..self.clone() }
    }

    /// The same in a later frame, by when what is simulated has gone elsewhere.
    pub(crate) fn moved(&self, origin: [f64; 3]) -> Stage {
        Stage { origin, ..self.clone() }
    }

    /// How far the origin has gone since the first frame, metres.
    pub(crate) fn gone(&self) -> [f32; 3] {
        std::array::from_fn(|c| (self.origin[c] - self.home[c]) as f32)
    }

    /// The same as at the first frame.
    pub(crate) fn at_home(&self) -> Stage {
        self.moved(self.home)
    }

    /// The map of a field on its surface; none where it has none, or where there is no surface, which is told elsewhere.
    fn dye(&self, field: &Field, library: &dyn MeshLibrary) -> Option<Result<Arc<Dyed>, String>> {
        let (Some(map), Act::Skin(skin)) = (&field.map, &field.act) else { return None };
        let (mesh, place) = match &skin.of {
            SurfaceOf::Figure(f) => (self.figure(f).ok()?.rest(), &self.scene.figures.get(f.as_str())?.place),
            SurfaceOf::Collider(c) => {
                (self.surface(c)?.as_ref().ok()?.as_ref(), &self.scene.colliders.get(c.as_str())?.place)
            }
        };
        let dyed = Ground { stage: self, place, mesh, library }.dyed(map);
        Some(dyed.map(Arc::new).map_err(|e| e.to_string()))
    }

    /// The map of a field, or why it can't be had.
    pub(crate) fn dyed(&self, id: &FieldId) -> Option<&Result<Arc<Dyed>, String>> {
        self.dyed.get(id)
    }

    /// The least and the most of the shape of a body that gives shelter, before it is placed, metres.
    pub(crate) fn extent(&self, id: &BodyId) -> Option<&[[f32; 3]; 2]> {
        self.extents.get(id)
    }

    /// What is seen of a collider that a field asks for, or why it can't be had.
    pub(crate) fn surface(&self, id: &str) -> Option<&Result<Arc<Mesh>, String>> {
        self.surfaces.get(id)
    }

    /// What a figure plays.
    ///
    /// # Errors
    /// Why it can't, in words that go on from its name.
    pub fn figure(&self, id: &str) -> Result<&Arc<Playing>, String> {
        match self.figures.get(id) {
            Some(Ok(f)) => Ok(f),
            Some(Err(why)) => Err(why.clone()),
            None => Err("is not in the scene".into()),
        }
    }

    /// Where a figure's file brings what stands on one of its joints or spots, on the figure.
    pub(crate) fn carried(&self, parent: &Parent, frame: f64) -> Option<Stand> {
        let own = self.figure(parent.rides()?.0.as_str()).ok()?;
        let time = own.time(self, frame);
        match parent {
            Parent::Joint(j) => {
                let joint = own.figure.joint(&j.joint)?;
                let Stand { position, turn } = own.figure.stand(&own.posed(time), joint);
                Some(Stand { position: position * own.own.size, turn })
            }
            Parent::Spot(s) => {
                let spot = own.spot(s)?;
                let (rest, now) = (&own.rest().positions, own.points(time));
                Some(Stand { position: spot.place(&now), turn: spot.turn(rest, &now) })
            }
            Parent::Handle(_) | Parent::Collider(_) | Parent::Figure(_) => None,
        }
    }

    /// Whether all that stands on a figure finds what it stands on, and all figures have their files.
    ///
    /// # Errors
    /// The first that doesn't.
    pub fn check(&self) -> Result<(), NoPlace> {
        for (path, node) in self.nodes() {
            let Some(parent) = &node.on else { continue };
            let Some(id) = parent.rides() else { continue };
            let name = || path.split('/').nth(2).unwrap_or_default().to_owned();
            let fault = |why: String| NoPlace { path: path.clone(), what: self.named(&name()), why };
            let of = self.scene.figures.get(id).map_or(id.0.as_str(), |f| &f.name);
            match (self.figure(id.0.as_str()), parent) {
                (Err(why), _) => return Err(fault(format!("stands on \"{of}\", which {why}"))),
                (Ok(f), Parent::Joint(j)) if f.figure.joint(&j.joint).is_none() => {
                    let joint = &j.joint;
                    return Err(fault(format!(
                        "stands on the joint \"{joint}\", which \"{of}\" does not have. Choose another"
                    )));
                }
                (Ok(f), Parent::Spot(s)) if f.spot(s).is_none() => {
                    return Err(fault(format!("stands on a spot of \"{of}\", which has no surface")));
                }
                _ => {}
            }
        }
        crate::around::check(self)
    }

    /// The name of whatever thing of the scene has a key.
    fn named(&self, key: &str) -> String {
        let Scene { handles, colliders, fields, bodies, .. } = &*self.scene;
        let name = handles.get(key).map(|h| &h.name);
        let name = name.or_else(|| colliders.get(key).map(|c| &c.name));
        let name = name.or_else(|| fields.get(key).map(|f| &f.name));
        let name = name.or_else(|| bodies.get(key).map(|b| &b.name));
        format!("\"{}\"", name.map_or(key, |n| n))
    }

    /// The moments at which what stands somewhere is looked at on the way to a frame: its ends, and where a figure
    /// carries it those of each sub-step, for between them it goes as its clip does.
    pub(crate) fn moments(&self, node: &Node, frame: f64) -> Vec<f64> {
        let rides = self.chain(node).any(|(_, on)| on.is_some_and(|p| p.rides().is_some()));
        self.through(frame, rides)
    }

    /// The ends of the way to a frame, or of all its sub-steps.
    pub(crate) fn through(&self, frame: f64, finely: bool) -> Vec<f64> {
        let n = if finely { self.frames.begins_with().max(1) } else { 1 };
        (0..=n).map(|k| if k == n { frame } else { frame - 1.0 + f64::from(k) / f64::from(n) }).collect()
    }
}

impl Playing {
    fn new(figure: Arc<Figure>, own: &nematon_document::Figure, rate: f64) -> Result<Playing, String> {
        let clip = match &own.clip {
            Some(name) => {
                let known: Vec<&str> = figure.clips.iter().map(|c| c.name.as_str()).collect();
                let found = figure.clips.iter().position(|c| c.name == *name);
                let has = if known.is_empty() { "none".to_owned() } else { known.join(", ") };
                Some(found.ok_or_else(|| format!("has no clip \"{name}\"; it has {has}"))?)
            }
            None => (!figure.clips.is_empty()).then_some(0),
        };
        let length = match figure.sequence.len() {
            0 => clip.map_or(0.0, |c| figure.clips[c].duration),
            shapes => (shapes - 1) as f64 / rate,
        };
        Ok(Playing {
            figure,
            rest: OnceLock::new(),
            digest: OnceLock::new(),
            clip,
            length,
            own: own.clone(),
            posed: Mutex::default(),
            placed: Mutex::default(),
            spots: Mutex::default(),
        })
    }

    /// How far into its clip it is at a frame, seconds.
    pub fn time(&self, scene: &Scene, frame: f64) -> f64 {
        match self.figure.sequence.len() {
            0 => self.own.time(&scene.frames, frame, self.length),
            // Counted in shapes.
            _ => self.own.time(&scene.frames, frame, self.length) * scene.frames.rate,
        }
    }

    /// Of its clip or sequence, seconds.
    pub fn length(&self) -> f64 {
        self.length
    }

    /// As nothing moves it, in the size that the scene gives it.
    pub fn rest(&self) -> &Mesh {
        self.rest.get_or_init(|| {
            let mut mesh = self.figure.mesh();
            self.sized(&mut mesh.positions);
            mesh
        })
    }

    /// Triangles of some of its parts, or of all where none is named.
    ///
    /// # Errors
    /// When it has no part of a name, in words that go on from the figure's.
    pub fn triangles(&self, parts: &[String]) -> Result<Vec<[u32; 3]>, String> {
        self.cut(parts).map(|m| m.triangles)
    }

    /// The same with their textures and faces; its points are the figure's, and are not told.
    pub fn cut(&self, parts: &[String]) -> Result<Mesh, String> {
        if let Some(name) = parts.iter().find(|n| !self.figure.parts.iter().any(|p| p.name == **n)) {
            let known: Vec<&str> = self.figure.parts.iter().map(|p| p.name.as_str()).collect();
            return Err(format!("has no part \"{name}\"; it has {}", known.join(", ")));
        }
        let mut out = Mesh::default();
        for (part, range) in self.figure.parts.iter().zip(self.figure.ranges()) {
            if !parts.is_empty() && !parts.contains(&part.name) {
                continue;
            }
            let Mesh { triangles, uvs, uv_triangles, faces, .. } = &part.mesh;
            let (from, first) = (range.start as u32, out.uvs.len() as u32);
            out.triangles.extend(triangles.iter().map(|t| t.map(|p| p + from)));
            out.uvs.extend(uvs);
            out.uv_triangles.extend(uv_triangles.iter().map(|t| t.map(|k| k + first)));
            match faces.iter().map(|n| *n as usize).sum::<usize>() == triangles.len() {
                true => out.faces.extend(faces),
                false => out.faces.extend(triangles.iter().map(|_| 1)),
            }
        }
        // Of a part alone they would be of no use.
        if out.uv_triangles.len() != out.triangles.len() {
            (out.uvs, out.uv_triangles) = (vec![], vec![]);
        }
        Ok(out)
    }

    fn sized(&self, points: &mut [[f32; 3]]) {
        if self.own.size != 1.0 {
            points.iter_mut().flatten().for_each(|c| *c = (f64::from(*c) * self.own.size) as f32);
        }
    }

    /// Its joints at a time.
    pub fn posed(&self, time: f64) -> Arc<Posed> {
        kept(&self.posed, time, || match self.figure.sequence.is_empty() {
            true => self.figure.pose(self.clip, time),
            false => self.figure.at_shape(time),
        })
    }

    /// Its points at a time, in the size that the scene gives it, before it is placed.
    pub fn points(&self, time: f64) -> Arc<Vec<[f32; 3]>> {
        kept(&self.placed, time, || {
            let mut out = vec![];
            self.figure.place(&self.posed(time), &mut out);
            self.sized(&mut out);
            out
        })
    }

    /// The same, worked out though it may be known: to see what it takes.
    pub(crate) fn anew(&self, time: f64) -> Vec<[f32; 3]> {
        let mut out = vec![];
        let posed = if self.figure.sequence.is_empty() {
            self.figure.pose(self.clip, time)
        } else {
            self.figure.at_shape(time)
        };
        self.figure.place(&posed, &mut out);
        self.sized(&mut out);
        out
    }

    fn spot(&self, of: &SpotOf) -> Option<Spot> {
        let mut known = self.spots.lock().unwrap_or_else(PoisonError::into_inner);
        *known.entry(of.at.map(f64::to_bits)).or_insert_with(|| {
            let at = of.at.map(|c| (c * self.own.size) as f32);
            spots(self.rest(), &[at]).and_then(|s| s.first().copied())
        })
    }

    /// Of all that its motion follows from but the time.
    pub fn digest(&self) -> [u8; 32] {
        *self.digest.get_or_init(|| {
            let mut hash = blake3::Hasher::new();
            hash.update(&self.figure.digest());
            hash.update(&self.own.size.to_bits().to_le_bytes());
            hash.update(&(self.clip.map_or(0, |c| c as u64 + 1)).to_le_bytes());
            *hash.finalize().as_bytes()
        })
    }
}

/// What is known of a time, worked out once while it is asked for again and again.
fn kept<T>(known: &Mutex<HashMap<u64, Arc<T>>>, time: f64, make: impl FnOnce() -> T) -> Arc<T> {
    let lock = || known.lock().unwrap_or_else(PoisonError::into_inner);
    if let Some(found) = lock().get(&time.to_bits()) {
        return found.clone();
    }
    let made = Arc::new(make());
    let mut known = lock();
    if known.len() >= KEPT {
        known.clear();
    }
    known.insert(time.to_bits(), made.clone());
    made
}
