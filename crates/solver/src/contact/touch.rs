//! The contact of an island: which surfaces meet, and what a frame and a sub-step begin with.
use super::boxes::Boxes;
use super::pairs::{FOUND, LISTS, List, Pair, Parting, Presses};
use super::rules::{ContactError, Pairing, Rules, With, check};
use super::skins::{PlacedSkin, settled};
use super::snug::snug;
use super::surface::Surface;
use super::tangle::Tangle;
use super::told::{shown, standing};
use crate::body::{Body, Outside};
use crate::couple::{Tied, tied};
use crate::inputs::{ColliderRest, FrameInputs};
use crate::simd::Record;
use crate::state::State;
use crate::watch::{Phase, Watch};

/// Where loose points meet, pairs nearer than so many gaps are looked at: a heap presses together what was apart.
const LOOSE_ROOM: f32 = 1.4;
/// Two surfaces that meet, and the pairs of their features that may come near.
pub(super) struct Between {
    pub(super) a: usize,
    pub(super) b: usize,
    /// What each side adds to the gap, metres, and its friction in this frame, where those are most.
    pub(super) halves: [f32; 2],
    pub(super) frictions: [f32; 2],
    pub(super) gap: f32,
    /// Whether one of them is of loose points.
    pub(super) loose: bool,
    /// Pairs nearer than so many gaps are looked at.
    pub(super) room: f32,
    pub(super) pairing: usize,
    pub(super) lists: [List; LISTS],
    /// The pairs of the lists that were added.
    pub(super) added: [Vec<Pair>; FOUND],
    pub(super) presses: [Presses; LISTS],
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
    pub(super) colliders: Vec<ColliderRest>,
    pub(super) between: Vec<Between>,
    pub(super) pairings: Vec<Pairing>,
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
    pub(super) words: Vec<u64>,
    /// Pairs of bodies that are tied, with the points of each that don't meet the other's.
    pub(super) tied: Vec<Tied>,
    pub(super) first: Vec<usize>,
    pub(crate) tangle: Tangle,
    pub(super) touching: Vec<usize>,
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
