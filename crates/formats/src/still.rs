//! One mesh as it is, in a format by the ending of a file's name.
use crate::glb::Glb;
use crate::gltf_motion::vertices;
use crate::motion::{Delivery, Kind, Motion, With};
use crate::obj::write_obj;
use nematon_geometry::Mesh;
use serde_json::json;

/// Formats of a still mesh.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Still {
    /// Wavefront OBJ.
    Obj,
    /// glTF 2.0, binary.
    Glb,
    /// USD text.
    Usda,
}

impl Still {
    pub const ALL: [Still; 3] = [Still::Obj, Still::Glb, Still::Usda];

    /// The ending of its files.
    pub fn ending(self) -> &'static str {
        match self {
            Still::Obj => "obj",
            Still::Glb => "glb",
            Still::Usda => "usda",
        }
    }

    /// By the ending of a file's name.
    pub fn of(name: &str) -> Option<Still> {
        let ending = name.rsplit('.').next().unwrap_or_default().to_ascii_lowercase();
        Still::ALL.into_iter().find(|s| s.ending() == ending)
    }

    /// The bytes of a file. Metres, y up.
    ///
    /// # Errors
    /// When the mesh can't be written so.
    pub fn write(self, name: &str, mesh: &Mesh) -> std::io::Result<Vec<u8>> {
        let with = With { normals: false, triangles: false, exact: false, ..With::default() };
        match self {
            Still::Obj => Ok(write_obj(name, mesh, &mesh.positions, with).into_bytes()),
            Still::Glb => Ok(glb(name, mesh)),
            Still::Usda => {
                let bodies = [Motion { name, first: 0, count: 1, ..Motion::plain(mesh) }];
                let mut frames = |_| -> Box<dyn Iterator<Item = _>> {
                    Box::new(std::iter::once(Ok(mesh.positions.clone())))
                };
                let mut out = vec![];
                let all = &mut Delivery {
                    name,
                    bodies: &bodies,
                    with,
                    frames: &mut frames,
                    turns: None,
                    note: None,
                };
                Kind::Usda.write(&mut out, all)?;
                Ok(out)
            }
        }
    }
}

/// One vertex for each point and texture coordinate that go together; loose points as points.
fn glb(name: &str, mesh: &Mesh) -> Vec<u8> {
    if mesh.triangles.is_empty() {
        let mut out = Glb::default();
        let position = out.floats(&mesh.positions, "VEC3", true);
        return out.finish(json!({
            "scene": 0, "scenes": [{ "nodes": [0] }], "nodes": [{ "name": name, "mesh": 0 }],
            "meshes": [{ "name": name, "primitives": [{ "attributes": { "POSITION": position }, "mode": 0 }] }]
        }));
    }
    let normals = mesh.normals(&mesh.positions);
    let v = vertices(mesh);
    let pick = |all: &[[f32; 3]]| -> Vec<[f32; 3]> { v.points.iter().map(|p| all[*p as usize]).collect() };
    let mut out = Glb::default();
    let position = out.floats(&pick(&mesh.positions), "VEC3", true);
    let mut attributes =
        json!({ "POSITION": position, "NORMAL": out.floats(&pick(&normals), "VEC3", false) });
    if !v.uvs.is_empty() {
        attributes["TEXCOORD_0"] = json!(out.floats(&v.uvs, "VEC2", false));
    }
    let indices = out.triangles(&v.triangles);
    out.finish(json!({
        "scene": 0, "scenes": [{ "nodes": [0] }], "nodes": [{ "name": name, "mesh": 0 }],
        "meshes": [{ "name": name, "primitives": [{ "attributes": attributes, "indices": indices }] }]
    }))
}
