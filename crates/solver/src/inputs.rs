//! All that the solver is told, as plain arrays. Owned here, so that it never sees a document.
use crate::air::{Turbulence, Wind};

/// A cloth before it moves. Arrays are indexed by point or by triangle as named.
#[derive(Clone, Debug, PartialEq)]
pub struct ClothRest {
    /// Where each point starts, metres.
    pub positions: Vec<[f32; 3]>,
    /// Points of each triangle.
    pub triangles: Vec<[u32; 3]>,
    /// Rest shape of each triangle: its corners in metres along warp and weft.
    pub frames: Vec<[[f32; 2]; 3]>,
    /// For each point, whether it stays where it is.
    pub held: Vec<bool>,
    pub matter: Matter,
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
    pub winds: Vec<Wind>,
    pub turbulence: Vec<Turbulence>,
    pub floor: Option<Floor>,
}

impl Default for FrameInputs {
    fn default() -> Self {
        FrameInputs {
            start: 0.0,
            duration: 1.0 / 24.0,
            substeps: 20,
            gravity: [0.0, -9.81, 0.0],
            winds: vec![],
            turbulence: vec![],
            floor: None,
        }
    }
}
