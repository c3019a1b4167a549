//! Distances along a surface, from a place or from a row of points.
//!
//! A front goes from point to point, the nearest first, as in R. Kimmel, J. Sethian, "Computing Geodesic Paths on Manifolds"
//! (1998). What it carries over an edge is laid out in the plane of the next triangle: from a place, the circle about it as it would be seen
//! there (M. Novotni, R. Klein, "Computing Geodesic Distances on Triangular Meshes", 2002, sect. 4: the source is unfolded), which is
//! exact on whatever can be rolled out flat; from a row of points, a straight front (Kimmel and Sethian, eq. 4).
use glam::DVec3;
use std::cmp::Ordering;
use std::collections::BinaryHeap;

/// Which triangles are about each point.
#[derive(Clone, Debug, Default)]
pub struct About {
    from: Vec<u32>,
    triangles: Vec<u32>,
}

impl About {
    pub fn of(triangles: &[[u32; 3]], points: usize) -> About {
        let mut from = vec![0u32; points + 1];
        triangles.iter().flatten().for_each(|p| from[*p as usize + 1] += 1);
        (0..points).for_each(|k| from[k + 1] += from[k]);
        let mut next = from.clone();
        let mut of = vec![0u32; 3 * triangles.len()];
        for (t, corners) in triangles.iter().enumerate() {
            for p in corners {
                of[next[*p as usize] as usize] = t as u32;
                next[*p as usize] += 1;
            }
        }
        About { from, triangles: of }
    }

    /// The triangles about a point.
    pub fn point(&self, p: u32) -> &[u32] {
        &self.triangles[self.from[p as usize] as usize..self.from[p as usize + 1] as usize]
    }
}

/// What distances are measured from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum From {
    /// A place: fronts are circles.
    Place,
    /// A row of points: fronts are straight where it is.
    Row,
}

/// A front on its way over a surface. Its arrays are used again: a walk costs by how far it goes, not by how large the
/// surface is.
#[derive(Clone, Debug, Default)]
pub struct Walk {
    far: Vec<f64>,
    settled: Vec<bool>,
    touched: Vec<u32>,
    heap: BinaryHeap<Next>,
}

#[derive(Clone, Copy, Debug)]
struct Next(f64, u32);

impl PartialEq for Next {
    fn eq(&self, other: &Next) -> bool {
        self.cmp(other) == Ordering::Equal
    }
}
impl Eq for Next {}
impl PartialOrd for Next {
    fn partial_cmp(&self, other: &Next) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}
impl Ord for Next {
    /// The nearest is the greatest; of two, the one of the lower number.
    fn cmp(&self, other: &Next) -> Ordering {
        other.0.total_cmp(&self.0).then(other.1.cmp(&self.1))
    }
}

/// A surface as a walk takes it.
#[derive(Clone, Copy)]
pub struct Surface<'a> {
    /// Metres.
    pub positions: &'a [[f32; 3]],
    pub triangles: &'a [[u32; 3]],
    pub about: &'a About,
}

impl Walk {
    /// Goes over a surface as far as `reach` (metres) from some points that are so far away already, by triangles that are
    /// `open`. What it found is told by [`Walk::found`] until the next.
    pub fn go(
        &mut self,
        on: Surface,
        from: From,
        sources: &[(u32, f64)],
        reach: f64,
        open: impl Fn(u32) -> bool,
    ) {
        for p in self.touched.drain(..) {
            self.far[p as usize] = f64::INFINITY;
            self.settled[p as usize] = false;
        }
        self.heap.clear();
        self.far.resize(on.positions.len(), f64::INFINITY);
        self.settled.resize(on.positions.len(), false);
        for (p, far) in sources {
            self.reach(*p, *far);
        }
        while let Some(Next(far, p)) = self.heap.pop() {
            if self.settled[p as usize] || far > self.far[p as usize] {
                continue;
            }
            if far > reach {
                break;
            }
            self.settled[p as usize] = true;
            for &t in on.about.point(p) {
                if !open(t) {
                    continue;
                }
                let corners = on.triangles[t as usize];
                let Some(k) = corners.iter().position(|c| *c == p) else { continue };
                let (q, r) = (corners[(k + 1) % 3], corners[(k + 2) % 3]);
                self.carry(on, from, p, q, r);
                self.carry(on, from, p, r, q);
            }
        }
    }

    /// Carries what is known at `p`, and with it at `q` where that is settled too, to `to`.
    fn carry(&mut self, on: Surface, from: From, p: u32, q: u32, to: u32) {
        let at = |k: u32| DVec3::from(on.positions[k as usize].map(f64::from));
        let (a, c) = (at(p), at(to));
        let da = self.far[p as usize];
        let mut found = da + a.distance(c);
        if self.settled[q as usize] {
            let (b, db) = (at(q), self.far[q as usize]);
            let own = match from {
                From::Place => circle(a, b, c, da, db),
                From::Row => straight(a, b, c, da, db),
            };
            found = own.map_or(found, |o| o.min(found));
        }
        self.reach(to, found);
    }

    fn reach(&mut self, p: u32, far: f64) {
        let own = &mut self.far[p as usize];
        // One that was settled too early, by one edge before the other end of the edge across was, is settled again.
        if far < *own * (1.0 - 1e-9) {
            if own.is_infinite() {
                self.touched.push(p);
            }
            *own = far;
            self.settled[p as usize] = false;
            self.heap.push(Next(far, p));
        }
    }

    /// The points that the last walk came to, with their distances in metres, in no order that means anything.
    pub fn found(&self) -> impl Iterator<Item = (u32, f64)> + '_ {
        let all = self.touched.iter().filter(|p| self.settled[**p as usize]);
        all.map(|p| (*p, self.far[*p as usize]))
    }
}

/// A triangle laid out in the plane: `a` at the origin, `b` on the first axis, `c` above it. `None` where it has no area.
fn laid(a: DVec3, b: DVec3, c: DVec3) -> Option<(f64, [f64; 2])> {
    let (ab, ac) = (b - a, c - a);
    let base = ab.length();
    let x = ac.dot(ab) / base;
    let y = (ac.length_squared() - x * x).max(0.0).sqrt();
    (base > 0.0 && y > 1e-9 * base).then_some((base, [x, y]))
}

/// How far `c` is from a place that is `da` from `a` and `db` from `b`, where the way there crosses the edge between them.
fn circle(a: DVec3, b: DVec3, c: DVec3, da: f64, db: f64) -> Option<f64> {
    let (base, [x, y]) = laid(a, b, c)?;
    let sx = (da * da - db * db + base * base) / (2.0 * base);
    let below = da * da - sx * sx;
    // Rounding puts a place that is on the edge a little beside it.
    if below < -1e-9 * base * base {
        return None;
    }
    let sy = -below.max(0.0).sqrt();
    let cross = sx + (x - sx) * (-sy / (y - sy));
    (-1e-9 * base..=base * (1.0 + 1e-9)).contains(&cross).then(|| (x - sx).hypot(y - sy))
}

/// When a straight front that is at `a` by `da` and at `b` by `db` is at `c`, where it comes there over the edge between them.
fn straight(a: DVec3, b: DVec3, c: DVec3, da: f64, db: f64) -> Option<f64> {
    let (base, [x, y]) = laid(a, b, c)?;
    let along = (db - da) / base;
    let up = (1.0 - along * along).max(0.0).sqrt();
    if up < 1e-9 {
        return None;
    }
    let cross = x - y * along / up;
    (-1e-9 * base..=base * (1.0 + 1e-9)).contains(&cross).then_some(da + along * x + up * y)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Mesh, shape};

    fn distances(mesh: &Mesh, from: From, sources: &[(u32, f64)]) -> Vec<f64> {
        let about = About::of(&mesh.triangles, mesh.positions.len());
        let on = Surface { positions: &mesh.positions, triangles: &mesh.triangles, about: &about };
        let mut walk = Walk::default();
        walk.go(on, from, sources, f64::INFINITY, |_| true);
        let mut out = vec![f64::INFINITY; mesh.positions.len()];
        walk.found().for_each(|(p, far)| out[p as usize] = far);
        out
    }

    fn grid(n: usize, place: impl Fn(f64, f64) -> [f64; 3]) -> Mesh {
        let mut mesh = Mesh::default();
        for j in 0..=n {
            for i in 0..=n {
                let p = place(i as f64 / n as f64, j as f64 / n as f64);
                mesh.positions.push(p.map(|c| c as f32));
                if i < n && j < n {
                    let a = (j * (n + 1) + i) as u32;
                    let (b, c, d) = (a + 1, a + n as u32 + 1, a + n as u32 + 2);
                    mesh.triangles.extend([[a, b, d], [a, d, c]]);
                }
            }
        }
        mesh
    }

    #[test]
    fn on_a_flat_sheet_from_a_place_it_is_exact_and_from_a_border_too() {
        let n = 40;
        let mesh = grid(n, |u, v| [u, 0.0, v]);
        let far = distances(&mesh, From::Place, &[(0, 0.0)]);
        for (p, d) in mesh.positions.iter().zip(&far) {
            let own = f64::from(p[0]).hypot(f64::from(p[2]));
            assert!((d - own).abs() < 1e-6, "{p:?}: {d} for {own}");
        }
        let border: Vec<(u32, f64)> = (0..=n as u32).map(|k| (k, 0.0)).collect();
        let far = distances(&mesh, From::Row, &border);
        for (p, d) in mesh.positions.iter().zip(&far) {
            assert!((d - f64::from(p[2])).abs() < 1e-6, "{p:?}: {d}");
        }
    }

    #[test]
    fn from_anywhere_in_a_triangle_of_long_cells_it_is_exact_too() {
        let mesh = grid(36, |u, v| [2.6 * u, 0.0, v]);
        for (t, shares) in [(900, [0.2, 0.5, 0.3]), (1301, [0.05, 0.05, 0.9]), (70, [0.4, 0.6, 0.0])] {
            let at = |p: u32| DVec3::from(mesh.positions[p as usize].map(f64::from));
            let corners = mesh.triangles[t];
            let place: DVec3 = (0..3).map(|k| at(corners[k]) * shares[k]).sum();
            let sources = corners.map(|p| (p, at(p).distance(place)));
            for (p, d) in distances(&mesh, From::Place, &sources).iter().enumerate() {
                let own = at(p as u32).distance(place);
                assert!((d - own).abs() < 1e-6, "{t} {p}: {d} for {own}");
            }
        }
    }

    #[test]
    fn on_a_cylinder_it_is_that_of_the_sheet_rolled_out() {
        // A quarter of one: its shortest ways are those of the sheet.
        let quarter = std::f64::consts::FRAC_PI_2;
        let mesh = grid(60, |u, v| [(quarter * u).cos(), v, (quarter * u).sin()]);
        let far = distances(&mesh, From::Place, &[(0, 0.0)]);
        for (k, d) in far.iter().enumerate() {
            let (i, j) = (k % 61, k / 61);
            let own = (quarter * i as f64 / 60.0).hypot(j as f64 / 60.0);
            // The chords are shorter than their arcs by 3 in 100,000.
            assert!((d - own).abs() < 2e-4 * own.max(0.1), "{i} {j}: {d} for {own}");
        }
    }

    #[test]
    fn on_a_sphere_it_is_the_arc_and_on_a_saddle_longer_than_straight_through() {
        let ball = shape::Ball { radius: 1.0, cells: 24 };
        let mesh = shape::Shape::Ball(ball).made().expect("it is made by numbers");
        let from = DVec3::from(mesh.positions[0].map(f64::from)).normalize();
        let far = distances(&mesh, From::Place, &[(0, 0.0)]);
        let mut worst: f64 = 0.0;
        for (p, d) in mesh.positions.iter().zip(&far) {
            let own = from.dot(DVec3::from(p.map(f64::from)).normalize()).clamp(-1.0, 1.0).acos();
            worst = worst.max((d - own).abs() / own.max(0.2));
        }
        assert!(worst < 0.012, "{worst}");
        // z = x²-y²; along x = y straight lines lie in it, so distances on them are known.
        let mesh = grid(80, |u, v| {
            let (x, y) = (2.0 * u - 1.0, 2.0 * v - 1.0);
            [x, x * x - y * y, y]
        });
        let far = distances(&mesh, From::Place, &[(0, 0.0)]);
        for k in (0..=80).step_by(8) {
            let d = far[k * 81 + k];
            let own = 8f64.sqrt() * k as f64 / 80.0;
            assert!((d - own).abs() < 0.004 * own.max(0.1), "{k}: {d} for {own}");
        }
    }

    #[test]
    fn it_never_goes_from_a_sheet_to_the_next_nor_by_what_is_shut_nor_further_than_it_may() {
        let mut mesh = grid(20, |u, v| [u, 0.0, v]);
        let n = mesh.positions.len();
        let other: Vec<[f32; 3]> = mesh.positions.iter().map(|p| [p[0], 0.0005, p[2]]).collect();
        let triangles: Vec<[u32; 3]> = mesh.triangles.iter().map(|t| t.map(|p| p + n as u32)).collect();
        mesh.positions.extend(other);
        mesh.triangles.extend(triangles);
        let far = distances(&mesh, From::Place, &[(0, 0.0)]);
        assert!(far[..n].iter().all(|d| d.is_finite()) && far[n..].iter().all(|d| d.is_infinite()));
        let about = About::of(&mesh.triangles, mesh.positions.len());
        let on = Surface { positions: &mesh.positions, triangles: &mesh.triangles, about: &about };
        let mut walk = Walk::default();
        // Shut from the middle on.
        let open = |t: u32| mesh.triangles[t as usize].iter().all(|p| mesh.positions[*p as usize][0] < 0.52);
        walk.go(on, From::Place, &[(0, 0.0)], 0.8, open);
        let all: Vec<(u32, f64)> = walk.found().collect();
        assert!(all.iter().all(|(p, d)| *d <= 0.8 && mesh.positions[*p as usize][0] < 0.52));
        let within = mesh.positions[..n].iter().filter(|p| p[0] < 0.52 && p[0].hypot(p[2]) < 0.799).count();
        assert!(all.len() >= within, "{} of {within}", all.len());
        // The next begins anew.
        walk.go(on, From::Place, &[(n as u32 - 1, 0.0)], 0.1, |_| true);
        assert!(walk.found().all(|(p, _)| mesh.positions[p as usize][0] > 0.8));
    }
}
