use super::Window;
use std::path::Path;
use thirtyfour::prelude::*;

/// The steps and what stands on the bench.
impl Window {
    /// Chooses a step by its knot.
    pub async fn step(&self, name: &str) -> WebDriverResult<()> {
        self.driver.find(By::Css(format!("nav [aria-label^='{name},']"))).await?.click().await?;
        self.until(&format!("step {name} is open"), async || {
            Ok(self.driver.find(By::Css("aside h1")).await?.inner_html().await? == name)
        })
        .await
    }

    /// Opens a thing on the bench by its name.
    pub async fn open_row(&self, name: &str) -> WebDriverResult<()> {
        let found = format!(
            "return [...document.querySelectorAll('aside button[aria-expanded=false]')].find(b => b.innerText.startsWith({name:?}))"
        );
        self.until(&format!("there is \"{name}\" on the bench"), async || {
            Ok(!self.script(&found).await?.is_null())
        })
        .await?;
        self.driver.execute(&found, vec![]).await?.element()?.click().await
    }

    /// Types a value into the field of a JSON Pointer and enters it.
    pub async fn set(&self, path: &str, value: &str) -> WebDriverResult<()> {
        // What was just added may not be drawn yet.
        let field = self.driver.query(By::Css(format!("[data-path='{path}']"))).first().await?;
        field.scroll_into_view().await?;
        // A page that is slow to draw may take the first key before it has taken the field.
        for _ in 0..4 {
            field.click().await?;
            self.ctrl('a').await?;
            field.send_keys(value).await?;
            if self.value(path).await? == value {
                break;
            }
        }
        field.send_keys(Key::Enter + "").await
    }

    /// Types into a field and enters nothing.
    pub async fn type_into(&self, path: &str, value: &str) -> WebDriverResult<()> {
        // What was just added may not be drawn yet.
        let field = self.driver.query(By::Css(format!("[data-path='{path}']"))).first().await?;
        field.scroll_into_view().await?;
        field.click().await?;
        self.ctrl('a').await?;
        field.send_keys(value).await
    }

    /// Drags a number by its handle, so many pixels, and says when the pointer is still down.
    pub async fn drag_number(&self, path: &str, by: i64, then: Option<Key>) -> WebDriverResult<()> {
        let script = format!(
            "const f = document.querySelector(\"[data-path='{path}']\"); f.scrollIntoView({{block: 'center'}}); const r = f.previousSibling.getBoundingClientRect(); return [Math.round(r.left + r.width / 2), Math.round(r.top + r.height / 2)]"
        );
        let v = self.script(&script).await?;
        let (x, y) = (v[0].as_i64().unwrap_or(0), v[1].as_i64().unwrap_or(0));
        let chain = self
            .driver
            .action_chain()
            .move_to(x, y)
            .click_and_hold()
            .move_to(x + by / 2, y)
            .move_to(x + by, y);
        match then {
            Some(key) => chain.send_keys(key).release().perform().await,
            None => chain.release().perform().await,
        }
    }

    /// What a field shows.
    pub async fn value(&self, path: &str) -> WebDriverResult<String> {
        let v = self
            .script(&format!("return document.querySelector(\"[data-path='{path}']\")?.value ?? ''"))
            .await?;
        Ok(v.as_str().unwrap_or_default().to_owned())
    }

    /// Waits until a field shows a value.
    pub async fn has(&self, path: &str, value: &str) -> WebDriverResult<()> {
        self.until(&format!("{path} is {value}"), async || Ok(self.value(path).await? == value)).await
    }

    /// The words of the bench.
    pub async fn bench(&self) -> WebDriverResult<String> {
        self.driver.find(By::Css("aside")).await?.text().await
    }

    /// Waits until the bench says this.
    pub async fn bench_says(&self, words: &str) -> WebDriverResult<()> {
        self.until(&format!("the bench says \"{words}\""), async || Ok(self.bench().await?.contains(words)))
            .await
    }

    /// Gives a file to "Bring in a mesh".
    pub async fn bring_in(&self, file: &Path) -> WebDriverResult<()> {
        let path = file.to_string_lossy().into_owned();
        self.driver.find(By::Css("#mesh-file")).await?.send_keys(path).await
    }

    /// Gives a file to "As a mesh", of plants.
    pub async fn bring_in_plant(&self, file: &Path) -> WebDriverResult<()> {
        let path = file.to_string_lossy().into_owned();
        self.driver.find(By::Css("#plant-file")).await?.send_keys(path).await
    }

    /// Gives a file to one of the ways of adding a collider: `mesh` or `hull`.
    pub async fn bring_in_collider(&self, file: &Path, kind: &str) -> WebDriverResult<()> {
        let path = file.to_string_lossy().into_owned();
        self.driver.find(By::Css(format!("#collider-{kind}"))).await?.send_keys(path).await
    }

    /// Turns a switch by its name.
    pub async fn turn(&self, name: &str) -> WebDriverResult<()> {
        self.driver.find(By::Css(format!("[aria-label=\"{name}\"]"))).await?.click().await
    }

    /// Does an action by its name, through the command line.
    pub async fn command(&self, name: &str) -> WebDriverResult<()> {
        self.ctrl('k').await?;
        let line = self.driver.query(By::Css("[aria-label='What to do']")).first().await?;
        line.send_keys(name.to_owned() + Key::Enter).await
    }

    /// Begins an empty project of a name.
    pub async fn new_project(&self, name: &str) -> WebDriverResult<()> {
        self.command("New project").await?;
        let field = self.driver.query(By::Css("[aria-label='Name of the new project']")).first().await?;
        self.ctrl('a').await?;
        field.send_keys(name.to_owned() + Key::Enter).await?;
        self.until("it is open", async || {
            let said =
                self.script("return document.querySelector('[data-testid=project-name]')?.innerText").await?;
            Ok(said.as_str().is_some_and(|s| s.starts_with(name)))
        })
        .await
    }

    /// A button's middle, or anything's, on the page.
    pub async fn middle(&self, css: &str) -> WebDriverResult<(i64, i64)> {
        let script = format!(
            "const e = document.querySelector({css:?}); e.scrollIntoView({{block: 'center'}}); const r = e.getBoundingClientRect(); return [Math.round(r.left + r.width / 2), Math.round(r.top + r.height / 2)]"
        );
        let v = self.script(&script).await?;
        Ok((v[0].as_i64().unwrap_or(0), v[1].as_i64().unwrap_or(0)))
    }
}
