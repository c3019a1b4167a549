use crate::harness::{SheetOf, Trial, within};
use nematon_solver::{Matter, NoWatch, step};
use std::slice::{from_mut, from_ref};

/// A strip that hangs by its top border, seen after every sub-step of 1/240 s.
fn strip(rows: u32) -> Trial {
    let cotton = Matter { damping: 0.0, drag: 0.0, lift: 0.0, ..Matter::default() };
    let mut t = SheetOf { size: [0.1, 1.0], points: [5, rows], upright: true }
        .of(cotton, |k, m| m.borders[0].points.contains(&(k as u32)));
    (t.frame.substeps, t.frame.duration) = (1, 1.0 / 240.0);
    t
}

#[test]
fn a_taut_fine_strip_does_not_ring_from_sub_step_to_sub_step() {
    let mut t = strip(129);
    // Ten times its weight, and every second row thrown forward, every other back.
    t.frame.gravity = [0.0, -98.1, 0.0];
    t.run(240);
    let row = 1.0 / 128.0;
    let sign = |p: [f32; 3]| if ((p[1] / row).round() as i32) % 2 == 0 { 1.0 } else { -1.0 };
    t.state.set_velocities(&t.cloth, |p| [0.0, 0.0, 0.05 * sign(p)]);
    let mut ways = vec![];
    for _ in 0..120 {
        let before = t.positions();
        step(from_ref(&t.cloth), from_mut(&mut t.state), &mut t.contact, &t.frame, &NoWatch).unwrap();
        ways.push(t.positions().iter().zip(&before).map(|(a, b)| a[2] - b[2]).collect::<Vec<_>>());
    }
    let change = |k: usize| ways[k].iter().zip(&ways[k - 1]).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
    let late = (100..120).map(change).fold(0.0, f32::max);
    println!("first {:.2e} m, late {late:.2e} m", change(1));
    assert!(late < 1e-5, "ways change by {late} m from one sub-step to the next");
}

#[test]
fn a_taut_strip_swings_across_as_a_string_does() {
    // Hung, with a weight of its own only: f = j₀₁ / (4π) √(g/L), j₀₁ = 2.4048, at any fineness and pull.
    for (rows, gravity) in [(33, 9.81f64), (129, 9.81), (129, 98.1)] {
        let mut t = strip(rows);
        let limp = Matter { bend: [1e-9; 2], damping: 0.0, drag: 0.0, lift: 0.0, ..Matter::default() };
        t = Trial::new(t.mesh.clone(), limp, |k, m| m.borders[0].points.contains(&(k as u32)));
        (t.frame.substeps, t.frame.duration) = (1, 1.0 / 240.0);
        t.frame.gravity = [0.0, -gravity as f32, 0.0];
        t.settle(2.0);
        let top = t.positions().iter().map(|p| p[1]).fold(f32::MIN, f32::max);
        // Thrown in the shape of its first mode, J₀(2.4048 √(s)), s from the lower end.
        t.state.set_velocities(&t.cloth, |p| {
            let z = 2.4048 * f64::from((p[1] - top + 1.0).max(0.0)).sqrt();
            let j0 = 1.0 - z * z / 4.0 + z.powi(4) / 64.0 - z.powi(6) / 2304.0;
            [0.0, 0.0, 0.2 * j0 as f32]
        });
        let mut turns = vec![];
        let mut last = 0.0f32;
        let count = (1440.0 * (9.81 / gravity).sqrt()) as usize;
        for k in 0..count {
            t.run(1);
            let z = t.mean(2) as f32;
            if last < 0.0 && z >= 0.0 {
                turns.push(k as f64 - f64::from(z) / f64::from(z - last));
            }
            last = z;
        }
        let period = (turns[turns.len() - 1] - turns[0]) / (turns.len() - 1) as f64 / 240.0;
        let law = 2.4048 / (4.0 * std::f64::consts::PI) * gravity.sqrt();
        within(&format!("{rows} rows, {gravity} m/s²"), 1.0 / period, law, 0.025);
    }
}

#[test]
fn a_taut_strip_that_nothing_moves_hangs_still() {
    let mut t = strip(129);
    t.frame.gravity = [0.0, -98.1, 0.0];
    t.run(720);
    let far = t.positions().iter().map(|p| p[2].abs()).fold(0.0, f32::max);
    println!("{far:.2e} m");
    assert!(far < 1e-4, "it swings by {far} m by itself");
}
