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
        let rest =
            own.rest.clone().filter(|r| [&r.scale, &r.warp, &r.weft, &r.bend].into_iter().any(moves))?;
        Some(Relaxed { body, rest })
    };
    bodies.iter().enumerate().filter_map(keyed).collect()
}

impl Relaxed {
    /// How the rest shape changes on the way to a frame.
    pub fn motion(&self, scene: &Stage, frame: f64) -> RestMotion {
        let Rest { shape: _, scale, warp, weft, bend } = &self.rest;
        let moments = [frame - 1.0, frame].map(|f| scene.frames.moment(f));
        let side = |own: &Value| moments.map(|m| (scale.at(&m) * own.at(&m)) as f32);
        RestMotion {
            body: self.body,
            sides: [side(warp), side(weft)],
            folds: moments.map(|m| bend.at(&m) as f32),
        }
    }
}
