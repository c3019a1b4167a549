//! One resource a file. Each tells its routes, and the OpenAPI document of each stands beside it.
pub mod air;
pub mod colliders;
pub mod deliver;
pub mod events;
pub mod frames;
pub mod matters;
pub mod meshes;
pub mod projects;
pub mod runs;
pub mod schema;
pub mod shape;

use crate::state::App;
use axum::Router;

/// All routes under `/api`.
pub fn all() -> Router<App> {
    Router::new()
        .merge(projects::routes())
        .merge(shape::routes())
        .merge(meshes::routes())
        .merge(frames::routes())
        .merge(runs::routes())
        .merge(air::routes())
        .merge(deliver::routes())
        .merge(events::routes())
        .merge(schema::routes())
        .merge(matters::routes())
        .merge(colliders::routes())
        .fallback(|| async { crate::problem::Problem::missing("address") })
}
