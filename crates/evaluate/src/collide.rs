//! Colliders, handles and who touches whom, from the document to the solver's plain arrays.
use crate::maps::Dyed;
use crate::resolve::pose_at;
use crate::riding::{Surface, turned};
use crate::shape::begins;
use crate::{MeshLibrary, Playing, Shaped, Stage};
use nematon_air::{Marks, word};
use nematon_document::{
    Body, BodyId, Collider, ColliderId, FigureForm, Form, HeldTo, MAX_COLLIDER_POINTS, MeshSource, Moment,
    Node, Outlet, Value,
};
use nematon_geometry::Mesh;
use nematon_solid::{Fetch, Shaped as AtFrame, Solid, Standing};
use nematon_solver::{
    ColliderMotion, ColliderRest, Draws, FrictionNow, GripMotion, Holder, Places, Pull, Rules, Turns, Way,
};
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
    shapes: Vec<AtFrame>,
    /// The figure that it is the surface of.
    plays: Option<Arc<Playing>>,
    pub rest: ColliderRest,
    /// Of what does not change with time.
    pub hash: [u8; 32],
}

/// A grip that moves.
pub struct Carried {
    /// Of what moves it.
    place: Node,
    body: usize,
    points: Arc<Vec<u32>>,
    surface: Option<Surface>,
    /// How it pulls, where it only does.
    pull: Option<Pulls>,
    /// Whether its body asks how its points are turned.
    turns: bool,
}

/// How points are pulled.
struct Pulls {
    how: How,
    /// How firmly at each point of the body, and what is made of weights of 0 and of 1.
    by: Option<(Arc<Dyed>, [f64; 2])>,
    moves: bool,
}

enum How {
    /// So much, firmly or by a spring in N/m.
    Hold(Value, Option<f64>),
    /// 1/s².
    Follow(Value),
}

impl Pulls {
    fn new(scene: &Stage, how: How, by: Option<(Arc<Dyed>, [f64; 2])>) -> Pulls {
        let moves = by.as_ref().is_some_and(|(d, _)| d.moves(scene));
        Pulls { how, by, moves }
    }

    fn number(&self) -> &Value {
        match &self.how {
            How::Hold(n, _) | How::Follow(n) => n,
        }
    }

    /// At both ends of the way to a frame.
    fn ends(&self, scene: &Stage, frame: f64) -> [f32; 2] {
        [frame - 1.0, frame].map(|f| self.number().at(&scene.frames.moment(f)) as f32)
    }

    fn pull(&self, scene: &Stage, points: &[u32], frame: f64) -> Pull {
        let [a, b] = self.ends(scene, frame);
        let (by, share) = match &self.how {
            How::Hold(_, None) => (Draws::Firm, [a, b]),
            How::Hold(_, Some(spring)) => (Draws::Spring(*spring as f32), [a, b]),
            // As shares of the greater, so that one number is told.
            How::Follow(_) if a.max(b) > 0.0 => (Draws::Follow(a.max(b)), [a / a.max(b), b / a.max(b)]),
            How::Follow(_) => (Draws::Follow(0.0), [0.0; 2]),
        };
        let over = |frame: f64| {
            self.by.as_ref().map(|(dyed, [least, most])| {
                let all = dyed.at(scene, frame);
                let of = |p: &u32| (least + (most - least) * f64::from(all[*p as usize])) as f32;
                Arc::new(points.iter().map(of).collect::<Vec<f32>>())
            })
        };
        let last = over(frame);
        let first = if self.moves { over(frame - 1.0) } else { last.clone() };
        Pull { by, share, over: [first, last] }
    }

    fn mark(&self, scene: &Stage, frame: f64, to: (&mut Vec<u32>, &mut Vec<f32>, &mut Vec<[u8; 32]>)) {
        let Pulls { how, by, moves } = self;
        let (words, numbers, hashes) = to;
        words.push(if matches!(how, How::Hold(..)) { word::HOLD } else { word::FOLLOW });
        numbers.extend(self.ends(scene, frame));
        if let How::Hold(_, spring) = how {
            numbers.push(spring.map_or(f32::INFINITY, |s| s as f32));
        }
        if let Some((dyed, ends)) = by {
            words.push(word::PULL_BY_MAP);
            numbers.extend(ends.map(|e| e as f32));
            hashes.push(dyed.digest());
            let mut marks = Marks::default();
            for f in if *moves { [frame - 1.0, frame] } else { [scene.frames.first as f64; 2] } {
                dyed.mark(scene, f, &mut marks);
            }
            hashes.push(*blake3::hash(&marks.0).as_bytes());
        }
    }
}

/// A grip that can't hold, in words that go on from its body's name.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("the grip \"{grip}\" is held to \"{to}\", which {why}")]
pub struct NoHold {
    pub grip: String,
    pub to: String,
    pub why: String,
}

/// The colliders of a scene that any of an island's bodies meet, in the order of the document.
///
/// # Errors
/// The first that has no mesh, or one that doesn't do.
pub fn tracks(
    scene: &Stage,
    bodies: &[&Body],
    library: &dyn MeshLibrary,
) -> Result<Vec<Track>, ColliderError> {
    let mut out = vec![];
    let first = scene.frames.moment(scene.frames.first as f64);
    for (id, c) in scene.colliders.iter().filter(|(_, c)| c.on) {
        let meets: Vec<bool> = bodies.iter().map(|b| scene.meet(&b.touch.group, &c.group)).collect();
        if meets.iter().any(|m| *m) {
            let named = |why: String| ColliderError { name: c.name.clone(), why };
            out.push(track(scene, id, c, meets, library, &first).map_err(named)?);
        }
    }
    Ok(out)
}

/// The meshes of a library and the figures of a scene, as colliders take them.
struct At<'a>(&'a Stage, &'a dyn MeshLibrary);

impl Fetch for At<'_> {
    fn mesh(&self, from: &MeshSource) -> Result<Arc<Mesh>, String> {
        let m = self.1.mesh(from).map_err(|e| format!("has no mesh: {e}"))?;
        fits(&m)?;
        Ok(m)
    }

    fn figure(&self, of: &FigureForm) -> Result<Arc<Mesh>, String> {
        let Some(own) = self.0.figures.get(of.figure.as_str()) else {
            return Err(format!("is the surface of \"{}\", which there is not", of.figure));
        };
        let plays = self.0.figure(&of.figure);
        let plays = plays.map_err(|why| format!("is the surface of \"{}\", which {why}", own.name))?;
        let first = plays.time(self.0, self.0.frames.first as f64);
        let mut mesh = Mesh { positions: (*plays.points(first)).clone(), ..Mesh::default() };
        fits(&mesh)?;
        mesh.triangles = plays
            .triangles(&of.parts)
            .map_err(|why| format!("is the surface of \"{}\", which {why}", own.name))?;
        Ok(Arc::new(mesh))
    }
}

/// What is seen of a collider, about its own origin; none of one without end.
pub fn seen(scene: &Stage, c: &Collider, library: &dyn MeshLibrary) -> Result<Option<Mesh>, String> {
    c.form.seen(&At(scene, library))
}

fn fits(m: &Mesh) -> Result<(), String> {
    match m.positions.len() {
        n if n > MAX_COLLIDER_POINTS => {
            Err(format!("has {n} points; the most is {MAX_COLLIDER_POINTS}. Reduce its mesh"))
        }
        _ if m.positions.iter().flatten().any(|c| !c.is_finite()) => {
            Err("has a point that is at no finite place".to_owned())
        }
        _ => Ok(()),
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
pub fn skin(
    scene: &Stage,
    c: &Collider,
    library: &dyn MeshLibrary,
) -> Result<Option<ColliderSkin>, ColliderError> {
    let named = |why: String| ColliderError { name: c.name.clone(), why };
    let fetch = At(scene, library);
    let Some(Mesh { positions, triangles, .. }) = c.form.seen(&fetch).map_err(named)? else {
        return Ok(None);
    };
    let shapes = c.form.stand(&fetch).map_err(named)?.shapes.into_iter();
    Ok(Some(ColliderSkin { positions, triangles, shapes: shapes.map(|s| (s.frame, s.positions)).collect() }))
}

fn track(
    scene: &Stage,
    id: &ColliderId,
    c: &Collider,
    meets: Vec<bool>,
    library: &dyn MeshLibrary,
    first: &Moment,
) -> Result<Track, String> {
    let Standing { solid, skin, shapes } = c.form.stand(&At(scene, library))?;
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
    // Deep inside a box the way out was once along z, whichever face was nearest: frames of then are not those of now.
    if matches!(&rest.solid, Some(Solid::Box { .. }))
        || matches!(&rest.solid, Some(Solid::Inside(s)) if matches!(**s, Solid::Box { .. }))
    {
        hash.update(b"nearest face");
    }
    if let Some(s) = &rest.skin {
        s.positions.iter().flatten().for_each(|c| {
            hash.update(&c.to_bits().to_le_bytes());
        });
        s.triangles.iter().flatten().for_each(|c| {
            hash.update(&c.to_le_bytes());
        });
    }
    let hash = *hash.finalize().as_bytes();
    // The surface of a figure is where the figure is.
    let plays = match &c.form {
        Form::Figure(f) => scene.figure(&f.figure).ok().cloned(),
        _ => None,
    };
    let place = plays.as_ref().map_or(&c.place, |p| &p.own.place).clone();
    Ok(Track { id: id.clone(), place, friction: c.friction.clone(), shapes, plays, rest, hash })
}

impl Track {
    /// Stands as a thing now does that stood as this.
    pub(crate) fn replace(&mut self, was: &Node, now: &Node) {
        if self.place == *was {
            self.place = now.clone();
        }
    }

    /// The two shapes about a moment with the share of the second.
    fn between(&self, frame: f64) -> Option<(&AtFrame, &AtFrame, f32)> {
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

    /// Its friction on the way to a frame, as in the middle of the interval; none where that is what it began with.
    pub fn rubs(&self, scene: &Stage, collider: usize, frame: f64) -> Option<FrictionNow> {
        let friction = self.friction.at(&scene.frames.moment(frame - 0.5)) as f32;
        (friction != self.rest.friction).then_some(FrictionNow { collider, friction })
    }

    /// Its way from the frame before to this one, by the scene's own numbers.
    pub fn motion(&self, scene: &Stage, frame: f64) -> ColliderMotion {
        let way = way(scene, &self.place, frame);
        let shapes = match &self.plays {
            Some(plays) => times(scene, plays, frame).into_iter().map(|time| plays.points(time)).collect(),
            None => [frame - 1.0, frame].into_iter().filter_map(|f| self.shape(f)).collect(),
        };
        ColliderMotion { way, shapes: Places(shapes) }
    }

    /// What [`Track::motion`] depends on.
    pub fn mark(&self, scene: &Stage, frame: f64, numbers: &mut Vec<f32>, hashes: &mut Vec<[u8; 32]>) {
        if let Some(plays) = &self.plays {
            hashes.push(plays.digest());
            numbers.extend(times(scene, plays, frame).into_iter().flat_map(bits));
        }
        for f in scene.moments(&self.place, frame) {
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

/// The way of what stands at a node to a frame.
fn way(scene: &Stage, node: &Node, frame: f64) -> Way {
    Way::through(scene.moments(node, frame).into_iter().map(|f| pose_at(scene, node, f)).collect())
}

/// The times of a figure's clip at which it is looked at on the way to a frame: one where it stands still.
fn times(scene: &Stage, plays: &Playing, frame: f64) -> Vec<f64> {
    let at = |f: f64| plays.time(scene, f);
    let all: Vec<f64> = scene.through(frame, true).into_iter().map(at).collect();
    if all.iter().all(|t| *t == all[0]) { vec![all[0]] } else { all }
}

/// All of a number, as those that are hashed.
fn bits(n: f64) -> [f32; 2] {
    let b = n.to_bits();
    [f32::from_bits(b as u32), f32::from_bits((b >> 32) as u32)]
}

/// The grips of an island's bodies that move or pull, and what bodies follow.
///
/// # Errors
/// The number of the body in the island, and why one of its grips can't hold.
pub fn carried(scene: &Stage, bodies: &[(&BodyId, &Shaped)]) -> Result<Vec<Carried>, (usize, NoHold)> {
    let mut out = vec![];
    for (body, (id, shaped)) in bodies.iter().enumerate() {
        let Some(whole) = scene.bodies.get(*id) else { continue };
        let turns = !shaped.mesh.strands.is_empty();
        // Those that hang on a body are told by `tied`.
        if let Some((_, from)) = whole.kind.outlet().filter(|o| turns && !matches!(o.1, Outlet::Body(_))) {
            out.push(rooted(scene, (body, whole, from), shaped)?);
        }
        for g in &shaped.grips {
            let Some(own) = whole.grips.get(&g.id) else { continue };
            let points = Arc::new(g.points.clone());
            let how = || How::Hold(own.hold.clone(), own.spring);
            let pull = g.pulls.then(|| Pulls::new(scene, how(), g.by.clone().map(|d| (d, [0.0, 1.0]))));
            match &own.to {
                HeldTo::Handle(h) => {
                    if let Some(h) = scene.handles.get(h) {
                        out.push(Carried {
                            place: h.place.clone(),
                            body,
                            points,
                            surface: None,
                            pull,
                            turns,
                        });
                    }
                }
                HeldTo::Figure(f) => {
                    let Some(figure) = scene.figures.get(f.figure.as_str()) else { continue };
                    let surface = Surface::of(scene, figure, f, &shaped.placed, &points).map_err(|why| {
                        (body, NoHold { grip: own.name.clone(), to: figure.name.clone(), why })
                    })?;
                    let place = figure.place.clone();
                    out.push(Carried { place, body, points, surface: Some(surface), pull, turns });
                }
                // What stays where it is, is held before the body moves; what only pulls is told of each frame.
                HeldTo::World if pull.is_some() => {
                    out.push(Carried { place: Node::default(), body, points, surface: None, pull, turns });
                }
                // Told by `tied`.
                HeldTo::World | HeldTo::Body(_) => {}
            }
        }
        if let Some(f) = &shaped.follow {
            let free = shaped.held().into_iter().enumerate().filter(|(_, held)| !held);
            let points = Arc::new(free.map(|(p, _)| p as u32).collect::<Vec<u32>>());
            let pull = Some(Pulls::new(scene, How::Follow(f.strength.clone()), f.by.clone()));
            // What is cut from a figure follows its skin as that moves; others what they stand on.
            let skin = whole.skin().map(|s| FigureForm { figure: s.figure.clone(), parts: s.parts.clone() });
            let on = skin.and_then(|form| Some((scene.figures.get(form.figure.as_str())?, form)));
            let surface = on.map(|(figure, form)| {
                Surface::of(scene, figure, &form, &shaped.placed, &points)
                    .map_err(|why| (body, NoHold { grip: "follow".into(), to: figure.name.clone(), why }))
            });
            let place = begins(scene, whole).clone();
            out.push(Carried { place, body, points, surface: surface.transpose()?, pull, turns });
        }
    }
    Ok(out)
}

/// The roots of strands and plants, held to what they grow on.
fn rooted(
    scene: &Stage,
    (body, whole, from): (usize, &Body, &Outlet),
    shaped: &Shaped,
) -> Result<Carried, (usize, NoHold)> {
    let points = Arc::new(shaped.roots());
    let (place, surface) = match from {
        Outlet::Space | Outlet::Points(_) | Outlet::Body(_) => (whole.place.clone(), None),
        Outlet::Collider(c) => (scene.colliders.get(c).map_or_else(Node::default, |c| c.place.clone()), None),
        Outlet::Figure(f) => match scene.figures.get(f.figure.as_str()) {
            Some(figure) => {
                let surface = Surface::of(scene, figure, f, &shaped.placed, &points)
                    .map_err(|why| (body, NoHold { grip: "roots".into(), to: figure.name.clone(), why }))?;
                (figure.place.clone(), Some(surface))
            }
            None => (Node::default(), None),
        },
    };
    Ok(Carried { place, body, points, surface, pull: None, turns: true })
}

impl Carried {
    /// Stands as a thing now does that stood as this.
    pub(crate) fn replace(&mut self, was: &Node, now: &Node) {
        if self.place == *was {
            self.place = now.clone();
        }
    }

    /// Its way from the frame before to this one; the pose of the scene's `first` frame moves nothing.
    pub fn motion(&self, scene: &Stage, frame: f64) -> GripMotion {
        let first = pose_at(&scene.at_home(), &self.place, scene.frames.first as f64);
        let by = match &self.surface {
            None => Holder::Thing { first, way: way(scene, &self.place, frame) },
            Some(s) => {
                let places = self.moments(scene, frame).map(|f| s.places(scene, &self.place, f)).collect();
                let first =
                    self.turns.then(|| s.axes(&scene.at_home(), &self.place, scene.frames.first as f64));
                let turned = first.map(|first| {
                    let moments = self.moments(scene, frame);
                    moments.map(|f| Arc::new(turned(&first, &s.axes(scene, &self.place, f)))).collect()
                });
                Holder::Spots(Places(places), Turns(turned.unwrap_or_default()))
            }
        };
        let pull = self.pull.as_ref().map(|p| p.pull(scene, &self.points, frame));
        GripMotion { body: self.body, points: self.points.clone(), by, pull }
    }

    /// Spots are looked at as finely as what carries them or their surface moves.
    fn moments(&self, scene: &Stage, frame: f64) -> impl Iterator<Item = f64> + use<> {
        let still = self.surface.as_ref().is_none_or(|s| times(scene, &s.plays, frame).len() == 1);
        let moments = if still { scene.moments(&self.place, frame) } else { scene.through(frame, true) };
        moments.into_iter()
    }

    /// What [`Carried::motion`] depends on.
    pub fn mark(
        &self,
        scene: &Stage,
        frame: f64,
        words: &mut Vec<u32>,
        numbers: &mut Vec<f32>,
        hashes: &mut Vec<[u8; 32]>,
    ) {
        // How points are turned follows from the same.
        let Carried { place, body, points, surface, pull, turns: _ } = self;
        words.extend([if surface.is_some() { word::GRIP_ON_SPOTS } else { word::GRIP }, *body as u32]);
        words.extend(points.iter());
        if let Some(pull) = pull {
            pull.mark(scene, frame, (words, numbers, hashes));
        }
        let mut pose = |f: f64| {
            let p = pose_at(scene, place, f);
            numbers.extend(p.position);
            numbers.extend(p.turn);
        };
        pose(scene.frames.first as f64);
        match surface {
            None => scene.moments(place, frame).into_iter().for_each(pose),
            Some(s) => {
                // Spots follow from where the points start, which the body's rest says.
                self.moments(scene, frame).for_each(pose);
                hashes.push(s.plays.digest());
                numbers.extend(self.moments(scene, frame).flat_map(|f| bits(s.plays.time(scene, f))));
            }
        }
    }
}

/// Who meets whom in an island.
pub fn rules(scene: &Stage, bodies: &[&Body]) -> Rules {
    let own = bodies.iter().map(|b| b.touch.itself).collect();
    let pairs = (0..bodies.len()).flat_map(|b| (0..b).map(move |a| [a, b]));
    let between = pairs.filter(|[a, b]| scene.touch(bodies[*a], bodies[*b])).collect();
    Rules { own, between }
}
