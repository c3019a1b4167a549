//! A surface that takes part in contact: its triangles, the edges and points that each of them stands for,
//! and a tree of boxes over them that is fitted to the points' ways.
//!
//! A patch whose normals all lean one way can't touch itself, so flat parts are never opened (P. Volino,
//! N. Magnenat-Thalmann, "Efficient Self-Collision Detection on Smoothly Discretized Surface Animations Using
//! Geometrical Shape Regularity", 1994; M. Tang, S. Curtis, S.-E. Yoon, D. Manocha, "ICCD: Interactive
//! Continuous Collision Detection between Deformable Models Using Connectivity-Based Culling", 2009, for
//! patches that move). Normals are kept as boxes, like places.
use crate::simd::{Bounds, F8, Record, V8, load};
use std::collections::BTreeMap;

/// Triangles of a box at most.
const LEAF: usize = 2;

/// Topology of a surface; made once.
pub struct Surface {
    pub triangles: Vec<[u32; 3]>,
    /// Each once.
    pub edges: Vec<[u32; 2]>,
    /// For each triangle, what it stands for.
    own: Vec<Own>,
    nodes: Vec<Node>,
    /// The pairs of nodes that a search within the surface comes by and that share a point: for each its
    /// nodes, and the run of `links` that it opens to. The first is the whole with itself.
    patches: Vec<Patch>,
    /// Pairs of nodes, or where the first is [`PATCH`] the number of a patch.
    links: Vec<[u32; 2]>,
    /// Triangles in the order of the leaves.
    order: Vec<u32>,
    /// For each leaf, by its first triangle in `order`, the run of `around` with all triangles that have
    /// an edge or a point that the leaf's stand for.
    rings: Vec<[u32; 2]>,
    around: Vec<u32>,
    /// For each point its triangles, and for each triangle its edges.
    beside: Vec<Vec<u32>>,
    sides: Vec<[u32; 3]>,
    pub points: usize,
}

/// The edges and points of a triangle that no earlier one has.
#[derive(Clone, Copy, Default)]
struct Own {
    edges: [u32; 3],
    ends: [[u32; 2]; 3],
    points: [u32; 3],
    counts: [u8; 2],
}

impl Own {
    #[inline(always)]
    fn edges(&self) -> impl Iterator<Item = (u32, [u32; 2])> + Clone + use<> {
        let Own { edges, ends, .. } = *self;
        (0..self.counts[0] as usize).map(move |k| (edges[k], ends[k]))
    }
    #[inline(always)]
    fn points(&self) -> &[u32] {
        &self.points[..self.counts[1] as usize]
    }
}

/// Two nodes that share a point, or a node with itself.
#[derive(Clone, Copy)]
struct Patch {
    nodes: [u32; 2],
    links: [u32; 2],
    /// Whether it hangs together: only then do normals tell that it can't touch itself.
    whole: bool,
}

/// Marks the number of a patch where a pair of nodes could stand.
const PATCH: u32 = u32::MAX;

#[derive(Clone, Copy)]
enum Node {
    Leaf { from: u32, to: u32 },
    Halves { halves: [u32; 2], count: u32 },
}

/// Pairs of features of two surfaces that may come near, in an order that depends on the surfaces alone.
#[derive(Default)]
pub struct Found {
    /// A point of the first surface and a triangle of the second.
    pub point_triangle: Vec<[u32; 2]>,
    /// A triangle of the first and a point of the second, the point first.
    pub triangle_point: Vec<[u32; 2]>,
    pub edges: Vec<[u32; 2]>,
    /// Pairs of triangles, where those are asked for.
    pub triangles: Vec<[u32; 2]>,
}

impl Found {
    fn clear(&mut self) {
        self.point_triangle.clear();
        self.triangle_point.clear();
        self.edges.clear();
        self.triangles.clear();
    }
    fn append(&mut self, o: &mut Found) {
        self.point_triangle.append(&mut o.point_triangle);
        self.triangle_point.append(&mut o.triangle_point);
        self.edges.append(&mut o.edges);
        self.triangles.append(&mut o.triangles);
    }
}

/// The boxes of a surface's tree about the ways of its points, and those of its normals.
#[derive(Clone, Default)]
pub struct Boxes {
    nodes: Vec<[Bounds; 2]>,
    pub(super) triangles: Vec<[Bounds; 2]>,
    pub(super) points: Vec<Bounds>,
    /// The boxes of the normals again, of eight triangles together.
    pub(super) normals: Vec<Normals>,
}

/// The boxes of the normals of eight triangles: lows, then highs.
type Normals = [[f32; 8]; 6];

/// Boxes of normals are wider by so much on each side than the ways that were thought of: points may stray. What
/// turns further is found by [`Surface::turned`].
const SWAY: f32 = 0.15;
/// All normals of a box lean one way by at least this much of its middle.
const LEAN: f32 = 0.05;

/// For a box of normals, whether there is a way that all of them lean.
#[inline(always)]
fn leans(b: &Bounds) -> bool {
    let (low, high) = (b.low.0, b.high.0);
    let m: [f32; 3] = std::array::from_fn(|c| low[c] + high[c]);
    let size2 = m[0] * m[0] + m[1] * m[1] + m[2] * m[2];
    let least = |c: usize| if m[c] > 0.0 { m[c] * low[c] } else { m[c] * high[c] };
    let least = least(0) + least(1) + least(2);
    least > 0.0 && least * least > LEAN * LEAN * size2
}

/// The corners of eight triangles at most, the last repeated.
#[inline(always)]
fn eight(tri: &[[u32; 3]]) -> [[u32; 8]; 3] {
    std::array::from_fn(|i| std::array::from_fn(|l| tri[l.min(tri.len() - 1)][i]))
}

/// Normals of eight triangles, of twice their areas.
#[inline(always)]
fn normal(index: &[[u32; 8]; 3], x: &[Record]) -> V8 {
    // Safety: the indices lie inside.
    let [p, q, r] = index.each_ref().map(|i| unsafe { load(x.as_ptr(), i).0 });
    (q - p).cross(r - p)
}

impl Surface {
    /// Over points where they stand at rest.
    pub fn new(triangles: Vec<[u32; 3]>, rest: &[Record], points: usize) -> Surface {
        let mut seen_edge: BTreeMap<[u32; 2], u32> = BTreeMap::new();
        let mut seen_point = vec![false; points];
        let (mut edges, mut own, mut sides) = (vec![], vec![], vec![]);
        for t in &triangles {
            let (mut mine, mut side) = (Own::default(), [0; 3]);
            for k in 0..3 {
                let (a, b) = (t[k], t[(k + 1) % 3]);
                let e = [a.min(b), a.max(b)];
                side[k] = *seen_edge.entry(e).or_insert_with(|| {
                    let (id, at) = (edges.len() as u32, mine.counts[0] as usize);
                    edges.push(e);
                    (mine.edges[at], mine.ends[at]) = (id, e);
                    mine.counts[0] += 1;
                    id
                });
                if !std::mem::replace(&mut seen_point[a as usize], true) {
                    mine.points[mine.counts[1] as usize] = a;
                    mine.counts[1] += 1;
                }
            }
            own.push(mine);
            sides.push(side);
        }
        let mut s = Surface {
            triangles,
            edges,
            own,
            nodes: vec![],
            patches: vec![],
            links: vec![],
            order: vec![],
            rings: vec![],
            around: vec![],
            beside: vec![vec![]; points],
            sides,
            points,
        };
        let middle: Vec<[f32; 3]> = s
            .triangles
            .iter()
            .map(|t| std::array::from_fn(|c| t.iter().map(|&p| rest[p as usize].0[c]).sum::<f32>()))
            .collect();
        s.order = (0..s.triangles.len() as u32).collect();
        if !s.triangles.is_empty() {
            let n = s.triangles.len();
            s.halve(&middle, 0, n);
            s.encircle();
            s.link();
        }
        s
    }

    /// Whether every edge has two triangles: there is an inside.
    pub fn closed(&self) -> bool {
        !self.triangles.is_empty() && 2 * self.edges.len() == 3 * self.triangles.len()
    }

    fn triangles_of(&self, node: u32) -> usize {
        match self.nodes[node as usize] {
            Node::Leaf { from, to } => (to - from) as usize,
            Node::Halves { count, .. } => count as usize,
        }
    }

    /// Adds the triangles that have turned out of their boxes of normals.
    pub fn turned(&self, now: &[Record], boxes: &Boxes, out: &mut Vec<u32>) {
        use rayon::prelude::*;
        let look = |(k, (tri, normals)): (usize, (&[[u32; 3]], &Normals))| {
            let n = normal(&eight(tri), now);
            let size = n.dot(n).sqrt();
            let mut out = F8::splat(0.0);
            for c in 0..3 {
                let [low, high] = [&normals[c], &normals[c + 3]].map(|b| F8::new(b) * size);
                out = out.or(n.0[c].below(low)).or(high.below(n.0[c]));
            }
            let lanes = out.mask() & ((1 << tri.len()) - 1);
            (0..8).filter(move |l| lanes & (1 << l) != 0).map(move |l| 8 * k as u32 + l)
        };
        let each = self.triangles.par_chunks(8).zip(&boxes.normals).enumerate();
        out.par_extend(each.with_min_len(256).flat_map_iter(look));
    }

    /// Triangles about a point.
    pub fn beside(&self, p: u32) -> &[u32] {
        &self.beside[p as usize]
    }

    /// Edges of a triangle.
    pub fn sides(&self, t: u32) -> &[u32; 3] {
        &self.sides[t as usize]
    }

    /// Points and edges that a triangle stands for.
    pub fn stands_for(&self, t: u32) -> (&[u32], impl Iterator<Item = (u32, [u32; 2])> + Clone) {
        let own = &self.own[t as usize];
        (own.points(), own.edges())
    }

    /// Calls `each` with the triangles whose leaves come within reach of a box.
    pub fn within(&self, boxes: &Boxes, of: &Bounds, reach: f32, each: &mut impl FnMut(u32)) {
        let mut stack = if self.nodes.is_empty() { vec![] } else { vec![0u32] };
        while let Some(k) = stack.pop() {
            if !boxes.nodes[k as usize][0].meets(of, reach) {
                continue;
            }
            match self.nodes[k as usize] {
                Node::Leaf { from, to } => {
                    self.order[from as usize..to as usize].iter().for_each(|&t| each(t))
                }
                Node::Halves { halves, .. } => stack.extend(halves),
            }
        }
    }

    /// Finds the triangles about what each leaf stands for. Features are met by those who stand for them alone,
    /// so that a pair of leaves may only be passed over where none of these can meet.
    fn encircle(&mut self) {
        let mut beside: Vec<Vec<u32>> = vec![vec![]; self.points];
        for (t, tri) in self.triangles.iter().enumerate() {
            tri.iter().for_each(|&p| beside[p as usize].push(t as u32));
        }
        self.beside = beside;
        let beside = &self.beside;
        self.rings = vec![[0, 0]; self.triangles.len()];
        for node in &self.nodes {
            let Node::Leaf { from, to } = *node else { continue };
            let mut ring: Vec<u32> = self.order[from as usize..to as usize].to_vec();
            for k in 0..ring.len() {
                let own = &self.own[ring[k] as usize];
                own.points().iter().for_each(|&p| ring.extend(&beside[p as usize]));
                for (_, [a, b]) in own.edges() {
                    ring.extend(beside[a as usize].iter().filter(|t| beside[b as usize].contains(t)));
                }
            }
            ring.sort_unstable();
            ring.dedup();
            let first = self.around.len() as u32;
            self.around.extend(ring);
            self.rings[from as usize] = [first, self.around.len() as u32];
        }
    }

    /// For each node, whether its triangles hang together by their points.
    fn pieces(&self) -> Vec<bool> {
        let mut runs = vec![[0u32; 2]; self.nodes.len()];
        for k in (0..self.nodes.len()).rev() {
            runs[k] = match self.nodes[k] {
                Node::Leaf { from, to } => [from, to],
                Node::Halves { halves: [a, b], .. } => [runs[a as usize][0], runs[b as usize][1]],
            };
        }
        let mut up: Vec<u32> = (0..self.points as u32).collect();
        let root = |up: &mut Vec<u32>, mut p: u32| {
            while up[p as usize] != p {
                up[p as usize] = up[up[p as usize] as usize];
                p = up[p as usize];
            }
            p
        };
        runs.into_iter()
            .map(|[from, to]| {
                let own = &self.order[from as usize..to as usize];
                let corners = || own.iter().flat_map(|&t| self.triangles[t as usize]);
                corners().for_each(|p| up[p as usize] = p);
                for &t in own {
                    let [a, b, c] = self.triangles[t as usize].map(|p| root(&mut up, p));
                    (up[b as usize], up[c as usize]) = (a, a);
                }
                let first = corners().next().map(|p| root(&mut up, p));
                corners().all(|p| Some(root(&mut up, p)) == first)
            })
            .collect()
    }

    /// Finds for all pairs of nodes that a search within the surface can come by whether they share a point.
    fn link(&mut self) {
        let mut points: Vec<Vec<u32>> = vec![vec![]; self.nodes.len()];
        for k in (0..self.nodes.len()).rev() {
            let mut own: Vec<u32> = match self.nodes[k] {
                Node::Leaf { from, to } => self.order[from as usize..to as usize]
                    .iter()
                    .flat_map(|&t| self.triangles[t as usize])
                    .collect(),
                Node::Halves { halves: [a, b], .. } => [a, b].map(|n| points[n as usize].clone()).concat(),
            };
            own.sort_unstable();
            own.dedup();
            points[k] = own;
        }
        let share = |p: &[u32], q: &[u32]| {
            let (small, large) = if p.len() < q.len() { (p, q) } else { (q, p) };
            small.iter().any(|x| large.binary_search(x).is_ok())
        };
        let whole: Vec<bool> = self.pieces();
        self.patches.push(Patch { nodes: [0, 0], links: [0, 0], whole: whole[0] });
        let (mut at, mut next) = (0, vec![]);
        while at < self.patches.len() {
            let [p, q] = self.patches[at].nodes;
            next.clear();
            split(self, self, true, [p, q], &mut next);
            let from = self.links.len() as u32;
            for &n in next.iter().filter(|n| **n != [p, q]) {
                if n[0] == n[1] || share(&points[n[0] as usize], &points[n[1] as usize]) {
                    self.links.push([PATCH, self.patches.len() as u32]);
                    let whole = whole[n[0] as usize] && whole[n[1] as usize];
                    self.patches.push(Patch { nodes: n, links: [0, 0], whole });
                } else {
                    self.links.push(n);
                }
            }
            self.patches[at].links = [from, self.links.len() as u32];
            at += 1;
        }
    }

    fn halve(&mut self, middle: &[[f32; 3]], from: usize, to: usize) -> u32 {
        let me = self.nodes.len();
        self.nodes.push(Node::Leaf { from: from as u32, to: to as u32 });
        if to - from <= LEAF {
            return me as u32;
        }
        let size: [f32; 3] = std::array::from_fn(|c| {
            let at = self.order[from..to].iter().map(|&t| middle[t as usize][c]);
            at.clone().fold(f32::NEG_INFINITY, f32::max) - at.fold(f32::INFINITY, f32::min)
        });
        let axis = (0..3).max_by(|&p, &q| size[p].total_cmp(&size[q])).unwrap_or(0);
        let half = from + (to - from) / 2;
        self.order[from..to].select_nth_unstable_by(half - from, |&p, &q| {
            middle[p as usize][axis].total_cmp(&middle[q as usize][axis]).then(p.cmp(&q))
        });
        // The halves keep an order of their own.
        self.order[from..half].sort_unstable();
        self.order[half..to].sort_unstable();
        let halves = [self.halve(middle, from, half), self.halve(middle, half, to)];
        self.nodes[me] = Node::Halves { halves, count: (to - from) as u32 };
        me as u32
    }

    /// Fits the boxes to the ways of the points, each with its own pad about it: from `x` by so many `times`
    /// its way. The fourth numbers of the ways are the pads. Boxes of normals hold those of `now` as well.
    pub fn fit(&self, x: &[Record], now: &[Record], ways: &[Record], times: f32, boxes: &mut Boxes) {
        use rayon::prelude::*;
        boxes.points.resize(self.points, Bounds::NONE);
        boxes.points.par_iter_mut().zip(x).zip(ways).with_min_len(1024).for_each(|((b, a), w)| {
            let to = Record(std::array::from_fn(|c| w.0[c].mul_add(times, a.0[c])));
            *b = Bounds::about(*a, to, w.0[3]);
        });
        let points = &boxes.points;
        boxes.triangles.resize(self.triangles.len(), [Bounds::NONE; 2]);
        boxes.normals.resize(self.triangles.len().div_ceil(8), [[0.0; 8]; 6]);
        let chunks =
            boxes.triangles.par_chunks_mut(8).zip(&mut boxes.normals).zip(self.triangles.par_chunks(8));
        chunks.with_min_len(64).for_each(|((out, normals), tri)| {
            let index = eight(tri);
            // Safety: the indices lie inside.
            let [p, q, r] = index.map(|i| unsafe { load(x.as_ptr(), &i).0 });
            let (e, f) = (q - p, r - p);
            let first = e.cross(f);
            let mut low = first.unit();
            let mut high = low;
            if times > 0.0 {
                // On straight ways a normal goes along a parabola, within the triangle of these three (Tang et
                // al., eq. 4).
                let [u, v, w] = index.map(|i| unsafe { load(ways.as_ptr(), &i).0.scale(F8::splat(times)) });
                let (u, v) = (v - u, w - u);
                let last = (e + u).cross(f + v);
                let amid = first + last - u.cross(v);
                for n in [amid, last, normal(&index, now)] {
                    let n = n.unit();
                    (low, high) = (low.min(n), high.max(n));
                }
                let sway = V8::splat([SWAY; 3]);
                (low, high) = (low - sway, high + sway);
            }
            let (low, high) = (low.0.map(F8::array), high.0.map(F8::array));
            *normals = [low[0], low[1], low[2], high[0], high[1], high[2]];
            for (l, (out, t)) in out.iter_mut().zip(tri).enumerate() {
                let [p, q, r] = t.map(|p| &points[p as usize]);
                let at = |n: &[[f32; 8]; 3]| Record([n[0][l], n[1][l], n[2][l], 0.0]);
                *out = [p.and(q).and(r), Bounds { low: at(&low), high: at(&high) }];
            }
        });
        boxes.nodes.resize(self.nodes.len(), [Bounds::NONE; 2]);
        // Halves stand after their whole.
        for k in (0..self.nodes.len()).rev() {
            boxes.nodes[k] = match self.nodes[k] {
                Node::Leaf { from, to } => {
                    let own = &self.order[from as usize..to as usize];
                    let [first, last] = self.rings[from as usize];
                    let ring = &self.around[first as usize..last as usize];
                    let of = |triangles: &[u32], which: usize| {
                        triangles
                            .iter()
                            .fold(Bounds::NONE, |b, &t| b.and(&boxes.triangles[t as usize][which]))
                    };
                    [of(own, 0), of(ring, 1)]
                }
                Node::Halves { halves, .. } => {
                    let [a, b] = halves.map(|h| &boxes.nodes[h as usize]);
                    [a[0].and(&b[0]), a[1].and(&b[1])]
                }
            };
        }
    }
}

/// A surface on its way.
#[derive(Clone, Copy)]
pub struct Placed<'a> {
    pub surface: &'a Surface,
    pub boxes: &'a Boxes,
}

/// What to look for.
#[derive(Clone, Copy)]
pub struct Search {
    pub reach: f32,
    /// Pairs of features; else of triangles.
    pub features: bool,
}

/// All pairs of features of two surfaces, or of one with itself, within the reach on their ways.
pub fn search(a: Placed, b: Placed, own: bool, look: Search, found: &mut Found) {
    use rayon::prelude::*;
    found.clear();
    if a.surface.nodes.is_empty() || b.surface.nodes.is_empty() {
        return;
    }
    // Pairs of boxes, opened until there are enough to share out.
    let mut todo = vec![if own { [PATCH, 0] } else { [0, 0] }];
    for _ in 0..12 {
        let mut next = vec![];
        for &p in &todo {
            if open(a, b, look.reach, p, &mut next) {
                next.push(p);
            }
        }
        let done = next.len() == todo.len() && next == todo;
        todo = next;
        if todo.len() > 400 || done {
            break;
        }
    }
    let mut parts: Vec<Found> = todo
        .par_chunks(32)
        .map(|chunk| {
            let mut out = Found::default();
            let mut stack = vec![];
            for &first in chunk {
                stack.push(first);
                while let Some(p) = stack.pop() {
                    if open(a, b, look.reach, p, &mut stack) {
                        let [p, q] = if p[0] == PATCH { a.surface.patches[p[1] as usize].nodes } else { p };
                        if let (Node::Leaf { from, to }, Node::Leaf { from: f, to: t }) =
                            (a.surface.nodes[p as usize], b.surface.nodes[q as usize])
                        {
                            leaves(a, b, own, look, [from, to, f, t], &mut out);
                        }
                    }
                }
            }
            out
        })
        .collect();
    parts.iter_mut().for_each(|p| found.append(p));
}

/// Puts the pairs that a pair opens to, if it can't be passed over; true for leaves, which open to nothing.
#[inline(always)]
fn open(a: Placed, b: Placed, reach: f32, pair: [u32; 2], out: &mut Vec<[u32; 2]>) -> bool {
    if pair[0] == PATCH {
        let Patch { nodes: [p, q], links: [from, to], whole } = a.surface.patches[pair[1] as usize];
        let (s, o) = (&a.boxes.nodes[p as usize], &a.boxes.nodes[q as usize]);
        if (p != q && !s[0].meets(&o[0], reach)) || (whole && leans(&s[1].and(&o[1]))) {
            return false;
        }
        out.extend_from_slice(&a.surface.links[from as usize..to as usize]);
        return from == to;
    }
    let [p, q] = pair;
    if !a.boxes.nodes[p as usize][0].meets(&b.boxes.nodes[q as usize][0], reach) {
        return false;
    }
    if let (Node::Leaf { .. }, Node::Leaf { .. }) = (a.surface.nodes[p as usize], b.surface.nodes[q as usize])
    {
        return true;
    }
    split(a.surface, b.surface, false, pair, out);
    false
}

/// Splits the larger of two nodes; a node with itself into its halves with themselves and each other.
#[inline(always)]
fn split(a: &Surface, b: &Surface, own: bool, [p, q]: [u32; 2], out: &mut Vec<[u32; 2]>) {
    match (a.nodes[p as usize], b.nodes[q as usize]) {
        (Node::Halves { halves: [c, d], .. }, Node::Halves { .. }) if own && p == q => {
            out.extend([[c, c], [d, d], [c, d]]);
        }
        (Node::Halves { halves: [c, d], count }, _) if count as usize >= b.triangles_of(q) => {
            out.extend([[c, q], [d, q]]);
        }
        (_, Node::Halves { halves: [e, f], .. }) => out.extend([[p, e], [p, f]]),
        (Node::Halves { halves: [c, d], .. }, _) => out.extend([[c, q], [d, q]]),
        _ => out.push([p, q]),
    }
}

fn leaves(a: Placed, b: Placed, own: bool, look: Search, range: [u32; 4], out: &mut Found) {
    let [from, to, f, t] = range;
    for &s in &a.surface.order[from as usize..to as usize] {
        for &o in &b.surface.order[f as usize..t as usize] {
            // A leaf met with itself: each pair once.
            if own && from == f && s >= o {
                continue;
            }
            let (bs, bo) = (&a.boxes.triangles[s as usize][0], &b.boxes.triangles[o as usize][0]);
            if !bs.meets(bo, look.reach) {
                continue;
            }
            if look.features {
                features(a, b, own, look.reach, [s, o], out);
            } else {
                out.triangles.push([s, o]);
            }
        }
    }
}

#[inline(always)]
fn features(a: Placed, b: Placed, own: bool, reach: f32, [s, o]: [u32; 2], out: &mut Found) {
    let (bs, bo) = (&a.boxes.triangles[s as usize][0], &b.boxes.triangles[o as usize][0]);
    let (ts, to) = (a.surface.triangles[s as usize], b.surface.triangles[o as usize]);
    let (mine, others) = (&a.surface.own[s as usize], &b.surface.own[o as usize]);
    for &p in mine.points() {
        if a.boxes.points[p as usize].meets(bo, reach) && !(own && to.contains(&p)) {
            out.point_triangle.push([p, o]);
        }
    }
    for &p in others.points() {
        if b.boxes.points[p as usize].meets(bs, reach) && !(own && ts.contains(&p)) {
            if own {
                out.point_triangle.push([p, s]);
            } else {
                out.triangle_point.push([p, s]);
            }
        }
    }
    let edge = |b: &Boxes, [p, q]: [u32; 2]| b.points[p as usize].and(&b.points[q as usize]);
    for (i, e) in mine.edges() {
        let be = edge(a.boxes, e);
        if !be.meets(bo, reach) {
            continue;
        }
        for (j, d) in others.edges() {
            if own && (e[0] == d[0] || e[0] == d[1] || e[1] == d[0] || e[1] == d[1]) {
                continue;
            }
            if be.meets(&edge(b.boxes, d), reach) {
                out.edges.push([i, j]);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A flat sheet of points a centimetre apart, with spare points after them.
    fn flat(n: u32) -> (Surface, Vec<Record>) {
        let points = (n * n) as usize;
        let mut x: Vec<Record> =
            (0..n * n).map(|k| Record([0.01 * (k % n) as f32, 0.0, 0.01 * (k / n) as f32, 1.0])).collect();
        let mut triangles = vec![];
        for k in (0..n * (n - 1)).filter(|k| k % n + 1 < n) {
            triangles.extend([[k, k + n, k + 1], [k + 1, k + n, k + n + 1]]);
        }
        x.resize(points + 8, Record::default());
        (Surface::new(triangles, &x, points), x)
    }

    fn own_pairs(s: &Surface, x: &[Record], pad: f32) -> Found {
        let ways = vec![Record([0.0, 0.0, 0.0, pad]); s.points];
        let (mut boxes, mut found) = (Boxes::default(), Found::default());
        s.fit(x, x, &ways, 1.0, &mut boxes);
        let at = Placed { surface: s, boxes: &boxes };
        search(at, at, true, Search { reach: 0.001, features: true }, &mut found);
        found
    }

    #[test]
    fn a_flat_sheet_meets_nothing_of_its_own_and_a_folded_one_does() {
        let (s, mut x) = flat(12);
        let none = own_pairs(&s, &x, 0.002);
        assert!(none.point_triangle.is_empty() && none.edges.is_empty());
        // Folded over at the middle, half a millimetre above itself.
        for p in x.iter_mut().take(s.points).filter(|p| p.0[0] > 0.055) {
            (p.0[0], p.0[1]) = (0.11 - p.0[0], 0.0005);
        }
        let met = own_pairs(&s, &x, 0.0);
        // Each of the 50 inner points of the upper half lies over the lower one's.
        let upper = |p: u32| p % 12 > 6;
        let over = (0..144).filter(|&p| upper(p)).filter(|&p| {
            met.point_triangle
                .iter()
                .any(|&[q, t]| q == p && s.triangles[t as usize].iter().all(|&c| !upper(c)))
        });
        assert_eq!(over.count(), 5 * 12);
    }

    #[test]
    fn layers_that_hang_together_nowhere_meet_however_flat_they_are() {
        let (one, x) = flat(6);
        let n = one.points as u32;
        let triangles: Vec<[u32; 3]> =
            (0..2).flat_map(|k| one.triangles.iter().map(move |t| t.map(|p| p + k * n))).collect();
        let mut both: Vec<Record> = x[..n as usize].to_vec();
        both.extend(x[..n as usize].iter().map(|p| Record([p.0[0], 0.0005, p.0[2], 1.0])));
        both.resize(2 * n as usize + 8, Record::default());
        let s = Surface::new(triangles, &both, 2 * n as usize);
        let met = own_pairs(&s, &both, 0.0);
        let over = (0..2 * n).filter(|p| {
            met.point_triangle
                .iter()
                .any(|&[q, t]| q == *p && s.triangles[t as usize].iter().all(|&c| (c < n) != (q < n)))
        });
        assert_eq!(over.count(), 72, "each point meets the other layer");
    }

    #[test]
    fn what_turns_out_of_its_normals_is_named_and_only_that() {
        let (s, mut x) = flat(12);
        let ways = vec![Record([0.0, 0.0, 0.0, 0.001]); s.points];
        let mut boxes = Boxes::default();
        s.fit(&x, &x, &ways, 4.0, &mut boxes);
        let turned = |x: &[Record]| {
            let mut out = vec![];
            s.turned(x, &boxes, &mut out);
            out
        };
        assert!(turned(&x).is_empty());
        // A little is borne; a corner that is lifted by its cell is not.
        x[143].0[1] = 0.0005;
        assert!(turned(&x).is_empty());
        x[143].0[1] = 0.01;
        assert_eq!(turned(&x), s.beside(143));
        // What was thought of from the start is in the box.
        let lifted = x.clone();
        x[143].0[1] = 0.0;
        s.fit(&x, &lifted, &ways, 4.0, &mut boxes);
        let mut out = vec![];
        s.turned(&lifted, &boxes, &mut out);
        assert!(out.is_empty(), "{out:?}");
    }

    #[test]
    fn all_triangles_within_reach_of_a_box_are_found() {
        let (s, x) = flat(12);
        let ways = vec![Record::default(); s.points];
        let mut boxes = Boxes::default();
        s.fit(&x, &x, &ways, 0.0, &mut boxes);
        let of = Bounds::about(Record([0.03, 0.0, 0.03, 0.0]), Record([0.05, 0.0, 0.04, 0.0]), 0.0);
        let mut found = vec![];
        s.within(&boxes, &of, 0.0005, &mut |t| found.push(t));
        found.sort_unstable();
        let meets = |t: &usize| boxes.triangles[*t][0].meets(&of, 0.0005);
        let all: Vec<u32> = (0..s.triangles.len()).filter(meets).map(|t| t as u32).collect();
        assert!(
            !all.is_empty() && all.iter().all(|t| found.binary_search(t).is_ok()),
            "{found:?} of {all:?}"
        );
    }
}
