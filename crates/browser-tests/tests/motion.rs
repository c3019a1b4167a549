//! What moves: handles keyed by dragging, curves, keys on lanes, and a figure with a cloth hung on it.
#![allow(clippy::unwrap_used)]
use nematon_browser_tests::{Site, begin, get};
use serde_json::{Value, json};
use std::path::Path;
use std::time::Duration;
use thirtyfour::prelude::*;

async fn scene(site: &Site, id: i64) -> Value {
    get(site, &format!("/projects/{id}")).await["scene"].clone()
}

async fn rest() {
    tokio::time::sleep(Duration::from_millis(500)).await;
}

/// A project of its own number with the bodies of another, for each journey.
async fn number(site: &Site, name: &str) -> i64 {
    let all = get(site, "/projects").await;
    all.as_array().unwrap().iter().find(|p| p["name"] == name).unwrap()["id"].as_i64().unwrap()
}

#[tokio::test]
async fn a_handle_is_keyed_by_dragging_and_the_canopy_follows() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Hold").await?;
    w.press("Add a handle").await?;
    let handle = async || scene(&site, 1).await["handles"]["handle"].clone();
    w.until("it is there", async || Ok(handle().await.is_object())).await?;
    // The corner is held to it, and it is taken by hand.
    w.open_row("Post corner").await?;
    w.choose("Post corner Held to", "Handle").await?;
    let to = async || scene(&site, 1).await["bodies"]["landing-canopy"]["grips"]["post-corner"]["to"].clone();
    w.until("it is held to it", async || Ok(to().await == json!({"handle": "handle"}))).await?;
    w.press("Key as I drag").await?;
    let high = async || handle().await["place"]["position"][1].clone();
    let before = high().await.as_f64().unwrap();
    rest().await;
    w.drag_arm_up(60, Some(Key::Escape)).await?;
    rest().await;
    assert_eq!(high().await.as_f64(), Some(before), "Escape puts it back");
    w.drag_arm_up(2, None).await?;
    w.until("there is a key where it is", async || Ok(high().await["keys"][0]["frame"] == json!(0))).await?;
    w.scrub(2, 12).await?;
    rest().await;
    w.drag_arm_up(60, None).await?;
    w.until("and one at frame 12, higher", async || {
        let k = high().await;
        Ok(k["keys"][1]["frame"] == json!(12) && k["keys"][1]["value"].as_f64().unwrap() > before + 0.05)
    })
    .await?;
    // Where it was dragged to is where it is.
    let key = high().await["keys"][1]["value"].as_f64().unwrap();
    w.until("the button is where its key says", async || {
        let y = w.script("return nematonStage.handles.objectOf('handle').object.position.y").await?;
        Ok(y.as_f64().is_some_and(|y| (y - key).abs() < 1e-3))
    })
    .await?;
    w.run().await?;
    w.lanes_say("true").await?;
    let corner = async || {
        let v = w.script("const l = nematonStage.layers.get('landing-canopy'); const c = l.shape.head.corners.find(c => c.name === 'front left').point; return l.drawn.positions[3 * c + 1]").await?;
        Ok::<f64, WebDriverError>(v.as_f64().unwrap())
    };
    w.press("First frame").await?;
    w.press("A frame on").await?;
    w.shows("landing-canopy:1:true").await?;
    let low = corner().await?;
    for _ in 1..12 {
        w.press("A frame on").await?;
    }
    w.shows("landing-canopy:12:true").await?;
    let raised = corner().await? - low;
    assert!(raised > 0.04, "the corner follows its handle: {raised} m");
    for _ in 0..4 {
        w.ctrl('z').await?;
    }
    w.until("all of it is undone", async || Ok(handle().await.is_null())).await?;
    w.close().await
}

#[tokio::test]
async fn keys_are_chosen_dragged_stretched_copied_typed_and_taken_out_as_curves() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let id = number(&site, "The Courier lands").await;
    w.project("The Courier lands", "Canopy").await?;
    w.press("Curves").await?;
    let frames = async || -> Vec<i64> {
        let s = scene(&site, id).await;
        let keys = s["handles"]["frame"]["place"]["position"][0]["keys"].clone();
        keys.as_array().unwrap().iter().map(|k| k["frame"].as_i64().unwrap()).collect()
    };
    assert_eq!(frames().await, [0, 48, 96, 144, 192]);
    w.until("its lines are drawn", async || {
        Ok(w.driver.find(By::Css("[aria-label='What moves']")).await?.text().await?.contains("Position x"))
    })
    .await?;
    w.press("Position x").await?;
    rest().await;
    let lines = w.driver.find(By::Css("[data-testid=lines]")).await?;
    let r = lines.rect().await?;
    let x = |f: f64| (r.x + 14.0 + f / 240.0 * (r.width - 28.0)) as i64;
    let (top, bottom) = (r.y as i64 + 26, (r.y + r.height) as i64 - 4);
    // A box around the keys from 120 on, dragged by ten frames.
    let chain = w.driver.action_chain().move_to(x(120.0), top);
    chain
        .click_and_hold()
        .move_to(x(200.0), bottom - 3)
        .move_to(x(215.0), bottom)
        .release()
        .perform()
        .await?;
    w.until("two keys are chosen", async || {
        Ok(w.driver.find(By::Css("section[aria-label=Curves]")).await?.text().await?.contains("2 keys"))
    })
    .await?;
    lines.send_keys(Key::Alt + Key::Right).await?;
    w.until("nudged by a frame", async || Ok(frames().await == [0, 48, 96, 145, 193])).await?;
    // The bracket over them stretches them in time: its right end to 217.
    let y = r.y as i64 + 10;
    let chain = w.driver.action_chain().move_to(x(193.0), y);
    chain.click_and_hold().move_to(x(205.0), y).move_to(x(217.0), y).release().perform().await?;
    w.until("stretched about the first", async || Ok(frames().await == [0, 48, 96, 145, 217])).await?;
    lines.send_keys(Key::Delete + "").await?;
    w.until("taken out", async || Ok(frames().await == [0, 48, 96])).await?;
    // On its lane, with Alt, a copy.
    let knot = w.driver.find(By::Css("[aria-label='Canopy frame, key at 96']")).await?;
    let k = knot.rect().await?;
    let (kx, ky) = ((k.x + k.width / 2.0) as i64, (k.y + k.height / 2.0) as i64);
    let by = x(126.0) - x(96.0);
    let chain = w.driver.action_chain().key_down(Key::Alt).move_to(kx, ky);
    chain
        .click_and_hold()
        .move_to(kx + by / 2, ky)
        .move_to(kx + by, ky)
        .release()
        .key_up(Key::Alt)
        .perform()
        .await?;
    w.until("a copy on its lane", async || Ok(frames().await.len() == 4)).await?;
    // Typed: the value of one.
    w.driver.action_chain().move_to(x(60.0), bottom).click().perform().await?;
    lines.send_keys(Key::Control + "a").await?;
    let value = w.driver.find(By::Css("[aria-label='Value of the keys']")).await?;
    value.click().await?;
    w.ctrl('a').await?;
    value.send_keys("20 mm" + Key::Enter).await?;
    w.until("all of them are there", async || {
        let s = scene(&site, id).await;
        let keys = s["handles"]["frame"]["place"]["position"][0]["keys"].clone();
        Ok(keys.as_array().unwrap().iter().all(|k| k["value"] == json!(0.02)))
    })
    .await?;
    for _ in 0..5 {
        w.ctrl('z').await?;
    }
    w.until("and undone", async || Ok(frames().await == [0, 48, 96, 144, 192])).await?;
    w.press("Curves").await?;
    w.close().await
}

#[tokio::test]
async fn a_moth_is_brought_in_a_cloth_hung_on_it_and_capsules_fitted() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.press("Bring in a figure").await.ok();
    let moth = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/courier.glb");
    let moth = std::fs::canonicalize(moth).unwrap();
    w.driver.find(By::Css("#figure-file")).await?.send_keys(moth.to_string_lossy().into_owned()).await?;
    let figure = async || scene(&site, 1).await["figures"]["courier"].clone();
    w.until("it is there", async || Ok(figure().await.is_object())).await?;
    w.bench_says("33 joints").await?;
    w.until("it is seen", async || {
        Ok(w.script("return nematonStage.figures.group.children[0]?.visible ?? false").await? == json!(true))
    })
    .await?;
    // A sheet begins on its back and is held to it.
    w.press("Sheet").await?;
    let sheet = async || scene(&site, 1).await["bodies"]["sheet"].clone();
    w.until("a sheet is there", async || Ok(sheet().await.is_object())).await?;
    w.choose("Sheet Stands on", "Courier: thorax").await?;
    w.until("it begins on its back", async || {
        Ok(sheet().await["place"]["on"]["joint"]["joint"] == json!("thorax"))
    })
    .await?;
    w.step("Hold").await?;
    w.press("Hold all of it").await?;
    w.until("its border is held", async || {
        Ok(sheet().await["grips"].as_object().is_some_and(|g| g.len() == 1))
    })
    .await?;
    let grip = sheet().await["grips"].as_object().unwrap().iter().next().unwrap().1["name"].clone();
    let name = grip.as_str().unwrap().to_owned();
    w.choose(&format!("{name} Held to"), "Courier, its body").await?;
    w.until("to the skin of the moth", async || {
        let s = sheet().await;
        let g = s["grips"].as_object().unwrap().iter().next().unwrap().1.clone();
        Ok(g["to"] == json!({"figure": {"figure": "courier", "parts": ["body"]}}))
    })
    .await?;
    w.step("Shape").await?;
    w.press("Fit capsules").await?;
    let capsules = async || scene(&site, 1).await["colliders"].as_object().map_or(0, |c| c.len());
    w.until("capsules stand on its joints", async || Ok(capsules().await > 10)).await?;
    w.message_with("stand in for Courier").await?;
    w.run().await?;
    w.frames_come().await?;
    for _ in 0..6 {
        w.ctrl('z').await?;
    }
    w.until("all of it is undone", async || Ok(figure().await.is_null() && sheet().await.is_null())).await?;
    w.close().await
}

#[tokio::test]
async fn a_file_that_is_no_figure_is_refused_in_words_and_nothing_is_lost() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let broken = std::env::temp_dir().join("nematon-broken.glb");
    std::fs::write(&broken, b"glTF but not really").unwrap();
    w.driver.find(By::Css("#figure-file")).await?.send_keys(broken.to_string_lossy().into_owned()).await?;
    w.message_with("nematon-broken.glb is not brought in").await?;
    assert!(scene(&site, 1).await["figures"].is_null());
    w.close().await
}
