//! Another version of a figure's file in the place of the one that there is: what stood on it, hung on it and was cut from it stays as far as it fits.
use crate::{Stage, place_on};
use nematon_document::{FigureId, Form, MeshSource, Node, Parent, Scene, SpotOf, named};
use nematon_figure::Figure;
use nematon_geometry::nearest_shares;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};

/// A spot that is farther than this share of the figure's size off its new surface is told of.
const OFF: f64 = 0.02;

/// What another version of a file changes.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct Version {
    /// RFC 6902, in one edit.
    pub patch: Vec<Value>,
    /// What stays as it was, in words.
    pub kept: Vec<String>,
    /// What does not fit, and what is done instead.
    pub lost: Vec<String>,
}

/// Puts a file in the place of a figure's. `was` is what the scene has of it, where that can still be had.
///
/// # Errors
/// When the scene has no such figure.
pub fn version(
    stage: &Stage,
    id: &FigureId,
    from: &MeshSource,
    was: Option<&Figure>,
    new: &Figure,
) -> Result<Version, String> {
    let scene: &Scene = stage;
    let own = scene.figures.get(id).ok_or_else(|| format!("there is no figure \"{id}\""))?;
    let base = format!("/figures/{id}");
    let mut out = Version {
        patch: vec![json!({"op": "replace", "path": format!("{base}/from"), "value": from})],
        kept: vec![],
        lost: vec![],
    };
    if let Some(clip) = own.clip.as_ref().filter(|c| !new.clips.iter().any(|n| n.name == **c)) {
        out.patch.push(json!({"op": "remove", "path": format!("{base}/clip")}));
        let first =
            new.clips.first().map_or("it stands still".to_owned(), |c| format!("it plays \"{}\"", c.name));
        out.lost.push(format!("The clip \"{clip}\" is not in it: {first}."));
    }
    if own.points.is_some() {
        match was.filter(|w| w.points() == new.points()) {
            Some(_) => out.kept.push("The array that moves its points.".into()),
            None => {
                out.patch.push(json!({"op": "remove", "path": format!("{base}/points")}));
                out.lost.push(
                    "The array that moved its points has another number of them: the file moves it now."
                        .into(),
                );
            }
        }
    }
    stands(stage, id, new, &mut out);
    cuts(scene, id, was, new, &mut out);
    Ok(out)
}

/// What stands on its joints and spots.
fn stands(stage: &Stage, id: &FigureId, new: &Figure, out: &mut Version) {
    let whole = serde_json::to_value(&**stage).unwrap_or_default();
    let called = stage.figures.get(id).map_or(id.0.as_str(), |f| &f.name);
    let rest = new.mesh();
    let (low, high) = rest.bounds();
    let size = (0..3).map(|c| f64::from(high[c] - low[c]).powi(2)).sum::<f64>().sqrt();
    let first = stage.frames.first as f64;
    let world = stage.moved([0.0; 3]);
    let (mut joints, mut spots) = (0, 0);
    for (path, node) in stage.nodes() {
        let what = || named(&whole, path.trim_end_matches("/place"));
        match &node.on {
            Some(Parent::Joint(j)) if j.figure == *id => {
                if new.joint(&j.joint).is_some() {
                    joints += 1;
                    continue;
                }
                let on = Parent::Figure(id.clone());
                if node.is_still() {
                    let (position, turn) = place_on(&world, node, Some(on.clone()), None, first);
                    let place = Node { on: Some(on), ..Node::still(position, turn) };
                    out.patch.push(json!({"op": "replace", "path": path, "value": place}));
                } else {
                    out.patch.push(json!({"op": "replace", "path": format!("{path}/on"), "value": on}));
                }
                out.lost.push(format!(
                    "{} stood on the joint \"{}\", which it does not have: it stands on {called} itself now.",
                    what(),
                    j.joint
                ));
            }
            Some(Parent::Spot(SpotOf { figure, at })) if figure == id => {
                let far = off(&rest, *at);
                if far > OFF * size {
                    out.lost.push(format!(
                        "The spot of {} is {:.0} mm off its surface now: it rides with what is nearest.",
                        what(),
                        1e3 * far
                    ));
                } else {
                    spots += 1;
                }
            }
            _ => {}
        }
    }
    let said = |n: usize, what: &str| format!("{n} {what}{}.", if n == 1 { "" } else { "s" });
    if joints > 0 {
        out.kept.push(said(joints, "thing on its joint"));
    }
    if spots > 0 {
        out.kept.push(
            said(spots, "spot of its surface").replace("spots of its surfaces", "spots of its surface"),
        );
    }
}

/// How far a place is off a surface, metres.
fn off(surface: &nematon_geometry::Mesh, at: [f64; 3]) -> f64 {
    let p = glam::DVec3::from(at);
    let far = surface.triangles.iter().map(|t| {
        let corners = t.map(|k| glam::DVec3::from(surface.positions[k as usize].map(f64::from)));
        let shares = nearest_shares(p, corners);
        (0..3).map(|k| shares[k] * corners[k]).sum::<glam::DVec3>().distance(p)
    });
    far.fold(f64::INFINITY, f64::min)
}

/// Bodies and colliders that are its skin, or parts of it.
fn cuts(scene: &Scene, id: &FigureId, was: Option<&Figure>, new: &Figure, out: &mut Version) {
    let bodies = scene.bodies.values().filter_map(|b| {
        let skin = b.skin()?;
        Some((&b.name, skin.figure.as_str(), &skin.parts, true))
    });
    let colliders = scene.colliders.values().filter_map(|c| match &c.form {
        Form::Figure(f) => Some((&c.name, f.figure.as_str(), &f.parts, false)),
        _ => None,
    });
    for (name, _, parts, body) in bodies.chain(colliders).filter(|of| of.1 == id.0) {
        let lacks: Vec<&str> =
            parts.iter().map(String::as_str).filter(|p| !new.parts.iter().any(|n| n.name == *p)).collect();
        if !lacks.is_empty() {
            out.lost.push(format!(
                "{name} is cut from \"{}\", which it does not have: choose other parts.",
                lacks.join("\", \"")
            ));
            continue;
        }
        let cut = |f: &Figure| -> Vec<Vec<[u32; 3]>> {
            let own = f.parts.iter().filter(|p| parts.is_empty() || parts.contains(&p.name));
            own.map(|p| p.mesh.triangles.clone()).collect()
        };
        match was {
            Some(was) if cut(was) == cut(new) => out.kept.push(format!("{name}, with all that is on its points.")),
            _ if body => out.lost.push(format!(
                "{name} takes the new surface: what was chosen point by point or painted on it may lie elsewhere."
            )),
            _ => out.kept.push(format!("{name}, as the new surface is.")),
        }
    }
}
