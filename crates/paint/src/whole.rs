use crate::{Canvas, Touch};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What is done to all of a map at once.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Whole {
    /// A value everywhere.
    Fill(f32),
    /// A value on all that hangs together with a place.
    Flood {
        at: Touch,
        value: f32,
    },
    /// The largest of what is beside each point.
    Grow,
    /// The smallest.
    Shrink,
    /// Half way to the mean of what is beside each point.
    Smooth,
    /// Away from it by as much.
    Sharpen,
    Invert,
    /// What is painted on one side on the other too: across the middle of the rest shape along x (0), y (1) or z (2).
    Mirror(usize),
}

/// Weights after something is done to all of them.
pub fn whole(on: &Canvas, weights: &[f32], what: Whole) -> Vec<f32> {
    let each = |of: &dyn Fn(u32, f32) -> f32| -> Vec<f32> {
        weights.iter().enumerate().map(|(k, w)| of(k as u32, *w).clamp(0.0, 1.0)).collect()
    };
    let beside = |p: u32| on.beside(p).map(|q| weights[q as usize]);
    match what {
        Whole::Fill(v) => each(&|_, _| v),
        Whole::Flood { at, value } => {
            let mut out = weights.to_vec();
            let Some(corners) = on.rest.triangles.get(at.triangle as usize) else { return out };
            let (mut seen, mut next) = (vec![false; weights.len()], corners.to_vec());
            while let Some(p) = next.pop() {
                if !std::mem::replace(&mut seen[p as usize], true) {
                    out[p as usize] = value.clamp(0.0, 1.0);
                    next.extend(on.beside(p).filter(|q| !seen[*q as usize]));
                }
            }
            out
        }
        Whole::Grow => each(&|p, w| beside(p).fold(w, f32::max)),
        Whole::Shrink => each(&|p, w| beside(p).fold(w, f32::min)),
        Whole::Smooth => each(&|p, w| w + 0.5 * (on.mean(weights, p) - w)),
        Whole::Sharpen => each(&|p, w| w - 0.5 * (on.mean(weights, p) - w)),
        Whole::Invert => each(&|_, w| 1.0 - w),
        Whole::Mirror(axis) if axis < 3 => {
            let other = on.mirror(axis);
            each(&|p, w| w.max(weights[other[p as usize] as usize]))
        }
        Whole::Mirror(_) => weights.to_vec(),
    }
}
