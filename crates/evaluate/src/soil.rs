//! What strands and plants grow on, and where on it or in it.
use crate::maps;
use crate::outlet::{Ground, ground};
use crate::resolve::World;
use crate::{MeshLibrary, ShapeError, Stage};
use glam::DVec3;
use nematon_document::{Body, Map, MapId, Outlet, Plants, Strands};
use nematon_figure::Nearest;
use nematon_geometry::{Mesh, On, Weigh, fill_closed, scatter};

/// Where something grows, and the way out of what it grows on there, about the body's own place.
pub(crate) struct Root {
    pub at: DVec3,
    pub out: DVec3,
}

/// What is said of where a body grows.
pub(crate) struct Grows<'a> {
    pub from: &'a Outlet,
    pub size: [f64; 2],
    pub spread: Option<&'a MapId>,
}

impl<'a> From<&'a Strands> for Grows<'a> {
    fn from(s: &'a Strands) -> Grows<'a> {
        Grows { from: &s.from, size: s.size, spread: s.spread.as_ref() }
    }
}

impl<'a> From<&'a Plants> for Grows<'a> {
    fn from(p: &'a Plants) -> Grows<'a> {
        Grows { from: &p.from, size: p.size, spread: p.spread.as_ref() }
    }
}

/// A surface that strands grow on.
pub(crate) struct Soil {
    /// As it is told, at the first frame.
    pub mesh: Mesh,
    /// From there to the world; none where it is about the body's own place.
    pub stands: Option<World>,
    /// Where the body stands.
    at: World,
    pub name: String,
}

impl Soil {
    pub fn place(&self, p: DVec3) -> DVec3 {
        match &self.stands {
            Some(w) => self.at.inverse(w.place(p.to_array())).into(),
            None => p,
        }
    }

    pub fn way(&self, p: DVec3) -> DVec3 {
        match &self.stands {
            Some(w) => self.at.back(w.direction(p.to_array())).into(),
            None => p,
        }
    }

    pub fn root(&self, on: &On) -> Root {
        let root = on_surface(&self.mesh, on);
        Root { at: self.place(root.at), out: self.way(root.out) }
    }

    /// Its points about the body's own place.
    pub fn placed(&self) -> Vec<[f32; 3]> {
        let positions = self.mesh.positions.iter().map(|p| self.place(DVec3::from(p.map(f64::from))));
        positions.map(|p| p.as_vec3().to_array()).collect()
    }

    /// All of it about the body's own place.
    pub fn skin(&self) -> Option<Skin> {
        let positions = self.placed();
        let mesh = Mesh { positions, triangles: self.mesh.triangles.clone(), ..Mesh::default() };
        Some(Skin { near: Nearest::of(mesh)? })
    }
}

/// A surface on which the nearest places are found.
pub(crate) struct Skin {
    pub near: Nearest,
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
pub(crate) fn soil(
    (scene, library): (&Stage, &dyn MeshLibrary),
    body: &Body,
    own: &Grows,
) -> Result<Option<Soil>, ShapeError> {
    let first = scene.frames.first as f64;
    let at = World::of(scene, &body.place, first);
    let Some(ground) = ground(scene, own.from, library).map_err(ShapeError::Ground)? else {
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

/// How places on a surface are chosen.
type Scatters<'a> = &'a dyn Fn((&[[f32; 3]], &[[u32; 3]]), usize, u32, Option<Weigh>) -> Vec<On>;

/// Places on a surface, spread by the body's map where it names one.
pub(crate) fn spread(
    (scene, library): (&Stage, &dyn MeshLibrary),
    body: &Body,
    own: &Grows,
    soil: &Soil,
    how: Scatters,
    count: u32,
    seed: u32,
) -> Result<Vec<On>, ShapeError> {
    let all = (&soil.mesh.positions[..], &soil.mesh.triangles[..]);
    weighed((scene, library), body, own, &|p| soil.place(p), &|weigh| how(all, count as usize, seed, weigh))
}

/// Places all through a closed surface, about the body's own place.
pub(crate) fn filled(
    (scene, library): (&Stage, &dyn MeshLibrary),
    body: &Body,
    own: &Grows,
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
    own: &Grows,
    about: &dyn Fn(DVec3) -> DVec3,
    how: &dyn Fn(Option<Weigh>) -> T,
) -> Result<T, ShapeError> {
    let Some(map) = own.spread.and_then(|id| body.maps.get(id)) else {
        return Ok(how(None));
    };
    let dyed = |positions: Vec<[f32; 3]>| dyed((scene, library), body, map, positions);
    // What can't be had is told of one place; then it is there for all.
    dyed(vec![[0.0; 3]])?;
    let weigh = |at: &[DVec3]| {
        let own = at.iter().map(|p| about(*p).as_vec3().to_array()).collect();
        dyed(own).unwrap_or_else(|_| vec![0.0; at.len()])
    };
    Ok(how(Some(&weigh)))
}

/// What a map of the body is at places about its own, at the first frame.
fn dyed(
    (scene, library): (&Stage, &dyn MeshLibrary),
    body: &Body,
    map: &Map,
    positions: Vec<[f32; 3]>,
) -> Result<Vec<f32>, ShapeError> {
    let mesh = Mesh { positions, ..Mesh::default() };
    let ground = maps::Ground { stage: scene, place: &body.place, mesh: &mesh, library };
    ground.dyed(map).map(|d| d.at(scene, scene.frames.first as f64))
}

/// What a map that the body names is at roots; 1 where it names none.
pub(crate) fn at_roots(
    with: (&Stage, &dyn MeshLibrary),
    body: &Body,
    map: Option<&MapId>,
    roots: &[Root],
) -> Result<Vec<f64>, ShapeError> {
    let Some(map) = map.and_then(|id| body.maps.get(id)) else { return Ok(vec![1.0; roots.len()]) };
    let found = dyed(with, body, map, roots.iter().map(|r| r.at.as_vec3().to_array()).collect())?;
    Ok(found.into_iter().map(f64::from).collect())
}

/// Where so many roots stand, on what there is to grow on; what names places names as many.
pub(crate) fn on_soil(
    with: (&Stage, &dyn MeshLibrary),
    body: &Body,
    own: &Grows,
    soil: Option<&Soil>,
    (count, seed): (u32, u32),
) -> Result<Vec<Root>, ShapeError> {
    if let Outlet::Points(points) = own.from {
        return Ok(points.iter().map(|p| Root { at: DVec3::from(*p), out: DVec3::Y }).collect());
    }
    let Some(soil) = soil else {
        // A patch that is a point or a line.
        let along = |k: u32| (f64::from(k) + 0.5) / f64::from(count) - 0.5;
        let at = |k: u32| DVec3::new(own.size[0] * along(k), 0.0, own.size[1] * along(k));
        return Ok((0..count).map(|k| Root { at: at(k), out: DVec3::Y }).collect());
    };
    let found = spread(with, body, own, soil, &scatter, count, seed)?;
    if found.is_empty() {
        let why = if own.spread.is_some() { NOWHERE } else { "which has a surface without any area" };
        return Err(ShapeError::Ground(format!("{} {why}", soil.name)));
    }
    Ok(found.iter().map(|on| soil.root(on)).collect())
}

pub(crate) const NOWHERE: &str = "where the map that spreads them is 0 everywhere";

fn on_surface(mesh: &Mesh, on: &On) -> Root {
    let [a, b, c] =
        mesh.triangles[on.triangle].map(|p| DVec3::from(mesh.positions[p as usize].map(f64::from)));
    let [u, v, w] = on.shares;
    Root { at: u * a + v * b + w * c, out: (b - a).cross(c - a).normalize_or(DVec3::Y) }
}
