//! What hangs or stands in a steady wind, against statics.
use crate::harness::{SheetOf, Trial, plain, steady};

use nematon_geometry::place;
use nematon_solver::{AIR_DENSITY, Matter};

const LENGTH: f64 = 0.5;

/// The wind that presses on a square metre that faces it by `share` of its weight: m/s.
fn speed_for(share: f64, areal_weight: f64, drag: f64) -> f64 {
    (2.0 * share * areal_weight * 9.81 / (f64::from(AIR_DENSITY) * drag)).sqrt()
}

/// A strip along z that hangs from its back border, at rest in a wind along z; its points by rows from the top, as
/// [out of the wind's way, down].
fn hung(rows: u32, share: f64, substeps: u32) -> Vec<[f64; 2]> {
    let matter = Matter {
        areal_weight: 0.2,
        stretch: [20_000.0; 2],
        bend: [1e-9; 2],
        drag: 1.28,
        lift: 0.0,
        damping: 3.0,
        ..Matter::default()
    };
    let mut t = SheetOf { size: [0.1, LENGTH], points: [3, rows], upright: true }
        .of(matter, |k, m| m.borders[0].points.contains(&(k as u32)));
    t.frame.substeps = substeps;
    t.frame.fields = steady([0.0, 0.0, speed_for(share, 0.2, 1.28) as f32]);
    t.settle(6.0);
    t.run(72);
    let top = t.mesh.positions.iter().map(|p| p[1]).fold(f32::MIN, f32::max);
    let p = t.positions();
    // The middle column.
    let mut of: Vec<usize> = (0..p.len()).filter(|&k| t.mesh.positions[k][0].abs() < 1e-5).collect();
    of.sort_by(|&a, &b| t.mesh.positions[b][1].total_cmp(&t.mesh.positions[a][1]));
    of.iter().map(|&k| [f64::from(p[k][2]), f64::from(top - p[k][1])]).collect()
}

#[test]
fn a_strip_hung_in_a_steady_wind_leans_straight_by_its_law() {
    // All of it sees the wind alike, so it is straight: tan φ = R cos φ, R the wind's press on a strip that faces it
    // over its weight.
    for share in [0.25f64, 0.5, 1.0, 2.0] {
        let law: f64 = ((1.0 + 4.0 * share * share).sqrt() - 1.0) / (2.0 * share);
        let law = law.asin().to_degrees();
        for (rows, substeps) in [(11, 10), (41, 10), (41, 20)] {
            let p = hung(rows, share, substeps);
            let end = p[p.len() - 1];
            let lean = end[0].atan2(end[1]).to_degrees();
            println!("R {share}, {rows} rows, {substeps} sub-steps: {lean:.3}°, expected {law:.3}°");
            assert!((lean - law).abs() < 1.0, "{lean}° where {law}° is expected");
            // How far any point is from the line from end to end.
            let far = end[0].hypot(end[1]);
            let bow = p.iter().map(|q| (q[0] * end[1] - q[1] * end[0]).abs() / far).fold(0.0, f64::max);
            assert!(bow < 0.005 * LENGTH, "it bows by {bow} m");
            assert!((far / LENGTH - 1.0).abs() < 0.002, "it is {far} m long");
        }
    }
}

/// The tip of a stem of length 1 that stands along y, without weight, in a wind along x: x and y, by shooting. With s
/// from the clamp, θ from upright, the force each length gets q cos θ along x: θ'' = -q cos θ ∫ₛ¹ cos θ, θ(0) = 0,
/// θ'(1) = 0, lengths in L and q in B/L³.
fn stem(q: f64) -> [f64; 2] {
    let shoot = |bend: f64| {
        let n = 4000;
        let h = 1.0 / f64::from(n);
        // From the free end back: there θ is a guess and θ' is 0.
        let (mut theta, mut turn, mut seen) = (bend, 0.0f64, 0.0f64);
        let (mut x, mut y) = (0.0, 0.0);
        for _ in 0..n {
            let half = theta - 0.5 * h * turn;
            let load = seen + 0.5 * h * half.cos();
            turn += h * q * half.cos() * load;
            theta -= h * turn - 0.5 * h * h * q * half.cos() * load;
            seen += h * half.cos();
            x += h * half.sin();
            y += h * half.cos();
        }
        (theta, [x, y])
    };
    let (mut low, mut high) = (0.0, 1.5);
    for _ in 0..60 {
        let middle = 0.5 * (low + high);
        if shoot(middle).0 > 0.0 { high = middle } else { low = middle }
    }
    shoot(low).1
}

#[test]
fn the_shooting_gives_the_small_deflection_of_a_beam() {
    // q L⁴ / 8B for a small load.
    let tip = stem(1e-3);
    assert!((tip[0] / 1.25e-4 - 1.0).abs() < 1e-3, "{tip:?}");
    assert!((tip[1] - 1.0).abs() < 1e-6, "{tip:?}");
}

#[test]
fn an_elastic_stem_bends_in_a_wind_as_statics_say() {
    for (q, rows) in [(1.0, 17), (1.0, 33), (5.0, 33), (10.0, 33)] {
        let (weight, rigid) = (0.2, 2e-2f64);
        let matter = Matter {
            areal_weight: weight,
            stretch: [20_000.0; 2],
            bend: [rigid as f32; 2],
            drag: 1.28,
            lift: 0.0,
            damping: 4.0,
            ..Matter::default()
        };
        // One cell more, held, is the clamp.
        let cell = LENGTH / f64::from(rows - 1);
        let s = SheetOf { size: [5.0 * cell, LENGTH + cell], points: [6, rows + 1], upright: true };
        let mut mesh = s.mesh();
        // Upside down: it stands on its clamp.
        place(&mut mesh.positions, [0.0; 3], [0.0, 0.0, std::f64::consts::PI]);
        let low = mesh.positions.iter().map(|p| p[1]).fold(f32::MAX, f32::min);
        let mut t = Trial::new(mesh, matter, |k, m| f64::from(m.positions[k][1] - low) < 1.5 * cell);
        t.frame.gravity = [0.0; 3];
        // q = ½ρ C U² L³ / B.
        let speed = (2.0 * q * rigid / (f64::from(AIR_DENSITY) * 1.28 * LENGTH.powi(3))).sqrt();
        t.frame.fields = steady([0.0, 0.0, speed as f32]);
        t.run(240);
        let end = t.mesh.positions.iter().map(|p| p[1]).fold(f32::MIN, f32::max);
        let tips: Vec<[f32; 3]> = (0..t.mesh.positions.len())
            .filter(|&k| t.mesh.positions[k][1] > end - 1e-4)
            .map(|k| t.positions()[k])
            .collect();
        let mean = |c: usize| tips.iter().map(|p| f64::from(p[c])).sum::<f64>() / tips.len() as f64;
        let got = [mean(2) / LENGTH, (mean(1) - f64::from(low) - cell) / LENGTH];
        let want = stem(q);
        println!("q {q}, {rows} rows: {got:.4?}, expected {want:.4?}");
        for c in 0..2 {
            assert!((got[c] - want[c]).abs() < 0.03 * want[0].max(0.1), "{got:?} where {want:?} is expected");
        }
    }
}

#[test]
fn a_stronger_wind_presses_as_its_square_and_from_both_sides_alike() {
    let push = |speed: f64| {
        let matter = Matter { areal_weight: 0.5, drag: 1.0, lift: 0.0, ..plain() };
        let mut t = SheetOf { size: [0.4, 0.4], points: [5, 5], upright: true }.of(matter, |_, _| false);
        t.frame.gravity = [0.0; 3];
        t.frame.fields = steady([0.0, 0.0, speed as f32]);
        t.run(1);
        t.mean_velocity(2)
    };
    let one = push(1.0);
    // ½ρ C U² / σ for a twenty-fourth of a second, less what it already goes along.
    let law = 0.5 * f64::from(AIR_DENSITY) / 0.5 / 24.0;
    assert!((one / law - 1.0).abs() < 0.06, "{one} where {law} is expected");
    for times in [2.0, 3.0] {
        let share = push(times) / one / (times * times);
        // It already goes along a little more.
        assert!((0.9..1.0).contains(&share), "{times} times the wind: {share}");
    }
    assert!((push(-2.0) + push(2.0)).abs() < 1e-6);
}
