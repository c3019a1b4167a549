//! Grips that pull, and bodies that follow: a spring from each point to where it belongs.
//!
//! Implicit like all that holds a body together: with b the part of the sub-step in which forces act, (m + k b²) x = m x* + k b² T + b² f,
//! with x* where the point's motion leads, T where it belongs, f the body's own forces. So it is drawn by k b² / (m + k b²) of
//! the way before those act, and is heavier by k b² for them (D. Baraff, A. Witkin, "Large Steps in Cloth Simulation", 1998, eq. 6, for
//! one spring).
use crate::inputs::{Draws, GripMotion};
use crate::simd::Record;

/// How many times its own mass a point weighs that is held as firmly as can be.
const FIRM: f32 = 60.0;
/// How fast a point that is held firmly is drawn to where it belongs at most, beside how fast that moves, m/s: what is
/// gripped again comes back without a jump.
const PACE: f32 = 2.0;

/// Draws the points of a grip, at places of the body, toward where they belong at the second of two moments of the frame, and
/// makes them as heavy as that holds them. `balance` is the time in which forces act, `dt` the sub-step's, seconds.
pub fn draw(
    grip: &GripMotion,
    places: &[u32],
    rest: &[Record],
    [from, to]: [f32; 2],
    [balance, dt]: [f32; 2],
    (start, gained): (&[Record], &mut [Record]),
) {
    let Some(pull) = &grip.pull else { return };
    if pull.share == [0.0; 2] {
        return;
    }
    let (was, goes) = (grip.places(from), grip.places(to));
    for (number, &place) in places.iter().enumerate() {
        let k = place as usize;
        let weight = gained[k].0[3];
        let share = pull.at(number, to);
        if weight == 0.0 || share <= 0.0 {
            continue;
        }
        let at = rest[k].xyz();
        let (a, b) = (was(number, at), goes(number, at));
        let far: [f32; 3] = std::array::from_fn(|c| b[c] - start[k].0[c]);
        let own: [f32; 3] = std::array::from_fn(|c| b[c] - a[c]);
        // How strongly, and toward which way from where the point was.
        let (spring, way) = match pull.by {
            Draws::Spring(stiffness) => (share * stiffness * balance * balance * weight, far),
            // Share by share firmer, so that a share of a half is felt as one. What is far away is drawn to where it can be by
            // then, not all the way at once.
            Draws::Firm => {
                let less = ((length(own) + PACE * dt) / length(far).max(1e-12)).min(1.0);
                (FIRM * share * share * share, far.map(|c| less * c))
            }
            // x'' = k (T - x) + 2 sqrt(k) (T' - x'), each by its own backward difference.
            Draws::Follow(k) => {
                let k = share * k;
                let (pulls, damps) = (k * balance * balance, 2.0 * k.sqrt() * balance * balance / dt);
                let all = pulls + damps;
                (all, std::array::from_fn(|c| (pulls * far[c] + damps * own[c]) / all))
            }
        };
        for c in 0..3 {
            gained[k].0[c] += spring / (1.0 + spring) * (way[c] - gained[k].0[c]);
        }
        gained[k].0[3] = weight / (1.0 + spring);
    }
}

fn length(v: [f32; 3]) -> f32 {
    v.iter().map(|c| c * c).sum::<f32>().sqrt()
}
