//! What is drawn of fields and zones: the same numbers that act.
use crate::Stage;
use crate::resolve::{fields_at, pose_at, zone_at};
use nematon_air::{Bead, Line, Outline};
use nematon_document::{Kind, Weights, Zone};
use nematon_solver::Pose;

/// Lines of a thing of the scene.
#[derive(Clone, Debug, PartialEq)]
pub struct Drawn {
    /// JSON Pointer to the field, the zone or the source.
    pub path: String,
    /// Where there is all of it; metres.
    pub core: Vec<Line>,
    /// Where it ends.
    pub soft: Vec<Line>,
    /// Where its numbers can be taken by hand.
    pub beads: Vec<Bead>,
    /// Where its place is.
    pub pose: Pose,
}

/// All fields, all zones, and what pieces come from, at a frame. Zones of maps are drawn where they are in the world.
pub fn outlines(scene: &Stage, frame: f64) -> Vec<Drawn> {
    let fields = fields_at(scene, &[], frame);
    let own = scene.fields.iter().map(|(id, f)| {
        let acts = fields.each.iter().find(|n| n.id == *id);
        let Outline { core, soft, beads } = acts.map(|n| n.now.outline()).unwrap_or_default();
        let pose = f.place.as_ref().map_or(Pose::default(), |p| pose_at(scene, p, frame));
        Drawn { path: format!("/fields/{id}"), core, soft, beads, pose }
    });
    let zones = scene.fields.iter().flat_map(|(id, f)| {
        let first = f.zone.iter().map(move |z| (format!("/fields/{id}/zone"), z));
        let more = f.zones.iter().enumerate();
        first.chain(more.map(move |(k, j)| (format!("/fields/{id}/zones/{k}/zone"), &j.zone)))
    });
    let maps = scene.bodies.iter().flat_map(|(id, b)| {
        b.layers().filter_map(move |(map, k, l)| match &l.weights {
            Weights::Zone(z) => Some((format!("/bodies/{id}/maps/{map}/layers/{k}/weights/zone"), &**z)),
            _ => None,
        })
    });
    let drawn = |(path, zone): (String, &Zone)| {
        let Outline { core, soft, beads } = zone_at(scene, zone, frame).outline();
        Drawn { path, core, soft, beads, pose: pose_at(scene, &zone.place, frame) }
    };
    let sources = scene.bodies.iter().filter_map(|(id, b)| {
        let Kind::Drift(drift) = &b.kind else { return None };
        let [core, soft] = crate::source::shown(scene, b, drift, drift.source.as_ref()?, frame);
        let path = format!("/bodies/{id}/kind/drift/source");
        Some(Drawn { path, core, soft, beads: vec![], pose: pose_at(scene, &b.place, frame) })
    });
    own.chain(zones.chain(maps).map(drawn)).chain(sources).collect()
}
