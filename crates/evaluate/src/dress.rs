//! What bodies are handed out as in place of their own points: strands as the hairs between them, plants as their skins, cloth as it is finished.
use crate::plants::limbs;
use crate::strands::{Between, hairs};
use crate::{MeshLibrary, ShapeError, Shaped, Stage};
use nematon_document::Body;
use nematon_geometry::{Finish, Limbs, Mesh};

/// A body's dress.
#[derive(Clone, Debug)]
pub enum Dress {
    /// And where strands are at the first frame.
    Hairs(Between, Vec<[f32; 3]>),
    Limbs(Limbs),
    Finished(Box<Finish>),
}

/// Which of them are wanted.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Dressed {
    pub hairs: bool,
    pub skins: bool,
    pub finished: bool,
}

/// How a cloth is finished, where it is.
pub fn finished(body: &Body, shaped: &Shaped) -> Option<Finish> {
    let own = body.finish.as_ref().filter(|f| f.on && (f.smooth > 0 || f.thickness > 0.0))?;
    body.kind.cloth()?;
    Some(Finish::of(&shaped.mesh, own.smooth, own.thickness))
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
        if wanted.finished
            && let Some(finish) = finished(body, shaped)
        {
            return Ok(Some(Dress::Finished(Box::new(finish))));
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
            Dress::Finished(finish) => finish.mesh.clone(),
        }
    }

    /// Where its points are when the body's are there.
    pub fn frame(&self, now: &[[f32; 3]]) -> Vec<[f32; 3]> {
        match self {
            Dress::Hairs(between, rest) => between.frame(rest, now),
            Dress::Limbs(limbs) => limbs.frame(now),
            Dress::Finished(finish) => finish.frame(now),
        }
    }

    /// The skins of plants, for a file that has joints.
    pub fn limbs(&self) -> Option<&Limbs> {
        match self {
            Dress::Hairs(..) | Dress::Finished(_) => None,
            Dress::Limbs(limbs) => Some(limbs),
        }
    }
}
