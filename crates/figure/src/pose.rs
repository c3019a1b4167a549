use crate::clip::What;
use crate::{Figure, Local, Part};
use glam::{DAffine3, DMat3, DQuat, DVec3};
use rayon::prelude::*;

/// Points that one thread takes at least.
const RUN: usize = 4096;

/// A figure at a moment.
#[derive(Clone, Debug, PartialEq)]
pub struct Posed {
    /// Where each joint is in the figure's own space.
    pub joints: Vec<DAffine3>,
    /// How much there is of each morph of each part.
    pub morphs: Vec<Vec<f64>>,
    /// Which shapes of a sequence it is between, and how far from the first to the second.
    pub between: (usize, usize, f32),
}

/// Where a joint is, without its scale.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Stand {
    pub position: DVec3,
    pub turn: DQuat,
}

impl Figure {
    /// All of it at a time of a clip, seconds; before its first key and after its last it stays. No clip is as it rests.
    pub fn pose(&self, clip: Option<usize>, time: f64) -> Posed {
        let mut local: Vec<Local> = self.joints.iter().map(|j| j.rest).collect();
        let mut morphs: Vec<Vec<f64>> =
            self.parts.iter().map(|p| p.morphs.iter().map(|m| m.rest).collect()).collect();
        for c in clip.and_then(|c| self.clips.get(c)).into_iter().flat_map(|c| &c.channels) {
            match c.what {
                What::Position => local[c.joint].position = c.vector(time),
                What::Scale => local[c.joint].scale = c.vector(time),
                What::Turn => local[c.joint].turn = c.turn(time),
                What::Morphs(_) => {
                    for (p, own) in self.parts.iter().zip(&mut morphs).filter(|(p, _)| p.joint == c.joint) {
                        c.at(time, |k, x| {
                            if k < p.morphs.len() {
                                own[k] = x;
                            }
                        });
                    }
                }
            }
        }
        let mut joints: Vec<DAffine3> = Vec::with_capacity(local.len());
        for (j, l) in self.joints.iter().zip(&local) {
            let own = l.affine();
            joints.push(j.parent.map_or(own, |p| joints[p] * own));
        }
        Posed { joints, morphs, between: (0, 0, 0.0) }
    }

    /// A sequence at a part of its way, counted in shapes from the first; straight between two, and at its ends it stays.
    pub fn at_shape(&self, shape: f64) -> Posed {
        let last = self.sequence.len().saturating_sub(1);
        let at = if shape.is_finite() { shape.clamp(0.0, last as f64) } else { 0.0 };
        let first = (at as usize).min(last);
        let rest = self.pose(None, 0.0);
        Posed { between: (first, (first + 1).min(last), (at - first as f64) as f32), ..rest }
    }

    /// Where a joint is, its turn by the axes that are left when it is stretched or mirrored.
    pub fn stand(&self, posed: &Posed, joint: usize) -> Stand {
        let at = posed.joints[joint];
        Stand { position: at.translation, turn: turn_of(at.matrix3) }
    }

    /// Where all points are, in the order of [`Figure::mesh`].
    pub fn place(&self, posed: &Posed, out: &mut Vec<[f32; 3]>) {
        if let Some(a) = self.sequence.get(posed.between.0) {
            let b = &self.sequence[posed.between.1];
            let t = posed.between.2;
            let mix = |(p, q): (&[f32; 3], &[f32; 3])| std::array::from_fn(|c| p[c] + t * (q[c] - p[c]));
            out.clear();
            out.extend(a.iter().zip(b.iter()).map(mix));
            return;
        }
        out.resize(self.points(), [0.0; 3]);
        let mut rest = out.as_mut_slice();
        for (part, amounts) in self.parts.iter().zip(&posed.morphs) {
            let (own, more) = rest.split_at_mut(part.mesh.positions.len());
            self.place_part(part, amounts, posed, own);
            rest = more;
        }
    }

    fn place_part(&self, part: &Part, amounts: &[f64], posed: &Posed, out: &mut [[f32; 3]]) {
        let morphs: Vec<(f32, &[[f32; 3]])> = part
            .morphs
            .iter()
            .zip(amounts)
            .filter(|(_, a)| **a != 0.0)
            .map(|(m, a)| (*a as f32, m.added.as_slice()))
            .collect();
        let joints: Vec<Rows> = match part.skin {
            // A skinned part stands where its joints are, wherever what carries it is.
            Some(s) => {
                let skin = &self.skins[s];
                let each = skin.joints.iter().zip(&skin.inverse);
                each.map(|(j, inverse)| Rows::of(posed.joints[*j] * *inverse)).collect()
            }
            None => vec![Rows::of(posed.joints[part.joint])],
        };
        let (positions, w) = (&part.mesh.positions, &part.weights);
        out.par_iter_mut().enumerate().with_min_len(RUN).for_each(|(k, out)| {
            let mut p = positions[k];
            for (amount, added) in &morphs {
                (0..3).for_each(|c| p[c] += amount * added[k][c]);
            }
            if part.skin.is_none() {
                *out = joints[0].place(p);
                return;
            }
            let mut sum = [0.0f32; 3];
            for at in w.first[k] as usize..w.first[k + 1] as usize {
                let q = joints[w.joints[at] as usize].place(p);
                (0..3).for_each(|c| sum[c] += w.shares[at] * q[c]);
            }
            *out = sum;
        });
    }
}

/// The rows of an affine map.
struct Rows([[f32; 4]; 3]);

impl Rows {
    fn of(a: DAffine3) -> Rows {
        let [x, y, z] = [a.x_axis, a.y_axis, a.z_axis].map(|v| v.to_array());
        let t = a.translation.to_array();
        Rows(std::array::from_fn(|r| [x[r], y[r], z[r], t[r]].map(|c| c as f32)))
    }
    #[inline(always)]
    fn place(&self, p: [f32; 3]) -> [f32; 3] {
        self.0.map(|r| r[0] * p[0] + r[1] * p[1] + r[2] * p[2] + r[3])
    }
}

/// The turn nearest to what turns, stretches and mirrors: its axes made square one after the other.
fn turn_of(m: DMat3) -> DQuat {
    let x = m.x_axis.try_normalize();
    let y = x.and_then(|x| (m.y_axis - x * x.dot(m.y_axis)).try_normalize());
    match (x, y) {
        (Some(x), Some(y)) => crate::clip::unit(DQuat::from_mat3(&DMat3::from_cols(x, y, x.cross(y)))),
        _ => DQuat::IDENTITY,
    }
}
