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

/// Of eight times some points where they are by now, from where they were and what they gained since: told from where the
/// first of each was, so that nothing of what is between them is lost; and the fourth numbers of what they gained.
///
/// # Safety
/// As for [`load`], of both arrays.
#[inline(always)]
pub unsafe fn load_near<const N: usize>(
    start: *const Record,
    gained: *const Record,
    index: &[[u32; 8]; N],
) -> [(V8, F8); N] {
    index.iter().flatten().for_each(|i| race::read(gained.wrapping_add(*i as usize)));
    // Safety, for both: as the caller promises; records are aligned to 16 bytes.
    let was = |i: u32| unsafe { _mm_load_ps(start.add(i as usize).cast()) };
    let by = |i: u32| unsafe { _mm_load_ps(gained.add(i as usize).cast()) };
    let first: [__m128; 8] = std::array::from_fn(|l| was(index[0][l]));
    std::array::from_fn(|k| {
        let at = |l: usize| {
            let i = index[k][l];
            match k {
                0 => by(i),
                _ => v3!(_mm_blend_ps::<8>(_mm_add_ps(_mm_sub_ps(was(i), first[l]), by(i)), by(i))),
            }
        };
        let two = |l: usize| v3!(_mm256_insertf128_ps::<1>(_mm256_castps128_ps256(at(l)), at(l + 4)));
        let [x, y, z, w] = transpose([two(0), two(1), two(2), two(3)]);
        (V8([F8(x), F8(y), F8(z)]), F8(w))
    })
}

/// Three columns of a symmetric block, times a record.
#[inline(always)]
fn block(b: &[Record; 3], r: __m128) -> __m128 {
    // Safety: records are aligned to 16 bytes.
    let column = |k: usize| unsafe { _mm_load_ps(b[k].0.as_ptr()) };
    v3!({
        let z = _mm_mul_ps(column(2), _mm_shuffle_ps::<0xAA>(r, r));
        let yz = _mm_fmadd_ps(column(1), _mm_shuffle_ps::<0x55>(r, r), z);
        _mm_fmadd_ps(column(0), _mm_shuffle_ps::<0x00>(r, r), yz)
    })
}

/// Adds the products of two records' numbers, each to its own sum.
#[inline(always)]
fn products(a: __m128, b: __m128, sums: __m256d) -> __m256d {
    v3!(_mm256_fmadd_pd(_mm256_cvtps_pd(a), _mm256_cvtps_pd(b), sums))
}

fn total(sums: __m256d) -> f64 {
    let mut all = [0.0; 4];
    // Safety: four numbers are writable; the store needs no alignment.
    unsafe { _mm256_storeu_pd(all.as_mut_ptr(), sums) };
    all.iter().sum()
}

/// The sum of the products of all numbers of two lists.
pub fn dot(a: &[Record], b: &[Record]) -> f64 {
    let mut sums = v3!(_mm256_setzero_pd());
    for (a, b) in a.iter().zip(b) {
        // Safety: records are aligned to 16 bytes.
        let [a, b] = [a, b].map(|r| unsafe { _mm_load_ps(r.0.as_ptr()) });
        sums = products(a, b, sums);
    }
    total(sums)
}

/// Blocks times records; the fourth numbers of the blocks are 0, and so are those of the outcome.
pub fn eased(blocks: &[[Record; 3]], of: &[Record], out: &mut [Record]) {
    for ((b, r), o) in blocks.iter().zip(of).zip(out) {
        // Safety, for both: records are aligned to 16 bytes.
        let r = unsafe { _mm_load_ps(r.0.as_ptr()) };
        unsafe { _mm_store_ps(o.0.as_mut_ptr(), block(b, r)) };
    }
}

/// Adds `far` times a way to `step` and takes `far` times what a system makes of it from what is `left`; `made` becomes that, eased by the
/// blocks. Gives the product of the two. What has no block stays.
pub fn onward(
    far: f32,
    blocks: &[[Record; 3]],
    (way, made): (&[Record], &mut [Record]),
    (step, left): (&mut [Record], &mut [Record]),
) -> f64 {
    let [far, back] = [far, -far].map(|f| v3!(_mm_set1_ps(f)));
    let mut sums = v3!(_mm256_setzero_pd());
    let all = blocks.iter().zip(way).zip(made).zip(step.iter_mut().zip(left));
    for (((b, p), m), (s, r)) in all {
        // Safety, for all: records are aligned to 16 bytes.
        let [p, was, at, rest] = [p, &*m, &*s, &*r].map(|r| unsafe { _mm_load_ps(r.0.as_ptr()) });
        let rest = v3!(_mm_fmadd_ps(back, was, rest));
        let eased = block(b, rest);
        unsafe {
            _mm_store_ps(s.0.as_mut_ptr(), _mm_fmadd_ps(far, p, at));
            _mm_store_ps(r.0.as_mut_ptr(), rest);
            _mm_store_ps(m.0.as_mut_ptr(), eased);
        }
        sums = products(rest, eased, sums);
    }
    total(sums)
}

/// The way on: what is left, eased, and `on` times the way until now.
pub fn way_on(on: f32, eased: &[Record], way: &mut [Record]) {
    let on = v3!(_mm_set1_ps(on));
    for (z, p) in eased.iter().zip(way) {
        // Safety, for all: records are aligned to 16 bytes.
        let [e, q] = [z, &*p].map(|r| unsafe { _mm_load_ps(r.0.as_ptr()) });
        let next = v3!(_mm_fmadd_ps(on, q, e));
        unsafe { _mm_store_ps(p.0.as_mut_ptr(), next) };
    }
}

/// What records of some points differ by from that of `at`, each times a number, in all.
///
/// # Safety
/// All lie inside.
#[inline(always)]
pub unsafe fn differences(of: &[Record], at: usize, beside: &[(u32, f32)]) -> Record {
    let from = of.as_ptr();
    // Safety, for all: as the caller promises; records are aligned to 16 bytes.
    let read = |k: usize| unsafe { _mm_load_ps(from.add(k).cast()) };
    let own = read(at);
    // Two sums, for one would wait for each of its terms.
    let mut sums = v3!([_mm_setzero_ps(); 2]);
    let mut two = beside.chunks_exact(2);
    for pair in &mut two {
        for (sum, &(k, by)) in sums.iter_mut().zip(pair) {
            *sum = v3!(_mm_fmadd_ps(_mm_set1_ps(by), _mm_sub_ps(read(k as usize), own), *sum));
        }
    }
    for &(k, by) in two.remainder() {
        sums[0] = v3!(_mm_fmadd_ps(_mm_set1_ps(by), _mm_sub_ps(read(k as usize), own), sums[0]));
    }
    let mut out = Record::default();
    unsafe { _mm_store_ps(out.0.as_mut_ptr(), _mm_add_ps(sums[0], sums[1])) };
    out
}

/// What a row of a system makes of `of`: `mass` times its own, and of what others differ by from that, blocks by their columns, and
/// `times` a number each.
///
/// # Safety
/// All lie inside.
#[inline(always)]
pub unsafe fn answers(
    of: &[Record],
    at: usize,
    (beside, blocks): (&[u32], &[[Record; 3]]),
    bends: &[(u32, f32)],
    times: f32,
    mass: f32,
) -> Record {
    let from = of.as_ptr();
    // Safety, for all: as the caller promises; records are aligned to 16 bytes.
    let read = |k: u32| unsafe { _mm_load_ps(from.add(k as usize).cast()) };
    let own = read(at as u32);
    let mut sums = v3!([_mm_setzero_ps(); 3]);
    for (&k, b) in beside.iter().zip(blocks) {
        let column = |k: usize| unsafe { _mm_load_ps(b[k].0.as_ptr()) };
        v3!({
            let off = _mm_sub_ps(read(k), own);
            sums[0] = _mm_fmadd_ps(column(0), _mm_shuffle_ps::<0x00>(off, off), sums[0]);
            sums[1] = _mm_fmadd_ps(column(1), _mm_shuffle_ps::<0x55>(off, off), sums[1]);
            sums[2] = _mm_fmadd_ps(column(2), _mm_shuffle_ps::<0xAA>(off, off), sums[2]);
        });
    }
    let mut bent = v3!([_mm_setzero_ps(); 2]);
    let mut two = bends.chunks_exact(2);
    for pair in &mut two {
        for (sum, &(k, by)) in bent.iter_mut().zip(pair) {
            *sum = v3!(_mm_fmadd_ps(_mm_set1_ps(by), _mm_sub_ps(read(k), own), *sum));
        }
    }
    for &(k, by) in two.remainder() {
        bent[0] = v3!(_mm_fmadd_ps(_mm_set1_ps(by), _mm_sub_ps(read(k), own), bent[0]));
    }
    let mut out = Record::default();
    v3!({
        let pulled = _mm_fmadd_ps(_mm_set1_ps(mass), own, _mm_add_ps(sums[0], _mm_add_ps(sums[1], sums[2])));
        let all = _mm_fmadd_ps(_mm_set1_ps(times), _mm_add_ps(bent[0], bent[1]), pulled);
        // The fourth number says nothing.
        _mm_store_ps(out.0.as_mut_ptr(), _mm_blend_ps::<8>(all, _mm_setzero_ps()));
    });
    out
}

/// Adds the columns of eight blocks to those at some slots, and the transposed to those at others; slots beyond all are nothing's.
///
/// # Safety
/// Slots are inside or `u32::MAX`, and no other thread is at them.
#[inline(always)]
pub unsafe fn add_columns(
    blocks: *mut [Record; 3],
    (there, back): (&[u32; 8], &[u32; 8]),
    columns: &[V8; 3],
) {
    let across: [V8; 3] = std::array::from_fn(|r| V8(std::array::from_fn(|c| columns[c].0[r])));
    for (slots, columns) in [(there, columns), (back, &across)] {
        for (c, column) in columns.iter().enumerate() {
            let rows = rows(*column, F8::splat(0.0));
            // Safety: as the caller promises; records are aligned to 16 bytes.
            let add = |l: usize, by: __m128| unsafe {
                if slots[l] != u32::MAX {
                    let at = (&raw mut (*blocks.add(slots[l] as usize))[c]).cast();
                    _mm_store_ps(at, _mm_add_ps(_mm_load_ps(at), by));
                }
            };
            for (l, row) in rows.into_iter().enumerate() {
                v3!({
                    add(l, _mm256_castps256_ps128(row));
                    add(l + 4, _mm256_extractf128_ps::<1>(row));
                });
            }
        }
    }
}

/// Writes eight records back.
///
/// # Safety
/// As for [`load`], the eight indices differ, and no other thread reads those records meanwhile.
#[inline(always)]
pub unsafe fn store(records: *mut Record, index: &[u32; 8], v: V8, w: F8) {
    index.iter().for_each(|i| race::wrote(records.wrapping_add(*i as usize)));
    let rows = rows(v, w);
    for l in 0..4 {
        // Safety: as the caller promises; records are aligned to 16 bytes.
        unsafe {
            _mm_store_ps(records.add(index[l] as usize).cast(), _mm256_castps256_ps128(rows[l]));
            _mm_store_ps(records.add(index[l + 4] as usize).cast(), _mm256_extractf128_ps::<1>(rows[l]));
        }
    }
}

/// Eight points as records, two a register: the first four with the others.
#[inline(always)]
fn rows(v: V8, w: F8) -> [__m256; 4] {
    transpose([v.0[0].0, v.0[1].0, v.0[2].0, w.0]).map(|mut y| {
        // Safety: an empty instruction; it keeps the compiler from splitting the transpose into
        // twice as many 128-bit shuffles.
        unsafe {
            std::arch::asm!("/* {0} */", inout(ymm_reg) y, options(pure, nomem, nostack, preserves_flags));
        }
        y
    })
}

/// Adds to what eight points gained. Their fourth numbers stay.
///
/// # Safety
/// As for [`store`].
#[inline(always)]
pub unsafe fn gain(gained: *mut Record, index: &[u32; 8], by: V8) {
    index.iter().for_each(|i| race::wrote(gained.wrapping_add(*i as usize)));
    let rows = rows(by, F8::splat(0.0));
    // Safety: as the caller promises; records are aligned to 16 bytes.
    let add = |l: usize, by: __m128| unsafe {
        let at = gained.add(index[l] as usize).cast();
        _mm_store_ps(at, _mm_add_ps(_mm_load_ps(at), by));
    };
    for l in 0..4 {
        v3!({
            add(l, _mm256_castps256_ps128(rows[l]));
            add(l + 4, _mm256_extractf128_ps::<1>(rows[l]));
        });
    }
}

/// The four numbers of one point.
#[derive(Clone, Copy)]
pub struct F4(__m128);

impl F4 {
    #[inline(always)]
    pub fn splat(n: f32) -> F4 {
        F4(v3!(_mm_set1_ps(n)))
    }
    /// Three numbers, and 0.
    #[inline(always)]
    pub fn three([a, b, c]: [f32; 3]) -> F4 {
        F4(v3!(_mm_setr_ps(a, b, c, 0.0)))
    }
    #[inline(always)]
    pub fn of(r: &Record) -> F4 {
        // Safety: records are aligned to 16 bytes.
        F4(unsafe { _mm_load_ps(r.0.as_ptr()) })
    }
    #[inline(always)]
    pub fn put(self, to: &mut Record) {
        // Safety: as above.
        unsafe { _mm_store_ps(to.0.as_mut_ptr(), self.0) };
    }
    /// self * a + b.
    #[inline(always)]
    pub fn fma(self, a: F4, b: F4) -> F4 {
        F4(v3!(_mm_fmadd_ps(self.0, a.0, b.0)))
    }
    /// The same with the fourth number of another.
    #[inline(always)]
    pub fn fourth(self, of: F4) -> F4 {
        F4(v3!(_mm_blend_ps::<8>(self.0, of.0)))
    }
}

impl std::ops::Add for F4 {
    type Output = F4;
    #[inline(always)]
    fn add(self, o: F4) -> F4 {
        F4(v3!(_mm_add_ps(self.0, o.0)))
    }
}
impl std::ops::Sub for F4 {
    type Output = F4;
    #[inline(always)]
    fn sub(self, o: F4) -> F4 {
        F4(v3!(_mm_sub_ps(self.0, o.0)))
    }
}
impl std::ops::Mul for F4 {
    type Output = F4;
    #[inline(always)]
    fn mul(self, o: F4) -> F4 {
        F4(v3!(_mm_mul_ps(self.0, o.0)))
    }
}

/// A sum, and what it lost (D. Knuth, "The Art of Computer Programming", vol. 2, 1969, 4.2.2, theorem B).
#[inline(always)]
pub fn two_sum<N: Copy + std::ops::Add<Output = N> + std::ops::Sub<Output = N>>(a: N, b: N) -> (N, N) {
    let sum = a + b;
    let by = sum - a;
    (sum, (a - (sum - by)) + (b - by))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_points_gain_is_kept_apart() {
        let start: Vec<Record> = (0..20).map(|k| Record([1000.0 + k as f32, 0.0, -8.0, 5.0])).collect();
        let mut gained: Vec<Record> = (0..20).map(|k| Record([0.0, 1e-9, 0.25, k as f32])).collect();
        let index = [3, 17, 4, 0, 9, 11, 2, 19];
        // Safety: the indices lie inside and differ.
        unsafe {
            let other = [4, 3, 17, 1, 0, 2, 11, 9];
            let [(x, w), (y, u)] = load_near(start.as_ptr(), gained.as_ptr(), &[index, other]);
            assert_eq!((w.array(), u.array()), (index.map(|i| i as f32), other.map(|i| i as f32)));
            assert_eq!((x.0[0].array(), x.0[1].array()), ([0.0; 8], [1e-9; 8]));
            let apart: [f32; 8] = std::array::from_fn(|l| other[l] as f32 - index[l] as f32);
            assert_eq!((y.0[0].array(), y.0[1].array(), y.0[2].array()), (apart, [1e-9; 8], [0.25; 8]));
            let by = V8([F8::splat(1e-9), F8::splat(1e-9), F8::splat(0.5)]);
            gain(gained.as_mut_ptr(), &index, by);
        }
        assert_eq!(gained[17].0, [1e-9, 1e-9 + 1e-9, 0.75, 17.0]);
        assert_eq!(gained[1].0, [0.0, 1e-9, 0.25, 1.0]);
    }

    #[test]
    fn a_sum_and_what_it_lost_are_the_whole() {
        for (a, b) in [(1000.0f32, 1e-6f32), (-3.0, 2.9e-7), (0.0, 1e-12), (1e-9, -512.0)] {
            let (sum, lost) = two_sum(a, b);
            assert_eq!(f64::from(sum) + f64::from(lost), f64::from(a) + f64::from(b));
        }
    }

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
