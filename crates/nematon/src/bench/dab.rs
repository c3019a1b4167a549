//! What a dab of a brush costs, beside a copy of the weights: of a radius of a tenth of the sheet, and of three tenths.
use nematon_geometry::sheet;
use nematon_paint::{Brush, Canvas, Does, Edge, Stroke, Touch};
use serde_json::{Value, json};
use std::hint::black_box;
use std::time::Instant;

/// Of sheets of 10,000 and of 40,000 points.
pub fn dabs(rounds: usize) -> Vec<Value> {
    let mut out = vec![];
    for side in [100u32, 200] {
        let mesh = sheet(1.0, 1.0, side, side);
        let n = mesh.positions.len();
        let triangles = mesh.triangles.len() as u32;
        let canvas = Canvas::new(mesh, vec![]);
        for radius in [0.1, 0.3] {
            let brush = Brush { does: Does::Smooth, radius, strength: 0.9, edge: Edge::Soft, mirror: None };
            let mut stroke = Stroke::begin(brush, (0..n).map(|k| (k % 7) as f32 / 7.0).collect());
            let copied = vec![0.5f32; n];
            let (mut dab, mut copy, mut changed) = (f64::INFINITY, f64::INFINITY, 0);
            for round in 0..rounds.max(3) as u32 * 4 {
                // About the middle, never twice at the same place.
                let triangle = triangles / 2 + side + round * 3;
                let at = Touch { triangle, shares: [0.4, 0.3, 0.3] };
                let begun = Instant::now();
                changed = stroke.dab(&canvas, at, Some([0.2, 3.0, 0.4]), 1.0).len();
                dab = dab.min(begun.elapsed().as_secs_f64());
                let begun = Instant::now();
                black_box(copied.clone());
                copy = copy.min(begun.elapsed().as_secs_f64());
            }
            out.push(json!({
                "case": "dab", "points": n, "radius": radius, "changed": changed,
                "ms": (1e6 * dab).round() / 1e3, "copies": (dab / copy).round(),
            }));
        }
    }
    out
}
