//! A surface that pushes along its normals, or draws, within a reach.
//!
//! A place goes by the nearest spot of the surface, along the normal there between those of the triangle's corners (weighed by
//! their angles: G. Thürmer, C. Wüthrich, "Computing Vertex Normals from Polygonal Facets", 1998), on both sides alike. How strong
//! a spot is may be uneven: gradient noise (K. Perlin, 2002) through the surface at rest, of two patterns one after the other
//! where it renews itself, or a ramp; with gain and bias the same surface pushes here and draws there.
use crate::word;
use crate::{Flow, Kind, Marks, Now, Profile};
use nematon_motion::{Moment, Value, gradient_noise};
use nematon_simd::{F8, V8};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::sync::{Arc, OnceLock};

/// A surface that pushes out along its normals, or draws in.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(rename = "SkinPush", extend("pushes" = true, "fixed" = true))]
pub struct Skin {
    #[schemars(title = "Surface")]
    pub of: SurfaceOf,
    /// At the surface, out along its normals; below 0 it draws.
    #[schemars(title = "Strength", range(min = -150, max = 150), extend("unit" = "m/s"))]
    pub strength: Value,
    /// Nothing beyond.
    #[schemars(title = "Reach", range(min = 0.001, max = 1000), extend("unit" = "m"))]
    pub reach: Value,
    /// How it ends over its reach.
    #[schemars(title = "Ends")]
    #[serde(default)]
    pub profile: Profile,
    #[schemars(title = "Pattern")]
    #[serde(default)]
    pub pattern: Pattern,
    /// Of the patches of its noise.
    #[schemars(title = "Patches", range(min = 0.001, max = 1000), extend("unit" = "m"))]
    #[serde(default = "size")]
    pub size: f64,
    /// How often a second the noise renews itself.
    #[schemars(title = "Pace", range(min = 0, max = 60), extend("unit" = "1/s"))]
    #[serde(default)]
    pub pace: f64,
    /// What the pattern is multiplied by: with 2 and a bias of -1 half of it draws.
    #[schemars(title = "Gain", range(min = -100, max = 100))]
    #[serde(default = "one")]
    pub gain: Value,
    /// What is added then.
    #[schemars(title = "Bias", range(min = -10, max = 10))]
    #[serde(default)]
    pub bias: Value,
    #[schemars(title = "Seed", range(min = 0, max = 65_535), extend("seldom" = true))]
    #[serde(default)]
    pub seed: u32,
}

fn size() -> f64 {
    0.3
}
fn one() -> Value {
    1.0.into()
}

/// Whose surface, by its key.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum SurfaceOf {
    Collider(String),
    Figure(String),
}

/// How strong a surface is from spot to spot.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Pattern {
    /// The same everywhere.
    #[default]
    Even,
    /// In patches.
    Noise,
    /// From nothing at its lowest point to all at its highest.
    Ramp,
}

/// What a surface is at a moment.
#[derive(Clone, Debug, Default)]
pub struct Laid {
    /// Metres.
    pub at: Vec<[f32; 3]>,
    /// The same points as patterns lie on them, metres.
    pub rest: Vec<[f32; 3]>,
    pub triangles: Vec<[u32; 3]>,
    /// What the pattern is multiplied by at each point; none is 1.
    pub weights: Vec<f32>,
}

/// A surface at a moment, made when it is first asked for.
pub struct Surface {
    /// Of all that it follows from: two of the same are the same.
    digest: [u8; 32],
    make: Box<dyn Fn() -> Laid + Send + Sync>,
    found: OnceLock<(f32, Laid, Finder)>,
}

impl std::fmt::Debug for Surface {
    fn fmt(&self, f: &mut std::fmt::Formatter) -> std::fmt::Result {
        write!(f, "Surface({:02x?})", &self.digest[..4])
    }
}

impl PartialEq for Surface {
    fn eq(&self, other: &Surface) -> bool {
        self.digest == other.digest
    }
}

impl Surface {
    pub fn new(digest: [u8; 32], make: impl Fn() -> Laid + Send + Sync + 'static) -> Surface {
        Surface { digest, make: Box::new(make), found: OnceLock::new() }
    }
}

/// A skin push at a moment.
#[derive(Clone, Debug, PartialEq)]
pub struct SkinNow {
    pub strength: f32,
    /// Metres.
    pub reach: f32,
    pub profile: Profile,
    pub pattern: Pattern,
    /// Metres.
    pub size: f64,
    /// 1/s.
    pub pace: f64,
    pub gain: f32,
    pub bias: f32,
    pub seed: u32,
    /// None pushes nothing.
    pub surface: Option<Arc<Surface>>,
}

impl Kind for Skin {
    type Now = SkinNow;
    const STANDS: bool = false;
    const PUSHES: bool = true;
    fn begin() -> Self {
        Skin {
            of: SurfaceOf::Collider(String::new()),
            strength: 25.0.into(),
            reach: 0.3.into(),
            profile: Profile::Smooth,
            pattern: Pattern::Even,
            size: size(),
            pace: 0.0,
            gain: one(),
            bias: 0.0.into(),
            seed: 0,
        }
    }
    fn at(&self, moment: &Moment, share: f64) -> SkinNow {
        let Skin { of: _, strength, reach, profile, pattern, size, pace, gain, bias, seed } = self;
        SkinNow {
            strength: (share * strength.at(moment)) as f32,
            reach: reach.at(moment) as f32,
            profile: *profile,
            pattern: *pattern,
            size: *size,
            pace: *pace,
            gain: gain.at(moment) as f32,
            bias: bias.at(moment) as f32,
            seed: *seed,
            surface: None,
        }
    }
}

impl Now for SkinNow {
    type Flow = Pushing;
    fn mark(&self, to: &mut Marks) {
        let SkinNow { strength, reach, profile, pattern, size, pace, gain, bias, seed, surface } = self;
        to.words(&[word::SKIN, *profile as u32, *pattern as u32, *seed]);
        to.numbers(&[*strength, *reach, *size as f32, *pace as f32, *gain, *bias]);
        if let Some(s) = surface {
            to.0.extend(s.digest);
        }
    }
    fn speed(&self) -> f32 {
        let most = match self.pattern {
            Pattern::Even if self.bias == 0.0 => self.gain.abs(),
            _ => (self.gain + self.bias).abs().max(self.bias.abs()),
        };
        (self.strength * most).abs()
    }
    fn flow(&self, time: f64) -> Pushing {
        Pushing { now: self.clone(), time }
    }
}

/// A skin push ready to be asked.
pub struct Pushing {
    now: SkinNow,
    time: f64,
}

impl Pushing {
    fn at(&self, x: [f32; 3]) -> [f32; 3] {
        let SkinNow { strength, reach, profile, gain, bias, surface, .. } = &self.now;
        let Some(surface) = surface else { return [0.0; 3] };
        let found = || {
            let laid = (surface.make)();
            let finder = Finder::of(&laid, *reach);
            (*reach, laid, finder)
        };
        let (of, laid, finder) = surface.found.get_or_init(found);
        debug_assert_eq!(of, reach, "a surface is made for one field");
        let Some(near) = finder.nearest(laid, x, *reach) else { return [0.0; 3] };
        let share = profile.of(F8::splat(1.0 - near.far / reach)).array()[0];
        let times = strength * share * (gain * self.pattern(laid, &near, finder) + bias);
        near.normal.map(|c| c * times)
    }

    fn pattern(&self, surface: &Laid, near: &Near, finder: &Finder) -> f32 {
        let SkinNow { pattern, size, pace, seed, .. } = &self.now;
        let t = surface.triangles[near.triangle];
        let rest: [f64; 3] = std::array::from_fn(|c| {
            (0..3).map(|k| f64::from(near.share[k] * surface.rest[t[k] as usize][c])).sum()
        });
        let over = match surface.weights.is_empty() {
            true => 1.0,
            false => (0..3).map(|k| near.share[k] * surface.weights[t[k] as usize]).sum(),
        };
        let own = match pattern {
            Pattern::Even => 1.0,
            Pattern::Ramp => {
                let [low, high] = finder.high;
                ((rest[1] - low) / (high - low).max(1e-9)).clamp(0.0, 1.0) as f32
            }
            Pattern::Noise => {
                let p = rest.map(|c| c / size);
                let turn = self.time * pace;
                let (k, f) = (turn.floor(), turn - turn.floor());
                let f = f * f * (3.0 - 2.0 * f);
                let at = |k: f64| {
                    gradient_noise(p, seed.wrapping_add((k as i64 as u32).wrapping_mul(0x9e37_79b9)))
                };
                // As strong between two patterns as in one.
                let n = ((1.0 - f) * at(k) + f * at(k + 1.0)) / ((1.0 - f).powi(2) + f * f).sqrt();
                (0.5 + n / 1.2).clamp(0.0, 1.0) as f32
            }
        };
        over * own
    }
}

impl Flow for Pushing {
    #[inline(never)]
    fn velocity(&self, x: V8) -> V8 {
        let x = x.0.map(F8::array);
        let of: [[f32; 3]; 8] = std::array::from_fn(|l| self.at([x[0][l], x[1][l], x[2][l]]));
        V8(std::array::from_fn(|c| F8::new(&std::array::from_fn(|l| of[l][c]))))
    }
}

/// The spot of a surface that is nearest to a place.
struct Near {
    triangle: usize,
    /// Of the triangle's corners.
    share: [f32; 3],
    normal: [f32; 3],
    far: f32,
}

/// Finds what of a surface lies within a reach: cells that know every triangle within it of them.
#[derive(Debug)]
struct Finder {
    cell: f32,
    low: [f32; 3],
    cells: HashMap<[i32; 3], Vec<u32>>,
    normals: Vec<[f32; 3]>,
    /// Of the surface at rest, along y.
    high: [f64; 2],
}

/// Cells along the longest side of a surface, at most.
const CELLS: f32 = 40.0;

type Vec3 = [f32; 3];
fn sub(a: Vec3, b: Vec3) -> Vec3 {
    std::array::from_fn(|c| a[c] - b[c])
}
fn dot(a: Vec3, b: Vec3) -> f32 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}
fn cross(a: Vec3, b: Vec3) -> Vec3 {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}
fn unit(a: Vec3) -> Vec3 {
    let s = 1.0 / dot(a, a).max(1e-30).sqrt();
    a.map(|c| c * s)
}

impl Finder {
    fn of(s: &Laid, reach: f32) -> Finder {
        let (mut low, mut high) = ([f32::MAX; 3], [f32::MIN; 3]);
        for p in &s.at {
            (0..3).for_each(|c| (low[c], high[c]) = (low[c].min(p[c]), high[c].max(p[c])));
        }
        let long = (0..3).map(|c| high[c] - low[c]).fold(0.0, f32::max);
        let cell = reach.max((long + 2.0 * reach) / CELLS).max(1e-4);
        let mut out =
            Finder { cell, low, cells: HashMap::new(), normals: vec![[0.0; 3]; s.at.len()], high: [0.0; 2] };
        for (k, t) in s.triangles.iter().enumerate() {
            let p = t.map(|c| s.at[c as usize]);
            let from = out.cell_of(std::array::from_fn(|c| p[0][c].min(p[1][c]).min(p[2][c]) - reach));
            let to = out.cell_of(std::array::from_fn(|c| p[0][c].max(p[1][c]).max(p[2][c]) + reach));
            for x in from[0]..=to[0] {
                for y in from[1]..=to[1] {
                    for z in from[2]..=to[2] {
                        out.cells.entry([x, y, z]).or_default().push(k as u32);
                    }
                }
            }
            let n = unit(cross(sub(p[1], p[0]), sub(p[2], p[0])));
            for c in 0..3 {
                let (a, b) = (unit(sub(p[(c + 1) % 3], p[c])), unit(sub(p[(c + 2) % 3], p[c])));
                let angle = libm::acosf(dot(a, b).clamp(-1.0, 1.0));
                let sum = &mut out.normals[t[c] as usize];
                (0..3).for_each(|k| sum[k] += angle * n[k]);
            }
        }
        let ys = s.rest.iter().map(|p| f64::from(p[1]));
        out.high = ys.fold([f64::MAX, f64::MIN], |[a, b], y| [a.min(y), b.max(y)]);
        out
    }

    fn cell_of(&self, p: Vec3) -> [i32; 3] {
        std::array::from_fn(|c| ((p[c] - self.low[c]) / self.cell).floor() as i32)
    }

    fn nearest(&self, s: &Laid, x: Vec3, reach: f32) -> Option<Near> {
        let mut best: Option<(f32, u32, Vec3)> = None;
        for k in self.cells.get(&self.cell_of(x))? {
            let p = s.triangles[*k as usize].map(|c| s.at[c as usize]);
            let share = closest(x, p);
            let at: Vec3 = std::array::from_fn(|c| (0..3).map(|k| share[k] * p[k][c]).sum());
            let off = sub(x, at);
            let far = dot(off, off);
            if far < reach * reach && best.is_none_or(|(b, ..)| far < b) {
                best = Some((far, *k, share));
            }
        }
        let (far, triangle, share) = best?;
        let t = s.triangles[triangle as usize];
        let normal =
            std::array::from_fn(|c| (0..3).map(|k| share[k] * unit(self.normals[t[k] as usize])[c]).sum());
        Some(Near { triangle: triangle as usize, share, normal: unit(normal), far: far.sqrt() })
    }
}

/// The shares of a triangle's corners in its spot nearest to a place: C. Ericson, "Real-Time Collision Detection" (2005), 5.1.5.
fn closest(x: Vec3, [a, b, c]: [Vec3; 3]) -> Vec3 {
    let (ab, ac, ap) = (sub(b, a), sub(c, a), sub(x, a));
    let (d1, d2) = (dot(ab, ap), dot(ac, ap));
    if d1 <= 0.0 && d2 <= 0.0 {
        return [1.0, 0.0, 0.0];
    }
    let bp = sub(x, b);
    let (d3, d4) = (dot(ab, bp), dot(ac, bp));
    if d3 >= 0.0 && d4 <= d3 {
        return [0.0, 1.0, 0.0];
    }
    let vc = d1 * d4 - d3 * d2;
    if vc <= 0.0 && d1 >= 0.0 && d3 <= 0.0 {
        let v = d1 / (d1 - d3);
        return [1.0 - v, v, 0.0];
    }
    let cp = sub(x, c);
    let (d5, d6) = (dot(ab, cp), dot(ac, cp));
    if d6 >= 0.0 && d5 <= d6 {
        return [0.0, 0.0, 1.0];
    }
    let vb = d5 * d2 - d1 * d6;
    if vb <= 0.0 && d2 >= 0.0 && d6 <= 0.0 {
        let w = d2 / (d2 - d6);
        return [1.0 - w, 0.0, w];
    }
    let va = d3 * d6 - d5 * d4;
    if va <= 0.0 && d4 - d3 >= 0.0 && d5 - d6 >= 0.0 {
        let w = (d4 - d3) / ((d4 - d3) + (d5 - d6));
        return [0.0, 1.0 - w, w];
    }
    let per = 1.0 / (va + vb + vc).max(1e-30);
    let (v, w) = (vb * per, vc * per);
    [1.0 - v - w, v, w]
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A square of 2 m about the origin that faces up.
    fn floor() -> Arc<Surface> {
        let at = vec![[-1.0, 0.0, -1.0], [-1.0, 0.0, 1.0], [1.0, 0.0, 1.0], [1.0, 0.0, -1.0]];
        let laid = Laid { rest: at.clone(), at, triangles: vec![[0, 1, 2], [0, 2, 3]], weights: vec![] };
        Arc::new(Surface::new([0; 32], move || laid.clone()))
    }

    fn now(pattern: Pattern) -> SkinNow {
        SkinNow {
            strength: 4.0,
            reach: 0.5,
            profile: Profile::Straight,
            pattern,
            size: 0.4,
            pace: 0.0,
            gain: 1.0,
            bias: 0.0,
            seed: 1,
            surface: Some(floor()),
        }
    }

    fn at(now: &SkinNow, time: f64, p: [f32; 3]) -> [f32; 3] {
        now.flow(time).velocity(V8::splat(p)).0.map(|c| c.array()[0])
    }

    #[test]
    fn it_pushes_along_the_normal_less_with_the_distance_and_not_beyond_its_reach() {
        let n = now(Pattern::Even);
        for (p, to) in [
            ([0.2, 0.0, 0.1], 4.0),
            ([0.2, 0.25, 0.1], 2.0),
            ([0.2, -0.25, 0.1], 2.0),
            ([0.2, 0.51, 0.1], 0.0),
        ] {
            let v = at(&n, 0.0, p);
            assert!((v[1] - to).abs() < 1e-5 && v[0].abs() < 1e-6, "{p:?}: {v:?} where {to} is expected");
        }
        assert_eq!(at(&n, 0.0, [1.6, 0.0, 0.0]), [0.0; 3], "beside its border");
        assert!((at(&n, 0.0, [1.3, 0.0, 0.0])[1] - 1.6).abs() < 1e-5);
    }

    #[test]
    fn with_gain_and_bias_the_same_surface_pushes_and_draws_and_changes_by_its_pace() {
        let n = SkinNow { gain: 2.0, bias: -1.0, pace: 1.0, ..now(Pattern::Noise) };
        let places: Vec<[f32; 3]> =
            (0..400).map(|k| [-0.9 + 0.09 * (k % 20) as f32, 0.0, -0.9 + 0.09 * (k / 20) as f32]).collect();
        let v = |t: f64| places.iter().map(|p| at(&n, t, *p)[1]).collect::<Vec<_>>();
        let first = v(0.0);
        let (up, down) =
            (first.iter().filter(|v| **v > 0.2).count(), first.iter().filter(|v| **v < -0.2).count());
        assert!(up > 60 && down > 60, "{up} push and {down} draw");
        let far = |a: &[f32], b: &[f32]| a.iter().zip(b).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
        assert!(far(&first, &v(0.02)) < 0.2, "smoothly");
        assert!(far(&first, &v(1.0)) > 1.0, "and wholly");
    }

    #[test]
    fn a_finder_finds_what_looking_at_every_triangle_finds() {
        let n = 14u32;
        let p = |k: u32| {
            let (x, z) = ((k % n) as f32 / n as f32, (k / n) as f32 / n as f32);
            [x, 0.2 * (7.0 * x).sin() * (5.0 * z).cos(), z]
        };
        let at: Vec<[f32; 3]> = (0..n * n).map(p).collect();
        let cells = (0..(n - 1) * (n - 1)).map(|k| k % (n - 1) + n * (k / (n - 1)));
        let triangles: Vec<[u32; 3]> =
            cells.flat_map(|k| [[k, k + n, k + n + 1], [k, k + n + 1, k + 1]]).collect();
        let s = Laid { rest: at.clone(), at, triangles, weights: vec![] };
        let finder = Finder::of(&s, 0.15);
        for k in 0..3000u64 {
            let die = |n| crate::chance(k, n) as f32;
            let x = [1.4 * die(0) - 0.2, 0.8 * die(1) - 0.4, 1.4 * die(2) - 0.2];
            let best = s.triangles.iter().map(|t| {
                let p = t.map(|c| s.at[c as usize]);
                let share = closest(x, p);
                let at: Vec3 = std::array::from_fn(|c| (0..3).map(|k| share[k] * p[k][c]).sum());
                dot(sub(x, at), sub(x, at)).sqrt()
            });
            let best = best.fold(f32::MAX, f32::min);
            let found = finder.nearest(&s, x, 0.15).map(|n| n.far);
            match found {
                Some(far) => assert!((far - best).abs() < 1e-5),
                None => assert!(best >= 0.15 - 1e-6, "{best} away and not found"),
            }
        }
    }
}
