//! What triangles resist with where a stress would press: a membrane relaxed in the direction of its wrinkles.
//!
//! Cloth hardly resists being pressed, it folds; folds that are finer than the mesh add to the metric of a triangle, FᵀF, what they hide of its
//! length: a positive part. The energy is the least that any such part leaves (A. Pipkin, "The Relaxed Energy Density for Isotropic Elastic
//! Membranes", 1986; for other matter D. Steigmann, "Tension-Field Theory", 1990), so a stress is never pressing: both ways
//! taut it is the matter's own, both ways slack nothing, and between q qᵀ is added with P q = 0, P the second stress of Piola and Kirchhoff. q is
//! found by Newton's method from the best of some directions; how the stress then answers follows from the same system.
//!
//! What nothing resists would go anywhere: a mesh turns itself inside out, and gas keeps it there. So folds take their time: while
//! they come and go they resist as the matter itself does for a moment, and what rests feels nothing of that.
use crate::simd::F8;

/// Of the matter's own, what is left where a stress presses.
const PRESSED: f32 = 0.003;
/// The moment in which folds come and go, seconds.
const FOLDS: f32 = 1e-3;
/// Directions that are looked at, of length 1.
const WAYS: [[f32; 2]; 8] = [
    [1.0, 0.0],
    [0.923_879_5, 0.382_683_43],
    [std::f32::consts::FRAC_1_SQRT_2, std::f32::consts::FRAC_1_SQRT_2],
    [0.382_683_43, 0.923_879_5],
    [0.0, 1.0],
    [-0.382_683_43, 0.923_879_5],
    [-std::f32::consts::FRAC_1_SQRT_2, std::f32::consts::FRAC_1_SQRT_2],
    [-0.923_879_5, 0.382_683_43],
];
const ROUNDS: usize = 5;
const TINY: f32 = 1e-12;

/// ½ a ε_u² + ½ b ε_v² + c ε_u ε_v + ½ s (f_u·f_v)² of eight triangles, with ε how much longer columns are than `rest`.
pub struct Law {
    pub along: [F8; 2],
    pub both: F8,
    pub shear: F8,
    pub rest: [F8; 2],
}

/// Stress as uu, vv, uv; how it answers to half of the metric's change along both and to that of uv, as uu, vv, uu-vv, uv, uu-uv, vv-uv; and
/// what of the stress resists across.
pub struct Answer {
    pub stress: [F8; 3],
    pub moduli: [F8; 6],
    pub across: [F8; 3],
}

impl Law {
    /// Of a metric, what the matter itself does, with no answer of uu or vv to uv.
    #[inline(always)]
    fn own(&self, [uu, vv, uv]: [F8; 3]) -> ([F8; 3], [F8; 4]) {
        let (zero, tiny) = (F8::splat(0.0), F8::splat(TINY));
        let [uu, vv] = [uu.max(tiny), vv.max(tiny)];
        let length = [uu.sqrt(), vv.sqrt()];
        let strain = [length[0] - self.rest[0], length[1] - self.rest[1]];
        let [a, b] = self.along;
        let p = [
            a.fma(strain[0], self.both * strain[1]) / length[0],
            b.fma(strain[1], self.both * strain[0]) / length[1],
        ];
        let moduli = [
            (a - p[0]).max(zero) / uu,
            (b - p[1]).max(zero) / vv,
            self.both / (length[0] * length[1]),
            self.shear,
        ];
        ([p[0], p[1], self.shear * uv], moduli)
    }

    /// What a metric answers, that was another a time before.
    #[inline(always)]
    pub fn at(&self, metric: [F8; 3], before: [F8; 3], time: f32) -> Answer {
        let zero = F8::splat(0.0);
        let (p, d) = self.own(metric);
        let taut = zero.at_most(p[0]).and(zero.at_most(p[1])).and((p[2] * p[2]).at_most(p[0] * p[1]));
        let moduli = [d[0], d[1], d[2], d[3], zero, zero];
        if taut.mask() == 0xff {
            return Answer { stress: p, moduli, across: p };
        }
        let gap = [0, 1].map(|k| self.rest[k].fma(self.rest[k], -metric[k]));
        let slack = zero.at_most(gap[0]).and(zero.at_most(gap[1]));
        let slack = slack.and((metric[2] * metric[2]).at_most(gap[0] * gap[1]));
        let (relaxed, answers) = if taut.or(slack).mask() == 0xff {
            ([zero; 3], [zero; 6])
        } else {
            let (_, relaxed, answers) = self.wrinkled(metric, p, d);
            (relaxed, answers)
        };
        let by = [0, 1, 2].map(|k| (metric[k] - before[k]) * F8::splat(if k < 2 { 0.5 } else { 1.0 }));
        let slowed = [d[0].fma(by[0], d[2] * by[1]), d[1].fma(by[1], d[2] * by[0]), d[3] * by[2]];
        let (left, slow) = (F8::splat(PRESSED), F8::splat(FOLDS / time));
        let folds = F8::splat(1.0 - PRESSED);
        let mixed = |own: F8, slowed: F8, relaxed: F8| {
            let relaxed = slack.pick(zero, relaxed * folds);
            taut.pick(own, left.fma(own, slow.fma(slowed, relaxed)))
        };
        let stress = std::array::from_fn(|k| mixed(p[k], slowed[k], relaxed[k]));
        let moduli = std::array::from_fn(|k| mixed(moduli[k], moduli[k], answers[k]));
        // What presses does not help to fold (J. Teran et al., "Robust Quasistatic Finite Elements", 2005, section 8).
        let [uu, vv] = [0, 1].map(|k| slack.pick(zero, relaxed[k].max(zero) * folds));
        let most = (uu * vv).sqrt();
        let uv = slack.pick(zero, relaxed[2] * folds).min(most).max(-most);
        let across = [taut.pick(p[0], uu), taut.pick(p[1], vv), taut.pick(p[2], uv)];
        Answer { stress, moduli, across }
    }

    /// Where it is taut one way and slack another: q, the stress, and how that answers.
    #[inline(always)]
    fn wrinkled(&self, metric: [F8; 3], p: [F8; 3], d: [F8; 4]) -> ([F8; 2], [F8; 3], [F8; 6]) {
        let (zero, tiny) = (F8::splat(0.0), F8::splat(TINY));
        let half = F8::splat(0.5);
        let added =
            |q: [F8; 2]| [q[0].fma(q[0], metric[0]), q[1].fma(q[1], metric[1]), q[0].fma(q[1], metric[2])];
        // Where folds would take most of the energy away, were it as it is here.
        let (mut most, mut q) = (zero, [zero; 2]);
        for way in WAYS {
            let [u, v] = way.map(F8::splat);
            let (uu, vv, uv) = (u * u, v * v, u * v);
            let force = p[0].fma(uu, p[1].fma(vv, (p[2] + p[2]) * uv)) * half;
            let [a, b] = [half * uu, half * vv];
            let gives = a.fma(d[0].fma(a, (d[2] + d[2]) * b), b.fma(d[1] * b, d[3] * uv * uv)).max(tiny);
            let much = (-force).max(zero) / gives;
            let taken = (-force).max(zero) * much;
            let better = most.below(taken);
            most = better.pick(taken, most);
            let long = much.sqrt();
            q = [better.pick(long * u, q[0]), better.pick(long * v, q[1])];
        }
        let mut at = self.own(added(q));
        for _ in 0..ROUNDS {
            let (p, d) = at;
            let [a, b, c] = bent(q, p, d);
            // Made definite by its lower eigenvalue, where it is not.
            let (mean, off) = (half * (a + b), half * (a - b));
            let spread = off.fma(off, c * c).sqrt();
            let floor = F8::splat(0.02) * (mean.abs() + spread);
            let more = (floor - (mean - spread)).max(zero);
            let (a, b) = (a + more, b + more);
            let det = a.fma(b, -(c * c)).max(tiny);
            let g = [p[0].fma(q[0], p[2] * q[1]), p[2].fma(q[0], p[1] * q[1])];
            let step = [(c * g[1] - b * g[0]) / det, (c * g[0] - a * g[1]) / det];
            let far = step[0].fma(step[0], step[1] * step[1]).sqrt();
            let reach = half * q[0].fma(q[0], q[1] * q[1]).sqrt();
            let times = (reach / far.max(tiny)).min(F8::splat(1.0));
            q = [step[0].fma(times, q[0]), step[1].fma(times, q[1])];
            at = self.own(added(q));
        }
        let (p, d) = at;
        let [a, b, c] = bent(q, p, d);
        let det = a.fma(b, -(c * c));
        // Of folds that are hardly there nothing is known of where they go.
        let known = (F8::splat(1e-4) * (a * b).abs()).max(tiny).below(det).and(zero.below(a));
        let per = known.pick(F8::splat(1.0) / det.max(tiny), zero);
        let inverse = [b * per, a * per, -(c * per)];
        let by = [[d[0] * q[0], d[2] * q[1]], [d[2] * q[0], d[1] * q[1]], [d[3] * q[1], d[3] * q[0]]];
        let off = |i: usize, j: usize| {
            let [u, v] = [0, 1].map(|k| inverse[k].fma(by[j][k], inverse[2] * by[j][1 - k]));
            by[i][0].fma(u, by[i][1] * v)
        };
        let answers = [
            (d[0] - off(0, 0)).max(zero),
            (d[1] - off(1, 1)).max(zero),
            d[2] - off(0, 1),
            (d[3] - off(2, 2)).max(zero),
            -off(0, 2),
            -off(1, 2),
        ];
        (q, p, answers)
    }
}

/// The second derivative of the energy by q: uu, vv, uv.
#[inline(always)]
fn bent(q: [F8; 2], p: [F8; 3], d: [F8; 4]) -> [F8; 3] {
    let (uu, vv, uv) = (q[0] * q[0], q[1] * q[1], q[0] * q[1]);
    [d[0].fma(uu, d[3].fma(vv, p[0])), d[1].fma(vv, d[3].fma(uu, p[1])), (d[2] + d[3]).fma(uv, p[2])]
}

#[cfg(test)]
mod tests {
    use super::*;

    fn law(shear: f32) -> Law {
        let s = F8::splat;
        Law { along: [s(6000.0), s(6000.0)], both: s(0.0), shear: s(shear), rest: [s(1.0), s(1.0)] }
    }

    fn still(law: &Law, metric: [f64; 3]) -> Answer {
        let metric = metric.map(|m| F8::splat(m as f32));
        law.at(metric, metric, 1e4)
    }

    /// The metric of strains along two ways at right angles, the first turned by an angle off warp.
    fn metric([a, b]: [f64; 2], angle: f64) -> [f64; 3] {
        let (c, s) = (angle.cos(), angle.sin());
        let [a, b] = [a, b].map(|e| (1.0 + e) * (1.0 + e));
        [a * c * c + b * s * s, a * s * s + b * c * c, (a - b) * c * s]
    }

    /// The stress that those give, in those ways.
    fn turned(law: &Law, strains: [f64; 2], angle: f64) -> [f64; 3] {
        let (c, s) = (angle.cos(), angle.sin());
        let [uu, vv, uv] = still(law, metric(strains, angle)).stress.map(|p| f64::from(p.array()[0]));
        [
            uu * c * c + vv * s * s + 2.0 * uv * c * s,
            uu * s * s + vv * c * c - 2.0 * uv * c * s,
            (vv - uu) * c * s + uv * (c * c - s * s),
        ]
    }

    #[test]
    fn foil_pulls_along_its_folds_alone_whichever_way_they_lie() {
        let foil = law(3000.0);
        for angle in [0.0, 0.3, 0.6, 0.785, 1.2, 2.0, 2.9] {
            for across in [-0.004, -0.03, -0.3] {
                let [along, off, aslant] = turned(&foil, [0.01, across], angle);
                let right = 6000.0 * 0.01 / 1.01;
                assert!((along / right - 1.0).abs() < 0.06, "{angle}, {across}: {along}");
                // Of what would press, next to nothing is left.
                let pressed = 6000.0 * across / (1.0 + across);
                assert!(off < 0.02 * right && off > 0.006 * pressed, "{angle}, {across}: {off} of {pressed}");
                assert!(aslant.abs() < 0.03 * right, "{angle}, {across}: {aslant}");
            }
        }
        // Taut both ways it is the matter's own, and slack both ways nothing.
        let [along, off, _] = turned(&foil, [0.01, 0.02], 0.6);
        assert!((along - 59.4).abs() < 1.5 && (off - 117.6).abs() < 3.0, "{along}, {off}");
        let [along, off, _] = turned(&foil, [-0.01, -0.02], 0.6);
        assert!(along.abs() < 0.4 && off.abs() < 0.6, "{along}, {off}");
    }

    #[test]
    fn folds_take_their_time() {
        let foil = law(3000.0);
        let [from, to] = [[-0.05, 0.01], [-0.06, 0.01]].map(|e| metric(e, 0.4).map(|m| F8::splat(m as f32)));
        let along = |a: &Answer| f64::from(a.stress[0].array()[0]);
        let rested = along(&foil.at(to, to, 0.01));
        let [soon, late] = [0.002, 0.02].map(|t| along(&foil.at(to, from, t)) - rested);
        assert!(soon < -1.0 && (soon / late - 10.0).abs() < 0.1, "{soon}, {late}");
    }

    #[test]
    fn no_other_folds_leave_less() {
        for k in 0..60 {
            let law = law(if k % 2 == 0 { 3000.0 } else { 40.0 });
            let k = f64::from(k);
            let metric = metric([0.002 + 0.001 * k, -0.01 - 0.008 * k], 0.35 * k);
            let shear = f64::from(law.shear.array()[0]);
            let left = |q: [f64; 2]| {
                let [uu, vv, uv] =
                    [metric[0] + q[0] * q[0], metric[1] + q[1] * q[1], metric[2] + q[0] * q[1]];
                3000.0 * ((uu.sqrt() - 1.0).powi(2) + (vv.sqrt() - 1.0).powi(2)) + 0.5 * shear * uv * uv
            };
            let wide = metric.map(|m| F8::splat(m as f32));
            let (p, d) = law.own(wide);
            let found = left(law.wrinkled(wide, p, d).0.map(|q| f64::from(q.array()[0])));
            let tried = |n: u32| {
                let (way, long) =
                    (f64::from(n % 180) * std::f64::consts::PI / 180.0, f64::from(n / 180) / 300.0);
                left([long * way.cos(), long * way.sin()])
            };
            let best = (0..180 * 330).map(tried).fold(f64::MAX, f64::min);
            assert!(found < 1.01 * best + 1e-3, "{k}: {found} where {best} is left");
        }
    }

    #[test]
    fn a_stress_answers_as_it_changes() {
        for law in [law(3000.0), law(40.0)] {
            for at in [[1.02, 0.9, 0.05], [0.97, 0.99, 0.06], [1.01, 1.015, 0.001], [0.8, 1.03, -0.1]] {
                let d = still(&law, at).moduli.map(|d| d.array()[0]);
                let rows = [[d[0], d[2], d[4]], [d[2], d[1], d[5]], [d[4], d[5], d[3]]];
                let by = 1e-3;
                for c in 0..3 {
                    let mut there = [at, at];
                    let much = if c < 2 { 2.0 * by } else { by };
                    there[0][c] -= 0.5 * much;
                    there[1][c] += 0.5 * much;
                    let [from, to] = there.map(|m| still(&law, m).stress.map(|p| p.array()[0]));
                    for r in 0..3 {
                        let slope = (to[r] - from[r]) / by as f32;
                        let most = rows[r][r].max(rows[c][c]).max(60.0);
                        let says = rows[r][c];
                        assert!((slope - says).abs() < 0.12 * most, "{at:?} {r}{c}: {slope} for {says}");
                    }
                }
            }
        }
    }
}
