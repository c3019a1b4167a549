//! Shear of the lattices. A cell's is that of its nodes, γ = f_u·f_v of its mean columns, with the whole of the matter's
//! stiffness: each cell begins with its share of what was pulled above it, and the material's own cells at last with
//! theirs. So all levels are one stiffness met in steps, and not springs side by side, of which a sweep would leave the
//! fine ones slack (corrections handed down as in multigrid: W. Briggs, V. Henson, S. McCormick, "A Multigrid Tutorial",
//! 2000, ch. 3).
//!
//! What is handed down has the slope that its neighbours give it: with one stress a cell, sheared cloth came out as a
//! polygon of the lattice.
use crate::colouring::pack;
use crate::constraint::{Scale, compliance};
use crate::simd::{F8, Record, load, store};

/// A column so much shorter than at rest is slack: its cell has no shear to see, for it is folded. Between this and its
/// length at rest it is partly taut, by a smooth step, and that is part of the shear's energy, ½ K A (t_u t_v f_u·f_v)²:
/// a cell that is drawn taut while it is sheared must be paid for. As a switch that only weakened the shear's force it
/// was not, and kept folds fluttering for good (by 0.7 mm from frame to frame at 128 points a metre, and now and then a
/// corner swinging by centimetres).
const SLACK: f32 = 0.9;

/// Where a sweep over what lies below falls short by so much, a lattice helps with half of the stiffness; with all of it
/// where it falls shorter, with nothing where it doesn't. For it pushes by its nodes' weights, not as the material would:
/// what sweeps can meet is theirs, and is the truer the smaller the sub-step.
const ENOUGH: f32 = 0.1;

/// A lattice cell before it is packed.
pub struct Cell {
    /// 00, 10, 11, 01.
    pub node: [u32; 4],
    /// Where they lie in the material, metres.
    pub place: [[f64; 2]; 4],
    /// K A of the shear that it spans, N·m.
    pub stiffness: f64,
    /// What it spans on the level below.
    pub below: Vec<Spanned>,
    /// The cells before and after it along warp, before and after it along weft, by number.
    pub beside: [Option<usize>; 4],
}

/// What a lattice cell spans.
#[derive(Clone, Copy)]
pub struct Spanned {
    pub number: usize,
    /// K A, N·m.
    pub stiffness: f64,
    /// Where its middle lies, from that of all, in cells.
    pub off: [f64; 2],
}

/// Whose pull something has a share of, its K A, and where it lies there.
#[derive(Clone, Copy, Debug, Default)]
pub struct Share {
    pub cell: u32,
    pub stiffness: f32,
    pub off: [f32; 2],
}

impl Spanned {
    pub fn share(&self, cell: u32) -> Share {
        Share { cell, stiffness: self.stiffness as f32, off: self.off.map(|o| o as f32) }
    }
}

/// The shear of one lattice.
#[derive(Default)]
pub struct Shear {
    groups: Vec<Group>,
    /// K A Σ w |∇γ|² of what lies below, in the mean, 1/s²: times dt² it is how far a sweep there falls short.
    need: f32,
}

/// Eight lattice cells.
#[repr(C, align(32))]
struct Group {
    node: [[u32; 8]; 4],
    /// ∂/∂u and ∂/∂v of what lies along the diagonals 00-11 and 01-10, 1/m.
    column: [[[f32; 8]; 2]; 2],
    /// 1/(K A).
    soft: [f32; 8],
    from: [Share; 8],
    /// Itself and what is beside, by place; itself again where there is nothing.
    beside: [[u32; 8]; 5],
}

/// What a level needs while it works.
#[derive(Clone, Debug, Default)]
pub struct Scratch {
    pull: Vec<[f32; 8]>,
    /// Pulls over K A.
    plain: Vec<f32>,
    told: Vec<Record>,
}

impl Scratch {
    /// Of each lattice cell, by its place: its pull over its K A in the mean, and how that changes along warp and weft, a
    /// cell.
    pub fn told(&self) -> &[Record] {
        &self.told
    }
}

impl Shear {
    /// Packs cells, and gives each one's place.
    pub fn gather(cells: &[Cell], need: f32, spare: u32) -> (Shear, Vec<u32>) {
        let packed = pack(&cells.iter().map(|c| c.node).collect::<Vec<_>>());
        let mut places = vec![0; cells.len()];
        for (k, lanes) in packed.iter().enumerate() {
            lanes.iter().enumerate().for_each(|(l, &c)| places[c] = (8 * k + l) as u32);
        }
        let group = |lanes: Vec<usize>| {
            let mut g = Group {
                // Spare nodes stand on the corners of a square: 0, 1 along x, 2 and 3 above them.
                node: [0, 1, 3, 2].map(|k| [spare + k; 8]),
                column: [[[0.5; 8], [0.5; 8]], [[0.5; 8], [-0.5; 8]]],
                soft: [1.0; 8],
                from: [Share::default(); 8],
                beside: [[0; 8]; 5],
            };
            for (l, number) in lanes.into_iter().enumerate() {
                let c = &cells[number];
                (0..4).for_each(|k| g.node[k][l] = c.node[k]);
                g.soft[l] = compliance(c.stiffness);
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
        (Shear { groups: packed.into_iter().map(group).collect(), need }, places)
    }

    /// Tells the cells, which lie at places, whose share they have of the cells above.
    pub fn hang(&mut self, places: &[u32], above: &[Cell], there: &[u32]) {
        for (cell, to) in above.iter().zip(there) {
            for b in &cell.below {
                let at = places[b.number] as usize;
                self.groups[at / 8].from[at % 8] = b.share(*to);
            }
        }
    }

    pub fn scratch(&self) -> Scratch {
        let n = self.groups.len();
        Scratch { pull: vec![[0.0; 8]; n], plain: vec![0.0; 8 * n], told: vec![Record::default(); 8 * n] }
    }

    /// Begins with the shares of what is pulled above, or with nothing.
    pub fn begin(&self, above: Option<&Scratch>, own: &mut Scratch) {
        let Some(above) = above else { return own.pull.fill([0.0; 8]) };
        for (g, pull) in self.groups.iter().zip(&mut own.pull) {
            *pull = g.from.map(|f| {
                let [mean, u, v, _] = above.told[f.cell as usize].0;
                f.stiffness * f.off[0].mul_add(u, f.off[1].mul_add(v, mean))
            });
        }
    }

    /// Finds what to tell whoever is below.
    pub fn tell(&self, own: &mut Scratch) {
        let Scratch { pull, plain, told } = own;
        for (plain, (g, pull)) in plain.as_chunks_mut::<8>().0.iter_mut().zip(self.groups.iter().zip(pull)) {
            *plain = std::array::from_fn(|l| pull[l] * g.soft[l]);
        }
        for (g, told) in self.groups.iter().zip(told.as_chunks_mut::<8>().0) {
            for (l, told) in told.iter_mut().enumerate() {
                let [own, a, b, c, d] = g.beside.map(|s| plain[s[l] as usize]);
                // Half of the way to the middle of each: at a side the stress is the mean of both cells'.
                *told = Record([own, 0.5 * (b - a), 0.5 * (d - c), 0.0]);
            }
        }
    }

    /// Meets all cells once.
    pub fn sweep(&self, nodes: &mut [Record], own: &mut Scratch, scale: Scale) {
        let short = (self.need / (scale.per_dt2 * ENOUGH)).powi(2);
        let per_dt2 = F8::splat(scale.per_dt2 * (1.0 + short) / short.max(1e-12));
        for (g, pull) in self.groups.iter().zip(&mut own.pull) {
            // Safety: all indices lie inside the slice, which is borrowed whole; a group's nodes differ.
            let at = [0, 1, 2, 3].map(|k| unsafe { load(nodes.as_ptr(), &g.node[k]) });
            let (x, w) = (at.map(|a| a.0), at.map(|a| a.1));
            let (p, q) = (x[2] - x[0], x[1] - x[3]);
            let column = g.column.each_ref().map(|c| c.each_ref().map(F8::new));
            let f = column.map(|[a, b]| p.scale(a) + q.scale(b));
            let shear = f[0].dot(f[1]);
            let lengths = f.map(|f| f.dot(f).max(F8::splat(1e-20)).sqrt());
            let per_rest = F8::splat(1.0 / scale.rest);
            let [(tu, du), (tv, dv)] =
                lengths.map(|l| tautness(l * per_rest)).map(|[t, d]| (t, d * per_rest));
            let taut = tu * tv;
            // ∂/∂f_u of t_u t_v f_u·f_v, and ∂/∂f_v.
            let by_u = f[1].scale(taut) + f[0].scale(shear * du * tv / lengths[0]);
            let by_v = f[0].scale(taut) + f[1].scale(shear * dv * tu / lengths[1]);
            // At 11 and 10; minus them at 00 and 01.
            let [along, across] = [0, 1].map(|k| by_u.scale(column[0][k]) + by_v.scale(column[1][k]));
            let soft = F8::new(&g.soft) * per_dt2;
            let sum = along.dot(along).fma(w[0] + w[2], across.dot(across).fma(w[1] + w[3], soft));
            let before = F8::new(pull);
            let change = -(soft.fma(before, taut * shear)) / sum;
            *pull = (before + change).array();
            for (k, (d, s)) in [(along, -change), (across, change), (along, change), (across, -change)]
                .into_iter()
                .enumerate()
            {
                // Safety: as above.
                unsafe { store(nodes.as_mut_ptr(), &g.node[k], d.fma(s * w[k], x[k]), w[k]) };
            }
        }
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
