//! The Thistledown Relay, a post on a hill ridge where courier moths land: scenes and meshes, made here.
mod bank;
mod bladder;
mod courier;
mod dyes;
mod moth;
mod pennant;
mod place;
mod relay;
mod trials;
mod weather;

pub use relay::relay;
pub use weather::weather;

use std::path::Path;

/// Writes the scene files and the meshes that can be brought in.
///
/// # Errors
/// When the folder can't be written.
pub fn write(out: &Path) -> Result<(), String> {
    std::fs::create_dir_all(out).map_err(|e| format!("{}: {e}", out.display()))?;
    let save =
        |name: &str, text: String| std::fs::write(out.join(name), text).map_err(|e| format!("{name}: {e}"));
    let scene = serde_json::to_string_pretty(&relay()).map_err(|e| e.to_string())?;
    save("thistledown-relay.json", scene + "\n")?;
    let takes = serde_json::to_string_pretty(&relay::fabrics()?).map_err(|e| e.to_string())?;
    save("thistledown-relay.takes.json", takes + "\n")?;
    save("pennant.obj", pennant::pennant())?;
    let text = |scene: &nematon_document::Scene| {
        serde_json::to_string_pretty(scene).map(|t| t + "\n").map_err(|e| e.to_string())
    };
    save("washing-loft.json", text(&trials::loft()?)?)?;
    save("windy-pennant.json", text(&pennant::flying()?)?)?;
    save("winged-courier.json", text(&courier::courier())?)?;
    save("woven-bladder.json", text(&bladder::bladder()?)?)?;
    save("wuthering-bank.json", text(&bank::bank()?)?)?;
    save("frozen-cushion.obj", bladder::frozen_cushion()?)?;
    save("satchel.obj", courier::satchel_mesh())?;
    save("deck.obj", place::deck())?;
    save("canopy-frame.obj", place::canopy_frame())?;
    save("landing-frame.obj", place::landing_frame())?;
    save("ridge.obj", place::ridge())?;
    std::fs::write(out.join("courier.glb"), moth::moth()).map_err(|e| format!("courier.glb: {e}"))?;
    let bytes =
        |name: &str, b: Vec<u8>| std::fs::write(out.join(name), b).map_err(|e| format!("{name}: {e}"));
    let (surface, stroke) = dyes::soft_edge(&courier::canopy_shape())?;
    bytes("soft-edge-surface.npz", surface)?;
    bytes("soft-edge-stroke.npz", stroke)?;
    bytes("stripes.png", dyes::stripes()?)?;
    // Scenes that are run by tests and not loaded.
    std::fs::create_dir_all(out.join("trials")).map_err(|e| format!("trials: {e}"))?;
    for (name, scene) in trials::trials()? {
        save(&format!("trials/{name}.json"), text(&scene)?)?;
    }
    for (k, wave) in [0.0, 0.14].into_iter().enumerate() {
        save(&format!("trials/lump-{k}.obj"), lump(wave))?;
    }
    Ok(())
}

/// A ball of dough of 0.2 m, with three waves round it.
fn lump(wave: f32) -> String {
    let mut m = nematon_geometry::ball(0.2, 10);
    for p in &mut m.positions {
        let (x, z) = (f64::from(p[0]), f64::from(p[2]));
        let far = (x * x + z * z) / 0.04;
        let k = 1.0 + f64::from(wave) * far * libm::sin(3.0 * libm::atan2(z, x));
        *p = p.map(|c| (f64::from(c) * k) as f32);
    }
    nematon_formats::write_obj(
        "dough",
        &m,
        &m.positions,
        nematon_formats::With { normals: false, triangles: true, exact: false, ..Default::default() },
    )
}
