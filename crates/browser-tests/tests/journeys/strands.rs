//! Strands in the page: grown, made of something, run, scrubbed, held by their tips, spread by a map, delivered as curves.
use nematon_browser_tests::{Window, begin, edit, get, scene};
use serde_json::json;
use std::io::{Error, Read};
use thirtyfour::prelude::*;

#[tokio::test]
async fn strands_are_grown_made_of_something_run_and_delivered_as_curves() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.new_project("Bell rope").await?;
    let all = get(&site, "/projects").await;
    let id = all.as_array().into_iter().flatten().find(|p| p["name"] == "Bell rope");
    let id = id.and_then(|p| p["id"].as_i64()).expect("it is kept");
    let own = async || scene(&site, id).await["bodies"]["strands"]["kind"]["strands"].clone();
    w.press("Strands").await?;
    w.until("they grow", async || Ok(own().await["count"] == 200)).await?;
    w.bench_says("200 strands").await?;
    w.shows("strands:0:missing").await?;
    // As many and as long as is asked for; undone, as they were.
    w.set("/bodies/strands/kind/strands/count", "40").await?;
    w.bench_says("40 strands").await?;
    w.set("/bodies/strands/kind/strands/length", "0.3").await?;
    w.until("they are longer", async || Ok(own().await["length"] == 0.3)).await?;
    w.ctrl('z').await?;
    w.has("/bodies/strands/kind/strands/length", "0.25").await?;
    // Made of something that there is, with what one of it is like.
    let hertz =
        async || w.script("return document.querySelector('[data-testid=fibre]')?.innerText ?? ''").await;
    w.until("it tells of one", async || Ok(hertz().await?.as_str().is_some_and(|t| t.contains("Hz"))))
        .await?;
    let before = hertz().await?;
    w.choose("Strands Preset", "Grass").await?;
    w.until("they are of grass", async || Ok(own().await["diameter"] == 0.0011)).await?;
    w.until("that is told of otherwise", async || Ok(hertz().await? != before)).await?;
    w.press("Where these numbers come from").await?;
    w.says("Mechanical Design of Grass").await?;
    w.keys(Key::Escape + "").await?;
    // Their tips are held to the world, by name, as a border is.
    edit(
        &site,
        id,
        json!([
            {"op": "add", "path": "/frames/last", "value": 12},
            {"op": "add", "path": "/bodies/strands/grips", "value": {"tips": {"name": "Tips", "points": [{"border": {"border": "tips", "by": {"every": 2}}}]}}},
        ]),
    )
    .await;
    w.step("Hold").await?;
    w.bench_says("Tips").await?;
    w.run().await?;
    w.all_true().await?;
    w.scrub(0, 12).await?;
    w.shows("strands:12:true").await?;
    w.scrub(12, 4).await?;
    w.shows("strands:4:true").await?;
    // What is held is where it was; what is not has moved.
    let moved = "const l = nematonStage.layers.get('strands'), p = l.drawn.positions, q = l.shape.placed, far = (k) => Math.hypot(p[3 * k] - q[3 * k], p[3 * k + 1] - q[3 * k + 1], p[3 * k + 2] - q[3 * k + 2]); return [far(0), far(11), far(5), far(23)]";
    let moved = w.script(moved).await?;
    let of = |k: usize| moved[k].as_f64().unwrap();
    assert!(of(0) < 1e-4 && of(1) < 1e-4, "a root and a held tip stay: {moved}");
    assert!(of(3) > 1e-5, "a free tip does not: {moved}");
    // As USD they are curves, each as wide as it is.
    let bytes =
        reqwest::get(format!("{}/api/projects/{id}/files/usda", site.address)).await.map_err(Error::other)?;
    let text = bytes.text().await.map_err(Error::other)?;
    assert!(
        text.contains("def BasisCurves \"Strands\"") && text.contains("type = \"linear\""),
        "{text:.300}"
    );
    let counts = text.lines().find(|l| l.contains("curveVertexCounts")).unwrap();
    assert_eq!(counts.matches("12").count(), 40);
    let widths = text.lines().find(|l| l.contains("widths")).unwrap();
    assert_eq!(widths.matches("0.0011,").count(), 40, "each is as wide at its root");
    // As OBJ they are lines.
    let bytes =
        reqwest::get(format!("{}/api/projects/{id}/files/obj", site.address)).await.map_err(Error::other)?;
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(bytes.bytes().await.map_err(Error::other)?))
        .map_err(Error::other)?;
    let mut text = String::new();
    // The first of it is what is said of it.
    zip.by_index(1).map_err(Error::other)?.read_to_string(&mut text)?;
    assert_eq!(text.lines().filter(|l| l.starts_with("l ")).count(), 40);
    assert_eq!(text.lines().filter(|l| l.starts_with("v ")).count(), 480);
    let violations = w.axe("body").await?;
    assert_eq!(violations, "", "{violations}");
    w.close().await
}

#[tokio::test]
async fn a_ruff_rides_on_the_moth_and_is_spread_by_its_map() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let id = w.project(&site, "The Courier lands", "Ruff").await?;
    let body = async || scene(&site, id).await["bodies"]["ruff"].clone();
    w.shows("ruff:0:missing").await?;
    let spread = "const q = nematonStage.layers.get('ruff').shape.placed; let low = [9, 9, 9], high = [-9, -9, -9]; for (let k = 0; k < q.length; k += 36) for (const c of [0, 1, 2]) { low[c] = Math.min(low[c], q[k + c]); high[c] = Math.max(high[c], q[k + c]) } return low.map((v, c) => high[c] - v)";
    let band = w.script(spread).await?;
    let long = |v: &serde_json::Value| v[2].as_f64().unwrap().max(v[1].as_f64().unwrap());
    assert!(long(&band) < 0.25, "they grow about the neck: {band}");
    // All over it, where the map is left out.
    w.open_row("Ruff").await?;
    w.choose("Ruff Spread", "all over it alike").await?;
    w.until("no map spreads them", async || Ok(body().await["kind"]["strands"]["spread"].is_null())).await?;
    w.until("they grow all over", async || Ok(long(&w.script(spread).await?) > 1.5 * long(&band))).await?;
    w.ctrl('z').await?;
    w.until("undone they do not", async || Ok(body().await["kind"]["strands"]["spread"] == "neck")).await?;
    // A few frames of it alone: roots are on the moth, wherever that is.
    edit(&site, id, json!([{"op": "replace", "path": "/frames/last", "value": 8}])).await;
    w.run().await?;
    w.all_true().await?;
    w.scrub(0, 8).await?;
    w.shows("ruff:8:true").await?;
    w.close().await
}

/// Drags over the view from one point of the strands to another.
async fn comb(w: &Window, from: usize, to: usize) -> WebDriverResult<()> {
    let script = format!(
        "const r = document.querySelector('[data-testid=view]').getBoundingClientRect(); return [{from}, {to}].map(p => nematonStage.placeOf('strands', p)).flatMap(p => [Math.round(r.left + p[0]), Math.round(r.top + p[1])])"
    );
    let v = w.script(&script).await?;
    let at = |k: usize| v[k].as_i64().unwrap();
    w.rest().await?;
    let mut chain = w.driver.action_chain().move_to(at(0), at(1)).click_and_hold();
    for k in 1..=8 {
        chain = chain.move_to(at(0) + (at(2) - at(0)) * k / 8, at(1) + (at(3) - at(1)) * k / 8);
    }
    chain.release().perform().await
}

#[tokio::test]
async fn strands_are_combed_tied_in_clumps_and_have_hairs_between() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.new_project("Felt edge").await?;
    let all = get(&site, "/projects").await;
    let id = all.as_array().into_iter().flatten().find(|p| p["name"] == "Felt edge");
    let id = id.and_then(|p| p["id"].as_i64()).expect("it is kept");
    let own = async || scene(&site, id).await["bodies"]["strands"]["kind"]["strands"].clone();
    w.press("Strands").await?;
    w.shows("strands:0:missing").await?;
    // Combed by strokes in the view, as they are at first.
    w.press("Comb").await?;
    w.shows("strands:0:combed").await?;
    let leans = async || {
        let script = "const p = nematonStage.layers.get('strands').drawn.positions; let sum = 0; for (let s = 0; s < 200; s++) for (const c of [0, 1, 2]) sum += Math.abs(p[36 * s + 33 + c] - nematonStage.firstly[36 * s + 33 + c]); return sum / 200";
        Ok::<f64, WebDriverError>(w.script(script).await?.as_f64().unwrap_or(f64::NAN))
    };
    w.script("nematonStage.firstly = nematonStage.layers.get('strands').drawn.positions.slice()").await?;
    comb(&w, 6, 12 * 150 + 6).await?;
    let strokes = async || own().await["combed"].as_array().map_or(0, Vec::len);
    w.until("the stroke is kept", async || Ok(strokes().await == 1)).await?;
    w.until("they lie along it", async || Ok(leans().await? > 0.003)).await?;
    let once = leans().await?;
    w.press("Trim").await?;
    comb(&w, 12 * 20 + 9, 12 * 100 + 9).await?;
    w.until("they are cut", async || Ok(strokes().await == 2)).await?;
    w.until("and are shorter", async || Ok(leans().await? > once + 0.003)).await?;
    w.ctrl('z').await?;
    w.until("undone they are not", async || Ok(strokes().await == 1 && (leans().await? - once).abs() < 1e-6))
        .await?;
    // Given up by Escape, a stroke has not been.
    w.press("Raise").await?;
    w.ctrl('z').await?;
    w.until("undone nothing is combed", async || Ok(strokes().await == 0 && leans().await? < 1e-6)).await?;
    w.command("Redo").await?;
    w.until("done again they are", async || Ok(strokes().await == 1)).await?;
    w.press("Done").await?;
    // Tied, and with many more between them.
    w.step("Shape").await?;
    w.press("Clumps").await?;
    w.press("Tie in clumps").await?;
    w.until("they are tied", async || Ok(own().await["clumps"]["count"] == 12)).await?;
    w.press("Grow hairs between").await?;
    w.until("there are hairs", async || Ok(own().await["hairs"]["count"] == 5000)).await?;
    let drawn = "return nematonStage.layers.get('strands').drawn.hairs?.drawn.geometry.getAttribute('off').count ?? 0";
    w.until("they are drawn", async || Ok(w.script(drawn).await? == 5000)).await?;
    w.set("/bodies/strands/kind/strands/hairs/count", "60").await?;
    w.until("as many as are asked for", async || Ok(w.script(drawn).await? == 60)).await?;
    w.choose("Strands hairs Shown", "strands alone").await?;
    let seen = "return nematonStage.layers.get('strands').drawn.hairs.drawn.visible";
    w.until("only strands are seen", async || Ok(w.script(seen).await? == false)).await?;
    // Hairs are no reason to compute anew.
    edit(&site, id, json!([{"op": "add", "path": "/frames/last", "value": 6}])).await;
    w.run().await?;
    w.all_true().await?;
    w.set("/bodies/strands/kind/strands/hairs/clump", "0.7").await?;
    w.until("they are drawn together", async || Ok(own().await["hairs"]["clump"] == 0.7)).await?;
    w.all_true().await?;
    let text = async |hairs: bool| {
        let path = format!("{}/api/projects/{id}/files/usda?hairs={hairs}", site.address);
        reqwest::get(path).await.map_err(Error::other)?.text().await.map_err(Error::other)
    };
    for (hairs, count) in [(true, 60), (false, 200)] {
        let text = text(hairs).await?;
        let counts = text.lines().find(|l| l.contains("curveVertexCounts")).unwrap();
        assert_eq!(counts.matches("12").count(), count);
    }
    // Curves of a file in place of what grows.
    let file = std::env::temp_dir().join("nematon-guides.obj");
    std::fs::write(&file, "v 0 0 0\nv 0 0.2 0\nv 0.1 0 0\nv 0.1 0.1 0\nv 0.2 0.1 0\nl 1 2\nl 3 4 5\n")?;
    let input = w.driver.find(By::Css("[aria-label='Curves for Strands']")).await?;
    input.send_keys(file.to_string_lossy()).await?;
    w.bench_says("2 strands").await?;
    w.ctrl('z').await?;
    w.bench_says("200 strands").await?;
    let violations = w.axe("body").await?;
    assert_eq!(violations, "", "{violations}");
    w.close().await
}
