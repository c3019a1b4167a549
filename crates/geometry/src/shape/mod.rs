//! Shapes that are made by numbers: one file a kind, with its numbers as a scene says them and how it is made of them.
//! Points and triangles about the origin; all but the sheet have no UVs, and their warp is carried over the mesh.
mod annuli;
mod ball;
mod block;
mod bolster;
mod cushion;
mod disc;
mod discs;
mod gores;
mod panels;
mod ring;
mod sheet;
mod star;
mod tube;

pub use ball::ball;
pub use block::block;
pub use disc::disc;
pub use panels::Panel;
pub use ring::ring;
pub use sheet::{Warp, sheet};
pub use tube::tube;

use crate::material::WarpAlong;
use crate::{Elsewhere, ImportedMesh, Mesh, SkinOf};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// A kind of shape that is made by numbers.
pub trait Kind: Sized {
    /// One as it begins when it is added.
    fn begin() -> Self;
    /// How many points it makes.
    fn points(&self) -> usize;
    fn mesh(&self) -> Mesh;
    /// Which texture direction its warp follows.
    fn warp(&self) -> WarpAlong {
        WarpAlong::U
    }
    /// The seams that hold its panels together.
    fn seams(&self) -> Vec<Pair> {
        vec![]
    }
    /// The number that doesn't fit the others, and why, in words that go on from its name.
    fn fault(&self) -> Option<(&'static str, String)> {
        None
    }
}

/// A seam by name, and the borders that make each of its sides.
pub type Pair = (String, [Vec<String>; 2]);

fn apart() -> f64 {
    0.004
}

/// A level piece facing up, and the same below it facing down.
fn pair(top: Mesh, apart: f64) -> Mesh {
    let mut m = Mesh::default();
    for (name, side) in [("top", 0.5), ("bottom", -0.5)] {
        let mut own = top.clone();
        own.positions.iter_mut().for_each(|p| p[1] += (side * apart) as f32);
        m.take_in(name, if side > 0.0 { own } else { own.turned() });
    }
    m
}

/// The seam of two pieces that have a rim each.
fn rims() -> Vec<Pair> {
    vec![("Rim".into(), ["top rim", "bottom rim"].map(|b| vec![b.to_owned()]))]
}

/// What a cell so small would make of an area (m²), where that is far too much.
fn too_fine(every: f64, area: f64) -> Option<String> {
    let points = area / (0.866 * every * every);
    (points > 300_000.0).then(|| format!("makes some {points:.0} points. Set them further apart"))
}

macro_rules! kinds {
    ($($kind:ident($type:ident) in $file:ident,)*) => {
        $(pub use $file::$type;)*

        /// Where the points come from.
        #[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
        #[serde(rename_all = "lowercase")]
        #[schemars(extend("examples" = Shape::all()))]
        pub enum Shape {
            $($kind($type),)*
            Mesh(ImportedMesh),
            Figure(SkinOf),
        }

        impl Shape {
            /// One of each kind that is made by numbers, as it begins.
            pub fn all() -> Vec<Shape> {
                vec![$(Shape::$kind($type::begin()),)*]
            }

            /// How many points a generated shape makes; `None` for others.
            pub fn points(&self) -> Option<usize> {
                match self {
                    $(Shape::$kind(s) => Some(s.points()),)*
                    Shape::Mesh(_) | Shape::Figure(_) => None,
                }
            }

            /// A generated shape; of others where it comes from.
            pub fn made(&self) -> Result<Mesh, Elsewhere<'_>> {
                match self {
                    $(Shape::$kind(s) => Ok(s.mesh()),)*
                    Shape::Mesh(m) => Err(Elsewhere::Mesh(m)),
                    Shape::Figure(s) => Err(Elsewhere::Skin(s)),
                }
            }

            /// The seams that hold its panels together, by name, with the borders of each side.
            pub fn seams(&self) -> Vec<Pair> {
                match self {
                    $(Shape::$kind(s) => s.seams(),)*
                    Shape::Mesh(_) | Shape::Figure(_) => vec![],
                }
            }

            pub fn warp(&self) -> WarpAlong {
                match self {
                    $(Shape::$kind(s) => s.warp(),)*
                    Shape::Mesh(_) | Shape::Figure(_) => WarpAlong::U,
                }
            }

            /// The path of a number that doesn't fit the others, and why.
            pub fn fault(&self) -> Option<(String, String)> {
                match self {
                    $(Shape::$kind(s) => {
                        let kind = stringify!($kind).to_lowercase();
                        s.fault().map(|(at, why)| (format!("{kind}/{at}"), why))
                    })*
                    Shape::Mesh(_) | Shape::Figure(_) => None,
                }
            }
        }
    };
}

kinds! {
    Sheet(Sheet) in sheet,
    Disc(Disc) in disc,
    Ball(Ball) in ball,
    Tube(Tube) in tube,
    Box(BoxShape) in block,
    Ring(Ring) in ring,
    Cushion(Cushion) in cushion,
    Discs(Discs) in discs,
    Gores(Gores) in gores,
    Bolster(Bolster) in bolster,
    Star(Star) in star,
    Annuli(Annuli) in annuli,
    Panels(Panels) in panels,
}

/// The skin of a cube of cells, each side from -1 to 1, its points put where `to` says.
fn boxed(cells: [u32; 3], to: impl Fn([f64; 3]) -> [f64; 3]) -> Mesh {
    let mut m = Mesh::default();
    let mut known: BTreeMap<[u32; 3], u32> = BTreeMap::new();
    let mut at = |g: [u32; 3], m: &mut Mesh| {
        *known.entry(g).or_insert_with(|| {
            let p = to(std::array::from_fn(|c| 2.0 * f64::from(g[c]) / f64::from(cells[c]) - 1.0));
            m.positions.push(p.map(|c| c as f32));
            m.positions.len() as u32 - 1
        })
    };
    for axis in 0..3 {
        let (u, v) = ((axis + 1) % 3, (axis + 2) % 3);
        for (end, outward) in [(0, false), (cells[axis], true)] {
            for i in 0..cells[u] {
                for j in 0..cells[v] {
                    let mut corner = |di: u32, dj: u32| {
                        let mut g = [0; 3];
                        (g[axis], g[u], g[v]) = (end, i + di, j + dj);
                        at(g, &mut m)
                    };
                    let q = [corner(0, 0), corner(1, 0), corner(1, 1), corner(0, 1)];
                    let q = if outward { q } else { [q[0], q[3], q[2], q[1]] };
                    quad(&mut m, q, (i + j) % 2 == 0);
                }
            }
        }
    }
    m
}

fn quad(m: &mut Mesh, [a, b, c, d]: [u32; 4], one: bool) {
    m.faces.push(2);
    m.triangles.extend(if one { [[a, b, c], [a, c, d]] } else { [[a, b, d], [b, c, d]] });
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)]
    use super::*;
    use crate::check;
    use std::f64::consts::{PI, TAU};

    fn area(m: &Mesh) -> f64 {
        let p = |k: u32| m.positions[k as usize].map(f64::from);
        m.triangles
            .iter()
            .map(|t| {
                let [a, b, c] = t.map(p);
                let (u, v): ([f64; 3], [f64; 3]) =
                    (std::array::from_fn(|k| b[k] - a[k]), std::array::from_fn(|k| c[k] - a[k]));
                let n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
                0.5 * n.iter().map(|c| c * c).sum::<f64>().sqrt()
            })
            .sum()
    }

    /// Six times the volume inside: positive where triangles face out.
    fn volume(m: &Mesh) -> f64 {
        let p = |k: u32| m.positions[k as usize].map(f64::from);
        let each = m.triangles.iter().map(|t| {
            let [a, b, c] = t.map(p);
            a[0] * (b[1] * c[2] - b[2] * c[1])
                + a[1] * (b[2] * c[0] - b[0] * c[2])
                + a[2] * (b[0] * c[1] - b[1] * c[0])
        });
        each.sum::<f64>() / 6.0
    }

    #[test]
    fn shapes_have_the_area_volume_and_points_that_geometry_says() {
        let near = |got: f64, want: f64, what: &str| {
            assert!((got / want - 1.0).abs() < 0.01, "{what}: {got}, {want}")
        };
        for m in [
            disc(0.5, 24),
            ball(0.3, 16),
            block([0.2, 0.3, 0.4], [4, 6, 8]),
            tube(0.1, 0.8, 48, 20),
            ring(0.5, 0.1, 96, 48),
        ] {
            assert_eq!(check(&m, 100_000), Ok(()));
        }
        near(area(&disc(0.5, 24)), PI * 0.25, "disc");
        assert!(
            disc(0.5, 3).triangles.iter().all(|t| t.iter().all(|p| *p < 37))
                && disc(0.5, 3).positions.len() == 37
        );
        near(volume(&ball(0.3, 16)), 4.0 / 3.0 * PI * 0.027, "ball");
        assert_eq!(ball(0.3, 16).positions.len(), 6 * 256 + 2);
        near(volume(&block([0.2, 0.3, 0.4], [4, 6, 8])), 0.024, "box");
        near(area(&tube(0.1, 0.8, 48, 20)), TAU * 0.08, "tube");
        near(volume(&ring(0.5, 0.1, 96, 48)), 2.0 * PI * PI * 0.5 * 0.01, "ring");
    }

    #[test]
    fn what_is_sewn_is_closed_and_holds_what_geometry_says() {
        let sewn = |shape: Shape| {
            let m = shape.made().unwrap_or_default();
            let mut all = m.triangles.clone();
            for (_, sides) in shape.seams() {
                let [a, b] = sides.map(|s| crate::joined(&m, &s).unwrap());
                let s = crate::sew(&m, &m.positions, &a, &b).unwrap();
                assert_eq!(s.stitches.len(), a.points.len(), "{shape:?}");
                assert!((s.lengths[0] / s.lengths[1] - 1.0).abs() < 1e-3, "{shape:?}: {:?}", s.lengths);
                all.extend(s.strip);
            }
            (volume(&Mesh { triangles: all, ..m.clone() }), m)
        };
        let near = |got: f64, want: f64| assert!((got / want - 1.0).abs() < 0.02, "{got}, {want}");
        near(sewn(Shape::Cushion(Cushion::begin())).0, 0.6 * 0.4 * 0.004);
        near(sewn(Shape::Discs(Discs::begin())).0, PI * 0.09 * 0.004);
        near(sewn(Shape::Annuli(Annuli::begin())).0, PI * (0.16 - 0.0324) * 0.004);
        near(sewn(Shape::Bolster(Bolster::begin())).0, PI * 0.0144 * 0.608);
        near(sewn(Shape::Star(Star::begin())).0, 5.0 * 0.35 * 0.175 * libm::sin(PI / 5.0) * 0.004);
        near(sewn(Shape::Panels(Panels::begin())).0, 0.2 * 0.004);
        // Of eight gores: a square section that is eight-cornered, whose area at each height is 8 tan(π/8) r².
        let (v, m) = sewn(Shape::Gores(Gores { apart: 0.0001, every: 0.015, ..Gores::begin() }));
        near(v, 8.0 * libm::tan(PI / 8.0) * 0.027 * 4.0 / 3.0);
        assert_eq!(crate::panels(&m).len(), 8);
    }

    #[test]
    fn every_kind_says_how_many_points_it_makes_and_begins_as_it_may() {
        for shape in Shape::all() {
            let m = shape.made().unwrap_or_default();
            assert_eq!(shape.points(), Some(m.positions.len()), "{shape:?}");
            assert_eq!(check(&m, 100_000), Ok(()));
            assert_eq!(shape.fault(), None);
        }
        let thick = Shape::Ring(Ring { tube: 0.4, ..Ring::begin() });
        assert!(thick.fault().is_some_and(|(at, why)| at == "ring/tube" && why.contains("0.3 m")));
    }
}
