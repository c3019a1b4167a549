//! How points are taken along by their velocities, gravity and what holds them: the same for all models.
use crate::body::Body;
use crate::damping::{Rigid, Sums};
use crate::inputs::{FrameInputs, GripMotion};
use crate::load::Loads;
use crate::pull;
use crate::race;
use crate::simd::{F4, Record, two_sum};
use crate::state::State;
use crate::watch::{Phase, Watch};
use rayon::prelude::*;

/// Points that one thread takes at least.
const RUN: usize = 1024;

/// How a sub-step takes points and velocities along: by what of the last way, of the velocity and of the one before,
/// and of gravity.
#[derive(Clone, Copy)]
struct Scheme {
    x: [f32; 4],
    v: [f32; 3],
    /// In which part of the sub-step's time what holds the points together acts.
    balance: f32,
}

/// A motion's first sub-step is implicit Euler's.
const EULER: Scheme = Scheme { x: [0.0, 1.0, 0.0, 1.0], v: [1.0, 0.0, 1.0], balance: 1.0 };
/// All others go by the second backward difference (K.-J. Choi, H.-S. Ko, "Stable but Responsive Cloth", 2002,
/// eq. 12): it keeps motion that Euler's would damp, and like that lets nothing stiff ring.
/// x = x₀ + p/3 + h (8/9 v₀ - 2/9 v₋₁) + 4/9 h² a,  v = 4/3 v₀ - 1/3 v₋₁ + 2/3 h a, with p = x₀ - x₋₁.
const BACKWARD: Scheme = Scheme {
    x: [1.0 / 3.0, 8.0 / 9.0, -2.0 / 9.0, 4.0 / 9.0],
    v: [4.0 / 3.0, -1.0 / 3.0, 2.0 / 3.0],
    balance: 2.0 / 3.0,
};

/// The same where a sub-step is `w` times as long as the one before (M. Calvo, T. Grande, R. Grigorieff, "On the Zero Stability of the
/// Variable Order Variable Stepsize BDF-Formulas", 1990, eq. 1.3 for two steps): y = y₀ + c (y₀ - y₋₁) + b h f with c = w² / (1 + 2 w) and
/// b = (1 + w) / (1 + 2 w). With w = 1 it is the one above.
fn uneven(w: f64) -> Scheme {
    let (c, b) = (w * w / (1.0 + 2.0 * w), (1.0 + w) / (1.0 + 2.0 * w));
    let [x, v] = [[c, b * (1.0 + c), -b * c, b * b], [1.0 + c, -c, b, 0.0]];
    let [x, v] = [x, v].map(|all| all.map(|n| n as f32));
    Scheme { x, v: [v[0], v[1], v[2]], balance: b as f32 }
}

/// A sub-step may be so many times as long as the one before, or so many times shorter; beyond that it begins anew.
const MOST_UNEVEN: f64 = 8.5;

/// The sub-steps of a frame: how long each is, seconds, and how the first goes on from what came before the frame.
#[derive(Clone, Copy)]
pub(crate) struct Tempo {
    pub dt: f32,
    /// How long the one before was; this long where nothing is remembered of one.
    last: f32,
    first: Scheme,
}

impl Tempo {
    /// After a sub-step of `last` seconds; 0 where nothing is remembered of one.
    pub fn after(last: f32, dt: f32) -> Tempo {
        let w = f64::from(dt) / f64::from(last.max(1e-12));
        let even = last == dt;
        let first = match last > 0.0 && w <= MOST_UNEVEN && w * MOST_UNEVEN >= 1.0 {
            _ if even => BACKWARD,
            true => uneven(w),
            false => EULER,
        };
        Tempo { dt, last: if last > 0.0 { last } else { dt }, first }
    }

    fn scheme(&self, state: &State) -> &Scheme {
        if state.goes_on(self.dt) { &BACKWARD } else { &self.first }
    }

    /// The part of a sub-step's time in which what holds points together acts, seconds: of the first, and of those that go on as long.
    pub fn balances(&self) -> [f32; 2] {
        [self.first.balance, BACKWARD.balance].map(|b| b * self.dt)
    }

    pub fn balance(&self, state: &State) -> f32 {
        self.balances()[usize::from(state.goes_on(self.dt))]
    }
}

/// In which part of a sub-step's time what holds points together acts, in one that goes on.
pub(crate) const BALANCE: f32 = BACKWARD.balance;

/// What all sub-steps of a frame do to the points of a body.
pub(crate) struct Carriage<'a> {
    body: &'a Body,
    /// A sub-step, seconds.
    dt: f32,
    tempo: Tempo,
    gravity: [f32; 3],
    /// What gravity is multiplied by at each point, by place, where it differs.
    weighs: Vec<f32>,
    /// Share of its speed that still air leaves over a sub-step.
    stills: f32,
    /// The same for each point, by place, where it differs.
    stilled: Vec<f32>,
    /// Grips of this body that move, by places.
    grips: Vec<(&'a GripMotion, Vec<u32>)>,
    /// Those that only pull.
    pulls: Vec<(&'a GripMotion, Vec<u32>)>,
    /// Share of relative velocity kept over a sub-step.
    kept: f32,
    /// The same for each point, where it differs.
    keeps: Vec<f32>,
    /// Whether air acts on it.
    airy: bool,
}

impl<'a> Carriage<'a> {
    /// Of the body of a number, for the sub-steps of a frame.
    pub fn new(body: &'a Body, number: usize, frame: &'a FrameInputs, tempo: Tempo) -> Self {
        let dt = tempo.dt;
        let now = frame.matter_of(number);
        let damping = now.map_or(body.damping, |m| m.damping);
        let kept = |scale: f32| libm::exp(-f64::from(damping * scale) * f64::from(dt)) as f32;
        let grips = frame.grips.iter().filter(|g| g.body == number);
        let (pulls, grips): (Vec<_>, Vec<_>) = grips
            .map(|g| (g, g.points.iter().map(|&p| body.place(p)).collect::<Vec<u32>>()))
            .partition(|(g, _)| g.pull.is_some());
        let own = frame.weathered(number);
        let by_place = |of: usize| -> Vec<f32> {
            let all = own.and_then(|o| o.over[of].as_ref());
            all.map_or(vec![], |all| body.parts.order.iter().map(|&p| all[p as usize]).collect())
        };
        let leaves = |c: f32| libm::exp(-f64::from(c) * f64::from(dt)) as f32;
        let still = own.map_or(0.0, |o| o.still);
        Carriage {
            body,
            dt,
            tempo,
            gravity: frame.gravity.map(|g| g * own.map_or(1.0, |o| o.gravity)),
            weighs: by_place(0),
            stills: leaves(still),
            stilled: if still > 0.0 {
                by_place(1).iter().map(|s| leaves(still * s)).collect()
            } else {
                vec![]
            },
            grips,
            pulls,
            kept: kept(1.0),
            keeps: body.damped.iter().map(|s| kept(*s)).collect(),
            airy: now.map_or(body.airy, |m| m.drag > 0.0 || m.lift > 0.0),
        }
    }

    /// Moves all points by their velocities, and those of moving grips where these are at the second of two `moments`, from
    /// 0 to 1 through the frame.
    pub fn predict(&self, moments: [f32; 2], state: &mut State, watch: &dyn Watch) {
        let rigid = self.rigid(moments, state);
        state.rigid = rigid;
        let scheme = self.tempo.scheme(state);
        let (loads, push) = (std::mem::take(&mut state.loads), std::mem::take(&mut state.push));
        race::phase();
        self.predict_all(0, Arrays::of(state), (scheme, &loads, &push), &rigid, watch);
        (state.loads, state.push) = (loads, push);
        self.carry(moments[1], state);
        let times = [self.balance(state), self.dt];
        for (g, places) in &self.pulls {
            pull::draw(g, places, &self.body.rest, moments, times, (&state.start, &mut state.gained));
        }
    }

    /// The part of a sub-step's time in which what holds the points together acts, seconds.
    pub fn balance(&self, state: &State) -> f32 {
        self.tempo.balance(state)
    }

    /// Before contact: velocities from where the body's own forces let the points come; contact moves them from there.
    pub fn hand_over(&self, state: &mut State, watch: &dyn Watch) {
        let per_dt = 1.0 / self.balance(state);
        watch.during(Phase::Finish, || {
            let n = state.points;
            state.loads.begin();
            let each = state.x[..n].par_iter_mut().zip(&mut state.free[..n]).zip(&mut state.v[..n]);
            let each = each.zip(&state.start[..n]).zip(&state.gained[..n]).zip(&mut state.loads.own);
            let per = F4::splat(per_dt);
            each.with_min_len(RUN).for_each(|(((((x, free), v), start), gained), own)| {
                let (was, by, u) = (F4::of(start), F4::of(gained), F4::of(v));
                let from = by - F4::of(free);
                from.put(own);
                from.fma(per, u).fourth(u).put(v);
                (was + by).fourth(was).put(x);
                *free = *x;
            });
        });
    }

    /// Velocities from where all let the points come.
    pub fn end(&self, touches: bool, state: &mut State, watch: &dyn Watch) {
        let per_dt = 1.0 / if touches { self.dt } else { self.balance(state) };
        race::phase();
        let sums = self.finish(0, per_dt, touches, Arrays::of(state), watch);
        state.dt = self.dt;
        if self.kept < 1.0 && !self.body.held {
            state.rigid = sums.rigid();
        }
    }

    /// What damping is relative to in this sub-step: the body's own rigid motion, or that of what holds it.
    fn rigid(&self, [from, to]: [f32; 2], state: &State) -> Rigid {
        if !self.body.held || self.kept == 1.0 {
            return state.rigid;
        }
        if self.grips.is_empty() {
            return Rigid::default();
        }
        // The grips' motion as a whole, with those that stand still.
        let held: Vec<usize> = (0..self.body.points()).filter(|&k| state.x[k].0[3] == 0.0).collect();
        let x: Vec<Record> = held.iter().map(|&k| state.x[k]).collect();
        let mut v = vec![Record::default(); x.len()];
        for (g, places) in &self.grips {
            let (p, q) = (g.places(from), g.places(to));
            for (k, &place) in places.iter().enumerate() {
                let Ok(at) = held.binary_search(&(place as usize)) else { continue };
                let rest = self.body.rest[place as usize].xyz();
                let (a, b) = (p(k, rest), q(k, rest));
                v[at] = Record([0, 1, 2, 3].map(|c| if c < 3 { (b[c] - a[c]) / self.dt } else { 0.0 }));
            }
        }
        Sums::of(&x, &v, |k| self.body.mass[held[k]].max(1e-9)).rigid()
    }

    /// Puts the points of moving grips where their grips are.
    fn carry(&self, moment: f32, state: &mut State) {
        for (g, places) in &self.grips {
            let goes = g.places(moment);
            for (number, &place) in places.iter().enumerate() {
                let k = place as usize;
                let to = goes(number, self.body.rest[k].xyz());
                for c in 0..3 {
                    let by = to[c] - state.start[k].0[c];
                    state.v[k].0[c] = by / self.dt;
                    state.gained[k].0[c] = by;
                    state.free[k].0[c] = by;
                }
            }
        }
    }

    fn predict_all(
        &self,
        part: usize,
        all: Arrays,
        by: (&Scheme, &Loads, &[Record]),
        rigid: &Rigid,
        watch: &dyn Watch,
    ) {
        let p = &self.body.parts.tree[part];
        match p.halves {
            Some([a, b]) => {
                race::join(
                    || self.predict_all(a, all, by, rigid, watch),
                    || self.predict_all(b, all, by, rigid, watch),
                );
            }
            None => watch.during(Phase::Predict, || self.predict_leaf(p.from, p.to, all, by, rigid)),
        }
    }

    /// Velocities take gravity and damping, and carry the points along.
    fn predict_leaf(
        &self,
        from: usize,
        to: usize,
        all: Arrays,
        (scheme, loads, push): (&Scheme, &Loads, &[Record]),
        rigid: &Rigid,
    ) {
        let [dt, one] = [self.dt, 1.0].map(F4::splat);
        let last_dt = F4::splat(if scheme.balance == BACKWARD.balance { self.dt } else { self.tempo.last });
        let relative = self.kept < 1.0 && (!self.body.held || !self.grips.is_empty());
        let euler = scheme.x[2] == 0.0;
        let [last, now, before, _] = scheme.x.map(F4::splat);
        let [stay, old, _] = scheme.v.map(F4::splat);
        let even = F4::three(self.gravity) * dt;
        let uneven = !push.is_empty() || !self.weighs.is_empty();
        for k in from..to {
            let mut g = even;
            if uneven {
                let weighs = self.weighs.get(k).copied().unwrap_or(1.0);
                let push = push.get(k).copied().unwrap_or_default();
                g = even * F4::splat(weighs) + F4::of(&push) * dt;
            }
            // Safety: the points of a leaf are touched by no other.
            let Point { x, free, v, air, flow, start, gained, remainder, was, way } = unsafe { all.at(k) };
            let u = F4::of(v);
            if self.airy {
                (F4::of(air) - u).put(flow);
            }
            *start = *x;
            // Held points have no velocity, and get none.
            let moves = F4::splat(if x.0[3] > 0.0 { 1.0 } else { 0.0 });
            let kept = self.keeps.get(k).copied().unwrap_or(self.kept);
            let still = self.stilled.get(k).copied().unwrap_or(self.stills);
            let heavy = 1.0 / loads.times[k];
            let [fall, gain] = [scheme.x[3], scheme.v[2]].map(|by| F4::splat(by * heavy) * g);
            let r = F4::three(if relative { rigid.at(x.xyz()) } else { [0.0; 3] });
            // Damping is an impulse that shifts what is remembered along with what is.
            let mut impulse = (u - r) * (F4::splat(kept) - one);
            if still < 1.0 {
                impulse = impulse + (u + impulse) * (F4::splat(still) - one);
            }
            let u = (u + impulse) * moves;
            let (w, p) = match euler {
                true => (u, u * dt),
                false => (F4::of(was) + impulse, F4::of(way) + impulse * last_dt),
            };
            let by = now.fma(u, before.fma(w, fall));
            let by = F4::of(remainder) + by.fma(dt, last * p) * moves;
            by.fourth(F4::of(x)).put(gained);
            (stay.fma(u, old.fma(w, gain)) * moves).put(v);
            u.put(was);
            p.put(way);
            *free = *gained;
        }
    }

    /// Velocities change by how far the points were kept from where those led.
    /// (The change, and not the way made over dt, so that a free flight stays exact.)
    /// What contact did is an impulse: it shifts what is remembered along.
    fn finish(&self, part: usize, per_dt: f32, touches: bool, all: Arrays, watch: &dyn Watch) -> Sums {
        let p = &self.body.parts.tree[part];
        if let Some([a, b]) = p.halves {
            let (mut s, t) = race::join(
                || self.finish(a, per_dt, touches, all, watch),
                || self.finish(b, per_dt, touches, all, watch),
            );
            s.add(&t);
            return s;
        }
        watch.during(Phase::Finish, || {
            let impulse = F4::splat(if touches { 1.0 } else { 0.0 });
            let per = F4::splat(per_dt);
            for k in p.from..p.to {
                // Safety: the points of a leaf are touched by no other.
                let Point { x, free, v, start, gained, remainder, was, way, .. } = unsafe { all.at(k) };
                let (at, from, own, u) = (F4::of(start), F4::of(free), F4::of(gained), F4::of(v));
                let (by, own) = match touches {
                    // From where contact was handed the points; they are so near that the difference is exact.
                    true => (F4::of(x) - from, own + (F4::of(x) - (at + own))),
                    false => (own - from, own),
                };
                let by = by * per;
                (u + by).fourth(u).put(v);
                let u = F4::of(was);
                by.fma(impulse, u).fourth(u).put(was);
                (own - F4::of(remainder)).fourth(u).put(way);
                let (to, lost) = two_sum(at, own);
                to.fourth(at).put(x);
                lost.put(remainder);
            }
            if self.kept == 1.0 || self.body.held {
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
            Sums::of(x, v, |k| self.body.mass[p.from + k])
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
    start: *mut Record,
    gained: *mut Record,
    remainder: *mut Record,
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
    gained: &'a mut Record,
    remainder: &'a mut Record,
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
            gained: s.gained.as_mut_ptr(),
            remainder: s.remainder.as_mut_ptr(),
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
                gained: &mut *self.gained.add(k),
                remainder: &mut *self.remainder.add(k),
                was: &mut *self.was.add(k),
                way: &mut *self.way.add(k),
            }
        }
    }
}
