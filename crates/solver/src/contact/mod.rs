//! What bodies touch: themselves, each other, colliders.
//!
//! Every few sub-steps the surfaces' trees of boxes give all pairs of features that could come near until the next
//! search; those that can are packed into groups of eight. A sub-step brings those that do apart, then makes sure
//! that nothing crossed: what is not known to be still on its side is swept, what is hit is taken back, and what
//! still isn't apart goes on as one stiff piece (X. Provot, "Collision and Self-Collision Handling in Cloth Model
//! Dedicated to Design Garments", 1997; R. Bridson, R. Fedkiw, J. Anderson, "Robust Treatment of Collisions, Contact
//! and Friction for Cloth Animation", 2002).
mod boxes;
pub mod collider;
pub mod cross;
mod inside;
mod keep;
mod list;
mod mend;
mod near;
mod pairs;
mod renew;
mod rules;
mod search;
mod skins;
mod snug;
mod solids;
mod sub_step;
mod surface;
mod sweep;
mod tangle;
mod through;
mod told;
mod touch;

pub use rules::{ContactError, Pairing, Rules, With};
pub use touch::Contact;

/// How fast what starts a sub-step too near is brought apart, m/s: slow enough to throw nothing about.
const RECOVER: f32 = 0.12;
