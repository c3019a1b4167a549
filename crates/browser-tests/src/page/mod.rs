//! Page objects: what a person sees and does in each view.
mod bench;
mod loom;
mod view;

use crate::browser::{Browser, Browsers};
use crate::site::{is_slow, project};
use serde_json::{Value, json};
use std::path::PathBuf;
use std::sync::Arc;
use std::time::{Duration, Instant};
use thirtyfour::prelude::*;

/// How long it is from one look to the next at what is waited for: at first, and in the end.
const SOON: Duration = Duration::from_millis(40);
const LATE: Duration = Duration::from_millis(200);

/// A browser window on the application. One that is not closed in good order was left by a test that failed: it keeps
/// a picture of what it shows.
pub struct Window {
    pub driver: WebDriver,
    /// The site's.
    pub address: String,
    /// The project that it was opened on.
    pub id: i64,
    /// Where it saves files to.
    pub folder: PathBuf,
    /// How many pixels it is drawn with for one of the page's: the processor draws them, so journeys have few.
    pub pixels: f64,
    /// The test that it belongs to.
    test: String,
    browser: Option<Browser>,
    browsers: Arc<Browsers>,
}

/// Counts what a page is at: questions that are not answered, and what it will do within a second. Before any of its
/// own scripts.
const WATCH: &str = "
    const at = (globalThis.journey = { asked: 0, due: new Set() });
    const [fetch, later, never] = [globalThis.fetch, globalThis.setTimeout, globalThis.clearTimeout];
    globalThis.fetch = (...a) => (at.asked++, fetch(...a).finally(() => at.asked--));
    globalThis.setTimeout = (f, ms, ...a) => {
        const id = later((...b) => (at.due.delete(id), typeof f === 'function' && f(...b)), ms, ...a);
        if ((ms ?? 0) <= 1000) at.due.add(id);
        return id;
    };
    globalThis.clearTimeout = (id) => (at.due.delete(id), never(id));";

/// Answers when the page is at nothing any more and has been drawn since, or after two seconds.
const REST: &str = "
    const [done, start] = [arguments[0], performance.now()];
    const moves = () => document.getAnimations().some((a) => a.playState === 'running' && a.effect?.getTiming().iterations !== Infinity);
    const eye = () => globalThis.nematonStage?.camera?.position.toArray().join() ?? '';
    let [quiet, seen] = [0, eye()];
    const look = () => {
        const now = eye();
        quiet = journey.asked > 0 || journey.due.size > 0 || moves() || now !== seen ? 0 : quiet + 1;
        seen = now;
        if (quiet > 3 || performance.now() - start > 2000) done(quiet > 3);
        else requestAnimationFrame(look);
    };
    requestAnimationFrame(look);";

impl Window {
    /// A window on a project of a site, in a browser that has none open.
    pub(crate) fn new(browser: Browser, browsers: Arc<Browsers>, address: String, id: i64) -> Window {
        let test = std::thread::current().name().unwrap_or("window").replace("::", "-");
        let (driver, folder) = (browser.driver.clone(), browser.folder.clone());
        Window { driver, address, id, folder, pixels: 0.3, test, browser: Some(browser), browsers }
    }

    /// What has to be there before a page is.
    pub(crate) async fn prepare(&self) -> WebDriverResult<()> {
        let cdp = self.driver.cdp();
        if self.browser.as_ref().is_some_and(|b| b.is_new) {
            cdp.send_raw("Page.enable", json!({})).await?;
            cdp.send_raw("Page.addScriptToEvaluateOnNewDocument", json!({"source": WATCH})).await?;
            if is_slow("page") {
                cdp.send_raw("Emulation.setCPUThrottlingRate", json!({"rate": 6})).await?;
            }
        }
        // Nothing is remembered of the journey before.
        cdp.send_raw("Network.enable", json!({})).await?;
        let free = json!({"offline": false, "latency": 0, "downloadThroughput": -1, "uploadThroughput": -1});
        cdp.send_raw("Network.emulateNetworkConditions", free).await?;
        let all = json!({"origin": self.address, "storageTypes": "all"});
        cdp.send_raw("Storage.clearDataForOrigin", all).await?;
        Ok(())
    }

    /// Waits until the page is at nothing: no question is open, nothing is due, nothing moves, and it was drawn since.
    /// What is not there by then was not begun.
    pub async fn rest(&self) -> WebDriverResult<()> {
        self.driver.execute_async(REST, vec![]).await.map(drop)
    }

    /// An address of the server about the project that the window was opened on.
    pub fn at(&self, path: &str) -> String {
        format!("/projects/{}{path}", self.id)
    }

    /// Makes the page exactly so large.
    pub async fn fit(&self, width: u32, height: u32) -> WebDriverResult<()> {
        let metrics =
            json!({"width": width, "height": height, "deviceScaleFactor": self.pixels, "mobile": false});
        self.driver.cdp().send_raw("Emulation.setDeviceMetricsOverride", metrics).await.map(drop)
    }

    /// Opens its project and waits for its scene.
    pub async fn open(&self) -> WebDriverResult<()> {
        self.go(&self.at("")).await?;
        self.until("the scene is open", async || {
            Ok(self.script("return document.querySelector('aside h1') && !document.body.innerText.includes('Opening…')").await?.as_bool() == Some(true))
        })
        .await
    }

    /// Goes to an address of the site.
    pub async fn go(&self, path: &str) -> WebDriverResult<()> {
        self.go_to(&format!("{}{path}", self.address)).await
    }

    async fn go_to(&self, address: &str) -> WebDriverResult<()> {
        self.driver.goto(address).await
    }

    /// Runs a script in the page. What it reads may be on its way, as a body that is drawn anew: it is asked for again then.
    pub async fn script(&self, script: &str) -> WebDriverResult<serde_json::Value> {
        for _ in 0..40 {
            match self.driver.execute(script, vec![]).await {
                Err(e) if e.to_string().contains("Cannot read properties of") => {
                    tokio::time::sleep(LATE).await;
                }
                done => return Ok(done?.json().clone()),
            }
        }
        Ok(self.driver.execute(script, vec![]).await?.json().clone())
    }

    /// Waits until something is so, for two minutes at most: machines are slow at times.
    ///
    /// # Panics
    /// When it never is, with what is on screen.
    pub async fn until(
        &self,
        what: &str,
        so: impl AsyncFn() -> WebDriverResult<bool>,
    ) -> WebDriverResult<()> {
        let start = Instant::now();
        let most = Duration::from_secs(if is_slow("worker") || is_slow("page") { 900 } else { 120 });
        let mut last = None;
        while start.elapsed() < most {
            match so().await {
                Ok(true) => return Ok(()),
                Ok(false) => last = None,
                Err(e) => last = Some(e.to_string()),
            }
            // To ask takes as much of the machine as what is waited for: what takes long is asked for less often.
            tokio::time::sleep((start.elapsed() / 8).clamp(SOON, LATE)).await;
        }
        let text = self.script("return [document.querySelector('[data-testid=view]')?.dataset.shown ?? 'no view', document.body.innerText].join('\\n')").await?;
        panic!(
            "never: {what}. {}On screen: {}",
            last.map_or(String::new(), |e| format!("Asked, it said: {e}. ")),
            text.as_str().unwrap_or_default()
        )
    }

    /// Presses the first button that is called so, by its words or its label.
    pub async fn press(&self, name: &str) -> WebDriverResult<()> {
        let found = format!(
            "const all = [...document.querySelectorAll('button, [role=switch], [role=option], [role=menuitem], [role=radio]')].filter(b => !b.disabled);
             const name = (b) => (b.getAttribute('aria-label') ?? b.textContent).trim();
             const found = all.find(b => name(b) === {name:?}) ?? all.find(b => name(b).startsWith({name:?}));
             // One at the rim of a list that scrolls is brought in, as a hand would.
             const at = found?.getBoundingClientRect();
             if (at && !found.contains(document.elementFromPoint(at.x + at.width / 2, at.y + at.height / 2))) found.scrollIntoView({{ block: 'center' }});
             return found"
        );
        self.until(&format!("there is a button \"{name}\""), async || {
            Ok(!self.script(&found).await?.is_null())
        })
        .await?;
        self.driver.execute(&found, vec![]).await?.element()?.click().await
    }

    /// Opens a copy of the demo's project of that name, waits for one of its bodies, and tells which project it is.
    pub async fn project(&self, site: &crate::Site, name: &str, body: &str) -> WebDriverResult<i64> {
        let id = site.copy(name).await;
        self.go(&format!("/projects/{id}")).await?;
        self.until(&format!("{name} is open, with {body}"), async || {
            let said = self.script("return document.body.innerText").await?;
            Ok(said.as_str().is_some_and(|t| t.contains(body)))
        })
        .await?;
        Ok(id)
    }

    /// Chooses one of a few words.
    pub async fn choose(&self, label: &str, option: &str) -> WebDriverResult<()> {
        self.press(label).await?;
        self.press(option).await
    }

    /// Presses keys, as on no field in particular.
    pub async fn keys(&self, keys: impl Into<TypingData>) -> WebDriverResult<()> {
        self.driver.action_chain().send_keys(keys).perform().await
    }

    /// Presses a key with Ctrl.
    pub async fn ctrl(&self, key: char) -> WebDriverResult<()> {
        self.driver
            .action_chain()
            .key_down(Key::Control)
            .send_keys(key.to_string())
            .key_up(Key::Control)
            .perform()
            .await
    }

    /// The words of the message that is shown, empty where there is none.
    pub async fn message(&self) -> WebDriverResult<String> {
        let text =
            self.script("return document.querySelector('[data-testid=message]')?.innerText ?? ''").await?;
        Ok(text.as_str().unwrap_or_default().to_owned())
    }

    /// Waits for a message with these words.
    pub async fn message_with(&self, words: &str) -> WebDriverResult<()> {
        self.until(&format!("a message with \"{words}\""), async || Ok(self.message().await?.contains(words)))
            .await
    }

    /// Waits until these words are somewhere on screen.
    pub async fn says(&self, words: &str) -> WebDriverResult<()> {
        self.until(&format!("somewhere it says \"{words}\""), async || {
            let said = self.script("return document.body.innerText").await?;
            Ok(said.as_str().is_some_and(|t| t.contains(words)))
        })
        .await
    }

    /// Does something with a thing of the bench or the page of projects, by its name.
    pub async fn more(&self, thing: &str, action: &str) -> WebDriverResult<()> {
        self.press(&format!("More for {thing}")).await?;
        self.press(action).await
    }

    /// The violations that axe finds within what a selector finds, or in the whole `document`, a line each. What lies
    /// behind an open list or dialog is not part of it.
    ///
    /// # Panics
    /// When the checks are not installed.
    pub async fn axe(&self, within: &str) -> WebDriverResult<String> {
        let checks = std::fs::read_to_string(project().join("web/node_modules/axe-core/axe.min.js"));
        self.driver.execute(checks.expect("axe-core, from the page's packages"), vec![]).await?;
        let found = self
            .driver
            .execute_async(
                "const done = arguments[arguments.length - 1];
                 axe.run(arguments[0] === 'document' ? document : arguments[0], { resultTypes: ['violations'] }).then((r) => done(r.violations.flatMap((v) => v.nodes.map((n) => `${v.id}: ${n.target} ${n.failureSummary}`)).join('\\n')), (e) => done(String(e)))",
                vec![json!(within)],
            )
            .await?;
        Ok(found.json().as_str().unwrap_or_default().to_owned())
    }

    /// Ends it in good order: its browser is there for the next.
    pub async fn close(mut self) -> WebDriverResult<()> {
        self.go_to("about:blank").await?;
        if let Some(browser) = self.browser.take() {
            self.browsers.give_back(browser);
        }
        Ok(())
    }
}

impl Drop for Window {
    fn drop(&mut self) {
        let Some(browser) = &self.browser else { return };
        // On a thread of its own: this one is about to end its test, and can't wait for an answer.
        let asked = format!("{}/session/{}/screenshot", browser.address, self.driver.session_id());
        let to = project().join(".build/failed").join(format!("{}.png", self.test));
        let kept = std::thread::spawn(move || keep_picture(&asked, &to)).join();
        if let Ok(Some(path)) = kept {
            eprintln!("What it showed: {}", path.display());
        }
    }
}

/// Keeps a picture of a session, where it still has one.
fn keep_picture(asked: &str, to: &std::path::Path) -> Option<PathBuf> {
    let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build().ok()?;
    let told: Value = runtime.block_on(async {
        let client = reqwest::Client::builder().timeout(Duration::from_secs(20)).build().ok()?;
        client.get(asked).send().await.ok()?.json().await.ok()
    })?;
    let bytes = base64::Engine::decode(&base64::prelude::BASE64_STANDARD, told["value"].as_str()?).ok()?;
    std::fs::create_dir_all(to.parent()?).ok()?;
    std::fs::write(to, bytes).ok()?;
    std::fs::canonicalize(to).ok()
}
