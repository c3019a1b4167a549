//! What the state of a cloth amounts to: strain, energy, and faults of its own.
use super::relax::goes_on;
use super::{Cloth, Own, coarse};
use crate::body::Body;
use crate::measure::{Energy, Strain};
use crate::snags::{Against, Fault, POP, SHOWN, Snag};
use crate::state::State;

impl Cloth {
    pub(super) fn strained(&self, state: &State, own: &Own) -> Strain {
        let (mut s, mut total) = (Strain::default(), 0.0);
        self.columns(state, |area, [u, v]| {
            total += area;
            for ((mean, strain), rest) in s.mean.iter_mut().zip([u, v]).zip(own.stretched.sides) {
                let strain = strain / f64::from(rest);
                *mean += area * (strain - 1.0);
                s.largest = s.largest.max(strain - 1.0);
            }
        });
        s.mean = s.mean.map(|m| m / total.max(1e-30));
        s
    }

    pub(super) fn stored(&self, state: &State, own: &Own, e: &mut Energy) {
        let m = &self.matter;
        let (rest, nu) = (own.stretched.sides.map(f64::from), f64::from(m.poisson));
        let folds = own.stretched.mean() * own.stretched.folds;
        let [ku, kv] = m.stretch.map(f64::from);
        self.columns(state, |area, [u, v]| {
            let (u, v) = (u - rest[0], v - rest[1]);
            let both = (ku * u * u + kv * v * v + 2.0 * nu * (ku * kv).sqrt() * u * v) / (1.0 - nu * nu);
            e.membrane += 0.5 * area * both;
        });
        if state.dt > 0.0 {
            let scale = goes_on(state.dt, own.stretched);
            e.membrane += coarse::energy(&self.coarse, &state.x, scale);
        }
        // Shear is a cell's by its mean columns, and not that of its two triangles.
        e.membrane +=
            self.work.iter().flat_map(|w| &w.membrane).map(|g| g.shear_energy(&state.x)).sum::<f64>();
        e.membrane += self.work.iter().flat_map(|w| &w.cell).map(|g| g.shear_energy(&state.x)).sum::<f64>();
        let hinges =
            self.work.iter().flat_map(|w| &w.bend).map(|g| g.energy(&state.x, f64::from(folds))).sum::<f64>();
        let patches = self.work.iter().flat_map(|w| &w.patch).map(|g| g.energy(&state.x, folds)).sum::<f64>();
        let yarns = self.yarns.iter().flatten().map(|g| g.energy(&state.x)).sum::<f64>();
        let cells = self.work.iter().flat_map(|w| &w.cell).map(|g| g.twist_energy(&state.x)).sum::<f64>();
        e.bend = hinges + patches + yarns + cells;
    }

    pub(super) fn torn(&self, of: (&Body, usize), state: &State, own: &Own, against: Against) -> Vec<Snag> {
        let pops = against.before.and_then(|before| self.pops(of, state, before));
        self.overstretch(of, state, own, against.stretch).into_iter().chain(pops).collect()
    }

    /// Triangles whose threads are longer than may be, against the rest of the moment.
    fn overstretch(&self, (body, k): (&Body, usize), state: &State, own: &Own, limit: f64) -> Option<Snag> {
        let (mut count, mut worst, mut at, mut t) = (0, 0.0f64, 0usize, 0usize);
        let mut triangles = vec![];
        let given = |t: [u32; 3]| t.map(|p| body.given(p as usize) as u32);
        self.columns(state, |_, [u, v]| {
            let [p, q] = own.stretched.sides.map(f64::from);
            let s = (u / p).max(v / q) - 1.0;
            count += usize::from(s > limit);
            if s > limit && triangles.len() < SHOWN {
                triangles.push(given(self.triangles[t]));
            }
            if s > worst {
                (worst, at) = (s, t);
            }
            t += 1;
        });
        let point = body.given(self.triangles[at][0] as usize);
        (count > 0).then_some(Snag {
            fault: Fault::Overstretch,
            body: k,
            with: None,
            count,
            worst,
            point,
            triangles,
        })
    }

    /// Points whose way through the frame departs from the mean of their neighbours'. On a border those lie to one side:
    /// where it turns, as a corner that flaps does, it departs from them without jumping, so that it may go farther by
    /// how far it is from their mean at rest.
    fn pops(&self, (body, k): (&Body, usize), state: &State, before: &[[f32; 3]]) -> Option<Snag> {
        let n = body.points();
        let far = |d: [f64; 3]| d.iter().map(|c| c * c).sum::<f64>().sqrt();
        let way = |place: usize| -> [f64; 3] {
            let (x, b) = (state.x[place].xyz(), before[body.given(place)]);
            std::array::from_fn(|c| f64::from(x[c]) - f64::from(b[c]))
        };
        let (mut sums, mut leans) = (vec![[0.0f64; 3]; n], vec![[0.0f64; 3]; n]);
        let (mut counts, mut lengths) = (vec![0.0f64; n], vec![0.0f64; n]);
        for t in &self.triangles {
            for i in 0..3 {
                let (p, q) = (t[i] as usize, t[(i + 1) % 3] as usize);
                let (wp, wq) = (way(p), way(q));
                let (a, b) = (body.rest[p].xyz(), body.rest[q].xyz());
                let d: [f64; 3] = std::array::from_fn(|c| f64::from(b[c] - a[c]));
                let length = far(d);
                for (to, w, side) in [(p, wq, 1.0), (q, wp, -1.0)] {
                    (0..3).for_each(|c| sums[to][c] += w[c]);
                    (0..3).for_each(|c| leans[to][c] += side * d[c]);
                    counts[to] += 1.0;
                    lengths[to] += length;
                }
            }
        }
        let (mut count, mut worst, mut at) = (0, 0.0f64, 0);
        for p in (0..n).filter(|&p| counts[p] > 0.0) {
            let w = way(p);
            let off = far(std::array::from_fn(|c| w[c] - sums[p][c] / counts[p]));
            let share = off * counts[p] / (lengths[p] + far(leans[p])).max(1e-12);
            count += usize::from(share > POP);
            if share > worst {
                (worst, at) = (share, p);
            }
        }
        (count > 0).then(|| Snag {
            fault: Fault::Pop,
            body: k,
            with: None,
            count,
            worst,
            point: body.given(at),
            triangles: vec![],
        })
    }

    /// Area and lengths of f_u and f_v of each triangle.
    fn columns(&self, state: &State, mut each: impl FnMut(f64, [f64; 2])) {
        for (t, f) in self.triangles.iter().zip(&self.flat) {
            let [a, b, c] = f.map(|p| p.map(f64::from));
            let x = t.map(|p| state.x[p as usize].xyz().map(f64::from));
            let (p, q) = ([b[0] - a[0], b[1] - a[1]], [c[0] - a[0], c[1] - a[1]]);
            let det = p[0] * q[1] - q[0] * p[1];
            let (mut fu, mut fv) = ([0.0; 3], [0.0; 3]);
            for k in 0..3 {
                let (e1, e2) = (x[1][k] - x[0][k], x[2][k] - x[0][k]);
                fu[k] = (q[1] * e1 - p[1] * e2) / det;
                fv[k] = (p[0] * e2 - q[0] * e1) / det;
            }
            let dot = |a: [f64; 3], b: [f64; 3]| a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
            each(0.5 * det.abs(), [dot(fu, fu).sqrt(), dot(fv, fv).sqrt()]);
        }
    }
}
