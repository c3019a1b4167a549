//! A cloth: triangles with membrane and air, hinges between them, divided into parts.
use super::plate::Plate;
use super::yarns::{Yarns, spin, threads};
use super::{cells, hinges, nodes, patches, rigidity};
use crate::coarse::build::{Element, Lattices};
use crate::coarse::{self, Level};
use crate::constraint::{bend, cell, membrane, patch, yarn};
use crate::damping::{Rigid, Sums};
use crate::inputs::{ClothRest, Folds, Maps, Matter, Scaled};
use crate::load::Loads;
use crate::parts::{Parts, cut};
use crate::simd::Record;
use crate::state::State;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};

/// Why a shape can't be a cloth.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum BuildError {
    #[error("a cloth needs at least one triangle")]
    Empty,
    #[error("{what} has {found} entries where there are {expected}")]
    Lengths { what: &'static str, found: usize, expected: usize },
    #[error("triangle {triangle} has no rest area")]
    NoArea { triangle: usize },
    #[error("point {point} is not at a finite place")]
    NotFinite { point: usize },
    #[error("{what} is {value}; it must be finite and {limit}")]
    Matter { what: &'static str, value: f32, limit: &'static str },
    #[error("the map of {what:?} is {value} at point {point}; it must be finite and {limit}")]
    Map { what: Scaled, point: usize, value: f32, limit: &'static str },
}

/// The constraints of one part.
pub(crate) struct Work {
    pub membrane: Vec<membrane::Group>,
    pub cell: Vec<cell::Group>,
    pub bend: Vec<bend::Group>,
    pub patch: Vec<patch::Group>,
}

/// A cloth ready to be moved.
pub struct Cloth {
    pub(crate) parts: Parts,
    /// One for each part of the tree.
    pub(crate) work: Vec<Work>,
    /// Chains along warp and weft; empty where triangles do their work.
    pub(crate) yarns: [Vec<yarn::Group>; 2],
    /// By the bits of dt.
    eliminated: Mutex<BTreeMap<u32, Arc<[Vec<yarn::Bends>; 2]>>>,
    /// Lattices over the material, finest first.
    pub(crate) coarse: Vec<Level>,
    /// What bends where yarns don't: its system, for when sweeps fall short.
    pub(crate) plate: Plate,
    /// Whether triangles resist stretch: some of it is not left to yarns.
    pub(crate) stretchy: bool,
    /// Where each point starts and its inverse mass, in the order of the parts; spare points follow.
    pub(crate) rest: Vec<Record>,
    /// The same of the shape that it bends away from, if that is another.
    pub(crate) shape: Option<Vec<Record>>,
    /// By place.
    pub(crate) maps: Maps,
    /// Mass of each point, kg, held or not.
    pub(crate) mass: Vec<f32>,
    pub(crate) matter: Matter,
    /// Whether any point is held.
    pub(crate) held: bool,
    /// Whether any hinge is folded at rest.
    pub(crate) curved: bool,
    pub(crate) triangles: Vec<[u32; 3]>,
    pub(crate) frames: Vec<[[f32; 2]; 3]>,
    places: Vec<u32>,
    constraints: usize,
}

impl Cloth {
    /// # Errors
    /// When the arrays don't fit each other, or hold what no cloth can have.
    pub fn build(rest: &ClothRest) -> Result<Cloth, BuildError> {
        let n = rest.positions.len();
        check(rest)?;
        let parts = cut(&rest.positions);
        let places = parts.places();
        let at = |p: u32| places[p as usize];
        let m = &rest.matter;
        let found = hinges::find(rest);
        // A fold under a ten-thousandth of a turn is rounding, not shape; and so is one that single precision
        // can't help to make where the cloth stands.
        let far = rest.positions.iter().flatten().fold(0.0f32, |m, c| m.max(c.abs()));
        let grain = f64::from(far * f32::EPSILON);
        let fold = |h: &hinges::RestHinge| {
            let edge = (h.flat[1][0] - h.flat[0][0]).hypot(h.flat[1][1] - h.flat[0][1]).max(1e-12);
            h.rest.abs() / edge > 6e-4f64.max(8.0 * grain / edge)
        };
        let flat = !found.iter().any(fold);
        let threads = threads(rest, at);
        let bends = flat && threads.iter().all(Option::is_some);
        let (cells, alone) = match bends {
            true => {
                let twist = (f64::from(m.bend[0]) * f64::from(m.bend[1])).sqrt();
                cells::find(rest, f64::from(m.shear), twist)
            }
            false => (vec![], (0..rest.triangles.len()).collect()),
        };
        let mut mass = vec![0.0f64; n];
        let weight = f64::from(m.areal_weight);
        for &t in &alone {
            let over = rest.maps.over(Scaled::ArealWeight, &rest.triangles[t]);
            let third = weight * over * area(&rest.frames[t]) / 3.0;
            rest.triangles[t].iter().for_each(|&p| mass[at(p) as usize] += third);
        }
        for c in &cells {
            let over = rest.maps.over(Scaled::ArealWeight, &c.point);
            let quarter = weight * over * c.sides[0] * c.sides[1] / 4.0;
            c.point.iter().for_each(|&p| mass[at(p) as usize] += quarter);
        }
        let elements: Vec<Element> = cells
            .iter()
            .map(|c| (&c.point[..], c.sides[0] * c.sides[1]))
            .chain(alone.iter().map(|&t| (&rest.triangles[t][..], area(&rest.frames[t]))))
            .map(|(points, area)| {
                let over = |k: f32, what| f64::from(k) * area * rest.maps.over(what, points);
                let [warp, weft] = m.stretch.map(|k| over(k, Scaled::Stretch));
                let corners = points.iter().map(|&p| at(p)).collect();
                Element { corners, stiffness: [warp, weft, over(m.shear, Scaled::Shear)] }
            })
            .collect();
        let edges: Vec<[u32; 2]> = threads.iter().flatten().flat_map(|(_, f)| f.keys().copied()).collect();
        let Lattices { levels: coarse, shares, edges: from } =
            coarse::build::lattices(rest, at, &mass, elements, &edges);
        let from: BTreeMap<[u32; 2], u32> = edges.into_iter().zip(from).collect();
        let first_spare = (n + 4 * parts.tree.len()) as u32;
        let Yarns { groups: yarns, left, spares: yarn_spares } =
            spin(rest, threads, at, first_spare, bends, |e| from[e]);
        let stretchy = left[0] > 0.0 || left[1] > 0.0;
        let spares = 4 * parts.tree.len() + yarn_spares;
        let mut records = vec![Record::default(); n + spares];
        for place in 0..n {
            let point = parts.order[place] as usize;
            let [x, y, z] = rest.positions[point];
            let w = if rest.held[point] || mass[place] <= 0.0 { 0.0 } else { (1.0 / mass[place]) as f32 };
            records[place] = Record([x, y, z, w]);
        }
        // Spare points stand apart from each other, so that empty lanes divide by nothing small.
        for k in 0..spares {
            let c = [[0.0, 0.0, 0.0], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [1.0, 1.0, 0.0]][k % 4];
            records[n + k] = Record([c[0], c[1], c[2], 0.0]);
        }
        let mut triangles: Vec<Vec<membrane::Triangle>> = parts.tree.iter().map(|_| vec![]).collect();
        for (&t, &from) in alone.iter().zip(&shares[cells.len()..]) {
            let (point, f) = (rest.triangles[t].map(at), &rest.frames[t]);
            let over = |what| rest.maps.over(what, &rest.triangles[t]);
            let [stretch, shear] = [over(Scaled::Stretch), over(Scaled::Shear)].map(|s| s as f32);
            let stiffness = [left[0] * stretch, left[1] * stretch, m.shear * shear];
            let air = [over(Scaled::Drag), over(Scaled::Lift)];
            triangles[parts.home(&point)].push(membrane::Triangle { point, frame: *f, stiffness, air, from });
        }
        let mut cells_at: Vec<Vec<cell::Cell>> = parts.tree.iter().map(|_| vec![]).collect();
        for (mut c, from) in cells.into_iter().zip(shares) {
            c.point = c.point.map(at);
            c.from = from;
            cells_at[parts.home(&c.point)].push(c);
        }
        let patches = if bends { None } else { nodes::find(rest).or_else(|| patches::find(rest)) };
        let mut curved = false;
        let mut bends_at: Vec<Vec<bend::Hinge>> = parts.tree.iter().map(|_| vec![]).collect();
        let mut patches_at: Vec<Vec<patch::Patch>> = parts.tree.iter().map(|_| vec![]).collect();
        let mut all = vec![];
        if let Some(patches) = patches {
            for mut p in patches {
                p.point = p.point.map(at);
                curved |= p.rest.iter().any(|k| *k != 0.0);
                patches_at[parts.home(&p.point)].push(p.clone());
                all.push(p);
            }
        } else if !bends {
            let rest_bend = |h: &hinges::RestHinge| rest.maps.over(Scaled::Bend, &h.point[..2]);
            let stiff = rigidity::stiffnesses(&found, m.bend.map(f64::from));
            for (h, stiffness) in found.iter().zip(stiff).filter(|(_, s)| *s > 0.0) {
                let point = h.point.map(at);
                let rest = if fold(h) { h.rest as f32 } else { 0.0 };
                curved |= rest != 0.0;
                let weight = h.weight.map(|k| k as f32);
                let stiffness = stiffness * rest_bend(h);
                bends_at[parts.home(&point)].push(bend::Hinge { point, weight, stiffness, rest });
            }
        }
        let count = |b: &[Vec<bend::Hinge>]| b.iter().map(Vec::len).sum::<usize>();
        let constraints = 3 * rest.triangles.len() + count(&bends_at) + 3 * all.len();
        let plate = Plate::of(all, &records[..n]);
        let work = triangles
            .into_iter()
            .zip(cells_at)
            .zip(bends_at.into_iter().zip(patches_at))
            .enumerate()
            .map(|(part, ((t, c), (b, p)))| {
                let spare = (n + 4 * part) as u32;
                Work {
                    membrane: membrane::gather(&t, spare),
                    cell: cell::gather(&c, spare),
                    bend: bend::gather(&b, spare),
                    patch: patch::gather(&p, spare),
                }
            })
            .collect();
        let (triangles, frames) = (rest.triangles.iter().map(|t| t.map(at)).collect(), rest.frames.clone());
        let mass = mass.into_iter().map(|m| m as f32).collect();
        let shape = match &rest.folds {
            Folds::Like(to) => {
                let mut shape = records.clone();
                (0..n).for_each(|k| shape[k].0[..3].copy_from_slice(&to[parts.order[k] as usize]));
                Some(shape)
            }
            _ => None,
        };
        let by_place = |m: &Vec<f32>| match m.is_empty() {
            true => vec![],
            false => parts.order.iter().map(|&p| m[p as usize]).collect(),
        };
        let maps = Maps(rest.maps.0.each_ref().map(by_place));
        let matter = rest.matter;
        Ok(Cloth {
            parts,
            work,
            yarns,
            eliminated: Mutex::default(),
            coarse,
            plate,
            stretchy,
            rest: records,
            shape,
            maps,
            mass,
            matter,
            held: rest.held.iter().any(|h| *h),
            curved,
            triangles,
            frames,
            places,
            constraints,
        })
    }

    /// The state at rest, where every run begins.
    pub fn start(&self) -> State {
        let zero = vec![Record::default(); self.rest.len()];
        let mut state = State {
            x: self.rest.clone(),
            free: zero.clone(),
            v: zero.clone(),
            air: zero.clone(),
            flow: zero.clone(),
            pull: self.yarns.each_ref().map(|groups| groups.iter().map(yarn::Group::pulls).collect()),
            pulls: self
                .work
                .iter()
                .map(|w| if self.stretchy { vec![[[0.0; 8]; 3]; w.membrane.len()] } else { vec![] })
                .collect(),
            coarse: self.coarse.iter().map(Level::scratch).collect(),
            push: vec![],
            plate: vec![],
            strain: vec![],
            stretched: [1.0; 2],
            leapt: 0.0,
            start: self.rest.clone(),
            was: zero.clone(),
            way: zero.clone(),
            dt: 0.0,
            loads: Loads::none(self.points(), self.rest.len(), self.apart()),
            points: self.points(),
            tangled: true,
            rigid: Rigid::default(),
        };
        state.rigid = self.rigid(&state);
        state
    }

    /// How far points lie apart at rest, in the mean, metres.
    fn apart(&self) -> f32 {
        let area: f64 = self.frames.iter().map(super::area).sum();
        (area / self.points() as f64).sqrt() as f32
    }

    /// The bends of all yarns, eliminated for a sub-step of `dt` seconds. Kept: a run asks for one dt.
    pub(crate) fn bends(&self, dt: f32) -> Arc<[Vec<yarn::Bends>; 2]> {
        let mut known = self.eliminated.lock().unwrap_or_else(PoisonError::into_inner);
        let make = || {
            let weight = |p: u32| self.rest[p as usize].0[3];
            let each = |g: &yarn::Group| g.eliminate(f64::from(dt), weight);
            Arc::new(self.yarns.each_ref().map(|groups| groups.iter().map(each).collect()))
        };
        known.entry(dt.to_bits()).or_insert_with(make).clone()
    }

    /// How many points there are.
    pub fn points(&self) -> usize {
        self.mass.len()
    }

    /// How many scalar membrane constraints and hinges there are.
    pub fn constraints(&self) -> usize {
        self.constraints
    }

    /// Mass of the whole body, kg, held points included.
    pub fn mass(&self) -> f64 {
        self.mass.iter().map(|m| f64::from(*m)).sum()
    }

    pub(crate) fn leaves(&self) -> impl Iterator<Item = (usize, usize)> {
        self.parts.tree.iter().filter(|p| p.halves.is_none()).map(|p| (p.from, p.to))
    }

    /// What damping is relative to: the body's own rigid motion, or that of what holds it, which so far
    /// stands still.
    pub(crate) fn rigid(&self, state: &State) -> Rigid {
        if self.held {
            return Rigid::default();
        }
        let mut sums = Sums::default();
        for (from, to) in self.leaves() {
            sums.add(&Sums::of(&state.x[from..to], &state.v[from..to], |k| self.mass[from + k]));
        }
        sums.rigid()
    }

    /// Coordinates of records in the order in which the points were given.
    pub(crate) fn scatter(&self, records: &[Record]) -> Vec<[f32; 3]> {
        self.places.iter().map(|&p| records[p as usize].xyz()).collect()
    }

    /// The place of a given point.
    pub(crate) fn place(&self, point: u32) -> u32 {
        self.places[point as usize]
    }

    /// The given number of the point at a place.
    pub(crate) fn given(&self, place: usize) -> usize {
        self.parts.order[place] as usize
    }
}

pub(crate) fn area(f: &[[f32; 2]; 3]) -> f64 {
    let [a, b, c] = f.map(|p| p.map(f64::from));
    0.5 * ((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])).abs()
}

fn check(rest: &ClothRest) -> Result<(), BuildError> {
    let n = rest.positions.len();
    if rest.triangles.is_empty() {
        return Err(BuildError::Empty);
    }
    let same = |what, found, expected| {
        if found == expected { Ok(()) } else { Err(BuildError::Lengths { what, found, expected }) }
    };
    same("held", rest.held.len(), n)?;
    same("frames", rest.frames.len(), rest.triangles.len())?;
    if let Some(&p) = rest.triangles.iter().flatten().find(|p| **p as usize >= n) {
        return Err(BuildError::Lengths { what: "positions", found: n, expected: p as usize + 1 });
    }
    if let Some(point) = rest.positions.iter().position(|p| p.iter().any(|c| !c.is_finite())) {
        return Err(BuildError::NotFinite { point });
    }
    if let Some(triangle) = rest.frames.iter().position(|f| area(f).is_nan() || area(f) <= 0.0) {
        return Err(BuildError::NoArea { triangle });
    }
    if let Folds::Like(shape) = &rest.folds {
        same("shape", shape.len(), n)?;
        if let Some(point) = shape.iter().position(|p| p.iter().any(|c| !c.is_finite())) {
            return Err(BuildError::NotFinite { point });
        }
    }
    for what in Scaled::ALL {
        let map = rest.maps.of(what);
        if map.is_empty() {
            continue;
        }
        same("map", map.len(), n)?;
        let (least, limit) = match what {
            Scaled::ArealWeight => (1e-3, "at least 0.001"),
            Scaled::Thickness => (0.01, "at least 0.01"),
            _ => (0.0, "not below 0"),
        };
        let bad = |v: &f32| !v.is_finite() || *v < least || *v > 1e3;
        if let Some(point) = map.iter().position(bad) {
            return Err(BuildError::Map { what, point, value: map[point], limit });
        }
    }
    let m = &rest.matter;
    if !(0.0..=0.45).contains(&m.poisson) {
        return Err(BuildError::Matter {
            what: "Poisson's ratio",
            value: m.poisson,
            limit: "from 0 to 0.45",
        });
    }
    let above = |what, value: f32, least: f32, limit| {
        if value.is_finite() && value >= least {
            Ok(())
        } else {
            Err(BuildError::Matter { what, value, limit })
        }
    };
    above("areal weight", m.areal_weight, 1e-6, "above 0")?;
    above("thickness", m.thickness, 1e-9, "above 0")?;
    for (what, value) in [
        ("stretch, warp", m.stretch[0]),
        ("stretch, weft", m.stretch[1]),
        ("shear", m.shear),
        ("bend, warp", m.bend[0]),
        ("bend, weft", m.bend[1]),
        ("damping", m.damping),
        ("drag", m.drag),
        ("lift", m.lift),
        ("friction", m.friction),
    ] {
        above(what, value, 0.0, "not below 0")?;
    }
    Ok(())
}
