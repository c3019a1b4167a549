//! What can be wrong with numbers that move and with places that ride on others: found by the schema alone, whichever
//! number it is.
use crate::validate::{schema_at, unit_at};
use crate::{Beyond, Fault, FrameSpan, Motion, Parent, Scene, Way};
use serde_json::Value;

/// Things that stand on each other in a row, at most.
pub const MOST_ON_EACH_OTHER: usize = 64;
/// Faults are told of so many frames of one formula at most: the first.
const TOLD: usize = 1;

/// Checks every number of a document that moves: keys one after the other and within the number's limits, formulas that
/// can be read and stay within them at every frame.
pub(crate) fn check(document: &Value, faults: &mut Vec<Fault>) {
    if let Ok(span) = serde_json::from_value::<FrameSpan>(document["frames"].clone()) {
        walk(document, "", &span, faults);
    }
}

fn walk(at: &Value, path: &str, span: &FrameSpan, faults: &mut Vec<Fault>) {
    match at {
        Value::Object(m) if m.contains_key("keys") || m.contains_key("formula") => {
            let schema = schema_at(path).filter(|s| s["animatable"] == true);
            match (schema, serde_json::from_value::<Motion>(at.clone())) {
                (Some(schema), Ok(motion)) => number(&motion, schema, path, span, faults),
                _ => m.iter().for_each(|(k, v)| walk(v, &format!("{path}/{k}"), span, faults)),
            }
        }
        Value::Object(m) => m.iter().for_each(|(k, v)| walk(v, &format!("{path}/{k}"), span, faults)),
        // Long lists hold plain numbers and points.
        Value::Array(a) if a.iter().any(Value::is_object) => {
            a.iter().enumerate().for_each(|(k, v)| walk(v, &format!("{path}/{k}"), span, faults));
        }
        _ => {}
    }
}

fn number(motion: &Motion, schema: &Value, path: &str, span: &FrameSpan, faults: &mut Vec<Fault>) {
    let frames: Vec<i64> = motion.keys.iter().map(|k| k.frame).collect();
    in_order(&frames, &format!("{path}/keys"), faults);
    let unit = unit_at(path).map(|u| format!(" {u}")).unwrap_or_default();
    let (least, most) = (schema["minimum"].as_f64(), schema["maximum"].as_f64());
    let beyond = |v: f64| {
        let low = least.filter(|l| v < *l).map(|l| format!("it must be at least {l}{unit}"));
        low.or_else(|| most.filter(|m| v > *m).map(|m| format!("it must be at most {m}{unit}")))
    };
    for (k, key) in motion.keys.iter().enumerate() {
        if let Some(why) = beyond(key.value) {
            let path = format!("{path}/keys/{k}/value");
            faults.push(Fault::new(path, format!("is {}{unit}; {why}", key.value)));
        }
    }
    let path = match &motion.formula {
        Some(formula) => {
            let path = format!("{path}/formula");
            if let Err(why) = formula.check() {
                faults.push(Fault::new(path, why.to_string()));
                return;
            }
            path
        }
        // Straight and smooth ways stay between their keys; curves, and what lies beyond the keys, may not.
        None if strays(motion) => format!("{path}/keys"),
        None => return,
    };
    let value = crate::Value::Moving(motion.clone());
    let wrong = (span.first..=span.last).filter_map(|frame| {
        let moment = span.moment(frame as f64);
        if motion.formula.as_ref().is_some_and(|f| f.try_at(&moment, motion.seed).is_none()) {
            return Some(format!("gives no number at frame {frame}"));
        }
        let v = value.at(&moment);
        beyond(v).map(|why| format!("is {v}{unit} at frame {frame}; {why}"))
    });
    faults.extend(wrong.take(TOLD).map(|message| Fault::new(path.clone(), message)));
}

/// Whether its keys' way may leave what lies between them.
fn strays(motion: &Motion) -> bool {
    let [before, after] = [motion.before, motion.after].map(|b| matches!(b, Beyond::Offset | Beyond::On));
    before || after || motion.keys.iter().any(|k| k.then == Way::Curve)
}

/// Frames come one after the other.
pub(crate) fn in_order(frames: &[i64], path: &str, faults: &mut Vec<Fault>) {
    if let Some(k) = frames.windows(2).position(|w| w[1] <= w[0]) {
        let message = format!("is not after the one before it ({} <= {})", frames[k + 1], frames[k]);
        faults.push(Fault::new(format!("{path}/{}/frame", k + 1), message));
    }
}

/// What places stand on is there, and none stands on itself by way of others.
pub(crate) fn parents(scene: &Scene, faults: &mut Vec<Fault>) {
    for (path, node) in scene.nodes() {
        let Some(first) = &node.on else { continue };
        let mut ring: Vec<&Parent> = vec![];
        let mut at = Some(first);
        while let Some(parent) = at {
            let Some(next) = parent.node(scene) else {
                let message = format!("stands on \"{}\", which there is not", parent.name(scene));
                // Of one that is further along it is told there.
                if ring.is_empty() {
                    faults.push(Fault::new(format!("{path}/on"), message));
                }
                break;
            };
            ring.push(parent);
            if std::ptr::eq(next, node) {
                let names: Vec<String> = ring.iter().map(|p| p.name(scene)).collect();
                let own = names.last().cloned().unwrap_or_default();
                let message =
                    format!("goes round in a ring: {own} stands on {}", names.join(", which stands on "));
                faults.push(Fault::new(format!("{path}/on"), message));
                break;
            }
            if ring.len() > MOST_ON_EACH_OTHER {
                // A ring that it hangs on but is no part of is told by its members.
                if ring.len() <= scene.handles.len() + scene.colliders.len() + scene.figures.len() {
                    let message = format!("stands on more than {MOST_ON_EACH_OTHER} others in a row");
                    faults.push(Fault::new(format!("{path}/on"), message));
                }
                break;
            }
            at = next.on.as_ref();
        }
    }
}
