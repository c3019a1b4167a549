//! Matters that change with time.
use crate::Stage;
use nematon_document::{Body, Kind, Moment, Value};
use nematon_solver::MatterNow;

/// What of a body's matter may move.
pub struct Changing {
    body: usize,
    damping: Value,
    drag: Value,
    lift: Value,
    friction: Value,
}

impl Changing {
    fn of(body: usize, b: &Body) -> Changing {
        match &b.kind {
            Kind::Cloth(c) => {
                let m = &c.matter;
                let [damping, drag, lift, friction] =
                    [&m.damping, &m.drag, &m.lift, &m.friction].map(Value::clone);
                Changing { body, damping, drag, lift, friction }
            }
            Kind::Drift(d) => Changing {
                body,
                damping: Value::default(),
                drag: d.drag.clone(),
                lift: Value::default(),
                friction: d.friction.clone(),
            },
        }
    }

    /// What it is at a moment.
    fn at(&self, moment: &Moment) -> MatterNow {
        let Changing { body, damping, drag, lift, friction } = self;
        let [damping, drag, lift, friction] = [damping, drag, lift, friction].map(|v| v.at(moment) as f32);
        MatterNow { body: *body, damping, drag, lift, friction }
    }

    /// What it is on the way to a frame: as in the middle of the interval.
    pub fn motion(&self, scene: &Stage, frame: f64) -> MatterNow {
        self.at(&scene.frames.moment(frame - 0.5))
    }
}

/// Of the bodies of an island, those whose matter changes.
pub fn changing(bodies: &[&Body]) -> Vec<Changing> {
    let all = bodies.iter().enumerate().map(|(k, b)| Changing::of(k, b));
    all.filter(|c| ![&c.damping, &c.drag, &c.lift, &c.friction].iter().all(|v| v.is_still())).collect()
}
