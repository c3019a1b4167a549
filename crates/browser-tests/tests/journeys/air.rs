//! Air by hand: every kind of field, where each acts and on whom, and what moves a point.
use nematon_browser_tests::{Site, Window, ask, begin, edit, get, scene};
use serde_json::{Value, json};
use thirtyfour::prelude::*;

/// What the air is at a place, or what one field does there.
async fn air(site: &Site, id: i64, frame: i64, place: [f64; 3], field: Option<&str>) -> [f64; 3] {
    let mut asked = json!({"frame": frame, "places": [place]});
    if let Some(f) = field {
        asked["field"] = json!(f);
    }
    let told = ask(site, &format!("/projects/{id}/air"), &asked).await;
    std::array::from_fn(|k| told["velocities"][0][k].as_f64().unwrap())
}

fn size(v: [f64; 3]) -> f64 {
    v.iter().map(|c| c * c).sum::<f64>().sqrt()
}

/// Lines of the outlines that are drawn.
async fn drawn(w: &Window) -> WebDriverResult<i64> {
    let lines = "return nematonStage.outlines.group.children.reduce((n, c) => n + c.geometry.getAttribute('position').count, 0)";
    Ok(w.script(lines).await?.as_i64().unwrap_or(0))
}

#[tokio::test]
async fn one_of_each_kind_is_added_seen_and_acts_and_all_is_undone_and_done_again() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Air").await?;
    w.press("Skin push").await?;
    w.message_with("no surface yet").await?;
    edit(&site, w.id, json!([{"op": "add", "path": "/colliders", "value": {"ball": {"name": "Ball", "form": {"ball": {"radius": 0.4}}, "place": {"position": [0, 1, 0]}}}}])).await;
    w.until("the page knows of it", async || {
        Ok(w.script("return Boolean(nematonStage.colliders.meshOf('ball'))").await? == json!(true))
    })
    .await?;
    let before = scene(&site, w.id).await;
    let kinds = [
        ("Pull", "pull", true),
        ("Column", "column", true),
        ("Stream", "stream", true),
        ("Skin push", "skin-push", false),
        ("Shelter", "shelter", false),
    ];
    for (name, key, outlined) in kinds {
        w.press(name).await?;
        w.until(name, async || Ok(scene(&site, w.id).await["fields"][key].is_object())).await?;
        w.until("it is open", async || {
            Ok(w.script(&format!("return [...document.querySelectorAll('aside button[aria-expanded=true]')].some(b => b.innerText.startsWith('{name}'))")).await? == json!(true))
        })
        .await?;
        if outlined {
            w.until("it is seen", async || Ok(drawn(&w).await? > 20)).await?;
        }
    }
    // Each does something near where it stands; what pushes is told in m/s².
    for (key, place) in [
        ("pull", [1.0, 2.0, 0.0]),
        ("column", [0.1, 1.9, 0.1]),
        ("stream", [0.6, 3.0, -0.4]),
        ("skin-push", [0.0, 1.5, 0.0]),
    ] {
        assert!(size(air(&site, w.id, 0, place, Some(key)).await) > 0.2, "{key} does nothing at {place:?}");
    }
    w.open_row("Pull").await?;
    w.bench_says("m/s²").await?;
    w.choose("Pull Acts as", "moves air").await?;
    w.until("it moves air", async || Ok(scene(&site, w.id).await["fields"]["pull"]["by"] == "air")).await?;
    let all = scene(&site, w.id).await;
    let back = async |key: char, to: &Value| {
        for _ in 0..12 {
            if scene(&site, w.id).await == *to {
                return Ok::<bool, WebDriverError>(true);
            }
            let was = get(&site, &w.at("")).await["revision"].clone();
            if key == 'z' {
                w.ctrl('z').await?;
            } else {
                w.press("Redo").await?;
            }
            w.until("a step is gone", async || Ok(get(&site, &w.at("")).await["revision"] != was)).await?;
            w.rest().await?;
        }
        Ok(scene(&site, w.id).await == *to)
    };
    assert!(back('z', &before).await?, "undone to the start");
    assert!(back('y', &all).await?, "and redone to the end");
    w.close().await
}

#[tokio::test]
async fn of_two_turbulences_and_a_wind_one_acts_alone_one_is_off_and_calm_is_over_all() -> WebDriverResult<()>
{
    let (_turn, site, w) = begin().await;
    w.step("Air").await?;
    let at = [0.3, 1.9, 0.2];
    let (rollers, flutter) =
        (air(&site, w.id, 40, at, Some("rollers")).await, air(&site, w.id, 40, at, Some("flutter")).await);
    let whole = air(&site, w.id, 40, at, None).await;
    assert!(size(rollers) > 0.1 && size(flutter) > 0.02 && size(whole) > 1.0);
    w.more("Flutter", "Alone").await?;
    w.bench_says("alone").await?;
    w.bench_says("waits").await?;
    let off = |a: [f64; 3], b: [f64; 3]| size(std::array::from_fn(|k| a[k] - b[k]));
    w.until("only it moves air", async || Ok(off(air(&site, w.id, 40, at, None).await, flutter) < 1e-5))
        .await?;
    w.press("All act again").await?;
    w.until("all do again", async || Ok(off(air(&site, w.id, 40, at, None).await, whole) < 1e-5)).await?;
    w.press("Rollers over the ridge off").await?;
    w.until("without the rollers", async || {
        let now = air(&site, w.id, 40, at, None).await;
        Ok(off(now, std::array::from_fn(|k| whole[k] - rollers[k])) < 1e-4)
    })
    .await?;
    w.press("Rollers over the ridge acts again").await?;
    w.set("/calm", "0.75").await?;
    w.until("a quarter is left", async || {
        Ok(off(air(&site, w.id, 40, at, None).await, whole.map(|c| 0.25 * c)) < 1e-4)
    })
    .await?;
    // The list is the artist's: its order says nothing about the sum.
    w.more("Flutter", "Up in the list").await?;
    w.until("it stands before the rollers", async || {
        let all = scene(&site, w.id).await["fields"].as_object().unwrap().keys().cloned().collect::<Vec<_>>();
        Ok(all.iter().position(|k| k == "flutter") < all.iter().position(|k| k == "rollers"))
    })
    .await?;
    w.ctrl('z').await?;
    w.ctrl('z').await?;
    w.until("undone, it blows as before", async || {
        Ok(off(air(&site, w.id, 40, at, None).await, whole) < 1e-5)
    })
    .await?;
    w.close().await
}

#[tokio::test]
async fn an_inverted_capsule_limits_a_field_is_taken_by_its_arms_and_joined_with_another()
-> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Air").await?;
    w.open_row("Ridge wind").await?;
    w.turn("Ridge wind only in a zone").await?;
    w.has("/fields/ridge-wind/zone/form/ball/radius", "1").await?;
    w.choose("Zone is a", "capsule").await?;
    w.until("it is one", async || {
        Ok(scene(&site, w.id).await["fields"]["ridge-wind"]["zone"]["form"]["capsule"].is_object())
    })
    .await?;
    w.press("Ridge wind outside the zone").await?;
    let wind = async |place| size(air(&site, w.id, 0, place, Some("ridge-wind")).await);
    w.until("within it there is none", async || Ok(wind([0.0, 1.85, 0.0]).await < 1e-6)).await?;
    assert!(wind([4.0, 1.85, 0.0]).await > 2.0);
    w.until("its outline is seen", async || Ok(drawn(&w).await? > 100)).await?;
    // A number by its bead: Escape puts it back, a drag is one undo.
    let radius = async || {
        scene(&site, w.id).await["fields"]["ridge-wind"]["zone"]["form"]["capsule"]["radius"]
            .as_f64()
            .unwrap()
    };
    let bead = "const s = nematonStage, r = s.canvas.getBoundingClientRect(), b = s.beads.drawn.find((d) => d.bead.number.endsWith('capsule/radius')); if (!b) return null; const p = b.ball.position.clone().project(s.camera); return [Math.round(r.left + (p.x + 1) / 2 * r.width), Math.round(r.top + (1 - p.y) / 2 * r.height)]";
    w.until("its bead is there", async || Ok(!w.script(bead).await?.is_null())).await?;
    w.rest().await?;
    let v = w.script(bead).await?;
    let (x, y) = (v[0].as_i64().unwrap(), v[1].as_i64().unwrap());
    let drag =
        || w.driver.action_chain().move_to(x, y).click_and_hold().move_to(x + 30, y).move_to(x + 60, y);
    drag().perform().await?;
    w.keys(Key::Escape + "").await?;
    w.driver.action_chain().release().perform().await?;
    w.rest().await?;
    assert_eq!(radius().await, 0.5, "Escape leaves it");
    drag().release().perform().await?;
    w.until("it is wider", async || Ok(radius().await > 0.55)).await?;
    w.ctrl('z').await?;
    w.until("and as it was", async || Ok(radius().await == 0.5)).await?;
    // By its arms: the same.
    let place =
        async || scene(&site, w.id).await["fields"]["ridge-wind"]["zone"]["place"]["position"].clone();
    let before = place().await;
    w.press("Ridge wind by hand in the view").await?;
    w.until("the arms are there", async || {
        Ok(w.script("return Boolean(nematonStage.arms.on)").await? == json!(true))
    })
    .await?;
    w.rest().await?;
    w.drag_arm_up(50, Some(Key::Escape)).await?;
    w.rest().await?;
    assert_eq!(place().await, before, "Escape put it back");
    w.drag_arm_up(50, None).await?;
    w.until("the arm has lifted it", async || Ok(place().await[1].as_f64() > before[1].as_f64())).await?;
    w.ctrl('z').await?;
    w.until("it is down again", async || Ok(place().await == before)).await?;
    w.press("Ridge wind by hand in the view").await?;
    w.press("Add a zone").await?;
    w.until("there are two", async || {
        Ok(scene(&site, w.id).await["fields"]["ridge-wind"]["zones"].as_array().is_some_and(|z| z.len() == 1))
    })
    .await?;
    assert!(wind([4.0, 1.85, 0.0]).await < 1e-6, "where both are, there is none any more");
    w.choose("Ridge wind zone 2 Joined", "where either is").await?;
    w.until("where either is, there is", async || {
        Ok(wind([4.0, 1.85, 0.0]).await > 2.0 && wind([0.0, 1.85, 0.0]).await > 2.0)
    })
    .await?;
    w.close().await
}

#[tokio::test]
async fn a_column_is_keyed_through_the_canopy_and_a_pattern_drifts_by_a_formula() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Air").await?;
    w.press("Column").await?;
    w.until("it is there", async || Ok(scene(&site, w.id).await["fields"]["column"].is_object())).await?;
    let x = "/fields/column/place/position/0";
    edit(&site, w.id, json!([{"op": "replace", "path": x, "value": {"keys": [{"frame": 0, "value": -2}, {"frame": 12, "value": 2}]}}])).await;
    w.has(x, "-2").await?;
    let middle = "const b = nematonStage.outlines.group.children[0]; if (!b) return null; b.geometry.computeBoundingSphere(); return b.geometry.boundingSphere.center.x";
    let seen = async |x: f64| Ok(w.script(middle).await?.as_f64().is_some_and(|c| (c - x).abs() < 0.1));
    w.until("it is seen where it begins", async || seen(-2.0).await).await?;
    for _ in 0..6 {
        w.press("A frame on").await?;
    }
    w.until("and on its way", async || seen(0.0).await).await?;
    assert!(air(&site, w.id, 1, [-1.8, 1.8, 0.0], Some("column")).await[1] > 2.0);
    assert_eq!(size(air(&site, w.id, 12, [-1.8, 1.8, 0.0], Some("column")).await), 0.0);
    // A pattern that drifts by a formula: it stands on a place that does.
    w.open_row("Flutter").await?;
    w.turn("Flutter has a place of its own").await?;
    w.has("/fields/flutter/place/position/0", "0").await?;
    edit(
        &site,
        w.id,
        json!([
            {"op": "replace", "path": "/fields/flutter/act/turbulence/pace", "value": 0},
            {"op": "replace", "path": "/fields/flutter/act/turbulence/drift", "value": [0, 0, 0]},
            {"op": "replace", "path": "/fields/flutter/place/position/0", "value": {"formula": "2 * t"}},
        ]),
    )
    .await;
    // Fields stand as in the middle of the way to a frame.
    let a = air(&site, w.id, 1, [0.3, 1.5, 0.2], Some("flutter")).await;
    let b = air(&site, w.id, 13, [1.3, 1.5, 0.2], Some("flutter")).await;
    assert!(size(a) > 0.05 && (0..3).all(|k| (a[k] - b[k]).abs() < 1e-4), "{a:?} is not {b:?}");
    w.step("Run").await?;
    w.set("/frames/last", "12").await?;
    w.run().await?;
    w.all_true().await?;
    w.close().await
}

#[tokio::test]
async fn it_tells_what_moves_a_point_at_the_frame_and_over_the_take() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Air").await?;
    w.press("Press a point").await?;
    w.click_point("landing-canopy", 60 * 36 + 40).await?;
    w.bench_says("are not computed as the scene is now").await?;
    w.press("To Run").await?;
    w.set("/frames/last", "24").await?;
    w.run().await?;
    w.all_true().await?;
    w.step("Air").await?;
    w.press("Press a point").await?;
    w.click_point("landing-canopy", 60 * 36 + 40).await?;
    w.scrub(2, 14).await?;
    let told = async || {
        let v = w.script("return document.querySelector('[data-testid=why]')?.innerText ?? ''").await?;
        Ok::<String, WebDriverError>(v.as_str().unwrap_or_default().to_owned())
    };
    w.until("it tells of the frame", async || Ok(told().await?.contains("at frame 14"))).await?;
    let said = told().await?;
    for name in [
        "Gravity",
        "Ridge wind",
        "Rollers over the ridge",
        "Flutter",
        "The air it moves through",
        "The body itself",
    ] {
        assert!(said.contains(name), "{name} is missing: {said}");
    }
    assert!(said.contains("9.8 ↓"), "{said}");
    // The same as the server tells, and it adds up.
    let asked = json!({"point": 60 * 36 + 40, "first": 5, "last": 20});
    let path = w.at("/bodies/landing-canopy/why");
    let why = ask(&site, &path, &asked).await;
    let shares = why["shares"].as_array().unwrap();
    for (k, all) in why["acceleration"].as_array().unwrap().iter().enumerate() {
        let sum: f64 = shares.iter().map(|s| s["by"][k][1].as_f64().unwrap()).sum();
        assert!((sum - all[1].as_f64().unwrap()).abs() < 0.02, "{sum} of {all}");
    }
    // The plot says its height, and what of it is cut off.
    let words =
        w.script("return document.querySelector('[data-testid=why] svg').getAttribute('aria-label')").await?;
    let words = words.as_str().unwrap_or_default().to_owned();
    assert!(words.starts_with("Frames 1 to 23, up to "), "{words}");
    let whole = ask(&site, &path, &json!({"point": 60 * 36 + 40, "first": 1, "last": 23})).await;
    let mut sizes: Vec<f64> = vec![];
    for share in whole["shares"].as_array().unwrap() {
        for v in share["by"].as_array().unwrap() {
            sizes.push((0..3).map(|k| v[k].as_f64().unwrap().powi(2)).sum::<f64>().sqrt());
        }
    }
    let most = sizes.into_iter().fold(0.0, f64::max);
    let number = |t: &str| t.split(' ').next().and_then(|n| n.parse::<f64>().ok());
    let high = number(&words["Frames 1 to 23, up to ".len()..]).expect("a number");
    let top = words.split("at most ").nth(1).map_or(high, |t| number(t).expect("a number"));
    assert!((top / most - 1.0).abs() < 0.06, "{top} is told, {most} is the most");
    assert!(high <= top);
    // Of the frame that rests on screen what pulls and what it touches is told apart from the body.
    w.until("the body is told alone", async || Ok(!told().await?.contains("what it touches"))).await?;
    let one =
        ask(&site, &path, &json!({"point": 60 * 36 + 40, "first": 14, "last": 14, "apart": true})).await;
    let parts = one["shares"].as_array().unwrap();
    assert!(parts.iter().any(|s| s["name"] == "The body itself"), "{one}");
    let sum: f64 = parts.iter().map(|s| s["by"][0][1].as_f64().unwrap()).sum();
    assert!((sum - one["acceleration"][0][1].as_f64().unwrap()).abs() < 0.02, "{one}");
    let two = ask(&site, &path, &json!({"point": 1, "first": 14, "last": 15, "apart": true})).await;
    assert!(two["detail"].as_str().unwrap().contains("one frame at a time"), "{two}");
    // A name leads to its field.
    w.press("Ridge wind").await?;
    w.has("/fields/ridge-wind/act/wind/speed", "5").await?;
    w.close().await
}

#[tokio::test]
async fn the_vane_turns_the_wind_weathers_are_begun_with_and_air_goes_along_to_another_project()
-> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Air").await?;
    w.open_row("Ridge wind").await?;
    w.until("its vane is there", async || {
        Ok(w.script("return nematonStage.vane.group.visible").await? == json!(true))
    })
    .await?;
    let tip = "const s = nematonStage, r = s.canvas.getBoundingClientRect(), p = s.vane.tip.clone().project(s.camera); return [Math.round(r.left + (p.x + 1) / 2 * r.width), Math.round(r.top + (1 - p.y) / 2 * r.height)]";
    let heading =
        async || scene(&site, w.id).await["fields"]["ridge-wind"]["act"]["wind"]["heading"].as_f64().unwrap();
    let v = w.script(tip).await?;
    let (x, y) = (v[0].as_i64().unwrap(), v[1].as_i64().unwrap());
    let drag = || {
        w.driver.action_chain().move_to(x, y).click_and_hold().move_to(x - 40, y + 20).move_to(x - 80, y + 40)
    };
    drag().perform().await?;
    w.keys(Key::Escape + "").await?;
    w.driver.action_chain().release().perform().await?;
    w.rest().await?;
    assert_eq!(heading().await, 0.5, "Escape leaves it");
    drag().release().perform().await?;
    w.until("it is turned", async || Ok((heading().await - 0.5).abs() > 0.2)).await?;
    w.ctrl('z').await?;
    w.until("and turned back", async || Ok(heading().await == 0.5)).await?;
    // A weather on top of what there is: named apart, one undo.
    let before = scene(&site, w.id).await;
    w.choose("Begin with a weather", "Squall: ").await?;
    w.until("its fields are there", async || {
        let f = scene(&site, w.id).await["fields"].clone();
        Ok(f["flutter-2"]["name"] == "Flutter 2" && f["squall-wind"].is_object())
    })
    .await?;
    w.ctrl('z').await?;
    w.until("one undo takes all of it", async || Ok(scene(&site, w.id).await == before)).await?;
    w.more("the weather", "Copy all of it").await?;
    w.message_with("copied").await?;
    let loft = w.project(&site, "Washing loft", "Blanket").await?;
    w.step("Air").await?;
    w.more("the weather", "Bring in the").await?;
    w.until("it blows in the loft", async || {
        Ok(scene(&site, loft).await["fields"]["rollers-over-the-ridge"].is_object())
    })
    .await?;
    // A slice, with its legend.
    w.press("Slice").await?;
    w.until("the legend tells of speeds", async || {
        let t =
            w.script("return document.querySelector('[data-testid=air-legend]')?.innerText ?? ''").await?;
        Ok(t.as_str().is_some_and(|t| t.contains("m/s")))
    })
    .await?;
    w.close().await
}

#[tokio::test]
async fn a_stream_is_drawn_in_the_view_and_brought_in_from_a_file() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Air").await?;
    w.press("Stream").await?;
    let points = async || {
        scene(&site, w.id).await["fields"]["stream"]["act"]["stream"]["points"]
            .as_array()
            .cloned()
            .unwrap_or_default()
    };
    w.until("it is there", async || Ok(points().await.len() == 4)).await?;
    w.press("Draw it in the view").await?;
    for (k, x) in [0.3, 0.45, 0.6].into_iter().enumerate() {
        w.click_view(x, 0.5 - 0.04 * k as f64).await?;
        w.until("a point more", async || {
            let p = points().await;
            Ok(p.len() == (k + 1).max(2) && (k != 1 || p[0] != p[1]))
        })
        .await?;
        w.rest().await?;
    }
    w.keys(Key::Backspace + "").await?;
    w.until("the last is taken back", async || Ok(points().await.len() == 2)).await?;
    w.keys(Key::Enter + "").await?;
    w.bench_says("Draw it in the view").await?;
    let file = std::env::temp_dir().join("gully.obj");
    std::fs::write(&file, "o gully\nv 0 0 0\nv 1 0.5 0\nv 2 0 0.3\nl 1 2 3 1\n").unwrap();
    let input = w.driver.find(By::Css("[aria-label='Curve for Stream']")).await?;
    input.send_keys(file.to_string_lossy().into_owned()).await?;
    w.until("the file's curve is there, closed", async || {
        let s = scene(&site, w.id).await["fields"]["stream"]["act"]["stream"].clone();
        Ok(s["closed"] == true && s["points"].as_array().is_some_and(|p| p.len() == 3))
    })
    .await?;
    let bad = std::env::temp_dir().join("none.obj");
    std::fs::write(&bad, "v 0 0 0\n").unwrap();
    w.driver
        .find(By::Css("[aria-label='Curve for Stream']"))
        .await?
        .send_keys(bad.to_string_lossy().into_owned())
        .await?;
    w.message_with("has no curve").await?;
    assert_eq!(points().await.len(), 3, "what was there stays");
    w.close().await
}
