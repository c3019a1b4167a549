use crate::Mesh;
use glam::Vec3;
use std::collections::HashMap;

/// What makes a mesh unfit to be a cloth.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum MeshFault {
    #[error("the mesh has no triangles")]
    Empty,
    #[error("the mesh has {points} points; the most is {most}. Reduce it, or bring in a part of it")]
    TooBig { points: usize, most: usize },
    #[error("point {point} of the mesh has a coordinate that is not a number, or is beyond 10 km")]
    NotANumber { point: usize },
    #[error("triangle {triangle} names point {point}, and there are only {points}")]
    NoSuchPoint { triangle: usize, point: u32, points: usize },
    #[error(
        "{count} triangle(s) have no area, the first is number {triangle}. Merge doubled points or remove them"
    )]
    NoArea { triangle: usize, count: usize },
    #[error(
        "{count} edge(s) belong to more than two triangles, the first between points {} and {}. \
         A cloth is one layer: split it there, or remove the extra faces", edge[0], edge[1]
    )]
    NotASurface { edge: [u32; 2], count: usize },
    #[error(
        "the triangles beside {count} edge(s) face opposite ways, the first beside that between points {} and {}. \
         Turn faces over until all face alike", edge[0], edge[1]
    )]
    Turned { edge: [u32; 2], count: usize },
    #[error("{count} point(s) belong to no triangle, the first is number {point}. Remove them")]
    Loose { point: usize, count: usize },
}

/// Every fault of a mesh, each kind once with its first place.
///
/// # Errors
/// The faults, when there are any; `most` is the limit of points.
pub fn check(mesh: &Mesh, most: usize) -> Result<(), Vec<MeshFault>> {
    let points = mesh.positions.len();
    if mesh.triangles.is_empty() {
        return Err(vec![MeshFault::Empty]);
    }
    if points > most {
        return Err(vec![MeshFault::TooBig { points, most }]);
    }
    for (triangle, t) in mesh.triangles.iter().enumerate() {
        if let Some(&point) = t.iter().find(|&&p| p as usize >= points) {
            return Err(vec![MeshFault::NoSuchPoint { triangle, point, points }]);
        }
    }
    let mut faults = vec![];
    let wild = |p: &[f32; 3]| p.iter().any(|c| !c.is_finite() || c.abs() > 10_000.0);
    if let Some(point) = mesh.positions.iter().position(wild) {
        return Err(vec![MeshFault::NotANumber { point }]);
    }
    let thin: Vec<usize> = (0..mesh.triangles.len()).filter(|&t| has_no_area(mesh, t)).collect();
    if let Some(&triangle) = thin.first() {
        faults.push(MeshFault::NoArea { triangle, count: thin.len() });
    }
    if let Some((edge, count)) = edges(mesh, |[to, fro]| to + fro > 2) {
        faults.push(MeshFault::NotASurface { edge, count });
    }
    let mut used = vec![false; points];
    mesh.triangles.iter().flatten().for_each(|&p| used[p as usize] = true);
    let loose = used.iter().filter(|u| !**u).count();
    if let Some(point) = used.iter().position(|u| !u) {
        faults.push(MeshFault::Loose { point, count: loose });
    }
    if faults.is_empty() { Ok(()) } else { Err(faults) }
}

/// Whether all faces of a mesh that has no other fault face alike, as those of a cloth must.
///
/// # Errors
/// Where they don't.
pub fn face_alike(mesh: &Mesh) -> Result<(), MeshFault> {
    let wrong = edges(mesh, |n| n == [2, 0] || n == [0, 2]);
    wrong.map_or(Ok(()), |(edge, count)| Err(MeshFault::Turned { edge, count }))
}

/// The first and the number of the edges that are so, by how many triangles run along them from the lower point to the
/// higher, and how many back.
fn edges(mesh: &Mesh, so: impl Fn([u32; 2]) -> bool) -> Option<([u32; 2], usize)> {
    let mut runs: HashMap<[u32; 2], [u32; 2]> = HashMap::new();
    for t in &mesh.triangles {
        for [a, b] in [[t[0], t[1]], [t[1], t[2]], [t[2], t[0]]] {
            runs.entry([a.min(b), a.max(b)]).or_default()[usize::from(a > b)] += 1;
        }
    }
    let found = runs.iter().filter(|(_, n)| so(**n)).map(|(e, _)| *e);
    found.clone().min().map(|first| (first, found.count()))
}

/// A height under a ten-thousandth of the longest side gives no usable rest shape.
pub(crate) fn has_no_area(mesh: &Mesh, t: usize) -> bool {
    let [a, b, c] = mesh.triangles[t].map(|p| Vec3::from(mesh.positions[p as usize]));
    let (ab, ac, bc) = (b - a, c - a, c - b);
    let longest = ab.length().max(ac.length()).max(bc.length());
    ab.cross(ac).length() <= 1e-4 * longest * longest
}
