//! A steady wind with gusts that travel along with it.
use crate::{Flow, Kind, Marks, Now, chance};
use nematon_motion::{Moment, Value};
use nematon_simd::{F8, V8};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Air that moves one way, with gusts that travel along with it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Wind {
    #[schemars(title = "Speed", range(min = 0, max = 150), extend("unit" = "m/s"))]
    pub speed: Value,
    /// Where it blows to: 0 along +x, a quarter turn along -z.
    #[schemars(title = "Heading", range(min = -100, max = 100), extend("unit" = "rad"))]
    pub heading: Value,
    /// How steeply it rises.
    #[schemars(title = "Rise", range(min = -1.57, max = 1.57), extend("unit" = "rad", "seldom" = true))]
    #[serde(default)]
    pub rise: Value,
    /// Root-mean-square part of the speed that comes and goes.
    #[schemars(title = "Gusts", range(min = 0, max = 1))]
    #[serde(default)]
    pub gust: Value,
    /// Typical time between gusts: the pattern's own, and so still.
    #[schemars(title = "Gust period", range(min = 0.05, max = 60), extend("unit" = "s"))]
    #[serde(default = "gust_period")]
    pub gust_period: f64,
    #[schemars(title = "Seed", range(min = 0, max = 65_535), extend("seldom" = true))]
    #[serde(default)]
    pub seed: u32,
}

fn gust_period() -> f64 {
    2.0
}

/// A wind at one frame.
#[derive(Clone, Debug, PartialEq)]
pub struct WindNow {
    /// Mean velocity, m/s.
    pub velocity: [f32; 3],
    /// Root-mean-square of the gusts as a share of the speed, 0 to 1.
    pub gust: f32,
    /// Typical time between gusts, seconds.
    pub gust_period: f32,
    pub seed: u32,
}

impl Kind for Wind {
    type Now = WindNow;
    fn begin() -> Self {
        let (speed, gust) = (4.0.into(), 0.2.into());
        Wind { speed, heading: 0.0.into(), rise: 0.0.into(), gust, gust_period: gust_period(), seed: 0 }
    }
    fn at(&self, moment: &Moment, share: f64) -> WindNow {
        let Wind { speed, heading, rise, gust, gust_period, seed } = self;
        let ((sh, ch), (sr, cr)) = (libm::sincos(heading.at(moment)), libm::sincos(rise.at(moment)));
        let speed = speed.at(moment);
        WindNow {
            velocity: [ch * cr, sr, -sh * cr].map(|c| (share * speed * c) as f32),
            gust: gust.at(moment) as f32,
            gust_period: *gust_period as f32,
            seed: *seed,
        }
    }
}

/// Waves in a gust: enough that it never seems to repeat.
const WAVES: usize = 5;

/// A wind at one moment. Gusts are fronts that the mean wind carries (G. I. Taylor, "The Spectrum of
/// Turbulence", 1938): what is here now was upwind before.
pub struct Gusts {
    velocity: [f32; 3],
    /// Amplitude, turns along x, y and z a metre, and phase in turns, of each wave.
    waves: Vec<[f32; 5]>,
}

impl Now for WindNow {
    type Flow = Gusts;
    fn mark(&self, to: &mut Marks) {
        let WindNow { velocity, gust, gust_period, seed } = self;
        to.words(&[1, *seed]);
        to.numbers(velocity);
        to.numbers(&[*gust, *gust_period]);
    }
    fn speed(&self) -> f32 {
        self.velocity.iter().map(|c| c * c).sum::<f32>().sqrt()
    }
    fn flow(&self, time: f64) -> Gusts {
        let v = self.velocity.map(f64::from);
        let speed2 = v[0] * v[0] + v[1] * v[1] + v[2] * v[2];
        if self.gust <= 0.0 || speed2 <= 0.0 {
            return Gusts { velocity: self.velocity, waves: vec![] };
        }
        let amplitude = f64::from(self.gust) * (2.0 / WAVES as f64).sqrt();
        let waves = (0..WAVES as u64)
            .map(|k| {
                let spread = 0.45 + 1.4 * (k as f64 + chance(u64::from(self.seed), 2 * k)) / WAVES as f64;
                let frequency = spread / f64::from(self.gust_period).max(1e-3);
                let phase = frequency * time + chance(u64::from(self.seed), 2 * k + 1);
                // cos(2π f (t - x·v/|v|²)): the front moves at the wind's own speed.
                let along = v.map(|c| (-frequency * c / speed2) as f32);
                [amplitude as f32, along[0], along[1], along[2], (phase - phase.floor()) as f32]
            })
            .collect();
        Gusts { velocity: self.velocity, waves }
    }
}

impl Flow for Gusts {
    #[inline(always)]
    fn velocity(&self, x: V8) -> V8 {
        let mut share = F8::splat(1.0);
        for [amplitude, a, b, c, phase] in &self.waves {
            let along = V8([F8::splat(*a), F8::splat(*b), F8::splat(*c)]);
            share = (along.dot(x) + F8::splat(*phase)).cos_turns().fma(F8::splat(*amplitude), share);
        }
        // A gust may still the air, never turn it round.
        let share = share.max(F8::splat(0.0));
        V8(self.velocity.map(F8::splat)).scale(share)
    }
}
