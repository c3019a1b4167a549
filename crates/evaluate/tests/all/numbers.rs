//! Frames are true by construction: every number that they are made from is in their fingerprints, whichever it is.
use nematon_document::{BodyId, PlantMesh, Scene, validate};
use nematon_evaluate::{Fingerprint, MeshLibrary, Run};
use nematon_figure::Figure;
use nematon_geometry::{Mesh, Modelled, Species, modelled, tubes};
use nematon_solver::NoWatch;
use serde_json::{Value, json};
use std::sync::{Arc, LazyLock};

/// One animated mesh, whatever it is asked for.
struct Files;

static ARM: LazyLock<Arc<Figure>> = LazyLock::new(|| {
    let bytes = include_bytes!("../../../formats/tests/all/figure/arm.glb");
    Arc::new(nematon_formats::read_figure("arm.glb", bytes).unwrap())
});

impl MeshLibrary for Files {
    fn mesh(&self, _: &nematon_document::MeshSource) -> Result<Arc<Mesh>, String> {
        Err("there is none".into())
    }
    fn figure(&self, _: &nematon_document::Figure) -> Result<Arc<Figure>, String> {
        Ok(ARM.clone())
    }
    /// A shrub of its own as somebody modelled it.
    fn modelled(&self, of: &PlantMesh) -> Result<Arc<Modelled>, String> {
        let species = full()["bodies"]["shrubs"]["kind"]["plants"]["species"].clone();
        let species: Species = serde_json::from_value(species).unwrap();
        let mesh = tubes(&species.grow(0, 1, 1.0)).mesh;
        modelled(&mesh, of.segments, None).map(Arc::new).map_err(|e| e.to_string())
    }
}

fn full() -> Value {
    serde_json::from_str(include_str!("../../../document/tests/all/full.json")).unwrap()
}

fn numbers(of: &Value, path: &str, out: &mut Vec<String>) {
    match of {
        Value::Number(_) => out.push(path.to_owned()),
        Value::Object(m) => m.iter().for_each(|(k, v)| numbers(v, &format!("{path}/{k}"), out)),
        Value::Array(a) => a.iter().enumerate().for_each(|(k, v)| numbers(v, &format!("{path}/{k}"), out)),
        _ => {}
    }
}

/// The scene with the number at a path a little more, or less where it may not be more.
fn nudged(path: &str) -> Scene {
    let at = full().pointer(path).unwrap().clone();
    let whole = at.is_i64() || at.is_u64();
    let near = [1.0, -1.0].map(|sign| match at.as_i64() {
        Some(n) if whole => json!(n + sign as i64),
        _ => json!(at.as_f64().unwrap() * (1.0 + 0.01 * sign) + 0.02 * sign),
    });
    let with = |v: &Value| {
        let mut d = full();
        *d.pointer_mut(path).unwrap() = v.clone();
        validate(&d).ok()
    };
    near.iter().find_map(with).unwrap_or_else(|| panic!("{path} can't be nudged"))
}

fn start(s: &Scene) -> (Vec<BodyId>, Run) {
    let island = s.islands().into_iter().next().unwrap();
    let run = Run::start(s, &island, &Files).unwrap();
    (island, run)
}

fn prints(s: &Scene) -> Vec<Vec<Fingerprint>> {
    start(s).1.members.iter().map(|m| m.fingerprints.clone()).collect()
}

fn turns_a_ball(path: &str) -> bool {
    let zone = path.split_once("/place/turn/").map(|(zone, _)| zone);
    zone.is_some_and(|z| z.ends_with("zone") && full().pointer(&format!("{z}/form/ball")).is_some())
}

#[test]
fn every_number_counts_in_the_fingerprints_of_what_it_may_change() {
    let scene = validate(&full()).unwrap();
    assert_eq!(scene.islands().len(), 1, "all of it is one island");
    let before = prints(&scene);
    let mut all = vec![];
    numbers(&full(), "", &mut all);
    // The format's version and where the shot begins and ends change no frame there is.
    all.retain(|p| !["/nematon", "/frames/first", "/frames/last"].contains(&p.as_str()));
    // Hairs between strands follow from what is computed, and cameras only look at it.
    let (hairs, rest) = all.into_iter().partition(|p| p.contains("/hairs/") || p.starts_with("/cameras/"));
    let (mut all, hairs): (Vec<String>, Vec<String>) = (rest, hairs);
    assert!(hairs.len() > 5);
    for path in hairs {
        assert!(before == prints(&nudged(&path)), "{path} counts, and changes nothing");
    }
    // Branches and leaves stand at the nearest point of what they come from.
    all.retain(|p| !(p.contains("/species/") && (p.ends_with("/from") || p.ends_with("/to"))));
    // Pieces that plants let go fill no space.
    all.retain(|p| !p.starts_with("/bodies/fluff/kind/drift/size") && !p.starts_with("/bodies/fluff/place"));
    // A place that a point is near is as near to it a little beside.
    all.retain(|p| !p.contains("/near/"));
    // A zone that is a ball is the same however it is turned: see below.
    let (turned, rest) = all.into_iter().partition(|p| turns_a_ball(p));
    let (all, turned): (Vec<String>, Vec<String>) = (rest, turned);
    assert!(!turned.is_empty());
    for path in turned {
        assert!(before == prints(&nudged(&path)), "{path} counts, and changes nothing");
    }
    for path in all {
        let after = prints(&nudged(&path));
        assert_eq!(before.len(), after.len(), "{path}");
        for (member, (p, q)) in before.iter().zip(&after).enumerate() {
            assert_eq!(p.len(), q.len(), "{path}");
            assert!(
                p[p.len() - 1] != q[q.len() - 1],
                "{path} doesn't count in the last frame of body {member}"
            );
            // Once out of date, out of date to the end.
            let first = p.iter().zip(q).position(|(p, q)| p != q).unwrap();
            assert!(p[first..].iter().zip(&q[first..]).all(|(p, q)| p != q), "{path}");
        }
    }
}

#[test]
fn a_key_leaves_true_what_comes_before_the_one_before_it() {
    let before = prints(&validate(&full()).unwrap());
    // Frames go from 1 on. A number of the second key moves all after the first.
    for (path, first) in [
        ("/colliders/globe/place/position/0/keys/1/value", 2),
        ("/colliders/globe/place/turn/2/keys/1/value", 2),
        ("/handles/boom/place/position/1/keys/1/value", 1),
        ("/bodies/canopy/kind/cloth/rest/scale/keys/1/value", 2),
        ("/bodies/canopy/kind/cloth/rest/bend/keys/1/value", 3),
        ("/bodies/canopy/kind/cloth/matter/drag/keys/1/value", 3),
        ("/bodies/canopy/kind/cloth/matter/friction/keys/1/value", 3),
        ("/bodies/pods/kind/drift/drag/keys/1/value", 3),
        ("/colliders/globe/friction/keys/1/value", 3),
        // A clip that begins later moves nothing before it begins.
        ("/figures/vane/speed", 2),
    ] {
        let after = prints(&nudged(path));
        let same = before[0].iter().zip(&after[0]).take_while(|(p, q)| p == q).count();
        assert_eq!(same, first, "{path}");
    }
}

#[test]
fn all_there_is_at_once_runs_and_is_the_same_bits_again_and_from_a_snapshot() {
    let scene = validate(&full()).unwrap();
    let bits = |run: &Run| -> Vec<u32> {
        let all = (0..run.members.len()).flat_map(|m| run.positions(m));
        all.flatten().map(f32::to_bits).collect()
    };
    let (_, mut run) = start(&scene);
    let mut kept = None;
    while !run.is_done() {
        if run.at() == 5 {
            kept = Some((run.at(), run.snapshot()));
        }
        run.advance(&NoWatch).unwrap();
    }
    let straight = bits(&run);
    // What comes and goes has a place while it is there.
    for m in 0..run.members.len() {
        let there = run.there(m).unwrap_or_else(|| (0..run.positions(m).len() as u32).collect());
        assert!(!there.is_empty());
        assert!(there.iter().all(|p| run.positions(m)[*p as usize].iter().all(|c| c.is_finite())));
    }
    let (index, snapshot) = kept.unwrap();
    let (_, mut other) = start(&scene);
    other.resume(index, &snapshot).unwrap();
    while !other.is_done() {
        other.advance(&NoWatch).unwrap();
    }
    assert!(bits(&other) == straight, "from a snapshot it is other bits");
    let (_, mut again) = start(&scene);
    while !again.is_done() {
        again.advance(&NoWatch).unwrap();
    }
    assert!(bits(&again) == straight, "a second run is other bits");
}

/// The scene, or the same with all that moves standing still at its first key.
fn stilled(v: &mut Value) {
    match v {
        Value::Object(m) if m.contains_key("keys") || m.contains_key("formula") => {
            *v = m.get("keys").and_then(|k| k.get(0)).map_or(json!(0.1), |k| k["value"].clone());
        }
        Value::Object(m) => m.values_mut().for_each(stilled),
        Value::Array(a) => a.iter_mut().for_each(stilled),
        _ => {}
    }
}

/// Replaces numbers that stay and may move by one key that says the same, as many as stand in `paths`.
fn keyed(of: &Value, paths: &[String]) -> Result<Scene, Vec<nematon_document::Fault>> {
    let mut d = of.clone();
    let first = d["frames"]["first"].clone();
    for path in paths {
        let at = d.pointer_mut(path).unwrap();
        *at = json!({"keys": [{"frame": first, "value": at.clone()}]});
    }
    validate(&d)
}

#[test]
fn a_first_key_that_says_what_is_there_leaves_all_frames_true() {
    let mut still = full();
    for part in ["bodies", "fields", "colliders", "handles", "figures"] {
        stilled(&mut still[part]);
    }
    for scene in [full(), still] {
        let mut all = vec![];
        numbers(&scene, "", &mut all);
        // Of what moves already, and of what can't, nothing.
        all.retain(|p| !p.contains("/keys/") && keyed(&scene, std::slice::from_ref(p)).is_ok());
        assert!(all.len() > 60, "{}", all.len());
        let before = prints(&validate(&scene).unwrap());
        let mut wrong = vec![];
        let mut left = vec![all];
        while let Some(some) = left.pop() {
            if prints(&keyed(&scene, &some).unwrap()) == before {
                continue;
            }
            match some.as_slice() {
                [one] => wrong.push(one.clone()),
                _ => {
                    let (a, b) = some.split_at(some.len() / 2);
                    left.extend([a.to_vec(), b.to_vec()]);
                }
            }
        }
        assert!(wrong.is_empty(), "{wrong:#?}");
    }
}
