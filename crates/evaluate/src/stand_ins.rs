//! Capsules and flat boxes in place of a figure's skin, as colliders of the scene.
use crate::Stage;
use nematon_document::{BoxForm, CapsuleForm, Collider, FigureId, Form, JointOf, Node, Parent, Value};
use nematon_figure::{Fitted, StandIn};
use nematon_simd::{F8, V8};
use nematon_solid::Solid;
use std::time::Instant;

/// One for each joint of a figure that holds skin of its own, standing on it; of some joints alone where they are named.
///
/// # Errors
/// In a sentence, when the figure can't be had or no joint holds skin.
pub fn stand_ins(stage: &Stage, figure: &str, joints: &[String]) -> Result<Vec<Collider>, String> {
    let own = stage.figure(figure).map_err(|why| format!("The figure {why}."))?;
    let mut found = nematon_figure::stand_ins(&own.figure);
    found.retain(|s| joints.is_empty() || joints.contains(&own.figure.joints[s.joint].name));
    if found.is_empty() || !own.figure.sequence.is_empty() {
        return Err(
            "None of these joints holds skin of its own. A sequence of shapes has no joints at all.".into()
        );
    }
    let id = FigureId(figure.to_owned());
    Ok(found
        .iter()
        .map(|s| collider(&id, own.figure.joints[s.joint].name.clone(), s, own.own.size))
        .collect())
}

fn collider(id: &FigureId, joint: String, s: &StandIn, size: f64) -> Collider {
    let round = |v: f64| (v * 1e5).round() / 1e5;
    let still = |v: [f64; 3]| v.map(|c| Value::Still(round(c)));
    let number = |v: f64| round(v * size).max(0.001);
    let place = Node {
        position: still((s.position * size).to_array()),
        turn: still(turns(s.turn.to_array())),
        on: Some(Parent::Joint(JointOf { figure: id.clone(), joint: joint.clone() })),
    };
    let form = match s.form {
        Fitted::Capsule { radius, length } => {
            Form::Capsule(CapsuleForm { radius: number(radius), length: number(length) })
        }
        Fitted::Box { size } => Form::Box(BoxForm { size: size.map(number) }),
    };
    // A group of its own, so that what is cut of the skin can be left to pass through.
    Collider { place, group: format!("{} stand-ins", id.0), ..Collider::of(&joint, form) }
}

/// A unit quaternion (x, y, z, w) as turns about x, then y, then z, radians.
pub fn turns([x, y, z, w]: [f64; 4]) -> [f64; 3] {
    let (m20, m21, m22) = (2.0 * (x * z - y * w), 2.0 * (y * z + x * w), 1.0 - 2.0 * (x * x + y * y));
    let (m10, m00) = (2.0 * (x * y + z * w), 1.0 - 2.0 * (y * y + z * z));
    if m20.abs() > 1.0 - 1e-9 {
        // Straight up or down: what is about x can be told about z as well.
        let m01 = 2.0 * (x * y - z * w);
        let m11 = 1.0 - 2.0 * (x * x + z * z);
        return [0.0, libm::asin((-m20).clamp(-1.0, 1.0)), libm::atan2(-m01, m11)];
    }
    [libm::atan2(m21, m22), libm::asin(-m20), libm::atan2(m10, m00)]
}

/// Milliseconds that all places of a figure's skin within a frame take here and now: what stand-ins spare.
///
/// # Errors
/// When the figure can't be had.
pub fn skin_cost(stage: &Stage, figure: &str) -> Result<f64, String> {
    let own = stage.figure(figure)?;
    let middle = 0.5 * (stage.frames.first + stage.frames.last) as f64;
    let begun = Instant::now();
    for at in stage.through(middle, true) {
        own.anew(own.time(stage, at));
    }
    Ok(begun.elapsed().as_secs_f64() * 1000.0)
}

/// Milliseconds that so many points within a frame take to be kept out of stand-ins here and now, at most: each is asked of
/// each, where contact passes over what is far away.
pub fn stand_in_cost(stage: &Stage, stand_ins: &[Collider], points: usize) -> f64 {
    let solids: Vec<Solid> = stand_ins
        .iter()
        .filter_map(|c| match &c.form {
            Form::Capsule(f) => {
                Some(Solid::Capsule { radius: f.radius as f32, half: (0.5 * f.length) as f32 })
            }
            Form::Box(f) => Some(Solid::Box { half: f.size.map(|s| (0.5 * s) as f32) }),
            _ => None,
        })
        .collect();
    // About them as bodies are: some within, most without.
    let some: Vec<V8> = (0..64).map(|k| V8::splat([0.01 * k as f32, 0.1, 0.02])).collect();
    let rounds = points.div_ceil(8) * stage.frames.begins_with().max(1) as usize;
    let begun = Instant::now();
    let mut near = F8::splat(0.0);
    for k in 0..rounds {
        for s in &solids {
            near = near.min(s.distance(some[k % some.len()]).1);
        }
    }
    std::hint::black_box(near);
    begun.elapsed().as_secs_f64() * 1000.0
}
