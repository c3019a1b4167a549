//! A cloth: triangles with membrane and air, hinges between them, divided into parts.
//!
//! Long, because a cloth is put together here from all that it is made of.
mod build;
mod coarse;
mod colouring;
mod constraint;
mod elimination;
mod flexure;
mod gas;
mod measure;
mod relax;
mod rest;
mod seam;
mod stiff;
mod taut;

pub use gas::Gas;
pub(crate) use relax::Begun;
pub use rest::{ChamberRest, ClothRest, Folds, Maps, Matter, Scaled, SeamRest, StitchRest};

use crate::body::{Body, BuildError, Features, Outside};
use crate::carriage::Tempo;
use crate::inputs::FrameInputs;
use crate::measure::{Energy, Strain};
use crate::model::{Holds, Lasts, Model};
use crate::parts::{Parts, cut};
use crate::simd::Record;
use crate::snags::{Against, Snag};
use crate::state::State;
use build::plate::Plate;
use build::yarns::{Yarns, spin, threads};
use build::{cells, hinges, nodes, patches, rigidity};
use coarse::Level;
use coarse::build::{Element, Lattices};
use constraint::prolonged::Share;
use constraint::{Scale, bend, cell, membrane, patch, yarn};
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};

/// The constraints of one part.
struct Work {
    pub membrane: Vec<membrane::Triangles>,
    pub cell: Vec<cell::Rectangles>,
    pub bend: Vec<bend::Hinges>,
    pub patch: Vec<patch::Patches>,
}

/// What holds a cloth together. Arrays are by place.
pub struct Cloth {
    /// One for each part of the tree.
    work: Vec<Work>,
    /// Chains along warp and weft; empty where triangles do their work.
    yarns: [Vec<yarn::Chains>; 2],
    /// By the bits of dt.
    eliminated: Mutex<BTreeMap<u32, Arc<[Vec<yarn::Bends>; 2]>>>,
    /// Lattices over the material, finest first.
    coarse: Vec<Level>,
    /// What bends where yarns don't: its system, for when sweeps fall short.
    plate: Plate,
    /// Whether triangles resist stretch: some of it is not left to yarns.
    stretchy: bool,
    least_weight: f32,
    matter: Matter,
    /// Whether any hinge is folded at rest.
    curved: bool,
    /// Whether all that pulls is met at once: what is filled or sewn; and what bends, for that.
    taut: bool,
    flexure: flexure::Flexure,
    pattern: stiff::Pattern,
    triangles: Vec<[u32; 3]>,
    flat: Vec<[[f32; 2]; 3]>,
    seams: Vec<seam::Seam>,
    chambers: Vec<gas::Chamber>,
    pub(super) constraints: usize,
}

/// What a cloth keeps in a state.
#[derive(Clone, Debug)]
pub struct Own {
    /// Pull of each yarn's edges within a sub-step; scratch.
    chain_multipliers: [Vec<yarn::ChainMultipliers>; 2],
    /// Pulls of the triangles of each part within a sub-step; scratch, empty where yarns have them.
    multipliers: Vec<Vec<membrane::Multipliers>>,
    /// The system of what is taut; scratch, empty where nothing is.
    taut: taut::System,
    /// Nodes of the lattices; scratch.
    coarse: Vec<coarse::Scratch>,
    /// Forces of the patches and scratch of their system.
    push: Vec<Record>,
    plate: Vec<Record>,
    /// Strain along warp and weft at each point when a sub-step began; scratch, kept where they act on each other.
    strain: Vec<Record>,
    /// What its chambers hold; it lasts.
    gas: Vec<Gas>,
    /// What lengths and folds at rest were multiplied by at the end of the last frame.
    stretched: Rests,
}

/// What lengths along warp and weft at rest are multiplied by, and folds.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Rests {
    sides: [f32; 2],
    folds: f32,
}

impl Default for Rests {
    fn default() -> Rests {
        Rests { sides: [1.0; 2], folds: 1.0 }
    }
}

impl Rests {
    /// Of lengths in the mean.
    fn mean(&self) -> f32 {
        if self.sides[0] == self.sides[1] { self.sides[0] } else { (self.sides[0] * self.sides[1]).sqrt() }
    }

    fn on(&self, scale: Scale) -> Scale {
        Scale { rest: self.mean(), sides: self.sides, folds: self.folds, ..scale }
    }
}

impl Holds for Cloth {
    type Own = Own;
    type Begun<'a> = Begun<'a>;

    fn own(&self, _: &Body) -> Own {
        Own {
            chain_multipliers: self
                .yarns
                .each_ref()
                .map(|groups| groups.iter().map(yarn::Chains::multipliers).collect()),
            multipliers: self
                .work
                .iter()
                .map(|w| if self.stretchy { vec![[[0.0; 8]; 3]; w.membrane.len()] } else { vec![] })
                .collect(),
            taut: taut::System::default(),
            coarse: self.coarse.iter().map(Level::scratch).collect(),
            push: vec![],
            plate: vec![],
            strain: vec![],
            gas: self.chambers.iter().map(gas::Chamber::start).collect(),
            stretched: Rests::default(),
        }
    }

    fn size(&self) -> usize {
        self.chambers.len() * Gas::BYTES
    }

    fn begin<'a>(&'a self, body: &'a Body, number: usize, frame: &'a FrameInputs, tempo: Tempo) -> Begun<'a> {
        Begun::new(self, body, number, frame, tempo)
    }

    fn constraints(&self) -> usize {
        self.constraints
    }

    fn strain(&self, state: &State, own: &Own) -> Strain {
        self.strained(state, own)
    }

    fn energy(&self, state: &State, own: &Own, sum: &mut Energy) {
        self.stored(state, own, sum);
    }

    fn snags(&self, of: (&Body, usize), state: &State, own: &Own, against: Against) -> Vec<Snag> {
        self.torn(of, state, own, against)
    }
}

impl Lasts for Own {
    fn write(&self, out: &mut Vec<u8>) {
        self.gas.iter().for_each(|g| g.write(out));
    }

    fn read(&mut self, from: &[u8]) {
        self.gas.iter_mut().zip(from.chunks_exact(Gas::BYTES)).for_each(|(g, bytes)| *g = Gas::read(bytes));
    }

    fn gas(&self) -> &[Gas] {
        &self.gas
    }
}

impl Cloth {
    /// The bends of all yarns, eliminated for a sub-step of `dt` seconds. Kept: a run asks for one dt.
    fn bends(&self, dt: f32, rest: &[Record]) -> Arc<[Vec<yarn::Bends>; 2]> {
        let mut known = self.eliminated.lock().unwrap_or_else(PoisonError::into_inner);
        let make = || {
            let weight = |p: u32| rest[p as usize].0[3];
            let each = |g: &yarn::Chains| g.eliminate(f64::from(dt), weight);
            Arc::new(self.yarns.each_ref().map(|groups| groups.iter().map(each).collect()))
        };
        known.entry(dt.to_bits()).or_insert_with(make).clone()
    }
}

pub(crate) fn build(rest: &ClothRest) -> Result<Body, BuildError> {
    check(rest)?;
    let Welded { parts, places, starts } = Welded::of(rest);
    let n = parts.order.len();
    let at = |p: u32| places[p as usize];
    let found = hinges::find(rest);
    let folded = Folded::of(rest);
    // What is filled is under tension all over: its triangles, seams and fill are one system.
    let taut = !rest.chambers.is_empty() || !rest.seams.is_empty();
    let threads = if taut { [None, None] } else { threads(rest, at) };
    // Where all is flat and threads run along edges, these bend.
    let bends = !taut && !found.iter().any(|h| folded.is(h)) && threads.iter().all(Option::is_some);
    let (cells, alone) = split(rest, bends);
    let mass = spread(rest, at, &cells, &alone, |points| {
        f64::from(rest.matter.areal_weight) * rest.maps.over(Scaled::ArealWeight, points)
    });
    let skin = spread(rest, at, &cells, &alone, |_| 1.0);
    let edges: Vec<[u32; 2]> = threads.iter().flatten().flat_map(|(_, f)| f.keys().copied()).collect();
    let elements = elements(rest, at, &cells, &alone);
    let Lattices { levels: coarse, shares, edges: from } = match taut {
        true => Lattices { levels: vec![], shares: vec![Share::default(); elements.len()], edges: vec![] },
        false => coarse::build::lattices(rest, at, &mass, elements, &edges),
    };
    let from: BTreeMap<[u32; 2], u32> = edges.into_iter().zip(from).collect();
    let first_spare = (n + 4 * parts.tree.len()) as u32;
    let Yarns { groups: yarns, left, spares } = spin(rest, threads, at, first_spare, bends, |e| from[e]);
    let records = records(&parts, &mass, spares, &starts);
    let Bent { mut hinges, patches, all, curved } = match bends {
        true => Bent::none(&parts),
        false => Bent::of(rest, &parts, at, &found, &folded),
    };
    let seams: Vec<seam::Seam> = rest.seams.iter().map(|s| seam::Seam::of(s, rest, at)).collect();
    let constraints = seams.iter().map(seam::Seam::len).sum::<usize>()
        + 3 * rest.triangles.len()
        + hinges.iter().map(Vec::len).sum::<usize>()
        + 3 * all.len();
    for crease in seam::creases(rest, at) {
        hinges[parts.home(&crease.point)].push(crease);
    }
    let flexure = match taut {
        true => flexure::Flexure::of(n, hinges.iter().flatten(), all.iter()),
        false => flexure::Flexure::default(),
    };
    let plate = Plate::of(if taut { vec![] } else { all }, &records[..n]);
    let triangles = triangles(rest, &parts, at, &alone, &shares[cells.len()..], left);
    let cells = cells_at(cells, shares, &parts, at);
    let work = triangles.into_iter().zip(cells).zip(hinges.into_iter().zip(patches)).enumerate();
    let work = work.map(|(part, ((t, c), (h, p)))| {
        let spare = (n + 4 * part) as u32;
        Work {
            membrane: membrane::gather(&t, spare),
            cell: cell::gather(&c, spare),
            bend: bend::gather(&h, spare),
            patch: patch::gather(&p, spare),
        }
    });
    let work: Vec<Work> = work.collect();
    let pattern = match taut {
        true => stiff::Pattern::of(n, work.iter().map(|w| w.membrane.as_slice())),
        false => stiff::Pattern::default(),
    };
    let maps = by_place(rest, &parts);
    let shape = shape(rest, &parts, &records);
    let triangles: Vec<[u32; 3]> = rest.triangles.iter().map(|t| t.map(at)).collect();
    let m = &rest.matter;
    let of = |what| maps.of(what).to_vec();
    let cloth = Cloth {
        work,
        triangles: triangles.clone(),
        yarns,
        eliminated: Mutex::default(),
        coarse,
        plate,
        stretchy: left[0] > 0.0 || left[1] > 0.0,
        least_weight: maps.of(Scaled::ArealWeight).iter().copied().reduce(f32::min).unwrap_or(1.0).min(1.0),
        matter: *m,
        curved,
        taut,
        flexure,
        pattern,
        flat: rest.flat.clone(),
        chambers: rest.chambers.iter().map(|c| gas::Chamber::of(c, rest, at)).collect(),
        seams,
        constraints,
    };
    let all: f64 = rest.flat.iter().map(area).sum();
    Ok(Body {
        rest: records,
        mass: mass.into_iter().map(|m| m as f32).collect(),
        area: skin.into_iter().map(|a| a as f32).collect(),
        held: rest.held.iter().any(|h| *h),
        comes: false,
        apart: (all / n as f64).sqrt() as f32,
        damping: m.damping,
        damped: of(Scaled::Damping),
        airy: m.drag > 0.0 || m.lift > 0.0,
        outside: Outside {
            features: Features { triangles, ..Features::default() },
            shape,
            half: 0.5 * m.thickness,
            friction: m.friction,
            maps: [of(Scaled::Thickness), of(Scaled::Friction)],
        },
        model: Model::Cloth(Box::new(cloth)),
        parts,
        places,
    })
}

fn area(f: &[[f32; 2]; 3]) -> f64 {
    let [a, b, c] = f.map(|p| p.map(f64::from));
    0.5 * ((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])).abs()
}

/// What fold at rest is one: under a ten-thousandth of a turn it is rounding, not shape; and so is what single precision
/// can't help to make where the cloth stands.
struct Folded {
    /// Metres.
    grain: f64,
}

impl Folded {
    fn of(rest: &ClothRest) -> Folded {
        let far = rest.positions.iter().flatten().fold(0.0f32, |m, c| m.max(c.abs()));
        Folded { grain: f64::from(far * f32::EPSILON) }
    }

    fn is(&self, h: &hinges::RestHinge) -> bool {
        let edge = (h.flat[1][0] - h.flat[0][0]).hypot(h.flat[1][1] - h.flat[0][1]).max(1e-12);
        h.rest.abs() / edge > 6e-4f64.max(8.0 * self.grain / edge)
    }
}

/// Triangles that make rectangles, and those left alone.
fn split(rest: &ClothRest, bends: bool) -> (Vec<cell::Cell>, Vec<usize>) {
    let m = &rest.matter;
    match bends {
        true => {
            let twist = (f64::from(m.bend[0]) * f64::from(m.bend[1])).sqrt();
            cells::find(rest, f64::from(m.shear), twist)
        }
        false => (vec![], (0..rest.triangles.len()).collect()),
    }
}

/// Points put in the order of their parts, those that are welded in one place.
struct Welded {
    parts: Parts,
    /// The place of each point as given.
    places: Vec<u32>,
    /// Where each place starts, and whether any of its points is held.
    starts: Vec<([f32; 3], bool)>,
}

impl Welded {
    fn of(rest: &ClothRest) -> Welded {
        let n = rest.positions.len();
        let mut up: Vec<u32> = (0..n as u32).collect();
        let root = |up: &[u32], mut p: u32| {
            while up[p as usize] != p {
                p = up[p as usize];
            }
            p
        };
        for w in &rest.welds {
            let [a, b] = w.map(|p| root(&up, p));
            // The lower stands for both.
            up[a.max(b) as usize] = a.min(b);
        }
        let of: Vec<u32> = (0..n as u32).map(|p| root(&up, p)).collect();
        let firsts: Vec<u32> = (0..n as u32).filter(|p| of[*p as usize] == *p).collect();
        let mut number = vec![0u32; n];
        firsts.iter().enumerate().for_each(|(k, &p)| number[p as usize] = k as u32);
        let mut sums = vec![([0f64; 3], 0f64, false); firsts.len()];
        for (p, x) in rest.positions.iter().enumerate() {
            let (sum, count, held) = &mut sums[number[of[p] as usize] as usize];
            (0..3).for_each(|c| sum[c] += f64::from(x[c]));
            (*count, *held) = (*count + 1.0, *held || rest.held[p]);
        }
        let means: Vec<([f32; 3], bool)> =
            sums.into_iter().map(|(sum, count, held)| (sum.map(|c| (c / count) as f32), held)).collect();
        let positions: Vec<[f32; 3]> = means.iter().map(|m| m.0).collect();
        let mut parts = cut(&positions);
        let place = parts.places();
        let places = of.iter().map(|p| place[number[*p as usize] as usize]).collect();
        let starts = parts.order.iter().map(|&k| means[k as usize]).collect();
        parts.order.iter_mut().for_each(|k| *k = firsts[*k as usize]);
        Welded { parts, places, starts }
    }
}

/// What is `over` a square metre of what some points span, told to the places: mass, kg, or area itself.
fn spread(
    rest: &ClothRest,
    at: impl Fn(u32) -> u32,
    cells: &[cell::Cell],
    alone: &[usize],
    over: impl Fn(&[u32]) -> f64,
) -> Vec<f64> {
    let mut all =
        vec![0.0f64; rest.triangles.iter().flatten().map(|&p| at(p) as usize + 1).max().unwrap_or(0)];
    for &t in alone {
        let third = over(&rest.triangles[t]) * area(&rest.flat[t]) / 3.0;
        rest.triangles[t].iter().for_each(|&p| all[at(p) as usize] += third);
    }
    for c in cells {
        let quarter = over(&c.point) * c.sides[0] * c.sides[1] / 4.0;
        c.point.iter().for_each(|&p| all[at(p) as usize] += quarter);
    }
    all
}

/// What the coarse levels span: rectangles first.
fn elements(
    rest: &ClothRest,
    at: impl Fn(u32) -> u32,
    cells: &[cell::Cell],
    alone: &[usize],
) -> Vec<Element> {
    let rectangles = cells.iter().map(|c| (&c.point[..], c.sides[0] * c.sides[1]));
    let all = rectangles.chain(alone.iter().map(|&t| (&rest.triangles[t][..], area(&rest.flat[t]))));
    let element = |(points, area): (&[u32], f64)| {
        let over = |k: f32, what| f64::from(k) * area * rest.maps.over(what, points);
        let [warp, weft] = rest.matter.stretch.map(|k| over(k, Scaled::Stretch));
        let corners = points.iter().map(|&p| at(p)).collect();
        Element { corners, stiffness: [warp, weft, over(rest.matter.shear, Scaled::Shear)] }
    };
    all.map(element).collect()
}

/// Where the places are at rest, with inverse masses, and spare ones after them: those of the parts, and those of yarns.
fn records(parts: &Parts, mass: &[f64], yarns: usize, starts: &[([f32; 3], bool)]) -> Vec<Record> {
    let n = mass.len();
    let spares = 4 * parts.tree.len() + yarns;
    let mut records = vec![Record::default(); n + spares];
    for place in 0..n {
        let ([x, y, z], held) = starts[place];
        let w = if held || mass[place] <= 0.0 { 0.0 } else { (1.0 / mass[place]) as f32 };
        records[place] = Record([x, y, z, w]);
    }
    // They stand apart from each other, so that empty lanes divide by nothing small.
    for k in 0..spares {
        let c = [[0.0, 0.0, 0.0], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [1.0, 1.0, 0.0]][k % 4];
        records[n + k] = Record([c[0], c[1], c[2], 0.0]);
    }
    records
}

/// An empty list for each part.
fn of_parts<T>(parts: &Parts) -> Vec<Vec<T>> {
    parts.tree.iter().map(|_| vec![]).collect()
}

/// The triangles that are alone, by part; `left` is the stretch along warp and weft that yarns don't have, N/m.
fn triangles(
    rest: &ClothRest,
    parts: &Parts,
    at: impl Fn(u32) -> u32,
    alone: &[usize],
    shares: &[Share],
    left: [f32; 2],
) -> Vec<Vec<membrane::Triangle>> {
    let mut out = of_parts(parts);
    for (&t, &from) in alone.iter().zip(shares) {
        let (point, frame) = (rest.triangles[t].map(&at), rest.flat[t]);
        let over = |what| rest.maps.over(what, &rest.triangles[t]);
        let [stretch, shear] = [over(Scaled::Stretch), over(Scaled::Shear)].map(|s| s as f32);
        let stiffness = [left[0] * stretch, left[1] * stretch, rest.matter.shear * shear];
        let air = [over(Scaled::Drag), over(Scaled::Lift)];
        out[parts.home(&point)].push(membrane::Triangle { point, frame, stiffness, air, from });
    }
    out
}

/// The rectangles, by part, with their shares of the coarse multipliers.
fn cells_at(
    cells: Vec<cell::Cell>,
    shares: Vec<Share>,
    parts: &Parts,
    at: impl Fn(u32) -> u32,
) -> Vec<Vec<cell::Cell>> {
    let mut out = of_parts(parts);
    for (mut c, from) in cells.into_iter().zip(shares) {
        c.point = c.point.map(&at);
        c.from = from;
        out[parts.home(&c.point)].push(c);
    }
    out
}

/// What bends, by part.
struct Bent {
    hinges: Vec<Vec<bend::Hinge>>,
    patches: Vec<Vec<patch::Patch>>,
    /// All patches again, for the plate's system.
    all: Vec<patch::Patch>,
    curved: bool,
}

impl Bent {
    fn none(parts: &Parts) -> Bent {
        Bent { hinges: of_parts(parts), patches: of_parts(parts), all: vec![], curved: false }
    }

    /// Patches where the mesh has room for them, hinges where not.
    fn of(
        rest: &ClothRest,
        parts: &Parts,
        at: impl Fn(u32) -> u32,
        found: &[hinges::RestHinge],
        folded: &Folded,
    ) -> Bent {
        let mut out = Bent::none(parts);
        if let Some(patches) = nodes::find(rest).or_else(|| patches::find(rest)) {
            for mut p in patches {
                p.point = p.point.map(&at);
                out.curved |= p.rest.iter().any(|k| *k != 0.0);
                out.patches[parts.home(&p.point)].push(p.clone());
                out.all.push(p);
            }
            return out;
        }
        let stiff = rigidity::stiffnesses(found, rest.matter.bend.map(f64::from));
        for (h, stiffness) in found.iter().zip(stiff).filter(|(_, s)| *s > 0.0) {
            let point = h.point.map(&at);
            let kappa = if folded.is(h) { h.rest as f32 } else { 0.0 };
            out.curved |= kappa != 0.0;
            let weight = h.weight.map(|k| k as f32);
            let stiffness = stiffness * rest.maps.over(Scaled::Bend, &h.point[..2]);
            out.hinges[parts.home(&point)].push(bend::Hinge { point, weight, stiffness, rest: kappa });
        }
        out
    }
}

/// The shape that bends are measured from, where it is not the one that it starts in.
fn shape(rest: &ClothRest, parts: &Parts, records: &[Record]) -> Option<Vec<Record>> {
    let Folds::Like(to) = &rest.folds else { return None };
    let mut shape = records.to_vec();
    let n = parts.order.len();
    (0..n).for_each(|k| shape[k].0[..3].copy_from_slice(&to[parts.order[k] as usize]));
    Some(shape)
}

fn by_place(rest: &ClothRest, parts: &Parts) -> Maps {
    Maps(rest.maps.0.each_ref().map(|m| match m.is_empty() {
        true => vec![],
        false => parts.order.iter().map(|&p| m[p as usize]).collect(),
    }))
}

fn check(rest: &ClothRest) -> Result<(), BuildError> {
    let n = rest.positions.len();
    if rest.triangles.is_empty() {
        return Err(BuildError::Empty("triangle"));
    }
    let same = |what, found, expected| {
        if found == expected { Ok(()) } else { Err(BuildError::Lengths { what, found, expected }) }
    };
    same("held", rest.held.len(), n)?;
    same("flat", rest.flat.len(), rest.triangles.len())?;
    if let Some(&p) = rest.triangles.iter().flatten().find(|p| **p as usize >= n) {
        return Err(BuildError::Lengths { what: "positions", found: n, expected: p as usize + 1 });
    }
    if let Some(point) = rest.positions.iter().position(|p| p.iter().any(|c| !c.is_finite())) {
        return Err(BuildError::NotFinite { point });
    }
    if let Some(triangle) = rest.flat.iter().position(|f| area(f).is_nan() || area(f) <= 0.0) {
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
