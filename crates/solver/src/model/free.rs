//! Loose points with a radius: weight, drag and contact, and nothing that holds them together.
//!
//! Drag is that of a ball, F = ½ ρ C π r² |u| u against the air that it meets (L. Prandtl, "Ergebnisse der
//! aerodynamischen Versuchsanstalt zu Göttingen", 1923, for the quadratic law), wholly implicit, so that a feather in a
//! gale never overshoots the gale.
use crate::AIR_DENSITY;
use crate::body::{Body, BuildError, Outside};
use crate::carriage::BALANCES;
use crate::inputs::FrameInputs;
use crate::model::Model;
use crate::parts::cut;
use crate::simd::Record;
use crate::state::State;
use crate::watch::{Phase, Watch};
use rayon::prelude::*;

/// Points that one thread takes at least.
const RUN: usize = 2048;
/// Contact fills up groups with them.
const SPARES: usize = 8;

/// Loose points before they move. Arrays are indexed by point.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct FreeRest {
    /// Where each starts, metres.
    pub positions: Vec<[f32; 3]>,
    /// Metres, above 0.
    pub radii: Vec<f32>,
    /// kg, above 0.
    pub masses: Vec<f32>,
    /// Drag coefficient C of a ball: 0.47 for one that is smooth.
    pub drag: f32,
    /// Coulomb; the larger of this and the other's acts.
    pub friction: f32,
    /// What drag and friction are multiplied by for each; empty is 1 for all.
    pub over: [Vec<f32>; 2],
}

/// What air does to each point.
pub(crate) struct Free {
    /// ½ ρ π r² / m, 1/m, by place.
    caught: Vec<f32>,
    drag: f32,
}

pub(crate) fn build(rest: &FreeRest) -> Result<Body, BuildError> {
    check(rest)?;
    let parts = cut(&rest.positions);
    let by_place = |of: &[f32]| -> Vec<f32> {
        if of.is_empty() { vec![] } else { parts.order.iter().map(|&p| of[p as usize]).collect() }
    };
    let (radii, mass) = (by_place(&rest.radii), by_place(&rest.masses));
    let mut records: Vec<Record> = parts
        .order
        .iter()
        .zip(&mass)
        .map(|(&p, m)| {
            let [x, y, z] = rest.positions[p as usize];
            Record([x, y, z, 1.0 / m])
        })
        .collect();
    records.resize(records.len() + SPARES, Record::default());
    let most = radii.iter().copied().fold(0.0, f32::max);
    let area = |r: f32| std::f32::consts::PI * r * r;
    let [drags, rubs] = [by_place(&rest.over[0]), by_place(&rest.over[1])];
    let over = |k: usize| drags.get(k).copied().unwrap_or(1.0);
    let each = radii.iter().zip(&mass).enumerate();
    let caught = each.map(|(k, (r, m))| 0.5 * AIR_DENSITY * area(*r) * over(k) / m);
    let alike = radii.iter().all(|r| *r == most);
    Ok(Body {
        places: parts.places(),
        rest: records,
        held: false,
        apart: 2.0 * radii.iter().sum::<f32>() / radii.len() as f32,
        damping: 0.0,
        damped: vec![],
        airy: rest.drag > 0.0,
        outside: Outside {
            elements: (0..radii.len() as u32).map(|p| [p; 3]).collect(),
            shape: None,
            half: most,
            friction: rest.friction,
            maps: [if alike { vec![] } else { radii.iter().map(|r| r / most).collect() }, rubs],
        },
        model: Model::Free(Free { caught: caught.collect(), drag: rest.drag }),
        mass,
        area: radii.iter().map(|r| area(*r)).collect(),
        parts,
    })
}

/// What the sub-steps of a frame have in common.
pub(crate) struct Begun<'a> {
    model: &'a Free,
    drag: f32,
    dt: f32,
}

impl<'a> Begun<'a> {
    pub fn new(model: &'a Free, number: usize, frame: &FrameInputs, dt: f32) -> Self {
        Begun { model, drag: frame.matter_of(number).map_or(model.drag, |now| now.drag), dt }
    }

    pub fn relax(&self, state: &mut State, watch: &dyn Watch) {
        if self.drag == 0.0 {
            return;
        }
        let h = BALANCES[usize::from(state.goes_on(self.dt))] * self.dt;
        let n = state.points;
        watch.during(Phase::Membrane, || {
            let each = state.gained[..n].par_iter_mut().zip(&state.v[..n]).zip(&state.air[..n]);
            each.zip(&self.model.caught).with_min_len(RUN).for_each(|(((gained, v), air), caught)| {
                let u: [f32; 3] = std::array::from_fn(|c| air.0[c] - v.0[c]);
                let speed = (u[0] * u[0] + u[1] * u[1] + u[2] * u[2]).sqrt();
                // What is left of u: s = |u| / (1 + h caught s).
                let a = h * self.drag * caught;
                let left = 2.0 * speed / (1.0 + (1.0 + 4.0 * a * speed).sqrt());
                let k = a * left;
                (0..3).for_each(|c| gained.0[c] += h * (k / (1.0 + k)) * u[c]);
            });
        });
    }
}

fn check(rest: &FreeRest) -> Result<(), BuildError> {
    let FreeRest { positions, radii, masses, drag, friction, over } = rest;
    let n = positions.len();
    if n == 0 {
        return Err(BuildError::Empty("point"));
    }
    for (what, list) in [("radii", radii), ("masses", masses)] {
        if list.len() != n {
            return Err(BuildError::Lengths { what, found: list.len(), expected: n });
        }
        if let Some(&value) = list.iter().find(|v| !(v.is_finite() && **v > 0.0)) {
            return Err(BuildError::Matter { what, value, limit: "above 0" });
        }
    }
    for (what, list) in ["drag by a map", "friction by a map"].into_iter().zip(over) {
        if !list.is_empty() && list.len() != n {
            return Err(BuildError::Lengths { what, found: list.len(), expected: n });
        }
        if let Some(&value) = list.iter().find(|v| !(v.is_finite() && **v >= 0.0)) {
            return Err(BuildError::Matter { what, value, limit: "not below 0" });
        }
    }
    if let Some(point) = positions.iter().position(|p| p.iter().any(|c| !c.is_finite())) {
        return Err(BuildError::NotFinite { point });
    }
    for (what, value) in [("drag", *drag), ("friction", *friction)] {
        if !(value.is_finite() && value >= 0.0) {
            return Err(BuildError::Matter { what, value, limit: "not below 0" });
        }
    }
    Ok(())
}
