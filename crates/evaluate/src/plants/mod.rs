//! Plants: where they grow, what they are like, and what the solver is told of them.
mod mesh;

pub use mesh::{limbs, plant_of};

use crate::kind::{Matters, Shapes};
use crate::maps;
use crate::resolve::{World, fields_at, place_body};
use crate::shape::{OfKind, gripped};
use crate::soil::{Grows, at_roots, on_soil, soil};
use crate::strands::{LEAST, of_map};
use crate::weather::Weather;
use crate::{MeshLibrary, ShapeError, Shaped, Stage};
use glam::{DQuat, DVec3};
use nematon_document::{Body, MAX_POINTS, Moment, Plants, Value};
use nematon_geometry::{Border, Density, Grown, Mesh, Modelled, Part, Placed, fill};
use nematon_solver::{Rest, Scaled, StrandRest};
use std::f64::consts::{PI, TAU};
use std::sync::Arc;

/// Rigidity against twist, as a share of that against bends: of round wood with a Poisson's ratio of a third.
const TWIST: f64 = 0.75;
/// A map makes none smaller than so much of its size.
const SMALLEST: f64 = 0.05;
/// What stands upright on a stalk must be held up by it with some room, m/s².
const UPRIGHT: f64 = 1.2 * 9.81;
/// A leaf is an ellipse: of the rectangle about it.
const ELLIPSE: f64 = 0.25 * PI;

/// What the solver is told of plants beside where they are.
#[derive(Clone, Debug)]
pub struct Stand {
    /// By point, of the segment that leads to it: how thick, metres.
    pub thick: Vec<f64>,
    pub parts: Vec<Part>,
    /// Leaves as long and as wide as that, heads as thick; metres.
    pub ends: Vec<[f64; 2]>,
    pub heads: Vec<u32>,
    /// How many points each plant has.
    pub each: usize,
    /// How large each is beside its species or its mesh, and how it stands in the world.
    pub placed: Vec<Placed>,
    /// What they are as, where that is a mesh.
    pub model: Option<Arc<Modelled>>,
    /// What pulls them at the first frame, m/s².
    pub gravity: [f32; 3],
}

impl Stand {
    /// Of a body of plants.
    pub fn of(shaped: &Shaped) -> Option<&Stand> {
        match &shaped.own {
            OfKind::Plants(stand) => Some(stand),
            OfKind::Cloth { .. } | OfKind::Drift { .. } | OfKind::Strands { .. } => None,
        }
    }
}

impl Shapes for Plants {
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

fn shape(scene: &Stage, body: &Body, own: &Plants, library: &dyn MeshLibrary) -> Result<Shaped, ShapeError> {
    let grows = Grows::from(own);
    let soil = soil((scene, library), body, &grows)?;
    let roots = on_soil((scene, library), body, &grows, soil.as_ref(), (own.count, own.seed))?;
    let large = at_roots((scene, library), body, own.large.as_ref(), &roots)?;
    let model = match &own.mesh {
        Some(m) => Some(library.modelled(m).map_err(ShapeError::Plant)?),
        None => None,
    };
    let grow = |k: usize, size: f64| -> Grown {
        match (&model, &own.species) {
            (Some(m), _) => m.grown.larger(size),
            (None, Some(s)) => s.grow(k, own.seed, size),
            (None, None) => Grown::default(),
        }
    };
    let own_size = own.mesh.as_ref().map_or(1.0, |m| m.size);
    let mut mesh = Mesh::default();
    let first = scene.frames.first as f64;
    let gravity = fields_at(scene, &[], first).gravity;
    let weighs = body.gravity.at(&scene.frames.moment(first)) as f32;
    let mut stand = Stand {
        thick: vec![],
        parts: vec![],
        ends: vec![],
        heads: vec![],
        each: 0,
        placed: vec![],
        model: model.clone(),
        gravity: gravity.map(|g| g * weighs),
    };
    let mut tips = vec![];
    let world = World::of(scene, &body.place, first);
    let straight = DVec3::from(world.back([0.0, 1.0, 0.0]));
    let (mut shortest, mut longest) = (f64::INFINITY, 0.0f64);
    for (k, (root, large)) in roots.iter().zip(large).enumerate() {
        let size = own_size * large.max(SMALLEST) * fill::varied(own.variation, k, own.seed);
        let grown = grow(k, size);
        let each = grown.points.len();
        if each.saturating_mul(roots.len()) > MAX_POINTS {
            let why = format!(
                "has {each} points of stems and leaves; {} plants would have {}, and the most is {MAX_POINTS}. Grow fewer, or ask for fewer segments",
                roots.len(),
                each * roots.len()
            );
            return Err(ShapeError::Plant(why));
        }
        let way = root.out.lerp(straight, own.upright).normalize_or(straight);
        // Of a species none is as another; a mesh is turned round, where there are several.
        let round = match (&model, roots.len()) {
            (Some(_), 2..) => TAU * fill::chance(own.seed, (1 << 43) + k as u64),
            _ => 0.0,
        };
        let turn = DQuat::from_rotation_arc(DVec3::Y, way) * DQuat::from_rotation_y(round);
        let from = mesh.positions.len() as u32;
        let mut tip = vec![true; each];
        for (j, up) in grown.up.iter().enumerate().skip(1) {
            tip[*up as usize] &= grown.parts[j] == Part::Leaf;
            let long = grown.points[j].distance(grown.points[*up as usize]);
            (shortest, longest) = (shortest.min(long), longest.max(long));
        }
        let wood = |j: &usize| *j > 0 && tip[*j] && grown.parts[*j] != Part::Leaf;
        tips.extend((0..each).filter(wood).map(|j| from + j as u32));
        mesh.positions
            .extend(grown.points.iter().map(|p: &DVec3| (root.at + turn.mul_vec3(*p)).as_vec3().to_array()));
        mesh.radii.extend(grown.thick.iter().map(|t| (0.5 * t) as f32));
        mesh.up.extend(&grown.up);
        mesh.strands.push(each as u32);
        stand.heads.extend(grown.heads.iter().map(|h| from + h));
        stand.thick.extend(grown.thick);
        stand.parts.extend(grown.parts);
        stand.ends.extend(grown.ends);
        stand.placed.push(Placed {
            skin: 0,
            size,
            turn: DQuat::from_array(world.turn) * turn,
            at: DVec3::from(world.place(root.at.to_array())),
        });
        stand.each = each;
    }
    let each = stand.each;
    if stand.ends.iter().any(|e| e[0] > 0.0) {
        mesh.ends = stand.ends.iter().map(|e| e.map(|c| c as f32)).collect();
    }
    let border = |name: &str, points: Vec<u32>| Border { name: name.into(), points, closed: false };
    let roots = (0..mesh.strands.len() as u32).map(|k| k * each as u32).collect();
    mesh.borders = vec![border("roots", roots), border("tips", tips)];
    let is = |part: Part| -> Vec<u32> {
        (0..stand.parts.len()).filter(|k| stand.parts[*k] == part).map(|k| k as u32).collect()
    };
    mesh.borders.push(border("stems", is(Part::Wood(0))));
    let leaves = is(Part::Leaf);
    if !leaves.is_empty() {
        mesh.borders.push(border("leaves", leaves));
    }
    if !stand.heads.is_empty() {
        mesh.borders.push(border("heads", stand.heads.clone()));
    }
    let mut placed = mesh.positions.clone();
    place_body(scene, &body.place, &mut placed);
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
    let own = OfKind::Plants(Arc::new(stand));
    Ok(Shaped { mesh, placed, maps, grips, follow: None, weather, own, density })
}

fn rest(body: &Body, own: &Plants, shaped: &Shaped, first: &Moment) -> StrandRest {
    let OfKind::Plants(stand) = &shaped.own else { return StrandRest::default() };
    let thicker = crate::matters::thicker(body, first);
    let s = own.wood();
    let each = stand.each;
    let all = 0..shaped.placed.len();
    let over = |what: Scaled, k: usize| of_map(&shaped.maps, what, k);
    let list = |number: &dyn Fn(usize) -> f64| all.clone().map(|k| number(k) as f32).collect::<Vec<f32>>();
    let area = |k: usize| ELLIPSE * stand.thick[k].powi(2);
    let leaf = |k: usize| s.leaf.filter(|_| stand.parts[k] == Part::Leaf);
    let blade = |k: usize| leaf(k).map_or(0.0, |_| ELLIPSE * stand.ends[k][0] * stand.ends[k][1]);
    let lump = |k: usize| leaf(k).map_or(0.0, |l| blade(k) * l.weight);
    let long = |k: usize| {
        let up = each * (k / each) + shaped.mesh.up[k] as usize;
        crate::strands::apart(shaped.placed[k], shaped.placed[up])
    };
    let bend = |k: usize| {
        let own = match leaf(k) {
            // As stiff as lets its weight swing as it says: half of its stalk bends.
            Some(l) => {
                let mass = lump(k) + 0.5 * long(k) * s.density * area(k);
                // No softer than what its weight would bend over where it stands upright.
                let swing = (TAU * l.swing).powi(2).max(UPRIGHT / long(k).max(1e-6));
                mass * long(k).powi(2) * swing * 0.5 * long(k)
            }
            // EI of a round one, I = π d⁴ / 64.
            None => s.modulus * PI * stand.thick[k].powi(4) / 64.0,
        };
        own * over(Scaled::Bend, k)
    };
    let mut lumps = list(&lump);
    for k in &stand.heads {
        let size = stand.placed[*k as usize / each].size;
        lumps[*k as usize] += (s.head * size.powi(3)) as f32;
    }
    let mut width = list(&|k| stand.thick[k]);
    for k in &stand.heads {
        // What a head catches is its segment's: as much as the ball that it is.
        let k = *k as usize;
        let ball = ELLIPSE * f64::from(shaped.mesh.ends[k][0]).powi(2);
        width[k] += (ball / long(k)) as f32;
    }
    let some = |list: Vec<f32>| if list.iter().any(|n| *n > 0.0) { list } else { vec![] };
    StrandRest {
        positions: shaped.placed.clone(),
        counts: shaped.mesh.strands.clone(),
        up: shaped.mesh.up.clone(),
        held: shaped.held(),
        set: true,
        line_density: list(&|k| s.density * area(k) * over(Scaled::ArealWeight, k).max(LEAST)),
        stretch: list(&|k| s.modulus * area(k)),
        bend: list(&bend),
        twist: list(&|k| TWIST * bend(k)),
        width,
        radius: vec![own.around as f32; shaped.placed.len()],
        drag: (own.drag.at(first) * thicker) as f32,
        along: 0.02,
        over: [Scaled::Drag, Scaled::Friction].map(|what| shaped.maps.of(what).to_vec()),
        damping: own.damping.at(first) as f32,
        inner: s.inner as f32,
        stands: own.stands.then_some(stand.gravity),
        lumps: some(lumps),
        blades: some(list(&blade)),
        blade_drag: s.leaf.map_or(0.0, |l| l.drag * thicker) as f32,
        friction: own.friction.at(first) as f32,
        ..StrandRest::default()
    }
}
