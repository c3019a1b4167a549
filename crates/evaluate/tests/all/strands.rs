//! Strands from a scene: where they grow, that their roots go along, and what must not matter.
use crate::figures::Plates;
use nematon_document::{BodyId, parse, validate};
use nematon_evaluate::{MeshLibrary, NoMeshes, Run, Stage, fibre_feel, fingerprints, shape};
use nematon_solver::NoWatch;
use serde_json::{Value, json};
use std::f64::consts::{FRAC_PI_2, PI};

fn scene(strands: Value, more: impl FnOnce(&mut Value)) -> Value {
    let mut s = json!({ "nematon": nematon_document::VERSION, "name": "Scene",
        "frames": { "first": 0, "last": 24, "rate": 24, "substeps": 10 },
        "bodies": { "tuft": { "name": "Tuft", "kind": { "strands": { "count": 1, "points": 12, "length": 0.2 } } } },
        "fields": { "gravity": { "name": "Gravity", "act": { "gravity": { "strength": 9.81 } } } } });
    for (k, v) in strands.as_object().unwrap() {
        s["bodies"]["tuft"]["kind"]["strands"][k] = v.clone();
    }
    more(&mut s);
    s
}

/// Where all points are at the last frame.
fn ended(s: &Value, library: &dyn MeshLibrary) -> Vec<[f64; 3]> {
    let s = parse(&s.to_string()).unwrap_or_else(|e| panic!("{e:?}"));
    let mut run = Run::start(&s, &s.islands()[0], library).unwrap_or_else(|e| panic!("{e}"));
    while !run.is_done() {
        run.advance(&NoWatch).unwrap();
    }
    run.places(0)
}

fn far(a: [f64; 3], b: [f64; 3]) -> f64 {
    (0..3).map(|c| (a[c] - b[c]).powi(2)).sum::<f64>().sqrt()
}

fn farthest(a: &[[f64; 3]], b: &[[f64; 3]]) -> f64 {
    assert_eq!(a.len(), b.len());
    a.iter().zip(b).map(|(a, b)| far(*a, *b)).fold(0.0, f64::max)
}

#[test]
fn one_held_level_droops_as_the_elastica_and_as_is_told_beforehand() {
    // λ g L³ / B of a round fibre is 16 ρ g L³ / E d².
    let gamma = |d: f64| 16.0 * 1300.0 * 9.81 * 0.3f64.powi(3) / (3e9 * d * d);
    for (want, tip) in [(1.0, [0.99125, -0.12347]), (10.0, [0.65635, -0.70020])] {
        let diameter = 0.001 * (gamma(0.001) / want).sqrt();
        let own = json!({ "size": [0, 0], "points": 33, "length": 0.3, "bow": 0, "taper": 0, "density": 1300,
            "modulus": 3e9, "diameter": diameter, "damping": 5, "drag": 0 });
        let s = scene(own, |s| {
            s["frames"]["last"] = json!(240);
            s["frames"]["substeps"] = json!(20);
            s["bodies"]["tuft"]["place"] = json!({ "position": [0, 1, 0], "turn": [0, 0, -FRAC_PI_2] });
        });
        let end = ended(&s, &NoMeshes)[32];
        let got = [end[0] / 0.3, (end[1] - 1.0) / 0.3];
        println!("Γ {want}: {got:.5?}, expected {tip:?}");
        assert!((got[0] - tip[0]).hypot(got[1] - tip[1]) < 0.004, "{got:?} where {tip:?} is expected");
        let parsed = parse(&s.to_string()).unwrap();
        let told = fibre_feel(&Stage::new(&parsed, &NoMeshes), &parsed.bodies[0]).unwrap();
        let last = told.droop[told.droop.len() - 1].map(|c| c / 0.3);
        assert!((last[0] - tip[0]).hypot(last[1] - tip[1]) < 0.002, "{last:?} is told");
        // f = 3.516 / 2π L² √(B/λ), B/λ = g L³ / Γ.
        let law = 3.516 / (2.0 * PI * 0.09) * (9.81 * 0.3f64.powi(3) / want).sqrt();
        assert!((told.frequency / law - 1.0).abs() < 0.02, "{} Hz where {law} is expected", told.frequency);
    }
}

#[test]
fn they_grow_evenly_as_long_as_they_are_and_thin_out_or_wind_as_they_are_told() {
    let own = json!({ "count": 300, "size": [0.4, 0.2], "variation": 0.2, "windings": 3, "winding_radius": 0.004,
        "bow": 0.5, "lean": [0.5, 0, 0] });
    let s = parse(&scene(own, |_| ()).to_string()).unwrap();
    let of = shape(&Stage::new(&s, &NoMeshes), &s.bodies[0], &NoMeshes).unwrap();
    assert_eq!((of.mesh.strands.len(), of.placed.len()), (300, 3600));
    let wide = |p: [f32; 3]| p.map(f64::from);
    let mut lengths = vec![];
    for strand in of.placed.chunks(12) {
        let root = strand[0];
        assert!(root[0].abs() <= 0.2 && root[1] == 0.0 && root[2].abs() <= 0.1, "{root:?}");
        lengths.push(strand.windows(2).map(|w| far(wide(w[0]), wide(w[1]))).sum::<f64>());
        assert!(strand[11][0] > root[0], "it leans");
    }
    let (least, most) = lengths.iter().fold((f64::MAX, 0.0f64), |(a, b), l| (a.min(*l), b.max(*l)));
    assert!(least > 0.159 && most < 0.241 && most - least > 0.06, "{least} to {most}");
    // Every seed is a growth of its own, and no name is.
    let roots = |seed: u32, name: &str| {
        let s = scene(json!({ "count": 60, "seed": seed }), |s| s["bodies"]["tuft"]["name"] = json!(name));
        let s = parse(&s.to_string()).unwrap();
        shape(&Stage::new(&s, &NoMeshes), &s.bodies[0], &NoMeshes).unwrap().placed
    };
    assert_eq!(roots(1, "Tuft"), roots(1, "Another"));
    assert_ne!(roots(1, "Tuft"), roots(2, "Tuft"));
}

#[test]
fn roots_ride_on_a_figure_in_place_and_turn() {
    let library = Plates { turns: true };
    let own = json!({ "count": 40, "length": 0.1, "points": 6, "bow": 0, "diameter": 0.004, "modulus": 1e10,
        "taper": 0, "drag": 0, "from": { "figure": { "figure": "plate" } } });
    let s = scene(own, |s| {
        s["frames"] = json!({ "first": 1, "last": 13, "rate": 24, "substeps": 20 });
        s["figures"] = json!({ "plate": { "name": "Plate", "from": { "file": "plate.glb" }, "begins": 1 } });
    });
    let parsed = parse(&s.to_string()).unwrap();
    let first = shape(&Stage::new(&parsed, &library), &parsed.bodies[0], &library).unwrap().placed;
    let places = ended(&s, &library);
    // Half a turn a second: a quarter by then. What stood up along y stands along z.
    for (before, now) in first.chunks(6).zip(places.chunks(6)) {
        let turned = |p: [f32; 3]| [f64::from(p[0]), -f64::from(p[2]), f64::from(p[1])];
        assert!(far(turned(before[0]), now[0]) < 2e-4, "{:?} rides to {:?}", before[0], now[0]);
        let way: [f64; 3] = std::array::from_fn(|c| (now[1][c] - now[0][c]) / far(now[1], now[0]));
        assert!(way[2].abs() > 0.995, "its root goes along {way:?}");
        let all = far(turned(before[5]), now[5]);
        assert!(all < 0.02, "its tip is {all} m off");
    }
}

#[test]
fn where_when_in_which_order_and_by_which_name_does_not_matter() {
    let wind = json!({ "name": "Wind", "act": { "wind": { "speed": 4, "heading": 0.6, "gust": 0 } } });
    let own = json!({ "count": 12, "length": 0.15, "windings": 2, "diameter": 0.0006 });
    let base = |more: &dyn Fn(&mut Value)| {
        scene(own.clone(), |s| {
            s["fields"]["wind"] = wind.clone();
            s["bodies"]["tuft"]["place"] = json!({ "position": [0, 1, 0] });
            more(s);
        })
    };
    let here = ended(&base(&|_| ()), &NoMeshes);
    let there =
        ended(&base(&|s| s["bodies"]["tuft"]["place"]["position"] = json!([1024, 1, -512])), &NoMeshes);
    let back: Vec<_> = there.iter().map(|p| [p[0] - 1024.0, p[1], p[2] + 512.0]).collect();
    assert!(farthest(&here, &back) < 1e-5, "a kilometre away: {}", farthest(&here, &back));
    let later = ended(
        &base(&|s| s["frames"] = json!({ "first": 100, "last": 124, "rate": 24, "substeps": 10 })),
        &NoMeshes,
    );
    assert!(farthest(&here, &later) < 1e-9, "later: {}", farthest(&here, &later));
    let named = ended(
        &base(&|s| {
            let tuft = s["bodies"]["tuft"].clone();
            s["bodies"] = json!({ "zither": tuft });
        }),
        &NoMeshes,
    );
    assert_eq!(here, named);
    // Cut twice and four times as finely in time it goes the same way.
    let fine = |n: u32| ended(&base(&|s| s["frames"]["substeps"] = json!(n)), &NoMeshes);
    let (a, b, c) = (here, fine(20), fine(40));
    println!("{} then {}", farthest(&a, &b), farthest(&b, &c));
    assert!(farthest(&a, &b) < 2e-4 && farthest(&b, &c) < 1e-4);
}

#[test]
fn frames_are_the_same_bits_from_a_checkpoint_and_known_by_what_they_were_made_from() {
    let s = scene(json!({ "count": 30, "length": 0.15 }), |s| {
        s["floor"] = json!({ "height": -0.02 });
        s["bodies"]["tuft"]["place"] = json!({ "position": [0, 0, 0], "turn": [1.2, 0, 0] });
    });
    let parsed = parse(&s.to_string()).unwrap();
    let bits = |run: &Run| run.places(0).into_iter().map(|p| p.map(f64::to_bits)).collect::<Vec<_>>();
    let mut run = Run::start(&parsed, &parsed.islands()[0], &NoMeshes).unwrap();
    (0..9).for_each(|_| run.advance(&NoWatch).unwrap());
    let kept = run.snapshot();
    (9..24).for_each(|_| run.advance(&NoWatch).unwrap());
    let mut again = Run::start(&parsed, &parsed.islands()[0], &NoMeshes).unwrap();
    again.resume(9, &kept).unwrap();
    (9..24).for_each(|_| again.advance(&NoWatch).unwrap());
    assert_eq!(bits(&run), bits(&again));
    let prints = |change: &dyn Fn(&mut Value)| {
        let mut s = s.clone();
        change(&mut s);
        fingerprints(&parse(&s.to_string()).unwrap(), &[BodyId::from("tuft")], &NoMeshes).unwrap().remove(0)
    };
    let own = prints(&|_| ());
    assert_eq!(own, prints(&|s| s["bodies"]["tuft"]["name"] = json!("Other")));
    for (key, value) in
        [("diameter", json!(0.0005)), ("hinged", json!(true)), ("seed", json!(3)), ("along", json!(0.3))]
    {
        assert_ne!(
            own[0],
            prints(&|s| s["bodies"]["tuft"]["kind"]["strands"][key] = value.clone())[0],
            "{key}"
        );
    }
}

#[test]
fn what_can_not_grow_is_told_where_it_is() {
    let told = |own: Value, more: &dyn Fn(&mut Value)| {
        let s = scene(own, |s| more(s));
        match validate(&s) {
            Ok(s) => {
                Run::start(&s, &s.islands()[0], &NoMeshes).err().map_or(String::new(), |e| e.to_string())
            }
            Err(f) => f.iter().map(|f| format!("{} {}", f.path, f.message)).collect::<Vec<_>>().join("; "),
        }
    };
    let none: &dyn Fn(&mut Value) = &|_| ();
    assert!(told(json!({ "count": 50_000, "points": 100 }), none).contains("Grow fewer"));
    assert!(told(json!({ "points": 1 }), none).contains("points"));
    assert!(
        told(json!({ "from": { "points": [[0, 0, 0]] }, "count": 2 }), none)
            .contains("1 places to grow from")
    );
    assert!(told(json!({ "from": { "figure": { "figure": "owl" } } }), none).contains("which there is not"));
    assert!(
        told(json!({ "from": { "collider": "ground" } }), &|s| {
            s["colliders"] = json!({ "ground": { "name": "Ground", "form": { "plane": {} } } });
        })
        .contains("has no end")
    );
    assert!(told(json!({}), &|s| s["bodies"]["tuft"]["follow"] = json!(100)).contains("by their stiffness"));
    // A patch that is a line or a point has them all the same.
    for size in [json!([0.2, 0]), json!([0, 0])] {
        assert_eq!(told(json!({ "size": size, "count": 5 }), none), "");
    }
}

#[test]
fn strands_that_grow_on_a_cloth_ride_on_it_and_turn_with_it() {
    let own = json!({ "count": 60, "length": 0.05, "points": 5, "bow": 0, "diameter": 0.0008, "from": { "body": "cape" } });
    let s = scene(own, |s| {
        s["frames"]["substeps"] = json!(20);
        s["bodies"]["cape"] = json!({ "name": "Cape",
            "kind": { "cloth": { "shape": { "sheet": { "width": 0.4, "depth": 0.4, "columns": 13, "rows": 13 } } } },
            "place": { "position": [0, 2, 0] },
            "grips": { "edge": { "name": "Edge", "points": [{ "border": { "border": "back", "by": "all" } }], "to": "world" } } });
    });
    let parsed = parse(&s.to_string()).unwrap_or_else(|e| panic!("{e:?}"));
    assert_eq!(parsed.islands().len(), 1, "they are computed together");
    let mut run = Run::start(&parsed, &parsed.islands()[0], &NoMeshes).unwrap_or_else(|e| panic!("{e}"));
    let cape = run.members.iter().position(|m| m.id.0 == "cape").unwrap();
    let first = run.places(1 - cape);
    // Where each grows: on the level sheet, and straight out of it.
    assert!(first.chunks(5).all(|p| (p[0][1] - 2.0).abs() < 1e-6 && p[4][1] > 2.03));
    let triangles = run.members[cape].shaped.mesh.triangles.clone();
    while !run.is_done() {
        run.advance(&NoWatch).unwrap();
    }
    let (cloth, hairs) = (run.places(cape), run.places(1 - cape));
    assert!(cloth.iter().map(|p| p[1]).fold(f64::MAX, f64::min) < 1.8, "the cape swings down");
    let v = |p: [f64; 3]| glam::DVec3::from(p);
    for strand in hairs.chunks(5) {
        let (root, next) = (v(strand[0]), v(strand[1]));
        let near = triangles.iter().map(|t| {
            let [a, b, c] = t.map(|p| v(cloth[p as usize]));
            let out = (b - a).cross(c - a).normalize();
            let middle = (a + b + c) / 3.0;
            (
                (root - middle).dot(out).abs() + 0.2 * root.distance(middle),
                (root - middle).dot(out).abs(),
                out,
            )
        });
        let (_, off, out) = near.min_by(|a, b| a.0.total_cmp(&b.0)).unwrap();
        assert!(off < 2e-3, "a root is {off} m off the cape");
        // Beside a fold the nearest triangle is not always its own.
        let cos = (next - root).normalize().dot(out).abs();
        assert!(cos > 0.8, "it stands out of it by {cos}");
    }
    // Nothing hangs on itself, and only cloth has a surface.
    let mut ring = s.clone();
    ring["bodies"]["tuft"]["kind"]["strands"]["from"] = json!({ "body": "tuft" });
    let why = parse(&ring.to_string()).unwrap_err();
    assert!(why.iter().any(|f| f.to_string().contains("no surface to grow on")), "{why:?}");
}

#[test]
fn hairs_grow_between_strands_on_what_those_grow_on_and_change_no_frame() {
    let hairs = json!({ "count": 400, "seed": 2, "shorter": 0.3 });
    let own = json!({ "count": 80, "size": [0.4, 0.2], "hairs": hairs });
    let s = parse(&scene(own.clone(), |_| ()).to_string()).unwrap();
    let stage = Stage::new(&s, &NoMeshes);
    let shaped = shape(&stage, &s.bodies[0], &NoMeshes).unwrap();
    let found = nematon_evaluate::hairs(&stage, &s.bodies[0], &shaped, &NoMeshes).unwrap().unwrap();
    assert_eq!(found.hairs.len(), 400);
    let frame = found.frame(&shaped.placed, &shaped.placed);
    assert_eq!(frame.len(), found.mesh().positions.len());
    let mut left = 0;
    for h in frame.chunks(12) {
        assert!(h[0][1].abs() < 1e-6 && h[0][0].abs() <= 0.2 && h[0][2].abs() <= 0.1, "{:?}", h[0]);
        let long: f64 = h.windows(2).map(|w| far(w[0].map(f64::from), w[1].map(f64::from))).sum();
        assert!(long > 0.08 && long < 0.32, "{long}");
        left += usize::from(h[0][0] < 0.0);
    }
    assert!((150..250).contains(&left), "{left} of 400 on the left");
    let many = scene(json!({ "count": 10, "points": 50, "hairs": { "count": 100_000 } }), |_| ());
    let why = parse(&many.to_string()).unwrap_err().iter().map(ToString::to_string).collect::<String>();
    assert!(why.contains("the most is 4000000. Grow fewer"), "{why}");
    // Those of a body that grows by a map grow by it too.
    let by_map = scene(own, |s| {
        s["bodies"]["tuft"]["kind"]["strands"]["spread"] = json!("right");
        s["bodies"]["tuft"]["maps"] = json!({ "right": { "name": "Right", "layers": [{ "weights": { "ramp": { "along": "x", "from": -0.01, "to": 0.01 } } }] } });
    });
    let s = parse(&by_map.to_string()).unwrap_or_else(|e| panic!("{e:?}"));
    let stage = Stage::new(&s, &NoMeshes);
    let shaped = shape(&stage, &s.bodies[0], &NoMeshes).unwrap();
    let found = nematon_evaluate::hairs(&stage, &s.bodies[0], &shaped, &NoMeshes).unwrap().unwrap();
    let roots = found.frame(&shaped.placed, &shaped.placed);
    assert!(roots.chunks(12).all(|h| h[0][0] > -0.011));
}

/// Curves and strokes at hand.
#[derive(Default)]
struct Kept {
    curves: Vec<Vec<[f64; 3]>>,
    combed: Vec<std::sync::Arc<nematon_paint::Combed>>,
}

impl MeshLibrary for Kept {
    fn mesh(
        &self,
        _: &nematon_document::MeshSource,
    ) -> Result<std::sync::Arc<nematon_geometry::Mesh>, String> {
        Err("there is none".into())
    }
    fn curves(&self, _: &nematon_document::MeshSource) -> Result<std::sync::Arc<Vec<Vec<[f64; 3]>>>, String> {
        Ok(std::sync::Arc::new(self.curves.clone()))
    }
    fn combed(
        &self,
        from: &nematon_document::MeshSource,
    ) -> Result<std::sync::Arc<nematon_paint::Combed>, String> {
        let nematon_document::MeshSource::File(name) = from else { return Err("it is not here".into()) };
        Ok(self.combed[name.parse::<usize>().map_err(|e| e.to_string())?].clone())
    }
}

#[test]
fn curves_of_a_file_are_strands_with_their_points_evenly_along_them() {
    let curves = vec![
        vec![[0.0, 0.0, 0.0], [0.0, 0.1, 0.0], [0.3, 0.1, 0.0]],
        vec![[0.5, 0.0, 0.0], [0.5, 0.2, 0.0]],
        vec![[0.7, 0.0, 0.0], [0.7, 0.0, 0.05], [0.7, 0.1, 0.05], [0.7, 0.2, 0.05]],
    ];
    let library = Kept { curves, ..Kept::default() };
    let s = scene(json!({ "points": 5, "curves": { "file": "guides.obj" } }), |s| {
        s["bodies"]["tuft"]["place"] = json!({ "position": [0, 1, 0] });
    });
    let parsed = parse(&s.to_string()).unwrap();
    let of = shape(&Stage::new(&parsed, &library), &parsed.bodies[0], &library).unwrap();
    assert_eq!(of.mesh.strands, vec![5, 5, 5]);
    let near = |k: usize, want: [f64; 3]| {
        let got = of.placed[k].map(f64::from);
        assert!(far(got, want) < 1e-6, "{k}: {got:?} where {want:?} is expected");
    };
    near(0, [0.0, 1.0, 0.0]);
    near(1, [0.0, 1.1, 0.0]);
    near(2, [0.1, 1.1, 0.0]);
    near(4, [0.3, 1.1, 0.0]);
    near(7, [0.5, 1.1, 0.0]);
    near(14, [0.7, 1.2, 0.05]);
    // They move as any, and as any they come back.
    let places = ended(&s, &library);
    assert!(far(places[0], [0.0, 1.0, 0.0]) < 1e-9 && places[4][1] < 1.1);
}

#[test]
fn what_is_combed_is_how_they_are_at_rest_and_outlives_another_count() {
    use nematon_paint::{Comb, CombDab, Combs, Edge};
    let own =
        json!({ "count": 200, "size": [0.3, 0.3], "length": 0.1, "bow": 0, "variation": 0, "points": 8 });
    let mut library = Kept::default();
    let s = parse(&scene(own.clone(), |_| ()).to_string()).unwrap();
    let comb = Comb { does: Combs::Lay, radius: 0.08, strength: 1.0, edge: Edge::Soft };
    let stage = Stage::new(&s, &library);
    let mut groom = nematon_evaluate::groom((&stage, &library), &s.bodies[0], comb, &[]).unwrap();
    let before = shape(&stage, &s.bodies[0], &library).unwrap().placed;
    let mut shown = before.clone();
    for k in 0..20 {
        let at = [-0.1 + 0.01 * f64::from(k), 0.05, 0.0];
        let dab = CombDab { at, by: [0.01, 0.0, 0.0], eye: [0.0, 1.0, 1.0], pressure: 1.0 };
        let (changed, points) = groom.dab(&dab);
        for (strand, own) in changed.iter().zip(points.chunks(8)) {
            shown[8 * *strand as usize..8 * (*strand as usize + 1)].copy_from_slice(own);
        }
    }
    let stroke = groom.combed(false).unwrap();
    library.combed.push(std::sync::Arc::new(stroke));
    let with = |count: u32| {
        let mut own = own.clone();
        own["count"] = json!(count);
        own["combed"] = json!([{ "file": "0" }]);
        let s = parse(&scene(own, |_| ()).to_string()).unwrap();
        shape(&Stage::new(&s, &library), &s.bodies[0], &library).unwrap().placed
    };
    // What was on screen while combing is what there is.
    let kept = with(200);
    let off =
        kept.iter().zip(&shown).map(|(a, b)| far(a.map(f64::from), b.map(f64::from))).fold(0.0, f64::max);
    assert!(off < 1e-6, "{off}");
    let leans = |all: &[[f32; 3]]| {
        let near = all.chunks(8).filter(|s| s[0][0].abs() < 0.05 && s[0][2].abs() < 0.03);
        let each: Vec<f64> = near.map(|s| f64::from(s[7][0] - s[0][0])).collect();
        each.iter().sum::<f64>() / each.len() as f64
    };
    assert!(leans(&before).abs() < 1e-6 && leans(&kept) > 0.03, "{}", leans(&kept));
    // Others in their places lie as they did.
    let other = with(350);
    assert!((leans(&other) / leans(&kept) - 1.0).abs() < 0.25, "{} and {}", leans(&other), leans(&kept));
}

#[test]
fn strands_in_clumps_hold_together_in_a_gust() {
    let spread = |clumps: Value| {
        let own = json!({ "count": 120, "size": [0.1, 0.1], "length": 0.2, "bow": 0, "clumps": clumps });
        let s = scene(own, |s| {
            s["fields"]["eddies"] =
                json!({ "name": "Eddies", "act": { "turbulence": { "strength": 5, "size": 0.06 } } });
        });
        let places = ended(&s, &NoMeshes);
        let tips: Vec<[f64; 3]> = places.chunks(12).map(|p| p[11]).collect();
        let near = |k: usize| {
            (0..tips.len()).filter(|o| *o != k).map(|o| far(tips[k], tips[o])).fold(f64::MAX, f64::min)
        };
        (0..tips.len()).map(near).sum::<f64>() / tips.len() as f64
    };
    let (loose, tied) =
        (spread(Value::Null), spread(json!({ "count": 8, "stiffness": 2, "from": 0.3, "wide": 0.3 })));
    println!("the nearest tip is {loose:.4} m off, {tied:.4} where they are tied");
    assert!(tied < 0.7 * loose);
}

#[test]
fn a_ramp_goes_from_root_to_tip() {
    let with = |along: &str| {
        scene(json!({ "count": 3, "points": 5 }), |s| {
            s["bodies"]["tuft"]["maps"] = json!({ "tips": { "name": "Tips",
                "layers": [{ "weights": { "ramp": { "along": along, "from": 0.5, "to": 1 } } }] } });
            s["bodies"]["tuft"]["scaled"] = json!({ "drag": { "map": "tips", "least": 0, "most": 2 } });
        })
    };
    let s = parse(&with("strand").to_string()).unwrap_or_else(|e| panic!("{e:?}"));
    let of = shape(&Stage::new(&s, &NoMeshes), &s.bodies[0], &NoMeshes).unwrap();
    let drag = of.maps.of(nematon_solver::Scaled::Drag);
    for strand in drag.chunks(5) {
        assert_eq!(strand, [0.0, 0.0, 0.0, 1.0, 2.0]);
    }
    let s = parse(&with("u").to_string());
    let why = s.unwrap_err().iter().map(ToString::to_string).collect::<String>();
    assert!(why.contains("no surface"), "{why}");
}

#[test]
fn they_grow_all_through_what_is_closed() {
    let own = json!({ "count": 120, "length": 0.05, "from": { "collider": "crate" }, "inside": true });
    let s = scene(own, |s| {
        s["colliders"] = json!({ "crate": { "name": "Crate", "form": { "box": { "size": [0.4, 0.2, 0.3] } },
            "place": { "position": [1, 2, 0] } } });
    });
    let parsed = parse(&s.to_string()).unwrap_or_else(|e| panic!("{e:?}"));
    let of = shape(&Stage::new(&parsed, &NoMeshes), &parsed.bodies[0], &NoMeshes).unwrap();
    assert_eq!(of.mesh.strands.len(), 120);
    let roots: Vec<[f64; 3]> = of.placed.chunks(12).map(|p| p[0].map(f64::from)).collect();
    for r in &roots {
        let off = [r[0] - 1.0, r[1] - 2.0, r[2]];
        assert!(off[0].abs() <= 0.2 && off[1].abs() <= 0.1 && off[2].abs() <= 0.15, "{r:?}");
    }
    // Not on its sides alone, and as many in each half.
    let deep =
        roots.iter().filter(|r| (r[0] - 1.0).abs() < 0.1 && (r[1] - 2.0).abs() < 0.05 && r[2].abs() < 0.075);
    assert!((5..30).contains(&deep.count()));
    assert!((45..75).contains(&roots.iter().filter(|r| r[0] < 1.0).count()));
    // Nothing to grow in is told.
    let mut none = s.clone();
    none["bodies"]["tuft"]["kind"]["strands"]["from"] = json!("space");
    let why = parse(&none.to_string()).unwrap_err();
    assert!(why.iter().any(|f| f.to_string().contains("something closed")), "{why:?}");
}
