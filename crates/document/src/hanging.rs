//! What must fit where a body comes from, or hangs on, another thing.
use crate::{Body, BodyId, Fault, Form, HeldTo, Outlet, Scene, Sheds};

/// What pieces come from, or strands grow on, is there.
pub(crate) fn source(scene: &Scene, id: &BodyId, body: &Body, faults: &mut Vec<Fault>) {
    if let Some(shed) = body.kind.drift().and_then(|d| d.shed.as_ref()) {
        let at = |what: &str| format!("/bodies/{id}/kind/drift/shed/{what}");
        let plants = scene.bodies.get(&shed.plants);
        let own = plants.and_then(|p| p.kind.plants());
        let (name, species) = match (plants, own) {
            (Some(p), Some(own)) => (&p.name, own.species.as_ref()),
            (Some(p), None) => {
                return faults
                    .push(Fault::new(at("plants"), format!("names \"{}\", which are no plants", p.name)));
            }
            (None, _) => {
                let message = format!("names the body \"{}\", which there is not", shed.plants);
                return faults.push(Fault::new(at("plants"), message));
            }
        };
        // What a mesh has is known once it is read; heads it never has.
        let none = match shed.what {
            Sheds::Leaves => species.is_some_and(|s| s.leaves.is_none()).then_some("leaves"),
            Sheds::Heads => species.is_none_or(|s| s.heads.is_none()).then_some("heads"),
        };
        if let Some(what) = none {
            faults.push(Fault::new(at("what"), format!("can't be: {name} have no {what}")));
        }
        for (k, rule) in shed.rules.iter().enumerate() {
            if let Some(map) = rule.map.as_ref().filter(|m| plants.is_some_and(|p| !p.maps.contains_key(*m)))
            {
                let message = format!("names the map \"{map}\", which {name} do not have");
                faults.push(Fault::new(at(&format!("rules/{k}/map")), message));
            }
        }
    }
    let Some((path, from)) = body.kind.outlet() else { return };
    let at = |what: &str| format!("/bodies/{id}/kind/{path}/{what}");
    match from {
        Outlet::Figure(f) if !scene.figures.contains_key(f.figure.as_str()) => {
            let message = format!("names the figure \"{}\", which there is not", f.figure);
            faults.push(Fault::new(at("figure"), message));
        }
        Outlet::Collider(c) => match scene.colliders.get(c) {
            None => {
                let message = format!("names the collider \"{c}\", which there is not");
                faults.push(Fault::new(at("collider"), message));
            }
            Some(own) if matches!(own.form, Form::Plane(_) | Form::Figure(_)) => {
                let message = match own.form {
                    Form::Plane(_) => "has no end, so that it can't be all over alike",
                    _ => "is a figure's: name the figure",
                };
                faults.push(Fault::new(at("collider"), format!("names \"{}\", which {message}", own.name)));
            }
            Some(_) => {}
        },
        Outlet::Body(b) => {
            let message = match scene.bodies.get(b) {
                None => format!("names the body \"{b}\", which there is not"),
                Some(on) if on.kind.cloth().is_none() => {
                    format!("names \"{}\", which has no surface to grow on", on.name)
                }
                Some(_) => return,
            };
            faults.push(Fault::new(at("body"), message));
        }
        Outlet::Space | Outlet::Points(_) | Outlet::Figure(_) => {}
    }
}

/// No ring of bodies hangs on itself.
pub(crate) fn rings(scene: &Scene, faults: &mut Vec<Fault>) {
    let on = |id: &BodyId| -> Vec<(String, BodyId)> {
        let grips = scene.bodies.get(id).into_iter().flat_map(|b| b.grips.iter().filter(|(_, g)| g.on));
        let held = grips.filter_map(|(k, g)| match &g.to {
            HeldTo::Body(b) => Some((format!("/bodies/{id}/grips/{k}/to/body"), b.clone())),
            _ => None,
        });
        let grows = scene.bodies.get(id).and_then(|b| match b.kind.outlet() {
            Some((path, Outlet::Body(on))) => Some((format!("/bodies/{id}/kind/{path}/body"), on.clone())),
            _ => None,
        });
        held.chain(grows).collect()
    };
    for (id, body) in &scene.bodies {
        for (path, to) in on(id) {
            // Depth first, with the way there.
            let mut todo = vec![vec![to]];
            let mut seen = vec![];
            while let Some(way) = todo.pop() {
                let Some(last) = way.last().filter(|l| !seen.contains(*l)).cloned() else { continue };
                if last == *id {
                    let ring: Vec<&str> = way
                        .iter()
                        .map(|b| scene.bodies.get(b).map_or(b.0.as_str(), |b| b.name.as_str()))
                        .collect();
                    let message =
                        format!("makes a ring: {} hangs on {}", body.name, ring.join(", which hangs on "));
                    faults.push(Fault::new(path.clone(), message));
                    break;
                }
                seen.push(last.clone());
                todo.extend(on(&last).into_iter().map(|(_, next)| [way.clone(), vec![next]].concat()));
            }
        }
    }
}
