use super::{Fault, Traits};
use crate::{
    Body, Chamber, ChamberId, Fill, Key, MAX_POINTS, Motion, Rest, RestShape, Seam, SeamId, Side, Value,
};
use indexmap::IndexMap;
pub use nematon_geometry::shape::{Annuli, Bolster, Cushion, Discs, Gores, Panel, Panels, Star};
pub use nematon_geometry::shape::{Ball, BoxShape, Disc, Ring, Shape, Sheet, Tube, Warp};
pub use nematon_geometry::{Elsewhere, ImportedMesh, MeshSource, SkinOf};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A surface that bends and hardly stretches.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(extend("examples" = Cloth::sewn()))]
pub struct Cloth {
    #[schemars(title = "Shape")]
    pub shape: Shape,
    #[serde(default)]
    #[schemars(title = "Material")]
    pub matter: Matter,
    /// More of the same shape, as layers of one body.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Layers")]
    pub layers: Option<Layers>,
    /// What it comes back to; left out, the shape that it starts in.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Rest")]
    pub rest: Option<Rest>,
    /// What joins its panels.
    #[serde(default, skip_serializing_if = "IndexMap::is_empty")]
    #[schemars(title = "Seams", extend("maxProperties" = 400))]
    pub seams: IndexMap<SeamId, Seam>,
    /// What holds a fill.
    #[serde(default, skip_serializing_if = "IndexMap::is_empty")]
    #[schemars(title = "Chambers", extend("maxProperties" = 60))]
    pub chambers: IndexMap<ChamberId, Chamber>,
}

impl Cloth {
    /// One of a shape and a matter; where the shape is of panels that belong together, they are sewn.
    pub fn of(shape: Shape, matter: Matter) -> Cloth {
        let key = |k: usize| SeamId(format!("seam-{}", k + 1));
        let seams = shape.seams().into_iter().enumerate();
        let seams = seams.map(|(k, (name, sides))| (key(k), Seam::of(&name, sides))).collect();
        Cloth { shape, matter, layers: None, rest: None, seams, chambers: IndexMap::new() }
    }

    /// One of each shape that is sewn, with a chamber that is filled in the first second of 24 frames.
    pub fn sewn() -> Vec<Cloth> {
        let each = Shape::all().into_iter().filter(|s| !s.seams().is_empty());
        each.map(|shape| {
            let mut own = Cloth::of(shape, Matter::default());
            let key =
                |frame, value| Key { frame, value, then: crate::Way::Smooth, arrive: None, leave: None };
            let keys = vec![key(0, 0.0), key(24, 60.0)];
            let fill = Value::Moving(Motion { keys, ..Motion::default() });
            own.chambers.insert("inside".into(), Chamber::of("Inside", Fill::Pressure(fill)));
            own
        })
        .collect()
    }
}

impl Traits for Cloth {
    fn begin() -> Option<Cloth> {
        None
    }

    fn sources(&self) -> Vec<(String, &MeshSource)> {
        let own = match &self.shape {
            Shape::Mesh(m) => Some(("shape/mesh/from".into(), &m.from)),
            _ => None,
        };
        let rest = match &self.rest {
            Some(Rest { shape: RestShape::Mesh(from), .. }) => Some(("rest/shape/mesh".into(), from)),
            Some(Rest { shape: RestShape::Frame(from), .. }) => Some(("rest/shape/frame".into(), from)),
            _ => None,
        };
        own.into_iter().chain(rest).collect()
    }

    fn sources_mut(&mut self) -> Vec<&mut MeshSource> {
        let own = match &mut self.shape {
            Shape::Mesh(m) => Some(&mut m.from),
            _ => None,
        };
        let rest = match &mut self.rest {
            Some(Rest { shape: RestShape::Mesh(from) | RestShape::Frame(from), .. }) => Some(from),
            _ => None,
        };
        own.into_iter().chain(rest).collect()
    }

    fn faults(&self, _: &Body) -> Vec<Fault> {
        let layers = self.layers.as_ref().map_or(1, |l| l.count as usize);
        let points = self.shape.points().map(|p| p * layers).filter(|p| *p > MAX_POINTS);
        let many = points.map(|p| Fault::own("shape", format!("makes {p} points; the most is {MAX_POINTS}")));
        let unfit = self.shape.fault().map(|(at, why)| Fault::own(&format!("shape/{at}"), why));
        let mut out: Vec<Fault> = many.into_iter().chain(unfit).collect();
        for (id, seam) in &self.seams {
            if seam.of[0] == seam.of[1] {
                out.push(Fault::own(&format!("seams/{id}/of"), "joins a side to itself".into()));
            }
            // A border can be in one seam only: what is sewn twice is a third panel's.
            let before = self.seams.iter().take_while(|(other, _)| *other != id);
            let of = |s: &Seam| {
                s.of.iter()
                    .flat_map(|s| match s {
                        Side::Borders(b) => b.clone(),
                        Side::Row(_) => vec![],
                    })
                    .collect::<Vec<_>>()
            };
            for (_, other) in before {
                if let Some(border) = of(seam).into_iter().find(|b| of(other).contains(b)) {
                    let why = format!("has the border \"{border}\", which \"{}\" has already", other.name);
                    out.push(Fault::own(&format!("seams/{id}/of"), why));
                }
            }
        }
        out
    }
}

/// Copies of a shape, each moved, turned and scaled from the one before.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Layers {
    /// With the first.
    #[schemars(title = "Layers", range(min = 1, max = 200))]
    pub count: u32,
    #[schemars(title = "Step", inner(range(min = -100, max = 100)), extend("unit" = "m"))]
    pub offset: [f64; 3],
    #[schemars(title = "Turn of a step", inner(range(min = -100, max = 100)), extend("unit" = "rad"))]
    #[serde(default)]
    pub turn: [f64; 3],
    #[schemars(title = "Scale of a step", range(min = 0.1, max = 10))]
    #[serde(default = "one")]
    pub scale: f64,
}

fn one() -> f64 {
    1.0
}

/// What a cloth is made of. Per unit width, so that point counts and sub-steps don't change it.
/// The defaults are a plain cotton of 150 g/m².
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Matter {
    /// The preset that the numbers began as; says nothing about what they are now.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Preset", length(min = 1, max = 40))]
    pub preset: Option<String>,
    #[schemars(title = "Areal weight", range(min = 0.001, max = 50), extend("unit" = "kg/m²"))]
    pub areal_weight: f64,
    /// Membrane stiffness along the warp threads.
    #[schemars(title = "Stretch, warp", range(min = 0.1, max = 1e6), extend("unit" = "N/m"))]
    pub stretch_warp: f64,
    #[schemars(title = "Stretch, weft", range(min = 0.1, max = 1e6), extend("unit" = "N/m"))]
    pub stretch_weft: f64,
    /// Resistance to the threads leaving their right angle.
    #[schemars(title = "Shear", range(min = 0, max = 1e6), extend("unit" = "N/m"))]
    pub shear: f64,
    /// How much it narrows across a pull, as a share of how much it lengthens along it: Poisson's ratio, the
    /// geometric mean of those of warp and weft.
    #[schemars(title = "Poisson's ratio", range(min = 0, max = 0.45))]
    pub poisson: f64,
    /// Bending rigidity of a fold across the warp threads.
    #[schemars(title = "Bend, warp", range(min = 0, max = 100), extend("unit" = "N·m"))]
    pub bend_warp: f64,
    #[schemars(title = "Bend, weft", range(min = 0, max = 100), extend("unit" = "N·m"))]
    pub bend_weft: f64,
    /// Rate at which motion relative to the body's own rigid motion dies away.
    #[schemars(title = "Damping", range(min = 0, max = 1000), extend("unit" = "1/s"))]
    pub damping: Value,
    /// Force against a flow that meets the cloth squarely: 1.28 for a flat plate.
    #[schemars(title = "Drag", range(min = 0, max = 10))]
    pub drag: Value,
    /// Force across a flow that meets the cloth at a slant.
    #[schemars(title = "Lift", range(min = 0, max = 10))]
    pub lift: Value,
    #[schemars(title = "Friction", range(min = 0, max = 4))]
    pub friction: Value,
    /// Half of it is kept between the cloth's middle and what it rests on.
    #[schemars(title = "Thickness", range(min = 0.00001, max = 0.1), extend("unit" = "m"))]
    pub thickness: f64,
}

impl Default for Matter {
    fn default() -> Self {
        Matter {
            preset: None,
            areal_weight: 0.15,
            stretch_warp: 900.0,
            stretch_weft: 700.0,
            shear: 60.0,
            poisson: 0.0,
            bend_warp: 1.2e-5,
            bend_weft: 0.9e-5,
            damping: 0.3.into(),
            drag: 1.28.into(),
            lift: 0.6.into(),
            friction: 0.4.into(),
            thickness: 0.0006,
        }
    }
}
