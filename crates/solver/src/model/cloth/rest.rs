//! A cloth as plain arrays, before it moves.

/// A cloth before it moves. Arrays are indexed by point or by triangle as named.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ClothRest {
    /// Where each point starts, metres.
    pub positions: Vec<[f32; 3]>,
    /// Points of each triangle.
    pub triangles: Vec<[u32; 3]>,
    /// Rest shape of each triangle: its corners in metres along warp and weft.
    pub flat: Vec<[[f32; 2]; 3]>,
    /// For each point, whether it stays where it is.
    pub held: Vec<bool>,
    pub matter: Matter,
    pub folds: Folds,
    pub maps: Maps,
    /// Points that are one from the start, as pairs: they come together in their middle. Lengths and folds stay as the points lie.
    pub welds: Vec<[u32; 2]>,
    pub seams: Vec<SeamRest>,
    pub chambers: Vec<ChamberRest>,
}

/// A row of stitches that act alike.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct SeamRest {
    pub stitches: Vec<StitchRest>,
    /// Of each metre of the seam: N/m for every metre that its sides are apart.
    pub stiffness: f32,
    /// How far its sides lie apart when it is closed, metres: the thickness of what is sewn.
    pub gap: f32,
    /// Resistance to folding over it, N·m/rad for each metre of it.
    pub crease: f32,
    /// For each edge along it: its ends, and the points across on both sides.
    pub folds: Vec<[u32; 4]>,
}

/// A point sewn to a place between two others.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct StitchRest {
    pub point: u32,
    pub to: [u32; 2],
    /// Of the second of them.
    pub share: f32,
    /// How much of the seam it stands for, metres.
    pub length: f32,
}

/// What holds a fill.
#[derive(Clone, Debug, PartialEq)]
pub struct ChamberRest {
    /// All about it, facing out, with what closes its seams and holes.
    pub triangles: Vec<[u32; 3]>,
    /// Those of them through which it leaks: of a seam by its number, while that does not hold; without one, always.
    pub mouths: Vec<(Option<u32>, [u32; 3])>,
    /// Absolute pressure outside, Pa.
    pub outside: f64,
    /// Of the air outside, and of the fill where it has the pressure of that, kg/m³.
    pub density: [f64; 2],
}

/// What shape a cloth bends away from.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum Folds {
    /// The one that it starts in.
    #[default]
    Start,
    Flat,
    /// That of its points at these places, metres.
    Like(Vec<[f32; 3]>),
}

/// What of the matter can change from point to point.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Scaled {
    ArealWeight,
    Stretch,
    Shear,
    Bend,
    Damping,
    Thickness,
    Friction,
    Drag,
    Lift,
}

impl Scaled {
    pub const ALL: [Scaled; 9] = [
        Scaled::ArealWeight,
        Scaled::Stretch,
        Scaled::Shear,
        Scaled::Bend,
        Scaled::Damping,
        Scaled::Thickness,
        Scaled::Friction,
        Scaled::Drag,
        Scaled::Lift,
    ];
}

/// For each of [`Scaled`], what the matter's number is multiplied by at each point; empty is 1 everywhere.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Maps(pub [Vec<f32>; 9]);

impl Maps {
    pub fn of(&self, what: Scaled) -> &[f32] {
        &self.0[what as usize]
    }
    /// The mean at some points.
    pub fn over(&self, what: Scaled, points: &[u32]) -> f64 {
        let map = self.of(what);
        if map.is_empty() {
            return 1.0;
        }
        points.iter().map(|&p| f64::from(map[p as usize])).sum::<f64>() / points.len() as f64
    }
    /// The largest anywhere.
    pub fn most(&self, what: Scaled) -> f32 {
        self.of(what).iter().copied().reduce(f32::max).unwrap_or(1.0)
    }
}

impl ClothRest {
    /// Where the points are in the shape that bends are measured from; for a flat one where they start.
    pub(crate) fn shape(&self) -> &[[f32; 3]] {
        match &self.folds {
            Folds::Like(places) => places,
            _ => &self.positions,
        }
    }
}

/// What the cloth is made of. See the document's type of the same name for meanings and limits.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Matter {
    /// kg/m².
    pub areal_weight: f32,
    /// N/m, along warp and weft.
    pub stretch: [f32; 2],
    /// N/m.
    pub shear: f32,
    /// How much it narrows across a pull, as a share of how much it lengthens along it; the geometric mean of
    /// those of the two directions.
    pub poisson: f32,
    /// N·m, of folds across warp and weft.
    pub bend: [f32; 2],
    /// 1/s, relative to the body's rigid motion.
    pub damping: f32,
    pub drag: f32,
    pub lift: f32,
    pub friction: f32,
    /// Metres.
    pub thickness: f32,
}

impl Default for Matter {
    fn default() -> Self {
        Matter {
            areal_weight: 0.15,
            stretch: [900.0, 700.0],
            shear: 60.0,
            poisson: 0.0,
            bend: [1.2e-5, 0.9e-5],
            damping: 0.0,
            drag: 1.28,
            lift: 0.6,
            friction: 0.4,
            thickness: 0.0006,
        }
    }
}
