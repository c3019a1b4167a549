//! Where a field acts: wholly within a form, less and less over an edge about it, not at all beyond.
use crate::word;
use crate::{Marks, Stand};
use nematon_simd::{F8, V8};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

fn all(v: f32) -> F8 {
    F8::splat(v)
}

/// A zone at a moment.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ZoneNow {
    pub stand: Stand,
    pub form: ZoneForm,
    /// Metres about the form over which it ends, by a smooth step.
    pub edge: f32,
    pub profile: Profile,
    /// Whether it is all that lies outside.
    pub outside: bool,
}

/// How a zone ends over its edge.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Profile {
    /// By a smooth step.
    #[default]
    Smooth,
    /// In proportion to the distance.
    Straight,
    /// Slowly at first, then at once.
    Round,
    /// At once at first, then slowly.
    Sharp,
}

impl Profile {
    /// By how much of the edge is left, 1 where it begins to 0 where it ends.
    #[inline(always)]
    pub fn of(self, t: F8) -> F8 {
        match self {
            Profile::Smooth => t * t * (all(3.0) - all(2.0) * t),
            Profile::Straight => t,
            Profile::Round => (t * (all(2.0) - t)).max(all(0.0)).sqrt(),
            Profile::Sharp => t * t,
        }
    }
}

/// The form of a zone about its own origin, metres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum ZoneForm {
    Ball {
        radius: f32,
    },
    /// Half its sizes.
    Box {
        half: [f32; 3],
    },
    /// Upright; half the way between the middles of its ends.
    Capsule {
        radius: f32,
        half: f32,
    },
    /// Half its thickness along its upright axis.
    Slab {
        half: f32,
    },
    /// Upright; the radius of the middle of its wall, half its length, half the wall.
    Tube {
        radius: f32,
        half: f32,
        wall: f32,
    },
}

impl ZoneNow {
    /// All its numbers one after the other.
    pub fn numbers(&self) -> Vec<f32> {
        let mut marks = Marks::default();
        self.mark(&mut marks);
        let words = marks.0.chunks_exact(4).map(|b| u32::from_le_bytes([b[0], b[1], b[2], b[3]]));
        words.map(f32::from_bits).collect()
    }

    pub fn mark(&self, to: &mut Marks) {
        let ZoneNow { stand, form, edge, profile, outside } = self;
        stand.mark(to);
        match form {
            ZoneForm::Ball { radius } => (to.words(&[0]), to.numbers(&[*radius])),
            ZoneForm::Box { half } => (to.words(&[1]), to.numbers(half)),
            ZoneForm::Capsule { radius, half } => (to.words(&[2]), to.numbers(&[*radius, *half])),
            ZoneForm::Slab { half } => (to.words(&[3]), to.numbers(&[*half])),
            ZoneForm::Tube { radius, half, wall } => (to.words(&[4]), to.numbers(&[*radius, *half, *wall])),
        };
        to.numbers(&[*edge]);
        to.words(&[u32::from(*outside)]);
        // The smooth step was all there was once.
        if *profile != Profile::Smooth {
            to.words(&[word::PROFILE + *profile as u32]);
        }
    }

    /// How much of the field is there, 0 to 1. Distances: C. Ericson, "Real-Time Collision Detection" (2005), ch. 5.
    #[inline(always)]
    pub fn weight(&self, x: V8) -> F8 {
        let p = self.stand.local(x);
        let far = match self.form {
            ZoneForm::Ball { radius } => p.dot(p).sqrt() - all(radius),
            ZoneForm::Box { half } => {
                let beyond = V8(std::array::from_fn(|k| (p.0[k].abs() - all(half[k])).max(all(0.0))));
                beyond.dot(beyond).sqrt()
            }
            ZoneForm::Capsule { radius, half } => {
                let up = p.0[1] - p.0[1].max(all(-half)).min(all(half));
                let d = V8([p.0[0], up, p.0[2]]);
                d.dot(d).sqrt() - all(radius)
            }
            ZoneForm::Slab { half } => p.0[1].abs() - all(half),
            ZoneForm::Tube { radius, half, wall } => {
                let out = (p.0[0] * p.0[0] + p.0[2] * p.0[2]).sqrt();
                let across = ((out - all(radius)).abs() - all(wall)).max(all(0.0));
                let along = (p.0[1].abs() - all(half)).max(all(0.0));
                (across * across + along * along).sqrt()
            }
        };
        // At the form itself all of it, however narrow the edge.
        let t = (all(1.0) - far.max(all(0.0)) / all(self.edge.max(1e-6))).max(all(0.0));
        let inside = self.profile.of(t);
        if self.outside { all(1.0) - inside } else { inside }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_zone_is_whole_within_its_form_and_ends_over_its_edge() {
        let quarter = std::f32::consts::FRAC_1_SQRT_2;
        let stand = Stand::of([1.0, 2.0, 3.0], [0.0, 0.0, quarter, quarter]);
        let at = |form, outside, p: [f32; 3]| {
            ZoneNow { stand, form, edge: 0.5, profile: Profile::Smooth, outside }.weight(V8::splat(p)).array()
                [0]
        };
        let ball = ZoneForm::Ball { radius: 1.0 };
        // A quarter turn about z: its own y lies along the world's -x.
        let pillar = ZoneForm::Capsule { radius: 0.25, half: 2.0 };
        let level = ZoneForm::Slab { half: 0.5 };
        let tube = ZoneForm::Tube { radius: 1.0, half: 2.0, wall: 0.1 };
        let slab = ZoneForm::Box { half: [0.5, 2.0, 1.0] };
        for (form, p, share) in [
            (ball, [1.0, 2.0, 3.0], 1.0),
            (ball, [1.9, 2.0, 3.0], 1.0),
            (ball, [2.25, 2.0, 3.0], 0.5),
            (ball, [2.6, 2.0, 3.0], 0.0),
            (pillar, [-0.9, 2.0, 3.0], 1.0),
            (pillar, [1.0, 2.5, 3.0], 0.5),
            (pillar, [1.0, 2.9, 3.0], 0.0),
            (slab, [2.9, 2.4, 3.9], 1.0),
            (slab, [2.9, 2.75, 3.9], 0.5),
            (slab, [2.9, 2.4, 4.6], 0.0),
            (level, [0.8, 90.0, -50.0], 1.0),
            (level, [1.75, 7.0, 3.0], 0.5),
            (tube, [1.0, 2.0, 3.0], 0.0),
            (tube, [0.0, 3.05, 3.0], 1.0),
            (tube, [0.0, 3.35, 3.0], 0.5),
            (tube, [3.25, 2.0, 4.0], 0.5),
        ] {
            assert!((at(form, false, p) - share).abs() < 1e-5, "{form:?} {p:?}: {}", at(form, false, p));
            assert!((at(form, true, p) - (1.0 - share)).abs() < 1e-5);
        }
    }
    #[test]
    fn profiles_end_where_the_edge_does_and_are_as_they_say_between() {
        let at = |profile, far: f32| {
            let form = ZoneForm::Ball { radius: 1.0 };
            let stand = Stand::of([0.0; 3], [0.0, 0.0, 0.0, 1.0]);
            let zone = ZoneNow { stand, form, edge: 1.0, profile, outside: false };
            zone.weight(V8::splat([1.0 + far, 0.0, 0.0])).array()[0]
        };
        let all = [Profile::Smooth, Profile::Straight, Profile::Round, Profile::Sharp];
        for (profile, half) in all.into_iter().zip([0.5, 0.5, 0.75f32.sqrt(), 0.25]) {
            let found = [at(profile, 0.0), at(profile, 0.5), at(profile, 1.0)];
            let off = found.iter().zip([1.0, half, 0.0]).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
            assert!(off < 1e-5, "{profile:?}: {found:?}");
        }
    }
}
