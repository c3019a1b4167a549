//! Matters to start from, with where their numbers come from.
use crate::state::App;
use axum::routing::get;
use axum::{Json, Router};

pub fn routes() -> Router<App> {
    Router::new().route("/matters", get(|| async { Json(nematon_document::presets()) }))
}
