//! Which frames are true for the scene as it is, which are out of date and why, which are missing.
use crate::library::StoredMeshes;
use crate::problem::Problem;
use nematon_document::{BodyId, Scene, changes};
use nematon_evaluate::{Fingerprint, fingerprints};
use nematon_frames::{FrameStore, Key, Place};
use nematon_store::Store;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

/// How many takes are looked through for frames that the scene no longer asks for.
const TAKES: i64 = 12;

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

/// One kind of fault of a frame.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Snag {
    /// `crossing`, `inside`, `overstretch` or `pop`.
    pub snag: String,
    /// What it crosses or is inside.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub with: Option<String>,
    /// Pairs of triangles, points or triangles.
    pub count: usize,
    /// Metres inside, share of stretch, or distances that a point popped by.
    pub worst: f64,
    /// A point where it is.
    pub point: usize,
}

/// The snags of a frame.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct FrameSnags {
    pub frame: i64,
    pub snags: Vec<Snag>,
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

/// Hash of a scene, and the key of a body in it.
type SceneBody = (blake3::Hash, String);

/// Fingerprints that were worked out before, by scene and body.
#[derive(Default)]
pub struct Prints(Mutex<HashMap<SceneBody, Arc<Vec<Fingerprint>>>>);

impl Prints {
    fn of(
        &self,
        scene: &Scene,
        body: &BodyId,
        library: &StoredMeshes,
    ) -> Result<Arc<Vec<Fingerprint>>, String> {
        let text = serde_json::to_vec(scene).map_err(|e| e.to_string())?;
        let key = (blake3::hash(&text), body.0.clone());
        let mut known = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(p) = known.get(&key) {
            return Ok(p.clone());
        }
        let island = scene.islands().into_iter().find(|i| i.contains(body)).ok_or("there is no such body")?;
        let all = fingerprints(scene, &island, library).map_err(|e| e.to_string())?;
        if known.len() > 256 {
            known.clear();
        }
        for (member, prints) in island.iter().zip(all) {
            known.insert((key.0, member.0.clone()), Arc::new(prints));
        }
        known.get(&key).cloned().ok_or_else(|| "there is no such body".into())
    }
}

/// A take's scene and its frames of one body, if it has any.
struct Older {
    scene: Arc<Scene>,
    prints: Arc<Vec<Fingerprint>>,
    places: Vec<Option<Place>>,
}

/// The lanes of a scene, one a body.
///
/// # Errors
/// When the database is away.
pub async fn lanes(
    store: &Store,
    library: &StoredMeshes,
    prints: &Prints,
    project: i64,
    scene: &Scene,
) -> Result<Vec<Lane>, Problem> {
    library.fetch(scene).await?;
    let mut takes = vec![];
    for run in store.runs(project, TAKES).await?.iter().filter(|r| r.done > 0) {
        if let Some(value) = store.run_scene(run.id).await?
            && let Ok(old) = serde_json::from_value::<Scene>(value)
        {
            library.fetch(&old).await?;
            takes.push(Arc::new(old));
        }
    }
    let mut out = vec![];
    for (id, body) in &scene.bodies {
        let now = match prints.of(scene, id, library) {
            Ok(p) => p,
            Err(fault) => {
                let counts = Counts { missing: scene.frames.count(), ..Counts::default() };
                let whole = Stretch {
                    first: scene.frames.first,
                    last: scene.frames.last,
                    state: FrameState::Missing,
                    chunk: None,
                    slot: None,
                    reasons: vec![],
                };
                let (body, name) = (id.0.clone(), body.name.clone());
                out.push(Lane {
                    body,
                    name,
                    stretches: vec![whole],
                    counts,
                    snags: vec![],
                    fault: Some(fault),
                });
                continue;
            }
        };
        let places = store.find(&keys(&now)).await?;
        let mut older = vec![];
        if places.iter().any(Option::is_none) {
            for take in &takes {
                // A take of the very same scene has nothing that is out of date.
                if let Ok(prints) = prints.of(take, id, library)
                    && *prints != *now
                {
                    let places = store.find(&keys(&prints)).await?;
                    older.push(Older { scene: take.clone(), prints, places });
                }
            }
        }
        let mut told: Vec<FrameSnags> = store
            .snags(&keys(&now))
            .await?
            .into_iter()
            .filter(|(k, _)| places[*k].is_some())
            .filter_map(|(k, text)| {
                let snags = serde_json::from_str(&text).ok()?;
                Some(FrameSnags { frame: scene.frames.first + k as i64, snags })
            })
            .collect();
        told.sort_by_key(|s| s.frame);
        let lane = lane(scene, id, &body.name, &now, &places, &older);
        out.push(Lane { snags: told, ..lane });
    }
    Ok(out)
}

fn keys(prints: &[Fingerprint]) -> Vec<Key> {
    prints.iter().map(|p| p.0).collect()
}

fn lane(
    scene: &Scene,
    id: &BodyId,
    name: &str,
    now: &[Fingerprint],
    places: &[Option<Place>],
    older: &[Older],
) -> Lane {
    let reasons: Vec<Vec<String>> = older
        .iter()
        .map(|o| {
            let all = changes(&o.scene, scene, &id.0);
            all.into_iter().map(|c| c.words).collect()
        })
        .collect();
    let first = scene.frames.first;
    let (mut stretches, mut counts): (Vec<Stretch>, Counts) = (vec![], Counts::default());
    for (k, place) in places.iter().enumerate() {
        // Of the takes that have another frame in this place, the newest.
        let old = older.iter().position(|o| {
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
    Lane { body: id.0.clone(), name: name.to_owned(), stretches, counts, snags: vec![], fault: None }
}

/// Positions of a body's true frames in a range, frame by frame.
///
/// # Errors
/// When any of them is not true for the scene as it is.
pub async fn true_frames(
    app: &crate::state::App,
    scene: &Scene,
    body: &BodyId,
    range: std::ops::RangeInclusive<i64>,
) -> Result<Vec<Vec<[f32; 3]>>, Problem> {
    app.meshes.fetch(scene).await?;
    let prints =
        app.prints.of(scene, body, &app.meshes).map_err(|e| Problem::unfit("The body has no shape", e))?;
    let first = scene.frames.first;
    let index = |f: i64| (f - first) as usize;
    if *range.start() < first || *range.end() > scene.frames.last || range.is_empty() {
        let (a, b) = (first, scene.frames.last);
        return Err(Problem::unfit("No such frames", format!("The scene has frames {a} to {b}.")));
    }
    let places = app.store.find(&keys(&prints[index(*range.start())..=index(*range.end())])).await?;
    let lacking: Vec<i64> = range.clone().zip(&places).filter(|(_, p)| p.is_none()).map(|(f, _)| f).collect();
    if let (Some(a), Some(b)) = (lacking.first(), lacking.last()) {
        let detail = format!(
            "{} of the frames {a} to {b} are not computed for the scene as it is. Run it first.",
            lacking.len()
        );
        return Err(Problem::new(
            axum::http::StatusCode::CONFLICT,
            "untrue",
            "Not all frames are true",
            detail,
        ));
    }
    let mut out = vec![];
    let mut at: Option<(i64, nematon_frames::Chunk)> = None;
    for place in places.into_iter().flatten() {
        if at.as_ref().is_none_or(|(id, _)| *id != place.chunk) {
            let packed = app
                .store
                .chunk(place.chunk)
                .await?
                .ok_or_else(|| Problem::inside("a chunk of frames is gone"))?;
            at = Some((
                place.chunk,
                nematon_frames::Chunk::unpack(&packed).map_err(|e| Problem::inside(e.to_string()))?,
            ));
        }
        let frame = at.as_ref().and_then(|(_, c)| c.frame(place.slot as usize));
        out.push(frame.ok_or_else(|| Problem::inside("a frame is beyond its chunk"))?);
    }
    Ok(out)
}
