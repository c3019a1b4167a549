//! The least that could be called cloth, to measure against in the same run: a square grid of points with
//! springs of fixed length along edges, across cells and over every second point, met once a sub-step, in
//! plain arrays that the compiler may make what it can of. It is no solver to copy.
use std::time::Instant;

/// Sub-steps a frame.
const SUBSTEPS: usize = 20;

struct Grid {
    n: usize,
    x: [Vec<f32>; 3],
    v: [Vec<f32>; 3],
    before: [Vec<f32>; 3],
}

/// Milliseconds a frame of `n` by `n` points, on one thread.
pub fn milliseconds(n: usize, frames: usize) -> f64 {
    let place = |c: usize| (0..n * n).map(|k| [k % n, 0, k / n][c] as f32 / n as f32).collect::<Vec<_>>();
    let zero = || vec![0.0f32; n * n];
    let mut g = Grid {
        n,
        x: [place(0), place(1), place(2)],
        v: [zero(), zero(), zero()],
        before: [zero(), zero(), zero()],
    };
    g.frame();
    let start = Instant::now();
    (0..frames).for_each(|_| g.frame());
    std::hint::black_box(&g.x);
    1e3 * start.elapsed().as_secs_f64() / frames as f64
}

impl Grid {
    fn frame(&mut self) {
        let (n, h) = (self.n, 1.0 / self.n as f32);
        let dt = 1.0 / (24.0 * SUBSTEPS as f32);
        for _ in 0..SUBSTEPS {
            for c in 0..3 {
                let g = if c == 1 { -9.81 * dt } else { 0.0 };
                let (x, v, b) = (&mut self.x[c], &mut self.v[c], &mut self.before[c]);
                b.copy_from_slice(x);
                for k in 0..n * n {
                    v[k] += g;
                    x[k] += v[k] * dt;
                }
            }
            // To the right, down, both diagonals, and over the next: every second one, then the others.
            let diagonal = h * std::f32::consts::SQRT_2;
            for (dx, dz, length) in
                [(1, 0, h), (0, 1, h), (1, 1, diagonal), (-1, 1, diagonal), (2, 0, 2.0 * h), (0, 2, 2.0 * h)]
            {
                self.springs(dx, dz, length);
            }
            for c in 0..3 {
                let (x, v, b) = (&self.x[c], &mut self.v[c], &self.before[c]);
                (0..n * n).for_each(|k| v[k] = (x[k] - b[k]) / dt);
            }
        }
    }

    fn springs(&mut self, dx: i32, dz: i32, length: f32) {
        let n = self.n as i32;
        let [x, y, z] = &mut self.x;
        for first in 0..2 {
            let rows = if dz > 0 { (first..n - dz).step_by(2) } else { (0..n - dz).step_by(1) };
            for j in rows {
                let from = if dz > 0 { 0.max(-dx) } else { first };
                let step = if dz > 0 { 1 } else { 2 };
                let mut i = from;
                while i < n - dx.max(0) {
                    let (a, b) = ((j * n + i) as usize, ((j + dz) * n + i + dx) as usize);
                    let d = [x[b] - x[a], y[b] - y[a], z[b] - z[a]];
                    let now = (d[0] * d[0] + d[1] * d[1] + d[2] * d[2]).sqrt();
                    let s = 0.5 * (now - length) / now;
                    x[a] += s * d[0];
                    y[a] += s * d[1];
                    z[a] += s * d[2];
                    x[b] -= s * d[0];
                    y[b] -= s * d[1];
                    z[b] -= s * d[2];
                    i += step;
                }
            }
        }
    }
}
