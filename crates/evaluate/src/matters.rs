//! Matters that change with time.
use crate::Stage;
use crate::kind::{self, Matters};
use nematon_document::{Body, Moment, Value};
use nematon_solver::MatterNow;

/// What of a body's matter may move.
pub struct Changing {
    body: usize,
    damping: Value,
    drag: Value,
    lift: Value,
    friction: Value,
    air_density: Value,
}

/// Of the air that drag and lift are told for, kg/m³.
const AIR: f64 = 1.2;

/// How much denser the air about a body is than that.
pub fn thicker(body: &Body, moment: &Moment) -> f64 {
    if body.air_density.is(AIR) { 1.0 } else { body.air_density.at(moment) / AIR }
}

impl Changing {
    fn of(body: usize, b: &Body) -> Changing {
        let Matters { damping, drag, lift, friction } = kind::of(&b.kind).matters();
        Changing { body, damping, drag, lift, friction, air_density: b.air_density.clone() }
    }

    /// What it is at a moment.
    fn at(&self, moment: &Moment) -> MatterNow {
        let Changing { body, damping, drag, lift, friction, air_density } = self;
        let thicker = if air_density.is(AIR) { 1.0 } else { air_density.at(moment) / AIR };
        let [damping, friction] = [damping, friction].map(|v| v.at(moment) as f32);
        let [drag, lift] = [drag, lift].map(|v| (v.at(moment) * thicker) as f32);
        MatterNow { body: *body, damping, drag, lift, friction }
    }

    /// What it is on the way to a frame, as in the middle of the interval; none where that is what it was built of.
    pub fn motion(&self, scene: &Stage, frame: f64) -> Option<MatterNow> {
        let built = self.at(&scene.frames.moment(scene.frames.first as f64));
        Some(self.at(&scene.frames.moment(frame - 0.5))).filter(|now| *now != built)
    }
}

/// Of the bodies of an island, those whose matter changes.
pub fn changing(bodies: &[&Body]) -> Vec<Changing> {
    let all = bodies.iter().enumerate().map(|(k, b)| Changing::of(k, b));
    let still = |c: &Changing| {
        [&c.damping, &c.drag, &c.lift, &c.friction, &c.air_density].iter().all(|v| v.is_still())
    };
    all.filter(|c| !still(c)).collect()
}
