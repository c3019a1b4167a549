//! The air over the landing deck.
use nematon_document::*;

pub(super) fn keyed(keys: &[(i64, f64)]) -> Value {
    let key =
        |&(frame, value): &(i64, f64)| Key { frame, value, then: Way::Smooth, arrive: None, leave: None };
    Value::Moving(Motion { keys: keys.iter().map(key).collect(), ..Motion::default() })
}

/// The fields of the landing: what blows over the ridge, what the deck and its stove make of it, and what the moth brings.
pub fn weather(moth: &FigureId) -> [(FieldId, Field); 9] {
    let wind = Wind {
        speed: 3.0.into(),
        heading: 0.5.into(),
        rise: 0.08.into(),
        gust: 0.35.into(),
        gust_period: 1.8,
        gust_width: 2.5,
        seed: 4,
        ..Wind::default()
    };
    // It travels with the wind, so that its leading edge never stands still.
    let swirl = |strength: f64, size, pace: f64, octaves, seed| Turbulence {
        strength: strength.into(),
        size,
        pace: pace.into(),
        drift: nematon_document::stills([2.3, 0.2, -1.2]),
        octaves,
        seed,
        ..Turbulence::default()
    };
    let squall = Wind {
        speed: 2.6.into(),
        heading: 0.7.into(),
        rise: 0.1.into(),
        gust: 0.3.into(),
        gust_period: 0.9,
        gust_width: 1.2,
        bursts: 0.6.into(),
        seed: 9,
    };
    // Its wings drive air down and out while they carry it; it goes where the moth goes.
    let wash = Column {
        lift: (-5.0).into(),
        swirl: 0.3.into(),
        spread: 1.6.into(),
        form: Within::Cone,
        radius: 0.9.into(),
        height: 1.5.into(),
        edge: 0.3.into(),
        lift_across: Across::Middle,
        spread_along: AlongAxis::Foot,
        unrest: 0.5.into(),
        unrest_size: 0.25,
        seed: 3,
        ..Column::default()
    };
    let on_moth = Node {
        position: nematon_document::stills([0.0, -0.6, 0.0]),
        turn: nematon_document::stills([0.0; 3]),
        on: Some(Parent::Joint(JointOf { figure: moth.clone(), joint: "thorax".into() })),
    };
    let eddy = Vortex { spin: 1.6.into(), core: 0.5.into(), pull_in: 0.3.into(), lift: 0.2.into() };
    let draught = Column {
        lift: 1.8.into(),
        swirl: 0.4.into(),
        spread: 0.1.into(),
        form: Within::Cylinder,
        radius: 0.25.into(),
        height: 2.6.into(),
        edge: 0.25.into(),
        lift_across: Across::Middle,
        lift_along: AlongAxis::Foot,
        unrest: 0.4.into(),
        unrest_size: 0.2,
        seed: 5,
        ..Column::default()
    };
    let current = Stream {
        speed: 2.4.into(),
        draw_in: 0.4.into(),
        radius: 0.9.into(),
        points: vec![[-3.0, 0.5, 2.4], [-1.0, 0.9, 1.9], [1.0, 1.3, 1.7], [2.6, 1.9, 1.0], [3.8, 2.6, -0.4]],
        closed: false,
    };
    let placed = |name: &str, place: Node, act| Field { place: Some(place), ..Field::of(name, act) };
    let down_wind = Node::still([1.9, 1.6, -1.4], [1.35, 0.4, 0.0]);
    [
        ("gravity", Field::of("Gravity", Act::Gravity(Gravity { strength: 9.81.into() }))),
        ("ridge-wind", Field::of("Ridge wind", Act::Wind(wind))),
        ("rollers", Field::of("Rollers over the ridge", Act::Turbulence(swirl(0.9, 2.2, 0.25, 2, 5)))),
        ("flutter", Field::of("Flutter", Act::Turbulence(swirl(0.45, 0.4, 0.9, 1, 23)))),
        (
            "squall",
            Field {
                when: Some(When { from: 150, until: 222, ease: 16.0 }),
                ..Field::of("Squall", Act::Wind(squall))
            },
        ),
        (
            "landing-wash",
            Field {
                // As long as the wings carry it: less on the feet, and gone once they fold.
                share: keyed(&[(0, 1.0), (78, 1.0), (101, 0.45), (134, 0.0)]),
                ..placed("Landing wash", on_moth, Act::Column(wash))
            },
        ),
        ("eddy", placed("Eddy behind the deck", down_wind, Act::Vortex(eddy))),
        (
            "draught",
            placed("The stove’s draught", Node::still([1.25, 1.3, 0.75], [0.0; 3]), Act::Column(draught)),
        ),
        ("current", placed("The gully’s current", Node::default(), Act::Stream(current))),
    ]
    .map(|(id, field)| (FieldId::from(id), field))
}
