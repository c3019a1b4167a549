//! A server on a database of its own, and browsers on it.
use crate::browser::Browsers;
use crate::{Window, ask, get};
use nematon_store::Store;
use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicU32, Ordering::Relaxed};
use std::sync::{LazyLock, Mutex, PoisonError};
use thirtyfour::prelude::*;

/// What journeys run against. Everything it started ends with it.
pub struct Site {
    server: Mutex<Child>,
    share: f64,
    /// The folder of the scenes that it loads.
    demo: PathBuf,
    pub address: String,
    pub database: String,
    copies: AtomicU32,
}

/// The project's own folder.
pub fn project() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn setting(name: &str, otherwise: &str) -> PathBuf {
    std::env::var_os(name).map_or_else(|| project().join(otherwise), PathBuf::from)
}

/// What the tests are asked to slow down: `NEMATON_TEST_SLOW=worker`, `page`, or both with a comma. Journeys must pass
/// on machines of any pace.
pub fn is_slow(what: &str) -> bool {
    std::env::var("NEMATON_TEST_SLOW").is_ok_and(|all| all.split(',').any(|w| w == what))
}

impl Site {
    /// Starts a server with the demo loaded, whose worker computes in a `share` of the time. Its scenes are without
    /// scenery, which takes half of the drawing, and without views to open with: journeys begin at the first frame.
    ///
    /// # Panics
    /// When it can't: a test can't go on.
    pub async fn start(share: f64) -> Site {
        Site::start_on(bare(), share).await
    }

    /// The same with the demo as it is.
    ///
    /// # Panics
    /// As `start`.
    pub async fn start_whole() -> Site {
        Site::start_on(project().join("demo"), 1.0).await
    }

    async fn start_on(demo: PathBuf, share: f64) -> Site {
        let url = std::env::var("NEMATON_TEST_DATABASE")
            .expect("run ./test: it starts the database that this needs");
        let (_, database) = Store::open_fresh(&url).await.expect("a database of its own");
        let (server, address) = serve(&database, 0, share, &demo);
        Site { share, demo, server: Mutex::new(server), address, database, copies: AtomicU32::new(0) }
    }

    /// Kills the server, as a crash would, and starts it again at the same port.
    ///
    /// # Panics
    /// When it does not start again.
    pub fn crash(&self) {
        let mut server = self.server.lock().unwrap_or_else(PoisonError::into_inner);
        let _ = server.kill();
        let _ = server.wait();
        let port = self.address.rsplit(':').next().and_then(|p| p.parse().ok()).unwrap_or(0);
        *server = serve(&self.database, port, self.share, &self.demo).0;
    }

    /// A copy of a project of the demo under the same name, and which it is. Its gravity is another in the sixth digit:
    /// frames are known by what goes into them, so that those of another journey would be its own.
    ///
    /// # Panics
    /// When there is none of that name.
    pub async fn copy(&self, name: &str) -> i64 {
        let all = get(self, "/projects").await;
        let found = all.as_array().and_then(|all| all.iter().find(|p| p["name"] == name));
        let id = found.and_then(|p| p["id"].as_i64()).expect("a project of that name");
        let mut scene = get(self, &format!("/projects/{id}")).await["scene"].clone();
        // As many sub-steps whatever they do: a journey is about the page.
        scene["frames"]["substeps"] = json!(10);
        let nth = 1 + self.copies.fetch_add(1, Relaxed);
        for field in scene["fields"].as_object_mut().into_iter().flat_map(|all| all.values_mut()) {
            if let Some(strength) = field.pointer_mut("/act/gravity/strength") {
                *strength = json!(strength.as_f64().unwrap_or(9.81) + 2e-6 * f64::from(nth));
            }
        }
        let told = ask(self, "/projects", &json!({"scene": scene})).await;
        told["id"].as_i64().unwrap_or_else(|| panic!("no copy of {name}: {told}"))
    }

    /// A browser window of 1280x800 on a project of its own, or on the `first` itself.
    ///
    /// # Errors
    /// When Chromium or its driver fails.
    pub async fn window(&self, first: bool) -> WebDriverResult<Window> {
        let id = if first { 1 } else { self.copy("Thistledown Relay").await };
        let browsers = Browsers::shared();
        let browser = browsers.one().await?;
        let window = Window::new(browser, browsers, self.address.clone(), id);
        window.prepare().await?;
        window.fit(1280, 800).await?;
        window.open().await?;
        Ok(window)
    }
}

impl Drop for Site {
    fn drop(&mut self) {
        let server = self.server.get_mut().unwrap_or_else(PoisonError::into_inner);
        let _ = server.kill();
        let _ = server.wait();
    }
}

/// A copy of the demo's folder whose scenes have no scenery and no cameras; made once.
fn bare() -> PathBuf {
    static MADE: LazyLock<PathBuf> = LazyLock::new(|| {
        let from = project().join("demo");
        let to = project().join(".build/bare-demo");
        let _ = std::fs::remove_dir_all(&to);
        std::fs::create_dir_all(&to).expect("a folder for the demo");
        for file in std::fs::read_dir(&from).expect("the demo's folder").flatten() {
            let (path, copy) = (file.path(), to.join(file.file_name()));
            // Nor are takes of anybody's in it.
            if path.to_string_lossy().ends_with(".takes.json") {
                continue;
            }
            if path.extension().is_some_and(|e| e == "json") {
                let text = std::fs::read_to_string(&path).expect("a scene");
                let mut scene: Value = serde_json::from_str(&text).expect("JSON");
                if let Some(scene) = scene.as_object_mut() {
                    scene.remove("cameras");
                    if let Some(figures) = scene.get_mut("figures").and_then(Value::as_object_mut) {
                        figures.retain(|_, f| f["scenery"] != true);
                    }
                }
                std::fs::write(copy, scene.to_string()).expect("a scene of its own");
            } else if path.is_file() {
                std::fs::copy(path, copy).expect("a file of its own");
            }
        }
        to
    });
    MADE.clone()
}

fn serve(database: &str, port: u16, share: f64, demo: &Path) -> (Child, String) {
    let mut serve = Command::new(setting("NEMATON_PROGRAM", "target/release/nematon"));
    serve.args(["serve", "--database", database, "--port", &port.to_string()]);
    serve.arg("--web").arg(setting("NEMATON_WEB", "web/dist")).arg("--demo").arg(demo);
    let share = if is_slow("worker") { 0.1 * share } else { share };
    serve.args(["--share", &share.max(0.01).to_string()]);
    let mut server = serve.stdout(Stdio::piped()).spawn().expect("the nematon program: build it first");
    let out = server.stdout.take().expect("its output");
    let mut lines = BufReader::new(out).lines();
    let address = lines
        .find_map(|l| l.ok()?.strip_prefix("Nematon is at ").map(str::to_owned))
        .expect("the server tells its address");
    (server, address)
}

/// A port that nobody has just now.
pub fn free_port() -> u16 {
    let socket = std::net::TcpListener::bind(("127.0.0.1", 0)).and_then(|l| l.local_addr());
    socket.map(|a| a.port()).expect("a free port")
}
