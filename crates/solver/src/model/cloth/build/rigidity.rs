//! From rigidities in N·m to a stiffness for each hinge.
//!
//! A hinge sees only the part of a curvature that folds about its edge, and how much of a bend falls
//! on which edges is a matter of the mesh. So the hinges are calibrated: with the surface bent into
//! each of the three unit curvatures (along warp, along weft, twist), the energy of all hinges must be
//! that of the plate, ½ ∫ D_u κ_uu² + D_v κ_vv² + 2 √(D_u D_v) κ_uv². Three factors, one for each way
//! an edge can face, are found for the body as a whole; on a regular mesh that makes it right
//! everywhere. (The factor 3 of E. Grinspun et al., "Discrete Shells", 2003, is right only for
//! meshes without a preferred direction.)
use super::hinges::RestHinge;

/// Stiffness c of each hinge, N·m/m².
pub fn stiffnesses(hinges: &[RestHinge], bend: [f64; 2]) -> Vec<f64> {
    let between = (bend[0] * bend[1]).sqrt();
    let shares: Vec<[f64; 3]> = hinges.iter().map(share).collect();
    let folds: Vec<[f64; 3]> = hinges.iter().map(fold_squares).collect();
    let rigidity = [bend[0], bend[1], between];
    // Energy, twice, of each unit curvature by the hinges of each facing, and what the plate has.
    // A hinge stands for a third of its triangles' area: each triangle has three.
    let total: f64 = hinges.iter().map(|h| h.area / 3.0).sum();
    let wanted = [bend[0] * total, bend[1] * total, 2.0 * between * total];
    let mut have = [[0.0f64; 3]; 3];
    for (h, (s, f)) in hinges.iter().zip(shares.iter().zip(&folds)) {
        for mode in 0..3 {
            for facing in 0..3 {
                have[mode][facing] += rigidity[facing] * s[facing] * f[mode] / h.area;
            }
        }
    }
    let factor = nonnegative(have, wanted);
    hinges
        .iter()
        .zip(&shares)
        .map(|(h, s)| {
            let c = (0..3).map(|k| factor[k] * rigidity[k] * s[k]).sum::<f64>() / h.area;
            // At a clamp only one side bends, over half the length: twice as stiff.
            if h.free > 0.0 { c * h.area / h.free } else { 0.0 }
        })
        .collect()
}

/// How far an edge faces warp, weft, or between: m_u⁴, m_v⁴, 2 m_u² m_v² of its normal in the plane.
fn share(h: &RestHinge) -> [f64; 3] {
    let (e, l2) = edge(h);
    let (u2, v2) = (e[1] * e[1] / l2, e[0] * e[0] / l2);
    [u2 * u2, v2 * v2, 2.0 * u2 * v2]
}

fn edge(h: &RestHinge) -> ([f64; 2], f64) {
    let e = [h.flat[1][0] - h.flat[0][0], h.flat[1][1] - h.flat[0][1]];
    (e, e[0] * e[0] + e[1] * e[1])
}

/// |K|² of the hinge on the surfaces ½u², ½v² and uv.
fn fold_squares(h: &RestHinge) -> [f64; 3] {
    let on = |z: fn([f64; 2]) -> f64| {
        let origin = h.flat[0];
        let k: f64 =
            (0..4).map(|i| h.weight[i] * z([h.flat[i][0] - origin[0], h.flat[i][1] - origin[1]])).sum();
        k * k
    };
    [on(|p| 0.5 * p[0] * p[0]), on(|p| 0.5 * p[1] * p[1]), on(|p| p[0] * p[1])]
}

/// Solves a x = b; where that has no answer with all of x positive, scales what there is to the
/// energies' sum, so that a mesh too small to show all three still bends.
fn nonnegative(a: [[f64; 3]; 3], b: [f64; 3]) -> [f64; 3] {
    if let Some(x) = eliminate(a, b)
        && x.iter().all(|v| v.is_finite() && *v >= 0.0)
    {
        return x;
    }
    let have: f64 = a.iter().flatten().sum();
    let want: f64 = b.iter().sum();
    [if have > 0.0 { want / have } else { 0.0 }; 3]
}

fn eliminate(mut a: [[f64; 3]; 3], mut b: [f64; 3]) -> Option<[f64; 3]> {
    let size = a.iter().flatten().fold(0.0f64, |m, v| m.max(v.abs()));
    for c in 0..3 {
        let pivot = (c..3).max_by(|&p, &q| a[p][c].abs().total_cmp(&a[q][c].abs()))?;
        a.swap(c, pivot);
        b.swap(c, pivot);
        if a[c][c].abs() <= 1e-9 * size {
            return None;
        }
        for r in c + 1..3 {
            let f = a[r][c] / a[c][c];
            (c..3).for_each(|k| a[r][k] -= f * a[c][k]);
            b[r] -= f * b[c];
        }
    }
    let mut x = [0.0; 3];
    for r in (0..3).rev() {
        x[r] = (b[r] - (r + 1..3).map(|k| a[r][k] * x[k]).sum::<f64>()) / a[r][r];
    }
    Some(x)
}
