//! What moves: the points of a body, in parallel arrays in the order of its parts.
use crate::body::Body;
use crate::damping::Rigid;
use crate::inputs::{Comings, Gas};
use crate::load::Loads;
use crate::model::Own;
use crate::simd::{Record, two_sum};
use rayon::prelude::*;

/// Where the points are and how fast. Made by [`Body::start`]; belongs to that body.
#[derive(Clone, Debug)]
pub struct State {
    /// x, y, z in metres and the inverse mass in 1/kg, 0 where held.
    pub(crate) x: Vec<Record>,
    /// What the point's velocity alone gains in a sub-step; while contact works, where that was handed the point; scratch.
    pub(crate) free: Vec<Record>,
    /// m/s.
    pub(crate) v: Vec<Record>,
    /// Air at the point, m/s; scratch, sampled anew within each frame.
    pub(crate) air: Vec<Record>,
    /// What pushes at the point, m/s²; scratch, sampled with the air; empty where nothing does.
    pub(crate) push: Vec<Record>,
    /// Air relative to the point, m/s; scratch.
    pub(crate) flow: Vec<Record>,
    /// What the model of the body keeps beside the points.
    pub(crate) own: Own,
    /// Points that are not there: not yet, or not any more. They stand still and touch nothing. Empty where all stay.
    pub(crate) away: Vec<bool>,
    /// How far the body was carried in the last frame, beyond where it was going, metres; 0 where it was not.
    pub(crate) leapt: f32,
    /// Where the points were when the sub-step began; scratch.
    pub(crate) start: Vec<Record>,
    /// What they gained since, metres, with their inverse masses as the sub-step counts them; scratch. Apart from where
    /// they were, for added to that it would lose what is smaller than its last bit: the more, the shorter the sub-step.
    pub(crate) gained: Vec<Record>,
    /// What the places lack at the end of a sub-step, metres: smaller than their last bits.
    pub(crate) remainder: Vec<Record>,
    /// Velocities of the sub-step before, m/s.
    pub(crate) was: Vec<Record>,
    /// The last sub-step's way, metres.
    pub(crate) way: Vec<Record>,
    /// How long it was, seconds; 0 where nothing is remembered of it.
    pub(crate) dt: f32,
    /// What colliders carry by its points.
    pub(crate) loads: Loads,
    /// How many points there are, spare ones left out.
    pub(crate) points: usize,
    /// Whether it is not yet known that it crosses nothing.
    pub(crate) tangled: bool,
    /// The body's own motion as a whole, after the last sub-step.
    pub(crate) rigid: Rigid,
}

/// Why bytes are no snapshot of this body.
#[derive(Debug, PartialEq, Eq, thiserror::Error)]
#[error("a snapshot of this body has {expected} bytes, and this has {found}")]
pub struct SnapshotError {
    pub expected: usize,
    pub found: usize,
}

const PER_POINT: usize = 16 * 4;
/// Points that one thread takes at least.
const RUN: usize = 2048;

/// What a frame may change.
pub(crate) struct Remembered {
    moving: [Vec<Record>; 5],
    loads: Vec<f32>,
    away: Vec<bool>,
    own: Vec<u8>,
    rigid: Rigid,
    tangled: bool,
    dt: f32,
}

impl State {
    /// Whether the place of a point is not a number.
    pub(crate) fn is_lost(&self) -> bool {
        self.x[..self.points].iter().any(|x| !(x.0[0] + x.0[1] + x.0[2]).is_finite())
    }

    /// Whether a sub-step of so many seconds goes on from one as long.
    pub(crate) fn goes_on(&self, dt: f32) -> bool {
        self.dt == dt
    }

    /// Puts the points where what they gained takes them.
    pub(crate) fn place(&mut self) {
        let each = self.x.par_iter_mut().zip(&self.start).zip(&self.gained).with_min_len(RUN);
        each.for_each(|((x, start), gained)| (0..3).for_each(|c| x.0[c] = start.0[c] + gained.0[c]));
    }

    pub(crate) fn remember(&self) -> Remembered {
        let moving = [&self.x, &self.v, &self.was, &self.way, &self.remainder].map(Vec::clone);
        let mut own = vec![];
        self.own.write(&mut own);
        Remembered {
            moving,
            loads: self.loads.times.clone(),
            away: self.away.clone(),
            own,
            rigid: self.rigid,
            tangled: self.tangled,
            dt: self.dt,
        }
    }

    pub(crate) fn recall(&mut self, r: &Remembered) {
        [self.x, self.v, self.was, self.way, self.remainder] = r.moving.clone();
        self.loads.set(r.loads.clone());
        self.away.clone_from(&r.away);
        self.own.read(&r.own);
        (self.rigid, self.tangled, self.dt) = (r.rigid, r.tangled, r.dt);
    }

    /// Goes on so many times as fast, as if it had come so; with 0 it stands.
    pub fn slow(&mut self, to: f32) {
        for all in [&mut self.v, &mut self.was, &mut self.way] {
            all.iter_mut().for_each(|r| (0..3).for_each(|c| r.0[c] *= to));
        }
        self.leapt *= to;
    }

    /// Positions in metres, in the order of the points as they were given.
    pub fn positions(&self, body: &Body) -> Vec<[f32; 3]> {
        body.scatter(&self.x)
    }

    /// The same to the last bit and told from elsewhere: `origin` is where they are told from here.
    pub fn places(&self, body: &Body, origin: [f64; 3]) -> Vec<[f64; 3]> {
        let at = |x: f32, remainder: f32, c: usize| origin[c] + (f64::from(x) + f64::from(remainder));
        let (x, remainder) = (body.scatter(&self.x), body.scatter(&self.remainder));
        x.iter().zip(&remainder).map(|(x, r)| std::array::from_fn(|c| at(x[c], r[c], c))).collect()
    }

    /// The mean of the positions of what is there, metres.
    pub fn middle(&self, body: &Body) -> [f64; 3] {
        let (mut sum, mut count) = ([0.0; 3], 0usize);
        for (_, x) in self.x[..body.points()].iter().enumerate().filter(|(k, _)| !self.is_away(*k)) {
            (0..3).for_each(|c| sum[c] += f64::from(x.0[c]));
            count += 1;
        }
        sum.map(|s| s / count.max(1) as f64)
    }

    /// Whether the point at a place is not there.
    pub(crate) fn is_away(&self, place: usize) -> bool {
        self.away.get(place).is_some_and(|away| *away)
    }

    /// How many points are there.
    pub(crate) fn present(&self) -> usize {
        self.points - self.away.iter().filter(|away| **away).count()
    }

    /// The points that are there, as given; `None` where all always are.
    pub fn there(&self, body: &Body) -> Option<Vec<u32>> {
        let all = 0..body.given_points() as u32;
        (!self.away.is_empty()).then(|| all.filter(|p| !self.is_away(body.place(*p) as usize)).collect())
    }

    /// How the points are turned, as given, x, y, z, w; `None` where they have no turn.
    pub fn turns(&self, body: &Body) -> Option<Vec<[f32; 4]>> {
        let Own::Free(own) = &self.own else { return None };
        (0..body.given_points() as u32).map(|p| own.turned(body.place(p) as usize)).collect()
    }

    /// Points come and leave where a frame ends, under what pulls them, m/s².
    pub(crate) fn pass(&mut self, body: &Body, now: &Comings, pull: [f32; 3]) {
        if self.away.is_empty() {
            return;
        }
        for p in now.gone.iter() {
            let k = body.place(*p) as usize;
            self.away[k] = true;
            self.x[k].0[3] = 0.0;
            for of in [&mut self.v, &mut self.was, &mut self.way, &mut self.remainder] {
                of[k] = Record::default();
            }
            self.loads.times[k] = 1.0;
        }
        for b in &now.born {
            let k = body.place(b.point) as usize;
            let [x, y, z] = b.position;
            let v = b.velocity;
            self.away[k] = false;
            self.x[k] = Record([x, y, z, 1.0 / body.mass[k]]);
            // As if it had flown free in the sub-step before.
            let dt = self.dt;
            let before: [f32; 3] = std::array::from_fn(|c| v[c] - dt * pull[c]);
            let way: [f32; 3] = std::array::from_fn(|c| dt * (v[c] - 0.5 * dt * pull[c]));
            let record = |v: [f32; 3]| Record([v[0], v[1], v[2], 0.0]);
            (self.v[k], self.was[k], self.way[k]) = (record(v), record(before), record(way));
            self.remainder[k] = Record::default();
            self.loads.times[k] = 1.0;
        }
    }

    /// What its model keeps, for that to work with; it has to be given back.
    pub(crate) fn lend(&mut self) -> Own {
        std::mem::replace(&mut self.own, Own::Lent)
    }

    /// Tells all places from elsewhere: moves them by whole metres, so that nothing is lost.
    pub fn shift(&mut self, by: [f64; 3]) {
        let by32 = by.map(|c| c as f32);
        for (x, remainder) in self.x.iter_mut().zip(&mut self.remainder).take(self.points) {
            for c in 0..3 {
                let (to, lost) = two_sum(x.0[c], by32[c]);
                (x.0[c], remainder.0[c]) = two_sum(to, lost + remainder.0[c]);
            }
        }
        (0..3).for_each(|c| self.rigid.centre[c] += by[c]);
    }

    /// Velocities in m/s, in the order of the points as they were given.
    pub fn velocities(&self, body: &Body) -> Vec<[f32; 3]> {
        body.scatter(&self.v)
    }

    /// What its chambers hold, in their order.
    pub fn gas(&self) -> &[Gas] {
        self.own.gas()
    }

    /// Sets the velocity of every point that is not held, m/s.
    pub fn set_velocities(&mut self, body: &Body, velocity: impl Fn([f32; 3]) -> [f32; 3]) {
        for k in 0..body.points() {
            if self.x[k].0[3] > 0.0 {
                let [a, b, c] = velocity(self.x[k].xyz());
                self.v[k] = Record([a, b, c, 0.0]);
            }
        }
        self.dt = 0.0;
        self.rigid = body.rigid(self);
    }

    /// All that the next frame depends on, bit for bit, little-endian.
    pub fn snapshot(&self, body: &Body) -> Vec<u8> {
        let mut out = Vec::with_capacity(body.points() * PER_POINT + Rigid::BYTES + 5);
        for k in 0..body.points() {
            for of in [&self.x, &self.v, &self.was, &self.way, &self.remainder] {
                of[k].xyz().iter().for_each(|c| out.extend(c.to_le_bytes()));
            }
            out.extend(self.loads.times[k].to_le_bytes());
        }
        self.own.write(&mut out);
        out.extend(self.away.iter().map(|a| u8::from(*a)));
        self.rigid.write(&mut out);
        out.extend(self.dt.to_le_bytes());
        out.push(u8::from(self.tangled));
        out
    }

    /// Bytes of a snapshot of a body.
    pub fn snapshot_size(body: &Body) -> usize {
        let away = if body.comes { body.points() } else { 0 };
        body.points() * PER_POINT + body.model.size() + away + Rigid::BYTES + 5
    }

    /// The state that a snapshot was taken of.
    ///
    /// # Errors
    /// When the snapshot is not of a body with as many points.
    pub fn restore(body: &Body, snapshot: &[u8]) -> Result<State, SnapshotError> {
        let expected = State::snapshot_size(body);
        if snapshot.len() != expected {
            return Err(SnapshotError { expected, found: snapshot.len() });
        }
        let mut state = body.start();
        let number = |at: usize| f32::from_le_bytes(std::array::from_fn(|b| snapshot[at + b]));
        for k in 0..body.points() {
            for c in 0..3 {
                let at = |of: usize| number(k * PER_POINT + 12 * of + 4 * c);
                (state.x[k].0[c], state.v[k].0[c]) = (at(0), at(1));
                (state.was[k].0[c], state.way[k].0[c], state.remainder[k].0[c]) = (at(2), at(3), at(4));
            }
        }
        state.loads.set((0..body.points()).map(|k| number(k * PER_POINT + 60)).collect());
        let own = body.points() * PER_POINT;
        let after = own + body.model.size();
        state.own.read(&snapshot[own..after]);
        for (k, away) in state.away.iter_mut().enumerate() {
            *away = snapshot[after + k] != 0;
            // What is there weighs what it weighs, and nothing moves what is not.
            let held = body.held && body.rest[k].0[3] == 0.0;
            state.x[k].0[3] = if *away || held { 0.0 } else { 1.0 / body.mass[k] };
        }
        state.rigid = Rigid::read(&snapshot[after + state.away.len()..]);
        state.dt = number(State::snapshot_size(body) - 5);
        state.tangled = snapshot.last() != Some(&0);
        Ok(state)
    }
}
