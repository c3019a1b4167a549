//! Frames are true by construction: a frame's fingerprint is all that went into it.
//!
//! `fingerprint(0) = H(solver version, rest state)`, `fingerprint(f) = H(fingerprint(f - 1), inputs(f))`.
//! A stored frame is true exactly when the scene as it is now asks for its fingerprint.
use crate::collide::{Carried, Track};
use crate::frame_inputs;
use crate::rest::Relaxed;
use nematon_document::Scene;
use nematon_solver::{ClothRest, Folds, FrameInputs, Rules};

/// BLAKE3 of all that a frame was made from.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Fingerprint(pub [u8; 32]);

/// What an island's frames follow from beside the scene's own air and floor.
pub struct Island<'a> {
    pub rests: &'a [ClothRest],
    pub rules: &'a Rules,
    pub tracks: &'a [Track],
    pub carried: &'a [Carried],
    pub relaxed: &'a [Relaxed],
}

/// The fingerprints of all frames of an island, the first frame first.
pub fn of_island(scene: &Scene, island: &Island) -> Vec<Fingerprint> {
    let count = scene.frames.count();
    let mut out = vec![of_rest(island)];
    for index in 1..count {
        let next = of_frame(&out[index - 1], &frame_inputs(scene, index), scene, index, island);
        out.push(next);
    }
    out.truncate(count);
    out
}

/// The fingerprint of one body's part of an island's frame.
pub fn of_member(island: Fingerprint, member: usize, members: usize) -> Fingerprint {
    if members == 1 {
        return island;
    }
    let mut s = Sink(blake3::Hasher::new());
    s.0.update(&island.0);
    s.u32(&[member as u32]);
    s.end()
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

fn of_rest(island: &Island) -> Fingerprint {
    let mut s = Sink(blake3::Hasher::new());
    s.u32(&[nematon_solver::VERSION, island.rests.len() as u32]);
    for rest in island.rests {
        s.u32(&[rest.positions.len() as u32, rest.triangles.len() as u32]);
        rest.positions.iter().for_each(|p| s.f32(p));
        rest.triangles.iter().for_each(|t| s.u32(t));
        rest.flat.iter().flatten().for_each(|c| s.f32(c));
        rest.held.iter().for_each(|h| s.u32(&[u32::from(*h)]));
        let m = &rest.matter;
        s.f32(&[m.areal_weight, m.shear, m.damping, m.drag, m.lift, m.friction, m.thickness]);
        s.f32(&m.stretch);
        s.f32(&m.bend);
        s.f32(&[m.poisson]);
        match &rest.folds {
            Folds::Start => s.u32(&[0]),
            Folds::Flat => s.u32(&[1]),
            Folds::Like(to) => {
                s.u32(&[2]);
                to.iter().for_each(|p| s.f32(p));
            }
        }
        for map in &rest.maps.0 {
            s.u32(&[map.len() as u32]);
            s.f32(map);
        }
    }
    island.rules.own.iter().for_each(|o| s.u32(&[u32::from(*o)]));
    island.rules.between.iter().for_each(|p| s.u32(&p.map(|k| k as u32)));
    island.tracks.iter().for_each(|t| {
        s.0.update(&t.hash);
    });
    s.end()
}

fn of_frame(
    before: &Fingerprint,
    inputs: &FrameInputs,
    scene: &Scene,
    index: usize,
    island: &Island,
) -> Fingerprint {
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
    let first = scene.frames.first as f64;
    let (mut numbers, mut hashes) = (vec![], vec![]);
    for t in island.tracks {
        t.mark(first + index as f64, &mut numbers, &mut hashes);
    }
    for c in island.carried {
        let m = c.motion(first + index as f64, first);
        s.u32(&[4, m.cloth as u32]);
        m.points.iter().for_each(|p| s.u32(&[*p]));
        for p in [m.first, m.from, m.to] {
            numbers.extend(p.position);
            numbers.extend(p.turn);
        }
    }
    for r in island.relaxed {
        let m = r.motion(first + index as f64);
        s.u32(&[5, m.cloth as u32]);
        numbers.extend(m.scale);
        numbers.extend(m.folds);
    }
    s.f32(&numbers);
    hashes.iter().for_each(|h| {
        s.0.update(h);
    });
    s.end()
}
