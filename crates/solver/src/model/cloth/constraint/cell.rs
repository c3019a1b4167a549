//! Cells: where two triangles make a rectangle with its sides along the threads, they are met as one.
//!
//! A cell of corners 00, 10, 11, 01 resists shear by its mean columns, f_u·f_v = 0 (see `membrane`), and twist by
//! the mixed difference K = x00 - x10 + x11 - x01, which is h_u h_v x_uv: the plate's share
//! ½ · 2 √(D_u D_v) A κ_uv² is ½ c |K|² with c = 2 √(D_u D_v) / A. Stretch and bend along the threads are the
//! yarns'. Air presses on the cell as on one panel, its normal that of the diagonals.
use super::membrane::pressure;
use super::prolonged::{Prolonged, Share};
use super::{Points, Scale, compliance};
use crate::model::cloth::colouring::pack;
use crate::simd::{F8, Record, V8, gain, load, load_near};

/// Eight cells. Arrays are indexed by lane.
#[repr(C, align(32))]
pub struct Rectangles {
    /// 00, 10, 11, 01.
    point: [[u32; 8]; 4],
    /// 1/(2 h_u) and 1/(2 h_v), 1/m.
    per: [[f32; 8]; 2],
    /// 1/(K A) of shear.
    compliance: [f32; 8],
    /// Whose coarse pulls each has, its shear's K A, and that times where it lies there.
    from: [u32; 8],
    share: [[f32; 8]; 3],
    /// 1/c of twist, m²/(N·m).
    pliant: [f32; 8],
    /// A quarter of the area as drag and as lift see it, m².
    quarter: [[f32; 8]; 2],
}

/// One cell: its corners around it from 00 over 10, sides in metres, shear in N/m, twist rigidity in N·m.
#[derive(Clone, Debug)]
pub struct Cell {
    pub point: [u32; 4],
    pub sides: [f64; 2],
    pub shear: f64,
    pub twist: f64,
    /// What it has of the coarse pulls.
    pub from: Share,
    /// The share of the area that isn't held at all its corners.
    pub free: f64,
    /// What drag and lift are multiplied by.
    pub air: [f64; 2],
}

/// Packs cells of one part into groups; empty lanes take the part's spare points.
pub fn gather(cells: &[Cell], spare: u32) -> Vec<Rectangles> {
    let points: Vec<[u32; 4]> = cells.iter().map(|c| c.point).collect();
    pack(&points)
        .into_iter()
        .map(|lanes| {
            let mut g = Rectangles {
                // Spare points stand on the corners of a square: 0, 1 along x, 2 and 3 above them.
                point: [0, 1, 3, 2].map(|k| [spare + k; 8]),
                per: [[0.5; 8]; 2],
                compliance: [1.0; 8],
                from: [0; 8],
                share: [[0.0; 8]; 3],
                pliant: [1.0; 8],
                quarter: [[0.0; 8]; 2],
            };
            for (l, &k) in lanes.iter().enumerate() {
                let c = &cells[k];
                let area = c.sides[0] * c.sides[1];
                (0..4).for_each(|k| g.point[k][l] = c.point[k]);
                (0..2).for_each(|k| g.per[k][l] = (0.5 / c.sides[k]) as f32);
                g.compliance[l] = compliance(c.shear * area);
                g.from[l] = c.from.cell;
                let [a, b] = c.from.off;
                let stiffness = (c.shear * area) as f32;
                [stiffness, stiffness * a, stiffness * b]
                    .into_iter()
                    .enumerate()
                    .for_each(|(k, s)| g.share[k][l] = s);
                g.pliant[l] = compliance(2.0 * c.twist * c.free / area);
                (0..2).for_each(|k| g.quarter[k][l] = (0.25 * area * c.air[k]) as f32);
            }
            g
        })
        .collect()
}

/// Meets eight cells once: air, then shear and twist.
///
/// # Safety
/// The points are those of a part that no other thread is at.
#[inline(always)]
pub unsafe fn solve(g: &Rectangles, points: Points, scale: Scale, air: bool, prolonged: &Prolonged) {
    // Safety: as the caller promises; a group's points differ.
    let loaded = unsafe { load_near(points.start, points.gained, &g.point) };
    let (mut x, w) = (loaded.map(|l| l.0), loaded.map(|l| l.1));
    let mut by = [V8([F8::splat(0.0); 3]); 4];
    let (p, q) = (x[2] - x[0], x[1] - x[3]);
    if air {
        // Safety: as above.
        let flow = [0, 2].map(|k| unsafe { load(points.flow, &g.point[k]).0 });
        // Two corners across from each other tell the middle as well as four.
        let flow = (flow[0] + flow[1]).scale(F8::splat(0.5));
        let quarter = g.quarter.each_ref().map(F8::new);
        let push = pressure(q, p, flow, scale, quarter).scale(F8::splat(scale.dt * scale.dt));
        by = w.map(|w| push.scale(w));
        (0..4).for_each(|k| x[k] = x[k] + by[k]);
    }
    // Shear: with p, q the diagonals, the mean columns are (p + q) / 2h_u and (p - q) / 2h_v.
    let (p, q) = (x[2] - x[0], x[1] - x[3]);
    let [u, v] = g.per.each_ref().map(F8::new);
    let (fu, fv) = ((p + q).scale(u), (p - q).scale(v));
    // ∂(f_u·f_v) at 11 and 10; minus them at 00 and 01.
    let (a, b) = (fv.scale(u), fu.scale(v));
    let (along, across) = (a + b, a - b);
    let compliance = F8::new(&g.compliance) * F8::splat(scale.per_dt2);
    let sum = along.dot(along).fma(w[0] + w[2], across.dot(across).fma(w[1] + w[3], compliance));
    let before = prolonged.shear(&g.from, &g.share);
    let s = -(compliance.fma(before, fu.dot(fv))) / sum;
    for (i, (way, s)) in [(along, -s), (across, s), (along, s), (across, -s)].into_iter().enumerate() {
        let s = s * w[i];
        (x[i], by[i]) = (way.fma(s, x[i]), way.fma(s, by[i]));
    }
    let k = (x[0] - x[1]) + (x[2] - x[3]);
    let pliant = F8::new(&g.pliant) * F8::splat(scale.per_dt2);
    let s = F8::splat(-1.0) / ((w[0] + w[1]) + (w[2] + w[3]) + pliant);
    for (i, sign) in [s, -s, s, -s].into_iter().enumerate() {
        // Safety: as above.
        unsafe { gain(points.gained, &g.point[i], k.fma(sign * w[i], by[i])) };
    }
}

impl Rectangles {
    /// Energy of the eight cells' twist, joules.
    pub fn twist_energy(&self, x: &[Record]) -> f64 {
        self.each(x, |l, p| {
            let k2: f64 = (0..3).map(|c| (p[0][c] - p[1][c] + p[2][c] - p[3][c]).powi(2)).sum();
            0.5 * k2 / f64::from(self.pliant[l])
        })
    }

    /// Energy of the eight cells' shear, joules.
    pub fn shear_energy(&self, x: &[Record]) -> f64 {
        self.each(x, |l, p| {
            let column = |k: [f64; 4], per: f32| -> [f64; 3] {
                std::array::from_fn(|c| f64::from(per) * (0..4).map(|i| k[i] * p[i][c]).sum::<f64>())
            };
            let u = column([-1.0, 1.0, 1.0, -1.0], self.per[0][l]);
            let v = column([-1.0, -1.0, 1.0, 1.0], self.per[1][l]);
            let shear: f64 = (0..3).map(|c| u[c] * v[c]).sum();
            0.5 * shear * shear / f64::from(self.compliance[l])
        })
    }

    fn each(&self, x: &[Record], energy: impl Fn(usize, [[f64; 3]; 4]) -> f64) -> f64 {
        (0..8).map(|l| energy(l, self.point.map(|k| x[k[l] as usize].xyz().map(f64::from)))).sum()
    }
}
