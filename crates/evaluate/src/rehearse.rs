//! Rehearsing: frames as they come, while a hand moves numbers of the scene. What the hand did is recorded as a key a frame, and the
//! frames are those of the scene with these keys, bit by bit: the run sees them as they are recorded.
use crate::{MeshLibrary, Run, RunError};
use nematon_document::{BodyId, Key, Motion, Scene, Value, Way};
use nematon_motion::fewer;
use nematon_solver::Watch;

/// What is recorded for a number.
#[derive(Clone, Debug)]
struct Moved {
    /// JSON Pointer of the number in the scene.
    path: String,
    recorded: Vec<(i64, f64)>,
}

/// Why there is no rehearsal.
#[derive(Debug, thiserror::Error)]
pub enum NoRehearsal {
    #[error("there is no number at {0}")]
    NoNumber(String),
    #[error("only places of handles, colliders and fields and numbers of fields can be moved by hand")]
    NotByHand,
    #[error("it is moved by a formula: take that out first")]
    Formula,
    #[error("it can't be moved so: {0}")]
    Scene(String),
    #[error(transparent)]
    Run(#[from] RunError),
    #[error("the checkpoint can't be read")]
    Checkpoint,
}

/// Keys of a number: where it is in the scene, and how it moves.
#[derive(Clone, Debug, PartialEq)]
pub struct Recorded {
    pub path: String,
    pub keys: Vec<Key>,
    /// By how much it is off at most for having fewer keys.
    pub off: f64,
}

/// A run whose scene is moved by hand from a frame on.
pub struct Rehearsal {
    pub run: Run,
    document: serde_json::Value,
    first: i64,
    moved: Vec<Moved>,
}

impl Rehearsal {
    /// A rehearsal of an island from frame `from` on, counted from the first, where a run by a snapshot begins; from the first frame without
    /// one. Until then the numbers go as the scene says.
    ///
    /// # Errors
    /// When a number is none, or is moved by a formula; as [`Run::start`].
    pub fn begin(
        scene: &Scene,
        island: &[BodyId],
        library: &dyn MeshLibrary,
        paths: &[String],
        from: usize,
        snapshot: Option<&[u8]>,
    ) -> Result<Rehearsal, NoRehearsal> {
        let mut document = serde_json::to_value(scene).map_err(|e| NoRehearsal::Scene(e.to_string()))?;
        let first = scene.frames.first;
        let mut moved = vec![];
        for path in paths {
            let placed = ["/handles/", "/colliders/"].iter().any(|of| path.starts_with(of))
                && path.contains("/place/");
            if !placed && !path.starts_with("/fields/") {
                return Err(NoRehearsal::NotByHand);
            }
            let at = document.pointer_mut(path).ok_or_else(|| NoRehearsal::NoNumber(path.clone()))?;
            let value: Value =
                serde_json::from_value(at.clone()).map_err(|_| NoRehearsal::NoNumber(path.clone()))?;
            if matches!(&value, Value::Moving(m) if m.formula.is_some()) {
                return Err(NoRehearsal::Formula);
            }
            // What it did before is recorded as what it does now: a key a frame.
            let recorded: Vec<(i64, f64)> = (0..=from as i64)
                .map(|k| (first + k, value.at(&scene.frames.moment((first + k) as f64))))
                .collect();
            *at = moving(&recorded)?;
            moved.push(Moved { path: path.clone(), recorded });
        }
        let own: Scene =
            serde_json::from_value(document.clone()).map_err(|e| NoRehearsal::Scene(e.to_string()))?;
        let mut run = Run::start(&own, island, library)?;
        if let Some(snapshot) = snapshot {
            run.resume(from, snapshot).map_err(|_| NoRehearsal::Checkpoint)?;
        }
        Ok(Rehearsal { run, document, first, moved })
    }

    /// The frame that it is at.
    pub fn frame(&self) -> i64 {
        self.first + self.run.at() as i64
    }

    /// The scene as the hand has moved it so far.
    ///
    /// # Errors
    /// When it is none any more.
    pub fn scene(&self) -> Result<Scene, NoRehearsal> {
        serde_json::from_value(self.document.clone()).map_err(|e| NoRehearsal::Scene(e.to_string()))
    }

    /// Goes to the next frame, at which the numbers are these, in the order in which they were named.
    ///
    /// # Errors
    /// As [`Run::advance`]; nothing is recorded then.
    pub fn advance(&mut self, values: &[f64], watch: &dyn Watch) -> Result<(), NoRehearsal> {
        let next = self.frame() + 1;
        for (m, value) in self.moved.iter_mut().zip(values) {
            m.recorded.push((next, *value));
            if let Some(at) = self.document.pointer_mut(&m.path) {
                *at = moving(&m.recorded)?;
            }
        }
        let done = self.scene().map(|own| self.run.change(own)).and_then(|()| Ok(self.run.advance(watch)?));
        if done.is_err() {
            self.moved.iter_mut().for_each(|m| m.recorded.truncate(m.recorded.len() - 1));
        }
        done
    }

    /// What the numbers are at the frame that it is at, in the order of their paths.
    pub fn values(&self, paths: &[String]) -> Vec<f64> {
        let last = |path: &String| self.moved.iter().find(|m| m.path == *path)?.recorded.last().map(|r| r.1);
        paths.iter().map(|p| last(p).unwrap_or(0.0)).collect()
    }

    /// What the hand did as keys, each number within its part of `within`.
    pub fn keys(&self, within: impl Fn(&str) -> f64) -> Vec<Recorded> {
        let each = self.moved.iter().map(|m| {
            let keys = fewer(&m.recorded, within(&m.path));
            let value = Value::Moving(Motion { keys: keys.clone(), ..Motion::default() });
            let at = |frame: i64| {
                value.at(&nematon_document::Moment { frame: frame as f64, first: 0.0, rate: 1.0 })
            };
            let off = m.recorded.iter().map(|(f, v)| (at(*f) - v).abs()).fold(0.0, f64::max);
            Recorded { path: m.path.clone(), keys, off }
        });
        each.collect()
    }
}

fn moving(recorded: &[(i64, f64)]) -> Result<serde_json::Value, NoRehearsal> {
    let key =
        |&(frame, value): &(i64, f64)| Key { frame, value, then: Way::Straight, arrive: None, leave: None };
    let motion = Motion { keys: recorded.iter().map(key).collect(), ..Motion::default() };
    serde_json::to_value(motion).map_err(|e| NoRehearsal::Scene(e.to_string()))
}
