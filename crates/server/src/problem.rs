//! Errors as problem+json (RFC 9457): what happened, why, and what to do.
use axum::Json;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use nematon_document::{EditError, Fault};
use nematon_store::StoreError;
use schemars::JsonSchema;
use serde::Serialize;

/// What a failed request is answered with.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Problem {
    /// A short name for the kind of problem.
    #[serde(rename = "type")]
    pub kind: &'static str,
    pub title: String,
    pub status: u16,
    pub detail: String,
    /// What is wrong with a document, each with its path.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub faults: Vec<Fault>,
}

impl Problem {
    pub fn new(status: StatusCode, kind: &'static str, title: &str, detail: impl Into<String>) -> Problem {
        Problem { kind, title: title.into(), status: status.as_u16(), detail: detail.into(), faults: vec![] }
    }
    pub fn missing(what: &str) -> Problem {
        Problem::new(StatusCode::NOT_FOUND, "missing", "Not found", format!("There is no such {what}."))
    }
    pub fn unfit(title: &str, detail: impl Into<String>) -> Problem {
        Problem::new(StatusCode::UNPROCESSABLE_ENTITY, "unfit", title, detail)
    }
    pub fn faults(title: &str, faults: Vec<Fault>) -> Problem {
        let said = |f: &Fault| match f.place.as_str() {
            "" => f.message.clone(),
            place => format!("{place}: {}", f.message),
        };
        let detail = faults.iter().map(said).collect::<Vec<_>>().join("; ");
        Problem { faults, ..Problem::unfit(title, detail) }
    }
    pub fn inside(detail: impl Into<String>) -> Problem {
        Problem::new(StatusCode::INTERNAL_SERVER_ERROR, "inside", "Something failed inside", detail)
    }
}

/// Work that takes its time, not on a thread that answers others.
///
/// # Errors
/// When it panics.
pub async fn apart<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> Result<T, Problem> {
    tokio::task::spawn_blocking(work).await.map_err(|e| Problem::inside(e.to_string()))
}

impl IntoResponse for Problem {
    fn into_response(self) -> Response {
        let status = StatusCode::from_u16(self.status).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR);
        (status, [(header::CONTENT_TYPE, "application/problem+json")], Json(self)).into_response()
    }
}

impl From<StoreError> for Problem {
    fn from(e: StoreError) -> Self {
        if e.is_away() {
            let detail =
                "The database does not answer. Nothing stored is lost; this will go through when it is back.";
            Problem::new(StatusCode::SERVICE_UNAVAILABLE, "away", "The database is away", detail)
        } else {
            Problem::inside(e.to_string())
        }
    }
}

impl From<EditError> for Problem {
    fn from(e: EditError) -> Self {
        match e {
            EditError::Faults(faults) => Problem::faults("That can't be set", faults),
            EditError::Patch { .. } => {
                let detail = "What it was to change is not there any more. Look at the scene as it is now, and do it again.";
                Problem::unfit("That edit can't be made", detail)
            }
            e => Problem::unfit("That edit can't be made", e.to_string()),
        }
    }
}
