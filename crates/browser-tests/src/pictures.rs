//! Takes the pictures of the docs from the demo: `cargo run --release -p nematon-browser-tests --bin pictures`.
use nematon_browser_tests::{Site, Window, site::project};
use thirtyfour::prelude::*;

#[tokio::main]
async fn main() -> WebDriverResult<()> {
    let site = Site::start_whole().await;
    let mut w = site.window(true).await?;
    w.pixels = 1.0;
    w.fit(1280, 800).await?;
    // What was drawn for fewer pixels stays as it is until it is drawn again.
    w.driver.refresh().await?;
    let done = take(&site, &w).await;
    w.close().await?;
    done
}

async fn take(site: &Site, w: &Window) -> WebDriverResult<()> {
    let out = project().join("docs/screenshots");
    std::fs::create_dir_all(&out)?;
    let save = async |name: &str| {
        w.script("document.querySelector('[data-testid=bench]')?.scrollTo(0, 0)").await?;
        tokio::time::sleep(std::time::Duration::from_millis(1800)).await;
        w.driver.screenshot(&out.join(format!("{name}.png"))).await
    };
    // The first run of each begins by itself.
    w.lanes_say("Landing canopy up to date").await?;
    w.shows("landing-canopy:132:true").await?;
    save("shape").await?;
    w.step("Air").await?;
    w.open_row("Squall").await?;
    w.set("/fields/squall/act/wind/speed", "7").await?;
    w.lanes_say("out of date").await?;
    w.scrub(100, 166).await?;
    let _ = w.hover(182).await?;
    save("air-out-of-date").await?;
    w.step("Run").await?;
    w.run().await?;
    w.lanes_say("up to date").await?;
    w.scrub(100, 170).await?;
    save("run").await?;
    w.choose("Swatches over", "Areal weight").await?;
    w.press("Try them side by side").await?;
    w.says("press the one that is right").await?;
    w.script("document.querySelector('[data-testid=bench]')?.scrollTo(0, 560)").await?;
    tokio::time::sleep(std::time::Duration::from_millis(1500)).await;
    w.driver.screenshot(&out.join("swatches.png")).await?;
    w.press("Close").await?;
    w.step("Hand over").await?;
    w.turn("Landing canopy is finished").await?;
    w.scrub(170, 204).await?;
    w.choose("Proof Size", "1920 × 1080").await?;
    w.turn("The picture’s edges in the view").await?;
    w.open_row("From the gully").await?;
    w.press("Look through it").await?;
    save("deliver").await?;
    w.turn("The picture’s edges in the view").await?;
    w.choose("Proof Size", "as the view").await?;
    open(site, w, "Washing loft", "Blanket").await?;
    w.step("Contact").await?;
    w.open_row("Bolster").await?;
    w.lanes_say("Blanket up to date").await?;
    w.scrub(0, 60).await?;
    save("contact").await?;
    w.step("Shape").await?;
    w.choose("Preset", "Towelling").await?;
    w.bench_says("Towelling").await?;
    w.press("woad").await?;
    let courier = open(site, w, "The Courier lands", "Canopy").await?;
    w.lanes_say("Ruff up to date").await?;
    w.step("Hold").await?;
    w.open_row("Canopy frame").await?;
    w.scrub(20, 101).await?;
    w.script("nematonStage.views.frame(null)").await?;
    save("courier").await?;
    w.scrub(101, 60).await?;
    w.open_row("Soft edge").await?;
    tokio::time::sleep(std::time::Duration::from_millis(1800)).await;
    w.driver.screenshot(&out.join("map.png")).await?;
    w.press("Curves").await?;
    w.script("document.querySelector('[data-testid=lines]').focus()").await?;
    w.ctrl('a').await?;
    save("curves").await?;
    w.press("Curves").await?;
    w.step("Shape").await?;
    w.open_row("The Courier").await?;
    tokio::time::sleep(std::time::Duration::from_millis(1800)).await;
    w.driver.screenshot(&out.join("figure.png")).await?;
    w.open_row("Ruff").await?;
    w.scrub(60, 110).await?;
    w.script("nematonStage.views.frame('ruff')").await?;
    save("strands").await?;
    w.command("Daylight or dusk").await?;
    save("dusk").await?;
    w.command("Daylight or dusk").await?;
    w.press("Comb").await?;
    w.script("nematonStage.views.frame('ruff')").await?;
    w.shows("ruff:0:combed").await?;
    w.rest().await?;
    let at = w.script("const r = nematonStage.canvas.getBoundingClientRect(); return [Math.round(r.left + 0.62 * r.width), Math.round(r.top + 0.5 * r.height)]").await?;
    let (x, y) = (at[0].as_i64().unwrap_or(0), at[1].as_i64().unwrap_or(0));
    let mut chain = w.driver.action_chain().move_to(x, y).click_and_hold();
    for k in 1..=10 {
        chain = chain.move_to(x + 5 * k, y - 12 * k);
    }
    chain.release().perform().await?;
    w.until("the stroke is kept", async || {
        let s = nematon_browser_tests::scene(site, courier).await;
        Ok(s["bodies"]["ruff"]["kind"]["strands"]["combed"].is_array())
    })
    .await?;
    tokio::time::sleep(std::time::Duration::from_millis(4000)).await;
    save("comb").await?;
    w.ctrl('z').await?;
    w.press("Done").await?;
    w.scrub(0, 60).await?;
    w.script("nematonStage.views.frame(null)").await?;
    w.step("Air").await?;
    let still = async |name: &str| {
        tokio::time::sleep(std::time::Duration::from_millis(2200)).await;
        w.driver.screenshot(&out.join(format!("{name}.png"))).await
    };
    w.open_row("Landing wash").await?;
    w.press("Slice").await?;
    w.scrub(60, 66).await?;
    still("air-slice").await?;
    w.press("Streaks").await?;
    w.scrub(66, 161).await?;
    w.press("Press a point").await?;
    w.click_point("canopy", 48 * 30 + 40).await?;
    w.says("at frame 161").await?;
    still("why").await?;
    open(site, w, "The thistle bank", "Thistles").await?;
    w.lanes_say("Awning up to date").await?;
    w.step("Shape").await?;
    w.scrub(0, 112).await?;
    w.script("nematonStage.views.frame('thistles')").await?;
    save("plants").await?;
    open(site, w, "The signal bladder", "Signal bladder").await?;
    w.lanes_say("Bench cushion up to date").await?;
    w.step("Shape").await?;
    w.scrub(0, 100).await?;
    w.script("nematonStage.views.frame(null)").await?;
    w.script("[...document.querySelectorAll('aside button')].find(b => b.innerText.startsWith('Filling'))?.scrollIntoView({block: 'start'})").await?;
    still("bladder").await?;
    // A cushion finished, with the wires of what was computed.
    w.step("Hand over").await?;
    w.turn("Square cushion is finished").await?;
    w.set("/bodies/cushion-1/finish/smooth", "2").await?;
    w.script("nematonStage.views.frame('cushion-1')").await?;
    w.command("Wireframe on or off").await?;
    save("finished").await?;
    w.command("Wireframe on or off").await?;
    open(site, w, "The mast pennant", "Pennant").await?;
    w.lanes_say("Pennant up to date").await?;
    tokio::time::sleep(std::time::Duration::from_millis(1500)).await;
    open(site, w, "Washing loft", "Blanket").await?;
    w.step("Run").await?;
    // Long enough for the small pictures to be kept.
    tokio::time::sleep(std::time::Duration::from_millis(1500)).await;
    w.go("/projects").await?;
    w.says("Washing loft").await?;
    save("projects").await
}

/// Opens a project of the demo itself, so that the page of projects has no copies.
async fn open(site: &Site, w: &Window, name: &str, body: &str) -> WebDriverResult<i64> {
    let all = nematon_browser_tests::get(site, "/projects").await;
    let id = all.as_array().and_then(|all| all.iter().find(|p| p["name"] == name)?["id"].as_i64());
    w.go(&format!("/projects/{}", id.unwrap_or_default())).await?;
    w.says(body).await?;
    Ok(id.unwrap_or_default())
}
