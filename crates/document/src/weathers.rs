//! Weathers to start from.
use crate::{Act, Field, FieldId, Node, Turbulence, Vortex, Wind};
use indexmap::IndexMap;
use schemars::JsonSchema;
use serde::Serialize;

/// A few fields that make a weather together.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Weather {
    pub id: String,
    pub name: String,
    /// What one sees.
    pub note: String,
    pub fields: IndexMap<FieldId, Field>,
}

fn wind(speed: f64, gust: f64, period: f64, width: f64, bursts: f64) -> Act {
    Act::Wind(Wind {
        speed: speed.into(),
        heading: 0.4.into(),
        rise: 0.05.into(),
        gust: gust.into(),
        gust_period: period,
        gust_width: width,
        bursts: bursts.into(),
        ..Wind::default()
    })
}

/// Travels with a wind of `speed`, a little slower, as what is near the ground does.
fn swirl(strength: f64, size: f64, pace: f64, octaves: u32, speed: f64) -> Act {
    let drift = [0.69 * speed, 0.0, -0.29 * speed];
    Act::Turbulence(Turbulence {
        strength: strength.into(),
        size,
        pace: pace.into(),
        octaves,
        drift: nematon_motion::stills(drift),
        ..Turbulence::default()
    })
}

/// Speeds by the Beaufort scale (WMO No. 306, table 1100); turbulence of a tenth to a quarter of the mean wind, as over open
/// and over rough ground (J. Kaimal, J. Finnigan, "Atmospheric Boundary Layer Flows", 1994, ch. 1).
pub fn weathers() -> Vec<Weather> {
    let of = |id: &str, name: &str, note: &str, fields: Vec<(&str, &str, Act)>| Weather {
        id: id.into(),
        name: name.into(),
        note: note.into(),
        fields: fields
            .into_iter()
            .map(|(key, name, act)| (FieldId::from(key), Field::of(name, act)))
            .collect(),
    };
    let mut all = vec![
        of(
            "still-evening",
            "Still evening",
            "smoke rises, a curtain breathes",
            vec![
                ("evening-air", "Evening air", wind(0.5, 0.5, 5.0, 4.0, 0.3)),
                ("slow-eddies", "Slow eddies", swirl(0.15, 1.6, 0.15, 2, 0.5)),
            ],
        ),
        of(
            "sea-breeze",
            "Sea breeze",
            "steady, flags stand out",
            vec![
                ("breeze", "Breeze", wind(4.5, 0.18, 2.5, 6.0, 0.0)),
                ("swell", "Swell of the breeze", swirl(0.6, 2.0, 0.3, 2, 4.5)),
            ],
        ),
        of(
            "before-rain",
            "Before the rain",
            "lulls, and gusts out of nowhere",
            vec![
                ("restless-wind", "Restless wind", wind(2.5, 0.55, 2.2, 2.5, 0.8)),
                ("large-eddies", "Large eddies", swirl(1.0, 3.0, 0.3, 2, 2.5)),
                ("small-eddies", "Small eddies", swirl(0.4, 0.5, 1.0, 1, 2.5)),
            ],
        ),
        of(
            "squall",
            "Squall",
            "fronts hit hard, cloth cracks",
            vec![
                ("squall-wind", "Squall wind", wind(12.0, 0.35, 1.1, 3.0, 0.6)),
                ("rollers", "Rollers", swirl(2.6, 2.4, 0.4, 2, 12.0)),
                ("flutter", "Flutter", swirl(1.2, 0.4, 1.5, 2, 12.0)),
            ],
        ),
        of(
            "leaf-whirl",
            "Leaf whirl",
            "air turns in a corner of a yard",
            vec![
                ("light-wind", "Light wind", wind(1.2, 0.3, 3.0, 3.0, 0.2)),
                (
                    "whirl",
                    "Whirl",
                    Act::Vortex(Vortex {
                        spin: 3.0.into(),
                        core: 0.8.into(),
                        pull_in: 0.8.into(),
                        lift: 1.4.into(),
                    }),
                ),
                ("unrest", "Unrest", swirl(0.5, 0.8, 0.6, 2, 1.2)),
            ],
        ),
    ];
    for weather in &mut all {
        for field in weather.fields.values_mut().filter(|f| f.act.is_placed()) {
            field.place = Some(Node::default());
        }
    }
    all
}
