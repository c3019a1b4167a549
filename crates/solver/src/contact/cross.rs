//! Where surfaces cross: which edge pierces which triangle. In double precision, by signed volumes.
use super::boxes::Placed;
use super::search::Meeting;
use super::sweep::{cross, dot, sub};
use crate::simd::Record;
use rayon::prelude::*;

type P = [f64; 3];

/// An edge of one triangle that goes through another.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Pierce {
    /// Ends of the edge and the third point of its triangle.
    pub edge: [u32; 3],
    pub triangle: [u32; 3],
    /// Whether the edge is the first surface's.
    pub first: bool,
}

/// Triangles of two surfaces that cross, by number, with what pierces them.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Crossing {
    pub triangles: [u32; 2],
    pub pierces: Vec<Pierce>,
}

pub fn pierced(p: P, q: P, t: &[P; 3]) -> bool {
    let [a, b, c] = *t;
    let n = cross(sub(b, a), sub(c, a));
    let (s, e) = (dot(n, sub(p, a)), dot(n, sub(q, a)));
    if s == 0.0 || e == 0.0 || (s > 0.0) == (e > 0.0) {
        return false;
    }
    let d = sub(q, p);
    let side = |u: P, v: P| dot(d, cross(sub(u, p), sub(v, p)));
    let (x, y, z) = (side(a, b), side(b, c), side(c, a));
    (x > 0.0) == (y > 0.0) && (y > 0.0) == (z > 0.0) && x != 0.0 && y != 0.0 && z != 0.0
}

/// All crossings of two surfaces, or of one with itself, with their points where they are.
pub fn crossings((a, xa): (Placed, &[Record]), (b, xb): (Placed, &[Record]), own: bool) -> Vec<Crossing> {
    let meeting = Meeting { a, b, own, reach: 0.0 };
    let tiles = meeting.tiles();
    tiles
        .par_chunks(64)
        .flat_map_iter(|tiles| {
            let mut pairs = vec![];
            tiles.iter().for_each(|d| meeting.triangles(*d, |s, o| pairs.push([s, o])));
            pairs.into_iter().filter_map(|[s, o]| {
                let (ts, to) = (a.surface.triangles[s as usize], b.surface.triangles[o as usize]);
                let at = |x: &[Record], k: u32| x[k as usize].xyz().map(f64::from);
                let (xs, xo) = (ts.map(|k| at(xa, k)), to.map(|k| at(xb, k)));
                let mut pierces = vec![];
                for k in 0..3 {
                    let turned = |t: [u32; 3]| [t[k], t[(k + 1) % 3], t[(k + 2) % 3]];
                    let apart = |e: [u32; 3], t: &[u32; 3]| !own || !(t.contains(&e[0]) || t.contains(&e[1]));
                    let (e, f) = (turned(ts), turned(to));
                    if apart(e, &to) && pierced(xs[k], xs[(k + 1) % 3], &xo) {
                        pierces.push(Pierce { edge: e, triangle: to, first: true });
                    }
                    if apart(f, &ts) && pierced(xo[k], xo[(k + 1) % 3], &xs) {
                        pierces.push(Pierce { edge: f, triangle: ts, first: false });
                    }
                }
                (!pierces.is_empty()).then_some(Crossing { triangles: [s, o], pierces })
            })
        })
        .collect()
}

/// The way an edge should go so that the line in which the surfaces cross gets shorter; the triangle goes the
/// other way. P. Volino, N. Magnenat-Thalmann, "Resolving Surface Collisions through Intersection Contour
/// Minimization" (2006): the line's end slides along the edge as the edge moves.
pub fn shorter(edge: [P; 3], triangle: [P; 3]) -> Option<P> {
    let unit = |v: P| {
        let l = dot(v, v).sqrt();
        (l > 1e-30).then(|| v.map(|c| c / l))
    };
    let n = unit(cross(sub(triangle[1], triangle[0]), sub(triangle[2], triangle[0])))?;
    let own = unit(cross(sub(edge[1], edge[0]), sub(edge[2], edge[0])))?;
    let e = unit(sub(edge[1], edge[0]))?;
    let line = unit(cross(n, own))?;
    // Into the edge's own triangle.
    let inward = sub(edge[2], edge[0]);
    let inward = sub(inward, e.map(|c| c * dot(inward, e)));
    let line = if dot(line, inward) < 0.0 { line.map(|c| -c) } else { line };
    let across = dot(e, n);
    if across.abs() < 1e-6 {
        return None;
    }
    let k = dot(e, line) / across;
    unit(std::array::from_fn(|c| line[c] - k * n[c]))
}

#[cfg(test)]
mod tests {
    use super::*;

    const FLAT: [P; 3] = [[0.0, 0.0, 0.0], [1.0, 0.0, 0.0], [0.0, 0.0, 1.0]];

    #[test]
    fn an_edge_pierces_a_triangle_only_through_its_inside() {
        let up = |x: f64, z: f64| pierced([x, -1.0, z], [x, 1.0, z], &FLAT);
        assert!(up(0.2, 0.2) && !up(0.8, 0.8) && !up(-0.1, 0.2));
        assert!(!pierced([0.2, 0.1, 0.2], [0.2, 1.0, 0.2], &FLAT));
    }

    #[test]
    fn moving_as_told_shortens_the_line() {
        // A blade that stands in the plane, its lower edge slanted through it.
        let blade = |d: P| {
            [[0.1, -0.1, 0.2], [0.5, 0.2, 0.2], [0.1, 0.5, 0.2]]
                .map(|p: P| std::array::from_fn(|k| p[k] + d[k]))
        };
        let line = |d: P| {
            let [a, b, c] = blade(d);
            let cut = |p: P, q: P| p[0] + (q[0] - p[0]) * p[1] / (p[1] - q[1]);
            (cut(a, b) - cut(a, c)).abs()
        };
        let g = shorter(blade([0.0; 3]), FLAT).expect("a way");
        assert!(line(g.map(|c| 0.01 * c)) < line([0.0; 3]) - 1e-3);
    }
}
