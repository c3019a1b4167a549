//! A current along a curve: air goes along it, drawn toward it, within a radius of it.
//!
//! The curve goes through its points (E. Catmull, R. Rom, "A Class of Local Interpolating Splines", 1974, uniform), as so many
//! straight pieces that no kink shows; what is near it goes by the nearest place on these, with the direction there between those
//! of the piece's ends. Along, all in the middle and (1 - ρ²)² at ρ radii from it; toward it, S 3.494 ρ (1 - ρ²)², S at most.
use crate::word;
use crate::{Bead, Flow, Kind, Marks, Now, Outline, outline};
use nematon_motion::{Moment, Value};
use nematon_simd::{F8, V8};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A current along a curve.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(extend("placed" = true))]
pub struct Stream {
    /// Along the curve, from its first point on; below 0 back.
    #[schemars(title = "Speed", range(min = -150, max = 150), extend("unit" = "m/s"))]
    pub speed: Value,
    /// Toward the curve, at most; below 0 away from it.
    #[schemars(title = "Draw-in", range(min = -150, max = 150), extend("unit" = "m/s"))]
    #[serde(default)]
    pub draw_in: Value,
    /// Nothing beyond.
    #[schemars(title = "Radius", range(min = 0.01, max = 1000), extend("unit" = "m"))]
    pub radius: Value,
    /// What the curve goes through, beside its place.
    #[schemars(title = "Points", length(min = 2, max = 400), inner(inner(range(min = -10_000, max = 10_000))), extend("unit" = "m"))]
    pub points: Vec<[f64; 3]>,
    /// Whether it goes from its last point to its first.
    #[schemars(title = "Closed")]
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub closed: bool,
}

/// A stream at a moment.
#[derive(Clone, Debug, PartialEq)]
pub struct StreamNow {
    /// m/s.
    pub speed: f32,
    /// m/s.
    pub draw_in: f32,
    /// Metres.
    pub radius: f32,
    pub points: Vec<[f32; 3]>,
    pub closed: bool,
}

impl Default for Stream {
    fn default() -> Self {
        Stream::begin()
    }
}

impl Kind for Stream {
    type Now = StreamNow;
    const PLACED: bool = true;
    fn begin() -> Self {
        let points = vec![[-1.5, 0.8, 0.0], [-0.5, 1.2, 0.4], [0.5, 1.2, -0.4], [1.5, 0.8, 0.0]];
        Stream { speed: 3.0.into(), draw_in: 0.0.into(), radius: 0.5.into(), points, closed: false }
    }
    fn at(&self, moment: &Moment, share: f64) -> StreamNow {
        let Stream { speed, draw_in, radius, points, closed } = self;
        let of = |v: &Value| (share * v.at(moment)) as f32;
        StreamNow {
            speed: of(speed),
            draw_in: of(draw_in),
            radius: radius.at(moment) as f32,
            points: points.iter().map(|p| p.map(|c| c as f32)).collect(),
            closed: *closed,
        }
    }
}

/// Straight pieces of a curve: each from a place along a way, with the directions at its two ends.
pub struct Course {
    speed: f32,
    draw_in: f32,
    per_radius: f32,
    pieces: Vec<Piece>,
}

struct Piece {
    from: [f32; 3],
    way: [f32; 3],
    per_length2: f32,
    begins: [f32; 3],
    turns: [f32; 3],
}

/// Pieces from one point of a curve to the next at least, and of all of it at most.
const BETWEEN: usize = 6;
const MOST: usize = 240;

/// Places on the curve through some points.
pub fn curve(points: &[[f32; 3]], closed: bool) -> Vec<[f32; 3]> {
    let n = points.len();
    let gaps = if closed && n > 2 { n } else { n.saturating_sub(1) };
    if gaps == 0 {
        return points.to_vec();
    }
    let between = BETWEEN.min(MOST / gaps).max(1);
    let at = |k: isize| -> [f64; 3] {
        let n = n as isize;
        let of = |k: isize| points[k as usize].map(f64::from);
        match () {
            () if closed => of(k.rem_euclid(n)),
            // Beyond an end it goes straight on.
            () if k < 0 => std::array::from_fn(|c| 2.0 * of(0)[c] - of(1)[c]),
            () if k >= n => std::array::from_fn(|c| 2.0 * of(n - 1)[c] - of(n - 2)[c]),
            () => of(k),
        }
    };
    let mut out = vec![];
    for gap in 0..gaps as isize {
        let [a, b, c, d] = [-1, 0, 1, 2].map(|k| at(gap + k));
        for step in 0..between {
            let t = step as f64 / between as f64;
            out.push(std::array::from_fn(|k| {
                let (p, q) = (0.5 * (c[k] - a[k]), 0.5 * (d[k] - b[k]));
                let (t2, t3) = (t * t, t * t * t);
                let (h0, h1) = (2.0 * t3 - 3.0 * t2 + 1.0, 3.0 * t2 - 2.0 * t3);
                (h0 * b[k] + h1 * c[k] + (t3 - 2.0 * t2 + t) * p + (t3 - t2) * q) as f32
            }));
        }
    }
    out.push(at(gaps as isize).map(|c| c as f32));
    out
}

impl Now for StreamNow {
    type Flow = Course;
    fn mark(&self, to: &mut Marks) {
        let StreamNow { speed, draw_in, radius, points, closed } = self;
        to.words(&[word::STREAM, u32::from(*closed), points.len() as u32]);
        to.numbers(&[*speed, *draw_in, *radius]);
        points.iter().for_each(|p| to.numbers(p));
    }
    fn speed(&self) -> f32 {
        self.speed.abs() + self.draw_in.abs()
    }
    fn outline(&self) -> Outline {
        let at = curve(&self.points, self.closed);
        let mut core = outline::path(&at);
        let n = at.len();
        if let [.., a, b] = at[..] {
            let (a, b) = if self.speed < 0.0 { (at[1], at[0]) } else { (a, b) };
            core.extend(outline::arrow(std::array::from_fn(|c| b[c] + 2.0 * (a[c] - b[c])), b));
        }
        // How wide it is, here and there along it.
        let soft = (0..n).step_by((n / 8).max(1)).flat_map(|k: usize| {
            let [p, q] = [at[k.saturating_sub(1)], at[(k + 1).min(n - 1)]];
            let d: [f64; 3] = std::array::from_fn(|c| f64::from(q[c] - p[c]));
            let size = d.iter().map(|c| c * c).sum::<f64>().sqrt().max(1e-9);
            let (u, v) = crate::across(d.map(|c| c / size));
            let middle = at[k];
            let place = move |l: &[f32; 3]| -> [f32; 3] {
                std::array::from_fn(|c| middle[c] + l[0] * u[c] as f32 + l[2] * v[c] as f32)
            };
            let ring = outline::round(0.0, self.radius);
            ring.iter().map(|l| [place(&l[0]), place(&l[1])]).collect::<Vec<_>>()
        });
        let soft = soft.collect();
        let at = self.points.first().copied().unwrap_or_default();
        let beads = vec![Bead::on("act/stream/radius", 1, self.radius, 1.0, 0.0).beside(at)];
        Outline { core, soft, beads }
    }
    fn flow(&self, _: f64) -> Course {
        let at = curve(&self.points, self.closed);
        let sub = |a: [f32; 3], b: [f32; 3]| -> [f32; 3] { std::array::from_fn(|c| b[c] - a[c]) };
        let ways: Vec<[f32; 3]> =
            at.windows(2).map(|w| sub(w[0], w[1])).filter(|w| dot(*w, *w) > 1e-16).collect();
        let unit = |v: [f32; 3]| v.map(|c| c / dot(v, v).max(1e-20).sqrt());
        let n = ways.len();
        let round = self.closed && n > 2;
        // At a point between two pieces the direction is between theirs.
        let through = |k: usize| {
            let (a, b) = match k {
                0 if round => (n - 1, 0),
                0 => (0, 0),
                k if k == n && round => (n - 1, 0),
                k if k == n => (n - 1, n - 1),
                k => (k - 1, k),
            };
            let (p, q) = (unit(ways[a]), unit(ways[b]));
            unit(std::array::from_fn(|c| p[c] + q[c]))
        };
        let mut from = at.first().copied().unwrap_or_default();
        let mut pieces = vec![];
        for (k, way) in ways.iter().enumerate() {
            let (begins, ends) = (through(k), through(k + 1));
            pieces.push(Piece {
                from,
                way: *way,
                per_length2: 1.0 / dot(*way, *way),
                begins,
                turns: sub(begins, ends),
            });
            from = std::array::from_fn(|c| from[c] + way[c]);
        }
        Course { speed: self.speed, draw_in: self.draw_in, per_radius: 1.0 / self.radius.max(1e-4), pieces }
    }
}

fn dot(a: [f32; 3], b: [f32; 3]) -> f32 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}

impl Flow for Course {
    #[inline(always)]
    fn velocity(&self, x: V8) -> V8 {
        let all = F8::splat;
        let mut near = all(f32::MAX);
        let mut away = V8::splat([0.0; 3]);
        let mut along = V8::splat([0.0; 3]);
        for p in &self.pieces {
            let d = x - V8::splat(p.from);
            let way = V8::splat(p.way);
            let t = (d.dot(way) * all(p.per_length2)).unit_clamp();
            let off = d - way.scale(t);
            let far = off.dot(off);
            let closer = far.below(near);
            near = near.min(far);
            away = V8::pick(closer, off, away);
            along = V8::pick(closer, V8::splat(p.turns).fma(t, V8::splat(p.begins)), along);
        }
        let rho2 = near.min(all(1e12)) * all(self.per_radius * self.per_radius);
        let inside = (all(1.0) - rho2).max(all(0.0));
        let inside = inside * inside;
        let toward = inside * all(-3.493_856 * self.draw_in * self.per_radius);
        along.scale(inside * all(self.speed)) + away.scale(toward)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(now: &StreamNow, p: [f32; 3]) -> [f32; 3] {
        now.flow(0.0).velocity(V8::splat(p)).0.map(|c| c.array()[0])
    }

    #[test]
    fn along_a_straight_curve_it_goes_as_fast_as_it_says_and_draws_in_as_strongly() {
        let points = vec![[-5.0, 1.0, 0.0], [0.0, 1.0, 0.0], [5.0, 1.0, 0.0]];
        let now = StreamNow { speed: 3.0, draw_in: 2.0, radius: 0.5, points, closed: false };
        let v = at(&now, [1.3, 1.0, 0.0]);
        assert!((v[0] - 3.0).abs() < 1e-5 && v[1].abs() < 1e-5, "{v:?}");
        let v = at(&now, [1.3, 1.25, 0.0]);
        assert!((v[0] - 3.0 * 0.5625).abs() < 1e-5, "half way out: {v:?}");
        let most = (0..500).map(|k| -at(&now, [0.2, 1.0 + 0.001 * k as f32, 0.0])[1]).fold(0.0, f32::max);
        assert!((most - 2.0).abs() < 1e-3, "drawn in by {most} at most");
        assert_eq!(at(&now, [1.3, 1.51, 0.0]), [0.0; 3]);
        assert_eq!(at(&now, [5.6, 1.0, 0.0]), [0.0; 3], "beyond its end there is none");
    }

    #[test]
    fn round_a_closed_curve_it_goes_without_a_seam() {
        let points = (0..12).map(|k| {
            let (s, c) = (std::f32::consts::TAU * k as f32 / 12.0).sin_cos();
            [2.0 * c, 0.0, -2.0 * s]
        });
        let now = StreamNow { speed: 1.0, draw_in: 0.0, radius: 0.3, points: points.collect(), closed: true };
        for k in 0..360 {
            let (s, c) = (k as f32).to_radians().sin_cos();
            let v = at(&now, [2.0 * c, 0.0, -2.0 * s]);
            assert!((v[0] + s).abs() < 0.02 && (v[2] + c).abs() < 0.02, "{k}°: {v:?}");
        }
    }

    #[test]
    fn a_curve_that_crosses_itself_or_stands_still_gives_numbers() {
        for points in [
            vec![[0.0; 3], [0.0; 3]],
            vec![[-1.0, 0.0, -1.0], [1.0, 0.0, 1.0], [1.0, 0.0, -1.0], [-1.0, 0.0, 1.0]],
        ] {
            let now = StreamNow { speed: 1.0, draw_in: 1.0, radius: 1.0, points, closed: false };
            assert!(at(&now, [0.0, 0.01, 0.0]).iter().all(|c| c.is_finite()));
        }
    }
}
