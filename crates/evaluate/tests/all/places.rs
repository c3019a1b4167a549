//! What must not matter: where a scene stands, when it begins, and how finely time is cut.
use nematon_document::{BodyId, parse};
use nematon_evaluate::{NoMeshes, Run};
use nematon_solver::NoWatch;
use serde_json::{Value, json};

/// A sheet of 1 m that hangs by its back, 2 m above a place.
fn hung(at: [f64; 3], substeps: u32, last: u32) -> Value {
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
fn time_cut_finer_leads_to_the_same_place() {
    let [twenty, forty, sixty, more, most] = [20, 40, 60, 120, 200].map(|n| half_a_second([0.0; 3], n));
    let off = [twenty, sixty, more, most].map(|p| apart(&forty, &p));
    println!("{off:?} mm");
    for (k, off) in off.iter().enumerate() {
        assert!(*off < 0.3, "{k}: {off} mm");
    }
}

#[test]
fn zz_probe() {
    let go = |m: &Value, n: u32| {
        let times = n.div_ceil(200).max(1);
        let mut s = hung([0.0; 3], n / times, 12 * times);
        s["frames"]["rate"] = json!(24 * times);
        s["bodies"]["sheet"]["kind"]["cloth"]["matter"] = m.clone();
        run(&s).places(0)
    };
    for m in [json!({"drag": 1.2}), json!({"drag": 1.2, "stretch_warp": 100, "stretch_weft": 100}), json!({"drag": 1.2, "bend_warp": 1e-3, "bend_weft": 1e-3})] {
        let all: Vec<_> = [20, 40, 60, 90, 120, 160, 200, 400, 800, 1600].map(|n| go(&m, n)).into();
        for a in &all {
            println!("probe {}", all.iter().map(|b| format!("{:.3}", apart(a, b))).collect::<Vec<_>>().join(" "));
        }
        println!("probe");
    }
}
