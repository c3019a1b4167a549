//! Plants by numbers: a stem, branches of it level by level, leaves and heads. All plants of a species branch alike, and differ by how long their
//! parts are and which way they go.
use crate::fill::chance;
use glam::DVec3;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::f64::consts::{PI, TAU};

/// A species.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Species {
    #[schemars(title = "Stem")]
    pub stem: Stem,
    /// Those of the stem, then those of these.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[schemars(title = "Branches", length(max = 3))]
    pub branches: Vec<Branches>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Leaves")]
    pub leaves: Option<Leaves>,
    /// At the tips.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Heads")]
    pub heads: Option<Heads>,
    /// By how much of them lengths and angles differ.
    #[serde(default = "uneven")]
    #[schemars(title = "Uneven", range(min = 0, max = 0.9))]
    pub uneven: f64,
    /// Of the wood.
    #[serde(default = "density")]
    #[schemars(title = "Density", range(min = 1, max = 3000), extend("unit" = "kg/m³"))]
    pub density: f64,
    /// Young's modulus of the wood: a stem bends by it and by the fourth power of how thick it is.
    #[serde(default = "modulus")]
    #[schemars(title = "Modulus", range(min = 10_000, max = 1e11), extend("unit" = "Pa"))]
    pub modulus: f64,
    /// How long a bend resists its change: a frequency f dies away by π f times that.
    #[serde(default = "inner")]
    #[schemars(title = "Inner damping", range(min = 0, max = 1), extend("unit" = "s"))]
    pub inner: f64,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Stem {
    #[schemars(title = "Height", range(min = 0.01, max = 50), extend("unit" = "m"))]
    pub height: f64,
    /// At the root.
    #[schemars(title = "Diameter", range(min = 0.0001, max = 3), extend("unit" = "m"))]
    pub diameter: f64,
    /// How much thinner it is at its tip, as a share.
    #[schemars(title = "Taper", range(min = 0, max = 0.99))]
    pub taper: f64,
    /// How far it turns over, to a side of its own.
    #[serde(default)]
    #[schemars(title = "Bow", range(min = -6, max = 6), extend("unit" = "rad"))]
    pub bow: f64,
    #[schemars(title = "Segments", range(min = 1, max = 100), extend("seldom" = true))]
    pub segments: u32,
}

/// Branches of each branch of the level before.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Branches {
    #[schemars(title = "Count", range(min = 1, max = 60))]
    pub count: u32,
    /// Where along that the first one is, as a share, and the last one: each at the point of it that is nearest.
    #[schemars(title = "From", range(min = 0, max = 1))]
    pub from: f64,
    #[schemars(title = "To", range(min = 0, max = 1))]
    pub to: f64,
    /// From the way of what they come from.
    #[schemars(title = "Angle", range(min = 0, max = 3), extend("unit" = "rad"))]
    pub angle: f64,
    /// Round that, from each to the next: 2.4 is the golden angle, 3.14 two rows.
    #[schemars(title = "Round", range(min = 0, max = 6.3), extend("unit" = "rad"))]
    pub round: f64,
    /// Of what they come from.
    #[schemars(title = "Length", range(min = 0.01, max = 2))]
    pub length: f64,
    /// How much shorter the last one is than the first, as a share.
    #[serde(default)]
    #[schemars(title = "Shorter on top", range(min = 0, max = 0.95))]
    pub shorter: f64,
    /// Of what they come from there.
    #[schemars(title = "Thickness", range(min = 0.05, max = 1))]
    pub thickness: f64,
    /// How far they turn upward on their way.
    #[serde(default)]
    #[schemars(title = "Upward", range(min = -3, max = 3), extend("unit" = "rad"))]
    pub upward: f64,
    #[schemars(title = "Segments", range(min = 1, max = 40), extend("seldom" = true))]
    pub segments: u32,
}

/// Thin plates on stalks that bend.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Leaves {
    /// On each branch of that level.
    #[schemars(title = "Count", range(min = 1, max = 60))]
    pub count: u32,
    /// The level that they stand on: 0 is the stem.
    #[schemars(title = "On level", range(min = 0, max = 3))]
    pub on: u32,
    #[schemars(title = "From", range(min = 0, max = 1))]
    pub from: f64,
    #[schemars(title = "To", range(min = 0, max = 1))]
    pub to: f64,
    #[schemars(title = "Angle", range(min = 0, max = 3), extend("unit" = "rad"))]
    pub angle: f64,
    #[schemars(title = "Round", range(min = 0, max = 6.3), extend("unit" = "rad"))]
    pub round: f64,
    #[schemars(title = "Length", range(min = 0.001, max = 5), extend("unit" = "m"))]
    pub length: f64,
    #[schemars(title = "Width", range(min = 0.001, max = 5), extend("unit" = "m"))]
    pub width: f64,
    #[serde(default)]
    #[schemars(title = "Stalk", range(min = 0, max = 2), extend("unit" = "m"))]
    pub stalk: f64,
    #[serde(default = "leaf_weight")]
    #[schemars(title = "Weight", range(min = 0.005, max = 5), extend("unit" = "kg/m²"))]
    pub weight: f64,
    /// How fast one swings on its stalk in still air, which says how stiff that is.
    #[schemars(title = "Swing", range(min = 0.2, max = 60), extend("unit" = "Hz"))]
    pub swing: f64,
    /// Normal force of the plate, head on and per radian.
    #[serde(default = "leaf_drag")]
    #[schemars(title = "Drag", range(min = 0, max = 10))]
    pub drag: f64,
}

/// Balls at tips: ears, flowers, fruit.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Heads {
    /// The level at whose tips they are: 0 is the stem.
    #[schemars(title = "On level", range(min = 0, max = 3))]
    pub on: u32,
    #[schemars(title = "Diameter", range(min = 0.0005, max = 2), extend("unit" = "m"))]
    pub diameter: f64,
    #[schemars(title = "Weight", range(min = 0.000_001, max = 50), extend("unit" = "kg"))]
    pub weight: f64,
}

fn uneven() -> f64 {
    0.15
}
fn density() -> f64 {
    700.0
}
fn modulus() -> f64 {
    2e9
}
fn inner() -> f64 {
    0.01
}
fn leaf_weight() -> f64 {
    0.2
}
fn leaf_drag() -> f64 {
    1.28
}

/// What a segment of a plant is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Part {
    /// Of the stem, or of a branch of that level.
    Wood(u32),
    /// A leaf on its stalk.
    Leaf,
}

/// A plant as it grew, about its root and upward: segments by the point that they lead to.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Grown {
    pub points: Vec<DVec3>,
    /// The point before each.
    pub up: Vec<u32>,
    /// How thick, metres.
    pub thick: Vec<f64>,
    pub parts: Vec<Part>,
    /// What stands there: a leaf, as long and as wide as that; a head where it has no width, as thick; nothing where it has neither. Metres.
    pub ends: Vec<[f64; 2]>,
    /// Points that have a head.
    pub heads: Vec<u32>,
}

/// A stem or a branch while it grows.
struct Shoot {
    nodes: Vec<u32>,
    /// Its way at each node.
    ways: Vec<DVec3>,
    side: DVec3,
    length: f64,
    thick: Vec<f64>,
}

/// How thick the stalk of a leaf is, of its width.
pub(super) const STALK: f64 = 0.04;
/// Numbers of one part, each by a seed of its own.
const DICE: u64 = 4;

impl Species {
    /// How many points each of its plants has.
    pub fn points(&self) -> usize {
        let (mut shoots, mut points) = (1usize, 1 + self.stem.segments as usize);
        let mut leaves = 0;
        for level in 0..=self.branches.len() {
            if level > 0 {
                let b = &self.branches[level - 1];
                shoots = shoots.saturating_mul(b.count as usize);
                points = points.saturating_add(shoots.saturating_mul(b.segments as usize));
            }
            if let Some(l) = self.leaves.as_ref().filter(|l| l.on as usize == level) {
                leaves = shoots.saturating_mul(l.count as usize);
            }
        }
        points.saturating_add(leaves)
    }

    /// How many leaves.
    pub fn leaf_count(&self) -> usize {
        let Some(l) = &self.leaves else { return 0 };
        let on = self.branches.iter().take(l.on as usize);
        on.map(|b| b.count as usize).product::<usize>() * l.count as usize
    }

    /// The k-th plant by a seed, `size` times as large.
    pub fn grow(&self, k: usize, seed: u32, size: f64) -> Grown {
        let mut out = Grown::default();
        out.add(DVec3::ZERO, 0, self.stem.diameter * size, Part::Wood(0));
        let mut rolled = 0u64;
        let mut roll = || {
            rolled += 1;
            chance(seed, (1 << 42) + ((k as u64) << 20) + DICE * rolled)
        };
        let vary = |chance: f64| 1.0 + self.uneven * (2.0 * chance - 1.0);
        let round = TAU * roll();
        let (sin, cos) = libm::sincos(round);
        let side = DVec3::new(cos, 0.0, sin);
        let s = &self.stem;
        let base = s.diameter * size;
        let length = s.height * size * vary(roll());
        let stem = (DVec3::Y, side, s.bow * vary(roll()));
        let mut level =
            vec![out.shoot(0, stem, length, (base, base * (1.0 - s.taper), s.segments), Part::Wood(0))];
        for number in 0..=self.branches.len() {
            if number > 0 {
                let b = &self.branches[number - 1];
                let mut next = vec![];
                for from in &level {
                    let turned = TAU * roll();
                    for i in 0..b.count {
                        let share = (f64::from(i) + 0.5) / f64::from(b.count);
                        let (node, way, aside) = off(
                            from,
                            b.from + (b.to - b.from) * share,
                            b.angle * vary(roll()),
                            turned + f64::from(i) * b.round + self.uneven * PI * (roll() - 0.5),
                        );
                        let length = from.length * b.length * (1.0 - b.shorter * share) * vary(roll());
                        let thick = from.thick[node] * b.thickness;
                        let up = DVec3::Y.reject_from_normalized(way).normalize_or(aside);
                        let sizes = (thick, thick * (1.0 - s.taper), b.segments);
                        next.push(out.shoot(
                            from.nodes[node],
                            (way, up, b.upward),
                            length,
                            sizes,
                            Part::Wood(number as u32),
                        ));
                    }
                }
                level = next;
            }
            if let Some(l) = self.leaves.as_ref().filter(|l| l.on as usize == number) {
                for from in &level {
                    let turned = TAU * roll();
                    for i in 0..l.count {
                        let share = (f64::from(i) + 0.5) / f64::from(l.count);
                        let (node, way, _) = off(
                            from,
                            l.from + (l.to - l.from) * share,
                            l.angle * vary(roll()),
                            turned + f64::from(i) * l.round + self.uneven * PI * (roll() - 0.5),
                        );
                        let at = out.points[from.nodes[node] as usize];
                        let long = size * (l.stalk + 0.5 * l.length);
                        let leaf =
                            out.add(at + long * way, from.nodes[node], size * STALK * l.width, Part::Leaf);
                        out.ends[leaf as usize] = [size * l.length, size * l.width];
                    }
                }
            }
            if let Some(h) = self.heads.as_ref().filter(|h| h.on as usize == number) {
                for tip in level.iter().filter_map(|s| s.nodes.last()) {
                    out.heads.push(*tip);
                    out.ends[*tip as usize] = [size * h.diameter, 0.0];
                }
            }
        }
        out
    }
}

/// A plant from the side: right and up from its root, metres.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Silhouette {
    /// Segments of wood: both ends, and how thick.
    pub wood: Vec<[f64; 5]>,
    /// Leaves: both ends, and how wide.
    pub leaves: Vec<[f64; 5]>,
    /// Heads: their middles, and how thick.
    pub heads: Vec<[f64; 3]>,
    /// How high and how wide it is, m; how much one weighs, kg; how many points it has; how often it sways to and fro in a second.
    pub height: f64,
    pub width: f64,
    pub mass: f64,
    pub points: usize,
    pub sway: f64,
}

impl Species {
    /// One of the mean size.
    pub fn silhouette(&self, seed: u32) -> Silhouette {
        let leaf = self.leaves.as_ref().map_or(0.0, |l| l.weight);
        let head = self.heads.as_ref().map_or(0.0, |h| h.weight);
        silhouette_of(&self.grow(0, seed, 1.0), (self.density, self.modulus), (leaf, head))
    }
}

/// One plant from the side, by the density (kg/m³) and the modulus (Pa) of its wood, and what leaves (kg/m²) and heads (kg) weigh.
pub fn silhouette_of(g: &Grown, (density, modulus): (f64, f64), (leaf, head): (f64, f64)) -> Silhouette {
    let mut out = Silhouette {
        wood: vec![],
        leaves: vec![],
        heads: vec![],
        height: 0.0,
        width: 0.0,
        mass: 0.0,
        points: g.points.len(),
        sway: 0.0,
    };
    let mut mass = vec![0.0; g.points.len()];
    for k in 1..g.points.len() {
        let (a, b) = (g.points[g.up[k] as usize], g.points[k]);
        let wood = density * 0.25 * PI * g.thick[k].powi(2) * a.distance(b);
        mass[k] += 0.5 * wood;
        mass[g.up[k] as usize] += 0.5 * wood;
        if g.parts[k] == Part::Leaf {
            let [long, broad] = g.ends[k];
            mass[k] += 0.25 * PI * long * broad * leaf;
            let tip = b + 0.5 * long * (b - a).normalize_or(DVec3::Y);
            out.leaves.push([a.x, a.y, tip.x, tip.y, broad]);
        } else {
            out.wood.push([a.x, a.y, b.x, b.y, g.thick[k]]);
        }
    }
    for k in &g.heads {
        mass[*k as usize] += head;
        let p = g.points[*k as usize];
        out.heads.push([p.x, p.y, g.ends[*k as usize][0]]);
    }
    let xs = g.points.iter().map(|p| p.x.abs());
    out.width = 2.0 * xs.fold(0.0, f64::max);
    out.height = g.points.iter().map(|p| p.y).fold(0.0, f64::max);
    out.mass = mass.iter().sum();
    out.sway = sways(g, modulus, &mass);
    out
}

/// How often it sways in a second: by Rayleigh's quotient, with the shape that a pull aside by as much as its weight would give it where that is little.
fn sways(g: &Grown, modulus: f64, mass: &[f64]) -> f64 {
    let n = g.points.len();
    // Of what comes after a point: its mass, and that times its height.
    let mut sums = vec![(0.0, 0.0); n];
    for k in (1..n).rev() {
        sums[k].0 += mass[k];
        sums[k].1 += mass[k] * g.points[k].y;
        let (m, y) = sums[k];
        let up = &mut sums[g.up[k] as usize];
        *up = (up.0 + m, up.1 + y);
    }
    let (mut turn, mut aside) = (vec![0.0; n], vec![0.0; n]);
    let (mut over, mut under) = (0.0, 0.0);
    for k in 1..n {
        let up = g.up[k] as usize;
        let long = g.points[k].distance(g.points[up]);
        // A leaf goes along with its stem.
        let bend = match g.parts[k] {
            Part::Leaf => f64::INFINITY,
            Part::Wood(_) => modulus * PI * g.thick[k].powi(4) / 64.0,
        };
        let moment = G * (sums[k].1 - sums[k].0 * (0.5 * (g.points[k].y + g.points[up].y)));
        turn[k] = turn[up] + moment * long / bend;
        aside[k] = aside[up] + 0.5 * (turn[up] + turn[k]) * (g.points[k].y - g.points[up].y);
        over += mass[k] * aside[k];
        under += mass[k] * aside[k] * aside[k];
    }
    (G * over / under.max(1e-30)).sqrt() / TAU
}

/// m/s².
const G: f64 = 9.81;

/// Where along a shoot something comes off it, and which way: by an angle from its way, turned round it.
fn off(from: &Shoot, share: f64, angle: f64, round: f64) -> (usize, DVec3, DVec3) {
    let last = from.nodes.len() - 1;
    let node = ((share * last as f64).round() as usize).clamp(1, last);
    let way = from.ways[node];
    let a = from.side.reject_from_normalized(way).normalize_or(way.any_orthonormal_vector());
    let (sin, cos) = libm::sincos(round);
    let aside = cos * a + sin * way.cross(a);
    let (sin, cos) = libm::sincos(angle);
    (node, cos * way + sin * aside, aside)
}

impl Grown {
    /// The same so many times as large.
    #[must_use]
    pub fn larger(&self, size: f64) -> Grown {
        let mut out = self.clone();
        out.points.iter_mut().for_each(|p| *p *= size);
        out.thick.iter_mut().for_each(|t| *t *= size);
        out.ends.iter_mut().flatten().for_each(|e| *e *= size);
        out
    }

    fn add(&mut self, at: DVec3, up: u32, thick: f64, part: Part) -> u32 {
        self.points.push(at);
        self.up.push(up);
        self.thick.push(thick);
        self.parts.push(part);
        self.ends.push([0.0; 2]);
        self.points.len() as u32 - 1
    }

    /// Grows from a point its way, turning over to a side.
    fn shoot(
        &mut self,
        from: u32,
        (way, side, bow): (DVec3, DVec3, f64),
        length: f64,
        (base, tip, segments): (f64, f64, u32),
        part: Part,
    ) -> Shoot {
        let side = side.reject_from_normalized(way).normalize_or(way.any_orthonormal_vector());
        let mut out =
            Shoot { nodes: vec![from], ways: vec![way], side: way.cross(side), length, thick: vec![base] };
        let mut at = self.points[from as usize];
        let mut last = from;
        for j in 0..segments {
            let s = (f64::from(j) + 0.5) / f64::from(segments);
            let (sin, cos) = libm::sincos(bow * s);
            let ahead = cos * way + sin * side;
            at += length / f64::from(segments) * ahead;
            let thick = base + (tip - base) * s;
            last = self.add(at, last, thick, part);
            out.nodes.push(last);
            out.ways.push(ahead);
            out.thick.push(base + (tip - base) * (s + 0.5 / f64::from(segments)));
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn bush() -> Species {
        Species {
            stem: Stem { height: 1.0, diameter: 0.02, taper: 0.5, bow: 0.2, segments: 6 },
            branches: vec![
                Branches {
                    count: 5,
                    from: 0.3,
                    to: 1.0,
                    angle: 0.9,
                    round: 2.4,
                    length: 0.5,
                    shorter: 0.5,
                    thickness: 0.6,
                    upward: 0.4,
                    segments: 4,
                },
                Branches {
                    count: 3,
                    from: 0.4,
                    to: 1.0,
                    angle: 0.7,
                    round: PI,
                    length: 0.4,
                    shorter: 0.0,
                    thickness: 0.7,
                    upward: 0.0,
                    segments: 2,
                },
            ],
            leaves: Some(Leaves {
                count: 4,
                on: 2,
                from: 0.3,
                to: 1.0,
                angle: 1.0,
                round: 2.4,
                length: 0.06,
                width: 0.03,
                stalk: 0.02,
                weight: 0.2,
                swing: 4.0,
                drag: 1.28,
            }),
            heads: Some(Heads { on: 1, diameter: 0.03, weight: 0.004 }),
            uneven: 0.2,
            density: 700.0,
            modulus: 2e9,
            inner: 0.01,
        }
    }

    #[test]
    fn plants_of_a_species_branch_alike_and_no_two_are_the_same() {
        let s = bush();
        let (a, b) = (s.grow(0, 7, 1.0), s.grow(1, 7, 1.0));
        assert_eq!(a.points.len(), s.points());
        assert_eq!(
            (a.up.clone(), a.parts.clone(), a.heads.clone()),
            (b.up.clone(), b.parts.clone(), b.heads.clone())
        );
        assert!(a.points.iter().zip(&b.points).skip(1).all(|(p, q)| p.distance(*q) > 1e-4));
        assert_eq!(s.grow(1, 7, 1.0), b);
        assert_ne!(s.grow(1, 8, 1.0), b);
        assert_eq!(a.parts.iter().filter(|p| **p == Part::Leaf).count(), s.leaf_count());
        assert_eq!((s.leaf_count(), a.heads.len()), (60, 5));
        // Each comes after one that is there.
        assert!(a.up.iter().enumerate().skip(1).all(|(k, up)| (*up as usize) < k));
    }

    #[test]
    fn it_is_as_long_and_as_thick_as_it_says_and_twice_as_large_is_twice_as_large() {
        let s = Species { uneven: 0.0, ..bush() };
        let one = s.grow(3, 1, 1.0);
        let long = |g: &Grown, part: Part| -> f64 {
            let of = (1..g.points.len()).filter(|k| g.parts[*k] == part);
            of.map(|k| g.points[k].distance(g.points[g.up[k] as usize])).sum()
        };
        assert!((long(&one, Part::Wood(0)) - 1.0).abs() < 1e-9);
        // Five branches of half of it, the last shorter by half of what the shares say.
        let want: f64 = (0..5).map(|i| 0.5 * (1.0 - 0.5 * (f64::from(i) + 0.5) / 5.0)).sum();
        assert!((long(&one, Part::Wood(1)) - want).abs() < 1e-9);
        let two = s.grow(3, 1, 2.0);
        assert!(one.points.iter().zip(&two.points).all(|(a, b)| (2.0 * *a).distance(*b) < 1e-9));
        assert!(one.thick.iter().zip(&two.thick).all(|(a, b)| (2.0 * a - b).abs() < 1e-12));
    }
}
