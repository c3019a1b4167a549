//! Loose pieces: where they start, and what the solver is told of them.
use crate::kind::{Matters, Shapes};
use crate::maps::Ground;
use crate::resolve::place_body;
use crate::shape::OfKind;
use crate::shed::Shedding;
use crate::source::Coming;
use crate::{MeshLibrary, ShapeError, Shaped, Stage};
use nematon_document::{Body, Drift, Flies, Moment, Value};
use nematon_geometry::{Density, Mesh, fill};
use nematon_solver::{Comes, Flier, FliesRest, FreeRest, Rest, Scaled};
use std::sync::Arc;

impl Shapes for Drift {
    fn shape(&self, scene: &Stage, body: &Body, library: &dyn MeshLibrary) -> Result<Shaped, ShapeError> {
        shape(scene, body, self, library)
    }

    fn rest(&self, body: &Body, shaped: &Shaped, first: &Moment) -> Rest {
        Rest::Free(Box::new(rest(body, self, shaped, first)))
    }

    fn matters(&self) -> Matters {
        let nothing = Value::default;
        Matters {
            damping: nothing(),
            drag: self.drag.clone(),
            lift: nothing(),
            friction: self.friction.clone(),
        }
    }

    fn around(&self) -> f64 {
        self.flies.thin().map_or_else(|| self.largest(), |t| 0.5 * t.thickness)
    }
}

fn shape(scene: &Stage, body: &Body, own: &Drift, library: &dyn MeshLibrary) -> Result<Shaped, ShapeError> {
    let coming = own.source.as_ref().map(|s| Coming::of(scene, body, own, s).map(Arc::new)).transpose()?;
    let shed = own.shed.as_ref().map(|s| Shedding::of(scene, own, s, library).map(Arc::new)).transpose()?;
    // Where none comes one stands for all that could: a body has a point at least.
    let some = |(own, placed): (Vec<[f32; 3]>, Vec<[f32; 3]>)| match placed.is_empty() {
        true => (vec![[0.0; 3]], vec![[0.0; 3]]),
        false => (own, placed),
    };
    let (positions, placed) = match (&coming, &shed) {
        (Some(c), _) => some((c.own(scene, body), c.places(scene))),
        (None, Some(s)) => some((s.own(scene, body), s.places.clone())),
        (None, None) => {
            let positions = fill::fill(own.size, own.count as usize, own.largest(), own.seed);
            let mut placed = positions.clone();
            place_body(scene, &body.place, &mut placed);
            (positions, placed)
        }
    };
    let radius = |k: usize| own.radius * fill::varied(own.variation, k, own.seed);
    let leaf = |k: usize| shed.as_ref().and_then(|s| s.leaves.get(k));
    let thin = own.flies.thin();
    let ends = match thin {
        Some(_) => (0..positions.len())
            .map(|k| leaf(k).map_or([2.0 * radius(k); 2], |l| [l[0], l[1]]).map(|c| c as f32))
            .collect(),
        None => vec![],
    };
    let radii = (0..positions.len()).map(|k| match thin {
        Some(t) => 0.5 * t.thickness,
        None => leaf(k).map_or(radius(k), |l| 0.5 * (l[0] * l[1]).sqrt()),
    } as f32);
    let piece = match &own.mesh {
        Some(from) => {
            let found = library.mesh(from).map_err(ShapeError::Mesh)?;
            Some(piece(&found)?)
        }
        None => None,
    };
    let mesh = Mesh { radii: radii.collect(), ends, positions, piece, ..Mesh::default() };
    // A piece is as fine as it is small.
    let across = match shed.as_ref().map(|s| &s.leaves).filter(|l| !l.is_empty()) {
        Some(leaves) => leaves.iter().map(|l| l[0].min(l[1])).fold(f64::INFINITY, f64::min) as f32,
        None => (2.0 * own.radius * (1.0 - own.variation)) as f32,
    };
    let density = Density {
        points: placed.len(),
        triangles: 0,
        shortest_edge: across,
        longest_edge: across,
        smallest_fold: 0.0,
        coarse: false,
    };
    let ground = Ground { stage: scene, place: &body.place, mesh: &mesh, library };
    let (maps, weather) = (crate::maps::maps(&ground, body)?, crate::weather::Weather::of(&ground, body)?);
    let own = OfKind::Drift { coming, shed };
    Ok(Shaped { mesh, placed, maps, grips: vec![], follow: None, weather, own, density })
}

/// Triangles that a piece has at most: each is drawn as often as there are pieces.
const MOST: usize = 5_000;

fn longest(of: &Mesh) -> f32 {
    let (lo, hi) = of.bounds();
    (0..3).map(|c| hi[c] - lo[c]).fold(0.0, f32::max)
}

/// Why pieces can't be seen as a mesh.
pub fn piece_fault(from: &Mesh) -> Option<String> {
    let (n, long) = (from.triangles.len(), longest(from));
    if n == 0 || !(long > 0.0 && long.is_finite()) {
        return Some("the mesh has no faces that a piece could be seen by".into());
    }
    (n > MOST).then(|| format!("the mesh has {n} triangles; the most of a loose piece is {MOST}. Reduce it"))
}

/// A mesh as pieces are seen as it.
fn piece(from: &Mesh) -> Result<Arc<Mesh>, ShapeError> {
    if let Some(why) = piece_fault(from) {
        return Err(ShapeError::Mesh(why));
    }
    let ((lo, hi), long) = (from.bounds(), longest(from));
    let mut own = from.clone();
    let middle: [f32; 3] = std::array::from_fn(|c| 0.5 * (lo[c] + hi[c]));
    own.positions.iter_mut().for_each(|p| *p = std::array::from_fn(|c| (p[c] - middle[c]) / long));
    Ok(Arc::new(own))
}

fn rest(body: &Body, own: &Drift, shaped: &Shaped, first: &Moment) -> FreeRest {
    let thicker = crate::matters::thicker(body, first);
    let times = shaped.maps.of(Scaled::ArealWeight);
    let shed = shaped.shed();
    let leaf = |k: usize| shed.and_then(|s| s.leaves.get(k));
    let count = shaped.placed.len();
    let radius = |k: usize| own.radius * fill::varied(own.variation, k, own.seed);
    let weight = |k: usize| {
        let times = times.get(k).map_or(1.0, |t| f64::from(*t).max(LEAST));
        let own = leaf(k).map_or_else(|| own.weight * (radius(k) / own.radius).powi(3), |l| l[2]);
        (times * own) as f32
    };
    let seen = |k: usize| leaf(k).map_or_else(|| radius(k), |l| 0.5 * (l[0] * l[1]).sqrt()) as f32;
    let flier = match own.flies {
        Flies::Ball => None,
        Flies::Plate(_) => Some(Flier::Plate),
        Flies::Wing(_) => Some(Flier::Wing),
    };
    // Any way, evenly (K. Shoemake, "Uniform random rotations", 1992).
    let turn = |k: usize| {
        let [a, b, c] = [0, 1, 2].map(|of| fill::chance(own.seed, (1 << 45) + 4 * k as u64 + of));
        let ([s, t], [p, q]) = ([1.0 - a, a].map(f64::sqrt), [b, c].map(|c| std::f64::consts::TAU * c));
        let ((sp, cp), (sq, cq)) = (libm::sincos(p), libm::sincos(q));
        [s * sp, s * cp, t * sq, t * cq].map(|c| c as f32)
    };
    FreeRest {
        positions: shaped.placed.clone(),
        radii: shaped.mesh.radii.clone(),
        masses: (0..count).map(weight).collect(),
        drag: (own.drag.at(first) * thicker) as f32,
        friction: own.friction.at(first) as f32,
        over: [Scaled::Drag, Scaled::Friction].map(|what| shaped.maps.of(what).to_vec()),
        comes: (shaped.coming().is_some() || shed.is_some()).then(|| Comes {
            there: 0,
            largest: match own.flies.thin() {
                Some(t) => 0.5 * t.thickness as f32,
                None => shaped.mesh.radii.iter().copied().fold(own.largest() as f32, f32::max),
            },
        }),
        flies: flier.map(|flier| FliesRest {
            flier,
            radii: (0..count).map(seen).collect(),
            turns: (0..count).map(turn).collect(),
        }),
        // Where there is nothing to let go, nothing is.
        shed: shed.map(|s| s.rest.clone()).filter(|s| s.sites.len() == count),
    }
}

/// What a piece weighs at least, as a share of its own weight: what weighs nothing can't be moved.
const LEAST: f64 = 1e-3;
