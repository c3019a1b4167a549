//! All that the solver is told, as plain arrays. Owned here, so that it never sees a document.
pub use crate::model::cloth::{
    ChamberRest, ClothRest, Folds, Gas, Maps, Matter, Scaled, SeamRest, StitchRest,
};
pub use crate::model::free::{Comes, Flier, FliesRest, FreeRest, ShedRest};
pub use crate::model::rod::{ClumpRest, StrandRest};
pub use crate::shed::ShedNow;
use nematon_air::FieldNow;
pub use nematon_solid::{Skin, Solid};
use std::sync::Arc;

/// A body before it moves.
#[derive(Clone, Debug, PartialEq)]
pub enum Rest {
    Cloth(Box<ClothRest>),
    Free(Box<FreeRest>),
    Strands(Box<StrandRest>),
}

impl Rest {
    /// Where each point starts, metres.
    pub fn positions(&self) -> &[[f32; 3]] {
        match self {
            Rest::Cloth(r) => &r.positions,
            Rest::Free(r) => &r.positions,
            Rest::Strands(r) => &r.positions,
        }
    }
}

/// A level plane.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Floor {
    /// Metres.
    pub height: f32,
    pub friction: f32,
}

/// Where a thing is and how it is turned.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pose {
    /// Metres.
    pub position: [f32; 3],
    /// Unit quaternion: x, y, z, w.
    pub turn: [f32; 4],
}

impl Default for Pose {
    fn default() -> Self {
        Pose { position: [0.0; 3], turn: [0.0, 0.0, 0.0, 1.0] }
    }
}

impl Pose {
    /// Where the thing's own axes point.
    pub fn axes(&self) -> [[f32; 3]; 3] {
        let [x, y, z, w] = self.turn.map(f64::from);
        [
            [1.0 - 2.0 * (y * y + z * z), 2.0 * (x * y + z * w), 2.0 * (x * z - y * w)],
            [2.0 * (x * y - z * w), 1.0 - 2.0 * (x * x + z * z), 2.0 * (y * z + x * w)],
            [2.0 * (x * z + y * w), 2.0 * (y * z - x * w), 1.0 - 2.0 * (x * x + y * y)],
        ]
        .map(|a| a.map(|c| c as f32))
    }

    /// From this pose (0) to another (1), straight and by the shorter turn.
    pub fn toward(&self, to: &Pose, t: f32) -> Pose {
        if t <= 0.0 || self == to {
            return *self;
        }
        if t >= 1.0 {
            return *to;
        }
        let t64 = f64::from(t);
        let (a, b) = (self.turn.map(f64::from), to.turn.map(f64::from));
        let cos: f64 = (0..4).map(|k| a[k] * b[k]).sum();
        let sign = if cos < 0.0 { -1.0 } else { 1.0 };
        let angle = libm::acos((cos * sign).min(1.0));
        let (p, q) = if angle < 1e-4 {
            (1.0 - t64, t64)
        } else {
            let per = 1.0 / libm::sin(angle);
            (libm::sin((1.0 - t64) * angle) * per, libm::sin(t64 * angle) * per)
        };
        let turn: [f64; 4] = std::array::from_fn(|k| p * a[k] + sign * q * b[k]);
        let size = turn.iter().map(|c| c * c).sum::<f64>().sqrt();
        Pose {
            position: std::array::from_fn(|k| self.position[k] + t * (to.position[k] - self.position[k])),
            turn: turn.map(|c| (c / size) as f32),
        }
    }

    /// A place in the world as the thing's own.
    pub fn inverse(&self, p: [f32; 3]) -> [f32; 3] {
        let d: [f32; 3] = std::array::from_fn(|k| p[k] - self.position[k]);
        self.axes().map(|a| a[0] * d[0] + a[1] * d[1] + a[2] * d[2])
    }

    /// A place of the thing's own in the world.
    pub fn place(&self, p: [f32; 3]) -> [f32; 3] {
        let [a, b, c] = self.axes();
        std::array::from_fn(|k| self.position[k] + a[k] * p[0] + b[k] * p[1] + c[k] * p[2])
    }
}

/// Something that bodies are kept out of. What moves and changes about it comes with each frame.
#[derive(Clone, Debug, PartialEq)]
pub struct ColliderRest {
    /// Points of bodies are kept out of it.
    pub solid: Option<Solid>,
    /// Its triangles, edges and corners are kept from those of bodies: of a mesh, or of a solid with
    /// edges.
    pub skin: Option<Skin>,
    /// Kept around it, metres.
    pub thickness: f32,
    /// Coulomb; the larger of this and the body's acts.
    pub friction: f32,
    /// For each body, whether it meets it.
    pub meets: Vec<bool>,
}

/// Poses through a frame, evenly spaced from its beginning to its end; between, straight and by the shorter turn.
#[derive(Clone, Debug, PartialEq)]
pub struct Way(Vec<Pose>);

impl Default for Way {
    fn default() -> Self {
        Way(vec![Pose::default()])
    }
}

impl Way {
    /// Where nothing is given, it stays at the origin.
    pub fn through(poses: Vec<Pose>) -> Way {
        if poses.is_empty() { Way::default() } else { Way(poses) }
    }

    /// Straight from a pose to another.
    pub fn straight(from: Pose, to: Pose) -> Way {
        Way(vec![from, to])
    }

    pub fn from(&self) -> Pose {
        self.0[0]
    }

    pub fn to(&self) -> Pose {
        self.0[self.0.len() - 1]
    }

    /// At a moment, from 0 to 1 through the frame.
    pub fn at(&self, t: f32) -> Pose {
        let (k, t) = between(self.0.len(), t);
        self.0[k].toward(&self.0[(k + 1).min(self.0.len() - 1)], t)
    }

    /// As if it had been at its end all the time.
    pub(crate) fn arrived(&self) -> Way {
        Way(vec![self.to()])
    }

    pub fn poses(&self) -> &[Pose] {
        &self.0
    }
}

/// The turn that leads from one to another.
fn turned(to: [f32; 4], from: [f32; 4]) -> [f32; 4] {
    let of = |q: [f32; 4]| glam::DQuat::from_array(q.map(f64::from));
    (of(to) * of(from).inverse()).to_array().map(|c| c as f32)
}

/// Which of so many evenly spaced moments of a frame come before one, from 0 to 1, and how far it is to the next.
fn between(moments: usize, t: f32) -> (usize, f32) {
    let gaps = moments.saturating_sub(1);
    let at = t.clamp(0.0, 1.0) * gaps as f32;
    let k = (at as usize).min(gaps.saturating_sub(1));
    (k, if gaps == 0 { 0.0 } else { at - k as f32 })
}

/// Places of some points through a frame, evenly spaced moments from its beginning to its end.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Places(pub Vec<Arc<Vec<[f32; 3]>>>);

impl Places {
    /// Where each point is at a moment, from 0 to 1 through the frame; `None` where there are none.
    pub fn at(&self, t: f32) -> Option<impl Fn(usize) -> [f32; 3] + '_> {
        let (k, t) = between(self.0.len(), t);
        let a = self.0.get(k)?;
        let b = self.0.get(k + 1).unwrap_or(a);
        Some(move |p: usize| std::array::from_fn(|c| a[p][c] + t * (b[p][c] - a[p][c])))
    }
}

/// A collider on its way through a frame.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ColliderMotion {
    pub way: Way,
    /// Where the points of a skin that changes its shape are in its own frame; none where it keeps it.
    pub shapes: Places,
}

/// What holds some points of a body, on its way through a frame.
#[derive(Clone, Debug, PartialEq)]
pub struct GripMotion {
    /// Number of the body.
    pub body: usize,
    /// As given to the body.
    pub points: Arc<Vec<u32>>,
    pub by: Holder,
    /// Points that it only pulls; none where it holds them for good. Those are `held` before the body moves, these not.
    pub pull: Option<Pull>,
}

/// How strongly a grip pulls its points to where they belong.
#[derive(Clone, Debug, PartialEq)]
pub struct Pull {
    pub by: Draws,
    /// How much of it there is at the frame's beginning and end, 0 to 1.
    pub share: [f32; 2],
    /// What that is multiplied by for each of the grip's points; none is 1 for all.
    pub over: [Option<Arc<Vec<f32>>>; 2],
}

/// What draws a point to where it belongs.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Draws {
    /// As firmly as a sub-step allows.
    Firm,
    /// A spring for each point, N/m.
    Spring(f32),
    /// A spring by weight with as much damping as keeps it from ringing: acceleration over distance, 1/s².
    Follow(f32),
}

impl Pull {
    /// Whether it takes its points along when they are jerked.
    pub(crate) fn holds(&self) -> bool {
        let whole = self.share.iter().all(|s| *s > 0.5) && self.over.iter().all(Option::is_none);
        whole && !matches!(self.by, Draws::Follow(_))
    }

    /// How much there is for a point of the grip at a moment, from 0 to 1 through the frame.
    pub(crate) fn at(&self, point: usize, t: f32) -> f32 {
        let over = |k: usize| self.over[k].as_ref().map_or(1.0, |o| o[point]);
        let [a, b] = [0, 1].map(|k| self.share[k] * over(k));
        a + t * (b - a)
    }
}

/// Where held points go.
#[derive(Clone, Debug, PartialEq)]
pub enum Holder {
    /// With a thing: its pose over that of the first frame.
    Thing { first: Pose, way: Way },
    /// Each to a place of its own, metres.
    Spots(Places, Turns),
}

/// How some points are turned from how they were at first, at evenly spaced moments of a frame: unit quaternions, x, y, z, w. None where
/// nobody asks.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Turns(pub Vec<Arc<Vec<[f32; 4]>>>);

impl GripMotion {
    /// Where one of its points is at a moment, from 0 to 1 through the frame; `rest` is where it started.
    pub(crate) fn places(&self, t: f32) -> impl Fn(usize, [f32; 3]) -> [f32; 3] {
        let (thing, spots) = match &self.by {
            Holder::Thing { first, way } => (Some((*first, way.at(t))), None),
            Holder::Spots(places, _) => (None, places.at(t)),
        };
        move |k, rest| match (&thing, &spots) {
            (Some((first, now)), _) => now.place(first.inverse(rest)),
            (None, Some(at)) => at(k),
            (None, None) => rest,
        }
    }

    /// How one of its points is turned at a moment, from how it was at first.
    pub(crate) fn turns(&self, t: f32) -> impl Fn(usize) -> [f32; 4] {
        let whole = match &self.by {
            Holder::Thing { first, way } => turned(way.at(t).turn, first.turn),
            Holder::Spots(..) => Pose::default().turn,
        };
        let each = match &self.by {
            Holder::Spots(_, turns) if !turns.0.is_empty() => {
                let (k, t) = between(turns.0.len(), t);
                let a = turns.0[k].clone();
                let b = turns.0.get(k + 1).unwrap_or(&a).clone();
                Some((a, b, t))
            }
            _ => None,
        };
        move |k| match &each {
            Some((a, b, t)) => {
                let pose = |turn| Pose { turn, ..Pose::default() };
                pose(a[k]).toward(&pose(b[k]), *t).turn
            }
            None => whole,
        }
    }

    /// What it is as one piece at both ends of the frame.
    pub(crate) fn ends(&self) -> [Pose; 2] {
        let middle = |p: &Arc<Vec<[f32; 3]>>| {
            let per = 1.0 / p.len().max(1) as f64;
            let sum = |c: usize| p.iter().map(|p| f64::from(p[c])).sum::<f64>();
            Pose { position: std::array::from_fn(|c| (sum(c) * per) as f32), ..Pose::default() }
        };
        match &self.by {
            Holder::Thing { way, .. } => [way.from(), way.to()],
            Holder::Spots(p, _) => [p.0.first(), p.0.last()].map(|p| p.map(middle).unwrap_or_default()),
        }
    }

    /// As if it had been at its end all the time.
    pub(crate) fn arrive(&mut self) {
        match &mut self.by {
            Holder::Thing { way, .. } => *way = way.arrived(),
            Holder::Spots(p, t) => {
                p.0 = p.0.last().cloned().into_iter().collect();
                t.0 = t.0.last().cloned().into_iter().collect();
            }
        }
    }
}

/// How a body's rest shape changes through a frame: from its beginning to its end.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct RestMotion {
    /// Number of the body.
    pub body: usize,
    /// What its lengths along warp and along weft are multiplied by.
    pub sides: [[f32; 2]; 2],
    /// What its folds are multiplied by: 0 is flat.
    pub folds: [f32; 2],
}

/// What of a body's matter is other in a frame than when it was built.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct MatterNow {
    /// Number of the body.
    pub body: usize,
    /// 1/s; of no use to loose points.
    pub damping: f32,
    pub drag: f32,
    /// Of no use to loose points.
    pub lift: f32,
    pub friction: f32,
}

/// What gravity and still air do to a body, where that is not as to others.
#[derive(Clone, Debug, PartialEq)]
pub struct Weathered {
    /// Number of the body.
    pub body: usize,
    /// What gravity is multiplied by.
    pub gravity: f32,
    /// How fast still air takes its speed, 1/s.
    pub still: f32,
    /// What each of the two is multiplied by at each point; none is 1.
    pub over: [Option<Arc<Vec<f32>>>; 2],
}

/// A seam of a body on its way through a frame.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct SeamNow {
    /// Numbers of the body, and of the seam there.
    pub body: usize,
    pub seam: usize,
    /// How far it is from closed at the frame's beginning and end: 1 as at the start, 0 closed.
    pub open: [f32; 2],
    /// How much it holds, 0 to 1; 0 is cut.
    pub hold: [f32; 2],
}

/// What fills a chamber through a frame.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct FillNow {
    /// Numbers of the body, and of the chamber there.
    pub body: usize,
    pub chamber: usize,
    pub by: FillBy,
    /// The share of the gas that escapes in a second, as long as its pressure is above that outside, 1/s.
    pub leak: f64,
    /// Of a hole, m².
    pub opening: f64,
}

/// What is kept of a fill; from the frame's beginning to its end.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum FillBy {
    /// Above that outside, Pa.
    Pressure([f64; 2]),
    /// As much gas as takes up so many m³ at the pressure outside.
    Volume([f64; 2]),
    /// The gas that is in it.
    Closed,
}

/// Points of a body tied to another.
#[derive(Clone, Debug, PartialEq)]
pub struct Tie {
    /// Numbers of the body that hangs, and of that which carries it.
    pub bodies: [usize; 2],
    /// As given to the body that hangs; for each its spot.
    pub points: Vec<u32>,
    pub spots: Vec<TieSpot>,
}

/// A place at, or off, a triangle of the body that carries: rides and turns with it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct TieSpot {
    /// As given to the body.
    pub triangle: [u32; 3],
    /// Shares of its corners, 1 together.
    pub shares: [f32; 3],
    /// From there to the place, along its first side, across that, and out of it, metres.
    pub off: [f32; 3],
}

/// A tie through a frame.
#[derive(Clone, Debug, PartialEq)]
pub struct TieNow {
    pub tie: Arc<Tie>,
    /// How much it holds at the frame's beginning and end, 0 to 1.
    pub hold: [f32; 2],
    /// N/m; none holds as firmly as can be.
    pub spring: Option<f32>,
}

/// Points of a body that come, and those that leave, where a frame ends.
#[derive(Clone, Debug, PartialEq)]
pub struct Comings {
    /// Number of the body.
    pub body: usize,
    pub born: Vec<Born>,
    /// As given to the body.
    pub gone: Vec<u32>,
}

/// A point that comes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Born {
    /// As given to the body.
    pub point: u32,
    /// Where it is when the frame ends, metres, and how fast, m/s.
    pub position: [f32; 3],
    pub velocity: [f32; 3],
    /// How fast it turns, where it has a turn, 1/s.
    pub spin: [f32; 3],
}

/// A collider's friction where it is other in a frame than at first.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct FrictionNow {
    /// Number of the collider.
    pub collider: usize,
    pub friction: f32,
}

/// All that one frame needs.
#[derive(Clone, Debug, PartialEq)]
pub struct FrameInputs {
    /// Time at which the frame's interval begins, seconds from the first frame.
    pub start: f64,
    /// Length of the interval, seconds.
    pub duration: f64,
    /// At least 1.
    pub substeps: u32,
    /// m/s².
    pub gravity: [f32; 3],
    /// What moves air or pushes, in the order in which it is summed; bodies by their numbers.
    pub fields: Vec<FieldNow>,
    pub floor: Option<Floor>,
    /// How far where places are told from has gone since the first frame, metres.
    pub gone: [f32; 3],
    /// One for each collider.
    pub colliders: Vec<ColliderMotion>,
    /// Of grips that move.
    pub grips: Vec<GripMotion>,
    /// Of bodies whose rest shape is not simply as it was built.
    pub rests: Vec<RestMotion>,
    /// Of bodies whose matter is not as it was built.
    pub matters: Vec<MatterNow>,
    /// Of colliders whose friction is not as at first.
    pub frictions: Vec<FrictionNow>,
    /// Of bodies to which gravity and still air do otherwise.
    pub weathered: Vec<Weathered>,
    /// Of seams that are not simply closed and hold.
    pub seams: Vec<SeamNow>,
    /// Of chambers; those that are not told of keep the gas that they have.
    pub fills: Vec<FillNow>,
    /// Of bodies that hang on others.
    pub ties: Vec<TieNow>,
    /// Of bodies of which points come or leave where the frame ends.
    pub comings: Vec<Comings>,
    /// Of bodies of pieces that plants let go where the frame ends.
    pub sheds: Vec<ShedNow>,
}

impl FrameInputs {
    /// What gravity and still air do to a body.
    pub(crate) fn weathered(&self, body: usize) -> Option<&Weathered> {
        self.weathered.iter().find(|w| w.body == body)
    }

    /// What is other of a body's matter.
    pub(crate) fn matter_of(&self, body: usize) -> Option<&MatterNow> {
        self.matters.iter().find(|m| m.body == body)
    }

    /// The friction of a collider that has `first` where nothing is said of it.
    pub(crate) fn friction_of(&self, collider: usize, first: f32) -> f32 {
        self.frictions.iter().find(|f| f.collider == collider).map_or(first, |f| f.friction)
    }
}

impl Default for FrameInputs {
    fn default() -> Self {
        FrameInputs {
            start: 0.0,
            duration: 1.0 / 24.0,
            substeps: 10,
            gravity: [0.0, -9.81, 0.0],
            fields: vec![],
            floor: None,
            gone: [0.0; 3],
            colliders: vec![],
            grips: vec![],
            rests: vec![],
            matters: vec![],
            frictions: vec![],
            weathered: vec![],
            seams: vec![],
            fills: vec![],
            ties: vec![],
            comings: vec![],
            sheds: vec![],
        }
    }
}
