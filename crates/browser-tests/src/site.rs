//! A server on a database of its own, and browsers on it.
use crate::{Window, ask, get};
use nematon_store::Store;
use serde_json::json;
use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicU32, Ordering::Relaxed};
use std::sync::{Mutex, PoisonError};
use std::time::Duration;
use thirtyfour::prelude::*;

/// What journeys run against. Everything it started ends with it.
pub struct Site {
    server: Mutex<Child>,
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
    /// Starts a server with the demo loaded.
    ///
    /// # Panics
    /// When it can't: a test can't go on.
    pub async fn start() -> Site {
        let url = std::env::var("NEMATON_TEST_DATABASE")
            .expect("run ./test: it starts the database that this needs");
        let (_, database) = Store::open_fresh(&url).await.expect("a database of its own");
        let (server, address) = serve(&database, 0);
        Site { server: Mutex::new(server), address, database, copies: AtomicU32::new(0) }
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
        *server = serve(&self.database, port).0;
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
        let nth = 1 + self.copies.fetch_add(1, Relaxed);
        for field in scene["fields"].as_object_mut().into_iter().flat_map(|all| all.values_mut()) {
            if let Some(strength) = field["act"]["gravity"].get_mut("strength") {
                *strength = json!(strength.as_f64().unwrap_or(9.81) + 2e-6 * f64::from(nth));
            }
        }
        ask(self, "/projects", &json!({"scene": scene})).await["id"].as_i64().expect("a copy")
    }

    /// A browser window of 1280x800 on a project of its own, or on the `first` itself.
    ///
    /// # Errors
    /// When Chromium or its driver fails.
    pub async fn window(&self, first: bool) -> WebDriverResult<Window> {
        let browser = Browser::start().await;
        let mut caps = DesiredCapabilities::chrome();
        caps.set_binary("/usr/bin/chromium")?;
        let profile = browser.folder.join("profile");
        for arg in [
            "--headless=new",
            "--no-sandbox",
            "--use-angle=swiftshader",
            "--enable-unsafe-swiftshader",
            "--ignore-gpu-blocklist",
            "--disable-dev-shm-usage",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--hide-scrollbars",
            "--window-size=1280,800",
            &format!("--user-data-dir={}", profile.display()),
        ] {
            caps.add_arg(arg)?;
        }
        caps.add_experimental_option(
            "prefs",
            json!({"download.default_directory": browser.folder, "download.prompt_for_download": false}),
        )?;
        let mut tries = 0;
        let driver = loop {
            match WebDriver::new(&browser.address, caps.clone()).await {
                Ok(d) => break d,
                Err(e) if tries > 200 => return Err(e),
                Err(_) => tries += 1,
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        };
        let id = if first { 1 } else { self.copy("Thistledown Relay").await };
        let window = Window::new(driver, browser, self.address.clone(), id);
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

/// A browser's driver, with a folder for its profile and for what it saves.
pub(crate) struct Browser {
    driver: Child,
    pub(crate) address: String,
    pub(crate) folder: PathBuf,
}

impl Browser {
    async fn start() -> Browser {
        let port = free_port();
        let driver = Command::new("/usr/bin/chromedriver")
            .arg(format!("--port={port}"))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .expect("chromedriver, from Debian's package chromium-driver");
        let folder = std::env::temp_dir().join(format!("nematon-{}-{port}", std::process::id()));
        std::fs::create_dir_all(&folder).expect("a folder of its own");
        Browser { driver, address: format!("http://127.0.0.1:{port}"), folder }
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        let _ = self.driver.kill();
        let _ = self.driver.wait();
        // A driver that ends may leave its browser behind, and that draws on for ever: it is told by its profile.
        end_all(&self.folder);
        let _ = std::fs::remove_dir_all(&self.folder);
    }
}

/// Ends every process that was started with a folder's path.
fn end_all(folder: &Path) {
    let path = folder.display().to_string();
    let told = |pid: &str| {
        std::fs::read(format!("/proc/{pid}/cmdline"))
            .is_ok_and(|words| String::from_utf8_lossy(&words).contains(&path))
    };
    let pids: Vec<String> = std::fs::read_dir("/proc")
        .into_iter()
        .flatten()
        .filter_map(|e| e.ok()?.file_name().into_string().ok())
        .filter(|name| name.chars().all(|c| c.is_ascii_digit()) && told(name))
        .collect();
    if !pids.is_empty() {
        // The shell's own kill: the program of that name is not on every machine.
        let _ = Command::new("bash")
            .args(["-c", "kill -9 \"$@\"", "kill"])
            .args(&pids)
            .stderr(Stdio::null())
            .status();
    }
}

fn serve(database: &str, port: u16) -> (Child, String) {
    let mut serve = Command::new(setting("NEMATON_PROGRAM", "target/release/nematon"));
    serve.args(["serve", "--database", database, "--port", &port.to_string()]);
    serve.arg("--web").arg(setting("NEMATON_WEB", "web/dist")).arg("--demo").arg(project().join("demo"));
    if is_slow("worker") {
        serve.args(["--share", "0.1"]);
    }
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
