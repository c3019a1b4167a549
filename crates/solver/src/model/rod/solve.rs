//! A block of strands through a sub-step: the implicit step of all that is elastic about it and of its drag, by Newton's method, each
//! system solved directly from root to tip.
//!
//! Forces are those of the energy, to the last digit: the moment that a turn g has there is k + ½ g × k + ¼ (g·k) g, with k the rigidities
//! times g less what it is at rest (from how tan(φ/2) of a turn grows by another, O. Rodrigues, 1840); what a segment is turned by moves its
//! ends across it, and turns its director about it. So neither momentum nor spin is made. The slope of the forces is that of stretch
//! with what its pull resists across, and that of bends as if each segment were straight on from the one before: blocks of three by three, five a row, eliminated in turn.
use super::clump::{Tied, TiedAll, lanes};
use super::lanes::{L, LANES, M, S, V};
use super::{Block, Own};
use crate::race;
use crate::simd::Record;
use crate::state::State;

/// Rounds of Newton's method at most, and how far a point that still moves less than this share of its segment may be left: what is left
/// then is the square of it.
const ROUNDS: usize = 8;
const NEAR: f64 = 1e-3;
/// What a point weighs that is held, N/m.
const HELD: f64 = 1e24;
/// A director turns no further in a sub-step.
const MOST_TURN: f64 = 0.5;

/// What a sub-step is told, the same for all points of a block.
pub(super) struct Told {
    /// The time in which forces act, seconds.
    pub h: f64,
    pub drag: f64,
    pub along: f64,
    /// Whether ends that are held are held in their turns.
    pub set: bool,
    /// How the first points are turned from how they were at first, and the last ones.
    pub turns: [[[f32; 4]; LANES]; 2],
}

/// The arrays of a state, at the points of a block.
pub(super) struct Reach {
    start: *const Record,
    gained: *mut Record,
    free: *const Record,
    v: *const Record,
    air: *const Record,
    directors: *mut Record,
}

// Safety: a strand is one block's, and a block is one task's.
unsafe impl Send for Reach {}
unsafe impl Sync for Reach {}

impl Reach {
    pub fn of(state: &mut State, own: &mut Own) -> Reach {
        Reach {
            start: state.start.as_ptr(),
            gained: state.gained.as_mut_ptr(),
            free: state.free.as_ptr(),
            v: state.v.as_ptr(),
            air: state.air.as_ptr(),
            directors: own.directors.as_mut_ptr(),
        }
    }
}

/// Room for a block.
#[derive(Default)]
pub(super) struct Scratch {
    points: Vec<Point>,
    segments: Vec<Segment>,
    rows: Vec<Row>,
    twists: Vec<[L; 3]>,
    /// By point, where they are tied in clumps.
    tied: Vec<TiedAll>,
}

#[derive(Clone, Copy, Default)]
struct Point {
    start: V,
    /// Where its own motion leads, as what it gains; and what it gains.
    leads: V,
    gained: V,
    /// m / h², N/m; as good as endless where it is held.
    weight: L,
    /// What the air is faster than the point would be without a force, m/s.
    wind: V,
}

#[derive(Clone, Copy, Default)]
struct Segment {
    way: V,
    director: V,
    /// Across both.
    third: V,
    long: L,
    /// One over that.
    per: L,
    /// What it was pulled with in the sub-step before, N; none where it was pressed.
    tension: L,
}

/// What is needed of a point's row to come back, once those before it are eliminated: the point's own way, and what of the next
/// one's and of that after it goes off it.
#[derive(Clone, Copy, Default)]
struct Row {
    own: V,
    next: M,
    second: S,
}

#[derive(Clone, Copy, Default)]
struct Moment {
    /// In the world.
    of: V,
    /// How the moment grows with a bend, and how directors resist: each to its own turn, and to the other's.
    bend: L,
    twist: [L; 2],
}

impl Scratch {
    pub fn solve(&mut self, block: &Block, told: &Told, reach: &Reach, tied: Option<&[Tied]>) {
        self.fetch(block, told, reach);
        self.tied.clear();
        self.tied.extend(tied.into_iter().flat_map(|t| (0..block.points).map(|k| lanes(t, &block.first, k))));
        let walls: [Segment; 2] = std::array::from_fn(|e| {
            let turned = |v: usize| V::of(turn_all(told.turns[e], block.ends[e][v].array()));
            let (way, director) = (turned(0), turned(1));
            Segment { way, director, third: way.cross(director), ..Segment::default() }
        });
        // Directors once, to where the points are led; those to where they come are the next sub-step's.
        self.twist(block, told, &walls);
        self.untwist(block);
        self.turn(block);
        for _ in 0..ROUNDS {
            let moved = self.round(block, told, &walls);
            self.carry(block);
            if moved < NEAR * NEAR {
                break;
            }
        }
        self.give_back(block, reach);
    }

    fn fetch(&mut self, block: &Block, told: &Told, reach: &Reach) {
        self.points.clear();
        self.segments.clear();
        self.rows.resize(block.points, Row::default());
        self.twists.resize(block.points, [L::default(); 3]);
        let per = 1.0 / told.h;
        let wide = |r: &Record| r.xyz().map(f64::from);
        for k in 0..block.points {
            // Safety: all of these places are the block's.
            let at = |of: *const Record, l: usize| unsafe { *of.add(block.first[l] as usize + k) };
            let all = |of: *const Record| V::of(std::array::from_fn(|l| wide(&at(of, l))));
            let inverse: [f64; LANES] = std::array::from_fn(|l| f64::from(at(reach.gained, l).0[3]));
            let gained = all(reach.gained);
            let wind = match told.drag > 0.0 {
                true => all(reach.free).fma(L::splat(per), all(reach.air) - all(reach.v)),
                false => V::default(),
            };
            let weight = L::of(inverse.map(|w| if w > 0.0 { per * per / w } else { HELD }));
            self.points.push(Point { start: all(reach.start), leads: gained, gained, weight, wind });
        }
        for k in 0..block.points - 1 {
            // Safety: as above.
            let at = |l: usize| unsafe { *reach.directors.add(block.first[l] as usize + k) };
            let [x, y, z, tension] =
                [0, 1, 2, 3].map(|c| L::of(std::array::from_fn(|l| f64::from(at(l).0[c]))));
            let director = V([x, y, z]);
            let (a, b) = (self.points[k], self.points[k + 1]);
            let way = (b.start - a.start).unit();
            let director = (director - way.times(director.dot(way))).unit();
            self.segments.push(Segment { way, director, tension, ..Segment::default() });
        }
        self.carry(block);
    }

    /// Segments to where their points are; directors go along by the shortest turn.
    fn carry(&mut self, block: &Block) {
        let one = L::splat(1.0);
        for k in 0..block.points - 1 {
            let (a, b) = (&self.points[k], &self.points[k + 1]);
            let e = (b.start - a.start) + (b.gained - a.gained);
            let long = e.dot(e).sqrt().max(L::splat(1e-12));
            let s = &mut self.segments[k];
            let per = one / long;
            let way = e.times(per);
            let by = s.director.dot(way) / (one + s.way.dot(way)).max(L::splat(1e-6));
            let director = s.director - (s.way + way).times(by);
            *s = Segment { way, director, third: way.cross(director), long, per, tension: s.tension };
        }
    }

    /// What turns a segment's neighbour from it at a point, and how it resists.
    #[inline(always)]
    fn moment(block: &Block, k: usize, a: &Segment, b: &Segment) -> Moment {
        let (m, n, t) = (a.director, a.third, a.way);
        let (o, p, u) = (b.director, b.third, b.way);
        let one = L::splat(1.0);
        let cos = t.dot(u);
        let per = L::splat(2.0) / (one + m.dot(o) + n.dot(p) + cos).max(L::splat(0.02));
        let g = V([(t.dot(p) - n.dot(u)) * per, (m.dot(u) - t.dot(o)) * per, (n.dot(o) - m.dot(p)) * per]);
        let (bend, twist) = (block.bend[k], block.twist[k]);
        let off = g - block.turn[k];
        let force = V([off.0[0] * bend, off.0[1] * bend, off.0[2] * twist]);
        let quarter = L::splat(0.25);
        let all = g.cross(force).fma(L::splat(0.5), g.fma(quarter * g.dot(force), force));
        let grows = quarter.fma(g.dot(g), one);
        let grows = grows * grows;
        // Two directors that turn alike twist nothing, but bend anew what is bent.
        let half = L::splat(0.5);
        let (twists, bends) = (twist * half * (one + cos) * grows, bend * half * (one - cos) * grows);
        Moment {
            of: m.fma(all.0[0], n.fma(all.0[1], t.times(all.0[2]))),
            bend: bend * grows,
            twist: [twists + bends, bends - twists],
        }
    }

    /// The moments at a segment's ends, where the one before it is known.
    #[inline(always)]
    fn after(&self, block: &Block, told: &Told, wall: &Segment, k: usize) -> Moment {
        match (k + 2 == block.points, told.set) {
            (false, _) => Scratch::moment(block, k + 1, &self.segments[k], &self.segments[k + 1]),
            (true, true) => Scratch::moment(block, k + 1, &self.segments[k], wall),
            (true, false) => Moment::default(),
        }
    }

    #[inline(always)]
    fn first(&self, block: &Block, told: &Told, wall: &Segment) -> Moment {
        match told.set {
            true => Scratch::moment(block, 0, wall, &self.segments[0]),
            false => Moment::default(),
        }
    }

    /// A round of Newton's method: each point's row is put together from what is about it, and eliminated at once; then all points come
    /// back from the tip, and go where that says. Gives the square of the most that one went, as a share of its segment.
    fn round(&mut self, block: &Block, told: &Told, walls: &[Segment; 2]) -> f64 {
        let n = block.points;
        let tied = std::mem::take(&mut self.tied);
        let begin = |k: usize, p: &Point| {
            let mut own = S::default();
            own.even(p.weight);
            let mut force = (p.leads - p.gained).times(p.weight);
            if let Some(t) = tied.get(k) {
                own.along(t.way, t.resists);
                let gone = (p.gained - p.leads).dot(t.way);
                force = force + t.force - t.way.times(t.resists * gone);
            }
            (own, force)
        };
        let mut before = self.first(block, told, &walls[0]);
        // A row, the two after it, and what ties them.
        let (mut own, mut force) = begin(0, &self.points[0]);
        let (mut own1, mut force1) = begin(1, &self.points[1]);
        let (mut next, mut next1) = (M::default(), M::default());
        // The half of a turn at a clamp is the segment's alone.
        let mut inverse = block.inverse[0];
        let by = before.bend * inverse * inverse;
        own.even(by);
        own1.even(by);
        next.even(-by);
        for k in 0..n - 1 {
            let last = k + 2 == n;
            let (mut own2, mut force2) =
                if last { (S::default(), V::default()) } else { begin(k + 2, &self.points[k + 2]) };
            let s = self.segments[k];
            let after = self.after(block, told, &walls[1], k);
            // What turns the segment: across it that moves its ends, along it its director.
            let turns = before.of - after.of;
            let stretch = block.pull[k] * (s.long - block.length[k]);
            let by = s.way.fma(stretch, turns.cross(s.way).times(s.per));
            force = force + by;
            force1 = force1 - by;
            // What is pulled resists across too: by its pull of the sub-step before, for where points are only led to is no pull.
            let resists = s.tension * s.per;
            let along = block.pull[k] - resists;
            // Bends: c |δe₊/l₊ - δe₋/l₋|².
            let c = after.bend;
            let mut second = L::default();
            if last {
                let by = c.fma(inverse * inverse, resists);
                own.even(by);
                own1.even(by);
                next.even(-by);
            } else {
                let on = block.inverse[k + 1];
                let both = inverse + on;
                let (a, b) = (c * inverse, c * on);
                own.even(a.fma(inverse, resists));
                own1.even((a + b).fma(both, resists));
                own2.even(b * on);
                next.even(-(a.fma(both, resists)));
                next1.even(-(b * both));
                second = a * on;
                inverse = on;
            }
            own.along(s.way, along);
            own1.along(s.way, along);
            next.along(s.way, -along);
            if told.drag > 0.0 {
                let c = block.caught[k] * L::splat(told.drag);
                drag(&self.points[k], told, (c, s.way), &mut own, &mut force);
                drag(&self.points[k + 1], told, (c, s.way), &mut own1, &mut force1);
            }
            // All of the row is there: what of it goes into the two after it.
            let solved = own.inverse();
            let y = solved.by(force);
            let w = [0, 1, 2].map(|c| solved.by(next.column(c)));
            for (at, (i, j)) in [(0, 0), (1, 1), (2, 2), (0, 1), (0, 2), (1, 2)].into_iter().enumerate() {
                own1.0[at] -= next.column(i).dot(w[j]);
            }
            force1 = force1 - next.across(y);
            let row = &mut self.rows[k];
            row.own = y;
            row.next = M(std::array::from_fn(|r| V(w.map(|column| column.0[r]))));
            row.second = S(solved.0.map(|c| c * second));
            if !last {
                for r in 0..3 {
                    for c in 0..3 {
                        next1.0[r].0[c] = w[r].0[c].off(second, next1.0[r].0[c]);
                    }
                }
                for (to, from) in own2.0.iter_mut().zip(row.second.0) {
                    *to = from.off(second, *to);
                }
                force2 = force2 - y.times(second);
            }
            before = after;
            (own, force, next) = (own1, force1, next1);
            (own1, force1, next1) = (own2, force2, M::default());
        }
        self.tied = tied;
        self.rows[n - 1] = Row { own: own.inverse().by(force), ..Row::default() };
        let mut most = L::default();
        let (mut two, mut one_on) = (V::default(), V::default());
        for k in (0..n).rev() {
            let row = &self.rows[k];
            let by = row.own - row.next.by(one_on) - row.second.by(two);
            let share = by.times(block.inverse[k.min(n - 2)]);
            most = most.max(share.dot(share));
            let p = &mut self.points[k];
            p.gained = p.gained + by;
            (two, one_on) = (one_on, by);
        }
        most.array().into_iter().fold(0.0, f64::max)
    }

    /// What turns each director, and how that changes with the two beside it.
    fn twist(&mut self, block: &Block, told: &Told, walls: &[Segment; 2]) {
        let mut before = self.first(block, told, &walls[0]);
        for k in 0..block.points - 1 {
            let after = self.after(block, told, &walls[1], k);
            let force = (after.of - before.of).dot(self.segments[k].way);
            self.twists[k] = [before.twist[0] + after.twist[0], after.twist[1], force];
            before = after;
        }
    }

    /// Solves for how directors turn.
    fn untwist(&mut self, block: &Block) {
        let n = block.points - 1;
        // A strand that no end holds may turn about itself as it will.
        let floor = L::splat(1e-30);
        for k in 0..n {
            let [own, next, force] = self.twists[k];
            let own = own.fma(L::splat(1.0 + 1e-6), floor);
            let by = next / own;
            self.twists[k] = [own, by, force / own];
            if k + 1 < n {
                let [o, t, f] = self.twists[k + 1];
                self.twists[k + 1] = [next.off(by, o), t, force.off(by, f)];
            }
        }
        let mut after = L::default();
        let limit = L::splat(MOST_TURN);
        for k in (0..n).rev() {
            let [_, by, force] = self.twists[k];
            after = by.off(after, force);
            self.twists[k][2] = after.max(-limit).min(limit);
        }
    }

    /// Turns directors by that.
    fn turn(&mut self, block: &Block) {
        for (s, [.., by]) in self.segments.iter_mut().zip(&self.twists).take(block.points - 1) {
            s.director = s.third.fma(*by, s.director).unit();
            s.third = s.way.cross(s.director);
        }
    }

    fn give_back(&mut self, block: &Block, reach: &Reach) {
        for (k, p) in self.points.iter().enumerate() {
            for (l, v) in p.gained.array().into_iter().enumerate().take(block.own) {
                // Safety: the place is the block's, and nobody else's.
                let record = unsafe { &mut *reach.gained.add(block.first[l] as usize + k) };
                race::wrote(std::ptr::from_mut(record));
                if record.0[3] > 0.0 {
                    (0..3).for_each(|c| record.0[c] = v[c] as f32);
                }
            }
        }
        for (k, s) in self.segments.iter().enumerate() {
            let tension = (block.pull[k] * (s.long - block.length[k])).max(L::default()).array();
            for (l, [x, y, z]) in s.director.array().into_iter().enumerate().take(block.own) {
                let all = [x, y, z, tension[l]].map(|c| c as f32);
                // Safety: as above.
                unsafe { *reach.directors.add(block.first[l] as usize + k) = Record(all) };
            }
        }
    }
}

/// The drag of a segment on one of its ends: across it as the square of the flow there, and a share of that along.
#[inline(always)]
fn drag(p: &Point, told: &Told, (c, t): (L, V), own: &mut S, force: &mut V) {
    let per = L::splat(1.0 / told.h);
    let flow = p.wind - p.gained.times(per);
    let along = flow.dot(t);
    let across = flow - t.times(along);
    let by = c * across.dot(across).sqrt();
    let share = L::splat(told.along);
    *force = *force + across.times(by) + t.times(by * share * along);
    own.even(by * per);
    own.along(t, by * per * (share - L::splat(1.0)));
}

impl M {
    #[inline(always)]
    fn even(&mut self, by: L) {
        (0..3).for_each(|c| self.0[c].0[c] += by);
    }
    #[inline(always)]
    fn along(&mut self, t: V, by: L) {
        let s = t.times(by);
        (0..3).for_each(|r| self.0[r] = t.fma(s.0[r], self.0[r]));
    }
}

/// Vectors turned by unit quaternions: x, y, z, w.
fn turn_all(by: [[f32; 4]; LANES], of: [[f64; 3]; LANES]) -> [[f64; 3]; LANES] {
    std::array::from_fn(|l| {
        let [x, y, z, w] = by[l].map(f64::from);
        (glam::DQuat::from_xyzw(x, y, z, w).normalize() * glam::DVec3::from_array(of[l])).to_array()
    })
}

/// What bends and twists of a block store, joules, but for what is clamped.
pub(super) fn bent(block: &Block, state: &State, own: &Own) -> f64 {
    let wide = |r: &Record| glam::DVec3::from_array(r.xyz().map(f64::from));
    let frame = |k: usize| {
        let t = (wide(&state.x[k + 1]) - wide(&state.x[k])).normalize();
        let m = glam::DVec3::from_array(own.directors[k].xyz().map(f64::from));
        [t, (m - m.dot(t) * t).normalize()]
    };
    let mut sum = 0.0;
    for k in 1..block.points - 1 {
        let (bend, twist, turn) = (block.bend[k].array(), block.twist[k].array(), block.turn[k].array());
        for l in 0..block.own {
            let at = block.first[l] as usize + k;
            let off = super::build::turn(frame(at - 1), frame(at)) - glam::DVec3::from_array(turn[l]);
            sum += 0.5 * (bend[l] * (off.x * off.x + off.y * off.y) + twist[l] * off.z * off.z);
        }
    }
    sum
}
