use crate::Stage;
use crate::frame_inputs;
use crate::resolve::fields_at;
use nematon_air::Air;
use nematon_document::FieldId;

/// The air of a scene at places (metres) when it stands at frame `index`, counted from the first: m/s. Of one field `alone` what
/// that does there: of one that pushes, m/s²; of one that does by force, Pa.
pub fn air_at(scene: &Stage, alone: Option<&FieldId>, index: usize, places: &[[f32; 3]]) -> Vec<[f32; 3]> {
    let time = index as f64 / scene.frames.rate;
    let Some(id) = alone else {
        return Air::at(&frame_inputs(scene, &[], index.max(1)).fields, None, time).velocities(places);
    };
    let fields = fields_at(scene, &[], scene.frames.first as f64 + index.max(1) as f64 - 0.5);
    let all = fields.each.into_iter().chain(fields.pulls);
    let mine = all.filter(|f| f.id == *id).map(|f| f.now).collect::<Vec<_>>();
    // It does one of these.
    let all = [Air::at(&mine, None, time), Air::pushes(&mine, None, time), Air::forces(&mine, None, time)];
    let [air, ..] = &all;
    all.iter().find(|a| !a.is_still()).unwrap_or(air).velocities(places)
}
