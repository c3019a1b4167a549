//! What of a point's motion through a frame is the body's own, what pulls it, and what it touches.
use crate::body::Body;
use crate::simd::Record;
use crate::state::State;

/// Follows one point through a frame, sub-step by sub-step.
#[derive(Clone, Debug)]
pub struct Trace {
    /// The number of its body in the island.
    pub body: usize,
    place: usize,
    /// Its velocity before what holds the points together acts, where its springs drew it to, and its inverse mass then.
    drawn: (Record, Record, f32),
    held: [f32; 3],
    own: [f32; 3],
    /// A sub-step, over the part of its time in which forces act: of what they do the rest comes with what is remembered.
    whole: f32,
    /// For each sub-step what changed its velocity, m/s.
    pub steps: Vec<Impulses>,
}

/// What changed a point's velocity in a sub-step, m/s.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Impulses {
    /// What holds the points of the body together.
    pub own: [f32; 3],
    /// Grips that pull, and what it follows.
    pub hold: [f32; 3],
    /// Other bodies, colliders, and the body itself where it lies on itself.
    pub contact: [f32; 3],
}

impl Trace {
    /// Of a point of a body, by its number there.
    pub fn of(body: usize, of: &Body, point: u32) -> Trace {
        let place = of.place(point) as usize;
        let none = Record::default();
        Trace {
            body,
            place,
            drawn: (none, none, 0.0),
            held: [0.0; 3],
            own: [0.0; 3],
            whole: 1.0,
            steps: vec![],
        }
    }

    pub(crate) fn begin(&mut self) {
        self.steps.clear();
    }

    /// After springs drew it, before the rest acts.
    pub(crate) fn drawn(&mut self, state: &State) {
        let k = self.place;
        self.drawn = (state.v[k], state.gained[k], state.gained[k].0[3]);
    }

    /// After the rest acted; with the time in which it did, and a sub-step, seconds.
    ///
    /// A spring of share s drew it by s/(1+s) of the way and left it 1 + s times as heavy: of the way that it was kept from where its
    /// motion led, s (T - x) is the spring's, with T where that is at rest.
    pub(crate) fn relaxed(&mut self, state: &State, balance: f32, dt: f32) {
        let (k, per) = (self.place, 1.0 / balance);
        self.whole = dt / balance;
        let (_, drawn, light) = self.drawn;
        let (gained, free) = (state.gained[k], state.free[k]);
        let spring = if light > 0.0 { state.start[k].0[3] / light - 1.0 } else { 0.0 };
        for c in 0..3 {
            let all = gained.0[c] - free.0[c];
            let held =
                if spring > 0.0 { (1.0 + spring) * (drawn.0[c] - free.0[c]) - spring * all } else { 0.0 };
            self.held[c] = held * per;
            self.own[c] = (all - held) * per;
        }
    }

    /// At the end of a sub-step.
    pub(crate) fn end(&mut self, state: &State) {
        let v = state.v[self.place];
        let contact = std::array::from_fn(|c| v.0[c] - self.drawn.0.0[c] - self.own[c] - self.held[c]);
        let [own, hold] = [self.own, self.held].map(|v| v.map(|c| c * self.whole));
        self.steps.push(Impulses { own, hold, contact });
    }
}
