//! Loose pieces from a scene to its frames.
use nematon_document::{BodyId, Scene, parse};
use nematon_evaluate::{NoMeshes, Run, Stage, Thing, feel, set_down, shape};
use nematon_solver::NoWatch;

fn stage(scene: &Scene) -> Stage {
    Stage::new(scene, &NoMeshes)
}

fn scene(others: bool) -> Scene {
    let text = format!(
        r#"{{
        "nematon": 2, "name": "Pods", "frames": {{"first": 1, "last": 30, "rate": 24}},
        "bodies": {{
            "cloth": {{
                "name": "Cloth", "place": {{"position": [0, 1, 0]}},
                "kind": {{"cloth": {{"shape": {{"sheet": {{"width": 0.8, "depth": 0.8, "columns": 25, "rows": 25}}}}, "matter": {{"thickness": 0.002}}}}}},
                "grips": {{"rim": {{"name": "Rim", "points": [
                    {{"border": {{"border": "back", "by": "all"}}}}, {{"border": {{"border": "front", "by": "all"}}}},
                    {{"border": {{"border": "left", "by": "all"}}}}, {{"border": {{"border": "right", "by": "all"}}}}
                ]}}}},
                "touch": {{"others": {others}}}
            }},
            "pods": {{
                "name": "Pods", "place": {{"position": [0, 1.2, 0], "turn": [0, 0.3, 0]}},
                "kind": {{"drift": {{"size": [0.3, 0.15, 0.3], "count": 80, "radius": 0.01, "variation": 0.3, "weight": 0.0005}}}},
                "touch": {{"itself": true, "others": true}}
            }}
        }},
        "fields": {{"pull": {{"name": "Pull", "act": {{"gravity": {{"strength": 9.81}}}}}}}},
        "floor": {{"height": 0}}
    }}"#
    );
    parse(&text).unwrap()
}

fn lowest(run: &Run, member: usize) -> f32 {
    run.positions(member).iter().map(|p| p[1]).fold(f32::INFINITY, f32::min)
}

#[test]
fn pods_lie_on_a_cloth_that_they_touch_and_fall_through_one_that_they_do_not() {
    let on = scene(true);
    assert_eq!(on.islands(), vec![vec![BodyId::from("cloth"), BodyId::from("pods")]]);
    let mut run = Run::start(&on, &on.islands()[0], &NoMeshes).unwrap();
    while !run.is_done() {
        run.advance(&NoWatch).unwrap();
    }
    assert!(lowest(&run, 1) > 0.8 && lowest(&run, 0) < 0.99, "{} on {}", lowest(&run, 1), lowest(&run, 0));
    let off = scene(false);
    assert_eq!(off.islands().len(), 2);
    let mut run = Run::start(&off, &[BodyId::from("pods")], &NoMeshes).unwrap();
    while !run.is_done() {
        run.advance(&NoWatch).unwrap();
    }
    // On the floor, by their own radii.
    let least = lowest(&run, 0);
    assert!((0.0069..0.0131).contains(&least), "{least}");
}

#[test]
fn pods_are_shaped_by_their_numbers_and_set_down_by_their_size() {
    let s = scene(true);
    let pods = &s.bodies[&BodyId::from("pods")];
    let shaped = shape(&stage(&s), pods, &NoMeshes).unwrap();
    assert_eq!((shaped.placed.len(), shaped.mesh.radii.len(), shaped.mesh.triangles.len()), (80, 80, 0));
    assert!(shaped.mesh.radii.iter().all(|r| (0.0069..0.0131).contains(r)));
    assert!(feel(&stage(&s), pods, &NoMeshes).unwrap_err().to_string().contains("only cloth"));
    let up = set_down(&stage(&s), &Thing::Body(BodyId::from("pods")), &NoMeshes).unwrap();
    let low = shaped.placed.iter().map(|p| p[1]).fold(f32::INFINITY, f32::min);
    // Onto the cloth: half its thickness and the largest radius above its middle.
    assert!((f64::from(low) + up - 1.0 - 0.001 - 0.013).abs() < 2e-3, "{low} moved by {up}");
}
