//! Page objects: what a person sees and does in each view.
mod bench;
mod loom;
mod view;

use serde_json::json;
use std::time::{Duration, Instant};
use thirtyfour::prelude::*;

/// A browser window on the application.
pub struct Window {
    pub driver: WebDriver,
    pub address: String,
}

impl Window {
    pub(crate) fn new(driver: WebDriver, address: String) -> Window {
        // The site ends the browser, also after a failure; waiting for it here would hang.
        let _ = driver.clone().leak();
        Window { driver, address }
    }

    /// Makes the page exactly so large.
    pub async fn fit(&self, width: u32, height: u32) -> WebDriverResult<()> {
        let metrics = json!({"width": width, "height": height, "deviceScaleFactor": 1, "mobile": false});
        self.driver.cdp().send_raw("Emulation.setDeviceMetricsOverride", metrics).await.map(drop)
    }

    /// Opens the first project and waits for its scene.
    pub async fn open(&self) -> WebDriverResult<()> {
        self.go("/projects/1").await?;
        self.until("the scene is open", async || {
            Ok(self.script("return document.querySelector('aside h1') && !document.body.innerText.includes('Opening…')").await?.as_bool() == Some(true))
        })
        .await
    }

    /// Goes to an address of the site.
    pub async fn go(&self, path: &str) -> WebDriverResult<()> {
        self.driver.goto(&format!("{}{path}", self.address)).await
    }

    /// Runs a script in the page.
    pub async fn script(&self, script: &str) -> WebDriverResult<serde_json::Value> {
        Ok(self.driver.execute(script, vec![]).await?.json().clone())
    }

    /// Waits until something is so, for ninety seconds at most: machines are slow at times.
    pub async fn until(
        &self,
        what: &str,
        so: impl AsyncFn() -> WebDriverResult<bool>,
    ) -> WebDriverResult<()> {
        let start = Instant::now();
        while start.elapsed() < Duration::from_secs(90) {
            if so().await.unwrap_or(false) {
                return Ok(());
            }
            tokio::time::sleep(Duration::from_millis(60)).await;
        }
        let text = self.script("return document.body.innerText").await?;
        panic!("never: {what}. On screen: {text}")
    }

    /// Presses the first button that is called so, by its words or its label.
    pub async fn press(&self, name: &str) -> WebDriverResult<()> {
        let found = format!(
            "const all = [...document.querySelectorAll('button, [role=switch], [role=option], [role=menuitem], [role=radio]')].filter(b => !b.disabled);
             const name = (b) => (b.getAttribute('aria-label') ?? b.textContent).trim();
             return all.find(b => name(b) === {name:?}) ?? all.find(b => name(b).startsWith({name:?}))"
        );
        self.until(&format!("there is a button \"{name}\""), async || {
            Ok(!self.script(&found).await?.is_null())
        })
        .await?;
        self.driver.execute(&found, vec![]).await?.element()?.click().await
    }

    /// Opens the project that is called so, and waits for one of its bodies.
    pub async fn project(&self, name: &str, body: &str) -> WebDriverResult<()> {
        let found =
            self.driver.execute("return (await (await fetch('/api/projects')).json())", vec![]).await?;
        let all = found.json().as_array().cloned().unwrap_or_default();
        let id = all.iter().find(|p| p["name"] == name).and_then(|p| p["id"].as_i64()).unwrap_or_default();
        self.go(&format!("/projects/{id}")).await?;
        self.until(&format!("{name} is open, with {body}"), async || {
            let said = self.script("return document.body.innerText").await?;
            Ok(said.as_str().is_some_and(|t| t.contains(body)))
        })
        .await
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
        let checks =
            std::fs::read_to_string(crate::site::project().join("web/node_modules/axe-core/axe.min.js"));
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

    pub async fn close(self) -> WebDriverResult<()> {
        self.driver.quit().await
    }
}
