//! Loose points with a radius: weight, drag and contact, and nothing that holds them together. Those that are thin plates or winged seeds have a turn
//! beside (`plate.rs`).
//!
//! Drag is that of a ball, F = ½ ρ C π r² |u| u against the air that it meets (L. Prandtl, "Ergebnisse der
//! aerodynamischen Versuchsanstalt zu Göttingen", 1923, for the quadratic law), wholly implicit, so that a feather in a
//! gale never overshoots the gale.
mod plate;

use crate::AIR_DENSITY;
use crate::body::{Body, BuildError, Features, Outside};
use crate::carriage::Tempo;
use crate::inputs::{FrameInputs, Gas};
use crate::measure::{Energy, Strain};
use crate::model::{Holds, Lasts, Model, Steps};
use crate::parts::{Parts, cut};
use crate::simd::Record;
use crate::snags::{Against, Snag};
use crate::state::State;
use crate::watch::{Phase, Watch};
use glam::{DQuat, DVec3};
use nematon_simd::{F8, V8};
use plate::{Eight, Plate, Turn, Turned, lie};
use rayon::prelude::*;

/// Points that one thread takes at least.
const RUN: usize = 2048;
/// Pieces with a turn that one thread takes together, a multiple of eight.
const TOGETHER: usize = 256;
/// Contact fills up groups with them.
const SPARES: usize = 8;

/// Loose points before they move. Arrays are indexed by point.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct FreeRest {
    /// Where each starts, metres.
    pub positions: Vec<[f32; 3]>,
    /// Metres, above 0.
    pub radii: Vec<f32>,
    /// kg, above 0.
    pub masses: Vec<f32>,
    /// Drag coefficient C of a ball: 0.47 for one that is smooth.
    pub drag: f32,
    /// Coulomb; the larger of this and the other's acts.
    pub friction: f32,
    /// What drag and friction are multiplied by for each; empty is 1 for all.
    pub over: [Vec<f32>; 2],
    /// Where points come and leave.
    pub comes: Option<Comes>,
    /// Where they are not simply balls to the air.
    pub flies: Option<FliesRest>,
    /// Where they are let go by plants.
    pub shed: Option<ShedRest>,
}

/// What the air takes pieces for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Flier {
    /// A thin disc.
    Plate,
    /// A seed with a wing, that spins as it falls.
    Wing,
}

/// Pieces that have a turn.
#[derive(Clone, Debug, PartialEq)]
pub struct FliesRest {
    pub flier: Flier,
    /// How wide the air sees each, metres: from the middle of a plate, or to the tip of a wing.
    pub radii: Vec<f32>,
    /// How each is turned at first, its own y its normal: x, y, z, w.
    pub turns: Vec<[f32; 4]>,
}

/// Pieces that a plant lets go, by rules that each have their chance.
#[derive(Clone, Debug, PartialEq)]
pub struct ShedRest {
    /// The point that each is at until then, as given to the plant.
    pub sites: Vec<u32>,
    /// Whether those go away with them.
    pub whole: bool,
    /// By rule and piece: how much of its chance must have passed until it lets go; no number never.
    pub after: Vec<Vec<f32>>,
}

/// Of points that come and leave: those of the first frame come first, the others as frames tell (`Comings`). Nothing else
/// about those that are still to come is looked at before, nor how many they are.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Comes {
    /// How many are there at first.
    pub there: usize,
    /// The radius of the largest that may come, metres.
    pub largest: f32,
}

/// What air does to each point.
pub(crate) struct Free {
    /// ½ ρ π r² / m, 1/m, by place.
    caught: Vec<f32>,
    drag: f32,
    flies: Option<Flies>,
    pub(crate) shed: Option<ShedRest>,
}

/// What flies otherwise than a ball, by place.
struct Flies {
    flier: Flier,
    plates: Vec<Plate>,
    turns: Vec<[f32; 4]>,
    /// What its drag is multiplied by for each; empty is 1 for all.
    over: Vec<f32>,
}

pub(crate) fn build(rest: &FreeRest) -> Result<Body, BuildError> {
    check(rest)?;
    let parts = match rest.comes {
        // By when they come: what comes later changes nothing about what is there.
        Some(_) => Parts::in_order(rest.positions.len()),
        None => cut(&rest.positions),
    };
    let there = rest.comes.map_or(usize::MAX, |c| c.there);
    let by_place = |of: &[f32]| -> Vec<f32> {
        if of.is_empty() { vec![] } else { parts.order.iter().map(|&p| of[p as usize]).collect() }
    };
    let (radii, mass) = (by_place(&rest.radii), by_place(&rest.masses));
    let mut records: Vec<Record> = parts
        .order
        .iter()
        .zip(&mass)
        .map(|(&p, m)| {
            let [x, y, z] = rest.positions[p as usize];
            Record([x, y, z, if (p as usize) < there { 1.0 / m } else { 0.0 }])
        })
        .collect();
    records.resize(records.len() + SPARES, Record::default());
    let most = rest.comes.map_or_else(|| radii.iter().copied().fold(0.0, f32::max), |c| c.largest);
    let area = |r: f32| std::f32::consts::PI * r * r;
    let [drags, rubs] = [by_place(&rest.over[0]), by_place(&rest.over[1])];
    let over = |k: usize| drags.get(k).copied().unwrap_or(1.0);
    let each = radii.iter().zip(&mass).enumerate();
    let caught = each.map(|(k, (r, m))| 0.5 * AIR_DENSITY * area(*r) * over(k) / m);
    let flies = rest.flies.as_ref().map(|f| Flies {
        flier: f.flier,
        plates: parts
            .order
            .iter()
            .zip(&mass)
            .map(|(p, m)| Plate { radius: f.radii[*p as usize], mass: *m })
            .collect(),
        turns: parts.order.iter().map(|p| f.turns[*p as usize]).collect(),
        over: drags.clone(),
    });
    let alike = rest.comes.is_none() && radii.iter().all(|r| *r == most);
    Ok(Body {
        places: parts.places(),
        rest: records,
        held: false,
        comes: rest.comes.is_some(),
        apart: match rest.comes {
            Some(_) => 2.0 * most,
            None => 2.0 * radii.iter().sum::<f32>() / radii.len() as f32,
        },
        damping: 0.0,
        damped: vec![],
        airy: rest.drag > 0.0,
        outside: Outside {
            features: Features { points: (0..radii.len() as u32).collect(), ..Features::default() },
            shape: None,
            half: most,
            friction: rest.friction,
            maps: [if alike { vec![] } else { radii.iter().map(|r| r / most).collect() }, rubs],
        },
        model: Model::Free(Box::new(Free {
            caught: caught.collect(),
            drag: rest.drag,
            flies,
            shed: rest.shed.clone(),
        })),
        mass,
        area: radii.iter().map(|r| area(*r)).collect(),
        parts,
    })
}

/// What the sub-steps of a frame have in common.
pub(crate) struct Begun<'a> {
    model: &'a Free,
    drag: f32,
    dt: f32,
    tempo: Tempo,
    /// What pulls it, m/s².
    pull: [f32; 3],
}

impl Holds for Free {
    type Own = Own;
    type Begun<'a> = Begun<'a>;

    fn own(&self, _: &Body) -> Own {
        let turns = self.flies.iter().flat_map(|f| &f.turns);
        Own { turns: turns.map(|t| Turn::of(*t)).collect(), passed: vec![0.0; self.chances()] }
    }
    fn size(&self) -> usize {
        TURN * self.flies.as_ref().map_or(0, |f| f.plates.len()) + 4 * self.chances()
    }
    fn begin<'a>(&'a self, _: &'a Body, number: usize, frame: &'a FrameInputs, tempo: Tempo) -> Begun<'a> {
        let weighs = frame.weathered(number).map_or(1.0, |w| w.gravity);
        let pull = frame.gravity.map(|g| g * weighs);
        Begun {
            model: self,
            drag: frame.matter_of(number).map_or(self.drag, |now| now.drag),
            dt: tempo.dt,
            tempo,
            pull,
        }
    }
    fn constraints(&self) -> usize {
        0
    }
    fn strain(&self, _: &State, _: &Own) -> Strain {
        Strain::default()
    }
    fn energy(&self, _: &State, _: &Own, _: &mut Energy) {}
    fn snags(&self, _: (&Body, usize), _: &State, _: &Own, _: Against) -> Vec<Snag> {
        vec![]
    }
}

/// Bytes of a turn.
const TURN: usize = 7 * 4;

/// What loose points remember beside where they are and how fast: how they are turned, by place; and by rule and piece how much of its chance to let
/// go has passed.
#[derive(Clone, Debug)]
pub(crate) struct Own {
    turns: Vec<Turn>,
    pub(crate) passed: Vec<f32>,
}

impl Own {
    /// How the point at a place is turned, x, y, z, w; none where points have no turn.
    pub(crate) fn turned(&self, place: usize) -> Option<[f32; 4]> {
        self.turns.get(place).map(|t| t.is)
    }

    /// Turns a point so that its own y is a way, and its x as near to another as can be.
    pub(crate) fn face(&mut self, place: usize, [normal, along]: [[f32; 3]; 2]) {
        let Some(turn) = self.turns.get_mut(place) else { return };
        let [y, x] = [normal, along].map(|v| DVec3::from_array(v.map(f64::from)));
        let y = y.normalize_or(DVec3::Y);
        let x = x.reject_from_normalized(y).normalize_or(y.any_orthonormal_vector());
        let is = DQuat::from_mat3(&glam::DMat3::from_cols(x, y, x.cross(y)));
        *turn = Turn::of(is.to_array().map(|c| c as f32));
    }

    /// Takes a point's turn as it is at first, and how fast it turns, 1/s.
    pub(crate) fn begin(&mut self, place: usize, model: &Free, spin: [f32; 3]) {
        if let (Some(turn), Some(f)) = (self.turns.get_mut(place), &model.flies) {
            *turn = Turn { by: spin, ..Turn::of(f.turns[place]) };
        }
    }
}

impl Lasts for Own {
    fn write(&self, out: &mut Vec<u8>) {
        for t in &self.turns {
            t.is.iter().chain(&t.by).for_each(|c| out.extend(c.to_le_bytes()));
        }
        self.passed.iter().for_each(|p| out.extend(p.to_le_bytes()));
    }
    fn read(&mut self, from: &[u8]) {
        let (turns, passed) = from.split_at((TURN * self.turns.len()).min(from.len()));
        for (t, bytes) in self.turns.iter_mut().zip(turns.chunks_exact(TURN)) {
            let c = |k: usize| f32::from_le_bytes(std::array::from_fn(|b| bytes[4 * k + b]));
            *t = Turn { is: [0, 1, 2, 3].map(c), by: [4, 5, 6].map(c) };
        }
        let numbers = passed.as_chunks::<4>().0.iter().map(|b| f32::from_le_bytes(*b));
        self.passed.iter_mut().zip(numbers).for_each(|(to, n)| *to = n);
    }
    fn gas(&self) -> &[Gas] {
        &[]
    }
}

impl Steps for Begun<'_> {
    type Own = Own;

    fn start(&self, _: &mut Own) {}
    fn look(&self, _: f32, _: &mut State, _: &mut Own, _: &dyn Watch) {}
    fn relax(&self, _: f32, state: &mut State, own: &mut Own, watch: &dyn Watch) {
        if let Some(flies) = &self.model.flies {
            return self.fly(flies, state, own, watch);
        }
        if self.drag == 0.0 {
            return;
        }
        let h = self.tempo.balance(state);
        let n = state.points;
        watch.during(Phase::Membrane, || {
            let each = state.gained[..n].par_iter_mut().zip(&state.v[..n]).zip(&state.air[..n]);
            each.zip(&self.model.caught).with_min_len(RUN).for_each(|(((gained, v), air), caught)| {
                let u: [f32; 3] = std::array::from_fn(|c| air.0[c] - v.0[c]);
                let speed = (u[0] * u[0] + u[1] * u[1] + u[2] * u[2]).sqrt();
                // What is left of u: s = |u| / (1 + h caught s).
                let a = h * self.drag * caught;
                let left = 2.0 * speed / (1.0 + (1.0 + 4.0 * a * speed).sqrt());
                let k = a * left;
                (0..3).for_each(|c| gained.0[c] += h * (k / (1.0 + k)) * u[c]);
            });
        });
    }
    fn settle(&self, _: f32, _: &mut State, _: &mut Own, _: &dyn Watch) -> f32 {
        0.0
    }
    fn met(&self, _: &mut State, _: &mut Own) {}
    fn finish(&self, _: &mut Own) {}
}

fn check(rest: &FreeRest) -> Result<(), BuildError> {
    let FreeRest { positions, radii, masses, drag, friction, over, comes: _, flies, shed } = rest;
    let n = positions.len();
    if n == 0 {
        return Err(BuildError::Empty("point"));
    }
    for (what, list) in [("radii", radii), ("masses", masses)] {
        if list.len() != n {
            return Err(BuildError::Lengths { what, found: list.len(), expected: n });
        }
        if let Some(&value) = list.iter().find(|v| !(v.is_finite() && **v > 0.0)) {
            return Err(BuildError::Matter { what, value, limit: "above 0" });
        }
    }
    for (what, list) in ["drag by a map", "friction by a map"].into_iter().zip(over) {
        if !list.is_empty() && list.len() != n {
            return Err(BuildError::Lengths { what, found: list.len(), expected: n });
        }
        if let Some(&value) = list.iter().find(|v| !(v.is_finite() && **v >= 0.0)) {
            return Err(BuildError::Matter { what, value, limit: "not below 0" });
        }
    }
    if let Some(point) = positions.iter().position(|p| p.iter().any(|c| !c.is_finite())) {
        return Err(BuildError::NotFinite { point });
    }
    if let Some(FliesRest { flier: _, radii, turns }) = flies {
        for (what, found) in [("what the air sees", radii.len()), ("turns", turns.len())] {
            if found != n {
                return Err(BuildError::Lengths { what, found, expected: n });
            }
        }
        if let Some(&value) = radii.iter().find(|v| !(v.is_finite() && **v > 0.0)) {
            return Err(BuildError::Matter { what: "what the air sees", value, limit: "above 0" });
        }
    }
    if let Some(ShedRest { sites, whole: _, after }) = shed {
        let of_rules = after.iter().map(|a| ("a rule", a.len()));
        if let Some((what, found)) = of_rules.chain([("sites", sites.len())]).find(|(_, found)| *found != n) {
            return Err(BuildError::Lengths { what, found, expected: n });
        }
    }
    for (what, value) in [("drag", *drag), ("friction", *friction)] {
        if !(value.is_finite() && value >= 0.0) {
            return Err(BuildError::Matter { what, value, limit: "not below 0" });
        }
    }
    Ok(())
}

impl Free {
    /// How many numbers tell how far pieces are from being let go.
    fn chances(&self) -> usize {
        self.shed.as_ref().map_or(0, |s| s.after.len() * s.sites.len())
    }
}

impl Begun<'_> {
    /// What has a turn goes as that takes it: from how fast it was and what pulls it since, and not from where the sub-step before leads, for one that
    /// turns round within a sub-step would be led on and on.
    fn fly(&self, flies: &Flies, state: &mut State, own: &mut Own, watch: &dyn Watch) {
        let share = self.tempo.balance(state);
        let n = state.points;
        let (v, air, met) = (&state.v[..n], &state.air[..n], &state.loads.met[..n]);
        let (was, push, pull) = (&state.was[..n], &state.push, self.pull);
        let begins = |k: usize| -> [f32; 3] {
            let more = push.get(k).map_or([0.0; 3], Record::xyz);
            std::array::from_fn(|c| was[k].0[c] + self.dt * (pull[c] + more[c]))
        };
        let goes = |k: usize, gained: &mut Record, to: [f32; 3]| {
            if gained.0[3] > 0.0 {
                (0..3).for_each(|c| gained.0[c] += share * (to[c] - v[k].0[c]));
            }
        };
        let wide = |r: &Record| DVec3::from_array(r.xyz().map(f64::from));
        let each = state.gained[..n].par_chunks_mut(TOGETHER).zip(own.turns.par_chunks_mut(TOGETHER));
        each.enumerate().for_each(|(number, (gained, turns))| {
            watch.during(Phase::Membrane, || {
                let first = number * TOGETHER;
                match flies.flier {
                    Flier::Plate => {
                        for (g, (gained, turns)) in gained.chunks_mut(8).zip(turns.chunks_mut(8)).enumerate()
                        {
                            // What is not there yet, or not any more, takes no time.
                            if gained.iter().all(|r| r.0[3] == 0.0) {
                                continue;
                            }
                            let first = first + 8 * g;
                            let to = self.eight(flies, (first, gained.len()), (&begins, air), turns);
                            gained.iter_mut().enumerate().for_each(|(l, r)| goes(first + l, r, to[l]));
                        }
                    }
                    Flier::Wing => {
                        for (l, (gained, turn)) in gained.iter_mut().zip(&mut *turns).enumerate() {
                            let k = first + l;
                            let to = flies.plates[k].spun(
                                wide(&air[k]),
                                DVec3::from_array(begins(k).map(f64::from)),
                                turn,
                                f64::from(self.dt),
                            );
                            goes(k, gained, to.to_array().map(|c| c as f32));
                        }
                    }
                }
                for (turn, met) in turns.iter_mut().zip(&met[first..]) {
                    let out = wide(met);
                    if out.length_squared() > 0.0 {
                        lie(turn, out.normalize_or(DVec3::Y), f64::from(self.dt));
                    }
                }
            });
        });
    }

    /// How fast eight plates go then, or as many as there are.
    fn eight(
        &self,
        flies: &Flies,
        (first, count): (usize, usize),
        (begins, air): (&impl Fn(usize) -> [f32; 3], &[Record]),
        turns: &mut [Turn],
    ) -> [[f32; 3]; 8] {
        let places: [usize; 8] = std::array::from_fn(|l| first + l.min(count - 1));
        let vector =
            |all: [[f32; 3]; 8]| V8(std::array::from_fn(|c| F8::new(&std::array::from_fn(|l| all[l][c]))));
        let plates = places.map(|k| flies.plates[k]);
        let over = |k: usize| flies.over.get(k).copied().unwrap_or(1.0);
        let all = Eight {
            radius: F8::new(&plates.map(|p| p.radius)),
            mass: F8::new(&plates.map(|p| p.mass)),
            drag: F8::new(&places.map(|k| self.drag * over(k))),
            air: vector(places.map(|k| air[k].xyz())),
            pull: V8::splat(self.pull),
        };
        let mut turned = Turned::of(&std::array::from_fn(|l| turns[l.min(count - 1)]));
        let to = all.flown(vector(places.map(begins)), &mut turned, self.dt).0.map(F8::array);
        turned.put(turns);
        std::array::from_fn(|l| [0, 1, 2].map(|c| to[c][l]))
    }
}
