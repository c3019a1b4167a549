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
    w.press("Loose pieces").await?;
    w.until("pieces are added", async || Ok(bodies().await["loose-pieces"].is_object())).await?;
    w.choose("Loose pieces Let go by", "Bed of thistles").await?;
    w.until("they are its leaves", async || {
        Ok(bodies().await["loose-pieces"]["kind"]["drift"]["shed"]["what"] == "leaves")
    })
    .await?;
    w.choose("Loose pieces They fly as", "thin plates, as leaves").await?;
    w.bench_says("18 % of those left a second where air is over 4 m/s").await?;
    w.set("/bodies/loose-pieces/kind/drift/shed/rules/0/chance", "1").await?;
    w.bench_says("63 % of those left a second").await?;
    w.run().await?;
    w.all_true().await?;
    w.scrub(0, 24).await?;
    w.shows("thistle:24:true").await?;
    let count = async |body: &str| {
        let script = format!("return nematonStage.layers.get('{body}').drawn.there()");
        Ok::<i64, WebDriverError>(w.script(&script).await?.as_i64().unwrap_or(-1))
    };
    let (on, off) = (count("thistle").await?, count("loose-pieces").await?);
    assert_eq!(on + off, 4 * 101, "each is on its plant or off it");
    assert!(off > 20, "{off} leaves have let go");
    // Back in time they are on it again, and forth again off.
    w.scrub(24, 1).await?;
    w.shows("thistle:1:true").await?;
    w.until("fewer are off", async || Ok(count("loose-pieces").await? < off / 4)).await?;
    w.scrub(1, 24).await?;
    w.shows("loose-pieces:24:true").await?;
    assert_eq!(count("loose-pieces").await?, off);
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

/// A file with a plant in it: a stem, three branches and twelve leaves that hang alone.
fn modelled() -> std::path::PathBuf {
    let mut species = nematon_document::species().remove(0).species;
    species.branches[0].count = 3;
    species.heads = None;
    let mesh = nematon_geometry::tubes(&species.grow(0, 2, 1.0)).mesh;
    let with = nematon_formats::With { normals: false, triangles: false, exact: false, ..Default::default() };
    let text = nematon_formats::write_obj("teasel", &mesh, &mesh.positions, with);
    file("teasel.obj", &text)
}

fn file(name: &str, text: &str) -> std::path::PathBuf {
    let folder = std::env::temp_dir().join(format!("nematon-plants-{}", std::process::id()));
    std::fs::create_dir_all(&folder).unwrap();
    let path = folder.join(name);
    std::fs::write(&path, text).unwrap();
    path
}

#[tokio::test]
async fn a_mesh_becomes_a_plant_is_bent_by_a_keyed_handle_and_handed_out_with_its_joints()
-> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.new_project("Teasel").await?;
    let all = get(&site, "/projects").await;
    let id = all.as_array().into_iter().flatten().find(|p| p["name"] == "Teasel");
    let id = id.and_then(|p| p["id"].as_i64()).expect("it is kept");
    let bodies = async || scene(&site, id).await["bodies"].clone();
    // What has no stem is told of before anything of it is kept.
    let leaves: String = (0..8)
        .map(|k| {
            format!("v {k} 0 0\nv {k}.1 0 0\nv {k} 0.1 0\nf {} {} {}\n", 3 * k + 1, 3 * k + 2, 3 * k + 3)
        })
        .collect();
    w.bring_in_plant(&file("leaves.obj", &leaves)).await?;
    w.says("has no stem: all of its parts are leaves").await?;
    w.press("Leave it").await?;
    assert_eq!(bodies().await, json!({}));
    w.bring_in_plant(&modelled()).await?;
    w.until("it is there", async || Ok(bodies().await["teasel"]["kind"]["plants"]["count"] == 1)).await?;
    w.bench_says("4 parts of wood, 12 loose leaves").await?;
    w.shows("teasel:0:missing").await?;
    let skin =
        "return nematonStage.layers.get('teasel').drawn.group.children.filter((c) => c.visible).length";
    w.until("it is seen as its mesh alone", async || Ok(w.script(skin).await? == 1)).await?;
    // Of fewer segments, and as before.
    let points = async || w.script("return nematonStage.layers.get('teasel')?.shape.head.points ?? 0").await;
    let before = points().await?;
    w.set("/bodies/teasel/kind/plants/mesh/segments", "8").await?;
    w.until("it has fewer points", async || {
        Ok(points().await?.as_i64() < before.as_i64() && points().await?.as_i64() > Some(20))
    })
    .await?;
    w.ctrl('z').await?;
    w.until("and as many as before", async || Ok(points().await? == before)).await?;
    // A handle at its top that pulls it, keyed aside.
    w.step("Hold").await?;
    w.rest().await?;
    let top = "const p = nematonStage.layers.get('teasel').shape.placed; let k = 0; for (let j = 0; j < p.length / 3; j += 1) if (p[3 * j + 1] > p[3 * k + 1]) k = j; return k";
    w.until("it is drawn", async || Ok(points().await? == before)).await?;
    let top = w.script(top).await?.as_i64().unwrap() as usize;
    w.script(&format!("nematonStage.views.frame('teasel'); return {top}")).await?;
    w.press("Pick").await?;
    w.click_point("teasel", top).await?;
    w.press("Hold 1 chosen").await?;
    w.until("its top is held", async || Ok(bodies().await["teasel"]["grips"]["point"].is_object())).await?;
    // What is held comes with its shape, anew.
    w.rest().await?;
    w.until("it is drawn", async || Ok(points().await? == before)).await?;
    let at = w
        .script(&format!(
            "return [...nematonStage.layers.get('teasel').shape.placed.slice({}, {})]",
            3 * top,
            3 * top + 3
        ))
        .await?;
    let aside = json!({"keys": [{"frame": 0, "value": at[0]}, {"frame": 20, "value": at[0].as_f64().unwrap() + 0.15}]});
    // A stem that bends does not get longer.
    let down = json!({"keys": [{"frame": 0, "value": at[1]}, {"frame": 20, "value": at[1].as_f64().unwrap() - 0.013}]});
    edit(
        &site,
        id,
        json!([
            {"op": "add", "path": "/frames/last", "value": 24},
            {"op": "add", "path": "/handles", "value": {"hand": {"name": "Hand", "place": {"position": [aside, down, at[2]]}}}},
        ]),
    )
    .await;
    w.choose("Point Held to", "Hand").await?;
    w.until("by the hand", async || {
        Ok(bodies().await["teasel"]["grips"]["point"]["to"] == json!({"handle": "hand"}))
    })
    .await?;
    w.run().await?;
    w.all_true().await?;
    w.scrub(0, 24).await?;
    w.shows("teasel:24:true").await?;
    let far = |k: usize| {
        format!(
            "const l = nematonStage.layers.get('teasel'), p = l.drawn.positions, q = l.shape.placed, k = 3 * {k}; return Math.hypot(p[k] - q[k], p[k + 1] - q[k + 1], p[k + 2] - q[k + 2])"
        )
    };
    let bent = async |k: usize| Ok::<f64, WebDriverError>(w.script(&far(k)).await?.as_f64().unwrap());
    assert!((bent(top).await? - 0.15).abs() < 0.01, "its top goes with the hand: {}", bent(top).await?);
    assert!(bent(0).await? < 1e-4, "its root stays");
    w.scrub(24, 1).await?;
    w.shows("teasel:1:true").await?;
    assert!(bent(top).await? < 0.05, "and back again");
    // As glTF it is a skin with a clip, that reads back; as OBJ its mesh.
    let bytes = reqwest::get(format!("{}/api/projects/{id}/files/glb", site.address));
    let bytes = bytes.await.map_err(Error::other)?.bytes().await.map_err(Error::other)?;
    let figure = nematon_formats::read_figure("teasel.glb", &bytes).unwrap();
    assert_eq!((figure.skins.len(), figure.clips.len()), (1, 1));
    let still = format!("{}/api/projects/{id}/files/still?first=24&skins=true", site.address);
    let text = reqwest::get(still).await.map_err(Error::other)?.text().await.map_err(Error::other)?;
    let mesh = nematon_formats::read_mesh("teasel.obj", text.as_bytes()).unwrap();
    let mut posed = vec![];
    figure.place(&figure.pose(Some(0), 1.0), &mut posed);
    for p in &mesh.positions {
        let near = |q: &[f32; 3]| (0..3).map(|c| (p[c] - q[c]).powi(2)).sum::<f32>();
        assert!(posed.iter().map(near).fold(f32::INFINITY, f32::min) < 1e-8, "both are the same");
    }
    // All undone, nothing is left but the file's frames.
    w.step("Shape").await?;
    let violations = w.axe("body").await?;
    assert_eq!(violations, "", "{violations}");
    w.close().await
}

#[tokio::test]
async fn pieces_come_from_a_surface_and_one_of_them_is_gone_along_with() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.new_project("Threshing").await?;
    let all = get(&site, "/projects").await;
    let id = all.as_array().into_iter().flatten().find(|p| p["name"] == "Threshing");
    let id = id.and_then(|p| p["id"].as_i64()).expect("it is kept");
    let drift = json!({"size": [0.4, 0.2, 0.4], "count": 60, "radius": 0.03, "weight": 0.002, "source": {"rate": 30}});
    let chaff = json!({"name": "Chaff", "kind": {"drift": drift}, "place": {"position": [0, 1.5, 0]}, "touch": {"itself": false, "others": false}});
    let drum = json!({"name": "Drum", "form": {"ball": {"radius": 0.3}}, "place": {"position": [0, 1.5, 0]}});
    edit(
        &site,
        id,
        json!([
            {"op": "add", "path": "/frames/last", "value": 40},
            {"op": "add", "path": "/bodies/chaff", "value": chaff},
            {"op": "add", "path": "/colliders", "value": {"drum": drum}},
        ]),
    )
    .await;
    w.bench_says("Chaff").await?;
    w.shows("chaff:0:missing").await?;
    let source = async || scene(&site, id).await["bodies"]["chaff"]["kind"]["drift"]["source"].clone();
    w.choose("Chaff From", "Drum").await?;
    w.until("they come from it", async || Ok(source().await["from"] == json!({"collider": "drum"}))).await?;
    w.run().await?;
    w.all_true().await?;
    w.scrub(0, 36).await?;
    w.shows("chaff:36:true").await?;
    // They come from its skin, and fall away from it.
    let there = "const p = nematonStage.layers.get('chaff').drawn.positions; const out = []; for (let k = 0; k < p.length; k += 3) if (!Number.isNaN(p[k])) out.push([k / 3, Math.hypot(p[k], p[k + 1] - 1.5, p[k + 2])]); return out";
    let there = w.script(there).await?;
    let there = there.as_array().unwrap();
    assert!(there.len() > 35 && there.len() <= 60, "{} have come", there.len());
    assert!(there.iter().all(|p| p[1].as_f64().unwrap() > 0.29));
    // How many come with a frame hangs from the lane.
    w.until("it is told", async || Ok(w.hover(20).await?.contains("at frame 20"))).await?;
    // One is pressed, and the camera goes along with it.
    // Of those that are seen: how far one has fallen out of the picture is the view's size.
    w.script("nematonStage.views.frame(null)").await?;
    w.rest().await?;
    let near = "const s = nematonStage, p = s.layers.get('chaff').drawn.positions, e = s.camera.position, r = document.querySelector('[data-testid=view]').getBoundingClientRect(); let [best, far] = [-1, Infinity]; for (let k = 0; k < p.length; k += 3) { const d = Math.hypot(p[k] - e.x, p[k + 1] - e.y, p[k + 2] - e.z); if (!(d < far)) continue; const [x, y] = s.placeOf('chaff', k / 3); if (document.elementFromPoint(r.left + x, r.top + y) instanceof HTMLCanvasElement) [best, far] = [k / 3, d]; } return best";
    let piece = w.script(near).await?.as_u64().expect("one is seen") as usize;
    w.click_point("chaff", piece).await?;
    let pressed = w.script("return [...document.querySelectorAll('button')].find((b) => b.textContent.includes('Go along with'))?.textContent ?? ''").await?;
    let name = pressed.as_str().unwrap().to_owned();
    assert!(name.starts_with("Go along with"), "{name}");
    let of: usize = name.rsplit(' ').next().unwrap().parse().unwrap();
    w.press(&name).await?;
    let eye = format!(
        "const s = nematonStage, p = s.layers.get('chaff').drawn.positions; return [0, 1, 2].map((c) => s.camera.position.getComponent(c) - p[{} + c])",
        3 * of
    );
    let before = w.script(&eye).await?;
    let was = w.camera().await?;
    w.scrub(36, 39).await?;
    w.shows("chaff:39:true").await?;
    let after = w.script(&eye).await?;
    for c in 0..3 {
        assert!((before[c].as_f64().unwrap() - after[c].as_f64().unwrap()).abs() < 1e-3, "{before} {after}");
    }
    assert_ne!(w.camera().await?, was);
    w.press(&format!("Along with {of}")).await?;
    let stays = w.camera().await?;
    w.scrub(39, 36).await?;
    w.shows("chaff:36:true").await?;
    assert_eq!(w.camera().await?, stays);
    w.close().await
}
