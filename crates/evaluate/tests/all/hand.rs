//! What the page asks of a scene before it is run: where things rest, what they weigh, what a choice by hand holds.
use nematon_document::{BodyId, ColliderId, Scene, parse};
use nematon_evaluate::*;
use nematon_geometry::area_of;
use serde_json::{Value, json};
use std::f64::consts::{FRAC_PI_2, FRAC_PI_4};

fn stage(scene: &Scene) -> Stage {
    Stage::new(scene, &NoMeshes)
}

/// A scene with a floor, a small sheet high up, and what else is said.
fn scene(more: Value) -> Scene {
    let mut s = json!({
        "nematon": 2, "name": "t", "frames": {"first": 0, "last": 10},
        "bodies": {"sheet": {"name": "Sheet", "kind": {"cloth": {"matter": {"thickness": 0.002}, "shape": {"sheet": {"width": 0.2, "depth": 0.2, "columns": 11, "rows": 11}}}},
            "place": {"position": [0, 3, 0], "turn": [0, 0, 0]}}},
        "fields": {"g": {"name": "Gravity", "act": {"gravity": {"strength": 9.81}}}},
        "floor": {"height": 0}
    });
    json_patch::merge(&mut s, &more);
    parse(&s.to_string()).unwrap()
}

fn sheet_rests_at(s: &Scene) -> f64 {
    3.0 + set_down(&stage(s), &Thing::Body(BodyId("sheet".into())), &NoMeshes).unwrap()
}

fn collider(form: Value, position: [f64; 3]) -> Value {
    json!({"name": "C", "form": form, "thickness": 0.004, "place": {"position": position, "turn": [0, 0, 0]}})
}

fn near(got: f64, want: f64) {
    assert!((got - want).abs() < 1e-3, "{got}, {want}");
}

#[test]
fn a_sheet_rests_on_the_floor_by_half_its_thickness() {
    near(sheet_rests_at(&scene(json!({}))), 0.001);
}

#[test]
fn it_rests_on_the_highest_of_what_lies_below_and_not_on_what_is_above() {
    let below = collider(json!({"box": {"size": [1, 0.6, 1]}}), [0.0, 0.5, 0.0]);
    let roof = collider(json!({"box": {"size": [1, 0.1, 1]}}), [0.0, 5.0, 0.0]);
    let aside = collider(json!({"box": {"size": [1, 2, 1]}}), [3.0, 1.0, 0.0]);
    let s = scene(json!({"colliders": {"below": below, "roof": roof, "aside": aside}}));
    near(sheet_rests_at(&s), 0.8 + 0.004 + 0.001);
}

#[test]
fn a_corner_that_stands_between_the_points_of_a_coarse_sheet_still_carries_it() {
    // A spike under the middle of a cell: no point of the sheet stands over it.
    let spike = collider(json!({"box": {"size": [0.004, 1, 0.004]}}), [0.03, 0.5, 0.03]);
    let coarse = json!({"sheet": {"kind": {"cloth": {"shape": {"sheet": {"columns": 3, "rows": 3}}}}}});
    let s = scene(json!({"colliders": {"spike": spike}, "bodies": coarse}));
    near(sheet_rests_at(&s), 1.0 + 0.004 + 0.001);
}

#[test]
fn it_rests_on_balls_capsules_other_bodies_and_slopes() {
    let ball = collider(json!({"ball": {"radius": 0.25}}), [0.0, 0.25, 0.0]);
    near(sheet_rests_at(&scene(json!({"colliders": {"c": ball}}))), 0.5 + 0.005);
    let capsule = collider(json!({"capsule": {"radius": 0.1, "length": 0.6}}), [0.0, 0.5, 0.0]);
    near(sheet_rests_at(&scene(json!({"colliders": {"c": capsule}}))), 0.9 + 0.005);
    let other = json!({"name": "Other", "kind": {"cloth": {"matter": {"thickness": 0.004}, "shape": {"sheet": {"width": 1, "depth": 1, "columns": 5, "rows": 5}}}}, "place": {"position": [0, 0.7, 0], "turn": [0, 0, 0]}});
    near(sheet_rests_at(&scene(json!({"bodies": {"other": other}}))), 0.7 + 0.003);
    // A plane that rises by 1 to 1 along x: the sheet's edge at x = 0.1 meets it first.
    let slope = json!({"name": "Slope", "form": {"plane": {}}, "thickness": 0.004,
        "place": {"position": [0, 0.5, 0], "turn": [0, 0, FRAC_PI_4]}});
    near(sheet_rests_at(&scene(json!({"colliders": {"c": slope}}))), 0.6 + 0.005 * 2f64.sqrt());
}

#[test]
fn what_is_off_carries_nothing_and_where_nothing_lies_below_that_is_said() {
    let mut off = collider(json!({"box": {"size": [1, 1, 1]}}), [0.0, 0.5, 0.0]);
    off["on"] = json!(false);
    near(sheet_rests_at(&scene(json!({"colliders": {"c": off}}))), 0.001);
    let s = scene(json!({"floor": null}));
    let told = set_down(&stage(&s), &Thing::Body(BodyId("sheet".into())), &NoMeshes).unwrap_err();
    assert_eq!(told, "Nothing lies below it.");
    let plane = collider(json!({"plane": {}}), [0.0, 1.0, 0.0]);
    let s = scene(json!({"colliders": {"p": plane}}));
    assert!(set_down(&stage(&s), &Thing::Collider(ColliderId("p".into())), &NoMeshes).is_err());
    assert!(set_down(&stage(&s), &Thing::Collider(ColliderId("q".into())), &NoMeshes).is_err());
}

#[test]
fn what_reaches_in_a_little_is_lifted_out() {
    let boxed = collider(json!({"box": {"size": [1, 1, 1]}}), [0.0, 0.5, 0.0]);
    let ball = json!({"name": "Ball", "form": {"ball": {"radius": 0.25}}, "thickness": 0.002, "place": {"position": [0, 1.2, 0], "turn": [0, 0, 0]}});
    let s = scene(json!({"colliders": {"box": boxed, "ball": ball}}));
    let up = set_down(&stage(&s), &Thing::Collider(ColliderId("ball".into())), &NoMeshes).unwrap();
    near(1.2 + up, 1.25 + 0.006);
}

#[test]
fn a_body_weighs_its_area_and_hangs_by_its_height() {
    let s = scene(
        json!({"bodies": {"sheet": {"kind": {"cloth": {"matter": {"areal_weight": 0.5}}}, "place": {"turn": [FRAC_PI_2, 0, 0]}}}}),
    );
    let f = feel(&stage(&s), &s.bodies[0], &NoMeshes).unwrap();
    near(f.area, 0.04);
    near(f.mass, 0.02);
    near(f.gravity, 9.81);
    // A chain of 0.2 m.
    near(f.swing, 1.668 * 0.2f64.sqrt());
    let globe = json!({"name": "Ball", "kind": {"cloth": {"shape": {"ball": {"radius": 0.5, "cells": 24}}}}});
    let ball = scene(json!({"bodies": {"sheet": null, "ball": globe}}));
    let f = feel(&stage(&ball), &ball.bodies[0], &NoMeshes).unwrap();
    assert!((f.area / std::f64::consts::PI - 1.0).abs() < 0.01, "{}", f.area);
}

#[test]
fn the_stiffer_way_droops_less_and_heavier_droops_more() {
    let of = |matter: Value| {
        let s = scene(json!({"bodies": {"sheet": {"kind": {"cloth": {"matter": matter}}}}}));
        let f = feel(&stage(&s), &s.bodies[0], &NoMeshes).unwrap();
        (f.droop_warp.last().unwrap()[1], f.droop_weft.last().unwrap()[1], f.bending_length)
    };
    let (warp, weft, length) = of(json!({"bend_warp": 6e-5, "bend_weft": 1e-5, "areal_weight": 0.2}));
    assert!(warp > weft && length[0] > length[1], "{warp} {weft}");
    let (heavier, _, shorter) = of(json!({"bend_warp": 6e-5, "bend_weft": 1e-5, "areal_weight": 0.8}));
    assert!(heavier < warp && shorter[0] < length[0]);
    // To the power 1/3: four times the weight, 1.59 times less.
    near(length[0] / shorter[0], 4f64.cbrt());
}

#[test]
fn a_choice_by_hand_holds_the_same_part_of_a_finer_wider_or_layered_body() {
    let s = scene(json!({}));
    let shaped = shape(&stage(&s), &s.bodies[0], &NoMeshes).unwrap();
    let corner: Vec<u32> = (0..4).flat_map(|j| (0..4).map(move |i| 11 * j + i)).collect();
    let a = area_of(&shaped.mesh, &corner);
    let grip = json!({"name": "Patch", "points": [{"area": {"spots": a.spots, "triangles": a.triangles, "edges": a.edges}}]});
    let held = |columns: u32, width: f64, layers: Value| {
        let shape_of = json!({"sheet": {"columns": columns, "rows": columns, "width": width}});
        let sheet = json!({"kind": {"cloth": {"shape": shape_of, "layers": layers}}, "grips": {"p": grip}});
        let s = scene(json!({"bodies": {"sheet": sheet}}));
        shape(&stage(&s), &s.bodies[0], &NoMeshes).unwrap().grips[0].points.clone()
    };
    assert_eq!(held(11, 0.2, Value::Null), corner);
    assert_eq!(held(11, 5.0, Value::Null), corner, "as wide as it may be");
    assert_eq!(held(21, 0.2, Value::Null).len(), 49);
    assert_eq!(held(31, 0.2, Value::Null).len(), 100);
    // Of two layers the box is higher: the choice stays on the first, where it was made.
    let two = held(11, 0.2, json!({"count": 2, "offset": [0, 0.05, 0]}));
    assert!(two.iter().all(|p| *p < 121) && two.len() == 16, "{two:?}");
}

#[test]
fn a_hull_says_why_it_cant_be_in_its_own_words() {
    let flat = nematon_geometry::sheet(1.0, 1.0, 3, 3);
    let told = hull_fault(&flat).unwrap();
    assert!(told.starts_with("it has no hull") && !told.contains("cloth"), "{told}");
    assert_eq!(hull_fault(&nematon_geometry::ball(0.3, 4)), None);
}
