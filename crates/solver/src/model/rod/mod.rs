//! Strands: thin elastic rods that stretch, bend and twist, each solved as a whole.
//!
//! A rod is its points and a director to each segment, at right angles to it: the segment's frame. What bends and twists between two
//! segments is the turn from the frame that the second has at rest by that of the first to the one it has, as the vector 2 tan(φ/2) along its axis (discrete elastic rods:
//! M. Bergou, M. Wardetzky, S. Robinson, B. Audoly, E. Grinspun, "Discrete Elastic Rods", 2008, sec. 4, with the curvature of their eq. 1
//! and twist measured alike). Directors go along with their segments by the shortest turn (M. Bergou, B. Audoly, E. Vouga, M. Wardetzky,
//! E. Grinspun, "Discrete Viscous Threads", 2010, sec. 4); twist is in balance at every moment, for a thin rod has no inertia against it.
//!
//! Strands may branch: what is said here of a segment and the next is then said of it and each that comes after it. A plant stands by its own
//! weight as it was made, for its turns at rest are those that its joints have to have under it.
//!
//! An end that is clamped has half a segment to the wall, and so twice the rigidity there; a free one carries half a segment's mass.
mod build;
mod clump;
mod lanes;
mod rest;
mod solve;

pub(crate) use build::build;
pub use rest::{ClumpRest, StrandRest};

use crate::body::Body;
use crate::carriage::Tempo;
use crate::inputs::{FrameInputs, Gas, GripMotion};
use crate::measure::{Energy, Strain};
use crate::model::{Holds, Lasts, Steps};
use crate::simd::Record;
use crate::snags::{Against, Fault, Snag};
use crate::state::State;
use crate::watch::{Phase, Watch};
use lanes::{L, LANES, V};
use rayon::prelude::*;
use solve::{Reach, Scratch, Told};

/// Strands that branch alike, side by side in the lanes. A lane without one has the first one's. A segment goes by the number of the point
/// that it leads to; nothing leads to the first.
struct Block {
    /// The place of each one's first point.
    first: [u32; LANES],
    /// How many of the lanes have a strand of their own.
    own: usize,
    points: usize,
    /// By segment, the point that it comes from.
    up: Vec<u32>,
    /// By segment: its length, metres, and what a stretch by a metre pulls with, N/m.
    length: Vec<L>,
    /// One over that.
    inverse: Vec<L>,
    pull: Vec<L>,
    /// By segment, of the turn to it from the one before it, or from a wall at the root: its rigidity over the length that it is for, N·m;
    /// that of twist; and the frame that it has at rest, by that of what it comes from.
    bend: Vec<L>,
    twist: Vec<L>,
    rest: Vec<[V; 3]>,
    /// Of the turn from the last segment to a wall at its end, the first two; none where that is free.
    end: Option<[L; 2]>,
    /// By segment: ½ ρ d l for one of its ends, kg/m.
    caught: Vec<L>,
    /// By segment that ends in a thin plate, ½ ρ A C of it, kg/m; empty where none does.
    blades: Vec<Option<L>>,
    /// The frames that segments which come from the root have at rest, and that of the last: a way and a director.
    walls: Vec<(u32, [V; 2])>,
}

/// What holds strands together.
pub(crate) struct Rods {
    blocks: Vec<Block>,
    /// Whether ends that are held are held in their turns.
    set: bool,
    drag: f32,
    along: f32,
    inner: f32,
    /// Segments, by the places of their points; length, m, and rigidity, N.
    segments: Vec<([u32; 2], [f32; 2])>,
    directors: Vec<[f32; 3]>,
    clumps: Option<clump::Clumps>,
}

/// What lasts of strands: a director for each segment and what it is pulled with, N, by the place of the point that it leads to.
#[derive(Clone, Debug)]
pub(crate) struct Own {
    directors: Vec<Record>,
}

impl Lasts for Own {
    fn write(&self, out: &mut Vec<u8>) {
        self.directors.iter().flat_map(|d| d.0).for_each(|c| out.extend(c.to_le_bytes()));
    }
    fn read(&mut self, from: &[u8]) {
        let mut numbers = from.as_chunks::<4>().0.iter().map(|b| f32::from_le_bytes(*b));
        self.directors.iter_mut().flat_map(|d| &mut d.0).zip(&mut numbers).for_each(|(to, n)| *to = n);
    }
    fn gas(&self) -> &[Gas] {
        &[]
    }
}

impl Holds for Rods {
    type Own = Own;
    type Begun<'a> = Begun<'a>;

    fn own(&self, _: &Body) -> Own {
        let directors: Vec<Record> =
            self.directors.iter().map(|[x, y, z]| Record([*x, *y, *z, 0.0])).collect();
        Own { directors }
    }

    fn size(&self) -> usize {
        16 * self.directors.len()
    }

    fn begin<'a>(&'a self, body: &'a Body, number: usize, frame: &'a FrameInputs, tempo: Tempo) -> Begun<'a> {
        let dt = tempo.dt;
        let mut by = vec![None; if self.set { body.points() } else { 0 }];
        let grips = frame.grips.iter().filter(|g| self.set && g.body == number && g.pull.is_none());
        for g in grips {
            let each = g.points.iter().enumerate();
            each.for_each(|(k, p)| by[body.place(*p) as usize] = Some((g, k)));
        }
        let drag = frame.matter_of(number).map_or(self.drag, |now| now.drag);
        let airy = body.airy && (drag > 0.0 || self.blocks.iter().any(|b| !b.blades.is_empty()));
        let step = (f64::from(dt) / frame.duration) as f32;
        Begun { rods: self, dt, tempo, step, drag, airy, by }
    }

    fn constraints(&self) -> usize {
        4 * self.segments.len()
    }

    fn strain(&self, state: &State, _: &Own) -> Strain {
        let mut out = Strain::default();
        let mut whole = 0.0;
        for s in self.strains(state) {
            out.mean[0] += s.by * s.length;
            whole += s.length;
            out.largest = out.largest.max(s.by);
        }
        out.mean[0] /= whole.max(1e-12);
        out
    }

    fn energy(&self, state: &State, own: &Own, sum: &mut Energy) {
        for s in self.strains(state) {
            sum.membrane += 0.5 * s.pull * s.length * s.by * s.by;
        }
        sum.bend += self.blocks.iter().map(|b| solve::bent(b, state, own)).sum::<f64>();
    }

    fn snags(&self, (body, number): (&Body, usize), state: &State, _: &Own, against: Against) -> Vec<Snag> {
        let over = self.strains(state).filter(|s| s.by > against.stretch);
        let found = over.fold((0usize, 0.0f64, 0u32), |(count, worst, at), s| match s.by > worst {
            true => (count + 1, s.by, s.place),
            false => (count + 1, worst, at),
        });
        let (count, worst, place) = found;
        let snag = || Snag {
            fault: Fault::Overstretch,
            body: number,
            with: None,
            count,
            worst,
            point: body.given(place as usize),
            triangles: vec![],
        };
        (count > 0).then(snag).into_iter().collect()
    }
}

struct Stretched {
    place: u32,
    length: f64,
    pull: f64,
    by: f64,
}

impl Rods {
    /// Which way the plate at a place faces, and which way its stalk goes.
    pub(crate) fn faces(&self, state: &State, place: usize) -> [[f32; 3]; 2] {
        let before = |place: usize| {
            let found = self.segments.binary_search_by_key(&(place as u32), |(s, _)| s[1]).ok()?;
            Some(self.segments[found].0[0] as usize)
        };
        let at = |k: usize| glam::Vec3::from(state.x[k].xyz());
        let Some(stalk) = before(place) else { return [[0.0, 1.0, 0.0], [1.0, 0.0, 0.0]] };
        let way = (at(place) - at(stalk)).normalize_or(glam::Vec3::X);
        let stem = before(stalk).map_or(glam::Vec3::Y, |from| at(stalk) - at(from));
        let normal = stem.reject_from_normalized(way).normalize_or(way.any_orthonormal_vector());
        [normal.to_array(), way.to_array()]
    }

    fn strains<'a>(&'a self, state: &'a State) -> impl Iterator<Item = Stretched> + 'a {
        let there = self.segments.iter().filter(|s| !state.is_away(s.0[1] as usize));
        there.map(|([near, far], [length, pull])| {
            let at = |k: usize| -> [f64; 3] {
                std::array::from_fn(|c| f64::from(state.x[k].0[c]) + f64::from(state.remainder[k].0[c]))
            };
            let (a, b) = (at(*near as usize), at(*far as usize));
            let long = (0..3).map(|c| (b[c] - a[c]).powi(2)).sum::<f64>().sqrt();
            let length = f64::from(*length);
            Stretched { place: *near, length, pull: f64::from(*pull), by: long / length - 1.0 }
        })
    }
}

/// What the sub-steps of a frame have in common.
pub(crate) struct Begun<'a> {
    rods: &'a Rods,
    dt: f32,
    tempo: Tempo,
    /// A sub-step as a share of the frame.
    step: f32,
    drag: f32,
    airy: bool,
    /// What holds each point and its number there, by place; empty where turns are not held.
    by: Vec<Option<(&'a GripMotion, usize)>>,
}

impl Begun<'_> {
    /// How the point at a place is turned at a moment of the frame, from how it was at first: x, y, z, w.
    fn turned(&self, place: u32, moment: f32) -> [f32; 4] {
        match self.by.get(place as usize) {
            Some(Some((grip, k))) => grip.turns(moment)(*k),
            _ => [0.0, 0.0, 0.0, 1.0],
        }
    }
}

impl Steps for Begun<'_> {
    type Own = Own;

    fn start(&self, _: &mut Own) {}
    fn look(&self, _: f32, _: &mut State, _: &mut Own, _: &dyn Watch) {}
    fn relax(&self, moment: f32, state: &mut State, own: &mut Own, watch: &dyn Watch) {
        let h = self.tempo.balance(state);
        let tied = self.rods.clumps.as_ref().map(|c| c.tied(state));
        // As heavy as what it carries, or hangs on.
        let loads = std::mem::take(&mut state.loads);
        loads.weigh(&mut state.gained);
        let reach = Reach::of(state, own);
        let each = self.rods.blocks.par_iter().enumerate();
        crate::race::phase();
        let task = crate::race::task();
        each.for_each_init(Scratch::default, |scratch, (k, block)| {
            let ends = [block.first, block.first.map(|p| p + block.points as u32 - 1)];
            let turned = |moment: f32| ends.map(|at| at.map(|p| self.turned(p, moment)));
            let turns = turned(moment);
            let inner = f64::from(self.rods.inner / self.dt);
            let told = Told {
                h: f64::from(h),
                airy: self.airy,
                drag: if self.airy { f64::from(self.drag) } else { 0.0 },
                along: f64::from(self.rods.along),
                set: self.rods.set,
                inner,
                turned: if inner > 0.0 { turned(moment - self.step) } else { turns },
                turns,
            };
            crate::race::within(&task, k, || {
                watch.during(Phase::Yarn, || scratch.solve(block, &told, &reach, tied.as_deref()));
            });
        });
        loads.unweigh(&mut state.gained, &state.start);
        state.loads = loads;
    }
    fn settle(&self, _: f32, _: &mut State, _: &mut Own, _: &dyn Watch) -> f32 {
        0.0
    }
    fn met(&self, _: &mut State, _: &mut Own) {}
    fn finish(&self, _: &mut Own) {}
}
