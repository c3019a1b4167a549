//! What of a scene some fields follow from: winds, what stands in them, surfaces.
use crate::resolve::{World, pose_at};
use crate::{NoPlace, Stage};
use nematon_air::{Around, Laid, Obstacle, Surface};
use nematon_document::{Act, Collider, Form, SurfaceOf};
use nematon_geometry::Mesh;
use std::sync::Arc;

/// What fields may meet at a frame, looked at only where one asks for it.
pub fn around(scene: &Stage, wind: [f32; 3], frame: f64) -> Around {
    let obstacles = scene.colliders.iter().filter(|(_, c)| c.on && !c.hollow);
    Around {
        wind,
        obstacles: obstacles.filter_map(|(id, c)| obstacle(scene, id.0.as_str(), c, frame)).collect(),
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
    let (mut low, mut high) = ([f32::MAX; 3], [f32::MIN; 3]);
    for p in &points {
        (0..3).for_each(|c| (low[c], high[c]) = (low[c].min(p[c]), high[c].max(p[c])));
    }
    let pose = pose_at(scene, place, frame);
    let middle = pose.place(std::array::from_fn(|c| 0.5 * (low[c] + high[c])));
    (!points.is_empty()).then(|| Obstacle {
        middle,
        axes: pose.axes(),
        half: std::array::from_fn(|c| 0.5 * (high[c] - low[c])),
    })
}

/// A surface at a frame; none where it can't be had.
pub fn surface(scene: &Stage, of: &SurfaceOf, frame: f64) -> Option<Arc<Surface>> {
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
    let (scene, of) = (scene.clone(), of.clone());
    let make = move || {
        let world = World::of(&scene, &place, frame);
        let put = |points: &[[f32; 3]]| -> Vec<[f32; 3]> {
            points.iter().map(|p| world.place(p.map(f64::from)).map(|c| c as f32)).collect()
        };
        let laid = match &of {
            SurfaceOf::Figure(id) => scene.figure(id).ok().and_then(|plays| {
                let at = put(&plays.points(plays.time(&scene, frame)));
                Some(Laid { at, rest: plays.rest().positions.clone(), triangles: plays.triangles(&[]).ok()? })
            }),
            SurfaceOf::Collider(id) => {
                scene.surface(id).and_then(|m| m.as_ref().ok()).map(|m: &Arc<Mesh>| Laid {
                    at: put(&m.positions),
                    rest: m.positions.clone(),
                    triangles: m.triangles.clone(),
                })
            }
        };
        laid.unwrap_or_default()
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
        if let Some(why) = why {
            let (path, what) = (format!("/fields/{id}/act/skin/of"), format!("\"{}\"", field.name));
            return Err(NoPlace { path, what, why });
        }
    }
    Ok(())
}
