//! Frames on their way into a file: read chunk by chunk, written as they come, sent as they are written.
use crate::problem::Problem;
use crate::state::App;
use axum::body::{Body, Bytes};
use nematon_document::{BodyId, Scene};
use nematon_evaluate::Fingerprint;
use nematon_frames::{Chunk, FrameStore, Location};
use nematon_store::Store;
use std::io;
use std::ops::RangeInclusive;
use std::sync::Arc;
use tokio::sync::mpsc;

/// Frames, and parts of a file, that wait at most.
const FRAMES_AHEAD: usize = 8;
const PARTS_AHEAD: usize = 8;
/// Bytes of a part.
const PART: usize = 256 << 10;

/// What the frames of a body are known by.
async fn prints_of(app: &App, scene: &Arc<Scene>, body: &BodyId) -> Result<Arc<Vec<Fingerprint>>, Problem> {
    app.meshes.fetch(scene).await?;
    match app.prints.of(scene, &app.meshes).await.get(body) {
        Some(Ok(p)) => Ok(p.clone()),
        Some(Err(e)) => Err(Problem::unfit("The body has no shape", e)),
        None => Err(Problem::missing("body")),
    }
}

/// Where a body's true frames in a range lie.
///
/// # Errors
/// When there are no such frames, or any of them is not true for the scene as it is.
pub async fn true_frames(
    app: &App,
    scene: &Arc<Scene>,
    body: &BodyId,
    range: RangeInclusive<i64>,
) -> Result<Vec<Location>, Problem> {
    let prints = prints_of(app, scene, body).await?;
    let (first, last) = (scene.frames.first, scene.frames.last);
    if *range.start() < first || *range.end() > last || range.is_empty() {
        return Err(Problem::unfit("No such frames", format!("The scene has frames {first} to {last}.")));
    }
    let index = |f: i64| (f - first) as usize;
    let keys: Vec<_> = prints[index(*range.start())..=index(*range.end())].iter().map(|p| p.0).collect();
    let places = app.store.find(&keys).await?;
    let lacking: Vec<i64> = range.zip(&places).filter(|(_, p)| p.is_none()).map(|(f, _)| f).collect();
    if let (Some(a), Some(b)) = (lacking.first(), lacking.last()) {
        let detail = format!(
            "{} of the frames {a} to {b} are not computed for the scene as it is. Run it first.",
            lacking.len()
        );
        let status = axum::http::StatusCode::CONFLICT;
        return Err(Problem::new(status, "untrue", "Not all frames are up to date", detail));
    }
    Ok(places.into_iter().flatten().collect())
}

/// Where a body's true frames lie, from the first to the last before one that is not true.
///
/// # Errors
/// When the body has no shape, or frames can't be looked for.
pub async fn true_from_first(app: &App, scene: &Arc<Scene>, body: &BodyId) -> Result<Vec<Location>, Problem> {
    let prints = prints_of(app, scene, body).await?;
    let keys: Vec<_> = prints.iter().map(|p| p.0).collect();
    Ok(app.store.find(&keys).await?.into_iter().map_while(|p| p).collect())
}

/// Where the points of a body are at a frame, metres; none where that is not true for the scene as it is.
///
/// # Errors
/// When the body has no shape, or the frame can't be read.
pub async fn true_frame(
    app: &App,
    scene: &Arc<Scene>,
    body: &BodyId,
    frame: i64,
) -> Result<Option<Vec<[f32; 3]>>, Problem> {
    if frame < scene.frames.first || frame > scene.frames.last {
        return Ok(None);
    }
    let places = match true_frames(app, scene, body, frame..=frame).await {
        Err(p) if p.status == axum::http::StatusCode::CONFLICT.as_u16() => return Ok(None),
        found => found?,
    };
    let found = read(app.store.clone(), places).recv().await;
    let found = found.transpose().map_err(|e| Problem::inside(e.to_string()))?;
    Ok(found.map(|f| from(&f, [0.0; 3])))
}

/// Places as they are told from an origin, in single precision.
pub fn from(frame: &[[f64; 3]], origin: [f64; 3]) -> Vec<[f32; 3]> {
    frame.iter().map(|p| std::array::from_fn(|c| (p[c] - origin[c]) as f32)).collect()
}

/// Reads frames one by one on the async side, for a writer on a thread of its own: places in the world, metres.
pub fn read(store: Store, places: Vec<Location>) -> mpsc::Receiver<io::Result<Vec<[f64; 3]>>> {
    read_by(store, places, Chunk::frame)
}

/// The same of how points are turned.
pub fn read_turns(store: Store, places: Vec<Location>) -> mpsc::Receiver<io::Result<Vec<[f32; 4]>>> {
    read_by(store, places, Chunk::turns)
}

/// What is read, for a writer on a thread of its own.
pub fn read_on<T>(mut from: mpsc::Receiver<T>) -> impl Iterator<Item = T> {
    std::iter::from_fn(move || from.blocking_recv())
}

fn read_by<T: Send + 'static>(
    store: Store,
    places: Vec<Location>,
    what: fn(&Chunk, usize) -> Option<T>,
) -> mpsc::Receiver<io::Result<T>> {
    let (send, receive) = mpsc::channel(FRAMES_AHEAD);
    tokio::spawn(async move {
        let mut at: Option<(i64, Arc<Chunk>)> = None;
        for place in places {
            let frame = async {
                if at.as_ref().is_none_or(|(id, _)| *id != place.chunk) {
                    let packed = store.chunk(place.chunk).await.map_err(io::Error::other)?;
                    let packed = packed.ok_or_else(|| io::Error::other("a chunk of frames is gone"))?;
                    let chunk = tokio::task::spawn_blocking(move || Chunk::unpack(&packed));
                    let chunk = chunk.await.map_err(io::Error::other)?.map_err(io::Error::other)?;
                    at = Some((place.chunk, Arc::new(chunk)));
                }
                let found = at.as_ref().and_then(|(_, c)| what(c, place.slot as usize));
                found.ok_or_else(|| io::Error::other("a frame is beyond its chunk"))
            };
            let frame = frame.await;
            let failed = frame.is_err();
            if send.send(frame).await.is_err() || failed {
                return;
            }
        }
    });
    receive
}

/// Sends what `write` writes, as it writes it, on a thread of its own. A fault cuts the file short, so that nobody takes
/// it for whole. The first `from` bytes are left out: who asks has them.
pub fn send(from: u64, write: impl FnOnce(&mut Sending) -> io::Result<()> + Send + 'static) -> Body {
    let (send, receive) = mpsc::channel::<io::Result<Bytes>>(PARTS_AHEAD);
    tokio::task::spawn_blocking(move || {
        let mut parts = Sending { send, part: Vec::with_capacity(PART), skip: from };
        let done = write(&mut parts).and_then(|()| io::Write::flush(&mut parts));
        if let Err(e) = done {
            // Nobody may be there any more.
            let _ = parts.send.blocking_send(Err(e));
        }
    });
    Body::from_stream(futures::stream::unfold(receive, |mut r| async {
        r.recv().await.map(|part| (part, r))
    }))
}

/// A sink whose bytes go out in parts.
pub struct Sending {
    send: mpsc::Sender<io::Result<Bytes>>,
    part: Vec<u8>,
    /// Bytes that are still left out.
    skip: u64,
}

impl io::Write for Sending {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let gone = usize::try_from(self.skip).unwrap_or(usize::MAX).min(bytes.len());
        self.skip -= gone as u64;
        self.part.extend_from_slice(&bytes[gone..]);
        if self.part.len() >= PART {
            self.flush()?;
        }
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        if self.part.is_empty() {
            return Ok(());
        }
        let part = std::mem::replace(&mut self.part, Vec::with_capacity(PART));
        let gone = |_| io::Error::new(io::ErrorKind::BrokenPipe, "nobody takes the file any more");
        self.send.blocking_send(Ok(part.into())).map_err(gone)
    }
}

/// What a browser is told to save a file as: plain ASCII, and RFC 8187 for the rest.
pub fn disposition(file: &str) -> String {
    use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, utf8_percent_encode};
    /// All but RFC 8187's attr-char.
    const CODED: &AsciiSet = &NON_ALPHANUMERIC
        .remove(b'!')
        .remove(b'#')
        .remove(b'$')
        .remove(b'&')
        .remove(b'+')
        .remove(b'-')
        .remove(b'.')
        .remove(b'^')
        .remove(b'_')
        .remove(b'`')
        .remove(b'|')
        .remove(b'~');
    let plain: String = file
        .chars()
        .map(|c| if c.is_ascii_graphic() && !"\"\\".contains(c) || c == ' ' { c } else { '_' })
        .collect();
    format!("attachment; filename=\"{plain}\"; filename*=UTF-8''{}", utf8_percent_encode(file, CODED))
}
