//! Generated shapes against the formulas of what they stand for.
use nematon_geometry::material::{WarpAlong, material_coordinates};
use nematon_geometry::*;
use std::collections::BTreeMap;
use std::f64::consts::PI;

fn corner(m: &Mesh, t: usize) -> [[f64; 3]; 3] {
    m.triangles[t].map(|p| m.positions[p as usize].map(f64::from))
}

fn minus(a: [f64; 3], b: [f64; 3]) -> [f64; 3] {
    [a[0] - b[0], a[1] - b[1], a[2] - b[2]]
}

fn cross(a: [f64; 3], b: [f64; 3]) -> [f64; 3] {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}

fn dot(a: [f64; 3], b: [f64; 3]) -> f64 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}

fn area(m: &Mesh) -> f64 {
    let of = |t: usize| {
        let [a, b, c] = corner(m, t);
        let n = cross(minus(b, a), minus(c, a));
        0.5 * dot(n, n).sqrt()
    };
    (0..m.triangles.len()).map(of).sum()
}

/// Of a closed mesh whose triangles face outward.
fn volume(m: &Mesh) -> f64 {
    let of = |t: usize| {
        let [a, b, c] = corner(m, t);
        dot(a, cross(b, c)) / 6.0
    };
    (0..m.triangles.len()).map(of).sum()
}

/// How often each edge is gone along in each direction.
fn edges(m: &Mesh) -> BTreeMap<[u32; 2], usize> {
    let mut out = BTreeMap::new();
    for t in &m.triangles {
        (0..3).for_each(|k| *out.entry([t[k], t[(k + 1) % 3]]).or_default() += 1);
    }
    out
}

/// Points less edges plus faces: 2 for a ball, 1 for a disc, 0 for a ring or a tube.
fn euler(m: &Mesh) -> i64 {
    m.positions.len() as i64 - m.edges().len() as i64 + m.triangles.len() as i64
}

/// Every edge once in each direction: closed, and all faces the same way round.
fn closed(m: &Mesh) -> bool {
    let all = edges(m);
    all.iter().all(|(e, n)| *n == 1 && all.get(&[e[1], e[0]]) == Some(&1))
}

/// Every edge at most once in each direction.
fn one_sided(m: &Mesh) -> bool {
    edges(m).values().all(|n| *n == 1)
}

#[test]
fn balls_and_blocks_are_closed_face_outward_and_have_their_size() {
    for cells in [3, 8, 20] {
        let m = ball(0.3, cells);
        assert!(check(&m, 100_000).is_ok() && closed(&m));
        assert_eq!(euler(&m), 2);
        assert_eq!(m.positions.len() as u32, 6 * cells * cells + 2);
        for p in &m.positions {
            let r = dot(p.map(f64::from), p.map(f64::from)).sqrt();
            assert!((r - 0.3).abs() < 1e-6, "a point is {r} m from the middle");
        }
        // Flat triangles lie within: by the square of their side.
        let full = 4.0 / 3.0 * PI * 0.027;
        let short = 1.0 - volume(&m) / full;
        let bound = 1.5 / f64::from(cells * cells);
        assert!(short > 0.0 && short < bound, "{cells} cells: {short} of the volume is missing");
        assert!((1.0 - area(&m) / (4.0 * PI * 0.09)).abs() < bound);
    }
    for (size, cells) in [([0.2, 0.3, 0.5], [2, 3, 5]), ([1.0, 0.1, 2.0], [7, 1, 4])] {
        let m = block(size, cells);
        assert!(check(&m, 100_000).is_ok() && closed(&m));
        assert_eq!(euler(&m), 2);
        let [a, b, c] = size;
        assert!((volume(&m) - a * b * c).abs() < 1e-6);
        assert!((area(&m) - 2.0 * (a * b + b * c + c * a)).abs() < 1e-6);
        let (low, high) = m.bounds();
        for k in 0..3 {
            assert!((f64::from(high[k] - low[k]) - size[k]).abs() < 1e-6);
        }
    }
}

#[test]
fn a_ring_has_one_hole_and_its_size() {
    for (around, about) in [(12, 6), (48, 24), (96, 48)] {
        let m = ring(0.4, 0.1, around, about);
        assert!(check(&m, 100_000).is_ok() && closed(&m));
        assert_eq!(euler(&m), 0);
        assert_eq!(m.positions.len() as u32, around * about);
        let share = volume(&m) / (2.0 * PI * PI * 0.4 * 0.01);
        let bound = 20.0 / f64::from(about * about);
        assert!(share < 1.0 && share > 1.0 - bound, "{around} x {about}: {share} of the volume");
        for p in m.positions.iter().map(|p| p.map(f64::from)) {
            // About the upright axis.
            let off = (p[0].hypot(p[2]) - 0.4).hypot(p[1]);
            assert!((off - 0.1).abs() < 1e-6);
        }
    }
}

#[test]
fn a_tube_is_open_at_both_ends_and_has_its_size() {
    for (around, along) in [(8, 4), (40, 25)] {
        let m = tube(0.1, 0.7, around, along);
        assert!(check(&m, 100_000).is_ok() && one_sided(&m));
        assert_eq!(euler(&m), 0);
        assert_eq!(m.positions.len() as u32, around * (along + 1));
        let round = f64::from(around) * 2.0 * 0.1 * (PI / f64::from(around)).sin();
        assert!((area(&m) - round * 0.7).abs() < 1e-5, "{} where {} is expected", area(&m), round * 0.7);
        // It faces out.
        for t in 0..m.triangles.len() {
            let [a, b, c] = corner(&m, t);
            let n = cross(minus(b, a), minus(c, a));
            let out: [f64; 3] = std::array::from_fn(|k| a[k] + b[k] + c[k]);
            let axis = (0..3).max_by(|&i, &j| spread(&m, i).total_cmp(&spread(&m, j))).unwrap();
            let across: f64 = (0..3).filter(|k| *k != axis).map(|k| n[k] * out[k]).sum();
            assert!(across > 0.0, "triangle {t} faces in");
        }
        // Two borders, each once around.
        let (borders, _) = find_borders(&m);
        let around_all: usize = borders.iter().map(|b| b.points.len()).sum();
        assert!(around_all >= 2 * around as usize, "{around_all} points on borders");
    }
}

/// How far a mesh reaches along an axis.
fn spread(m: &Mesh, axis: usize) -> f64 {
    let (low, high) = m.bounds();
    f64::from(high[axis] - low[axis])
}

#[test]
fn a_disc_is_flat_round_and_faces_up() {
    for rings in [1, 4, 16] {
        let m = disc(0.5, rings);
        assert!(check(&m, 100_000).is_ok() && one_sided(&m));
        assert_eq!(euler(&m), 1);
        assert_eq!(m.positions.len() as u32, 1 + 3 * rings * (rings + 1));
        let sides = f64::from(6 * rings);
        let law = 0.5 * sides * 0.25 * (2.0 * PI / sides).sin();
        assert!((area(&m) - law).abs() < 1e-5, "{} where {law} is expected", area(&m));
        for t in 0..m.triangles.len() {
            let [a, b, c] = corner(&m, t);
            assert!(cross(minus(b, a), minus(c, a))[1] > 0.0);
        }
    }
}

#[test]
fn rest_corners_in_the_plane_are_as_long_and_as_large_as_in_space() {
    let shapes = [
        sheet(1.2, 0.7, 9, 6),
        disc(0.5, 6),
        ball(0.3, 6),
        tube(0.1, 0.5, 12, 6),
        block([0.2, 0.3, 0.4], [2, 3, 4]),
    ];
    for (k, m) in shapes.into_iter().chain([ring(0.4, 0.1, 24, 12)]).enumerate() {
        for warp in [WarpAlong::U, WarpAlong::V] {
            let frames = material_coordinates(&m, warp);
            assert_eq!(frames.len(), m.triangles.len());
            for (t, f) in frames.iter().enumerate() {
                let x = corner(&m, t);
                for (i, j) in [(0, 1), (1, 2), (2, 0)] {
                    let flat = f64::from(f[i][0] - f[j][0]).hypot(f64::from(f[i][1] - f[j][1]));
                    let d = minus(x[i], x[j]);
                    assert!((flat - dot(d, d).sqrt()).abs() < 2e-6, "shape {k}, triangle {t}: {flat}");
                }
            }
        }
    }
}

#[test]
fn layers_are_copies_that_share_nothing_each_a_step_from_the_one_before() {
    let one = disc(0.2, 3);
    let many = layers(&one, 5, |p| p.iter_mut().for_each(|p| p[1] += 0.01));
    let n = one.positions.len();
    assert_eq!((many.positions.len(), many.triangles.len()), (5 * n, 5 * one.triangles.len()));
    for (k, t) in many.triangles.iter().enumerate() {
        let layer = k / one.triangles.len();
        assert!(t.iter().all(|p| *p as usize / n == layer), "triangle {k} spans layers");
    }
    for (k, p) in many.positions.iter().enumerate() {
        let (layer, q) = (k / n, one.positions[k % n]);
        assert!((p[1] - q[1] - 0.01 * layer as f32).abs() < 1e-6 && p[0] == q[0] && p[2] == q[2]);
    }
    assert!((area(&many) - 5.0 * area(&one)).abs() < 1e-6);
    assert!(check(&many, 100_000).is_ok());
}

#[test]
fn turning_and_placing_keeps_all_lengths() {
    let m = ball(0.3, 5);
    for (position, turn) in
        [([1.0, -2.0, 3.0], [0.3, -1.2, 2.5]), ([0.0; 3], [PI, 0.0, 0.0]), ([9.0; 3], [0.0, 7.0, 0.1])]
    {
        let mut moved = m.clone();
        place(&mut moved.positions, position, turn);
        assert!(
            (volume(&Mesh {
                positions: moved
                    .positions
                    .iter()
                    .map(|p| std::array::from_fn(|c| p[c] - position[c] as f32))
                    .collect(),
                ..m.clone()
            }) - volume(&m))
            .abs()
                < 1e-6
        );
        for [a, b] in m.edges() {
            let long = |m: &Mesh| {
                let d = minus(m.positions[a as usize].map(f64::from), m.positions[b as usize].map(f64::from));
                dot(d, d).sqrt()
            };
            assert!((long(&m) - long(&moved)).abs() < 3e-6);
        }
        let t = turn_matrix(turn);
        for i in 0..3 {
            for j in 0..3 {
                let product: f64 = (0..3).map(|k| t[k][i] * t[k][j]).sum();
                assert!((product - f64::from(u8::from(i == j))).abs() < 1e-12);
            }
        }
    }
}
