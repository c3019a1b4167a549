//! A body ready to be moved: its points in the order of its parts, what others can touch of it, and the model that holds
//! it together.
use crate::damping::{Rigid, Sums};
use crate::inputs::{Rest, Scaled};
use crate::load::Loads;
use crate::measure::{Energy, Strain};
use crate::model::Model;
use crate::model::cloth::{self, ClothRest};
use crate::model::free::{self, FreeRest};
use crate::model::rod::{self, StrandRest};
use crate::parts::Parts;
use crate::simd::Record;
use crate::state::State;

/// Why what is given can't be a body.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum BuildError {
    #[error("it needs at least one {0}")]
    Empty(&'static str),
    #[error("{what} has {found} entries where there are {expected}")]
    Lengths { what: &'static str, found: usize, expected: usize },
    #[error("triangle {triangle} has no rest area")]
    NoArea { triangle: usize },
    #[error("from point {point} to the next there is no way")]
    NoLength { point: usize },
    #[error("point {point} comes after itself, or after one that comes after it")]
    NoWay { point: usize },
    #[error("point {point} is not at a finite place")]
    NotFinite { point: usize },
    #[error("{what} is {value}; it must be finite and {limit}")]
    Matter { what: &'static str, value: f32, limit: &'static str },
    #[error("the map of {what:?} is {value} at point {point}; it must be finite and {limit}")]
    Map { what: Scaled, point: usize, value: f32, limit: &'static str },
}

/// What a body touches others with, by place: triangles with their edges and corners, segments with their ends, and points alone.
#[derive(Clone, Debug, Default)]
pub(crate) struct Features {
    pub points: Vec<u32>,
    pub segments: Vec<[u32; 2]>,
    pub triangles: Vec<[u32; 3]>,
}

impl Features {
    /// Those that have a point of which something is true.
    pub fn about(&self, is: impl Fn(u32) -> bool) -> Vec<u32> {
        let segments = self.segments.iter().filter(|s| s.iter().any(|p| is(*p))).flatten();
        let triangles = self.triangles.iter().filter(|t| t.iter().any(|p| is(*p))).flatten();
        let points = self.points.iter().filter(|p| is(**p));
        points.chain(segments).chain(triangles).copied().collect()
    }
}

/// What others touch of a body. Arrays are by place.
pub(crate) struct Outside {
    /// What of it touches.
    pub features: Features,
    /// Where the points are in the shape that it comes back to, if that is not where they start: what is near there is
    /// no contact.
    pub shape: Option<Vec<Record>>,
    /// How far the skin is from the middle, metres: half a thickness, or a radius.
    pub half: f32,
    pub friction: f32,
    /// What `half` and `friction` are multiplied by; empty is 1 everywhere.
    pub maps: [Vec<f32>; 2],
}

impl Outside {
    /// The largest of a map; 1 where it is empty.
    pub fn most(map: &[f32]) -> f32 {
        map.iter().copied().reduce(f32::max).unwrap_or(1.0)
    }

    /// The largest half anywhere, metres.
    pub fn most_half(&self) -> f32 {
        self.half * Outside::most(&self.maps[0])
    }

    pub fn most_friction(&self) -> f32 {
        self.friction * Outside::most(&self.maps[1])
    }

    /// The maps as shares of their most.
    pub fn shares(&self) -> [Vec<f32>; 2] {
        self.maps.each_ref().map(|map| {
            let per = 1.0 / Outside::most(map).max(1e-12);
            map.iter().map(|s| s * per).collect()
        })
    }
}

/// A body ready to be moved. Arrays are by place, which is the order of the parts.
pub struct Body {
    pub(crate) parts: Parts,
    /// The place of each point as given.
    pub(crate) places: Vec<u32>,
    /// Where each point starts and its inverse mass; spare points follow.
    pub(crate) rest: Vec<Record>,
    /// Mass of each point, kg, held or not.
    pub(crate) mass: Vec<f32>,
    /// What of its skin is each point's, m², seen from one side.
    pub(crate) area: Vec<f32>,
    /// Whether any point is held.
    pub(crate) held: bool,
    /// Whether points come and leave: those without an inverse mass at rest are not there at first.
    pub(crate) comes: bool,
    /// How far points lie apart at rest, in the mean, metres.
    pub(crate) apart: f32,
    /// 1/s, relative to the body's rigid motion, and what that is multiplied by; empty is 1 everywhere.
    pub(crate) damping: f32,
    pub(crate) damped: Vec<f32>,
    /// Whether air acts on it.
    pub(crate) airy: bool,
    pub(crate) outside: Outside,
    pub(crate) model: Model,
}

impl Body {
    /// # Errors
    /// When the arrays don't fit each other, or hold what no such body can have.
    pub fn build(rest: &Rest) -> Result<Body, BuildError> {
        match rest {
            Rest::Cloth(rest) => Body::cloth(rest),
            Rest::Free(rest) => Body::free(rest),
            Rest::Strands(rest) => Body::strands(rest),
        }
    }

    /// Triangles that resist stretch, shear and bend.
    ///
    /// # Errors
    /// As for [`Body::build`].
    pub fn cloth(rest: &ClothRest) -> Result<Body, BuildError> {
        cloth::build(rest)
    }

    /// Loose points with a radius, that nothing holds together.
    ///
    /// # Errors
    /// As for [`Body::build`].
    pub fn free(rest: &FreeRest) -> Result<Body, BuildError> {
        free::build(rest)
    }

    /// Thin rods that stretch, bend and twist.
    ///
    /// # Errors
    /// As for [`Body::build`].
    pub fn strands(rest: &StrandRest) -> Result<Body, BuildError> {
        rod::build(rest)
    }

    /// The state at rest, where every run begins.
    pub fn start(&self) -> State {
        let zero = vec![Record::default(); self.rest.len()];
        let mut state = State {
            x: self.rest.clone(),
            free: zero.clone(),
            v: zero.clone(),
            air: zero.clone(),
            push: vec![],
            flow: zero.clone(),
            own: self.model.own(self),
            away: if self.comes {
                // What is held is there.
                self.rest[..self.points()].iter().map(|x| !self.held && x.0[3] == 0.0).collect()
            } else {
                vec![]
            },
            leapt: 0.0,
            start: self.rest.clone(),
            gained: zero.clone(),
            remainder: zero.clone(),
            was: zero.clone(),
            way: zero.clone(),
            dt: 0.0,
            loads: Loads::none(self.points(), self.rest.len(), self.apart),
            points: self.points(),
            tangled: true,
            rigid: Rigid::default(),
        };
        state.rigid = self.rigid(&state);
        state
    }

    /// How many points were given: as many as places are told for.
    pub fn given_points(&self) -> usize {
        self.places.len()
    }

    /// How many points move: those that are welded are one.
    pub fn points(&self) -> usize {
        self.mass.len()
    }

    /// How many scalar constraints its model has.
    pub fn constraints(&self) -> usize {
        self.model.constraints()
    }

    /// Mass of the whole body, kg, held points included.
    pub fn mass(&self) -> f64 {
        self.mass.iter().map(|m| f64::from(*m)).sum()
    }

    /// Mass of each point, kg, in the order in which they were given; those that are welded have that of all.
    pub fn masses(&self) -> Vec<f64> {
        self.places.iter().map(|&p| f64::from(self.mass[p as usize])).collect()
    }

    /// Strain along warp and weft; none where there are no threads.
    pub fn strain(&self, state: &State) -> Strain {
        self.model.strain(state)
    }

    /// Energy under a gravity along y, m/s².
    pub fn energy(&self, state: &State, gravity: f64) -> Energy {
        let mut e = Energy::default();
        for k in 0..self.points() {
            let m = f64::from(self.mass[k]);
            let v2: f64 = state.v[k].xyz().iter().map(|c| f64::from(*c).powi(2)).sum();
            e.kinetic += 0.5 * m * v2;
            e.height -= m * gravity * f64::from(state.x[k].0[1]);
        }
        self.model.energy(state, &mut e);
        e
    }

    pub(crate) fn leaves(&self) -> impl Iterator<Item = (usize, usize)> {
        self.parts.tree.iter().filter(|p| p.halves.is_none()).map(|p| (p.from, p.to))
    }

    /// What damping is relative to: the body's own rigid motion, or that of what holds it, which so far
    /// stands still.
    pub(crate) fn rigid(&self, state: &State) -> Rigid {
        if self.held {
            return Rigid::default();
        }
        let mut sums = Sums::default();
        for (from, to) in self.leaves() {
            sums.add(&Sums::of(&state.x[from..to], &state.v[from..to], |k| self.mass[from + k]));
        }
        sums.rigid()
    }

    /// Coordinates of records in the order in which the points were given.
    pub(crate) fn scatter(&self, records: &[Record]) -> Vec<[f32; 3]> {
        self.places.iter().map(|&p| records[p as usize].xyz()).collect()
    }

    /// The place of a given point.
    pub(crate) fn place(&self, point: u32) -> u32 {
        self.places[point as usize]
    }

    /// The given number of the point at a place.
    pub(crate) fn given(&self, place: usize) -> usize {
        self.parts.order[place] as usize
    }
}
