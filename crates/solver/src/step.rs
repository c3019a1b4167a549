//! One frame: its sub-steps, and the phases of each in order.
use crate::body::Body;
use crate::carriage::{Carriage, Tempo};
use crate::contact::Contact;
use crate::couple::Couple;
use crate::exploded::Exploded;
use crate::inputs::FrameInputs;
use crate::load::{BY_COLLIDERS, BY_LOOSE};
use crate::model::{Begun, Model, Own};
use crate::simd::Record;
use crate::state::State;
use crate::trace::Trace;
use crate::watch::Watch;
use crate::{air, leap};

/// Air is sampled about so often, seconds: it changes slower than what it moves.
const AIR_EVERY: f64 = 1.0 / 50.0;

/// Moves the bodies of an island through one frame, on the threads of the pool that calls it. One state a
/// body; `contact` is theirs.
///
/// # Errors
/// When the motion of one explodes, or the watch says to stop: all are then what they were when the frame began.
pub fn step(
    bodies: &[Body],
    states: &mut [State],
    contact: &mut Contact,
    frame: &FrameInputs,
    watch: &dyn Watch,
) -> Result<(), Halt> {
    step_traced(bodies, states, contact, frame, watch, None)
}

/// The same, with what moves a point on the way.
///
/// # Errors
/// As `step`.
pub fn step_traced(
    bodies: &[Body],
    states: &mut [State],
    contact: &mut Contact,
    frame: &FrameInputs,
    watch: &dyn Watch,
    mut trace: Option<&mut Trace>,
) -> Result<(), Halt> {
    let before: Vec<_> = states.iter().map(State::remember).collect();
    let recall = |states: &mut [State]| states.iter_mut().zip(&before).for_each(|(s, b)| s.recall(b));
    contact.limit = Some(leap::MOST_PAIRS);
    let carried = leap::carry(bodies, states, frame, false);
    let mut done = through(bodies, states, contact, &carried, watch, trace.as_deref_mut());
    if let Err(Cut::Crowded) = done {
        // Carried along, or let go on where nothing can be carried.
        recall(states);
        contact.limit = None;
        let carried = leap::carry(bodies, states, frame, true);
        done = through(bodies, states, contact, &carried, watch, trace);
    }
    done.map_err(|cut| {
        recall(states);
        match cut {
            Cut::Halt(halt) => halt,
            // Without a limit nothing is crowded.
            Cut::Crowded => Halt::Stopped,
        }
    })
}

/// The first body whose motion left the world, of those that are suspected.
fn exploded(
    bodies: &[Body],
    states: &[State],
    frame: &FrameInputs,
    suspected: impl Fn(&State) -> bool,
) -> Option<Exploded> {
    bodies.iter().zip(states).enumerate().filter(|(_, (_, state))| suspected(state)).find_map(
        |(number, (body, state))| {
            Exploded::check(body, state, frame).err().map(|e| Exploded { body: number, ..e })
        },
    )
}

/// All sub-steps of a frame.
fn through(
    bodies: &[Body],
    states: &mut [State],
    contact: &mut Contact,
    frame: &FrameInputs,
    watch: &dyn Watch,
    mut trace: Option<&mut Trace>,
) -> Result<(), Cut> {
    if let Some(t) = &mut trace {
        t.begin();
    }
    let substeps = frame.substeps.max(1);
    let dt = frame.duration / f64::from(substeps);
    let sample_every = ((AIR_EVERY / dt).floor() as u32).max(1);
    let begin = bodies.iter().zip(states.iter()).enumerate().map(|(k, (b, state))| {
        let tempo = Tempo::after(state.dt, dt as f32);
        (Carriage::new(b, k, frame, tempo), b.model.begin(b, k, frame, tempo))
    });
    let each: Vec<(Carriage, Begun)> = begin.collect();
    let couple = Couple::new(bodies, frame);
    let touches = !contact.idle(frame);
    each.iter().zip(states.iter_mut()).for_each(|((_, model), state)| model.start(state));
    match touches {
        true => contact.begin(bodies, states, frame, watch),
        false => states.iter_mut().for_each(|s| s.loads.clear()),
    }
    if frame.fields.is_empty() {
        // What blew in an earlier frame blows no more.
        states.iter_mut().for_each(|s| {
            s.air.fill(Record::default());
            s.push.clear();
        });
    }
    for k in 0..substeps {
        if watch.stopped() {
            return Err(Halt::Stopped.into());
        }
        let [from, to] = [k, k + 1].map(|k| k as f32 / substeps as f32);
        if !frame.fields.is_empty() && k % sample_every == 0 {
            let span = f64::from(sample_every.min(substeps - k)) * dt;
            let t = frame.start + f64::from(k) * dt + 0.5 * span;
            for (number, (body, state)) in bodies.iter().zip(states.iter_mut()).enumerate() {
                air::sample((body, number), state, frame, t, watch);
            }
        }
        if touches {
            contact.start(states, frame, to, dt as f32);
        }
        for (number, ((carriage, model), state)) in each.iter().zip(states.iter_mut()).enumerate() {
            model.look(to, state, watch);
            carriage.predict([from, to], state, watch);
            if let Some(t) = trace.as_deref_mut().filter(|t| t.body == number) {
                t.drawn(state);
            }
        }
        let weighed = couple.weigh(to, &each[0].0, states);
        for (number, (carriage, model)) in each.iter().enumerate() {
            let before = couple.before(number, to, states);
            model.relax(to, &mut states[number], watch);
            couple.along(number, to, &before, states);
            if let Some(t) = trace.as_deref_mut().filter(|t| t.body == number) {
                t.relaxed(&states[number], carriage.balance(&states[number]), dt as f32);
            }
        }
        couple.lighten(weighed, states);
        couple.join(to, &each[0].0, states);
        if touches {
            for ((carriage, _), state) in each.iter().zip(states.iter_mut()) {
                carriage.hand_over(state, watch);
            }
            // What is no number meets everything: contact would look for it for ever.
            if let Some(e) = exploded(bodies, states, frame, State::is_lost) {
                return Err(Halt::Exploded(e).into());
            }
        }
        if touches {
            let settle = |states: &mut [State]| {
                each.iter().zip(states).map(|((_, m), s)| m.settle(to, s, watch)).fold(0.0, f32::max)
            };
            contact.resolve(bodies, states, (frame, settle), [from, to], dt as f32, watch)?;
            let pace = if contact.loose() { &BY_LOOSE } else { &BY_COLLIDERS };
            states.iter_mut().for_each(|s| s.loads.renew(pace));
            if !contact.loose() {
                each.iter().zip(states.iter_mut()).for_each(|((_, model), state)| model.met(state));
            }
        }
        for ((carriage, _), state) in each.iter().zip(states.iter_mut()) {
            carriage.end(touches, state, watch);
        }
        if let Some(t) = &mut trace {
            t.end(&states[t.body]);
        }
    }
    match exploded(bodies, states, frame, |_| true) {
        Some(e) => return Err(Halt::Exploded(e).into()),
        None if watch.stopped() => return Err(Halt::Stopped.into()),
        None => {}
    }
    each.iter().zip(states.iter_mut()).for_each(|((_, model), state)| model.finish(state));
    for c in &frame.comings {
        let weighs = frame.weathered(c.body).map_or(1.0, |w| w.gravity);
        states[c.body].pass(&bodies[c.body], c, frame.gravity.map(|g| g * weighs));
        for b in &c.born {
            let place = bodies[c.body].place(b.point) as usize;
            if let (Own::Free(own), Model::Free(model)) = (&mut states[c.body].own, &bodies[c.body].model) {
                own.begin(place, model, b.spin);
            }
        }
    }
    crate::shed::shed(bodies, states, frame);
    Ok(())
}

/// Why a frame was not computed.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum Halt {
    #[error(transparent)]
    Exploded(Exploded),
    #[error("stopped, for nobody waits for it any more")]
    Stopped,
}

/// Why a frame's sub-steps were not gone through.
pub(crate) enum Cut {
    Halt(Halt),
    /// More could meet on the way than a search may give: the frame begins anew, with what is jerked carried along.
    Crowded,
}

impl From<Halt> for Cut {
    fn from(halt: Halt) -> Cut {
        Cut::Halt(halt)
    }
}
