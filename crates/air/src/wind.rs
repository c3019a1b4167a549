//! A steady wind with gusts that travel along with it.
use crate::word;
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
    /// How wide gusts are across the wind: what lies further apart is not hit at once. 0 is fronts without end.
    #[schemars(title = "Gust width", range(min = 0, max = 1000), extend("unit" = "m", "seldom" = true))]
    #[serde(default)]
    pub gust_width: f64,
    /// 0 comes and goes alike; 1 has long lulls and short bursts, as strong in the mean.
    #[schemars(title = "Bursts", range(min = 0, max = 1), extend("seldom" = true))]
    #[serde(default)]
    pub bursts: Value,
    #[schemars(title = "Seed", range(min = 0, max = 65_535), extend("seldom" = true))]
    #[serde(default)]
    pub seed: u32,
}

fn gust_period() -> f64 {
    2.0
}

/// A wind at one frame.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct WindNow {
    /// Mean velocity, m/s.
    pub velocity: [f32; 3],
    /// Root-mean-square of the gusts as a share of the speed, 0 to 1.
    pub gust: f32,
    /// Typical time between gusts, seconds.
    pub gust_period: f32,
    /// Metres; 0 is without end.
    pub gust_width: f32,
    /// 0 to 1.
    pub bursts: f32,
    pub seed: u32,
}

impl Default for Wind {
    fn default() -> Self {
        Wind::begin()
    }
}

impl Kind for Wind {
    type Now = WindNow;
    fn begin() -> Self {
        Wind {
            speed: 4.0.into(),
            heading: 0.0.into(),
            rise: 0.0.into(),
            gust: 0.2.into(),
            gust_period: gust_period(),
            gust_width: 0.0,
            bursts: 0.0.into(),
            seed: 0,
        }
    }
    fn at(&self, moment: &Moment, share: f64) -> WindNow {
        let Wind { speed, heading, rise, gust, gust_period, gust_width, bursts, seed } = self;
        let ((sh, ch), (sr, cr)) = (libm::sincos(heading.at(moment)), libm::sincos(rise.at(moment)));
        let speed = speed.at(moment);
        WindNow {
            velocity: [ch * cr, sr, -sh * cr].map(|c| (share * speed * c) as f32),
            gust: gust.at(moment) as f32,
            gust_period: *gust_period as f32,
            gust_width: *gust_width as f32,
            bursts: bursts.at(moment) as f32,
            seed: *seed,
        }
    }
}

/// Waves in a gust: enough that it never seems to repeat.
const WAVES: usize = 5;

/// A wind at one moment, its bursts apart. Gusts are fronts that the mean wind carries (G. I. Taylor, "The Spectrum of
/// Turbulence", 1938): what is here now was upwind before.
pub struct Gusts {
    velocity: [f32; 3],
    bursts: f32,
    gust: f32,
    /// Amplitude, turns along x, y and z a metre, and phase in turns, of each wave.
    waves: Vec<[f32; 5]>,
}

impl Now for WindNow {
    type Flow = Gusts;
    fn mark(&self, to: &mut Marks) {
        let WindNow { velocity, gust, gust_period, gust_width, bursts, seed } = self;
        to.words(&[word::WIND, *seed]);
        to.numbers(velocity);
        to.numbers(&[*gust, *gust_period]);
        // Fronts without end that come and go alike were all there was once.
        if *gust_width > 0.0 || *bursts > 0.0 {
            to.words(&[word::GUSTS]);
            to.numbers(&[*gust_width, *bursts]);
        }
    }
    fn speed(&self) -> f32 {
        self.velocity.iter().map(|c| c * c).sum::<f32>().sqrt()
    }
    fn flow(&self, time: f64) -> Gusts {
        let v = self.velocity.map(f64::from);
        let speed2 = v[0] * v[0] + v[1] * v[1] + v[2] * v[2];
        let (velocity, bursts, gust) = (self.velocity, self.bursts, self.gust);
        if self.gust <= 0.0 || speed2 <= 0.0 {
            return Gusts { velocity, bursts, gust, waves: vec![] };
        }
        let amplitude = f64::from(self.gust) * (2.0 / WAVES as f64).sqrt();
        let dice = |n: u64| chance(u64::from(self.seed), n);
        let (p, q) = crate::across(v.map(|c| c / speed2.sqrt()));
        let waves = (0..WAVES as u64)
            .map(|k| {
                let spread = 0.45 + 1.4 * (k as f64 + dice(2 * k)) / WAVES as f64;
                let frequency = spread / f64::from(self.gust_period).max(1e-3);
                let phase = frequency * time + dice(2 * k + 1);
                // cos(2π f (t - x·v/|v|²)): the front moves at the wind's own speed.
                let mut along = v.map(|c| -frequency * c / speed2);
                if self.gust_width > 0.0 {
                    // And it leans to a side, each wave to another, so that where they meet is as wide as they say.
                    let (s, c) = libm::sincos(std::f64::consts::TAU * dice(100 + k));
                    let per = (0.4 + 0.8 * dice(200 + k)) / (2.0 * f64::from(self.gust_width));
                    (0..3).for_each(|a| along[a] += per * (c * p[a] + s * q[a]));
                }
                let [x, y, z] = along.map(|c| c as f32);
                [amplitude as f32, x, y, z, (phase - phase.floor()) as f32]
            })
            .collect();
        Gusts { velocity, bursts, gust, waves }
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
        if self.bursts > 0.0 && self.gust > 0.0 {
            // The second Hermite polynomial beside the first keeps mean and strength, and leans to the high side.
            let one = F8::splat(1.0);
            let g = (share - one) * F8::splat(1.0 / self.gust);
            let u = self.bursts;
            let bent = (g * g - one).fma(F8::splat(u * std::f32::consts::FRAC_1_SQRT_2), g);
            share = bent.fma(F8::splat(self.gust / (1.0 + u * u).sqrt()), one);
        }
        // A gust may still the air, never turn it round.
        let share = share.max(F8::splat(0.0));
        V8(self.velocity.map(F8::splat)).scale(share)
    }
}
