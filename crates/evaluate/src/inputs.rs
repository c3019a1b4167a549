use nematon_document::{Act, Field, Scene, When};
use nematon_solver::air::{Turbulence, Wind};
use nematon_solver::{Floor, FrameInputs};

/// All that the solver is told to come from frame `index - 1` to frame `index`, counted from the
/// scene's first frame (so from 1); colliders and moving grips are added by the island's run.
pub fn frame_inputs(scene: &Scene, index: usize) -> FrameInputs {
    let duration = 1.0 / scene.frames.rate;
    let mut inputs = FrameInputs {
        start: index.saturating_sub(1) as f64 * duration,
        duration,
        substeps: scene.frames.substeps,
        gravity: [0.0; 3],
        winds: vec![],
        turbulence: vec![],
        floor: scene.floor.as_ref().map(|f| Floor { height: f.height as f32, friction: f.friction as f32 }),
        ..FrameInputs::default()
    };
    let frame = scene.frames.first as f64 + index as f64 - 0.5;
    for field in scene.fields.values() {
        let share = share(field, frame);
        if share > 0.0 {
            add(&mut inputs, &field.act, share);
        }
    }
    inputs
}

/// How much of a field acts at a moment, in frames: 0 to 1.
fn share(field: &Field, frame: f64) -> f64 {
    let Some(When { from, until, ease }) = &field.when else { return if field.on { 1.0 } else { 0.0 } };
    let inside = (frame - *from as f64).min(*until as f64 - frame);
    match () {
        () if !field.on || inside < 0.0 => 0.0,
        () if inside >= *ease => 1.0,
        () => {
            let t = inside / ease;
            t * t * (3.0 - 2.0 * t)
        }
    }
}

fn add(inputs: &mut FrameInputs, act: &Act, share: f64) {
    match act {
        Act::Gravity(g) => inputs.gravity[1] -= (share * g.strength) as f32,
        Act::Wind(w) => {
            let ((sh, ch), (sr, cr)) = (libm::sincos(w.heading), libm::sincos(w.rise));
            inputs.winds.push(Wind {
                velocity: [ch * cr, sr, -sh * cr].map(|c| (share * w.speed * c) as f32),
                gust: w.gust as f32,
                gust_period: w.gust_period as f32,
                seed: w.seed,
            });
        }
        Act::Turbulence(t) => inputs.turbulence.push(Turbulence {
            strength: (share * t.strength) as f32,
            size: t.size as f32,
            pace: t.pace as f32,
            drift: t.drift.map(|c| c as f32),
            octaves: t.octaves,
            seed: t.seed,
        }),
    }
}
