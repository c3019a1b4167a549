//! A steady wind with gusts that travel along with it.
use super::chance;
use crate::inputs::Wind;
use crate::simd::{F8, V8};

/// Waves in a gust: enough that it never seems to repeat.
const WAVES: usize = 5;

/// A wind at one moment. Gusts are fronts that the mean wind carries (G. I. Taylor, "The Spectrum of
/// Turbulence", 1938): what is here now was upwind before.
pub struct Gusts {
    velocity: [f32; 3],
    /// Amplitude, turns along x, y and z a metre, and phase in turns, of each wave.
    waves: Vec<[f32; 5]>,
}

impl Wind {
    /// The wind at a time, seconds from the first frame.
    pub fn at(&self, time: f64) -> Gusts {
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

impl Gusts {
    #[inline(always)]
    pub(super) fn velocity(&self, x: V8) -> V8 {
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
