//! Loose points with a radius: weight, drag and contact, and nothing that holds them together.
//!
//! Drag is that of a ball, F = ½ ρ C π r² |u| u against the air that it meets (L. Prandtl, "Ergebnisse der
//! aerodynamischen Versuchsanstalt zu Göttingen", 1923, for the quadratic law), wholly implicit, so that a feather in a
//! gale never overshoots the gale.
use crate::AIR_DENSITY;
use crate::body::{Body, BuildError, Features, Outside};
use crate::carriage::BALANCES;
use crate::inputs::{FrameInputs, Gas};
use crate::measure::{Energy, Strain};
use crate::model::{Holds, Lasts, Model, Steps};
use crate::parts::{Parts, cut};
use crate::simd::Record;
use crate::snags::Snag;
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
    /// Where points come and leave.
    pub comes: Option<Comes>,
}

/// Of points that come and leave: those of the first frame come first, the others as frames tell (`Comings`). Nothing else
/// about those that are still to come is looked at before, nor how many they are.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Comes {
    /// How many are there at first.
    pub there: usize,
    /// The radius of the largest that may come, metres.
    pub largest: f32,
}

/// What air does to each point.
pub(crate) struct Free {
    /// ½ ρ π r² / m, 1/m, by place.
    caught: Vec<f32>,
    drag: f32,
}

pub(crate) fn build(rest: &FreeRest) -> Result<Body, BuildError> {
    check(rest)?;
    let parts = match rest.comes {
        // By when they come: what comes later changes nothing about what is there.
        Some(_) => Parts::in_order(rest.positions.len()),
        None => cut(&rest.positions),
    };
    let there = rest.comes.map_or(usize::MAX, |c| c.there);
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
            Record([x, y, z, if (p as usize) < there { 1.0 / m } else { 0.0 }])
        })
        .collect();
    records.resize(records.len() + SPARES, Record::default());
    let most = rest.comes.map_or_else(|| radii.iter().copied().fold(0.0, f32::max), |c| c.largest);
    let area = |r: f32| std::f32::consts::PI * r * r;
    let [drags, rubs] = [by_place(&rest.over[0]), by_place(&rest.over[1])];
    let over = |k: usize| drags.get(k).copied().unwrap_or(1.0);
    let each = radii.iter().zip(&mass).enumerate();
    let caught = each.map(|(k, (r, m))| 0.5 * AIR_DENSITY * area(*r) * over(k) / m);
    let alike = rest.comes.is_none() && radii.iter().all(|r| *r == most);
    Ok(Body {
        places: parts.places(),
        rest: records,
        held: false,
        comes: rest.comes.is_some(),
        apart: match rest.comes {
            Some(_) => 2.0 * most,
            None => 2.0 * radii.iter().sum::<f32>() / radii.len() as f32,
        },
        damping: 0.0,
        damped: vec![],
        airy: rest.drag > 0.0,
        outside: Outside {
            features: Features { points: (0..radii.len() as u32).collect(), ..Features::default() },
            shape: None,
            half: most,
            friction: rest.friction,
            maps: [if alike { vec![] } else { radii.iter().map(|r| r / most).collect() }, rubs],
        },
        model: Model::Free(Box::new(Free { caught: caught.collect(), drag: rest.drag })),
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

impl Holds for Free {
    type Own = Own;
    type Begun<'a> = Begun<'a>;

    fn own(&self, _: &Body) -> Own {
        Own
    }
    fn size(&self) -> usize {
        0
    }
    fn begin<'a>(&'a self, _: &'a Body, number: usize, frame: &'a FrameInputs, dt: f32) -> Begun<'a> {
        Begun { model: self, drag: frame.matter_of(number).map_or(self.drag, |now| now.drag), dt }
    }
    fn constraints(&self) -> usize {
        0
    }
    fn strain(&self, _: &State, _: &Own) -> Strain {
        Strain::default()
    }
    fn energy(&self, _: &State, _: &Own, _: &mut Energy) {}
    fn snags(&self, _: (&Body, usize), _: &State, _: &Own, _: Option<&[[f32; 3]]>) -> Vec<Snag> {
        vec![]
    }
}

/// Loose points remember nothing beside where they are and how fast.
#[derive(Clone, Debug)]
pub(crate) struct Own;

impl Lasts for Own {
    fn write(&self, _: &mut Vec<u8>) {}
    fn read(&mut self, _: &[u8]) {}
    fn gas(&self) -> &[Gas] {
        &[]
    }
}

impl Steps for Begun<'_> {
    type Own = Own;

    fn start(&self, _: &mut Own) {}
    fn look(&self, _: f32, _: &mut State, _: &mut Own, _: &dyn Watch) {}
    fn relax(&self, _: f32, state: &mut State, _: &mut Own, watch: &dyn Watch) {
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
    fn settle(&self, _: f32, _: &mut State, _: &mut Own, _: &dyn Watch) -> f32 {
        0.0
    }
    fn met(&self, _: &mut State, _: &mut Own) {}
    fn finish(&self, _: &mut Own) {}
}

fn check(rest: &FreeRest) -> Result<(), BuildError> {
    let FreeRest { positions, radii, masses, drag, friction, over, comes: _ } = rest;
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
