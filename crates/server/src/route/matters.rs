//! Matters and weathers to start from, with where their numbers come from.
use crate::api::{Api, Says};
use crate::extract::Body;
use crate::problem::Problem;
use axum::Json;
use nematon_document::{Fibre, Preset, Shelved, Weather, fibres, presets, species, weathers};
use nematon_geometry::{Silhouette, Species};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub fn routes() -> Api {
    Api::default()
        .get("/matters", Says::gives::<Vec<Preset>>("Matters to start from"), || async { Json(presets()) })
        .get(
            "/species",
            Says::gives::<Vec<Shelf>>("Species of plants, to start from, each with one that grew"),
            || async { Json(species().into_iter().map(Shelf::of).collect::<Vec<_>>()) },
        )
        .post(
            "/silhouette",
            Says::gives::<Silhouette>("A plant of a species, from the side").takes::<Grow>(),
            silhouette,
        )
        .get("/fibres", Says::gives::<Vec<Fibre>>("What strands are made of, to start from"), || async {
            Json(fibres())
        })
        .get("/weathers", Says::gives::<Vec<Weather>>("Weathers to start from"), || async {
            Json(weathers())
        })
}

/// A species with one that grew, to be looked at.
#[derive(Serialize, JsonSchema)]
struct Shelf {
    #[serde(flatten)]
    own: Shelved,
    grown: Silhouette,
}

impl Shelf {
    fn of(own: Shelved) -> Shelf {
        let grown = own.species.silhouette(0);
        Shelf { own, grown }
    }
}

async fn silhouette(Body(Grow { species, seed }): Body<Grow>) -> Result<Json<Silhouette>, Problem> {
    let points = species.points();
    if points > MOST {
        return Err(Problem::unfit(
            "It can't be drawn",
            format!("One has {points} points; the most is {MOST}."),
        ));
    }
    Ok(Json(species.silhouette(seed)))
}

/// Points of a plant that is drawn, at most.
const MOST: usize = 20_000;

#[derive(Deserialize, JsonSchema)]
struct Grow {
    species: Species,
    #[serde(default)]
    seed: u32,
}
