//! A steady pull straight down.
use crate::word;
use crate::{Flow, Kind, Marks, Now};
use nematon_motion::{Moment, Value};
use nematon_simd::V8;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A steady pull straight down.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(extend("pushes" = true))]
pub struct Gravity {
    #[schemars(title = "Strength", range(min = -100, max = 100), extend("unit" = "m/s²"))]
    pub strength: Value,
}

#[derive(Clone, Debug, PartialEq)]
pub struct GravityNow {
    /// m/s².
    pub pull: [f32; 3],
}

impl Kind for Gravity {
    type Now = GravityNow;
    const PUSHES: bool = true;
    fn begin() -> Self {
        Gravity { strength: 9.81.into() }
    }
    fn at(&self, moment: &Moment, share: f64) -> GravityNow {
        let Gravity { strength } = self;
        GravityNow { pull: [0.0, -((share * strength.at(moment)) as f32), 0.0] }
    }
}

impl Now for GravityNow {
    type Flow = Even;
    fn mark(&self, to: &mut Marks) {
        let GravityNow { pull } = self;
        to.words(&[word::GRAVITY]);
        to.numbers(pull);
    }
    fn flow(&self, _: f64) -> Even {
        Even(self.pull)
    }
    fn pull(&self) -> Option<[f32; 3]> {
        Some(self.pull)
    }
}

/// The same everywhere.
pub struct Even([f32; 3]);

impl Flow for Even {
    #[inline(always)]
    fn velocity(&self, _: V8) -> V8 {
        V8::splat(self.0)
    }
}
