//! Motion that left the world, and what most likely drove it there.
use crate::body::Body;
use crate::inputs::FrameInputs;
use crate::simd::Record;
use crate::state::State;

/// The motion left the world: beyond 10 km, faster than 2 km/s, drawn to more than ten times its length, or not a number.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("point {point} left the world ({why}); the likely cause: {cause}")]
pub struct Exploded {
    /// Number of the body in its island.
    pub body: usize,
    /// The first such point, as given.
    pub point: usize,
    pub why: &'static str,
    pub cause: Cause,
}

/// What most likely drove an explosion.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum Cause {
    #[error("air faster than 200 m/s. Lower what moves it")]
    Air,
    #[error("gravity of more than 200 m/s². Lower it")]
    Gravity,
    #[error("it falls free, with nothing to hold or stop it. Hold some points, or put a floor under it")]
    Fall,
    #[error("more pressure than so soft a matter holds. Lower the pressure, or stiffen the matter")]
    Pressure,
    #[error(
        "too few sub-steps for so stiff or light a matter. Choose a better quality or more sub-steps, or soften the matter"
    )]
    Stiffness,
}

/// To how many times its length cloth may be drawn.
const TORN: f32 = 10.0;
/// What reaches further than so many times the root of its points times their distance is looked at for that.
const GROWN: f32 = 4.0;

impl Exploded {
    pub(crate) fn check(body: &Body, state: &State, frame: &FrameInputs) -> Result<(), Exploded> {
        let wild = |v: [f32; 3], most: f32| v.iter().any(|c| c.is_nan() || c.abs() > most);
        let far = |x: &Record| std::array::from_fn(|c| x.0[c] + frame.gone[c]);
        for place in 0..body.points() {
            let why = match () {
                () if !state.x[place].xyz().iter().all(|c| c.is_finite()) => "its place is not a number",
                () if wild(far(&state.x[place]), 10_000.0) => "it is more than 10 km away",
                () if wild(state.v[place].xyz(), 2_000.0) => "it is faster than 2 km/s",
                () => continue,
            };
            let strength = |v: [f32; 3]| v.iter().map(|c| c * c).sum::<f32>().sqrt();
            let air = frame.fields.iter().map(|f| f.act.speed()).sum::<f32>();
            let free = state.x[..body.points()].iter().all(|r| r.0[3] > 0.0) && frame.floor.is_none();
            let cause = match () {
                () if air.is_nan() || air > 200.0 => Cause::Air,
                () if strength(frame.gravity).is_nan() || strength(frame.gravity) > 200.0 => Cause::Gravity,
                () if free => Cause::Fall,
                () => Cause::Stiffness,
            };
            return Err(Exploded { body: 0, point: body.given(place), why, cause });
        }
        // Only what has grown far beyond its own size is measured: the strain of all of it takes its time.
        let from = state.x[0].xyz();
        let far = |p: usize| (0..3).map(|c| (state.x[p].0[c] - from[c]).powi(2)).sum::<f32>();
        let (furthest, place) = (0..body.points()).fold((0.0f32, 0), |(most, at), p| match far(p) {
            f if f > most => (f, p),
            _ => (most, at),
        });
        let size2 = body.apart * body.apart * body.points() as f32;
        if furthest > GROWN * GROWN * size2 && body.strain(state).largest > f64::from(TORN - 1.0) {
            let pressed = frame.fills.iter().any(|f| !matches!(f.by, crate::inputs::FillBy::Closed));
            let cause = if pressed { Cause::Pressure } else { Cause::Stiffness };
            let why = "it is drawn to more than ten times its length";
            return Err(Exploded { body: 0, point: body.given(place), why, cause });
        }
        Ok(())
    }
}
