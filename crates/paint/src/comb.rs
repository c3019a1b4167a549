//! What a comb does to strands at rest: strokes of dabs that lay, raise, part, lengthen and cut them. A strand is its root, a way for each of its
//! segments and a length, so that no dab but those that are for it changes how long it is.
use crate::Edge;
use glam::{DQuat, DVec3};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;

/// What a comb does.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Combs {
    /// Along the stroke.
    Lay,
    /// Away from what they grow on.
    Raise,
    /// To both sides of the stroke.
    Part,
    /// On as they begin.
    Straighten,
    /// As those beside them, in way and length.
    Even,
    Longer,
    Shorter,
    /// Off where it passes.
    Trim,
}

/// A comb.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Comb {
    pub does: Combs,
    /// Metres, at the place under the pointer.
    pub radius: f64,
    /// 0 to 1.
    pub strength: f64,
    #[serde(default)]
    pub edge: Edge,
}

/// A dab of a comb, metres.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct CombDab {
    /// The place under the pointer.
    pub at: [f64; 3],
    /// How far the pointer has gone since the dab before, at that place.
    pub by: [f64; 3],
    /// From where it is looked at.
    pub eye: [f64; 3],
    /// 0 to 1.
    pub pressure: f64,
}

/// Strands as strokes left them: where their roots were then, and how each goes on from there.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Combed {
    pub roots: Vec<[f32; 3]>,
    /// The ways out of what they grow on.
    pub outs: Vec<[f32; 3]>,
    /// Segments of a strand.
    pub segments: usize,
    /// Of each segment, 1 long.
    pub ways: Vec<[f32; 3]>,
    /// As shares of how long they had grown.
    pub lengths: Vec<f32>,
    /// How far roots lay from each other, metres.
    pub apart: f64,
}

/// Shares of a grown length that a comb leaves at least, and makes at most.
const LENGTHS: [f64; 2] = [0.05, 4.0];
/// How much longer or shorter a whole dab makes them.
const BY: f64 = 0.06;
/// How far a whole dab turns a way to where it is wanted, as a share.
const TURNS: f64 = 0.25;
/// So many radii before and behind the place under the pointer strands are reached.
const DEEP: f64 = 2.5;
/// How far above what they grow on they are kept, as a share of a segment.
const ABOVE: f64 = 0.08;

/// Tells of a place the nearest one of what strands grow on, and the way out there.
pub type Skin<'a> = &'a dyn Fn(DVec3) -> Option<(DVec3, DVec3)>;

/// One strand.
#[derive(Clone, Debug, PartialEq)]
pub struct Lock {
    pub root: DVec3,
    pub out: DVec3,
    /// How long it had grown, metres.
    pub grown: f64,
    /// As a share of that.
    pub length: f64,
    pub ways: Vec<DVec3>,
}

impl Lock {
    /// One through points, from its root on.
    pub fn through(points: &[DVec3], out: DVec3) -> Lock {
        let length: f64 = points.windows(2).map(|w| w[0].distance(w[1])).sum();
        let ways = points.windows(2).map(|w| (w[1] - w[0]).normalize_or(out)).collect();
        Lock { root: points[0], out, grown: length, length: 1.0, ways }
    }

    /// The length of a segment, metres.
    fn step(&self) -> f64 {
        self.grown * self.length / self.ways.len() as f64
    }

    pub fn points(&self) -> impl Iterator<Item = DVec3> + '_ {
        let step = self.step();
        let ends = self.ways.iter().scan(self.root, move |at, way| {
            *at += *way * step;
            Some(*at)
        });
        std::iter::once(self.root).chain(ends)
    }

    /// Only a share of it is left, of as many segments.
    fn cut(&mut self, share: f64) {
        let share = share.max(LENGTHS[0] / self.length).min(1.0);
        let n = self.ways.len();
        let at = |k: usize| self.ways[(((k as f64 + 0.5) * share) as usize).min(n - 1)];
        self.ways = (0..n).map(at).collect();
        self.length *= share;
    }
}

/// Cells of places, in which those near to one are found.
struct Cells {
    side: f64,
    cells: HashMap<[i64; 3], Vec<u32>>,
}

impl Cells {
    fn of(side: f64, places: impl Iterator<Item = DVec3>) -> Cells {
        let side = side.max(1e-9);
        let mut cells: HashMap<[i64; 3], Vec<u32>> = HashMap::new();
        for (k, p) in places.enumerate() {
            cells.entry(Cells::cell(side, p)).or_default().push(k as u32);
        }
        Cells { side, cells }
    }

    fn cell(side: f64, p: DVec3) -> [i64; 3] {
        (p / side).floor().to_array().map(|c| c as i64)
    }

    /// Those of the cells about a place: all that are nearer than a side.
    fn about(&self, p: DVec3) -> impl Iterator<Item = usize> + '_ {
        let [x, y, z] = Cells::cell(self.side, p);
        let about = (0..27).map(move |n: i64| [x + n % 3 - 1, y + n / 3 % 3 - 1, z + n / 9 - 1]);
        about.filter_map(|c| self.cells.get(&c)).flatten().map(|k| *k as usize)
    }
}

/// How far the nearest root lies from each, in the middle.
pub fn apart(locks: &[Lock]) -> f64 {
    if locks.len() < 2 {
        return locks.first().map_or(1.0, |l| l.grown);
    }
    // As if all lay on a square about as large as they reach; then by those of the cells about each.
    let low = locks.iter().fold(DVec3::INFINITY, |l, k| l.min(k.root));
    let high = locks.iter().fold(DVec3::NEG_INFINITY, |h, k| h.max(k.root));
    let guess = (high - low).max_element().max(1e-6) / (locks.len() as f64).sqrt();
    let cells = Cells::of(2.0 * guess, locks.iter().map(|l| l.root));
    let nearest = |k: usize| {
        let others = cells.about(locks[k].root).filter(|o| *o != k);
        others.map(|o| locks[k].root.distance(locks[o].root)).fold(4.0 * guess, f64::min)
    };
    let mut all: Vec<f64> = (0..locks.len()).map(nearest).collect();
    all.sort_by(f64::total_cmp);
    all[all.len() / 2].max(1e-9)
}

impl Combed {
    /// Lays what was combed over strands as they have grown: what grows where one grew before is as that was left; what grows
    /// near is as those about it.
    pub fn lay(&self, locks: &mut [Lock]) {
        let reach = 2.0 * self.apart;
        let wide = |p: &[f32; 3]| DVec3::from(p.map(f64::from));
        let cells = Cells::of(reach, self.roots.iter().map(wide));
        for lock in locks {
            let near = cells.about(lock.root).map(|k| (lock.root.distance(wide(&self.roots[k])), k));
            let mut near: Vec<(f64, usize)> = near.filter(|n| n.0 < reach).collect();
            near.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
            near.truncate(3);
            let Some(&(first, _)) = near.first() else { continue };
            if first < 1e-3 * self.apart {
                near.truncate(1);
            }
            let weigh = |far: f64| ((reach - far) / (reach * far.max(1e-6 * reach))).powi(2);
            let sum: f64 = near.iter().map(|n| weigh(n.0)).sum();
            // Beyond where they lay they fade out.
            let whole = ((reach - first) / (reach - self.apart)).clamp(0.0, 1.0);
            let n = lock.ways.len();
            let mut ways = vec![DVec3::ZERO; n];
            let mut length = 0.0;
            for (far, k) in near {
                let share = weigh(far) / sum;
                let turn = DQuat::from_rotation_arc(wide(&self.outs[k]).normalize_or(lock.out), lock.out);
                for (j, way) in ways.iter_mut().enumerate() {
                    // Of as many segments each is itself; else the one that its middle lies in.
                    let from = (2 * j + 1) * self.segments / (2 * n);
                    let own = wide(&self.ways[k * self.segments + from.min(self.segments - 1)]);
                    *way += share
                        * if first < 1e-3 * self.apart && lock.out == wide(&self.outs[k]) {
                            own
                        } else {
                            turn * own
                        };
                }
                length += share * f64::from(self.lengths[k]);
            }
            for (own, way) in lock.ways.iter_mut().zip(ways) {
                *own = own.lerp(way, whole).normalize_or(way);
            }
            lock.length += whole * (length - lock.length);
        }
    }
}

/// A stroke on its way.
pub struct Combing {
    pub comb: Comb,
    locks: Vec<Lock>,
    /// How much of each is left as it is, 0 to 1.
    spared: Vec<f64>,
    apart: f64,
    cells: Cells,
    changed: Vec<bool>,
}

impl Combing {
    /// `spared` is how much of each strand a comb leaves as it is, 0 to 1; empty where none is.
    pub fn begin(comb: Comb, locks: Vec<Lock>, spared: Vec<f64>) -> Combing {
        let apart = apart(&locks);
        let cells = Cells::of(2.0 * apart, locks.iter().map(|l| l.root));
        let changed = vec![false; locks.len()];
        Combing { comb, locks, spared, apart, cells, changed }
    }

    pub fn locks(&self) -> &[Lock] {
        &self.locks
    }

    /// Dabs a place; gives the numbers of the strands that it changed.
    pub fn dab(&mut self, dab: &CombDab, skin: Option<Skin>) -> Vec<usize> {
        let [at, by, eye] = [dab.at, dab.by, dab.eye].map(DVec3::from);
        let Some(ahead) = (at - eye).try_normalize() else { return vec![] };
        let far = at.distance(eye);
        let strength = (self.comb.strength * dab.pressure).clamp(0.0, 1.0);
        // How much of it reaches a place: within a cone about the sight.
        let (comb, radius) = (self.comb, self.comb.radius.max(1e-9));
        let reaches = |p: DVec3| {
            let deep = (p - eye).dot(ahead);
            if deep <= 0.0 || (deep - far).abs() > DEEP * radius {
                return 0.0;
            }
            let off = (p - eye - deep * ahead).length() * far / deep;
            if off >= radius { 0.0 } else { comb.edge.at(off / radius) }
        };
        let each = self.locks.iter().enumerate();
        let found: Vec<(usize, Vec<f64>)> = each
            .filter(|(_, l)| l.out.dot(eye - l.root) > -0.2 * eye.distance(l.root))
            .filter(|(_, l)| l.root.distance(at) < (1.0 + DEEP) * radius + l.grown * l.length)
            .filter_map(|(k, l)| {
                let held = strength * (1.0 - self.spared.get(k).copied().unwrap_or(0.0));
                let weights: Vec<f64> = l.points().skip(1).map(|p| held * reaches(p)).collect();
                weights.iter().any(|w| *w > 0.0).then_some((k, weights))
            })
            .collect();
        // All are evened out by what was there before.
        let means: Vec<Option<(Vec<DVec3>, f64)>> = match comb.does {
            Combs::Even => found.iter().map(|(k, _)| Some(self.mean(*k))).collect(),
            _ => vec![None; found.len()],
        };
        let side = by.cross(ahead).normalize_or(DVec3::ZERO);
        let mut changed = vec![];
        for ((k, weights), mean) in found.into_iter().zip(means) {
            let lock = &mut self.locks[k];
            let most = weights.iter().copied().fold(0.0, f64::max);
            let before = lock.clone();
            match comb.does {
                Combs::Lay => lay(lock, &weights, by, (eye, ahead, far)),
                Combs::Raise => toward(lock, &weights, |l, _| l.out),
                Combs::Straighten => toward(lock, &weights, |l, _| l.ways[0]),
                Combs::Part => {
                    let to = side * (lock.root - at).dot(side).signum() * TURNS;
                    for (way, w) in lock.ways.iter_mut().zip(&weights) {
                        *way = (*way + *w * to).normalize_or(*way);
                    }
                }
                Combs::Even => {
                    let (ways, length) = mean.unwrap_or_default();
                    toward(lock, &weights, |_, j| ways[j]);
                    lock.length += TURNS * most * (length - lock.length);
                }
                Combs::Longer => lock.length = (lock.length * (1.0 + BY * most)).min(LENGTHS[1]),
                Combs::Shorter => lock.length = (lock.length * (1.0 - BY * most)).max(LENGTHS[0]),
                Combs::Trim => {
                    if let Some(first) = weights.iter().position(|w| *w >= 0.5 * strength && *w > 0.0) {
                        lock.cut(first as f64 / weights.len() as f64);
                    }
                }
            }
            if let Some(skin) = skin {
                keep_out(lock, skin);
            }
            if *lock != before {
                self.changed[k] = true;
                changed.push(k);
            }
        }
        changed
    }

    /// What the strands about one are like in the middle.
    fn mean(&self, k: usize) -> (Vec<DVec3>, f64) {
        let own = &self.locks[k];
        let mut ways = vec![DVec3::ZERO; own.ways.len()];
        let (mut length, mut sum) = (0.0, 0.0);
        for o in self.cells.about(own.root) {
            let other = &self.locks[o];
            let weight = (1.0 - other.root.distance(own.root) / (2.0 * self.apart)).max(0.0);
            if weight > 0.0 && other.ways.len() == ways.len() {
                ways.iter_mut().zip(&other.ways).for_each(|(to, w)| *to += weight * *w);
                (length, sum) = (length + weight * other.length, sum + weight);
            }
        }
        let out = own.out;
        (
            ways.into_iter().map(|w| w.normalize_or(out)).collect(),
            if sum > 0.0 { length / sum } else { own.length },
        )
    }

    /// What has been combed; of all strands, or of those that the stroke changed and those beside them, which say how far it reached.
    pub fn combed(&self, all: bool) -> Combed {
        let segments = self.locks.first().map_or(0, |l| l.ways.len());
        let near = |k: usize| {
            let root = self.locks[k].root;
            let mut about = self.cells.about(root);
            self.changed[k]
                || about.any(|o| self.changed[o] && root.distance(self.locks[o].root) < 2.0 * self.apart)
        };
        let own = (0..self.locks.len()).filter(|k| all || near(*k)).map(|k| &self.locks[k]);
        let small = |p: DVec3| p.as_vec3().to_array();
        let mut out = Combed { segments, apart: self.apart, ..Combed::default() };
        for l in own {
            out.roots.push(small(l.root));
            out.outs.push(small(l.out));
            out.lengths.push(l.length as f32);
            out.ways.extend(l.ways.iter().map(|w| small(*w)));
        }
        out
    }
}

/// Points go with the stroke, as far as each is deep in it; what comes after one goes along.
fn lay(lock: &mut Lock, weights: &[f64], by: DVec3, (eye, ahead, far): (DVec3, DVec3, f64)) {
    let step = lock.step();
    let old: Vec<DVec3> = lock.points().collect();
    let (mut at, mut most) = (lock.root, 0.0f64);
    for (j, way) in lock.ways.iter_mut().enumerate() {
        most = most.max(weights[j]);
        // Nearer to the eye the pointer goes less far.
        let deep = ((old[j + 1] - eye).dot(ahead) / far).max(0.0);
        *way = (old[j + 1] + by * (most * deep) - at).normalize_or(*way);
        at += *way * step;
    }
}

/// Ways turn toward others.
fn toward(lock: &mut Lock, weights: &[f64], to: impl Fn(&Lock, usize) -> DVec3) {
    let wanted: Vec<DVec3> = (0..lock.ways.len()).map(|j| to(lock, j)).collect();
    for ((way, w), to) in lock.ways.iter_mut().zip(weights).zip(wanted) {
        *way = way.lerp(to, TURNS * w).normalize_or(*way);
    }
}

/// None of it is under what it grows on.
fn keep_out(lock: &mut Lock, skin: Skin) {
    let step = lock.step();
    let mut at = lock.root;
    let (root, out) = (lock.root, lock.out);
    for way in &mut lock.ways {
        let mut end = at + *way * step;
        // What stands well off is not near.
        let off = end - root;
        if off.dot(out) < 0.5 * off.length()
            && let Some((on, out)) = skin(end)
        {
            let above = (end - on).dot(out);
            if above < ABOVE * step && on.distance(end) < 4.0 * step {
                end += out * (ABOVE * step - above);
                *way = (end - at).normalize_or(*way);
                end = at + *way * step;
            }
        }
        at = end;
    }
}
