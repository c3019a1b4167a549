use super::own;
use crate::Stage;
use crate::resolve::{World, zone_at_stand};
use nematon_air::ZoneNow;
use nematon_document::{Node, Zone};
use nematon_simd::{F8, V8};

/// Where a zone is at a frame beside the body's own place at that frame: on a joint that the body begins on too it stays.
pub fn at(stage: &Stage, zone: &Zone, place: &Node, frame: f64) -> ZoneNow {
    let body = own(stage, place, frame);
    let beside = World::of(stage, &zone.place, frame).beside(&body);
    zone_at_stand(stage, zone, &beside, frame)
}

pub fn moves(stage: &Stage, zone: &Zone, place: &Node) -> bool {
    let first = stage.frames.first as f64;
    if !stage.moves(&zone.place) && !stage.moves(place) && zone.form_is_still() {
        return false;
    }
    let begin = at(stage, zone, place, first);
    // What rides with the body stays where it is on it.
    (stage.frames.first..=stage.frames.last).any(|f| !alike(&at(stage, zone, place, f as f64), &begin))
}

/// Within the rounding of what carries both.
fn alike(a: &ZoneNow, b: &ZoneNow) -> bool {
    let (a, b) = (a.numbers(), b.numbers());
    a.len() == b.len() && a.iter().zip(&b).all(|(a, b)| (a - b).abs() <= 2e-6 * a.abs().max(1.0))
}

/// On points of the rest shape before it is placed.
pub fn weights(stage: &Stage, zone: &Zone, place: &Node, points: &[[f32; 3]], frame: f64) -> Vec<f32> {
    let now = at(stage, zone, place, frame);
    let mut out = Vec::with_capacity(points.len());
    for eight in points.chunks(8) {
        let lane = |k: usize, c: usize| eight[k.min(eight.len() - 1)][c];
        let x = V8(std::array::from_fn(|c| F8::new(&std::array::from_fn(|k| lane(k, c)))));
        out.extend(&now.weight(x).array()[..eight.len()]);
    }
    out
}
