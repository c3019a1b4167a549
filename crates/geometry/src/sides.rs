//! Sides with a corner of another triangle inside them: seen they hang together, and moved they tear.
use crate::Mesh;
use glam::DVec3;
use std::collections::HashMap;

/// How far off its line a corner may be to lie in a side, as a share of the side.
const OFF: f64 = 1e-5;
/// Sides of a triangle that are split one after another, at most.
const ROUNDS: usize = 200;

/// Splits the sides of one triangle alone inside which a corner lies that others have, at that corner; with how many were.
/// Texture coordinates and faces follow.
pub fn split_sides(mesh: &Mesh) -> (Mesh, usize) {
    let mut out = mesh.clone();
    let mut count = 0;
    for _ in 0..ROUNDS {
        match split_once(&out) {
            Some((next, n)) => (out, count) = (next, count + n),
            None => break,
        }
    }
    (out, count)
}

/// One side of each triangle at most.
fn split_once(mesh: &Mesh) -> Option<(Mesh, usize)> {
    let at = |p: u32| DVec3::from(mesh.positions[p as usize].map(f64::from));
    let sides = |t: &[u32; 3]| [[t[0], t[1]], [t[1], t[2]], [t[2], t[0]]];
    let sorted = |[a, b]: [u32; 2]| [a.min(b), a.max(b)];
    let known = |t: &&[u32; 3]| t.iter().all(|p| (*p as usize) < mesh.positions.len());
    let mut seen: HashMap<[u32; 2], u32> = HashMap::new();
    mesh.triangles
        .iter()
        .filter(known)
        .flat_map(sides)
        .for_each(|s| *seen.entry(sorted(s)).or_default() += 1);
    let open: Vec<[u32; 2]> = seen.iter().filter(|(_, n)| **n == 1).map(|(s, _)| *s).collect();
    let mut cell = 0.0f64;
    open.iter().for_each(|[a, b]| cell += at(*a).distance(at(*b)));
    cell /= open.len().max(1) as f64;
    if !(cell.is_finite() && cell > 0.0) {
        return None;
    }
    let of = |p: DVec3| (p / cell).floor().as_i64vec3().to_array();
    let mut corners: HashMap<[i64; 3], Vec<u32>> = HashMap::new();
    let mut all: Vec<u32> = open.iter().flatten().copied().collect();
    all.sort_unstable();
    all.dedup();
    all.iter().for_each(|p| corners.entry(of(at(*p))).or_default().push(*p));
    // The corner inside a side that is nearest to its beginning, and how far along it is.
    let inside = |[a, b]: [u32; 2]| -> Option<(u32, f64)> {
        if seen.get(&sorted([a, b])) != Some(&1) {
            return None;
        }
        let (from, way) = (at(a), at(b) - at(a));
        let (low, high) = (of(from.min(at(b)) - OFF * cell), of(from.max(at(b)) + OFF * cell));
        let cells: i64 = (0..3).map(|c| high[c] - low[c] + 1).product();
        let share = |p: u32| {
            let s = (at(p) - from).dot(way) / way.length_squared();
            let lies = s > 1e-3 && s < 1.0 - 1e-3 && at(p).distance(from + way * s) <= OFF * way.length();
            (lies && p != a && p != b).then_some((p, s))
        };
        let least = |found: &mut dyn Iterator<Item = (u32, f64)>| found.min_by(|p, q| p.1.total_cmp(&q.1));
        if cells > all.len() as i64 {
            return least(&mut all.iter().filter_map(|p| share(*p)));
        }
        let within = (low[0]..=high[0])
            .flat_map(|x| (low[1]..=high[1]).flat_map(move |y| (low[2]..=high[2]).map(move |z| [x, y, z])));
        least(&mut within.filter_map(|c| corners.get(&c)).flatten().filter_map(|p| share(*p)))
    };
    let textured = mesh.uv_triangles.len() == mesh.triangles.len();
    let mut out = Mesh { positions: mesh.positions.clone(), uvs: mesh.uvs.clone(), ..Mesh::default() };
    let mut more = vec![0u32; mesh.triangles.len()];
    for (k, t) in mesh.triangles.iter().enumerate() {
        let found = known(&t).then(|| (0..3).find_map(|i| Some((i, inside(sides(t)[i])?)))).flatten();
        let uv = textured.then(|| mesh.uv_triangles[k]);
        let Some((i, (p, share))) = found.filter(|(_, (p, _))| !t.contains(p)) else {
            out.triangles.push(*t);
            out.uv_triangles.extend(uv);
            continue;
        };
        let (a, b, c) = (i, (i + 1) % 3, (i + 2) % 3);
        out.triangles.extend([[t[a], p, t[c]], [p, t[b], t[c]]]);
        if let Some(uv) = uv {
            let [from, to] = [uv[a], uv[b]].map(|u| mesh.uvs[u as usize].map(f64::from));
            out.uvs.push([0, 1].map(|c| (from[c] + share * (to[c] - from[c])) as f32));
            let between = out.uvs.len() as u32 - 1;
            out.uv_triangles.extend([[uv[a], between, uv[c]], [between, uv[b], uv[c]]]);
        }
        more[k] = 1;
    }
    let count = more.iter().sum::<u32>() as usize;
    if mesh.faces.iter().map(|n| *n as usize).sum::<usize>() == mesh.triangles.len() {
        let mut first = 0;
        out.faces = mesh
            .faces
            .iter()
            .map(|n| {
                let own = n + more[first..first + *n as usize].iter().sum::<u32>();
                first += *n as usize;
                own
            })
            .collect();
    }
    (count > 0).then_some((out, count))
}
