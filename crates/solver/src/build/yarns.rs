//! Finds the yarns of a cloth: the edges that carry all of its stretch along warp or weft.
use crate::constraint::membrane::gradients;
use crate::constraint::yarn::{Fibres, Group, chains, gather};
use crate::inputs::ClothRest;

/// Yarns in both directions, and what they leave to the triangles.
pub struct Yarns {
    pub groups: [Vec<Group>; 2],
    /// Stretch stiffness of triangles along warp and weft, N/m: 0 where yarns have it.
    pub left: [f32; 2],
    /// How many spare points the groups take.
    pub spares: usize,
}

/// Spins yarns in each direction along which every triangle has an edge. `at` gives the place of a
/// point; spare points start at `spare`.
pub fn spin(rest: &ClothRest, at: impl Fn(u32) -> u32, spare: u32) -> Yarns {
    let mut yarns = Yarns { groups: [vec![], vec![]], left: rest.matter.stretch, spares: 0 };
    for direction in 0..2 {
        let Some(fibres) = fibres(rest, direction, &at) else { continue };
        let Some(chains) = chains(&fibres) else { continue };
        let groups = gather(chains, &fibres, spare + yarns.spares as u32);
        yarns.spares += 16 * groups.len();
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
    for (t, frame) in rest.triangles.iter().zip(&rest.frames) {
        let (area, gradients) = gradients(frame);
        let d = gradients[direction];
        let size = d.iter().fold(0.0f64, |m, c| m.max(c.abs()));
        let apart = d.iter().position(|c| c.abs() < 1e-4 * size)?;
        let (a, b) = (at(t[(apart + 1) % 3]), at(t[(apart + 2) % 3]));
        let fibre = fibres.entry([a.min(b), a.max(b)]).or_default();
        fibre.length = 1.0 / size;
        fibre.stiffness += area * f64::from(rest.matter.stretch[direction]) * size * size;
    }
    Some(fibres)
}
