//! What routes take, with refusals that are problems (RFC 9457) too.
use crate::problem::Problem;
use axum::extract::rejection::{JsonRejection, PathRejection, QueryRejection};
use axum::extract::{FromRequest, FromRequestParts};

/// Parts of the address.
#[derive(FromRequestParts)]
#[from_request(via(axum::extract::Path), rejection(Problem))]
pub struct Path<T>(pub T);

/// The address' query.
#[derive(FromRequestParts)]
#[from_request(via(axum::extract::Query), rejection(Problem))]
pub struct Query<T>(pub T);

/// A body of JSON.
#[derive(FromRequest)]
#[from_request(via(axum::Json), rejection(Problem))]
pub struct Body<T>(pub T);

impl From<PathRejection> for Problem {
    fn from(e: PathRejection) -> Self {
        Problem::new(e.status(), "unreadable", "The address can't be read", e.body_text())
    }
}

impl From<QueryRejection> for Problem {
    fn from(e: QueryRejection) -> Self {
        Problem::new(e.status(), "unreadable", "The address can't be read", e.body_text())
    }
}

impl From<JsonRejection> for Problem {
    fn from(e: JsonRejection) -> Self {
        Problem::new(e.status(), "unreadable", "The request can't be read", e.body_text())
    }
}
