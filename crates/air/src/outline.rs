//! What is drawn of a field or a zone, as lines.
use crate::{Stand, ZoneForm, ZoneNow};

pub type Line = [[f32; 3]; 2];

/// Lines about a thing's own origin, or placed in the world; metres.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Outline {
    /// Where there is all of it.
    pub core: Vec<Line>,
    /// Where it ends.
    pub soft: Vec<Line>,
    /// Where its numbers can be taken by hand.
    pub beads: Vec<Bead>,
}

/// A place at which a number can be taken.
#[derive(Clone, Debug, PartialEq)]
pub struct Bead {
    /// Where the number stands in what is drawn, as a path.
    pub number: String,
    /// Metres.
    pub at: [f32; 3],
    /// How far the place goes where the number grows by 1, metres.
    pub along: [f32; 3],
}

impl Bead {
    /// On an axis, with what there is of it for each of the number; beyond what does not change.
    pub fn on(number: impl Into<String>, axis: usize, value: f32, per: f32, beyond: f32) -> Bead {
        let (mut at, mut along) = ([0.0; 3], [0.0; 3]);
        along[axis] = per;
        at[axis] = per * value + beyond;
        Bead { number: number.into(), at, along }
    }

    /// The same, somewhere beside the axis.
    pub fn beside(mut self, by: [f32; 3]) -> Bead {
        (0..3).for_each(|c| self.at[c] += by[c]);
        self
    }
}

/// Straight pieces of a round.
const ROUND: usize = 40;
/// How far what has no end is drawn, metres.
const FAR: f32 = 1.5;

/// A round about the upright axis.
pub fn round(y: f32, radius: f32) -> Vec<Line> {
    let at = |k: usize| {
        let (s, c) = (std::f32::consts::TAU * k as f32 / ROUND as f32).sin_cos();
        [radius * c, y, radius * s]
    };
    (0..ROUND).map(|k| [at(k), at(k + 1)]).collect()
}

/// A round in the plane that has the upright axis and x, or z.
fn upright(of: usize, radius: f32, lift: impl Fn(f32) -> f32) -> Vec<Line> {
    let at = |k: usize| {
        let (s, c) = (std::f32::consts::TAU * k as f32 / ROUND as f32).sin_cos();
        let mut p = [0.0, radius * s + lift(s), 0.0];
        p[of] = radius * c;
        p
    };
    (0..ROUND).map(|k| [at(k), at(k + 1)]).collect()
}

pub fn ball(radius: f32) -> Vec<Line> {
    [round(0.0, radius), upright(0, radius, |_| 0.0), upright(2, radius, |_| 0.0)].concat()
}

pub fn capsule(radius: f32, half: f32) -> Vec<Line> {
    let lift = |s: f32| half * if s >= 0.0 { 1.0 } else { -1.0 };
    [round(half, radius), round(-half, radius), upright(0, radius, lift), upright(2, radius, lift)].concat()
}

pub fn block(half: [f32; 3]) -> Vec<Line> {
    let mut out = vec![];
    for axis in 0..3 {
        for corner in 0..4 {
            let mut p = [0.0; 3];
            (p[(axis + 1) % 3], p[(axis + 2) % 3]) = (
                half[(axis + 1) % 3] * if corner & 1 == 0 { -1.0 } else { 1.0 },
                half[(axis + 2) % 3] * if corner & 2 == 0 { -1.0 } else { 1.0 },
            );
            let mut q = p;
            (p[axis], q[axis]) = (-half[axis], half[axis]);
            out.push([p, q]);
        }
    }
    out
}

/// Between two rounds about the upright axis.
pub fn cone(foot: f32, head: f32, half: f32) -> Vec<Line> {
    let mut out = [round(-half, foot), round(half, head)].concat();
    for k in 0..4 {
        let (s, c) = (std::f32::consts::TAU * k as f32 / 4.0).sin_cos();
        out.push([[foot * c, -half, foot * s], [head * c, half, head * s]]);
    }
    out
}

/// A line with a tip.
pub fn arrow(from: [f32; 3], to: [f32; 3]) -> Vec<Line> {
    let d: [f32; 3] = std::array::from_fn(|c| to[c] - from[c]);
    let size = d.iter().map(|c| c * c).sum::<f32>().sqrt().max(1e-6);
    let side = if d[0].abs() + d[2].abs() > 0.1 * size { [-d[2], 0.0, d[0]] } else { [size, 0.0, 0.0] };
    let barb = |s: f32| -> Line { [to, std::array::from_fn(|c| to[c] - 0.12 * d[c] + s * 0.06 * side[c])] };
    vec![[from, to], barb(1.0), barb(-1.0)]
}

/// Lines from place to place.
pub fn path(places: &[[f32; 3]]) -> Vec<Line> {
    places.windows(2).map(|w| [w[0], w[1]]).collect()
}

impl Outline {
    /// Every place put elsewhere; lines between them stay straight, so long ones are cut first.
    pub fn bent(self, to: impl Fn([f32; 3]) -> [f32; 3]) -> Outline {
        const PIECES: usize = 16;
        let line = |[p, q]: &Line| {
            let at = |k: usize| to(std::array::from_fn(|c| p[c] + (q[c] - p[c]) * k as f32 / PIECES as f32));
            (0..PIECES).map(|k| [at(k), at(k + 1)]).collect::<Vec<Line>>()
        };
        let bead = |b: Bead| {
            let ahead = to(std::array::from_fn(|c| b.at[c] + b.along[c] * 1e-3));
            let at = to(b.at);
            Bead { at, along: std::array::from_fn(|c| (ahead[c] - at[c]) * 1e3), ..b }
        };
        let all = |of: Vec<Line>| of.iter().flat_map(line).collect();
        Outline {
            core: all(self.core),
            soft: all(self.soft),
            beads: self.beads.into_iter().map(bead).collect(),
        }
    }

    pub fn placed(mut self, stand: &Stand) -> Outline {
        for p in self.core.iter_mut().chain(&mut self.soft).flatten() {
            let by = stand.turned(*p);
            *p = std::array::from_fn(|c| stand.origin[c] + by[c]);
        }
        for b in &mut self.beads {
            let by = stand.turned(b.at);
            b.at = std::array::from_fn(|c| stand.origin[c] + by[c]);
            b.along = stand.turned(b.along);
        }
        self
    }
}

impl ZoneNow {
    /// Where it is wholly, and where it ends.
    pub fn outline(&self) -> Outline {
        let e = self.edge;
        let [core, soft] = [0.0, e].map(|e| match self.form {
            ZoneForm::Ball { radius } => ball(radius + e),
            ZoneForm::Box { half } => block(half.map(|h| h + e)),
            ZoneForm::Capsule { radius, half } => capsule(radius + e, half),
            ZoneForm::Slab { half } => block([FAR, half + e, FAR]),
            ZoneForm::Tube { radius, half, wall } => {
                let (out, inner) = (radius + wall + e, (radius - wall - e).max(0.0));
                [cone(out, out, half + e), cone(inner, inner, half + e)].concat()
            }
        });
        let soft = if e > 0.0 { soft } else { vec![] };
        // Numbers of sizes are twice the halves.
        let mut beads = match self.form {
            ZoneForm::Ball { radius } => vec![Bead::on("form/ball/radius", 0, radius, 1.0, 0.0)],
            ZoneForm::Box { half } => {
                (0..3).map(|c| Bead::on(format!("form/box/size/{c}"), c, 2.0 * half[c], 0.5, 0.0)).collect()
            }
            ZoneForm::Capsule { radius, half } => vec![
                Bead::on("form/capsule/radius", 0, radius, 1.0, 0.0),
                Bead::on("form/capsule/length", 1, 2.0 * half, 0.5, 0.0),
            ],
            ZoneForm::Slab { half } => vec![Bead::on("form/slab/thickness", 1, 2.0 * half, 0.5, 0.0)],
            ZoneForm::Tube { radius, half, wall } => vec![
                Bead::on("form/tube/radius", 0, radius, 1.0, 0.0),
                Bead::on("form/tube/length", 1, 2.0 * half, 0.5, 0.0).beside([radius, 0.0, 0.0]),
                Bead::on("form/tube/wall", 2, 2.0 * wall, 0.5, radius),
            ],
        };
        let (axis, out) = match self.form {
            ZoneForm::Ball { radius } | ZoneForm::Capsule { radius, .. } => (0, radius),
            ZoneForm::Box { half } => (0, half[0]),
            ZoneForm::Slab { half } => (1, half),
            ZoneForm::Tube { radius, wall, .. } => (0, radius + wall),
        };
        beads.push(Bead::on("edge", axis, e, -1.0, -out));
        Outline { core, soft, beads }.placed(&self.stand)
    }
}
