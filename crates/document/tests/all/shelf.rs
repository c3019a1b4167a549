//! What stands on the shelf can be taken: every fibre and every species is within the limits of what it becomes.
use nematon_document::{Body, Kind, Plants, Strands, Value, fibres, species, validate};
use serde_json::json;

fn scene(body: &Body) -> serde_json::Value {
    json!({
        "nematon": 2, "name": "One", "frames": {"first": 0, "last": 1, "rate": 24.0, "substeps": 10},
        "bodies": {"one": body},
    })
}

#[test]
fn every_species_is_within_the_limits_of_plants() {
    assert!(species().len() > 3);
    for s in species() {
        let body = Body::of(s.name, Kind::Plants(Box::new(Plants::of(s.species))));
        let faults = validate(&scene(&body));
        assert!(faults.is_ok(), "{}: {faults:?}", s.name);
    }
}

#[test]
fn every_fibre_is_within_the_limits_of_strands() {
    assert!(fibres().len() > 3);
    for f in fibres() {
        let own = Strands {
            diameter: f.diameter,
            taper: f.taper,
            density: f.density,
            modulus: f.modulus,
            twist: f.twist,
            damping: Value::Still(f.damping),
            friction: Value::Still(f.friction),
            ..Strands::default()
        };
        let faults = validate(&scene(&Body::of("Tuft", Kind::Strands(Box::new(own)))));
        assert!(faults.is_ok(), "{}: {faults:?}", f.name);
    }
}
