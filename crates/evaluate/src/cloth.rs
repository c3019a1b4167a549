//! Cloth: where its points start, and what the solver is told of it.
use crate::kind::{Matters, Shapes};
use crate::maps::Ground;
use crate::resolve::place_body;
use crate::sewn::Sewn;
use crate::shape::{Follow, OfKind, begins, gripped};
use crate::weather::Weather;
use crate::{MeshLibrary, ShapeError, Shaped, Stage};
use nematon_document::{
    Body, Cloth, Elsewhere, ImportedMesh, MAX_POINTS, Matter, MeshSource, Moment, RestShape, Shape, SkinOf,
};
use nematon_geometry::material::material_coordinates;
use nematon_geometry::{Mesh, density, layers, place, refine};
use nematon_solver::{ClothRest, Folds, Rest};
use std::sync::Arc;

impl Shapes for Cloth {
    fn shape(&self, scene: &Stage, body: &Body, library: &dyn MeshLibrary) -> Result<Shaped, ShapeError> {
        shape(scene, body, self, library)
    }

    fn rest(&self, body: &Body, shaped: &Shaped, first: &Moment) -> Rest {
        Rest::Cloth(Box::new(cloth_rest(body, self, shaped, first)))
    }

    fn matters(&self) -> Matters {
        let Matter { damping, drag, lift, friction, .. } = self.matter.clone();
        Matters { damping, drag, lift, friction }
    }

    fn around(&self) -> f64 {
        0.5 * self.matter.thickness
    }
}

/// Panels that lie on each other with no gap at all begin so far apart, metres: less than any cloth is thick, and enough to tell them apart.
const APART: f32 = 1e-4;

fn shape(scene: &Stage, body: &Body, own: &Cloth, library: &dyn MeshLibrary) -> Result<Shaped, ShapeError> {
    let mesh = match own.shape.made() {
        Ok(mesh) => mesh,
        Err(Elsewhere::Mesh(ImportedMesh { from, refine })) => imported(from, *refine, library)?,
        Err(Elsewhere::Skin(s)) => skin(scene, s)?,
    };
    let mut mesh = layered(own, mesh)?;
    if !(own.seams.is_empty() && own.chambers.is_empty()) {
        nematon_geometry::lay_apart(&mut mesh, APART);
    }
    let rest = match own.rest.as_ref().map(|r| &r.shape) {
        Some(RestShape::Mesh(from)) => {
            let times = if let Shape::Mesh(m) = &own.shape { m.refine } else { 0 };
            let mut rest = like(&mesh, layered(own, imported(from, times, library)?)?)?;
            place_body(scene, begins(scene, body), &mut rest.positions);
            Some(rest)
        }
        // It has all points already, where they were in the world.
        Some(RestShape::Frame(from)) => Some(like(&mesh, imported(from, 0, library)?)?),
        _ => None,
    };
    let ground = Ground { stage: scene, place: begins(scene, body), mesh: &mesh, library };
    let maps = crate::maps::maps(&ground, body)?;
    let follow = match (&body.follow, body.scaled.get(&nematon_document::Scaled::Follow)) {
        (Some(strength), by) => Some(Follow {
            strength: strength.clone(),
            by: match by {
                Some(by) => {
                    ground.named(body, &by.map).transpose()?.map(|d| (Arc::new(d), [by.least, by.most]))
                }
                None => None,
            },
        }),
        (None, _) => None,
    };
    let mut placed = mesh.positions.clone();
    place_body(scene, begins(scene, body), &mut placed);
    let grips = gripped(&ground, body)?;
    let density = density(&mesh);
    let sewn = match own.seams.is_empty() && own.chambers.is_empty() {
        true => None,
        false => {
            let air = body.air_density.at(&scene.frames.moment(scene.frames.first as f64));
            let lengths = rest.as_ref().map_or(&mesh.positions, |r| &r.positions);
            Some(Arc::new(Sewn::of(own, &mesh, lengths, air)?))
        }
    };
    let weather = Weather::of(&ground, body)?;
    let own = OfKind::Cloth { rest: rest.map(Box::new), sewn };
    Ok(Shaped { mesh, placed, maps, grips, follow, weather, own, density })
}

/// The surface of a figure at the first frame, with no more points than it has.
fn skin(scene: &Stage, of: &SkinOf) -> Result<Mesh, ShapeError> {
    let named = |why: String| {
        let name = scene.figures.get(of.figure.as_str()).map_or(of.figure.as_str(), |f| f.name.as_str());
        ShapeError::Skin(format!("\"{name}\", which {why}"))
    };
    let plays = scene.figure(&of.figure).map_err(named)?;
    let (points, from) =
        (plays.points(plays.time(scene, scene.frames.first as f64)), plays.cut(&of.parts).map_err(named)?);
    // In the order that they have in the figure, with its textures and faces: the motion fits the mesh that it came from.
    let mut number = vec![u32::MAX; points.len()];
    from.triangles.iter().flatten().for_each(|p| number[*p as usize] = 0);
    let mut mesh = Mesh::default();
    for (p, own) in number.iter_mut().enumerate().filter(|(_, own)| **own == 0) {
        *own = mesh.positions.len() as u32;
        mesh.positions.push(points[p]);
    }
    mesh.triangles = from.triangles.iter().map(|t| t.map(|p| number[p as usize])).collect();
    (mesh.uvs, mesh.uv_triangles, mesh.faces) = (from.uvs, from.uv_triangles, from.faces);
    nematon_geometry::check(&mesh, MAX_POINTS).map_err(ShapeError::Unfit)?;
    nematon_geometry::face_alike(&mesh).map_err(|fault| ShapeError::Unfit(vec![fault]))?;
    (mesh.borders, mesh.corners) = nematon_geometry::find_borders(&mesh);
    Ok(mesh)
}

/// A triangle turned so that its lowest point comes first; it faces as it did.
fn least_first([a, b, c]: [u32; 3]) -> [u32; 3] {
    match a.min(b).min(c) {
        l if l == b => [b, c, a],
        l if l == c => [c, a, b],
        _ => [a, b, c],
    }
}

fn imported(from: &MeshSource, times: u32, library: &dyn MeshLibrary) -> Result<Mesh, ShapeError> {
    let found = library.mesh(from).map_err(ShapeError::Mesh)?;
    nematon_geometry::check(&found, MAX_POINTS).map_err(ShapeError::Unfit)?;
    nematon_geometry::face_alike(&found).map_err(|fault| ShapeError::Unfit(vec![fault]))?;
    let mut mesh = (*found).clone();
    for _ in 0..times {
        let points = mesh.positions.len() + mesh.edges().len();
        if points > MAX_POINTS {
            return Err(ShapeError::TooFine { refine: times, points });
        }
        mesh = refine(&mesh);
    }
    Ok(mesh)
}

/// A mesh that another is the rest shape of, where both are one in two shapes.
fn like(mesh: &Mesh, mut rest: Mesh) -> Result<Mesh, ShapeError> {
    // Which corner of a triangle is named first is chance.
    let turned = |m: &Mesh| m.triangles.iter().map(|t| least_first(*t)).collect::<Vec<_>>();
    if rest.positions.len() != mesh.positions.len() || turned(&rest) != turned(mesh) {
        let tell = |m: &Mesh| format!("{} and {}", m.positions.len(), m.triangles.len());
        return Err(ShapeError::OtherRest { found: tell(&rest), own: tell(mesh) });
    }
    if rest.uv_triangles.is_empty() || rest.triangles != mesh.triangles {
        (rest.uvs, rest.uv_triangles) = (mesh.uvs.clone(), mesh.uv_triangles.clone());
        rest.triangles.clone_from(&mesh.triangles);
    }
    Ok(rest)
}

/// A shape with its body's copies of it.
fn layered(own: &Cloth, mesh: Mesh) -> Result<Mesh, ShapeError> {
    let Some(l) = own.layers.as_ref().filter(|l| l.count > 1) else { return Ok(mesh) };
    let points = mesh.positions.len() * l.count as usize;
    if points > MAX_POINTS {
        return Err(ShapeError::TooMany { layers: l.count, points });
    }
    Ok(layers(&mesh, l.count, |p| {
        p.iter_mut().flatten().for_each(|c| *c = (f64::from(*c) * l.scale) as f32);
        place(p, l.offset, l.turn);
    }))
}

fn cloth_rest(body: &Body, own: &Cloth, shaped: &Shaped, first: &Moment) -> ClothRest {
    let thicker = crate::matters::thicker(body, first);
    let Matter { areal_weight, stretch_warp, stretch_weft, shear, bend_warp, bend_weft, .. } = own.matter;
    let m = &own.matter;
    ClothRest {
        positions: shaped.placed.clone(),
        triangles: shaped.mesh.triangles.clone(),
        flat: material_coordinates(shaped.rest().unwrap_or(&shaped.mesh), own.shape.warp()),
        held: shaped.held(),
        matter: nematon_solver::Matter {
            areal_weight: areal_weight as f32,
            stretch: [stretch_warp as f32, stretch_weft as f32],
            shear: shear as f32,
            poisson: m.poisson as f32,
            bend: [bend_warp as f32, bend_weft as f32],
            damping: m.damping.at(first) as f32,
            drag: (m.drag.at(first) * thicker) as f32,
            lift: (m.lift.at(first) * thicker) as f32,
            friction: m.friction.at(first) as f32,
            thickness: m.thickness as f32,
        },
        folds: match (shaped.rest(), own.rest.as_ref().map(|r| &r.shape)) {
            (Some(rest), _) => Folds::Like(rest.positions.clone()),
            (None, Some(RestShape::Flat)) => Folds::Flat,
            _ => Folds::Start,
        },
        maps: shaped.maps.clone(),
        welds: shaped.sewn().map_or(vec![], |s| s.welds.clone()),
        seams: shaped.sewn().into_iter().flat_map(|s| s.seams.iter().map(|(_, s)| s.clone())).collect(),
        chambers: shaped.sewn().map_or(vec![], |s| s.chambers.clone()),
    }
}
