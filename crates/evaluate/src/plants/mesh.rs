//! Plants as a mesh: what of a figure's file is a plant, and the skins that plants are seen and handed out with.
use super::Stand;
use crate::Shaped;
use crate::shape::OfKind;
use nematon_document::Plants;
use nematon_figure::Figure;
use nematon_geometry::{Bone, Bones, Limbs, Modelled, Placed, modelled, tubes};

/// Finds the plant in a file, with so many segments along its longest way.
///
/// # Errors
/// When there is none in it, in words that go on from "its mesh".
pub fn plant_of(figure: &Figure, segments: u32) -> Result<Modelled, String> {
    modelled(&figure.mesh(), segments, bones(figure).as_ref()).map_err(|e| e.to_string())
}

/// The joints that carry a mesh, where there are two or more.
fn bones(figure: &Figure) -> Option<Bones> {
    let mut used = vec![false; figure.joints.len()];
    for p in &figure.parts {
        let Some(skin) = p.skin.map(|s| &figure.skins[s]) else { continue };
        for (j, share) in p.weights.joints.iter().zip(&p.weights.shares) {
            if *share > 0.0 {
                used[skin.joints[*j as usize]] = true;
            }
        }
    }
    if used.iter().filter(|u| **u).count() < 2 {
        return None;
    }
    let posed = figure.pose(None, 0.0);
    let mut number = vec![None; used.len()];
    let mut out = Bones::default();
    let above = |mut j: usize, number: &[Option<u32>]| loop {
        j = figure.joints[j].parent?;
        if number[j].is_some() {
            return number[j];
        }
    };
    for j in (0..used.len()).filter(|j| used[*j]) {
        let up = above(j, &number);
        number[j] = Some(out.bones.len() as u32);
        out.bones.push(Bone { at: posed.joints[j].translation, up });
    }
    for p in &figure.parts {
        // What no skin holds goes along with what carries it.
        let stands = number[p.joint].or_else(|| above(p.joint, &number)).unwrap_or(0);
        for k in 0..p.mesh.positions.len() {
            out.carried.push(match p.skin.map(|s| &figure.skins[s]) {
                Some(skin) => (p.weights.first[k] as usize..p.weights.first[k + 1] as usize)
                    .filter_map(|at| {
                        let joint = skin.joints[p.weights.joints[at] as usize];
                        Some((number[joint]?, p.weights.shares[at]))
                    })
                    .collect(),
                None => vec![(stands, 1.0)],
            });
        }
    }
    Some(out)
}

/// The skins of plants: of a mesh its own, of a species round wood with leaves.
pub fn limbs(own: &Plants, shaped: &Shaped) -> Option<Limbs> {
    let OfKind::Plants(stand) = &shaped.own else { return None };
    let Stand { model, placed, each, .. } = stand.as_ref();
    let (skins, plants) = match (model, &own.species) {
        (Some(model), _) => {
            (vec![model.skin.clone()], placed.iter().map(|p| Placed { skin: 0, ..*p }).collect())
        }
        (None, Some(species)) => {
            let grown = placed.iter().enumerate();
            let skins = grown.map(|(k, p)| tubes(&species.grow(k, own.seed, p.size))).collect();
            // They grew as large as they are.
            let plants = placed.iter().enumerate().map(|(k, p)| Placed { skin: k as u32, size: 1.0, ..*p });
            (skins, plants.collect())
        }
        (None, None) => return None,
    };
    let counts = vec![*each as u32; placed.len()];
    Some(Limbs { skins, plants, counts, up: shaped.mesh.up.clone(), rest: shaped.placed.clone() })
}
