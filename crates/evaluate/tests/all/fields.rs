//! Fields as scenes say them: where they act, on whom, and what a point feels of each.
use nematon_document::{BodyId, FieldId, Scene, parse};
use nematon_evaluate::{Asked, NoMeshes, Of, Run, Stage, air_at, outlines, why};
use nematon_solver::NoWatch;
use serde_json::{Value, json};

fn scene(fields: Value, more: Value) -> Scene {
    let mut d = json!({
        "nematon": 2, "name": "Yard",
        "frames": { "first": 0, "last": 30, "rate": 24, "substeps": 10 },
        "bodies": { "flag": {
            "name": "Flag", "kind": { "cloth": { "shape": { "sheet": { "width": 0.6, "depth": 0.4, "columns": 13, "rows": 9 } } } },
            "place": { "position": [0, 1.5, 0], "turn": [1.57, 0, 0] },
            "grips": { "staff": { "name": "Staff", "points": [{ "border": { "border": "left", "by": "all" } }] } },
            "touch": { "itself": false, "others": false, "group": "flags" }
        }},
        "fields": fields
    });
    for (k, v) in more.as_object().unwrap() {
        match (d.get_mut(k), v) {
            (Some(Value::Object(at)), Value::Object(v)) => at.extend(v.clone()),
            _ => d[k] = v.clone(),
        }
    }
    parse(&d.to_string()).unwrap()
}

fn stage(s: &Scene) -> Stage {
    Stage::new(s, &NoMeshes)
}

/// Where all points of the flag are, frame by frame.
fn moves(s: &Scene, frames: usize) -> Vec<Vec<[f32; 3]>> {
    let island = s.islands().into_iter().find(|i| i.contains(&BodyId::from("flag"))).unwrap();
    let k = island.iter().position(|b| b.0 == "flag").unwrap();
    let mut run = Run::start(s, &island, &NoMeshes).unwrap();
    let mut out = vec![run.positions(k)];
    for _ in 0..frames {
        run.advance(&NoWatch).unwrap();
        out.push(run.positions(k));
    }
    out
}

fn apart(a: &[[f32; 3]], b: &[[f32; 3]]) -> f32 {
    a.iter().zip(b).flat_map(|(a, b)| (0..3).map(move |c| (a[c] - b[c]).abs())).fold(0.0, f32::max)
}

fn wind(speed: f64) -> Value {
    json!({ "name": "Wind", "act": { "wind": { "speed": speed, "heading": 0.3, "gust": 0.2 } } })
}
fn gravity() -> Value {
    json!({ "name": "Gravity", "act": { "gravity": { "strength": 9.81 } } })
}

#[test]
fn gravity_in_a_zone_pulls_there_alone_and_turned_by_its_place_it_pulls_aside() {
    let at = |fields: Value| *moves(&scene(fields, json!({})), 12).last().unwrap().last().unwrap();
    let whole = at(json!({ "g": gravity() }));
    let zone = |x: f64| json!({ "place": { "position": [x, 1.5, 0] }, "form": { "ball": { "radius": 1 } }, "edge": 0.1 });
    let mut here = gravity();
    here["zone"] = zone(0.0);
    let mut there = gravity();
    there["zone"] = zone(9.0);
    assert!(apart(&[at(json!({ "g": here }))], &[whole]) < 1e-4, "within its zone it is what it was");
    let still = at(json!({ "g": there }));
    assert!((still[1] - whole[1]).abs() > 0.02, "beyond it there is none: {still:?} and {whole:?}");
    let mut aside = gravity();
    aside["place"] = json!({ "turn": [0, 0, 1.57] });
    assert!(at(json!({ "g": aside }))[0] > still[0] - 1e-3);
}

#[test]
fn what_lies_outside_a_zone_s_edge_is_the_same_to_the_bit() {
    let plain = moves(&scene(json!({ "g": gravity() }), json!({})), 12);
    for (kind, act) in [
        ("wind", json!({ "wind": { "speed": 9, "heading": 0 } })),
        ("turbulence", json!({ "turbulence": { "strength": 4, "size": 0.4 } })),
        ("pull", json!({ "pull": { "strength": 30, "reach": 900 } })),
        ("stream", json!({ "stream": { "speed": 5, "radius": 90, "points": [[-1, 1, 0], [1, 1, 0]] } })),
    ] {
        let far = json!({ "name": "Far", "act": act, "zone": { "place": { "position": [30, 0, 0] }, "form": { "box": { "size": [20, 20, 20] } }, "edge": 5 } });
        let with = moves(&scene(json!({ "g": gravity(), "far": far }), json!({})), 12);
        assert_eq!(apart(with.last().unwrap(), plain.last().unwrap()), 0.0, "{kind}");
    }
}

#[test]
fn zones_join_where_both_are_or_where_either_is() {
    let ball = |x: f64| json!({ "place": { "position": [x, 0, 0] }, "form": { "ball": { "radius": 1 } }, "edge": 0 });
    let at = |joins: &str, x: f32| {
        let mut f = wind(4.0);
        f["act"]["wind"]["gust"] = json!(0);
        f["zone"] = ball(0.0);
        f["zones"] = json!([{ "zone": ball(1.2), "joins": joins }]);
        let s = scene(json!({ "w": f }), json!({}));
        air_at(&stage(&s), None, 3, &[[x, 0.0, 0.0]])[0].iter().map(|c| c * c).sum::<f32>().sqrt()
    };
    for (x, both, either) in [(-0.5, 0.0, 4.0), (0.6, 4.0, 4.0), (1.9, 0.0, 4.0), (3.0, 0.0, 0.0)] {
        assert!((at("both", x) - both).abs() < 1e-3 && (at("either", x) - either).abs() < 1e-3, "at {x}");
    }
}

#[test]
fn turned_by_its_place_a_field_s_effect_turns_exactly() {
    let act = json!({ "turbulence": { "strength": 2, "size": 0.5, "octaves": 2, "seed": 3 } });
    let quarter = json!({ "turn": [0, std::f64::consts::FRAC_PI_2, 0] });
    let plain = scene(json!({ "t": { "name": "T", "act": act } }), json!({}));
    let turned = scene(json!({ "t": { "name": "T", "act": act, "place": quarter } }), json!({}));
    for k in 0..40 {
        let p = [0.1 * k as f32, 0.05 * k as f32 - 1.0, 0.3 - 0.07 * k as f32];
        // A quarter about y: x goes to -z.
        let a = air_at(&stage(&plain), None, 5, &[p])[0];
        let b = air_at(&stage(&turned), None, 5, &[[p[2], p[1], -p[0]]])[0];
        assert!(apart(&[[a[2], a[1], -a[0]]], &[b]) < 2e-5, "{a:?} turned is not {b:?}");
    }
}

#[test]
fn it_acts_on_those_it_is_on_and_on_no_other() {
    let other = json!({ "name": "Other", "kind": { "cloth": { "shape": { "sheet": { "width": 0.4, "depth": 0.4, "columns": 5, "rows": 5 } } } }, "place": { "position": [4, 1, 0] }, "touch": { "itself": false, "others": false, "group": "rags" } });
    let still = moves(&scene(json!({}), json!({ "bodies": { "other": other } })), 6);
    for (how, acts) in [
        (json!({ "only": ["flag"] }), true),
        (json!({ "only": ["other"] }), false),
        (json!({ "except": ["flag"] }), false),
        (json!({ "except": ["other"] }), true),
        (json!({ "groups": ["flags"] }), true),
        (json!({ "groups": ["rags"] }), false),
        (json!({ "groups": ["rags"], "only": ["flag"] }), true),
    ] {
        let mut f = wind(6.0);
        f.as_object_mut().unwrap().extend(how.as_object().unwrap().clone());
        let s = scene(json!({ "w": f }), json!({ "bodies": { "other": other } }));
        let moved = apart(moves(&s, 6).last().unwrap(), still.last().unwrap()) > 1e-3;
        assert_eq!(moved, acts, "{how}");
    }
}

#[test]
fn calm_takes_air_away_and_one_alone_leaves_the_others_out() {
    let fields = || json!({ "g": gravity(), "w": wind(6.0), "t": { "name": "T", "act": { "turbulence": { "strength": 2, "size": 0.6 } } } });
    let none = moves(&scene(json!({ "g": gravity() }), json!({})), 10);
    let calm = moves(&scene(fields(), json!({ "calm": 1 })), 10);
    assert_eq!(apart(none.last().unwrap(), calm.last().unwrap()), 0.0, "quite calm there is only weight");
    let half = air_at(&stage(&scene(fields(), json!({ "calm": 0.5 }))), None, 4, &[[0.0; 3]])[0];
    let all = air_at(&stage(&scene(fields(), json!({}))), None, 4, &[[0.0; 3]])[0];
    assert!(apart(&[half], &[all.map(|c| 0.5 * c)]) < 1e-5);
    let wind_alone = moves(&scene(json!({ "g": gravity(), "w": wind(6.0) }), json!({})), 10);
    let alone = moves(&scene(fields(), json!({ "alone": "w" })), 10);
    assert_eq!(apart(wind_alone.last().unwrap(), alone.last().unwrap()), 0.0, "weight stays");
}

#[test]
fn what_moves_air_has_a_limit_and_what_pushes_has_none() {
    let loose = |density: f64| json!({ "bodies": { "flag": { "name": "Flag", "kind": { "cloth": { "shape": { "sheet": { "width": 0.3, "depth": 0.3, "columns": 5, "rows": 5 } } } }, "air_density": density, "place": { "position": [0, 1.5, 0], "turn": [0, 0, 1.57] } } } });
    let speed = |by: &str, density: f64| {
        let f = json!({ "w": { "name": "W", "by": by, "act": { "wind": { "speed": 3, "heading": 0, "gust": 0 } } } });
        let at = moves(&scene(f, loose(density)), 30);
        (at[30][12][0] - at[29][12][0]) * 24.0
    };
    let (air, push) = (speed("air", 1.2), speed("push", 0.0));
    assert!(air > 1.0 && air < 3.0, "{air} m/s in air of 3");
    // An acceleration of 3 m/s² over 29.5 frames.
    assert!((push / 3.6875 - 1.0).abs() < 0.01, "{push}");
}

#[test]
fn a_body_weighs_what_it_is_told_to_and_still_air_slows_it_as_it_says() {
    let falls = |more: Value| {
        let mut flag = json!({ "name": "Flag", "kind": { "cloth": { "shape": { "sheet": { "width": 0.3, "depth": 0.3, "columns": 5, "rows": 5 } }, "matter": { "drag": 0, "lift": 0 } } }, "place": { "position": [0, 1.5, 0] } });
        flag.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        let at = moves(&scene(json!({ "g": gravity() }), json!({ "bodies": { "flag": flag } })), 24);
        at.iter().map(|p| f64::from(p[12][1])).collect::<Vec<_>>()
    };
    let fallen = |y: &[f64]| y[0] - y[24];
    let (whole, half) = (fallen(&falls(json!({}))), fallen(&falls(json!({ "gravity": 0.5 }))));
    assert!((whole / 4.905 - 1.0).abs() < 0.01 && (half / whole - 0.5).abs() < 1e-3, "{whole} and {half}");
    // v = g/c (1 - e^(-ct)).
    let slowed = falls(json!({ "still_air": 2.0 }));
    let v = (slowed[23] - slowed[24]) * 24.0;
    let expected = 9.81 / 2.0 * (1.0 - (-2.0f64 * (23.5 / 24.0)).exp());
    assert!((v / expected - 1.0).abs() < 0.02, "{v} m/s where {expected} is expected");
    // By a map: one half heavy, the other without weight.
    let tilted = {
        let flag = json!({ "name": "Flag", "kind": { "cloth": { "shape": { "sheet": { "width": 0.3, "depth": 0.3, "columns": 5, "rows": 5 } } } }, "place": { "position": [0, 1.5, 0] },
            "maps": { "side": { "name": "Side", "layers": [{ "weights": { "ramp": { "along": "x", "from": -0.01, "to": 0.01 } } }] } },
            "scaled": { "gravity": { "map": "side", "least": 0, "most": 1 } } });
        moves(&scene(json!({ "g": gravity() }), json!({ "bodies": { "flag": flag } })), 8).pop().unwrap()
    };
    assert!(tilted[10][1] - tilted[14][1] > 0.05, "{:?} and {:?}", tilted[10], tilted[14]);
}

#[test]
fn in_thicker_air_drag_is_so_much_more() {
    let falls = |density: f64, drag: f64| {
        let flag = json!({ "name": "Flag", "kind": { "cloth": { "shape": { "sheet": { "width": 0.3, "depth": 0.3, "columns": 7, "rows": 7 } }, "matter": { "drag": drag, "lift": 0 } } }, "place": { "position": [0, 1.5, 0] }, "air_density": density });
        moves(&scene(json!({ "g": gravity() }), json!({ "bodies": { "flag": flag } })), 12).pop().unwrap()
    };
    assert_eq!(apart(&falls(2.4, 0.5), &falls(1.2, 1.0)), 0.0);
    assert!(falls(0.0, 1.28)[24][1] < falls(1.2, 1.28)[24][1] - 0.05);
}

#[test]
fn loose_pieces_are_scaled_by_maps_too() {
    let s = |scaled: Value| {
        let pods = json!({ "name": "Pods", "kind": { "drift": { "size": [0.4, 0.1, 0.1], "count": 60, "radius": 0.008, "weight": 0.0005, "drag": 0.47 } }, "place": { "position": [0, 1.5, 0] },
            "maps": { "side": { "name": "Side", "layers": [{ "weights": { "ramp": { "along": "x", "from": -0.2, "to": 0.2 } } }] } }, "scaled": scaled });
        let s = scene(json!({ "g": gravity() }), json!({ "bodies": { "pods": pods } }));
        let mut run = Run::start(&s, &[BodyId::from("pods")], &NoMeshes).unwrap();
        let first = run.positions(0);
        (0..14).for_each(|_| run.advance(&NoWatch).unwrap());
        let mut fallen: Vec<(f32, f32)> =
            first.iter().zip(run.positions(0)).map(|(a, b)| (a[0], a[1] - b[1])).collect();
        fallen.sort_by(|a, b| a.0.total_cmp(&b.0));
        let mean = |of: &[(f32, f32)]| of.iter().map(|f| f.1).sum::<f32>() / of.len() as f32;
        (mean(&fallen[..12]), mean(&fallen[48..]))
    };
    let (left, right) = s(json!({}));
    assert!((left - right).abs() < 0.01);
    let (left, right) = s(json!({ "drag": { "map": "side", "least": 0, "most": 40 } }));
    assert!(left > right + 0.1, "less drag on the left: {left} and {right}");
    let (left, right) = s(json!({ "areal_weight": { "map": "side", "least": 0.05, "most": 1 } }));
    assert!(right > left + 0.1, "lighter on the left: {left} and {right}");
}

#[test]
fn colliders_give_shelter_and_push_with_their_skin() {
    let wall = json!({ "name": "Wall", "form": { "box": { "size": [0.1, 2, 2] } }, "place": { "position": [0, 1, 0] } });
    let mut blows = wind(5.0);
    blows["act"]["wind"]["heading"] = json!(0);
    blows["act"]["wind"]["gust"] = json!(0);
    let lee = json!({ "name": "Lee", "act": { "shelter": { "taken": 0.8 } } });
    let s = scene(json!({ "w": blows, "l": lee }), json!({ "colliders": { "wall": wall } }));
    let at = |p: [f32; 3]| air_at(&stage(&s), None, 3, &[p])[0];
    assert!(at([0.6, 1.0, 0.0])[0] < 2.0 && at([-1.0, 1.0, 0.0])[0] == 5.0 && at([0.6, 1.0, 5.0])[0] > 4.9);
    let ball = json!({ "name": "Ball", "form": { "ball": { "radius": 0.3 } }, "place": { "position": [{ "keys": [{ "frame": 0, "value": 0 }, { "frame": 10, "value": 2 }] }, 1, 0] } });
    let breath = json!({ "name": "Breath", "act": { "skin": { "of": { "collider": "ball" }, "strength": 5, "reach": 0.5, "profile": "straight" } } });
    let s = scene(json!({ "b": breath }), json!({ "colliders": { "ball": ball } }));
    let id = FieldId::from("b");
    let pushed = |frame: usize, p: [f32; 3]| air_at(&stage(&s), Some(&id), frame, &[p])[0];
    // Half way out of its reach, beside where the ball stands in the middle of the interval.
    let v = pushed(5, [0.9, 1.55, 0.0]);
    assert!((v[1] - 2.5).abs() < 0.1 && v[0].abs() < 0.2, "out along the normal: {v:?}");
    assert_eq!(pushed(10, [0.0, 1.55, 0.0]), [0.0; 3], "the ball has gone on");
}

#[test]
fn what_pushes_by_area_moves_light_cloth_more_and_by_newtons_law() {
    let falls = |weight: f64, by: &str| {
        let flag = json!({ "name": "Flag", "kind": { "cloth": { "shape": { "sheet": { "width": 0.3, "depth": 0.3, "columns": 7, "rows": 7 } }, "matter": { "drag": 0, "lift": 0, "areal_weight": weight } } }, "place": { "position": [0, 1.5, 0] } });
        let blow =
            json!({ "name": "Blow", "by": by, "act": { "wind": { "speed": 0.6, "heading": 0, "gust": 0 } } });
        let at = moves(&scene(json!({ "w": blow }), json!({ "bodies": { "flag": flag } })), 12);
        at[12][24][0] - at[0][24][0]
    };
    // 0.6 Pa on 0.15 kg/m² is 4 m/s²: half of it times a quarter of a second.
    assert!((falls(0.15, "force") / 0.5 - 1.0).abs() < 0.015, "{}", falls(0.15, "force"));
    assert!((falls(0.3, "force") / 0.25 - 1.0).abs() < 0.015);
    assert!((falls(0.15, "push") / falls(0.3, "push") - 1.0).abs() < 1e-4);
}

#[test]
fn a_body_shelters_others_and_not_itself() {
    let sheet = |x: f64| json!({ "name": format!("At {x}"), "kind": { "cloth": { "shape": { "sheet": { "width": 1, "depth": 1, "columns": 5, "rows": 5 } } } }, "place": { "position": [x, 1, 0], "turn": [0, 0, 1.6] } });
    let mut blows = wind(5.0);
    blows["act"]["wind"]["heading"] = json!(0);
    blows["act"]["wind"]["gust"] = json!(0);
    let with = |bodies: bool| {
        let lee = json!({ "name": "Lee", "act": { "shelter": { "taken": 0.8, "bodies": bodies } } });
        scene(
            json!({ "w": blows, "l": lee }),
            json!({ "bodies": { "first": sheet(0.0), "second": sheet(1.5) } }),
        )
    };
    let (bare, both) = (with(false), with(true));
    assert_eq!(air_at(&stage(&bare), None, 3, &[[1.5, 1.0, 0.0]])[0][0], 5.0);
    assert!(air_at(&stage(&both), None, 3, &[[0.7, 1.0, 0.0]])[0][0] < 2.5);
    let gone = |s: &Scene, body: &str| {
        let mut run = Run::start(s, &[BodyId::from(body)], &NoMeshes).unwrap();
        let first = run.positions(0)[12];
        (0..5).for_each(|_| run.advance(&NoWatch).unwrap());
        run.positions(0)[12][0] - first[0]
    };
    let [with, without] = [&both, &bare].map(|s| gone(s, "first"));
    assert!((with - without).abs() < 5e-3, "the first has its whole wind: {with}, {without}");
    assert!(gone(&both, "second") < 0.75 * gone(&bare, "second"), "the second lies in the lee of the first");
}

#[test]
fn a_field_of_what_has_gone_is_told_of_in_words() {
    let s = scene(
        json!({ "b": { "name": "Breath", "act": { "skin": { "of": { "collider": "hill" }, "strength": 5, "reach": 0.5 } } } }),
        json!({ "colliders": { "hill": { "name": "Hill", "form": { "mesh": { "from": { "file": "hill.obj" } } } } } }),
    );
    let told = Run::start(&s, &[BodyId::from("flag")], &NoMeshes).err().unwrap().to_string();
    assert!(told.contains("Breath") && told.contains("Hill") && told.contains("no mesh"), "{told}");
}

fn wide(frames: &[Vec<[f32; 3]>]) -> Vec<Vec<[f64; 3]>> {
    frames.iter().map(|f| f.iter().map(|p| p.map(f64::from)).collect()).collect()
}

#[test]
fn the_shares_of_what_moves_a_point_add_up_and_are_what_they_say() {
    let fields = json!({
        "g": gravity(), "w": wind(5.0),
        "t": { "name": "Flutter", "act": { "turbulence": { "strength": 1.5, "size": 0.5 } } },
        "p": { "name": "Draw", "place": { "position": [0, 3, 0] }, "act": { "pull": { "strength": 2, "law": "even", "reach": 20, "core": 0.01 } } }
    });
    let s = scene(fields, json!({}));
    let at = moves(&s, 20);
    let id = BodyId::from("flag");
    let asked = Asked { scene: &stage(&s), body: &id, point: 62, first: 5, places: &wide(&at[4..20]) };
    let told = why(&asked, &NoMeshes).unwrap();
    assert_eq!((told.acceleration.len(), told.shares.len(), told.held), (14, 6, false));
    for k in 0..14 {
        for c in 0..3 {
            let sum: f32 = told.shares.iter().map(|s| s.by[k][c]).sum();
            assert!((sum - told.acceleration[k][c]).abs() < 1e-2, "{sum} of {:?}", told.acceleration[k]);
        }
    }
    let of = |name: &str| told.shares.iter().find(|s| s.name == name).unwrap();
    assert_eq!(of("Gravity").of, Of::Gravity);
    assert!((of("Gravity").by[3][1] + 9.81).abs() < 1e-4);
    let up = of("Draw").by[3];
    assert!((up.iter().map(|c| c * c).sum::<f32>().sqrt() - 2.0).abs() < 1e-3 && up[1] > 1.0, "{up:?}");
    assert!(of("Wind").by.iter().any(|v| v[0].abs() > 0.5), "the wind blows along x: {:?}", of("Wind").by[5]);
    // A plate that falls flat through still air: it is only that air which slows it, by ½ ρ C v² / σ.
    let plate = json!({ "name": "Flag", "kind": { "cloth": { "shape": { "sheet": { "width": 0.4, "depth": 0.4, "columns": 9, "rows": 9 } }, "matter": { "drag": 1.28, "lift": 0, "areal_weight": 0.15 } } }, "place": { "position": [0, 1.5, 0] } });
    let s = scene(json!({ "g": gravity() }), json!({ "bodies": { "flag": plate } }));
    let at = moves(&s, 10);
    let told = why(
        &Asked { scene: &stage(&s), body: &id, point: 40, first: 3, places: &wide(&at[2..8]) },
        &NoMeshes,
    )
    .unwrap();
    let still = told.shares.iter().find(|s| s.of == Of::Still).unwrap();
    for (v, by) in told.velocity.iter().zip(&still.by) {
        let expected = 0.5 * 1.2 * 1.28 * v[1] * v[1] / 0.15;
        assert!((by[1] / expected - 1.0).abs() < 0.02, "{by:?} where {expected} is expected");
    }
}

#[test]
fn outlines_are_where_fields_and_zones_are() {
    let column = json!({ "name": "Column", "place": { "position": [2, 1, 0] }, "act": { "column": { "lift": 2, "radius": 0.5, "height": 2 } },
        "zone": { "place": { "position": [0, 5, 0] }, "form": { "ball": { "radius": 1 } }, "edge": 0.5 } });
    let s = scene(json!({ "c": column, "w": wind(2.0) }), json!({}));
    let all = outlines(&stage(&s), 0.0);
    let of = |path: &str| all.iter().find(|o| o.path == path).unwrap();
    let far = |lines: &[[[f32; 3]; 2]], from: [f32; 3]| {
        let d = |p: &[f32; 3]| (0..3).map(|c| (p[c] - from[c]).powi(2)).sum::<f32>().sqrt();
        lines.iter().flatten().map(d).fold(0.0, f32::max)
    };
    assert!((far(&of("/fields/c/zone").core, [0.0, 5.0, 0.0]) - 1.0).abs() < 1e-4);
    assert!((far(&of("/fields/c/zone").soft, [0.0, 5.0, 0.0]) - 1.5).abs() < 1e-4);
    assert!((far(&of("/fields/c").core, [2.0, 1.0, 0.0]) - 1.25f32.sqrt()).abs() < 1e-3);
    assert_eq!(of("/fields/c").pose.position, [2.0, 1.0, 0.0]);
    assert!(of("/fields/w").core.is_empty());
    // A number that is taken by its bead goes where the bead goes.
    for (path, number, at) in [
        ("/fields/c/zone", "form/ball/radius", [1.0, 5.0, 0.0]),
        ("/fields/c/zone", "edge", [-1.5, 5.0, 0.0]),
        ("/fields/c", "act/column/height", [2.0, 2.0, 0.0]),
        ("/fields/c", "act/column/radius", [2.5, 1.0, 0.0]),
    ] {
        let bead = of(path).beads.iter().find(|b| b.number == number).unwrap();
        assert!(apart(&[bead.at], &[at]) < 1e-5, "{number} at {:?}", bead.at);
    }
}

#[test]
fn two_hundred_fields_at_once_are_summed() {
    let fields: serde_json::Map<String, Value> = (0..200).map(|k| (format!("w{k}"), wind(0.02))).collect();
    let v = air_at(&stage(&scene(Value::Object(fields), json!({}))), None, 2, &[[0.3, 1.0, 0.0]])[0];
    let speed = v.iter().map(|c| c * c).sum::<f32>().sqrt();
    assert!(speed > 2.0 && speed < 6.0, "{speed}");
}

#[test]
fn frame_rate_and_sub_steps_leave_the_motion_s_mean_and_spread_as_they_are() {
    let tip = |rate: u32, substeps: u32| {
        let mut s = scene(
            json!({ "g": gravity(), "w": { "name": "W", "act": { "wind": { "speed": 5, "heading": 0, "gust": 0.3, "gust_period": 1.5 } } },
                "t": { "name": "T", "act": { "turbulence": { "strength": 1.2, "size": 0.8, "pace": 1, "drift": [3, 0, 0] } } } }),
            json!({ "bodies": { "flag": {
                "name": "Flag", "kind": { "cloth": { "shape": { "sheet": { "width": 0.6, "depth": 0.4, "columns": 7, "rows": 5 } } } },
                "place": { "position": [0, 1.5, 0], "turn": [1.57, 0, 0] },
                "grips": { "staff": { "name": "Staff", "points": [{ "border": { "border": "left", "by": "all" } }] } } } } }),
        );
        s.frames.rate = f64::from(rate);
        s.frames.substeps = Some(substeps);
        s.frames.last = 62 * i64::from(rate);
        let mut run = Run::start(&s, &[BodyId::from("flag")], &NoMeshes).unwrap();
        let (mut sum, mut square, mut n) = ([0.0f64; 3], [0.0f64; 3], 0.0f64);
        for k in 0..62 * rate {
            run.advance(&NoWatch).unwrap();
            // Two seconds to come away from rest.
            if k < 2 * rate {
                continue;
            }
            let p = run.positions(0)[4 * 7 + 6];
            n += 1.0;
            for c in 0..3 {
                sum[c] += f64::from(p[c]);
                square[c] += f64::from(p[c]).powi(2);
            }
        }
        let mean = sum.map(|s| s / n);
        (mean, [0, 1, 2].map(|c| (square[c] / n - mean[c] * mean[c]).sqrt()))
    };
    let (mean, spread) = tip(24, 30);
    println!("24 frames a second, 30 sub-steps: {mean:.3?}, {spread:.3?}");
    for (rate, substeps) in [(24, 10), (60, 10), (60, 30)] {
        let (m, s) = tip(rate, substeps);
        println!("{rate}, {substeps}: {m:.3?}, {s:.3?}");
        for c in 0..3 {
            assert!((m[c] - mean[c]).abs() < 0.01, "{rate}, {substeps}: mean {m:?}, {mean:?} at 24, 30");
            assert!(
                (s[c] - spread[c]).abs() < 0.005 + 0.1 * spread[c],
                "{rate}, {substeps}: spread {s:?}, {spread:?} at 24, 30"
            );
        }
    }
}

#[test]
fn a_skin_is_as_strong_as_its_map_says_and_draws_where_gain_and_bias_turn_it() {
    let ball =
        json!({ "name": "Ball", "form": { "ball": { "radius": 0.5 } }, "place": { "position": [3, 1, 0] } });
    let with = |map: Value, gain: f64, bias: f64| {
        let breath = json!({ "name": "Breath", "map": map, "act": { "skin": { "of": { "collider": "ball" }, "strength": 5, "reach": 0.5, "profile": "straight", "gain": gain, "bias": bias } } });
        scene(json!({ "b": breath }), json!({ "colliders": { "ball": ball } }))
    };
    let id = FieldId::from("b");
    // A quarter of the reach out, at the top, the bottom and amid its height.
    let out = |s: &Scene, frame: usize| {
        [[3.0, 1.625, 0.0], [3.0, 0.375, 0.0], [3.625, 1.0, 0.0]]
            .map(|p| air_at(&stage(s), Some(&id), frame, &[p])[0])
    };
    let ramp = |strength: Value| json!({ "name": "High", "layers": [{ "strength": strength, "weights": { "ramp": { "along": "y", "from": -0.5, "to": 0.5 } } }] });
    let near = |a: f32, b: f32| assert!((a - b).abs() < 0.12, "{a}, {b}");
    let [top, low, side] = out(&with(ramp(json!(1)), 1.0, 0.0), 5);
    near(top[1], 3.75);
    near(low[1], 0.0);
    near(side[0], 1.875);
    let [top, low, side] = out(&with(ramp(json!(1)), 2.0, -1.0), 5);
    near(top[1], 3.75);
    near(low[1], 3.75);
    near(side[0], 0.0);
    // It changes with time as the layers do: their strength, and where a zone is.
    let grows = ramp(json!({ "keys": [{ "frame": 0, "value": 0 }, { "frame": 20, "value": 1 }] }));
    let s = with(grows, 1.0, 0.0);
    near(out(&s, 1)[0][1], 3.75 * 0.5 / 20.0);
    near(out(&s, 20)[0][1], 3.75 * 19.5 / 20.0);
    let zone = json!({ "name": "Spot", "layers": [{ "weights": { "zone": {
        "place": { "position": [0, { "keys": [{ "frame": 0, "value": 0.5 }, { "frame": 10, "value": -0.5 }] }, 0], "on": { "collider": "ball" } },
        "form": { "ball": { "radius": 0.2 } }, "edge": 0.1 } } }] });
    let s = with(zone, 1.0, 0.0);
    near(out(&s, 1)[0][1], 3.75);
    near(out(&s, 1)[1][1], 0.0);
    near(out(&s, 10)[0][1], 0.0);
    near(out(&s, 10)[1][1], -3.75);
}

#[test]
fn what_holds_and_what_it_touches_are_told_apart_from_the_body() {
    // A sheet that lies on a floor: what it touches bears its weight.
    let sheet = json!({ "name": "Flag", "kind": { "cloth": { "shape": { "sheet": { "width": 0.4, "depth": 0.4, "columns": 9, "rows": 9 } }, "matter": { "areal_weight": 0.15 } } }, "place": { "position": [0, 0.02, 0] } });
    let floor = json!({ "floor": { "name": "Floor", "form": { "plane": {} } } });
    let s =
        scene(json!({ "g": gravity() }), json!({ "bodies": { "flag": sheet.clone() }, "colliders": floor }));
    let split = |s: &Scene, point: u32| {
        let mut run = Run::start(s, &[BodyId::from("flag")], &NoMeshes).unwrap();
        while run.at() < 29 {
            run.advance(&nematon_solver::NoWatch).unwrap();
        }
        run.split(0, point, &nematon_solver::NoWatch).unwrap()
    };
    let lies = split(&s, 40);
    assert!((lies.contact[1] - 9.81).abs() < 0.4 && lies.hold == [0.0; 3], "{lies:?}");
    // One that follows its place hangs a little below it, and what it follows bears it.
    let mut hangs = sheet;
    hangs["follow"] = json!(400);
    hangs["place"]["position"][1] = json!(2);
    let s = scene(json!({ "g": gravity() }), json!({ "bodies": { "flag": hangs } }));
    let follows = split(&s, 40);
    assert!((follows.hold[1] - 9.81).abs() < 0.1 && follows.contact[1].abs() < 1e-3, "{follows:?}");
}
