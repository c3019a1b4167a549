//! Pieces of a mesh that hang together: panels, which seams join.
use crate::Mesh;

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

impl Mesh {
    /// Takes in another as further pieces; its borders and corners get `name` before their own.
    pub fn take_in(&mut self, name: &str, other: Mesh) {
        let Mesh { positions, triangles, uvs, uv_triangles, borders, corners, faces, radii: _, panels: _ } =
            other;
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
