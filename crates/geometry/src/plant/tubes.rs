//! A skin of a plant that was grown by numbers: round wood, leaves of two halves, heads.
use crate::plant::limbs::Skin;
use crate::plant::species::{Grown, Part};
use glam::{DVec3, Vec3};
use std::f64::consts::TAU;

/// Sides of a tube as thick as the stem is, and of the thinnest.
const SIDES: (f64, f64) = (8.0, 3.0);
/// How far the sides of a leaf stand up, of half of its width.
const FOLD: f64 = 0.22;

/// The skin of a plant.
pub fn tubes(grown: &Grown) -> Skin {
    let mut out = Skin::default();
    let thickest = grown.thick.iter().copied().fold(1e-9, f64::max);
    let n = grown.points.len();
    // What goes on from each point: the thickest, which the tube goes on with.
    let mut next = vec![0usize; n];
    let wood = |k: usize| k > 0 && grown.parts[k] != Part::Leaf;
    for k in (1..n).filter(|k| wood(*k)) {
        let up = grown.up[k] as usize;
        if next[up] == 0 || grown.thick[k] > grown.thick[next[up]] {
            next[up] = k;
        }
    }
    for k in (1..n).filter(|k| wood(*k)) {
        let up = grown.up[k] as usize;
        if up == 0 || next[up] != k {
            tube(&mut out, grown, k, &next, thickest);
        }
    }
    for k in 1..n {
        if grown.parts[k] == Part::Leaf {
            leaf(&mut out, grown, k);
        }
    }
    for k in &grown.heads {
        ball(&mut out, grown, *k as usize);
    }
    out
}

impl Skin {
    fn point(&mut self, at: DVec3, joints: [u32; 2], share: f64) -> u32 {
        self.mesh.positions.push(at.as_vec3().to_array());
        self.joints.push([joints[0], joints[1], 0, 0]);
        self.shares.push([share as f32, 1.0 - share as f32, 0.0, 0.0]);
        self.mesh.positions.len() as u32 - 1
    }

    fn uv(&mut self, u: f64, v: f64) -> u32 {
        self.mesh.uvs.push([u as f32, v as f32]);
        self.mesh.uvs.len() as u32 - 1
    }

    /// A face by its points and their texture coordinates, in turn.
    fn face(&mut self, of: &[[u32; 2]]) {
        for k in 1..of.len() - 1 {
            let t = [of[0], of[k], of[k + 1]];
            self.mesh.triangles.push(t.map(|p| p[0]));
            self.mesh.uv_triangles.push(t.map(|p| p[1]));
        }
        self.mesh.faces.push(of.len() as u32 - 2);
    }
}

/// Wood from where it comes off to its tip.
fn tube(out: &mut Skin, grown: &Grown, first: usize, next: &[usize], thickest: f64) {
    let mut run = vec![grown.up[first] as usize, first];
    while next[run[run.len() - 1]] != 0 {
        run.push(next[run[run.len() - 1]]);
    }
    let at = |k: usize| grown.points[k];
    let share = (grown.thick[first] / thickest).powf(0.3);
    let sides = (SIDES.1 + (SIDES.0 - SIDES.1) * share).round() as usize;
    let last = run.len() - 1;
    let mut side = (at(first) - at(run[0])).normalize_or(DVec3::Y).any_orthonormal_vector();
    let mut rows: Vec<Vec<[u32; 2]>> = vec![];
    let mut along = 0.0;
    for (j, k) in run.iter().enumerate() {
        let ahead = match j {
            0 => at(run[1]) - at(run[0]),
            j if j == last => at(run[j]) - at(run[j - 1]),
            j => at(run[j + 1]) - at(run[j - 1]),
        };
        let ahead = ahead.normalize_or(DVec3::Y);
        side = side.reject_from_normalized(ahead).normalize_or(ahead.any_orthonormal_vector());
        let across = ahead.cross(side);
        let thick = match j {
            0 => grown.thick[run[1]],
            j if j == last => grown.thick[*k],
            j => 0.5 * (grown.thick[run[j]] + grown.thick[run[j + 1]]),
        };
        if j > 0 {
            along += at(*k).distance(at(run[j - 1]));
        }
        // Halfway between the two that meet there.
        let (joints, of) = match j {
            0 => ([run[1] as u32; 2], 1.0),
            j if j == last => ([*k as u32; 2], 1.0),
            j => ([*k as u32, run[j + 1] as u32], 0.5),
        };
        let row = (0..=sides).map(|s| {
            let (sin, cos) = libm::sincos(TAU * s as f64 / sides as f64);
            let uv = out.uv(s as f64 / sides as f64, along);
            let p = match s < sides {
                true => out.point(at(*k) + 0.5 * thick * (cos * side + sin * across), joints, of),
                // The seam is one in the texture alone.
                false => out.mesh.positions.len() as u32 - sides as u32,
            };
            [p, uv]
        });
        let row: Vec<[u32; 2]> = row.collect();
        rows.push(row);
    }
    for pair in rows.windows(2) {
        for s in 0..sides {
            out.face(&[pair[0][s], pair[0][s + 1], pair[1][s + 1], pair[1][s]]);
        }
    }
    let end = run[last];
    let way = (at(end) - at(run[last - 1])).normalize_or(DVec3::Y);
    let tip = out.point(at(end) + 0.5 * grown.thick[end] * way, [end as u32; 2], 1.0);
    let uv = out.uv(0.5, along + 0.5 * grown.thick[end]);
    for s in 0..sides {
        let [a, b] = [rows[last][s], rows[last][s + 1]];
        out.face(&[a, b, [tip, uv]]);
    }
}

/// Two halves that stand up a little from the middle, on a stalk.
fn leaf(out: &mut Skin, grown: &Grown, k: usize) {
    let knot = grown.up[k] as usize;
    let [long, broad] = grown.ends[k];
    let way = (grown.points[k] - grown.points[knot]).normalize_or(DVec3::Y);
    let stem = grown.points[knot] - grown.points[grown.up[knot] as usize];
    let face = stem.reject_from_normalized(way).normalize_or(way.any_orthonormal_vector());
    let aside = way.cross(face);
    let at = |u: f64, v: f64| grown.points[k] + long * u * way + broad * (v * aside + FOLD * v.abs() * face);
    let j = [k as u32; 2];
    let corners = [[-0.5, 0.0], [-0.08, 0.5], [0.5, 0.0], [-0.08, -0.5]];
    let [root, left, tip, right] =
        corners.map(|[u, v]| [out.point(at(u, v), j, 1.0), out.uv(v + 0.5, u + 0.5)]);
    out.face(&[root, tip, left]);
    out.face(&[root, right, tip]);
    // The stalk, as thin as it is.
    if grown.points[k].distance(grown.points[knot]) > 0.5 * long {
        let half = 0.5 * grown.thick[k] * aside;
        let uv = out.uv(0.5, 0.0);
        let a = out.point(grown.points[knot] - half, j, 1.0);
        let b = out.point(grown.points[knot] + half, j, 1.0);
        out.face(&[[a, uv], [b, uv], root]);
    }
}

fn ball(out: &mut Skin, grown: &Grown, k: usize) {
    const POLES: [[f32; 3]; 6] =
        [[1., 0., 0.], [-1., 0., 0.], [0., 1., 0.], [0., -1., 0.], [0., 0., 1.], [0., 0., -1.]];
    const FACES: [[usize; 3]; 8] =
        [[0, 2, 4], [4, 2, 1], [1, 2, 5], [5, 2, 0], [4, 3, 0], [1, 3, 4], [5, 3, 1], [0, 3, 5]];
    // Each face cut into four, pushed out: round enough for what is so small.
    let j = [k as u32; 2];
    let radius = 0.5 * grown.ends[k][0];
    let mut known: Vec<(Vec3, [u32; 2])> = vec![];
    let mut corner = |out: &mut Skin, d: Vec3| {
        let d = d.normalize();
        if let Some((_, found)) = known.iter().find(|(q, _)| q.distance(d) < 1e-4) {
            return *found;
        }
        let p = out.point(grown.points[k] + radius * d.as_dvec3(), j, 1.0);
        let uv = out.uv(0.5 + 0.5 * f64::from(d.x), 0.5 + 0.5 * f64::from(d.y));
        known.push((d, [p, uv]));
        [p, uv]
    };
    for f in FACES {
        let [a, b, c] = f.map(|p| Vec3::from(POLES[p]));
        let [ab, bc, ca] = [a + b, b + c, c + a];
        for t in [[a, ab, ca], [ab, b, bc], [ca, bc, c], [ab, bc, ca]] {
            let t = t.map(|d| corner(out, d));
            out.face(&t);
        }
    }
}
