//! The contact of an island: which surfaces meet, and a sub-step's way through them.
//!
//! Long, because all of it shares one set of arrays that a sub-step walks through in one order.
use super::collider::{Frame, Swept, meet};
use super::cross::crossings;
use super::inside;
use super::keep::{Side, Watched, keep_apart};
use super::pairs::{Arrays, Kind, LISTS, List, Pair, Parting, Presses, Touch, near, prepare, solve};
use super::surface::{Boxes, Found, Placed, Search, Surface, search};
use super::tangle::Tangle;
use crate::build::Cloth;
use crate::inputs::{ColliderMotion, ColliderRest, FrameInputs, Pose, Scaled, Solid};
use crate::simd::{F8, Record, Shared, V8, load};
use crate::snags::{Fault, Snag};
use crate::state::State;
use crate::watch::{Phase, Watch};
use rayon::prelude::*;

/// Sub-steps that a search is made for, at most.
const AHEAD: u32 = 4;
/// A frame's first search is made for twice as many.
const FIRST: u32 = 2;
/// How far a point may leave the way it was thought to go before pairs are searched for anew: so much of the
/// gap, and of the way.
const STRAY: [f32; 2] = [0.75, 0.15];
/// Searches made again in a sub-step whose contact took points elsewhere, at most.
const RECHECKS: usize = 8;
/// And so much of a sub-step's way: a point that goes to and fro comes back by twice it.
const TO_AND_FRO: f32 = 1.5;
/// Sweeps over all near pairs a sub-step: at least so many, and more, up to the other, while one still has to
/// push anything by this share of its gap. A stack that lands passes on a blow by a layer a sweep.
const SWEEPS: [usize; 2] = [2, 24];
const SETTLED: f32 = 0.1;
/// Groups that one thread takes at least.
const SHARE: usize = 24;
/// Points that one thread takes at least.
const RUN: usize = 1024;

/// Who touches whom.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Rules {
    /// For each cloth, whether it meets itself.
    pub own: Vec<bool>,
    /// Pairs of cloths that meet, the lower number first.
    pub between: Vec<[usize; 2]>,
}

/// Why colliders or rules don't fit the cloths.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum ContactError {
    #[error("the rules tell of {found} cloths where there are {expected}")]
    Cloths { found: usize, expected: usize },
    #[error("collider {collider}: {what} is {value}; it must be finite and not below 0")]
    Number { collider: usize, what: &'static str, value: f32 },
    #[error("collider {collider}: triangle {triangle} names point {point}, and there are {points}")]
    Point { collider: usize, triangle: usize, point: u32, points: usize },
}

/// What a cloth meets.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum With {
    Itself,
    Cloth(usize),
    Collider(usize),
    Floor,
}

/// A cloth and what it meets: what costs are told by.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Pairing {
    pub cloth: usize,
    pub with: With,
}

/// Two surfaces that meet, and the pairs of their features that may come near.
pub(super) struct Between {
    pub(super) a: usize,
    pub(super) b: usize,
    /// What each side adds to the gap, metres, and its friction, where those are most.
    halves: [f32; 2],
    frictions: [f32; 2],
    pub(super) gap: f32,
    pairing: usize,
    found: Found,
    pub(super) lists: [List; LISTS],
    /// The pairs of the last three lists.
    pub(super) added: [Vec<Pair>; 3],
    presses: [Presses; LISTS],
}

/// The skin of a collider where a sub-step finds and leaves it.
pub(super) struct Skin {
    collider: usize,
    now: Vec<Record>,
    start: Vec<Record>,
}

/// The contact of some cloths with colliders, themselves and each other, and its scratch.
pub struct Contact {
    cloths: usize,
    pub(super) surfaces: Vec<Surface>,
    /// For each surface what its half and its friction are multiplied by at each point, as shares of the most;
    /// empty where by 1 everywhere.
    maps: Vec<[Vec<f32>; 2]>,
    /// Where the cloths' points stand at rest: what is near there is no contact.
    rest: Vec<Vec<Record>>,
    pub(super) skins: Vec<Skin>,
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
    /// For each surface, triangles that the search was wrong about.
    pub(super) astray: Vec<Vec<u32>>,
    words: Vec<u64>,
    first: Vec<usize>,
    pub(crate) tangle: Tangle,
    touching: Vec<usize>,
}

impl Contact {
    /// # Errors
    /// When rules and colliders don't fit the cloths.
    pub fn new(
        cloths: &[Cloth],
        rules: &Rules,
        colliders: Vec<ColliderRest>,
    ) -> Result<Contact, ContactError> {
        let count = cloths.len();
        if rules.own.len() != count {
            return Err(ContactError::Cloths { found: rules.own.len(), expected: count });
        }
        for (k, c) in colliders.iter().enumerate() {
            check(k, c, count)?;
        }
        let mut surfaces: Vec<Surface> =
            cloths.iter().map(|c| Surface::new(c.triangles.clone(), &c.rest, c.points())).collect();
        let rest = cloths.iter().map(|c| c.shape.as_ref().unwrap_or(&c.rest).clone()).collect();
        let mut maps: Vec<[Vec<f32>; 2]> = cloths
            .iter()
            .map(|c| {
                [Scaled::Thickness, Scaled::Friction].map(|what| {
                    let per = 1.0 / c.maps.most(what).max(1e-12);
                    c.maps.of(what).iter().map(|s| s * per).collect()
                })
            })
            .collect();
        let mut skins = vec![];
        for (k, c) in colliders.iter().enumerate() {
            if let Some(skin) = &c.skin {
                let records = settled(&skin.positions);
                surfaces.push(Surface::new(skin.triangles.clone(), &records, skin.positions.len()));
                skins.push(Skin { collider: k, start: records.clone(), now: records });
            }
        }
        let mut pairings = vec![];
        let mut between = vec![];
        maps.resize(surfaces.len(), Default::default());
        let half = |k: usize| 0.5 * cloths[k].matter.thickness * cloths[k].maps.most(Scaled::Thickness);
        let friction = |k: usize| cloths[k].matter.friction * cloths[k].maps.most(Scaled::Friction);
        for (k, own) in rules.own.iter().enumerate() {
            if *own {
                pairings.push(Pairing { cloth: k, with: With::Itself });
                between.push(Between::new([k, k], [half(k); 2], [friction(k); 2], pairings.len() - 1));
            }
        }
        for &[a, b] in rules.between.iter().filter(|p| p.iter().all(|k| *k < count)) {
            pairings.push(Pairing { cloth: a, with: With::Cloth(b) });
            let (halves, rubs) = ([half(a), half(b)], [friction(a), friction(b)]);
            between.push(Between::new([a, b], halves, rubs, pairings.len() - 1));
        }
        for k in 0..count {
            for (j, c) in colliders.iter().enumerate().filter(|(_, c)| c.meets[k]) {
                pairings.push(Pairing { cloth: k, with: With::Collider(j) });
                if let Some(s) = skins.iter().position(|s| s.collider == j) {
                    let (halves, rubs) = ([half(k), c.thickness], [friction(k), c.friction]);
                    between.push(Between::new([k, count + s], halves, rubs, pairings.len() - 1));
                }
            }
            pairings.push(Pairing { cloth: k, with: With::Floor });
        }
        let mut first = vec![0];
        surfaces.iter().for_each(|s| first.push(first[first.len() - 1] + s.points + 8));
        Ok(Contact {
            cloths: count,
            boxes: vec![Boxes::default(); surfaces.len()],
            base: vec![vec![]; surfaces.len()],
            ways: vec![vec![]; surfaces.len()],
            unrest: surfaces.iter().map(|s| vec![0.0; s.points]).collect(),
            astray: vec![vec![]; surfaces.len()],
            since: 0,
            ahead: 1,
            words: vec![0; first[surfaces.len()]],
            first,
            tangle: Tangle::new(between.len()),
            touching: vec![0; pairings.len()],
            surfaces,
            maps,
            rest,
            skins,
            colliders,
            between,
            pairings,
        })
    }

    /// For cloths that meet nothing but a floor.
    pub fn none(cloths: usize) -> Contact {
        Contact {
            cloths,
            surfaces: vec![],
            maps: vec![],
            rest: vec![],
            skins: vec![],
            colliders: vec![],
            between: vec![],
            pairings: (0..cloths).map(|cloth| Pairing { cloth, with: With::Floor }).collect(),
            boxes: vec![],
            base: vec![],
            ways: vec![],
            unrest: vec![],
            astray: vec![],
            since: 0,
            ahead: 1,
            words: vec![],
            first: vec![0],
            tangle: Tangle::new(0),
            touching: vec![0; cloths],
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

    /// Triangles of each cloth that cross what it meets where `frame` ends.
    pub(crate) fn crossings(&mut self, cloths: &[Cloth], states: &[State], frame: &FrameInputs) -> Vec<Snag> {
        if self.between.is_empty() {
            return vec![];
        }
        // At the first frame, and after a checkpoint, no step has placed them yet.
        for k in 0..self.skins.len() {
            self.place_skin(k, frame, 1.0);
        }
        let x = shown(states, &self.skins);
        fit_still(&self.surfaces, &x, &mut self.boxes);
        let at = |k: usize| (Placed { surface: &self.surfaces[k], boxes: &self.boxes[k] }, x[k]);
        let each = |b: &Between| {
            let found = crossings(at(b.a), at(b.b), b.a == b.b);
            let first = found.first()?;
            let p = self.pairings[b.pairing];
            let place = self.surfaces[b.a].triangles[first.triangles[0] as usize][0];
            Some(Snag {
                fault: Fault::Crossing,
                cloth: p.cloth,
                with: Some(p.with),
                count: found.len(),
                worst: 0.0,
                point: cloths[p.cloth].given(place as usize),
            })
        };
        self.between.iter().filter_map(each).collect()
    }

    /// The formula of a collider, where it has one.
    pub(crate) fn solid(&self, collider: usize) -> Option<&Solid> {
        self.colliders[collider].solid.as_ref()
    }

    /// Calls `each` with the points inside a collider's skin, if that is closed, and how deep they are.
    pub(crate) fn depths_in_skin(&self, collider: usize, x: &[Record], each: impl FnMut(usize, f32)) {
        let Some(k) = self.skins.iter().position(|s| s.collider == collider) else { return };
        let surface = &self.surfaces[self.cloths + k];
        if surface.closed() {
            inside::depths(&self.skins[k].now, &surface.triangles, x, each);
        }
    }

    /// Whether there is anything to touch.
    pub(crate) fn idle(&self, frame: &FrameInputs) -> bool {
        self.between.is_empty() && self.colliders.is_empty() && frame.floor.is_none()
    }

    /// What a frame begins with: skins where they are, and no pairs known, so that the frame's motion
    /// follows from its start alone.
    pub(crate) fn begin(&mut self, states: &mut [State], frame: &FrameInputs, watch: &impl Watch) {
        for k in 0..self.skins.len() {
            self.place_skin(k, frame, 0.0);
        }
        (self.since, self.ahead) = (FIRST, FIRST);
        self.unrest.iter_mut().for_each(|u| u.fill(0.0));
        if !self.between.is_empty() && self.tangle.watched(states) {
            watch.during(Phase::Search, || {
                let x = shown(states, &self.skins);
                fit_still(&self.surfaces, &x, &mut self.boxes);
                let sides: Vec<[usize; 2]> = self.between.iter().map(|b| [b.a, b.b]).collect();
                let (surfaces, boxes) = (&self.surfaces, &self.boxes);
                let placed = |k: usize| (Placed { surface: &surfaces[k], boxes: &boxes[k] }, x[k]);
                self.tangle.look(&sides, placed, self.cloths);
            });
            self.tangle.note(states);
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
        let pose = motion.map(|m| m.from.toward(&m.to, moment)).unwrap_or_default();
        let [a, b, c] = pose.axes();
        let shape = motion.and_then(|m| m.shape.as_ref());
        for (i, out) in skin.now.iter_mut().take(rest.positions.len()).enumerate() {
            let p = match shape {
                Some([from, to]) => std::array::from_fn(|c| from[i][c] + moment * (to[i][c] - from[i][c])),
                None => rest.positions[i],
            };
            let at = |k: usize| pose.position[k] + a[k] * p[0] + b[k] * p[1] + c[k] * p[2];
            *out = Record([at(0), at(1), at(2), 0.0]);
        }
    }

    /// Brings all apart and makes sure that nothing crossed. `moments` are those of the sub-step's start and
    /// end.
    pub(crate) fn resolve(
        &mut self,
        cloths: &[Cloth],
        states: &mut [State],
        frame: &FrameInputs,
        moments: [f32; 2],
        dt: f32,
        watch: &impl Watch,
    ) {
        self.touching.iter_mut().for_each(|t| *t = 0);
        if !self.between.is_empty() {
            watch.during(Phase::Search, || self.refresh(states));
        }
        let arrays: Vec<[Arrays; LISTS]> = self.between.iter().map(|b| self.arrays(b, states)).collect();
        for k in 0..self.between.len() {
            let b = &mut self.between[k];
            let sides = b.sides();
            watch.between(b.pairing, || {
                for i in 0..LISTS {
                    let touches = approach(KINDS[i], &mut b.lists[i], self.since, &arrays[k][i], dt);
                    let spare = sides[i].map(|s| self.surfaces[s].points as u32);
                    let first = sides[i].map(|s| self.first[s]);
                    b.presses[i].pack(&touches, arrays[k][i].moves, first, &mut self.words, spare);
                }
            });
        }
        let solids = solids(&self.pairings, &self.colliders, cloths, frame, moments);
        for sweep in 0..SWEEPS[1] {
            let mut pushed = 0.0f32;
            self.between.iter_mut().zip(&arrays).for_each(|(b, arrays)| {
                watch.between(b.pairing, || {
                    for (presses, arrays) in b.presses.iter_mut().zip(arrays) {
                        bring_apart(presses, arrays);
                        pushed = pushed.max(presses.pushed() / b.gap);
                    }
                });
            });
            let last = sweep + 1 >= SWEEPS[0] && pushed < SETTLED || sweep + 1 == SWEEPS[1];
            if last || !self.between.is_empty() {
                meet_solids(&solids, states, &mut self.touching, dt, watch);
            }
            if last {
                break;
            }
        }
        if self.between.is_empty() {
            return;
        }
        for b in &self.between {
            self.touching[b.pairing] += b.presses.iter().map(Presses::touching).sum::<usize>();
        }
        watch.during(Phase::Keep, || {
            self.keep(states, &arrays);
            // What was brought apart may have gone where no pair was looked for.
            for _ in 0..RECHECKS {
                if !self.strayed(states) && !self.turned(states) {
                    break;
                }
                let from = if self.mend(states) { LISTS / 2 } else { 0 };
                if from == 0 {
                    self.renew(states, false);
                }
                for (b, arrays) in self.between.iter_mut().zip(&arrays) {
                    for i in from..LISTS {
                        approach(KINDS[i], &mut b.lists[i], self.since, &arrays[i], dt);
                    }
                }
                self.keep(states, &arrays);
            }
        });
        self.since += 1;
    }

    /// Makes sure that no listed pair has crossed.
    fn keep(&mut self, states: &mut [State], arrays: &[[Arrays; LISTS]]) {
        let moved = moved(states);
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
                KINDS.into_iter().zip(&mut b.lists).zip(arrays).zip(sides).map(
                    move |(((kind, list), arrays), sides)| {
                        let due = list.due(since);
                        Watched { kind, list, due, arrays: *arrays, sides }
                    },
                )
            })
            .collect();
        // Safety: the points are those of the states and skins, borrowed whole.
        unsafe { keep_apart(&mut watched, &points, &self.first, moved) };
    }

    /// Points of the two surfaces as each kind of list takes them.
    fn arrays(&self, b: &Between, states: &mut [State]) -> [Arrays; LISTS] {
        let side = |k: usize, states: &mut [State]| {
            if k < self.cloths {
                (states[k].x.as_mut_ptr(), states[k].start.as_ptr(), true)
            } else {
                let s = &self.skins[k - self.cloths];
                (s.now.as_ptr().cast_mut(), s.start.as_ptr(), false)
            }
        };
        let (a, o) = (side(b.a, states), side(b.b, states));
        let of = |s: [(*mut Record, *const Record, bool); 4]| Arrays {
            now: s.map(|s| s.0),
            start: s.map(|s| s.1),
            moves: s.map(|s| s.2),
        };
        let three = [of([a, o, o, o]), of([o, a, a, a]), of([a, a, o, o])];
        std::array::from_fn(|i| three[i % 3])
    }

    /// Whether a point has left the way that the last search thought it would go.
    fn strayed(&self, states: &[State]) -> bool {
        let steps = (self.since + 1) as f32;
        (0..self.surfaces.len()).into_par_iter().any(|k| {
            let n = self.surfaces[k].points;
            let now = if k < self.cloths { &states[k].x } else { &self.skins[k - self.cloths].now };
            strays(&now[..n], &self.base[k], &self.ways[k], steps)
        })
    }

    /// Whether a cloth that meets itself has turned in a way that the last search didn't think of.
    fn turned(&self, states: &[State]) -> bool {
        let own = self.between.iter().filter(|b| b.a == b.b).map(|b| b.a);
        let mut out = vec![];
        own.into_iter().any(|k| {
            self.surfaces[k].turned(&states[k].x, &self.boxes[k], &mut out);
            !out.is_empty()
        })
    }

    /// Searches anew where the last search doesn't hold to the end of this sub-step.
    fn refresh(&mut self, states: &[State]) {
        if self.since >= self.ahead {
            self.renew(states, true);
        }
    }

    /// The least gap of all that meet.
    pub(super) fn gap(&self) -> f32 {
        self.between.iter().fold(f32::INFINITY, |g, b| g.min(b.gap))
    }

    /// Searches anew: because the time is up, if it is `fresh`, or because points went elsewhere.
    fn renew(&mut self, states: &[State], fresh: bool) {
        let moving = moving(states, &self.skins);
        let steps = (self.since + 1) as f32;
        if !fresh {
            // Points that go to and fro get room for it for the rest of the frame.
            for (k, unrest) in self.unrest.iter_mut().enumerate() {
                for (i, unrest) in unrest.iter_mut().enumerate() {
                    let off = strayed_by(&moving[k].0[i], &self.base[k][i], &self.ways[k][i], steps);
                    if off > self.ways[k][i].0[3] {
                        *unrest = (2.0 * *unrest).max(1.5 * off);
                    }
                }
            }
        }
        // What was good for long is tried for longer.
        self.ahead = if fresh { (2 * self.ahead).min(AHEAD) } else { (self.ahead / 2).max(2) };
        self.since = 0;
        self.astray.iter_mut().for_each(Vec::clear);
        let gap = self.gap();
        let times = self.ahead as f32;
        self.base
            .par_iter_mut()
            .zip(self.ways.par_iter_mut())
            .zip(self.boxes.par_iter_mut())
            .zip(&self.unrest)
            .enumerate()
            .for_each(|(k, (((base, ways), boxes), unrest))| {
                let ((now, start, _), surface) = (moving[k], &self.surfaces[k]);
                base.clear();
                base.extend_from_slice(start);
                ways.clear();
                let unrest = |i: usize| unrest.get(i).copied().unwrap_or(0.0);
                ways.extend((0..start.len()).map(|i| expected(moving[k], i, gap, times, unrest(i))));
                surface.fit(start, now, ways, times, boxes);
            });
        for k in 0..self.between.len() {
            let mut found = std::mem::take(&mut self.between[k].found);
            let b = &self.between[k];
            let at = |k: usize| Placed { surface: &self.surfaces[k], boxes: &self.boxes[k] };
            search(at(b.a), at(b.b), b.a == b.b, Search { reach: b.gap, features: true }, &mut found);
            let pairs = self.list(k, &found, [0.0, times]);
            let b = &mut self.between[k];
            b.found = found;
            b.lists.iter_mut().zip(&pairs).for_each(|(l, p)| l.fill(p));
            b.added = Default::default();
            b.lists[LISTS / 2..].iter_mut().for_each(|l| l.fill(&[]));
        }
    }

    /// The found pairs that can come within reach between two sub-steps from the search on.
    pub(super) fn list(&self, k: usize, found: &Found, [since, ahead]: [f32; 2]) -> [Vec<Pair>; 3] {
        let b = &self.between[k];
        let (sa, sb) = (&self.surfaces[b.a], &self.surfaces[b.b]);
        let rest = if b.a == b.b { self.rest.get(b.a).map(Vec::as_slice) } else { None };
        let sides = b.sides();
        let mapped = [b.a, b.b].iter().any(|s| self.maps[*s].iter().any(|m| !m.is_empty()));
        // The mean of a map over each side's points, the first surface's first.
        let between = |map: usize, split: usize, sides: [usize; 4], point: &dyn Fn(usize) -> u32| {
            let mean = |from: usize, to: usize| {
                let over = (from..to).map(|i| match &self.maps[sides[i]][map] {
                    m if m.is_empty() => 1.0,
                    m => m[point(i) as usize],
                });
                over.sum::<f32>() / (to - from) as f32
            };
            let both = [mean(0, split), mean(split, 4)];
            if sides[0] == b.a { both } else { [both[1], both[0]] }
        };
        let rubs = |kind: Kind, sides: [usize; 4], index: [u32; 4]| match mapped {
            true => {
                let split = if kind == Kind::Point { 1 } else { 2 };
                let [p, q] = between(1, split, sides, &|i| index[i]);
                (b.frictions[0] * p).max(b.frictions[1] * q)
            }
            false => b.frictions[0].max(b.frictions[1]),
        };
        let reach = |kind: Kind, sides: [usize; 4], index: [[u32; 8]; 4]| -> [F8; 3] {
            // Safety: the indices lie inside.
            let at = |i: usize, x: &[Record]| unsafe { load(x.as_ptr(), &index[i]) };
            let ways: [(V8, F8); 4] = std::array::from_fn(|i| at(i, &self.ways[sides[i]]));
            let x = std::array::from_fn(|i| ways[i].0.fma(F8::splat(since), at(i, &self.base[sides[i]]).0));
            let split = if kind == Kind::Point { 1 } else { 2 };
            let (mut closing, mut stray) = (F8::splat(0.0), [F8::splat(0.0); 2]);
            for i in 0..4 {
                let side = usize::from(i >= split);
                stray[side] = stray[side].max(ways[i].1);
                for j in split.max(i + 1)..4 {
                    if i < split {
                        let d = ways[i].0 - ways[j].0;
                        closing = closing.max(d.dot(d));
                    }
                }
            }
            let far = near(kind, &x).distance - stray[0] - stray[1];
            let gap = match mapped {
                true => F8::new(&std::array::from_fn(|l| {
                    let [p, q] = between(0, split, sides, &|i| index[i][l]);
                    b.halves[0] * p + b.halves[1] * q
                })),
                false => F8::splat(b.gap),
            };
            let gap = match rest {
                // What lies nearer than that at rest is kept no further apart.
                Some(rest) if closing.sqrt().fnma(F8::splat(ahead - since), far).below(gap).mask() != 0 => {
                    let d = near(kind, &std::array::from_fn(|i| at(i, rest).0)).distance;
                    (d * F8::splat(0.9)).min(gap)
                }
                _ => gap,
            };
            [far, closing.sqrt(), gap]
        };
        let near_ones = |kind: Kind,
                         found: &[[u32; 2]],
                         index: &(dyn Fn([u32; 2]) -> [u32; 4] + Sync),
                         sides: [usize; 4]| {
            let flags = sides.map(|s| usize::from(s != b.a));
            found
                .par_chunks(1024)
                .flat_map_iter(|chunk| {
                    let mut out: Vec<Pair> = vec![];
                    for eight in chunk.chunks(8) {
                        let of: [[u32; 4]; 8] = std::array::from_fn(|l| index(eight[l.min(eight.len() - 1)]));
                        let lanes = std::array::from_fn(|i| std::array::from_fn(|l| of[l][i]));
                        let [far, closing, gap] = reach(kind, sides, lanes);
                        let hit = closing.fnma(F8::splat(ahead - since), far).below(gap).mask();
                        let due = ((far - gap) / closing.max(F8::splat(1e-12))).array();
                        let gap = gap.array();
                        for l in (0..eight.len()).filter(|l| hit & (1 << l) != 0) {
                            if !self.tangle.is_free(k, &of[l], flags) {
                                let friction = rubs(kind, sides, of[l]);
                                let due = (since + due[l].clamp(0.0, ahead - since)) as u32;
                                out.push(Pair { index: of[l], gap: gap[l], friction, due });
                            }
                        }
                    }
                    out
                })
                .collect::<Vec<_>>()
        };
        let with = |p: u32, [a, b, c]: [u32; 3]| [p, a, b, c];
        let edges = |[e, f]: [u32; 2]| {
            let ([p, q], [r, s]) = (sa.edges[e as usize], sb.edges[f as usize]);
            [p, q, r, s]
        };
        [
            near_ones(
                Kind::Point,
                &found.point_triangle,
                &|[p, t]| with(p, sb.triangles[t as usize]),
                sides[0],
            ),
            near_ones(
                Kind::Point,
                &found.triangle_point,
                &|[p, t]| with(p, sa.triangles[t as usize]),
                sides[1],
            ),
            near_ones(Kind::Edges, &found.edges, &edges, sides[2]),
        ]
    }
}

/// Where the points of all surfaces are.
fn shown<'a>(states: &'a [State], skins: &'a [Skin]) -> Vec<&'a [Record]> {
    states.iter().map(|s| s.x.as_slice()).chain(skins.iter().map(|s| s.now.as_slice())).collect()
}

/// Fits the boxes to points that stand still.
fn fit_still(surfaces: &[Surface], x: &[&[Record]], boxes: &mut [Boxes]) {
    for ((surface, x), boxes) in surfaces.iter().zip(x).zip(boxes) {
        surface.fit(x, x, &vec![Record::default(); surface.points], 0.0, boxes);
    }
}

/// Where a surface's points are about to be and were, and their last ways where they have any.
pub(super) type Moving<'a> = (&'a [Record], &'a [Record], Option<&'a [Record]>);

/// By how much contact moved any point in this sub-step, at most: metres.
fn moved(states: &[State]) -> f32 {
    let far = |s: &State| {
        s.x.iter().zip(&s.free).take(s.points).fold(0.0f32, |m, (x, f)| {
            let d = [0, 1, 2].map(|c| x.0[c] - f.0[c]);
            m.max(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
        })
    };
    states.iter().map(far).fold(0.0, f32::max).sqrt()
}

/// Where each surface is about to be, was, and which way it went last.
pub(super) fn moving<'a>(states: &'a [State], skins: &'a [Skin]) -> Vec<Moving<'a>> {
    states
        .iter()
        .map(|s| (s.x.as_slice(), s.start.as_slice(), Some(s.way.as_slice())))
        .chain(skins.iter().map(|s| (s.now.as_slice(), s.start.as_slice(), None)))
        .collect()
}

/// The way a point is thought to go in each of so many sub-steps, with how far it may stray from that.
pub(super) fn expected((now, start, way): Moving, i: usize, gap: f32, times: f32, unrest: f32) -> Record {
    let to = |c: usize| now[i].0[c] - start[i].0[c];
    // What pushes against a contact goes further each time than it comes.
    let d: [f32; 3] = match way {
        Some(way) => way.get(i).map_or([0.0; 3], Record::xyz),
        None => [to(0), to(1), to(2)],
    };
    let most = |d: [f32; 3]| d[0].abs().max(d[1].abs()).max(d[2].abs());
    let off = most([to(0) - d[0], to(1) - d[1], to(2) - d[2]]);
    let pad = STRAY[0] * gap + (STRAY[1] * times + TO_AND_FRO) * most(d) + 1.25 * off + unrest;
    Record([d[0], d[1], d[2], pad])
}

/// Whether a point is not where it was thought to be after so many sub-steps.
fn strays(now: &[Record], base: &[Record], ways: &[Record], steps: f32) -> bool {
    now.iter().zip(base).zip(ways).any(|((x, b), w)| strayed_by(x, b, w, steps) > w.0[3])
}

#[inline(always)]
pub(super) fn strayed_by(x: &Record, b: &Record, w: &Record, steps: f32) -> f32 {
    let off = [0, 1, 2].map(|c| x.0[c] - b.0[c] - steps * w.0[c]);
    (off[0] * off[0] + off[1] * off[1] + off[2] * off[2]).sqrt()
}

/// Tells all features of a list apart and gives those that come too near.
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

/// The solids that each cloth meets, with the number of the pairing and of the cloth.
fn solids<'a>(
    pairings: &[Pairing],
    colliders: &'a [ColliderRest],
    cloths: &'a [Cloth],
    frame: &FrameInputs,
    moments: [f32; 2],
) -> Vec<(usize, usize, Swept<'a>)> {
    let mut out = vec![];
    for (number, p) in pairings.iter().enumerate() {
        let cloth = &cloths[p.cloth];
        let (half, rub) = (0.5 * cloth.matter.thickness, cloth.matter.friction);
        let maps = [cloth.maps.of(Scaled::Thickness), cloth.maps.of(Scaled::Friction)];
        match p.with {
            With::Collider(k) => {
                let c = &colliders[k];
                let Some(solid) = &c.solid else { continue };
                let still = ColliderMotion::default();
                let motion = frame.colliders.get(k).unwrap_or(&still);
                let at = |t: f32| Frame::of(&motion.from.toward(&motion.to, t));
                out.push((
                    number,
                    p.cloth,
                    Swept {
                        solid,
                        from: at(moments[0]),
                        to: at(moments[1]),
                        thickness: c.thickness,
                        friction: c.friction,
                        half,
                        rub,
                        maps,
                    },
                ));
            }
            With::Floor => {
                let Some(f) = frame.floor else { continue };
                let at = Frame::of(&Pose { position: [0.0, f.height, 0.0], ..Pose::default() });
                let (from, to, thickness, friction) = (at, at, 0.0, f.friction);
                let solid = &Solid::Plane;
                let swept = Swept { solid, from, to, thickness, friction, half, rub, maps };
                out.push((number, p.cloth, swept));
            }
            _ => {}
        }
    }
    out
}

const KINDS: [Kind; LISTS] = [Kind::Point, Kind::Point, Kind::Edges, Kind::Point, Kind::Point, Kind::Edges];

impl Between {
    fn new([a, b]: [usize; 2], halves: [f32; 2], frictions: [f32; 2], pairing: usize) -> Between {
        Between {
            a,
            b,
            gap: halves[0] + halves[1],
            halves,
            frictions,
            pairing,
            found: Found::default(),
            lists: Default::default(),
            added: Default::default(),
            presses: Default::default(),
        }
    }

    /// The surface of each of a pair's points, by kind of list.
    fn sides(&self) -> [[usize; 4]; LISTS] {
        let (a, b) = (self.a, self.b);
        let three = [[a, b, b, b], [b, a, a, a], [a, a, b, b]];
        std::array::from_fn(|i| three[i % 3])
    }
}

fn bring_apart(presses: &mut Presses, arrays: &Arrays) {
    let mut from = 0;
    for &to in &presses.runs {
        let all = &mut presses.all[from..to];
        // Safety, for both: groups of one run share no point that moves.
        if to - from <= SHARE {
            all.iter_mut().for_each(|g| unsafe { solve(g, arrays) });
        } else {
            all.par_iter_mut().with_min_len(SHARE).for_each(|g| unsafe { solve(g, arrays) });
        }
        from = to;
    }
}

fn meet_solids(
    solids: &[(usize, usize, Swept)],
    states: &mut [State],
    touching: &mut [usize],
    dt: f32,
    watch: &impl Watch,
) {
    for (number, cloth, swept) in solids {
        let s = &mut states[*cloth];
        let n = s.points;
        let (x, start) = (Shared::of(s.x.as_mut_ptr()), s.start.as_slice());
        touching[*number] = watch.between(*number, || {
            let run = |k: usize| {
                // Safety: each run of points is one thread's.
                unsafe { meet(swept, x.get(), start.as_ptr(), k * RUN, ((k + 1) * RUN).min(n), dt) }
            };
            (0..n.div_ceil(RUN)).into_par_iter().map(run).sum()
        });
    }
}

/// Records of points that don't move, with eight spare ones after them.
fn settled(positions: &[[f32; 3]]) -> Vec<Record> {
    let spare = [[0.0, 0.0], [1.0, 0.0], [0.0, 1.0], [1.0, 1.0]].map(|[x, y]| [x, y, 0.0]);
    let all = positions.iter().chain(spare.iter()).chain(spare.iter());
    all.map(|[x, y, z]| Record([*x, *y, *z, 0.0])).collect()
}

fn check(k: usize, c: &ColliderRest, cloths: usize) -> Result<(), ContactError> {
    if c.meets.len() != cloths {
        return Err(ContactError::Cloths { found: c.meets.len(), expected: cloths });
    }
    for (what, value) in [("thickness", c.thickness), ("friction", c.friction)] {
        if !value.is_finite() || value < 0.0 {
            return Err(ContactError::Number { collider: k, what, value });
        }
    }
    if let Some(s) = &c.skin {
        let points = s.positions.len();
        for (t, tri) in s.triangles.iter().enumerate() {
            if let Some(&p) = tri.iter().find(|p| **p as usize >= points) {
                return Err(ContactError::Point { collider: k, triangle: t, point: p, points });
            }
        }
    }
    Ok(())
}
