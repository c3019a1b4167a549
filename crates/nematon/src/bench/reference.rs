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

const LANES: usize = 8;
type L = [f32; LANES];

fn each(of: impl Fn(usize) -> f32) -> L {
    std::array::from_fn(of)
}

/// Eight strands side by side: places, velocities and places before, by point and axis.
struct Block {
    x: Vec<[L; 3]>,
    v: Vec<[L; 3]>,
    before: Vec<[L; 3]>,
}

/// The least that could be called strands: lengths alone, solved directly from root to tip, eight strands across the lanes and a block
/// through its whole frame before the next. Milliseconds a frame of `strands` of so many `points`, on one thread.
pub fn strands(strands: usize, points: usize, frames: usize) -> f64 {
    let h = 0.25 / (points - 1) as f32;
    let lean = |l: usize| 0.1 + 0.05 * l as f32;
    let place = |k: usize| {
        [each(|l| h * k as f32 * lean(l).sin()), each(|l| h * k as f32 * lean(l).cos()), [0.0; LANES]]
    };
    let block = || Block {
        x: (0..points).map(place).collect(),
        v: vec![[[0.0; LANES]; 3]; points],
        before: vec![[[0.0; LANES]; 3]; points],
    };
    let mut all: Vec<Block> = (0..strands.div_ceil(LANES)).map(|_| block()).collect();
    let mut rows = vec![Row::default(); points];
    all.iter_mut().for_each(|b| b.frame(h, &mut rows));
    let start = Instant::now();
    for _ in 0..frames {
        all.iter_mut().for_each(|b| b.frame(h, &mut rows));
    }
    std::hint::black_box(&all[0].x);
    1e3 * start.elapsed().as_secs_f64() / frames as f64
}

/// A row of the system of lengths: the way of its segment, what is left of its own after those before it, what ties it to the next, and
/// what is wanted.
#[derive(Clone, Copy, Default)]
struct Row {
    way: [L; 3],
    own: L,
    next: L,
    wants: L,
}

impl Block {
    fn frame(&mut self, h: f32, rows: &mut [Row]) {
        let dt = 1.0 / (24.0 * SUBSTEPS as f32);
        let n = self.x.len();
        for _ in 0..SUBSTEPS {
            self.before.copy_from_slice(&self.x);
            for k in 1..n {
                for c in 0..3 {
                    let g = if c == 1 { -9.81 * dt } else { 0.0 };
                    self.v[k][c] = each(|l| self.v[k][c][l] + g);
                    self.x[k][c] = each(|l| self.x[k][c][l] + dt * self.v[k][c][l]);
                }
            }
            for k in 0..n - 1 {
                let (a, b) = (&self.x[k], &self.x[k + 1]);
                let d: [L; 3] = std::array::from_fn(|c| each(|l| b[c][l] - a[c][l]));
                let long = each(|l| (d[0][l] * d[0][l] + d[1][l] * d[1][l] + d[2][l] * d[2][l]).sqrt());
                let way: [L; 3] = std::array::from_fn(|c| each(|l| d[c][l] / long[l]));
                let mut row = Row { way, own: [if k == 0 { 1.0 } else { 2.0 }; LANES], ..Row::default() };
                row.wants = each(|l| long[l] - h);
                if k > 0 {
                    let last = rows[k - 1];
                    let tie = each(|l| -(0..3).map(|c| way[c][l] * last.way[c][l]).sum::<f32>());
                    rows[k - 1].next = each(|l| tie[l] / last.own[l]);
                    row.own = each(|l| row.own[l] - tie[l] * tie[l] / last.own[l]);
                    row.wants = each(|l| row.wants[l] - tie[l] / last.own[l] * last.wants[l]);
                }
                rows[k] = row;
            }
            let mut after = [0.0; LANES];
            for k in (0..n - 1).rev() {
                let row = rows[k];
                after = each(|l| row.wants[l] / row.own[l] - row.next[l] * after[l]);
                for c in 0..3 {
                    let by = each(|l| after[l] * row.way[c][l]);
                    if k > 0 {
                        self.x[k][c] = each(|l| self.x[k][c][l] + by[l]);
                    }
                    self.x[k + 1][c] = each(|l| self.x[k + 1][c][l] - by[l]);
                }
            }
            for k in 1..n {
                for c in 0..3 {
                    self.v[k][c] = each(|l| (self.x[k][c][l] - self.before[k][c][l]) / dt);
                }
            }
        }
    }
}
