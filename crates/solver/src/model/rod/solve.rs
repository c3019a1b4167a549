//! A block of strands through a sub-step: the implicit step of all that is elastic about it and of its drag, by Newton's method, each
//! system solved directly from root to tip.
//!
//! Forces are those of the energy, to the last digit: the moment that a turn g has there is k + ½ g × k + ¼ (g·k) g, with k the rigidities
//! times g less what it is at rest (from how tan(φ/2) of a turn grows by another, O. Rodrigues, 1840); what a segment is turned by moves its
//! ends across it, and turns its director about it. So neither momentum nor spin is made. The slope of the forces is that of stretch
//! with what its pull resists across, and that of bends as if each segment were straight on from the one before: blocks of three by three, five a row, eliminated in turn.
use super::lanes::{L, LANES, M, S, V};
use super::{Block, Own};
use crate::race;
use crate::simd::Record;
use crate::state::State;

/// Rounds of Newton's method at most, and how far a point that still moves less than this share of its segment may be left: what is left
/// then is the square of it.
const ROUNDS: usize = 8;
const NEAR: f64 = 2e-4;
/// A director turns no further in a round.
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
    directors: *mut [f32; 3],
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
}

#[derive(Clone, Copy, Default)]
struct Point {
    start: V,
    /// Where its own motion leads, as what it gains; and what it gains.
    leads: V,
    gained: V,
    /// m / h², N/m, and 1 where it moves, 0 where it is held.
    weight: L,
    free: L,
    /// What the air is faster than the point would be without a force, m/s.
    wind: V,
}

#[derive(Clone, Copy, Default)]
struct Segment {
    way: V,
    director: V,
    long: L,
}

/// What is left of a point's row once those before it are eliminated, and what of that is needed to come back.
#[derive(Clone, Copy, Default)]
struct Row {
    own: S,
    next: M,
    /// To the one after the next: a number times the identity.
    second: L,
    force: V,
    inverse: S,
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
    pub fn solve(&mut self, block: &Block, told: &Told, reach: &Reach) {
        self.fetch(block, told, reach);
        let walls = std::array::from_fn(|e| {
            let turned = |v: usize| V::of(turn_all(told.turns[e], block.ends[e][v].array()));
            [turned(0), turned(1)]
        });
        for _ in 0..ROUNDS {
            self.system(block, told, &walls);
            let moved = self.eliminate(block);
            self.carry_directors(block, false);
            // Then directors to where points have come: each in turn, for where a strand is bent the one moves the other.
            self.twist(block, told, &walls);
            let turned = self.untwist(block);
            self.carry_directors(block, true);
            if moved < NEAR * NEAR && turned < 10.0 * NEAR {
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
            let (air, free, v) = (all(reach.air), all(reach.free), all(reach.v));
            self.points.push(Point {
                start: all(reach.start),
                leads: gained,
                gained,
                weight: L::of(inverse.map(|w| if w > 0.0 { per * per / w } else { 0.0 })),
                free: L::of(inverse.map(|w| if w > 0.0 { 1.0 } else { 0.0 })),
                wind: free.fma(L::splat(per), air - v),
            });
        }
        for k in 0..block.points - 1 {
            // Safety: as above.
            let at = |l: usize| unsafe { *reach.directors.add(block.first[l] as usize + k) };
            let director = V::of(std::array::from_fn(|l| at(l).map(f64::from)));
            let (a, b) = (self.points[k], self.points[k + 1]);
            let way = (b.start - a.start).unit();
            let director = (director - way.times(director.dot(way))).unit();
            self.segments.push(Segment { way, director, long: L::default() });
        }
        self.carry_directors(block, false);
    }

    /// Segments to where their points are; directors go along by the shortest turn, and by how much they are to be turned.
    fn carry_directors(&mut self, block: &Block, turned: bool) {
        for k in 0..block.points - 1 {
            let (a, b) = (&self.points[k], &self.points[k + 1]);
            let e = (b.start - a.start) + (b.gained - a.gained);
            let long = e.dot(e).sqrt().max(L::splat(1e-12));
            let s = &mut self.segments[k];
            let way = e.times(L::splat(1.0) / long);
            let per = (L::splat(1.0) + s.way.dot(way)).max(L::splat(1e-6));
            let mut m = s.director - (s.way + way).times(s.director.dot(way) / per);
            if turned {
                m = way.cross(m).fma(self.twists[k][2], m);
            }
            let director = (m - way.times(m.dot(way))).unit();
            *s = Segment { way, director, long };
        }
    }

    /// What turns a segment's neighbour from it at a point, and how it resists.
    #[inline(always)]
    fn moment(block: &Block, k: usize, [t, m]: [V; 2], [u, o]: [V; 2]) -> Moment {
        let (n, p) = (t.cross(m), u.cross(o));
        let one = L::splat(1.0);
        let per = L::splat(2.0) / (one + m.dot(o) + n.dot(p) + t.dot(u)).max(L::splat(0.02));
        let g = V([(t.dot(p) - n.dot(u)) * per, (m.dot(u) - t.dot(o)) * per, (n.dot(o) - m.dot(p)) * per]);
        let (bend, twist) = (block.bend[k], block.twist[k]);
        let off = g - block.turn[k];
        let force = V([off.0[0] * bend, off.0[1] * bend, off.0[2] * twist]);
        let quarter = L::splat(0.25);
        let all = g.cross(force).fma(L::splat(0.5), g.fma(quarter * g.dot(force), force));
        let grows = quarter.fma(g.dot(g), one);
        let grows = grows * grows;
        // Two directors that turn alike twist nothing, but bend anew what is bent.
        let (half, cos) = (L::splat(0.5), t.dot(u));
        let (twists, bends) = (twist * half * (one + cos) * grows, bend * half * (one - cos) * grows);
        Moment {
            of: m.fma(all.0[0], n.fma(all.0[1], t.times(all.0[2]))),
            bend: bend * grows,
            twist: [twists + bends, bends - twists],
        }
    }

    /// Forces, and how they change as points move.
    fn system(&mut self, block: &Block, told: &Told, walls: &[[V; 2]; 2]) {
        let n = block.points;
        for (row, p) in self.rows[..n].iter_mut().zip(&self.points) {
            *row = Row::default();
            row.own.even(p.weight);
            row.force = (p.leads - p.gained).times(p.weight);
        }
        let one = L::splat(1.0);
        let frame = |s: &Segment| [s.way, s.director];
        let mut before = match told.set {
            true => Scratch::moment(block, 0, walls[0], frame(&self.segments[0])),
            false => Moment::default(),
        };
        // The half of a turn at a clamp is the segment's alone.
        let mut inverse = one / block.length[0];
        let by = before.bend * inverse * inverse;
        self.rows[0].own.even(by);
        self.rows[1].own.even(by);
        self.rows[0].next.even(-by);
        for k in 0..n - 1 {
            let s = self.segments[k];
            let last = k + 2 == n;
            let after = match (last, told.set) {
                (false, _) => Scratch::moment(block, k + 1, frame(&s), frame(&self.segments[k + 1])),
                (true, true) => Scratch::moment(block, k + 1, frame(&s), walls[1]),
                (true, false) => Moment::default(),
            };
            // What turns the segment: across it that moves its ends, along it its director.
            let turns = before.of - after.of;
            let stretch = block.pull[k] * (s.long - block.length[k]);
            let across = turns.cross(s.way).times(one / s.long);
            let force = s.way.fma(stretch, across);
            self.rows[k].force = self.rows[k].force + force;
            self.rows[k + 1].force = self.rows[k + 1].force - force;
            let resists = (stretch / s.long).max(L::default());
            let along = block.pull[k] - resists;
            for end in [k, k + 1] {
                self.rows[end].own.even(resists);
                self.rows[end].own.along(s.way, along);
            }
            self.rows[k].next.even(-resists);
            self.rows[k].next.along(s.way, -along);
            // Bends: c |δe₊/l₊ - δe₋/l₋|².
            let c = after.bend;
            if last {
                let by = c * inverse * inverse;
                self.rows[k].own.even(by);
                self.rows[k + 1].own.even(by);
                self.rows[k].next.even(-by);
            } else {
                let on = one / block.length[k + 1];
                let both = inverse + on;
                self.rows[k].own.even(c * inverse * inverse);
                self.rows[k + 1].own.even(c * both * both);
                self.rows[k + 2].own.even(c * on * on);
                self.rows[k].next.even(-(c * inverse * both));
                self.rows[k + 1].next.even(-(c * on * both));
                self.rows[k].second = c * inverse * on;
                inverse = on;
            }
            if told.drag > 0.0 {
                self.drag(block, told, k);
            }
            before = after;
        }
    }

    /// What turns each director, and how that changes with the two beside it.
    fn twist(&mut self, block: &Block, told: &Told, walls: &[[V; 2]; 2]) {
        let n = block.points;
        let frame = |s: &Segment| [s.way, s.director];
        let mut before = match told.set {
            true => Scratch::moment(block, 0, walls[0], frame(&self.segments[0])),
            false => Moment::default(),
        };
        for k in 0..n - 1 {
            let s = self.segments[k];
            let after = match (k + 2 == n, told.set) {
                (false, _) => Scratch::moment(block, k + 1, frame(&s), frame(&self.segments[k + 1])),
                (true, true) => Scratch::moment(block, k + 1, frame(&s), walls[1]),
                (true, false) => Moment::default(),
            };
            let force = (after.of - before.of).dot(s.way);
            self.twists[k] = [before.twist[0] + after.twist[0], after.twist[1], force];
            before = after;
        }
    }

    /// The drag of a segment on both of its ends: across it as the square of the flow there, and a share of that along.
    fn drag(&mut self, block: &Block, told: &Told, k: usize) {
        let per = L::splat(1.0 / told.h);
        let t = self.segments[k].way;
        let c = block.caught[k] * L::splat(told.drag);
        for end in [k, k + 1] {
            let p = &self.points[end];
            let flow = p.wind - p.gained.times(per);
            let along = flow.dot(t);
            let across = flow - t.times(along);
            let by = c * across.dot(across).sqrt();
            let share = L::splat(told.along);
            let row = &mut self.rows[end];
            row.force = row.force + across.times(by) + t.times(by * share * along);
            row.own.even(by * per);
            row.own.along(t, by * per * (share - L::splat(1.0)));
        }
    }

    /// Solves for how points move, and moves them. Gives the square of the most that one did, as a share of its segment.
    fn eliminate(&mut self, block: &Block) -> f64 {
        let n = block.points;
        for k in 0..n {
            let free = self.points[k].free;
            let row = self.rows[k];
            // What is held stays where it is.
            let mut own = S(row.own.0.map(|c| c * free));
            own.even(L::splat(1.0) - free);
            let inverse = own.inverse();
            let force = row.force.times(free);
            let y = inverse.by(force);
            self.rows[k].inverse = inverse;
            self.rows[k].force = y;
            if k + 1 < n {
                let next = M(row.next.0.map(|r| r.times(free * self.points[k + 1].free)));
                // What of this row goes into the next: its columns, by the inverse.
                let w = [0, 1, 2].map(|c| inverse.by(next.column(c)));
                self.rows[k].next = M(std::array::from_fn(|r| V(w.map(|column| column.0[r]))));
                let after = &mut self.rows[k + 1];
                for (at, (i, j)) in [(0, 0), (1, 1), (2, 2), (0, 1), (0, 2), (1, 2)].into_iter().enumerate() {
                    after.own.0[at] -= next.column(i).dot(w[j]);
                }
                after.force = after.force - next.across(y);
                if k + 2 < n {
                    let second = row.second * free * self.points[k + 2].free;
                    self.rows[k].second = second;
                    let after = &mut self.rows[k + 1];
                    for r in 0..3 {
                        for c in 0..3 {
                            let by = w[r].0[c] * second;
                            after.next.0[r].0[c] -= by;
                        }
                    }
                    let on = &mut self.rows[k + 2];
                    for (to, from) in on.own.0.iter_mut().zip(inverse.0) {
                        *to -= second * second * from;
                    }
                    on.force = on.force - y.times(second);
                }
            }
        }
        let mut most = L::default();
        let (mut one, mut two) = (V::default(), V::default());
        for k in (0..n).rev() {
            let row = &self.rows[k];
            let mut by = row.force;
            if k + 1 < n {
                by = by - row.next.by(one);
            }
            if k + 2 < n {
                by = by - row.inverse.by(two).times(row.second);
            }
            let length = block.length[k.min(n - 2)];
            most = most.max(by.dot(by) / (length * length));
            let p = &mut self.points[k];
            p.gained = p.gained + by;
            (two, one) = (one, by);
        }
        most.array().into_iter().fold(0.0, f64::max)
    }

    /// Solves for how directors turn. Gives the most that one does.
    fn untwist(&mut self, block: &Block) -> f64 {
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
        let (mut after, mut most) = (L::default(), L::default());
        let limit = L::splat(MOST_TURN);
        for k in (0..n).rev() {
            let [_, by, force] = self.twists[k];
            after = by.off(after, force);
            self.twists[k][2] = after.max(-limit).min(limit);
            most = most.max(after).max(-after);
        }
        most.array().into_iter().fold(0.0, f64::max)
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
            for (l, v) in s.director.array().into_iter().enumerate().take(block.own) {
                // Safety: as above.
                unsafe { *reach.directors.add(block.first[l] as usize + k) = v.map(|c| c as f32) };
            }
        }
    }
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
        let m = glam::DVec3::from_array(own.directors[k].map(f64::from));
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
