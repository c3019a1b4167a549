//! What holds the points of a body together. A model is one file or room that says what it is in the three traits here: `Holds`
//! is what it is built of, `Lasts` what it keeps in a state beside the points, `Steps` what a frame's sub-steps have in common
//! and what they do, in the order of their phases. No verb has a default: what a model has nothing to do in, it says. A model
//! sees no other, nor who touches its points.
pub mod cloth;
pub mod free;
pub mod rod;

use crate::body::Body;
use crate::carriage::Tempo;
use crate::inputs::{FrameInputs, Gas};
use crate::measure::{Energy, Strain};
use crate::snags::{Against, Snag};
use crate::state::State;
use crate::watch::Watch;

/// What a body is built of beside its points.
pub(crate) trait Holds {
    /// What it keeps in a state.
    type Own: Lasts;
    /// What all sub-steps of a frame have in common.
    type Begun<'a>: Steps<Own = Self::Own>
    where
        Self: 'a;

    /// As it is before anything moves.
    fn own(&self, body: &Body) -> Self::Own;
    /// Bytes of what lasts of it.
    fn size(&self) -> usize;
    /// For the sub-steps of a frame.
    fn begin<'a>(
        &'a self,
        body: &'a Body,
        number: usize,
        frame: &'a FrameInputs,
        tempo: Tempo,
    ) -> Self::Begun<'a>;
    /// How many scalar constraints it has.
    fn constraints(&self) -> usize;
    fn strain(&self, state: &State, own: &Self::Own) -> Strain;
    /// Adds what it stores.
    fn energy(&self, state: &State, own: &Self::Own, sum: &mut Energy);
    /// Faults of its own.
    fn snags(&self, of: (&Body, usize), state: &State, own: &Self::Own, against: Against) -> Vec<Snag>;
}

/// What a model keeps in a state. What lasts from frame to frame is written with the points and read again, to the last bit;
/// the rest is scratch.
pub(crate) trait Lasts {
    /// As many bytes as `Holds::size` says.
    fn write(&self, out: &mut Vec<u8>);
    /// Takes back what was written.
    fn read(&mut self, from: &[u8]);
    /// What its chambers hold.
    fn gas(&self) -> &[Gas];
}

/// What sub-steps of a frame do. `moment` is a sub-step's end, from 0 to 1 through the frame.
pub(crate) trait Steps {
    type Own;
    /// A frame begins.
    fn start(&self, own: &mut Self::Own);
    /// Measures what the sub-step is told of where it starts, before anything moves.
    fn look(&self, moment: f32, state: &mut State, own: &mut Self::Own, watch: &dyn Watch);
    /// Moves the points by what holds them together and by the air, after they have gone where their velocities lead.
    fn relax(&self, moment: f32, state: &mut State, own: &mut Self::Own, watch: &dyn Watch);
    /// After contact has moved points: what is stiff about them follows. Gives the most that any moved, metres.
    fn settle(&self, moment: f32, state: &mut State, own: &mut Self::Own, watch: &dyn Watch) -> f32;
    /// Notes what colliders hold where a sub-step ends, once all is apart.
    fn met(&self, state: &mut State, own: &mut Self::Own);
    /// Notes what the frame's end is measured against.
    fn finish(&self, own: &mut Self::Own);
}

macro_rules! models {
    ($($name:ident: $model:ty,)*) => {
        /// The model of a body.
        pub(crate) enum Model {
            $($name(Box<$model>),)*
        }

        /// What the model of a body keeps in a state.
        #[derive(Clone, Debug)]
        pub(crate) enum Own {
            $($name(Box<<$model as Holds>::Own>),)*
            /// Lent to the model that works with it.
            Lent,
        }

        /// What all sub-steps of a frame have in common for the model of a body.
        pub(crate) enum Begun<'a> {
            $($name(Box<<$model as Holds>::Begun<'a>>),)*
        }

        impl Model {
            pub fn own(&self, body: &Body) -> Own {
                match self { $(Model::$name(m) => Own::$name(Box::new(m.own(body))),)* }
            }
            pub fn size(&self) -> usize {
                match self { $(Model::$name(m) => m.size(),)* }
            }
            pub fn begin<'a>(&'a self, body: &'a Body, number: usize, frame: &'a FrameInputs, tempo: Tempo) -> Begun<'a> {
                match self { $(Model::$name(m) => Begun::$name(Box::new(m.begin(body, number, frame, tempo))),)* }
            }
            pub fn constraints(&self) -> usize {
                match self { $(Model::$name(m) => m.constraints(),)* }
            }
            pub fn strain(&self, state: &State) -> Strain {
                match (self, &state.own) {
                    $((Model::$name(m), Own::$name(own)) => m.strain(state, own),)*
                    _ => unreachable!("{ALIEN}"),
                }
            }
            pub fn energy(&self, state: &State, sum: &mut Energy) {
                match (self, &state.own) {
                    $((Model::$name(m), Own::$name(own)) => m.energy(state, own, sum),)*
                    _ => unreachable!("{ALIEN}"),
                }
            }
            pub fn snags(&self, of: (&Body, usize), state: &State, against: Against) -> Vec<Snag> {
                match (self, &state.own) {
                    $((Model::$name(m), Own::$name(own)) => m.snags(of, state, own, against),)*
                    _ => unreachable!("{ALIEN}"),
                }
            }
        }

        impl Own {
            pub fn write(&self, out: &mut Vec<u8>) {
                match self { $(Own::$name(own) => own.write(out),)* Own::Lent => unreachable!("{ALIEN}") }
            }
            pub fn read(&mut self, from: &[u8]) {
                match self { $(Own::$name(own) => own.read(from),)* Own::Lent => unreachable!("{ALIEN}") }
            }
            pub fn gas(&self) -> &[Gas] {
                match self { $(Own::$name(own) => own.gas(),)* Own::Lent => unreachable!("{ALIEN}") }
            }
        }

        impl Begun<'_> {
            pub fn start(&self, state: &mut State) {
                match (self, &mut state.own) {
                    $((Begun::$name(b), Own::$name(own)) => b.start(own),)*
                    _ => unreachable!("{ALIEN}"),
                }
            }
            pub fn look(&self, moment: f32, state: &mut State, watch: &dyn Watch) {
                match (self, state.lend()) {
                    $((Begun::$name(b), Own::$name(mut own)) => {
                        b.look(moment, state, &mut own, watch);
                        state.own = Own::$name(own);
                    })*
                    _ => unreachable!("{ALIEN}"),
                }
            }
            pub fn relax(&self, moment: f32, state: &mut State, watch: &dyn Watch) {
                match (self, state.lend()) {
                    $((Begun::$name(b), Own::$name(mut own)) => {
                        b.relax(moment, state, &mut own, watch);
                        state.own = Own::$name(own);
                    })*
                    _ => unreachable!("{ALIEN}"),
                }
            }
            pub fn settle(&self, moment: f32, state: &mut State, watch: &dyn Watch) -> f32 {
                match (self, state.lend()) {
                    $((Begun::$name(b), Own::$name(mut own)) => {
                        let most = b.settle(moment, state, &mut own, watch);
                        state.own = Own::$name(own);
                        most
                    })*
                    _ => unreachable!("{ALIEN}"),
                }
            }
            pub fn met(&self, state: &mut State) {
                match (self, state.lend()) {
                    $((Begun::$name(b), Own::$name(mut own)) => {
                        b.met(state, &mut own);
                        state.own = Own::$name(own);
                    })*
                    _ => unreachable!("{ALIEN}"),
                }
            }
            pub fn finish(&self, state: &mut State) {
                match (self, &mut state.own) {
                    $((Begun::$name(b), Own::$name(own)) => b.finish(own),)*
                    _ => unreachable!("{ALIEN}"),
                }
            }
        }
    };
}

const ALIEN: &str = "a state belongs to the body that made it";

models! {
    Cloth: cloth::Cloth,
    Free: free::Free,
    Rods: rod::Rods,
}
