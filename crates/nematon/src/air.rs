//! `nematon air` and `nematon why`: what the air of a scene is at places, and what moves a point of a body.
use crate::files::read_scene;
use clap::Args;
use nematon_document::{BodyId, FieldId};
use nematon_evaluate::{Asked, Run, Stage, air_at, why as asked_why};
use nematon_solver::NoWatch;
use serde_json::json;
use std::path::PathBuf;

#[derive(Args)]
pub struct AirArgs {
    /// The scene file.
    scene: PathBuf,
    /// The frame at which it is looked at; the first if left out.
    #[arg(long, allow_hyphen_values = true)]
    frame: Option<i64>,
    /// A place, X,Y,Z in metres; may be given more than once.
    #[arg(long, value_parser = place, allow_hyphen_values = true, default_value = "0,1,0")]
    at: Vec<[f32; 3]>,
}

fn place(text: &str) -> Result<[f32; 3], String> {
    let numbers: Result<Vec<f32>, _> = text.split(',').map(str::parse).collect();
    let numbers = numbers.map_err(|_| format!("\"{text}\" is not X,Y,Z"))?;
    let all: [f32; 3] = numbers.try_into().map_err(|_| format!("\"{text}\" is not X,Y,Z"))?;
    if all.iter().all(|c| c.is_finite()) { Ok(all) } else { Err(format!("\"{text}\" is no place")) }
}

fn size(v: [f32; 3]) -> f32 {
    v.iter().map(|c| c * c).sum::<f32>().sqrt()
}

/// The frame, counted from the first.
fn index(stage: &Stage, frame: Option<i64>) -> Result<usize, String> {
    let (first, last) = (stage.frames.first, stage.frames.last);
    let frame = frame.unwrap_or(first);
    if frame < first || frame > last {
        return Err(format!("There is no frame {frame}: the scene has {first} to {last}."));
    }
    Ok((frame - first) as usize)
}

/// One JSON object a place: its air, and what each field does there by itself.
///
/// # Errors
/// In words, when the scene can't be read, or a field can't act.
pub fn air(args: &AirArgs) -> Result<(), String> {
    let (scene, folder) = read_scene(&args.scene)?;
    let stage = Stage::new(&scene, &folder);
    stage.check().map_err(|e| e.to_string())?;
    let index = index(&stage, args.frame)?;
    let all = air_at(&stage, None, index, &args.at);
    let each: Vec<(&FieldId, Vec<[f32; 3]>)> =
        scene.fields.keys().map(|id| (id, air_at(&stage, Some(id), index, &args.at))).collect();
    for (k, at) in args.at.iter().enumerate() {
        let fields: serde_json::Map<_, _> = each.iter().map(|(id, v)| (id.0.clone(), json!(v[k]))).collect();
        println!("{}", json!({ "at": at, "velocity": all[k], "speed": size(all[k]), "fields": fields }));
    }
    Ok(())
}

#[derive(Args)]
pub struct WhyArgs {
    /// The scene file.
    scene: PathBuf,
    /// Key of the body.
    #[arg(long)]
    body: String,
    /// Number of its point.
    #[arg(long)]
    point: usize,
    /// The frame; it is computed up to the one after.
    #[arg(long, allow_hyphen_values = true)]
    frame: i64,
}

/// One JSON object: speed and acceleration of a point at a frame, and what each thing that acts has of it.
///
/// # Errors
/// In words, when the scene can't be read or run, or has no such body, point or frame.
pub fn why(args: &WhyArgs) -> Result<(), String> {
    let (scene, folder) = read_scene(&args.scene)?;
    let stage = Stage::new(&scene, &folder);
    let at = index(&stage, Some(args.frame))?;
    if at == 0 || at + 1 >= scene.frames.count() {
        return Err(
            "Of the first and the last frame there is none before or after, from which it could be told."
                .into(),
        );
    }
    let body = BodyId(args.body.clone());
    let island = scene.islands().into_iter().find(|i| i.contains(&body));
    let island = island.ok_or_else(|| format!("There is no body \"{}\".", args.body))?;
    let member = island.iter().position(|b| *b == body).unwrap_or_default();
    let mut run = Run::start(&scene, &island, &folder).map_err(|e| e.to_string())?;
    let points = run.positions(member).len();
    if args.point >= points {
        return Err(format!("There is no point {}: the body has {points}.", args.point));
    }
    while run.at() + 1 < at {
        run.advance(&NoWatch).map_err(|e| e.to_string())?;
    }
    let mut places = vec![run.places(member)];
    let before = run.snapshot();
    for _ in 0..2 {
        run.advance(&NoWatch).map_err(|e| e.to_string())?;
        places.push(run.places(member));
    }
    run.resume(at - 1, &before).map_err(|e| e.to_string())?;
    let split = run.split(member, args.point as u32, &NoWatch).map_err(|e| e.to_string())?;
    let asked = Asked { scene: &stage, body: &body, point: args.point, first: args.frame, places: &places };
    let mut told = asked_why(&asked, &folder).map_err(|e| e.to_string())?;
    told.tell_apart(&split);
    let shares =
        told.shares.iter().map(|s| json!({ "name": s.name, "of": s.of, "field": s.field, "by": s.by[0] }));
    println!(
        "{}",
        json!({
            "frame": args.frame, "at": told.at[0], "velocity": told.velocity[0], "acceleration": told.acceleration[0],
            "held": told.held, "shares": shares.collect::<Vec<_>>(),
        })
    );
    Ok(())
}
