//! Inflatables by hand: adding, filling, running, freezing, cutting and cutting out.
use nematon_browser_tests::{Site, Window, begin, edit, get, scene};
use serde_json::{Value, json};
use std::sync::Arc;
use thirtyfour::prelude::*;

/// The first project with nothing but air, and few frames.
async fn bare() -> WebDriverResult<(impl Drop, Arc<Site>, Window)> {
    let (turn, site, w) = begin().await;
    edit(&site, w.id, json!([{"op": "replace", "path": "/frames/last", "value": 40}])).await;
    Ok((turn, site, w))
}

async fn filled(w: &Window) -> WebDriverResult<String> {
    match w.driver.find(By::Css("[data-testid=filled]")).await {
        Ok(e) => e.text().await,
        Err(_) => Ok(String::new()),
    }
}

#[tokio::test]
async fn a_cushion_is_filled_by_keys_run_frozen_and_all_of_it_undone() -> WebDriverResult<()> {
    let (_turn, site, w) = bare().await?;
    let before = scene(&site, w.id).await;
    w.step("Shape").await?;
    w.press("Cushion").await?;
    w.until("it is there", async || Ok(scene(&site, w.id).await["bodies"]["cushion"].is_object())).await?;
    let fill = &scene(&site, w.id).await["bodies"]["cushion"]["kind"]["cloth"]["chambers"]["inside"]["fill"];
    assert_eq!(fill["pressure"]["keys"][1]["value"], json!(60.0), "{fill}");
    w.until("what it holds is told", async || Ok(filled(&w).await?.contains("skin"))).await?;
    w.until("its seam is drawn", async || {
        let n = "return nematonStage.seams.group.children[0].geometry.getAttribute('position')?.count ?? 0";
        Ok(w.script(n).await?.as_i64().unwrap_or(0) > 100)
    })
    .await?;
    w.run().await?;
    w.all_true().await?;
    w.scrub(0, 30).await?;
    w.until("it has swollen", async || {
        let told = filled(&w).await?;
        Ok(told.contains("At 30") && told.contains("60.00 Pa"))
    })
    .await?;
    w.press("Keep as mesh").await?;
    w.press("As a body").await?;
    w.until("the frozen one is a body", async || {
        let s = scene(&site, w.id).await;
        Ok(s["bodies"]["cushion-at-30"]["kind"]["cloth"]["shape"]["mesh"]["from"]["blob"].is_string())
    })
    .await?;
    // What was frozen is had as a file of each format, and of no other.
    let kept = scene(&site, w.id).await["bodies"]["cushion-at-30"]["kind"]["cloth"]["shape"]["mesh"]["from"]
        ["blob"]
        .as_str()
        .unwrap()
        .to_owned();
    for (format, begins) in [("obj", "o "), ("glb", "glTF"), ("usda", "#usda 1.0")] {
        let to = format!("{}/api/meshes/{kept}?format={format}", site.address);
        let bytes = reqwest::get(to).await.unwrap().bytes().await.unwrap();
        let first = String::from_utf8_lossy(&bytes[..bytes.len().min(400)]).into_owned();
        assert!(first.contains(begins), "{format}: {first}");
    }
    let none = reqwest::get(format!("{}/api/meshes/{kept}?format=stl", site.address)).await.unwrap();
    assert_eq!(none.status(), 422);

    for _ in 0..2 {
        w.ctrl('z').await?;
    }
    w.until("all is as it was", async || Ok(scene(&site, w.id).await == before)).await?;
    w.close().await
}

#[tokio::test]
async fn a_cushion_comes_back_to_a_frame_of_its_own_grows_and_forgets_it() -> WebDriverResult<()> {
    let (_turn, site, w) = bare().await?;
    w.step("Shape").await?;
    w.press("Cushion").await?;
    w.until("it is there", async || Ok(scene(&site, w.id).await["bodies"]["cushion"].is_object())).await?;
    let before = scene(&site, w.id).await;
    let rest = async || scene(&site, w.id).await["bodies"]["cushion"]["kind"]["cloth"]["rest"].clone();
    w.press("Rest shape").await?;
    // What was not computed can't be come back to.
    w.scrub(0, 20).await?;
    w.press("As it is at 20").await?;
    w.until("it is told why not", async || Ok(w.driver.source().await?.contains("is not computed"))).await?;
    assert!(rest().await.is_null());
    w.run().await?;
    w.all_true().await?;
    w.until("it is computed", async || {
        let lanes = get(&site, &w.at("/lanes")).await;
        let own = lanes["lanes"]
            .as_array()
            .unwrap()
            .iter()
            .find(|l| l["body"] == "cushion")
            .cloned()
            .unwrap_or_default();
        let at = |s: &Value| {
            s["first"].as_i64() <= Some(20) && s["last"].as_i64() >= Some(20) && s["state"] == "true"
        };
        Ok(own["stretches"].as_array().is_some_and(|s| s.iter().any(at)))
    })
    .await?;
    w.press("As it is at 20").await?;
    w.until("it comes back to that", async || Ok(rest().await["shape"]["frame"]["blob"].is_string())).await?;
    w.until("its frames are out of date, and it has a shape", async || {
        Ok(filled(&w).await?.contains("skin"))
    })
    .await?;
    w.run().await?;
    w.all_true().await?;
    w.press("As it begins").await?;
    w.until("it forgot that", async || Ok(rest().await.is_null())).await?;
    w.press("Let it grow").await?;
    w.until("it may grow", async || Ok(rest().await.is_object())).await?;
    for _ in 0..3 {
        w.ctrl('z').await?;
    }
    w.until("all is as it was", async || Ok(scene(&site, w.id).await == before)).await?;
    w.close().await
}

#[tokio::test]
async fn an_outline_is_drawn_sewn_to_its_mirror_and_its_seam_is_cut() -> WebDriverResult<()> {
    let (_turn, site, w) = bare().await?;
    w.step("Shape").await?;
    w.press("Outline").await?;
    w.until("it is there", async || Ok(scene(&site, w.id).await["bodies"]["outline"].is_object())).await?;
    let panel = async || {
        scene(&site, w.id).await["bodies"]["outline"]["kind"]["cloth"]["shape"]["panels"]["panels"].clone()
    };
    assert_eq!(panel().await[0]["outline"].as_array().unwrap().len(), 4);
    w.press("Draw it anew").await?;
    let pad = w.driver.query(By::Css("svg[aria-label^='Outline of Outline']")).first().await?;
    pad.scroll_into_view().await?;
    let r = pad.rect().await?;
    for (x, y) in [(0.2, 0.8), (0.8, 0.8), (0.9, 0.3), (0.5, 0.1), (0.1, 0.3)] {
        let (x, y) = (r.x + x * r.width, r.y + y * r.height);
        w.driver.action_chain().move_to(x as i64, y as i64).click().perform().await?;
    }
    w.press("Close the outline").await?;
    w.until("both panels have it", async || {
        let p = panel().await;
        Ok(p[0]["outline"].as_array().unwrap().len() == 5 && p[0]["outline"] == p[1]["outline"])
    })
    .await?;
    let seam = scene(&site, w.id).await["bodies"]["outline"]["kind"]["cloth"]["seams"]["seam-1"].clone();
    assert_eq!(seam["of"][0]["borders"].as_array().unwrap().len(), 5, "{seam}");
    // Or it is brought in; what is none is told of, and changes nothing.
    let file = std::env::temp_dir().join(format!("outline-{}.obj", std::process::id()));
    let input = || w.driver.find(By::Css("input[aria-label='A file with an outline for Outline']"));
    std::fs::write(&file, "o line\nv 0 0 0\nv 1 0 0\nl 1 2\n").unwrap();
    input().await?.send_keys(file.to_string_lossy().into_owned()).await?;
    w.message_with("has no outline").await?;
    std::fs::write(&file, "o kite\nv 0 1 0\nv 0.4 1 0\nv 0.2 1 -0.5\nl 1 2 3 1\n").unwrap();
    input().await?.send_keys(file.to_string_lossy().into_owned()).await?;
    w.until("it is cut to that", async || {
        let p = panel().await;
        Ok(p[0]["outline"] == json!([[-0.2, -0.25], [0.2, -0.25], [0.0, 0.25]])
            && p[1]["outline"] == p[0]["outline"])
    })
    .await?;
    let _ = std::fs::remove_file(&file);
    w.ctrl('z').await?;
    w.until("the drawn one is back", async || Ok(panel().await[0]["outline"].as_array().unwrap().len() == 5))
        .await?;
    w.until("it has a shape", async || Ok(filled(&w).await?.contains("skin"))).await?;
    w.scrub(0, 20).await?;
    w.open_row("Rim").await?;
    w.press("Cut it at 20").await?;
    w.until("it is cut", async || {
        let s = scene(&site, w.id).await;
        let hold = &s["bodies"]["outline"]["kind"]["cloth"]["seams"]["seam-1"]["hold"];
        Ok(hold["keys"][1]["value"] == json!(0.0) || hold["keys"][1]["value"] == json!(0))
    })
    .await?;
    w.ctrl('z').await?;
    w.until("it holds again", async || {
        Ok(scene(&site, w.id).await["bodies"]["outline"]["kind"]["cloth"]["seams"]["seam-1"]["hold"]
            .is_null())
    })
    .await?;
    w.close().await
}
