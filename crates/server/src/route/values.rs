//! Numbers that move, frame by frame, as the core has them; also of a motion that is only being typed.
use crate::api::{Api, Says};
use crate::extract::{Body, Path};
use crate::problem::{Problem, apart};
use crate::route::projects::load;
use crate::state::App;
use axum::Json;
use axum::extract::State;
use nematon_document::{FormulaError, FrameSpan, Scene, Value};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Most numbers asked for at once, and most frames of each; beyond, frames are left out at the end.
const MOST: usize = 500;
const MOST_FRAMES: i64 = 20_000;

pub fn routes() -> Api {
    let says = Says::gives::<Values>("Numbers that move, at some frames").takes::<Asked>();
    Api::default().post("/projects/{id}/values", says, read)
}

/// What is asked for.
#[derive(Deserialize, JsonSchema)]
struct Asked {
    /// JSON Pointers of numbers in the scene.
    #[serde(default)]
    #[schemars(length(max = 500))]
    paths: Vec<String>,
    /// A motion that is not in the scene.
    motion: Option<Value>,
    /// Frames; all of the scene if left out.
    first: Option<i64>,
    last: Option<i64>,
}

#[derive(Serialize, JsonSchema)]
struct Values {
    /// Frame of the first value of each.
    first: i64,
    /// Of each path in turn; one value where it never moves, none where there is no number.
    numbers: Vec<Vec<f64>>,
    /// Of the motion; a frame at which it gives no number is 0.
    motion: Vec<f64>,
    fault: Option<Wrong>,
}

/// Why a formula can't be read.
#[derive(Serialize, JsonSchema)]
struct Wrong {
    /// In words that go on from "it".
    why: String,
    /// The letter where it goes wrong, counted from 0.
    at: usize,
}

async fn read(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(asked): Body<Asked>,
) -> Result<Json<Values>, Problem> {
    if asked.paths.len() > MOST {
        let why = format!("{} numbers are asked for; the most is {MOST}.", asked.paths.len());
        return Err(Problem::unfit("That is too much at once", why));
    }
    let (_, scene) = load(&app, id).await?;
    let found = apart(move || values(&scene, &asked)).await?;
    Ok(Json(found.map_err(|e| Problem::inside(e.to_string()))?))
}

fn values(scene: &Scene, asked: &Asked) -> serde_json::Result<Values> {
    let span = &scene.frames;
    let first = asked.first.unwrap_or(span.first);
    let last = asked.last.unwrap_or(span.last).min(first + MOST_FRAMES - 1);
    let document = serde_json::to_value(scene)?;
    let of = |path: &String| -> Vec<f64> {
        let value = document.pointer(path).and_then(|v| serde_json::from_value::<Value>(v.clone()).ok());
        value.map_or_else(Vec::new, |v| over(&v, span, first, last))
    };
    let numbers = asked.paths.iter().map(of).collect();
    let fault = match &asked.motion {
        Some(Value::Moving(m)) => m.formula.as_ref().and_then(|f| f.check().err()),
        _ => None,
    };
    let motion = match (&asked.motion, &fault) {
        (Some(m), None) => over(m, span, first, last),
        _ => vec![],
    };
    let fault = fault.map(|FormulaError { why, at }| Wrong { why, at });
    Ok(Values { first, numbers, motion, fault })
}

fn over(value: &Value, span: &FrameSpan, first: i64, last: i64) -> Vec<f64> {
    let last = if value.is_still() { first } else { last };
    (first..=last).map(|f| value.at(&span.moment(f as f64))).collect()
}
