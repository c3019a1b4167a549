//! What a matter is like in the hand.
use nematon_evaluate::{droop, swing};

/// Metres.
const OVERHANG: f64 = 0.04;

#[test]
fn a_stiff_strip_droops_as_a_beam_does() {
    // w L^4 / 8 D
    let (bend, weight) = (1e-3, 1.5);
    let tip = droop(bend, weight, OVERHANG).last().map_or(0.0, |p| -p[1]);
    let beam = weight * OVERHANG.powi(4) / (8.0 * bend);
    assert!((tip / beam - 1.0).abs() < 1e-3, "{tip} for {beam}");
}

#[test]
fn peirces_strip_of_twice_the_bending_length_points_down_by_forty_one_and_a_half_degrees() {
    // F. T. Peirce, The handle of cloth as a measurable quantity, 1930: L = 2 c where the chord falls by 41.5°.
    let weight = 1.5;
    let length: f64 = OVERHANG;
    let bend = weight * (length / 2.0).powi(3);
    let tip = droop(bend, weight, length).last().copied().unwrap_or_default();
    let angle = (-tip[1]).atan2(tip[0]).to_degrees();
    assert!((angle - 41.5).abs() < 1.0, "{angle}");
}

#[test]
fn a_limp_strip_hangs_straight_down_and_keeps_its_length() {
    let at = droop(1e-9, 1.5, OVERHANG);
    let tip = at.last().copied().unwrap_or_default();
    assert!(tip[0] < 0.003 && tip[1] < -0.037, "{tip:?}");
    let long: f64 = at.windows(2).map(|w| (w[1][0] - w[0][0]).hypot(w[1][1] - w[0][1])).sum();
    assert!((long / OVERHANG - 1.0).abs() < 0.01);
}

#[test]
fn a_metre_of_cloth_swings_in_under_two_seconds() {
    // A chain of 1 m: 1.668 s, a pendulum of its length 2.006 s.
    assert!((swing(1.0, 9.81) - 1.668).abs() < 2e-3);
}
