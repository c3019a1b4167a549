//! Pieces that come and go, and bodies that hang on bodies.
use nematon_document::{BodyId, parse, validate};
use nematon_evaluate::{MeshLibrary, NoMeshes, Run, fingerprints};
use nematon_solver::NoWatch;
use serde_json::{Value, json};

fn scene(bodies: Value, last: i64) -> Value {
    json!({ "nematon": nematon_document::VERSION, "name": "Scene",
        "frames": { "first": 0, "last": last, "rate": 24, "substeps": 10 },
        "bodies": bodies, "floor": { "height": -3 },
        "fields": { "gravity": { "name": "Gravity", "act": { "gravity": { "strength": 9.81 } } } } })
}

fn seeds(source: Value) -> Value {
    json!({ "seeds": { "name": "Seeds",
        "kind": { "drift": { "size": [0.2, 0.1, 0.2], "count": 400, "radius": 0.006, "weight": 0.0002, "drag": 0.47, "source": source } },
        "place": { "position": [0.0, 1.0, 0.0] }, "touch": { "itself": true } } })
}

fn started(scene: &Value, library: &dyn MeshLibrary) -> Run {
    let s = parse(&scene.to_string()).unwrap_or_else(|e| panic!("{e:?}"));
    let island = s.islands().remove(0);
    Run::start(&s, &island, library).unwrap_or_else(|e| panic!("{e}"))
}

fn count(run: &Run) -> usize {
    run.there(0).unwrap().len()
}

#[test]
fn pieces_come_by_their_rate_and_go_with_their_lives() {
    let keyed = json!({ "keys": [{ "frame": 0, "value": 48 }, { "frame": 24, "value": 0, "then": "step" }] });
    for (rate, life, at_24, at_72) in
        [(json!(48), None, 48, 144), (json!(48), Some(1.0), 48, 48), (keyed, Some(1.0), 24, 0)]
    {
        let mut run = started(&scene(seeds(json!({ "rate": rate, "life": life })), 72), &NoMeshes);
        assert_eq!(count(&run), 0);
        let mut ever = 0;
        while !run.is_done() {
            run.advance(&NoWatch).unwrap();
            let places = run.places(0);
            let there = run.there(0).unwrap();
            assert!(there.iter().all(|k| places[*k as usize].iter().all(|c| c.is_finite())));
            assert_eq!(places.iter().filter(|p| p[0].is_nan()).count(), places.len() - there.len());
            // Who has gone does not come again.
            assert!(there.iter().all(|k| (*k as usize) < ever + 10));
            ever = ever.max(there.last().map_or(0, |k| *k as usize + 1));
            let (at, most) = (run.at(), if run.at() <= 24 { at_24 } else { at_72.max(at_24) });
            assert!(count(&run) <= most + 1, "{} at frame {at}", count(&run));
            if at == 24 {
                assert!(count(&run).abs_diff(at_24) <= 1, "{} at the first second", count(&run));
            }
        }
        assert!(count(&run).abs_diff(at_72) <= 1, "{} after three seconds", count(&run));
    }
}

#[test]
fn a_piece_flies_as_it_was_thrown_whenever_in_a_frame_it_came() {
    let source = json!({ "rate": 7.3, "from": { "points": [[0.1, 0.2, 0.0]] }, "velocity": [1.5, 2.0, 0.0], "scatter": 0 });
    let mut own = seeds(source);
    own["seeds"]["kind"]["drift"]["drag"] = json!(0);
    for substeps in [5, 20] {
        let mut s = scene(own.clone(), 24);
        s["frames"]["substeps"] = json!(substeps);
        let mut run = started(&s, &NoMeshes);
        while !run.is_done() {
            run.advance(&NoWatch).unwrap();
        }
        let places = run.places(0);
        for k in run.there(0).unwrap() {
            let t = 1.0 - (f64::from(k) + 0.5) / 7.3;
            let want = [0.1 + 1.5 * t, 1.2 + 2.0 * t - 0.5 * 9.81 * t * t, 0.0];
            for c in 0..3 {
                assert!(
                    (places[k as usize][c] - want[c]).abs() < 2e-3,
                    "piece {k} at {:?}, not {want:?}",
                    places[k as usize]
                );
            }
        }
        assert_eq!(run.there(0).unwrap().len(), 7);
    }
}

#[test]
fn what_comes_later_changes_no_bit_of_what_is_there() {
    let rate = |late: f64| json!({ "keys": [{ "frame": 0, "value": 60, "then": "step" }, { "frame": 30, "value": late, "then": "step" }] });
    let prints = |late: f64| {
        let s = parse(&scene(seeds(json!({ "rate": rate(late), "life": 1.5 })), 48).to_string()).unwrap();
        fingerprints(&s, &[BodyId::from("seeds")], &NoMeshes).unwrap().remove(0)
    };
    let (few, many) = (prints(60.0), prints(240.0));
    assert_eq!(few[..=30], many[..=30], "frames before are true still");
    assert_ne!(few[31], many[31]);
    let at_30 = |late: f64| {
        let mut run = started(&scene(seeds(json!({ "rate": rate(late), "life": 1.5 })), 48), &NoMeshes);
        (0..30).for_each(|_| run.advance(&NoWatch).unwrap());
        let there = run.there(0).unwrap();
        there.iter().map(|k| run.places(0)[*k as usize].map(f64::to_bits)).collect::<Vec<_>>()
    };
    assert_eq!(at_30(60.0), at_30(240.0));
}

#[test]
fn pieces_are_the_same_bits_from_a_checkpoint_and_on_any_threads() {
    let s = scene(seeds(json!({ "rate": 400, "life": 0.8, "velocity": [0, -2, 0] })), 40);
    let bits = |run: &Run| run.places(0).into_iter().map(|p| p.map(f64::to_bits)).collect::<Vec<_>>();
    let whole = |threads: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
        pool.install(|| {
            let mut run = started(&s, &NoMeshes);
            let mut kept = vec![];
            while !run.is_done() {
                run.advance(&NoWatch).unwrap();
                if run.at() == 21 {
                    kept = run.snapshot();
                }
            }
            (bits(&run), kept)
        })
    };
    let (one, kept) = whole(1);
    assert_eq!(one, whole(2).0);
    let mut run = started(&s, &NoMeshes);
    run.resume(21, &kept).unwrap();
    while !run.is_done() {
        run.advance(&NoWatch).unwrap();
    }
    assert_eq!(bits(&run), one);
}

#[test]
fn pieces_come_off_a_surface_as_it_moves_and_outside_of_it() {
    let mut s =
        scene(seeds(json!({ "rate": 200, "from": { "collider": "drum" }, "away": 0.5, "scatter": 0 })), 24);
    s["fields"] = json!({});
    let slides =
        json!({ "keys": [{ "frame": 0, "value": 0, "then": "straight" }, { "frame": 24, "value": 2 }] });
    s["colliders"] = json!({ "drum": { "name": "Drum", "form": { "ball": { "radius": 0.3 } }, "place": { "position": [slides, 0.5, 0] } } });
    let mut run = started(&s, &NoMeshes);
    let mut sides = [0; 2];
    while !run.is_done() {
        let before = run.there(0).unwrap();
        run.advance(&NoWatch).unwrap();
        let x = 2.0 * run.at() as f64 / 24.0;
        let places = run.places(0);
        for k in run.there(0).unwrap().into_iter().filter(|k| !before.contains(k)) {
            let p = places[k as usize];
            let far = ((p[0] - x).powi(2) + (p[1] - 0.5).powi(2) + p[2].powi(2)).sqrt();
            assert!(far > 0.22 && far < 0.42, "piece {k} comes {far} m from the middle");
            sides[usize::from(p[1] > 0.5)] += 1;
        }
    }
    assert!(sides[0] > 60 && sides[1] > 60, "evenly above and below: {sides:?}");
}

#[test]
fn a_source_that_can_not_be_is_told_in_words() {
    let told = |from: Value| {
        let s = scene(seeds(json!({ "rate": 10, "from": from })), 10);
        validate(&s).unwrap_err().iter().map(ToString::to_string).collect::<Vec<_>>().join("; ")
    };
    assert!(told(json!({ "collider": "drum" })).contains("which there is not"));
    assert!(told(json!({ "figure": { "figure": "moth" } })).contains("which there is not"));
    // None that ever comes is no fault: it may be keyed later.
    let mut run = started(&scene(seeds(json!({ "rate": 0 })), 3), &NoMeshes);
    run.advance(&NoWatch).unwrap();
    assert_eq!(count(&run), 0);
}

/// A cape that is held along its back, and a narrow tassel held by its own back to the cape's front.
fn tassel(loose: bool) -> Value {
    let back = |to: Value| json!({ "back": { "name": "Back", "to": to, "points": [{ "border": { "border": "back", "by": "all" } }] } });
    let sheet = |[w, d]: [f64; 2], [c, r]: [u32; 2], kg: f64| json!({ "cloth": { "shape": { "sheet": { "width": w, "depth": d, "columns": c, "rows": r } }, "matter": { "areal_weight": kg } } });
    json!({
        "cape": { "name": "Cape", "kind": sheet([0.6, 0.8], [13, 17], 0.15),
            "place": { "position": [0, 2, 0] }, "grips": if loose { json!({}) } else { back(json!("world")) } },
        "tassel": { "name": "Tassel", "kind": sheet([0.05, 0.4], [3, 17], 1.5),
            "place": { "position": [0.1, 2, 0.6] }, "grips": back(json!({ "body": "cape" })) } })
}

/// How far the tied points are from their spots at most, metres.
fn gap(run: &Run) -> f64 {
    let (cape, tassel) = (run.places(0), run.places(1));
    let near = |p: &[f64; 3]| {
        let far = |q: &[f64; 3]| (0..3).map(|c| (p[c] - q[c]).powi(2)).sum::<f64>().sqrt();
        cape.iter().map(far).fold(f64::INFINITY, f64::min)
    };
    run.members[1].shaped.grips[0].points.iter().map(|p| near(&tassel[*p as usize])).fold(0.0, f64::max)
}

#[test]
fn a_tassel_hangs_on_the_cape_and_both_swing() {
    let s = scene(tassel(false), 72);
    let parsed = parse(&s.to_string()).unwrap();
    assert_eq!(parsed.islands().len(), 1, "what hangs on another is of one island");
    let whole = |threads: usize, scene: &Value| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
        pool.install(|| {
            let mut run = started(scene, &NoMeshes);
            while !run.is_done() {
                run.advance(&NoWatch).unwrap();
                // A point of the cape is at most half an edge's diagonal away.
                assert!(gap(&run) < 0.05, "{} m at frame {}", gap(&run), run.at());
            }
            (0..2).map(|k| run.places(k)).collect::<Vec<_>>()
        })
    };
    let one = whole(1, &s);
    assert_eq!(one, whole(2, &s));
    let low = |p: &[[f64; 3]]| p.iter().map(|p| p[1]).fold(f64::INFINITY, f64::min);
    let hangs = low(&one[0]) - low(&one[1]);
    assert!(hangs > 0.15, "the tassel hangs {hangs} m below the cape");
    // Without it the cape is elsewhere: it carries weight.
    let mut alone = s.clone();
    alone["bodies"].as_object_mut().unwrap().shift_remove("tassel");
    let mut run = started(&alone, &NoMeshes);
    while !run.is_done() {
        run.advance(&NoWatch).unwrap();
    }
    let off = run.places(0).iter().zip(&one[0]).map(|(a, b)| (a[1] - b[1]).abs()).fold(0.0, f64::max);
    assert!(off > 1e-3, "the tassel weighs on the cape: {off} m");
}

#[test]
fn a_pair_that_flies_freely_keeps_its_momentum() {
    let mut s = scene(tassel(true), 48);
    s["fields"] = json!({ "gravity": { "name": "Gravity", "act": { "gravity": { "strength": 9.81 } } },
        "eddy": { "name": "Eddy", "by": "push", "only": ["tassel"], "act": { "wind": { "heading": 0, "speed": { "keys": [{ "frame": 0, "value": 3, "then": "step" }, { "frame": 11, "value": 0, "then": "step" }] } } } } });
    for body in ["cape", "tassel"] {
        s["bodies"][body]["kind"]["cloth"]["matter"]["drag"] = json!(0);
        s["bodies"][body]["kind"]["cloth"]["matter"]["lift"] = json!(0);
    }
    s["floor"] = Value::Null;
    let mut run = started(&s, &NoMeshes);
    let masses: Vec<Vec<f64>> = run.bodies.iter().map(|b| b.masses()).collect();
    let momentum = |run: &Run, c: usize| -> f64 {
        let of = |k: usize| {
            let v = run.state(k).velocities(&run.bodies[k]);
            v.iter().zip(&masses[k]).map(|(v, m)| m * f64::from(v[c])).sum::<f64>()
        };
        of(0) + of(1)
    };
    let all: f64 = masses.iter().flatten().sum();
    // Blown sideways at first, by its tassel alone; then only gravity is left.
    let (mut kept, mut scale) = ([0.0; 2], 0.0f64);
    while !run.is_done() {
        run.advance(&NoWatch).unwrap();
        let t = run.at() as f64 / 24.0;
        scale = scale.max(all * 9.81 * t);
        assert!(
            (momentum(&run, 1) + all * 9.81 * t).abs() < 1e-4 * scale,
            "{} of {}",
            momentum(&run, 1),
            -all * 9.81 * t
        );
        let now = [momentum(&run, 0), momentum(&run, 2)];
        match run.at() {
            ..=12 => kept = now,
            at => assert!(
                (now[0] - kept[0]).hypot(now[1] - kept[1]) < 1e-4 * scale,
                "{now:?}, {kept:?} before, at {at}"
            ),
        }
    }
    assert!(kept[0].hypot(kept[1]) > 0.01, "it was blown: {kept:?}");
    assert!(gap(&run) < 0.05, "{}", gap(&run));
}

#[test]
fn rings_of_bodies_are_named_whole() {
    let mut s = scene(tassel(true), 4);
    s["bodies"]["cape"]["grips"] = json!({ "hem": { "name": "Hem", "to": { "body": "tassel" }, "points": [{ "corner": "front left" }] } });
    let told = validate(&s).unwrap_err().iter().map(ToString::to_string).collect::<Vec<_>>().join("; ");
    assert!(told.contains("ring") && told.contains("Cape hangs on Tassel, which hangs on Cape"), "{told}");
    s["bodies"]["cape"]["grips"] = json!({});
    s["bodies"]["tassel"]["grips"]["back"]["to"] = json!({ "body": "veil" });
    assert!(validate(&s).unwrap_err()[0].to_string().contains("which there is not"));
}

#[test]
fn what_comes_from_what_moves_takes_of_its_speed_and_what_flies_comes_spinning() {
    let source = |carried: f64| json!({ "rate": 24, "from": { "points": [[0.0, 0.0, 0.0]] }, "scatter": 0, "carried": carried, "spin": 9.0 });
    let speed = |carried: f64| {
        let mut bodies = seeds(source(carried));
        bodies["seeds"]["place"]["position"][0] = json!({ "formula": "2.5 * t" });
        bodies["seeds"]["kind"]["drift"]["drag"] = json!(0.0);
        bodies["seeds"]["touch"]["itself"] = json!(false);
        let mut run = started(&scene(bodies, 6), &NoMeshes);
        while !run.is_done() {
            run.advance(&NoWatch).unwrap();
        }
        let first = run.there(0).unwrap()[0];
        f64::from(run.state(0).velocities(&run.bodies[0])[first as usize][0])
    };
    assert!(speed(0.0).abs() < 1e-4);
    assert!((speed(1.0) - 2.5).abs() < 0.01 && (speed(0.4) - 1.0).abs() < 0.01, "{}", speed(1.0));
    // A plate that spins about another axis than its normal is turned a frame later; a ball has no turn.
    let turns = |spin: f64| {
        let mut bodies = seeds(source(0.0));
        bodies["seeds"]["kind"]["drift"]["source"]["spin"] = json!(spin);
        bodies["seeds"]["kind"]["drift"]["flies"] = json!({ "plate": { "thickness": 0.001 } });
        let mut run = started(&scene(bodies, 3), &NoMeshes);
        while !run.is_done() {
            run.advance(&NoWatch).unwrap();
        }
        run.turns(0).unwrap()
    };
    assert_ne!(turns(0.0)[0], turns(30.0)[0]);
    assert!(started(&scene(seeds(source(0.0)), 2), &NoMeshes).turns(0).is_none());
}

#[test]
fn a_source_is_drawn_where_pieces_come_and_which_way() {
    let drawn = |scene: &Value, frame: f64| {
        let s = parse(&scene.to_string()).unwrap();
        let all = nematon_evaluate::outlines(&nematon_evaluate::Stage::new(&s, &NoMeshes), frame);
        all.into_iter().find(|d| d.path == "/bodies/seeds/kind/drift/source").expect("it is drawn")
    };
    // In their space, up by two metres a second, which is 0.2 m in a tenth.
    let space = drawn(&scene(seeds(json!({ "rate": 10, "velocity": [0, 2, 0] })), 10), 0.0);
    assert_eq!(space.soft.len(), 12, "the edges of the space");
    assert!(space.soft.iter().flatten().all(|p| (0.95 - 1e-5..=1.05 + 1e-5).contains(&p[1])));
    let ways: Vec<_> = space.core.iter().filter(|[a, b]| a[0] == b[0] && a[2] == b[2]).collect();
    assert_eq!(ways.len(), 24, "one a piece, beside what makes an arrow of it");
    for [a, b] in ways {
        assert!((b[1] - a[1] - 0.2).abs() < 1e-5 && (0.95..=1.05).contains(&a[1]), "{a:?} to {b:?}");
    }
    // Off a ball, away from its middle.
    let mut off = scene(seeds(json!({ "rate": 10, "from": { "collider": "ball" }, "away": 3 })), 10);
    off["colliders"] = json!({ "ball": { "name": "Ball", "form": { "ball": { "radius": 0.5 } }, "place": { "position": [2, 1, 0] } } });
    let ball = drawn(&off, 5.0);
    assert!(ball.soft.is_empty());
    let far = |p: [f32; 3]| ((p[0] - 2.0).powi(2) + (p[1] - 1.0).powi(2) + p[2].powi(2)).sqrt();
    assert!(ball.core.iter().filter(|[a, b]| far(*a) < 0.52 && far(*b) - far(*a) > 0.29).count() == 24);
    // What comes without any speed is a cross.
    let still = drawn(&scene(seeds(json!({ "rate": 10 })), 10), 0.0);
    assert_eq!(still.core.len(), 3 * 24);
}
