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
