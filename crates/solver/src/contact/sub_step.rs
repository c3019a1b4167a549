//! A sub-step's way through contact: what is near is brought apart in sweeps, and nothing crosses.
use super::keep::{Side, Watched, keep_apart};
use super::pairs::{Arrays, FOUND, KINDS, Kind, LISTS, List, Presses, Touch, prepare, solve};
use super::solids::{Met, look, meet_solids, solids};
use super::touch::{Between, Contact};
use crate::body::Body;
use crate::inputs::FrameInputs;
use crate::race;
use crate::simd::Record;
use crate::state::State;
use crate::step::{Cut, Halt};
use crate::watch::{Phase, Watch};
use rayon::prelude::*;

/// Searches made again in a sub-step whose contact took points elsewhere, at most.
const RECHECKS: usize = 8;
/// Sweeps over all near pairs a sub-step: at least so many, and more, up to the other, while one still has to
/// push anything by this share of its gap. A stack that lands passes on a blow by a layer a sweep.
const SWEEPS: [usize; 2] = [2, 24];
const SETTLED: f32 = 0.1;
/// The same where loose points meet: a heap has many layers, and what one sweep leaves of it adds up from sub-step to
/// sub-step.
const LOOSE_SWEEPS: usize = 64;
const LOOSE_SETTLED: f32 = 0.001;
/// Groups that one thread takes at least.
const SHARE: usize = 24;
/// So few groups are faster solved by one thread than given to two.
const FEW: usize = 96;

impl Contact {
    /// Brings all apart and makes sure that nothing crossed. `moments` are those of the sub-step's start and
    /// end.
    pub(crate) fn resolve(
        &mut self,
        bodies: &[Body],
        states: &mut [State],
        (frame, settle): (&FrameInputs, impl FnOnce(&mut [State]) -> f32),
        moments: [f32; 2],
        dt: f32,
        watch: &dyn Watch,
    ) -> Result<(), Cut> {
        self.touching.fill(0);
        if !self.between.is_empty() {
            watch.during(Phase::Search, || self.refresh(states));
            if self.crowded {
                return Err(Cut::Crowded);
            }
        }
        let loose = self.loose();
        if loose {
            states.iter_mut().for_each(|s| s.loads.weigh(&mut s.x));
        }
        let arrays: Vec<[Arrays; LISTS]> = self.between.iter().map(|b| self.arrays(b, states)).collect();
        let mut reached = self.bring(bodies, (frame, moments), &arrays, states, dt, watch)?;
        let mut from: Option<Vec<Vec<Record>>> = None;
        if settle(states) > 0.0 {
            // What followed may have come where more is met.
            from = Some(states.iter().map(|s| s.x[..s.points].to_vec()).collect());
            // What is met again counts once.
            let met = self.touching.clone();
            self.touching.fill(0);
            reached = self.bring(bodies, (frame, moments), &arrays, states, dt, watch)?;
            self.touching.iter_mut().zip(met).for_each(|(t, m)| *t = m.max(*t));
        }
        if self.between.is_empty() {
            return Ok(());
        }
        for b in &self.between {
            self.touching[b.pairing] += b.presses.iter().map(Presses::touching).sum::<usize>();
        }
        let far = moved(states, from.as_deref(), &reached);
        watch.during(Phase::Keep, || self.keep_all(&arrays, far, states, dt, watch));
        if loose {
            states.iter_mut().for_each(|s| s.loads.unweigh(&mut s.x, &s.start));
        }
        self.since += 1;
        if self.crowded { Err(Cut::Crowded) } else { Ok(()) }
    }

    /// Brings apart what comes too near, and tells which eights of points that may have moved.
    fn bring(
        &mut self,
        bodies: &[Body],
        (frame, moments): (&FrameInputs, [f32; 2]),
        arrays: &[[Arrays; LISTS]],
        states: &mut [State],
        dt: f32,
        watch: &dyn Watch,
    ) -> Result<Vec<Vec<bool>>, Cut> {
        let mut reached = self.press(arrays, dt, watch);
        let mut solids = solids(&self.pairings, &self.colliders, bodies, frame, moments);
        if !self.between.is_empty() {
            look(&mut solids, states, self.gap(), &mut reached, watch);
        }
        sweep_apart(&mut self.between, &solids, arrays, (states, &mut self.touching), dt, watch)?;
        Ok(reached)
    }

    /// Packs all pairs that come too near, and tells which eights of points they may push.
    fn press(&mut self, arrays: &[[Arrays; LISTS]], dt: f32, watch: &dyn Watch) -> Vec<Vec<bool>> {
        for k in 0..self.between.len() {
            let b = &mut self.between[k];
            let sides = b.sides();
            watch.between(b.pairing, || {
                for i in 0..LISTS {
                    let touches = approach(KINDS[i % FOUND], &mut b.lists[i], self.since, &arrays[k][i], dt);
                    let spare = sides[i].map(|s| self.surfaces[s].points as u32);
                    let first = sides[i].map(|s| self.first[s]);
                    b.presses[i].pack(&touches, arrays[k][i].moves, first, &mut self.words, spare);
                }
            });
        }
        let mut reached: Vec<Vec<bool>> =
            self.surfaces.iter().map(|s| vec![false; s.points.div_ceil(8) + 1]).collect();
        for (b, arrays) in self.between.iter().zip(arrays) {
            for ((presses, arrays), sides) in b.presses.iter().zip(arrays).zip(b.sides()) {
                presses.mark(arrays.moves, sides, &mut reached);
            }
        }
        reached
    }

    /// Makes sure that nothing crossed, and looks again where that took points. Contact moved none by more than `far`
    /// metres since pairs were separated.
    fn keep_all(
        &mut self,
        arrays: &[[Arrays; LISTS]],
        far: f32,
        states: &mut [State],
        dt: f32,
        watch: &dyn Watch,
    ) {
        self.keep(states, arrays, far, watch);
        // What was brought apart may have gone where no pair was looked for.
        for _ in 0..RECHECKS {
            if watch.stopped() || !self.strayed(states) && !self.turned(states) {
                break;
            }
            let from = if self.mend(states) { LISTS / 2 } else { 0 };
            if from == 0 {
                self.renew(states, false);
            }
            if self.crowded {
                break;
            }
            for (b, arrays) in self.between.iter_mut().zip(arrays) {
                for i in from..LISTS {
                    approach(KINDS[i % FOUND], &mut b.lists[i], self.since, &arrays[i], dt);
                }
            }
            self.keep(states, arrays, f32::INFINITY, watch);
        }
    }

    /// Makes sure that no listed pair has crossed. Contact moved no point by more than `moved` metres since pairs were
    /// told apart.
    fn keep(&mut self, states: &mut [State], arrays: &[[Arrays; LISTS]], moved: f32, watch: &dyn Watch) {
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
                KINDS.into_iter().cycle().zip(&mut b.lists).zip(arrays).zip(sides).map(
                    move |(((kind, list), arrays), sides)| {
                        let due = list.due(since);
                        Watched { kind, list, due, arrays: *arrays, sides }
                    },
                )
            })
            .collect();
        // Safety: the points are those of the states and skins, borrowed whole.
        unsafe { keep_apart(&mut watched, &points, &self.first, moved, &|| watch.stopped()) };
    }

    /// Points of the two surfaces as each kind of list takes them.
    fn arrays(&self, b: &Between, states: &mut [State]) -> [Arrays; LISTS] {
        let side = |k: usize, states: &mut [State]| {
            if k < self.bodies {
                let s = &mut states[k];
                (s.x.as_mut_ptr(), s.start.as_ptr(), true, s.loads.met.as_mut_ptr())
            } else {
                let s = &self.skins[k - self.bodies];
                (s.now.as_ptr().cast_mut(), s.start.as_ptr(), false, std::ptr::null_mut())
            }
        };
        let (a, o) = (side(b.a, states), side(b.b, states));
        let skin = b.b >= self.bodies;
        let of = |s: [(*mut Record, *const Record, bool, *mut Record); 4]| Arrays {
            now: s.map(|s| s.0),
            start: s.map(|s| s.1),
            moves: s.map(|s| s.2),
            met: (skin || b.loose).then(|| s.map(|s| s.3)),
            room: b.room,
        };
        let mut points = of([a, o, o, o]);
        // The second point stands there three times, and is moved once.
        points.moves[2..].fill(false);
        let each = [of([a, o, o, o]), of([o, a, a, a]), of([a, a, o, o]), points];
        std::array::from_fn(|i| each[i % FOUND])
    }
}

/// Brings apart what is pressed, and what solids push, in turn, until nothing has to move by much.
fn sweep_apart(
    between: &mut [Between],
    solids: &[Met],
    arrays: &[[Arrays; LISTS]],
    (states, touching): (&mut [State], &mut [usize]),
    dt: f32,
    watch: &dyn Watch,
) -> Result<(), Halt> {
    for sweep in 0..LOOSE_SWEEPS {
        if watch.stopped() {
            return Err(Halt::Stopped);
        }
        let (mut settled, mut over) = (true, sweep + 1 >= SWEEPS[1]);
        between.iter_mut().zip(arrays).for_each(|(b, arrays)| {
            watch.between(b.pairing, || {
                for (presses, arrays) in b.presses.iter_mut().zip(arrays) {
                    bring_apart(presses, arrays);
                    let enough = if b.loose { LOOSE_SETTLED } else { SETTLED };
                    settled &= presses.pushed() / b.gap < enough;
                    over &= !b.loose || sweep + 1 >= LOOSE_SWEEPS;
                }
            });
        });
        let last = sweep + 1 >= SWEEPS[0] && settled || over;
        if last || !between.is_empty() {
            meet_solids(solids, states, touching, dt, last, watch);
        }
        if last {
            break;
        }
    }
    Ok(())
}

/// By how much contact moved any point in this sub-step, at most: metres. It can have moved those that it `reached`.
fn moved(states: &[State], from: Option<&[Vec<Record>]>, reached: &[Vec<bool>]) -> f32 {
    let far = |(k, (s, reached)): (usize, (&State, &Vec<bool>))| {
        let from = from.map_or(&s.free[..s.points], |f| &f[k]);
        let eights = s.x[..s.points].chunks(8).zip(from.chunks(8)).zip(reached);
        let all = eights.filter(|(_, r)| **r).flat_map(|((x, from), _)| x.iter().zip(from));
        all.fold(0.0f32, |m, (x, f)| {
            let d = [0, 1, 2].map(|c| x.0[c] - f.0[c]);
            m.max(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
        })
    };
    states.iter().zip(reached).enumerate().map(far).fold(0.0, f32::max).sqrt()
}

/// Separates all features of a list and gives those that come too near.
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

fn bring_apart(presses: &mut Presses, arrays: &Arrays) {
    let mut from = 0;
    for &to in &presses.runs {
        race::phase();
        let task = race::task();
        let all = &mut presses.all[from..to];
        // Safety, for both: groups of one run share no point that moves.
        if to - from <= FEW {
            all.iter_mut()
                .enumerate()
                .for_each(|(k, g)| race::within(&task, k, || unsafe { solve(g, arrays) }));
        } else {
            let each = all.par_iter_mut().enumerate().with_min_len(SHARE);
            each.for_each(|(k, g)| race::within(&task, k, || unsafe { solve(g, arrays) }));
        }
        from = to;
    }
}
