//! What holds a cloth together, in the order of a sub-step: what fills it, coarse levels, membrane with air, bend, seams, yarns,
//! seams again, and what fills it gives way.
use super::constraint::prolonged::Prolonged;
use super::constraint::{Points, Scale, bend, cell, membrane, patch, yarn};
use super::elimination::Factor;
use super::gas::{Filling, Gas};
use super::taut::Gains;
use super::{Cloth, Own, Rests, Work, coarse, taut};
use crate::body::Body;
use crate::carriage::{BALANCE, Tempo};
use crate::inputs::{FillNow, FrameInputs, RestMotion, SeamNow};
use crate::model::Steps;
use crate::simd::{Record, Shared};
use crate::state::State;
use crate::watch::{Phase, Watch};
use crate::{AIR_DENSITY, race};
use rayon::prelude::*;
use std::sync::Arc;

/// How often a sub-step meets the yarns that come to where the cloth is held: there the directions pull
/// hardest against each other. The second round halves the strain of a canopy at its worst eyelet in a
/// squall, a third gives no more. All others are met once: the coarse levels have been there before.
const YARN_ROUNDS: usize = 3;
/// How often a sub-step meets triangles that have their stretch to themselves: mesh edges that don't run
/// along the threads make no yarns, and single triangles pass a pull on by one cell a round.
const TRIANGLE_ROUNDS: usize = 4;
/// Groups of yarns that one thread takes at least.
const YARN_SHARE: usize = 2;

/// What the levels are told in a sub-step of `dt` seconds that goes on, at a rest that is multiplied.
pub(super) fn goes_on(dt: f32, rests: Rests) -> Scale {
    let dt = BALANCE * dt;
    rests.on(Scale { dt, per_dt2: 1.0 / (dt * dt), ..Scale::default() })
}

/// The points of a body, as its constraints meet them.
fn points(state: &mut State) -> Points {
    Points { start: state.start.as_ptr(), gained: state.gained.as_mut_ptr(), flow: state.flow.as_ptr() }
}

/// What the sub-steps of a frame have in common.
pub(crate) struct Begun<'a> {
    cloth: &'a Cloth,
    body: &'a Body,
    /// A sub-step, seconds.
    dt: f32,
    /// Those of the first sub-step and of the others.
    scales: [Scale; 2],
    rest: Option<&'a RestMotion>,
    /// The bends of each group of yarns, eliminated for this sub-step.
    bends: [Arc<[Vec<yarn::Bends>; 2]>; 2],
    /// The plate's system where sweeps fall short.
    plate: [Option<Arc<Factor>>; 2],
    /// What seams and chambers are told, by their numbers.
    seams: Vec<Option<&'a SeamNow>>,
    fills: Vec<Option<&'a FillNow>>,
    gravity: [f32; 3],
    /// Whether air acts on it.
    airy: bool,
}

impl Steps for Begun<'_> {
    type Own = Own;

    /// A frame begins: its motion follows from where it starts alone.
    fn start(&self, own: &mut Own) {
        own.taut.forget();
    }

    /// The strains that each direction answers the other's with.
    fn look(&self, moment: f32, state: &mut State, own: &mut Own, watch: &dyn Watch) {
        if self.cloth.matter.poisson > 0.0 {
            let rests = self.rests(moment);
            watch.during(Phase::Yarn, || self.strain(rests.sides, state, own));
        }
    }

    fn relax(&self, moment: f32, state: &mut State, own: &mut Own, watch: &dyn Watch) {
        let goes_on = usize::from(state.goes_on(self.dt));
        let scale = self.rests(moment).on(self.scales[goes_on]);
        state.loads.weigh(&mut state.gained);
        watch.during(Phase::Coarse, || {
            coarse::relax(&self.cloth.coarse, [&state.start, &state.gained], &mut own.coarse, scale);
            coarse::prolong_to(&self.cloth.coarse, &mut state.gained, state.loads.heavy(), &own.coarse);
        });
        let rounds = if self.cloth.stretchy { TRIANGLE_ROUNDS } else { 1 };
        let nothing = Prolonged::default();
        let prolonged = own.coarse.first().map_or(&nothing, coarse::Scratch::prolonged);
        let multipliers = MultipliersOf { own: own.multipliers.as_mut_ptr(), prolonged };
        if self.cloth.taut {
            self.taut(moment, scale, state, (&mut own.gas, &mut own.taut), watch);
        }
        let points = points(state);
        for round in 0..rounds {
            if self.cloth.taut {
                break;
            }
            race::phase();
            self.part(0, points, multipliers, scale, [round == 0, self.plate[goes_on].is_none()], watch);
        }
        if let Some(factor) = &self.plate[goes_on] {
            watch.during(Phase::Bend, || self.plate(factor, scale, state, (&mut own.push, &mut own.plate)));
        }
        // Whoever comes last is met best: the directions take turns.
        for round in 0..2 * YARN_ROUNDS {
            let direction = round % 2;
            let kept =
                (self.bends[goes_on][direction].as_slice(), own.chain_multipliers[direction].as_mut_slice());
            self.yarns(round, points, scale, kept, (&own.strain, prolonged), watch);
        }
    }

    /// After contact has moved points: what is taut about them follows. Gives the most that any moved, metres.
    fn settle(&self, moment: f32, state: &mut State, own: &mut Own, watch: &dyn Watch) -> f32 {
        if !self.cloth.taut {
            return 0.0;
        }
        let scale = self.rests(moment).on(self.scales[usize::from(state.goes_on(self.dt))]);
        watch.during(Phase::Sewn, || {
            let State { start, gained, x, free, v, .. } = state;
            let Own { gas, taut, .. } = own;
            let before = x.clone();
            let mut at = Gains { start, gained, x };
            at.take_up();
            let far = self.pulls(moment, gas, |pulls, fill| pulls.settle(scale, fill, free, &mut at, taut));
            if far > 0.0 {
                // It is the body's own doing.
                for ((x, before), (free, v)) in x.iter().zip(&before).zip(free.iter_mut().zip(v.iter_mut())) {
                    for c in 0..3 {
                        let by = x.0[c] - before.0[c];
                        free.0[c] += by;
                        v.0[c] += by / scale.dt;
                    }
                }
            }
            far
        })
    }

    /// After contact: what colliders hold now is held in the next sub-step too, for as long as it is met.
    fn met(&self, state: &mut State, own: &mut Own) {
        if self.cloth.taut {
            own.taut.met(&state.loads.met[..self.body.points()]);
        }
    }

    fn finish(&self, own: &mut Own) {
        own.stretched = self.rests(1.0);
    }
}

impl<'a> Begun<'a> {
    pub fn new(
        cloth: &'a Cloth,
        body: &'a Body,
        number: usize,
        frame: &'a FrameInputs,
        tempo: Tempo,
    ) -> Self {
        let dt = tempo.dt;
        let m = &cloth.matter;
        let [drag, lift] = frame.matter_of(number).map_or([m.drag, m.lift], |now| [now.drag, now.lift]);
        let balances = tempo.balances();
        let scales = balances.map(|balance| Scale {
            dt: balance,
            per_dt2: 1.0 / (balance * balance),
            drag: 0.5 * AIR_DENSITY * drag,
            lift: 0.5 * AIR_DENSITY * lift,
            whole_per_weight: dt / (m.areal_weight * cloth.least_weight),
            poisson: m.poisson,
            tied: frame.ties.iter().any(|t| t.tie.bodies.contains(&number)),
            ..Scale::default()
        });
        Begun {
            cloth,
            body,
            dt,
            scales,
            rest: frame.rests.iter().find(|r| r.body == number),
            bends: balances.map(|b| cloth.bends(b, &body.rest)),
            plate: balances.map(|b| cloth.plate.direct(b)),
            seams: (0..cloth.seams.len())
                .map(|k| frame.seams.iter().find(|s| s.body == number && s.seam == k))
                .collect(),
            fills: (0..cloth.chambers.len())
                .map(|k| frame.fills.iter().find(|f| f.body == number && f.chamber == k))
                .collect(),
            gravity: frame.gravity,
            airy: drag > 0.0 || lift > 0.0,
        }
    }

    /// Air, and then all that pulls at once.
    fn taut(
        &self,
        moment: f32,
        scale: Scale,
        state: &mut State,
        (gas, own): (&mut [Gas], &mut taut::System),
        watch: &dyn Watch,
    ) {
        let work = &self.cloth.work;
        if self.airy {
            let points = points(state);
            watch.during(Phase::Membrane, || {
                // Safety: no other thread is at these points.
                work.iter()
                    .flat_map(|w| &w.membrane)
                    .for_each(|g| unsafe { membrane::blow(g, points, scale) });
            });
        }
        watch.during(Phase::Sewn, || {
            state.place();
            let State { start, gained, x, .. } = state;
            x.iter_mut().zip(&*gained).for_each(|(x, gained)| x.0[3] = gained.0[3]);
            self.pulls(moment, gas, |pulls, fill| {
                pulls.balance(scale, fill, &mut Gains { start, gained, x }, own)
            });
            x.iter_mut().zip(&*start).for_each(|(x, start)| x.0[3] = start.0[3]);
        });
    }

    /// What pulls at a moment, and what fills it.
    fn pulls<R>(
        &self,
        moment: f32,
        gas: &mut [Gas],
        work: impl FnOnce(taut::Pulls, (&mut [Gas], &[Filling])) -> R,
    ) -> R {
        let at = |[a, b]: [f32; 2]| a + moment * (b - a);
        let cut: Vec<bool> = self.seams.iter().map(|s| s.is_some_and(|s| at(s.hold) <= 0.0)).collect();
        let step = f64::from(self.dt);
        let fills = self.fills.iter();
        let filling: Vec<Filling> =
            fills.map(|f| Filling::at(*f, f64::from(moment), self.gravity, &cut, step)).collect();
        let pulls = taut::Pulls {
            parts: &self.body.parts,
            triangles: self.cloth.work.iter().map(|w| w.membrane.as_slice()).collect(),
            flexure: &self.cloth.flexure,
            pattern: &self.cloth.pattern,
            curved: match self.cloth.curved {
                true => self.cloth.work.iter().map(|w| (w.bend.as_slice(), w.patch.as_slice())).collect(),
                false => vec![],
            },
            seams: self.cloth.seams.iter().zip(self.seams.iter().copied()).collect(),
            apart: self.body.apart,
            moment,
            chambers: &self.cloth.chambers,
        };
        work(pulls, (gas, &filling))
    }

    /// What lengths and folds at rest are multiplied by at a moment.
    fn rests(&self, moment: f32) -> Rests {
        let at = |[from, to]: [f32; 2]| from + moment * (to - from);
        self.rest.map_or(Rests::default(), |r| Rests { sides: r.sides.map(at), folds: at(r.folds) })
    }

    /// Finds the strains that each direction answers the other's with.
    fn strain(&self, rest: [f32; 2], state: &mut State, own: &mut Own) {
        own.strain.resize(state.x.len(), Record::default());
        for (direction, groups) in self.cloth.yarns.iter().enumerate() {
            let (x, out) = (Shared::of(state.x.as_mut_ptr()), Shared::of(own.strain.as_mut_ptr()));
            race::phase();
            let task = race::task();
            groups.par_iter().enumerate().with_min_len(YARN_SHARE).for_each(|(k, g)| {
                // Safety: the points of a chain are in no other of its direction.
                race::within(&task, k, || unsafe {
                    yarn::strains(g, x.get(), rest[direction], direction, out.get())
                });
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

    /// A leaf meets its constraints; a larger part those across its halves. Bends and air have their turn
    /// in the `first` round.
    fn part(
        &self,
        part: usize,
        points: Points,
        multipliers: MultipliersOf<'_>,
        scale: Scale,
        [first, sweeps]: [bool; 2],
        watch: &dyn Watch,
    ) {
        if let Some([a, b]) = self.body.parts.tree[part].halves {
            race::join(
                || self.part(a, points, multipliers, scale, [first, sweeps], watch),
                || self.part(b, points, multipliers, scale, [first, sweeps], watch),
            );
        }
        let Work { membrane, cell, bend, patch } = &self.cloth.work[part];
        // Safety, for all: this part is ours until we return; see `Points`.
        watch.during(Phase::Membrane, || {
            let air = self.airy && first;
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
    fn plate(
        &self,
        factor: &Factor,
        scale: Scale,
        state: &mut State,
        (push, plate): (&mut Vec<Record>, &mut Vec<Record>),
    ) {
        let State { x, start, gained, .. } = state;
        let at: [&[Record]; 2] = [start, gained];
        push.clear();
        push.resize(x.len(), Record::default());
        for g in self.cloth.work.iter().flat_map(|w| &w.patch) {
            match self.cloth.curved {
                true => patch::force::<true>(g, at, scale.rest * scale.folds, push),
                false => patch::force::<false>(g, at, 1.0, push),
            }
        }
        let n = self.body.points();
        for (p, x) in push.iter_mut().zip(x.iter()).take(n) {
            let by = if x.0[3] > 0.0 { scale.dt * scale.dt } else { 0.0 };
            *p = Record(p.0.map(|f| f * by));
        }
        factor.solve(&mut push[..n], plate);
        let each = gained.iter_mut().zip(push.iter()).take(n);
        each.for_each(|(gained, d)| (0..3).for_each(|c| gained.0[c] += d.0[c]));
    }

    /// Chains of one direction share no point, so all may go at once.
    fn yarns(
        &self,
        round: usize,
        points: Points,
        scale: Scale,
        (bends, chain_multipliers): (&[yarn::Bends], &mut [yarn::ChainMultipliers]),
        (strain, prolonged): (&[Record], &Prolonged),
        watch: &dyn Watch,
    ) {
        let (direction, first) = (round % 2, round < 2);
        let scale = Scale { rest: scale.sides[direction], ..scale };
        let across = self.across(direction, strain);
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
