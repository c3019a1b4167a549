//! Whether two features come together on their ways through a sub-step, in double precision.
//!
//! Conservative advancement: M. Li, D. Kaufman, C. Jiang, "Codimensional Incremental Potential Contact"
//! (2021), section 5 (ACCD): from a distance d, features whose points move by at most l in all can go on by
//! d / l of the way before they can meet.
use super::pairs::Kind;

type P = [f64; 3];

/// Weights, direction and distance of two features.
#[derive(Clone, Copy, Debug)]
pub struct Meeting {
    pub weight: [f64; 4],
    pub n: P,
    pub distance: f64,
}

pub fn sub(a: P, b: P) -> P {
    std::array::from_fn(|k| a[k] - b[k])
}
pub fn dot(a: P, b: P) -> f64 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}
pub fn cross(a: P, b: P) -> P {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}
fn along(a: P, s: f64, b: P) -> P {
    std::array::from_fn(|k| a[k] + s * b[k])
}

/// The nearest points of two features.
pub fn nearest(kind: Kind, x: &[P; 4]) -> Meeting {
    let of = |weight: [f64; 4]| {
        let d: P = std::array::from_fn(|c| (0..4).map(|k| weight[k] * (x[k][c] - x[3][c])).sum());
        let distance = dot(d, d).sqrt();
        Meeting { weight, n: d.map(|c| c / distance.max(1e-300)), distance }
    };
    match kind {
        Kind::Point => {
            let [p, a, b, c] = *x;
            let (ab, ac, ap) = (sub(b, a), sub(c, a), sub(p, a));
            let (d1, d2) = (dot(ab, ap), dot(ac, ap));
            let (bb, bc, cc) = (dot(ab, ab), dot(ab, ac), dot(ac, ac));
            let det = (bb * cc - bc * bc).max(1e-300);
            let (v, w) = ((cc * d1 - bc * d2) / det, (bb * d2 - bc * d1) / det);
            if v > 0.0 && w > 0.0 && v + w < 1.0 {
                return of([1.0, v + w - 1.0, -v, -w]);
            }
            let s = (d1 / bb.max(1e-300)).clamp(0.0, 1.0);
            let t = (d2 / cc.max(1e-300)).clamp(0.0, 1.0);
            let side = sub(c, b);
            let r = (dot(side, sub(p, b)) / dot(side, side).max(1e-300)).clamp(0.0, 1.0);
            let all = [of([1.0, s - 1.0, -s, 0.0]), of([1.0, t - 1.0, 0.0, -t]), of([1.0, 0.0, r - 1.0, -r])];
            all.into_iter().min_by(|a, b| a.distance.total_cmp(&b.distance)).unwrap_or(all[0])
        }
        Kind::Edges => {
            let [p, q, r, s] = *x;
            let (d, e, apart) = (sub(q, p), sub(s, r), sub(p, r));
            let (a, b, c) = (dot(d, d).max(1e-300), dot(d, e), dot(d, apart));
            let (ee, f) = (dot(e, e).max(1e-300), dot(e, apart));
            let det = a * ee - b * b;
            let first = if det > 1e-12 * a * ee { ((b * f - c * ee) / det).clamp(0.0, 1.0) } else { 0.5 };
            let t = ((b * first + f) / ee).clamp(0.0, 1.0);
            let first = ((b * t - c) / a).clamp(0.0, 1.0);
            of([1.0 - first, first, t - 1.0, -t])
        }
        Kind::Points => of([1.0, -1.0, 0.0, 0.0]),
    }
}

/// Where features that start apart first come as near as a tenth of that, or of `gap` where that is less:
/// the meeting there. `None` where they never do.
pub fn sweep(kind: Kind, x0: &[P; 4], x1: &[P; 4], gap: f64) -> Option<Meeting> {
    let mean: P = std::array::from_fn(|c| (0..4).map(|k| x1[k][c] - x0[k][c]).sum::<f64>() / 4.0);
    let way: [P; 4] = std::array::from_fn(|k| std::array::from_fn(|c| x1[k][c] - x0[k][c] - mean[c]));
    let size = |k: usize| dot(way[k], way[k]).sqrt();
    let most = match kind {
        Kind::Point => size(0) + size(1).max(size(2)).max(size(3)),
        Kind::Edges => size(0).max(size(1)) + size(2).max(size(3)),
        Kind::Points => size(0) + size(1),
    };
    let mut at = nearest(kind, x0);
    let least = 0.1 * at.distance.min(gap);
    let mut t = 0.0;
    for _ in 0..200 {
        if at.distance <= 1.2 * least {
            return Some(at);
        }
        let step = (at.distance - least) / most.max(1e-300);
        t += step;
        if t >= 1.0 {
            return None;
        }
        let x: [P; 4] = std::array::from_fn(|k| along(x0[k], t, way[k]));
        at = nearest(kind, &x);
    }
    Some(at)
}

#[cfg(test)]
mod tests {
    use super::*;

    const TRIANGLE: [P; 3] = [[0.0, 0.0, 0.0], [1.0, 0.0, 0.0], [0.0, 0.0, 1.0]];

    fn with(p: P) -> [P; 4] {
        [p, TRIANGLE[0], TRIANGLE[1], TRIANGLE[2]]
    }

    #[test]
    fn a_point_that_goes_through_is_met_on_the_side_it_came_from() {
        let hit =
            sweep(Kind::Point, &with([0.2, 0.3, 0.2]), &with([0.2, -0.5, 0.2]), 0.01).expect("a meeting");
        assert!(hit.n[1] > 0.99 && hit.distance < 0.002, "{hit:?}");
    }

    #[test]
    fn a_point_that_passes_by_or_turns_back_is_not_met() {
        assert!(sweep(Kind::Point, &with([0.9, 0.3, 0.9]), &with([0.9, -0.3, 0.9]), 0.01).is_none());
        assert!(sweep(Kind::Point, &with([0.2, 0.3, 0.2]), &with([0.2, 0.02, 0.2]), 0.01).is_none());
    }

    #[test]
    fn edges_that_cross_in_flight_are_met() {
        let still = [[0.0, 0.0, -1.0], [0.0, 0.0, 1.0]];
        let x0 = [[-1.0, 0.5, 0.1], [1.0, 0.5, 0.1], still[0], still[1]];
        let x1 = [[-1.0, -0.5, 0.1], [1.0, -0.5, 0.1], still[0], still[1]];
        assert!(sweep(Kind::Edges, &x0, &x1, 0.01).is_some_and(|m| m.n[1] > 0.99));
        let aside = [[-1.0, -0.5, 3.1], [1.0, -0.5, 3.1], still[0], still[1]];
        assert!(sweep(Kind::Edges, &x0, &aside, 0.01).is_none());
    }
}
