use crate::frame_inputs;
use nematon_document::Scene;
use nematon_solver::air::Air;

/// The air of a scene at places (metres) when it stands at frame `index`, counted from the first: m/s.
pub fn air_at(scene: &Scene, index: usize, places: &[[f32; 3]]) -> Vec<[f32; 3]> {
    let frame = frame_inputs(scene, index.max(1));
    Air::at(&frame, index as f64 * frame.duration).velocities(places)
}
