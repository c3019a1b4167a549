//! One frame: its sub-steps, and the phases of each in order.
//!
//! Long, because the phases stand here in their order, each with the arrays it shares with the next.
use crate::build::{Cloth, Work};
use crate::coarse;
use crate::constraint::prolonged::Prolonged;
use crate::constraint::{Points, Scale, bend, cell, membrane, patch, yarn};
use crate::contact::Contact;
use crate::damping::{Rigid, Sums};
use crate::elimination::Factor;
use crate::exploded::Exploded;
use crate::inputs::{FrameInputs, GripMotion, RestMotion, Scaled};
use crate::load::Loads;
use crate::simd::{Record, Shared};
use crate::state::State;
use crate::watch::{Phase, Watch};
use crate::{AIR_DENSITY, air, leap, race};
use rayon::prelude::*;
use std::sync::Arc;

/// Points that one thread takes at least.
const RUN: usize = 1024;

/// Air is sampled about so often, seconds: it changes slower than the cloth.
const AIR_EVERY: f64 = 1.0 / 50.0;

/// How a sub-step takes points and velocities along: by what of the last way, of the velocity and of the one before,
/// and of gravity.
struct Scheme {
    x: [f32; 4],
    v: [f32; 3],
    /// In which part of the sub-step's time what holds the points together acts.
    balance: f32,
}

/// A motion's first sub-step, and the first of another length, is implicit Euler's.
const EULER: Scheme = Scheme { x: [0.0, 1.0, 0.0, 1.0], v: [1.0, 0.0, 1.0], balance: 1.0 };
/// All others go by the second backward difference (K.-J. Choi, H.-S. Ko, "Stable but Responsive Cloth", 2002,
/// eq. 12): it keeps motion that Euler's would damp, and like that lets nothing stiff ring.
/// x = x₀ + p/3 + h (8/9 v₀ - 2/9 v₋₁) + 4/9 h² a,  v = 4/3 v₀ - 1/3 v₋₁ + 2/3 h a, with p = x₀ - x₋₁.
const BACKWARD: Scheme = Scheme {
    x: [1.0 / 3.0, 8.0 / 9.0, -2.0 / 9.0, 4.0 / 9.0],
    v: [4.0 / 3.0, -1.0 / 3.0, 2.0 / 3.0],
    balance: 2.0 / 3.0,
};

/// By whether a motion goes on.
const SCHEMES: [&Scheme; 2] = [&EULER, &BACKWARD];

/// What the levels are told in a sub-step of `dt` seconds that goes on, at a rest that is multiplied.
pub(crate) fn goes_on(dt: f32, [rest, folds]: [f32; 2]) -> Scale {
    let dt = BACKWARD.balance * dt;
    Scale { dt, per_dt2: 1.0 / (dt * dt), rest, folds, ..Scale::default() }
}

/// How often a sub-step meets the yarns that come to where the cloth is held: there the directions pull
/// hardest against each other. The second round halves the strain of a canopy at its worst eyelet in a
/// squall, a third gives no more. All others are met once: the coarse levels have been there before.
const YARN_ROUNDS: usize = 3;
/// How often a sub-step meets triangles that have their stretch to themselves: mesh edges that don't run
/// along the threads make no yarns, and single triangles pass a pull on by one cell a round.
const TRIANGLE_ROUNDS: usize = 4;
/// Groups of yarns that one thread takes at least.
const YARN_SHARE: usize = 2;

/// Moves the bodies of an island through one frame, on the threads of the pool that calls it. One state a
/// cloth; `contact` is theirs.
///
/// # Errors
/// When the motion of one explodes, or the watch says to stop: all are then what they were when the frame began.
pub fn step(
    cloths: &[Cloth],
    states: &mut [State],
    contact: &mut Contact,
    frame: &FrameInputs,
    watch: &impl Watch,
) -> Result<(), Halt> {
    let before: Vec<_> = states.iter().map(State::remember).collect();
    let recall = |states: &mut [State]| states.iter_mut().zip(&before).for_each(|(s, b)| s.recall(b));
    contact.limit = Some(leap::MOST_PAIRS);
    let carried = leap::carry(cloths, states, frame, false);
    let mut done = through(cloths, states, contact, &carried, watch);
    if let Err(Cut::Crowded) = done {
        // Carried along, or let go on where nothing can be carried.
        recall(states);
        contact.limit = None;
        let carried = leap::carry(cloths, states, frame, true);
        done = through(cloths, states, contact, &carried, watch);
    }
    done.map_err(|cut| {
        recall(states);
        match cut {
            Cut::Halt(halt) => halt,
            // Without a limit nothing is crowded.
            Cut::Crowded => Halt::Stopped,
        }
    })
}

/// All sub-steps of a frame.
fn through(
    cloths: &[Cloth],
    states: &mut [State],
    contact: &mut Contact,
    frame: &FrameInputs,
    watch: &impl Watch,
) -> Result<(), Cut> {
    let substeps = frame.substeps.max(1);
    let dt = frame.duration / f64::from(substeps);
    let sample_every = ((AIR_EVERY / dt).floor() as u32).max(1);
    let each: Vec<Substep> =
        cloths.iter().enumerate().map(|(k, c)| Substep::new(c, k, frame, dt as f32)).collect();
    let touches = !contact.idle(frame);
    match touches {
        true => contact.begin(states, frame, watch),
        false => states.iter_mut().for_each(|s| s.loads.clear()),
    }
    for k in 0..substeps {
        if watch.stopped() {
            return Err(Halt::Stopped.into());
        }
        let [from, to] = [k, k + 1].map(|k| k as f32 / substeps as f32);
        for (s, state) in each.iter().zip(states.iter_mut()) {
            if s.airy && k % sample_every == 0 {
                let span = f64::from(sample_every.min(substeps - k)) * dt;
                let t = frame.start + f64::from(k) * dt + 0.5 * span;
                air::sample((s.cloth, s.number), state, frame, t, watch);
            }
        }
        if touches {
            contact.start(states, frame, to, dt as f32);
        }
        for (s, state) in each.iter().zip(states.iter_mut()) {
            s.run([from, to], state, watch);
            if touches {
                s.hand_over(state, watch);
            }
        }
        if touches {
            contact.resolve(cloths, states, frame, [from, to], dt as f32, watch)?;
            states.iter_mut().for_each(|s| s.loads.renew());
        }
        for (s, state) in each.iter().zip(states.iter_mut()) {
            s.end(touches, state, watch);
        }
    }
    for (s, state) in each.iter().zip(states.iter_mut()) {
        state.stretched = s.rests(1.0);
    }
    let check =
        |(body, (cloth, state))| Exploded::check(cloth, state, frame).err().map(|e| Exploded { body, ..e });
    let exploded = cloths.iter().zip(states.iter()).enumerate().find_map(check);
    match exploded {
        Some(e) => Err(Halt::Exploded(e).into()),
        None if watch.stopped() => Err(Halt::Stopped.into()),
        None => Ok(()),
    }
}

/// Why a frame was not computed.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum Halt {
    #[error(transparent)]
    Exploded(Exploded),
    #[error("stopped, for nobody waits for it any more")]
    Stopped,
}

/// Why a frame's sub-steps were not gone through.
pub(crate) enum Cut {
    Halt(Halt),
    /// More could meet on the way than a search may give: the frame begins anew, with what is jerked carried along.
    Crowded,
}

impl From<Halt> for Cut {
    fn from(halt: Halt) -> Cut {
        Cut::Halt(halt)
    }
}

/// What all sub-steps of a frame have in common.
struct Substep<'a> {
    cloth: &'a Cloth,
    /// Its number in the island.
    number: usize,
    /// Those of the first sub-step and of the others.
    scales: [Scale; 2],
    /// A sub-step, seconds.
    dt: f32,
    gravity: [f32; 3],
    /// Grips of this cloth that move, by places.
    grips: Vec<(&'a GripMotion, Vec<u32>)>,
    rest: Option<&'a RestMotion>,
    /// Share of relative velocity kept over a sub-step.
    kept: f32,
    /// The same for each point, where it differs.
    keeps: Vec<f32>,
    /// Whether there is moving air to sample.
    airy: bool,
    /// Whether air acts at all.
    drag: bool,
    /// The bends of each group of yarns, eliminated for this sub-step.
    bends: [Arc<[Vec<yarn::Bends>; 2]>; 2],
    /// The plate's system where sweeps fall short.
    plate: [Option<Arc<Factor>>; 2],
}

impl<'a> Substep<'a> {
    fn new(cloth: &'a Cloth, number: usize, frame: &'a FrameInputs, dt: f32) -> Self {
        let m = &cloth.matter;
        let least_weight =
            cloth.maps.of(Scaled::ArealWeight).iter().copied().reduce(f32::min).unwrap_or(1.0).min(1.0);
        let balances = SCHEMES.map(|s| s.balance * dt);
        let scales = balances.map(|balance| Scale {
            dt: balance,
            per_dt2: 1.0 / (balance * balance),
            drag: 0.5 * AIR_DENSITY * m.drag,
            lift: 0.5 * AIR_DENSITY * m.lift,
            whole_per_weight: dt / (m.areal_weight * least_weight),
            poisson: m.poisson,
            ..Scale::default()
        });
        let kept = |scale: f32| libm::exp(-f64::from(m.damping * scale) * f64::from(dt)) as f32;
        Substep {
            cloth,
            number,
            scales,
            dt,
            gravity: frame.gravity,
            grips: frame
                .grips
                .iter()
                .filter(|g| g.cloth == number)
                .map(|g| (g, g.points.iter().map(|&p| cloth.place(p)).collect()))
                .collect(),
            rest: frame.rests.iter().find(|r| r.cloth == number),
            kept: kept(1.0),
            keeps: cloth.maps.of(Scaled::Damping).iter().map(|s| kept(*s)).collect(),
            airy: !frame.fields.is_empty(),
            drag: m.drag > 0.0 || m.lift > 0.0,
            bends: balances.map(|b| cloth.bends(b)),
            plate: balances.map(|b| cloth.plate.direct(b)),
        }
    }

    /// Moves the body by itself; contact comes after.
    fn run(&self, moments: [f32; 2], state: &mut State, watch: &impl Watch) {
        let [rest, folds] = self.rests(moments[1]);
        let goes_on = usize::from(state.goes_on(self.dt));
        let scale = Scale { rest, folds, ..self.scales[goes_on] };
        if scale.poisson > 0.0 {
            watch.during(Phase::Yarn, || self.strain(rest, state));
        }
        let rigid = self.rigid(moments, state);
        state.rigid = rigid;
        let loads = std::mem::take(&mut state.loads);
        race::phase();
        self.predict_all(0, Arrays::of(state), (SCHEMES[goes_on], &loads), &rigid, watch);
        state.loads = loads;
        self.carry(moments[1], state);
        state.loads.weigh(&mut state.x);
        watch.during(Phase::Coarse, || {
            coarse::relax(&self.cloth.coarse, &state.x, &mut state.coarse, scale);
            coarse::prolong_to(&self.cloth.coarse, &mut state.x, state.loads.heavy(), &state.coarse);
        });
        let all = Arrays::of(state);
        let rounds = if self.cloth.stretchy { TRIANGLE_ROUNDS } else { 1 };
        let levels = std::mem::take(&mut state.coarse);
        let nothing = Prolonged::default();
        let prolonged = levels.first().map_or(&nothing, coarse::Scratch::prolonged);
        let multipliers = MultipliersOf { own: state.multipliers.as_mut_ptr(), prolonged };
        for round in 0..rounds {
            race::phase();
            self.part(0, all, multipliers, scale, [round == 0, self.plate[goes_on].is_none()], watch);
        }
        if let Some(factor) = &self.plate[goes_on] {
            watch.during(Phase::Bend, || self.plate(factor, scale, state));
        }
        // Whoever comes last is met best: the directions take turns.
        let all = Arrays::of(state);
        for round in 0..2 * YARN_ROUNDS {
            let direction = round % 2;
            let kept = (
                self.bends[goes_on][direction].as_slice(),
                state.chain_multipliers[direction].as_mut_slice(),
            );
            self.yarns(round, all, scale, kept, (&state.strain, prolonged), watch);
        }
        state.coarse = levels;
        state.loads.unweigh(&mut state.x, &state.start);
    }

    /// What lengths and folds at rest are multiplied by at a moment.
    fn rests(&self, moment: f32) -> [f32; 2] {
        let at = |[from, to]: [f32; 2]| from + moment * (to - from);
        self.rest.map_or([1.0; 2], |r| [at(r.scale), at(r.folds)])
    }

    /// Finds the strains that each direction answers the other's with.
    fn strain(&self, rest: f32, state: &mut State) {
        state.strain.resize(state.x.len(), Record::default());
        for (direction, groups) in self.cloth.yarns.iter().enumerate() {
            let (x, out) = (Shared::of(state.x.as_mut_ptr()), Shared::of(state.strain.as_mut_ptr()));
            race::phase();
            let task = race::task();
            groups.par_iter().enumerate().with_min_len(YARN_SHARE).for_each(|(k, g)| {
                // Safety: the points of a chain are in no other of its direction.
                race::within(&task, k, || unsafe { yarn::strains(g, x.get(), rest, direction, out.get()) });
            });
        }
    }

    /// How strains along and across change the rest lengths of a direction, if they do: a pull across of stress
    /// S shortens by ν S / √(K_u K_v), and S = K_v (ε_v + ν √(K_u/K_v) ε_u) / (1 - ν²).
    fn across<'s>(&self, direction: usize, strain: &'s [Record]) -> Option<yarn::Across<'s>> {
        let nu = self.cloth.matter.poisson;
        let k = self.cloth.matter.stretch;
        let ratio = (k[1 - direction] / k[direction].max(1e-12)).sqrt();
        let both = self.cloth.yarns.iter().all(|y| !y.is_empty());
        let takes = [nu * nu, nu * ratio].map(|t| t / (1.0 - nu * nu));
        (nu > 0.0 && both).then_some(yarn::Across { strain, takes, direction })
    }

    /// Before contact: velocities from where the body's own forces let the points come.
    fn hand_over(&self, state: &mut State, watch: &impl Watch) {
        let per_dt = 1.0 / self.scales[usize::from(state.goes_on(self.dt))].dt;
        watch.during(Phase::Finish, || {
            let n = state.points;
            state.loads.begin();
            let each = state.x[..n].par_iter().zip(&mut state.free[..n]).zip(&mut state.v[..n]);
            each.zip(&mut state.loads.own).with_min_len(RUN).for_each(|(((x, free), v), own)| {
                (0..3).for_each(|c| own.0[c] = x.0[c] - free.0[c]);
                (0..3).for_each(|c| v.0[c] += own.0[c] * per_dt);
                *free = *x;
            });
        });
    }

    /// Velocities from where all let the points come.
    fn end(&self, touches: bool, state: &mut State, watch: &impl Watch) {
        let per_dt =
            1.0 / if touches { self.dt } else { self.scales[usize::from(state.goes_on(self.dt))].dt };
        race::phase();
        let sums = self.finish(0, per_dt, touches, Arrays::of(state), watch);
        state.dt = self.dt;
        if self.kept < 1.0 && !self.cloth.held {
            state.rigid = sums.rigid();
        }
    }

    /// What damping is relative to in this sub-step: the body's own rigid motion, or that of what holds it.
    fn rigid(&self, [from, to]: [f32; 2], state: &State) -> Rigid {
        if !self.cloth.held || self.kept == 1.0 {
            return state.rigid;
        }
        if self.grips.is_empty() {
            return Rigid::default();
        }
        // The grips' motion as a whole, with those that stand still.
        let held: Vec<usize> = (0..self.cloth.points()).filter(|&k| state.x[k].0[3] == 0.0).collect();
        let x: Vec<Record> = held.iter().map(|&k| state.x[k]).collect();
        let mut v = vec![Record::default(); x.len()];
        for (g, places) in &self.grips {
            let (p, q) = (g.from.toward(&g.to, from), g.from.toward(&g.to, to));
            for &place in places {
                let Ok(at) = held.binary_search(&(place as usize)) else { continue };
                let own = g.first.inverse(self.cloth.rest[place as usize].xyz());
                let (a, b) = (p.place(own), q.place(own));
                v[at] = Record([0, 1, 2, 3].map(|c| if c < 3 { (b[c] - a[c]) / self.dt } else { 0.0 }));
            }
        }
        Sums::of(&x, &v, |k| self.cloth.mass[held[k]].max(1e-9)).rigid()
    }

    /// Puts the points of moving grips where their grips are.
    fn carry(&self, moment: f32, state: &mut State) {
        for (g, places) in &self.grips {
            let pose = g.from.toward(&g.to, moment);
            for &place in places {
                let k = place as usize;
                let to = pose.place(g.first.inverse(self.cloth.rest[k].xyz()));
                for c in 0..3 {
                    state.v[k].0[c] = (to[c] - state.x[k].0[c]) / self.dt;
                    state.x[k].0[c] = to[c];
                    state.free[k].0[c] = to[c];
                }
            }
        }
    }

    fn predict_all(
        &self,
        part: usize,
        all: Arrays,
        by: (&Scheme, &Loads),
        rigid: &Rigid,
        watch: &impl Watch,
    ) {
        let p = &self.cloth.parts.tree[part];
        match p.halves {
            Some([a, b]) => {
                race::join(
                    || self.predict_all(a, all, by, rigid, watch),
                    || self.predict_all(b, all, by, rigid, watch),
                );
            }
            None => watch.during(Phase::Predict, || self.predict(p.from, p.to, all, by, rigid)),
        }
    }

    /// A leaf meets its constraints; a larger part those across its halves. Bends and air have their turn
    /// in the `first` round.
    fn part(
        &self,
        part: usize,
        all: Arrays,
        multipliers: MultipliersOf<'_>,
        scale: Scale,
        [first, sweeps]: [bool; 2],
        watch: &impl Watch,
    ) {
        if let Some([a, b]) = self.cloth.parts.tree[part].halves {
            race::join(
                || self.part(a, all, multipliers, scale, [first, sweeps], watch),
                || self.part(b, all, multipliers, scale, [first, sweeps], watch),
            );
        }
        let Work { membrane, cell, bend, patch } = &self.cloth.work[part];
        let points = Points { x: all.x, flow: all.flow };
        // Safety, for all: this part is ours until we return; see `Points`.
        watch.during(Phase::Membrane, || {
            let air = self.drag && first;
            if first {
                cell.iter()
                    .for_each(|g| unsafe { cell::solve(g, points, scale, air, multipliers.prolonged) });
            }
            if !self.cloth.stretchy {
                let each = |g| unsafe {
                    membrane::solve::<false>(g, points, scale, air, None, Some(multipliers.prolonged))
                };
                return membrane.iter().for_each(each);
            }
            let own = unsafe { multipliers.of(part) };
            for (g, own) in membrane.iter().zip(own) {
                unsafe {
                    membrane::solve::<true>(
                        g,
                        points,
                        scale,
                        air,
                        Some(own),
                        first.then_some(multipliers.prolonged),
                    )
                };
            }
        });
        if !first {
            return;
        }
        watch.during(Phase::Bend, || match self.cloth.curved {
            true => {
                bend.iter().for_each(|g| unsafe { bend::solve::<true>(g, points, scale) });
                if sweeps {
                    patch.iter().for_each(|g| unsafe { patch::solve::<true>(g, points, scale) });
                }
            }
            false => {
                bend.iter().for_each(|g| unsafe { bend::solve::<false>(g, points, scale) });
                if sweeps {
                    patch.iter().for_each(|g| unsafe { patch::solve::<false>(g, points, scale) });
                }
            }
        });
    }

    /// One implicit step of all patches together.
    fn plate(&self, factor: &Factor, scale: Scale, state: &mut State) {
        let State { x, push, plate, .. } = state;
        push.clear();
        push.resize(x.len(), Record::default());
        for g in self.cloth.work.iter().flat_map(|w| &w.patch) {
            match self.cloth.curved {
                true => patch::force::<true>(g, x, scale.rest * scale.folds, push),
                false => patch::force::<false>(g, x, 1.0, push),
            }
        }
        let n = self.cloth.points();
        for (p, x) in push.iter_mut().zip(x.iter()).take(n) {
            let by = if x.0[3] > 0.0 { scale.dt * scale.dt } else { 0.0 };
            *p = Record(p.0.map(|f| f * by));
        }
        factor.solve(&mut push[..n], plate);
        x.iter_mut().zip(push.iter()).take(n).for_each(|(x, d)| (0..3).for_each(|c| x.0[c] += d.0[c]));
    }

    /// Chains of one direction share no point, so all may go at once.
    fn yarns(
        &self,
        round: usize,
        all: Arrays,
        scale: Scale,
        (bends, chain_multipliers): (&[yarn::Bends], &mut [yarn::ChainMultipliers]),
        (strain, prolonged): (&[Record], &Prolonged),
        watch: &impl Watch,
    ) {
        let (direction, first) = (round % 2, round < 2);
        let across = self.across(direction, strain);
        let points = Points { x: all.x, flow: all.flow };
        let groups = &self.cloth.yarns[direction];
        race::phase();
        let task = race::task();
        groups
            .par_iter()
            .zip(bends)
            .zip(chain_multipliers)
            .enumerate()
            .with_min_len(YARN_SHARE)
            .for_each_init(yarn::ChainScratch::default, |scratch, (k, ((g, bends), chain_multipliers))| {
                if !first && !g.carries {
                    return;
                }
                let first = first.then_some(yarn::First { prolonged, direction, bend: bends });
                // Safety: the points of a chain are in no other of its direction; spare ones are the group's own.
                watch.during(Phase::Yarn, || {
                    race::within(&task, k, || unsafe {
                        yarn::solve(g, points, scale, across, scratch, first, chain_multipliers);
                    });
                });
            });
    }

    /// Velocities take gravity and damping, and carry the points along.
    fn predict(
        &self,
        from: usize,
        to: usize,
        all: Arrays,
        (scheme, loads): (&Scheme, &Loads),
        rigid: &Rigid,
    ) {
        let dt = self.dt;
        let relative = self.kept < 1.0 && (!self.cloth.held || !self.grips.is_empty());
        let Scheme { x: [last, now, before, fall], v: [stay, old, gain], .. } = *scheme;
        let euler = before == 0.0;
        let g = self.gravity.map(|g| g * dt);
        for k in from..to {
            // Safety: the points of a leaf are touched by no other.
            let Point { x, free, v, air, flow, start, was, way } = unsafe { all.at(k) };
            if self.drag {
                *flow = Record(std::array::from_fn(|c| air.0[c] - v.0[c]));
            }
            *start = *x;
            // Held points have no velocity, and get none.
            let moves = if x.0[3] > 0.0 { 1.0 } else { 0.0 };
            let kept = self.keeps.get(k).copied().unwrap_or(self.kept);
            let heavy = 1.0 / loads.times[k];
            let r = if relative { rigid.at(x.xyz()) } else { [0.0; 3] };
            for c in 0..3 {
                // Damping is an impulse that shifts what is remembered along with what is.
                let impulse = (v.0[c] - r[c]) * (kept - 1.0);
                let u = (v.0[c] + impulse) * moves;
                let (w, p) = if euler { (u, u * dt) } else { (was.0[c] + impulse, way.0[c] + impulse * dt) };
                let by = now.mul_add(u, before.mul_add(w, fall * g[c] * heavy));
                x.0[c] += by.mul_add(dt, last * p) * moves;
                v.0[c] = stay.mul_add(u, old.mul_add(w, gain * g[c] * heavy)) * moves;
                was.0[c] = u;
                way.0[c] = p;
            }
            *free = *x;
        }
    }

    /// Velocities change by how far the points were kept from where those led.
    /// (The change, and not the way made over dt, so that far from the origin a free flight stays exact.)
    /// What contact did is an impulse: it shifts what is remembered along.
    fn finish(&self, part: usize, per_dt: f32, touches: bool, all: Arrays, watch: &impl Watch) -> Sums {
        let p = &self.cloth.parts.tree[part];
        if let Some([a, b]) = p.halves {
            let (mut s, t) = race::join(
                || self.finish(a, per_dt, touches, all, watch),
                || self.finish(b, per_dt, touches, all, watch),
            );
            s.add(&t);
            return s;
        }
        watch.during(Phase::Finish, || {
            let impulse = if touches { 1.0 } else { 0.0 };
            for k in p.from..p.to {
                // Safety: the points of a leaf are touched by no other.
                let Point { x, free, v, start, was, way, .. } = unsafe { all.at(k) };
                for c in 0..3 {
                    let by = (x.0[c] - free.0[c]) * per_dt;
                    v.0[c] += by;
                    was.0[c] += by * impulse;
                    way.0[c] = x.0[c] - start.0[c];
                }
            }
            if self.kept == 1.0 || self.cloth.held {
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

/// The pulls of each part's triangles, shared between threads that are each at their own part.
#[derive(Clone, Copy)]
struct MultipliersOf<'a> {
    own: *mut Vec<membrane::Multipliers>,
    /// What the finest lattice pulled.
    prolonged: &'a Prolonged,
}

// Safety: as for `Arrays`.
unsafe impl Send for MultipliersOf<'_> {}
unsafe impl Sync for MultipliersOf<'_> {}

impl MultipliersOf<'_> {
    /// Safety: no other thread is at this part.
    unsafe fn of<'b>(self, part: usize) -> &'b mut Vec<membrane::Multipliers> {
        unsafe { &mut *self.own.add(part) }
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
    start: *mut Record,
    was: *mut Record,
    way: *mut Record,
}

/// One point of each of the arrays.
struct Point<'a> {
    x: &'a mut Record,
    free: &'a mut Record,
    v: &'a mut Record,
    air: &'a Record,
    flow: &'a mut Record,
    start: &'a mut Record,
    was: &'a mut Record,
    way: &'a mut Record,
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
            start: s.start.as_mut_ptr(),
            was: s.was.as_mut_ptr(),
            way: s.way.as_mut_ptr(),
        }
    }

    /// Safety: `k` is a point that no other thread touches.
    #[inline(always)]
    unsafe fn at<'a>(self, k: usize) -> Point<'a> {
        // Safety, for both: as the caller promises.
        race::wrote(unsafe { self.x.add(k) });
        unsafe {
            Point {
                x: &mut *self.x.add(k),
                free: &mut *self.free.add(k),
                v: &mut *self.v.add(k),
                air: &*self.air.add(k),
                flow: &mut *self.flow.add(k),
                start: &mut *self.start.add(k),
                was: &mut *self.was.add(k),
                way: &mut *self.way.add(k),
            }
        }
    }
}
