//! The wind pennant on the relay's mast: a tapering streamer with a swallow tail, as an OBJ to bring in, and flying in a wind that comes
//! again, as a loop.
use super::place::{deck_and_ridge, view};
use nematon_document::{Loop, Scene, Surface, VERSION, parse};
use nematon_formats::write_obj;
use nematon_geometry::sheet;
use serde_json::json;

/// 1.4 m long, 0.42 m at the mast, hanging in the plane z = 0 with its hoist at x = 0.
pub fn pennant() -> String {
    let (length, hoist) = (1.4f32, 0.42f32);
    let mut m = sheet(1.0, 1.0, 43, 15);
    for (p, uv) in m.positions.iter_mut().zip(&m.uvs) {
        let (u, v) = (uv[0], uv[1] - 0.5);
        let half = hoist * (1.0 - 0.55 * u);
        // The tail is cut in: its middle ends before its corners.
        let x = u * (length - 0.3 * (1.0 - 2.0 * v.abs()) * u);
        *p = [x, 1.2 - v * half, 0.0];
    }
    write_obj(
        "pennant",
        &m,
        &m.positions,
        nematon_formats::With { normals: false, triangles: true, exact: false, ..Default::default() },
    )
}

/// The pennant in gusts that come again every two seconds. Where it is most like itself a gust later it repeats.
///
/// # Errors
/// What is wrong with the scene, were there anything.
pub fn flying() -> Result<Scene, String> {
    let again = |least: f64, most: f64| {
        json!({ "after": "repeat", "keys": [
            { "frame": 0, "value": least, "then": "smooth" }, { "frame": 20, "value": most, "then": "smooth" }, { "frame": 48, "value": least }
        ] })
    };
    let hoist: Vec<[f64; 3]> = (0..8).map(|k| [0.0, 1.41 - 0.06 * f64::from(k), 0.0]).collect();
    let scene = json!({
        "nematon": VERSION, "name": "The mast pennant",
        "frames": { "first": 0, "last": 239, "rate": 24 },
        "bodies": { "pennant": {
            "name": "Pennant", "dye": "madder",
            "kind": { "cloth": {
                "shape": { "mesh": { "from": { "file": "pennant.obj" } } },
                "matter": { "areal_weight": 0.09, "stretch_warp": 1500, "stretch_weft": 1500, "shear": 90, "bend_warp": 6e-6, "bend_weft": 4e-6, "damping": 2.4, "thickness": 0.001 }
            } },
            "place": { "position": [0, 0.9, 0], "turn": [0, 0, 0] },
            "grips": { "hoist": { "name": "Hoist", "points": [{ "near": hoist }] } }
        } },
        "fields": {
            "weight": { "name": "Weight", "act": { "gravity": { "strength": 9.81 } } },
            "gusts": { "name": "Gusts", "act": { "wind": { "speed": again(2.2, 4.6), "heading": again(-0.16, 0.2) } } },
            "curl": { "name": "Curl off the mast", "act": { "vortex": { "spin": again(0.2, 1.1), "core": 0.5 } }, "place": { "position": [0.7, 2.0, 0.12], "turn": [0, 0, 0] } }
        },
        "colliders": { "mast": { "name": "Mast", "form": { "capsule": { "radius": 0.03, "length": 2.6 } }, "place": { "position": [-0.034, 1.3, 0], "turn": [0, 0, 0] } } }
    });
    let told = |faults: Vec<nematon_document::Fault>| {
        faults.iter().map(ToString::to_string).collect::<Vec<_>>().join("; ")
    };
    let mut scene = parse(&scene.to_string()).map_err(told)?;
    scene.figures.extend(deck_and_ridge(0.0));
    scene.cameras.extend([view("At the mast", [0.9, 1.75, 3.1], [0.66, 2.0, 0.0], 150)]);
    if let Some(mast) = scene.colliders.get_mut("mast") {
        mast.surface = Some(Surface::Wood);
    }
    scene.frames.looped = Some(Loop { from: 178, length: 48, blend: 8 });
    Ok(scene)
}
