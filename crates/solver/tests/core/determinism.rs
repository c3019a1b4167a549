use crate::harness::{SheetOf, Trial};
use nematon_solver::air::{Turbulence, Wind};
use nematon_solver::{Floor, Matter, NoWatch, SnapshotError, State, step};

/// Everything at once: grips, winds, gusts, turbulence, floor, damping, many parts.
fn everything() -> Trial {
    let s = SheetOf { size: [2.0, 1.5], points: [61, 47], upright: false };
    let mut t = s.of(Matter { damping: 0.5, ..Matter::default() }, |k, m| {
        m.borders[0].points[..20].contains(&(k as u32))
    });
    t.frame.winds = vec![Wind { velocity: [3.0, 0.5, 1.0], gust: 0.4, gust_period: 1.0, seed: 1 }];
    t.frame.turbulence =
        vec![Turbulence { strength: 2.0, size: 0.5, pace: 1.0, drift: [1.0, 0.0, 0.0], octaves: 2, seed: 2 }];
    t.frame.floor = Some(Floor { height: -0.6, friction: 0.5 });
    t
}

fn on_threads(n: usize, work: impl FnOnce() -> Vec<u8> + Send) -> Vec<u8> {
    rayon::ThreadPoolBuilder::new().num_threads(n).build().unwrap().install(work)
}

fn bytes_after(frames: usize) -> Vec<u8> {
    let mut t = everything();
    t.run(frames);
    t.state.snapshot(&t.cloth)
}

#[test]
fn same_bits_on_one_two_and_five_threads() {
    let one = on_threads(1, || bytes_after(16));
    assert_eq!(one, on_threads(2, || bytes_after(16)));
    assert_eq!(one, on_threads(5, || bytes_after(16)));
}

#[test]
fn same_bits_from_a_checkpoint() {
    let mut t = everything();
    t.run(7);
    let kept = t.state.snapshot(&t.cloth);
    t.run(9);
    let straight = t.state.snapshot(&t.cloth);
    t.state = State::restore(&t.cloth, &kept).unwrap();
    t.frame.start = 7.0 * t.frame.duration;
    for _ in 0..9 {
        step(&t.cloth, &mut t.state, &t.frame, &NoWatch).unwrap();
        t.frame.start += t.frame.duration;
    }
    assert_eq!(straight, t.state.snapshot(&t.cloth));
}

#[test]
fn a_snapshot_of_another_body_is_refused() {
    let t = everything();
    let found = State::restore(&t.cloth, &[0; 12]).unwrap_err();
    assert!(matches!(found, SnapshotError { found: 12, .. }));
}
