//! Finds the patches of a mesh: each triangle with the three beside it.
use crate::inputs::{ClothRest, Folds, Scaled};
use crate::model::cloth::constraint::patch::Patch;
use crate::model::cloth::elimination::{Factor, Matrix};
use crate::simd::Record;
use glam::DVec3;
use std::collections::BTreeMap;

/// A curvature under this, relative to the patch's own size, is rounding and not shape.
const FLAT: f64 = 1e-5;

/// Patches over the given points' numbers, or `None` where the mesh is too narrow for them. A triangle
/// that lacks a neighbour has no patch; its area goes to the nearest ones, for at a free border the
/// bend is that beside it.
pub fn find(rest: &ClothRest) -> Option<Vec<Patch>> {
    let beside = neighbours(rest);
    let mut whole: Vec<Option<Patch>> =
        (0..rest.triangles.len()).map(|t| patch(rest, t, &beside[t])).collect();
    let held = |t: usize| rest.triangles[t].iter().all(|&p| rest.held[p as usize]);
    let area = |t: usize| super::area(&rest.flat[t]);
    let mut owners: Vec<Vec<usize>> =
        whole.iter().enumerate().map(|(t, p)| if p.is_some() { vec![t] } else { vec![] }).collect();
    let mut owned: Vec<f64> =
        (0..whole.len()).map(|t| if whole[t].is_some() { area(t) } else { 0.0 }).collect();
    if owners.iter().all(Vec::is_empty) {
        return None;
    }
    let mut left: Vec<usize> = (0..whole.len()).filter(|&t| owners[t].is_empty()).collect();
    // A strip of one cell has a few patches at best, and they say nothing about the rest.
    if left.len() * 4 > whole.len() * 3 {
        return None;
    }
    while !left.is_empty() {
        let found: Vec<(usize, Vec<usize>)> = left
            .iter()
            .map(|&t| (t, beside[t].iter().flatten().flat_map(|s| owners[s.0].iter().copied()).collect()))
            .filter(|(_, o): &(usize, Vec<usize>)| !o.is_empty())
            .collect();
        if found.is_empty() {
            break;
        }
        for (t, near) in found {
            if !held(t) {
                near.iter().for_each(|&o| owned[o] += area(t) / near.len() as f64);
            }
            owners[t] = near;
        }
        left.retain(|&t| owners[t].is_empty());
    }
    let bend = rest.matter.bend.map(f64::from);
    let rigidity = [bend[0], bend[1], 2.0 * (bend[0] * bend[1]).sqrt()];
    for (p, area) in whole.iter_mut().zip(&owned) {
        p.iter_mut().for_each(|p| p.stiffness = rigidity.map(|d| d * area));
    }
    calibrate(rest, &mut whole, rigidity);
    let patches = whole.into_iter().filter_map(|p| {
        let mut p = p?;
        clamp(rest, &mut p);
        let scale = rest.maps.over(Scaled::Bend, &p.point[..3]);
        p.stiffness.iter_mut().for_each(|s| *s *= scale);
        (p.stiffness.iter().any(|s| *s > 0.0)).then_some(p)
    });
    Some(patches.collect())
}

/// Makes the patches' energy that of the plate for a body that finds its own way. A surface bent into a
/// quadratic has the right energy in every patch, but where points have neighbours of different kinds it
/// can have less by moving some against the others: on squares cut crosswise a quarter less. So each unit
/// curvature is put on at the border, the inside is let relax, and stiffnesses are scaled until what
/// is left there is what the plate has.
fn calibrate(rest: &ClothRest, patches: &mut [Option<Patch>], rigidity: [f64; 3]) {
    let Some(place) = crate::model::cloth::coarse::build::lay_flat(rest) else { return };
    let n = place.len();
    let mut border = vec![true; n];
    for p in patches.iter().flatten() {
        p.point[..3].iter().for_each(|&k| border[k as usize] = false);
    }
    for (t, _) in patches.iter().enumerate().filter(|(_, p)| p.is_none()) {
        rest.triangles[t].iter().for_each(|&k| border[k as usize] = true);
    }
    // Measured as far inside as there is room for: what is held at the border can't relax beside it.
    let mut near = border.clone();
    for t in rest.triangles.iter().filter(|t| t.iter().any(|&k| border[k as usize])) {
        t.iter().for_each(|&k| near[k as usize] = true);
    }
    let all_off = |p: &Patch, from: &[bool]| p.point.iter().all(|&k| !from[k as usize]);
    let enough = |from: &[bool]| patches.iter().flatten().filter(|p| all_off(p, from)).count() >= 12;
    let from = match (enough(&near), enough(&border)) {
        (true, _) => near,
        (_, true) => border.clone(),
        _ => return,
    };
    let deep = |p: &Patch| all_off(p, &from);
    let surfaces: Vec<[f64; 3]> = place.iter().map(|[u, v]| [0.5 * u * u, 0.5 * v * v, u * v]).collect();
    let places: Vec<[f32; 3]> = place.iter().map(|[u, v]| [*u as f32, *v as f32, 0.0]).collect();
    for _ in 0..3 {
        let Some(z) = relaxed(patches, &border, &surfaces, &places) else { return };
        let (mut energy, mut plate) = ([0.0f64; 3], [0.0f64; 3]);
        for p in patches.iter().flatten().filter(|p| deep(p)) {
            for mode in 0..3 {
                for m in 0..3 {
                    let k: f64 = (0..6).map(|i| p.weight[m][i] * z[p.point[i] as usize][mode]).sum();
                    energy[mode] += p.stiffness[m] * k * k;
                }
            }
        }
        for (t, p) in patches.iter().enumerate() {
            if p.as_ref().is_some_and(deep) {
                let area = super::area(&rest.flat[t]);
                (0..3).for_each(|m| plate[m] += area * rigidity[m]);
            }
        }
        for p in patches.iter_mut().flatten() {
            for m in 0..3 {
                let factor = plate[m] / energy[m].max(1e-300);
                p.stiffness[m] *= if factor.is_finite() { factor.clamp(0.5, 3.0) } else { 1.0 };
            }
        }
    }
}

/// Heights of the points where the border is held to each of three `surfaces` and the inside is let relax; `None` where
/// nothing bends.
fn relaxed(
    patches: &[Option<Patch>],
    border: &[bool],
    surfaces: &[[f64; 3]],
    places: &[[f32; 3]],
) -> Option<Vec<[f64; 3]>> {
    let n = border.len();
    let mut a = Matrix { diagonal: vec![0.0; n], beside: vec![vec![]; n] };
    let mut right = vec![[0.0f64; 3]; n];
    for p in patches.iter().flatten() {
        for m in 0..3 {
            for (i, &q) in p.point.iter().enumerate().filter(|(_, q)| !border[**q as usize]) {
                for (j, &r) in p.point.iter().enumerate() {
                    let v = p.stiffness[m] * p.weight[m][i] * p.weight[m][j];
                    match border[r as usize] {
                        true => (0..3).for_each(|c| right[q as usize][c] -= v * surfaces[r as usize][c]),
                        false if i == j => a.diagonal[q as usize] += v,
                        false => a.beside[q as usize].push((r, v)),
                    }
                }
            }
        }
    }
    let size = a.diagonal.iter().fold(0.0f64, |m, d| m.max(*d));
    if size <= 0.0 {
        return None;
    }
    for q in 0..n {
        // Held to the surface at the border; a hair of stiffness where nothing bends.
        let own = if border[q] { size } else { 1e-9 * size };
        a.diagonal[q] += own;
        (0..3).for_each(|c| right[q][c] = (right[q][c] + own * surfaces[q][c]) / size);
        a.diagonal[q] /= size;
    }
    a.tidy(1.0 / size);
    let factor = Factor::of(&a, places)?;
    // In f32, so near the answer already: solve for the residual, twice.
    let mut z = surfaces.to_vec();
    for _ in 0..2 {
        let mut left: Vec<Record> = (0..n)
            .map(|q| {
                Record(std::array::from_fn(|c| match c {
                    3 => 0.0,
                    c => {
                        let beside = a.beside[q].iter().map(|(r, v)| v * z[*r as usize][c]).sum::<f64>();
                        (right[q][c] - a.diagonal[q] * z[q][c] - beside) as f32
                    }
                }))
            })
            .collect();
        factor.solve(&mut left, &mut vec![]);
        z.iter_mut().zip(&left).for_each(|(z, l)| (0..3).for_each(|c| z[c] += f64::from(l.0[c])));
    }
    Some(z)
}

/// For each triangle and edge, the triangle across it and its point there. Where more than two share
/// an edge there is none.
fn neighbours(rest: &ClothRest) -> Vec<[Option<(usize, u32)>; 3]> {
    let mut sides: BTreeMap<[u32; 2], Vec<(usize, usize)>> = BTreeMap::new();
    for (t, tri) in rest.triangles.iter().enumerate() {
        for k in 0..3 {
            let (a, b) = (tri[k], tri[(k + 1) % 3]);
            sides.entry([a.min(b), a.max(b)]).or_default().push((t, k));
        }
    }
    let mut out = vec![[None; 3]; rest.triangles.len()];
    for s in sides.values().filter(|s| s.len() == 2) {
        for ((t, k), (o, j)) in [(s[0], s[1]), (s[1], s[0])] {
            out[t][k] = Some((o, rest.triangles[o][(j + 2) % 3]));
        }
    }
    out
}

fn patch(rest: &ClothRest, t: usize, beside: &[Option<(usize, u32)>; 3]) -> Option<Patch> {
    let tri = rest.triangles[t];
    let across = [beside[0]?.1, beside[1]?.1, beside[2]?.1];
    let point = [tri[0], tri[1], tri[2], across[0], across[1], across[2]];
    if (0..6).any(|i| (0..i).any(|j| point[i] == point[j])) {
        return None;
    }
    let x = |p: u32| DVec3::from(rest.shape()[p as usize].map(f64::from));
    let f = rest.flat[t].map(|p| p.map(f64::from));
    let mut flat = [[0.0; 2]; 6];
    flat[..3].copy_from_slice(&f);
    for k in 0..3 {
        // The far point laid flat: along the edge by its foot, and out by its height.
        let (a, b, d) = (x(tri[k]), x(tri[(k + 1) % 3]), x(across[k]));
        let (fa, fb, fc) = (f[k], f[(k + 1) % 3], f[(k + 2) % 3]);
        let (ab, ad) = (b - a, d - a);
        let foot = ad.dot(ab) / ab.length_squared();
        let high = ad - foot * ab;
        let edge = [fb[0] - fa[0], fb[1] - fa[1]];
        let out = (high.length_squared() / ab.length_squared()).sqrt();
        let side = (edge[0] * (fc[1] - fa[1]) - edge[1] * (fc[0] - fa[0])).signum();
        flat[3 + k] =
            [fa[0] + foot * edge[0] + side * out * edge[1], fa[1] + foot * edge[1] - side * out * edge[0]];
    }
    let size = super::area(&rest.flat[t]).sqrt();
    let middle: [f64; 2] = std::array::from_fn(|c| (f[0][c] + f[1][c] + f[2][c]) / 3.0);
    let basis = flat.map(|p| {
        let [u, v] = [0, 1].map(|c| (p[c] - middle[c]) / size);
        [1.0, u, v, 0.5 * u * u, 0.5 * v * v, u * v]
    });
    let inverse = invert(basis)?;
    let weight = [3, 4, 5].map(|m| std::array::from_fn(|i| inverse[m][i] / (size * size)));
    if weight.iter().flatten().any(|w: &f64| !w.is_finite() || w.abs() > 60.0 / (size * size)) {
        return None;
    }
    let mut weight = weight;
    let rest = fold(rest, &point, &mut weight)?;
    Some(Patch { point, weight, stiffness: [0.0; 3], rest })
}

/// At a clamp only one side bends, over half the length: twice as stiff. Where all is held, nothing bends.
pub fn clamp(rest: &ClothRest, p: &mut Patch) {
    for m in 0..3 {
        let (mut free, mut all) = (0.0, 0.0);
        for i in 0..6 {
            all += p.weight[m][i].abs();
            free += if rest.held[p.point[i] as usize] { 0.0 } else { p.weight[m][i].abs() };
        }
        let share = free / all.max(1e-30);
        p.stiffness[m] *= match share {
            s if s < 1e-6 => 0.0,
            s if s < 0.49 => 2.0,
            _ => 1.0,
        };
    }
}

/// What the weighted sums are at rest, along the normal of the first three points, 1/m; what they have in
/// that plane is taken from the weights. `None` where those three lie in a line.
pub fn fold(rest: &ClothRest, point: &[u32; 6], weight: &mut [[f64; 6]; 3]) -> Option<[f32; 3]> {
    let at = point.map(|p| DVec3::from(rest.shape()[p as usize].map(f64::from)));
    let (p, q) = (at[1] - at[0], at[2] - at[0]);
    let n = p.cross(q);
    let size = n.length();
    if size <= 1e-30 {
        return None;
    }
    if rest.folds == Folds::Flat {
        return Some([0.0; 3]);
    }
    let n = n / size;
    let size = (0.5 * size).sqrt();
    let (pp, pq, qq) = (p.dot(p), p.dot(q), q.dot(q));
    Some([0, 1, 2].map(|m| {
        let w: &mut [f64; 6] = &mut weight[m];
        let k: DVec3 = (0..6).map(|i| w[i] * at[i]).sum();
        if (k * size).abs().max_element() < FLAT {
            return 0.0;
        }
        // What lies in the triangle's plane turns with it: written by its sides, it is taken from the weights.
        let (kp, kq, det) = (k.dot(p), k.dot(q), pp * qq - pq * pq);
        let (a, b) = ((kp * qq - kq * pq) / det, (kq * pp - kp * pq) / det);
        (w[0], w[1], w[2]) = (w[0] + a + b, w[1] - a, w[2] - b);
        k.dot(n) as f32
    }))
}

/// Inverse by elimination with pivots; `None` where the six points fit no one quadratic.
fn invert(mut a: [[f64; 6]; 6]) -> Option<[[f64; 6]; 6]> {
    let mut b: [[f64; 6]; 6] = std::array::from_fn(|r| std::array::from_fn(|c| f64::from(u8::from(r == c))));
    for c in 0..6 {
        let pivot = (c..6).max_by(|&p, &q| a[p][c].abs().total_cmp(&a[q][c].abs()))?;
        a.swap(c, pivot);
        b.swap(c, pivot);
        if a[c][c].abs() < 1e-3 {
            return None;
        }
        let per = 1.0 / a[c][c];
        (0..6).for_each(|k| (a[c][k], b[c][k]) = (a[c][k] * per, b[c][k] * per));
        for r in (0..6).filter(|&r| r != c) {
            let f = a[r][c];
            (0..6).for_each(|k| {
                a[r][k] -= f * a[c][k];
                b[r][k] -= f * b[c][k];
            });
        }
    }
    Some(b)
}
