//! Strands under a comb.
use super::grown;
use crate::resolve::World;
use crate::soil::{Grows, Skin, soil};
use crate::{MeshLibrary, ShapeError, Stage};
use glam::DVec3;
use nematon_document::Body;
use nematon_paint::{Comb, CombDab, Combed, Combing};

/// Strands under a comb: where they are at the first frame.
pub struct Groom {
    at: World,
    combing: Combing,
    skin: Option<Skin>,
}

/// Sets out to comb a body's strands; `spared` is how much of each point a comb leaves as it is, empty where all is combed.
///
/// # Errors
/// When the body is not of strands, or has no shape.
pub fn groom(
    (scene, library): (&Stage, &dyn MeshLibrary),
    body: &Body,
    comb: Comb,
    spared: &[f32],
) -> Result<Groom, ShapeError> {
    let own = body.kind.strands().ok_or(ShapeError::Loose)?;
    let locks = grown((scene, library), body, own)?.locks;
    let skin = soil((scene, library), body, &Grows::from(own))?.and_then(|s| s.skin());
    // By the middle of each.
    let n = own.points as usize;
    let spared = (0..if spared.is_empty() { 0 } else { locks.len() })
        .map(|k| spared.get(k * n + n / 2).map_or(0.0, |w| f64::from(*w)));
    let at = World::of(scene, &body.place, scene.frames.first as f64);
    Ok(Groom { at, combing: Combing::begin(comb, locks, spared.collect()), skin })
}

impl Groom {
    /// Dabs a place in the world; gives the strands that changed, and where their points are then.
    pub fn dab(&mut self, dab: &CombDab) -> (Vec<u32>, Vec<[f32; 3]>) {
        let own = |p: [f64; 3]| self.at.inverse(p);
        let dab = CombDab { at: own(dab.at), eye: own(dab.eye), by: self.at.back(dab.by), ..*dab };
        let skin = self.skin.as_ref().map(|s| move |p: DVec3| s.nearest(p));
        let changed = self.combing.dab(&dab, skin.as_ref().map(|s| s as nematon_paint::Skin));
        let points = changed.iter().flat_map(|k| self.combing.locks()[*k].points().collect::<Vec<_>>());
        let placed = points.map(|p| self.at.place(p.to_array()).map(|c| c as f32)).collect();
        (changed.into_iter().map(|k| k as u32).collect(), placed)
    }

    /// What the stroke made, for a file; of all strands where strokes before it are to be one with it. None where it changed nothing.
    pub fn combed(&self, all: bool) -> Option<Combed> {
        let own = self.combing.combed(false);
        (!own.roots.is_empty()).then(|| if all { self.combing.combed(true) } else { own })
    }
}
