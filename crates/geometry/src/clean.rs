//! Mending a mesh that was brought in.
use crate::{Mesh, check, find_borders, split_sides};
use glam::Vec3;
use std::collections::{HashMap, HashSet, VecDeque};

/// What is wrong with a mesh that can be mended, each counted.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Untidy {
    /// Points of no triangle.
    pub loose: usize,
    /// Triangles without area.
    pub no_area: usize,
    /// Triangles over the points of another.
    pub doubled: usize,
    /// Triangles that face against those beside them.
    pub turned: usize,
    /// Sides inside which a corner of another triangle lies.
    pub split: usize,
    /// How many parts hang together; more than one is no fault.
    pub pieces: usize,
}

impl Untidy {
    /// Whether there is nothing to mend.
    pub fn is_tidy(&self) -> bool {
        self.loose + self.no_area + self.doubled + self.turned + self.split == 0
    }
}

/// A mesh of a file in metres, y up: a unit of the file is `scale` metres, and its z axis points up if `z_up`.
pub fn in_metres(mesh: &Mesh, scale: f64, z_up: bool) -> Mesh {
    let mut own = mesh.clone();
    for p in &mut own.positions {
        let turned = if z_up { [p[0], p[2], -p[1]] } else { *p };
        *p = turned.map(|c| (f64::from(c) * scale) as f32);
    }
    own
}

/// A mesh without loose points, faces without area and doubled faces, whose faces all face as most of their piece do;
/// with what was done; sides with a corner inside them are split at it. Where three faces meet at an edge nothing is turned over: which of them is wrong can't be known.
pub fn clean(mesh: &Mesh) -> (Mesh, Untidy) {
    let (mesh, split) = split_sides(mesh);
    let mesh = &mesh;
    let mut told = Untidy { split, ..Untidy::default() };
    let mut seen = HashSet::new();
    let mut kept = vec![];
    for (t, tri) in mesh.triangles.iter().enumerate() {
        if tri.iter().any(|p| *p as usize >= mesh.positions.len()) {
            continue;
        }
        let mut sorted = *tri;
        sorted.sort_unstable();
        if check::has_no_area(mesh, t) {
            told.no_area += 1;
        } else if !seen.insert(sorted) {
            told.doubled += 1;
        } else {
            kept.push(t);
        }
    }
    let (turned, pieces) = facing(mesh, &kept);
    told.turned = turned.iter().filter(|t| **t).count();
    told.pieces = pieces;
    let mut used = vec![false; mesh.positions.len()];
    kept.iter().flat_map(|t| mesh.triangles[*t]).for_each(|p| used[p as usize] = true);
    // Points keep their order.
    let mut number = vec![0; used.len()];
    let mut out = Mesh { uvs: mesh.uvs.clone(), ..Mesh::default() };
    for p in (0..used.len()).filter(|p| used[*p]) {
        number[p] = out.positions.len() as u32;
        out.positions.push(mesh.positions[p]);
    }
    for (&t, turn) in kept.iter().zip(&turned) {
        let order = if *turn { [0, 2, 1] } else { [0, 1, 2] };
        out.triangles.push(order.map(|k| number[mesh.triangles[t][k] as usize]));
        if let Some(uv) = mesh.uv_triangles.get(t) {
            out.uv_triangles.push(order.map(|k| uv[k]));
        }
    }
    out.faces = faces(mesh, &kept, &turned);
    let named: HashSet<u32> = mesh.triangles.iter().flatten().copied().collect();
    told.loose = (0..mesh.positions.len() as u32).filter(|p| !named.contains(p)).count();
    (out.borders, out.corners) = find_borders(&out);
    (out, told)
}

/// How many triangles each face is of then: those of one that stay together, all turned over or none, are one still.
fn faces(mesh: &Mesh, kept: &[usize], turned: &[bool]) -> Vec<u32> {
    if mesh.faces.iter().map(|n| *n as usize).sum::<usize>() != mesh.triangles.len() {
        return vec![];
    }
    let over: HashMap<usize, bool> = kept.iter().copied().zip(turned.iter().copied()).collect();
    let (mut out, mut first) = (vec![], 0);
    for n in &mesh.faces {
        let own: Vec<bool> = (first..first + *n as usize).filter_map(|t| over.get(&t).copied()).collect();
        first += *n as usize;
        match own.len() == *n as usize && own.windows(2).all(|w| w[0] == w[1]) {
            true => out.push(*n),
            false => out.extend(own.iter().map(|_| 1)),
        }
    }
    out
}

/// Joins points that are within a distance of each other, metres, to the first of them; with how many were.
pub fn join_near(mesh: &Mesh, within: f32) -> (Mesh, usize) {
    let cell = |p: &[f32; 3]| p.map(|c| (c / within).floor() as i64);
    let mut known: HashMap<[i64; 3], Vec<u32>> = HashMap::new();
    let mut number: Vec<u32> = (0..mesh.positions.len() as u32).collect();
    let mut joined = 0;
    for (k, p) in mesh.positions.iter().enumerate() {
        let [x, y, z] = cell(p);
        let around = (0..27).map(|n| [x + n % 3 - 1, y + n / 3 % 3 - 1, z + n / 9 - 1]);
        let near = around
            .filter_map(|c| known.get(&c))
            .flatten()
            .copied()
            .find(|q| (Vec3::from(mesh.positions[*q as usize]) - Vec3::from(*p)).length() <= within);
        match near {
            Some(q) => {
                number[k] = q;
                joined += 1;
            }
            None => known.entry([x, y, z]).or_default().push(k as u32),
        }
    }
    let mut out = mesh.clone();
    out.triangles.iter_mut().flatten().for_each(|p| *p = number[*p as usize]);
    (out, joined)
}

/// For each kept triangle whether to turn it over, and how many pieces there are.
fn facing(mesh: &Mesh, kept: &[usize]) -> (Vec<bool>, usize) {
    let mut beside: HashMap<[u32; 2], Vec<(usize, bool)>> = HashMap::new();
    for (k, &t) in kept.iter().enumerate() {
        let tri = mesh.triangles[t];
        for [a, b] in [[tri[0], tri[1]], [tri[1], tri[2]], [tri[2], tri[0]]] {
            beside.entry([a.min(b), a.max(b)]).or_default().push((k, a < b));
        }
    }
    let mut turn: Vec<Option<bool>> = vec![None; kept.len()];
    let mut pieces = 0;
    for seed in 0..kept.len() {
        if turn[seed].is_some() {
            continue;
        }
        pieces += 1;
        turn[seed] = Some(false);
        let (mut todo, mut piece) = (VecDeque::from([seed]), vec![]);
        while let Some(k) = todo.pop_front() {
            piece.push(k);
            let tri = mesh.triangles[kept[k]];
            for [a, b] in [[tri[0], tri[1]], [tri[1], tri[2]], [tri[2], tri[0]]] {
                let around = &beside[&[a.min(b), a.max(b)]];
                let plain = around.len() == 2;
                for &(o, up) in around.iter().filter(|(o, _)| *o != k) {
                    if turn[o].is_none() {
                        // Neighbours that face alike run along their edge in opposite ways.
                        let against = plain && up == (a < b);
                        turn[o] = Some(against != turn[k].unwrap_or(false));
                        todo.push_back(o);
                    }
                }
            }
        }
        let area = |k: &usize| {
            let [a, b, c] = mesh.triangles[kept[*k]].map(|p| Vec3::from(mesh.positions[p as usize]));
            f64::from((b - a).cross(c - a).length())
        };
        let (mut whole, mut over) = (0.0, 0.0);
        for k in &piece {
            whole += area(k);
            over += if turn[*k] == Some(true) { area(k) } else { 0.0 };
        }
        if over > 0.5 * whole {
            piece.iter().for_each(|k| turn[*k] = turn[*k].map(|t| !t));
        }
    }
    (turn.into_iter().map(|t| t.unwrap_or(false)).collect(), pieces)
}
