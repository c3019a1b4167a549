//! Pairs of features that are near: how they are solved, and how it is known that they did not cross.
//!
//! A pair starts a sub-step apart, by a distance d along a direction n. As long as n still tells the first
//! feature's points from the second's when the sub-step ends, straight ways can't have crossed: what a
//! direction parts at both ends it parts all along. Only pairs that fail this are swept (see `sweep`).
//! Contact itself is a constraint on the distance (M. Müller et al., "Position Based Dynamics", 2007) with
//! friction on positions (M. Macklin et al., "Unified Particle Physics for Real-Time Applications", 2014,
//! eq. 24), along the direction of the moment, or that of the start where the moment's can't be trusted.
use super::RECOVER;
use super::near::{Near, edge_edge, pick, point_point, point_triangle};
use crate::simd::{F8, Record, V8, load, store};

/// Colours that a point's mask tells apart; pairs beyond them are solved one after another.
const COLOURS: usize = 64;
/// Nearer than this, a direction is noise: metres.
const TOUCHING: f32 = 1e-7;

/// Which features a list holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    /// A point and a triangle.
    Point,
    Edges,
    /// Two points that no triangle has, the second written three times.
    Points,
}

impl Kind {
    /// How many of a pair's four points are the first feature's, and how many differ.
    pub fn of(self) -> [usize; 2] {
        match self {
            Kind::Point => [1, 4],
            Kind::Edges => [2, 4],
            Kind::Points => [1, 2],
        }
    }
}

/// Points of two surfaces where a sub-step finds and leaves them; of each of a pair's four points, which.
#[derive(Clone, Copy)]
pub struct Arrays {
    pub now: [*mut Record; 4],
    pub start: [*const Record; 4],
    /// Whether contact may move them.
    pub moves: [bool; 4],
    /// Where it is added up how far they were pushed, where one of the surfaces is a collider's.
    pub met: Option<[*mut Record; 4]>,
    /// Pairs nearer than so many gaps are kept an eye on: others may push them together.
    pub room: f32,
}

// Safety: each group of a colour has points of its own; what does not move is only read.
unsafe impl Send for Arrays {}
unsafe impl Sync for Arrays {}

/// The lists of two surfaces: points of the first with triangles of the second, the other way round, edges, and loose
/// points; those of the search, and what was added since.
pub const LISTS: usize = 8;
/// Lists of a search.
pub const FOUND: usize = LISTS / 2;
pub const KINDS: [Kind; FOUND] = [Kind::Point, Kind::Point, Kind::Edges, Kind::Points];

/// Eight pairs that may come near; empty lanes repeat the last.
#[repr(C, align(32))]
#[derive(Clone)]
pub struct PairGroup {
    pub index: [[u32; 8]; 4],
    /// Kept between them, metres.
    pub gap: [f32; 8],
    pub friction: [f32; 8],
    pub lanes: u32,
}

/// How the features of a group are separated.
#[repr(C, align(32))]
#[derive(Clone)]
pub struct Parting {
    n: [[f32; 8]; 3],
    /// Lanes that can be separated.
    sure: u32,
    /// Whether the directions are known to tell all lanes apart where a sub-step starts: those of an earlier one
    /// will do as long as they do.
    known: bool,
    /// By how much they still did before contact moved anything, where least: metres.
    margin: f32,
}

impl Parting {
    const NONE: Parting = Parting { n: [[0.0; 8]; 3], sure: 0, known: false, margin: 0.0 };

    pub fn forget(&mut self) {
        self.known = false;
    }
}

/// All pairs of one kind that may come near.
#[derive(Default)]
pub struct List {
    pub groups: Vec<PairGroup>,
    pub partings: Vec<Parting>,
    /// How many of the groups can come near before the end of each sub-step from the search on.
    ends: Vec<usize>,
}

/// One pair before it is packed.
#[derive(Clone, Copy)]
pub struct Pair {
    pub index: [u32; 4],
    pub gap: f32,
    pub friction: f32,
    /// Sub-steps from the search on before which it can't come near.
    pub due: u32,
    /// Whether it is near as it is: such are grouped apart, for most of them are met again and again.
    pub close: bool,
}

/// A pair that comes too near in this sub-step.
#[derive(Clone, Copy)]
pub struct Touch {
    index: [u32; 4],
    n: [f32; 3],
    /// Of the points: their sum leads from the second feature to the first.
    weight: [f32; 4],
    target: f32,
    friction: f32,
    /// Weighted sum of the points at the start.
    from: [f32; 3],
}

/// Eight touches that share no point that moves.
#[repr(C, align(32))]
#[derive(Clone)]
pub struct Press {
    index: [[u32; 8]; 4],
    n: [[f32; 8]; 3],
    weight: [[f32; 8]; 4],
    target: [f32; 8],
    friction: [f32; 8],
    from: [[f32; 8]; 3],
    lanes: u32,
    touched: u32,
    /// The most that the last sweep had to push, metres.
    pushed: f32,
}

/// Touches in groups, and the groups in runs that may go at once.
#[derive(Default)]
pub struct Presses {
    pub all: Vec<Press>,
    /// Ends of the runs.
    pub runs: Vec<usize>,
    colours: Vec<Vec<u32>>,
}

impl List {
    pub fn fill(&mut self, pairs: &[Pair]) {
        self.groups.clear();
        self.ends.clear();
        // By when they are due, by whether they are close, and as they came among those that are alike.
        let key = |p: &Pair| 2 * p.due as usize + usize::from(!p.close);
        let last = pairs.iter().map(key).max().unwrap_or(0);
        let mut place = vec![0u32; last + 2];
        pairs.iter().for_each(|p| place[key(p) + 1] += 1);
        (0..=last).for_each(|d| place[d + 1] += place[d]);
        let mut order = vec![0u32; pairs.len()];
        for (k, p) in pairs.iter().enumerate() {
            order[place[key(p)] as usize] = k as u32;
            place[key(p)] += 1;
        }
        for c in order.chunks(8) {
            let lane = |l: usize| &pairs[c[l.min(c.len() - 1)] as usize];
            while self.ends.len() < lane(0).due as usize {
                self.ends.push(self.groups.len());
            }
            self.groups.push(PairGroup {
                index: std::array::from_fn(|i| std::array::from_fn(|l| lane(l).index[i])),
                gap: std::array::from_fn(|l| lane(l).gap),
                friction: std::array::from_fn(|l| lane(l).friction),
                lanes: (1u32 << c.len()) - 1,
            });
        }
        self.partings.clear();
        self.partings.resize(self.groups.len(), Parting::NONE);
    }

    /// Takes out pairs by their points.
    pub fn drop_where(&mut self, out: impl Fn(&[u32; 4]) -> bool) {
        for (g, parting) in self.groups.iter_mut().zip(&mut self.partings) {
            let dropped = |l: &u32| out(&std::array::from_fn(|i| g.index[i][*l as usize]));
            let lanes =
                (0..8u32).filter(|l| g.lanes & (1 << l) != 0).filter(dropped).fold(0, |m, l| m | 1 << l);
            g.lanes &= !lanes;
            parting.sure &= !lanes;
        }
    }

    /// How many pairs there are.
    pub fn pairs(&self) -> usize {
        self.groups.iter().map(|g| g.lanes.count_ones() as usize).sum()
    }

    /// How many groups can come near in a sub-step, so many after the search.
    pub fn due(&self, since: u32) -> usize {
        self.ends.get(since as usize).copied().unwrap_or(self.groups.len())
    }
}

impl Presses {
    /// Packs touches by colour. `words` has one for each point of all surfaces, all zero before and after;
    /// `first` is where those of each of the four points begin, and `spare` the first of four spare points.
    pub fn pack(
        &mut self,
        touches: &[Touch],
        moves: [bool; 4],
        first: [usize; 4],
        words: &mut [u64],
        spare: [u32; 4],
    ) {
        self.all.clear();
        self.runs.clear();
        self.colours.iter_mut().for_each(Vec::clear);
        let mut alone = vec![];
        for (k, p) in touches.iter().enumerate() {
            let at = |i: usize| first[i] + p.index[i] as usize;
            let taken = (0..4).filter(|&i| moves[i]).fold(0u64, |m, i| m | words[at(i)]);
            let colour = (!taken).trailing_zeros() as usize;
            if colour >= COLOURS {
                alone.push(k as u32);
                continue;
            }
            (0..4).filter(|&i| moves[i]).for_each(|i| words[at(i)] |= 1 << colour);
            if colour >= self.colours.len() {
                self.colours.resize(colour + 1, vec![]);
            }
            self.colours[colour].push(k as u32);
        }
        for p in touches {
            (0..4).for_each(|i| words[first[i] + p.index[i] as usize] = 0);
        }
        let colours = std::mem::take(&mut self.colours);
        for colour in colours.iter().filter(|c| !c.is_empty()) {
            colour.chunks(8).for_each(|c| self.push(touches, c, spare));
            self.runs.push(self.all.len());
        }
        self.colours = colours;
        for k in alone {
            self.push(touches, &[k], spare);
            self.runs.push(self.all.len());
        }
    }

    fn push(&mut self, touches: &[Touch], lanes: &[u32], spare: [u32; 4]) {
        let mut g = Press {
            index: std::array::from_fn(|i| [spare[i] + i as u32; 8]),
            n: [[0.0; 8]; 3],
            weight: [[0.0; 8]; 4],
            target: [f32::MIN; 8],
            friction: [0.0; 8],
            from: [[0.0; 8]; 3],
            lanes: (1u32 << lanes.len()) - 1,
            touched: 0,
            pushed: 0.0,
        };
        for (l, &k) in lanes.iter().enumerate() {
            let t = &touches[k as usize];
            (0..4).for_each(|i| {
                g.index[i][l] = t.index[i];
                g.weight[i][l] = t.weight[i];
            });
            (0..3).for_each(|c| {
                g.n[c][l] = t.n[c];
                g.from[c][l] = t.from[c];
            });
            (g.target[l], g.friction[l]) = (t.target, t.friction);
        }
        self.all.push(g);
    }

    /// Marks which eights of each surface's points may be moved.
    pub fn mark(&self, moves: [bool; 4], sides: [usize; 4], eights: &mut [Vec<bool>]) {
        for i in (0..4).filter(|&i| moves[i]) {
            let eights = &mut eights[sides[i]];
            self.all.iter().flat_map(|p| p.index[i]).for_each(|k| eights[k as usize / 8] = true);
        }
    }

    /// The most that the last sweep had to push, metres.
    pub fn pushed(&self) -> f32 {
        self.all.iter().fold(0.0, |m, p| m.max(p.pushed))
    }

    /// How many were brought apart.
    pub fn touching(&self) -> usize {
        self.all.iter().map(|p| p.touched.count_ones() as usize).sum()
    }
}

#[inline(always)]
pub fn near(kind: Kind, x: &[V8; 4]) -> Near {
    match kind {
        Kind::Point => point_triangle(x),
        Kind::Edges => edge_edge(x),
        Kind::Points => point_point(x),
    }
}

/// By how much a direction parts the first feature from the second.
#[inline(always)]
fn parted(kind: Kind, n: V8, x: &[V8; 4]) -> F8 {
    let at = |k: usize| n.dot(x[k] - x[3]);
    let zero = F8::splat(0.0);
    match kind {
        Kind::Point => at(0) - at(1).max(at(2)).max(zero),
        Kind::Edges => at(0).min(at(1)) - at(2).max(zero),
        Kind::Points => at(0),
    }
}

#[inline(always)]
unsafe fn now(index: &[[u32; 8]; 4], arrays: &Arrays) -> [(V8, F8); 4] {
    // Safety: as the caller promises.
    std::array::from_fn(|k| unsafe { load(arrays.now[k], &index[k]) })
}

#[inline(always)]
unsafe fn before(index: &[[u32; 8]; 4], arrays: &Arrays) -> [V8; 4] {
    // Safety: as the caller promises.
    std::array::from_fn(|k| unsafe { load(arrays.start[k], &index[k]).0 })
}

#[inline(always)]
fn sum(weight: &[F8; 4], x: &[V8; 4]) -> V8 {
    (x[0] - x[3]).scale(weight[0]) + (x[1] - x[3]).scale(weight[1]) + (x[2] - x[3]).scale(weight[2])
}

/// Finds which way separates the features of each pair of a group, and which of them come too near in this sub-step of
/// `dt` seconds.
///
/// # Safety
/// Nobody writes the points meanwhile.
pub unsafe fn prepare(
    kind: Kind,
    g: &PairGroup,
    parting: &mut Parting,
    arrays: &Arrays,
    dt: f32,
    out: &mut Vec<Touch>,
) {
    // Safety: as the caller promises.
    let x1 = unsafe { now(&g.index, arrays).map(|p| p.0) };
    let gap = F8::new(&g.gap);
    let room = gap * F8::splat(arrays.room);
    if parting.known {
        let apart = parted(kind, V8(parting.n.each_ref().map(F8::new)), &x1);
        if apart.below(room).mask() == 0 {
            parting.margin = apart.least();
            return;
        }
    }
    // Safety: as the caller promises.
    let x0 = unsafe { before(&g.index, arrays) };
    let start = near(kind, &x0);
    let sure = F8::splat(TOUCHING).below(start.distance);
    let n0 = start.apart.scale(F8::splat(1.0) / start.distance.max(F8::splat(1e-20)));
    parting.n = n0.0.map(F8::array);
    parting.sure = sure.mask() & g.lanes;
    let apart = parted(kind, n0, &x1);
    parting.margin = apart.least();
    let active = apart.below(room).mask() & parting.sure;
    if active == 0 {
        return;
    }
    let end = near(kind, &x1);
    let good = F8::splat(TOUCHING).below(apart).and(F8::splat(TOUCHING).below(end.distance));
    let kept = Near { apart: n0, ..start };
    let n1 = end.apart.scale(F8::splat(1.0) / end.distance.max(F8::splat(1e-20)));
    let chosen = pick(good, Near { apart: n1, ..end }, kept);
    let n = chosen.apart.0.map(F8::array);
    let from = sum(&chosen.weight, &x0).0.map(F8::array);
    let weight = chosen.weight.map(F8::array);
    let target = gap.min(start.distance + F8::splat(RECOVER * dt));
    // Those that are far enough as it is may still be pushed together by others.
    let lanes = chosen_lanes(active, end.distance, good, gap);
    let target = target.array();
    for l in (0..8).filter(|l| lanes & (1 << l) != 0) {
        out.push(Touch {
            index: std::array::from_fn(|i| g.index[i][l]),
            n: n.map(|c| c[l]),
            weight: weight.map(|w| w[l]),
            target: target[l],
            friction: g.friction[l],
            from: from.map(|c| c[l]),
        });
    }
}

/// Of the active lanes, those that are nearer than half as far again as they should be, or on no known side.
#[inline(always)]
fn chosen_lanes(active: u32, distance: F8, good: F8, gap: F8) -> u32 {
    let near = distance.below(gap * F8::splat(1.5)).mask();
    active & (near | !good.mask())
}

/// Brings a group apart once.
///
/// # Safety
/// No other thread is at the group's points that move, and nobody writes the others.
pub unsafe fn solve(g: &mut Press, arrays: &Arrays) {
    // Safety: as the caller promises.
    let loaded = unsafe { now(&g.index, arrays) };
    let (x, mass) = (loaded.map(|p| p.0), loaded.map(|p| p.1));
    let weight = g.weight.each_ref().map(F8::new);
    let n = V8(g.n.each_ref().map(F8::new));
    let y = sum(&weight, &x);
    let lacking = F8::new(&g.target) - n.dot(y);
    let zero = F8::splat(0.0);
    let act = zero.below(lacking);
    if act.mask() & g.lanes == 0 {
        g.pushed = 0.0;
        return;
    }
    g.touched |= act.mask() & g.lanes;
    let push = act.pick(lacking, zero);
    g.pushed = push.array().into_iter().fold(0.0, f32::max);
    let slip = y - V8(g.from.each_ref().map(F8::new));
    let slip = slip - n.scale(n.dot(slip));
    let lost =
        (F8::new(&g.friction) * push / slip.dot(slip).max(F8::splat(1e-24)).sqrt()).min(F8::splat(1.0));
    let change = n.scale(push) - slip.scale(lost);
    let mut total = F8::splat(1e-20);
    (0..4).for_each(|i| {
        total = (weight[i] * weight[i]).fma(if arrays.moves[i] { mass[i] } else { zero }, total)
    });
    let change = change.scale(F8::splat(1.0) / total);
    for i in 0..4 {
        if arrays.moves[i] {
            // Safety: as above.
            unsafe { store(arrays.now[i], &g.index[i], change.fma(weight[i] * mass[i], x[i]), mass[i]) };
            if let Some(met) = arrays.met {
                let by = push / total * weight[i] * mass[i];
                // Safety: as above.
                unsafe { store(met[i], &g.index[i], n.fma(by, load(met[i], &g.index[i]).0), zero) };
            }
        }
    }
}

/// Lanes of a group that are not known to be still on their sides, where contact moved no point by more than
/// `moved` metres.
///
/// # Safety
/// Nobody writes the points meanwhile.
pub unsafe fn doubtful(kind: Kind, g: &PairGroup, parting: &mut Parting, arrays: &Arrays, moved: f32) -> u32 {
    parting.known = parting.sure == g.lanes;
    if parting.margin > 2.0 * moved + TOUCHING {
        return 0;
    }
    // Safety: as the caller promises.
    let x = unsafe { now(&g.index, arrays).map(|p| p.0) };
    let n = V8(parting.n.each_ref().map(F8::new));
    let sure = F8::splat(TOUCHING).below(parted(kind, n, &x));
    let lanes = !sure.mask() & parting.sure;
    parting.known &= lanes == 0;
    lanes
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pairs_are_grouped_by_when_they_are_due_and_only_those_are_looked_at() {
        let pair = |k: u32, due: u32| Pair { index: [k; 4], gap: 0.001, friction: 0.0, due, close: true };
        // Ten at once, three from the third sub-step on, one from the fourth.
        let dues = [0, 2, 0, 0, 0, 3, 2, 0, 0, 0, 0, 2, 0, 0];
        let pairs: Vec<Pair> = (0..).zip(dues).map(|(k, due)| pair(k, due)).collect();
        let mut list = List::default();
        list.fill(&pairs);
        let within = |since: u32| -> Vec<u32> {
            let groups = &list.groups[..list.due(since)];
            let lanes = |g: &PairGroup| {
                (0..8).filter(|l| g.lanes & (1 << l) != 0).map(|l| g.index[0][l]).collect::<Vec<_>>()
            };
            groups.iter().flat_map(lanes).collect()
        };
        let at_once: Vec<u32> = pairs.iter().filter(|p| p.due == 0).map(|p| p.index[0]).collect();
        assert_eq!(within(0)[..at_once.len()], at_once, "in the order in which they came");
        for since in 0..6 {
            let seen = within(since);
            assert!(pairs.iter().all(|p| p.due > since || seen.contains(&p.index[0])), "{since}: {seen:?}");
        }
        assert_eq!(within(9).len(), pairs.len());
        list.fill(&[]);
        assert_eq!((list.due(0), list.due(9)), (0, 0));
    }
}
