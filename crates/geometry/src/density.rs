use crate::Mesh;
use glam::Vec3;

/// A shape with fewer edges than this across its narrower side is a board: it can't fold.
pub const EDGES_ACROSS: f32 = 16.0;

/// How fine a mesh is, in metres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Density {
    pub points: usize,
    pub triangles: usize,
    pub shortest_edge: f32,
    pub longest_edge: f32,
    /// The narrowest fold that it can show: four edges, down and up again.
    pub smallest_fold: f32,
    /// Too few edges across its narrower side to fold.
    pub coarse: bool,
}

/// Measures the density of a mesh; zeros without edges.
pub fn density(mesh: &Mesh) -> Density {
    let at = |p: u32| Vec3::from(mesh.positions[p as usize]);
    let lengths = mesh.edges().into_iter().map(|[a, b]| at(a).distance(at(b)));
    let (shortest, longest) = lengths.fold((f32::INFINITY, 0.0f32), |(lo, hi), l| (lo.min(l), hi.max(l)));
    let (lo, hi) = mesh.bounds();
    let mut sides = (Vec3::from(hi) - Vec3::from(lo)).to_array();
    sides.sort_by(f32::total_cmp);
    Density {
        points: mesh.positions.len(),
        triangles: mesh.triangles.len(),
        shortest_edge: if longest > 0.0 { shortest } else { 0.0 },
        longest_edge: longest,
        smallest_fold: 4.0 * longest,
        // Diagonals are the longest edges: sqrt 2 of the spacing that counts.
        coarse: longest * EDGES_ACROSS > sides[1] * std::f32::consts::SQRT_2 * 1.001,
    }
}
