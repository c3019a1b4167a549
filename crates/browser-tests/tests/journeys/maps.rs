//! Maps by hand: painting, zones, choosing by lasso, and what holds by them.
use nematon_browser_tests::{Site, Window, begin, edit, scene};
use serde_json::{Value, json};
use thirtyfour::prelude::*;

async fn canopy(site: &Site, id: i64) -> Value {
    scene(site, id).await["bodies"]["landing-canopy"].clone()
}

/// What a map comes to, from the server.
async fn weights(site: &Site, id: i64, map: &str, frame: i64) -> Vec<f32> {
    let path = format!("{}/api/projects/{id}/bodies/landing-canopy/maps/{map}?frame={frame}", site.address);
    let bytes = reqwest::get(path).await.unwrap().bytes().await.unwrap();
    let number = |k: usize| u32::from_le_bytes(bytes[k..k + 4].try_into().unwrap());
    let from = 4 + number(0) as usize;
    (from..bytes.len()).step_by(4).map(|k| f32::from_bits(number(k))).collect()
}

fn mean(all: &[f32]) -> f64 {
    all.iter().map(|w| f64::from(*w)).sum::<f64>() / all.len().max(1) as f64
}

/// Drags over the canopy from one of its points to another.
async fn stroke(w: &Window, from: usize, to: usize) -> WebDriverResult<()> {
    let script = format!(
        "const r = document.querySelector('[data-testid=view]').getBoundingClientRect(); return [{from}, {to}].map(p => nematonStage.placeOf('landing-canopy', p)).flatMap(p => [Math.round(r.left + p[0]), Math.round(r.top + p[1])])"
    );
    let v = w.script(&script).await?;
    let at = |k: usize| v[k].as_i64().unwrap();
    let (a, b) = ([at(0), at(1)], [at(2), at(3)]);
    w.rest().await?;
    // As a hand goes: many small ways, however slowly the page takes them.
    let mut chain = w.driver.action_chain().move_to(a[0], a[1]).click_and_hold();
    for k in 1..=8 {
        chain = chain.move_to(a[0] + (b[0] - a[0]) * k / 8, a[1] + (b[1] - a[1]) * k / 8);
    }
    chain.release().perform().await
}

/// Types a number of the brush.
async fn brush(w: &Window, number: &str, value: &str) -> WebDriverResult<()> {
    let field = w.driver.query(By::Css(format!("[aria-label='{number} of the brush']"))).first().await?;
    field.click().await?;
    w.ctrl('a').await?;
    field.send_keys(value.to_owned() + Key::Enter).await
}

/// A point of the canopy's 60 by 40.
fn point(column: usize, row: usize) -> usize {
    60 * row + column
}

#[tokio::test]
async fn a_soft_edge_is_painted_with_its_mirror_and_holds_softly_and_all_of_it_is_undone()
-> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let before = scene(&site, w.id).await;
    w.step("Hold").await?;
    w.press("Paint a map").await?;
    w.until("there is a map with a painted layer", async || {
        Ok(canopy(&site, w.id).await["maps"]["painted"]["layers"][0]["weights"]["painted"].is_object())
    })
    .await?;
    w.until("the brush is at hand", async || {
        Ok(w.driver.find(By::Css("[aria-label='Radius of the brush']")).await.is_ok())
    })
    .await?;
    brush(&w, "Radius", "0.4").await?;
    brush(&w, "Strength", "0.8").await?;
    w.choose("Mirror", "mirror x").await?;
    w.rest().await?;
    stroke(&w, point(8, 14), point(8, 26)).await?;
    let strokes = async || {
        canopy(&site, w.id).await["maps"]["painted"]["layers"][0]["weights"]["painted"]["strokes"]
            .as_array()
            .map_or(0, Vec::len)
    };
    w.until("the stroke is kept", async || Ok(strokes().await == 1)).await?;
    let painted = weights(&site, w.id, "painted", 0).await;
    assert_eq!(painted.len(), 2400);
    assert!(
        painted.iter().all(|w| *w <= 0.8 + 1e-6) && painted[point(8, 20)] > 0.7,
        "{}",
        painted[point(8, 20)]
    );
    assert_eq!(painted[point(30, 20)], 0.0, "the middle is dry");
    for (row, column) in (0..40).flat_map(|r| (0..30).map(move |c| (r, c))) {
        let (a, b) = (painted[point(column, row)], painted[point(59 - column, row)]);
        // The diagonals of the sheet are not mirrored, and distances go along them.
        assert!((a - b).abs() < 1e-3, "{column} {row}: {a} {b}");
    }
    // Two quick strokes one after the other both stay.
    stroke(&w, point(14, 30), point(16, 32)).await?;
    stroke(&w, point(14, 8), point(16, 6)).await?;
    w.until("both are kept", async || Ok(strokes().await == 3)).await?;
    let three = weights(&site, w.id, "painted", 0).await;
    assert!(three[point(15, 31)] > 0.3 && three[point(15, 7)] > 0.3 && three[point(8, 20)] > 0.7);
    w.ctrl('z').await?;
    w.until("one stroke is one undo", async || Ok(strokes().await == 2)).await?;
    w.ctrl('z').await?;
    w.until("and the other", async || Ok(strokes().await == 1)).await?;
    w.keys(Key::Escape + "").await?;
    w.until("Escape puts the brush away", async || {
        Ok(w.driver.find(By::Css("[aria-label='Radius of the brush']")).await.is_err())
    })
    .await?;
    w.press("Hold by this map").await?;
    w.until("a grip holds by it", async || {
        Ok(canopy(&site, w.id).await["grips"]["by-painted"]["map"] == json!("painted"))
    })
    .await?;
    // Of the others only the ridge side holds: the painted patches keep their part up.
    for grip in ["gully-eyelets", "post-corner"] {
        edit(
            &site,
            w.id,
            json!([{"op": "add", "path": format!("/bodies/landing-canopy/grips/{grip}/on"), "value": false}]),
        )
        .await;
    }
    w.run().await?;
    w.all_true().await?;
    w.press("First frame").await?;
    for _ in 0..12 {
        w.press("A frame on").await?;
    }
    w.shows("landing-canopy:12:true").await?;
    let height = async |p: usize| {
        let v = w.script(&format!("const l = nematonStage.layers.get('landing-canopy'); return [l.drawn.positions[3 * {p} + 1], l.shape.placed[3 * {p} + 1]]")).await?;
        Ok::<f64, WebDriverError>(v[1].as_f64().unwrap() - v[0].as_f64().unwrap())
    };
    let (held, free) = (height(point(8, 20)).await?, height(point(30, 38)).await?);
    assert!(held.abs() < 0.08 && free > 3.0 * held.abs() + 0.05, "held falls by {held}, free by {free}");
    let changed = scene(&site, w.id).await;
    for _ in 0..9 {
        w.ctrl('z').await?;
    }
    w.until("undone to the start", async || Ok(scene(&site, w.id).await == before)).await?;
    for _ in 0..9 {
        w.driver
            .action_chain()
            .key_down(Key::Control)
            .key_down(Key::Shift)
            .send_keys("z")
            .key_up(Key::Shift)
            .key_up(Key::Control)
            .perform()
            .await?;
    }
    w.until("and redone to the end", async || Ok(scene(&site, w.id).await == changed)).await?;
    w.close().await
}

#[tokio::test]
async fn an_inverted_capsule_drives_a_map_and_a_grip_and_the_cloth_answers_by_frame() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Hold").await?;
    w.press("Zone").await?;
    w.until("there is a map of a zone", async || Ok(canopy(&site, w.id).await["maps"]["zone"].is_object()))
        .await?;
    w.choose("Zone is a", "capsule").await?;
    let layer = async || canopy(&site, w.id).await["maps"]["zone"]["layers"][0].clone();
    w.until("it is a capsule", async || Ok(layer().await["weights"]["zone"]["form"]["capsule"].is_object()))
        .await?;
    w.turn("Zone zone Inverted").await?;
    w.until("inverted", async || Ok(layer().await["invert"] == json!(true))).await?;
    let at = "/bodies/landing-canopy/maps/zone/layers/0/weights/zone";
    // About the middle of the sheet: held everywhere but there.
    edit(&site, w.id, json!([
        {"op": "replace", "path": format!("{at}/place"), "value": {"position": [0, 1.85, 0], "turn": [0, 0, 0]}},
        {"op": "replace", "path": format!("{at}/form"), "value": {"capsule": {"radius": 0.6, "length": 1}}},
    ])).await;
    let still = weights(&site, w.id, "zone", 0).await;
    assert!(
        still[point(30, 20)] < 0.01 && still[point(2, 2)] > 0.99,
        "{} {}",
        still[point(30, 20)],
        still[point(2, 2)]
    );
    w.press("Hold by this map").await?;
    w.until("a grip holds by it", async || Ok(canopy(&site, w.id).await["grips"]["by-zone"].is_object()))
        .await?;
    // Keyed: at frame 24 it has gone, and all is held.
    edit(
        &site,
        w.id,
        json!([{"op": "replace", "path": format!("{at}/place/position/0"), "value":
        {"keys": [{"frame": 0, "value": 0}, {"frame": 12, "value": 0}, {"frame": 24, "value": 9}]}}]),
    )
    .await;
    w.until("the bench says that it moves", async || {
        Ok(w.driver.find(By::Css("[data-testid=map-stats]")).await?.text().await?.contains("moves"))
    })
    .await?;
    assert!(weights(&site, w.id, "zone", 24).await.iter().all(|w| *w > 0.99));
    w.run().await?;
    w.all_true().await?;
    let fallen = async |frame: i64| {
        let v = w.script(&format!("const l = nematonStage.layers.get('landing-canopy'); const p = 3 * {} + 1; return document.querySelector('[data-testid=view]').dataset.shown.includes('landing-canopy:{frame}:true') ? l.shape.placed[p] - l.drawn.positions[p] : null", point(30, 20))).await?;
        Ok::<Option<f64>, WebDriverError>(v.as_f64())
    };
    w.scrub(2, 10).await?;
    w.shows("landing-canopy:10:true").await?;
    let sags = fallen(10).await?.unwrap();
    w.scrub(10, 40).await?;
    w.shows("landing-canopy:40:true").await?;
    let held = fallen(40).await?.unwrap();
    assert!(
        sags.abs() > 0.02 && held.abs() < 0.5 * sags.abs(),
        "sags by {sags}, and is drawn back to {held}"
    );
    // A ring of values beside the pointer, and the map is on screen.
    let seen = w.script("return nematonStage.layers.get('landing-canopy').drawn.dyes.shows.value.x").await?;
    assert_eq!(seen, json!(1));
    w.close().await
}

#[tokio::test]
async fn maps_choices_and_grips_outlive_two_changes_of_density() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Hold").await?;
    w.press("Paint a map").await?;
    w.until("the brush is at hand", async || {
        Ok(w.driver.find(By::Css("[aria-label='Radius of the brush']")).await.is_ok())
    })
    .await?;
    brush(&w, "Radius", "0.5").await?;
    stroke(&w, point(20, 12), point(40, 26)).await?;
    w.until("painted", async || Ok(mean(&weights(&site, w.id, "painted", 0).await) > 0.02)).await?;
    let before = mean(&weights(&site, w.id, "painted", 0).await);
    w.press("Done").await?;
    w.press("Hold by this map").await?;
    w.until("a grip holds by it", async || Ok(canopy(&site, w.id).await["grips"]["by-painted"].is_object()))
        .await?;
    let shape = "/bodies/landing-canopy/kind/cloth/shape/sheet";
    for (columns, rows) in [(31, 77), (90, 24)] {
        edit(
            &site,
            w.id,
            json!([
                {"op": "replace", "path": format!("{shape}/columns"), "value": columns},
                {"op": "replace", "path": format!("{shape}/rows"), "value": rows},
            ]),
        )
        .await;
        let now = weights(&site, w.id, "painted", 0).await;
        assert_eq!(now.len(), columns * rows);
        assert!(
            (mean(&now) - before).abs() < 0.08 * before,
            "{columns} by {rows}: {} for {before}",
            mean(&now)
        );
        w.until("the view shows it on the new points", async || {
            let v = w.script("const l = nematonStage.layers.get('landing-canopy'); return [l.drawn.soak?.length, l.shape.head.grips.find(g => g.grip === 'by-painted')?.points.length]").await?;
            let part = v[1].as_f64().unwrap_or(0.0) / (columns * rows) as f64;
            Ok(v[0] == json!(columns * rows) && part > before && part < 0.5)
        })
        .await?;
    }
    // Painted on again, it goes on from what was carried over.
    w.press("Paint").await?;
    w.rest().await?;
    stroke(&w, 90 * 4 + 60, 90 * 8 + 70).await?;
    w.until("more of it is soaked", async || {
        Ok(mean(&weights(&site, w.id, "painted", 0).await) > 1.1 * before)
    })
    .await?;
    w.close().await
}

#[tokio::test]
async fn a_lasso_takes_what_faces_the_eye_and_through_takes_all() -> WebDriverResult<()> {
    let (_turn, _site, w) = begin().await;
    w.step("Shape").await?;
    w.press("Ball").await?;
    w.until("a ball is there", async || {
        Ok(w.script("return Boolean(nematonStage.layers.get('ball'))").await? == json!(true))
    })
    .await?;
    w.step("Hold").await?;
    w.press("Lasso").await?;
    w.keys("f").await?;
    w.rest().await?;
    let around = async || {
        let v = w.script("const r = document.querySelector('[data-testid=view]').getBoundingClientRect(); const s = nematonStage, n = s.layers.get('ball').shape.head.points; let b = [1e9, 1e9, -1e9, -1e9]; for (let p = 0; p < n; p++) { const q = s.placeOf('ball', p); b = [Math.min(b[0], q[0]), Math.min(b[1], q[1]), Math.max(b[2], q[0]), Math.max(b[3], q[1])]; } return [...b.map((c, k) => Math.round(c + (k % 2 ? r.top : r.left) + (k < 2 ? -12 : 12))), n]").await?;
        let at = |k: usize| v[k].as_i64().unwrap();
        let [x, y, u, z] = [0, 1, 2, 3].map(at);
        w.driver
            .action_chain()
            .move_to(x, y)
            .click_and_hold()
            .move_to(u, y)
            .move_to(u, z)
            .move_to(x, z)
            .move_to(x, y + 8)
            .release()
            .perform()
            .await?;
        w.rest().await?;
        Ok::<(usize, usize), WebDriverError>((w.chosen().await?.len(), at(4) as usize))
    };
    let (seen, all) = around().await?;
    assert!(seen > all / 4 && seen < 3 * all / 5, "{seen} of {all} face the eye");
    w.press("The rest").await?;
    w.rest().await?;
    assert_eq!(w.chosen().await?.len(), all - seen);
    w.press("Whole piece").await?;
    w.rest().await?;
    assert_eq!(w.chosen().await?.len(), all);
    w.press("Through layers").await?;
    let (through, all) = around().await?;
    assert_eq!(through, all);
    w.ctrl('z').await?;
    w.rest().await?;
    w.press("Map of the chosen").await?;
    w.says("Around the chosen").await?;
    w.close().await
}

#[tokio::test]
async fn the_brush_is_set_by_keys_and_wheel_floods_and_what_is_chosen_is_kept_by_a_name()
-> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Hold").await?;
    w.press("Paint a map").await?;
    let number = async |name: &str| {
        let field = w.driver.query(By::Css(format!("[aria-label='{name} of the brush']"))).first().await?;
        Ok::<f64, WebDriverError>(field.value().await?.unwrap_or_default().parse().unwrap_or(f64::NAN))
    };
    brush(&w, "Radius", "20 cm").await?;
    w.until("typed with its unit", async || Ok(number("Radius").await? == 0.2)).await?;
    w.keys("=").await?;
    w.until("a key makes it larger", async || Ok((number("Radius").await? - 0.24).abs() < 1e-9)).await?;
    w.keys("-").await?;
    w.until("and smaller", async || Ok((number("Radius").await? - 0.2).abs() < 1e-9)).await?;
    let wheel = |keys: &str| {
        format!(
            "const v = document.querySelector('[data-testid=view]'), r = v.getBoundingClientRect(); v.dispatchEvent(new WheelEvent('wheel', {{ deltaY: 120, {keys}: true, clientX: r.left + 300, clientY: r.top + 300, bubbles: true, cancelable: true }}))"
        )
    };
    let camera = w.camera().await?;
    w.script(&wheel("shiftKey")).await?;
    w.until("the wheel with Shift too", async || Ok(number("Radius").await? < 0.19)).await?;
    w.script(&wheel("altKey")).await?;
    w.until("and with Alt its strength", async || Ok(number("Strength").await? < 0.9)).await?;
    assert_eq!(w.camera().await?, camera, "the view stays");
    // A bad number is not taken, and Escape leaves what was.
    let before = number("Radius").await?;
    brush(&w, "Radius", "much").await?;
    w.until("nothing is taken", async || Ok(number("Radius").await? == before)).await?;
    // A stroke that is left by Escape leaves nothing.
    let script = format!("return nematonStage.placeOf('landing-canopy', {})", point(30, 20));
    let v = w.script(&script).await?;
    let r = w.script("const r = document.querySelector('[data-testid=view]').getBoundingClientRect(); return [r.left, r.top]").await?;
    let at = |k: usize| (v[k].as_f64().unwrap() + r[k].as_f64().unwrap()) as i64;
    w.driver
        .action_chain()
        .move_to(at(0), at(1))
        .click_and_hold()
        .move_to(at(0) + 30, at(1))
        .perform()
        .await?;
    w.rest().await?;
    w.keys(Key::Escape + "").await?;
    w.driver.action_chain().release().perform().await?;
    w.rest().await?;
    assert_eq!(mean(&weights(&site, w.id, "painted", 0).await), 0.0, "nothing of it is kept");
    // Poured: all that hangs together with what is pressed.
    w.press("Paint").await.ok();
    w.press("Pour").await?;
    brush(&w, "Level", "0.6").await?;
    w.driver.action_chain().move_to(at(0), at(1)).click().perform().await?;
    w.until("all of it is soaked", async || {
        Ok(weights(&site, w.id, "painted", 0).await.iter().all(|w| (w - 0.6).abs() < 1e-6))
    })
    .await?;
    w.ctrl('z').await?;
    w.until("undone", async || Ok(mean(&weights(&site, w.id, "painted", 0).await) == 0.0)).await?;
    w.press("Done").await?;
    // What is chosen is kept, chosen again, and taken away.
    w.press("Pick").await?;
    w.click_point("landing-canopy", point(30, 20)).await?;
    w.until("a point is chosen", async || Ok(w.chosen().await?.len() == 1)).await?;
    w.keys("g").await?;
    w.until("and those around it", async || Ok(w.chosen().await?.len() > 4)).await?;
    let around = w.chosen().await?.len();
    w.press("Keep").await?;
    w.until("kept", async || Ok(canopy(&site, w.id).await["choices"]["choice"]["points"].is_array())).await?;
    w.keys(Key::Escape + "").await?;
    w.until("none is chosen", async || Ok(w.chosen().await?.is_empty())).await?;
    w.open_row("Choice").await?;
    w.until("chosen again", async || Ok(w.chosen().await?.len() == around)).await?;
    w.more("Choice", "Remove").await?;
    w.until("no longer kept", async || Ok(canopy(&site, w.id).await["choices"]["choice"].is_null())).await?;
    w.close().await
}

#[tokio::test]
async fn a_map_scales_a_number_which_says_so_and_goes_with_it() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Hold").await?;
    w.press("Zone").await?;
    w.until("there is a map", async || Ok(canopy(&site, w.id).await["maps"]["zone"].is_object())).await?;
    w.choose("Zone drives another property", "bend").await?;
    let by = async || canopy(&site, w.id).await["scaled"]["bend"].clone();
    w.until("it scales how it bends", async || Ok(by().await["map"] == json!("zone"))).await?;
    let most = "/bodies/landing-canopy/scaled/bend/most";
    w.has(most, "1").await?;
    w.set(most, "4").await?;
    w.until("four times as stiff", async || {
        Ok(by().await["most"] == json!(4.0) || by().await["most"] == json!(4))
    })
    .await?;
    // Told in the number's own unit: 60 µN·m of the oilcloth, four times.
    w.bench_says("0 to 240").await?;
    w.step("Shape").await?;
    let mark = w.driver.query(By::Css("[aria-label='Scaled by Zone']")).first().await?;
    mark.click().await?;
    w.until("the mark leads to the map", async || {
        Ok(w.driver.find(By::Css("aside h1")).await?.inner_html().await? == "Hold"
            && w.bench().await?.contains("0 to 240"))
    })
    .await?;
    w.press("Hold by this map").await?;
    w.until("a grip by it", async || Ok(canopy(&site, w.id).await["grips"]["by-zone"].is_object())).await?;
    w.more("Zone", "Remove").await?;
    w.until("all that it was for goes with it", async || {
        let c = canopy(&site, w.id).await;
        Ok(c["maps"]["zone"].is_null() && c["scaled"]["bend"].is_null() && c["grips"]["by-zone"].is_null())
    })
    .await?;
    w.ctrl('z').await?;
    w.until("and comes back as one", async || {
        let c = canopy(&site, w.id).await;
        Ok(c["maps"]["zone"].is_object()
            && c["scaled"]["bend"].is_object()
            && c["grips"]["by-zone"].is_object())
    })
    .await?;
    w.close().await
}

#[tokio::test]
async fn a_row_is_taken_by_a_double_click_and_a_map_that_is_gone_leaves_the_shape() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Hold").await?;
    w.press("Pick").await?;
    w.command("Look from above").await?;
    w.rest().await?;
    let at = w.script(&format!("const r = document.querySelector('[data-testid=view]').getBoundingClientRect(), s = nematonStage, a = s.placeOf('landing-canopy', {}), b = s.placeOf('landing-canopy', {}); return [Math.round(r.left + 0.7 * a[0] + 0.3 * b[0]), Math.round(r.top + 0.7 * a[1] + 0.3 * b[1])]", point(30, 20), point(31, 20))).await?;
    let (x, y) = (at[0].as_i64().unwrap(), at[1].as_i64().unwrap());
    w.driver.action_chain().move_to(x, y).double_click().perform().await?;
    let row: Vec<u64> = (0..60).map(|c| point(c, 20) as u64).collect();
    w.until("the row is chosen", async || {
        let mut chosen = w.chosen().await?;
        chosen.sort_unstable();
        Ok(chosen == row)
    })
    .await?;
    w.ctrl('z').await?;
    w.rest().await?;
    // A map of a border that there is not: the canopy stays on screen, and it is said where.
    edit(
        &site,
        w.id,
        json!([{"op": "add", "path": "/bodies/landing-canopy/maps", "value": {"lost": {"name": "Lost", "layers": [{"weights": {"border": {"border": "hem", "reach": 0.2}}}]}}},
        {"op": "add", "path": "/bodies/landing-canopy/scaled", "value": {"bend": {"map": "lost"}}}]),
    )
    .await;
    w.bench_says("The map \"Lost\" names the border \"hem\"").await?;
    assert_eq!(
        w.script("return nematonStage.layers.get('landing-canopy')?.shape.head.points").await?,
        json!(2400)
    );
    w.ctrl('z').await.ok();
    w.close().await
}

#[tokio::test]
async fn loose_pieces_are_made_heavy_on_one_side_by_a_ramp() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Shape").await?;
    w.press("Loose pieces").await?;
    let drift = async || scene(&site, w.id).await["bodies"]["loose-pieces"].clone();
    w.until("it is there", async || Ok(drift().await.is_object())).await?;
    w.bench_says("400 pieces").await?;
    w.rest().await?;
    w.step("Hold").await?;
    w.bench_says("loose pieces").await?;
    w.press("Zone").await?;
    w.until("a map is there", async || Ok(drift().await["maps"]["zone"].is_object())).await?;
    w.choose("Lay on Zone", "ramp").await?;
    w.until("with a ramp", async || {
        Ok(drift().await["maps"]["zone"]["layers"].as_array().is_some_and(|l| l.len() == 2))
    })
    .await?;
    w.choose("Zone drives another property", "weight").await?;
    w.until("it scales their weight", async || Ok(drift().await["scaled"]["areal_weight"].is_object()))
        .await?;
    w.bench_says("1 to 2 g").await?;
    w.close().await
}
