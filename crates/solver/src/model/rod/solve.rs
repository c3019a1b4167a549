//! A block of strands through a sub-step: the implicit step of all that is elastic about it and of its drag, by Newton's method, each
//! system solved directly from the tips to the root and back.
//!
//! Forces are those of the energy, to the last digit: the moment that a turn g has there is k + ½ g × k + ¼ (g·k) g, with k the rigidities
//! times g less what it is at rest (from how tan(φ/2) of a turn grows by another, O. Rodrigues, 1840); what a segment is turned by moves its
//! ends across it, and turns its director about it. So neither momentum nor spin is made. The slope of the forces is that of stretch
//! with what its pull resists across, and that of bends as if each segment were straight on from the one before: blocks of three by three, that tie a
//! point to the one before it and to the one before that, and to no other that comes after those. So a point is eliminated once all that come
//! after it are, branches or none, and nothing is filled that was empty: the work is as much as there are points.
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
    /// Whether anything is seen of the air at all.
    pub airy: bool,
    pub drag: f64,
    pub along: f64,
    /// Whether ends that are held are held in their turns.
    pub set: bool,
    /// How the first points are turned from how they were at first, and the last ones; and where the sub-step began.
    pub turns: [[[f32; 4]; LANES]; 2],
    pub turned: [[[f32; 4]; LANES]; 2],
    /// By how much more a bend resists its change in a sub-step than itself.
    pub inner: f64,
}

/// The arrays of a state, at the points of a block.
pub(super) struct Reach {
    start: *const Record,
    gained: *mut Record,
    free: *const Record,
    v: *const Record,
    air: *const Record,
    directors: *mut Record,
    /// Which points are not there; none where all always are.
    away: Option<*const bool>,
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
            away: (!state.away.is_empty()).then_some(state.away.as_ptr()),
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
    /// By segment, what it was turned by where the sub-step began; empty where nobody asks.
    was: Vec<V>,
    /// By segment, 0 where what it leads to has let go, else 1; empty where nothing can.
    whole: Vec<L>,
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

/// A point's row, and what ties it to the one before it and to the one before that; once it is eliminated, what comes back by them.
#[derive(Clone, Copy, Default)]
struct Row {
    own: S,
    force: V,
    next: M,
    second: S,
    /// The moments of what comes after.
    after: V,
}

#[derive(Clone, Copy, Default)]
struct Moment {
    /// In the world.
    of: V,
    /// How the moment grows with a bend, and how directors resist: that before it to its own turn, that after it to its own, and each to the
    /// other's.
    bend: L,
    twist: [L; 3],
}

impl Scratch {
    pub fn solve(&mut self, block: &Block, told: &Told, reach: &Reach, tied: Option<&[Tied]>) {
        self.fetch(block, told, reach);
        self.tied.clear();
        self.tied.extend(tied.into_iter().flat_map(|t| (0..block.points).map(|k| lanes(t, &block.first, k))));
        let walls = |turns: &[[[f32; 4]; LANES]; 2]| -> Vec<Segment> {
            let last = block.walls.len() - 1;
            let at = |(k, (_, ends)): (usize, &(u32, [V; 2]))| {
                let turned = |v: usize| V::of(turn_all(turns[usize::from(k == last)], ends[v].array()));
                let (way, director) = (turned(0), turned(1));
                Segment { way, director, third: way.cross(director), ..Segment::default() }
            };
            if told.set { block.walls.iter().enumerate().map(at).collect() } else { vec![] }
        };
        self.was.clear();
        if told.inner > 0.0 {
            let before = walls(&told.turned);
            let was = (0..block.points).map(|k| self.turn_to(block, &before, k)).collect();
            self.was = was;
        }
        self.carry(block);
        let walls = walls(&told.turns);
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
            let wind = match told.airy {
                true => all(reach.free).fma(L::splat(per), all(reach.air) - all(reach.v)),
                false => V::default(),
            };
            let weight = L::of(inverse.map(|w| if w > 0.0 { per * per / w } else { HELD }));
            self.points.push(Point { start: all(reach.start), leads: gained, gained, weight, wind });
        }
        self.whole.clear();
        if let Some(away) = reach.away {
            // Safety: as above.
            let whole = |l: usize, k: usize| {
                if unsafe { *away.add(block.first[l] as usize + k) } { 0.0 } else { 1.0 }
            };
            let each = (0..block.points).map(|k| L::of(std::array::from_fn(|l| whole(l, k))));
            self.whole.extend(each);
        }
        self.segments.push(Segment::default());
        for k in 1..block.points {
            // Safety: as above.
            let at = |l: usize| unsafe { *reach.directors.add(block.first[l] as usize + k) };
            let [x, y, z, tension] =
                [0, 1, 2, 3].map(|c| L::of(std::array::from_fn(|l| f64::from(at(l).0[c]))));
            let director = V([x, y, z]);
            let way = (self.points[k].start - self.points[block.up[k] as usize].start).unit();
            let director = (director - way.times(director.dot(way))).unit();
            self.segments.push(Segment {
                way,
                director,
                third: way.cross(director),
                tension,
                ..Segment::default()
            });
        }
    }

    /// Segments to where their points are; directors go along by the shortest turn.
    fn carry(&mut self, block: &Block) {
        let one = L::splat(1.0);
        for k in 1..block.points {
            let (a, b) = (&self.points[block.up[k] as usize], &self.points[k]);
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

    /// The frame that a segment would have at rest, by that of what it comes from: its director, what is across both, and its way.
    #[inline(always)]
    fn rested(from: &Segment, rest: &[V; 3]) -> [V; 3] {
        let (m, n, t) = (from.director, from.third, from.way);
        rest.map(|r| m.times(r.0[0]) + n.times(r.0[1]) + t.times(r.0[2]))
    }

    /// The turn from that to the one it has.
    #[inline(always)]
    fn turned([m, n, t]: [V; 3], b: &Segment) -> V {
        let (o, p, u) = (b.director, b.third, b.way);
        let per = L::splat(2.0) / (L::splat(1.0) + m.dot(o) + n.dot(p) + t.dot(u)).max(L::splat(0.02));
        V([(t.dot(p) - n.dot(u)) * per, (m.dot(u) - t.dot(o)) * per, (n.dot(o) - m.dot(p)) * per])
    }

    /// What a segment turns from: the one before it, or a wall; none where it comes from a root that is free.
    #[inline(always)]
    fn from<'a>(&'a self, block: &Block, walls: &'a [Segment], k: usize) -> Option<&'a Segment> {
        match block.up[k] {
            0 if walls.is_empty() => None,
            // They come in the order of their segments.
            0 => block.walls.iter().position(|w| w.0 == k as u32).map(|at| &walls[at]),
            up => Some(&self.segments[up as usize]),
        }
    }

    fn turn_to(&self, block: &Block, walls: &[Segment], k: usize) -> V {
        if k == 0 {
            return V::default();
        }
        let turned = |from| Scratch::turned(Scratch::rested(from, &block.rest[k]), &self.segments[k]);
        self.from(block, walls, k).map_or(V::default(), turned)
    }

    /// What turns a segment from what it comes from, by the rigidities of the joint and what it was turned by.
    #[inline(always)]
    fn moment([bend, twist]: [L; 2], rest: &[V; 3], was: Option<(V, L)>, a: &Segment, b: &Segment) -> Moment {
        let one = L::splat(1.0);
        let [m, n, t] = Scratch::rested(a, rest);
        let g = Scratch::turned([m, n, t], b);
        let (off, more) = match was {
            Some((was, inner)) => ((g - was).times(inner) + g, one + inner),
            None => (g, one),
        };
        let force = V([off.0[0] * bend, off.0[1] * bend, off.0[2] * twist]);
        let quarter = L::splat(0.25);
        let all = g.cross(force).fma(L::splat(0.5), g.fma(quarter * g.dot(force), force));
        let grows = quarter.fma(g.dot(g), one);
        let grows = grows * grows * more;
        // The director of what it comes from turns it about that's way, which twists it less and bends it more the more the two are at an angle.
        let cos = a.way.dot(b.way);
        let (bend, twist) = (bend * grows, twist * grows);
        let both = (twist - bend).fma(cos * cos, bend);
        Moment {
            of: m.fma(all.0[0], n.fma(all.0[1], t.times(all.0[2]))),
            bend,
            twist: [both, twist, -(twist * cos)],
        }
    }

    /// What turns a segment from what it comes from.
    #[inline(always)]
    fn before(&self, block: &Block, told: &Told, walls: &[Segment], k: usize) -> Moment {
        let Some(from) = self.from(block, walls, k) else { return Moment::default() };
        let was = self.was.get(k).map(|was| (*was, L::splat(told.inner)));
        let mut rigid = [block.bend[k], block.twist[k]];
        if let Some(whole) = self.whole.get(k) {
            rigid = rigid.map(|r| r * *whole);
        }
        Scratch::moment(rigid, &block.rest[k], was, from, &self.segments[k])
    }

    /// What turns a wall at the far end from the last segment.
    #[inline(always)]
    fn end(&self, block: &Block, walls: &[Segment]) -> Option<Moment> {
        let (rigid, wall) = (block.end?, walls.last()?);
        Some(Scratch::moment(rigid, &block.rest[0], None, &self.segments[block.points - 1], wall))
    }

    /// A round of Newton's method: from the tips on, each point's row is put together from what is about it, and eliminated at once; then all
    /// come back from the root, and go where that says. Gives the square of the most that one went, as a share of its segment.
    fn round(&mut self, block: &Block, told: &Told, walls: &[Segment]) -> f64 {
        let n = block.points;
        for (k, p) in self.points.iter().enumerate() {
            let mut row = Row::default();
            row.own.even(p.weight);
            row.force = (p.leads - p.gained).times(p.weight);
            if let Some(t) = self.tied.get(k) {
                row.own.along(t.way, t.resists);
                let gone = (p.gained - p.leads).dot(t.way);
                row.force = row.force + t.force - t.way.times(t.resists * gone);
            }
            self.rows[k] = row;
        }
        if let Some(end) = self.end(block, walls) {
            let by = end.bend * block.inverse[n - 1] * block.inverse[n - 1];
            let up = block.up[n - 1] as usize;
            self.rows[n - 1].after = end.of;
            self.rows[n - 1].own.even(by);
            self.rows[up].own.even(by);
            self.rows[n - 1].next.even(-by);
        }
        for k in (1..n).rev() {
            let up = block.up[k] as usize;
            let before = self.before(block, told, walls, k);
            let s = self.segments[k];
            let inverse = block.inverse[k];
            let (lower, upper) = self.rows.split_at_mut(k);
            let row = &mut upper[0];
            // What turns the segment: across it that moves its ends, along it its director.
            let turns = before.of - row.after;
            let whole = self.whole.get(k).copied().unwrap_or(L::splat(1.0));
            let pull = block.pull[k] * whole;
            let stretch = pull * (s.long - block.length[k]);
            let by = s.way.fma(stretch, turns.cross(s.way).times(s.per));
            // What is pulled resists across too: by its pull of the sub-step before, for where points are only led to is no pull.
            let resists = s.tension * s.per * whole;
            let along = pull - resists;
            row.force = row.force - by;
            row.own.along(s.way, along);
            row.next.along(s.way, -along);
            {
                let on = &mut lower[up];
                on.force = on.force + by;
                on.after = on.after + before.of;
                on.own.along(s.way, along);
                if told.drag > 0.0 {
                    let c = block.caught[k] * L::splat(told.drag) * whole;
                    drag(&self.points[up], told, (c, s.way), &mut on.own, &mut on.force);
                    drag(&self.points[k], told, (c, s.way), &mut row.own, &mut row.force);
                }
            }
            if told.airy
                && let Some(Some(blade)) = block.blades.get(k)
            {
                let from = self.segments[up].way;
                plate(&self.points[k], told, (*blade * whole, s, from), &mut row.own, &mut row.force);
            }
            // Bends: c |δe₊/l₊ - δe₋/l₋|².
            let c = before.bend;
            if up == 0 {
                let by = c.fma(inverse * inverse, resists);
                row.own.even(by);
                lower[0].own.even(by);
                row.next.even(-by);
                let (solved, y, w) = eliminated(row);
                off(&mut lower[0], row, y, &w);
                row.force = y;
                row.second = S(solved.0.map(|_| L::default()));
                row.next = M(std::array::from_fn(|r| V(w.map(|column| column.0[r]))));
                continue;
            }
            let from = block.up[up] as usize;
            let on = block.inverse[up];
            let both = inverse + on;
            let (a, b) = (c * inverse, c * on);
            row.own.even(a.fma(inverse, resists));
            row.next.even(-(a.fma(both, resists)));
            lower[up].own.even((a + b).fma(both, resists));
            lower[up].next.even(-(b * both));
            lower[from].own.even(b * on);
            let second = a * on;
            // All of the row is there: what of it goes into the two that come before it.
            let (solved, y, w) = eliminated(row);
            off(&mut lower[up], row, y, &w);
            for r in 0..3 {
                for c in 0..3 {
                    let to = &mut lower[up].next.0[r].0[c];
                    *to = w[r].0[c].off(second, *to);
                }
            }
            row.second = S(solved.0.map(|c| c * second));
            for (to, by) in lower[from].own.0.iter_mut().zip(row.second.0) {
                *to = by.off(second, *to);
            }
            lower[from].force = lower[from].force - y.times(second);
            row.force = y;
            row.next = M(std::array::from_fn(|r| V(w.map(|column| column.0[r]))));
        }
        let root = &mut self.rows[0];
        root.force = root.own.inverse().by(root.force);
        let mut most = L::default();
        for k in 0..n {
            let mut by = self.rows[k].force;
            if k > 0 {
                let row = &self.rows[k];
                let up = block.up[k] as usize;
                by = by - row.next.by(self.rows[up].force);
                if up > 0 {
                    by = by - row.second.by(self.rows[block.up[up] as usize].force);
                }
                self.rows[k].force = by;
            }
            let share = by.times(block.inverse[k.max(1)]);
            most = most.max(share.dot(share));
            let p = &mut self.points[k];
            p.gained = p.gained + by;
        }
        most.array().into_iter().fold(0.0, f64::max)
    }

    /// What turns each director, and how that changes with the one before it.
    fn twist(&mut self, block: &Block, told: &Told, walls: &[Segment]) {
        let n = block.points;
        self.twists.fill([L::default(); 3]);
        self.rows.iter_mut().for_each(|r| r.after = V::default());
        if let Some(end) = self.end(block, walls) {
            self.twists[n - 1][0] = end.twist[0];
            self.rows[n - 1].after = end.of;
        }
        for k in (1..n).rev() {
            let up = block.up[k] as usize;
            let before = self.before(block, told, walls, k);
            let [own, _, _] = self.twists[k];
            let force = (self.rows[k].after - before.of).dot(self.segments[k].way);
            self.twists[k] = [own + before.twist[1], before.twist[2], force];
            self.twists[up][0] += before.twist[0];
            self.rows[up].after = self.rows[up].after + before.of;
        }
    }

    /// Solves for how directors turn.
    fn untwist(&mut self, block: &Block) {
        let n = block.points;
        // A strand that no end holds may turn about itself as it will.
        let floor = L::splat(1e-30);
        for k in (1..n).rev() {
            let [own, next, force] = self.twists[k];
            let own = own.fma(L::splat(1.0 + 1e-6), floor);
            let up = block.up[k] as usize;
            let by = if up > 0 { next / own } else { L::default() };
            self.twists[k] = [own, by, force / own];
            if up > 0 {
                let [o, t, f] = self.twists[up];
                self.twists[up] = [next.off(by, o), t, force.off(by, f)];
            }
        }
        let limit = L::splat(MOST_TURN);
        for k in 1..n {
            let [own, by, force] = self.twists[k];
            let up = block.up[k] as usize;
            let before = if up > 0 { self.twists[up][2] } else { L::default() };
            self.twists[k] = [own, by, by.off(before, force).max(-limit).min(limit)];
        }
    }

    /// Turns directors by that.
    fn turn(&mut self, block: &Block) {
        for (s, [.., by]) in self.segments.iter_mut().zip(&self.twists).take(block.points).skip(1) {
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
        for (k, s) in self.segments.iter().enumerate().skip(1) {
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

/// What a point's row gives, once all that comes after it is in it: one over its own, its way by itself, and what of the one before it goes off that.
#[inline(always)]
fn eliminated(row: &Row) -> (S, V, [V; 3]) {
    let solved = row.own.inverse();
    (solved, solved.by(row.force), [0, 1, 2].map(|c| solved.by(row.next.column(c))))
}

/// Takes that off the row of the point before it.
#[inline(always)]
fn off(on: &mut Row, row: &Row, y: V, w: &[V; 3]) {
    for (at, (i, j)) in [(0, 0), (1, 1), (2, 2), (0, 1), (0, 2), (1, 2)].into_iter().enumerate() {
        on.own.0[at] -= row.next.column(i).dot(w[j]);
    }
    on.force = on.force - row.next.across(y);
}

/// What the air does to a thin plate at the end of a segment: ½ ρ A C |u| times what of the flow is across it, along its normal. Head on that is
/// the drag of a plate, and at small angles lift that grows with the angle (normal force of plates of low aspect: S. F. Hoerner, "Fluid-Dynamic
/// Drag", 1965, ch. 3). A plate lies along its segment and faces along the stem that it comes from.
#[inline(always)]
fn plate(p: &Point, told: &Told, (c, s, stem): (L, Segment, V), own: &mut S, force: &mut V) {
    let per = L::splat(1.0 / told.h);
    let across = stem - s.way.times(stem.dot(s.way));
    let size = across.dot(across);
    // One that goes straight on faces by its director.
    let normal = s.director.fma((L::splat(1e-3) - size).max(L::default()), across).unit();
    let flow = p.wind - p.gained.times(per);
    let by = c * flow.dot(flow).sqrt();
    *force = *force + normal.times(by * flow.dot(normal));
    own.along(normal, by * per);
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
    let frame = |first: usize, k: usize| {
        let t = (wide(&state.x[first + k]) - wide(&state.x[first + block.up[k] as usize])).normalize();
        let m = glam::DVec3::from_array(own.directors[first + k].xyz().map(f64::from));
        [t, (m - m.dot(t) * t).normalize()]
    };
    let mut sum = 0.0;
    for k in (1..block.points).filter(|k| block.up[*k] > 0) {
        let (bend, twist, turn) =
            (block.bend[k].array(), block.twist[k].array(), block.rest[k].map(V::array));
        for l in 0..block.own {
            let first = block.first[l] as usize;
            let [before, after] = [block.up[k] as usize, k].map(|k| super::build::axes(frame(first, k)));
            let rest = glam::DMat3::from_cols_array_2d(&turn.map(|axis| axis[l]));
            let off = super::build::turn(before * rest, after);
            sum += 0.5 * (bend[l] * (off.x * off.x + off.y * off.y) + twist[l] * off.z * off.z);
        }
    }
    sum
}
