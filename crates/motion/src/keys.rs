use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A value at a frame, and how it goes on to the next.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Key {
    #[schemars(title = "Frame", range(min = -100_000, max = 1_000_000))]
    pub frame: i64,
    #[schemars(title = "Value")]
    pub value: f64,
    #[serde(default, skip_serializing_if = "Way::is_straight")]
    #[schemars(title = "Then")]
    pub then: Way,
    /// How a curve comes to it; left out, as evenly as its neighbours let it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Arrives")]
    pub arrive: Option<Handle>,
    /// How a curve leaves it; left out, as evenly as its neighbours let it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Leaves")]
    pub leave: Option<Handle>,
}

/// Where a curve is drawn to beside a key.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(rename = "KeyHandle")]
pub struct Handle {
    /// How many frames away; beyond the next key it is at it.
    #[schemars(title = "Frames", range(min = 0, max = 1_000_000))]
    pub frames: f64,
    /// How much more than the key's value.
    #[schemars(title = "Value")]
    pub value: f64,
}

/// How a value goes from a key to the next.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Way {
    #[default]
    Straight,
    /// Stays until the next key.
    Step,
    /// Leaves and arrives at rest.
    Smooth,
    /// By the handles of the two keys.
    Curve,
}

/// How a value goes before the first key or after the last.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Beyond {
    /// Stays as it is there.
    #[default]
    Hold,
    /// All keys again and again.
    Repeat,
    /// Again and again, each time from where the last ended.
    Offset,
    /// There and back, again and again.
    Back,
    /// Goes on straight, as it is going there.
    On,
}

impl Way {
    fn is_straight(&self) -> bool {
        *self == Way::Straight
    }
}

impl Beyond {
    pub(crate) fn is_hold(&self) -> bool {
        *self == Beyond::Hold
    }
}

/// The value at a moment, in frames, of keys in order. `None` where there are none.
pub(crate) fn at(keys: &[Key], [before, after]: [Beyond; 2], frame: f64) -> Option<f64> {
    let (first, last) = (keys.first()?, keys.last()?);
    let (from, to) = (first.frame as f64, last.frame as f64);
    let beyond = match frame {
        f if f < from => before,
        f if f > to => after,
        _ => return Some(within(keys, frame)),
    };
    let end = if frame < from { first } else { last };
    let span = to - from;
    if span <= 0.0 {
        return Some(end.value);
    }
    // How many times all keys were gone through, and how far into this time.
    let times = ((frame - from) / span).floor();
    let left = (frame - from - times * span).clamp(0.0, span);
    Some(match beyond {
        Beyond::Hold => end.value,
        Beyond::Repeat => within(keys, from + left),
        Beyond::Offset => within(keys, from + left) + times * (last.value - first.value),
        Beyond::Back if times.rem_euclid(2.0) == 0.0 => within(keys, from + left),
        Beyond::Back => within(keys, to - left),
        Beyond::On => end.value + slope(keys, frame > to) * (frame - end.frame as f64),
    })
}

/// Between the first key and the last.
fn within(keys: &[Key], frame: f64) -> f64 {
    let next = keys.partition_point(|k| k.frame as f64 <= frame);
    if next == 0 || next == keys.len() {
        return keys[next.min(keys.len() - 1)].value;
    }
    let (a, b) = (&keys[next - 1], &keys[next]);
    let t = (frame - a.frame as f64) / (b.frame - a.frame).max(1) as f64;
    match a.then {
        Way::Straight => a.value + t * (b.value - a.value),
        Way::Step => a.value,
        Way::Smooth => a.value + t * t * (3.0 - 2.0 * t) * (b.value - a.value),
        Way::Curve => {
            let [p, q] = handles(keys, next - 1);
            bezier(t, [p[0], q[0]], [a.value, p[1], q[1], b.value])
        }
    }
}

/// The two inner points of the curve from a key to the next: how far along the way, 0 to 1, and the value.
fn handles(keys: &[Key], k: usize) -> [[f64; 2]; 2] {
    let (a, b) = (&keys[k], &keys[k + 1]);
    let span = (b.frame - a.frame).max(1) as f64;
    let along = |h: &Handle| (h.frames / span).clamp(0.0, 1.0);
    // A handle that is cut short keeps its direction.
    let cut = |h: &Handle| if h.frames > span { h.value * span / h.frames } else { h.value };
    let leave = match &a.leave {
        Some(h) => [along(h), a.value + cut(h)],
        None => [1.0 / 3.0, a.value + even(keys, k) * span / 3.0],
    };
    let arrive = match &b.arrive {
        Some(h) => [1.0 - along(h), b.value + cut(h)],
        None => [2.0 / 3.0, b.value - even(keys, k + 1) * span / 3.0],
    };
    [leave, arrive]
}

/// The slope at a key that overshoots neither neighbour: the harmonic mean of those on its sides, weighed by their
/// lengths, where both go one way (F. Fritsch, J. Butland, "A Method for Constructing Local Monotone Piecewise Cubic
/// Interpolants", 1984, eq. 5); at the ends of all keys that of the one side.
fn even(keys: &[Key], k: usize) -> f64 {
    let side = |a: usize| {
        let span = (keys[a + 1].frame - keys[a].frame).max(1) as f64;
        (span, (keys[a + 1].value - keys[a].value) / span)
    };
    match (k.checked_sub(1).map(side), (k + 1 < keys.len()).then(|| side(k))) {
        (Some((p, s)), Some((q, r))) if s * r > 0.0 => {
            let share = (p + 2.0 * q) / (3.0 * (p + q));
            s * r / (share * r + (1.0 - share) * s)
        }
        (Some(_), Some(_)) | (None, None) => 0.0,
        (Some((_, s)), None) | (None, Some((_, s))) => s,
    }
}

/// A cubic from 0 to 1 along the way, at a place `t` of it: its inner points lie at `x`, its four values are `y`.
fn bezier(t: f64, x: [f64; 2], y: [f64; 4]) -> f64 {
    let along = |s: f64| {
        let r = 1.0 - s;
        3.0 * r * r * s * x[0] + 3.0 * r * s * s * x[1] + s * s * s
    };
    // Inner points between the ends make it go one way only, so halving finds it.
    let (mut low, mut high) = (0.0, 1.0);
    for _ in 0..52 {
        let middle = 0.5 * (low + high);
        if along(middle) <= t {
            low = middle;
        } else {
            high = middle;
        }
    }
    let (s, r) = (low, 1.0 - low);
    r * r * r * y[0] + 3.0 * r * r * s * y[1] + 3.0 * r * s * s * y[2] + s * s * s * y[3]
}

/// How it goes at the first key, or at the `last`: value a frame.
fn slope(keys: &[Key], last: bool) -> f64 {
    let a = if last { keys.len().saturating_sub(2) } else { 0 };
    let Some(b) = keys.get(a + 1) else { return 0.0 };
    let a_key = &keys[a];
    let span = (b.frame - a_key.frame).max(1) as f64;
    match a_key.then {
        Way::Straight => (b.value - a_key.value) / span,
        Way::Step | Way::Smooth => 0.0,
        Way::Curve => {
            let [p, q] = handles(keys, a);
            let (way, rise) =
                if last { ((1.0 - q[0]) * span, b.value - q[1]) } else { (p[0] * span, p[1] - a_key.value) };
            if way > 1e-9 { rise / way } else { 0.0 }
        }
    }
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)]
    use super::*;

    fn key(frame: i64, value: f64, then: Way) -> Key {
        Key { frame, value, then, arrive: None, leave: None }
    }

    fn held(keys: &[Key], frame: f64) -> f64 {
        at(keys, [Beyond::Hold; 2], frame).unwrap()
    }

    #[test]
    fn every_way_meets_its_keys_and_only_steps_jump() {
        for then in [Way::Straight, Way::Step, Way::Smooth, Way::Curve] {
            let keys = [key(3, 1.0, then), key(9, -2.0, then), key(10, 5.0, then), key(40, 5.5, then)];
            for k in &keys {
                assert_eq!(held(&keys, k.frame as f64), k.value, "{then:?}");
            }
            for frame in 300..4000 {
                let [a, b] = [0.0, 0.01].map(|more| held(&keys, f64::from(frame) * 0.01 + more));
                let steep = 0.01 * 7.0 * 2.0;
                let jumps = then == Way::Step && (frame + 1) % 100 == 0;
                assert!((a - b).abs() <= steep || jumps, "{then:?} at {frame}: {a} to {b}");
            }
        }
    }

    #[test]
    fn a_curve_without_handles_never_overshoots_and_is_as_smooth_as_it_can() {
        let rising = [0.0, 0.1, 2.0, 2.0, 2.1, 7.0].map(|v| v * 1.0);
        let keys: Vec<Key> = (0..).zip(rising).map(|(k, v)| key(k * k + 2 * k, v, Way::Curve)).collect();
        let mut before = f64::NEG_INFINITY;
        for frame in 0..3500 {
            let now = held(&keys, f64::from(frame) * 0.01);
            assert!(now >= before - 1e-12, "falls at {frame}");
            before = now;
        }
        // Slopes on both sides of a key are one.
        for k in &keys[1..5] {
            let f = k.frame as f64;
            let slopes = [-1e-4, 1e-4].map(|d| (held(&keys, f + d) - k.value) / d);
            assert!((slopes[0] - slopes[1]).abs() < 2e-3 * (1.0 + slopes[0].abs()), "{slopes:?} at {f}");
        }
    }

    #[test]
    fn handles_draw_the_curve_and_can_not_turn_it_back() {
        let with = |frames: f64, value: f64| {
            let mut keys = [key(0, 0.0, Way::Curve), key(10, 1.0, Way::Straight)];
            keys[0].leave = Some(Handle { frames, value });
            keys[1].arrive = Some(Handle { frames: 10.0 / 3.0, value: -1.0 / 3.0 });
            keys
        };
        // A straight line's own handles.
        let straight = with(10.0 / 3.0, 1.0 / 3.0);
        for f in 0..=10 {
            assert!((held(&straight, f64::from(f)) - f64::from(f) / 10.0).abs() < 1e-12);
        }
        // x = 3 s (1-s)^2 / 2 + ... by hand at s = 1/2: x = 3/8 (0.5 + 2/3) + 1/8 = 0.5625, y = 3/8 (0.6 + 2/3) + 1/8.
        let drawn = with(5.0, 0.6);
        assert!((held(&drawn, 5.625) - (3.0 / 8.0 * (0.6 + 2.0 / 3.0) + 0.125)).abs() < 1e-12);
        // Longer than the way, it is as if it ended there.
        assert_eq!(held(&with(40.0, 4.0), 3.0), held(&with(10.0, 1.0), 3.0));
    }

    #[test]
    fn beyond_its_keys_it_holds_repeats_goes_back_or_goes_on() {
        let keys = [key(10, 1.0, Way::Straight), key(14, 3.0, Way::Straight), key(20, 0.0, Way::Straight)];
        let both = |how: Beyond, frame: f64| at(&keys, [how; 2], frame).unwrap();
        for (how, frame, value) in [
            (Beyond::Hold, 4.0, 1.0),
            (Beyond::Hold, 99.0, 0.0),
            (Beyond::Repeat, 22.0, 2.0),
            (Beyond::Repeat, 34.0, 3.0),
            (Beyond::Repeat, 4.0, 3.0),
            (Beyond::Offset, 22.0, 1.0),
            (Beyond::Offset, 34.0, 1.0),
            (Beyond::Offset, 4.0, 4.0),
            (Beyond::Back, 26.0, 3.0),
            (Beyond::Back, 32.0, 2.0),
            (Beyond::Back, 6.0, 3.0),
            (Beyond::On, 24.0, -2.0),
            (Beyond::On, 8.0, 0.0),
        ] {
            assert!((both(how, frame) - value).abs() < 1e-12, "{how:?} at {frame}: {}", both(how, frame));
        }
        // Each end by its own way.
        assert_eq!(at(&keys, [Beyond::On, Beyond::Hold], 8.0), Some(0.0));
        assert_eq!(at(&keys, [Beyond::On, Beyond::Hold], 30.0), Some(0.0));
        // One key has nothing to repeat.
        for how in [Beyond::Repeat, Beyond::Offset, Beyond::Back, Beyond::On] {
            assert_eq!(at(&keys[..1], [how; 2], 500.0), Some(1.0));
        }
    }

    #[test]
    fn a_curve_goes_on_as_it_arrives() {
        let mut keys = [key(0, 0.0, Way::Curve), key(10, 1.0, Way::Curve)];
        keys[1].arrive = Some(Handle { frames: 2.0, value: -0.6 });
        assert!((at(&keys, [Beyond::On; 2], 15.0).unwrap() - (1.0 + 5.0 * 0.3)).abs() < 1e-12);
    }
}
