//! Patches of a mesh whose edges run along the threads and that is curved at rest: one about each point,
//! for the bend along both threads, and one about each rectangle, for its twist.
use super::cells;
use super::patches::{clamp, fold};
use crate::inputs::{ClothRest, Scaled};
use crate::model::cloth::constraint::cell::Cell;
use crate::model::cloth::constraint::patch::Patch;
use std::collections::BTreeMap;

/// Patches over the given points' numbers; `None` unless all triangles pair up to rectangles.
pub fn find(rest: &ClothRest) -> Option<Vec<Patch>> {
    let (cells, alone) = cells::find(rest, 0.0, 0.0);
    if !alone.is_empty() {
        return None;
    }
    let mut nodes: BTreeMap<u32, Node> = BTreeMap::new();
    for (k, c) in cells.iter().enumerate() {
        for i in 0..4 {
            let node = nodes.entry(c.point[i]).or_default();
            // Corners go 00, 10, 11, 01: neighbours along warp are 0-1 and 2-3, along weft 1-2 and 3-0.
            let beside = [c.point[[1, 0, 3, 2][i]], c.point[[3, 2, 1, 0][i]]];
            for (d, other) in beside.into_iter().enumerate() {
                if !node.beside[d].iter().any(|(p, _)| *p == other) {
                    node.beside[d].push((other, c.sides[d]));
                }
                node.half[d] += c.sides[d] / 2.0;
            }
            node.cells.push(k);
        }
    }
    let bend = rest.matter.bend.map(f64::from);
    let mut out = vec![];
    for (&centre, node) in &nodes {
        out.extend(about_point(rest, centre, node, &cells, bend));
    }
    let twist = 2.0 * (bend[0] * bend[1]).sqrt();
    for c in &cells {
        let mut near = vec![];
        c.point.iter().for_each(|p| near.extend(nodes[p].cells.iter().flat_map(|&k| cells[k].point)));
        let [a, b, d, e] = c.point;
        let Some(point) = six(&[a, b, e, d], &near) else { continue };
        let per = 1.0 / (c.sides[0] * c.sides[1]);
        let mut weight = [[0.0; 6]; 3];
        weight[2] = [per, -per, -per, per, 0.0, 0.0];
        let scale = rest.maps.over(Scaled::Bend, &c.point);
        out.extend(whole(rest, point, weight, [0.0, 0.0, scale * twist / per]));
    }
    Some(out)
}

/// A point with its neighbours along warp and weft and how far they are.
#[derive(Default)]
struct Node {
    beside: [Vec<(u32, f64)>; 2],
    /// Twice the width that a thread through it stands for, each side once a cell: halved below.
    half: [f64; 2],
    cells: Vec<usize>,
}

fn about_point(rest: &ClothRest, centre: u32, node: &Node, cells: &[Cell], bend: [f64; 2]) -> Option<Patch> {
    let first = |d: usize| node.beside[d].first().map(|b| b.0);
    let second = |d: usize| node.beside[d].get(1).map(|b| b.0);
    let known = [Some(centre), first(0), first(1), second(0), second(1)];
    let points: Vec<u32> = known.into_iter().flatten().collect();
    let near: Vec<u32> = node.cells.iter().flat_map(|&k| cells[k].point).collect();
    let mut at = six(&points, &near)?;
    // Where a neighbour is missing the ones after it have moved up: what fills the gap has no weight.
    if second(0).is_none() && second(1).is_some() {
        at.swap(3, 4);
    }
    let mut weight = [[0.0; 6]; 3];
    let mut stiffness = [0.0; 3];
    for d in 0..2 {
        let [(_, a), (_, b)] = node.beside[d][..] else { continue };
        let (to_a, to_b) = (2.0 / (a * (a + b)), 2.0 / (b * (a + b)));
        weight[d][0] = -(to_a + to_b);
        weight[d][1 + d] = to_a;
        weight[d][3 + d] = to_b;
        // Each side of the thread is met once by each of the two cells there.
        let width = node.half[1 - d] / 2.0;
        let scale = rest.maps.over(Scaled::Bend, &[centre]);
        stiffness[d] = scale * bend[d] * width * 0.5 * (a + b);
    }
    whole(rest, at, weight, stiffness)
}

fn whole(rest: &ClothRest, point: [u32; 6], mut weight: [[f64; 6]; 3], stiffness: [f64; 3]) -> Option<Patch> {
    let kappa = fold(rest, &point, &mut weight)?;
    let mut patch = Patch { point, weight, stiffness, rest: kappa };
    clamp(rest, &mut patch);
    patch.stiffness.iter().any(|s| *s > 0.0).then_some(patch)
}

/// Six points that differ: those known, then some of those near.
fn six(known: &[u32], near: &[u32]) -> Option<[u32; 6]> {
    let mut out = known.to_vec();
    for &p in near {
        if out.len() < 6 && !out.contains(&p) {
            out.push(p);
        }
    }
    out.try_into().ok()
}
