use crate::Stage;
use crate::resolve::fields_at;
use nematon_document::BodyId;
use nematon_solver::{Floor, FrameInputs};

/// All that the solver is told to come from frame `index - 1` to frame `index`, counted from the
/// scene's first frame (so from 1); colliders and moving grips are added by the island's run. Fields stand as in the
/// middle of the interval, and name `bodies` by their numbers there.
pub fn frame_inputs(scene: &Stage, bodies: &[BodyId], index: usize) -> FrameInputs {
    let duration = 1.0 / scene.frames.rate;
    let at = scene.frames.first as f64 + index as f64 - 0.5;
    let (gravity, fields) = fields_at(scene, bodies, at).plain();
    FrameInputs {
        start: index.saturating_sub(1) as f64 * duration,
        duration,
        substeps: scene.frames.begins_with(),
        gravity,
        fields,
        gone: scene.gone(),
        floor: scene
            .floor
            .as_ref()
            .map(|f| Floor { height: (f.height - scene.origin[1]) as f32, friction: f.friction as f32 }),
        ..FrameInputs::default()
    }
}
