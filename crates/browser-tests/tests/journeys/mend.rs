//! What once broke in the hand, done again.
use nematon_browser_tests::{begin, scene};
use serde_json::{Value, json};
use thirtyfour::prelude::*;

const WIDTH: &str = "/bodies/landing-canopy/kind/cloth/shape/sheet/width";

#[tokio::test]
async fn what_is_used_says_by_whom_and_a_message_undoes_only_its_own_step() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let now = async || scene(&site, w.id).await;
    let before = now().await;
    w.step("Hold").await?;
    w.press("Add a handle").await?;
    w.until("there is a handle", async || Ok(now().await["handles"]["handle"].is_object())).await?;
    w.open_row("Post corner").await?;
    w.choose("Post corner Held to", "Handle").await?;
    let grips = async || now().await["bodies"]["landing-canopy"]["grips"].clone();
    w.until("the corner is held to it", async || Ok(grips().await["post-corner"]["to"].is_object())).await?;
    let held = now().await;
    // It is used: asked about first, in words.
    w.more("Handle", "Remove").await?;
    w.message_with("Post corner of Landing canopy lets go").await?;
    assert!(!w.message().await?.contains('/'), "no path of a document: {}", w.message().await?);
    assert_eq!(now().await, held, "nothing has gone yet");
    w.press("Let go and remove").await?;
    w.until("both are gone", async || {
        Ok(now().await["handles"]["handle"].is_null() && grips().await["post-corner"].is_null())
    })
    .await?;
    w.ctrl('z').await?;
    w.until("one undo brings both back", async || Ok(now().await == held)).await?;
    // Its message went with that undo; another's undo is that one's alone.
    w.until("the message has gone", async || Ok(w.message().await?.is_empty())).await?;
    w.more("Handle", "Remove").await?;
    w.press("Let go and remove").await?;
    w.message_with("Handle is removed").await?;
    let gone = now().await;
    w.step("Shape").await?;
    w.set(WIDTH, "4.5").await?;
    w.until("a number is another", async || Ok(now().await != gone)).await?;
    w.until("what can't be undone by it is not offered", async || Ok(w.message().await?.is_empty())).await?;
    for _ in 0..4 {
        w.ctrl('z').await?;
    }
    w.until("all is as it was", async || Ok(now().await == before)).await?;
    // Who is merely left out is forgotten without a word; the field and its list stay.
    nematon_browser_tests::edit(&site, w.id, json!([
        {"op": "add", "path": "/fields/squall/except", "value": ["landing-canopy"]},
        {"op": "add", "path": "/handles", "value": {"crane": {"name": "Crane", "place": {"position": [3, 0, 0]}}, "hook": {"name": "Hook", "place": {"position": [0, 2, 0], "on": {"handle": "crane"}}}}},
    ])).await;
    w.step("Shape").await?;
    w.more("Landing canopy", "Remove").await?;
    w.message_with("Landing canopy is removed").await?;
    assert_eq!(now().await["fields"]["squall"]["except"].as_array().map(Vec::len).unwrap_or(0), 0);
    w.ctrl('z').await?;
    w.until("it is back and left out again", async || {
        Ok(now().await["fields"]["squall"]["except"] == json!(["landing-canopy"]))
    })
    .await?;
    // What stands on it stays where it is.
    w.step("Hold").await?;
    w.more("Crane", "Remove").await?;
    w.message_with("Hook stands in the world then").await?;
    w.press("Let go and remove").await?;
    w.until("it stands where it stood", async || {
        let hook = now().await["handles"]["hook"]["place"].clone();
        Ok(hook["on"].is_null() && hook["position"] == json!([3.0, 2.0, 0.0]))
    })
    .await?;
    w.close().await
}

#[tokio::test]
async fn numbers_are_dragged_anywhere_and_give_their_keys_back() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let now = async || scene(&site, w.id).await;
    let sheet = async || now().await["bodies"]["landing-canopy"]["kind"]["cloth"]["shape"]["sheet"].clone();
    let before = now().await;
    let width = sheet().await["width"].as_f64().unwrap();
    // A drag that begins on the text and ends on the neighbour's changes this one and nothing else.
    let from = w.middle(&format!("[data-path='{WIDTH}']")).await?;
    let depth = w.middle("[data-path='/bodies/landing-canopy/kind/cloth/shape/sheet/depth']").await?;
    w.driver
        .action_chain()
        .move_to(from.0, from.1)
        .click_and_hold()
        .move_to(from.0 + 20, from.1)
        .move_to(depth.0 + 10, depth.1)
        .release()
        .perform()
        .await?;
    w.until("the width is another", async || Ok(sheet().await["width"].as_f64() != Some(width))).await?;
    assert_eq!(
        sheet().await["depth"],
        before["bodies"]["landing-canopy"]["kind"]["cloth"]["shape"]["sheet"]["depth"]
    );
    w.ctrl('z').await?;
    w.until("undone", async || Ok(now().await == before)).await?;
    // Also from a number that is being typed in: text is chosen, never carried elsewhere.
    w.type_into(WIDTH, "3.3").await?;
    w.ctrl('a').await?;
    w.driver
        .action_chain()
        .move_to(from.0, from.1)
        .click_and_hold()
        .move_to(from.0 + 20, from.1)
        .move_to(depth.0, depth.1)
        .release()
        .perform()
        .await?;
    w.keys(Key::Escape + "").await?;
    w.rest().await?;
    assert_eq!(now().await, before);
    // Entered, the next key is the page's.
    w.set(WIDTH, "4.25").await?;
    w.keys("4").await?;
    w.until("the fourth step is open", async || Ok(w.bench().await?.contains("Contact\n"))).await?;
    assert_eq!(sheet().await["width"], json!(4.25));
    w.ctrl('z').await?;
    w.until("and undone", async || Ok(now().await == before)).await?;
    // Escape leaves what was typed to deliver, and how many eyelets, as they were.
    w.step("Hand over").await?;
    for (step, label, typed) in
        [("Hand over", "First frame to hand over", "77"), ("Hold", "How many eyelets, or which n-th", "5")]
    {
        w.step(step).await?;
        let field = w.driver.query(By::Css(format!("[aria-label='{label}']"))).first().await?;
        let was = field.prop("value").await?;
        field.click().await?;
        w.ctrl('a').await?;
        field.send_keys(typed).await?;
        assert_eq!(field.prop("value").await?.as_deref(), Some(typed));
        w.keys(Key::Escape + "").await?;
        w.rest().await?;
        assert_eq!(field.prop("value").await?, was, "{label}");
    }
    w.close().await
}

#[tokio::test]
async fn a_first_key_keeps_where_things_were_and_the_same_value_is_a_key_too() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let speed = "/fields/ridge-wind/act/wind/speed";
    let now = async || scene(&site, w.id).await;
    w.step("Hold").await?;
    w.press("Add a handle").await?;
    w.until("it is there", async || Ok(now().await["handles"]["handle"].is_object())).await?;
    // Choosing points stays at hand beside the arms.
    w.press("Pick").await?;
    w.click_point("landing-canopy", 620).await?;
    w.press("Hold 1 chosen").await?;
    w.rest().await?;
    for tool in ["Pick", "Lasso", "Move", "Turn"] {
        w.press(tool).await?;
    }
    w.press("Look").await?;
    w.press("Move").await?;
    w.scrub(0, 40).await?;
    w.press("Key as I drag").await?;
    let high = async || now().await["handles"]["handle"]["place"]["position"][1].clone();
    let was = high().await;
    w.drag_arm_up(60, None).await?;
    w.until("there are two keys", async || Ok(high().await["keys"].as_array().map(Vec::len) == Some(2)))
        .await?;
    let keys = high().await["keys"].clone();
    assert_eq!((&keys[0]["frame"], &keys[0]["value"], &keys[1]["frame"]), (&json!(0), &was, &json!(40)));
    assert!(keys[1]["value"].as_f64() > was.as_f64());
    // A field whose number has keys takes the value that is there as one.
    w.step("Air").await?;
    w.open_row("Ridge wind").await?;
    w.press("How Ridge wind Speed moves").await?;
    w.press("Key here").await?;
    w.until("it has keys", async || {
        Ok(now().await["fields"]["ridge-wind"]["act"]["wind"]["speed"]["keys"].is_array())
    })
    .await?;
    w.keys(Key::Escape + "").await?;
    w.scrub(40, 60).await?;
    let shown = w.value(speed).await?;
    w.set(speed, &shown).await?;
    w.until("there is a key at 60", async || {
        let keys = now().await["fields"]["ridge-wind"]["act"]["wind"]["speed"]["keys"].clone();
        Ok(keys.as_array().is_some_and(|k| k.iter().any(|k| k["frame"] == json!(60))))
    })
    .await?;
    // A formula is in the unit that its number is shown in.
    let heading = "/fields/ridge-wind/act/wind/heading";
    w.press("How Ridge wind Heading moves").await?;
    let field = w.driver.query(By::Css("[aria-label='Ridge wind heading formula']")).first().await?;
    field.send_keys("45 + 30 * sin(t)".to_owned() + Key::Enter).await?;
    w.until("kept in radians", async || {
        Ok(now().await["fields"]["ridge-wind"]["act"]["wind"]["heading"]["formula"]
            == json!("(45 + 30 * sin(t)) * deg"))
    })
    .await?;
    assert_eq!(field.prop("value").await?.as_deref(), Some("45 + 30 * sin(t)"));
    // What gives no number is told beside it.
    w.ctrl('a').await?;
    field.send_keys("1 / (f - 9)".to_owned() + Key::Enter).await?;
    w.says("gives no number at frame 9").await?;
    w.keys(Key::Escape + "").await?;
    w.keys(Key::Escape + "").await?;
    w.scrub(60, 0).await?;
    w.has(heading, "45").await?;
    w.close().await
}

#[tokio::test]
async fn a_stroke_is_given_up_by_undo_and_a_crossed_outline_is_kept_to_be_mended() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let now = async || scene(&site, w.id).await;
    w.step("Hold").await?;
    w.press("Paint a map").await?;
    w.until("there is a map", async || {
        Ok(now().await["bodies"]["landing-canopy"]["maps"]["painted"].is_object())
    })
    .await?;
    w.until("the brush is at hand", async || {
        Ok(w.driver.find(By::Css("[aria-label='Radius of the brush']")).await.is_ok())
    })
    .await?;
    let before = now().await;
    w.rest().await?;
    let (x, y) = w.middle("[data-testid=view]").await?;
    for way in [0, 1] {
        w.driver
            .action_chain()
            .move_to(x, y)
            .click_and_hold()
            .move_to(x + 12, y)
            .move_to(x + 24, y + 4)
            .perform()
            .await?;
        if way == 0 {
            w.ctrl('z').await?
        } else {
            w.keys(Key::Escape + "").await?
        }
        w.driver.action_chain().release().perform().await?;
        w.rest().await?;
        assert_eq!(now().await, before, "the stroke alone is given up ({way})");
        assert!(w.message().await?.is_empty(), "{}", w.message().await?);
    }
    // An outline that crosses itself stays to be mended, and says where.
    w.keys(Key::Escape + "").await?;
    w.step("Shape").await?;
    w.press("Outline").await?;
    w.until("it is there", async || Ok(now().await["bodies"]["outline"].is_object())).await?;
    let taken = now().await;
    w.press("Draw it anew").await?;
    let pad = w.driver.query(By::Css("svg[aria-label^='Outline of Outline']")).first().await?;
    pad.scroll_into_view().await?;
    let r = pad.rect().await?;
    let at = |x: f64, y: f64| ((r.x + x * r.width) as i64, (r.y + y * r.height) as i64);
    for (x, y) in [(0.2, 0.8), (0.8, 0.2), (0.8, 0.8), (0.2, 0.2)] {
        let (x, y) = at(x, y);
        w.driver.action_chain().move_to(x, y).click().perform().await?;
    }
    w.press("Close the outline").await?;
    w.bench_says("crosses itself where it is marked").await?;
    assert_eq!(now().await, taken, "it is not taken");
    assert!(w.message().await?.is_empty(), "it is said beside the pad: {}", w.message().await?);
    // Dragged apart it is one.
    let (from, to) = (at(0.8, 0.2), at(0.9, 0.9));
    w.driver
        .action_chain()
        .move_to(from.0, from.1)
        .click_and_hold()
        .move_to((from.0 + to.0) / 2, (from.1 + to.1) / 2)
        .move_to(to.0, to.1)
        .release()
        .perform()
        .await?;
    w.until("it is taken", async || Ok(now().await != taken)).await?;
    assert!(!w.bench().await?.contains("crosses itself"));
    w.close().await
}

#[tokio::test]
async fn projects_are_named_at_birth_found_and_renamed_outside_of_undo() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Air").await?;
    w.new_project("Lantern loft").await?;
    let id: i64 = w.driver.current_url().await?.path().rsplit('/').next().unwrap().parse().unwrap();
    w.until("a new project begins at Shape", async || {
        Ok(w.driver.find(By::Css("aside h1")).await?.inner_html().await? == "Shape")
    })
    .await?;
    // Everything can be added at once: a cushion needs no sheet first.
    w.press("Cushion").await?;
    w.until("there is a cushion alone", async || {
        Ok(scene(&site, id).await["bodies"].as_object().map(serde_json::Map::len) == Some(1))
    })
    .await?;
    let was = scene(&site, id).await;
    w.go("/projects").await?;
    let shown = async || -> WebDriverResult<Vec<Value>> {
        Ok(w.script(
            "return [...document.querySelectorAll('[data-testid=project]')].map(p => p.innerText.trim().split('\\n')[0])",
        )
        .await?
        .as_array()
        .cloned()
        .unwrap_or_default())
    };
    w.choose("In the order of", "by name").await?;
    w.until("they stand by name", async || {
        let all: Vec<String> =
            shown().await?.iter().filter_map(|v| v.as_str().map(str::to_lowercase)).collect();
        Ok(all.len() > 4 && all.is_sorted())
    })
    .await?;
    let search = w.driver.query(By::Css("[aria-label='Search projects']")).first().await?;
    search.send_keys("lantern").await?;
    w.until("found", async || Ok(shown().await? == [json!("Lantern loft")])).await?;
    w.more("Lantern loft", "Rename").await?;
    let name = w.driver.query(By::Css("[aria-label='Name of Lantern loft']")).first().await?;
    // All of it is chosen: what is typed takes its place.
    name.send_keys("Lantern attic".to_owned() + Key::Enter).await?;
    w.until("it is called that", async || Ok(scene(&site, id).await["name"] == json!("Lantern attic")))
        .await?;
    w.go(&format!("/projects/{id}")).await?;
    w.bench_says("Cushion").await?;
    w.ctrl('z').await?;
    w.until("undo is the scene's", async || {
        let s = scene(&site, id).await;
        Ok(s["name"] == json!("Lantern attic") && s["bodies"] == json!({}))
    })
    .await?;
    w.press("Redo").await?;
    w.until("and redo", async || Ok(scene(&site, id).await["bodies"] == was["bodies"])).await?;
    w.open().await?;
    w.until("the step one was at is open", async || {
        Ok(w.driver.find(By::Css("aside h1")).await?.inner_html().await? == "Air")
    })
    .await?;
    w.close().await
}

#[tokio::test]
async fn layers_and_rows_are_one_step_each_and_a_wind_says_what_it_can_not_move() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.new_project("Quilt loft").await?;
    let id: i64 = w.driver.current_url().await?.path().rsplit('/').next().unwrap().parse().unwrap();
    let bodies = async || scene(&site, id).await["bodies"].clone();
    w.press("Sheet").await?;
    w.bench_says("1600 points").await?;
    w.press("Layers").await?;
    w.press("Stack layers").await?;
    w.until("there are four, which touch", async || {
        let b = bodies().await["sheet"].clone();
        Ok(b["kind"]["cloth"]["layers"]["count"] == json!(4) && b["touch"]["itself"] == json!(true))
    })
    .await?;
    w.bench_says("6400 points").await?;
    w.set("/bodies/sheet/kind/cloth/layers/count", "2.5").await?;
    w.bench_says("must be a whole number: 2 or 3").await?;
    w.more("Sheet", "Copy in a row…").await?;
    w.until("how many is asked", async || Ok(w.driver.find(By::Css("[aria-label='Copies']")).await.is_ok()))
        .await?;
    w.keys("3".to_owned() + Key::Enter).await?;
    w.until("three more stand there", async || {
        Ok(bodies().await.as_object().map(serde_json::Map::len) == Some(4))
    })
    .await?;
    w.ctrl('z').await?;
    w.until("in one step", async || Ok(bodies().await.as_object().map(serde_json::Map::len) == Some(1)))
        .await?;
    w.press("One layer again").await?;
    w.until("one again", async || Ok(bodies().await["sheet"]["kind"]["cloth"]["layers"].is_null())).await?;
    // A level sheet in a level wind; while the wind is dragged its row says what it would be.
    w.command("Add a field: wind").await?;
    w.bench_says("goes along Sheet").await?;
    let speed = "[data-path='/fields/wind/act/wind/speed']";
    let (x, y) = w.middle(speed).await?;
    w.driver
        .action_chain()
        .move_to(x, y)
        .click_and_hold()
        .move_to(x + 20, y)
        .move_to(x + 40, y)
        .perform()
        .await?;
    let row = async || {
        w.script("return [...document.querySelectorAll('aside button[aria-expanded=true]')].find(b => b.innerText.startsWith('Wind')).innerText").await
    };
    w.until("its row goes along", async || {
        let tried = w.value("/fields/wind/act/wind/speed").await?;
        let kept = scene(&site, id).await["fields"]["wind"]["act"]["wind"]["speed"].as_f64();
        Ok(tried.parse() != Ok(kept.unwrap_or(0.0))
            && row().await?.as_str().is_some_and(|r| r.contains(&format!("{tried} m/s"))))
    })
    .await?;
    w.keys(Key::Escape + "").await?;
    w.driver.action_chain().release().perform().await?;
    w.close().await
}

#[tokio::test]
async fn a_picture_is_what_a_cloth_is_seen_with_and_goes_out_with_it() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let dir = tempfile::tempdir()?;
    let file = dir.path().join("stripes.png");
    image::RgbImage::from_fn(64, 64, |x, _| {
        image::Rgb(if x / 8 % 2 == 0 { [20, 30, 160] } else { [250, 250, 250] })
    })
    .save(&file)
    .map_err(std::io::Error::other)?;
    let own = async || scene(&site, w.id).await["bodies"]["landing-canopy"]["picture"].clone();
    w.step("Shape").await?;
    // How much of the view is as blue as the stripes: dyes are not.
    let blue = async || -> WebDriverResult<usize> {
        let seen = image::load_from_memory(&w.picture().await?).map_err(std::io::Error::other)?.to_rgb8();
        Ok(seen.pixels().filter(|p| i32::from(p.0[2]) > i32::from(p.0[0]) + 60).count())
    };
    let before = blue().await?;
    let input = w.driver.find(By::Css("[aria-label='Picture to see Landing canopy with']")).await?;
    input.send_keys(file.to_string_lossy()).await?;
    w.until("it is in the scene", async || Ok(own().await["blob"].is_string())).await?;
    w.until("the cloth has blue stripes", async || Ok(blue().await? > before + 500)).await?;
    let bytes =
        reqwest::get(format!("{}/api/pictures/{}", site.address, own().await["blob"].as_str().unwrap_or("")))
            .await
            .map_err(std::io::Error::other)?;
    assert_eq!(bytes.headers()["content-type"], "image/png");
    w.ctrl('z').await?;
    w.until("undone it is dyed", async || Ok(own().await.is_null() && blue().await? <= before + 50)).await?;
    w.command("Redo").await?;
    w.until("and done again", async || Ok(blue().await? > before + 500)).await?;
    w.press("Remove the picture of Landing canopy").await?;
    w.until("taken off it is dyed", async || Ok(own().await.is_null() && blue().await? <= before + 50))
        .await?;
    w.close().await
}
