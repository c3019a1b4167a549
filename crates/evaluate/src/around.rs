//! What of a scene some fields follow from: winds, what stands in them, surfaces.
use crate::resolve::{World, pose_at};
use crate::{NoPlace, Stage};
use nematon_air::{Around, Laid, Marks, Obstacle, Surface};
use nematon_document::{Act, BodyId, Collider, FieldId, Form, SurfaceOf};
use nematon_geometry::Mesh;
use nematon_solver::Pose;
use std::sync::Arc;

/// What fields may meet at a frame, looked at only where one asks for it.
pub fn around(scene: &Stage, wind: [f32; 3], frame: f64) -> Around {
    let obstacles = scene.colliders.iter().filter(|(_, c)| c.on && !c.hollow);
    let obstacles = obstacles.filter_map(|(id, c)| obstacle(scene, id.0.as_str(), c, frame));
    Around { wind, obstacles: in_order(obstacles) }
}

/// By what they are, so that the order of the scene changes nothing.
fn in_order(obstacles: impl Iterator<Item = Obstacle>) -> Vec<Obstacle> {
    let mut all: Vec<Obstacle> = obstacles.collect();
    let bits = |v: [f32; 3]| v.map(f32::to_bits);
    all.sort_by_key(|o| (bits(o.middle), bits(o.half), o.axes.map(bits)));
    all
}

/// The same with all bodies beside one, each as it begins.
pub fn with_bodies(scene: &Stage, around: &Around, own: Option<&BodyId>) -> Around {
    let others = scene.bodies.iter().filter(|(id, _)| Some(*id) != own);
    let boxes = others.filter_map(|(id, body)| {
        let [low, high] = scene.extent(id)?;
        Some(boxed(*low, *high, &pose_at(scene, &body.place, scene.frames.first as f64)))
    });
    Around { wind: around.wind, obstacles: in_order(around.obstacles.iter().copied().chain(boxes)) }
}

fn boxed(low: [f32; 3], high: [f32; 3], pose: &Pose) -> Obstacle {
    Obstacle {
        middle: pose.place(std::array::from_fn(|c| 0.5 * (low[c] + high[c]))),
        axes: pose.axes(),
        half: std::array::from_fn(|c| 0.5 * (high[c] - low[c])),
    }
}

/// A box about a collider; none about one that has no end, or that can't be had.
fn obstacle(scene: &Stage, id: &str, c: &Collider, frame: f64) -> Option<Obstacle> {
    let (points, place) = match &c.form {
        Form::Figure(f) => {
            let plays = scene.figure(&f.figure).ok()?;
            let place = &scene.figures.get(f.figure.as_str())?.place;
            (plays.points(plays.time(scene, frame)).as_ref().clone(), place)
        }
        _ => (scene.surface(id)?.as_ref().ok()?.positions.clone(), &c.place),
    };
    let [low, high] = extent(&points)?;
    Some(boxed(low, high, &pose_at(scene, place, frame)))
}

/// The least and the most of points along each axis; none of none.
pub fn extent(points: &[[f32; 3]]) -> Option<[[f32; 3]; 2]> {
    let with = |[low, high]: [[f32; 3]; 2], p: &[f32; 3]| {
        [std::array::from_fn(|c| low[c].min(p[c])), std::array::from_fn(|c| high[c].max(p[c]))]
    };
    let first = *points.first()?;
    Some(points.iter().fold([first; 2], with))
}

/// A surface at a frame; none where it can't be had.
pub fn surface(scene: &Stage, id: &FieldId, of: &SurfaceOf, frame: f64) -> Option<Arc<Surface>> {
    let mut hash = blake3::Hasher::new();
    let place = match of {
        SurfaceOf::Figure(id) => {
            let plays = scene.figure(id).ok()?;
            hash.update(&plays.digest());
            hash.update(&plays.time(scene, frame).to_bits().to_le_bytes());
            scene.figures.get(id.as_str())?.place.clone()
        }
        SurfaceOf::Collider(id) => {
            let mesh = scene.surface(id)?.as_ref().ok()?;
            mesh.positions.iter().flatten().for_each(|c| {
                hash.update(&c.to_bits().to_le_bytes());
            });
            scene.colliders.get(id.as_str())?.place.clone()
        }
    };
    let pose = pose_at(scene, &place, frame);
    for c in pose.position.iter().chain(&pose.turn) {
        hash.update(&c.to_bits().to_le_bytes());
    }
    let dyed = scene.dyed(id).and_then(|d| d.as_ref().ok()).cloned();
    if let Some(dyed) = &dyed {
        hash.update(&dyed.digest());
        let mut marks = Marks::default();
        dyed.mark(scene, frame, &mut marks);
        hash.update(&marks.0);
    }
    let (scene, of) = (scene.clone(), of.clone());
    let make = move || {
        let world = World::of(&scene, &place, frame);
        let put = |points: &[[f32; 3]]| -> Vec<[f32; 3]> {
            points.iter().map(|p| world.place(p.map(f64::from)).map(|c| c as f32)).collect()
        };
        let laid = match &of {
            SurfaceOf::Figure(id) => scene.figure(id).ok().and_then(|plays| {
                let at = put(&plays.points(plays.time(&scene, frame)));
                let (rest, triangles) = (plays.rest().positions.clone(), plays.triangles(&[]).ok()?);
                Some(Laid { at, rest, triangles, weights: vec![] })
            }),
            SurfaceOf::Collider(id) => {
                scene.surface(id).and_then(|m| m.as_ref().ok()).map(|m: &Arc<Mesh>| Laid {
                    at: put(&m.positions),
                    rest: m.positions.clone(),
                    triangles: m.triangles.clone(),
                    weights: vec![],
                })
            }
        };
        let weights = dyed.as_ref().map(|d| d.at(&scene, frame)).unwrap_or_default();
        Laid { weights, ..laid.unwrap_or_default() }
    };
    Some(Arc::new(Surface::new(*hash.finalize().as_bytes(), make)))
}

/// Whether every surface that a field pushes with can be had.
pub fn check(scene: &Stage) -> Result<(), NoPlace> {
    for (id, field) in &scene.fields {
        let Act::Skin(skin) = &field.act else { continue };
        let why = match &skin.of {
            SurfaceOf::Figure(f) => scene.figure(f).err().map(|why| {
                let name = scene.figures.get(f.as_str()).map_or(f.as_str(), |f| f.name.as_str());
                format!("pushes with the surface of \"{name}\", which {why}")
            }),
            SurfaceOf::Collider(c) => scene.surface(c).and_then(|m| m.as_ref().err()).map(|why| {
                let name = scene.colliders.get(c.as_str()).map_or(c.as_str(), |c| c.name.as_str());
                format!("pushes with the surface of \"{name}\", which {why}")
            }),
        };
        let (path, what) = (format!("/fields/{id}/map"), format!("\"{}\"", field.name));
        if let (None, Some(Err(why))) = (&why, scene.dyed(id)) {
            return Err(NoPlace { path, what, why: format!("has a map that can't be had: {why}") });
        }
        if let Some(why) = why {
            let (path, what) = (format!("/fields/{id}/act/skin/of"), format!("\"{}\"", field.name));
            return Err(NoPlace { path, what, why });
        }
    }
    Ok(())
}
