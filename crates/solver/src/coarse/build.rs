//! Lays lattices over the material.
use super::{Level, Tether};
use crate::constraint::membrane::Triangle;
use crate::inputs::{ClothRest, Scaled};
use std::collections::{BTreeMap, BTreeSet};

/// Edges of the level below that a cell of a lattice spans.
const SPAN: f64 = 4.0;
/// Levels at most: the third of a sheet of 256 x 256 points has cells of 64 edges.
const MOST: usize = 3;

/// What stands on a level: points, or the nodes of the lattice below.
struct Floor {
    /// Metres along warp and weft.
    place: Vec<[f64; 2]>,
    /// kg.
    mass: Vec<f64>,
    /// Whether it takes no moves.
    fixed: Vec<bool>,
    /// Held points that hang on each.
    pins: Vec<Vec<u32>>,
    /// Corners, rest area in m², and that times what stretch and shear are multiplied by.
    triangles: Vec<([u32; 3], [f64; 3])>,
}

/// The share of the membrane's stiffness that stays with the points where there are levels.
pub const OWN: f64 = 0.5;

/// The lattices of a cloth, finest first; none where the material can't be laid flat, or is too small
/// to need any. `at` gives the place of a point, `mass` is by place.
pub fn levels(rest: &ClothRest, at: impl Fn(u32) -> u32, mass: &[f64]) -> Vec<Level> {
    let Some(material) = lay_flat(rest) else { return vec![] };
    let n = mass.len();
    let mut floor = Floor {
        place: vec![[0.0; 2]; n],
        mass: mass.to_vec(),
        fixed: vec![false; n],
        pins: vec![vec![]; n],
        triangles: rest
            .triangles
            .iter()
            .zip(&rest.frames)
            .map(|(t, f)| {
                let area = crate::build::area(f);
                let over = |what| area * rest.maps.over(what, t);
                (t.map(&at), [area, over(Scaled::Stretch), over(Scaled::Shear)])
            })
            .collect(),
    };
    for p in 0..n {
        let place = at(p as u32) as usize;
        floor.place[place] = material[p];
        if rest.held[p] {
            floor.pins[place].push(place as u32);
            floor.fixed[place] = true;
        }
    }
    let area: f64 = floor.triangles.iter().map(|t| t.1[0]).sum();
    // Of a square grid, two triangles a cell.
    let mut step = SPAN * (2.0 * area / floor.triangles.len() as f64).sqrt();
    let mut floors = vec![];
    let bottom = floor.place.clone();
    while floors.len() < MOST && area > 4.0 * step * step {
        let (lattice, next) = lattice(&floor, step, &bottom);
        if lattice.cells.is_empty() {
            break;
        }
        floors.push(lattice);
        floor = next;
        step *= SPAN;
    }
    let share = (1.0 - OWN) / floors.len().max(1) as f64;
    floors.into_iter().map(|l| l.level(rest, share)).collect()
}

/// Places of the points along warp and weft, if all triangles agree on them.
pub fn lay_flat(rest: &ClothRest) -> Option<Vec<[f64; 2]>> {
    let n = rest.positions.len();
    let mut beside = vec![vec![]; n];
    for (t, tri) in rest.triangles.iter().enumerate() {
        tri.iter().for_each(|&p| beside[p as usize].push(t));
    }
    let mut place = vec![None; n];
    let corner = |t: usize, k: usize| rest.frames[t][k].map(f64::from);
    for first in 0..n {
        if place[first].is_some() || beside[first].is_empty() {
            continue;
        }
        // Pieces that hang together by no triangle lie anywhere: apart from each other by their numbers.
        place[first] = Some([0.0, 0.0]);
        // Outward in rings: short ways add up less error than long ones, where a mesh is curved.
        let mut todo = std::collections::VecDeque::from([first]);
        while let Some(p) = todo.pop_front() {
            let here: [f64; 2] = place[p]?;
            for &t in &beside[p] {
                let tri = rest.triangles[t];
                let own = corner(t, tri.iter().position(|&q| q as usize == p)?);
                let size = crate::build::area(&rest.frames[t]).sqrt();
                for k in 0..3 {
                    let to = corner(t, k);
                    let there = [here[0] + to[0] - own[0], here[1] + to[1] - own[1]];
                    match place[tri[k] as usize] {
                        None => {
                            place[tri[k] as usize] = Some(there);
                            todo.push_back(tri[k] as usize);
                        }
                        Some(known) => {
                            if (known[0] - there[0]).hypot(known[1] - there[1]) > 0.02 * size {
                                return None;
                            }
                        }
                    }
                }
            }
        }
    }
    Some(place.into_iter().map(|p| p.unwrap_or([0.0; 2])).collect())
}

/// A lattice over a floor, before it has its stiffness.
struct Lattice {
    children: Vec<Vec<(u32, f32)>>,
    nodes: Vec<([u32; 4], [f32; 4])>,
    weight: Vec<f32>,
    /// Node, its held points, and how far it lies from their middle.
    tethers: Vec<(u32, Vec<u32>, f64)>,
    /// Corners of each triangle, where they lie at rest, and the material's area.
    cells: Vec<Half>,
}

/// A triangle of a lattice: its nodes, where they lie at rest, and as much material as a [`Floor`]'s have.
type Half = ([u32; 3], [[f32; 2]; 3], [f64; 3]);

impl Lattice {
    fn level(self, rest: &ClothRest, share: f64) -> Level {
        let m = &rest.matter;
        let full = [m.stretch[0], m.stretch[1], m.shear];
        let triangles: Vec<Triangle> = self
            .cells
            .iter()
            .map(|&(point, frame, area)| {
                let per = share / crate::build::area(&frame);
                let [_, stretch, shear] = area.map(|a| a * per);
                let scale = [stretch, stretch, shear];
                let stiffness = std::array::from_fn(|k| (f64::from(full[k]) * scale[k]) as f32);
                Triangle { point, frame, stiffness, air: [0.0; 2] }
            })
            .collect();
        let soft = 1.0 / (share * f64::from(full[0].max(full[1]))).max(1e-6);
        let tethers = self
            .tethers
            .into_iter()
            .map(|(node, pins, length)| Tether { node, pins, length: length as f32, soft: soft as f32 })
            .collect();
        let spare = self.weight.len() as u32;
        let weight = self.weight.into_iter().chain([0.0; 4]).collect();
        let groups = Level::gather(&triangles, spare);
        Level { children: self.children, nodes: self.nodes, weight, groups, tethers }
    }
}

/// Roots of a forest of sets.
struct Sets(Vec<u32>);

impl Sets {
    fn of(n: usize) -> Sets {
        Sets((0..n as u32).collect())
    }
    fn root(&mut self, mut k: u32) -> u32 {
        while self.0[k as usize] != k {
            self.0[k as usize] = self.0[self.0[k as usize] as usize];
            k = self.0[k as usize];
        }
        k
    }
    fn join(&mut self, a: u32, b: u32) {
        let (a, b) = (self.root(a), self.root(b));
        self.0[a.max(b) as usize] = a.min(b);
    }
}

/// `bottom` has the places of the points.
fn lattice(floor: &Floor, step: f64, bottom: &[[f64; 2]]) -> (Lattice, Floor) {
    let n = floor.place.len();
    let low: [f64; 2] = [0, 1].map(|c| floor.place.iter().fold(f64::INFINITY, |m, p| m.min(p[c])));
    let high: [f64; 2] = [0, 1].map(|c| floor.place.iter().fold(f64::NEG_INFINITY, |m, p| m.max(p[c])));
    // As many whole cells as fit, so that borders lie on the lattice.
    let count: [f64; 2] = [0, 1].map(|c| ((high[c] - low[c]) / step).round().max(1.0));
    let size: [f64; 2] = [0, 1].map(|c| ((high[c] - low[c]) / count[c]).max(1e-9));
    let cell: Vec<[i64; 2]> = (0..n)
        .map(|p| {
            [0, 1].map(|c| {
                let k = ((floor.place[p][c] - low[c]) / size[c]).floor();
                k.clamp(0.0, count[c] - 1.0) as i64
            })
        })
        .collect();
    // A piece is what hangs together within a cell: two flaps may lie side by side and not touch.
    let mut pieces = Sets::of(n);
    let mut edges: Vec<[u32; 2]> =
        floor.triangles.iter().flat_map(|(t, _)| [[t[0], t[1]], [t[1], t[2]], [t[2], t[0]]]).collect();
    edges.iter_mut().for_each(|e| e.sort_unstable());
    edges.sort_unstable();
    edges.dedup();
    for &[a, b] in &edges {
        if cell[a as usize] == cell[b as usize] {
            pieces.join(a, b);
        }
    }
    let piece: Vec<u32> = (0..n as u32).map(|p| pieces.root(p)).collect();
    // A node is a lattice corner and the pieces around it that hang together.
    let mut members: BTreeMap<[i64; 2], BTreeSet<u32>> = BTreeMap::new();
    for p in 0..n {
        for corner in corners(cell[p]) {
            members.entry(corner).or_default().insert(piece[p]);
        }
    }
    let mut joins: BTreeMap<[i64; 2], Vec<[u32; 2]>> = BTreeMap::new();
    for &[a, b] in &edges {
        let (a, b) = (a as usize, b as usize);
        if piece[a] != piece[b] {
            for corner in corners(cell[a]).into_iter().filter(|c| corners(cell[b]).contains(c)) {
                joins.entry(corner).or_default().push([piece[a], piece[b]]);
            }
        }
    }
    let mut node_of: BTreeMap<([i64; 2], u32), u32> = BTreeMap::new();
    let mut nodes = 0u32;
    let mut sets = Sets::of(n);
    for (corner, around) in &members {
        around.iter().for_each(|&p| sets.0[p as usize] = p);
        joins.get(corner).into_iter().flatten().for_each(|&[a, b]| sets.join(a, b));
        let mut known: BTreeMap<u32, u32> = BTreeMap::new();
        for &p in around {
            let node = *known.entry(sets.root(p)).or_insert_with(|| {
                nodes += 1;
                nodes - 1
            });
            node_of.insert((*corner, p), node);
        }
    }
    let mut lattice = Lattice {
        children: vec![vec![]; nodes as usize],
        nodes: vec![],
        weight: vec![],
        tethers: vec![],
        cells: vec![],
    };
    let mut next = Floor {
        place: vec![[0.0; 2]; nodes as usize],
        mass: vec![0.0; nodes as usize],
        fixed: vec![false; nodes as usize],
        pins: vec![vec![]; nodes as usize],
        triangles: vec![],
    };
    let mut shares = vec![];
    for p in 0..n {
        let [s, t] = [0, 1].map(|c| {
            let k = (floor.place[p][c] - low[c]) / size[c] - cell[p][c] as f64;
            k.clamp(0.0, 1.0)
        });
        let own = corners(cell[p]).map(|c| node_of[&(c, piece[p])]);
        let weights = [(1.0 - s) * (1.0 - t), s * (1.0 - t), s * t, (1.0 - s) * t];
        for (k, w) in own.iter().zip(weights) {
            let k = *k as usize;
            next.mass[k] += w * floor.mass[p];
            (0..2).for_each(|c| next.place[k][c] += w * floor.mass[p] * floor.place[p][c]);
        }
        if !floor.pins[p].is_empty() {
            let most = (0..4).max_by(|&a, &b| weights[a].total_cmp(&weights[b])).unwrap_or(0);
            next.pins[own[most] as usize].extend(&floor.pins[p]);
        }
        // What is held takes no moves.
        lattice.nodes.push((own, weights.map(|w| if floor.fixed[p] { 0.0 } else { w as f32 })));
        shares.push(weights);
    }
    for k in 0..nodes as usize {
        let per = 1.0 / next.mass[k].max(1e-300);
        next.place[k] = next.place[k].map(|c| c * per);
        let pins = &next.pins[k];
        let middle: [f64; 2] = [0, 1]
            .map(|c| pins.iter().map(|&p| bottom[p as usize][c]).sum::<f64>() / pins.len().max(1) as f64);
        let far = (next.place[k][0] - middle[0]).hypot(next.place[k][1] - middle[1]);
        // A node amid its held points is as good as held.
        let held = !pins.is_empty() && far < 0.02 * step;
        if !pins.is_empty() && !held {
            lattice.tethers.push((k as u32, pins.clone(), far));
        }
        next.fixed[k] = held || next.mass[k] <= 0.0;
        lattice.weight.push(if held || next.mass[k] <= 0.0 { 0.0 } else { per as f32 });
    }
    for p in 0..n {
        for (k, w) in lattice.nodes[p].0.iter().zip(shares[p]) {
            let share = w * floor.mass[p] / next.mass[*k as usize].max(1e-300);
            if share > 0.0 {
                lattice.children[*k as usize].push((p as u32, share as f32));
            }
        }
    }
    // Each cell's material, by its pieces.
    let mut area: BTreeMap<([i64; 2], u32), [f64; 3]> = BTreeMap::new();
    for (t, a) in &floor.triangles {
        for &p in t {
            let sum = area.entry((cell[p as usize], piece[p as usize])).or_default();
            (0..3).for_each(|k| sum[k] += a[k] / 3.0);
        }
    }
    for ((at, piece), area) in area {
        let own = corners(at).map(|c| node_of[&(c, piece)]);
        let halves = if (at[0] + at[1]) % 2 == 0 { [[0, 1, 2], [0, 2, 3]] } else { [[0, 1, 3], [1, 2, 3]] };
        for half in halves {
            let point = half.map(|k| own[k]);
            let frame = point.map(|k| next.place[k as usize].map(|c| c as f32));
            // Slivers at a border have no shape to speak of.
            let distinct = point[0] != point[1] && point[1] != point[2] && point[0] != point[2];
            if distinct && crate::build::area(&frame) > 0.02 * size[0] * size[1] {
                lattice.cells.push((point, frame, area.map(|a| 0.5 * a)));
                next.triangles.push((point, area.map(|a| 0.5 * a)));
            }
        }
    }
    (lattice, next)
}

/// Corners of a cell, around it.
fn corners([a, b]: [i64; 2]) -> [[i64; 2]; 4] {
    [[a, b], [a + 1, b], [a + 1, b + 1], [a, b + 1]]
}
