//! The skins of colliders on their way through a frame.
use super::touch::Contact;
use crate::inputs::FrameInputs;
use crate::simd::Record;

/// The skin of a collider where a sub-step finds and leaves it.
pub(super) struct PlacedSkin {
    pub(super) collider: usize,
    pub(super) now: Vec<Record>,
    pub(super) start: Vec<Record>,
}

impl Contact {
    pub(super) fn place_skin(&mut self, k: usize, frame: &FrameInputs, moment: f32) {
        let skin = &mut self.skins[k];
        let Some(rest) = &self.colliders[skin.collider].skin else { return };
        let motion = frame.colliders.get(skin.collider);
        let pose = motion.map(|m| m.way.at(moment)).unwrap_or_default();
        let [a, b, c] = pose.axes();
        let shape = motion.and_then(|m| m.shapes.at(moment));
        for (i, out) in skin.now.iter_mut().take(rest.positions.len()).enumerate() {
            let p = shape.as_ref().map_or(rest.positions[i], |at| at(i));
            let at = |k: usize| pose.position[k] + a[k] * p[0] + b[k] * p[1] + c[k] * p[2];
            *out = Record([at(0), at(1), at(2), 0.0]);
        }
    }
}

/// Records of points that don't move, with eight spare ones after them.
pub(super) fn settled(positions: &[[f32; 3]]) -> Vec<Record> {
    let spare = [[0.0, 0.0], [1.0, 0.0], [0.0, 1.0], [1.0, 1.0]].map(|[x, y]| [x, y, 0.0]);
    let all = positions.iter().chain(spare.iter()).chain(spare.iter());
    all.map(|[x, y, z]| Record([*x, *y, *z, 0.0])).collect()
}
