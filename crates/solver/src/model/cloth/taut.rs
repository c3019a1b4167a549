//! All that pulls at what is filled or sewn, at once: triangles, bends, seams, and gas that gives way.
//!
//! A sub-step leads to the least of ½ |x - x*|² M / b² + E(x), with x* where motion alone leads and b the time in which forces act; found by Newton's
//! method from x* (D. Baraff, A. Witkin, "Large Steps in Cloth Simulation", 1998, eq. 6), for what is under tension all over is a
//! system in which single constraints, met one after another, would each undo the others: after one sweep a cushion of 40 points across
//! would be 3 % too wide. Solved by conjugate gradients (M. Hestenes, E. Stiefel, 1952) with the blocks of the points as preconditioner.
use super::constraint::Scale;
use super::constraint::bend::Hinges;
use super::constraint::membrane::{Tangent, Triangles};
use super::constraint::patch::Patches;
use super::flexure::Flexure;
use super::gas::{Chamber, Filling, Gas};
use super::seam::Seam;
use super::stiff::{self, Pattern, Stiff, Whole};
use crate::damping::Sums;
use crate::inputs::SeamNow;
use crate::parts::Parts;
use crate::simd::{Record, dot, eased, onward, way_on};

/// Steps at most, and how small what is left must be beside what was there.
const MOST: usize = 40;
const LEFT: f64 = 3e-2;
/// Steps of Newton's method at most, and how far from balance is near enough beside where it began.
const ROUNDS: usize = 4;
const NEAR: f64 = 1e-1;
/// How many times its own mass a point weighs across where contact holds it.
const LEAN: f32 = 400.0;
/// A point that contact moved no further, metres, was not met; and one that it moved further, was pushed.
const MET: f32 = 1e-6;
const PUSHED: f32 = 1e-4;

/// The system and all that it needs; scratch.
#[derive(Clone, Debug, Default)]
pub struct System {
    /// N, and then what is left of it.
    left: Vec<Record>,
    stiff: Stiff,
    blocks: Vec<[f32; 6]>,
    /// Of the blocks, by columns; nothing where a point is held.
    inverses: Vec<[Record; 3]>,
    /// Of the points, kg; 0 where held.
    masses: Vec<f32>,
    way: Vec<Record>,
    made: Vec<Record>,
    step: Vec<Record>,
    /// What motion alone gains.
    goes: Vec<Record>,
    /// Which way contact holds each point, if it does: of length 1 or nothing.
    leans: Vec<[f32; 3]>,
    /// Which way colliders did at the end of the last sub-step of this frame.
    held: Vec<[f32; 3]>,
    /// For each chamber the slope of its volume at each point, m², and what it gives way by, Pa/m³.
    pub slopes: Vec<Vec<[f64; 3]>>,
}

/// What pulls, where the points are.
pub struct Pulls<'a> {
    pub parts: &'a Parts,
    /// Of each part.
    pub triangles: Vec<&'a [Triangles]>,
    pub flexure: &'a Flexure,
    pub pattern: &'a Pattern,
    /// What is curved at rest, where anything is.
    pub curved: Vec<(&'a [Hinges], &'a [Patches])>,
    pub seams: Vec<(&'a Seam, Option<&'a SeamNow>)>,
    /// How far points lie apart at rest, metres.
    pub apart: f32,
    /// Of the frame, from 0 to 1.
    pub moment: f32,
    pub chambers: &'a [Chamber],
}

/// Where points were when the sub-step began, what they gained since, and where that is.
pub struct Gains<'a> {
    pub start: &'a [Record],
    pub gained: &'a mut [Record],
    pub x: &'a mut [Record],
}

impl Gains<'_> {
    /// Contact moved the points: they gained that.
    pub fn take_up(&mut self) {
        for ((x, start), gained) in self.x.iter().zip(self.start).zip(self.gained.iter_mut()) {
            (0..3).for_each(|c| gained.0[c] += x.0[c] - (start.0[c] + gained.0[c]));
        }
    }

    /// The first `n` points go further, each by its own way.
    fn go(&mut self, n: usize, way: impl Fn(usize, &Record) -> [f32; 3]) {
        let each = self.x[..n].iter_mut().zip(self.start).zip(self.gained.iter_mut()).enumerate();
        for (k, ((x, start), gained)) in each {
            let by = way(k, x);
            for c in 0..3 {
                gained.0[c] += by[c];
                x.0[c] = start.0[c] + gained.0[c];
            }
        }
    }
}

/// Adds what contact holds by: points are heavy that way.
fn hold(masses: &[f32], leans: &[[f32; 3]], way: &[Record], out: &mut [Record]) {
    for (((m, d), p), mass) in out.iter_mut().zip(leans).zip(way).zip(masses) {
        if *d != [0.0; 3] {
            let by = LEAN * mass * (0..3).map(|c| d[c] * p.0[c]).sum::<f32>();
            (0..3).for_each(|c| m.0[c] += by * d[c]);
        }
    }
}

/// Which way a point was pushed, and how far, if it was.
fn lean(by: [f32; 3]) -> Option<([f32; 3], f32)> {
    let far = by.iter().map(|c| c * c).sum::<f32>().sqrt();
    (far > MET).then(|| (by.map(|c| c / far), far))
}

impl System {
    /// Nothing is known to be met.
    pub fn forget(&mut self) {
        self.held.clear();
    }

    /// Notes which points colliders pushed, and which way. (What other bodies push is not held: it has to feel what pushes back.)
    pub fn met(&mut self, pushes: &[Record]) {
        let mut any = false;
        self.held.resize(pushes.len(), [0.0; 3]);
        for (held, by) in self.held.iter_mut().zip(pushes) {
            match lean(by.xyz()) {
                None => *held = [0.0; 3],
                // A push that is as small as what a hold gives way by says little about where it leads.
                Some((way, far)) => {
                    any = true;
                    if far > PUSHED || *held == [0.0; 3] {
                        *held = way;
                    }
                }
            }
        }
        if !any {
            self.held.clear();
        }
    }

    /// What moves off what held it is held no more.
    fn let_go(&mut self, gained: &[Record]) {
        for ((lean, gained), goes) in self.leans.iter_mut().zip(gained).zip(&self.goes) {
            if (0..3).map(|c| lean[c] * (gained.0[c] - goes.0[c])).sum::<f32>() > 0.0 {
                *lean = [0.0; 3];
            }
        }
    }
}

impl Pulls<'_> {
    /// Moves the points of a body to where all that pulls is in balance with their motion.
    pub fn balance(
        &self,
        scale: Scale,
        (gas, filling): (&mut [Gas], &[Filling]),
        at: &mut Gains,
        own: &mut System,
    ) {
        own.goes.clear();
        own.goes.extend_from_slice(at.gained);
        own.leans.clone_from(&own.held);
        let mut first = 0.0;
        for round in 0..ROUNDS {
            let before = self.round(scale, (&mut *gas, filling), at, own, first);
            if round == 0 {
                first = before;
            }
            own.let_go(at.gained);
            if before <= NEAR * NEAR * first && round > 0 {
                break;
            }
        }
        self.keep_momentum(scale, (gas, filling), at, own);
        for (((chamber, gas), now), slopes) in
            self.chambers.iter().zip(gas.iter_mut()).zip(filling).zip(own.slopes.iter_mut())
        {
            chamber.end(gas, now, at.x, slopes);
        }
    }

    /// After contact has moved points: all that pulls in balance once more, with those held across where they were met. `free` is where they
    /// were before. Gives the most that any moved, metres.
    pub fn settle(
        &self,
        scale: Scale,
        (gas, filling): (&mut [Gas], &[Filling]),
        free: &[Record],
        at: &mut Gains,
        own: &mut System,
    ) -> f32 {
        let n = self.parts.order.len();
        own.goes.resize(at.x.len(), Record::default());
        own.leans.clear();
        let mut met = false;
        own.leans.extend(at.x[..n].iter().zip(free).zip(&mut own.goes).map(|((x, free), goes)| {
            let by: [f32; 3] = std::array::from_fn(|c| x.0[c] - free.0[c]);
            let Some((way, _)) = lean(by).filter(|_| x.0[3] > 0.0) else { return [0.0; 3] };
            met = true;
            (0..3).for_each(|c| goes.0[c] += by[c]);
            way
        }));
        if !met {
            return 0.0;
        }
        let before: Vec<Record> = at.gained[..n].to_vec();
        self.round(scale, (gas, filling), at, own, 0.0);
        own.leans.clear();
        at.gained
            .iter()
            .zip(&before)
            .map(|(a, b)| (0..3).map(|c| (a.0[c] - b.0[c]).powi(2)).sum::<f32>().sqrt())
            .fold(0.0, f32::max)
    }

    /// What pulls within a body moves and turns it by nothing as a whole; what a solution that is only near has of that is taken back, so
    /// that only what its fill lifts with is left.
    fn keep_momentum(
        &self,
        scale: Scale,
        (gas, filling): (&mut [Gas], &[Filling]),
        at: &mut Gains,
        own: &mut System,
    ) {
        let n = self.parts.order.len();
        let (x, gained) = (&*at.x, &*at.gained);
        if x[..n].iter().any(|x| x.0[3] <= 0.0) {
            return;
        }
        let b2 = scale.dt * scale.dt;
        let System { left, made, slopes, goes, leans, .. } = own;
        left.iter_mut().for_each(|f| *f = Record::default());
        for (((chamber, gas), now), slopes) in
            self.chambers.iter().zip(gas.iter_mut()).zip(filling).zip(slopes.iter_mut())
        {
            chamber.press(gas, now, x, slopes, left);
        }
        let moved = || gained.iter().zip(goes.iter());
        for (((m, (to, from)), f), x) in made.iter_mut().zip(moved()).zip(left.iter()).zip(x) {
            let by = b2 * x.0[3];
            let own = |c: usize| (to.0[c] - from.0[c]) - by * f.0[c];
            *m = Record(std::array::from_fn(|c| if c < 3 { own(c) } else { 0.0 }));
        }
        // What held it is not its own either.
        for ((m, lean), (to, from)) in made.iter_mut().zip(leans.iter()).zip(moved()) {
            let by = LEAN * (0..3).map(|c| lean[c] * (to.0[c] - from.0[c])).sum::<f32>();
            (0..3).for_each(|c| m.0[c] += by * lean[c]);
        }
        let whole = Sums::of(&x[..n], &made[..n], |k| 1.0 / x[k].0[3]).rigid();
        at.go(n, |_, x| whole.at(x.xyz()).map(|by| -by));
    }

    /// One step of Newton's method. Gives how far it was from balance before, unless that is little beside what it was at `first`: then
    /// nothing moves.
    fn round(
        &self,
        scale: Scale,
        (gas, filling): (&mut [Gas], &[Filling]),
        at: &mut Gains,
        own: &mut System,
        first: f64,
    ) -> f64 {
        let n = self.parts.order.len();
        let (x, gained) = (&*at.x, &*at.gained);
        let b2 = scale.dt * scale.dt;
        let System { left, stiff, blocks, inverses, masses, way, made, step, slopes, goes, leans, .. } = own;
        masses.clear();
        masses.extend(
            x.iter().enumerate().map(|(k, x)| if k < n && x.0[3] > 0.0 { 1.0 / x.0[3] } else { 0.0 }),
        );
        for list in [&mut *left, way, made, step] {
            list.clear();
            list.resize(x.len(), Record::default());
        }
        // Forces, and how they change.
        let from = [at.start.as_ptr(), gained.as_ptr()];
        // Safety: a group's points are its part's, and a part is one thread's.
        let tangent = |g: &Triangles, at: &stiff::At| unsafe { Tangent::of(g, at.from, scale, at.forces) };
        stiff.make(self.pattern, (self.parts, &self.triangles), (from, left.as_mut_ptr()), b2, &tangent);
        let mut springs = vec![];
        self.seams.iter().for_each(|(seam, now)| seam.springs(*now, self.moment, x, &mut springs));
        springs.iter().for_each(|s| s.pull(left));
        // Of both, for it is linear: so nothing of a small gain is lost.
        self.flexure.times(at.start, -1.0, left);
        self.flexure.times(gained, -1.0, left);
        let both = [at.start, gained];
        for (hinges, patches) in &self.curved {
            hinges.iter().for_each(|g| g.curl(both, scale.rest * scale.folds, left));
            patches.iter().for_each(|g| g.curl(both, scale.rest * scale.folds, left));
        }
        slopes.resize_with(self.chambers.len(), Vec::new);
        let gives: Vec<f64> = self
            .chambers
            .iter()
            .zip(gas.iter_mut())
            .zip(filling)
            .zip(slopes.iter_mut())
            .map(|(((chamber, gas), now), slopes)| chamber.press(gas, now, x, slopes, left))
            .collect();
        // Blocks of the diagonal: mass, and what pulls.
        blocks.clear();
        blocks.extend(x.iter().map(|x| {
            let mass = if x.0[3] > 0.0 { 1.0 / x.0[3] } else { 1.0 };
            [mass, mass, mass, 0.0, 0.0, 0.0]
        }));
        for (b, d) in blocks.iter_mut().zip(leans.iter()) {
            let by = LEAN * b[0];
            for (n, (i, j)) in [(0, 0), (1, 1), (2, 2), (0, 1), (1, 2), (2, 0)].into_iter().enumerate() {
                b[n] += by * d[i] * d[j];
            }
        }
        stiff.diagonal(self.pattern, blocks);
        springs.iter().for_each(|s| s.diagonal(b2, blocks));
        self.flexure.diagonal(b2, blocks);
        inverses.clear();
        inverses.extend(blocks.iter().zip(masses.iter()).map(|(b, m)| match *m > 0.0 {
            true => inverse(*b),
            false => [Record::default(); 3],
        }));
        // What is left of balance: forces, and the way from where motion leads. What is held stays.
        for (k, r) in left.iter_mut().enumerate() {
            let w = x[k].0[3];
            *r = match k < n && w > 0.0 {
                true => Record([0, 1, 2, 3].map(|c| match c {
                    3 => 0.0,
                    _ => b2.mul_add(r.0[c], (goes[k].0[c] - gained[k].0[c]) / w),
                })),
                false => Record::default(),
            };
        }
        eased(inverses, left, way);
        let mut rz = dot(left, way);
        let begun = rz;
        if begun <= NEAR * NEAR * first {
            return begun;
        }
        let whole = Whole { pattern: self.pattern, flexure: self.flexure, times: b2, masses };
        for _ in 0..MOST {
            if rz <= LEFT * LEFT * begun.max(first * NEAR) || rz.is_nan() || rz <= 0.0 {
                break;
            }
            stiff.answer(whole, way, made);
            hold(masses, leans, way, made);
            springs.iter().for_each(|s| s.times(way, b2, made));
            for (slopes, gives) in slopes.iter().zip(&gives).filter(|(_, g)| **g > 0.0) {
                let grows: f64 = slopes
                    .iter()
                    .zip(way.iter())
                    .map(|(g, p)| (0..3).map(|c| g[c] * f64::from(p.0[c])).sum::<f64>())
                    .sum();
                let by = f64::from(b2) * gives * grows;
                for (m, g) in made.iter_mut().zip(slopes) {
                    (0..3).for_each(|c| m.0[c] += (by * g[c]) as f32);
                }
            }
            let bent = dot(way, made);
            if bent <= 0.0 || !bent.is_finite() {
                break;
            }
            let now = onward((rz / bent) as f32, inverses, (way, made), (step, left));
            way_on((now / rz) as f32, made, way);
            rz = now;
        }
        // A step that would go far beyond what it was found for is cut short; the next goes on from there.
        let far = step
            .iter()
            .take(n)
            .map(|s| s.0[..3].iter().map(|c| c * c).sum::<f32>())
            .fold(0.0, f32::max)
            .sqrt();
        let times = if far > self.apart { self.apart / far } else { 1.0 };
        at.go(n, |k, _| std::array::from_fn(|c| times * step[k].0[c]));
        begun
    }
}

/// The columns of the inverse of a symmetric block: xx, yy, zz, xy, yz, zx.
fn inverse([a, b, c, d, e, f]: [f32; 6]) -> [Record; 3] {
    let [a, b, c, d, e, f] = [a, b, c, d, e, f].map(f64::from);
    let (p, q, r) = (b * c - e * e, a * c - f * f, a * b - d * d);
    let (s, t, u) = (e * f - c * d, d * f - a * e, d * e - b * f);
    let det = a * p + d * s + f * u;
    let per = if det.abs() > 1e-300 { 1.0 / det } else { 0.0 };
    let [p, q, r, s, t, u] = [p, q, r, s, t, u].map(|v| (v * per) as f32);
    [[p, s, u], [s, q, t], [u, t, r]].map(|[x, y, z]| Record([x, y, z, 0.0]))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_block_times_its_inverse_is_one() {
        let b = [4.0, 3.0, 5.0, 1.0, -0.5, 0.7];
        let r = [Record([0.3, -0.2, 0.9, 0.0])];
        let columns =
            [[4.0, 1.0, 0.7], [1.0, 3.0, -0.5], [0.7, -0.5, 5.0]].map(|[x, y, z]| Record([x, y, z, 0.0]));
        let (mut out, mut back) = ([Record::default()], [Record::default()]);
        eased(&[columns], &r, &mut out);
        eased(&[inverse(b)], &out, &mut back);
        for c in 0..3 {
            assert!((back[0].0[c] - r[0].0[c]).abs() < 1e-5);
        }
    }
}
