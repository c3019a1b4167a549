use crate::harness::{SheetOf, plain, within};
use nematon_air::{Air, TurbulenceNow as Turbulence, WindNow as Wind};
use nematon_solver::Matter;

fn rollers() -> Turbulence {
    Turbulence {
        strength: 2.0,
        size: 1.0,
        pace: 0.5,
        drift: [0.0; 3],
        octaves: 3,
        seed: 7,
        ..Default::default()
    }
}

fn air(t: &Turbulence, time: f64) -> Air {
    Air::at(&[t.clone().into()], None, time)
}

fn places() -> Vec<[f32; 3]> {
    (0..4000)
        .map(|k| {
            let k = k as f32;
            [(k * 0.37) % 7.1, (k * 0.73) % 5.3, (k * 0.11) % 6.7]
        })
        .collect()
}

#[test]
fn wind_at_rest_relative_to_the_cloth_does_nothing() {
    let s = SheetOf { size: [1.0, 1.0], points: [20, 20], upright: false };
    let mut t = s.of(Matter { drag: 1.28, lift: 0.8, ..plain() }, |_, _| false);
    t.frame.gravity = [0.0; 3];
    t.frame.fields = vec![
        Wind { velocity: [3.0, 1.0, -2.0], gust: 0.0, gust_period: 2.0, seed: 0, ..Default::default() }
            .into(),
    ];
    t.state.set_velocities(&t.cloth, |_| [3.0, 1.0, -2.0]);
    t.run(24);
    for (axis, v) in [(0, 3.0), (1, 1.0), (2, -2.0)] {
        assert!((t.mean_velocity(axis) - v).abs() < 3e-4, "{} where {v} was", t.mean_velocity(axis));
    }
    let flat = t.positions().iter().map(|p| (f64::from(p[1]) - t.mean(1)).abs()).fold(0.0, f64::max);
    assert!(flat < 1e-4, "bent by {flat}");
}

#[test]
fn wind_carries_a_free_sheet_up_to_its_own_speed_and_no_further() {
    let s = SheetOf { size: [1.0, 1.0], points: [12, 12], upright: true };
    let mut t = s.of(Matter { drag: 1.28, ..plain() }, |_, _| false);
    t.frame.gravity = [0.0; 3];
    t.frame.fields = vec![
        Wind { velocity: [0.0, 0.0, 5.0], gust: 0.0, gust_period: 2.0, seed: 0, ..Default::default() }.into(),
    ];
    t.run(24 * 6);
    let v = t.mean_velocity(2);
    assert!(v > 4.7 && v < 5.001, "{v}");
}

#[test]
fn turbulence_is_free_of_divergence() {
    let t = rollers();
    let ratio = |h: f32| {
        let a = air(&t, 1.3);
        let (mut div, mut grad) = (0.0f64, 0.0f64);
        let places = places();
        let shifted = |axis: usize, by: f32| -> Vec<[f32; 3]> {
            places
                .iter()
                .map(|p| {
                    let mut q = *p;
                    q[axis] += by;
                    q
                })
                .collect()
        };
        let d: Vec<Vec<[f64; 3]>> = (0..3)
            .map(|axis| {
                let (p, m) = (a.velocities(&shifted(axis, h)), a.velocities(&shifted(axis, -h)));
                p.iter()
                    .zip(&m)
                    .map(|(p, m)| std::array::from_fn(|c| f64::from(p[c] - m[c]) / (2.0 * f64::from(h))))
                    .collect()
            })
            .collect();
        for k in 0..places.len() {
            div += (d[0][k][0] + d[1][k][1] + d[2][k][2]).powi(2);
            grad += (0..3)
                .flat_map(|a| (0..3).map(move |c| (a, c)))
                .map(|(a, c)| d[a][k][c].powi(2))
                .sum::<f64>();
        }
        (div / grad).sqrt()
    };
    // k h = 0.1 for the shortest waves: size / 4, three quarters of it.
    let h = (0.1 / (std::f64::consts::TAU * 4.0 * 4.0 / 3.0)) as f32;
    let (one, half) = (ratio(h * 4.0), ratio(h * 2.0));
    println!("divergence {one} {half}");
    assert!(ratio(h) < 0.01);
    assert!(one < 0.16 && (3.2..4.8).contains(&(one / half)), "{one} {half}");
}

#[test]
fn turbulence_has_the_strength_asked_for_and_no_mean() {
    let v = air(&rollers(), 0.4).velocities(
        &(0..60_000)
            .map(|k| {
                let k = k as f32;
                [(k * 0.377) % 71.0, (k * 0.731) % 53.0, (k * 0.113) % 67.0]
            })
            .collect::<Vec<_>>(),
    );
    let rms = (v.iter().flatten().map(|c| f64::from(*c).powi(2)).sum::<f64>() / v.len() as f64).sqrt();
    within("root mean square", rms, 2.0, 0.05);
    for c in 0..3 {
        assert!((v.iter().map(|v| f64::from(v[c])).sum::<f64>() / v.len() as f64).abs() < 0.05);
    }
}

#[test]
fn drift_carries_the_pattern_and_pace_renews_it() {
    let still = Turbulence { pace: 0.0, drift: [1.5, 0.0, -0.5], ..rollers() };
    let (p, t) = (places(), 2.0f32);
    let then: Vec<[f32; 3]> = p.iter().map(|p| [p[0] + 1.5 * t, p[1], p[2] - 0.5 * t]).collect();
    let (a, b) = (air(&still, 0.0).velocities(&p), air(&still, f64::from(t)).velocities(&then));
    let off = a
        .iter()
        .zip(&b)
        .map(|(a, b)| (0..3).map(|c| (a[c] - b[c]).abs()).fold(0.0, f32::max))
        .fold(0.0, f32::max);
    assert!(off < 1e-3, "the pattern changed by {off} as it drifted");
    let alike = |dt: f64| {
        let (a, b) = (air(&rollers(), 0.0).velocities(&p), air(&rollers(), dt).velocities(&p));
        let dot = |x: &[[f32; 3]], y: &[[f32; 3]]| {
            x.iter().flatten().zip(y.iter().flatten()).map(|(a, b)| f64::from(a * b)).sum::<f64>()
        };
        dot(&a, &b) / (dot(&a, &a) * dot(&b, &b)).sqrt()
    };
    assert!(alike(0.05) > 0.95 && alike(4.0) < 0.3, "{} {}", alike(0.05), alike(4.0));
}

#[test]
fn gusts_travel_with_the_wind() {
    let wind = Wind { velocity: [4.0, 0.0, 0.0], gust: 0.4, gust_period: 1.5, seed: 3, ..Default::default() };
    let at =
        |x: f32, time: f64| Air::at(&[wind.clone().into()], None, time).velocities(&[[x, 0.0, 0.0]])[0][0];
    for k in 0..50 {
        let t = f64::from(k) * 0.13;
        assert!((at(0.0, t) - at(6.0, t + 1.5)).abs() < 1e-3);
    }
    let speeds: Vec<f64> = (0..4000).map(|k| f64::from(at(0.0, f64::from(k) * 0.05))).collect();
    let mean = speeds.iter().sum::<f64>() / 4000.0;
    within("mean speed", mean, 4.0, 0.03);
    within("gusts", (speeds.iter().map(|s| (s - mean).powi(2)).sum::<f64>() / 4000.0).sqrt(), 1.6, 0.12);
}

#[test]
fn sub_steps_do_not_change_what_a_wind_does_to_light_cloth() {
    // 40 g/m² hung by its upper border in 7 m/s: a sub-step of a tenth of a frame is long for so light a sheet.
    let leans = |substeps: u32| {
        let s = SheetOf { size: [0.4, 0.4], points: [12, 12], upright: true };
        let silk = Matter { areal_weight: 0.04, drag: 1.28, lift: 0.0, damping: 3.0, ..plain() };
        let mut t = s.of(silk, |k, m| m.borders[0].points.contains(&(k as u32)));
        t.frame.substeps = substeps;
        t.frame.fields = vec![
            Wind { velocity: [0.0, 0.0, 7.0], gust: 0.0, gust_period: 2.0, seed: 0, ..Default::default() }
                .into(),
        ];
        t.run(48);
        // The mean over a second: it flutters.
        let mean = (0..24).map(|_| {
            t.run(1);
            [t.mean(1), t.mean(2)]
        });
        let sum = mean.fold([0.0; 2], |a, b| [a[0] + b[0], a[1] + b[1]]);
        (sum[1] / (0.2 * 24.0 - sum[0])).atan().to_degrees()
    };
    let fine = leans(80);
    for substeps in [10, 20] {
        let coarse = leans(substeps);
        println!("{substeps} sub-steps: leans by {coarse:.2}°, {fine:.2}° at 80");
        assert!((coarse - fine).abs() < 2.0, "{substeps} sub-steps: {coarse}° where {fine}° is expected");
    }
}
