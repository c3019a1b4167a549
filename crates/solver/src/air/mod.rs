//! The air that bodies meet: one kind of field a file, summed.
mod turbulence;
mod wind;

pub use crate::inputs::{Turbulence, Wind};
pub use turbulence::Waves;
pub use wind::Gusts;

use crate::build::Cloth;
use crate::inputs::FrameInputs;
use crate::simd::{F8, Record, V8};
use crate::state::State;
use crate::watch::{Phase, Watch};
use rayon::prelude::*;

/// All the air of a moment, ready to be asked at places.
pub struct Air {
    waves: Vec<Waves>,
    gusts: Vec<Gusts>,
}

impl Air {
    /// The air at a time, seconds from the first frame.
    pub fn at(frame: &FrameInputs, time: f64) -> Air {
        Air {
            waves: frame.turbulence.iter().map(|t| t.at(time)).collect(),
            gusts: frame.winds.iter().map(|w| w.at(time)).collect(),
        }
    }

    /// Velocity at eight places, m/s.
    #[inline(always)]
    fn eight(&self, x: V8) -> V8 {
        let mut v = V8([F8::splat(0.0); 3]);
        self.gusts.iter().for_each(|g| v = v + g.velocity(x));
        self.waves.iter().for_each(|w| v = v + w.velocity(x));
        v
    }

    /// Velocity at places, m/s.
    pub fn velocities(&self, places: &[[f32; 3]]) -> Vec<[f32; 3]> {
        let mut out = Vec::with_capacity(places.len());
        for eight in places.chunks(8) {
            let lane = |c: usize| F8::new(&std::array::from_fn(|l| eight.get(l).map_or(0.0, |p| p[c])));
            let v = self.eight(V8([lane(0), lane(1), lane(2)])).0.map(F8::array);
            out.extend((0..eight.len()).map(|l| [v[0][l], v[1][l], v[2][l]]));
        }
        out
    }
}

/// Fills the state's air for all points.
pub(crate) fn sample(cloth: &Cloth, state: &mut State, frame: &FrameInputs, time: f64, watch: &impl Watch) {
    let air = Air::at(frame, time);
    let n = cloth.points();
    let work = |x: &[Record], out: &mut [Record]| {
        watch.during(Phase::Air, || {
            for (x, out) in x.chunks(8).zip(out.chunks_mut(8)) {
                let lane = |c: usize| F8::new(&std::array::from_fn(|l| x[l.min(x.len() - 1)].0[c]));
                let v = air.eight(V8([lane(0), lane(1), lane(2)])).0.map(F8::array);
                for (l, r) in out.iter_mut().enumerate() {
                    *r = Record([v[0][l], v[1][l], v[2][l], 0.0]);
                }
            }
        });
    };
    state.x[..n].par_chunks(1024).zip(state.air[..n].par_chunks_mut(1024)).for_each(|(x, out)| work(x, out));
}

/// A well-mixed number from a seed and a count (G. Steele, D. Lea, C. Flood, "Fast Splittable
/// Pseudorandom Number Generators", 2014), from 0 to below 1.
pub(crate) fn chance(seed: u64, count: u64) -> f64 {
    let mut z =
        seed.wrapping_mul(0xD134_2543_DE82_EF95).wrapping_add(count.wrapping_mul(0x9E37_79B9_7F4A_7C15));
    z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
    ((z ^ (z >> 31)) >> 11) as f64 / (1u64 << 53) as f64
}
