//! The real interface, driven in headless Chromium: what the journeys, the pictures of the docs and the
//! browser's benchmark share. One page object a view.
pub mod page;
pub mod site;

pub use page::Window;
pub use site::Site;

use tokio::sync::{Mutex, MutexGuard};

/// Chromium draws on the processor here: one journey at a time.
static TURN: Mutex<()> = Mutex::const_new(());

/// A journey's turn, a site of its own, and a window on its first project.
///
/// # Panics
/// When the site or the browser can't be had: a test can't go on.
pub async fn begin() -> (MutexGuard<'static, ()>, Site, Window) {
    let turn = TURN.lock().await;
    let mut site = Site::start().await;
    let window = site.window().await.expect("a browser window");
    (turn, site, window)
}

/// What the server answers.
///
/// # Panics
/// When it doesn't.
pub async fn get(site: &Site, path: &str) -> serde_json::Value {
    let answer = reqwest::get(format!("{}/api{path}", site.address)).await.expect("an answer");
    answer.json().await.expect("JSON")
}

/// Edits a project past the page, as another window would.
///
/// # Panics
/// When the server refuses it.
pub async fn edit(site: &Site, id: i64, patch: serde_json::Value) {
    let now = get(site, &format!("/projects/{id}")).await;
    let body = serde_json::json!({"revision": now["revision"], "label": "edit", "patch": patch});
    let sent = reqwest::Client::new().patch(format!("{}/api/projects/{id}", site.address)).json(&body);
    let answer = sent.send().await.expect("an answer");
    let (ok, text) = (answer.status().is_success(), answer.text().await.unwrap_or_default());
    assert!(ok, "{text}");
}
