//! Damping relative to the body's own rigid motion: it takes nothing from a fall or a spin. A body that is
//! held is damped relative to what holds it, so that it comes to rest there.
//!
//! M. Müller, B. Heidelberger, M. Hennix, J. Ratcliff, "Position Based Dynamics" (2007), section 3.5,
//! with the rate in 1/s: relative velocity decays as exp(-c t) at any sub-step.
use crate::simd::Record;

/// The motion of a body as a whole: velocity of its centre and turning about it.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Rigid {
    pub centre: [f64; 3],
    pub velocity: [f64; 3],
    pub spin: [f64; 3],
}

/// Sums from which the rigid motion follows; one a leaf, added in the order of the leaves.
#[derive(Clone, Copy, Debug, Default)]
pub struct Sums {
    mass: f64,
    mx: [f64; 3],
    mv: [f64; 3],
    /// Angular momentum about the origin.
    l: [f64; 3],
    /// Second moments xx, yy, zz, xy, yz, zx about the origin.
    second: [f64; 6],
}

impl Sums {
    pub fn of(x: &[Record], v: &[Record], mass: impl Fn(usize) -> f32) -> Sums {
        let mut s = Sums::default();
        for k in 0..x.len() {
            let m = f64::from(mass(k));
            let (p, u) = (x[k].xyz().map(f64::from), v[k].xyz().map(f64::from));
            s.mass += m;
            for c in 0..3 {
                let d = (c + 1) % 3;
                s.mx[c] += m * p[c];
                s.mv[c] += m * u[c];
                s.l[(c + 2) % 3] += m * (p[c] * u[d] - p[d] * u[c]);
                s.second[c] += m * p[c] * p[c];
                s.second[c + 3] += m * p[c] * p[d];
            }
        }
        s
    }

    pub fn add(&mut self, o: &Sums) {
        self.mass += o.mass;
        for c in 0..3 {
            self.mx[c] += o.mx[c];
            self.mv[c] += o.mv[c];
            self.l[c] += o.l[c];
        }
        self.second.iter_mut().zip(o.second).for_each(|(a, b)| *a += b);
    }

    pub fn rigid(&self) -> Rigid {
        let m = self.mass;
        if m <= 0.0 {
            return Rigid::default();
        }
        let (c, v) = (self.mx.map(|s| s / m), self.mv.map(|s| s / m));
        let l: [f64; 3] = std::array::from_fn(|k| {
            let (a, b) = ((k + 1) % 3, (k + 2) % 3);
            self.l[k] - m * (c[a] * v[b] - c[b] * v[a])
        });
        let s: [f64; 6] = std::array::from_fn(|k| {
            self.second[k] - m * c[k % 3] * if k < 3 { c[k] } else { c[(k + 1) % 3] }
        });
        let [xx, yy, zz, xy, yz, zx] = s;
        let inertia = [[yy + zz, -xy, -zx], [-xy, xx + zz, -yz], [-zx, -yz, xx + yy]];
        Rigid { centre: c, velocity: v, spin: solve(inertia, l) }
    }
}

/// Solves a symmetric 3x3 system by Cramer's rule; zeros where it has no one answer (a point, a line).
fn solve(a: [[f64; 3]; 3], b: [f64; 3]) -> [f64; 3] {
    let cross = |p: [f64; 3], q: [f64; 3]| -> [f64; 3] {
        std::array::from_fn(|k| p[(k + 1) % 3] * q[(k + 2) % 3] - p[(k + 2) % 3] * q[(k + 1) % 3])
    };
    let dot = |p: [f64; 3], q: [f64; 3]| p[0] * q[0] + p[1] * q[1] + p[2] * q[2];
    let size = a[0][0] + a[1][1] + a[2][2];
    let det = dot(a[0], cross(a[1], a[2]));
    if det.abs() <= 1e-12 * size * size * size {
        return [0.0; 3];
    }
    [dot(b, cross(a[1], a[2])), dot(a[0], cross(b, a[2])), dot(a[0], cross(a[1], b))].map(|d| d / det)
}

impl Rigid {
    pub const BYTES: usize = 9 * 8;

    /// Velocity of the rigid motion at a place.
    #[inline(always)]
    pub fn at(&self, p: [f32; 3]) -> [f32; 3] {
        let d: [f64; 3] = std::array::from_fn(|k| f64::from(p[k]) - self.centre[k]);
        let w = self.spin;
        std::array::from_fn(|k| {
            let (a, b) = ((k + 1) % 3, (k + 2) % 3);
            (self.velocity[k] + w[a] * d[b] - w[b] * d[a]) as f32
        })
    }

    pub fn write(&self, out: &mut Vec<u8>) {
        for n in self.centre.into_iter().chain(self.velocity).chain(self.spin) {
            out.extend(n.to_le_bytes());
        }
    }

    /// Reads back what [`Rigid::write`] wrote; `bytes` has [`Rigid::BYTES`].
    pub fn read(bytes: &[u8]) -> Rigid {
        let n = |k: usize| f64::from_le_bytes(std::array::from_fn(|b| bytes[8 * k + b]));
        Rigid { centre: [n(0), n(1), n(2)], velocity: [n(3), n(4), n(5)], spin: [n(6), n(7), n(8)] }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_rigid_motion_of_a_turning_moving_cloud_is_found() {
        let (centre, v, w) = ([1.0, -2.0, 0.5], [0.3, 0.1, -0.2], [0.4, -1.0, 2.0]);
        let truth = Rigid { centre, velocity: v, spin: w };
        let x: Vec<Record> = (0..40)
            .map(|k| {
                let a = k as f32;
                Record([(a * 1.3).sin(), (a * 0.7).cos() * 2.0, (a * 0.31).sin() * 3.0, 1.0])
            })
            .collect();
        let vel: Vec<Record> = x
            .iter()
            .map(|r| {
                let [a, b, c] = truth.at(r.xyz());
                Record([a, b, c, 0.0])
            })
            .collect();
        let got = Sums::of(&x, &vel, |k| 1.0 + k as f32).rigid();
        for r in &x {
            let (a, b) = (got.at(r.xyz()), truth.at(r.xyz()));
            (0..3).for_each(|k| assert!((a[k] - b[k]).abs() < 1e-4));
        }
    }
}
