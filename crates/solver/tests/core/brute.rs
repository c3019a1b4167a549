//! Crossings and depths counted with no tree, no margin and no code of the core's: every triangle against
//! every other by where one's edges meet the other's plane.

type P = [f64; 3];
/// Points and triangles.
type Mesh<'a> = (&'a [[f32; 3]], &'a [[u32; 3]]);

fn minus(a: P, b: P) -> P {
    [a[0] - b[0], a[1] - b[1], a[2] - b[2]]
}

fn inner(a: P, b: P) -> f64 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}

fn outer(a: P, b: P) -> P {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}

/// Whether the segment meets the inside of the triangle: by the point in its plane, told by areas.
fn goes_through(p: P, q: P, t: [P; 3]) -> bool {
    let n = outer(minus(t[1], t[0]), minus(t[2], t[0]));
    let (d, e) = (inner(n, minus(p, t[0])), inner(n, minus(q, t[0])));
    if d * e >= 0.0 {
        return false;
    }
    let s = d / (d - e);
    let at: P = std::array::from_fn(|k| p[k] + s * (q[k] - p[k]));
    (0..3).all(|k| inner(n, outer(minus(t[(k + 1) % 3], t[k]), minus(at, t[k]))) > 0.0)
}

/// Pairs of triangles that cross. Triangles of `a` against those of `b`, or against each other where `b` is
/// left out.
pub fn crossings(a: Mesh, b: Option<Mesh>) -> usize {
    let own = b.is_none();
    let b = b.unwrap_or(a);
    let corners = |m: Mesh, t: usize| m.1[t].map(|p| m.0[p as usize].map(f64::from));
    let range = |t: [P; 3], c: usize| {
        let v = t.map(|p| p[c]);
        (v[0].min(v[1]).min(v[2]), v[0].max(v[1]).max(v[2]))
    };
    // In order of x, so that only those that overlap there are looked at.
    let mut order: Vec<usize> = (0..b.1.len()).collect();
    order.sort_by(|&s, &t| range(corners(b, s), 0).0.total_cmp(&range(corners(b, t), 0).0));
    let low: Vec<f64> = order.iter().map(|&t| range(corners(b, t), 0).0).collect();
    let widest = order.iter().map(|&t| range(corners(b, t), 0)).fold(0.0f64, |m, (l, h)| m.max(h - l));
    let mut count = 0;
    for s in 0..a.1.len() {
        let t = corners(a, s);
        let (from, to) = range(t, 0);
        for &o in &order[low.partition_point(|l| *l < from - widest)..low.partition_point(|l| *l <= to)] {
            if own && o <= s {
                continue;
            }
            let u = corners(b, o);
            if (0..3).any(|c| range(t, c).0 > range(u, c).1 || range(u, c).0 > range(t, c).1) {
                continue;
            }
            let shares = |t: [u32; 3], k: usize, o: [u32; 3]| {
                own && [t[k], t[(k + 1) % 3]].iter().any(|p| o.contains(p))
            };
            let (ti, oi) = (a.1[s], b.1[o]);
            let crossed = (0..3).any(|k| {
                (!shares(ti, k, oi) && goes_through(t[k], t[(k + 1) % 3], u))
                    || (!shares(oi, k, ti) && goes_through(u[k], u[(k + 1) % 3], t))
            });
            count += usize::from(crossed);
        }
    }
    count
}

#[test]
fn it_counts_what_crosses_and_nothing_else() {
    let flat = [[0.0, 0.0, 0.0], [1.0, 0.0, 0.0], [0.0, 0.0, 1.0]];
    let blade = [[0.2, -0.5, 0.2], [0.3, 0.5, 0.2], [0.2, 0.5, 0.4]];
    let away = blade.map(|[x, y, z]| [x + 2.0, y, z]);
    let t = [[0u32, 1, 2]];
    assert_eq!(crossings((&flat, &t), Some((&blade, &t))), 1);
    assert_eq!(crossings((&flat, &t), Some((&away, &t))), 0);
}
