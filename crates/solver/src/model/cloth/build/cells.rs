//! Finds the cells of a mesh whose edges run along the threads.
use crate::inputs::{ClothRest, Scaled};
use crate::model::cloth::constraint::cell::Cell;
use std::collections::BTreeMap;

/// Cells, by the given points' numbers, and the triangles that are in none. `shear` in N/m, `twist` in N·m.
pub fn find(rest: &ClothRest, shear: f64, twist: f64) -> (Vec<Cell>, Vec<usize>) {
    let mut diagonals: BTreeMap<[u32; 2], Vec<(usize, usize)>> = BTreeMap::new();
    let mut alone = vec![];
    for (t, tri) in rest.triangles.iter().enumerate() {
        let f = rest.flat[t].map(|p| p.map(f64::from));
        let slant = |k: usize| {
            let e = [0, 1].map(|c| (f[(k + 1) % 3][c] - f[k][c]).abs());
            e[0].min(e[1]) > 1e-4 * e[0].max(e[1])
        };
        match (0..3).filter(|&k| slant(k)).collect::<Vec<_>>()[..] {
            [k] => {
                let (a, b) = (tri[k], tri[(k + 1) % 3]);
                diagonals.entry([a.min(b), a.max(b)]).or_default().push((t, k));
            }
            _ => alone.push(t),
        }
    }
    let mut cells = vec![];
    for pair in diagonals.values() {
        match cell(rest, pair, shear, twist) {
            Some(cell) => cells.push(cell),
            None => alone.extend(pair.iter().map(|p| p.0)),
        }
    }
    alone.sort_unstable();
    (cells, alone)
}

fn cell(rest: &ClothRest, pair: &[(usize, usize)], shear: f64, twist: f64) -> Option<Cell> {
    let &[(t, k), (o, j)] = pair else { return None };
    let f = rest.flat[t].map(|p| p.map(f64::from));
    let g = rest.flat[o].map(|p| p.map(f64::from));
    let tri = rest.triangles[t];
    let (a, b, c) = (tri[k], tri[(k + 1) % 3], tri[(k + 2) % 3]);
    let d = rest.triangles[o][(j + 2) % 3];
    let side = |f: &[[f64; 2]; 3], p: usize, q: usize| [f[q][0] - f[p][0], f[q][1] - f[p][1]];
    // From a to the corner off the diagonal: along one thread; and on to b: along the other.
    let (out, on) = (side(&f, k, (k + 2) % 3), side(&f, (k + 2) % 3, (k + 1) % 3));
    let sides = [out[0].abs().max(on[0].abs()), out[1].abs().max(on[1].abs())];
    // The other half must be the same rectangle, with its corner on the other side.
    let other = [side(&g, j, (j + 2) % 3), side(&g, (j + 2) % 3, (j + 1) % 3)];
    let same = |p: f64, q: f64| (p - q).abs() < 1e-3 * q.max(1e-12);
    let whole = (0..2).all(|c| same(other[0][c].abs().max(other[1][c].abs()), sides[c]));
    if !whole || sides[0] <= 0.0 || sides[1] <= 0.0 || c == d {
        return None;
    }
    // 00, 10, 11, 01: the second corner lies along warp from the first.
    let along = out[0].abs() > out[1].abs();
    let point = if along { [a, c, b, d] } else { [a, d, b, c] };
    // And neither runs back, so that all cells see shear with the same sign.
    let [u, v] = if along { [out[0], on[1]] } else { [on[0], out[1]] };
    let [p, q, r, s] = point;
    let [p, q, r, s] = if u < 0.0 { [q, p, s, r] } else { [p, q, r, s] };
    let point = if v < 0.0 { [s, r, q, p] } else { [p, q, r, s] };
    let held = |t: usize| rest.triangles[t].iter().all(|&p| rest.held[p as usize]);
    let free = 1.0 - 0.5 * f64::from(u8::from(held(t)) + u8::from(held(o)));
    let over = |what| rest.maps.over(what, &point);
    let (shear, twist) = (shear * over(Scaled::Shear), twist * over(Scaled::Bend));
    let air = [over(Scaled::Drag), over(Scaled::Lift)];
    Some(Cell { point, sides, shear, twist, free, air, from: Default::default() })
}
