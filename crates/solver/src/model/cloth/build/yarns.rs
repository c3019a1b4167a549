//! Finds the yarns of a cloth: the edges that carry all of its stretch along warp or weft.
use crate::inputs::{ClothRest, Scaled};
use crate::model::cloth::constraint::membrane::gradients;
use crate::model::cloth::constraint::yarn::{Chains, Fibres, SPARES, chains, gather};

/// Yarns in both directions, and what they leave to the triangles.
pub struct Yarns {
    pub groups: [Vec<Chains>; 2],
    /// Stretch stiffness of triangles along warp and weft, N/m: 0 where yarns have it.
    pub left: [f32; 2],
    /// How many spare points the groups take.
    pub spares: usize,
}

/// Chains of one direction and the edges that they are made of.
pub type Threads = (Vec<Vec<u32>>, Fibres);

/// The chains of each direction along which every triangle has an edge. `at` gives the place of a point.
pub fn threads(rest: &ClothRest, at: impl Fn(u32) -> u32) -> [Option<Threads>; 2] {
    [0, 1].map(|direction| {
        let fibres = fibres(rest, direction, &at)?;
        Some((chains(&fibres)?, fibres))
    })
}

/// Makes yarns of threads; spare points start at `spare`. They resist bending if they are to `bend`. `cell`
/// tells whose coarse pull an edge has.
pub fn spin(
    rest: &ClothRest,
    threads: [Option<Threads>; 2],
    at: impl Fn(u32) -> u32,
    spare: u32,
    bends: bool,
    cell: impl Fn(&[u32; 2]) -> u32,
) -> Yarns {
    let mut held = vec![false; rest.positions.len()];
    rest.held.iter().enumerate().for_each(|(p, h)| held[at(p as u32) as usize] |= *h);
    let mut bend = vec![1.0; rest.positions.len()];
    (0..bend.len() as u32).for_each(|p| bend[at(p) as usize] = rest.maps.over(Scaled::Bend, &[p]));
    // Over a seam cloth folds freely.
    rest.welds.iter().flatten().for_each(|&p| bend[at(p) as usize] = 0.0);
    let mut near = held.clone();
    for t in rest.triangles.iter().map(|t| t.map(&at)).filter(|t| t.iter().any(|&p| held[p as usize])) {
        t.iter().for_each(|&p| near[p as usize] = true);
    }
    let mut yarns = Yarns { groups: [vec![], vec![]], left: rest.matter.stretch, spares: 0 };
    for (direction, threads) in threads.into_iter().enumerate() {
        let Some((chains, mut fibres)) = threads else { continue };
        fibres.iter_mut().for_each(|(edge, f)| f.cell = cell(edge));
        let bend =
            |p: u32| if bends { bend[p as usize] * f64::from(rest.matter.bend[direction]) } else { 0.0 };
        let first = spare + yarns.spares as u32;
        let groups = gather(chains, &fibres, bend, |p| held[p as usize], |p| near[p as usize], first);
        yarns.spares += SPARES * groups.len();
        yarns.left[direction] = 0.0;
        yarns.groups[direction] = groups;
    }
    yarns
}

/// The edges along a direction with the stiffness of the triangles beside them: a triangle of area A
/// whose |f| is the edge's length over its rest length l gives A K / l². `None` where a triangle has no
/// such edge.
fn fibres(rest: &ClothRest, direction: usize, at: &impl Fn(u32) -> u32) -> Option<Fibres> {
    let mut fibres = Fibres::new();
    for (t, frame) in rest.triangles.iter().zip(&rest.flat) {
        let (area, gradients) = gradients(frame);
        let d = gradients[direction];
        let size = d.iter().fold(0.0f64, |m, c| m.max(c.abs()));
        let apart = d.iter().position(|c| c.abs() < 1e-4 * size)?;
        let (a, b) = (at(t[(apart + 1) % 3]), at(t[(apart + 2) % 3]));
        let fibre = fibres.entry([a.min(b), a.max(b)]).or_default();
        fibre.length = 1.0 / size;
        fibre.width += area * size;
        let stretch = f64::from(rest.matter.stretch[direction]) * rest.maps.over(Scaled::Stretch, t);
        fibre.stiffness += area * stretch * size * size;
    }
    Some(fibres)
}
