//! The landing canopy: an oilcloth stretched by eyelets over the landing deck, its trailing corner free.
use super::place::{deck_and_ridge, scenery, view};
use nematon_document::*;

/// The scene of the landing canopy.
pub fn relay() -> Scene {
    let (width, depth) = (4.2, 2.2);
    let eyelets = Choice::Border { border: "back".into(), by: Along::Eyelets(13) };
    // The gully side is laced along two thirds of its length; beyond, the cloth is free.
    let laced = (0..9).map(|k| [-0.5 * width + 0.35 * f64::from(k), 0.0, 0.5 * depth]).collect();
    let grip = |name: &str, choice| Grip::of(name, vec![choice]);
    let cloth = Cloth {
        shape: Shape::Sheet(Sheet { width, depth, columns: 60, rows: 40, warp: Warp::Width }),
        matter: Matter {
            preset: Some("oilcloth".into()),
            areal_weight: 0.34,
            stretch_warp: 5200.0,
            stretch_weft: 4300.0,
            poisson: 0.0,
            shear: 420.0,
            bend_warp: 6e-5,
            bend_weft: 4e-5,
            damping: 0.6.into(),
            drag: 1.28.into(),
            lift: 0.7.into(),
            friction: 0.5.into(),
            thickness: 0.0009,
        },
        layers: None,
        rest: None,
        seams: Default::default(),
        chambers: Default::default(),
    };
    let canopy = Body {
        place: Node::still([0.0, 1.85, 0.0], [0.1, 0.0, 0.0]),
        grips: [
            ("ridge-eyelets".into(), grip("Eyelets, ridge side", eyelets)),
            ("gully-eyelets".into(), grip("Eyelets, gully side", Choice::Near(laced))),
            ("post-corner".into(), grip("Post corner", Choice::Corner("front left".into()))),
        ]
        .into_iter()
        .collect(),
        ..Body::of("Landing canopy", Kind::Cloth(Box::new(cloth)))
    };
    let field = |name: &str, when, act| Field { when, ..Field::of(name, act) };
    let wind = |speed: f64, gust: f64, seed| Wind {
        speed: speed.into(),
        heading: 0.5.into(),
        rise: 0.12.into(),
        gust: gust.into(),
        gust_period: 1.8,
        seed,
        ..Wind::default()
    };
    let swirl = |strength: f64, size, pace: f64, octaves, seed| Turbulence {
        strength: strength.into(),
        size,
        pace: pace.into(),
        drift: nematon_document::stills([3.2, 0.4, -1.6]),
        octaves,
        seed,
        ..Turbulence::default()
    };
    Scene {
        name: "Thistledown Relay".into(),
        frames: FrameSpan::of(0, 240),
        bodies: [("landing-canopy".into(), canopy)].into_iter().collect(),
        fields: [
            ("gravity".into(), field("Gravity", None, Act::Gravity(Gravity { strength: 9.81.into() }))),
            ("ridge-wind".into(), field("Ridge wind", None, Act::Wind(wind(5.0, 0.3, 11)))),
            (
                "rollers".into(),
                field("Rollers over the ridge", None, Act::Turbulence(swirl(1.5, 2.6, 0.25, 2, 5))),
            ),
            ("flutter".into(), field("Flutter", None, Act::Turbulence(swirl(0.7, 0.45, 0.9, 1, 23)))),
            (
                "squall".into(),
                field(
                    "Squall",
                    Some(When { from: 120, until: 204, ease: 18.0 }),
                    Act::Wind(wind(4.0, 0.2, 3)),
                ),
            ),
        ]
        .into_iter()
        .collect(),
        figures: deck_and_ridge(-0.004)
            .into_iter()
            .chain([scenery("canopy-frame", "Canopy frame", Surface::Wood, Node::default())])
            .collect(),
        cameras: [view("From the gully", [3.7, 2.15, 5.6], [0.15, 1.3, 0.0], 132)].into_iter().collect(),
        floor: Some(Floor { height: 0.0, friction: 0.6 }),
        ..Scene::default()
    }
}

/// The canopy in three fabrics, as takes to compare: what is there to choose from, with what one sees in each.
///
/// # Errors
/// When a fabric is not on the shelf.
pub fn fabrics() -> Result<Vec<nematon_server::Taken>, String> {
    let seen = [
        (
            "habutai",
            "Light silk",
            false,
            "Too lively: the free corner never rests, and snaps in the squall. Look at it from frame 130 on.",
        ),
        (
            "oilcloth",
            "Oilcloth",
            true,
            "The one to show. It lags well behind the gusts and still shows where the wind comes from.",
        ),
        (
            "towelling",
            "Towelling",
            false,
            "Good weight at the laced side, but it sags like a wet towel between gusts.",
        ),
    ];
    let shelf = presets();
    let mut out = vec![];
    for (id, name, starred, note) in seen {
        let found = shelf.iter().find(|p| p.id == id).ok_or_else(|| {
            let all: Vec<&str> = shelf.iter().map(|p| p.id).collect();
            format!("There is no fabric \"{id}\": {}", all.join(", "))
        })?;
        let mut scene = relay();
        for body in scene.bodies.values_mut() {
            if let Kind::Cloth(cloth) = &mut body.kind {
                cloth.matter = found.matter.clone();
            }
        }
        let scene = serde_json::to_value(&scene).map_err(|e| e.to_string())?;
        out.push(nematon_server::Taken {
            name: name.into(),
            starred,
            note: note.into(),
            notes: vec![],
            scene,
        });
    }
    Ok(out)
}
