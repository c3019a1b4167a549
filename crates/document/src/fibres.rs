//! What strands are made of, to start from, with where the numbers come from.
use schemars::JsonSchema;
use serde::Serialize;

/// A fibre with its source.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Fibre {
    pub id: &'static str,
    pub name: &'static str,
    /// Where the numbers come from, in a line.
    pub source: &'static str,
    /// As of strands: m, a share, kg/m³, Pa, a share, 1/s, Coulomb.
    pub diameter: f64,
    pub taper: f64,
    pub density: f64,
    pub modulus: f64,
    pub twist: f64,
    pub damping: f64,
    pub friction: f64,
}

/// Diameter mm, taper, density kg/m³, Young's modulus GPa, twist, damping 1/s, friction.
type Row = (&'static str, &'static str, [f64; 7], &'static str);

const ROBBINS: &str =
    "Typical of the ranges in C. Robbins, \"Chemical and Physical Behavior of Human Hair\" (2012)";
const MORTON: &str =
    "Typical of the ranges in W. Morton, J. Hearle, \"Physical Properties of Textile Fibres\" (2008)";
const BONSER: &str = "Keratin by R. Bonser, P. Purslow, \"The Young's Modulus of Feather Keratin\" (1995)";
const VINCENT: &str =
    "Typical of the ranges in J. Vincent, \"The Mechanical Design of Grass\" (1982), as a round blade";
const BULK: &str = "The bulk matter, from common tables";

const ROWS: [Row; 9] = [
    ("fine-hair", "Fine hair", [0.05, 0.3, 1320.0, 3.9, 0.35, 1.5, 0.25], ROBBINS),
    ("coarse-hair", "Coarse hair", [0.09, 0.3, 1320.0, 3.9, 0.35, 1.2, 0.25], ROBBINS),
    ("horsehair", "Horsehair", [0.16, 0.3, 1320.0, 3.2, 0.4, 1.0, 0.25], MORTON),
    ("wool", "Wool", [0.03, 0.0, 1310.0, 2.4, 0.5, 2.0, 0.35], MORTON),
    ("silk", "Silk thread", [0.12, 0.0, 1340.0, 9.0, 0.3, 1.0, 0.2], MORTON),
    ("bristle", "Nylon bristle", [0.3, 0.1, 1140.0, 2.6, 0.72, 0.8, 0.25], MORTON),
    ("plume", "Plume", [0.35, 0.7, 1150.0, 2.5, 0.7, 2.0, 0.3], BONSER),
    ("grass", "Grass", [1.1, 0.8, 750.0, 0.6, 0.6, 2.5, 0.4], VINCENT),
    ("steel", "Steel wire", [0.3, 0.0, 7850.0, 200.0, 0.77, 0.1, 0.2], BULK),
];

/// All fibres.
pub fn fibres() -> Vec<Fibre> {
    let one =
        |&(id, name, [diameter, taper, density, modulus, twist, damping, friction], source): &Row| Fibre {
            id,
            name,
            source,
            diameter: diameter / 1e3,
            taper,
            density,
            modulus: modulus * 1e9,
            twist,
            damping,
            friction,
        };
    ROWS.iter().map(one).collect()
}
