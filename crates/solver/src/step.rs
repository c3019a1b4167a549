//! One frame: its sub-steps, and the phases of each in order.
use crate::build::{Cloth, Work};
use crate::constraint::{Points, Scale, bend, membrane, yarn};
use crate::contact::floor;
use crate::damping::{Rigid, Sums};
use crate::inputs::{Floor, FrameInputs};
use crate::simd::Record;
use crate::state::State;
use crate::watch::{Phase, Watch};
use crate::{AIR_DENSITY, air};
use rayon::prelude::*;

/// Air is sampled about so often, seconds: it changes slower than the cloth.
const AIR_EVERY: f64 = 1.0 / 50.0;

/// How often a sub-step meets the yarns of both directions: at a corner that holds a whole side they
/// pull against each other. Three bring the strain of a 60x40 canopy in a squall, at its worst point,
/// from 197 % to 32 %; each costs a twentieth of a frame.
const YARN_ROUNDS: usize = 3;
/// Groups of yarns that one thread takes at least.
const YARN_SHARE: usize = 4;

/// Moves a body through one frame, on the threads of the pool that calls it.
///
/// # Errors
/// When the motion explodes: the state is then what it was when the frame began.
pub fn step(
    cloth: &Cloth,
    state: &mut State,
    frame: &FrameInputs,
    watch: &impl Watch,
) -> Result<(), Exploded> {
    let before = state.clone();
    let substeps = frame.substeps.max(1);
    let dt = frame.duration / f64::from(substeps);
    let sample_every = ((AIR_EVERY / dt).floor() as u32).max(1);
    let s = Substep::new(cloth, frame, dt as f32);
    for k in 0..substeps {
        if s.airy && k % sample_every == 0 {
            let span = f64::from(sample_every.min(substeps - k)) * dt;
            let t = frame.start + f64::from(k) * dt + 0.5 * span;
            air::sample(cloth, state, frame, t, watch);
        }
        s.run(k, state, watch);
    }
    Exploded::check(cloth, state, frame).inspect_err(|_| *state = before)
}

/// What all sub-steps of a frame have in common.
struct Substep<'a> {
    cloth: &'a Cloth,
    scale: Scale,
    gravity: [f32; 3],
    floor: Option<Floor>,
    /// Share of relative velocity kept over a sub-step.
    kept: f32,
    /// Whether there is moving air to sample.
    airy: bool,
    /// Whether air acts at all.
    drag: bool,
}

impl<'a> Substep<'a> {
    fn new(cloth: &'a Cloth, frame: &FrameInputs, dt: f32) -> Self {
        let m = &cloth.matter;
        let scale = Scale {
            dt,
            per_dt2: 1.0 / (dt * dt),
            drag: 0.5 * AIR_DENSITY * m.drag,
            lift: 0.5 * AIR_DENSITY * m.lift,
            per_weight: 1.0 / m.areal_weight,
        };
        Substep {
            cloth,
            scale,
            gravity: frame.gravity,
            floor: frame.floor.map(|f| Floor { friction: f.friction.max(m.friction), ..f }),
            kept: libm::exp(-f64::from(m.damping) * f64::from(dt)) as f32,
            airy: !frame.winds.is_empty() || !frame.turbulence.is_empty(),
            drag: m.drag > 0.0 || m.lift > 0.0,
        }
    }

    fn run(&self, number: u32, state: &mut State, watch: &impl Watch) {
        let rigid = state.rigid;
        let all = Arrays::of(state);
        self.part(0, all, &rigid, watch);
        state.pull.iter_mut().flatten().for_each(|m| m.fill([0.0; 8]));
        // Whoever comes last is met best: the directions take turns.
        for round in 0..2 * YARN_ROUNDS {
            let direction = (number as usize + round) % 2;
            self.yarns(direction, all, &mut state.pull[direction], watch);
        }
        let sums = self.finish(0, all, watch);
        state.rigid = if self.kept < 1.0 { sums.rigid() } else { rigid };
    }

    /// A leaf moves its points and meets its constraints; a larger part meets those across its halves.
    fn part(&self, part: usize, all: Arrays, rigid: &Rigid, watch: &impl Watch) {
        let p = &self.cloth.parts.tree[part];
        match p.halves {
            Some([a, b]) => {
                rayon::join(|| self.part(a, all, rigid, watch), || self.part(b, all, rigid, watch));
            }
            None => watch.during(Phase::Predict, || self.predict(p.from, p.to, all, rigid)),
        }
        let Work { membrane, bend } = &self.cloth.work[part];
        let points = Points { x: all.x, flow: all.flow };
        // Safety, for both: this part is ours until we return; see `Points`.
        watch.during(Phase::Membrane, || match self.cloth.stretchy {
            true => membrane
                .iter()
                .for_each(|g| unsafe { membrane::solve::<true>(g, points, self.scale, self.drag) }),
            false => membrane
                .iter()
                .for_each(|g| unsafe { membrane::solve::<false>(g, points, self.scale, self.drag) }),
        });
        watch.during(Phase::Bend, || match self.cloth.curved {
            true => bend.iter().for_each(|g| unsafe { bend::solve::<true>(g, points, self.scale) }),
            false => bend.iter().for_each(|g| unsafe { bend::solve::<false>(g, points, self.scale) }),
        });
    }

    /// Chains of one direction share no point, so all may go at once.
    fn yarns(&self, direction: usize, all: Arrays, pull: &mut [Vec<[f32; 8]>], watch: &impl Watch) {
        let points = Points { x: all.x, flow: all.flow };
        let groups = &self.cloth.yarns[direction];
        groups.par_iter().zip(pull).with_min_len(YARN_SHARE).for_each_init(Vec::new, |passed, (g, pull)| {
            // Safety: the points of a chain are in no other of its direction; spare ones are the group's own.
            watch.during(Phase::Yarn, || unsafe { yarn::solve(g, points, self.scale.per_dt2, passed, pull) });
        });
    }

    /// Velocities take gravity and damping, and carry the points along.
    fn predict(&self, from: usize, to: usize, all: Arrays, rigid: &Rigid) {
        let dt = self.scale.dt;
        for k in from..to {
            // Safety: the points of a leaf are touched by no other.
            let (x, free, v, air, flow) = unsafe { all.at(k) };
            (0..3).for_each(|c| flow.0[c] = air.0[c] - v.0[c]);
            *free = *x;
            if x.0[3] == 0.0 {
                continue;
            }
            if self.kept < 1.0 {
                let r = rigid.at(x.xyz());
                (0..3).for_each(|c| v.0[c] = r[c] + (v.0[c] - r[c]) * self.kept);
            }
            for c in 0..3 {
                v.0[c] += self.gravity[c] * dt;
                x.0[c] += v.0[c] * dt;
            }
            *free = *x;
        }
    }

    /// Points meet the floor; velocities change by how far the points were kept from where those led.
    /// (The change, and not the way made over dt, so that far from the origin a free flight stays exact.)
    fn finish(&self, part: usize, all: Arrays, watch: &impl Watch) -> Sums {
        let p = &self.cloth.parts.tree[part];
        if let Some([a, b]) = p.halves {
            let (mut s, t) = rayon::join(|| self.finish(a, all, watch), || self.finish(b, all, watch));
            s.add(&t);
            return s;
        }
        watch.during(Phase::Finish, || {
            let per_dt = 1.0 / self.scale.dt;
            for k in p.from..p.to {
                // Safety: the points of a leaf are touched by no other.
                let (x, free, v, _, _) = unsafe { all.at(k) };
                if let Some(f) = self.floor {
                    floor::meet(x, free, v, f, 0.5 * self.cloth.matter.thickness, self.scale.dt);
                }
                (0..3).for_each(|c| v.0[c] += (x.0[c] - free.0[c]) * per_dt);
            }
            if self.kept == 1.0 {
                return Sums::default();
            }
            // Safety: as above; nobody writes these points now.
            let (x, v) = unsafe {
                let n = p.to - p.from;
                (
                    std::slice::from_raw_parts(all.x.add(p.from), n),
                    std::slice::from_raw_parts(all.v.add(p.from), n),
                )
            };
            Sums::of(x, v, |k| self.cloth.mass[p.from + k])
        })
    }
}

/// The arrays of a state, shared between threads that each touch points of their own part.
#[derive(Clone, Copy)]
struct Arrays {
    x: *mut Record,
    free: *mut Record,
    v: *mut Record,
    air: *const Record,
    flow: *mut Record,
}

// Safety: see `constraint::Points`.
unsafe impl Send for Arrays {}
unsafe impl Sync for Arrays {}

impl Arrays {
    fn of(s: &mut State) -> Arrays {
        Arrays {
            x: s.x.as_mut_ptr(),
            free: s.free.as_mut_ptr(),
            v: s.v.as_mut_ptr(),
            air: s.air.as_ptr(),
            flow: s.flow.as_mut_ptr(),
        }
    }

    /// Safety: `k` is a point that no other thread touches.
    #[inline(always)]
    #[allow(clippy::type_complexity, reason = "one point of five parallel arrays, used on the spot")]
    unsafe fn at<'a>(
        self,
        k: usize,
    ) -> (&'a mut Record, &'a mut Record, &'a mut Record, &'a Record, &'a mut Record) {
        unsafe {
            (
                &mut *self.x.add(k),
                &mut *self.free.add(k),
                &mut *self.v.add(k),
                &*self.air.add(k),
                &mut *self.flow.add(k),
            )
        }
    }
}

/// The motion left the world: beyond 10 km, faster than 2 km/s, or not a number.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("point {point} left the world ({why}); the likely cause: {cause}")]
pub struct Exploded {
    /// The first such point, as given.
    pub point: usize,
    pub why: &'static str,
    pub cause: Cause,
}

/// What most likely drove an explosion.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum Cause {
    #[error("air faster than 200 m/s. Lower the wind or the turbulence")]
    Air,
    #[error("gravity of more than 200 m/s². Lower it")]
    Gravity,
    #[error("it falls free, with nothing to hold or stop it. Hold some points, or put a floor under it")]
    Fall,
    #[error("too few sub-steps for so stiff or light a matter. Raise the sub-steps or soften the matter")]
    Stiffness,
}

impl Exploded {
    fn check(cloth: &Cloth, state: &State, frame: &FrameInputs) -> Result<(), Exploded> {
        let wild = |r: &Record, most: f32| r.xyz().iter().any(|c| c.is_nan() || c.abs() > most);
        for place in 0..cloth.points() {
            let why = match () {
                () if !state.x[place].xyz().iter().all(|c| c.is_finite()) => "its place is not a number",
                () if wild(&state.x[place], 10_000.0) => "it is more than 10 km away",
                () if wild(&state.v[place], 2_000.0) => "it is faster than 2 km/s",
                () => continue,
            };
            let strength = |v: [f32; 3]| v.iter().map(|c| c * c).sum::<f32>().sqrt();
            let air = frame.winds.iter().map(|w| strength(w.velocity)).sum::<f32>()
                + frame.turbulence.iter().map(|t| t.strength).sum::<f32>();
            let free = state.x[..cloth.points()].iter().all(|r| r.0[3] > 0.0) && frame.floor.is_none();
            let cause = match () {
                () if air.is_nan() || air > 200.0 => Cause::Air,
                () if strength(frame.gravity).is_nan() || strength(frame.gravity) > 200.0 => Cause::Gravity,
                () if free => Cause::Fall,
                () => Cause::Stiffness,
            };
            return Err(Exploded { point: cloth.given(place), why, cause });
        }
        Ok(())
    }
}
