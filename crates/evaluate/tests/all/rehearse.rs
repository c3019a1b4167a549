//! Rehearsing by hand: what is seen is what the kept keys compute.
use nematon_document::{Motion, Scene, Value as Number, validate};
use nematon_evaluate::{NoMeshes, NoRehearsal, Rehearsal, Run};
use nematon_solver::NoWatch;
use serde_json::{Value, json};

fn swung() -> Value {
    json!({
        "nematon": 2, "name": "Swung", "frames": {"first": 10, "last": 60, "rate": 24, "substeps": 10},
        "handles": {"bar": {"name": "Bar", "place": {"position": [0.0, 1.0, 0.0], "turn": [0.0, 0.0, 0.0]}}},
        "bodies": {"cloth": {"name": "Cloth",
            "kind": {"cloth": {"shape": {"sheet": {"width": 0.4, "depth": 0.4, "columns": 9, "rows": 9}}}},
            "place": {"position": [0.0, 1.0, 0.0]},
            "grips": {"top": {"name": "Top", "points": [{"border": {"border": "back", "by": "all"}}], "to": {"handle": "bar"}}}}},
        "fields": {"gravity": {"name": "Gravity", "act": {"gravity": {"strength": 9.81}}},
                   "wind": {"name": "Wind", "act": {"wind": {"speed": 1.0, "heading": 0.0}}}}
    })
}

fn scene(of: &Value) -> Scene {
    validate(of).unwrap_or_else(|f| panic!("{f:?}"))
}

const PATHS: [&str; 2] = ["/handles/bar/place/position/0", "/fields/wind/act/wind/heading"];

/// Where the hand is at a frame.
fn hand(frame: i64) -> [f64; 2] {
    let t = (frame - 10) as f64 / 24.0;
    [0.2 * (3.0 * t).sin(), 0.8 * t]
}

fn rehearsed(from: usize, until: i64) -> (Rehearsal, Vec<Vec<[f64; 3]>>) {
    let scene = scene(&swung());
    let paths = PATHS.map(str::to_owned);
    let mut own = Rehearsal::begin(&scene, &scene.islands()[0], &NoMeshes, &paths, from, None).unwrap();
    while own.run.at() < from {
        own.run.advance(&NoWatch).unwrap();
    }
    let mut shown = vec![];
    while own.frame() < until {
        own.advance(&hand(own.frame() + 1), &NoWatch).unwrap();
        shown.push(own.run.places(0));
    }
    (own, shown)
}

/// The scene with what was recorded.
fn kept(own: &Rehearsal, within: f64) -> Value {
    let mut of = swung();
    for r in own.keys(|_| within) {
        let motion = Motion { keys: r.keys, ..Motion::default() };
        *of.pointer_mut(&r.path).unwrap() = serde_json::to_value(Number::Moving(motion)).unwrap();
    }
    of
}

#[test]
fn frames_are_those_of_the_scene_with_the_keys_that_were_recorded_bit_by_bit() {
    for from in [0, 7] {
        let (own, shown) = rehearsed(from, 40);
        let scene = scene(&kept(&own, 0.0));
        let mut run = Run::start(&scene, &scene.islands()[0], &NoMeshes).unwrap();
        while run.at() < from {
            run.advance(&NoWatch).unwrap();
        }
        for (k, frame) in shown.iter().enumerate() {
            run.advance(&NoWatch).unwrap();
            assert!(run.places(0) == *frame, "frame {k} after {from}");
        }
        // It moved, and not as it would have by itself.
        assert!(shown[0] != shown[20]);
    }
}

#[test]
fn fewer_keys_are_as_near_as_they_say() {
    let (own, _) = rehearsed(0, 58);
    let all = own.keys(|_| 0.0);
    let few = own.keys(|path| if path.starts_with("/handles") { 0.002 } else { 0.0 });
    assert!(all[0].keys.len() > 40 && few[0].keys.len() < 30, "{} {}", all[0].keys.len(), few[0].keys.len());
    assert!(few[0].off > 0.0 && few[0].off <= 0.002 && all[0].off == 0.0);
    // A straight turn needs two keys whatever is asked, but for the last bits of its sums.
    assert!(own.keys(|_| 1e-9)[1].keys.len() <= 3);
}

#[test]
fn what_can_not_be_moved_by_hand_is_told_in_words() {
    let mut of = swung();
    of["fields"]["wind"]["act"]["wind"]["heading"] = json!({"formula": "0.2 * sin(t)"});
    let begin = |of: &Value, path: &str| {
        let scene = scene(of);
        Rehearsal::begin(&scene, &scene.islands()[0], &NoMeshes, &[path.to_owned()], 0, None).err()
    };
    assert!(matches!(begin(&of, PATHS[1]), Some(NoRehearsal::Formula)));
    assert!(matches!(begin(&of, "/handles/gone/place/position/0"), Some(NoRehearsal::NoNumber(_))));
    assert!(matches!(begin(&of, "/fields/wind/name"), Some(NoRehearsal::NoNumber(_))));
    assert!(matches!(begin(&of, "/bodies/cloth/gravity"), Some(NoRehearsal::NotByHand)));
    assert!(begin(&of, PATHS[0]).is_none());
}
