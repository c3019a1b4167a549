use glam::Vec3;
use std::sync::Arc;

/// Triangles over points, with texture coordinates indexed on their own so that a seam in the UVs
/// never splits the cloth.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Mesh {
    /// Metres, one a point.
    pub positions: Vec<[f32; 3]>,
    /// Points of each triangle, counter-clockwise seen from outside.
    pub triangles: Vec<[u32; 3]>,
    /// Texture coordinates; empty where the mesh has none.
    pub uvs: Vec<[f32; 2]>,
    /// For each triangle its corners in `uvs`; empty where the mesh has none.
    pub uv_triangles: Vec<[u32; 3]>,
    pub borders: Vec<Border>,
    pub corners: Vec<Corner>,
    /// How many of the triangles, one after the other, make up each face as it was made or brought in; empty where each
    /// triangle is one.
    pub faces: Vec<u32>,
    /// Names of the pieces that do not hang together, in the order of their triangles; empty where they have none.
    pub panels: Vec<String>,
    /// Of loose points and of points of strands, metres; empty where points belong to triangles.
    pub radii: Vec<f32>,
    /// How many points each strand has, one after the other from its root to its tip; empty where points are not those of strands.
    pub strands: Vec<u32>,
    /// Where strands branch, the point before each, by its number in its own strand; empty where each comes after the one before it.
    pub up: Vec<u32>,
    /// What stands at the points of strands that branch: a leaf, as long and as wide as that; where it has no width a ball as thick, and nothing
    /// where it has neither. Empty where there are none.
    pub ends: Vec<[f32; 2]>,
    /// What loose points are seen as, as large as 1 along its longest side about the middle of its bounds; none where that is a ball, or a leaf
    /// where they have ends.
    pub piece: Option<Arc<Mesh>>,
}

/// A face: its points in turn, and their texture coordinates where the mesh has any.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Face {
    pub points: Vec<u32>,
    pub uvs: Vec<u32>,
}

/// A run of points along an open edge, in order.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Border {
    pub name: String,
    /// A closed loop does not repeat its first point.
    pub points: Vec<u32>,
    pub closed: bool,
}

/// A point where two borders meet.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Corner {
    pub name: String,
    pub point: u32,
}

impl Mesh {
    /// Strands, or the branches of those that branch, each with the point that it comes from: runs of points that hang on each other.
    pub fn lines(&self) -> Vec<Vec<u32>> {
        let mut out: Vec<Vec<u32>> = vec![];
        let mut from = 0u32;
        for count in &self.strands {
            for k in 0..*count {
                let before = self.up.get((from + k) as usize).map_or(k.wrapping_sub(1), |up| *up);
                match out.last_mut() {
                    Some(line) if k > 0 && line.last() == Some(&(from + before)) => line.push(from + k),
                    _ if k == 0 => out.push(vec![from]),
                    _ => out.push(vec![from + before, from + k]),
                }
            }
            from += count;
        }
        // A root alone is no line.
        out.retain(|line| line.len() > 1);
        out
    }

    /// Where points are in files that can't leave any out: one that has let go of what it grew on is where it hung, with no length.
    pub fn settled(&self, positions: &[[f32; 3]]) -> Vec<[f32; 3]> {
        let mut out = positions.to_vec();
        let mut from = 0;
        for count in &self.strands {
            for k in from + 1..from + *count as usize {
                if out[k][0].is_nan() {
                    out[k] = out[self.up.get(k).map_or(k - 1, |up| from + *up as usize)];
                }
            }
            from += *count as usize;
        }
        out
    }

    /// How far along its strand each point is, as a share of the way to the tip that is farthest from its root.
    pub fn along(&self) -> Vec<f64> {
        let mut out = vec![0.0; self.positions.len()];
        let mut from = 0;
        for count in &self.strands {
            let of = from..from + *count as usize;
            let mut most = 0.0f64;
            for k in of.clone().skip(1) {
                let before = self.up.get(k).map_or(k - 1, |up| from + *up as usize);
                let wide = |k: usize| Vec3::from(self.positions[k]).as_dvec3();
                let step = if self.up.is_empty() { 1.0 } else { wide(k).distance(wide(before)) };
                out[k] = out[before] + step;
                most = most.max(out[k]);
            }
            out[of].iter_mut().for_each(|a| *a /= most.max(1e-12));
            from += *count as usize;
        }
        out
    }

    /// Edges of all triangles, each once, lower point first, sorted.
    pub fn edges(&self) -> Vec<[u32; 2]> {
        let mut edges: Vec<[u32; 2]> = self
            .triangles
            .iter()
            .flat_map(|t| [[t[0], t[1]], [t[1], t[2]], [t[2], t[0]]])
            .map(|[a, b]| if a < b { [a, b] } else { [b, a] })
            .collect();
        edges.sort_unstable();
        edges.dedup();
        edges
    }

    /// The faces as they were made or brought in, each the outline of its triangles, begun so that a fan about its first
    /// point is those triangles again, where there is such a point. Triangles whose outline is not one loop stay triangles.
    pub fn outlines(&self) -> Vec<Face> {
        let counts = match self.faces.iter().map(|n| *n as usize).sum::<usize>() == self.triangles.len() {
            true => self.faces.clone(),
            false => vec![1; self.triangles.len()],
        };
        let mut out = Vec::with_capacity(counts.len());
        let mut first = 0;
        for n in counts {
            let of = first..first + n as usize;
            first = of.end;
            match self.outline(of.clone()) {
                Some(face) => out.push(face),
                None => out.extend(of.filter_map(|t| self.outline(t..t + 1))),
            }
        }
        out
    }

    fn outline(&self, triangles: std::ops::Range<usize>) -> Option<Face> {
        // Each side with its texture coordinate, but those that two triangles share.
        let mut sides: Vec<([u32; 2], u32)> = vec![];
        let of = &self.triangles[triangles.clone()];
        for t in triangles {
            let tri = self.triangles[t];
            for k in 0..3 {
                let side = [tri[k], tri[(k + 1) % 3]];
                match sides.iter().position(|(s, _)| *s == [side[1], side[0]]) {
                    Some(shared) => drop(sides.remove(shared)),
                    None => sides.push((side, self.uv_triangles.get(t).map_or(0, |u| u[k]))),
                }
            }
        }
        let mut face = Face::default();
        let first = of.first()?;
        let apex = |side: &[u32; 2]| {
            side.iter().all(|p| first.contains(p)) && of.iter().all(|t| t.contains(&side[0]))
        };
        let begins = sides.iter().find(|(s, _)| apex(s)).or(sides.first())?.0[0];
        let mut at = begins;
        while let Some(k) = sides.iter().position(|(s, _)| s[0] == at) {
            let (side, uv) = sides.remove(k);
            face.points.push(at);
            if !self.uv_triangles.is_empty() {
                face.uvs.push(uv);
            }
            at = side[1];
        }
        (sides.is_empty() && face.points.first() == Some(&at)).then_some(face)
    }

    /// The normal of each point, of length 1: of the triangles about it, weighted by area. Straight up where there is none.
    pub fn normals(&self, positions: &[[f32; 3]]) -> Vec<[f32; 3]> {
        let mut sums = vec![Vec3::ZERO; positions.len()];
        for t in &self.triangles {
            let [a, b, c] = t.map(|p| Vec3::from(positions[p as usize]));
            let normal = (b - a).cross(c - a);
            t.iter().for_each(|p| sums[*p as usize] += normal);
        }
        sums.into_iter().map(|n| n.try_normalize().unwrap_or(Vec3::Y).to_array()).collect()
    }

    /// Lowest and highest coordinates; zeros for no points.
    pub fn bounds(&self) -> ([f32; 3], [f32; 3]) {
        let Some(&first) = self.positions.first() else { return ([0.0; 3], [0.0; 3]) };
        self.positions.iter().fold((first, first), |(lo, hi), p| {
            (std::array::from_fn(|k| lo[k].min(p[k])), std::array::from_fn(|k| hi[k].max(p[k])))
        })
    }
}
