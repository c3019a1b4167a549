//! Strands: where they grow, what they are like at rest, and what the solver is told of them.
use crate::kind::{Matters, Shapes};
use crate::maps;
use crate::outlet::{Ground, ground};
use crate::resolve::{World, place_body};
use crate::shape::{OfKind, gripped};
use crate::weather::Weather;
use crate::{MeshLibrary, ShapeError, Shaped, Stage};
use glam::DVec3;
use nematon_document::{Body, Moment, Outlet, Strands, Value};
use nematon_geometry::{Border, Density, Mesh, On, fill, scatter};
use nematon_solver::{Maps, Rest, Scaled, StrandRest};
use std::f64::consts::{PI, TAU};

/// Numbers of one strand, each by a seed of its own.
const DICE: u64 = 8;
/// A strand goes along its way at least so much of its length, however it winds.
const LEAST_ONWARD: f64 = 0.1;

impl Shapes for Strands {
    fn shape(&self, scene: &Stage, body: &Body, library: &dyn MeshLibrary) -> Result<Shaped, ShapeError> {
        shape(scene, body, self, library)
    }

    fn rest(&self, body: &Body, shaped: &Shaped, first: &Moment) -> Rest {
        Rest::Strands(Box::new(rest(body, self, shaped, first)))
    }

    fn matters(&self) -> Matters {
        Matters {
            damping: self.damping.clone(),
            drag: self.drag.clone(),
            lift: Value::default(),
            friction: self.friction.clone(),
        }
    }

    fn around(&self) -> f64 {
        self.around
    }
}

/// Where a strand grows, and the way out of what it grows on there; in the world but for its origin.
struct Root {
    at: DVec3,
    out: DVec3,
}

fn shape(scene: &Stage, body: &Body, own: &Strands, library: &dyn MeshLibrary) -> Result<Shaped, ShapeError> {
    let first = scene.frames.first as f64;
    let at = World::of(scene, &body.place, first);
    let stands = matches!(own.from, Outlet::Space | Outlet::Points(_));
    let (mut positions, mut strands) = (vec![], vec![]);
    for (k, root) in roots((scene, library), body, own, &at)?.into_iter().enumerate() {
        // About the body's own place, wherever it grows.
        let root = match stands {
            true => root,
            false => {
                Root { at: at.inverse(root.at.to_array()).into(), out: at.back(root.out.to_array()).into() }
            }
        };
        grow(own, k, &root, &mut positions);
        strands.push(own.points);
    }
    let ends = |name: &str, of: &dyn Fn(u32) -> u32| Border {
        name: name.into(),
        points: (0..strands.len() as u32).map(|k| of(k * own.points)).collect(),
        closed: false,
    };
    let borders = vec![ends("roots", &|k| k), ends("tips", &|k| k + own.points - 1)];
    let thin = |k: usize| 0.5 * own.diameter * narrows(own, k % own.points as usize);
    let radii = (0..positions.len()).map(|k| thin(k) as f32).collect();
    let mesh = Mesh { positions, radii, strands, borders, ..Mesh::default() };
    let mut placed = mesh.positions.clone();
    place_body(scene, &body.place, &mut placed);
    let segment = own.length / f64::from(own.points - 1);
    let density = Density {
        points: placed.len(),
        triangles: 0,
        shortest_edge: (segment * (1.0 - own.variation)) as f32,
        longest_edge: (segment * (1.0 + own.variation)) as f32,
        smallest_fold: 0.0,
        coarse: false,
    };
    let ground = maps::Ground { stage: scene, place: &body.place, mesh: &mesh, library };
    let (maps, weather) = (crate::maps::maps(&ground, body)?, Weather::of(&ground, body)?);
    let grips = gripped(&ground, body)?;
    Ok(Shaped { mesh, placed, maps, grips, follow: None, weather, own: OfKind::Strands, density })
}

/// Where strands grow: about the body's own place, or on what there is at the first frame.
fn roots(
    (scene, library): (&Stage, &dyn MeshLibrary),
    body: &Body,
    own: &Strands,
    stands_at: &World,
) -> Result<Vec<Root>, ShapeError> {
    if let Outlet::Points(points) = &own.from {
        return Ok(points.iter().map(|p| Root { at: DVec3::from(*p), out: DVec3::Y }).collect());
    }
    let Some(ground) = ground(scene, &own.from).map_err(ShapeError::Ground)? else {
        return patch((scene, library), body, own);
    };
    let Ground { mut mesh, plays, node, around: _, name } = ground;
    let first = scene.frames.first as f64;
    if let Some(plays) = plays {
        mesh.positions.clone_from(&plays.points(plays.time(scene, first)));
    }
    let world = World::of(scene, node, first);
    // About the body's own place, as its maps are told.
    let about = |p: DVec3| DVec3::from(stands_at.inverse(world.place(p.to_array())));
    let found = spread((scene, library), body, own, &mesh, &about)?;
    if found.is_empty() {
        let why = if own.spread.is_some() { NOWHERE } else { "which has a surface without any area" };
        return Err(ShapeError::Ground(format!("\"{name}\", {why}")));
    }
    let grown = |on: &On| {
        let root = on_surface(&mesh, on);
        Root { at: world.place(root.at.to_array()).into(), out: world.direction(root.out.to_array()).into() }
    };
    Ok(found.iter().map(grown).collect())
}

/// On a rectangle about the body's own place, upward.
fn patch(
    (scene, library): (&Stage, &dyn MeshLibrary),
    body: &Body,
    own: &Strands,
) -> Result<Vec<Root>, ShapeError> {
    let [x, z] = own.size.map(|s| (0.5 * s) as f32);
    if x * z == 0.0 {
        // One that is a point or a line.
        let along = |k: u32| (f64::from(k) + 0.5) / f64::from(own.count) - 0.5;
        let at = |k: u32| DVec3::new(own.size[0] * along(k), 0.0, own.size[1] * along(k));
        return Ok((0..own.count).map(|k| Root { at: at(k), out: DVec3::Y }).collect());
    }
    let positions = vec![[-x, 0.0, -z], [-x, 0.0, z], [x, 0.0, z], [x, 0.0, -z]];
    let mesh = Mesh { positions, triangles: vec![[0, 1, 2], [0, 2, 3]], ..Mesh::default() };
    let found = spread((scene, library), body, own, &mesh, &|p| p)?;
    match found.is_empty() {
        true => Err(ShapeError::Ground(format!("a patch {NOWHERE}"))),
        false => Ok(found.iter().map(|on| on_surface(&mesh, on)).collect()),
    }
}

const NOWHERE: &str = "where the map that spreads them is 0 everywhere";

/// Places on a surface, spread by the body's map where it names one; `about` is where a place is about the body's own.
fn spread(
    (scene, library): (&Stage, &dyn MeshLibrary),
    body: &Body,
    own: &Strands,
    mesh: &Mesh,
    about: &dyn Fn(DVec3) -> DVec3,
) -> Result<Vec<On>, ShapeError> {
    let all = (&mesh.positions[..], &mesh.triangles[..]);
    let Some(map) = own.spread.as_ref().and_then(|id| body.maps.get(id)) else {
        return Ok(scatter(all, own.count as usize, own.seed, None));
    };
    let dyed = |positions: Vec<[f32; 3]>| {
        let mesh = Mesh { positions, ..Mesh::default() };
        let ground = maps::Ground { stage: scene, place: &body.place, mesh: &mesh, library };
        ground.dyed(map).map(|d| d.at(scene, scene.frames.first as f64))
    };
    // What can't be had is told of one place; then it is there for all.
    dyed(vec![[0.0; 3]])?;
    let weigh = |at: &[DVec3]| {
        let own = at.iter().map(|p| about(*p).as_vec3().to_array()).collect();
        dyed(own).unwrap_or_else(|_| vec![0.0; at.len()])
    };
    Ok(scatter(all, own.count as usize, own.seed, Some(&weigh)))
}

fn on_surface(mesh: &Mesh, on: &On) -> Root {
    let [a, b, c] =
        mesh.triangles[on.triangle].map(|p| DVec3::from(mesh.positions[p as usize].map(f64::from)));
    let [u, v, w] = on.shares;
    Root { at: u * a + v * b + w * c, out: (b - a).cross(c - a).normalize_or(DVec3::Y) }
}

/// How thick it is at a point, as a share of how thick it is at its root.
fn narrows(own: &Strands, point: usize) -> f64 {
    1.0 - own.taper * point as f64 / f64::from(own.points - 1)
}

/// The points of a strand at rest: as long as it is, each segment along the way at its middle.
fn grow(own: &Strands, k: usize, root: &Root, out: &mut Vec<[f32; 3]>) {
    let chance = |of: u64| fill::chance(own.seed, (1 << 40) + DICE * k as u64 + of);
    let n = own.points as usize - 1;
    let length = own.length * fill::varied(own.variation, k, own.seed);
    let lean = DVec3::from(own.lean);
    let way = (root.out + lean).normalize_or(root.out);
    // It bows toward its lean; one that has none, to a side of its own.
    let (a, b) = root.out.any_orthonormal_pair();
    let (sin, cos) = libm::sincos(TAU * chance(0));
    let any = (cos * a + sin * b).reject_from_normalized(way).normalize_or(way.any_orthonormal_vector());
    let side = lean.reject_from_normalized(way);
    let side = if side.length_squared() > 1e-12 { side.normalize() } else { any };
    let across = way.cross(side);
    // sin of how far a winding turns it off its way.
    let winds = TAU * own.windings * own.winding_radius / length;
    let winds = winds.min((1.0 - LEAST_ONWARD * LEAST_ONWARD).sqrt());
    let onward = (1.0 - winds * winds).sqrt();
    let phase = TAU * chance(1);
    let mut at = root.at;
    out.push(at.as_vec3().to_array());
    for j in 0..n {
        let s = (j as f64 + 0.5) / n as f64;
        let (sin, cos) = libm::sincos(own.bow * s);
        let (ahead, beside) = (cos * way + sin * side, cos * side - sin * way);
        let (sin, cos) = libm::sincos(phase + TAU * own.windings * s);
        at += length / n as f64 * (onward * ahead + winds * (cos * beside + sin * across));
        out.push(at.as_vec3().to_array());
    }
}

fn rest(body: &Body, own: &Strands, shaped: &Shaped, first: &Moment) -> StrandRest {
    let thicker = crate::matters::thicker(body, first);
    let n = own.points as usize;
    let all = 0..shaped.placed.len();
    let width = |k: usize| own.diameter * narrows(own, k % n);
    let over = |what: Scaled, k: usize| of_map(&shaped.maps, what, k);
    let area = |k: usize| 0.25 * PI * width(k).powi(2);
    // EI of a round one, I = π d⁴ / 64.
    let bend = |k: usize| own.modulus * PI * width(k).powi(4) / 64.0 * over(Scaled::Bend, k);
    let list = |number: &dyn Fn(usize) -> f64| all.clone().map(|k| number(k) as f32).collect::<Vec<f32>>();
    StrandRest {
        positions: shaped.placed.clone(),
        shape: vec![],
        counts: shaped.mesh.strands.clone(),
        held: shaped.held(),
        set: !own.hinged,
        line_density: list(&|k| own.density * area(k) * over(Scaled::ArealWeight, k).max(LEAST)),
        stretch: list(&|k| own.modulus * area(k)),
        bend: list(&bend),
        twist: list(&|k| own.twist * bend(k)),
        width: list(&width),
        radius: vec![own.around as f32; shaped.placed.len()],
        drag: (own.drag.at(first) * thicker) as f32,
        along: own.along as f32,
        over: [Scaled::Drag, Scaled::Friction].map(|what| shaped.maps.of(what).to_vec()),
        damping: own.damping.at(first) as f32,
        friction: own.friction.at(first) as f32,
    }
}

/// What it weighs at least, as a share of its own weight: what weighs nothing can't be moved.
const LEAST: f64 = 1e-3;

fn of_map(maps: &Maps, what: Scaled, k: usize) -> f64 {
    maps.of(what).get(k).map_or(1.0, |t| f64::from(*t))
}

/// How far two points are from each other, metres.
pub(crate) fn apart(a: [f32; 3], b: [f32; 3]) -> f64 {
    let wide = |p: [f32; 3]| DVec3::from(p.map(f64::from));
    wide(a).distance(wide(b))
}
