//! The signal bladder over the deck, and the cushions on the bench below it.
use super::place::{deck_and_ridge, view};
use nematon_document::{BodyId, Cloth, ColliderId, Matter, Scene, Shape, Surface, VERSION, parse};
use nematon_evaluate::{NoMeshes, Run, freeze};
use nematon_formats::{With, write_obj};
use nematon_solver::NoWatch;
use serde_json::{Value, json};

/// A cloth of a shape of flat panels, sewn as it is sewn, whose inside has a pressure, Pa, and a fill of so many kg/m³.
pub(super) fn sewn(shape: Value, matter: &Value, pressure: Value, density: f64) -> Result<Value, String> {
    let shape: Shape = serde_json::from_value(shape).map_err(|e| e.to_string())?;
    let mut own = serde_json::to_value(Cloth::of(shape, Matter::default())).map_err(|e| e.to_string())?;
    own["matter"] = matter.clone();
    own["chambers"] =
        json!({ "inside": { "name": "Inside", "fill": { "pressure": pressure }, "density": density } });
    Ok(json!({ "cloth": own }))
}

/// The frame at which the square cushion's wrinkles are best, and how often it is smoothed there.
const BEST: (usize, u32) = (40, 1);

/// The square cushion as a still mesh, at its best frame.
///
/// # Errors
/// When it can't be computed.
pub fn frozen_cushion() -> Result<String, String> {
    let mut scene = bladder()?;
    scene.colliders.shift_remove(&ColliderId::from("frozen"));
    let id = BodyId::from("cushion-1");
    let mut run = Run::start(&scene, std::slice::from_ref(&id), &NoMeshes).map_err(|e| e.to_string())?;
    while run.at() < BEST.0 {
        run.advance(&NoWatch).map_err(|e| e.to_string())?;
    }
    let place = scene.bodies[&id].place.clone();
    let at = place.position.map(|v| v.at(&scene.frames.moment(0.0)) as f32);
    let stands: Vec<[f32; 3]> =
        run.positions(0).iter().map(|p| std::array::from_fn(|c| p[c] - at[c])).collect();
    let shaped = &run.members[0].shaped;
    let sewn = shaped.sewn().cloned().unwrap_or_default();
    let mesh = freeze(&sewn, &shaped.mesh, &stands, BEST.1);
    let with = With { normals: false, triangles: false, exact: false, ..With::default() };
    Ok(write_obj("frozen cushion", &mesh, &mesh.positions, with))
}

/// A bladder of two discs, held at its foot by the mast, swells as the Courier nears and is pressed when it lands beside it; four
/// cushions of other proportions are filled at the start, and one that was frozen lies below.
///
/// # Errors
/// What is wrong with the scene, were there anything.
pub fn bladder() -> Result<Scene, String> {
    // A light skin that hardly gives, and wrinkles.
    let skin = json!({ "areal_weight": 0.05, "stretch_warp": 2500, "stretch_weft": 2500, "shear": 400, "bend_warp": 4e-6, "bend_weft": 4e-6, "damping": 0.8, "thickness": 0.0008 });
    let linen = json!({ "areal_weight": 0.22, "stretch_warp": 2500, "stretch_weft": 2200, "shear": 120, "bend_warp": 2e-5, "bend_weft": 1.6e-5, "damping": 1.2, "friction": 0.6, "thickness": 0.001 });
    let swells = json!({ "keys": [
        { "frame": 0, "value": 2 }, { "frame": 36, "value": 2, "then": "smooth" }, { "frame": 72, "value": 45 },
        { "frame": 130, "value": 45, "then": "smooth" }, { "frame": 160, "value": 12 }
    ] });
    let disc = json!({ "discs": { "radius": 0.34, "rings": 13, "apart": 0.004 } });
    let mut bodies = json!({ "bladder": {
        "name": "Signal bladder", "dye": "madder", "kind": sewn(disc, &skin, swells, 0.17)?,
        "place": { "position": [0, 1.9, 0], "turn": [0, 0, std::f64::consts::FRAC_PI_2] },
        "grips": { "foot": { "name": "Tether", "points": [{ "near": [[-0.34, 0.002, 0], [-0.34, -0.002, 0]] }], "to": { "handle": "mast" } } },
        "touch": { "itself": true, "others": false, "group": "bladder" }
    } });
    let full =
        json!({ "keys": [{ "frame": 0, "value": 0, "then": "smooth" }, { "frame": 28, "value": 60 }] });
    let mut along = -0.86;
    for (k, (name, long, dye)) in [
        ("Square cushion", 13u32, "woad"),
        ("Long cushion", 19, "weld"),
        ("Bolster cushion", 25, "moss"),
        ("Bench cushion", 37, "plum"),
    ]
    .into_iter()
    .enumerate()
    {
        let depth = 0.024 * f64::from(long - 1);
        let wide = 0.024 * 12.0;
        let shape = json!({ "cushion": { "width": wide, "depth": depth, "columns": 13, "rows": long, "apart": 0.004 } });
        bodies[format!("cushion-{}", k + 1)] = json!({
            "name": name, "dye": dye, "kind": sewn(shape, &linen, full.clone(), 1.2)?,
            "place": { "position": [along, 0.53, 0.1], "turn": [0, 0, 0] },
            "touch": { "itself": false, "others": false, "group": "cushions" }
        });
        along += 0.58;
    }
    let scene = json!({
        "nematon": VERSION, "name": "The signal bladder",
        "frames": { "first": 0, "last": 180, "rate": 24 },
        "bodies": bodies,
        "fields": {
            "weight": { "name": "Weight", "act": { "gravity": { "strength": 9.81 } } },
            "ridge": { "name": "Ridge wind", "only": ["bladder"], "act": { "wind": { "speed": 1.4, "heading": 0.5, "gust": 0.5, "gust_period": 2.2, "seed": 4 } } },
            "shiver": { "name": "Shiver", "only": ["bladder"], "act": { "turbulence": { "strength": 0.7, "size": 0.5, "pace": 0.8, "drift": [0.9, 0, -0.5], "seed": 2 } } }
        },
        "handles": { "mast": { "name": "Mast", "place": { "position": [0, 1.56, 0], "turn": [0, 0, 0] } } },
        "colliders": {
            "ground": { "name": "Ground", "form": { "plane": {} }, "place": { "position": [0, 0, 0], "turn": [0, 0, 0] } },
            "bench": { "name": "Bench", "form": { "box": { "size": [2.6, 0.06, 1.1] } }, "place": { "position": [0, 0.47, 0.1], "turn": [0, 0, 0] }, "friction": 0.6 },
            "frozen": { "name": "Frozen cushion", "form": { "mesh": { "from": { "file": "frozen-cushion.obj" } } }, "place": { "position": [0.62, 0.032, 0.92], "turn": [0, 0.5, 0] } },
            "pole": { "name": "Mast pole", "form": { "capsule": { "radius": 0.014, "length": 1.5 } }, "place": { "position": [0, 0.77, 0], "turn": [0, 0, 0] }, "thickness": 0.002 },
            "courier": { "name": "The Courier's side", "form": { "ball": { "radius": 0.22 } }, "friction": 0.3, "thickness": 0.002, "place": { "position": [
                { "keys": [{ "frame": 60, "value": 2.4, "then": "smooth" }, { "frame": 104, "value": 0.36, "then": "smooth" }, { "frame": 128, "value": 0.36, "then": "smooth" }, { "frame": 156, "value": 0.75 }] },
                { "keys": [{ "frame": 60, "value": 3.0, "then": "smooth" }, { "frame": 100, "value": 1.95 }] }, 0.02], "turn": [0, 0, 0] } }
        }
    });
    let told = |faults: Vec<nematon_document::Fault>| {
        faults.iter().map(ToString::to_string).collect::<Vec<_>>().join("; ")
    };
    let mut scene = parse(&scene.to_string()).map_err(told)?;
    scene.figures.extend(deck_and_ridge(-0.004));
    scene.cameras.extend([view("At the mast", [1.35, 1.75, 3.3], [0.06, 1.22, 0.0], 92)]);
    for (id, surface) in [
        ("bench", Surface::Wood),
        ("pole", Surface::Wood),
        ("frozen", Surface::Felt),
        ("courier", Surface::Felt),
    ] {
        if let Some(c) = scene.colliders.get_mut(id) {
            c.surface = Some(surface);
        }
    }
    Ok(scene)
}
