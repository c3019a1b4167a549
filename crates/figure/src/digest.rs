use crate::{Channel, Clip, Curve, Figure, Joint, Local, Morph, Part, Skin, Weights, What};
use nematon_geometry::Mesh;

impl Figure {
    /// BLAKE3 of all that its places follow from; names of what moves nothing leave it as it is.
    pub fn digest(&self) -> [u8; 32] {
        let Figure { joints, parts, skins, clips, sequence } = self;
        let mut s = Sink(blake3::Hasher::new());
        s.whole(&[joints.len(), parts.len(), skins.len(), clips.len(), sequence.len()]);
        for Joint { name, parent, rest: Local { position, turn, scale } } in joints {
            s.0.update(name.as_bytes());
            s.whole(&[parent.map_or(0, |p| p + 1)]);
            s.f64(&position.to_array());
            s.f64(&turn.to_array());
            s.f64(&scale.to_array());
        }
        for Part { name, joint, skin, mesh, weights, morphs, own: _ } in parts {
            let Mesh { positions, triangles, .. } = mesh;
            let Weights { first, joints, shares } = weights;
            s.0.update(name.as_bytes());
            s.whole(&[*joint, skin.map_or(0, |k| k + 1), positions.len(), triangles.len(), morphs.len()]);
            s.f32(positions.as_flattened());
            s.u32(triangles.as_flattened());
            s.u32(first);
            s.u32(joints);
            s.f32(shares);
            for Morph { name: _, rest, added } in morphs {
                s.f64(&[*rest]);
                s.f32(added.as_flattened());
            }
        }
        for Skin { joints, inverse } in skins {
            s.whole(joints);
            inverse.iter().for_each(|m| s.f64(&m.to_cols_array()));
        }
        for Clip { name: _, duration, channels } in clips {
            s.f64(&[*duration]);
            for Channel { joint, what, curve, times, values } in channels {
                let what = match what {
                    What::Position => 0,
                    What::Turn => 1,
                    What::Scale => 2,
                    What::Morphs(n) => 3 + n,
                };
                let curve = match curve {
                    Curve::Step => 0,
                    Curve::Straight => 1,
                    Curve::Cubic => 2,
                };
                s.whole(&[*joint, what, curve, times.len()]);
                s.f64(times);
                s.f64(values);
            }
        }
        sequence.iter().for_each(|shape| s.f32(shape.as_flattened()));
        *s.0.finalize().as_bytes()
    }
}

struct Sink(blake3::Hasher);

impl Sink {
    fn whole(&mut self, n: &[usize]) {
        n.iter().for_each(|n| {
            self.0.update(&(*n as u64).to_le_bytes());
        });
    }
    fn f64(&mut self, n: &[f64]) {
        n.iter().for_each(|n| {
            self.0.update(&n.to_bits().to_le_bytes());
        });
    }
    fn f32(&mut self, n: &[f32]) {
        n.iter().for_each(|n| {
            self.0.update(&n.to_bits().to_le_bytes());
        });
    }
    fn u32(&mut self, n: &[u32]) {
        n.iter().for_each(|n| {
            self.0.update(&n.to_le_bytes());
        });
    }
}
