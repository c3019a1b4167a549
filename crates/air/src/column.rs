//! A column of air: within a form it lifts along its upright axis, swirls around it and spreads from it, each with its own
//! strength, its own way across and along, and a turbulence of its own. Within the form there is all of it, over a soft edge
//! about it less by a smooth step, beyond nothing.
use crate::turbulence::{TurbulenceNow, Waves};
use crate::word;
use crate::{Bead, Flow, Kind, Marks, Now, Outline, outline, smooth};
use nematon_motion::{Moment, Value};
use nematon_simd::{F8, V8};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A column of air about the upright axis of its place, the middle of it there.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(extend("placed" = true))]
pub struct Column {
    /// Speed along the axis.
    #[schemars(title = "Updraught", range(min = -150, max = 150), extend("unit" = "m/s"))]
    pub lift: Value,
    /// Speed around it; seen from above against the clock.
    #[schemars(title = "Swirl", range(min = -150, max = 150), extend("unit" = "m/s"))]
    #[serde(default)]
    pub swirl: Value,
    /// Speed away from it; below 0 toward it.
    #[schemars(title = "Spread", range(min = -150, max = 150), extend("unit" = "m/s"))]
    #[serde(default)]
    pub spread: Value,
    #[schemars(title = "Form")]
    #[serde(default)]
    pub form: Within,
    /// Across its middle; of a cone at its foot.
    #[schemars(title = "Radius", range(min = 0.01, max = 1000), extend("unit" = "m"))]
    pub radius: Value,
    /// From end to end; a ball has its radius alone.
    #[schemars(title = "Height", range(min = 0.01, max = 2000), extend("unit" = "m"))]
    pub height: Value,
    /// Over which it ends.
    #[schemars(title = "Edge", range(min = 0, max = 1000), extend("unit" = "m"))]
    #[serde(default = "edge")]
    pub edge: Value,
    /// What all its lengths are multiplied by: it grows and shrinks as one.
    #[schemars(title = "Scale", range(min = 0.01, max = 100), extend("default" = 1.0))]
    #[serde(default = "whole", skip_serializing_if = "is_whole")]
    pub scale: Value,
    /// How far its axis is bent from end to end, toward its own x; a ball is not.
    #[schemars(title = "Bend", range(min = -5, max = 5), extend("unit" = "rad"))]
    #[serde(default)]
    pub bend: Value,
    #[schemars(title = "Updraught across", extend("seldom" = true))]
    #[serde(default, skip_serializing_if = "Across::is_even")]
    pub lift_across: Across,
    #[schemars(title = "Updraught along", extend("seldom" = true))]
    #[serde(default, skip_serializing_if = "Along::is_even")]
    pub lift_along: Along,
    #[schemars(title = "Swirl across", extend("seldom" = true))]
    #[serde(default, skip_serializing_if = "Across::is_even")]
    pub swirl_across: Across,
    #[schemars(title = "Swirl along", extend("seldom" = true))]
    #[serde(default, skip_serializing_if = "Along::is_even")]
    pub swirl_along: Along,
    #[schemars(title = "Spread across", extend("seldom" = true))]
    #[serde(default, skip_serializing_if = "Across::is_even")]
    pub spread_across: Across,
    #[schemars(title = "Spread along", extend("seldom" = true))]
    #[serde(default, skip_serializing_if = "Along::is_even")]
    pub spread_along: Along,
    /// Root-mean-square speed of a turbulence of its own.
    #[schemars(title = "Turbulence", range(min = 0, max = 100), extend("unit" = "m/s"))]
    #[serde(default)]
    pub unrest: Value,
    #[schemars(title = "Turbulence size", range(min = 0.01, max = 1000), extend("unit" = "m", "seldom" = true))]
    #[serde(default = "size")]
    pub unrest_size: f64,
    #[schemars(title = "Seed", range(min = 0, max = 65_535), extend("seldom" = true))]
    #[serde(default)]
    pub seed: u32,
}

fn edge() -> Value {
    0.2.into()
}
fn size() -> f64 {
    0.3
}
fn whole() -> Value {
    1.0.into()
}
fn is_whole(v: &Value) -> bool {
    *v == whole()
}

/// The form of a column.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Within {
    /// A cylinder.
    #[default]
    Cylinder,
    /// A cone, its tip above.
    Cone,
    /// A ball.
    Ball,
    /// A capsule.
    Capsule,
    /// A box, square across.
    Box,
}

/// How strong it is from the axis to the side.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Across {
    /// The same.
    #[default]
    Even,
    /// Most in the middle.
    Middle,
    /// Most at the side.
    Side,
}

/// How strong it is from its foot to its head.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
#[schemars(rename = "AlongAxis")]
pub enum Along {
    /// The same.
    #[default]
    Even,
    /// Most at the foot.
    Foot,
    /// Most at the head.
    Head,
    /// Most half way up.
    Middle,
}

impl Across {
    fn is_even(&self) -> bool {
        *self == Across::Even
    }
    /// By the distance from the axis, 0 to 1 at the side.
    #[inline(always)]
    fn at(self, out: F8) -> F8 {
        let t = out.min(F8::splat(1.0));
        match self {
            Across::Even => F8::splat(1.0),
            Across::Middle => F8::splat(1.0) - t * t,
            Across::Side => t * t,
        }
    }
}

impl Along {
    fn is_even(&self) -> bool {
        *self == Along::Even
    }
    /// By the height, 0 at the foot to 1 at the head.
    #[inline(always)]
    fn at(self, up: F8) -> F8 {
        let t = up.unit_clamp();
        let one = F8::splat(1.0);
        match self {
            Along::Even => one,
            Along::Foot => one - t,
            Along::Head => t,
            Along::Middle => F8::splat(4.0) * t * (one - t),
        }
    }
}

/// A column at a moment.
#[derive(Clone, Debug, PartialEq)]
pub struct ColumnNow {
    /// Lift, swirl and spread, m/s.
    pub speed: [f32; 3],
    pub across: [Across; 3],
    pub along: [Along; 3],
    pub form: Within,
    /// Metres.
    pub radius: f32,
    /// Metres.
    pub height: f32,
    /// Metres.
    pub edge: f32,
    /// What these are for each of what they are said to be.
    pub scale: f32,
    /// Of the axis, towards its own x, 1/m.
    pub curved: f32,
    pub unrest: Option<TurbulenceNow>,
}

impl Default for Column {
    fn default() -> Self {
        Column::begin()
    }
}

impl Kind for Column {
    type Now = ColumnNow;
    const PLACED: bool = true;
    fn begin() -> Self {
        Column {
            lift: 3.0.into(),
            swirl: 1.0.into(),
            spread: 0.5.into(),
            form: Within::Cylinder,
            radius: 0.5.into(),
            height: 2.0.into(),
            edge: edge(),
            scale: whole(),
            bend: 0.0.into(),
            lift_across: Across::Even,
            lift_along: Along::Even,
            swirl_across: Across::Even,
            swirl_along: Along::Even,
            spread_across: Across::Even,
            spread_along: Along::Even,
            unrest: 0.0.into(),
            unrest_size: size(),
            seed: 0,
        }
    }
    fn at(&self, moment: &Moment, share: f64) -> ColumnNow {
        let Column {
            lift,
            swirl,
            spread,
            form,
            radius,
            height,
            edge,
            scale,
            bend,
            lift_across,
            lift_along,
            swirl_across,
            swirl_along,
            spread_across,
            spread_along,
            unrest,
            unrest_size,
            seed,
        } = self;
        let of = |v: &Value| (share * v.at(moment)) as f32;
        let strength = of(unrest);
        let scale = scale.at(moment).max(1e-3);
        let [radius, height, edge] = [radius, height, edge].map(|v| scale * v.at(moment));
        ColumnNow {
            speed: [lift, swirl, spread].map(of),
            across: [*lift_across, *swirl_across, *spread_across],
            along: [*lift_along, *swirl_along, *spread_along],
            form: *form,
            radius: radius as f32,
            height: height as f32,
            edge: edge as f32,
            scale: scale as f32,
            curved: match form {
                Within::Ball => 0.0,
                _ => (bend.at(moment) / height.max(1e-6)) as f32,
            },
            unrest: (strength > 0.0).then(|| TurbulenceNow {
                strength,
                size: (scale * unrest_size) as f32,
                pace: 2.0,
                octaves: 2,
                seed: *seed,
                ..TurbulenceNow::default()
            }),
        }
    }
}

/// A column ready to be asked.
pub struct Risen {
    now: ColumnNow,
    waves: Option<Waves>,
}

impl Now for ColumnNow {
    type Flow = Risen;
    fn mark(&self, to: &mut Marks) {
        let ColumnNow { speed, across, along, form, radius, height, edge, scale: _, curved, unrest } = self;
        to.words(&[word::COLUMN, *form as u32]);
        to.words(&across.map(|a| a as u32));
        to.words(&along.map(|a| a as u32));
        to.numbers(speed);
        to.numbers(&[*radius, *height, *edge]);
        if *curved != 0.0 {
            to.words(&[word::CURVED]);
            to.numbers(&[*curved]);
        }
        if let Some(t) = unrest {
            t.mark(to);
        }
    }
    fn speed(&self) -> f32 {
        self.speed.iter().map(|c| c * c).sum::<f32>().sqrt()
            + self.unrest.as_ref().map_or(0.0, |t| t.strength)
    }
    fn outline(&self) -> Outline {
        let half = 0.5 * self.height;
        let [core, soft] = [0.0, self.edge].map(|e| match self.form {
            Within::Ball => outline::ball(self.radius + e),
            Within::Capsule => outline::capsule(self.radius + e, (half - self.radius).max(0.0)),
            Within::Cylinder => outline::cone(self.radius + e, self.radius + e, half + e),
            Within::Cone => outline::cone(self.radius + e, e, half + e),
            Within::Box => outline::block([self.radius + e, half + e, self.radius + e]),
        });
        let way = if self.speed[0] < 0.0 { -half } else { half };
        let core = [core, outline::arrow([0.0, -way, 0.0], [0.0, way, 0.0])].concat();
        // A cone is as wide as its radius at its foot.
        let foot = if self.form == Within::Cone { -half } else { 0.0 };
        let mut beads = vec![
            Bead::on("act/column/radius", 0, self.radius / self.scale, self.scale, 0.0)
                .beside([0.0, foot, 0.0]),
            Bead::on("act/column/edge", 0, self.edge / self.scale, -self.scale, -self.radius)
                .beside([0.0, foot, 0.0]),
        ];
        if self.form != Within::Ball {
            beads.push(Bead::on("act/column/height", 1, self.height / self.scale, 0.5 * self.scale, 0.0));
        }
        let soft = if self.edge > 0.0 { soft } else { vec![] };
        let mut out = Outline { core, soft, beads };
        if self.curved != 0.0 {
            out = out.bent(|p| self.bent(p));
        }
        out
    }
    fn flow(&self, time: f64) -> Risen {
        Risen { now: self.clone(), waves: self.unrest.as_ref().map(|t| t.flow(time)) }
    }
}

/// Where around an axis a direction is known: so near, as a share of the radius, swirl and spread fade to nothing.
const CORE: f32 = 0.05;

impl ColumnNow {
    /// Where a place of the straight column is in the bent one.
    fn bent(&self, [x, y, z]: [f32; 3]) -> [f32; 3] {
        let far = 1.0 / self.curved;
        let (s, c) = libm::sincosf(y / far);
        [far - (far - x) * c, (far - x) * s, z]
    }
}

impl Flow for Risen {
    /// Bent, a place is taken to where it would be in the straight column, by the angle and the distance from the middle of the
    /// axis's arc, and what blows there is turned back.
    #[inline(always)]
    fn velocity(&self, x: V8) -> V8 {
        let curved = self.now.curved;
        if curved == 0.0 {
            return self.straight(x);
        }
        let V8([a, b, c]) = x;
        let (far, side) = (F8::splat(1.0 / curved.abs()), F8::splat(curved.signum()));
        let u = far - a * side;
        let r = u.fma(u, b * b).sqrt().max(F8::splat(1e-6));
        let V8([p, q, w]) = self.straight(V8([(far - r) * side, b.angle(u) * far, c]));
        let (cos, sin, p) = (u / r, b / r, p * side);
        V8([p.fma(cos, q * sin) * side, q.fma(cos, -(p * sin)), w])
    }
}

impl Risen {
    #[inline(always)]
    fn straight(&self, x: V8) -> V8 {
        let all = F8::splat;
        let ColumnNow { speed, across, along, form, radius, height, edge, .. } = &self.now;
        let [a, b, c] = x.0;
        let (zero, one) = (all(0.0), all(1.0));
        let r = a.fma(a, c * c).sqrt();
        let (radius, half) = (all(*radius), all(0.5 * height));
        // How far outside, metres, and how far out as a share of the way to the side.
        let (beyond, out, half) = match form {
            Within::Ball => ((x.dot(x).sqrt() - radius).max(zero), r / radius, radius),
            Within::Capsule => {
                let straight = (half - radius).max(zero);
                let up = (b.abs() - straight).max(zero);
                ((r.fma(r, up * up).sqrt() - radius).max(zero), r / radius, straight + radius)
            }
            Within::Cylinder => {
                let (side, up) = ((r - radius).max(zero), (b.abs() - half).max(zero));
                (side.fma(side, up * up).sqrt(), r / radius, half)
            }
            Within::Cone => {
                // Its side goes from the foot's rim to the tip.
                let at = radius * ((half - b) / (half + half)).unit_clamp();
                let lean = (radius.fma(radius, (half + half) * (half + half))).sqrt();
                let side = ((r - at) * (half + half) / lean).max(zero);
                let up = (b.abs() - half).max(zero);
                (side.fma(side, up * up).sqrt(), r / at.max(all(1e-3)), half)
            }
            Within::Box => {
                let [p, q] = [a, c].map(|v| (v.abs() - radius).max(zero));
                let up = (b.abs() - half).max(zero);
                (p.fma(p, q.fma(q, up * up)).sqrt(), a.abs().max(c.abs()) / radius, half)
            }
        };
        let inside = smooth(one - beyond * all(1.0 / edge.max(1e-5)));
        let up = (b + half) / (half + half);
        let [lift, swirl, spread] =
            std::array::from_fn(|k| all(speed[k]) * across[k].at(out) * along[k].at(up) * inside);
        // Around and out from the axis, nothing on it.
        let near = smooth(r * all(1.0 / (CORE * self.now.radius)));
        let per = near / r.max(all(1e-6));
        let (p, q) = (a * per, c * per);
        let own = V8([p.fma(spread, q * swirl), lift, q.fma(spread, -(p * swirl))]);
        match &self.waves {
            None => own,
            Some(w) => w.velocity(x).fma(inside, own),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Air, FieldNow, Stand};

    fn plain(form: Within) -> ColumnNow {
        ColumnNow {
            speed: [3.0, 2.0, 1.0],
            across: [Across::Even; 3],
            along: [Along::Even; 3],
            form,
            radius: 0.5,
            height: 2.0,
            edge: 0.2,
            scale: 1.0,
            curved: 0.0,
            unrest: None,
        }
    }

    #[test]
    fn inside_it_has_what_is_set_and_outside_its_edge_nothing_tilted_and_off_the_origin() {
        let half = std::f32::consts::FRAC_1_SQRT_2;
        // A quarter turn about z: its axis lies along the world's -x.
        let stand = Stand::of([4.0, -2.0, 7.0], [0.0, 0.0, half, half]);
        for form in [Within::Cylinder, Within::Ball, Within::Capsule, Within::Box, Within::Cone] {
            let field = FieldNow { stand: Some(stand), ..plain(form).into() };
            let at = |p: [f32; 3]| Air::at(std::slice::from_ref(&field), None, 0.0).velocities(&[p])[0];
            // Its own (0.2, -0.1, 0): the world's (0.1, 0.2, 0) from its place.
            let v = at([4.1, -1.8, 7.0]);
            // Lift along -x, spread along its own x (the world's y), swirl toward -z.
            for (v, to) in v.iter().zip([-3.0, 1.0, -2.0]) {
                assert!((v - to).abs() < 1e-5, "{form:?}: {v} where {to} is set");
            }
            for p in [[4.0, -0.9, 7.0], [2.0, -2.0, 7.0], [4.0, -2.0, 8.3]] {
                assert_eq!(at(p), [0.0; 3], "{form:?} at {p:?}");
            }
            let on = at([4.05, -2.0, 7.0]);
            assert!((on[0] + 3.0).abs() < 1e-5 && on[1].abs() < 1e-5 && on[2].abs() < 1e-5, "{on:?}");
        }
    }

    #[test]
    fn each_of_the_three_has_its_own_way_across_and_along() {
        let now = ColumnNow {
            across: [Across::Middle, Across::Side, Across::Even],
            along: [Along::Head, Along::Foot, Along::Middle],
            ..plain(Within::Cylinder)
        };
        let v = now.flow(0.0).velocity(V8::splat([0.25, 0.5, 0.0])).0.map(|c| c.array()[0]);
        // Half way out, three quarters up.
        assert!((v[1] - 3.0 * 0.75 * 0.75).abs() < 1e-5, "lift {}", v[1]);
        assert!((v[2] + 2.0 * 0.25 * 0.25).abs() < 1e-5, "swirl {}", v[2]);
        assert!((v[0] - 0.75).abs() < 1e-5, "spread {}", v[0]);
    }

    #[test]
    fn scaled_it_is_the_same_air_at_places_as_many_times_as_far() {
        let m = Moment { frame: 1.0, first: 1.0, rate: 24.0 };
        let column = Column { bend: 0.8.into(), unrest: 0.6.into(), ..Column::begin() };
        let larger = Column { scale: 2.5.into(), ..column.clone() };
        let (a, b) = (column.at(&m, 1.0), larger.at(&m, 1.0));
        let at = |c: &ColumnNow, p: [f32; 3]| c.flow(0.0).velocity(V8::splat(p)).0.map(|c| c.array()[0]);
        for k in 0..40 {
            let t = k as f32;
            let p = [0.55 * (0.7 * t).sin(), 0.05 * t - 1.0, 0.4 * (1.9 * t).cos()];
            let (here, there) = (at(&a, p), at(&b, p.map(|c| 2.5 * c)));
            assert!((0..3).all(|c| (here[c] - there[c]).abs() < 1e-4), "{p:?}: {here:?}, {there:?}");
        }
        // Pulled by its bead at the side, the radius follows as far as it is scaled.
        let bead = b.outline().beads[0].clone();
        let per = bead.along.iter().map(|c| c * c).sum::<f32>().sqrt();
        assert!((per - 2.5).abs() < 1e-3 && bead.number.ends_with("radius"));
    }

    #[test]
    fn its_unrest_stays_within_it() {
        let unrest = Some(TurbulenceNow { strength: 1.0, size: 0.2, ..TurbulenceNow::default() });
        let now = ColumnNow { speed: [0.0; 3], unrest, ..plain(Within::Cylinder) };
        let at = |p: [f32; 3]| now.flow(0.3).velocity(V8::splat(p)).0.map(|c| c.array()[0]);
        assert!(at([0.1, 0.2, 0.1]).iter().any(|c| c.abs() > 0.05));
        assert_eq!(at([0.0, 1.3, 0.0]), [0.0; 3]);
    }

    #[test]
    fn bent_it_does_along_its_arc_what_it_does_straight() {
        let begun = Column {
            lift: 2.0.into(),
            swirl: 0.7.into(),
            spread: 0.4.into(),
            height: 3.0.into(),
            radius: 0.4.into(),
            ..Column::begin()
        };
        let m = Moment { frame: 1.0, first: 1.0, rate: 24.0 };
        let flow = |c: &Column| c.at(&m, 1.0).flow(0.3);
        let at = |r: &Risen, p: [f32; 3]| {
            let v = r.velocity(V8::splat(p)).0.map(F8::array);
            [v[0][0], v[1][0], v[2][0]]
        };
        let straight = flow(&begun);
        for bend in [2.4, -1.1f64] {
            let column = Column { bend: bend.into(), ..begun.clone() };
            let (bent, now) = (flow(&column), column.at(&m, 1.0));
            for k in 0..60 {
                let t = k as f32 * 0.61;
                let p = [0.38 * t.sin(), -1.4 + 0.047 * k as f32, 0.3 * (1.7 * t).cos()];
                let v = at(&straight, p);
                let got = at(&bent, now.bent(p));
                // The axis there is turned by its share of the bend.
                let (s, c) = (bend as f32 / 3.0 * p[1]).sin_cos();
                let want = [v[0] * c + v[1] * s, v[1] * c - v[0] * s, v[2]];
                for i in 0..3 {
                    assert!((got[i] - want[i]).abs() < 2e-5, "{bend} at {p:?}: {got:?}, {want:?}");
                }
            }
        }
        // Where the straight one had its head there is nothing any more.
        let column = Column { bend: 2.4.into(), ..begun.clone() };
        assert!(at(&straight, [-0.2, 1.3, 0.0])[1] > 1.5);
        assert_eq!(at(&flow(&column), [-0.2, 1.3, 0.0]), [0.0; 3]);
    }
}
