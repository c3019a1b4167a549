//! Species of plants to start from.
use nematon_geometry::{Branches, Heads, Leaves, Species, Stem};
use schemars::JsonSchema;
use serde::Serialize;
use std::f64::consts::PI;

/// A species with its name.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Shelved {
    pub id: &'static str,
    pub name: &'static str,
    /// Where its wood comes from, in a line.
    pub source: &'static str,
    pub species: Species,
}

const STALKS: &str = "Stalks of cereals and herbs: typical of the ranges in K. Niklas, \"Plant Biomechanics\" (1992), ch. 4 and 5";
const WOODS: &str = "Green wood of twigs: typical of the ranges in U. Niinemets, K. Niklas and others, in K. Niklas, \"Plant Biomechanics\" (1992), ch. 8";

fn stem(height: f64, diameter: f64, taper: f64, bow: f64, segments: u32) -> Stem {
    Stem { height, diameter, taper, bow, segments }
}

/// All of them.
pub fn species() -> Vec<Shelved> {
    vec![
        Shelved {
            id: "thistle",
            name: "Thistle",
            source: STALKS,
            species: Species {
                stem: stem(0.9, 0.008, 0.5, 0.15, 10),
                branches: vec![Branches {
                    count: 10,
                    from: 0.35,
                    to: 1.0,
                    angle: 0.7,
                    round: 2.4,
                    length: 0.34,
                    shorter: 0.55,
                    thickness: 0.55,
                    upward: 0.4,
                    segments: 5,
                }],
                leaves: Some(Leaves {
                    count: 4,
                    on: 1,
                    from: 0.1,
                    to: 0.8,
                    angle: 1.0,
                    round: 2.4,
                    length: 0.09,
                    width: 0.022,
                    stalk: 0.004,
                    weight: 0.25,
                    swing: 5.0,
                    drag: 1.28,
                }),
                heads: Some(Heads { on: 1, diameter: 0.026, weight: 0.0011 }),
                uneven: 0.2,
                density: 600.0,
                modulus: 1.5e9,
                inner: 0.012,
            },
        },
        Shelved {
            id: "barley",
            name: "Barley",
            source: STALKS,
            species: Species {
                stem: stem(0.85, 0.0042, 0.35, 0.35, 14),
                branches: vec![],
                leaves: Some(Leaves {
                    count: 4,
                    on: 0,
                    from: 0.15,
                    to: 0.75,
                    angle: 0.6,
                    round: PI,
                    length: 0.2,
                    width: 0.011,
                    stalk: 0.01,
                    weight: 0.16,
                    swing: 3.0,
                    drag: 1.28,
                }),
                heads: Some(Heads { on: 0, diameter: 0.016, weight: 0.0016 }),
                uneven: 0.15,
                density: 350.0,
                modulus: 4e9,
                inner: 0.012,
            },
        },
        Shelved {
            id: "fern",
            name: "Fern",
            source: STALKS,
            species: Species {
                stem: stem(0.7, 0.005, 0.6, 1.3, 14),
                branches: vec![Branches {
                    count: 22,
                    from: 0.2,
                    to: 1.0,
                    angle: 1.3,
                    round: PI,
                    length: 0.3,
                    shorter: 0.85,
                    thickness: 0.35,
                    upward: -0.25,
                    segments: 3,
                }],
                leaves: Some(Leaves {
                    count: 2,
                    on: 1,
                    from: 0.45,
                    to: 1.0,
                    angle: 0.5,
                    round: PI,
                    length: 0.07,
                    width: 0.024,
                    stalk: 0.0,
                    weight: 0.12,
                    swing: 7.0,
                    drag: 1.28,
                }),
                heads: None,
                uneven: 0.1,
                density: 700.0,
                modulus: 1e9,
                inner: 0.015,
            },
        },
        Shelved {
            id: "reed",
            name: "Reed",
            source: STALKS,
            species: Species {
                stem: stem(1.9, 0.009, 0.55, 0.25, 16),
                branches: vec![],
                leaves: Some(Leaves {
                    count: 7,
                    on: 0,
                    from: 0.3,
                    to: 0.95,
                    angle: 0.7,
                    round: 3.0,
                    length: 0.34,
                    width: 0.022,
                    stalk: 0.01,
                    weight: 0.2,
                    swing: 2.2,
                    drag: 1.28,
                }),
                heads: Some(Heads { on: 0, diameter: 0.045, weight: 0.004 }),
                uneven: 0.15,
                density: 300.0,
                modulus: 6e9,
                inner: 0.01,
            },
        },
        Shelved {
            id: "dwarf-tree",
            name: "Tree",
            source: WOODS,
            species: Species {
                stem: stem(1.3, 0.026, 0.5, 0.5, 10),
                branches: vec![
                    Branches {
                        count: 8,
                        from: 0.35,
                        to: 1.0,
                        angle: 0.95,
                        round: 2.4,
                        length: 0.5,
                        shorter: 0.5,
                        thickness: 0.45,
                        upward: 0.5,
                        segments: 5,
                    },
                    Branches {
                        count: 5,
                        from: 0.3,
                        to: 1.0,
                        angle: 0.7,
                        round: 2.4,
                        length: 0.45,
                        shorter: 0.4,
                        thickness: 0.45,
                        upward: 0.3,
                        segments: 3,
                    },
                ],
                leaves: Some(Leaves {
                    count: 8,
                    on: 2,
                    from: 0.3,
                    to: 1.0,
                    angle: 1.0,
                    round: 2.4,
                    length: 0.055,
                    width: 0.034,
                    stalk: 0.014,
                    weight: 0.2,
                    swing: 4.0,
                    drag: 1.28,
                }),
                heads: None,
                uneven: 0.25,
                density: 900.0,
                modulus: 3e9,
                inner: 0.006,
            },
        },
    ]
}
