//! Rehearsing: frames as they come while a hand moves something in the view, at the shot's own pace where the machine keeps it.
use crate::api::{Api, Says};
use crate::extract::Path;
use crate::problem::{Problem, apart};
use crate::route::maps::next;
use crate::route::projects::stage;
use crate::state::App;
use axum::body::Bytes;
use axum::extract::State;
use axum::extract::ws::{Message, WebSocket, WebSocketUpgrade};
use axum::response::Response;
use nematon_document::{BodyId, Key, Scene};
use nematon_evaluate::{NoRehearsal, Pose, Rehearsal, RunError, Stage, Stopwatch, place_on};
use nematon_frames::{FrameStore, unpack_checkpoint};
use nematon_store::Store;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use tokio::sync::mpsc;

/// The longest way to a frame that is not at a checkpoint, frames.
const FARTHEST: usize = 48;

pub fn routes() -> Api {
    let says = Says::gives::<RehearsalTold>(
        "A rehearsal: a WebSocket. The window says what the hand moves, then where it is whenever it has moved, then that it is done; it \
         is sent frames as they come: number (i32), how many times as fast as the shot (f32), then the points of each body (x, y, z f32)",
    );
    Api::default().get("/projects/{id}/rehearse", says.status("101"), rehearse)
}

/// What a window says while it rehearses.
#[derive(Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum RehearsalSaid {
    /// First.
    Begin(Begin),
    /// Where the hand is: a place in the world (position, then turn x, y, z, w), or a number.
    Hand(Vec<f64>),
    /// Ends it, and asks for the keys: so near to what the hand did, in metres and in radians; what is neither is kept wholly.
    Done { within: f64, turned: f64 },
}

#[derive(Deserialize, JsonSchema)]
pub struct Begin {
    /// The body to see, with those that it touches.
    pub body: String,
    /// The frame to begin at; left out, the first.
    #[serde(default)]
    pub from: Option<i64>,
    /// JSON Pointer of a thing's place, or of a number.
    pub moves: String,
}

/// What the window is told in words; frames come as bytes.
#[derive(Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum RehearsalTold {
    /// The bodies whose points come, and the frame that it begins at.
    Begun {
        first: i64,
        bodies: Vec<Rehearsed>,
    },
    /// It is at the last frame, or can't go on, and why.
    Ended {
        why: String,
    },
    /// What the hand did.
    Keys {
        from: i64,
        last: i64,
        numbers: Vec<Numbers>,
    },
    Fault(String),
}

#[derive(Serialize, JsonSchema)]
pub struct Rehearsed {
    pub body: String,
    pub points: usize,
}

#[derive(Serialize, JsonSchema)]
pub struct Numbers {
    /// JSON Pointer of the number.
    pub path: String,
    pub keys: Vec<Key>,
    /// How many the hand made, one a frame.
    pub of: usize,
    /// By how much the keys are off at most.
    pub off: f64,
}

async fn rehearse(State(app): State<App>, Path(id): Path<i64>, upgrade: WebSocketUpgrade) -> Response {
    upgrade.max_message_size(1 << 16).on_upgrade(move |mut socket| async move {
        if let Err(e) = follow(&app, &mut socket, id).await {
            say(&mut socket, &RehearsalTold::Fault(format!("{}: {}", e.title, e.detail))).await;
        }
    })
}

/// A window that has gone hears nothing.
async fn say(socket: &mut WebSocket, told: &RehearsalTold) -> bool {
    let text = serde_json::to_string(told).unwrap_or_default();
    socket.send(Message::Text(text.into())).await.is_ok()
}

fn read(m: &Message) -> Result<RehearsalSaid, Problem> {
    let text = m.to_text().map_err(|e| Problem::unfit("That is no rehearsal", e.to_string()))?;
    serde_json::from_str(text).map_err(|e| Problem::unfit("That is no rehearsal", e.to_string()))
}

/// The numbers of what a hand moves: of a place all six.
fn numbers(moves: &str) -> Vec<String> {
    if !moves.ends_with("/place") {
        return vec![moves.to_owned()];
    }
    let of = |part: &str| (0..3).map(|k| format!("{moves}/{part}/{k}")).collect::<Vec<_>>();
    [of("position"), of("turn")].concat()
}

/// Where the hand is as the numbers that it moves: of a place, on what that stands on, turned the shorter way from where it was.
fn as_numbers(scene: &Stage, moves: &str, hand: &[f64], before: &[f64], frame: f64) -> Option<Vec<f64>> {
    if !moves.ends_with("/place") {
        return (hand.len() == 1 && hand[0].is_finite()).then(|| hand.to_vec());
    }
    let [x, y, z, a, b, c, d]: [f64; 7] = hand.try_into().ok()?;
    if hand.iter().any(|n| !n.is_finite()) {
        return None;
    }
    let nodes = scene.nodes();
    let (_, node) = nodes.iter().find(|(path, _)| path == moves)?;
    let world = Pose { position: [x, y, z].map(|v| v as f32), turn: [a, b, c, d].map(|v| v as f32) };
    let (position, mut turn) = place_on(scene, node, node.on.clone(), Some(&world), frame);
    for k in 0..3 {
        let whole = std::f64::consts::TAU;
        turn[k] += whole * ((before[3 + k] - turn[k]) / whole).round();
    }
    let tidy = |v: f64| (v * 1e5).round() / 1e5;
    Some(position.into_iter().chain(turn).map(tidy).collect())
}

/// What passes from the thread that computes to the window.
enum News {
    Frame(Vec<u8>),
    Ended(String),
}

/// The hand as it was last told, and whether it is over.
struct Hand {
    at: Mutex<Option<Vec<f64>>>,
    done: Arc<AtomicBool>,
}

async fn follow(app: &App, socket: &mut WebSocket, id: i64) -> Result<(), Problem> {
    let unfit = |why: &str| Problem::unfit("That is no rehearsal", why);
    let Some(m) = next(socket).await else { return Ok(()) };
    let RehearsalSaid::Begin(begin) = read(&m)? else { return Err(unfit("It doesn't say what is moved.")) };
    let scene = stage(app, id).await?;
    let body = BodyId(begin.body.clone());
    let island = scene.islands().into_iter().find(|i| i.contains(&body));
    let island = island.ok_or_else(|| Problem::missing("body"))?;
    let span = &scene.frames;
    let from = begin.from.unwrap_or(span.first);
    if !(span.first..span.last).contains(&from) {
        return Err(unfit("It begins after the last frame of the shot."));
    }
    let index = (from - span.first) as usize;
    let checkpoint = checkpoint(&app.store, &scene, &island, app, index).await?;
    let (meshes, pool) = (app.meshes.clone(), app.attempts.pool().map_err(Problem::inside)?);
    let (own, moves) = ((*scene).clone(), begin.moves.clone());
    let built = pool.clone();
    let rehearsal = apart(move || built.install(|| ready(&own, &island, &meshes, &moves, index, checkpoint)));
    let refuse = |e: NoRehearsal| Problem::unfit("It can't be rehearsed", e.to_string());
    let rehearsal = rehearsal.await?.map_err(refuse)?;
    let bodies = (0..rehearsal.run.members.len()).map(|k| Rehearsed {
        body: rehearsal.run.members[k].id.0.clone(),
        points: rehearsal.run.bodies[k].given_points(),
    });
    if !say(socket, &RehearsalTold::Begun { first: from, bodies: bodies.collect() }).await {
        return Ok(());
    }
    let hand = Arc::new(Hand { at: Mutex::new(None), done: Arc::new(AtomicBool::new(false)) });
    // A window that is slow to take frames slows the rehearsal, and is not buried in them.
    let (send, mut news) = mpsc::channel(3);
    let (moved, moves, world) = (hand.clone(), begin.moves.clone(), scene.clone());
    let going =
        tokio::task::spawn_blocking(move || pool.install(|| go(rehearsal, &world, &moves, &moved, &send)));
    let mut asked = None;
    loop {
        tokio::select! {
            told = news.recv() => match told {
                Some(News::Frame(bytes)) => {
                    if socket.send(Message::Binary(Bytes::from(bytes))).await.is_err() {
                        break;
                    }
                }
                Some(News::Ended(why)) => {
                    if !say(socket, &RehearsalTold::Ended { why }).await {
                        break;
                    }
                    // The window says what becomes of it.
                    while let Some(m) = next(socket).await {
                        if let RehearsalSaid::Done { within: w, turned } = read(&m)? {
                            asked = Some((w, turned));
                            break;
                        }
                    }
                    break;
                }
                None => break,
            },
            said = next(socket) => match said.as_ref().map(read).transpose()? {
                Some(RehearsalSaid::Hand(at)) => *hand.at.lock().unwrap_or_else(PoisonError::into_inner) = Some(at),
                Some(RehearsalSaid::Done { within: w, turned }) => {
                    asked = Some((w, turned));
                    break;
                }
                Some(RehearsalSaid::Begin(_)) => return Err(unfit("It begins twice.")),
                None => break,
            },
        }
    }
    hand.done.store(true, Relaxed);
    // What waits to be sent is of no use to anybody any more.
    news.close();
    while news.recv().await.is_some() {}
    let rehearsal = going.await.map_err(|e| Problem::inside(e.to_string()))?;
    // The window may look at what more or fewer keys come to.
    while let Some((within, turned)) = asked {
        let near = |path: &str| match path {
            p if p.contains("/position/") => within.max(0.0),
            p if p.contains("/turn/") => turned.max(0.0),
            _ => 0.0,
        };
        let made = rehearsal.frame() - from;
        let numbers = rehearsal.keys(near).into_iter().map(|r| Numbers {
            path: r.path,
            keys: r.keys,
            of: made as usize,
            off: r.off,
        });
        if !say(socket, &RehearsalTold::Keys { from, last: rehearsal.frame(), numbers: numbers.collect() })
            .await
        {
            break;
        }
        asked = match next(socket).await.as_ref().map(read).transpose()? {
            Some(RehearsalSaid::Done { within, turned }) => Some((within, turned)),
            _ => None,
        };
    }
    Ok(())
}

/// The nearest checkpoint at or before a frame, where frames are asked for by what the scene is now.
async fn checkpoint(
    store: &Store,
    scene: &Stage,
    island: &[BodyId],
    app: &App,
    index: usize,
) -> Result<Option<(usize, Vec<u8>)>, Problem> {
    if index == 0 {
        return Ok(None);
    }
    let (own, bodies, meshes) = ((**scene).clone(), island.to_vec(), app.meshes.clone());
    let prints = apart(move || nematon_evaluate::fingerprints(&own, &bodies, &meshes)).await?;
    let prints = prints.map_err(|e| Problem::unfit("That can't move", e.to_string()))?;
    let keys: Vec<[u8; 32]> = prints[0].iter().take(index + 1).map(|f| f.0).collect();
    let found = store.last_checkpoint(&keys).await?;
    let at = found.as_ref().map_or(0, |(k, _)| *k);
    if index - at > FARTHEST {
        let first = scene.frames.first;
        let why = format!(
            "Frame {} is {} frames after the last that is computed as the scene is now: run it first, or rehearse from frame {first}.",
            first + index as i64,
            index - at
        );
        return Err(Problem::unfit("It can't begin there", why));
    }
    Ok(found)
}

/// A rehearsal that stands at the frame it begins at.
fn ready(
    scene: &Scene,
    island: &[BodyId],
    meshes: &crate::library::StoredMeshes,
    moves: &str,
    index: usize,
    checkpoint: Option<(usize, Vec<u8>)>,
) -> Result<Rehearsal, NoRehearsal> {
    let mut own = Rehearsal::begin(scene, island, meshes, &numbers(moves), index, None)?;
    let watch = Stopwatch::of(own.run.contact.pairings().len());
    if let Some((at, packed)) = checkpoint {
        let bytes =
            unpack_checkpoint(&packed, own.run.snapshot_size()).map_err(|_| NoRehearsal::Checkpoint)?;
        own.run.resume(at, &bytes).map_err(|_| NoRehearsal::Checkpoint)?;
    }
    own.run.settle(&watch, &|_| {})?;
    while own.run.at() < index {
        own.run.advance(&watch)?;
    }
    Ok(own)
}

/// Goes on frame by frame, no faster than the shot, until the hand is done or there is no further frame.
fn go(mut own: Rehearsal, world: &Stage, moves: &str, hand: &Hand, send: &mpsc::Sender<News>) -> Rehearsal {
    let watch = Stopwatch::of(own.run.contact.pairings().len()).until(hand.done.clone());
    let Ok(scene) = own.scene() else { return own };
    let (rate, paths) = (scene.frames.rate, numbers(moves));
    let each = Duration::from_secs_f64(1.0 / rate);
    let mut values = own.values(&paths);
    let (mut due, mut pace) = (Instant::now(), 1.0);
    loop {
        let mut bytes = (own.frame() as i32).to_le_bytes().to_vec();
        bytes.extend((pace as f32).to_le_bytes());
        for k in 0..own.run.members.len() {
            bytes.extend(own.run.positions(k).iter().flatten().flat_map(|c| c.to_le_bytes()));
        }
        if send.blocking_send(News::Frame(bytes)).is_err() || hand.done.load(Relaxed) {
            return own;
        }
        if own.run.is_done() {
            send.blocking_send(News::Ended(String::new())).ok();
            return own;
        }
        due += each;
        while Instant::now() < due && !hand.done.load(Relaxed) {
            std::thread::sleep((due - Instant::now()).min(Duration::from_millis(10)));
        }
        // Who is late does not hurry afterwards.
        due = due.max(Instant::now() - each);
        let began = Instant::now();
        let at = hand.at.lock().unwrap_or_else(PoisonError::into_inner).take();
        if let Some(at) = at {
            let frame = (own.frame() + 1) as f64;
            if let Some(now) = as_numbers(world, moves, &at, &values, frame) {
                values = now;
            }
        }
        match own.advance(&values, &watch) {
            Ok(()) => {}
            Err(NoRehearsal::Run(RunError::Stopped)) => return own,
            Err(e) => {
                send.blocking_send(News::Ended(e.to_string())).ok();
                return own;
            }
        }
        let took = began.elapsed().as_secs_f64();
        pace = 0.8 * pace + 0.2 * (each.as_secs_f64() / took.max(1e-6)).min(1.0);
    }
}
