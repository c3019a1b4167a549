//! Lays lattices over the material.
use super::cell::{Cell, Cells, Spanned};
use super::{Level, Tether};
use crate::inputs::ClothRest;
use crate::model::cloth::constraint::prolonged::Share;
use std::collections::{BTreeMap, BTreeSet};

/// Edges of the level below that a cell of a lattice spans.
const SPAN: f64 = 4.0;
/// Levels at most: the third of a sheet of 256 x 256 points has cells of 64 edges.
const MOST: usize = 3;

/// A piece of material: a triangle, or a cell of four corners around it.
#[derive(Clone, Debug)]
pub struct Element {
    pub corners: Vec<u32>,
    /// K A along warp and weft and in shear, N·m.
    pub stiffness: [f64; 3],
}

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
    elements: Vec<Element>,
}

impl Floor {
    /// K A Σ w |∇C|² of the stretch and shear of the elements, in the mean over K A, 1/s².
    fn need(&self) -> [f32; 2] {
        let (mut sum, mut all) = ([0.0; 3], [0.0; 3]);
        for Element { corners, stiffness } in &self.elements {
            let at = |k: usize| self.place[corners[k] as usize];
            let side = |k: usize, j: usize| [0, 1].map(|d| at(k)[d] - at(j)[d]);
            // Of a triangle the sides from its first corner, of four the diagonals: what each corner takes of them.
            let (p, q, takes): (_, _, &[[f64; 2]]) = match corners.len() {
                3 => (side(1, 0), side(2, 0), &[[-1.0, -1.0], [1.0, 0.0], [0.0, 1.0]]),
                _ => (side(2, 0), side(1, 3), &[[-1.0, 0.0], [0.0, 1.0], [1.0, 0.0], [0.0, -1.0]]),
            };
            let det = p[0] * q[1] - q[0] * p[1];
            for (&corner, [a, b]) in corners.iter().zip(takes) {
                let (corner, u, v) = (corner as usize, a * q[1] - b * q[0], b * p[0] - a * p[1]);
                if !self.fixed[corner] && self.mass[corner] > 0.0 && det != 0.0 {
                    let w = 1.0 / (det * det * self.mass[corner]);
                    for (k, c2) in [u * u, v * v, u * u + v * v].into_iter().enumerate() {
                        sum[k] += stiffness[k] * stiffness[k] * w * c2;
                    }
                }
            }
            (0..3).for_each(|k| all[k] += stiffness[k]);
        }
        let [u, v, shear] = std::array::from_fn(|k| (sum[k] / all[k].max(1e-30)) as f32);
        [u.max(v), shear]
    }

    /// All edges, and of four corners a diagonal.
    fn edges(&self) -> Vec<[u32; 2]> {
        let mut edges = vec![];
        for Element { corners, .. } in &self.elements {
            let next = corners.iter().cycle().skip(1);
            edges.extend(corners.iter().zip(next).map(|(a, b)| [*a.min(b), *a.max(b)]));
            if let [a, _, c, _] = corners[..] {
                edges.push([a.min(c), a.max(c)]);
            }
        }
        edges.sort_unstable();
        edges.dedup();
        edges
    }
}

/// The lattices of a cloth, and whose pulls the material has.
pub struct Lattices {
    /// Finest first; none where the material can't be laid flat, or is too small to need any.
    pub levels: Vec<Level>,
    /// For each element.
    pub shares: Vec<Share>,
    /// For each edge, the cell.
    pub edges: Vec<u32>,
}

/// `at` gives the place of a point, `mass` is by place. `elements` are the material and `edges` its yarns', by places.
pub fn lattices(
    rest: &ClothRest,
    at: impl Fn(u32) -> u32,
    mass: &[f64],
    elements: Vec<Element>,
    edges: &[[u32; 2]],
) -> Lattices {
    let mut out = Lattices {
        levels: vec![],
        shares: vec![Share::default(); elements.len()],
        edges: vec![0; edges.len()],
    };
    let Some(material) = lay_flat(rest) else { return out };
    let n = mass.len();
    let mut floor = Floor {
        place: vec![[0.0; 2]; n],
        mass: mass.to_vec(),
        fixed: vec![false; n],
        pins: vec![vec![]; n],
        elements,
    };
    for p in 0..n {
        let place = at(p as u32) as usize;
        floor.place[place] = material[p];
        if rest.held[p] {
            floor.pins[place].push(place as u32);
            floor.fixed[place] = true;
        }
    }
    let area: f64 = rest.flat.iter().map(crate::model::cloth::area).sum();
    // Of a square grid, two triangles a cell.
    let mut step = SPAN * (2.0 * area / rest.triangles.len() as f64).sqrt();
    let mut floors = vec![];
    let bottom = floor.place.clone();
    while floors.len() < MOST && area > 4.0 * step * step {
        let own = if floors.is_empty() { edges } else { &[] };
        let (lattice, next) = lattice(&floor, step, &bottom, own);
        if lattice.cells.is_empty() {
            break;
        }
        floors.push(lattice);
        floor = next;
        step *= SPAN;
    }
    let mut cells: Vec<(Cells, Vec<u32>)> =
        floors.iter().map(|l| Cells::gather(&l.cells, l.need, l.weight.len() as u32)).collect();
    for k in 1..floors.len() {
        let (below, own) = cells.split_at_mut(k);
        let (below, places) = &mut below[k - 1];
        below.hang(places, &floors[k].cells, &own[0].1, own[0].0.none());
    }
    if let (Some(l), Some((cells, places))) = (floors.first(), cells.first()) {
        out.shares.iter_mut().for_each(|s| s.cell = cells.none());
        for (cell, place) in l.cells.iter().zip(places) {
            cell.below.iter().for_each(|b| out.shares[b.number] = b.share(*place));
        }
        out.edges = l.edges.iter().map(|cell| cell.map_or(cells.none(), |c| places[c])).collect();
    }
    out.levels = floors.into_iter().zip(cells).map(|(l, (cells, _))| l.level(rest, cells)).collect();
    out
}

/// Gains of the points along warp and weft, if all triangles agree on them.
pub fn lay_flat(rest: &ClothRest) -> Option<Vec<[f64; 2]>> {
    let n = rest.positions.len();
    let mut beside = vec![vec![]; n];
    for (t, tri) in rest.triangles.iter().enumerate() {
        tri.iter().for_each(|&p| beside[p as usize].push(t));
    }
    let mut place = vec![None; n];
    let corner = |t: usize, k: usize| rest.flat[t][k].map(f64::from);
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
                let size = crate::model::cloth::area(&rest.flat[t]).sqrt();
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

/// A lattice over a floor, before it is packed.
struct Lattice {
    children: Vec<Vec<(u32, f32)>>,
    nodes: Vec<([u32; 4], [f32; 4])>,
    weight: Vec<f32>,
    /// Node, its held points, and how far it lies from their middle.
    tethers: Vec<(u32, Vec<u32>, f64)>,
    cells: Vec<Cell>,
    /// See [`Cells`].
    need: [f32; 2],
    /// Which cell each of the edges asked for lies in.
    edges: Vec<Option<usize>>,
}

impl Lattice {
    fn level(self, rest: &ClothRest, cells: Cells) -> Level {
        let [warp, weft] = rest.matter.stretch;
        let compliance = 1.0 / warp.max(weft).max(1e-6);
        let tethers = self
            .tethers
            .into_iter()
            .map(|(node, pins, length)| Tether { node, pins, length: length as f32, compliance })
            .collect();
        let weight = self.weight.into_iter().chain([0.0; 4]).collect();
        Level { children: self.children, nodes: self.nodes, weight, cells, tethers }
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

/// A lattice over a floor, and the floor that its nodes are. `bottom` has the places of the points.
fn lattice(floor: &Floor, step: f64, bottom: &[[f64; 2]], asked: &[[u32; 2]]) -> (Lattice, Floor) {
    let laid = Laid::over(floor, step);
    let nodes = laid.nodes;
    let mut lattice = Lattice {
        children: vec![vec![]; nodes],
        nodes: vec![],
        weight: vec![],
        tethers: vec![],
        cells: vec![],
        need: floor.need(),
        edges: vec![],
    };
    let mut next = Floor {
        place: vec![[0.0; 2]; nodes],
        mass: vec![0.0; nodes],
        fixed: vec![false; nodes],
        pins: vec![vec![]; nodes],
        elements: vec![],
    };
    let spread = laid.spread(&mut lattice, &mut next);
    settle(step, bottom, &spread.still, &mut lattice, &mut next);
    laid.give_children(&spread.shares, &mut lattice, &next);
    laid.span(asked, &mut lattice, &mut next);
    (lattice, next)
}

/// Where a lattice's lines, pieces and nodes lie.
struct Laid<'a> {
    floor: &'a Floor,
    lines: [Vec<f64>; 2],
    /// Of a cell.
    size: [f64; 2],
    /// The cell that each point lies in.
    cell: Vec<[i64; 2]>,
    /// The piece that it is of there: two flaps may lie side by side and not touch.
    piece: Vec<u32>,
    edges: Vec<[u32; 2]>,
    /// By lattice corner and piece.
    node_of: BTreeMap<([i64; 2], u32), u32>,
    nodes: usize,
}

/// Of each point its shares of the nodes about it, and of each node what is held: by its weights, by mass, and where.
struct Spread {
    shares: Vec<[f64; 4]>,
    still: Vec<[f64; 4]>,
}

impl Laid<'_> {
    fn over(floor: &Floor, step: f64) -> Laid<'_> {
        let low: [f64; 2] = [0, 1].map(|c| floor.place.iter().fold(f64::INFINITY, |m, p| m.min(p[c])));
        let high: [f64; 2] = [0, 1].map(|c| floor.place.iter().fold(f64::NEG_INFINITY, |m, p| m.max(p[c])));
        // As many whole cells as fit, so that borders lie on the lattice.
        let count: [f64; 2] = [0, 1].map(|c| ((high[c] - low[c]) / step).round().max(1.0));
        let size: [f64; 2] = [0, 1].map(|c| ((high[c] - low[c]) / count[c]).max(1e-9));
        let lines: [Vec<f64>; 2] = [0, 1].map(|c| lines(floor, c, low[c], high[c], count[c] as usize));
        let cell: Vec<[i64; 2]> =
            floor.place.iter().map(|p| [0, 1].map(|c| within(&lines[c], p[c]) as i64)).collect();
        let edges = floor.edges();
        let mut pieces = Sets::of(cell.len());
        for &[a, b] in &edges {
            if cell[a as usize] == cell[b as usize] {
                pieces.join(a, b);
            }
        }
        let piece: Vec<u32> = (0..cell.len() as u32).map(|p| pieces.root(p)).collect();
        let (node_of, nodes) = corner_nodes(&cell, &piece, &edges);
        Laid { floor, lines, size, cell, piece, edges, node_of, nodes }
    }

    fn nodes_at(&self, cell: [i64; 2], piece: u32) -> [u32; 4] {
        corners(cell).map(|c| self.node_of[&(c, piece)])
    }

    /// Spreads mass, places and pins of the points over the nodes about them.
    fn spread(&self, lattice: &mut Lattice, next: &mut Floor) -> Spread {
        let floor = self.floor;
        let mut shares = vec![];
        let mut still = vec![[0.0; 4]; self.nodes];
        for p in 0..self.cell.len() {
            let [s, t] = [0, 1].map(|c| {
                let line = &self.lines[c][self.cell[p][c] as usize..];
                ((floor.place[p][c] - line[0]) / (line[1] - line[0]).max(1e-12)).clamp(0.0, 1.0)
            });
            let own = self.nodes_at(self.cell[p], self.piece[p]);
            let weights = [(1.0 - s) * (1.0 - t), s * (1.0 - t), s * t, (1.0 - s) * t];
            for (k, w) in own.iter().zip(weights) {
                let k = *k as usize;
                next.mass[k] += w * floor.mass[p];
                if floor.fixed[p] {
                    let (m, [u, v]) = (w * floor.mass[p], floor.place[p]);
                    still[k].iter_mut().zip([w, m, m * u, m * v]).for_each(|(sum, by)| *sum += by);
                }
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
        Spread { shares, still }
    }

    /// Tells each node the points whose mean it is.
    fn give_children(&self, shares: &[[f64; 4]], lattice: &mut Lattice, next: &Floor) {
        let floor = self.floor;
        for p in 0..self.cell.len() {
            for (k, w) in lattice.nodes[p].0.iter().zip(shares[p]) {
                let share = w * floor.mass[p] / next.mass[*k as usize].max(1e-300);
                if share > 0.0 && (floor.fixed[p] || !next.fixed[*k as usize]) {
                    lattice.children[*k as usize].push((p as u32, share as f32));
                }
            }
        }
    }

    /// Makes the cells from the material in them, and finds which of them the edges `asked` for lie in.
    fn span(&self, asked: &[[u32; 2]], lattice: &mut Lattice, next: &mut Floor) {
        let mut beside: Vec<Vec<u32>> = vec![vec![]; self.cell.len()];
        for &[a, b] in &self.edges {
            beside[a as usize].push(b);
            beside[b as usize].push(a);
        }
        let mut spans: BTreeMap<[u32; 4], ([f64; 3], Vec<Spanned>)> = BTreeMap::new();
        for (number, Element { corners, stiffness }) in self.floor.elements.iter().enumerate() {
            let (middle, at, piece) = self.home(corners, &beside);
            let off = [0, 1].map(|c| {
                let line = &self.lines[c][at[c] as usize..];
                (middle[c] - 0.5 * (line[0] + line[1])) / (line[1] - line[0]).max(1e-12)
            });
            let (all, below) = spans.entry(self.nodes_at(at, piece)).or_default();
            all.iter_mut().zip(stiffness).for_each(|(sum, by)| *sum += by);
            below.push(Spanned { number, off });
        }
        // Slivers at a border have no shape to speak of.
        spans.retain(|node, _| {
            let [a, b, c, d] = node.map(|k| next.place[k as usize]);
            let double = (c[0] - a[0]) * (b[1] - d[1]) - (b[0] - d[0]) * (c[1] - a[1]);
            double.abs() > 0.04 * self.size[0] * self.size[1]
        });
        let known: Vec<[u32; 4]> = spans.keys().copied().collect();
        let ends = asked.iter().map(|e| {
            let (_, at, piece) = self.home(e, &beside);
            known.binary_search(&self.nodes_at(at, piece)).ok()
        });
        lattice.edges = ends.collect();
        let side_by_side = side_by_side(&known);
        for ((node, (stiffness, mut below)), beside) in spans.into_iter().zip(side_by_side) {
            for c in 0..2 {
                let mean = below.iter().map(|b| b.off[c]).sum::<f64>() / below.len() as f64;
                below.iter_mut().for_each(|b| b.off[c] -= mean);
            }
            next.elements.push(Element { corners: node.to_vec(), stiffness });
            let place = node.map(|k| next.place[k as usize]);
            lattice.cells.push(Cell { node, place, stiffness, below, beside });
        }
    }

    /// The middle of some material, the cell it belongs to, in which that lies, and the piece that it is of there.
    fn home(&self, corners: &[u32], beside: &[Vec<u32>]) -> ([f64; 2], [i64; 2], u32) {
        let place = &self.floor.place;
        let middle: [f64; 2] =
            [0, 1].map(|c| corners.iter().map(|&p| place[p as usize][c]).sum::<f64>() / corners.len() as f64);
        let amid = [0, 1].map(|c| within(&self.lines[c], middle[c]) as i64);
        let near = corners.iter().chain(corners.iter().flat_map(|p| &beside[*p as usize]));
        let p = near.copied().find(|p| self.cell[*p as usize] == amid).unwrap_or(corners[0]) as usize;
        (middle, self.cell[p], self.piece[p])
    }
}

fn within(lines: &[f64], x: f64) -> usize {
    lines[1..lines.len() - 1].partition_point(|l| *l <= x)
}

/// A node is a lattice corner and the pieces around it that hang together: its number by corner and piece, and how many
/// there are.
fn corner_nodes(
    cell: &[[i64; 2]],
    piece: &[u32],
    edges: &[[u32; 2]],
) -> (BTreeMap<([i64; 2], u32), u32>, usize) {
    let mut members: BTreeMap<[i64; 2], BTreeSet<u32>> = BTreeMap::new();
    for p in 0..cell.len() {
        for corner in corners(cell[p]) {
            members.entry(corner).or_default().insert(piece[p]);
        }
    }
    let mut joins: BTreeMap<[i64; 2], Vec<[u32; 2]>> = BTreeMap::new();
    for &[a, b] in edges {
        let (a, b) = (a as usize, b as usize);
        if piece[a] != piece[b] {
            for corner in corners(cell[a]).into_iter().filter(|c| corners(cell[b]).contains(c)) {
                joins.entry(corner).or_default().push([piece[a], piece[b]]);
            }
        }
    }
    let mut node_of = BTreeMap::new();
    let mut nodes = 0u32;
    let mut sets = Sets::of(cell.len());
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
    (node_of, nodes as usize)
}

/// Puts nodes where their mass is, and holds or tethers those that have held points.
fn settle(step: f64, bottom: &[[f64; 2]], still: &[[f64; 4]], lattice: &mut Lattice, next: &mut Floor) {
    for k in 0..next.place.len() {
        let per = 1.0 / next.mass[k].max(1e-300);
        next.place[k] = next.place[k].map(|c| c * per);
        let pins = &next.pins[k];
        let middle: [f64; 2] = [0, 1]
            .map(|c| pins.iter().map(|&p| bottom[p as usize][c]).sum::<f64>() / pins.len().max(1) as f64);
        let far = (next.place[k][0] - middle[0]).hypot(next.place[k][1] - middle[1]);
        // A node amid its held points is as good as held.
        let held = !pins.is_empty() && (far < 0.02 * step || still[k][0] > 0.4 * SPAN) && still[k][1] > 0.0;
        if !pins.is_empty() && !held {
            lattice.tethers.push((k as u32, pins.clone(), far));
        }
        if held {
            // It stands where they do.
            let [_, m, u, v] = still[k];
            (next.mass[k], next.place[k]) = (m, [u / m, v / m]);
        }
        next.fixed[k] = held || next.mass[k] <= 0.0;
        lattice.weight.push(if held || next.mass[k] <= 0.0 { 0.0 } else { per as f32 });
    }
}

/// For each cell those before and after it along warp and along weft: cells lie side by side where they share an edge's
/// nodes.
fn side_by_side(known: &[[u32; 4]]) -> Vec<[Option<usize>; 4]> {
    let side = |of: [usize; 2]| -> BTreeMap<[u32; 2], usize> {
        known.iter().enumerate().map(|(k, n)| (of.map(|s| n[s]), k)).collect()
    };
    let sides = [side([0, 3]), side([1, 2]), side([0, 1]), side([3, 2])];
    let others = [([0, 3], 1), ([1, 2], 0), ([0, 1], 3), ([3, 2], 2)];
    let beside = |node: &[u32; 4]| {
        others.map(|(of, other): ([usize; 2], usize)| sides[other].get(&of.map(|s| node[s])).copied())
    };
    known.iter().map(beside).collect()
}

/// Where a lattice is divided along one direction: on points where there are any near, so that of a grid no cell lies
/// across.
fn lines(floor: &Floor, c: usize, low: f64, high: f64, count: usize) -> Vec<f64> {
    let mut at: Vec<f64> = floor.place.iter().map(|p| p[c]).collect();
    at.sort_unstable_by(f64::total_cmp);
    let size = (high - low) / count as f64;
    let mut lines: Vec<f64> = (0..=count)
        .map(|k| {
            let want = low + size * k as f64;
            let after = at.partition_point(|x| *x < want);
            let near = [after.wrapping_sub(1), after].into_iter().filter_map(|k| at.get(k)).copied();
            let nearest = near.min_by(|a, b| (a - want).abs().total_cmp(&(b - want).abs())).unwrap_or(want);
            if (nearest - want).abs() < 0.3 * size { nearest } else { want }
        })
        .collect();
    // A line a little before its points, so that all of a row are on one side.
    let last = lines.len() - 1;
    lines[1..last].iter_mut().for_each(|l| *l -= 1e-6 * size);
    (lines[0], lines[last]) = (low, high.max(low + 1e-9));
    lines
}

/// Corners of a cell, around it.
fn corners([a, b]: [i64; 2]) -> [[i64; 2]; 4] {
    [[a, b], [a + 1, b], [a + 1, b + 1], [a, b + 1]]
}
