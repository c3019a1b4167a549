//! A sparse symmetric system solved directly: for plates so stiff or so fine that sweeps fall short.
//!
//! A = L D Lᵀ, with the unknowns in the order of nested dissection (A. George, "Nested dissection of a
//! regular finite element mesh", 1973); row by row from its elimination tree (T. Davis, "Direct Methods for
//! Sparse Linear Systems", 2006, ch. 4). Found in f64, kept in f32: it is used for the small change of a
//! sub-step.
use crate::simd::Record;

/// A symmetric matrix by rows: the columns below the diagonal and the diagonal itself.
#[derive(Clone, Debug, Default)]
pub struct Matrix {
    pub diagonal: Vec<f64>,
    /// For each row its neighbours (both above and below) with their values, sorted, each once.
    pub beside: Vec<Vec<(u32, f64)>>,
}

impl Matrix {
    /// Sorts the rows, adds up what is there twice, and scales all but the diagonal.
    pub fn tidy(&mut self, scale: f64) {
        for row in &mut self.beside {
            row.sort_unstable_by_key(|e| e.0);
            row.dedup_by(|b, a| {
                let same = a.0 == b.0;
                if same {
                    a.1 += b.1;
                }
                same
            });
            row.iter_mut().for_each(|e| e.1 *= scale);
        }
    }
}

/// L and D of a matrix.
pub struct Factor {
    /// Which unknown stands at each place of the elimination.
    order: Vec<u32>,
    /// Where each column's entries begin.
    from: Vec<usize>,
    /// Row (as a place) and value of each entry of L below the diagonal, by columns.
    entries: Vec<(u32, f32)>,
    /// 1/D.
    per: Vec<f32>,
}

/// Beyond so many numbers in L a solve costs more than it gives.
pub const MOST_ENTRIES: usize = 3_000_000;

impl Factor {
    /// Factors a positive definite matrix whose unknowns stand at `places`. `None` where it would take
    /// more than [`MOST_ENTRIES`].
    pub fn of(a: &Matrix, places: &[[f32; 3]]) -> Option<Factor> {
        let n = a.diagonal.len();
        let mut order: Vec<u32> = Vec::with_capacity(n);
        dissect(a, places, (0..n as u32).collect(), &mut order);
        let mut at = vec![0u32; n];
        order.iter().enumerate().for_each(|(k, &p)| at[p as usize] = k as u32);
        let (mut columns, mut d) = (vec![Vec::<(u32, f64)>::new(); n], vec![0.0f64; n]);
        let (mut parent, mut mark) = (vec![u32::MAX; n], vec![u32::MAX; n]);
        let mut row = vec![0.0f64; n];
        let mut total = 0;
        for k in 0..n {
            // The row's pattern: everything on the ways up the tree from its entries.
            let p = order[k] as usize;
            let mut pattern: Vec<u32> = vec![];
            mark[k] = k as u32;
            for &(q, value) in &a.beside[p] {
                let mut i = at[q as usize] as usize;
                if i >= k {
                    continue;
                }
                row[i] += value;
                while mark[i] != k as u32 {
                    mark[i] = k as u32;
                    pattern.push(i as u32);
                    if parent[i] == u32::MAX {
                        parent[i] = k as u32;
                    }
                    i = parent[i] as usize;
                }
            }
            pattern.sort_unstable();
            total += pattern.len();
            if total > MOST_ENTRIES {
                return None;
            }
            let mut pivot = a.diagonal[p];
            for &j in &pattern {
                let j = j as usize;
                let y = std::mem::take(&mut row[j]);
                for &(i, l) in &columns[j] {
                    row[i as usize] -= l * y;
                }
                // Entries beyond this row's pattern would be rows after k: none are there yet.
                let l = y / d[j];
                pivot -= l * y;
                columns[j].push((k as u32, l));
            }
            row[k] = 0.0;
            d[k] = pivot.max(1e-300);
        }
        let mut from = vec![0];
        let mut entries = Vec::with_capacity(total);
        for c in &columns {
            entries.extend(c.iter().map(|&(r, l)| (r, l as f32)));
            from.push(entries.len());
        }
        Some(Factor { order, from, entries, per: d.iter().map(|d| (1.0 / d) as f32).collect() })
    }

    /// Solves for three right sides at once: the first three numbers of each record, in place.
    /// `scratch` is used and left dirty.
    pub fn solve(&self, right: &mut [Record], scratch: &mut Vec<Record>) {
        scratch.clear();
        scratch.extend(self.order.iter().map(|&p| right[p as usize]));
        let y = scratch;
        for j in 0..self.per.len() {
            let v = y[j].0;
            for &(i, l) in &self.entries[self.from[j]..self.from[j + 1]] {
                let r = &mut y[i as usize].0;
                (0..4).for_each(|c| r[c] -= l * v[c]);
            }
        }
        for j in (0..self.per.len()).rev() {
            let mut v = y[j].0.map(|c| c * self.per[j]);
            for &(i, l) in &self.entries[self.from[j]..self.from[j + 1]] {
                let r = &y[i as usize].0;
                (0..4).for_each(|c| v[c] -= l * r[c]);
            }
            y[j].0 = v;
        }
        self.order.iter().zip(y.iter()).for_each(|(&p, v)| right[p as usize] = *v);
    }
}

/// Orders points so that halves come before what lies between them.
fn dissect(a: &Matrix, places: &[[f32; 3]], mut points: Vec<u32>, order: &mut Vec<u32>) {
    if points.len() <= 24 {
        points.sort_unstable();
        order.extend(points);
        return;
    }
    let size = |k: usize| {
        let (lo, hi) = points.iter().fold((f32::INFINITY, f32::NEG_INFINITY), |(l, h), &p| {
            (l.min(places[p as usize][k]), h.max(places[p as usize][k]))
        });
        hi - lo
    };
    let axis = (0..3).max_by(|&a, &b| size(a).total_cmp(&size(b))).unwrap_or(0);
    points.sort_unstable_by(|&p, &q| {
        places[p as usize][axis].total_cmp(&places[q as usize][axis]).then(p.cmp(&q))
    });
    let (low, high) = points.split_at(points.len() / 2);
    let mut in_low: Vec<u32> = low.to_vec();
    in_low.sort_unstable();
    let near = |p: &u32| a.beside[*p as usize].iter().any(|(q, _)| in_low.binary_search(q).is_ok());
    let (between, high): (Vec<u32>, Vec<u32>) = high.iter().copied().partition(near);
    if high.is_empty() || between.len() > 3 * high.len() {
        points.sort_unstable();
        order.extend(points);
        return;
    }
    let low = low.to_vec();
    dissect(a, places, low, order);
    dissect(a, places, high, order);
    order.extend(between);
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_solved_system_gives_back_its_right_side() {
        // A plate-like system on a 17 x 11 grid, with couplings to the second neighbour.
        let (nx, ny) = (17usize, 11usize);
        let mut a = Matrix { diagonal: vec![1.0; nx * ny], beside: vec![vec![]; nx * ny] };
        let mut couple = |p: usize, q: usize, v: f64| {
            a.beside[p].push((q as u32, v));
            a.beside[q].push((p as u32, v));
            a.diagonal[p] += v.abs() * 1.1;
            a.diagonal[q] += v.abs() * 1.1;
        };
        for y in 0..ny {
            for x in 0..nx {
                let p = y * nx + x;
                for step in 1..=2 {
                    if x + step < nx {
                        couple(p, p + step, if step == 1 { -4.0 } else { 1.0 });
                    }
                    if y + step < ny {
                        couple(p, p + step * nx, if step == 1 { -3.0 } else { 0.7 });
                    }
                }
            }
        }
        let places: Vec<[f32; 3]> = (0..nx * ny).map(|p| [(p % nx) as f32, 0.0, (p / nx) as f32]).collect();
        let want: Vec<[f32; 3]> = (0..nx * ny).map(|p| [p as f32 * 0.1, (p as f32).sin(), 1.0]).collect();
        let mut right: Vec<Record> = (0..nx * ny)
            .map(|p| {
                let sum = |c: usize| {
                    a.diagonal[p] * f64::from(want[p][c])
                        + a.beside[p].iter().map(|&(q, v)| v * f64::from(want[q as usize][c])).sum::<f64>()
                };
                Record([sum(0) as f32, sum(1) as f32, sum(2) as f32, 0.0])
            })
            .collect();
        let f = Factor::of(&a, &places).expect("small");
        f.solve(&mut right, &mut vec![]);
        for (r, w) in right.iter().zip(&want) {
            (0..3).for_each(|c| assert!((r.0[c] - w[c]).abs() < 2e-4 * (1.0 + w[c].abs()), "{r:?} {w:?}"));
        }
    }
}
