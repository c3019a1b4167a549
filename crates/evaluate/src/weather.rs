//! What gravity and still air do to a body, where that is not as to all others.
use crate::maps::{Dyed, Ground};
use crate::{ShapeError, Stage};
use nematon_air::Marks;
use nematon_document::{Body, Scaled, Value};
use nematon_solver::Weathered;
use std::sync::Arc;

/// A number of a body, and the map that scales it: by what where that is 0 and where it is 1.
#[derive(Clone, Debug)]
struct Told {
    value: Value,
    by: Option<(Arc<Dyed>, [f64; 2])>,
}

/// What gravity and still air do to a body, through the frames.
#[derive(Clone, Debug)]
pub struct Weather {
    gravity: Told,
    still: Told,
}

impl Weather {
    /// None where it is as to all others.
    ///
    /// # Errors
    /// When a map can't be had.
    pub fn of(ground: &Ground, body: &Body) -> Result<Option<Weather>, ShapeError> {
        let told = |value: &Value, what: Scaled| {
            let by = match body.scaled.get(&what) {
                Some(by) => {
                    ground.named(body, &by.map).transpose()?.map(|d| (Arc::new(d), [by.least, by.most]))
                }
                None => None,
            };
            Ok::<_, ShapeError>(Told { value: value.clone(), by })
        };
        let gravity = told(&body.gravity, Scaled::Gravity)?;
        let still = told(&body.still_air, Scaled::StillAir)?;
        let plain = gravity.value.is(1.0) && gravity.by.is_none() && still.value.is(0.0);
        Ok((!plain).then_some(Weather { gravity, still }))
    }

    /// On the way to a frame: as in the middle of the interval.
    pub fn motion(&self, scene: &Stage, body: usize, frame: f64) -> Weathered {
        let at = frame - 0.5;
        let now = |t: &Told| t.value.at(&scene.frames.moment(at)) as f32;
        let over = |t: &Told| {
            t.by.as_ref().map(|(dyed, [least, most])| {
                let of = |w: &f32| (least + (most - least) * f64::from(*w)) as f32;
                Arc::new(dyed.at(scene, at).iter().map(of).collect::<Vec<f32>>())
            })
        };
        let Weather { gravity, still } = self;
        Weathered { body, gravity: now(gravity), still: now(still), over: [over(gravity), over(still)] }
    }

    /// What [`Weather::motion`] depends on.
    pub fn mark(&self, scene: &Stage, frame: f64, numbers: &mut Vec<f32>, hashes: &mut Vec<[u8; 32]>) {
        let Weather { gravity, still } = self;
        let at = frame - 0.5;
        for Told { value, by } in [gravity, still] {
            numbers.push(value.at(&scene.frames.moment(at)) as f32);
            if let Some((dyed, ends)) = by {
                numbers.extend(ends.map(|e| e as f32));
                hashes.push(dyed.digest());
                let mut marks = Marks::default();
                dyed.mark(scene, at, &mut marks);
                hashes.push(*blake3::hash(&marks.0).as_bytes());
            }
        }
    }
}
