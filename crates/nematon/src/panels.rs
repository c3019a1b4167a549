//! `nematon panels`: the curves of a file as the panels of a shape.
use crate::files::read_with_parts;
use clap::Args;
use nematon_formats::read_curves;
use nematon_geometry::flat_outline;
use nematon_geometry::shape::Panels;
use std::path::PathBuf;

#[derive(Args)]
pub struct PanelsArgs {
    /// OBJ, glTF or USD text with curves.
    file: PathBuf,
    /// How far points lie apart, metres.
    #[arg(long, default_value_t = 0.02)]
    every: f64,
}

/// Prints a shape of all curves that can be panels, each flat about its own place; one alone is paired with its mirror.
///
/// # Errors
/// In words, when the file can't be read or none of its curves can be a panel.
pub fn panels(args: &PanelsArgs) -> Result<(), String> {
    let told = |e: String| format!("{}: {e}", args.file.display());
    let bytes = read_with_parts(&args.file)?;
    let name = args.file.to_string_lossy();
    let curves = read_curves(&name, &bytes).map_err(|e| told(e.to_string()))?;
    let mut pairs = vec![];
    for c in curves {
        match flat_outline(&c.points) {
            Ok(outline) => pairs.push((c.name, outline)),
            Err(why) => eprintln!("{}: left out, for it {why}", c.name),
        }
    }
    let mut all = match &pairs[..] {
        [] => return Err(told("no curve of it can be the outline of a panel".into())),
        [(_, outline)] => Panels::sewn(outline.clone(), args.every, 0.002),
        _ => {
            let mut all = Panels::sewn(pairs[0].1.clone(), args.every, 0.002);
            let first = all.panels[0].clone();
            all.panels = pairs
                .iter()
                .map(|(name, outline)| nematon_geometry::shape::Panel {
                    name: name.clone(),
                    outline: outline.clone(),
                    position: [0.0; 3],
                    ..first.clone()
                })
                .collect();
            all
        }
    };
    for p in &mut all.panels {
        p.outline.iter_mut().flatten().for_each(|c| *c = (*c * 1e5).round() / 1e5);
    }
    let text =
        serde_json::to_string_pretty(&serde_json::json!({ "panels": all })).map_err(|e| e.to_string())?;
    println!("{text}");
    Ok(())
}
