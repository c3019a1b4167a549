//! The JSON Schema of a scene: titles, units, limits and defaults for the interface.
use crate::state::App;
use axum::routing::get;
use axum::{Json, Router};

pub fn routes() -> Router<App> {
    Router::new().route("/schema", get(|| async { Json(nematon_document::schema().clone()) }))
}
