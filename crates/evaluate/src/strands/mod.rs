//! Strands: where they grow, what they are like at rest, and what the solver is told of them.
mod groom;
mod hairs;

pub use groom::{Groom, groom};
pub use hairs::{Between, hairs, lock};

use crate::kind::{Matters, Shapes};
use crate::maps;
use crate::resolve::place_body;
use crate::shape::{OfKind, gripped};
use crate::soil::{Grows, NOWHERE, Root, Soil, at_roots, filled, on_soil, soil};
use crate::weather::Weather;
use crate::{MeshLibrary, ShapeError, Shaped, Stage};
use glam::DVec3;
use nematon_document::{Body, Form, MAX_POINTS, Moment, Outlet, Strands, Value};
use nematon_geometry::{Border, Density, Mesh, Near, between, fill, is_inside, thinned};
use nematon_paint::Lock;
use nematon_solver::{ClumpRest, Maps, Rest, Scaled, StrandRest};
use std::f64::consts::{PI, TAU};
use std::sync::Arc;

/// Numbers of one strand, each by a seed of its own.
const DICE: u64 = 8;
/// What a map makes shorter is at least so much of its length.
const SHORTEST: f64 = 0.02;
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
    let soil = soil((scene, library), body, &Grows::from(own))?;
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
            let roots = roots((scene, library), body, own, soil.as_ref())?;
            let long = at_roots((scene, library), body, own.long.as_ref(), &roots)?;
            for (k, (root, long)) in roots.iter().zip(long).enumerate() {
                add(grow(own, k, root, long.max(SHORTEST)), root.out);
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

/// Where strands grow, at the first frame.
fn roots(
    (scene, library): (&Stage, &dyn MeshLibrary),
    body: &Body,
    own: &Strands,
    soil: Option<&Soil>,
) -> Result<Vec<Root>, ShapeError> {
    let Some(soil) = soil.filter(|_| own.inside) else {
        return on_soil((scene, library), body, &Grows::from(own), soil, (own.count, own.seed));
    };
    let found = filled((scene, library), body, &Grows::from(own), soil, own.count, own.seed)?;
    if found.is_empty() {
        let why =
            if own.spread.is_some() { NOWHERE } else { "which is not closed, so that nothing is inside" };
        return Err(ShapeError::Ground(format!("{} {why}", soil.name)));
    }
    Ok(found.into_iter().map(|at| Root { at, out: DVec3::Y }).collect())
}

/// How thick it is at a point, as a share of how thick it is at its root.
fn narrows(own: &Strands, point: usize) -> f64 {
    1.0 - own.taper * point as f64 / f64::from(own.points - 1)
}

/// The points of a strand at rest: as long as it is, each segment along the way at its middle.
fn grow(own: &Strands, k: usize, root: &Root, long: f64) -> Vec<DVec3> {
    let chance = |of: u64| fill::chance(own.seed, (1 << 40) + DICE * k as u64 + of);
    let n = own.points as usize - 1;
    let length = own.length * long * fill::varied(own.variation, k, own.seed);
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
            OfKind::Cloth { .. } | OfKind::Drift { .. } | OfKind::Plants(_) => vec![],
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
        ..StrandRest::default()
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
pub(crate) const LEAST: f64 = 1e-3;

pub(crate) fn of_map(maps: &Maps, what: Scaled, k: usize) -> f64 {
    maps.of(what).get(k).map_or(1.0, |t| f64::from(*t))
}

/// How far two points are from each other, metres.
pub(crate) fn apart(a: [f32; 3], b: [f32; 3]) -> f64 {
    let wide = |p: [f32; 3]| DVec3::from(p.map(f64::from));
    wide(a).distance(wide(b))
}
