//! What lies near itself at rest already: that is no contact.
use super::boxes::{Boxes, Placed, Ways};
use super::pairs::{Kind, near};
use super::search::{Found, Meeting};
use super::surface::Surface;
use crate::simd::{F8, Record, load};
use rayon::prelude::*;

/// What lies nearer at rest than its gap is kept no further apart than this share of it.
pub(super) const AT_REST: f32 = 0.9;

/// Whether features of a surface that share no point are within a gap of each other at rest.
pub(super) fn snug(surface: &Surface, rest: &[Record], gap: f32) -> bool {
    let mut boxes = Boxes::default();
    let still = vec![Record::default(); rest.len()];
    let ways = Ways::still(rest, &still);
    surface.fit(ways, false, &mut boxes);
    let at = Placed { surface, boxes: &boxes, ways };
    let meeting = Meeting { a: at, b: at, own: true, reach: gap / AT_REST };
    let close = |kind: Kind, list: &[[u32; 4]]| {
        list.chunks(8).any(|eight| {
            // Safety: the indices lie inside.
            let at = |i: usize| unsafe {
                load(rest.as_ptr(), &std::array::from_fn(|l| eight[l.min(eight.len() - 1)][i])).0
            };
            near(kind, &std::array::from_fn(at)).distance.below(F8::splat(gap / AT_REST)).mask() != 0
        })
    };
    meeting.tiles().par_iter().any(|d| {
        let mut found = Found::default();
        meeting.features(*d, &|_, _| true, &mut found);
        close(Kind::Point, &found.point_triangle) || close(Kind::Edges, &found.edges)
    })
}
