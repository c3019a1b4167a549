//! The place that the demo's shots are in: the deck, the frames over it, and the ridge behind. Seen, and never computed.
use nematon_document::{Camera, CameraId, Figure, FigureId, MeshSource, Node, Parent, Surface};
use std::f64::consts::TAU;
use std::fmt::Write;

type Vec3 = [f64; 3];

/// A mesh as it is built, each face with corners of its own: edges are edges.
#[derive(Default)]
struct Built {
    text: String,
    points: usize,
}

impl Built {
    fn new(name: &str) -> Built {
        Built { text: format!("o {name}\n"), points: 0 }
    }

    fn point(&mut self, p: Vec3) -> usize {
        // Writing to a string can't fail.
        let _ = writeln!(self.text, "v {:.4} {:.4} {:.4}", p[0], p[1], p[2]);
        self.points += 1;
        self.points
    }

    fn quad(&mut self, corners: [usize; 4]) {
        let [a, b, c, d] = corners;
        let _ = writeln!(self.text, "f {a} {b} {c} {d}");
    }

    /// A timber from one place to another, so wide and so high; its width lies level.
    fn timber(&mut self, from: Vec3, to: Vec3, wide: f64, high: f64) {
        let way = unit([0, 1, 2].map(|k| to[k] - from[k]));
        let across = if way[1].abs() > 0.95 { [1.0, 0.0, 0.0] } else { unit([way[2], 0.0, -way[0]]) };
        let up = cross(way, across);
        let at = |end: Vec3, a: f64, b: f64| {
            [0, 1, 2].map(|k| end[k] + 0.5 * (a * wide * across[k] + b * high * up[k]))
        };
        let ring =
            |end: Vec3| [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)].map(|(a, b)| at(end, a, b));
        let (p, q) = (ring(from), ring(to));
        let mut face = |corners: [Vec3; 4]| {
            let corners = corners.map(|c| self.point(c));
            self.quad(corners);
        };
        for k in 0..4 {
            let next = (k + 1) % 4;
            face([p[k], p[next], q[next], q[k]]);
        }
        face([p[3], p[2], p[1], p[0]]);
        face(q);
    }
}

fn cross(a: Vec3, b: Vec3) -> Vec3 {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}
fn unit(a: Vec3) -> Vec3 {
    let l = (a[0] * a[0] + a[1] * a[1] + a[2] * a[2]).sqrt();
    a.map(|c| c / l)
}
/// Between 0 and 1, another for each number, the same every time.
fn chance(k: usize) -> f64 {
    let x = libm::sin(12.9898 * k as f64 + 4.1) * 43_758.545;
    x - x.floor()
}

/// Planks on joists on posts: its top is level at height 0.
pub(super) fn deck() -> String {
    let mut m = Built::new("deck");
    let (wide, deep, plank, gap, thick) = (6.4, 4.4, 0.155, 0.009, 0.035);
    let count = (wide / (plank + gap)) as usize;
    for k in 0..count {
        let x = (k as f64 + 0.5 - 0.5 * count as f64) * (plank + gap);
        // No two are sawn off alike.
        let [near, far] = [0, 1].map(|e| 0.5 * deep + 0.06 * (chance(2 * k + e) - 0.5));
        m.timber([x, -0.5 * thick, -far], [x, -0.5 * thick, near], plank, thick);
    }
    for k in 0..4 {
        let z = (f64::from(k) / 3.0 - 0.5) * (deep - 0.5);
        m.timber([-0.5 * wide + 0.1, -0.12, z], [0.5 * wide - 0.1, -0.12, z], 0.09, 0.16);
        for x in [-0.5 * wide + 0.3, 0.5 * wide - 0.3] {
            m.timber([x, -3.2, z], [x, -0.2, z], 0.14, 0.14);
        }
    }
    m.text
}

/// What the landing canopy is laced to: posts at three corners and in the middle of the gully side, rails between them. The last
/// corner is free.
pub(super) fn canopy_frame() -> String {
    let mut m = Built::new("canopy frame");
    let (x, z, tilt) = (2.1 + 0.05, 1.1 + 0.045, 0.1_f64);
    let at = |x: f64, z: f64| [x, 1.85 - z * tilt.sin() + 0.012, z * tilt.cos()];
    let (end, over) = (0.86, 0.16);
    m.timber(at(-x - over, -z), at(x + over, -z), 0.06, 0.06);
    m.timber(at(-x - over, z), at(end + over, z), 0.06, 0.06);
    m.timber(at(-x, -z - over), at(-x, z + over), 0.05, 0.05);
    for foot in [at(-x, -z), at(x, -z), at(-x, z), at(end, z)] {
        m.timber([foot[0], -0.02, foot[2]], [foot[0], foot[1] - 0.03, foot[2]], 0.085, 0.085);
    }
    m.text
}

/// What the Courier's canopy hangs in, about its own middle: it sways with it.
pub(super) fn landing_frame() -> String {
    let mut m = Built::new("landing frame");
    let (x, z, over) = (1.6 + 0.05, 1.3 + 0.05, 0.14);
    m.timber([-x - over, 0.01, -z], [x + over, 0.01, -z], 0.06, 0.06);
    for side in [-x, x] {
        m.timber([side, 0.01, -z - over], [side, 0.01, z + over], 0.06, 0.06);
        for end in [-z, z] {
            m.timber([side, -1.9, end], [side, -0.02, end], 0.085, 0.085);
        }
    }
    m.text
}

/// The slope that the deck stands over, the gully before it and the ridge behind.
pub(super) fn ridge() -> String {
    let mut m = Built::new("ridge");
    let (rings, round) = (40usize, 84usize);
    let wave = |a: f64, b: f64, k: f64| libm::sin(a * k + 1.7 * libm::sin(b * 0.6 * k + 0.4) + 2.3);
    let height = |x: f64, z: f64| {
        let r = (x * x + z * z).sqrt();
        // Down to the gully, up to the ridge, which closes the view behind.
        let slope = -0.9 - 0.16 * z * (r / (r + 5.0));
        let back = ((-z - 9.0) / 26.0).clamp(0.0, 1.0);
        let hill =
            back * back * (3.0 - 2.0 * back) * (1.5 + 1.5 * wave(x, z, 0.045) + 0.5 * wave(x, z, 0.13));
        let rough = 0.16 * wave(x, z, 0.55) + 0.3 * wave(z, x, 0.21);
        let far = ((r - 60.0) / 80.0).max(0.0);
        slope.max(-7.0) + hill + rough * (r / (r + 3.0)) - 9.0 * far
    };
    let mut rows: Vec<Vec<usize>> = vec![];
    for k in 0..rings {
        let r = 0.9 * libm::pow(150.0 / 0.9, k as f64 / (rings - 1) as f64);
        let row = (0..round).map(|i| {
            let a = TAU * (i as f64 + 0.5 * (k % 2) as f64) / round as f64;
            let (x, z) = (r * libm::cos(a), r * libm::sin(a));
            [x, height(x, z), z]
        });
        let row: Vec<Vec3> = row.collect();
        rows.push(row.into_iter().map(|p| m.point(p)).collect());
    }
    let middle = m.point([0.0, height(0.0, 0.0), 0.0]);
    for i in 0..round {
        let next = (i + 1) % round;
        let _ = writeln!(m.text, "f {middle} {} {}", rows[0][next], rows[0][i]);
        for k in 1..rings {
            let (a, b) = (&rows[k - 1], &rows[k]);
            // Rows stand half a step apart by turns.
            let [p, q] = if k % 2 == 1 { [i, next] } else { [next, i] };
            let _ = writeln!(m.text, "f {} {} {}", a[i], a[next], b[p]);
            if k % 2 == 1 {
                let _ = writeln!(m.text, "f {} {} {}", a[next], b[q], b[p]);
            } else {
                let _ = writeln!(m.text, "f {} {} {}", a[i], b[p], b[q]);
            }
        }
    }
    m.text
}

/// Something of the place, by its file.
pub(super) fn scenery(id: &str, name: &str, surface: Surface, place: Node) -> (FigureId, Figure) {
    let from = MeshSource::File(format!("{id}.obj"));
    (id.into(), Figure { place, surface: Some(surface), scenery: true, ..Figure::of(name, from) })
}

/// The deck with its top at a height, and the ridge.
pub(super) fn deck_and_ridge(height: f64) -> Vec<(FigureId, Figure)> {
    let at = |y: f64| Node::still([0.0, y, 0.0], [0.0; 3]);
    vec![
        scenery("deck", "Deck", Surface::Wood, at(height)),
        scenery("ridge", "Ridge", Surface::Turf, at(height)),
    ]
}

/// The frame that the Courier's canopy hangs in, on the handle that sways it.
pub(super) fn swaying_frame() -> (FigureId, Figure) {
    let on = Some(Parent::Handle("frame".into()));
    scenery("landing-frame", "Landing frame", Surface::Wood, Node { on, ..Node::default() })
}

/// A view that a scene opens with, at a frame worth seeing.
pub(super) fn view(name: &str, from: Vec3, at: Vec3, frame: i64) -> (CameraId, Camera) {
    ("front".into(), Camera { opens: Some(frame), ..Camera::looking(name, from, at) })
}
