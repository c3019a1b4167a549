use crate::harness::{SheetOf, plain};
use nematon_air::WindNow as Wind;
use nematon_solver::{Body, BuildError, Cause, ClothRest, Halt, Matter};

fn hanging(matter: Matter) -> crate::harness::Trial {
    SheetOf { size: [1.0, 1.0], points: [10, 10], upright: true }
        .of(matter, |k, m| m.borders[0].points.contains(&(k as u32)))
}

#[test]
fn a_pull_beyond_reason_is_caught_and_named_and_the_frame_before_is_kept() {
    let mut t = hanging(Matter::default());
    t.run(3);
    let before = t.state.snapshot(&t.cloth);
    t.frame.gravity = [0.0, -1e9, 0.0];
    let e = t.step().unwrap_err();
    assert!(matches!(&e, Halt::Exploded(x) if x.cause == Cause::Gravity), "{e}");
    assert_eq!(before, t.state.snapshot(&t.cloth));
}

#[test]
fn a_strong_wind_is_borne_at_few_sub_steps() {
    for (substeps, speed) in [(4, 60.0), (20, 60.0), (20, 1e9)] {
        let mut t = hanging(Matter { areal_weight: 0.03, ..Matter::default() });
        t.frame.substeps = substeps;
        t.frame.fields = vec![
            Wind { velocity: [0.0, 0.0, speed], gust: 0.3, gust_period: 0.5, seed: 0, ..Default::default() }
                .into(),
        ];
        t.run(48);
        assert!(t.cloth.strain(&t.state).largest < 1.0, "{:?}", t.cloth.strain(&t.state));
    }
}

#[test]
fn an_endless_fall_is_told_from_an_explosion() {
    let mut t = SheetOf { size: [1.0, 1.0], points: [4, 4], upright: false }.of(plain(), |_, _| false);
    t.frame.duration = 1.0;
    let e = (0..300).find_map(|_| t.step().err()).unwrap();
    assert!(matches!(&e, Halt::Exploded(x) if x.cause == Cause::Fall), "{e}");
}

#[test]
fn everything_held_stays_and_nothing_held_falls() {
    let mut all = SheetOf { size: [1.0, 1.0], points: [6, 6], upright: false }.of(plain(), |_, _| true);
    all.run(12);
    assert_eq!(all.positions(), all.mesh.positions);
    let mut none = SheetOf { size: [1.0, 1.0], points: [6, 6], upright: false }.of(plain(), |_, _| false);
    none.run(12);
    assert!(none.mean(1) < -1.0);
}

#[test]
fn what_no_cloth_can_be_is_refused_with_its_place() {
    let good = ClothRest {
        positions: vec![[0.0; 3], [1.0, 0.0, 0.0], [0.0, 0.0, 1.0]],
        triangles: vec![[0, 1, 2]],
        flat: vec![[[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]]],
        held: vec![false; 3],
        matter: Matter::default(),
        ..ClothRest::default()
    };
    assert!(Body::cloth(&good).is_ok());
    let with = |f: fn(&mut ClothRest)| {
        let mut r = good.clone();
        f(&mut r);
        Body::cloth(&r).err().unwrap()
    };
    assert_eq!(with(|r| r.triangles.clear()), BuildError::Empty("triangle"));
    assert_eq!(with(|r| r.flat[0][1] = [0.0, 0.0]), BuildError::NoArea { triangle: 0 });
    assert_eq!(with(|r| r.positions[2][1] = f32::NAN), BuildError::NotFinite { point: 2 });
    assert!(matches!(
        with(|r| {
            r.held.pop();
        }),
        BuildError::Lengths { what: "held", .. }
    ));
    assert!(matches!(with(|r| r.matter.thickness = 0.0), BuildError::Matter { what: "thickness", .. }));
    assert!(matches!(with(|r| r.matter.bend[0] = f32::INFINITY), BuildError::Matter { .. }));
    assert!(matches!(with(|r| r.matter.areal_weight = -1.0), BuildError::Matter { .. }));
}
