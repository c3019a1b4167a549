//! Eight numbers at a time, on the one instruction set that results are made with (x86-64-v3).
//! Only correctly rounded operations: no reciprocal estimates, whose bits differ between makers.
use std::arch::x86_64::*;
use std::ops::{Add, Div, Mul, Neg, Sub};

/// Calls an instruction of x86-64-v3, which the whole build requires (`.cargo/config.toml`).
macro_rules! v3 {
    ($e:expr) => {
        // Safety: the instruction set is there, or the program could not have started.
        unsafe { $e }
    };
}

#[cfg(not(all(target_feature = "avx2", target_feature = "fma")))]
compile_error!(
    "Nematon's results are made with x86-64-v3: build inside the project, where .cargo/config.toml asks for it"
);

#[derive(Clone, Copy)]
pub struct F8(#[doc(hidden)] pub __m256);

impl F8 {
    #[inline(always)]
    pub fn splat(v: f32) -> F8 {
        F8(v3!(_mm256_set1_ps(v)))
    }
    #[inline(always)]
    pub fn new(v: &[f32; 8]) -> F8 {
        // Safety: eight floats are readable; the load needs no alignment.
        F8(unsafe { _mm256_loadu_ps(v.as_ptr()) })
    }
    #[inline(always)]
    pub fn array(self) -> [f32; 8] {
        let mut out = [0.0; 8];
        // Safety: eight floats are writable; the store needs no alignment.
        unsafe { _mm256_storeu_ps(out.as_mut_ptr(), self.0) };
        out
    }
    /// self * a + b, rounded once.
    #[inline(always)]
    pub fn fma(self, a: F8, b: F8) -> F8 {
        F8(v3!(_mm256_fmadd_ps(self.0, a.0, b.0)))
    }
    /// b - self * a, rounded once.
    #[inline(always)]
    pub fn fnma(self, a: F8, b: F8) -> F8 {
        F8(v3!(_mm256_fnmadd_ps(self.0, a.0, b.0)))
    }
    #[inline(always)]
    pub fn sqrt(self) -> F8 {
        F8(v3!(_mm256_sqrt_ps(self.0)))
    }
    #[inline(always)]
    pub fn max(self, o: F8) -> F8 {
        F8(v3!(_mm256_max_ps(self.0, o.0)))
    }
    #[inline(always)]
    pub fn min(self, o: F8) -> F8 {
        F8(v3!(_mm256_min_ps(self.0, o.0)))
    }
    /// The least of the eight.
    #[inline(always)]
    pub fn least(self) -> f32 {
        v3!({
            let four = _mm_min_ps(_mm256_castps256_ps128(self.0), _mm256_extractf128_ps::<1>(self.0));
            let two = _mm_min_ps(four, _mm_movehl_ps(four, four));
            _mm_cvtss_f32(_mm_min_ss(two, _mm_shuffle_ps::<1>(two, two)))
        })
    }
    #[inline(always)]
    pub fn abs(self) -> F8 {
        F8(v3!(_mm256_andnot_ps(_mm256_set1_ps(-0.0), self.0)))
    }
    /// All bits set where self < o.
    #[inline(always)]
    pub fn below(self, o: F8) -> F8 {
        F8(v3!(_mm256_cmp_ps::<_CMP_LT_OQ>(self.0, o.0)))
    }
    /// All bits set where self <= o.
    #[inline(always)]
    pub fn at_most(self, o: F8) -> F8 {
        F8(v3!(_mm256_cmp_ps::<_CMP_LE_OQ>(self.0, o.0)))
    }
    /// `a` where the bits of self are set, `b` where not.
    #[inline(always)]
    pub fn pick(self, a: F8, b: F8) -> F8 {
        F8(v3!(_mm256_blendv_ps(b.0, a.0, self.0)))
    }
    #[inline(always)]
    pub fn and(self, o: F8) -> F8 {
        F8(v3!(_mm256_and_ps(self.0, o.0)))
    }
    #[inline(always)]
    pub fn or(self, o: F8) -> F8 {
        F8(v3!(_mm256_or_ps(self.0, o.0)))
    }
    /// One bit a lane, lane 0 lowest, where the bits of self are set.
    #[inline(always)]
    pub fn mask(self) -> u32 {
        v3!(_mm256_movemask_ps(self.0)) as u32
    }
    #[inline(always)]
    pub fn unit_clamp(self) -> F8 {
        self.max(F8::splat(0.0)).min(F8::splat(1.0))
    }
    #[inline(always)]
    pub fn round(self) -> F8 {
        F8(v3!(_mm256_round_ps::<{ _MM_FROUND_TO_NEAREST_INT | _MM_FROUND_NO_EXC }>(self.0)))
    }

    /// e^(-t) for t of 0 and more; relative error below 3e-7 times 1 + t, 0 where that is less than any number.
    #[inline(always)]
    pub fn fades(self) -> F8 {
        // 2^(-t/ln 2): the whole part into the exponent, the rest by its Taylor polynomial.
        let t = (self * F8::splat(-std::f32::consts::LOG2_E)).max(F8::splat(-126.0));
        let whole = t.round();
        let x = (t - whole) * F8::splat(std::f32::consts::LN_2);
        let p = x.fma(F8::splat(1.0 / 720.0), F8::splat(1.0 / 120.0));
        let p = p.fma(x, F8::splat(1.0 / 24.0));
        let p = p.fma(x, F8::splat(1.0 / 6.0));
        let p = p.fma(x, F8::splat(0.5));
        let p = p.fma(x, F8::splat(1.0)).fma(x, F8::splat(1.0));
        let two = F8(v3!({
            let k = _mm256_add_epi32(_mm256_cvtps_epi32(whole.0), _mm256_set1_epi32(127));
            _mm256_castsi256_ps(_mm256_slli_epi32::<23>(k))
        }));
        self.below(F8::splat(87.0)).and(p * two)
    }

    /// The angle whose sine is to its cosine as this is to `x`, radians from -π to π (M. Abramowitz, I. Stegun, "Handbook of
    /// Mathematical Functions", 1964, 4.4.49); 0 where both are 0.
    #[inline(always)]
    pub fn angle(self, x: F8) -> F8 {
        let (p, q) = (self.abs(), x.abs());
        let t = p.min(q) / p.max(q).max(F8::splat(1e-30));
        let s = t * t;
        let steps = [
            -0.016_165_737,
            0.042_909_614,
            -0.075_289_64,
            0.106_562_6,
            -0.142_089,
            0.199_935_51,
            -0.333_331_5,
            1.0,
        ];
        let sum = steps.iter().fold(F8::splat(0.002_866_225_7), |sum, a: &f32| sum.fma(s, F8::splat(*a)));
        let acute = sum * t;
        let half = F8::splat(std::f32::consts::FRAC_PI_2);
        let steep = q.below(p).pick(half - acute, acute);
        let whole = x.below(F8::splat(0.0)).pick(half + half - steep, steep);
        self.below(F8::splat(0.0)).pick(-whole, whole)
    }

    /// cos(2π t), t in turns; error below 4e-7 for |t| up to a thousand.
    /// Even and odd Taylor polynomials on an eighth of a turn, chosen by quadrant.
    #[inline(always)]
    pub fn cos_turns(self) -> F8 {
        // cos(2π t) = 1 - 2 sin²(π t), with t reduced to [-1/2, 1/2].
        let t = self - self.round();
        let x = t * F8::splat(std::f32::consts::FRAC_PI_2);
        // sin on [-π/4, π/4], degree 9; then the double angle twice.
        let x2 = x * x;
        let p = x2.fma(F8::splat(2.755_732e-6), F8::splat(-1.984_127e-4));
        let p = p.fma(x2, F8::splat(8.333_333e-3));
        let p = p.fma(x2, F8::splat(-0.166_666_67));
        let s = (p * x2).fma(x, x);
        let c2 = (s * s).fnma(F8::splat(2.0), F8::splat(1.0));
        (c2 * c2).fma(F8::splat(2.0), F8::splat(-1.0))
    }
}

impl Add for F8 {
    type Output = F8;
    #[inline(always)]
    fn add(self, o: F8) -> F8 {
        F8(v3!(_mm256_add_ps(self.0, o.0)))
    }
}
impl Sub for F8 {
    type Output = F8;
    #[inline(always)]
    fn sub(self, o: F8) -> F8 {
        F8(v3!(_mm256_sub_ps(self.0, o.0)))
    }
}
impl Mul for F8 {
    type Output = F8;
    #[inline(always)]
    fn mul(self, o: F8) -> F8 {
        F8(v3!(_mm256_mul_ps(self.0, o.0)))
    }
}
impl Div for F8 {
    type Output = F8;
    #[inline(always)]
    fn div(self, o: F8) -> F8 {
        F8(v3!(_mm256_div_ps(self.0, o.0)))
    }
}
impl Neg for F8 {
    type Output = F8;
    #[inline(always)]
    fn neg(self) -> F8 {
        F8(v3!(_mm256_xor_ps(_mm256_set1_ps(-0.0), self.0)))
    }
}

/// Three coordinates of eight points.
#[derive(Clone, Copy)]
pub struct V8(pub [F8; 3]);

impl V8 {
    #[inline(always)]
    pub fn dot(self, o: V8) -> F8 {
        self.0[0].fma(o.0[0], self.0[1].fma(o.0[1], self.0[2] * o.0[2]))
    }
    #[inline(always)]
    pub fn cross(self, o: V8) -> V8 {
        let ([a, b, c], [x, y, z]) = (self.0, o.0);
        V8([c.fnma(y, b * z), a.fnma(z, c * x), b.fnma(x, a * y)])
    }
    #[inline(always)]
    pub fn scale(self, s: F8) -> V8 {
        V8(self.0.map(|c| c * s))
    }
    /// The unit vector, and how long it was.
    #[inline(always)]
    pub fn and_length(self) -> (V8, F8) {
        let length = self.dot(self).max(F8::splat(1e-24)).sqrt();
        (self.scale(F8::splat(1.0) / length), length)
    }
    /// Of length 1, or 0 where it has no direction.
    #[inline(always)]
    pub fn unit(self) -> V8 {
        self.scale(F8::splat(1.0) / self.dot(self).max(F8::splat(1e-30)).sqrt())
    }
    #[inline(always)]
    pub fn min(self, o: V8) -> V8 {
        V8(std::array::from_fn(|k| self.0[k].min(o.0[k])))
    }
    #[inline(always)]
    pub fn max(self, o: V8) -> V8 {
        V8(std::array::from_fn(|k| self.0[k].max(o.0[k])))
    }
    /// `a` where the bits of `mask` are set, `b` where not.
    #[inline(always)]
    pub fn pick(mask: F8, a: V8, b: V8) -> V8 {
        V8(std::array::from_fn(|k| mask.pick(a.0[k], b.0[k])))
    }
    #[inline(always)]
    pub fn splat(v: [f32; 3]) -> V8 {
        V8(v.map(F8::splat))
    }
    /// self * s + o
    #[inline(always)]
    pub fn fma(self, s: F8, o: V8) -> V8 {
        V8(std::array::from_fn(|k| self.0[k].fma(s, o.0[k])))
    }
}
impl Neg for V8 {
    type Output = V8;
    #[inline(always)]
    fn neg(self) -> V8 {
        V8(self.0.map(|c| -c))
    }
}
impl Add for V8 {
    type Output = V8;
    #[inline(always)]
    fn add(self, o: V8) -> V8 {
        V8(std::array::from_fn(|k| self.0[k] + o.0[k]))
    }
}
impl Sub for V8 {
    type Output = V8;
    #[inline(always)]
    fn sub(self, o: V8) -> V8 {
        V8(std::array::from_fn(|k| self.0[k] - o.0[k]))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_fades_is_right_to_single_precision_and_ends_at_nothing() {
        for k in 0..8000 {
            let t = 0.011 * k as f32;
            let e = F8::splat(t).fades().array()[0];
            let to = (-f64::from(t)).exp();
            assert!((f64::from(e) - to).abs() <= 3e-7 * (1.0 + f64::from(t)) * to + 1e-37, "e^-{t}: {e}");
        }
        assert_eq!(F8::splat(1e9).fades().array()[0], 0.0);
        assert_eq!(F8::splat(0.0).fades().array()[0], 1.0);
    }

    #[test]
    fn an_angle_is_right_to_single_precision_all_the_way_round() {
        for k in 0..4000 {
            let a = 0.00157 * f64::from(k) - 3.1;
            let (s, c) = (a.sin() as f32 * 3.0, a.cos() as f32 * 3.0);
            let to = f64::from(s).atan2(f64::from(c));
            let got = f64::from(F8::splat(s).angle(F8::splat(c)).array()[0]);
            assert!((got - to).abs() < 6e-7, "{a}: {got}, {to}");
        }
        assert_eq!(F8::splat(0.0).angle(F8::splat(0.0)).array()[0], 0.0);
    }

    #[test]
    fn cosine_in_turns_is_right_to_single_precision() {
        for k in -4000..4000 {
            let t = k as f32 * 0.01003;
            let got = F8::splat(t).cos_turns().array()[3];
            let want = (f64::from(t) * std::f64::consts::TAU).cos();
            assert!((f64::from(got) - want).abs() < 2e-6, "{t}: {got} {want}");
        }
    }
}
