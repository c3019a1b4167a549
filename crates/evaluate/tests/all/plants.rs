//! Plants from a scene: where they grow, what they let go, and what must not matter.
use nematon_document::{BodyId, validate};
use nematon_evaluate::{NoMeshes, Run, Stage, shape};
use nematon_solver::NoWatch;
use serde_json::{Value, json};

/// A bed of small thistles on the ground, in a wind, with what they let go.
fn bed(more: impl FnOnce(&mut Value)) -> Value {
    let species = serde_json::to_value(&nematon_document::species()[0].species).unwrap();
    let mut s = json!({
        "nematon": 2, "name": "Bed", "frames": { "first": 1, "last": 30, "rate": 24.0, "substeps": 10 },
        "bodies": {
            "bed": { "name": "Bed", "kind": { "plants": { "species": species, "count": 5, "size": [1.0, 0.6], "seed": 2 } },
                "touch": { "itself": false, "others": false } },
            "down": { "name": "Down", "kind": { "drift": { "size": [1, 1, 1], "count": 1000, "radius": 0.03, "weight": 0.0003, "drag": 1.28,
                "flies": { "plate": { "thickness": 0.002 } },
                "shed": { "plants": "bed", "what": "leaves", "rules": [{ "chance": 1.0, "over": 2.0 }] } } },
                "touch": { "itself": false, "others": false } },
        },
        "fields": {
            "pull": { "name": "Gravity", "act": { "gravity": { "strength": 9.81 } } },
            "wind": { "name": "Wind", "act": { "wind": { "speed": 5.0, "heading": 0.4, "gust": 0.0 } } },
        },
    });
    more(&mut s);
    s
}

fn run(scene: &Value) -> Run {
    let scene = validate(scene).unwrap();
    let islands = scene.islands();
    assert_eq!(islands.len(), 1, "what is let go is computed with the plants");
    Run::start(&scene, &islands[0], &NoMeshes).unwrap()
}

fn walk(scene: &Value, frames: usize) -> Run {
    let mut run = run(scene);
    for _ in 0..frames {
        run.advance(&NoWatch).unwrap();
    }
    run
}

fn far(a: &[[f64; 3]], b: &[[f64; 3]], off: [f64; 3]) -> f64 {
    assert_eq!(a.len(), b.len());
    let one = |(a, b): (&[f64; 3], &[f64; 3])| match (a[0].is_nan(), b[0].is_nan()) {
        (true, true) => 0.0,
        (false, false) => (0..3).map(|c| (a[c] + off[c] - b[c]).powi(2)).sum::<f64>().sqrt(),
        _ => f64::INFINITY,
    };
    a.iter().zip(b).map(one).fold(0.0, f64::max)
}

#[test]
fn they_stand_on_what_they_grow_on_upright_or_out_of_it_and_as_large_as_a_map_says() {
    let shaped = |more: &dyn Fn(&mut Value)| {
        let scene = validate(&bed(|s| more(s))).unwrap();
        let stage = Stage::new(&scene, &NoMeshes);
        shape(&stage, &stage.bodies[&BodyId("bed".into())], &NoMeshes).unwrap()
    };
    let plain = shaped(&|_| {});
    assert_eq!(plain.mesh.strands, vec![101; 5]);
    assert_eq!((plain.mesh.up.len(), plain.mesh.ends.len()), (505, 505));
    for root in plain.roots() {
        let [x, y, z] = plain.placed[root as usize];
        assert!(y == 0.0 && x.abs() <= 0.5 && z.abs() <= 0.3);
    }
    let high = |s: &nematon_evaluate::Shaped| s.placed.iter().map(|p| p[1]).fold(0.0f32, f32::max);
    assert!(high(&plain) > 0.8 && high(&plain) < 1.6);
    // On the wall of a box they grow up, or out of it.
    let wall = |upright: f64| {
        shaped(&|s| {
            s["colliders"] = json!({ "wall": { "name": "Wall", "form": { "box": { "size": [0.2, 8.0, 8.0] } }, "place": { "position": [0, 20, 0] } } });
            s["bodies"]["bed"]["kind"]["plants"]["from"] = json!({ "collider": "wall" });
            s["bodies"]["bed"]["kind"]["plants"]["upright"] = json!(upright);
            s["bodies"]["bed"]["kind"]["plants"]["seed"] = json!(9);
        })
    };
    let ways = |s: &nematon_evaluate::Shaped| -> Vec<[f32; 3]> {
        let way = |r: &u32| {
            let (a, b) = (s.placed[*r as usize], s.placed[*r as usize + 1]);
            let long = (0..3).map(|c| (b[c] - a[c]).powi(2)).sum::<f32>().sqrt();
            [0, 1, 2].map(|c| (b[c] - a[c]) / long)
        };
        s.roots().iter().map(way).collect()
    };
    assert!(ways(&wall(1.0)).iter().all(|w| w[1] > 0.95));
    assert!(ways(&wall(0.0)).iter().filter(|w| w[0].abs() > 0.9).count() >= 3, "most stand on its two faces");
    // Small on one side.
    let small = shaped(&|s| {
        s["bodies"]["bed"]["kind"]["plants"]["large"] = json!("side");
        s["bodies"]["bed"]["kind"]["plants"]["variation"] = json!(0.0);
        s["bodies"]["bed"]["maps"] = json!({ "side": { "name": "Side", "layers": [{ "weights": { "ramp": { "along": "x", "from": -0.5, "to": 0.5 } } }] } });
    });
    let mut tall: Vec<(f32, f32)> = small
        .roots()
        .iter()
        .map(|r| {
            let of = *r as usize..*r as usize + 101;
            (small.placed[*r as usize][0], small.placed[of].iter().map(|p| p[1]).fold(0.0, f32::max))
        })
        .collect();
    tall.sort_by(|a, b| a.0.total_cmp(&b.0));
    assert!(tall[0].1 < 0.6 * tall[4].1, "{tall:?}");
}

#[test]
fn places_names_order_and_the_cut_of_time_do_not_matter() {
    let calm =
        |s: &mut Value| s["bodies"]["down"]["kind"]["drift"]["shed"]["rules"][0]["chance"] = json!(0.5);
    let here = walk(&bed(calm), 20);
    let there = here.there(1).unwrap();
    assert!(there.len() > 30 && there.len() < 180, "{} have let go", there.len());
    let out = walk(
        &bed(|s| {
            calm(s);
            for b in ["bed", "down"] {
                s["bodies"][b]["place"] = json!({ "position": [1000.0, 0.0, -3000.0], "turn": [0, 0, 0] });
            }
        }),
        20,
    );
    for k in 0..2 {
        let off = far(&here.places(k), &out.places(k), [1000.0, 0.0, -3000.0]);
        assert!(off < 2e-5, "a kilometre away {off} m off");
    }
    // Named otherwise, and in another order.
    let mut other = bed(calm);
    let bodies = other["bodies"].as_object_mut().unwrap();
    let (mut plants, mut pieces) = (bodies.remove("bed").unwrap(), bodies.remove("down").unwrap());
    (plants["name"], pieces["name"]) = (json!("A"), json!("B"));
    pieces["kind"]["drift"]["shed"]["plants"] = json!("zz");
    bodies.insert("aa".into(), pieces);
    bodies.insert("zz".into(), plants);
    let renamed = walk(&other, 20);
    assert_eq!(far(&here.places(0), &renamed.places(1), [0.0; 3]), 0.0);
    assert_eq!(far(&here.places(1), &renamed.places(0), [0.0; 3]), 0.0);
    // Twice as finely: the same let go, and the stems are where they were.
    let fine = walk(
        &bed(|s| {
            calm(s);
            s["frames"]["substeps"] = json!(20);
        }),
        20,
    );
    assert_eq!(fine.there(1), Some(there));
    let stems = |r: &Run| -> Vec<[f64; 3]> { (0..5).map(|k| r.places(0)[101 * k + 10]).collect() };
    let off = far(&stems(&here), &stems(&fine), [0.0; 3]);
    assert!(off < 0.012, "stems are {off} m elsewhere, finely");
}

#[test]
fn rules_let_go_where_when_and_whom_they_say() {
    let gone = |rule: Value, frames: usize| {
        let r = walk(&bed(|s| s["bodies"]["down"]["kind"]["drift"]["shed"]["rules"] = json!([rule])), frames);
        r.there(1).unwrap()
    };
    assert!(gone(json!({ "chance": 1.0, "over": 9.0 }), 12).is_empty(), "the air is too slow");
    assert!(gone(json!({ "chance": 4.0, "from": 20 }), 12).is_empty(), "it begins later");
    let short = gone(json!({ "chance": 4.0, "until": 4 }), 12);
    assert_eq!(short, gone(json!({ "chance": 4.0, "until": 4 }), 6), "it has ended");
    assert!(!short.is_empty());
    // 200 leaves, half a second of a chance of 1 a second.
    let all = gone(json!({ "chance": 1.0 }), 12);
    assert!((all.len() as f64 - 200.0 * (1.0 - f64::exp(-0.5))).abs() < 1.5, "{}", all.len());
    // Tips first: those that are gone are farther along than those that are not.
    let tips = gone(json!({ "chance": 1.0, "order": "tips" }), 12);
    assert_eq!(tips.len(), all.len());
    assert_ne!(tips, all);
    // At once: a rule that lets all go in its first frame.
    assert_eq!(gone(json!({ "chance": 1000.0 }), 1).len(), 200);
    let few = walk(&bed(|s| s["bodies"]["down"]["kind"]["drift"]["count"] = json!(7)), 28);
    assert!(few.there(1).unwrap().len() <= 7);
}

#[test]
fn what_it_goes_by_counts_from_where_it_does() {
    let prints = |more: &dyn Fn(&mut Value)| {
        let r = run(&bed(|s| more(s)));
        r.members.iter().map(|m| m.fingerprints.clone()).collect::<Vec<_>>()
    };
    let before = prints(&|_| {});
    let later = prints(&|s| s["bodies"]["down"]["kind"]["drift"]["shed"]["rules"][0]["until"] = json!(20));
    for (a, b) in before.iter().zip(&later) {
        let same = a.iter().zip(b).take_while(|(a, b)| a == b).count();
        assert_eq!(same, 20, "frames 1 to 20 stay true");
    }
    for (path, value) in [
        ("/bodies/bed/kind/plants/species/leaves/swing", json!(6.0)),
        ("/bodies/bed/kind/plants/species/inner", json!(0.02)),
        ("/bodies/bed/kind/plants/stands", json!(false)),
        ("/bodies/down/kind/drift/flies", json!({ "wing": { "thickness": 0.002 } })),
        ("/bodies/down/kind/drift/shed/what", json!("heads")),
    ] {
        let after = prints(&|s| match s.pointer_mut(path) {
            Some(at) => *at = value.clone(),
            None => {
                let (up, key) = path.rsplit_once('/').unwrap();
                s.pointer_mut(up).unwrap()[key] = value.clone();
            }
        });
        assert!(before.iter().zip(&after).all(|(a, b)| a.last() != b.last()), "{path} counts");
    }
}

#[test]
fn what_can_not_be_is_told_in_words() {
    let faults = |more: &dyn Fn(&mut Value)| -> String {
        let faults = validate(&bed(|s| more(s))).unwrap_err();
        faults.iter().map(|f| f.message.clone()).collect::<Vec<_>>().join("; ")
    };
    let told = faults(&|s| s["bodies"]["bed"]["kind"]["plants"]["count"] = json!(20_000));
    assert!(told.contains("with 101 points each 2020000; the most is"), "{told}");
    let told = faults(&|s| s["bodies"]["bed"]["kind"]["plants"]["species"]["leaves"]["on"] = json!(2));
    assert!(told.contains("branches of 1 levels"), "{told}");
    let told = faults(&|s| s["bodies"]["down"]["kind"]["drift"]["shed"]["plants"] = json!("nobody"));
    assert!(told.contains("which there is not"), "{told}");
    let told = faults(&|s| s["bodies"]["down"]["kind"]["drift"]["shed"]["plants"] = json!("down"));
    assert!(told.contains("which are no plants"), "{told}");
    let told = faults(&|s| s["bodies"]["bed"]["kind"]["plants"]["species"]["leaves"] = Value::Null);
    assert!(told.contains("have no leaves"), "{told}");
    let told = faults(&|s| s["bodies"]["down"]["kind"]["drift"]["source"] = json!({ "rate": 10.0 }));
    assert!(told.contains("beside a source"), "{told}");
    let told = faults(&|s| {
        let rule = &mut s["bodies"]["down"]["kind"]["drift"]["shed"]["rules"][0];
        (rule["from"], rule["until"]) = (json!(9), json!(3));
    });
    assert!(told.contains("before it begins at 9"), "{told}");
    let told = faults(&|s| s["bodies"]["bed"]["follow"] = json!(10.0));
    assert!(told.contains("plants come back to their shape"), "{told}");
}

#[test]
fn leaves_that_fall_into_a_box_settle_flat_and_none_goes_through() {
    let scene = json!({
        "nematon": 2, "name": "Box", "frames": { "first": 0, "last": 96, "rate": 24.0, "substeps": 10 },
        "bodies": { "leaves": { "name": "Leaves", "kind": { "drift": { "size": [0.5, 0.6, 0.5], "count": 300, "radius": 0.02, "variation": 0.2,
            "weight": 0.00025, "drag": 1.28, "friction": 0.5, "flies": { "plate": { "thickness": 0.004 } } } },
            "touch": { "itself": true, "others": true }, "place": { "position": [0, 0.5, 0], "turn": [0, 0, 0] } } },
        "fields": { "pull": { "name": "Gravity", "act": { "gravity": { "strength": 9.81 } } } },
        "colliders": { "crate": { "name": "Crate", "form": { "box": { "size": [0.6, 1.2, 0.6] } }, "hollow": true,
            "place": { "position": [0, 0.6, 0], "turn": [0, 0, 0] } } },
    });
    let before = walk(&scene, 95).places(0);
    let r = walk(&scene, 96);
    let (at, turns) = (r.places(0), r.turns(0).unwrap());
    for p in &at {
        assert!(p[0].abs() < 0.3 && p[2].abs() < 0.3 && p[1] > 0.0015 && p[1] < 0.05, "{p:?}");
    }
    let fast = far(&before, &at, [0.0; 3]) * 24.0;
    assert!(fast < 0.05, "one still goes by {fast} m/s");
    // Up along its own y: what lies is flat.
    let flat = turns.iter().filter(|[x, _, z, _]| (1.0 - 2.0 * (x * x + z * z)).abs() > 0.9).count();
    assert!(flat > 240, "{flat} lie flat");
}
