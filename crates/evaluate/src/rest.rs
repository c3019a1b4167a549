//! Rest shapes that change with time.
use crate::Stage;
use nematon_document::{Body, Rest, Value};
use nematon_solver::RestMotion;

/// A body's rest scale and bend.
pub struct Relaxed {
    body: usize,
    rest: Rest,
}

/// Of the bodies of an island, those whose rest shape is not simply as it starts.
pub fn relaxed(bodies: &[&Body]) -> Vec<Relaxed> {
    let keyed = |(body, b): (usize, &&Body)| {
        let own = b.kind.cloth()?;
        let moves = |v: &Value| !v.is(1.0);
        let rest = own.rest.clone().filter(|r| moves(&r.scale) || moves(&r.bend))?;
        Some(Relaxed { body, rest })
    };
    bodies.iter().enumerate().filter_map(keyed).collect()
}

impl Relaxed {
    /// How the rest shape changes on the way to a frame.
    pub fn motion(&self, scene: &Stage, frame: f64) -> RestMotion {
        let Rest { shape: _, scale, bend } = &self.rest;
        let scale = |f: f64| scale.at(&scene.frames.moment(f)) as f32;
        let bend = |f: f64| bend.at(&scene.frames.moment(f)) as f32;
        RestMotion {
            body: self.body,
            scale: [scale(frame - 1.0), scale(frame)],
            folds: [bend(frame - 1.0), bend(frame)],
        }
    }
}
