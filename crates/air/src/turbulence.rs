//! Swirling air without sources or sinks.
//!
//! A sum of random waves, each across its own direction of travel: R. H. Kraichnan, "Diffusion by a
//! Random Velocity Field" (1970), eq. 3.1. Each wave is free of divergence exactly, so is the sum; it
//! is smooth to all orders, has no grid and does not repeat. Waves come in threes whose directions are square to each
//! other, each moving along the next one's: of every three, x, y and z get exactly a third of the energy.
use crate::word;
use crate::{Flow, Kind, Marks, Now, chance};
use nematon_motion::{Moment, Value, stills};
use nematon_simd::{F8, V8};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Swirling air without sources or sinks.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Turbulence {
    /// Root-mean-square speed.
    #[schemars(title = "Strength", range(min = 0, max = 100), extend("unit" = "m/s"))]
    pub strength: Value,
    /// Typical distance from one swirl to the next of its kind.
    #[schemars(title = "Size", range(min = 0.01, max = 1000), extend("unit" = "m"))]
    pub size: f64,
    /// How often a second the pattern renews itself in place.
    #[schemars(title = "Pace", range(min = 0, max = 60), extend("unit" = "1/s"))]
    #[serde(default = "pace")]
    pub pace: Value,
    /// Velocity at which the pattern travels.
    #[schemars(title = "Drift", inner(range(min = -150, max = 150)), extend("unit" = "m/s"))]
    #[serde(default)]
    pub drift: [Value; 3],
    /// Each has half the size of the one before.
    #[schemars(title = "Octaves", range(min = 1, max = 4), extend("seldom" = true))]
    #[serde(default = "octaves")]
    pub octaves: u32,
    /// Strength of an octave as a share of the one before.
    #[schemars(title = "Octave strength", range(min = 0, max = 1), extend("default" = 0.6, "seldom" = true))]
    #[serde(default = "fall", skip_serializing_if = "is_fall")]
    pub fall: f64,
    /// How much it goes along its own x, beside the others: the strength stays the same in all.
    #[schemars(title = "Along x", range(min = 0, max = 1), extend("default" = 1.0, "seldom" = true))]
    #[serde(default = "whole", skip_serializing_if = "is_whole")]
    pub along_x: f64,
    /// How much it goes along its upright axis: 0 is flat, the same strength all to the sides.
    #[schemars(title = "Up and down", range(min = 0, max = 1), extend("default" = 1.0, "seldom" = true))]
    #[serde(default = "whole", skip_serializing_if = "is_whole")]
    pub upright: f64,
    /// How much it goes along its own z.
    #[schemars(title = "Along z", range(min = 0, max = 1), extend("default" = 1.0, "seldom" = true))]
    #[serde(default = "whole", skip_serializing_if = "is_whole")]
    pub along_z: f64,
    #[schemars(title = "Seed", range(min = 0, max = 65_535), extend("seldom" = true))]
    #[serde(default)]
    pub seed: u32,
}

fn fall() -> f64 {
    0.6
}
#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
fn is_fall(v: &f64) -> bool {
    *v == 0.6
}
fn whole() -> f64 {
    1.0
}
#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
fn is_whole(v: &f64) -> bool {
    *v == 1.0
}

fn pace() -> Value {
    0.4.into()
}
fn octaves() -> u32 {
    2
}

/// Turbulence at one frame.
#[derive(Clone, Debug, PartialEq)]
pub struct TurbulenceNow {
    /// Root-mean-square speed, m/s.
    pub strength: f32,
    /// Wavelength of the first octave, metres.
    pub size: f32,
    /// How often a second the pattern renews itself in place.
    pub pace: f32,
    /// Velocity of the pattern, m/s.
    pub drift: [f32; 3],
    /// What a pace that changed has renewed of it beyond what the one of now would have, and how far a drift has carried it so,
    /// metres.
    pub gone: [f64; 4],
    /// 1 to 4.
    pub octaves: u32,
    /// Strength of an octave as a share of the one before.
    pub fall: f32,
    /// 0 to 1: how much of it goes along each axis, beside the others.
    pub along: [f32; 3],
    pub seed: u32,
}

impl Default for TurbulenceNow {
    fn default() -> Self {
        TurbulenceNow {
            strength: 1.0,
            size: 1.0,
            pace: 0.0,
            drift: [0.0; 3],
            gone: [0.0; 4],
            octaves: 1,
            fall: fall() as f32,
            along: [1.0; 3],
            seed: 0,
        }
    }
}

impl Default for Turbulence {
    fn default() -> Self {
        Turbulence::begin()
    }
}

impl Kind for Turbulence {
    type Now = TurbulenceNow;
    fn begin() -> Self {
        Turbulence {
            strength: 1.0.into(),
            size: 1.0,
            pace: pace(),
            drift: stills([0.0; 3]),
            octaves: octaves(),
            fall: fall(),
            along_x: 1.0,
            upright: 1.0,
            along_z: 1.0,
            seed: 0,
        }
    }
    fn at(&self, moment: &Moment, share: f64) -> TurbulenceNow {
        let Turbulence { strength, size, pace, drift, octaves, fall, along_x, upright, along_z, seed } = self;
        let gone = |v: &Value| match v {
            Value::Still(_) => 0.0,
            Value::Moving(_) => v.way_beside(v.at(moment), moment),
        };
        let [x, y, z] = drift;
        TurbulenceNow {
            strength: (share * strength.at(moment)) as f32,
            size: *size as f32,
            pace: pace.at(moment) as f32,
            drift: [x, y, z].map(|c| c.at(moment) as f32),
            gone: [pace, x, y, z].map(gone),
            octaves: *octaves,
            fall: *fall as f32,
            along: [*along_x, *upright, *along_z].map(|f| f as f32),
            seed: *seed,
        }
    }
}

/// Threes of waves an octave: enough to look the same in all directions.
const THREES: usize = 7;

/// Turbulence at one moment.
pub struct Waves {
    /// For each wave: turns a metre along x, y, z; phase in turns; amplitude along x, y, z in m/s.
    waves: Vec<[f32; 7]>,
}

impl Now for TurbulenceNow {
    type Flow = Waves;
    fn mark(&self, to: &mut Marks) {
        let TurbulenceNow { strength, size, pace, drift, gone, octaves, fall, along, seed } = self;
        to.words(&[word::TURBULENCE, *seed, *octaves]);
        to.numbers(&[*strength, *size, *pace, *fall]);
        to.numbers(along);
        to.numbers(drift);
        if *gone != [0.0; 4] {
            gone.iter().for_each(|g| to.0.extend(g.to_bits().to_le_bytes()));
        }
    }
    fn speed(&self) -> f32 {
        self.strength
    }
    fn flow(&self, time: f64) -> Waves {
        let octaves = self.octaves.clamp(1, 4);
        let fall = f64::from(self.fall);
        // Strengths of octaves, scaled so that all together have the root mean square asked for.
        let all: f64 = (0..octaves).map(|o| fall.powi(2 * o as i32)).sum();
        let mut waves = Vec::with_capacity(3 * THREES * octaves as usize);
        for o in 0..octaves {
            let rms = f64::from(self.strength) * fall.powi(o as i32) / all.sqrt();
            let shorter = f64::from(1u32 << o);
            let dice = |three: u64, n: u64| {
                chance(u64::from(self.seed), (u64::from(o) * THREES as u64 + three) * 32 + n)
            };
            let mut ways: Vec<[Vec3; 2]> = (0..THREES as u64)
                .flat_map(|three| {
                    let frame = turned([0, 1, 2].map(|n| dice(three, n)));
                    [0, 1, 2].map(|k| [frame[k], frame[(k + 1) % 3]])
                })
                .collect();
            if self.along != [1.0; 3] {
                leaning(&mut ways, self.along.map(f64::from));
            }
            let energy: f64 = ways.iter().map(|[_, p]| 0.5 * dot(*p, *p)).sum();
            let size = rms / energy.max(1e-12).sqrt();
            for (n, [d, p]) in ways.iter().enumerate() {
                let dice = |k: usize| dice((n / 3) as u64, (8 * (n % 3) + 3 + k) as u64);
                // Wavelengths around the size, from 3/4 to 4/3 of it.
                let per_metre = shorter / f64::from(self.size) * libm::pow(4.0 / 3.0, 2.0 * dice(0) - 1.0);
                let turns = d.map(|c| c * per_metre);
                let drift = dot(turns, self.drift.map(f64::from));
                let turning = shorter.sqrt() * (2.0 * dice(1) - 1.0);
                let own = f64::from(self.pace) * turning;
                let [renewed, carried @ ..] = self.gone;
                let phase = dice(2) + (own - drift) * time + (renewed * turning - dot(turns, carried));
                let [[x, y, z], [p, q, r]] = [turns, p.map(|c| c * size)].map(|v| v.map(|c| c as f32));
                waves.push([x, y, z, (phase - phase.floor()) as f32, p, q, r]);
            }
        }
        Waves { waves }
    }
}

type Vec3 = [f64; 3];
fn dot(a: Vec3, b: Vec3) -> f64 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}
fn cross(a: Vec3, b: Vec3) -> Vec3 {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}
fn unit(a: Vec3) -> Vec3 {
    let size = dot(a, a).sqrt().max(1e-12);
    a.map(|c| c / size)
}

/// What an axis that has nothing is taken to have: so little is not seen, and nothing is divided by nothing.
const LEAST: f64 = 1e-4;

/// Turns waves, each by where it travels and which way its air goes, so that the air's root mean square along x, y and z is as
/// `along` beside one another. Each stays across where it travels. The shares of the axes that lead there are found by
/// going to where each comes out right, again and again.
fn leaning(ways: &mut [[Vec3; 2]], along: Vec3) {
    let along = along.map(|f| f.max(LEAST));
    let wish = along.map(|f| f * f / dot(along, along));
    // Air that goes along one axis alone travels across it: as much as one axis has beside the other two.
    let travels: Vec3 = std::array::from_fn(|c| ((1.0 - wish[c]) / wish[c]).sqrt().min(1.0));
    for way in ways.iter_mut() {
        let d = unit(std::array::from_fn(|c| way[0][c] * travels[c]));
        let p = cross(cross(d, way[1]), d);
        *way = [d, unit(p)];
    }
    let (given, mut shares) = (ways.to_vec(), along);
    for _ in 0..40 {
        let mut energy = [1e-30; 3];
        for (way, [d, p]) in ways.iter_mut().zip(&given) {
            way[1] = leant(*d, *p, shares);
            (0..3).for_each(|c| energy[c] += way[1][c] * way[1][c]);
        }
        let all: f64 = energy.iter().sum();
        (0..3).for_each(|c| {
            shares[c] = (shares[c] * (wish[c] * all / energy[c]).sqrt().sqrt()).clamp(1e-9, 1e9)
        });
    }
}

/// Of the ways across `d`, each by as much as the axes let it that it goes along: u is scaled by 1 / |u / shares|, along the two
/// for which that is most and least.
fn leant(d: Vec3, p: Vec3, shares: Vec3) -> Vec3 {
    let a = unit(p);
    let b = cross(d, a);
    let cost = |u: Vec3, v: Vec3| (0..3).map(|c| u[c] * v[c] / (shares[c] * shares[c])).sum::<f64>();
    let [aa, ab, bb] = [cost(a, a), cost(a, b), cost(b, b)];
    // The two ways by halving the angle of the second kind: tan 2t = 2 ab / (aa - bb).
    let (wide, half) = (((aa - bb) * (aa - bb) + 4.0 * ab * ab).sqrt(), 0.5 * (aa - bb));
    let cos = (0.5 + half / wide.max(1e-300)).clamp(0.0, 1.0).sqrt();
    let sin = (1.0 - cos * cos).sqrt().copysign(ab);
    let [u, v]: [Vec3; 2] =
        [std::array::from_fn(|c| cos * a[c] + sin * b[c]), std::array::from_fn(|c| cos * b[c] - sin * a[c])];
    let [s, t] = [(u, dot(p, u)), (v, dot(p, v))].map(|(w, by)| by / cost(w, w).sqrt());
    std::array::from_fn(|c| s * u[c] + t * v[c])
}

impl Flow for Waves {
    #[inline(always)]
    fn velocity(&self, x: V8) -> V8 {
        let mut v = V8([F8::splat(0.0); 3]);
        for w in &self.waves {
            let turns = V8([F8::splat(w[0]), F8::splat(w[1]), F8::splat(w[2])]);
            let c = (turns.dot(x) + F8::splat(w[3])).cos_turns();
            v = V8([F8::splat(w[4]), F8::splat(w[5]), F8::splat(w[6])]).fma(c, v);
        }
        v
    }
}

/// Three axes square to each other, turned evenly at random (K. Shoemake, "Uniform Random Rotations", 1992).
fn turned([a, b, c]: [f64; 3]) -> [[f64; 3]; 3] {
    let (sb, cb) = libm::sincos(std::f64::consts::TAU * b);
    let (sc, cc) = libm::sincos(std::f64::consts::TAU * c);
    let (r, s) = ((1.0 - a).sqrt(), a.sqrt());
    let [x, y, z, w] = [r * sb, r * cb, s * sc, s * cc];
    [
        [1.0 - 2.0 * (y * y + z * z), 2.0 * (x * y + w * z), 2.0 * (x * z - w * y)],
        [2.0 * (x * y - w * z), 1.0 - 2.0 * (x * x + z * z), 2.0 * (y * z + w * x)],
        [2.0 * (x * z + w * y), 2.0 * (y * z - w * x), 1.0 - 2.0 * (x * x + y * y)],
    ]
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)]
    use super::*;
    use crate::Air;

    fn sampled(t: &TurbulenceNow, places: &[[f32; 3]]) -> Vec<[f32; 3]> {
        Air::at(&[t.clone().into()], None, 0.7).velocities(places)
    }

    fn spread(n: usize, wide: f64) -> Vec<[f32; 3]> {
        let at = |k: usize, a: f64| ((wide * ((k as f64 + 1.0) * a).fract()) - 0.5 * wide) as f32;
        (0..n).map(|k| [at(k, 0.819_172_5), at(k, 0.671_043_6), at(k, 0.549_700_5)]).collect()
    }

    #[test]
    fn each_axis_has_its_third_of_the_energy_whatever_the_seed() {
        let places = spread(60_000, 97.0);
        for seed in 0..8 {
            let t = TurbulenceNow { strength: 2.0, octaves: 3, seed, ..TurbulenceNow::default() };
            let v = sampled(&t, &places);
            let energy: [f64; 3] = std::array::from_fn(|c| {
                v.iter().map(|v| f64::from(v[c]).powi(2)).sum::<f64>() / v.len() as f64
            });
            let all: f64 = energy.iter().sum();
            assert!((all / 4.0 - 1.0).abs() < 0.05, "seed {seed}: {all} where 4 was asked");
            for (axis, e) in energy.iter().enumerate() {
                assert!((3.0 * e / all - 1.0).abs() < 0.05, "seed {seed}, axis {axis}: {}", 3.0 * e / all);
            }
        }
    }

    #[test]
    fn flat_it_goes_to_the_sides_alone_as_strongly_and_still_without_sources() {
        let t = TurbulenceNow {
            strength: 2.0,
            octaves: 2,
            along: [1.0, 0.0, 1.0],
            seed: 4,
            ..TurbulenceNow::default()
        };
        let places = spread(20_000, 41.0);
        let v = sampled(&t, &places);
        assert!(v.iter().all(|v| v[1].abs() < 2e-3));
        let rms = (v.iter().flatten().map(|c| f64::from(*c).powi(2)).sum::<f64>() / v.len() as f64).sqrt();
        assert!((rms / 2.0 - 1.0).abs() < 0.05, "{rms}");
        let h = 0.004f32;
        let shifted = |c: usize, by: f32| {
            let moved: Vec<[f32; 3]> = places
                .iter()
                .map(|p| std::array::from_fn(|k| p[k] + if k == c { by } else { 0.0 }))
                .collect();
            sampled(&t, &moved)
        };
        let d: Vec<[Vec<[f32; 3]>; 2]> = [0, 2].map(|c| [shifted(c, h), shifted(c, -h)]).into();
        let per = 1.0 / (2.0 * f64::from(h));
        let (mut div, mut grad) = (0.0, 0.0);
        for k in 0..places.len() {
            let of = |a: usize, c: usize| f64::from(d[a][0][k][c] - d[a][1][k][c]) * per;
            div += (of(0, 0) + of(1, 2)).powi(2);
            grad += of(0, 0).powi(2) + of(1, 2).powi(2) + of(0, 2).powi(2) + of(1, 0).powi(2);
        }
        assert!((div / grad).sqrt() < 0.01, "{}", (div / grad).sqrt());
    }

    #[test]
    fn each_axis_has_its_share_of_what_is_asked_beside_the_others() {
        let places = spread(20_000, 43.0);
        for (along, seed) in
            [([1.0, 0.5, 1.0], 1), ([1.0, 0.2, 0.6], 2), ([1.0, 0.0, 0.0], 3), ([0.0, 1.0, 0.7], 5)]
        {
            let t = TurbulenceNow { strength: 2.0, octaves: 2, along, seed, ..TurbulenceNow::default() };
            let v = sampled(&t, &places);
            let whole: f32 = along.iter().map(|f| f * f).sum();
            for (c, f) in along.iter().enumerate() {
                let rms = (v.iter().map(|v| f64::from(v[c]).powi(2)).sum::<f64>() / v.len() as f64).sqrt();
                let asked = 2.0 * f64::from(f / whole.sqrt());
                assert!((rms - asked).abs() < 0.06, "{along:?}, axis {c}: {rms} where {asked} was asked");
            }
            // Each wave stays across where it travels: no sources.
            for w in &t.flow(0.3).waves {
                let [k, p] = [[w[0], w[1], w[2]], [w[4], w[5], w[6]]].map(|v| v.map(f64::from));
                assert!(dot(k, p).abs() < 1e-5 * (dot(k, k) * dot(p, p)).sqrt() + 1e-7, "{along:?}");
            }
        }
    }

    #[test]
    fn a_drift_that_changes_carries_the_pattern_by_its_whole_way() {
        use nematon_motion::{Moment, stills};
        let moment = |frame: f64| Moment { frame, first: 1.0, rate: 24.0 };
        let keyed: Value = serde_json::from_value(serde_json::json!(
            { "keys": [{ "frame": 1, "value": 0 }, { "frame": 25, "value": 3 }, { "frame": 49, "value": 0 }] }
        ))
        .unwrap();
        let calm = Turbulence { pace: 0.0.into(), drift: stills([0.0; 3]), ..Turbulence::begin() };
        let drifts = Turbulence { drift: [keyed, 0.0.into(), 0.0.into()], ..calm.clone() };
        let air = |t: &Turbulence, frame: f64, at: [f32; 3]| {
            let m = moment(frame);
            Air::at(&[t.at(&m, 1.0).into()], None, m.seconds()).velocities(&[at])[0]
        };
        for (frame, way) in [(25.0, 1.5f32), (37.0, 2.625), (49.0, 3.0), (97.0, 3.0)] {
            let there = air(&drifts, frame, [0.3 + way, 0.2, -0.4]);
            let here = air(&calm, 1.0, [0.3, 0.2, -0.4]);
            for c in 0..3 {
                assert!((there[c] - here[c]).abs() < 1e-4, "{frame}: {there:?} {here:?}");
            }
        }
        // A pace that stops leaves what was renewed until then.
        let paced: Value = serde_json::from_value(serde_json::json!(
            { "keys": [{ "frame": 1, "value": 2, "then": "step" }, { "frame": 13, "value": 0 }] }
        ))
        .unwrap();
        let turns = Turbulence { pace: paced, ..calm.clone() };
        let at = [0.3, 0.2, -0.4];
        let (mid, after, late) = (air(&turns, 7.0, at), air(&turns, 13.0, at), air(&turns, 60.0, at));
        assert!((0..3).any(|c| (mid[c] - after[c]).abs() > 1e-3));
        assert!((0..3).all(|c| (late[c] - after[c]).abs() < 1e-4), "{after:?} {late:?}");
    }

    #[test]
    fn it_does_not_repeat_within_two_hundred_sizes() {
        for seed in [0, 3] {
            let t = TurbulenceNow { octaves: 2, seed, ..TurbulenceNow::default() };
            let line = |from: f32, axis: usize| -> Vec<[f32; 3]> {
                (0..600)
                    .map(|k| {
                        let along = from + 0.05 * k as f32;
                        std::array::from_fn(|c| if c == axis { along } else { 0.3 * (c + 1) as f32 })
                    })
                    .collect()
            };
            for axis in 0..3 {
                let here = sampled(&t, &line(0.0, axis));
                let dot = |a: &[[f32; 3]], b: &[[f32; 3]]| -> f64 {
                    a.iter().flatten().zip(b.iter().flatten()).map(|(a, b)| f64::from(a * b)).sum()
                };
                let own = dot(&here, &here);
                let most = (20..1700)
                    .map(|lag| {
                        let there = sampled(&t, &line(0.12 * lag as f32, axis));
                        dot(&here, &there) / (own * dot(&there, &there)).sqrt()
                    })
                    .fold(0.0, f64::max);
                assert!(most < 0.8, "seed {seed}, axis {axis}: as much as {most} alike further on");
            }
        }
    }
}
