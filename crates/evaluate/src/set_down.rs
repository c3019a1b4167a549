//! Setting a thing down on what lies below it.
use crate::resolve::World;
use crate::{MeshLibrary, Stage, shape, skin};
use nematon_document::{BodyId, ColliderId, Form};
use std::collections::HashMap;

/// What is set down.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Thing {
    Body(BodyId),
    Collider(ColliderId),
}

/// Triangles in the world at the first frame, with what is kept around them.
struct Skin {
    points: Vec<[f32; 3]>,
    triangles: Vec<[u32; 3]>,
    around: f64,
}

/// How far up a thing must be moved, metres (down is negative), so that it rests on the nearest of what lies below it: other
/// bodies, colliders that are on, the floor. What it reaches into by up to half its own height counts as below.
///
/// # Errors
/// In a sentence, when it has no shape, or nothing lies below it.
pub fn set_down(scene: &Stage, thing: &Thing, library: &dyn MeshLibrary) -> Result<f64, String> {
    let own = match thing {
        Thing::Body(id) => of_body(scene, id, library)?,
        Thing::Collider(id) => {
            of_collider(scene, id, library)?.ok_or("A plane has no underside to stand on.")?
        }
    };
    let (low, high) = own.points.iter().fold((f32::MAX, f32::MIN), |(a, b), p| (a.min(p[1]), b.max(p[1])));
    let within = (0.5 * f64::from(high - low)).max(0.01);
    let mut gaps: Vec<f64> = vec![];
    if let Some(f) = &scene.floor {
        gaps.push(f64::from(low) - f.height - own.around);
    }
    let upper = Columns::of(&own);
    let mut others: Vec<Skin> = vec![];
    for id in scene.bodies.keys().filter(|id| Thing::Body((*id).clone()) != *thing) {
        // One without a shape is in nobody's way.
        others.extend(of_body(scene, id, library).ok());
    }
    for (id, c) in scene.colliders.iter().filter(|(_, c)| c.on) {
        if Thing::Collider(id.clone()) == *thing {
            continue;
        }
        if let Form::Plane(_) = c.form {
            let at = World::of(scene, &c.place, scene.frames.first as f64);
            gaps.extend(over_plane(&own, &at, c.thickness));
        } else if let Ok(Some(s)) = of_collider(scene, id, library) {
            others.push(s);
        }
    }
    for other in &others {
        let around = own.around + other.around;
        let lower = Columns::of(other);
        let below = own.points.iter().filter_map(|p| {
            let hits = lower.heights(p[0], p[2]).filter(|y| *y <= f64::from(p[1]) + within);
            Some(f64::from(p[1]) - hits.reduce(f64::max)?)
        });
        let above = other.points.iter().filter_map(|p| {
            let hits = upper.heights(p[0], p[2]).filter(|y| *y + within >= f64::from(p[1]));
            Some(hits.reduce(f64::min)? - f64::from(p[1]))
        });
        gaps.extend(below.chain(above).reduce(f64::min).map(|g| g - around));
    }
    let least = gaps.into_iter().filter(|g| *g >= -within).reduce(f64::min);
    least.map(|g| -g).ok_or_else(|| "Nothing lies below it.".to_owned())
}

fn of_body(scene: &Stage, id: &BodyId, library: &dyn MeshLibrary) -> Result<Skin, String> {
    let body = scene.bodies.get(id).ok_or("There is no such body.")?;
    let s = shape(scene, body, library).map_err(|e| format!("{}: {e}", body.name))?;
    let around = crate::kind::of(&body.kind).around();
    Ok(Skin { points: s.placed, triangles: s.mesh.triangles, around })
}

/// `None` for a plane, which has no end.
fn of_collider(scene: &Stage, id: &ColliderId, library: &dyn MeshLibrary) -> Result<Option<Skin>, String> {
    let c = scene.colliders.get(id).ok_or("There is no such collider.")?;
    let Some(mesh) = skin(scene, c, library).map_err(|e| e.to_string())? else { return Ok(None) };
    let at = World::of(scene, &c.place, scene.frames.first as f64);
    let points = mesh.positions.iter().map(|p| at.place(p.map(f64::from)).map(|c| c as f32)).collect();
    Ok(Some(Skin { points, triangles: mesh.triangles, around: c.thickness }))
}

fn over_plane(own: &Skin, at: &World, around: f64) -> Option<f64> {
    let up = at.direction([0.0, 1.0, 0.0]);
    if up[1] < 1e-3 {
        return None;
    }
    let high = |p: &[f32; 3]| (0..3).map(|k| up[k] * (f64::from(p[k]) - at.position[k])).sum::<f64>();
    own.points.iter().map(|p| (high(p) - own.around - around) / up[1]).reduce(f64::min)
}

/// Triangles by the squares of the ground that they stand over.
struct Columns<'a> {
    skin: &'a Skin,
    side: f32,
    squares: HashMap<(i32, i32), Vec<u32>>,
}

impl<'a> Columns<'a> {
    fn of(skin: &'a Skin) -> Columns<'a> {
        let corners = |t: &[u32; 3]| t.map(|p| skin.points[p as usize]);
        let span = |t: &[u32; 3], k: usize| {
            let c = corners(t).map(|p| p[k]);
            (c[0].min(c[1]).min(c[2]), c[0].max(c[1]).max(c[2]))
        };
        let long = |t: &[u32; 3]| [0, 2].map(|k| span(t, k)).iter().fold(0.0f32, |m, (a, b)| m.max(b - a));
        let usual = skin.triangles.iter().map(|t| f64::from(long(t))).sum::<f64>();
        let largest = skin.triangles.iter().map(long).fold(0.0f32, f32::max);
        // No triangle stands over more than about a thousand squares.
        let side = ((usual / skin.triangles.len().max(1) as f64) as f32).max(largest / 30.0).max(1e-5);
        let mut squares: HashMap<(i32, i32), Vec<u32>> = HashMap::new();
        for (k, t) in skin.triangles.iter().enumerate() {
            let [(a, b), (c, d)] = [span(t, 0), span(t, 2)];
            let cell = |v: f32| (v / side).floor() as i32;
            for i in cell(a)..=cell(b) {
                for j in cell(c)..=cell(d) {
                    squares.entry((i, j)).or_default().push(k as u32);
                }
            }
        }
        Columns { skin, side, squares }
    }

    /// The heights at which a level place is covered.
    fn heights(&self, x: f32, z: f32) -> impl Iterator<Item = f64> {
        let cell = ((x / self.side).floor() as i32, (z / self.side).floor() as i32);
        self.squares.get(&cell).into_iter().flatten().filter_map(move |t| {
            let [a, b, c] =
                self.skin.triangles[*t as usize].map(|p| self.skin.points[p as usize].map(f64::from));
            let (x, z) = (f64::from(x), f64::from(z));
            let whole = (b[0] - a[0]) * (c[2] - a[2]) - (c[0] - a[0]) * (b[2] - a[2]);
            if whole.abs() < 1e-14 {
                return None;
            }
            let v = ((x - a[0]) * (c[2] - a[2]) - (c[0] - a[0]) * (z - a[2])) / whole;
            let w = ((b[0] - a[0]) * (z - a[2]) - (x - a[0]) * (b[2] - a[2])) / whole;
            let inside = v >= -1e-6 && w >= -1e-6 && v + w <= 1.0 + 1e-6;
            inside.then(|| a[1] + v * (b[1] - a[1]) + w * (c[1] - a[1]))
        })
    }
}
