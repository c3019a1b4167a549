//! Numbers of four strands at a time, in double precision: what bends a fine strand is a difference of differences, and is lost in single.
use std::arch::x86_64::*;
use std::ops::{Add, AddAssign, Div, Mul, Neg, Sub, SubAssign};

/// Strands side by side.
pub const LANES: usize = 4;

/// Calls an instruction of x86-64-v3, which the whole build requires (`.cargo/config.toml`).
macro_rules! v3 {
    ($e:expr) => {
        // Safety: the instruction set is there, or the program could not have started.
        unsafe { $e }
    };
}

/// A number of each of four strands.
#[derive(Clone, Copy, Debug)]
pub struct L(__m256d);

impl Default for L {
    fn default() -> L {
        L::splat(0.0)
    }
}

impl L {
    #[inline(always)]
    pub fn splat(n: f64) -> L {
        L(v3!(_mm256_set1_pd(n)))
    }
    #[inline(always)]
    pub fn of([a, b, c, d]: [f64; LANES]) -> L {
        L(v3!(_mm256_setr_pd(a, b, c, d)))
    }
    #[inline(always)]
    pub fn array(self) -> [f64; LANES] {
        let mut out = [0.0; LANES];
        // Safety: there is room for four.
        unsafe { _mm256_storeu_pd(out.as_mut_ptr(), self.0) };
        out
    }
    /// self * a + b.
    #[inline(always)]
    pub fn fma(self, a: L, b: L) -> L {
        L(v3!(_mm256_fmadd_pd(self.0, a.0, b.0)))
    }
    /// b - self * a.
    #[inline(always)]
    pub fn off(self, a: L, b: L) -> L {
        L(v3!(_mm256_fnmadd_pd(self.0, a.0, b.0)))
    }
    #[inline(always)]
    pub fn sqrt(self) -> L {
        L(v3!(_mm256_sqrt_pd(self.0)))
    }
    #[inline(always)]
    pub fn max(self, o: L) -> L {
        L(v3!(_mm256_max_pd(self.0, o.0)))
    }
    #[inline(always)]
    pub fn min(self, o: L) -> L {
        L(v3!(_mm256_min_pd(self.0, o.0)))
    }
}

macro_rules! by_lane {
    ($($op:ident $name:ident $call:ident;)*) => {$(
        impl $op for L {
            type Output = L;
            #[inline(always)]
            fn $name(self, o: L) -> L {
                L(v3!($call(self.0, o.0)))
            }
        }
    )*};
}

by_lane! {
    Add add _mm256_add_pd;
    Sub sub _mm256_sub_pd;
    Mul mul _mm256_mul_pd;
    Div div _mm256_div_pd;
}

impl Neg for L {
    type Output = L;
    #[inline(always)]
    fn neg(self) -> L {
        L::splat(0.0) - self
    }
}
impl AddAssign for L {
    #[inline(always)]
    fn add_assign(&mut self, o: L) {
        *self = *self + o;
    }
}
impl SubAssign for L {
    #[inline(always)]
    fn sub_assign(&mut self, o: L) {
        *self = *self - o;
    }
}

/// A vector of each of four strands.
#[derive(Clone, Copy, Debug, Default)]
pub struct V(pub [L; 3]);

impl V {
    /// From a vector for each strand.
    #[inline(always)]
    pub fn of(all: [[f64; 3]; LANES]) -> V {
        V(std::array::from_fn(|c| L::of(all.map(|v| v[c]))))
    }
    #[inline(always)]
    pub fn array(self) -> [[f64; 3]; LANES] {
        let all = self.0.map(L::array);
        std::array::from_fn(|l| [all[0][l], all[1][l], all[2][l]])
    }
    #[inline(always)]
    pub fn dot(self, o: V) -> L {
        self.0[0].fma(o.0[0], self.0[1].fma(o.0[1], self.0[2] * o.0[2]))
    }
    #[inline(always)]
    pub fn cross(self, o: V) -> V {
        let ([a, b, c], [d, e, f]) = (self.0, o.0);
        V([b.fma(f, -(c * e)), c.fma(d, -(a * f)), a.fma(e, -(b * d))])
    }
    #[inline(always)]
    pub fn times(self, by: L) -> V {
        V(self.0.map(|c| c * by))
    }
    /// self * a + b.
    #[inline(always)]
    pub fn fma(self, a: L, b: V) -> V {
        V([0, 1, 2].map(|c| self.0[c].fma(a, b.0[c])))
    }
    #[inline(always)]
    pub fn unit(self) -> V {
        self.times(L::splat(1.0) / self.dot(self).sqrt().max(L::splat(1e-30)))
    }
}

impl Add for V {
    type Output = V;
    #[inline(always)]
    fn add(self, o: V) -> V {
        V([0, 1, 2].map(|c| self.0[c] + o.0[c]))
    }
}
impl Sub for V {
    type Output = V;
    #[inline(always)]
    fn sub(self, o: V) -> V {
        V([0, 1, 2].map(|c| self.0[c] - o.0[c]))
    }
}

/// A symmetric 3 by 3 of each of four strands: xx, yy, zz, xy, xz, yz.
#[derive(Clone, Copy, Debug, Default)]
pub struct S(pub [L; 6]);

impl S {
    /// Adds a number to the diagonal.
    #[inline(always)]
    pub fn even(&mut self, by: L) {
        (0..3).for_each(|c| self.0[c] += by);
    }
    /// Adds t tᵀ times a number.
    #[inline(always)]
    pub fn along(&mut self, t: V, by: L) {
        let [x, y, z] = t.0;
        let [p, q, r] = t.times(by).0;
        for (to, (a, b)) in self.0.iter_mut().zip([(x, p), (y, q), (z, r), (x, q), (x, r), (y, r)]) {
            *to = a.fma(b, *to);
        }
    }
    #[inline(always)]
    pub fn by(&self, v: V) -> V {
        let [xx, yy, zz, xy, xz, yz] = self.0;
        let [x, y, z] = v.0;
        V([xx.fma(x, xy.fma(y, xz * z)), xy.fma(x, yy.fma(y, yz * z)), xz.fma(x, yz.fma(y, zz * z))])
    }
    /// Of one that is positive definite.
    #[inline(always)]
    pub fn inverse(&self) -> S {
        let [xx, yy, zz, xy, xz, yz] = self.0;
        let (a, b, c) = (yy.fma(zz, -(yz * yz)), xz.fma(yz, -(xy * zz)), xy.fma(yz, -(xz * yy)));
        let per = L::splat(1.0) / xx.fma(a, xy.fma(b, xz * c)).max(L::splat(1e-300));
        S([a, xx.fma(zz, -(xz * xz)), xx.fma(yy, -(xy * xy)), b, c, xy.fma(xz, -(xx * yz))].map(|n| n * per))
    }
}

/// A 3 by 3 of each of four strands, by rows.
#[derive(Clone, Copy, Debug, Default)]
pub struct M(pub [V; 3]);

impl M {
    #[inline(always)]
    pub fn by(&self, v: V) -> V {
        V(self.0.map(|row| row.dot(v)))
    }
    /// Its transpose by a vector.
    #[inline(always)]
    pub fn across(&self, v: V) -> V {
        self.0[2].fma(v.0[2], self.0[1].fma(v.0[1], self.0[0].times(v.0[0])))
    }
    #[inline(always)]
    pub fn column(&self, c: usize) -> V {
        V(self.0.map(|row| row.0[c]))
    }
}
