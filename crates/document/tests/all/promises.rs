//! What the document promises: all faults at once, edits that undo, reasons in words.
use nematon_document::{EditError, MAX_DOCUMENT, apply, changes, inverse, parse, schema, validate};
use serde_json::{Value, json};

fn scene() -> Value {
    json!({
        "nematon": 2, "name": "Ridge", "frames": {"first": 0, "last": 48, "rate": 24, "substeps": 20},
        "bodies": {"canopy": {
            "name": "Landing canopy", "kind": {"cloth": {"shape": {"sheet": {"width": 4, "depth": 2, "columns": 60, "rows": 40}}, "matter": {"areal_weight": 0.3}}},
            "grips": {"eyelets": {"name": "Eyelets", "points": [{"border": {"border": "back", "by": {"eyelets": 8}}}]}}
        }},
        "fields": {"ridge-wind": {"name": "Ridge wind", "act": {"wind": {"speed": 6, "heading": 0}}}},
        "floor": {"height": 0}
    })
}

fn patch(v: Value) -> json_patch::Patch {
    serde_json::from_value(v).unwrap()
}

#[test]
fn a_good_scene_is_read_and_its_defaults_are_filled_in() {
    let s = validate(&scene()).unwrap();
    let Some(cloth) = s.bodies[0].kind.cloth() else { unreachable!() };
    assert_eq!(cloth.matter.drag, 1.28.into());
    assert_eq!(s.floor.unwrap().friction, 0.5);
}

#[test]
fn every_fault_is_listed_with_its_path() {
    let mut d = scene();
    d["fields"]["ridge-wind"]["act"]["wind"]["speed"] = json!(1e9);
    d["bodies"]["canopy"]["kind"]["cloth"]["matter"]["areal_weight"] = json!(-2);
    d["bodies"]["canopy"]["kind"]["cloth"]["matter"]["glitter"] = json!(true);
    d["frames"]["rate"] = json!("fast");
    let faults = validate(&d).unwrap_err();
    let paths: Vec<&str> = faults.iter().map(|f| f.path.as_str()).collect();
    for p in [
        "/fields/ridge-wind/act/wind/speed",
        "/bodies/canopy/kind/cloth/matter/areal_weight",
        "/bodies/canopy/kind/cloth/matter/glitter",
        "/frames/rate",
    ] {
        assert!(paths.contains(&p), "{p} is missing from {faults:#?}");
    }
    let speed = faults.iter().find(|f| f.path.ends_with("speed")).unwrap();
    assert!(speed.message.contains("at most 150 m/s"), "{}", speed.message);
}

#[test]
fn faults_between_values_are_found() {
    for (pointer, value, path) in [
        ("/frames/last", json!(-5), "/frames/last"),
        ("/frames/last", json!(1_000_000), "/frames/last"),
        (
            "/bodies/canopy/kind/cloth/shape/sheet/columns",
            json!(2_000_000),
            "/bodies/canopy/kind/cloth/shape/sheet/columns",
        ),
        (
            "/bodies/canopy/grips/eyelets/points/0/border/border",
            json!("top"),
            "/bodies/canopy/grips/eyelets/points/0",
        ),
        ("/bodies/canopy/grips/eyelets/points", json!([]), "/bodies/canopy/grips/eyelets/points"),
        (
            "/bodies/canopy/grips/eyelets/points/0",
            json!({"ring": 3}),
            "/bodies/canopy/grips/eyelets/points/0",
        ),
        ("/fields/ridge-wind/when", json!({"from": 9, "until": 3}), "/fields/ridge-wind/when/until"),
    ] {
        let mut d = scene();
        match d.pointer_mut(pointer) {
            Some(at) => *at = value,
            None => d["fields"]["ridge-wind"]["when"] = value,
        }
        let faults = validate(&d).unwrap_err();
        assert!(faults.iter().any(|f| f.path.starts_with(path)), "{pointer}: {faults:?}");
    }
    for (looped, part) in [
        (json!({"from": -9, "length": 4}), "from"),
        (json!({"from": 2, "length": 9000}), "length"),
        (json!({"from": 6, "length": 4, "blend": 4}), "blend"),
        (json!({"from": 3, "length": 6, "blend": 5}), "blend"),
    ] {
        let mut d = scene();
        d["frames"]["loop"] = looped;
        assert_eq!(validate(&d).unwrap_err()[0].path, format!("/frames/loop/{part}"));
    }
    let mut d = scene();
    d["bodies"]["Big Top"] = d["bodies"]["canopy"].clone();
    assert_eq!(validate(&d).unwrap_err()[0].path, "/bodies/Big Top");
}

#[test]
fn what_is_not_json_or_from_the_future_is_named() {
    assert!(parse("{").unwrap_err()[0].message.starts_with("not JSON"));
    let mut d = scene();
    d["nematon"] = json!(7);
    assert!(validate(&d).unwrap_err()[0].message.contains("newer Nematon"));
}

#[test]
fn an_edit_and_its_inverse_leave_the_document_as_it_was() {
    let d = scene();
    let edit = patch(json!([
        {"op": "replace", "path": "/fields/ridge-wind/act/wind/speed", "value": 8.5},
        {"op": "remove", "path": "/floor"}
    ]));
    let (next, s) = apply(&d, &edit).unwrap();
    assert!(s.floor.is_none());
    let (back, _) = apply(&next, &inverse(&d, &next)).unwrap();
    assert_eq!(back, d);
}

#[test]
fn a_refused_edit_says_which_operation_or_which_faults() {
    let d = scene();
    let missing = patch(json!([{"op": "replace", "path": "/bodies/tent/name", "value": "x"}]));
    assert!(matches!(apply(&d, &missing), Err(EditError::Patch { operation: 0, .. })));
    let d = serde_json::to_value(validate(&d).unwrap()).unwrap();
    let two = patch(json!([
        {"op": "replace", "path": "/fields/ridge-wind/act/wind/speed", "value": 1e9},
        {"op": "replace", "path": "/bodies/canopy/kind/cloth/matter/thickness", "value": 0}
    ]));
    match apply(&d, &two) {
        Err(EditError::Faults(f)) => assert_eq!(f.len(), 2, "{f:?}"),
        other => panic!("{other:?}"),
    }
}

#[test]
fn a_change_is_told_with_name_values_and_unit() {
    let (a, mut d) = (validate(&scene()).unwrap(), scene());
    d["fields"]["ridge-wind"]["act"]["wind"]["speed"] = json!(8.5);
    d["fields"]["ridge-wind"]["act"]["wind"]["heading"] = json!(std::f64::consts::FRAC_PI_2);
    d["bodies"]["canopy"]["name"] = json!("Awning");
    d["bodies"]["canopy"]["kind"]["cloth"]["shape"]["sheet"]["columns"] = json!(30);
    let words: Vec<String> =
        changes(&a, &validate(&d).unwrap(), "canopy").into_iter().map(|c| c.words).collect();
    assert_eq!(
        words,
        [
            "Landing canopy points across, 60 to 30",
            "Ridge wind speed, 6 to 8.5 m/s",
            "Ridge wind heading, 0 to 90°"
        ]
    );
    let mut off = scene();
    off["fields"]["ridge-wind"]["on"] = json!(false);
    assert_eq!(changes(&a, &validate(&off).unwrap(), "canopy")[0].words, "Ridge wind turned off");
    off["fields"] = json!({});
    assert_eq!(changes(&a, &validate(&off).unwrap(), "canopy")[0].words, "Ridge wind removed");
    assert!(changes(&a, &a, "canopy").is_empty());
}

#[test]
fn another_body_is_no_reason() {
    let a = validate(&scene()).unwrap();
    let mut d = scene();
    d["bodies"]["pennant"] = d["bodies"]["canopy"].clone();
    assert!(changes(&a, &validate(&d).unwrap(), "canopy").is_empty());
}

#[test]
fn the_schema_tells_units_titles_and_limits() {
    let speed = &schema()["$defs"]["Wind"]["properties"]["speed"];
    assert_eq!(speed["unit"], "m/s");
    assert_eq!(speed["title"], "Speed");
    assert_eq!(speed["maximum"].as_f64(), Some(150.0));
}

#[test]
fn an_edit_that_would_grow_without_end_is_refused_before_it_does() {
    let d = scene();
    // Each copy doubles the scene: forty of them are a million million times as much.
    let doubling: Vec<Value> =
        (0..40).map(|k| json!({"op": "copy", "from": "", "path": format!("/bodies/c{k}")})).collect();
    match apply(&d, &patch(json!(doubling))) {
        Err(EditError::TooDeep { operation, depth }) => {
            assert!(operation < 12 && depth > 32, "{operation} {depth}")
        }
        other => panic!("{other:?}"),
    }
    // As wide as deep: every copy takes all bodies.
    let wide: Vec<Value> = (0..40)
        .flat_map(|k| {
            [
                json!({"op": "copy", "from": "/bodies", "path": "/fields"}),
                json!({"op": "copy", "from": "/fields", "path": format!("/bodies/c{k}")}),
                json!({"op": "replace", "path": "/fields", "value": {}}),
                json!({"op": "copy", "from": "/bodies/canopy", "path": format!("/bodies/d{k}")}),
            ]
        })
        .collect();
    assert!(matches!(
        apply(&d, &patch(json!(wide))),
        Err(EditError::TooDeep { .. } | EditError::TooLarge { .. })
    ));
    let name = "n".repeat(1 << 20);
    let mut long = vec![json!({"op": "replace", "path": "/name", "value": name})];
    long.extend((0..40).map(|k| json!({"op": "copy", "from": "/name", "path": format!("/bodies/{k}")})));
    match apply(&d, &patch(json!(long))) {
        Err(EditError::TooLarge { operation, bytes }) => {
            assert!(
                operation == 7 && bytes > MAX_DOCUMENT && bytes < 2 * MAX_DOCUMENT,
                "{operation} {bytes}"
            );
        }
        other => panic!("{other:?}"),
    }
    let many: Vec<Value> = vec![json!({"op": "test", "path": "/nematon", "value": 1}); 10_001];
    assert!(matches!(apply(&d, &patch(json!(many))), Err(EditError::TooMany(10_001))));
    // What is removed again does not count: a long value may be set as often as one likes.
    let again: Vec<Value> = (0..30)
        .map(|k| json!({"op": "replace", "path": "/name", "value": if k < 29 { "n".repeat(1 << 20) } else { "N".into() }}))
        .collect();
    assert_eq!(apply(&d, &patch(json!(again))).unwrap().1.name, "N");
}

#[test]
fn borders_of_later_layers_can_be_held() {
    let mut d = scene();
    d["bodies"]["canopy"]["kind"]["cloth"]["layers"] = json!({"count": 3, "offset": [0, 0.1, 0]});
    let hold = |d: &Value, name: &str| {
        let mut d = d.clone();
        d["bodies"]["canopy"]["grips"]["eyelets"]["points"] =
            json!([{"border": {"border": name, "by": "all"}}, {"corner": format!("{name} left")}]);
        d["bodies"]["canopy"]["grips"]["eyelets"]["points"].as_array_mut().unwrap().truncate(1);
        validate(&d)
    };
    assert!(hold(&d, "back 2").is_ok() && hold(&d, "front 3").is_ok());
    for wrong in ["back 1", "back 4", "back 02", "top 2", "back  2"] {
        assert!(hold(&d, wrong).unwrap_err()[0].message.contains("up to \"back 3\""), "{wrong}");
    }
    assert!(hold(&scene(), "back 2").is_err());
}

#[test]
fn every_file_that_a_scene_names_is_listed_with_its_place() {
    let mut d = scene();
    let b = &mut d["bodies"]["canopy"];
    b["kind"]["cloth"]["shape"] = json!({"mesh": {"from": {"file": "a.obj"}}});
    b["grips"] = json!({});
    b["kind"]["cloth"]["rest"] = json!({"shape": {"mesh": {"file": "b.obj"}}});
    b["maps"] = json!({"m": {"name": "M", "layers": [{"weights": {"file": "c.csv"}}]}});
    d["colliders"] = json!({
        "h": {"name": "H", "form": {"hull": {"from": {"file": "d.obj"}}}},
        "k": {"name": "K", "form": {"mesh": {"from": {"blob": "0f".repeat(32)}, "shapes": [{"frame": 3, "from": {"file": "e.obj"}}]}}}
    });
    let mut found: Vec<_> =
        validate(&d).unwrap().files().into_iter().map(|(p, f)| (p, f.to_owned())).collect();
    found.sort();
    let want = [
        ("/bodies/canopy/kind/cloth/rest/shape/mesh", "b.obj"),
        ("/bodies/canopy/kind/cloth/shape/mesh/from", "a.obj"),
        ("/bodies/canopy/maps/m/layers/0/weights/file", "c.csv"),
        ("/colliders/h/form/hull/from", "d.obj"),
        ("/colliders/k/form/mesh/shapes/0/from", "e.obj"),
    ];
    assert_eq!(found, want.map(|(p, f)| (p.to_owned(), f.to_owned())));
}

#[test]
fn a_dye_is_a_look_and_makes_nothing_out_of_date() {
    let before = validate(&scene()).unwrap();
    let mut dyed = scene();
    dyed["bodies"]["canopy"]["dye"] = json!("woad");
    let after = validate(&dyed).unwrap();
    assert!(changes(&before, &after, "canopy").is_empty());
    dyed["bodies"]["canopy"]["dye"] = json!("pink");
    let faults = validate(&dyed).unwrap_err();
    assert!(faults[0].path == "/bodies/canopy/dye" && faults[0].message.contains("madder"), "{faults:?}");
}

#[test]
fn an_area_names_only_spots_that_it_has_and_lies_within_its_box() {
    let with = |area: Value| {
        let mut s = scene();
        s["bodies"]["canopy"]["grips"]["eyelets"]["points"] = json!([{"area": area}]);
        validate(&s)
    };
    assert!(with(json!({"spots": [[0, 0, 0], [1, 0, 0], [0, 0, 1]], "triangles": [[0, 1, 2]]})).is_ok());
    let faults = with(json!({"spots": [[0, 0, 0]], "edges": [[0, 3]]})).unwrap_err();
    assert_eq!(faults[0].path, "/bodies/canopy/grips/eyelets/points/0/area");
    assert!(faults[0].message.contains("the spot 3, and there are 1"), "{}", faults[0].message);
    assert!(with(json!({"spots": [[0, 1.5, 0]]})).is_err());
    assert!(with(json!({"spots": []})).is_err());
}

#[test]
fn a_bend_is_told_in_the_unit_that_is_shown() {
    let before = validate(&scene()).unwrap();
    let mut stiffer = scene();
    stiffer["bodies"]["canopy"]["kind"]["cloth"]["matter"] =
        json!({"areal_weight": 0.3, "bend_warp": 2.4e-5});
    let told = changes(&before, &validate(&stiffer).unwrap(), "canopy");
    assert_eq!(told[0].words, "Landing canopy bend, warp, 12 to 24 µN·m");
}

#[test]
fn loose_pieces_need_room_and_are_neither_held_nor_painted() {
    let drift = |change: &dyn Fn(&mut Value)| {
        let mut d = scene();
        d["bodies"]["canopy"] = json!({"name": "Pods", "kind": {"drift": {
            "size": [0.3, 0.3, 0.3], "count": 400, "radius": 0.012, "variation": 0.2, "weight": 0.001
        }}});
        change(&mut d["bodies"]["canopy"]);
        validate(&d).err().unwrap_or_default()
    };
    assert_eq!(drift(&|_| {}), vec![]);
    let faults = drift(&|b| b["kind"]["drift"]["size"] = json!([0.1, 0.1, 0.1]));
    assert_eq!(faults[0].path, "/bodies/canopy/kind/drift/count");
    assert!(faults[0].message.contains("has room for 27"), "{}", faults[0].message);
    let faults = drift(&|b| b["grips"] = json!({"g": {"name": "G", "points": [{"corner": "a"}]}}));
    assert_eq!(faults[0].path, "/bodies/canopy/grips");
    let faults = drift(
        &|b| b["maps"] = json!({"m": {"name": "M", "layers": [{"weights": {"distance": {"to": {"border": "back"}, "from": 0, "until": 1}}}]}}),
    );
    assert!(
        faults.iter().any(|f| f.path == "/bodies/canopy/maps" || f.path.starts_with("/bodies/canopy/maps")),
        "{faults:?}"
    );
}

#[test]
fn looks_make_nothing_out_of_date_and_what_they_can_not_be_is_told() {
    let before = validate(&scene()).unwrap();
    let mut looked = scene();
    looked["cameras"] = json!({"front": {"name": "Front", "place": {"position": [0, 1, 4]}, "opens": 3}});
    looked["bodies"]["canopy"]["finish"] = json!({"smooth": 2, "thickness": 0.003});
    let after = validate(&looked).unwrap();
    assert!(nematon_document::changes(&before, &after, "canopy").is_empty());
    // What is left out is as usual, and is not written down.
    assert_eq!(after.cameras["front"].angle, 0.6);
    assert!(serde_json::to_value(&after).unwrap()["cameras"]["front"].get("angle").is_none());
    for (path, value, at, words) in [
        ("/cameras/front/angle", json!(3), "/cameras/front/angle", "at most 2.6"),
        (
            "/cameras/front/place",
            json!({"on": {"handle": "gone"}}),
            "/cameras/front/place/on",
            "which there is not",
        ),
        ("/bodies/canopy/finish/smooth", json!(4), "/bodies/canopy/finish/smooth", "at most 3"),
        ("/bodies/canopy/finish/thickness", json!(0.6), "/bodies/canopy/finish/thickness", "at most 0.5 m"),
    ] {
        let mut wrong = looked.clone();
        *match wrong.pointer_mut(path) {
            Some(at) => at,
            None => {
                wrong["cameras"]["front"]["angle"] = json!(null);
                wrong.pointer_mut(path).unwrap()
            }
        } = value;
        let faults = validate(&wrong).unwrap_err();
        assert!(faults.iter().any(|f| f.path == at && f.message.contains(words)), "{path}: {faults:?}");
    }
    let camera = nematon_document::Camera::looking("Up", [0.0, 0.0, 0.0], [0.0, 2.0, -2.0]);
    let (_, turn) = camera.place.stands();
    assert!((turn[0] - std::f64::consts::FRAC_PI_4).abs() < 1e-3 && turn[1].abs() < 1e-3);
}
