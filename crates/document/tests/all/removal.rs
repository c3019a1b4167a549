//! What is removed is let go of by all that name it, in one edit and in words.
use nematon_document::{Removal, apply, inverse, removal, validate, whose};
use serde_json::{Value, json};

fn scene() -> Value {
    let scene = json!({
        "nematon": 2, "name": "Ridge", "frames": {"first": 0, "last": 48, "rate": 24, "substeps": 20},
        "bodies": {"canopy": {
            "name": "Canopy", "kind": {"cloth": {"shape": {"sheet": {"width": 4, "depth": 2, "columns": 60, "rows": 40}}}},
            "maps": {"soft": {"name": "Soft", "layers": []}},
            "scaled": {"shear": {"map": "soft"}},
            "grips": {
                "rope": {"name": "Rope", "points": [{"corner": "back left"}], "to": {"handle": "crane"}},
                "rim": {"name": "Rim", "points": [{"corner": "back right"}], "map": "soft"}
            }
        }},
        "handles": {"crane": {"name": "Crane", "place": {"position": [3, 0, 0]}}},
        "colliders": {
            "hook": {"name": "Hook", "form": {"ball": {"radius": 0.1}}, "place": {"position": [0, 2, 0], "on": {"handle": "crane"}}}
        },
        "fields": {
            "wind": {"name": "Wind", "act": {"wind": {"speed": 3, "heading": 0}}, "except": ["canopy"]},
            "push": {"name": "Push", "act": {"skin": {"of": {"collider": "hook"}, "strength": 3, "reach": 1}}}
        },
        "alone": "push"
    });
    serde_json::to_value(validate(&scene).unwrap()).unwrap()
}

fn gone(path: &str) -> (Removal, Value) {
    let now = scene();
    let place = json!({"position": [3.0, 2.0, 0.0], "turn": [0.0, 0.0, 0.0]});
    let found = removal(&now, path, |p| (p == "/colliders/hook/place").then(|| place.clone())).unwrap();
    let (next, _) = apply(&now, &found.patch).unwrap();
    let (back, _) = apply(&next, &inverse(&now, &next)).unwrap();
    assert_eq!(back, now, "one undo brings all of it back");
    (found, next)
}

#[test]
fn a_handle_that_goes_frees_what_was_held_and_what_stood_on_it() {
    let (found, next) = gone("/handles/crane");
    assert_eq!(found.lets_go, ["Rope of Canopy lets go", "Hook stands in the world then"]);
    assert!(next["bodies"]["canopy"]["grips"]["rope"].is_null());
    assert_eq!(next["colliders"]["hook"]["place"]["position"], json!([3.0, 2.0, 0.0]));
    assert!(next["colliders"]["hook"]["place"]["on"].is_null());
}

#[test]
fn what_acts_by_a_thing_goes_with_it_and_with_it_that_it_is_alone() {
    let (found, next) = gone("/colliders/hook");
    assert_eq!(found.lets_go, ["Push is removed too: it acts by it"]);
    assert!(next["fields"]["push"].is_null() && next["alone"].is_null());
}

#[test]
fn who_merely_left_it_out_says_nothing_and_a_map_frees_what_it_scaled() {
    let (found, next) = gone("/bodies/canopy");
    assert!(found.lets_go.is_empty(), "{:?}", found.lets_go);
    assert_eq!(next["fields"]["wind"]["except"].as_array().map_or(0, Vec::len), 0);
    let (found, next) = gone("/bodies/canopy/maps/soft");
    assert_eq!(found.lets_go.len(), 2, "{:?}", found.lets_go);
    assert!(found.lets_go.contains(&"Rim of Canopy holds all alike then".to_owned()), "{:?}", found.lets_go);
    let canopy = &next["bodies"]["canopy"];
    assert!(canopy["grips"]["rim"]["map"].is_null() && canopy["grips"]["rim"].is_object());
    assert!(canopy["scaled"]["shear"].is_null());
}

#[test]
fn a_path_is_said_by_names_and_titles() {
    let now = scene();
    assert_eq!(whose(&now, "/bodies/canopy/grips/rope"), "Rope of Canopy");
    assert_eq!(whose(&now, "/fields/wind/act/wind/speed"), "Wind, speed");
    assert_eq!(whose(&now, "/frames/last"), "Last frame");
    let mut wrong = now.clone();
    wrong["fields"]["wind"]["act"]["wind"]["speed"] = json!(1e9);
    let faults = validate(&wrong).unwrap_err();
    assert_eq!(faults[0].place, "Wind, speed");
    assert!(faults.iter().all(|f| !f.message.contains("/fields")), "{faults:?}");
}

#[test]
fn hundreds_that_stand_on_it_let_go_at_once() {
    let mut now = scene();
    for k in 0..300 {
        let mut own = now["colliders"]["hook"].clone();
        own["name"] = json!(format!("Hook {k}"));
        now["colliders"][format!("hook-{k}")] = own;
    }
    for k in 0..80 {
        now["bodies"][format!("flag-{k}")] = now["bodies"]["canopy"].clone();
        let key = json!(format!("flag-{k}"));
        now["fields"]["wind"]["except"].as_array_mut().unwrap().push(key);
    }
    let found = removal(&now, "/handles/crane", |_| Some(json!({}))).unwrap();
    assert_eq!(found.lets_go.iter().filter(|w| w.contains("stands in the world")).count(), 301);
    let (_, scene) = apply(&now, &found.patch).unwrap();
    assert!(scene.colliders.values().all(|c| c.place.on.is_none()));
}
