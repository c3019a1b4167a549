//! All that pulls at what is filled or sewn, at once: triangles, seams, and gas that gives way.
//!
//! A sub-step leads to the least of ½ |x - x*|² M / b² + E(x), with x* where motion alone leads and b the time in which forces act; found by Newton's
//! method from x* (D. Baraff, A. Witkin, "Large Steps in Cloth Simulation", 1998, eq. 6), for what is under tension all over is a
//! system in which single constraints, met one after another, would each undo the others: after one sweep a cushion of 40 points across
//! would be 3 % too wide. Solved by conjugate gradients (M. Hestenes, E. Stiefel, 1952) with the blocks of the points as preconditioner.
use super::constraint::Scale;
use super::constraint::membrane::{Tangent, Triangles};
use super::gas::{Chamber, Filling, Gas};
use super::seam::Seam;
use crate::damping::Sums;
use crate::inputs::SeamNow;
use crate::parts::Parts;
use crate::race;
use crate::simd::{F8, Record};

/// Steps at most, and how small what is left must be beside what was there.
const MOST: usize = 40;
const LEFT: f64 = 3e-2;
/// Steps of Newton's method at most, and how far from balance is near enough beside where it began.
const ROUNDS: usize = 4;
const NEAR: f64 = 1e-1;
/// How many times its own mass a point weighs across where contact holds it.
const LEAN: f32 = 400.0;

/// The system and all that it needs; scratch.
#[derive(Clone, Debug, Default)]
pub struct System {
    /// N, and then what is left of it.
    left: Vec<Record>,
    blocks: Vec<[f32; 6]>,
    way: Vec<Record>,
    made: Vec<Record>,
    step: Vec<Record>,
    /// Where motion alone leads.
    goes: Vec<Record>,
    /// Which way contact holds each point, if it does: of length 1 or nothing.
    leans: Vec<[f32; 3]>,
    /// For each chamber the slope of its volume at each point, m², and what it gives way by, Pa/m³.
    pub slopes: Vec<Vec<[f64; 3]>>,
}

/// What pulls, where the points are.
pub struct Pulls<'a> {
    pub parts: &'a Parts,
    /// Of each part.
    pub triangles: Vec<&'a [Triangles]>,
    pub seams: Vec<(&'a Seam, Option<&'a SeamNow>)>,
    /// How far points lie apart at rest, metres.
    pub apart: f32,
    /// Of the frame, from 0 to 1.
    pub moment: f32,
    pub chambers: &'a [Chamber],
}

fn dot(a: &[Record], b: &[Record]) -> f64 {
    a.iter().zip(b).map(|(a, b)| (0..3).map(|c| f64::from(a.0[c]) * f64::from(b.0[c])).sum::<f64>()).sum()
}

/// Pointers that threads share, each at points of its own part.
#[derive(Clone, Copy)]
struct At {
    from: *const Record,
    to: *mut Record,
}
// Safety: as for `constraint::Points`.
unsafe impl Send for At {}
unsafe impl Sync for At {}

impl Pulls<'_> {
    /// Moves the points of a body to where all that pulls is in balance with their motion.
    pub fn balance(
        &self,
        scale: Scale,
        (gas, filling): (&mut [Gas], &[Filling]),
        x: &mut [Record],
        own: &mut System,
    ) {
        own.goes.clear();
        own.goes.extend_from_slice(x);
        let mut first = 0.0;
        for round in 0..ROUNDS {
            let before = self.round(scale, (&mut *gas, filling), x, own, first);
            if round == 0 {
                first = before;
            }
            if before <= NEAR * NEAR * first && round > 0 {
                break;
            }
        }
        self.keep_momentum(scale, (gas, filling), x, own);
        for (((chamber, gas), now), slopes) in
            self.chambers.iter().zip(gas.iter_mut()).zip(filling).zip(own.slopes.iter_mut())
        {
            chamber.end(gas, now, x, slopes);
        }
    }

    /// After contact has moved points: all that pulls in balance once more, with those held across where they were met. `free` is where they
    /// were before. Gives the most that any moved, metres.
    pub fn settle(
        &self,
        scale: Scale,
        (gas, filling): (&mut [Gas], &[Filling]),
        free: &[Record],
        x: &mut [Record],
        own: &mut System,
    ) -> f32 {
        let n = self.parts.order.len();
        own.goes.resize(x.len(), Record::default());
        own.leans.clear();
        own.leans.resize(x.len(), [0.0; 3]);
        let mut met = false;
        for k in 0..n {
            let by: [f32; 3] = std::array::from_fn(|c| x[k].0[c] - free[k].0[c]);
            let far = by.iter().map(|c| c * c).sum::<f32>().sqrt();
            if far > 1e-6 && x[k].0[3] > 0.0 {
                met = true;
                (0..3).for_each(|c| own.goes[k].0[c] += by[c]);
                own.leans[k] = by.map(|c| c / far);
            }
        }
        if !met {
            return 0.0;
        }
        let before: Vec<Record> = x[..n].to_vec();
        self.round(scale, (gas, filling), x, own, 0.0);
        own.leans.clear();
        x.iter()
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
        x: &mut [Record],
        own: &mut System,
    ) {
        let n = self.parts.order.len();
        if x[..n].iter().any(|x| x.0[3] <= 0.0) {
            return;
        }
        let b2 = scale.dt * scale.dt;
        let System { left, made, slopes, goes, .. } = own;
        left.iter_mut().for_each(|f| *f = Record::default());
        for (((chamber, gas), now), slopes) in
            self.chambers.iter().zip(gas.iter_mut()).zip(filling).zip(slopes.iter_mut())
        {
            chamber.press(gas, now, x, slopes, left);
        }
        for (m, ((x, from), f)) in made.iter_mut().zip(x.iter().zip(goes.iter()).zip(left.iter())) {
            let by = b2 * x.0[3];
            *m =
                Record(std::array::from_fn(|c| if c < 3 { (x.0[c] - from.0[c]) - by * f.0[c] } else { 0.0 }));
        }
        let whole = Sums::of(&x[..n], &made[..n], |k| 1.0 / x[k].0[3]).rigid();
        for x in x.iter_mut().take(n) {
            let by = whole.at(x.xyz());
            (0..3).for_each(|c| x.0[c] -= by[c]);
        }
    }

    /// One step of Newton's method. Gives how far it was from balance before, unless that is little beside what it was at `first`: then
    /// nothing moves.
    fn round(
        &self,
        scale: Scale,
        (gas, filling): (&mut [Gas], &[Filling]),
        x: &mut [Record],
        own: &mut System,
        first: f64,
    ) -> f64 {
        let n = self.parts.order.len();
        let b2 = scale.dt * scale.dt;
        let System { left, blocks, way, made, step, slopes, goes, leans } = own;
        for list in [&mut *left, way, made, step] {
            list.clear();
            list.resize(x.len(), Record::default());
        }
        // Forces, and how they change.
        let mut tangents: Vec<Vec<Tangent>> = vec![];
        tangents.resize_with(self.triangles.len(), Vec::new);
        race::phase();
        self.tangents(0, At { from: x.as_ptr(), to: left.as_mut_ptr() }, scale, Lists(tangents.as_mut_ptr()));
        let mut springs = vec![];
        self.seams.iter().for_each(|(seam, now)| seam.springs(*now, self.moment, x, &mut springs));
        springs.iter().for_each(|s| s.pull(left));
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
        for (groups, tangents) in self.triangles.iter().zip(&tangents) {
            groups.iter().zip(tangents).for_each(|(g, t)| t.diagonal(g, b2, blocks));
        }
        springs.iter().for_each(|s| s.diagonal(b2, blocks));
        blocks.iter_mut().for_each(|b| *b = inverse(*b));
        // What is left of balance: forces, and the way from where motion leads. What is held stays.
        for (k, r) in left.iter_mut().enumerate() {
            let w = x[k].0[3];
            *r = match k < n && w > 0.0 {
                true => Record([0, 1, 2, 3].map(|c| match c {
                    3 => 0.0,
                    _ => b2.mul_add(r.0[c], (goes[k].0[c] - x[k].0[c]) / w),
                })),
                false => Record::default(),
            };
        }
        eased(blocks, left, way);
        let mut rz = dot(left, way);
        let begun = rz;
        if begun <= NEAR * NEAR * first {
            return begun;
        }
        for _ in 0..MOST {
            if rz <= LEFT * LEFT * begun.max(first * NEAR) || rz.is_nan() || rz <= 0.0 {
                break;
            }
            for (m, (p, x)) in made.iter_mut().zip(way.iter().zip(x.iter())) {
                let mass = if x.0[3] > 0.0 { 1.0 / x.0[3] } else { 0.0 };
                *m = Record([mass * p.0[0], mass * p.0[1], mass * p.0[2], 0.0]);
            }
            for ((m, d), (p, x)) in made.iter_mut().zip(leans.iter()).zip(way.iter().zip(x.iter())) {
                if x.0[3] > 0.0 {
                    let by = LEAN / x.0[3] * (0..3).map(|c| d[c] * p.0[c]).sum::<f32>();
                    (0..3).for_each(|c| m.0[c] += by * d[c]);
                }
            }
            race::phase();
            self.times(0, At { from: way.as_ptr(), to: made.as_mut_ptr() }, b2, &tangents);
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
            made.iter_mut()
                .zip(x.iter())
                .filter(|(_, x)| x.0[3] <= 0.0)
                .for_each(|(m, _)| *m = Record::default());
            let bent = dot(way, made);
            if bent <= 0.0 || !bent.is_finite() {
                break;
            }
            let a = (rz / bent) as f32;
            for ((s, p), (r, m)) in step.iter_mut().zip(way.iter()).zip(left.iter_mut().zip(made.iter())) {
                for c in 0..3 {
                    s.0[c] += a * p.0[c];
                    r.0[c] -= a * m.0[c];
                }
            }
            eased(blocks, left, made);
            let now = dot(left, made);
            let on = (now / rz) as f32;
            for (p, z) in way.iter_mut().zip(made.iter()) {
                (0..3).for_each(|c| p.0[c] = on.mul_add(p.0[c], z.0[c]));
            }
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
        for (x, s) in x.iter_mut().zip(step.iter()).take(n) {
            (0..3).for_each(|c| x.0[c] += times * s.0[c]);
        }
        begun
    }

    fn tangents(&self, part: usize, at: At, scale: Scale, out: Lists) {
        if let Some([a, b]) = self.parts.tree[part].halves {
            race::join(|| self.tangents(a, at, scale, out), || self.tangents(b, at, scale, out));
        }
        let At { from, to } = at;
        // Safety: this part's points and its list are ours until we return.
        let own = self.triangles[part].iter().map(|g| unsafe { Tangent::of(g, from, scale, to) }).collect();
        unsafe { *out.at(part) = own };
    }

    fn times(&self, part: usize, at: At, times: f32, tangents: &[Vec<Tangent>]) {
        if let Some([a, b]) = self.parts.tree[part].halves {
            race::join(|| self.times(a, at, times, tangents), || self.times(b, at, times, tangents));
        }
        let At { from, to } = at;
        let times = F8::splat(times);
        // Safety: as above.
        self.triangles[part]
            .iter()
            .zip(&tangents[part])
            .for_each(|(g, t)| unsafe { t.times(g, from, times, to) });
    }
}

/// The lists of the parts, for threads that are each at their own.
#[derive(Clone, Copy)]
struct Lists(*mut Vec<Tangent>);
// Safety: as for `At`.
unsafe impl Send for Lists {}
unsafe impl Sync for Lists {}
impl Lists {
    /// Safety: no other thread is at this part.
    unsafe fn at(self, part: usize) -> *mut Vec<Tangent> {
        unsafe { self.0.add(part) }
    }
}

/// The inverse of a symmetric block: xx, yy, zz, xy, yz, zx.
fn inverse([a, b, c, d, e, f]: [f32; 6]) -> [f32; 6] {
    let [a, b, c, d, e, f] = [a, b, c, d, e, f].map(f64::from);
    let (p, q, r) = (b * c - e * e, a * c - f * f, a * b - d * d);
    let (s, t, u) = (e * f - c * d, d * f - a * e, d * e - b * f);
    let det = a * p + d * s + f * u;
    let per = if det.abs() > 1e-300 { 1.0 / det } else { 0.0 };
    [p * per, q * per, r * per, s * per, t * per, u * per].map(|v| v as f32)
}

fn eased(blocks: &[[f32; 6]], of: &[Record], out: &mut [Record]) {
    for ((b, r), o) in blocks.iter().zip(of).zip(out) {
        let [x, y, z, _] = r.0;
        *o = Record([
            b[0] * x + b[3] * y + b[5] * z,
            b[3] * x + b[1] * y + b[4] * z,
            b[5] * x + b[4] * y + b[2] * z,
            0.0,
        ]);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_block_times_its_inverse_is_one() {
        let b = [4.0, 3.0, 5.0, 1.0, -0.5, 0.7];
        let r = [Record([0.3, -0.2, 0.9, 0.0])];
        let mut out = [Record::default()];
        eased(&[b], &r, &mut out);
        let mut back = [Record::default()];
        eased(&[inverse(b)], &out, &mut back);
        for c in 0..3 {
            assert!((back[0].0[c] - r[0].0[c]).abs() < 1e-5);
        }
    }
}
