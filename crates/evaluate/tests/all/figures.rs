//! What follows from animated meshes: what stands on their joints and surfaces, what is held to them, what meets them.
use nematon_document::{ColliderId, MeshSource, Node, Parent, Scene, SpotOf, parse};
use nematon_evaluate::*;
use nematon_figure::{Channel, Clip, Curve, Figure, Joint, Local, Part, Skin, Weights, What};
use nematon_geometry::{Mesh, sheet};
use nematon_solver::NoWatch;
use serde_json::json;
use std::f64::consts::PI;
use std::sync::Arc;

/// A plate of a metre a side that a joint carries up at 1 m/s, or turns about x by half a turn a second.
pub(crate) struct Plates {
    pub turns: bool,
}

impl MeshLibrary for Plates {
    fn mesh(&self, _: &MeshSource) -> Result<Arc<Mesh>, String> {
        Err("there is none".into())
    }
    fn figure(&self, _: &nematon_document::Figure) -> Result<Arc<Figure>, String> {
        Ok(Arc::new(plate(self.turns)))
    }
}

fn plate(turns: bool) -> Figure {
    let mesh = sheet(1.0, 1.0, 11, 11);
    let n = mesh.positions.len() as u32;
    let weights =
        Weights { first: (0..=n).collect(), joints: vec![0; n as usize], shares: vec![1.0; n as usize] };
    let times = vec![0.0, 1.0, 2.0];
    let (what, values) = match turns {
        true => {
            let half = |a: f64| [(0.5 * a).sin(), 0.0, 0.0, (0.5 * a).cos()];
            (What::Turn, [0.0, PI - 1e-9, 2.0 * PI].into_iter().flat_map(half).collect())
        }
        false => (What::Position, vec![0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 2.0, 0.0]),
    };
    let joint = |name: &str| Joint { name: name.into(), parent: None, rest: Local::default() };
    Figure {
        joints: vec![joint("lift"), joint("still")],
        parts: vec![Part { name: "plate".into(), joint: 1, skin: Some(0), mesh, weights, ..Part::default() }],
        skins: vec![Skin { joints: vec![0], inverse: vec![glam::DAffine3::IDENTITY] }],
        clips: vec![Clip {
            name: "goes".into(),
            duration: 2.0,
            channels: vec![Channel { joint: 0, what, curve: Curve::Straight, times, values }],
        }],
        sequence: vec![],
    }
}

/// A small sheet 5 cm over the plate.
fn scene(change: impl FnOnce(&mut serde_json::Value)) -> Scene {
    let mut s = json!({
        "nematon": 2, "name": "S", "frames": { "first": 1, "last": 25, "rate": 24, "substeps": 10 },
        "bodies": { "cloth": {
            "name": "Cloth",
            "kind": { "cloth": { "shape": { "sheet": { "width": 0.3, "depth": 0.3, "columns": 7, "rows": 7 } } } },
            "place": { "position": [0, 0.05, 0.2] },
            "grips": { "edge": { "name": "Edge", "points": [{ "border": { "border": "back", "by": "all" } }],
                                 "to": { "figure": { "figure": "plate" } } } },
        } },
        "figures": { "plate": { "name": "Plate", "from": { "file": "plate.glb" }, "begins": 1 } },
        "handles": { "rider": { "name": "Rider", "place": {
            "position": [0, 0, 0.5], "on": { "joint": { "figure": "plate", "joint": "lift" } } } } },
    });
    change(&mut s);
    parse(&s.to_string()).unwrap()
}

fn run(s: &Scene, library: &Plates, frames: usize) -> Vec<Vec<[f32; 3]>> {
    let mut run = Run::start(s, &s.islands()[0], library).unwrap();
    let mut out = vec![run.positions(0)];
    for _ in 0..frames {
        run.advance(&NoWatch).unwrap();
        out.push(run.positions(0));
    }
    out
}

#[test]
fn a_grip_follows_a_surface_in_place_and_turn_with_no_jump() {
    let library = Plates { turns: true };
    let s = scene(|_| {});
    let frames = run(&s, &library, 12);
    let held = Stage::new(&s, &library);
    let grip = shape(&held, &s.bodies[0], &library).unwrap().grips[0].points.clone();
    assert_eq!(grip.len(), 7);
    for (f, places) in frames.iter().enumerate() {
        // Half a turn in 24 frames, about the origin.
        let (sin, cos) = (PI * f as f64 / 24.0).sin_cos();
        for p in &grip {
            let from = frames[0][*p as usize].map(f64::from);
            let to = [from[0], cos * from[1] - sin * from[2], sin * from[1] + cos * from[2]];
            let is = places[*p as usize].map(f64::from);
            let far = (0..3).map(|c| (is[c] - to[c]).abs()).fold(0.0, f64::max);
            assert!(far < 2e-6, "point {p} at frame {f}: {is:?} where {to:?} is right");
        }
    }
}

#[test]
fn what_stands_on_a_joint_goes_by_its_arc_between_frames_too() {
    let s = scene(|s| {
        // All of the clip within two frames.
        s["figures"]["plate"]["speed"] = json!(24);
    });
    let stage = Stage::new(&s, &Plates { turns: true });
    for part in 0..=10 {
        let frame = 1.0 + f64::from(part) / 10.0;
        let p = pose_at(&stage, &s.handles["rider"].place, frame).position;
        let (sin, cos) = (PI * f64::from(part) / 10.0).sin_cos();
        assert!(
            (f64::from(p[1]) + 0.5 * sin).abs() < 1e-6 && (f64::from(p[2]) - 0.5 * cos).abs() < 1e-6,
            "{p:?}"
        );
    }
}

#[test]
fn a_spot_of_a_surface_carries_what_stands_on_it() {
    let library = Plates { turns: true };
    let s = scene(|_| {});
    let stage = Stage::new(&s, &library);
    let on = Parent::Spot(SpotOf { figure: "plate".into(), at: [0.1, 0.0, 0.4] });
    let node = Node { on: Some(on), ..Node::still([0.0; 3], [0.0; 3]) };
    let first = pose_at(&stage, &node, 1.0);
    assert!((0..3).all(|c| (first.position[c] - [0.1, 0.0, 0.4][c]).abs() < 1e-6), "{first:?}");
    // A quarter on: up from it is to the back, what lay before lies above.
    let later = pose_at(&stage, &node, 13.0);
    assert!((later.position[1] + 0.4).abs() < 1e-5, "{later:?}");
    assert!((later.axes()[1][2] - 1.0).abs() < 1e-5, "{:?}", later.axes());
}

#[test]
fn a_surface_that_comes_up_throws_with_its_own_velocity() {
    let library = Plates { turns: false };
    let s = scene(|s| {
        s["bodies"]["cloth"]["grips"] = json!({});
        s["bodies"]["cloth"]["place"] = json!({ "position": [0, 0.004, 0] });
        s["fields"] = json!({ "g": { "name": "G", "act": { "gravity": { "strength": 0.0 } } } });
        s["colliders"] = json!({ "skin": { "name": "Skin", "form": { "figure": { "figure": "plate" } } } });
    });
    let frames = run(&s, &library, 12);
    let mean = |f: usize| frames[f].iter().map(|p| f64::from(p[1])).sum::<f64>() / frames[f].len() as f64;
    let speed = (mean(12) - mean(8)) * 24.0 / 4.0;
    assert!((speed - 1.0).abs() < 0.02, "{speed} m/s where it comes up at 1");
    assert!(frames[12].iter().all(|p| p[1] > 0.5), "some of it was left below");
}

#[test]
fn a_body_begins_where_what_it_stands_on_is() {
    let library = Plates { turns: false };
    let s = scene(|s| {
        s["bodies"]["cloth"]["place"]["on"] = json!({ "joint": { "figure": "plate", "joint": "lift" } });
        s["figures"]["plate"]["begins"] = json!(-11);
        s["figures"]["plate"]["size"] = json!(2);
    });
    let stage = Stage::new(&s, &library);
    let placed = shape(&stage, &s.bodies[0], &library).unwrap().placed;
    // Half a second at 1 m/s, twice as large.
    assert!((placed[0][1] - 1.05).abs() < 1e-6, "{:?}", placed[0]);
}

#[test]
fn same_bits_on_one_and_two_threads_with_all_of_it_moving() {
    let s = scene(|s| {
        s["colliders"] = json!({ "skin": { "name": "Skin", "form": { "figure": { "figure": "plate" } } },
            "cap": { "name": "Cap", "form": { "capsule": { "radius": 0.05, "length": 0.2 } },
                     "place": { "position": [0, 0.1, 0], "on": { "handle": "rider" } } } });
        s["handles"]["rider"]["place"]["turn"] = json!([{ "formula": "noise(3 * t)" }, 0, 0]);
    });
    let on = |n: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(n).build().unwrap();
        pool.install(|| run(&s, &Plates { turns: true }, 10))
    };
    assert_eq!(on(1), on(2));
}

#[test]
fn frames_before_a_change_stay_true() {
    let library = Plates { turns: true };
    let prints = |s: &Scene| fingerprints(s, &s.islands()[0], &library).unwrap().remove(0);
    let with = |then: &str, last: f64| {
        scene(|s| {
            s["figures"]["plate"]["then"] = json!(then);
            s["figures"]["plate"]["speed"] = json!(4);
            s["figures"]["plate"]["place"] = json!({ "position": [{ "keys": [
                { "frame": 1, "value": 0 }, { "frame": 15, "value": 0 }, { "frame": 20, "value": last }] }, 0, 0] });
        })
    };
    let base = prints(&with("hold", 0.2));
    // The clip ends after half a second, at frame 13: how it goes on counts from there.
    let same = |a: &[Fingerprint], b: &[Fingerprint]| a.iter().zip(b).take_while(|(a, b)| a == b).count();
    assert_eq!(same(&base, &prints(&with("repeat", 0.2))), 12);
    assert_eq!(same(&base, &prints(&with("hold", 0.3))), 15);
    assert_eq!(same(&base, &prints(&with("hold", 0.2))), 25);
}

#[test]
fn what_is_missing_is_told_in_words_and_nothing_is_run() {
    let fault = |change: &dyn Fn(&mut serde_json::Value)| {
        let s = scene(change);
        let library = Plates { turns: true };
        Run::start(&s, &s.islands()[0], &library).err().unwrap().to_string()
    };
    let joint = fault(&|s| s["handles"]["rider"]["place"]["on"]["joint"]["joint"] = json!("wing"));
    assert!(
        joint.contains("\"Rider\" stands on the joint \"wing\", which \"Plate\" does not have"),
        "{joint}"
    );
    let clip = fault(&|s| s["figures"]["plate"]["clip"] = json!("lands"));
    assert!(clip.contains("no clip \"lands\"; it has goes"), "{clip}");
    let part = fault(&|s| s["bodies"]["cloth"]["grips"]["edge"]["to"]["figure"]["parts"] = json!(["sail"]));
    assert!(part.contains("Edge") && part.contains("no part \"sail\"; it has plate"), "{part}");
    let skin = fault(&|s| {
        s["colliders"] =
            json!({ "c": { "name": "C", "form": { "figure": { "figure": "plate", "parts": ["x"] } } } });
    });
    assert!(skin.contains("\"C\"") && skin.contains("no part \"x\""), "{skin}");
}

#[test]
fn rings_over_figures_and_figures_that_are_not_there_are_refused() {
    let faults = |change: &dyn Fn(&mut serde_json::Value)| {
        let mut s = serde_json::to_value(scene(|_| {})).unwrap();
        change(&mut s);
        let all = parse(&s.to_string()).unwrap_err();
        all.iter().map(ToString::to_string).collect::<Vec<_>>().join("; ")
    };
    let ring = faults(&|s| s["figures"]["plate"]["place"] = json!({ "on": { "handle": "rider" } }));
    assert!(ring.contains("ring") && ring.contains("Rider") && ring.contains("lift of Plate"), "{ring}");
    let gone = faults(&|s| s["figures"] = json!({}));
    assert!(
        gone.contains("/bodies/cloth/grips/edge/to/figure") && gone.contains("/handles/rider/place/on"),
        "{gone}"
    );
    let moved = faults(&|s| {
        s["colliders"] = json!({ "c": { "name": "C", "form": { "figure": { "figure": "plate" } },
                                        "place": { "position": [1, 0, 0] } } });
    });
    assert!(moved.contains("it is where its figure is"), "{moved}");
}

#[test]
fn a_clip_without_length_stands_at_its_beginning() {
    let s = scene(|s| s["figures"]["plate"]["then"] = json!("repeat"));
    let f = &s.figures[0];
    assert_eq!(f.time(&s.frames, 9.0, 0.0), 0.0);
    assert_eq!(f.time(&s.frames, -100.0, 2.0), 0.0);
    let back = nematon_document::Figure { then: nematon_document::AtEnd::Back, ..f.clone() };
    assert!((back.time(&s.frames, 73.0, 2.0) - 1.0).abs() < 1e-12);
}

#[test]
fn stand_ins_stand_on_their_joints() {
    let s = scene(|_| {});
    let library = Plates { turns: true };
    let stage = Stage::new(&s, &library);
    let found = stand_ins(&stage, "plate", &[]).unwrap();
    assert_eq!(found.len(), 1);
    assert!(skin_cost(&stage, "plate").unwrap() > 0.0);
    let mut with = s.clone();
    with.colliders.insert(ColliderId("cap".into()), found[0].clone());
    let with = parse(&serde_json::to_string(&with).unwrap()).unwrap();
    let now = resolve(&Stage::new(&with, &library), &[], 13.0);
    // The plate has stood up: so has its capsule.
    assert!(now.colliders[0].1.position.iter().all(|c| c.abs() < 0.05), "{:?}", now.colliders);
}

#[test]
fn a_thing_keeps_its_place_when_it_is_given_another_to_stand_on() {
    let library = Plates { turns: true };
    let s = scene(|s| {
        s["handles"]["guy"] =
            json!({ "name": "Guy", "place": { "position": [0.3, 1, 2], "turn": [0.4, 1.2, -2] } })
    });
    let stage = Stage::new(&s, &library);
    let (own, frame) = (&s.handles["guy"].place, 7.0);
    let was = pose_at(&stage, own, frame);
    for on in [s.handles["rider"].place.on.clone(), Some(Parent::Handle("rider".into())), None] {
        let (position, turn) = place_on(&stage, own, on.clone(), None, frame);
        let moved = pose_at(&stage, &Node { on, ..Node::still(position, turn) }, frame);
        let same = |a: &[f32], b: &[f32]| a.iter().zip(b).all(|(a, b)| (a - b).abs() < 1e-5);
        assert!(same(&was.position, &moved.position), "{was:?} {moved:?}");
        let dot: f32 = was.turn.iter().zip(&moved.turn).map(|(a, b)| a * b).sum();
        assert!(dot.abs() > 0.99999, "{was:?} {moved:?}");
    }
}

#[test]
fn a_cloth_is_cut_from_a_skin_begins_where_that_is_and_follows_it_as_it_moves() {
    let cut = |follow: f64, parts: serde_json::Value| {
        scene(|s| {
            s["figures"]["plate"]["place"] = json!({ "position": [0, 2, 0] });
            let body = &mut s["bodies"]["cloth"];
            body["kind"] =
                json!({ "cloth": { "shape": { "figure": { "figure": "plate", "parts": parts } } } });
            body["place"] = json!({});
            body["grips"] = json!({});
            body["follow"] = json!(follow);
            s["fields"] = json!({ "g": { "name": "G", "act": { "gravity": { "strength": 9.81 } } } });
        })
    };
    let all = json!(["plate"]);
    let moved = run(&cut(1e6, all.clone()), &Plates { turns: false }, 24);
    assert_eq!(moved[0].len(), 121);
    assert!(moved[0].iter().all(|p| (p[1] - 2.0).abs() < 1e-5));
    // The plate goes up by a metre in a second.
    for frame in [6, 12, 24] {
        let worst = moved[0].iter().zip(&moved[frame]).map(|(a, b)| {
            (b[1] - a[1] - frame as f32 / 24.0).abs().max((b[0] - a[0]).abs()).max((b[2] - a[2]).abs())
        });
        let worst = worst.fold(0.0, f32::max);
        assert!(worst < 2e-3, "frame {frame}: off by {worst}");
    }
    // A turn of its joint is followed too.
    let turned = run(&cut(1e6, all.clone()), &Plates { turns: true }, 12);
    let across = turned[0].iter().position(|p| p[2] > 0.49).unwrap();
    let [a, b] = [0, 12].map(|f| turned[f][across]);
    assert!((b[1] - a[1]).abs() > 0.4 && (b[2]).abs() < 0.1, "a quarter of a second later: {a:?} {b:?}");
    let free = run(&cut(0.0, all), &Plates { turns: false }, 12);
    assert!(free[12].iter().all(|p| p[1] < 1.5), "it falls");
    let wrong = cut(0.0, json!(["wing"]));
    let why = Run::start(&wrong, &wrong.islands()[0], &Plates { turns: false }).err().unwrap().to_string();
    assert!(why.contains("Plate") && why.contains("wing") && why.contains("plate"), "{why}");
}

#[test]
fn a_cloth_of_a_skin_is_nowhere_else_and_its_figure_is_there() {
    let faults = |place: serde_json::Value, figure: &str| {
        let s = json!({
            "nematon": 2, "name": "S", "frames": { "first": 0, "last": 2 },
            "bodies": { "b": { "name": "B", "place": place, "kind": { "cloth": { "shape": { "figure": { "figure": figure } } } } } },
            "figures": { "plate": { "name": "Plate", "from": { "file": "plate.glb" } } },
        });
        parse(&s.to_string()).err().unwrap_or_default().into_iter().map(|f| f.path).collect::<Vec<String>>()
    };
    assert_eq!(faults(json!({}), "plate"), Vec::<String>::new());
    assert_eq!(faults(json!({ "position": [0, 1, 0] }), "plate"), ["/bodies/b/place"]);
    assert_eq!(faults(json!({}), "moth"), ["/bodies/b/kind/cloth/shape/figure/figure"]);
}

#[test]
fn a_cloth_that_is_cut_keeps_the_order_of_its_points_its_textures_and_its_faces() {
    let mut f = plate(false);
    let mesh = &mut f.parts[0].mesh;
    // Triangles in another order than the points, as files have them.
    mesh.triangles.reverse();
    mesh.uv_triangles.reverse();
    mesh.faces = vec![2; mesh.triangles.len() / 2];
    let (points, uvs) = (mesh.positions.len(), mesh.uv_triangles.clone());
    struct One(Arc<Figure>);
    impl MeshLibrary for One {
        fn mesh(&self, _: &nematon_document::MeshSource) -> Result<Arc<nematon_geometry::Mesh>, String> {
            Err("there is none".into())
        }
        fn figure(&self, _: &nematon_document::Figure) -> Result<Arc<Figure>, String> {
            Ok(self.0.clone())
        }
    }
    let library = One(Arc::new(f));
    let s = scene(|s| {
        s["bodies"]["cloth"] =
            json!({ "name": "Cloth", "kind": { "cloth": { "shape": { "figure": { "figure": "plate" } } } } });
    });
    let stage = Stage::new(&s, &library);
    let shaped = shape(&stage, &s.bodies[0], &library).unwrap();
    assert_eq!(shaped.mesh.positions.len(), points);
    assert_eq!((shaped.mesh.uv_triangles, shaped.mesh.faces), (uvs, vec![2; 100]));
    let want = &library.0.mesh().positions;
    assert!(shaped.mesh.positions.iter().zip(want).all(|(a, b)| (0..3).all(|c| (a[c] - b[c]).abs() < 1e-6)));
}
