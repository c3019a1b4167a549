//! The shape of a body: its points where they start, and what is found on them. How a kind of body makes its own is in its own file.
use crate::maps::{Dyed, Ground};
use crate::plants::Stand;
use crate::sewn::Sewn;
use crate::shed::Shedding;
use crate::source::Coming;
use crate::weather::Weather;
use crate::{Stage, kind};
use nematon_document::{
    Along, Body, Choice, Figure, Grip, GripId, HeldTo, MAX_POINTS, MeshSource, Moment, Node, PlantMesh, Value,
};
use nematon_geometry::{Border, Density, Mesh, MeshFault, Modelled, nearest_of, points_in};
use nematon_paint::{Combed, Lock, Painting, Picture};
use nematon_solver::{Maps, Scaled};
use std::sync::Arc;

/// Where imported meshes come from: a folder, a store.
pub trait MeshLibrary {
    /// The mesh that a source names, or why it can't be had, in a sentence.
    fn mesh(&self, source: &MeshSource) -> Result<Arc<Mesh>, String>;

    /// What the file of a figure holds, moved by its points where it has any; or why it can't be had, in words that go on
    /// from the figure's name.
    fn figure(&self, figure: &Figure) -> Result<Arc<nematon_figure::Figure>, String> {
        Err(format!("has no file here: {:?}", figure.from))
    }

    /// The plant in a mesh, or why there is none, in words that go on from "its mesh".
    fn modelled(&self, of: &PlantMesh) -> Result<Arc<Modelled>, String> {
        let file = self.figure(&Figure::of("plant", of.from.clone()))?;
        crate::plants::plant_of(&file, of.segments).map(Arc::new)
    }

    /// What strokes have painted on a surface, or why that can't be had, in a sentence.
    fn painting(&self, on: &MeshSource, strokes: &[MeshSource]) -> Result<Arc<Painting>, String> {
        let _ = strokes;
        Err(format!("there is no place to look for {on:?}"))
    }

    /// What a stroke of a comb made of strands, or why that can't be had, in a sentence.
    fn combed(&self, from: &MeshSource) -> Result<Arc<Combed>, String> {
        Err(format!("there is no place to look for {from:?}"))
    }

    /// The curves of a file, each from its root on, or why they can't be had, in a sentence.
    fn curves(&self, from: &MeshSource) -> Result<Arc<Vec<Vec<[f64; 3]>>>, String> {
        Err(format!("there is no place to look for {from:?}"))
    }

    /// A picture, or why it can't be had, in a sentence.
    fn picture(&self, from: &MeshSource) -> Result<Arc<Picture>, String> {
        Err(format!("there is no place to look for {from:?}"))
    }

    /// The weights of a file of a map, or why they can't be had, in a sentence.
    fn weights(&self, path: &str) -> Result<Arc<Vec<f32>>, String> {
        Err(format!("\"{path}\" is a file beside a scene file, and there is no such place here"))
    }
}

/// A library for scenes that import nothing.
pub struct NoMeshes;

impl MeshLibrary for NoMeshes {
    fn mesh(&self, _: &MeshSource) -> Result<Arc<Mesh>, String> {
        Err("there is no place to look for imported meshes".into())
    }
}

/// Why a body has no shape. The body is named by who calls.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum ShapeError {
    #[error("its mesh can't be had: {0}")]
    Mesh(String),
    #[error("its mesh {0}")]
    Plant(String),
    #[error("it is cut from {0}")]
    Skin(String),
    #[error("its mesh is unfit: {}", .0.iter().map(ToString::to_string).collect::<Vec<_>>().join("; "))]
    Unfit(Vec<MeshFault>),
    #[error("refined {refine} times it has {points} points; the most is {MAX_POINTS}. Refine it less")]
    TooFine { refine: u32, points: usize },
    #[error("{layers} layers have {points} points; the most is {MAX_POINTS}. Make fewer or coarser ones")]
    TooMany { layers: u32, points: usize },
    #[error(
        "its thickness is {times:.1} times as far as its points lie apart; no more than {most:.1} times can be kept. \
         Make it thinner or coarser"
    )]
    TooThick { times: f64, most: f64 },
    #[error("the map \"{map}\" {why}")]
    Map { map: String, why: String },
    #[error(
        "its rest shape has {found} points and triangles, and its own has {own}. Both must be one mesh in two shapes"
    )]
    OtherRest { found: String, own: String },
    #[error("the seam \"{seam}\" {why}")]
    Seam { seam: String, why: String },
    #[error("the chamber \"{chamber}\" {why}")]
    Chamber { chamber: String, why: String },
    #[error("its pieces come from {0}")]
    Source(String),
    #[error("what is let go comes from {0}")]
    Shed(String),
    #[error("only cloth is like something in the hand")]
    Loose,
    #[error("it grows on {0}")]
    Ground(String),
    #[error("its curves can't be had: {0}")]
    Curves(String),
    #[error("what was combed can't be had: {0}")]
    Combed(String),
    #[error("grip \"{grip}\" names \"{name}\", which its shape does not have; it has {known}")]
    NoSuchPlace { grip: String, name: String, known: String },
}

/// How many points may lie within the thickness of each, at least, and of all together.
const WITHIN: f64 = 13.0;
const WITHIN_ALL: f64 = 500_000.0;

/// What meets itself or another cloth must not be so thick that each point meets hundreds: it would take all memory.
pub(crate) fn thin_enough(rest: &nematon_solver::Rest) -> Result<(), ShapeError> {
    let nematon_solver::Rest::Cloth(rest) = rest else { return Ok(()) };
    let area = rest.flat.iter().map(|[a, b, c]| {
        let [p, q] = [b, c].map(|x| [0, 1].map(|k| f64::from(x[k] - a[k])));
        0.5 * (p[0] * q[1] - p[1] * q[0]).abs()
    });
    // Of a square grid, two triangles a cell.
    let apart = (2.0 * area.sum::<f64>() / rest.flat.len().max(1) as f64).sqrt();
    let map = rest.maps.of(Scaled::Thickness).iter().copied().reduce(f32::max).unwrap_or(1.0);
    let times = f64::from(rest.matter.thickness * map) / apart.max(1e-12);
    let most = (WITHIN.max(WITHIN_ALL / rest.positions.len() as f64) / std::f64::consts::PI).sqrt();
    if times > most { Err(ShapeError::TooThick { times, most }) } else { Ok(()) }
}

/// The shape of a body with its grips found.
#[derive(Clone, Debug)]
pub struct Shaped {
    /// The rest shape, not yet placed.
    pub mesh: Mesh,
    /// Where each point starts in the world, metres.
    pub placed: Vec<[f32; 3]>,
    /// What its matter is multiplied by from point to point.
    pub maps: Maps,
    /// Those that are on, in the order of the document.
    pub grips: Vec<Gripped>,
    /// How its points are drawn to where its rest shape would be.
    pub follow: Option<Follow>,
    /// What gravity and still air do to it, where that is not as to others.
    pub weather: Option<Weather>,
    /// What only its kind has.
    pub own: OfKind,
    pub density: Density,
}

/// What of a shape only a kind of body has.
#[derive(Clone, Debug)]
pub enum OfKind {
    Cloth {
        /// What its lengths and folds come from, placed, if that is another mesh.
        rest: Option<Box<Mesh>>,
        /// What it is sewn of, where it has seams or chambers.
        sewn: Option<Arc<Sewn>>,
    },
    Drift {
        /// When its pieces come and go, where they do.
        coming: Option<Arc<Coming>>,
        /// What plants let go of them, where they do.
        shed: Option<Arc<Shedding>>,
    },
    /// Held by their roots, the first point of each.
    Strands {
        /// Where they grow, which are the ways out there, and how long each had grown before it was combed; about the body's own place.
        locks: Arc<Vec<Lock>>,
        /// Whether they grow on a body, and hang on that.
        hang: bool,
        /// Of which clump each is.
        clumps: Vec<u32>,
        /// How many points of each, from its root on, stand in what they grow on; empty where they grow on nothing.
        rooted: Vec<u32>,
    },
    /// Held by their roots, the first point of each.
    Plants(Arc<Stand>),
}

impl Shaped {
    /// What its lengths and folds come from, where that is another mesh.
    pub fn rest(&self) -> Option<&Mesh> {
        match &self.own {
            OfKind::Cloth { rest, .. } => rest.as_deref(),
            OfKind::Drift { .. } | OfKind::Strands { .. } | OfKind::Plants(_) => None,
        }
    }

    /// What it is sewn of, where it is.
    pub fn sewn(&self) -> Option<&Arc<Sewn>> {
        match &self.own {
            OfKind::Cloth { sewn, .. } => sewn.as_ref(),
            OfKind::Drift { .. } | OfKind::Strands { .. } | OfKind::Plants(_) => None,
        }
    }

    /// When its points come and go, where they do.
    pub fn coming(&self) -> Option<&Arc<Coming>> {
        match &self.own {
            OfKind::Cloth { .. } | OfKind::Strands { .. } | OfKind::Plants(_) => None,
            OfKind::Drift { coming, .. } => coming.as_ref(),
        }
    }

    /// What plants let go of it, where they do.
    pub fn shed(&self) -> Option<&Arc<Shedding>> {
        match &self.own {
            OfKind::Cloth { .. } | OfKind::Strands { .. } | OfKind::Plants(_) => None,
            OfKind::Drift { shed, .. } => shed.as_ref(),
        }
    }

    /// The first point of each strand or plant; none of other kinds.
    pub fn roots(&self) -> Vec<u32> {
        let next = |at: &mut u32, count: &u32| Some(std::mem::replace(at, *at + count));
        self.mesh.strands.iter().scan(0, next).collect()
    }

    /// For each point, whether it is held for good: by a grip, or as a root.
    pub fn held(&self) -> Vec<bool> {
        let mut held = vec![false; self.placed.len()];
        let firm = self.grips.iter().filter(|g| !g.pulls);
        firm.flat_map(|g| &g.points).for_each(|&p| held[p as usize] = true);
        if !matches!(self.own, OfKind::Strands { hang: true, .. }) {
            self.roots().into_iter().for_each(|p| held[p as usize] = true);
        }
        held
    }

    /// The points of each grip, those that it holds and those that it pulls together.
    pub fn gripped(&self) -> Vec<(GripId, Vec<u32>)> {
        let mut out: Vec<(GripId, Vec<u32>)> = vec![];
        for g in &self.grips {
            match out.last_mut().filter(|(id, _)| *id == g.id) {
                Some((_, points)) => points.extend(&g.points),
                None => out.push((g.id.clone(), g.points.clone())),
            }
        }
        out.iter_mut().for_each(|(_, points)| points.sort_unstable());
        out
    }
}

/// Points of a grip that it holds alike: for good, or by pulling.
#[derive(Clone, Debug)]
pub struct Gripped {
    pub id: GripId,
    pub points: Vec<u32>,
    pub pulls: bool,
    /// How firmly it pulls each point of the body.
    pub by: Option<Arc<Dyed>>,
}

impl Gripped {
    /// By a map that stays, what it soaks wholly is held for good where the grip holds so, and what it leaves out is let go.
    pub(crate) fn of(
        scene: &Stage,
        id: &GripId,
        grip: &Grip,
        points: Vec<u32>,
        by: Option<Dyed>,
    ) -> Vec<Gripped> {
        let alike = |points: Vec<u32>, pulls, by| Gripped { id: id.clone(), points, pulls, by };
        // What hangs on another body is held by none.
        let hangs = matches!(grip.to, HeldTo::Body(_));
        let Some(by) = by else { return vec![alike(points, grip.pulls() || hangs, None)] };
        let by = Arc::new(by);
        if by.moves(scene) {
            return vec![alike(points, true, Some(by))];
        }
        let weights = by.at(scene, scene.frames.first as f64);
        let firm = |p: &u32| !(grip.pulls() || hangs) && weights[*p as usize] >= FIRM;
        let (held, rest): (Vec<u32>, Vec<u32>) = points.into_iter().partition(firm);
        let drawn: Vec<u32> = rest.into_iter().filter(|p| weights[*p as usize] > 0.0).collect();
        let held = (!held.is_empty()).then(|| alike(held, false, None));
        let drawn = (!drawn.is_empty()).then(|| alike(drawn, true, Some(by)));
        held.into_iter().chain(drawn).collect()
    }
}

/// The grips of a body that are on, with the points that each holds.
///
/// # Errors
/// When one names what the shape has not, or its map can't be had.
pub(crate) fn gripped(ground: &Ground, body: &Body) -> Result<Vec<Gripped>, ShapeError> {
    let mesh = ground.mesh;
    let mut grips = vec![];
    for (id, grip) in body.grips.iter().filter(|(_, g)| g.on) {
        let mut points = vec![];
        for choice in &grip.points {
            let found = chosen(mesh, choice).map_err(|(name, known)| ShapeError::NoSuchPlace {
                grip: grip.name.clone(),
                name,
                known,
            })?;
            points.extend(found);
        }
        if grip.points.is_empty() {
            points.extend(0..mesh.positions.len() as u32);
        }
        points.sort_unstable();
        points.dedup();
        let by = grip.map.as_ref().and_then(|m| ground.named(body, m)).transpose()?;
        grips.extend(Gripped::of(ground.stage, id, grip, points, by));
    }
    Ok(grips)
}

/// The weight from which on a grip's map means all of it.
const FIRM: f32 = 0.9995;

/// How a body's points are drawn to where its rest shape would be, on what it stands on.
#[derive(Clone, Debug)]
pub struct Follow {
    /// 1/s².
    pub strength: Value,
    /// The map that scales it, and by what where it is 0 and where it is 1.
    pub by: Option<(Arc<Dyed>, [f64; 2])>,
}

/// A body's shape as far as it can be had: where a map stands in the way, without what maps say, and why.
///
/// # Errors
/// When there is no shape at all.
pub fn shape_to_see(
    scene: &Stage,
    body: &Body,
    library: &dyn MeshLibrary,
) -> Result<(Shaped, Option<ShapeError>), ShapeError> {
    let why = match shape(scene, body, library) {
        Err(why @ ShapeError::Map { .. }) => why,
        found => return found.map(|s| (s, None)),
    };
    let mut bare = body.clone();
    (bare.scaled, bare.follow) = (Default::default(), None);
    bare.grips.values_mut().for_each(|g| g.map = None);
    bare.grips.retain(|_, g| !g.points.is_empty());
    Ok((shape(scene, &bare, library)?, Some(why)))
}

/// Makes or fetches a body's shape and finds what its grips hold.
///
/// # Errors
/// When the mesh is missing or unfit, or a grip names what isn't there.
pub fn shape(scene: &Stage, body: &Body, library: &dyn MeshLibrary) -> Result<Shaped, ShapeError> {
    kind::of(&body.kind).shape(scene, body, library)
}

/// Where a body begins, and what its zones are told beside: where its figure is, for one that is cut from its skin.
pub fn begins<'s>(scene: &'s Stage, body: &'s Body) -> &'s Node {
    let figure = body.skin().and_then(|s| scene.figures.get(s.figure.as_str()));
    figure.map_or(&body.place, |f| &f.place)
}

/// The points of a choice on an unplaced shape.
///
/// # Errors
/// The name that isn't there, and those that are.
pub fn chosen(mesh: &Mesh, choice: &Choice) -> Result<Vec<u32>, (String, String)> {
    let known = |names: Vec<&str>| if names.is_empty() { "none".to_owned() } else { names.join(", ") };
    match choice {
        Choice::Border { border, by } => match mesh.borders.iter().find(|b| b.name == *border) {
            Some(b) => Ok(along(b, by)),
            None => Err((border.clone(), known(mesh.borders.iter().map(|b| b.name.as_str()).collect()))),
        },
        Choice::Corner(corner) => match mesh.corners.iter().find(|c| c.name == *corner) {
            Some(c) => Ok(vec![c.point]),
            None => Err((corner.clone(), known(mesh.corners.iter().map(|c| c.name.as_str()).collect()))),
        },
        Choice::Area(a) => {
            let area = nematon_geometry::Area {
                spots: a.spots.clone(),
                triangles: a.triangles.clone(),
                edges: a.edges.clone(),
            };
            Ok(points_in(mesh, &area))
        }
        Choice::Near(places) => {
            let places: Vec<[f32; 3]> = places.iter().map(|p| p.map(|c| c as f32)).collect();
            Ok(nearest_of(&mesh.positions, &places).into_iter().flatten().collect())
        }
    }
}

fn along(border: &Border, by: &Along) -> Vec<u32> {
    let (p, n) = (&border.points, border.points.len());
    match by {
        Along::All => p.clone(),
        Along::Every(every) => p.iter().copied().step_by((*every).max(1) as usize).collect(),
        Along::Eyelets(count) => {
            let count = (*count as usize).min(n);
            // From end to end on an open border, all the way round on a closed one.
            let gaps = if border.closed { count } else { count.saturating_sub(1) }.max(1);
            let span = if border.closed { n } else { n - 1 };
            let mut out: Vec<u32> = (0..count).map(|k| p[(k * span + gaps / 2) / gaps % n]).collect();
            out.dedup();
            out
        }
    }
}

/// What the solver is told of a body before it moves; numbers of its matter as they are at the `first` frame.
pub fn body_rest(body: &Body, shaped: &Shaped, first: &Moment) -> nematon_solver::Rest {
    kind::of(&body.kind).rest(body, shaped, first)
}
