//! What must not matter: where a scene stands, when it begins, and how finely time is cut.
use nematon_document::{BodyId, FieldId, parse};
use nematon_evaluate::{NoMeshes, Run, Stage, air_at};
use nematon_solver::NoWatch;
use serde_json::{Value, json};

/// A sheet of 1 m that hangs by its back, 2 m above a place.
fn hung(at: [f64; 3], substeps: u32, last: i64) -> Value {
    json!({ "nematon": nematon_document::VERSION, "name": "Sheet",
        "frames": { "first": 0, "last": last, "rate": 24, "substeps": substeps },
        "bodies": { "sheet": { "name": "Sheet",
            "kind": { "cloth": {
                "shape": { "sheet": { "width": 1, "depth": 1, "columns": 31, "rows": 31 } },
                "matter": { "drag": 1.2 } } },
            "place": { "position": [at[0], at[1] + 2.0, at[2]] },
            "grips": { "back": { "name": "Back", "to": "world", "points": [{ "border": { "border": "back", "by": "all" } }] } } } },
        "fields": { "gravity": { "name": "Gravity", "act": { "gravity": { "strength": 9.81 } } } } })
}

fn run(scene: &Value) -> Run {
    let s = parse(&scene.to_string()).unwrap();
    let mut run = Run::start(&s, &[BodyId::from("sheet")], &NoMeshes).unwrap();
    (s.frames.first..s.frames.last).for_each(|_| run.advance(&NoWatch).unwrap());
    run
}

/// Where it is after half a second, from where it is told to stand.
fn half_a_second(at: [f64; 3], substeps: u32) -> Vec<[f64; 3]> {
    let told = run(&hung(at, substeps, 12)).places(0);
    told.into_iter().map(|p| std::array::from_fn(|c| p[c] - at[c])).collect()
}

/// Mean distance of points, millimetres.
fn apart(a: &[[f64; 3]], b: &[[f64; 3]]) -> f64 {
    let each = a.iter().zip(b).map(|(a, b)| (0..3).map(|c| (a[c] - b[c]).powi(2)).sum::<f64>().sqrt());
    1e3 * each.sum::<f64>() / a.len() as f64
}

#[test]
fn a_hung_sheet_falls_the_same_wherever_it_stands() {
    for substeps in [10, 60, 200] {
        let here = half_a_second([0.0; 3], substeps);
        for at in [[10.0, 0.0, 0.0], [-100.0, 3.0, 0.4], [612.37, 5.21, -790.83]] {
            let off = apart(&here, &half_a_second(at, substeps));
            println!("{at:?} {substeps}: {off:.6} mm");
            assert!(off < 0.3, "{at:?}, {substeps} sub-steps: {off} mm from itself at the origin");
        }
    }
}

#[test]
fn time_cut_finer_leads_ever_nearer_to_one_place() {
    // 800 sub-steps, of frames a quarter as long.
    let mut finest = hung([0.0; 3], 200, 48);
    finest["frames"]["rate"] = json!(96);
    let truth = run(&finest).places(0);
    let steps = [10, 20, 40, 60, 120, 200];
    let all = steps.map(|n| half_a_second([0.0; 3], n));
    let off = all.each_ref().map(|p| apart(&truth, p));
    println!("from 800 sub-steps: {off:?} mm; from 40: {:?} mm", all.each_ref().map(|p| apart(&all[2], p)));
    for (k, pair) in off.windows(2).enumerate() {
        assert!(pair[1] < 0.75 * pair[0], "{} sub-steps: {off:?} mm", steps[k + 1]);
    }
    // The first order of the time step is all that is left.
    assert!(off[1] < 0.75 && off[5] < 0.1, "{off:?} mm");
}

fn shifted(places: Vec<[f64; 3]>, by: [f64; 3]) -> Vec<[f64; 3]> {
    places.into_iter().map(|p| std::array::from_fn(|c| p[c] - by[c])).collect()
}

/// A sheet in all kinds of air that blows on a ball over a floor, drawn along by a handle, about a place.
fn busy(at: [f64; 3]) -> Value {
    let mut s = hung(at, 12, 24);
    let place = |x: f64, y: f64, z: f64| json!({ "position": [at[0] + x, at[1] + y, at[2] + z] });
    let keys = |from: f64, way: f64| json!({ "keys": [{ "frame": 0, "value": from }, { "frame": 24, "value": from + way }] });
    s["bodies"]["sheet"]["grips"]["back"]["to"] = json!({ "handle": "rod" });
    s["handles"] =
        json!({ "rod": { "name": "Rod", "place": { "position": [keys(at[0], 14.0), at[1] + 2.0, at[2]] } } });
    s["floor"] = json!({ "height": at[1] });
    s["colliders"] = json!({ "ball": { "name": "Ball", "form": { "ball": { "radius": 0.3 } },
        "place": { "position": [keys(at[0], 13.0), at[1] + 1.3, at[2] + 0.2] } } });
    s["fields"]["wind"] = json!({ "name": "Wind", "act": { "wind": { "speed": 3, "heading": 0 } } });
    s["fields"]["eddy"] = json!({ "name": "Eddy", "place": place(7.0, 1.0, 0.0), "act": { "vortex": { "spin": 2, "core": 0.5 } } });
    s["fields"]["breath"] = json!({ "name": "Breath", "act": { "wind": { "speed": 2, "heading": 1 } },
        "zone": { "place": place(5.0, 1.0, 0.0), "form": { "ball": { "radius": 4 } }, "edge": 1 } });
    s
}

#[test]
fn what_is_around_it_goes_where_it_goes() {
    let here = run(&busy([0.0; 3])).places(0);
    let gone = here.iter().map(|p| p[0]).sum::<f64>() / here.len() as f64;
    assert!((10.0..15.0).contains(&gone), "the rod drew it {gone} m");
    for at in [[300.0, 0.0, -40.0], [-2731.0, 12.0, 4187.0]] {
        let off = apart(&here, &shifted(run(&busy(at)).places(0), at));
        println!("{at:?}: {off:.5} mm");
        assert!(off < 0.3, "{at:?}: {off} mm");
    }
}

#[test]
fn it_goes_on_from_a_snapshot_wherever_it_has_come_to() {
    let s = parse(&busy([700.0, 0.0, 0.0]).to_string()).unwrap();
    let start = || Run::start(&s, &[BodyId::from("sheet")], &NoMeshes).unwrap();
    let (mut run, mut other) = (start(), start());
    (0..17).for_each(|_| run.advance(&NoWatch).unwrap());
    other.resume(17, &run.snapshot()).unwrap();
    for r in [&mut run, &mut other] {
        (0..7).for_each(|_| r.advance(&NoWatch).unwrap());
    }
    assert_eq!(run.places(0), other.places(0));
    assert!(other.resume(3, &[0; 5]).is_err());
}

#[test]
fn neither_the_order_nor_the_names_of_fields_change_a_bit() {
    let fields = [
        ("gravity", json!({ "name": "Gravity", "act": { "gravity": { "strength": 9 } } })),
        ("more", json!({ "name": "More", "act": { "gravity": { "strength": 0.81 } } })),
        ("west", json!({ "name": "West", "act": { "wind": { "speed": 4, "heading": 0, "gust": 0.4 } } })),
        ("north", json!({ "name": "North", "act": { "wind": { "speed": 2.3, "heading": 1.3 } } })),
        (
            "south",
            json!({ "name": "South", "act": { "wind": { "speed": 1.1, "heading": 2.9, "rise": 0.3 } } }),
        ),
        ("flutter", json!({ "name": "Flutter", "act": { "turbulence": { "strength": 1.5, "size": 0.5 } } })),
        (
            "shiver",
            json!({ "name": "Shiver", "act": { "turbulence": { "strength": 0.7, "size": 0.2, "seed": 3 } } }),
        ),
        (
            "eddy",
            json!({ "name": "Eddy", "place": { "position": [0, 1.5, 0] }, "act": { "vortex": { "spin": 2, "core": 0.5 } } }),
        ),
        (
            "other",
            json!({ "name": "Other", "place": { "position": [0.4, 1, 0.2] }, "act": { "vortex": { "spin": 2, "core": 0.5 } } }),
        ),
    ];
    let told = |order: &[usize], named: bool| {
        let mut s = hung([0.0; 3], 10, 12);
        let own = order.iter().map(|k| {
            let name = if named { format!("z{}", 9 - k) } else { fields[*k].0.to_owned() };
            (name, fields[*k].1.clone())
        });
        s["fields"] = Value::Object(own.collect());
        run(&s).places(0)
    };
    let all: Vec<usize> = (0..fields.len()).collect();
    let here = told(&all, false);
    assert_eq!(here, told(&all.iter().rev().copied().collect::<Vec<_>>(), false));
    assert_eq!(here, told(&[4, 7, 1, 6, 8, 0, 3, 5, 2], true));
}

#[test]
fn it_begins_whenever_it_is_told_to() {
    let windy = |first: i64| {
        let mut s = hung([0.0; 3], 10, first + 12);
        s["frames"]["first"] = json!(first);
        s["fields"]["wind"] =
            json!({ "name": "Wind", "act": { "wind": { "speed": 4, "heading": 0, "gust": 0.5 } } });
        s["fields"]["flutter"] = json!({ "name": "Flutter", "act": { "turbulence": { "strength": 1.5, "size": 0.5, "pace": 1 } } });
        run(&s).places(0)
    };
    let here = windy(0);
    assert_eq!(here, windy(1001));
    assert_eq!(here, windy(-240));
}

#[test]
fn air_and_formulas_are_as_smooth_after_three_hours() {
    let mut s = hung([0.0; 3], 10, 100);
    s["fields"]["wind"] = json!({ "name": "Wind", "act": { "wind": { "speed": { "formula": "4 + sin(2 * pi * t)" }, "heading": 0, "gust": 0.5 } } });
    s["fields"]["flutter"] = json!({ "name": "Flutter", "act": { "turbulence": { "strength": 1.5, "size": 0.5, "pace": 1, "drift": [1, 0, 0] } } });
    let s = parse(&s.to_string()).unwrap();
    let stage = Stage::new(&s, &NoMeshes);
    let at = |index: usize| {
        let v = air_at(&stage, None, index, &[[0.3, 1.2, -0.4], [2.0, 0.1, 3.0]]);
        v.into_iter().flatten().map(f64::from).collect::<Vec<_>>()
    };
    // How far a moment is from the mean of those beside it: of what is smooth, little.
    let bend = |from: usize| -> f64 {
        let each = (from..from + 48).map(|k| {
            let (a, b, c) = (at(k - 1), at(k), at(k + 1));
            (0..b.len()).map(|i| (b[i] - 0.5 * (a[i] + c[i])).abs()).fold(0.0, f64::max)
        });
        each.fold(0.0, f64::max)
    };
    let (early, late) = (bend(48), bend(259_200));
    println!("{early:.5} and {late:.5} m/s");
    assert!(late < 2.0 * early, "{early} m/s at first, {late} later");
    let wave = |index: usize| air_at(&stage, Some(&FieldId("wind".into())), index, &[[0.0; 3]])[0];
    assert!(wave(259_207).iter().all(|c| c.is_finite()));
}

#[test]
fn turned_about_the_upright_it_moves_the_same() {
    let turned = |turn: f64, substeps: u32| {
        let mut s = hung([0.0; 3], substeps, 12);
        s["bodies"]["sheet"]["place"]["turn"] = json!([0, turn, 0]);
        s["fields"]["wind"] = json!({ "name": "Wind", "act": { "wind": { "speed": 3, "heading": turn } } });
        let (sin, cos) = turn.sin_cos();
        let back = |p: [f64; 3]| [cos * p[0] - sin * p[2], p[1], sin * p[0] + cos * p[2]];
        run(&s).places(0).into_iter().map(back).collect::<Vec<_>>()
    };
    // The order in which constraints are met goes by the axes, so that is as far as one sweep a sub-step is from balance.
    for (turn, substeps, most) in [(std::f64::consts::FRAC_PI_2, 20, 0.6), (0.7, 20, 0.6), (-2.1, 60, 0.2)] {
        let off = apart(&turned(0.0, substeps), &turned(turn, substeps));
        println!("{turn:.2} at {substeps}: {off:.5} mm");
        assert!(off < most, "turned by {turn}: {off} mm");
    }
}
