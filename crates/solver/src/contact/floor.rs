//! A level plane with Coulomb friction, met point by point.
//!
//! Friction on positions: M. Macklin, M. Müller, N. Chentanez, T. Kim, "Unified Particle Physics for
//! Real-Time Applications" (2014), eq. 24: the slide of a sub-step shrinks by at most µ times the depth.
use crate::inputs::Floor;
use crate::simd::Record;

/// Lifts a point onto the floor by half the cloth's thickness and lets it rub. `free` is where velocity
/// `v` alone took it, `half` metres, `dt` seconds.
#[inline(always)]
pub fn meet(x: &mut Record, free: &Record, v: &Record, floor: Floor, half: f32, dt: f32) {
    let depth = floor.height + half - x.0[1];
    if depth <= 0.0 || x.0[3] == 0.0 {
        return;
    }
    x.0[1] += depth;
    // How far it came over the floor in this sub-step.
    let dx = v.0[0] * dt + (x.0[0] - free.0[0]);
    let dz = v.0[2] * dt + (x.0[2] - free.0[2]);
    let slide = (dx * dx + dz * dz).sqrt();
    let lost = (floor.friction * depth / slide.max(1e-20)).min(1.0);
    x.0[0] -= dx * lost;
    x.0[2] -= dz * lost;
}
