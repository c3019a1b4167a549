//! What stands between the document and the solver.
use nematon_document::{BodyId, Cloth, Scene, parse};
use nematon_evaluate::*;
use nematon_solver::NoWatch;

fn stage(scene: &Scene) -> Stage {
    Stage::new(scene, &NoMeshes)
}

fn scene(edit: impl FnOnce(&mut Scene)) -> Scene {
    let mut s = parse(
        r#"{"nematon": 2, "name": "t", "frames": {"first": 10, "last": 30, "rate": 24, "substeps": 8},
        "bodies": {
          "canopy": {"name": "Canopy", "kind": {"cloth": {"shape": {"sheet": {"width": 2, "depth": 1, "columns": 13, "rows": 7}}}},
            "grips": {"e": {"name": "Eyelets", "points": [{"border": {"border": "back", "by": {"eyelets": 5}}}, {"corner": "front left"}]}}},
          "flag": {"name": "Flag", "kind": {"cloth": {"shape": {"sheet": {"width": 1, "depth": 1, "columns": 5, "rows": 5}}}}}},
        "fields": {
          "g": {"name": "Gravity", "act": {"gravity": {"strength": 9.81}}},
          "w": {"name": "Gust", "when": {"from": 20, "until": 28, "ease": 2}, "act": {"wind": {"speed": 4, "heading": 0}}}}}"#,
    )
    .unwrap();
    edit(&mut s);
    s
}

fn cloth<'s>(s: &'s mut Scene, body: &str) -> &'s mut Cloth {
    let Some(cloth) = s.bodies[&BodyId::from(body)].kind.cloth_mut() else { unreachable!() };
    cloth
}

fn nth(s: &mut Scene, body: usize) -> &mut Cloth {
    let Some(cloth) = s.bodies[body].kind.cloth_mut() else { unreachable!() };
    cloth
}

fn prints(s: &Scene, body: &str) -> Vec<Fingerprint> {
    Run::start(s, &[body.into()], &NoMeshes).unwrap().members[0].fingerprints.clone()
}

#[test]
fn a_field_that_acts_late_leaves_the_frames_before_it_true() {
    let (a, b) = (
        scene(|_| ()),
        scene(|s| {
            if let nematon_document::Act::Wind(w) = &mut s.fields[1].act {
                w.speed = 6.0.into();
            }
        }),
    );
    let (p, q) = (prints(&a, "canopy"), prints(&b, "canopy"));
    let same = p.iter().zip(&q).take_while(|(a, b)| a == b).count();
    // Frames 10 to 20 are untouched: the wind first acts between 20 and 21.
    assert_eq!(same, 11);
    assert!(p[11..].iter().zip(&q[11..]).all(|(a, b)| a != b));
}

#[test]
fn undoing_gives_the_same_fingerprints_and_names_do_not_count() {
    let a = prints(&scene(|_| ()), "canopy");
    assert_eq!(
        a,
        prints(
            &scene(|s| {
                s.bodies[0].name = "Awning".into();
                s.fields[0].name = "Pull".into();
            }),
            "canopy"
        )
    );
    assert_ne!(a[0], prints(&scene(|s| nth(s, 0).matter.thickness = 0.002), "canopy")[0]);
}

#[test]
fn another_body_and_a_longer_shot_leave_what_is_there_true() {
    let a = prints(&scene(|_| ()), "canopy");
    assert_eq!(a, prints(&scene(|s| nth(s, 1).matter.areal_weight = 3.0), "canopy"));
    assert_eq!(a[..], prints(&scene(|s| s.frames.last = 90), "canopy")[..21]);
}

#[test]
fn eyelets_are_spread_from_end_to_end_and_survive_a_change_of_density() {
    let held = |s: &Scene| {
        let shaped = shape(&stage(s), &s.bodies[0], &NoMeshes).unwrap();
        shaped.grips[0].points.iter().map(|&p| shaped.mesh.positions[p as usize]).collect::<Vec<_>>()
    };
    let coarse = held(&scene(|_| ()));
    assert_eq!(coarse.len(), 6);
    assert_eq!((coarse[0][0], coarse[4][0]), (-1.0, 1.0));
    let fine = held(&scene(|s| {
        if let nematon_document::Shape::Sheet(sheet) = &mut nth(s, 0).shape {
            (sheet.columns, sheet.rows) = (60, 40);
        }
    }));
    assert_eq!(fine.len(), 6);
    assert!(
        coarse.iter().zip(&fine).all(|(a, b)| (0..3).all(|k| (a[k] - b[k]).abs() < 0.02)),
        "{coarse:?} {fine:?}"
    );
}

#[test]
fn a_run_resumed_from_a_snapshot_gives_the_same_bits() {
    let s = scene(|_| ());
    let mut straight = Run::start(&s, &["canopy".into()], &NoMeshes).unwrap();
    let mut kept = vec![];
    while !straight.is_done() {
        straight.advance(&NoWatch).unwrap();
        if straight.at() == 9 {
            kept = straight.snapshot();
        }
    }
    let mut resumed = Run::start(&s, &["canopy".into()], &NoMeshes).unwrap();
    resumed.resume(9, &kept).unwrap();
    while !resumed.is_done() {
        resumed.advance(&NoWatch).unwrap();
    }
    assert_eq!((resumed.at(), resumed.snapshot()), (20, straight.snapshot()));
}

#[test]
fn wind_blows_where_its_heading_says() {
    let s = scene(|s| {
        s.fields[1].when = None;
        if let nematon_document::Act::Wind(w) = &mut s.fields[1].act {
            w.heading = std::f64::consts::FRAC_PI_2.into();
        }
    });
    let v = air_at(&stage(&s), None, 3, &[[0.0; 3]])[0];
    assert!(v[0].abs() < 1e-5 && (v[2] + 4.0).abs() < 1e-5, "{v:?}");
}

#[test]
fn what_can_not_be_run_is_named() {
    let e = Run::start(&scene(|_| ()), &["tent".into()], &NoMeshes).err().unwrap();
    assert_eq!(e.to_string(), "there is no body \"tent\"");
    let s = scene(|s| {
        nth(s, 0).shape = nematon_document::Shape::Mesh(nematon_document::ImportedMesh {
            from: nematon_document::MeshSource::File("x.obj".into()),
            refine: 0,
        })
    });
    let e = Run::start(&s, &["canopy".into()], &NoMeshes).err().unwrap().to_string();
    assert!(e.starts_with("Canopy: its mesh can't be had"), "{e}");
    let fall = scene(|s| {
        s.frames.rate = 1.0;
        s.frames.last = 400;
        nth(s, 1).matter.drag = 0.0.into();
        nth(s, 1).matter.lift = 0.0.into();
    });
    let mut run = Run::start(&fall, &["flag".into()], &NoMeshes).unwrap();
    let e = loop {
        if let Err(e) = run.advance(&NoWatch) {
            break e;
        }
    };
    assert!(e.to_string().contains("Flag exploded at frame") && e.to_string().contains("falls free"), "{e}");
}

#[test]
fn the_demo_is_the_same_bits_on_one_and_two_threads_and_twice_from_a_checkpoint() {
    let demo = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/thistledown-relay.json");
    let scene = parse(&std::fs::read_to_string(demo).unwrap()).unwrap();
    let start = || Run::start(&scene, &["landing-canopy".into()], &NoMeshes).unwrap();
    let on = |threads: usize, mut run: Run, to: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
        pool.install(|| {
            while run.at() < to {
                run.advance(&NoWatch).unwrap();
            }
        });
        run.snapshot()
    };
    let kept = on(1, start(), 20);
    assert_eq!(kept, on(2, start(), 20));
    let straight = on(1, start(), 44);
    for threads in [1, 2] {
        let mut run = start();
        run.resume(20, &kept).unwrap();
        assert_eq!(straight, on(threads, run, 44), "from the checkpoint, on {threads}");
    }
}

#[test]
fn what_is_far_thicker_than_fine_is_refused_where_it_meets_cloth() {
    let start = |touches: bool, thickness: f64| {
        let s = scene(|s| {
            nth(s, 1).matter.thickness = thickness;
            s.bodies[1].touch.itself = touches;
        });
        Run::start(&s, &["flag".into()], &NoMeshes).err().map(|e| e.to_string())
    };
    // 25 points, a quarter of a metre apart.
    assert_eq!(start(true, 0.01), None);
    assert_eq!(start(false, 25.0), None);
    let e = start(true, 25.0).unwrap();
    assert!(e.starts_with("Flag: its thickness is 100.0 times as far as its points lie apart"), "{e}");
}

#[test]
fn what_can_touch_is_one_island_and_what_passes_through_is_not() {
    let touching = |apart: bool| {
        scene(|s| {
            s.bodies.values_mut().for_each(|b| b.touch.others = true);
            s.bodies[1].touch.group = "flags".into();
            if apart {
                s.apart = vec![["flags".into(), "cloth".into()]];
            }
        })
    };
    assert_eq!(scene(|_| ()).islands().len(), 2);
    assert_eq!(touching(false).islands(), vec![vec!["canopy".into(), "flag".into()]]);
    assert_eq!(touching(true).islands().len(), 2);
    // In an island, what one is made of counts for the other.
    let prints = |s: &Scene| fingerprints(s, &s.islands()[0], &NoMeshes).unwrap();
    let mut heavy = touching(false);
    nth(&mut heavy, 1).matter.areal_weight = 2.0;
    assert_ne!(prints(&touching(false))[0][0], prints(&heavy)[0][0]);
    assert_ne!(prints(&heavy)[0][3], prints(&heavy)[1][3]);
}

#[test]
fn a_collider_that_moves_late_leaves_the_frames_before_it_true() {
    let with = |x: f64| {
        scene(|s| {
            let keys = format!(r#"{{"keys": [{{"frame": 20, "value": 0}}, {{"frame": 24, "value": {x}}}]}}"#);
            let text = format!(
                r#"{{"name": "Ball", "form": {{"ball": {{"radius": 0.1}}}}, "place": {{"position": [{keys}, 0, 0]}}}}"#
            );
            s.colliders.insert("ball".into(), serde_json::from_str(&text).unwrap());
        })
    };
    let (p, q) = (prints(&with(1.0), "canopy"), prints(&with(2.0), "canopy"));
    let same = p.iter().zip(&q).take_while(|(a, b)| a == b).count();
    assert_eq!(same, 11);
    assert_ne!(prints(&scene(|_| ()), "canopy")[0], p[0]);
}

#[test]
fn a_grip_follows_its_handle_and_turns_with_it() {
    let s = scene(|s| {
        let text = r#"{"name": "Hand", "place": {"position": [0, {"keys": [{"frame": 10, "value": 0}, {"frame": 20, "value": 1}]}, 0],
            "turn": [0, {"keys": [{"frame": 10, "value": 0}, {"frame": 20, "value": 3.14159265}]}, 0]}}"#;
        s.handles.insert("hand".into(), serde_json::from_str(text).unwrap());
        s.bodies[0].grips[0].to = nematon_document::HeldTo::Handle("hand".into());
    });
    let mut run = Run::start(&s, &["canopy".into()], &NoMeshes).unwrap();
    let held = run.members[0].shaped.grips[0].points.clone();
    let before = run.positions(0);
    while run.at() < 10 {
        run.advance(&NoWatch).unwrap();
    }
    let after = run.positions(0);
    for p in held {
        let (a, b) = (before[p as usize], after[p as usize]);
        let want = [-a[0], a[1] + 1.0, -a[2]];
        assert!((0..3).all(|c| (b[c] - want[c]).abs() < 1e-4), "{a:?} went to {b:?}");
    }
}

#[test]
fn colliders_that_can_not_be_are_named() {
    let with = |form: &str| {
        let s = scene(|s| {
            let text = format!(r#"{{"name": "Post", "form": {form}}}"#);
            s.colliders.insert("post".into(), serde_json::from_str(&text).unwrap());
        });
        Run::start(&s, &["canopy".into()], &NoMeshes).err().unwrap().to_string()
    };
    let e = with(r#"{"mesh": {"from": {"file": "post.obj"}}}"#);
    assert!(e.starts_with("the collider \"Post\" has no mesh"), "{e}");
}

#[test]
fn a_rest_shape_that_changes_late_leaves_the_frames_before_it_true_and_maps_count_by_what_they_say() {
    let with = |value: f64| {
        scene(|s| {
            let text = format!(
                r#"{{"scale": {{"keys": [{{"frame": 20, "value": 1}}, {{"frame": 25, "value": {value}}}]}}, "bend": {{"keys": [{{"frame": 26, "value": 1}}]}}}}"#
            );
            cloth(s, "canopy").rest = Some(serde_json::from_str(&text).unwrap());
        })
    };
    let (p, q) = (prints(&with(1.2), "canopy"), prints(&with(0.9), "canopy"));
    assert_eq!(p.iter().zip(&q).take_while(|(a, b)| a == b).count(), 11);
    let mapped = |least: f64, from: f64, name: &str| {
        let (name, key) = (name.to_owned(), "m");
        scene(move |s| {
            let b = &mut s.bodies[&BodyId::from("canopy")];
            let map = format!(
                r#"{{"name": "{name}", "layers": [{{"weights": {{"ramp": {{"along": "u", "from": {from}, "to": 1}}}}}}]}}"#
            );
            b.maps.insert(key.into(), serde_json::from_str(&map).unwrap());
            let by = format!(r#"{{"map": "{key}", "least": {least}}}"#);
            b.scaled.insert(nematon_document::Scaled::Drag, serde_json::from_str(&by).unwrap());
        })
    };
    let first = |s: &Scene| prints(s, "canopy")[0];
    assert_eq!(first(&mapped(0.5, 0.0, "Sail")), first(&mapped(0.5, 0.0, "Other name")));
    assert_ne!(first(&mapped(0.5, 0.0, "Sail")), first(&mapped(0.4, 0.0, "Sail")));
    assert_ne!(first(&mapped(0.5, 0.0, "Sail")), first(&mapped(0.5, 0.2, "Sail")));
}

#[test]
fn a_field_acts_where_its_zone_is_and_on_whom_it_names() {
    let with = |more: &str| {
        scene(|s| {
            let text = format!(
                r#"{{"name": "Spout", "place": {{"position": [3, 0, 0]}}, "act": {{"vortex": {{"spin": 5, "core": 0.5}}}}{more}}}"#
            );
            s.fields.insert("spout".into(), serde_json::from_str(&text).unwrap());
        })
    };
    let speed = |s: &Scene, p: [f32; 3]| {
        air_at(&stage(s), None, 3, &[p])[0].map(f32::abs).into_iter().fold(0.0, f32::max)
    };
    let (everywhere, zoned) = (
        with(""),
        with(r#", "zone": {"place": {"position": [3, 0, 0]}, "form": {"ball": {"radius": 1}}, "edge": 0.5}"#),
    );
    assert!((speed(&everywhere, [3.5, 1.0, 0.0]) - 5.0).abs() < 1e-4, "fastest at its core");
    assert!((speed(&zoned, [3.5, 0.5, 0.0]) - 5.0).abs() < 1e-4);
    assert!(speed(&everywhere, [5.0, 0.0, 0.0]) > 1.0 && speed(&zoned, [5.0, 0.0, 0.0]) == 0.0);
    // What names others leaves a body's frames true, and counts for whom it names.
    let before = |body: &str| prints(&scene(|_| ()), body);
    let named = with(r#", "only": ["flag"]"#);
    assert_eq!(prints(&named, "canopy"), before("canopy"));
    assert_ne!(prints(&named, "flag")[1], before("flag")[1]);
    // It rides on what its place stands on, at any part of a frame.
    let riding = scene(|s| {
        let text = r#"{"name": "Mast", "place": {"position": [{"keys": [{"frame": 10, "value": 0}, {"frame": 20, "value": 10}]}, 0, 0]}}"#;
        s.handles.insert("mast".into(), serde_json::from_str(text).unwrap());
        let text = r#"{"name": "Spout", "place": {"position": [1, 0, 0], "on": {"handle": "mast"}}, "act": {"vortex": {"spin": 5, "core": 0.5}}}"#;
        s.fields.insert("spout".into(), serde_json::from_str(text).unwrap());
    });
    let now = resolve(&stage(&riding), &[], 14.5);
    let stand = now.fields.iter().find_map(|f| f.stand).unwrap();
    assert!((stand.origin[0] - 5.5).abs() < 1e-6, "{stand:?}");
    assert_eq!(now.handles[0].1.position, [4.5, 0.0, 0.0]);
}

#[test]
fn drag_that_is_keyed_away_lets_a_sheet_fall_as_in_a_vacuum() {
    let with = |drag: &str, lift: &str| {
        let text = format!(
            r#"{{"nematon": 2, "name": "Fall", "frames": {{"first": 1, "last": 25, "rate": 24}},
            "bodies": {{"sheet": {{"name": "Sheet", "place": {{"position": [0, 9, 0]}},
                "kind": {{"cloth": {{"shape": {{"sheet": {{"width": 0.5, "depth": 0.5, "columns": 9, "rows": 9}}}},
                    "matter": {{"drag": {drag}, "lift": {lift}}}}}}}}}}},
            "fields": {{"pull": {{"name": "Pull", "act": {{"gravity": {{"strength": 9.81}}}}}}}}}}"#
        );
        let scene = parse(&text).unwrap();
        let mut run = Run::start(&scene, &[BodyId::from("sheet")], &NoMeshes).unwrap();
        let mut speeds = vec![];
        while !run.is_done() {
            let before = run.positions(0)[40][1];
            run.advance(&NoWatch).unwrap();
            speeds.push(f64::from(before - run.positions(0)[40][1]) * 24.0);
        }
        speeds
    };
    let gone = r#"{"keys": [{"frame": 1, "value": 1.28, "then": "step"}, {"frame": 13, "value": 0}]}"#;
    let held = with("1.28", "0");
    let let_go = with(gone, "0");
    assert_eq!(held[..12], let_go[..12], "as ever until the key");
    // Near its final speed it gains nothing; without air it gains g t.
    assert!(held[23] - held[13] < 0.05, "{held:?}");
    let gain = let_go[23] - let_go[13];
    assert!((gain - 9.81 * 10.0 / 24.0).abs() < 0.02, "{gain}");
}
