//! `nematon map`: what the maps of a scene come to, and their weights as a NumPy array.
use crate::files::read_scene;
use clap::Args;
use nematon_document::Body;
use nematon_evaluate::{Ground, Stage, begins, shape};
use nematon_formats::{Laid, MOST_SIDE, MapKind};
use std::path::PathBuf;

#[derive(Args)]
pub struct MapArgs {
    /// The scene file.
    scene: PathBuf,
    /// Key of a body; all of them if left out.
    #[arg(long)]
    body: Option<String>,
    /// Key of one of its maps; all of them if left out.
    #[arg(long)]
    map: Option<String>,
    /// The frame at which it is looked at; the first if left out.
    #[arg(long, allow_hyphen_values = true)]
    frame: Option<f64>,
    /// Where the weights of the one map go, by its ending: .npy, float32, or .csv, one a point; .png, 16 bits, or .exr, laid by texture coordinates.
    #[arg(long)]
    out: Option<PathBuf>,
    /// Pixels of each side of a picture.
    #[arg(long, default_value_t = Laid::default().side, value_parser = clap::value_parser!(u32).range(1..=i64::from(MOST_SIDE)))]
    side: u32,
    /// By how many pixels each piece is carried on beyond its edges in a picture.
    #[arg(long, default_value_t = Laid::default().gutter)]
    gutter: u32,
}

/// # Errors
/// In words, when the scene can't be read, there is no such map, or it can't be worked out.
pub fn map(args: &MapArgs) -> Result<(), String> {
    let (scene, folder) = read_scene(&args.scene)?;
    let stage = Stage::new(&scene, &folder);
    let frame = args.frame.unwrap_or(scene.frames.first as f64);
    let mut told = vec![];
    for (id, body) in scene.bodies.iter().filter(|(id, _)| args.body.as_ref().is_none_or(|b| id.0 == *b)) {
        let named = |e: nematon_evaluate::ShapeError| format!("{}: {e}", body.name);
        if body.maps.is_empty() {
            continue;
        }
        let mesh = shape(&stage, &Body::of(&body.name, body.kind.clone()), &folder).map_err(named)?.mesh;
        let ground = Ground { stage: &stage, place: begins(&stage, body), mesh: &mesh, library: &folder };
        for (key, own) in body.maps.iter().filter(|(k, _)| args.map.as_ref().is_none_or(|m| k.0 == *m)) {
            let dyed = ground.dyed(own).map_err(named)?;
            let weights = dyed.at(&stage, frame);
            let ends = weights.iter().fold((1f32, 0f32), |(a, b), w| (a.min(*w), b.max(*w)));
            let mean = weights.iter().map(|w| f64::from(*w)).sum::<f64>() / weights.len().max(1) as f64;
            let uses: Vec<String> = body
                .scaled
                .iter()
                .filter(|(_, by)| by.map == *key)
                .map(|(what, by)| format!("{what:?} {} to {} times", by.least, by.most))
                .chain(
                    body.grips
                        .values()
                        .filter(|g| g.map.as_ref() == Some(key))
                        .map(|g| format!("grip \"{}\"", g.name)),
                )
                .collect();
            println!(
                "{id} {key} \"{}\": {} layers on {} points, least {:.3}, most {:.3}, mean {mean:.3}{}; {}",
                own.name,
                own.layers.len(),
                weights.len(),
                ends.0,
                ends.1,
                if dyed.moves(&stage) { ", moves" } else { "" },
                if uses.is_empty() {
                    "scales nothing".to_owned()
                } else {
                    format!("scales {}", uses.join(", "))
                },
            );
            told.push((mesh.clone(), weights));
        }
    }
    let Some(out) = &args.out else {
        return if told.is_empty() { Err("There is no such map.".into()) } else { Ok(()) };
    };
    let [one] = &told[..] else {
        return Err(format!("{} maps fit; say which one by --body and --map.", told.len()));
    };
    let ending = out.extension().and_then(|e| e.to_str()).unwrap_or("npy");
    let kind = MapKind::ALL.into_iter().find(|k| k.name() == ending);
    let kind =
        kind.ok_or_else(|| format!("A map goes out as .npy, .csv, .png or .exr, and not as .{ending}."))?;
    let (side, gutter) = (args.side, args.gutter);
    let bytes =
        kind.write(&one.0, &one.1, Laid { side, gutter }).map_err(|e| format!("{}: {e}", out.display()))?;
    std::fs::write(out, bytes).map_err(|e| format!("{}: {e}", out.display()))
}
