//! Browsers, each for one journey after another: one that has drawn a page is quick to draw the next.
use serde_json::json;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::{Arc, Mutex, PoisonError, Weak};
use std::time::Duration;
use thirtyfour::prelude::*;

/// A browser and its driver, with a folder for its profile and for what it saves. Both end with it.
pub(crate) struct Browser {
    pub driver: WebDriver,
    /// Of its driver.
    pub address: String,
    pub folder: PathBuf,
    /// Whether no journey has had it yet.
    pub is_new: bool,
    _ends: Ends,
}

/// Ends a driver with its browser, and takes their folder away.
struct Ends {
    process: Child,
    folder: PathBuf,
}

/// Those that no journey has now. They end with the last who may ask for one.
#[derive(Default)]
pub(crate) struct Browsers(Mutex<Vec<Browser>>);

static SHARED: Mutex<Weak<Browsers>> = Mutex::new(Weak::new());

impl Browsers {
    pub fn shared() -> Arc<Browsers> {
        let mut shared = SHARED.lock().unwrap_or_else(PoisonError::into_inner);
        shared.upgrade().unwrap_or_else(|| {
            let all = Arc::default();
            *shared = Arc::downgrade(&all);
            all
        })
    }

    fn free(&self) -> std::sync::MutexGuard<'_, Vec<Browser>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// One that is free, or a new one.
    pub async fn one(&self) -> WebDriverResult<Browser> {
        let free = self.free().pop();
        match free {
            Some(browser) => Ok(browser),
            None => Browser::start().await,
        }
    }

    pub fn give_back(&self, mut browser: Browser) {
        browser.is_new = false;
        // What it saved was the journey's.
        for file in std::fs::read_dir(&browser.folder).into_iter().flatten().flatten() {
            if file.file_name() != PROFILE {
                let _ = std::fs::remove_file(file.path());
            }
        }
        self.free().push(browser);
    }
}

/// The folder of a browser's profile, in its own.
const PROFILE: &str = "profile";

impl Browser {
    async fn start() -> WebDriverResult<Browser> {
        let port = crate::site::free_port();
        let folder = std::env::temp_dir().join(format!("nematon-{}-{port}", std::process::id()));
        std::fs::create_dir_all(&folder).expect("a folder of its own");
        let process = Command::new("/usr/bin/chromedriver")
            .arg(format!("--port={port}"))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .expect("chromedriver, from Debian's package chromium-driver");
        let ends = Ends { process, folder: folder.clone() };
        let mut caps = DesiredCapabilities::chrome();
        caps.set_binary("/usr/bin/chromium")?;
        let profile = folder.join(PROFILE);
        for arg in [
            "--headless=new",
            "--no-sandbox",
            "--use-angle=swiftshader",
            "--enable-unsafe-swiftshader",
            "--ignore-gpu-blocklist",
            // Only the view is drawn as by a graphics card; to paint and join all of the page so in software takes a third
            // of a journey's time.
            "--disable-gpu-compositing",
            "--disable-gpu-rasterization",
            "--disable-dev-shm-usage",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--disable-extensions",
            "--disable-default-apps",
            "--disable-breakpad",
            "--disable-features=Translate,MediaRouter,OptimizationHints",
            "--hide-scrollbars",
            "--window-size=1280,800",
            &format!("--user-data-dir={}", profile.display()),
        ] {
            caps.add_arg(arg)?;
        }
        caps.add_experimental_option(
            "prefs",
            json!({"download.default_directory": folder, "download.prompt_for_download": false}),
        )?;
        let address = format!("http://127.0.0.1:{port}");
        let mut tries = 0;
        let driver = loop {
            match WebDriver::new(&address, caps.clone()).await {
                Ok(d) => break d,
                Err(e) if tries > 200 => return Err(e),
                Err(_) => tries += 1,
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        };
        // It ends with its process; waiting for it to say goodbye would hang after a failure.
        let _ = driver.clone().leak();
        Ok(Browser { driver, address, folder, is_new: true, _ends: ends })
    }
}

impl Drop for Ends {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
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
