//! Loops: what a frame of one is made of, how much jumps where it begins again, where a motion is most like itself, and what of a scene
//! does not repeat.
use crate::{Stage, air_at};
use nematon_document::{FieldId, Loop, Motion, Value, named};
use schemars::JsonSchema;
use serde::Serialize;
use std::io;

/// Places of points over frames that follow each other.
pub type Places = Vec<Vec<[f64; 3]>>;

/// How much the `k`-th frame of a loop has of the frame a length before it: none before its end is blended.
///
/// The weights are those of L. Kovar, M. Gleicher, F. Pighin, "Motion Graphs" (2002), equation 2: they end level on both sides.
pub fn blend(l: &Loop, k: i64) -> f64 {
    let into = k - (l.length - l.blend) + 1;
    if into <= 0 {
        return 0.0;
    }
    let t = into as f64 / (l.blend + 1) as f64;
    t * t * (3.0 - 2.0 * t)
}

/// A frame, and one that it turns into by so much. A point that is not there in one of them is as the first has it.
pub fn blended(frame: &mut [[f64; 3]], other: &[[f64; 3]], much: f64) {
    for (p, q) in frame.iter_mut().zip(other) {
        if q.iter().all(|c| c.is_finite()) {
            (0..3).for_each(|c| p[c] += much * (q[c] - p[c]));
        }
    }
}

/// The same of how points are turned, the shorter way.
pub fn blended_turns(frame: &mut [[f32; 4]], other: &[[f32; 4]], much: f64) {
    for (p, q) in frame.iter_mut().zip(other) {
        let along: f32 = (0..4).map(|c| p[c] * q[c]).sum();
        let (much, side) = (much as f32, along.signum());
        let now: [f32; 4] = std::array::from_fn(|c| p[c] + much * (side * q[c] - p[c]));
        let long = now.iter().map(|c| c * c).sum::<f32>().sqrt();
        if long > 1e-6 && long.is_finite() {
            *p = now.map(|c| c / long);
        }
    }
}

/// The frames of a loop, from those of a motion whose first frame is `first`.
///
/// # Panics
/// When the motion has not all of the frames that the loop takes.
pub fn looped(l: &Loop, first: i64, frames: &[Vec<[f64; 3]>]) -> Places {
    let at = |frame: i64| &frames[(frame - first) as usize];
    let one = |k: i64| {
        let mut own = at(l.from + k).clone();
        let much = blend(l, k);
        if much > 0.0 {
            blended(&mut own, at(l.from + k - l.length), much);
        }
        own
    };
    (0..l.length).map(one).collect()
}

/// The frames of a loop as they are read: its own, with those `before` its first into which its last turn; `mix` makes of two frames one.
pub fn in_loop<T>(
    own: impl Iterator<Item = io::Result<T>>,
    mut before: impl Iterator<Item = io::Result<T>>,
    looped: Loop,
    mix: impl Fn(&mut T, &T, f64),
) -> impl Iterator<Item = io::Result<T>> {
    own.take(looped.length as usize).enumerate().map(move |(k, frame)| {
        let (mut frame, much) = (frame?, blend(&looped, k as i64));
        if much > 0.0 {
            let other = before.next().ok_or_else(|| io::Error::other("a frame is gone"))??;
            mix(&mut frame, &other, much);
        }
        Ok(frame)
    })
}

/// What jumps where a loop begins again, beside what is usual.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, JsonSchema)]
pub struct Seam {
    /// The furthest that a point goes from one frame to the next where the loop is blended and begins again, metres.
    pub way: f64,
    /// Half of the loop's frames have a furthest way below this as they were computed, metres.
    pub usual_way: f64,
    /// The furthest way in any of them as they were computed, metres.
    pub most_way: f64,
    /// The most that a point's speed and heading change there from one frame to the next, m/s.
    pub turn: f64,
    /// Half of the loop's frames are below this as they were computed, m/s.
    pub usual_turn: f64,
    /// The most in any of them as they were computed, m/s.
    pub most_turn: f64,
}

/// Measures the seam of a loop, on the frames of a motion whose first is `first`.
///
/// # Panics
/// When the motion has not all of the frames that the loop takes.
pub fn seam(l: &Loop, first: i64, rate: f64, frames: &[Vec<[f64; 3]>]) -> Seam {
    let own = looped(l, first, frames);
    let n = own.len();
    let way = |a: &[[f64; 3]], b: &[[f64; 3]]| most(a.iter().zip(b).map(|(p, q)| square(&less(q, p))));
    let turn = |a: &[[f64; 3]], b: &[[f64; 3]], c: &[[f64; 3]]| {
        rate * most(a.iter().zip(b).zip(c).map(|((p, q), r)| square(&less(&less(r, q), &less(q, p)))))
    };
    let around = |k: usize| (&own[(k + n - 1) % n], &own[k % n], &own[(k + 1) % n]);
    let start = n - 1 - l.blend as usize;
    let mut out = Seam::default();
    for k in start..n {
        out.way = out.way.max(way(&own[k], &own[(k + 1) % n]));
    }
    for k in start..=n {
        let (a, b, c) = around(k);
        out.turn = out.turn.max(turn(a, b, c));
    }
    let computed = &frames[(l.from - first) as usize..][..n];
    (out.usual_way, out.most_way) = spread(computed.windows(2).map(|w| way(&w[0], &w[1])));
    (out.usual_turn, out.most_turn) = spread(computed.windows(3).map(|w| turn(&w[0], &w[1], &w[2])));
    out
}

/// How far two frames may be from each other in time for their speeds to weigh as much as their places, frames.
const AS_MUCH: f64 = 2.0;

/// Where a motion is most like itself a loop later: from which frame, after how many (`shortest` to `longest`), with what the two are
/// apart in usual steps where they are blended most. `blend` frames before are left to it. `None` where there are too few frames, or
/// nothing moves.
///
/// Two moments are as near as their points' places and velocities are, over all frames that will be blended and as much as they will be
/// (A. Schödl, R. Szeliski, D. H. Salesin, I. Essa, "Video Textures", 2000, section 3: what goes on at a moment is told by the frames
/// about it), measured by how far points go in a frame of the loop.
pub fn best(
    first: i64,
    frames: &[Vec<[f64; 3]>],
    shortest: i64,
    longest: i64,
    blend: i64,
) -> Option<(Loop, f64)> {
    let n = frames.len() as i64;
    let points = frames.first()?.len();
    let mean = |squares: &mut dyn Iterator<Item = f64>| {
        squares.filter(|d| d.is_finite()).sum::<f64>() / points.max(1) as f64
    };
    let apart =
        |a: usize, b: usize| mean(&mut frames[a].iter().zip(&frames[b]).map(|(p, q)| square(&less(q, p))));
    // What is gone from each frame to the next, summed up.
    let mut gone = vec![0.0];
    for k in 1..frames.len() {
        gone.push(gone[k - 1] + apart(k - 1, k));
    }
    let step = |k: usize, p: usize| less(&frames[k + 1][p], &frames[k - 1][p]);
    let drift =
        |a: usize, b: usize| mean(&mut (0..points).map(|p| square(&less(&step(b, p), &step(a, p))) / 4.0));
    let mut found: Option<(Loop, f64)> = None;
    for length in shortest.max(2)..=longest.min(n - 2) {
        let of = Loop { from: 0, length, blend: blend.min(length - 1) };
        // How much each frame before the first is mixed with its like a loop later, the first itself as much as the most.
        let mixed: Vec<f64> = (0..=of.blend)
            .map(|before| match before {
                0 => 1.0,
                _ => self::blend(&of, length - before) * (1.0 - self::blend(&of, length - before)) * 4.0,
            })
            .collect();
        let whole: f64 = mixed.iter().sum();
        let unlike: Vec<f64> = (0..n - length)
            .map(|a| {
                let (a, b) = (a as usize, (a + length) as usize);
                let turned = if a > 0 && b + 1 < frames.len() { drift(a, b) } else { f64::INFINITY };
                apart(a, b) + AS_MUCH * AS_MUCH * turned
            })
            .collect();
        for from in of.blend + 1..n - 1 - length {
            let usual = (gone[(from + length) as usize] - gone[from as usize]) / length as f64;
            if usual <= 1e-14 {
                continue;
            }
            let all = mixed.iter().enumerate().map(|(k, w)| w * unlike[from as usize - k]).sum::<f64>();
            let score = all / whole / usual;
            if found.as_ref().is_none_or(|(_, s)| score < *s) {
                found = Some((Loop { from: first + from, ..of.clone() }, score));
            }
        }
    }
    found.map(|(l, s)| (l, s.sqrt()))
}

/// Frames of a loop that are looked at for what does not repeat.
const LOOKS: i64 = 12;
/// What air may differ by, m/s, or what pushes, m/s².
const ALIKE: f64 = 1e-3;

/// Names of what acts or moves and is not the same a loop later; fields are asked at some places, metres.
pub fn unrepeated(scene: &Stage, l: &Loop, at: &[[f32; 3]]) -> Vec<String> {
    let looks = || (0..l.length.min(LOOKS)).map(|k| l.from + k * l.length / l.length.min(LOOKS));
    let index = |frame: i64| (frame - scene.frames.first) as usize;
    let mut out = vec![];
    for (id, field) in scene.fields.iter().filter(|(_, f)| f.on) {
        let air = |frame: i64| air_at(scene, Some::<&FieldId>(id), index(frame), at);
        let other = |frame: i64| {
            let pairs = air(frame).into_iter().zip(air(frame + l.length));
            pairs.flat_map(|(a, b)| (0..3).map(move |c| f64::from(a[c] - b[c]).abs())).any(|d| d > ALIKE)
        };
        if looks().any(other) {
            out.push(field.name.clone());
        }
    }
    for (id, figure) in &scene.figures {
        let Ok(playing) = scene.figure(&id.0) else { continue };
        let time = |frame: i64| figure.time(&scene.frames, frame as f64, playing.length());
        if looks().any(|f| (time(f) - time(f + l.length)).abs() > 1e-4) {
            out.push(figure.name.clone());
        }
    }
    let Ok(document) = serde_json::to_value(&**scene) else { return out };
    let mut moving = vec![];
    walk(&document, "", &mut moving);
    for (path, value) in
        moving.into_iter().filter(|(path, _)| !path.starts_with("/fields/") && !path.starts_with("/cameras/"))
    {
        let now = |frame: i64| value.at(&scene.frames.moment(frame as f64));
        if looks().any(|f| (now(f) - now(f + l.length)).abs() > 1e-6 * now(f).abs().max(1.0)) {
            out.push(named(&document, &path));
        }
    }
    out.dedup();
    out
}

/// All numbers that move, with their paths.
fn walk(of: &serde_json::Value, path: &str, out: &mut Vec<(String, Value)>) {
    match of {
        serde_json::Value::Object(o) => {
            if (o.contains_key("keys") || o.contains_key("formula"))
                && let Ok(motion) = serde_json::from_value::<Motion>(of.clone())
            {
                out.push((path.to_owned(), Value::Moving(motion)));
                return;
            }
            for (k, v) in o {
                walk(v, &format!("{path}/{}", k.replace('~', "~0").replace('/', "~1")), out);
            }
        }
        serde_json::Value::Array(all) => {
            all.iter().enumerate().for_each(|(k, v)| walk(v, &format!("{path}/{k}"), out));
        }
        _ => {}
    }
}

fn less(a: &[f64; 3], b: &[f64; 3]) -> [f64; 3] {
    std::array::from_fn(|c| a[c] - b[c])
}

fn square(v: &[f64; 3]) -> f64 {
    v.iter().map(|c| c * c).sum()
}

/// The root of the greatest, of those that are numbers.
fn most(squares: impl Iterator<Item = f64>) -> f64 {
    squares.filter(|d| d.is_finite()).fold(0.0, f64::max).sqrt()
}

/// The one in the middle, and the greatest.
fn spread(of: impl Iterator<Item = f64>) -> (f64, f64) {
    let mut all: Vec<f64> = of.collect();
    all.sort_by(f64::total_cmp);
    (all.get(all.len() / 2).copied().unwrap_or(0.0), all.last().copied().unwrap_or(0.0))
}
