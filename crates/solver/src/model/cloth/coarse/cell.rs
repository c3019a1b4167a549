//! Cells of a lattice: four nodes each, stretched along warp and weft and sheared as their mean columns are.
//!
//! Each cell begins with its share of what was pulled above it, and the material's own cells, triangles and yarns at
//! last with theirs. So all levels are one stiffness solved in steps, and not springs side by side, of which a sweep
//! would leave the fine ones slack (corrections handed down as in multigrid: W. Briggs, V. Henson, S. McCormick, "A
//! Multigrid Tutorial", 2000, ch. 3).
use crate::model::cloth::colouring::pack;
use crate::model::cloth::constraint::prolonged::{Prolonged, Share};
use crate::model::cloth::constraint::{Scale, compliance, membrane};
use crate::simd::{F8, Record, V8, gain, load_near};

/// A column so much shorter than at rest is slack: its cell has no shear to see, for it is folded. Between this and
/// its length at rest it is partly taut, by a smooth step, and that is part of the shear's energy, ½ K A (t_u t_v
/// f_u·f_v)²: a cell that is drawn taut while it is sheared must be paid for. As a switch that only weakened the
/// shear's force it was not, and kept folds fluttering for good (by 0.7 mm from frame to frame at 128 points a metre,
/// and now and then a corner swinging by centimetres).
const SLACK: f32 = 0.9;

/// Where a sweep over what lies below falls short by so much, a lattice helps by half of what it can; wholly where it
/// falls shorter, not where it doesn't. For it pushes by its nodes' weights, not as the material would:
/// what sweeps can meet is theirs, and is the truer the smaller the sub-step.
const ENOUGH: f32 = 0.1;

/// The share of the stretch that lattices solve for where they do. Yarns solve theirs whole, but what few carry for
/// many.
const STRETCH: f32 = 0.5;

/// A lattice cell before it is packed.
#[derive(Clone, Debug)]
pub struct Cell {
    /// 00, 10, 11, 01.
    pub node: [u32; 4],
    /// Where they lie in the material, metres.
    pub place: [[f64; 2]; 4],
    /// K A along warp and weft and in shear of what it spans, N·m.
    pub stiffness: [f64; 3],
    /// What it spans on the level below.
    pub below: Vec<Spanned>,
    /// The cells before and after it along warp, before and after it along weft, by number.
    pub beside: [Option<usize>; 4],
}

/// What a lattice cell spans: the number of an element, and where its middle lies from that of all, in cells.
#[derive(Clone, Copy, Debug)]
pub struct Spanned {
    pub number: usize,
    pub off: [f64; 2],
}

/// The cells of one lattice.
pub struct Cells {
    groups: Vec<CellGroup>,
    /// K A Σ w |∇C|² of the stretch and shear of what lies below, in the mean, 1/s²: times dt² it is how far a sweep
    /// there falls short.
    need: [f32; 2],
}

/// Eight lattice cells.
#[repr(C, align(32))]
struct CellGroup {
    node: [[u32; 8]; 4],
    /// ∂/∂u and ∂/∂v of what lies along the diagonals 00-11 and 01-10, 1/m.
    column: [[[f32; 8]; 2]; 2],
    /// 1/(K A) of warp, weft, shear.
    compliance: [[f32; 8]; 3],
    from: [Share; 8],
    /// Itself and what is beside, by place; itself again where there is nothing.
    beside: [[u32; 8]; 5],
}

/// Multipliers of eight cells along warp and weft and in shear.
type CellMultipliers = [[f32; 8]; 3];

/// What a lattice needs while it works.
#[derive(Clone, Debug, Default)]
pub struct Scratch {
    multiplier: Vec<CellMultipliers>,
    /// Shear over K A.
    plain: Vec<f32>,
    pub prolonged: Prolonged,
}

impl Cells {
    /// Packs cells, and gives each one's place. `spare` is the first of four spare nodes.
    pub fn gather(cells: &[Cell], need: [f32; 2], spare: u32) -> (Cells, Vec<u32>) {
        let packed = pack(&cells.iter().map(|c| c.node).collect::<Vec<_>>());
        let mut places = vec![0; cells.len()];
        for (k, lanes) in packed.iter().enumerate() {
            lanes.iter().enumerate().for_each(|(l, &c)| places[c] = (8 * k + l) as u32);
        }
        let group = |lanes: Vec<usize>| {
            let mut g = CellGroup {
                // Spare nodes stand on the corners of a square: 0, 1 along x, 2 and 3 above them.
                node: [0, 1, 3, 2].map(|k| [spare + k; 8]),
                column: [[[0.5; 8], [0.5; 8]], [[0.5; 8], [-0.5; 8]]],
                compliance: [[1.0; 8]; 3],
                from: [Share::default(); 8],
                beside: [[0; 8]; 5],
            };
            for (l, number) in lanes.into_iter().enumerate() {
                let c = &cells[number];
                (0..4).for_each(|k| g.node[k][l] = c.node[k]);
                (0..3).for_each(|k| g.compliance[k][l] = compliance(c.stiffness[k]));
                let side = |k: usize, j: usize| [0, 1].map(|d| c.place[k][d] - c.place[j][d]);
                let (p, q) = (side(2, 0), side(1, 3));
                let det = p[0] * q[1] - q[0] * p[1];
                for (d, row) in [[q[1], -p[1]], [-q[0], p[0]]].into_iter().enumerate() {
                    (0..2).for_each(|k| g.column[d][k][l] = (row[k] / det) as f32);
                }
                g.beside[0][l] = places[number];
                for (s, beside) in c.beside.iter().enumerate() {
                    g.beside[s + 1][l] = places[beside.unwrap_or(number)];
                }
            }
            g
        };
        (Cells { groups: packed.into_iter().map(group).collect(), need }, places)
    }

    /// The place of no cell, where nothing is pulled.
    pub fn none(&self) -> u32 {
        8 * self.groups.len() as u32
    }

    /// Tells the cells, which lie at places, whose share they have of the cells above, which lie there.
    pub fn hang(&mut self, places: &[u32], above: &[Cell], there: &[u32], none: u32) {
        self.groups.iter_mut().for_each(|g| g.from = [Share { cell: none, off: [0.0; 2] }; 8]);
        for (cell, to) in above.iter().zip(there) {
            for b in &cell.below {
                let at = places[b.number] as usize;
                self.groups[at / 8].from[at % 8] = b.share(*to);
            }
        }
    }

    pub fn scratch(&self) -> Scratch {
        let n = self.groups.len();
        let none = vec![0.0; 8 * n + 1];
        Scratch {
            multiplier: vec![[[0.0; 8]; 3]; n],
            plain: vec![0.0; 8 * n],
            prolonged: Prolonged { stretch: [none.clone(), none], shear: vec![Record::default(); 8 * n + 1] },
        }
    }

    /// Begins with the shares of what is pulled above, or with nothing.
    pub fn begin(&self, above: Option<&Scratch>, own: &mut Scratch) {
        let Some(Scratch { prolonged, .. }) = above else { return own.multiplier.fill([[0.0; 8]; 3]) };
        for (g, multiplier) in self.groups.iter().zip(&mut own.multiplier) {
            let mut all = [[0.0f32; 8]; 3];
            for (l, Share { cell, off: [a, b] }) in g.from.iter().enumerate() {
                let [mean, u, v, _] = prolonged.shear[*cell as usize].0;
                (all[0][l], all[1][l]) =
                    (prolonged.stretch[0][*cell as usize], prolonged.stretch[1][*cell as usize]);
                all[2][l] = a.mul_add(u, b.mul_add(v, mean));
            }
            for (k, multiplier) in multiplier.iter_mut().enumerate() {
                *multiplier = (F8::new(&all[k]) / F8::new(&g.compliance[k])).array();
            }
        }
    }

    /// Finds what to tell whoever is below.
    pub fn tell(&self, own: &mut Scratch) {
        let Scratch { multiplier, plain, prolonged } = own;
        let [warp, weft] = &mut prolonged.stretch;
        let places = warp.as_chunks_mut::<8>().0.iter_mut().zip(weft.as_chunks_mut::<8>().0);
        let places = places.zip(plain.as_chunks_mut::<8>().0);
        for ((g, multiplier), ((warp, weft), plain)) in self.groups.iter().zip(multiplier).zip(places) {
            let of = |k: usize| (F8::new(&multiplier[k]) * F8::new(&g.compliance[k])).array();
            (*warp, *weft, *plain) = (of(0), of(1), of(2));
        }
        for (g, prolonged) in self.groups.iter().zip(prolonged.shear.as_chunks_mut::<8>().0) {
            for (l, prolonged) in prolonged.iter_mut().enumerate() {
                let at = |s: usize| plain[g.beside[s][l] as usize];
                // Half of the way to the middle of each: at a side the stress is the mean of both cells'. With one
                // stress a cell, sheared cloth came out as a polygon of the lattice.
                *prolonged = Record([at(0), 0.5 * (at(2) - at(1)), 0.5 * (at(4) - at(3)), 0.0]);
            }
        }
    }

    /// How much of the stretch and of the shear the lattice is there for.
    fn helps(&self, scale: Scale) -> [f32; 2] {
        self.need.map(|need| {
            let short = (need / (scale.per_dt2 * ENOUGH)).powi(2).max(1e-4);
            short / (1.0 + short)
        })
    }

    /// The share of the stretch that the lattice solves for.
    pub fn holds(&self, scale: Scale) -> f32 {
        STRETCH * self.helps(scale)[0]
    }

    /// Relaxes all cells once. Along the threads they only pull: folds smaller than a cell are not theirs to see.
    pub fn sweep(&self, start: &[Record], gained: &mut [Record], own: &mut Scratch, scale: Scale) {
        let stretch = scale.per_dt2 / self.holds(scale);
        let per_dt2 = [stretch, stretch, scale.per_dt2 / self.helps(scale)[1]];
        let per_rest = F8::splat(1.0 / scale.rest);
        for (g, multiplier) in self.groups.iter().zip(&mut own.multiplier) {
            // Safety: all indices lie inside the slices, which are borrowed whole; a group's nodes differ.
            let loaded = unsafe { load_near(start.as_ptr(), gained.as_ptr(), &g.node) };
            let (mut x, w) = (loaded.map(|l| l.0), loaded.map(|l| l.1));
            let mut by = [V8([F8::splat(0.0); 3]); 4];
            let (even, odd) = (w[0] + w[2], w[1] + w[3]);
            let column = g.column.each_ref().map(|c| c.each_ref().map(F8::new));
            let f =
                |x: &[V8; 4], d: usize| (x[2] - x[0]).scale(column[d][0]) + (x[1] - x[3]).scale(column[d][1]);
            let compliance: [F8; 3] =
                std::array::from_fn(|k| F8::new(&g.compliance[k]) * F8::splat(per_dt2[k]));
            let wholes = membrane::wholes(scale, compliance[0], compliance[1], || [f(&x, 0), f(&x, 1)]);
            for d in 0..2 {
                let along = f(&x, d);
                let length = along.dot(along).max(F8::splat(1e-20)).sqrt();
                let [a, b] = column[d];
                let sum = (a * a).fma(even, (b * b).fma(odd, compliance[d]));
                let before = F8::new(&multiplier[d]);
                let after =
                    (before + compliance[d].fnma(before, wholes[d] - length) / sum).min(F8::splat(0.0));
                multiplier[d] = after.array();
                let s = (after - before) / length;
                for (k, c) in [-a, b, a, -b].into_iter().enumerate() {
                    let s = s * w[k] * c;
                    (x[k], by[k]) = (along.fma(s, x[k]), along.fma(s, by[k]));
                }
            }
            let f = [f(&x, 0), f(&x, 1)];
            let shear = f[0].dot(f[1]);
            let lengths = f.map(|f| f.dot(f).max(F8::splat(1e-20)).sqrt());
            let [(tu, du), (tv, dv)] =
                lengths.map(|l| tautness(l * per_rest)).map(|[t, d]| (t, d * per_rest));
            let taut = tu * tv;
            // ∂/∂f_u of t_u t_v f_u·f_v, and ∂/∂f_v.
            let by_u = f[1].scale(taut) + f[0].scale(shear * du * tv / lengths[0]);
            let by_v = f[0].scale(taut) + f[1].scale(shear * dv * tu / lengths[1]);
            // At 11 and 10; minus them at 00 and 01.
            let [p, q] = [0, 1].map(|k| by_u.scale(column[0][k]) + by_v.scale(column[1][k]));
            let sum = p.dot(p).fma(even, q.dot(q).fma(odd, compliance[2]));
            let before = F8::new(&multiplier[2]);
            let change = -(compliance[2].fma(before, taut * shear)) / sum;
            multiplier[2] = (before + change).array();
            for (k, (d, s)) in [(p, -change), (q, change), (p, change), (q, -change)].into_iter().enumerate()
            {
                // Safety: as above.
                unsafe { gain(gained.as_mut_ptr(), &g.node[k], d.fma(s * w[k], by[k])) };
            }
        }
    }
}

impl Spanned {
    pub fn share(&self, cell: u32) -> Share {
        Share { cell, off: self.off.map(|o| o as f32) }
    }
}

/// How taut a column of a length, as a share of that at rest, is: 0 up to [`SLACK`], 1 from 1 on; and how that changes
/// with the length.
#[inline(always)]
fn tautness(length: F8) -> [F8; 2] {
    let per = F8::splat(1.0 / (1.0 - SLACK));
    let t = ((length - F8::splat(SLACK)) * per).unit_clamp();
    [t * t * (F8::splat(3.0) - t - t), F8::splat(6.0) * t * (F8::splat(1.0) - t) * per]
}
