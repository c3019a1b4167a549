//! Rest shapes that change with time.
use nematon_document::{Body, Rest, number_at};
use nematon_solver::RestMotion;

/// A body's keys of its rest scale and bend.
pub struct Relaxed {
    cloth: usize,
    rest: Rest,
}

/// Of the bodies of an island, those whose rest shape has keys.
pub fn relaxed(bodies: &[&Body]) -> Vec<Relaxed> {
    let keyed = |(cloth, b): (usize, &&Body)| {
        let rest = b.rest.clone().filter(|r| !r.scale.is_empty() || !r.bend.is_empty())?;
        Some(Relaxed { cloth, rest })
    };
    bodies.iter().enumerate().filter_map(keyed).collect()
}

impl Relaxed {
    /// How the rest shape changes on the way to a frame.
    pub fn motion(&self, frame: f64) -> RestMotion {
        let scale = |f: f64| number_at(self.rest.scale.iter().map(|k| (k.frame, k.value)), f) as f32;
        let bend = |f: f64| number_at(self.rest.bend.iter().map(|k| (k.frame, k.value)), f) as f32;
        RestMotion {
            cloth: self.cloth,
            scale: [scale(frame - 1.0), scale(frame)],
            folds: [bend(frame - 1.0), bend(frame)],
        }
    }
}
