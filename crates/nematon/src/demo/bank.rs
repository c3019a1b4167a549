//! The thistle bank: thistles and barley on the slope below the deck, in the ridge wind, a squall and the wash of a courier that passes; their down, that
//! lets go in gusts, an awning that it settles on until its pole shakes it off, and a dwarf tree by the post.
use super::place::{scenery, view};
use super::weather::keyed;
use nematon_document::{Node, Scene, Surface, VERSION, parse, species};
use serde_json::{Value, json};

/// How steep the slope is, rad.
const SLOPE: f64 = 0.28;
/// How high its middle is, m.
const HIGH: f64 = 0.95;

/// # Errors
/// What is wrong with the scene, were there anything.
pub fn bank() -> Result<Scene, String> {
    let of = |id: &str| -> Result<Value, String> {
        let found = species().into_iter().find(|s| s.id == id).ok_or("no such species")?;
        serde_json::to_value(found.species).map_err(|e| e.to_string())
    };
    let place =
        |x: f64, z: f64| json!({ "position": [x, HIGH - SLOPE.tan() * z, z], "turn": [SLOPE, 0.0, 0.0] });
    let alone = json!({ "itself": false, "others": false, "group": "plants" });
    let plants = |name: &str, dye: &str, kind: Value, place: Value| json!({ "name": name, "dye": dye, "kind": { "plants": kind }, "place": place, "touch": alone });
    let mut down = json!({
        "name": "Down", "dye": "linen",
        "kind": { "drift": {
            "size": [0.2, 0.2, 0.2], "count": 1600, "radius": 0.013, "variation": 0.35, "weight": 3.2e-6, "drag": 1.1, "friction": 0.9, "seed": 3,
            "shed": { "plants": "thistles", "what": "heads", "each": 2, "rules": [
                { "chance": 0.06, "over": 5.0, "order": "tips" },
                { "chance": 0.5, "over": 8.5 }
            ] }
        } },
        "touch": { "itself": false, "others": true, "group": "down" }
    });
    // Across the way of the down, its low edge to the wind.
    let (lean, turned, middle) = (0.8_f64, -0.82_f64, [2.55, HIGH + 1.1, -1.8]);
    let out = 0.5 * 1.1 * lean.cos();
    let low =
        [middle[0] + out * turned.sin(), middle[1] - 0.5 * 1.1 * lean.sin(), middle[2] + out * turned.cos()];
    let shaken = [(150, 0.0), (155, 1.0), (158, 0.55), (161, 1.15), (165, 0.6), (169, 1.0), (178, 0.0)];
    let pole = json!([low[0], keyed(&shaken.map(|(f, up)| (f, low[1] + up))), low[2]]);
    // Over the bank, along the wind.
    let passes = json!([keyed(&[(140, -2.6), (190, 1.8)]), HIGH + 1.55, keyed(&[(140, -0.6), (190, 1.0)])]);
    down["place"] = json!({ "position": [0, 0, 0], "turn": [0, 0, 0] });
    let scene = json!({
        "nematon": VERSION, "name": "The thistle bank",
        "frames": { "first": 0, "last": 192, "rate": 24 },
        "bodies": {
            "thistles": plants("Thistles", "weld", json!({ "species": of("thistle")?, "size": [5.2, 2.6], "count": 140, "variation": 0.25, "seed": 11 }), place(0.0, 0.0)),
            "barley": plants("Barley", "rust", json!({ "species": of("barley")?, "size": [5.6, 1.2], "count": 60, "variation": 0.15, "seed": 5 }), place(0.0, 1.9)),
            "tree": plants("Dwarf tree", "moss", json!({ "species": of("dwarf-tree")?, "size": [0, 0], "count": 1, "seed": 8 }), place(-2.75, -0.1)),
            "torn": {
                "name": "Torn leaves", "dye": "moss",
                "kind": { "drift": {
                    "size": [0.2, 0.2, 0.2], "count": 400, "radius": 0.025, "weight": 0.0003, "drag": 1.28, "friction": 0.7, "seed": 4,
                    "flies": { "plate": { "thickness": 0.003 } },
                    "shed": { "plants": "tree", "what": "leaves", "rules": [{ "chance": 0.12, "over": 7.5, "order": "tips" }] }
                } },
                "place": { "position": [0, 0, 0], "turn": [0, 0, 0] },
                "touch": { "itself": false, "others": true, "group": "down" }
            },
            "down": down,
            "awning": {
                "name": "Awning", "dye": "madder",
                "kind": { "cloth": { "shape": { "sheet": { "width": 1.8, "depth": 1.1, "columns": 28, "rows": 18 } },
                    "matter": { "areal_weight": 0.2, "stretch_warp": 4500, "stretch_weft": 4000, "shear": 220, "bend_warp": 2e-5, "bend_weft": 1.6e-5, "damping": 1.0, "friction": 0.7, "thickness": 0.001 } } },
                "place": { "position": middle, "turn": [lean, turned, 0] },
                "grips": {
                    "high": { "name": "High edge", "points": [{ "corner": "back left" }, { "corner": "back right" }] },
                    "low": { "name": "Low edge", "points": [{ "corner": "front left" }, { "corner": "front right" }], "to": { "handle": "pole" } }
                },
                "touch": { "itself": false, "others": true, "group": "cloth" }
            }
        },
        "handles": { "pole": { "name": "Awning pole", "place": { "position": pole, "turn": [0, 0, 0] } } },
        "fields": {
            "landing-wash": { "name": "Landing wash", "share": keyed(&[(140, 0.0), (150, 1.0), (172, 1.0), (188, 0.0)]), "place": { "position": passes, "turn": [0, 0, 0] },
                "act": { "column": { "lift": -5.0, "swirl": 0.3, "spread": 1.6, "form": "cone", "radius": 0.9, "height": 1.7, "edge": 0.3, "lift_across": "middle", "spread_along": "foot",
                    "unrest": 0.5, "unrest_size": 0.25, "seed": 3 } } },
            "gravity": { "name": "Gravity", "act": { "gravity": { "strength": 9.81 } } },
            "ridge-wind": { "name": "Ridge wind", "act": { "wind": { "speed": 3.6, "heading": 0.75, "rise": 0.05, "gust": 0.45, "gust_period": 2.2, "seed": 11 } } },
            "squall": { "name": "Squall", "when": { "from": 84, "until": 144, "ease": 16 },
                "act": { "wind": { "speed": 6.0, "heading": 0.6, "rise": 0.06, "gust": 0.35, "gust_period": 1.3, "seed": 3 } } },
            "rollers": { "name": "Rollers over the ridge", "act": { "turbulence": { "strength": 1.1, "size": 1.6, "pace": 0.4, "drift": [2.6, 0.2, 2.4], "octaves": 2, "seed": 5 } } }
        },
        "colliders": {
            "slope": { "name": "Slope", "form": { "box": { "size": [7.6, 0.3, 5.8] } },
                "place": { "position": [0, HIGH - 0.15 / SLOPE.cos(), 0], "turn": [SLOPE, 0, 0] }, "friction": 0.8, "group": "solid" },
            "post": { "name": "Post", "form": { "box": { "size": [0.12, 2.2, 0.12] } }, "place": { "position": [-3.4, HIGH + 1.2, -1.0], "turn": [0, 0, 0] }, "group": "solid" }
        }
    });
    let mut scene = parse(&scene.to_string())
        .map_err(|f| f.iter().map(|f| format!("{}: {}", f.path, f.message)).collect::<Vec<_>>().join("; "))?;
    scene.figures.extend([scenery("ridge", "Ridge", Surface::Turf, Node::still([0.0, 0.6, 0.0], [0.0; 3]))]);
    scene.cameras.extend([view("Along the bank", [0.9, 2.2, 5.6], [0.12, 1.5, -0.4], 118)]);
    for (id, surface) in [("slope", Surface::Turf), ("post", Surface::Wood)] {
        if let Some(c) = scene.colliders.get_mut(id) {
            c.surface = Some(surface);
        }
    }
    Ok(scene)
}
