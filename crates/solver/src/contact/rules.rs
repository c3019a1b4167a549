//! Who meets whom, and what of that can't be.
use crate::inputs::ColliderRest;

/// Who touches whom.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Rules {
    /// For each body, whether it meets itself.
    pub own: Vec<bool>,
    /// Pairs of bodies that meet, the lower number first.
    pub between: Vec<[usize; 2]>,
}

/// Why colliders or rules don't fit the bodies.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum ContactError {
    #[error("the rules tell of {found} bodies where there are {expected}")]
    Bodies { found: usize, expected: usize },
    #[error("collider {collider}: {what} is {value}; it must be finite and not below 0")]
    Number { collider: usize, what: &'static str, value: f32 },
    #[error("collider {collider}: triangle {triangle} names point {point}, and there are {points}")]
    Point { collider: usize, triangle: usize, point: u32, points: usize },
}

/// What a body meets.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum With {
    Itself,
    Body(usize),
    Collider(usize),
    Floor,
}

/// A body and what it meets: what costs are told by.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Pairing {
    pub body: usize,
    pub with: With,
}

/// Whether a collider fits so many bodies.
///
/// # Errors
/// Its first number or triangle that can't be.
pub(super) fn check(k: usize, c: &ColliderRest, bodies: usize) -> Result<(), ContactError> {
    if c.meets.len() != bodies {
        return Err(ContactError::Bodies { found: c.meets.len(), expected: bodies });
    }
    for (what, value) in [("thickness", c.thickness), ("friction", c.friction)] {
        if !value.is_finite() || value < 0.0 {
            return Err(ContactError::Number { collider: k, what, value });
        }
    }
    if let Some(s) = &c.skin {
        let points = s.positions.len();
        for (t, tri) in s.triangles.iter().enumerate() {
            if let Some(&p) = tri.iter().find(|p| **p as usize >= points) {
                return Err(ContactError::Point { collider: k, triangle: t, point: p, points });
            }
        }
    }
    Ok(())
}
