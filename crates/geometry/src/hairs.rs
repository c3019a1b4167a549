//! Hairs between strands: each a blend of the few that grow about it, drawn to one of them, wound and strayed.
//!
//! The page draws them by the same rule (`web/src/viewport/hair-layer.ts`); what changes here changes there.
use glam::{DQuat, DVec3};
use std::collections::HashMap;
use std::f64::consts::TAU;

/// Of which strands a hair is, and what is its own.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Hair {
    /// The nearest first.
    pub strands: [u32; 3],
    /// 1 together.
    pub shares: [f32; 3],
    /// Where its root is beside theirs, metres, in the world at rest.
    pub off: [f32; 3],
    /// Four numbers from 0 to 1.
    pub dice: [f32; 4],
}

/// What all hairs of a body have in common.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct HairLook {
    pub clump: f64,
    pub shorter: f64,
    pub stray: f64,
    pub windings: f64,
    pub winding_radius: f64,
}

/// Strands of as many points each: where all are at rest and now.
#[derive(Clone, Copy)]
pub struct Bundle<'a> {
    pub points: usize,
    pub rest: &'a [[f32; 3]],
    pub now: &'a [[f32; 3]],
}

/// Winds and strays wholly from this share of its length on.
const SOON: f64 = 0.25;
/// Waves of what strays, along a hair.
const WAVES: [f64; 2] = [1.7, 3.1];

impl Hair {
    /// Its points, from its root on: as many as a strand has.
    pub fn points(&self, of: &Bundle, look: &HairLook, out: &mut Vec<[f32; 3]>) {
        let n = of.points;
        let at = |all: &[[f32; 3]], s: u32, k: usize| DVec3::from(all[s as usize * n + k].map(f64::from));
        let way = |all: &[[f32; 3]]| {
            (at(all, self.strands[0], 1) - at(all, self.strands[0], 0)).normalize_or(DVec3::Y)
        };
        // The root goes along with the first segment of the strand beside.
        let turn = DQuat::from_rotation_arc(way(of.rest), way(of.now));
        let off = turn * DVec3::from(self.off.map(f64::from));
        let dice = self.dice.map(f64::from);
        let long = 1.0 - look.shorter * dice[0];
        for k in 0..n {
            let s = k as f64 / (n - 1) as f64;
            let along = s * (n - 1) as f64 * long;
            let from = (along as usize).min(n - 2);
            let t = along - from as f64;
            let mut p = off;
            let mut ahead = DVec3::ZERO;
            let mut beside = DVec3::ZERO;
            for (number, (strand, share)) in self.strands.iter().zip(self.shares).enumerate() {
                let (a, b) = (at(of.now, *strand, from), at(of.now, *strand, from + 1));
                let on = a.lerp(b, t);
                p += f64::from(share) * on;
                ahead += f64::from(share) * (b - a);
                if number == 0 {
                    beside = on;
                }
            }
            p = p.lerp(beside, look.clump * s * s * (3.0 - 2.0 * s));
            let ahead = ahead.normalize_or(DVec3::Y);
            let side = (turn * DVec3::new(0.36, 0.48, 0.8)).reject_from_normalized(ahead);
            let side = side.normalize_or(ahead.any_orthonormal_vector());
            let across = ahead.cross(side);
            let grown = (s / SOON).min(1.0);
            let (sin, cos) = libm::sincos(TAU * (look.windings * s + dice[1]));
            let wound = look.winding_radius * grown * if look.windings > 0.0 { 1.0 } else { 0.0 };
            let wave =
                |k: usize| libm::sin(TAU * (WAVES[k] * s + dice[2 + k])) - libm::sin(TAU * dice[2 + k]);
            let stray = 0.5 * look.stray * s;
            p += side * (wound * cos + stray * wave(0)) + across * (wound * sin + stray * wave(1));
            out.push(p.as_vec3().to_array());
        }
    }
}

/// A place that a hair or a strand grows from, and the way that it goes.
#[derive(Clone, Copy, Debug)]
pub struct Near {
    pub at: DVec3,
    pub way: DVec3,
}

/// Of which strands hairs are that grow from some places: the nearest three, but for those that go apart from the nearest by more than
/// the parting (radians). Shares fall to nothing where another strand takes one's place (R. Franke, "Scattered Data Interpolation: Tests of
/// Some Methods", 1982, modified Shepard's weights).
pub fn between(
    strands: &[Near],
    places: &[DVec3],
    parting: f64,
    dice: impl Fn(usize) -> [f32; 4],
) -> Vec<Hair> {
    let grid = Grid::of(strands);
    let cos = libm::cos(parting.min(std::f64::consts::PI));
    let one = |(number, place): (usize, &DVec3)| {
        let mut near = grid.nearest(strands, *place, 4);
        let first = near.first()?.1;
        near.retain(|(_, k)| *k == first || strands[*k].way.dot(strands[first].way) >= cos);
        let reach = near.get(3).map_or_else(|| 1.5 * near.last().map_or(0.0, |n| n.0), |n| n.0).max(1e-12);
        near.truncate(3);
        let weigh = |far: f64| {
            let far = far.max(1e-6 * reach);
            (((reach - far).max(0.0) / (reach * far)).powi(2)).max(1e-12 / reach.powi(2))
        };
        let sum: f64 = near.iter().map(|n| weigh(n.0)).sum();
        let mut hair =
            Hair { strands: [first as u32; 3], shares: [0.0; 3], off: [0.0; 3], dice: dice(number) };
        let mut at = DVec3::ZERO;
        for (slot, (far, k)) in near.iter().enumerate() {
            let share = weigh(*far) / sum;
            hair.strands[slot] = *k as u32;
            hair.shares[slot] = share as f32;
            at += f64::from(share as f32) * strands[*k].at;
        }
        hair.off = (*place - at).as_vec3().to_array();
        Some(hair)
    };
    places.iter().enumerate().filter_map(one).collect()
}

/// Cells of roots, about as many in each.
struct Grid {
    side: f64,
    cells: HashMap<[i64; 3], Vec<u32>>,
    most: i64,
}

impl Grid {
    fn of(all: &[Near]) -> Grid {
        let low = all.iter().fold(DVec3::INFINITY, |l, p| l.min(p.at));
        let high = all.iter().fold(DVec3::NEG_INFINITY, |h, p| h.max(p.at));
        let size = if all.is_empty() { 1.0 } else { (high - low).max_element().max(1e-9) };
        // As if they lay on a square.
        let side = size / (all.len() as f64).sqrt().max(1.0);
        let mut cells: HashMap<[i64; 3], Vec<u32>> = HashMap::new();
        for (k, p) in all.iter().enumerate() {
            cells.entry(Grid::cell(side, p.at)).or_default().push(k as u32);
        }
        Grid { side, cells, most: (size / side) as i64 + 2 }
    }

    fn cell(side: f64, p: DVec3) -> [i64; 3] {
        (p / side).floor().to_array().map(|c| c as i64)
    }

    /// How far away the nearest few are, and which, the nearest first.
    fn nearest(&self, all: &[Near], p: DVec3, count: usize) -> Vec<(f64, usize)> {
        let [x, y, z] = Grid::cell(self.side, p);
        let mut found: Vec<(f64, usize)> = vec![];
        for ring in 0..=self.most {
            // What lies in the next ring is at least so far away.
            if found.len() >= count && found[count - 1].0 <= (ring - 1).max(0) as f64 * self.side {
                break;
            }
            let span = -ring..=ring;
            for (i, j) in span.clone().flat_map(|i| span.clone().map(move |j| (i, j))) {
                let inside = i.abs() < ring && j.abs() < ring;
                let ks: Vec<i64> = if inside { vec![-ring, ring] } else { span.clone().collect() };
                for cell in ks.into_iter().filter_map(|k| self.cells.get(&[x + i, y + j, z + k])) {
                    found.extend(cell.iter().map(|k| (p.distance(all[*k as usize].at), *k as usize)));
                }
            }
            found.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
            found.truncate(count.max(1));
        }
        if found.is_empty() && !all.is_empty() {
            // Far from all of them.
            let far = |k: usize| (p.distance(all[k].at), k);
            found = (0..all.len()).map(far).collect();
            found.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
            found.truncate(count);
        }
        found
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn row() -> Vec<Near> {
        let at = |k: usize| DVec3::new((k % 10) as f64 * 0.01, 0.0, (k / 10) as f64 * 0.01);
        (0..100).map(|k| Near { at: at(k), way: DVec3::Y }).collect()
    }

    /// Upright strands of three points.
    fn upright(all: &[Near]) -> Vec<[f32; 3]> {
        let each = all.iter().flat_map(|n| (0..3).map(move |k| n.at + n.way * (0.05 * f64::from(k))));
        each.map(|p| p.as_vec3().to_array()).collect()
    }

    #[test]
    fn a_hair_grows_where_it_is_said_and_as_those_about_it() {
        let all = row();
        let rest = upright(&all);
        let places =
            [DVec3::new(0.043, 0.001, 0.027), DVec3::new(0.09, 0.0, 0.09), DVec3::new(0.3, 0.0, 0.0)];
        let hairs = between(&all, &places, 1.0, |_| [0.5; 4]);
        assert_eq!(hairs.len(), 3);
        let of = Bundle { points: 3, rest: &rest, now: &rest };
        for (hair, place) in hairs.iter().zip(places) {
            assert!((hair.shares.iter().sum::<f32>() - 1.0).abs() < 1e-5);
            let mut out = vec![];
            hair.points(&of, &HairLook::default(), &mut out);
            let p: Vec<DVec3> = out.iter().map(|p| DVec3::from(p.map(f64::from))).collect();
            assert!(p[0].distance(place) < 1e-6, "{} for {place}", p[0]);
            assert!(p[2].distance(place + DVec3::Y * 0.1) < 1e-6);
        }
        // On a strand's own root it is that strand.
        assert!(hairs[1].shares[0] > 0.999);
        // Turned with them, it is turned with them.
        let turn = DQuat::from_rotation_x(0.8);
        let now: Vec<[f32; 3]> =
            rest.iter().map(|p| (turn * DVec3::from(p.map(f64::from))).as_vec3().to_array()).collect();
        let mut out = vec![];
        let look = HairLook { clump: 0.3, stray: 0.004, windings: 2.0, winding_radius: 0.002, shorter: 0.2 };
        hairs[0].points(&Bundle { now: &now, ..of }, &look, &mut out);
        let mut still = vec![];
        hairs[0].points(&of, &look, &mut still);
        for (a, b) in out.iter().zip(&still) {
            let b = turn * DVec3::from(b.map(f64::from));
            assert!(DVec3::from(a.map(f64::from)).distance(b) < 2e-6);
        }
        // Drawn together wholly, its tip is that of the strand beside.
        let mut out = vec![];
        hairs[0].points(&of, &HairLook { clump: 1.0, ..HairLook::default() }, &mut out);
        let tip = DVec3::from(rest[3 * hairs[0].strands[0] as usize + 2].map(f64::from));
        assert!(DVec3::from(out[2].map(f64::from)).distance(tip) < 1e-6);
    }

    #[test]
    fn shares_change_without_a_jump_and_none_cross_a_parting() {
        let mut all = row();
        let near = |x: f64, all: &[Near], parting: f64| {
            let places = [DVec3::new(x, 0.0, 0.0432)];
            between(all, &places, parting, |_| [0.0; 4])[0]
        };
        let rest = upright(&all);
        let tip = |h: &Hair| {
            let mut out = vec![];
            h.points(&Bundle { points: 3, rest: &rest, now: &rest }, &HairLook::default(), &mut out);
            out[2]
        };
        let mut before = tip(&near(0.02, &all, 1.0));
        for k in 1..400 {
            let now = tip(&near(0.02 + 1e-4 * f64::from(k), &all, 1.0));
            assert!((now[0] - before[0]).abs() < 2e-4, "at {k}: {now:?} after {before:?}");
            before = now;
        }
        // Those on the one side lean one way, those on the other the other.
        for n in &mut all {
            n.way = DVec3::new(if n.at.x < 0.045 { -1.0 } else { 1.0 }, 0.5, 0.0).normalize();
        }
        for x in [0.041, 0.044, 0.046, 0.049] {
            let h = near(x, &all, 1.0);
            let side = |s: u32| all[s as usize].at.x < 0.045;
            let own = h.strands.iter().zip(h.shares).filter(|(_, w)| *w > 0.0);
            assert!(own.clone().all(|(s, _)| side(*s) == side(h.strands[0])), "{x}: {h:?}");
            assert!(
                near(x, &all, 3.0).strands.iter().any(|s| side(*s) != side(h.strands[0])) || own.count() == 3
            );
        }
    }
}
