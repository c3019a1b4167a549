//! What a matter is like in the hand: how a strip of it droops, what the body weighs, how it swings.
use crate::{MeshLibrary, ShapeError, Stage, shape};
use nematon_document::{Act, Body};
use nematon_geometry::material::{WarpAlong, material_coordinates};
use schemars::JsonSchema;
use serde::Serialize;

/// How far the strips hang over, metres.
const OVERHANG: f64 = 0.04;
/// Parts of a strip.
const PARTS: usize = 160;
/// Gravity where a scene has none, m/s².
const STANDARD: f64 = 9.81;

/// What a body would be like in the hand.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Feel {
    /// A strip along the warp that hangs over a table's edge by 40 mm: out and up from the edge, metres.
    pub droop_warp: Vec<[f64; 2]>,
    pub droop_weft: Vec<[f64; 2]>,
    /// (bending rigidity / weight) to the power 1/3, metres: warp, weft.
    pub bending_length: [f64; 2],
    /// Of the whole body, kg.
    pub mass: f64,
    /// m².
    pub area: f64,
    /// One swing to and fro when hung by its highest points, seconds.
    pub swing: f64,
    /// What pulls it down, m/s²; standard gravity where the scene has none.
    pub gravity: f64,
}

/// # Errors
/// When the body has no shape.
pub fn feel(scene: &Stage, body: &Body, library: &dyn MeshLibrary) -> Result<Feel, ShapeError> {
    let own = body.kind.cloth().ok_or(ShapeError::Loose)?;
    let shaped = shape(scene, body, library)?;
    let gravity = pull(scene);
    let area: f64 = material_coordinates(&shaped.mesh, WarpAlong::U)
        .iter()
        .map(|[_, b, c]| 0.5 * f64::from(b[0] * c[1] - b[1] * c[0]).abs())
        .sum();
    let m = &own.matter;
    let weight = m.areal_weight * gravity;
    let (lo, hi) = shaped.placed.iter().fold((f32::MAX, f32::MIN), |(a, b), p| (a.min(p[1]), b.max(p[1])));
    let (low, high) = shaped.mesh.bounds();
    let widest = (0..3).map(|k| f64::from(high[k] - low[k])).fold(0.0, f64::max);
    // One that lies level hangs by a border.
    let hang = if f64::from(hi - lo) > 0.05 * widest { f64::from(hi - lo) } else { widest };
    Ok(Feel {
        droop_warp: droop(m.bend_warp, weight, OVERHANG),
        droop_weft: droop(m.bend_weft, weight, OVERHANG),
        bending_length: [m.bend_warp, m.bend_weft].map(|d| (d / weight).cbrt()),
        mass: area * m.areal_weight,
        area,
        swing: swing(hang, gravity),
        gravity,
    })
}

/// What one of a body's strands would be like in the hand.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct FibreFeel {
    /// A straight one of the mean length held level: out and up from where it is held, metres.
    pub droop: Vec<[f64; 2]>,
    /// m.
    pub length: f64,
    /// Of all strands, kg.
    pub mass: f64,
    /// How fast it springs to and fro where it is held, Hz.
    pub frequency: f64,
}

/// # Errors
/// When the body is not of strands.
pub fn fibre_feel(scene: &Stage, body: &Body) -> Result<FibreFeel, ShapeError> {
    let own = body.kind.strands().ok_or(ShapeError::Loose)?;
    let gravity = pull(scene);
    let width = |s: f64| own.diameter * (1.0 - own.taper * s);
    let line = |s: f64| own.density * 0.25 * std::f64::consts::PI * width(s).powi(2);
    let bend = |s: f64| own.modulus * std::f64::consts::PI * width(s).powi(4) / 64.0;
    let h = own.length / PARTS as f64;
    let middle = |k: usize| (k as f64 + 0.5) / PARTS as f64;
    let beyond: Vec<f64> = (0..=PARTS).map(|k| (k..PARTS).map(|j| h * line(middle(j))).sum()).collect();
    // By Rayleigh's quotient, with the shape that its own weight would bend it to if that were little: g ∫ λ y / ∫ λ y².
    let (mut slope, mut y, mut sums) = (0.0, 0.0, (0.0, 0.0));
    for k in 0..PARTS {
        let moment: f64 = (k..PARTS).map(|j| h * line(middle(j)) * h * (j - k) as f64).sum();
        slope += h * moment * STANDARD / bend(middle(k)).max(1e-18);
        y += h * slope;
        sums = (sums.0 + h * line(middle(k)) * y, sums.1 + h * line(middle(k)) * y * y);
    }
    Ok(FibreFeel {
        droop: drooped(bend, |k| gravity * beyond[k], own.length),
        length: own.length,
        mass: beyond[0] * f64::from(own.count),
        frequency: (STANDARD * sums.0 / sums.1.max(1e-30)).sqrt() / std::f64::consts::TAU,
    })
}

/// What pulls a scene's bodies down at first, m/s²; standard gravity where nothing does.
fn pull(scene: &Stage) -> f64 {
    let first = scene.frames.moment(scene.frames.first as f64);
    let strength = |f: &nematon_document::Field| match &f.act {
        Act::Gravity(g) if f.on => g.strength.at(&first) * f.share.at(&first),
        _ => 0.0,
    };
    let pull: f64 = scene.fields.values().map(strength).sum();
    if pull.abs() > 1e-3 { pull.abs() } else { STANDARD }
}

/// Seconds of the slowest swing of a sheet of height `hang`, that of a hanging chain: 2 L^1/2 / (j g^1/2) x 2 pi, j the first
/// zero of J0 (D. Bernoulli 1732; H. Lamb, Statics, 1912).
pub fn swing(hang: f64, gravity: f64) -> f64 {
    const J: f64 = 2.404_825_557_695_773;
    4.0 * std::f64::consts::PI / J * (hang / gravity).sqrt()
}

/// A strip clamped level that hangs over by `length` under its weight (N/m²): the heavy elastica D t'' = -w (L - s) cos t,
/// t(0) = 0, t'(L) = 0 (W. G. Bickley 1934), by Newton's steps on centred differences.
pub fn droop(bend: f64, weight: f64, length: f64) -> Vec<[f64; 2]> {
    let h = length / PARTS as f64;
    drooped(|_| bend, |k| weight * (length - k as f64 * h), length)
}

/// The same of what is not alike from end to end: its rigidity at a share of its length, and the weight beyond each part of it.
fn drooped(bend: impl Fn(f64) -> f64, load: impl Fn(usize) -> f64, length: f64) -> Vec<[f64; 2]> {
    let h = length / PARTS as f64;
    // Between a part and the one before it.
    let d = |k: usize| bend((k as f64 - 0.5) / PARTS as f64).max(1e-18) / (h * h);
    // Angles below level; the limp answer to begin with, from where Newton's steps don't overshoot.
    let mut t = vec![std::f64::consts::FRAC_PI_2; PARTS + 1];
    t[0] = 0.0;
    for _ in 0..60 {
        let mut sweep: Vec<(f64, f64)> = vec![(0.0, 0.0)];
        for k in 1..=PARTS {
            // At the free end the next angle is the one before it.
            let (before, after) = (d(k), if k == PARTS { d(k) } else { d(k + 1) });
            let (next, upper) = if k == PARTS { (t[k - 1], 0.0) } else { (t[k + 1], after) };
            let lower = if k == PARTS { 2.0 * before } else { before };
            let rest = before * (t[k - 1] - t[k]) + after * (next - t[k]) + load(k) * t[k].cos();
            let diagonal = -before - after - load(k) * t[k].sin();
            let (c, r) = sweep[k - 1];
            let pivot = diagonal - lower * c;
            sweep.push((upper / pivot, (-rest - lower * r) / pivot));
        }
        let (mut step, mut most) = (0.0, 0.0f64);
        for k in (1..=PARTS).rev() {
            step = sweep[k].1 - sweep[k].0 * step;
            let to = (t[k] + step).clamp(0.0, std::f64::consts::FRAC_PI_2);
            most = most.max((to - t[k]).abs());
            t[k] = to;
        }
        if most < 1e-9 {
            break;
        }
    }
    let mut at = [0.0, 0.0];
    let mut out = vec![at];
    for w in t.windows(2) {
        let middle = 0.5 * (w[0] + w[1]);
        at = [at[0] + h * middle.cos(), at[1] - h * middle.sin()];
        out.push(at);
    }
    out.into_iter().step_by(4).collect()
}
