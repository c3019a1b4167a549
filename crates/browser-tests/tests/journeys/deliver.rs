//! Handing over: finishing in its order, proofs of a size, cameras of a file, and files at another pace.
use nematon_browser_tests::{Window, begin, edit, scene};
use serde_json::json;
use std::path::PathBuf;
use thirtyfour::prelude::*;

/// A file that the browser saved, once it is whole: its name ends so.
async fn saved(w: &Window, ending: &str) -> WebDriverResult<Vec<u8>> {
    let found = || -> Option<PathBuf> {
        let all = std::fs::read_dir(&w.folder).ok()?.flatten().map(|e| e.path());
        all.into_iter()
            .find(|p| p.to_string_lossy().ends_with(ending) && p.metadata().is_ok_and(|m| m.len() > 0))
    };
    w.until(&format!("a file that ends in {ending} is saved"), async || Ok(found().is_some())).await?;
    Ok(std::fs::read(found().unwrap()).unwrap())
}

fn size_of(png: &[u8]) -> (u32, u32) {
    let word = |k: usize| u32::from_be_bytes(png[k..k + 4].try_into().unwrap());
    (word(16), word(20))
}

#[tokio::test]
async fn cloth_is_finished_in_an_order_and_proofs_and_files_show_it() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    edit(&site, w.id, json!([{"op": "replace", "path": "/frames/last", "value": 5}])).await;
    w.step("Run").await?;
    w.run().await?;
    w.all_true().await?;
    w.step("Hand over").await?;
    w.turn("Landing canopy is finished").await?;
    w.bench_says("It is smoothed, then made thick.").await?;
    let finish = async || scene(&site, w.id).await["bodies"]["landing-canopy"]["finish"].clone();
    // Thick before it is smoothed, and back by undo.
    w.press("Landing canopy made thick earlier").await?;
    w.until("the order is another", async || {
        Ok(finish().await["order"] == json!(["even", "thick", "smooth"]))
    })
    .await?;
    w.bench_says("It is made thick, then smoothed.").await?;
    w.ctrl('z').await?;
    w.until("and as it was", async || Ok(finish().await["order"].is_null())).await?;
    // Evened out in space and in time: what is drawn is another, and what is kept is not.
    let drawn = "const g = nematonStage.layers.get('landing-canopy').drawn.finish?.surface.geometry.getAttribute('position')?.array; return g ? [...g.slice(300, 330)] : null";
    w.scrub(0, 3).await?;
    w.shows("landing-canopy:3:true").await?;
    let before = w.script(drawn).await?;
    w.set("/bodies/landing-canopy/finish/steady", "2").await?;
    w.until("evened in time it is another", async || {
        let now = w.script(drawn).await?;
        Ok(!now.is_null() && now != before)
    })
    .await?;
    let timed = w.script(drawn).await?;
    w.set("/bodies/landing-canopy/finish/even", "6").await?;
    w.bench_says("It is evened in time, evened out, smoothed, then made thick.").await?;
    w.until("and evened out another again", async || {
        let now = w.script(drawn).await?;
        Ok(!now.is_null() && now != timed)
    })
    .await?;
    assert!(w.lanes().await?.contains("up to date"));
    // Its edges in the view, then its frames as pictures of that size, going along with the canopy.
    w.turn("The picture’s edges in the view").await?;
    w.choose("Proof Size", "1280 × 720").await?;
    w.until("its edges are seen", async || {
        let rects = w.script("return document.querySelectorAll('[data-testid=edges] rect').length").await?;
        Ok(rects == 2)
    })
    .await?;
    w.choose("Proof Camera", "along with Landing canopy").await?;
    w.press("PNGs").await?;
    let zip = saved(&w, ".png.zip").await?;
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(zip)).unwrap();
    assert_eq!(zip.len(), 6);
    for k in 0..6 {
        let mut png = vec![];
        std::io::Read::read_to_end(&mut zip.by_index(k).unwrap(), &mut png).unwrap();
        assert_eq!(size_of(&png), (1280, 720));
    }
    w.rest().await?;
    w.press("Clip").await?;
    let clip = saved(&w, ".webm").await?;
    assert!(clip.starts_with(&[0x1a, 0x45, 0xdf, 0xa3]), "it is a WebM");
    w.turn("The picture’s edges in the view").await?;
    // As it is finished and at twice the pace, as binary USD.
    w.rest().await?;
    let pace = w.driver.find(By::Css("[aria-label='Frames a second to hand over']")).await?;
    pace.click().await?;
    w.ctrl('a').await?;
    w.keys("48").await?;
    w.bench_says("between what is computed").await?;
    w.press("Save Binary USD").await?;
    let usd = saved(&w, ".usdc").await?;
    assert!(usd.starts_with(b"PXR-USDC"));
    let violations = w.axe("body").await?;
    assert_eq!(violations, "", "{violations}");
    w.close().await
}

#[tokio::test]
async fn cameras_of_a_file_are_brought_in_looked_through_and_undone() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.step("Hand over").await?;
    let file = std::env::temp_dir().join(format!("nematon-eyes-{}.gltf", std::process::id()));
    let eye = |name: &str, at: [f64; 3]| json!({"name": name, "camera": 0, "translation": at});
    let text = json!({
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0, 1]}],
        "nodes": [eye("Bow", [0.0, 2.0, 9.0]), eye("Stern", [0.0, 1.0, -9.0])],
        "cameras": [{"type": "perspective", "perspective": {"yfov": 0.5, "znear": 0.1}}],
    });
    std::fs::write(&file, text.to_string()).unwrap();
    let bring = async |path: &std::path::Path| {
        w.driver.find(By::Css("#camera-file")).await?.send_keys(path.to_string_lossy().as_ref()).await
    };
    bring(&file).await?;
    let cameras = async || scene(&site, w.id).await["cameras"].clone();
    w.until("both are there", async || Ok(cameras().await["stern"]["angle"] == 0.5)).await?;
    w.open_row("Bow").await?;
    w.press("Look through it").await?;
    let at = "return nematonStage.camera.position.toArray().map((c) => Number(c.toFixed(2)))";
    w.until("one looks from there", async || Ok(w.script(at).await? == json!([0, 2, 9]))).await?;
    w.ctrl('z').await?;
    w.until("both are gone", async || Ok(cameras().await.as_object().is_none_or(|c| !c.contains_key("bow"))))
        .await?;
    std::fs::write(&file, "nothing").unwrap();
    bring(&file).await?;
    w.message_with("No camera").await?;
    w.close().await
}

#[tokio::test]
async fn a_figures_file_takes_the_place_of_another_and_a_map_is_saved() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    let id = w.project(&site, "The Courier lands", "Canopy").await?;
    let file = || async { scene(&site, id).await["figures"]["courier"]["from"]["blob"].clone() };
    let before = file().await;
    w.step("Shape").await?;
    w.open_row("The Courier").await?;
    w.press("Name and more").await?;
    // The same moth with one byte more at its end is another file, and all of it fits.
    let mut bytes = std::fs::read(nematon_browser_tests::site::project().join("demo/courier.glb")).unwrap();
    let long = u32::from_le_bytes(bytes[8..12].try_into().unwrap());
    bytes[8..12].copy_from_slice(&(long + 8).to_le_bytes());
    bytes.extend([0, 0, 0, 0]);
    bytes.extend(*b"MORE");
    let path = std::env::temp_dir().join(format!("nematon-courier-{}.glb", std::process::id()));
    std::fs::write(&path, bytes).unwrap();
    w.driver.find(By::Css("#version-courier")).await?.send_keys(path.to_string_lossy().as_ref()).await?;
    w.message_with("of another file").await?;
    assert!(w.message().await?.contains("Kept:"), "{}", w.message().await?);
    w.until("it is the other file", async || Ok(file().await != before)).await?;
    w.ctrl('z').await?;
    w.until("and undone the first again", async || Ok(file().await == before)).await?;
    w.step("Hold").await?;
    w.open_row("Soft edge").await?;
    w.press("Name, dye and the whole").await?;
    w.choose("Save Soft edge", "a table, a weight a point").await?;
    let table = saved(&w, ".csv").await?;
    assert!(table.starts_with(b"point,weight\n0,"));
    w.close().await
}
