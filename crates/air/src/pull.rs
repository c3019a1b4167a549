//! A pull to a point, an upright line or a level plane, or from it.
//!
//! Strength S by distance r with a core c: even S r/√(r² + c²); straight S r/√(r² + c²) (1 - r/R); inverse S 2 (r/c)/(1 + r²/c²)
//! and squared S (3√3/2) (r/c)/(1 + r²/c²)^(3/2), the softened line and point source (H. C. Plummer, "On the Problem of
//! Distribution in Globular Star Clusters", 1911), each scaled so that S is the most there is. Over the last fifth of its reach
//! it ends by a smooth step.
use crate::word;
use crate::{Bead, Flow, Kind, Marks, Now, Outline, outline, smooth};
use nematon_motion::{Moment, Value};
use nematon_simd::{F8, V8};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A pull to its place or away from it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(extend("placed" = true, "pushes" = true))]
pub struct Pull {
    /// The most there is; below 0 it drives away.
    #[schemars(title = "Strength", range(min = -150, max = 150), extend("unit" = "m/s"))]
    pub strength: Value,
    #[schemars(title = "Toward")]
    #[serde(default)]
    pub to: Toward,
    #[schemars(title = "Falls off")]
    #[serde(default)]
    pub law: Law,
    /// Nothing beyond.
    #[schemars(title = "Reach", range(min = 0.01, max = 10_000), extend("unit" = "m"))]
    pub reach: Value,
    /// Softened so near: it is nothing in the middle.
    #[schemars(title = "Core", range(min = 0.001, max = 1000), extend("unit" = "m", "seldom" = true))]
    #[serde(default = "core")]
    pub core: Value,
}

fn core() -> Value {
    0.1.into()
}

/// What a pull goes to.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Toward {
    /// A spot.
    #[default]
    Point,
    /// An axis: its upright one.
    Line,
    /// A level: its own.
    Plane,
}

/// How it falls off with distance.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Law {
    /// Not at all.
    Even,
    /// In proportion to the distance.
    #[default]
    Straight,
    /// By one over the distance.
    Inverse,
    /// By one over its square.
    Squared,
}

/// A pull at a moment.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PullNow {
    pub strength: f32,
    pub to: Toward,
    pub law: Law,
    /// Metres.
    pub reach: f32,
    /// Metres.
    pub core: f32,
}

impl Kind for Pull {
    type Now = PullNow;
    const PLACED: bool = true;
    const PUSHES: bool = true;
    fn begin() -> Self {
        let (to, law) = (Toward::default(), Law::default());
        Pull { strength: 5.0.into(), to, law, reach: 3.0.into(), core: core() }
    }
    fn at(&self, moment: &Moment, share: f64) -> PullNow {
        let Pull { strength, to, law, reach, core } = self;
        PullNow {
            strength: (share * strength.at(moment)) as f32,
            to: *to,
            law: *law,
            reach: reach.at(moment) as f32,
            core: core.at(moment) as f32,
        }
    }
}

impl Now for PullNow {
    type Flow = PullNow;
    fn mark(&self, to: &mut Marks) {
        let PullNow { strength, to: toward, law, reach, core } = self;
        to.words(&[word::PULL, *toward as u32, *law as u32]);
        to.numbers(&[*strength, *reach, *core]);
    }
    fn speed(&self) -> f32 {
        self.strength.abs()
    }
    fn outline(&self) -> Outline {
        let (core, soft) = match self.to {
            Toward::Point => (outline::ball(self.core), outline::ball(self.reach)),
            Toward::Line => (
                vec![[[0.0, -self.reach, 0.0], [0.0, self.reach, 0.0]]],
                outline::cone(self.reach, self.reach, self.reach),
            ),
            Toward::Plane => (
                outline::block([self.reach, 0.0, self.reach]),
                outline::block([self.reach, self.reach, self.reach]),
            ),
        };
        let axis = if self.to == Toward::Plane { 1 } else { 0 };
        Outline { core, soft, beads: vec![Bead::on("act/pull/reach", axis, self.reach, 1.0, 0.0)] }
    }
    fn flow(&self, _: f64) -> PullNow {
        *self
    }
}

impl Flow for PullNow {
    #[inline(always)]
    fn velocity(&self, x: V8) -> V8 {
        let all = F8::splat;
        let [a, b, c] = x.0;
        let zero = all(0.0);
        let away = match self.to {
            Toward::Point => x,
            Toward::Line => V8([a, zero, c]),
            Toward::Plane => V8([zero, b, zero]),
        };
        let r2 = away.dot(away);
        let r = r2.sqrt();
        let (core, reach) = (self.core.max(1e-4), self.reach.max(1e-4));
        let q = r2 * all(1.0 / (core * core));
        // Each times the place away from it: without a division by r, the middle is nothing special.
        let per = match self.law {
            Law::Even => all(1.0) / (r2 + all(core * core)).sqrt(),
            Law::Straight => (all(1.0) - r * all(1.0 / reach)).max(zero) / (r2 + all(core * core)).sqrt(),
            Law::Inverse => all(2.0 / core) / (all(1.0) + q),
            Law::Squared => {
                let s = (all(1.0) + q).sqrt();
                all(1.5 * 1.732_050_8 / core) / (s * s * s)
            }
        };
        let ends = smooth((all(reach) - r) * all(5.0 / reach));
        away.scale(per * ends * all(-self.strength))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(now: PullNow, p: [f32; 3]) -> [f32; 3] {
        now.velocity(V8::splat(p)).0.map(|c| c.array()[0])
    }

    #[test]
    fn each_law_falls_off_as_it_says_and_ends_at_its_reach() {
        let now = |law| PullNow { strength: 4.0, to: Toward::Point, law, reach: 100.0, core: 0.01 };
        let there = |law, r: f32| -at(now(law), [0.0, 0.0, r])[2];
        assert!((there(Law::Even, 3.0) - 4.0).abs() < 1e-3 && (there(Law::Even, 30.0) - 4.0).abs() < 1e-3);
        assert!((there(Law::Straight, 50.0) - 2.0).abs() < 1e-3);
        assert!((there(Law::Inverse, 10.0) / there(Law::Inverse, 20.0) - 2.0).abs() < 1e-3);
        assert!((there(Law::Squared, 10.0) / there(Law::Squared, 20.0) - 4.0).abs() < 1e-3);
        for law in [Law::Even, Law::Straight, Law::Inverse, Law::Squared] {
            assert_eq!(there(law, 100.5), 0.0, "{law:?}");
            let most = (1..4000).map(|k| there(law, 0.0005 * k as f32)).fold(0.0, f32::max);
            assert!((most - 4.0).abs() < 0.1, "{law:?} has {most} at most");
            assert_eq!(at(now(law), [0.0; 3]).map(f32::abs), [0.0; 3]);
        }
    }

    #[test]
    fn to_a_line_it_goes_level_and_to_a_plane_upright() {
        let now = |to| PullNow { strength: -2.0, to, law: Law::Even, reach: 10.0, core: 0.001 };
        let v = at(now(Toward::Line), [1.0, 5.0, 0.0]);
        assert!((v[0] - 2.0).abs() < 1e-4 && v[1] == 0.0, "below 0 it drives away: {v:?}");
        let v = at(now(Toward::Plane), [1.0, 0.5, 0.0]);
        assert!((v[1] - 2.0).abs() < 1e-4 && v[0] == 0.0, "{v:?}");
    }
}
