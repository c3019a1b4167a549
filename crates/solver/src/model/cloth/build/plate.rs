//! All patches of a body as one system.
use crate::model::cloth::constraint::patch::Patch;
use crate::model::cloth::elimination::{Factor, Matrix};
use crate::simd::Record;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};

/// Sweeps serve up to so large a ratio of a sub-step's bending to inertia; beyond it they fall short: one sweep meets what
/// bends softer by that ratio (a curled strip at a ratio of a quarter droops by 4 % of its length too far).
const MOST_FOR_SWEEPS: f64 = 0.1;

/// The patches of a body and their system, eliminated for each sub-step's length that was asked for.
pub struct Plate {
    patches: Vec<Patch>,
    /// Where the points start, with inverse masses.
    rest: Vec<Record>,
    /// Largest Σ w a² c, 1/s².
    stiffest: f64,
    /// By the bits of dt. `None` where sweeps do, or the system is too large.
    known: Mutex<BTreeMap<u32, Option<Arc<Factor>>>>,
}

impl Plate {
    pub fn of(patches: Vec<Patch>, rest: &[Record]) -> Plate {
        let stiffest = patches
            .iter()
            .flat_map(|p| {
                (0..3).map(|m| {
                    let w = |i: usize| f64::from(rest[p.point[i] as usize].0[3]) * p.weight[m][i].powi(2);
                    p.stiffness[m] * (0..6).map(w).sum::<f64>()
                })
            })
            .fold(0.0, f64::max);
        let rest = if patches.is_empty() { vec![] } else { rest.to_vec() };
        Plate { patches, rest, stiffest, known: Mutex::default() }
    }

    /// The system of a sub-step of `dt` seconds, where sweeps would fall short.
    pub fn direct(&self, dt: f32) -> Option<Arc<Factor>> {
        if self.stiffest * f64::from(dt) * f64::from(dt) < MOST_FOR_SWEEPS {
            return None;
        }
        let mut known = self.known.lock().unwrap_or_else(PoisonError::into_inner);
        known.entry(dt.to_bits()).or_insert_with(|| self.eliminate(f64::from(dt)).map(Arc::new)).clone()
    }

    fn eliminate(&self, dt: f64) -> Option<Factor> {
        let n = self.rest.len();
        let weight = |p: u32| f64::from(self.rest[p as usize].0[3]);
        let mut a = Matrix { diagonal: vec![1.0; n], beside: vec![vec![]; n] };
        (0..n).filter(|&p| weight(p as u32) > 0.0).for_each(|p| a.diagonal[p] = 1.0 / weight(p as u32));
        for p in &self.patches {
            for m in 0..3 {
                for i in 0..6 {
                    for j in 0..6 {
                        let (q, r) = (p.point[i], p.point[j]);
                        let v = dt * dt * p.stiffness[m] * p.weight[m][i] * p.weight[m][j];
                        match weight(q) > 0.0 && weight(r) > 0.0 {
                            true if i == j => a.diagonal[q as usize] += v,
                            true => a.beside[q as usize].push((r, v)),
                            false => (),
                        }
                    }
                }
            }
        }
        a.tidy(1.0);
        let places: Vec<[f32; 3]> = self.rest.iter().map(Record::xyz).collect();
        Factor::of(&a, &places)
    }
}
