//! What a state amounts to: strain and energy, for reports and tests.
use crate::build::Cloth;
use crate::state::State;

/// Relative change of length along the threads, over all triangles, weighed by area.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Strain {
    /// Mean along warp and weft; above 0 is stretched.
    pub mean: [f64; 2],
    /// Largest along either.
    pub largest: f64,
}

/// Joules.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Energy {
    pub kinetic: f64,
    /// Of gravity, from height 0.
    pub height: f64,
    pub membrane: f64,
    pub bend: f64,
}

impl Energy {
    pub fn total(&self) -> f64 {
        self.kinetic + self.height + self.membrane + self.bend
    }
}

impl Cloth {
    /// Strain along warp and weft.
    pub fn strain(&self, state: &State) -> Strain {
        let (mut s, mut total) = (Strain::default(), 0.0);
        self.columns(state, |area, [u, v]| {
            total += area;
            for (mean, strain) in s.mean.iter_mut().zip([u, v]) {
                let strain = strain / f64::from(state.stretched[0]);
                *mean += area * (strain - 1.0);
                s.largest = s.largest.max(strain - 1.0);
            }
        });
        s.mean = s.mean.map(|m| m / total.max(1e-30));
        s
    }

    /// Energy of the body under a gravity along y, m/s².
    pub fn energy(&self, state: &State, gravity: f64) -> Energy {
        let mut e = Energy::default();
        for k in 0..self.points() {
            let m = f64::from(self.mass[k]);
            let v2: f64 = state.v[k].xyz().iter().map(|c| f64::from(*c).powi(2)).sum();
            e.kinetic += 0.5 * m * v2;
            e.height -= m * gravity * f64::from(state.x[k].0[1]);
        }
        let m = &self.matter;
        let (rest, nu) = (f64::from(state.stretched[0]), f64::from(m.poisson));
        let folds = state.stretched[0] * state.stretched[1];
        let [ku, kv] = m.stretch.map(f64::from);
        self.columns(state, |area, [u, v]| {
            let (u, v) = (u - rest, v - rest);
            let both = (ku * u * u + kv * v * v + 2.0 * nu * (ku * kv).sqrt() * u * v) / (1.0 - nu * nu);
            e.membrane += 0.5 * area * both;
        });
        if state.dt > 0.0 {
            let scale = crate::step::goes_on(state.dt, state.stretched);
            e.membrane += crate::coarse::energy(&self.coarse, &state.x, scale);
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
        e
    }

    /// Area and lengths of f_u and f_v of each triangle.
    pub(crate) fn columns(&self, state: &State, mut each: impl FnMut(f64, [f64; 2])) {
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
