//! Motion as files, from true frames only.
use crate::api::{Api, Says};
use crate::delivery::{disposition, from, read as read_frames, read_on, read_turns, send, true_frames};
use crate::extract::{Path, Query};
use crate::problem::{Problem, apart};
use crate::route::projects::{load, stage};
use crate::state::App;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use nematon_document::{BodyId, MeshSource, Scene};
use nematon_evaluate::{
    Dress, Dressed, Going, Outgoing, ShapeError, Stage, Written, beside, blended, blended_turns,
    comes_and_goes, finishing_told, in_loop, shape, steadied, steady,
};
use nematon_formats::{
    Delivery, Kind, Motion, NOTE, Pictured, Unit, Up, With, file_name, file_names, near, note, rounding,
};
use nematon_geometry::Mesh;
use schemars::JsonSchema;
use serde::Deserialize;
use std::sync::Arc;

pub fn routes() -> Api {
    let says = Says::gives_bytes(
        "The motion of bodies as one file: npy (npz of several), usda, usdc, glb, gltf (a zip), obj or ply (a zip of one a frame) or still (one OBJ); usda, usdc and still are zips where bodies are seen with pictures, which are in them. The \
         header nematon-bytes tells about how long it will be, nematon-rounding by how many metres its places are off for the \
         precision of its numbers, nematon-tag what a file that broke off goes on with",
    );
    Api::default().get("/projects/{id}/files/{format}", says.asks::<Which>(), read)
}

#[derive(Debug, Deserialize, JsonSchema)]
struct Which {
    /// Keys of the bodies, with commas between; all if left out.
    bodies: Option<String>,
    /// The first frame; the scene's if left out.
    first: Option<i64>,
    /// The last frame; the scene's if left out. Of a still only the first counts.
    last: Option<i64>,
    /// A normal for each point, where the kind has a place for them; yes if left out.
    normals: Option<bool>,
    /// Faces cut into triangles instead of as they were made or brought in; no if left out.
    triangles: Option<bool>,
    /// Places as exact as frames are kept, however far from the world's origin: npy in double precision, usda beside a place
    /// of its own, obj with as many digits; no if left out.
    exact: Option<bool>,
    /// Only every n-th frame, from the first on; each if left out.
    every: Option<i64>,
    /// So many frames a second, between those that were computed where there is none at that time; the scene's if left out.
    rate: Option<f64>,
    /// A thing that places are told beside, as it goes: `handle:KEY`, `collider:KEY`, `figure:KEY` or `joint:KEY:NAME`; the world if left out.
    beside: Option<String>,
    /// How fast each point goes, in usda and ply; no if left out.
    velocities: Option<bool>,
    /// What a unit of length is in usda and ply: metre, or centimetre; metre if left out.
    unit: Option<UnitOf>,
    /// The axis that is up in usda and ply: y, or z; y if left out.
    up: Option<UpAxis>,
    /// Of strands with hairs between them those, and not the strands; no if left out.
    hairs: Option<bool>,
    /// The frames of the scene's loop, blended as it says, instead of a stretch of them; no if left out.
    #[serde(rename = "loop")]
    looped: Option<bool>,
    /// Cloth as the scene finishes it; no if left out.
    finished: Option<bool>,
    /// Plants as meshes, each of its own skin or of round wood and leaves, and not as curves; no if left out. In glb they are skins with joints in any case.
    skins: Option<bool>,
    /// Where a file that broke off goes on, in bytes, with what its header nematon-tag said; from its beginning if left out.
    from: Option<u64>,
    tag: Option<String>,
}

#[derive(Clone, Copy, Debug, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
enum UnitOf {
    Metre,
    Centimetre,
}

#[derive(Clone, Copy, Debug, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
enum UpAxis {
    Y,
    Z,
}

/// A body on its way into a file.
struct Sent {
    name: String,
    mesh: Mesh,
    places: Vec<nematon_frames::Location>,
    /// Of a loop, the frames that its last turn into.
    before: Vec<nematon_frames::Location>,
    /// Where its points are told from, metres: in the file, and until they are told beside a thing.
    origin: [f64; 3],
    near: [f64; 3],
    /// Over how many frames before and after each it is evened out in time.
    steady: u32,
    /// Whether its points come and go.
    comes: bool,
    turned: bool,
    /// The file of what it is seen with.
    picture: Option<Vec<u8>>,
    /// What is written in place of its points.
    dress: Option<Arc<Dress>>,
    /// Whether that is told by joints, and its points are written.
    jointed: bool,
}

impl Sent {
    /// How a frame is written.
    fn tells(&self) -> impl Fn(&[[f32; 3]]) -> Vec<[f32; 3]> + Send + use<> {
        let dress = self.dress.clone().filter(|_| !self.jointed);
        move |own| dress.as_ref().map_or_else(|| own.to_vec(), |d| d.frame(own))
    }

    /// Its frames on their way.
    fn goes<'a>(&self, frames: Going<'a, [f64; 3]>, out: &Outgoing, stage: &Stage) -> Going<'a, [f32; 3]> {
        let (near, tells) = (self.near, self.tells());
        let own = Box::new(frames.map(move |f| f.map(|f| from(&f, near))));
        let even = steadied(self.steady, out.count, own);
        out.places(stage, near, Box::new(even.map(move |f| f.map(|f| tells(&f)))))
    }
}

fn motions<'a>(sent: &'a [Sent], written: &Written) -> Vec<Motion<'a>> {
    let Written { first, count, every, rate } = *written;
    let each =
        sent.iter().map(|Sent { name, mesh, origin, comes, turned, picture, dress, jointed, .. }| Motion {
            name,
            mesh,
            first,
            count,
            every,
            rate,
            origin: *origin,
            comes: *comes,
            turned: *turned,
            picture: picture.as_deref().map(Pictured::of),
            limbs: dress.as_ref().filter(|_| *jointed).and_then(|d| d.limbs()),
        });
    each.collect()
}

/// Whether points of a body have turns.
fn flies(scene: &Scene, id: &BodyId) -> bool {
    scene.bodies.get(id).and_then(|b| b.kind.drift()).is_some_and(|d| d.flies.thin().is_some())
}

async fn read(
    State(app): State<App>,
    Path((id, format)): Path<(i64, String)>,
    Query(mut which): Query<Which>,
) -> Result<Response, Problem> {
    let (_, scene) = load(&app, id).await?;
    let (from_byte, tag) = (which.from.take().unwrap_or(0), which.tag.take());
    // All that a file follows from: the same bytes come of the same.
    let whole = serde_json::to_string(&*scene).map_err(|e| Problem::inside(e.to_string()))?;
    let own = blake3::hash(format!("{format} {which:?} {whole}").as_bytes()).to_hex().to_string();
    if from_byte > 0 && tag.is_none_or(|t| t != own) {
        let status = axum::http::StatusCode::CONFLICT;
        let why = "The scene or what was asked for is another since. Save it again from its beginning.";
        return Err(Problem::new(status, "other", "The file can't go on", why));
    }
    // What there is to know of all kinds of files is told of what one of them would hold.
    let noted = format == "note";
    let kind = Kind::ALL.into_iter().find(|k| k.name() == if noted { "usda" } else { &format });
    let kind = kind.ok_or_else(|| {
        Problem::missing("file format; npy, usda, usdc, glb, gltf, obj, ply, still and note are")
    })?;
    let wanted: Vec<BodyId> = match &which.bodies {
        Some(keys) => keys.split(',').map(|k| BodyId(k.to_owned())).collect(),
        None => scene.bodies.keys().cloned().collect(),
    };
    if wanted.is_empty() || wanted.iter().any(|b| !scene.bodies.contains_key(b)) {
        return Err(Problem::missing("body"));
    }
    let first = which.first.unwrap_or(scene.frames.first);
    let last = if kind == Kind::Still { first } else { which.last.unwrap_or(scene.frames.last) };
    let looped = scene.frames.looped.clone().filter(|_| which.looped.unwrap_or(false) && kind != Kind::Still);
    if which.looped.unwrap_or(false) && looped.is_none() && kind != Kind::Still {
        return Err(Problem::missing("loop"));
    }
    let (first, last) = looped.as_ref().map_or((first, last), |l| (l.from, l.last()));
    let with = With {
        normals: which.normals.unwrap_or(true),
        triangles: which.triangles.unwrap_or(false),
        exact: which.exact.unwrap_or(false),
        velocities: which.velocities.unwrap_or(false),
        unit: which.unit.map_or(Unit::Metre, |u| match u {
            UnitOf::Metre => Unit::Metre,
            UnitOf::Centimetre => Unit::Centimetre,
        }),
        up: which.up.map_or(Up::Y, |u| match u {
            UpAxis::Y => Up::Y,
            UpAxis::Z => Up::Z,
        }),
    };
    let every = which.every.unwrap_or(1);
    if every < 1 || (every > 1 && looped.is_some()) {
        let why = match every {
            ..1 => "Every first frame is the least.",
            _ => "A loop is written whole: it has no frames to leave out.",
        };
        return Err(Problem::unfit("No such frames", why));
    }
    if which.rate.is_some_and(|r| !(0.1..=1000.0).contains(&r)) {
        return Err(Problem::unfit("No such rate", "It is from 0.1 to 1,000 frames a second."));
    }
    if every > 1 && which.rate.is_some() {
        let why = "Another rate or every so many frames: not both at once.";
        return Err(Problem::unfit("No such frames", why));
    }
    let near_to = which.beside.as_deref().map(|text| beside(&scene, text)).transpose();
    let near_to = near_to.map_err(|why| Problem::unfit("Nothing to tell it beside", why))?;
    let stage = stage(&app, id).await?;
    let mut sent = vec![];
    for id in &wanted {
        let places = true_frames(&app, &scene, id, first..=last).await?;
        let before = match &looped {
            Some(l) if l.blend > 0 => true_frames(&app, &scene, id, l.takes_from()..=l.from - 1).await?,
            _ => vec![],
        };
        let (own, meshes, key) = (stage.clone(), app.meshes.clone(), id.clone());
        let jointed = kind.has_joints();
        let wanted = Dressed {
            hairs: which.hairs.unwrap_or(false),
            skins: which.skins.unwrap_or(false) || jointed,
            finished: which.finished.unwrap_or(false),
        };
        let read = apart(move || {
            let body = own.bodies.get(&key).ok_or_else(|| Problem::missing("body"))?;
            let unfit = |e: ShapeError| Problem::unfit("The body has no shape", e.to_string());
            let shaped = shape(&own, body, &meshes).map_err(unfit)?;
            let dress = Dress::of(&own, body, &shaped, &meshes, wanted).map_err(unfit)?;
            Ok::<_, Problem>((shaped, dress.map(Arc::new)))
        });
        let (shaped, dress) = read.await??;
        let jointed = jointed && dress.as_ref().is_some_and(|d| d.limbs().is_some());
        // A skin is there whole; what it lets go shrinks to nothing.
        let skin = dress.as_ref().is_some_and(|d| d.limbs().is_some()) && !jointed;
        let comes = comes_and_goes(&scene, id) && !skin;
        let mesh = match dress.as_ref().filter(|_| !jointed) {
            Some(d) => d.mesh(),
            None => shaped.mesh,
        };
        let picture = match &scene.bodies[id].picture {
            // One that is gone is no reason to keep the motion back.
            Some(MeshSource::Blob(hash)) => app.store.mesh(hash).await?.map(|f| f.bytes),
            _ => None,
        };
        sent.push(Sent {
            name: scene.bodies[id].name.clone(),
            mesh,
            places,
            before,
            origin: [0.0; 3],
            near: [0.0; 3],
            steady: if wanted.finished { steady(&scene.bodies[id]) } else { 0 },
            comes,
            turned: flies(&scene, id),
            picture,
            dress,
            jointed,
        });
    }
    let out = Outgoing {
        first,
        count: (last - first + 1) as usize,
        rate: scene.frames.rate,
        every,
        pace: which.rate.filter(|_| kind != Kind::Still),
        beside: near_to,
    };
    let written = out.written();
    if written.count == 0 {
        return Err(Problem::unfit(
            "No such frames",
            "None of the frames of that rate falls into the stretch.",
        ));
    }
    let (mut firsts, mut off) = (vec![], 0.0f64);
    for s in &mut sent {
        let mut one = read_frames(app.store.clone(), s.places[..1].to_vec());
        let frame = one.recv().await.ok_or_else(|| Problem::missing("frame"))?;
        let frame = frame.map_err(|e| Problem::inside(e.to_string()))?;
        if with.exact || out.beside.is_some() {
            s.near = near(&frame);
            s.origin = if out.beside.is_some() { s.origin } else { s.near };
        }
        off = off.max(rounding(&frame, s.near));
        firsts.push(s.tells()(&from(&frame, s.near)));
    }
    let names = file_names(scene.bodies.values().map(|b| b.name.as_str()));
    let stem = match wanted.as_slice() {
        [one] => names[scene.bodies.get_index_of(one).unwrap_or_default()].clone(),
        _ => file_name(&scene.name),
    };
    let whole = scene.name.clone();
    let mut more = out.told(&scene);
    let shown = wanted.iter().filter(|_| which.finished.unwrap_or(false));
    more.extend(shown.filter_map(|b| finishing_told(&scene.bodies[b])));
    let (sent, about, ending, media, told, stem) = apart(move || {
        let motions = motions(&sent, &written);
        let about = kind.about(&motions, with, &firsts);
        let (ending, media) = (kind.ending(&motions), kind.media_type(&motions));
        // Of this file alone, or of all that there could be.
        let kinds = Kind::ALL.into_iter().filter(|k| if noted { *k != Kind::Still } else { *k == kind });
        let files: Vec<_> = kinds.map(|k| (k, format!("{stem}.{}", k.ending(&motions)))).collect();
        let told = note(&whole, &motions, &files, with, &more);
        drop(motions);
        (sent, about, ending, media, told, stem)
    })
    .await?;
    if noted {
        let headers = [
            (header::CONTENT_TYPE, "text/plain; charset=utf-8".to_owned()),
            (header::CONTENT_DISPOSITION, disposition(&format!("{stem} {NOTE}"))),
        ];
        return Ok((headers, told).into_response());
    }
    let file = format!("{stem}.{ending}");
    let (store, whole) = (app.store.clone(), scene.name.clone());
    let body = send(from_byte, move |sink| {
        let motions = motions(&sent, &written);
        let mut frames = |k: usize| -> Box<dyn Iterator<Item = nematon_formats::Frame>> {
            let read = read_on(read_frames(store.clone(), sent[k].places.clone()));
            let Some(l) = &looped else { return sent[k].goes(Box::new(read), &out, &stage) };
            let before = read_on(read_frames(store.clone(), sent[k].before.clone()));
            let mix = |a: &mut Vec<[f64; 3]>, b: &Vec<[f64; 3]>, much: f64| blended(a, b, much);
            sent[k].goes(Box::new(in_loop(read, before, l.clone(), mix)), &out, &stage)
        };
        let mut turns = |k: usize| -> Box<dyn Iterator<Item = nematon_formats::TurnsOf>> {
            let read = read_on(read_turns(store.clone(), sent[k].places.clone()));
            let Some(l) = &looped else { return out.turns(&stage, Box::new(read)) };
            let before = read_on(read_turns(store.clone(), sent[k].before.clone()));
            let mix = |a: &mut Vec<[f32; 4]>, b: &Vec<[f32; 4]>, much: f64| blended_turns(a, b, much);
            out.turns(&stage, Box::new(in_loop(read, before, l.clone(), mix)))
        };
        let turns: Option<&mut nematon_formats::Turns> = Some(&mut turns);
        let note = Some(told.as_str());
        kind.write(
            sink,
            &mut Delivery { name: &whole, bodies: &motions, with, frames: &mut frames, turns, note },
        )
    });
    let headers = [
        (header::CONTENT_TYPE, media.to_owned()),
        (header::CONTENT_DISPOSITION, disposition(&file)),
        (header::HeaderName::from_static("nematon-bytes"), about.to_string()),
        (header::HeaderName::from_static("nematon-rounding"), format!("{off:e}")),
        (header::HeaderName::from_static("nematon-tag"), own),
    ];
    Ok((headers, body).into_response())
}
