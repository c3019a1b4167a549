//! Readouts: numbers over time of chosen points of a body, from where they are in its frames alone.
use schemars::JsonSchema;
use serde::Serialize;

/// What is read of the mean of some points at a frame.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Reading {
    pub frame: i64,
    /// Where they are, metres.
    pub place: [f64; 3],
    /// How fast they go there, m/s.
    pub velocity: [f64; 3],
    /// The mean of how fast each goes by itself, m/s.
    pub speed: f64,
    /// How far they have come since the first frame, metres.
    pub way: f64,
}

/// The means of some points over frames that follow each other, told at `rate` frames a second; points that are not there are left out.
///
/// Velocities are differences to both sides, of second order; at either end of one side, of second order too (B. Fornberg, "Generation of Finite Difference
/// Formulas on Arbitrarily Spaced Grids", 1988).
pub fn readings(first: i64, rate: f64, frames: &[Vec<[f64; 3]>], points: &[u32]) -> Vec<Reading> {
    let at = |f: usize, p: u32| frames[f].get(p as usize).copied().filter(|p| !p[0].is_nan());
    let n = frames.len();
    let differ = |f: usize, p: u32| -> Option<[f64; 3]> {
        let weights: &[(usize, f64)] = match (f, n) {
            (_, 0 | 1) => &[],
            (0, 2) => &[(0, -1.0), (1, 1.0)],
            (1, 2) => &[(0, -1.0), (1, 1.0)],
            (0, _) => &[(0, -1.5), (1, 2.0), (2, -0.5)],
            (f, n) if f + 1 == n => &[(n - 3, 0.5), (n - 2, -2.0), (n - 1, 1.5)],
            (f, _) => &[(f - 1, -0.5), (f + 1, 0.5)],
        };
        let mut out = [0.0; 3];
        for (k, w) in weights {
            let p = at(*k, p)?;
            (0..3).for_each(|c| out[c] += w * rate * p[c]);
        }
        Some(out)
    };
    let mut way = 0.0;
    let mut before: Option<[f64; 3]> = None;
    (0..n)
        .map(|f| {
            let there: Vec<[f64; 3]> = points.iter().filter_map(|p| at(f, *p)).collect();
            let goes: Vec<[f64; 3]> = points.iter().filter_map(|p| differ(f, *p)).collect();
            let (place, velocity) = (mean(&there), mean(&goes));
            let speed = goes.iter().map(long).sum::<f64>() / goes.len().max(1) as f64;
            if let Some(b) = before {
                way += long(&std::array::from_fn(|c| place[c] - b[c]));
            }
            before = (!there.is_empty()).then_some(place);
            Reading { frame: first + f as i64, place, velocity, speed, way }
        })
        .collect()
}

fn mean(of: &[[f64; 3]]) -> [f64; 3] {
    let n = of.len().max(1) as f64;
    std::array::from_fn(|c| of.iter().map(|p| p[c]).sum::<f64>() / n)
}

fn long(v: &[f64; 3]) -> f64 {
    v.iter().map(|c| c * c).sum::<f64>().sqrt()
}

/// The longest lag that is looked for, seconds.
pub const LATEST: f64 = 2.0;

/// By how many frames one motion comes behind another: where their velocities are most alike, between frames by a parabola
/// (G. C. Knapp, G. C. Carter, "The Generalized Correlation Method for Estimation of Time Delay", 1976, without weights, but by what there is of both).
/// `None` where either rests, or they have nothing in common.
pub fn lag(leads: &[Reading], follows: &[Reading], most: usize) -> Option<f64> {
    let n = leads.len().min(follows.len());
    let power = |of: &[Reading]| of[..n].iter().map(|r| long(&r.velocity).powi(2)).sum::<f64>();
    if n < 3 || power(leads) * power(follows) <= 1e-24 {
        return None;
    }
    // Of what overlaps, by how much there is of both in it: a copy that comes later is wholly alike where it is met, and nowhere else.
    let alike = |by: i64| -> f64 {
        let pairs = (0..n as i64).filter_map(|k| {
            let a = usize::try_from(k - by).ok().filter(|a| *a < n)?;
            let (u, v) = (leads[a].velocity, follows[k as usize].velocity);
            let dot = |p: [f64; 3], q: [f64; 3]| (0..3).map(|c| p[c] * q[c]).sum::<f64>();
            Some([dot(u, v), dot(u, u), dot(v, v)])
        });
        let sums = pairs.fold([0.0; 3], |s, p| std::array::from_fn(|c| s[c] + p[c]));
        sums[0] / (sums[1] * sums[2]).sqrt().max(1e-12)
    };
    let most = most.min(n / 2) as i64;
    let best = (-most..=most).max_by(|a, b| alike(*a).total_cmp(&alike(*b)))?;
    if alike(best) < 0.2 {
        return None;
    }
    let [a, b, c] = [best - 1, best, best + 1].map(alike);
    let bent = a - 2.0 * b + c;
    let between = if bent < 0.0 { (0.5 * (a - c) / bent).clamp(-0.5, 0.5) } else { 0.0 };
    Some(best as f64 + between)
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use std::f64::consts::TAU;

    const RATE: f64 = 24.0;

    fn swing(frames: usize, period: f64, late: f64) -> Vec<Vec<[f64; 3]>> {
        let at = |f: usize| {
            let a = 0.3 * (TAU * (f as f64 - late) / RATE / period).cos();
            vec![[a.sin(), -a.cos(), 0.0], [f64::NAN; 3]]
        };
        (0..frames).map(at).collect()
    }

    #[test]
    fn a_pendulums_speed_is_read_within_a_percent_of_its_greatest() {
        let period = 2.0;
        let frames = swing(97, period, 0.0);
        let read = readings(10, RATE, &frames, &[0]);
        for (k, r) in read.iter().enumerate() {
            let t = k as f64 / RATE;
            let wanted = 0.3 * TAU / period * (TAU * t / period).sin();
            let most = 0.3 * TAU / period;
            assert!(
                (r.speed - wanted.abs()).abs() < 0.01 * most,
                "frame {}: {} for {wanted}",
                r.frame,
                r.speed
            );
        }
        assert_eq!((read[0].frame, read[96].frame), (10, 106));
        // Two periods of four quarters.
        let arc = 8.0 * 0.3;
        assert!((read[96].way - arc).abs() < 0.01 * arc, "{} of {arc}", read[96].way);
    }

    #[test]
    fn a_lag_is_read_between_frames_and_none_where_nothing_moves() {
        let of = |late: f64| readings(0, RATE, &swing(145, 2.0, late), &[0]);
        for late in [0.0, 1.0, 3.4, 7.75] {
            let read = lag(&of(0.0), &of(late), 20).unwrap();
            assert!((read - late).abs() < 0.01 * late.max(5.0), "{read} for {late}");
            let back = lag(&of(late), &of(0.0), 20).unwrap();
            assert!((back + late).abs() < 0.01 * late.max(5.0), "{back} for -{late}");
        }
        let still = readings(0, RATE, &vec![vec![[1.0, 2.0, 3.0]]; 30], &[0]);
        assert_eq!(lag(&still, &of(0.0), 20), None);
    }

    #[test]
    fn what_is_not_there_is_left_out() {
        let frames = vec![
            vec![[0.0; 3], [f64::NAN; 3]],
            vec![[0.1, 0.0, 0.0], [5.0; 3]],
            vec![[0.2, 0.0, 0.0], [5.0; 3]],
        ];
        let read = readings(0, 10.0, &frames, &[0, 1]);
        assert!((read[0].place[0]).abs() < 1e-12 && (read[1].place[0] - 2.55).abs() < 1e-12);
        assert!((read[0].speed - 1.0).abs() < 1e-9, "{}", read[0].speed);
        assert!(readings(0, 10.0, &[], &[0]).is_empty());
        assert!(readings(0, 10.0, &frames[..1], &[0])[0].speed.abs() < 1e-12);
    }
}
