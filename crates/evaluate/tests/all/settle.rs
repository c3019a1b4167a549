//! Coming to rest before the first frame.
use nematon_document::{BodyId, Scene, validate};
use nematon_evaluate::{Fingerprint, NoMeshes, Run, fingerprints};
use nematon_solver::NoWatch;
use serde_json::{Value, json};

/// A cloth hung by two corners, and what says how it settles.
fn hung(settle: Value) -> Value {
    json!({
        "nematon": 2, "name": "Hung", "frames": {"first": 0, "last": 12, "rate": 24, "substeps": 10, "settle": settle},
        "bodies": {"cloth": {"name": "Cloth",
            "kind": {"cloth": {"shape": {"sheet": {"width": 0.6, "depth": 0.6, "columns": 17, "rows": 17}},
                               "matter": {"damping": 2.0}}},
            "grips": {"top": {"name": "Top", "points": [{"corner": "back left"}, {"corner": "back right"}]}}}},
        "fields": {"gravity": {"name": "Gravity", "act": {"gravity": {"strength": 9.81}}},
                   "wind": {"name": "Wind", "act": {"wind": {"heading": 0.4, "speed": {"keys": [{"frame": 0, "value": 0.0}, {"frame": 12, "value": 6.0}]}}}}}
    })
}

fn scene(of: &Value) -> Scene {
    validate(of).unwrap_or_else(|f| panic!("{f:?}"))
}

fn start(of: &Value) -> Run {
    let scene = scene(of);
    Run::start(&scene, &scene.islands()[0], &NoMeshes).unwrap()
}

fn prints(of: &Value) -> Vec<Fingerprint> {
    let scene = scene(of);
    fingerprints(&scene, &[BodyId::from("cloth")], &NoMeshes).unwrap().remove(0)
}

/// The fastest point between two frames, m/s.
fn fastest(a: &[[f64; 3]], b: &[[f64; 3]]) -> f64 {
    let far = |(p, q): (&[f64; 3], &[f64; 3])| (0..3).map(|c| (p[c] - q[c]).powi(2)).sum::<f64>().sqrt();
    24.0 * a.iter().zip(b).map(far).fold(0.0, f64::max)
}

#[test]
fn what_has_settled_does_not_jump_at_first_and_what_has_not_does() {
    let quiet = |settle: Value| {
        let mut of = hung(settle);
        of["fields"].as_object_mut().unwrap().remove("wind");
        let mut run = start(&of);
        let settled = run.settle(&NoWatch, &|_| {}).unwrap();
        let before = run.places(0);
        run.advance(&NoWatch).unwrap();
        (settled, fastest(&before, &run.places(0)))
    };
    let (none, jumps) = quiet(Value::Null);
    assert!(none.is_none() && jumps > 0.1, "{jumps}");
    let (settled, calm) = quiet(json!({"seconds": 20, "calm": 0.005}));
    let settled = settled.unwrap();
    assert!(settled.calm && settled.seconds < 20.0 && settled.speed < 0.005, "{settled:?}");
    assert!(calm < 0.005, "{calm} m/s in the first frame");
    // Not long enough, and it says so.
    let (short, _) = quiet(json!({"seconds": 0.1, "calm": 0.005}));
    assert!(!short.unwrap().calm);
}

#[test]
fn the_first_moment_lasts_and_nothing_of_what_comes_later_is_in_it() {
    let settle = json!({"seconds": 3, "calm": 0.0, "air": true});
    let mut own = start(&hung(settle.clone()));
    own.settle(&NoWatch, &|_| {}).unwrap();
    // A wind that only begins later is none while it settles.
    let mut none = hung(settle);
    none["fields"]["wind"]["act"]["wind"]["speed"] = json!(0.0);
    let mut none = start(&none);
    none.settle(&NoWatch, &|_| {}).unwrap();
    assert!(own.places(0) == none.places(0));
}

#[test]
fn settled_frames_are_the_same_again_a_kilometre_away_and_from_their_checkpoint() {
    let settle = json!({"seconds": 2, "calm": 0.001});
    let mut own = start(&hung(settle.clone()));
    // Who asks for frames without a word of settling has it done.
    own.advance(&NoWatch).unwrap();
    let mut again = start(&hung(settle.clone()));
    again.settle(&NoWatch, &|_| {}).unwrap();
    let (kept, first) = (again.snapshot(), again.places(0));
    again.advance(&NoWatch).unwrap();
    assert!(own.places(0) == again.places(0));
    let mut back = start(&hung(settle.clone()));
    back.resume(0, &kept).unwrap();
    assert!(!back.is_unsettled() && back.places(0) == first);
    back.advance(&NoWatch).unwrap();
    assert!(own.places(0) == back.places(0));
    let mut far = hung(settle);
    far["bodies"]["cloth"]["place"] = json!({"position": [1000.0, 0.0, -1000.0]});
    let mut far = start(&far);
    far.advance(&NoWatch).unwrap();
    for (p, q) in own.places(0).iter().zip(far.places(0)) {
        for (c, by) in [1000.0, 0.0, -1000.0].into_iter().enumerate() {
            assert!((p[c] + by - q[c]).abs() < 1e-9);
        }
    }
}

#[test]
fn every_number_of_it_makes_all_frames_out_of_date_and_what_it_stands_under_too() {
    let settle = json!({"seconds": 3, "calm": 0.01});
    let before = prints(&hung(settle.clone()));
    let mut heavier = hung(settle.clone());
    heavier["fields"]["gravity"]["act"]["gravity"]["strength"] = json!(9.0);
    let others = [
        hung(Value::Null),
        hung(json!({"seconds": 3.5, "calm": 0.01})),
        hung(json!({"seconds": 3, "calm": 0.02})),
        hung(json!({"seconds": 3, "calm": 0.01, "air": true})),
        heavier,
    ];
    for other in others {
        assert!(before.iter().zip(prints(&other)).all(|(a, b)| *a != b));
    }
    // A wind of which nothing acts at first counts from where it does.
    let mut later = hung(settle);
    later["fields"]["wind"]["act"]["wind"]["speed"]["keys"][1]["value"] = json!(5.0);
    let later = prints(&later);
    assert!(before[0] == later[0] && before[2] != later[2]);
}
