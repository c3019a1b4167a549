//! Seams: rows of stitches that pull two sides together and hold them.
//!
//! A stitch is a thread between a point and a place between two others, which pulls where it is longer than it should be, as a spring
//! in the system of all that pulls (`taut`). While a seam closes, its threads shorten from what they are at the start, so that the sides
//! come together in a given time and don't shoot through each other.
use super::rest::{ClothRest, SeamRest};
use crate::inputs::SeamNow;
use crate::model::cloth::constraint::bend;
use crate::simd::Record;
use glam::DVec3;

/// A seam ready to be met. Points are places of the body.
pub struct Seam {
    stitches: Vec<Thread>,
    /// What threads become as the seam is closed, metres.
    gap: f32,
}

struct Thread {
    point: u32,
    to: [u32; 2],
    share: f32,
    /// Metres at the start.
    first: f32,
    /// N/m.
    stiffness: f32,
}

impl Seam {
    pub fn of(seam: &SeamRest, rest: &ClothRest, at: impl Fn(u32) -> u32) -> Seam {
        let x = |p: u32| DVec3::from(rest.positions[p as usize].map(f64::from));
        let threads = seam.stitches.iter().map(|s| {
            let to = x(s.to[0]).lerp(x(s.to[1]), f64::from(s.share));
            Thread {
                point: at(s.point),
                to: s.to.map(&at),
                share: s.share,
                first: x(s.point).distance(to) as f32,
                stiffness: seam.stiffness * s.length,
            }
        });
        Seam { stitches: threads.collect(), gap: seam.gap }
    }

    pub fn len(&self) -> usize {
        self.stitches.len()
    }

    /// Its threads as springs where they are, at a moment of the frame, from 0 to 1; those that are not taut are left out.
    pub fn springs(&self, now: Option<&SeamNow>, moment: f32, x: &[Record], out: &mut Vec<Spring>) {
        let at = |[a, b]: [f32; 2]| a + moment * (b - a);
        let (open, hold) = now.map_or((0.0, 1.0), |n| (at(n.open), at(n.hold)));
        if hold <= 0.0 {
            return;
        }
        for t in &self.stitches {
            let [p, a, b] = [t.point, t.to[0], t.to[1]].map(|k| x[k as usize]);
            let r = 1.0 - t.share;
            let apart: [f32; 3] = std::array::from_fn(|c| (p.0[c] - b.0[c]) + r * (b.0[c] - a.0[c]));
            let far = apart.iter().map(|c| c * c).sum::<f32>().sqrt();
            let should = self.gap.min(t.first).max(self.gap + open * (t.first - self.gap));
            if far <= should {
                continue;
            }
            out.push(Spring {
                point: [t.point, t.to[0], t.to[1]],
                share: [1.0, t.share - 1.0, -t.share],
                way: apart.map(|c| c / far.max(1e-9)),
                along: hold * t.stiffness,
                across: hold * t.stiffness * (1.0 - should / far.max(1e-9)),
                force: hold * t.stiffness * (far - should),
            });
        }
    }
}

/// A taut thread where it is.
pub struct Spring {
    pub point: [u32; 3],
    pub share: [f32; 3],
    /// Of length 1, from where it is sewn to its point.
    way: [f32; 3],
    /// N/m along it and across.
    along: f32,
    across: f32,
    /// N.
    pub force: f32,
}

impl Spring {
    /// Adds what pulls at its points, N.
    pub fn pull(&self, out: &mut [Record]) {
        for (p, s) in self.point.iter().zip(self.share) {
            (0..3).for_each(|c| out[*p as usize].0[c] -= s * self.force * self.way[c]);
        }
    }

    /// Adds `times` of what it makes of a change of the points.
    pub fn times(&self, of: &[Record], times: f32, out: &mut [Record]) {
        let change: [f32; 3] =
            std::array::from_fn(|c| (0..3).map(|k| self.share[k] * of[self.point[k] as usize].0[c]).sum());
        let a: f32 = (0..3).map(|c| change[c] * self.way[c]).sum();
        let by: [f32; 3] = std::array::from_fn(|c| {
            times * (self.across * change[c] + (self.along - self.across) * a * self.way[c])
        });
        for (p, s) in self.point.iter().zip(self.share) {
            (0..3).for_each(|c| out[*p as usize].0[c] += s * by[c]);
        }
    }

    /// Adds `times` of its blocks on the diagonal, as a triangle does.
    pub fn diagonal(&self, times: f32, out: &mut [[f32; 6]]) {
        for (p, s) in self.point.iter().zip(self.share) {
            let own = &mut out[*p as usize];
            for (n, (i, j)) in [(0, 0), (1, 1), (2, 2), (0, 1), (1, 2), (2, 0)].into_iter().enumerate() {
                let even = if i == j { self.across } else { 0.0 };
                own[n] += times * s * s * (even + (self.along - self.across) * self.way[i] * self.way[j]);
            }
        }
    }
}

/// The folds of creased seams, as hinges from one side over the seam to the other, flat at rest.
pub fn creases(rest: &ClothRest, at: impl Fn(u32) -> u32) -> Vec<bend::Hinge> {
    let x = |p: u32| DVec3::from(rest.positions[p as usize].map(f64::from));
    let cot = |at: u32, p: u32, q: u32| {
        let (u, v) = (x(p) - x(at), x(q) - x(at));
        u.dot(v) / u.cross(v).length().max(1e-12)
    };
    let of = |seam: &SeamRest| {
        let stiff = f64::from(seam.crease);
        let each = seam.folds.iter().filter(move |_| stiff > 0.0).map(move |&[a, b, c, d]| {
            let (ca, cb, da, db) = (cot(a, b, c), cot(b, a, c), cot(a, b, d), cot(b, a, d));
            let weight = [cb + db, ca + da, -(ca + cb), -(da + db)];
            // ½ k L θ², where K is L θ.
            (([a, b, c, d]), weight.map(|w| w as f32), stiff / x(a).distance(x(b)).max(1e-9))
        });
        each.collect::<Vec<_>>()
    };
    rest.seams
        .iter()
        .flat_map(of)
        .map(|(point, weight, stiffness)| bend::Hinge { point: point.map(&at), weight, stiffness, rest: 0.0 })
        .collect()
}
