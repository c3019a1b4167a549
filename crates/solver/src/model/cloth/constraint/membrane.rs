//! Triangles that resist stretch along warp and weft and shear between them, and that meet the air.
//!
//! The map from rest plane to space has columns f_u, f_v (D. Baraff, A. Witkin, "Large Steps in Cloth
//! Simulation", 1998, eq. 9). Energies a unit of rest area: ½ K_u (|f_u| - 1)², ½ K_v (|f_v| - 1)²,
//! ½ K_s (f_u·f_v)². The three are met one after another while the points are in registers.
//!
//! Air presses on the side it meets: with relative flow r, unit normal n and s = r·n, a triangle of
//! area A gets ½ρA (C_d |s| r + C_l s (n |r| - r s/|r|)): drag along the flow by the area it sees,
//! lift across it (J. Wejchert, D. Haumann, "Animation Aerodynamics", 1991; lift as of a slanted plate).
use super::prolonged::{Prolonged, Share};
use super::relaxed::{Answer, Law};
use super::{Points, Scale, compliance};
use crate::model::cloth::colouring::pack;
use crate::model::cloth::stiff::PAIRS;
use crate::simd::{F8, Record, V8, gain, load, load_near, store};

/// Eight triangles. Arrays are indexed by lane.
#[repr(C, align(32))]
pub struct Triangles {
    point: [[u32; 8]; 3],
    /// ∂/∂u and ∂/∂v of the second and third corner's weight, 1/m; the first's is minus their sum.
    u: [[f32; 8]; 2],
    v: [[f32; 8]; 2],
    /// Compliances of warp, weft, shear: 1/(K A), with the area A in m².
    compliance: [[f32; 8]; 3],
    /// Whose coarse pulls each has, its shear's K A, and that times where it lies there.
    from: [u32; 8],
    share: [[f32; 8]; 3],
    /// A third of the rest area as drag and as lift see it, m².
    third: [[f32; 8]; 2],
}

/// One triangle: its points, its rest corners in the plane, its stiffnesses in N/m, and what drag and lift are
/// multiplied by.
pub struct Triangle {
    pub point: [u32; 3],
    pub frame: [[f32; 2]; 3],
    pub stiffness: [f32; 3],
    pub air: [f64; 2],
    /// What it has of the coarse pulls.
    pub from: Share,
}

/// Area of a rest triangle in m², and ∂/∂u and ∂/∂v of its corners' weights, 1/m.
pub fn gradients(frame: &[[f32; 2]; 3]) -> (f64, [[f64; 3]; 2]) {
    let [a, b, c] = frame.map(|p| p.map(f64::from));
    let (p, q) = ([b[0] - a[0], b[1] - a[1]], [c[0] - a[0], c[1] - a[1]]);
    let det = p[0] * q[1] - q[0] * p[1];
    let rows = [[q[1] / det, -p[1] / det], [-q[0] / det, p[0] / det]];
    (0.5 * det.abs(), rows.map(|r| [-(r[0] + r[1]), r[0], r[1]]))
}

/// Packs triangles of one part into groups; empty lanes take the part's spare points.
pub fn gather(triangles: &[Triangle], spare: u32) -> Vec<Triangles> {
    let points: Vec<[u32; 3]> = triangles.iter().map(|t| t.point).collect();
    pack(&points)
        .into_iter()
        .map(|lanes| {
            let mut g = Triangles {
                point: [0, 1, 2].map(|k| [spare + k; 8]),
                u: [[1.0; 8], [0.0; 8]],
                v: [[0.0; 8], [1.0; 8]],
                compliance: [[1.0; 8]; 3],
                from: [0; 8],
                share: [[0.0; 8]; 3],
                third: [[0.0; 8]; 2],
            };
            for (l, &k) in lanes.iter().enumerate() {
                let t = &triangles[k];
                let (area, [u, v]) = gradients(&t.frame);
                for (k, p) in t.point.iter().enumerate() {
                    g.point[k][l] = *p;
                }
                for k in 0..2 {
                    g.u[k][l] = u[k + 1] as f32;
                    g.v[k][l] = v[k + 1] as f32;
                }
                for k in 0..3 {
                    g.compliance[k][l] = compliance(f64::from(t.stiffness[k]) * area);
                }
                g.from[l] = t.from.cell;
                let [a, b] = t.from.off;
                let stiffness = (f64::from(t.stiffness[2]) * area) as f32;
                [stiffness, stiffness * a, stiffness * b]
                    .into_iter()
                    .enumerate()
                    .for_each(|(k, s)| g.share[k][l] = s);
                (0..2).for_each(|k| g.third[k][l] = (area / 3.0 * t.air[k]) as f32);
            }
            g
        })
        .collect()
}

impl Triangles {
    /// The points of one of their corners.
    pub fn corners(&self, k: usize) -> &[u32; 8] {
        &self.point[k]
    }

    /// Energy of the eight triangles' shear, joules.
    pub fn shear_energy(&self, x: &[Record]) -> f64 {
        let of = |l: usize| {
            let p = self.point.map(|k| x[k[l] as usize].xyz().map(f64::from));
            let column = |d: &[[f32; 8]; 2], c: usize| {
                f64::from(d[0][l]) * (p[1][c] - p[0][c]) + f64::from(d[1][l]) * (p[2][c] - p[0][c])
            };
            let shear: f64 = (0..3).map(|c| column(&self.u, c) * column(&self.v, c)).sum();
            0.5 * shear * shear / f64::from(self.compliance[2][l])
        };
        (0..8).map(of).sum()
    }
}

/// Multipliers of eight triangles along warp, weft and shear, from earlier rounds of the same sub-step.
pub type Multipliers = [[f32; 8]; 3];

/// How the energy of eight triangles changes about where they are: the system of all that pulls at once.
#[repr(C, align(32))]
pub struct Tangent {
    /// Columns of the map.
    f: [V8; 2],
    /// How the stress answers, times the area, and what of it resists across.
    moduli: [F8; 6],
    across: [F8; 3],
}

impl Tangent {
    /// Of eight triangles where the points are; adds the forces that pull at these, N.
    ///
    /// # Safety
    /// The points are those of a part that no other thread is at.
    #[inline(always)]
    pub unsafe fn of(
        g: &Triangles,
        [start, gained]: [*const Record; 2],
        scale: Scale,
        forces: *mut Record,
    ) -> Tangent {
        // Safety, for all: as the caller promises; a group's points differ.
        let [(x0, _), (x1, _), (x2, _)] = unsafe { load_near(start, gained, &g.point) };
        let d = [&g.u, &g.v].map(|d| d.each_ref().map(F8::new));
        let one = F8::splat(1.0);
        let nu = F8::splat(scale.poisson);
        let per = F8::splat(1.0 / (1.0 - scale.poisson * scale.poisson));
        let stiff = g.compliance.each_ref().map(|c| one / F8::new(c));
        let law = Law {
            along: [stiff[0] * per, stiff[1] * per],
            both: nu * per * (stiff[0] * stiff[1]).sqrt(),
            shear: stiff[2],
            rest: scale.sides.map(F8::splat),
        };
        let metric = |x: [V8; 3]| {
            let (e1, e2) = (x[1] - x[0], x[2] - x[0]);
            let f = d.map(|d| e1.scale(d[0]) + e2.scale(d[1]));
            (f, [f[0].dot(f[0]), f[1].dot(f[1]), f[0].dot(f[1])])
        };
        let (f, now) = metric([x0, x1, x2]);
        // Safety: as above.
        let (_, before) = metric([0, 1, 2].map(|k| unsafe { load(start, &g.point[k]) }.0));
        let Answer { stress, moduli, across } = law.at(now, before, scale.dt);
        let h =
            [f[0].scale(stress[0]) + f[1].scale(stress[2]), f[1].scale(stress[1]) + f[0].scale(stress[2])];
        unsafe { add(g, forces, &d, &h, F8::splat(-1.0)) };
        Tangent { f, moduli, across }
    }

    /// How the force at a corner answers to where another is, times a number, by columns: of the first to the second, of the second to the
    /// third and of the third to the first. Back it is the transposed.
    #[inline(always)]
    pub fn blocks(&self, g: &Triangles, times: f32) -> [[V8; 3]; 3] {
        let d = [&g.u, &g.v].map(|d| {
            let [p, q] = d.each_ref().map(F8::new);
            [-(p + q), p, q]
        });
        let f = &self.f;
        let times = F8::splat(times);
        let [uu, vv, both, uv, u, v] = self.moduli.map(|m| m * times);
        let across = self.across.map(|p| p * times);
        PAIRS.map(|[k, l]| {
            let (du, dv) = (d[0][l], d[1][l]);
            // What the stress becomes by the other corner.
            let way = |a: F8, b: F8| f[0].fma(a, f[1].scale(b));
            let warp = way(uu.fma(du, u * dv), both.fma(dv, u * du));
            let weft = way(both.fma(du, v * dv), vv.fma(dv, v * du));
            let slant = way(u.fma(du, uv * dv), v.fma(dv, uv * du));
            let (ku, kv) = (d[0][k], d[1][k]);
            let (x, y) = (warp.scale(ku) + slant.scale(kv), weft.scale(kv) + slant.scale(ku));
            let even = across[0].fma(ku * du, across[1].fma(kv * dv, across[2] * ku.fma(dv, kv * du)));
            std::array::from_fn(|n| {
                let mut column = f[0].fma(x.0[n], f[1].scale(y.0[n]));
                column.0[n] = column.0[n] + even;
                column
            })
        })
    }
}

/// Adds `times` of what pulls along the columns to the points.
///
/// # Safety
/// As for [`Tangent::of`].
#[inline(always)]
unsafe fn add(g: &Triangles, out: *mut Record, d: &[[F8; 2]; 2], h: &[V8; 2], times: F8) {
    let h = h.map(|h| h.scale(times));
    let by: [V8; 2] = std::array::from_fn(|k| h[0].fma(d[0][k], h[1].scale(d[1][k])));
    let all = [-(by[0] + by[1]), by[0], by[1]];
    for k in 0..3 {
        // Safety: as the caller promises.
        let (own, w) = unsafe { load(out, &g.point[k]) };
        unsafe { store(out, &g.point[k], own + all[k], w) };
    }
}

/// What the air does to eight triangles, alone.
///
/// # Safety
/// As for [`solve`].
#[inline(always)]
pub unsafe fn blow(g: &Triangles, points: Points, scale: Scale) {
    // Safety: as the caller promises; a group's points differ.
    let [(x0, w0), (x1, w1), (x2, w2)] = unsafe { load_near(points.start, points.gained, &g.point) };
    let flow = [0, 1, 2].map(|k| unsafe { load(points.flow, &g.point[k]).0 });
    let flow = (flow[0] + flow[1] + flow[2]).scale(F8::splat(1.0 / 3.0));
    let push = pressure(x1 - x0, x2 - x0, flow, scale, g.third.each_ref().map(F8::new));
    let push = push.scale(F8::splat(scale.dt * scale.dt));
    for (k, w) in [w0, w1, w2].into_iter().enumerate() {
        // Safety: as above.
        unsafe { gain(points.gained, &g.point[k], push.scale(w)) };
    }
}

/// Meets eight triangles once: air first, then warp, weft and shear. Without `STRETCH`, warp and weft
/// are left to the yarns, and one round is all there is; with it, `pulls` are kept over the rounds, so that
/// more of them come nearer to the material, not past it.
///
/// # Safety
/// The points are those of a part that no other thread is at.
#[inline(always)]
pub unsafe fn solve<const STRETCH: bool>(
    g: &Triangles,
    points: Points,
    scale: Scale,
    air: bool,
    multipliers: Option<&mut Multipliers>,
    prolonged: Option<&Prolonged>,
) {
    // Safety: as the caller promises; a group's points differ.
    let [(x0, w0), (x1, w1), (x2, w2)] = unsafe { load_near(points.start, points.gained, &g.point) };
    let w = [w0, w1, w2];
    let mut at = At { x: [x0, x1, x2], by: [V8([F8::splat(0.0); 3]); 3] };
    if air {
        // Safety: as above.
        let flow = [0, 1, 2].map(|k| unsafe { load(points.flow, &g.point[k]).0 });
        let flow = (flow[0] + flow[1] + flow[2]).scale(F8::splat(1.0 / 3.0));
        let third = g.third.each_ref().map(F8::new);
        let push = pressure(x1 - x0, x2 - x0, flow, scale, third).scale(F8::splat(scale.dt * scale.dt));
        (0..3).for_each(|k| at.moves(k, push, w[k]));
    }
    let (u, v) = (g.u.each_ref().map(F8::new), g.v.each_ref().map(F8::new));
    let compliance = g.compliance.each_ref().map(|s| F8::new(s) * F8::splat(scale.per_dt2));
    match multipliers {
        Some(multipliers) if STRETCH => {
            if let Some(prolonged) = prolonged {
                let stretch = |d: usize| (prolonged.stretch(d, &g.from) / F8::new(&g.compliance[d])).array();
                *multipliers = [stretch(0), stretch(1), prolonged.shear(&g.from, &g.share).array()];
            }
            let before = multipliers.each_ref().map(F8::new);
            let [whole_u, whole_v] = wholes(scale, compliance[0], compliance[1], || {
                let x = &at.x;
                [u, v].map(|d| (x[1] - x[0]).scale(d[0]) + (x[2] - x[0]).scale(d[1]))
            });
            let warp = before[0] + stretch(&mut at, w, u, compliance[0], before[0], whole_u);
            let weft = before[1] + stretch(&mut at, w, v, compliance[1], before[1], whole_v);
            let shear = before[2] + shear(&mut at, w, [u, v], compliance[2], before[2]);
            *multipliers = [warp, weft, shear].map(F8::array);
        }
        _ => {
            let pulled = prolonged.map_or(F8::splat(0.0), |t| t.shear(&g.from, &g.share));
            shear(&mut at, w, [u, v], compliance[2], pulled);
        }
    }
    for k in 0..3 {
        // Safety: as above.
        unsafe { gain(points.gained, &g.point[k], at.by[k]) };
    }
}

/// Three points of eight triangles: where they are, and what they gain.
struct At {
    x: [V8; 3],
    by: [V8; 3],
}

impl At {
    /// One of them goes some times a way.
    #[inline(always)]
    fn moves(&mut self, k: usize, way: V8, times: F8) {
        self.x[k] = way.fma(times, self.x[k]);
        self.by[k] = way.fma(times, self.by[k]);
    }
}

/// The lengths of the columns at rest, as they are with what each pull takes from the other's: a stress S along
/// one shortens the other by ν S / √(K_u K_v), and S = K_u (ε_u + ν √(K_v/K_u) ε_v) / (1 - ν²). (By the strains
/// and not by the pulls, which a few rounds leave far from the stress.)
#[inline(always)]
pub fn wholes(scale: Scale, soft_u: F8, soft_v: F8, columns: impl Fn() -> [V8; 2]) -> [F8; 2] {
    let rest = scale.sides.map(F8::splat);
    if scale.poisson == 0.0 {
        return rest;
    }
    let [f, g] = columns();
    let [u, v] = [f.dot(f).sqrt() - rest[0], g.dot(g).sqrt() - rest[1]];
    let nu = F8::splat(scale.poisson);
    let per = F8::splat(1.0 / (1.0 - scale.poisson * scale.poisson));
    let ratio = (soft_u / soft_v).sqrt();
    let (from_u, from_v) = (nu * per * (nu * u + ratio * v), nu * per * (nu * v + u / ratio));
    [rest[0] - from_u, rest[1] - from_v]
}

/// Force, N, on a panel with two vectors in its plane, in a relative flow; its area as drag and as lift see it.
#[inline(always)]
pub(super) fn pressure(p: V8, q: V8, r: V8, scale: Scale, [drag, lift]: [F8; 2]) -> V8 {
    let n = p.cross(q);
    let tiny = F8::splat(1e-30);
    let n = n.scale(F8::splat(1.0) / n.dot(n).max(tiny).sqrt());
    let speed = r.dot(r).max(tiny).sqrt();
    let s = r.dot(n);
    let lift = s * F8::splat(scale.lift) * lift;
    let force = n.scale(lift * speed);
    let force = r.scale(s.abs() * F8::splat(scale.drag) * drag - lift * s / speed) + force;
    // Where a sub-step is too long for so strong a flow, the push fades instead of overshooting: it gives at most half
    // of the relative speed, and less where that alone would throw the cloth about.
    let rate = s.abs().fma(F8::splat(2.0 * scale.drag), speed * F8::splat(scale.lift));
    let rate = rate * F8::splat(scale.whole_per_weight);
    let one = F8::splat(1.0);
    force.scale(one / rate.max(rate * rate * F8::splat(0.5)).max(one))
}

/// |f| = `rest` for one column f of the deformation. Gives the change of the pull.
#[inline(always)]
fn stretch(at: &mut At, w: [F8; 3], d: [F8; 2], compliance: F8, multiplier: F8, rest: F8) -> F8 {
    let x = &at.x;
    let f = (x[1] - x[0]).scale(d[0]) + (x[2] - x[0]).scale(d[1]);
    let d = [-(d[0] + d[1]), d[0], d[1]];
    let length = f.dot(f).max(F8::splat(1e-20)).sqrt();
    let sum = w[0].fma(d[0] * d[0], w[1].fma(d[1] * d[1], (w[2] * d[2]).fma(d[2], compliance)));
    let change = compliance.fnma(multiplier, rest - length) / sum;
    let s = change / length;
    (0..3).for_each(|k| at.moves(k, f, s * w[k] * d[k]));
    change
}

/// f_u · f_v = 0. Gives the change of the pull.
#[inline(always)]
fn shear(at: &mut At, w: [F8; 3], d: [[F8; 2]; 2], compliance: F8, multiplier: F8) -> F8 {
    let x = &at.x;
    let (e1, e2) = (x[1] - x[0], x[2] - x[0]);
    let f = d.map(|d| e1.scale(d[0]) + e2.scale(d[1]));
    let d = d.map(|d| [-(d[0] + d[1]), d[0], d[1]]);
    let g: [V8; 3] = std::array::from_fn(|k| f[1].scale(d[0][k]) + f[0].scale(d[1][k]));
    let sum = w[0].fma(g[0].dot(g[0]), w[1].fma(g[1].dot(g[1]), w[2].fma(g[2].dot(g[2]), compliance)));
    let s = compliance.fnma(multiplier, -(f[0].dot(f[1]))) / sum;
    (0..3).for_each(|k| at.moves(k, g[k], s * w[k]));
    s
}
