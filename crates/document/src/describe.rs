//! What differs between two scenes, in words: the reason why a frame is out of date.
use crate::{Scene, validate::schema_at, validate::unit_at};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::Value;

/// One difference between the scene that a frame was computed from and the scene as it is.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Change {
    /// JSON Pointer to what differs.
    pub path: String,
    /// As a person says it: `Ridge wind speed, 6 to 8.5 m/s`.
    pub words: String,
}

/// The differences that could bear on one body: its own, the fields', the floor's and the frames'.
/// Names never count, nor do other bodies.
pub fn changes(from: &Scene, to: &Scene, body: &str) -> Vec<Change> {
    let (a, b) = (serde_json::to_value(from), serde_json::to_value(to));
    let (Ok(a), Ok(b)) = (a, b) else { return vec![] };
    let mut out = vec![];
    walk(&a, &b, &mut vec![], &mut out, &[&a, &b]);
    // Bodies that it touches count as itself.
    let mut own = vec![format!("/bodies/{body}/")];
    for scene in [from, to] {
        let island = scene.islands().into_iter().find(|i| i.iter().any(|b| b.0 == body)).unwrap_or_default();
        own.extend(island.iter().filter(|b| b.0 != body).map(|b| format!("/bodies/{}", b.0)));
    }
    out.retain(|c| {
        let on_path = !c.path.starts_with("/bodies/") || own.iter().any(|o| c.path.starts_with(o.as_str()));
        let idle =
            ["/name", "/preset", "/dye", "/picture", "/picture/blob"].iter().any(|e| c.path.ends_with(e));
        // Hairs between follow from what is computed, and how things look makes none of it.
        let idle = idle
            || c.path.contains("/kind/strands/hairs")
            || c.path.starts_with("/cameras")
            || c.path.starts_with("/frames/loop")
            || c.path.split('/').nth(3) == Some("finish")
            || ["/surface", "/scenery"].iter().any(|e| c.path.ends_with(e));
        on_path && !idle && c.path != "/frames/last"
    });
    out
}

/// What a JSON Pointer of a scene leads to, as a person says it: `Ridge wind speed`.
pub fn named(scene: &Value, pointer: &str) -> String {
    let path: Vec<String> =
        pointer.split('/').skip(1).map(|p| p.replace("~1", "/").replace("~0", "~")).collect();
    subject(&path, &[scene, scene])
}

fn walk(a: &Value, b: &Value, path: &mut Vec<String>, out: &mut Vec<Change>, roots: &[&Value; 2]) {
    if a == b {
        return;
    }
    match (a, b) {
        (Value::Object(x), Value::Object(y)) => {
            let mut keys: Vec<&String> = x.keys().collect();
            keys.extend(y.keys().filter(|k| !x.contains_key(*k)));
            for k in keys {
                path.push(k.clone());
                walk(x.get(k).unwrap_or(&Value::Null), y.get(k).unwrap_or(&Value::Null), path, out, roots);
                path.pop();
            }
        }
        // Lists of things are told by what differs in them; keys as a whole.
        (Value::Array(x), Value::Array(y))
            if x.len() == y.len()
                && x.iter().all(Value::is_object)
                && path.last().is_none_or(|l| l != "keys") =>
        {
            for (k, (x, y)) in x.iter().zip(y).enumerate() {
                path.push(k.to_string());
                walk(x, y, path, out, roots);
                path.pop();
            }
        }
        _ => {
            let pointer: String =
                path.iter().map(|p| format!("/{}", p.replace('~', "~0").replace('/', "~1"))).collect();
            let words = words(a, b, path, &pointer, roots);
            out.push(Change { path: pointer, words });
        }
    }
}

fn words(a: &Value, b: &Value, path: &[String], pointer: &str, roots: &[&Value; 2]) -> String {
    let subject = subject(path, roots);
    match (a, b) {
        (Value::Null, Value::Object(_)) => format!("{subject} added"),
        (Value::Object(_), Value::Null) => format!("{subject} removed"),
        (_, Value::Bool(now)) => format!("{subject} turned {}", if *now { "on" } else { "off" }),
        _ => {
            let unit = unit_at(pointer);
            match (show(a, unit), show(b, unit)) {
                // What moves otherwise than it did has no number to tell.
                (Some(_), Some(_)) if a.is_object() && b.is_object() => format!("{subject} changed"),
                (Some(x), Some(y)) => {
                    let unit = match unit {
                        Some("rad") => "°".to_owned(),
                        Some("N·m") => " µN·m".to_owned(),
                        Some(u) => format!(" {u}"),
                        None => String::new(),
                    };
                    format!("{subject}, {x} to {y}{unit}")
                }
                _ => format!("{subject} changed"),
            }
        }
    }
}

/// The name of the thing and the title of the setting: `Ridge wind speed`.
fn subject(path: &[String], roots: &[&Value; 2]) -> String {
    let (mut thing, mut title) = (String::new(), String::new());
    let mut pointer = String::new();
    for key in path {
        pointer = format!("{pointer}/{key}");
        let name = roots.iter().find_map(|r| r.pointer(&pointer)?.get("name")?.as_str());
        if let Some(name) = name {
            thing = name.to_owned();
            title.clear();
        } else if let Some(t) = schema_at(&pointer).and_then(|s| s.get("title")).and_then(Value::as_str) {
            title = t.to_lowercase();
        }
    }
    match (thing.is_empty(), title.is_empty() || title == "on") {
        (true, _) => capital(&title),
        (false, true) => thing,
        (false, false) => format!("{thing} {title}"),
    }
}

fn capital(s: &str) -> String {
    let mut c = s.chars();
    c.next().map(|f| f.to_uppercase().collect::<String>() + c.as_str()).unwrap_or_default()
}

fn show(v: &Value, unit: Option<&str>) -> Option<String> {
    match v {
        Value::Number(n) => {
            let n = n.as_f64()?;
            // As the page shows them.
            Some(number(match unit {
                Some("rad") => n.to_degrees(),
                Some("N·m") => 1e6 * n,
                _ => n,
            }))
        }
        Value::String(s) => Some(s.clone()),
        Value::Object(m) if m.contains_key("keys") || m.contains_key("formula") => Some("moving".into()),
        Value::Array(a) if matches!(a.len(), 2 | 3) => {
            a.iter().map(|v| show(v, unit)).collect::<Option<Vec<_>>>().map(|v| format!("({})", v.join(", ")))
        }
        _ => None,
    }
}

/// Four significant digits, plainly written.
fn number(n: f64) -> String {
    if n != 0.0 && (n.abs() < 1e-3 || n.abs() >= 1e6) {
        return format!("{n:e}");
    }
    let digits = if n == 0.0 { 0 } else { (3 - n.abs().log10().floor() as i32).clamp(0, 6) as usize };
    let s = format!("{n:.digits$}");
    if s.contains('.') { s.trim_end_matches('0').trim_end_matches('.').to_owned() } else { s }
}

/// Where in a document a path leads, as a person says it: `Patch of Sheet, held to`. A name where there is one, the title
/// of what it is about otherwise.
pub fn whose(document: &Value, path: &str) -> String {
    let (mut names, mut title, mut pointer) = (vec![], String::new(), String::new());
    for key in path.split('/').skip(1) {
        pointer = format!("{pointer}/{key}");
        if let Some(name) = document.pointer(&pointer).and_then(|v| v.get("name")?.as_str()) {
            names.push(name.to_owned());
            title.clear();
        } else if let Some(t) = schema_at(&pointer).and_then(|s| s.get("title")).and_then(Value::as_str) {
            title = t.to_lowercase();
        } else if title.is_empty() && key.parse::<usize>().is_err() {
            title = key.replace("~1", "/").replace("~0", "~");
        }
    }
    names.reverse();
    match (names.join(" of "), title.is_empty()) {
        (of, true) if of.is_empty() => "The scene".into(),
        (of, true) => of,
        (of, false) if of.is_empty() => capital(&title),
        (of, false) => format!("{of}, {title}"),
    }
}
