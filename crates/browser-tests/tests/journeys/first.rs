//! What a person does, from start to end, in the real pages.
use nematon_browser_tests::{begin, begin_alone, get, scene, site::project};
use serde_json::json;
use thirtyfour::prelude::*;

#[tokio::test]
async fn first_visit_to_scrubbing() -> WebDriverResult<()> {
    let (_turn, _site, w) = begin_alone(1.0).await;
    w.shows("landing-canopy:0:missing").await?;
    w.lanes_say("Landing canopy not run").await?;
    w.run().await?;
    w.lanes_say("Landing canopy up to date").await?;
    w.scrub(20, 96).await?;
    w.shows("landing-canopy:96:true").await?;
    let there = w.picture().await?;
    w.scrub(96, 170).await?;
    w.shows("landing-canopy:170:true").await?;
    w.until("another frame is another picture", async || Ok(w.picture().await? != there)).await?;
    w.keys(Key::Right).await?;
    w.shows("landing-canopy:171:true").await?;
    w.keys(Key::Home).await?;
    w.shows("landing-canopy:0:true").await?;
    w.keys(" ").await?;
    w.until("it plays", async || Ok(w.frame().await? > 12)).await?;
    w.keys(" ").await?;
    w.rest().await?;
    let reached = w.frame().await?;
    w.rest().await?;
    assert_eq!(w.frame().await?, reached, "it has stopped");
    w.close().await
}

#[tokio::test]
async fn a_changed_wind_is_out_of_date_with_its_reason_and_undo_makes_it_true_with_nothing_computed()
-> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.run().await?;
    w.lanes_say("Landing canopy up to date").await?;
    let runs = get(&site, &w.at("/runs")).await.as_array().unwrap().len();
    w.step("Air").await?;
    w.open_row("Squall").await?;
    w.set("/fields/squall/act/wind/speed", "3 + 4.5").await?;
    w.lanes_say("121 to 240 out of date").await?;
    w.scrub(60, 100).await?;
    w.shows("landing-canopy:100:true").await?;
    assert!(w.hover(200).await?.contains("Squall speed, 4 to 7.5 m/s from 121"), "{}", w.hover(200).await?);
    w.scrub(100, 160).await?;
    w.shows("landing-canopy:160:stale").await?;
    w.ctrl('z').await?;
    w.lanes_say("Landing canopy up to date").await?;
    w.shows("landing-canopy:160:true").await?;
    assert_eq!(get(&site, &w.at("/runs")).await.as_array().unwrap().len(), runs, "nothing was computed");
    w.command("Redo").await?;
    w.lanes_say("121 to 240 out of date").await?;
    w.run().await?;
    w.lanes_say("Landing canopy up to date").await?;
    let run = &get(&site, &w.at("/runs")).await[0];
    assert_eq!(
        (run["computed"].as_i64(), run["done"].as_i64()),
        (Some(120), Some(241)),
        "only what it could affect"
    );
    w.close().await
}

#[tokio::test]
async fn import_hold_bake_download() -> WebDriverResult<()> {
    let (_turn, _site, w) = begin().await;
    w.new_project("New project").await?;
    w.bench_says("There is nothing to move yet").await?;
    w.bring_in(&project().join("demo/pennant.obj").canonicalize()?).await?;
    w.bench_says("Pennant").await?;
    w.bench_says("645 points").await?;
    w.step("Hold").await?;
    w.bench_says("Nothing holds it").await?;
    // Around the hoist: its fifteen points, and whatever is behind them on screen.
    w.press("Box").await?;
    w.box_around("pennant", [0, 43 * 14], 4).await?;
    w.until("at least the hoist is chosen", async || {
        let words = w.bench().await?;
        let count = words.split_once("Hold ").and_then(|(_, r)| r.split(' ').next()?.parse::<usize>().ok());
        Ok(count.is_some_and(|n| (15..120).contains(&n)))
    })
    .await?;
    w.keys(Key::Escape).await?;
    w.bench_says("None chosen").await?;
    w.press("Hold all of it").await?;
    w.bench_says("15 points").await?;
    w.press("Pick").await?;
    w.click_point("pennant", 20).await?;
    w.bench_says("Hold 1 chosen").await?;
    w.keys(Key::Escape).await?;
    w.command("Add a field: wind").await?;
    w.bench_says("Gust period").await?;
    w.step("Run").await?;
    w.set("/frames/last", "36").await?;
    w.bench_says("1.50 s").await?;
    w.run().await?;
    w.lanes_say("Pennant up to date").await?;
    w.step("Hand over").await?;
    w.press("Save USD text").await?;
    let usd = w.folder.join("Pennant.usda");
    w.until("the USD file is there", async || Ok(usd.exists())).await?;
    w.until("it is whole", async || Ok(std::fs::read_to_string(&usd)?.trim_end().ends_with('}'))).await?;
    let text = std::fs::read_to_string(&usd)?;
    assert!(text.contains("36: [(") && text.contains("primvars:st"));
    w.press("Save NumPy array").await?;
    let npy = w.folder.join("Pennant.npy");
    w.until("the array is there", async || Ok(npy.metadata().is_ok_and(|m| m.len() == 128 + 37 * 645 * 12)))
        .await?;
    w.close().await
}

#[tokio::test]
async fn cancel_and_continue() -> WebDriverResult<()> {
    let (_turn, site, w) = begin_alone(0.1).await;
    w.step("Run").await?;
    // Slow enough to be still at it when Cancel is pressed.
    w.set("/frames/last", "60").await?;
    w.bench_says("Compute 61 frames").await?;
    w.run().await?;
    w.frames_come().await?;
    w.press("Cancel").await?;
    w.bench_says("cancelled at").await?;
    let cancelled = get(&site, &w.at("/runs")).await[0]["done"].as_i64().unwrap();
    assert!((1..61).contains(&cancelled), "{cancelled}");
    w.scrub(50, 2).await?;
    w.shows("landing-canopy:2:true").await?;
    w.run().await?;
    w.lanes_say("Landing canopy up to date").await?;
    let run = &get(&site, &w.at("/runs")).await[0];
    assert_eq!(run["computed"].as_i64(), Some(61 - cancelled), "it went on from where it was");
    w.close().await
}

#[tokio::test]
async fn reload_keeps_everything() -> WebDriverResult<()> {
    let (_turn, site, w) = begin_alone(1.0).await;
    w.step("Run").await?;
    w.set("/frames/last", "48").await?;
    w.run().await?;
    w.lanes_say("Landing canopy up to date").await?;
    w.step("Shape").await?;
    w.set("/bodies/landing-canopy/name", "Storm canopy").await?;
    w.lanes_say("Storm canopy up to date").await?;
    w.command("Wireframe on or off").await?;
    site.crash();
    w.driver.refresh().await?;
    w.lanes_say("Storm canopy up to date").await?;
    assert_eq!(w.value("/bodies/landing-canopy/name").await?, "Storm canopy");
    let pressed = w.script("return document.querySelector('[aria-label=Wireframe]').ariaPressed").await?;
    assert_eq!(pressed, json!("true"));
    w.scrub(5, 40).await?;
    w.shows("landing-canopy:40:true").await?;
    // Undo reaches back over the restart.
    w.ctrl('z').await?;
    w.lanes_say("Landing canopy up to date").await?;
    w.close().await
}

#[tokio::test]
async fn two_windows_follow_each_other_and_a_clash_is_told() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Air").await?;
    w.open_row("Ridge wind").await?;
    let speed = "/fields/ridge-wind/act/wind/speed";
    w.has(speed, "5").await?;
    // Another window, of which only its requests matter here.
    let other = reqwest::Client::new();
    let edit = async |revision: i64, value: f64| {
        let patch = json!([{"op": "replace", "path": speed, "value": value}]);
        let body = json!({"revision": revision, "label": "Ridge wind speed", "patch": patch});
        other
            .patch(format!("{}/api{}", site.address, w.at("")))
            .json(&body)
            .send()
            .await
            .unwrap()
            .status()
            .as_u16()
    };
    assert_eq!(edit(0, 6.0).await, 200);
    w.has(speed, "6").await?;
    assert_eq!(edit(0, 9.0).await, 409, "a stale revision");
    // Cut off from hearing, the window edits on what it last knew.
    w.script("window.fetch = ((f) => (u, o) => (window.hold && (u.method ?? o?.method ?? 'GET') === 'GET') ? new Promise(() => {}) : f(u, o))(fetch); window.hold = true;").await?;
    assert_eq!(edit(1, 7.0).await, 200);
    w.set(speed, "8").await?;
    w.message_with("Changed in another window").await?;
    w.has(speed, "7").await?;
    assert_eq!(
        get(&site, &w.at("")).await["scene"]["fields"]["ridge-wind"]["act"]["wind"]["speed"],
        json!(7.0)
    );
    w.close().await
}

#[tokio::test]
async fn bad_input_is_told_where_it_happened_and_nothing_is_lost() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Air").await?;
    w.open_row("Ridge wind").await?;
    w.set("/fields/ridge-wind/act/wind/speed", "1e9").await?;
    w.bench_says("must be 0 to 150 m/s").await?;
    w.set("/fields/ridge-wind/act/wind/speed", "quick").await?;
    w.bench_says("is not a number of m/s").await?;
    w.has("/fields/ridge-wind/act/wind/speed", "5").await?;
    w.step("Run").await?;
    w.set("/frames/last", "-20").await?;
    w.bench_says("before the first frame").await?;
    w.set("/frames/last", "1000000").await?;
    w.bench_says("the most is 20000").await?;
    let file = |name: &str, text: &str| {
        let path = w.folder.join(name);
        std::fs::write(&path, text).unwrap();
        path
    };
    let fin = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nv 0 -1 0\nf 1 2 3\nf 1 2 4\nf 1 2 5\n";
    for (name, text, words) in [("broken.obj", "v 0 0 0\nv 1 zero 0\n", "line 2"), ("empty.obj", "", "empty")]
    {
        w.bring_in(&file(name, text)).await?;
        w.message_with(words).await?;
        w.press("Put the message away").await?;
    }
    for (name, text, words) in [
        ("fin.obj", fin, "more than two triangles"),
        ("nan.obj", "v 0 0 0\nv 1 nan 0\nv 0 1 0\nf 1 2 3\n", "not a number"),
    ] {
        w.bring_in(&file(name, text)).await?;
        w.says(words).await?;
        w.press("Leave it").await?;
    }
    assert_eq!(get(&site, &w.at("")).await["revision"], json!(0), "no edit was made");
    w.run().await?;
    w.lanes_say("Landing canopy up to date").await?;
    w.close().await
}

#[tokio::test]
async fn a_board_is_called_coarse_and_cured_by_one_click() -> WebDriverResult<()> {
    let (_turn, _site, w) = begin().await;
    w.set("/bodies/landing-canopy/kind/cloth/shape/sheet/columns", "6").await?;
    w.set("/bodies/landing-canopy/kind/cloth/shape/sheet/rows", "4").await?;
    w.bench_says("Too coarse to fold").await?;
    w.bench_says("24 points").await?;
    w.press("Make it fine enough").await?;
    w.bench_says("819 points").await?;
    assert!(!w.bench().await?.contains("Too coarse"));
    // The eyelets are where they were, on another mesh.
    w.step("Hold").await?;
    w.bench_says("13 points").await?;
    w.close().await
}

#[tokio::test]
async fn a_collider_is_added_met_and_told_what_it_costs() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let loft = w.project(&site, "Washing loft", "Blanket").await?;
    w.step("Contact").await?;
    w.bench_says("Bolster").await?;
    w.press("Ball").await?;
    w.bench_says("ball, 0.25 m").await?;
    w.set("/colliders/ball/form/ball/radius", "0.3").await?;
    w.set("/colliders/ball/place/position/1", "0.6").await?;
    w.run().await?;
    w.lanes_say("Blanket up to date").await?;
    w.bench_says("Cost of the last run").await?;
    w.bench_says("Blanket and Ball").await?;
    // What it is made of, from a preset, with its source.
    w.step("Shape").await?;
    w.choose("Preset", "Towelling").await?;
    w.press("Where these numbers come from").await?;
    w.says("Peirce").await?;
    w.keys(Key::Escape + "").await?;
    let scene = scene(&site, loft).await;
    assert_eq!(scene["bodies"]["blanket"]["kind"]["cloth"]["matter"]["preset"], json!("towelling"));
    assert_eq!(scene["colliders"]["ball"]["form"]["ball"]["radius"], json!(0.3));
    w.lanes_say("out of date").await?;
    w.ctrl('z').await?;
    w.lanes_say("Blanket up to date").await?;
    w.close().await
}

#[tokio::test]
async fn loose_pieces_fall_on_the_canopy_and_every_shape_can_be_added() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let scene = async || get(&site, &w.at("")).await["scene"].clone();
    w.step("Run").await?;
    w.set("/frames/last", "14").await?;
    w.step("Shape").await?;
    w.press("Loose pieces").await?;
    w.bench_says("400 pieces").await?;
    w.bench_says("the pieces fall through").await?;
    // More than there is room for is refused in words, and nothing is lost.
    w.set("/bodies/loose-pieces/kind/drift/count", "4000").await?;
    w.bench_says("has room for 1000").await?;
    w.keys("\u{e00c}").await?;
    assert_eq!(scene().await["bodies"]["loose-pieces"]["kind"]["drift"]["count"], json!(400));
    w.set("/bodies/loose-pieces/kind/drift/count", "120").await?;
    w.set("/bodies/loose-pieces/kind/drift/weight", "2 g").await?;
    w.until("grams are read", async || {
        Ok(scene().await["bodies"]["loose-pieces"]["kind"]["drift"]["weight"] == json!(0.002))
    })
    .await?;
    w.press("Let them touch").await?;
    w.until("both touch", async || {
        Ok(scene().await["bodies"]["landing-canopy"]["touch"]["others"] == json!(true))
    })
    .await?;
    w.run().await?;
    w.lanes_say("Loose pieces up to date").await?;
    w.keys("\u{e010}").await?;
    w.until("they lie on the canopy", async || {
        let low = |of: &str| {
            format!(
                "Math.min(...nematonStage.layers.get('{of}').drawn.positions.filter((_, k) => k % 3 === 1))"
            )
        };
        let both = w.script(&format!("return [{}, {}]", low("loose-pieces"), low("landing-canopy"))).await?;
        let [pieces, cloth] = [0, 1].map(|k| both[k].as_f64().unwrap_or(0.0));
        Ok(pieces > cloth && pieces < 1.9)
    })
    .await?;
    // Nothing holds them.
    w.step("Hold").await?;
    w.bench_says("nothing holds them").await?;
    w.step("Shape").await?;
    for (shape, points) in [("Disc", 1261), ("Ball", 1178), ("Tube", 1400), ("Box", 1442), ("Ring", 1280)] {
        w.press(shape).await?;
        w.bench_says(&format!("{points} points")).await?;
    }
    for _ in 0..9 {
        w.ctrl('z').await?;
    }
    w.until("all of it is undone", async || {
        let s = scene().await;
        Ok(s["bodies"].as_object().is_some_and(|b| b.len() == 1))
    })
    .await?;
    w.close().await
}

#[tokio::test]
async fn colliders_are_brought_in_dragged_and_set_apart_and_a_snag_is_gone_to() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let loft = w.project(&site, "Washing loft", "Blanket").await?;
    w.step("Contact").await?;
    let scene = async || scene(&site, loft).await;
    // Meshes from files.
    w.bring_in_collider(&project().join("demo/pennant.obj").canonicalize().unwrap(), "mesh").await?;
    w.bench_says("Pennant").await?;
    w.more("Pennant", "Remove").await?;
    w.message_with("Pennant is removed").await?;
    let flat = w.folder.join("flat.obj");
    std::fs::write(&flat, "v 0 0 0\nv 1 0 0\nv 0 0 1\nv 1 0 1\nf 1 2 3\nf 2 4 3\n").unwrap();
    let wedge = w.folder.join("wedge.obj");
    std::fs::write(&wedge, "v 0 0 0\nv .2 0 0\nv 0 0 .2\nv 0 .2 0\nf 1 2 3\nf 1 2 4\nf 2 3 4\nf 3 1 4\n")
        .unwrap();
    w.bring_in_collider(&wedge, "hull").await?;
    w.bench_says("Wedge").await?;
    assert!(scene().await["colliders"]["wedge"]["form"]["hull"]["from"]["blob"].is_string());
    // An arm, where a corner of the blanket stands: only the height changes.
    w.press("Ball").await?;
    w.bench_says("ball, 0.25 m").await?;
    w.set("/colliders/ball/form/ball/radius", "0.05").await?;
    for (k, at) in ["-0.8553", "1.06", "-0.3281"].iter().enumerate() {
        w.set(&format!("/colliders/ball/place/position/{k}"), at).await?;
    }
    w.until("the ball is placed", async || {
        Ok(scene().await["colliders"]["ball"]["place"]["position"] == json!([-0.8553, 1.06, -0.3281]))
    })
    .await?;
    w.drag_up("blanket", 0, 40, 60).await?;
    w.until("the arm has lifted the ball", async || {
        let p = scene().await["colliders"]["ball"]["place"]["position"].clone();
        let near = |k: usize, to: f64| (p[k].as_f64().unwrap_or(0.0) - to).abs() < 1e-4;
        Ok(p[1].as_f64().unwrap_or(0.0) > 1.1 && near(0, -0.8553) && near(2, -0.3281))
    })
    .await?;
    w.ctrl('z').await?;
    w.has("/colliders/ball/place/position/1", "1.06").await?;
    // Who meets whom.
    w.turn("cloth meets solid").await?;
    w.until("the groups are set apart", async || Ok(scene().await["apart"] == json!([["cloth", "solid"]])))
        .await?;
    w.turn("cloth meets solid").await?;
    w.until("they meet again", async || Ok(scene().await["apart"].as_array().is_none_or(Vec::is_empty)))
        .await?;
    // A hull of what is flat can't be: it is told when it is brought in, and nothing is kept of it.
    w.bring_in_collider(&flat, "hull").await?;
    w.says("it has no hull").await?;
    w.press("Leave it").await?;
    assert!(scene().await["colliders"]["flat"].is_null());
    // A snag, and the way to it.
    w.step("Shape").await?;
    w.set("/bodies/blanket/kind/cloth/matter/stretch_warp", "0.3").await?;
    w.set("/bodies/blanket/kind/cloth/matter/stretch_weft", "0.3").await?;
    w.step("Run").await?;
    w.set("/frames/last", "16").await?;
    w.run().await?;
    w.lanes_say("Blanket up to date").await?;
    w.bench_says("overstretched").await?;
    let go = "const b = [...document.querySelectorAll('button')].find((b) => /overstretched.*, frames? /.test(b.innerText)); b.click();
              return Number(/ at frame (\\d+)/.exec(b.title)[1])";
    let frame = w.script(go).await?.as_i64().unwrap();
    w.until("the playhead is at the snag", async || Ok(w.frame().await? == frame)).await?;
    assert!(frame > 0);
    // There the triangles at fault are outlined, where the cloth lies; a frame without any shows none.
    let outlined = "const m = nematonStage.layers.get('blanket').marks.faulty; return m.visible ? m.geometry.getAttribute('position').count / 6 : 0";
    w.until("what is torn is outlined", async || Ok(w.script(outlined).await?.as_u64() > Some(0))).await?;
    let on = "const s = nematonStage, l = s.layers.get('blanket'), p = l.marks.faulty.geometry.getAttribute('position'), all = l.drawn.positions;
              const has = (i) => { for (let k = 0; k < all.length; k += 3) if (Math.hypot(all[k] - p.getX(i), all[k + 1] - p.getY(i), all[k + 2] - p.getZ(i)) < 1e-6) return true; return false };
              return Array.from({ length: p.count }, (_, i) => i).every(has)";
    assert_eq!(w.script(on).await?, true, "the outline is on the cloth");
    w.press("First frame").await?;
    w.until("at rest none is", async || Ok(w.script(outlined).await? == 0)).await?;
    w.close().await
}
