//! What breaks in the hand: edges, Escape, Space, undo, small windows, and what animators do all day.
use nematon_browser_tests::{begin, begin_alone, edit, get, scene};
use serde_json::{Value, json};
use thirtyfour::prelude::*;

#[tokio::test]
async fn edges_are_dragged_and_moved_by_keys_and_the_window_stays_whole() -> WebDriverResult<()> {
    let (_turn, _site, w) = begin().await;
    let sizes = async || {
        let v = w.script("const b = document.querySelector('aside').getBoundingClientRect(), l = document.querySelector('section[aria-label=Loom]').getBoundingClientRect(), v = document.querySelector('[data-testid=view]').getBoundingClientRect(); return [b.width, l.height, v.width, v.height].map(Math.round)").await?;
        Ok::<Vec<i64>, WebDriverError>((0..4).map(|k| v[k].as_i64().unwrap()).collect())
    };
    let before = sizes().await?;
    let edge =
        async |name: &str| w.driver.find(By::Css(format!("[role=separator][aria-label='{name}']"))).await;
    let at = async |name: &str| {
        let r = edge(name).await?.rect().await?;
        Ok::<(i64, i64), WebDriverError>(((r.x + r.width / 2.0) as i64, (r.y + r.height / 2.0) as i64))
    };
    let (x, y) = at("Width of the bench").await?;
    w.driver
        .action_chain()
        .move_to(x, y)
        .click_and_hold()
        .move_to(x + 40, y)
        .move_to(x + 90, y)
        .release()
        .perform()
        .await?;
    let (x, y) = at("Height of the loom").await?;
    w.driver
        .action_chain()
        .move_to(x, y)
        .click_and_hold()
        .move_to(x, y - 30)
        .move_to(x, y - 60)
        .release()
        .perform()
        .await?;
    let wide = sizes().await?;
    assert!(
        (wide[0] - before[0] - 90).abs() < 6 && (wide[1] - before[1] - 60).abs() < 6,
        "{before:?} {wide:?}"
    );
    assert!(wide[2] > 200 && wide[3] > 200, "the view is still there: {wide:?}");
    edge("Height of the loom").await?.send_keys(Key::Up + Key::Up).await?;
    edge("Width of the bench").await?.send_keys(Key::Left + Key::Left).await?;
    let keyed = sizes().await?;
    assert!(keyed[1] > wide[1] && keyed[0] < wide[0], "{wide:?} {keyed:?}");
    w.rest().await?;
    w.driver.refresh().await?;
    w.shows("landing-canopy:0").await?;
    let after = sizes().await?;
    assert!(
        after.iter().zip(&keyed).all(|(a, b)| (a - b).abs() < 4),
        "they are remembered: {keyed:?} {after:?}"
    );
    w.close().await
}

#[tokio::test]
async fn escape_restores_arrows_all_count_and_undo_is_the_scenes() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let weight = "/bodies/landing-canopy/kind/cloth/matter/areal_weight";
    let revision = async || get(&site, &w.at("")).await["revision"].as_i64().unwrap();
    w.has(weight, "0.34").await?;
    w.type_into(weight, "7").await?;
    w.keys(Key::Escape + "").await?;
    w.has(weight, "0.34").await?;
    w.type_into("/bodies/landing-canopy/name", "Tent").await?;
    w.keys(Key::Escape + "").await?;
    w.has("/bodies/landing-canopy/name", "Landing canopy").await?;
    w.drag_number(weight, 60, Some(Key::Escape)).await?;
    w.rest().await?;
    w.has(weight, "0.34").await?;
    assert_eq!(revision().await, 0, "nothing was set");
    // A drag sets once, and undo works with the focus where it was.
    w.drag_number(weight, 60, None).await?;
    w.has(weight, "0.64").await?;
    w.until("it is set", async || Ok(revision().await == 1)).await?;
    w.ctrl('z').await?;
    w.has(weight, "0.34").await?;
    w.set(weight, "0.5").await?;
    w.until("it is set", async || Ok(revision().await == 3)).await?;
    w.ctrl('z').await?;
    w.has(weight, "0.34").await?;
    // A burst of presses is one edit and loses none.
    let columns = "/bodies/landing-canopy/kind/cloth/shape/sheet/columns";
    w.type_into(columns, "").await?;
    w.keys(Key::Escape + "").await?;
    w.driver.find(By::Css(format!("[data-path='{columns}']"))).await?.click().await?;
    // The arrow that points up.
    w.keys("\u{e013}".repeat(10)).await?;
    w.has(columns, "70").await?;
    w.until("ten presses are one edit", async || {
        Ok(scene(&site, w.id).await["bodies"]["landing-canopy"]["kind"]["cloth"]["shape"]["sheet"]["columns"]
            == 70)
    })
    .await?;
    assert_eq!(revision().await, 5);
    w.ctrl('z').await?;
    w.has(columns, "60").await?;
    w.close().await
}

#[tokio::test]
async fn sums_units_seconds_and_thousands_are_read_as_they_are_meant() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let width = "/bodies/landing-canopy/kind/cloth/shape/sheet/width";
    for (typed, shown) in [
        ("=1+1", "2"),
        ("+3", "3"),
        ("10 in", "0.254"),
        ("+= 1", "1.254"),
        ("1,5", "1.5"),
        ("2 m + 35 cm", "2.35"),
    ] {
        w.set(width, typed).await?;
        w.has(width, shown).await?;
    }
    let stretch = "/bodies/landing-canopy/kind/cloth/matter/stretch_warp";
    w.set(stretch, "1,500").await?;
    w.bench_says("can be read as 1500 or as 1.500").await?;
    w.set(stretch, "12500").await?;
    w.until("thousands stand apart", async || Ok(w.value(stretch).await? == "12\u{202f}500")).await?;
    assert!(!w.bench().await?.contains("can be read as"), "what was wrong is right again");
    // Back to what the matter began as, not to the schema's default: by the mark, for on the text one types.
    let field = w.driver.find(By::Css(format!("[data-path='{stretch}']"))).await?;
    w.driver.action_chain().double_click_element(&field).perform().await?;
    w.rest().await?;
    assert_eq!(w.value(stretch).await?, "12\u{202f}500", "a double click on the number chooses it");
    w.keys(Key::Escape + "").await?;
    let mark = w
        .driver
        .execute(
            format!("return document.querySelector(\"[data-path='{stretch}']\").previousSibling"),
            vec![],
        )
        .await?
        .element()?;
    // A page that is slow to draw may still be moving it when the pointer gets there.
    for _ in 0..4 {
        w.driver.action_chain().double_click_element(&mark).perform().await?;
        w.rest().await?;
        if w.value(stretch).await? == "5200" {
            break;
        }
    }
    w.has(stretch, "5200").await?;
    w.step("Run").await?;
    w.set("/frames/last", "2 s").await?;
    w.has("/frames/last", "48").await?;
    w.set("/frames/rate", "23.976").await?;
    w.has("/frames/rate", "23.976").await?;
    // A frame is typed, too.
    let frame = w.driver.find(By::Css("[data-testid=frame]")).await?;
    frame.click().await?;
    frame.send_keys("30" + Key::Enter).await?;
    w.until("the frame is there", async || Ok(w.frame().await? == 30)).await?;
    assert_eq!(scene(&site, w.id).await["frames"]["last"], 48);
    w.close().await
}

#[tokio::test]
async fn space_plays_wherever_the_focus_is_and_open_lists_keep_their_keys() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.run().await?;
    // The focus is where Run was and Cancel may be: Space cancels nothing.
    w.keys(" ").await?;
    w.lanes_say("Landing canopy up to date").await?;
    assert_eq!(get(&site, &w.at("/runs")).await[0]["state"], "done");
    let playing = async || {
        Ok::<bool, WebDriverError>(
            w.script("return document.querySelector('[aria-label=Stop]') !== null").await?.as_bool()
                == Some(true),
        )
    };
    let plays = async |what: &str| {
        let was = playing().await?;
        w.keys(" ").await?;
        w.until(what, async || Ok(playing().await? != was)).await
    };
    w.keys(Key::Home + "").await?;
    plays("after Run").await?;
    w.step("Air").await?;
    plays("after a step").await?;
    assert!(w.script("return document.querySelector('aside h1').textContent").await? == "Air");
    w.open_row("Squall").await?;
    plays("after a row").await?;
    w.bench_says("Gust period").await?;
    w.press("Squall acts").await?;
    w.until("it is off", async || Ok(scene(&site, w.id).await["fields"]["squall"]["on"] == false)).await?;
    plays("after a switch").await?;
    assert_eq!(scene(&site, w.id).await["fields"]["squall"]["on"], false);
    // Come to by Tab it is the same.
    w.script("document.querySelector(\"[aria-label='Squall acts']\").focus()").await?;
    let back = w.driver.action_chain().key_down(Key::Shift).send_keys(Key::Tab + "").key_up(Key::Shift);
    back.perform().await?;
    w.keys(Key::Tab + "").await?;
    assert_eq!(w.script("return document.activeElement.getAttribute('aria-label')").await?, "Squall acts");
    plays("on a switch by Tab").await?;
    w.rest().await?;
    assert_eq!(scene(&site, w.id).await["fields"]["squall"]["on"], false);
    w.set("/fields/squall/act/wind/speed", "5").await?;
    plays("in a field that was entered").await?;
    w.has("/fields/squall/act/wind/speed", "5").await?;
    if playing().await? {
        plays("and stops").await?;
    }
    // An open list has its own keys.
    w.step("Shape").await?;
    let air = async || {
        w.script("return document.querySelector('[aria-label=\"Air in the view\"]').ariaPressed").await
    };
    let before = (air().await?, w.frame().await?);
    w.press("Preset").await?;
    w.keys("a").await?;
    w.keys(Key::End + "").await?;
    w.keys("2").await?;
    w.keys("?").await?;
    w.keys(Key::Escape + "").await?;
    w.rest().await?;
    assert_eq!((air().await?, w.frame().await?), before);
    assert!(w.script("return document.querySelector('aside h1').textContent").await? == "Shape");
    // Escape closes the list and leaves the choice.
    w.step("Hold").await?;
    w.choose("Border", "front").await?;
    w.bench_says("Hold 60 chosen").await?;
    w.press("Border").await?;
    w.keys(Key::Escape + "").await?;
    w.rest().await?;
    w.bench_says("Hold 60 chosen").await?;
    w.close().await
}

#[tokio::test]
async fn only_what_is_seen_is_picked_and_the_camera_never_dies() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let ball = json!({"name": "Globe", "kind": {"cloth": {"shape": {"ball": {"radius": 0.5, "cells": 8}}}}, "place": {"position": [0, 1, 0], "turn": [0, 0, 0]}});
    edit(&site, w.id, json!([{"op": "replace", "path": "/bodies", "value": {"globe": ball}}])).await;
    w.shows("globe:0").await?;
    w.step("Hold").await?;
    w.command("Bring into view").await?;
    w.press("Pick").await?;
    w.rest().await?;
    // Which of its points face the eye, by geometry: a ball's do where their normal does.
    let facing = async |p: u64| {
        let script = format!(
            "const s = nematonStage, l = s.layers.get('globe'), p = s.pointOf('globe', {p}), c = {{x: 0, y: 1, z: 0}}, e = s.camera.position; return ((p.x - c.x) * (e.x - p.x) + (p.y - c.y) * (e.y - p.y) + (p.z - c.z) * (e.z - p.z)) / (0.5 * e.distanceTo(p))"
        );
        Ok::<f64, WebDriverError>(w.script(&script).await?.as_f64().unwrap())
    };
    let mut found = 0;
    for k in 0..16 {
        let (a, r) = (f64::from(k) * 2.4, 0.24 * (f64::from(k) / 16.0).sqrt());
        w.click_view(0.5 + 0.7 * r * a.cos(), 0.5 + r * a.sin()).await?;
        for p in w.chosen().await? {
            found += 1;
            assert!(facing(p).await? > 0.0, "point {p} is on the far side");
        }
    }
    assert!(found > 4, "{found} of 16 clicks found a point");
    // The wheel comes closer, the middle button turns.
    let far = w.camera().await?;
    w.script("const v = document.querySelector('[data-testid=view]'), r = v.getBoundingClientRect(); v.dispatchEvent(new WheelEvent('wheel', { deltaY: -240, clientX: r.left + 300, clientY: r.top + 300, bubbles: true, cancelable: true }))").await?;
    w.until("the wheel moves the camera", async || Ok(w.camera().await? != far)).await?;
    let chosen = w.chosen().await?;
    for button in ["middle", "right"] {
        let before = w.camera().await?;
        w.drag_view(button, [60, 30]).await?;
        w.until(&format!("the {button} button moves the camera"), async || Ok(w.camera().await? != before))
            .await?;
    }
    let before = w.camera().await?;
    w.drag_view("left", [4, 2]).await?;
    w.rest().await?;
    assert_eq!(w.camera().await?, before, "the left one is for choosing");
    if w.chosen().await? != chosen {
        w.ctrl('z').await?;
    }
    // A misclick is undone.
    let chosen = w.chosen().await?;
    if chosen.is_empty() {
        w.click_view(0.5, 0.5).await?;
    }
    w.press("Box").await?;
    w.command("Bring into view").await?;
    w.rest().await?;
    w.box_around("globe", [0, 0], 130).await?;
    let seen = w.chosen().await?;
    assert!(!seen.is_empty());
    // Flat facets hide a little less than the ball would: up to nine degrees beyond its horizon.
    for p in &seen {
        assert!(facing(*p).await? > -0.16, "point {p} is hidden");
    }
    w.press("Through layers").await?;
    w.box_around("globe", [0, 0], 130).await?;
    let all = w.chosen().await?;
    assert!(all.len() > seen.len(), "{} through, {} seen", all.len(), seen.len());
    w.ctrl('z').await?;
    w.until("the choice before is back", async || Ok(w.chosen().await?.len() == seen.len())).await?;
    // By keys alone: arrows go from point to point.
    w.press("Pick").await?;
    w.driver.find(By::Css("[data-testid=view]")).await?.focus().await?;
    w.keys(Key::Escape + "").await?;
    w.keys(Key::Right + "").await?;
    w.until("a point is chosen", async || Ok(w.chosen().await?.len() == 1)).await?;
    let one = w.chosen().await?;
    w.keys(Key::Down + "").await?;
    w.until("the one beside it is", async || Ok(w.chosen().await? != one && w.chosen().await?.len() == 1))
        .await?;
    w.keys("g").await?;
    w.until("with those around it", async || Ok(w.chosen().await?.len() > 4)).await?;
    w.keys("h").await?;
    w.bench_says("Patch").await?;
    assert!(
        scene(&site, w.id).await["bodies"]["globe"]["grips"]["patch"]["points"][0]["area"]["spots"]
            .as_array()
            .unwrap()
            .len()
            > 4
    );
    w.close().await
}

#[tokio::test]
async fn what_is_new_stands_beside_is_named_apart_and_comes_into_view() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.new_project("New project").await?;
    w.bench_says("There is nothing to move yet").await?;
    w.press("Sheet").await?;
    w.bench_says("1600 points").await?;
    w.until("its address is its own", async || {
        Ok(w.driver.current_url().await?.path().starts_with("/projects/"))
    })
    .await?;
    let id: i64 = w.driver.current_url().await?.path().rsplit('/').next().unwrap().parse().unwrap();
    // In the middle of the view and not tiny.
    let spread = async |body: &str| {
        let script = format!(
            "const s = nematonStage, p = s.picker.projected({body:?}), c = s.canvas; let a = [1e9, 1e9], b = [-1e9, -1e9]; for (let k = 0; k < p.length; k += 3) for (const i of [0, 1]) {{ a[i] = Math.min(a[i], p[k + i]); b[i] = Math.max(b[i], p[k + i]); }} return [a[0] / c.clientWidth, b[0] / c.clientWidth, a[1] / c.clientHeight, b[1] / c.clientHeight]"
        );
        let v = w.script(&script).await?;
        Ok::<Vec<f64>, WebDriverError>((0..4).map(|k| v[k].as_f64().unwrap()).collect())
    };
    w.rest().await?;
    let s = spread("sheet").await?;
    assert!(s[0] > -0.05 && s[1] < 1.05 && s[2] > -0.05 && s[3] < 1.05 && s[1] - s[0] > 0.25, "{s:?}");
    w.press("Sheet").await?;
    w.bench_says("Sheet 2").await?;
    let bodies = scene(&site, id).await["bodies"].clone();
    assert!(
        (bodies["sheet-2"]["place"]["position"][0].as_f64().unwrap() - 1.1).abs() < 0.05,
        "beside the first: {bodies}"
    );
    w.command("Add a field: wind").await?;
    w.command("Add a field: wind").await?;
    w.bench_says("Wind 2").await?;
    // Another's name is refused.
    w.step("Shape").await?;
    w.set("/bodies/sheet-2/name", "Sheet").await?;
    w.bench_says("another’s name already").await?;
    w.more("Sheet 2", "Copy").await?;
    w.bench_says("Sheet 3").await?;
    w.ctrl('z').await?;
    w.until("the copy is undone", async || Ok(scene(&site, id).await["bodies"]["sheet-3"].is_null())).await?;
    // Where one looks from outlives a reload.
    w.command("Look from above").await?;
    w.rest().await?;
    let camera = w.camera().await?;
    w.driver.refresh().await?;
    w.shows("sheet:0").await?;
    let near =
        |a: &Value, b: &Value| (0..3).all(|k| (a[k].as_f64().unwrap() - b[k].as_f64().unwrap()).abs() < 1e-3);
    let again = w.camera().await?;
    assert!(near(&camera, &again), "{camera} {again}");
    w.close().await
}

#[tokio::test]
async fn projects_have_a_page_where_they_are_named_copied_removed_and_brought_back() -> WebDriverResult<()> {
    let (_turn, site, w) = begin_alone(1.0).await;
    assert_eq!(w.driver.title().await?, "Thistledown Relay · Nematon");
    w.until("a picture of it is kept", async || Ok(get(&site, "/projects").await[0]["pictured"].is_number()))
        .await?;
    w.driver.find(By::Css("[data-testid=project-name]")).await?.click().await?;
    w.says("Washing loft").await?;
    w.until("its picture is shown", async || Ok(w.script("return [...document.querySelectorAll('[data-testid=project] img')].some(i => i.naturalWidth === 320)").await?.as_bool() == Some(true))).await?;
    w.more("Washing loft", "Rename").await?;
    w.keys("Drying loft" + Key::Enter).await?;
    w.says("Drying loft").await?;
    assert_eq!(get(&site, "/projects").await[1]["name"], "Drying loft");
    w.more("Drying loft", "Rename").await?;
    w.keys("Nothing" + Key::Escape).await?;
    w.rest().await?;
    assert_eq!(get(&site, "/projects").await[1]["name"], "Drying loft");
    let many = get(&site, "/projects").await.as_array().unwrap().len();
    w.more("Drying loft", "Copy").await?;
    w.says("Drying loft copy").await?;
    w.more("Drying loft copy", "Remove").await?;
    w.message_with("is removed").await?;
    w.says("30 days left").await?;
    w.press("Bring back Drying loft copy").await?;
    w.until("it is back", async || Ok(get(&site, "/projects").await.as_array().unwrap().len() == many + 1))
        .await?;
    // Out as a file, and in again.
    w.more("Drying loft copy", "Export").await?;
    let file = w.folder.join("Drying loft copy.zip");
    w.until("the file is there", async || Ok(file.exists())).await?;
    w.driver.find(By::Css("#project-file")).await?.send_keys(file.to_string_lossy()).await?;
    w.shows("blanket:0").await?;
    assert_eq!(get(&site, "/projects").await.as_array().unwrap().len(), many + 2);
    w.go("/projects/99").await?;
    w.says("There is no such project").await?;
    w.go("/attic").await?;
    w.says("There is nothing at this address").await?;
    w.close().await
}

#[tokio::test]
async fn an_edit_during_a_run_offers_to_run_again_and_a_switch_does_it_by_itself() -> WebDriverResult<()> {
    let (_turn, site, w) = begin_alone(0.05).await;
    w.step("Run").await?;
    w.set("/frames/last", "100").await?;
    w.run().await?;
    w.frames_come().await?;
    w.step("Air").await?;
    w.open_row("Squall").await?;
    w.set("/fields/squall/act/wind/speed", "6").await?;
    w.step("Run").await?;
    w.bench_says("The run is at the scene as it was before the last edit").await?;
    w.press("Run again").await?;
    w.until("the old run ends and a new one comes", async || {
        let runs = get(&site, &w.at("/runs")).await;
        Ok(runs.as_array().unwrap().len() == 2 && runs[1]["state"] == "cancelled" && runs[0]["revision"] == 2)
    })
    .await?;
    // By itself, after each edit.
    w.press("Run again by itself after each edit").await?;
    w.choose("Quality", "draft: within 15 %").await?;
    w.until("it runs without being asked", async || Ok(get(&site, &w.at("/runs")).await[0]["revision"] == 3))
        .await?;
    w.lanes_say("Landing canopy up to date").await?;
    // A part: up to the frame on screen.
    w.press("Run again by itself after each edit").await?;
    w.choose("Quality", "a fixed number of sub-steps").await?;
    w.lanes_say("out of date").await?;
    w.scrub(90, 40).await?;
    w.press("Up to this frame").await?;
    w.lanes_say("41 to 100 out of date").await?;
    w.close().await
}

#[tokio::test]
async fn at_half_the_size_everything_can_be_reached() -> WebDriverResult<()> {
    let (_turn, _site, w) = begin().await;
    w.fit(853, 499).await?;
    w.rest().await?;
    for step in ["Shape", "Hold", "Air", "Contact", "Run", "Hand over"] {
        w.step(step).await?;
        let reached = w.script("const b = document.querySelector('[data-testid=bench]'); b.scrollTo(0, 1e6); const last = [...b.querySelectorAll('button, input, p')].at(-1).getBoundingClientRect(); const r = b.getBoundingClientRect(); return last.bottom <= r.bottom + 1 && last.top >= r.top - 1 && document.documentElement.scrollWidth <= innerWidth").await?;
        assert_eq!(reached, json!(true), "the end of {step} can be scrolled to");
    }
    w.ctrl('k').await?;
    for _ in 0..30 {
        w.keys(Key::Down + "").await?;
    }
    let inside = w.script("const i = document.querySelector('[cmdk-item][data-selected=true]').getBoundingClientRect(), l = document.querySelector('[cmdk-list]').getBoundingClientRect(); return i.top >= l.top - 1 && i.bottom <= l.bottom + 1 && l.bottom <= innerHeight").await?;
    assert_eq!(inside, json!(true), "what is selected stays in its list");
    w.close().await
}

#[tokio::test]
async fn names_of_many_lanes_scroll_with_them_under_a_ruler_that_stays() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let many: serde_json::Map<String, Value> = (0..14)
        .map(|k| {
            let sheet = json!({"name": format!("Flag {k:02}"), "kind": {"cloth": {"shape": {"sheet": {"width": 0.5, "depth": 0.5, "columns": 18, "rows": 18}}}}, "place": {"position": [k, 1, 0], "turn": [0, 0, 0]}});
            (format!("flag-{k}"), sheet)
        })
        .collect();
    edit(&site, w.id, json!([{"op": "replace", "path": "/bodies", "value": many}])).await;
    w.lanes_say("Flag 13 not run").await?;
    let script = "const loom = document.querySelector('section[aria-label=Loom]'), rolls = loom.firstChild.lastChild; rolls.scrollTop = 120; await new Promise(requestAnimationFrame);
        const names = [...loom.querySelectorAll('li button')], lanes = loom.querySelectorAll('canvas')[1].getBoundingClientRect(), ruler = loom.querySelectorAll('canvas')[0].getBoundingClientRect(), box = loom.getBoundingClientRect();
        return [rolls.scrollTop, Math.max(...names.map((n, k) => Math.abs(n.getBoundingClientRect().top - (lanes.top + 31 * k)))), ruler.top - box.top]";
    let v = w.script(script).await?;
    assert!(v[0].as_f64() > Some(100.0) && v[1].as_f64() < Some(4.0) && v[2].as_f64() < Some(3.0), "{v}");
    w.close().await
}

#[tokio::test]
async fn what_is_chosen_is_removed_in_every_step_with_the_way_back() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Air").await?;
    w.open_row("Squall").await?;
    w.keys(Key::Delete + "").await?;
    w.message_with("Squall is removed").await?;
    w.press("Undo").await?;
    w.until("it is back", async || Ok(scene(&site, w.id).await["fields"]["squall"].is_object())).await?;
    w.step("Hold").await?;
    w.open_row("Post corner").await?;
    w.keys(Key::Delete + "").await?;
    w.message_with("Post corner is removed").await?;
    w.ctrl('z').await?;
    w.until("the message goes with what it said", async || Ok(w.message().await?.is_empty())).await?;
    w.step("Contact").await?;
    w.keys(Key::Delete + "").await?;
    w.message_with("Nothing is chosen").await?;
    w.press("Put the message away").await?;
    w.press("Ball").await?;
    w.bench_says("ball, 0.25 m").await?;
    w.keys(Key::Delete + "").await?;
    w.message_with("Ball is removed").await?;
    // A message belongs to its project.
    let loft = w.project(&site, "Washing loft", "Blanket").await?;
    assert_eq!(w.message().await?, "");
    w.step("Contact").await?;
    // Groups that were set apart stay so under another name.
    w.press("cloth meets solid").await?;
    w.until("they are apart", async || Ok(scene(&site, loft).await["apart"] == json!([["cloth", "solid"]])))
        .await?;
    w.set("/bodies/blanket/touch/group", "linen").await?;
    w.until("they are still apart", async || {
        Ok(scene(&site, loft).await["apart"].to_string().contains("linen"))
    })
    .await?;
    assert_eq!(scene(&site, loft).await["apart"], json!([["linen", "solid"]]));
    w.step("Shape").await?;
    w.keys(Key::Delete + "").await?;
    w.message_with("Blanket is removed").await?;
    w.press("Undo").await?;
    w.until("it is back", async || Ok(scene(&site, loft).await["bodies"]["blanket"].is_object())).await?;
    w.close().await
}

#[tokio::test]
async fn an_odd_file_is_asked_about_mended_and_scaled() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let file = |name: &str, text: &str| {
        let path = w.folder.join(name);
        std::fs::write(&path, text).unwrap();
        path
    };
    // Two faces against each other, one doubled, a loose point; and drawn in centimetres, z up.
    let text = "v 0 0 0\nv 100 0 0\nv 100 100 0\nv 0 100 0\nv 5 5 5\nf 1 3 2\nf 1 3 4\nf 2 1 3\n";
    w.bring_in(&file("tarp.obj", text)).await?;
    w.says("That is an odd size").await?;
    w.says("takes out 1 loose point").await?;
    w.says("turns 1 face that faces the other way").await?;
    w.choose("Its unit", "centimetres").await?;
    w.says("1 × 1 × 0").await?;
    w.choose("Its up axis", "z").await?;
    w.says("1 × 0.05 × 1").await?;
    w.press("Mend and bring in").await?;
    w.bench_says("Tarp").await?;
    w.bench_says("4 points").await?;
    // As a collider the same file goes by other rules.
    w.step("Contact").await?;
    w.bring_in_collider(
        &file("rock.obj", "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 5 5 5\nf 1 3 2\nf 1 3 4\nf 2 1 3\n"),
        "mesh",
    )
    .await?;
    w.bench_says("Rock").await?;
    assert!(scene(&site, w.id).await["colliders"]["rock"]["form"]["mesh"].is_object());
    w.close().await
}

#[tokio::test]
async fn things_are_hidden_dyed_set_down_moved_by_arms_and_chosen_in_the_view() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let loft = w.project(&site, "Washing loft", "Blanket").await?;
    w.shows("blanket:0").await?;
    w.press("madder").await?;
    w.until("it is dyed", async || Ok(scene(&site, loft).await["bodies"]["blanket"]["dye"] == "madder"))
        .await?;
    w.until("it is seen dyed", async || {
        let colour = "return nematonStage.layers.get('blanket').drawn.material.color.getHexString()";
        Ok(w.script(colour).await? != json!("e6dcc4"))
    })
    .await?;
    w.more("Blanket", "Hide").await?;
    w.until("it is hidden", async || {
        Ok(w.script("return nematonStage.layers.get('blanket').drawn.group.visible").await? == json!(false))
    })
    .await?;
    w.press("Show Blanket").await?;
    w.until("it is shown", async || {
        Ok(w.script("return nematonStage.layers.get('blanket').drawn.group.visible").await? == json!(true))
    })
    .await?;
    // Arms move its start; Escape puts it back.
    w.press("Move").await?;
    w.rest().await?;
    let place = async || scene(&site, loft).await["bodies"]["blanket"]["place"]["position"].clone();
    let before = place().await;
    w.command("Set down what is chosen").await?;
    w.until("it lies lower", async || Ok(place().await[1].as_f64() < before[1].as_f64())).await?;
    assert_eq!((place().await[0].clone(), place().await[2].clone()), (before[0].clone(), before[2].clone()));
    w.ctrl('z').await?;
    w.until("it is where it was", async || Ok(place().await == before)).await?;
    w.rest().await?;
    w.drag_arm_up(50, Some(Key::Escape)).await?;
    w.rest().await?;
    assert_eq!(place().await, before, "Escape put it back");
    w.drag_arm_up(50, None).await?;
    w.until("the arm has lifted it", async || Ok(place().await[1].as_f64() > before[1].as_f64())).await?;
    let near = |k: usize, p: &Value| (p[k].as_f64().unwrap() - before[k].as_f64().unwrap()).abs() < 1e-4;
    assert!(near(0, &place().await) && near(2, &place().await), "along its arm alone");
    w.ctrl('z').await?;
    w.until("it is down again", async || Ok(place().await == before)).await?;
    // A click in the view chooses what is there.
    w.step("Contact").await?;
    w.press("Box").await?;
    w.until("the box is placed", async || Ok(scene(&site, loft).await["colliders"]["box"].is_object()))
        .await?;
    w.set("/colliders/box/place/position/0", "2").await?;
    w.until("it stands aside", async || {
        Ok(scene(&site, loft).await["colliders"]["box"]["place"]["position"][0].as_f64() == Some(2.0))
    })
    .await?;
    w.step("Shape").await?;
    w.press("No arms").await?;
    w.command("Look from above").await?;
    w.rest().await?;
    let at = w.script("const s = nematonStage, m = s.colliders.meshOf('box').getWorldPosition(s.camera.position.clone()).project(s.camera); return [(m.x + 1) / 2, (1 - m.y) / 2]").await?;
    w.click_view(at[0].as_f64().unwrap(), at[1].as_f64().unwrap()).await?;
    w.until("the box is chosen on the bench", async || {
        Ok(w.bench().await?.starts_with("Washing loft\nContact")
            || w.bench().await?.contains("What bodies come to rest on"))
    })
    .await?;
    w.has("/colliders/box/place/position/0", "2").await?;
    w.close().await
}

#[tokio::test]
async fn a_hollow_box_is_looked_at_from_outside() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.rest().await?;
    let c = w.camera().await?;
    let c: Vec<f64> = (0..3).map(|k| c[k].as_f64().unwrap()).collect();
    // A room about all there is, and about the eye.
    let side: Vec<f64> = c.iter().map(|v| 2.0 * v.abs() + 2.0).collect();
    let room = json!({"name": "Room", "form": {"box": {"size": side}}, "hollow": true});
    edit(&site, w.id, json!([{"op": "add", "path": "/colliders", "value": {"room": room}}])).await;
    let outside = async |w: &nematon_browser_tests::Window| {
        let c = w.camera().await?;
        Ok((0..3).any(|k| c[k].as_f64().unwrap().abs() > side[k] / 2.0))
    };
    w.until("what comes in about the eye is seen from outside", async || outside(&w).await).await?;
    // Who never looked before comes to it from outside, and sees the room whole.
    let second = site.window(false).await?;
    second.go(&format!("/projects/{}", w.id)).await?;
    second.until("it is opened from outside", async || outside(&second).await).await?;
    let whole = "const s = nematonStage, b = s.colliders.bounds(); let all = true;
        for (const x of [b.min.x, b.max.x]) for (const y of [b.min.y, b.max.y]) for (const z of [b.min.z, b.max.z]) { const p = s.camera.position.clone().set(x, y, z).project(s.camera); if (Math.abs(p.x) > 1 || Math.abs(p.y) > 1) all = false } return all";
    second.until("the room is seen whole", async || Ok(second.script(whole).await? == true)).await?;
    second.close().await?;
    w.close().await
}

#[tokio::test]
async fn a_dragged_number_shows_what_it_does_and_a_snag_says_what_helps() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Air").await?;
    w.open_row("Gravity").await?;
    // Frames come while the pointer is down.
    let handle = w.script("const f = document.querySelector(\"[data-path='/fields/gravity/act/gravity/strength']\"); const r = f.previousSibling.getBoundingClientRect(); return [Math.round(r.left + 4), Math.round(r.top + 8)]").await?;
    let (x, y) = (handle[0].as_i64().unwrap(), handle[1].as_i64().unwrap());
    w.driver
        .action_chain()
        .move_to(x, y)
        .click_and_hold()
        .move_to(x + 20, y)
        .move_to(x + 60, y)
        .perform()
        .await?;
    w.until("tried frames are on screen", async || {
        let shown = w.shown().await?;
        let frame = shown.strip_suffix(":trial").and_then(|s| s.rsplit(':').next()?.parse::<i64>().ok());
        Ok(frame.is_some_and(|f| f > 4))
    })
    .await?;
    assert_eq!(get(&site, &w.at("")).await["revision"], 0, "nothing is set while it is dragged");
    w.driver.action_chain().release().perform().await?;
    w.until("it is set once", async || Ok(get(&site, &w.at("")).await["revision"] == 1)).await?;
    w.shows("landing-canopy:0:missing").await?;
    // A snag, and a cure beside it.
    w.step("Shape").await?;
    w.set("/bodies/landing-canopy/kind/cloth/matter/stretch_warp", "8").await?;
    w.set("/bodies/landing-canopy/kind/cloth/matter/stretch_weft", "8").await?;
    w.step("Run").await?;
    w.set("/frames/last", "16").await?;
    w.run().await?;
    w.lanes_say("Landing canopy up to date").await?;
    w.bench_says("overstretched").await?;
    w.press("What helps: overstretch").await?;
    w.press("twice as stiff").await?;
    w.until("it is twice as stiff", async || {
        Ok(scene(&site, w.id).await["bodies"]["landing-canopy"]["kind"]["cloth"]["matter"]["stretch_warp"]
            .as_f64()
            == Some(16.0))
    })
    .await?;
    w.close().await
}

#[tokio::test]
async fn all_bodies_go_out_in_one_file_over_a_range_that_is_true() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let flag = json!({"name": "Flag", "kind": {"cloth": {"shape": {"sheet": {"width": 0.5, "depth": 0.5, "columns": 18, "rows": 18}}}}, "place": {"position": [9, 3, 0], "turn": [0, 0, 0]}});
    edit(&site, w.id, json!([{"op": "add", "path": "/bodies/flag", "value": flag}, {"op": "replace", "path": "/frames/last", "value": 24}])).await;
    w.lanes_say("Flag not run").await?;
    w.run().await?;
    w.lanes_say("Flag up to date").await?;
    w.step("Hand over").await?;
    w.bench_says("one file, a mesh a body").await?;
    let first = w.driver.find(By::Css("[aria-label='First frame to hand over']")).await?;
    first.click().await?;
    w.ctrl('a').await?;
    first.send_keys("20").await?;
    w.press("Save USD text").await?;
    let file = w.folder.join("Thistledown Relay.usda");
    w.until("the file is there", async || {
        Ok(file.exists() && std::fs::read_to_string(&file)?.trim_end().ends_with('}'))
    })
    .await?;
    let text = std::fs::read_to_string(&file)?;
    assert!(
        text.contains("def Mesh \"Landing_canopy\"")
            && text.contains("def Mesh \"Flag\"")
            && text.contains("normals.timeSamples")
    );
    assert!(
        text.contains("startTimeCode = 20") && text.contains("faceVertexCounts = [4, 4"),
        "{}",
        &text[..400]
    );
    // A long one says how far it is, and can be left: nothing is kept of it.
    let slow = json!({"offline": false, "latency": 0, "downloadThroughput": 40_000, "uploadThroughput": -1});
    w.driver.cdp().send_raw("Network.enable", json!({})).await?;
    w.driver.cdp().send_raw("Network.emulateNetworkConditions", slow).await?;
    w.press("Save OBJ sequence").await?;
    let bar = async || w.driver.find_all(By::Css("[aria-label='OBJ sequence is being written']")).await;
    w.until("it tells how far it is", async || {
        let Some(bar) = bar().await?.into_iter().next() else { return Ok(false) };
        Ok(bar.attr("aria-valuenow").await?.is_some_and(|v| v.parse::<u32>().is_ok_and(|v| v > 0)))
    })
    .await?;
    w.press("Cancel").await?;
    w.until("it has ended", async || Ok(bar().await?.is_empty())).await?;
    w.rest().await?;
    let kept = std::fs::read_dir(&w.folder)?;
    let zips = kept.flatten().filter(|f| f.file_name().to_string_lossy().contains(".zip")).count();
    assert_eq!(zips, 0, "nothing is kept of it");
    assert!(w.driver.find_all(By::Css("[role=alert]")).await?.is_empty(), "no message: it was asked for");
    w.close().await
}

#[tokio::test]
async fn the_view_is_named_stepped_through_and_seen_from_all_sides() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Hold").await?;
    let labels = async || {
        w.script("return [...document.querySelectorAll('[aria-label=\"The view\"] span.absolute')].map(s => s.textContent).sort().join()").await
    };
    w.until("the borders are named", async || Ok(labels().await? == json!("back,front,left,right"))).await?;
    w.step("Air").await?;
    w.until("only while holding", async || Ok(labels().await? == json!(""))).await?;
    let way = async || {
        let v = w.script("const s = nematonStage, d = s.camera.position.clone().sub(s.controls.target).normalize(); return d.toArray()").await?;
        Ok::<[f64; 3], WebDriverError>([0, 1, 2].map(|k| v[k].as_f64().unwrap_or(0.0)))
    };
    for (key, axis) in [("1", 2), ("2", 0), ("3", 1)] {
        w.driver.action_chain().key_down(Key::Shift).send_keys(key).key_up(Key::Shift).perform().await?;
        w.until(&format!("it is seen along {axis}"), async || Ok(way().await?[axis] > 0.99)).await?;
    }
    w.command("Look from a corner").await?;
    w.until("all three at once", async || Ok(way().await?.iter().all(|c| *c > 0.3))).await?;
    // Step by step, and what hears the page hears it too.
    w.press("A frame on").await?;
    w.press("A frame on").await?;
    w.press("A frame back").await?;
    assert_eq!(w.frame().await?, 1);
    assert_eq!(
        w.script("return document.querySelector('[role=slider][aria-label=Frame]').ariaValueNow").await?,
        json!("1")
    );
    // Undo says what it takes back.
    w.open_row("Squall").await?;
    w.set("/fields/squall/act/wind/speed", "7").await?;
    w.press("Undo: Squall speed").await?;
    w.has("/fields/squall/act/wind/speed", "4").await?;
    w.press("Redo: Squall speed").await?;
    w.has("/fields/squall/act/wind/speed", "7").await?;
    assert_eq!(get(&site, &w.at("")).await["revision"], 3);
    w.close().await
}

#[tokio::test]
async fn small_things_are_said_as_they_are() -> WebDriverResult<()> {
    let (_turn, site, w) = begin_alone(0.2).await;
    w.step("Hold").await?;
    w.bench_says("1 point").await?;
    assert!(!w.bench().await?.contains("1 points"));
    w.open_row("Eyelets, ridge side").await?;
    let path = w.script("return document.querySelector('[data-path$=eyelets]').dataset.path").await?;
    w.set(path.as_str().unwrap(), "500").await?;
    w.bench_says("so there are 60 eyelets and not 500").await?;
    // What another window set is told in the units of the page.
    w.step("Air").await?;
    w.open_row("Ridge wind").await?;
    let heading = "/fields/ridge-wind/act/wind/heading";
    w.script("window.fetch = ((f) => (u, o) => (window.hold && (u.method ?? o?.method ?? 'GET') === 'GET') ? new Promise(() => {}) : f(u, o))(fetch); window.hold = true;").await?;
    edit(&site, w.id, json!([{"op": "replace", "path": heading, "value": std::f64::consts::FRAC_PI_6}]))
        .await;
    w.set(heading, "80").await?;
    w.message_with("was set to 30° there").await?;
    w.script("window.hold = false").await?;
    w.press("Put the message away").await?;
    // How precise a file is stands beside it.
    w.step("Run").await?;
    w.set("/frames/last", "24").await?;
    w.run().await?;
    w.lanes_say("Landing canopy up to date").await?;
    w.step("Hand over").await?;
    w.bench_says("Kept frames are precise to").await?;
    // A run that waits says for what.
    w.step("Run").await?;
    w.set("/frames/last", "200").await?;
    w.run().await?;
    w.frames_come().await.ok();
    w.project(&site, "Washing loft", "Blanket").await?;
    w.step("Run").await?;
    w.run().await?;
    w.until("it waits behind the other, or has its turn", async || {
        let said = w.bench().await?;
        Ok(said.contains("waits behind Thistledown Relay")
            || said.contains("frames computed")
            || said.contains(" of 97"))
    })
    .await?;
    w.close().await
}

#[tokio::test]
async fn a_vortex_is_placed_zoned_and_blown_with_and_what_moves_is_seen_to_move() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Air").await?;
    w.press("Vortex").await?;
    let field = async || scene(&site, w.id).await["fields"]["vortex"].clone();
    w.until("it is added as it begins", async || {
        Ok(field().await["act"]["vortex"]["core"].as_f64() == Some(0.5))
    })
    .await?;
    w.set("/fields/vortex/act/vortex/spin", "-6").await?;
    w.set("/fields/vortex/place/position/0", "1.5").await?;
    w.turn("Vortex only in a zone").await?;
    w.has("/fields/vortex/zone/form/ball/radius", "1").await?;
    w.choose("Zone is a", "capsule").await?;
    let length = "/fields/vortex/zone/form/capsule/length";
    w.until("it is one", async || {
        Ok(!w.driver.find_all(By::Css(format!("[data-path='{length}']"))).await?.is_empty())
    })
    .await?;
    w.set(length, "3").await?;
    w.until("all of it is set", async || {
        let f = field().await;
        Ok(f["act"]["vortex"]["spin"].as_f64() == Some(-6.0)
            && f["place"]["position"][0].as_f64() == Some(1.5)
            && f["zone"]["form"]["capsule"]["length"].as_f64() == Some(3.0))
    })
    .await?;
    w.shows("landing-canopy:0").await?;
    w.step("Run").await?;
    w.set("/frames/last", "12").await?;
    w.run().await?;
    w.lanes_say("Landing canopy up to date").await?;
    w.ctrl('z').await?;
    w.ctrl('z').await?;
    w.until("undo takes its length back", async || {
        Ok(field().await["zone"]["form"]["capsule"]["length"].as_f64() == Some(2.0))
    })
    .await?;
    w.lanes_say("out of date").await?;
    // What keys move, alone or on what it stands on, is where the core says.
    let x = json!({"keys": [{"frame": 0, "value": 0}, {"frame": 10, "value": 2}]});
    let post = json!({"name": "Post", "place": {"position": [x, 1, 0], "turn": [0, 0, 0]}});
    let lamp = json!({"name": "Lamp", "form": {"ball": {"radius": 0.2}}, "place": {"position": [0, 0.5, 0], "turn": [0, 0, 0], "on": {"handle": "post"}}});
    edit(&site, w.id, json!([{"op": "add", "path": "/handles", "value": {"post": post}}, {"op": "add", "path": "/colliders", "value": {"lamp": lamp}}])).await;
    w.press("First frame").await?;
    let at = async || {
        w.script("return nematonStage.colliders.meshOf('lamp')?.position.toArray().map((c) => Math.round(1000 * c))").await
    };
    w.until("it stands on the post", async || Ok(at().await? == json!([0, 1500, 0]))).await?;
    for _ in 0..5 {
        w.press("A frame on").await?;
    }
    w.until("it has gone along", async || Ok(at().await? == json!([1000, 1500, 0]))).await?;
    // A number that moves says so, and takes a plain one.
    w.step("Contact").await?;
    edit(&site, w.id, json!([{"op": "replace", "path": "/colliders/lamp/place/position/1", "value": {"formula": "0.5 + 0.1 * f"}}])).await;
    w.open_row("Lamp").await?;
    w.has("/colliders/lamp/place/position/1", "1").await?;
    w.until("the formula moves it", async || Ok(at().await? == json!([1000, 2000, 0]))).await?;
    w.set("/colliders/lamp/place/position/1", "0.25").await?;
    w.until("a plain number holds it", async || Ok(at().await? == json!([1000, 1250, 0]))).await?;
    w.close().await
}

#[tokio::test]
async fn a_number_is_keyed_curved_and_driven_by_a_formula_that_is_wrong_at_first() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Air").await?;
    w.open_row("Ridge wind").await?;
    let path = "/fields/ridge-wind/act/wind/speed";
    let speed = async || scene(&site, w.id).await["fields"]["ridge-wind"]["act"]["wind"]["speed"].clone();
    let still = speed().await.as_f64().unwrap();
    w.press("How Ridge wind Speed moves").await?;
    w.press("Key here").await?;
    w.until("it is keyed as it is", async || {
        Ok(speed().await == json!({"keys": [{"frame": 0, "value": still}]}))
    })
    .await?;
    w.keys("\u{e00c}").await?;
    for _ in 0..4 {
        w.press("A frame on").await?;
    }
    // A number typed where it moves is a key there.
    w.set(path, "9.5").await?;
    w.until("and at the fourth frame", async || Ok(speed().await["keys"][1]["value"] == json!(9.5))).await?;
    w.press("A frame back").await?;
    w.press("A frame back").await?;
    w.has(path, &format!("{}", 0.5 * (still + 9.5))).await?;
    w.press("How Ridge wind Speed moves").await?;
    w.choose("Ridge wind speed From 0", "as a curve").await?;
    w.choose("Ridge wind speed After", "repeats").await?;
    w.until("its way is said", async || {
        let s = speed().await;
        Ok(s["keys"][0]["then"] == json!("curve") && s["after"] == json!("repeat"))
    })
    .await?;
    // Half a formula is told at its letter, and nothing is lost.
    let field = async || w.driver.find(By::Css("[aria-label='Ridge wind speed formula']")).await;
    field().await?.send_keys("0.5 * wave(t)").await?;
    w.until("what is wrong is said", async || {
        let told = w.driver.find_all(By::Css("[role=alert]")).await?;
        let mut all = String::new();
        for t in told {
            all += &t.text().await?;
        }
        Ok(all.contains("\"wave\", which there is not"))
    })
    .await?;
    assert!(speed().await["formula"].is_null());
    field().await?.send_keys("\u{e009}a\u{e009}").await?;
    field().await?.send_keys("0.5 * sin(t)\u{e007}").await?;
    w.until("the formula drives it", async || Ok(speed().await["formula"] == json!("0.5 * sin(t)"))).await?;
    w.press("The key before").await?;
    w.press("Remove the key").await?;
    w.until("one key is left", async || Ok(speed().await["keys"].as_array().is_some_and(|k| k.len() == 1)))
        .await?;
    w.keys("\u{e00c}").await?;
    for _ in 0..6 {
        w.ctrl('z').await?;
    }
    w.until("all of it is undone", async || Ok(speed().await.as_f64() == Some(still))).await?;
    w.close().await
}
