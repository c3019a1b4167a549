//! What every request goes through. Only pages from this machine may talk to the server: a page elsewhere that resolves its name to
//! loopback, or posts across origins, is refused.
use crate::problem::Problem;
use crate::state::App;
use axum::extract::{Request, State};
use axum::http::{HeaderValue, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};

pub async fn only_from_here(State(app): State<App>, request: Request, next: Next) -> Response {
    match foreign(&app, &request) {
        Some(detail) => {
            Problem::new(StatusCode::FORBIDDEN, "foreign", "Only from this machine", detail).into_response()
        }
        None => next.run(request).await,
    }
}

/// What is asked twice is told anew, unless it says that it never changes: of two questions that cross a change, a
/// browser may give the answer of the first to both.
pub async fn told_anew(mut response: Response) -> Response {
    response.headers_mut().entry(header::CACHE_CONTROL).or_insert(HeaderValue::from_static("no-store"));
    response
}

/// Why a request is not from here, if it isn't.
fn foreign(app: &App, request: &Request) -> Option<String> {
    let text = |name| request.headers().get(name).map(|v: &HeaderValue| v.to_str().unwrap_or("?").to_owned());
    let host =
        text(header::HOST).or_else(|| request.uri().authority().map(ToString::to_string)).unwrap_or_default();
    if !app.is_here(&host) {
        return Some(format!("Host \"{host}\" is not this server: use http://127.0.0.1:{}", app.port));
    }
    let origin = text(header::ORIGIN)?;
    let here = origin.strip_prefix("http://").is_some_and(|o| app.is_here(o));
    (!here).then(|| format!("Pages from \"{origin}\" may not talk to this server."))
}
