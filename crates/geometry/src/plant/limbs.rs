//! Skins of what branches: each point of a mesh goes along with the segments about it.
//!
//! Linear blending (N. Magnenat-Thalmann, R. Laperrière, D. Thalmann, "Joint-Dependent Local Deformations for Hand Animation and Object
//! Grasping", 1988). A segment is turned as far as it has to be to point where it does, on from how the one before it is turned: nothing winds that
//! was not bent (the parallel transport of M. Bergou et al., "Discrete Elastic Rods", 2008, sect. 4.2.2, along a tree in place of a line).
use crate::Mesh;
use glam::{DQuat, DVec3, Quat, Vec3};

/// A mesh with the segments that carry it, each by the point that it leads to, in the plant's own numbers.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Skin {
    /// About the plant's root, metres.
    pub mesh: Mesh,
    pub joints: Vec<[u32; 4]>,
    /// 1 together.
    pub shares: Vec<[f32; 4]>,
}

/// A plant with its skin: how large, how turned, and where its root is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Placed {
    pub skin: u32,
    pub size: f64,
    pub turn: DQuat,
    pub at: DVec3,
}

/// Plants with their skins, one after the other.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Limbs {
    pub skins: Vec<Skin>,
    pub plants: Vec<Placed>,
    /// How many points each plant has.
    pub counts: Vec<u32>,
    /// The point before each, by its number in its own plant.
    pub up: Vec<u32>,
    /// Where points are at rest.
    pub rest: Vec<[f32; 3]>,
}

fn wide(p: [f32; 3]) -> DVec3 {
    DVec3::from(p.map(f64::from))
}

/// How each segment of one plant is turned from how it rests. One that is not there any more is turned as the one before it.
pub fn turns(up: &[u32], rest: &[[f32; 3]], now: &[[f32; 3]]) -> Vec<DQuat> {
    let mut out = vec![DQuat::IDENTITY; up.len()];
    for k in 1..up.len() {
        let u = up[k] as usize;
        let before = out[u];
        let was = (wide(rest[k]) - wide(rest[u])).try_normalize();
        let is = (wide(now[k]) - wide(now[u])).try_normalize();
        out[k] = match (was, is) {
            (Some(was), Some(is)) => (DQuat::from_rotation_arc(before * was, is) * before).normalize(),
            _ => before,
        };
    }
    out
}

impl Limbs {
    /// The points of each plant.
    pub fn ranges(&self) -> impl Iterator<Item = std::ops::Range<usize>> + '_ {
        let mut from = 0;
        self.counts.iter().map(move |n| {
            let of = from..from + *n as usize;
            from = of.end;
            of
        })
    }

    /// All of it as one mesh, at rest.
    pub fn mesh(&self) -> Mesh {
        let mut out = Mesh::default();
        for p in &self.plants {
            let own = &self.skins[p.skin as usize].mesh;
            let (first, uv) = (out.positions.len() as u32, out.uvs.len() as u32);
            out.positions.extend(own.positions.iter().map(|q| p.place(*q)));
            out.triangles.extend(own.triangles.iter().map(|t| t.map(|k| k + first)));
            out.uvs.extend(&own.uvs);
            out.uv_triangles.extend(own.uv_triangles.iter().map(|t| t.map(|k| k + uv)));
            match own.faces.is_empty() {
                true => out.faces.extend(own.triangles.iter().map(|_| 1)),
                false => out.faces.extend(&own.faces),
            }
        }
        if out.uv_triangles.len() != out.triangles.len() {
            (out.uvs, out.uv_triangles) = (vec![], vec![]);
        }
        out
    }

    /// Where its points are when those of the segments are at `now`. What a segment carried that is gone shrinks to where it hung.
    pub fn frame(&self, now: &[[f32; 3]]) -> Vec<[f32; 3]> {
        let mut out = vec![];
        for (placed, of) in self.plants.iter().zip(self.ranges()) {
            let (up, rest, now) = (&self.up[of.clone()], &self.rest[of.clone()], &now[of]);
            let moves: Vec<(Quat, Vec3, Vec3, bool)> = turns(up, rest, now)
                .into_iter()
                .enumerate()
                .map(|(k, q)| {
                    let u = up[k] as usize;
                    (q.as_quat(), Vec3::from(rest[u]), Vec3::from(now[u]), now[k][0].is_nan())
                })
                .collect();
            let skin = &self.skins[placed.skin as usize];
            for ((p, joints), shares) in skin.mesh.positions.iter().zip(&skin.joints).zip(&skin.shares) {
                let p = Vec3::from(placed.place(*p));
                let mut at = Vec3::ZERO;
                for (j, share) in joints.iter().zip(shares).filter(|(_, s)| **s > 0.0) {
                    let (turn, was, is, gone) = moves[*j as usize];
                    at += share * if gone { is } else { is + turn * (p - was) };
                }
                out.push(at.to_array());
            }
        }
        out
    }
}

impl Placed {
    pub fn place(&self, p: [f32; 3]) -> [f32; 3] {
        (self.at + self.turn * (self.size * wide(p))).as_vec3().to_array()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Grown, tubes};

    fn pole() -> Limbs {
        let mut grown = Grown::default();
        for k in 0..5 {
            grown.points.push(DVec3::new(0.0, 0.25 * f64::from(k), 0.0));
            grown.up.push(u32::max(k as u32, 1) - 1);
            grown.thick.push(0.05);
            grown.parts.push(crate::Part::Wood(0));
        }
        grown.ends = vec![[0.0; 2]; 5];
        let rest = grown.points.iter().map(|p| p.as_vec3().to_array()).collect();
        let placed = Placed { skin: 0, size: 1.0, turn: DQuat::IDENTITY, at: DVec3::ZERO };
        Limbs { skins: vec![tubes(&grown)], plants: vec![placed], counts: vec![5], up: grown.up, rest }
    }

    #[test]
    fn a_skin_goes_along_with_what_turns_as_a_whole_and_stays_where_nothing_moves() {
        let limbs = pole();
        let rest = limbs.mesh().positions;
        let same = limbs.frame(&limbs.rest);
        assert!(rest.iter().zip(&same).all(|(a, b)| Vec3::from(*a).distance(Vec3::from(*b)) < 1e-6));
        let turn = Quat::from_rotation_z(0.7);
        let now: Vec<[f32; 3]> = limbs.rest.iter().map(|p| (turn * Vec3::from(*p)).to_array()).collect();
        let found = limbs.frame(&now);
        for (a, b) in rest.iter().zip(&found) {
            assert!((turn * Vec3::from(*a)).distance(Vec3::from(*b)) < 1e-6);
        }
    }

    #[test]
    fn a_bent_pole_keeps_its_thickness() {
        let limbs = pole();
        // A quarter of a circle.
        let now: Vec<[f32; 3]> = (0..5)
            .map(|k| {
                let a = std::f32::consts::FRAC_PI_2 * k as f32 / 4.0;
                let r = 2.0 / std::f32::consts::PI;
                [r * (1.0 - a.cos()), r * a.sin(), 0.0]
            })
            .collect();
        let found = limbs.frame(&now);
        let mesh = limbs.mesh();
        let middle = |k: f32| (Vec3::from(now[k as usize]) + Vec3::from(now[k.ceil() as usize])) * 0.5;
        for (rest, at) in mesh.positions.iter().zip(&found).filter(|(r, _)| (r[1] / 0.25).fract() == 0.0) {
            let far = Vec3::from(*at).distance(middle(rest[1] / 0.25));
            if rest[0].hypot(rest[2]) > 0.02 {
                assert!((far - 0.025).abs() < 0.002, "{rest:?} at {at:?}: {far}");
            }
        }
    }
}
