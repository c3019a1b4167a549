//! What moves: the points of a body, in parallel arrays in the order of its parts.
use crate::body::Body;
use crate::damping::Rigid;
use crate::inputs::Gas;
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
    /// What its chambers hold.
    pub(crate) gas: Vec<Gas>,
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
const PER_CHAMBER: usize = 3 * 8;

/// What a frame may change.
pub(crate) struct Remembered {
    moving: [Vec<Record>; 5],
    loads: Vec<f32>,
    gas: Vec<Gas>,
    rigid: Rigid,
    tangled: bool,
    dt: f32,
}

impl State {
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
        Remembered {
            moving,
            loads: self.loads.times.clone(),
            gas: self.gas.clone(),
            rigid: self.rigid,
            tangled: self.tangled,
            dt: self.dt,
        }
    }

    pub(crate) fn recall(&mut self, r: &Remembered) {
        [self.x, self.v, self.was, self.way, self.remainder] = r.moving.clone();
        self.loads.set(r.loads.clone());
        self.gas.clone_from(&r.gas);
        (self.rigid, self.tangled, self.dt) = (r.rigid, r.tangled, r.dt);
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

    /// The mean of the positions, metres.
    pub fn middle(&self, body: &Body) -> [f64; 3] {
        let mut sum = [0.0; 3];
        for x in &self.x[..body.points()] {
            (0..3).for_each(|c| sum[c] += f64::from(x.0[c]));
        }
        sum.map(|s| s / body.points().max(1) as f64)
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
        &self.gas
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
        for Gas { pressure, amount, volume } in &self.gas {
            [pressure, amount, volume].iter().for_each(|n| out.extend(n.to_le_bytes()));
        }
        self.rigid.write(&mut out);
        out.extend(self.dt.to_le_bytes());
        out.push(u8::from(self.tangled));
        out
    }

    /// Bytes of a snapshot of a body.
    pub fn snapshot_size(body: &Body) -> usize {
        body.points() * PER_POINT + body.model.chambers() * PER_CHAMBER + Rigid::BYTES + 5
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
        let chambers = body.points() * PER_POINT;
        for (k, gas) in state.gas.iter_mut().enumerate() {
            let double = |of: usize| {
                let at = chambers + k * PER_CHAMBER + 8 * of;
                f64::from_le_bytes(std::array::from_fn(|b| snapshot[at + b]))
            };
            *gas = Gas { pressure: double(0), amount: double(1), volume: double(2) };
        }
        state.rigid = Rigid::read(&snapshot[chambers + state.gas.len() * PER_CHAMBER..]);
        state.dt = number(State::snapshot_size(body) - 5);
        state.tangled = snapshot.last() != Some(&0);
        Ok(state)
    }
}
