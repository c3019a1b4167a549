//! From plain arrays to blocks of strands.
use super::clump::Clumps;
use super::lanes::{L, LANES, V};
use super::rest::apart;
use super::{Block, Rods, StrandRest};
use crate::AIR_DENSITY;
use crate::body::{Body, BuildError, Features, Outside};
use crate::model::Model;
use crate::parts::Parts;
use crate::simd::Record;
use glam::{DMat3, DQuat, DVec3};

/// Contact fills up groups with them.
const SPARES: usize = 8;
/// How often the turn of a joint that bears is bettered, and how far it may be at most, as 2 tan(φ/2).
const TURNS: usize = 24;
const MOST: f64 = 2.0;

pub(crate) fn build(rest: &StrandRest) -> Result<Body, BuildError> {
    rest.check()?;
    let n = rest.positions.len();
    let mut mass = vec![0.0f64; n];
    let mut area = vec![0.0f32; n];
    let mut segments = vec![];
    let mut features = Features::default();
    for (strand, (from, count)) in rest.strands().enumerate() {
        let stands = from + rest.rooted.get(strand).map_or(0, |k| *k as usize);
        for far in from + 1..from + count {
            let near = from + rest.before(from, far);
            let length = apart(rest.shape()[near], rest.shape()[far]);
            let ends = |of: &[f32]| rest.at_ends(of, [near, far]);
            let (dense, wide) = (ends(&rest.line_density), ends(&rest.width));
            for (k, at) in [near, far].into_iter().enumerate() {
                // Half of the segment, which is as heavy as it is thick there.
                let of = |v: [f64; 2]| 0.75 * v[k] + 0.25 * v[1 - k];
                mass[at] += 0.5 * length * of(dense);
                area[at] += (0.5 * length * of(wide)) as f32;
            }
            let [a, b] = ends(&rest.stretch);
            segments.push(([near as u32, far as u32], [length as f32, (0.5 * (a + b)) as f32]));
            // A segment at a root that is held stands in what it grows from, and one with a plate touches nothing until it lets go.
            let stuck = near < stands || (near == from && rest.held[near]);
            let blade = rest.blades.get(far).is_some_and(|b| *b > 0.0);
            if !stuck && !blade {
                features.segments.push([near as u32, far as u32]);
            }
        }
    }
    rest.lumps.iter().zip(&mut mass).for_each(|(more, m)| *m += f64::from(*more));
    rest.blades.iter().zip(&mut area).for_each(|(more, a)| *a += more);
    let directors = directors(rest, &rest.positions);
    let mut records: Vec<Record> = (0..n)
        .map(|k| {
            let [x, y, z] = rest.positions[k];
            Record([x, y, z, if rest.held[k] { 0.0 } else { (1.0 / mass[k]) as f32 }])
        })
        .collect();
    records.resize(n + SPARES, Record::default());
    let most = rest.radius.iter().copied().fold(0.0, f32::max);
    let alike = rest.radius.iter().all(|r| *r == most);
    // Strands that only touch by what is held have nothing to touch with.
    let lengths: f64 = segments.iter().map(|(_, s)| f64::from(s[0])).sum();
    let rods = Rods {
        blocks: blocks(rest, &directors, &Joints::of(rest, &directors, &mass)),
        inner: rest.inner,
        set: rest.set,
        drag: rest.drag,
        along: rest.along,
        clumps: Clumps::of(rest),
        directors,
        segments,
    };
    Ok(Body {
        rest: records,
        held: rest.held.iter().any(|h| *h),
        comes: rest.lets_go,
        apart: (lengths / rods.segments.len() as f64) as f32,
        damping: rest.damping,
        damped: vec![],
        airy: rest.drag > 0.0 || (rest.blade_drag > 0.0 && !rest.blades.is_empty()),
        outside: Outside {
            features,
            shape: None,
            half: most,
            friction: rest.friction,
            maps: [
                if alike { vec![] } else { rest.radius.iter().map(|r| r / most).collect() },
                rest.over[1].clone(),
            ],
        },
        model: Model::Rods(Box::new(rods)),
        mass: mass.into_iter().map(|m| m as f32).collect(),
        area,
        places: (0..n as u32).collect(),
        parts: Parts::in_order(n),
    })
}

fn vector(p: [f32; 3]) -> DVec3 {
    DVec3::from_array(p.map(f64::from))
}

/// A director for each segment of a shape, by the point that it leads to: carried along without a twist from one that depends on the way of
/// the first alone.
fn directors(rest: &StrandRest, shape: &[[f32; 3]]) -> Vec<[f32; 3]> {
    let mut out = vec![[0.0f32; 3]; shape.len()];
    for (from, count) in rest.strands() {
        let way = |k: usize| (vector(shape[k]) - vector(shape[from + rest.before(from, k)])).normalize();
        // In double from end to end.
        let mut all = vec![DVec3::ZERO; count];
        for k in 1..count {
            let (t, up) = (way(from + k), rest.before(from, from + k));
            all[k] = if up == 0 { t.any_orthonormal_vector() } else { carried(all[up], way(from + up), t) };
            out[from + k] = all[k].as_vec3().to_array();
        }
    }
    out
}

/// A director that goes with its segment from one way to another by the shortest turn.
fn carried(m: DVec3, from: DVec3, to: DVec3) -> DVec3 {
    let per = 1.0 + from.dot(to);
    let m = if per > 1e-9 { m - (m.dot(to) / per) * (from + to) } else { m };
    (m - m.dot(to) * to).normalize_or(to.any_orthonormal_vector())
}

/// The way of a segment and its director, at right angles.
fn frame(p: &[[f32; 3]], directors: &[[f32; 3]], [near, far]: [usize; 2]) -> [DVec3; 2] {
    let t = (vector(p[far]) - vector(p[near])).normalize();
    let m = vector(directors[far]);
    [t, (m - m.dot(t) * t).normalize()]
}

/// A frame's axes: its director, what is across both, and its way.
pub(super) fn axes([t, m]: [DVec3; 2]) -> DMat3 {
    DMat3::from_cols(m, t.cross(m), t)
}

/// The turn from axes to others: 2 tan(φ/2) along its own, as either has it.
pub(super) fn turn(a: DMat3, b: DMat3) -> DVec3 {
    let r = a.transpose() * b;
    let per = 2.0 / (1.0 + r.x_axis.x + r.y_axis.y + r.z_axis.z).max(1e-3);
    per * DVec3::new(r.y_axis.z - r.z_axis.y, r.z_axis.x - r.x_axis.z, r.x_axis.y - r.y_axis.x)
}

/// Axes turned by that, told in them.
fn turned(a: DMat3, by: DVec3) -> DMat3 {
    let half = 0.5 * by;
    let q = DQuat::from_xyzw(half.x, half.y, half.z, 1.0).normalize();
    a * DMat3::from_quat(q)
}

/// What segments are at rest, by the point that each leads to: how long, metres, and the turn to it from the one before.
struct Joints {
    length: Vec<f64>,
    /// N·m.
    bend: Vec<f64>,
    twist: Vec<f64>,
    /// The axes that each has at rest, in those of what it comes from.
    rest: Vec<DMat3>,
}

impl Joints {
    fn of(rest: &StrandRest, directors: &[[f32; 3]], mass: &[f64]) -> Joints {
        let n = rest.positions.len();
        let mut out = Joints {
            length: vec![0.0; n],
            bend: vec![0.0; n],
            twist: vec![0.0; n],
            rest: vec![DMat3::IDENTITY; n],
        };
        // The rest shape has directors of its own, that nothing twists either.
        let shape = rest.shape();
        let of_shape = if rest.shape.is_empty() { directors.to_vec() } else { self::directors(rest, shape) };
        for (from, count) in rest.strands() {
            let up = |k: usize| from + rest.before(from, k);
            for k in from + 1..from + count {
                out.length[k] = apart(shape[up(k)], shape[k]);
                if up(k) != from {
                    let at = |k: usize| axes(frame(shape, &of_shape, [up(k), k]));
                    out.rest[k] = at(up(k)).transpose() * at(k);
                }
            }
        }
        [out.bend, out.twist] = [&rest.bend, &rest.twist].map(|of| rigid(rest, of, &out.length));
        if let Some(gravity) = rest.stands {
            out.bear(rest, directors, mass, vector(gravity));
        }
        out
    }

    /// Makes what starts stand still under its weight (rest shapes in balance: J. Hsu, N. Truong, C. Yuksel, K. Wu, "A General Two-Stage
    /// Initialization for Sag-Free Deformable Simulations", 2022; here directly, for what hangs on a joint is known): the moment at each joint is that of all
    /// that comes after it, and the turn at rest the one that has it.
    fn bear(&mut self, rest: &StrandRest, directors: &[[f32; 3]], mass: &[f64], gravity: DVec3) {
        let at: Vec<DVec3> = rest.positions.iter().map(|p| vector(*p)).collect();
        for (from, count) in rest.strands() {
            // Of what comes after a point, itself with it: its mass, and that times where it is.
            let mut sums = vec![(0.0, DVec3::ZERO); count];
            for k in (from + 1..from + count).rev() {
                let local = rest.before(from, k);
                let up = from + local;
                let (mut m, mut moment) = sums[k - from];
                // What is held bears itself, and all that comes after it.
                if rest.held[k] {
                    (m, moment) = (0.0, DVec3::ZERO);
                } else {
                    (m, moment) = (m + mass[k], moment + mass[k] * at[k]);
                }
                sums[local].0 += m;
                sums[local].1 += moment;
                let [t, director] = frame(&rest.positions, directors, [up, k]);
                let [a, b] = rest.at_ends(&rest.stretch, [up, k]);
                let long = (at[k] - at[up]).length();
                let pull = 0.5 * (a + b) / self.length[k];
                self.length[k] = (long - m * gravity.dot(t) / pull).max(0.5 * long);
                let root = up == from;
                if root && !(rest.set && rest.held[from]) {
                    continue;
                }
                let wants = (moment - m * at[up]).cross(gravity);
                let own = axes([t, director]);
                // A wall at the root is turned as its segment is.
                let from = if root {
                    own
                } else {
                    axes(frame(&rest.positions, directors, [from + rest.before(from, up), up]))
                };
                let rigid = DVec3::new(self.bend[k], self.bend[k], self.twist[k]);
                if rigid.min_element() <= 0.0 {
                    continue;
                }
                // How far it is turned from rest, so that what that does is what is wanted: found by going on from none.
                let mut g = DVec3::ZERO;
                let mut rested = own;
                for _ in 0..TURNS {
                    let skew = DMat3::from_cols(
                        DVec3::new(0.0, g.z, -g.y),
                        DVec3::new(-g.z, 0.0, g.x),
                        DVec3::new(g.y, -g.x, 0.0),
                    );
                    let outer = DMat3::from_cols(g * g.x, g * g.y, g * g.z);
                    let by = DMat3::IDENTITY + 0.5 * skew + 0.25 * outer;
                    g = (by.inverse() * (rested.transpose() * wants) / rigid).clamp_length_max(MOST);
                    rested = turned(own, -g);
                }
                self.rest[k] = from.transpose() * rested;
            }
        }
    }
}

/// The rigidity of the turn to a segment over the length that it is for, N·m. Where strands do not branch, the number at the joint over half of
/// both segments about it, or over half of one at an end that is held. Where they do, half of the one before and half of its own in a row, and the
/// one before by so much more as others bend it too that are as stiff.
fn rigid(rest: &StrandRest, of: &[f32], length: &[f64]) -> Vec<f64> {
    let number = |k: usize| f64::from(of[k]);
    let mut out = vec![0.0; length.len()];
    for (from, count) in rest.strands() {
        // Of what comes after each point, all rigidities and the greatest.
        let mut beside = vec![(0.0, 0.0f64); count];
        for k in from + 1..from + count {
            let (sum, most) = &mut beside[rest.before(from, k)];
            (*sum, *most) = (*sum + number(k), most.max(number(k)));
        }
        for k in from + 1..from + count {
            let local = rest.before(from, k);
            let up = from + local;
            out[k] = match (local, rest.up.is_empty()) {
                (0, _) if !(rest.set && rest.held[from]) => 0.0,
                (0, straight) => number(if straight { from } else { k }) / (0.5 * length[k]),
                (_, true) => number(up) / (0.5 * (length[up] + length[k])),
                (_, false) => {
                    let (sum, most) = beside[local];
                    let give = |at: usize| 0.5 * length[at] / number(at);
                    let whole = give(up) * if most > 0.0 { sum / most } else { 1.0 } + give(k);
                    if whole.is_finite() { 1.0 / whole } else { 0.0 }
                }
            };
        }
    }
    out
}

fn blocks(rest: &StrandRest, directors: &[[f32; 3]], joints: &Joints) -> Vec<Block> {
    let mut all: Vec<(usize, usize)> = rest.strands().collect();
    // What branches alike together, else as they are given.
    let branches = |(from, count): &(usize, usize)| rest.up.get(*from..from + count).unwrap_or(&[]);
    let bears = |(from, count): &(usize, usize)| -> Vec<bool> {
        rest.blades.get(*from..from + count).unwrap_or(&[]).iter().map(|b| *b > 0.0).collect()
    };
    all.sort_by(|a, b| (a.1, branches(a), bears(a)).cmp(&(b.1, branches(b), bears(b))));
    all.chunk_by(|a, b| (a.1, branches(a), bears(a)) == (b.1, branches(b), bears(b)))
        .flat_map(|alike| alike.chunks(LANES))
        .map(|of| block(rest, directors, joints, of))
        .collect()
}

fn block(rest: &StrandRest, directors: &[[f32; 3]], joints: &Joints, of: &[(usize, usize)]) -> Block {
    let (one, points) = of[0];
    let first: [usize; LANES] = std::array::from_fn(|l| of.get(l).unwrap_or(&of[0]).0);
    let up: Vec<u32> =
        (0..points).map(|k| if k == 0 { 0 } else { rest.before(one, one + k) as u32 }).collect();
    let ends = |from: usize, k: usize| [from + up[k] as usize, from + k];
    let by_segment = |number: &dyn Fn(usize, usize) -> f64| -> Vec<L> {
        let at = |k: usize| L::of(first.map(|from| if k == 0 { 1.0 } else { number(from, k) }));
        (0..points).map(at).collect()
    };
    let mean = |of: &[f32], from: usize, k: usize| {
        let [a, b] = rest.at_ends(of, ends(from, k));
        0.5 * (a + b)
    };
    let wall = |k: usize| {
        let of = first.map(|from| frame(&rest.positions, directors, ends(from, k)));
        (k as u32, [0, 1].map(|v| V::of(of.map(|f| f[v].to_array()))))
    };
    // The far end is held in its turn too where nothing branches.
    let last = points - 1;
    let held = |from: usize| rest.set && rest.up.is_empty() && rest.held[from + last];
    let at_end = |of: &[f32]| {
        L::of(first.map(|from| {
            if held(from) { f64::from(of[from + last]) / (0.5 * joints.length[from + last]) } else { 0.0 }
        }))
    };
    let roots = (1..points).filter(|k| up[*k] == 0);
    let drags = |k: usize| rest.over[0].get(k).map_or(1.0, |o| f64::from(*o));
    let half = 0.5 * f64::from(AIR_DENSITY);
    let blade = |k: usize| {
        let area = |from: usize| rest.blades.get(from + k).map_or(0.0, |b| f64::from(*b));
        let by = |from: usize| half * area(from) * f64::from(rest.blade_drag) * drags(from + k);
        (area(one) > 0.0).then(|| L::of(first.map(by)))
    };
    Block {
        first: first.map(|p| p as u32),
        own: of.len(),
        points,
        length: by_segment(&|from, k| joints.length[from + k]),
        inverse: by_segment(&|from, k| 1.0 / joints.length[from + k]),
        pull: by_segment(&|from, k| mean(&rest.stretch, from, k) / joints.length[from + k]),
        bend: by_segment(&|from, k| joints.bend[from + k]),
        twist: by_segment(&|from, k| joints.twist[from + k]),
        rest: (0..points)
            .map(|k| [0, 1, 2].map(|c| V::of(first.map(|from| joints.rest[from + k].col(c).to_array()))))
            .collect(),
        end: first.into_iter().any(held).then(|| [at_end(&rest.bend), at_end(&rest.twist)]),
        caught: by_segment(&|from, k| {
            let [a, b] = ends(from, k);
            half * mean(&rest.width, from, k) * 0.5 * joints.length[b] * 0.5 * (drags(a) + drags(b))
        }),
        blades: if rest.blades.is_empty() { vec![] } else { (0..points).map(blade).collect() },
        walls: roots.map(wall).chain([wall(last)]).collect(),
        up,
    }
}
