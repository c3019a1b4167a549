//! The colliders that have a formula, and the floor, with the cloths that meet them.
use super::collider::{Frame, Swept, meet};
use super::touch::{Pairing, With};
use crate::build::Cloth;
use crate::inputs::{ColliderMotion, ColliderRest, FrameInputs, Pose, Scaled, Solid};
use crate::simd::Shared;
use crate::state::State;
use crate::watch::Watch;
use rayon::prelude::*;

/// Points that one thread takes at least.
const RUN: usize = 1024;

/// The solids that each cloth meets, with the number of the pairing and of the cloth.
pub(super) fn solids<'a>(
    pairings: &[Pairing],
    colliders: &'a [ColliderRest],
    cloths: &'a [Cloth],
    frame: &FrameInputs,
    moments: [f32; 2],
) -> Vec<(usize, usize, Swept<'a>)> {
    let mut out = vec![];
    for (number, p) in pairings.iter().enumerate() {
        let cloth = &cloths[p.cloth];
        let (half, rub) = (0.5 * cloth.matter.thickness, cloth.matter.friction);
        let maps = [cloth.maps.of(Scaled::Thickness), cloth.maps.of(Scaled::Friction)];
        match p.with {
            With::Collider(k) => {
                let c = &colliders[k];
                let Some(solid) = &c.solid else { continue };
                let still = ColliderMotion::default();
                let motion = frame.colliders.get(k).unwrap_or(&still);
                let at = |t: f32| Frame::of(&motion.from.toward(&motion.to, t));
                out.push((
                    number,
                    p.cloth,
                    Swept {
                        solid,
                        from: at(moments[0]),
                        to: at(moments[1]),
                        thickness: c.thickness,
                        friction: c.friction,
                        half,
                        rub,
                        maps,
                    },
                ));
            }
            With::Floor => {
                let Some(f) = frame.floor else { continue };
                let at = Frame::of(&Pose { position: [0.0, f.height, 0.0], ..Pose::default() });
                let (from, to, thickness, friction) = (at, at, 0.0, f.friction);
                let solid = &Solid::Plane;
                let swept = Swept { solid, from, to, thickness, friction, half, rub, maps };
                out.push((number, p.cloth, swept));
            }
            _ => {}
        }
    }
    out
}

pub(super) fn meet_solids(
    solids: &[(usize, usize, Swept)],
    states: &mut [State],
    touching: &mut [usize],
    dt: f32,
    watch: &impl Watch,
) {
    for (number, cloth, swept) in solids {
        let s = &mut states[*cloth];
        let n = s.points;
        let (x, start) = (Shared::of(s.x.as_mut_ptr()), s.start.as_slice());
        touching[*number] = watch.between(*number, || {
            let run = |k: usize| {
                // Safety: each run of points is one thread's.
                unsafe { meet(swept, x.get(), start.as_ptr(), k * RUN, ((k + 1) * RUN).min(n), dt) }
            };
            (0..n.div_ceil(RUN)).into_par_iter().map(run).sum()
        });
    }
}
