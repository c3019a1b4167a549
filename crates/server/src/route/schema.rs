//! Documents of documents: the JSON Schema of a scene, with titles, units, limits and defaults for the interface, and
//! the OpenAPI document.
use crate::api::{Api, Says};
use axum::Json;
use serde_json::Value;

pub fn routes() -> Api {
    Api::default()
        .get("/schema", Says::gives::<Value>("The JSON Schema of a scene"), || async {
            Json(nematon_document::schema().clone())
        })
        .get("/openapi.json", Says::gives::<Value>("This document"), || async { Json(super::openapi()) })
}
