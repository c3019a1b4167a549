//! The real interface, driven in headless Chromium: what the journeys, the pictures of the docs and the
//! browser's benchmark share. One page object a view.
mod browser;
pub mod page;
pub mod site;

pub use page::Window;
pub use site::Site;

use serde_json::{Value, json};
use std::sync::{Arc, Weak};
use tokio::sync::{Mutex, Semaphore, SemaphorePermit};

/// Chromium draws on the processor here: two journeys at a time.
static TURNS: Semaphore = Semaphore::const_new(2);

/// The site that the journeys of a moment share. The last to leave ends it.
static SHARED: Mutex<Weak<Site>> = Mutex::const_new(Weak::new());

/// A journey's turn, the site, and a window on a project of its own: a copy of the first of the demo.
///
/// # Panics
/// When the site or the browser can't be had: a test can't go on.
pub async fn begin() -> (SemaphorePermit<'static>, Arc<Site>, Window) {
    let turn = TURNS.acquire().await.expect("a turn");
    let site = {
        let mut shared = SHARED.lock().await;
        match shared.upgrade() {
            Some(site) => site,
            None => {
                let site = Arc::new(Site::start(1.0).await);
                *shared = Arc::downgrade(&site);
                site
            }
        }
    };
    let window = site.window(false).await.expect("a browser window");
    (turn, site, window)
}

/// The same with a site of its own, for journeys about all projects, about a server that dies, or about a run that is
/// under way: its worker computes in a `share` of the time. Its window is on the first project itself.
///
/// # Panics
/// As `begin`.
pub async fn begin_alone(share: f64) -> (SemaphorePermit<'static>, Site, Window) {
    let turn = TURNS.acquire().await.expect("a turn");
    let site = Site::start(share).await;
    let window = site.window(true).await.expect("a browser window");
    (turn, site, window)
}

/// What the server answers.
///
/// # Panics
/// When it doesn't.
pub async fn get(site: &Site, path: &str) -> Value {
    let answer = reqwest::get(format!("{}/api{path}", site.address)).await.expect("an answer");
    answer.json().await.expect("JSON")
}

/// What the server answers to a question with a body.
///
/// # Panics
/// When it doesn't.
pub async fn ask(site: &Site, path: &str, asked: &Value) -> Value {
    let sent = reqwest::Client::new().post(format!("{}/api{path}", site.address)).json(asked);
    sent.send().await.expect("an answer").json().await.expect("JSON")
}

/// The scene of a project.
///
/// # Panics
/// When the server doesn't answer.
pub async fn scene(site: &Site, id: i64) -> Value {
    get(site, &format!("/projects/{id}")).await["scene"].clone()
}

/// Edits a project past the page, as another window would.
///
/// # Panics
/// When the server refuses it.
pub async fn edit(site: &Site, id: i64, patch: Value) {
    // What the page is still sending may come in between: the edit is then made on what is there.
    for _ in 0..20 {
        let now = get(site, &format!("/projects/{id}")).await;
        let body = json!({"revision": now["revision"], "label": "edit", "patch": patch});
        let sent = reqwest::Client::new().patch(format!("{}/api/projects/{id}", site.address)).json(&body);
        let answer = sent.send().await.expect("an answer");
        let status = answer.status();
        if status.is_success() {
            return;
        }
        let text = answer.text().await.unwrap_or_default();
        assert!(status == reqwest::StatusCode::CONFLICT, "{text}");
    }
    panic!("something else kept editing project {id}");
}
