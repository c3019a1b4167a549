//! Matters and weathers to start from, with where their numbers come from.
use crate::api::{Api, Says};
use axum::Json;
use nematon_document::{Fibre, Preset, Weather, fibres, presets, weathers};

pub fn routes() -> Api {
    Api::default()
        .get("/matters", Says::gives::<Vec<Preset>>("Matters to start from"), || async { Json(presets()) })
        .get("/fibres", Says::gives::<Vec<Fibre>>("What strands are made of, to start from"), || async {
            Json(fibres())
        })
        .get("/weathers", Says::gives::<Vec<Weather>>("Weathers to start from"), || async {
            Json(weathers())
        })
}
