//! Simple forms in place of a figure's skin: one a joint. A capsule where its skin is about as thick as it is wide, a flat box
//! where it is flat: a capsule would stand far out of a wing.
use crate::Figure;
use glam::{DMat3, DQuat, DVec3};

/// What of a joint's skin lies within its capsule.
const WITHIN: f64 = 0.85;
/// A share of a joint in a point from which on the point counts as its own.
const OWN: f32 = 0.5;
/// Skin points that a joint has at least, that a capsule is made of it.
const LEAST: usize = 4;

/// Thinner than this share of its width, a joint's skin is flat.
const FLAT: f64 = 0.35;
/// How thick a box is at least, metres.
const THIN: f64 = 0.004;

/// What stands in for the skin about a joint.
#[derive(Clone, Debug, PartialEq)]
pub struct StandIn {
    pub joint: usize,
    /// Of its middle, on the joint, metres.
    pub position: DVec3,
    /// On the joint: its long axis is y.
    pub turn: DQuat,
    pub form: Fitted,
}

/// Metres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Fitted {
    /// With the length of its straight part.
    Capsule { radius: f64, length: f64 },
    /// Across, along, and thick.
    Box { size: [f64; 3] },
}

/// One for each joint that holds skin of its own, fitted as the figure rests. Parts that no skin holds count for
/// what carries them.
pub fn stand_ins(figure: &Figure) -> Vec<StandIn> {
    let posed = figure.pose(None, 0.0);
    let mut places = vec![];
    figure.place(&posed, &mut places);
    let mut own: Vec<Vec<DVec3>> = vec![vec![]; figure.joints.len()];
    for (part, range) in figure.parts.iter().zip(figure.ranges()) {
        for (k, p) in places[range].iter().enumerate() {
            let p = DVec3::from(p.map(f64::from));
            let Some(skin) = part.skin.map(|s| &figure.skins[s]) else {
                if let Some(own) = own.get_mut(part.joint) {
                    own.push(p);
                }
                continue;
            };
            let w = &part.weights;
            let of = w.first[k] as usize..w.first[k + 1] as usize;
            let most = of.clone().max_by(|a, b| w.shares[*a].total_cmp(&w.shares[*b]).then(b.cmp(a)));
            if let Some(at) = most.filter(|at| w.shares[*at] >= OWN) {
                own[skin.joints[w.joints[at] as usize]].push(p);
            }
        }
    }
    let each = own.iter().enumerate().filter(|(_, p)| p.len() >= LEAST);
    each.filter_map(|(joint, points)| fit(figure, &posed, joint, points)).collect()
}

fn fit(figure: &Figure, posed: &crate::Posed, joint: usize, points: &[DVec3]) -> Option<StandIn> {
    let stand = figure.stand(posed, joint);
    let middle = points.iter().sum::<DVec3>() / points.len() as f64;
    // Toward where most of its skin lies, as seen from the joint; where that is the joint itself, along what it is longest in.
    let axis = longest(points, middle)?;
    let along: Vec<f64> = points.iter().map(|p| (*p - middle).dot(axis)).collect();
    let (lo, hi) = along.iter().fold((f64::MAX, f64::MIN), |(a, b), x| (a.min(*x), b.max(*x)));
    let from_axis = |p: &DVec3, s: f64| (*p - middle - axis * s).length();
    let mut far: Vec<f64> = points.iter().zip(&along).map(|(p, s)| from_axis(p, *s)).collect();
    far.sort_by(f64::total_cmp);
    let radius = far[((far.len() as f64 * WITHIN) as usize).min(far.len() - 1)].max(1e-3);
    let length = (hi - lo - 2.0 * radius).max(1e-3);
    let centre = middle + axis * (0.5 * (lo + hi));
    let back = stand.turn.conjugate();
    if let Some((turn, centre, size)) = flat(points, middle, axis) {
        let (position, turn) = (back * (centre - stand.position), crate::clip::unit(back * turn));
        return Some(StandIn { joint, position, turn, form: Fitted::Box { size } });
    }
    let turn = back * between(DVec3::Y, axis);
    let position = back * (centre - stand.position);
    let form = Fitted::Capsule { radius, length };
    (radius.is_finite() && length.is_finite()).then_some(StandIn { joint, position, turn, form })
}

/// The box of what is flat: its turn, its middle and its size. `None` where it is thick.
fn flat(points: &[DVec3], middle: DVec3, along: DVec3) -> Option<(DQuat, DVec3, [f64; 3])> {
    let beside: Vec<DVec3> = points.iter().map(|p| *p - along * (*p - middle).dot(along)).collect();
    let wide = longest(&beside, middle)?;
    let wide = (wide - along * wide.dot(along)).try_normalize()?;
    let axes = [wide, along, wide.cross(along)];
    let spans = axes.map(|axis| {
        let mut at: Vec<f64> = points.iter().map(|p| (*p - middle).dot(axis)).collect();
        at.sort_by(f64::total_cmp);
        // As much of it lies within as within a capsule.
        let out = (at.len() as f64 * 0.5 * (1.0 - WITHIN)) as usize;
        [at[out], at[at.len() - 1 - out]]
    });
    let size = spans.map(|[a, b]| b - a);
    if !size.iter().all(|s| s.is_finite()) || size[2] >= FLAT * size[0] {
        return None;
    }
    let centre = middle + axes.iter().zip(spans).map(|(x, [a, b])| *x * (0.5 * (a + b))).sum::<DVec3>();
    let turn = DQuat::from_mat3(&DMat3::from_cols(axes[0], axes[1], axes[2]));
    Some((crate::clip::unit(turn), centre, [size[0].max(THIN), size[1].max(THIN), size[2].max(THIN)]))
}

/// The direction in which points lie furthest apart, by the power method on their spread.
fn longest(points: &[DVec3], middle: DVec3) -> Option<DVec3> {
    let mut m = [[0.0f64; 3]; 3];
    for p in points {
        let d = *p - middle;
        (0..3).for_each(|r| (0..3).for_each(|c| m[r][c] += d[r] * d[c]));
    }
    let apply = |v: DVec3| DVec3::from([0, 1, 2].map(|r| (0..3).map(|c| m[r][c] * v[c]).sum()));
    let start = [DVec3::X, DVec3::Y, DVec3::Z];
    let mut v = start.into_iter().max_by(|a, b| apply(*a).length().total_cmp(&apply(*b).length()))?;
    for _ in 0..64 {
        v = apply(v).try_normalize()?;
    }
    Some(v)
}

/// The turn that takes one direction to another by the shorter way.
fn between(a: DVec3, b: DVec3) -> DQuat {
    let cos = a.dot(b);
    if cos < -1.0 + 1e-9 {
        return DQuat::from_xyzw(1.0, 0.0, 0.0, 0.0);
    }
    let c = a.cross(b);
    crate::clip::unit(DQuat::from_xyzw(c.x, c.y, c.z, 1.0 + cos))
}
