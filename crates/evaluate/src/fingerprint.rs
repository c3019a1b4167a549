//! Frames are true by construction: a frame's fingerprint is all that went into it.
//!
//! `fingerprint(0) = H(solver version, rest state)`, `fingerprint(f) = H(fingerprint(f - 1), inputs(f))`.
//! A stored frame is true exactly when the scene as it is now asks for its fingerprint.
use crate::frame_inputs;
use nematon_document::Scene;
use nematon_solver::{ClothRest, FrameInputs};

/// BLAKE3 of all that a frame was made from.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Fingerprint(pub [u8; 32]);

/// The fingerprints of all frames of a body, the first frame first.
pub fn fingerprints(scene: &Scene, rest: &ClothRest) -> Vec<Fingerprint> {
    let mut out = vec![of_rest(rest)];
    for index in 1..scene.frames.count() {
        let next = of_frame(&out[index - 1], &frame_inputs(scene, index));
        out.push(next);
    }
    out.truncate(scene.frames.count());
    out
}

/// Feeds numbers to the hash as their bits.
struct Sink(blake3::Hasher);

impl Sink {
    fn f32(&mut self, n: &[f32]) {
        n.iter().for_each(|n| {
            self.0.update(&n.to_bits().to_le_bytes());
        });
    }
    fn f64(&mut self, n: f64) {
        self.0.update(&n.to_bits().to_le_bytes());
    }
    fn u32(&mut self, n: &[u32]) {
        n.iter().for_each(|n| {
            self.0.update(&n.to_le_bytes());
        });
    }
    fn end(self) -> Fingerprint {
        Fingerprint(*self.0.finalize().as_bytes())
    }
}

fn of_rest(rest: &ClothRest) -> Fingerprint {
    let mut s = Sink(blake3::Hasher::new());
    s.u32(&[nematon_solver::VERSION, rest.positions.len() as u32, rest.triangles.len() as u32]);
    rest.positions.iter().for_each(|p| s.f32(p));
    rest.triangles.iter().for_each(|t| s.u32(t));
    rest.frames.iter().flatten().for_each(|c| s.f32(c));
    rest.held.iter().for_each(|h| s.u32(&[u32::from(*h)]));
    let m = &rest.matter;
    s.f32(&[m.areal_weight, m.shear, m.damping, m.drag, m.lift, m.friction, m.thickness]);
    s.f32(&m.stretch);
    s.f32(&m.bend);
    s.end()
}

fn of_frame(before: &Fingerprint, inputs: &FrameInputs) -> Fingerprint {
    let mut s = Sink(blake3::Hasher::new());
    s.0.update(&before.0);
    s.f64(inputs.duration);
    s.u32(&[inputs.substeps]);
    s.f32(&inputs.gravity);
    // Time only counts where something changes with it, so that what doesn't is shared.
    if !inputs.winds.is_empty() || !inputs.turbulence.is_empty() {
        s.f64(inputs.start);
    }
    for w in &inputs.winds {
        s.u32(&[1, w.seed]);
        s.f32(&w.velocity);
        s.f32(&[w.gust, w.gust_period]);
    }
    for t in &inputs.turbulence {
        s.u32(&[2, t.seed, t.octaves]);
        s.f32(&[t.strength, t.size, t.pace]);
        s.f32(&t.drift);
    }
    if let Some(f) = &inputs.floor {
        s.u32(&[3]);
        s.f32(&[f.height, f.friction]);
    }
    s.end()
}
