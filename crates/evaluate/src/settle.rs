//! Before the first frame: bodies come to rest under what acts there, as if the moment of the first frame lasted.
use crate::Stage;
use nematon_document::{Act, Motion, Scene, Settle, Value};

/// Frames in a row that all points have to be calm in: what swings is slow where it turns.
pub(crate) const CALM_FRAMES: usize = 6;

/// What moves has passed where it would rest when it has so much of its most energy left.
pub(crate) const PASSED: f64 = 0.6;
/// How fast it is after a second for no other reason, of 1.
pub(crate) const SLOWED: f64 = 0.03;

/// How a scene's bodies came to rest.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Settled {
    /// How long it took, seconds.
    pub seconds: f64,
    /// How fast the fastest point still was, m/s.
    pub speed: f64,
    /// Whether that is as calm as was asked for.
    pub calm: bool,
}

/// The scene as if its first moment lasted: nothing of it moves by itself.
pub(crate) fn held(scene: &Scene, settle: &Settle) -> Scene {
    let first = scene.frames.first as f64;
    let moment = scene.frames.moment(first);
    let mut own = scene.clone();
    own.frames.settle = None;
    if !settle.air {
        own.fields.retain(|_, f| matches!(f.act, Act::Gravity(_)));
        own.alone = None;
    }
    for figure in own.figures.values_mut() {
        // As slowly as can be told, from where it is: a clip that does not move at all stands at its beginning.
        let gone = (first - figure.begins) / scene.frames.rate * figure.speed;
        if gone > 0.0 {
            figure.speed = SLOW;
            figure.begins = first - gone * scene.frames.rate / SLOW;
        }
    }
    let Ok(mut document) = serde_json::to_value(&own) else { return own };
    stop(&mut document, &|value| value.at(&moment));
    serde_json::from_value(document).unwrap_or(own)
}

/// How many times as fast as in its file the clip of a figure goes that is to stand: some nanometres in a frame.
const SLOW: f64 = 1e-7;

/// Puts a plain number in place of all that moves.
fn stop(of: &mut serde_json::Value, at: &dyn Fn(&Value) -> f64) {
    match of {
        serde_json::Value::Object(o) => {
            if (o.contains_key("keys") || o.contains_key("formula"))
                && let Ok(motion) = serde_json::from_value::<Motion>(serde_json::Value::Object(o.clone()))
            {
                *of = serde_json::json!(at(&Value::Moving(motion)));
                return;
            }
            o.values_mut().for_each(|v| stop(v, at));
        }
        serde_json::Value::Array(all) => all.iter_mut().for_each(|v| stop(v, at)),
        _ => {}
    }
}

/// How the scene says that its bodies come to rest first, where it does.
pub(crate) fn asked(scene: &Stage) -> Option<Settle> {
    scene.frames.settle.clone().filter(|s| s.seconds > 0.0)
}
