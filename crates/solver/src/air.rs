//! The air that a body's points meet.
use crate::body::Body;
use crate::inputs::FrameInputs;
use crate::simd::{F8, Record, V8};
use crate::state::State;
use crate::watch::{Phase, Watch};
use nematon_air::Air;
use rayon::prelude::*;

/// Fills the state's air, and what pushes, for all points of the body of that number.
pub(crate) fn sample(
    (body, number): (&Body, usize),
    state: &mut State,
    frame: &FrameInputs,
    time: f64,
    watch: &dyn Watch,
) {
    let n = body.points();
    let fill = |air: &Air, x: &[Record], out: &mut [Record]| {
        let work = |x: &[Record], out: &mut [Record]| {
            watch.during(Phase::Air, || {
                for (x, out) in x.chunks(8).zip(out.chunks_mut(8)) {
                    let lane = |c: usize| F8::new(&std::array::from_fn(|l| x[l.min(x.len() - 1)].0[c]));
                    let v = air.eight(V8([lane(0), lane(1), lane(2)])).0.map(F8::array);
                    for (l, r) in out.iter_mut().enumerate() {
                        *r = Record([v[0][l], v[1][l], v[2][l], 0.0]);
                    }
                }
            });
        };
        x.par_chunks(1024).zip(out.par_chunks_mut(1024)).for_each(|(x, out)| work(x, out));
    };
    fill(&Air::at(&frame.fields, Some(number), time), &state.x[..n], &mut state.air[..n]);
    let pushes = Air::pushes(&frame.fields, Some(number), time);
    let forces = Air::forces(&frame.fields, Some(number), time);
    if pushes.is_still() && forces.is_still() {
        return state.push.clear();
    }
    state.push.resize(n, Record::default());
    fill(&pushes, &state.x[..n], &mut state.push);
    if !forces.is_still() {
        let mut by = vec![Record::default(); n];
        fill(&forces, &state.x[..n], &mut by);
        for ((to, by), (area, mass)) in state.push.iter_mut().zip(by).zip(body.area.iter().zip(&body.mass)) {
            let times = area / mass.max(1e-12);
            (0..3).for_each(|c| to.0[c] += by.0[c] * times);
        }
    }
}
