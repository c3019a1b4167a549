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
use glam::DVec3;

/// Contact fills up groups with them.
const SPARES: usize = 8;

pub(crate) fn build(rest: &StrandRest) -> Result<Body, BuildError> {
    rest.check()?;
    let n = rest.positions.len();
    let mut mass = vec![0.0f64; n];
    let mut area = vec![0.0f32; n];
    let mut segments = vec![];
    let mut features = Features::default();
    let mut directors = vec![[0.0f32; 3]; n];
    for (strand, (from, count)) in rest.strands().enumerate() {
        let stands = from + rest.rooted.get(strand).map_or(0, |k| *k as usize);
        for k in from..from + count - 1 {
            let length = apart(rest.shape()[k], rest.shape()[k + 1]);
            let mean = |of: &[f32]| 0.5 * (of[k] + of[k + 1]);
            for (end, other) in [(k, k + 1), (k + 1, k)] {
                // Half of the segment, which is as heavy as it is thick there.
                let of = |v: &[f32]| 0.75 * v[end] + 0.25 * v[other];
                mass[end] += 0.5 * length * f64::from(of(&rest.line_density));
                area[end] += 0.5 * (length as f32) * of(&rest.width);
            }
            let numbers = [length as f32, mean(&rest.stretch), mean(&rest.bend), mean(&rest.twist)];
            segments.push((k as u32, numbers));
            // A segment at a root that is held stands in what it grows from.
            if k >= stands && !(k == from && rest.held[k]) {
                features.segments.push([k as u32, k as u32 + 1]);
            }
        }
        director_along(&rest.positions[from..from + count], &mut directors[from..from + count]);
    }
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
        blocks: blocks(rest, &directors),
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
        comes: false,
        apart: (lengths / rods.segments.len() as f64) as f32,
        damping: rest.damping,
        damped: vec![],
        airy: rest.drag > 0.0,
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

/// A director for each segment of a strand, carried along it without a twist from one that depends on the way of the first alone.
fn director_along(p: &[[f32; 3]], out: &mut [[f32; 3]]) {
    let mut was: Option<(DVec3, DVec3)> = None;
    for k in 0..p.len() - 1 {
        let t = (vector(p[k + 1]) - vector(p[k])).normalize();
        let m = match was {
            None => t.any_orthonormal_vector(),
            Some((before, m)) => carried(m, before, t),
        };
        was = Some((t, m));
        out[k] = m.as_vec3().to_array();
    }
}

/// A director that goes with its segment from one way to another by the shortest turn.
fn carried(m: DVec3, from: DVec3, to: DVec3) -> DVec3 {
    let per = 1.0 + from.dot(to);
    let m = if per > 1e-9 { m - (m.dot(to) / per) * (from + to) } else { m };
    (m - m.dot(to) * to).normalize_or(to.any_orthonormal_vector())
}

/// The way of a segment and its director, at right angles.
fn frame(p: &[[f32; 3]], directors: &[[f32; 3]], k: usize) -> [DVec3; 2] {
    let t = (vector(p[k + 1]) - vector(p[k])).normalize();
    let m = vector(directors[k]);
    [t, (m - m.dot(t) * t).normalize()]
}

/// The turn from a frame to another: 2 tan(φ/2) along its axis, as either has it. Frames are a segment's way and director.
pub(super) fn turn([t, m]: [DVec3; 2], [u, o]: [DVec3; 2]) -> DVec3 {
    let (a, b) = ([m, t.cross(m), t], [o, u.cross(o), u]);
    let r = |j: usize, k: usize| a[j].dot(b[k]);
    let per = 2.0 / (1.0 + r(0, 0) + r(1, 1) + r(2, 2)).max(1e-3);
    per * DVec3::new(r(2, 1) - r(1, 2), r(0, 2) - r(2, 0), r(1, 0) - r(0, 1))
}

fn blocks(rest: &StrandRest, directors: &[[f32; 3]]) -> Vec<Block> {
    let mut all: Vec<(usize, usize)> = rest.strands().collect();
    // Of one length together, else as they are given.
    all.sort_by_key(|(_, count)| *count);
    all.chunk_by(|a, b| a.1 == b.1)
        .flat_map(|alike| alike.chunks(LANES))
        .map(|of| block(rest, directors, of))
        .collect()
}

fn block(rest: &StrandRest, directors: &[[f32; 3]], of: &[(usize, usize)]) -> Block {
    let points = of[0].1;
    let first: [usize; LANES] = std::array::from_fn(|l| of.get(l).unwrap_or(&of[0]).0);
    let frame = |k: usize| frame(&rest.positions, directors, k);
    let length = |k: usize| apart(rest.shape()[k], rest.shape()[k + 1]);
    let numbers = |number: &dyn Fn(usize) -> f64, k: usize| L::of(first.map(|p| number(p + k)));
    let by_segment =
        |number: &dyn Fn(usize) -> f64| (0..points - 1).map(|k| numbers(number, k)).collect::<Vec<L>>();
    let mean = |of: &[f32], k: usize| 0.5 * (f64::from(of[k]) + f64::from(of[k + 1]));
    // Over half of both segments about a point; over half of one at an end that is held.
    let over = |k: usize, from: usize| match k - from {
        0 => 0.5 * length(k),
        at if at == points - 1 => 0.5 * length(k - 1),
        _ => 0.5 * (length(k - 1) + length(k)),
    };
    let rigid = |of: &[f32]| -> Vec<L> {
        let one = |k: usize, p: usize| {
            let inside = k > 0 && k < points - 1;
            let there = inside || (rest.set && rest.held[p + k]);
            if there { f64::from(of[p + k]) / over(p + k, p) } else { 0.0 }
        };
        (0..points).map(|k| L::of(first.map(|p| one(k, p)))).collect()
    };
    // The rest shape has directors of its own, that nothing twists either.
    let mut of_shape = vec![];
    let each = first.map(|p| {
        of_shape.resize(points, [0.0; 3]);
        director_along(&rest.shape()[p..p + points], &mut of_shape);
        let at = |k: usize| self::frame(&rest.shape()[p..p + points], &of_shape, k);
        (1..points - 1).map(|k| turn(at(k - 1), at(k)).to_array()).collect::<Vec<_>>()
    });
    let turned = |k: usize| match k > 0 && k < points - 1 {
        true => V::of(std::array::from_fn(|l| each[l][k - 1])),
        false => V::default(),
    };
    let end = |k: usize| {
        let of = first.map(|p| frame(p + k));
        [0, 1].map(|v| V::of(of.map(|f| f[v].to_array())))
    };
    let drags = |k: usize| rest.over[0].get(k).map_or(1.0, |o| f64::from(*o));
    let half = 0.5 * f64::from(AIR_DENSITY);
    Block {
        first: first.map(|p| p as u32),
        own: of.len(),
        points,
        length: by_segment(&length),
        inverse: by_segment(&|k| 1.0 / length(k)),
        pull: by_segment(&|k| mean(&rest.stretch, k) / length(k)),
        bend: rigid(&rest.bend),
        twist: rigid(&rest.twist),
        turn: (0..points).map(turned).collect(),
        caught: by_segment(&|k| {
            half * mean(&rest.width, k) * 0.5 * length(k) * 0.5 * (drags(k) + drags(k + 1))
        }),
        ends: [end(0), end(points - 2)],
    }
}
