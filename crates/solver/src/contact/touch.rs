//! The contact of an island: which surfaces meet, and a sub-step's way through them.
//!
//! Long, because all of it shares one set of arrays that a sub-step walks through in one order.
use super::boxes::{Boxes, Placed, Ways};
use super::cross::{Crossing, crossings};
use super::inside;
use super::keep::{Side, Watched, keep_apart};
use super::pairs::{Arrays, FOUND, KINDS, Kind, LISTS, List, Pair, Parting, Presses, Touch, prepare, solve};
use super::rules::{ContactError, Pairing, Rules, With, check};
use super::snug::snug;
use super::solids::{Met, look, meet_solids, solids};
use super::surface::Surface;
use super::tangle::Tangle;
use crate::body::{Body, Outside};
use crate::couple::{Tied, tied};
use crate::inputs::{ColliderRest, FrameInputs, Solid};
use crate::race;
use crate::simd::Record;
use crate::snags::{Fault, Snag};
use crate::state::State;
use crate::step::{Cut, Halt};
use crate::watch::{Phase, Watch};
use rayon::prelude::*;

/// Searches made again in a sub-step whose contact took points elsewhere, at most.
const RECHECKS: usize = 8;
/// Sweeps over all near pairs a sub-step: at least so many, and more, up to the other, while one still has to
/// push anything by this share of its gap. A stack that lands passes on a blow by a layer a sweep.
const SWEEPS: [usize; 2] = [2, 24];
const SETTLED: f32 = 0.1;
/// The same where loose points meet: a heap has many layers, and what one sweep leaves of it adds up from sub-step to
/// sub-step.
const LOOSE_SWEEPS: usize = 64;
const LOOSE_SETTLED: f32 = 0.001;
/// And pairs nearer than so many gaps are looked at: a heap presses together what was apart.
const LOOSE_ROOM: f32 = 1.4;
/// Groups that one thread takes at least.
const SHARE: usize = 24;
/// So few groups are faster solved by one thread than given to two.
const FEW: usize = 96;

/// Two surfaces that meet, and the pairs of their features that may come near.
pub(super) struct Between {
    pub(super) a: usize,
    pub(super) b: usize,
    /// What each side adds to the gap, metres, and its friction in this frame, where those are most.
    pub(super) halves: [f32; 2],
    pub(super) frictions: [f32; 2],
    pub(super) gap: f32,
    /// Whether one of them is of loose points.
    loose: bool,
    /// Pairs nearer than so many gaps are looked at.
    pub(super) room: f32,
    pairing: usize,
    pub(super) lists: [List; LISTS],
    /// The pairs of the lists that were added.
    pub(super) added: [Vec<Pair>; FOUND],
    presses: [Presses; LISTS],
}

/// The skin of a collider where a sub-step finds and leaves it.
pub(super) struct PlacedSkin {
    collider: usize,
    pub(super) now: Vec<Record>,
    pub(super) start: Vec<Record>,
}

/// The contact of some bodies with colliders, themselves and each other, and its scratch.
pub struct Contact {
    pub(super) bodies: usize,
    pub(super) surfaces: Vec<Surface>,
    /// For each surface what its half and its friction are multiplied by at each point, as shares of the most;
    /// empty where by 1 everywhere.
    pub(super) maps: Vec<[Vec<f32>; 2]>,
    /// Where the bodies' points stand at rest: what is near there is no contact.
    pub(super) rest: Vec<Vec<Record>>,
    /// Whether there are such.
    pub(super) snug: Vec<bool>,
    pub(super) skins: Vec<PlacedSkin>,
    colliders: Vec<ColliderRest>,
    pub(super) between: Vec<Between>,
    pairings: Vec<Pairing>,
    pub(super) boxes: Vec<Boxes>,
    /// For each surface where its points were when pairs were searched for.
    pub(super) base: Vec<Vec<Record>>,
    /// And their ways of a sub-step from there, with how far they may stray.
    pub(super) ways: Vec<Vec<Record>>,
    /// For each point, the room it needs beyond that in this frame.
    pub(super) unrest: Vec<Vec<f32>>,
    /// Sub-steps since then, and for how many the search was made.
    pub(super) since: u32,
    pub(super) ahead: u32,
    /// For how many any search of this frame is made, at most.
    pub(super) most: u32,
    /// How many pairs a point a search may give, where there is a limit; and whether one gave more.
    pub(crate) limit: Option<usize>,
    pub(super) crowded: bool,
    /// For each surface, how many tiles had to be mended since.
    pub(super) mended: Vec<usize>,
    words: Vec<u64>,
    /// Pairs of bodies that are tied, with the points of each that don't meet the other's.
    tied: Vec<Tied>,
    first: Vec<usize>,
    pub(crate) tangle: Tangle,
    touching: Vec<usize>,
    /// Of each body its friction where that is most, and what that is of its matter's.
    rubs: Vec<[f32; 2]>,
}

impl Contact {
    /// # Errors
    /// When rules and colliders don't fit the bodies.
    pub fn new(
        bodies: &[Body],
        rules: &Rules,
        colliders: Vec<ColliderRest>,
    ) -> Result<Contact, ContactError> {
        let count = bodies.len();
        if rules.own.len() != count {
            return Err(ContactError::Bodies { found: rules.own.len(), expected: count });
        }
        for (k, c) in colliders.iter().enumerate() {
            check(k, c, count)?;
        }
        let mut surfaces: Vec<Surface> =
            bodies.iter().map(|c| Surface::of(&c.outside.features, &c.rest, c.points())).collect();
        let rest: Vec<Vec<Record>> =
            bodies.iter().map(|c| c.outside.shape.as_ref().unwrap_or(&c.rest).clone()).collect();
        let mut maps: Vec<[Vec<f32>; 2]> = bodies.iter().map(|b| b.outside.shares()).collect();
        let mut skins = vec![];
        for (k, c) in colliders.iter().enumerate() {
            if let Some(skin) = &c.skin {
                let records = settled(&skin.positions);
                surfaces.push(Surface::new(skin.triangles.clone(), &records, skin.positions.len()));
                skins.push(PlacedSkin { collider: k, start: records.clone(), now: records });
            }
        }
        maps.resize(surfaces.len(), Default::default());
        let (pairings, mut between) = meetings(bodies, rules, &colliders, &skins);
        for b in between.iter_mut().filter(|b| [b.a, b.b].iter().any(|s| surfaces[*s].loose())) {
            (b.loose, b.room) = (true, LOOSE_ROOM);
        }
        let snug = (0..count)
            .map(|k| rules.own[k] && snug(&surfaces[k], &rest[k], 2.0 * bodies[k].outside.most_half()))
            .collect();
        let mut first = vec![0];
        surfaces.iter().for_each(|s| first.push(first[first.len() - 1] + s.points + 8));
        Ok(Contact {
            bodies: count,
            boxes: vec![Boxes::default(); surfaces.len()],
            base: vec![vec![]; surfaces.len()],
            ways: vec![vec![]; surfaces.len()],
            unrest: surfaces.iter().map(|s| vec![0.0; s.points]).collect(),
            mended: vec![0; surfaces.len()],
            since: 0,
            ahead: 1,
            most: 1,
            limit: None,
            crowded: false,
            words: vec![0; first[surfaces.len()]],
            first,
            tied: vec![],
            tangle: Tangle::new(between.len()),
            touching: vec![0; pairings.len()],
            rubs: bodies
                .iter()
                .map(|b| [b.outside.most_friction(), Outside::most(&b.outside.maps[1])])
                .collect(),
            surfaces,
            maps,
            snug,
            rest,
            skins,
            colliders,
            between,
            pairings,
        })
    }

    /// For bodies that meet nothing but a floor.
    pub fn none(bodies: usize) -> Contact {
        Contact {
            bodies,
            surfaces: vec![],
            maps: vec![],
            rest: vec![],
            skins: vec![],
            colliders: vec![],
            between: vec![],
            pairings: (0..bodies).map(|body| Pairing { body, with: With::Floor }).collect(),
            boxes: vec![],
            base: vec![],
            ways: vec![],
            unrest: vec![],
            mended: vec![],
            snug: vec![],
            since: 0,
            ahead: 1,
            most: 1,
            limit: None,
            crowded: false,
            words: vec![],
            first: vec![0],
            tied: vec![],
            tangle: Tangle::new(0),
            touching: vec![0; bodies],
            rubs: vec![],
        }
    }

    /// What meets what, in the order in which costs and touches are told.
    pub fn pairings(&self) -> &[Pairing] {
        &self.pairings
    }

    /// How many pairs of features, or points, each pairing brought apart in the last sub-step.
    pub fn touching(&self) -> &[usize] {
        &self.touching
    }

    /// Triangles of each body that cross what it meets where `frame` ends.
    pub(crate) fn crossings(&mut self, bodies: &[Body], states: &[State], frame: &FrameInputs) -> Vec<Snag> {
        if self.between.is_empty() {
            return vec![];
        }
        // At the first frame, and after a checkpoint, no step has placed them yet.
        for k in 0..self.skins.len() {
            self.place_skin(k, frame, 1.0);
        }
        self.tied = tied(bodies, &frame.ties);
        let x = shown(states, &self.skins);
        let mut boxes = std::mem::take(&mut self.boxes);
        let still = self.fit_still(&x, &mut boxes);
        self.boxes = boxes;
        let at = |k: usize| standing(&self.surfaces[k], &self.boxes[k], x[k], &still);
        let each = |b: &Between| {
            if b.loose {
                // What has no triangles crosses nothing.
                return None;
            }
            let found = apart(&self.tied, [at(b.a), at(b.b)], [b.a, b.b]);
            let first = found.first()?;
            let p = self.pairings[b.pairing];
            let place = self.surfaces[b.a].triangles[first.triangles[0] as usize][0];
            Some(Snag {
                fault: Fault::Crossing,
                body: p.body,
                with: Some(p.with),
                count: found.len(),
                worst: 0.0,
                point: bodies[p.body].given(place as usize),
                triangles: vec![],
            })
        };
        self.between.iter().filter_map(each).collect()
    }

    /// Fits boxes to points that stand still, and gives ways for any of them.
    fn fit_still(&self, x: &[&[Record]], boxes: &mut [Boxes]) -> Vec<Record> {
        let still = vec![Record::default(); x.iter().map(|x| x.len()).max().unwrap_or(0)];
        for (k, (surface, boxes)) in
            self.surfaces.iter().zip(boxes).enumerate().filter(|(_, (s, _))| !s.loose())
        {
            surface.fit(Ways::still(x[k], &still), self.meets_itself(k), boxes);
        }
        still
    }

    /// The formula of a collider, where it has one.
    pub(crate) fn solid(&self, collider: usize) -> Option<&Solid> {
        self.colliders[collider].solid.as_ref()
    }

    /// Calls `each` with the points inside a collider's skin, if that is closed, and how deep they are.
    pub(crate) fn depths_in_skin(&self, collider: usize, x: &[Record], each: impl FnMut(usize, f32)) {
        let Some(k) = self.skins.iter().position(|s| s.collider == collider) else { return };
        let surface = &self.surfaces[self.bodies + k];
        if surface.closed() {
            inside::depths(&self.skins[k].now, &surface.triangles, x, each);
        }
    }

    /// Whether the points of two features of a pair of surfaces are tied to each other; `sides` are theirs.
    pub(super) fn is_tied(&self, index: &[u32; 4], sides: &[usize; 4]) -> bool {
        self.tied.iter().any(|t| t.meet(index.iter().copied().zip(sides.iter().copied())))
    }

    /// Whether any of it is of loose points.
    pub(crate) fn loose(&self) -> bool {
        self.between.iter().any(|b| b.loose)
    }

    /// Whether there is anything to touch.
    pub(crate) fn idle(&self, frame: &FrameInputs) -> bool {
        self.between.is_empty() && self.colliders.is_empty() && frame.floor.is_none()
    }

    /// What a frame begins with: skins where they are, and no pairs known, so that the frame's motion
    /// follows from its start alone.
    pub(crate) fn begin(
        &mut self,
        bodies: &[Body],
        states: &mut [State],
        frame: &FrameInputs,
        watch: &dyn Watch,
    ) {
        self.tied = tied(bodies, &frame.ties);
        for k in 0..self.skins.len() {
            self.place_skin(k, frame, 0.0);
        }
        for k in 0..self.between.len() {
            let b = &self.between[k];
            self.between[k].frictions = [b.a, b.b].map(|side| self.friction(side, frame));
        }
        // A frame begins with a search, as far ahead as its motion lets one look.
        self.most = self.outlook(states);
        self.crowded = false;
        (self.since, self.ahead) = (self.most, self.most);
        self.unrest.iter_mut().for_each(|u| u.fill(0.0));
        self.between.iter_mut().flat_map(|b| &mut b.lists).for_each(|l| l.fill(&[]));
        if !self.between.is_empty() && self.tangle.watched(states) {
            watch.during(Phase::Search, || {
                let x = shown(states, &self.skins);
                let mut boxes = std::mem::take(&mut self.boxes);
                let still = self.fit_still(&x, &mut boxes);
                self.boxes = boxes;
                let sides: Vec<[usize; 2]> = self.between.iter().map(|b| [b.a, b.b]).collect();
                let (surfaces, boxes) = (&self.surfaces, &self.boxes);
                let placed = |k: usize| standing(&surfaces[k], &boxes[k], x[k], &still);
                self.tangle.look(&sides, placed, &self.tied, self.bodies);
            });
            self.tangle.note(states);
        }
    }

    /// The most friction of a surface in a frame.
    fn friction(&self, side: usize, frame: &FrameInputs) -> f32 {
        match side.checked_sub(self.bodies) {
            None => {
                let [most, times] = self.rubs[side];
                frame.matter_of(side).map_or(most, |m| m.friction * times)
            }
            Some(k) => {
                let collider = self.skins[k].collider;
                frame.friction_of(collider, self.colliders[collider].friction)
            }
        }
    }

    /// Before a sub-step moves anything: where all is. `moment` is its end's, 0 to 1 through the frame.
    pub(crate) fn start(&mut self, states: &mut [State], frame: &FrameInputs, moment: f32, dt: f32) {
        if self.tangle.any() {
            let known = self.between.iter_mut().flat_map(|b| &mut b.lists).flat_map(|l| &mut l.partings);
            known.for_each(Parting::forget);
            let sides: Vec<[usize; 2]> = self.between.iter().map(|b| [b.a, b.b]).collect();
            self.tangle.loosen(
                states,
                &self.skins.iter().map(|s| s.now.as_slice()).collect::<Vec<_>>(),
                &sides,
                dt,
            );
        }
        for k in 0..self.skins.len() {
            let skin = &mut self.skins[k];
            std::mem::swap(&mut skin.now, &mut skin.start);
            self.place_skin(k, frame, moment);
        }
    }

    fn place_skin(&mut self, k: usize, frame: &FrameInputs, moment: f32) {
        let skin = &mut self.skins[k];
        let Some(rest) = &self.colliders[skin.collider].skin else { return };
        let motion = frame.colliders.get(skin.collider);
        let pose = motion.map(|m| m.way.at(moment)).unwrap_or_default();
        let [a, b, c] = pose.axes();
        let shape = motion.and_then(|m| m.shapes.at(moment));
        for (i, out) in skin.now.iter_mut().take(rest.positions.len()).enumerate() {
            let p = shape.as_ref().map_or(rest.positions[i], |at| at(i));
            let at = |k: usize| pose.position[k] + a[k] * p[0] + b[k] * p[1] + c[k] * p[2];
            *out = Record([at(0), at(1), at(2), 0.0]);
        }
    }

    /// Brings all apart and makes sure that nothing crossed. `moments` are those of the sub-step's start and
    /// end.
    pub(crate) fn resolve(
        &mut self,
        bodies: &[Body],
        states: &mut [State],
        (frame, settle): (&FrameInputs, impl FnOnce(&mut [State]) -> f32),
        moments: [f32; 2],
        dt: f32,
        watch: &dyn Watch,
    ) -> Result<(), Cut> {
        self.touching.fill(0);
        if !self.between.is_empty() {
            watch.during(Phase::Search, || self.refresh(states));
            if self.crowded {
                return Err(Cut::Crowded);
            }
        }
        let loose = self.loose();
        if loose {
            states.iter_mut().for_each(|s| s.loads.weigh(&mut s.x));
        }
        let arrays: Vec<[Arrays; LISTS]> = self.between.iter().map(|b| self.arrays(b, states)).collect();
        let mut reached = self.bring(bodies, (frame, moments), &arrays, states, dt, watch)?;
        let mut from: Option<Vec<Vec<Record>>> = None;
        if settle(states) > 0.0 {
            // What followed may have come where more is met.
            from = Some(states.iter().map(|s| s.x[..s.points].to_vec()).collect());
            // What is met again counts once.
            let met = self.touching.clone();
            self.touching.fill(0);
            reached = self.bring(bodies, (frame, moments), &arrays, states, dt, watch)?;
            self.touching.iter_mut().zip(met).for_each(|(t, m)| *t = m.max(*t));
        }
        if self.between.is_empty() {
            return Ok(());
        }
        for b in &self.between {
            self.touching[b.pairing] += b.presses.iter().map(Presses::touching).sum::<usize>();
        }
        let far = moved(states, from.as_deref(), &reached);
        watch.during(Phase::Keep, || self.keep_all(&arrays, far, states, dt, watch));
        if loose {
            states.iter_mut().for_each(|s| s.loads.unweigh(&mut s.x, &s.start));
        }
        self.since += 1;
        if self.crowded { Err(Cut::Crowded) } else { Ok(()) }
    }

    /// Brings apart what comes too near, and tells which eights of points that may have moved.
    fn bring(
        &mut self,
        bodies: &[Body],
        (frame, moments): (&FrameInputs, [f32; 2]),
        arrays: &[[Arrays; LISTS]],
        states: &mut [State],
        dt: f32,
        watch: &dyn Watch,
    ) -> Result<Vec<Vec<bool>>, Cut> {
        let mut reached = self.press(arrays, dt, watch);
        let mut solids = solids(&self.pairings, &self.colliders, bodies, frame, moments);
        if !self.between.is_empty() {
            look(&mut solids, states, self.gap(), &mut reached, watch);
        }
        sweep_apart(&mut self.between, &solids, arrays, (states, &mut self.touching), dt, watch)?;
        Ok(reached)
    }

    /// Packs all pairs that come too near, and tells which eights of points they may push.
    fn press(&mut self, arrays: &[[Arrays; LISTS]], dt: f32, watch: &dyn Watch) -> Vec<Vec<bool>> {
        for k in 0..self.between.len() {
            let b = &mut self.between[k];
            let sides = b.sides();
            watch.between(b.pairing, || {
                for i in 0..LISTS {
                    let touches = approach(KINDS[i % FOUND], &mut b.lists[i], self.since, &arrays[k][i], dt);
                    let spare = sides[i].map(|s| self.surfaces[s].points as u32);
                    let first = sides[i].map(|s| self.first[s]);
                    b.presses[i].pack(&touches, arrays[k][i].moves, first, &mut self.words, spare);
                }
            });
        }
        let mut reached: Vec<Vec<bool>> =
            self.surfaces.iter().map(|s| vec![false; s.points.div_ceil(8) + 1]).collect();
        for (b, arrays) in self.between.iter().zip(arrays) {
            for ((presses, arrays), sides) in b.presses.iter().zip(arrays).zip(b.sides()) {
                presses.mark(arrays.moves, sides, &mut reached);
            }
        }
        reached
    }

    /// Makes sure that nothing crossed, and looks again where that took points. Contact moved none by more than `far`
    /// metres since pairs were separated.
    fn keep_all(
        &mut self,
        arrays: &[[Arrays; LISTS]],
        far: f32,
        states: &mut [State],
        dt: f32,
        watch: &dyn Watch,
    ) {
        self.keep(states, arrays, far, watch);
        // What was brought apart may have gone where no pair was looked for.
        for _ in 0..RECHECKS {
            if watch.stopped() || !self.strayed(states) && !self.turned(states) {
                break;
            }
            let from = if self.mend(states) { LISTS / 2 } else { 0 };
            if from == 0 {
                self.renew(states, false);
            }
            if self.crowded {
                break;
            }
            for (b, arrays) in self.between.iter_mut().zip(arrays) {
                for i in from..LISTS {
                    approach(KINDS[i % FOUND], &mut b.lists[i], self.since, &arrays[i], dt);
                }
            }
            self.keep(states, arrays, f32::INFINITY, watch);
        }
    }

    /// Makes sure that no listed pair has crossed. Contact moved no point by more than `moved` metres since pairs were
    /// told apart.
    fn keep(&mut self, states: &mut [State], arrays: &[[Arrays; LISTS]], moved: f32, watch: &dyn Watch) {
        let mut points: Vec<Side> =
            states.iter_mut().map(|s| Side { now: s.x.as_mut_ptr(), start: s.start.as_ptr() }).collect();
        points
            .extend(self.skins.iter_mut().map(|s| Side { now: s.now.as_mut_ptr(), start: s.start.as_ptr() }));
        let since = self.since;
        let mut watched: Vec<Watched> = self
            .between
            .iter_mut()
            .zip(arrays)
            .flat_map(|(b, arrays)| {
                let sides = b.sides();
                KINDS.into_iter().cycle().zip(&mut b.lists).zip(arrays).zip(sides).map(
                    move |(((kind, list), arrays), sides)| {
                        let due = list.due(since);
                        Watched { kind, list, due, arrays: *arrays, sides }
                    },
                )
            })
            .collect();
        // Safety: the points are those of the states and skins, borrowed whole.
        unsafe { keep_apart(&mut watched, &points, &self.first, moved, &|| watch.stopped()) };
    }

    /// Points of the two surfaces as each kind of list takes them.
    fn arrays(&self, b: &Between, states: &mut [State]) -> [Arrays; LISTS] {
        let side = |k: usize, states: &mut [State]| {
            if k < self.bodies {
                let s = &mut states[k];
                (s.x.as_mut_ptr(), s.start.as_ptr(), true, s.loads.met.as_mut_ptr())
            } else {
                let s = &self.skins[k - self.bodies];
                (s.now.as_ptr().cast_mut(), s.start.as_ptr(), false, std::ptr::null_mut())
            }
        };
        let (a, o) = (side(b.a, states), side(b.b, states));
        let skin = b.b >= self.bodies;
        let of = |s: [(*mut Record, *const Record, bool, *mut Record); 4]| Arrays {
            now: s.map(|s| s.0),
            start: s.map(|s| s.1),
            moves: s.map(|s| s.2),
            met: (skin || b.loose).then(|| s.map(|s| s.3)),
            room: b.room,
        };
        let mut points = of([a, o, o, o]);
        // The second point stands there three times, and is moved once.
        points.moves[2..].fill(false);
        let each = [of([a, o, o, o]), of([o, a, a, a]), of([a, a, o, o]), points];
        std::array::from_fn(|i| each[i % FOUND])
    }
}

/// Brings apart what is pressed, and what solids push, in turn, until nothing has to move by much.
fn sweep_apart(
    between: &mut [Between],
    solids: &[Met],
    arrays: &[[Arrays; LISTS]],
    (states, touching): (&mut [State], &mut [usize]),
    dt: f32,
    watch: &dyn Watch,
) -> Result<(), Halt> {
    for sweep in 0..LOOSE_SWEEPS {
        if watch.stopped() {
            return Err(Halt::Stopped);
        }
        let (mut settled, mut over) = (true, sweep + 1 >= SWEEPS[1]);
        between.iter_mut().zip(arrays).for_each(|(b, arrays)| {
            watch.between(b.pairing, || {
                for (presses, arrays) in b.presses.iter_mut().zip(arrays) {
                    bring_apart(presses, arrays);
                    let enough = if b.loose { LOOSE_SETTLED } else { SETTLED };
                    settled &= presses.pushed() / b.gap < enough;
                    over &= !b.loose || sweep + 1 >= LOOSE_SWEEPS;
                }
            });
        });
        let last = sweep + 1 >= SWEEPS[0] && settled || over;
        if last || !between.is_empty() {
            meet_solids(solids, states, touching, dt, last, watch);
        }
        if last {
            break;
        }
    }
    Ok(())
}

/// What meets what: itself, other bodies, then for each body colliders and the floor.
fn meetings(
    bodies: &[Body],
    rules: &Rules,
    colliders: &[ColliderRest],
    skins: &[PlacedSkin],
) -> (Vec<Pairing>, Vec<Between>) {
    let (mut pairings, mut between) = (vec![], vec![]);
    let count = bodies.len();
    for (k, c) in bodies.iter().enumerate().filter(|(k, _)| rules.own[*k]) {
        pairings.push(Pairing { body: k, with: With::Itself });
        between.push(Between::new(
            [k, k],
            [c.outside.most_half(); 2],
            [c.outside.most_friction(); 2],
            pairings.len() - 1,
        ));
    }
    for &[a, b] in rules.between.iter().filter(|p| p.iter().all(|k| *k < count)) {
        pairings.push(Pairing { body: a, with: With::Body(b) });
        let both = [&bodies[a], &bodies[b]];
        between.push(Between::new(
            [a, b],
            both.map(|b| b.outside.most_half()),
            both.map(|b| b.outside.most_friction()),
            pairings.len() - 1,
        ));
    }
    for (k, body) in bodies.iter().enumerate() {
        for (j, c) in colliders.iter().enumerate().filter(|(_, c)| c.meets[k]) {
            pairings.push(Pairing { body: k, with: With::Collider(j) });
            if let Some(s) = skins.iter().position(|s| s.collider == j) {
                let (halves, rubs) =
                    ([body.outside.most_half(), c.thickness], [body.outside.most_friction(), c.friction]);
                between.push(Between::new([k, count + s], halves, rubs, pairings.len() - 1));
            }
        }
        pairings.push(Pairing { body: k, with: With::Floor });
    }
    (pairings, between)
}

/// What crosses of two surfaces, each with its number, but for what is tied to each other.
pub(super) fn apart(tied: &[Tied], at: [(Placed, &[Record]); 2], sides: [usize; 2]) -> Vec<Crossing> {
    let mut found = crossings(at[0], at[1], sides[0] == sides[1]);
    found.retain(|c| {
        let corners = (0..2).flat_map(|k| {
            at[k].0.surface.triangles[c.triangles[k] as usize].into_iter().map(move |p| (p, sides[k]))
        });
        !tied.iter().any(|t| t.meet(corners.clone()))
    });
    found
}

/// Where the points of all surfaces are.
fn shown<'a>(states: &'a [State], skins: &'a [PlacedSkin]) -> Vec<&'a [Record]> {
    states.iter().map(|s| s.x.as_slice()).chain(skins.iter().map(|s| s.now.as_slice())).collect()
}

/// A surface whose points stand still, with those.
fn standing<'a>(
    surface: &'a Surface,
    boxes: &'a Boxes,
    x: &'a [Record],
    still: &'a [Record],
) -> (Placed<'a>, &'a [Record]) {
    (Placed { surface, boxes, ways: Ways::still(x, still) }, x)
}

/// By how much contact moved any point in this sub-step, at most: metres. It can have moved those that it `reached`.
fn moved(states: &[State], from: Option<&[Vec<Record>]>, reached: &[Vec<bool>]) -> f32 {
    let far = |(k, (s, reached)): (usize, (&State, &Vec<bool>))| {
        let from = from.map_or(&s.free[..s.points], |f| &f[k]);
        let eights = s.x[..s.points].chunks(8).zip(from.chunks(8)).zip(reached);
        let all = eights.filter(|(_, r)| **r).flat_map(|((x, from), _)| x.iter().zip(from));
        all.fold(0.0f32, |m, (x, f)| {
            let d = [0, 1, 2].map(|c| x.0[c] - f.0[c]);
            m.max(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
        })
    };
    states.iter().zip(reached).enumerate().map(far).fold(0.0, f32::max).sqrt()
}

/// Separates all features of a list and gives those that come too near.
fn approach(kind: Kind, list: &mut List, since: u32, arrays: &Arrays, dt: f32) -> Vec<Touch> {
    let due = list.due(since);
    let List { groups, partings, .. } = list;
    let chunks = groups[..due].par_chunks(4 * SHARE).zip(partings[..due].par_chunks_mut(4 * SHARE));
    let parts: Vec<Vec<Touch>> = chunks
        .map(|(groups, partings)| {
            let mut out = vec![];
            for (g, parting) in groups.iter().zip(partings) {
                // Safety: nothing is written while pairs are looked at.
                unsafe { prepare(kind, g, parting, arrays, dt, &mut out) };
            }
            out
        })
        .collect();
    parts.concat()
}

impl Between {
    fn new([a, b]: [usize; 2], halves: [f32; 2], frictions: [f32; 2], pairing: usize) -> Between {
        Between {
            a,
            b,
            gap: halves[0] + halves[1],
            loose: false,
            room: 1.0,
            halves,
            frictions,
            pairing,
            lists: Default::default(),
            added: Default::default(),
            presses: Default::default(),
        }
    }

    /// The surface of each of a pair's points, by kind of list.
    pub(super) fn sides(&self) -> [[usize; 4]; LISTS] {
        let (a, b) = (self.a, self.b);
        let each = [[a, b, b, b], [b, a, a, a], [a, a, b, b], [a, b, b, b]];
        std::array::from_fn(|i| each[i % FOUND])
    }
}

fn bring_apart(presses: &mut Presses, arrays: &Arrays) {
    let mut from = 0;
    for &to in &presses.runs {
        race::phase();
        let task = race::task();
        let all = &mut presses.all[from..to];
        // Safety, for both: groups of one run share no point that moves.
        if to - from <= FEW {
            all.iter_mut()
                .enumerate()
                .for_each(|(k, g)| race::within(&task, k, || unsafe { solve(g, arrays) }));
        } else {
            let each = all.par_iter_mut().enumerate().with_min_len(SHARE);
            each.for_each(|(k, g)| race::within(&task, k, || unsafe { solve(g, arrays) }));
        }
        from = to;
    }
}

/// Records of points that don't move, with eight spare ones after them.
fn settled(positions: &[[f32; 3]]) -> Vec<Record> {
    let spare = [[0.0, 0.0], [1.0, 0.0], [0.0, 1.0], [1.0, 1.0]].map(|[x, y]| [x, y, 0.0]);
    let all = positions.iter().chain(spare.iter()).chain(spare.iter());
    all.map(|[x, y, z]| Record([*x, *y, *z, 0.0])).collect()
}
