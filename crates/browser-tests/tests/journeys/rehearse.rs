//! Rehearsing by hand, settling, and what is done after the run: finishing, views that are kept, a proof.
use nematon_browser_tests::{Site, begin, edit, scene};
use serde_json::json;
use thirtyfour::prelude::*;

/// A hand that the page has before it rehearses: at each of these steps of the shot it is told where it is. So it keeps up with the shot
/// however long the way from here to the page takes.
fn hand(steps: i64, each: &str) -> String {
    format!(
        "let k = 1; const moves = setInterval(() => {{
            const bar = document.querySelector('[data-testid=rehearsal]')?.innerText ?? '';
            if (!bar.includes('Rehearsing') || Number(document.querySelector('[data-testid=frame]').value) < 1) return;
            {each};
            globalThis.handWas = k;
            if (++k > {steps}) clearInterval(moves);
        }}, 20)"
    )
}

#[tokio::test]
async fn a_handle_is_rehearsed_its_keys_kept_and_the_run_shows_what_was_seen() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    // A small shot of few points: it keeps its pace on any machine.
    let small = json!([
        {"op": "replace", "path": "/frames/last", "value": 120},
        {"op": "replace", "path": "/bodies/landing-canopy/kind/cloth/shape/sheet/columns", "value": 13},
        {"op": "replace", "path": "/bodies/landing-canopy/kind/cloth/shape/sheet/rows", "value": 9},
        {"op": "add", "path": "/handles", "value": {"pole": {"name": "Pole", "place": {"position": [-2.1, 1.7, 1.1], "turn": [0, 0, 0]}}}},
        {"op": "add", "path": "/bodies/landing-canopy/grips/post-corner/to", "value": {"handle": "pole"}},
    ]);
    edit(&site, w.id, small).await;
    w.step("Hold").await?;
    w.open_row("Pole").await?;
    w.rest().await?;
    let place = async || scene(&site, w.id).await["handles"]["pole"]["place"]["position"].clone();
    let before = place().await;
    let bar = "return document.querySelector('[data-testid=rehearsal]')?.innerText ?? ''";
    // Left, it changes nothing.
    w.press("Rehearse").await?;
    w.until("it goes", async || {
        let told = w.script(bar).await?;
        Ok(told.as_str().is_some_and(|t| t.contains("Rehearsing Pole") || t.contains(" keys of ")))
    })
    .await?;
    w.press("Leave it").await?;
    w.until("it is gone", async || Ok(w.script(bar).await?.as_str() == Some(""))).await?;
    assert_eq!(place().await, before);
    w.press("First frame").await?;
    w.rest().await?;
    // As the arms tell it.
    let up = "const o = nematonStage.handles.objectOf('pole').object; o.position.y = 1.7 + 0.05 * k; nematonStage.tellHand('/handles/pole/place', o)";
    w.script(&hand(8, up)).await?;
    w.press("Rehearse").await?;
    w.says("Keep the keys").await?;
    w.until("it says how many keys there are", async || {
        Ok(w.script(bar).await?.as_str().is_some_and(|t| t.contains(" keys of 120 frames")))
    })
    .await?;
    // The last frame that was seen.
    let corner = "const l = nematonStage.layers.get('landing-canopy'); return Array.from(l.drawn.positions)";
    let seen = w.script(corner).await?;
    w.script("const r = document.querySelector('[aria-label=\"How far keys may be off\"]'); Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(r, '0'); r.dispatchEvent(new Event('input', { bubbles: true }))").await?;
    w.until("all keys stay", async || {
        Ok(w.script(bar).await?.as_str().is_some_and(|t| t.contains("exactly")))
    })
    .await?;
    w.press("Keep the keys").await?;
    w.until("they are keys of the scene", async || {
        Ok(place().await[1]["keys"].as_array().is_some_and(|k| k.len() > 1))
    })
    .await?;
    // It is where the hand was, in the world, and a collider that is rehearsed is, too.
    let high = place().await[1]["keys"].as_array().and_then(|k| k.last()?["value"].as_f64());
    // As far as a slow page came: what it told last may have come after the last frame.
    let steps = w.script("return globalThis.handWas").await?.as_f64().unwrap();
    let near = |k: f64| high.is_some_and(|y| (y - 1.7 - 0.05 * k).abs() < 1e-3);
    assert!(near(steps) || (steps > 1.0 && near(steps - 1.0)), "{high:?} after {steps} steps");
    w.all_true().await?;

    w.keys(Key::End + "").await?;
    w.shows("landing-canopy:120:true").await?;
    let now = w.script(corner).await?;
    let off = seen.as_array().unwrap().iter().zip(now.as_array().unwrap());
    let off = off.map(|(a, b)| (a.as_f64().unwrap() - b.as_f64().unwrap()).abs()).fold(0.0, f64::max);
    // Kept frames are packed to a twentieth of a millimetre.
    assert!(off < 1e-4, "the run is {off} m off what was seen");
    w.ctrl('z').await?;
    w.until("one undo takes the keys back", async || Ok(place().await == before)).await?;
    let ball = json!([{"op": "add", "path": "/colliders", "value": {"knob": {"name": "Knob", "form": {"ball": {"radius": 0.1}},
        "place": {"position": [0.4, 1.2, 0.3], "turn": [0, 0, 0]}}}}]);
    edit(&site, w.id, ball).await;
    w.step("Contact").await?;
    w.open_row("Knob").await?;
    w.press("First frame").await?;
    w.rest().await?;
    let across = "const m = nematonStage.colliders.meshOf('knob'); m.position.x = 0.7; nematonStage.tellHand('/colliders/knob/place', m)";
    w.script(&hand(1, across)).await?;
    w.press("Rehearse").await?;
    w.says("Keep the keys").await?;
    w.until("it is told", async || {
        Ok(w.script(bar).await?.as_str().is_some_and(|t| t.contains(" keys of ")))
    })
    .await?;
    w.press("Keep the keys").await?;
    w.until("the collider is keyed to where the hand was", async || {
        let x = scene(&site, w.id).await["colliders"]["knob"]["place"]["position"][0].clone();
        let last = x["keys"].as_array().and_then(|k| k.last()?["value"].as_f64());
        Ok(last.is_some_and(|x| (x - 0.7).abs() < 1e-3))
    })
    .await?;
    w.close().await
}

#[tokio::test]
async fn bodies_settle_first_and_what_is_finished_is_seen_and_never_computed() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    edit(&site, w.id, json!([{"op": "replace", "path": "/frames/last", "value": 12}])).await;
    w.step("Run").await?;
    w.run().await?;
    w.all_true().await?;
    let high = "const p = nematonStage.layers.get('landing-canopy').drawn.positions; let y = 9; for (let k = 1; k < p.length; k += 3) y = Math.min(y, p[k]); return y";
    w.press("First frame").await?;
    w.shows("landing-canopy:0:true").await?;
    let made = w.script(high).await?.as_f64().unwrap();
    w.turn("Bodies come to rest before the first frame").await?;
    w.lanes_say("out of date").await?;
    w.set("/frames/settle/seconds", "1").await?;
    w.run().await?;
    w.all_true().await?;
    w.shows("landing-canopy:0:true").await?;
    let settled = w.script(high).await?.as_f64().unwrap();
    assert!(settled < made - 0.2, "the free corner hangs: {made} and {settled}");
    // Finished it has four times the triangles and two sides, and all frames stay up to date.
    w.step("Hand over").await?;
    w.turn("Landing canopy is finished").await?;
    let drawn = "const f = nematonStage.layers.get('landing-canopy').drawn.finish; return f ? f.surface.geometry.getIndex().count / 3 : 0";
    w.until("it is drawn so", async || Ok(w.script(drawn).await?.as_u64().is_some_and(|n| n > 4 * 2 * 4602)))
        .await?;
    assert!(w.lanes().await?.contains("up to date"));
    w.set("/bodies/landing-canopy/finish/smooth", "0").await?;
    w.until("as it is set", async || {
        Ok(w.script(drawn).await?.as_u64().is_some_and(|n| n < 2 * 4602 + 1000))
    })
    .await?;
    w.turn("Landing canopy is finished").await?;
    w.until("as it was computed", async || Ok(w.script(drawn).await?.as_u64() == Some(0))).await?;
    w.close().await
}

#[tokio::test]
async fn a_project_opens_where_it_is_worth_seeing_and_views_are_kept_and_looked_through()
-> WebDriverResult<()> {
    let site = Site::start_whole().await;
    let w = site.window(true).await?;
    // The first run begins by itself, at the view and the frame that the scene opens with.
    w.message_with("began by itself").await?;
    assert_eq!(w.frame().await?, 132);
    let at = async || {
        w.script("return nematonStage.camera.position.toArray().map((c) => Number(c.toFixed(2)))").await
    };
    w.until("it is looked at from where it says", async || Ok(at().await? == json!([3.7, 2.15, 5.6])))
        .await?;
    let hill = "return nematonStage.figures.about";
    w.until("the place is there", async || Ok(w.script(hill).await? == json!(true))).await?;
    w.press("Scenery").await?;
    w.until("and gone by one press", async || Ok(w.script(hill).await? == json!(false))).await?;
    w.command("Look from above").await?;
    let above = at().await?;
    w.command("Keep this view").await?;
    let cameras = async || scene(&site, w.id).await["cameras"].clone();
    w.until("it is a camera", async || Ok(cameras().await["view"]["name"] == "View")).await?;
    w.press("Views").await?;
    w.press("From the gully").await?;
    w.until("looked through", async || Ok(at().await? == json!([3.7, 2.15, 5.6]))).await?;
    w.command("Next kept view").await?;
    w.until("and through the next", async || Ok(at().await? == above)).await?;
    w.step("Hand over").await?;
    w.open_row("View").await?;
    w.set("/cameras/view/angle", "40").await?;
    w.until("in radians", async || {
        Ok(cameras().await["view"]["angle"].as_f64().is_some_and(|a| (a - 0.698).abs() < 0.01))
    })
    .await?;
    w.more("View", "Remove").await?;
    w.until("it is gone", async || Ok(cameras().await["view"].is_null())).await?;
    w.close().await
}

#[tokio::test]
async fn swatches_are_tried_side_by_side_and_one_becomes_the_scenes() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let small = json!([
        {"op": "replace", "path": "/frames/last", "value": 24},
        {"op": "replace", "path": "/bodies/landing-canopy/kind/cloth/shape/sheet/columns", "value": 13},
        {"op": "replace", "path": "/bodies/landing-canopy/kind/cloth/shape/sheet/rows", "value": 9},
    ]);
    edit(&site, w.id, small).await;
    let weight = async || {
        scene(&site, w.id).await["bodies"]["landing-canopy"]["kind"]["cloth"]["matter"]["areal_weight"]
            .as_f64()
    };
    let before = weight().await;
    w.step("Run").await?;
    w.choose("Swatches over", "Areal weight").await?;
    w.press("Try them side by side").await?;
    let wall = "return document.querySelector('[data-testid=swatches]')?.innerText ?? ''";
    w.until("all drafts are here", async || {
        Ok(w.script(wall).await?.as_str().is_some_and(|t| t.contains("press the one that is right")))
    })
    .await?;
    let told = w.script(wall).await?.as_str().unwrap_or("").to_owned();
    assert!(told.matches("kg/m²").count() == 6 && told.contains("1.36 kg/m²"), "{told}");
    // Escape leaves all as it was.
    w.keys(Key::Escape + "").await?;
    w.until("the wall is gone", async || Ok(w.script(wall).await?.as_str() == Some(""))).await?;
    assert_eq!(weight().await, before);
    w.press("Try them side by side").await?;
    w.press("1.36 kg/m²").await?;
    w.until("it is the scene's", async || Ok(weight().await == Some(1.36))).await?;
    w.ctrl('z').await?;
    w.until("and one undo takes it back", async || Ok(weight().await == before)).await?;
    // Two numbers across each other; more than a wall takes is told of.
    w.choose("Swatches and over", "Drag").await?;
    w.until("a second row", async || {
        Ok(!w.driver.find_all(By::Css("[aria-label='Swatches across how many']")).await?.is_empty())
    })
    .await?;
    w.press("Try them side by side").await?;
    w.until("twelve of them", async || {
        Ok(w.script(wall).await?.as_str().is_some_and(|t| t.matches(" · ").count() == 12))
    })
    .await?;
    w.press("Close").await?;
    // All fabrics, and a range that can't be is told of.
    w.choose("Swatches over", "all fabrics").await?;
    w.press("Try them side by side").await?;
    w.until("a wall of them", async || {
        Ok(w.script(wall).await?.as_str().is_some_and(|t| t.contains("Oilcloth")))
    })
    .await?;
    w.press("Close").await?;
    w.close().await
}

#[tokio::test]
async fn a_loop_is_told_of_found_played_and_handed_over_with_a_note_and_a_sheet() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let small = json!([
        {"op": "replace", "path": "/frames/last", "value": 60},
        {"op": "replace", "path": "/bodies/landing-canopy/kind/cloth/shape/sheet/columns", "value": 13},
        {"op": "replace", "path": "/bodies/landing-canopy/kind/cloth/shape/sheet/rows", "value": 9},
    ]);
    edit(&site, w.id, small).await;
    w.step("Run").await?;
    w.run().await?;
    w.all_true().await?;
    w.turn("Frames repeat as a loop").await?;
    w.until("its seam is told", async || Ok(w.bench().await?.contains("at most over the seam"))).await?;
    // What blows otherwise each time is named, and nothing has to be computed for a loop.
    w.bench_says("Not the same a loop later").await?;
    assert!(w.lanes().await?.contains("up to date"));
    w.set("/frames/loop/length", "24").await?;
    let own = async || scene(&site, w.id).await["frames"]["loop"].clone();
    w.until("it is shorter", async || Ok(own().await["length"] == 24)).await?;
    // One that does not fit is refused in words.
    w.set("/frames/loop/length", "900").await?;
    w.bench_says("the loop end at frame").await?;
    assert_eq!(own().await["length"], 24);
    let before = own().await;
    w.press("Find where it jumps least").await?;
    w.until("another is found", async || Ok(own().await != before)).await?;
    // Played it goes round within itself, and its end is no frame that was computed.
    let (from, length) = (own().await["from"].as_i64().unwrap(), own().await["length"].as_i64().unwrap());
    w.press("First frame").await?;
    w.press("Play").await?;
    w.until("it goes round", async || Ok((from..from + length).contains(&w.frame().await?))).await?;
    w.press("Stop").await?;
    w.step("Hand over").await?;
    w.bench_says(&format!("{length} frames from {from}")).await?;
    let file = async |path: &str| {
        let at = format!("{}/api/projects/{}/files/{path}", site.address, w.id);
        reqwest::get(at).await.unwrap().bytes().await.unwrap()
    };
    let array = file("npy?loop=true").await;
    assert!(String::from_utf8_lossy(&array[..128]).contains(&format!("({length}, 117, 3")));
    let every = String::from_utf8_lossy(&file("usda?every=20&velocities=true&unit=centimetre&up=z").await)
        .into_owned();
    for part in ["upAxis = \"Z\"", "metersPerUnit = 0.01", "endTimeCode = 60", "velocities.timeSamples"] {
        assert!(every.contains(part), "{part} is missing");
    }
    let note = String::from_utf8_lossy(&file("note?up=z").await).into_owned();
    assert!(note.contains("z is up") && note.contains(".ply.zip"), "{note}");
    w.press("Sheet").await?;
    w.until("the sheet is there", async || {
        let text = w.script("return document.querySelector('[data-testid=sheet]')?.innerText ?? ''").await?;
        let text = text.as_str().unwrap_or("").to_owned();
        Ok(["Landing canopy", "areal weight", "Ridge wind", "up to date", "loop of"]
            .iter()
            .all(|p| text.contains(p)))
    })
    .await?;
    w.driver.back().await?;
    w.step("Run").await?;
    w.turn("Frames repeat as a loop").await?;
    w.until("there is none any more", async || Ok(own().await.is_null())).await?;
    w.ctrl('z').await?;
    w.until("undone there is", async || Ok(own().await["length"] == length)).await?;
    w.close().await
}
