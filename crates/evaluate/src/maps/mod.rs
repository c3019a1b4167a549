//! The maps of a body, as numbers on its points: a kind of layer a file.
mod distance;
mod noise;
mod painted;
mod picture;
mod ramp;
mod zone;

pub use painted::fits;

use crate::resolve::World;
use crate::{MeshLibrary, ShapeError, Stage};
use nematon_air::Marks;
use nematon_document::{Body, Layer, Map, MapId, Node, Scaled, Weights, Zone};
use nematon_geometry::{About, Mesh};
use nematon_solver::Maps;
use std::sync::Arc;

/// What the layers of a body's maps follow from.
pub struct Ground<'a> {
    pub stage: &'a Stage,
    /// Where what they are on begins: zones are told beside that.
    pub place: &'a Node,
    /// The rest shape before it is placed.
    pub mesh: &'a Mesh,
    pub library: &'a dyn MeshLibrary,
}

/// A map made ready: what of it stays is worked out, what moves is by its numbers.
#[derive(Clone, Debug)]
pub struct Dyed {
    map: Map,
    laid: Vec<Laid>,
    positions: Arc<Vec<[f32; 3]>>,
    /// The points beside each, where it is evened out.
    beside: Vec<Vec<u32>>,
    /// Where the body begins: its zones are told beside that.
    place: Node,
}

#[derive(Clone, Debug)]
enum Laid {
    Off,
    Still(Vec<f32>),
    Zone(Box<Zone>),
}

impl Ground<'_> {
    /// A map of the body.
    ///
    /// # Errors
    /// When a layer names what the shape has not, or its file can't be had or doesn't fit.
    pub fn dyed(&self, map: &Map) -> Result<Dyed, ShapeError> {
        let laid = map.layers.iter().map(|l| match &l.weights {
            _ if !l.on => Ok(Laid::Off),
            Weights::Zone(z) => Ok(Laid::Zone(z.clone())),
            from => self.weights(map, from).map(Laid::Still),
        });
        let laid = laid.collect::<Result<_, _>>()?;
        let positions = Arc::new(self.mesh.positions.clone());
        let beside = if map.smooth > 0 { beside(self.mesh) } else { vec![] };
        Ok(Dyed { map: map.clone(), laid, positions, beside, place: self.place.clone() })
    }

    /// A map of a body, by its key: `None` where it has no such map.
    ///
    /// # Errors
    /// As for [`Ground::dyed`].
    pub fn named(&self, body: &Body, id: &MapId) -> Option<Result<Dyed, ShapeError>> {
        Some(self.dyed(body.maps.get(id)?))
    }

    /// The weights of a layer that stays; 0 of one that moves.
    ///
    /// # Errors
    /// As for [`Ground::dyed`].
    pub fn weights(&self, map: &Map, from: &Weights) -> Result<Vec<f32>, ShapeError> {
        let fault = |why: String| ShapeError::Map { map: map.name.clone(), why };
        let n = self.mesh.positions.len();
        match from {
            Weights::Painted(p) => painted::weights(self, p),
            Weights::Noise(n) => Ok(noise::weights(self.mesh, n)),
            Weights::Picture(p) => picture::weights(self, p),
            Weights::Ramp(r) => ramp::weights(self.mesh, r),
            Weights::Distance(d) => distance::weights(self.mesh, d),
            Weights::Border(b) => distance::straight(self.mesh, b),
            Weights::File(path) => {
                self.library.weights(path).map_err(|e| format!("can't be had: {e}")).and_then(|found| {
                    match found.len() {
                        m if m != n => Err(format!("has {m} weights, and the shape {n} points")),
                        _ if found.iter().any(|w| !(0.0..=1.0).contains(w)) => {
                            Err("has weights that are not from 0 to 1".into())
                        }
                        _ => Ok(found.as_ref().clone()),
                    }
                })
            }
            // Not a layer that stays.
            Weights::Zone(_) => Ok(vec![0.0; n]),
        }
        .map_err(fault)
    }
}

impl Dyed {
    /// Whether it is another at other frames.
    pub fn moves(&self, stage: &Stage) -> bool {
        self.map.layers.iter().zip(&self.laid).any(|(l, laid)| match laid {
            Laid::Off => false,
            Laid::Still(_) => !l.strength.is_still(),
            Laid::Zone(z) => !l.strength.is_still() || zone::moves(stage, z, &self.place),
        })
    }

    /// Its layers at a frame.
    pub fn rows(&self, stage: &Stage, frame: f64) -> Rows<'_> {
        let moment = stage.frames.moment(frame);
        let row = |(layer, laid): (&Layer, &Laid)| {
            let own = match laid {
                Laid::Off => return None,
                Laid::Still(own) => own.clone(),
                Laid::Zone(z) => zone::weights(stage, z, &self.place, &self.positions, frame),
            };
            Some((layer.strength.at(&moment), own))
        };
        Rows { map: &self.map, rows: self.map.layers.iter().zip(&self.laid).map(row).collect() }
    }

    /// Its weights at a frame, one a point.
    pub fn at(&self, stage: &Stage, frame: f64) -> Vec<f32> {
        let rows = self.rows(stage, frame);
        let mut out: Vec<f32> = (0..self.positions.len()).map(|p| rows.point(p)).collect();
        for _ in 0..self.map.smooth {
            let mean = |p: usize| {
                let near = &self.beside[p];
                let sum: f64 = near.iter().map(|q| f64::from(out[*q as usize])).sum();
                if near.is_empty() { f64::from(out[p]) } else { sum / near.len() as f64 }
            };
            out = (0..out.len()).map(|p| (0.5 * (f64::from(out[p]) + mean(p))) as f32).collect();
        }
        out
    }

    /// What of [`Dyed::at`] is other at other frames.
    pub fn mark(&self, stage: &Stage, frame: f64, marks: &mut Marks) {
        let moment = stage.frames.moment(frame);
        for (layer, laid) in self.map.layers.iter().zip(&self.laid) {
            match laid {
                Laid::Off => continue,
                Laid::Still(_) => {}
                Laid::Zone(z) => zone::at(stage, z, &self.place, frame).mark(marks),
            }
            marks.numbers(&[layer.strength.at(&moment) as f32]);
        }
    }

    /// Of all that stays of it.
    pub fn digest(&self) -> [u8; 32] {
        let mut hash = blake3::Hasher::new();
        let Map { name: _, dye: _, layers, invert, remap, smooth } = &self.map;
        for (Layer { weights: _, on: _, blend, strength: _, invert }, laid) in layers.iter().zip(&self.laid) {
            hash.update(&[*blend as u8, u8::from(*invert)]);
            match laid {
                Laid::Off => hash.update(&[0]),
                Laid::Still(w) => {
                    w.iter().for_each(|w| {
                        hash.update(&w.to_bits().to_le_bytes());
                    });
                    hash.update(&[1])
                }
                Laid::Zone(_) => hash.update(&[2]),
            };
        }
        hash.update(&[u8::from(*invert), *smooth as u8]);
        remap.iter().flatten().for_each(|r| {
            hash.update(&r.to_bits().to_le_bytes());
        });
        *hash.finalize().as_bytes()
    }
}

/// The layers of a map at a frame: their strengths and their weights, where they are on.
pub struct Rows<'a> {
    map: &'a Map,
    rows: Vec<Option<(f64, Vec<f32>)>>,
}

impl Rows<'_> {
    /// The weights of a layer, where it is there and on.
    pub fn layer(&mut self, layer: usize) -> Option<&mut Vec<f32>> {
        self.rows.get_mut(layer)?.as_mut().map(|(_, own)| own)
    }

    /// What they come to at a point, before it is evened out.
    pub fn point(&self, p: usize) -> f32 {
        let mut under = 0f32;
        for (layer, row) in self.map.layers.iter().zip(&self.rows) {
            if let Some((strength, own)) = row {
                under = layer.lay(f64::from(under), f64::from(own[p]), *strength) as f32;
            }
        }
        self.map.becomes(f64::from(under)).clamp(0.0, 1.0) as f32
    }
}

/// The points beside each point of a mesh, each once.
fn beside(mesh: &Mesh) -> Vec<Vec<u32>> {
    let about = About::of(&mesh.triangles, mesh.positions.len());
    let of = |p: u32| {
        let corners = about.point(p).iter().flat_map(|t| mesh.triangles[*t as usize]);
        let mut out: Vec<u32> = corners.filter(|q| *q != p).collect();
        out.sort_unstable();
        out.dedup();
        out
    };
    (0..mesh.positions.len() as u32).map(of).collect()
}

/// What each number of a body's matter is multiplied by, as its maps are at the scene's first frame.
///
/// # Errors
/// As for [`Ground::dyed`].
pub fn maps(ground: &Ground, body: &Body) -> Result<Maps, ShapeError> {
    let mut out = Maps::default();
    for (what, by) in &body.scaled {
        let Some(number) = number(*what) else { continue };
        let Some(dyed) = ground.named(body, &by.map) else { continue };
        let to = |w: &f32| (by.least + (by.most - by.least) * f64::from(*w)) as f32;
        let weights = dyed?.at(ground.stage, ground.stage.frames.first as f64);
        out.0[number as usize] = weights.iter().map(to).collect();
    }
    Ok(out)
}

/// The solver's number of a number; none of what it is told of as pulls.
fn number(what: Scaled) -> Option<nematon_solver::Scaled> {
    use nematon_solver::Scaled as To;
    Some(match what {
        Scaled::ArealWeight => To::ArealWeight,
        Scaled::Stretch => To::Stretch,
        Scaled::Shear => To::Shear,
        Scaled::Bend => To::Bend,
        Scaled::Damping => To::Damping,
        Scaled::Thickness => To::Thickness,
        Scaled::Friction => To::Friction,
        Scaled::Drag => To::Drag,
        Scaled::Lift => To::Lift,
        Scaled::Follow | Scaled::Gravity | Scaled::StillAir => return None,
    })
}

/// Where a body's own frame is in the world at a frame.
fn own(stage: &Stage, place: &Node, frame: f64) -> World {
    World::of(stage, place, frame)
}
