//! Matters to start from, with where their numbers come from.
use crate::Matter;
use schemars::JsonSchema;
use serde::Serialize;

/// A matter with its source.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Preset {
    pub id: &'static str,
    pub name: &'static str,
    /// Where the numbers come from, in a line.
    pub source: &'static str,
    pub matter: Matter,
}

/// Weight g/m², stretch warp and weft N/m, shear N/m, bend warp and weft µN·m, damping 1/s, friction,
/// thickness mm, Poisson's ratio.
type Row = (&'static str, &'static str, [f64; 10], &'static str);

const KAWABATA: &str = "Typical of the ranges for weight, thickness and bending in S. Kawabata, \"The Standardization and Analysis of Hand Evaluation\" \
     (1980); stiffness is the secant at some 1 % of strain, far softer than the limit of the threads";
const PEIRCE: &str = "From a typical bending length by F. T. Peirce, \"The Handle of Cloth as a Measurable Quantity\" (1930): rigidity is \
     weight times g times its cube; stiffness is the secant at some 1 % of strain";
const HEARLE: &str = "Typical of the ranges in J. Hearle, P. Grosberg, S. Backer, \"Structural Mechanics of Fibers, Yarns, and Fabrics\" (1969); \
     coated fabrics are stiffer in shear";
const PLATE: &str =
    "A plate of the bulk matter: stiffness E t, rigidity E t³ / 12 (1 - ν²), shear G t; E from common tables";
const PAPER: &str = "A plate as common copying paper is measured: rigidity E t³ / 12 (1 - ν²); shear 0.387 and ν 0.29 of the two \
     directions' mean as in G. Baum, C. Habeger, E. Fleischman, \"Measurement of the Orthotropic Elastic Constants of Paper\" (1981)";

const ROWS: [Row; 14] = [
    ("lawn", "Cotton lawn", [70.0, 1400.0, 900.0, 40.0, 4.0, 2.6, 0.4, 0.35, 0.22, 0.0], KAWABATA),
    ("cotton", "Plain cotton", [150.0, 2400.0, 1700.0, 60.0, 12.0, 9.0, 0.4, 0.4, 0.4, 0.0], KAWABATA),
    ("drill", "Cotton drill", [290.0, 5200.0, 3600.0, 160.0, 60.0, 34.0, 0.5, 0.45, 0.7, 0.0], KAWABATA),
    ("linen", "Linen", [180.0, 3600.0, 3000.0, 90.0, 24.0, 20.0, 0.45, 0.4, 0.45, 0.0], PEIRCE),
    ("habutai", "Light silk", [36.0, 1100.0, 700.0, 14.0, 1.2, 0.9, 0.25, 0.25, 0.1, 0.0], KAWABATA),
    ("satin", "Silk satin", [90.0, 1800.0, 1100.0, 18.0, 3.4, 2.2, 0.3, 0.22, 0.2, 0.0], KAWABATA),
    ("flannel", "Wool flannel", [240.0, 900.0, 700.0, 70.0, 16.0, 13.0, 0.8, 0.5, 1.4, 0.0], KAWABATA),
    ("gabardine", "Wool gabardine", [220.0, 1900.0, 1200.0, 60.0, 14.0, 9.0, 0.6, 0.4, 0.5, 0.0], KAWABATA),
    ("towelling", "Towelling", [380.0, 1300.0, 900.0, 120.0, 28.0, 26.0, 1.2, 0.6, 3.0, 0.0], PEIRCE),
    ("oilcloth", "Oilcloth", [340.0, 5200.0, 4300.0, 420.0, 60.0, 40.0, 0.6, 0.5, 0.9, 0.0], HEARLE),
    ("ripstop", "Ripstop nylon", [45.0, 7000.0, 6000.0, 300.0, 6.0, 5.0, 0.25, 0.3, 0.08, 0.0], HEARLE),
    (
        "writing-paper",
        "Writing paper",
        [80.0, 380_000.0, 180_000.0, 101_000.0, 346.0, 164.0, 0.8, 0.35, 0.1, 0.29],
        PAPER,
    ),
    (
        "film",
        "Polyester film",
        [17.0, 54_000.0, 54_000.0, 20_000.0, 0.75, 0.75, 0.3, 0.3, 0.012, 0.38],
        PLATE,
    ),
    ("skin", "Thin leather", [520.0, 14_000.0, 12_000.0, 4_500.0, 900.0, 780.0, 1.5, 0.5, 0.8, 0.4], PLATE),
];

/// All presets.
pub fn presets() -> Vec<Preset> {
    ROWS.iter()
        .map(
            |&(
                id,
                name,
                [weight, warp, weft, shear, bend, across, damping, friction, thickness, poisson],
                source,
            )| {
                Preset {
                    id,
                    name,
                    source,
                    matter: Matter {
                        preset: Some(id.into()),
                        areal_weight: weight / 1e3,
                        stretch_warp: warp,
                        stretch_weft: weft,
                        poisson,
                        shear,
                        bend_warp: bend / 1e6,
                        bend_weft: across / 1e6,
                        damping: damping.into(),
                        drag: 1.28.into(),
                        lift: 0.6.into(),
                        friction: friction.into(),
                        thickness: thickness / 1e3,
                    },
                }
            },
        )
        .collect()
}
