//! Inflatables from scenes: what is said of them, and what becomes of it.
use nematon_document::{BodyId, Scene, parse};
use nematon_evaluate::{NoMeshes, Run, Stage, filled, fingerprints, freeze, shape};
use nematon_solver::NoWatch;
use serde_json::{Value, json};

fn scene(cloth: Value, more: Value) -> Result<Scene, Vec<nematon_document::Fault>> {
    let mut s = json!({
        "nematon": nematon_document::VERSION, "name": "Bladders",
        "frames": { "first": 0, "last": 30, "rate": 24, "substeps": 10 },
        "bodies": { "b": { "name": "Bladder", "kind": { "cloth": cloth }, "place": { "position": [0, 1, 0] } } }
    });
    for (k, v) in more.as_object().unwrap() {
        s[k] = v.clone();
    }
    parse(&s.to_string())
}

fn cushion(seam: Value, fill: Value) -> Value {
    let side = |p: &str| ["back", "right", "front", "left"].map(|s| format!("{p} {s}")).to_vec();
    let mut rim = json!({ "name": "Rim", "of": [{ "borders": side("top") }, { "borders": side("bottom") }] });
    for (k, v) in seam.as_object().unwrap() {
        rim[k] = v.clone();
    }
    let mut room = json!({ "name": "Inside", "fill": { "pressure": { "keys": [{ "frame": 0, "value": 0 }, { "frame": 12, "value": 20 }] } } });
    for (k, v) in fill.as_object().unwrap() {
        room[k] = v.clone();
    }
    json!({ "shape": { "cushion": { "width": 0.3, "depth": 0.3, "columns": 11, "rows": 11, "apart": 0.002 } }, "matter": { "drag": 0, "lift": 0, "damping": 2 },
        "seams": { "rim": rim }, "chambers": { "inside": room } })
}

fn run(s: &Scene, frames: usize) -> Run {
    let mut run = Run::start(s, &[BodyId::from("b")], &NoMeshes).unwrap();
    (0..frames).for_each(|_| run.advance(&NoWatch).unwrap());
    run
}

#[test]
fn a_cushion_swells_by_its_keys_is_told_of_and_frozen_whole() {
    let s = scene(cushion(json!({}), json!({})), json!({})).unwrap();
    let r = run(&s, 24);
    let at = r.positions(0);
    let gas = r.gas(0)[0];
    assert!((gas.pressure - 20.0).abs() < 1e-9);
    // Of two squares: 0.21 of the cube of a side, with little stretch.
    assert!((gas.volume / 0.027 - 0.21).abs() < 0.03, "{}", gas.volume / 0.027);
    let stage = Stage::new(&s, &NoMeshes);
    let body = &s.bodies[&BodyId::from("b")];
    let shaped = shape(&stage, body, &NoMeshes).unwrap();
    let told = filled(&stage, body.kind.cloth().unwrap(), &shaped, &at, 24.0, |_| None);
    assert!((told.skin - 2.0 * 0.09 * 0.15).abs() < 1e-4);
    assert!(
        (told.chambers[0].volume / gas.volume - 1.0).abs() < 1e-3 && told.chambers[0].pressure == Some(20.0)
    );
    assert!(told.chambers[0].lift.abs() < 0.01 * told.chambers[0].fill * 9.81);
    let sewn = shaped.sewn().cloned().unwrap();
    for smooth in [0, 2] {
        let still = freeze(&sewn, &shaped.mesh, &at, smooth);
        let n = 121 + 81;
        let triangles = 400 << (2 * smooth);
        assert_eq!(still.triangles.len(), triangles);
        assert!(smooth > 0 || still.positions.len() == n, "{} points", still.positions.len());
        assert!(still.borders.is_empty(), "it is closed");
        assert_eq!(still.uv_triangles.len(), triangles, "textures stay");
        let v = nematon_evaluate::volume(&still.triangles, &still.positions);
        assert!((v / gas.volume - 1.0).abs() < 0.05, "{smooth}: {v}");
    }
}

#[test]
fn a_closed_gas_stays_and_a_leak_lets_it_go() {
    let of = |more: Value| {
        let s = scene(cushion(json!({}), more), json!({})).unwrap();
        let r = run(&s, 30);
        let g = r.gas(0)[0];
        let (stage, body) = (Stage::new(&s, &NoMeshes), &s.bodies[&BodyId::from("b")]);
        let shaped = shape(&stage, body, &NoMeshes).unwrap();
        let then = run(&s, 14).positions(0);
        let told = filled(&stage, body.kind.cloth().unwrap(), &shaped, &r.positions(0), 30.0, |f| {
            (f == 14).then(|| then.clone())
        });
        (g, told.chambers[0].pressure)
    };
    let (kept, told) = of(json!({ "closed": 14 }));
    assert!((kept.pressure / 20.0 - 1.0).abs() < 0.5, "{kept:?}");
    assert!((told.unwrap() - kept.pressure).abs() < 2.0, "{told:?} and {}", kept.pressure);
    let (lost, told) = of(json!({ "closed": 14, "leak": 0.1 }));
    assert!(lost.amount < 0.99 * kept.amount && told.is_none(), "{lost:?}");
    let (lost, _) = of(json!({ "closed": 14, "hole": 0.01 }));
    assert!(lost.pressure.abs() < 1.5, "{lost:?}");
}

#[test]
fn a_seam_that_closes_or_is_cut_by_key_is_sewn_by_threads() {
    let s = scene(cushion(json!({ "closes": 8 }), json!({})), json!({})).unwrap();
    let stage = Stage::new(&s, &NoMeshes);
    let shaped = shape(&stage, &s.bodies[&BodyId::from("b")], &NoMeshes).unwrap();
    let sewn = shaped.sewn().cloned().unwrap();
    assert!(sewn.welds.is_empty() && sewn.seams.len() == 1 && sewn.threads[0].len() == 40);
    let cut = json!({ "hold": { "keys": [{ "frame": 10, "value": 1, "then": "step" }, { "frame": 16, "value": 0 }] } });
    let s = scene(cushion(cut, json!({})), json!({})).unwrap();
    let gap = |frames: usize| {
        let at = run(&s, frames).positions(0);
        (0..3).map(|c| (at[5][c] - at[121 + 5][c]).powi(2)).sum::<f32>().sqrt()
    };
    assert!(gap(14) < 0.004, "{}", gap(14));
    assert!(gap(28) > 0.02, "{}", gap(28));
}

#[test]
fn all_that_is_said_counts_in_fingerprints_and_a_key_leaves_what_was_before() {
    let prints = |seam: Value, fill: Value| {
        let s = scene(cushion(seam, fill), json!({})).unwrap();
        fingerprints(&s, &[BodyId::from("b")], &NoMeshes).unwrap().remove(0)
    };
    let plain = prints(json!({}), json!({}));
    for (seam, fill) in [
        (json!({ "closes": 3 }), json!({})),
        (json!({ "crease": 0.01 }), json!({})),
        (json!({ "closes": 3, "stiffness": 5e4 }), json!({})),
        (json!({}), json!({ "density": 0.17 })),
        (json!({}), json!({ "outside": 9e4 })),
        (json!({}), json!({ "closed": 20, "leak": 2 })),
        (json!({}), json!({ "fill": { "volume": 0.003 } })),
    ] {
        assert_ne!(prints(seam.clone(), fill.clone()).last(), plain.last(), "{seam} {fill}");
    }
    let later = json!({ "fill": { "pressure": { "keys": [{ "frame": 0, "value": 0 }, { "frame": 12, "value": 20 }, { "frame": 20, "value": 20 }, { "frame": 24, "value": 5 }] } } });
    let other = prints(json!({}), later);
    let same = plain.iter().zip(&other).take_while(|(a, b)| a == b).count();
    assert_eq!(same, 21, "all up to the key before are as they were");
    assert_eq!(
        prints(json!({}), json!({ "closed": 20 })).iter().zip(&plain).take_while(|(a, b)| a == b).count(),
        21
    );
}

#[test]
fn what_can_not_be_is_told_in_words() {
    let told = |cloth: Value| {
        let s = scene(cloth, json!({})).unwrap();
        Run::start(&s, &[BodyId::from("b")], &NoMeshes).err().map(|e| e.to_string()).unwrap_or_default()
    };
    let with = |at: &str, v: Value| {
        let mut c = cushion(json!({}), json!({}));
        *c.pointer_mut(at).unwrap() = v;
        c
    };
    let why = told(with("/seams/rim/of/0/borders/0", json!("top rim")));
    assert!(why.contains("Rim") && why.contains("top rim") && why.contains("top back"), "{why}");
    let why = told(with("/shape/cushion/apart", json!(0.9)));
    assert!(why.contains("0.900 m apart") && why.contains("close over"), "{why}");
    let mut c = cushion(json!({}), json!({}));
    c["chambers"]["inside"]["panels"] = json!(["middle"]);
    assert!(told(c).contains("it has top, bottom"));
    let twice = |of: Value| {
        let mut c = cushion(json!({}), json!({}));
        c["seams"]["more"] = json!({ "name": "More", "of": of });
        scene(c, json!({})).unwrap_err().iter().map(ToString::to_string).collect::<String>()
    };
    assert!(
        twice(json!([{ "borders": ["top back"] }, { "borders": ["bottom front"] }])).contains("has already")
    );
    assert!(twice(json!([{ "borders": ["a"] }, { "borders": ["a"] }])).contains("to itself"));
    // An amount that fits no such skin ends in words or not at all, and never in no number.
    let s = scene(cushion(json!({}), json!({ "fill": { "volume": 5 } })), json!({})).unwrap();
    let mut r = Run::start(&s, &[BodyId::from("b")], &NoMeshes).unwrap();
    for _ in 0..10 {
        if let Err(e) = r.advance(&NoWatch) {
            assert!(e.to_string().contains("exploded"), "{e}");
            break;
        }
        assert!(r.positions(0).iter().flatten().all(|c| c.is_finite()));
    }
}

#[test]
fn two_chambers_share_a_wall() {
    // Three squares on each other: the middle one is the wall.
    let square = json!([[-0.15, -0.15], [0.15, -0.15], [0.15, 0.15], [-0.15, 0.15]]);
    let panel = |name: &str, y: f64, turned: bool| json!({ "name": name, "outline": square, "turned": turned, "position": [0, y, 0] });
    let side = |p: &str| json!({ "borders": (1..=4).map(|k| format!("{p} side {k}")).collect::<Vec<_>>() });
    let cloth = json!({
        "shape": { "panels": { "every": 0.03, "panels": [panel("upper", 0.004, false), panel("wall", 0.0, false), panel("lower", -0.004, true)] } },
        "matter": { "drag": 0, "lift": 0, "damping": 3 },
        "seams": { "one": { "name": "One", "of": [side("upper"), side("wall")] }, "two": { "name": "Two", "of": [side("wall"), side("lower")] } },
        "chambers": {
            "above": { "name": "Above", "panels": ["upper"], "turned": ["wall"], "fill": { "pressure": { "keys": [{ "frame": 0, "value": 0 }, { "frame": 12, "value": 15 }] } } },
            "below": { "name": "Below", "panels": ["wall", "lower"], "fill": { "pressure": 0 } } }
    });
    // A border is in one seam: the second takes its points instead.
    let mut cloth = cloth;
    let n = 10;
    let edge = |a: [f64; 2], b: [f64; 2]| {
        (0..n).map(move |k| {
            let t = f64::from(k) / f64::from(n);
            [a[0] + t * (b[0] - a[0]), 0.0, -(a[1] + t * (b[1] - a[1]))]
        })
    };
    let c = [[-0.15, -0.15], [0.15, -0.15], [0.15, 0.15], [-0.15, 0.15]];
    let ring: Vec<[f64; 3]> =
        (0..4).flat_map(|k| edge(c[k], c[(k + 1) % 4])).chain([[-0.15, 0.0, 0.15]]).collect();
    cloth["seams"]["two"]["of"] = json!([{ "row": ring }, side("lower")]);
    let s = scene(cloth, json!({})).unwrap();
    let r = run(&s, 24);
    let [above, below] = [0, 1].map(|k| r.gas(0)[k]);
    assert!((above.pressure, below.pressure) == (15.0, 0.0));
    assert!(above.volume > 0.001 && below.volume < 0.5 * above.volume, "{above:?} {below:?}");
}

#[test]
fn a_box_laid_on_a_cushion_sinks_in_and_is_carried() {
    // The box comes down by keys until the cushion bears a hand's breadth of it; what it presses with is pressure times area.
    let mut cloth = cushion(
        json!({}),
        json!({ "fill": { "pressure": { "keys": [{ "frame": 0, "value": 0 }, { "frame": 12, "value": 40 }] } } }),
    );
    cloth["matter"]["areal_weight"] = json!(0.15);
    let more = json!({
        "fields": { "g": { "name": "G", "act": { "gravity": { "strength": 9.81 } } } },
        "colliders": {
            "floor": { "name": "Floor", "form": { "plane": {} }, "place": { "position": [0, 0.99, 0], "turn": [0, 0, 0] } },
            "box": { "name": "Box", "form": { "box": { "size": [0.5, 0.1, 0.5] } }, "place": { "position": [0,
                { "keys": [{ "frame": 12, "value": 1.4 }, { "frame": 24, "value": 1.11 }] }, 0], "turn": [0, 0, 0] } } }
    });
    let s = scene(cloth, more).unwrap();
    let r = run(&s, 30);
    let at = r.positions(0);
    let (low, high) = at.iter().fold((9.0f32, 0.0f32), |(l, h), p| (l.min(p[1]), h.max(p[1])));
    assert!(low > 0.989 && high < 1.0605, "between the floor and the box: {low} to {high}");
    let gas = r.gas(0)[0];
    assert!((gas.pressure - 40.0).abs() < 1e-9 && gas.volume > 0.002, "{gas:?}");
}

#[test]
fn a_slack_seam_opens_as_far_as_its_threads_are_long() {
    let open = |slack: f64| {
        let s = scene(cushion(json!({ "slack": slack }), json!({})), json!({})).unwrap();
        let at = run(&s, 30).positions(0);
        // Top and bottom of the same number lie over each other.
        let rim = (0..121usize).filter(|k| [0, 10].contains(&(k % 11)) || [0, 10].contains(&(k / 11)));
        let apart = |k: usize| (0..3).map(|c| (at[k][c] - at[k + 121][c]).powi(2)).sum::<f32>().sqrt();
        let all: Vec<f32> = rim.map(apart).collect();
        (all.iter().copied().fold(0.0, f32::max), all.iter().sum::<f32>() / all.len() as f32)
    };
    assert_eq!(open(0.0), (0.0, 0.0), "sewn for good it is one");
    let (most, mean) = open(0.02);
    assert!(most < 0.023 && mean > 0.012, "{most} at most, {mean} in the mean");
}

#[test]
fn far_more_pressure_than_a_skin_holds_ends_the_run_in_words() {
    let s = scene(cushion(json!({}), json!({ "fill": { "pressure": 1e6 } })), json!({})).unwrap();
    let mut r = Run::start(&s, &s.islands()[0], &NoMeshes).unwrap();
    let told = (0..30).find_map(|_| r.advance(&NoWatch).err()).map(|e| e.to_string()).unwrap_or_default();
    assert!(told.contains("ten times its length") && told.contains("Lower the pressure"), "{told}");
}
