//! Animated meshes: what a file holds (joints, skins, morphs, clips, sequences of points), and where all of it is at any
//! moment. Knows no file format, no scene and no frames: time is in seconds of the clip.
//!
//! Skinning is linear blending (N. Magnenat-Thalmann, R. Laperrière, D. Thalmann, "Joint-Dependent Local Deformations for Hand
//! Animation and Object Grasping", 1988) as glTF 2.0 (Khronos, 2021, section 3.7.3.1) has it; curves are section 3.11 and
//! appendix C of the same. Turns go by the shorter way (K. Shoemake, "Animating Rotation with Quaternion Curves", 1985).
mod check;
mod clip;
mod digest;
mod fit;
mod pose;
mod spot;

pub use check::FigureFault;
pub use clip::{Channel, Clip, Curve, What};
pub use fit::{Fitted, StandIn, stand_ins};
pub use pose::{Posed, Stand};
pub use spot::{Nearest, Spot, spots};

use glam::{DAffine3, DQuat, DVec3};
use nematon_geometry::Mesh;
use std::sync::Arc;

/// Most points of one figure.
pub const MOST_POINTS: usize = 400_000;
/// Most joints and other nodes of one figure.
pub const MOST_JOINTS: usize = 20_000;

/// What a file of an animated mesh holds.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Figure {
    /// Those that others hang on come before them.
    pub joints: Vec<Joint>,
    pub parts: Vec<Part>,
    pub skins: Vec<Skin>,
    pub clips: Vec<Clip>,
    /// Where all points are, one after the other, where the file is a sequence of shapes and no joints move it.
    pub sequence: Vec<Arc<Vec<[f32; 3]>>>,
}

/// A camera of a file: what carries it, and how wide it looks.
#[derive(Clone, Debug, PartialEq)]
pub struct FoundCamera {
    pub name: String,
    /// Of the nodes.
    pub joint: usize,
    /// From the lower to the upper edge of the picture, rad.
    pub angle: f64,
}

/// A node of a figure: a joint of a skin, what carries a mesh, or what others hang on.
#[derive(Clone, Debug, PartialEq)]
pub struct Joint {
    /// Each has one of its own: [`Figure::named`] sees to that.
    pub name: String,
    pub parent: Option<usize>,
    /// Where it is when nothing moves it, on its parent.
    pub rest: Local,
}

/// Where a joint is on its parent: made larger, turned, then moved.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Local {
    /// Metres.
    pub position: DVec3,
    pub turn: DQuat,
    pub scale: DVec3,
}

impl Default for Local {
    fn default() -> Self {
        Local { position: DVec3::ZERO, turn: DQuat::IDENTITY, scale: DVec3::ONE }
    }
}

impl Local {
    pub fn affine(&self) -> DAffine3 {
        DAffine3::from_scale_rotation_translation(self.scale, self.turn, self.position)
    }
}

/// One mesh of a figure, with all that moves its points.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Part {
    pub name: String,
    /// What carries it; a skinned one is carried by its joints alone.
    pub joint: usize,
    pub skin: Option<usize>,
    /// As they are at rest, metres, with no morph.
    pub mesh: Mesh,
    pub weights: Weights,
    pub morphs: Vec<Morph>,
    /// Which point each of the file's own is: those that it doubled for the sake of a texture are one here. Empty where they
    /// are the same.
    pub own: Vec<u32>,
}

/// Which joints of a skin hold each point, as many as one likes. Empty where no skin does.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Weights {
    /// For each point where its joints begin in the other two, and at the end where the last one's end.
    pub first: Vec<u32>,
    /// Numbers in the skin.
    pub joints: Vec<u32>,
    /// Of each point they are 1 together.
    pub shares: Vec<f32>,
}

/// Another shape of a part, as what is added at each point.
#[derive(Clone, Debug, PartialEq)]
pub struct Morph {
    pub name: String,
    /// How much of it there is when nothing moves it.
    pub rest: f64,
    pub added: Vec<[f32; 3]>,
}

/// Joints that hold a skinned part.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Skin {
    pub joints: Vec<usize>,
    /// From the part's space to each joint's, as it was bound.
    pub inverse: Vec<DAffine3>,
}

impl Figure {
    pub fn points(&self) -> usize {
        self.parts.iter().map(|p| p.mesh.positions.len()).sum()
    }

    /// All parts as one mesh, as they are when nothing moves them. Points and triangles are in the order of the parts.
    pub fn mesh(&self) -> Mesh {
        let mut out = Mesh::default();
        for p in &self.parts {
            let first = out.positions.len() as u32;
            out.positions.extend(&p.mesh.positions);
            out.triangles.extend(p.mesh.triangles.iter().map(|t| t.map(|k| k + first)));
            let first = out.uvs.len() as u32;
            out.uvs.extend(&p.mesh.uvs);
            out.uv_triangles.extend(p.mesh.uv_triangles.iter().map(|t| t.map(|k| k + first)));
            // Where one has none all of its faces are triangles.
            let faced = p.mesh.faces.iter().map(|n| *n as usize).sum::<usize>() == p.mesh.triangles.len();
            match faced {
                true => out.faces.extend(&p.mesh.faces),
                false => out.faces.extend(p.mesh.triangles.iter().map(|_| 1)),
            }
        }
        // Of a part alone they would be of no use.
        if out.uv_triangles.len() != out.triangles.len() {
            (out.uvs, out.uv_triangles) = (vec![], vec![]);
        }
        if let Some(shape) = self.sequence.first() {
            out.positions.clone_from(shape);
        } else {
            self.place(&self.pose(None, 0.0), &mut out.positions);
        }
        out
    }

    /// How many points its file has, and the first of them that each point is: none where they are the same.
    pub fn file_points(&self) -> Option<(usize, Vec<usize>)> {
        if self.parts.iter().all(|p| p.own.is_empty()) {
            return None;
        }
        let (mut from, mut first) = (0, vec![]);
        for p in &self.parts {
            let n = p.mesh.positions.len();
            let mut own = vec![usize::MAX; n];
            match p.own.is_empty() {
                true => own.iter_mut().enumerate().for_each(|(k, o)| *o = from + k),
                false => {
                    p.own.iter().enumerate().rev().for_each(|(k, joined)| own[*joined as usize] = from + k)
                }
            }
            from += if p.own.is_empty() { n } else { p.own.len() };
            first.extend(own);
        }
        Some((from, first))
    }

    /// Which points each part has, in the order of [`Figure::mesh`].
    pub fn ranges(&self) -> Vec<std::ops::Range<usize>> {
        let mut at = 0;
        self.parts
            .iter()
            .map(|p| {
                let from = at;
                at += p.mesh.positions.len();
                from..at
            })
            .collect()
    }

    pub fn joint(&self, name: &str) -> Option<usize> {
        self.joints.iter().position(|j| j.name == name)
    }

    /// Gives each joint, part and clip a name of its own, so that a scene can name it.
    #[must_use]
    pub fn named(mut self) -> Figure {
        own_names(self.joints.iter_mut().map(|j| &mut j.name), "joint");
        own_names(self.parts.iter_mut().map(|p| &mut p.name), "part");
        own_names(self.clips.iter_mut().map(|c| &mut c.name), "clip");
        self
    }
}

/// Names that are there twice, or not at all, get a number.
fn own_names<'a>(names: impl Iterator<Item = &'a mut String>, what: &str) {
    let mut taken = std::collections::HashSet::new();
    // Where the numbers of a name go on: thousands may have one.
    let mut next = std::collections::HashMap::<String, usize>::new();
    for (k, name) in names.enumerate() {
        let clean: String = name.chars().filter(|c| !c.is_control()).take(80).collect();
        let base = if clean.trim().is_empty() { format!("{what} {}", k + 1) } else { clean };
        let mut own = base.clone();
        let number = next.entry(base.clone()).or_insert(2);
        while !taken.insert(own.clone()) {
            own = format!("{base} {number}");
            *number += 1;
        }
        *name = own;
    }
}

#[cfg(test)]
mod tests;
