//! `nematon swatches`: the same scene with one of its numbers at several values, a folder each.
use crate::bake::{BakeArgs, bake_scene};
use crate::files::read_scene;
use clap::Args;
use nematon_document::{Quality, Scene, validate};

#[derive(Args)]
pub struct SwatchesArgs {
    #[command(flatten)]
    bake: BakeArgs,
    /// JSON Pointer of the number in the scene file, as /bodies/cape/kind/cloth/matter/areal_weight.
    #[arg(long)]
    over: String,
    /// The first value, in the unit of scene files.
    #[arg(long, allow_hyphen_values = true)]
    from: f64,
    /// The last.
    #[arg(long, allow_hyphen_values = true)]
    to: f64,
    /// How many, both ends included: evenly, or by equal factors where one end is ten times the other.
    #[arg(long, default_value_t = 6, value_parser = clap::value_parser!(u32).range(2..=30))]
    count: u32,
}

/// Values from one to another.
fn steps(from: f64, to: f64, count: u32) -> Vec<f64> {
    let ratio = if from > 0.0 && to > 0.0 { (from / to).max(to / from) } else { 0.0 };
    let at = |k: u32| {
        let t = f64::from(k) / f64::from(count - 1);
        let v = if ratio >= 10.0 { from * libm::pow(to / from, t) } else { from + (to - from) * t };
        // To three digits: they are read, and are the names of folders.
        format!("{v:.2e}").parse().unwrap_or(v)
    };
    (0..count).map(at).collect()
}

/// # Errors
/// In words, when the scene can't be read, has no such number or none of these values, or can't be run.
pub fn swatches(args: &SwatchesArgs) -> Result<(), String> {
    let (scene, folder) = read_scene(&args.bake.scene)?;
    let of = |value: f64| -> Result<Scene, String> {
        let mut document = serde_json::to_value(&scene).map_err(|e| e.to_string())?;
        let at = document.pointer_mut(&args.over).filter(|v| v.is_number());
        *at.ok_or_else(|| format!("There is no number at {}, or keys move it.", args.over))? = value.into();
        let mut own = validate(&document).map_err(|faults| {
            let lines: Vec<String> = faults.iter().map(|f| format!("  {f}")).collect();
            format!("{value} can't be:\n{}", lines.join("\n"))
        })?;
        // A look at what would come.
        if !args.bake.has_quality() {
            (own.frames.substeps, own.frames.quality) = (None, Quality::Draft);
        }
        Ok(own)
    };
    // All of them can be before the first is computed.
    let all = steps(args.from, args.to, args.count);
    let scenes: Vec<(f64, Scene)> =
        all.into_iter().map(|v| Ok((v, of(v)?))).collect::<Result<_, String>>()?;
    for (k, (value, own)) in scenes.into_iter().enumerate() {
        let out = args.bake.out.join(format!("{:02} {value}", k + 1));
        println!("{value}: {}", out.display());
        bake_scene(own, &folder, &args.bake, &out)?;
    }
    Ok(())
}
