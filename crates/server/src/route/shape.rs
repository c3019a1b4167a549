//! The rest shape of a body, as the viewport needs it.
use crate::api::{Api, Says};
use crate::extract::{Body, Path};
use crate::problem::{Problem, apart};
use crate::route::projects::stage;
use crate::state::App;
use axum::Json;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use nematon_document::{Area, BodyId, Choice, ColliderId, GripId};
use nematon_evaluate::{
    Feel, FibreFeel, Shaped, Thing, chosen, feel, fibre_feel, lock, set_down, shape, shape_to_see,
};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub fn routes() -> Api {
    let says = Says::gives_bytes("Its rest shape: length, ShapeHead, arrays");
    Api::default()
        .get("/projects/{id}/bodies/{body}/shape", says, read)
        .post(
            "/projects/{id}/bodies/{body}/area",
            Says::gives::<Choice>(
                "Points as an area of the material, which outlives a change of density or size",
            )
            .takes::<Points>(),
            area,
        )
        .post(
            "/projects/{id}/bodies/{body}/row",
            Says::gives::<Points>("The row of edges that one of them lies in").takes::<Edge>(),
            row,
        )
        .get(
            "/projects/{id}/bodies/{body}/fibre",
            Says::gives::<FibreHead>("What one of a body's strands would be like in the hand"),
            read_fibre,
        )
        .get(
            "/projects/{id}/bodies/{body}/feel",
            Says::gives::<Feel>("What its matter is like in the hand"),
            read_feel,
        )
        .post(
            "/projects/{id}/set-down",
            Says::gives::<SetDown>("Where a thing rests on what lies below").takes::<What>(),
            rest,
        )
}

/// An edge, by its two points.
#[derive(Deserialize, JsonSchema)]
struct Edge {
    from: u32,
    to: u32,
}

#[derive(Serialize, Deserialize, JsonSchema)]
struct Points {
    /// By their numbers on the body's rest shape.
    #[schemars(length(min = 1, max = 60_000))]
    points: Vec<u32>,
}

/// A body or a collider, by its key.
#[derive(Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
enum What {
    Body(String),
    Collider(String),
}

#[derive(Serialize, JsonSchema)]
struct SetDown {
    /// Where it is to be, metres.
    position: [f64; 3],
}

/// Describes the arrays that follow it: little-endian, each four bytes a number. `placed` and `rest`
/// (points x 3 f32, metres), `uvs` (uvs x 2 f32), `radii` of loose points and of strands (radii f32, metres), how many points each of the `strands` has (strands u32), of what branches the point before each, by its number in its own plant (`up` u32), and what stands at it (`ends` x 2 f32, metres: a leaf's length and width; a ball's diameter and 0; twice 0), `triangles` (triangles x 3 u32), and where there are
/// UVs their corners (triangles x 3 u32); and of what a piece is seen as, where that is a mesh of its own, points (`piece_points` x 3 f32, as large as 1) and
/// triangles (`piece_triangles` x 3 u32).
#[derive(Serialize, JsonSchema)]
pub struct ShapeHead {
    pub points: usize,
    pub triangles: usize,
    pub uvs: usize,
    /// As many as points where these are loose or of strands, or none.
    pub radii: usize,
    /// How many strands there are, one after the other.
    pub strands: usize,
    /// As many as points where strands branch, or none.
    pub up: usize,
    /// As many as points where leaves or heads stand at any, or none.
    pub ends: usize,
    /// Of what each piece is seen as, where that is a mesh of its own.
    pub piece_points: usize,
    pub piece_triangles: usize,
    /// Metres.
    pub shortest_edge: f32,
    pub longest_edge: f32,
    /// The narrowest fold that it can show, metres.
    pub smallest_fold: f32,
    /// Too few edges across its narrower side to fold.
    pub coarse: bool,
    pub borders: Vec<BorderHead>,
    pub corners: Vec<CornerHead>,
    /// Names of the pieces that do not hang together.
    pub panels: Vec<String>,
    /// Of each seam, its stitches.
    pub seams: Vec<SeamHead>,
    /// Points of each grip that is on.
    pub grips: Vec<GripHead>,
    /// Points that are kept by a name; none of one that the shape no longer has.
    pub choices: Vec<ChoiceHead>,
    /// Why it can't be computed as it is, in words, where a map is at fault; grips are then those that need none.
    pub fault: Option<String>,
}

#[derive(Serialize, JsonSchema)]
pub struct BorderHead {
    pub name: String,
    pub points: Vec<u32>,
    pub closed: bool,
}

#[derive(Serialize, JsonSchema)]
pub struct SeamHead {
    pub seam: String,
    /// A point, and the two between which it is sewn.
    pub stitches: Vec<[u32; 3]>,
    /// Of the second of those two, for each stitch.
    pub shares: Vec<f32>,
    /// Whether its sides are one from the start.
    pub one: bool,
}

#[derive(Serialize, JsonSchema)]
pub struct CornerHead {
    pub name: String,
    pub point: u32,
}

#[derive(Serialize, JsonSchema)]
pub struct ChoiceHead {
    pub choice: String,
    pub points: Vec<u32>,
}

#[derive(Serialize, JsonSchema)]
pub struct GripHead {
    pub grip: String,
    pub points: Vec<u32>,
    /// Of these, those that it pulls by a map.
    pub soft: Vec<u32>,
}

async fn read(State(app): State<App>, Path((id, body)): Path<(i64, String)>) -> Result<Response, Problem> {
    let scene = stage(&app, id).await?;
    packed(&app, scene, BodyId(body)).await
}

/// The rest shape of a body of a scene, as bytes.
pub async fn packed(app: &App, scene: nematon_evaluate::Stage, id: BodyId) -> Result<Response, Problem> {
    let meshes = app.meshes.clone();
    let bytes = apart(move || {
        let body = scene.bodies.get(&id).ok_or_else(|| Problem::missing("body"))?;
        let found = shape_to_see(&scene, body, &meshes);
        let (s, fault) =
            found.map_err(|e| Problem::unfit(&format!("{} has no shape", body.name), e.to_string()))?;
        pack(body, &s, fault.map(|e| e.to_string())).map_err(|e| Problem::inside(e.to_string()))
    });
    let headers = [(header::CONTENT_TYPE, "application/octet-stream"), (header::CACHE_CONTROL, "no-store")];
    Ok((headers, bytes.await??).into_response())
}

async fn area(
    State(app): State<App>,
    Path((id, body)): Path<(i64, String)>,
    Body(Points { points }): Body<Points>,
) -> Result<Json<Choice>, Problem> {
    let (scene, meshes) = (stage(&app, id).await?, app.meshes.clone());
    let found = apart(move || {
        let body = scene.bodies.get(body.as_str()).ok_or_else(|| Problem::missing("body"))?;
        let s = shape(&scene, body, &meshes)
            .map_err(|e| Problem::unfit("The body has no shape", e.to_string()))?;
        Ok::<_, Problem>(nematon_geometry::area_of(&s.mesh, &points))
    });
    let a = found.await??;
    if a.spots.is_empty() {
        return Err(Problem::unfit("Nothing is chosen", "None of the points is on the body."));
    }
    Ok(Json(Choice::Area(Area { spots: a.spots, triangles: a.triangles, edges: a.edges })))
}

async fn row(
    State(app): State<App>,
    Path((id, body)): Path<(i64, String)>,
    Body(Edge { from, to }): Body<Edge>,
) -> Result<Json<Points>, Problem> {
    let (scene, meshes) = (stage(&app, id).await?, app.meshes.clone());
    let found = apart(move || {
        let body = scene.bodies.get(body.as_str()).ok_or_else(|| Problem::missing("body"))?;
        let (s, _) = shape_to_see(&scene, body, &meshes)
            .map_err(|e| Problem::unfit("The body has no shape", e.to_string()))?;
        let why = "The two points are not the ends of an edge.";
        nematon_geometry::row(&s.mesh.positions, &s.mesh.triangles, from, to)
            .ok_or_else(|| Problem::unfit("There is no row", why))
    });
    Ok(Json(Points { points: found.await?? }))
}

async fn read_feel(
    State(app): State<App>,
    Path((id, body)): Path<(i64, String)>,
) -> Result<Json<Feel>, Problem> {
    let (scene, meshes) = (stage(&app, id).await?, app.meshes.clone());
    let found = apart(move || {
        let body = scene.bodies.get(body.as_str()).ok_or_else(|| Problem::missing("body"))?;
        feel(&scene, body, &meshes).map_err(|e| Problem::unfit("The body has no shape", e.to_string()))
    });
    Ok(Json(found.await??))
}

/// What strands are like in the hand.
#[derive(Serialize, JsonSchema)]
pub struct FibreHead {
    #[serde(flatten)]
    pub one: FibreFeel,
    /// A lock of them as it is at rest, seen from the side: along the ground and out of it, metres.
    pub lock: Vec<Vec<[f64; 2]>>,
}

async fn read_fibre(
    State(app): State<App>,
    Path((id, body)): Path<(i64, String)>,
) -> Result<Json<FibreHead>, Problem> {
    let (scene, meshes) = (stage(&app, id).await?, app.meshes.clone());
    let found = apart(move || {
        let body = scene.bodies.get(body.as_str()).ok_or_else(|| Problem::missing("body"))?;
        let one = fibre_feel(&scene, body)
            .map_err(|_| Problem::unfit("It has no strands", "Only strands are held one by one."))?;
        // Without a shape there is still one to hold.
        let lock = lock(&scene, body, &meshes).unwrap_or_default();
        Ok::<_, Problem>(FibreHead { one, lock })
    });
    Ok(Json(found.await??))
}

async fn rest(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(what): Body<What>,
) -> Result<Json<SetDown>, Problem> {
    let (scene, meshes) = (stage(&app, id).await?, app.meshes.clone());
    let (thing, place) = match what {
        What::Body(b) => (Thing::Body(BodyId(b.clone())), scene.bodies.get(b.as_str()).map(|b| &b.place)),
        What::Collider(c) => {
            (Thing::Collider(ColliderId(c.clone())), scene.colliders.get(c.as_str()).map(|c| &c.place))
        }
    };
    let place = place.ok_or_else(|| Problem::missing("thing"))?;
    if !place.is_still() || place.on.is_some() {
        let why = "It moves, by keys, a formula or what it stands on: where it is can't be set by hand.";
        return Err(Problem::unfit("It can't be set down", why));
    }
    let mut position = place.stands().0;
    let up = apart(move || set_down(&scene, &thing, &meshes)).await?;
    position[1] += up.map_err(|e| Problem::unfit("It can't be set down", e))?;
    position[1] = (position[1] * 1e5).ceil() / 1e5;
    Ok(Json(SetDown { position }))
}

fn pack(body: &nematon_document::Body, s: &Shaped, fault: Option<String>) -> serde_json::Result<Vec<u8>> {
    let m = &s.mesh;
    let border = |b: &nematon_geometry::Border| BorderHead {
        name: b.name.clone(),
        points: b.points.clone(),
        closed: b.closed,
    };
    let soft = |id: &GripId| {
        let own = s.grips.iter().filter(|g| g.id == *id && g.by.is_some());
        own.flat_map(|g| g.points.iter().copied()).collect()
    };
    let kept = |(id, k): (&nematon_document::ChoiceId, &nematon_document::Kept)| {
        let mut points: Vec<u32> = k.points.iter().filter_map(|c| chosen(m, c).ok()).flatten().collect();
        points.sort_unstable();
        points.dedup();
        ChoiceHead { choice: id.0.clone(), points }
    };
    let seams = body.kind.cloth().into_iter().flat_map(|c| c.seams.keys()).enumerate();
    let sewn = |(k, id): (usize, &nematon_document::SeamId)| {
        let own = s.sewn()?;
        let threads = own.threads.get(k)?;
        Some(SeamHead {
            seam: id.0.clone(),
            stitches: threads.iter().map(|(p, to, _)| [*p, to[0], to[1]]).collect(),
            shares: threads.iter().map(|t| t.2).collect(),
            one: !own.seams.iter().any(|(number, _)| *number == k),
        })
    };
    let head = ShapeHead {
        panels: if body.kind.cloth().is_some() { nematon_geometry::panels(m) } else { vec![] },
        seams: seams.filter_map(sewn).collect(),
        fault,
        choices: body.choices.iter().map(kept).collect(),
        points: m.positions.len(),
        triangles: m.triangles.len(),
        uvs: m.uvs.len(),
        radii: m.radii.len(),
        strands: m.strands.len(),
        up: m.up.len(),
        ends: m.ends.len(),
        piece_points: m.piece.as_ref().map_or(0, |p| p.positions.len()),
        piece_triangles: m.piece.as_ref().map_or(0, |p| p.triangles.len()),
        shortest_edge: s.density.shortest_edge,
        longest_edge: s.density.longest_edge,
        smallest_fold: s.density.smallest_fold,
        coarse: s.density.coarse,
        borders: m.borders.iter().map(border).collect(),
        corners: m.corners.iter().map(|c| CornerHead { name: c.name.clone(), point: c.point }).collect(),
        grips: s
            .gripped()
            .into_iter()
            .map(|(g, points)| GripHead { soft: soft(&g), grip: g.0, points })
            .collect(),
    };
    let mut text = serde_json::to_vec(&head)?;
    text.resize(text.len().div_ceil(4) * 4, b' ');
    let mut out = (text.len() as u32).to_le_bytes().to_vec();
    out.extend(text);
    let floats = s.placed.iter().flatten().chain(m.positions.iter().flatten()).chain(m.uvs.iter().flatten());
    let floats = floats.chain(&m.radii);
    out.extend(floats.flat_map(|c| c.to_le_bytes()));
    out.extend(m.strands.iter().chain(&m.up).flat_map(|k| k.to_le_bytes()));
    out.extend(m.ends.iter().flatten().flat_map(|c| c.to_le_bytes()));
    out.extend(m.triangles.iter().chain(&m.uv_triangles).flatten().flat_map(|k| k.to_le_bytes()));
    if let Some(p) = &m.piece {
        out.extend(p.positions.iter().flatten().flat_map(|c| c.to_le_bytes()));
        out.extend(p.triangles.iter().flatten().flat_map(|k| k.to_le_bytes()));
    }
    Ok(out)
}
