//! Meshes brought in from files: looked at first, then kept as they are, or mended, scaled and turned.
use crate::api::{Api, Says};
use crate::extract::{Path, Query};
use crate::problem::{Problem, apart};
use crate::route::projects::stage;
use crate::state::App;
use axum::Json;
use axum::body::{Bytes, to_bytes};
use axum::extract::{Request, State};
use axum::http::{StatusCode, header};
use nematon_document::{Camera, MAX_COLLIDER_POINTS, MAX_POINTS};
use nematon_evaluate::cameras;
use nematon_formats::{MAX_BYTES, With, read_cameras, read_figure, read_mesh, write_obj};
use nematon_geometry::{Mesh, Untidy, check, clean, face_alike, in_metres};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub fn routes() -> Api {
    Api::default()
        .post(
            "/meshes",
            Says::gives::<MeshHead>("Bring in a mesh file").asks::<Wanted>().takes_bytes(),
            bring_in,
        )
        .post(
            "/figures",
            Says::gives::<FigureHead>("Bring in an animated mesh, or the points of one as a NumPy array")
                .asks::<Named>()
                .takes_bytes(),
            bring_in_figure,
        )
        .post(
            "/projects/{id}/cameras/read",
            Says::gives::<Vec<Camera>>("The cameras of a glTF file as those of a scene; nothing is edited")
                .asks::<Named>()
                .takes_bytes(),
            read_file_cameras,
        )
        .post(
            "/meshes/look",
            Says::gives::<MeshLook>("What a mesh file would be, and what is wrong with it")
                .asks::<Wanted>()
                .takes_bytes(),
            look,
        )
}

async fn read_file_cameras(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(Named { name }): Query<Named>,
    request: Request,
) -> Result<Json<Vec<Camera>>, Problem> {
    let stage = stage(&app, id).await?;
    let bytes = receive(&name, request).await?;
    let found = apart(move || {
        let (figure, found) = read_cameras(&bytes)
            .map_err(|e| Problem::unfit("No camera can be brought in", format!("\"{name}\": {e}.")))?;
        Ok::<_, Problem>(cameras(&figure, &found, &stage.frames))
    });
    Ok(Json(found.await??))
}

#[derive(Clone, Deserialize, JsonSchema)]
struct Wanted {
    /// Of the file; its ending says of what kind it is.
    name: String,
    /// What it is for; a cloth if left out.
    #[serde(default)]
    r#for: Use,
    /// Mends it: takes out loose points, faces without area and doubled faces, and turns faces that face against their
    /// neighbours.
    #[serde(default)]
    clean: bool,
    /// Metres that a unit of the file is.
    #[serde(default = "one")]
    scale: f64,
    /// Which axis of the file points up.
    #[serde(default)]
    up: Up,
}

fn one() -> f64 {
    1.0
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
enum Use {
    #[default]
    Cloth,
    /// The triangles of a collider.
    Mesh,
    /// The convex hull of a collider.
    Hull,
    /// A plant: its stem, its branches and its leaves are found in it.
    Plant,
    /// What loose pieces are seen as.
    Piece,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
enum Up {
    #[default]
    Y,
    Z,
}

/// A mesh that is kept.
#[derive(Serialize, JsonSchema)]
pub struct MeshHead {
    /// BLAKE3 of the file: what a scene names it by.
    pub blob: String,
    pub points: usize,
    pub triangles: usize,
    pub textured: bool,
    /// Size along x, y and z, metres.
    pub size: [f32; 3],
    pub borders: usize,
}

impl MeshHead {
    /// Of a mesh that is kept as `blob`.
    pub fn of(blob: String, mesh: &Mesh) -> MeshHead {
        let (lo, hi) = mesh.bounds();
        MeshHead {
            blob,
            points: mesh.positions.len(),
            triangles: mesh.triangles.len(),
            textured: !mesh.uv_triangles.is_empty(),
            size: std::array::from_fn(|k| hi[k] - lo[k]),
            borders: mesh.borders.len(),
        }
    }
}

#[derive(Deserialize, JsonSchema)]
struct Named {
    /// Of the file; its ending says of what kind it is.
    name: String,
}

/// An animated mesh that is kept.
#[derive(Serialize, JsonSchema)]
pub struct FigureHead {
    /// BLAKE3 of the file: what a scene names it by.
    pub blob: String,
    /// 0 of an array of points, which is looked at with its mesh.
    pub points: usize,
    pub joints: usize,
    /// By their names.
    pub clips: Vec<String>,
}

/// A mesh file before it is kept.
#[derive(Serialize, JsonSchema)]
pub struct MeshLook {
    pub points: usize,
    pub triangles: usize,
    /// Size along x, y and z as wanted, metres.
    pub size: [f32; 3],
    /// Parts that hang together.
    pub pieces: usize,
    /// Why it can't be what it is for, in sentences; empty where it can.
    pub faults: Vec<String>,
    pub mends: Mends,
    /// What would still be wrong with it, mended.
    pub left: Vec<String>,
}

/// What mending would do, each counted.
#[derive(Serialize, JsonSchema)]
pub struct Mends {
    pub loose: usize,
    pub no_area: usize,
    /// Sides of faces inside which a corner of another lies.
    pub split: usize,
    pub doubled: usize,
    pub turned: usize,
}

/// Segments along a plant while its mesh is looked at.
const LOOKED_AT: u32 = 24;

/// Why a mesh can't be what it is for: each use has its own rules.
fn faults(mesh: &Mesh, wanted: Use) -> Vec<String> {
    if wanted == Use::Cloth {
        return match check(mesh, MAX_POINTS) {
            Err(all) => all.iter().map(ToString::to_string).collect(),
            Ok(()) => face_alike(mesh).err().iter().map(ToString::to_string).collect(),
        };
    }
    if wanted == Use::Plant {
        let found = nematon_geometry::modelled(mesh, LOOKED_AT, None);
        return found.err().map(|e| format!("the mesh {e}")).into_iter().collect();
    }
    if wanted == Use::Piece {
        return nematon_evaluate::piece_fault(mesh).into_iter().collect();
    }
    let points = mesh.positions.len();
    let mut out = vec![];
    if let Some(k) = mesh.positions.iter().position(|p| p.iter().any(|c| !c.is_finite() || c.abs() > 1e4)) {
        out.push(format!("point {k} of the mesh has a coordinate that is not a number, or is beyond 10 km"));
    }
    if points > MAX_COLLIDER_POINTS {
        out.push(format!(
            "the mesh has {points} points; the most of a collider is {MAX_COLLIDER_POINTS}. Reduce it"
        ));
    }
    if let Some(t) = mesh.triangles.iter().position(|t| t.iter().any(|p| *p as usize >= points)) {
        out.push(format!("triangle {t} names a point that there is not"));
    }
    if wanted == Use::Mesh && mesh.triangles.is_empty() {
        out.push("the mesh has no triangles".into());
    }
    if wanted == Use::Hull && out.is_empty() {
        out.extend(nematon_evaluate::hull_fault(mesh));
    }
    out
}

/// A mesh as wanted: turned, scaled, mended. What mending did or would do is told with it.
fn prepared(mesh: &Mesh, w: &Wanted) -> (Mesh, Untidy, Mesh) {
    let own = in_metres(mesh, w.scale, w.up == Up::Z);
    let (mended, told) = clean(&own);
    (own, told, mended)
}

/// The file's bytes.
pub async fn receive(name: &str, request: Request) -> Result<Bytes, Problem> {
    let refuse = |status, detail| Err(Problem::new(status, "upload", "The mesh can't be brought in", detail));
    let too_large = format!("\"{name}\" is larger than {} MB.", MAX_BYTES >> 20);
    // Told before it comes, not after.
    let announced =
        request.headers().get(header::CONTENT_LENGTH).and_then(|v| v.to_str().ok()?.parse::<usize>().ok());
    if announced.is_some_and(|n| n > MAX_BYTES) {
        return refuse(StatusCode::PAYLOAD_TOO_LARGE, too_large);
    }
    match to_bytes(request.into_body(), MAX_BYTES + 1).await {
        Ok(bytes) if bytes.len() > MAX_BYTES => refuse(StatusCode::PAYLOAD_TOO_LARGE, too_large),
        Ok(bytes) => Ok(bytes),
        Err(_) => {
            let detail = format!("\"{name}\" did not come through whole: nothing was kept. Try again.");
            refuse(StatusCode::BAD_REQUEST, detail)
        }
    }
}

fn scale_fits(scale: f64) -> Result<(), Problem> {
    match scale.is_finite() && (1e-6..=1e6).contains(&scale) {
        true => Ok(()),
        false => {
            Err(Problem::unfit("That scale can't be", "A unit of the file is between 1e-6 and 1e6 metres."))
        }
    }
}

async fn look(
    State(_): State<App>,
    Query(wanted): Query<Wanted>,
    request: Request,
) -> Result<Json<MeshLook>, Problem> {
    scale_fits(wanted.scale)?;
    let bytes = receive(&wanted.name, request).await?;
    let title = format!("\"{}\" can't be brought in", wanted.name);
    let seen = apart(move || {
        let mesh = read_mesh(&wanted.name, &bytes).map_err(|e| e.to_string())?;
        let (own, told, mended) = prepared(&mesh, &wanted);
        let (lo, hi) = own.bounds();
        Ok::<_, String>(MeshLook {
            points: own.positions.len(),
            triangles: own.triangles.len(),
            size: std::array::from_fn(|k| hi[k] - lo[k]),
            pieces: told.pieces,
            faults: faults(&own, wanted.r#for),
            mends: Mends {
                loose: told.loose,
                no_area: told.no_area,
                split: told.split,
                doubled: told.doubled,
                turned: told.turned,
            },
            left: faults(&mended, wanted.r#for),
        })
    });
    Ok(Json(seen.await?.map_err(|e| Problem::unfit(&title, e))?))
}

async fn bring_in_figure(
    State(app): State<App>,
    Query(Named { name }): Query<Named>,
    request: Request,
) -> Result<Json<FigureHead>, Problem> {
    let bytes = receive(&name, request).await?;
    let title = format!("\"{name}\" can't be brought in");
    let blob = blake3::hash(&bytes).to_hex().to_string();
    let (of, kept, own) = (name.clone(), bytes.clone(), blob.clone());
    let read = apart(move || {
        if of.to_ascii_lowercase().ends_with(".npy") {
            return Ok(FigureHead { blob: own, points: 0, joints: 0, clips: vec![] });
        }
        let f = read_figure(&of, &kept).map_err(|e| e.to_string())?;
        let clips = f.clips.iter().map(|c| c.name.clone()).collect();
        Ok::<_, String>(FigureHead { blob: own, points: f.points(), joints: f.joints.len(), clips })
    });
    let head = read.await?.map_err(|e| Problem::unfit(&title, e))?;
    app.store.keep_mesh(&blob, &name, &bytes).await?;
    app.meshes.forget(&blob);
    Ok(Json(head))
}

async fn bring_in(
    State(app): State<App>,
    Query(wanted): Query<Wanted>,
    request: Request,
) -> Result<Json<MeshHead>, Problem> {
    scale_fits(wanted.scale)?;
    let bytes = receive(&wanted.name, request).await?;
    let title = format!("\"{}\" can't be brought in", wanted.name);
    let read = apart(move || {
        let mesh = read_mesh(&wanted.name, &bytes).map_err(|e| e.to_string())?;
        let (own, told, mended) = prepared(&mesh, &wanted);
        let cleaned = wanted.clean && !told.is_tidy();
        let mesh = if cleaned { mended } else { own };
        let wrong = faults(&mesh, wanted.r#for);
        if !wrong.is_empty() {
            return Err(wrong.join("; "));
        }
        // As it came, where nothing was done to it: what it is exported as is the file itself.
        if !cleaned && wanted.scale == 1.0 && wanted.up == Up::Y {
            return Ok((mesh, wanted.name, bytes));
        }
        let stem = wanted.name.rsplit_once('.').map_or(wanted.name.as_str(), |(s, _)| s);
        let text = write_obj(
            stem,
            &mesh,
            &mesh.positions,
            With { normals: false, triangles: false, exact: false, ..With::default() },
        );
        Ok((mesh, format!("{stem}.obj"), Bytes::from(text)))
    });
    let (mesh, name, kept) = read.await?.map_err(|e| Problem::unfit(&title, e))?;
    let blob = blake3::hash(&kept).to_hex().to_string();
    app.store.keep_mesh(&blob, &name, &kept).await?;
    app.meshes.forget(&blob);
    Ok(Json(MeshHead::of(blob, &mesh)))
}
