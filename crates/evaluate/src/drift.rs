//! Loose pieces: where they start, and what the solver is told of them.
use crate::resolve::place_body;
use crate::{Shaped, Stage};
use nematon_document::{Body, Drift, Moment};
use nematon_geometry::{Density, Mesh, fill};
use nematon_solver::{FreeRest, Maps};

pub fn shape(scene: &Stage, body: &Body, own: &Drift) -> Shaped {
    let positions = fill::fill(own.size, own.count as usize, own.largest(), own.seed);
    let radii = (0..positions.len()).map(|k| (own.radius * fill::varied(own.variation, k, own.seed)) as f32);
    let mesh = Mesh { radii: radii.collect(), positions, ..Mesh::default() };
    let mut placed = mesh.positions.clone();
    place_body(scene, &body.place, &mut placed);
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
    Shaped { mesh, placed, rest: None, maps: Maps::default(), grips: vec![], follow: None, density }
}

pub fn rest(own: &Drift, shaped: &Shaped, first: &Moment) -> FreeRest {
    let weight = |radius: &f32| (own.weight * (f64::from(*radius) / own.radius).powi(3)) as f32;
    FreeRest {
        positions: shaped.placed.clone(),
        radii: shaped.mesh.radii.clone(),
        masses: shaped.mesh.radii.iter().map(weight).collect(),
        drag: own.drag.at(first) as f32,
        friction: own.friction.at(first) as f32,
    }
}
