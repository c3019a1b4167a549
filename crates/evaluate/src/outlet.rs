//! The surface that pieces come from, or strands grow on.
use crate::{MeshLibrary, Playing, Stage, shape};
use nematon_document::{Node, Outlet};
use nematon_geometry::Mesh;

/// A surface that an outlet names.
pub(crate) struct Ground<'a> {
    /// As nothing moves it.
    pub mesh: Mesh,
    /// The figure that it is the skin of, if it is one.
    pub plays: Option<&'a Playing>,
    /// Where it stands; none where its points are told as they are placed.
    pub node: Option<&'a Node>,
    /// Kept around it, metres.
    pub around: f64,
    pub name: &'a str,
}

/// None of an outlet that is a space or points.
///
/// # Errors
/// Why it can't be had, in words that go on from what comes from it: its name, "which …".
pub(crate) fn ground<'a>(
    scene: &'a Stage,
    from: &'a Outlet,
    library: &dyn MeshLibrary,
) -> Result<Option<Ground<'a>>, String> {
    Ok(Some(match from {
        Outlet::Space | Outlet::Points(_) => return Ok(None),
        Outlet::Figure(f) => {
            let name = scene.figures.get(f.figure.as_str()).map_or(f.figure.as_str(), |f| &f.name);
            let named = |why: String| format!("\"{name}\", which {why}");
            let plays = scene.figure(&f.figure).map_err(named)?;
            let triangles = plays.triangles(&f.parts).map_err(named)?;
            let mesh = Mesh { positions: plays.rest().positions.clone(), triangles, ..Mesh::default() };
            Ground { mesh, plays: Some(plays.as_ref()), node: Some(&plays.own.place), around: 0.0, name }
        }
        Outlet::Collider(id) => {
            let own = scene.colliders.get(id.0.as_str());
            let name = own.map_or(id.0.as_str(), |c| &c.name);
            let gone = |why: &str| format!("\"{name}\", which {why}");
            let own = own.ok_or_else(|| gone("there is not"))?;
            let seen = scene.surface(&id.0).ok_or_else(|| gone("has no surface"))?;
            let mesh = seen.as_ref().map_err(|why| gone(why))?.as_ref().clone();
            Ground { mesh, plays: None, node: Some(&own.place), around: own.thickness, name }
        }
        Outlet::Body(id) => {
            let own = scene.bodies.get(id);
            let name = own.map_or(id.0.as_str(), |b| &b.name);
            let own = own.ok_or_else(|| format!("\"{name}\", which there is not"))?;
            let found = shape(scene, own, library).map_err(|why| format!("\"{name}\": {why}"))?;
            let mesh = Mesh { positions: found.placed, triangles: found.mesh.triangles, ..Mesh::default() };
            Ground { mesh, plays: None, node: None, around: 0.0, name }
        }
    }))
}
