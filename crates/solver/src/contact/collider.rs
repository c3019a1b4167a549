//! Colliders that a formula describes: points of bodies are kept out of them, swept through a sub-step in the
//! collider's own frame, so that neither passes through the other however fast they are.
//!
//! The sweep is sphere tracing (J. Hart, "Sphere Tracing", 1996): a distance never changes faster than the point
//! moves. Friction on positions: M. Macklin, M. Müller, N. Chentanez, T. Kim, "Unified Particle Physics for Real-Time
//! Applications" (2014), eq. 24.
use super::RECOVER;
use crate::inputs::{Pose, Solid};
use crate::simd::{F8, Record, V8, load, store};

/// Steps of the trace at most: each goes as far as nothing can be hit.
const STEPS: usize = 12;

/// What part of a skin's radius a way may be and still be short.
const SHORT: f32 = 0.5;

/// Walls that meet in a hollow's corner, and once more out of it.
const WALLS: usize = 4;

/// Where a collider is at one moment, as eight equal lanes.
#[derive(Clone, Copy)]
pub struct Axes {
    centre: V8,
    /// Columns of its turn.
    axes: [V8; 3],
}

impl Axes {
    pub fn of(pose: &Pose) -> Axes {
        Axes { centre: V8::splat(pose.position), axes: pose.axes().map(V8::splat) }
    }
    #[inline(always)]
    fn inward(&self, p: V8) -> V8 {
        let d = p - self.centre;
        let [a, b, c] = &self.axes;
        V8([a.dot(d), b.dot(d), c.dot(d)])
    }
    #[inline(always)]
    fn outward(&self, d: V8) -> V8 {
        let [a, b, c] = self.axes;
        a.fma(d.0[0], b.fma(d.0[1], c.scale(d.0[2])))
    }
}

/// One collider on its way through a sub-step.
#[derive(Clone, Copy)]
pub struct Swept<'a> {
    pub solid: &'a Solid,
    pub from: Axes,
    pub to: Axes,
    /// Kept around it, metres.
    pub thickness: f32,
    pub friction: f32,
    /// Of the body: half its thickness, its friction, and what those are multiplied by at each point.
    pub half: f32,
    pub rub: f32,
    pub maps: [&'a [f32]; 2],
}

impl Swept<'_> {
    /// How far the middle of the body is kept from it at some points, metres, and the friction.
    #[inline(always)]
    fn keeps(&self, index: &[u32; 8]) -> [F8; 2] {
        let at = |number: f32, map: &[f32]| match map.is_empty() {
            true => F8::splat(number),
            false => F8::new(&index.map(|k| number * map[k as usize])),
        };
        [
            at(self.half, self.maps[0]) + F8::splat(self.thickness),
            at(self.rub, self.maps[1]).max(F8::splat(self.friction)),
        ]
    }
}

/// Eight points from one on; the last lanes may be one point several times: they all come to the same.
#[inline(always)]
fn eight(first: u32, points: usize) -> [u32; 8] {
    std::array::from_fn(|l| (first + l as u32).min(points as u32 - 1))
}

/// Whether any of eight points of so many, from one on, came as near as it is kept, or by no more than `room` metres
/// missed it.
pub fn close(c: &Swept, x: &[Record], start: &[Record], first: u32, points: usize, room: f32) -> bool {
    let index = eight(first, points);
    let gap = c.keeps(&index)[0];
    // Safety: the indices lie inside.
    let (p, q) = unsafe { (load(x.as_ptr(), &index).0, load(start.as_ptr(), &index).0) };
    let (p1, p0) = (c.to.inward(p), c.from.inward(q));
    let way = p1 - p0;
    let far = gap + way.dot(way).sqrt() + F8::splat(room);
    c.solid.distance(p1).1.below(far).mask() != 0
}

/// Keeps points out, by eights from each `first` on of so many, and tells how many it moved. `start` has where they
/// were when the sub-step began; `met` gets how far each was pushed out.
///
/// # Safety
/// No other thread is at those points.
pub unsafe fn meet(
    c: &Swept,
    x: *mut Record,
    met: *mut Record,
    start: *const Record,
    firsts: impl Iterator<Item = u32>,
    points: usize,
    dt: f32,
) -> usize {
    let mut moved_points = 0;
    let short = F8::splat(SHORT * c.solid.round().unwrap_or(0.0));
    let hollow = matches!(c.solid, Solid::Inside(_));
    let zero = F8::splat(0.0);
    let one = F8::splat(1.0);
    for first in firsts {
        let index = eight(first, points);
        let [gap, friction] = c.keeps(&index);
        // Safety: as the caller promises.
        let ((p, w), (q, _)) = unsafe { (load(x, &index), load(start, &index)) };
        let (p1, p0) = (c.to.inward(p), c.from.inward(q));
        let way = p1 - p0;
        let (forth, length) = way.and_length();
        let (n1, d1) = c.solid.distance(p1);
        // However it came here, it was never nearer than this.
        if d1.below(gap + length).mask() == 0 {
            continue;
        }
        let (n0, d0) = c.solid.distance(p0);
        // A short way to a round skin need not be gone: whatever it touches first faces as its end does.
        let round = length.below(short).mask() == 0xff;
        let begun = Touch { gone: zero, n: if round { n1 } else { n0 }, here: d0 };
        let Touch { gone, n, here } =
            if round { begun } else { trace(c.solid, p0, forth, length, gap, begun) };
        let at = forth.fma(gone, p0);
        // What was too near already comes out at a pace that throws nothing about.
        let keep = gap.min(d0 + F8::splat(RECOVER * dt));
        let touched = here.below(gap + F8::splat(1e-4)).and(gone.below(length));
        // Past the plane of the first touch by so much; where the skin at the end faces the same way, that
        // is the truer one.
        let behind = keep - here - n.dot(p1 - at);
        let same = F8::splat(0.5).below(n.dot(n1));
        let (n, depth) = (V8::pick(same, n1, n), same.pick(keep - d1, behind));
        let any = touched.pick(one, d1.below(keep).pick(one, zero));
        let free = zero.below(w);
        let act = zero.below(depth).and(F8::splat(0.5).below(any)).and(free);
        let hit = act.or(if hollow { d1.below(keep).and(free) } else { zero });
        if hit.mask() == 0 {
            continue;
        }
        moved_points += (hit.mask() & ((1u32 << (points - first as usize).min(8)) - 1)).count_ones() as usize;
        let depth = act.pick(depth, zero);
        let moved = n.fma(depth, p1);
        let slip = moved - p0;
        let slip = slip - n.scale(n.dot(slip));
        let lost = (friction * depth / slip.dot(slip).max(F8::splat(1e-24)).sqrt()).min(one);
        let mut change = n.scale(depth) - slip.scale(act.pick(lost, zero));
        // In a hollow, what is kept from one wall, or leaves it, may be behind the next.
        for _ in 0..if hollow { WALLS } else { 0 } {
            let (m, d) = c.solid.distance(p1 + change);
            change = m.fma(hit.pick((keep - d).max(zero), zero), change);
        }
        // Safety: as above.
        unsafe {
            let before = load(met, &index).0;
            store(met, &index, before + c.to.outward(n.scale(depth)), zero);
            store(x, &index, p + c.to.outward(change), w);
        }
    }
    moved_points
}

/// How far along its way a point has gone, which way what is nearest faces, and how far that is.
struct Touch {
    gone: F8,
    n: V8,
    here: F8,
}

/// Along the way to the first touch.
#[inline(always)]
fn trace(solid: &Solid, from: V8, forth: V8, length: F8, gap: F8, begun: Touch) -> Touch {
    let Touch { mut gone, mut n, mut here } = begun;
    for _ in 0..STEPS {
        let on = (gap + F8::splat(1e-6)).below(here).and(gone.below(length));
        if on.mask() == 0 {
            break;
        }
        let next = (gone + (here - gap)).min(length);
        gone = on.pick(next, gone);
        let (m, d) = solid.distance(forth.fma(gone, from));
        n = V8::pick(on, m, n);
        here = on.pick(d, here);
    }
    Touch { gone, n, here }
}

/// How deep each point is inside a solid, metres; at most 0 where it is outside.
pub fn depths(solid: &Solid, pose: &Pose, x: &[Record], mut each: impl FnMut(usize, f32)) {
    let frame = Axes::of(pose);
    for (k, chunk) in x.chunks(8).enumerate() {
        let lane = |c: usize| F8::new(&std::array::from_fn(|l| chunk[l.min(chunk.len() - 1)].0[c]));
        let d = solid.distance(frame.inward(V8([lane(0), lane(1), lane(2)]))).1.array();
        (0..chunk.len()).for_each(|l| each(8 * k + l, -d[l]));
    }
}
