//! Frames on their way into a file: another pace, beside a thing, evened in time; and another version of a figure's file.
use nematon_document::{FigureId, MeshSource, Scene, validate};
use nematon_evaluate::{Going, NoMeshes, Outgoing, Stage, beside, cameras, steadied, version};
use nematon_figure::{Channel, Clip, Curve, Figure, FoundCamera, Joint, Local, Part, What};
use nematon_geometry::sheet;
use serde_json::{Value, json};

fn scene(more: Value) -> Scene {
    let mut scene = json!({
        "nematon": 2, "name": "Way", "frames": {"first": 10, "last": 40, "rate": 24},
        "bodies": {"flag": {"name": "Flag", "kind": {"cloth": {"shape": {"sheet": {"width": 1, "depth": 1, "columns": 3, "rows": 3}}}}}},
    });
    for (k, v) in more.as_object().unwrap() {
        scene[k] = v.clone();
    }
    validate(&scene).unwrap()
}

/// A point on a parabola in time, and one that comes at the fifth frame.
fn frames(count: usize) -> Vec<Vec<[f32; 3]>> {
    let one = |k: usize| {
        let t = k as f32;
        vec![[t, 0.01 * t * t, 0.0], if k < 4 { [f32::NAN; 3] } else { [1.0, t, 0.0] }]
    };
    (0..count).map(one).collect()
}

fn going(all: Vec<Vec<[f32; 3]>>) -> Going<'static, [f32; 3]> {
    Box::new(all.into_iter().map(Ok))
}

fn gone(out: &Outgoing, stage: &Stage, origin: [f64; 3], all: Vec<Vec<[f32; 3]>>) -> Vec<Vec<[f32; 3]>> {
    out.places(stage, origin, going(all)).map(Result::unwrap).collect()
}

#[test]
fn another_pace_keeps_the_time_of_each_frame_and_goes_through_those_that_were_computed() {
    let scene = scene(json!({}));
    let stage = Stage::new(&scene, &NoMeshes);
    let plain = Outgoing { first: 10, count: 31, rate: 24.0, ..Outgoing::default() };
    for pace in [48.0, 60.0, 25.0, 12.0] {
        let out = Outgoing { pace: Some(pace), ..plain.clone() };
        let w = out.written();
        assert_eq!((w.every, w.rate), (1, pace));
        let own = gone(&out, &stage, [0.0; 3], frames(31));
        assert_eq!(own.len(), w.count);
        for (k, frame) in own.iter().enumerate() {
            // The number over the frames a second is the time.
            let t = (w.first + k as i64) as f64 / pace * 24.0 - 10.0;
            assert!((-1e-9..=30.0 + 1e-9).contains(&t));
            assert!((f64::from(frame[0][0]) - t).abs() < 1e-5, "{pace}: {} for {t}", frame[0][0]);
            // Between them a parabola is one, but for the first and the last frame, where it has no neighbour.
            let off = (f64::from(frame[0][1]) - 0.01 * t * t).abs();
            assert!(off < if (1.0..=29.0).contains(&t) { 1e-5 } else { 0.004 }, "{pace}: {off} at {t}");
            assert_eq!(frame[1][0].is_nan(), t < 3.5 - 1e-9, "{t}");
        }
    }
    assert_eq!(gone(&plain, &stage, [0.0; 3], frames(31))[7][0], frames(31)[7][0]);
    let said = Outgoing { pace: Some(60.0), ..plain.clone() }.told(&scene);
    assert!(said.len() == 1 && said[0].contains("60 a second") && said[0].contains("at 24"), "{said:?}");
    assert!(plain.told(&scene).is_empty());
    let some = Outgoing { every: 4, ..plain.clone() };
    assert_eq!((some.written().count, some.written().every), (8, 4));
    assert_eq!(gone(&some, &stage, [0.0; 3], frames(31))[2][0], frames(31)[8][0]);
    // A stretch with no frame of a slow pace in it.
    let none = Outgoing { first: 11, count: 2, pace: Some(1.0), ..plain };
    assert_eq!(none.written().count, 0);
}

#[test]
fn told_beside_what_carries_it_it_rests_wherever_that_goes() {
    let keys = |a: f64, b: f64| json!({"keys": [{"frame": 10, "value": a}, {"frame": 40, "value": b}]});
    let scene = scene(json!({"handles": {"mast": {
        "name": "Mast", "place": {"position": [keys(1000.0, 1003.0), 2, keys(0.0, 1.5)], "turn": [0, keys(0.0, 3.0), 0.2]},
    }}}));
    let stage = Stage::new(&scene, &NoMeshes);
    let on = beside(&scene, "handle:mast").unwrap();
    let out = Outgoing { first: 10, count: 31, rate: 24.0, beside: Some(on.clone()), ..Outgoing::default() };
    // Where a point that is fixed to the mast is in the world, near a kilometre off.
    let node =
        nematon_document::Node { on: Some(on), ..nematon_document::Node::still([0.3, -0.1, 0.2], [0.0; 3]) };
    let origin = [1000.0, 0.0, 0.0];
    let at = |frame: f64| {
        let place = nematon_evaluate::pose_at(&stage, &node, frame).position;
        vec![std::array::from_fn(|c| (f64::from(place[c]) - origin[c]) as f32)]
    };
    let all = (10..=40).map(|f| at(f64::from(f))).collect();
    for frame in gone(&out, &stage, origin, all) {
        let off = (0..3).map(|c| (frame[0][c] - [0.3, -0.1, 0.2][c]).abs()).fold(0.0f32, f32::max);
        assert!(off < 2e-4, "{frame:?}");
    }
    for (text, why) in [
        ("handle:gone", "no handle"),
        ("mast", "handle:KEY"),
        ("sail:mast", "none of"),
        ("joint:x", "joint:KEY:NAME"),
    ] {
        let told = beside(&scene, text).unwrap_err();
        assert!(told.contains(why), "{told}");
    }
}

#[test]
fn evened_in_time_a_jitter_goes_a_straight_way_stays_and_so_do_both_ends() {
    let jitter = |k: usize| if k.is_multiple_of(2) { 0.01 } else { -0.01 };
    let all: Vec<Vec<[f32; 3]>> = (0..30).map(|k| vec![[k as f32, jitter(k), 0.0]]).collect();
    let even: Vec<_> = steadied(4, 30, going(all.clone())).map(Result::unwrap).collect();
    assert_eq!(even.len(), 30);
    assert_eq!((even[0][0], even[29][0]), (all[0][0], all[29][0]));
    for (k, frame) in even.iter().enumerate() {
        assert!((frame[0][0] - k as f32).abs() < 1e-4);
        assert!(!(4..26).contains(&k) || frame[0][1].abs() < 1e-5, "{k}: {}", frame[0][1]);
    }
    let same: Vec<_> = steadied(0, 30, going(all.clone())).map(Result::unwrap).collect();
    assert_eq!(same, all);
    // One that is not there in some of them is as it is.
    let comes: Vec<_> = steadied(3, 12, going(frames(12))).map(Result::unwrap).collect();
    assert!(comes[2][1][0].is_nan() && comes[5][1] == frames(12)[5][1]);
}

fn figure(joints: &[&str], clips: &[&str], points: u32) -> Figure {
    let joint = |n: &&str| Joint { name: (*n).to_owned(), parent: None, rest: Local::default() };
    let clip = |n: &&str| Clip { name: (*n).to_owned(), duration: 1.0, channels: vec![] };
    let part = Part { name: "skin".into(), mesh: sheet(1.0, 1.0, points, points), ..Part::default() };
    Figure {
        joints: joints.iter().map(joint).collect(),
        clips: clips.iter().map(clip).collect(),
        parts: vec![part],
        ..Figure::default()
    }
}

struct One(Figure);

impl nematon_evaluate::MeshLibrary for One {
    fn mesh(&self, _: &MeshSource) -> Result<std::sync::Arc<nematon_geometry::Mesh>, String> {
        Err("there is none".into())
    }
    fn figure(&self, _: &nematon_document::Figure) -> Result<std::sync::Arc<Figure>, String> {
        Ok(std::sync::Arc::new(self.0.clone()))
    }
}

#[test]
fn another_version_of_a_file_keeps_what_fits_and_says_what_does_not() {
    let scene = scene(json!({
        "figures": {"moth": {"name": "Moth", "from": {"file": "moth.glb"}, "clip": "land", "place": {"position": [3, 0, 0]}}},
        "handles": {
            "ring": {"name": "Ring", "place": {"position": [0, 1, 0], "on": {"joint": {"figure": "moth", "joint": "wing"}}}},
            "bead": {"name": "Bead", "place": {"on": {"joint": {"figure": "moth", "joint": "head"}}}},
            "pin": {"name": "Pin", "place": {"on": {"spot": {"figure": "moth", "at": [0.1, 0.0, 0.1]}}}},
            "far": {"name": "Far", "place": {"on": {"spot": {"figure": "moth", "at": [0.1, 0.5, 0.1]}}}},
        },
        "bodies": {"cape": {"name": "Cape", "kind": {"cloth": {"shape": {"figure": {"figure": "moth"}}}}}},
    }));
    let was = figure(&["head", "wing"], &["land", "fly"], 4);
    let stage = Stage::new(&scene, &One(was.clone()));
    let to = MeshSource::Blob("b".repeat(64));
    let id = FigureId("moth".into());
    let same = version(&stage, &id, &to, Some(&was), &was).unwrap();
    assert_eq!(same.patch.len(), 1);
    assert!(same.kept.iter().any(|k| k.contains("Cape, with all")), "{:?}", same.kept);
    assert!(same.lost.len() == 1 && same.lost[0].contains("500 mm off"), "{:?}", same.lost);
    let new = figure(&["head"], &["fly"], 5);
    let found = version(&stage, &id, &to, Some(&was), &new).unwrap();
    for part in [
        "\"land\" is not in it: it plays \"fly\"",
        "Ring stood on the joint \"wing\"",
        "Cape takes the new surface",
    ] {
        assert!(found.lost.iter().any(|l| l.contains(part)), "{part}: {:?}", found.lost);
    }
    assert!(found.kept.iter().any(|k| k == "1 thing on its joint."), "{:?}", found.kept);
    // What stood on the joint that is gone is where it was.
    let patch: json_patch::Patch = serde_json::from_value(json!(found.patch)).unwrap();
    let mut after = serde_json::to_value(&scene).unwrap();
    json_patch::patch(&mut after, &patch).unwrap();
    let after = validate(&after).unwrap();
    let place = |s: &Scene, f: &Figure| {
        let stage = Stage::new(s, &One(f.clone()));
        nematon_evaluate::pose_at(&stage, &s.handles["ring"].place, 10.0).position
    };
    assert_eq!(place(&scene, &was), place(&after, &new));
}

#[test]
fn a_camera_of_a_file_goes_as_it_does_there_by_few_keys() {
    let scene = scene(json!({}));
    let mut of = figure(&["eye"], &["fly"], 3);
    // It goes along x by 2 m in a second, evenly, and round once about y in four parts.
    let turn = |k: u32| {
        let a = f64::from(k) * std::f64::consts::FRAC_PI_2;
        [0.0, (a / 2.0).sin(), 0.0, (a / 2.0).cos()]
    };
    let times: Vec<f64> = (0..5).map(|k| f64::from(k) / 4.0).collect();
    of.clips[0].channels = vec![
        Channel {
            joint: 0,
            what: What::Position,
            curve: Curve::Straight,
            times: vec![0.0, 1.0],
            values: vec![0.0, 1.0, 0.0, 2.0, 1.0, 0.0],
        },
        Channel {
            joint: 0,
            what: What::Turn,
            curve: Curve::Straight,
            times,
            values: (0..5).flat_map(turn).collect(),
        },
    ];
    let found = [FoundCamera { name: "Eye".into(), joint: 0, angle: 0.7 }];
    let all = cameras(&of, &found, &scene.frames);
    let camera = &all[0];
    assert_eq!((camera.name.as_str(), camera.angle), ("Eye", 0.7));
    let moment = |frame: f64| scene.frames.moment(frame);
    let (position, turn) = camera.place.at(&moment(22.0));
    assert!((position[0] - 1.0).abs() < 1e-3 && (position[1] - 1.0).abs() < 1e-6, "{position:?}");
    assert!(turn.iter().all(|t| t.is_finite()));
    let (_, last) = camera.place.at(&moment(34.0));
    let (_, first) = camera.place.at(&moment(10.0));
    let [a, b] = [first, last].map(|t| t.map(f64::cos));
    assert!(
        (0..3).all(|c| (a[c] - b[c]).abs() < 1e-2),
        "once round it looks the same way: {first:?} {last:?}"
    );
}
