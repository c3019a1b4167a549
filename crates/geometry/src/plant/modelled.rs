//! A plant as a mesh was modelled: its stem and branches found in it, or taken from its bones, its leaves on what they stand by, and which of
//! these carries each point of the mesh.
use crate::plant::found::{Bare, Sets, bare, reach};
use crate::plant::limbs::Skin;
use crate::plant::species::{Grown, Part, STALK};
use crate::{About, Mesh, Surface, join_near};
use glam::{DMat3, DVec3};
use std::fmt;

/// What was found in a mesh.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Modelled {
    /// About its root.
    pub grown: Grown,
    pub skin: Skin,
    pub found: What,
}

/// In numbers.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct What {
    /// Parts of wood that hang together each, the stem too.
    pub parts: usize,
    pub leaves: usize,
    /// Where branches came together again, and were cut.
    pub cut: usize,
    /// Parts that stand away from all others by more than a twentieth of its height, and were hung on the nearest.
    pub away: usize,
    /// Whether its points are those of its own bones.
    pub bones: bool,
}

/// Bones of a mesh, those that others hang on before them.
#[derive(Clone, Debug, Default)]
pub struct Bones {
    pub bones: Vec<Bone>,
    /// For each point of the mesh which bones carry it, and how much.
    pub carried: Vec<Vec<(u32, f32)>>,
}

#[derive(Clone, Copy, Debug)]
pub struct Bone {
    pub at: DVec3,
    pub up: Option<u32>,
}

/// Why a mesh is no plant, in words that go on from "the mesh".
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum NoPlant {
    NoFaces,
    NoStem,
    TooFine { points: usize },
    Flat,
}

impl fmt::Display for NoPlant {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        match self {
            NoPlant::NoFaces => write!(f, "has no faces: nothing can be found in it"),
            NoPlant::NoStem => write!(
                f,
                "has no stem: all of its parts are leaves, small and flat. Model a stem as a tube, or give it bones"
            ),
            NoPlant::TooFine { points } => write!(
                f,
                "comes to {points} points of stems and leaves; the most of one plant is {MOST}. Ask for fewer segments, or model leaves as twigs of many"
            ),
            NoPlant::Flat => write!(f, "has no height: its points are all at one place"),
        }
    }
}

/// Most points of one plant.
const MOST: usize = 20_000;
/// A part is a leaf where so much of its area faces one way or its opposite,
const FACES: f64 = 0.7;
/// or where it is as broad as this share of its length all ways, as a clump is,
const CLUMP: f64 = 0.5;
/// and where it is no longer than this share of the whole.
const SMALL: f64 = 0.35;
/// What hangs on a bone goes on from it where the cosine of the angle between them is more.
const GOES_ON: f64 = 0.7;
/// Parts that stand farther off than this share of the height are told of.
const AWAY: f64 = 0.05;
/// Points that are nearer to each other than this share of that are at one place.
const NONE: f64 = 0.002;
/// A stem's foot is as high as this share of it.
const FOOT: f64 = 0.01;
/// Points of a part that are looked at where the nearest is sought.
const LOOK: usize = 160;

/// A part of a mesh that hangs together.
struct Piece {
    triangles: Vec<[u32; 3]>,
    points: Vec<u32>,
    area: f64,
    middle: DVec3,
    lo: DVec3,
    long: f64,
    leaf: bool,
}

fn at(mesh: &Mesh, k: u32) -> DVec3 {
    DVec3::from(mesh.positions[k as usize].map(f64::from))
}

/// Finds a plant in a mesh, y up: so many segments along its longest way from the foot of its stem, or one a bone.
///
/// # Errors
/// When there is no stem, or too much of it.
pub fn modelled(mesh: &Mesh, segments: u32, bones: Option<&Bones>) -> Result<Modelled, NoPlant> {
    if mesh.triangles.is_empty() {
        return Err(NoPlant::NoFaces);
    }
    let (lo, hi) = mesh.bounds();
    let size = DVec3::from(std::array::from_fn::<f64, 3, _>(|k| f64::from(hi[k] - lo[k])));
    let across = size.length();
    if across <= 0.0 || !across.is_finite() {
        return Err(NoPlant::Flat);
    }
    let (joined, _) = join_near(mesh, (1e-5 * across) as f32);
    let mut same: Vec<u32> = (0..mesh.positions.len() as u32).collect();
    for (a, b) in mesh.triangles.iter().flatten().zip(joined.triangles.iter().flatten()) {
        same[*a as usize] = *b;
    }
    let mut pieces = pieces(&joined);
    for p in &mut pieces {
        look(p, &joined, across);
    }
    let mut plant = Builder {
        mesh: &joined,
        bare: vec![],
        carried: vec![vec![]; mesh.positions.len()],
        what: What::default(),
        far: AWAY * size.y.max(0.2 * across),
    };
    match bones {
        Some(bones) => plant.of_bones(&bare_bones(bones, &mut pieces, &same), &pieces),
        None => plant.of_wood(&pieces, lo[1].into(), size.y, segments)?,
    }
    let mut out = plant.done(mesh, &same, &pieces);
    if out.grown.points.len() > MOST {
        return Err(NoPlant::TooFine { points: out.grown.points.len() });
    }
    out.found.leaves = out.grown.parts.iter().filter(|p| **p == Part::Leaf).count();
    Ok(out)
}

fn pieces(mesh: &Mesh) -> Vec<Piece> {
    let mut set = Sets::of(mesh.positions.len());
    for t in &mesh.triangles {
        t[1..].iter().for_each(|q| set.join(t[0] as usize, *q as usize));
    }
    let mut number = std::collections::HashMap::new();
    let mut out: Vec<Piece> = vec![];
    for t in &mesh.triangles {
        if t[0] == t[1] || t[1] == t[2] || t[2] == t[0] {
            continue;
        }
        let k = *number.entry(set.find(t[0] as usize)).or_insert_with(|| {
            out.push(Piece {
                triangles: vec![],
                points: vec![],
                area: 0.0,
                middle: DVec3::ZERO,
                lo: DVec3::INFINITY,
                long: 0.0,
                leaf: false,
            });
            out.len() - 1
        });
        out[k].triangles.push(*t);
    }
    for p in &mut out {
        p.points = p.triangles.iter().flatten().copied().collect();
        p.points.sort_unstable();
        p.points.dedup();
    }
    out
}

/// How large a part is, and whether it is a leaf by what it looks like.
fn look(p: &mut Piece, mesh: &Mesh, across: f64) {
    let mut facing = DMat3::ZERO;
    let outer = |n: DVec3| DMat3::from_cols(n * n.x, n * n.y, n * n.z);
    for t in &p.triangles {
        let [a, b, c] = t.map(|k| at(mesh, k));
        let n = 0.5 * (b - a).cross(c - a);
        let area = n.length();
        p.area += area;
        p.middle += area * (a + b + c) / 3.0;
        facing += (1.0 / area.max(1e-30)) * outer(n);
    }
    p.middle /= p.area.max(1e-30);
    let mut spread = DMat3::ZERO;
    for k in &p.points {
        p.lo = p.lo.min(at(mesh, *k));
        spread += outer(at(mesh, *k) - p.middle);
    }
    let (way, _) = longest(spread);
    let side = longest(spread - outer(way * way.dot(spread * way).max(0.0).sqrt())).0;
    let extent = |w: DVec3| {
        let all = p.points.iter().map(|k| w.dot(at(mesh, *k)));
        let (lo, hi) = all.fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), x| (l.min(x), h.max(x)));
        hi - lo
    };
    p.long = extent(way);
    let thin = extent(way.cross(side).normalize_or(DVec3::Y)).min(extent(side));
    let flat = longest(facing).1 / p.area.max(1e-30) > FACES;
    p.leaf = p.long < SMALL * across && (flat || thin > CLUMP * p.long);
}

/// Bones without those that carry leaves alone: these hang on what is nearest to them. Where that leaves no stem, all is wood.
fn bare_bones(bones: &Bones, pieces: &mut [Piece], same: &[u32]) -> Bones {
    let mut leaf = vec![false; same.len()];
    pieces.iter().filter(|p| p.leaf).flat_map(|p| &p.points).for_each(|k| leaf[*k as usize] = true);
    let mut keep = vec![false; bones.bones.len()];
    for (_, carried) in bones.carried.iter().enumerate().filter(|(p, _)| !leaf[same[*p] as usize]) {
        let own = carried.iter().filter(|(_, share)| *share > 0.0);
        own.for_each(|(b, _)| keep[*b as usize] = true);
    }
    for b in (0..keep.len()).rev() {
        if let Some(up) = bones.bones[b].up.filter(|_| keep[b]) {
            keep[up as usize] = true;
        }
    }
    if keep.iter().filter(|k| **k).count() < 2 {
        pieces.iter_mut().for_each(|p| p.leaf = false);
        return bones.clone();
    }
    let mut number = vec![u32::MAX; keep.len()];
    let mut out = Bones::default();
    for (b, own) in bones.bones.iter().enumerate().filter(|(b, _)| keep[*b]) {
        number[b] = out.bones.len() as u32;
        out.bones.push(Bone { at: own.at, up: own.up.map(|u| number[u as usize]) });
    }
    let own = |carried: &Vec<(u32, f32)>| {
        let kept = carried.iter().filter(|(b, _)| keep[*b as usize]);
        kept.map(|(b, share)| (number[*b as usize], *share)).collect()
    };
    out.carried = bones.carried.iter().map(own).collect();
    out
}

/// The way that a symmetric matrix stretches most, and how much.
fn longest(m: DMat3) -> (DVec3, f64) {
    let mut best = (DVec3::Y, 0.0);
    for start in [DVec3::new(0.8, 0.6, 0.1), DVec3::new(-0.3, 0.7, 0.65), DVec3::new(0.2, -0.4, 0.9)] {
        let mut w = start.normalize();
        for _ in 0..60 {
            w = (m * w).try_normalize().unwrap_or(w);
        }
        let much = w.dot(m * w);
        if much > best.1 {
            best = (w, much);
        }
    }
    best
}

/// A point of the skeleton while it grows.
#[derive(Clone, Copy)]
struct Node {
    at: DVec3,
    up: u32,
    radius: f64,
}

struct Builder<'a> {
    mesh: &'a Mesh,
    bare: Vec<Node>,
    /// For each point of the joined mesh, the segments that carry it.
    carried: Vec<Vec<(u32, f32)>>,
    what: What,
    /// Parts that are farther from all else are told of.
    far: f64,
}

impl Builder<'_> {
    fn of_wood(&mut self, pieces: &[Piece], ground: f64, high: f64, segments: u32) -> Result<(), NoPlant> {
        // The stem: the longest part that stands on the ground, as far as there is one.
        let stands = |p: &&Piece| !p.leaf && p.lo.y < ground + 0.05 * high;
        let long = |p: &&Piece| p.long;
        let of = |all: &mut dyn Iterator<Item = (usize, &Piece)>| {
            all.max_by(|a, b| long(&a.1).total_cmp(&long(&b.1))).map(|(k, _)| k)
        };
        let all = || pieces.iter().enumerate();
        let stem =
            of(&mut all().filter(|(_, p)| stands(p))).or_else(|| of(&mut all().filter(|(_, p)| !p.leaf)));
        let Some(stem) = stem else { return Err(NoPlant::NoStem) };
        let own = &pieces[stem];
        let foot: Vec<u32> = {
            let lift = FOOT * own.long;
            own.points.iter().copied().filter(|k| at(self.mesh, *k).y <= own.lo.y + lift).collect()
        };
        let local = Local::of(own, self.mesh);
        let feet = local.own(&foot);
        let (_, whole) = reach(
            Surface { positions: &local.positions, triangles: &local.triangles, about: &local.about() },
            &feet,
        );
        let step = (whole / f64::from(segments.max(1))).max(1e-9);
        let found = bare(&local.positions, &local.triangles, &feet, step)
            .ok_or(NoPlant::TooFine { points: usize::MAX })?;
        let root = found.nodes[0];
        self.bare.push(Node { at: root.at, up: 0, radius: root.radius });
        self.take(&found, &local, 0, true);
        self.what.cut += found.cut;
        self.what.parts = 1;
        // The others, the nearest to what is there already first.
        let mut left: Vec<(usize, f64, u32, usize)> = pieces
            .iter()
            .enumerate()
            .filter(|(k, p)| *k != stem && !p.leaf)
            .map(|(k, _)| (k, f64::INFINITY, 0, 0))
            .collect();
        let mut new = 0;
        while !left.is_empty() {
            for (k, far, point, node) in &mut left {
                let (f, p, n) = self.nearest(&pieces[*k], new);
                if f < *far {
                    (*far, *point, *node) = (f, p, n);
                }
            }
            new = self.bare.len();
            let next = left.iter().enumerate().min_by(|a, b| a.1.1.total_cmp(&b.1.1)).map_or(0, |(i, _)| i);
            let (k, far, point, node) = left.swap_remove(next);
            self.branch(&pieces[k], (far, point, node), step)?;
        }
        Ok(())
    }

    /// The point of a part that is nearest to the wood that is there from node `from` on, how far its bark is, and the node.
    fn nearest(&self, p: &Piece, from: usize) -> (f64, u32, usize) {
        let every = p.points.len().div_ceil(LOOK);
        let mut best = (f64::INFINITY, p.points[0], 0);
        for k in p.points.iter().step_by(every) {
            let here = at(self.mesh, *k);
            for n in from.max(1)..self.bare.len() {
                let (b, a) = (self.bare[n], self.bare[self.bare[n].up as usize]);
                let t = ((here - a.at).dot(b.at - a.at) / (b.at - a.at).length_squared().max(1e-18))
                    .clamp(0.0, 1.0);
                let far = here.distance(a.at.lerp(b.at, t)) - b.radius;
                if far < best.0 {
                    best = (far, *k, if t < 0.5 { b.up as usize } else { n });
                }
            }
        }
        best
    }

    /// A point after another, and its number: that one's where both are at one place, for a segment has a length.
    fn grow(&mut self, at: DVec3, up: u32, radius: f64) -> u32 {
        if at.distance(self.bare[up as usize].at) < NONE * self.far {
            return up;
        }
        self.bare.push(Node { at, up, radius });
        self.bare.len() as u32 - 1
    }

    /// A part of wood that stands on what is there.
    fn branch(&mut self, p: &Piece, (far, point, node): (f64, u32, usize), step: f64) -> Result<(), NoPlant> {
        let local = Local::of(p, self.mesh);
        // As thick as its area says of round wood so long.
        let radius = p.area / (std::f64::consts::TAU * p.long.max(1e-12));
        let near = at(self.mesh, point);
        let foot: Vec<u32> =
            p.points.iter().copied().filter(|k| at(self.mesh, *k).distance(near) <= 1.5 * radius).collect();
        let foot = local.own(&foot);
        let on = Surface { positions: &local.positions, triangles: &local.triangles, about: &local.about() };
        let (_, long) = reach(on, &foot);
        let found = bare(&local.positions, &local.triangles, &foot, step.min(0.5 * long).max(1e-9))
            .ok_or(NoPlant::TooFine { points: usize::MAX })?;
        self.what.cut += found.cut;
        self.what.parts += 1;
        self.what.away += usize::from(far > self.far);
        self.take(&found, &local, node as u32, false);
        Ok(())
    }

    /// Takes a part's skeleton over; its foot is the node that it stands on, or a point of its own where that is far off.
    fn take(&mut self, found: &Bare, local: &Local, on: u32, stem: bool) {
        let mut number = vec![on; found.nodes.len()];
        if !stem && found.nodes.len() < 2 {
            let k = found.nodes[0];
            self.bare.push(Node { at: k.at, up: on, radius: k.radius });
            number[0] = self.bare.len() as u32 - 1;
        }
        for (k, n) in found.nodes.iter().enumerate().skip(1) {
            number[k] = self.grow(n.at, number[n.up as usize], n.radius);
        }
        let alone = number[number.len() - 1];
        for (own, all) in local.points.iter().enumerate() {
            let carried = &mut self.carried[*all as usize];
            match found.carried.get(own) {
                Some((joints, share)) => {
                    let [a, b] = joints.map(|j| number[j as usize]);
                    carried.push((a, *share as f32));
                    if *share < 1.0 {
                        carried.push((b, 1.0 - *share as f32));
                    }
                }
                None => carried.push((alone.max(1), 1.0)),
            }
        }
    }

    fn of_bones(&mut self, bones: &Bones, pieces: &[Piece]) {
        self.what.bones = true;
        self.what.parts = pieces.iter().filter(|p| !p.leaf).count();
        // The lowest of those that hang on none is the root; all others that hang on none come from it.
        let roots = bones.bones.iter().enumerate().filter(|(_, b)| b.up.is_none());
        let root = roots.min_by(|a, b| a.1.at.y.total_cmp(&b.1.at.y)).map_or(0, |(k, _)| k);
        let n = bones.bones.len();
        let mut number = vec![u32::MAX; n];
        self.bare.push(Node { at: bones.bones[root].at, up: 0, radius: 0.0 });
        number[root] = 0;
        for (k, b) in bones.bones.iter().enumerate().filter(|(k, _)| *k != root) {
            let up = b.up.map_or(0, |u| number[u as usize]);
            number[k] = self.grow(b.at, if up == u32::MAX { 0 } else { up }, 0.0);
        }
        // A bone is the way to what hangs on it and goes on nearly as it came; where nothing does it ends with what it carries.
        let mut segment = vec![0u32; n];
        for k in 0..n {
            let own = &bones.bones[k];
            let came =
                own.up.map_or(DVec3::Y, |u| own.at - bones.bones[u as usize].at).normalize_or(DVec3::Y);
            let next = (0..n).filter(|c| bones.bones[*c].up == Some(k as u32) && number[*c] != number[k]);
            let straight = |c: &usize| came.dot((bones.bones[*c].at - own.at).normalize_or(DVec3::Y));
            let next = next.max_by(|a, b| straight(a).total_cmp(&straight(b)));
            segment[k] = match next.filter(|c| straight(c) > GOES_ON) {
                Some(c) => number[c],
                None => {
                    let mine: Vec<DVec3> = bones
                        .carried
                        .iter()
                        .enumerate()
                        .filter(|(_, c)| c.iter().any(|(b, s)| *b == k as u32 && *s > 0.3))
                        .map(|(p, _)| at(self.mesh, p as u32) - own.at)
                        .collect();
                    if mine.is_empty() {
                        segment[k] = number[k];
                        continue;
                    }
                    // Toward the middle of what is farthest ahead.
                    let far = mine.iter().map(|p| came.dot(*p)).fold(0.0, f64::max);
                    let ahead = mine.iter().filter(|p| came.dot(**p) > 0.7 * far);
                    let way = ahead.sum::<DVec3>().try_normalize().unwrap_or(came);
                    let tip = own.at + way * far.max(2.0 * NONE * self.far);
                    self.bare.push(Node { at: tip, up: number[k], radius: 0.0 });
                    self.bare.len() as u32 - 1
                }
            };
        }
        // As thick as what each carries is about it.
        let mut about = vec![(0.0, 0.0); self.bare.len()];
        for (p, carried) in bones.carried.iter().enumerate() {
            for (b, share) in carried {
                let k = segment[*b as usize] as usize;
                let (end, from) = (self.bare[k].at, self.bare[self.bare[k].up as usize].at);
                let way = (end - from).normalize_or(DVec3::Y);
                let off = (at(self.mesh, p as u32) - from).reject_from_normalized(way).length();
                if *share > 0.5 {
                    about[k].0 += f64::from(*share) * off;
                    about[k].1 += f64::from(*share);
                }
                self.carried[p].push((k as u32, *share));
            }
        }
        for k in 1..self.bare.len() {
            let before = self.bare[self.bare[k].up as usize].radius;
            let own = if about[k].1 > 0.0 { about[k].0 / about[k].1 } else { before };
            self.bare[k].radius = if own > 0.0 { own } else { 0.02 * self.far };
        }
        self.bare[0].radius = self.bare.get(1).map_or(0.0, |b| b.radius);
    }

    fn done(mut self, mesh: &Mesh, same: &[u32], pieces: &[Piece]) -> Modelled {
        let root = self.bare[0].at;
        let mut grown = Grown::default();
        let thick = |n: &Node, up: &Node| {
            if n.up == 0 || up.radius > 1.6 * n.radius { 2.0 * n.radius } else { n.radius + up.radius }
        };
        let levels = self.levels();
        for (k, n) in self.bare.iter().enumerate() {
            grown.points.push(n.at - root);
            grown.up.push(n.up);
            grown.thick.push(thick(n, &self.bare[n.up as usize]).max(1e-5));
            grown.parts.push(Part::Wood(levels[k]));
            grown.ends.push([0.0; 2]);
        }
        let wood = self.bare.len();
        for p in pieces.iter().filter(|p| p.leaf) {
            let (far, point, knot) = self.nearest(p, 0);
            self.what.away += usize::from(far > self.far);
            let foot = at(self.mesh, point);
            // About its middle a plate; where that is on its stalk's knot, by its own length.
            let mut middle = p.middle;
            let stands = self.bare[knot].at;
            if middle.distance(stands) < 0.05 * p.long {
                middle = stands + 0.5 * p.long * DVec3::Y;
            }
            let way =
                (middle - foot).try_normalize().unwrap_or_else(|| (middle - stands).normalize_or(DVec3::Y));
            let along = p.points.iter().map(|k| way.dot(at(self.mesh, *k)));
            let (lo, hi) = along.fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), x| (l.min(x), h.max(x)));
            let long = (hi - lo).max(0.1 * p.long);
            // A leaf of both sides has its area twice: an outline in its own plane is broad enough.
            let broad = (p.area / (0.25 * std::f64::consts::PI * long)).min(long);
            let k = grown.points.len() as u32;
            grown.points.push(middle - root);
            grown.up.push(knot as u32);
            grown.thick.push((STALK * broad).max(1e-5));
            grown.parts.push(Part::Leaf);
            grown.ends.push([long, broad]);
            for point in &p.points {
                self.carried[*point as usize] = vec![(k, 1.0)];
            }
        }
        let mut skin = Skin { mesh: mesh.clone(), ..Skin::default() };
        for p in &mut skin.mesh.positions {
            let own = DVec3::from(p.map(f64::from)) - root;
            *p = own.as_vec3().to_array();
        }
        for k in same {
            let mut all = self.carried[*k as usize].clone();
            all.sort_by(|a, b| b.1.total_cmp(&a.1));
            all.truncate(4);
            let sum: f32 = all.iter().map(|a| a.1).sum();
            let mut joints = [if wood > 1 { 1 } else { 0 }; 4];
            let mut shares = [1.0, 0.0, 0.0, 0.0];
            if sum > 0.0 {
                shares = [0.0; 4];
                for (slot, (j, share)) in all.iter().enumerate() {
                    // The root leads nowhere: what it carries goes with the first segment.
                    (joints[slot], shares[slot]) = ((*j).max(u32::from(wood > 1)), share / sum);
                }
            }
            skin.joints.push(joints);
            skin.shares.push(shares);
        }
        Modelled { grown, skin, found: self.what }
    }

    /// How many times each comes off another, the thickest going on.
    fn levels(&self) -> Vec<u32> {
        let n = self.bare.len();
        let mut on = vec![0usize; n];
        for k in 1..n {
            let up = self.bare[k].up as usize;
            if on[up] == 0 || self.bare[k].radius > self.bare[on[up]].radius {
                on[up] = k;
            }
        }
        let mut out = vec![0; n];
        for k in 1..n {
            let up = self.bare[k].up as usize;
            out[k] = out[up] + u32::from(on[up] != k);
        }
        out
    }
}

/// A part with numbers of its own.
struct Local {
    points: Vec<u32>,
    positions: Vec<[f32; 3]>,
    triangles: Vec<[u32; 3]>,
}

impl Local {
    fn of(p: &Piece, mesh: &Mesh) -> Local {
        let own = |k: &u32| p.points.binary_search(k).unwrap_or(0) as u32;
        Local {
            positions: p.points.iter().map(|k| mesh.positions[*k as usize]).collect(),
            triangles: p.triangles.iter().map(|t| std::array::from_fn(|c| own(&t[c]))).collect(),
            points: p.points.clone(),
        }
    }
    fn own(&self, all: &[u32]) -> Vec<u32> {
        all.iter().filter_map(|k| self.points.binary_search(k).ok()).map(|k| k as u32).collect()
    }
    fn about(&self) -> About {
        About::of(&self.triangles, self.positions.len())
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use crate::plant::tubes;
    use crate::{Branches, Leaves, Species, Stem};

    fn species(leaves: bool) -> Species {
        Species {
            stem: Stem { height: 1.2, diameter: 0.05, taper: 0.4, bow: 0.3, segments: 12 },
            branches: vec![Branches {
                count: 5,
                from: 0.4,
                to: 0.95,
                angle: 0.9,
                round: 2.4,
                length: 0.4,
                shorter: 0.3,
                thickness: 0.5,
                upward: 0.3,
                segments: 5,
            }],
            leaves: leaves.then_some(Leaves {
                count: 4,
                on: 1,
                from: 0.3,
                to: 1.0,
                angle: 1.0,
                round: 2.4,
                length: 0.08,
                width: 0.04,
                stalk: 0.02,
                weight: 0.2,
                swing: 4.0,
                drag: 1.28,
            }),
            heads: None,
            uneven: 0.1,
            density: 700.0,
            modulus: 2e9,
            inner: 0.01,
        }
    }

    /// How far a point is from the wood of a plant.
    fn off(grown: &Grown, p: DVec3) -> f64 {
        let one = |k: usize| {
            let (a, b) = (grown.points[grown.up[k] as usize], grown.points[k]);
            let t = ((p - a).dot(b - a) / (b - a).length_squared().max(1e-18)).clamp(0.0, 1.0);
            p.distance(a.lerp(b, t))
        };
        let wood = (1..grown.points.len()).filter(|k| grown.parts[*k] != Part::Leaf);
        wood.map(one).fold(f64::INFINITY, f64::min)
    }

    #[test]
    fn what_was_grown_is_found_again_in_its_mesh() {
        let own = species(true).grow(3, 5, 1.0);
        let skin = tubes(&own);
        let found = modelled(&skin.mesh, 20, None).unwrap();
        assert_eq!((found.found.parts, found.found.leaves, found.found.cut, found.found.away), (6, 20, 0, 0));
        for (k, p) in own.points.iter().enumerate().filter(|(k, _)| own.parts[*k] != Part::Leaf) {
            assert!(off(&found.grown, *p) < 0.012, "point {k} is {} off", off(&found.grown, *p));
        }
        for (k, p) in found.grown.points.iter().enumerate().skip(1) {
            match found.grown.parts[k] {
                // With its stalk.
                Part::Leaf => assert!((0.07..0.11).contains(&found.grown.ends[k][0])),
                Part::Wood(_) => assert!(off(&own, *p) < 0.017, "found {k} is {} off", off(&own, *p)),
            }
        }
        // As thick as it was, where it is measured at the foot.
        assert!((found.grown.thick[1] - 0.05).abs() < 0.006, "{}", found.grown.thick[1]);
        assert!(found.grown.up.iter().enumerate().skip(1).all(|(k, up)| (*up as usize) < k));
        // All is carried, and each leaf by itself alone.
        for (joints, shares) in found.skin.joints.iter().zip(&found.skin.shares) {
            assert!((shares.iter().sum::<f32>() - 1.0).abs() < 1e-5);
            assert!(joints.iter().all(|j| (*j as usize) < found.grown.points.len()));
        }
    }

    #[test]
    fn a_fork_that_is_one_surface_has_two_ways_up() {
        // A Y out of a strip of quads round: a tube whose upper rings part.
        let (mut mesh, n) = (Mesh::default(), 8usize);
        let ring = |mesh: &mut Mesh, middle: DVec3| -> Vec<u32> {
            (0..n)
                .map(|k| {
                    let (sin, cos) = libm::sincos(std::f64::consts::TAU * k as f64 / n as f64);
                    let p = middle + 0.05 * DVec3::new(cos, 0.0, sin);
                    mesh.positions.push(p.as_vec3().to_array());
                    mesh.positions.len() as u32 - 1
                })
                .collect()
        };
        let join = |mesh: &mut Mesh, a: &[u32], b: &[u32]| {
            for k in 0..a.len() {
                let l = (k + 1) % a.len();
                mesh.triangles.push([a[k], b[l], a[l]]);
                mesh.triangles.push([a[k], b[k], b[l]]);
            }
        };
        let rows: Vec<Vec<u32>> =
            (0..6).map(|k| ring(&mut mesh, DVec3::new(0.0, 0.1 * f64::from(k), 0.0))).collect();
        rows.windows(2).for_each(|w| join(&mut mesh, &w[0], &w[1]));
        // Each half of the top goes on as a tube of its own, closed across the middle.
        let top = rows[5].clone();
        for side in 0..2 {
            let half: Vec<u32> = (0..5).map(|k| top[(side * 4 + k + 6) % 8]).collect();
            let mut below = half.clone();
            let x = if side == 0 { 1.0 } else { -1.0 };
            for k in 1..5 {
                let middle = DVec3::new(x * 0.09 * f64::from(k), 0.5 + 0.1 * f64::from(k), 0.0);
                let above: Vec<u32> = (0..5)
                    .map(|j| {
                        let (sin, cos) = libm::sincos(
                            std::f64::consts::TAU * (j as f64 / 5.0) - std::f64::consts::FRAC_PI_2
                                + if side == 0 { 0.0 } else { std::f64::consts::PI },
                        );
                        mesh.positions.push((middle + 0.03 * DVec3::new(cos, 0.0, sin)).as_vec3().to_array());
                        mesh.positions.len() as u32 - 1
                    })
                    .collect();
                join(&mut mesh, &below, &above);
                below = above;
            }
        }
        let found = modelled(&mesh, 20, None).unwrap();
        let tips: Vec<DVec3> = (1..found.grown.points.len())
            .filter(|k| !found.grown.up.contains(&(*k as u32)))
            .map(|k| found.grown.points[k])
            .collect();
        assert_eq!(tips.len(), 2, "{tips:?}");
        assert!(tips.iter().any(|t| t.x > 0.3) && tips.iter().any(|t| t.x < -0.3), "{tips:?}");
        assert_eq!((found.found.parts, found.found.leaves), (1, 0));
    }

    #[test]
    fn bones_are_the_plant_where_a_mesh_has_them_but_for_those_of_leaves() {
        let own = species(true).grow(0, 1, 1.0);
        let skin = tubes(&own);
        let bones = Bones {
            bones: own
                .points
                .iter()
                .enumerate()
                .map(|(k, p)| Bone { at: *p, up: (k > 0).then_some(own.up[k]) })
                .collect(),
            // A segment is carried by the bone that it begins at.
            carried: skin
                .joints
                .iter()
                .zip(&skin.shares)
                .map(|(j, s)| (0..2).filter(|c| s[*c] > 0.0).map(|c| (own.up[j[c] as usize], s[c])).collect())
                .collect(),
        };
        let found = modelled(&skin.mesh, 10, Some(&bones)).unwrap();
        assert!(found.found.bones);
        assert_eq!(found.found.leaves, 20);
        let wood = own.parts.iter().filter(|p| **p != Part::Leaf).count();
        assert_eq!(found.grown.parts.iter().filter(|p| **p != Part::Leaf).count(), wood);
        for (k, p) in own.points.iter().enumerate().filter(|(k, _)| own.parts[*k] != Part::Leaf) {
            assert!(off(&found.grown, *p) < 5e-3, "{k} is {} off", off(&found.grown, *p));
        }
        assert!((found.grown.thick[1] - 0.048).abs() < 0.01, "{}", found.grown.thick[1]);
    }

    #[test]
    fn bones_at_one_place_are_one_point() {
        let own = species(false).grow(0, 1, 1.0);
        let skin = tubes(&own);
        // Each bone with another just where it is, that carries what it did.
        let n = own.points.len() as u32;
        let twice = (0..2 * n).map(|k| Bone {
            at: own.points[(k / 2) as usize],
            up: if k % 2 == 1 { Some(k - 1) } else { (k > 0).then(|| 2 * own.up[(k / 2) as usize] + 1) },
        });
        let carried = |(j, s): (&[u32; 4], &[f32; 4])| {
            (0..2).filter(|c| s[*c] > 0.0).map(|c| (2 * own.up[j[c] as usize] + 1, s[c])).collect()
        };
        let bones = Bones {
            bones: twice.collect(),
            carried: skin.joints.iter().zip(&skin.shares).map(carried).collect(),
        };
        let found = modelled(&skin.mesh, 10, Some(&bones)).unwrap();
        let g = &found.grown;
        let shortest = (1..g.points.len()).map(|k| g.points[k].distance(g.points[g.up[k] as usize]));
        assert!(shortest.fold(f64::INFINITY, f64::min) > 1e-3);
        assert!(g.up.iter().enumerate().skip(1).all(|(k, up)| (*up as usize) < k));
        assert!(found.skin.joints.iter().all(|all| all.iter().all(|j| *j > 0)));
    }

    #[test]
    fn what_is_no_plant_says_why() {
        assert_eq!(modelled(&Mesh::default(), 8, None), Err(NoPlant::NoFaces));
        let mut leaves = Mesh::default();
        for k in 0..30u32 {
            let (x, y) = (0.2 * (k % 6) as f32, 0.2 * (k / 6) as f32);
            leaves.positions.extend([[x, y, 0.0], [x + 0.1, y, 0.0], [x, y + 0.1, 0.0]]);
            leaves.triangles.push([3 * k, 3 * k + 1, 3 * k + 2]);
        }
        assert_eq!(modelled(&leaves, 8, None), Err(NoPlant::NoStem));
        let dot = Mesh { positions: vec![[1.0; 3]; 3], triangles: vec![[0, 1, 2]], ..Mesh::default() };
        assert_eq!(modelled(&dot, 8, None), Err(NoPlant::Flat));
    }
}
