//! The colliders that have a formula, and the floor, with the bodies that meet them.
use super::collider::{Axes, Swept, close, meet};
use super::rules::{Pairing, With};
use crate::body::Body;
use crate::inputs::{ColliderMotion, ColliderRest, FrameInputs, Pose, Solid};
use crate::race;
use crate::simd::Shared;
use crate::state::State;
use crate::watch::Watch;
use rayon::prelude::*;

/// Eights of points that one thread takes at least.
const RUN: usize = 128;
/// Between its first sweep and its last, a sub-step looks only at points nearer than so many gaps: the last looks at
/// all.
const ROOM: f32 = 4.0;

/// A collider with a formula, or the floor, with a body that meets it.
pub(super) struct Met<'a> {
    pairing: usize,
    body: usize,
    swept: Swept<'a>,
    /// The first of eight points each that are near.
    near: Vec<u32>,
    /// Those of eight of which contact may move any, where that is known.
    reached: Option<Vec<u32>>,
}

/// The solids that each body meets.
pub(super) fn solids<'a>(
    pairings: &[Pairing],
    colliders: &'a [ColliderRest],
    bodies: &'a [Body],
    frame: &FrameInputs,
    moments: [f32; 2],
) -> Vec<Met<'a>> {
    let mut out = vec![];
    for (number, p) in pairings.iter().enumerate() {
        let body = &bodies[p.body];
        let half = body.outside.half;
        let rub = frame.matter_of(p.body).map_or(body.outside.friction, |m| m.friction);
        let maps = body.outside.maps.each_ref().map(Vec::as_slice);
        match p.with {
            With::Collider(k) => {
                let c = &colliders[k];
                let Some(solid) = &c.solid else { continue };
                let still = ColliderMotion::default();
                let motion = frame.colliders.get(k).unwrap_or(&still);
                let at = |t: f32| Axes::of(&motion.way.at(t));
                let swept = Swept {
                    solid,
                    from: at(moments[0]),
                    to: at(moments[1]),
                    thickness: c.thickness,
                    friction: frame.friction_of(k, c.friction),
                    half,
                    rub,
                    maps,
                };
                out.push(Met { pairing: number, body: p.body, swept, near: vec![], reached: None });
            }
            With::Floor => {
                let Some(f) = frame.floor else { continue };
                let at = Axes::of(&Pose { position: [0.0, f.height, 0.0], ..Pose::default() });
                let (from, to, thickness, friction) = (at, at, 0.0, f.friction);
                let solid = &Solid::Plane;
                let swept = Swept { solid, from, to, thickness, friction, half, rub, maps };
                out.push(Met { pairing: number, body: p.body, swept, near: vec![], reached: None });
            }
            _ => {}
        }
    }
    out
}

fn firsts(points: usize) -> impl IndexedParallelIterator<Item = u32> {
    (0..points.div_ceil(8)).into_par_iter().map(|k| 8 * k as u32)
}

/// Finds which points are near what they meet, and adds them to those that are `pressed`: for each body, whether
/// contact may move any of eight points. `gap` is what that keeps, metres.
pub(super) fn look(
    solids: &mut [Met],
    states: &[State],
    gap: f32,
    pressed: &mut [Vec<bool>],
    watch: &dyn Watch,
) {
    for m in &mut *solids {
        let s = &states[m.body];
        m.near = watch.between(m.pairing, || {
            let near = |first: &u32| close(&m.swept, &s.x, &s.start, *first, s.points, ROOM * gap);
            firsts(s.points).with_min_len(RUN).filter(near).collect()
        });
        m.near.iter().for_each(|first| pressed[m.body][*first as usize / 8] = true);
    }
    // What one of them pushes may come to another.
    for m in solids {
        let here = |first: &u32| pressed[m.body][*first as usize / 8];
        m.reached = Some((0..states[m.body].points as u32).step_by(8).filter(here).collect());
    }
}

/// Keeps points out of what they meet: `all` that may have come there, or those that are near.
pub(super) fn meet_solids(
    solids: &[Met],
    states: &mut [State],
    touching: &mut [usize],
    dt: f32,
    all: bool,
    watch: &dyn Watch,
) {
    for m in solids {
        let s = &mut states[m.body];
        let points = s.points;
        let (x, met) = (Shared::of(s.x.as_mut_ptr()), Shared::of(s.loads.met.as_mut_ptr()));
        let start = s.start.as_slice();
        race::phase();
        let task = race::task();
        // Safety: each eight points are one thread's.
        let each = |few: &[u32]| unsafe {
            meet(&m.swept, x.get(), met.get(), start.as_ptr(), few.iter().copied(), points, dt)
        };
        let all_of = |points: &[u32]| -> usize {
            points.par_chunks(RUN).enumerate().map(|(k, few)| race::within(&task, k, || each(few))).sum()
        };
        touching[m.pairing] = watch.between(m.pairing, || match (all, &m.reached) {
            (true, Some(reached)) => all_of(reached),
            (true, None) => all_of(&firsts(points).collect::<Vec<_>>()),
            (false, _) => all_of(&m.near),
        });
    }
}
