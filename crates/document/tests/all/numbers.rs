//! What holds for every number of a scene, whichever it is: one scene has all of them.
use nematon_document::{apply, changes, inverse, migrate, parse, schema, validate, version};
use serde_json::{Value, json};

fn full() -> Value {
    serde_json::from_str(include_str!("full.json")).unwrap()
}

/// JSON Pointers of all numbers of a document, but for the format's own version.
fn numbers(of: &Value) -> Vec<String> {
    fn walk(of: &Value, path: &str, out: &mut Vec<String>) {
        match of {
            Value::Number(_) => out.push(path.to_owned()),
            Value::Object(m) => m.iter().for_each(|(k, v)| walk(v, &format!("{path}/{k}"), out)),
            Value::Array(a) => a.iter().enumerate().for_each(|(k, v)| walk(v, &format!("{path}/{k}"), out)),
            _ => {}
        }
    }
    let mut out = vec![];
    walk(of, "", &mut out);
    out.retain(|p| p != "/nematon");
    out
}

fn with(path: &str, value: Value) -> Value {
    let mut d = full();
    *d.pointer_mut(path).unwrap() = value;
    d
}

/// A value near the one at a path that the document may have too.
fn nudged(path: &str) -> Value {
    let at = full().pointer(path).unwrap().clone();
    let near = match at.as_i64() {
        Some(n) if path.ends_with("/frame") || (!path.contains("/turn/") && !path.contains("/position/")) => {
            vec![json!(n + 1), json!(n - 1)]
        }
        _ => [0.01, -0.01].map(|by| json!(at.as_f64().unwrap() * (1.0 + by) + 2.0 * by)).to_vec(),
    };
    near.into_iter()
        .find(|v| validate(&with(path, v.clone())).is_ok())
        .unwrap_or_else(|| panic!("{path} can't be nudged"))
}

#[test]
fn the_scene_that_has_all_of_them_is_good_and_has_all_of_them() {
    let scene = validate(&full()).unwrap();
    assert_eq!((scene.bodies.len(), scene.colliders.len(), scene.fields.len()), (11, 7, 10));
    assert!(numbers(&full()).len() > 150);
    // Every number of the matter, of each field and of the floor.
    let defs = &schema()["$defs"];
    for (of, at) in [
        ("Matter", "/bodies/canopy/kind/cloth/matter"),
        ("Wind", "/fields/wind/act/wind"),
        ("Turbulence", "/fields/eddies/act/turbulence"),
        ("Gravity", "/fields/pull/act/gravity"),
        ("Vortex", "/fields/spout/act/vortex"),
        ("Pull", "/fields/draw/act/pull"),
        ("Column", "/fields/chimney/act/column"),
        ("Stream", "/fields/gully/act/stream"),
        ("SkinPush", "/fields/breath/act/skin"),
        ("Shelter", "/fields/lee/act/shelter"),
        ("Floor", "/floor"),
        ("FrameSpan", "/frames"),
        ("Sheet", "/bodies/canopy/kind/cloth/shape/sheet"),
        ("Drift", "/bodies/pods/kind/drift"),
        ("Strands", "/bodies/fringe/kind/strands"),
        ("Plants", "/bodies/shrubs/kind/plants"),
        ("PlantMesh", "/bodies/saplings/kind/plants/mesh"),
        ("LeafMatter", "/bodies/saplings/kind/plants/mesh/leaf"),
        ("Species", "/bodies/shrubs/kind/plants/species"),
        ("Stem", "/bodies/shrubs/kind/plants/species/stem"),
        ("Branches", "/bodies/shrubs/kind/plants/species/branches/0"),
        ("Leaves", "/bodies/shrubs/kind/plants/species/leaves"),
        ("Heads", "/bodies/shrubs/kind/plants/species/heads"),
        ("Shed", "/bodies/fluff/kind/drift/shed"),
        ("ShedRule", "/bodies/fluff/kind/drift/shed/rules/0"),
        ("Clumps", "/bodies/fringe/kind/strands/clumps"),
        ("Hairs", "/bodies/fringe/kind/strands/hairs"),
        ("Ring", "/bodies/float/kind/cloth/shape/ring"),
    ] {
        let full = full();
        let has = full.pointer(at).unwrap();
        for (name, _) in defs[of]["properties"].as_object().unwrap().iter().filter(|(n, _)| {
            // Settling is told of by tests of its own.
            !["preset", "curves", "combed", "flies", "shed", "mesh", "quality", "settle", "loop"]
                .contains(&n.as_str())
        }) {
            // What it grows on is no number, but the frame that a rule begins at is one.
            let grows = name == "from" && has.get("count").is_some() && has.get("angle").is_none();
            assert!(has.get(name).is_some() || grows, "{at} lacks {name}");
        }
    }
}

/// Numbers side by side, each of another thing: what is wrong with one hides nothing of the others.
fn apart(all: Vec<String>) -> Vec<Vec<String>> {
    let thing = |p: &str| p.split('/').take(7).collect::<Vec<_>>().join("/");
    let mut rounds: Vec<Vec<String>> = vec![];
    let mut of: std::collections::HashMap<String, usize> = Default::default();
    for path in all {
        let k = of.entry(thing(&path)).or_default();
        if rounds.len() == *k {
            rounds.push(vec![]);
        }
        rounds[*k].push(path);
        *k += 1;
    }
    rounds
}

#[test]
fn every_number_out_of_its_limits_is_a_fault_at_its_own_path() {
    let all = numbers(&full());
    assert!(all.len() > 300);
    // A life may be left out, which is for good; when a rule begins and ends; and how many sub-steps there are.
    let may = ["/source/life", "/rules/0/from", "/rules/0/until", "/frames/substeps", "/opens"];
    let (may, must): (Vec<String>, Vec<String>) =
        all.into_iter().partition(|p| may.iter().any(|m| p.ends_with(m)));
    assert!(may.len() > 4);
    for path in &may {
        assert!(validate(&with(path, json!(null))).is_ok(), "{path}");
    }
    for (paths, wrongs) in [
        (must.clone(), vec![json!(null)]),
        ([must, may].concat(), vec![json!(-1e30), json!(1e30), json!("much"), json!([1])]),
    ] {
        for round in apart(paths) {
            for wrong in &wrongs {
                let mut d = full();
                round.iter().for_each(|p| *d.pointer_mut(p).unwrap() = wrong.clone());
                let faults = validate(&d).err().unwrap_or_default();
                for path in &round {
                    // What is no number is told of where it stands or of what it is part of; what may be left out, where something needs it.
                    let left_out = wrong.is_null() && path == "/bodies/canopy/follow";
                    let told = |f: &nematon_document::Fault| {
                        if wrong.is_number() {
                            f.path == *path
                        } else {
                            path.starts_with(&f.path) || left_out
                        }
                    };
                    // What only follows from all of it together is looked at where nothing else is wrong.
                    let by_itself = || validate(&with(path, wrong.clone())).err().unwrap_or_default();
                    assert!(faults.iter().any(told) || by_itself().iter().any(told), "{path} = {wrong}");
                }
            }
        }
    }
}

#[test]
fn every_limit_is_told_with_its_unit() {
    for (path, value, words) in [
        ("/fields/wind/act/wind/speed", json!(151), "at most 150 m/s"),
        ("/bodies/canopy/kind/cloth/matter/areal_weight", json!(-1), "kg/m²"),
        ("/bodies/canopy/kind/cloth/matter/thickness", json!(0), " m"),
        ("/frames/rate", json!(0), "at least 1"),
        ("/bodies/canopy/kind/cloth/matter/poisson", json!(0.5), "at most 0.45"),
    ] {
        let faults = validate(&with(path, value)).unwrap_err();
        let fault = faults.iter().find(|f| f.path == path).unwrap();
        assert!(fault.message.contains(words), "{path}: {}", fault.message);
    }
}

#[test]
fn every_number_that_changes_is_told_as_a_reason_with_what_it_is_now() {
    let before = validate(&full()).unwrap();
    // A longer shot makes nothing that is there out of date.
    for path in numbers(&full()).into_iter().filter(|p| p != "/frames/last") {
        let value = nudged(&path);
        let after = validate(&with(&path, value.clone())).unwrap();
        // Of its own body; what all bodies share is told of each.
        let body = path.strip_prefix("/bodies/").map_or("canopy", |p| p.split('/').next().unwrap());
        let told = changes(&before, &after, body);
        // Hairs between strands follow from what is computed, and cameras look at it.
        if path.contains("/hairs/") || path.starts_with("/cameras/") {
            assert!(told.is_empty(), "{path}: {told:?}");
            continue;
        }
        assert!(!told.is_empty(), "{path} to {value} is told nowhere");
        assert_eq!(told.len(), 1, "{path}: {told:?}");
        // Points that are chosen, and keys, are told as a whole.
        let whole = ["/points/", "/keys/", "/rest/", "/offset/", "/remap/"].iter().any(|w| path.contains(w));
        assert!(told[0].words.contains(", ") || whole, "{path}: {:?}", told[0].words);
    }
}

/// Numbers that look random and are the same each time.
struct Dice(u64);

impl Dice {
    fn throw(&mut self, below: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as usize % below
    }
}

#[test]
fn any_row_of_edits_is_undone_by_their_inverses_and_done_again_by_theirs() {
    let all = numbers(&full());
    let mut dice = Dice(7);
    for _ in 0..20 {
        let mut document = full();
        let mut steps = vec![document.clone()];
        for _ in 0..14 {
            let patch = match dice.throw(5) {
                0 => json!([{"op": "remove", "path": "/fields/eddies"}]),
                1 => {
                    json!([{"op": "add", "path": format!("/colliders/stone-{}", dice.throw(3)), "value": full()["colliders"]["globe"]}])
                }
                2 => {
                    json!([{"op": "move", "from": "/bodies/canopy/maps/hem", "path": "/bodies/canopy/maps/edge"}])
                }
                _ => {
                    let path = &all[dice.throw(all.len())];
                    json!([{"op": "replace", "path": path, "value": nudged(path)}])
                }
            };
            // What can't be done any more, or leaves a map without a name, is refused and changes nothing.
            if let Ok((next, _)) = apply(&document, &serde_json::from_value(patch).unwrap()) {
                document = next;
                steps.push(document.clone());
            }
        }
        assert!(steps.len() > 4);
        let mut at = steps[steps.len() - 1].clone();
        let mut again = vec![];
        for before in steps.iter().rev().skip(1) {
            let undo = inverse(before, &at);
            let (back, _) = apply(&at, &undo).unwrap();
            assert_eq!(&back, before);
            again.push(inverse(&at, &back));
            at = back;
        }
        assert_eq!(at, full());
        for redo in again.into_iter().rev() {
            at = apply(&at, &redo).unwrap().0;
        }
        assert_eq!(at, steps[steps.len() - 1]);
    }
}

#[test]
fn names_that_point_nowhere_are_faults_where_they_stand() {
    for (path, value, words) in [
        ("/bodies/canopy/grips/mast/to/handle", "crane", "\"crane\""),
        ("/bodies/canopy/scaled/bend/map", "lace", "\"lace\""),
        ("/bodies/canopy/grips/pegs/points/0/corner", "middle", "\"middle\""),
    ] {
        let faults = validate(&with(path, json!(value))).unwrap_err();
        assert!(
            faults.iter().any(|f| path.starts_with(&f.path) && f.message.contains(words)),
            "{path}: {faults:?}"
        );
    }
    // Keys that go back in time.
    for path in [
        "/colliders/globe/place/position/0/keys/1/frame",
        "/handles/boom/place/turn/1/keys/1/frame",
        "/bodies/canopy/kind/cloth/rest/scale/keys/1/frame",
        "/bodies/canopy/kind/cloth/rest/bend/keys/1/frame",
        "/fields/wind/act/wind/speed/keys/1/frame",
    ] {
        let faults = validate(&with(path, json!(0))).unwrap_err();
        assert!(
            faults.iter().any(|f| f.path == path && f.message.contains("is not after")),
            "{path}: {faults:?}"
        );
    }
    let mut d = full();
    d["colliders"]["ground"]["hollow"] = json!(true);
    assert!(validate(&d).unwrap_err().iter().any(|f| f.path == "/colliders/ground/hollow"));
    d = with("/bodies/float/kind/cloth/shape/ring/tube", json!(0.4));
    assert!(validate(&d).unwrap_err().iter().any(|f| f.path == "/bodies/float/kind/cloth/shape/ring/tube"));
    d = with("/bodies/canopy/maps/fade/layers/0/weights/ramp/to", json!(-0.6));
    assert!(
        validate(&d)
            .unwrap_err()
            .iter()
            .any(|f| f.path == "/bodies/canopy/maps/fade/layers/0/weights/ramp/to")
    );
}

/// Scenes as the first version kept them.
const OLD: [(&str, &str); 7] = [
    ("full", include_str!("v1/full.json")),
    ("cape", include_str!("v1/cape.json")),
    ("edge", include_str!("v1/edge.json")),
    ("layers", include_str!("v1/layers.json")),
    ("relay", include_str!("v1/thistledown-relay.json")),
    ("towel", include_str!("v1/towel.json")),
    ("loft", include_str!("v1/washing-loft.json")),
];

#[test]
fn scenes_of_the_first_version_are_read_with_all_that_they_say() {
    for (name, text) in OLD {
        let old: Value = serde_json::from_str(text).unwrap();
        assert_eq!(version(&old), Some(1), "{name}");
        let new = migrate(old.clone());
        let scene = validate(&new).unwrap_or_else(|f| panic!("{name}: {f:?}"));
        // Every number of the old one is somewhere in the new one.
        let all = |of: &Value| {
            let mut n: Vec<String> =
                numbers(of).iter().map(|p| of.pointer(p).unwrap().as_f64().unwrap().to_string()).collect();
            n.sort();
            n.dedup();
            n
        };
        let kept = all(&new);
        assert!(all(&old).iter().all(|n| kept.contains(n)), "{name} lost a number");
        assert_eq!(parse(text).unwrap(), scene, "files are read so too");
        assert_eq!(migrate(new.clone()), new, "what is new stays as it is");
    }
    let edge = parse(OLD[2].1).unwrap();
    let hand = &edge.handles.values().next().unwrap().place;
    assert!(hand.position[0].is_still() && !hand.position[2].is_still(), "only what moves has keys");
    let halfway = hand.at(&edge.frames.moment(6.0)).0;
    assert_eq!(halfway, [0.0, 0.506, 0.35 + 0.5 * (0.5 - 0.35)]);
}

#[test]
fn what_moves_beyond_its_limits_or_can_not_be_read_is_told_where_it_stands() {
    let wind = "/fields/wind/act/wind/speed";
    for (path, value, at, words) in [
        (wind, json!({"keys": [{"frame": 1, "value": 200}]}), "/keys/0/value", "at most 150 m/s"),
        (wind, json!({"formula": "40 * f"}), "/formula", "is 160 m/s at frame 4; it must be at most 150 m/s"),
        (wind, json!({"formula": "10 + 1 / (f - 3)"}), "/formula", "gives no number at frame 3"),
        (wind, json!({"formula": "sin("}), "/formula", "number is missing, at letter 5"),
        (
            wind,
            json!({"keys": [{"frame": 1, "value": 100, "then": "curve", "leave": {"frames": 4, "value": 200}}, {"frame": 12, "value": 100}]}),
            "/keys",
            "at most 150 m/s",
        ),
        (
            wind,
            json!({"keys": [{"frame": 1, "value": 100}, {"frame": 2, "value": 140}], "after": "on"}),
            "/keys",
            "is 180 m/s at frame 3",
        ),
        (wind, json!({"formula": "2 * gale"}), "/formula", "names \"gale\""),
        (wind, json!({"keys": [], "ease": 1}), "/ease", "not a known property"),
        (wind, json!({}), "", ""),
        (
            "/handles/boom/place/on",
            json!({"handle": "boom"}),
            "",
            "goes round in a ring: Boom stands on Boom",
        ),
        (
            "/handles/boom/place/on",
            json!({"collider": "arm"}),
            "",
            "Boom stands on Arm, which stands on Boom",
        ),
        ("/handles/boom/place/on", json!({"handle": "gone"}), "", "stands on \"gone\", which there is not"),
        ("/handles/boom/place/on", json!({"handle": 5}), "/handle", "is not of type"),
        (
            "/handles/boom/place/on",
            json!({"nobody": "boom"}),
            "",
            "must be one of: handle, collider, figure, joint, spot",
        ),
        (
            "/colliders/bell/place/on",
            json!({"spot": {"figure": "vane", "at": [0, "up", 0]}}),
            "/spot/at/1",
            "is not of type",
        ),
        (
            "/colliders/tip/place/on",
            json!({"joint": {"figure": "crow", "joint": "beak"}}),
            "",
            "beak of crow",
        ),
        ("/bodies/canopy/place", json!({"position": [{"formula": "t"}, 0, 0]}), "", "it does not move"),
        ("/fields/wind/only", json!(["tent"]), "/0", "names the body \"tent\""),
        ("/fields/breath/place", json!({"position": [0, 0, 0]}), "", "the scene says where"),
        ("/fields/pull/by", json!("air"), "", "weight pushes"),
        ("/fields/lee/by", json!("push"), "", "does not push"),
        ("/fields/spout/except", json!(["tent"]), "/0", "names the body \"tent\""),
        ("/fields/breath/act/skin/of", json!({"collider": "wall"}), "/collider", "which there is not"),
        ("/fields/breath/act/skin/of", json!({"collider": "ground"}), "/collider", "has no end"),
        ("/fields/gully/act/stream/points", json!([[0, 0, 0]]), "", "too little"),
        ("/fields/gully/act/stream/points", json!([[1, 0, 0], [1, 0, 0]]), "", "all at one place"),
        ("/fields/chimney/act/column/radius", json!(0), "", "at least 0.01"),
        ("/fields/draw/act/pull/reach", json!(-1), "", "at least 0.01"),
        (
            "/bodies/canopy/maps/hem/layers",
            Value::Array(vec![full()["bodies"]["canopy"]["maps"]["hem"]["layers"][0].clone(); 201]),
            "",
            "holds too much: 200 at most",
        ),
        ("/alone", json!("nobody"), "", "which there is not"),
        ("/bodies/pods/maps/sides/layers/0/weights", json!({"painted": {}}), "", "no surface"),
        ("/bodies/pods/scaled", json!({"bend": {"map": "sides"}}), "/bend", "maps scale weight"),
    ] {
        let mut d = full();
        let (parent, key) = path.rsplit_once('/').unwrap();
        d.pointer_mut(parent).unwrap()[key] = value.clone();
        let faults = validate(&d).unwrap_err();
        let near = |f: &nematon_document::Fault| {
            format!("{path}{at}").starts_with(&f.path)
                && f.path.len() + 4 > path.len()
                && f.message.contains(words)
        };
        assert!(faults.iter().any(near), "{path} = {value}: {faults:?}");
    }
}

#[test]
fn a_tower_of_too_many_things_on_each_other_is_refused_and_a_high_one_is_not() {
    let tower = |high: usize| {
        let mut d = full();
        for k in 0..high {
            let on = if k == 0 { "boom".to_owned() } else { format!("step-{}", k - 1) };
            d["handles"][format!("step-{k}")] =
                json!({"name": format!("Step {k}"), "place": {"on": {"handle": on}}});
        }
        validate(&d)
    };
    assert!(tower(60).is_ok());
    let faults = tower(70).unwrap_err();
    assert!(faults[0].message.contains("more than 64 others in a row"), "{faults:?}");
}
