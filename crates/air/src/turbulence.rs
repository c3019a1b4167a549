//! Swirling air without sources or sinks.
//!
//! A sum of random waves, each across its own direction of travel: R. H. Kraichnan, "Diffusion by a
//! Random Velocity Field" (1970), eq. 3.1. Each wave is free of divergence exactly, so is the sum; it
//! is smooth to all orders, has no grid and does not repeat.
use crate::{Flow, Kind, Marks, Now, chance};
use nematon_motion::{Moment, Value};
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
    pub pace: f64,
    /// Velocity at which the pattern travels.
    #[schemars(title = "Drift", inner(range(min = -150, max = 150)), extend("unit" = "m/s"))]
    #[serde(default)]
    pub drift: [f64; 3],
    /// Each octave has half the size of the one before and 0.6 of its strength.
    #[schemars(title = "Octaves", range(min = 1, max = 4), extend("seldom" = true))]
    #[serde(default = "octaves")]
    pub octaves: u32,
    #[schemars(title = "Seed", range(min = 0, max = 65_535), extend("seldom" = true))]
    #[serde(default)]
    pub seed: u32,
}

fn pace() -> f64 {
    0.4
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
    /// 1 to 4.
    pub octaves: u32,
    pub seed: u32,
}

impl Kind for Turbulence {
    type Now = TurbulenceNow;
    fn begin() -> Self {
        let strength = 1.0.into();
        Turbulence { strength, size: 1.0, pace: pace(), drift: [0.0; 3], octaves: octaves(), seed: 0 }
    }
    fn at(&self, moment: &Moment, share: f64) -> TurbulenceNow {
        let Turbulence { strength, size, pace, drift, octaves, seed } = self;
        TurbulenceNow {
            strength: (share * strength.at(moment)) as f32,
            size: *size as f32,
            pace: *pace as f32,
            drift: drift.map(|c| c as f32),
            octaves: *octaves,
            seed: *seed,
        }
    }
}

/// Waves an octave: enough to look the same in all directions.
const WAVES: usize = 20;
/// Strength of an octave against the one before.
const FALL: f64 = 0.6;

/// Turbulence at one moment.
pub struct Waves {
    /// For each wave: turns a metre along x, y, z; phase in turns; amplitude along x, y, z in m/s.
    waves: Vec<[f32; 7]>,
}

impl Now for TurbulenceNow {
    type Flow = Waves;
    fn mark(&self, to: &mut Marks) {
        let TurbulenceNow { strength, size, pace, drift, octaves, seed } = self;
        to.words(&[2, *seed, *octaves]);
        to.numbers(&[*strength, *size, *pace]);
        to.numbers(drift);
    }
    fn speed(&self) -> f32 {
        self.strength
    }
    fn flow(&self, time: f64) -> Waves {
        let octaves = self.octaves.clamp(1, 4);
        // Strengths of octaves, scaled so that all together have the root mean square asked for.
        let all: f64 = (0..octaves).map(|o| FALL.powi(2 * o as i32)).sum();
        let mut waves = vec![];
        for o in 0..octaves {
            let rms = f64::from(self.strength) * FALL.powi(o as i32) / all.sqrt();
            let shorter = f64::from(1u32 << o);
            for k in 0..WAVES {
                let dice =
                    |n: u64| chance(u64::from(self.seed), (u64::from(o) * WAVES as u64 + k as u64) * 8 + n);
                // Directions evenly over the sphere, one in each of as many bands.
                let z = 2.0 * (k as f64 + dice(0)) / WAVES as f64 - 1.0;
                let (s, c) = libm::sincos(std::f64::consts::TAU * dice(1));
                let r = (1.0 - z * z).max(0.0).sqrt();
                let d = [r * c, r * s, z];
                // Wavelengths around the size, from 3/4 to 4/3 of it.
                let per_metre = shorter / f64::from(self.size) * libm::pow(4.0 / 3.0, 2.0 * dice(2) - 1.0);
                // Any direction across d: two unit vectors that span it, turned at random.
                let (sin, cos) = libm::sincos(std::f64::consts::TAU * dice(3));
                let (p, q) = across(d);
                let size = rms * (2.0 / WAVES as f64).sqrt();
                let amplitude: [f64; 3] = std::array::from_fn(|k| size * (p[k] * cos + q[k] * sin));
                let turns = d.map(|c| c * per_metre);
                let drift: f64 = (0..3).map(|k| turns[k] * f64::from(self.drift[k])).sum();
                let own = f64::from(self.pace) * shorter.sqrt() * (2.0 * dice(4) - 1.0);
                let phase = dice(5) + (own - drift) * time;
                waves.push([
                    turns[0] as f32,
                    turns[1] as f32,
                    turns[2] as f32,
                    (phase - phase.floor()) as f32,
                    amplitude[0] as f32,
                    amplitude[1] as f32,
                    amplitude[2] as f32,
                ]);
            }
        }
        Waves { waves }
    }
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

/// Two unit vectors across a unit vector and each other (T. Duff et al., "Building an Orthonormal
/// Basis, Revisited", 2017).
fn across(n: [f64; 3]) -> ([f64; 3], [f64; 3]) {
    let sign = 1f64.copysign(n[2]);
    let a = -1.0 / (sign + n[2]);
    let b = n[0] * n[1] * a;
    ([1.0 + sign * n[0] * n[0] * a, sign * b, -sign * n[0]], [b, sign + n[1] * n[1] * a, -n[1]])
}
