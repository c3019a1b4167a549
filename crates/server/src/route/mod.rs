//! One resource a file: its routes, each with what is said of it in the OpenAPI document.
pub mod air;
pub mod attempt;
pub mod colliders;
pub mod deliver;
pub mod events;
pub mod figures;
pub mod finish;
pub mod frames;
pub mod grooming;
pub mod looped;
pub mod maps;
pub mod matters;
pub mod meshes;
pub mod plants;
pub mod projects;
pub mod readout;
pub mod rehearse;
pub mod removal;
pub mod runs;
pub mod schema;
pub mod sewn;
pub mod shape;
pub mod space;
pub mod takes;
pub mod tracks;
pub mod values;

use crate::api::Api;
use crate::problem::Problem;
use serde_json::Value;

/// All routes under `/api`.
pub fn all() -> Api {
    projects::routes()
        .and(removal::routes())
        .and(shape::routes())
        .and(meshes::routes())
        .and(plants::routes())
        .and(frames::routes())
        .and(runs::routes())
        .and(sewn::routes())
        .and(air::routes())
        .and(attempt::routes())
        .and(readout::routes())
        .and(rehearse::routes())
        .and(deliver::routes())
        .and(events::routes())
        .and(schema::routes())
        .and(matters::routes())
        .and(colliders::routes())
        .and(figures::routes())
        .and(finish::routes())
        .and(looped::routes())
        .and(maps::routes())
        .and(grooming::routes())
        .and(space::routes())
        .and(takes::routes())
        .and(tracks::routes())
        .and(values::routes())
}

pub async fn missing() -> Problem {
    Problem::missing("address")
}

/// The OpenAPI document of all routes.
pub fn openapi() -> Value {
    all().document(|g| {
        g.subschema_for::<shape::ShapeHead>();
        g.subschema_for::<attempt::AttemptHead>();
        g.subschema_for::<tracks::TracksHead>();
        g.subschema_for::<maps::MapHead>();
        g.subschema_for::<grooming::HairsHead>();
        g.subschema_for::<grooming::CombSaid>();
        g.subschema_for::<rehearse::RehearsalSaid>();
        g.subschema_for::<plants::LimbsHead>();
        g.subschema_for::<finish::FinishHead>();
        g.subschema_for::<maps::Said>();
        g.subschema_for::<maps::Told>();
        g.subschema_for::<nematon_store::Notice>();
    })
}
