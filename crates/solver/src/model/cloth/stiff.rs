//! How forces answer to a change of the points, as one matrix over them: of triangles, blocks of three by three that are made anew in each
//! step of Newton's method; of bends, one number along all axes that stays.
//!
//! What is kept is a row's blocks beside the diagonal. A row of triangles or of bends moves nothing where all move alike, so it acts on
//! differences, and the block on its diagonal is what the others take away: nothing is lost where a whole body goes fast.
use super::constraint::membrane::{Tangent, Triangles};
use super::flexure::Flexure;
use crate::parts::Parts;
use crate::race;
use crate::simd::{Record, add_columns, answers};
use rayon::prelude::*;
use std::collections::BTreeSet;

/// Rows that one thread takes at least.
const SHARE: usize = 512;
/// Where nothing is kept: of lanes without a triangle.
const NONE: u32 = u32::MAX;
/// Pairs of a triangle's corners.
pub const PAIRS: [[usize; 2]; 3] = [[0, 1], [1, 2], [2, 0]];

/// Which points a row is beside, and where each triangle's blocks are.
#[derive(Default)]
pub struct Pattern {
    starts: Vec<u32>,
    beside: Vec<u32>,
    /// Of each part's groups: by pair of corners, there and back, by lane.
    slots: Vec<Vec<[[[u32; 8]; 2]; 3]>>,
}

impl Pattern {
    /// Over `points`, of the groups of each part.
    pub fn of<'a>(points: usize, parts: impl Iterator<Item = &'a [Triangles]> + Clone) -> Pattern {
        let mut rows: Vec<BTreeSet<u32>> = vec![BTreeSet::new(); points];
        let own = |p: u32| (p as usize) < points;
        for g in parts.clone().flatten() {
            for [a, b] in PAIRS {
                for (&a, &b) in g.corners(a).iter().zip(g.corners(b)).filter(|(a, b)| own(**a) && own(**b)) {
                    rows[a as usize].insert(b);
                    rows[b as usize].insert(a);
                }
            }
        }
        let mut out = Pattern { starts: vec![0], ..Pattern::default() };
        for row in &rows {
            out.beside.extend(row);
            out.starts.push(out.beside.len() as u32);
        }
        let slot = |a: u32, b: u32| match own(a) && own(b) {
            true => {
                let row = out.row(a as usize);
                row.start as u32 + out.beside[row].binary_search(&b).map_or(NONE, |k| k as u32)
            }
            false => NONE,
        };
        let group = |g: &Triangles| {
            PAIRS.map(|[a, b]| {
                [[a, b], [b, a]].map(|[a, b]| std::array::from_fn(|l| slot(g.corners(a)[l], g.corners(b)[l])))
            })
        };
        out.slots = parts.map(|groups| groups.iter().map(group).collect()).collect();
        out
    }

    fn row(&self, p: usize) -> std::ops::Range<usize> {
        self.starts[p] as usize..self.starts[p + 1] as usize
    }
}

/// The numbers of a matrix: by slot, the columns of its block, N/m times what they are told for.
#[derive(Clone, Debug, Default)]
pub struct Stiff {
    blocks: Vec<[Record; 3]>,
}

/// Pointers that threads share, each at points of its own part: where points were and what they gained, and the blocks.
#[derive(Clone, Copy)]
pub struct At {
    pub from: [*const Record; 2],
    pub forces: *mut Record,
    blocks: *mut [Record; 3],
}
// Safety: as for `constraint::Points`; a row is its point's part's.
unsafe impl Send for At {}
unsafe impl Sync for At {}

/// What makes a system of a matrix.
#[derive(Clone, Copy)]
pub struct Whole<'a> {
    pub pattern: &'a Pattern,
    pub flexure: &'a Flexure,
    /// What the bends are multiplied by; the blocks are already.
    pub times: f32,
    /// Of the points, kg.
    pub masses: &'a [f32],
}

impl Stiff {
    /// Makes it anew of what each group is where the points are, times a number; `tangent` adds its forces, too.
    pub fn make(
        &mut self,
        pattern: &Pattern,
        (parts, triangles): (&Parts, &[&[Triangles]]),
        (from, forces): ([*const Record; 2], *mut Record),
        times: f32,
        tangent: &(dyn Fn(&Triangles, &At) -> Tangent + Sync),
    ) {
        self.blocks.clear();
        self.blocks.resize(pattern.beside.len(), [Record::default(); 3]);
        let at = At { from, forces, blocks: self.blocks.as_mut_ptr() };
        race::phase();
        part(0, pattern, (parts, triangles), at, times, tangent);
    }

    /// What the system makes of a change of the points. Those after the rows make nothing.
    pub fn answer(&self, whole: Whole, of: &[Record], out: &mut [Record]) {
        let n = whole.pattern.starts.len() - 1;
        out[..n].par_iter_mut().enumerate().with_min_len(SHARE).for_each(|(p, out)| {
            let row = whole.pattern.row(p);
            let rows = (&whole.pattern.beside[row.clone()], &self.blocks[row]);
            // Safety: whom a row is beside are points.
            *out = unsafe { answers(of, p, rows, whole.flexure.row(p), whole.times, whole.masses[p]) };
        });
        out[n..].fill(Record::default());
    }

    /// The blocks on its diagonal without masses, added: xx, yy, zz, xy, yz, zx of each point.
    pub fn diagonal(&self, pattern: &Pattern, out: &mut [[f32; 6]]) {
        let n = pattern.starts.len() - 1;
        out[..n].par_iter_mut().enumerate().with_min_len(SHARE).for_each(|(p, out)| {
            for b in &self.blocks[pattern.row(p)] {
                let own = [b[0].0[0], b[1].0[1], b[2].0[2], b[1].0[0], b[2].0[1], b[0].0[2]];
                let back = [own[0], own[1], own[2], b[0].0[1], b[1].0[2], b[2].0[0]];
                (0..6).for_each(|k| out[k] -= 0.5 * (own[k] + back[k]));
            }
        });
    }
}

fn part(
    k: usize,
    pattern: &Pattern,
    (parts, triangles): (&Parts, &[&[Triangles]]),
    at: At,
    times: f32,
    tangent: &(dyn Fn(&Triangles, &At) -> Tangent + Sync),
) {
    if let Some([a, b]) = parts.tree[k].halves {
        race::join(
            || part(a, pattern, (parts, triangles), at, times, tangent),
            || part(b, pattern, (parts, triangles), at, times, tangent),
        );
    }
    for (g, slots) in triangles[k].iter().zip(&pattern.slots[k]) {
        let blocks = tangent(g, &at).blocks(g, times);
        for (columns, [there, back]) in blocks.iter().zip(slots) {
            // Safety: a row is its point's, and this part's points are ours until we return.
            unsafe { add_columns(at.blocks, (there, back), columns) };
        }
    }
}
