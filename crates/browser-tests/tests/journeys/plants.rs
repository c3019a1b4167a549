//! Plants in the page: taken from the shelf, drawn from their numbers, kept by their trunk, bent, blown, and what they let go.
use nematon_browser_tests::{begin, edit, get, scene};
use serde_json::json;
use std::io::Error;
use thirtyfour::prelude::*;

#[tokio::test]
async fn a_plant_is_taken_from_the_shelf_kept_by_its_trunk_blown_and_lets_leaves_go() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.new_project("Bed").await?;
    let all = get(&site, "/projects").await;
    let id = all.as_array().into_iter().flatten().find(|p| p["name"] == "Bed");
    let id = id.and_then(|p| p["id"].as_i64()).expect("it is kept");
    let bodies = async || scene(&site, id).await["bodies"].clone();
    let own = async || bodies().await["thistle"]["kind"]["plants"].clone();
    w.press("Thistle").await?;
    w.until("they grow", async || Ok(own().await["count"] == 12)).await?;
    w.bench_says("12 plants").await?;
    w.shows("thistle:0:missing").await?;
    // Drawn from its numbers, and drawn anew where they change; undone, as it was.
    let told =
        async || w.script("return document.querySelector('[data-testid=plant]')?.innerText ?? ''").await;
    w.until("one is drawn", async || Ok(told().await?.as_str().is_some_and(|t| t.contains("Hz")))).await?;
    let before = told().await?;
    w.set("/bodies/thistle/kind/plants/species/stem/height", "0.6").await?;
    w.until("that is told of otherwise", async || Ok(told().await? != before)).await?;
    w.ctrl('z').await?;
    w.until("and as before, undone", async || Ok(told().await? == before)).await?;
    w.set("/bodies/thistle/kind/plants/count", "4").await?;
    w.bench_says("4 plants").await?;
    // Its trunk is kept by a map, in one press; undone in one.
    w.press("Keep the trunk still").await?;
    w.until("by a map", async || Ok(bodies().await["thistle"]["scaled"]["bend"]["least"] == 400.0)).await?;
    w.ctrl('z').await?;
    w.until("by none", async || Ok(bodies().await["thistle"]["maps"].is_null())).await?;
    // Without leaves, and with them again.
    w.press("Leaves").await?;
    w.press("Without leaves").await?;
    w.until("it has none", async || Ok(own().await["species"]["leaves"].is_null())).await?;
    w.ctrl('z').await?;
    w.until("it has them", async || Ok(own().await["species"]["leaves"]["count"] == 4)).await?;
    // A wind, and pieces that are its leaves.
    edit(
        &site,
        id,
        json!([
            {"op": "add", "path": "/frames/last", "value": 24},
            {"op": "replace", "path": "/bodies/thistle/name", "value": "Bed of thistles"},
            {"op": "add", "path": "/fields/blow", "value": {"name": "Blow", "act": {"wind": {"speed": 7, "heading": 0.4}}}},
        ]),
    )
    .await;
    w.press("Drift").await?;
    w.until("pieces are added", async || Ok(bodies().await["drift"].is_object())).await?;
    w.choose("Drift Let go by", "Bed of thistles").await?;
    w.until("they are its leaves", async || {
        Ok(bodies().await["drift"]["kind"]["drift"]["shed"]["what"] == "leaves")
    })
    .await?;
    w.choose("Drift They fly as", "thin plates, as leaves").await?;
    w.bench_says("18 % of those left a second where air is over 4 m/s").await?;
    w.set("/bodies/drift/kind/drift/shed/rules/0/chance", "1").await?;
    w.bench_says("63 % of those left a second").await?;
    w.run().await?;
    w.all_true().await?;
    w.scrub(0, 24).await?;
    w.shows("thistle:24:true").await?;
    let count = async |body: &str| {
        let script = format!("return nematonStage.layers.get('{body}').drawn.there()");
        Ok::<i64, WebDriverError>(w.script(&script).await?.as_i64().unwrap_or(-1))
    };
    let (on, off) = (count("thistle").await?, count("drift").await?);
    assert_eq!(on + off, 4 * 101, "each is on its plant or off it");
    assert!(off > 20, "{off} leaves have let go");
    // Back in time they are on it again, and forth again off.
    w.scrub(24, 1).await?;
    w.shows("thistle:1:true").await?;
    w.until("fewer are off", async || Ok(count("drift").await? < off / 4)).await?;
    w.scrub(1, 24).await?;
    w.shows("drift:24:true").await?;
    assert_eq!(count("drift").await?, off);
    // A stem has bent, and its root has not moved.
    let moved = "const l = nematonStage.layers.get('thistle'), p = l.drawn.positions, q = l.shape.placed, far = (k) => Math.hypot(p[3 * k] - q[3 * k], p[3 * k + 1] - q[3 * k + 1], p[3 * k + 2] - q[3 * k + 2]); return [far(0), far(10)]";
    let moved = w.script(moved).await?;
    assert!(moved[0].as_f64().unwrap() < 1e-4 && moved[1].as_f64().unwrap() > 0.02, "{moved}");
    // As USD its branches are curves, and its leaves too; the pieces are points with ids.
    let bytes =
        reqwest::get(format!("{}/api/projects/{id}/files/usda", site.address)).await.map_err(Error::other)?;
    let text = bytes.text().await.map_err(Error::other)?;
    let counts = text.lines().find(|l| l.contains("curveVertexCounts")).unwrap();
    let counts: Vec<usize> =
        counts.split(['[', ']']).nth(3).unwrap().split(", ").map(|n| n.parse().unwrap()).collect();
    assert_eq!(counts.len(), 4 * (1 + 10 + 40), "a stem, ten branches and forty leaves each");
    let violations = w.axe("body").await?;
    assert_eq!(violations, "", "{violations}");
    w.close().await
}
