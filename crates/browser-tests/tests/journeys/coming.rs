//! Pieces that come and go, and bodies that hang on bodies, in the page.
use nematon_browser_tests::{begin, edit, get, scene};
use serde_json::json;
use std::io::Error;
use thirtyfour::prelude::*;

#[tokio::test]
async fn seeds_come_and_go_are_scrubbed_both_ways_and_taken_away() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.new_project("Seed fall").await?;
    let all = get(&site, "/projects").await;
    let id = all.as_array().into_iter().flatten().find(|p| p["name"] == "Seed fall");
    let id = id.and_then(|p| p["id"].as_i64()).expect("it is kept");
    let now = async || scene(&site, id).await;
    let source = async || now().await["bodies"]["loose-pieces"]["kind"]["drift"]["source"].clone();
    // Loose pieces, as they begin, are all there at first; then they come a few at a time.
    w.press("Loose pieces").await?;
    w.until("there are pieces", async || Ok(now().await["bodies"]["loose-pieces"].is_object())).await?;
    assert!(source().await.is_null());
    w.choose("Loose pieces They come", "a few at a time").await?;
    w.until("they come a few at a time", async || Ok(source().await["rate"].is_number())).await?;
    w.ctrl('z').await?;
    w.until("undone they are all there at first", async || Ok(source().await.is_null())).await?;
    w.choose("Loose pieces They come", "a few at a time").await?;
    w.choose("Loose pieces They stay", "for a time").await?;
    w.until("they stay for a time", async || Ok(source().await["life"].is_number())).await?;
    w.set("/bodies/loose-pieces/kind/drift/source/rate", "48").await?;
    w.set("/bodies/loose-pieces/kind/drift/source/life", "0.5").await?;
    w.until("both are kept", async || Ok(source().await["rate"] == 48.0 && source().await["life"] == 0.5))
        .await?;
    edit(&site, id, json!([{"op": "add", "path": "/frames/last", "value": 36}])).await;
    w.run().await?;
    w.all_true().await?;
    w.shows("loose-pieces:0:true").await?;
    w.scrub(0, 30).await?;
    w.shows("loose-pieces:30:true").await?;
    w.scrub(30, 6).await?;
    w.shows("loose-pieces:6:true").await?;
    // As NumPy: how many there are in each frame, which, and where.
    let bytes =
        reqwest::get(format!("{}/api/projects/{id}/files/npy", site.address)).await.map_err(Error::other)?;
    let bytes = bytes.bytes().await.map_err(Error::other)?;
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(bytes)).map_err(Error::other)?;
    let mut part = |name: &str| {
        let (mut file, mut bytes) = (zip.by_name(&format!("{name}.npy")).expect("it is in the file"), vec![]);
        std::io::Read::read_to_end(&mut file, &mut bytes).expect("it can be read");
        bytes.split_off(10 + usize::from(u16::from_le_bytes([bytes[8], bytes[9]])))
    };
    let count: Vec<u32> = part("count").as_chunks::<4>().0.iter().map(|b| u32::from_le_bytes(*b)).collect();
    assert_eq!((count.len(), count[0]), (37, 0));
    assert!(count[14..].iter().all(|n| n.abs_diff(24) <= 1), "half a second of 48 in one: {count:?}");
    let all: usize = count.iter().sum::<u32>() as usize;
    assert_eq!((part("id").len(), part("position").len()), (4 * all, 12 * all));
    w.close().await
}

#[tokio::test]
async fn a_tassel_is_held_to_the_cape_that_carries_it() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let sheet = |w: f64, d: f64, c: u32, r: u32| json!({"cloth": {"shape": {"sheet": {"width": w, "depth": d, "columns": c, "rows": r}}}});
    let edge = |name: &str| json!([{"border": {"border": name, "by": "all"}}]);
    edit(&site, w.id, json!([
        {"op": "replace", "path": "/bodies", "value": {
            "cape": {"name": "Cape", "kind": sheet(0.8, 0.8, 17, 17), "place": {"position": [0, 2, 0]},
                "grips": {"back": {"name": "Back", "points": edge("back")}}},
            "tassel": {"name": "Tassel", "kind": sheet(0.1, 0.5, 5, 21), "place": {"position": [0, 2, 0.65]},
                "grips": {"top": {"name": "Top", "points": edge("back")}}}}},
        {"op": "replace", "path": "/frames/last", "value": 24},
        {"op": "replace", "path": "/fields", "value": {"gravity": {"name": "Gravity", "act": {"gravity": {"strength": 9.81}}}}},
    ]))
    .await;
    w.step("Hold").await?;
    w.choose("Body", "Tassel").await?;
    w.open_row("Top").await?;
    w.choose("Top Held to", "Cape, which carries it").await?;
    let to = async || scene(&site, w.id).await["bodies"]["tassel"]["grips"]["top"]["to"].clone();
    w.until("it hangs on the cape", async || Ok(to().await == json!({"body": "cape"}))).await?;
    w.run().await?;
    w.all_true().await?;
    w.scrub(0, 24).await?;
    w.shows("tassel:24:true").await?;
    // One is the other's matter: what changes the cape puts the tassel's frames out of date too.
    edit(
        &site,
        w.id,
        json!([{"op": "add", "path": "/bodies/cape/kind/cloth/matter", "value": {"areal_weight": 0.3}}]),
    )
    .await;
    w.shows("tassel:24:stale").await?;
    // What carries another is asked about before it goes.
    w.step("Shape").await?;
    w.more("Cape", "Remove").await?;
    w.message_with("Top of Tassel lets go").await?;
    w.press("Let go and remove").await?;
    w.until("the tassel is left, held by nothing", async || {
        let s = scene(&site, w.id).await;
        Ok(s["bodies"]["cape"].is_null() && s["bodies"]["tassel"]["grips"]["top"].is_null())
    })
    .await?;
    w.ctrl('z').await?;
    w.until("undone it hangs there again", async || Ok(to().await == json!({"body": "cape"}))).await?;
    w.close().await
}
