//! Fewer keys for the same way.
use crate::{Key, Way};

/// The keys of a number that was recorded frame by frame, as few as keep it everywhere within so much of what it was: straight from key to
/// key, and split where it is farthest off (U. Ramer, "An iterative procedure for the polygonal approximation of plane curves", 1972;
/// D. Douglas and T. Peucker, 1973), by the difference at the frame. The ends always stay. Within 0 nothing is
/// lost but what stays the same: between frames the way is that of all keys, too.
pub fn fewer(recorded: &[(i64, f64)], within: f64) -> Vec<Key> {
    let n = recorded.len();
    let same = |k: usize| {
        k > 0 && k + 1 < n && recorded[k - 1].1 == recorded[k].1 && recorded[k].1 == recorded[k + 1].1
    };
    let mut kept = vec![false; n];
    if n > 0 {
        (kept[0], kept[n - 1]) = (true, true);
    }
    if within <= 0.0 {
        (0..n).for_each(|k| kept[k] = !same(k));
    }
    let mut left = if n > 2 && within > 0.0 { vec![(0, n - 1)] } else { vec![] };
    while let Some((a, b)) = left.pop() {
        let ((fa, va), (fb, vb)) = (recorded[a], recorded[b]);
        let straight = |f: i64| va + (vb - va) * ((f - fa) as f64 / (fb - fa) as f64);
        let off = (a + 1..b).map(|k| ((recorded[k].1 - straight(recorded[k].0)).abs(), k));
        let Some((most, k)) = off.max_by(|x, y| x.0.total_cmp(&y.0)) else { continue };
        if most > within {
            kept[k] = true;
            left.extend([(a, k), (k, b)]);
        }
    }
    let key =
        |&(frame, value): &(i64, f64)| Key { frame, value, then: Way::Straight, arrive: None, leave: None };
    recorded.iter().zip(kept).filter(|(_, keep)| *keep).map(|(r, _)| key(r)).collect()
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)]
    use super::*;
    use crate::{Moment, Motion, Value};

    #[test]
    fn fewer_keys_go_the_same_way_within_what_is_asked_and_none_are_lost_within_nothing() {
        let at = |f: i64| (0.31 * f as f64).sin() + if f > 40 { 0.2 * (f - 40) as f64 } else { 0.0 };
        let recorded: Vec<(i64, f64)> = (0..=96).map(|f| (f, at(f))).collect();
        let mut before = usize::MAX;
        for within in [0.0, 0.001, 0.01, 0.1] {
            let keys = fewer(&recorded, within);
            assert!(keys.len() < before, "{within}: {}", keys.len());
            before = keys.len();
            let value = Value::Moving(Motion { keys, ..Motion::default() });
            for (f, v) in &recorded {
                let now = value.at(&Moment { frame: *f as f64, first: 0.0, rate: 24.0 });
                assert!((now - v).abs() <= within + 1e-12, "{within} at {f}: {now} {v}");
            }
        }
        // What goes straight needs its ends alone; nothing and one key stay what they are.
        let straight: Vec<(i64, f64)> = (0..50).map(|f| (f, 0.25 * f as f64)).collect();
        assert_eq!(fewer(&straight, 1e-9).len(), 2);
        assert!(fewer(&[], 0.1).is_empty() && fewer(&[(3, 1.0)], 0.1).len() == 1);
    }
}
