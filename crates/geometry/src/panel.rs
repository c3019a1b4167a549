//! Pieces of a mesh that hang together: panels, which seams join.
use crate::{Mesh, nearest_shares};
use glam::{DVec3, I64Vec3};
use std::collections::HashMap;

/// The piece that each triangle belongs to, counted in the order of their first triangles, and how many there are.
pub fn pieces(mesh: &Mesh) -> (Vec<usize>, usize) {
    let mut up: Vec<u32> = (0..mesh.positions.len() as u32).collect();
    fn root(up: &mut [u32], mut p: u32) -> u32 {
        while up[p as usize] != p {
            up[p as usize] = up[up[p as usize] as usize];
            p = up[p as usize];
        }
        p
    }
    for t in &mesh.triangles {
        let first = root(&mut up, t[0]);
        for &p in &t[1..] {
            let other = root(&mut up, p);
            up[other as usize] = first;
        }
    }
    let mut number = vec![usize::MAX; mesh.positions.len()];
    let mut count = 0;
    let of = mesh.triangles.iter().map(|t| {
        let own = &mut number[root(&mut up, t[0]) as usize];
        if *own == usize::MAX {
            *own = count;
            count += 1;
        }
        *own
    });
    (of.collect(), count)
}

/// The names of a mesh's pieces: its own, or numbers.
pub fn panels(mesh: &Mesh) -> Vec<String> {
    let (_, count) = pieces(mesh);
    match mesh.panels.len() == count {
        true => mesh.panels.clone(),
        false => (1..=count).map(|k| format!("panel {k}")).collect(),
    }
}

/// Where the inside of a panel lies on another, all are moved by half of `least` metres the way that they face: what begins in one place could
/// not be told which side it is on. Whether that was so.
pub fn lay_apart(mesh: &mut Mesh, least: f32) -> bool {
    let (piece, count) = pieces(mesh);
    if count < 2 {
        return false;
    }
    let mut own = vec![None; mesh.positions.len()];
    mesh.triangles.iter().zip(&piece).for_each(|(t, k)| t.iter().for_each(|&p| own[p as usize] = Some(*k)));
    mesh.borders.iter().flat_map(|b| &b.points).for_each(|&p| own[p as usize] = None);
    let at = |p: u32| DVec3::from(mesh.positions[p as usize].map(f64::from));
    let (least64, cell) = (f64::from(least), f64::from(crate::density(mesh).longest_edge).max(1e-6));
    let key = |x: DVec3| (x / cell).floor().as_i64vec3();
    let mut near: HashMap<I64Vec3, Vec<usize>> = HashMap::new();
    for (k, t) in mesh.triangles.iter().enumerate() {
        let corners = t.map(at);
        let low = corners.into_iter().fold(DVec3::INFINITY, DVec3::min) - least64;
        let high = corners.into_iter().fold(DVec3::NEG_INFINITY, DVec3::max) + least64;
        let (low, high) = (key(low), key(high));
        for x in low.x..=high.x {
            for y in low.y..=high.y {
                for z in low.z..=high.z {
                    near.entry(I64Vec3::new(x, y, z)).or_default().push(k);
                }
            }
        }
    }
    let lies = (0..mesh.positions.len() as u32).any(|p| {
        let (Some(own), x) = (own[p as usize], at(p)) else { return false };
        near.get(&key(x)).into_iter().flatten().any(|&k| {
            let corners = mesh.triangles[k].map(at);
            let share = nearest_shares(x, corners);
            piece[k] != own && (0..3).map(|c| corners[c] * share[c]).sum::<DVec3>().distance(x) < least64
        })
    });
    if lies {
        let normals = mesh.normals(&mesh.positions);
        for (x, n) in mesh.positions.iter_mut().zip(normals) {
            (0..3).for_each(|c| x[c] += 0.5 * least * n[c]);
        }
    }
    lies
}

impl Mesh {
    /// Takes in another as further pieces; its borders and corners get `name` before their own.
    pub fn take_in(&mut self, name: &str, other: Mesh) {
        let Mesh {
            positions,
            triangles,
            uvs,
            uv_triangles,
            borders,
            corners,
            faces,
            radii: _,
            strands: _,
            up: _,
            ends: _,
            piece: _,
            panels: _,
        } = other;
        let (first, uv) = (self.positions.len() as u32, self.uvs.len() as u32);
        let faced = self.faces.iter().sum::<u32>() as usize == self.triangles.len();
        let named = |own: String| format!("{name} {own}");
        if faced && faces.iter().sum::<u32>() as usize == triangles.len() {
            self.faces.extend(faces);
        } else {
            self.faces.clear();
        }
        self.positions.extend(positions);
        self.triangles.extend(triangles.iter().map(|t| t.map(|p| p + first)));
        self.uvs.extend(uvs);
        self.uv_triangles.extend(uv_triangles.iter().map(|t| t.map(|p| p + uv)));
        self.borders.extend(borders.into_iter().map(|mut b| {
            b.points.iter_mut().for_each(|p| *p += first);
            b.name = named(b.name);
            b
        }));
        self.corners.extend(corners.into_iter().map(|mut c| {
            c.point += first;
            c.name = named(c.name);
            c
        }));
        self.panels.push(name.to_owned());
    }

    /// The same seen from behind.
    #[must_use]
    pub fn turned(mut self) -> Mesh {
        self.triangles.iter_mut().chain(&mut self.uv_triangles).for_each(|t| t.swap(1, 2));
        self
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_lies_in_one_place_is_laid_apart_and_nothing_else() {
        let heights = |m: &Mesh| m.positions.iter().map(|p| p[1]).collect::<Vec<_>>();
        let two = |y: f32, x: f32| {
            let mut m = Mesh::default();
            m.take_in("top", crate::sheet(1.0, 1.0, 5, 5));
            let mut other = crate::sheet(1.0, 1.0, 4, 6).turned();
            other.positions.iter_mut().for_each(|p| *p = [p[0] + x, p[1] + y, p[2]]);
            m.take_in("bottom", other);
            m
        };
        let mut on = two(0.0, 0.0);
        assert!(lay_apart(&mut on, 1e-4));
        let found = heights(&on);
        assert!(found[..25].iter().all(|y| (y - 5e-5).abs() < 1e-7), "{found:?}");
        assert!(found[25..].iter().all(|y| (y + 5e-5).abs() < 1e-7), "{found:?}");
        // Further apart, or side by side with borders that meet.
        for mut m in [two(-0.002, 0.0), two(0.0, 1.0)] {
            let before = heights(&m);
            assert!(!lay_apart(&mut m, 1e-4));
            assert_eq!(heights(&m), before);
        }
    }

    #[test]
    fn pieces_are_told_apart_and_keep_their_names() {
        let mut m = Mesh::default();
        m.take_in("top", crate::sheet(1.0, 1.0, 3, 3));
        m.take_in("bottom", crate::sheet(1.0, 1.0, 4, 3).turned());
        let (of, count) = pieces(&m);
        assert_eq!((count, of[0], of[8]), (2, 0, 1));
        assert_eq!(panels(&m), ["top", "bottom"]);
        assert!(m.borders.iter().any(|b| b.name == "bottom left" && b.points[0] >= 9));
        m.panels.clear();
        assert_eq!(panels(&m), ["panel 1", "panel 2"]);
    }
}
