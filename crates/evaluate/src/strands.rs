//! Strands: where they grow, what they are like at rest, and what the solver is told of them.
use crate::kind::{Matters, Shapes};
use crate::maps;
use crate::outlet::{Ground, ground};
use crate::resolve::{World, place_body};
use crate::shape::{OfKind, gripped};
use crate::weather::Weather;
use crate::{MeshLibrary, ShapeError, Shaped, Stage, shape as shape_of};
use glam::DVec3;
use nematon_document::{Body, Form, Hairs, MAX_POINTS, Moment, Outlet, Strands, Value};
use nematon_figure::Nearest;
use nematon_geometry::{
    Border, Bundle, Density, Hair, HairLook, Mesh, Near, On, Weigh, between, fill, fill_closed, is_inside,
    scatter, strew, thinned,
};
use nematon_paint::{Comb, CombDab, Combed, Combing, Lock};
use nematon_solver::{ClumpRest, Maps, Rest, Scaled, StrandRest};
use std::f64::consts::{PI, TAU};
use std::sync::Arc;

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

/// Where a strand grows, and the way out of what it grows on there, about the body's own place.
struct Root {
    at: DVec3,
    out: DVec3,
}

fn shape(scene: &Stage, body: &Body, own: &Strands, library: &dyn MeshLibrary) -> Result<Shaped, ShapeError> {
    let Grown { points, locks, rooted } = grown((scene, library), body, own)?;
    let positions: Vec<[f32; 3]> = points.iter().map(|p| p.as_vec3().to_array()).collect();
    let strands = vec![own.points; locks.len()];
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
    let segments = locks.iter().map(|l| l.grown * l.length / f64::from(own.points - 1));
    let (shortest, longest) =
        segments.fold((f64::INFINITY, 0.0f64), |(least, most), s| (least.min(s), most.max(s)));
    let density = Density {
        points: placed.len(),
        triangles: 0,
        shortest_edge: shortest as f32,
        longest_edge: longest as f32,
        smallest_fold: 0.0,
        coarse: false,
    };
    let ground = maps::Ground { stage: scene, place: &body.place, mesh: &mesh, library };
    let (maps, weather) = (crate::maps::maps(&ground, body)?, Weather::of(&ground, body)?);
    let grips = gripped(&ground, body)?;
    let own = OfKind::Strands {
        clumps: own.clumps.as_ref().map_or_else(Vec::new, |c| clumped(&locks, c.count as usize)),
        hang: matches!(own.from, Outlet::Body(_)),
        rooted,
        locks: Arc::new(locks),
    };
    Ok(Shaped { mesh, placed, maps, grips, follow: None, weather, own, density })
}

/// Of which clump each strand is: of the one whose middle its root is nearest to.
fn clumped(locks: &[Lock], count: usize) -> Vec<u32> {
    let roots: Vec<DVec3> = locks.iter().map(|l| l.root).collect();
    let middles = thinned(&roots, count, nematon_paint::apart(locks).powi(2) * roots.len() as f64);
    let near = |k: &usize| Near { at: roots[*k], way: DVec3::Y };
    let middles: Vec<Near> = middles.iter().map(near).collect();
    between(&middles, &roots, PI, |_| [0.0; 4]).into_iter().map(|h| h.strands[0]).collect()
}

/// Strands at rest, about the body's own place.
struct Grown {
    points: Vec<DVec3>,
    /// What a comb goes on from.
    locks: Vec<Lock>,
    /// How many points of each stand in what they grow on; empty where that is nothing.
    rooted: Vec<u32>,
}

fn grown(
    (scene, library): (&Stage, &dyn MeshLibrary),
    body: &Body,
    own: &Strands,
) -> Result<Grown, ShapeError> {
    let soil = soil((scene, library), body, own)?;
    let mut points = vec![];
    let mut locks = vec![];
    let mut add = |own: Vec<DVec3>, out: DVec3| {
        locks.push(Lock::through(&own, out));
        points.extend(own);
    };
    match &own.curves {
        Some(from) => {
            let curves = library.curves(from).map_err(ShapeError::Curves)?;
            let all = curves.len() * own.points as usize;
            if all > MAX_POINTS {
                return Err(ShapeError::Curves(format!(
                    "there are {}, with {} points each {all}; the most is {MAX_POINTS}. Give each fewer points",
                    curves.len(),
                    own.points
                )));
            }
            let skin = soil.as_ref().and_then(Soil::skin);
            for curve in curves.iter() {
                let along = evenly(curve, own.points as usize);
                let way = (along[1] - along[0]).normalize_or(DVec3::Y);
                let out = skin.as_ref().and_then(|s| s.nearest(along[0])).map_or(way, |n| n.1);
                add(along, out);
            }
        }
        None => {
            for (k, root) in roots((scene, library), body, own, soil.as_ref())?.into_iter().enumerate() {
                add(grow(own, k, &root), root.out);
            }
        }
    }
    if !own.combed.is_empty() {
        let before = locks.clone();
        for stroke in &own.combed {
            library.combed(stroke).map_err(ShapeError::Combed)?.lay(&mut locks);
        }
        let n = own.points as usize;
        for (k, (lock, before)) in locks.iter().zip(&before).enumerate().filter(|(_, (a, b))| a != b) {
            debug_assert_eq!(lock.root, before.root);
            points[k * n..(k + 1) * n].iter_mut().zip(lock.points()).for_each(|(to, p)| *to = p);
        }
    }
    let skin = soil.as_ref().filter(|s| s.stands.is_some()).and_then(Soil::skin);
    let rooted = skin.map_or_else(Vec::new, |skin| {
        let gap = 1.05 * (own.around + thickness(scene, &own.from));
        let mesh = skin.near.mesh();
        let within = |p: DVec3| own.inside && is_inside(&mesh.positions, &mesh.triangles, p);
        let clear = |p: &DVec3| skin.nearest(*p).is_none_or(|(on, _)| on.distance(*p) > gap) && !within(*p);
        let each = points.chunks(own.points as usize);
        // Those that lie on it as a whole touch by their tips.
        each.map(|p| p.iter().position(clear).unwrap_or(p.len() - 2) as u32).collect()
    });
    Ok(Grown { points, locks, rooted })
}

/// How thick what they grow on is to contact: from its skin on, metres.
fn thickness(scene: &Stage, from: &Outlet) -> f64 {
    match from {
        Outlet::Space | Outlet::Points(_) => 0.0,
        Outlet::Collider(c) => scene.colliders.get(c).map_or(0.0, |c| c.thickness),
        Outlet::Body(b) => {
            scene.bodies.get(b).and_then(|b| b.kind.cloth()).map_or(0.0, |c| 0.5 * c.matter.thickness)
        }
        Outlet::Figure(f) => {
            let own = scene
                .colliders
                .values()
                .filter(|c| matches!(&c.form, Form::Figure(g) if g.figure == f.figure));
            own.map(|c| c.thickness).fold(0.0, f64::max)
        }
    }
}

/// So many places along a curve, as far from each other as along it.
fn evenly(curve: &[[f64; 3]], count: usize) -> Vec<DVec3> {
    let all: Vec<DVec3> = curve.iter().map(|p| DVec3::from(*p)).collect();
    let mut sums = vec![0.0];
    for w in all.windows(2) {
        sums.push(sums[sums.len() - 1] + w[0].distance(w[1]));
    }
    let whole = sums[sums.len() - 1];
    let at = |k: usize| {
        let far = whole * k as f64 / (count - 1) as f64;
        let from = sums.partition_point(|s| *s <= far).clamp(1, all.len() - 1) - 1;
        let long = sums[from + 1] - sums[from];
        all[from].lerp(all[from + 1], if long > 0.0 { (far - sums[from]) / long } else { 0.0 })
    };
    (0..count).map(at).collect()
}

/// A surface that strands grow on.
struct Soil {
    /// As it is told, at the first frame.
    mesh: Mesh,
    /// From there to the world; none where it is about the body's own place.
    stands: Option<World>,
    /// Where the body stands.
    at: World,
    name: String,
}

impl Soil {
    fn place(&self, p: DVec3) -> DVec3 {
        match &self.stands {
            Some(w) => self.at.inverse(w.place(p.to_array())).into(),
            None => p,
        }
    }

    fn way(&self, p: DVec3) -> DVec3 {
        match &self.stands {
            Some(w) => self.at.back(w.direction(p.to_array())).into(),
            None => p,
        }
    }

    fn root(&self, on: &On) -> Root {
        let root = on_surface(&self.mesh, on);
        Root { at: self.place(root.at), out: self.way(root.out) }
    }

    /// Its points about the body's own place.
    fn placed(&self) -> Vec<[f32; 3]> {
        let positions = self.mesh.positions.iter().map(|p| self.place(DVec3::from(p.map(f64::from))));
        positions.map(|p| p.as_vec3().to_array()).collect()
    }

    /// All of it about the body's own place.
    fn skin(&self) -> Option<Skin> {
        let positions = self.placed();
        let mesh = Mesh { positions, triangles: self.mesh.triangles.clone(), ..Mesh::default() };
        Some(Skin { near: Nearest::of(mesh)? })
    }
}

/// A surface on which the nearest places are found.
pub(crate) struct Skin {
    near: Nearest,
}

impl Skin {
    /// The nearest place, and the way out there.
    pub fn nearest(&self, p: DVec3) -> Option<(DVec3, DVec3)> {
        let spot = self.near.spot(p)?;
        let positions = &self.near.mesh().positions;
        let [a, b, c] = spot.triangle.map(|p| DVec3::from(positions[p as usize].map(f64::from)));
        let [u, v, w] = spot.shares;
        Some((u * a + v * b + w * c, (b - a).cross(c - a).normalize_or(DVec3::Y)))
    }
}

/// What they grow on: a patch of the body's own where they grow on nothing else; none where that is no surface.
fn soil(
    (scene, library): (&Stage, &dyn MeshLibrary),
    body: &Body,
    own: &Strands,
) -> Result<Option<Soil>, ShapeError> {
    let first = scene.frames.first as f64;
    let at = World::of(scene, &body.place, first);
    let Some(ground) = ground(scene, &own.from, library).map_err(ShapeError::Ground)? else {
        let [x, z] = own.size.map(|s| (0.5 * s) as f32);
        let positions = vec![[-x, 0.0, -z], [-x, 0.0, z], [x, 0.0, z], [x, 0.0, -z]];
        let mesh = Mesh { positions, triangles: vec![[0, 1, 2], [0, 2, 3]], ..Mesh::default() };
        let flat = matches!(own.from, Outlet::Space) && x * z > 0.0;
        return Ok(flat.then_some(Soil { mesh, stands: None, at, name: "a patch".into() }));
    };
    let Ground { mut mesh, plays, node, around: _, name } = ground;
    if let Some(plays) = plays {
        mesh.positions.clone_from(&plays.points(plays.time(scene, first)));
    }
    let stands = Some(node.map_or_else(World::here, |node| World::of(scene, node, first)));
    Ok(Some(Soil { mesh, stands, at, name: format!("\"{name}\",") }))
}

/// Where strands grow, at the first frame.
fn roots(
    (scene, library): (&Stage, &dyn MeshLibrary),
    body: &Body,
    own: &Strands,
    soil: Option<&Soil>,
) -> Result<Vec<Root>, ShapeError> {
    if let Outlet::Points(points) = &own.from {
        return Ok(points.iter().map(|p| Root { at: DVec3::from(*p), out: DVec3::Y }).collect());
    }
    let Some(soil) = soil else {
        // A patch that is a point or a line.
        let along = |k: u32| (f64::from(k) + 0.5) / f64::from(own.count) - 0.5;
        let at = |k: u32| DVec3::new(own.size[0] * along(k), 0.0, own.size[1] * along(k));
        return Ok((0..own.count).map(|k| Root { at: at(k), out: DVec3::Y }).collect());
    };
    if own.inside {
        let found = filled((scene, library), body, own, soil, own.count, own.seed)?;
        if found.is_empty() {
            let why =
                if own.spread.is_some() { NOWHERE } else { "which is not closed, so that nothing is inside" };
            return Err(ShapeError::Ground(format!("{} {why}", soil.name)));
        }
        return Ok(found.into_iter().map(|at| Root { at, out: DVec3::Y }).collect());
    }
    let found = spread((scene, library), body, own, soil, &scatter, own.count, own.seed)?;
    if found.is_empty() {
        let why = if own.spread.is_some() { NOWHERE } else { "which has a surface without any area" };
        return Err(ShapeError::Ground(format!("{} {why}", soil.name)));
    }
    Ok(found.iter().map(|on| soil.root(on)).collect())
}

const NOWHERE: &str = "where the map that spreads them is 0 everywhere";

/// How places on a surface are chosen.
type Scatters<'a> = &'a dyn Fn((&[[f32; 3]], &[[u32; 3]]), usize, u32, Option<Weigh>) -> Vec<On>;

/// Places on a surface, spread by the body's map where it names one.
fn spread(
    (scene, library): (&Stage, &dyn MeshLibrary),
    body: &Body,
    own: &Strands,
    soil: &Soil,
    how: Scatters,
    count: u32,
    seed: u32,
) -> Result<Vec<On>, ShapeError> {
    let all = (&soil.mesh.positions[..], &soil.mesh.triangles[..]);
    weighed((scene, library), body, own, &|p| soil.place(p), &|weigh| how(all, count as usize, seed, weigh))
}

/// Places all through a closed surface, about the body's own place.
fn filled(
    (scene, library): (&Stage, &dyn MeshLibrary),
    body: &Body,
    own: &Strands,
    soil: &Soil,
    count: u32,
    seed: u32,
) -> Result<Vec<DVec3>, ShapeError> {
    let positions = soil.placed();
    let all = (&positions[..], &soil.mesh.triangles[..]);
    weighed((scene, library), body, own, &|p| p, &|weigh| fill_closed(all, count as usize, seed, weigh))
}

/// What is chosen by the body's map, where it names one; `about` is where a place is about the body's own.
fn weighed<T>(
    (scene, library): (&Stage, &dyn MeshLibrary),
    body: &Body,
    own: &Strands,
    about: &dyn Fn(DVec3) -> DVec3,
    how: &dyn Fn(Option<Weigh>) -> T,
) -> Result<T, ShapeError> {
    let Some(map) = own.spread.as_ref().and_then(|id| body.maps.get(id)) else {
        return Ok(how(None));
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
    Ok(how(Some(&weigh)))
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
fn grow(own: &Strands, k: usize, root: &Root) -> Vec<DVec3> {
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
    let mut out = vec![at];
    for j in 0..n {
        let s = (j as f64 + 0.5) / n as f64;
        let (sin, cos) = libm::sincos(own.bow * s);
        let (ahead, beside) = (cos * way + sin * side, cos * side - sin * way);
        let (sin, cos) = libm::sincos(phase + TAU * own.windings * s);
        at += length / n as f64 * (onward * ahead + winds * (cos * beside + sin * across));
        out.push(at);
    }
    out
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
        // What hangs on a body is held by two points a strand, and turns with what they are tied to.
        set: !own.hinged && !matches!(own.from, Outlet::Body(_)),
        clumps: clumps(own, shaped),
        rooted: match &shaped.own {
            OfKind::Strands { rooted, .. } => rooted.clone(),
            OfKind::Cloth { .. } | OfKind::Drift { .. } => vec![],
        },
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

/// What ties strands in clumps: where that holds along a strand, by point.
fn clumps(own: &Strands, shaped: &Shaped) -> Option<ClumpRest> {
    let (OfKind::Strands { clumps: of, .. }, Some(c)) = (&shaped.own, &own.clumps) else { return None };
    let n = own.points as usize;
    let segment = own.length / (n - 1) as f64;
    let by = |k: usize| {
        let tied = k as f64 >= c.from * (n - 1) as f64;
        let share = if k == 0 || k == n - 1 { 0.5 } else { 1.0 };
        if tied { (c.stiffness * segment * share) as f32 } else { 0.0 }
    };
    Some(ClumpRest { of: of.clone(), stiffness: (0..n).map(by).collect(), wide: c.wide as f32 })
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

/// The hairs between a body's strands.
#[derive(Clone, Debug)]
pub struct Between {
    pub hairs: Vec<Hair>,
    pub look: HairLook,
    /// Half of how thick a hair is, from its root to its tip, by point, metres.
    pub radii: Vec<f32>,
    /// Of a strand, and of a hair.
    pub points: usize,
}

impl Between {
    /// What is written of them beside their frames.
    pub fn mesh(&self) -> Mesh {
        let strands = vec![self.points as u32; self.hairs.len()];
        let radii = self.hairs.iter().flat_map(|_| self.radii.iter().copied()).collect();
        let rest = vec![[0.0; 3]; self.hairs.len() * self.points];
        Mesh { positions: rest, radii, strands, ..Mesh::default() }
    }

    /// Where their points are, by those of the strands at the first frame and now.
    pub fn frame(&self, rest: &[[f32; 3]], now: &[[f32; 3]]) -> Vec<[f32; 3]> {
        let of = Bundle { points: self.points, rest, now };
        let mut out = Vec::with_capacity(self.hairs.len() * self.points);
        self.hairs.iter().for_each(|h| h.points(&of, &self.look, &mut out));
        out
    }
}

/// The hairs between a body's strands; none where it has none.
///
/// # Errors
/// When what they grow on can't be had.
pub fn hairs(
    scene: &Stage,
    body: &Body,
    shaped: &Shaped,
    library: &dyn MeshLibrary,
) -> Result<Option<Between>, ShapeError> {
    let Some((own, of)) = body.kind.strands().and_then(|s| Some((s, s.hairs.as_ref()?))) else {
        return Ok(None);
    };
    let OfKind::Strands { locks, .. } = &shaped.own else { return Ok(None) };
    let Hairs { count, clump, shorter, stray, windings, winding_radius, parting, diameter, taper, seed } =
        *of;
    let at = World::of(scene, &body.place, scene.frames.first as f64);
    // Others than those that strands grow by.
    let seed = seed.wrapping_mul(7919).wrapping_add(own.seed).wrapping_add(104_729);
    let dice = |k: usize| [0, 1, 2, 3].map(|c| fill::chance(seed, (1 << 41) + 4 * k as u64 + c) as f32);
    let soil = if own.curves.is_some() { None } else { soil((scene, library), body, own)? };
    let places: Vec<DVec3> = match &soil {
        Some(soil) if own.inside => filled((scene, library), body, own, soil, count, seed)?,
        Some(soil) => {
            let on = spread((scene, library), body, own, soil, &strew, count, seed)?;
            on.iter().map(|on| soil.root(on).at).collect()
        }
        None => around(locks, count as usize, seed),
    };
    let world = |p: DVec3| DVec3::from(at.place(p.to_array()));
    let places: Vec<DVec3> = places.into_iter().map(world).collect();
    let n = own.points as usize;
    let wide = |k: usize| DVec3::from(shaped.placed[k].map(f64::from));
    let near =
        |k: usize| Near { at: wide(k * n), way: (wide(k * n + n / 2) - wide(k * n)).normalize_or(DVec3::Y) };
    let strands: Vec<Near> = (0..locks.len()).map(near).collect();
    let radii = (0..n).map(|k| (0.5 * diameter * (1.0 - taper * k as f64 / (n - 1) as f64)) as f32);
    Ok(Some(Between {
        hairs: between(&strands, &places, parting, dice),
        look: HairLook { clump, shorter, stray, windings, winding_radius },
        radii: radii.collect(),
        points: n,
    }))
}

/// How many a lock is drawn of.
const LOCK: usize = 20;

/// A lock of a body as it is at rest, seen from the side: up to twenty hairs beside its first strand, or of its strands where there are no hairs; along
/// the ground there and out of it, from that strand's root, metres.
///
/// # Errors
/// When the body is not of strands, or has no shape.
pub fn lock(scene: &Stage, body: &Body, library: &dyn MeshLibrary) -> Result<Vec<Vec<[f64; 2]>>, ShapeError> {
    let shaped = shape_of(scene, body, library)?;
    let OfKind::Strands { locks, .. } = &shaped.own else { return Err(ShapeError::Loose) };
    let Some(first) = locks.first() else { return Ok(vec![]) };
    let n = shaped.placed.len() / locks.len();
    let wide = |p: &[f32; 3]| DVec3::from(p.map(f64::from));
    let at = World::of(scene, &body.place, scene.frames.first as f64);
    let out = DVec3::from(at.direction(first.out.to_array()));
    let root = wide(&shaped.placed[0]);
    // Seen so that it leans to the side.
    let lean = (wide(&shaped.placed[n - 1]) - root).reject_from_normalized(out);
    let side = if lean.length() > 1e-9 { lean.normalize() } else { out.any_orthonormal_vector() };
    let seen = |p: &[f32; 3]| {
        let off = wide(p) - root;
        [off.dot(side), off.dot(out)]
    };
    let all = match hairs(scene, body, &shaped, library)? {
        Some(mut between) => {
            let near = |h: &Hair| DVec3::from(h.off.map(f64::from)).length();
            between.hairs.retain(|h| h.strands[0] == 0);
            between.hairs.sort_by(|a, b| near(a).total_cmp(&near(b)));
            between.hairs.truncate(LOCK);
            between.frame(&shaped.placed, &shaped.placed)
        }
        None => {
            let far = |k: usize| wide(&shaped.placed[k * n]).distance(root);
            let mut near: Vec<usize> = (0..locks.len()).collect();
            near.sort_by(|a, b| far(*a).total_cmp(&far(*b)));
            near.truncate(LOCK);
            near.into_iter().flat_map(|k| shaped.placed[k * n..(k + 1) * n].to_vec()).collect()
        }
    };
    Ok(all.chunks(n).map(|h| h.iter().map(seen).collect()).collect())
}

/// Places about roots that stand on no surface, each as far from one as they lie apart.
fn around(locks: &[Lock], count: usize, seed: u32) -> Vec<DVec3> {
    let apart = nematon_paint::apart(locks);
    let place = |k: usize| {
        let dice = [0, 1, 2].map(|c| fill::chance(seed, 4 * k as u64 + c));
        let lock = &locks[((dice[0] * locks.len() as f64) as usize).min(locks.len() - 1)];
        let (a, b) = lock.out.any_orthonormal_pair();
        let (sin, cos) = libm::sincos(TAU * dice[1]);
        lock.root + 0.5 * apart * dice[2].sqrt() * (cos * a + sin * b)
    };
    (0..count).map(place).collect()
}

/// Strands under a comb: where they are at the first frame.
pub struct Groom {
    at: World,
    combing: Combing,
    skin: Option<Skin>,
}

/// Sets out to comb a body's strands; `spared` is how much of each point a comb leaves as it is, empty where all is combed.
///
/// # Errors
/// When the body is not of strands, or has no shape.
pub fn groom(
    (scene, library): (&Stage, &dyn MeshLibrary),
    body: &Body,
    comb: Comb,
    spared: &[f32],
) -> Result<Groom, ShapeError> {
    let own = body.kind.strands().ok_or(ShapeError::Loose)?;
    let locks = grown((scene, library), body, own)?.locks;
    let skin = soil((scene, library), body, own)?.and_then(|s| s.skin());
    // By the middle of each.
    let n = own.points as usize;
    let spared = (0..if spared.is_empty() { 0 } else { locks.len() })
        .map(|k| spared.get(k * n + n / 2).map_or(0.0, |w| f64::from(*w)));
    let at = World::of(scene, &body.place, scene.frames.first as f64);
    Ok(Groom { at, combing: Combing::begin(comb, locks, spared.collect()), skin })
}

impl Groom {
    /// Dabs a place in the world; gives the strands that changed, and where their points are then.
    pub fn dab(&mut self, dab: &CombDab) -> (Vec<u32>, Vec<[f32; 3]>) {
        let own = |p: [f64; 3]| self.at.inverse(p);
        let dab = CombDab { at: own(dab.at), eye: own(dab.eye), by: self.at.back(dab.by), ..*dab };
        let skin = self.skin.as_ref().map(|s| move |p: DVec3| s.nearest(p));
        let changed = self.combing.dab(&dab, skin.as_ref().map(|s| s as nematon_paint::Skin));
        let points = changed.iter().flat_map(|k| self.combing.locks()[*k].points().collect::<Vec<_>>());
        let placed = points.map(|p| self.at.place(p.to_array()).map(|c| c as f32)).collect();
        (changed.into_iter().map(|k| k as u32).collect(), placed)
    }

    /// What the stroke made, for a file; of all strands where strokes before it are to be one with it. None where it changed nothing.
    pub fn combed(&self, all: bool) -> Option<Combed> {
        let own = self.combing.combed(false);
        (!own.roots.is_empty()).then(|| if all { self.combing.combed(true) } else { own })
    }
}
