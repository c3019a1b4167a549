//! What is drawn of fields and zones: the same numbers that act.
use crate::Stage;
use crate::resolve::{fields_at, zone_at};
use nematon_air::{Line, Outline};
use nematon_document::Weights;

/// Lines of a thing of the scene.
#[derive(Clone, Debug, PartialEq)]
pub struct Drawn {
    /// JSON Pointer to the field or the zone.
    pub path: String,
    /// Where there is all of it; metres.
    pub core: Vec<Line>,
    /// Where it ends.
    pub soft: Vec<Line>,
}

/// All fields that have a place, and all zones, at a frame. Zones of maps are drawn where they are in the world.
pub fn outlines(scene: &Stage, frame: f64) -> Vec<Drawn> {
    let drawn = |path: String, Outline { core, soft }: Outline| Drawn { path, core, soft };
    let fields = fields_at(scene, &[], frame);
    let own = fields.each.iter().map(|f| drawn(format!("/fields/{}", f.id), f.now.outline()));
    let own = own.filter(|d| !d.core.is_empty());
    let zones = scene.fields.iter().flat_map(|(id, f)| {
        let first = f.zone.iter().map(move |z| (format!("/fields/{id}/zone"), z));
        first.chain(
            f.zones.iter().enumerate().map(move |(k, j)| (format!("/fields/{id}/zones/{k}/zone"), &j.zone)),
        )
    });
    let maps = scene.bodies.iter().flat_map(|(id, b)| {
        b.layers().filter_map(move |(map, k, l)| match &l.weights {
            Weights::Zone(z) => Some((format!("/bodies/{id}/maps/{map}/layers/{k}/weights/zone"), &**z)),
            _ => None,
        })
    });
    own.chain(zones.chain(maps).map(|(path, z)| drawn(path, zone_at(scene, z, frame).outline()))).collect()
}
