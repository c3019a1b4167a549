//! What plants let go: where a frame ends, pieces whose chance has passed leave their places on a plant, and fly from there.
//!
//! A piece lets go once the chances of its rule have added up to what that one is given, which is as good as a die that is thrown all the time (a
//! Poisson process by its integrated rate); so the same seed lets the same leaves go, however finely time is cut.
use crate::body::Body;
use crate::inputs::{Born, Comings, FrameInputs};
use crate::model::{Model, Own};
use crate::state::State;

/// Pieces that a plant lets go through a frame.
#[derive(Clone, Debug, PartialEq)]
pub struct ShedNow {
    /// Numbers of the body of pieces, and of the plant.
    pub body: usize,
    pub from: usize,
    /// By rule: its chance, 1/s, and the speed of air from which on it has one, m/s.
    pub rules: Vec<[f32; 2]>,
}

/// After a frame.
pub(crate) fn shed(bodies: &[Body], states: &mut [State], frame: &FrameInputs) {
    for now in &frame.sheds {
        let Model::Free(model) = &bodies[now.body].model else { continue };
        let Some(rest) = model.shed.as_ref().filter(|r| !r.after.is_empty()) else { continue };
        let Own::Free(mut own) = states[now.body].lend() else { continue };
        let (plant, sites) = (&bodies[now.from], rest.sites.len());
        let mut born = vec![];
        let mut gone = vec![];
        let mut faces = vec![];
        for (piece, site) in rest.sites.iter().enumerate() {
            let place = plant.place(*site) as usize;
            let from = &states[now.from];
            // What is away was let go, by whoever.
            let done = own.passed[piece].is_infinite() || (rest.whole && from.is_away(place));
            if done {
                continue;
            }
            let [x, y, z] = from.air[place].xyz();
            let air = (x * x + y * y + z * z).sqrt();
            let mut lets = false;
            for (rule, [chance, over]) in now.rules.iter().enumerate() {
                let at = rule * sites + piece;
                if air >= *over && rest.after[rule][piece].is_finite() {
                    own.passed[at] += chance * frame.duration as f32;
                    lets |= own.passed[at] >= rest.after[rule][piece];
                }
            }
            if !lets {
                continue;
            }
            own.passed[piece] = f32::INFINITY;
            let at = from.x[place].xyz();
            born.push(Born {
                point: piece as u32,
                position: at,
                velocity: from.v[place].xyz(),
                spin: [0.0; 3],
            });
            if let Model::Rods(rods) = &plant.model {
                faces.push((piece, rods.faces(from, place)));
            }
            if rest.whole {
                gone.push(*site);
            }
        }
        states[now.body].own = Own::Free(own);
        let passed = |body: usize, born: Vec<Born>, gone: Vec<u32>| Comings { body, born, gone };
        let pull = |body: usize| frame.gravity.map(|g| g * frame.weathered(body).map_or(1.0, |w| w.gravity));
        states[now.body].pass(&bodies[now.body], &passed(now.body, born, vec![]), pull(now.body));
        states[now.from].pass(plant, &passed(now.from, vec![], gone), pull(now.from));
        if let Own::Free(own) = &mut states[now.body].own {
            faces
                .into_iter()
                .for_each(|(piece, face)| own.face(bodies[now.body].place(piece as u32) as usize, face));
        }
    }
}
