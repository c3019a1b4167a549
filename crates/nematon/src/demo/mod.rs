//! The Thistledown Relay, a post on a hill ridge where courier moths land: scenes and meshes, made here.
mod pennant;
mod relay;

pub use relay::relay;

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
    save("pennant.obj", pennant::pennant())
}
