//! Places on a surface that moves: a triangle and where in it, with the turn of the triangle.
use glam::{DMat3, DQuat, DVec3};
use nematon_geometry::{Mesh, nearest_shares};

/// A place at, or off, a triangle: rides with it and turns with it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Spot {
    pub triangle: [u32; 3],
    /// Shares of its corners, 1 together.
    pub shares: [f64; 3],
    /// From there to the place, along the triangle's own axes, metres.
    pub off: [f64; 3],
}

impl Spot {
    /// The nearest on a mesh to a place; `None` where it has no triangle.
    fn nearest(mesh: &Mesh, boxes: &Boxes, p: DVec3) -> Option<Spot> {
        let corners = |t: &[u32; 3]| t.map(|k| DVec3::from(mesh.positions[k as usize].map(f64::from)));
        let mut best: Option<(f64, usize, [f64; 3])> = None;
        boxes.near(p, |run, most| {
            for t in run {
                let [a, b, c] = corners(&mesh.triangles[t]);
                let shares = nearest_shares(p, [a, b, c]);
                let far = (a * shares[0] + b * shares[1] + c * shares[2] - p).length_squared();
                if far < best.map_or(f64::INFINITY, |b| b.0) {
                    best = Some((far, t, shares));
                    *most = far;
                }
            }
        });
        let (_, t, shares) = best?;
        let triangle = mesh.triangles[t];
        let mut spot = Spot { triangle, shares, off: [0.0; 3] };
        let (on, axes) = spot.frame(&mesh.positions);
        spot.off = (axes.transpose() * (p - on)).to_array();
        Some(spot)
    }

    /// Where it lies on its triangle, and the triangle's axes: along its first side, across, and out of it.
    fn frame(&self, positions: &[[f32; 3]]) -> (DVec3, DMat3) {
        let [a, b, c] = self.triangle.map(|k| DVec3::from(positions[k as usize].map(f64::from)));
        let on = a * self.shares[0] + b * self.shares[1] + c * self.shares[2];
        let along = (b - a).try_normalize();
        let out = (b - a).cross(c - a).try_normalize();
        // A triangle without area has no turn that could be told.
        let axes = match (along, out) {
            (Some(x), Some(n)) => DMat3::from_cols(x, n.cross(x), n),
            _ => DMat3::IDENTITY,
        };
        (on, axes)
    }

    /// Where it is now.
    pub fn place(&self, positions: &[[f32; 3]]) -> DVec3 {
        let (on, axes) = self.frame(positions);
        on + axes * DVec3::from(self.off)
    }

    /// How its triangle has turned since it was as in `rest`.
    pub fn turn(&self, rest: &[[f32; 3]], now: &[[f32; 3]]) -> DQuat {
        let (a, b) = (self.frame(rest).1, self.frame(now).1);
        crate::clip::unit(DQuat::from_mat3(&(b * a.transpose())))
    }
}

/// The nearest spots of a mesh to some places.
pub fn spots(mesh: &Mesh, places: &[[f32; 3]]) -> Option<Vec<Spot>> {
    let boxes = Boxes::of(mesh);
    places.iter().map(|p| Spot::nearest(mesh, &boxes, DVec3::from(p.map(f64::from)))).collect()
}

/// Runs of triangles, each in a box: enough for the few searches when a motion begins.
struct Boxes {
    order: Vec<usize>,
    runs: Vec<(usize, usize, [DVec3; 2])>,
}

impl Boxes {
    fn of(mesh: &Mesh) -> Boxes {
        let middle = |t: &[u32; 3], c: usize| t.iter().map(|k| mesh.positions[*k as usize][c]).sum::<f32>();
        let mut order: Vec<usize> = (0..mesh.triangles.len()).collect();
        // Cut along the longest side again and again.
        let mut todo = vec![(0, order.len())];
        let mut runs = vec![];
        while let Some((from, to)) = todo.pop() {
            let (mut lo, mut hi) = (DVec3::INFINITY, DVec3::NEG_INFINITY);
            for t in &order[from..to] {
                for k in mesh.triangles[*t] {
                    let p = DVec3::from(mesh.positions[k as usize].map(f64::from));
                    (lo, hi) = (lo.min(p), hi.max(p));
                }
            }
            if to - from <= 16 {
                if from < to {
                    runs.push((from, to, [lo, hi]));
                }
                continue;
            }
            let size = hi - lo;
            let axis = [0, 1, 2].into_iter().fold(0, |a, c| if size[c] > size[a] { c } else { a });
            let half = (to - from) / 2;
            let key = |a: &usize| middle(&mesh.triangles[*a], axis);
            order[from..to].select_nth_unstable_by(half, |a, b| key(a).total_cmp(&key(b)).then(a.cmp(b)));
            todo.extend([(from, from + half), (from + half, to)]);
        }
        Boxes { order, runs }
    }

    /// Calls with runs from the nearest box on, until none can have anything nearer than the square that it is told.
    fn near(&self, p: DVec3, mut each: impl FnMut(std::iter::Copied<std::slice::Iter<usize>>, &mut f64)) {
        let mut by: Vec<(f64, usize)> = self
            .runs
            .iter()
            .enumerate()
            .map(|(k, (_, _, [lo, hi]))| ((p.clamp(*lo, *hi) - p).length_squared(), k))
            .collect();
        by.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
        let mut most = f64::INFINITY;
        for (far, k) in by {
            if far > most {
                break;
            }
            let (from, to, _) = self.runs[k];
            each(self.order[from..to].iter().copied(), &mut most);
        }
    }
}
