//! Multipliers of a coarse level, prolongated: what the constraints below begin with.
use crate::simd::{F8, Record, V8, load};

/// Whose multipliers something has a share of, and where it lies there.
#[derive(Clone, Copy, Debug, Default)]
pub struct Share {
    pub cell: u32,
    pub off: [f32; 2],
}

/// The multipliers of a lattice, for whoever is below: by the cells' places, and a zero at the end.
#[derive(Clone, Debug)]
pub struct Prolonged {
    /// Over K A, along warp and weft.
    pub stretch: [Vec<f32>; 2],
    /// Over K A, and how that changes along warp and weft, a cell.
    pub shear: Vec<Record>,
}

impl Prolonged {
    /// Of eight shares of stretch along a direction, over K A.
    #[inline(always)]
    pub fn stretch(&self, direction: usize, from: &[u32; 8]) -> F8 {
        // Safety: places come from the cells, which the told ones are as many as; see `Cells::none`.
        let prolonged = self.stretch[direction].as_ptr();
        let mut out = [0.0; 8];
        for (out, k) in out.iter_mut().zip(from) {
            *out = unsafe { *prolonged.add(*k as usize) };
        }
        F8::new(&out)
    }

    /// Of eight shares of shear, by their K A alone and times where they lie.
    #[inline(always)]
    pub fn shear(&self, from: &[u32; 8], share: &[[f32; 8]; 3]) -> F8 {
        // Safety: as above.
        let (V8(prolonged), _) = unsafe { load(self.shear.as_ptr(), from) };
        let [s, u, v] = share.each_ref().map(F8::new);
        prolonged[0].fma(s, prolonged[1].fma(u, prolonged[2] * v))
    }
}

impl Default for Prolonged {
    fn default() -> Prolonged {
        Prolonged { stretch: [vec![0.0], vec![0.0]], shear: vec![Record::default()] }
    }
}
