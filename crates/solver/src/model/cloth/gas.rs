//! What fills a chamber: a pressure on its skin, or an amount of gas that has one by its volume.
//!
//! The volume is the exact signed sum over the triangles about it, those between the sides of open seams among them; a point's
//! share of the force is the pressure times the slope of that volume (M. Müller et al., "Position Based Dynamics", 2007, section 4.4.2,
//! for the slope). A gas keeps p V (R. Boyle, 1662): that its pressure falls as the volume grows stands in the system of all that pulls
//! (`taut`), so that however stiff it is, it does not ring.
//!
//! A fill that is lighter or heavier than the air about it presses more above or below: by the difference in density times the weight
//! of a height, spread over a triangle's corners as a linear load is, so that the lift is that of the whole volume exactly.
use super::rest::{ChamberRest, ClothRest};
use crate::inputs::{FillBy, FillNow};
use crate::simd::Record;

/// A chamber ready to be filled. Points are places of the body.
pub struct Chamber {
    /// Facing out.
    triangles: Vec<[u32; 3]>,
    /// Those through which it leaks while their seam does not hold; without a seam always.
    mouths: Vec<(Option<u32>, [u32; 3])>,
    /// Absolute, Pa.
    outside: f64,
    /// Of the air outside, and of the fill where it has the pressure of that, kg/m³.
    density: [f64; 2],
    /// At the start, m³, and the area about it, m².
    first: f64,
    skin: f64,
    /// How much a skin of this matter gives, 1 over N/m: of a ball the strain is half the pressure times the radius times this.
    soft: f64,
}

/// What a chamber holds.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Gas {
    /// Above that outside, Pa.
    pub pressure: f64,
    /// Absolute pressure times volume, J.
    pub amount: f64,
    /// m³.
    pub volume: f64,
}

impl Gas {
    /// Of what is written.
    pub(super) const BYTES: usize = 3 * 8;

    pub(super) fn write(&self, out: &mut Vec<u8>) {
        let Gas { pressure, amount, volume } = self;
        [pressure, amount, volume].iter().for_each(|n| out.extend(n.to_le_bytes()));
    }

    pub(super) fn read(from: &[u8]) -> Gas {
        let double = |of: usize| f64::from_le_bytes(std::array::from_fn(|b| from[8 * of + b]));
        Gas { pressure: double(0), amount: double(1), volume: double(2) }
    }
}

/// How much of the flow through an opening there is: of a sharp-edged orifice.
const ORIFICE: f64 = 0.61;
/// So little pressure, Pa, as a flow is told by at least: a hole lets air go both ways.
const LEAST: f64 = 1.0;
/// The share of the skin from which on a hole keeps no pressure.
const HOLE: f64 = 0.02;

type V = [f64; 3];
fn sub(a: V, b: V) -> V {
    std::array::from_fn(|c| a[c] - b[c])
}
fn cross(a: V, b: V) -> V {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}
fn dot(a: V, b: V) -> f64 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}

/// The slope of the volume at each point, m², and the volume, m³.
fn volume(triangles: &[[u32; 3]], x: &[Record], out: &mut Vec<V>) -> f64 {
    out.clear();
    out.resize(x.len(), [0.0; 3]);
    let Some(first) = triangles.first() else { return 0.0 };
    let middle = x[first[0] as usize].xyz().map(f64::from);
    let at = |p: u32| sub(x[p as usize].xyz().map(f64::from), middle);
    let mut sum = 0.0;
    for t in triangles {
        let [a, b, c] = t.map(at);
        // Of the triangle's own area, so that it does not depend on where the middle is.
        let n = cross(sub(b, a), sub(c, a));
        sum += dot(a, n);
        let n = n.map(|n| n / 6.0);
        t.iter().for_each(|&p| (0..3).for_each(|k| out[p as usize][k] += n[k]));
    }
    sum / 6.0
}

impl Chamber {
    pub fn of(chamber: &ChamberRest, rest: &ClothRest, at: impl Fn(u32) -> u32) -> Chamber {
        let records: Vec<Record> = rest.positions.iter().map(|p| Record([p[0], p[1], p[2], 0.0])).collect();
        let first = volume(&chamber.triangles, &records, &mut vec![]);
        let area = |t: &[u32; 3]| {
            let [a, b, c] = t.map(|p| rest.positions[p as usize].map(f64::from));
            let n = cross(sub(b, a), sub(c, a));
            0.5 * dot(n, n).sqrt()
        };
        // As their points stand in memory: those are gone through many times.
        let mut triangles: Vec<[u32; 3]> = chamber.triangles.iter().map(|t| t.map(&at)).collect();
        triangles.sort_by_key(|t| t.iter().min().copied());
        Chamber {
            skin: chamber.triangles.iter().map(area).sum(),
            triangles,
            mouths: chamber.mouths.iter().map(|(s, t)| (*s, t.map(&at))).collect(),
            outside: chamber.outside,
            density: chamber.density,
            first,
            soft: 2.0 * f64::from(1.0 - rest.matter.poisson)
                / f64::from(rest.matter.stretch[0] + rest.matter.stretch[1]).max(1e-9),
        }
    }

    /// As it is before anything moves: as much gas as fits it, at the pressure outside.
    pub fn start(&self) -> Gas {
        Gas { pressure: 0.0, amount: self.outside * self.first.max(0.0), volume: self.first }
    }

    /// What it presses with where the points are: adds the forces to these, N, and gives the slope of its volume at each point and how much
    /// less it presses for each m³ more, Pa/m³.
    pub fn press(
        &self,
        gas: &mut Gas,
        now: &Filling,
        x: &[Record],
        slopes: &mut Vec<V>,
        out: &mut [Record],
    ) -> f64 {
        gas.volume = volume(&self.triangles, x, slopes);
        let gives = match now.by {
            FillBy::Pressure(_) => {
                // Through a hole it goes as fast as it comes: none is kept behind one of more than so much of the skin.
                let kept = (1.0 - self.open(now, x) / (HOLE * self.skin).max(1e-12)).max(0.0);
                gas.pressure = (now.target * kept).max(-self.outside);
                gas.amount = (self.outside + gas.pressure) * gas.volume.max(0.0);
                0.0
            }
            FillBy::Volume(_) | FillBy::Closed => {
                if let FillBy::Volume(_) = now.by {
                    gas.amount = self.outside * now.target.max(0.0);
                }
                // What has hardly any room at first is pressed as if it had some.
                let room = gas.volume.max(1e-3 * gas.amount / self.outside.max(1.0)).max(1e-9);
                gas.pressure = gas.amount / room - self.outside;
                // Through a hole that lets all of it out within the sub-step it goes as the skin does.
                let escapes = self.escapes(gas, now, x);
                if escapes > 0.0 && escapes >= (gas.pressure * room).abs() {
                    gas.amount = self.outside * gas.volume.max(0.0);
                    gas.pressure = 0.0;
                    0.0
                } else {
                    gas.amount / (room * room)
                }
            }
        };
        // What is open presses on nothing.
        for (_, t) in self.mouths.iter().filter(|(s, _)| now.is_open(*s)) {
            let [a, b, c] = t.map(|p| x[p as usize].xyz().map(f64::from));
            let n = cross(sub(b, a), sub(c, a));
            t.iter().for_each(|&p| (0..3).for_each(|k| slopes[p as usize][k] -= n[k] / 6.0));
        }
        let heavy = self.density[1] * (gas.pressure + self.outside) / self.outside.max(1.0);
        let less = self.density[0] - heavy;
        if less.abs() > 1e-9 {
            self.weigh(now.gravity.map(|g| -g * less), x, out);
        }
        for (to, g) in out.iter_mut().zip(slopes.iter()) {
            (0..3).for_each(|c| to.0[c] += (gas.pressure * g[c]) as f32);
        }
        gives
    }

    /// Adds the load of a pressure that grows by `by` Pa a metre, nothing in the mean over the points.
    fn weigh(&self, by: V, x: &[Record], out: &mut [Record]) {
        let at = |p: u32| x[p as usize].xyz().map(f64::from);
        let many = (3 * self.triangles.len()).max(1) as f64;
        let mean = self.triangles.iter().flatten().map(|p| dot(by, at(*p))).sum::<f64>() / many;
        for t in &self.triangles {
            let [a, b, c] = t.map(at);
            let n = cross(sub(b, a), sub(c, a));
            let p = [a, b, c].map(|x| dot(by, x) - mean);
            for k in 0..3 {
                // Twice the area is in n; of a linear load a corner has (2 p + q + r) / 12 of the area.
                let share = (2.0 * p[k] + p[(k + 1) % 3] + p[(k + 2) % 3]) / 24.0;
                (0..3).for_each(|i| out[t[k] as usize].0[i] += (share * n[i]) as f32);
            }
        }
    }

    /// Once the points have gone: what it is like now, and what escapes.
    pub fn end(&self, gas: &mut Gas, now: &Filling, x: &[Record], slopes: &mut Vec<V>) {
        gas.volume = volume(&self.triangles, x, slopes);
        if let FillBy::Pressure(_) = now.by {
            gas.amount = (self.outside + gas.pressure) * gas.volume.max(0.0);
            return;
        }
        gas.pressure = gas.amount / gas.volume.max(1e-9) - self.outside;
        self.leak(gas, now, x);
    }

    /// The area of what is open, m².
    fn open(&self, now: &Filling, x: &[Record]) -> f64 {
        let at = |p: u32| x[p as usize].xyz().map(f64::from);
        let each = self.mouths.iter().filter(|(seam, _)| now.is_open(*seam)).map(|(_, t)| {
            let [a, b, c] = t.map(at);
            let n = cross(sub(b, a), sub(c, a));
            0.5 * dot(n, n).sqrt()
        });
        each.sum()
    }

    /// What goes through what is open in a sub-step, J; 0 where nothing is.
    fn escapes(&self, gas: &Gas, now: &Filling, x: &[Record]) -> f64 {
        let area = self.open(now, x) + now.opening;
        let heavy = (self.density[1] * (gas.pressure + self.outside) / self.outside.max(1.0)).max(1e-3);
        let speed = (2.0 * gas.pressure.abs().max(LEAST) / heavy).sqrt().min(340.0);
        ORIFICE * area * speed * now.step * (self.outside + gas.pressure).max(0.0)
    }

    /// What escapes in a sub-step: by a rate of what is above the air outside, and through what is open as through an orifice (J. Bernoulli, 1738). Never more than there
    /// is above the pressure outside.
    fn leak(&self, gas: &mut Gas, now: &Filling, x: &[Record]) {
        let above = gas.pressure * gas.volume.max(0.0);
        // The pressure is to fall by this, and a skin that gives shrinks with it: as that of a ball of as much room.
        let radius = libm::cbrt(0.75 / std::f64::consts::PI * gas.volume.max(0.0));
        let room = gas.volume.max(0.0) * (1.0 + 1.5 * radius * self.soft * (self.outside + gas.pressure));
        let by_rate = gas.pressure * room * (1.0 - libm::exp(-now.leak * now.step));
        let through = self.escapes(gas, now, x) * gas.pressure.signum();
        let out = by_rate + through;
        gas.amount =
            (gas.amount - if above >= 0.0 { out.clamp(0.0, above) } else { out.clamp(above, 0.0) }).max(0.0);
    }
}

/// What is done with a chamber in a sub-step.
pub struct Filling<'a> {
    pub by: FillBy,
    /// Pa or m³.
    pub target: f64,
    /// 1/s.
    pub leak: f64,
    /// m².
    pub opening: f64,
    /// m/s².
    pub gravity: V,
    /// Of the body's seams, which do not hold.
    pub cut: &'a [bool],
    /// The sub-step, seconds.
    pub step: f64,
}

impl Filling<'_> {
    /// Whether what is at a seam, or at none, is open.
    fn is_open(&self, seam: Option<u32>) -> bool {
        seam.is_none_or(|s| self.cut.get(s as usize) == Some(&true))
    }
}

impl<'a> Filling<'a> {
    /// At a moment of the frame, from 0 to 1; a chamber of which nothing is said keeps what it has.
    pub fn at(
        now: Option<&FillNow>,
        moment: f64,
        gravity: [f32; 3],
        cut: &'a [bool],
        step: f64,
    ) -> Filling<'a> {
        let by = now.map_or(FillBy::Closed, |n| n.by);
        let target = match by {
            FillBy::Pressure([a, b]) | FillBy::Volume([a, b]) => a + moment * (b - a),
            FillBy::Closed => 0.0,
        };
        let (leak, opening) = now.map_or((0.0, 0.0), |n| (n.leak, n.opening));
        Filling { by, target, leak, opening, gravity: gravity.map(f64::from), cut, step }
    }
}
