//! What goes with a thing that is removed, before it is.
use crate::api::{Api, Says};
use crate::extract::{Body, Path};
use crate::problem::{Problem, apart};
use crate::route::projects::load;
use crate::state::App;
use axum::Json;
use axum::extract::State;
use nematon_document::{Node, Removal, removal};
use nematon_evaluate::{Stage, place_on};
use schemars::JsonSchema;
use serde::Deserialize;

pub fn routes() -> Api {
    let says = Says::gives::<Removal>("The edit that removes a thing, and who lets go of it by that");
    Api::default().post("/projects/{id}/removal", says.takes::<Remove>(), tell)
}

#[derive(Deserialize, JsonSchema)]
struct Remove {
    /// JSON Pointer of the thing in the scene.
    path: String,
    /// Where what stands on it is at this frame it stays.
    frame: f64,
}

async fn tell(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(asked): Body<Remove>,
) -> Result<Json<Removal>, Problem> {
    let Remove { path, frame } = asked;
    if !frame.is_finite() {
        return Err(Problem::unfit("That is no frame", "Its number is none."));
    }
    let (row, scene) = load(&app, id).await?;
    if row.scene.pointer(&path).is_none() {
        return Err(Problem::missing("thing"));
    }
    app.meshes.fetch(&scene).await?;
    let meshes = app.meshes.clone();
    let found = apart(move || {
        let stage = Stage::new(&scene, &meshes);
        let nodes = scene.nodes();
        let stands = |path: &str| {
            let (_, node) = nodes.iter().find(|(p, _)| p == path)?;
            // One that moves by itself goes on by its own numbers.
            let place = match node.is_still() {
                true => {
                    let (position, turn) = place_on(&stage, node, None, None, frame);
                    let tidy = |v: f64| (v * 1e5).round() / 1e5;
                    Node::still(position.map(tidy), turn.map(tidy))
                }
                false => Node { on: None, ..(*node).clone() },
            };
            serde_json::to_value(place).ok()
        };
        removal(&row.scene, &path, stands)
    });
    found.await?.map(Json).map_err(|f| Problem::faults("That can't be removed", f))
}
