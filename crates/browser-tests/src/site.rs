//! A server of its own, on a database of its own, with a browser.
use crate::Window;
use nematon_store::Store;
use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::Duration;
use thirtyfour::prelude::*;

/// What a journey runs against. Everything it started ends with it.
pub struct Site {
    server: Child,
    chromedrivers: Vec<Child>,
    pub address: String,
    pub database: String,
    pub folder: PathBuf,
}

/// The project's own folder.
pub fn project() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn setting(name: &str, otherwise: &str) -> PathBuf {
    std::env::var_os(name).map_or_else(|| project().join(otherwise), PathBuf::from)
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
        let folder =
            std::env::temp_dir().join(format!("nematon-{}", database.rsplit('/').next().unwrap_or("site")));
        std::fs::create_dir_all(&folder).expect("a folder of its own");
        let (server, address) = serve(&database, 0);
        Site { server, chromedrivers: vec![], address, database, folder }
    }

    /// Kills the server, as a crash would, and starts it again at the same port.
    ///
    /// # Panics
    /// When it does not start again.
    pub fn crash(&mut self) {
        let _ = self.server.kill();
        let _ = self.server.wait();
        let port = self.address.rsplit(':').next().and_then(|p| p.parse().ok()).unwrap_or(0);
        (self.server, self.address) = serve(&self.database, port);
    }

    /// A browser window of 1280x800 on the server's first page.
    ///
    /// # Errors
    /// When Chromium or its driver fails.
    pub async fn window(&mut self) -> WebDriverResult<Window> {
        let port = free_port();
        let driver = Command::new("/usr/bin/chromedriver")
            .arg(format!("--port={port}"))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .expect("chromedriver, from Debian's package chromium-driver");
        self.chromedrivers.push(driver);
        let mut caps = DesiredCapabilities::chrome();
        caps.set_binary("/usr/bin/chromium")?;
        let profile = self.folder.join(format!("profile-{port}"));
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
            serde_json::json!({"download.default_directory": self.folder, "download.prompt_for_download": false}),
        )?;
        let mut tries = 0;
        let driver = loop {
            match WebDriver::new(&format!("http://127.0.0.1:{port}"), caps.clone()).await {
                Ok(d) => break d,
                Err(e) if tries > 50 => return Err(e),
                Err(_) => tries += 1,
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
        };
        let window = Window::new(driver, self.address.clone());
        window.fit(1280, 800).await?;
        window.open().await?;
        Ok(window)
    }
}

impl Drop for Site {
    fn drop(&mut self) {
        let _ = self.server.kill();
        let _ = self.server.wait();
        for driver in &mut self.chromedrivers {
            let _ = driver.kill();
            let _ = driver.wait();
        }
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
    let mut server = Command::new(setting("NEMATON_PROGRAM", "target/release/nematon"))
        .args(["serve", "--database", database, "--port", &port.to_string()])
        .arg("--web")
        .arg(setting("NEMATON_WEB", "web/dist"))
        .arg("--demo")
        .arg(project().join("demo"))
        .stdout(Stdio::piped())
        .spawn()
        .expect("the nematon program: build it first");
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
