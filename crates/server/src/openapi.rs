//! The OpenAPI 3.1 document: the types of the pages are made from it.
use crate::lanes::Lane;
use crate::problem::Problem;
use crate::route::{air, colliders, frames, meshes, projects, runs, shape};
use schemars::generate::SchemaSettings;
use schemars::{JsonSchema, SchemaGenerator};
use serde_json::{Map, Value, json};

/// Describes every route with the shapes of what goes in and out.
pub fn openapi() -> Value {
    let mut g = SchemaSettings::draft2020_12()
        .with(|s| s.definitions_path = "/components/schemas".into())
        .into_generator();
    let mut paths = Map::new();
    let mut route = |path: &str, method: &str, summary: &str, input: Option<Value>, output: Value| {
        let mut op = json!({"summary": summary, "responses": {"200": {"description": "done", "content": output}, "default": {"description": "what went wrong", "content": {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}}}});
        let names: Vec<Value> = path
            .split('/')
            .filter_map(|s| s.strip_prefix('{')?.strip_suffix('}'))
            .map(|n| {
                let kind = if ["body", "collider", "format"].contains(&n) { "string" } else { "integer" };
                json!({"name": n, "in": "path", "required": true, "schema": {"type": kind}})
            })
            .collect();
        op["parameters"] = names.into();
        if let Some(i) = input {
            op["requestBody"] = json!({"required": true, "content": i});
        }
        paths.entry(path).or_insert_with(|| json!({}))[method] = op;
    };
    let bytes = || json!({"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}});
    route("/api/projects", "get", "The projects", None, of::<Vec<projects::Summary>>(&mut g));
    route(
        "/api/projects",
        "post",
        "Keep a scene",
        Some(of::<projects::NewProject>(&mut g)),
        of::<projects::Project>(&mut g),
    );
    route("/api/projects/{id}", "get", "A project", None, of::<projects::Project>(&mut g));
    route(
        "/api/projects/{id}",
        "patch",
        "Edit its scene",
        Some(of::<projects::Edit>(&mut g)),
        of::<projects::Project>(&mut g),
    );
    for turn in ["undo", "redo"] {
        let path = format!("/api/projects/{{id}}/{turn}");
        route(&path, "post", turn, Some(of::<projects::At>(&mut g)), of::<projects::Project>(&mut g));
    }
    route(
        "/api/projects/{id}/bodies/{body}/shape",
        "get",
        "Its rest shape: length, ShapeHead, arrays",
        None,
        bytes(),
    );
    route("/api/matters", "get", "Matters to start from", None, of::<Vec<nematon_document::Preset>>(&mut g));
    route(
        "/api/projects/{id}/colliders/{collider}/skin",
        "get",
        "The triangles of a collider",
        None,
        of::<colliders::Skin>(&mut g),
    );
    route("/api/meshes", "post", "Bring in a mesh file", Some(bytes()), of::<meshes::MeshHead>(&mut g));
    route("/api/projects/{id}/lanes", "get", "Which frames are true", None, of::<frames::Lanes>(&mut g));
    route("/api/chunks/{chunk}", "get", "Frames", None, bytes());
    route("/api/projects/{id}/runs", "get", "Its latest runs", None, of::<Vec<runs::Run>>(&mut g));
    route("/api/projects/{id}/runs", "post", "Compute what is not true", None, of::<runs::Run>(&mut g));
    route(
        "/api/runs/{run}/cancel",
        "post",
        "Stop a run; what it has computed stays",
        None,
        of::<runs::Run>(&mut g),
    );
    route(
        "/api/projects/{id}/air",
        "post",
        "The air at places",
        Some(of::<air::AirQuestion>(&mut g)),
        of::<air::AirAnswer>(&mut g),
    );
    route("/api/projects/{id}/bodies/{body}/files/{format}", "get", "Its motion as a file", None, bytes());
    g.subschema_for::<Problem>();
    g.subschema_for::<Lane>();
    g.subschema_for::<shape::ShapeHead>();
    let schemas = g.take_definitions(true);
    json!({"openapi": "3.1.0", "info": {"title": "Nematon", "version": env!("CARGO_PKG_VERSION")}, "paths": paths, "components": {"schemas": schemas}})
}

fn of<T: JsonSchema>(g: &mut SchemaGenerator) -> Value {
    json!({"application/json": {"schema": g.subschema_for::<T>()}})
}
