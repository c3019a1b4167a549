use crate::harness::{SheetOf, plain, within};
use nematon_solver::{Floor, Matter};

const SMALL: SheetOf = SheetOf { size: [1.0, 1.0], points: [24, 24], upright: false };

#[test]
fn a_sheet_with_nothing_around_it_falls_free() {
    let mut t = SMALL.of(plain(), |_, _| false);
    t.run(24);
    within("fall in 1 s", -t.mean(1), 0.5 * 9.81, 0.003);
    within("speed after 1 s", -t.mean_velocity(1), 9.81, 1e-4);
    let flat = t.positions().iter().all(|p| (f64::from(p[1]) - t.mean(1)).abs() < 1e-3);
    assert!(flat, "it fell out of its plane");
}

#[test]
fn a_sheet_falling_flat_reaches_its_terminal_speed() {
    for substeps in [24, 120, 200] {
        let mut t = SMALL.of(Matter { areal_weight: 0.15, drag: 1.28, ..plain() }, |_, _| false);
        t.frame.duration = 0.05;
        t.frame.substeps = substeps;
        t.run(2);
        within("speed at 0.1 s", -t.mean_velocity(1), 0.844, 0.02);
        t.run(3);
        within("speed at 0.25 s", -t.mean_velocity(1), 1.306, 0.02);
        t.run(35);
        within("final speed", -t.mean_velocity(1), 1.384, 0.02);
    }
}

#[test]
fn damping_spares_rigid_motion_and_takes_the_rest_at_its_rate() {
    for substeps in [10, 20, 40, 120, 200] {
        let mut t = SMALL
            .of(Matter { damping: 2.0, stretch: [0.0; 2], shear: 0.0, bend: [0.0; 2], ..plain() }, |_, _| {
                false
            });
        t.frame.gravity = [0.0; 3];
        t.frame.substeps = substeps;
        let c = t.cloth.mass();
        assert!(c > 0.0);
        // A spin about y, a drift, and a pattern whose sums cancel.
        t.state.set_velocities(&t.cloth, |p| {
            [0.3 + p[2], 0.02 * (if p[0] * p[2] > 0.0 { 1.0 } else { -1.0 }), -p[0]]
        });
        t.run(24);
        let v = t.state.velocities(&t.cloth);
        let wave = v.iter().map(|v| f64::from(v[1].abs())).sum::<f64>() / v.len() as f64;
        within("relative velocity after 1 s", wave, 0.02 * (-2.0f64).exp(), 0.001);
        within("drift after 1 s", t.mean_velocity(0), 0.3, 0.01);
    }
}

#[test]
fn energy_does_not_grow_without_air() {
    let s = SheetOf { size: [1.0, 1.0], points: [16, 16], upright: false };
    // Soft enough for a sub-step to meet: what one sweep leaves unmet would count as energy it never had.
    let soft = Matter { stretch: [40.0; 2], shear: 10.0, ..plain() };
    let mut t = s.of(soft, |k, m| m.corners.iter().any(|c| c.point as usize == k));
    t.frame.substeps = 40;
    let before = t.cloth.energy(&t.state, -9.81).total();
    let mut most = before;
    for _ in 0..240 {
        t.run(1);
        let e = t.cloth.energy(&t.state, -9.81).total();
        // It falls and swings by half a joule: the least loss shows as a slow descent, and any gain as a climb.
        assert!(e < most + 0.01, "energy rose from {most} to {e} J");
        most = most.min(e.max(most - 0.01));
    }
    assert!(t.mean(1) < -0.05, "it never moved");
}

#[test]
fn it_slides_on_the_floor_as_friction_says() {
    let mut t = SMALL.of(Matter { friction: 0.4, thickness: 0.001, ..plain() }, |_, _| false);
    t.frame.floor = Some(Floor { height: -0.0005, friction: 0.1 });
    t.run(1);
    t.state.set_velocities(&t.cloth, |_| [3.0, 0.0, 0.0]);
    let from = t.mean(0);
    t.run(30);
    within("stops after", t.mean(0) - from, 1.147, 0.01);
    assert!(t.mean_velocity(0).abs() < 1e-3);
    assert!(t.positions().iter().all(|p| p[1] >= -1e-6));
}

#[test]
fn frame_rate_and_sub_steps_do_not_change_the_fall_of_a_held_sheet() {
    let hang = |rate: f64, substeps: u32| {
        let s = SheetOf { size: [1.0, 1.0], points: [12, 12], upright: false };
        let soft = Matter {
            stretch: [60.0; 2],
            shear: 20.0,
            damping: 4.0,
            drag: 4.0,
            lift: 0.0,
            ..Matter::default()
        };
        let mut t = s.of(soft, |k, m| m.borders[0].points.contains(&(k as u32)));
        t.frame.duration = 1.0 / rate;
        t.frame.substeps = substeps;
        t.run((4.0 * rate) as usize);
        (t.mean(1), t.mean(2))
    };
    let (y, z) = hang(24.0, 40);
    for (rate, substeps) in [(24.0, 80), (30.0, 32), (60.0, 16)] {
        let (a, b) = hang(rate, substeps);
        assert!(
            (a - y).abs() < 0.005 && (b - z).abs() < 0.005,
            "{rate}/{substeps}: ({a}, {b}) against ({y}, {z})"
        );
    }
}
