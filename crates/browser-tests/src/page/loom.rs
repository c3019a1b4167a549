use super::Window;
use thirtyfour::prelude::*;

/// The strip: transport and lanes.
impl Window {
    /// Presses Run.
    pub async fn run(&self) -> WebDriverResult<()> {
        let button = "return [...document.querySelectorAll('section[aria-label=Loom] button')].find(b => b.textContent === 'Run' && !b.disabled)";
        self.until("Run can be pressed", async || Ok(!self.script(button).await?.is_null())).await?;
        self.driver.execute(button, vec![]).await?.element()?.click().await
    }

    /// What the lanes say, a line each.
    pub async fn lanes(&self) -> WebDriverResult<String> {
        let text = self.script("return [...document.querySelectorAll('section[aria-label=Loom] li button')].map(l => l.innerText.replace(/\\s+/g, ' ')).join('\\n')").await?;
        Ok(text.as_str().unwrap_or_default().to_owned())
    }

    /// Waits until a lane says this, to its end.
    pub async fn lanes_say(&self, words: &str) -> WebDriverResult<()> {
        let so = async || Ok(self.lanes().await?.lines().any(|l| l.trim_end().ends_with(words)));
        self.until(&format!("a lane says \"{words}\""), so).await
    }

    /// Waits until every frame of every body is true, and the lanes say so.
    pub async fn all_true(&self) -> WebDriverResult<()> {
        let script = "const told = await (await fetch(`/api${location.pathname}/lanes`)).json();
            return told.lanes.every((l) => l.stretches.every((s) => s.state === 'true'))";
        let so = async || {
            let lanes = self.lanes().await?;
            let said = ["up to date until", "not run", "out of date"].iter().all(|w| !lanes.contains(w));
            Ok(said && self.script(script).await?.as_bool() == Some(true))
        };
        self.until("all lanes are true", so).await
    }

    /// Waits until some frames of a run are there, and not yet all.
    pub async fn frames_come(&self) -> WebDriverResult<()> {
        self.until("frames come", async || Ok(self.lanes().await?.contains("up to date until"))).await
    }

    /// Where a frame is on the strip, in pixels of the page. The strip keeps 14 pixels on either side.
    async fn place(&self, frame: i64) -> WebDriverResult<(i64, i64)> {
        let script = format!(
            "const c = document.querySelector('[data-testid=loom]'); const r = c.getBoundingClientRect();
             const frame = document.querySelector('[role=slider][aria-label=Frame]');
             const [a, b] = [Number(frame.ariaValueMin), Number(frame.ariaValueMax)];
             return [Math.round(r.left + 14 + ({frame} - a) / (b - a) * (r.width - 28)), Math.round(r.top + 54)]"
        );
        let v = self.script(&script).await?;
        Ok((v[0].as_i64().unwrap_or(0), v[1].as_i64().unwrap_or(0)))
    }

    /// Drags on the strip from one frame to another.
    pub async fn scrub(&self, from: i64, to: i64) -> WebDriverResult<()> {
        let ((a, y), (b, _)) = (self.place(from).await?, self.place(to).await?);
        self.driver
            .action_chain()
            .move_to(a, y)
            .click_and_hold()
            .move_to((a + b) / 2, y)
            .move_to(b, y)
            .release()
            .perform()
            .await
    }

    /// Rests the pointer over a frame of the first lane and reads what is said there.
    pub async fn hover(&self, frame: i64) -> WebDriverResult<String> {
        let (x, y) = self.place(frame).await?;
        self.driver.action_chain().move_to(x, y - 20).move_to(x, y).perform().await?;
        let told =
            async || self.script("return document.querySelector('[role=tooltip]')?.innerText ?? ''").await;
        self.until("something is said there", async || Ok(told().await?.as_str() != Some(""))).await?;
        self.rest().await?;
        Ok(told().await?.as_str().unwrap_or_default().to_owned())
    }

    /// The frame number on the transport.
    pub async fn frame(&self) -> WebDriverResult<i64> {
        let text = self.script("return document.querySelector('[data-testid=frame]').value").await?;
        Ok(text.as_str().and_then(|t| t.parse().ok()).unwrap_or(-1))
    }
}
