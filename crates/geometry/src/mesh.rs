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

    /// Lowest and highest coordinates; zeros for no points.
    pub fn bounds(&self) -> ([f32; 3], [f32; 3]) {
        let Some(&first) = self.positions.first() else { return ([0.0; 3], [0.0; 3]) };
        self.positions.iter().fold((first, first), |(lo, hi), p| {
            (std::array::from_fn(|k| lo[k].min(p[k])), std::array::from_fn(|k| hi[k].max(p[k])))
        })
    }
}
