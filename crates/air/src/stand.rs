use crate::Marks;
use nematon_simd::V8;

/// Where a thing stands and how it is turned.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Stand {
    /// Metres.
    pub origin: [f32; 3],
    /// Its own x, y and z in the world, of length 1 and across each other.
    pub axes: [[f32; 3]; 3],
}

impl Stand {
    /// At a place, turned by a unit quaternion x, y, z, w.
    pub fn of(origin: [f32; 3], [x, y, z, w]: [f32; 4]) -> Stand {
        let axes = [
            [1.0 - 2.0 * (y * y + z * z), 2.0 * (x * y + w * z), 2.0 * (x * z - w * y)],
            [2.0 * (x * y - w * z), 1.0 - 2.0 * (x * x + z * z), 2.0 * (y * z + w * x)],
            [2.0 * (x * z + w * y), 2.0 * (y * z - w * x), 1.0 - 2.0 * (x * x + y * y)],
        ];
        Stand { origin, axes }
    }

    /// Places of the world in its own coordinates.
    #[inline(always)]
    pub fn local(&self, x: V8) -> V8 {
        let from = x - V8::splat(self.origin);
        V8(self.axes.map(|a| V8::splat(a).dot(from)))
    }

    /// Directions of its own in the world.
    #[inline(always)]
    pub fn world(&self, v: V8) -> V8 {
        let [x, y, z] = self.axes.map(V8::splat);
        x.fma(v.0[0], y.fma(v.0[1], z.scale(v.0[2])))
    }

    /// A direction of its own in the world.
    pub fn turned(&self, v: [f32; 3]) -> [f32; 3] {
        std::array::from_fn(|c| (0..3).map(|k| self.axes[k][c] * v[k]).sum())
    }

    pub(crate) fn mark(&self, to: &mut Marks) {
        let Stand { origin, axes } = self;
        to.numbers(origin);
        axes.iter().for_each(|a| to.numbers(a));
    }
}
