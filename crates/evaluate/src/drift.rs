//! Loose pieces: where they start, and what the solver is told of them.
use crate::kind::{Matters, Shapes};
use crate::maps::Ground;
use crate::resolve::place_body;
use crate::shape::OfKind;
use crate::source::Coming;
use crate::{MeshLibrary, ShapeError, Shaped, Stage};
use nematon_document::{Body, Drift, Moment, Value};
use nematon_geometry::{Density, Mesh, fill};
use nematon_solver::{Comes, FreeRest, Rest, Scaled};
use std::sync::Arc;

impl Shapes for Drift {
    fn shape(&self, scene: &Stage, body: &Body, library: &dyn MeshLibrary) -> Result<Shaped, ShapeError> {
        shape(scene, body, self, library)
    }

    fn rest(&self, body: &Body, shaped: &Shaped, first: &Moment) -> Rest {
        Rest::Free(rest(body, self, shaped, first))
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
        self.largest()
    }
}

fn shape(scene: &Stage, body: &Body, own: &Drift, library: &dyn MeshLibrary) -> Result<Shaped, ShapeError> {
    let coming = own.source.as_ref().map(|s| Coming::of(scene, body, own, s).map(Arc::new)).transpose()?;
    let (positions, placed) = match &coming {
        // Where none comes one stands for all that could: a body has a point at least.
        Some(c) if c.is_empty() => (vec![[0.0; 3]], vec![[0.0; 3]]),
        Some(c) => (c.own(scene, body), c.places(scene)),
        None => {
            let positions = fill::fill(own.size, own.count as usize, own.largest(), own.seed);
            let mut placed = positions.clone();
            place_body(scene, &body.place, &mut placed);
            (positions, placed)
        }
    };
    let radii = (0..positions.len()).map(|k| (own.radius * fill::varied(own.variation, k, own.seed)) as f32);
    let mesh = Mesh { radii: radii.collect(), positions, ..Mesh::default() };
    // A piece is as fine as it is small.
    let across = (2.0 * own.radius * (1.0 - own.variation)) as f32;
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
    let own = OfKind::Drift { coming };
    Ok(Shaped { mesh, placed, maps, grips: vec![], follow: None, weather, own, density })
}

fn rest(body: &Body, own: &Drift, shaped: &Shaped, first: &Moment) -> FreeRest {
    let thicker = crate::matters::thicker(body, first);
    let times = shaped.maps.of(Scaled::ArealWeight);
    let weight = |(k, radius): (usize, &f32)| {
        let times = times.get(k).map_or(1.0, |t| f64::from(*t).max(LEAST));
        (times * own.weight * (f64::from(*radius) / own.radius).powi(3)) as f32
    };
    FreeRest {
        positions: shaped.placed.clone(),
        radii: shaped.mesh.radii.clone(),
        masses: shaped.mesh.radii.iter().enumerate().map(weight).collect(),
        drag: (own.drag.at(first) * thicker) as f32,
        friction: own.friction.at(first) as f32,
        over: [Scaled::Drag, Scaled::Friction].map(|what| shaped.maps.of(what).to_vec()),
        comes: shaped.coming().map(|_| Comes { there: 0, largest: own.largest() as f32 }),
    }
}

/// What a piece weighs at least, as a share of its own weight: what weighs nothing can't be moved.
const LEAST: f64 = 1e-3;
