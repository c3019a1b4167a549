//! What is told of contact where a frame ends: what crosses, and what is inside of what.
use super::boxes::{Boxes, Placed, Ways};
use super::cross::{Crossing, crossings};
use super::inside;
use super::rules::With;
use super::skins::PlacedSkin;
use super::surface::Surface;
use super::through::through;
use super::touch::{Between, Contact};
use crate::body::Body;
use crate::couple::{Tied, tied};
use crate::inputs::{FrameInputs, Solid};
use crate::simd::Record;
use crate::snags::{Fault, Snag};
use crate::state::State;

impl Contact {
    /// Triangles of each body that cross what it meets where `frame` ends.
    pub(crate) fn crossings(&mut self, bodies: &[Body], states: &[State], frame: &FrameInputs) -> Vec<Snag> {
        if self.between.is_empty() {
            return vec![];
        }
        // At the first frame, and after a checkpoint, no step has placed them yet.
        for k in 0..self.skins.len() {
            self.place_skin(k, frame, 1.0);
        }
        self.tied = tied(bodies, &frame.ties);
        let x = shown(states, &self.skins);
        let mut boxes = std::mem::take(&mut self.boxes);
        let still = self.fit_still(&x, &mut boxes);
        self.boxes = boxes;
        let at = |k: usize| standing(&self.surfaces[k], &self.boxes[k], x[k], &still);
        let each = |b: &Between| {
            if b.loose {
                return self.threaded(b, bodies, &x);
            }
            let found = apart(&self.tied, [at(b.a), at(b.b)], [b.a, b.b]);
            let first = found.first()?;
            let p = self.pairings[b.pairing];
            let place = self.surfaces[b.a].triangles[first.triangles[0] as usize][0];
            Some(Snag {
                fault: Fault::Crossing,
                body: p.body,
                with: Some(p.with),
                count: found.len(),
                worst: 0.0,
                point: bodies[p.body].given(place as usize),
                triangles: vec![],
            })
        };
        self.between.iter().filter_map(each).collect()
    }

    /// Strands that go through a surface; what has neither segments nor triangles goes through nothing.
    fn threaded(&self, b: &Between, bodies: &[Body], x: &[&[Record]]) -> Option<Snag> {
        let tied = |at: [u32; 5], sides: [usize; 2]| {
            let points = (0..5).map(move |k| (at[k], sides[usize::from(k > 1)]));
            self.tied.iter().any(|t| t.meet(points.clone()))
        };
        let p = self.pairings[b.pairing];
        [[b.a, b.b], [b.b, b.a]].into_iter().find_map(|[s, t]| {
            let counts = |e: [u32; 2], c: [u32; 3]| !tied([e[0], e[1], c[0], c[1], c[2]], [s, t]);
            let found = through((&self.surfaces[s], x[s]), (&self.surfaces[t], x[t]), counts);
            let first = *found.first()?;
            // It is the strands' own fault, whichever of the two they are; a skin has none.
            let (body, with) = match p.with {
                With::Body(other) if s == other => (other, With::Body(p.body)),
                with => (p.body, with),
            };
            Some(Snag {
                fault: Fault::Crossing,
                body,
                with: Some(with),
                count: found.len(),
                worst: 0.0,
                point: bodies[body].given(first as usize),
                triangles: vec![],
            })
        })
    }

    /// Fits boxes to points that stand still, and gives ways for any of them.
    pub(super) fn fit_still(&self, x: &[&[Record]], boxes: &mut [Boxes]) -> Vec<Record> {
        let still = vec![Record::default(); x.iter().map(|x| x.len()).max().unwrap_or(0)];
        for (k, (surface, boxes)) in
            self.surfaces.iter().zip(boxes).enumerate().filter(|(_, (s, _))| !s.loose())
        {
            surface.fit(Ways::still(x[k], &still), self.meets_itself(k), boxes);
        }
        still
    }

    /// The formula of a collider, where it has one.
    pub(crate) fn solid(&self, collider: usize) -> Option<&Solid> {
        self.colliders[collider].solid.as_ref()
    }

    /// Calls `each` with the points inside a collider's skin, if that is closed, and how deep they are.
    pub(crate) fn depths_in_skin(&self, collider: usize, x: &[Record], each: impl FnMut(usize, f32)) {
        let Some(k) = self.skins.iter().position(|s| s.collider == collider) else { return };
        let surface = &self.surfaces[self.bodies + k];
        if surface.closed() {
            inside::depths(&self.skins[k].now, &surface.triangles, x, each);
        }
    }
}

/// What crosses of two surfaces, each with its number, but for what is tied to each other.
pub(super) fn apart(tied: &[Tied], at: [(Placed, &[Record]); 2], sides: [usize; 2]) -> Vec<Crossing> {
    let mut found = crossings(at[0], at[1], sides[0] == sides[1]);
    found.retain(|c| {
        let corners = (0..2).flat_map(|k| {
            at[k].0.surface.triangles[c.triangles[k] as usize].into_iter().map(move |p| (p, sides[k]))
        });
        !tied.iter().any(|t| t.meet(corners.clone()))
    });
    found
}

/// Where the points of all surfaces are.
pub(super) fn shown<'a>(states: &'a [State], skins: &'a [PlacedSkin]) -> Vec<&'a [Record]> {
    states.iter().map(|s| s.x.as_slice()).chain(skins.iter().map(|s| s.now.as_slice())).collect()
}

/// A surface whose points stand still, with those.
pub(super) fn standing<'a>(
    surface: &'a Surface,
    boxes: &'a Boxes,
    x: &'a [Record],
    still: &'a [Record],
) -> (Placed<'a>, &'a [Record]) {
    (Placed { surface, boxes, ways: Ways::still(x, still) }, x)
}
