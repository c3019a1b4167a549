//! All that the solver is told, as plain arrays. Owned here, so that it never sees a document.
pub use crate::model::cloth::{ClothRest, Folds, Maps, Matter, Scaled};
pub use crate::model::free::FreeRest;
use nematon_air::FieldNow;
pub use nematon_solid::{Skin, Solid};
use std::sync::Arc;

/// A body before it moves.
#[derive(Clone, Debug, PartialEq)]
pub enum Rest {
    Cloth(Box<ClothRest>),
    Free(FreeRest),
}

impl Rest {
    /// Where each point starts, metres.
    pub fn positions(&self) -> &[[f32; 3]] {
        match self {
            Rest::Cloth(r) => &r.positions,
            Rest::Free(r) => &r.positions,
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

/// Something that bodies are kept out of. What moves and changes about it comes with each frame.
#[derive(Clone, Debug, PartialEq)]
pub struct ColliderRest {
    /// Points of bodies are kept out of it.
    pub solid: Option<Solid>,
    /// Its triangles, edges and corners are kept from those of bodies: of a mesh, or of a solid with
    /// edges.
    pub skin: Option<Skin>,
    /// Kept around it, metres.
    pub thickness: f32,
    /// Coulomb; the larger of this and the body's acts.
    pub friction: f32,
    /// For each body, whether it meets it.
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

/// What holds some points of a body, on its way through a frame: its pose over that of the first frame.
#[derive(Clone, Debug, PartialEq)]
pub struct GripMotion {
    /// Number of the body.
    pub body: usize,
    /// As given to the body.
    pub points: Arc<Vec<u32>>,
    pub first: Pose,
    pub from: Pose,
    pub to: Pose,
}

/// How a body's rest shape changes through a frame: from its beginning to its end.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct RestMotion {
    /// Number of the body.
    pub body: usize,
    /// What its lengths are multiplied by.
    pub scale: [f32; 2],
    /// What its folds are multiplied by: 0 is flat.
    pub folds: [f32; 2],
}

/// What of a body's matter is other in a frame than when it was built.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct MatterNow {
    /// Number of the body.
    pub body: usize,
    /// 1/s; of no use to loose points.
    pub damping: f32,
    pub drag: f32,
    /// Of no use to loose points.
    pub lift: f32,
    pub friction: f32,
}

/// A collider's friction where it is other in a frame than at first.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct FrictionNow {
    /// Number of the collider.
    pub collider: usize,
    pub friction: f32,
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
    /// Of bodies whose rest shape is not simply as it was built.
    pub rests: Vec<RestMotion>,
    /// Of bodies whose matter is not as it was built.
    pub matters: Vec<MatterNow>,
    /// Of colliders whose friction is not as at first.
    pub frictions: Vec<FrictionNow>,
}

impl FrameInputs {
    /// What is other of a body's matter.
    pub(crate) fn matter_of(&self, body: usize) -> Option<&MatterNow> {
        self.matters.iter().find(|m| m.body == body)
    }

    /// The friction of a collider that has `first` where nothing is said of it.
    pub(crate) fn friction_of(&self, collider: usize, first: f32) -> f32 {
        self.frictions.iter().find(|f| f.collider == collider).map_or(first, |f| f.friction)
    }
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
            matters: vec![],
            frictions: vec![],
        }
    }
}
