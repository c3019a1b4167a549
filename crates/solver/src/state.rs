//! What moves: the points of a body, in parallel arrays in the order of its parts.
use crate::Cloth;
use crate::damping::Rigid;
use crate::load::Loads;
use crate::simd::Record;

/// Where the points are and how fast. Made by [`Cloth::start`]; belongs to that cloth.
#[derive(Clone, Debug)]
pub struct State {
    /// x, y, z in metres and the inverse mass in 1/kg, 0 where held.
    pub(crate) x: Vec<Record>,
    /// Where the point's velocity alone takes it in a sub-step; scratch.
    pub(crate) free: Vec<Record>,
    /// m/s.
    pub(crate) v: Vec<Record>,
    /// Air at the point, m/s; scratch, sampled anew within each frame.
    pub(crate) air: Vec<Record>,
    /// Air relative to the point, m/s; scratch.
    pub(crate) flow: Vec<Record>,
    /// Pull of each yarn's edges within a sub-step; scratch.
    pub(crate) chain_multipliers: [Vec<crate::constraint::yarn::ChainMultipliers>; 2],
    /// Pulls of the triangles of each part within a sub-step; scratch, empty where yarns have them.
    pub(crate) multipliers: Vec<Vec<crate::constraint::membrane::Multipliers>>,
    /// Nodes of the lattices; scratch.
    pub(crate) coarse: Vec<crate::coarse::Scratch>,
    /// Forces of the patches and scratch of their system.
    pub(crate) push: Vec<Record>,
    pub(crate) plate: Vec<Record>,
    /// Strain along warp and weft at each point when a sub-step began; scratch, kept where they act on each
    /// other.
    pub(crate) strain: Vec<Record>,
    /// What lengths and folds at rest were multiplied by at the end of the last frame.
    pub(crate) stretched: [f32; 2],
    /// How far the body was carried in the last frame, beyond where it was going, metres; 0 where it was not.
    pub(crate) leapt: f32,
    /// Where the points were when the sub-step began; scratch.
    pub(crate) start: Vec<Record>,
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

/// Why bytes are no snapshot of this cloth.
#[derive(Debug, PartialEq, Eq, thiserror::Error)]
#[error("a snapshot of this body has {expected} bytes, and this has {found}")]
pub struct SnapshotError {
    pub expected: usize,
    pub found: usize,
}

const PER_POINT: usize = 13 * 4;

/// What a frame may change.
pub(crate) struct Remembered {
    moving: [Vec<Record>; 4],
    loads: Vec<f32>,
    stretched: [f32; 2],
    rigid: Rigid,
    tangled: bool,
    dt: f32,
}

impl State {
    /// Whether a sub-step of so many seconds goes on from one as long.
    pub(crate) fn goes_on(&self, dt: f32) -> bool {
        self.dt == dt
    }

    pub(crate) fn remember(&self) -> Remembered {
        let moving = [&self.x, &self.v, &self.was, &self.way].map(Vec::clone);
        Remembered {
            moving,
            loads: self.loads.times.clone(),
            stretched: self.stretched,
            rigid: self.rigid,
            tangled: self.tangled,
            dt: self.dt,
        }
    }

    pub(crate) fn recall(&mut self, r: &Remembered) {
        [self.x, self.v, self.was, self.way] = r.moving.clone();
        self.loads.set(r.loads.clone());
        (self.rigid, self.tangled, self.dt, self.stretched) = (r.rigid, r.tangled, r.dt, r.stretched);
    }

    /// Positions in metres, in the order of the points as they were given.
    pub fn positions(&self, cloth: &Cloth) -> Vec<[f32; 3]> {
        cloth.scatter(&self.x)
    }

    /// Velocities in m/s, in the order of the points as they were given.
    pub fn velocities(&self, cloth: &Cloth) -> Vec<[f32; 3]> {
        cloth.scatter(&self.v)
    }

    /// Sets the velocity of every point that is not held, m/s.
    pub fn set_velocities(&mut self, cloth: &Cloth, velocity: impl Fn([f32; 3]) -> [f32; 3]) {
        for k in 0..cloth.points() {
            if self.x[k].0[3] > 0.0 {
                let [a, b, c] = velocity(self.x[k].xyz());
                self.v[k] = Record([a, b, c, 0.0]);
            }
        }
        self.dt = 0.0;
        self.rigid = cloth.rigid(self);
    }

    /// All that the next frame depends on, bit for bit, little-endian.
    pub fn snapshot(&self, cloth: &Cloth) -> Vec<u8> {
        let mut out = Vec::with_capacity(cloth.points() * PER_POINT + Rigid::BYTES + 5);
        for k in 0..cloth.points() {
            for of in [&self.x, &self.v, &self.was, &self.way] {
                of[k].xyz().iter().for_each(|c| out.extend(c.to_le_bytes()));
            }
            out.extend(self.loads.times[k].to_le_bytes());
        }
        self.rigid.write(&mut out);
        out.extend(self.dt.to_le_bytes());
        out.push(u8::from(self.tangled));
        out
    }

    /// Bytes of a snapshot of a cloth.
    pub fn snapshot_size(cloth: &Cloth) -> usize {
        cloth.points() * PER_POINT + Rigid::BYTES + 5
    }

    /// The state that a snapshot was taken of.
    ///
    /// # Errors
    /// When the snapshot is not of a body with as many points.
    pub fn restore(cloth: &Cloth, snapshot: &[u8]) -> Result<State, SnapshotError> {
        let expected = State::snapshot_size(cloth);
        if snapshot.len() != expected {
            return Err(SnapshotError { expected, found: snapshot.len() });
        }
        let mut state = cloth.start();
        let number = |at: usize| f32::from_le_bytes(std::array::from_fn(|b| snapshot[at + b]));
        for k in 0..cloth.points() {
            for c in 0..3 {
                let at = |of: usize| number(k * PER_POINT + 12 * of + 4 * c);
                (state.x[k].0[c], state.v[k].0[c]) = (at(0), at(1));
                (state.was[k].0[c], state.way[k].0[c]) = (at(2), at(3));
            }
        }
        state.loads.set((0..cloth.points()).map(|k| number(k * PER_POINT + 48)).collect());
        state.rigid = Rigid::read(&snapshot[cloth.points() * PER_POINT..]);
        state.dt = number(State::snapshot_size(cloth) - 5);
        state.tangled = snapshot.last() != Some(&0);
        Ok(state)
    }
}
