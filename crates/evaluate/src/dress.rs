//! What bodies are handed out as in place of their own points: strands as the hairs between them, plants as their skins.
use crate::plants::limbs;
use crate::strands::{Between, hairs};
use crate::{MeshLibrary, ShapeError, Shaped, Stage};
use nematon_document::Body;
use nematon_geometry::{Limbs, Mesh};

/// A body's dress.
#[derive(Clone, Debug)]
pub enum Dress {
    /// And where strands are at the first frame.
    Hairs(Between, Vec<[f32; 3]>),
    Limbs(Limbs),
}

/// Which of them are wanted.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Dressed {
    pub hairs: bool,
    pub skins: bool,
}

impl Dress {
    /// The dress of a body, where it is wanted and has one.
    ///
    /// # Errors
    /// When what strands grow on can't be had.
    pub fn of(
        scene: &Stage,
        body: &Body,
        shaped: &Shaped,
        library: &dyn MeshLibrary,
        wanted: Dressed,
    ) -> Result<Option<Dress>, ShapeError> {
        if let Some(own) = body.kind.plants().filter(|_| wanted.skins) {
            return Ok(limbs(own, shaped).map(Dress::Limbs));
        }
        if !wanted.hairs {
            return Ok(None);
        }
        Ok(hairs(scene, body, shaped, library)?.map(|h| Dress::Hairs(h, shaped.placed.clone())))
    }

    /// What is written of it beside its frames.
    pub fn mesh(&self) -> Mesh {
        match self {
            Dress::Hairs(between, _) => between.mesh(),
            Dress::Limbs(limbs) => limbs.mesh(),
        }
    }

    /// Where its points are when the body's are there.
    pub fn frame(&self, now: &[[f32; 3]]) -> Vec<[f32; 3]> {
        match self {
            Dress::Hairs(between, rest) => between.frame(rest, now),
            Dress::Limbs(limbs) => limbs.frame(now),
        }
    }

    /// The skins of plants, for a file that has joints.
    pub fn limbs(&self) -> Option<&Limbs> {
        match self {
            Dress::Hairs(..) => None,
            Dress::Limbs(limbs) => Some(limbs),
        }
    }
}
