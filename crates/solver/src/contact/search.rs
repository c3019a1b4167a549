//! The search for pairs of features that may come near: from the tops of two trees down to their tiles, eight boxes
//! at a time, and then from tile to tile.
//!
//! Long, because its tests count what it finds.
use super::boxes::{Eight, MOVING, Placed, Reach, STILL, meets, one, starts_near};
use super::pairs::FOUND;
use super::surface::{EIGHT, run};
use crate::simd::F8;
use rayon::prelude::*;
use std::cmp::Ordering;

/// Pairs of nodes or tiles that one thread takes at least.
const SHARE: usize = 32;
/// Stands for no number of kin.
const STRANGERS: u32 = u32::MAX;

/// Two nodes of a level, one of each surface.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Duo {
    pub nodes: [u32; 2],
    /// Their number among the kin of their level where they share a point.
    kin: u32,
}

/// Pairs of features of two surfaces that may come near, by their points, in an order that depends on the surfaces
/// alone.
#[derive(Default)]
pub struct Found {
    /// A point of the first surface and a triangle of the second.
    pub point_triangle: Vec<[u32; 4]>,
    /// A point of the second and a triangle of the first.
    pub triangle_point: Vec<[u32; 4]>,
    /// An edge of the first and one of the second.
    pub edges: Vec<[u32; 4]>,
    /// A loose point of the first and one of the second, that three times.
    pub points: Vec<[u32; 4]>,
}

impl Found {
    /// In the order of the kinds of lists.
    pub fn lists(&self) -> [&[[u32; 4]]; FOUND] {
        [&self.point_triangle, &self.triangle_point, &self.edges, &self.points]
    }
}

/// Two surfaces, or one with itself, and how near is near: metres.
#[derive(Clone, Copy)]
pub struct Meeting<'a> {
    pub a: Placed<'a>,
    pub b: Placed<'a>,
    pub own: bool,
    pub reach: f32,
}

impl Meeting<'_> {
    /// All pairs of tiles that may come near.
    pub fn tiles(&self) -> Vec<Duo> {
        let (a, b) = (self.a, self.b);
        if a.surface.tiles.is_empty() || b.surface.tiles.is_empty() {
            return vec![];
        }
        let mut levels = [a.surface.top(), b.surface.top()];
        let mut todo = vec![Duo { nodes: [0, 0], kin: if self.own { 0 } else { STRANGERS } }];
        while levels != [0, 0] {
            let open = |d: &Duo, out: &mut Vec<Duo>| {
                let [p, q] = d.nodes;
                match levels[0].cmp(&levels[1]) {
                    Ordering::Equal => self.open(levels[0], *d, out),
                    Ordering::Greater => {
                        let own = children(a, levels[0], p, (b, levels[1], q), self.reach);
                        out.extend(own.map(|p| stranger([p, q])));
                    }
                    Ordering::Less => {
                        let own = children(b, levels[1], q, (a, levels[0], p), self.reach);
                        out.extend(own.map(|q| stranger([p, q])));
                    }
                }
            };
            let part = |few: &[Duo]| {
                let mut out = Vec::with_capacity(8 * few.len());
                few.iter().for_each(|d| open(d, &mut out));
                out
            };
            todo = todo.par_chunks(SHARE).flat_map_iter(part).collect();
            let most = levels[0].max(levels[1]);
            levels = levels.map(|l| if l == most { l - 1 } else { l });
        }
        todo.retain(|d| !self.flat(0, *d));
        todo
    }

    fn flat(&self, level: usize, d: Duo) -> bool {
        d.kin != STRANGERS && self.a.flat(level, &self.a.surface.kin[level][d.kin as usize])
    }

    /// The pairs of children of two nodes of a level that may come near.
    fn open(&self, level: usize, d: Duo, out: &mut Vec<Duo>) {
        if self.flat(level, d) {
            return;
        }
        let below = level - 1;
        let [p, q] = d.nodes;
        let kin = (d.kin != STRANGERS).then(|| &self.a.surface.kin[level][d.kin as usize]);
        let (mine, others) =
            (&self.a.boxes.levels[below].places[p as usize], &self.b.boxes.levels[below].places[q as usize]);
        let reach = F8::splat(self.reach);
        let count = (self.a.surface.counts[below] - EIGHT * p as usize).min(EIGHT);
        for i in 0..count as u32 {
            let mut hits = meets(&one(mine, i as usize), others, reach);
            if self.own && p == q {
                hits &= 0xff << i;
            }
            while hits != 0 {
                let j = hits.trailing_zeros();
                hits &= hits - 1;
                let nodes = [EIGHT as u32 * p + i, EIGHT as u32 * q + j];
                let bit = EIGHT as u32 * i + j;
                let kin = kin.filter(|k| k.children & (1 << bit) != 0).map_or(STRANGERS, |k| k.child(bit));
                out.push(Duo { nodes, kin });
            }
        }
    }

    /// The tiles that may come near tile `t` of the first surface or, if it is `turned`, of the second. In a surface
    /// with itself the lower number stands first.
    pub fn about(&self, t: u32, turned: bool, out: &mut Vec<Duo>) {
        let (mine, other) = if turned { (self.b, self.a) } else { (self.a, self.b) };
        if other.surface.tiles.is_empty() {
            return;
        }
        let of = one(&mine.boxes.levels[0].places[t as usize / EIGHT], t as usize % EIGHT);
        let reach = F8::splat(self.reach);
        let top = other.surface.top();
        let mut todo = vec![(top, 0u32, if self.own { 0 } else { STRANGERS })];
        while let Some((level, node, kin)) = todo.pop() {
            // In one surface both are of one level: this is the tile's own part there.
            let me = t >> (3 * level);
            let nodes = if self.own {
                [me.min(node), me.max(node)]
            } else if turned {
                [node, t]
            } else {
                [t, node]
            };
            if self.flat(level, Duo { nodes, kin }) {
                continue;
            }
            if level == 0 {
                out.push(Duo { nodes, kin });
                continue;
            }
            let kin = (kin != STRANGERS).then(|| &self.a.surface.kin[level][kin as usize]);
            let mut hits = meets(&of, &other.boxes.levels[level - 1].places[node as usize], reach);
            let i = (t >> (3 * (level - 1))) % EIGHT as u32;
            while hits != 0 {
                let j = hits.trailing_zeros();
                hits &= hits - 1;
                let bit = match me.cmp(&node) {
                    Ordering::Less => EIGHT as u32 * i + j,
                    Ordering::Greater => EIGHT as u32 * j + i,
                    Ordering::Equal => EIGHT as u32 * i.min(j) + i.max(j),
                };
                let kin = kin.filter(|k| k.children & (1 << bit) != 0).map_or(STRANGERS, |k| k.child(bit));
                todo.push((level - 1, EIGHT as u32 * node + j, kin));
            }
        }
    }

    /// The two tiles of a pair, and how near what they hold may start to come within reach.
    #[inline(always)]
    fn pair(&self, d: Duo) -> TwoTiles<'_> {
        let at = |p: Placed, n: u32| -> [f32; MOVING] {
            let eight = &p.boxes.levels[0].places[n as usize / EIGHT];
            std::array::from_fn(|row| eight[row][n as usize % EIGHT])
        };
        let [s, o] = d.nodes;
        let (of_a, of_b) = (at(self.a, s), at(self.b, o));
        TwoTiles {
            a: self.a,
            b: self.b,
            s: s as usize,
            o: o as usize,
            reach: Reach::between(&of_a, &of_b, self.reach),
            of_a,
            of_b,
            own: self.own && s == o,
        }
    }

    /// Adds the pairs of features of two tiles that may come near, but for those that are not `wanted`, by their
    /// points and the number of their list.
    pub fn features(&self, d: Duo, wanted: &impl Fn(&[u32; 4], usize) -> bool, out: &mut Found) {
        let pair = self.pair(d);
        // A point belongs to none of the triangles that it could meet, unless the tiles are kin.
        let kin = d.kin != STRANGERS;
        let Found { point_triangle, triangle_point, edges, points } = out;
        let alone = |f: &[u32; 4]| !(kin && f[1..].contains(&f[0]));
        let first = |f: &[u32; 4]| alone(f) && wanted(f, 0);
        pair.points(&first, point_triangle);
        if !pair.own {
            let pair = pair.turned();
            if self.own {
                pair.points(&first, point_triangle);
            } else {
                pair.points(&|f| wanted(f, 1), triangle_point);
            }
        }
        pair.edges(&|f| alone(f) && !(kin && f[2..].contains(&f[1])) && wanted(f, 2), edges);
        pair.loose(&|f| wanted(f, 3), points);
    }

    /// Calls `each` with the pairs of triangles of two tiles whose boxes meet.
    pub fn triangles(&self, d: Duo, mut each: impl FnMut(u32, u32)) {
        let p = self.pair(d);
        let (mine, others) = (&p.a.boxes.triangles[p.s], &p.b.boxes.triangles[p.o]);
        let lanes = [p.a.surface.tiles[p.s].solid, p.b.surface.tiles[p.o].solid];
        for (i, j) in bits(p.crossed(mine, others, lanes, p.own)) {
            each((EIGHT * p.s + i) as u32, (EIGHT * p.o + j) as u32);
        }
    }
}

/// Two tiles that may come near: tile `s` of the first surface and `o` of the other, with their boxes.
struct TwoTiles<'a> {
    a: Placed<'a>,
    b: Placed<'a>,
    s: usize,
    o: usize,
    of_a: [f32; MOVING],
    of_b: [f32; MOVING],
    reach: Reach,
    /// A tile with itself.
    own: bool,
}

impl TwoTiles<'_> {
    /// The same, the other first.
    fn turned(&self) -> TwoTiles<'_> {
        TwoTiles {
            a: self.b,
            b: self.a,
            s: self.o,
            o: self.s,
            of_a: self.of_b,
            of_b: self.of_a,
            reach: self.reach.turned(),
            own: self.own,
        }
    }

    /// For eight boxes and eight others, which start near enough: bit 8i + j. In `own`, the first before the other.
    #[inline(always)]
    fn crossed(&self, a: &Eight<STILL>, b: &Eight<STILL>, lanes: [u32; 2], own: bool) -> u64 {
        let (mut all, mut left) = (0u64, lanes[0]);
        while left != 0 {
            let i = left.trailing_zeros() as usize;
            left &= left - 1;
            let hits = starts_near(&one(a, i), b, &self.reach) & lanes[1];
            let hits = if own { hits & (0xfe << i) } else { hits };
            all |= u64::from(hits) << (8 * i);
        }
        all
    }

    /// Points that the first tile stands for with triangles of the other.
    fn points(&self, wanted: &impl Fn(&[u32; 4]) -> bool, out: &mut Vec<[u32; 4]>) {
        let corners = &self.b.surface.tiles[self.o].corners;
        let lanes = self.b.surface.tiles[self.o].solid;
        if lanes == 0 {
            return;
        }
        let triangles = &self.b.boxes.triangles[self.o];
        for points in self.a.surface.standing[run(self.a.surface.tiles[self.s].points)].chunks(EIGHT) {
            let mut all = 0u64;
            for (i, &p) in points.iter().enumerate() {
                let hits = starts_near(&self.a.ways.one(p), triangles, &self.reach) & lanes;
                all |= u64::from(hits) << (8 * i);
            }
            for (i, l) in bits(all) {
                let pair = [points[i], corners[0][l], corners[1][l], corners[2][l]];
                if wanted(&pair) {
                    out.push(pair);
                }
            }
        }
    }

    /// Loose points of both.
    fn loose(&self, wanted: &impl Fn(&[u32; 4]) -> bool, out: &mut Vec<[u32; 4]>) {
        let (mine, others) = (&self.a.surface.tiles[self.s], &self.b.surface.tiles[self.o]);
        if mine.loose == 0 || others.loose == 0 {
            return;
        }
        let boxes = [&self.a.boxes.triangles[self.s], &self.b.boxes.triangles[self.o]];
        for (i, l) in bits(self.crossed(boxes[0], boxes[1], [mine.loose, others.loose], self.own)) {
            let (p, q) = (mine.corners[0][i], others.corners[0][l]);
            let pair = [p, q, q, q];
            if wanted(&pair) {
                out.push(pair);
            }
        }
    }

    fn edges(&self, wanted: &impl Fn(&[u32; 4]) -> bool, out: &mut Vec<[u32; 4]>) {
        let (mine, others) = (&self.a.surface.tiles[self.s], &self.b.surface.tiles[self.o]);
        let [of_a, of_b]: [[F8; STILL]; 2] =
            [&self.of_a, &self.of_b].map(|of| std::array::from_fn(|row| F8::splat(of[row])));
        let turned = self.reach.turned();
        let near = |g: usize| starts_near(&of_b, &self.a.boxes.edges[g], &turned) & mine.lanes(g);
        let near_a = |h: usize| starts_near(&of_a, &self.b.boxes.edges[h], &self.reach) & others.lanes(h);
        for h in run(others.ends) {
            let there = near_a(h);
            if there == 0 {
                continue;
            }
            for g in run(mine.ends).take_while(|g| !self.own || *g <= h) {
                let edges = &self.a.boxes.edges[g];
                let lanes = [near(g), there];
                for (i, j) in bits(self.crossed(edges, &self.b.boxes.edges[h], lanes, self.own && g == h)) {
                    let ([p, q], [r, t]) = (&self.a.surface.ends[g], &self.b.surface.ends[h]);
                    let pair = [p[i], q[i], r[j], t[j]];
                    if wanted(&pair) {
                        out.push(pair);
                    }
                }
            }
        }
    }
}

/// The bits 8i + j of a word.
#[inline(always)]
fn bits(mut word: u64) -> impl Iterator<Item = (usize, usize)> {
    std::iter::from_fn(move || {
        let bit = (word != 0).then(|| word.trailing_zeros() as usize)?;
        word &= word - 1;
        Some((bit / EIGHT, bit % EIGHT))
    })
}

/// The children of a node that may come near another surface's node.
fn children(
    of: Placed,
    level: usize,
    node: u32,
    (other, at, o): (Placed, usize, u32),
    reach: f32,
) -> impl Iterator<Item = u32> {
    let o = o as usize;
    let met = one(&other.boxes.levels[at].places[o / EIGHT], o % EIGHT);
    let hits = meets(&met, &of.boxes.levels[level - 1].places[node as usize], F8::splat(reach));
    (0..EIGHT as u32).filter(move |l| hits & (1 << l) != 0).map(move |l| EIGHT as u32 * node + l)
}

fn stranger(nodes: [u32; 2]) -> Duo {
    Duo { nodes, kin: STRANGERS }
}

#[cfg(test)]
mod tests {
    use super::super::boxes::{Boxes, Ways, tests::flat};
    use super::super::surface::Surface;
    use super::*;
    use crate::simd::Record;

    /// A surface that stands still, with its boxes.
    struct Still<'a> {
        s: &'a Surface,
        x: &'a [Record],
        ways: Vec<Record>,
        boxes: Boxes,
    }

    impl<'a> Still<'a> {
        fn new(s: &'a Surface, x: &'a [Record], pad: f32) -> Still<'a> {
            let mut out =
                Still { s, x, ways: vec![Record([0.0, 0.0, 0.0, pad]); x.len()], boxes: Boxes::default() };
            let mut boxes = Boxes::default();
            s.fit(out.placed().ways, true, &mut boxes);
            out.boxes = boxes;
            out
        }
        fn placed(&self) -> Placed<'_> {
            let ways = Ways { x: self.x, now: self.x, ways: &self.ways, times: 1.0 };
            Placed { surface: self.s, boxes: &self.boxes, ways }
        }
    }

    fn found(m: &Meeting) -> Found {
        let mut out = Found::default();
        m.tiles().into_iter().for_each(|d| m.features(d, &|_, _| true, &mut out));
        out
    }

    fn own_pairs(s: &Surface, x: &[Record], pad: f32) -> Found {
        let still = Still::new(s, x, pad);
        let at = still.placed();
        found(&Meeting { a: at, b: at, own: true, reach: 0.001 })
    }

    /// The middle of a sheet folded over at x = 0.055, half a millimetre above itself.
    fn fold(x: &mut [Record]) {
        for p in x.iter_mut().filter(|p| p.0[0] > 0.055 && p.0[3] > 0.0) {
            (p.0[0], p.0[1]) = (0.11 - p.0[0], 0.0005);
        }
    }

    #[test]
    fn a_flat_sheet_meets_nothing_of_its_own_and_a_folded_one_does() {
        let (s, mut x) = flat(12);
        let none = own_pairs(&s, &x, 0.002);
        assert!(none.point_triangle.is_empty() && none.edges.is_empty());
        fold(&mut x);
        let met = own_pairs(&s, &x, 0.0);
        // Each of the 60 points of the upper half but its border's lies over the lower one's.
        let upper = |p: u32| p % 12 > 6;
        let over = (0..144).filter(|&p| upper(p)).filter(|&p| {
            met.point_triangle.iter().any(|&[q, a, b, c]| q == p && [a, b, c].iter().all(|&c| !upper(c)))
        });
        assert_eq!(over.count(), 5 * 12);
    }

    /// All pairs of features that share no point and whose boxes come within reach, one by one.
    fn by_hand(s: &Surface, x: &[Record], reach: f32) -> [Vec<[u32; 4]>; 2] {
        let of = |points: &[u32], c: usize| {
            let at = points.iter().map(|&p| x[p as usize].0[c]);
            [at.clone().fold(f32::INFINITY, f32::min), at.fold(f32::NEG_INFINITY, f32::max)]
        };
        let near = |a: &[u32], b: &[u32]| {
            (0..3).all(|c| {
                let ([p, q], [r, s]) = (of(a, c), of(b, c));
                p - s <= reach && r - q <= reach
            })
        };
        let (mut points, mut edges) = (vec![], vec![]);
        for p in 0..s.points as u32 {
            for t in &s.triangles {
                if !t.contains(&p) && near(&[p], t) {
                    points.push([p, t[0], t[1], t[2]]);
                }
            }
        }
        for (i, e) in s.edges.iter().enumerate() {
            for f in &s.edges[i + 1..] {
                if !e.iter().any(|p| f.contains(p)) && near(e, f) {
                    edges.push([e[0], e[1], f[0], f[1]]);
                }
            }
        }
        [points, edges]
    }

    #[test]
    fn a_crumpled_sheet_gives_all_pairs_within_reach_and_each_once() {
        let (s, mut x) = flat(14);
        for (k, p) in x.iter_mut().enumerate().take(s.points) {
            // Fan-folded tightly: no patch leans.
            p.0[1] = 0.3 * (p.0[0] / 0.02 - (p.0[0] / 0.02).round()).abs() + 0.0004 * (k % 5) as f32;
            p.0[0] *= 0.05;
        }
        let got = own_pairs(&s, &x, 0.0003);
        let [points, edges] = by_hand(&s, &x, 0.0016);
        let sorted = |mut v: Vec<[u32; 4]>| {
            v.sort_unstable();
            v
        };
        let either = |v: Vec<[u32; 4]>| {
            v.into_iter()
                .map(|[a, b, c, d]| if [a, b] < [c, d] { [a, b, c, d] } else { [c, d, a, b] })
                .collect()
        };
        assert!(points.len() > 2000, "{}", points.len());
        assert_eq!(sorted(got.point_triangle), sorted(points));
        assert_eq!(sorted(either(got.edges)), sorted(either(edges)));
        assert!(got.triangle_point.is_empty());
    }

    #[test]
    fn what_moves_alike_meets_no_more_than_what_stands_still() {
        let (s, mut x) = flat(12);
        fold(&mut x);
        let pairs = |way: &dyn Fn(usize) -> [f32; 3], times: f32| {
            let ways: Vec<Record> =
                (0..x.len()).map(|k| Record([way(k)[0], way(k)[1], way(k)[2], 0.0001])).collect();
            let mut boxes = Boxes::default();
            let ways = Ways { x: &x, now: &x, ways: &ways, times };
            s.fit(ways, true, &mut boxes);
            let at = Placed { surface: &s, boxes: &boxes, ways };
            let f = found(&Meeting { a: at, b: at, own: true, reach: 0.0001 });
            [f.point_triangle.len(), f.edges.len()]
        };
        let still = pairs(&|_| [0.0; 3], 4.0);
        assert_eq!(pairs(&|_| [0.02, -0.01, 0.03], 4.0), still);
        // The upper half comes down by a tenth of a millimetre a sub-step: a fifth of one lies between.
        let down = |k: usize| [0.0, if k % 12 > 6 { -0.0001 } else { 0.0 }, 0.0];
        assert_eq!(pairs(&down, 1.0), still);
        let met = pairs(&down, 4.0);
        assert!((0..2).all(|k| met[k] > still[k] + 100), "{met:?} {still:?}");
    }

    #[test]
    fn two_surfaces_of_different_depth_meet_wherever_their_boxes_do() {
        let ((s, x), (t, mut y)) = (flat(23), flat(4));
        y.iter_mut().for_each(|p| (p.0[0], p.0[1]) = (p.0[0] + 0.1, 0.0012));
        let (large, small) = (Still::new(&s, &x, 0.0001), Still::new(&t, &y, 0.0001));
        let (a, b) = (large.placed(), small.placed());
        let one = found(&Meeting { a, b, own: false, reach: 0.0011 });
        let other = found(&Meeting { a: b, b: a, own: false, reach: 0.0011 });
        let set = |v: &[[u32; 4]]| v.iter().copied().collect::<std::collections::BTreeSet<_>>();
        // Each point of the small one lies over some of the large one's triangles.
        let over = set(&one.triangle_point).iter().map(|p| p[0]).collect::<std::collections::BTreeSet<_>>();
        assert_eq!(over.len(), 16);
        assert_eq!(set(&one.triangle_point), set(&other.point_triangle));
        assert_eq!(set(&one.point_triangle), set(&other.triangle_point));
        let turned: Vec<[u32; 4]> = other.edges.iter().map(|&[a, b, c, d]| [c, d, a, b]).collect();
        assert_eq!(set(&one.edges), set(&turned));
        assert_eq!(set(&one.edges).len(), one.edges.len());
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
                .any(|&[q, a, b, c]| q == *p && [a, b, c].iter().all(|&c| (c < n) != (q < n)))
        });
        assert_eq!(over.count(), 72, "each point meets the other layer");
    }

    #[test]
    fn about_one_tile_all_is_found_that_a_whole_search_finds() {
        let (s, mut x) = flat(23);
        for p in x.iter_mut().take(s.points) {
            let turn = p.0[0] / 0.02;
            (p.0[0], p.0[1]) =
                (0.02 * turn.sin() * (1.0 + 0.02 * turn), 0.02 * turn.cos() * (1.0 + 0.02 * turn));
        }
        let still = Still::new(&s, &x, 0.001);
        let at = still.placed();
        let m = Meeting { a: at, b: at, own: true, reach: 0.001 };
        let all = m.tiles();
        assert!(all.len() > 200, "{}", all.len());
        for t in 0..s.tiles.len() as u32 {
            let mut near = vec![];
            m.about(t, false, &mut near);
            let sorted = |mut v: Vec<Duo>| {
                v.sort_unstable_by_key(|d| d.nodes);
                v
            };
            let of: Vec<Duo> = all.iter().copied().filter(|d| d.nodes.contains(&t)).collect();
            assert_eq!(sorted(near), sorted(of), "tile {t}");
        }
    }
}
