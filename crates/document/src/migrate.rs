//! From documents of older versions to this one's: plain JSON to plain JSON, a step a version.
use crate::VERSION;
use serde_json::{Map, Value, json};

/// The version that a document says it is of.
pub fn version(document: &Value) -> Option<u64> {
    document.get("nematon").and_then(Value::as_u64)
}

/// A document of an older version as one of this. What is of no known older version comes back as it is, for validation
/// to tell.
pub fn migrate(mut document: Value) -> Value {
    if version(&document) == Some(1) {
        second(&mut document);
    }
    const { assert!(VERSION == 2, "a new version has its step above") };
    document
}

/// 1 to 2: what a kind of body has of its own stands under its kind, keys stand on the numbers that they move, a map has
/// layers.
fn second(document: &mut Value) {
    document["nematon"] = json!(2);
    for body in of(document, "bodies") {
        body_by_kind(body);
        for map in of(body, "maps") {
            if let Some(weights) = map.as_object_mut().and_then(|m| m.shift_remove("weights")) {
                map["layers"] = json!([{"weights": weights}]);
            }
        }
    }
    for list in ["colliders", "handles"] {
        for thing in of(document, list) {
            place_by_number(thing);
        }
    }
}

/// The things of a list by key.
fn of<'d>(document: &'d mut Value, list: &str) -> impl Iterator<Item = &'d mut Value> {
    let things = document.get_mut(list).and_then(Value::as_object_mut);
    things.into_iter().flat_map(|m| m.values_mut()).filter(|v| v.is_object())
}

fn body_by_kind(body: &mut Value) {
    let Some(old) = body.as_object_mut() else { return };
    let mut own = Map::new();
    for name in ["shape", "matter", "layers", "rest"] {
        if let Some(v) = old.shift_remove(name) {
            own.insert(name.into(), v);
        }
    }
    if let Some(rest) = own.get_mut("rest").and_then(Value::as_object_mut) {
        for name in ["scale", "bend"] {
            match rest.get(name).and_then(Value::as_array).map(Vec::is_empty) {
                Some(true) => {
                    rest.shift_remove(name);
                }
                Some(false) => rest[name] = json!({"keys": rest[name]}),
                None => {}
            }
        }
    }
    let kind = old.get("kind").and_then(Value::as_str).unwrap_or("cloth").to_owned();
    old.insert("kind".into(), json!({kind: own}));
}

/// Keys of whole places become keys of each number. A number that stays the same over all keys needs none.
fn place_by_number(thing: &mut Value) {
    let Some(old) = thing.as_object_mut() else { return };
    let Some(Value::Array(keys)) = old.shift_remove("keys") else { return };
    if keys.is_empty() {
        return;
    }
    let number = |name: &str, c: usize| {
        let at = |key: &Value| key.get(name).and_then(|v| v.get(c)).cloned().unwrap_or(json!(0.0));
        let first = at(&keys[0]);
        if keys.iter().all(|k| at(k) == first) {
            return first;
        }
        let each = keys.iter().map(|k| json!({"frame": k["frame"], "value": at(k)}));
        json!({"keys": each.collect::<Vec<_>>()})
    };
    let three = |name: &str| json!([number(name, 0), number(name, 1), number(name, 2)]);
    old.insert("place".into(), json!({"position": three("position"), "turn": three("turn")}));
}
