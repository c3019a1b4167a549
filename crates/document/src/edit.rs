//! Edits are RFC 6902 patches; an undo is the patch back.
use crate::{Fault, Scene, validate};
use json_patch::{Patch, PatchOperation};
use serde_json::Value;

/// Most operations in one edit.
pub const MAX_OPERATIONS: usize = 10_000;
/// Most bytes of a document, written as JSON.
pub const MAX_DOCUMENT: usize = 8 << 20;
/// How deep a document may be nested, at most: a scene's own types need 9.
pub const MAX_DEPTH: usize = 32;

/// Why an edit was not made. The document is as it was.
#[derive(Debug, thiserror::Error)]
pub enum EditError {
    /// An operation could not be carried out: a path that isn't there, a test that failed.
    #[error("operation {operation} of the edit can't be made at {path}: {message}")]
    Patch { operation: usize, path: String, message: String },
    #[error("the edit has {0} operations; the most is {MAX_OPERATIONS}. Make it in parts")]
    TooMany(usize),
    #[error(
        "after operation {operation} of the edit the scene would take {bytes} bytes; the most is {MAX_DOCUMENT}"
    )]
    TooLarge { operation: usize, bytes: usize },
    #[error(
        "after operation {operation} of the edit the scene would be nested {depth} deep; the most is {MAX_DEPTH}"
    )]
    TooDeep { operation: usize, depth: usize },
    /// The edit was made and the result is not a scene.
    #[error("the edit leaves {} fault(s)", .0.len())]
    Faults(Vec<Fault>),
}

/// The document after a patch, with the scene it holds. What it may grow to is looked at before each operation: a few
/// copies that double it would take all memory.
///
/// # Errors
/// The first operation that can't be carried out, or all faults of the result.
pub fn apply(document: &Value, patch: &Patch) -> Result<(Value, Scene), EditError> {
    if patch.0.len() > MAX_OPERATIONS {
        return Err(EditError::TooMany(patch.0.len()));
    }
    let mut next = document.clone();
    // Never less than what the document takes: removals are only counted when it matters.
    let mut bytes = size(&next);
    for (operation, op) in patch.0.iter().enumerate() {
        let added = match op {
            PatchOperation::Add(a) => Some((&a.value, &a.path)),
            PatchOperation::Replace(r) => Some((&r.value, &r.path)),
            PatchOperation::Copy(c) => c.from.resolve(&next).ok().map(|v| (v, &c.path)),
            PatchOperation::Move(m) => m.from.resolve(&next).ok().map(|v| (v, &m.path)),
            PatchOperation::Remove(_) | PatchOperation::Test(_) => None,
        };
        if let Some((value, path)) = added {
            let depth = path.count() + depth(value);
            if depth > MAX_DEPTH {
                return Err(EditError::TooDeep { operation, depth });
            }
            let more = size(value) + path.as_str().len();
            if bytes + more > MAX_DOCUMENT {
                bytes = size(&next);
            }
            bytes += more;
            if bytes > MAX_DOCUMENT {
                return Err(EditError::TooLarge { operation, bytes });
            }
        }
        json_patch::patch(&mut next, std::slice::from_ref(op)).map_err(|e| EditError::Patch {
            operation,
            path: e.path.to_string(),
            message: e.kind.to_string(),
        })?;
    }
    let scene = validate(&next).map_err(EditError::Faults)?;
    Ok((next, scene))
}

/// A patch carried out on a scene of an older version, which nothing here can check.
pub fn apply_old(document: &Value, patch: &Patch) -> Option<Value> {
    let mut next = document.clone();
    json_patch::patch(&mut next, patch).ok()?;
    Some(next)
}

/// Whether two documents are the same, the order of their lists of things too: to `==` that is nothing.
pub fn same(a: &Value, b: &Value) -> bool {
    let text = Value::to_string;
    a == b && text(a) == text(b)
}

/// The patch that turns `after` back into `before`, the order of its lists of things too.
pub fn inverse(before: &Value, after: &Value) -> Patch {
    let mut patch = json_patch::diff(after, before);
    let mut back = after.clone();
    let parts = before.as_object().into_iter().flatten();
    if json_patch::patch(&mut back, &patch).is_ok() {
        for (key, value) in parts.filter(|(key, value)| !same(&back[*key], value)) {
            let path = json_patch::jsonptr::PointerBuf::from_tokens([key]);
            let value = value.clone();
            patch.0.push(json_patch::PatchOperation::Replace(json_patch::ReplaceOperation { path, value }));
        }
    }
    patch
}

/// About how many bytes a value takes as JSON.
fn size(value: &Value) -> usize {
    match value {
        Value::Null | Value::Bool(_) => 5,
        Value::Number(_) => 12,
        Value::String(s) => s.len() + 3,
        Value::Array(a) => 2 + a.iter().map(|v| 1 + size(v)).sum::<usize>(),
        Value::Object(o) => 2 + o.iter().map(|(k, v)| k.len() + 4 + size(v)).sum::<usize>(),
    }
}

fn depth(value: &Value) -> usize {
    match value {
        Value::Array(a) => 1 + a.iter().map(depth).max().unwrap_or(0),
        Value::Object(o) => 1 + o.values().map(depth).max().unwrap_or(0),
        _ => 0,
    }
}
