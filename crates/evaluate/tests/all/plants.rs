//! Plants from a scene: where they grow, what they let go, and what must not matter.
use nematon_document::{BodyId, MeshSource, validate};
use nematon_evaluate::{MeshLibrary, NoMeshes, Run, Stage, limbs, shape};
use nematon_figure::Figure;
use nematon_geometry::{Mesh, tubes};
use nematon_solver::NoWatch;
use serde_json::{Value, json};
use std::sync::Arc;

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

/// Files of one mesh: a thistle as somebody modelled it, in a place of its own.
struct One(Arc<Figure>);

impl MeshLibrary for One {
    fn mesh(&self, _: &MeshSource) -> Result<Arc<Mesh>, String> {
        Err("there is none".into())
    }
    fn figure(&self, _: &nematon_document::Figure) -> Result<Arc<Figure>, String> {
        Ok(self.0.clone())
    }
}

fn one(mesh: &Mesh) -> One {
    let text = nematon_formats::write_obj("thistle", mesh, &mesh.positions, nematon_formats::With::default());
    One(Arc::new(nematon_formats::read_figure("thistle.obj", text.as_bytes()).unwrap()))
}

/// The bed, as a mesh.
fn as_mesh(more: impl FnOnce(&mut Value)) -> Value {
    bed(|s| {
        let own = &mut s["bodies"]["bed"]["kind"]["plants"];
        own.as_object_mut().unwrap().remove("species");
        own["mesh"] = json!({ "from": { "file": "thistle.obj" }, "segments": 12 });
        more(s);
    })
}

#[test]
fn a_mesh_stands_as_it_was_modelled_sways_and_lets_its_own_leaves_go() {
    let species = &nematon_document::species()[0].species;
    let mut mesh = tubes(&species.grow(0, 1, 1.0)).mesh;
    // Wherever it was in its file.
    mesh.positions.iter_mut().for_each(|p| *p = [p[0] + 3.0, p[1] - 0.5, p[2] + 7.0]);
    let library = one(&mesh);
    let still = as_mesh(|s| {
        s["fields"].as_object_mut().unwrap().shift_remove("wind");
        s["bodies"].as_object_mut().unwrap().shift_remove("down");
    });
    let scene = validate(&still).unwrap();
    let stage = Stage::new(&scene, &library);
    let body = &stage.bodies[&BodyId("bed".into())];
    let shaped = shape(&stage, body, &library).unwrap();
    let leaves = shaped.mesh.ends.iter().filter(|e| e[1] > 0.0).count();
    let heads = species.grow(0, 1, 1.0).heads.len();
    assert_eq!(leaves, 5 * (species.leaf_count() + heads), "each part that hangs alone is one");
    let skins = limbs(body.kind.plants().unwrap(), &shaped).unwrap();
    assert_eq!((skins.skins.len(), skins.plants.len()), (1, 5));
    // Each plant is the mesh, and stands where it grows.
    let seen = skins.mesh();
    assert_eq!(seen.positions.len(), 5 * mesh.positions.len());
    assert!(shaped.roots().iter().all(|r| shaped.placed[*r as usize][1].abs() < 1e-6));
    let islands = scene.islands();
    let mut run = Run::start(&scene, &islands[0], &library).unwrap();
    let first = run.positions(0);
    for _ in 0..24 {
        run.advance(&NoWatch).unwrap();
    }
    let step = |(a, b): (&[f32; 3], &[f32; 3])| (0..3).map(|c| (a[c] - b[c]).abs()).fold(0.0, f32::max);
    let moved = first.iter().zip(&run.positions(0)).map(step).fold(0.0, f32::max);
    assert!(moved < 2e-4, "it sags by {moved}");
    // In the wind it bends, and the mesh goes with it, its leaves away.
    let windy = validate(&as_mesh(|_| {})).unwrap();
    let islands = windy.islands();
    let mut run = Run::start(&windy, &islands[0], &library).unwrap();
    for _ in 0..24 {
        run.advance(&NoWatch).unwrap();
    }
    let now = run.positions(0);
    let gone = now.iter().filter(|p| p[0].is_nan()).count();
    assert!(gone > 20 && gone < leaves, "{gone} of {leaves} have let go");
    let bent = skins.frame(&now);
    assert!(bent.iter().flatten().all(|c| c.is_finite()));
    let far = |k: usize| (0..3).map(|c| (bent[k][c] - seen.positions[k][c]).powi(2)).sum::<f32>().sqrt();
    let most = (0..bent.len()).map(far).fold(0.0, f32::max);
    assert!(most > 0.02 && most < 1.5, "it moves by {most}");
}

#[test]
fn what_a_mesh_lacks_is_told_in_words() {
    let leaf = |x: f32| [[x, 1.0, 0.0], [x + 0.02, 1.0, 0.0], [x, 1.02, 0.0]];
    let flat = Mesh {
        positions: (0..20).flat_map(|k| leaf(0.1 * k as f32)).collect(),
        triangles: (0..20).map(|k| [3 * k, 3 * k + 1, 3 * k + 2]).collect(),
        ..Mesh::default()
    };
    let fault = |mesh: &Mesh, more: &dyn Fn(&mut Value)| {
        let scene = validate(&as_mesh(more)).unwrap();
        let library = one(mesh);
        let stage = Stage::new(&scene, &library);
        let all = stage.bodies.values().map(|b| shape(&stage, b, &library));
        all.filter_map(Result::err).map(|e| e.to_string()).next().unwrap()
    };
    assert!(fault(&flat, &|_| {}).starts_with("its mesh has no stem: all of its parts are leaves"));
    let pole = nematon_geometry::tube(0.02, 1.0, 8, 12);
    let why = fault(&pole, &|_| {});
    assert!(why.contains("whose mesh has no leaves"), "{why}");
    let many = fault(&pole, &|s| {
        s["bodies"].as_object_mut().unwrap().shift_remove("down");
        s["bodies"]["bed"]["kind"]["plants"]["count"] = json!(20_000);
        s["bodies"]["bed"]["kind"]["plants"]["mesh"]["segments"] = json!(200);
    });
    assert!(many.contains("and the most is 400000. Grow fewer, or ask for fewer segments"), "{many}");
    // Neither or both is a fault of the scene.
    let neither = validate(&as_mesh(|s| {
        s["bodies"]["bed"]["kind"]["plants"].as_object_mut().unwrap().shift_remove("mesh");
    }));
    assert!(neither.unwrap_err()[0].to_string().contains("say a species or a mesh"));
}

#[test]
fn ten_thousand_leaves_on_one_point_are_held_and_stay() {
    // A pole, and leaves all at its tip.
    let mut mesh = nematon_geometry::tube(0.02, 1.0, 8, 6);
    let top = mesh.positions.iter().map(|p| p[1]).fold(f32::NEG_INFINITY, f32::max);
    for k in 0..10_000u32 {
        let (sin, cos) = (0.37 * k as f32).sin_cos();
        let first = mesh.positions.len() as u32;
        let at = |r: f32, up: f32| [r * cos, top + up + 2e-5 * k as f32, r * sin];
        mesh.positions.extend([at(0.02, 0.0), at(0.06, 0.03), at(0.06, -0.01)]);
        mesh.triangles.push([first, first + 1, first + 2]);
    }
    mesh.faces.clear();
    mesh.uvs.clear();
    mesh.uv_triangles.clear();
    let library = one(&mesh);
    let scene = validate(&as_mesh(|s| {
        s["bodies"].as_object_mut().unwrap().shift_remove("down");
        s["bodies"]["bed"]["kind"]["plants"]["count"] = json!(1);
    }))
    .unwrap();
    let islands = scene.islands();
    let mut run = Run::start(&scene, &islands[0], &library).unwrap();
    for _ in 0..3 {
        run.advance(&NoWatch).unwrap();
    }
    let now = run.positions(0);
    let most =
        now.iter().flatten().fold(0.0f32, |m, c| if c.is_finite() { m.max(c.abs()) } else { f32::INFINITY });
    assert!(now.len() > 10_000 && most < 3.0, "{} points within {most}", now.len());
}
