use crate::Stage;
use crate::frame_inputs;
use nematon_air::Air;

/// The air of a scene at places (metres) when it stands at frame `index`, counted from the first: m/s.
pub fn air_at(scene: &Stage, index: usize, places: &[[f32; 3]]) -> Vec<[f32; 3]> {
    let frame = frame_inputs(scene, &[], index.max(1));
    Air::at(&frame.fields, None, index as f64 * frame.duration).velocities(places)
}
