//! The Courier lands: a moth with a cape and a satchel comes down on a canopy whose frame sways.
use super::place::{deck_and_ridge, swaying_frame, view};
use nematon_document::*;

/// How far the feet press the canopy below where its frame holds it, metres.
const PRESS: f64 = 0.215;
const DECK: f64 = 1.9;
/// Where the strap and the cape are held, on the moth.
const SHOULDERS: f64 = 0.125;

/// The canopy's shape, which is painted on.
pub fn canopy_shape() -> Shape {
    Shape::Sheet(Sheet { width: 3.2, depth: 2.6, columns: 48, rows: 40, warp: Warp::Width })
}

/// The scene.
pub fn courier() -> Scene {
    let moth = || FigureId::from("courier");
    let key = |frame: i64, value: f64| Key { frame, value, then: Way::Smooth, arrive: None, leave: None };
    let sway = |swing: f64, first: i64| {
        let keys = [0.0, 1.0, -0.7, 0.4, 0.0].iter().enumerate();
        let keys = keys.map(|(k, s)| key(first + 48 * k as i64, swing * s)).collect();
        Value::Moving(Motion { keys, after: Beyond::Repeat, ..Motion::default() })
    };
    let drift = |formula: &str, seed| {
        Value::Moving(Motion { formula: Some(Formula::new(formula)), seed, ..Motion::default() })
    };
    let frame = Handle {
        name: "Canopy frame".into(),
        place: Node {
            position: [sway(0.03, 0), Value::Still(DECK), Value::Still(0.0)],
            turn: [Value::Still(0.06), Value::Still(0.0), sway(0.012, 12)],
            on: None,
        },
    };
    let guy = Handle {
        name: "Guy".into(),
        place: Node {
            position: [
                Value::Still(1.6),
                drift("0.05 * sin(2.1 * t) + 0.03 * noise(1.5 * t)", 7),
                drift("1.3 + 0.04 * noise(1.1 * t + 20)", 8),
            ],
            turn: stills([0.0; 3]),
            on: Some(Parent::Handle("frame".into())),
        },
    };
    let grip = |name: &str, choice, to| Grip { to, ..Grip::of(name, vec![choice]) };
    let border = |name: &str, by| Choice::Border { border: name.into(), by };
    let file = |name: &str| MeshSource::File(name.into());
    let painted = Weights::Painted(Painted {
        on: Some(file("soft-edge-surface.npz")),
        strokes: vec![file("soft-edge-stroke.npz")],
    });
    let stripes = Weights::Picture(Picture {
        from: file("stripes.png"),
        channel: Channel::Light,
        flip: false,
        gain: 1.0,
        bias: 0.0,
    });
    // About the neck, on the thorax: firm there, and the hem is free.
    let neck = Weights::Zone(Box::new(Zone {
        place: Node {
            position: stills([0.0, SHOULDERS, 0.075]),
            turn: stills([0.0, 0.0, std::f64::consts::FRAC_PI_2]),
            on: Some(Parent::Joint(JointOf { figure: moth(), joint: "thorax".into() })),
        },
        form: ZoneForm::Capsule(ZoneCapsule { radius: 0.02.into(), length: 0.2.into() }),
        edge: 0.12.into(),
        profile: Profile::Smooth,
        outside: false,
    }));
    let canopy = Body {
        dye: Some(Dye::Linen),
        place: Node { on: Some(Parent::Handle("frame".into())), ..Node::default() },
        grips: [
            (
                "back".into(),
                grip("Back eyelets", border("back", Along::Eyelets(11)), HeldTo::Handle("frame".into())),
            ),
            (
                "left".into(),
                Grip {
                    to: HeldTo::Handle("frame".into()),
                    map: Some("soft-edge".into()),
                    ..Grip::of("Left side, softly", vec![])
                },
            ),
            (
                "right".into(),
                grip("Right eyelets", border("right", Along::Every(6)), HeldTo::Handle("frame".into())),
            ),
            ("guy".into(), grip("Guy", Choice::Corner("front right".into()), HeldTo::Handle("guy".into()))),
        ]
        .into_iter()
        .collect(),
        touch: Touch { itself: false, others: true, group: "canopy".into() },
        maps: [
            ("soft-edge".into(), Map { dye: Some(Dye::Woad), ..Map::of("Soft edge", painted) }),
            ("stripes".into(), Map { dye: Some(Dye::Rust), ..Map::of("Stripes", stripes) }),
        ]
        .into_iter()
        .collect(),
        scaled: [(Scaled::Bend, ScaledBy { map: "stripes".into(), least: 1.0, most: 25.0 })]
            .into_iter()
            .collect(),
        ..Body::of(
            "Canopy",
            Kind::Cloth(Box::new(Cloth {
                shape: canopy_shape(),
                matter: Matter {
                    preset: Some("oilcloth".into()),
                    areal_weight: 0.34,
                    stretch_warp: 5200.0,
                    stretch_weft: 4300.0,
                    shear: 420.0,
                    bend_warp: 6e-5,
                    bend_weft: 4e-5,
                    damping: 0.6.into(),
                    lift: 0.7.into(),
                    friction: 0.5.into(),
                    thickness: 0.0009,
                    ..Matter::default()
                },
                layers: None,
                rest: None,
                seams: Default::default(),
                chambers: Default::default(),
            })),
        )
    };
    let cape = Body {
        dye: Some(Dye::Madder),
        place: Node {
            position: stills([0.0, SHOULDERS, 0.09 - 0.23]),
            turn: stills([0.0, std::f64::consts::PI, 0.0]),
            on: Some(Parent::Joint(JointOf { figure: moth(), joint: "thorax".into() })),
        },
        grips: [(
            "collar".into(),
            grip(
                "Collar",
                border("back", Along::All),
                HeldTo::Figure(FigureForm { figure: "courier".into(), parts: vec!["body".into()] }),
            ),
        )]
        .into_iter()
        .collect(),
        touch: Touch { itself: true, others: true, group: "cape".into() },
        maps: [("neck".into(), Map { dye: Some(Dye::Plum), ..Map::of("Neck", neck) })].into_iter().collect(),
        follow: Some(Value::Still(200.0)),
        scaled: [(Scaled::Follow, ScaledBy { map: "neck".into(), least: 0.0, most: 1.0 })]
            .into_iter()
            .collect(),
        ..Body::of(
            "Cape",
            Kind::Cloth(Box::new(Cloth {
                shape: Shape::Sheet(Sheet {
                    width: 0.24,
                    depth: 0.46,
                    columns: 16,
                    rows: 30,
                    warp: Warp::Depth,
                }),
                matter: Matter {
                    preset: Some("wool".into()),
                    areal_weight: 0.30,
                    stretch_warp: 900.0,
                    stretch_weft: 700.0,
                    shear: 60.0,
                    bend_warp: 2.4e-5,
                    bend_weft: 1.8e-5,
                    damping: 1.0.into(),
                    friction: 0.5.into(),
                    thickness: 0.0012,
                    ..Matter::default()
                },
                layers: None,
                rest: None,
                seams: Default::default(),
                chambers: Default::default(),
            })),
        )
    };
    let satchel = satchel(&grip, &moth());
    let touched = |name: &str, parts: &[&str], group: &str| {
        let parts = parts.iter().map(|p| (*p).to_owned()).collect();
        let form = Form::Figure(FigureForm { figure: "courier".into(), parts });
        Collider { thickness: 0.004, friction: 0.6.into(), group: group.into(), ..Collider::of(name, form) }
    };
    Scene {
        name: "The Courier lands".into(),
        frames: FrameSpan::of(0, 240),
        bodies: [
            ("canopy".into(), canopy),
            ("cape".into(), cape),
            ("satchel".into(), satchel),
            ("ruff".into(), ruff(&moth())),
            ("tassels".into(), tassels(&moth())),
        ]
        .into_iter()
        .collect(),
        fields: super::weather(&moth()).into_iter().collect(),
        colliders: [
            ("moth".into(), touched("Moth", &["body"], "moth")),
            ("legs".into(), touched("Legs", &["legs"], "legs")),
            ("wings".into(), touched("Wings", &["wings"], "wings")),
        ]
        .into_iter()
        .collect(),
        handles: [("frame".into(), frame), ("guy".into(), guy)].into_iter().collect(),
        cameras: [view("Face to face", [1.15, 2.5, 2.6], [0.0, 2.0, 0.05], 128)].into_iter().collect(),
        figures: [(
            moth(),
            Figure {
                place: Node::still([0.0, DECK - PRESS, 0.0], [0.0; 3]),
                clip: Some("Landing".into()),
                surface: Some(Surface::Felt),
                ..Figure::of("The Courier", MeshSource::File("courier.glb".into()))
            },
        )]
        .into_iter()
        .chain(deck_and_ridge(0.0))
        .chain([swaying_frame()])
        .collect(),
        // The cape lies between the wings, these fold over the deck, and the strap runs between the legs.
        apart: [
            ("cape", "wings"),
            ("canopy", "wings"),
            ("satchel", "wings"),
            ("satchel", "legs"),
            ("cape", "legs"),
            ("satchel", "cape"),
            // It lies on its body, and over all else.
            ("ruff", "wings"),
            ("ruff", "legs"),
            ("ruff", "cape"),
            ("ruff", "canopy"),
            ("ruff", "satchel"),
            ("ruff", "tassels"),
            ("tassels", "wings"),
            ("tassels", "legs"),
            ("tassels", "cape"),
            ("tassels", "satchel"),
        ]
        .map(|(a, b)| [a.to_owned(), b.to_owned()])
        .into(),
        floor: Some(Floor { height: 0.0, friction: 0.6 }),
        ..Scene::default()
    }
}

/// A ruff round the neck, that sweeps back over the shoulders.
fn ruff(moth: &FigureId) -> Body {
    let on = || Some(Parent::Joint(JointOf { figure: moth.clone(), joint: "thorax".into() }));
    let neck = Weights::Zone(Box::new(Zone {
        place: Node {
            position: stills([0.0, 0.02, 0.145]),
            turn: stills([std::f64::consts::FRAC_PI_2, 0.0, 0.0]),
            on: on(),
        },
        form: ZoneForm::Slab(ZoneSlab { thickness: 0.03.into() }),
        edge: 0.03.into(),
        profile: Profile::Smooth,
        outside: false,
    }));
    let strands = Strands {
        from: Outlet::Figure(FigureForm { figure: moth.0.clone(), parts: vec!["body".into()] }),
        spread: Some("neck".into()),
        count: 900,
        points: 12,
        length: 0.085,
        variation: 0.25,
        lean: [0.0, 0.15, -0.7],
        bow: 0.7,
        diameter: 0.00024,
        taper: 0.6,
        density: 1150.0,
        modulus: 2.5e9,
        damping: 2.5.into(),
        hairs: Some(Hairs { count: 14_000, clump: 0.3, shorter: 0.35, stray: 0.006, ..Hairs::begin() }),
        ..Strands::default()
    };
    Body {
        dye: Some(Dye::Linen),
        place: Node { on: on(), ..Node::default() },
        touch: Touch { itself: false, others: true, group: "ruff".into() },
        maps: [("neck".into(), Map { dye: Some(Dye::Plum), ..Map::of("Neck", neck) })].into_iter().collect(),
        ..Body::of("Ruff", Kind::Strands(Box::new(strands)))
    }
}

/// Tassels along the lower edge of the pouch, that swing with it.
fn tassels(moth: &FigureId) -> Body {
    let on = || Some(Parent::Joint(JointOf { figure: moth.clone(), joint: "thorax".into() }));
    let edge = Weights::Zone(Box::new(Zone {
        place: Node { position: stills([0.0, -0.236, 0.045]), turn: stills([0.0; 3]), on: on() },
        form: ZoneForm::Slab(ZoneSlab { thickness: 0.02.into() }),
        edge: 0.006.into(),
        profile: Profile::Smooth,
        outside: false,
    }));
    let strands = Strands {
        from: Outlet::Body("satchel".into()),
        spread: Some("edge".into()),
        count: 84,
        points: 10,
        length: 0.075,
        variation: 0.1,
        lean: [0.0, -1.2, 0.0],
        bow: 0.3,
        diameter: 0.0005,
        taper: 0.2,
        density: 1300.0,
        modulus: 8e6,
        damping: 1.5.into(),
        clumps: Some(Clumps { count: 7, stiffness: 3.0, from: 0.12, wide: 0.22 }),
        hairs: Some(Hairs { count: 900, clump: 0.5, shorter: 0.1, stray: 0.001, ..Hairs::begin() }),
        ..Strands::default()
    };
    Body {
        dye: Some(Dye::Madder),
        place: Node { on: on(), ..Node::default() },
        touch: Touch { itself: false, others: false, group: "tassels".into() },
        maps: [("edge".into(), Map { dye: Some(Dye::Plum), ..Map::of("Lower edge", edge) })]
            .into_iter()
            .collect(),
        ..Body::of("Tassels", Kind::Strands(Box::new(strands)))
    }
}

/// Points across the strap, and along it.
const STRAP: [u32; 2] = [7, 45];

/// How high the strap hangs, and half of its width, from one shoulder (0) to the other (1).
fn strap(s: f64) -> ([f64; 3], f64) {
    let a = std::f64::consts::PI * s;
    let pouch = ((1.0 - (2.0 * s - 1.0).abs() - 0.52) / 0.16).clamp(0.0, 1.0);
    let half = 0.013 + 0.055 * pouch * pouch * (3.0 - 2.0 * pouch);
    ([0.132 * libm::cos(a), 0.03 - 0.26 * libm::sin(a), 0.045], half)
}

/// A strap of leather that widens to a pouch, as an OBJ about the moth's chest.
pub fn satchel_mesh() -> String {
    let mut m = nematon_geometry::sheet(1.0, 1.0, STRAP[0], STRAP[1]);
    for (p, uv) in m.positions.iter_mut().zip(&m.uvs) {
        let (at, half) = strap(f64::from(uv[1]));
        let across = 2.0 * f64::from(uv[0]) - 1.0;
        *p = [at[0], at[1], at[2] + across * half].map(|c| c as f32);
    }
    let with = nematon_formats::With { normals: false, triangles: true, exact: false, ..Default::default() };
    nematon_formats::write_obj("satchel", &m, &m.positions, with)
}

fn satchel(grip: &impl Fn(&str, Choice, HeldTo) -> Grip, moth: &FigureId) -> Body {
    let end = |s: f64| {
        let (at, half) = strap(s);
        let n = STRAP[0] - 1;
        (0..=n).map(|k| [at[0], at[1], at[2] + (2.0 * f64::from(k) / f64::from(n) - 1.0) * half]).collect()
    };
    let skin = || HeldTo::Figure(FigureForm { figure: moth.0.clone(), parts: vec!["body".into()] });
    let heavy = Map::of("What is in it", Weights::Ramp(Ramp { along: Axis::Y, from: -0.14, to: -0.2 }));
    Body {
        dye: Some(Dye::Rust),
        place: Node {
            on: Some(Parent::Joint(JointOf { figure: moth.clone(), joint: "thorax".into() })),
            ..Node::default()
        },
        grips: [
            ("left".into(), grip("Left shoulder", Choice::Near(end(0.0)), skin())),
            ("right".into(), grip("Right shoulder", Choice::Near(end(1.0)), skin())),
        ]
        .into_iter()
        .collect(),
        touch: Touch { itself: true, others: true, group: "satchel".into() },
        maps: [("load".into(), heavy)].into_iter().collect(),
        scaled: [(Scaled::ArealWeight, ScaledBy { map: "load".into(), least: 1.0, most: 1.6 })]
            .into_iter()
            .collect(),
        ..Body::of(
            "Satchel",
            Kind::Cloth(Box::new(Cloth {
                shape: Shape::Mesh(ImportedMesh { from: MeshSource::File("satchel.obj".into()), refine: 0 }),
                matter: Matter {
                    areal_weight: 0.7,
                    stretch_warp: 9000.0,
                    stretch_weft: 9000.0,
                    shear: 900.0,
                    bend_warp: 6e-4,
                    bend_weft: 6e-4,
                    damping: 0.8.into(),
                    friction: 0.6.into(),
                    thickness: 0.002,
                    ..Matter::default()
                },
                layers: None,
                rest: None,
                seams: Default::default(),
                chambers: Default::default(),
            })),
        )
    }
}
