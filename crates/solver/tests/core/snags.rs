use crate::harness::{SheetOf, Trial, plain};
use nematon_solver::{Fault, Matter, OVERSTRETCH, Snag, snags};
use std::slice::from_ref;

/// A square of 9 x 9 points, a tenth of a metre apart, that nothing acts on.
fn square(matter: Matter) -> Trial {
    let mut t = SheetOf { size: [0.8, 0.8], points: [9, 9], upright: false }.of(matter, |_, _| false);
    t.frame.gravity = [0.0; 3];
    t
}

fn told(t: &mut Trial, before: &[[f32; 3]]) -> Vec<Snag> {
    snags(from_ref(&t.cloth), from_ref(&t.state), &mut t.contact, &t.frame, &[before.to_vec()], OVERSTRETCH)
}

#[test]
fn a_point_that_jumps_from_its_neighbours_has_popped_and_one_that_goes_with_them_has_not() {
    let mut t = square(plain());
    let now = t.positions();
    for (by, pops) in [(0.15, false), (0.17, false), (0.25, true)] {
        // An inner point, that comes from above or below, and all others from where they are.
        for sign in [-1.0, 1.0] {
            let mut before = now.clone();
            before[40][1] += sign * by;
            let found = told(&mut t, &before);
            let pop = found.iter().find(|s| s.fault == Fault::Pop);
            assert_eq!(pop.is_some(), pops, "{by}: {found:?}");
            // The six beside it are a tenth of a metre off, those across a diagonal farther.
            let Some(pop) = pop else { continue };
            assert_eq!((pop.point, pop.count, pop.with), (40, 1, None));
            assert!((1.9..2.51).contains(&pop.worst), "{}", pop.worst);
        }
    }
    // All together may go as far as they like.
    let before: Vec<[f32; 3]> = now.iter().map(|p| [p[0] + 3.0, p[1], p[2]]).collect();
    assert_eq!(told(&mut t, &before), vec![]);
}

#[test]
fn a_corner_that_turns_right_around_has_not_popped() {
    let mut t = square(plain());
    let now = t.positions();
    let corner = (0..now.len()).find(|&k| t.mesh.corners.iter().any(|c| c.point as usize == k)).unwrap();
    let inward = now[corner].map(|c| -c.signum());
    // Mirrored at the line through the points beside it: as far as a fold can take it.
    let mut before = now.clone();
    for c in [0, 2] {
        before[corner][c] += 0.1 * inward[c];
    }
    assert_eq!(told(&mut t, &before), vec![]);
    // Twice as far no fold takes it.
    for c in [0, 2] {
        before[corner][c] += 0.2 * inward[c];
    }
    let found = told(&mut t, &before);
    assert_eq!(found.iter().map(|s| (s.fault, s.point)).collect::<Vec<_>>(), [(Fault::Pop, corner)]);
}

#[test]
fn overstretch_is_told_beyond_fifteen_percent_with_its_share() {
    // Pulled by velocities from its middle: what it is stretched by is measured on its positions.
    for (by, told_of) in [(0.10f32, false), (0.2, true)] {
        let weak = Matter { stretch: [1e-3; 2], shear: 1e-4, ..plain() };
        let mut t = square(weak);
        let rate = by / t.frame.duration as f32;
        t.state.set_velocities(&t.cloth, |p| [rate * p[0], 0.0, 0.0]);
        t.run(1);
        let now = t.positions();
        let wide = now.iter().map(|p| p[0]).fold(0.0, f32::max) / 0.4 - 1.0;
        assert!((wide - by).abs() < 0.02, "{wide}");
        let found = told(&mut t, &now);
        let over = found.iter().find(|s| s.fault == Fault::Overstretch);
        assert_eq!(over.is_some(), told_of, "{by}: {found:?}");
        if let Some(over) = over {
            assert_eq!(over.count, t.mesh.triangles.len(), "all of it");
            assert!((over.worst - f64::from(wide)).abs() < 0.01, "{} {wide}", over.worst);
        }
    }
}
