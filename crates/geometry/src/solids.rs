//! Generated shapes other than the sheet. Points and triangles only; no UVs: warp is carried over the mesh.
use crate::{Border, Mesh};
use std::collections::BTreeMap;
use std::f64::consts::{FRAC_PI_4, TAU};

/// A level disc about the origin, facing up, in rings of 6, 12, 18, ... points. Border: rim.
pub fn disc(radius: f64, rings: u32) -> Mesh {
    let mut m = Mesh { positions: vec![[0.0; 3]], ..Mesh::default() };
    let start = |r: u32| if r == 0 { 0 } else { 1 + 3 * r * (r - 1) };
    for r in 1..=rings {
        let far = radius * f64::from(r) / f64::from(rings);
        for k in 0..6 * r {
            let (s, c) = libm::sincos(TAU * f64::from(k) / f64::from(6 * r));
            m.positions.push([(far * c) as f32, 0.0, (-far * s) as f32]);
        }
    }
    for r in 1..=rings {
        let (inner, outer) = ((r - 1).max(1) * 6, r * 6);
        let at_in = |k: u32| if r == 1 { 0 } else { start(r - 1) + k % inner };
        let at_out = |k: u32| start(r) + k % outer;
        for side in 0..6 {
            for k in 0..r {
                let (o, i) = (side * r + k, side * (r - 1) + k);
                m.triangles.push([at_in(i), at_out(o), at_out(o + 1)]);
                if k + 1 < r {
                    m.triangles.push([at_in(i), at_out(o + 1), at_in(i + 1)]);
                }
            }
        }
    }
    let points = (0..6 * rings).map(|k| start(rings) + k).collect();
    m.borders = vec![Border { name: "rim".into(), points, closed: true }];
    m
}

/// A ball of six patches of `cells` by `cells`, evened out.
pub fn ball(radius: f64, cells: u32) -> Mesh {
    // Equal angles along each side, so that cells are of a size.
    let even = |p: [f64; 3]| {
        let q = p.map(|c| libm::tan(c * FRAC_PI_4));
        let size = (q[0] * q[0] + q[1] * q[1] + q[2] * q[2]).sqrt();
        q.map(|c| radius * c / size)
    };
    boxed([cells; 3], even)
}

/// A box about the origin.
pub fn block(size: [f64; 3], cells: [u32; 3]) -> Mesh {
    boxed(cells, |p| std::array::from_fn(|c| 0.5 * size[c] * p[c]))
}

/// The skin of a cube of cells, each side from -1 to 1, its points put where `to` says.
fn boxed(cells: [u32; 3], to: impl Fn([f64; 3]) -> [f64; 3]) -> Mesh {
    let mut m = Mesh::default();
    let mut known: BTreeMap<[u32; 3], u32> = BTreeMap::new();
    let mut at = |g: [u32; 3], m: &mut Mesh| {
        *known.entry(g).or_insert_with(|| {
            let p = to(std::array::from_fn(|c| 2.0 * f64::from(g[c]) / f64::from(cells[c]) - 1.0));
            m.positions.push(p.map(|c| c as f32));
            m.positions.len() as u32 - 1
        })
    };
    for axis in 0..3 {
        let (u, v) = ((axis + 1) % 3, (axis + 2) % 3);
        for (end, outward) in [(0, false), (cells[axis], true)] {
            for i in 0..cells[u] {
                for j in 0..cells[v] {
                    let mut corner = |di: u32, dj: u32| {
                        let mut g = [0; 3];
                        (g[axis], g[u], g[v]) = (end, i + di, j + dj);
                        at(g, &mut m)
                    };
                    let q = [corner(0, 0), corner(1, 0), corner(1, 1), corner(0, 1)];
                    let q = if outward { q } else { [q[0], q[3], q[2], q[1]] };
                    quad(&mut m, q, (i + j) % 2 == 0);
                }
            }
        }
    }
    m
}

/// An upright open tube about the origin. Borders: top, bottom.
pub fn tube(radius: f64, length: f64, around: u32, along: u32) -> Mesh {
    let mut m = Mesh::default();
    for j in 0..=along {
        for i in 0..around {
            let (s, c) = libm::sincos(TAU * f64::from(i) / f64::from(around));
            let y = length * (0.5 - f64::from(j) / f64::from(along));
            m.positions.push([(radius * c) as f32, y as f32, (-radius * s) as f32]);
        }
    }
    let at = |i: u32, j: u32| j * around + i % around;
    for j in 0..along {
        for i in 0..around {
            quad(&mut m, [at(i, j), at(i, j + 1), at(i + 1, j + 1), at(i + 1, j)], (i + j) % 2 == 0);
        }
    }
    let border = |name: &str, j: u32| Border {
        name: name.into(),
        points: (0..around).map(|i| at(i, j)).collect(),
        closed: true,
    };
    m.borders = vec![border("top", 0), border("bottom", along)];
    m
}

/// A level ring about the origin.
pub fn ring(radius: f64, tube: f64, around: u32, about: u32) -> Mesh {
    let mut m = Mesh::default();
    for i in 0..around {
        let (s, c) = libm::sincos(TAU * f64::from(i) / f64::from(around));
        for j in 0..about {
            let (t, d) = libm::sincos(TAU * f64::from(j) / f64::from(about));
            let far = radius + tube * d;
            m.positions.push([(far * c) as f32, (tube * t) as f32, (-far * s) as f32]);
        }
    }
    let at = |i: u32, j: u32| (i % around) * about + j % about;
    for i in 0..around {
        for j in 0..about {
            quad(&mut m, [at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)], (i + j) % 2 == 0);
        }
    }
    m
}

fn quad(m: &mut Mesh, [a, b, c, d]: [u32; 4], one: bool) {
    m.faces.push(2);
    m.triangles.extend(if one { [[a, b, c], [a, c, d]] } else { [[a, b, d], [b, c, d]] });
}

/// Copies of a mesh as layers of one: each placed from the one before by `step`. Borders and corners of the
/// first keep their names, and those of others have their number after it.
pub fn layers(mesh: &Mesh, count: u32, mut step: impl FnMut(&mut Vec<[f32; 3]>)) -> Mesh {
    let mut out = mesh.clone();
    let mut at = mesh.positions.clone();
    let (n, uvs) = (mesh.positions.len() as u32, mesh.uvs.len() as u32);
    for k in 1..count {
        step(&mut at);
        let (first, uv) = (k * n, k * uvs);
        out.positions.extend(&at);
        out.uvs.extend(&mesh.uvs);
        out.triangles.extend(mesh.triangles.iter().map(|t| t.map(|p| p + first)));
        out.uv_triangles.extend(mesh.uv_triangles.iter().map(|t| t.map(|p| p + uv)));
        out.faces.extend(&mesh.faces);
        let named = |name: &str| format!("{name} {}", k + 1);
        out.borders.extend(mesh.borders.iter().map(|b| Border {
            name: named(&b.name),
            points: b.points.iter().map(|p| p + first).collect(),
            closed: b.closed,
        }));
        out.corners.extend(
            mesh.corners.iter().map(|c| crate::Corner { name: named(&c.name), point: c.point + first }),
        );
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::check;
    use std::f64::consts::PI;

    fn area(m: &Mesh) -> f64 {
        let p = |k: u32| m.positions[k as usize].map(f64::from);
        m.triangles
            .iter()
            .map(|t| {
                let [a, b, c] = t.map(p);
                let (u, v): ([f64; 3], [f64; 3]) =
                    (std::array::from_fn(|k| b[k] - a[k]), std::array::from_fn(|k| c[k] - a[k]));
                let n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
                0.5 * n.iter().map(|c| c * c).sum::<f64>().sqrt()
            })
            .sum()
    }

    /// Six times the volume inside: positive where triangles face out.
    fn volume(m: &Mesh) -> f64 {
        let p = |k: u32| m.positions[k as usize].map(f64::from);
        let each = m.triangles.iter().map(|t| {
            let [a, b, c] = t.map(p);
            a[0] * (b[1] * c[2] - b[2] * c[1])
                + a[1] * (b[2] * c[0] - b[0] * c[2])
                + a[2] * (b[0] * c[1] - b[1] * c[0])
        });
        each.sum::<f64>() / 6.0
    }

    #[test]
    fn shapes_have_the_area_volume_and_points_that_geometry_says() {
        let near = |got: f64, want: f64, what: &str| {
            assert!((got / want - 1.0).abs() < 0.01, "{what}: {got}, {want}")
        };
        for m in [
            disc(0.5, 24),
            ball(0.3, 16),
            block([0.2, 0.3, 0.4], [4, 6, 8]),
            tube(0.1, 0.8, 48, 20),
            ring(0.5, 0.1, 96, 48),
        ] {
            assert_eq!(check(&m, 100_000), Ok(()));
        }
        near(area(&disc(0.5, 24)), PI * 0.25, "disc");
        assert!(
            disc(0.5, 3).triangles.iter().all(|t| t.iter().all(|p| *p < 37))
                && disc(0.5, 3).positions.len() == 37
        );
        near(volume(&ball(0.3, 16)), 4.0 / 3.0 * PI * 0.027, "ball");
        assert_eq!(ball(0.3, 16).positions.len(), 6 * 256 + 2);
        near(volume(&block([0.2, 0.3, 0.4], [4, 6, 8])), 0.024, "box");
        near(area(&tube(0.1, 0.8, 48, 20)), TAU * 0.08, "tube");
        near(volume(&ring(0.5, 0.1, 96, 48)), 2.0 * PI * PI * 0.5 * 0.01, "ring");
    }

    #[test]
    fn layers_are_apart_and_keep_their_borders() {
        let sheet = crate::sheet(0.2, 0.2, 4, 4);
        let m = layers(&sheet, 3, |p| p.iter_mut().for_each(|p| p[1] += 0.01));
        assert_eq!((m.positions.len(), m.triangles.len()), (48, 54));
        assert!((m.positions[47][1] - 0.02).abs() < 1e-6);
        assert!(m.borders.iter().any(|b| b.name == "back 3" && b.points[0] == 32));
    }
}
