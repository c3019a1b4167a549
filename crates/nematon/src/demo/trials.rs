//! The contact trials as scenes: what must stay apart when stacked, squeezed, dragged, twisted and run through.
use super::bladder::sewn;
use super::place::{deck_and_ridge, view};
use nematon_document::{Scene, Surface, parse};
use serde_json::{Value, json};

/// Names and scenes of the trials.
///
/// # Errors
/// The faults of one that is no scene.
pub fn trials() -> Result<Vec<(&'static str, Scene)>, String> {
    let all = [
        ("layers", layers()),
        ("edge", edge()),
        ("folds", folds()),
        ("towel", towel()),
        ("curtain", curtain()),
        ("cape", cape()),
        ("lump", lump()),
        ("crossed", crossed()),
        ("heap", heap()?),
        ("balloon", balloon()?),
    ];
    let read = |(name, value): (&'static str, Value)| {
        let faults = |f: Vec<nematon_document::Fault>| {
            format!("{name}: {}", f.iter().map(ToString::to_string).collect::<Vec<_>>().join("; "))
        };
        parse(&value.to_string()).map(|s| (name, s)).map_err(faults)
    };
    all.into_iter().map(read).collect()
}

fn scene(name: &str, last: i64, bodies: Value, more: Value) -> Value {
    let mut s = json!({
        "nematon": 2, "name": name, "frames": {"first": 0, "last": last, "rate": 24.0, "substeps": 10},
        "bodies": bodies, "fields": {"gravity": {"name": "Gravity", "act": {"gravity": {"strength": 9.81}}}},
    });
    if let (Some(s), Value::Object(more)) = (s.as_object_mut(), more) {
        s.extend(more);
    }
    s
}

fn cotton(thickness: f64) -> Value {
    json!({"areal_weight": 0.15, "stretch_warp": 1500, "stretch_weft": 1200, "shear": 60, "bend_warp": 1.2e-5,
           "bend_weft": 0.9e-5, "damping": 0.8, "thickness": thickness})
}

fn sheet(name: &str, size: [f64; 2], points: [u32; 2], position: [f64; 3], turn: [f64; 3]) -> Value {
    let shape =
        json!({"sheet": {"width": size[0], "depth": size[1], "columns": points[0], "rows": points[1]}});
    json!({"name": name, "kind": {"cloth": {"shape": shape, "matter": cotton(0.002)}}, "touch": {"itself": true},
           "place": {"position": position, "turn": turn}})
}

/// A place and a turn at a frame.
type Pose = (i64, [f64; 3], [f64; 3]);

fn key(frame: i64, position: [f64; 3], turn: [f64; 3]) -> Pose {
    (frame, position, turn)
}

/// A place that goes straight from pose to pose. A number that stays the same over all has no keys.
fn along(poses: &[Pose]) -> Value {
    let number = |of: &dyn Fn(&Pose) -> f64| {
        let first = of(&poses[0]);
        if poses.iter().all(|p| of(p) == first) {
            return json!(first);
        }
        json!({"keys": poses.iter().map(|p| json!({"frame": p.0, "value": of(p)})).collect::<Vec<_>>()})
    };
    let three = |of: fn(&Pose) -> [f64; 3]| json!([0, 1, 2].map(|c| number(&|p| of(p)[c])));
    json!({"position": three(|p| p.1), "turn": three(|p| p.2)})
}

/// A skin that is filled.
fn skin() -> Value {
    json!({"areal_weight": 0.22, "stretch_warp": 2500, "stretch_weft": 2200, "shear": 120, "bend_warp": 2e-5,
           "bend_weft": 1.6e-5, "damping": 1.2, "friction": 0.6, "thickness": 0.001})
}

/// Ten filled cushions dropped one after another into a box.
fn heap() -> Result<Value, String> {
    let mut bodies = json!({});
    for k in 0..10i32 {
        let aside = |n: i32| 0.025 * f64::from((k * n).rem_euclid(5) - 2);
        let lean = |n: i32, by: f64| by * f64::from((k * n).rem_euclid(3) - 1);
        let shape =
            json!({"cushion": {"width": 0.3, "depth": 0.3, "columns": 13, "rows": 13, "apart": 0.004}});
        bodies[format!("cushion-{k}")] = json!({
            "name": format!("Cushion {k}"), "kind": sewn(shape, &skin(), json!(40), 1.2)?,
            "place": {"position": [aside(7), 0.25 + 0.16 * f64::from(k), aside(3)],
                      "turn": [lean(5, 0.3), 0.7 * f64::from(k), lean(2, 0.25)]},
            "touch": {"itself": true, "others": true, "group": "cushions"}
        });
    }
    let mut colliders = json!({"ground": {"name": "Ground", "form": {"plane": {}}, "place": {"position": [0, 0, 0]}, "friction": 0.5}});
    for (k, (position, size)) in [
        ([0.29, 0.4, 0.0], [0.04, 0.8, 0.64]),
        ([-0.29, 0.4, 0.0], [0.04, 0.8, 0.64]),
        ([0.0, 0.4, 0.29], [0.64, 0.8, 0.04]),
        ([0.0, 0.4, -0.29], [0.64, 0.8, 0.04]),
    ]
    .into_iter()
    .enumerate()
    {
        colliders[format!("side-{k}")] = json!({"name": format!("Side {k}"), "form": {"box": {"size": size}},
            "place": {"position": position}, "friction": 0.4, "thickness": 0.002});
    }
    Ok(scene("Ten cushions in a box", 72, bodies, json!({"colliders": colliders})))
}

/// A balloon of eight gores between two plates that come to a third of its height.
fn balloon() -> Result<Value, String> {
    let shape = json!({"gores": {"radius": 0.2, "gores": 8, "every": 0.03, "apart": 0.002}});
    let bodies = json!({"balloon": {
        "name": "Balloon", "kind": sewn(shape, &skin(), json!(300), 1.2)?, "place": {"position": [0, 0.42, 0]},
        "touch": {"itself": true, "others": false, "group": "balloon"}
    }});
    let plate = |name: &str, height: Value| {
        json!({"name": name, "form": {"box": {"size": [1.4, 0.04, 1.4]}}, "friction": 0.3, "thickness": 0.002,
               "place": {"position": [0, height, 0]}})
    };
    let comes =
        json!({"keys": [{"frame": 0, "value": 0.72, "then": "smooth"}, {"frame": 48, "value": 0.36}]});
    let colliders = json!({"lower": plate("Lower plate", json!(0.18)), "upper": plate("Upper plate", comes)});
    let mut s = scene("A balloon between two plates", 60, bodies, json!({"colliders": colliders}));
    s["fields"] = json!({});
    Ok(s)
}

/// Sixteen napkins in a stack, and a press that comes down on them.
fn layers() -> Value {
    let mut b = sheet("Napkins", [0.3, 0.3], [10, 10], [0.0, 0.002, 0.0], [0.0; 3]);
    b["kind"]["cloth"]["layers"] = json!({"count": 16, "offset": [0, 0.004, 0], "turn": [0, 0.21, 0]});
    let press = json!({"name": "Press", "form": {"box": {"size": [0.6, 0.04, 0.6]}},
                       "place": along(&[key(0, [0.0, 0.11, 0.0], [0.0; 3]), key(36, [0.0, 0.045, 0.0], [0.0; 3])])});
    scene(
        "Napkins under the press",
        48,
        json!({"napkins": b}),
        json!({"colliders": {"press": press}, "floor": {}}),
    )
}

/// A runner that is drawn over the edge of a table.
fn edge() -> Value {
    let mut b = sheet("Runner", [0.4, 0.9], [24, 54], [0.0, 0.506, -0.1], [0.0; 3]);
    b["grips"] = json!({"hem": {"name": "Front hem", "points": [{"border": {"border": "front", "by": "all"}}],
                                "to": {"handle": "hand"}}});
    let hand = json!({"name": "Hand", "place": along(&[key(0, [0.0, 0.506, 0.35], [0.0; 3]), key(12, [0.0, 0.506, 0.5], [0.0; 3]),
                                               key(48, [0.0, 0.1, 0.55], [0.0; 3])])});
    let table = json!({"name": "Table", "form": {"box": {"size": [0.8, 0.5, 0.8]}},
                       "place": {"position": [0, 0.25, 0]}});
    scene(
        "Runner over the table's edge",
        60,
        json!({"runner": b}),
        json!({"colliders": {"table": table}, "handles": {"hand": hand}, "floor": {}}),
    )
}

/// A cloth that falls in folds on a ball and the floor.
fn folds() -> Value {
    let b = sheet("Shawl", [1.0, 1.0], [48, 48], [0.03, 0.75, 0.02], [0.0, 0.3, 0.0]);
    let ball =
        json!({"name": "Gourd", "form": {"ball": {"radius": 0.25}}, "place": {"position": [0, 0.3, 0]}});
    scene("Shawl on a gourd", 72, json!({"shawl": b}), json!({"colliders": {"gourd": ball}, "floor": {}}))
}

/// A towel, wrung: one turn at either end.
fn towel() -> Value {
    let mut b = sheet("Towel", [0.3, 0.6], [24, 48], [0.0, 0.5, 0.0], [0.0; 3]);
    b["kind"]["cloth"]["matter"] = cotton(0.003);
    let end = |border: &str, hand: &str| json!({"name": border, "points": [{"border": {"border": border, "by": "all"}}], "to": {"handle": hand}});
    b["grips"] = json!({"back": end("back", "left"), "front": end("front", "right")});
    let hand = |side: f64| {
        json!({"name": if side < 0.0 { "Left hand" } else { "Right hand" },
               "place": along(&[key(0, [0.0, 0.5, 0.3 * side], [0.0; 3]),
                        key(96, [0.0, 0.5, 0.17 * side], [0.0, 0.0, side * std::f64::consts::TAU])])})
    };
    scene(
        "Towel wrung twice",
        96,
        json!({"towel": b}),
        json!({"handles": {"left": hand(-1.0), "right": hand(1.0)}}),
    )
}

/// A ball that is thrown through a doorway's curtain.
fn curtain() -> Value {
    let mut b =
        sheet("Curtain", [0.9, 1.2], [36, 48], [0.0, 1.2, 0.0], [std::f64::consts::FRAC_PI_2, 0.0, 0.0]);
    b["grips"] =
        json!({"rod": {"name": "Rod", "points": [{"border": {"border": "back", "by": {"eyelets": 9}}}]}});
    let ball = json!({"name": "Ball", "form": {"ball": {"radius": 0.12}},
                      "place": along(&[key(6, [0.0, 1.0, -1.2], [0.0; 3]), key(18, [0.0, 0.95, 1.2], [0.0; 3])])});
    scene(
        "Ball through the curtain",
        48,
        json!({"curtain": b}),
        json!({"colliders": {"ball": ball}, "floor": {}}),
    )
}

/// A cape on a figure of capsules that walks.
fn cape() -> Value {
    let mut b =
        sheet("Cape", [0.8, 1.0], [80, 100], [0.0, 0.93, -0.16], [std::f64::consts::FRAC_PI_2, 0.0, 0.0]);
    b["grips"] = json!({"shoulders": {"name": "Shoulders", "points": [{"border": {"border": "back", "by": {"eyelets": 7}}}],
                                      "to": {"handle": "neck"}}});
    let (frames, step) = (48i64, 0.02);
    // Forward, and from the middle on backward, into the cape.
    let at = |y: f64, f: i64| {
        [0.0, y + 0.012 * (f as f64 * 0.52).sin().abs(), step * (frames / 2 - (f - frames / 2).abs()) as f64]
    };
    let walk = |place: &dyn Fn(i64) -> ([f64; 3], [f64; 3])| -> Vec<Pose> {
        (0..=frames / 2)
            .map(|k| {
                let (p, t) = place(2 * k);
                key(2 * k, p, t)
            })
            .collect()
    };
    let limb = |name: &str, radius: f64, length: f64, keys: Vec<Pose>| json!({"name": name, "form": {"capsule": {"radius": radius, "length": length}}, "place": along(&keys), "friction": 0.3});
    let leg = |side: f64| {
        walk(&move |f| {
            let swing = 0.35 * side * (f as f64 * 0.26).sin();
            let [x, y, z] = at(0.45, f);
            ([x + 0.09 * side, y, z - 0.3 * swing], [swing, 0.0, 0.0])
        })
    };
    let neck = json!({"name": "Neck", "place": along(&walk(&|f| { let [x, y, z] = at(1.43, f); ([x, y, z - 0.16], [0.0; 3]) }))});
    scene(
        "Cape on a walk",
        frames,
        json!({"cape": b}),
        json!({
            "colliders": {
                "trunk": limb("Trunk", 0.13, 0.42, walk(&|f| (at(1.1, f), [0.0; 3]))),
                "left-leg": limb("Left leg", 0.075, 0.7, leg(-1.0)),
                "right-leg": limb("Right leg", 0.075, 0.7, leg(1.0)),
            },
            "handles": {"neck": neck}, "floor": {},
        }),
    )
}

/// A cloth that falls on a body that swells and turns in.
fn lump() -> Value {
    let b = sheet("Cover", [0.7, 0.7], [32, 32], [0.0, 0.32, 0.0], [0.0, 0.4, 0.0]);
    let shapes: Vec<Value> =
        (0..7).map(|k| json!({"frame": 8 * k, "from": {"file": format!("lump-{}.obj", k % 2)}})).collect();
    let body = json!({"name": "Dough", "form": {"mesh": {"from": {"file": "lump-0.obj"}, "shapes": shapes}}});
    scene("Cover on rising dough", 56, json!({"cover": b}), json!({"colliders": {"dough": body}}))
}

/// Two cloths that begin crossed.
fn crossed() -> Value {
    let mut flat = sheet("Tray cloth", [0.4, 0.4], [20, 20], [0.0; 3], [0.0; 3]);
    flat["grips"] = json!({"sides": {"name": "Sides", "points": [{"border": {"border": "left", "by": "all"}},
                                                                 {"border": {"border": "right", "by": "all"}}]}});
    let mut blade =
        sheet("Slip", [0.2, 0.2], [12, 12], [0.013, 0.06, 0.007], [std::f64::consts::FRAC_PI_2, 0.3, 0.0]);
    for b in [&mut flat, &mut blade] {
        b["touch"]["others"] = json!(true);
    }
    let mut s = scene("Crossed from the start", 72, json!({"tray-cloth": flat, "slip": blade}), json!({}));
    s["fields"] = json!({});
    s
}

/// The washing loft: what hangs, lies and has fallen where the relay's laundry dries. A second scene to begin with.
pub fn loft() -> Result<Scene, String> {
    let mut blanket = sheet("Blanket", [1.1, 1.1], [56, 56], [-0.15, 1.06, 0.0], [0.0, 0.35, 0.0]);
    blanket["kind"]["cloth"]["matter"]["thickness"] = json!(0.003);
    let capsule = json!({"name": "Bolster", "form": {"capsule": {"radius": 0.16, "length": 0.5}},
                         "place": {"position": [0.05, 0.78, 0.05], "turn": [std::f64::consts::FRAC_PI_2, 0, 0.5]}});
    let chest = json!({"name": "Chest", "form": {"box": {"size": [0.9, 0.5, 0.6]}}, "place": {"position": [0, 0.25, 0]}});
    let ball =
        json!({"name": "Gourd", "form": {"ball": {"radius": 0.2}}, "place": {"position": [-0.62, 0.2, 0.2]}});
    let mut value = scene(
        "Washing loft",
        96,
        json!({"blanket": blanket}),
        json!({"colliders": {"chest": chest, "bolster": capsule, "gourd": ball}, "floor": {}}),
    );
    value["frames"].as_object_mut().and_then(|f| f.remove("substeps"));
    let mut scene = parse(&value.to_string())
        .map_err(|f| f.iter().map(ToString::to_string).collect::<Vec<_>>().join("; "))?;
    scene.figures.extend(deck_and_ridge(-0.004));
    scene.cameras.extend([view("Over the chest", [1.3, 1.35, 2.3], [-0.1, 0.45, 0.05], 72)]);
    for (id, surface) in [("chest", Surface::Wood), ("bolster", Surface::Felt), ("gourd", Surface::Horn)] {
        if let Some(c) = scene.colliders.get_mut(id) {
            c.surface = Some(surface);
        }
    }
    Ok(scene)
}
