//! What is done to a computed surface to look finished, and never computed: evened out, smoothed by subdivision, and as thick as it is.
use crate::net::Net;
use crate::{Mesh, Rows};

/// What is done to a surface.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Finishing {
    /// Evened out, so many rounds of it.
    Even(u32),
    /// Cut finer and smoothed, so many times.
    Smooth(u32),
    /// As thick as that, metres.
    Thick(f64),
}

/// How a surface is to be finished.
#[derive(Clone, Debug, Default)]
pub struct Finishings<'a> {
    /// In the order in which it is done.
    pub order: Vec<Finishing>,
    /// Edges whose faces at rest stand at more than that to each other stay sharp, rad.
    pub crease: f64,
    /// Of each point the share of the thickness that it has; all of it where there are none.
    pub share: Option<&'a [f32]>,
    /// Of each point how much it is left out: what of a face is over a half at all of its points is not there.
    pub hidden: Option<&'a [f32]>,
}

/// One step on the way from the computed points to the finished ones.
#[derive(Clone, Debug)]
pub enum Step {
    /// Points are of those before, so many times over.
    Rows { rows: Rows, times: u32 },
    /// Points stand off to both sides of the surface, those over it first.
    Thick {
        /// Half of the thickness at each point, metres.
        half: Vec<f32>,
        surface: Vec<[u32; 3]>,
        /// Where each point is at rest, for what lies on itself.
        rest: Vec<[f32; 3]>,
    },
}

/// A finished surface.
#[derive(Clone, Debug)]
pub struct Finish {
    /// At rest.
    pub mesh: Mesh,
    pub steps: Vec<Step>,
}

impl Finish {
    /// A mesh, finished. With nothing to do it is the mesh as it is.
    pub fn of(mesh: &Mesh, by: &Finishings) -> Finish {
        let mut net = Net::of(mesh, by.crease);
        let (mut steps, mut at) = (vec![], mesh.positions.clone());
        let mut share = by.share.map_or_else(|| vec![1.0; net.points], <[f32]>::to_vec);
        let go = |rows: Rows, times: u32, at: &mut Vec<[f32; 3]>, share: &mut Vec<f32>| {
            for _ in 0..times {
                (*at, *share) = (rows.apply(at), rows.spread(share));
            }
            Step::Rows { rows, times }
        };
        if let Some(hidden) = by.hidden {
            let (left, rows) = net.without(|p| hidden.get(p as usize).is_none_or(|w| *w <= 0.5));
            net = left;
            steps.push(go(rows, 1, &mut at, &mut share));
        }
        for own in &by.order {
            match *own {
                Finishing::Even(0) | Finishing::Smooth(0) => {}
                Finishing::Even(times) => steps.push(go(net.evened(), times, &mut at, &mut share)),
                Finishing::Smooth(times) => {
                    let (mut all, mut next) = (None, net);
                    for _ in 0..times {
                        let (finer, rows) = next.divided();
                        all = Some(all.map_or_else(|| rows.clone(), |before| rows.after(&before)));
                        next = finer;
                    }
                    net = next;
                    steps.extend(all.map(|rows| go(rows, 1, &mut at, &mut share)));
                }
                Finishing::Thick(thickness) if thickness > 0.0 => {
                    let half = share.iter().map(|s| (0.5 * thickness) as f32 * s.clamp(0.0, 1.0)).collect();
                    let step = Step::Thick { half, surface: net.mesh().triangles, rest: at.clone() };
                    at = step.frame(&at);
                    share.extend(share.clone());
                    steps.push(step);
                    net = net.thick();
                }
                Finishing::Thick(_) => {}
            }
        }
        if steps.is_empty() {
            return Finish { mesh: mesh.clone(), steps };
        }
        Finish { mesh: Mesh { positions: at, ..net.mesh() }, steps }
    }

    /// Where its points are when the computed ones are there.
    pub fn frame(&self, now: &[[f32; 3]]) -> Vec<[f32; 3]> {
        self.steps.iter().fold(now.to_vec(), |at, step| step.frame(&at))
    }
}

impl Step {
    fn frame(&self, now: &[[f32; 3]]) -> Vec<[f32; 3]> {
        match self {
            Step::Rows { rows, times } => (0..*times).fold(now.to_vec(), |at, _| rows.apply(&at)),
            Step::Thick { half, surface, rest } => {
                let up = ups(now, surface);
                let [over, under] = room(now, &up, half, surface, rest);
                let off = |by: &[f32], sign: f32| {
                    let each = now.iter().zip(&up).zip(by);
                    each.map(|((p, n), h)| std::array::from_fn(|k| p[k] + sign * h * n[k]))
                        .collect::<Vec<[f32; 3]>>()
                };
                let mut out = off(&over, 1.0);
                out.extend(off(&under, -1.0));
                out
            }
        }
    }
}

/// The normal of each point by the areas about it, of length 1; nothing where there is none.
fn ups(at: &[[f32; 3]], surface: &[[u32; 3]]) -> Vec<[f32; 3]> {
    let mut up = vec![[0.0f64; 3]; at.len()];
    for t in surface {
        let [a, b, c] = t.map(|p| at[p as usize].map(f64::from));
        let (u, v): ([f64; 3], [f64; 3]) =
            (std::array::from_fn(|k| b[k] - a[k]), std::array::from_fn(|k| c[k] - a[k]));
        let n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
        t.iter().for_each(|p| (0..3).for_each(|k| up[*p as usize][k] += n[k]));
    }
    let unit = |n: [f64; 3]| {
        let l = (n[0] * n[0] + n[1] * n[1] + n[2] * n[2]).sqrt().max(1e-30);
        n.map(|c| (c / l) as f32)
    };
    up.into_iter().map(unit).collect()
}

/// An edge of what stands off keeps so much of its length in the inside of a bend.
const LEAST: f32 = 0.2;
/// Points that at rest are nearer than so many thicknesses do not lie on each other.
const APART: f32 = 3.0;

/// How far each point may stand off, over and under: no farther than where what stands off would turn round in the inside of a bend, and no farther than
/// nearly half of the way to what lies on it.
fn room(
    at: &[[f32; 3]],
    up: &[[f32; 3]],
    half: &[f32],
    surface: &[[u32; 3]],
    rest: &[[f32; 3]],
) -> [Vec<f32>; 2] {
    let mut out = [half.to_vec(), half.to_vec()];
    let by = |a: [f32; 3], b: [f32; 3]| -> [f32; 3] { std::array::from_fn(|k| b[k] - a[k]) };
    let dot = |a: [f32; 3], b: [f32; 3]| a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
    for t in surface {
        for k in 0..3 {
            let (p, q) = (t[k] as usize, t[(k + 1) % 3] as usize);
            let d = by(at[p], at[q]);
            // Along the edge, so much of its length is lost for each length that its ends stand off.
            let bent = dot(d, by(up[p], up[q]));
            let most = (1.0 - LEAST) * dot(d, d) / bent.abs().max(1e-30);
            let side = &mut out[usize::from(bent > 0.0)];
            side[p] = side[p].min(most);
            side[q] = side[q].min(most);
        }
    }
    let widest = 2.0 * half.iter().copied().fold(0.0f32, f32::max);
    if widest <= 0.0 {
        return out;
    }
    // Points by cells twice as wide as it is thick, as lists: what is near one lies in two of them each way.
    let per = 0.5 / widest;
    let mask = (2 * at.len() + 1).next_power_of_two() - 1;
    let list = |[x, y, z]: [i32; 3]| {
        let mixed = x.wrapping_mul(73_856_093) ^ y.wrapping_mul(19_349_663) ^ z.wrapping_mul(83_492_791);
        mixed.cast_unsigned() as usize & mask
    };
    let cell = |p: [f32; 3], by: f32| p.map(|c| ((c + by) * per).floor() as i32);
    const NONE: u32 = u32::MAX;
    let (mut first, mut next) = (vec![NONE; mask + 1], vec![NONE; at.len()]);
    for (k, p) in at.iter().enumerate() {
        let own = list(cell(*p, 0.0));
        next[k] = std::mem::replace(&mut first[own], k as u32);
    }
    for (p, place) in at.iter().enumerate() {
        let (low, high) = (cell(*place, -widest), cell(*place, widest));
        for k in 0..8 {
            let own: [i32; 3] = std::array::from_fn(|c| if k >> c & 1 == 0 { low[c] } else { high[c] });
            if (0..3).any(|c| k >> c & 1 == 1 && low[c] == high[c]) {
                continue;
            }
            let mut q = first[list(own)];
            while q != NONE {
                let other = q as usize;
                q = next[other];
                let d = by(*place, at[other]);
                let far = dot(d, d);
                let own = by(rest[p], rest[other]);
                if far >= widest * widest || dot(own, own) < (APART * widest).powi(2) {
                    continue;
                }
                let (off, far) = (dot(d, up[p]), far.sqrt());
                // Of what lies over it the height counts, of what lies aside how far away that is.
                let gap = if off.abs() > 0.5 * far { off.abs() } else { far };
                let side = &mut out[usize::from(off < 0.0)];
                side[p] = side[p].min(0.48 * gap);
            }
        }
    }
    out
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)]
    use super::*;
    use crate::{check, sheet};
    use std::collections::BTreeMap;

    fn plan(smooth: u32, thickness: f64) -> Finishings<'static> {
        Finishings {
            order: vec![Finishing::Smooth(smooth), Finishing::Thick(thickness)],
            crease: 1.0,
            ..Default::default()
        }
    }

    fn volume(m: &Mesh) -> f64 {
        let at = |p: u32| m.positions[p as usize].map(f64::from);
        let each = m.triangles.iter().map(|t| {
            let [a, b, c] = t.map(at);
            a[0] * (b[1] * c[2] - b[2] * c[1])
                + a[1] * (b[2] * c[0] - b[0] * c[2])
                + a[2] * (b[0] * c[1] - b[1] * c[0])
        });
        each.sum::<f64>() / 6.0
    }

    #[test]
    fn a_sheet_as_thick_as_it_is_is_closed_and_holds_its_area_times_that() {
        let m = sheet(1.0, 0.6, 9, 7);
        for smooth in [0, 1, 2] {
            let f = Finish::of(&m, &plan(smooth, 0.01));
            assert_eq!(check(&f.mesh, 100_000), Ok(()), "smoothed {smooth} times");
            let mut uses: BTreeMap<[u32; 2], i32> = BTreeMap::new();
            for t in &f.mesh.triangles {
                for k in 0..3 {
                    let (a, b) = (t[k], t[(k + 1) % 3]);
                    *uses.entry([a.min(b), a.max(b)]).or_default() += if a < b { 1 } else { -1 };
                }
            }
            assert!(uses.values().all(|u| *u == 0), "each edge once each way");
            let v = volume(&f.mesh);
            assert!((v - 0.006).abs() < 1e-6, "{v}");
            assert_eq!(f.mesh.uv_triangles.len(), f.mesh.triangles.len());
        }
    }

    #[test]
    fn it_goes_along_with_the_points_and_none_of_it_is_the_points_themselves() {
        let m = sheet(1.0, 1.0, 6, 6);
        let plain = Finish::of(&m, &plan(0, 0.0));
        assert_eq!(plain.mesh.positions, m.positions);
        assert_eq!(plain.mesh.triangles, m.triangles);
        // Moved and turned, it is the same moved and turned.
        let by = |p: &[f32; 3]| [3.0 - p[2], p[1] + 2.0, p[0] - 1.0];
        let moved: Vec<[f32; 3]> = m.positions.iter().map(by).collect();
        let thick = Finish::of(&m, &plan(1, 0.02));
        for (a, b) in thick.frame(&moved).iter().zip(&thick.mesh.positions) {
            let b = by(b);
            assert!((0..3).all(|c| (a[c] - b[c]).abs() < 1e-5), "{a:?} {b:?}");
        }
    }

    /// A strip that is folded back on itself about a line, so far apart.
    fn folded(apart: f32) -> (Mesh, Vec<[f32; 3]>) {
        let m = sheet(0.4, 0.1, 41, 11);
        let r = 0.5 * apart;
        let bent = m.positions.iter().map(|p| {
            let way = p[0];
            let (x, y) = match way {
                w if w < 0.0 => (w, -r),
                w if w > std::f32::consts::PI * r => (std::f32::consts::PI * r - w, r),
                w => (r * (w / r).sin(), -r * (w / r).cos()),
            };
            [x, y, p[2]]
        });
        let now = bent.collect();
        (m, now)
    }

    /// The closest that the two layers of a folded strip come by their finished points, and how many of its edges have turned round.
    fn crossings(f: &Finish, now: &[[f32; 3]]) -> usize {
        let at = f.frame(now);
        let n = f.mesh.positions.len() / 2;
        // Between the layers, what stands off above the lower one stays under what stands off beneath the upper one.
        let inner = |k: usize| if at[k][1].abs() < at[k + n][1].abs() { at[k] } else { at[k + n] };
        (0..n)
            .filter(|k| {
                let rest = f.mesh.positions[*k][0];
                let side = if rest < 0.0 { -1.0 } else { 1.0 };
                !(-0.05..=0.05).contains(&rest) && inner(*k)[1] * side < 0.0
            })
            .count()
    }

    #[test]
    fn what_lies_on_itself_stands_off_no_farther_than_there_is_room() {
        let (m, now) = folded(0.01);
        for (thickness, crosses) in [(0.004, 0), (0.02, 0)] {
            let f = Finish::of(&m, &plan(0, thickness));
            assert_eq!(crossings(&f, &now), crosses, "{thickness} m thick");
        }
        // And where it lies flat it is as thick as it is.
        let f = Finish::of(&m, &plan(0, 0.02));
        let flat = f.frame(&m.positions);
        let n = m.positions.len();
        assert!((0..n).all(|k| (flat[k][1] - flat[k + n][1] - 0.02).abs() < 1e-5));
    }

    #[test]
    fn the_inside_of_a_bend_does_not_turn_round() {
        let (m, now) = folded(0.03);
        let f = Finish::of(&m, &plan(0, 0.05));
        let at = f.frame(&now);
        let n = m.positions.len();
        for t in &m.triangles {
            for k in 0..3 {
                let (p, q) = (t[k] as usize, t[(k + 1) % 3] as usize);
                for side in [0, n] {
                    let along: f32 =
                        (0..3).map(|c| (at[q + side][c] - at[p + side][c]) * (now[q][c] - now[p][c])).sum();
                    assert!(along > 0.0, "an edge turned round");
                }
            }
        }
    }

    /// A box of quads.
    fn cube() -> Mesh {
        let at = |k: u32| [0, 1, 2].map(|c| if k >> c & 1 == 1 { 0.5 } else { -0.5 });
        let quads = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
        Mesh {
            positions: (0..8).map(at).collect(),
            triangles: quads.iter().flat_map(|q| [[q[0], q[1], q[2]], [q[0], q[2], q[3]]]).collect(),
            faces: vec![2; 6],
            ..Mesh::default()
        }
    }

    fn smoothed(crease: f64) -> Finish {
        Finish::of(&cube(), &Finishings { order: vec![Finishing::Smooth(3)], crease, ..Default::default() })
    }

    #[test]
    fn quads_stay_quads_are_rounded_and_creases_stay_sharp() {
        let round = smoothed(3.0);
        assert_eq!(round.mesh.outlines().len(), 6 * 64);
        assert!(round.mesh.outlines().iter().all(|f| f.points.len() == 4));
        assert_eq!(check(&round.mesh, 100_000), Ok(()));
        // The first cut of a cube of side 1, by hand: a corner comes to (Q + 2R) / 3 + 0 = 5/18 of a side from the middle each way.
        let once = Finish::of(
            &cube(),
            &Finishings { order: vec![Finishing::Smooth(1)], crease: 3.0, ..Default::default() },
        );
        assert!(
            once.mesh.positions[0].iter().all(|c| (c.abs() - 5.0 / 18.0).abs() < 1e-6),
            "{:?}",
            once.mesh.positions[0]
        );
        assert!((volume(&round.mesh) - 0.33).abs() < 0.02, "{}", volume(&round.mesh));
        // With its edges sharp it stays a cube.
        let sharp = smoothed(1.0);
        assert!((volume(&sharp.mesh) - 1.0).abs() < 1e-5, "{}", volume(&sharp.mesh));
    }

    #[test]
    fn evened_out_a_rough_sheet_is_smoother_keeps_its_borders_and_does_not_shrink() {
        let m = sheet(1.0, 1.0, 31, 31);
        let f = Finish::of(
            &m,
            &Finishings { order: vec![Finishing::Even(8)], crease: 1.0, ..Default::default() },
        );
        // A long wave stays, a ripple from point to point goes.
        let wave = |long: f32| {
            let bent = m.positions.iter().map(|p| [p[0], 0.02 * (long * p[0]).sin(), p[2]]);
            f.frame(&bent.collect::<Vec<_>>())
        };
        let most = |at: &[[f32; 3]]| at.iter().map(|p| p[1].abs()).fold(0.0, f32::max);
        assert!(most(&wave(6.0)) > 0.0195, "{}", most(&wave(6.0)));
        let within = |at: &[[f32; 3]]| {
            at.iter()
                .zip(&m.positions)
                .filter(|(_, r)| r[0].abs() < 0.4 && r[2].abs() < 0.4)
                .map(|(p, _)| p[1].abs())
                .fold(0.0, f32::max)
        };
        assert!(within(&wave(90.0)) < 0.004, "{}", within(&wave(90.0)));
        for (p, q) in f.frame(&m.positions).iter().zip(&m.positions) {
            assert!((0..3).all(|c| (p[c] - q[c]).abs() < 1e-5), "what is flat stays: {p:?} {q:?}");
        }
    }

    #[test]
    fn a_map_makes_it_thinner_and_another_leaves_some_of_it_out() {
        let m = sheet(1.0, 1.0, 11, 11);
        let left: Vec<f32> = m.positions.iter().map(|p| if p[0] < -0.01 { 1.0 } else { 0.0 }).collect();
        let f = Finish::of(&m, &Finishings { share: Some(&left), ..plan(0, 0.1) });
        assert!((volume(&f.mesh) - 0.045).abs() < 0.001, "{}", volume(&f.mesh));
        let half = Finish::of(&m, &Finishings { hidden: Some(&left), ..plan(1, 0.1) });
        assert_eq!(check(&half.mesh, 100_000), Ok(()));
        assert!((volume(&half.mesh) - 0.06).abs() < 1e-3, "{}", volume(&half.mesh));
        assert!(half.frame(&m.positions).iter().all(|p| p[0] > -0.11));
    }

    #[test]
    fn thick_before_it_is_smoothed_its_rim_is_rounded_off() {
        let m = sheet(1.0, 1.0, 11, 11);
        let order = vec![Finishing::Thick(0.05), Finishing::Smooth(2)];
        let round = Finish::of(&m, &Finishings { order, crease: 3.0, ..Default::default() });
        let square = Finish::of(&m, &plan(2, 0.05));
        assert_eq!(round.mesh.triangles.len(), square.mesh.triangles.len() + 4 * 10 * (4 * 4 - 4) * 2);
        assert!(volume(&round.mesh) < 0.99 * volume(&square.mesh));
    }
}
