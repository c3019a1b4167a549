//! Hairs between strands, and a lock of them to look at.
use crate::resolve::World;
use crate::shape::OfKind;
use crate::soil::{Grows, filled, soil, spread};
use crate::{MeshLibrary, ShapeError, Shaped, Stage, shape as shape_of};
use glam::DVec3;
use nematon_document::{Body, Hairs};
use nematon_geometry::{Bundle, Hair, HairLook, Mesh, Near, between, fill, strew};
use nematon_paint::Lock;
use std::f64::consts::TAU;

/// The hairs between a body's strands.
#[derive(Clone, Debug)]
pub struct Between {
    pub hairs: Vec<Hair>,
    pub look: HairLook,
    /// Half of how thick a hair is, from its root to its tip, by point, metres.
    pub radii: Vec<f32>,
    /// Of a strand, and of a hair.
    pub points: usize,
}

impl Between {
    /// What is written of them beside their frames.
    pub fn mesh(&self) -> Mesh {
        let strands = vec![self.points as u32; self.hairs.len()];
        let radii = self.hairs.iter().flat_map(|_| self.radii.iter().copied()).collect();
        let rest = vec![[0.0; 3]; self.hairs.len() * self.points];
        Mesh { positions: rest, radii, strands, ..Mesh::default() }
    }

    /// Where their points are, by those of the strands at the first frame and now.
    pub fn frame(&self, rest: &[[f32; 3]], now: &[[f32; 3]]) -> Vec<[f32; 3]> {
        let of = Bundle { points: self.points, rest, now };
        let mut out = Vec::with_capacity(self.hairs.len() * self.points);
        self.hairs.iter().for_each(|h| h.points(&of, &self.look, &mut out));
        out
    }
}

/// The hairs between a body's strands; none where it has none.
///
/// # Errors
/// When what they grow on can't be had.
pub fn hairs(
    scene: &Stage,
    body: &Body,
    shaped: &Shaped,
    library: &dyn MeshLibrary,
) -> Result<Option<Between>, ShapeError> {
    let Some((own, of)) = body.kind.strands().and_then(|s| Some((s, s.hairs.as_ref()?))) else {
        return Ok(None);
    };
    let OfKind::Strands { locks, .. } = &shaped.own else { return Ok(None) };
    let Hairs { count, clump, shorter, stray, windings, winding_radius, parting, diameter, taper, seed } =
        *of;
    let at = World::of(scene, &body.place, scene.frames.first as f64);
    // Others than those that strands grow by.
    let seed = seed.wrapping_mul(7919).wrapping_add(own.seed).wrapping_add(104_729);
    let dice = |k: usize| [0, 1, 2, 3].map(|c| fill::chance(seed, (1 << 41) + 4 * k as u64 + c) as f32);
    let soil = if own.curves.is_some() { None } else { soil((scene, library), body, &Grows::from(own))? };
    let places: Vec<DVec3> = match &soil {
        Some(soil) if own.inside => filled((scene, library), body, &Grows::from(own), soil, count, seed)?,
        Some(soil) => {
            let on = spread((scene, library), body, &Grows::from(own), soil, &strew, count, seed)?;
            on.iter().map(|on| soil.root(on).at).collect()
        }
        None => around(locks, count as usize, seed),
    };
    let world = |p: DVec3| DVec3::from(at.place(p.to_array()));
    let places: Vec<DVec3> = places.into_iter().map(world).collect();
    let n = own.points as usize;
    let wide = |k: usize| DVec3::from(shaped.placed[k].map(f64::from));
    let near =
        |k: usize| Near { at: wide(k * n), way: (wide(k * n + n / 2) - wide(k * n)).normalize_or(DVec3::Y) };
    let strands: Vec<Near> = (0..locks.len()).map(near).collect();
    let radii = (0..n).map(|k| (0.5 * diameter * (1.0 - taper * k as f64 / (n - 1) as f64)) as f32);
    Ok(Some(Between {
        hairs: between(&strands, &places, parting, dice),
        look: HairLook { clump, shorter, stray, windings, winding_radius },
        radii: radii.collect(),
        points: n,
    }))
}

/// How many a lock is drawn of.
const LOCK: usize = 20;

/// A lock of a body as it is at rest, seen from the side: up to twenty hairs beside its first strand, or of its strands where there are no hairs; along
/// the ground there and out of it, from that strand's root, metres.
///
/// # Errors
/// When the body is not of strands, or has no shape.
pub fn lock(scene: &Stage, body: &Body, library: &dyn MeshLibrary) -> Result<Vec<Vec<[f64; 2]>>, ShapeError> {
    let shaped = shape_of(scene, body, library)?;
    let OfKind::Strands { locks, .. } = &shaped.own else { return Err(ShapeError::Loose) };
    let Some(first) = locks.first() else { return Ok(vec![]) };
    let n = shaped.placed.len() / locks.len();
    let wide = |p: &[f32; 3]| DVec3::from(p.map(f64::from));
    let at = World::of(scene, &body.place, scene.frames.first as f64);
    let out = DVec3::from(at.direction(first.out.to_array()));
    let root = wide(&shaped.placed[0]);
    // Seen so that it leans to the side.
    let lean = (wide(&shaped.placed[n - 1]) - root).reject_from_normalized(out);
    let side = if lean.length() > 1e-9 { lean.normalize() } else { out.any_orthonormal_vector() };
    let seen = |p: &[f32; 3]| {
        let off = wide(p) - root;
        [off.dot(side), off.dot(out)]
    };
    let all = match hairs(scene, body, &shaped, library)? {
        Some(mut between) => {
            let near = |h: &Hair| DVec3::from(h.off.map(f64::from)).length();
            between.hairs.retain(|h| h.strands[0] == 0);
            between.hairs.sort_by(|a, b| near(a).total_cmp(&near(b)));
            between.hairs.truncate(LOCK);
            between.frame(&shaped.placed, &shaped.placed)
        }
        None => {
            let far = |k: usize| wide(&shaped.placed[k * n]).distance(root);
            let mut near: Vec<usize> = (0..locks.len()).collect();
            near.sort_by(|a, b| far(*a).total_cmp(&far(*b)));
            near.truncate(LOCK);
            near.into_iter().flat_map(|k| shaped.placed[k * n..(k + 1) * n].to_vec()).collect()
        }
    };
    Ok(all.chunks(n).map(|h| h.iter().map(seen).collect()).collect())
}

/// Places about roots that stand on no surface, each as far from one as they lie apart.
fn around(locks: &[Lock], count: usize, seed: u32) -> Vec<DVec3> {
    let apart = nematon_paint::apart(locks);
    let place = |k: usize| {
        let dice = [0, 1, 2].map(|c| fill::chance(seed, 4 * k as u64 + c));
        let lock = &locks[((dice[0] * locks.len() as f64) as usize).min(locks.len() - 1)];
        let (a, b) = lock.out.any_orthonormal_pair();
        let (sin, cos) = libm::sincos(TAU * dice[1]);
        lock.root + 0.5 * apart * dice[2].sqrt() * (cos * a + sin * b)
    };
    (0..count).map(place).collect()
}
