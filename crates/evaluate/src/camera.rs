//! Cameras of a file as cameras of a scene: at each frame where they are in it, by as few keys as that needs.
use nematon_document::{Camera, FrameSpan, Node};
use nematon_figure::{Figure, FoundCamera};
use nematon_motion::{Motion, Value, fewer};

/// How far a camera may be off between its keys, metres and rad.
const NEAR: f64 = 5e-4;
/// Frames of a file at most.
const MOST: i64 = 20_000;

/// Cameras that move with the file's first clip from a scene's first frame on.
pub fn cameras(figure: &Figure, found: &[FoundCamera], frames: &FrameSpan) -> Vec<Camera> {
    let clip = (!figure.clips.is_empty()).then_some(0);
    let length = clip.map_or(0.0, |c| figure.clips[c].duration);
    let last = ((length * frames.rate).ceil() as i64).min(MOST);
    let poses: Vec<_> = (0..=last).map(|k| figure.pose(clip, (k as f64 / frames.rate).min(length))).collect();
    let camera = |of: &FoundCamera| {
        let mut rows: [Vec<(i64, f64)>; 6] = Default::default();
        for (k, posed) in poses.iter().enumerate() {
            let (_, turn, position) = posed.joints[of.joint].to_scale_rotation_translation();
            let turn = crate::turns(turn.to_array());
            for (row, v) in rows.iter_mut().zip(position.to_array().into_iter().chain(turn)) {
                let whole = std::f64::consts::TAU;
                // A turn goes on where it was, and not once around.
                let v = match row.last() {
                    Some((_, before)) if row.len() == k && (v - before).abs() > whole / 2.0 => {
                        v - whole * ((v - before) / whole).round()
                    }
                    _ => v,
                };
                row.push((frames.first + k as i64, v));
            }
        }
        let values = rows.map(|row| {
            let first = row[0].1;
            if row.iter().all(|(_, v)| (v - first).abs() < 1e-6) {
                return Value::Still((first * 1e6).round() / 1e6);
            }
            Value::Moving(Motion { keys: fewer(&row, NEAR), ..Motion::default() })
        });
        let [x, y, z, a, b, c] = values;
        let place = Node { position: [x, y, z], turn: [a, b, c], on: None };
        let name: String = of.name.chars().take(80).collect();
        let angle = of.angle.clamp(0.02, 2.6);
        Camera { name: if name.is_empty() { "Camera".into() } else { name }, place, angle, opens: None }
    };
    found.iter().map(camera).collect()
}
