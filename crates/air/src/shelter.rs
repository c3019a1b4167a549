//! What stands in the wind keeps it from what is behind: colliders and bodies take from all the air that fields move.
//!
//! Behind each a wake with a Gaussian profile that widens in proportion to the way (M. Bastankhah, F. Porté-Agel, "A New Analytical
//! Model for Wind-Turbine Wakes", 2014, eqs. 6 and 7), here with a width to the side and one upward of its own, and with the first
//! term of its deficit alone: what is taken away falls as the wake's cross-section grows. It has no eddies, the wake lies straight
//! along the mean wind however this turns, and what comes round a corner is not faster than the wind was.
use crate::word;
use crate::{Around, Flow, Kind, Marks, Now, smooth};
use nematon_motion::{Moment, Value};
use nematon_simd::{F8, V8};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Colliders, and bodies if they are asked to, slow the air behind them, seen along the winds.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(extend("fixed" = true))]
pub struct Shelter {
    /// What is taken of the air right behind, in the middle.
    #[schemars(title = "Wind blocked", range(min = 0, max = 1))]
    pub taken: Value,
    /// How much a wake widens on its way, metres a metre: the more, the shorter it lasts.
    #[schemars(title = "Wake spread", range(min = 0.001, max = 1))]
    #[serde(default = "widens")]
    pub widens: Value,
    /// Bodies do so too, each as a box about how it begins; none takes from its own air.
    #[schemars(title = "Bodies too")]
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub bodies: bool,
}

fn widens() -> Value {
    0.08.into()
}

/// Something in the wind, as a box about it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Obstacle {
    /// Its middle, metres.
    pub middle: [f32; 3],
    /// Its own x, y and z in the world.
    pub axes: [[f32; 3]; 3],
    /// Half its sizes along them, metres.
    pub half: [f32; 3],
}

/// A wake: where its body is, half of what that has along the wind, and the widths of the wake there to the side and upward.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Wake {
    middle: [f32; 3],
    along: f32,
    wide: [f32; 2],
}

/// Shelter at a moment.
#[derive(Clone, Debug, PartialEq)]
pub struct ShelterNow {
    /// 0 to 1.
    pub taken: f32,
    /// Metres a metre.
    pub widens: f32,
    pub bodies: bool,
    /// The wind's way, and two across it.
    frame: [[f32; 3]; 3],
    wakes: Vec<Wake>,
}

impl Kind for Shelter {
    type Now = ShelterNow;
    const STANDS: bool = false;
    fn begin() -> Self {
        Shelter { taken: 0.7.into(), widens: widens(), bodies: false }
    }
    fn at(&self, moment: &Moment, share: f64) -> ShelterNow {
        let Shelter { taken, widens, bodies } = self;
        ShelterNow {
            taken: (share * taken.at(moment)).clamp(0.0, 1.0) as f32,
            widens: widens.at(moment) as f32,
            bodies: *bodies,
            frame: [[0.0; 3]; 3],
            wakes: vec![],
        }
    }
}

/// Of half its size across the wind, the width of the wake at a body: as much of it as a uniform disc has beside its middle.
const WIDTH: f32 = 0.7;

impl Now for ShelterNow {
    type Flow = ShelterNow;
    const SLOWS: bool = true;
    fn mark(&self, to: &mut Marks) {
        // Which bodies these are shows in the wakes.
        let ShelterNow { taken, widens, bodies: _, frame, wakes } = self;
        to.words(&[word::SHELTER, wakes.len() as u32]);
        to.numbers(&[*taken, *widens]);
        to.numbers(&frame[0]);
        for Wake { middle, along, wide } in wakes {
            to.numbers(middle);
            to.numbers(&[*along, wide[0], wide[1]]);
        }
    }
    fn meet(&mut self, around: &Around) {
        let w = around.wind.map(f64::from);
        let speed = w.iter().map(|c| c * c).sum::<f64>().sqrt();
        if speed < 1e-3 {
            return;
        }
        let d = w.map(|c| c / speed);
        // To the side is level, unless the wind is upright.
        let level = (d[0] * d[0] + d[2] * d[2]).sqrt();
        let side = if level > 1e-6 { [d[2] / level, 0.0, -d[0] / level] } else { [1.0, 0.0, 0.0] };
        let up = [
            side[1] * d[2] - side[2] * d[1],
            side[2] * d[0] - side[0] * d[2],
            side[0] * d[1] - side[1] * d[0],
        ];
        self.frame = [d, side, up].map(|v| v.map(|c| c as f32));
        let wake = |o: &Obstacle| {
            let half = |n: [f32; 3]| -> f32 {
                (0..3).map(|k| (0..3).map(|c| o.axes[k][c] * n[c]).sum::<f32>().abs() * o.half[k]).sum()
            };
            let [along, p, q] = self.frame.map(half);
            Wake { middle: o.middle, along, wide: [p, q].map(|h| (WIDTH * h).max(1e-3)) }
        };
        self.wakes = around.obstacles.iter().map(wake).collect();
    }
    fn flow(&self, _: f64) -> ShelterNow {
        self.clone()
    }
}

impl Flow for ShelterNow {
    #[inline(always)]
    fn velocity(&self, _: V8) -> V8 {
        V8::splat([0.0; 3])
    }
    /// What is left of the air at eight places, 0 to 1.
    #[inline(always)]
    fn leaves(&self, x: V8) -> F8 {
        let all = F8::splat;
        let mut left = all(1.0);
        let [d, side, up] = self.frame.map(V8::splat);
        for w in &self.wakes {
            let from = x - V8::splat(w.middle);
            let s = from.dot(d);
            let behind = s.max(all(0.0)) * all(self.widens);
            let (p, q) = (behind + all(w.wide[0]), behind + all(w.wide[1]));
            let (a, b) = (from.dot(side) / p, from.dot(up) / q);
            let square = a.fma(a, b * b);
            let e = (square * all(0.5)).fades();
            // It begins from the front of the body to its middle.
            let begun = smooth((s + all(w.along)) * all(1.0 / w.along.max(1e-3)));
            let deep = all(self.taken * w.wide[0] * w.wide[1]) / (p * q);
            left = left * (all(1.0) - deep * e * begun);
        }
        left
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Air, FieldNow, WindNow};

    fn air(obstacles: Vec<Obstacle>) -> Air {
        let wind = WindNow { velocity: [5.0, 0.0, 0.0], gust_period: 1.0, ..WindNow::default() };
        let frame = [[0.0; 3]; 3];
        let mut shelter = ShelterNow { taken: 0.8, widens: 0.1, bodies: false, frame, wakes: vec![] };
        shelter.meet(&Around { wind: wind.velocity, obstacles });
        Air::at(&[FieldNow::from(wind), shelter.into()], None, 0.0)
    }

    fn wall() -> Obstacle {
        let axes = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]];
        Obstacle { middle: [0.0, 1.0, 0.0], axes, half: [0.1, 1.0, 1.0] }
    }

    #[test]
    fn behind_a_wall_there_is_little_wind_and_more_with_the_way() {
        let a = air(vec![wall()]);
        let at = |x: f32, z: f32| a.velocities(&[[x, 1.0, z]])[0][0];
        assert!((at(0.0, 0.0) - 1.0).abs() < 0.01, "{}", at(0.0, 0.0));
        assert!(at(2.0, 0.0) < at(6.0, 0.0) && at(6.0, 0.0) < at(60.0, 0.0) && at(60.0, 0.0) < 5.0);
        // By the wake's cross-section: 0.7 wide at the wall, 1.3 six metres on.
        assert!((at(6.0, 0.0) - 5.0 * (1.0 - 0.8 * (0.7f32 / 1.3).powi(2))).abs() < 0.01);
        assert_eq!(at(-2.0, 0.0), 5.0, "before it there is all of the wind");
        assert!(at(2.0, 6.0) > 4.999, "and beside it too");
    }

    #[test]
    fn it_takes_from_all_air_and_never_turns_it_round() {
        let a = air(vec![wall(), wall(), wall()]);
        for k in 0..200 {
            let v = a.velocities(&[[0.05 * k as f32, 1.0, 0.0]])[0];
            assert!((0.0..=5.0).contains(&v[0]), "{v:?}");
        }
    }

    #[test]
    fn without_a_wind_there_is_no_wake() {
        let frame = [[0.0; 3]; 3];
        let mut shelter = ShelterNow { taken: 0.8, widens: 0.1, bodies: false, frame, wakes: vec![] };
        shelter.meet(&Around { wind: [0.0; 3], obstacles: vec![wall()] });
        assert!(shelter.wakes.is_empty());
    }
}
