//! Faults of a frame, measured on what was computed: crossings, points inside colliders, overstretch, pops.
use crate::body::Body;
use crate::contact::collider::depths;
use crate::contact::{Contact, Pairing, With};
use crate::inputs::{FrameInputs, Pose};
use crate::leap::collider_leaps;
use crate::state::State;

/// A thread longer than at rest by more than this share is overstretched.
pub const OVERSTRETCH: f64 = 0.15;
/// A point deeper in a collider than this share of the body's thickness is inside.
pub const INSIDE: f32 = 0.1;
/// A point that leaves its neighbours within a frame by more than this many of their distances has popped; on a
/// border their distances and how far it is from their mean.
pub const POP: f64 = 1.6;

/// What kind of fault.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Fault {
    /// Triangles that go through each other: pairs of them.
    Crossing,
    /// Points inside a collider or under the floor: worst in metres.
    Inside,
    /// Triangles whose threads are stretched beyond 15 %, or beyond what was promised: worst as a share.
    Overstretch,
    /// Points that jump away from their neighbours within a frame: worst in their distances.
    Pop,
    /// What holds the body, or a collider it meets, went further than can be followed: worst in metres.
    Leap,
}

impl Fault {
    pub const ALL: [Fault; 5] = [Fault::Crossing, Fault::Inside, Fault::Overstretch, Fault::Pop, Fault::Leap];

    pub fn name(self) -> &'static str {
        match self {
            Fault::Crossing => "crossing",
            Fault::Inside => "inside",
            Fault::Overstretch => "overstretch",
            Fault::Pop => "pop",
            Fault::Leap => "leap",
        }
    }
}

/// One kind of fault of one body in one frame.
#[derive(Clone, Debug, PartialEq)]
pub struct Snag {
    pub fault: Fault,
    pub body: usize,
    /// What it crosses or is inside.
    pub with: Option<With>,
    pub count: usize,
    pub worst: f64,
    /// A point where it is, as given.
    pub point: usize,
    /// The corners of the triangles that are at fault, as given: of no more than `SHOWN`, and none where triangles are not.
    pub triangles: Vec<[u32; 3]>,
}

/// Triangles that a snag names at most.
pub const SHOWN: usize = 200;

/// What a body is looked at against.
#[derive(Clone, Copy)]
pub(crate) struct Against<'a> {
    /// Where its points were a frame earlier, as given, unless they were carried.
    pub before: Option<&'a [[f32; 3]]>,
    /// How much longer than at rest a thread may be, as a share.
    pub stretch: f64,
}

/// All snags of a frame: `frame` led to the states as they are, and `before` has the places of all points, as
/// given, one frame earlier. A thread is overstretched beyond `stretch`.
pub fn snags(
    bodies: &[Body],
    states: &[State],
    contact: &mut Contact,
    frame: &FrameInputs,
    before: &[Vec<[f32; 3]>],
    stretch: f64,
) -> Vec<Snag> {
    let mut out = contact.crossings(bodies, states, frame);
    let collider_leaps = collider_leaps(frame);
    let leap = |body: usize, with: Option<With>, way: f32| Snag {
        fault: Fault::Leap,
        body,
        with,
        count: 1,
        worst: f64::from(way),
        point: 0,
        triangles: vec![],
    };
    let carried = states.iter().enumerate().filter(|(_, s)| s.leapt > 0.0);
    out.extend(carried.map(|(k, s)| leap(k, None, s.leapt)));
    out.extend(contact.pairings().iter().filter_map(|p| match p.with {
        With::Collider(c) => Some(leap(p.body, Some(p.with), collider_leaps.get(c).copied()??)),
        _ => None,
    }));
    out.extend(
        contact
            .pairings()
            .iter()
            .filter_map(|p| inside(*p, &bodies[p.body], &states[p.body], contact, frame)),
    );
    for (k, body) in bodies.iter().enumerate() {
        let before = before.get(k).filter(|_| states[k].leapt == 0.0).map(Vec::as_slice);
        out.extend(body.model.snags((body, k), &states[k], Against { before, stretch }));
    }
    out
}

/// Points of a body inside of what a pairing has it meet.
fn inside(
    pairing: Pairing,
    body: &Body,
    state: &State,
    contact: &Contact,
    frame: &FrameInputs,
) -> Option<Snag> {
    let limit = INSIDE * 2.0 * body.outside.half;
    let mut found = (0usize, 0.0f32, 0usize);
    let mut see = |place: usize, deep: f32| {
        let scale = body.outside.maps[0].get(place).unwrap_or(&1.0);
        if deep > limit * scale && !state.is_away(place) {
            found.0 += 1;
            if deep > found.1 {
                (found.1, found.2) = (deep, place);
            }
        }
    };
    let x = &state.x[..body.points()];
    match pairing.with {
        With::Collider(c) => {
            let pose = frame.colliders.get(c).map(|m| m.way.to()).unwrap_or_default();
            match contact.solid(c) {
                Some(solid) => depths(solid, &pose, x, &mut see),
                None => contact.depths_in_skin(c, x, &mut see),
            }
        }
        With::Floor => {
            let pose = Pose { position: [0.0, frame.floor?.height, 0.0], ..Pose::default() };
            depths(&crate::inputs::Solid::Plane, &pose, x, &mut see);
        }
        _ => return None,
    }
    let (count, worst, place) = found;
    (count > 0).then(|| Snag {
        fault: Fault::Inside,
        body: pairing.body,
        with: Some(pairing.with),
        count,
        worst: f64::from(worst),
        point: body.given(place),
        triangles: vec![],
    })
}
