//! Loops: seams, blending, where a motion is most like itself, and what does not repeat.
use nematon_document::{BodyId, Loop, Scene, validate};
use nematon_evaluate::{NoMeshes, Places, Stage, best, blend, fingerprints, looped, seam, unrepeated};
use serde_json::{Value, json};

/// Two points that go round in `period` frames, and move away by `drift` metres a frame.
fn round(frames: usize, period: f64, drift: f64) -> Places {
    let one = |f: usize, phase: f64| {
        let a = std::f64::consts::TAU * f as f64 / period + phase;
        [a.cos() + drift * f as f64, a.sin(), 0.2 * (2.0 * a).sin()]
    };
    (0..frames).map(|f| vec![one(f, 0.0), one(f, 1.0)]).collect()
}

#[test]
fn what_goes_round_is_found_with_its_period_and_has_no_seam() {
    let frames = round(120, 24.0, 0.0);
    let (found, apart) = best(10, &frames, 12, 40, 6).unwrap();
    assert_eq!((found.length, found.blend), (24, 6));
    assert!(apart < 1e-6 && found.from >= 16, "{found:?} {apart}");
    let own = seam(&found, 10, 24.0, &frames);
    assert!(own.way < 1.01 * own.usual_way.max(0.3) && own.turn < 2.0 * own.usual_turn, "{own:?}");
    // A period between frames: as near as frames can be, and told so.
    let (near, apart) = best(0, &round(120, 24.4, 0.0), 20, 30, 0).unwrap();
    assert_eq!(near.length, 24);
    assert!((0.3..0.6).contains(&apart), "{apart}");
}

#[test]
fn what_moves_away_jumps_and_blended_jumps_less() {
    let frames = round(120, 24.0, 0.05);
    let plain = Loop { from: 40, length: 24, blend: 0 };
    let jumps = seam(&plain, 0, 24.0, &frames);
    assert!(jumps.way > 0.9 && jumps.way > 3.0 * jumps.usual_way, "{jumps:?}");
    let soft = seam(&Loop { blend: 20, ..plain.clone() }, 0, 24.0, &frames);
    assert!(soft.way < 2.0 * soft.usual_way && soft.turn < jumps.turn / 4.0, "{soft:?}");
    // The usual is that of what was computed, blended or not.
    assert_eq!(soft.usual_way, jumps.usual_way);
}

#[test]
fn a_blended_loop_goes_over_into_its_first_frame() {
    let l = Loop { from: 8, length: 10, blend: 4 };
    let much: Vec<f64> = (0..10).map(|k| blend(&l, k)).collect();
    assert_eq!(&much[..6], &[0.0; 6]);
    assert!(much[6..].windows(2).all(|w| w[0] < w[1]) && much[9] < 1.0 && much[6] > 0.0, "{much:?}");
    assert!((much[6] + much[9] - 1.0).abs() < 1e-12);
    // A motion that never changes its way: its frames stand where the first frame's own past is.
    let frames: Places = (0..20).map(|f| vec![[f as f64, 0.0, 0.0]]).collect();
    let own = looped(&l, 0, &frames);
    for k in 0..10 {
        let wanted = 8.0 + k as f64 - 10.0 * blend(&l, k);
        assert!((own[k as usize][0][0] - wanted).abs() < 1e-12);
    }
    // One that is not there stays so, and takes nothing along.
    let mut holes = frames.clone();
    holes[6][0] = [f64::NAN; 3];
    assert_eq!(looped(&l, 0, &holes)[8][0], [16.0, 0.0, 0.0]);
}

#[test]
fn what_rests_has_no_loop_and_too_few_frames_have_none() {
    let still: Places = vec![vec![[1.0, 2.0, 3.0]]; 40];
    assert!(best(0, &still, 5, 20, 2).is_none());
    assert!(best(0, &round(6, 24.0, 0.0), 5, 20, 2).is_none());
    // What comes to rest is looked for where it still moves.
    let mut ends = round(80, 16.0, 0.0);
    ends.extend(std::iter::repeat_n(ends[79].clone(), 80));
    let (found, apart) = best(0, &ends, 10, 20, 0).unwrap();
    assert!(found.length == 16 && found.last() < 80 && apart < 1e-6, "{found:?} {apart}");
}

fn flag(more: &Value) -> Value {
    let mut of = json!({
        "nematon": 2, "name": "Mast", "frames": {"first": 0, "last": 60, "rate": 24, "substeps": 10},
        "bodies": {"flag": {"name": "Flag",
            "kind": {"cloth": {"shape": {"sheet": {"width": 0.6, "depth": 0.4, "columns": 7, "rows": 5}}, "matter": {}}},
            "grips": {"top": {"name": "Top", "points": [{"corner": "back left"}, {"corner": "front left"}]}}}},
        "fields": {"gravity": {"name": "Gravity", "act": {"gravity": {"strength": 9.81}}},
                   "wind": {"name": "Wind", "act": {"wind": {"heading": 0.4, "speed": 4.0}}}},
        "handles": {"pole": {"name": "Pole", "place": {"position": [0, 0, 0], "turn": [0, 0, 0]}}}
    });
    for (path, value) in more.as_object().unwrap() {
        *of.pointer_mut(path).unwrap() = value.clone();
    }
    of
}

fn lacking(more: &Value, length: i64) -> Vec<String> {
    let scene: Scene = validate(&flag(more)).unwrap_or_else(|f| panic!("{f:?}"));
    let stage = Stage::new(&scene, &NoMeshes);
    unrepeated(&stage, &Loop { from: 10, length, blend: 0 }, &[[0.0; 3], [1.0, 0.5, 0.0]])
}

#[test]
fn what_does_not_repeat_is_named_and_what_does_is_not() {
    assert!(lacking(&json!({}), 24).is_empty());
    let swings = json!({"keys": [{"frame": 0, "value": 2.0}, {"frame": 12, "value": 6.0}, {"frame": 24, "value": 2.0}], "after": "repeat"});
    let wind = "/fields/wind/act/wind/speed";
    assert!(lacking(&json!({wind: swings}), 24).is_empty());
    assert_eq!(lacking(&json!({wind: swings}), 20), ["Wind"]);
    let up = json!({"formula": "f / 100"});
    let told = lacking(&json!({"/handles/pole/place/position": [up, up, 0.0]}), 24);
    assert!(told.len() == 1 && told[0].starts_with("Pole"), "{told:?}");
    let gusts = json!({"turbulence": {"strength": 2.0, "size": 1.0}});
    assert_eq!(lacking(&json!({"/fields/wind/act": gusts}), 24), ["Wind"]);
}

#[test]
fn no_frame_follows_from_a_loop() {
    let of = flag(&json!({}));
    let mut own = of.clone();
    own["frames"]["loop"] = json!({"from": 20, "length": 24, "blend": 8});
    let [a, b] = [of, own].map(|of| {
        let scene = validate(&of).unwrap_or_else(|f| panic!("{f:?}"));
        fingerprints(&scene, &[BodyId::from("flag")], &NoMeshes).unwrap().remove(0)
    });
    assert_eq!(a, b);
}
