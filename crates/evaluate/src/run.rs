use crate::collide::{Carried, ColliderError, NoHold, Track, carried, rules, tracks};
use crate::fingerprint::{EARLIER, Island, of_island, of_member};
use crate::matters::{Changing, changing};
use crate::promise::{self, Going, Promise};
use crate::resolve::World;
use crate::rest::{Relaxed, relaxed};
use crate::settle::{CALM_FRAMES, PASSED, SLOWED, Settled, asked, held};
use crate::shape::{begins, thin_enough};
use crate::source::Coming;
use crate::tied::{Tied, tied};
use crate::{Fingerprint, MeshLibrary, NoPlace, ShapeError, Shaped, Stage, body_rest, frame_inputs, shape};
use nematon_document::{BodyId, ColliderId, Scene, Settle};
use nematon_solver::{
    Body, BuildError, Comings, Contact, ContactError, Exploded, FrameInputs, Gas, Halt, OVERSTRETCH, Rest,
    Rules, Snag, SnapshotError, State, Trace, Watch, snags, step_traced,
};

/// The bodies of an island on their way through the frames of a scene.
pub struct Run {
    /// With places told from near the bodies.
    scene: Stage,
    pub members: Vec<Member>,
    pub bodies: Vec<Body>,
    pub contact: Contact,
    tracks: Vec<Track>,
    carried: Vec<Carried>,
    relaxed: Vec<Relaxed>,
    changing: Vec<Changing>,
    tied: Vec<Tied>,
    states: Vec<State>,
    /// The frame that the states are at, counted from the first.
    at: usize,
    /// What is promised of a frame, and how it goes; none where the number of sub-steps is fixed.
    promise: Option<(Promise, Going)>,
    /// Sub-steps of the frame that it is at.
    took: u32,
    /// What comes before the first frame, while that is still to come.
    settling: Option<Box<(Settle, Run)>>,
    /// Whether it is what comes before the first frame.
    still: bool,
    settled: Option<Settled>,
}

/// One body of an island.
pub struct Member {
    pub id: BodyId,
    pub name: String,
    pub shaped: Shaped,
    pub fingerprints: Vec<Fingerprint>,
}

/// What of a point's acceleration comes from outside its body other than through space, m/s².
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Split {
    /// Grips that pull, and what it follows.
    pub hold: [f32; 3],
    /// What it touches.
    pub contact: [f32; 3],
}

/// Why an island can't be run, or no further.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum RunError {
    #[error("there is no body \"{0}\"")]
    NoSuchBody(BodyId),
    #[error("{body}: {why}")]
    Shape { body: String, why: ShapeError },
    #[error("{body}: {why}")]
    Build { body: String, why: BuildError },
    #[error(transparent)]
    Collider(ColliderError),
    #[error(transparent)]
    Place(NoPlace),
    #[error("{body}: {why}")]
    Hold { body: String, why: NoHold },
    #[error(transparent)]
    Contact(ContactError),
    #[error("{body} exploded at frame {frame}: {why}")]
    Exploded { body: String, frame: i64, why: Exploded },
    #[error("stopped, for nobody waits for it any more")]
    Stopped,
}

/// An island before it moves.
struct Parts {
    members: Vec<(BodyId, String, Shaped)>,
    rests: Vec<Rest>,
    rules: Rules,
    tracks: Vec<Track>,
    carried: Vec<Carried>,
    relaxed: Vec<Relaxed>,
    changing: Vec<Changing>,
    tied: Vec<Tied>,
    /// Of what comes before the first frame.
    before: Option<Fingerprint>,
}

/// How far the middle of an island may go from where its places are told from, metres: there single precision tells a
/// quarter of a micrometre.
const NEAR: f64 = 4.0;
/// What is told first of a snapshot: where places are told from.
const ORIGIN: usize = 24;

impl Parts {
    /// With places told from near the island.
    fn near(scene: &Stage, bodies: &[BodyId], library: &dyn MeshLibrary) -> Result<(Stage, Parts), RunError> {
        let first = scene.frames.first as f64;
        let begin = bodies.iter().filter_map(|id| scene.bodies.get(id));
        let places: Vec<[f64; 3]> =
            begin.map(|b| World::of(scene, begins(scene, b), first).position).collect();
        let home = scene.beside(snapped(middle(places.iter().copied())));
        let mut parts = Parts::of(&home, bodies, library)?;
        let all = parts.rests.iter().flat_map(|r| r.positions()).map(|p| p.map(f64::from));
        let off = middle(all);
        let mut home = home;
        if off.iter().any(|c| c.abs() > NEAR) {
            // A shape far from its own origin.
            home = scene.beside(snapped(std::array::from_fn(|c| home.origin[c] + off[c])));
            parts = Parts::of(&home, bodies, library)?;
        }
        if let Some(settle) = asked(&home) {
            let still = Stage::new(&held(&home, &settle), library).beside(home.origin);
            let own = Parts::of(&still, bodies, library)?;
            parts.before = Some(own.first_moment(&still, &settle));
        }
        Ok((home, parts))
    }

    fn of(scene: &Stage, bodies: &[BodyId], library: &dyn MeshLibrary) -> Result<Parts, RunError> {
        scene.check().map_err(RunError::Place)?;
        let (mut members, mut rests, mut found) = (vec![], vec![], vec![]);
        let first = scene.frames.moment(scene.frames.first as f64);
        for id in bodies {
            let b = scene.bodies.get(id).ok_or_else(|| RunError::NoSuchBody(id.clone()))?;
            let shaped =
                shape(scene, b, library).map_err(|why| RunError::Shape { body: b.name.clone(), why })?;
            rests.push(body_rest(b, &shaped, &first));
            members.push((id.clone(), b.name.clone(), shaped));
            found.push(b);
        }
        // Plants of which pieces are let go have points that leave.
        let let_go: Vec<BodyId> = members
            .iter()
            .filter_map(|m| m.2.shed())
            .filter(|s| s.rest.whole)
            .map(|s| s.plants.clone())
            .collect();
        for (rest, (id, ..)) in rests.iter_mut().zip(&members) {
            if let Rest::Strands(rest) = rest {
                rest.lets_go = let_go.contains(id);
            }
        }
        let tracks = tracks(scene, &found, library).map_err(RunError::Collider)?;
        let shapes: Vec<(&BodyId, &Shaped)> = members.iter().map(|(id, _, s)| (id, s)).collect();
        let carried = carried(scene, &shapes)
            .map_err(|(k, why)| RunError::Hold { body: found[k].name.clone(), why })?;
        let tied =
            tied(scene, &shapes).map_err(|(k, why)| RunError::Hold { body: found[k].name.clone(), why })?;
        let rules = rules(scene, &found);
        for (k, rest) in rests.iter().enumerate() {
            if rules.own[k] || rules.between.iter().any(|b| b.contains(&k)) {
                thin_enough(rest).map_err(|why| RunError::Shape { body: found[k].name.clone(), why })?;
            }
        }
        let (relaxed, changing) = (relaxed(&found), changing(&found));
        Ok(Parts { members, rests, rules, tracks, carried, relaxed, changing, tied, before: None })
    }

    fn fingerprints(&self, scene: &Stage, version: u32) -> Vec<Vec<Fingerprint>> {
        let island = self.with_island(|island| of_island(scene, island, version, self.before, None));
        let n = self.rests.len();
        (0..n).map(|k| island.iter().map(|f| of_member(*f, k, n)).collect()).collect()
    }

    /// All that coming to rest follows from.
    fn first_moment(&self, still: &Stage, settle: &Settle) -> Fingerprint {
        let version = nematon_solver::VERSION;
        let all = self.with_island(|island| of_island(still, island, version, None, Some(settle)));
        all[all.len() - 1]
    }

    fn with_island<R>(&self, then: impl FnOnce(&Island) -> R) -> R {
        let Parts { members, rests, rules, tracks, carried, relaxed, changing, tied, .. } = self;
        let bodies: Vec<BodyId> = members.iter().map(|m| m.0.clone()).collect();
        let weathers: Vec<_> = members.iter().map(|m| m.2.weather.clone()).collect();
        let sewn: Vec<_> = members.iter().map(|m| m.2.sewn().cloned()).collect();
        let coming: Vec<_> = members.iter().map(|m| m.2.coming().cloned()).collect();
        let shed: Vec<_> = members.iter().map(|m| m.2.shed().cloned()).collect();
        let (bodies, weathers, sewn, coming, shed) =
            (&bodies[..], &weathers[..], &sewn[..], &coming[..], &shed[..]);
        then(&Island {
            bodies,
            rests,
            rules,
            tracks,
            carried,
            relaxed,
            changing,
            weathers,
            sewn,
            coming,
            shed,
            tied,
        })
    }
}

/// The fingerprints of all frames of an island's bodies.
///
/// # Errors
/// When one has no shape, or a collider can't be.
pub fn fingerprints(
    scene: &Scene,
    island: &[BodyId],
    library: &dyn MeshLibrary,
) -> Result<Vec<Vec<Fingerprint>>, RunError> {
    let (scene, parts) = Parts::near(&Stage::new(scene, library), island, library)?;
    Ok(parts.fingerprints(&scene, nematon_solver::VERSION))
}

/// Those that frames of the version of the solver before this one are kept under.
///
/// # Errors
/// As [`fingerprints`].
pub fn earlier_fingerprints(
    scene: &Scene,
    island: &[BodyId],
    library: &dyn MeshLibrary,
) -> Result<Vec<Vec<Fingerprint>>, RunError> {
    let scene = Stage::new(scene, library);
    Ok(Parts::of(&scene, island, library)?.fingerprints(&scene, EARLIER))
}

/// The points that come and go on the way to a frame, of bodies by their numbers.
pub(crate) fn comings<'a>(
    scene: &Stage,
    bodies: &[BodyId],
    of: impl Fn(usize) -> Option<&'a Coming>,
    inputs: &FrameInputs,
    index: usize,
) -> Vec<Comings> {
    let frame = scene.frames.first as f64 + index as f64;
    let each = bodies.iter().enumerate().filter_map(|(k, id)| {
        let coming = of(k)?;
        let weighs = scene.bodies.get(id).map_or(1.0, |b| b.gravity.at(&scene.frames.moment(frame - 0.5)));
        coming.motion(scene, k, inputs.gravity.map(|g| g * weighs as f32), frame)
    });
    each.collect()
}

/// The mean of some places.
fn middle(places: impl Iterator<Item = [f64; 3]>) -> [f64; 3] {
    let (mut sum, mut count) = ([0.0; 3], 0.0f64);
    for p in places {
        (0..3).for_each(|c| sum[c] += p[c]);
        count += 1.0;
    }
    sum.map(|s| s / count.max(1.0))
}

/// Whole metres, so that what is as far from one of them as another thing from another is told by the same numbers.
fn snapped(place: [f64; 3]) -> [f64; 3] {
    place.map(f64::round)
}

impl Run {
    /// An island at its first frame, at rest.
    ///
    /// # Errors
    /// When a body has no shape, or one that can't move; when a collider can't be.
    pub fn start(scene: &Scene, island: &[BodyId], library: &dyn MeshLibrary) -> Result<Run, RunError> {
        let (stage, parts) = Parts::near(&Stage::new(scene, library), island, library)?;
        let settling = match asked(&stage) {
            Some(settle) => {
                let mut still = Run::start(&held(scene, &settle), island, library)?;
                still.still = true;
                Some(Box::new((settle, still)))
            }
            None => None,
        };
        let scene = stage;
        let mut bodies = vec![];
        for (rest, (_, name, _)) in parts.rests.iter().zip(&parts.members) {
            bodies.push(Body::build(rest).map_err(|why| RunError::Build { body: name.clone(), why })?);
        }
        let prints = parts.fingerprints(&scene, nematon_solver::VERSION);
        let Parts { members, rules, tracks, carried, relaxed, changing, tied, .. } = parts;
        let colliders = tracks.iter().map(|t| t.rest.clone()).collect();
        let contact = Contact::new(&bodies, &rules, colliders).map_err(RunError::Contact)?;
        let states = bodies.iter().map(Body::start).collect();
        let member = |((id, name, shaped), fingerprints)| Member { id, name, shaped, fingerprints };
        let members = members.into_iter().zip(prints).map(member).collect();
        let promise = Promise::of(&scene.frames).map(|p| (p, Going::begin(&p)));
        let took = scene.frames.begins_with();
        Ok(Run {
            scene,
            members,
            bodies,
            contact,
            tracks,
            carried,
            relaxed,
            changing,
            tied,
            states,
            at: 0,
            promise,
            took,
            settling,
            still: false,
            settled: None,
        })
    }

    /// Goes to a frame by a snapshot that was taken there.
    ///
    /// # Errors
    /// When the snapshot is of another island.
    pub fn resume(&mut self, index: usize, snapshot: &[u8]) -> Result<(), SnapshotError> {
        let expected = self.snapshot_size();
        let Some((origin, mut rest)) = snapshot.split_at_checked(ORIGIN) else {
            return Err(SnapshotError { expected, found: snapshot.len() });
        };
        let mut states = vec![];
        for c in &self.bodies {
            let size = State::snapshot_size(c);
            let (own, more) = rest.split_at(size.min(rest.len()));
            states.push(State::restore(c, own)?);
            rest = more;
        }
        if let Some((_, going)) = &mut self.promise {
            let own = rest.try_into().map_err(|_| SnapshotError { expected, found: snapshot.len() })?;
            *going = Going::read(own);
        } else if !rest.is_empty() {
            return Err(SnapshotError { expected, found: snapshot.len() });
        }
        let at = |c: usize| f64::from_le_bytes(std::array::from_fn(|b| origin[8 * c + b]));
        self.scene = self.scene.moved([at(0), at(1), at(2)]);
        (self.states, self.at, self.settling) = (states, index, None);
        Ok(())
    }

    /// The frame that the bodies are at, counted from the first.
    pub fn at(&self) -> usize {
        self.at
    }

    /// The scene that it is in, with places told from near the bodies.
    pub fn stage(&self) -> &Stage {
        &self.scene
    }

    /// Goes on in a scene that differs in how places and numbers of fields move after the frame that it is at, and in nothing else.
    pub(crate) fn change(&mut self, scene: Scene) {
        for ((_, was), (_, now)) in
            self.scene.nodes().into_iter().zip(scene.nodes()).filter(|(a, b)| a.1 != b.1)
        {
            self.tracks.iter_mut().for_each(|t| t.replace(was, now));
            self.carried.iter_mut().for_each(|c| c.replace(was, now));
        }
        self.scene = self.scene.with(scene);
    }

    /// Whether the bodies have still to come to rest before they are at the first frame.
    pub fn is_unsettled(&self) -> bool {
        self.settling.is_some()
    }

    /// How they came to rest, where they did.
    pub fn settled(&self) -> Option<Settled> {
        self.settled
    }

    /// Lets the bodies come to rest where the scene asks for it; tells how fast the fastest point is, m/s, at each frame of it.
    ///
    /// # Errors
    /// As `advance`; the bodies are then as they were made.
    pub fn settle(&mut self, watch: &dyn Watch, tell: &dyn Fn(f64)) -> Result<Option<Settled>, RunError> {
        let Some(before) = &mut self.settling else { return Ok(self.settled) };
        let (settle, still) = &mut **before;
        let rate = still.scene.frames.rate;
        let most = (settle.seconds * rate).ceil() as usize;
        let (mut calm, mut speed) = (0, f64::INFINITY);
        let (mut done, mut swings) = (0, 0.0);
        while done < most && calm < CALM_FRAMES {
            let was: Vec<_> = (0..still.members.len()).map(|k| still.places(k)).collect();
            // The first moment lasts: it is always the way to the frame after it.
            still.at = 0;
            still.follow(watch, None)?;
            done += 1;
            // Where what moves has begun to slow down it has passed where it would rest: all of it stops there (M. Barnes, "Form finding
            // and analysis of tension structures by dynamic relaxation", 1999: kinetic damping), and all the while it is slowed a little.
            let moves: f64 =
                still.bodies.iter().zip(&still.states).map(|(b, s)| b.energy(s, 0.0).kinetic).sum();
            let passed = moves < PASSED * swings;
            swings = if passed { 0.0 } else { swings.max(moves) };
            let to = if passed { 0.0 } else { libm::pow(SLOWED, 1.0 / rate) };
            still.states.iter_mut().for_each(|s| s.slow(to as f32));
            let far = |a: &[f64; 3], b: &[f64; 3]| (0..3).map(|c| (a[c] - b[c]).powi(2)).sum::<f64>().sqrt();
            speed = (0..was.len())
                .flat_map(|k| {
                    let now = still.places(k);
                    was[k].iter().zip(now).map(|(a, b)| far(a, &b)).collect::<Vec<_>>()
                })
                .filter(|d| d.is_finite())
                .fold(0.0, f64::max)
                * rate;
            calm = if speed < settle.calm { calm + 1 } else { 0 };
            tell(speed);
        }
        let settled = Settled { seconds: done as f64 / rate, speed, calm: calm >= CALM_FRAMES };
        self.states.clone_from(&still.states);
        self.scene = self.scene.moved(still.scene.origin);
        if let (Some((_, going)), Some((_, own))) = (&mut self.promise, &still.promise) {
            *going = *own;
        }
        (self.settling, self.settled) = (None, Some(settled));
        Ok(self.settled)
    }

    /// Whether there is no further frame.
    pub fn is_done(&self) -> bool {
        self.at + 1 >= self.scene.frames.count()
    }

    /// All that leads to frame `index`, counted from the first.
    fn inputs(&self, index: usize) -> FrameInputs {
        let bodies: Vec<BodyId> = self.members.iter().map(|m| m.id.clone()).collect();
        let mut inputs = frame_inputs(&self.scene, &bodies, index);
        let first = self.scene.frames.first as f64;
        inputs.colliders = self.tracks.iter().map(|t| t.motion(&self.scene, first + index as f64)).collect();
        inputs.grips = self.carried.iter().map(|c| c.motion(&self.scene, first + index as f64)).collect();
        inputs.rests = self.relaxed.iter().map(|r| r.motion(&self.scene, first + index as f64)).collect();
        inputs.matters =
            self.changing.iter().filter_map(|c| c.motion(&self.scene, first + index as f64)).collect();
        let weathers = self.members.iter().enumerate();
        inputs.weathered = weathers
            .filter_map(|(k, m)| {
                Some(m.shaped.weather.as_ref()?.motion(&self.scene, k, first + index as f64))
            })
            .collect();
        for (k, m) in self.members.iter().enumerate() {
            let own = self.scene.bodies.get(&m.id).and_then(|b| b.kind.cloth());
            if let (Some(sewn), Some(own)) = (m.shaped.sewn(), own) {
                let (seams, fills) = sewn.motion(&self.scene, k, own, first + index as f64);
                inputs.seams.extend(seams);
                inputs.fills.extend(fills);
            }
        }
        inputs.ties = self.tied.iter().map(|t| t.motion(&self.scene, first + index as f64)).collect();
        inputs.comings = comings(
            &self.scene,
            &bodies,
            |k| self.members[k].shaped.coming().map(|c| c.as_ref()),
            &inputs,
            index,
        );
        let sheds = self.members.iter().enumerate().filter_map(|(k, m)| Some((k, m.shaped.shed()?)));
        inputs.sheds =
            sheds.filter_map(|(k, s)| s.motion(&self.scene, &bodies, k, first + index as f64)).collect();
        let frictions = self.tracks.iter().enumerate();
        inputs.frictions =
            frictions.filter_map(|(k, t)| t.rubs(&self.scene, k, first + index as f64)).collect();
        if self.still {
            // Nothing comes, and nothing lets go, before the shot.
            (inputs.comings, inputs.sheds) = (vec![], vec![]);
        }
        inputs
    }

    /// Moves on by one frame.
    ///
    /// # Errors
    /// When the motion explodes or the watch says to stop; the bodies then still stand at the frame before.
    pub fn advance(&mut self, watch: &dyn Watch) -> Result<(), RunError> {
        self.follow(watch, None)
    }

    /// Sub-steps that the frame took that it is at.
    pub fn substeps(&self) -> u32 {
        self.took
    }

    /// Sub-steps that it takes at least, by the quality that it has; none where the scene fixes their number.
    pub fn fewest(&self) -> Option<u32> {
        self.promise.as_ref().map(|(p, _)| p.least)
    }

    /// How much longer than at rest the longest thread of all bodies is, as a share.
    fn stretch(&self) -> f64 {
        let each = self.bodies.iter().zip(&self.states).map(|(b, s)| b.strain(s).largest);
        each.fold(0.0, f64::max)
    }

    /// Tells places from nearer, where the bodies have gone far from where they are told from.
    fn come_near(&mut self) {
        let all = self.states.iter().zip(&self.bodies).map(|(s, b)| s.middle(b));
        let off = middle(all);
        if off.iter().all(|c| c.abs() <= NEAR) || off.iter().any(|c| !c.is_finite()) {
            return;
        }
        let from = self.scene.origin;
        let to = snapped(std::array::from_fn(|c| from[c] + off[c]));
        let by = std::array::from_fn(|c| from[c] - to[c]);
        self.states.iter_mut().for_each(|s| s.shift(by));
        self.scene = self.scene.moved(to);
    }

    fn follow(&mut self, watch: &dyn Watch, mut trace: Option<&mut Trace>) -> Result<(), RunError> {
        if self.settling.is_some() && self.at == 0 {
            self.settle(watch, &|_| {})?;
        }
        self.come_near();
        let mut inputs = self.inputs(self.at + 1);

        let Some((promise, mut going)) = self.promise else {
            self.through(&inputs, watch, trace)?;
            self.at += 1;
            return Ok(());
        };
        let before = self.states.clone();
        let mut stretched = None;
        inputs.substeps = going.substeps;
        loop {
            match self.through(&inputs, watch, trace.as_deref_mut()) {
                // What explodes may not with more.
                Err(RunError::Exploded { .. }) if 2 * inputs.substeps <= promise.most => {
                    (inputs.substeps, stretched) = (2 * inputs.substeps, None);
                    continue;
                }
                done => done?,
            }
            let stretch = self.stretch();
            let Some(more) = going.judge(&promise, inputs.substeps, stretch, stretched) else { break };
            self.states.clone_from(&before);
            (inputs.substeps, stretched) = (more, Some(stretch));
        }
        (self.took, self.promise) = (inputs.substeps, Some((promise, going)));
        self.at += 1;
        Ok(())
    }

    /// One frame's sub-steps; what fails leaves all as it was.
    fn through(
        &mut self,
        inputs: &FrameInputs,
        watch: &dyn Watch,
        trace: Option<&mut Trace>,
    ) -> Result<(), RunError> {
        let done = step_traced(&self.bodies, &mut self.states, &mut self.contact, inputs, watch, trace);
        done.map_err(|halt| match halt {
            Halt::Stopped => RunError::Stopped,
            Halt::Exploded(why) => RunError::Exploded {
                body: self.members[why.body].name.clone(),
                frame: self.scene.frames.first + self.at as i64 + 1,
                why,
            },
        })
    }

    /// What of a point's acceleration at the next frame is what pulls it and what it touches: computes that frame and the one after.
    /// The body is told by its place among the members, the point by its number on the rest shape.
    ///
    /// # Errors
    /// As `advance`.
    pub fn split(&mut self, member: usize, point: u32, watch: &dyn Watch) -> Result<Split, RunError> {
        let mut trace = Trace::of(member, &self.bodies[member], point);
        let per = self.scene.frames.rate;
        let mut out = Split::default();
        for late in [true, false] {
            self.follow(watch, Some(&mut trace))?;
            let n = trace.steps.len() as f64;
            for (k, by) in trace.steps.iter().enumerate() {
                // In the difference of the ways to the frame and from it a change counts by how much of the first it misses.
                let share = if late { k as f64 / n } else { (n - k as f64) / n };
                for c in 0..3 {
                    out.hold[c] += (f64::from(by.hold[c]) * share * per) as f32;
                    out.contact[c] += (f64::from(by.contact[c]) * share * per) as f32;
                }
            }
        }
        Ok(out)
    }

    /// Faults of the frame that it is at; `before` has the positions of all bodies one frame earlier.
    pub fn snags(&mut self, before: &[Vec<[f64; 3]>]) -> Vec<Snag> {
        let inputs = self.inputs(self.at);
        let origin = self.scene.origin;
        let near = |p: &[f64; 3]| std::array::from_fn(|c| (p[c] - origin[c]) as f32);
        let before: Vec<Vec<[f32; 3]>> = before.iter().map(|b| b.iter().map(near).collect()).collect();
        let stretch = self.promise.as_ref().map_or(OVERSTRETCH, |(p, going)| going.told_beyond(p));
        snags(&self.bodies, &self.states, &mut self.contact, &inputs, &before, stretch)
    }

    /// The key and name of a collider of the island, by its number there.
    pub fn collider(&self, number: usize) -> Option<(&ColliderId, String)> {
        let id = &self.tracks.get(number)?.id;
        Some((id, self.scene.colliders.get(id)?.name.clone()))
    }

    /// Positions of a body in the world, metres; no numbers where a point is not there.
    pub fn places(&self, member: usize) -> Vec<[f64; 3]> {
        let mut places = self.states[member].places(&self.bodies[member], self.scene.origin);
        if let Some(there) = self.there(member) {
            let mut own = there.into_iter().peekable();
            for (k, p) in places.iter_mut().enumerate() {
                if own.next_if_eq(&(k as u32)).is_none() {
                    *p = [f64::NAN; 3];
                }
            }
        }
        places
    }

    /// How the points of a body are turned, x, y, z, w, as given; `None` where they have no turn.
    pub fn turns(&self, member: usize) -> Option<Vec<[f32; 4]>> {
        self.states[member].turns(&self.bodies[member])
    }

    /// The points of a body that are there, where some come and go.
    pub fn there(&self, member: usize) -> Option<Vec<u32>> {
        self.states[member].there(&self.bodies[member])
    }

    /// The same in single precision.
    pub fn positions(&self, member: usize) -> Vec<[f32; 3]> {
        self.places(member).into_iter().map(|p| p.map(|c| c as f32)).collect()
    }

    /// What the chambers of a body hold, in their order.
    pub fn gas(&self, member: usize) -> &[Gas] {
        self.states[member].gas()
    }

    /// Bytes of a snapshot.
    pub fn snapshot_size(&self) -> usize {
        let going = if self.promise.is_some() { promise::BYTES } else { 0 };
        ORIGIN + self.bodies.iter().map(State::snapshot_size).sum::<usize>() + going
    }

    pub fn snapshot(&self) -> Vec<u8> {
        let origin = self.scene.origin.iter().flat_map(|c| c.to_le_bytes());
        let going = self.promise.iter().flat_map(|(_, g)| g.write());
        let states = self.states.iter().zip(&self.bodies).flat_map(|(s, c)| s.snapshot(c));
        origin.chain(states).chain(going).collect()
    }

    pub fn state(&self, member: usize) -> &State {
        &self.states[member]
    }
}
