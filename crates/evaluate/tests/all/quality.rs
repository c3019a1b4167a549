//! How many sub-steps a frame takes, where a scene says how right it is to be.
use nematon_document::validate;
use nematon_evaluate::{NoMeshes, Run};
use nematon_solver::NoWatch;
use serde_json::{Value, json};

/// A heavy sheet that swings down from two corners, and a light one far beside it, computed with it.
fn swing(more: impl FnOnce(&mut Value)) -> Value {
    let sheet = |x: f64, weight: f64| {
        json!({ "name": format!("Sheet {x}"),
            "kind": { "cloth": { "shape": { "sheet": { "width": 0.8, "depth": 0.8, "columns": 17, "rows": 17 } },
                "matter": { "areal_weight": weight, "stretch_warp": 3000.0, "stretch_weft": 3000.0, "shear": 300.0 } } },
            "place": { "position": [x, 2.0, 0.0] }, "touch": { "itself": false, "others": true },
            "grips": { "a": { "name": "A", "points": [{ "near": [[-0.4, 0.0, -0.4]] }], "to": "world" },
                "b": { "name": "B", "points": [{ "near": [[0.4, 0.0, -0.4]] }], "to": "world" } } })
    };
    let mut s = json!({
        "nematon": 2, "name": "Swing", "frames": { "first": 0, "last": 30, "rate": 24.0 },
        "bodies": { "heavy": sheet(0.0, 4.5), "light": sheet(3.0, 0.2) },
        "fields": { "pull": { "name": "Gravity", "act": { "gravity": { "strength": 9.81 } } } },
    });
    more(&mut s);
    s
}

fn start(scene: &Value) -> Run {
    let scene = validate(scene).unwrap();
    let islands = scene.islands();
    assert_eq!(islands.len(), 1);
    Run::start(&scene, &islands[0], &NoMeshes).unwrap()
}

/// Walks to the end: how many sub-steps each frame took, and how far the longest thread stretched.
fn walk(run: &mut Run) -> (Vec<u32>, f64) {
    let (mut took, mut most) = (vec![], 0.0f64);
    while !run.is_done() {
        run.advance(&NoWatch).unwrap();
        took.push(run.substeps());
        for k in 0..run.members.len() {
            most = most.max(run.bodies[k].strain(run.state(k)).largest);
        }
    }
    (took, most)
}

#[test]
fn a_quality_is_kept_by_as_many_as_that_needs_and_a_better_one_by_more() {
    let of = |quality: &str| walk(&mut start(&swing(|s| s["frames"]["quality"] = json!(quality))));
    let (ten, loose) = walk(&mut start(&swing(|s| s["frames"]["substeps"] = json!(10))));
    assert!(ten.iter().all(|n| *n == 10) && loose > 0.1, "ten stretch it by {loose}");
    // What the matter itself gives, caught at two corners.
    let (_, own) = walk(&mut start(&swing(|s| s["frames"]["substeps"] = json!(160))));
    println!("ten {loose:.3}, as finely as can be {own:.3}");
    let mut before = 0;
    for (quality, promised, least) in [("draft", 0.15, 6), ("fine", 0.08, 10), ("final", 0.03, 20)] {
        let (took, most) = of(quality);
        println!("{quality}: {took:?}, {most:.3}");
        assert!(most <= f64::max(promised, 1.3 * own) + 1e-9, "{quality} stretches it by {most}");
        assert!(took.iter().all(|n| *n >= least && n % least == 0));
        let all = took.iter().sum::<u32>();
        assert!(all > before, "{quality} takes {all}, and the one before {before}");
        before = all;
    }
    let (took, _) = of("fine");
    assert!(took.iter().any(|n| *n > 10) && took[0] == 10, "only where it has to: {took:?}");
}

#[test]
fn it_is_the_same_from_a_checkpoint_and_whatever_bodies_are_called() {
    let mut whole = start(&swing(|_| {}));
    let mut kept = None;
    while !whole.is_done() {
        whole.advance(&NoWatch).unwrap();
        if whole.at() == 14 {
            kept = Some(whole.snapshot());
        }
    }
    let mut again = start(&swing(|_| {}));
    let kept = kept.unwrap();
    assert_eq!(kept.len(), again.snapshot_size());
    again.resume(14, &kept).unwrap();
    walk(&mut again);
    for k in 0..2 {
        assert!(whole.places(k) == again.places(k), "body {k} is the same bits");
    }
    // A snapshot of a fixed number is none of this.
    let mut fixed = start(&swing(|s| s["frames"]["substeps"] = json!(10)));
    assert!(fixed.resume(14, &kept).is_err());
    let mut renamed = start(&swing(|s| {
        let bodies = s["bodies"].as_object_mut().unwrap();
        let heavy = bodies.shift_remove("heavy").unwrap();
        bodies.insert("zeppelin".into(), heavy);
    }));
    let (took, _) = walk(&mut renamed);
    assert_eq!(took, walk(&mut start(&swing(|_| {}))).0);
    for (a, b) in [(0, 1), (1, 0)] {
        let far = |(p, q): (&[f64; 3], &[f64; 3])| (0..3).map(|c| (p[c] - q[c]).abs()).fold(0.0, f64::max);
        let most = whole.places(a).iter().zip(&renamed.places(b)).map(far).fold(0.0, f64::max);
        assert!(most == 0.0, "body {a} is {most} off");
    }
}

#[test]
fn quality_counts_in_the_fingerprints_and_what_it_does_not_use_does_not() {
    let prints = |more: &dyn Fn(&mut Value)| start(&swing(|s| more(s))).members[0].fingerprints.clone();
    let fine = prints(&|_| {});
    assert_eq!(prints(&|s| s["frames"]["quality"] = json!("fine")), fine);
    for other in ["draft", "final"] {
        let own = prints(&|s| s["frames"]["quality"] = json!(other));
        assert!(own[1..].iter().zip(&fine[1..]).all(|(a, b)| a != b));
    }
    assert_ne!(prints(&|s| s["frames"]["substeps"] = json!(10))[1], fine[1]);
}
