//! Grips that pull: springs of a true stiffness, firm ones, and those that let go and take hold again.
use crate::harness::{SheetOf, Trial, plain, within};
use nematon_solver::{Draws, GripMotion, Holder, Pose, Pull, Way};
use std::sync::Arc;

fn pulled(t: &mut Trial, points: Vec<u32>, stiffness: f32, share: [f32; 2], to: [f32; 3]) {
    let by = if stiffness.is_finite() { Draws::Spring(stiffness) } else { Draws::Firm };
    drawn(t, points, Pull { by, share, over: [None, None] }, to);
}

fn drawn(t: &mut Trial, points: Vec<u32>, pull: Pull, to: [f32; 3]) {
    let way =
        Way::straight(Pose { position: to, ..Pose::default() }, Pose { position: to, ..Pose::default() });
    t.frame.grips = vec![GripMotion {
        body: 0,
        points: Arc::new(points),
        by: Holder::Thing { first: Pose::default(), way },
        pull: Some(pull),
    }];
}

fn sheet(upright: bool) -> Trial {
    SheetOf { size: [0.4, 0.4], points: [9, 9], upright }.of(plain(), |_, _| false)
}

#[test]
fn a_sheet_on_springs_sinks_as_far_as_its_weight_says() {
    for substeps in [4, 10, 40] {
        let mut t = sheet(false);
        t.frame.substeps = substeps;
        let all: Vec<u32> = (0..81).collect();
        pulled(&mut t, all, 0.05, [1.0; 2], [0.0; 3]);
        // 0.15 kg/m² on 0.16 m², on 81 springs of 0.05 N/m; points of the rim weigh less, but it hangs together.
        t.settle(4.0);
        let mean = (0..48).map(|_| {
            t.run(1);
            t.mean(1)
        });
        let sum: f64 = mean.sum::<f64>() / 48.0;
        within("sinks by", -sum, 0.15 * 0.16 * 9.81 / (81.0 * 0.05), 0.02);
    }
}

#[test]
fn a_spring_swings_at_its_own_pace_whatever_the_sub_steps() {
    // Set a centimetre below where it belongs it swings with the root of k over m.
    for substeps in [10, 40] {
        let mut t = sheet(false);
        t.frame.substeps = substeps;
        t.frame.gravity = [0.0; 3];
        // Each point's spring is as its mass, so that nothing but the springs acts.
        let mut about = vec![0usize; 81];
        t.mesh.triangles.iter().flatten().for_each(|p| about[*p as usize] += 1);
        let mut grips = vec![];
        for n in 1..=8 {
            let some = (0..81).filter(|p| about[*p as usize] == n).collect();
            pulled(&mut t, some, 0.05 * n as f32 / 6.0, [1.0; 2], [0.0, 0.01, 0.0]);
            grips.append(&mut t.frame.grips);
        }
        t.frame.grips = grips;
        let mut crossed = vec![];
        let mut was = -0.01;
        for f in 0..240 {
            t.run(1);
            let now = t.mean(1) - 0.01;
            if was < 0.0 && now >= 0.0 {
                crossed.push(f64::from(f) - now / (now - was));
            }
            was = now;
        }
        let period = (crossed[crossed.len() - 1] - crossed[0]) / (crossed.len() - 1) as f64 / 24.0;
        let mass = 0.15 * 0.05 * 0.05;
        within("period", period, std::f64::consts::TAU * (mass / 0.05f64).sqrt(), 0.015);
    }
}

#[test]
fn a_firm_pull_holds_a_sheet_almost_as_a_grip_does() {
    let mut t = sheet(true);
    let border = t.mesh.borders[0].points.clone();
    let rest = t.positions();
    pulled(&mut t, border.clone(), f32::INFINITY, [1.0; 2], [0.0; 3]);
    t.settle(2.0);
    let off = |p: &u32| {
        let (a, b) = (t.positions()[*p as usize], rest[*p as usize]);
        (0..3).map(|c| (a[c] - b[c]).abs()).fold(0.0, f32::max)
    };
    let worst = border.iter().map(off).fold(0.0, f32::max);
    assert!(worst < 0.001, "it hangs {worst} m below where it is held");
}

#[test]
fn let_go_it_falls_and_taken_again_it_comes_back_without_a_jump() {
    let mut t = sheet(true);
    let border = t.mesh.borders[0].points.clone();
    let speeds = |t: &mut Trial, share: [f32; 2], frames: usize| {
        let mut worst = 0.0f32;
        for k in 0..frames {
            let share = if k == 0 { share } else { [share[1]; 2] };
            pulled(t, border.clone(), f32::INFINITY, share, [0.0; 3]);
            let before = t.positions();
            t.run(1);
            for (a, b) in before.iter().zip(t.positions()) {
                worst = (0..3).map(|c| (a[c] - b[c]).abs()).fold(worst, f32::max);
            }
        }
        worst * 24.0
    };
    let held = speeds(&mut t, [1.0; 2], 24);
    assert!(held < 0.3, "{held}");
    let at = t.mean(1);
    speeds(&mut t, [1.0, 0.0], 12);
    // Half a second of a free fall, less the first frame's hold.
    let fallen = at - t.mean(1);
    assert!((0.9..1.25).contains(&fallen), "it fell by {fallen} m");
    let back = speeds(&mut t, [0.0, 1.0], 72);
    assert!(back < 8.0, "it was thrown back at {back} m/s");
    assert!((t.mean(1) - at).abs() < 0.02, "it came back to {} and not to {at}", t.mean(1));
}

fn follows(strength: f32, over: Option<Vec<f32>>, to: [f32; 3], substeps: u32) -> Trial {
    let mut t = sheet(false);
    t.frame.substeps = substeps;
    t.frame.gravity = [0.0; 3];
    let over = over.map(Arc::new);
    let pull = Pull { by: Draws::Follow(strength), share: [1.0; 2], over: [over.clone(), over] };
    drawn(&mut t, (0..81).collect(), pull, to);
    t
}

#[test]
fn what_follows_comes_as_a_spring_that_just_does_not_ring() {
    // e = e0 (1 + w t) exp(-w t), with w² the strength.
    for (substeps, off) in [(10, 0.025), (40, 0.008)] {
        let mut t = follows(100.0, None, [0.1, 0.0, 0.0], substeps);
        let begun = t.mean(0);
        for frame in 1..=24 {
            t.run(1);
            let wt = 10.0 * f64::from(frame) / 24.0;
            let left = 0.1 * (1.0 + wt) * (-wt).exp();
            let found = 0.1 - (t.mean(0) - begun);
            assert!(
                (found - left).abs() < off * 0.1,
                "{substeps} sub-steps, frame {frame}: {found} for {left}"
            );
            assert!(found > -1e-4, "it rings at frame {frame}: {found}");
        }
    }
}

#[test]
fn what_follows_with_all_its_strength_is_there_within_a_frame_and_stays() {
    let mut t = follows(1e6, None, [0.3, 0.1, 0.0], 10);
    let begun = [t.mean(0), t.mean(1)];
    for frame in 1..=12 {
        t.run(1);
        let off = [0.3 - (t.mean(0) - begun[0]), 0.1 - (t.mean(1) - begun[1])];
        assert!(off.iter().all(|o| o.abs() < 1e-3), "frame {frame}: {off:?}");
    }
}

#[test]
fn points_of_no_weight_do_not_follow_and_halves_follow_half_as_strongly() {
    let begun = |over: Vec<f32>| {
        let mut t = follows(100.0, Some(over), [0.0, 0.1, 0.0], 10);
        let before = t.mean(1);
        t.run(2);
        t.mean(1) - before
    };
    assert!(begun(vec![0.0; 81]).abs() < 1e-6);
    let (half, whole) = (begun(vec![0.5; 81]), begun(vec![1.0; 81]));
    let mut t = follows(50.0, None, [0.0, 0.1, 0.0], 10);
    let before = t.mean(1);
    t.run(2);
    within("half the strength", half, t.mean(1) - before, 1e-3);
    assert!(whole > 1.5 * half, "{whole} {half}");
}
