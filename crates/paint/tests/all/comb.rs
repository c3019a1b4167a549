//! What a comb does to strands.
use glam::{DQuat, DVec3};
use nematon_paint::{Comb, CombDab, Combing, Combs, Edge, Lock};

/// Upright strands of 0.1 m on a level square.
fn field() -> Vec<Lock> {
    let root = |k: usize| DVec3::new((k % 20) as f64 * 0.01 - 0.1, 0.0, (k / 20) as f64 * 0.01 - 0.1);
    let points = |k: usize| (0..9).map(|j| root(k) + DVec3::Y * (0.0125 * f64::from(j))).collect::<Vec<_>>();
    (0..400).map(|k| Lock::through(&points(k), DVec3::Y)).collect()
}

fn comb(does: Combs) -> Combing {
    Combing::begin(Comb { does, radius: 0.05, strength: 1.0, edge: Edge::Soft }, field(), vec![])
}

/// From the front, at half of their height.
fn dab(x: f64, by: f64) -> CombDab {
    CombDab { at: [x, 0.06, 0.0], by: [by, 0.0, 0.0], eye: [0.0, 0.4, 1.5], pressure: 1.0 }
}

fn tip(l: &Lock) -> DVec3 {
    l.points().last().unwrap()
}

fn level(p: DVec3) -> Option<(DVec3, DVec3)> {
    Some((DVec3::new(p.x, 0.0, p.z), DVec3::Y))
}

#[test]
fn a_comb_lays_strands_along_the_stroke_and_keeps_their_length_and_their_roots() {
    let mut c = comb(Combs::Lay);
    for k in 0..10 {
        c.dab(&dab(-0.05 + 0.01 * f64::from(k), 0.01), Some(&level));
    }
    let before = field();
    let middle = c.locks().iter().position(|l| l.root.length() < 0.008).unwrap();
    assert!(tip(&c.locks()[middle]).x - before[middle].root.x > 0.03, "{}", tip(&c.locks()[middle]));
    for (l, b) in c.locks().iter().zip(&before) {
        assert_eq!(l.root, b.root);
        let long: f64 = l.points().zip(l.points().skip(1)).map(|(a, b)| a.distance(b)).sum();
        assert!((long - 0.1).abs() < 1e-12);
        // None of it goes under.
        assert!(l.points().all(|p| p.y > -1e-4), "{:?}", l.points().collect::<Vec<_>>());
    }
    // Those out of reach are as they were, and a stroke tells of the others alone.
    let far = c.locks().iter().zip(&before).filter(|(l, _)| (l.root.x.abs()) > 0.09).count();
    assert!(far > 0);
    let told = c.combed(false);
    let moved = c.locks().iter().zip(&before).filter(|(l, b)| l != b).count();
    assert!(told.roots.len() >= moved, "with those beside: {}", told.roots.len());
    assert!(moved > 40 && moved < 400, "{moved}");
}

#[test]
fn each_does_what_it_says() {
    let run = |does: Combs, first: &dyn Fn(&mut Lock)| {
        let mut all = field();
        all.iter_mut().for_each(first);
        let comb = Comb { does, radius: 0.05, strength: 1.0, edge: Edge::Hard };
        let mut c = Combing::begin(comb, all, vec![]);
        // A parting is drawn from above.
        let from = |d: CombDab| match does {
            Combs::Part => CombDab { at: [0.0, 0.1, 0.0], eye: [0.0, 1.5, 0.1], ..d },
            _ => d,
        };
        for _ in 0..6 {
            c.dab(&from(dab(0.0, 0.004)), None);
        }
        let near = c.locks().iter().filter(|l| l.root.x.abs() < 0.01 && l.root.z.abs() < 0.02);
        near.cloned().collect::<Vec<_>>()
    };
    let lean = |l: &mut Lock| l.ways = vec![DVec3::new(0.6, 0.8, 0.0); 8];
    assert!(run(Combs::Raise, &lean).iter().all(|l| l.ways[4].y > 0.9));
    let bent = |l: &mut Lock| (3..8).for_each(|k| l.ways[k] = DVec3::new(0.6, 0.8, 0.0));
    assert!(run(Combs::Straighten, &bent).iter().all(|l| l.ways[4].y > 0.9));
    assert!(run(Combs::Longer, &|_| ()).iter().all(|l| l.length > 1.2));
    assert!(run(Combs::Shorter, &|_| ()).iter().all(|l| l.length < 0.8));
    let trimmed = run(Combs::Trim, &|_| ());
    assert!(trimmed.iter().all(|l| l.length < 0.6 && l.length >= 0.05), "{trimmed:?}");
    for l in run(Combs::Part, &|_| ()).iter().filter(|l| l.root.z.abs() > 0.006) {
        // The stroke goes along x: they go apart before and behind it.
        assert!((tip(l) - l.root).z * l.root.z > 0.0, "{:?} {}", l.root, tip(l));
    }
    let uneven = |l: &mut Lock| {
        let odd = (l.root.x * 100.0).round() as i64 % 2 != 0;
        l.length = if odd { 1.4 } else { 0.6 };
    };
    assert!(run(Combs::Even, &uneven).iter().all(|l| (l.length - 1.0).abs() < 0.3));
}

#[test]
fn what_a_map_spares_and_what_faces_away_stay() {
    let comb = Comb { does: Combs::Lay, radius: 0.2, strength: 1.0, edge: Edge::Hard };
    let mut c = Combing::begin(comb, field(), vec![1.0; 400]);
    assert!(c.dab(&dab(0.0, 0.01), None).is_empty());
    let mut c = Combing::begin(comb, field(), vec![]);
    let below = CombDab { eye: [0.0, -1.5, 0.1], ..dab(0.0, 0.01) };
    assert!(c.dab(&below, None).is_empty());
    assert!(!c.dab(&dab(0.0, 0.01), None).is_empty());
}

#[test]
fn what_was_combed_comes_back_and_is_kept_where_others_grow() {
    let mut c = comb(Combs::Lay);
    for k in 0..10 {
        c.dab(&dab(-0.05 + 0.01 * f64::from(k), 0.01), None);
    }
    let told = c.combed(false);
    let mut again = field();
    told.lay(&mut again);
    for (a, b) in again.iter().zip(c.locks()) {
        assert!(tip(a).distance(tip(b)) < 1e-7, "{} for {} at {}", tip(a), tip(b), a.root);
    }
    // Half as many, elsewhere, of other points: near those combed they lie alike.
    let mut fewer: Vec<Lock> = field().into_iter().step_by(2).collect();
    for l in &mut fewer {
        l.root += DVec3::new(0.004, 0.0, 0.003);
        l.ways = vec![DVec3::Y; 5];
    }
    told.lay(&mut fewer);
    let middle = fewer.iter().filter(|l| l.root.length() < 0.02);
    assert!(middle.clone().count() > 2);
    for l in middle {
        assert!(tip(l).x - l.root.x > 0.02, "{} from {}", tip(l), l.root);
    }
    // On what has turned since they go with it.
    let turn = DQuat::from_rotation_z(-std::f64::consts::FRAC_PI_2);
    let mut turned = field();
    for l in &mut turned {
        l.out = turn * l.out;
        l.ways.iter_mut().for_each(|w| *w = turn * *w);
    }
    told.lay(&mut turned);
    for (a, b) in turned.iter().zip(c.locks()) {
        assert!((tip(a) - a.root).distance(turn * (tip(b) - b.root)) < 1e-6);
    }
}
