//! What holds the points of a body together. A model is one file or room of the same verbs in the same order: `build`
//! makes a body, `Own` is what it keeps in a state, `Begun` what a frame's sub-steps have in common; that has `look`,
//! before anything moves, `relax`, after points have gone where their velocities lead, `settle`, after contact has moved some, `met`, once all
//! is apart, and `start` and `finish`, where a frame begins and ends.
//! Faults and sums are asked for after. A model sees no other, nor who touches its points.
pub mod cloth;
pub mod free;

use crate::body::Body;
use crate::inputs::{FrameInputs, Gas};
use crate::measure::{Energy, Strain};
use crate::snags::Snag;
use crate::state::State;
use crate::watch::Watch;

/// The model of a body.
pub(crate) enum Model {
    Cloth(Box<cloth::Cloth>),
    Free(free::Free),
}

/// What a model keeps in a state beside the points.
#[derive(Clone, Debug)]
pub(crate) enum Own {
    Cloth(Box<cloth::Own>),
    Free,
}

/// What all sub-steps of a frame have in common for the model of a body.
pub(crate) enum Begun<'a> {
    Cloth(Box<cloth::Begun<'a>>),
    Free(free::Begun<'a>),
}

impl Model {
    pub fn own(&self, body: &Body) -> Own {
        match self {
            Model::Cloth(m) => Own::Cloth(Box::new(m.own(body))),
            Model::Free(_) => Own::Free,
        }
    }

    /// For sub-steps of `dt` seconds.
    pub fn begin<'a>(&'a self, body: &'a Body, number: usize, frame: &'a FrameInputs, dt: f32) -> Begun<'a> {
        match self {
            Model::Cloth(m) => Begun::Cloth(Box::new(cloth::Begun::new(m, body, number, frame, dt))),
            Model::Free(m) => Begun::Free(free::Begun::new(m, number, frame, dt)),
        }
    }

    /// What its chambers hold before anything moves.
    pub fn filled(&self) -> Vec<Gas> {
        match self {
            Model::Cloth(m) => m.filled(),
            Model::Free(_) => vec![],
        }
    }

    pub fn chambers(&self) -> usize {
        match self {
            Model::Cloth(m) => m.chambers(),
            Model::Free(_) => 0,
        }
    }

    pub fn constraints(&self) -> usize {
        match self {
            Model::Cloth(m) => m.constraints,
            Model::Free(_) => 0,
        }
    }

    pub fn strain(&self, state: &State) -> Strain {
        match (self, &state.own) {
            (Model::Cloth(m), Own::Cloth(own)) => m.strain(state, own),
            _ => Strain::default(),
        }
    }

    /// Adds what the model stores.
    pub fn energy(&self, state: &State, sum: &mut Energy) {
        if let (Model::Cloth(m), Own::Cloth(own)) = (self, &state.own) {
            m.energy(state, own, sum);
        }
    }

    /// Faults of its own; `before` has where the points were a frame earlier, as given, unless they were carried.
    pub fn snags(&self, body: &Body, number: usize, state: &State, before: Option<&[[f32; 3]]>) -> Vec<Snag> {
        match (self, &state.own) {
            (Model::Cloth(m), Own::Cloth(own)) => m.snags((body, number), state, own, before),
            _ => vec![],
        }
    }
}

impl Begun<'_> {
    /// Measures what the sub-step is told of where it starts, if anything. `moment` is its end's, from 0 to 1 through
    /// the frame.
    pub fn look(&self, moment: f32, state: &mut State, watch: &dyn Watch) {
        self.with(state, |b, state, own| {
            if let (Begun::Cloth(b), Own::Cloth(own)) = (b, own) {
                b.look(moment, state, own, watch);
            }
        });
    }

    /// Moves the points by what holds them together and by the air.
    pub fn relax(&self, moment: f32, state: &mut State, watch: &dyn Watch) {
        self.with(state, |b, state, own| match (b, own) {
            (Begun::Cloth(b), Own::Cloth(own)) => b.relax(moment, state, own, watch),
            (Begun::Free(b), _) => b.relax(state, watch),
            _ => {}
        });
    }

    /// After contact has moved points: what is stiff about them follows. Gives the most that any moved, metres.
    pub fn settle(&self, moment: f32, state: &mut State, watch: &dyn Watch) -> f32 {
        self.with(state, |b, state, own| match (b, own) {
            (Begun::Cloth(b), Own::Cloth(own)) => b.settle(moment, state, own, watch),
            _ => 0.0,
        })
    }

    /// A frame begins.
    pub fn start(&self, state: &mut State) {
        if let (Begun::Cloth(b), Own::Cloth(own)) = (self, &mut state.own) {
            b.start(own);
        }
    }

    /// Notes what colliders hold where a sub-step ends.
    pub fn met(&self, state: &mut State) {
        self.with(state, |b, state, own| {
            if let (Begun::Cloth(b), Own::Cloth(own)) = (b, own) {
                b.met(state, own);
            }
        });
    }

    /// Notes what the frame's end is measured against.
    pub fn finish(&self, state: &mut State) {
        if let (Begun::Cloth(b), Own::Cloth(own)) = (self, &mut state.own) {
            b.finish(own);
        }
    }

    fn with<R>(&self, state: &mut State, work: impl FnOnce(&Self, &mut State, &mut Own) -> R) -> R {
        let mut own = std::mem::replace(&mut state.own, Own::Free);
        let done = work(self, state, &mut own);
        state.own = own;
        done
    }
}
