//! A surface that pushes along its normals, or draws, within a reach.
//!
//! A place goes by the nearest spot of the surface, along the normal there between those of the triangle's corners (weighed by
//! their angles: G. Thürmer, C. Wüthrich, "Computing Vertex Normals from Polygonal Facets", 1998), on both sides alike. How strong
//! a spot is may be uneven: gradient noise (K. Perlin, 2002) through the surface at rest, of two patterns one after the other
//! where it renews itself, or a ramp; with gain and bias the same surface pushes here and draws there.
use crate::nearest::{Finder, Near};
use crate::word;
use crate::{Flow, Kind, Marks, Now, Profile};
use nematon_motion::{Moment, Value, gradient_noise};
use nematon_simd::{F8, V8};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
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
    found: OnceLock<Found>,
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
        to.words(&[word::SKIN_BY_TREE, *profile as u32, *pattern as u32, *seed]);
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
    /// How strong the surface is at eight of its spots; 0 where there is none.
    fn pattern(&self, found: &Found, near: &[Option<Near>; 8]) -> F8 {
        let SkinNow { pattern, size, pace, seed, .. } = &self.now;
        let laid = &found.laid;
        let over = |near: &Near| match laid.weights.is_empty() {
            true => 1.0,
            false => {
                let t = laid.triangles[near.triangle as usize];
                (0..3).map(|k| near.share[k] * laid.weights[t[k] as usize]).sum::<f32>()
            }
        };
        let own = |near: &Near| match pattern {
            Pattern::Even => 1.0,
            Pattern::Ramp => {
                let [low, high] = found.high;
                let y = f64::from(found.blend(near, &laid.rest)[1]);
                ((y - low) / (high - low).max(1e-9)).clamp(0.0, 1.0) as f32
            }
            Pattern::Noise => {
                let p = found.blend(near, &laid.rest).map(|c| f64::from(c) / size);
                let turn = self.time * pace;
                let (k, f) = (turn.floor(), turn - turn.floor());
                let f = f * f * (3.0 - 2.0 * f);
                let at = |k: f64| {
                    gradient_noise(p, seed.wrapping_add((k as i64 as u32).wrapping_mul(0x9e37_79b9)))
                };
                let next = if f > 0.0 { f * at(k + 1.0) } else { 0.0 };
                // As strong between two patterns as in one.
                let n = ((1.0 - f) * at(k) + next) / ((1.0 - f).powi(2) + f * f).sqrt();
                (0.5 + n / 1.2).clamp(0.0, 1.0) as f32
            }
        };
        F8::new(&near.each_ref().map(|n| n.as_ref().map_or(0.0, |n| over(n) * own(n))))
    }
}

impl Flow for Pushing {
    #[inline(never)]
    fn velocity(&self, x: V8) -> V8 {
        let SkinNow { strength, reach, profile, gain, bias, surface, .. } = &self.now;
        let nothing = V8::splat([0.0; 3]);
        let Some(surface) = surface else { return nothing };
        let found = surface.found.get_or_init(|| Found::of((surface.make)()));
        let x = x.0.map(F8::array);
        let near = found.nearest(&std::array::from_fn(|l| [x[0][l], x[1][l], x[2][l]]), *reach);
        if near.iter().all(Option::is_none) {
            return nothing;
        }
        let far = F8::new(&near.each_ref().map(|n| n.as_ref().map_or(reach * reach, |n| n.far))).sqrt();
        let share = profile.of((F8::splat(1.0) - far / F8::splat(*reach)).max(F8::splat(0.0)));
        let pattern = self.pattern(found, &near);
        let times = F8::splat(*strength) * share * F8::splat(*gain).fma(pattern, F8::splat(*bias));
        let normals =
            near.each_ref().map(|n| n.as_ref().map_or([0.0; 3], |n| found.blend(n, &found.normals)));
        V8(std::array::from_fn(|c| F8::new(&normals.map(|n| n[c])))).unit().scale(times)
    }
}

/// A surface as it is asked.
struct Found {
    laid: Laid,
    finder: Finder,
    /// At its points, of length 1.
    normals: Vec<Vec3>,
    /// Of the surface at rest, along y.
    high: [f64; 2],
}

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

impl Found {
    fn of(laid: Laid) -> Found {
        let mut normals = vec![[0.0; 3]; laid.at.len()];
        for t in &laid.triangles {
            let p = t.map(|c| laid.at[c as usize]);
            let n = unit(cross(sub(p[1], p[0]), sub(p[2], p[0])));
            for c in 0..3 {
                let (a, b) = (unit(sub(p[(c + 1) % 3], p[c])), unit(sub(p[(c + 2) % 3], p[c])));
                let angle = libm::acosf(dot(a, b).clamp(-1.0, 1.0));
                let sum: &mut Vec3 = &mut normals[t[c] as usize];
                (0..3).for_each(|k| sum[k] += angle * n[k]);
            }
        }
        normals.iter_mut().for_each(|n| *n = unit(*n));
        let ys = laid.rest.iter().map(|p| f64::from(p[1]));
        let high = ys.fold([f64::MAX, f64::MIN], |[a, b], y| [a.min(y), b.max(y)]);
        Found { finder: Finder::of(&laid.at, &laid.triangles), laid, normals, high }
    }

    /// What each corner of the triangle has, as much as it is near.
    fn blend(&self, near: &Near, of: &[Vec3]) -> Vec3 {
        let t = self.laid.triangles[near.triangle as usize].map(|c| of[c as usize]);
        std::array::from_fn(|c| (0..3).map(|k| near.share[k] * t[k][c]).sum())
    }

    /// The nearest spots to eight places, none where there is none within the reach. Places that come one after the other are mostly
    /// near each other: one's spot says how far the next one's is at most.
    fn nearest(&self, x: &[Vec3; 8], reach: f32) -> [Option<Near>; 8] {
        let mut spot: Option<Vec3> = None;
        x.map(|x| {
            let most = reach * reach;
            let bound = spot.map_or(most, |s| {
                let off = sub(x, s);
                // And what is lost in telling it.
                let lost = 1e-6 * x.iter().fold(0.0f32, |m, c| m.max(c.abs()));
                (1.001 * dot(off, off).sqrt() + lost).powi(2).min(most)
            });
            let near = self
                .finder
                .nearest(x, bound)
                .or_else(|| (bound < most).then(|| self.finder.nearest(x, most))?);
            spot = near.as_ref().map(|n| self.blend(n, &self.laid.at));
            near
        })
    }
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
}
