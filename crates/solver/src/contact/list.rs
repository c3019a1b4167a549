//! From tiles that may come near to the pairs of their features that can, by their true distance and by how fast
//! they close it.
use super::pairs::{FOUND, KINDS, Kind, Pair, near};
use super::search::{Duo, Found};
use super::snug::AT_REST;
use super::touch::Contact;
use crate::simd::{F8, Record, V8, load};
use rayon::prelude::*;

/// Pairs of tiles that one thread takes at least.
const SHARE: usize = 64;

/// What lies nearer than so many gaps is close.
const CLOSE: f32 = 1.1;

/// What pairs of one kind are told by.
struct Sift<'a> {
    contact: &'a Contact,
    between: usize,
    kind: Kind,
    /// The surface of each point.
    sides: [usize; 4],
    /// Sub-steps of the search in which they may meet.
    span: [f32; 2],
    /// Where the points are at rest, if some features are within the gap there.
    rest: Option<&'a [Record]>,
    mapped: bool,
}

impl Contact {
    /// The pairs of features of these tiles, but for those not `wanted`, that can come within the gap between two
    /// sub-steps from the search on.
    pub(super) fn pairs(
        &self,
        k: usize,
        tiles: &[Duo],
        wanted: &(impl Fn(&[u32; 4], usize) -> bool + Sync),
        span: [f32; 2],
    ) -> [Vec<Pair>; FOUND] {
        let b = &self.between[k];
        let meeting = self.meeting(b);
        let sides = b.sides();
        let rest = (b.a == b.b && self.snug[b.a]).then(|| self.rest[b.a].as_slice());
        let mapped = [b.a, b.b].iter().any(|s| self.maps[*s].iter().any(|m| !m.is_empty()));
        let sift = |i: usize| Sift {
            contact: self,
            between: k,
            kind: KINDS[i],
            sides: sides[i],
            span,
            rest,
            mapped,
        };
        let sifts: [Sift; FOUND] = std::array::from_fn(sift);
        let parts: Vec<[Vec<Pair>; FOUND]> = tiles
            .par_chunks(SHARE)
            .map(|tiles| {
                let mut found = Found::default();
                tiles.iter().for_each(|d| meeting.features(*d, wanted, &mut found));
                let mut out: [Vec<Pair>; FOUND] = Default::default();
                for (i, list) in found.lists().into_iter().enumerate() {
                    list.chunks(8).for_each(|eight| sifts[i].take(eight, &mut out[i]));
                }
                out
            })
            .collect();
        std::array::from_fn(|i| parts.iter().flat_map(|p| &p[i]).copied().collect())
    }
}

impl Sift<'_> {
    #[inline(always)]
    fn take(&self, eight: &[[u32; 4]], out: &mut Vec<Pair>) {
        let c = self.contact;
        let b = &c.between[self.between];
        let [since, ahead] = self.span.map(F8::splat);
        let index: [[u32; 8]; 4] =
            std::array::from_fn(|i| std::array::from_fn(|l| eight[l.min(eight.len() - 1)][i]));
        // Safety: the indices lie inside.
        let at = |i: usize, x: &[Record]| unsafe { load(x.as_ptr(), &index[i]) };
        let ways: [(V8, F8); 4] = std::array::from_fn(|i| at(i, &c.ways[self.sides[i]]));
        let x = std::array::from_fn(|i| ways[i].0.fma(since, at(i, &c.base[self.sides[i]]).0));
        let [split, all] = self.kind.of();
        let stray = |from: usize, to: usize| (from..to).fold(F8::splat(0.0), |s, i| s.max(ways[i].1));
        let mut closing = F8::splat(0.0);
        for i in 0..split {
            for j in split..all {
                let d = ways[i].0 - ways[j].0;
                closing = closing.max(d.dot(d));
            }
        }
        let closing = closing.sqrt();
        let apart = near(self.kind, &x).distance;
        let far = apart - stray(0, split) - stray(split, all);
        let least = closing.fnma(ahead - since, far);
        let mut gap = match self.mapped {
            true => F8::new(&std::array::from_fn(|l| {
                let [p, q] = self.means(0, &eight[l.min(eight.len() - 1)]);
                b.halves[0] * p + b.halves[1] * q
            })),
            false => F8::splat(b.gap),
        };
        let mut hits = least.below(gap * F8::splat(b.room)).mask() & ((1 << eight.len()) - 1);
        if let Some(rest) = self.rest.filter(|_| hits != 0) {
            let d = near(self.kind, &std::array::from_fn(|i| at(i, rest).0)).distance;
            gap = gap.min(d * F8::splat(AT_REST));
            hits &= least.below(gap).mask();
        }
        if hits == 0 {
            return;
        }
        let due = ((far - gap * F8::splat(b.room)) / closing.max(F8::splat(1e-12))).array();
        let close = apart.below(gap * F8::splat(CLOSE)).mask();
        let gap = gap.array();
        let (first, span) = (self.span[0], self.span[1] - self.span[0]);
        let flags = self.sides.map(|s| usize::from(s != b.a));
        while hits != 0 {
            let l = hits.trailing_zeros() as usize;
            hits &= hits - 1;
            if !c.tangle.is_free(self.between, &eight[l], flags) && !c.is_tied(&eight[l], &self.sides) {
                let due = (first + due[l].clamp(0.0, span)) as u32;
                let (gap, friction, close) = (gap[l], self.friction(&eight[l]), close & (1 << l) != 0);
                out.push(Pair { index: eight[l], gap, friction, due, close });
            }
        }
    }

    fn friction(&self, index: &[u32; 4]) -> f32 {
        let [p, q] = if self.mapped { self.means(1, index) } else { [1.0; 2] };
        let rubs = self.contact.between[self.between].frictions;
        (rubs[0] * p).max(rubs[1] * q)
    }

    /// The mean of a map over each side's points, the first surface's first.
    fn means(&self, map: usize, index: &[u32; 4]) -> [f32; 2] {
        let mean = |from: usize, to: usize| {
            let over = (from..to).map(|i| match &self.contact.maps[self.sides[i]][map] {
                m if m.is_empty() => 1.0,
                m => m[index[i] as usize],
            });
            over.sum::<f32>() / (to - from) as f32
        };
        let [split, all] = self.kind.of();
        let both = [mean(0, split), mean(split, all)];
        let first = self.sides[0] == self.contact.between[self.between].a;
        if first { both } else { [both[1], both[0]] }
    }
}
