//! Records of points in memory, and eight of them at a time in registers.
use crate::race;
pub use nematon_simd::{F8, V8};
use std::arch::x86_64::*;

/// One point's numbers: x, y, z and one more (inverse mass, mass, or nothing).
#[derive(Clone, Copy, Debug, Default, PartialEq)]
#[repr(C, align(16))]
pub struct Record(pub [f32; 4]);

impl Record {
    pub fn xyz(&self) -> [f32; 3] {
        [self.0[0], self.0[1], self.0[2]]
    }
}

/// Records shared between threads that each touch points of their own.
#[derive(Clone, Copy)]
pub struct Shared(*mut Record);

// Safety: whoever reads or writes through it says why no two threads meet at a point.
unsafe impl Send for Shared {}
unsafe impl Sync for Shared {}

impl Shared {
    pub fn of(records: *mut Record) -> Shared {
        Shared(records)
    }
    pub fn get(self) -> *mut Record {
        self.0
    }
}

/// Calls an instruction of x86-64-v3, which the whole build requires (`.cargo/config.toml`).
macro_rules! v3 {
    ($e:expr) => {
        // Safety: the instruction set is there, or the program could not have started.
        unsafe { $e }
    };
}

/// Transposes 4x4 inside each half of four registers.
#[inline(always)]
fn transpose(m: [__m256; 4]) -> [__m256; 4] {
    v3!({
        let (a, b) = (_mm256_unpacklo_ps(m[0], m[1]), _mm256_unpackhi_ps(m[0], m[1]));
        let (c, d) = (_mm256_unpacklo_ps(m[2], m[3]), _mm256_unpackhi_ps(m[2], m[3]));
        [
            _mm256_shuffle_ps::<0x44>(a, c),
            _mm256_shuffle_ps::<0xEE>(a, c),
            _mm256_shuffle_ps::<0x44>(b, d),
            _mm256_shuffle_ps::<0xEE>(b, d),
        ]
    })
}

/// The records of eight points: their coordinates and their fourth numbers.
///
/// # Safety
/// All eight indices lie inside the array, and no other thread writes those records meanwhile.
#[inline(always)]
pub unsafe fn load(records: *const Record, index: &[u32; 8]) -> (V8, F8) {
    index.iter().for_each(|i| race::read(records.wrapping_add(*i as usize)));
    // Safety: as the caller promises; records are aligned to 16 bytes.
    let at = |l: usize| unsafe { _mm_load_ps(records.add(index[l] as usize).cast()) };
    let two = |l: usize| v3!(_mm256_insertf128_ps::<1>(_mm256_castps128_ps256(at(l)), at(l + 4)));
    let [x, y, z, w] = transpose([two(0), two(1), two(2), two(3)]);
    (V8([F8(x), F8(y), F8(z)]), F8(w))
}

/// Writes eight records back.
///
/// # Safety
/// As for [`load`], the eight indices differ, and no other thread reads those records meanwhile.
#[inline(always)]
pub unsafe fn store(records: *mut Record, index: &[u32; 8], v: V8, w: F8) {
    index.iter().for_each(|i| race::wrote(records.wrapping_add(*i as usize)));
    let rows = transpose([v.0[0].0, v.0[1].0, v.0[2].0, w.0]).map(|mut y| {
        // Safety: an empty instruction; it keeps the compiler from splitting the transpose into
        // twice as many 128-bit shuffles.
        unsafe {
            std::arch::asm!("/* {0} */", inout(ymm_reg) y, options(pure, nomem, nostack, preserves_flags));
        }
        y
    });
    for l in 0..4 {
        // Safety: as the caller promises; records are aligned to 16 bytes.
        unsafe {
            _mm_store_ps(records.add(index[l] as usize).cast(), _mm256_castps256_ps128(rows[l]));
            _mm_store_ps(records.add(index[l + 4] as usize).cast(), _mm256_extractf128_ps::<1>(rows[l]));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn records_come_back_as_they_were() {
        let mut r: Vec<Record> =
            (0..20).map(|k| Record([0.0, 1.0, 2.0, 3.0].map(|c| c + 10.0 * k as f32))).collect();
        let before = r.clone();
        let index = [3, 17, 4, 0, 9, 11, 2, 19];
        // Safety: the indices lie inside and differ.
        unsafe {
            let (v, w) = load(r.as_ptr(), &index);
            assert_eq!(v.0[1].array(), index.map(|i| 10.0 * i as f32 + 1.0));
            store(r.as_mut_ptr(), &index, v, w);
        }
        assert_eq!(r, before);
    }
}
