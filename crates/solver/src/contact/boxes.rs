//! The boxes of a surface's tree about the ways of its points, and those of its normals.
//!
//! A patch whose normals all lean one way can't touch itself, so flat parts are never opened (P. Volino,
//! N. Magnenat-Thalmann, "Efficient Self-Collision Detection on Smoothly Discretized Surface Animations Using
//! Geometrical Shape Regularity", 1994; M. Tang, S. Curtis, S.-E. Yoon, D. Manocha, "ICCD: Interactive
//! Continuous Collision Detection between Deformable Models Using Connectivity-Based Culling", 2009, for
//! patches that move). Normals are kept as boxes, like places.
use super::surface::{EIGHT, Kin, Surface, Tile, run};
use crate::simd::{F8, Record, V8, load};
use rayon::prelude::*;

/// Eight boxes of places, of places on their ways, or of normals: numbers that are least over all that a box holds.
/// First its lows and the negatives of its highs, metres; with ways then the same of these, over all sub-steps that
/// were predicted. Two boxes are separated by where they start and by how fast they close, so that what moves
/// alike meets no more than what stands still.
pub type Eight<const ROWS: usize> = [[f32; EIGHT]; ROWS];

/// Rows of places, of places on their ways, and of normals.
pub const STILL: usize = 6;
pub const MOVING: usize = 12;
const NORMALS: usize = 6;

/// Boxes of nothing.
const NONE: Eight<MOVING> = [[f32::INFINITY; EIGHT]; MOVING];

/// Boxes of normals are wider by so much on each side than the predicted ways: points may stray. What
/// turns further is found by [`Surface::turned`].
const SWAY: f32 = 0.15;
/// All normals of a box lean one way by at least this much of its middle.
const LEAN: f32 = 0.05;
/// A normal that may lean any way.
const ANY: f32 = 2.0;

#[derive(Clone, Default)]
pub struct Boxes {
    /// Of each tile's triangles, and of its edges as `ends` has them: where they start.
    pub triangles: Vec<Eight<STILL>>,
    pub edges: Vec<Eight<STILL>>,
    /// Of the normals of each tile's triangles; none where they are not asked for.
    normals: Vec<Eight<NORMALS>>,
    pub levels: Vec<Level>,
}

/// The boxes of a level's nodes: of places, eight together, and of normals.
#[derive(Clone, Default)]
pub struct Level {
    pub places: Vec<Eight<MOVING>>,
    pub normals: Vec<[f32; NORMALS]>,
}

/// Points on their ways.
#[derive(Clone, Copy)]
pub struct Ways<'a> {
    pub x: &'a [Record],
    /// Where they are, if that is elsewhere.
    pub now: &'a [Record],
    /// The way of a sub-step; the fourth number is how far a point may stray.
    pub ways: &'a [Record],
    /// For so many sub-steps.
    pub times: f32,
}

/// A surface on its way.
#[derive(Clone, Copy)]
pub struct Placed<'a> {
    pub surface: &'a Surface,
    pub boxes: &'a Boxes,
    pub ways: Ways<'a>,
}

/// How near boxes may start to come within a reach: the first's low to the other's high and the other way round, for
/// each axis.
#[derive(Clone, Copy)]
pub struct Reach([F8; STILL]);

impl Reach {
    /// Of eight boxes on their ways and one.
    #[inline(always)]
    pub fn of(a: &[F8; MOVING], b: &Eight<MOVING>, reach: F8) -> Reach {
        let zero = F8::splat(0.0);
        Reach(std::array::from_fn(|row| reach - (a[row + 6] + F8::new(&b[6 + (row + 3) % 6])).min(zero)))
    }

    /// Of all that two boxes hold.
    #[inline(always)]
    pub fn between(a: &[f32; MOVING], b: &[f32; MOVING], reach: f32) -> Reach {
        Reach(std::array::from_fn(|row| F8::splat(reach - (a[row + 6] + b[6 + (row + 3) % 6]).min(0.0))))
    }

    /// The same with the boxes changed about.
    #[inline(always)]
    pub fn turned(&self) -> Reach {
        Reach(std::array::from_fn(|row| self.0[(row + 3) % 6]))
    }
}

/// Which of eight boxes start near enough to a box; none that is nowhere.
#[inline(always)]
pub fn starts_near(of: &[F8; STILL], eight: &Eight<STILL>, reach: &Reach) -> u32 {
    let near = |row: usize| (of[row] + F8::new(&eight[(row + 3) % 6])).at_most(reach.0[row]);
    let axis = |c: usize| near(c).and(near(c + 3));
    axis(0).and(axis(1)).and(axis(2)).mask()
}

/// Which of eight boxes may come within a reach of a box.
#[inline(always)]
pub fn meets(of: &[F8; MOVING], eight: &Eight<MOVING>, reach: F8) -> u32 {
    let reach = Reach::of(of, eight, reach);
    let near = |row: usize| (of[row] + F8::new(&eight[(row + 3) % 6])).at_most(reach.0[row]);
    let axis = |c: usize| near(c).and(near(c + 3));
    axis(0).and(axis(1)).and(axis(2)).mask()
}

/// One box of eight, eight times.
#[inline(always)]
pub fn one<const ROWS: usize>(eight: &Eight<ROWS>, lane: usize) -> [F8; ROWS] {
    std::array::from_fn(|row| F8::splat(eight[row][lane]))
}

/// About all of eight boxes.
#[inline(always)]
fn all<const ROWS: usize>(eight: &Eight<ROWS>) -> [f32; ROWS] {
    std::array::from_fn(|row| F8::new(&eight[row]).least())
}

fn put<const ROWS: usize>(eight: &mut Eight<ROWS>, lane: usize, b: [f32; ROWS]) {
    (0..ROWS).for_each(|row| eight[row][lane] = b[row]);
}

fn take<const ROWS: usize>(eight: &Eight<ROWS>, lane: usize) -> [f32; ROWS] {
    std::array::from_fn(|row| eight[row][lane])
}

fn both<const ROWS: usize>(a: [f32; ROWS], b: [f32; ROWS]) -> [f32; ROWS] {
    std::array::from_fn(|row| a[row].min(b[row]))
}

/// For a box of normals, whether there is a way that all of them lean.
#[inline(always)]
fn leans(b: &[f32; NORMALS]) -> bool {
    let m: [f32; 3] = std::array::from_fn(|c| b[c] - b[c + 3]);
    let size2 = m[0] * m[0] + m[1] * m[1] + m[2] * m[2];
    let least = |c: usize| if m[c] > 0.0 { m[c] * b[c] } else { -m[c] * b[c + 3] };
    let least = least(0) + least(1) + least(2);
    least > 0.0 && least * least > LEAN * LEAN * size2
}

/// Normals of a tile's triangles, of twice their areas.
#[inline(always)]
fn normal(tile: &Tile, x: &[Record]) -> V8 {
    // Safety: the indices lie inside.
    let [p, q, r] = tile.corners.each_ref().map(|i| unsafe { load(x.as_ptr(), i).0 });
    (q - p).cross(r - p)
}

impl Placed<'_> {
    /// Whether two nodes that share a point can't touch, by their normals.
    pub fn flat(&self, level: usize, kin: &Kin) -> bool {
        let normals = &self.boxes.levels[level].normals;
        let at = |n: u32| normals.get(n as usize);
        kin.whole && at(kin.nodes[0]).zip(at(kin.nodes[1])).is_some_and(|(p, q)| leans(&both(*p, *q)))
    }
}

impl<'a> Ways<'a> {
    /// Of points that stand where they are: `still` has no ways, for as many.
    pub fn still(x: &'a [Record], still: &'a [Record]) -> Ways<'a> {
        Ways { x, now: x, ways: still, times: 0.0 }
    }
}

impl Ways<'_> {
    /// The boxes of eight points, and their ways.
    #[inline(always)]
    fn of(&self, points: &[u32; EIGHT]) -> [F8; MOVING] {
        // Safety: the indices lie inside.
        let (x, (way, pad)) = unsafe { (load(self.x.as_ptr(), points).0, load(self.ways.as_ptr(), points)) };
        let way = way.scale(F8::splat(self.times));
        let [x, y, z] = x.0;
        let [u, v, w] = way.0;
        [x - pad, y - pad, z - pad, -x - pad, -y - pad, -z - pad, u, v, w, -u, -v, -w]
    }

    /// The box of one point where it starts, eight times.
    #[inline(always)]
    pub fn one(&self, point: u32) -> [F8; STILL] {
        let (x, w) = (self.x[point as usize].0, self.ways[point as usize].0);
        let ([x, y, z], pad) = ([x[0], x[1], x[2]].map(F8::splat), F8::splat(w[3]));
        [x - pad, y - pad, z - pad, -x - pad, -y - pad, -z - pad]
    }

    /// Of eight points each, the boxes about all that are in one lane.
    #[inline(always)]
    fn about<const N: usize>(&self, points: &[[u32; EIGHT]; N]) -> [F8; MOVING] {
        let mut out = self.of(&points[0]);
        for p in &points[1..] {
            let more = self.of(p);
            (0..MOVING).for_each(|row| out[row] = out[row].min(more[row]));
        }
        out
    }
}

#[inline(always)]
fn still(of: &[F8; MOVING]) -> Eight<STILL> {
    std::array::from_fn(|row| of[row].array())
}

impl Boxes {
    /// The normals of a tile and of what is about what it stands for.
    fn ring(&self, surface: &Surface, k: usize) -> [f32; NORMALS] {
        let about = &surface.around[run(surface.tiles[k].around)];
        about.iter().fold(all(&self.normals[k]), |b, &t| {
            both(b, take(&self.normals[t as usize / EIGHT], t as usize % EIGHT))
        })
    }

    /// Fits the boxes of tiles to the ways of their points anew, and all above them to hold them too. The triangles
    /// `loose` may turn any way from now on.
    pub fn refit(&mut self, surface: &Surface, w: Ways, tiles: &[u32], loose: &[u32]) {
        let turning = if self.normals.is_empty() { &[] } else { loose };
        for &t in turning {
            put(&mut self.normals[t as usize / EIGHT], t as usize % EIGHT, [-ANY; NORMALS]);
        }
        for &k in tiles {
            let tile = &surface.tiles[k as usize];
            let of = w.about(&tile.corners);
            self.triangles[k as usize] = still(&of);
            for e in run(tile.ends) {
                self.edges[e] = still(&w.about(&surface.ends[e]));
            }
            let places = of.map(F8::least);
            let normals = (!self.normals.is_empty()).then(|| self.ring(surface, k as usize));
            let mut node = k as usize;
            for level in &mut self.levels {
                let eight = &mut level.places[node / EIGHT];
                let held = both(take(eight, node % EIGHT), places);
                put(eight, node % EIGHT, held);
                if let Some(n) = normals {
                    level.normals[node] = both(level.normals[node], n);
                }
                node /= EIGHT;
            }
        }
    }

    /// Fits the levels above the tiles.
    fn gather(&mut self, surface: &Surface) {
        for l in 0..self.levels.len() {
            let count = surface.counts[l];
            let mut normals = std::mem::take(&mut self.levels[l].normals);
            normals.resize(if self.normals.is_empty() { 0 } else { count }, [0.0; NORMALS]);
            let below = l.checked_sub(1).map(|b| &self.levels[b]);
            normals.par_iter_mut().enumerate().with_min_len(64).for_each(|(k, out)| {
                *out = match below {
                    None => self.ring(surface, k),
                    Some(b) => {
                        let none = [f32::INFINITY; NORMALS];
                        b.normals[EIGHT * k..].iter().take(EIGHT).fold(none, |s, n| both(s, *n))
                    }
                };
            });
            self.levels[l].normals = normals;
            let (below, level) = self.levels.split_at_mut(l);
            if let Some(b) = below.last() {
                level[0].places.resize(count.div_ceil(EIGHT), NONE);
                for (k, eight) in b.places.iter().enumerate() {
                    put(&mut level[0].places[k / EIGHT], k % EIGHT, all(eight));
                }
            }
        }
    }
}

impl Surface {
    /// Fits the boxes to the ways of the points, each with its own pad about it; with those of `normals` where
    /// these are asked for.
    pub fn fit(&self, w: Ways, normals: bool, boxes: &mut Boxes) {
        boxes.triangles.resize(self.tiles.len(), [[0.0; EIGHT]; STILL]);
        boxes.edges.resize(self.ends.len(), [[0.0; EIGHT]; STILL]);
        boxes.normals.resize(if normals { self.tiles.len() } else { 0 }, [[0.0; EIGHT]; NORMALS]);
        boxes.levels.resize(self.counts.len(), Level::default());
        if let Some(tiles) = boxes.levels.first_mut() {
            tiles.places.resize(self.tiles.len().div_ceil(EIGHT), NONE);
            let each = boxes.triangles.par_chunks_mut(EIGHT).zip(self.tiles.par_chunks(EIGHT));
            each.zip(&mut tiles.places).with_min_len(8).for_each(|((out, tiles), places)| {
                for (l, (out, tile)) in out.iter_mut().zip(tiles).enumerate() {
                    let of = w.about(&tile.corners);
                    *out = still(&of);
                    put(places, l, of.map(F8::least));
                }
            });
        }
        let each = boxes.edges.par_iter_mut().zip(&self.ends).with_min_len(64);
        each.for_each(|(out, ends)| *out = still(&w.about(ends)));
        let each = boxes.normals.par_iter_mut().zip(&self.tiles).with_min_len(64);
        each.for_each(|(out, tile)| *out = turns_of(tile, w));
        boxes.gather(self);
    }

    /// Adds the triangles that have turned out of their boxes of normals.
    pub fn turned(&self, now: &[Record], boxes: &Boxes, out: &mut Vec<u32>) {
        let look = |(k, (tile, normals)): (usize, (&Tile, &Eight<NORMALS>))| {
            let n = normal(tile, now);
            let size = n.dot(n).sqrt();
            let mut out = F8::splat(0.0);
            for c in 0..3 {
                let [low, high] = [&normals[c], &normals[c + 3]].map(|b| F8::new(b) * size);
                out = out.or(n.0[c].below(low)).or((-n.0[c]).below(high));
            }
            let lanes = out.mask() & ((1 << tile.count) - 1);
            (0..EIGHT).filter(move |l| lanes & (1 << l) != 0).map(move |l| (EIGHT * k + l) as u32)
        };
        let each = self.tiles.par_iter().zip(&boxes.normals).enumerate();
        out.par_extend(each.with_min_len(256).flat_map_iter(look));
    }
}

/// The boxes of the normals of a tile's triangles on their ways.
#[inline(always)]
fn turns_of(tile: &Tile, w: Ways) -> Eight<NORMALS> {
    // Safety: the indices lie inside.
    let [p, q, r] = tile.corners.each_ref().map(|i| unsafe { load(w.x.as_ptr(), i).0 });
    let (e, f) = (q - p, r - p);
    let first = e.cross(f);
    let mut low = first.unit();
    let mut high = low;
    if w.times > 0.0 {
        // On straight ways a normal goes along a parabola, within the triangle of these three (Tang et al., eq. 4).
        let far = F8::splat(w.times);
        // Safety: the indices lie inside.
        let way = |i: usize| unsafe { load(w.ways.as_ptr(), &tile.corners[i]).0.scale(far) };
        let (first_way, u, v) = (way(0), way(1), way(2));
        let (u, v) = (u - first_way, v - first_way);
        let last = (e + u).cross(f + v);
        let amid = first + last - u.cross(v);
        for n in [amid, last, normal(tile, w.now)] {
            let n = n.unit();
            (low, high) = (low.min(n), high.max(n));
        }
        let sway = V8::splat([SWAY; 3]);
        (low, high) = (low - sway, high + sway);
    }
    let (low, high) = (low.0, high.0.map(|h| -h));
    [low[0], low[1], low[2], high[0], high[1], high[2]].map(F8::array)
}

#[cfg(test)]
pub mod tests {
    use super::*;

    /// A flat sheet of points a centimetre apart, with spare points after them.
    pub fn flat(n: u32) -> (Surface, Vec<Record>) {
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

    #[test]
    fn boxes_hold_all_that_is_below_them_on_all_of_their_way() {
        let (s, x) = flat(23);
        let way = |k: usize| Record([0.002, 0.0005 * (k % 7) as f32, -0.001, 0.0003]);
        let ways: Vec<Record> = (0..s.points).map(way).collect();
        let mut boxes = Boxes::default();
        s.fit(Ways { x: &x, now: &x, ways: &ways, times: 3.0 }, true, &mut boxes);
        let holds = |low: &[f32], high: &[f32], p: [f32; 3], pad: f32| {
            (0..3).all(|c| low[c] <= p[c] - pad + 1e-6 && -high[c] >= p[c] + pad - 1e-6)
        };
        let held = |b: &[f32], x: [f32; 3], way: [f32; 3]| {
            let there = holds(&b[..3], &b[3..6], x, 0.0003);
            there && (b.len() == STILL || holds(&b[6..9], &b[9..], way.map(|w| 3.0 * w), 0.0))
        };
        for (t, tri) in s.triangles.iter().enumerate() {
            for step in 0..=3 {
                let at = tri.map(|p| {
                    let (x, w) = (x[p as usize].0, ways[p as usize].0);
                    [0, 1, 2].map(|c| x[c] + step as f32 * w[c])
                });
                let [e, f] = [1, 2].map(|k| [0, 1, 2].map(|c| at[k][c] - at[0][c]));
                let n = [0, 1, 2].map(|c| e[(c + 1) % 3] * f[(c + 2) % 3] - e[(c + 2) % 3] * f[(c + 1) % 3]);
                let n = n.map(|c| c / n.iter().map(|c| c * c).sum::<f32>().sqrt());
                let hold =
                    |b: &[f32]| tri.iter().all(|p| held(b, x[*p as usize].xyz(), ways[*p as usize].xyz()));
                let mut node = t / EIGHT;
                assert!(hold(&take(&boxes.triangles[node], t % EIGHT)));
                for level in &boxes.levels {
                    assert!(hold(&take(&level.places[node / EIGHT], node % EIGHT)));
                    let [low, high] = [0, 3].map(|k| &level.normals[node][k..k + 3]);
                    assert!(holds(low, high, n, SWAY));
                    node /= EIGHT;
                }
            }
        }
    }

    #[test]
    fn what_turns_out_of_its_normals_is_named_and_only_that() {
        let (s, mut x) = flat(12);
        let ways = vec![Record([0.0, 0.0, 0.0, 0.001]); s.points];
        let mut boxes = Boxes::default();
        let fit = |x: &[Record], now: &[Record], boxes: &mut Boxes| {
            s.fit(Ways { x, now, ways: &ways, times: 4.0 }, true, boxes);
        };
        fit(&x, &x, &mut boxes);
        let turned = |x: &[Record], boxes: &Boxes| {
            let mut out = vec![];
            s.turned(x, boxes, &mut out);
            out.sort_unstable();
            out
        };
        assert!(turned(&x, &boxes).is_empty());
        // A little is borne; a corner that is lifted by its cell is not.
        x[143].0[1] = 0.0005;
        assert!(turned(&x, &boxes).is_empty());
        x[143].0[1] = 0.01;
        let named = turned(&x, &boxes);
        assert_eq!(named, s.beside(143));
        // What may turn any way is named no more, and its tile leans no way.
        let tiles: Vec<u32> = named.iter().map(|t| t / EIGHT as u32).collect();
        let w = Ways { x: &x, now: &x, ways: &ways, times: 4.0 };
        let at = |boxes: &Boxes| Placed { surface: &s, boxes, ways: w }.flat(s.top(), &s.kin[s.top()][0]);
        assert!(at(&boxes));
        boxes.refit(&s, w, &tiles, &named);
        assert!(turned(&x, &boxes).is_empty() && !at(&boxes));
        // What was predicted from the start is in the box.
        let lifted = x.clone();
        x[143].0[1] = 0.0;
        fit(&x, &lifted, &mut boxes);
        assert!(turned(&lifted, &boxes).is_empty());
    }
}
