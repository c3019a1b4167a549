//! What a search didn't predict: points that left the ways they were predicted to go, and triangles that turned out
//! of their normals' boxes. There are few, so what they may meet is looked for about them alone, and added to the
//! lists of the search; all other pairs are as they were.
use super::pairs::FOUND;
use super::renew::{Room, expected, moving, strayed_by};
use super::search::Duo;
use super::surface::EIGHT;
use super::touch::{Between, Contact};
use crate::simd::Record;
use crate::state::State;

/// Tiles that may be mended between two searches: one in so many, and so many at least. Beyond, all is searched
/// anew.
const ONE_IN: usize = 8;
const FEW: usize = 8;

/// What of a surface left its predicted ways.
struct Astray {
    strayed: Vec<u32>,
    /// Triangles that may turn any way from now on.
    loose: Vec<u32>,
    /// For each point, whether pairs with it are to be looked for.
    points: Vec<bool>,
    /// Tiles that have a feature of such a point.
    tiles: Vec<u32>,
}

impl Contact {
    /// Finds what is astray where contact left it, and what it may meet. False where there is too much of it.
    pub(super) fn mend(&mut self, states: &[State]) -> bool {
        let all: Vec<Astray> = (0..self.surfaces.len()).map(|k| self.astray(k, states)).collect();
        for (k, a) in all.iter().enumerate() {
            self.mended[k] += a.tiles.len();
            if self.mended[k] > FEW.max(self.surfaces[k].tiles.len() / ONE_IN) {
                return false;
            }
        }
        for (k, a) in all.iter().enumerate() {
            self.rethink(k, a, states);
        }
        let span = [self.since as f32, self.ahead as f32];
        for k in 0..self.between.len() {
            let b = &self.between[k];
            if [b.a, b.b].iter().all(|s| all[*s].tiles.is_empty()) {
                continue;
            }
            let tiles = self.met(&self.between[k], &all);
            let sides = self.between[k].sides();
            let wanted =
                |f: &[u32; 4], list: usize| (0..4).any(|i| all[sides[list][i]].points[f[i] as usize]);
            let pairs = self.pairs(k, &tiles, &wanted, span);
            // What was known of a pair that is astray is found again, and must not stand there twice.
            let b = &mut self.between[k];
            for (i, new) in pairs.into_iter().enumerate() {
                let astray = |f: &[u32; 4]| wanted(f, i);
                b.lists[i].drop_where(astray);
                b.added[i].retain(|p| !astray(&p.index));
                b.added[i].extend(new);
                b.lists[FOUND + i].fill(&b.added[i]);
            }
        }
        true
    }

    fn astray(&self, k: usize, states: &[State]) -> Astray {
        let steps = (self.since + 1) as f32;
        let (now, surface) = (moving(states, &self.skins)[k].now, &self.surfaces[k]);
        let off = |i: usize| strayed_by(&now[i], &self.base[k][i], &self.ways[k][i], steps);
        let strayed: Vec<u32> = (0..surface.points)
            .filter(|&i| self.ways[k][i].0[3] >= 0.0 && off(i) > self.ways[k][i].0[3])
            .map(|i| i as u32)
            .collect();
        let mut loose = vec![];
        if self.meets_itself(k) {
            surface.turned(now, &self.boxes[k], &mut loose);
        }
        let mut points = vec![false; surface.points];
        let corners = loose.iter().flat_map(|&t| surface.triangles[t as usize]);
        let about: Vec<u32> = strayed.iter().copied().chain(corners).collect();
        about.iter().for_each(|&p| points[p as usize] = true);
        loose.extend(strayed.iter().flat_map(|&p| surface.beside(p)));
        let mut tiles: Vec<u32> =
            about.iter().flat_map(|&p| surface.beside(p)).map(|t| t / EIGHT as u32).collect();
        tiles.sort_unstable();
        tiles.dedup();
        Astray { strayed, loose, points, tiles }
    }

    /// Where strayed points are predicted to go now.
    fn rethink(&mut self, k: usize, astray: &Astray, states: &[State]) {
        let moving = moving(states, &self.skins)[k];
        let (since, left) = (self.since as f32, (self.ahead - self.since) as f32);
        let gap = self.gap();
        for &p in &astray.strayed {
            let i = p as usize;
            let off = strayed_by(&moving.now[i], &self.base[k][i], &self.ways[k][i], since + 1.0);
            let unrest = self.unrest[k][i].max(off);
            let way = expected(moving, i, Room { gap, times: left, unrest }, true);
            let start = moving.start[i];
            // As if it had always gone that way.
            self.base[k][i] = Record(std::array::from_fn(|c| (-since).mul_add(way.0[c], start.0[c])));
            self.unrest[k][i] = unrest;
            self.ways[k][i] = way;
        }
        let mut boxes = std::mem::take(&mut self.boxes[k]);
        boxes.refit(&self.surfaces[k], self.ways_of(k), &astray.tiles, &astray.loose);
        self.boxes[k] = boxes;
    }

    /// All pairs of tiles of which one is astray, each once.
    fn met(&self, b: &Between, all: &[Astray]) -> Vec<Duo> {
        let meeting = self.meeting(b);
        let known = |k: usize, t: u32| all[k].tiles.binary_search(&t).is_ok();
        let mut out = vec![];
        let mut near = vec![];
        for &t in &all[b.a].tiles {
            near.clear();
            meeting.about(t, false, &mut near);
            // In one surface the pair of two that are astray comes from the lower one.
            let twice = |d: &Duo| meeting.own && d.nodes[0] < t && known(b.a, d.nodes[0]);
            out.extend(near.iter().filter(|d| !twice(d)));
        }
        if !meeting.own {
            for &t in &all[b.b].tiles {
                near.clear();
                meeting.about(t, true, &mut near);
                out.extend(near.iter().filter(|d| !known(b.a, d.nodes[0])));
            }
        }
        out
    }
}
