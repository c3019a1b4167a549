//! The Courier lands: a moth with a cape and a satchel comes down on a canopy whose frame sways.
use nematon_document::*;

/// How far the feet press the canopy below where its frame holds it, metres.
const PRESS: f64 = 0.215;
const DECK: f64 = 1.9;
/// Where the strap and the cape are held, on the moth.
const SHOULDERS: f64 = 0.125;

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
    let grip = |name: &str, choice, to| Grip {
        name: name.into(),
        on: true,
        points: vec![choice],
        to,
        hold: 1.0.into(),
        spring: None,
    };
    let border = |name: &str, by| Choice::Border { border: name.into(), by };
    let canopy = Body {
        name: "Canopy".into(),
        dye: Some(Dye::Linen),
        kind: Kind::Cloth(Box::new(Cloth {
            shape: Shape::Sheet(Sheet { width: 3.2, depth: 2.6, columns: 48, rows: 40, warp: Warp::Width }),
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
        })),
        place: Node { on: Some(Parent::Handle("frame".into())), ..Node::default() },
        grips: [
            (
                "back".into(),
                grip("Back eyelets", border("back", Along::Eyelets(11)), HeldTo::Handle("frame".into())),
            ),
            (
                "left".into(),
                grip("Left eyelets", border("left", Along::Eyelets(8)), HeldTo::Handle("frame".into())),
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
        maps: Default::default(),
        scaled: Default::default(),
    };
    let cape = Body {
        name: "Cape".into(),
        dye: Some(Dye::Madder),
        kind: Kind::Cloth(Box::new(Cloth {
            shape: Shape::Sheet(Sheet { width: 0.24, depth: 0.46, columns: 16, rows: 30, warp: Warp::Depth }),
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
        })),
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
        maps: Default::default(),
        scaled: Default::default(),
    };
    let field = |name: &str, act| Field {
        name: name.into(),
        on: true,
        when: None,
        share: 1.0.into(),
        place: None,
        zone: None,
        only: None,
        act,
    };
    let touched = |name: &str, parts: &[&str], group: &str| Collider {
        name: name.into(),
        on: true,
        form: Form::Figure(FigureForm {
            figure: "courier".into(),
            parts: parts.iter().map(|p| (*p).to_owned()).collect(),
        }),
        place: Node::default(),
        hollow: false,
        thickness: 0.004,
        friction: 0.6.into(),
        group: group.into(),
    };
    Scene {
        nematon: VERSION,
        name: "The Courier lands".into(),
        frames: FrameSpan { first: 0, last: 240, rate: 24.0, substeps: 10 },
        bodies: [("canopy".into(), canopy), ("cape".into(), cape)].into_iter().collect(),
        fields: [
            ("gravity".into(), field("Gravity", Act::Gravity(Gravity { strength: 9.81.into() }))),
            (
                "ridge-wind".into(),
                field(
                    "Ridge wind",
                    Act::Wind(Wind {
                        speed: 3.0.into(),
                        heading: 0.5.into(),
                        rise: 0.08.into(),
                        gust: 0.35.into(),
                        gust_period: 1.8,
                        seed: 4,
                    }),
                ),
            ),
        ]
        .into_iter()
        .collect(),
        colliders: [
            ("moth".into(), touched("Moth", &["body"], "moth")),
            ("wings".into(), touched("Wings", &["wings"], "wings")),
        ]
        .into_iter()
        .collect(),
        handles: [("frame".into(), frame), ("guy".into(), guy)].into_iter().collect(),
        figures: [(
            moth(),
            Figure {
                name: "The Courier".into(),
                from: MeshSource::File("courier.glb".into()),
                points: None,
                place: Node::still([0.0, DECK - PRESS, 0.0], [0.0; 3]),
                size: 1.0,
                clip: Some("Landing".into()),
                begins: 0.0,
                speed: 1.0,
                then: AtEnd::Hold,
            },
        )]
        .into_iter()
        .collect(),
        // The cape lies between the wings, and these fold over the deck.
        apart: vec![["cape".into(), "wings".into()], ["canopy".into(), "wings".into()]],
        floor: Some(Floor { height: 0.0, friction: 0.6 }),
    }
}
