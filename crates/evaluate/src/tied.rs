//! Grips that hold a body to another.
use crate::collide::NoHold;
use crate::{Shaped, Stage};
use nematon_document::{BodyId, HeldTo, Outlet, Value};
use nematon_figure::spots;
use nematon_geometry::Mesh;
use nematon_solver::{Tie, TieNow, TieSpot};
use std::sync::Arc;

/// A grip that holds to a body, through the frames.
pub struct Tied {
    tie: Arc<Tie>,
    hold: Value,
    spring: Option<f64>,
}

/// The ties of an island's bodies: each point to the spot that is nearest to it where both start.
///
/// # Errors
/// The number of the body in the island, and why one of its grips can't hold.
pub fn tied(scene: &Stage, bodies: &[(&BodyId, &Shaped)]) -> Result<Vec<Tied>, (usize, NoHold)> {
    let mut out = vec![];
    for (body, (id, shaped)) in bodies.iter().enumerate() {
        let Some(whole) = scene.bodies.get(*id) else { continue };
        for g in &shaped.grips {
            let Some(own) = whole.grips.get(&g.id) else { continue };
            let HeldTo::Body(to) = &own.to else { continue };
            let Some(carries) = bodies.iter().position(|(other, _)| *other == to) else { continue };
            let cannot = |why: &str| {
                let to = scene.bodies.get(to).map_or(to.0.as_str(), |b| b.name.as_str()).to_owned();
                (body, NoHold { grip: own.name.clone(), to, why: why.to_owned() })
            };
            if g.by.is_some() {
                return Err(cannot("can't be held to by a map: take the map off this grip"));
            }
            let tie = tie([body, carries], [shaped, bodies[carries].1], g.points.clone());
            let tie = tie.ok_or_else(|| cannot("has no surface"))?;
            out.push(Tied { tie, hold: own.hold.clone(), spring: own.spring });
        }
        // Strands that grow on a body hang on it by their first segments, which turn with it.
        let Some((_, Outlet::Body(to))) = whole.kind.outlet() else { continue };
        let Some(carries) = bodies.iter().position(|(other, _)| *other == to) else { continue };
        let points = shaped.roots().into_iter().flat_map(|p| [p, p + 1]).collect();
        let to = scene.bodies.get(to).map_or(to.0.as_str(), |b| b.name.as_str()).to_owned();
        let cannot = || (body, NoHold { grip: "roots".into(), to, why: "has no surface".into() });
        let tie = tie([body, carries], [shaped, bodies[carries].1], points).ok_or_else(cannot)?;
        out.push(Tied { tie, hold: Value::Still(1.0), spring: None });
    }
    Ok(out)
}

/// Points of a body, each to the spot of another that is nearest to it where both start; none where that has no surface.
fn tie(bodies: [usize; 2], [shaped, on]: [&Shaped; 2], points: Vec<u32>) -> Option<Arc<Tie>> {
    let mesh = Mesh { positions: on.placed.clone(), triangles: on.mesh.triangles.clone(), ..Mesh::default() };
    let places: Vec<[f32; 3]> = points.iter().map(|p| shaped.placed[*p as usize]).collect();
    let spot = |s: nematon_figure::Spot| TieSpot {
        triangle: s.triangle,
        shares: s.shares.map(|c| c as f32),
        off: s.off.map(|c| c as f32),
    };
    let spots = spots(&mesh, &places)?.into_iter().map(spot).collect();
    Some(Arc::new(Tie { bodies, points, spots }))
}

impl Tied {
    /// Through the way to a frame.
    pub fn motion(&self, scene: &Stage, frame: f64) -> TieNow {
        let at = |f: f64| self.hold.at(&scene.frames.moment(f)) as f32;
        let spring = self.spring.map(|s| s as f32);
        TieNow { tie: self.tie.clone(), hold: [at(frame - 1.0), at(frame)], spring }
    }
}
