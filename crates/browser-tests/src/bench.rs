//! How quickly the pages answer, printed and never asserted:
//! `cargo run --release -p nematon-browser-tests --bin browser-bench` (with a database, see `./test`).
use nematon_browser_tests::Site;
use thirtyfour::prelude::*;

/// From pressing Run to the first frame that is new on screen, in the page's own time.
const RUN: &str = "
    const done = arguments[0];
    const view = document.querySelector('[data-testid=view]');
    const start = performance.now();
    const look = () => /:2:true/.test(view.dataset.shown) ? requestAnimationFrame(() => done(performance.now() - start)) : requestAnimationFrame(look);
    [...document.querySelectorAll('section[aria-label=Loom] button')].find(b => b.textContent === 'Run').click();
    look();";

/// From a press on the loom to that stored frame on screen, for frames that the page has not had yet.
const DRAG: &str = "
    const done = arguments[0];
    const [view, loom] = [document.querySelector('[data-testid=view]'), document.querySelector('[data-testid=loom]')];
    const r = loom.getBoundingClientRect();
    const frames = [230, 60, 190, 110, 20, 150, 90, 215, 40, 135];
    const times = [];
    const next = () => {
        const f = frames.shift();
        if (f === undefined) return done(times);
        const x = r.left + 14 + f / 240 * (r.width - 28);
        const start = performance.now();
        const event = (kind) => loom.dispatchEvent(new PointerEvent(kind, { clientX: x, clientY: r.top + 20, pointerId: 1, bubbles: true }));
        try { event('pointerdown'); } catch { /* no such pointer to capture */ }
        event('pointerup');
        const look = () => view.dataset.shown.includes(`:${f}:true`) ? requestAnimationFrame(() => (times.push(performance.now() - start), setTimeout(next, 80))) : requestAnimationFrame(look);
        look();
    };
    next();";

/// How many of the frames that are due are shown while it plays for five seconds.
const PLAY: &str = "
    const done = arguments[0];
    const view = document.querySelector('[data-testid=view]');
    let [shown, last] = [0, ''];
    const start = performance.now();
    document.querySelector('[aria-label=Play]').click();
    const look = () => {
        if (view.dataset.shown !== last) [shown, last] = [shown + 1, view.dataset.shown];
        if (performance.now() - start < 5000) return requestAnimationFrame(look);
        document.querySelector('[aria-label=Stop]')?.click();
        done(shown / 5);
    };
    look();";

/// Pictures a second while the curves are panned for three seconds, with so many lines of so many keys.
const PAN: &str = "
    const done = arguments[0];
    const lines = document.querySelector('[data-testid=lines]');
    const r = lines.getBoundingClientRect();
    const event = (kind, x) => lines.dispatchEvent(new PointerEvent(kind, { clientX: x, clientY: r.top + 60, pointerId: 1, button: 1, buttons: 4, bubbles: true }));
    lines.setPointerCapture = () => {};
    event('pointerdown', r.left + 100);
    const start = performance.now();
    let drawn = 0;
    const next = () => {
        drawn += 1;
        event('pointermove', r.left + 100 + 80 * Math.sin(drawn / 9));
        if (performance.now() - start < 3000) return requestAnimationFrame(next);
        event('pointerup', r.left + 100);
        done(drawn / 3);
    };
    next();";

/// Handles whose 200 numbers have 500 keys each.
async fn many_keys(site: &Site, keys: usize) {
    let number = |k: usize| {
        let key = |f: usize| serde_json::json!({"frame": f, "value": ((f * 7 + k * 13) % 11) as f64 / 10.0, "then": "curve"});
        serde_json::json!({"keys": (0..keys).map(key).collect::<Vec<_>>()})
    };
    let three = |k: usize| serde_json::json!([number(k), number(k + 1), number(k + 2)]);
    let handle = |h: usize| serde_json::json!({"name": format!("H{h}"), "place": {"position": three(6 * h), "turn": three(6 * h + 3)}});
    let all: serde_json::Map<String, serde_json::Value> =
        (0..34).map(|h| (format!("h{h}"), handle(h))).collect();
    let frames = serde_json::json!({"op": "replace", "path": "/frames/last", "value": keys - 1});
    nematon_browser_tests::edit(
        site,
        1,
        serde_json::json!([frames, {"op": "add", "path": "/handles", "value": all}]),
    )
    .await;
}

#[tokio::main]
async fn main() -> WebDriverResult<()> {
    let site = Site::start(1.0).await;
    let mut w = site.window(true).await?;
    w.pixels = 1.0;
    w.fit(1280, 800).await?;
    w.driver.set_script_timeout(std::time::Duration::from_secs(60)).await?;
    for (columns, rows) in [(60, 40), (120, 80), (250, 160)] {
        let n = format!("{columns}x{rows}");
        w.shows("landing-canopy:0").await?;
        w.step("Shape").await?;
        w.set("/bodies/landing-canopy/kind/cloth/shape/sheet/columns", &columns.to_string()).await?;
        w.set("/bodies/landing-canopy/kind/cloth/shape/sheet/rows", &rows.to_string()).await?;
        w.bench_says("points").await?;
        w.press("First frame").await?;
        w.press("A frame on").await?;
        w.press("A frame on").await?;
        at_rest().await;
        let first = w.driver.execute_async(RUN, vec![]).await?.json().as_f64().unwrap_or(f64::NAN);
        println!("{}", serde_json::json!({"case": "run_to_first_new_frame", "n": n, "ms": first.round()}));
        while !w.lanes().await?.ends_with("up to date") {
            at_rest().await;
        }
        w.open().await?;
        w.lanes_say("Landing canopy up to date").await?;
        at_rest().await;
        let drags = w.driver.execute_async(DRAG, vec![]).await?.json().clone();
        let mut ms: Vec<f64> =
            drags.as_array().into_iter().flatten().filter_map(serde_json::Value::as_f64).collect();
        ms.sort_by(f64::total_cmp);
        println!(
            "{}",
            serde_json::json!({"case": "press_to_stored_frame", "n": n, "median_ms": ms[ms.len() / 2].round(), "most_ms": ms[ms.len() - 1].round()})
        );
        w.press("First frame").await?;
        at_rest().await;
        let rate = w.driver.execute_async(PLAY, vec![]).await?.json().as_f64().unwrap_or(f64::NAN);
        println!("{}", serde_json::json!({"case": "playing", "n": n, "frames_a_second": rate, "due": 24}));
        w.press("First frame").await?;
    }
    for (lines, keys) in [(6, 20), (200, 500)] {
        many_keys(&site, keys).await;
        w.open().await?;
        at_rest().await;
        w.press("Curves").await?;
        let all = format!(
            "document.querySelector('[aria-label=\"What moves\"]') && [...document.querySelectorAll('[aria-label=\"What moves\"] button')].slice(1, {lines}).forEach(b => b.dispatchEvent(new MouseEvent('click', {{ bubbles: true, shiftKey: true }})))"
        );
        w.script(&all).await?;
        at_rest().await;
        let rate = w.driver.execute_async(PAN, vec![]).await?.json().as_f64().unwrap_or(f64::NAN);
        let shown = w.script("return document.querySelector('[data-testid=lines]').ariaLabel").await?;
        println!(
            "{}",
            serde_json::json!({"case": "curves_panned", "lines": lines, "keys": keys, "shown": shown, "pictures_a_second": rate.round()})
        );
        w.press("Curves").await?;
    }
    w.close().await
}

/// Opening the page is not what is measured: it has come to rest by then.
async fn at_rest() {
    tokio::time::sleep(std::time::Duration::from_secs(4)).await;
}
