//! All that the solver is told, as plain arrays. Owned here, so that it never sees a document.
use nematon_air::FieldNow;
use std::sync::Arc;

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

/// A level plane.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Floor {
    /// Metres.
    pub height: f32,
    pub friction: f32,
}

/// Where a thing is and how it is turned.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pose {
    /// Metres.
    pub position: [f32; 3],
    /// Unit quaternion: x, y, z, w.
    pub turn: [f32; 4],
}

impl Default for Pose {
    fn default() -> Self {
        Pose { position: [0.0; 3], turn: [0.0, 0.0, 0.0, 1.0] }
    }
}

impl Pose {
    /// Where the thing's own axes point.
    pub fn axes(&self) -> [[f32; 3]; 3] {
        let [x, y, z, w] = self.turn.map(f64::from);
        [
            [1.0 - 2.0 * (y * y + z * z), 2.0 * (x * y + z * w), 2.0 * (x * z - y * w)],
            [2.0 * (x * y - z * w), 1.0 - 2.0 * (x * x + z * z), 2.0 * (y * z + x * w)],
            [2.0 * (x * z + y * w), 2.0 * (y * z - x * w), 1.0 - 2.0 * (x * x + y * y)],
        ]
        .map(|a| a.map(|c| c as f32))
    }

    /// From this pose (0) to another (1), straight and by the shorter turn.
    pub fn toward(&self, to: &Pose, t: f32) -> Pose {
        if t <= 0.0 || self == to {
            return *self;
        }
        if t >= 1.0 {
            return *to;
        }
        let t64 = f64::from(t);
        let (a, b) = (self.turn.map(f64::from), to.turn.map(f64::from));
        let cos: f64 = (0..4).map(|k| a[k] * b[k]).sum();
        let sign = if cos < 0.0 { -1.0 } else { 1.0 };
        let angle = libm::acos((cos * sign).min(1.0));
        let (p, q) = if angle < 1e-4 {
            (1.0 - t64, t64)
        } else {
            let per = 1.0 / libm::sin(angle);
            (libm::sin((1.0 - t64) * angle) * per, libm::sin(t64 * angle) * per)
        };
        let turn: [f64; 4] = std::array::from_fn(|k| p * a[k] + sign * q * b[k]);
        let size = turn.iter().map(|c| c * c).sum::<f64>().sqrt();
        Pose {
            position: std::array::from_fn(|k| self.position[k] + t * (to.position[k] - self.position[k])),
            turn: turn.map(|c| (c / size) as f32),
        }
    }

    /// A place in the world as the thing's own.
    pub fn inverse(&self, p: [f32; 3]) -> [f32; 3] {
        let d: [f32; 3] = std::array::from_fn(|k| p[k] - self.position[k]);
        self.axes().map(|a| a[0] * d[0] + a[1] * d[1] + a[2] * d[2])
    }

    /// A place of the thing's own in the world.
    pub fn place(&self, p: [f32; 3]) -> [f32; 3] {
        let [a, b, c] = self.axes();
        std::array::from_fn(|k| self.position[k] + a[k] * p[0] + b[k] * p[1] + c[k] * p[2])
    }
}

/// A solid that a formula describes, about its own origin. Metres.
#[derive(Clone, Debug, PartialEq)]
pub enum Solid {
    /// All that lies under y = 0.
    Plane,
    Ball {
        radius: f32,
    },
    /// About the y axis; `half` its straight part.
    Capsule {
        radius: f32,
        half: f32,
    },
    Box {
        half: [f32; 3],
    },
    /// What lies under all planes: unit normals outward, and how far each is from the origin.
    Hull {
        planes: Vec<[f32; 4]>,
    },
    /// All that is outside of it: cloth is kept within.
    Inside(Box<Solid>),
}

/// Triangles that cloth can't pass.
#[derive(Clone, Debug, PartialEq)]
pub struct Skin {
    /// In its own frame, metres, as it is at first.
    pub positions: Vec<[f32; 3]>,
    pub triangles: Vec<[u32; 3]>,
}

/// Something that cloth is kept out of. What moves and changes about it comes with each frame.
#[derive(Clone, Debug, PartialEq)]
pub struct ColliderRest {
    /// Points of the cloth are kept out of it.
    pub solid: Option<Solid>,
    /// Its triangles, edges and corners are kept from those of the cloth: of a mesh, or of a solid with
    /// edges.
    pub skin: Option<Skin>,
    /// Kept around it, metres.
    pub thickness: f32,
    /// Coulomb; the larger of this and the cloth's acts.
    pub friction: f32,
    /// For each cloth, whether it meets it.
    pub meets: Vec<bool>,
}

/// A collider on its way through a frame.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ColliderMotion {
    pub from: Pose,
    pub to: Pose,
    /// Where the points of a skin that changes its shape are in its own frame, at both ends.
    pub shape: Option<[Arc<Vec<[f32; 3]>>; 2]>,
}

/// What holds some points of a cloth, on its way through a frame: its pose over that of the first frame.
#[derive(Clone, Debug, PartialEq)]
pub struct GripMotion {
    /// Number of the cloth.
    pub cloth: usize,
    /// As given to the cloth.
    pub points: Arc<Vec<u32>>,
    pub first: Pose,
    pub from: Pose,
    pub to: Pose,
}

/// How a cloth's rest shape changes through a frame: from its beginning to its end.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct RestMotion {
    /// Number of the cloth.
    pub cloth: usize,
    /// What its lengths are multiplied by.
    pub scale: [f32; 2],
    /// What its folds are multiplied by: 0 is flat.
    pub folds: [f32; 2],
}

/// All that one frame needs.
#[derive(Clone, Debug, PartialEq)]
pub struct FrameInputs {
    /// Time at which the frame's interval begins, seconds from the first frame.
    pub start: f64,
    /// Length of the interval, seconds.
    pub duration: f64,
    /// At least 1.
    pub substeps: u32,
    /// m/s².
    pub gravity: [f32; 3],
    /// What moves air, in the order in which it is summed; bodies by their numbers.
    pub fields: Vec<FieldNow>,
    pub floor: Option<Floor>,
    /// One for each collider.
    pub colliders: Vec<ColliderMotion>,
    /// Of grips that move.
    pub grips: Vec<GripMotion>,
    /// Of cloths whose rest shape is not simply as it was built.
    pub rests: Vec<RestMotion>,
}

impl Default for FrameInputs {
    fn default() -> Self {
        FrameInputs {
            start: 0.0,
            duration: 1.0 / 24.0,
            substeps: 10,
            gravity: [0.0, -9.81, 0.0],
            fields: vec![],
            floor: None,
            colliders: vec![],
            grips: vec![],
            rests: vec![],
        }
    }
}
