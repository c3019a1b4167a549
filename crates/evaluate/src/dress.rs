//! What bodies are handed out as in place of their own points: strands as the hairs between them, plants as their skins, cloth as it is finished.
use crate::plants::limbs;
use crate::strands::{Between, hairs};
use crate::{Ground, MeshLibrary, ShapeError, Shaped, Stage, begins};
use nematon_document::{Body, MapId};
use nematon_geometry::{Finish, Finishing, Finishings, Limbs, Mesh};

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

/// How a body is to be finished: only cloth is.
fn finish_of(body: &Body) -> Option<&nematon_document::Finish> {
    body.finish.as_ref().filter(|f| f.on && body.kind.cloth().is_some())
}

/// How a cloth is finished, where it is.
///
/// # Errors
/// When a map that it names can't be had.
pub fn finished(
    stage: &Stage,
    body: &Body,
    shaped: &Shaped,
    library: &dyn MeshLibrary,
) -> Result<Option<Finish>, ShapeError> {
    let Some(own) = finish_of(body) else { return Ok(None) };
    let ground = Ground { stage, place: begins(stage, body), mesh: &shaped.mesh, library };
    let at = |map: &Option<MapId>| -> Result<Option<Vec<f32>>, ShapeError> {
        let Some(dyed) = map.as_ref().and_then(|m| ground.named(body, m)) else { return Ok(None) };
        Ok(Some(dyed?.at(stage, stage.frames.first as f64)))
    };
    let (share, hidden) = (at(&own.by)?, at(&own.hides)?);
    let order = own.order.iter().map(|step| match step {
        nematon_document::Finishing::Even => Finishing::Even(own.even),
        nematon_document::Finishing::Smooth => Finishing::Smooth(own.smooth),
        nematon_document::Finishing::Thick => Finishing::Thick(own.thickness),
    });
    let by = Finishings {
        order: order.collect(),
        crease: own.crease,
        share: share.as_deref(),
        hidden: hidden.as_deref(),
    };
    let out = Finish::of(&shaped.mesh, &by);
    Ok((!out.steps.is_empty()).then_some(out))
}

/// What is finished of a body, in a sentence; none where it is as it was computed.
pub fn finishing_told(body: &Body) -> Option<String> {
    let own = finish_of(body)?;
    let mut done = vec![];
    if own.steady > 0 {
        done.push(format!("evened in time over {} frames each way", own.steady));
    }
    for step in own.order {
        match step {
            nematon_document::Finishing::Even if own.even > 0 => done.push("evened out".to_owned()),
            nematon_document::Finishing::Smooth if own.smooth > 0 => done.push("smoothed".into()),
            nematon_document::Finishing::Thick if own.thickness > 0.0 => {
                done.push(format!("made {} mm thick", 1e3 * own.thickness));
            }
            _ => {}
        }
    }
    if own.hides.is_some() {
        done.push("partly left out".into());
    }
    (!done.is_empty()).then(|| format!("{} is {}: that is not computed.", body.name, done.join(", ")))
}

/// Over how many frames before and after each a body is evened out in time where it is finished.
pub fn steady(body: &Body) -> u32 {
    finish_of(body).map_or(0, |f| f.steady)
}

impl Dress {
    /// The dress of a body, where it is wanted and has one.
    ///
    /// # Errors
    /// When what strands grow on, or a map that a cloth is finished by, can't be had.
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
            && let Some(finish) = finished(scene, body, shaped, library)?
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
