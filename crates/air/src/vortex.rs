//! Air that turns about an axis, is drawn in toward it and rises along it, and is smooth in its core.
//!
//! Around the axis it is the vortex of C. W. Oseen (1912) and H. Lamb (Hydrodynamics, 1932, art. 334a): v(r) = Γ/(2π r) (1 - e^(-r²/c²)),
//! told by its greatest speed S and the radius a at which that is, where c = a / 1.120 906 and Γ = 2π c S / 0.638 173. Within it turns
//! as a solid, far out as a free vortex. Pull-in has the same profile; lift, S' e^(-r²/c²), is that of the core alone.
use crate::word;
use crate::{Bead, Flow, Kind, Marks, Now, Outline, outline};
use nematon_motion::{Moment, Value};
use nematon_simd::{F8, V8};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Air that turns about the upright axis of its place.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(extend("placed" = true))]
pub struct Vortex {
    /// Speed around the axis at the rim of the core, where it is greatest; seen from above against the clock.
    #[schemars(title = "Spin", range(min = -150, max = 150), extend("unit" = "m/s"))]
    pub spin: Value,
    /// Radius at which it turns fastest.
    #[schemars(title = "Core", range(min = 0.01, max = 1000), extend("unit" = "m"))]
    pub core: Value,
    /// Speed toward the axis at the rim of the core; below 0 it goes out.
    #[schemars(title = "Pull-in", range(min = -150, max = 150), extend("unit" = "m/s"))]
    #[serde(default)]
    pub pull_in: Value,
    /// Speed along the axis in the middle.
    #[schemars(title = "Updraught", range(min = -150, max = 150), extend("unit" = "m/s"))]
    #[serde(default)]
    pub lift: Value,
}

/// A vortex at a moment.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct VortexNow {
    /// m/s.
    pub spin: f32,
    /// Metres.
    pub core: f32,
    /// m/s.
    pub pull_in: f32,
    /// m/s.
    pub lift: f32,
}

impl Default for Vortex {
    fn default() -> Self {
        Vortex::begin()
    }
}

impl Kind for Vortex {
    type Now = VortexNow;
    const PLACED: bool = true;
    fn begin() -> Self {
        Vortex { spin: 3.0.into(), core: 0.5.into(), pull_in: 0.5.into(), lift: 1.0.into() }
    }
    fn at(&self, moment: &Moment, share: f64) -> VortexNow {
        let Vortex { spin, core, pull_in, lift } = self;
        let of = |v: &Value| (share * v.at(moment)) as f32;
        VortexNow { spin: of(spin), core: core.at(moment) as f32, pull_in: of(pull_in), lift: of(lift) }
    }
}

impl Now for VortexNow {
    type Flow = VortexNow;
    fn mark(&self, to: &mut Marks) {
        let VortexNow { spin, core, pull_in, lift } = self;
        to.words(&[word::VORTEX]);
        to.numbers(&[*spin, *core, *pull_in, *lift]);
    }
    fn speed(&self) -> f32 {
        (self.spin * self.spin + self.pull_in * self.pull_in + self.lift * self.lift).sqrt()
    }
    fn outline(&self) -> Outline {
        let high = 2.0 * self.core;
        let core =
            [outline::round(0.0, self.core), outline::arrow([0.0, -high, 0.0], [0.0, high, 0.0])].concat();
        Outline { core, soft: vec![], beads: vec![Bead::on("act/vortex/core", 0, self.core, 1.0, 0.0)] }
    }
    fn flow(&self, _: f64) -> VortexNow {
        *self
    }
}

impl Flow for VortexNow {
    #[inline(always)]
    fn velocity(&self, x: V8) -> V8 {
        let all = F8::splat;
        let [x, _, z] = x.0;
        let per_core2 = WIDER * WIDER / (self.core * self.core);
        let q = x.fma(x, z * z) * all(per_core2);
        let fades = q.fades();
        // (1 - e^-q) / q, by its series where the difference would be rounded away.
        let series = q.fma(all(-1.0 / 120.0), all(1.0 / 24.0));
        let series = q.fnma(series, all(1.0 / 6.0));
        let series = q.fnma(series, all(0.5));
        let series = q.fnma(series, all(1.0));
        let profile = q.below(all(0.15)).pick(series, (all(1.0) - fades) / q.max(all(0.1)));
        // Times a place across the axis it is the profile and the direction in one, without a division by r, so that the axis
        // itself is nothing special.
        let profile = profile * all(WIDER / (PEAK * self.core));
        let (around, inward) = (profile * all(self.spin), profile * all(self.pull_in));
        V8([around * z - inward * x, fades * all(self.lift), -(around * x) - inward * z])
    }
}

/// The radius of the greatest speed over the core's own, and that speed times the core's radius over Γ/2π.
const WIDER: f32 = 1.120_906_4;
const PEAK: f32 = 0.638_172_7;

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Air, FieldNow, Stand};

    fn at(now: VortexNow, p: [f32; 3]) -> [f32; 3] {
        let v = now.velocity(V8::splat(p));
        v.0.map(|c| c.array()[0])
    }

    #[test]
    fn it_turns_fastest_at_its_core_is_finite_in_the_middle_and_free_far_out() {
        let now = VortexNow { spin: 4.0, core: 0.5, pull_in: 0.0, lift: 0.0 };
        let around = |r: f32| -at(now, [r, 0.7, 0.0])[2];
        assert!((around(0.5) - 4.0).abs() < 1e-5);
        assert!(around(0.49) < 4.0 && around(0.51) < 4.0, "nowhere faster");
        assert_eq!(at(now, [0.0; 3]).map(f32::abs), [0.0; 3]);
        // Within the core as a solid turns, far out as a free vortex: v r stays.
        assert!((around(0.02) / around(0.01) - 2.0).abs() < 3e-3);
        assert!((around(40.0) * 40.0 / (around(20.0) * 20.0) - 1.0).abs() < 1e-3);
        // Against the clock seen from above: x goes to -z.
        assert!(at(now, [0.5, 0.0, 0.0])[2] < 0.0 && at(now, [0.0, 0.0, -0.5])[0] < 0.0);
    }

    #[test]
    fn of_circulation_one_and_core_one_it_is_lamb_and_oseen_s() {
        let now = VortexNow { spin: PEAK / std::f32::consts::TAU, core: WIDER, pull_in: 0.0, lift: 0.0 };
        for (r, v) in [(0.5, 0.0704), (1.0, 0.1006), (2.0, 0.0781)] {
            let found = -at(now, [r, 0.3, 0.0])[2];
            assert!((found / v - 1.0).abs() < 1e-3, "at {r}: {found} where {v} is expected");
        }
        for k in 1..4000 {
            let r = 0.002 * f64::from(k);
            let to = (1.0 - (-r * r).exp()) / (std::f64::consts::TAU * r);
            let found = -f64::from(at(now, [r as f32, 0.0, 0.0])[2]);
            assert!((found / to - 1.0).abs() < 1e-4, "at {r}: {found} where {to} is expected");
        }
    }

    #[test]
    fn it_draws_in_and_lifts_by_what_it_says() {
        let now = VortexNow { spin: 0.0, core: 2.0, pull_in: 3.0, lift: 5.0 };
        let v = at(now, [2.0, -1.0, 0.0]);
        let lift = 5.0 * (-WIDER * WIDER).exp();
        assert!((v[0] + 3.0).abs() < 1e-5 && (v[1] - lift).abs() < 1e-5 && v[2].abs() < 1e-6, "{v:?}");
        assert!((at(now, [0.0; 3])[1] - 5.0).abs() < 1e-6);
    }

    #[test]
    fn it_stands_where_its_place_is_and_turns_with_it() {
        let now = VortexNow { spin: 2.0, core: 1.0, pull_in: 0.0, lift: 1.0 };
        let half = std::f32::consts::FRAC_1_SQRT_2;
        // A quarter turn about x: its axis lies along z.
        let stand = Some(Stand::of([1.0, 2.0, 3.0], [half, 0.0, 0.0, half]));
        let field = FieldNow { stand, ..now.into() };
        let v = Air::at(&[field], None, 0.0).velocities(&[[1.0, 2.0, 7.0], [2.0, 2.0, 3.0]]);
        assert!((v[0][2] - 1.0).abs() < 1e-5 && v[0][0].abs() < 1e-5, "along the axis it lifts: {:?}", v[0]);
        assert!((v[1][1] - 2.0).abs() < 1e-4, "beside it, it turns: {:?}", v[1]);
    }
}
