//! What bends, as one matrix over the points: of hinges and patches that are measured from flat, half of Σ c |Σ k x|² is a form with
//! constant coefficients (M. Bergou et al., "A Quadratic Bending Model for Inextensible Surfaces", 2006), the same along each axis.
use super::constraint::bend::Hinge;
use super::constraint::patch::Patch;
use crate::simd::{Record, differences};
use rayon::prelude::*;
use std::collections::BTreeMap;

/// Rows that one thread takes at least.
const SHARE: usize = 512;

/// Its rows without what is on the diagonal: each sums to that.
#[derive(Default)]
pub struct Flexure {
    /// Where the rows start.
    starts: Vec<u32>,
    /// Whom a row is beside, and by how much, N/m.
    beside: Vec<(u32, f32)>,
    /// Of the diagonal, N/m.
    own: Vec<f32>,
}

impl Flexure {
    /// Over `points`.
    pub fn of<'a>(
        points: usize,
        hinges: impl Iterator<Item = &'a Hinge>,
        patches: impl Iterator<Item = &'a Patch>,
    ) -> Flexure {
        let mut rows: Vec<BTreeMap<u32, f64>> = vec![BTreeMap::new(); points];
        let mut put = |point: &[u32], weight: &[f64], stiffness: f64| {
            for (&p, a) in point.iter().zip(weight) {
                for (&q, b) in point.iter().zip(weight) {
                    *rows[p as usize].entry(q).or_default() += stiffness * a * b;
                }
            }
        };
        hinges.for_each(|h| put(&h.point, &h.weight.map(f64::from), h.stiffness));
        patches.for_each(|p| (0..3).for_each(|m| put(&p.point, &p.weight[m], p.stiffness[m])));
        let mut all = Flexure { starts: vec![0], ..Flexure::default() };
        for (p, row) in rows.into_iter().enumerate() {
            all.own.push(row.get(&(p as u32)).map_or(0.0, |v| *v as f32));
            all.beside.extend(
                row.into_iter().filter(|(q, v)| *q != p as u32 && *v != 0.0).map(|(q, v)| (q, v as f32)),
            );
            all.starts.push(all.beside.len() as u32);
        }
        all
    }

    /// Adds `times` of what it makes of `of` to `out`. By differences: far from the origin sums would lose what is small.
    pub fn times(&self, of: &[Record], times: f32, out: &mut [Record]) {
        out[..self.own.len()].par_iter_mut().enumerate().with_min_len(SHARE).for_each(|(p, out)| {
            // Safety: whom a row is beside are points.
            let sum = unsafe { differences(of, p, self.row(p)) };
            (0..3).for_each(|c| out.0[c] += times * sum.0[c]);
        });
    }

    /// Whom a row is beside, and by how much.
    #[inline(always)]
    pub fn row(&self, p: usize) -> &[(u32, f32)] {
        &self.beside[self.starts[p] as usize..self.starts[p + 1] as usize]
    }

    /// Adds `times` of its diagonal.
    pub fn diagonal(&self, times: f32, out: &mut [[f32; 6]]) {
        for (own, out) in self.own.iter().zip(out) {
            out[..3].iter_mut().for_each(|b| *b += times * own);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_is_the_slope_of_what_its_hinges_hold() {
        let hinges = [
            Hinge { point: [0, 1, 2, 3], weight: [1.2, 0.8, -1.1, -0.9], stiffness: 3.0, rest: 0.0 },
            Hinge { point: [1, 2, 3, 4], weight: [0.5, -1.5, 0.7, 0.3], stiffness: 0.2, rest: 0.0 },
        ];
        let x: Vec<Record> = (0..5u8)
            .map(|k| Record([f32::from(k), f32::from(k % 3) * 0.7, f32::from(k % 2) - 0.3, 1.0]))
            .collect();
        let all = Flexure::of(5, hinges.iter(), [].iter());
        let mut made = vec![Record::default(); 5];
        all.times(&x, -1.0, &mut made);
        for p in 0..5 {
            for c in 0..3 {
                let held = |h: &Hinge| (0..4).map(|i| h.weight[i] * x[h.point[i] as usize].0[c]).sum::<f32>();
                let slope: f32 = hinges
                    .iter()
                    .flat_map(|h| {
                        (0..4)
                            .filter(|i| h.point[*i] == p as u32)
                            .map(move |i| h.stiffness as f32 * h.weight[i] * held(h))
                    })
                    .sum();
                assert!((made[p].0[c] + slope).abs() < 1e-5, "{p}, {c}: {} and {slope}", made[p].0[c]);
            }
        }
    }
}
