//! Places on a surface that moves: a triangle and where in it, with the turn of the triangle.
use glam::{DMat3, DQuat, DVec3};
use nematon_geometry::{Mesh, nearest_shares};
use std::cmp::Ordering;
use std::collections::BinaryHeap;

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

    /// The axes of its triangle: along its first side, across, and out of it.
    pub fn axes(&self, positions: &[[f32; 3]]) -> DMat3 {
        self.frame(positions).1
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

/// A surface on which the nearest spots are found one by one.
pub struct Nearest {
    mesh: Mesh,
    boxes: Boxes,
}

impl Nearest {
    /// None of a mesh without triangles.
    pub fn of(mesh: Mesh) -> Option<Nearest> {
        let boxes = Boxes::of(&mesh);
        (!mesh.triangles.is_empty()).then_some(Nearest { mesh, boxes })
    }

    pub fn mesh(&self) -> &Mesh {
        &self.mesh
    }

    pub fn spot(&self, place: DVec3) -> Option<Spot> {
        Spot::nearest(&self.mesh, &self.boxes, place)
    }
}

/// Runs of triangles, each in a box, and boxes about boxes, down to which one goes from the nearest on.
struct Boxes {
    order: Vec<usize>,
    runs: Vec<(usize, usize)>,
    nodes: Vec<Node>,
}

struct Node {
    low: DVec3,
    high: DVec3,
    within: Within,
}

#[derive(Clone, Copy)]
enum Within {
    Boxes([usize; 2]),
    Run(usize),
}

impl Boxes {
    fn of(mesh: &Mesh) -> Boxes {
        let middle = |t: &[u32; 3], c: usize| t.iter().map(|k| mesh.positions[*k as usize][c]).sum::<f32>();
        let mut order: Vec<usize> = (0..mesh.triangles.len()).collect();
        // Cut along the longest side again and again; with whose half it is.
        type Half = Option<(usize, usize)>;
        let mut todo: Vec<(usize, usize, Half)> = vec![(0, order.len(), None)];
        let (mut runs, mut nodes): (Vec<(usize, usize)>, Vec<Node>) = (vec![], vec![]);
        while let Some((from, to, of)) = todo.pop() {
            if from == to {
                continue;
            }
            let (mut low, mut high) = (DVec3::INFINITY, DVec3::NEG_INFINITY);
            for t in &order[from..to] {
                for k in mesh.triangles[*t] {
                    let p = DVec3::from(mesh.positions[k as usize].map(f64::from));
                    (low, high) = (low.min(p), high.max(p));
                }
            }
            let me = nodes.len();
            if let Some((up, half)) = of
                && let Within::Boxes(own) = &mut nodes[up].within
            {
                own[half] = me;
            }
            if to - from <= 16 {
                nodes.push(Node { low, high, within: Within::Run(runs.len()) });
                runs.push((from, to));
                continue;
            }
            nodes.push(Node { low, high, within: Within::Boxes([me; 2]) });
            let size = high - low;
            let axis = [0, 1, 2].into_iter().fold(0, |a, c| if size[c] > size[a] { c } else { a });
            let half = (to - from) / 2;
            let key = |a: &usize| middle(&mesh.triangles[*a], axis);
            order[from..to].select_nth_unstable_by(half, |a, b| key(a).total_cmp(&key(b)).then(a.cmp(b)));
            todo.extend([(from, from + half, Some((me, 0))), (from + half, to, Some((me, 1)))]);
        }
        Boxes { order, runs, nodes }
    }

    /// Calls with runs from the nearest box on, of those as near in their order, until none can have anything nearer than the
    /// square that it is told.
    fn near(&self, p: DVec3, mut each: impl FnMut(std::iter::Copied<std::slice::Iter<usize>>, &mut f64)) {
        let mut most = f64::INFINITY;
        let mut todo = BinaryHeap::new();
        let next = |k: usize| {
            let Node { low, high, within } = &self.nodes[k];
            // Boxes are opened before a run that is as near: one of theirs may come before it.
            let order = if let Within::Run(r) = within { r + 1 } else { 0 };
            Next { far: (p.clamp(*low, *high) - p).length_squared(), order, node: k }
        };
        todo.extend((!self.nodes.is_empty()).then(|| next(0)));
        while let Some(Next { far, node, .. }) = todo.pop() {
            if far > most {
                break;
            }
            match self.nodes[node].within {
                Within::Boxes(own) => todo.extend(own.map(next)),
                Within::Run(r) => {
                    let (from, to) = self.runs[r];
                    each(self.order[from..to].iter().copied(), &mut most);
                }
            }
        }
    }
}

/// What is looked at next: the nearest, then the first.
struct Next {
    far: f64,
    order: usize,
    node: usize,
}

impl Ord for Next {
    fn cmp(&self, other: &Self) -> Ordering {
        // The heap gives the greatest.
        other.far.total_cmp(&self.far).then(other.order.cmp(&self.order)).then(other.node.cmp(&self.node))
    }
}

impl PartialOrd for Next {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl PartialEq for Next {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other) == Ordering::Equal
    }
}

impl Eq for Next {}
