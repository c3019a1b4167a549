use super::Window;
use thirtyfour::prelude::*;

/// The viewport.
impl Window {
    /// What is on screen, as `body:frame:state`.
    pub async fn shown(&self) -> WebDriverResult<String> {
        let text =
            self.script("return document.querySelector('[data-testid=view]').dataset.shown ?? ''").await?;
        Ok(text.as_str().unwrap_or_default().to_owned())
    }

    /// Waits until this is on screen.
    pub async fn shows(&self, what: &str) -> WebDriverResult<()> {
        self.until(&format!("{what} is on screen"), async || Ok(self.shown().await?.contains(what))).await
    }

    /// Where a point of a body is on the page.
    async fn place_of(&self, body: &str, point: usize) -> WebDriverResult<(i64, i64)> {
        let script = format!(
            "const r = document.querySelector('[data-testid=view]').getBoundingClientRect();
             const p = nematonStage.placeOf({body:?}, {point}); return [Math.round(r.left + p[0]), Math.round(r.top + p[1])]"
        );
        let v = self.script(&script).await?;
        Ok((v[0].as_i64().unwrap_or(0), v[1].as_i64().unwrap_or(0)))
    }

    /// Clicks a point of a body.
    pub async fn click_point(&self, body: &str, point: usize) -> WebDriverResult<()> {
        let (x, y) = self.place_of(body, point).await?;
        self.driver.action_chain().move_to(x, y).click().perform().await
    }

    /// Drags a box around two points of a body, with so many pixels to spare.
    pub async fn box_around(&self, body: &str, points: [usize; 2], spare: i64) -> WebDriverResult<()> {
        let ((a, b), (c, d)) = (self.place_of(body, points[0]).await?, self.place_of(body, points[1]).await?);
        let (x0, y0, x1, y1) = (a.min(c) - spare, b.min(d) - spare, a.max(c) + spare, b.max(d) + spare);
        self.driver
            .action_chain()
            .move_to(x0, y0)
            .click_and_hold()
            .move_to((x0 + x1) / 2, y1)
            .move_to(x1, y1)
            .release()
            .perform()
            .await
    }

    /// Drags from a point of a body, so many pixels up from it, so many more up.
    pub async fn drag_up(&self, body: &str, point: usize, from: i64, by: i64) -> WebDriverResult<()> {
        let (x, y) = self.place_of(body, point).await?;
        self.driver
            .action_chain()
            .move_to(x, y - from + 3)
            .move_to(x, y - from)
            .click_and_hold()
            .move_to(x, y - from - by / 2)
            .move_to(x, y - from - by)
            .release()
            .perform()
            .await
    }

    /// Drags over the view with a button, `left`, `middle` or `right`, by so many pixels.
    pub async fn drag_view(&self, button: &str, by: [i64; 2]) -> WebDriverResult<()> {
        let v = self
            .script("const r = document.querySelector('[data-testid=view]').getBoundingClientRect(); return [r.left + 0.3 * r.width, r.top + 0.8 * r.height]")
            .await?;
        let (x, y) = (v[0].as_f64().unwrap_or(0.0), v[1].as_f64().unwrap_or(0.0));
        let held = match button {
            "right" => 2,
            "middle" => 4,
            _ => 1,
        };
        // The driver's own chain of actions knows the left button alone.
        for (kind, share) in
            [("mousePressed", 0.0), ("mouseMoved", 0.5), ("mouseMoved", 1.0), ("mouseReleased", 1.0)]
        {
            let event = serde_json::json!({
                "type": kind, "button": button, "clickCount": 1,
                "buttons": if kind == "mouseReleased" { 0 } else { held },
                "x": x + share * by[0] as f64, "y": y + share * by[1] as f64,
            });
            self.driver.cdp().send_raw("Input.dispatchMouseEvent", event).await?;
        }
        Ok(())
    }

    /// Drags the arm that points up of what the arms of a body are on by so many pixels up; `then` may be a key that is
    /// pressed before letting go.
    pub async fn drag_arm_up(&self, by: i64, then: Option<Key>) -> WebDriverResult<()> {
        let v = self
            .script("const s = nematonStage, r = s.canvas.getBoundingClientRect(), p = (s.arms.on?.object ?? s.start).getWorldPosition(s.camera.position.clone()).project(s.camera); return [Math.round(r.left + (p.x + 1) / 2 * r.width), Math.round(r.top + (1 - p.y) / 2 * r.height)]")
            .await?;
        let (x, y) = (v[0].as_i64().unwrap_or(0), v[1].as_i64().unwrap_or(0) - 40);
        let start = self.driver.action_chain().move_to(x, y + 3).move_to(x, y);
        start.click_and_hold().move_to(x, y - by / 2).move_to(x, y - by).perform().await?;
        if let Some(key) = then {
            self.keys(key + "").await?;
        }
        self.driver.action_chain().release().perform().await
    }

    /// Clicks a place of the view, as a share of its width and height.
    pub async fn click_view(&self, x: f64, y: f64) -> WebDriverResult<()> {
        let script = format!(
            "const r = document.querySelector('[data-testid=view]').getBoundingClientRect(); return [Math.round(r.left + {x} * r.width), Math.round(r.top + {y} * r.height)]"
        );
        let v = self.script(&script).await?;
        let at = |k: usize| v[k].as_i64().unwrap_or(0);
        self.driver.action_chain().move_to(at(0), at(1)).click().perform().await
    }

    /// The chosen points, as the view marks them.
    pub async fn chosen(&self) -> WebDriverResult<Vec<u64>> {
        let v =
            self.script("return [...nematonStage.layers.values()].flatMap((l) => l.marks.chosen)").await?;
        Ok(v.as_array().into_iter().flatten().filter_map(serde_json::Value::as_u64).collect())
    }

    /// Where one looks from.
    pub async fn camera(&self) -> WebDriverResult<serde_json::Value> {
        self.script("return nematonStage.camera.position.toArray()").await
    }

    /// How much of the view is not its background: a picture of nothing has none.
    pub async fn picture(&self) -> WebDriverResult<Vec<u8>> {
        self.driver.find(By::Css("[aria-label='The view']")).await?.screenshot_as_png().await
    }
}
