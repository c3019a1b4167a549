//! Grips that jump, and frames that nobody waits for.
use crate::harness::{SheetOf, Trial};
use nematon_solver::{
    Contact, Fault, GripMotion, Halt, Holder, Matter, NoWatch, OVERSTRETCH, Pose, Rules, Snag, Watch, Way,
    snags, step,
};
use std::slice::{from_mut, from_ref};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering::Relaxed};

/// A cape of 40 x 40 points, held along its upper border, that meets itself.
fn cape() -> Trial {
    let mut t = SheetOf { size: [0.8, 1.0], points: [40, 40], upright: true }
        .of(Matter { thickness: 0.001, ..Matter::default() }, |k, m| {
            m.borders[0].points.contains(&(k as u32))
        });
    let rules = Rules { own: vec![true], between: vec![] };
    t.contact = Contact::new(from_ref(&t.cloth), &rules, vec![]).unwrap();
    t
}

fn pose(x: f32, turn: f32) -> Pose {
    let (s, c) = (0.5 * turn).sin_cos();
    Pose { position: [x, 0.0, 0.0], turn: [0.0, s, 0.0, c] }
}

fn grip(t: &mut Trial, from: Pose, to: Pose) {
    let points = Arc::new(t.mesh.borders[0].points.clone());
    t.frame.grips = vec![GripMotion {
        body: 0,
        points,
        by: Holder::Thing { first: pose(0.0, 0.0), way: Way::straight(from, to) },
        pull: None,
    }];
}

fn faults(t: &mut Trial, before: Vec<[f32; 3]>) -> Vec<Snag> {
    snags(from_ref(&t.cloth), from_ref(&t.state), &mut t.contact, &t.frame, &[before], OVERSTRETCH)
}

#[test]
fn a_jump_carries_the_body_along_as_one_piece_and_is_told() {
    for way in [2.0, 12.0, 500.0] {
        let (mut jumped, mut stayed) = (cape(), cape());
        for t in [&mut jumped, &mut stayed] {
            grip(t, pose(0.0, 0.0), pose(0.0, 0.0));
            t.run(6);
        }
        let before = jumped.positions();
        let to = pose(way, 0.7);
        grip(&mut jumped, pose(0.0, 0.0), to);
        jumped.run(1);
        stayed.run(1);
        let told = faults(&mut jumped, before);
        assert_eq!(told.len(), 1, "{told:?}");
        assert_eq!((told[0].fault, told[0].count), (Fault::Leap, 1));
        assert!((told[0].worst / f64::from(way) - 1.0).abs() < 0.3, "{told:?}");
        // As the one that stayed, but elsewhere and turned: gravity points down for both.
        for (a, b) in jumped.positions().iter().zip(stayed.positions()) {
            let want = to.place(pose(0.0, 0.0).inverse(b));
            let off = (0..3).map(|c| (a[c] - want[c]).abs()).fold(0.0, f32::max);
            assert!(off < 2e-4 + way * 2e-6, "by {off} m after {way} m");
        }
    }
}

#[test]
fn what_can_be_followed_is_no_jump() {
    let mut t = cape();
    // A run at 8 m/s.
    for k in 0..12 {
        let at = |k: i32| pose(8.0 / 24.0 * (k as f32).powi(2).min(6.0 * k as f32) / 6.0, 0.0);
        grip(&mut t, at(k), at(k + 1));
        let before = t.positions();
        t.run(1);
        let told = faults(&mut t, before);
        assert!(told.iter().all(|s| s.fault != Fault::Leap), "{told:?} at frame {k}");
    }
}

/// Says to stop after so many pieces of work.
struct Until(AtomicUsize, usize);

impl Watch for Until {
    fn now(&self) -> u64 {
        self.0.fetch_add(1, Relaxed) as u64
    }
    fn stopped(&self) -> bool {
        self.0.load(Relaxed) > self.1
    }
}

#[test]
fn a_frame_that_is_stopped_anywhere_leaves_all_as_it_was_and_can_be_computed_again() {
    let mut t = cape();
    t.run(3);
    let before = t.state.snapshot(&t.cloth);
    let go = |t: &mut Trial, watch: &Until| {
        step(from_ref(&t.cloth), from_mut(&mut t.state), &mut t.contact, &t.frame, watch)
    };
    let count = Until(AtomicUsize::new(0), usize::MAX);
    go(&mut t, &count).unwrap();
    let (all, want) = (count.0.into_inner(), t.state.snapshot(&t.cloth));
    for share in [0.0, 0.1, 0.5, 0.9, 0.999] {
        t.state = nematon_solver::State::restore(&t.cloth, &before).unwrap();
        let stopped = go(&mut t, &Until(AtomicUsize::new(0), (share * all as f64) as usize));
        assert_eq!(stopped, Err(Halt::Stopped), "after {share} of {all}");
        assert!(t.state.snapshot(&t.cloth) == before, "after {share} of {all}");
    }
    step(from_ref(&t.cloth), from_mut(&mut t.state), &mut t.contact, &t.frame, &NoWatch).unwrap();
    assert!(t.state.snapshot(&t.cloth) == want, "and the same bits come of it");
}
