//! How fast a clamped strip swings and how long it goes on, and that points, sub-steps and frames change
//! precision only.
use crate::harness::{Trial, fit, mode, plain, within};
use nematon_geometry::material::WarpAlong;
use nematon_geometry::{Mesh, sheet};
use nematon_solver::Matter;

const LENGTH: f64 = 0.3;
const WEIGHT: f64 = 0.2;

/// A strip along x, clamped over one cell, that swings at `first` Hz in its first mode.
fn strip(n: u32, first: f64) -> Trial {
    let h = LENGTH / f64::from(n);
    let mut m: Mesh = sheet(LENGTH + h, 6.0 * h, n + 2, 7);
    m.positions.iter_mut().for_each(|p| p[0] += (0.5 * (LENGTH + h) - h) as f32);
    let bend = WEIGHT * (2.0 * std::f64::consts::PI * LENGTH * LENGTH * first / 3.516).powi(2);
    let matter = Matter {
        areal_weight: WEIGHT as f32,
        stretch: [4000.0; 2],
        shear: 1500.0,
        bend: [bend as f32; 2],
        ..plain()
    };
    let mut t = Trial::along(m, WarpAlong::U, matter, |k, m| m.positions[k][0] < 1e-6);
    t.frame.gravity = [0.0; 3];
    t
}

/// Plucks it in a mode by a hundredth of its length or so, and gives the tip's place at each frame of two seconds.
fn swing(t: &mut Trial, which: usize, hertz: f64) -> Vec<f64> {
    swing_by(t, which, hertz, &[])
}

/// The same with other numbers of sub-steps, a frame each, over and over.
fn swing_by(t: &mut Trial, which: usize, hertz: f64, substeps: &[u32]) -> Vec<f64> {
    let pace = 0.002 * 2.0 * std::f64::consts::PI * hertz;
    let cloth = &t.cloth;
    t.state.set_velocities(cloth, |p| [0.0, (pace * mode(which, f64::from(p[0]) / LENGTH)) as f32, 0.0]);
    let frames = (2.0 / t.frame.duration).round() as usize;
    let tips: Vec<usize> =
        (0..t.mesh.positions.len()).filter(|&k| f64::from(t.mesh.positions[k][0]) > LENGTH - 1e-5).collect();
    (0..frames)
        .map(|k| {
            if !substeps.is_empty() {
                t.frame.substeps = substeps[k % substeps.len()];
            }
            t.run(1);
            let p = t.positions();
            tips.iter().map(|&k| f64::from(p[k][1])).sum::<f64>() / tips.len() as f64
        })
        .collect()
}

#[test]
fn a_plucked_strip_swings_as_a_beam() {
    let (first, _) = fit(&swing(&mut strip(16, 2.0), 0, 2.0), 1.0 / 24.0);
    within("first mode, Hz", first, 2.0, 0.02);
    let second = 0.7 * 22.03 / 3.516;
    let (found, _) = fit(&swing(&mut strip(24, 0.7), 1, second), 1.0 / 24.0);
    within("second mode, Hz", found, second, 0.05);
}

#[test]
fn it_keeps_nearly_all_of_its_swing() {
    // An implicit step of a 480th of a second would keep 0.96 and 0.69 a second.
    for (hertz, substeps) in [(1.0, 10), (3.0, 10), (1.0, 20), (3.0, 20), (3.0, 120)] {
        let mut t = strip(16, hertz);
        t.frame.substeps = substeps;
        let (found, kept) = fit(&swing(&mut t, 0, hertz), 1.0 / 24.0);
        println!("{hertz} Hz at {substeps}: {found:.4} Hz, keeps {kept:.4} of its amplitude a second");
        assert!((0.985..1.002).contains(&kept), "{hertz} Hz at {substeps} keeps {kept}");
        within("first mode, Hz", found, hertz, 0.01);
    }
}

#[test]
fn points_change_the_frequency_by_no_more_than_their_precision() {
    let off: Vec<f64> = [8, 16, 32]
        .iter()
        .map(|n| fit(&swing(&mut strip(*n, 1.5), 0, 1.5), 1.0 / 24.0).0 / 1.5 - 1.0)
        .collect();
    println!("n 8, 16, 32: off by {off:.5?}");
    for (off, attainable) in off.iter().zip([0.013, 0.0033, 0.0008]) {
        assert!(off.abs() < 1.5 * attainable + 0.005, "{off}");
    }
}

#[test]
fn sub_steps_and_frame_rates_change_the_frequency_by_no_more_than_half_a_hundredth() {
    for (rate, substeps) in [(24.0, 10), (24.0, 20), (24.0, 40), (24.0, 200), (30.0, 16), (60.0, 8)] {
        let mut t = strip(16, 1.5);
        (t.frame.duration, t.frame.substeps) = (1.0 / rate, substeps);
        let (found, kept) = fit(&swing(&mut t, 0, 1.5), t.frame.duration);
        println!("{rate} frames a second, {substeps} sub-steps: {found:.4} Hz, keeps {kept:.3}");
        assert!((found / 1.5 - 1.0).abs() < 1.5 * 0.0033 + 0.005, "{rate} {substeps}: {found}");
    }
}

#[test]
fn mass_length_and_area_are_those_of_the_sheet_at_any_density() {
    for n in [8, 16, 33, 64] {
        let m = sheet(0.7, 0.4, n, n / 2 + 1);
        let matter = Matter { areal_weight: 0.31, ..plain() };
        let t = Trial::new(m, matter, |_, _| false);
        let mass = t.cloth.mass();
        assert!((mass / (0.7 * 0.4 * 0.31) - 1.0).abs() < 1e-6, "{n}: {mass} kg");
        let strain = t.cloth.strain(&t.state);
        assert!(strain.mean.iter().all(|s| s.abs() < 1e-6), "{n}: at rest, and strained by {strain:?}");
    }
}

#[test]
fn a_change_of_sub_steps_amid_a_swing_goes_on_without_a_jolt() {
    let tips = |change: u32| {
        let mut t = strip(12, 1.5);
        t.frame.substeps = 10;
        let mut y = swing(&mut t, 0, 1.5);
        t.frame.substeps = change;
        y.extend((0..24).map(|_| {
            t.run(1);
            t.mean(1)
        }));
        y
    };
    let (same, other) = (tips(10), tips(16));
    let size = same.iter().fold(0.0f64, |m, y| m.max(y.abs()));
    let far = same.iter().zip(&other).map(|(a, b)| (a - b).abs()).fold(0.0, f64::max);
    assert!(far > 0.0 && far < 0.05 * size, "apart by {far} of {size}");
}

#[test]
fn sub_steps_that_change_from_frame_to_frame_keep_swing_and_phase() {
    let by = |substeps: &[u32]| swing_by(&mut strip(16, 2.0), 0, 2.0, substeps);
    let even = by(&[40]);
    let high = even.iter().fold(0.0f64, |m, p| m.max(p.abs()));
    // Twice as many and half as many; to and fro each frame; seldom; by odd shares; eight times as many.
    for pattern in
        [&[20, 40][..], &[20, 20, 20, 40, 40, 80, 40], &[24, 30, 41, 33, 27], &[20, 160, 80, 40, 20, 20, 20]]
    {
        let found = by(pattern);
        let (hertz, kept) = fit(&found, 1.0 / 24.0);
        let off = found.iter().zip(&even).map(|(a, b)| (a - b).abs()).fold(0.0, f64::max) / high;
        println!("{pattern:?}: {hertz:.4} Hz, keeps {kept:.4}, {off:.4} of its height off");
        within("first mode, Hz", hertz, 2.0, 0.01);
        assert!((0.985..1.002).contains(&kept), "{pattern:?} keeps {kept}");
        assert!(off < 0.04, "{pattern:?} is {off} of its height off");
    }
}
