//! A surface that takes part in contact, in tiles of eight triangles: which edges and points each tile stands for,
//! and a tree over the tiles whose nodes have eight halves of halves each, so that a box meets all children of a
//! node at once (I. Wald, C. Benthin, S. Boulos, "Getting Rid of Packets", 2008).
//!
//! Tiles follow places at rest, pieces that hang together one after another. The tree is in levels without
//! pointers: node k of one level has the nodes 8k to 8k+7 of the level below; level 0 is the tiles.
use crate::body::Features;
use crate::simd::Record;
use std::collections::BTreeMap;

/// Triangles of a tile, and children of a node.
pub const EIGHT: usize = 8;

/// Topology of a surface; made once.
pub struct Surface {
    /// In the order of the tiles: triangle 8k + l is the one in lane l of tile k. Segments and points alone stand among them, with a
    /// corner twice or three times, and have no face.
    pub triangles: Vec<[u32; 3]>,
    /// Each once, those that a tile stands for together.
    pub edges: Vec<[u32; 2]>,
    pub tiles: Vec<Tile>,
    /// The ends of the edges of each tile, eight edges at a time; the last is repeated.
    pub ends: Vec<[[u32; EIGHT]; 2]>,
    /// Points, those that a tile stands for together.
    pub standing: Vec<u32>,
    /// For each level the pairs of nodes that share a point; those of one parent pair together.
    pub kin: Vec<Vec<Kin>>,
    /// Triangles about what a tile stands for that are not in it.
    pub around: Vec<u32>,
    /// Number of nodes of each level; the last has one.
    pub counts: Vec<usize>,
    beside: Vec<Vec<u32>>,
    pub points: usize,
}

/// Eight triangles, with the edges and points that no earlier tile has. Features are met by the tile that stands
/// for them alone.
pub struct Tile {
    /// The last triangle is repeated.
    pub corners: [[u32; EIGHT]; 3],
    pub count: u32,
    /// Lanes that hold triangles, and loose points.
    pub solid: u32,
    pub loose: u32,
    /// Runs of the surface's edges, ends, standing points and triangles around.
    pub edges: [u32; 2],
    pub ends: [u32; 2],
    pub points: [u32; 2],
    pub around: [u32; 2],
}

/// Two nodes of one level that share a point, or a node with itself.
#[derive(Clone, Copy)]
pub struct Kin {
    pub nodes: [u32; 2],
    /// Bit 8i + j: child i of the first and child j of the second are kin too.
    pub children: u64,
    /// The first of them in the level below.
    pub first: u32,
    /// Whether the two hang together: only then do normals tell that they can't touch.
    pub whole: bool,
}

impl Kin {
    /// The number, in the level below, of two children that are kin.
    pub fn child(&self, bit: u32) -> u32 {
        self.first + (self.children & ((1 << bit) - 1)).count_ones()
    }
}

impl Tile {
    /// The lanes of one of its groups of edges that hold some.
    pub fn lanes(&self, group: usize) -> u32 {
        let left = (self.edges[1] - self.edges[0]) as usize - EIGHT * (group - self.ends[0] as usize);
        (1 << left.min(EIGHT)) - 1
    }
}

pub fn run([from, to]: [u32; 2]) -> std::ops::Range<usize> {
    from as usize..to as usize
}

impl Surface {
    /// Of what a body touches others with.
    pub fn of(features: &Features, rest: &[Record], points: usize) -> Surface {
        let Features { points: alone, segments, triangles } = features;
        let elements = triangles.iter().copied().chain(segments.iter().map(|[a, b]| [*a, *b, *b]));
        Surface::new(elements.chain(alone.iter().map(|p| [*p; 3])).collect(), rest, points)
    }

    /// Over points where they stand at rest.
    pub fn new(triangles: Vec<[u32; 3]>, rest: &[Record], points: usize) -> Surface {
        let order = in_tiles(&triangles, rest, points);
        let triangles: Vec<[u32; 3]> = order.into_iter().map(|t| triangles[t as usize]).collect();
        let mut beside: Vec<Vec<u32>> = vec![vec![]; points];
        for (t, tri) in triangles.iter().enumerate() {
            let distinct = if tri[0] == tri[1] {
                1
            } else if tri[1] == tri[2] {
                2
            } else {
                3
            };
            tri[..distinct].iter().for_each(|&p| beside[p as usize].push(t as u32));
        }
        let mut s = Surface {
            edges: vec![],
            tiles: vec![],
            ends: vec![],
            standing: vec![],
            kin: vec![],
            around: vec![],
            counts: vec![],
            triangles,
            beside,
            points,
        };
        s.share_out();
        let mut count = s.tiles.len();
        while count > 0 {
            s.counts.push(count);
            count = if count == 1 { 0 } else { count.div_ceil(EIGHT) };
        }
        s.find_kin();
        s
    }

    /// Whether it has loose points.
    pub fn loose(&self) -> bool {
        self.tiles.iter().any(|t| t.loose != 0)
    }

    /// Whether every edge has two triangles: there is an inside.
    pub fn closed(&self) -> bool {
        !self.triangles.is_empty() && 2 * self.edges.len() == 3 * self.triangles.len()
    }

    /// Triangles about a point.
    pub fn beside(&self, p: u32) -> &[u32] {
        &self.beside[p as usize]
    }

    /// The level of the node that has all.
    pub fn top(&self) -> usize {
        self.counts.len().saturating_sub(1)
    }

    /// Gives each tile what it stands for.
    fn share_out(&mut self) {
        let mut seen_edge: BTreeMap<[u32; 2], u32> = BTreeMap::new();
        let mut seen_point = vec![false; self.points];
        for (k, tri) in self.triangles.chunks(EIGHT).enumerate() {
            let from = [self.edges.len(), self.ends.len(), self.standing.len(), self.around.len()];
            for t in tri {
                for i in 0..3 {
                    let (a, b) = (t[i], t[(i + 1) % 3]);
                    let e = [a.min(b), a.max(b)];
                    if a != b {
                        seen_edge.entry(e).or_insert_with(|| {
                            self.edges.push(e);
                            self.edges.len() as u32 - 1
                        });
                    }
                    if !std::mem::replace(&mut seen_point[a as usize], true) {
                        self.standing.push(a);
                    }
                }
            }
            for e in self.edges[from[0]..].chunks(EIGHT) {
                self.ends.push([0, 1].map(|i| std::array::from_fn(|l| e[l.min(e.len() - 1)][i])));
            }
            let of_points = self.standing[from[2]..].iter().flat_map(|&p| &self.beside[p as usize]).copied();
            let of_edges = self.edges[from[0]..].iter().flat_map(|&[a, b]| {
                let other = &self.beside[b as usize];
                self.beside[a as usize].iter().filter(|t| other.contains(t)).copied()
            });
            let mut ring: Vec<u32> = of_points.chain(of_edges).filter(|&t| t as usize / EIGHT != k).collect();
            ring.sort_unstable();
            ring.dedup();
            self.around.extend(ring);
            let upto = |from: usize, to: usize| [from as u32, to as u32];
            self.tiles.push(Tile {
                corners: std::array::from_fn(|i| std::array::from_fn(|l| tri[l.min(tri.len() - 1)][i])),
                count: tri.len() as u32,
                solid: lanes(tri, |[a, b, c]| a != b && b != c),
                loose: lanes(tri, |[a, b, c]| a == b && b == c),
                edges: upto(from[0], self.edges.len()),
                ends: upto(from[1], self.ends.len()),
                points: upto(from[2], self.standing.len()),
                around: upto(from[3], self.around.len()),
            });
        }
    }

    /// For each node of a level, whether its triangles hang together by their points.
    fn pieces(&self, level: usize) -> Vec<bool> {
        let mut up = Joined::new(self.points);
        let hangs = |own: &[[u32; 3]]| {
            own.iter().flatten().for_each(|&p| up.part(p));
            own.iter().for_each(|t| up.join(t));
            let first = own.first().map(|t| up.root(t[0]));
            own.iter().flatten().all(|&p| Some(up.root(p)) == first)
        };
        self.triangles.chunks(EIGHT << (3 * level)).map(hangs).collect()
    }

    fn find_kin(&mut self) {
        let mut pairs: Vec<[u32; 2]> = vec![];
        for beside in &self.beside {
            let mut tiles: Vec<u32> = beside.iter().map(|t| t / EIGHT as u32).collect();
            tiles.dedup();
            for (i, &a) in tiles.iter().enumerate() {
                pairs.extend(tiles[i..].iter().map(|&b| [a.min(b), a.max(b)]));
            }
        }
        // Of every level, by their parents.
        let mut levels: Vec<Vec<[u32; 2]>> = vec![];
        for _ in 0..self.counts.len() {
            pairs.sort_unstable_by_key(|p| (p.map(|n| n / 8), *p));
            pairs.dedup();
            levels.push(pairs.clone());
            pairs.iter_mut().for_each(|p| *p = p.map(|n| n / 8));
        }
        let mut parents: Vec<[u32; 2]> = vec![[0, 0]];
        self.kin = vec![vec![]; levels.len()];
        for level in (0..levels.len()).rev() {
            let whole = self.pieces(level);
            let below = level.checked_sub(1).map(|l| &levels[l]);
            let mut next = vec![];
            for &nodes in &parents {
                let first = next.len() as u32;
                let mut children = 0;
                if let Some(below) = below {
                    let from = below.partition_point(|p| p.map(|n| n / 8) < nodes);
                    for p in below[from..].iter().take_while(|p| p.map(|n| n / 8) == nodes) {
                        children |= 1 << (8 * (p[0] % 8) + p[1] % 8);
                        next.push(*p);
                    }
                }
                let whole = nodes.iter().all(|&n| whole[n as usize]);
                self.kin[level].push(Kin { nodes, children, first, whole });
            }
            parents = next;
        }
    }
}

/// A bit for each triangle of which something is true.
fn lanes(of: &[[u32; 3]], is: impl Fn([u32; 3]) -> bool) -> u32 {
    of.iter().enumerate().filter(|(_, t)| is(**t)).fold(0, |m, (l, _)| m | 1 << l)
}

/// Points that hang together.
struct Joined(Vec<u32>);

impl Joined {
    fn new(points: usize) -> Joined {
        Joined((0..points as u32).collect())
    }
    fn part(&mut self, p: u32) {
        self.0[p as usize] = p;
    }
    fn root(&mut self, mut p: u32) -> u32 {
        while self.0[p as usize] != p {
            self.0[p as usize] = self.0[self.0[p as usize] as usize];
            p = self.0[p as usize];
        }
        p
    }
    fn join(&mut self, t: &[u32; 3]) {
        let [a, b, c] = t.map(|p| self.root(p));
        let least = a.min(b).min(c);
        [a, b, c].into_iter().for_each(|p| self.0[p as usize] = least);
    }
}

/// The triangles in an order whose every eight, and eight times eight and so on, are near each other at rest.
fn in_tiles(triangles: &[[u32; 3]], rest: &[Record], points: usize) -> Vec<u32> {
    let mut joined = Joined::new(points);
    triangles.iter().for_each(|t| joined.join(t));
    let places: Vec<Place> = triangles
        .iter()
        .map(|t| Place {
            piece: joined.root(t[0]),
            middle: std::array::from_fn(|c| t.iter().map(|&p| rest[p as usize].0[c]).sum::<f32>()),
        })
        .collect();
    let mut order: Vec<u32> = (0..triangles.len() as u32).collect();
    halve(&mut order, &places);
    order
}

/// Which piece a triangle is of, and where it is.
struct Place {
    piece: u32,
    middle: [f32; 3],
}

fn halve(order: &mut [u32], places: &[Place]) {
    if order.len() <= EIGHT {
        order.sort_unstable();
        return;
    }
    let of = |t: u32| &places[t as usize];
    let piece = of(order[0]).piece;
    // The first part fills whole nodes.
    let half = order.len().div_ceil(EIGHT).next_power_of_two() / 2 * EIGHT;
    if order.iter().all(|&t| of(t).piece == piece) {
        let axis = longest(order.iter().map(|&t| of(t).middle));
        order.select_nth_unstable_by(half, |&p, &q| {
            of(p).middle[axis].total_cmp(&of(q).middle[axis]).then(p.cmp(&q))
        });
    } else {
        let mut middles: BTreeMap<u32, ([f32; 3], f32)> = BTreeMap::new();
        for &t in order.iter() {
            let (sum, count) = middles.entry(of(t).piece).or_default();
            (0..3).for_each(|c| sum[c] += of(t).middle[c]);
            *count += 1.0;
        }
        let middles: BTreeMap<u32, [f32; 3]> =
            middles.into_iter().map(|(k, (sum, n))| (k, sum.map(|s| s / n))).collect();
        let axis = longest(middles.values().copied());
        order.sort_unstable_by(|&p, &q| {
            let (a, b) = (of(p).piece, of(q).piece);
            middles[&a][axis].total_cmp(&middles[&b][axis]).then((a, p).cmp(&(b, q)))
        });
    }
    let (a, b) = order.split_at_mut(half);
    halve(a, places);
    halve(b, places);
}

/// The axis along which places lie furthest apart.
fn longest(places: impl Iterator<Item = [f32; 3]>) -> usize {
    let none = [[f32::INFINITY; 3], [f32::NEG_INFINITY; 3]];
    let [low, high] = places.fold(none, |[low, high], p| {
        [std::array::from_fn(|c| low[c].min(p[c])), std::array::from_fn(|c| high[c].max(p[c]))]
    });
    (0..3).max_by(|&p, &q| (high[p] - low[p]).total_cmp(&(high[q] - low[q]))).unwrap_or(0)
}

#[cfg(test)]
mod tests {
    use super::super::boxes::tests::flat;
    use super::*;

    #[test]
    fn every_feature_has_one_tile_and_every_pair_that_shares_a_point_is_kin() {
        let (s, _) = flat(23);
        assert_eq!(s.counts, [121, 16, 2, 1]);
        let (mut edges, mut points) = (s.edges.clone(), s.standing.clone());
        edges.sort_unstable();
        edges.dedup();
        points.sort_unstable();
        assert_eq!(edges.len(), 22 * 23 * 2 + 22 * 22);
        assert_eq!(points, (0..23 * 23).collect::<Vec<u32>>());
        for level in 0..s.counts.len() {
            let own = |n: u32| {
                let tri = s.triangles.chunks(EIGHT << (3 * level)).nth(n as usize);
                tri.into_iter().flatten().flatten().copied().collect::<std::collections::BTreeSet<u32>>()
            };
            let sets: Vec<_> = (0..s.counts[level] as u32).map(own).collect();
            let mut kin: Vec<[u32; 2]> = s.kin[level].iter().map(|k| k.nodes).collect();
            kin.sort_unstable();
            let all = (0..sets.len()).flat_map(|a| (a..sets.len()).map(move |b| [a, b]));
            let share: Vec<[u32; 2]> =
                all.filter(|[a, b]| !sets[*a].is_disjoint(&sets[*b])).map(|p| p.map(|n| n as u32)).collect();
            assert_eq!(kin, share, "level {level}");
            for k in &s.kin[level] {
                for bit in (0..64).filter(|b| k.children & (1 << b) != 0) {
                    let child = s.kin[level - 1][k.child(bit) as usize].nodes;
                    assert_eq!(child, [8 * k.nodes[0] + bit / 8, 8 * k.nodes[1] + bit % 8]);
                }
            }
        }
    }

    #[test]
    fn pieces_get_tiles_of_their_own_where_they_fill_them() {
        // Four layers of 32 triangles on each other, much nearer than they are wide.
        let (one, x) = flat(5);
        let n = one.points as u32;
        let triangles: Vec<[u32; 3]> =
            (0..4).flat_map(|k| one.triangles.iter().map(move |t| t.map(|p| p + k * n))).collect();
        let layers = (0..4).flat_map(|k| {
            x[..n as usize].iter().map(move |p| Record([p.0[0], 0.001 * k as f32, p.0[2], 1.0]))
        });
        let s = Surface::new(triangles, &layers.collect::<Vec<_>>(), 4 * n as usize);
        assert!(s.triangles.chunks(EIGHT).all(|t| t.iter().flatten().all(|p| p / n == t[0][0] / n)));
        assert!(s.kin[0].iter().all(|k| k.whole) && !s.kin[s.top()][0].whole);
    }
}
