//! What moves: the points of a body, in parallel arrays in the order of its parts.
use crate::Cloth;
use crate::damping::Rigid;
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
    pub(crate) pull: [Vec<crate::constraint::yarn::Pulls>; 2],
    /// Pulls of the triangles of each part within a sub-step; scratch, empty where yarns have them.
    pub(crate) pulls: Vec<Vec<crate::constraint::membrane::Pulls>>,
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
    /// Where the points were when the sub-step began; scratch, kept where there is contact.
    pub(crate) start: Vec<Record>,
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

const PER_POINT: usize = 6 * 4;

impl State {
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
        self.rigid = cloth.rigid(self);
    }

    /// All that the next frame depends on, bit for bit, little-endian.
    pub fn snapshot(&self, cloth: &Cloth) -> Vec<u8> {
        let mut out = Vec::with_capacity(cloth.points() * PER_POINT + Rigid::BYTES);
        for k in 0..cloth.points() {
            for c in self.x[k].xyz().into_iter().chain(self.v[k].xyz()) {
                out.extend(c.to_le_bytes());
            }
        }
        self.rigid.write(&mut out);
        out.push(u8::from(self.tangled));
        out
    }

    /// Bytes of a snapshot of a cloth.
    pub fn snapshot_size(cloth: &Cloth) -> usize {
        cloth.points() * PER_POINT + Rigid::BYTES + 1
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
                state.x[k].0[c] = number(k * PER_POINT + 4 * c);
                state.v[k].0[c] = number(k * PER_POINT + 12 + 4 * c);
            }
        }
        state.rigid = Rigid::read(&snapshot[cloth.points() * PER_POINT..]);
        state.tangled = snapshot.last() != Some(&0);
        Ok(state)
    }
}
