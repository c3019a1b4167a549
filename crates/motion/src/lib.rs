//! Numbers that may change over time: a plain number, keys, a formula, or keys with a formula added.
//!
//! In JSON a plain number stays a plain number; what moves is an object with `keys`, a `formula` or both. A value is
//! asked at a moment and gives the same bits on every machine: straight ways are sums and products, and formulas call
//! the functions of `libm`.

mod fewer;
mod formula;
mod keys;
mod space;
mod value;

pub use fewer::fewer;
pub use formula::{Formula, FormulaError, MOST_DEEP, MOST_LETTERS};
pub use keys::{Beyond, Handle, Key, Way};
pub use space::gradient_noise;
pub use value::{Motion, Value, stills};

/// A moment of a scene.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Moment {
    /// Frames; a part of one lies between two.
    pub frame: f64,
    /// The first frame.
    pub first: f64,
    /// Frames a second.
    pub rate: f64,
}

impl Moment {
    /// Since the first frame.
    pub fn seconds(&self) -> f64 {
        (self.frame - self.first) / self.rate
    }
}
