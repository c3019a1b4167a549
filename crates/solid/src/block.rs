use super::{Fetch, Kind, Skin, Solid, Standing};
use nematon_geometry::block;
use nematon_simd::{F8, V8};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A box about its middle, with edges and corners.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct BoxForm {
    #[schemars(title = "Size", inner(range(min = 0.001, max = 200)), extend("unit" = "m"))]
    pub size: [f64; 3],
}

impl Kind for BoxForm {
    const HOLLOW: bool = true;
    fn begin() -> Option<BoxForm> {
        Some(BoxForm { size: [0.5; 3] })
    }
    fn stand(&self, _: &dyn Fetch) -> Result<Standing, String> {
        let solid = Solid::Box { half: self.size.map(|s| (0.5 * s) as f32) };
        Ok(Standing { skin: Some(Skin::of(&block(self.size, [1; 3]))), ..Standing::of(solid) })
    }
}

#[inline(always)]
pub fn distance(half: &[f32; 3], p: V8) -> (V8, F8) {
    let zero = F8::splat(0.0);
    let over: [F8; 3] = std::array::from_fn(|c| p.0[c].abs() - F8::splat(half[c]));
    let sign = |c: usize| p.0[c].below(zero).pick(F8::splat(-1.0), F8::splat(1.0));
    let signs = [sign(0), sign(1), sign(2)];
    let out = V8(over.map(|o| o.max(zero)));
    let far = out.dot(out);
    let most = over[0].max(over[1]).max(over[2]);
    let (n, length) = out.and_length();
    let outside = zero.below(far);
    // Inside, the way out is through the nearest face; the first of those that are as near.
    let less = [over[0].below(most), over[1].below(most)];
    let one = F8::splat(1.0);
    let face = V8([
        less[0].pick(zero, one),
        less[0].pick(less[1].pick(zero, one), zero),
        less[0].pick(less[1].pick(one, zero), zero),
    ]);
    let n = V8::pick(outside, n, face);
    (V8(std::array::from_fn(|c| n.0[c] * signs[c])), outside.pick(length, most))
}
