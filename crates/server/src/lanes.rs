//! Which frames are true for the scene as it is, which are out of date and why, which are missing.
use crate::library::StoredMeshes;
use crate::prints::Prints;
use crate::space::RUNS;
use nematon_document::{BodyId, Scene, changes};
use nematon_evaluate::{Fingerprint, FrameSnag, FrameTold, grade};
use nematon_frames::{FrameStore, Key, Location};
use nematon_store::{Store, StoreError};
use schemars::JsonSchema;
use serde::Serialize;
use std::sync::Arc;

#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum FrameState {
    /// Computed from exactly this scene.
    True,
    /// Computed from a scene that has changed since.
    Stale,
    /// Not computed.
    Missing,
}

/// A stretch of frames of one lane in one state, from one chunk.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Stretch {
    pub first: i64,
    pub last: i64,
    pub state: FrameState,
    /// Where the frames lie; the first of them is the chunk's frame `slot`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub chunk: Option<i64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub slot: Option<u32>,
    /// What changed since, where out of date.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub reasons: Vec<String>,
}

/// The snags of a frame.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct FrameSnags {
    pub frame: i64,
    pub snags: Vec<FrameSnag>,
}

/// Frames that took more sub-steps than their quality takes at least.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Took {
    pub first: i64,
    pub last: i64,
    pub substeps: u32,
}

/// The frames of one body.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Lane {
    pub body: String,
    pub name: String,
    pub stretches: Vec<Stretch>,
    /// Frames in each state.
    pub counts: Counts,
    /// What is wrong with true frames, where anything is.
    pub snags: Vec<FrameSnags>,
    /// Which of them took more sub-steps than most, one after the other.
    pub took: Vec<Took>,
    /// Why the body has no frames at all, in a sentence.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub fault: Option<String>,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Counts {
    #[serde(rename = "true")]
    pub is_true: usize,
    pub stale: usize,
    pub missing: usize,
}

/// A take's scene and its frames of one body, if it has any.
struct Older {
    scene: Arc<Scene>,
    prints: Arc<Vec<Fingerprint>>,
    places: Vec<Option<Location>>,
    /// Whether an earlier version of the solver left them.
    earlier: bool,
}

/// Why frames of an earlier version of the solver are out of date, whatever else changed.
const EARLIER: &str =
    "How places are summed up: Nematon was renewed, and loses nothing of what is smaller than their last bit";

/// The lanes of a scene, one a body.
///
/// # Errors
/// When the database is away.
pub async fn lanes(
    store: &Store,
    library: &StoredMeshes,
    prints: &Prints,
    project: i64,
    scene: &Arc<Scene>,
) -> Result<Vec<Lane>, StoreError> {
    library.fetch(scene).await?;
    let mut takes = vec![];
    for run in store.runs(project, RUNS).await?.iter().filter(|r| r.done > 0 && r.take.is_none()) {
        if let Some(value) = store.run_scene(run.id).await?
            && let Ok(old) = serde_json::from_value::<Scene>(value)
        {
            library.fetch(&old).await?;
            takes.push(Arc::new(old));
        }
    }
    let all = prints.of(scene, library).await;
    let mut out = vec![];
    for (id, body) in &scene.bodies {
        let now = match all.get(id) {
            Some(Ok(p)) => p,
            Some(Err(fault)) => {
                out.push(Lane::without_frames(scene, id, fault.clone()));
                continue;
            }
            None => {
                out.push(Lane::without_frames(scene, id, "Its fingerprints could not be worked out.".into()));
                continue;
            }
        };
        let places = store.find(&keys(now)).await?;
        let mut older = vec![];
        if places.iter().any(Option::is_none) {
            for take in &takes {
                let known = prints.of(take, library).await;
                let Some(Ok(own)) = known.get(id) else { continue };
                // A take of the very same scene has nothing that is out of date.
                let same = *own == *now;
                let left = if same { places.clone() } else { store.find(&keys(own)).await? };
                let (scene, prints) = match left.iter().all(Option::is_none) {
                    false if same => continue,
                    false => (take.clone(), own.clone()),
                    // What it left may be from before Nematon was renewed.
                    true => {
                        let known = prints.earlier(take, library).await;
                        let Some(Ok(own)) = known.get(id) else { continue };
                        let places = store.find(&keys(own)).await?;
                        if places.iter().any(Option::is_some) {
                            let (scene, prints) = (take.clone(), own.clone());
                            older.push(Older { scene, prints, places, earlier: true });
                        }
                        continue;
                    }
                };
                older.push(Older { scene, prints, places: left, earlier: false });
            }
        }
        let known = store.told(&keys(now)).await?.into_iter();
        let mut known: Vec<_> = known.filter(|(k, _)| places[*k].is_some()).collect();
        known.sort_by_key(|(k, _)| *k);
        let (mut snags, mut took): (Vec<FrameSnags>, Vec<Took>) = (vec![], vec![]);
        for (k, text) in known {
            let Ok(told) = serde_json::from_str::<FrameTold>(&text) else { continue };
            let frame = scene.frames.first + k as i64;
            if let Some(substeps) = told.took {
                match took.last_mut().filter(|t| t.last + 1 == frame && t.substeps == substeps) {
                    Some(t) => t.last = frame,
                    None => took.push(Took { first: frame, last: frame, substeps }),
                }
            }
            if !told.snags.is_empty() {
                let named = |s: FrameSnag| FrameSnag {
                    grade: grade(&s.snag, s.worst),
                    with: s.with.map(|w| w.named_in(scene)),
                    ..s
                };
                snags.push(FrameSnags { frame, snags: told.snags.into_iter().map(named).collect() });
            }
        }
        let lane = lane(scene, id, &body.name, now, &places, &older);
        out.push(Lane { snags, took, ..lane });
    }
    Ok(out)
}

impl Lane {
    /// Of a body that can't be computed.
    fn without_frames(scene: &Scene, id: &BodyId, fault: String) -> Lane {
        let whole = Stretch {
            first: scene.frames.first,
            last: scene.frames.last,
            state: FrameState::Missing,
            chunk: None,
            slot: None,
            reasons: vec![],
        };
        Lane {
            body: id.0.clone(),
            name: scene.bodies.get(id).map(|b| b.name.clone()).unwrap_or_default(),
            stretches: vec![whole],
            counts: Counts { missing: scene.frames.count(), ..Counts::default() },
            snags: vec![],
            took: vec![],
            fault: Some(fault),
        }
    }
}

fn keys(prints: &[Fingerprint]) -> Vec<Key> {
    prints.iter().map(|p| p.0).collect()
}

fn lane(
    scene: &Scene,
    id: &BodyId,
    name: &str,
    now: &[Fingerprint],
    places: &[Option<Location>],
    older: &[Older],
) -> Lane {
    let reasons: Vec<Vec<String>> = older
        .iter()
        .map(|o| {
            let all = changes(&o.scene, scene, &id.0).into_iter().map(|c| c.words);
            o.earlier.then(|| EARLIER.to_owned()).into_iter().chain(all).collect()
        })
        .collect();
    // The nearest take first: with the longest stretch of the same frames, then the fewest differences, then the newest.
    let same = |o: &Older| o.prints.iter().zip(now).take_while(|(a, b)| a == b).count();
    let mut nearest: Vec<usize> = (0..older.len()).collect();
    nearest.sort_by_key(|&k| (older[k].earlier, std::cmp::Reverse(same(&older[k])), reasons[k].len()));
    let first = scene.frames.first;
    let (mut stretches, mut counts): (Vec<Stretch>, Counts) = (vec![], Counts::default());
    for (k, place) in places.iter().enumerate() {
        // Of the takes that have another frame in this place.
        let old = nearest.iter().copied().find(|&o| {
            let o = &older[o];
            o.scene.frames.first == first
                && o.places.get(k).is_some_and(Option::is_some)
                && o.prints.get(k) != now.get(k)
        });
        let (state, place, why) = match (place, old) {
            (Some(p), _) => (FrameState::True, Some(*p), vec![]),
            (None, Some(o)) => (FrameState::Stale, older[o].places[k], reasons[o].clone()),
            (None, None) => (FrameState::Missing, None, vec![]),
        };
        match state {
            FrameState::True => counts.is_true += 1,
            FrameState::Stale => counts.stale += 1,
            FrameState::Missing => counts.missing += 1,
        }
        let frame = first + k as i64;
        let goes_on = stretches.last().is_some_and(|s| {
            let follows = match (s.chunk, s.slot, place) {
                (Some(c), Some(slot), Some(p)) => {
                    c == p.chunk && i64::from(p.slot) == i64::from(slot) + frame - s.first
                }
                (None, None, None) => true,
                _ => false,
            };
            s.state == state && s.reasons == why && follows
        });
        match stretches.last_mut() {
            Some(s) if goes_on => s.last = frame,
            _ => stretches.push(Stretch {
                first: frame,
                last: frame,
                state,
                chunk: place.map(|p| p.chunk),
                slot: place.map(|p| p.slot),
                reasons: why,
            }),
        }
    }
    Lane {
        body: id.0.clone(),
        name: name.to_owned(),
        stretches,
        counts,
        snags: vec![],
        took: vec![],
        fault: None,
    }
}
