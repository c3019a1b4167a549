//! Takes: kept, compared with what is on screen, and brought back by parts.
use nematon_browser_tests::{begin, edit, get, scene};
use serde_json::json;
use thirtyfour::prelude::*;

#[tokio::test]
async fn a_take_is_kept_compared_and_its_material_brought_back() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let last = json!([{"op": "replace", "path": "/frames/last", "value": 24}]);
    edit(&site, w.id, last).await;
    let warp = "/bodies/landing-canopy/kind/cloth/matter/bend_warp";
    let number = async |at: &str| scene(&site, w.id).await.pointer(at).cloned();
    let was = number(warp).await;
    w.step("Run").await?;
    w.run().await?;
    w.all_true().await?;
    w.press("Keep a take").await?;
    w.bench_says("Take 1").await?;
    w.press("Star Take 1").await?;
    let takes = async || get(&site, &w.at("/takes")).await;
    w.until("it is starred", async || Ok(takes().await[0]["starred"] == true)).await?;
    // A stiffer cloth in less gravity: its frames lie elsewhere, those of the take stay.
    let change = json!([{"op": "replace", "path": warp, "value": 0.02}, {"op": "replace", "path": "/fields/gravity/act/gravity/strength", "value": 4.0}]);
    edit(&site, w.id, change).await;
    w.lanes_say("out of date").await?;
    w.run().await?;
    w.all_true().await?;
    w.scrub(0, 20).await?;
    w.press("Take 1").await?;
    w.choose("Take 1 Compared", "over what is here").await?;
    let told = "return document.querySelector('[data-testid=compared]')?.innerText ?? ''";
    w.until("it is told how far apart they are", async || {
        Ok(w.script(told).await?.as_str().is_some_and(|t| t.contains(" mm apart at most")))
    })
    .await?;
    let drawn = "const b = nematonStage.beside; return b.group.visible ? b.group.children.length : 0";
    assert_eq!(w.script(drawn).await?.as_u64(), Some(1));
    // What is told is so: by the points of both on screen.
    let off = "const b = nematonStage.beside.layers.get('landing-canopy').drawn.positions, a = nematonStage.layers.get('landing-canopy').drawn.positions;
        let far = 0; for (let k = 0; k < a.length; k += 3) far = Math.max(far, Math.hypot(a[k] - b[k], a[k + 1] - b[k + 1], a[k + 2] - b[k + 2])); return 1000 * far";
    let far = w.script(off).await?.as_f64().unwrap_or(0.0);
    let said = w.script(told).await?.as_str().unwrap_or("").to_owned();
    let said: f64 = said.split(' ').find_map(|t| t.parse().ok()).unwrap_or(0.0);
    assert!(far > 1.0 && (said - far).abs() <= 0.01 * far, "{said} is said where they are {far} apart");
    w.choose("Take 1 Compared", "at its side").await?;
    w.until("it stands beside", async || {
        Ok(w.script("return nematonStage.beside.group.position.x").await?.as_f64() > Some(1.0))
    })
    .await?;
    w.choose("Take 1 Compared", "as how far apart").await?;
    w.until("it is drawn as dye alone", async || Ok(w.script(drawn).await?.as_u64() == Some(0))).await?;
    // In turn: each is seen for a while, the other not.
    w.choose("Take 1 Compared", "in turn with what is here").await?;
    let seen = "return [nematonStage.beside.group.visible, nematonStage.layers.get('landing-canopy').drawn.group.visible]";
    for turn in [json!([true, false]), json!([false, true])] {
        w.until("it has its turn", async || Ok(w.script(seen).await? == turn)).await?;
    }
    // Both are read out, as far as their frames go, and one moves otherwise than the other.
    w.turn("Read out Landing canopy").await?;
    w.until("both are drawn", async || {
        let lines =
            w.script("return document.querySelectorAll('[data-testid=readout] .u-series').length").await?;
        Ok(lines.as_u64() == Some(3))
    })
    .await?;
    w.bench_says("As it is: fastest at").await?;
    w.bench_says("Take 1: fastest at").await?;
    let read = async |more: &str| {
        get(&site, &w.at(&format!("/bodies/landing-canopy/readout{more}"))).await["readings"].clone()
    };
    let take = takes().await[0]["id"].to_string();
    let (here, there) = (read("").await, read(&format!("?take={take}")).await);
    assert_eq!((here.as_array().map(Vec::len), there.as_array().map(Vec::len)), (Some(25), Some(25)));
    assert_ne!(here[24]["place"], there[24]["place"]);
    w.turn("Read out Landing canopy").await?;
    w.choose("Take 1 Compared", "not shown").await?;
    w.until("nothing is told any more", async || Ok(w.script(told).await?.as_str() == Some(""))).await?;
    // Its small pictures are of frames that differ.
    let film = "return (async () => { const f = document.querySelector('.film'); if (!f) return [0, 0]; const i = new Image(); i.src = f.style.backgroundImage.slice(5, -2); await i.decode();
        const c = document.createElement('canvas'); [c.width, c.height] = [i.width, i.height]; const g = c.getContext('2d'); g.drawImage(i, 0, 0);
        const of = (k) => g.getImageData(72 * k, 0, 72, 44).data; const n = i.width / 72, a = of(0), b = of(n - 1); let other = 0;
        for (let k = 0; k < a.length; k += 4) other += Math.abs(a[k] - b[k]) > 12; return [n, other] })()";
    w.until("it has small pictures that move", async || {
        let told = w.script(film).await?;
        Ok(told[0].as_u64() == Some(8) && told[1].as_u64() > Some(20))
    })
    .await?;
    // What is said of the frame on screen is a way back to it.
    let at = w.frame().await?;
    let field = w.driver.query(By::Css("[aria-label='Take 1, note at this frame']")).first().await?;
    field.send_keys("its corner lags").await?;
    field.send_keys(Key::Enter).await?;
    let said = async || takes().await[0]["notes"].as_array().cloned().unwrap_or_default();
    w.until("it is said", async || {
        let all = said().await;
        Ok(all.len() == 1 && all[0]["frame"] == at && all[0]["words"] == "its corner lags")
    })
    .await?;
    w.press("First frame").await?;
    w.press(&format!("Frame {at}")).await?;
    w.until("it is gone to", async || Ok(w.frame().await? == at)).await?;
    w.press(&format!("Remove the note at frame {at}")).await?;
    w.until("it is said no more", async || Ok(said().await.is_empty())).await?;
    // Of a point it is said of that, and stands there in the view while its frame is on screen.
    w.step("Hold").await?;
    w.press("Pick").await?;
    w.click_point("landing-canopy", 620).await?;
    w.until("a point is chosen", async || Ok(w.chosen().await?.len() == 1)).await?;
    w.step("Run").await?;
    w.press("Take 1").await?;
    let field = w.driver.query(By::Css("[aria-label='Take 1, note at this frame']")).first().await?;
    field.send_keys("flat here").await?;
    field.send_keys(Key::Enter).await?;
    w.until("it is said of a point", async || {
        let all = said().await;
        Ok(all.len() == 1 && all[0]["body"] == "landing-canopy" && all[0]["point"].is_number())
    })
    .await?;
    let pin = "return document.querySelector('.pin:not([hidden])')?.textContent ?? ''";
    w.until("it stands in the view", async || Ok(w.script(pin).await? == "flat here")).await?;
    w.press("First frame").await?;
    w.until("and not at another frame", async || Ok(w.script(pin).await? == "")).await?;
    w.press(&format!("Frame {at}")).await?;
    w.until("gone to it stands there", async || Ok(w.script(pin).await? == "flat here")).await?;
    w.press(&format!("Remove the note at frame {at}")).await?;
    w.until("removed it does not", async || Ok(w.script(pin).await? == "")).await?;
    // Its materials come back, and the gravity stays; one undo takes that back.
    w.press("More for Take 1").await?;
    w.press("Bring its materials back").await?;
    w.until("they are back", async || Ok(number(warp).await == was)).await?;
    assert_eq!(number("/fields/gravity/act/gravity/strength").await, Some(json!(4.0)));
    w.ctrl('z').await?;
    w.until("undone they are not", async || Ok(number(warp).await == Some(json!(0.02)))).await?;
    w.press("More for Take 1").await?;
    w.press("Bring all of it back").await?;
    w.all_true().await?;
    // It is there for who comes later, too.
    w.driver.refresh().await?;
    w.step("Run").await?;
    w.bench_says("Take 1").await?;
    w.press("More for Take 1").await?;
    w.press("Remove").await?;
    w.until("it is gone", async || Ok(takes().await.as_array().is_some_and(Vec::is_empty))).await?;
    w.close().await
}
