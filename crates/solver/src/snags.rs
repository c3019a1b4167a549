//! Faults of a frame, measured on what was computed: crossings, points inside colliders, overstretch, pops.
use crate::build::Cloth;
use crate::contact::collider::depths;
use crate::contact::{Contact, Pairing, With};
use crate::inputs::{FrameInputs, Pose, Scaled};
use crate::leap::collider_leaps;
use crate::state::State;

/// A thread longer than at rest by more than this share is overstretched.
pub const OVERSTRETCH: f64 = 0.15;
/// A point deeper in a collider than this share of the cloth's thickness is inside.
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
    /// Triangles whose threads are stretched beyond 15 %: worst as a share.
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

/// One kind of fault of one cloth in one frame.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Snag {
    pub fault: Fault,
    pub cloth: usize,
    /// What it crosses or is inside.
    pub with: Option<With>,
    pub count: usize,
    pub worst: f64,
    /// A point where it is, as given.
    pub point: usize,
}

/// All snags of a frame: `frame` led to the states as they are, and `before` has the places of all points, as
/// given, one frame earlier.
pub fn snags(
    cloths: &[Cloth],
    states: &[State],
    contact: &mut Contact,
    frame: &FrameInputs,
    before: &[Vec<[f32; 3]>],
) -> Vec<Snag> {
    let mut out = contact.crossings(cloths, states, frame);
    let collider_leaps = collider_leaps(frame);
    let leap = |cloth: usize, with: Option<With>, way: f32| Snag {
        fault: Fault::Leap,
        cloth,
        with,
        count: 1,
        worst: f64::from(way),
        point: 0,
    };
    let carried = states.iter().enumerate().filter(|(_, s)| s.leapt > 0.0);
    out.extend(carried.map(|(k, s)| leap(k, None, s.leapt)));
    out.extend(contact.pairings().iter().filter_map(|p| match p.with {
        With::Collider(c) => Some(leap(p.cloth, Some(p.with), collider_leaps.get(c).copied()??)),
        _ => None,
    }));
    out.extend(
        contact
            .pairings()
            .iter()
            .filter_map(|p| inside(*p, &cloths[p.cloth], &states[p.cloth], contact, frame)),
    );
    for (k, cloth) in cloths.iter().enumerate() {
        out.extend(overstretch(k, cloth, &states[k]));
        if states[k].leapt == 0.0 {
            out.extend(before.get(k).and_then(|before| pops(k, cloth, &states[k], before)));
        }
    }
    out
}

/// Points of a cloth inside of what a pairing has it meet.
fn inside(
    pairing: Pairing,
    cloth: &Cloth,
    state: &State,
    contact: &Contact,
    frame: &FrameInputs,
) -> Option<Snag> {
    let limit = INSIDE * cloth.matter.thickness;
    let mut found = (0usize, 0.0f32, 0usize);
    let mut see = |place: usize, deep: f32| {
        let scale = cloth.maps.of(Scaled::Thickness).get(place).unwrap_or(&1.0);
        if deep > limit * scale {
            found.0 += 1;
            if deep > found.1 {
                (found.1, found.2) = (deep, place);
            }
        }
    };
    let x = &state.x[..cloth.points()];
    match pairing.with {
        With::Collider(c) => {
            let pose = frame.colliders.get(c).map(|m| m.to).unwrap_or_default();
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
        cloth: pairing.cloth,
        with: Some(pairing.with),
        count,
        worst: f64::from(worst),
        point: cloth.given(place),
    })
}

/// Triangles whose threads are longer than may be, against the rest of the moment.
fn overstretch(k: usize, cloth: &Cloth, state: &State) -> Option<Snag> {
    let (mut count, mut worst, mut at, mut t) = (0, 0.0f64, 0usize, 0usize);
    cloth.columns(state, |_, [u, v]| {
        let s = u.max(v) / f64::from(state.stretched[0]) - 1.0;
        count += usize::from(s > OVERSTRETCH);
        if s > worst {
            (worst, at) = (s, t);
        }
        t += 1;
    });
    let point = cloth.given(cloth.triangles[at][0] as usize);
    (count > 0).then_some(Snag { fault: Fault::Overstretch, cloth: k, with: None, count, worst, point })
}

/// Points whose way through the frame departs from the mean of their neighbours'. On a border those lie to one side:
/// where it turns, as a corner that flaps does, it departs from them without jumping, so that it may go farther by
/// how far it is from their mean at rest.
fn pops(k: usize, cloth: &Cloth, state: &State, before: &[[f32; 3]]) -> Option<Snag> {
    let n = cloth.points();
    let far = |d: [f64; 3]| d.iter().map(|c| c * c).sum::<f64>().sqrt();
    let way = |place: usize| -> [f64; 3] {
        let (x, b) = (state.x[place].xyz(), before[cloth.given(place)]);
        std::array::from_fn(|c| f64::from(x[c]) - f64::from(b[c]))
    };
    let (mut sums, mut leans) = (vec![[0.0f64; 3]; n], vec![[0.0f64; 3]; n]);
    let (mut counts, mut lengths) = (vec![0.0f64; n], vec![0.0f64; n]);
    for t in &cloth.triangles {
        for i in 0..3 {
            let (p, q) = (t[i] as usize, t[(i + 1) % 3] as usize);
            let (wp, wq) = (way(p), way(q));
            let (a, b) = (cloth.rest[p].xyz(), cloth.rest[q].xyz());
            let d: [f64; 3] = std::array::from_fn(|c| f64::from(b[c] - a[c]));
            let length = far(d);
            for (to, w, side) in [(p, wq, 1.0), (q, wp, -1.0)] {
                (0..3).for_each(|c| sums[to][c] += w[c]);
                (0..3).for_each(|c| leans[to][c] += side * d[c]);
                counts[to] += 1.0;
                lengths[to] += length;
            }
        }
    }
    let (mut count, mut worst, mut at) = (0, 0.0f64, 0);
    for p in (0..n).filter(|&p| counts[p] > 0.0) {
        let w = way(p);
        let off = far(std::array::from_fn(|c| w[c] - sums[p][c] / counts[p]));
        let share = off * counts[p] / (lengths[p] + far(leans[p])).max(1e-12);
        count += usize::from(share > POP);
        if share > worst {
            (worst, at) = (share, p);
        }
    }
    (count > 0).then(|| Snag {
        fault: Fault::Pop,
        cloth: k,
        with: None,
        count,
        worst,
        point: cloth.given(at),
    })
}
