//! The skeleton of one part of wood: distances from its foot go up along its surface, and where they pass a step they go round it once; each such round
//! is a point (A. Verroust, F. Lazarus, "Extracting Skeletal Curves from 3D Scattered Data", 2000; F. Lazarus, A. Verroust, "Level Set
//! Diagrams of Polyhedral Objects", 1999). Rounds are cut out of triangles as they are, so that rings of points may be as far apart as they like.
use crate::{About, From, Surface, Walk};
use glam::DVec3;
use std::collections::HashMap;

/// A skeleton: points by the one before each, and how far round each is.
#[derive(Debug, Default)]
pub(super) struct Bare {
    pub nodes: Vec<Knot>,
    /// For each point of the surface, the segments that carry it, by the point that each leads to, and the share of the first.
    pub carried: Vec<([u32; 2], f64)>,
    /// Rounds that came together again, and were cut there.
    pub cut: usize,
}

#[derive(Clone, Copy, Debug)]
pub(super) struct Knot {
    pub at: DVec3,
    /// The first is its own.
    pub up: u32,
    pub radius: f64,
    /// How far from the foot, along the surface.
    pub far: f64,
}

/// What is no stem round: a sheet is taken as round wood as thick as this share of its width.
const SHEET: f64 = 0.2;
/// What sticks out by less than so many radii is bark, and no branch.
const BUMP: f64 = 1.5;
/// A tip that is nearer than this share of a step is where the last round is.
const SHORT: f64 = 0.25;
/// Rounds are cut a little beyond where they are, for rings of points are often just there.
const BEYOND: f64 = 1.0 + 1e-6;
/// Most pieces of triangles by steps.
const MOST: usize = 4_000_000;

/// Sets of numbers that are one.
pub(super) struct Sets(Vec<u32>);

impl Sets {
    /// Each number by itself.
    pub fn of(count: usize) -> Sets {
        Sets((0..count as u32).collect())
    }
    pub fn find(&mut self, k: usize) -> usize {
        let mut k = k;
        while self.0[k] as usize != k {
            self.0[k] = self.0[self.0[k] as usize];
            k = self.0[k] as usize;
        }
        k
    }
    /// The lower number stays.
    pub fn join(&mut self, a: usize, b: usize) {
        let (a, b) = (self.find(a), self.find(b));
        self.0[a.max(b)] = a.min(b) as u32;
    }
}

/// A round: where its middle is, and how far round.
#[derive(Clone, Default)]
struct Round {
    level: usize,
    sum: DVec3,
    long: f64,
    ends: Vec<[DVec3; 2]>,
    open: bool,
    node: u32,
    below: usize,
    above: usize,
}

/// A stretch of the surface between two steps.
#[derive(Clone, Default)]
struct Stretch {
    lower: Vec<usize>,
    upper: Vec<usize>,
    band: usize,
    /// How far its farthest point is from the foot.
    far: f64,
    tip: Option<u32>,
}

/// How far the farthest point of a surface is from its foot, along it.
pub(super) fn reach(on: Surface, foot: &[u32]) -> (Vec<f64>, f64) {
    let mut walk = Walk::default();
    let sources: Vec<(u32, f64)> = foot.iter().map(|p| (*p, 0.0)).collect();
    walk.go(on, From::Row, &sources, f64::INFINITY, |_| true);
    let mut far = vec![f64::INFINITY; on.positions.len()];
    walk.found().for_each(|(p, d)| far[p as usize] = d);
    let most = far.iter().copied().filter(|d| d.is_finite()).fold(0.0, f64::max);
    (far, most)
}

/// The skeleton of a surface from its foot on, a point a step (metres); none where the steps would be too many.
pub(super) fn bare(positions: &[[f32; 3]], triangles: &[[u32; 3]], foot: &[u32], step: f64) -> Option<Bare> {
    let about = About::of(triangles, positions.len());
    let (far, _) = reach(Surface { positions, triangles, about: &about }, foot);
    let at = |p: u32| DVec3::from(positions[p as usize].map(f64::from));
    let band = |p: u32| (far[p as usize] / (step * BEYOND)) as usize;
    let level = |b: usize| b as f64 * step * BEYOND;
    // A piece of a triangle for each band that it reaches into.
    let whole: Vec<[u32; 3]> =
        triangles.iter().filter(|t| t.iter().all(|p| far[*p as usize].is_finite())).copied().collect();
    let mut first = vec![];
    let mut pieces = 0;
    for t in &whole {
        let bands = t.map(band);
        let (lo, hi) = (bands[0].min(bands[1]).min(bands[2]), bands[0].max(bands[1]).max(bands[2]));
        first.push((pieces, lo, hi));
        pieces += hi - lo + 1;
    }
    if pieces > MOST {
        return None;
    }
    let mut stretches = Sets::of(pieces);
    let mut rounds = Sets::of(pieces);
    let mut beside: HashMap<[u32; 2], (usize, bool)> = HashMap::new();
    let mut piece_at: Vec<usize> = vec![usize::MAX; positions.len()];
    for (k, t) in whole.iter().enumerate() {
        let slot = |b: usize| first[k].0 + b - first[k].1;
        for c in 0..3 {
            let (p, q) = (t[c], t[(c + 1) % 3]);
            let own = slot(band(p));
            match piece_at[p as usize] {
                usize::MAX => piece_at[p as usize] = own,
                other => stretches.join(other, own),
            }
            let seen = beside.entry([p.min(q), p.max(q)]).or_insert((k, false));
            if seen.0 != k {
                seen.1 = true;
                let other = first[seen.0];
                let (lo, hi) = (band(p).min(band(q)), band(p).max(band(q)));
                for b in lo..=hi {
                    let there = other.0 + b - other.1;
                    stretches.join(there, slot(b));
                    if b > lo {
                        rounds.join(there, slot(b));
                    }
                }
            }
        }
    }
    // What goes round: a piece of each triangle that a step passes through.
    let mut found: Vec<Round> = vec![];
    let mut number: HashMap<usize, usize> = HashMap::new();
    let mut parts: Vec<Stretch> = vec![];
    let mut part_of: HashMap<usize, usize> = HashMap::new();
    let mut part = |set: usize, band: usize, parts: &mut Vec<Stretch>| {
        *part_of.entry(set).or_insert_with(|| {
            parts.push(Stretch { band, ..Stretch::default() });
            parts.len() - 1
        })
    };
    for (k, t) in whole.iter().enumerate() {
        let (from, lo, hi) = first[k];
        for b in lo..=hi {
            let here = part(stretches.find(from + b - lo), b, &mut parts);
            if b == lo {
                continue;
            }
            let below = part(stretches.find(from + b - 1 - lo), b - 1, &mut parts);
            let set = rounds.find(from + b - lo);
            let r = *number.entry(set).or_insert_with(|| {
                found.push(Round { level: b, below, above: here, ..Round::default() });
                found.len() - 1
            });
            let cut = level(b);
            let mut ends = vec![];
            for c in 0..3 {
                let (p, q) = (t[c], t[(c + 1) % 3]);
                let (dp, dq) = (far[p as usize], far[q as usize]);
                if (band(p) < b) != (band(q) < b) {
                    ends.push(at(p).lerp(at(q), ((cut - dp) / (dq - dp)).clamp(0.0, 1.0)));
                    found[r].open |= beside.get(&[p.min(q), p.max(q)]).is_some_and(|s| !s.1);
                }
            }
            if let [a, c] = ends[..] {
                let long = a.distance(c);
                found[r].sum += long * 0.5 * (a + c);
                found[r].long += long;
                found[r].ends.push([a, c]);
            }
        }
    }
    let mut order: Vec<usize> = (0..found.len()).filter(|r| !found[*r].ends.is_empty()).collect();
    order.sort_by_key(|r| found[*r].level);
    for r in &order {
        parts[found[*r].below].upper.push(*r);
        parts[found[*r].above].lower.push(*r);
    }
    for p in 0..positions.len() as u32 {
        if piece_at[p as usize] != usize::MAX {
            let own = part(stretches.find(piece_at[p as usize]), band(p), &mut parts);
            parts[own].far = parts[own].far.max(far[p as usize]);
        }
    }
    let mut out = Bare::default();
    let middle = foot.iter().map(|p| at(*p)).sum::<DVec3>() / foot.len().max(1) as f64;
    let about_it = foot.iter().map(|p| at(*p).distance(middle)).sum::<f64>() / foot.len().max(1) as f64;
    out.nodes.push(Knot { at: middle, up: 0, radius: about_it, far: 0.0 });
    for r in &order {
        let own = &found[*r];
        let middle = match own.long > 0.0 {
            true => own.sum / own.long,
            false => own.ends[0][0],
        };
        let mean = own.ends.iter().map(|[a, c]| a.distance(*c) * (0.5 * (*a + *c)).distance(middle));
        let radius = if own.open { 0.5 * SHEET * own.long } else { mean.sum::<f64>() / own.long.max(1e-12) };
        // Where rounds came together, the widest goes on.
        let lower = &parts[own.below].lower;
        let main = lower.iter().copied().max_by(|a, b| found[*a].long.total_cmp(&found[*b].long));
        let up = main.map_or(0, |m| found[m].node);
        let node = out.nodes.len() as u32;
        out.nodes.push(Knot { at: middle, up, radius, far: level(own.level) });
        found[*r].node = node;
    }
    out.cut = parts.iter().map(|p| p.lower.len().saturating_sub(1)).sum();
    // Tips.
    let mut tops: Vec<(DVec3, usize)> = vec![(DVec3::ZERO, 0); parts.len()];
    let mut part_at = vec![usize::MAX; positions.len()];
    for p in 0..positions.len() as u32 {
        if piece_at[p as usize] == usize::MAX {
            continue;
        }
        let own = part(stretches.find(piece_at[p as usize]), band(p), &mut parts);
        part_at[p as usize] = own;
        if far[p as usize] > parts[own].far - 0.1 * step {
            tops[own].0 += at(p);
            tops[own].1 += 1;
        }
    }
    for own in 0..parts.len() {
        let s = &parts[own];
        let base = level(s.band);
        if !s.upper.is_empty() || tops[own].1 == 0 || (s.far - base < SHORT * step && !s.lower.is_empty()) {
            continue;
        }
        let main = s.lower.iter().copied().max_by(|a, b| found[*a].long.total_cmp(&found[*b].long));
        let up = main.map_or(0, |m| found[m].node);
        let tip = out.nodes.len() as u32;
        let at = tops[own].0 / tops[own].1 as f64;
        if at.distance(out.nodes[up as usize].at) < 0.02 * step {
            continue;
        }
        out.nodes.push(Knot { at, up, radius: 0.6 * out.nodes[up as usize].radius, far: s.far });
        parts[own].tip = Some(tip);
    }
    if out.nodes.len() < 2 {
        return Some(out);
    }
    let heads: Vec<Stretch> = parts;
    let carry = Carry { far: &far, part_at: &part_at, parts: &heads, rounds: &found, level: &level, at: &at };
    out.carried = carry.all(&out.nodes, step);
    prune(&mut out);
    Some(out)
}

/// What says which segments carry a point.
struct Carry<'a> {
    far: &'a [f64],
    part_at: &'a [usize],
    parts: &'a [Stretch],
    rounds: &'a [Round],
    level: &'a dyn Fn(usize) -> f64,
    at: &'a dyn Fn(u32) -> DVec3,
}

impl Carry<'_> {
    fn all(&self, nodes: &[Knot], step: f64) -> Vec<([u32; 2], f64)> {
        let on = goes_on(nodes);
        let one = |p: usize| -> ([u32; 2], f64) {
            let start = on[0].max(1);
            let Some(s) = self.parts.get(self.part_at[p]) else { return ([start; 2], 1.0) };
            let base = (self.level)(s.band);
            let mut ahead: Vec<u32> = s.upper.iter().map(|r| self.rounds[*r].node).collect();
            ahead.extend(s.tip);
            let here = (self.at)(p as u32);
            let off = |k: &u32| {
                let (a, b) = (nodes[nodes[*k as usize].up as usize].at, nodes[*k as usize].at);
                let t = ((here - a).dot(b - a) / (b - a).length_squared().max(1e-18)).clamp(0.0, 1.0);
                here.distance(a.lerp(b, t)) / nodes[*k as usize].radius.max(1e-9)
            };
            let Some(k) = ahead.into_iter().min_by(|a, b| off(a).total_cmp(&off(b))) else {
                let below = s.lower.iter().map(|r| self.rounds[*r].node).next().unwrap_or(start);
                return ([below.max(1); 2], 1.0);
            };
            let long = if s.tip == Some(k) { (s.far - base).max(1e-9) } else { step };
            let share = ((self.far[p] - base) / long).clamp(0.0, 1.0);
            let before = nodes[k as usize].up;
            // Half and half where two meet, each alone in its middle.
            if share < 0.5 && before > 0 {
                ([k, before], 0.5 + share)
            } else if share > 0.5 && on[k as usize] > 0 {
                ([k, on[k as usize]], 1.5 - share)
            } else {
                ([k; 2], 1.0)
            }
        };
        (0..self.far.len()).map(one).collect()
    }
}

/// Which segment goes on from each point: the thickest; 0 where none does.
fn goes_on(nodes: &[Knot]) -> Vec<u32> {
    let mut on = vec![0u32; nodes.len()];
    for (k, n) in nodes.iter().enumerate().skip(1) {
        let best = &mut on[n.up as usize];
        if *best == 0 || n.radius > nodes[*best as usize].radius {
            *best = k as u32;
        }
    }
    on
}

/// Takes off what is no branch: it sticks out of what goes on by less than some radii of that.
fn prune(out: &mut Bare) {
    let n = out.nodes.len();
    let on = goes_on(&out.nodes);
    let mut reach: Vec<f64> = out.nodes.iter().map(|k| k.far).collect();
    for k in (1..n).rev() {
        let up = out.nodes[k].up as usize;
        reach[up] = reach[up].max(reach[k]);
    }
    let mut gone = vec![false; n];
    for k in 1..n {
        let up = out.nodes[k].up as usize;
        let from = out.nodes[up];
        let side = on[up] != k as u32;
        gone[k] = gone[up] || (side && reach[k] - from.far < BUMP * from.radius.max(out.nodes[k].radius));
    }
    if !gone.contains(&true) {
        return;
    }
    let mut to = vec![0u32; n];
    let mut kept: Vec<Knot> = vec![];
    for k in 0..n {
        if !gone[k] {
            to[k] = kept.len() as u32;
            kept.push(Knot { up: to[out.nodes[k].up as usize], ..out.nodes[k] });
        }
    }
    // What it carried goes with what goes on from where it stood.
    for k in (0..n).filter(|k| gone[*k]) {
        let up = out.nodes[k].up as usize;
        to[k] = if gone[up] { to[up] } else { to[on[up] as usize] };
    }
    out.nodes = kept;
    for (joints, _) in &mut out.carried {
        *joints = joints.map(|j| to[j as usize]);
    }
}
