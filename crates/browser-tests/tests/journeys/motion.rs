//! What moves: handles keyed by dragging, curves, keys on lanes, and a figure with a cloth hung on it.
use nematon_browser_tests::{Site, begin, edit, scene};
use serde_json::{Value, json};
use std::io::Write as _;
use std::path::Path;
use thirtyfour::prelude::*;

#[tokio::test]
async fn a_handle_is_keyed_by_dragging_and_the_canopy_follows() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Hold").await?;
    w.press("Add a handle").await?;
    let handle = async || scene(&site, w.id).await["handles"]["handle"].clone();
    w.until("it is there", async || Ok(handle().await.is_object())).await?;
    // The corner is held to it, and it is taken by hand.
    w.open_row("Post corner").await?;
    w.choose("Post corner Held to", "Handle").await?;
    let to =
        async || scene(&site, w.id).await["bodies"]["landing-canopy"]["grips"]["post-corner"]["to"].clone();
    w.until("it is held to it", async || Ok(to().await == json!({"handle": "handle"}))).await?;
    w.press("Key as I drag").await?;
    let high = async || handle().await["place"]["position"][1].clone();
    let before = high().await.as_f64().unwrap();
    w.rest().await?;
    w.drag_arm_up(60, Some(Key::Escape)).await?;
    w.rest().await?;
    assert_eq!(high().await.as_f64(), Some(before), "Escape puts it back");
    w.drag_arm_up(2, None).await?;
    w.until("there is a key where it is", async || Ok(high().await["keys"][0]["frame"] == json!(0))).await?;
    w.scrub(2, 12).await?;
    w.rest().await?;
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
    w.all_true().await?;
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
    let id = w.project(&site, "The Courier lands", "Canopy").await?;
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
    w.rest().await?;
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
    // Its lane may lie below those that fit.
    knot.scroll_into_view().await?;
    w.rest().await?;
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
    let figure = async || scene(&site, w.id).await["figures"]["courier"].clone();
    w.until("it is there", async || Ok(figure().await.is_object())).await?;
    w.bench_says("33 joints").await?;
    w.until("it is seen", async || {
        Ok(w.script("return nematonStage.figures.group.children[0]?.visible ?? false").await? == json!(true))
    })
    .await?;
    // A sheet begins on its back and is held to it.
    w.press("Sheet").await?;
    let sheet = async || scene(&site, w.id).await["bodies"]["sheet"].clone();
    w.until("a sheet is there", async || Ok(sheet().await.is_object())).await?;
    w.choose("Sheet Stands on", "thorax, joint of Courier").await?;
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
    let capsules = async || scene(&site, w.id).await["colliders"].as_object().map_or(0, |c| c.len());
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
    assert!(scene(&site, w.id).await["figures"].is_null());
    w.close().await
}

/// A handle that goes by curves: sideways, and turning.
async fn with_curves(site: &Site, id: i64) {
    let curve = |v: [f64; 3]| {
        let key = |(k, v): (usize, &f64)| json!({"frame": 40 * k, "value": v, "then": "curve"});
        json!({"keys": v.iter().enumerate().map(key).collect::<Vec<_>>()})
    };
    let place = json!({"position": [curve([0.0, 0.2, 0.0]), 1, 0], "turn": [0, curve([0.0, 1.0, 3.0]), 0]});
    let handles =
        json!({"op": "add", "path": "/handles", "value": {"post": {"name": "Post", "place": place}}});
    edit(site, id, json!([handles])).await;
}

#[tokio::test]
async fn curves_are_zoomed_bent_by_their_handles_and_stand_beside_others_of_another_unit()
-> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    with_curves(&site, w.id).await;
    w.press("Curves").await?;
    w.press("Position x").await?;
    let lines = w.driver.find(By::Css("[data-testid=lines]")).await?;
    w.until("only these are drawn", async || {
        Ok(lines.attr("aria-label").await?.unwrap_or_default().starts_with("Ways of 1 "))
    })
    .await?;
    w.rest().await?;
    let r = lines.rect().await?;
    let x = |f: f64| (r.x + 14.0 + f / 240.0 * (r.width - 28.0)) as i64;
    // From 0 to 0.2 with 0.016 to spare on either side.
    let y = |v: f64| (r.y + r.height - 10.0 - (v + 0.016) / 0.232 * (r.height - 32.0)) as i64;
    let keys = async |of: &str| scene(&site, w.id).await["handles"]["post"]["place"][of].clone();
    // At the top an automatic handle lies level, a third of the way to the next key.
    w.driver.action_chain().move_to(x(40.0), y(0.2)).click().perform().await?;
    w.until("a key is chosen", async || {
        Ok(w.driver.find(By::Css("section[aria-label=Curves]")).await?.text().await?.contains("A key"))
    })
    .await?;
    let chain = w.driver.action_chain().move_to(x(40.0 + 40.0 / 3.0), y(0.2)).click_and_hold();
    chain.move_to(x(55.0), y(0.18)).move_to(x(60.0), y(0.15)).release().perform().await?;
    w.until("it is the key's own now", async || {
        let leave = keys("position").await[0]["keys"][1]["leave"].clone();
        let of = |n: &str| leave[n].as_f64().unwrap_or(0.0);
        Ok((of("frames") - 20.0).abs() < 1.0 && (of("value") + 0.05).abs() < 0.012)
    })
    .await?;
    w.ctrl('z').await?;
    w.until("and left to itself again", async || Ok(keys("position").await[0]["keys"][1]["leave"].is_null()))
        .await?;
    // The wheel comes closer about the pointer: the key under it stays there.
    w.rest().await?;
    let fit = "return [...document.querySelectorAll('section[aria-label=Curves] button')].find(b => b.textContent === 'Fit').disabled";
    assert_eq!(w.script(fit).await?, json!(true));
    let turn = format!(
        "const l = document.querySelector('[data-testid=lines]'); for (const shiftKey of [false, true]) l.dispatchEvent(new WheelEvent('wheel', {{ deltaY: -400, shiftKey, clientX: {}, clientY: {}, bubbles: true }}))",
        x(40.0),
        y(0.2)
    );
    w.script(&turn).await?;
    w.until("it is not all of it", async || Ok(w.script(fit).await? == json!(false))).await?;
    lines.send_keys(Key::Escape + "").await?;
    w.driver.action_chain().move_to(x(40.0), y(0.2)).click().perform().await?;
    let frame = w.driver.find(By::Css("[aria-label='Frame of the key']")).await?;
    assert_eq!(frame.value().await?.as_deref(), Some("40"));
    w.press("Fit").await?;
    // Beside a turn each has its own height, and both are dragged together.
    let turning =
        w.driver.find(By::XPath("//ul[@aria-label='What moves']//button[contains(., 'Turn y')]")).await?;
    w.driver.action_chain().key_down(Key::Shift).click_element(&turning).key_up(Key::Shift).perform().await?;
    w.says("each to its own height").await?;
    lines.click().await?;
    lines.send_keys(Key::Control + "a").await?;
    w.says("6 keys").await?;
    lines.send_keys(Key::Alt + Key::Right).await?;
    w.until("both are later by a frame", async || {
        let (p, t) = (keys("position").await, keys("turn").await);
        Ok([&p[0], &t[1]].iter().all(|m| m["keys"][1]["frame"] == json!(41)))
    })
    .await?;
    w.ctrl('z').await?;
    w.until("and back", async || Ok(keys("turn").await[1]["keys"][0]["frame"] == json!(0))).await?;
    w.close().await
}

#[tokio::test]
async fn several_keys_of_a_lane_are_dragged_at_once_and_escape_leaves_them() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    with_curves(&site, w.id).await;
    let knot =
        async |f: i64| w.driver.query(By::Css(format!("[aria-label='Post, key at {f}']"))).first().await;
    let frames = async || -> Vec<i64> {
        let s = scene(&site, w.id).await;
        let keys = s["handles"]["post"]["place"]["turn"][1]["keys"].clone();
        keys.as_array().unwrap().iter().map(|k| k["frame"].as_i64().unwrap()).collect()
    };
    let middle = async |f: i64| {
        let r = knot(f).await?.rect().await?;
        Ok::<_, WebDriverError>(((r.x + r.width / 2.0) as i64, (r.y + r.height / 2.0) as i64))
    };
    knot(0).await?.click().await?;
    let (x, y) = middle(40).await?;
    let by = x - middle(0).await?.0;
    w.driver.action_chain().key_down(Key::Shift).move_to(x, y).click().key_up(Key::Shift).perform().await?;
    for f in [0, 40] {
        assert_eq!(knot(f).await?.attr("aria-pressed").await?.as_deref(), Some("true"), "{f}");
    }
    assert_eq!(knot(80).await?.attr("aria-pressed").await?.as_deref(), Some("false"));
    let drag = || {
        w.driver.action_chain().move_to(x, y).click_and_hold().move_to(x + by / 8, y).move_to(x + by / 4, y)
    };
    drag().perform().await?;
    w.keys(Key::Escape + "").await?;
    w.driver.action_chain().release().perform().await?;
    w.rest().await?;
    assert_eq!(frames().await, [0, 40, 80], "Escape leaves them");
    drag().release().perform().await?;
    w.until("both are ten later", async || Ok(frames().await == [10, 50, 80])).await?;
    w.ctrl('z').await?;
    w.until("and back", async || Ok(frames().await == [0, 40, 80])).await?;
    w.close().await
}

#[tokio::test]
async fn a_handle_stands_on_a_spot_that_is_pressed_in_the_view_and_rides_with_it() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let id = w.project(&site, "The Courier lands", "Canopy").await?;
    w.step("Hold").await?;
    w.press("Add a handle").await?;
    let handle = async || scene(&site, id).await["handles"]["handle"].clone();
    w.until("it is there", async || Ok(handle().await.is_object())).await?;
    w.choose("Handle Stands on", "a spot that I press in the view").await?;
    w.bench_says("Press a spot of a figure").await?;
    w.keys(Key::Escape + "").await?;
    w.until("Escape leaves it", async || Ok(!w.bench().await?.contains("Press a spot of a figure"))).await?;
    w.choose("Handle Stands on", "a spot that I press in the view").await?;
    let find = "const c = document.querySelector('[data-testid=view]'); for (let y = 0.15; y < 0.9; y += 0.02) for (let x = 0.15; x < 0.8; x += 0.02) if (nematonStage.under.spot(x * c.clientWidth, y * c.clientHeight)?.figure === 'courier') return [x, y]; return null";
    w.script("nematonStage.views.frame(null)").await?;
    w.until("the moth is seen", async || Ok(!w.script(find).await?.is_null())).await?;
    let at = w.script(find).await?;
    let place = "return nematonStage.handles.objectOf('handle').object.position.toArray()";
    let before = w.script(place).await?;
    w.click_view(at[0].as_f64().unwrap(), at[1].as_f64().unwrap()).await?;
    let on = async || handle().await["place"]["on"]["spot"].clone();
    w.until("it stands on a spot", async || Ok(on().await["figure"] == json!("courier"))).await?;
    let far = |a: &Value, b: &Value| {
        (0..3).map(|k| (a[k].as_f64().unwrap() - b[k].as_f64().unwrap()).abs()).fold(0.0, f64::max)
    };
    w.rest().await?;
    let after = w.script(place).await?;
    assert!(far(&before, &after) < 1e-3, "it stays where it is: {before} {after}");
    w.scrub(2, 40).await?;
    w.until("it rides with the moth", async || Ok(far(&w.script(place).await?, &after) > 0.05)).await?;
    w.bench_says("a spot of The Courier").await?;
    w.ctrl('z').await?;
    w.until("undone, it stands in the world", async || Ok(on().await.is_null())).await?;
    w.close().await
}

/// A NumPy array of float32 as a file.
fn array(shape: [usize; 3], number: impl Fn(usize) -> f32) -> Vec<u8> {
    let head = format!(
        "{{'descr': '<f4', 'fortran_order': False, 'shape': ({}, {}, {}), }}",
        shape[0], shape[1], shape[2]
    );
    let pad = (64 - (10 + head.len() + 1) % 64) % 64;
    let head = format!("{head}{}\n", " ".repeat(pad));
    let mut out = b"\x93NUMPY\x01\x00".to_vec();
    out.extend((head.len() as u16).to_le_bytes());
    out.extend(head.as_bytes());
    (0..shape.iter().product()).for_each(|k| out.extend(number(k).to_le_bytes()));
    out
}

#[tokio::test]
async fn a_sequence_of_shapes_is_a_figure_and_an_array_of_its_points_moves_it() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let temp = |name: &str, bytes: &[u8]| {
        let path = std::env::temp_dir().join(name);
        std::fs::write(&path, bytes).unwrap();
        path.to_string_lossy().into_owned()
    };
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(vec![]));
    for k in 0..3 {
        zip.start_file(format!("leaf.{k}.obj"), zip::write::SimpleFileOptions::default()).unwrap();
        write!(zip, "v 0 {k} 0\nv 1 {k} 0\nv 0 {k} 1\nf 1 2 3\n").unwrap();
    }
    let leaf = temp("leaf.zip", &zip.finish().unwrap().into_inner());
    w.driver.find(By::Css("#figure-file")).await?.send_keys(leaf).await?;
    let figure = async || scene(&site, w.id).await["figures"]["leaf"].clone();
    w.until("it is there", async || Ok(figure().await.is_object())).await?;
    w.bench_says("3 shapes").await?;
    let high = "const m = nematonStage.figures.group.children[0]; return m?.geometry.getAttribute('position')?.array[1] ?? null";
    w.press("First frame").await?;
    w.press("A frame on").await?;
    w.until("its second shape is seen at the second frame", async || {
        Ok(w.script(high).await?.as_f64().is_some_and(|y| (y - 1.0).abs() < 1e-3))
    })
    .await?;
    // Five shapes of the same points, twice as high.
    w.press("Name and more").await?;
    let five =
        temp("five.npy", &array([5, 3, 3], |k| if k % 3 == 1 { 2.0 * (k / 9) as f32 } else { k as f32 }));
    let points = async || w.driver.find(By::Css("#points-leaf")).await;
    points().await?.send_keys(five).await?;
    w.bench_says("5 shapes").await?;
    w.until("the array moves it", async || {
        Ok(w.script(high).await?.as_f64().is_some_and(|y| (y - 2.0).abs() < 1e-3))
    })
    .await?;
    // One of other points is told of, and taken back.
    let other = temp("other.npy", &array([2, 4, 3], |k| k as f32));
    points().await?.send_keys(other).await?;
    w.bench_says("is of 4 points, and the mesh has 3").await?;
    w.ctrl('z').await?;
    w.bench_says("5 shapes").await?;
    w.press("Its own motion").await?;
    w.bench_says("3 shapes").await?;
    w.close().await
}
