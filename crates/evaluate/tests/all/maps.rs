//! What maps come to on the points of a body, and what follows from them when it moves.
use nematon_document::{MapId, MeshSource, Scene, parse};
use nematon_evaluate::*;
use nematon_geometry::{Mesh, sheet};
use nematon_paint::{Painting, Picture};
use nematon_solver::NoWatch;
use serde_json::{Value, json};
use std::sync::Arc;

/// What is painted is the u of a sheet of 21 by 21 points; the picture is two pixels, black and white.
struct Painted;

impl MeshLibrary for Painted {
    fn mesh(&self, _: &MeshSource) -> Result<Arc<Mesh>, String> {
        Err("there is none".into())
    }
    fn painting(&self, _: &MeshSource, strokes: &[MeshSource]) -> Result<Arc<Painting>, String> {
        if strokes.is_empty() {
            return Err("it is gone".into());
        }
        let surface = sheet(1.0, 1.0, 21, 21);
        let weights = surface.positions.iter().map(|p| p[0] + 0.5).collect();
        Ok(Arc::new(Painting { surface: Arc::new(surface), weights }))
    }
    fn picture(&self, from: &MeshSource) -> Result<Arc<Picture>, String> {
        match from {
            MeshSource::File(name) if name == "one.png" => {
                Ok(Arc::new(Picture { size: [1, 1], pixels: vec![[51, 0, 0, 255]] }))
            }
            MeshSource::File(_) => {
                Ok(Arc::new(Picture { size: [2, 1], pixels: vec![[0, 0, 0, 255], [255, 255, 255, 0]] }))
            }
            MeshSource::Blob(_) => Err("it is not kept here. Bring it in again".into()),
        }
    }
}

/// A sheet of a metre a side with a map of some layers.
fn scene(layers: Value, change: impl FnOnce(&mut Value)) -> Scene {
    let mut s = json!({
        "nematon": 2, "name": "S", "frames": { "first": 0, "last": 24, "rate": 24, "substeps": 8 },
        "bodies": { "cloth": {
            "name": "Cloth",
            "kind": { "cloth": { "shape": { "sheet": { "width": 1, "depth": 1, "columns": 21, "rows": 21 } } } },
            "place": { "position": [0, 1, 0] },
            "maps": { "m": { "name": "M", "layers": layers } },
        } },
        "handles": { "h": { "name": "H", "place": { "position": [0, 1, 0] } } },
        "fields": { "g": { "name": "Gravity", "act": { "gravity": { "strength": 9.81 } } } },
    });
    change(&mut s);
    parse(&s.to_string()).unwrap()
}

fn weights(s: &Scene, frame: f64) -> Result<Vec<([f32; 3], f32)>, String> {
    let stage = Stage::new(s, &Painted);
    let body = &s.bodies[0];
    let bare = nematon_document::Body::of("b", body.kind.clone());
    let mesh = shape(&stage, &bare, &Painted).unwrap().mesh;
    let ground = Ground { stage: &stage, place: &body.place, mesh: &mesh, library: &Painted };
    let dyed = ground.named(body, &MapId::from("m")).unwrap().map_err(|e| e.to_string())?;
    Ok(mesh.positions.iter().copied().zip(dyed.at(&stage, frame)).collect())
}

fn each(layers: Value, own: impl Fn([f32; 3]) -> f32) {
    for (p, w) in weights(&scene(layers, |_| ()), 0.0).unwrap() {
        assert!((w - own(p)).abs() < 2e-5, "{p:?}: {w} for {}", own(p));
    }
}

#[test]
fn layers_lie_over_each_other_in_their_order_and_the_whole_is_inverted_and_remapped() {
    let ramp =
        |blend: &str| json!({"blend": blend, "weights": {"ramp": {"along": "x", "from": -0.5, "to": 0.5}}});
    let z = json!({"weights": {"ramp": {"along": "z", "from": -0.5, "to": 0.5}}});
    let (u, v) = (|p: [f32; 3]| p[0] + 0.5, |p: [f32; 3]| p[2] + 0.5);
    each(json!([z, ramp("multiply")]), |p| u(p) * v(p));
    each(json!([z, ramp("take")]), |p| (v(p) - u(p)).max(0.0));
    each(json!([z, ramp("most")]), |p| v(p).max(u(p)));
    let mut half = ramp("over");
    half["strength"] = json!(0.25);
    each(json!([z, half]), |p| 0.75 * v(p) + 0.25 * u(p));
    let mut off = ramp("over");
    off["on"] = json!(false);
    each(json!([z, off]), v);
    let s = scene(json!([z]), |s| {
        s["bodies"]["cloth"]["maps"]["m"]["invert"] = json!(true);
        s["bodies"]["cloth"]["maps"]["m"]["remap"] = json!([[0.25, 0], [0.75, 1]]);
    });
    for (p, w) in weights(&s, 0.0).unwrap() {
        assert!((w - ((1.0 - v(p) - 0.25) / 0.5).clamp(0.0, 1.0)).abs() < 2e-5, "{p:?} {w}");
    }
    // Evened out, a step has a slope, and the mean stays.
    let step = json!([{"weights": {"ramp": {"along": "x", "from": -0.001, "to": 0.001}}}]);
    let rough = weights(&scene(step.clone(), |_| ()), 0.0).unwrap();
    let even = scene(step, |s| s["bodies"]["cloth"]["maps"]["m"]["smooth"] = json!(10));
    let even = weights(&even, 0.0).unwrap();
    let mean = |all: &[([f32; 3], f32)]| all.iter().map(|w| f64::from(w.1)).sum::<f64>() / all.len() as f64;
    assert!((mean(&rough) - mean(&even)).abs() < 0.01);
    assert!(even.iter().any(|w| (0.2..0.4).contains(&w.1)));
}

#[test]
fn a_distance_is_along_the_surface_and_a_picture_lies_by_the_uvs() {
    let back = json!([{"border": {"border": "back", "by": "all"}}]);
    each(json!([{"weights": {"distance": {"from": back, "reach": 0.4}}}]), |p| {
        (1.0 - (p[2] + 0.5) / 0.4).max(0.0)
    });
    let corner = json!([{"corner": "back left"}]);
    each(json!([{"weights": {"distance": {"from": corner, "reach": 1.0}}}]), |p| {
        (1.0 - (p[0] + 0.5).hypot(p[2] + 0.5)).max(0.0)
    });
    each(json!([{"weights": {"distance": {"from": [], "reach": 1.0}}}]), |_| 0.0);
    let wrong = weights(
        &scene(json!([{"weights": {"distance": {"from": [{"near": [[0, 0, 0]]}], "reach": 0}}}]), |_| ()),
        0.0,
    );
    assert_eq!(wrong.unwrap().iter().filter(|w| w.1 > 0.0).count(), 1, "of no reach the point alone");
    // Two pixels: black about u = 1/4, white about 3/4, in proportion between.
    let picture = |more: Value| {
        let mut p = json!({"from": {"file": "two.png"}});
        p.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        json!([{"weights": {"picture": p}}])
    };
    each(picture(json!({})), |p| {
        let x = 2.0 * (p[0] + 0.5) - 0.5;
        if x < 0.0 {
            -x
        } else if x > 1.0 {
            2.0 - x
        } else {
            x
        }
    });
    each(picture(json!({"channel": "alpha", "gain": 0, "bias": 0.1})), |_| 0.6);
    each(json!([{"weights": {"picture": {"from": {"file": "one.png"}, "channel": "red"}}}]), |_| 0.2);
    let gone = picture(json!({"from": {"blob": "0".repeat(64)}}));
    let why = weights(&scene(gone, |_| ()), 0.0).unwrap_err();
    assert!(why.contains("picture") && why.contains("Bring it in again"), "{why}");
}

#[test]
fn noise_is_the_same_again_another_by_its_seed_and_spread_over_0_to_1() {
    let noise = |seed: u32| json!([{"weights": {"noise": {"size": 0.1, "octaves": 3, "seed": seed}}}]);
    let of = |seed| {
        weights(&scene(noise(seed), |_| ()), 0.0).unwrap().into_iter().map(|w| w.1).collect::<Vec<f32>>()
    };
    assert_eq!(of(1), of(1));
    assert_ne!(of(1), of(2));
    let (least, most) = of(1).into_iter().fold((1f32, 0f32), |(a, b), w| (a.min(w), b.max(w)));
    assert!(least < 0.3 && most > 0.7, "{least} {most}");
}

#[test]
fn what_is_painted_is_carried_over_by_the_nearest_place_whatever_the_points_are() {
    let painted = json!([{"weights": {"painted": {"on": {"file": "a"}, "strokes": [{"file": "b"}]}}}]);
    let own = |w: f64| move |p: [f32; 3]| (f64::from(p[0]) / w + 0.5) as f32;
    each(painted.clone(), own(1.0));
    for (columns, rows, width) in [(8, 33, 1.0), (60, 60, 1.0), (41, 11, 2.0), (21, 21, 0.5)] {
        let s = scene(painted.clone(), |s| {
            s["bodies"]["cloth"]["kind"]["cloth"]["shape"]["sheet"] =
                json!({"width": width, "depth": 1, "columns": columns, "rows": rows});
        });
        for (p, w) in weights(&s, 0.0).unwrap() {
            assert!((w - own(width)(p)).abs() < 1e-4, "{columns} {rows}: {p:?} {w}");
        }
    }
    let none = json!([{"weights": {"painted": {"on": {"file": "a"}, "strokes": []}}}]);
    let why = weights(&scene(none, |_| ()), 0.0).unwrap_err();
    assert!(why.contains("\"M\"") && why.contains("it is gone"), "{why}");
    each(json!([{"weights": {"painted": {}}}]), |_| 0.0);
}

fn ball(edge: f64) -> Value {
    json!({"zone": {"place": {"position": [0, 0, 0], "on": {"handle": "h"}}, "form": {"ball": {"radius": 0.2}}, "edge": edge}})
}

#[test]
fn a_zone_is_told_beside_the_bodys_own_place_and_follows_what_it_stands_on() {
    let keyed = |s: &mut Value| {
        s["handles"]["h"]["place"]["position"][0] =
            json!({"keys": [{"frame": 0, "value": 0}, {"frame": 24, "value": 0.4}]});
    };
    let s = scene(json!([{"weights": ball(0.1)}]), keyed);
    for frame in [0.0, 6.0, 24.0] {
        for (p, w) in weights(&s, frame).unwrap() {
            let far = f64::from(p[0] - 0.4 * frame as f32 / 24.0).hypot(f64::from(p[2]));
            let t = (1.0 - (far - 0.2).max(0.0) / 0.1).max(0.0);
            assert!((f64::from(w) - t * t * (3.0 - 2.0 * t)).abs() < 1e-4, "{frame}: {p:?} {w}");
        }
    }
    // Where the body stands on the same handle, both move alike.
    let with = scene(json!([{"weights": ball(0.1)}]), |s| {
        keyed(s);
        s["bodies"]["cloth"]["place"] = json!({"position": [0, 0, 0], "on": {"handle": "h"}});
    });
    let (a, b) = (weights(&with, 0.0).unwrap(), weights(&with, 24.0).unwrap());
    assert!(a.iter().zip(&b).all(|(a, b)| (a.1 - b.1).abs() < 1e-5));
}

fn run(s: &Scene, frames: usize) -> Vec<Vec<[f32; 3]>> {
    let mut run = Run::start(s, &s.islands()[0], &Painted).unwrap();
    let mut out = vec![run.positions(0)];
    for _ in 0..frames {
        run.advance(&NoWatch).unwrap();
        out.push(run.positions(0));
    }
    out
}

fn prints(s: &Scene) -> Vec<Fingerprint> {
    fingerprints(s, &s.islands()[0], &Painted).unwrap().remove(0)
}

#[test]
fn a_grip_holds_by_its_map_firmly_where_it_is_whole_less_where_it_fades_and_not_beyond() {
    let ramp = json!([{"weights": {"ramp": {"along": "z", "from": 0.0, "to": -0.4}}}]);
    let s = scene(ramp, |s| {
        s["bodies"]["cloth"]["grips"] = json!({"g": {"name": "G", "points": [], "map": "m"}});
    });
    let moved = run(&s, 12);
    let down = |z: f32| {
        let all = moved[0].iter().zip(&moved[12]).filter(|(p, _)| (p[2] - z).abs() < 1e-3);
        let all: Vec<f32> = all.map(|(a, b)| a[1] - b[1]).collect();
        all.iter().sum::<f32>() / all.len() as f32
    };
    assert_eq!(down(-0.5), 0.0);
    assert_eq!(down(-0.4), 0.0);
    let (soft, edge, free) = (down(-0.25), down(0.0), down(0.5));
    assert!(soft > 0.0 && soft < 0.02, "{soft}");
    assert!(edge > soft && free > 5.0 * edge.max(0.01), "{soft} {edge} {free}");
}

#[test]
fn a_zone_whose_place_is_keyed_lets_go_where_it_leaves_and_only_from_there_on() {
    let hold = |to: f64, at: i64| {
        scene(json!([{"weights": ball(0.2)}]), |s| {
            s["handles"]["h"]["place"]["position"][0] = json!({"keys": [{"frame": 0, "value": 0}, {"frame": 12, "value": 0}, {"frame": at, "value": to}]});
            s["bodies"]["cloth"]["grips"] = json!({"g": {"name": "G", "points": [], "map": "m"}});
        })
    };
    let (stays, goes, later) = (hold(0.0, 14), hold(5.0, 14), hold(6.0, 14));
    // The map of one that stays is told once; the two that go are told frame by frame, alike up to frame 12.
    let (a, b) = (prints(&goes), prints(&later));
    assert_eq!(a.iter().zip(&b).take_while(|(a, b)| a == b).count(), 13);
    let middle = |all: &[Vec<[f32; 3]>], frame: usize| {
        let p = all[0].iter().position(|p| p[0].hypot(p[2]) < 1e-3).unwrap();
        all[0][p][1] - all[frame][p][1]
    };
    let (stays, goes) = (run(&stays, 24), run(&goes, 24));
    assert!(middle(&stays, 24).abs() < 1e-3, "{}", middle(&stays, 24));
    assert!(middle(&goes, 12).abs() < 2e-3, "{}", middle(&goes, 12));
    assert!(middle(&goes, 24) > 0.3, "{}", middle(&goes, 24));
}

#[test]
fn what_follows_rides_with_what_it_stands_on_as_strongly_as_its_map_says() {
    let follow = |layers: Value, strength: Value| {
        scene(layers, |s| {
            s["handles"]["h"]["place"]["position"][1] =
                json!({"keys": [{"frame": 0, "value": 1}, {"frame": 12, "value": 1.5}]});
            s["bodies"]["cloth"]["place"] = json!({"position": [0, 0, 0], "on": {"handle": "h"}});
            s["bodies"]["cloth"]["follow"] = strength;
            s["bodies"]["cloth"]["scaled"] = json!({"follow": {"map": "m"}});
        })
    };
    let all = json!([{"weights": {"ramp": {"along": "x", "from": -3, "to": -2}}}]);
    let strong = run(&follow(all.clone(), json!(1e6)), 20);
    for (a, b) in strong[0].iter().zip(&strong[20]) {
        assert!((b[1] - a[1] - 0.5).abs() < 1e-3 && (a[0] - b[0]).abs() < 1e-3, "{a:?} {b:?}");
    }
    let none = json!([{"weights": {"ramp": {"along": "x", "from": 2, "to": 3}}}]);
    let weak = run(&follow(none, json!(1e6)), 20);
    assert!(weak[20].iter().all(|p| p[1] < 0.0), "of no weight it falls");
    // By keys: a change at frame 12 leaves what is before it true.
    let keyed = |v: f64| json!({"keys": [{"frame": 0, "value": 400}, {"frame": 12, "value": 400}, {"frame": 13, "value": v}]});
    let (a, b) = (prints(&follow(all.clone(), keyed(0.0))), prints(&follow(all.clone(), keyed(100.0))));
    assert_eq!(a.iter().zip(&b).take_while(|(a, b)| a == b).count(), 13);
    // Half of it at the ends by least and most.
    let mut s = follow(all, json!(1e6));
    s.bodies[0].scaled[0].most = 0.0;
    assert!(run(&s, 20)[20].iter().all(|p| p[1] < 0.0), "most is what weights of 1 come to");
}

#[test]
fn same_bits_on_one_and_two_threads_with_maps_that_move() {
    let s =
        scene(json!([{"weights": ball(0.2)}, {"blend": "most", "weights": {"noise": {"size": 0.3}}}]), |s| {
            s["handles"]["h"]["place"]["position"][0] = json!({"formula": "0.3 * sin(3 * t)"});
            s["bodies"]["cloth"]["grips"] =
                json!({"g": {"name": "G", "points": [], "map": "m", "spring": 30}});
            s["bodies"]["cloth"]["follow"] = json!(20);
        });
    let on = |threads: usize| {
        rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap().install(|| run(&s, 8))
    };
    assert_eq!(on(1), on(2));
}

#[test]
fn strokes_names_and_dyes_count_by_what_they_come_to() {
    let s = |dye: &str, smooth: u32| {
        scene(json!([{"weights": {"noise": {"size": 0.3}}}]), |s| {
            let map = &mut s["bodies"]["cloth"]["maps"]["m"];
            (map["dye"], map["smooth"]) = (json!(dye), json!(smooth));
            s["bodies"]["cloth"]["scaled"] = json!({"bend": {"map": "m", "least": 1, "most": 3}});
        })
    };
    assert_eq!(prints(&s("woad", 0)), prints(&s("moss", 0)));
    assert_ne!(prints(&s("woad", 0))[0], prints(&s("woad", 2))[0]);
}
